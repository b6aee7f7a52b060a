package e2e

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

var views = []string{"/", "/s/pottery/survey?pick=device:kiln", "/s/pottery/survey?pick=device:decoder", "/s/pottery/addresses?pick=device:label", "/s/pottery/ports?pick=service:door.sip", "/s/pottery/place", "/s/flat/ports", "/s/none/survey"}

// faults runs axe-core on what is shown, or on the dialog that is open, and gives all that it finds. A name
// may say in full what is cut off with "…" where there is no room.
func faults(t *testing.T, ctx context.Context) []string {
	t.Helper()
	axe, err := os.ReadFile("../web/node_modules/axe-core/axe.min.js")
	if err != nil {
		t.Fatal(err)
	}
	do(t, ctx, Settled, chromedp.Evaluate[chromedp.Void](string(axe)+";0"))
	found, err := chromedp.Run(ctx, chromedp.Evaluate[[]string](`axe.run(document.querySelector("[role$=dialog]") || document).then((r) => r.violations
		.flatMap((v) => v.nodes.filter((n) => v.id !== "label-content-name-mismatch" || !document.querySelector(n.target[0])?.textContent.includes("…")).slice(0, 3).map((n) => v.impact + " " + v.id + ": " + n.html.slice(0, 160) + " " + (n.any[0]?.message || n.all[0]?.message || n.none[0]?.message || "").slice(0, 200))))`, chromedp.EvalAwaitPromise))
	if err != nil {
		t.Fatal(err)
	}
	return found
}

// TestNoFaultForAssistiveTools runs axe-core on every view in both themes, at a desk and on a phone.
func TestNoFaultForAssistiveTools(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey"), Press("Sweep the LAN"), Wait(sweepEnded), Sees("differences"))
	for _, mode := range []string{"light", "dark"} {
		for _, size := range [][2]int64{{1280, 800}, {390, 844}} {
			do(t, ctx, chromedp.EmulateViewport(size[0], size[1]), chromedp.Navigate(p.URL+"/"), chromedp.Evaluate[chromedp.Void](fmt.Sprintf("localStorage.setItem('vestpin-mode', %q)", mode)))
			for _, path := range append(slices.Clone(views), "/s/pottery/checks") {
				do(t, ctx, chromedp.Navigate(p.URL+path), Wait(`document.querySelector("main h1")`))
				for _, f := range faults(t, ctx) {
					t.Errorf("%s, %s, %d wide: %s", path, mode, size[0], f)
				}
			}
		}
	}
}

