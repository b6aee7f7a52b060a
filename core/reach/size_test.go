package reach

import (
	"fmt"
	"net/netip"
	"testing"

	"vestpin/core/site"
	"vestpin/core/span"
)

// manyForwards is a router with n forwards to 200 devices, and the same as it could stand on
// the router's page, every tenth of them otherwise.
func manyForwards(n int) (site.View, []site.HeldForward) {
	s := site.New("x", netip.MustParsePrefix("10.48.16.0/24"), netip.MustParseAddr("10.48.16.1"), nil)
	for i := range 200 {
		id := fmt.Sprint("d", i)
		s.Devices = append(s.Devices, site.Device{ID: id, Interfaces: []site.Interface{{ID: id, Network: "main", Pin: &site.Pin{Address: netip.AddrFrom4([4]byte{10, 48, 16, byte(20 + i)}), By: "device"}}}})
	}
	var held []site.HeldForward
	for i := range n {
		f := site.Forward{ID: fmt.Sprint("f", i), Router: "edge", Enabled: true, Protocol: []site.Protocol{site.TCP, site.UDP, site.Both}[i%3], Outside: span.Port(2000 + i*6), To: fmt.Sprint("d", i%200), Inside: span.Port(80)}
		s.Forwards = append(s.Forwards, f)
		h := site.HeldForward{Protocol: f.Protocol, Outside: f.Outside, Address: netip.AddrFrom4([4]byte{10, 48, 16, byte(20 + i%200)}), Inside: f.Inside, Enabled: true}
		if i%10 == 0 {
			h.Inside = span.Port(81)
		}
		held = append(held, h)
	}
	return site.NewView(s), held
}

func BenchmarkMap(b *testing.B) {
	v, _ := manyForwards(10000)
	for b.Loop() {
		Of(v)
	}
}

func BenchmarkWalk(b *testing.B) {
	v, _ := manyForwards(10000)
	m := Of(v)
	sender := netip.MustParseAddr("198.51.100.7")
	port := 0
	for b.Loop() {
		port = port%65535 + 1
		m.Walk(Packet{Router: "edge", Port: port, Protocol: site.TCP, Sender: sender})
	}
}

func BenchmarkWalkAll(b *testing.B) {
	v, _ := manyForwards(10000)
	m := Of(v)
	for b.Loop() {
		m.All("edge", netip.Addr{})
	}
}

func BenchmarkCompare(b *testing.B) {
	for _, n := range []int{2500, 5000, 10000} {
		v, held := manyForwards(n)
		m := Of(v)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				if c := m.Compare("edge", site.Held{Forwards: held}); len(c.Differs) < n/10 {
					b.Fatalf("%d differences", len(c.Differs))
				}
			}
		})
	}
}
