package e2e

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// click clicks the element that a selector finds.
func click(selector string) Step {
	return Wait(`(() => { const e = document.querySelector("` + selector + `"); e?.dispatchEvent(new MouseEvent("click", {bubbles: true})); return Boolean(e); })()`)
}

// file puts a file into the file field with that label.
func file(t *testing.T, label, name, text string) Step {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	return chromedp.SetUploadFiles(chromedp.CSS(`input[type=file][aria-label="`+label+`"]`), []string{path}, chromedp.NodeReady)
}

func TestSiteFilesComeAndGo(t *testing.T) {
	p, ctx := demo(t), open(t)
	whole, err := os.ReadFile("../demo/sites/pottery.json")
	if err != nil {
		t.Fatal(err)
	}
	do(t, ctx, chromedp.Navigate(p.URL), Sees("Saltmarsh Pottery"),
		file(t, "Site file", "half.json", string(whole[:len(whole)/2])), Sees("half.json: $: want whole JSON"), Press("Close this note"),
		file(t, "Site file", "stray.json", strings.Replace(string(whole), `"rank": 1`, `"rang": 1`, 1)), Sees("$.devices[2].rang"), Press("Close this note"),
		file(t, "Site file", "picture.json", "\x89PNG\x00\x01"), Sees("picture.json"), Press("Close this note"),
		Wait(`document.querySelectorAll("[data-site]").length === 4`),
		file(t, "Site file", "whole.json", string(whole)), Sees("There is a site of that name"), Press("Keep both"), Wait(`location.pathname === "/s/saltmarsh-pottery/survey"`), rows(19),
	)
	saved := ask[string](t, ctx, `(() => { const r = new XMLHttpRequest(); r.open("GET", "/api/sites/saltmarsh-pottery/file", false); r.send(); return r.getResponseHeader("Content-Disposition") + r.responseText })()`)
	if !strings.HasPrefix(saved, `attachment; filename="saltmarsh-pottery.json"{`) || !strings.Contains(saved, `"vestpin-site/1"`) {
		t.Errorf("saved %.200s", saved)
	}
}

func TestSnagsArePickedAndMended(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses"), Sees("5 snags"),
		// A click on what a snag says picks what it is about.
		click("[data-snag=device-set-in-range] button"), Wait(`document.querySelector("aside h2").innerText === "Label printer"`), Sees("Snags here"),
		// Its first mend by key, then undone.
		Keys("f"), Sees("Move Label printer to 10.48.16.72: done."), Wait(`!document.querySelector("[data-snag=device-set-in-range]")`), Ctrl("z"), Wait(`document.querySelector("[data-snag=device-set-in-range]")`),
		// A mend with several edits, by its button.
		Press("Keep Door entry calls (SIP) inside"), Sees("4 snags"), Wait(`!document.querySelector("[data-snag=outside-clash]")`),
		Press("Ports"), Wait(`document.querySelector("[data-foot='door.sip']").getAttribute("aria-label").endsWith("stays inside")`), Wait(`!document.querySelector("[data-thread=f6]")`),
		Press("Undo"), Sees("5 snags"), Wait(`document.querySelector("[data-thread=f6]")`),
		Press("Redo"), Sees("4 snags"),
	)
}

func TestAskTheNetwork(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses?pick=interface:yard.0"), Press("Ask the network who is at 10.48.16.21"), Sees("This device: answered ARP probe 1 of 3"),
		chromedp.Navigate(p.URL+"/s/pottery/addresses?pick=interface:decoder.0"), Press("Ask the network who is at 10.48.16.90"), Sees("00:00:5e:00:53:5a: answered ARP probe"),
		chromedp.Navigate(p.URL+"/s/pottery/addresses?pick=interface:patch.0"), Press("Ask the network who is at 10.48.16.2"), Wait(`document.querySelector("[data-free=true]")`),
	)
}

