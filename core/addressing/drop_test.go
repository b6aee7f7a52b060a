package addressing

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
)

// On random small networks: a swap is offered only where each of the two can have the place of
// the other, and it leaves everybody else alone; without one the address is taken by more than a
// pin that may move.
func TestSwapsHold(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 5))
	low := func() netip.Addr { return netip.AddrFrom4([4]byte{10, 48, 16, byte(r.IntN(12))}) }
	swaps, refused := 0, 0
	for round := range 4000 {
		s := site.New("x", netip.MustParsePrefix("10.48.16.0/28"), netip.MustParseAddr("10.48.16.1"), nil)
		if r.IntN(2) == 0 {
			s.Networks[0].Ranges = []site.Range{{From: netip.MustParseAddr("10.48.16.8"), To: netip.MustParseAddr("10.48.16.11")}}
		}
		for i := range 2 + r.IntN(4) {
			id := fmt.Sprint("d", i)
			n := site.Interface{ID: id + ".0", Network: "main", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:53:0%d", i))}
			if r.IntN(3) > 0 {
				n.Pin = &site.Pin{Address: low(), By: []site.PinBy{"reservation", "device", "both"}[r.IntN(3)], Locked: r.IntN(5) == 0}
			}
			if r.IntN(2) == 0 {
				n.Seen = low()
			}
			s.Devices = append(s.Devices, site.Device{ID: id, Name: id, Interfaces: []site.Interface{n}})
		}
		v := site.NewView(s)
		p, _ := v.Interface("d0.0")
		a, by := low(), []site.PinBy{"reservation", "device", "both"}[r.IntN(3)]
		drop := Put(v, p, a, by)
		if (drop.Taken == "") != (Free(v, p, a, by) == "") || len(drop.Edits) != 1 {
			t.Fatalf("%d: taken %q", round, drop.Taken)
		}
		if len(drop.Swap) == 0 {
			if drop.Taken != "" {
				refused++
			}
			continue
		}
		swaps++
		next, _, err := edit.Apply(s, drop.Swap)
		if err != nil {
			t.Fatal(err)
		}
		after := site.NewView(next)
		moved := map[string]bool{}
		for _, e := range drop.Swap {
			moved[e.(edit.SetPin).ID] = true
		}
		for _, q := range after.Interfaces() {
			before, _ := v.Interface(q.Interface.ID)
			if !moved[q.Interface.ID] {
				if q.Interface.Pin != before.Interface.Pin {
					t.Errorf("%d: %s moved as well", round, q.Interface.ID)
				}
				continue
			}
			if before.Interface.Pin != nil && before.Interface.Pin.Locked && q.Interface.ID != "d0.0" {
				t.Errorf("%d: a locked pin was moved", round)
			}
			if n := len(after.PinnedAt(q.Interface.Network, q.Interface.Pin.Address)); n != 1 {
				t.Errorf("%d: %d are pinned at %s after the swap", round, n, q.Interface.Pin.Address)
			}
			for _, f := range Faults(after, q) {
				t.Errorf("%d: %s after the swap", round, f.Says)
			}
		}
	}
	if swaps < 100 || refused < 100 {
		t.Errorf("only %d swaps and %d refusals in all rounds", swaps, refused)
	}
}

// What is free of a DHCP range: not what is pinned or was seen in it, each counted once.
func TestLeases(t *testing.T) {
	at := netip.MustParseAddr
	s := site.New("x", netip.MustParsePrefix("10.48.16.0/24"), at("10.48.16.1"), []site.Range{{From: at("10.48.16.100"), To: at("10.48.16.109")}, {From: at("10.48.16.105"), To: at("10.48.16.114")}})
	for i, n := range []site.Interface{
		{Seen: at("10.48.16.100")}, {Seen: at("10.48.16.101"), Pin: &site.Pin{Address: at("10.48.16.101"), By: "reservation"}},
		{Seen: at("10.48.16.20"), Pin: &site.Pin{Address: at("10.48.16.110"), By: "reservation"}}, {},
	} {
		n.ID, n.Network = fmt.Sprint("d", i, ".0"), "main"
		s.Devices = append(s.Devices, site.Device{ID: fmt.Sprint("d", i), Interfaces: []site.Interface{n}})
	}
	if got, want := Leases(site.NewView(s)), (Lease{"main", 15, 12, 2}); len(got) != 1 || got[0] != want {
		t.Errorf("got %+v, want %+v", got, want)
	}
}
