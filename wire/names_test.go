package wire_test

import (
	"context"
	"net/netip"
	"strings"
	"testing"

	"vestpin/core/diagnosis"
	"vestpin/core/site"
	"vestpin/sim"
	"vestpin/wire"
)

// What the name stands for, however odd: it agrees where the planned address is all that it
// stands for; what is left out of a long answer is told; a private one makes nothing fail
// that works.
func TestOddNames(t *testing.T) {
	t.Parallel()
	v := site.NewView(potterySite(t))
	const planned = "203.0.113.47"
	many := func(n int) (out []netip.Addr) {
		for i := range n {
			out = append(out, netip.AddrFrom4([4]byte{198, 51, 100, byte(20 + i)}))
		}
		return out
	}
	for _, c := range []struct {
		what   string
		names  map[string][]netip.Addr
		agrees bool
		n      int
		works  string
		says   string
	}{
		{"the planned one", map[string][]netip.Addr{"studio.example.net": {netip.MustParseAddr(planned)}}, true, 1, "yes", ""},
		{"no such name", nil, false, 0, "no", "There is no such name."},
		{"nothing", map[string][]netip.Addr{"studio.example.net": nil}, false, 0, "no", "The name stands for no address."},
		{"ten, and the planned one among them", map[string][]netip.Addr{"studio.example.net": append(many(9), netip.MustParseAddr(planned))}, false, 10, "no", "the site's address and for 9 more"},
		{"forty", map[string][]netip.Addr{"studio.example.net": many(40)}, false, 16, "no", "stands for 40 addresses; the first 16"},
		{"a private one", map[string][]netip.Addr{"studio.example.net": {netip.MustParseAddr("10.48.16.1")}}, false, 0, "yes", "an inside address; what others are told is not known"},
	} {
		t.Run(c.what, func(t *testing.T) {
			t.Parallel()
			w := pottery(t)
			w.Beyond.Names = c.names
			p, err := wire.Prove(context.Background(), w, wire.Trial{Site: v, Far: sim.Far{World: w}, Only: []string{"rec.web"}}, func(wire.Trying) {})
			if err != nil {
				t.Fatal(err)
			}
			r := diagnosis.Of(v, p)
			if r.Name.Agrees != c.agrees || len(r.Name.Points) != c.n || !strings.Contains(r.Name.Says+strings.Join(r.Notes, " "), c.says) {
				t.Errorf("%+v %v", r.Name, r.Notes)
			}
			if first := r.Services[0]; first.Works != c.works || c.works == diagnosis.No && first.Causes[0].Cause != diagnosis.NameStale {
				t.Errorf("works %s, want %s: %v", first.Works, c.works, first.Causes)
			}
		})
	}
}
