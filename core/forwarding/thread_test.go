package forwarding

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/past"
	"vestpin/core/reach"
	"vestpin/core/site"
)

// A pulled thread meets the wish at exactly its port, clash or not.
func TestThread(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 12))
	for range 400 {
		s := past.Chain(r, 3)
		w := s.Devices[0].Services[0]
		outside := past.Ports("9100")
		if w.Ports.Len() == 2 {
			outside = past.Ports("9100-9101")
		}
		edits, err := Thread(site.NewView(s), w.ID, outside)
		if w, _ := site.NewView(s).Service(w.ID); err != nil {
			open := *w.Service
			if open.Open == nil {
				open.Open = &site.Open{}
			}
			w.Service = &open
			if _, why := reach.Route(site.NewView(s), w); why == "" {
				t.Fatal(err)
			}
			continue
		}
		next, _, err := edit.Apply(s, edits)
		if err != nil {
			t.Fatal(err)
		}
		if !slices.ContainsFunc(next.Forwards, func(f site.Forward) bool {
			return f.Service == w.ID && f.Router == "r0" && f.Enabled && f.Outside.Equal(outside)
		}) {
			t.Fatalf("got %+v", next.Forwards)
		}
		if now, _ := site.NewView(next).Service(w.ID); now.Interface.Pin != nil && !reach.Of(site.NewView(next)).Met(now) {
			t.Fatalf("the wish is not met by %+v", next.Forwards)
		}
	}
}

func TestThreadRefuses(t *testing.T) {
	s := past.Chain(rand.New(rand.NewPCG(1, 1)), 3)
	for _, c := range []struct{ service, outside string }{{"none", "80"}, {s.Devices[0].Services[0].ID, "80-89"}} {
		if edits, err := Thread(site.NewView(s), c.service, past.Ports(c.outside)); err == nil {
			t.Error(fmt.Sprint("taken: ", edits))
		}
	}
}
