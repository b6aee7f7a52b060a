package sighting

import (
	"net/netip"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/span"
)

// What a router holds goes to the router on whose network its lines lead, and nowhere
// where none can be meant.
func TestHold(t *testing.T) {
	s := site.New("x", netip.MustParsePrefix("10.48.16.0/24"), netip.MustParseAddr("10.48.16.1"), nil)
	line := func(to string) site.HeldForward {
		return site.HeldForward{Protocol: site.TCP, Outside: span.Port(8020), Address: netip.MustParseAddr(to), Inside: span.Port(80), From: []string{}, Enabled: true}
	}
	list := func(router string, lines ...site.HeldForward) []HeldList {
		return []HeldList{{Router: router, Source: "page", Lines: lines}}
	}
	edits, says := Hold(s, list("", line("10.48.16.20"), line("10.48.99.20")), "2026-11-23T09:42:00Z")
	if len(edits) != 1 || !strings.Contains(says, "2 forwards that a router holds, kept as evidence of") {
		t.Fatalf("%v, %q", edits, says)
	}
	after, _, err := edit.Apply(s, edits)
	if err != nil {
		t.Fatal(err)
	}
	if h := after.Routers[0].Held; h == nil || len(h.Forwards) != 2 || h.At != "2026-11-23T09:42:00Z" || h.Source != "page" || len(after.Forwards) != 0 || len(after.Devices) != 0 {
		t.Errorf("held: %+v, forwards %v", h, after.Forwards)
	}
	if edits, says := Hold(s, list("", line("192.0.2.7")), ""); len(edits) != 0 || !strings.Contains(says, "left out") {
		t.Errorf("%v, %q", edits, says)
	}
	if edits, says := Hold(s, nil, ""); edits != nil || says != "" {
		t.Errorf("%v, %q", edits, says)
	}
	s.Routers = append(s.Routers, site.Router{ID: "inner", Name: "Loft", Network: "main", Upstream: "edge"})
	both := append(list("Loft", line("192.0.2.7")), list("Router", line("10.48.16.20"), line("10.48.16.21"))...)
	if edits, says := Hold(s, both, ""); len(edits) != 2 || len(edits[0].(edit.PutRouter).Router.Held.Forwards) != 2 || len(edits[1].(edit.PutRouter).Router.Held.Forwards) != 1 {
		t.Errorf("lists that name their routers: %v, %q", edits, says)
	}
}
