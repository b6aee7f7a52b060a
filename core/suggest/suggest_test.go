package suggest

import (
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

// A plan that nobody waits for any more ends, at whatever point that is, and gives
// nothing; one that is waited for is whole.
func TestUntil(t *testing.T) {
	s := crowded(60)
	asked := 0
	whole, err := Until(s, Halves{Addresses: true, Ports: true}, func() bool { asked++; return false })
	if err != nil || len(whole.Changes) != 61 || len(whole.Unmet) != 59 || asked < 60 {
		t.Fatalf("%v: %d changes, %d unmet, asked %d times", err, len(whole.Changes), len(whole.Unmet), asked)
	}
	for at := 1; at <= asked; at += 1 + asked/40 {
		n := 0
		if _, err := Until(s, Halves{Addresses: true, Ports: true}, func() bool { n++; return n == at }); !errors.Is(err, site.ErrOver) || n != at {
			t.Fatalf("ended at the question %d of %d: %v after %d", at, asked, err, n)
		}
	}
}
