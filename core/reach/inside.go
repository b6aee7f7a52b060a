package reach

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/span"
)

// Whether a router takes what comes from inside for its outside address (hairpinning, RFC
// 4787 section 6).
const (
	NoLoopsBack = "no"
	MayLoopBack = "unknown"
)

// Arrival is a packet as the router that it is meant for sees it. Of one whose sender is inside,
// Loops tells whether that router takes it, and Sender is the last router on the way that
// hid it behind its own outside address.
type Arrival struct {
	Packet
	Loops site.YesNo
}

// ArrivalOf gives how a packet comes to the outside of a router. A sender on a network of the
// site that lies behind that router is inside.
func ArrivalOf(v site.View, p Packet) Arrival {
	return arriving(v, p, networkOf(v, p))
}

// networkOf is the network of the site on which the sender of a packet is, empty where it is
// on none. Where several have the address, it is the one on which somebody was seen there or
// is pinned, else the first behind the router.
func networkOf(v site.View, p Packet) string {
	var found []string
	for _, n := range v.Networks {
		if p.Sender.IsValid() && n.Subnet.Contains(p.Sender) {
			found = append(found, n.ID)
		}
	}
	if len(found) < 2 {
		return strings.Join(found, "")
	}
	for _, n := range found {
		if len(v.SeenAt(n, p.Sender))+len(v.PinnedAt(n, p.Sender)) > 0 {
			return n
		}
	}
	for _, n := range found {
		if arriving(v, p, n).Loops != "" {
			return n
		}
	}
	return found[0]
}

// arriving is how a packet comes to the outside of a router whose sender is on a network.
func arriving(v site.View, p Packet, network string) Arrival {
	r, _ := v.Router(p.Router)
	arrival := Arrival{Packet: p}
	for _, at := range outwardsFrom(v, network) {
		if at.gate != "" {
			gate, _ := v.Router(at.gate)
			arrival.Sender = gate.WAN.Address
		}
		if r.On(at.network) {
			if arrival.Loops = r.LoopsBack; arrival.Loops == "" {
				arrival.Loops = MayLoopBack
			}
			break
		}
	}
	return arrival
}

// passage is a network that a packet passes on its way out, and the router by which it came
// there: none of the first.
type passage struct{ network, gate string }

// outwardsFrom gives the networks that a packet passes on its way out from one.
func outwardsFrom(v site.View, network string) []passage {
	if network == "" {
		return nil
	}
	out := []passage{{network: network}}
	for passed := map[string]bool{}; !passed[network]; {
		passed[network] = true
		gate := slices.IndexFunc(v.Routers, func(o site.Router) bool { return o.On(network) && o.Upstream != "" })
		if gate < 0 {
			break
		}
		r := v.Routers[gate]
		front, _ := v.Router(r.Upstream)
		network = front.Network
		if between, ok := v.NetworkAt(front, r.WAN.Address); ok {
			network = between.ID
		}
		out = append(out, passage{network, r.ID})
	}
	return out
}

// Wanted is those who are to reach a service, as they come to the router from which it is
// reached: who is inside may be hidden by a router on the way. False where all of them are
// inside and that router does not take what comes from there.
func Wanted(v site.View, w site.Wish, routers []site.Router) (Sources, bool) {
	all := Allowed(w.Service.Open.From)
	if all.everybody() || len(routers) == 0 {
		return all, true
	}
	want, barred := all, false
	var inside []Sources
	for _, n := range v.Networks {
		part := all.Overlap(Sources{set: span.Of(ipv4.Run(n.Subnet))})
		if part.Nobody() {
			continue
		}
		want = want.Minus(part)
		some := ipv4.Addr(part.set.Runs()[0].Lo)
		arrival := arriving(v, Packet{Router: routers[len(routers)-1].ID, Sender: some}, n.ID)
		switch {
		case arrival.Loops == NoLoopsBack:
			barred = true
		case arrival.Sender != some && arrival.Sender.IsValid():
			inside = append(inside, One(arrival.Sender))
		default:
			inside = append(inside, part)
		}
	}
	want = AnyOf(append(inside, want))
	return want, !barred || !want.Nobody()
}

// WalkFrom follows a packet from wherever its sender is, inside or outside.
func (m *Map) WalkFrom(packet Packet) Fate {
	p := ArrivalOf(m.v, packet)
	fate, stops := m.walk(p.Packet)
	fate.Loops = p.Loops
	if p.Loops != NoLoopsBack || fate.Fate != Forwarded {
		return fate
	}
	r, _ := m.v.Router(p.Router)
	at := stops[len(stops)-1]
	for _, passed := range outwardsFrom(m.v, networkOf(m.v, packet)) {
		// The stop furthest in that is on this side of whatever hides the rest.
		i := slices.IndexFunc(stops, func(s stop) bool { return s.network == passed.network })
		if i >= 0 {
			at = stops[i]
			break
		}
	}
	return Fate{Fate: Dropped, Path: fate.Path[:1], Port: p.Port, Loops: p.Loops,
		Says: fmt.Sprintf("%s does not loop back: from inside it is to be reached at %s:%d", r.Label(), at.address, at.port)}
}

// AllFrom gives every outside port of a router that is not dropped for a sender, wherever
// that is, as All does.
func (m *Map) AllFrom(router string, sender netip.Addr) []Stretch {
	p := ArrivalOf(m.v, Packet{Router: router, Sender: sender})
	all := m.All(p.Router, p.Sender)
	if p.Loops != NoLoopsBack {
		return all
	}
	own := []Stretch{}
	for _, s := range all {
		if s.Fate == ToRouter && len(s.Path) == 1 {
			own = append(own, s)
		}
	}
	return own
}
