package e2e

import (
	"fmt"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// rows is how many rows the table says it has.
func rows(n int) Step {
	return Wait(fmt.Sprintf(`document.querySelector("[role=grid]")?.getAttribute("aria-rowcount") === "%d"`, n+1))
}

const sweepEnded = `document.querySelector("[data-sweep=ended]")`

// The made-up site is swept: rows arrive, the visit is compared with the one
// before, and the swapped box is handed its place in one change.
func TestSweepCompareAndSwap(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx,
		chromedp.Navigate(p.URL+"/s/pottery/survey"), rows(19), Sees("Last visit"),
		Press("Sweep the LAN"), Wait(`document.querySelector("[role=progressbar]")`), Sees("answered"),
		Wait(`document.querySelectorAll("[data-live=new]").length >= 3`), Wait(`Number(document.querySelector("[role=progressbar]").ariaValueNow) > 5`),
		Wait(sweepEnded), Sees("20 answered, 4 new."), rows(23),
		// What changed since the visit in May.
		Press("7 differences to"), Sees("Kiln controller was at 10.48.16.109, now at 10.48.16.115"), Sees("00:00:5e:00:53:5a is at 10.48.16.90, where Shop decoder was"), Sees("Workshop laptop was at 10.48.16.152"),
		Choose("to the visit of", "v-2026-05-04"), Sees("Everything was as before."),
		Keys(kb.Escape), Wait(`!document.querySelector("[role$=dialog]")`),
		Press("New 3"), rows(3), Press("Gone 2"), rows(2), Press("Moved or swapped"), Wait(`document.querySelector("[data-device=kiln]")`), Press("Everything"),
		// The swapped box.
		Wait(`document.querySelector("[data-snag='swapped?']")`),
		click(`[data-device=decoder]`), Sees("Was Shop decoder swapped for another?"),
		Press("Hand over to 00:00:5e:00:53:5a"), Sees("done."), rows(22),
		Wait(`document.querySelector("[data-device=decoder]").innerText.includes("00:00:5e:00:53:5a")`), Wait(`!document.querySelector("[data-snag='swapped?']")`),
		Press("Undo"), rows(23), Wait(`document.querySelector("[data-device=decoder]").innerText.includes("00:00:5e:00:53:52")`),
		// The sweep itself is one change.
		Press("Undo"), rows(19),
	)
}

func TestSweepIsStopped(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx,
		chromedp.Navigate(p.URL+"/s/flat/survey"), Sees("Sweep the LAN"), Keys("w"), Wait(`document.querySelectorAll("[data-live]").length >= 2`),
		Press("Stop"), Wait(sweepEnded), Sees("Stopped. What was found is kept:"), Sees("Visit of"),
		// A site whose network this computer is not attached to is refused, with the reason.
		chromedp.Navigate(p.URL+"/"), Press("New site"), Press("Type"), Fill("Name", "Elsewhere"), Fill("Subnet", "10.9.9.0/24"), Press("Make the site"), Sees("Nothing found yet"),
		Press("Sweep the LAN"), Sees("this computer is attached to no network"),
	)
}

// The same list in three languages comes to the same devices.
func TestPasteInThreeLanguages(t *testing.T) {
	p, ctx := start(t, "serve", "--addr", "127.0.0.1:0", "--db", t.TempDir()+"/v.db"), open(t)
	do(t, ctx, chromedp.Navigate(p.URL), Press("New site"), Press("Type"), Fill("Name", "Mill"), Fill("Subnet", "10.48.16.0/24"), Press("Make the site"), Sees("Nothing found yet"))
	for _, text := range []string{
		"Schnittstelle: 10.48.16.126 --- 0x5\n  Internetadresse       Physische Adresse     Typ\n  10.48.16.20           00-00-5e-00-53-21     dynamisch\n  10.48.16.21           00-00-5e-00-53-22     dynamisch\n",
		"Interface : 10.48.16.126 --- 0x5\n  Adresse Internet      Adresse physique      Type\n  10.48.16.20           00-00-5e-00-53-21     dynamique\n  10.48.16.21           00-00-5e-00-53-22     dynamique\n",
		"インターフェイス: 10.48.16.126 --- 0x5\n  インターネット アドレス      物理アドレス          種類\n  10.48.16.20           00-00-5e-00-53-21     動的\n  10.48.16.21           00-00-5e-00-53-22     動的\n",
	} {
		do(t, ctx, Press("Type or paste text"), SetText("Text to read", text), Press("Read this"), Sees("2 sightings"), Wait(`!document.body.innerText.includes("not understood")`),
			Wait(`[...document.querySelectorAll("button")].some((b) => /^Take/.test(b.innerText) && !b.disabled)`), Press("Take"), Wait(`!document.querySelector("[aria-label='What was understood']")`), rows(2))
	}
}

