package reach

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"vestpin/core/past"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// house has a wish for 5060 and 5062-5063, both protocols, on one router.
const house = `{"format":"vestpin-site/1","name":"x","networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1"}],
 "routers":[{"id":"edge","name":"Edge","network":"main","form":{"portsPerLine":"list","renumber":"range","protocols":["tcp","udp","both"],"limitsSender":"network","lines":6}}],
 "devices":[{"id":"p","name":"Phone","interfaces":[{"id":"p.0","network":"main","mac":"00:00:5e:00:53:60","pin":{"address":"10.48.16.60"}}],
   "services":[{"id":"p.sip","name":"calls","interface":"p.0","protocol":"both","ports":"5060,5062-5063","open":OPEN}]}],
 "forwards":[FORWARDS]}`

func houseWith(t *testing.T, open, forwards string) (site.View, site.Wish) {
	t.Helper()
	s, err := sitefile.Read([]byte(strings.NewReplacer("OPEN", open, "FORWARDS", forwards).Replace(house)))
	if err != nil {
		t.Fatal(err)
	}
	v := site.NewView(s)
	w, _ := v.Service("p.sip")
	return v, w
}

func TestMet(t *testing.T) {
	f := func(id, protocol, outside, inside, rest string) string {
		return fmt.Sprintf(`{"id":%q,"router":"edge","protocol":%q,"outside":%q,"inside":%q,"to":"p.0"%s}`, id, protocol, outside, inside, rest)
	}
	cases := []struct {
		name, open, forwards string
		want                 bool
	}{
		{"nothing", `{}`, ``, false},
		{"one forward", `{}`, f("a", "both", "5060,5062-5063", "5060,5062-5063", ""), true},
		{"one for each protocol", `{}`, f("a", "tcp", "5060,5062-5063", "5060,5062-5063", "") + "," + f("b", "udp", "9060,9062-9063", "5060,5062-5063", ""), true},
		{"one for each port", `{}`, f("a", "both", "5060", "5060", "") + "," + f("b", "both", "5062-5063", "5062-5063", ""), true},
		{"a port is missing", `{}`, f("a", "both", "5060,5062", "5060,5062", ""), false},
		{"a protocol is missing", `{}`, f("a", "tcp", "5060,5062-5063", "5060,5062-5063", ""), false},
		{"switched off", `{}`, f("a", "both", "5060,5062-5063", "5060,5062-5063", `,"enabled":false`), false},
		{"to the bare address", `{}`, `{"id":"a","router":"edge","protocol":"both","outside":"5060,5062-5063","to":"10.48.16.60"}`, true},
		{"to somebody else", `{}`, `{"id":"a","router":"edge","protocol":"both","outside":"5060,5062-5063","to":"10.48.16.61"}`, false},
		{"the same port is wanted", `{"port":"same"}`, f("a", "both", "6060,6062-6063", "5060,5062-5063", ""), false},
		{"the same port is had", `{"port":"same"}`, f("a", "both", "5060,5062-5063", "5060,5062-5063", ""), true},
		{"exact ports, in their order", `{"port":"7,8,9"}`, f("a", "both", "7-9", "5060,5062-5063", ""), true},
		{"exact ports, in another order", `{"port":"7,8,9"}`, f("a", "both", "8,7,9", "5060,5062-5063", ""), false},
		{"fewer may connect than wished", `{}`, f("a", "both", "5060,5062-5063", "5060,5062-5063", `,"from":["198.51.100.0/24"]`), false},
		{"all who should may connect", `{"from":["198.51.100.7"]}`, f("a", "both", "5060,5062-5063", "5060,5062-5063", `,"from":["198.51.100.0/24"]`), true},
		{"from a router that is not on the way", `{"router":"edge"}`, f("a", "both", "5060,5062-5063", "5060,5062-5063", ""), true},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			v, w := houseWith(t, c.open, c.forwards)
			if got := Of(v).Met(w); got != c.want {
				t.Errorf("got %v, want %v", got, c.want)
			}
		})
	}
}

func TestWalk(t *testing.T) {
	v, _ := houseWith(t, `{}`, ``)
	s := v.Site
	s.Routers[0].OwnPorts = []site.OwnPort{{Protocol: "tcp", Ports: past.Ports("443")}}
	only, _ := site.ParseSender("198.51.100.0/24")
	s.Forwards = []site.Forward{
		{ID: "off", Router: "edge", Protocol: "tcp", Outside: past.Ports("8020"), To: "10.48.16.99"},
		{ID: "some", Router: "edge", Enabled: true, Protocol: "tcp", Outside: past.Ports("8020-8021"), Inside: past.Ports("90-91"), To: "p.0", From: []site.Sender{only}},
		{ID: "rest", Router: "edge", Enabled: true, Protocol: "both", Outside: past.Ports("8021"), To: "10.48.16.60"},
	}
	v = site.NewView(s)
	cases := []struct {
		name  string
		p     Packet
		fate  string
		by    string
		port  int
		iface string
	}{
		{"a port of the router's own", Packet{"edge", 443, "tcp", netip.Addr{}}, ToRouter, "", 443, ""},
		{"nobody's port", Packet{"edge", 443, "udp", netip.Addr{}}, Dropped, "", 443, ""},
		{"a sender let in", Packet{"edge", 8021, "tcp", netip.MustParseAddr("198.51.100.7")}, Forwarded, "some", 91, "p.0"},
		{"another sender falls to the next", Packet{"edge", 8021, "tcp", netip.MustParseAddr("203.0.113.9")}, Forwarded, "rest", 8021, "p.0"},
		{"a stranger", Packet{"edge", 8020, "tcp", netip.Addr{}}, Dropped, "", 8020, ""},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			got := Of(v).Walk(c.p)
			if got.Fate != c.fate || got.Port != c.port || got.Interface != c.iface || got.Path[len(got.Path)-1].Forward != c.by {
				t.Errorf("got %+v", got)
			}
		})
	}
}
