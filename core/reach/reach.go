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
// way there: to the router itself where Own is set, else by a forward, or since it is the
// Exposed host, to an address, or to an interface that has none. Inside is the port to
// which the first of them leads. Router is the one behind whose outside that is, where
// packets go on.
type Span struct {
	Protocol  site.Protocol
	Ports     span.Run
	Sources   Sources
	Own       bool
	Exposed   bool
	Forward   string
	Address   netip.Addr
	Interface string
	Router    string
	Inside    uint32
}

// Goal names where a span leads, or where it should: an address, an interface that has
// none, or the outside of a router.
type Goal struct {
	address netip.Addr
	loose   string
	router  string
}

// At is the goal of what goes to an interface: its address, where it has one.
func At(i *site.Interface) Goal {
	if i.Pin != nil {
		return Goal{address: i.Pin.Address}
	}
	return Goal{loose: i.ID}
}

// Behind is the goal of what goes to the outside of a router.
func Behind(r site.Router) Goal { return Goal{router: r.ID} }

// Goal is where a span leads.
func (s Span) Goal() Goal {
	switch {
	case s.Router != "":
		return Goal{router: s.Router}
	case s.Address.IsValid():
		return Goal{address: s.Address}
	}
	return Goal{loose: s.Interface}
}

// goals are the goal of a span and, where that is a router which is entered as a device as
// well, the address of the device.
func (s Span) goals() []Goal {
	if s.Router != "" && s.Interface != "" {
		return []Goal{{router: s.Router}, {address: s.Address}}
	}
	return []Goal{s.Goal()}
}

// Leads reports whether a span leads to a goal.
func (s Span) Leads(goal Goal) bool { return slices.Contains(s.goals(), goal) }

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
			if v.Stopped() {
				return m
			}
			var cut uint32
			if t.spans[proto], cut = sweep(v, r, on[r.ID], r.ExposedHost, proto); cut > 0 && (t.cut == 0 || cut < t.cut) {
				t.cut = cut
			}
			for i := range t.spans[proto] {
				for _, goal := range t.spans[proto][i].goals() {
					count[goal]++
				}
			}
		}
		for _, proto := range site.Both.Each() {
			for _, s := range t.spans[proto] {
				if s.Own {
					continue
				}
				for _, goal := range s.goals() {
					if t.to[goal] == nil {
						t.to[goal] = make([]Span, 0, count[goal])
					}
					t.to[goal] = append(t.to[goal], s)
				}
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
	to := target(v, f.Router, f.To)
	to.Protocol, to.Forward, to.Sources = proto, f.ID, Allowed(f.From)
	for outside, inside := range span.Paired(f.Outside, f.InsidePorts()) {
		one := to
		one.Ports, one.Inside = outside, inside.Lo
		out = append(out, one)
	}
	return out
}

// target is a span to where a router sends packets that go to an interface or an address.
func target(v site.View, router, to string) Span {
	var s Span
	address, placed := v.TargetOf(router, to)
	s.Address = address
	if inner, ok := Inner(v, router, address); ok {
		s.Router = inner.ID
	}
	if placed != nil {
		s.Interface = placed.Interface.ID
	}
	return s
}

// exposed gives the span of the exposed host of a router: all that nothing else takes.
func exposed(v site.View, router, to string, proto site.Protocol) Span {
	s := target(v, router, to)
	s.Protocol, s.Exposed, s.Sources, s.Ports, s.Inside = proto, true, Anyone, span.Run{Lo: 1, Hi: 65535}, 1
	return s
}

// edge is where a span of one forward begins or ends; the router's own ports come
// before all forwards.
type edge struct {
	port uint32
	span int // its place among those that are swept, which is their order
	ends bool
}

// mostSources is how many runs of sources are looked at in the ports of a router on one
// protocol.
const mostSources = 20_000_000

// sweep cuts the ports of a router into spans: its own ports first, then its forwards,
// the first that matches, then the exposed host. It ends where there are too many, and says
// at which port.
func sweep(v site.View, r site.Router, forwards []*site.Forward, host string, proto site.Protocol) (spans []Span, from uint32) {
	all := make([]Span, 0, len(forwards))
	for _, own := range r.OwnPorts {
		if own.Protocol.Covers(proto) {
			for _, run := range own.Ports.Runs() {
				all = append(all, Span{Protocol: proto, Ports: run, Sources: Anyone, Own: true, Inside: run.Lo})
			}
		}
	}
	for _, f := range forwards {
		if f.Protocol.Covers(proto) {
			all = leads(all, v, f, proto)
		}
	}
	if host != "" {
		all = append(all, exposed(v, r.ID, host, proto))
	}
	edges := make([]edge, 0, 2*len(all))
	for i, s := range all {
		edges = append(edges, edge{s.Ports.Lo, i, false}, edge{s.Ports.Hi + 1, i, true})
	}
	slices.SortFunc(edges, func(a, b edge) int { return cmp.Or(cmp.Compare(a.port, b.port), cmp.Compare(a.span, b.span)) })
	out := make([]Span, 0, len(all))
	var active []int // in the order of the router
	work := 0
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
		if len(out) > mostSpans || work > mostSources || v.Stopped() {
			return out, port
		}
		out, work = cut(out, all, active, span.Run{Lo: port, Hi: edges[i].port - 1}, work)
	}
	return out, 0
}

// cut adds the spans of a run in which the same forwards are active, and how many runs of
// sources it looked at.
func cut(out, all []Span, active []int, run span.Run, work int) ([]Span, int) {
	before := len(out)
	whos := make([]Sources, 0, len(active))
	for _, i := range active {
		whos = append(whos, all[i].Sources)
		work += all[i].Sources.set.Size()
		if all[i].Sources.everybody() {
			break
		}
	}
	for k, who := range firstIn(whos) {
		if who.Nobody() {
			continue
		}
		s := all[active[k]]
		s.Sources = who
		s.Inside += run.Lo - s.Ports.Lo
		s.Ports = run
		out = append(out, s)
	}
	if last := before - 1; len(out) == before+1 && last >= 0 && follows(out[last], out[before]) && (last == 0 || out[last-1].Ports != out[last].Ports) {
		out[last].Ports.Hi = out[before].Ports.Hi
		out = out[:before]
	}
	return out, work
}

// follows reports whether b goes on where a ends, for everybody.
func follows(a, b Span) bool {
	return a.Ports.Hi+1 == b.Ports.Lo && a.Own == b.Own && a.Exposed == b.Exposed && a.Forward == b.Forward && a.Address == b.Address && a.Interface == b.Interface &&
		a.Sources.everybody() && b.Sources.everybody() && a.Inside+uint32(a.Ports.Len()) == b.Inside
}

// Next finds the router to which a span leads on.
func (m *Map) Next(s Span) (site.Router, bool) {
	if s.Router == "" {
		return site.Router{}, false
	}
	return m.v.Router(s.Router)
}

// Inner finds the router that takes what another sends to an address: one whose outside has
// it on a network of the other, where nobody is pinned but that router itself.
func Inner(v site.View, router string, a netip.Addr) (site.Router, bool) {
	for _, r := range v.RoutersAt(a) {
		if !v.InFront(router, *r) {
			continue
		}
		front, _ := v.Router(r.Upstream)
		between, _ := v.NetworkAt(front, a)
		others := slices.ContainsFunc(v.PinnedAt(between.ID, a), func(p site.Placed) bool {
			is, ok := v.IsRouter(p, a)
			return !ok || is.ID != r.ID
		})
		if !others {
			return *r, true
		}
	}
	return site.Router{}, false
}
