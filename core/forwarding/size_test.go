package forwarding

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"
	"time"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/past"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// sized makes a site of n devices, each with a service to be opened, over some routers:
// all but the first behind it where they are chained. They crowd on few ports.
func sized(r *rand.Rand, n, routers int, chained bool, lines int) site.Site {
	s := site.Site{Name: "sized"}
	for i := range routers {
		id := fmt.Sprint("r", i)
		s.Networks = append(s.Networks, site.Network{ID: id, Subnet: netip.PrefixFrom(netip.AddrFrom4([4]byte{10, byte(i), 0, 0}), 16), Gateway: netip.AddrFrom4([4]byte{10, byte(i), 0, 1})})
		router := site.Router{ID: id, Network: id, Form: site.Form{PortsPerLine: "range", Renumber: "range", Protocols: []site.Protocol{"tcp", "udp", "both"}, Lines: lines}}
		if chained && i > 0 {
			router.Upstream, router.WAN.Address = "r0", netip.AddrFrom4([4]byte{10, 0, 255, byte(i)})
		}
		s.Routers = append(s.Routers, router)
	}
	for i := range n {
		id := fmt.Sprint("d", i)
		net := i % routers
		d := site.Device{ID: id, Name: id, Rank: 1 + r.IntN(5), Interfaces: []site.Interface{{
			ID: id + ".0", Network: fmt.Sprint("r", net), Pin: &site.Pin{Address: netip.AddrFrom4([4]byte{10, byte(net), byte(1 + i/200), byte(2 + i%200)}), By: site.ByReservation},
		}}}
		sv := site.Service{ID: id + ".s", Interface: id + ".0", Protocol: past.Pick(r, site.TCP, site.TCP, site.TCP, site.UDP, site.Both), Ports: span.Port(past.Pick(r, 80, 80, 80, 443, 554, 8000, 6200, 5000+r.IntN(200)))}
		sv.Open = &site.Open{Port: past.Pick(r, "any", "any", "any", "same")}
		if !chained {
			sv.Open.Router = fmt.Sprint("r", net)
		}
		switch r.IntN(8) {
		case 0:
			sv.CanSetTo = []span.Ports{span.Port(8080 + r.IntN(20))}
		case 1:
			sv.Open.Prefer = span.Port(8000 + r.IntN(50))
		case 2:
			sv.Ports = past.Ports(fmt.Sprintf("%d-%d", 6000+10*r.IntN(40), 6403))
		}
		if sv.Ports.Len() > 1 {
			sv.Open.Prefer = span.Ports{}
		}
		d.Services = []site.Service{sv}
		s.Devices = append(s.Devices, d)
	}
	return s
}

// tell judges a plan for many wishes with plain tables: no port of a router twice, no more
// lines than there are; it gives how many wishes of each rank are met.
func tell(t *testing.T, s site.Site, plan Plan) []int {
	t.Helper()
	next, _, err := edit.Apply(s, plan.Edits())
	if err != nil {
		t.Fatal(err)
	}
	used := map[string]string{}
	for _, f := range next.Forwards {
		for _, proto := range singles(string(f.Protocol)) {
			for _, port := range numbers(f.Outside) {
				key := fmt.Sprint(f.Router, proto, port)
				if o, twice := used[key]; twice && f.Enabled {
					t.Fatalf("%s is used by %s and %s", key, o, f.ID)
				}
				used[key] = f.ID
			}
		}
	}
	v := site.NewView(next)
	for _, r := range next.Routers {
		if n := form.Type(v, r).All(); r.Form.Lines > 0 && n > r.Form.Lines {
			t.Fatalf("%d lines at %s", n, r.ID)
		}
	}
	m := reach.Of(v)
	met := make([]int, 6)
	for _, w := range v.Wishes() {
		if m.Met(w) {
			met[w.Device.Rank]++
		}
	}
	return met
}

// planted gives how many of each rank can be met where each wish takes one line and is
// either for its own port or for any: of each rank in turn, one for a port, while there
// are lines.
func planted(s site.Site) []int {
	met := make([]int, 6)
	taken := map[string]bool{}
	lines := 0
	for rank := 1; rank <= 5; rank++ {
		for _, d := range s.Devices {
			sv := d.Services[0]
			key := fmt.Sprint(sv.Open.Router, sv.Protocol, sv.Ports)
			if d.Rank != rank || sv.Open.Port == "same" && taken[key] || s.Routers[0].Form.Lines > 0 && lines == s.Routers[0].Form.Lines {
				continue
			}
			taken[key] = taken[key] || sv.Open.Port == "same"
			met[rank]++
			lines++
		}
	}
	return met
}