// TestTwoWindows holds that one window sees what the other does, that edits which
// do not touch both go through, and that one of two that do touch is refused.
func TestTwoWindows(t *testing.T) {
	p, ctx := demo(t), open(t)
	other, end, err := Tab(ctx)
	defer end()
	if err != nil {
		t.Fatal(err)
	}
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:till"), Sees("Till"))
	do(t, other, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:rec"), Sees("Gallery recorder"))
	do(t, ctx, Fill("Place", "counter"), Keys("\r"), Wait(`document.querySelector("[data-device=till]").innerText.includes("counter")`))
	do(t, other, Wait(`document.querySelector("[data-device=till]").innerText.includes("counter")`))
	// The other window is kept from hearing of the next change, then edits.
	do(t, other, deaf)
	do(t, ctx, Fill("Place", "back room"), Keys("\r"), Wait(`document.querySelector("[data-device=till]").innerText.includes("back room")`))
	do(t, other, Fill("Place", "loft"), Keys("\r"), Wait(`document.querySelector("[data-device=rec]").innerText.includes("loft")`), Sees("Done elsewhere meanwhile"), hearing)
	do(t, ctx, Wait(`document.querySelector("[data-device=rec]").innerText.includes("loft")`), Wait(`document.querySelector("[data-device=till]").innerText.includes("back room")`))
}

// TestNamesAreData holds that no name becomes markup, and that long and foreign
// ones leave the page usable.
func TestNamesAreData(t *testing.T) {
	p, ctx := serve(t), open(t)
	names := []string{`<img src=x onerror="window.broken=1">`, "line\nbreak # and 'quotes' \"double\"", "مسجل المعرض", "📷 " + strings.Repeat("very long ", 18), "=1+1"}
	var devices []string
	for i, n := range names {
		devices = append(devices, fmt.Sprintf(`{"id":"n%d","name":%s,"interfaces":[{"id":"n%d.0","network":"main","mac":"00:00:5e:00:53:0%d","pin":{"address":"10.48.16.%d","by":"reservation"}}]}`, i, quote(n), i, i, 20+i*2))
	}
	file := fmt.Sprintf(`{"format":"vestpin-site/1","name":%s,"networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1"}],"routers":[{"id":"edge","network":"main"}],"devices":[%s]}`, quote(names[0]), strings.Join(devices, ","))
	do(t, ctx, chromedp.Navigate(p.URL), Sees("No site yet"),
		chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`fetch("/api/sites/import", {method: "POST", headers: {"Content-Type": "application/json"}, body: %s}).then((r) => r.json()).then((s) => { window.made = s.id })`, quote(file))),
		Wait("Boolean(window.made)"))
	id := ask[string](t, ctx, "window.made")
	for _, station := range []string{"survey", "addresses", "ports", "place"} {
		do(t, ctx, chromedp.Navigate(p.URL+"/s/"+id+"/"+station+"?pick=device:n3"), Wait(`Boolean(document.querySelector("main"))`), Settled)
		if ask[bool](t, ctx, "window.broken === 1 || Boolean(document.querySelector('img'))") {
			t.Errorf("%s: a name became markup", station)
		}
		if wide := ask[int](t, ctx, "document.documentElement.scrollWidth"); wide > 1280 {
			t.Errorf("%s is %d pixels wide", station, wide)
		}
	}
}

