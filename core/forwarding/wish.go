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
	staid    map[string]*reach.Map // of the forwards that are locked or made by hand, behind those that take ports from them: by the latter
	shadows  []held                // the forwards of wishes that stand before one that stays, and take ports from it
	stays    map[string]bool       // by forward: it is locked or made by hand
	taken    map[side]*taken       // by router and protocol: what stays taken on it
	heldAt   map[string][]held     // by router: the forwards of wishes that may be kept
	neededBy map[string][]string   // by forward: the services that rely on it though it is of another
	shut     []site.Forward        // those that nobody asks for, or that cannot stay
	room     map[string]int        // by router with a limit: the lines that are left
	wishes   []*wish
	levels   levels
}

// side is the outside of a router on one protocol.
type side struct {
	router string
	proto  site.Protocol
}

// taken is outside ports that stay taken, whatever is planned: by everybody, of those the
// router's own and those that its page does not take, and by forwards.
type taken struct {
	all, own span.Set
	claims   []claim
}

// claim is outside ports that some senders use. Of one that stays, at is its place among
// the forwards of the site: the first that matches gets a packet. What only reads needs that
// no forward takes the ports to elsewhere, and shares them with others of its kind.
type claim struct {
	run   span.Run
	who   reach.Sources
	at    int
	reads bool
	fresh bool // it keeps new forwards off alone
	lands landing
}

// landing is where packets are sent: to whom, and how much lower the port is there.
type landing struct {
	goal   reach.Goal
	offset int64
}

func landingOf(s reach.Span) landing {
	return landing{s.Goal(), int64(s.Ports.Lo) - int64(s.Inside)}
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
	rank    int // its place in line
	held    []held
	lost    []site.Forward // forwards of its own that cannot stay as they are
	ways    []way
	options []option // of the ways those that may be best, and ways to leave it shut
	refusal refusal  // why there is no way at all
	capped  bool     // there are more ways than were looked at
}

// newPlanner sorts what a site has; the wishes come in the order of their ranks. Some forwards
// are kept like those made by hand.
func newPlanner(v site.View, open []site.Wish, now *reach.Map, kept map[string]bool) *planner {
	p := &planner{v: v, pages: map[string]form.Page{}, taken: map[side]*taken{}, heldAt: map[string][]held{}, neededBy: map[string][]string{}, room: map[string]int{}}
	used := map[string]int{}
	p.stays = map[string]bool{}
	for _, r := range v.Routers {
		p.pages[r.ID] = form.Of(r.Form)
	}
	for _, f := range v.Forwards {
		if f.Enabled && (f.Locked || f.Service == "" || kept[f.ID]) {
			p.stays[f.ID] = true
			n, _ := p.pages[f.Router].Count(f)
			used[f.Router] += n
		}
	}
	p.take()
	for _, r := range v.Routers {
		if r.Form.Lines > 0 {
			p.room[r.ID] = r.Form.Lines - used[r.ID]
		}
	}
	wanted := map[string]*wish{}
	for _, w := range open {
		next := &wish{Wish: w, rank: w.Device.Importance()}
		if !now.Met(w) {
			next.rank += notYet
		}
		p.wishes = append(p.wishes, next)
		wanted[w.Service.ID] = next
	}
	slices.SortStableFunc(p.wishes, func(a, b *wish) int { return a.rank - b.rank })
	p.levels = levelsOf(p.wishes)
	for i, f := range v.Forwards {
		if !f.Enabled {
			continue
		}
		if p.stays[f.ID] {
			continue
		}
		w, ok := wanted[f.Service]
		if !ok {
			p.shut = append(p.shut, f)
			continue
		}
		if h, ok := p.keepable(w, f, i); ok {
			if p.clashes(f) {
				p.shadows = append(p.shadows, h)
			}
			w.held = append(w.held, h)
			p.heldAt[f.Router] = append(p.heldAt[f.Router], h)
		} else {
			w.lost = append(w.lost, f)
		}
	}
	p.staid = map[string]*reach.Map{}
	for _, w := range p.wishes {
		if v.Stopped() {
			return p
		}
		p.findWays(w)
	}
	p.findCarried()
	for _, w := range p.wishes {
		p.findOptions(w)
	}
	return p
}

// claimExposed enters the ports on which forwards that stay on routers behind are reached
// since a router exposes them: a new forward there would end that.
func (p *planner) claimExposed(r site.Router, at site.Router, depth int, all map[side][]span.Run) {
	address, _ := p.v.TargetOf(at.ID, at.ExposedHost)
	inner, ok := reach.Inner(p.v, at.ID, address)
	if at.ExposedHost == "" || !ok || depth > len(p.v.Routers) {
		return
	}
	for i, f := range p.v.Forwards {
		if f.Router != inner.ID || !p.stays[f.ID] {
			continue
		}
		for _, proto := range f.Protocol.Each() {
			here := side{r.ID, proto}
			for _, run := range f.Outside.Runs() {
				p.taken[here].claims = append(p.taken[here].claims, claim{run: run, who: reach.Anyone, at: i, fresh: true})
				all[here] = append(all[here], run)
			}
		}
	}
	p.claimExposed(r, inner, depth+1, all)
}

