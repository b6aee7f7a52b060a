package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// slowly holds each answer of the program back for a while, as a slow link does.
func slowly(ms int) Step {
	return chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`window.slowed ??= window.fetch; window.fetch = (...all) => window.slowed(...all).then((r) => new Promise((done) => setTimeout(() => done(r), %d)))`, ms))
}

// fileOf is the site file as the database has it.
func fileOf(t *testing.T, url, id string) string {
	t.Helper()
	resp, err := http.Get(url + "/api/sites/" + id + "/file")
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	return read(t, resp)
}

var back = chromedp.Evaluate[chromedp.Void](`history.back()`)

// A row is picked, the arrow goes on to the next, and a number is typed at once: it is that one's which
// is pinned there, not the one's before.
func TestDigitsBelongToWhatIsPicked(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses"), Wait(`document.querySelector("[data-grid=pins]")`), Settled)
	order := strings.Fields(ask[string](t, ctx, `[...document.querySelectorAll("[data-row]")].map((r) => r.dataset.row).join(" ")`))
	if len(order) < 8 {
		t.Fatalf("only %q", order)
	}
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelector("[data-grid=pins]").focus()`), Keys(kb.ArrowDown), Wait(`location.search.includes("pick=")`), Settled)
	for i := 1; i < 7; i++ {
		number := fmt.Sprint(224 + i)
		do(t, ctx, Keys(kb.ArrowDown+number+kb.Enter), Sees("is pinned at 10.48.16."+number), Settled)
		got := ""
		for _, id := range order {
			if strings.HasPrefix(held(t, p.URL, "pottery").pin(id), "10.48.16."+number+" ") {
				got = id
			}
		}
		if got != order[i] {
			t.Errorf("%s was typed for %s, and %s is pinned there", number, order[i], got)
		}
		do(t, ctx, Wait(`location.pathname.endsWith("/addresses")`))
		// What is pinned may stand in another row now.
		order = strings.Fields(ask[string](t, ctx, `[...document.querySelectorAll("[data-row]")].map((r) => r.dataset.row).join(" ")`))
	}
}

// Enter with a device picked that needs nothing takes none of the suggestions; its own is taken alone.
func TestEnterTakesWhatIsPicked(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses?pick=interface:till.0"), Wait(lastNumber), Keys("s"), Wait(`document.querySelector("[data-mark$=suggested]")`), Settled, Keys(kb.Enter), Settled)
	untouched(t, p.URL, "pottery", 1, "Enter on what needs nothing")
	picked := ask[string](t, ctx, `document.querySelector("[data-row]").dataset.row`)
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.querySelector("[data-row]").click()`), Wait(`location.search.includes("`+picked+`")`), Settled, Keys(kb.Enter), Sees("Pinned at"))
	if k := held(t, p.URL, "pottery"); k.Version != 2 || k.pin(picked) == "loose" {
		t.Errorf("%s is %s at version %d", picked, k.pin(picked), k.Version)
	}
}

// A window that heard nothing changes one field of what another window has pinned meanwhile: the pin
// stays, and so does the field.
func TestOneFieldOfTheNewest(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:till"), Wait(`document.querySelector("[data-device=till]")`), Settled, deaf)
	edit(t, p.URL, "pottery", 1, `{"do":"pin","id":"till.0","pin":{"address":"10.48.16.77","by":"device"}}`)
	edit(t, p.URL, "pottery", 2, `{"do":"describe","id":"till","place":"loft"}`)
	do(t, ctx, Fill("MAC address", "00:00:5e:00:53:99"), Keys(kb.Enter), Wait(`document.body.innerText.includes("loft")`), Settled)
	if k := held(t, p.URL, "pottery"); k.pin("till.0") != "10.48.16.77 device" || !strings.Contains(fileOf(t, p.URL, "pottery"), "00:00:5e:00:53:99") {
		t.Errorf("the pin is %s", k.pin("till.0"))
	}
	// The same field, changed by both: it asks, and Keep keeps.
	do(t, ctx, deaf)
	edit(t, p.URL, "pottery", held(t, p.URL, "pottery").Version, `{"do":"describe","id":"till","place":"cellar"}`)
	do(t, ctx, Fill("Place", "attic"), Keys(kb.Enter), Sees("changed elsewhere to “cellar” while you typed"))
	if !strings.Contains(fileOf(t, p.URL, "pottery"), `"cellar"`) {
		t.Error("it was gone over unasked")
	}
	do(t, ctx, Press("Keep “attic”"), Wait(`!document.querySelector("[data-clash]")`), Settled)
	if !strings.Contains(fileOf(t, p.URL, "pottery"), `"attic"`) {
		t.Error("Keep keeps nothing")
	}
}

