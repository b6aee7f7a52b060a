package reach

import (
	"net/netip"
	"slices"

	"vestpin/core/site"
	"vestpin/core/span"
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

// Hop is one router of the way and the forward that took the packet on; none where the
// router sends all other ports to its exposed host.
type Hop struct {
	Router      string `json:"router"`
	Forward     string `json:"forward"`
	ExposedHost bool   `json:"exposedHost,omitempty"`
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
	Loops     site.YesNo `json:"loops,omitempty" doc:"Of a packet from inside: whether the router takes it"`
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
// forwards, the first that matches, then its exposed host; what is sent to another
// router's outside goes on there.
func (m *Map) Walk(p Packet) Fate {
	fate, _ := m.walk(p)
	return fate
}

// stop is where a router of the way sent a packet, and the network of that address.
type stop struct {
	address netip.Addr
	network string
	port    int
}

func (m *Map) walk(p Packet) (Fate, []stop) {
	fate := Fate{Fate: Dropped, Path: []Hop{}, Port: p.Port}
	who := One(p.Sender)
	var stops []stop
	for at := p.Router; ; {
		s, says, ok := m.at(at, p.Protocol, uint32(fate.Port), who)
		fate.Path = append(fate.Path, Hop{at, s.Forward, s.Exposed})
		if !ok {
			fate.Says = says
			return fate, stops
		}
		if s.Own {
			fate.Fate = ToRouter
			return fate, stops
		}
		fate.Port = int(s.Inside) + fate.Port - int(s.Ports.Lo)
		r, _ := m.v.Router(at)
		network, _ := m.v.NetworkAt(r, s.Address)
		stops = append(stops, stop{s.Address, network.ID, fate.Port})
		if next, ok := m.Next(s); ok && !passed(fate.Path, next.ID) {
			at = next.ID
			continue
		}
		fate.Fate, fate.Address, fate.Interface = Forwarded, s.Address, s.Interface
		return fate, stops
	}
}

func passed(path []Hop, router string) bool {
	return slices.ContainsFunc(path, func(h Hop) bool { return h.Router == router })
}

// at finds the span that takes a port for a sender.
func (m *Map) at(router string, proto site.Protocol, port uint32, who Sources) (Span, string, bool) {
	spans := m.Spans(router, proto)
	says := "no forward takes this port"
	if from := m.Cut(router); from > 0 && port >= from {
		says = "the forwards overlap for so many senders that they are not followed here"
	}
	i, _ := slices.BinarySearchFunc(spans, port, func(s Span, port uint32) int {
		if s.Ports.Hi < port {
			return -1
		}
		return 1
	})
	for ; i < len(spans) && spans[i].Ports.Contains(port); i++ {
		if spans[i].Sources.Covers(who) {
			return spans[i], "", true
		}
		says = "the sender is not among those that " + spans[i].Forward + " lets in"
	}
	return Span{}, says, false
}

// Stretch is outside ports that share one fate for one sender: the path, the last
// stop, and the ports there.
type Stretch struct {
	Protocol  site.Protocol `json:"protocol"`
	Ports     span.Ports    `json:"ports"`
	Fate      string        `json:"fate"`
	Path      []Hop         `json:"path"`
	Interface string        `json:"interface"`
	Address   netip.Addr    `json:"address,omitzero"`
	Inside    span.Ports    `json:"inside,omitzero"`
}

// All gives every outside port of a router that is not dropped for a sender, in rising
// order, tcp before udp; neighbours with one fate and one offset are joined.
func (m *Map) All(router string, sender netip.Addr) []Stretch {
	out := []Stretch{}
	for _, proto := range site.Both.Each() {
		out = append(out, m.all(router, proto, One(sender), span.Run{Lo: 1, Hi: 65535}, nil)...)
	}
	return out
}

func (m *Map) all(router string, proto site.Protocol, who Sources, within span.Run, path []Hop) []Stretch {
	var out []Stretch
	for _, s := range m.Spans(router, proto) {
		if !s.Ports.Touches(within) || !s.Sources.Covers(who) {
			continue
		}
		run := span.Run{Lo: max(s.Ports.Lo, within.Lo), Hi: min(s.Ports.Hi, within.Hi)}
		in := span.Run{Lo: s.Inside + run.Lo - s.Ports.Lo, Hi: s.Inside + run.Hi - s.Ports.Lo}
		here := append(slices.Clone(path), Hop{router, s.Forward, s.Exposed})
		if next, ok := m.Next(s); ok && !passed(here, next.ID) {
			for _, deeper := range m.all(next.ID, proto, who, in, here) {
				lo := run.Lo + deeper.Ports.At(0) - in.Lo
				deeper.Ports = span.PortList(span.Run{Lo: lo, Hi: lo + uint32(deeper.Ports.Len()) - 1})
				out = join(out, deeper)
			}
			continue
		}
		st := Stretch{Protocol: proto, Ports: span.PortList(run), Fate: Forwarded, Path: here, Interface: s.Interface, Address: s.Address, Inside: span.PortList(in)}
		if s.Own {
			st.Fate, st.Inside = ToRouter, span.PortList(run)
		}
		out = join(out, st)
	}
	return out
}

// join adds a stretch, to the last one where it goes on the same way.
func join(out []Stretch, s Stretch) []Stretch {
	if len(out) > 0 {
		last := &out[len(out)-1]
		lo, in, n := last.Ports.At(0), last.Inside.At(0), uint32(last.Ports.Len()) // each is one run
		if lo+n == s.Ports.At(0) && in+n == s.Inside.At(0) && last.Fate == s.Fate && last.Interface == s.Interface && last.Address == s.Address && slices.Equal(last.Path, s.Path) {
			n += uint32(s.Ports.Len())
			last.Ports = span.PortList(span.Run{Lo: lo, Hi: lo + n - 1})
			last.Inside = span.PortList(span.Run{Lo: in, Hi: in + n - 1})
			return out
		}
	}
	return append(out, s)
}

// CanBeOutside passes addresses that a router can have on the side of its provider: no loopback, link-local,
// multicast or reserved one (RFC 6890). A private one can stand there behind another router.
func CanBeOutside(a netip.Addr) bool {
	return a.Is4() && !a.IsLoopback() && !a.IsLinkLocalUnicast() && !a.IsMulticast() && !a.IsUnspecified() && a.As4()[0] != 0 && a.As4()[0] < 240
}
