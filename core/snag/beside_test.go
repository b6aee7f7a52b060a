package snag

import (
	"math/rand/v2"
	"reflect"
	"sync"
	"testing"

	"vestpin/core/past"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/suggest"
)

// What is worked out of one view by several at once is the same as by one alone, and none
// writes where another reads: make test runs this with the race detector.
func TestSideBySide(t *testing.T) {
	for seed := range uint64(40) {
		s := past.Chain(rand.New(rand.NewPCG(seed, 7)), 3)
		s.Forwards = append(make([]site.Forward, 0, 2*len(s.Forwards)+8), s.Forwards...) // room behind the last, for whoever appends
		s.Devices = append(make([]site.Device, 0, 2*len(s.Devices)+8), s.Devices...)
		v := site.NewView(s)
		tell := []func() any{
			func() any { return Check(v) },
			func() any {
				plan, err := suggest.WithProgress(v, suggest.Halves{Addresses: true, Ports: true}, func(string) {})
				return []any{plan.Changes, plan.Unmet, err}
			},
			func() any { return reach.Of(v).Spans(s.Routers[0].ID, site.TCP) },
			func() any {
				mends, err := WaysOut(v, s.Devices[0].Services[0].ID)
				return []any{mends, err}
			},
		}
		want := make([]any, len(tell))
		for i, f := range tell {
			want[i] = f()
		}
		got := make([]any, 3*len(tell))
		var wg sync.WaitGroup
		for i := range got {
			wg.Go(func() { got[i] = tell[i%len(tell)]() })
		}
		wg.Wait()
		for i := range got {
			if !reflect.DeepEqual(got[i], want[i%len(tell)]) {
				t.Fatalf("seed %d: alone %v, beside others %v", seed, want[i%len(tell)], got[i])
			}
		}
	}
}