// Escape in a field sends nothing, and what can be done again stays so.
func TestEscapeSendsNothing(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:till"), Wait(`document.querySelector("[data-inspector] label")`), Settled, Fill("Place", "attic"), Keys(kb.Enter), Wait(`document.querySelector("[data-device=till]").innerText.includes("attic")`), Ctrl("z"))
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), Ctrl("z"), Sees("Taken back"), Settled)
	version := held(t, p.URL, "pottery").Version
	for _, label := range []string{"Name", "Kind", "Place", "MAC address", "Seen at"} {
		do(t, ctx, Fill(label, "x"), Keys(kb.Escape), Settled)
	}
	untouched(t, p.URL, "pottery", version, "Escape")
	do(t, ctx, chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), Ctrl("y"), Sees("Done again"))
}

// What is typed while a save is on its way is sent after it.
func TestTypedWhileItIsSaved(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:till"), Wait(`document.querySelector("[data-device=till]")`), Settled, slowly(900),
		Fill("Place", "attic"), Keys(kb.Enter), Fill("Place", "attic, left"), Keys(kb.Enter), chromedp.Evaluate[chromedp.Void](`document.activeElement.blur()`), Wait(`document.querySelector("[data-device=till]").innerText.includes("attic, left")`))
	if !strings.Contains(fileOf(t, p.URL, "pottery"), `"attic, left"`) {
		t.Error("the second text is not there")
	}
}

// Every form in a dialog: Cancel throws away, Escape says so first, a press beside it does nothing while
// something is typed, a reload keeps it, Back closes it.
func TestFormsInDialogs(t *testing.T) {
	p, ctx := demo(t), open(t)
	open := Wait(`document.querySelector("[role=dialog] input, [role=dialog] textarea")`)
	shut := Wait(`!document.querySelector("[role$=dialog]")`)
	beside := chromedp.Evaluate[chromedp.Void](`(() => { const at = document.querySelector("[data-scope=dialog][data-part=positioner]"); for (const kind of ["pointerdown", "mousedown", "pointerup", "mouseup", "click"]) at.dispatchEvent(new PointerEvent(kind, { bubbles: true, clientX: 4, clientY: 4, button: 0 })) })()`)
	for _, f := range []struct {
		station, field string
		opens          Step
	}{
		{"survey", "Name", Press("Hall cupboard router")},
		{"survey", "Gateway", Press(".100 – .179")},
		{"survey", "Address of its page", chromedp.Steps(Press("More networks"), Press("Add the modem"))},
		{"survey", "Subnet", chromedp.Steps(Press("More networks"), Press("Add a network"))},
		{"ports", "What it is", Press("Add a service")},
		{"ports", "What it is called", Press("Link with another site")},
	} {
		value := func() string {
			return ask[string](t, ctx, fmt.Sprintf(`(() => { %s; return field(%q).value })()`, fields, f.field))
		}
		do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/"+f.station), Wait(`document.querySelector(".facts button")`), Settled, f.opens, open)
		was := value()
		do(t, ctx, beside, Wait(`true`), chromedp.Navigate(p.URL+"/s/pottery/"+f.station), Wait(`document.querySelector(".facts button")`), Settled, f.opens, open, Fill(f.field, "typed"), beside, Settled)
		if got := value(); got != "typed" {
			t.Errorf("%s: after a press beside it %q", f.field, got)
		}
		do(t, ctx, chromedp.Reload(), open, Settled)
		if got := value(); got != "typed" {
			t.Errorf("%s: after a reload %q", f.field, got)
		}
		do(t, ctx, Fill(f.field, "typed"), Keys(kb.Escape), Sees("What you typed is not saved"), Press("Cancel"), shut, f.opens, open, Settled)
		if got := value(); got != was {
			t.Errorf("%s: after Cancel %q, and was %q", f.field, got, was)
		}
		do(t, ctx, back, shut, Wait(`location.pathname.endsWith("/`+f.station+`")`))
		untouched(t, p.URL, "pottery", 1, f.field)
	}
}