func TestSuggestionsOneByOneAndAll(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses"), Press("Suggest 3 pins"), Wait(`document.querySelectorAll("[data-mark$=suggested]").length === 3`),
		Press("Cancel"), Wait(`!document.querySelector("[data-mark$=suggested]")`),
		Press("Suggest 3 pins"), Press("Pin at .24"), Sees("13 of 15 pinned"), Wait(`document.querySelectorAll("[data-mark$=suggested]").length === 2`),
		Press("Take 2 pins"), Sees("15 of 15 pinned"), Press("Suggest pins"), Sees("Nothing to suggest"),
		Press("Ports"), Press("Suggest ports"), Sees("Set Door entry calls (SIP) to 5062 on the device itself"), Sees("gets the port it prefers"), Press("Take 4 changes"), Sees("9 of 9 open"),
		Wait(`!document.querySelector("[data-snag=outside-clash]")`), Press("Suggest ports"), Sees("Everything that is to be opened is open."),
	)
}

func TestWhatIsTypedWrongIsToldAndNotLost(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:kiln"), Sees("Why we believe it"),
		Fill("MAC address", "00:00:5e:00:53"), Keys(kb.Enter), Wait(`document.querySelector("[data-inspector] [aria-invalid=true]")?.value === "00:00:5e:00:53"`), Sees("it has to be a MAC address such as"),
		Fill("Seen at", "10.48.16.1000"), Keys(kb.Enter), Sees("it has to be an IPv4 address"), Wait(`document.querySelectorAll("[data-inspector] [aria-invalid=true]").length === 2`),
		Press("Addresses"), Wait(`document.querySelector("[data-tape]")`),
	)
}

func TestPortsTypedWrong(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports?pick=service:yard.web"), Sees("Yard camera, web page"),
		Fill("Device ports", "80-79"), Press("Save the wish"), Sees("it has to be ports from 1 to 65535"), Wait(`!document.body.innerText.includes("body.edits")`),
		Fill("Device ports", "0"), Press("Save the wish"), Sees("1 to 65535"),
		Wait(`[...document.querySelectorAll("label")].some((l) => l.innerText === "Device ports" && document.getElementById(l.htmlFor).value === "0")`),
		Fill("Move it to outside port", "70000"), Press("Open at 70000"), Sees("1 to 65535"), Press("Close this note"),
		// The clash that somebody wants is drawn, and said.
		Fill("Move it to outside port", "554"), Press("Open at 554"), Sees("Outside port 554 is not free"), Press("Open at 554 all the same"), Sees("554 tcp is wanted twice"), Wait(`document.querySelector("[data-thread=f3]").getAttribute("aria-label").endsWith("clashes")`),
		Fill("Outside port to follow", "70000"), Press("Follow it"), Sees("expected number <= 65535"),
		Fill("Outside port to follow", "443"), Press("Follow it"), Sees("The router itself answers there."),
		Fill("Outside port to follow", "9"), Press("Follow it"), Sees("Stopped: no forward takes this port."),
	)
}

func TestNetworkAndRouterForms(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses"), Sees("12 of 15 pinned"),
		Press(".100 – .179"), Fill("DHCP range", ".179-.100"), Press("Change the network"), Sees("did you mean 10.48.16.100-10.48.16.179"),
		Fill("DHCP range", ".1-.179"), Press("Change the network"), Wait(`!document.querySelector("[role$=dialog]")`), Sees("covers the gateway"),
		Press("Make it 10.48.16.2 to 10.48.16.179"), Wait(`!document.body.innerText.includes("covers the gateway")`),
		Press("Hall cupboard router"), Choose("Renumbers", "none"), Fill("Entries it has", "4"), Press("Change the router"), Wait(`!document.querySelector("[role$=dialog]")`),
		Sees("cannot be entered at the router"), Sees("5 of 4 entries used"),
		Press("Hall cupboard router"), Fill("Outside ports it keeps", "tcp 80-79"), Press("Change the router"), Sees("ports from 1 to 65535"),
		Keys(kb.Escape), Sees("What you typed is not saved"), Keys(kb.Escape), Wait(`!document.querySelector("[role$=dialog]")`),
	)
}

