package server

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"vestpin/afar"
	"vestpin/core/site"
	"vestpin/demo"
	"vestpin/sim"
	"vestpin/store"
	"vestpin/wire"
)

// proving is a server on the demo's networks, each with a far end of its own.
func proving(t *testing.T) string {
	t.Helper()
	network := func(id string) *sim.World {
		w, err := demo.Network(id)
		if err != nil {
			t.Error(err)
		}
		if w == nil {
			w = &sim.World{}
		}
		return w
	}
	return serve(t, Options{Network: func(id string) wire.Network { return network(id) }, Far: func(_ context.Context, id, _ string) (wire.FarEnd, error) {
		if w := network(id); w.Beyond != nil {
			return sim.Far{World: w}, nil
		}
		return nil, errors.New("nobody is elsewhere")
	}}).URL
}

// checkedAt waits until a check is over, and gives what it came to; services by their id are
// "works cause".
func checkedAt(t *testing.T, at string) (Checks, map[string]string) {
	t.Helper()
	for range 400 {
		var read struct {
			State  CheckState
			Report *struct {
				From     string
				Services []struct {
					Service, Works string
					Causes         []struct{ Cause string }
				}
			}
			Far  FarEnd
			Here Side
			Open map[string]string
			Back []wire.Back
		}
		if get(t, at, &read); read.State.Running {
			time.Sleep(50 * time.Millisecond)
			continue
		}
		out := map[string]string{}
		if read.Report != nil {
			for _, s := range read.Report.Services {
				out[s.Service] = s.Works
				if len(s.Causes) > 0 {
					out[s.Service] += " " + s.Causes[0].Cause
				}
			}
		}
		return Checks{State: read.State, Far: read.Far, Here: read.Here, Open: read.Open, Back: read.Back}, out
	}
	t.Fatal("the check does not end")
	return Checks{}, nil
}

// A check is kept as an edit that undo takes back; on the same stay a later one goes over it,
// also one of a single service, and what a person saw.
func TestCheckFromStartToUndo(t *testing.T) {
	t.Parallel()
	u := proving(t)
	at := u + "/api/sites/pottery/checks"
	if c, _ := checkedAt(t, at); c.State.What != "" || !c.Here.Inside || c.Far.At != "198.51.100.7" {
		t.Errorf("before: %+v", c)
	}
	if status, body := send(t, "POST", at, `{}`); status != 200 {
		t.Fatalf("%d %s", status, body)
	}
	if status, body := send(t, "POST", at, `{"what":"watch"}`); status != 409 {
		t.Errorf("a second at once: %d %s", status, body)
	}
	c, got := checkedAt(t, at)
	if got["rec.web"] != "yes" || got["rec.video"] != "no forward-missing" || got["decoder.web"] != "no wrong-device" || c.State.Says != "" {
		t.Errorf("%+v %v", c.State, got)
	}
	if c.Open["rec.web"] != "http://studio.example.net:8020/" || c.Open["phone.sip"] != "" {
		t.Errorf("pages to open are %v", c.Open)
	}
	proofs := func() (list []site.Proof, left Left) {
		var a struct {
			Site struct{ Proofs []site.Proof }
			Left Left
		}
		get(t, u+"/api/sites/pottery", &a)
		return a.Site.Proofs, a.Left
	}
	kept, left := proofs()
	if len(kept) != 1 || left.Works != 3 || left.Tried != 8 {
		t.Errorf("%d are kept, %+v", len(kept), left)
	}
	if status, body := send(t, "POST", at, `{"services":["rec.video"],"from":"inside"}`); status != 200 {
		t.Fatalf("%d %s", status, body)
	}
	if _, got := checkedAt(t, at); got["rec.web"] != "yes" {
		t.Errorf("after a check of one: %v", got)
	}
	if status, body := send(t, "POST", at+"/saw", `{"service":"rec.video","saw":"answers"}`); status != 200 {
		t.Fatalf("%d %s", status, body)
	}
	if _, got := checkedAt(t, at); got["rec.video"] != "yes" {
		t.Errorf("after somebody saw it: %v", got)
	}
	if status, _ := send(t, "POST", at+"/saw", `{"service":"nothing","saw":"answers"}`); status != 404 {
		t.Errorf("a service that is not there: %d", status)
	}
	for version := 4; version < 7; version++ {
		if status, body := send(t, "POST", u+"/api/sites/pottery/undo", fmt.Sprintf(`{"version":%d}`, version)); status != 200 {
			t.Fatalf("%d %s", status, body)
		}
	}
	if kept, _ := proofs(); len(kept) != 0 {
		t.Errorf("after undo %d are kept", len(kept))
	}
}

