package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
)

// verdict waits until a service is drawn as one that works, does not, or is not known.
func verdict(service, works string) Step {
	return Wait(fmt.Sprintf(`document.querySelector("[data-thread-of='%s']")?.dataset.works === %q`, service, works))
}

// What fails opens with its cause, its mend and the next look; once its line is typed again the
// thread is whole.
func TestChecksFromFailureToWhole(t *testing.T) {
	p, ctx := demo(t), open(t)
	over := Wait(`!document.querySelector("[aria-label=Asked]")`)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/checks"), Sees("Not tried yet"), Keys("s"), Wait(`document.querySelector("[aria-label=Asked]")`),
		verdict("rec.web", "yes"), verdict("rec.video", "no"), over, Sees("3 of 9"),
		Wait(`document.querySelector("[data-failed='rec.video']").innerText.includes("The forward is not in the router")`),
		Wait(`document.querySelector("[data-failed='decoder.in']").innerText.includes("Another device sits at its address")`), Sees("Not opened yet: "))
	look(t, ctx, "checks")
	do(t, ctx, Keys("s"), Wait(`document.querySelector("[aria-label=Asked]")`), Press("Stop"), over, Settled,
		click("[data-failed='rec.video'] .failing-name"), Wait(`document.querySelector("aside [data-cause='forward-address']")`), Sees("Would tell most: Read the router's forwarding page"))
	// The device that was swapped is noted, in the browser; the line is ticked off as typed.
	do(t, ctx, Press("Note 00:00:5e:00:53:5a as the MAC address"), Sees("8 snags"),
		click("[data-failed='rec.video'] [data-chakra-button], [data-failed='rec.video'] .wraps, [data-failed='rec.video'] button:not(.failing-name)"), Wait(`location.pathname.endsWith("/place")`), Wait(`document.querySelector("[data-step='line:f2:1']")`),
		click("[data-step='line:f2:1'] [data-tick]"), Wait(`document.querySelector("[data-step='line:f2:1']").dataset.state === "done"`),
		Press("Checks"), Press("Check all"), Wait(`document.querySelector("[aria-label=Asked]")`), verdict("rec.video", "yes"), over, Sees("4 of 9"))
	look(t, ctx, "checks-whole")
}

// A person with a phone says what came; a pairing text with a wrong character is refused; a
// watch lists who is there.
func TestChecksByPhoneAndWatch(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/checks?pick=service:rec.web"), Press("Check all"), Wait(`document.querySelector("[aria-label=Asked]")`), Wait(`!document.querySelector("[aria-label=Asked]")`),
		Sees("By phone, with Wi-Fi off"), Sees("http://studio.example.net:8020/"), Press("Nothing"), verdict("rec.web", "no"), Sees("Somebody tried it and saw nothing"),
		Press("The right device"), verdict("rec.web", "yes"),
		Press("Far end"), Fill("Pairing text", "vpa1-abc"), Press("Pair with it"), Sees("copy the whole word again"), Press("Cancel"),
		Press("Watch devices come back"), Wait(`document.querySelectorAll("[data-watched] li[data-state=there]").length > 8`))
	look(t, ctx, "checks-watch")
	do(t, ctx, Press("Stop"), Sees("The watch was ended."))
}

// Those that fail for one reason are told as one, with one mend.
func TestChecksThatFailAlike(t *testing.T) {
	p, ctx := demo(t), open(t)
	heard := ""
	for _, s := range []string{"rec.web", "rec.video", "yard.web", "phone.sip"} {
		heard += fmt.Sprintf(`,{"service":%q,"inside":{"result":"answers","by":"here","key":%q},"outside":{"result":"answers","by":"afar","key":%q}}`, s, s, s)
	}
	edit(t, p.URL, "pottery", 1, `{"do":"put-proof","proof":{"id":"p1","at":"2026-11-26T05:00:00Z","from":"inside","router":{"answers":true,"control":"silent","told":[{"address":"203.0.113.99","by":"afar"}]},"services":[`+heard[1:]+`]}}`)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/checks"), Wait(`document.querySelector("[data-alike='4']")?.innerText.includes("4 services: The outside address has changed")`), Sees("The outside address is 203.0.113.99 now"),
		Press("Show each"), Wait(`document.querySelectorAll("[data-failed]").length === 4`), Press("Note 203.0.113.99 as the outside address"), verdict("rec.web", "yes"), Sees("4 of 9"))
}
