package write

import (
	"bytes"
	"errors"
	"math/rand/v2"
	"net/netip"
	"strings"
	"testing"

	"vestpin/core/form"
	"vestpin/core/past"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
	"vestpin/core/strict"
	"vestpin/read"
)

// What is written for a packet filter, read back, treats every packet as planned, whatever
// the site: chains, lists, ranges, senders, the router's own ports, forwards that are off.
func TestRulesReadBack(t *testing.T) {
	r := rand.New(rand.NewPCG(71, 72))
	rules := 0
	for round := range 600 {
		s := past.Chain(r, 3)
		s.Forwards = reachable(s)
		for i, router := range s.Routers {
			if a, _ := site.NewView(s).TargetOf(router.ID, router.ExposedHost); !a.IsValid() {
				s.Routers[i].ExposedHost = ""
			}
		}
		v := site.NewView(s)
		for _, router := range s.Routers {
			for _, name := range []string{"nftables", "iptables", "forwards.csv"} {
				target, err := Find(name)
				if err != nil {
					t.Fatal(err)
				}
				var b bytes.Buffer
				err = target.Write(&b, s, router.ID)
				if refused := new(strict.Refusal); name == "forwards.csv" && errors.As(err, &refused) && strings.Contains(refused.Want, "in a file") {
					continue // a line for each of very many ports
				} else if err != nil {
					t.Fatal(err)
				}
				back, err := read.Text(name, "", b.Bytes())
				if err != nil || len(back.Unread) > 0 || len(back.Sightings) > 0 {
					t.Fatalf("round %d: %s: %v, unread %v, sightings %v\n%s", round, name, err, back.Unread, back.Sightings, &b)
				}
				if name == "forwards.csv" && !takes(v, router) {
					continue // the form cannot say it, so it is not there
				}
				held, _ := back.Held(v, router)
				rules += len(held.Forwards)
				if name == "forwards.csv" { // it lists what is typed line by line
					host, _ := v.TargetOf(router.ID, router.ExposedHost)
					held.ExposedHost = host
				}
				if got := reach.Of(v).Compare(router.ID, held); !got.Same() {
					t.Fatalf("round %d: %s of %s: %v %v\n%s\n%s", round, name, router.ID, got.Differs, got.Doubts, &b, sitefile.Write(s))
				}
			}
		}
	}
	if rules < 2000 {
		t.Errorf("only %d rules were read back", rules)
	}
}

// reachable are the forwards that lead to a fixed address.
func reachable(s site.Site) []site.Forward {
	v := site.NewView(s)
	var out []site.Forward
	for _, f := range s.Forwards {
		if a, _ := v.Target(f); a.IsValid() {
			out = append(out, f)
		}
	}
	return out
}

// takes reports whether the router's form can say all its forwards.
func takes(v site.View, r site.Router) bool { return len(form.Type(v, r).Faults) == 0 }

// Names go into rules as remarks: none can end one, or become a rule.
func TestRulesOfHostileNames(t *testing.T) {
	s := site.Site{
		Name:     "x\n}\nflush ruleset",
		Networks: []site.Network{{ID: "n", Subnet: netip.MustParsePrefix("10.48.16.0/24")}},
		Routers:  []site.Router{{ID: "edge", Name: "a\ntable ip x {}", Network: "n"}},
		Forwards: []site.Forward{{ID: "f", Name: "\" drop; flush ruleset; \\\nadd rule `x` " + strings.Repeat("ü", 200), Router: "edge", Enabled: true, Protocol: site.TCP, Outside: span.Port(8020), To: "10.48.16.20"}},
	}
	for _, name := range []string{"nftables", "iptables"} {
		target, _ := Find(name)
		var b bytes.Buffer
		if err := target.Write(&b, s, ""); err != nil {
			t.Fatal(err)
		}
		for _, line := range strings.Split(b.String(), "\n") {
			if strings.Contains(line, "flush ruleset") && !strings.HasPrefix(line, "#") && strings.Count(line, `"`) != 2 {
				t.Errorf("%s: a name became more than a remark: %s", name, line)
			}
		}
	}
}

// An exposed host gets what no forward takes and the router does not keep: what a forward
// leads to nobody is kept from it, and only from it.
func TestRulesOfAnExposedHost(t *testing.T) {
	for _, exposed := range []string{"", `"exposedHost":"10.48.16.9",`} {
		s, err := sitefile.Read([]byte(`{"format":"vestpin-site/1","name":"x",
 "networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1"}],
 "routers":[{"id":"edge","network":"main",` + exposed + `"wan":{"address":"203.0.113.9","kind":"static"},"ownPorts":[{"protocol":"tcp","ports":"443"}]}],
 "devices":[{"id":"loose","interfaces":[{"id":"loose.0","network":"main"}]}],
 "forwards":[{"id":"f","router":"edge","protocol":"tcp","outside":"8080","to":"loose.0"}]}`))
		if err != nil {
			t.Fatal(err)
		}
		for name, want := range map[string][2][]string{
			"nftables": {{"tcp dport 8080 return"}, {"tcp dport 1-442 dnat to 10.48.16.9", "tcp dport 444-65535 dnat to 10.48.16.9", "udp dport 1-65535 dnat to 10.48.16.9"}},
			"iptables": {{"--dport 8080 -m comment --comment \"unnamed device\" -j RETURN"}, {"-p tcp -m tcp --dport 1:442 ", "-p tcp -m tcp --dport 444:65535 ", "-p udp -m udp --dport 1:65535 "}},
		} {
			target, err := Find(name)
			if err != nil {
				t.Fatal(err)
			}
			var b bytes.Buffer
			if err := target.Write(&b, s, "edge"); err != nil {
				t.Fatal(err)
			}
			at := 0
			for _, line := range append(want[0], want[1]...) {
				i := strings.Index(b.String()[at:], line)
				if (i >= 0) != (exposed != "") {
					t.Errorf("%s, exposed %q: %q at %d in\n%s", name, exposed, line, i, &b)
				}
				at += max(i, 0)
			}
		}
	}
}
