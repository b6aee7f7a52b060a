package forwarding

import (
	"fmt"
	"slices"

	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// mostWays is how many ways to meet one wish are looked at: a chain of many routers that
// all can renumber has more.
const mostWays = 400

// way is one manner of meeting a wish, or of leaving it shut.
type way struct {
	out       bool
	setTo     span.Ports // the port to set on the device, absent to leave it
	hops      []hop      // from the router next to the device outwards; none where it is met as it is
	keeps     []held     // the forwards of its own that stay
	needs     []held     // those of other services without which it would not be met
	carriedBy string     // the service whose forwards carry it
	yielding  []use      // the ports that it gets as long as no other takes them
	shuns     span.Set   // where ports that are chosen later may not lie
	bars      []string   // the wishes that rely on what this way would not do
	preferred bool
}

// draft is a forward to be made. Where later is set its outside ports are chosen after the
// search, the same for all such drafts of a way; where insideLater is set those are its
// inside ports. A wide one lets everybody in since its page cannot limit that: another router
// on the way must.
type draft struct {
	site.Forward
	later, insideLater bool
	wide               bool
	lines              int
}

// drafts gives the new forwards of a way.
func (wy way) drafts() []draft {
	var out []draft
	for _, h := range wy.hops {
		if h.draft != nil {
			out = append(out, *h.draft)
		}
	}
	return out
}

// passes gives the sides through which ports that are chosen later go by what is there, and
// where they must lie for it, anywhere if empty.
func (wy way) passes() ([]side, span.Set) {
	var sides []side
	var within span.Set
	for _, h := range wy.hops {
		if h.reuse == nil || h.reuse.within.Empty() {
			continue
		}
		sides = append(sides, h.reuse.sides...)
		if within.Empty() {
			within = h.reuse.within
		} else {
			within = within.Overlap(h.reuse.within)
		}
	}
	return sides, within
}

// splits is at how many routers a way has the protocols at different ports.
func (wy way) splits() int {
	n := 0
	for _, h := range wy.hops {
		if h.split {
			n++
		}
	}
	return n
}

// isOf reports whether a forward is among some that are held.
func isOf(list []held, id string) bool {
	return slices.ContainsFunc(list, func(h held) bool { return h.ID == id })
}

// findWays gives the manners of meeting a wish, the plainest first, and those of leaving
// it shut.
func (p *planner) findWays(w *wish) {
	w.refusal = p.waysToMeet(w)
	shut := [][]held{nil} // what leads to a device without a pin stays only where it meets the wish
	if w.Interface.Pin != nil {
		shut = p.subsets(w, w.held)
	}
	for _, kept := range shut {
		w.ways = append(w.ways, way{out: true, keeps: kept})
	}
	for _, wy := range w.ways {
		for _, h := range wy.needs {
			p.neededBy[h.ID] = append(p.neededBy[h.ID], w.Service.ID)
		}
	}
}

func (p *planner) waysToMeet(w *wish) refusal {
	routers, why := reach.Route(p.v, w.Wish)
	if why != "" {
		return refusal{kind: noRoute, says: why}
	}
	want, ok := reach.Wanted(p.v, w.Wish, routers)
	if !ok {
		return refusal{kind: onlyInside, router: routers[len(routers)-1]}
	}
	f := &finder{planner: p, w: w, routers: routers, want: want, protocol: w.Service.Protocol, setting: w.Service.Ports}
	if f.meets(p.firm(w, p.leads(nil))) {
		// What stays meets it: nothing is to be opened for it, at any price.
		for _, kept := range p.subsets(w, w.held) {
			if len(p.shadows) == 0 || f.meets(p.firm(w, p.leads(kept))) {
				w.ways = append(w.ways, way{keeps: kept, preferred: true})
			}
		}
		return refusal{}
	}
	if n, ok := p.v.Network(w.Interface.Network); ok && w.Interface.Pin != nil && !n.Subnet.Contains(w.Interface.Pin.Address) {
		return refusal{kind: offNetwork, says: fmt.Sprintf("%s is pinned at %s, which is not in %s", w.Device.Label(), w.Interface.Pin.Address, n.Subnet)}
	}
	f.asItIs()
	if !w.hasFirm() {
		f.byOthers()
	}
	if w.Interface.Pin == nil {
		return refusal{kind: notPinned}
	}
	for _, held := range p.withAndWithoutShadows(w.held) {
		f.held, f.known = held, map[int][]lead{}
		f.find()
	}
	slices.SortStableFunc(w.ways, func(a, b way) int { return a.splits() - b.splits() }) // of those that cost the same the first is taken
	return f.refusal
}

// hasFirm reports whether there is a way to meet a wish that does not depend on what others
// leave it.
func (w *wish) hasFirm() bool {
	return slices.ContainsFunc(w.ways, func(wy way) bool { return len(wy.yielding) == 0 })
}

// asItIs enters the ways in which a wish is met by what stays and what it holds.
func (f *finder) asItIs() {
	w := f.w
	for _, kept := range f.subsets(w, w.held) {
		leads := f.leads(kept)
		switch {
		case len(kept) > 0 && f.meets(f.firm(w, leads)):
			w.ways = append(w.ways, way{keeps: kept, preferred: f.isPreferred(w.Wish, f.routers, w.Service.Ports, leads)})
		case f.meets(leads):
			for _, y := range f.yieldings(w.Service.Protocol.Each(), leads) {
				w.ways = append(w.ways, way{keeps: kept, yielding: y.uses, preferred: y.preferred || w.Service.Open.Port != site.AnyPort})
			}
		}
	}
}

// withAndWithoutShadows gives what a wish holds, and the same without what takes ports from
// forwards that stay, if any does.
func (p *planner) withAndWithoutShadows(list []held) [][]held {
	without := slices.DeleteFunc(slices.Clone(list), func(h held) bool { return isOf(p.shadows, h.ID) })
	if len(without) == len(list) {
		return [][]held{list}
	}
	return [][]held{list, without}
}

// isPreferred reports whether a wish is met where it prefers to be, its device answering at the
// given ports.
func (p *planner) isPreferred(w site.Wish, routers []site.Router, ports span.Ports, leads reach.Lookup) bool {
	if w.Service.Open.Port != site.AnyPort {
		return true
	}
	as := *w.Service.Open
	if as.Port = site.SamePort; !as.Prefer.IsZero() {
		as.Port = as.Prefer.String()
	}
	s := *w.Service
	s.Open, w.Service = &as, &s
	return reach.Meets(p.v, w, routers, ports, leads)
}

// clash reports whether two forwards cannot stay together.
func (p *planner) clash(a, b held) bool {
	return a.Router == b.Router && reach.Clash(p.pages[a.Router].LimitsSenders(), a.Forward, b.Forward)
}

// clashesWithAny reports whether a forward cannot stay together with one of a list.
func (p *planner) clashesWithAny(h held, list []held) bool {
	return slices.ContainsFunc(list, func(o held) bool { return p.clash(o, h) })
}

// mostHeld is of how many forwards that a wish holds all subsets are looked at.
const mostHeld = 5

// subsets gives the subsets of held forwards that can stay together, the largest first: all
// of them where there are few, else a first that fits, each one, and none.
func (p *planner) subsets(w *wish, list []held) [][]held {
	var out [][]held
	if n := len(list); n <= mostHeld {
	next:
		for mask := 1<<n - 1; mask >= 0; mask-- {
			var s []held
			for i := range list {
				if mask&(1<<i) == 0 {
					continue
				}
				if p.clashesWithAny(list[i], s) {
					continue next
				}
				s = append(s, list[i])
			}
			out = append(out, s)
		}
		slices.SortStableFunc(out, func(a, b []held) int { return len(b) - len(a) })
		return out
	}
	w.capped = true
	var first []held
	for _, h := range list {
		if !p.clashesWithAny(h, first) {
			first = append(first, h)
		}
	}
	out = append(out, first)
	for i := range list {
		out = append(out, list[i:i+1])
	}
	return append(out, nil)
}
