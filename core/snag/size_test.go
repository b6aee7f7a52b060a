package snag

import (
	"fmt"
	"net/netip"
	"testing"

	"vestpin/core/site"
	"vestpin/core/span"
)

// crowd is a site of n pinned devices with a page to be opened, and of as many forwards
// made by hand.
func crowd(n, forwards int) site.View {
	s := site.New("x", netip.MustParsePrefix("10.0.0.0/16"), netip.MustParseAddr("10.0.0.1"), nil)
	for i := range n {
		id := fmt.Sprint("d", i)
		s.Devices = append(s.Devices, site.Device{ID: id, Interfaces: []site.Interface{{ID: id, Network: "main", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:%02x:%02x", i/256, i%256)),
			Pin: &site.Pin{Address: netip.AddrFrom4([4]byte{10, 0, byte(1 + i/200), byte(2 + i%200)}), By: site.ByReservation}}},
			Services: []site.Service{{ID: id, Interface: id, Protocol: site.TCP, Ports: span.Port(80), Open: &site.Open{Port: site.AnyPort}}}})
	}
	for i := range forwards {
		s.Forwards = append(s.Forwards, site.Forward{ID: fmt.Sprint("f", i), Router: s.Routers[0].ID, Enabled: true, Protocol: site.TCP, Outside: span.Port(20000 + i), To: fmt.Sprint("d", i%max(1, n)), Inside: span.Port(80)})
	}
	return site.NewView(s.Whole())
}

func BenchmarkUnmet(b *testing.B) {
	for _, n := range []int{250, 500, 1000, 2000} {
		v := crowd(n, 0)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				Check(v)
			}
		})
	}
}

func BenchmarkForwards(b *testing.B) {
	for _, n := range []int{1250, 2500, 4000, 5000, 10000, 16000} {
		v := crowd(100, n)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				Check(v)
			}
		})
	}
}
