package forwarding

import (
	"slices"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/reach"
	"vestpin/core/site"
)

// index tells what each change does, for Of.
func (p *Plan) index(v site.View) {
	p.of, p.lines = map[string][]int{}, map[string]int{}
	pages := map[string]form.Page{}
	for _, r := range v.Routers {
		pages[r.ID] = form.Of(r.Form)
	}
	count := func(f *site.Forward) int {
		if f == nil {
			return 0
		}
		n, _ := pages[f.Router].Count(*f)
		return n
	}
	now := map[string]*site.Forward{}
	for i := range v.Forwards {
		if f := &v.Forwards[i]; f.Enabled {
			now[f.ID] = f
			p.lines[f.Router] += count(f)
		}
	}
	p.deltas, p.adds = make([]delta, len(p.Changes)), true
	for i, c := range p.Changes {
		d := &p.deltas[i]
		switch e := c.Edit.(type) {
		case edit.PutForward:
			d.was, d.is, d.router = now[e.Forward.ID], &e.Forward, e.Forward.Router
		case edit.RemoveForward:
			d.was = now[e.ID]
			d.router = d.was.Router
		}
		d.lines = count(d.is) - count(d.was)
		p.adds = p.adds && d.was == nil
		if p.For[i] != "" {
			p.of[p.For[i]] = append(p.of[p.For[i]], i)
		}
	}
}

// Of gives the edits that the plan makes for one service, and with them those for others
// without which they would bring a clash, or more lines than there are. The site must be
// the one that was planned.
func (p Plan) Of(v site.View, service string) []edit.Edit {
	a := &alone{Plan: p, v: v, in: map[int]bool{}}
	a.take(service)
	return a.edits()
}

// OnlyAdds reports whether the plan changes nothing that is there.
func (p Plan) OnlyAdds() bool { return p.adds }

// InTheWay gives the edits that the plan makes to forwards that are there, for whatever
// service, on the routers of the way of one.
func (p Plan) InTheWay(v site.View, w site.Wish) []edit.Edit {
	routers, _ := reach.Route(v, w)
	a := &alone{Plan: p, v: v, in: map[int]bool{}}
	a.take(w.Service.ID)
	for i, d := range p.deltas {
		if d.was != nil && slices.ContainsFunc(routers, func(r site.Router) bool { return r.ID == d.router }) {
			a.takeChange(i)
		}
	}
	return a.edits()
}

// edits gives what is taken, with what else must be.
func (a *alone) edits() []edit.Edit {
	for n := 0; n < len(a.in) && !a.adds; {
		n = len(a.in)
		a.clashing()
		if len(a.in) == n {
			a.overfull()
		}
	}
	var out []edit.Edit
	for _, i := range sorted(a.in) {
		out = append(out, a.Changes[i].Edit)
	}
	return out
}

func sorted(in map[int]bool) []int {
	out := make([]int, 0, len(in))
	for i := range in {
		out = append(out, i)
	}
	slices.Sort(out)
	return out
}

// alone is some changes of a plan that are taken without the others.
type alone struct {
	Plan
	v  site.View
	in map[int]bool
}

func (a *alone) take(service string) {
	for _, i := range a.of[service] {
		a.in[i] = true
	}
}

// takeChange takes a change, and with a forward that is moved all that is done for its
// service.
func (a *alone) takeChange(i int) {
	if a.in[i] = true; a.deltas[i].is != nil {
		a.take(a.For[i])
	}
}

// clashing takes in what the plan does with forwards that clash with those it makes.
func (a *alone) clashing() {
	for _, i := range sorted(a.in) {
		made := a.deltas[i].is
		if made == nil {
			continue
		}
		r, _ := a.v.Router(made.Router)
		limits := form.Of(r.Form).LimitsSenders()
		for k, d := range a.deltas {
			if d.was != nil && !a.in[k] && d.router == made.Router && reach.Clash(limits, *d.was, *made) {
				a.takeChange(k)
			}
		}
	}
}

// overfull takes in what the plan takes off a router that would have too many lines.
func (a *alone) overfull() {
	more := map[string]int{}
	for i := range a.in {
		more[a.deltas[i].router] += a.deltas[i].lines
	}
	for k, d := range a.deltas {
		r, ok := a.v.Router(d.router)
		if ok && !a.in[k] && d.lines < 0 && r.Form.Lines > 0 && more[r.ID] > 0 && a.lines[r.ID]+more[r.ID] > r.Form.Lines {
			more[r.ID] += d.lines
			a.takeChange(k)
		}
	}
}