func quote(text string) string {
	r := strings.NewReplacer(`\`, `\\`, `"`, `\"`, "\n", `\n`)
	return `"` + r.Replace(text) + `"`
}

// TestDialogsHaveNoFault runs axe-core on what opens over the views, in both themes.
func TestDialogsHaveNoFault(t *testing.T) {
	p, ctx := demo(t), open(t)
	opens := map[string][]Step{
		"new site":      {chromedp.Navigate(p.URL), Press("New site"), Press("Type"), Press("Make the site"), Sees("Give the site a name")},
		"find":          {chromedp.Navigate(p.URL + "/s/pottery/survey"), Press("Find a device"), Fill("Find a device", "cam"), Wait(`document.querySelector("[role=dialog] [role=option]")`)},
		"keys":          {chromedp.Navigate(p.URL + "/s/pottery/survey"), Press("Help: all keys"), Wait(`document.querySelector("[role$=dialog]")`)},
		"network":       {chromedp.Navigate(p.URL + "/s/pottery/survey"), Press("10.48.16.0/24"), Wait(`document.querySelector("[role$=dialog]")`)},
		"router":        {chromedp.Navigate(p.URL + "/s/pottery/survey"), Press("Hall cupboard router"), Wait(`document.querySelector("[role$=dialog]")`)},
		"service":       {chromedp.Navigate(p.URL + "/s/pottery/ports"), Press("Add a service"), Wait(`document.querySelector("[role$=dialog]")`)},
		"makers":        {chromedp.Navigate(p.URL + "/s/pottery/survey"), Press("Makers"), Sees("Your own list")},
		"sketch":        {chromedp.Navigate(p.URL + "/s/pottery/survey?pick=device:yard"), Press("Sketch"), Wait(`document.querySelector("[data-sketch]")`)},
		"several":       {chromedp.Navigate(p.URL + "/s/pottery/survey"), rows(19), Press("Sweep options"), click(`[data-device=yard] input`), Sees("1 chosen")},
		"sweep":         {chromedp.Navigate(p.URL + "/s/flat/survey"), Press("Sweep the LAN"), Wait(`document.querySelector("[data-live]")`)},
		"preview":       {chromedp.Navigate(p.URL + "/s/pottery/survey"), Press("Type or paste text"), SetText("Text to read", leases), Press("Read this"), Sees("3 sightings")},
		"ghosts":        {chromedp.Navigate(p.URL + "/s/pottery/addresses"), Press("Suggest 3 pins"), Wait(`document.querySelector("[data-mark$=suggested]")`)},
		"files":         {chromedp.Navigate(p.URL + "/s/pottery/place"), Press("Save as a file"), Sees("a hosts file of everything that is pinned")},
		"found here":    {chromedp.Navigate(p.URL), Press("New site"), Sees("Make a site of it")},
		"copy":          {chromedp.Navigate(p.URL), Press("Copy Saltmarsh Pottery"), Sees("Make the copy")},
		"added network": {chromedp.Navigate(p.URL + "/s/pottery/survey"), Press("More networks"), Press("Add a network"), Wait(`document.querySelector("[role$=dialog]")`)},
		"modem":         {chromedp.Navigate(p.URL + "/s/pottery/survey"), Press("More networks"), Press("Add the modem"), Sees("Address of its page")},
		"taken":         {chromedp.Navigate(p.URL + "/s/pottery/addresses?pick=interface:till.0"), Fill("The last number", "44"), Keys(kb.Enter), Sees("is not free")},
		"in the way":    {chromedp.Navigate(p.URL + "/s/pottery/ports?pick=service:yard.web"), Fill("Move it to outside port", "554"), Press("Open at 554"), Sees("is not free")},
		"columns":       {chromedp.Navigate(p.URL + "/s/pottery/survey"), rows(19), Press("Choose the columns"), Wait(`document.querySelector("[role=menuitemcheckbox]")`)},
		"refused":       {chromedp.Navigate(p.URL + "/s/pottery/survey?pick=device:till"), card("Till"), Fill("MAC address", "00:00"), Keys(kb.Enter), Sees("it has to be a MAC address")},
		"groups":        {chromedp.Navigate(p.URL + "/s/works/survey"), click("[data-group=open-but-loose] button"), Wait(`document.querySelector("[data-group=open-but-loose] [data-snag]")`)},
		"ghost threads": {chromedp.Navigate(p.URL + "/s/pottery/ports"), Press("Suggest ports"), Wait(`document.querySelector("[data-ghost]")`)},
		"equip":         {chromedp.Navigate(p.URL + "/s/pottery/ports?pick=device:pc"), Press("Equip"), Sees("work on its desktop"), TabTo("work on its desktop"), Keys(" "), Sees("never open to the whole internet")},
		"listed":        {chromedp.Navigate(p.URL + "/s/pottery/ports?pick=device:rec"), Press("Equip"), Press("By what it answers on"), SetText("Paste what", "HTTP port: 8081\nsomething 12 and 7"), Sees("line 2:")},
		"link":          {chromedp.Navigate(p.URL + "/s/pottery/ports"), Press("Link with another site"), Sees("It needs a forward")},
		"router's page": {chromedp.Navigate(p.URL + "/s/pottery/ports"), Press("Compare with the router"), SetText("Its forwarding page", heldPage), Press("Read this"), Sees("3 forwards that a router holds")},
		"kinds":         {chromedp.Navigate(p.URL), Press("More:"), Press("Kinds of device"), Sees("video recorder")},
		"lost":          {chromedp.Navigate(p.URL + "/s/pottery/cellar"), Sees("no such page")},
	}
	for _, mode := range []string{"light", "dark"} {
		do(t, ctx, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(p.URL), chromedp.Evaluate[chromedp.Void](fmt.Sprintf("localStorage.setItem('vestpin-mode', %q)", mode)))
		for name, steps := range opens {
			do(t, ctx, steps...)
			for _, f := range faults(t, ctx) {
				t.Errorf("%s, %s: %s", name, mode, f)
			}
			do(t, ctx, chromedp.EmulateViewport(390, 844))
			for _, f := range faults(t, ctx) {
				t.Errorf("%s, %s, on a phone: %s", name, mode, f)
			}
			do(t, ctx, chromedp.EmulateViewport(1280, 800))
		}
	}
}