// A check that is stopped keeps what it saw; one that cannot be made says why; a site that is
// removed ends its own.
func TestStoppedCheck(t *testing.T) {
	t.Parallel()
	u := proving(t)
	at := u + "/api/sites/pottery/checks"
	send(t, "POST", at, `{}`)
	time.Sleep(700 * time.Millisecond)
	if status, body := send(t, "POST", at+"/stop", ""); status != 200 || !strings.Contains(body, "Stopped. What was seen is kept.") {
		t.Errorf("%d %s", status, body)
	}
	if _, got := checkedAt(t, at); len(got) == 0 {
		t.Error("nothing is kept")
	}
	send(t, "POST", u+"/api/sites/import?name=x", `{"format":"vestpin-site/1","name":"Empty"}`)
	if status, _ := send(t, "POST", u+"/api/sites/nowhere/checks", `{}`); status != 404 {
		t.Errorf("no such site: %d", status)
	}
	if status, body := send(t, "POST", u+"/api/sites/works/checks", `{"from":"inside"}`); status == 200 {
		c, _ := checkedAt(t, u+"/api/sites/works/checks")
		if !c.State.Failed || !strings.Contains(c.State.Says, "attached to no network") {
			t.Errorf("%+v", c.State)
		}
	} else if status != 404 {
		t.Errorf("%d %s", status, body)
	}
	if status, _ := send(t, "POST", at, `{"from":"above"}`); status != 422 {
		t.Errorf("from above: %d", status)
	}
	send(t, "POST", at, `{}`)
	if status, body := send(t, "DELETE", u+"/api/sites/pottery", ""); status >= 300 {
		t.Errorf("%d %s", status, body)
	}
}

// A watch tells who is there, and ends when it is stopped.
func TestWatchOverTheInterface(t *testing.T) {
	t.Parallel()
	u := proving(t)
	at := u + "/api/sites/pottery/checks"
	if status, body := send(t, "POST", at, `{"what":"watch"}`); status != 200 {
		t.Fatalf("%d %s", status, body)
	}
	there, order := 0, ""
	for range 60 {
		var c struct{ Back []wire.Back }
		get(t, at, &c)
		there, order = 0, ""
		for _, b := range c.Back {
			order += b.Interface + " "
			if b.State == wire.NeverGone {
				there++
			}
		}
		if there > 5 {
			break
		}
		time.Sleep(100 * time.Millisecond)
	}
	if there < 5 {
		t.Errorf("%d are there", there)
	}
	// The router, then as the sheet comes to them: reservations, then those set by hand, by place.
	if want := " rec.0 yard.0 shopcam.0 kilncam.0 till.0 decoder.0 patch.0 switch.0 phone.0 phone.1 door.0 label.0 "; order != want {
		t.Errorf("they are watched in the order\n%s, want\n%s", order, want)
	}
	if _, body := send(t, "POST", at+"/stop", ""); !strings.Contains(body, "The watch was ended.") {
		t.Error(body)
	}
}

// A pairing text is kept, one with a wrong character is refused, an empty one forgets it.
func TestFarEndIsPaired(t *testing.T) {
	u := serve(t, Options{}).URL
	h, err := afar.New("203.0.113.9:8418")
	if err != nil {
		t.Fatal(err)
	}
	text := h.Pairing().String()
	if status, body := send(t, "PUT", u+"/api/far-end", `{"pairing":"Answering at 203.0.113.9:8418; pair with `+text+`"}`); status != 200 || !strings.Contains(body, `"at":"203.0.113.9:8418"`) {
		t.Errorf("%d %s", status, body)
	}
	wrong := text[:20] + map[bool]string{true: "a", false: "b"}[text[20] != 'a'] + text[21:]
	if status, body := send(t, "PUT", u+"/api/far-end", `{"pairing":"`+wrong+`"}`); status != 422 || !strings.Contains(body, "wrong") || strings.Contains(body, wrong) {
		t.Errorf("%d %s", status, body)
	}
	if _, body := send(t, "GET", u+"/api/far-end", ""); !strings.Contains(body, `"paired":true`) || strings.Contains(body, text) {
		t.Error(body)
	}
	send(t, "PUT", u+"/api/far-end", `{"pairing":""}`)
	if _, body := send(t, "GET", u+"/api/far-end", ""); !strings.Contains(body, `"paired":false`) {
		t.Error(body)
	}
}

