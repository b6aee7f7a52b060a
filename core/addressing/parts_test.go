package addressing

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"
	"time"

	"vestpin/core/site"
)

// Very many interfaces are planned part by part: as many get a pin as there is room
// for, or nearly so where it is short, the important ones first and none with a fault.
// Where there is room nothing is left to suggest.
func TestManyInParts(t *testing.T) {
	r := rand.New(rand.NewPCG(81, 82))
	for _, c := range []struct {
		subnet string
		n      int
	}{{"10.48.16.0/23", 700}, {"10.48.16.0/22", 900}, {"10.48.0.0/19", 2500}} {
		subnet := netip.MustParsePrefix(c.subnet)
		gateway := subnet.Addr().Next()
		s := site.New("x", subnet, gateway, []site.Range{{From: gateway.Next(), To: gateway.Next().Next().Next()}})
		for i := range c.n {
			id := fmt.Sprint("d", i)
			d := site.Device{ID: id, Rank: 1 + r.IntN(5), Interfaces: []site.Interface{{ID: id, Network: "main", Wants: "pin", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:%02x:%02x", i/256, i%256))}}}
			if r.IntN(3) == 0 {
				d.Interfaces[0].Seen = netip.AddrFrom4([4]byte{10, 48, subnet.Addr().As4()[2] + byte(r.IntN(2)), byte(5 + r.IntN(200))})
			}
			s.Devices = append(s.Devices, d)
		}
		begin := time.Now()
		plan := Suggest(site.NewView(s))
		t.Logf("%d in %s: %v", c.n, c.subnet, time.Since(begin))
		next, _, err := site.Apply(s, plan.Edits())
		if err != nil {
			t.Fatal(err)
		}
		room := 1<<(32-subnet.Bits()) - 3
		v := site.NewView(next)
		worst, left := 0, 99
		for _, p := range v.Interfaces() {
			if p.Interface.Pin == nil {
				left = min(left, p.Device.Rank)
				continue
			}
			worst = max(worst, p.Device.Rank)
			if f := Faults(v, p); len(f) > 0 {
				t.Fatalf("%s: %v", c.subnet, f)
			}
		}
		// Where room is short, those left out keep the seats at which they were seen.
		if want := min(room, c.n); len(plan.Suggestions) < want*9/10 || len(plan.Suggestions)+len(plan.Unmet) != c.n {
			t.Errorf("%s: %d pinned and %d not, of %d with room for %d", c.subnet, len(plan.Suggestions), len(plan.Unmet), c.n, room)
		}
		if len(plan.Unmet) > 0 && worst > left+1 {
			t.Errorf("%s: one of rank %d is pinned and one of rank %d is not", c.subnet, worst, left)
		}
		if plan.Proven {
			t.Errorf("%s: that is not proven", c.subnet)
		}
		if again := Suggest(v); len(plan.Unmet) == 0 && len(again.Suggestions) > 0 {
			t.Errorf("%s: %d are suggested once all is taken", c.subnet, len(again.Suggestions))
		}
	}
}
