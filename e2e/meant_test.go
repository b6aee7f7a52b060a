package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// The page writes what was meant, and only that: each test here is a fault that was met by doing
// whole jobs with a second window at work.

// kept is what the program holds of a site, as far as these tests look.
type kept struct {
	Version int
	Undo    string
	Site    struct {
		Devices []struct {
			ID, Name, Place string
			Interfaces      []struct {
				ID  string
				MAC string
				Pin *struct{ Address, By string }
			}
			Services []struct {
				ID, Name, Interface, Protocol, Ports string
				Open                                 *struct {
					Port string
					From []string
				}
				CanSetTo []string
			}
		}
		Forwards []struct{ ID, Outside, Service string }
	}
}

// held asks the program itself for a site.
func held(t *testing.T, url, id string) kept {
	t.Helper()
	resp, err := http.Get(url + "/api/sites/" + id)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	var k kept
	if err := json.NewDecoder(resp.Body).Decode(&k); err != nil {
		t.Fatal(err)
	}
	return k
}

// pin is where an interface is pinned, and how: "10.48.16.40 reservation".
func (k kept) pin(iface string) string {
	for _, d := range k.Site.Devices {
		for _, i := range d.Interfaces {
			if i.ID == iface && i.Pin != nil {
				return i.Pin.Address + " " + i.Pin.By
			}
		}
	}
	return "loose"
}

func (k kept) name(device string) string {
	for _, d := range k.Site.Devices {
		if d.ID == device {
			return d.Name
		}
	}
	return "none"
}

// untouched fails where a site is not at the version that it was at.
func untouched(t *testing.T, url, id string, version int, after string) {
	t.Helper()
	if k := held(t, url, id); k.Version != version {
		t.Errorf("%s: something was written: %q", after, k.Undo)
	}
}

const lastNumber = `document.querySelector("[data-last-number]")`

