// Package reach knows what reaches what: the outside ports of each router, on each
// protocol and for each sender, and where they end up, through all routers behind it.
// It refuses to judge: whether that is wanted is for others to say.
//
// A router's ports are swept once, from the lowest to the highest, and cut into spans
// that share one fate; everything else looks up spans.
package reach

import (
	"cmp"
	"net/netip"
	"slices"

	"vestpin/core/site"
	"vestpin/core/span"
)

// Span is outside ports of a router, on one protocol and for some senders, that go one
// way there: to the router itself where Own is set, else by a forward to an address, or
// to an interface that has none. Inside is the port to which the first of them leads.
type Span struct {
	Protocol  site.Protocol
	Ports     span.Run
	Who       Who
	Own       bool
	Forward   string
	Address   netip.Addr
	Interface string
	Inside    uint32
}

// Goal names where a span leads, or where it should: an address, or an interface that
// has none.
type Goal struct {
	address netip.Addr
	loose   string
}

// At is the goal of what goes to an interface: its address, where it has one.
func At(i *site.Interface) Goal {
	if i.Pin != nil {
		return Goal{address: i.Pin.Address}
	}
	return Goal{loose: i.ID}
}

// Behind is the goal of what goes to the outside of a router.
func Behind(r site.Router) Goal { return Goal{address: r.WAN.Address} }

// Goal is where a span leads.
func (s Span) Goal() Goal {
	if s.Address.IsValid() {
		return Goal{address: s.Address}
	}
	return Goal{loose: s.Interface}
}

// Map is what reaches what at a site. It is made once for a computation and never
// changed.
type Map struct {
	v      site.View
	tables map[string]*table
}

// mostSpans is how many spans of a router on one protocol are told apart: thousands of
// forwards that overlap, each for a sender of its own, make millions.
const mostSpans = 100_000

// Cut gives the first outside port of a router from which on the map knows no more, 0
// where it knows all.
func (m *Map) Cut(router string) uint32 {
	if t, ok := m.tables[router]; ok {
		return t.cut
	}
	return 0
}

// table is the spans of one router.
type table struct {
	cut   uint32
	spans map[site.Protocol][]Span // rising by port; at one port in the order of the router
	to    map[Goal][]Span
}

// Of makes the map of a site.
func Of(v site.View) *Map {
	m := &Map{v, map[string]*table{}}
	on := map[string][]*site.Forward{}
	for i := range v.Forwards {
		if f := &v.Forwards[i]; f.Enabled {
			on[f.Router] = append(on[f.Router], f)
		}
	}
	for _, r := range v.Routers {
		t := &table{spans: map[site.Protocol][]Span{}, to: map[Goal][]Span{}}
		count := map[Goal]int{}
		for _, proto := range site.Both.Each() {
			v.Breathe()
			var cut uint32
			if t.spans[proto], cut = sweep(v, r, on[r.ID], proto); cut > 0 && (t.cut == 0 || cut < t.cut) {
				t.cut = cut
			}
			for i := range t.spans[proto] {
				count[t.spans[proto][i].Goal()]++
			}
		}
		for _, proto := range site.Both.Each() {
			for _, s := range t.spans[proto] {
				if s.Own {
					continue
				}
				goal := s.Goal()
				if t.to[goal] == nil {
					t.to[goal] = make([]Span, 0, count[goal])
				}
				t.to[goal] = append(t.to[goal], s)
			}
		}
		m.tables[r.ID] = t
	}
	return m
}

// Spans gives the spans of a router on one protocol, rising by port.
func (m *Map) Spans(router string, proto site.Protocol) []Span {
	t, ok := m.tables[router]
	if !ok {
		return nil
	}
	return t.spans[proto]
}

// To gives the spans of a router that lead to a goal.
func (m *Map) To(router string, goal Goal) []Span {
	t, ok := m.tables[router]
	if !ok {
		return nil
	}
	return t.to[goal]
}

// Leads gives the spans of a forward as if it were the only one.
func Leads(v site.View, f site.Forward) []Span {
	var out []Span
	for _, proto := range f.Protocol.Each() {
		out = leads(out, v, &f, proto)
	}
	return out
}

