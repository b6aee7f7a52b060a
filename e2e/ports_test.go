package e2e

import (
	"fmt"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
)

// service is a service as the program keeps it, in one line; "" for none.
func (k kept) service(id string) string {
	for _, d := range k.Site.Devices {
		for _, s := range d.Services {
			if s.ID != id {
				continue
			}
			open := "in"
			if s.Open != nil {
				open = strings.Join(append([]string{"open " + s.Open.Port}, s.Open.From...), " ")
			}
			return fmt.Sprintf("%s %s %s, %s, can be %s", s.Name, s.Protocol, s.Ports, open, strings.Join(s.CanSetTo, " "))
		}
	}
	return ""
}

// By keyboard alone: what a device is wanted for opens what that needs and nothing else; what is
// dangerous says so until it is limited; one undo takes it back.
func TestEquipByKeyboardAlone(t *testing.T) {
	p, ctx := demo(t), open(t)
	expect := func(id, want string) {
		t.Helper()
		if got := held(t, p.URL, "pottery").service(id); got != want {
			t.Errorf("%s: %q, want %q", id, got, want)
		}
	}
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports?pick=device:rec"), Wait(`document.querySelector("[data-threads]")`), Keys("e"), Sees("watch from elsewhere"),
		TabTo("watch from elsewhere"), Keys(kb.Tab), Keys(" "), Sees("All of this is there and open already."),
		TabTo("manage it"), Keys(" "), Sees("To manage it, web page (TLS) (443 tcp) is opened."), Keys(kb.Enter), Sees("1 service is to be opened"), Wait(`!document.querySelector("[role$=dialog]")`))
	expect("rec.page-tls", "web page (TLS) tcp 443, open any, can be 444 8443")
	do(t, ctx, Settled, Ctrl("z"), Sees("Taken back"))
	expect("rec.page-tls", "")
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports?pick=device:laptop"), Wait(`document.querySelector("[data-threads]")`), Keys("e"), Sees("work in its shell"),
		TabTo("work in its shell"), Keys(" "), Sees("never open to the whole internet"), Sees("there is none among the devices yet"),
		TabTo("Limit who may connect"), Keys(kb.Enter), Wait(`document.activeElement.placeholder === "anyone"`), Keys("198.51.100.300"), Sees("198.51.100.300"), Wait(`document.querySelector("[role=dialog] [role=alert]")`),
		Ctrl("a"), Keys("198.51.100.0/24"), Wait(`!document.querySelector("[data-danger-remark]")`), Wait(`document.querySelector("[data-outcome] li")`), Keys(kb.Enter), Sees("1 service is to be opened"))
	expect("laptop.shell", "SSH tcp 22, open any 198.51.100.0/24, can be 2222")
}

// Several alike are equipped at once, and a box with two interfaces gets its optional card on
// the one that is chosen, by both protocols where that helps; one undo takes all back.
func TestEquipSeveralAndTwoInterfaces(t *testing.T) {
	p, ctx := demo(t), open(t)
	tick := func(label string) Step {
		at := fmt.Sprintf(`[...document.querySelectorAll("[role=dialog] label")].find((l) => l.innerText.trim().startsWith(%q))`, label)
		return chromedp.Steps(Wait("Boolean("+at+")"), chromedp.Evaluate[chromedp.Void](at+".click()"), Wait(at+`.querySelector("input").checked`))
	}
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports?pick=device:yard"), Press("Equip"), Sees("watch from elsewhere"), tick("and the 3 others"), tick("watch from elsewhere"),
		Press("Open 4 services"), Sees("4 services are to be opened"), Settled)
	open := 0
	for _, id := range []string{"yard.video", "shopcam.video", "kilncam.video", "newcam.video"} {
		if strings.Contains(held(t, p.URL, "pottery").service(id), "open any") {
			open++
		}
	}
	if open != 4 {
		t.Errorf("%d of 4 cameras are opened", open)
	}
	do(t, ctx, Press("Undo"), Sees("Taken back"), Settled)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports?pick=device:phone"), Press("Equip"), Sees("calls, encrypted"), tick("calls, encrypted"), tick("voice of a second card"),
		Choose("Interface of voice of a second card", "phone.1"), Press("Open 2 services"), Sees("2 services are to be opened"))
	for _, d := range held(t, p.URL, "pottery").Site.Devices {
		for _, s := range d.Services {
			if want := map[string]string{"phone.voice-2": "phone.1 udp 16448-16511", "phone.sip-tls": "phone.0 tcp 5061"}[s.ID]; want != "" && fmt.Sprint(s.Interface, " ", s.Protocol, " ", s.Ports) != want {
				t.Errorf("%s is %s %s %s, want %s", s.ID, s.Interface, s.Protocol, s.Ports, want)
			}
		}
	}
}

