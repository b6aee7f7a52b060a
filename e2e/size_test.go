package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// manySite is a site file of many devices with long names, half of them pinned.
func manySite(devices int) string {
	var list []string
	for i := range devices {
		pin := ""
		if i%2 == 0 {
			pin = fmt.Sprintf(`,"pin":{"address":"10.48.16.%d","by":"%s"}`, 2+i/2%250, []string{"reservation", "device", "both"}[i/2%3])
		}
		if i/2 >= 250 {
			pin = ""
		}
		services := ""
		if i%5 == 0 {
			services = fmt.Sprintf(`,"services":[{"id":"d%d.s","name":"web page","interface":"d%d.0","protocol":"tcp","ports":"80","open":{"port":"any"}}]`, i, i)
		}
		list = append(list, fmt.Sprintf(`{"id":"d%d","name":"Camera %d on the north gable of the long barn","kind":"camera","place":"barn %d","interfaces":[{"id":"d%d.0","network":"main","mac":"00:00:5e:01:%02x:%02x","seen":"10.48.%d.%d"%s}]%s}`,
			i, i, i%7, i, i/256, i%256, 18+i/250, 1+i%250, pin, services))
	}
	return `{"format":"vestpin-site/1","name":"Far Reach Farm","networks":[{"id":"main","subnet":"10.48.16.0/22","gateway":"10.48.16.1","ranges":[{"from":"10.48.18.0","to":"10.48.19.250"}]}],"routers":[{"id":"edge","name":"A router with a name that is longer than its box","network":"main"}],"devices":[` + strings.Join(list, ",") + `]}`
}

// take puts a site file into the program through its interface.
func take(t *testing.T, site string) Step {
	t.Helper()
	return chromedp.Steps(
		chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`fetch("/api/sites/import", {method: "POST", headers: {"Content-Type": "application/json"}, body: %s}).then((r) => r.json()).then((s) => { window.made = s.id || JSON.stringify(s) })`, quote(site))),
		Wait("window.made"),
	)
}

