package edit

import (
	"reflect"
	"strings"
	"testing"

	"vestpin/core/site"
	"vestpin/core/sitefile"
)

const twoNetworks = `{"format":"vestpin-site/1","name":"x","networks":[{"id":"lan","subnet":"10.48.16.0/24"},{"id":"phones","subnet":"10.48.17.0/24"}],
	"routers":[{"id":"edge","ROUTER}],
	"devices":[{"id":"rec","interfaces":[{"id":"rec.0","network":"lan","pin":{"address":"10.48.16.20","by":"device"}}],"services":[]}]}`

// A router's networks begin with its first; one alone is the same as none.
func TestNetworksOfARouter(t *testing.T) {
	for _, c := range []struct{ router, want, refused string }{
		{`network":"lan"`, "lan", ""},
		{`network":"lan","networks":["lan"]`, "lan", ""},
		{`network":"lan","networks":["lan","phones"]`, "lan phones", ""},
		{`network":"lan","networks":["phones","lan"]`, "", "$.routers[0].networks[0]"},
		{`network":"lan","networks":["lan","lan"]`, "", "$.routers[0].networks[1]"},
		{`network":"lan","networks":["lan","attic"]`, "", "$.routers[0].networks[1]"},
		{`network":"lan","exposedHost":"rec.1"`, "", "$.routers[0].exposedHost"},
	} {
		s, err := sitefile.Read([]byte(strings.Replace(twoNetworks, "ROUTER", c.router, 1)))
		if c.refused != "" {
			if err == nil || !strings.Contains(err.Error(), c.refused) {
				t.Errorf("%s: %v", c.router, err)
			}
			continue
		}
		if err != nil {
			t.Errorf("%s: %v", c.router, err)
			continue
		}
		again, err := sitefile.Read(sitefile.Write(s))
		if got := strings.Join(s.Routers[0].Serves(), " "); got != c.want || err != nil || !reflect.DeepEqual(s, again) {
			t.Errorf("%s: serves %q, %v", c.router, got, err)
		}
	}
}

// With the device or interface that it is the exposed host goes off its router, and comes
// back with it.
func TestTheExposedHostGoesWithItsDevice(t *testing.T) {
	s, err := sitefile.Read([]byte(strings.Replace(twoNetworks, "ROUTER", `network":"lan","exposedHost":"rec.0"`, 1)))
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range []Edit{RemoveDevice{ID: "rec"}, RemoveInterface{ID: "rec.0"}} {
		after, undo, err := Apply(s, []Edit{e})
		if err != nil || after.Routers[0].ExposedHost != "" {
			t.Errorf("%s: %v, exposed %q", e.Verb(), err, after.Routers[0].ExposedHost)
		}
		if back, _, err := Apply(after, undo); err != nil || !reflect.DeepEqual(back, s) {
			t.Errorf("%s: taken back it is not as it was: %v", e.Verb(), err)
		}
	}
}

// The same address is two spots behind two routers, and what leads to bare addresses is known
// for each network.
func TestSpotsAreOfANetwork(t *testing.T) {
	s, err := sitefile.Read([]byte(`{"format":"vestpin-site/1","name":"x","networks":[{"id":"a","subnet":"10.48.16.0/24"},{"id":"b","subnet":"10.48.16.0/24"}],
		"routers":[{"id":"ra","network":"a","held":{"forwards":[{"protocol":"tcp","outside":"8022","address":"10.48.16.9"},{"protocol":"tcp","outside":"8023","address":"10.48.16.8","enabled":false}]}},{"id":"rb","network":"b","exposedHost":"10.48.16.7"}],
		"devices":[{"id":"x","interfaces":[{"id":"x","network":"a","seen":"10.48.16.20","pin":{"address":"10.48.16.20","by":"device"}}]},{"id":"y","interfaces":[{"id":"y","network":"b","pin":{"address":"10.48.16.20","by":"device"}}]}],
		"forwards":[{"id":"f","router":"rb","protocol":"tcp","outside":"80","to":"10.48.16.20"}]}`))
	if err != nil {
		t.Fatal(err)
	}
	v := site.NewView(s)
	at := s.Devices[0].Interfaces[0].Pin.Address
	if a, b := v.PinnedAt("a", at), v.PinnedAt("b", at); len(a) != 1 || len(b) != 1 || a[0].Interface.ID != "x" || b[0].Interface.ID != "y" || len(v.SeenAt("b", at)) != 0 {
		t.Errorf("pinned %v and %v", a, b)
	}
	if _, p := v.Target(s.Forwards[0]); p == nil || p.Interface.ID != "y" {
		t.Errorf("the forward leads to %v", p)
	}
	for network, want := range map[string]int{"a": 1, "b": 2} {
		n := 0
		for spot := range v.AllBare() {
			if spot.Network == network {
				n++
			}
		}
		if n != want {
			t.Errorf("%d bare targets on %s, want %d", n, network, want)
		}
	}
}
