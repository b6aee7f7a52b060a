// Command shots takes the pictures of docs/screenshots from the demo data.
package main

import (
	"fmt"
	"os"
	"path/filepath"

	"github.com/chromedp/chromedp"

	"vestpin/e2e/browse"
)

// shot is one picture: where, what is done before, and its window.
type shot struct {
	name, path    string
	width, height int
	dark          bool
	steps         []browse.Step
}

var shots = []shot{
	{"sites", "/", 1280, 800, false, nil},
	{"survey", "/s/pottery/survey?pick=device:kiln", 1280, 800, false, nil},
	{"survey-preview", "/s/pottery/survey", 1280, 800, false, []browse.Step{browse.Press("Type or paste text"), paste(), browse.Press("Read this"), browse.Sees("sightings")}},
	{"addresses", "/s/pottery/addresses?pick=device:kiln", 1280, 800, false, []browse.Step{browse.Press("Suggest"), browse.Sees("suggested")}},
	{"addresses-dark", "/s/pottery/addresses?pick=device:label", 1280, 800, true, nil},
	{"ports", "/s/pottery/ports?pick=service:door.sip", 1280, 800, false, nil},
	{"ports-two-routers", "/s/flat/addresses", 1280, 800, false, []browse.Step{
		browse.Press("Suggest"), browse.Press("Take 3 pins"), browse.Sees("3 of 3 pinned"), browse.Press("Ports"), browse.Press("Suggest ports"), browse.Sees("Take"),
	}},
	{"place", "/s/pottery/place", 1280, 800, false, nil},
	{"place-dark", "/s/pottery/place?pick=device:yard", 1024, 800, true, nil},
}

func paste() browse.Step {
	text, err := os.ReadFile("demo/captures/router-page.txt")
	if err != nil {
		panic(err)
	}
	more := "00:00:5e:00:53:4b  10.48.16.133  extractor-fan  WLAN\na line that says nothing"
	return browse.SetText("Text to read", string(text)+more)
}

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run() error {
	program, err := browse.Start("bin/vestpin", "demo", "--addr", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer program.Stop()
	dir := filepath.Join("docs", "screenshots")
	if len(os.Args) > 1 {
		dir = os.Args[1]
	}
	for _, s := range shots {
		if len(os.Args) > 2 && os.Args[2] != s.name {
			continue
		}
		png, err := take(program.URL, s)
		if err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		if err := os.WriteFile(filepath.Join(dir, s.name+".png"), png, 0o644); err != nil {
			return err
		}
		fmt.Println(s.name)
	}
	return nil
}

func take(url string, s shot) ([]byte, error) {
	ctx, end, err := browse.Open(s.width, s.height)
	defer end()
	if err != nil {
		return nil, err
	}
	mode := "light"
	if s.dark {
		mode = "dark"
	}
	steps := append([]browse.Step{
		chromedp.Navigate(url + "/"),
		chromedp.Evaluate[chromedp.Void](fmt.Sprintf("localStorage.setItem('vestpin-mode', %q)", mode)),
		chromedp.Navigate(url + s.path), browse.Wait(`Boolean(document.querySelector("main"))`), browse.Settled,
	}, s.steps...)
	if err := chromedp.Do(ctx, append(steps, browse.Settled)...); err != nil {
		return nil, err
	}
	return chromedp.Run(ctx, chromedp.CaptureScreenshot())
}
