package e2e

import (
	"os"
	"testing"

	"github.com/chromedp/chromedp"
)


func TestZZLook(t *testing.T) {
	p, ctx := demo(t), open(t)
	snap := func(name string) {
		b, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
		if err != nil {
			t.Fatal(err)
		}
		os.WriteFile("/tmp/look-"+name+".png", b, 0o644)
	}
	do(t, ctx, chromedp.EmulateViewport(1280, 800), chromedp.Navigate(p.URL+"/s/pottery/ports?pick=service:yard.web"), Wait(`document.querySelector("main h1")`), Settled)
	snap("ports")
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:till"), Wait(`document.querySelector("main h1")`), Settled)
	snap("survey")
	do(t, ctx, Press("Help: all keys"), Sees("Take the first mend"), Settled)
	snap("keys")
	do(t, ctx, chromedp.EmulateViewport(390, 844), chromedp.Navigate(p.URL+"/s/pottery/survey"), Wait(`document.querySelector("main h1")`), Settled, chromedp.Evaluate[chromedp.Void](`window.scrollTo(0, 420)`), chromedp.Sleep(300e6))
	snap("phone")
	do(t, ctx, chromedp.Evaluate[chromedp.Void]("localStorage.setItem('vestpin-mode', 'dark')"), chromedp.Navigate(p.URL), Wait(`document.querySelector("main h1")`), Settled)
	snap("sites")
}
