package e2e

import (
	"fmt"
	"testing"
	"time"

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
	do(t, ctx, Press("Note 00:00:5e:00:53:5a as the MAC address"), Sees("5 snags"),
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
	do(t, ctx, Press("Stop"), Sees("The watch was ended."),
		// It begins by itself when the router's restart is ticked off.
		chromedp.Navigate(p.URL+"/s/pottery/place"), Wait(`document.querySelector("[data-step]")`), chromedp.Evaluate[chromedp.Void](`document.querySelector(".work").scrollTo(0, 1e6)`), Wait(`document.querySelector("[data-step='restart:router']")`),
		click("[data-step='restart:router'] [data-tick]"), Sees("Watching who comes back."), Press("See it"), Wait(`document.querySelectorAll("[data-watched] li[data-state=there]").length > 8`), Press("Stop"), Sees("The watch was ended."))
}

// Where a device is not at its address the laptop stands in for it: what is reached then is what
// the router has. Whether somebody is connected is told by its list. A laptop that goes to the
// phone's hotspot tries everything from there, and is back.
func TestChecksWithoutTheDevice(t *testing.T) {
	p, ctx := demo(t), open(t)
	asked := Wait(`!document.querySelector("[aria-label=Asked]")`)
	edit(t, p.URL, "pottery", 1, `{"do":"pin","id":"yard.0","pin":{"address":"10.48.16.29","by":"reservation"}}`)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/checks?pick=service:yard.web"), Press("Check all"), Wait(`document.querySelector("[aria-label=Asked]")`), asked, verdict("yard.web", "no"), Settled,
		Press("Stand in for it"), Sees("This computer was not reached in its place: the router's half of the way is at fault."), Settled)
	now := time.Now().UTC().Add(time.Second).Format(time.RFC3339) // after the demo began
	edit(t, p.URL, "pottery", held(t, p.URL, "pottery").Version, `{"do":"tick","id":"line:f3:1","done":{"step":"line:f3:1","at":"`+now+`"}}`)
	do(t, ctx, Press("Stand in for it"), Sees("This computer was reached in its place: the router's half of the way is right."), Settled)
	look(t, ctx, "checks-stand-in")
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/checks?pick=service:rec.web"), Press("Is it in use?"), Sees("passes this computer by"),
		Press("Paste the router's list"), SetText("What the router shows of its connections", "nothing of use"), Press("Is it in use?"), Sees("No connection is read from that"),
		SetText("What the router shows of its connections", "tcp 6 431999 ESTABLISHED src=198.51.100.7 dst=203.0.113.47 sport=50122 dport=8020 src=10.48.16.20 dst=198.51.100.7 sport=80 dport=50122 [ASSURED] use=1"),
		Press("Is it in use?"), Sees("In use now, by the router's list: 198.51.100.7 from outside."))
	look(t, ctx, "checks-in-use")
	do(t, ctx, Press("Try by the phone's hotspot"), Sees("join the phone's hotspot with this computer now"), Sees("This computer has left the site: trying from this network"))
	look(t, ctx, "checks-hotspot")
	do(t, ctx, Sees("Tried from elsewhere, and back inside."), verdict("rec.web", "yes"))
	look(t, ctx, "checks-back")
}

// Where another router answers than before, it is taken for another place until somebody says
// that the router is new.
func TestChecksAtANewRouter(t *testing.T) {
	p, ctx := demo(t), open(t)
	edit(t, p.URL, "pottery", 1, `{"do":"put-proof","proof":{"id":"p1","at":"2026-11-26T05:00:00Z","from":"inside","router":{"answers":true,"gateways":[{"network":"main","mac":"00:00:5e:00:53:99"}]}}}`)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/checks"), Sees("another router than before answers there: what it tries is tried from outside"), Sees("Not tried yet"))
	look(t, ctx, "checks-new-router")
	do(t, ctx, Press("The router was replaced: check from inside"), Wait(`document.querySelector("[aria-label=Asked]")`), Wait(`!document.querySelector("[aria-label=Asked]")`), Sees("This computer is inside, at 10.48.16.160."), Sees("3 of 9"))
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
