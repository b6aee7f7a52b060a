package wire_test

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"vestpin/core/site"
	"vestpin/sim"
	"vestpin/wire"
)

// roaming is a network that the computer leaves for another, on which nobody is.
type roaming struct {
	*sim.World
	away *atomic.Bool
	at   wire.Link
}

func (r roaming) Links() ([]wire.Link, error) {
	if r.away.Load() {
		return []wire.Link{r.at}, nil
	}
	return r.World.Links()
}

// halting is a network of a computer that is halted for a while once, as in a sleep.
type halting struct {
	*sim.World
	once *sync.Once
	at   time.Time
}

func (h halting) Links() ([]wire.Link, error) {
	if time.Now().After(h.at) {
		h.once.Do(func() { time.Sleep(4 * time.Second) })
	}
	return h.World.Links()
}

var hotspot = wire.Link{Name: "hotspot", Own: netip.MustParsePrefix("192.0.2.9/24"), Gateway: netip.MustParseAddr("192.0.2.1")}

// A sleep in the middle of a check ends it, and nothing is silent for it.
func TestSleptInTheMiddle(t *testing.T) {
	t.Parallel()
	w, v := pottery(t), site.NewView(potterySite(t))
	n := halting{w, &sync.Once{}, time.Now().Add(700 * time.Millisecond)}
	p, err := wire.Prove(context.Background(), n, wire.Trial{Site: v, From: wire.Inside}, func(wire.Trying) {})
	if !errors.Is(err, wire.ErrSlept) || !slices.Contains(p.Notes, "This computer slept in the middle, or its clock was set.") {
		t.Errorf("%v %v", err, p.Notes)
	}
}

// Where the computer leaves in the middle, or the check is stopped at whatever moment, what did
// not answer around then is untried and not silent, and what answered before stands.
func TestLeftInTheMiddle(t *testing.T) {
	t.Parallel()
	w, v := pottery(t), site.NewView(potterySite(t))
	whole, err := wire.Prove(context.Background(), w, wire.Trial{Site: v, Far: sim.Far{World: w}}, func(wire.Trying) {})
	if err != nil || len(whole.Router.Gateways) != 1 || whole.Router.Gateways[0] != (site.ProofGateway{Network: "main", MAC: "00:00:5e:00:53:01"}) {
		t.Fatalf("%v %+v", err, whole.Router.Gateways)
	}
	holds := func(what string, after time.Duration, p site.Proof) {
		t.Helper()
		for i, h := range p.Services {
			if was := whole.Services[i].Inside.Result; h.Inside.Tried() && h.Inside.Result != was {
				t.Errorf("%s after %v %s is %s, and is %s", what, after, h.Service, h.Inside.Result, was)
			}
			if was := whole.Services[i].Outside.Result; h.Outside.Tried() && h.Outside.Result != was {
				t.Errorf("%s after %v %s is %s outside, and is %s", what, after, h.Service, h.Outside.Result, was)
			}
		}
		for _, x := range p.Interfaces {
			i := slices.IndexFunc(whole.Interfaces, func(o site.ProofThere) bool { return o.Interface == x.Interface })
			if x.Answers != site.Untried && x.Answers != whole.Interfaces[i].Answers {
				t.Errorf("%s after %v %s answers %s, and does %s", what, after, x.Interface, x.Answers, whole.Interfaces[i].Answers)
			}
		}
	}
	var all sync.WaitGroup
	for _, after := range []time.Duration{0, 50 * time.Millisecond, 300 * time.Millisecond, 700 * time.Millisecond, 1300 * time.Millisecond, 2100 * time.Millisecond, 3 * time.Second, 4 * time.Second} {
		all.Go(func() {
			var away atomic.Bool
			defer time.AfterFunc(after, func() { away.Store(true) }).Stop()
			p, err := wire.Prove(context.Background(), roaming{w, &away, hotspot}, wire.Trial{Site: v, From: wire.Inside, Far: sim.Far{World: w}}, func(wire.Trying) {})
			if away.Load() && (!errors.Is(err, wire.ErrLeft) || !slices.Contains(p.Notes, "This computer left the network in the middle.")) {
				t.Errorf("left after %v: %v %v", after, err, p.Notes)
			}
			holds("left", after, p)
		})
		all.Go(func() {
			ctx, stop := context.WithTimeout(context.Background(), after)
			defer stop()
			begun := time.Now()
			p, _ := wire.Prove(ctx, w, wire.Trial{Site: v, Far: sim.Far{World: w}}, func(wire.Trying) {})
			if late := time.Since(begun) - after; late > 2*time.Second {
				t.Errorf("stopped after %v, it ends %v later", after, late)
			}
			holds("stopped", after, p)
		})
	}
	all.Wait()
}

