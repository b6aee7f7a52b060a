package edit

import (
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"reflect"
	"strings"
	"testing"

	"vestpin/core/past"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
	"vestpin/core/strict"
)

func some[T any](r *rand.Rand, list ...T) T { return list[r.IntN(len(list))] }

// anyEdit makes an edit of any verb, fitting or not.
func anyEdit(r *rand.Rand) Edit {
	id := some(r, "rec", "rec.0", "rec.web", "f1", "edge", "main", "new", "new.0", "ghost", "v1", "attic")
	text := fmt.Sprint("text ", r.IntN(5))
	var at *int
	if place := r.IntN(3); r.IntN(2) == 0 {
		at = &place
	}
	address := netip.AddrFrom4([4]byte{10, 48, 16, byte(r.IntN(256))})
	service := site.Service{ID: some(r, "rec.web", "new.s"), Interface: some(r, "rec.0", "new.0"), Protocol: site.TCP, Ports: span.Port(1 + r.IntN(99))}
	iface := site.Interface{ID: some(r, "rec.0", "rec.1", "new.0"), Network: some(r, "main", "main", "attic"), Wants: "auto"}
	return some[Edit](r,
		RenameSite{text},
		PutNetwork{site.Network{ID: some(r, "main", "attic"), Subnet: netip.MustParsePrefix("10.48.16.0/24")}, at}, RemoveNetwork{id},
		PutRouter{site.Router{ID: some(r, "edge", "inner"), Network: "main", Upstream: some(r, "", "edge", "inner"), UPnP: "off", WAN: site.WAN{Kind: "unknown"}, Form: site.Form{PortsPerLine: "one", Renumber: "none", LimitsSender: "no", Reserves: "no"}}, at},
		RemoveRouter{id, r.IntN(2) == 0},
		PutDevice{site.Device{ID: some(r, "rec", "new"), Name: text, Interfaces: []site.Interface{iface}}, at}, RemoveDevice{id, r.IntN(2) == 0},
		Describe{ID: id, Name: &text, Kind: some(r, nil, &text), Accepted: some(r, nil, &[]bool{true}[0])},
		PutInterface{id, iface, at}, RemoveInterface{id, r.IntN(2) == 0},
		PutService{id, service, at}, RemoveService{id, r.IntN(2) == 0},
		SetPin{id, some(r, nil, &site.Pin{Address: address, By: "both"})}, SetWants{id, some[site.Wants](r, "pin", "loose", "auto")},
		SetOpen{id, some(r, nil, &site.Open{Port: some(r, "any", "same", "80", "80-90")})},
		PutForward{site.Forward{ID: some(r, "f1", "f2"), Router: some(r, "edge", "inner"), Protocol: site.UDP, Outside: span.Port(1 + r.IntN(99)), To: some(r, "rec.0", "new.0", "10.48.16.9")}, at}, RemoveForward{id},
		Tick{id, some(r, nil, &site.Done{At: "now", Values: text}), at},
		PutVisit{site.Visit{ID: some(r, "v1", "v2"), From: "2026-05-04T09:00:00Z", Until: some(r, "", "2026-05-04T12:00:00Z"), Seen: []site.SeenThen{{Interface: "rec.0", Address: address, Host: text}}}, at}, RemoveVisit{id},
		PutProof{site.Proof{ID: some(r, "p1", "p2"), At: text, From: "inside", Router: site.ProofRouter{Answers: true, Told: []site.ToldOutside{{Address: address, By: site.ToldByRouter}}}, Interfaces: []site.ProofThere{{Interface: "rec.0", Planned: address, Answers: "yes"}},
			Services: []site.ProofHeard{{Service: "rec.web", Inside: site.Heard{Result: site.HeardAnswers, Says: text, By: site.TriedHere}, Outside: site.Heard{Result: site.Untried}}}}, at}, RemoveProof{some(r, "p1", "p2")},
		PatchHeld{some(r, "edge", "inner"), nil, []site.HeldForward{{Name: text, Protocol: site.TCP, Outside: span.Port(1 + r.IntN(9)), Address: netip.MustParseAddr("10.48.16.20"), Enabled: true}}},
		PatchHeld{some(r, "edge", "inner"), []site.HeldForward{{Name: text, Protocol: site.TCP, Outside: span.Port(1 + r.IntN(9)), Address: netip.MustParseAddr("10.48.16.20"), Enabled: true}}, nil},
		SetLinks{some(r, nil, []site.Link{{ID: "far", Name: text, End: some[site.LinkEnd](r, site.Listens, site.Calls), Service: some(r, "rec.web", ""), Interface: some(r, "", "rec.0"), Far: site.Far{Name: text}}})},
		SetKinds{some(r, nil, []site.Kind{{ID: "kiln", Name: text, Services: []site.KindService{{ID: "page", Protocol: site.TCP, Ports: some(r, span.Port(80), span.Ports{})}}, Purposes: []site.Purpose{{ID: "watch", Services: []string{some(r, "page", "none")}}}}})},
		SetMakers{some(r, nil, []site.Maker{{Prefix: "00:00:5e", Name: text}}, []site.Maker{{Prefix: "00-00-5E-00-53-2", Name: text}, {Prefix: "0", Name: text}}, []site.Maker{{Prefix: "0g", Name: text}})},
	)
}

