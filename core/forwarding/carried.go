package forwarding

import (
	"fmt"
	"slices"

	"vestpin/core/reach"
)

// mostOthers is among how many forwards of other services is looked.
const mostOthers = 64

// byOthers enters the way in which forwards of other services that may be kept meet a wish,
// where no way is known that nobody could end.
func (p *planner) byOthers(f *finder) {
	w := f.w
	if slices.ContainsFunc(w.ways, func(wy way) bool { return len(wy.yielding) == 0 }) {
		return
	}
	var others []held
	goal := reach.At(w.Interface)
	for _, r := range f.routers {
		for _, h := range p.heldAt[r.ID] {
			if h.Service != w.Service.ID && slices.ContainsFunc(h.spans, func(s reach.Span) bool { return s.Leads(goal) }) {
				others = append(others, h)
			}
		}
		goal = reach.Behind(r)
	}
	met := func(others []held) bool {
		return f.meets(p.firm(w, p.leads(append(slices.Clone(others), w.held...))))
	}
	if len(others) == 0 || len(others) > mostOthers || !met(others) {
		return
	}
	for i := len(others) - 1; i >= 0; i-- { // only those without which it is not met
		if less := slices.Delete(slices.Clone(others), i, i+1); met(less) {
			others = less
		}
	}
	w.ways = append(w.ways, way{keeps: w.held, needs: others, preferred: true})
}

// findCarried finds the wishes that the forwards of another would meet as well: those of
// the same interface whose ports are among those that it leads to.
func (p *planner) findCarried() {
	at := map[string][]*wish{}
	for _, w := range p.wishes {
		at[w.Interface.ID] = append(at[w.Interface.ID], w)
	}
	for _, w := range p.wishes {
		for _, o := range at[w.Interface.ID] {
			if o != w && len(at[w.Interface.ID]) <= mostOthers && o.mayCarry(w) {
				p.carried(w, o)
			}
		}
	}
}

// mayCarry reports whether forwards of a wish, new or kept, could lead to all ports of another.
func (w *wish) mayCarry(o *wish) bool {
	ports := o.Service.Ports.Set()
	return w.Service.Protocol.Covers(o.Service.Protocol) && w.Service.Ports.Set().Covers(ports) || slices.ContainsFunc(w.held, func(h held) bool {
		return h.Protocol.Covers(o.Service.Protocol) && h.InsidePorts().Set().Covers(ports)
	})
}

// carried enters the ways in which a wish is met by the forwards of another.
func (p *planner) carried(w, by *wish) {
	routers, why := reach.Route(p.v, w.Wish)
	if why != "" {
		return
	}
	const (
		doesNot = iota
		meets
		meetsPreferred
	)
	does := make([]int, len(by.ways))
	some := [3]bool{}
	for i, wy := range by.ways {
		if wy.out || len(wy.hops)+len(wy.keeps) == 0 || !wy.setTo.IsZero() {
			continue
		}
		leads := p.leads(wy.keeps)
		if sides, _ := wy.passes(); len(wy.yielding)+len(sides) == 0 {
			leads = p.firm(by, leads)
		}
		leads = p.withDrafts(leads, wy)
		if !reach.Meets(p.v, w.Wish, routers, w.Service.Ports, leads) {
			continue
		}
		if does[i] = meets; p.isPreferred(w.Wish, routers, w.Service.Ports, leads) {
			does[i] = meetsPreferred
		}
		some[does[i]] = true
	}
	for level := meets; level <= meetsPreferred; level++ {
		if !some[level] {
			continue
		}
		name := fmt.Sprint("carried ", level, " by ", by.Service.ID, " for ", w.Service.ID)
		for i := range by.ways {
			if does[i] < level {
				by.ways[i].bars = append(slices.Clip(by.ways[i].bars), name)
			}
		}
		for _, kept := range p.subsets(w, w.held) {
			w.ways = append(w.ways, way{keeps: kept, carriedBy: by.Service.ID, bars: []string{name}, preferred: level == meetsPreferred})
		}
	}
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
