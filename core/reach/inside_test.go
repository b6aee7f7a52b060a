package reach

import (
	"net/netip"
	"testing"

	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// A packet from inside to an outside address: what the router can decides, and what a router
// on the way hides; a sender outside, or in front of the router, needs no looping back.
func TestWalkFromInside(t *testing.T) {
	const file = `{"format":"vestpin-site/1","name":"x",
		"networks":[{"id":"mid","subnet":"10.77.0.0/24"},{"id":"own","subnet":"10.48.20.0/24"}],
		"routers":[{"id":"box","network":"mid","wan":{"address":"198.51.100.23"},"ownPorts":[{"protocol":"tcp","ports":"443"}]},
			{"id":"inner","network":"own","upstream":"box","wan":{"address":"10.77.0.20"}}],
		"devices":[{"id":"cam","interfaces":[{"id":"cam.0","network":"own","pin":{"address":"10.48.20.10","by":"device"}}]}],
		"forwards":[
			{"id":"f1","router":"box","enabled":true,"protocol":"tcp","outside":"8010","to":"10.77.0.20","inside":"8010"},
			{"id":"f2","router":"inner","enabled":true,"protocol":"tcp","outside":"8010","to":"cam.0","inside":"80"},
			{"id":"f3","router":"box","enabled":true,"protocol":"tcp","outside":"8011","to":"10.77.0.20","inside":"8010","from":["10.77.0.20"]}]}`
	for _, c := range []struct {
		what           string
		loops          site.YesNo
		router, sender string
		port           int
		want           Fate
	}{
		{"outside", "no", "box", "203.0.113.9", 8010, Fate{Fate: Forwarded, Port: 80}},
		{"behind both, it loops back", "yes", "box", "10.48.20.50", 8010, Fate{Fate: Forwarded, Port: 80, Loops: "yes"}},
		{"behind both, it does not", "no", "box", "10.48.20.50", 8010, Fate{Fate: Dropped, Port: 8010, Loops: "no", Says: "router at 198.51.100.23 does not loop back: from inside it is to be reached at 10.48.20.10:80"}},
		{"behind both, not known", "unknown", "box", "10.48.20.50", 8010, Fate{Fate: Forwarded, Port: 80, Loops: "unknown"}},
		{"the router's own page", "no", "box", "10.48.20.50", 443, Fate{Fate: ToRouter, Port: 443, Loops: "no"}},
		{"between them, to the outer", "no", "box", "10.77.0.9", 8010, Fate{Fate: Dropped, Port: 8010, Loops: "no", Says: "router at 198.51.100.23 does not loop back: from inside it is to be reached at 10.77.0.20:8010"}},
		{"between them, to the inner", "no", "inner", "10.77.0.9", 8010, Fate{Fate: Forwarded, Port: 80}},
		{"hidden by the inner router, which is let in", "yes", "box", "10.48.20.50", 8011, Fate{Fate: Forwarded, Port: 80, Loops: "yes"}},
		{"between them, and not let in", "yes", "box", "10.77.0.9", 8011, Fate{Fate: Dropped, Port: 8011, Loops: "yes", Says: "the sender is not among those that f3 lets in"}},
	} {
		s, err := sitefile.Read([]byte(file))
		if err != nil {
			t.Fatal(err)
		}
		s.Routers[0].LoopsBack = c.loops
		m := Of(site.NewView(s))
		p := Packet{Router: c.router, Port: c.port, Protocol: site.TCP, Sender: netip.MustParseAddr(c.sender)}
		got := m.WalkFrom(p)
		if got.Fate != c.want.Fate || got.Port != c.want.Port || got.Says != c.want.Says || got.Loops != c.want.Loops {
			t.Errorf("%s: got %+v", c.what, got)
		}
		found := false
		for _, st := range m.AllFrom(p.Router, p.Sender) {
			found = found || st.Protocol == p.Protocol && st.Ports.Set().Contains(uint32(p.Port)) && st.Fate == got.Fate
		}
		if found != (got.Fate != Dropped) {
			t.Errorf("%s: the whole map has it %v, the packet is %s", c.what, found, got.Fate)
		}
	}
}
