package forwarding

import (
	"fmt"
	"slices"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// withoutPartner removes what the plan would leave on inner routers although nothing leads to
// it any more, which something did, and no wish needs it.
func (p *planner) withoutPartner(plan *Plan) {
	if !slices.ContainsFunc(p.v.Routers, func(r site.Router) bool { return r.Upstream != "" }) || len(plan.Changes) == 0 {
		return
	}
	before := reach.Of(p.v)
	next, err := p.takenBy(plan)
	for err == nil && !p.v.Stopped() {
		after := reach.Of(next)
		i := slices.IndexFunc(next.Forwards, func(f site.Forward) bool {
			return f.Enabled && !p.stays[f.ID] && f.Service != "" && led(before, p.v, f) && !led(after, next, f)
		})
		if i < 0 {
			return
		}
		f := next.Forwards[i]
		s := next.Site
		s.Forwards = slices.Delete(slices.Clone(s.Forwards), i, i+1)
		without := p.v.With(s)
		m := reach.Of(without)
		if slices.ContainsFunc(next.Wishes(), func(w site.Wish) bool {
			now, ok := without.Service(w.Service.ID)
			return ok && after.Met(w) && !m.Met(now)
		}) {
			return
		}
		plan.Changes = append(plan.Changes, edit.Change{Edit: edit.RemoveForward{ID: f.ID}, Why: fmt.Sprintf("Nothing leads to %s any more, and it is not needed.", f.Outside)})
		plan.For = append(plan.For, f.Service)
		next = without
	}
}

// tellLost says at the changes of a plan which forwards that stay on inner routers get nothing
// any more since the plan is taken.
func (p *planner) tellLost(plan *Plan, now *reach.Map) {
	if len(plan.Changes) == 0 || !slices.ContainsFunc(p.v.Routers, func(r site.Router) bool { return r.Upstream != "" }) {
		return
	}
	next, err := p.takenBy(plan)
	if err != nil {
		return
	}
	after := reach.Of(next)
	for _, f := range p.v.Forwards {
		if !f.Enabled || !f.Locked && f.Service != "" || !led(now, p.v, f) || led(after, next, f) {
			continue
		}
		inner, _ := p.v.Router(f.Router)
		at := slices.IndexFunc(plan.deltas, func(d delta) bool { // what led there, else what came between
			return d.was != nil && d.router == inner.Upstream && d.was.To == inner.WAN.Address.String()
		})
		if at < 0 {
			at = max(0, slices.IndexFunc(plan.deltas, func(d delta) bool { return d.router == inner.Upstream }))
		}
		plan.Changes[at].Why += fmt.Sprintf(" Then the forward of %s at %s, which stays, gets nothing.", f.Outside, inner.Label())
	}
}

// takenBy is the site with a plan taken.
func (p *planner) takenBy(plan *Plan) (site.View, error) {
	next, _, err := edit.Apply(p.v.Site, plan.Edits())
	return p.v.With(next), err
}

// led reports whether all ports that a forward on an inner router gets are led to from the
// router in front, on all its protocols, or on one where its page knows no other lines; also
// where there is none in front.
func led(m *reach.Map, v site.View, f site.Forward) bool {
	r, _ := v.Router(f.Router)
	outer, ok := v.Router(r.Upstream)
	if !ok || !slices.ContainsFunc(v.Forwards, func(o site.Forward) bool { return o.ID == f.ID && o.Enabled }) {
		return true
	}
	some := false
	for _, proto := range f.Protocol.Each() {
		var gets, leads []span.Run
		for _, s := range m.Spans(r.ID, proto) {
			if s.Forward == f.ID {
				gets = append(gets, s.Ports)
			}
		}
		for _, s := range m.To(outer.ID, reach.Behind(r)) {
			if s.Protocol == proto {
				leads = append(leads, span.Run{Lo: s.Inside, Hi: s.Inside + uint32(s.Ports.Len()) - 1})
			}
		}
		whole := span.Of(leads...).Covers(span.Of(gets...))
		if some = some || whole; !whole && !form.Of(r.Form).OnlyBoth() {
			return false
		}
	}
	return some
}