// take enters what stays taken on each router: its own ports, those that its page does
// not take, and those of forwards.
func (p *planner) take() {
	all := map[side][]span.Run{}
	for _, r := range p.v.Routers {
		for _, proto := range site.Both.Each() {
			at := side{r.ID, proto}
			own := p.pages[r.ID].Refuses().Runs()
			for _, o := range r.OwnPorts {
				if o.Protocol.Covers(proto) {
					own = append(own, o.Ports.Runs()...)
				}
			}
			p.taken[at], all[at] = &taken{own: span.Of(own...)}, own
		}
		p.claimExposed(r, r, 0, all)
	}
	for i, f := range p.v.Forwards {
		if !p.stays[f.ID] {
			continue
		}
		who := p.allowed(f)
		for _, proto := range f.Protocol.Each() {
			at := side{f.Router, proto}
			for _, run := range f.Outside.Runs() {
				p.taken[at].claims = append(p.taken[at].claims, claim{run: run, who: who, at: i})
				all[at] = append(all[at], run)
			}
		}
	}
	for at, runs := range all {
		p.taken[at].all = span.Of(runs...)
	}
}

// clashes reports whether a forward wants an outside port that stays taken.
func (p *planner) clashes(f site.Forward) bool { return p.clashesBefore(f, len(p.v.Forwards)) }

// clashesBefore reports whether a forward at a place wants an outside port that the router
// has for itself, or that one which stays gets before it.
func (p *planner) clashesBefore(f site.Forward, place int) bool {
	_, taken := p.holder(f, place)
	return taken
}

// holder finds the forward that stays and gets a port that one at a place wants; -1 where
// the router has it for itself.
func (p *planner) holder(f site.Forward, place int) (at int, taken bool) {
	who := p.allowed(f)
	for _, proto := range f.Protocol.Each() {
		t := p.taken[side{f.Router, proto}]
		for _, run := range f.Outside.Runs() {
			if !t.all.Touches(run) {
				continue
			}
			if t.own.Touches(run) {
				return -1, true
			}
			for _, c := range t.claims {
				if (c.at < place && !c.fresh || c.fresh && place == len(p.v.Forwards)) && c.run.Touches(run) && !c.who.Overlap(who).Nobody() {
					return c.at, true
				}
			}
		}
	}
	return 0, false
}

// keepable reports whether a forward of a wish may stay as it is: it is for the service,
// it can work, and nothing that stays takes its ports before it.
func (p *planner) keepable(w *wish, f site.Forward, place int) (held, bool) {
	lines, err := p.pages[f.Router].Count(f)
	if err != nil || p.clashesBefore(f, place) {
		return held{}, false
	}
	h := held{f, lines, reach.Leads(p.v, f)}
	address, placed := p.v.Target(f)
	r, _ := p.v.Router(f.Router)
	n, there := p.v.NetworkAt(r, address)
	if loose := placed != nil && placed.Interface.Pin == nil; loose {
		there = r.On(placed.Interface.Network)
	} else if placed != nil {
		there = there && placed.Interface.Network == n.ID
	}
	if !there {
		return held{}, false
	}
	inner, behind := reach.Inner(p.v, f.Router, address)
	if behind && placed != nil && placed.Interface.ID != w.Interface.ID {
		placed = nil // it is the router behind
	}
	if placed != nil {
		return h, placed.Interface.ID == w.Interface.ID && f.Protocol.Meets(w.Service.Protocol) && !f.InsidePorts().Set().Overlap(w.Service.Ports.Set()).Empty()
	}
	if !behind {
		return held{}, false
	}
	route, why := reach.Route(p.v, w.Wish)
	return h, why == "" && slices.ContainsFunc(route, func(o site.Router) bool { return o.ID == inner.ID }) && f.Protocol.Meets(w.Service.Protocol)
}

// leads gives what leads to a goal at a router: what stays, and what of a wish is kept.
func (p *planner) leads(kept []held) reach.Lookup {
	staid := p.staying(kept)
	return func(router string, goal reach.Goal) []reach.Span {
		out := staid.To(router, goal)
		if len(p.shadows) > 0 && slices.ContainsFunc(out, p.movable) {
			out = slices.DeleteFunc(slices.Clone(out), p.movable)
		}
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

// staying is the map of what stays, as the forwards that are kept of a wish leave it.
func (p *planner) staying(kept []held) *reach.Map {
	before := map[string]bool{}
	key := ""
	for _, h := range p.shadows {
		if isOf(kept, h.ID) {
			before[h.ID] = true
			key += h.ID + "\n"
		}
	}
	m, known := p.staid[key]
	if !known {
		s := p.v.Site
		s.Forwards = nil
		for _, f := range p.v.Forwards {
			if p.stays[f.ID] || before[f.ID] {
				s.Forwards = append(s.Forwards, f)
			}
		}
		m = reach.Of(p.v.With(s))
		p.staid[key] = m
	}
	return m
}

// movable reports whether a span is of a forward that need not stay.
func (p *planner) movable(s reach.Span) bool { return s.Forward != "" && !p.stays[s.Forward] }
