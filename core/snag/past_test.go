package snag

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/past"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/suggest"
)

var someSenders = []string{"", "198.51.100.0", "198.51.100.1", "198.51.100.9", "203.0.113.5", "9.9.9.9"}

// judged are the codes that the oracle knows, and which of what they are about names them.
var judged = map[string]string{
	"address-off-network": "interface", "address-twice": "interface", "address-unusable": "interface",
	"open-but-loose": "service", "wish-unmet": "service", "exposed-host": "router",
	"outside-is-routers-own": "forward", "outside-clash": "forward", "forward-to-loose": "forward", "forward-off-network": "forward", "forward-to-nobody": "forward",
}

// seen gives the snags that the oracle knows, as it names them.
func seen(snags []Snag) []string {
	var out []string
	for _, sn := range snags {
		kind, known := judged[sn.Code]
		if !known || len(sn.About) == 0 {
			continue
		}
		var about []string
		for _, ref := range sn.About {
			if id, is := strings.CutPrefix(string(ref), kind+":"); is {
				about = append(about, id)
			}
		}
		switch {
		case len(about) == 0:
			continue // of an exposed host: forward-to-loose
		case sn.Code == "outside-clash":
			out = append(out, sn.Code+" "+about[0]+"+"+about[1])
		default:
			out = append(out, sn.Code+" "+about[0])
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// On many small sites as they really are, held against an oracle that follows packets through
// the site file port by port: every packet goes where the walk says; the check names each
// fault that the oracle sees, and none that it does not; what worked and is still wanted
// works once the suggestion is taken, which brings nothing that stops work, and then there is
// nothing more to suggest.
func TestManySites(t *testing.T) {
	rounds := 20_000
	if testing.Short() {
		rounds = 2_000
	}
	for part := range 4 {
		t.Run(fmt.Sprint(part), func(t *testing.T) {
			t.Parallel()
			r := rand.New(rand.NewPCG(uint64(part), 19))
			for round := range rounds / 4 {
				s := past.Chain(r, 3)
				if why := holds(r, s); why != "" {
					t.Fatalf("round %d: %s\n%s", round, why, sitefile.Write(s))
				}
			}
		})
	}
}

// holds says what does not hold at a site.
func holds(r *rand.Rand, s site.Site) string {
	v := site.NewView(s)
	o := past.ReadOracle(sitefile.Write(s))
	m := reach.Of(v)
	for _, router := range s.Routers {
		for range 12 {
			proto, port, from := past.Pick(r, site.TCP, site.UDP), past.Pick(r, 79, 80, 81, 82, 83, 8080, 9000, 9001, 40000), past.Pick(r, someSenders...)
			want := o.Follow(router.ID, string(proto), port, from)
			got := m.Walk(reach.Packet{Router: router.ID, Port: port, Protocol: proto, Sender: addrOf(from)})
			fate := map[string]string{"to": reach.Forwarded, "router": reach.ToRouter, "dropped": reach.Dropped}[want.Fate]
			address := ""
			if got.Address.IsValid() {
				address = got.Address.String()
			}
			if got.Fate != fate || fate == reach.Forwarded && (got.Interface != want.Interface || got.Port != want.Port || address != want.Address) {
				return fmt.Sprintf("%d/%s at %s from %q: %+v, and by hand %+v", port, proto, router.ID, from, got, want)
			}
		}
	}
	snags := Check(v)
	if got, want := seen(snags), o.Faults(someSenders); !slices.Equal(got, want) {
		return fmt.Sprintf("the check finds\n%v\nand the oracle\n%v", got, want)
	}
	plan, err := suggest.For(context.Background(), s, suggest.Halves{Addresses: true, Ports: true})
	if err != nil {
		return err.Error()
	}
	before := stopsOf(snags)
	for _, sn := range Check(site.NewView(plan.Site)) {
		if (sn.Code == "upstream-missing" || sn.Code == "forward-to-nobody") && toldOf(s, sn, plan.Changes) {
			continue // it stays since it was made by hand: the change that takes what it needs says so
		}
		if sn.Weight == Stops && !before[sn.Code+fmt.Sprint(sn.About)] && !sharedFault(sn, snags) {
			return fmt.Sprintf("the suggestion brings %s: %s", sn.Code, sn.Says)
		}
	}
	broken := o.Faults(someSenders)
	for _, fault := range past.ReadOracle(sitefile.Write(plan.Site)).Faults(someSenders) {
		if strings.HasPrefix(fault, "wish-unmet ") && !slices.Contains(broken, fault) {
			return fault + " by the suggestion, and it worked"
		}
	}
	if again, err := suggest.For(context.Background(), plan.Site, suggest.Halves{Addresses: true, Ports: true}); err != nil || len(again.Changes) > 0 {
		return fmt.Sprintf("once the suggestion is taken there is more: %v %v", again.Changes, err)
	}
	return ""
}

// toldOf reports whether a snag is about a forward that is nobody's to move, and a change says
// that it gets nothing, or stays behind.
func toldOf(s site.Site, sn Snag, changes []edit.Change) bool {
	return slices.ContainsFunc(s.Forwards, func(f site.Forward) bool {
		r := s.Routers[slices.IndexFunc(s.Routers, func(r site.Router) bool { return r.ID == f.Router })]
		return (f.Service == "" || f.Locked) && slices.Contains(sn.About, f.Ref()) && slices.ContainsFunc(changes, func(c edit.Change) bool {
			return strings.Contains(c.Why, fmt.Sprintf("the forward of %s at %s, which stays, gets nothing.", f.Outside, r.Label())) ||
				strings.Contains(c.Why, fmt.Sprintf("The forward of %s goes to %s and does not move with it.", f.Outside, f.To))
		})
	})
}

func addrOf(text string) addr {
	a, _ := netip.ParseAddr(text)
	return a
}
