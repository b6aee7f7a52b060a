// Package e2e drives the whole program as a user does.
package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

const binary = "../bin/vestpin"

// start runs the program for a test and gives its address.
func start(t *testing.T, args ...string) *Program {
	t.Helper()
	if !Installed() {
		if os.Getenv("VESTPIN_BROWSER") == "require" {
			t.Fatal("there is no browser, and VESTPIN_BROWSER=require asks for one")
		}
		t.Skip("needs " + Browser)
	}
	p, err := Start(binary, args...)
	if err != nil {
		t.Fatalf("%v (make build makes the program)", err)
	}
	t.Cleanup(func() {
		if p.Stop() != nil {
			p.Kill()
		}
	})
	return p
}

func serve(t *testing.T) *Program {
	return start(t, "serve", "--addr", "127.0.0.1:0", "--db", filepath.Join(t.TempDir(), "v.db"))
}

func demo(t *testing.T) *Program { return start(t, "demo", "--addr", "127.0.0.1:0") }

func open(t *testing.T) context.Context {
	t.Helper()
	ctx, end, err := Open(1280, 800)
	t.Cleanup(end)
	if err != nil {
		t.Fatal(err)
	}
	return ctx
}

// do runs steps and shows the page where they fail.
func do(t *testing.T, ctx context.Context, steps ...Step) {
	t.Helper()
	limited, cancel := context.WithTimeout(ctx, 90*time.Second)
	defer cancel()
	if err := chromedp.Do(limited, steps...); err != nil {
		text, _ := chromedp.Run(ctx, chromedp.Evaluate[string](`location.href + "\n" + document.body.innerText`))
		if png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot()); err == nil {
			os.WriteFile(filepath.Join(os.TempDir(), strings.ReplaceAll(t.Name(), "/", "-")+".png"), png, 0o644)
		}
		t.Fatalf("%v\nThe page shows:\n%s", err, text)
	}
}

func ask[T any](t *testing.T, ctx context.Context, expression string) T {
	t.Helper()
	v, err := chromedp.Run(ctx, chromedp.Evaluate[T](expression))
	if err != nil {
		t.Fatalf("%s: %v", expression, err)
	}
	return v
}

const leases = `1795431600 00:00:5e:00:53:21 10.48.16.112 gallery-recorder *
1795431712 00:00:5e:00:53:22 10.48.16.113 cam-22 *
1795431713 00:00:5e:00:53:23 10.48.16.114 * *
nothing that anybody knows
`