// What a manual says becomes services once it was seen: what is there already is used, what the
// device uses now can be set back, and what was not understood is told.
func TestPortsFromAText(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports?pick=device:rec"), Press("Equip"), Press("By what it answers on"),
		SetText("Paste what", "HTTP port: 8081\nTCP 80, 554; UDP 6970-6999\nsomething 12 and 7"),
		Wait(`document.querySelectorAll("[data-listed] > li").length === 4`), Sees("is there as video"), Sees("line 3:"), Sees("can be set to 80, 81, 8080"),
		Choose("What to do with HTTP 8081", "open"), Press("Enter 2 services"), Sees("2 services are entered"))
	k := held(t, p.URL, "pottery")
	if got := k.service("rec.8081"); got != "HTTP tcp 8081, open any, can be 80 81 8080" {
		t.Errorf("the page is %q", got)
	}
	if got := k.service("rec.6970-6999"); got != " udp 6970-6999, in, can be " {
		t.Errorf("the range is %q", got)
	}
}

const heldPage = "Name;Protocol;External port;Internal IP;Internal port\nrecorder;TCP;8020;10.48.16.29;80\ncam;TCP;8021;10.48.16.21;80\nold;TCP;9000;10.48.16.44;9000\n"

// A router's page is held against the plan line by line; the plan takes what only the router has,
// and a line that was typed again is as planned.
func TestRouterIsComparedAndTakenOver(t *testing.T) {
	p, ctx := demo(t), open(t)
	row := func(line, state, says string) Step {
		return Wait(fmt.Sprintf(`(() => { const r = document.querySelector("[data-held-row='%s']"); return r?.dataset.state === %q && r.innerText.includes(%q) })()`, line, state, says))
	}
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports"), Press("Compare with the router"), SetText("Its forwarding page", heldPage), Press("Read this"), Sees("3 forwards that a router holds"), Press("Take what is new"),
		Sees("3 entries, read"), Sees("6 differences"),
		row("line 1", "differs", "planned to .20: a digit?"), row("line 2", "same", "as planned"), row("line 3", "differs", "in no plan"), row("missing 0", "missing", "missing in the router"),
		Wait(`document.querySelector("[data-eye='alone tcp 9000'], [data-eye*='9000']")`), Wait(`document.querySelector("[data-held='f1'], g[data-held]")`))
	// The line that is wrong: its forward is picked, and noted as typed.
	do(t, ctx, click("[data-held-row='line 1']"), Press("Note that 8020/tcp is typed as planned"), row("line 1", "same", ".20"), Sees("5 differences"))
	// What the router alone has comes into the plan.
	do(t, ctx, click("[data-held-row='line 3']"), click("[data-group=router-differs] button"), Press("Take 9000/tcp into the plan"), Sees("4 differences"), Settled)
	found := false
	for _, f := range held(t, p.URL, "pottery").Site.Forwards {
		found = found || f.Outside == "9000"
	}
	if !found {
		t.Error("9000 is not in the plan")
	}
	do(t, ctx, Press("Undo"), Sees("5 differences"))
}

// A thread pulled from a loose device pins it in the same change, says so, and one undo takes
// both back.
func TestPullPinsTheDevice(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports?pick=service:pc.rdp"), Press("Open at 3389"), Sees("is open at 3389. Office PC is pinned at 10.48.16."), Settled)
	k := held(t, p.URL, "pottery")
	if !strings.HasSuffix(k.pin("pc.0"), " reservation") || k.Version != 2 {
		t.Errorf("the device is %s at version %d", k.pin("pc.0"), k.Version)
	}
	do(t, ctx, Press("Undo"), Sees("Taken back"))
	if got := held(t, p.URL, "pottery").pin("pc.0"); got != "loose" {
		t.Errorf("after undo it is %s", got)
	}
}

// A firm's own kinds come in from a file, serve at once, and can be taken back; a bad file is
// refused with its path.
func TestOwnKinds(t *testing.T) {
	p, ctx := demo(t), open(t)
	kinds := `{"format":"vestpin-catalogue/1","kinds":[{"id":"kiln","name":"kiln","purposes":[{"id":"fire","name":"see it fire","services":["page"]}],"services":[{"id":"page","name":"firing page","protocol":"tcp","ports":"8088","open":"any","canSetTo":[],"risk":"plain","check":"http","address":"http://{host}:{port}/","tells":[]}]}]}`
	do(t, ctx, chromedp.Navigate(p.URL), Press("More:"), Press("Kinds of device"), Sees("video recorder"),
		file(t, "Catalogue file", "bad.json", strings.Replace(kinds, `"tcp"`, `"icmp"`, 1)), Sees("catalogue.kinds[0].services[0].protocol"),
		file(t, "Catalogue file", "kinds.json", kinds), Sees("kiln, your own: see it fire"), Press("Close"),
		chromedp.Navigate(p.URL+"/s/pottery/ports?pick=device:kiln"), Press("Equip"), Wait(`[...document.querySelectorAll("[role=dialog] option")].some((o) => o.text === "kiln")`), Choose("It is a", "kiln"), Sees("see it fire"), TabTo("see it fire"), Keys(kb.Tab), Keys(" "), Sees("Kiln controller is a kiln."), Press("Open 1 service"), Sees("1 service is to be opened"))
	if got := held(t, p.URL, "pottery").service("kiln.page"); got != "firing page tcp 8088, open any, can be " {
		t.Errorf("the kiln's page is %q", got)
	}
	do(t, ctx, chromedp.Navigate(p.URL), Press("More:"), Press("Kinds of device"), Press("Remove your own"), Wait(`!document.body.innerText.includes("your own:")`), Press("Undo"), Sees("kiln, your own"))
}

