package forwarding

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"vestpin/core/past"
	"vestpin/core/site"
	"vestpin/core/span"
)

func TestDbg(t *testing.T) {
	for _, n := range []int{200, 1000} {
		for kind := range 8 {
			r := rand.New(rand.NewPCG(1, uint64(kind)))
			s := sized(r, n, 1, false, 0)
			f := &s.Routers[0].Form
			what := ""
			switch kind {
			case 0:
				f.Protocols, f.Lines, what = []site.Protocol{"tcp", "udp"}, n*6/10, "two lines for both, limit"
			case 1:
				f.Renumber, what = "none", "no renumbering"
			case 2:
				f.Renumber, f.Lines, what = "one", n*6/10, "singles renumbered, limit"
			case 3:
				f.PortsPerLine, f.Lines, what = "one", n*8/10, "one port per line, limit"
			case 4, 5:
				what = "a past"
				for i := range n / 2 {
					d := s.Devices[r.IntN(n)]
					sv := d.Services[0]
					o := span.PortList(span.Run{Lo: uint32(80 + r.IntN(300)), Hi: 0})
					lo := o.Runs()[0].Lo
					o = span.PortList(span.Run{Lo: lo, Hi: lo + uint32(sv.Ports.Len()) - 1})
					s.Forwards = append(s.Forwards, site.Forward{ID: fmt.Sprint("f", i), Router: "r0", Enabled: true, Locked: r.IntN(6) == 0, Protocol: sv.Protocol, Outside: o, Inside: sv.Ports, To: sv.Interface, Service: past.Pick(r, sv.ID, sv.ID, "")})
				}
				if kind == 5 {
					f.Lines, what = n*7/10, "a past, limit"
				}
			case 6:
				f.Renumber, f.Lines, what = "none", n*3/10, "no renumbering, limit"
			case 7:
				what = "senders"
				f.LimitsSender = "network"
				for i := range s.Devices {
					if r.IntN(3) == 0 {
						s.Devices[i].Services[0].Open.From = past.Senders(fmt.Sprintf("198.51.100.%d", r.IntN(4)))
					}
				}
			}
			v := site.NewView(s)
			begin := time.Now()
			plan := Suggest(v)
			t.Logf("%d %s: %v, %d changes, %d unmet, proven %v", n, what, time.Since(begin), len(plan.Changes), len(plan.Unmet), plan.Proven)
		}
	}
}
