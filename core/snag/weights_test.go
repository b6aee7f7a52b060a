package snag

import (
	"slices"
	"strings"
	"testing"

	"vestpin/core/site"
)

// The weights are a contract with other programs: what stops work, what will
// bite, and the rest, which is worth knowing.
func TestWeights(t *testing.T) {
	stops := `address-twice, address-off-network, address-unusable, address-answers-already, router-cannot-reserve-there,
		mac-twice, mac-missing, range-bad, outside-clash, outside-is-routers-own, forward-to-nobody, forward-off-network,
		form-cannot, lines-run-out, reservations-run-out, behind-router, behind-carrier, upstream-missing`
	bites := `device-set-in-range, mac-randomised, open-but-loose, forward-to-loose, range-full, forward-wide, forward-risky,
		wish-unmet, upnp-on, outside-address-moves, two-dhcp-servers, answers-for-many`
	want := map[string]string{}
	for weight, list := range map[string]string{Stops: stops, Bites: bites} {
		for _, code := range strings.Split(list, ",") {
			want[strings.TrimSpace(code)] = weight
		}
	}
	for code, weight := range want {
		if weights[code] != weight {
			t.Errorf("%s weighs %q, want %q", code, weights[code], weight)
		}
	}
	for code := range weights {
		if want[code] == "" {
			t.Errorf("%s is not in the contract", code)
		}
	}
}

// The weightiest come first, and the order within a weight is always the same.
func TestOrder(t *testing.T) {
	s := large()
	s.Devices[1].Interfaces[0].Pin.Address = s.Devices[2].Interfaces[0].Pin.Address
	first := Check(site.NewView(s))
	if len(first) < 100 || first[0].Weight != Stops || first[len(first)-1].Weight != Note {
		t.Fatalf("%d snags, from %s to %s", len(first), first[0].Weight, first[len(first)-1].Weight)
	}
	order := map[string]int{Stops: 0, Bites: 1, Note: 2}
	if !slices.IsSortedFunc(first, func(a, b Snag) int { return order[a.Weight] - order[b.Weight] }) {
		t.Error("a lighter one stands before a weightier one")
	}
	for range 5 {
		again := Check(site.NewView(s))
		if !slices.EqualFunc(first, again, func(a, b Snag) bool { return a.Code == b.Code && a.Says == b.Says }) {
			t.Fatal("another order the second time")
		}
	}
}