// What is pasted beside an open preview is looked at with it, and all of it is taken.
func TestPastedTwice(t *testing.T) {
	p, ctx := demo(t), open(t)
	paste := func(text string) Step {
		return chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`(() => { const d = new DataTransfer(); d.setData("text/plain", %q); document.body.dispatchEvent(new ClipboardEvent("paste", { clipboardData: d, bubbles: true, cancelable: true })) })()`, text))
	}
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey"), rows(19), Settled, paste("10.48.16.211 00:00:5e:00:53:b1 first-scale\n"), Sees("1 sighting"), Settled,
		paste("10.48.16.212 00:00:5e:00:53:b2 second-scale\n"), Sees("2 sightings"), Settled, Press("Take 2 new devices"), Sees("Taken in"))
	if file := fileOf(t, p.URL, "pottery"); !strings.Contains(file, "00:00:5e:00:53:b1") || !strings.Contains(file, "00:00:5e:00:53:b2") {
		t.Error("one of the two is not there")
	}
}

// A choice stays shown while it is sent, and where it was refused says why.
func TestChoiceOnASlowLink(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:till"), Wait(`document.querySelector("[data-inspector] label")`), Settled, slowly(1200), Choose("Wants a pin", "loose"), chromedp.Evaluate[chromedp.Void](`new Promise((done) => setTimeout(done, 300))`))
	if got := ask[string](t, ctx, fmt.Sprintf(`(() => { %s; return field("Wants a pin").value })()`, fields)); got != "loose" {
		t.Errorf("while it is sent it shows %q", got)
	}
	do(t, ctx, Settled, Wait(fmt.Sprintf(`(() => { %s; return field("Wants a pin").value === "loose" })()`, fields)))
	if !strings.Contains(fileOf(t, p.URL, "pottery"), `"wants": "loose"`) {
		t.Error("it was not kept")
	}
}

// What is typed after the key for Find belongs to it, also while it is loaded.
func TestKeysOnTheWayToFind(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey"), rows(19), Settled, Keys("/west"), Wait(`document.activeElement.value === "west"`), Keys(kb.Escape), Wait(`!document.querySelector("[role$=dialog]")`), Keys("2"), Wait(`location.pathname.endsWith("/addresses")`))
	untouched(t, p.URL, "pottery", 1, "keys for Find")
}

// What a window wants to remove was changed elsewhere meanwhile: it is asked again. A link with a site that
// is gone is made at neither end.
func TestStaleIsAskedAgain(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:till"), Wait(`document.querySelector("[data-inspector] label")`), Settled, deaf)
	edit(t, p.URL, "pottery", 1, `{"do":"pin","id":"till.0","pin":{"address":"10.48.16.77"}}`)
	do(t, ctx, Press("Remove the device"), Sees("Meanwhile the same was changed elsewhere"))
	if got := held(t, p.URL, "pottery").pin("till.0"); !strings.HasPrefix(got, "10.48.16.77") {
		t.Errorf("it was removed with its newer pin: %s", got)
	}
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports"), Press("Link with another site"), Wait(`[...document.querySelectorAll("[role=dialog] option")].some((o) => o.value === "flat")`), Settled, Choose("The other site", "flat"), Wait(`[...document.querySelectorAll("[role=dialog] option")].some((o) => o.value === "media.0")`),
		Choose("Listens here", "decoder.in"), Choose("Calls from there", "media.0"), deaf)
	r, err := http.NewRequest("DELETE", p.URL+"/api/sites/flat", nil)
	if err != nil {
		t.Fatal(err)
	}
	if resp, err := http.DefaultClient.Do(r); err != nil || resp.StatusCode != 204 {
		t.Fatal(err, resp)
	}
	do(t, ctx, Press("Link them"), Wait(`document.querySelector("[role=dialog] [role=alert]")`))
	untouched(t, p.URL, "pottery", 2, "half a link")
}

// What is added while the rows are filtered, and picked, is said to be hidden.
func TestAddedBesideAFilter(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey"), rows(19), Choose("Kind to show", "camera"), Wait(`document.querySelectorAll("[data-device]").length < 8`), Press("Add by hand"), Sees("is not among the rows that are shown"), Press("Show everything"), rows(20), Wait(`!document.querySelector("[data-hidden]")`))
}

