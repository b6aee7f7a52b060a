package suggest

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"testing"

	"vestpin/core/site"
	"vestpin/core/span"
)

// crowded is a site of n services that all want port 80.
func crowded(n int) site.Site {
	s := site.New("x", netip.MustParsePrefix("10.0.0.0/16"), netip.MustParseAddr("10.0.0.1"), nil)
	for i := range n {
		id := fmt.Sprint("d", i)
		s.Devices = append(s.Devices, site.Device{ID: id, Interfaces: []site.Interface{{ID: id, Network: "main", Wants: "pin", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:%02x:%02x", i/256, i%256))}},
			Services: []site.Service{{ID: id, Interface: id, Protocol: site.TCP, Ports: span.Port(80), Open: &site.Open{Port: site.SamePort}}}})
	}
	return s
}

// counted is a context that is done at the n-th look.
type counted struct {
	context.Context
	looks, n int
}

func (c *counted) Err() error {
	if c.looks++; c.n > 0 && c.looks >= c.n {
		return context.Canceled
	}
	return nil
}

// A plan that nobody waits for any more ends soon, at whatever point that is, and gives
// nothing; one that is waited for is whole.
func TestPlanEndsWithItsContext(t *testing.T) {
	s := crowded(60)
	all := &counted{Context: context.Background()}
	whole, err := For(all, s, Halves{Addresses: true, Ports: true})
	if err != nil || len(whole.Changes) != 61 || len(whole.Unmet) != 59 || all.looks < 60 {
		t.Fatalf("%v: %d changes, %d unmet, asked %d times", err, len(whole.Changes), len(whole.Unmet), all.looks)
	}
	for at := 1; at <= all.looks; at++ {
		ctx := &counted{Context: context.Background(), n: at}
		if _, err := For(ctx, s, Halves{Addresses: true, Ports: true}); !errors.Is(err, context.Canceled) {
			t.Fatalf("ended at the question %d of %d: %v", at, all.looks, err)
		}
	}
}
