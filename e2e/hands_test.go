package e2e

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// opened are dialogs and what leads to them.
func opened(url string) map[string][]Step {
	return map[string][]Step{
		"new site":      {chromedp.Navigate(url), Press("New site"), Press("Type"), Press("Make the site"), Sees("Give the site a name")},
		"find":          {chromedp.Navigate(url + "/s/pottery/survey"), Press("Find a device"), Fill("Find a device", "cam"), Wait(`document.querySelector("[role=dialog] [role=option]")`)},
		"keys":          {chromedp.Navigate(url + "/s/pottery/survey"), Press("Help: all keys"), Sees("Take the first mend")},
		"network":       {chromedp.Navigate(url + "/s/pottery/survey"), Press("10.48.16.0/24"), Sees("Gateway")},
		"router":        {chromedp.Navigate(url + "/s/pottery/survey"), Press("Hall cupboard router"), Sees("Stands behind")},
		"service":       {chromedp.Navigate(url + "/s/pottery/ports"), Press("Add a service"), Wait(`document.querySelector("[role$=dialog]")`)},
		"link":          {chromedp.Navigate(url + "/s/pottery/ports"), Press("Link with another site"), Sees("It needs a forward")},
		"makers":        {chromedp.Navigate(url + "/s/pottery/survey"), Press("Makers"), Sees("Your own list")},
		"equip":         {chromedp.Navigate(url + "/s/pottery/ports?pick=device:pc"), Press("Equip"), Sees("work on its desktop")},
		"router's page": {chromedp.Navigate(url + "/s/pottery/ports"), Press("Compare with the router"), SetText("Its forwarding page", heldPage), Press("Read this"), Sees("3 forwards that a router holds")},
		"kinds":         {chromedp.Navigate(url), Press("More:"), Press("Kinds of device"), Sees("video recorder")},
		"copy":          {chromedp.Navigate(url), Press("Copy Saltmarsh Pottery"), Sees("Make the copy")},
	}
}

// tap presses an element and lets it go there.
func tap(selector string) Step {
	return Drag(selector, fmt.Sprintf(`(() => { const r = document.querySelector(%q).getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2] })()`, selector))
}

// closeSheet lets go of what is picked by the button of its sheet: a note that is shown has one to close too.
var closeSheet = chromedp.Steps(
	Wait(`(() => { const b = [...document.querySelectorAll("[data-inspector] button")].find((b) => b.innerText.trim() === "Close"); b?.click(); return Boolean(b) })()`),
	Wait(`!location.search.includes("pick")`))

// unfit lists what a hand or an eye cannot use: controls lower or narrower than so many pixels, or out of
// the window where nothing scrolls to them, and texts under 11 px.
func unfit(t *testing.T, ctx context.Context, low int) []string {
	t.Helper()
	return ask[[]string](t, ctx, fmt.Sprintf(`(() => {
		const box = document.querySelector("[role$=dialog]") || document;
		const shown = (e) => { const r = e.getBoundingClientRect(); return r.width > 2 && r.height > 2 && getComputedStyle(e).visibility !== "hidden" };
		const called = (e) => (e.getAttribute("aria-label") || e.innerText || e.value || e.tagName).trim().slice(0, 40);
		const scrolls = (e) => { for (let p = e.parentElement; p && p !== document.body; p = p.parentElement) if (/auto|scroll/.test(getComputedStyle(p).overflowX) && p.scrollWidth > p.clientWidth) return true; return false };
		const out = [];
		for (const e of box.querySelectorAll("a[href], button, input, select, textarea")) {
			if (e.disabled || !shown(e) || e.closest("svg")) continue;
			const r = e.getBoundingClientRect(), l = (e.closest("label") || e).getBoundingClientRect();
			if (Math.max(r.height, l.height) < %d || Math.max(r.width, l.width) < Math.min(%d, 44)) out.push("small: " + called(e));
			if ((r.right > innerWidth + 1 || r.left < -1) && !scrolls(e)) out.push("out of the window: " + called(e));
		}
		for (const e of box.querySelectorAll("*")) {
			const text = [...e.childNodes].some((n) => n.nodeType === 3 && n.data.trim());
			if (text && shown(e) && parseFloat(getComputedStyle(e).fontSize) < 11) out.push("tiny: " + e.textContent.trim().slice(0, 40));
		}
		return out;
	})()`, low, low))
}

