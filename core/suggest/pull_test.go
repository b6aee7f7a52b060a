package suggest

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/span"
)

// On random sites: a thread that is pulled from a loose interface pins it by the same edits,
// where nobody else is pinned or stays; what is pinned already stays where it is, and where
// there is no room it is said.
func TestPullPinsWhatIsLoose(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 4))
	at := func(n int) netip.Addr { return netip.AddrFrom4([4]byte{10, 48, 16, byte(n)}) }
	pinned, crowded, moved := 0, 0, 0
	for round := range 1000 {
		subnet := []string{"10.48.16.0/24", "10.48.16.0/29"}[r.IntN(2)]
		s := site.New("x", netip.MustParsePrefix(subnet), at(1), nil)
		for i := range 2 + r.IntN(8) {
			id := fmt.Sprint("d", i)
			d := site.Device{ID: id, Name: id, Interfaces: []site.Interface{{ID: id + ".0", Network: "main", MAC: site.MAC("00:00:5e:00:53:0" + fmt.Sprint(i))}}}
			if i > 0 && i < 6 && r.IntN(8) > 0 {
				d.Interfaces[0].Seen = at(1 + i)
			}
			if i < 6 && r.IntN(3) == 0 {
				d.Interfaces[0].Pin = &site.Pin{Address: at(1 + max(i, 1)), By: "reservation"}
			}
			d.Services = []site.Service{{ID: id + ".s", Interface: id + ".0", Protocol: site.TCP, Ports: span.Port(80)}}
			s.Devices = append(s.Devices, d)
		}
		v := site.NewView(s)
		was, _ := v.Interface("d0.0")
		p, err := Pull(v, "d0.s", span.Port(8020), false)
		if err != nil {
			t.Fatal(err)
		}
		after, _, err := edit.Apply(s, p.Edits)
		if err != nil {
			t.Fatalf("%d: %v", round, err)
		}
		now, _ := site.NewView(after).Interface("d0.0")
		switch {
		case was.Interface.Pin != nil:
			if *now.Interface.Pin != *was.Interface.Pin || p.Pins != "" {
				t.Fatalf("%d: what was pinned is %v, and it says %q", round, now.Interface.Pin, p.Pins)
			}
		case now.Interface.Pin == nil:
			crowded++
			if !strings.Contains(p.Pins, "stays loose: ") {
				t.Fatalf("%d: it stays loose and says %q", round, p.Pins)
			}
		default:
			pinned++
			if !strings.Contains(p.Pins, "d0 is pinned at "+now.Interface.Pin.Address.String()) {
				t.Fatalf("%d: pinned at %s, and it says %q", round, now.Interface.Pin.Address, p.Pins)
			}
			for _, o := range site.NewView(after).Interfaces() {
				if o.Interface.ID == "d0.0" {
					continue
				}
				if o.Interface.Pin != nil && o.Interface.Pin.Address == now.Interface.Pin.Address || o.Interface.Pin == nil && o.Interface.Seen == now.Interface.Pin.Address {
					t.Fatalf("%d: %s is at %s as well", round, o.Interface.ID, now.Interface.Pin.Address)
				}
				if before, _ := v.Interface(o.Interface.ID); before.Interface.Pin == nil && o.Interface.Pin != nil {
					moved++
				}
			}
		}
	}
	if pinned < 300 || crowded < 20 {
		t.Errorf("only %d pinned, %d without room, %d others moved", pinned, crowded, moved)
	}
}