func TestFindGoesToAnything(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/place"), Sees("clear the way"))
	for text, lands := range map[string]string{
		"kiln cont": "/survey?pick=device%3Akiln", "10.48.16.90": "/addresses?pick=interface%3Adecoder.0", ".130": "/addresses?pick=interface%3Alabel.0", "72:1e": "/addresses?pick=interface%3Avisitor.0",
		"7001": "/ports?pick=service%3Adecoder.in", "16410": "/ports?pick=service%3Aphone.rtp", "8021": "/ports?pick=forward%3Af3",
	} {
		do(t, ctx, Keys("/"), Wait(`document.activeElement.matches("[role=dialog] input")`), Keys(text), Wait(`document.querySelector("[role=dialog] [role=option]")`), Keys(kb.Enter), Wait(`location.href.endsWith("`+lands+`")`), Wait(`!document.querySelector("[role$=dialog]")`))
	}
	do(t, ctx, Keys("/"), Wait(`document.activeElement.matches("[role=dialog] input")`), Keys("nobody"), Sees("Nothing of this site matches"), Keys(kb.Escape), Wait(`!document.querySelector("[role$=dialog]")`))
}

func TestDarkIsRememberedAndUndoOutlivesTheProgram(t *testing.T) {
	db := filepath.Join(t.TempDir(), "v.db")
	args := []string{"serve", "--addr", "127.0.0.1:0", "--db", db}
	p, ctx := start(t, args...), open(t)
	do(t, ctx, chromedp.Navigate(p.URL), Sees("No site yet"), Press("Light or dark"), Wait(`document.documentElement.classList.contains("dark")`), chromedp.Reload(), Wait(`document.documentElement.classList.contains("dark")`),
		Press("New site"), Press("Type"), Fill("Name", "Tidemill Dairy"), Fill("Subnet", "10.48.16.0/24"), Fill("Gateway", ".1"), Press("Make the site"), Sees("Nothing found yet"),
		Press("Add by hand"), Fill("Name", "Churn"), Keys(kb.Enter), Wait(`document.querySelector("[data-device] input[type=text]").value === "Churn"`))
	if err := p.Stop(); err != nil {
		t.Errorf("the program ended with %v", err)
	}
	p = start(t, args...)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/tidemill-dairy/survey"), Wait(`document.querySelector("[data-device] input[type=text]")?.value === "Churn"`), Press("Undo"), Sees("Taken back: name Churn."), Press("Undo"), Sees("Nothing found yet"), Press("Redo"), Press("Redo"),
		Wait(`document.querySelector("[data-device] input[type=text]")?.value === "Churn"`))
}

// The server goes away in the middle of the work: the page says so, and goes on
// when it is back.
func TestServerGoesAway(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:till"), Sees("Why we believe it"))
	p.Kill()
	do(t, ctx, Fill("Place", "counter"), Keys(kb.Enter), Sees("The program does not answer. Is it still running? Nothing was changed; try again."))
	if place := ask[string](t, ctx, `document.querySelector("[data-device=till]").innerText`); strings.Contains(place, "counter") {
		t.Error("the page shows what was not saved")
	}
}

// Two programs on one database see each other's edits, and neither loses any.
func TestTwoProgramsOnOneDatabase(t *testing.T) {
	db := filepath.Join(t.TempDir(), "v.db")
	a, b := start(t, "serve", "--addr", "127.0.0.1:0", "--db", db), start(t, "serve", "--addr", "127.0.0.1:0", "--db", db)
	ctx := open(t)
	other, end, err := Tab(ctx)
	defer end()
	if err != nil {
		t.Fatal(err)
	}
	do(t, ctx, chromedp.Navigate(a.URL), Press("New site"), Press("Type"), Fill("Name", "Mill"), Fill("Subnet", "10.48.16.0/24"), Press("Make the site"), Sees("Nothing found yet"))
	do(t, other, chromedp.Navigate(b.URL+"/s/mill/survey"), Sees("Nothing found yet"))
	add := func(ctx context.Context, n string) { do(t, ctx, Press("Add by hand"), Sees(n+" found")) }
	add(ctx, "1")
	// The other page has not heard of it: what it does now is put on top or told.
	do(t, other, chromedp.Reload(), Sees("1 found"))
	add(other, "2")
	do(t, ctx, chromedp.Reload(), Sees("2 found"))
}