// A link is made at both sites: the end that listens needs a forward, the one that calls gets
// what to dial; each site shows how both ends stand.
func TestLinkBetweenSites(t *testing.T) {
	p, ctx := demo(t), open(t)
	state := func(want string) Step {
		return Wait(fmt.Sprintf(`document.querySelector("[data-link]")?.dataset.state === %q`, want))
	}
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports"), Press("Link with another site"), Wait(`[...document.querySelectorAll("[role=dialog] option")].some((o) => o.value === "flat")`),
		Choose("The other site", "flat"), Wait(`[...document.querySelectorAll("[role=dialog] option")].some((o) => o.value === "media.0")`), Fill("What it is for", "shop picture"),
		Choose("Listens here", "decoder.in"), Choose("Calls from there", "media.0"), Press("Link them"), Sees("is made, at both sites"),
		state("open"), Sees("studio.example.net:7001/udp"), Wait(`document.querySelector("[data-link-thread]")?.textContent.includes("called by Flat")`),
	)
	look(t, ctx, "link-open")
	do(t, ctx,
		chromedp.Navigate(p.URL+"/s/flat/ports"), state("unknown"), Sees("There: It listens, and is dialled from the other site."),
		Press("Dial studio.example.net:7001/udp from now on"), state("dials"))
	do(t, ctx, Wait(`document.querySelector("svg [data-link-end]")?.textContent.includes("calls Salt")`))
	look(t, ctx, "link")
	// Kept in, it is shut, and both sites say so.
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports?pick=service:decoder.in"), Choose("From outside", "in"), Press("Keep it in"), state("shut"), Wait(`document.querySelector("svg [data-link-end]")?.textContent.includes("shut for ")`),
		chromedp.Navigate(p.URL+"/s/flat/ports"), Sees("There: It listens, but is kept inside"))
	// Without the device that listens the other end is told.
	edit(t, p.URL, "pottery", held(t, p.URL, "pottery").Version, `{"do":"remove-device","id":"decoder"}`)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/flat/ports"), Sees("The other site has no such link any more"), Press("Remove"), Wait(`!document.querySelector("[data-link]")`))
}

// A router that is asked tells its outside address and what devices had it open: a port that is
// planned for another is a snag.
func TestRouterIsAsked(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/ports"), Press("Ask the router"), Sees("tells 203.0.113.47 as its outside address and 2 ports that devices opened"),
		Wait(`document.querySelector("[data-mapped]")?.innerText.includes("7001 udp → .126 Flat media player, “den play”")`), Sees("7001/udp at Hall cupboard router was opened by Flat media player for itself (UPnP)"), Settled,
		Press("Undo"), Wait(`!document.querySelector("[data-mapped]")`))
}

// What an inner router holds otherwise is drawn from that router on, and what it holds alone
// at its own edge.
func TestInnerRouterIsDrawn(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/flat/addresses"), Press("Suggest"), Press("Take 3 pins"), Sees("3 of 3 pinned"),
		Press("Ports"), Press("Suggest ports"), Press("Take 4 changes"), Sees("2 of 3 open"), Settled)
	own := func(outside, address string) string {
		return fmt.Sprintf(`{"name":"x","protocol":"tcp","outside":%q,"address":%q,"inside":%q,"from":[],"enabled":true}`, outside, address, outside)
	}
	edit(t, p.URL, "flat", held(t, p.URL, "flat").Version, fmt.Sprintf(`{"do":"held","id":"own","drop":[],"add":[%s,%s]}`, own("8443", "10.48.20.77"), own("9000", "10.48.20.88")))
	band := `document.querySelector("[data-band=own] rect").getBoundingClientRect()`
	do(t, ctx, Wait(`document.querySelector("[data-held] text")?.textContent.includes("to 10.48.20.77")`),
		Wait(`document.querySelector("[data-held] path").getBoundingClientRect().left >= `+band+`.left`),
		Wait(`(() => { const e = document.querySelector("[data-eye^='alone own']"); const b = `+band+`; const r = e?.getBoundingClientRect(); return r && r.right > document.querySelector("[data-band=box] rect").getBoundingClientRect().right && r.right < b.right && r.top > b.top && r.bottom < b.bottom + 20; })()`))
	look(t, ctx, "inner-router")
}
