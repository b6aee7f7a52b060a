package reach

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"vestpin/core/past"
	"vestpin/core/site"
)

// land sends one packet by hand, forward for forward, and gives where it ends.
func land(s site.Site, router string, proto site.Protocol, port int, sender netip.Addr) string {
	path := ""
	for hop := 0; hop < 5; hop++ {
		k := slices.IndexFunc(s.Routers, func(r site.Router) bool { return r.ID == router })
		for _, own := range s.Routers[k].OwnPorts {
			if (own.Protocol == proto || own.Protocol == "both") && own.Ports.Index(uint32(port)) >= 0 {
				return "router " + path + router
			}
		}
		took := false
		for _, f := range s.Forwards {
			may := len(f.From) == 0
			for _, who := range f.From {
				may = may || sender.IsValid() && who.Contains(sender)
			}
			at := f.Outside.Index(uint32(port))
			if f.Router != router || !f.Enabled || f.Protocol != proto && f.Protocol != "both" || at < 0 || !may {
				continue
			}
			inside := f.Inside
			if inside.IsZero() {
				inside = f.Outside
			}
			port, took = int(inside.At(at)), true
			path += router + "/" + f.ID + " "
			address := f.To
			who := ""
			for _, d := range s.Devices {
				for _, n := range d.Interfaces {
					if n.Pin != nil && (n.Pin.Address.String() == f.To || n.ID == f.To) && who == "" {
						who, address = n.ID, n.Pin.Address.String()
					} else if n.ID == f.To {
						who, address = n.ID, ""
					}
				}
			}
			next := slices.IndexFunc(s.Routers, func(r site.Router) bool {
				return r.Upstream != "" && r.WAN.Address.IsValid() && r.WAN.Address.String() == address && r.ID != router
			})
			if who != "" || next < 0 {
				return fmt.Sprintf("%sto %s %s:%d", path, who, address, port)
			}
			router = s.Routers[next].ID
			break
		}
		if !took {
			return "dropped"
		}
	}
	return "round and round"
}

var someSenders = []string{"", "198.51.100.0", "198.51.100.1", "198.51.100.2", "198.51.100.9", "203.0.113.5"}

func parseSender(text string) netip.Addr {
	a, _ := netip.ParseAddr(text)
	return a
}

// The map says of each packet what following it by hand says, its spans are those of the
// packets, and a wish is met exactly when every packet that it is about ends there.
func TestMapAgainstPackets(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	met, chained := 0, 0
	for round := range 4000 {
		s := past.Chain(r, 3)
		v := site.NewView(s)
		m := Of(v)
		for _, router := range s.Routers {
			for _, from := range someSenders {
				sender := parseSender(from)
				all := m.All(router.ID, sender)
				for _, proto := range site.Both.Each() {
					for _, port := range []int{79, 80, 81, 82, 83, 8999, 9000, 9001} {
						want := land(s, router.ID, proto, port, sender)
						fate := m.Walk(Packet{router.ID, port, proto, sender})
						if got := textOf(fate); got != want {
							t.Fatalf("round %d: %s %d/%s from %q: got %q, want %q\n%s", round, router.ID, port, proto, from, got, want, site.Write(s))
						}
						if len(fate.Path) > 1 && fate.Fate == Forwarded {
							chained++
						}
						k := slices.IndexFunc(all, func(st Stretch) bool { return st.Protocol == proto && st.Ports.Index(uint32(port)) >= 0 })
						if (k < 0) != (fate.Fate == Dropped) {
							t.Fatalf("round %d: %d is in %v, and its fate %v", round, port, all, fate)
						}
						if k >= 0 && (all[k].Fate != fate.Fate || all[k].Interface != fate.Interface || int(all[k].Inside.At(all[k].Ports.Index(uint32(port)))) != fate.Port || !slices.Equal(all[k].Path, fate.Path)) {
							t.Fatalf("round %d: %d: %v is not %v", round, port, all[k], fate)
						}
					}
				}
			}
		}
		for _, w := range v.Wishes() {
			want := metByHand(s, w)
			if got := m.Met(w); got != want {
				t.Fatalf("round %d: %s: got %v, want %v\n%s", round, w.Service.ID, got, want, site.Write(s))
			}
			if want {
				met++
			}
		}
	}
	if met < 300 || chained < 1000 {
		t.Errorf("only %d wishes were met, and %d packets passed several routers", met, chained)
	}
}

func textOf(f Fate) string {
	path := ""
	for _, h := range f.Path {
		path += h.Router + "/" + h.Forward + " "
	}
	switch f.Fate {
	case Forwarded:
		address := ""
		if f.Address.IsValid() {
			address = f.Address.String()
		}
		return fmt.Sprintf("%sto %s %s:%d", path, f.Interface, address, f.Port)
	case ToRouter:
		return "router " + path[:len(path)-2]
	}
	return "dropped"
}

func metByHand(s site.Site, w site.Wish) bool {
	if w.Interface.Pin == nil && len(s.Routers) == 0 {
		return false
	}
	outer := ""
	for _, r := range s.Routers { // the way out of the device's network that is whole
		if r.Network != w.Interface.Network || outer != "" {
			continue
		}
		for at, ok := r, true; ok; {
			if at.Upstream == "" {
				outer = at.ID
				break
			}
			k := slices.IndexFunc(s.Routers, func(o site.Router) bool { return o.ID == at.Upstream })
			n := slices.IndexFunc(s.Networks, func(o site.Network) bool { return o.ID == s.Routers[k].Network })
			ok = at.WAN.Address.IsValid() && s.Networks[n].Subnet.Contains(at.WAN.Address)
			at = s.Routers[k]
		}
	}
	if outer == "" {
		return false
	}
	for _, proto := range w.Service.Protocol.Each() {
		for i := range w.Service.Ports.Len() {
			inside := w.Service.Ports.At(i)
			tries := []uint32{80, 81, 82, 83, 9000, 9001}
			if w.Service.Open.Port == "same" {
				tries = []uint32{inside}
			} else if w.Service.Open.Port != "any" {
				exact, _ := w.Service.Open.Exact()
				tries = []uint32{exact.At(i)}
			}
			found := false
			for _, port := range tries {
				all := true
				for _, from := range someSenders {
					asked := len(w.Service.Open.From) == 0
					for _, who := range w.Service.Open.From {
						asked = asked || from != "" && who.Contains(parseSender(from))
					}
					// Through the chain, to the interface and port; over which forwards is all the same.
					end := land(s, outer, proto, int(port), parseSender(from))
					address := ""
					if w.Interface.Pin != nil {
						address = w.Interface.Pin.Address.String()
					}
					tail := fmt.Sprintf("to %s %s:%d", w.Interface.ID, address, inside)
					path, ends := strings.CutSuffix(end, tail)
					hops := strings.Fields(path)
					near := len(hops) > 0 && slices.ContainsFunc(s.Routers, func(r site.Router) bool { // the last router is on the device's network
						return strings.HasPrefix(hops[len(hops)-1], r.ID+"/") && r.Network == w.Interface.Network
					})
					all = all && (!asked || ends && near)
				}
				found = found || all
			}
			if !found {
				return false
			}
		}
	}
	return true
}
