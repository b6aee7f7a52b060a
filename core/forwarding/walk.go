package forwarding

import (
	"net/netip"
	"slices"

	"vestpin/core/site"
)

// Packet is what arrives at the outside of a router. A zero Sender is somebody
// whom no list names.
type Packet struct {
	Router   string
	Port     int
	Protocol site.Protocol
	Sender   netip.Addr
}

// The fates of a packet.
const (
	Forwarded = "forwarded"
	Dropped   = "dropped"
	ToRouter  = "router"
)

// Hop is one router of the way and the forward that took the packet on.
type Hop struct {
	Router  string `json:"router"`
	Forward string `json:"forward"`
}

// Fate is where a packet ends up. Port is the port at its last stop; Says tells
// why it was dropped.
type Fate struct {
	Fate      string     `json:"fate"`
	Path      []Hop      `json:"path"`
	Interface string     `json:"interface"`
	Address   netip.Addr `json:"address,omitzero"`
	Port      int        `json:"port"`
	Says      string     `json:"says,omitempty"`
}

// Outermost is the router that faces the provider; of several the first.
func Outermost(v site.View) (site.Router, bool) {
	i := slices.IndexFunc(v.Routers, func(r site.Router) bool { return r.Upstream == "" })
	if i < 0 {
		return site.Router{}, false
	}
	return v.Routers[i], true
}

// Walk follows a packet from outside: a router's own ports come first, then its
// forwards, the first that matches; what is sent to another router's outside
// goes on there.
func Walk(v site.View, p Packet) Fate {
	fate := Fate{Fate: Dropped, Path: []Hop{}, Port: p.Port}
	for at := p.Router; ; {
		r, _ := v.Router(at)
		for _, own := range r.OwnPorts {
			if own.Protocol.Covers(p.Protocol) && own.Ports.Set().Contains(uint32(fate.Port)) {
				fate.Fate = ToRouter
				fate.Path = append(fate.Path, Hop{Router: r.ID})
				return fate
			}
		}
		f, says, ok := match(v, r, fate.Port, p)
		if !ok {
			fate.Path = append(fate.Path, Hop{Router: r.ID})
			fate.Says = says
			return fate
		}
		fate.Path = append(fate.Path, Hop{r.ID, f.ID})
		fate.Port = int(f.InsidePorts().At(f.Outside.Index(uint32(fate.Port))))
		address, placed := v.Target(f)
		if next, ok := v.RouterAt(address); ok && placed == nil && !passed(fate.Path, next.ID) {
			at = next.ID
			continue
		}
		fate.Fate, fate.Address = Forwarded, address
		if placed != nil {
			fate.Interface = placed.Interface.ID
		}
		return fate
	}
}

func passed(path []Hop, router string) bool {
	return slices.ContainsFunc(path, func(h Hop) bool { return h.Router == router })
}

func match(v site.View, r site.Router, port int, p Packet) (site.Forward, string, bool) {
	says := "no forward takes this port"
	for _, f := range v.Forwards {
		if f.Router != r.ID || !f.Enabled || !f.Protocol.Covers(p.Protocol) || f.Outside.Index(uint32(port)) < 0 {
			continue
		}
		if allows(f.From, p.Sender) {
			return f, "", true
		}
		says = "the sender is not among those that " + f.ID + " lets in"
	}
	return site.Forward{}, says, false
}

func allows(from []site.Sender, who netip.Addr) bool {
	return len(from) == 0 || slices.ContainsFunc(from, func(s site.Sender) bool { return s.Contains(who) })
}

// Clash reports whether two enabled forwards of one router want the same
// outside port of one protocol for somebody, and which ports.
func Clash(form site.Form, a, b site.Forward) bool {
	if !a.Protocol.Meets(b.Protocol) || a.Outside.Set().Overlap(b.Outside.Set()).Empty() {
		return false
	}
	return form.LimitsSender == "no" || form.LimitsSender == "" || site.SendersMeet(a.From, b.From)
}

// OwnPort finds a port on which the router itself answers among those that a
// forward wants.
func OwnPort(r site.Router, f site.Forward) (site.OwnPort, bool) {
	for _, own := range r.OwnPorts {
		if own.Protocol.Meets(f.Protocol) && !own.Ports.Set().Overlap(f.Outside.Set()).Empty() {
			return own, true
		}
	}
	return site.OwnPort{}, false
}