// A network with the addresses of the site's but another gateway is another, unless who
// stands there says that it is the same.
func TestSameAddressesElsewhere(t *testing.T) {
	t.Parallel()
	w, s := pottery(t), potterySite(t)
	s.Proofs = []site.Proof{{ID: "p1", Router: site.ProofRouter{Gateways: []site.ProofGateway{{Network: "main", MAC: "00:00:5e:00:53:01"}}}}}
	if at, err := wire.PlaceOf(w, s); err != nil || !at.Inside() {
		t.Errorf("%v %+v", err, at)
	}
	s.Proofs[0].Router.Gateways[0].MAC = "00:00:5e:00:53:99"
	if at, err := wire.PlaceOf(w, s); err != nil || at.Inside() || at.Strange.Own.Addr() != w.Own.Addr() {
		t.Errorf("%v %+v", err, at)
	}
	p, err := wire.Prove(context.Background(), w, wire.Trial{Site: site.NewView(s), From: wire.Inside, Only: []string{"rec.web"}}, func(wire.Trying) {})
	if err != nil || p.Services[0].Inside.Result != site.HeardAnswers || p.Router.Gateway("main") != "00:00:5e:00:53:01" {
		t.Errorf("%v %+v", err, p)
	}
}

// Of two networks with the same addresses, as in two flats, this computer is in the one whose
// devices are its neighbours, or whose gateway answered here before; where neither is known, in
// none that is claimed.
func TestEqualSubnetsAreToldApart(t *testing.T) {
	t.Parallel()
	place := func(change func(*site.Site)) wire.Place {
		t.Helper()
		w, s := pottery(t), potterySite(t)
		twin := s.Networks[0]
		twin.ID = "twin"
		s.Networks = append(s.Networks, twin)
		change(&s)
		at, err := wire.PlaceOf(w, s)
		if err != nil {
			t.Fatal(err)
		}
		return at
	}
	in := func(at wire.Place) string {
		return fmt.Sprint(slices.Sorted(maps.Keys(at.On)), " ", slices.Sorted(slices.Values(at.Unclear)))
	}
	nothing := func(s *site.Site) {
		for i := range s.Devices {
			for k := range s.Devices[i].Interfaces {
				s.Devices[i].Interfaces[k].MAC = ""
			}
		}
	}
	before := func(network string) func(*site.Site) {
		return func(s *site.Site) {
			s.Proofs = []site.Proof{{ID: "p1", Router: site.ProofRouter{Gateways: []site.ProofGateway{{Network: network, MAC: "00:00:5e:00:53:01"}}}}}
		}
	}
	for what, c := range map[string]struct {
		change func(*site.Site)
		want   string
	}{
		"its devices are neighbours":  {func(*site.Site) {}, "[main] []"},
		"nothing is known":            {nothing, "[] [main twin]"},
		"the gateway answered before": {func(s *site.Site) { nothing(s); before("twin")(s) }, "[twin] []"},
		"that is worth more":          {before("twin"), "[twin] []"},
	} {
		if got := in(place(c.change)); got != c.want {
			t.Errorf("%s: %s, want %s", what, got, c.want)
		}
	}
}
