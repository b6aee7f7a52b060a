package wire_test

import (
	"context"
	"net/netip"
	"slices"
	"strings"
	"testing"
	"time"

	"vestpin/sim"
	"vestpin/wire"
)

// A router is asked in every way that it knows; what points elsewhere, has no end or sends
// on is not followed, and told.
func TestAskRouter(t *testing.T) {
	const world = `{"own":"10.48.16.50/24","mac":"00:00:5e:00:53:50","gateway":"10.48.16.1","delay":2,"hosts":[{"mac":"00:00:5e:00:53:01","address":"10.48.16.1","maps":MAPS},{"mac":"00:00:5e:00:53:02","address":"10.48.16.2","maps":{"outside":"192.0.2.9","ports":[]}}]}`
	const console = `{"name":"play","protocol":"UDP","outside":41200,"address":"10.48.16.40","inside":41200,"lease":3600}`
	own := []netip.Prefix{netip.MustParsePrefix("10.48.16.0/24")}
	for _, c := range []struct {
		what, maps, outside, by string
		speaks                  []string
		mappings                int
		more                    bool
		note                    string
	}{
		{"all of them", `{"outside":"203.0.113.47","natPmp":true,"pcp":true,"ports":[` + console + `,{"name":"page","protocol":"TCP","outside":8020,"address":"10.48.16.20","inside":80,"from":"198.51.100.7"}]}`, "203.0.113.47", "upnp", []string{"nat-pmp", "pcp", "upnp"}, 2, false, ""},
		{"UPnP without a mapping", `{"outside":"203.0.113.47","ports":[]}`, "203.0.113.47", "upnp", []string{"upnp"}, 0, false, ""},
		{"none", `{"ports":[]}`, "", "", []string{}, 0, false, "10.48.16.2 says as well that it is a gateway"},
		{"its description lies elsewhere", `{"outside":"203.0.113.47","behaves":"elsewhere","natPmp":true,"ports":[` + console + `]}`, "203.0.113.47", "nat-pmp", []string{"nat-pmp"}, 0, false, "which is not the router: nothing is fetched there"},
		{"it sends on", `{"outside":"203.0.113.47","behaves":"redirects","ports":[` + console + `]}`, "", "", []string{}, 0, false, "which is not followed"},
		{"it answers for ever", `{"outside":"203.0.113.47","behaves":"endless","ports":[` + console + `]}`, "", "", []string{}, 0, false, "more than 65536 bytes"},
		{"its list has no end", `{"outside":"203.0.113.47","behaves":"many","ports":[` + console + `]}`, "203.0.113.47", "upnp", []string{"upnp"}, wire.MostMappings, true, "the first are taken"},
		{"it tells 127.0.0.1", `{"outside":"127.0.0.1","natPmp":true,"ports":[` + console + `]}`, "", "", []string{"nat-pmp", "upnp"}, 1, false, "it tells 127.0.0.1 as its outside address"},
		{"it tells 169.254.9.9", `{"outside":"169.254.9.9","natPmp":true,"ports":[` + console + `]}`, "", "", []string{"nat-pmp", "upnp"}, 1, false, "it tells 169.254.9.9 as its outside address"},
		{"it tells 224.0.0.251", `{"outside":"224.0.0.251","natPmp":true,"ports":[` + console + `]}`, "", "", []string{"nat-pmp", "upnp"}, 1, false, "it tells 224.0.0.251 as its outside address"},
		{"it tells 10.48.16.20", `{"outside":"10.48.16.20","natPmp":true,"ports":[` + console + `]}`, "", "", []string{"nat-pmp", "upnp"}, 1, false, "it tells 10.48.16.20 as its outside address"},
		{"it tells 255.255.255.255", `{"outside":"255.255.255.255","natPmp":true,"ports":[` + console + `]}`, "", "", []string{"nat-pmp", "upnp"}, 1, false, "it tells 255.255.255.255 as its outside address"},
		{"it tells one behind another router", `{"outside":"192.168.0.9","natPmp":true,"ports":[` + console + `]}`, "192.168.0.9", "upnp", []string{"nat-pmp", "upnp"}, 1, false, ""},
		{"nonsense in it", `{"outside":"203.0.113.47","ports":[` + console + `,{"name":"x","protocol":"ICMP","outside":1,"address":"10.48.16.4","inside":1},{"name":"y","protocol":"TCP","outside":70000,"address":"10.48.16.4","inside":1}]}`, "203.0.113.47", "upnp", []string{"upnp"}, 1, false, "mapping 2 is not understood"},
	} {
		t.Run(c.what, func(t *testing.T) {
			t.Parallel()
			w, err := sim.Read([]byte(strings.Replace(world, "MAPS", c.maps, 1)))
			if err != nil {
				t.Fatal(err)
			}
			began := time.Now()
			got, err := wire.AskRouter(context.Background(), w, netip.MustParseAddr("10.48.16.1"), own)
			if err != nil {
				t.Fatal(err)
			}
			outside := ""
			if got.Outside.IsValid() {
				outside = got.Outside.String()
			}
			if outside != c.outside || got.By != c.by || !slices.Equal(got.Speaks, c.speaks) || len(got.Mappings) != c.mappings || got.More != c.more || !strings.Contains(strings.Join(got.Notes, "; "), c.note) || c.note == "" && len(got.Notes) > 1 {
				t.Errorf("%s: %s by %q, speaks %v, %d mappings, more %v, notes %q", c.what, outside, got.By, got.Speaks, len(got.Mappings), got.More, got.Notes)
			}
			if took := time.Since(began); took > 21*time.Second {
				t.Errorf("%s took %s", c.what, took)
			}
		})
	}
	w, _ := sim.Read([]byte(strings.Replace(world, "MAPS", `{"ports":[]}`, 1)))
	for _, far := range []string{"192.0.2.1", "10.48.17.1"} {
		if _, err := wire.AskRouter(context.Background(), w, netip.MustParseAddr(far), own); err == nil {
			t.Errorf("%s was asked", far)
		}
	}
}
