package reach

import (
	"fmt"
	"net/netip"
	"testing"
	"time"

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

// onOnePort is n forwards of one port, each for 64 senders of its own.
func onOnePort(n int) site.View {
	s := site.New("x", netip.MustParsePrefix("10.48.16.0/24"), netip.MustParseAddr("10.48.16.1"), nil)
	s.Devices = []site.Device{{ID: "d", Interfaces: []site.Interface{{ID: "d", Network: "main", Pin: &site.Pin{Address: netip.MustParseAddr("10.48.16.20"), By: "device"}}}}}
	for i := range n {
		f := site.Forward{ID: fmt.Sprint("f", i), Router: "edge", Enabled: true, Protocol: site.TCP, Outside: span.Port(8080), To: "d", Inside: span.Port(80)}
		for k := range 64 {
			x := i*64 + k
			f.From = append(f.From, site.Sender{Prefix: netip.PrefixFrom(netip.AddrFrom4([4]byte{byte(11 + x>>16), byte(x >> 8), byte(x), byte(i * 7)}), 32)})
		}
		s.Forwards = append(s.Forwards, f)
	}
	return site.NewView(s)
}

// numbers are n runs, every other number from where they begin.
func numbers(n, from int) span.Set {
	runs := make([]span.Run, n)
	for i := range runs {
		runs[i] = span.Run{Lo: uint32(4*i + from), Hi: uint32(4*i + from + 1)}
	}
	return span.Of(runs...)
}

// What is 16 times as much takes some 16 times as long, not 256 times.
func TestWorkGrowsWithTheSite(t *testing.T) {
	least := func(n int, of func(n int) func()) time.Duration {
		do := of(n)
		best := time.Hour
		for range 5 {
			began := time.Now()
			do()
			best = min(best, time.Since(began))
		}
		return best
	}
	for name, of := range map[string]func(n int) func(){
		"minus":   func(n int) func() { a, b := numbers(100*n, 0), numbers(100*n, 1); return func() { a.Minus(b) } },
		"overlap": func(n int) func() { a, b := numbers(100*n, 0), numbers(100*n, 1); return func() { a.Overlap(b) } },
		"union":   func(n int) func() { a, b := numbers(100*n, 0), numbers(100*n, 1); return func() { a.Union(b) } },
		"map":     func(n int) func() { v, _ := manyForwards(3 * n); return func() { Of(v) } },
		"senders": func(n int) func() { v := onOnePort(n); return func() { Of(v).All("edge", netip.Addr{}) } },
		"compare": func(n int) func() {
			v, held := manyForwards(3 * n)
			m := Of(v)
			return func() { m.Compare("edge", site.Held{Forwards: held}) }
		},
	} {
		small, large := least(200, of), least(3200, of)
		if t.Log(name, small, large); large > 80*small+5*time.Millisecond {
			t.Errorf("%s: %v, and 16 times as much %v", name, small, large)
		}
	}
}
