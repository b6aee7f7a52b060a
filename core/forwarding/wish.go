package forwarding

import (
	"slices"

	"vestpin/core/form"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// planner knows what stays whatever is planned, and what may be kept.
type planner struct {
	v        site.View
	pages    map[string]form.Page
	staid    *reach.Map          // of the forwards that are locked or made by hand alone
	taken    map[side]*taken     // by router and protocol: what stays taken on it
	heldAt   map[string][]held   // by router: the forwards of wishes that may be kept
	neededBy map[string][]string // by forward: the services that rely on it though it is of another
	shut     []site.Forward      // those that nobody asks for, or that cannot stay
	room     map[string]int      // by router with a limit: the lines that are left
	wishes   []*wish
	levels   levels
}

// side is the outside of a router on one protocol.
type side struct {
	router string
	proto  site.Protocol
}

// taken is outside ports that stay taken, whatever is planned: by everybody, and by some
// senders where the page can tell them apart.
type taken struct {
	all  span.Set
	some []claim
}

// claim is outside ports that some senders use.
type claim struct {
	run span.Run
	who reach.Sources
}

// held is a forward of a service that may be kept, and how many lines it takes.
type held struct {
	site.Forward
	lines int
	spans []reach.Span
}

// wish is a service to be opened, with all the options there are.
type wish struct {
	site.Wish
	rank    int
	held    []held
	lost    []site.Forward // forwards of its own that cannot stay as they are
	ways    []way
	options []option // of the ways those that may be best, and ways to leave it shut
	refusal string   // why there is no way at all
	capped  bool     // there are more ways than were looked at
}

// newPlanner sorts what a site has; the wishes come in the order of their ranks.
func newPlanner(v site.View, open []site.Wish) *planner {
	p := &planner{v: v, pages: map[string]form.Page{}, taken: map[side]*taken{}, heldAt: map[string][]held{}, neededBy: map[string][]string{}, room: map[string]int{}}
	open = slices.Clone(open)
	slices.SortStableFunc(open, func(a, b site.Wish) int { return a.Device.Importance() - b.Device.Importance() })
	p.levels = levelsOf(open)
	used := map[string]int{}
	staying := v.Site
	staying.Forwards = nil
	for _, r := range v.Routers {
		p.pages[r.ID] = form.Of(r.Form)
	}
	for _, f := range v.Forwards {
		if f.Enabled && (f.Locked || f.Service == "") {
			staying.Forwards = append(staying.Forwards, f)
			n, _ := p.pages[f.Router].Count(f)
			used[f.Router] += n
		}
	}
	p.take(staying.Forwards)
	for _, r := range v.Routers {
		if r.Form.Lines > 0 {
			p.room[r.ID] = r.Form.Lines - used[r.ID]
		}
	}
	p.staid = reach.Of(v.With(staying))
	wanted := map[string]*wish{}
	for _, w := range open {
		next := &wish{Wish: w, rank: w.Device.Importance()}
		p.wishes = append(p.wishes, next)
		wanted[w.Service.ID] = next
	}
	for _, f := range v.Forwards {
		if !f.Enabled || f.Locked || f.Service == "" {
			continue
		}
		w, ok := wanted[f.Service]
		if !ok {
			p.shut = append(p.shut, f)
			continue
		}
		if h, ok := p.keepable(w, f); ok {
			w.held = append(w.held, h)
			p.heldAt[f.Router] = append(p.heldAt[f.Router], h)
		} else {
			w.lost = append(w.lost, f)
		}
	}
	for _, w := range p.wishes {
		if v.Stopped() {
			return p
		}
		p.findWays(w)
	}
	for _, w := range p.wishes {
		p.findOptions(w)
	}
	return p
}

// take enters what stays taken on each router: its own ports, those that its page does
// not take, and those of forwards.
func (p *planner) take(forwards []site.Forward) {
	all := map[side][]span.Run{}
	for _, r := range p.v.Routers {
		for _, proto := range site.Both.Each() {
			at := side{r.ID, proto}
			p.taken[at] = &taken{}
			all[at] = p.pages[r.ID].Refuses().Runs()
			for _, own := range r.OwnPorts {
				if own.Protocol.Covers(proto) {
					all[at] = append(all[at], own.Ports.Runs()...)
				}
			}
		}
	}
	for _, f := range forwards {
		for _, proto := range f.Protocol.Each() {
			at := side{f.Router, proto}
			if len(f.From) == 0 || !p.pages[f.Router].LimitsSenders() {
				all[at] = append(all[at], f.Outside.Runs()...)
				continue
			}
			for _, run := range f.Outside.Runs() {
				p.taken[at].some = append(p.taken[at].some, claim{run, reach.Allowed(f.From)})
			}
		}
	}
	for at, runs := range all {
		p.taken[at].all = span.Of(runs...)
	}
}

// clashes reports whether a forward wants an outside port that stays taken.
func (p *planner) clashes(f site.Forward) bool {
	for _, proto := range f.Protocol.Each() {
		t := p.taken[side{f.Router, proto}]
		for _, run := range f.Outside.Runs() {
			if t.all.Touches(run) {
				return true
			}
			for _, c := range t.some {
				if c.run.Touches(run) && !c.who.Overlap(reach.Allowed(f.From)).Nobody() {
					return true
				}
			}
		}
	}
	return false
}

// keepable reports whether a forward of a wish may stay as it is: it is for the service,
// it can work, and it clashes with nothing that stays.
func (p *planner) keepable(w *wish, f site.Forward) (held, bool) {
	lines, err := p.pages[f.Router].Count(f)
	if err != nil || p.clashes(f) || w.Interface.Pin == nil {
		return held{}, false
	}
	h := held{f, lines, reach.Leads(p.v, f)}
	address, placed := p.v.Target(f)
	r, _ := p.v.Router(f.Router)
	if n, ok := p.v.NetworkAt(r, address); !ok || placed != nil && placed.Interface.Network != n.ID {
		return held{}, false
	}
	inner, behind := reach.Inner(p.v, f.Router, address)
	if behind && placed != nil && placed.Interface.ID != w.Interface.ID {
		placed = nil // it is the router behind
	}
	if placed != nil {
		return h, placed.Interface.ID == w.Interface.ID && placed.Interface.Pin != nil && f.Protocol.Meets(w.Service.Protocol) && !f.InsidePorts().Set().Overlap(w.Service.Ports.Set()).Empty()
	}
	if !behind {
		return held{}, false
	}
	route, why := reach.Route(p.v, w.Wish)
	return h, why == "" && slices.ContainsFunc(route, func(o site.Router) bool { return o.ID == inner.ID }) && f.Protocol.Meets(w.Service.Protocol)
}

// leads gives what leads to a goal at a router: what stays, and what of a wish is kept.
func (p *planner) leads(kept []held) func(router string, goal reach.Goal) []reach.Span {
	return func(router string, goal reach.Goal) []reach.Span {
		out := p.staid.To(router, goal)
		for _, h := range kept {
			if h.Router != router {
				continue
			}
			for _, s := range h.spans {
				if s.Leads(goal) {
					out = append(slices.Clip(out), s)
				}
			}
		}
		return out
	}
}
