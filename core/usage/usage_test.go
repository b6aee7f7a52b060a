package usage

import (
	"net/netip"
	"strings"
	"testing"

	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
)

// farm has its recorder behind a second router.
const farm = `{"format":"vestpin-site/1","name":"Farm","networks":[{"id":"outer","subnet":"10.48.0.0/24","gateway":"10.48.0.1"},{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1"}],
	"routers":[{"id":"edge","network":"outer","wan":{"address":"203.0.113.47"}},{"id":"barn","network":"main","upstream":"edge","wan":{"address":"10.48.0.2"}}],
	"devices":[{"id":"rec","interfaces":[{"id":"rec.0","network":"main","pin":{"address":"10.48.16.20","by":"reservation"}}],"services":[
		{"id":"rec.web","name":"web page","interface":"rec.0","protocol":"tcp","ports":"80","open":{}},{"id":"rec.data","name":"data","interface":"rec.0","protocol":"both","ports":"5000-5003"}]},
		{"id":"loose","interfaces":[{"id":"loose.0","network":"main"}],"services":[{"id":"loose.web","interface":"loose.0","protocol":"tcp","ports":"80"}]}],
	"forwards":[{"id":"f1","router":"edge","enabled":true,"protocol":"tcp","outside":"8020","to":"10.48.0.2","inside":"8020"},{"id":"f2","router":"barn","enabled":true,"protocol":"tcp","outside":"8020","to":"rec.0","inside":"80","service":"rec.web"}]}`

func TestOf(t *testing.T) {
	s, err := sitefile.Read([]byte(farm))
	if err != nil {
		t.Fatal(err)
	}
	v := site.NewView(s)
	of := func(service string, seen Seen) Use {
		w, ok := v.Service(service)
		if !ok {
			t.Fatalf("there is no %s", service)
		}
		return Of(v, w, seen)
	}
	at := netip.MustParseAddrPort
	line := func(proto site.Protocol, from, to, device string, state State) Connection {
		return Connection{proto, at(from), at(to), at(device), state}
	}
	answers := site.Heard{Result: site.HeardAnswers, MS: 12}
	list := []Connection{
		line("tcp", "198.51.100.7:5000", "203.0.113.47:8020", "10.48.16.20:80", Connected),
		line("tcp", "198.51.100.7:5001", "203.0.113.47:8020", "10.48.16.20:80", Connected),
		line("tcp", "10.48.0.9:5001", "10.48.0.2:8020", "10.48.16.20:80", Connected),
		line("tcp", "198.51.100.8:5001", "203.0.113.47:8020", "10.48.0.2:8020", Knocks),    // in the outer router's list
		line("tcp", "198.51.100.9:5001", "203.0.113.47:8021", "10.48.0.2:8021", Connected), // another port
		line("udp", "198.51.100.9:5001", "203.0.113.47:8020", "10.48.16.20:80", Connected), // another protocol
		line("tcp", "198.51.100.9:5001", "203.0.113.47:80", "10.48.16.21:80", Connected),   // another device
		line("udp", "198.51.100.9:5001", "203.0.113.47:5003", "10.48.16.20:5003", Ended),
	}
	for _, c := range []struct {
		of   string
		seen Seen
		says string
		n    int
	}{
		{"rec.web", Seen{Tried: answers, Asked: true, Listed: true, List: list}, "In use now, by the router's list: 10.48.0.9 from inside, 198.51.100.7 from outside. It took our own connection just now, after 12 ms. The router, asked, holds nothing open to it by UPnP.", 3},
		{"rec.data", Seen{Listed: true, List: list}, "Not in use; connected until just now, by the router's list: 198.51.100.9 from outside.", 1},
		{"rec.web", Seen{Listed: true, List: list[3:4]}, "Somebody tries and gets no answer, by the router's list: 198.51.100.8 from outside.", 1},
		{"rec.web", Seen{Tried: site.Heard{Result: site.HeardRefused, Says: "It refuses the connection."}, Listed: true}, "Nobody is connected to it through the router, by its list. What devices of one network say to each other does not go through it. It did not take our own connection just now: It refuses the connection.", 0},
		{"rec.web", Seen{Tried: site.Heard{Result: site.Untried, Says: "This computer is not attached to its network."}}, "cannot be seen from here", 0},
		{"rec.data", Seen{Mapped: []site.HeldForward{{Protocol: "udp", Outside: span.Port(5002), Address: netip.MustParseAddr("10.48.16.20")}}, Asked: true}, "It is held open at the router by itself (UPnP): 5002 udp.", 0},
		{"loose.web", Seen{Listed: true, List: list}, "Its device is loose", 0},
	} {
		if got := of(c.of, c.seen); !strings.Contains(got.Says, c.says) || len(got.Callers) != c.n {
			t.Errorf("%s\ngot  %+v\nwant %s", c.of, got, c.says)
		}
	}
	if got := of("rec.web", Seen{Listed: true, List: list}).Callers; got[1] != (Caller{netip.MustParseAddr("198.51.100.7"), false, Connected, 2}) {
		t.Errorf("callers are %+v", got)
	}
}
