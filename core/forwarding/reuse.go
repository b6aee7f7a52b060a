package forwarding

import (
	"fmt"
	"maps"
	"slices"

	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// lead is what leads on at a router for all who are to reach the wish: one span, or several
// to the same ports that do so together.
type lead struct {
	reach.Span
	parts []reach.Span
}

// outside gives the outside port at which a lead goes to an inside one.
func (l lead) outside(proto site.Protocol, inside uint32) (uint32, bool) {
	if l.Protocol != proto || inside < l.Inside || inside >= l.Inside+uint32(l.Ports.Len()) {
		return 0, false
	}
	return l.Ports.Lo + inside - l.Inside, true
}

// leadsTo gives what leads on at a router for all who are to reach the wish.
func (f *finder) leadsTo(i int) []lead {
	if out, known := f.known[i]; known {
		return out
	}
	goal := reach.At(f.w.Interface)
	if i > 0 {
		goal = reach.Behind(f.routers[i-1])
	}
	var out []lead
	some := map[string][]reach.Span{} // by protocol and offset: those for some of them
	for _, s := range f.leads(f.held)(f.routers[i].ID, goal) {
		switch {
		case s.Sources.Covers(f.want):
			out = append(out, lead{s, []reach.Span{s}})
		case !s.Sources.Overlap(f.want).Nobody():
			key := fmt.Sprint(s.Protocol, int64(s.Ports.Lo)-int64(s.Inside))
			some[key] = append(some[key], s)
		}
	}
	for _, key := range slices.Sorted(maps.Keys(some)) {
		out = append(out, f.together(some[key])...)
	}
	f.known[i] = out
	return out
}

// together joins spans of one protocol and offset where all who are to reach the wish are let
// in by one or another of them.
func (f *finder) together(spans []reach.Span) []lead {
	if len(spans) < 2 {
		return nil
	}
	var cuts []uint32
	for _, s := range spans {
		cuts = append(cuts, s.Ports.Lo, s.Ports.Hi+1)
	}
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	var out []lead
	for k := 0; k+1 < len(cuts); k++ {
		l := lead{}
		var sources []reach.Sources
		for _, s := range spans {
			if s.Ports.Contains(cuts[k]) {
				l.parts, sources = append(l.parts, s), append(sources, s.Sources)
			}
		}
		all := reach.AnyOf(sources)
		if len(l.parts) < 2 || !all.Covers(f.want) {
			continue
		}
		l.Span = l.parts[0]
		l.Inside += cuts[k] - l.Ports.Lo
		l.Sources, l.Ports = all, span.Run{Lo: cuts[k], Hi: cuts[k+1] - 1}
		out = append(out, l)
	}
	return out
}

// passage is what leads on at a router: at which outside ports, in the order of the ports
// behind; the forwards of the wish among it; and the ports that others must leave it. Where
// ports that are chosen later go through it, within is where they must lie, and sides are
// those of the router on which others must leave them to it.
type passage struct {
	outside  span.Ports
	by       []held
	yielding []use
	within   span.Set
	sides    []side
}

// passages finds how what is there leads to ports at a router: on all of some protocols and
// for all who are to reach it, at the same outside ports.
func (f *finder) passages(i int, ports span.Ports, protocols []site.Protocol) []passage {
	leads := f.leadsTo(i)
	var out []passage
	for _, first := range leads {
		if _, ok := first.outside(protocols[0], ports.At(0)); !ok {
			continue
		}
		g, ok := f.follow(f.routers[i].ID, leads, first, protocols, ports)
		if ok && !slices.ContainsFunc(out, func(o passage) bool { return o.outside.Equal(g.outside) && len(o.by) <= len(g.by) }) {
			out = append(out, g)
		}
	}
	return out
}

// follow leads all ports out, along the forward of the first lead where it goes on.
func (f *finder) follow(router string, leads []lead, first lead, protocols []site.Protocol, ports span.Ports) (passage, bool) {
	var g passage
	var runs []span.Run
	for _, piece := range ports.Pieces() {
		for port := piece.Lo; port <= piece.Hi; {
			l, o, ok := chooseLead(leads, first, protocols[0], port)
			if !ok {
				return g, false
			}
			n := min(piece.Hi-port, l.Inside+uint32(l.Ports.Len())-1-port) + 1
			used := slices.Clone(l.parts)
			for _, proto := range protocols[1:] {
				there := func(c lead) bool { x, ok := c.outside(proto, port); return ok && x == o }
				k := slices.IndexFunc(leads, func(c lead) bool { return there(c) && c.Forward == l.Forward && c.Exposed == l.Exposed })
				if k < 0 {
					k = slices.IndexFunc(leads, there)
				}
				if k < 0 {
					return g, false
				}
				n = min(n, leads[k].Inside+uint32(leads[k].Ports.Len())-port)
				used = append(used, leads[k].parts...)
			}
			for _, s := range used {
				f.enter(&g, router, s, span.Run{Lo: o, Hi: o + n - 1})
			}
			if last := len(runs) - 1; last >= 0 && runs[last].Hi+1 == o {
				runs[last].Hi += n
			} else {
				runs = append(runs, span.Run{Lo: o, Hi: o + n - 1})
			}
			port += n
		}
	}
	if span.Of(runs...).Len() != ports.Len() {
		return g, false // two ports behind one
	}
	g.outside = span.PortList(runs...)
	return g, true
}

// enter notes that a passage goes over outside ports of a span.
func (f *finder) enter(g *passage, router string, s reach.Span, outside span.Run) {
	if f.yields(f.w, router, s) {
		g.yielding = append(g.yielding, f.reads(router, s, outside))
	}
	if k := slices.IndexFunc(f.w.held, func(h held) bool { return h.ID == s.Forward }); k >= 0 && !s.Exposed && !isOf(g.by, s.Forward) {
		g.by = append(g.by, f.w.held[k])
	}
}

// chooseLead finds the lead by which a port is led out: of the same forward as the first,
// else any.
func chooseLead(leads []lead, first lead, proto site.Protocol, port uint32) (lead, uint32, bool) {
	best, out, found := lead{}, uint32(0), false
	for _, l := range leads {
		o, ok := l.outside(proto, port)
		if !ok || found && best.Forward == first.Forward {
			continue
		}
		if !found || l.Forward == first.Forward {
			best, out, found = l, o, true
		}
	}
	return best, out, found
}

// wide is from how many ports on ports chosen later can go through a forward.
const wide = 1024

// widePassages gives how ports that are chosen later can go out by a wide forward that is there
// and renumbers nothing.
func (f *finder) widePassages(i int) []passage {
	var out []passage
	protocols := f.protocol.Each()
	for _, l := range f.leadsTo(i) {
		if l.Ports.Len() < wide || l.Ports.Lo != l.Inside || l.Protocol != protocols[0] {
			continue
		}
		g, ok := f.follow(f.routers[i].ID, f.leadsTo(i), l, protocols, span.PortList(l.Ports))
		if !ok || !g.outside.Equal(span.PortList(l.Ports)) {
			continue
		}
		g.yielding, g.within = nil, span.Of(l.Ports) // which of them it is is known later
		if f.yields(f.w, f.routers[i].ID, l.Span) {
			for _, proto := range protocols {
				g.sides = append(g.sides, side{f.routers[i].ID, proto})
			}
		}
		out = append(out, g)
	}
	return out
}

// mostStarts is of how many outside ports that routers further out lead to the search begins.
const mostStarts = 16

// offered gives the outside ports that routers further out lead to already.
func (f *finder) offered(i int) []span.Ports {
	var out []span.Ports
	n := f.setting.Len()
	for i++; i < len(f.routers); i++ {
		for _, l := range f.leadsTo(i) {
			if !f.protocol.Covers(l.Protocol) || l.Ports.Len() >= wide || l.Exposed {
				continue
			}
			for lo := l.Inside; lo+uint32(n)-1 < l.Inside+uint32(l.Ports.Len()); lo++ {
				p := span.PortList(span.Run{Lo: lo, Hi: lo + uint32(n) - 1})
				if slices.ContainsFunc(append(slices.Clip(f.targets), out...), p.Equal) {
					continue
				}
				if len(out) == mostStarts {
					f.w.capped = true
					return out
				}
				out = append(out, p)
			}
		}
	}
	return out
}