// On a phone, and at a desk zoomed to 200 %, everything is as large as a finger, in the window and legible, in
// every view and dialog.
func TestFitsTheHand(t *testing.T) {
	p, ctx := demo(t), open(t)
	for _, size := range [][2]int64{{390, 844}, {640, 400}, {1280, 800}} {
		low := 44
		if size[0] > 860 {
			low = 17 // links within a text; what is pressed has 24
		}
		do(t, ctx, chromedp.EmulateViewport(size[0], size[1]))
		for _, path := range append(slices.Clone(views), "/s/pottery/checks") {
			do(t, ctx, chromedp.Navigate(p.URL+path), Wait(`document.querySelector("main h1")`), Settled)
			for _, f := range unfit(t, ctx, low) {
				t.Errorf("%d wide, %s: %s", size[0], path, f)
			}
		}
		all := opened(p.URL)
		if size[0] > 860 {
			all = nil // they are as wide as on half a window
		}
		for _, name := range slices.Sorted(maps.Keys(all)) {
			do(t, ctx, all[name]...)
			do(t, ctx, Settled)
			for _, f := range unfit(t, ctx, low) {
				t.Errorf("%d wide, %s: %s", size[0], name, f)
			}
		}
	}
}

// The job of each station is done on a phone, from the list of sites to the check.
func TestJobsOnAPhone(t *testing.T) {
	p, ctx := demo(t), open(t)
	station := func(name string) Step {
		return chromedp.Steps(Wait(fmt.Sprintf(`document.querySelector("nav a[href*=%s]")`, name)), chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`document.querySelector("nav a[href*=%s]").click()`, name)),
			Wait(fmt.Sprintf(`location.pathname.endsWith("/%s") && document.querySelector("main h1")`, name)), Settled)
	}
	do(t, ctx, chromedp.EmulateViewport(390, 844), chromedp.Navigate(p.URL), Press("Saltmarsh Pottery"), rows(19),
		// Survey: a pasted list is read and taken, and a device is given its place.
		Press("Type or paste text"), SetText("Text to read", leases), Press("Read this"), Sees("3 sightings"), Press("Take"), Sees("Taken in"),
		click("[data-device=till]"), card("Till"), Fill("Place", "counter"), Keys(kb.Enter), Wait(`[...document.querySelector("[aria-label='Place to show']").options].some((o) => o.value === "counter")`), closeSheet,
		// Ports: a service is opened at a port.
		station("ports"), Wait(`document.querySelector("[data-foot='yard.web']")`), Settled, tap("[data-foot='yard.web'] circle"), Wait(`location.search.includes("yard.web")`), Fill("Move it to outside port", "8099"), Press("Open at 8099"), Wait(`document.body.innerText.includes("8099")`), closeSheet,
		// Put in place: the first step that is open is ticked.
		station("place"), Wait(`window.step = [...document.querySelectorAll("[data-step]")].find((s) => s.querySelector("[data-tick][aria-checked=false]"))?.dataset.step`),
		chromedp.Evaluate[chromedp.Void]("document.querySelector(`[data-step='${window.step}'] [data-tick]`).click()"), Wait("document.querySelector(`[data-step='${window.step}']`)?.dataset.state === 'done'"),
		// Checks: everything is tried.
		station("checks"), Press("Check all"), Wait(`document.querySelector("[aria-label=Asked]")`))
}