// Any batch of edits is either refused with a reason, leaving the site as it
// was, or taken, leaving one that can be saved and read, and can be undone.
func TestAnyEditsAreTakenOrRefusedWhole(t *testing.T) {
	s, err := sitefile.Read([]byte(past.Sample))
	if err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(61, 62))
	taken := map[Verb]int{}
	long := s
	for round := range 12000 {
		edits := []Edit{anyEdit(r)}
		if r.IntN(3) == 0 {
			edits = append(edits, anyEdit(r))
		}
		before := string(sitefile.Write(s))
		next, undo, err := Apply(s, edits)
		if string(sitefile.Write(s)) != before {
			t.Fatalf("round %d: %s changed the old value", round, edits[0].Verb())
		}
		if err != nil {
			var bad *strict.Refusal
			if !errors.As(err, &bad) || bad.Want == "" || !(strings.HasPrefix(bad.Path, "edits[") || strings.HasPrefix(bad.Path, "site")) {
				t.Fatalf("round %d: %v", round, err)
			}
			continue
		}
		for _, e := range edits {
			taken[e.Verb()]++
		}
		if !reflect.DeepEqual(next, next.Whole()) {
			t.Fatalf("round %d: %s left a list absent", round, edits[0].Verb())
		}
		missed(t, s, next, Touches(edits, undo))
		changed := Changed(s, next)
		missed(t, s, next, changed)
		for _, c := range changed {
			// What adds a part does not overwrite the others, as a whole device does.
			if _, touched := Disagree([]Touch{c}, Touches(edits, undo)); !touched && c.Field != "parts" {
				t.Fatalf("round %d: %s is changed and not touched by %s", round, c, edits[0].Verb())
			}
		}
		again, err := Read(Format, marshal(t, List(edits)))
		if twice, _, err2 := Apply(s, again); err != nil || err2 != nil || !reflect.DeepEqual(twice, next) {
			t.Fatalf("round %d: %v %v: edits that were written do not come back", round, err, err2)
		}
		if again, err := sitefile.Read(sitefile.Write(next)); err != nil || string(sitefile.Write(again)) != string(sitefile.Write(next)) {
			t.Fatalf("round %d: %v: what came of %+v cannot be read", round, err, edits)
		}
		if back, _, err := Apply(next, undo); err != nil || string(sitefile.Write(back)) != before {
			t.Fatalf("round %d: %s is not undone: %v\n%s\nbecame\n%s", round, edits[0].Verb(), err, before, sitefile.Write(back))
		}
		// From whatever a site was some edits ago, one batch leads to what it is.
		if there, _, err := Apply(long, Lead(long, next)); err != nil || string(sitefile.Write(there)) != string(sitefile.Write(next)) {
			t.Fatalf("round %d: %v: led from\n%s\nto\n%s\nin place of\n%s", round, err, sitefile.Write(long), sitefile.Write(there), sitefile.Write(next))
		}
		if r.IntN(4) == 0 {
			long = next
		}
		if r.IntN(40) == 0 {
			s, _ = sitefile.Read([]byte(past.Sample)) // start anew before everything is removed
		} else {
			s = next
		}
	}
	if len(taken) < len(Each) {
		t.Errorf("only these were ever taken: %v", taken)
	}
}

func marshal(t *testing.T, v any) []byte {
	data, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	return data
}

// missed fails where two sites differ in something that is not said to be touched.
func missed(t *testing.T, before, after site.Site, touched []Touch) {
	t.Helper()
	parts := func(s site.Site) map[Touch]any {
		out := map[Touch]any{{"site", "name"}: s.Name, {"site", "makers"}: s.Makers, {"site", "kinds"}: s.Kinds}
		for _, n := range s.Networks {
			out[Touch{Thing: n.Ref()}] = n
		}
		for _, r := range s.Routers {
			out[Touch{Thing: r.Ref()}] = r
		}
		for _, f := range s.Forwards {
			out[Touch{Thing: f.Ref()}] = f
		}
		for _, v := range s.Visits {
			out[Touch{Thing: v.Ref()}] = v
		}
		for _, d := range s.Done {
			out[Touch{Thing: site.Ref("step:" + d.Step)}] = d
		}
		for _, d := range s.Devices {
			for field, v := range map[string]any{"name": d.Name, "kind": d.Kind, "place": d.Place, "rank": d.Rank, "accepted": d.Accepted} {
				out[Touch{d.Ref(), field}] = v
			}
			for _, n := range d.Interfaces {
				out[Touch{n.Ref(), "pin"}], out[Touch{n.Ref(), "wants"}] = n.Pin, n.Wants
				n.Pin, n.Wants = nil, ""
				out[Touch{n.Ref(), "the rest"}] = n
			}
			for _, sv := range d.Services {
				out[Touch{sv.Ref(), "open"}] = sv.Open
				sv.Open = nil
				out[Touch{sv.Ref(), "the rest"}] = sv
			}
		}
		return out
	}
	a, b := parts(before), parts(after)
	for k := range b {
		if _, was := a[k]; !was { // what is new counts too
			a[k] = nil
		}
	}
	for k := range a {
		if _, said := Disagree([]Touch{k}, touched); !said && !reflect.DeepEqual(a[k], b[k]) {
			t.Fatalf("%s was changed, and only %v is said to be", k, touched)
		}
	}
}
