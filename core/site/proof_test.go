package site

import (
	"net/netip"
	"reflect"
	"testing"
)

// What was tried later goes over what was seen before; what was not tried again, or only half,
// stands.
func TestProofWithALaterOne(t *testing.T) {
	a := netip.MustParseAddr
	heard := func(result TryResult) Heard { return Heard{Result: result, By: TriedHere} }
	first := Proof{ID: "p1", At: "1", Visit: "v", From: "inside", Notes: []string{"slow"}, Router: ProofRouter{Answers: true, Keys: []string{"page"}, Speaks: []string{"upnp"}, Control: HeardSilent, Told: []ToldOutside{{a("203.0.113.47"), ToldByRouter}, {a("203.0.113.47"), ToldByAfar}}},
		Name:       ProofName{Name: "studio.example.net", Points: []netip.Addr{a("203.0.113.47")}},
		Interfaces: []ProofThere{{Interface: "a", Answers: "yes"}, {Interface: "b", Answers: "no"}},
		Services:   []ProofHeard{{Service: "s", Inside: heard(HeardAnswers), Outside: heard(HeardSilent), Stray: 8002}, {Service: "t", Inside: heard(HeardRefused), Outside: heard(Untried)}}}
	stopped := Proof{At: "2", From: "inside", Notes: []string{}, Interfaces: []ProofThere{{Interface: "b", Answers: "yes"}, {Interface: "a", Answers: Untried}, {Interface: "c", Answers: "yes"}},
		Services: []ProofHeard{{Service: "s", Inside: heard(Untried), Outside: heard(Untried)}, {Service: "t", Inside: heard(HeardAnswers), Outside: heard(HeardAnswers)}, {Service: "u", Inside: heard(HeardAnswers), Outside: heard(Untried)}}}
	want := first
	want.At, want.Notes, want.Router.Answers = "2", []string{}, false
	want.Interfaces = []ProofThere{{Interface: "a", Answers: "yes"}, {Interface: "b", Answers: "yes"}, {Interface: "c", Answers: "yes"}}
	want.Services = []ProofHeard{first.Services[0], {Service: "t", Inside: heard(HeardAnswers), Outside: heard(HeardAnswers)}, stopped.Services[2]}
	if got := first.With(stopped); !reflect.DeepEqual(got, want) {
		t.Errorf("got\n%+v\nwant\n%+v", got, want)
	}
	if got := first.With(Proof{At: "3", From: "outside", Services: []ProofHeard{{Service: "s", Outside: heard(HeardAnswers)}}}); got.From != "both" || got.Services[0].Outside.Result != HeardAnswers || got.Services[0].Stray != 0 || got.Services[0].Inside.Result != HeardAnswers || !got.Router.Answers {
		t.Errorf("from outside: %+v", got)
	}
	moved := first.With(Proof{At: "4", From: "outside", Router: ProofRouter{Told: []ToldOutside{{a("203.0.113.99"), ToldByRouter}}}})
	if told, _ := moved.Router.Outside(); told.Address != a("203.0.113.99") || moved.From != "inside" || len(moved.Router.Told) != 1 {
		t.Errorf("a new address alone: %+v", moved.Router)
	}
	// What a device asked for when it was tried from outside stands as long as that try does.
	asks := Proof{Services: []ProofHeard{{Service: "s", Outside: heard(HeardSilent), AsksFor: a("10.48.16.254")}}}
	again := asks.With(Proof{Interfaces: []ProofThere{{Interface: "a", Answers: "yes"}}, Services: []ProofHeard{{Service: "s", Inside: heard(HeardAnswers), Outside: heard(Untried)}}})
	if mended := again.With(Proof{Services: []ProofHeard{{Service: "s", Outside: heard(HeardAnswers)}}}); again.Services[0].AsksFor != a("10.48.16.254") || mended.Services[0].AsksFor.IsValid() {
		t.Errorf("it asks for %s, and once it answers for %s", again.Services[0].AsksFor, mended.Services[0].AsksFor)
	}
	// Who answers as a gateway is kept by network.
	gate := func(network string, mac MAC) ProofRouter {
		return ProofRouter{Gateways: []ProofGateway{{network, mac}}}
	}
	both := gate("a", "1").with(gate("b", "2")).with(gate("a", "3"))
	if both.Gateway("a") != "3" || both.Gateway("b") != "2" || both.Gateway("c") != "" || len(both.Gateways) != 2 {
		t.Errorf("gateways: %+v", both.Gateways)
	}
	// A name that stands for the same has done so since it was first seen to.
	looked := func(at, address string) Proof {
		return Proof{At: at, From: "inside", Name: ProofName{Name: "studio.example.net", Points: []netip.Addr{a(address)}}}
	}
	second := looked("5", "203.0.113.47").After(looked("1", "203.0.113.47").After(Proof{}))
	if third := second.With(looked("6", "203.0.113.99")); second.Name.Since != "1" || third.Name.Since != "6" || third.With(looked("7", "203.0.113.99")).Name.Since != "6" {
		t.Errorf("since %q, then %q", second.Name.Since, third.Name.Since)
	}
	if first.Services[1].Inside.Result != HeardRefused || first.Interfaces[1].Answers != "no" {
		t.Error("the first was changed")
	}
}
