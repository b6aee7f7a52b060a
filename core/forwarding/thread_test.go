package forwarding

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"vestpin/core/site"
)

// A pulled thread meets the wish at exactly its port, clash or not.
func TestThread(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for range 400 {
		s := smallSite(t, r)
		w := s.Devices[0].Services[0]
		outside := ports(t, "9100")
		if w.Ports.Len() == 2 {
			outside = ports(t, "9100-9101")
		}
		edits, err := Thread(site.NewView(s), w.ID, outside)
		if err != nil {
			t.Fatal(err)
		}
		next, _, err := site.Apply(s, edits)
		if err != nil {
			t.Fatal(err)
		}
		mine := slices.DeleteFunc(slices.Clone(next.Forwards), func(f site.Forward) bool { return f.Service != w.ID || f.Router != "edge" })
		if len(mine) != 1 || !mine[0].Outside.Equal(outside) || !mine[0].InsidePorts().Equal(w.Ports) {
			t.Fatalf("got %+v", mine)
		}
		if now, _ := site.NewView(next).Service(w.ID); now.Interface.Pin != nil && !Met(site.NewView(next), now) {
			t.Fatalf("the wish is not met by %+v", mine)
		}
	}
}

func TestThreadRefuses(t *testing.T) {
	s := smallSite(t, rand.New(rand.NewPCG(1, 1)))
	for _, c := range []struct{ service, outside string }{{"none", "80"}, {s.Devices[0].Services[0].ID, "80-89"}} {
		if edits, err := Thread(site.NewView(s), c.service, ports(t, c.outside)); err == nil {
			t.Error(fmt.Sprint("taken: ", edits))
		}
	}
}
