// Package forwarding knows which outside port should lead to which service, and why.
//
// Its method: of each wish all ways to meet it are listed, with the outside ports that
// they need exactly; ports that are found later conflict with nothing. Ways that need the
// same port tie wishes together into parts, which are solved one by one: a min-cost flow
// over classes of like wishes is the answer where each way needs one port at most, and the
// bound of a branch and bound where some need several. Parts that share the lines of a
// router are joined by a table for each: the best answer with so many lines.
package forwarding

import (
	"slices"

	"vestpin/core/edit"
	"vestpin/core/reach"
	"vestpin/core/site"
)

// Unmet is a wish that is not met: a smallest set of services that cannot all be opened
// together, and why. Where the search was cut off, whether it could be met as well is
// Undecided.
type Unmet struct {
	Services  []string `json:"services"`
	Says      string   `json:"says"`
	Undecided bool     `json:"undecided,omitempty"`
}

// Plan is what Suggest found. For names the service of each change, "" for what nobody
// asks for any more.
type Plan struct {
	Changes []edit.Change
	For     []string
	Unmet   []Unmet
	Proven  bool // false where the search for the best was cut off

	of     map[string][]int // by service: its changes
	deltas []delta          // by change
	adds   bool             // it changes nothing that is there
	lines  map[string]int   // by router: how many lines there are now
}

// delta is what a change does on a router: the forward that was there and the one that
// will be, and how many lines more they take.
type delta struct {
	was, is *site.Forward
	router  string
	lines   int
}

// Suggest gives the forwards that meet the wishes of a site. It keeps, in this
// order: locked forwards and those made by hand stay; no clashes, no port of a
// router's own, only pinned interfaces, only what the form takes; as many wishes
// as possible by rank; few services set to another port on their device; few
// existing forwards changed; preferred or equal ports; few lines.
//
// A wish may work by chance, over forwards that its own service could not keep. Where a plan
// would end what works, it is made again with the forwards that lead to it kept as they are.
// A forward made by hand is no wish: where a change takes away what leads to it, it says so.
func Suggest(v site.View) Plan { return suggestFor(v, v.Wishes()) }

func suggestFor(v site.View, open []site.Wish) Plan {
	now := reach.Of(v)
	kept := map[string]bool{}
	for {
		p := newPlanner(v, open, now, kept)
		plan := p.plan()
		ended := p.verify(&plan, now)
		if len(ended) == 0 || v.Stopped() {
			p.tellLost(&plan, now)
			return plan
		}
		before := len(kept)
		enter(kept, now, ended)
		if len(kept) == before { // over no forward that is kept already: then it was another's gain
			enter(kept, now, p.working(now))
		}
		if len(kept) == before {
			p.tellLost(&plan, now)
			return plan
		}
	}
}

// enter enters the forwards over which wishes are met.
func enter(kept map[string]bool, now *reach.Map, wishes []site.Wish) {
	for _, w := range wishes {
		for _, m := range now.Entries(w) {
			for _, id := range m.Via {
				kept[id] = true
			}
		}
	}
}

// working gives the wishes that are met now.
func (p *planner) working(now *reach.Map) []site.Wish {
	var out []site.Wish
	for _, w := range p.wishes {
		if now.Met(w.Wish) {
			out = append(out, w.Wish)
		}
	}
	return out
}

// verify looks at the site as it would be: it gives the wishes that are met now and would not
// be any more, and takes from those that are told to stay shut what is met by chance.
func (p *planner) verify(plan *Plan, now *reach.Map) []site.Wish {
	if len(plan.Changes) == 0 {
		return nil
	}
	next, err := p.takenBy(plan)
	if err != nil {
		return nil
	}
	after := reach.Of(next)
	met := func(service string) bool {
		w, ok := next.Service(service)
		return ok && after.Met(w)
	}
	plan.Unmet = slices.DeleteFunc(plan.Unmet, func(u Unmet) bool {
		is := met(u.Services[0])
		for i := range plan.Changes { // then its forwards do not go since it stays shut
			if is && plan.For[i] == u.Services[0] {
				plan.Changes[i].Why = "Another forward leads there as well."
			}
		}
		return is
	})
	return slices.DeleteFunc(p.working(now), func(w site.Wish) bool { return met(w.Service.ID) })
}

func (p *planner) plan() Plan {
	v := p.v
	if v.Stopped() {
		return Plan{}
	}
	c := p.choices()
	s := c.solve()
	if v.Stopped() {
		return Plan{}
	}
	e := &explaining{choices: c, solution: s, left: mostTests, names: mostNames}
	s.option = slices.Clone(s.option) // what follows changes nothing of why others are left out
	used := p.sockets()
	p.plainest(s, used)
	plan := Plan{Proven: true}
	placed := make([][]site.Forward, len(p.wishes))
	met := make([]bool, len(p.wishes))
	crowded := make([]bool, len(p.wishes))
	for i, w := range p.wishes {
		wy := w.ways[s.option[i]]
		plan.Proven = plan.Proven && s.proven[i] && !w.capped
		if met[i] = !wy.out; met[i] {
			var ok bool
			if placed[i], ok = p.place(w, wy, used); !ok {
				met[i], crowded[i], plan.Proven = false, true, false
			}
		}
	}
	e.met = met
	for i, w := range p.wishes {
		if !met[i] {
			plan.Unmet = append(plan.Unmet, e.unmet(i, w, crowded[i]))
		}
	}
	ch := &changing{planner: p, plan: &plan, ids: map[string]bool{}}
	ch.all(s, placed, met)
	p.withoutPartner(&plan)
	plan.index(v)
	return plan
}

// Edits gives the edits that take the whole plan.
func (p Plan) Edits() []edit.Edit {
	out := make([]edit.Edit, len(p.Changes))
	for i, c := range p.Changes {
		out[i] = c.Edit
	}
	return out
}
