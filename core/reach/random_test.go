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
	"vestpin/core/sitefile"
)

var someSenders = []string{"", "198.51.100.0", "198.51.100.1", "198.51.100.2", "198.51.100.9", "203.0.113.5", "9.9.9.9"}

func parseSender(text string) netip.Addr {
	a, _ := netip.ParseAddr(text)
	return a
}

// The map says of each packet what following it by hand says, its spans are those of the
// packets, and a wish is met exactly when every packet that it is about ends there.
func TestMapAgainstPackets(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	met, chained, exposed := 0, 0, 0
	for round := range 4000 {
		s := past.Chain(r, 3)
		v := site.NewView(s)
		m := Of(v)
		oracle := past.ReadOracle(sitefile.Write(s))
		for _, router := range s.Routers {
			for _, from := range someSenders {
				sender := parseSender(from)
				all := m.All(router.ID, sender)
				for _, proto := range site.Both.Each() {
					for _, port := range []int{79, 80, 81, 82, 83, 8999, 9000, 9001} {
						want := textOf(endOf(oracle.Follow(router.ID, string(proto), port, from)))
						fate := m.Walk(Packet{router.ID, port, proto, sender})
						if got := textOf(fate); got != want {
							t.Fatalf("round %d: %s %d/%s from %q: got %q, want %q\n%s", round, router.ID, port, proto, from, got, want, sitefile.Write(s))
						}
						if len(fate.Path) > 1 && fate.Fate == Forwarded {
							chained++
						}
						if slices.ContainsFunc(fate.Path, func(h Hop) bool { return h.ExposedHost }) {
							exposed++
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
			want := metByHand(oracle, w)
			if got := m.Met(w); got != want {
				t.Fatalf("round %d: %s: got %v, want %v\n%s", round, w.Service.ID, got, want, sitefile.Write(s))
			}
			if want {
				met++
			}
		}
	}
	if met < 300 || chained < 1000 || exposed < 1000 {
		t.Errorf("only %d wishes were met, %d packets passed several routers, and %d went to an exposed host", met, chained, exposed)
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

// endOf is what the oracle found as a fate.
func endOf(e past.End) Fate {
	f := Fate{Fate: map[string]string{"to": Forwarded, "router": ToRouter, "dropped": Dropped}[e.Fate], Interface: e.Interface, Port: e.Port}
	f.Address, _ = netip.ParseAddr(e.Address)
	for _, hop := range e.Path {
		router, forward, _ := strings.Cut(hop, "/")
		f.Path = append(f.Path, Hop{Router: router, Forward: forward})
	}
	return f
}

// metByHand looks at every packet that a wish is about.
func metByHand(o *past.Oracle, w site.Wish) bool {
	near, outer := o.WayOut(w.Interface.Network)
	if outer == "" {
		return false
	}
	for _, proto := range w.Service.Protocol.Each() {
		for i := range w.Service.Ports.Len() {
			inside := w.Service.Ports.At(i)
			tries := []uint32{80, 81, 82, 83, 8080, 9000, 9001, 9002}
			if w.Service.Open.Port == "same" {
				tries = []uint32{inside}
			} else if w.Service.Open.Port != "any" {
				exact, _ := w.Service.Open.Exact()
				tries = []uint32{exact.At(i)}
			}
			if !slices.ContainsFunc(tries, func(port uint32) bool {
				return !slices.ContainsFunc(someSenders, func(from string) bool { // who is asked for, and does not get there
					asked := len(w.Service.Open.From) == 0
					for _, who := range w.Service.Open.From {
						asked = asked || from != "" && who.Contains(parseSender(from)) || from == "" && who.Bits() < 2
					}
					end := o.Follow(outer, string(proto), int(port), from)
					address := ""
					if w.Interface.Pin != nil {
						address = w.Interface.Pin.Address.String()
					}
					return asked && (end.Fate != "to" || end.Interface != w.Interface.ID || end.Address != address || end.Port != int(inside) || end.Last != near)
				})
			}) {
				return false
			}
		}
	}
	return true
}
