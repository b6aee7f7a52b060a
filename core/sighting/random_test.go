package sighting

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// randomEvidence is sightings as they come: of few devices, some without a MAC
// address or an address, some of nobody.
func randomEvidence(r *rand.Rand) []Sighting {
	var out []Sighting
	for i := range r.IntN(12) {
		sg := Sighting{Source: fmt.Sprint("source ", r.IntN(3)), Line: i + 1, State: "seen"}
		if r.IntN(4) > 0 {
			sg.MAC = site.MAC(fmt.Sprintf("00:00:5e:00:53:%02x", r.IntN(6)))
		}
		if r.IntN(5) > 0 {
			sg.Address = addr(r.IntN(12))
		}
		if r.IntN(8) == 0 {
			sg.Address = netip.MustParseAddr("192.0.2.9")
		}
		if r.IntN(2) == 0 {
			sg.Host = fmt.Sprint("host-", r.IntN(4), ".lan")
		}
		out = append(out, sg)
	}
	return out
}

// Whatever the evidence: its edits can be taken and undone, a known name, MAC
// address, pin or service is never lost, no MAC address comes up twice, and the
// same evidence again brings no device with a MAC address.
func TestMergeOfAnything(t *testing.T) {
	r := rand.New(rand.NewPCG(51, 52))
	for round := range 3000 {
		s := known()
		for range 1 + r.IntN(4) {
			evidence := randomEvidence(r)
			p := Merge(s, evidence, Facts{}, "2026-11-23T09:00:00Z")
			if len(p.Findings) != len(evidence) {
				t.Fatalf("round %d: %d findings of %d sightings", round, len(p.Findings), len(evidence))
			}
			next, undo, err := edit.Apply(s, p.Edits)
			if err != nil {
				t.Fatalf("round %d: %v", round, err)
			}
			if back, _, err := edit.Apply(next, undo); err != nil || string(sitefile.Write(back)) != string(sitefile.Write(s)) {
				t.Fatalf("round %d: not undone, %v", round, err)
			}
			keepsWhatIsKnown(t, s, next)
			again := Merge(next, evidence, Facts{}, "2026-11-23T10:00:00Z")
			for _, f := range again.Findings {
				if f.What == IsNew && f.Sighting.MAC != "" {
					t.Fatalf("round %d: new again: %+v", round, f)
				}
			}
			s = next
		}
	}
}

func keepsWhatIsKnown(t *testing.T, before, after site.Site) {
	t.Helper()
	v := site.NewView(after)
	macs := map[site.MAC]bool{}
	for _, p := range v.Interfaces() {
		if m := p.Interface.MAC; m != "" && macs[m] {
			t.Fatalf("%s came up twice in\n%s", m, sitefile.Write(after))
		} else {
			macs[m] = true
		}
	}
	for _, d := range before.Devices {
		for _, n := range d.Interfaces {
			p, ok := v.Interface(n.ID)
			switch {
			case !ok:
				t.Fatalf("%s is gone", n.ID)
			case d.Name != "" && p.Device.Name != d.Name,
				n.MAC != "" && p.Interface.MAC != n.MAC,
				n.Seen.IsValid() && !p.Interface.Seen.IsValid(),
				(n.Pin == nil) != (p.Interface.Pin == nil):
				t.Fatalf("%+v of %q became %+v of %q", n, d.Name, *p.Interface, p.Device.Name)
			}
		}
	}
}

func TestTitle(t *testing.T) {
	for host, want := range map[string]string{"rec.lan": "rec", "cam 22": "cam 22", "*": "", "?": "", "-": "", " x ": "x", "": "", "キルン.local": "キルン", "rec.shop.example.": "rec", "Dr. Sample's tablet": "Dr. Sample's tablet", "v2.Yard": "v2.Yard", "Tank 1.5 m": "Tank 1.5 m"} {
		if got := Title(host); got != want {
			t.Errorf("%q: got %q, want %q", host, got, want)
		}
	}
}

func BenchmarkMerge(b *testing.B) {
	s := site.New("x", netip.MustParsePrefix("10.48.0.0/16"), netip.MustParseAddr("10.48.0.1"), nil)
	var evidence []Sighting
	for i := range 100000 {
		n := i % 2000
		evidence = append(evidence, Sighting{MAC: site.MAC(fmt.Sprintf("00:00:5e:00:%02x:%02x", n/256, n%256)), Address: netip.AddrFrom4([4]byte{10, 48, byte(1 + n/250), byte(1 + n%250)}), Source: "leases", Line: i + 1})
	}
	for b.Loop() {
		Merge(s, evidence, Facts{}, "2026-11-23T09:00:00Z")
	}
}

// Day after day of any evidence: the visits stay in order and end before the next
// begins, comparing any two names each interface once for each difference, and
// every offer can be taken, refused and taken back.
func TestVisitsOfAnything(t *testing.T) {
	r := rand.New(rand.NewPCG(53, 54))
	offers := 0
	for round := range 400 {
		s := known()
		for day := range 2 + r.IntN(3) {
			at := fmt.Sprintf("2026-11-%02dT09:00:00Z", day*3+1)
			evidence := randomEvidence(r)
			for i := range evidence {
				evidence[i].State = "answered ARP"
				if r.IntN(3) == 0 {
					evidence[i].At = fmt.Sprintf("2026-11-%02dT08:%02d:00Z", day*3+1, r.IntN(60))
				}
			}
			next, _, err := edit.Apply(s, Merge(s, evidence, Facts{}, at).Edits)
			if err != nil {
				t.Fatalf("round %d: %v", round, err)
			}
			s = next
		}
		for i, v := range s.Visits {
			if open := v.Until == ""; open != (i == len(s.Visits)-1) || !open && v.Until < v.From || i > 0 && v.From <= s.Visits[i-1].Until {
				t.Fatalf("round %d: visits %+v", round, s.Visits)
			}
		}
		v := site.NewView(s)
		for i := 1; i < len(s.Visits); i++ {
			said := map[string]bool{}
			for _, d := range Compare(v, s.Visits[i-1], s.Visits[i]) {
				if key := d.What + d.Interface; said[key] || d.Says == "" {
					t.Fatalf("round %d: %+v twice", round, d)
				} else {
					said[key] = true
				}
			}
			if same := Compare(v, s.Visits[i], s.Visits[i]); len(same) > 0 {
				for _, d := range same {
					if d.What != "elsewhere" {
						t.Fatalf("round %d: a visit differs from itself: %+v", round, d)
					}
				}
			}
		}
		for _, o := range Offers(v) {
			offers++
			for _, edits := range [][]edit.Edit{o.Edits, o.Not} {
				next, undo, err := edit.Apply(s, edits)
				if err != nil {
					t.Fatalf("round %d: %+v: %v", round, o, err)
				}
				for _, again := range Offers(site.NewView(next)) {
					if again.ID == o.ID {
						t.Fatalf("round %d: %s is offered again", round, o.ID)
					}
				}
				if back, _, err := edit.Apply(next, undo); err != nil || string(sitefile.Write(back)) != string(sitefile.Write(s)) {
					t.Fatalf("round %d: not undone: %v", round, err)
				}
			}
		}
	}
	if offers < 50 {
		t.Errorf("only %d offers were met", offers)
	}
}
