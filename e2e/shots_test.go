package e2e

import (
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// shot is one picture: where, what is done before, and its window.
type shot struct {
	name, path    string
	width, height int
	dark          bool
	steps         []Step
}

var shots = []shot{
	{"sites", "/", 1280, 800, false, nil},
	{"new-site", "/", 1280, 800, false, []Step{Press("New site"), Sees("Make a site of it")}},
	{"works", "/s/works/ports", 1280, 800, false, []Step{Press("Suggest ports"), Wait(`document.querySelector("[data-ghost]")`), Press("Take"), Sees("132 of 264 open"), Settled}},
	{"survey-preview", "/s/pottery/survey", 1280, 800, false, []Step{Press("Type or paste text"), paste(), Press("Read this"), Sees("sightings")}},
	{"survey-question", "/s/pottery/survey", 1280, 800, false, []Step{
		Press("Type or paste text"), SetText("Text to read", "Name\tProtocol\tOutside port\tAddress\tInside port\tStatus\nRecorder page\tTCP\t8020\t10.48.16.20\t80\tZapnutost\nOld desk\tTCP\t33890\t10.48.16.37\t3389\tKlid\n"), Press("Read this"), Sees("Which lines are on?"),
	}},
	{"addresses", "/s/pottery/addresses?pick=device:kiln", 1280, 800, false, []Step{Press("Suggest"), Sees("suggested")}},
	{"addresses-dark", "/s/pottery/addresses?pick=device:label", 1280, 800, true, nil},
	{"ports", "/s/pottery/ports?pick=service:door.sip", 1280, 800, false, nil},
	{"ports-two-routers", "/s/flat/addresses", 1280, 800, false, []Step{
		Press("Suggest"), Press("Take 3 pins"), Sees("3 of 3 pinned"), Press("Ports"), Press("Suggest ports"), Press("Take 4 changes"), Sees("2 of 3 open"),
	}},
	{"equip", "/s/pottery/ports?pick=device:phone", 1280, 800, false, []Step{Press("Equip"), Sees("calls, encrypted"), TabTo("calls"), Keys(kb.Tab), Keys(" "), Sees("Stays in")}},
	{"place", "/s/pottery/place", 1280, 800, false, nil},
	{"survey-sketch", "/s/pottery/survey?pick=device:kilncam", 1280, 800, false, []Step{Press("Sketch"), Sees("kiln room")}},
	{"place-dark", "/s/pottery/place?pick=device:yard", 1024, 800, true, nil},
	{"survey-sweep", "/s/pottery/survey", 1280, 800, false, []Step{Press("Sweep the LAN"), Wait(`document.querySelectorAll("[data-live=new]").length > 0`), Sees("asking names")}},
	{"survey-visit", "/s/pottery/survey?pick=device:decoder", 1280, 800, false, []Step{Wait(`document.querySelector("[data-sweep=ended]")`), Sees("swapped")}},
	{"survey-compare", "/s/pottery/survey", 1280, 800, true, []Step{Press("7 differences"), Sees("Not seen this time")}},
	{"checks", "/s/pottery/checks", 1280, 800, false, []Step{Press("Check all"), Wait(`document.querySelector("[aria-label=Asked]")`), Wait(`!document.querySelector("[aria-label=Asked]")`), Settled}},
	{"checks-dark", "/s/pottery/checks?pick=service:rec.video", 1024, 800, true, []Step{Wait(`document.querySelector("[data-failing]")`), Settled}},
	{"router-held", "/s/pottery/ports", 1280, 800, false, []Step{
		Press("Ask the router"), Sees("tells 203.0.113.47"), Press("Compare with the router"), SetText("Its forwarding page", heldPage), Press("Read this"), Sees("3 forwards"), Press("Take what is new"), Sees("6 differences"),
		chromedp.Evaluate[chromedp.Void](`document.querySelector("section[data-held]").scrollIntoView()`), Press("Close this note"), Settled,
	}},
}

func paste() Step {
	text, err := os.ReadFile("../demo/captures/router-page.txt")
	if err != nil {
		panic(err)
	}
	more := "00:00:5e:00:53:4b  10.48.16.133  extractor-fan  WLAN\na line that says nothing"
	return SetText("Text to read", string(text)+more)
}

var (
	shotsDir = flag.String("shots", "", "the folder to put the pictures of the docs into")
	onlyShot = flag.String("shot", "", "take only this picture")
)

// TestShots takes the pictures of docs/screenshots where a folder is named.
func TestShots(t *testing.T) {
	if *shotsDir == "" {
		return
	}
	p := demo(t)
	for _, s := range shots {
		if *onlyShot != "" && *onlyShot != s.name {
			continue
		}
		png, err := picture(p.URL, s)
		if err != nil {
			t.Fatalf("%s: %v", s.name, err)
		}
		if err := os.WriteFile(filepath.Join(*shotsDir, s.name+".png"), png, 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

func picture(url string, s shot) ([]byte, error) {
	ctx, end, err := Open(s.width, s.height)
	defer end()
	if err != nil {
		return nil, err
	}
	mode := "light"
	if s.dark {
		mode = "dark"
	}
	steps := append([]Step{
		chromedp.Navigate(url + "/"),
		chromedp.Evaluate[chromedp.Void](fmt.Sprintf("localStorage.setItem('vestpin-mode', %q)", mode)),
		chromedp.Navigate(url + s.path), Wait(`Boolean(document.querySelector("main h1"))`), Settled,
	}, s.steps...)
	if err := chromedp.Do(ctx, append(steps, Settled)...); err != nil {
		return nil, err
	}
	return chromedp.Run(ctx, chromedp.CaptureScreenshot())
}
