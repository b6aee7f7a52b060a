package snag

import (
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/past"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
)

// misheld gives a router of a site lines as a tired hand typed them.
func misheld(r *rand.Rand, s site.Site, k int) {
	v := site.NewView(s)
	held := &site.Held{At: "2026-11-23T09:00:00Z"}
	for _, f := range s.Forwards {
		address, _ := v.Target(f)
		if f.Router != s.Routers[k].ID || r.IntN(5) == 0 || !address.IsValid() {
			continue
		}
		h := site.HeldForward{Name: f.Name, Protocol: f.Protocol, Outside: f.Outside, Inside: f.InsidePorts(), Address: address, Enabled: f.Enabled}
		for _, from := range f.From {
			h.From = append(h.From, from.String())
		}
		switch r.IntN(8) {
		case 0:
			h.Protocol = site.TCP
		case 1:
			h.Enabled = !h.Enabled
		case 2:
			h.Address = netip.MustParseAddr("10.48.0.5")
		case 3:
			h.From = nil
		case 4:
			if one, ok := h.Outside.Single(); ok {
				h.Outside = span.Port(one + 1)
			}
		}
		held.Forwards = append(held.Forwards, h)
	}
	if r.IntN(2) == 0 {
		held.Forwards = append(held.Forwards, site.HeldForward{Protocol: site.UDP, Outside: span.Port(4000), Inside: span.Port(4000), Address: netip.MustParseAddr("10.48.0.6"), Enabled: true})
	}
	s.Routers[k].Held = held
}

func differing(s site.Site) []Snag {
	return slices.DeleteFunc(routerDiffers(View{site.NewView(s), &budget{}, newOnce()}), func(s Snag) bool { return s.Code != "router-differs" })
}

// Either way a difference is mended, it is gone; mended one after the other, plan and router
// are the same in the end: by what was typed, and by what was taken.
func TestDifferencesAreMended(t *testing.T) {
	r := rand.New(rand.NewPCG(91, 92))
	mended := [2]int{}
	for round := range 1500 {
		s := past.Chain(r, 4)
		s = site.Site{Name: s.Name, Networks: s.Networks, Routers: slices.Clone(s.Routers), Devices: s.Devices, Forwards: s.Forwards}.Whole()
		misheld(r, s, 0)
		for way := range 2 {
			now := s
			for steps := 0; ; steps++ {
				snags := slices.DeleteFunc(differing(now), func(s Snag) bool { return len(s.Mends) <= way })
				if len(snags) == 0 {
					break
				}
				if steps == 40 {
					t.Fatalf("round %d, way %d: it never ends: %v\n%s\n%s", round, way, snags[0], sitefile.Write(s), sitefile.Write(now))
				}
				next, _, err := edit.Apply(now, snags[0].Mends[way].Edits)
				if err != nil {
					t.Fatalf("round %d: %v: %v", round, snags[0].Says, err)
				}
				if slices.ContainsFunc(differing(next), func(o Snag) bool { return o.Says == snags[0].Says && slices.Equal(o.About, snags[0].About) }) {
					t.Fatalf("round %d, way %d: %q stays after %q\n%s", round, way, snags[0].Says, snags[0].Mends[way].Does, sitefile.Write(now))
				}
				now = next
				mended[way]++
			}
			c := reach.Of(site.NewView(now)).Compare(now.Routers[0].ID, *now.Routers[0].Held)
			if way == 0 && !c.Same() && !slices.ContainsFunc(c.Differs, func(d reach.Discrepancy) bool { return !d.Plan.Address.IsValid() }) {
				t.Fatalf("round %d: after all mends there is left: %v\n%s", round, c.Differs, sitefile.Write(now))
			}
		}
	}
	if mended[0] < 500 || mended[1] < 500 {
		t.Errorf("only %d and %d were mended", mended[0], mended[1])
	}
}

// A line that was ticked off since the router was read counts as typed, one before it not.
func TestTickedSinceCounts(t *testing.T) {
	s := past.Chain(rand.New(rand.NewPCG(5, 5)), 3)
	s.Devices[0].Interfaces[0].Pin = &site.Pin{Address: netip.MustParseAddr("10.48.0.7"), By: "reservation"}
	s.Routers = s.Routers[:1]
	s.Forwards = []site.Forward{{ID: "f", Router: s.Routers[0].ID, Enabled: true, Protocol: site.TCP, Outside: span.Port(8999), To: "10.48.0.7"}}
	s.Routers[0].Held = &site.Held{At: "2026-11-23T09:00:00Z"}
	for at, want := range map[string]int{"2026-11-23T08:00:00Z": 1, "2026-11-23T10:00:00Z": 0} {
		s.Done = []site.Done{{Step: "line:f:1", At: at}}
		if got := differing(s); len(got) != want {
			t.Errorf("ticked at %s: %v", at, got)
		}
	}
}
