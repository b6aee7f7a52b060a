package snag

import (
	"math/rand/v2"
	"net/netip"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/span"
)

// On sites in which anything may be wrong: every snag is in one group, the heaviest first, and
// what mends a whole group ends as many as it says and brings nothing that stops work.
func TestGroupsAreMendedAtOnce(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 9))
	ended, short := 0, 0
	for round := range 300 {
		s := tangled(r)
		v := site.NewView(s)
		snags := told(v)
		in := map[int]bool{}
		last := Stops
		for _, g := range Groups(snags) {
			if last != Stops && g.Weight == Stops || last == Note && g.Weight == Bites {
				t.Errorf("%d: %s comes after what is lighter", round, g.Code)
			}
			last = g.Weight
			for _, i := range g.Snags {
				if in[i] || snags[i].Code != g.Code {
					t.Errorf("%d: snag %d is in a wrong group, or in two", round, i)
				}
				in[i] = true
			}
			if g.Does == "" {
				continue
			}
			all := MendAll(v, g.Code)
			next, undo, err := edit.Apply(s, all.Edits)
			if err != nil {
				t.Fatalf("%d, %s: %v", round, g.Code, err)
			}
			after := told(site.NewView(next))
			if left := count(after, g.Code); left != all.Left || all.Ended != count(snags, g.Code)-left {
				t.Errorf("%d, %s: %d ended and %d left are told, %d are left", round, g.Code, all.Ended, all.Left, left)
			}
			if stops(after, g.Code) > stops(snags, g.Code) {
				t.Errorf("%d, %s: more stops work than before", round, g.Code)
			}
			if back, _, err := edit.Apply(next, undo); err != nil || len(back.Devices) != len(s.Devices) {
				t.Errorf("%d, %s: no way back: %v", round, g.Code, err)
			}
			ended += all.Ended
			short += all.Left
		}
		if len(in) != len(snags) {
			t.Errorf("%d: %d of %d snags are in groups", round, len(in), len(snags))
		}
	}
	t.Logf("%d snags ended, %d left", ended, short)
	if ended < 500 || short > ended {
		t.Errorf("only %d snags ended, %d left", ended, short)
	}
}

// Five loose devices that are opened become one entry with one mend, which pins all of them at
// addresses of their own.
func TestPinAll(t *testing.T) {
	s := site.New("five", netip.MustParsePrefix("10.48.16.0/24"), netip.MustParseAddr("10.48.16.1"), nil)
	for _, id := range []string{"a", "b", "c", "d", "e"} {
		s.Devices = append(s.Devices, site.Device{ID: id, Name: id,
			Interfaces: []site.Interface{{ID: id + ".0", Network: "main", MAC: site.MAC("00:00:5e:00:53:0" + id)}},
			Services:   []site.Service{{ID: id + ".s", Name: "page", Interface: id + ".0", Protocol: site.TCP, Ports: span.Port(80), Open: &site.Open{Port: site.AnyPort}}},
		})
	}
	v := site.NewView(s)
	groups := Groups(told(v))
	var loose KindGroup
	for _, g := range groups {
		if g.Code == "open-but-loose" {
			loose = g
		}
	}
	if loose.Says != "5 devices are loose, and something of theirs is to be open outside" || loose.Does != "Pin all 5" || len(loose.Snags) != 5 {
		t.Errorf("%+v", loose)
	}
	all := MendAll(v, "open-but-loose")
	at := map[netip.Addr]bool{}
	for _, e := range all.Edits {
		at[e.(edit.SetPin).Pin.Address] = true
	}
	if all.Ended != 5 || all.Left != 0 || len(at) != 5 {
		t.Errorf("%d ended, %d left, %d addresses", all.Ended, all.Left, len(at))
	}
}
