package forwarding

import (
	"fmt"
	"net/netip"
	"reflect"
	"slices"
	"strings"
	"testing"

	"vestpin/core/site"
)

// house has a wish for 5060 and 5070-5071, both protocols, on one router.
const house = `{"format":"vestpin-site/1","name":"x","networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1"}],
 "routers":[{"id":"edge","name":"Edge","network":"main","form":{"portsPerLine":"list","renumber":"range","protocols":["tcp","udp","both"],"limitsSender":"network","lines":6}}],
 "devices":[{"id":"p","name":"Phone","interfaces":[{"id":"p.0","network":"main","mac":"00:00:5e:00:53:60","pin":{"address":"10.48.16.60"}}],
   "services":[{"id":"p.sip","name":"calls","interface":"p.0","protocol":"both","ports":"5060,5070-5071","open":OPEN}]}],
 "forwards":[FORWARDS]}`

func houseWith(t *testing.T, open, forwards string) (site.View, site.Wish) {
	t.Helper()
	s, err := site.Read([]byte(strings.NewReplacer("OPEN", open, "FORWARDS", forwards).Replace(house)))
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
		{"one forward", `{}`, f("a", "both", "5060,5070-5071", "5060,5070-5071", ""), true},
		{"one for each protocol", `{}`, f("a", "tcp", "5060,5070-5071", "5060,5070-5071", "") + "," + f("b", "udp", "9060,9070-9071", "5060,5070-5071", ""), true},
		{"one for each port", `{}`, f("a", "both", "5060", "5060", "") + "," + f("b", "both", "5070-5071", "5070-5071", ""), true},
		{"a port is missing", `{}`, f("a", "both", "5060,5070", "5060,5070", ""), false},
		{"a protocol is missing", `{}`, f("a", "tcp", "5060,5070-5071", "5060,5070-5071", ""), false},
		{"switched off", `{}`, f("a", "both", "5060,5070-5071", "5060,5070-5071", `,"enabled":false`), false},
		{"to the bare address", `{}`, `{"id":"a","router":"edge","protocol":"both","outside":"5060,5070-5071","to":"10.48.16.60"}`, true},
		{"to somebody else", `{}`, `{"id":"a","router":"edge","protocol":"both","outside":"5060,5070-5071","to":"10.48.16.61"}`, false},
		{"the same port is wanted", `{"port":"same"}`, f("a", "both", "6060,6070-6071", "5060,5070-5071", ""), false},
		{"the same port is had", `{"port":"same"}`, f("a", "both", "5060,5070-5071", "5060,5070-5071", ""), true},
		{"exact ports, in their order", `{"port":"7,8,9"}`, f("a", "both", "7-9", "5060,5070-5071", ""), true},
		{"exact ports, in another order", `{"port":"7,8,9"}`, f("a", "both", "8,7,9", "5060,5070-5071", ""), false},
		{"fewer may connect than wished", `{}`, f("a", "both", "5060,5070-5071", "5060,5070-5071", `,"from":["198.51.100.0/24"]`), false},
		{"all who should may connect", `{"from":["198.51.100.7"]}`, f("a", "both", "5060,5070-5071", "5060,5070-5071", `,"from":["198.51.100.0/24"]`), true},
		{"from a router that is not on the way", `{"router":"edge"}`, f("a", "both", "5060,5070-5071", "5060,5070-5071", ""), true},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			v, w := houseWith(t, c.open, c.forwards)
			if got := Met(v, w); got != c.want {
				t.Errorf("got %v, want %v", got, c.want)
			}
			// What is met needs no change unless the change betters the port; what is not gets one.
			if plan := SuggestOne(v, w); !c.want && len(plan.Changes) == 0 && len(plan.Unmet) == 0 {
				t.Error("no change is suggested, though the wish is not met")
			}
		})
	}
}