func TestFourHundredDevices(t *testing.T) {
	p, ctx := serve(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL), Sees("No site yet"), take(t, manySite(400)), chromedp.Navigate(p.URL+"/s/far-reach-farm/survey"), rows(400))
	if rows := ask[int](t, ctx, `document.querySelectorAll("[data-device]").length`); rows > 80 {
		t.Errorf("%d rows are made of 400", rows)
	}
	// Half a second to the end of the list and back, and 100 ms for a filter.
	scroll := ask[float64](t, ctx, `(() => { const s = document.querySelector("[role=grid]"); const t0 = performance.now(); for (let i = 0; i < 40; i++) { s.scrollTop = i * 300; s.getBoundingClientRect() } return performance.now() - t0 })()`)
	if scroll > 500 {
		t.Errorf("scrolling through takes %.0f ms", scroll)
	}
	// From a press to the picture, for a filter and for an order.
	for _, label := range []string{"Needs a pin", "Everything", "Seen at", "Seen at", "Seen at"} {
		spent := ask[float64](t, ctx, fmt.Sprintf(`(() => { const b = [...document.querySelectorAll("button, [data-segment]")].find((b) => b.innerText.startsWith(%q)); const t0 = performance.now(); b.click(); document.body.getBoundingClientRect(); return performance.now() - t0 })()`, label))
		if spent > 250 {
			t.Errorf("%s takes %.0f ms", label, spent)
		}
	}
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelector("[role=grid]").scrollTop = 1e6`), Wait(`document.querySelector("[data-device=d399]")`),
		Press("Needs a pin"), Wait(`document.querySelectorAll("[data-device]").length > 0 && !document.querySelector("[data-device=d1]")`),
		Press("Addresses"), Wait(`document.querySelectorAll("[data-mark]").length > 100`),
		// Another stretch of the subnet shows what is seen there.
		Choose("Stretch of the subnet", "2"), Wait(`document.querySelector("[data-mark='d1.0']")`),
		Press("Suggest"), Press("Take 40 pins"), Sees("pins taken"),
		Press("Ports"), Press("Suggest ports"), Wait(`Number(document.querySelector("[data-suggested]")?.dataset.suggested) >= 80`), Press("Take 80 changes"), Sees("80 of 80 open"),
		Press("Put in place"), Wait(`Number(document.querySelector("[data-sheet]")?.dataset.sheet) > 150`),
	)
}

// No view is wider than its window, at any of the widths and whatever the names.
func TestNothingSticksOut(t *testing.T) {
	p, ctx := serve(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL), Sees("No site yet"), take(t, manySite(60)))
	for _, width := range []int64{1024, 1280, 1920} {
		for _, view := range []string{"/", "/s/far-reach-farm/survey?pick=device:d0", "/s/far-reach-farm/addresses?pick=device:d1", "/s/far-reach-farm/ports?pick=service:d10.s", "/s/far-reach-farm/place"} {
			do(t, ctx, chromedp.EmulateViewport(width, 800), chromedp.Navigate(p.URL+view), Wait(`document.querySelector("main h1")`), Settled)
			if wide := ask[int64](t, ctx, "document.documentElement.scrollWidth"); wide > width {
				t.Errorf("%s is %d pixels wide in a window of %d", view, wide, width)
			}
			cut := ask[[]string](t, ctx, `[...document.querySelectorAll("button")].filter((b) => b.scrollWidth > b.clientWidth + 2 && getComputedStyle(b).overflow === "visible" && b.innerText).map((b) => b.innerText.slice(0, 60))`)
			if len(cut) > 0 {
				t.Errorf("%s at %d: the text of %q sticks out", view, width, cut)
			}
		}
	}
}

func TestEmptySite(t *testing.T) {
	p, ctx := serve(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL), Sees("No site yet"), take(t, `{"format":"vestpin-site/1","name":"Bare"}`))
	for view, says := range map[string]string{"survey": "Nothing found yet", "addresses": "No network yet", "ports": "No router yet", "place": "Nothing to put in place yet"} {
		do(t, ctx, chromedp.Navigate(p.URL+"/s/bare/"+view), Sees(says), Sees("None: nothing that is planned stops work"))
	}
	do(t, ctx, chromedp.Navigate(p.URL), Press("New site"), Press("Type"), Fill("Name", "Fresh"), Fill("Subnet", "10.48.16.0/24"), Press("Make the site"), Sees("Nothing found yet"))
	for view, says := range map[string]string{"addresses": "None of these", "ports": "No services yet", "place": "Nothing to put in place yet"} {
		do(t, ctx, chromedp.Navigate(p.URL+"/s/fresh/"+view), Sees(says))
	}
}

// On the tape: a drag to an address that is taken says so while it hangs there and asks; put
// there all the same, the snag offers the way out.
func TestDragToATakenAddress(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses"), Wait(`document.querySelector("[data-tape]")`), Settled,
		Drag("[data-mark='till.0'] rect", addressPoint(44)), Sees("It is pinned for Door entry."), Press("Pin Till at 10.48.16.44 all the same"), Sees("Till and Door entry are both pinned at 10.48.16.44."), Wait(`document.querySelector("[data-snag=address-twice]")`),
		Keys("f"), Wait(`!document.querySelector("[data-snag=address-twice]")`),
		// Keys on the tape itself: a mark is picked by Enter and moved by arrows.
		chromedp.Evaluate[chromedp.Void](`document.querySelector("[data-tape]").focus()`), Keys(kb.Escape), Wait(`!location.search.includes("pick")`), Keys(kb.Home), Keys(kb.ArrowDown), Keys(kb.ArrowDown), Keys(kb.ArrowDown), Keys(kb.ArrowDown), Keys(kb.Enter), Wait(`document.querySelector("[data-inspector] h2").innerText === "Yard camera"`), Settled,
		Keys(kb.ArrowRight), Sees("Yard camera is pinned at 10.48.16.24."),
		Settled, Keys(kb.ArrowLeft), Sees("Yard camera is pinned at 10.48.16.21."),
	)
}

// Through two routers in a row one pull makes both forwards.
func TestPullThroughTwoRouters(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/flat/addresses"), Press("Suggest 3 pins"), Press("Take 3 pins"), Sees("3 of 3 pinned"), Press("Ports"), Wait(`document.querySelector("[data-foot='media.web']")`), Settled,
		Drag("[data-foot='media.web'] circle", `(() => { const r = document.querySelector("[data-threads]").getBoundingClientRect(); return [r.x + 60, r.y + 120] })()`), Sees("is open at 8443"), Sees("1 of 3 open"),
		Wait(`document.querySelectorAll("[data-thread]").length === 1`), Wait(`document.querySelectorAll("[data-band]").length === 2`), Wait(`document.querySelector("[data-thread]").getAttribute("aria-label").includes("Media cupboard library")`),
		Fill("Outside port to follow", "8443"), Press("Follow it"), Wait(`document.querySelectorAll("[data-fate=forwarded] li").length === 4`), Sees("Media cupboard, 10.48.20.12:8443"),
		Press("Put in place"), Sees("Provider's box"), Sees("10.77.0.20"),
	)
}
