package forwarding

import (
	"fmt"
	"slices"

	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// mostOthers is among how many forwards of other services is looked.
const mostOthers = 64

// byOthers enters the way in which forwards of other services that may be kept meet a wish.
func (f *finder) byOthers() {
	var others []held
	goal := reach.At(f.w.Interface)
	for _, r := range f.routers {
		for _, h := range f.heldAt[r.ID] {
			if h.Service != f.w.Service.ID && slices.ContainsFunc(h.spans, func(s reach.Span) bool { return s.Leads(goal) }) {
				others = append(others, h)
			}
		}
		goal = reach.Behind(r)
	}
	met := func(others []held) bool {
		return f.meets(f.firm(f.w, f.leads(append(slices.Clone(others), f.w.held...))))
	}
	if len(others) == 0 || len(others) > mostOthers || !met(others) {
		return
	}
	for i := len(others) - 1; i >= 0; i-- { // only those without which it is not met
		if less := slices.Delete(slices.Clone(others), i, i+1); met(less) {
			others = less
		}
	}
	f.w.ways = append(f.w.ways, way{keeps: f.w.held, needs: others, preferred: true})
}

// findCarried finds the wishes that the forwards of another would meet as well, on all of
// their protocols or on one: those of the same interface whose ports are among those that it
// leads to.
func (p *planner) findCarried() {
	at := map[string][]*wish{}
	for _, w := range p.wishes {
		at[w.Interface.ID] = append(at[w.Interface.ID], w)
	}
	var found []carrying
	for _, w := range p.wishes {
		if len(at[w.Interface.ID]) > mostOthers {
			continue
		}
		for _, o := range at[w.Interface.ID] {
			switch {
			case o == w:
			case p.mayCarry(o, w, w.Service.Protocol):
				found = append(found, p.carried(w, o, w.Service.Protocol)...)
			case p.mayCarry(o, w, site.TCP):
				found = append(found, p.carried(w, o, site.TCP)...)
			case p.mayCarry(o, w, site.UDP):
				found = append(found, p.carried(w, o, site.UDP)...)
			}
		}
	}
	for _, c := range found {
		c.wish.ways = append(c.wish.ways, c.ways...)
	}
	for _, c := range found {
		for i := range c.by.ways {
			if !c.does[i] {
				c.by.ways[i].bars = append(slices.Clip(c.by.ways[i].bars), c.name)
			}
		}
	}
}

// carrying is ways in which a wish is met together with some ways of another, by their places;
// all other ways of that bar them.
type carrying struct {
	name     string
	wish, by *wish
	ways     []way
	does     map[int]bool
}

// mayCarry reports whether forwards of a wish, new or kept, could lead to all ports of another
// on a protocol of that.
func (p *planner) mayCarry(w, o *wish, proto site.Protocol) bool {
	ports := o.Service.Ports.Set()
	leads := func(by site.Protocol, inside span.Set) bool { return by.Covers(proto) && inside.Covers(ports) }
	made := w.Service.Protocol
	for _, page := range p.pages {
		if page.Carrying(made) == site.Both {
			made = site.Both
		}
	}
	return o.Service.Protocol.Covers(proto) && (leads(made, w.Service.Ports.Set()) || slices.ContainsFunc(w.held, func(h held) bool {
		return leads(h.Protocol, h.InsidePorts().Set())
	}))
}

// carried gives the ways in which a wish is met on a protocol by the forwards of another, and
// by its own on what is left.
func (p *planner) carried(w, by *wish, proto site.Protocol) []carrying {
	routers, why := reach.Route(p.v, w.Wish)
	if why != "" {
		return nil
	}
	part := only(w.Wish, proto)
	all := map[int]bool{}       // the ways that carry it
	preferred := map[int]bool{} // those of them that do where it prefers to be
	for i, wy := range by.ways {
		if leads, ok := p.leadsOf(by, wy); ok && reach.Meets(p.v, part, routers, part.Service.Ports, leads) {
			all[i] = true
			if p.isPreferred(part, routers, part.Service.Ports, leads) {
				preferred[i] = true
			}
		}
	}
	if len(all) == 0 {
		return nil
	}
	var out []carrying
	rest := p.beside(w, proto)
	for _, does := range []map[int]bool{all, preferred} {
		if len(does) == 0 {
			continue
		}
		c := carrying{fmt.Sprint("carried ", len(out), " on ", proto, " by ", by.Service.ID, " for ", w.Service.ID), w, by, nil, does}
		for _, wy := range rest {
			wy.carriedBy, wy.bars, wy.preferred = by.Service.ID, []string{c.name}, wy.preferred && len(out) == 1
			c.ways = append(c.ways, wy)
		}
		out = append(out, c)
	}
	return out
}

// leadsOf gives what leads where by what stays and by a way of a wish; false where that adds
// nothing to lead on.
func (p *planner) leadsOf(w *wish, wy way) (reach.Lookup, bool) {
	if wy.out || len(wy.hops)+len(wy.keeps) == 0 || !wy.setTo.IsZero() {
		return nil, false
	}
	leads := p.leads(wy.keeps)
	if sides, _ := wy.passes(); len(wy.yielding)+len(sides) == 0 {
		leads = p.firm(w, leads)
	}
	return p.withDrafts(leads, wy), true
}

// beside gives the ways to meet a wish on all but one protocol; where that is all, it keeps what
// it likes.
func (p *planner) beside(w *wish, proto site.Protocol) []way {
	var out []way
	if proto.Covers(w.Service.Protocol) {
		for _, kept := range p.subsets(w, w.held) {
			out = append(out, way{keeps: kept, preferred: true})
		}
		return out
	}
	other := map[site.Protocol]site.Protocol{site.TCP: site.UDP, site.UDP: site.TCP}[proto]
	part := &wish{Wish: only(w.Wish, other), rank: w.rank, held: w.held}
	p.waysToMeet(part)
	w.capped = w.capped || part.capped
	return slices.DeleteFunc(part.ways, func(wy way) bool { return len(wy.needs) > 0 || !wy.setTo.IsZero() })
}

// withDrafts is what leads where once the new forwards of a way are there as well.
func (p *planner) withDrafts(leads reach.Lookup, wy way) reach.Lookup {
	made := map[string][]reach.Span{}
	for _, d := range wy.drafts() {
		made[d.Router] = append(made[d.Router], reach.Leads(p.v, d.Forward)...)
	}
	return func(router string, goal reach.Goal) []reach.Span {
		out := slices.Clip(leads(router, goal))
		for _, s := range made[router] {
			if s.Leads(goal) {
				out = append(out, s)
			}
		}
		return out
	}
}