func TestLines(t *testing.T) {
	v, _ := houseWith(t, `{}`, `{"id":"a","name":"Calls","router":"edge","protocol":"both","outside":"5060,5070-5071,8021","inside":"5060,5070-5071,80","to":"p.0","from":["198.51.100.0/24","203.0.113.9"]},
	 {"id":"off","router":"edge","enabled":false,"protocol":"tcp","outside":"1","to":"p.0"},{"id":"n","router":"edge","protocol":"tcp","outside":"2","to":"192.0.2.1"}`)
	typed := Lines(v, v.Routers[0])
	lines, reservations, faults := typed.Lines, typed.Reservations, typed.Faults
	var got []string
	for _, l := range lines {
		got = append(got, fmt.Sprint(l.Forward, " ", l.Protocol, " ", l.Outside, ">", l.Address, ":", l.Inside, " ", l.From))
	}
	want := []string{
		"a both 5060,5070-5071>10.48.16.60:5060,5070-5071 [198.51.100.0/24]", "a both 5060,5070-5071>10.48.16.60:5060,5070-5071 [203.0.113.9]",
		"a both 8021>10.48.16.60:80 [198.51.100.0/24]", "a both 8021>10.48.16.60:80 [203.0.113.9]", "n tcp 2>192.0.2.1:2 []",
	}
	if !reflect.DeepEqual(got, want) || len(faults) != 0 {
		t.Errorf("got %q, %v", got, faults)
	}
	if len(reservations) != 1 || reservations[0].Name != "Phone" {
		t.Errorf("reservations: %+v", reservations)
	}
}

// Where a router has no way for a wish, the reason names it.
func TestUnmetSaysWhy(t *testing.T) {
	for _, c := range []struct{ old, new, want string }{
		{`"limitsSender":"network"`, `"limitsSender":"no"`, "its form cannot limit who may connect"},
		{`"pin":{"address":"10.48.16.60"}`, `"seen":"10.48.16.60"`, "has no pin"},
		{`"renumber":"range"`, `"renumber":"none"`, "cannot renumber"},
	} {
		text := strings.NewReplacer("OPEN", `{"port":"7,8,9","from":["198.51.100.0/24"]}`, "FORWARDS", "").Replace(house)
		s, err := site.Read([]byte(strings.Replace(text, c.old, c.new, 1)))
		if err != nil {
			t.Fatal(err)
		}
		plan := Suggest(site.NewView(s))
		if len(plan.Unmet) != 1 || !strings.Contains(plan.Unmet[0].Says, c.want) || len(plan.Changes) != 0 {
			t.Errorf("%s: got %+v, %+v", c.new, plan.Unmet, plan.Changes)
		}
	}
}

// Many wishes at few ports still end soon, and what is given is right.
func TestManyWishesEndSoon(t *testing.T) {
	s := site.Site{
		Name: "many", Networks: []site.Network{{ID: "main", Subnet: mustPrefix("10.48.16.0/24")}},
		Routers: []site.Router{{ID: "edge", Network: "main", Form: site.Form{PortsPerLine: "range", Renumber: "one", LimitsSender: "no", Lines: 40}}},
	}
	for i := range 90 {
		id := fmt.Sprintf("d%d", i)
		port := []string{"same", "any"}[i%2]
		s.Devices = append(s.Devices, site.Device{
			ID: id, Name: id, Rank: 1 + i%4,
			Interfaces: []site.Interface{{ID: id + ".0", Network: "main", Pin: &site.Pin{Address: mustPrefix(fmt.Sprintf("10.48.16.%d/32", i+2)).Addr(), By: site.ByDevice}}},
			Services:   []site.Service{{ID: id + ".s", Interface: id + ".0", Protocol: site.TCP, Ports: ports(t, fmt.Sprint(80+i%7)), Open: &site.Open{Port: port}}},
		})
	}
	plan := Suggest(site.NewView(s))
	// Of rank 1 and 3 all want the same seven ports; rank 2 and 4 take any.
	if met, want := worthOf(t, s, plan)[1:5], []int{7, 23, 0, 10}; !slices.Equal(met, want) {
		t.Errorf("met by rank %v, want %v", met, want)
	}
}

func mustPrefix(text string) netip.Prefix { return netip.MustParsePrefix(text) }
