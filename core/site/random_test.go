package site

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"vestpin/core/span"
)

func some[T any](r *rand.Rand, list ...T) T { return list[r.IntN(len(list))] }

// anyEdit makes an edit of any verb, fitting or not.
func anyEdit(r *rand.Rand) Edit {
	id := some(r, "rec", "rec.0", "rec.web", "f1", "edge", "main", "new", "new.0", "ghost", "v1")
	text := fmt.Sprint("text ", r.IntN(5))
	place := r.IntN(3)
	address := netip.AddrFrom4([4]byte{10, 48, 16, byte(r.IntN(256))})
	service := Service{ID: some(r, "rec.web", "new.s"), Interface: some(r, "rec.0", "new.0"), Protocol: TCP, Ports: span.Port(1 + r.IntN(99))}
	iface := Interface{ID: some(r, "rec.0", "rec.1", "new.0"), Network: some(r, "main", "main", "attic"), Wants: "auto"}
	e := Edit{
		Do: some(r, RenameSite, PutNetwork, RemoveNetwork, PutRouter, RemoveRouter, PutDevice, RemoveDevice, Describe, PutInterface, RemoveInterface, PutService, RemoveService, SetPin, SetWants, SetOpen, PutForward, RemoveForward, Tick, PutVisit, RemoveVisit, SetMakers),
		ID: id, Name: &text, Kind: &text, Wants: some(r, "pin", "loose", "auto"),
		Network:   &Network{ID: some(r, "main", "attic"), Subnet: netip.MustParsePrefix("10.48.16.0/24")},
		Router:    &Router{ID: some(r, "edge", "inner"), Network: "main", Upstream: some(r, "", "edge", "inner"), UPnP: "off", WAN: WAN{Kind: "unknown"}, Form: Form{PortsPerLine: "one", Renumber: "none", LimitsSender: "no", Reserves: "no"}},
		Device:    &Device{ID: some(r, "rec", "new"), Name: text, Interfaces: []Interface{iface}},
		Interface: &iface, Service: &service,
		Forward: &Forward{ID: some(r, "f1", "f2"), Router: some(r, "edge", "inner"), Protocol: UDP, Outside: span.Port(1 + r.IntN(99)), To: some(r, "rec.0", "new.0", "10.48.16.9")},
		Pin:     some(r, nil, &Pin{Address: address, By: "both"}), Open: some(r, nil, &Open{Port: some(r, "any", "same", "80", "80-90")}),
		Done: some(r, nil, &Done{At: "now", Values: text}), Accepted: some(r, nil, &[]bool{true}[0]),
		Visit:  &Visit{ID: some(r, "v1", "v2"), From: "2026-05-04T09:00:00Z", Until: some(r, "", "2026-05-04T12:00:00Z"), Seen: []SeenThen{{Interface: "rec.0", Address: address, Host: text}}},
		Makers: some(r, nil, []Maker{{"00:00:5e", text}}, []Maker{{"00-00-5E-00-53-2", text}, {"0", text}}, []Maker{{"0g", text}}),
	}
	if r.IntN(2) == 0 {
		e.At = &place
	}
	return e
}

// Any batch of edits is either refused with a reason, leaving the site as it
// was, or taken, leaving one that can be saved and read, and can be undone.
func TestAnyEditsAreTakenOrRefusedWhole(t *testing.T) {
	s, err := Read([]byte(sample))
	if err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(61, 62))
	taken := map[Verb]int{}
	for round := range 12000 {
		edits := []Edit{anyEdit(r)}
		if r.IntN(3) == 0 {
			edits = append(edits, anyEdit(r))
		}
		before := string(Write(s))
		next, undo, err := Apply(s, edits)
		if string(Write(s)) != before {
			t.Fatalf("round %d: %s changed the old value", round, edits[0].Do)
		}
		if err != nil {
			var bad *Refusal
			if !errors.As(err, &bad) || bad.Want == "" || !(strings.HasPrefix(bad.Path, "edits[") || strings.HasPrefix(bad.Path, "site")) {
				t.Fatalf("round %d: %v", round, err)
			}
			continue
		}
		for _, e := range edits {
			taken[e.Do]++
			if e.Touches()[0] == "" {
				t.Fatalf("%s touches nothing", e.Do)
			}
		}
		if again, err := Read(Write(next)); err != nil || string(Write(again)) != string(Write(next)) {
			t.Fatalf("round %d: %v: what came of %+v cannot be read", round, err, edits)
		}
		if back, _, err := Apply(next, undo); err != nil || string(Write(back)) != before {
			t.Fatalf("round %d: %s is not undone: %v\n%s\nbecame\n%s", round, edits[0].Do, err, before, Write(back))
		}
		if r.IntN(40) == 0 {
			s, _ = Read([]byte(sample)) // start anew before everything is removed
		} else {
			s = next
		}
	}
	if len(taken) < 20 {
		t.Errorf("only these were ever taken: %v", taken)
	}
}
