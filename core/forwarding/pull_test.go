package forwarding

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// clashesOf counts the pairs of forwards that want the same of a router, and those that want its own.
func clashesOf(s site.Site) int {
	n := 0
	for i, f := range s.Forwards {
		for _, r := range s.Routers {
			if _, own := reach.OwnPort(r, f); own && r.ID == f.Router {
				n++
			}
		}
		for _, g := range s.Forwards[:i] {
			if f.Router == g.Router && f.Outside.Set().Overlap(g.Outside.Set()).Len() > 0 && f.Protocol.Meets(g.Protocol) {
				n++
			}
		}
	}
	return n
}

// On random sites: what is in the way is told exactly where pulling makes more clash than before;
// what is offered instead makes none, and a swap gives each the port of the other.
func TestPullsOnRandomSites(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	swaps, instead, free := 0, 0, 0
	for round := range 1500 {
		s := site.New("x", netip.MustParsePrefix("10.48.16.0/24"), netip.MustParseAddr("10.48.16.1"), nil)
		s.Routers[0].WAN.Address = netip.MustParseAddr("203.0.113.4")
		s.Routers[0].OwnPorts = []site.OwnPort{{Protocol: site.TCP, Ports: span.Port(85)}}
		for i := range 2 + r.IntN(4) {
			id := fmt.Sprint("d", i)
			d := site.Device{ID: id, Name: id, Interfaces: []site.Interface{{ID: id + ".0", Network: "main", Pin: &site.Pin{Address: netip.AddrFrom4([4]byte{10, 48, 16, byte(20 + i)}), By: "device"}}}}
			protocol := []site.Protocol{site.TCP, site.UDP, site.Both}[r.IntN(3)]
			d.Services = []site.Service{{ID: id + ".s", Interface: id + ".0", Protocol: protocol, Ports: span.Port(80), Open: &site.Open{Port: []string{"any", "same", "82"}[r.IntN(3)]}}}
			s.Devices = append(s.Devices, d)
			if r.IntN(4) > 0 {
				s.Forwards = append(s.Forwards, site.Forward{ID: fmt.Sprint("f", i), Router: "edge", Enabled: true, Protocol: protocol, Outside: span.Port(80 + r.IntN(6)), To: id + ".0", Inside: span.Port(80), Service: id + ".s", Locked: r.IntN(5) == 0})
			}
		}
		want := span.Port(80 + r.IntN(6))
		p, err := Pull(site.NewView(s), "d0.s", want, false)
		if err != nil {
			t.Fatal(err)
		}
		after := func(edits []edit.Edit) site.Site {
			next, _, err := edit.Apply(s, edits)
			if err != nil {
				t.Fatalf("%d: %v", round, err)
			}
			return next
		}
		outside := func(s site.Site, service string) string {
			for _, f := range s.Forwards {
				if f.Service == service {
					return f.Outside.String()
				}
			}
			return ""
		}
		// Without the forward that d0 has, what clashes is of the others alone.
		rest := s
		rest.Forwards = nil
		for _, f := range s.Forwards {
			if f.Service != "d0.s" {
				rest.Forwards = append(rest.Forwards, f)
			}
		}
		others := clashesOf(rest)
		if pulled := after(p.Edits); outside(pulled, "d0.s") != want.String() || (clashesOf(pulled) > others) != (p.Taken != "") {
			t.Errorf("%d: %q is in the way, and %d clash of %d", round, p.Taken, clashesOf(pulled), others)
		}
		if p.Taken == "" {
			free++
		}
		if p.Instead != nil {
			instead++
			if n := clashesOf(after(p.Instead.Edits)); n != others {
				t.Errorf("%d: at %s %d clash, %d before", round, p.Instead.Outside, n, others)
			}
		}
		if len(p.Swap) > 0 {
			swaps++
			swapped := after(p.Swap)
			if clashesOf(swapped) > others || outside(swapped, "d0.s") != want.String() {
				t.Errorf("%d: swapped, %d clash of %d", round, clashesOf(swapped), others)
			}
			for _, f := range s.Forwards {
				if now := outside(swapped, f.Service); f.Service != "d0.s" && now != f.Outside.String() && (f.Locked || now != outside(s, "d0.s")) {
					t.Errorf("%d: %s went from %s to %s", round, f.Service, f.Outside, now)
				}
			}
		}
	}
	if swaps < 50 || instead < 300 || free < 300 {
		t.Errorf("only %d swaps, %d ports instead and %d free", swaps, instead, free)
	}
}

func TestShiftedPorts(t *testing.T) {
	for text, want := range map[string]string{"80": "83", "16400-16463,5060": "16403-16466,5063", "65533": "none", "1,65535": "none"} {
		p, err := span.ParsePorts(text)
		if err != nil {
			t.Fatal(err)
		}
		got := "none"
		if q, ok := p.Shifted(3); ok {
			got = q.String()
		}
		if got != want {
			t.Errorf("%s by 3 is %s, want %s", text, got, want)
		}
	}
}