func TestFromAnEmptySiteToAPrintedSheetByMouse(t *testing.T) {
	p, ctx := serve(t), open(t)
	device := func(mac string) string { return "d-" + strings.ReplaceAll(mac, ":", "") }
	recorder := device("00:00:5e:00:53:21")
	do(t, ctx,
		chromedp.Navigate(p.URL), Sees("No site yet"), Press("New site"), Press("Type"),
		Fill("Name", "Tidemill Dairy"), Fill("Subnet", "10.48.16.9 255.255.255.0"), Fill("Gateway", "10.48.17.1"), Fill("DHCP range", ".179-.100"), Press("Make the site"),
		Sees("Want an address between 10.48.16.1 and 10.48.16.254"), Sees("did you mean"),
		Fill("Gateway", ".1"), Fill("DHCP range", ".100-.179"), Press("Make the site"),
		Sees("Nothing found yet"), Sees("10.48.16.0/24"),
		// Survey: what was understood is shown before it is taken.
		Press("Type or paste text"), SetText("Text to read", leases), Press("Read this"),
		Sees("3 sightings"), Sees("1 line not understood"), Press("Take 3 new devices"), Sees("3 found, 1 unnamed"),
	)
	// The row of the unnamed device is picked by a click, then named.
	do(t, ctx,
		click(`[data-device$='5323']`), Sees("unnamed 00:00:5e:00:53:23"), Fill("Name", "Yard camera"), Keys(kb.Enter), Sees("3 found"),
		Wait(`!document.body.innerText.includes("unnamed")`), Fill("Kind", "camera"), Keys(kb.Enter), Wait(`document.querySelector("[data-device$='5323']").innerText.includes("camera")`),
		// Addresses: drag the recorder's ring to .20.
		Press("Addresses"), Wait(`Boolean(document.querySelector("[data-tape]"))`),
		Drag(fmt.Sprintf("[data-mark='%s.0'] rect", recorder), addressPoint(20)),
		Sees("is pinned at 10.48.16.20"), Sees("1 of 1 pinned"),
	)
	do(t, ctx,
		// Type the last number of another.
		click(`[data-row$='5322.0']`), Wait(`document.querySelector("aside h2").innerText === "cam-22"`), Fill("The last number", "21"), Keys(kb.Enter), Sees("is pinned at 10.48.16.21"),
		Press("both"), Wait(`document.querySelector("[data-row$='5322.0']").innerText.includes("both")`),
		// Ports: two web pages, one pulled to the outside, one suggested.
		Press("Ports"), Sees("No services yet"),
		Press("Add a service"), Choose("Device", recorder+".0"), Press("Add the service"), Sees("0 of 1 open"),
		Drag("[data-foot] circle", `(() => { const r = document.querySelector("[data-threads]").getBoundingClientRect(); return [r.x + 60, r.y + 80] })()`),
		Sees("is open at 80"), Sees("1 of 1 open"),
		Press("Add a service"), Choose("Device", device("00:00:5e:00:53:22")+".0"), Press("Add the service"), Sees("1 of 2 open"),
		Press("Suggest ports"), Sees("is reached at 8021"), Press("Take 1 change"), Sees("2 of 2 open"),
		// Where a packet goes.
		Fill("Outside port to follow", "8021"), Press("Follow it"), Sees("cam-22, 10.48.16.21:80"),
		// Put in place.
		Press("Put in place"), Sees("At the router: reserve addresses"), Sees("8021"),
		Press("Done: gallery-recorder"), Sees("1 of 8 steps"),
		Press("IP 10.48.16.20, copy"), Wait(`document.activeElement.matches("[data-value]") && document.activeElement.getAttribute("aria-label").endsWith("cam-22")`),
	)
	pdf, err := chromedp.Run(ctx, chromedp.PrintToPDF(chromedp.PDFPreferCSSPageSize()))
	if pages := len(regexp.MustCompile(`/Type\s*/Page\b`).FindAll(pdf, -1)); err != nil || pages < 1 || pages > 2 {
		t.Errorf("the sheet takes %d pages of paper, %v", pages, err)
	}
	// A step whose values changed after it was ticked is to be done again; undo brings the tick back.
	do(t, ctx,
		Press("Addresses"), Wait(`document.querySelector("[data-row]")`), click(fmt.Sprintf(`[data-row='%s.0']`, recorder)), Wait(`document.querySelector("aside h2").innerText === "gallery-recorder"`),
		Fill("The last number", "25"), Keys(kb.Enter), Sees("is pinned at 10.48.16.25"),
		Press("Put in place"), Sees("do it again: it was IP 10.48.16.20"), Sees("0 of 8 steps"),
		Press("Undo"), Sees("1 of 8 steps"),
	)
	// Everything is there again after a restart, and can still be undone.
	if n := ask[int](t, ctx, `document.querySelectorAll("[data-step]").length`); n != 8 {
		t.Errorf("%d steps on the sheet, want 8", n)
	}
}

// addressPoint is where an address of the first length lies on the tape.
func addressPoint(n int) string {
	return fmt.Sprintf(`(() => { const r = document.querySelector("[data-tape]").getBoundingClientRect(); return [r.x + 12 + (r.width - 24) / 56 * (%d + 0.5), r.y + 50] })()`, n)
}

