package forwarding

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"
	"time"

	"vestpin/core/past"
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
		sv := site.Service{ID: id + ".s", Interface: id + ".0", Protocol: past.Pick(r, site.TCP, site.TCP, site.TCP, site.UDP, site.Both), Ports: span.Port(past.Pick(r, 80, 80, 80, 443, 554, 8000, 37777, 5000+r.IntN(200)))}
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
			sv.Ports = past.Ports(fmt.Sprintf("%d-%d", 6000+10*r.IntN(40), 6003+10*r.IntN(1)+400))
		}
		if sv.Open.Prefer.IsZero() == false && sv.Ports.Len() > 1 {
			sv.Open.Prefer = span.Ports{}
		}
		if len(sv.CanSetTo) > 0 && sv.Ports.Len() > 1 {
			sv.CanSetTo = nil
		}
		d.Services = []site.Service{sv}
		s.Devices = append(s.Devices, d)
	}
	return s
}

func TestLook(t *testing.T) {
	for _, c := range []struct {
		n, routers int
		chained    bool
		lines      int
	}{{200, 1, false, 0}, {1000, 1, false, 0}, {2000, 20, false, 0}, {2000, 20, true, 0}, {1000, 1, false, 600}, {200, 1, false, 100}, {2000, 1, false, 0}} {
		for _, seed := range []uint64{1, 2} {
			s := sized(rand.New(rand.NewPCG(seed, 1)), c.n, c.routers, c.chained, c.lines)
			if err := site.Check(s); err != nil {
				t.Fatal(err)
			}
			v := site.NewView(s)
			begin := time.Now()
			plan := Suggest(v)
			t.Logf("%v: %v, %d changes, %d unmet, proven %v", c, time.Since(begin), len(plan.Changes), len(plan.Unmet), plan.Proven)
		}
	}
}