// A forward that is switched off says so, and is switched on.
func TestForwardIsSwitchedOn(t *testing.T) {
	p, ctx := demo(t), open(t)
	var whole struct {
		Forwards []map[string]any
	}
	if err := json.Unmarshal([]byte(fileOf(t, p.URL, "pottery")), &whole); err != nil || len(whole.Forwards) == 0 {
		t.Fatal(err)
	}
	f := whole.Forwards[0]
	f["enabled"] = false
	off, err := json.Marshal(map[string]any{"do": "put-forward", "forward": f})
	if err != nil {
		t.Fatal(err)
	}
	edit(t, p.URL, "pottery", 1, string(off))
	do(t, ctx, chromedp.Navigate(p.URL+fmt.Sprintf("/s/pottery/ports?pick=forward:%s", f["id"])), Sees("This forward is switched off"), Press("Switch it on"), Sees("is switched on in the plan"), Wait(`!document.body.innerText.includes("This forward is switched off")`))
	if strings.Contains(fileOf(t, p.URL, "pottery"), `"enabled": false`) {
		t.Error("it is still off")
	}
}

// Back lets go of what is picked before it leaves the station.
func TestBackUndoesThePickFirst(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey"), rows(19), Keys("2"), Wait(`document.querySelector("[data-row]")`), Settled,
		chromedp.Evaluate[chromedp.Void](`document.querySelector("[data-row]").click()`), Wait(`location.search.includes("pick=")`), back, Wait(`location.pathname.endsWith("/addresses") && !location.search`), back, Wait(`location.pathname.endsWith("/survey")`))
}

// A link is one change at two sites: undone at one end it is gone at both.
func TestLinkIsOneChange(t *testing.T) {
	p, ctx := demo(t), open(t)
	version := held(t, p.URL, "flat").Version
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports"), Press("Link with another site"), Wait(`document.querySelector("[role=dialog] select")`), Settled, Choose("The other site", "flat"), Wait(`[...document.querySelectorAll("[role=dialog] option")].some((o) => o.value === "media.0")`),
		Choose("Listens here", "decoder.in"), Choose("Calls from there", "media.0"), slowly(600), Press("Link them"), Keys(kb.Enter), Sees("is made, at both sites"))
	links := func(id string) int { return strings.Count(fileOf(t, p.URL, id), `"far":`) }
	here, there := links("pottery"), links("flat")
	if held(t, p.URL, "flat").Version != version+1 || here == 0 || there == 0 {
		t.Errorf("%d and %d ends, the other site at %d", here, there, held(t, p.URL, "flat").Version)
	}
	do(t, ctx, Press("Undo"), Sees("Taken back"))
	if a, b := links("pottery"), links("flat"); a != here-1 || b != there-1 {
		t.Errorf("undone, %d and %d ends are left of %d and %d", a, b, here, there)
	}
}

// The program goes while a station is opened that was not loaded yet: the page says so, keeps what is
// typed, and goes on when the program is back.
func TestProgramGoesAndComesBack(t *testing.T) {
	dir := t.TempDir()
	db := filepath.Join(dir, "v.db")
	p, ctx := start(t, "serve", "--addr", "127.0.0.1:0", "--db", db), open(t)
	addr := strings.TrimPrefix(p.URL, "http://")
	do(t, ctx, chromedp.Navigate(p.URL), Press("New site"), Press("Type"), Fill("Name", "Mill"), Fill("Subnet", "10.48.16.0/24"), Press("Make the site"), Press("Add by hand"), Sees("1 found"), Settled)
	do(t, ctx, Wait(`document.querySelector("[data-inspector] label")`), Settled)
	p.Kill()
	do(t, ctx, Fill("Place", "attic"), Keys(kb.Enter), Wait(`document.querySelector("[data-presence=away]")`), Sees("what you type is kept here"),
		chromedp.Evaluate[chromedp.Void](`document.querySelector("nav a[href*=ports]").click()`), Wait(`location.pathname.endsWith("/ports")`))
	start(t, "serve", "--addr", addr, "--db", db)
	do(t, ctx, Sees("No services yet"), chromedp.Evaluate[chromedp.Void](`document.querySelector("nav a[href*=survey]").click()`), Wait(fmt.Sprintf(`(() => { %s; return field("Place")?.value === "attic" })()`, fields)),
		Fill("Place", "attic"), Keys(kb.Enter), Settled)
	if !strings.Contains(fileOf(t, "http://"+addr, "mill"), `"attic"`) {
		t.Error("what was typed while it was away is not there")
	}
}