func TestFromAnEmptySiteToTheSheetByKeyboardAlone(t *testing.T) {
	p, ctx := serve(t), open(t)
	do(t, ctx,
		chromedp.Navigate(p.URL), Sees("No site yet"),
		TabTo("New site"), Keys(kb.Enter), Wait(`document.activeElement.matches("[role=dialog] input")`),
		Keys("Tidemill Dairy"), Keys(kb.Tab), Keys(kb.End), TabTo("Subnet"), Keys("10.48.16.0/24"), Keys(kb.Tab), Keys(".1"), Keys(kb.Tab), Keys(".100-.179"), Keys(kb.Enter),
		Sees("Nothing found yet"),
		TabTo("Type or paste text"), Keys(kb.Enter), Wait(`document.activeElement.matches("textarea")`),
		Keys("10.48.16.112 dev eth0 lladdr 00:00:5e:00:53:21 STALE"), Keys(kb.Tab), Keys(kb.Enter),
		Sees("1 sighting"), TabTo("Take 1 new device"), Keys(kb.Enter), Sees("1 found, 1 unnamed"),
		// Name it in its row.
		chromedp.Evaluate[chromedp.Void]("document.activeElement.blur()"), Keys(kb.ArrowDown), Wait(`document.querySelector("[aria-selected=true]")`), Keys(kb.Enter),
		Wait(`document.activeElement.matches("[data-device] input[type=text]")`), Keys("Recorder"), Keys(kb.Enter), Sees("1 found"), Wait(`!document.body.innerText.includes("unnamed")`),
		// A service, opened.
		Keys(kb.Escape), Keys("3"), Sees("No services yet"), TabTo("Add a service"), Keys(kb.Enter), Wait(`document.activeElement.matches("[role=dialog] select")`), Keys(kb.Tab), Keys("web page"), Keys(kb.Enter),
		Sees("0 of 1 open"),
		// An address: suggested and taken, moved on by an arrow, typed, taken back.
		Keys("2"), Wait(`Boolean(document.querySelector("[data-tape]"))`), Keys(kb.Escape), Wait(`!location.search.includes("pick")`), Keys("s"), Wait(`document.querySelector("[data-mark$=suggested]")`), TabTo("Take 1 pin"), Keys(kb.Enter), Sees("1 pin taken"), Sees("1 of 1 pinned"),
		Keys(kb.ArrowDown), Wait(`Boolean(document.querySelector("[data-last-number]"))`), Settled, Keys(kb.ArrowRight), Sees("is pinned at 10.48.16.3"),
		TabTo("Addresses in rows"), Keys("40"), Keys(kb.Enter), Sees("is pinned at 10.48.16.40"), Ctrl("z"), Sees("Taken back"), Wait(`document.querySelector("[data-row]").innerText.includes(".3")`),
		// Its port, by the key for suggestions.
		Keys(kb.Escape), Keys("3"), Sees("Suggest ports"), Keys("s"), Sees("the same port outside as on the device"), Keys(kb.ArrowDown), Wait(`location.search.includes("pick=service")`), Keys(kb.Enter), Sees("1 of 1 open"),
		// The sheet: copy a value and go on, tick.
		Keys("4"), Sees("forward ports"), TabTo("Name recorder"), Keys(kb.Enter), Wait(`document.activeElement.getAttribute("aria-label").startsWith("MAC")`),
		Keys(" "), Sees("1 of 5 steps"),
		// Find, help, and the next snag.
		Keys("/"), Wait(`document.activeElement.matches("[role=dialog] input")`), Keys("53:21"), Sees("Recorder"), Keys(kb.Enter), Wait(`location.pathname.endsWith("/addresses")`),
		Keys("?"), Sees("Go to the next snag"), Keys(kb.Escape), Wait(`!document.querySelector("[role$=dialog]")`),
		Keys("n"), Wait(`location.search.includes("pick=")`),
	)
}
