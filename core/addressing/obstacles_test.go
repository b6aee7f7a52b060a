package addressing

import (
	"net/netip"
	"slices"
	"testing"

	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// What stands in the way of an address, for one interface and for another: who a DNS server or
// the target of a forward is may be there, nobody else; so with a router behind another.
func TestAgainst(t *testing.T) {
	s, err := sitefile.Read([]byte(`{"format":"vestpin-site/1","name":"x",
 "networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1","dns":["10.48.16.2"],"dhcpServers":[{"address":"10.48.16.3"}],"ranges":[{"from":"10.48.16.100","to":"10.48.16.120"}]},
  {"id":"in","subnet":"10.48.17.0/24","gateway":"10.48.17.1"}],
 "routers":[{"id":"edge","network":"main","wan":{"address":"203.0.113.9"}},
  {"id":"own","name":"Own","network":"in","upstream":"edge","wan":{"address":"10.48.16.4"}},
  {"id":"alone","network":"in","wan":{"address":"10.48.16.5"}},
  {"id":"odd","network":"main","wan":{"address":"10.48.16.6"}}],
 "devices":[
  {"id":"new","interfaces":[{"id":"new.0","network":"main"}]},
  {"id":"names","interfaces":[{"id":"names.0","network":"main","seen":"10.48.16.2"}]},
  {"id":"leases","interfaces":[{"id":"leases.0","network":"main","pin":{"address":"10.48.16.3"}}]},
  {"id":"aim","interfaces":[{"id":"aim.0","network":"main","seen":"10.48.16.7"}]},
  {"id":"box","name":"Own","interfaces":[{"id":"box.0","network":"main"}]},
  {"id":"both","interfaces":[{"id":"both.0","network":"main","seen":"10.48.16.20","pin":{"address":"10.48.16.20"}}]},
  {"id":"gone","interfaces":[{"id":"gone.0","network":"main","seen":"10.48.16.21","pin":{"address":"10.48.16.22"}}]}],
 "forwards":[{"id":"f","router":"edge","protocol":"tcp","outside":"8080","to":"10.48.16.7","inside":"22"}]}`))
	if err != nil {
		t.Fatal(err)
	}
	v := site.NewView(s)
	n, _ := v.Network("main")
	for _, c := range []struct {
		who, at string
		want    []ObstacleKind
	}{
		{"new.0", "10.48.16.30", nil},
		{"new.0", "10.48.16.1", []ObstacleKind{IsGateway}},
		{"new.0", "10.48.16.2", []ObstacleKind{IsDNSServer, SeenThere}},
		{"names.0", "10.48.16.2", nil},
		{"new.0", "10.48.16.3", []ObstacleKind{IsDHCPServer, PinnedFor}},
		{"leases.0", "10.48.16.3", nil},
		{"new.0", "10.48.16.7", []ObstacleKind{LedTo, SeenThere}},
		{"names.0", "10.48.16.7", []ObstacleKind{LedTo, SeenThere}},
		{"aim.0", "10.48.16.7", nil},
		{"new.0", "10.48.16.4", []ObstacleKind{IsRouterWAN}},
		{"box.0", "10.48.16.4", nil},
		{"new.0", "10.48.16.5", []ObstacleKind{IsRouterWAN}}, // nobody is known to stand in front of it
		{"new.0", "10.48.16.6", nil},                         // a router is not outside of itself
		{"new.0", "10.48.16.20", []ObstacleKind{PinnedFor, SeenThere}},
		{"both.0", "10.48.16.20", nil},
		{"new.0", "10.48.16.21", nil}, // who was seen there moves away
		{"new.0", "10.48.16.0", []ObstacleKind{NetworkItself}},
		{"new.0", "10.48.16.255", []ObstacleKind{NetworkItself}},
		{"new.0", "10.48.16.254", nil},
		{"new.0", "10.48.18.2", []ObstacleKind{OffNetwork}},
	} {
		p, _ := v.Interface(c.who)
		a := netip.MustParseAddr(c.at)
		var got []ObstacleKind
		for _, o := range Against(v, p, a, Obstacles(v, n, a, site.ByReservation)) {
			got = append(got, o.Kind)
		}
		if !slices.Equal(got, c.want) {
			t.Errorf("%s at %s: %v, want %v", c.who, c.at, got, c.want)
		}
	}
}