// Enter and leaving pin, leaving only where it is free; Escape puts back; choosing a way takes the address
// that is typed.
func TestANumberIsPinnedOnPurposeOnly(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses?pick=interface:till.0"), Wait(lastNumber),
		Fill("The last number", "88"), Sees("Enter pins at 10.48.16.88"), Keys(kb.Escape), Wait(lastNumber+`.value === "40"`))
	untouched(t, p.URL, "pottery", 1, "Escape")
	do(t, ctx, Fill("The last number", "44"), chromedp.Evaluate[chromedp.Void](`document.querySelector("[data-tape]").focus()`), Settled, Wait(lastNumber+`.value === "44"`), Sees("not free"), Fill("The last number", "44"), Keys(kb.Escape))
	untouched(t, p.URL, "pottery", 1, "leaving what is not free")
	do(t, ctx, Fill("The last number", "88"), Sees("free"), chromedp.Evaluate[chromedp.Void](`document.querySelector("[data-tape]").focus()`), Sees("Till is pinned at 10.48.16.88."), Ctrl("z"), Sees("Taken back"))
	// With something picked, digits are its own; without, they lead to a station.
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), Keys("3"), Wait(lastNumber+`.value === "3"`), Keys(kb.Escape), Wait(lastNumber+`.value === "40"`), Keys(kb.Escape), Keys(kb.Escape), Keys("3"), Wait(`location.pathname.endsWith("/ports")`), chromedp.Navigate(p.URL+"/s/pottery/addresses?pick=interface:till.0"), Wait(lastNumber), Settled)
	untouched(t, p.URL, "pottery", 3, "a key for a station")
	// From a row in focus a digit goes into the field.
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelector("[data-grid=pins]").focus()`), Keys("8"), Wait(lastNumber+`.value === "8"`), Keys("9"), Keys(kb.Enter), Sees("Till is pinned at 10.48.16.89."))
	if got := held(t, p.URL, "pottery").pin("till.0"); got != "10.48.16.89 reservation" {
		t.Errorf("the till is at %s", got)
	}
	do(t, ctx, Fill("The last number", "88"), Press("on device"), Sees("Till is pinned at 10.48.16.88."), Wait(lastNumber+`.value === "88"`))
	if got := held(t, p.URL, "pottery").pin("till.0"); got != "10.48.16.88 device" {
		t.Errorf("typed and then set on the device, the till is at %s", got)
	}
	// What is refused or is taken stays typed.
	do(t, ctx, Fill("The last number", "44"), Keys(kb.Enter), Sees("10.48.16.44 is not free"), Press("Cancel"), Wait(`!document.querySelector("[role$=dialog]")`), Wait(lastNumber+`.value === "44"`))
}

// press and let go of the mouse at points given in JavaScript, with what is done in between.
func mouse(t *testing.T, ctx context.Context, from, to string, between ...Step) {
	t.Helper()
	a, b := ask[[]float64](t, ctx, from), ask[[]float64](t, ctx, to)
	do(t, ctx, chromedp.MouseEvent("mouseMoved", a[0], a[1]), chromedp.MouseEvent("mousePressed", a[0], a[1], chromedp.ButtonLeft, chromedp.ClickCount(1)))
	for i := 1; i <= 5; i++ {
		f := float64(i) / 5
		do(t, ctx, chromedp.MouseEvent("mouseMoved", a[0]+(b[0]-a[0])*f, a[1]+(b[1]-a[1])*f, chromedp.ButtonLeft))
	}
	do(t, ctx, between...)
	do(t, ctx, chromedp.MouseEvent("mouseReleased", b[0], b[1], chromedp.ButtonLeft, chromedp.ClickCount(1)))
}

// middle is the middle of an element.
func middle(selector string) string {
	return fmt.Sprintf(`(() => { const r = document.querySelector(%q).getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2] })()`, selector)
}

// A drag ends where it is let go, also outside; Escape stops it; what is taken is asked about.
func TestDragsCanBeStopped(t *testing.T) {
	p, ctx := demo(t), open(t)
	const till = "[data-mark='till.0'] rect"
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses"), Wait(`document.querySelector("[data-tape]")`), Settled)
	mouse(t, ctx, middle(till), `[1150, 60]`)
	do(t, ctx, Wait(`!document.querySelector("[data-dragged]")`), chromedp.MouseEvent("mouseMoved", 600, 300), chromedp.MouseEvent("mousePressed", 600, 420, chromedp.ButtonLeft, chromedp.ClickCount(1)), chromedp.MouseEvent("mouseReleased", 600, 420, chromedp.ButtonLeft, chromedp.ClickCount(1)), Settled)
	untouched(t, p.URL, "pottery", 1, "let go outside, then a click")
	mouse(t, ctx, middle(till), addressPoint(48), Wait(`document.querySelector("[data-dragged]")`), Keys(kb.Escape), Wait(`!document.querySelector("[data-dragged]")`))
	do(t, ctx, Settled)
	untouched(t, p.URL, "pottery", 1, "Escape in the middle")
	mouse(t, ctx, middle(till), addressPoint(44), Sees(".44 pinned for Door entry"))
	do(t, ctx, Sees("10.48.16.44 is not free"), Keys(kb.Escape), Wait(`!document.querySelector("[role$=dialog]")`), Settled)
	untouched(t, p.URL, "pottery", 1, "asked, and left")
	mouse(t, ctx, middle(till), addressPoint(44))
	do(t, ctx, Press("Swap: Till goes to 10.48.16.44, Door entry to 10.48.16.40"), Sees("Till goes to 10.48.16.44"), Wait(`!document.querySelector("[role$=dialog]")`))
	if k := held(t, p.URL, "pottery"); !strings.HasPrefix(k.pin("till.0"), "10.48.16.44 ") || !strings.HasPrefix(k.pin("door.0"), "10.48.16.40 ") || k.Version != 2 {
		t.Errorf("swapped: %s and %s at version %d", k.pin("till.0"), k.pin("door.0"), k.Version)
	}
}

// A thread that is pulled can be stopped as well, and an eyelet that is taken is asked about.
func TestPullsCanBeStopped(t *testing.T) {
	p, ctx := demo(t), open(t)
	const foot = "[data-foot='yard.web'] circle"
	eye := func(key string) string { return middle(`[data-eye="` + key + `"] circle`) }
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports"), Wait(`document.querySelector("[data-foot='yard.web']")`), Settled)
	mouse(t, ctx, middle(foot), `[40, 600]`)
	do(t, ctx, Wait(`!document.querySelector("[data-pulling]")`), Settled)
	untouched(t, p.URL, "pottery", 1, "let go outside")
	mouse(t, ctx, middle(foot), eye("tcp 554"), Wait(`document.querySelector("[data-pulling]")`), Keys(kb.Escape), Wait(`!document.querySelector("[data-pulling]")`))
	do(t, ctx, Settled)
	untouched(t, p.URL, "pottery", 1, "Escape in the middle")
	mouse(t, ctx, middle(foot), eye("own tcp 443"))
	do(t, ctx, Sees("Outside port 443 is not free"), Sees("443 at Hall cupboard router is taken by"), Press("Cancel"), Wait(`!document.querySelector("[role$=dialog]")`), Settled)
	untouched(t, p.URL, "pottery", 1, "asked, and left")
	mouse(t, ctx, middle(foot), eye("tcp 554"))
	do(t, ctx, Sees("Outside port 554 is not free"), Sees("leads to Gallery recorder video"), Press("Open at 555, which is free"), Wait(`!document.querySelector("[role$=dialog]")`), Sees("is open at 555"))
	for _, f := range held(t, p.URL, "pottery").Site.Forwards {
		if want := map[string]string{"yard.web": "555", "rec.video": "554"}[f.Service]; want != "" && f.Outside != want {
			t.Errorf("%s is open at %s, want %s", f.Service, f.Outside, want)
		}
	}
}

// card waits until the inspector shows a device.
func card(name string) Step {
	return Wait(fmt.Sprintf(`document.querySelector("[data-inspector] h2")?.innerText === %q && document.querySelector("[data-inspector] label")`, name))
}

// A name half typed stays whatever others do, and a true conflict is asked about.
func TestNothingTypedIsLost(t *testing.T) {
	p, ctx := demo(t), open(t)
	field := func(want string) Step {
		return Wait(fmt.Sprintf(`document.querySelector("[data-device=till] input[type=text]").value === %q`, want))
	}
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:till"), rows(19), card("Till"), Fill("Name", "Counter till"))
	// Another window changes something else, then the same.
	edit(t, p.URL, "pottery", 1, `{"do":"describe","id":"till","place":"counter"}`)
	do(t, ctx, Wait(`document.querySelector("[data-device=till]").innerText.includes("counter")`), field("Counter till"))
	edit(t, p.URL, "pottery", 2, `{"do":"describe","id":"till","name":"Old till"}`)
	do(t, ctx, Sees("changed elsewhere to “Old till” while you typed"), field("Counter till"))
	if got := held(t, p.URL, "pottery").name("till"); got != "Old till" {
		t.Errorf("it was written before anybody was asked: %q", got)
	}
	do(t, ctx, Press("Keep “Counter till”"), Fill("Name", "Counter till"), Keys(kb.Enter), Wait(`!document.querySelector("[data-clash]")`), field("Counter till"), Settled)
	if got := held(t, p.URL, "pottery").name("till"); got != "Counter till" {
		t.Errorf("kept, and yet it is %q", got)
	}
	// Half a name outlives another pick and another station, and Escape puts it back.
	do(t, ctx, Fill("Name", "Half a"), click(`[data-device=yard]`), Sees("Yard camera"))
	do(t, ctx, Keys("2"), Wait(`document.querySelector("[data-tape]")`))
}

// While the program is away what was typed stays, and is sent when it is back.
func TestTypedWhileTheProgramIsAway(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:till"), rows(19), chromedp.Evaluate[chromedp.Void](`window.away = true; { const f = window.fetch; window.fetch = (...a) => window.away ? Promise.reject(new TypeError("away")) : f(...a) }`),
		card("Till"), Fill("Name", "Counter till"), Keys(kb.Enter), Sees("The program does not answer."), Wait(`document.querySelector("[data-device=till] input[type=text]").value === "Counter till"`),
		chromedp.Evaluate[chromedp.Void](`window.away = false`), Fill("Name", "Counter till 2"), Keys(kb.Enter), Wait(`!document.body.innerText.includes("does not answer")`), Settled)
	if got := held(t, p.URL, "pottery").name("till"); got != "Counter till 2" {
		t.Errorf("the till is called %q", got)
	}
}

// Half a service card, pasted text, filters, order and chosen rows are there again after another
// pick or station.
func TestHalfDoneWorkIsThereAgain(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports?pick=service:yard.web"), Fill("Device ports", "8080"),
		chromedp.Evaluate[chromedp.Void](`history.replaceState(null, "", "?pick=service:rec.web"); dispatchEvent(new PopStateEvent("popstate"))`), Sees("Gallery recorder, web page"),
		chromedp.Evaluate[chromedp.Void](`history.replaceState(null, "", "?pick=service:yard.web"); dispatchEvent(new PopStateEvent("popstate"))`), Sees("Yard camera, web page"),
		Wait(`[...document.querySelectorAll("label")].some((l) => l.innerText === "Device ports" && document.getElementById(l.htmlFor).value === "8080")`),
		Press("Put it back"), Wait(`[...document.querySelectorAll("label")].some((l) => l.innerText === "Device ports" && document.getElementById(l.htmlFor).value === "80")`),
		Press("Survey"), rows(19), Press("Seen at"), Choose("Kind to show", "camera"), rows(4), click(`[data-device=yard] input[type=checkbox]`), Sees("1 chosen"),
		Press("Type or paste text"), SetText("Text to read", "half of a lease"),
		Press("Addresses"), Wait(`document.querySelector("[data-tape]")`), Press("Survey"), rows(4), Sees("1 chosen"), Wait(`document.querySelector("[aria-sort=ascending]")`), Wait(`document.querySelector("[aria-label='Text to read']").value === "half of a lease"`),
		SetText("Text to read", leases), Press("Read this"), Sees("3 sightings"), Press("Addresses"), Wait(`document.querySelector("[data-tape]")`), Press("Survey"), Sees("3 sightings"),
	)
	untouched(t, p.URL, "pottery", 1, "looking around")
}

// A note takes back its own entry, or says why not; a run of arrows is one entry of five steps; a
// name is sent once.
func TestUndoMeansWhatItSays(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses?pick=interface:till.0"), Wait(lastNumber), Settled,
		chromedp.Evaluate[chromedp.Void](`window.sent = 0; { const f = window.fetch; window.fetch = (...a) => { if (String(a[0]?.url ?? a[0]).includes("/edits")) window.sent++; return f(...a) } }`),
		Keys(strings.Repeat(kb.ArrowRight, 5)), Sees("is pinned at 10.48.16.46."))
	if k := held(t, p.URL, "pottery"); k.pin("till.0") != "10.48.16.46 reservation" || k.Version != 2 {
		t.Errorf("five steps led to %s at version %d", k.pin("till.0"), k.Version)
	}
	// Somebody else changes another thing; the note takes back its own.
	edit(t, p.URL, "pottery", 2, `{"do":"describe","id":"rec","place":"loft"}`)
	// A key in the very moment of the note steps from what was put back.
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`new MutationObserver((_, o) => {
			if (!document.querySelector("[data-notice]")?.innerText.includes("Taken back")) return
			o.disconnect()
			document.activeElement.dispatchEvent(new KeyboardEvent("keydown", { key: "ArrowRight", bubbles: true }))
		}).observe(document.body, { childList: true, subtree: true, characterData: true })`),
		click("[data-notice] button"), Sees("is pinned at 10.48.16.41."), click("[data-notice] button"), Sees("Taken back: pin Till"))
	if k := held(t, p.URL, "pottery"); k.pin("till.0") != "10.48.16.40 reservation" {
		t.Errorf("taken back to %s", k.pin("till.0"))
	}
	// Somebody else changes the same: it says why not.
	do(t, ctx, Keys(kb.ArrowRight), Sees("is pinned at 10.48.16.41."))
	edit(t, p.URL, "pottery", held(t, p.URL, "pottery").Version, `{"do":"pin","id":"till.0","pin":{"address":"10.48.16.43","by":"reservation"}}`)
	do(t, ctx, click("[data-notice] button"), Sees("That cannot be taken back alone"), Press("Close this note"))
	do(t, ctx, Keys(kb.Escape), Keys("1"), rows(19), Wait(`document.querySelector("[data-device=yard]")`), chromedp.Evaluate[chromedp.Void](`window.sent = 0; document.querySelector("[data-device=yard] input[type=text]").focus()`), Ctrl("a"), Keys("Yard eye"), Keys(kb.Enter), Settled, Wait(`document.querySelector("[data-device=yard] input[type=text]").value === "Yard eye"`))
	if n := ask[int](t, ctx, "window.sent"); n != 1 {
		t.Errorf("the name was sent %d times", n)
	}
}

// Keys leave what has the focus alone, and the Tab key has few stops.
func TestKeysAndStops(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses"), Press("Suggest 3 pins"), Wait(`document.querySelectorAll("[data-mark$=suggested]").length === 3`),
		chromedp.Evaluate[chromedp.Void](`document.querySelector("nav a[href*=ports]").focus()`), Keys(kb.Enter), Wait(`location.pathname.endsWith("/ports")`))
	untouched(t, p.URL, "pottery", 1, "Enter on a link")
	// A checkbox in focus stops no key but its own.
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses?pick=interface:till.0"), Wait(`document.querySelector("[data-pin-card] input[type=checkbox]")`), chromedp.Evaluate[chromedp.Void](`document.querySelector("[data-pin-card] input[type=checkbox]").focus()`), Keys("n"), Wait(`!location.search.includes("till.0")`))
	// A key to the inspector and back; the way to skip; titles.
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), Keys("i"), Wait(`document.activeElement.matches("[data-inspector]")`), Keys("i"), Wait(`document.activeElement.matches("main")`),
		Wait(`document.title === "Addresses · Saltmarsh Pottery · Vest Pin"`), chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), chromedp.Navigate(p.URL+"/s/works/addresses"), Wait(`document.querySelector("[data-tape]")`), Settled, TabTo("Skip to the work"), Keys(kb.Enter), Wait(`location.hash === "#work"`))
	for _, path := range []string{"/s/works/addresses", "/s/works/ports", "/s/works/survey"} {
		do(t, ctx, chromedp.Navigate(p.URL+path), Wait(`document.querySelector("main h1")`), Settled)
		stops := ask[int](t, ctx, `[...document.querySelectorAll("main *")].filter((e) => e.tabIndex >= 0 && (e.matches("a[href], button, input, select, textarea") || e.hasAttribute("tabindex")) && e.offsetParent !== null && !e.disabled).length`)
		if stops > 40 {
			t.Errorf("%s has %d stops", path, stops)
		}
	}
	// Arrows go through the marks in the order of their addresses, and pick on Enter alone.
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses"), Wait(`document.querySelector("[data-tape]")`), chromedp.Evaluate[chromedp.Void](`document.querySelector("[data-tape]").focus()`), Keys(kb.Home), Keys(kb.ArrowDown))
	road := []string{}
	for range 4 {
		road = append(road, ask[string](t, ctx, `document.querySelector("[data-tape]").getAttribute("aria-activedescendant")`))
		do(t, ctx, Keys(kb.ArrowDown))
	}
	if got := strings.Join(road, " "); got != "mark-patch.0 mark-switch.0 mark-rec.0 mark-yard.0" {
		t.Errorf("the road on the tape is %s", got)
	}
	do(t, ctx, Keys(kb.Enter), Wait(`document.querySelector("[data-inspector] h2").innerText === "Shop camera"`))
	// The road down the outside ports reaches every thread.
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports"), Wait(`document.querySelector("[data-thread]")`), chromedp.Evaluate[chromedp.Void](`document.querySelector("[data-threads]").focus()`), Keys(kb.ArrowDown), Keys(kb.ArrowDown), Keys(kb.Enter), Wait(`location.search.includes("forward")`))
	untouched(t, p.URL, "pottery", 1, "walking about")
}

// The focus stays near where it was when what had it goes.
func TestFocusReturns(t *testing.T) {
	p, ctx := demo(t), open(t)
	focused := func(selector string) Step {
		return Wait(fmt.Sprintf(`document.activeElement !== document.body && document.activeElement.closest(%q)`, selector))
	}
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses"), TabTo("10.48.16.0/24"), Keys(kb.Enter), Wait(`document.querySelector("[role=dialog]")`), Keys(kb.Escape), Wait(`!document.querySelector("[role=dialog]")`), focused(".facts"),
		TabTo("Suggest 3 pins"), Keys(kb.Enter), Wait(`document.querySelectorAll("[data-mark$=suggested]").length === 3`), TabTo("Take 3 pins"), Keys(kb.Enter), Sees("3 pins taken"), Settled, focused("main"),
		chromedp.Evaluate[chromedp.Void](`document.querySelector("[data-mend]").focus()`), Keys(kb.Enter), Sees("done."), Settled)
	if at := ask[string](t, ctx, `document.activeElement.outerHTML.slice(0, 120)`); !ask[bool](t, ctx, `Boolean(document.activeElement.closest("aside"))`) {
		t.Errorf("after a mend the focus is at %s", at)
	}
}

// An address of the page that is none says so.
func TestAnAddressThatIsNone(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/cellar"), Sees("There is no such page"), Sees("/s/pottery/cellar"), Press("Ports"), Wait(`document.querySelector("[data-threads]")`),
		chromedp.Navigate(p.URL+"/cellar"), Sees("There is no such page"), Press("All sites"), Sees("Saltmarsh Pottery"),
		chromedp.Navigate(p.URL+"/s/none/survey"), Sees("There is no such site"))
}

// What was told while the stream was cut is there when it is back.
func TestMissedNewsAreFetched(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey"), rows(19), chromedp.Sleep(300e6), deaf)
	edit(t, p.URL, "pottery", 1, `{"do":"describe","id":"rec","place":"loft"}`)
	do(t, ctx, Settled, Wait(`!document.querySelector("[data-device=rec]").innerText.includes("loft")`), hearing, Wait(`document.querySelector("[data-device=rec]").innerText.includes("loft")`))
}