// leads adds the spans of a forward on one protocol.
func leads(out []Span, v site.View, f *site.Forward, proto site.Protocol) []Span {
	address, placed := v.Target(*f)
	who := Allowed(f.From)
	for outside, inside := range span.Paired(f.Outside, f.InsidePorts()) {
		one := Span{Protocol: proto, Ports: outside, Who: who, Forward: f.ID, Address: address, Inside: inside.Lo}
		if placed != nil {
			one.Interface = placed.Interface.ID
		}
		out = append(out, one)
	}
	return out
}

// edge is where a span of one forward begins or ends; the router's own ports come
// before all forwards.
type edge struct {
	port uint32
	span int // its place among those that are swept, which is their order
	ends bool
}

// sweep cuts the ports of a router into spans: its own ports first, then its forwards,
// the first that matches. It ends where there are too many, and says at which port.
func sweep(v site.View, r site.Router, forwards []*site.Forward, proto site.Protocol) (spans []Span, from uint32) {
	all := make([]Span, 0, len(forwards))
	for _, own := range r.OwnPorts {
		if own.Protocol.Covers(proto) {
			for _, run := range own.Ports.Runs() {
				all = append(all, Span{Protocol: proto, Ports: run, Who: Anyone, Own: true, Inside: run.Lo})
			}
		}
	}
	for _, f := range forwards {
		if f.Protocol.Covers(proto) {
			all = leads(all, v, f, proto)
		}
	}
	edges := make([]edge, 0, 2*len(all))
	for i, s := range all {
		edges = append(edges, edge{s.Ports.Lo, i, false}, edge{s.Ports.Hi + 1, i, true})
	}
	slices.SortFunc(edges, func(a, b edge) int { return cmp.Or(cmp.Compare(a.port, b.port), cmp.Compare(a.span, b.span)) })
	out := make([]Span, 0, len(all))
	var active []int // in the order of the router
	for i := 0; i < len(edges); {
		port := edges[i].port
		for ; i < len(edges) && edges[i].port == port; i++ {
			at, there := slices.BinarySearch(active, edges[i].span)
			if there {
				active = slices.Delete(active, at, at+1)
			} else if !edges[i].ends {
				active = slices.Insert(active, at, edges[i].span)
			}
		}
		if i == len(edges) {
			break
		}
		if len(out) > mostSpans {
			return out, port
		}
		out = cut(out, all, active, span.Run{Lo: port, Hi: edges[i].port - 1})
	}
	return out, 0
}

// cut adds the spans of a run in which the same forwards are active.
func cut(out, all []Span, active []int, run span.Run) []Span {
	left := Anyone
	before := len(out)
	for _, i := range active {
		s := all[i]
		s.Who = left.Overlap(s.Who)
		if s.Who.Nobody() {
			continue
		}
		left = left.Minus(all[i].Who)
		s.Inside += run.Lo - s.Ports.Lo
		s.Ports = run
		out = append(out, s)
		if left.Nobody() {
			break
		}
	}
	if last := before - 1; len(out) == before+1 && last >= 0 && follows(out[last], out[before]) && (last == 0 || out[last-1].Ports != out[last].Ports) {
		out[last].Ports.Hi = out[before].Ports.Hi
		out = out[:before]
	}
	return out
}

// follows reports whether b goes on where a ends, for everybody.
func follows(a, b Span) bool {
	return a.Ports.Hi+1 == b.Ports.Lo && a.Own == b.Own && a.Forward == b.Forward && a.Address == b.Address && a.Interface == b.Interface &&
		a.Who.everybody() && b.Who.everybody() && a.Inside+uint32(a.Ports.Len()) == b.Inside
}

// Next finds the router to which a span leads on: one whose outside has that address on
// the network of the router, where nobody else is pinned.
func (m *Map) Next(router string, s Span) (site.Router, bool) {
	if s.Own || s.Interface != "" || !s.Address.IsValid() {
		return site.Router{}, false
	}
	return Inner(m.v, router, s.Address)
}

// Inner finds the router whose outside has an address on the network of another.
func Inner(v site.View, router string, a netip.Addr) (site.Router, bool) {
	outer, _ := v.Router(router)
	for _, r := range v.RoutersAt(a) {
		if front, ok := v.Router(r.Upstream); ok && front.Network == outer.Network && r.ID != router {
			return *r, true
		}
	}
	return site.Router{}, false
}