// A table and the sheet are one stop of the Tab key each, and everything inside is reached by arrows.
func TestArrowsReachEverything(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL), take(t, manySite(400)))
	for _, at := range []string{"survey", "addresses", "ports", "place", "checks"} {
		do(t, ctx, chromedp.Navigate(p.URL+"/s/far-reach-farm/"+at), Wait(`document.querySelector("main h1")`), Settled)
		if n := ask[int](t, ctx, `[...document.querySelectorAll("a[href], button, input, select, textarea, [tabindex]")].filter((e) => e.tabIndex >= 0 && !e.disabled && e.getBoundingClientRect().width > 0).length`); n > 60 {
			t.Errorf("%s has %d stops of the Tab key", at, n)
		}
	}
	focus := func(selector string) Step {
		return chromedp.Steps(Wait(fmt.Sprintf(`document.querySelector(%q)`, selector)), chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`document.querySelector(%q).focus()`, selector)))
	}
	shift := func(key string) Step { return chromedp.KeyEvent(key, chromedp.KeyModifiers(kb.ModifierShift)) }
	width := `Math.round(document.activeElement.closest("[role=columnheader]").getBoundingClientRect().width)`
	do(t, ctx, chromedp.Navigate(p.URL+"/s/far-reach-farm/survey"), rows(400), focus("[role=grid]"), Keys(kb.ArrowDown), Wait(`document.querySelector("[data-device=d0][aria-selected=true]")`),
		Keys(kb.ArrowUp), Wait(`document.activeElement.matches("[data-head]")`), Keys(kb.ArrowRight), Wait(`document.activeElement.dataset.head`))
	before := ask[int](t, ctx, width)
	do(t, ctx, shift(kb.ArrowRight), Wait(fmt.Sprintf(`%s === %d`, width, before+16)), shift(kb.ArrowLeft), Wait(fmt.Sprintf(`%s === %d`, width, before)),
		Keys(kb.Enter), Wait(`document.querySelector("[role=columnheader][aria-sort=ascending]")`), Keys(kb.ArrowDown), Wait(`document.activeElement.matches("[role=grid]")`),
		Ctrl("a"), Sees("400 chosen"), Ctrl("a"), Wait(`!document.body.innerText.includes("400 chosen")`))
	// Groups: Left goes to the heading, Left and Right fold and unfold it, Right goes on to what it offers.
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey"), Press("Sweep the LAN"), Wait(sweepEnded), Wait(`document.querySelector("[data-rowgroup=gone]")`), Settled,
		focus("[role=grid]"), Keys(kb.Home), Keys(kb.ArrowDown), Keys(kb.ArrowLeft), Wait(`document.activeElement.matches(".group-title")`), Keys(kb.ArrowLeft), Wait(`document.activeElement.getAttribute("aria-expanded") === "false"`),
		Keys(kb.ArrowRight), Wait(`document.activeElement.getAttribute("aria-expanded") === "true"`),
		focus("[data-rowgroup=gone] button"), Keys(kb.ArrowRight), Wait(`document.activeElement.innerText === "Ask again"`), Keys(kb.ArrowDown), Wait(`document.activeElement.matches("[role=grid]")`))
	// The sheet: along and down, to its end and back; the space bar ticks.
	do(t, ctx, chromedp.Navigate(p.URL+"/s/far-reach-farm/place"), Wait(`document.querySelector("[data-step] [tabindex='0']")`), Settled, focus("[data-step] [tabindex='0']"),
		Keys(kb.End), Wait(`document.querySelector("[data-sheet] li:last-child").contains(document.activeElement)`), Keys(kb.Home), Wait(`document.querySelector("[data-sheet] [data-step]").contains(document.activeElement)`),
		Keys(kb.ArrowRight), Wait(`document.activeElement.dataset.at === "1"`), Keys(kb.ArrowDown), Wait(`document.activeElement.dataset.at === "0" && document.querySelectorAll("[data-sheet] [data-step]")[1].contains(document.activeElement)`),
		Keys(kb.ArrowLeft), Wait(`document.activeElement.dataset.at === "-1"`), Keys(" "), Wait(`document.activeElement.getAttribute("aria-checked") === "true"`))
	// Keys of one sign are switched off, and on again.
	do(t, ctx, Press("Help: all keys"), click("[role$=dialog] label"), Keys(kb.Escape), Wait(`!document.querySelector("[role$=dialog]")`), chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), Keys("1"), Settled)
	if at := ask[string](t, ctx, "location.pathname"); at != "/s/far-reach-farm/place" {
		t.Errorf("switched off, 1 leads to %s", at)
	}
	do(t, ctx, Press("Help: all keys"), click("[role$=dialog] label"), Keys(kb.Escape), Wait(`!document.querySelector("[role$=dialog]")`), chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), Keys("1"), Wait(`location.pathname.endsWith("/survey")`))
}