// While the program runs it looks at the outside address and at what the name stands for: of a
// router that tells nothing, or stands behind another, by the far end. What changed is kept
// once, and a snag says so.
func TestOutsideIsWatched(t *testing.T) {
	t.Parallel()
	moved := netip.MustParseAddr("203.0.113.99")
	for what, change := range map[string]func(*sim.World, *sim.Maps){
		"the router tells":       func(_ *sim.World, m *sim.Maps) { m.Outside = moved },
		"the router tells none":  func(w *sim.World, m *sim.Maps) { m.Outside, w.Beyond.Address = netip.Addr{}, moved },
		"it stands behind other": func(w *sim.World, m *sim.Maps) { m.Outside, w.Beyond.Address = netip.MustParseAddr("10.99.0.2"), moved },
	} {
		t.Run(what, func(t *testing.T) {
			t.Parallel()
			network := func(id string) *sim.World {
				w, err := demo.Network(id)
				if err != nil || w == nil {
					return &sim.World{}
				}
				for i := range w.Hosts {
					if w.Hosts[i].Maps != nil && id == "pottery" {
						change(w, w.Hosts[i].Maps)
					}
				}
				return w
			}
			u := serve(t, Options{Watch: 100 * time.Millisecond, Network: func(id string) wire.Network { return network(id) }, Far: func(_ context.Context, id, _ string) (wire.FarEnd, error) {
				return sim.Far{World: network(id)}, nil
			}}).URL
			for range 150 {
				if _, body := send(t, "GET", u+"/api/sites/pottery", ""); strings.Contains(body, "The outside address is 203.0.113.99 now; 203.0.113.47 is entered.") {
					time.Sleep(time.Second) // it goes on looking
					var a struct{ Version int }
					if get(t, u+"/api/sites/pottery", &a); a.Version != 2 {
						t.Errorf("it is kept again and again: version %d", a.Version)
					}
					return
				}
				time.Sleep(100 * time.Millisecond)
			}
			t.Error("the change is not noticed")
		})
	}
}

// roaming is the pottery's network, from which the laptop goes away.
type roaming struct {
	*sim.World
	away *atomic.Bool
}

func (r roaming) Links() ([]wire.Link, error) {
	if r.away.Load() {
		return []wire.Link{{Name: "hotspot", MAC: "00:00:5e:00:53:7e", Own: netip.MustParsePrefix("192.0.2.9/24"), Gateway: netip.MustParseAddr("192.0.2.1")}}, nil
	}
	return r.World.Links()
}

// leaving is a server at the pottery without a far end, and whether its laptop is away.
func leaving(t *testing.T) (string, *atomic.Bool) {
	t.Helper()
	away := &atomic.Bool{}
	return serve(t, Options{Network: func(id string) wire.Network {
		w, err := demo.Network(id)
		if err != nil || w == nil {
			return &sim.World{}
		}
		w.Beyond.LoopsBack = true // the way out leads to the outside address
		return roaming{w, away}
	}, Far: func(context.Context, string, string) (wire.FarEnd, error) { return nil, errors.New("none") }}).URL, away
}

