package addressing

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"
	"time"

	"vestpin/core/site"
	"vestpin/core/span"
)

// sized makes a site of n devices of many kinds and ranks in a subnet, most of them
// seen inside its DHCP range, some with pins; of each band there is too little.
func sized(r *rand.Rand, n int, subnet string) site.Site {
	p := netip.MustParsePrefix(subnet)
	lan := span.OfPrefix(p)
	from := func(i int) netip.Addr { return span.Addr(lan.Lo + uint32(i)) }
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

func TestLook(t *testing.T) {
	for _, c := range []struct {
		n      int
		subnet string
	}{{250, "10.0.0.0/24"}, {300, "10.0.0.0/24"}, {1000, "10.0.0.0/22"}, {1100, "10.0.0.0/22"}, {1000, "10.0.0.0/21"}, {4000, "10.0.0.0/20"}, {4000, "10.0.0.0/21"}, {4000, "10.0.0.0/19"}, {4000, "10.0.0.0/8"}} {
		for _, seen := range []string{"as it comes", "all apart", "never"} {
			s := sized(rand.New(rand.NewPCG(1, 1)), c.n, c.subnet)
			for i := range s.Devices {
				f := &s.Devices[i].Interfaces[0]
				switch seen {
				case "all apart":
					f.Seen = span.Addr(span.OfAddr(s.Networks[0].Gateway) + 1 + uint32(i%(span.OfPrefix(s.Networks[0].Subnet).Len()-3)))
					f.Pin = nil
				case "never":
					f.Seen, f.Pin = netip.Addr{}, nil
				}
			}
			v := site.NewView(s)
			begin := time.Now()
			plan := Suggest(v)
			t.Logf("%d in %s seen %s: %v, %d placed, %d not, proven %v", c.n, c.subnet, seen, time.Since(begin), len(plan.Suggestions), len(plan.Unmet), plan.Proven)
		}
	}
}
