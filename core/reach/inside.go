package reach

import (
	"fmt"
	"net/netip"
	"slices"

	"vestpin/core/site"
)

// Whether a router takes what comes from inside for its outside address (hairpinning, RFC
// 4787 section 6).
const (
	NoLoopsBack = "no"
	MayLoopBack = "unknown"
)

// Come is a packet as the router that it is meant for sees it. Of one whose sender is inside,
// Loops tells whether that router takes it, and Sender is the last router on the way that
// hid it behind its own outside address.
type Come struct {
	Packet
	Loops string
}

// Coming gives how a packet comes to the outside of a router. A sender on a network of the
// site that lies behind that router is inside.
func Coming(v site.View, p Packet) Come {
	at := ""
	for _, n := range v.Networks {
		if p.Sender.IsValid() && n.Subnet.Contains(p.Sender) {
			at = n.ID
			break
		}
	}
	r, _ := v.Router(p.Router)
	come := Come{Packet: p}
	for passed := map[string]bool{}; at != "" && !passed[at]; {
		passed[at] = true
		if r.Network == at {
			if come.Loops = r.LoopsBack; come.Loops == "" {
				come.Loops = MayLoopBack
			}
			break
		}
		gate := slices.IndexFunc(v.Routers, func(o site.Router) bool { return o.Network == at && o.Upstream != "" })
		if gate < 0 {
			break
		}
		front, _ := v.Router(v.Routers[gate].Upstream)
		at, come.Sender = front.Network, v.Routers[gate].WAN.Address
	}
	return come
}

// WalkFrom follows a packet from wherever its sender is, inside or outside.
func (m *Map) WalkFrom(packet Packet) Fate {
	p := Coming(m.v, packet)
	fate := m.Walk(p.Packet)
	fate.Loops = p.Loops
	if p.Loops != NoLoopsBack || fate.Fate != Forwarded {
		return fate
	}
	r, _ := m.v.Router(p.Router)
	return Fate{Fate: Dropped, Path: fate.Path[:1], Port: p.Port, Loops: p.Loops,
		Says: fmt.Sprintf("%s does not loop back: from inside it is to be reached at %s:%d", r.Label(), fate.Address, fate.Port)}
}

// AllFrom gives every outside port of a router that is not dropped for a sender, wherever
// that is, as All does.
func (m *Map) AllFrom(router string, sender netip.Addr) []Stretch {
	p := Coming(m.v, Packet{Router: router, Sender: sender})
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
