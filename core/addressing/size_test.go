package addressing

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"
	"time"

	"vestpin/core/edit"
	"vestpin/core/ipv4"
	"vestpin/core/site"
)

// sized makes a site of n devices of many kinds and ranks in a subnet, most of them
// seen inside its DHCP range, some with pins; of each band there is too little.
func sized(r *rand.Rand, n int, subnet string) site.Site {
	p := netip.MustParsePrefix(subnet)
	lan := ipv4.Run(p)
	from := func(i int) netip.Addr { return ipv4.Addr(lan.Lo + uint32(i)) }
	s := site.New("sized", p, from(1), []site.Range{{From: from(lan.Len() / 4), To: from(lan.Len() / 2)}})
	s.Routers[0].Form.Reserves = "anywhere"
	for i := range 8 {
		s.Networks[0].Bands = append(s.Networks[0].Bands, site.Band{Name: fmt.Sprint("band ", i), From: from(2 + i*n/20), To: from(1 + (i+1)*n/20), Kinds: []string{fmt.Sprint("kind ", i), fmt.Sprint("kind ", i+8)}})
	}
	for i := range n {
		face := site.Interface{ID: fmt.Sprint("i", i), Network: "main", Wants: "pin", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:%02x:%02x", i/256, i%256))}
		if r.IntN(10) == 0 {
			face.MAC = ""
		}
		if r.IntN(5) > 0 {
			face.Seen = from(lan.Len()/4 + r.IntN(lan.Len()/4))
		}
		if r.IntN(10) == 0 {
			face.Pin = &site.Pin{Address: from(r.IntN(lan.Len())), By: site.ByReservation}
		}
		s.Devices = append(s.Devices, site.Device{ID: fmt.Sprint("d", i), Name: fmt.Sprint("thing ", i), Kind: fmt.Sprint("kind ", r.IntN(20)), Rank: 1 + r.IntN(5), Interfaces: []site.Interface{face}})
	}
	return s
}

// apart sees each device at an address of its own, and leaves no pins.
func apart(s site.Site) site.Site {
	room := ipv4.Run(s.Networks[0].Subnet).Len() - 3
	for i := range s.Devices {
		f := &s.Devices[i].Interfaces[0]
		f.Pin, f.Seen = nil, netip.Addr{}
		if i < room {
			f.Seen = ipv4.Addr(ipv4.Number(s.Networks[0].Gateway) + 1 + uint32(i))
		}
	}
	return s
}

// Large sites come out proven, with as many pins as there is room for where each device
// has a seat of its own, and with nothing left to suggest.
func TestLarge(t *testing.T) {
	for _, c := range []struct {
		n      int
		subnet string
		apart  bool
	}{{60, "10.0.0.0/26", true}, {300, "10.0.0.0/24", true}, {300, "10.0.0.0/24", false}, {1000, "10.0.0.0/22", true}, {1100, "10.0.0.0/22", true}, {1000, "10.0.0.0/21", false}, {4000, "10.0.0.0/20", true}, {4000, "10.0.0.0/20", false}, {4000, "10.0.0.0/21", true}} {
		s := sized(rand.New(rand.NewPCG(1, 1)), c.n, c.subnet)
		if c.apart {
			s = apart(s)
		}
		v := site.NewView(s)
		begin := time.Now()
		plan := Suggest(v)
		t.Logf("%d in %s: %v", c.n, c.subnet, time.Since(begin))
		next, _, err := edit.Apply(s, plan.Edits())
		if err != nil {
			t.Fatal(err)
		}
		then := site.NewView(next)
		pinned := 0
		for _, p := range then.Interfaces() {
			if p.Interface.Pin != nil && len(Faults(then, p)) == 0 {
				pinned++
			}
		}
		room := ipv4.Run(s.Networks[0].Subnet).Len() - 3
		if want := min(room, c.n); !plan.Proven || c.apart && (pinned != want || pinned+len(plan.Unmet) != c.n) {
			t.Errorf("%d in %s: %d pinned and %d not, of %d with room for %d, proven %v", c.n, c.subnet, pinned, len(plan.Unmet), c.n, room, plan.Proven)
		}
		if again := Suggest(then); len(again.Suggestions) > 0 {
			t.Errorf("%d in %s: %d are suggested once all is taken", c.n, c.subnet, len(again.Suggestions))
		}
	}
}

// Where very many seats are disputed and room is short, an answer still comes soon, none
// of it wrong, and it is not called proven.
func TestDisputed(t *testing.T) {
	s := sized(rand.New(rand.NewPCG(1, 1)), 1100, "10.0.0.0/22")
	for i := range s.Devices {
		f := &s.Devices[i].Interfaces[0]
		f.Pin, f.Seen = nil, ipv4.Addr(ipv4.Number(s.Networks[0].Gateway)+1+uint32(i%550))
	}
	s.Networks[0].KeepFree = []site.KeepFree{{From: netip.MustParseAddr("10.0.3.0"), To: netip.MustParseAddr("10.0.3.254")}}
	plan := Suggest(site.NewView(s))
	next, _, err := edit.Apply(s, plan.Edits())
	if err != nil {
		t.Fatal(err)
	}
	v := site.NewView(next)
	for _, p := range v.Interfaces() {
		if f := Faults(v, p); len(f) > 0 {
			t.Fatalf("%s: %v", p.Interface.ID, f)
		}
	}
	if len(plan.Suggestions) < 200 || len(plan.Suggestions)+len(plan.Unmet) != 1100 {
		t.Errorf("%d pinned, %d not", len(plan.Suggestions), len(plan.Unmet))
	}
}

func BenchmarkPlan(b *testing.B) {
	for _, c := range []struct {
		n      int
		subnet string
	}{{500, "10.0.0.0/23"}, {1000, "10.0.0.0/22"}, {2000, "10.0.0.0/21"}, {4000, "10.0.0.0/20"}, {1100, "10.0.0.0/22"}, {4000, "10.0.0.0/21"}} {
		v := site.NewView(apart(sized(rand.New(rand.NewPCG(1, 1)), c.n, c.subnet)))
		b.Run(fmt.Sprintf("%d_in_%s", c.n, c.subnet[len(c.subnet)-2:]), func(b *testing.B) {
			for b.Loop() {
				Suggest(v)
			}
		})
	}
}

// BenchmarkObstacles asks of addresses of a full /16 what stands in their way, one after the
// other: the figure is that of one address.
func BenchmarkObstacles(b *testing.B) {
	s := site.New("x", netip.MustParsePrefix("10.48.0.0/16"), netip.MustParseAddr("10.48.0.1"), nil)
	for i := range 2000 {
		id := fmt.Sprint("d", i)
		a := netip.AddrFrom4([4]byte{10, 48, byte(1 + i/200), byte(20 + i%200)})
		s.Devices = append(s.Devices, site.Device{ID: id, Interfaces: []site.Interface{{ID: id, Network: "main", Seen: a, Pin: &site.Pin{Address: a, By: site.ByDevice}}}})
		s.Forwards = append(s.Forwards, site.Forward{ID: id, Router: "edge", Enabled: true, Protocol: site.TCP, To: a.Next().String()})
	}
	v := site.NewView(s)
	a := s.Networks[0].Subnet.Addr()
	for b.Loop() {
		if a = a.Next(); !s.Networks[0].Subnet.Contains(a) {
			a = s.Networks[0].Subnet.Addr()
		}
		Obstacles(v, s.Networks[0], a, site.ByReservation)
	}
}