// Sorting, choosing and changing several at once, by keyboard as well.
func TestManyAtOnce(t *testing.T) {
	p, ctx := demo(t), open(t)
	first := func(id string) Step {
		return Wait(fmt.Sprintf(`document.querySelector("[aria-rowindex='2']")?.dataset.device === %q`, id))
	}
	do(t, ctx,
		chromedp.Navigate(p.URL+"/s/pottery/survey"), rows(19), first("switch"),
		Press("Seen at"), first("patch"), Press("Seen at"), first("visitor2"), Press("Seen at"), first("switch"),
		Choose("Kind to show", "camera"), rows(4), click(`[aria-label='Choose all that are shown']`), Sees("4 chosen"),
		Fill("Place of all chosen", "ladder"), Press("Set for 4 devices"), Sees("4 devices changed."),
		Wait(`[...document.querySelectorAll("[data-device]")].every((r) => r.innerText.includes("ladder"))`), Press("Choose none"),
		Press("Undo"), Wait(`!document.querySelector("[data-device=yard]").innerText.includes("ladder")`), Choose("Kind to show", ""), rows(19),
		// By keyboard: down, choose, down, choose, then put together and take back.
		Keys(kb.ArrowDown), Wait(`document.querySelector("[data-device=switch][aria-selected=true]")`), Keys("x"), Sees("1 chosen"), Keys(kb.ArrowDown), Keys("x"), Sees("2 chosen"),
		Press("They are one device"), Sees("is now part of"), rows(18), Press("It is another device"), Sees("a device of its own"), rows(19),
	)
}

// The user's own makers, the sketch on paper, and a guess that is taken.
func TestMakersSketchAndGuess(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx,
		chromedp.Navigate(p.URL+"/s/pottery/survey"), rows(19), Press("Makers"), SetText("Your own list", "00:00:5e:00:53:2 Ostrel Vision\n00:00:5e:zz x"), Press("Change the list"), Sees("Line 2"),
		SetText("Your own list", "00:00:5e:00:53:2 Thornby Eye"), Press("Change the list"), Wait(`!document.querySelector("[role$=dialog]")`), Wait(`document.querySelector("[data-device=yard]").innerText.includes("Thornby Eye")`),
		Press("Sketch"), Wait(`document.querySelectorAll("[data-place]").length === 8`), Sees("Kiln room switch"),
	)
	if pdf, err := chromedp.Run(ctx, chromedp.PrintToPDF(chromedp.PDFPreferCSSPageSize())); err != nil || len(pdf) < 5000 {
		t.Errorf("%d bytes of paper, %v", len(pdf), err)
	}
	do(t, ctx,
		Press("List"), Press("Sweep the LAN"), Wait(sweepEnded), Press("New 3"), rows(3), click(`[data-device$='5375']`),
		Wait(`document.querySelector("[data-guess=meter]")`), Press("Yes, a meter"), Wait(`document.querySelector("[data-device$='5375']").innerText.includes("meter")`), Wait(`!document.querySelector("[data-guess]")`),
		Press("Enter it"), Sees("is entered. Open it on the Ports station."),
	)
}

// The whole survey by keyboard alone: sweep, look at what is new, name it, choose
// two and describe them, take it back.
func TestSurveyByKeyboardAlone(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx,
		chromedp.Navigate(p.URL+"/s/pottery/survey"), rows(19), Keys("w"), Wait(sweepEnded), rows(23),
		TabTo("Everything"), Keys(kb.ArrowRight), Keys(kb.ArrowRight), rows(3), chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), Keys(kb.ArrowDown), Keys(kb.ArrowDown), Wait(`document.querySelector("[data-device$='5327'][aria-selected=true]")`),
		Keys(kb.Enter), Wait(`document.activeElement.matches("[data-device] input[type=text]")`), Ctrl("a"), Keys("Loading bay camera"), Keys(kb.Enter),
		Wait(`document.querySelector("[data-device$='5327'] input[type=text]").value === "Loading bay camera"`),
		// Enter went on to the next row.
		Wait(`document.activeElement.closest("[data-device]")?.dataset.device.endsWith("5375")`), Keys(kb.Escape),
		Keys("x"), Sees("1 chosen"), Keys(kb.ArrowUp), Keys("x"), Sees("2 chosen"),
		Wait(`document.querySelector("form[aria-label^=Change]")`), TabTo("Place of all chosen"), Keys("yard"), Keys(kb.Enter), Sees("2 devices changed."),
		Wait(`document.querySelector("[data-device$='5375']").innerText.includes("yard")`), chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), Ctrl("z"), Sees("Taken back"),
	)
}

// With a community the switches tell their names; without one nobody is asked.
func TestSweepOptions(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx,
		chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:switch"), rows(19), Press("Sweep options"), Fill("SNMP community", "public"),
		Press("Sweep the LAN"), Wait(sweepEnded), Sees("describes itself as “Larkbridge switch, 16 ports”"),
		chromedp.Navigate(p.URL+"/s/flat/survey"), Press("Sweep options"), Choose("Network to sweep", "outer"), Press("Sweep the LAN"), Sees("this computer is not attached to it, only to 10.48.20.0/24"),
	)
}

// A second window sees a sweep that the first began, and may stop it.
func TestSweepInTwoWindows(t *testing.T) {
	p, ctx := demo(t), open(t)
	other := open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey"), rows(19))
	do(t, other, chromedp.Navigate(p.URL+"/s/pottery/survey"), rows(19))
	do(t, ctx, Press("Sweep the LAN"), Wait(`document.querySelector("[role=progressbar]")`))
	do(t, other, Wait(`document.querySelector("[role=progressbar]")`), Wait(`document.querySelectorAll("[data-live]").length > 3`), Press("Stop"), Wait(sweepEnded))
	do(t, ctx, Wait(sweepEnded), Sees("Stopped. What was found is kept:"))
}