// By the phone's hotspot: once this computer is elsewhere everything is tried from there, beside
// what was seen inside, and it ends when it is back.
func TestByHotspot(t *testing.T) {
	t.Parallel()
	u, away := leaving(t)
	at := u + "/api/sites/pottery/checks"
	if status, body := send(t, "POST", at, `{"what":"hotspot"}`); status != 200 {
		t.Fatalf("%d %s", status, body)
	}
	doing := func(want string) {
		t.Helper()
		for range 300 {
			var c struct{ State CheckState }
			if get(t, at, &c); strings.Contains(c.State.Doing, want) {
				return
			}
			time.Sleep(50 * time.Millisecond)
		}
		t.Fatalf("it does not come to %q", want)
	}
	doing("join the phone's hotspot")
	away.Store(true)
	doing("go back to the site's network")
	away.Store(false)
	c, got := checkedAt(t, at)
	if c.State.Says != "Tried from elsewhere, and back inside." || got["rec.web"] != "yes" || !strings.HasPrefix(got["rec.video"], "no ") {
		t.Errorf("%+v %v", c.State, got)
	}
}

// A computer that leaves a site at which it is at work is noticed: everything is tried from where
// it is then, once, also where that was stopped.
func TestLeavingIsNoticed(t *testing.T) {
	t.Parallel()
	u, away := leaving(t)
	at := u + "/api/sites/pottery/checks"
	await := func(what string, is func(CheckState) bool) CheckState {
		t.Helper()
		var c struct{ State CheckState }
		for range 400 {
			if get(t, at, &c); is(c.State) {
				return c.State
			}
			time.Sleep(50 * time.Millisecond)
		}
		t.Fatalf("waited in vain until %s: %+v", what, c.State)
		return c.State
	}
	away.Store(true)
	time.Sleep(3 * followEvery)
	await("nothing", func(c CheckState) bool { return c.What == "" }) // nobody is at work there
	away.Store(false)
	send(t, "POST", at, `{}`)
	time.Sleep(2 * followEvery)
	away.Store(true)
	await("it goes back", func(c CheckState) bool {
		return c.What == "hotspot" && c.Running && c.Followed && strings.Contains(c.Doing, "go back")
	})
	var a struct{ Site struct{ Proofs []site.Proof } }
	get(t, u+"/api/sites/pottery", &a)
	if p := a.Site.Proofs[0]; p.From != "both" || len(p.Router.Told) == 0 {
		t.Errorf("kept is %+v", p)
	}
	send(t, "POST", at+"/stop", "")
	time.Sleep(3 * followEvery)
	await("it stays stopped", func(c CheckState) bool { return !c.Running })
}

// Whether a service is in use is told by our own try, by the router, and by a list of its
// connections; nothing is kept of it.
func TestInUse(t *testing.T) {
	t.Parallel()
	u := proving(t)
	at := u + "/api/sites/pottery/checks/in-use"
	const list = `{"service":"rec.web","list":"tcp 6 431999 ESTABLISHED src=198.51.100.7 dst=203.0.113.47 sport=50122 dport=8020 src=10.48.16.20 dst=198.51.100.7 sport=80 dport=50122 [ASSURED] use=1"}`
	for body, want := range map[string]string{
		`{"service":"rec.web"}`: "Who else is connected cannot be seen from here",
		list:                    "In use now, by the router's list: 198.51.100.7 from outside. It took our own connection just now, after ",
		`{"service":"nothing"}`: "There is no service",
		`{"service":"rec.web","list":"eth0 up\nno"}`: "eth0 up",
		`{"service":"label.raw"}`:                    "It did not take our own connection just now",
	} {
		status, got := send(t, "POST", at, body)
		if refused := strings.Contains(want, "There is") || want == "eth0 up"; !strings.Contains(got, want) || refused == (status == 200) {
			t.Errorf("%s: %d %s", body, status, got)
		}
	}
	untouched := struct{ Version int }{}
	if get(t, u+"/api/sites/pottery", &untouched); untouched.Version != 1 {
		t.Errorf("it made version %d", untouched.Version)
	}
}

// Where an address that was taken cannot be given back, it is not forgotten either.
func TestTakenIsNotForgotten(t *testing.T) {
	st, err := store.Open(filepath.Join(t.TempDir(), "vestpin.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	taken := store.TakenAddress{Link: "eth0", Address: "10.48.16.20"}
	if err := st.SetTaken(t.Context(), taken, true); err != nil {
		t.Fatal(err)
	}
	New(st, Options{Network: func(string) wire.Network { return &sim.World{} }}).Close() // it takes none
	if left, err := st.Taken(t.Context()); err != nil || len(left) != 1 || left[0] != taken {
		t.Errorf("left are %v %v", left, err)
	}
}