// Large sites come out proven, and where the best is known, with that many met.
func TestLarge(t *testing.T) {
	for _, c := range []struct {
		n, routers int
		chained    bool
		lines      int
		plain      bool // only single ports and one protocol at a time
	}{{50, 1, false, 0, false}, {200, 1, false, 0, false}, {1000, 1, false, 0, false}, {1000, 1, false, 0, true}, {2000, 20, false, 0, true}, {2000, 20, true, 0, false}, {1000, 1, false, 600, true}, {1000, 1, false, 600, false}} {
		s := sized(rand.New(rand.NewPCG(7, 1)), c.n, c.routers, c.chained, c.lines)
		if !c.plain {
			for i := range s.Routers {
				s.Routers[i].Form.Protocols = []site.Protocol{"tcp", "udp"} // two lines for both
			}
		}
		for i := range s.Devices {
			if sv := &s.Devices[i].Services[0]; c.plain && (sv.Ports.Len() > 1 || sv.Protocol == site.Both) {
				sv.Ports, sv.Protocol, sv.Open.Prefer = past.Ports("80"), site.TCP, span.Ports{}
			}
			if c.plain {
				s.Devices[i].Services[0].CanSetTo = nil
			}
		}
		begin := time.Now()
		plan := Suggest(site.NewView(s))
		t.Logf("%+v: %v, %d changes, %d unmet", c, time.Since(begin), len(plan.Changes), len(plan.Unmet))
		met := tell(t, s, plan)
		sum := 0
		for _, n := range met {
			sum += n
		}
		if !plan.Proven || sum+len(plan.Unmet) != c.n {
			t.Errorf("%+v: proven %v, %v are met and %d said to be not", c, plan.Proven, met, len(plan.Unmet))
		}
		if want := planted(s); c.plain && !slices.Equal(met, want) {
			t.Errorf("%+v: met %v, best %v", c, met, want)
		}
	}
}

// likeDevices is a site of 200 wishes on one router: 30 like devices that each want the same three
// ports, and 110 others.
func likeDevices(r *rand.Rand) site.Site {
	s := sized(r, 110, 1, false, 0)
	for i := range 30 {
		id := fmt.Sprint("cam", i)
		d := site.Device{ID: id, Name: fmt.Sprint("Camera ", i+1), Kind: "camera", Interfaces: []site.Interface{{ID: id + ".0", Network: "r0", Pin: &site.Pin{Address: netip.AddrFrom4([4]byte{10, 0, 9, byte(2 + i)}), By: site.ByReservation}}}}
		for _, port := range []int{80, 443, 554} {
			d.Services = append(d.Services, site.Service{ID: fmt.Sprintf("%s.%d", id, port), Interface: id + ".0", Protocol: site.TCP, Ports: span.Port(port), Open: &site.Open{Port: "any", Router: "r0"}})
		}
		s.Devices = append(s.Devices, d)
	}
	return s
}

// Of 200 wishes with 30 like devices the best is proven, and nothing keeps any of those shut.
func TestLikeDevices(t *testing.T) {
	plan := Suggest(site.NewView(likeDevices(rand.New(rand.NewPCG(7, 1)))))
	for _, u := range plan.Unmet {
		if strings.HasPrefix(u.Services[0], "cam") {
			t.Errorf("%v: %s", u.Services, u.Says)
		}
	}
	if !plan.Proven || len(plan.Changes) < 150 {
		t.Errorf("proven %v, %d changes", plan.Proven, len(plan.Changes))
	}
}

func BenchmarkPlan(b *testing.B) {
	b.Run("200_with_30_alike", func(b *testing.B) {
		v := site.NewView(likeDevices(rand.New(rand.NewPCG(7, 1))))
		for b.Loop() {
			Suggest(v)
		}
	})
	for _, c := range []struct {
		n, routers int
		chained    bool
		lines      int
	}{{200, 1, false, 0}, {500, 1, false, 0}, {1000, 1, false, 0}, {2000, 1, false, 0}, {2000, 20, false, 0}, {2000, 20, true, 0}, {1000, 1, false, 600}} {
		v := site.NewView(sized(rand.New(rand.NewPCG(7, 1)), c.n, c.routers, c.chained, c.lines))
		name := fmt.Sprintf("%d_over_%d", c.n, c.routers)
		if c.chained {
			name += "_chained"
		}
		if c.lines > 0 {
			name += fmt.Sprintf("_with_%d_lines", c.lines)
		}
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				Suggest(v)
			}
		})
	}
}
