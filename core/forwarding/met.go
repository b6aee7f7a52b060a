package forwarding

import (
	"vestpin/core/site"
)

// Met reports whether every port of a wish is reached from where it is wanted,
// by whatever forwards, at the outside ports it asks for.
func Met(v site.View, w site.Wish) bool {
	p := &planner{v: v}
	routers, why := p.route(w)
	if why != "" {
		return false
	}
	exact, named := w.Service.Open.Exact()
	for _, proto := range w.Service.Protocol.Each() {
		outside := reach(v, w, routers, proto)
		for k := range w.Service.Ports.Len() {
			port := w.Service.Ports.At(k)
			got, ok := outside[port]
			if !ok || (named && got != exact.At(k)) || (w.Service.Open.Port == site.SamePort && got != port) {
				return false
			}
		}
	}
	return true
}

// reach gives, by device port, the outside port of the last router that leads to it.
func reach(v site.View, w site.Wish, routers []*site.Router, proto site.Protocol) map[uint32]uint32 {
	now := map[uint32]uint32{}
	for k := range w.Service.Ports.Len() {
		now[w.Service.Ports.At(k)] = w.Service.Ports.At(k)
	}
	to := w.Interface.ID
	for _, r := range routers {
		leads := map[uint32]uint32{}
		for _, f := range v.ForwardsTo(r.ID, to) {
			if !f.Enabled || !f.Protocol.Covers(proto) || !site.SendersCover(f.From, w.Service.Open.From) {
				continue
			}
			inside := f.InsidePorts()
			for k := range f.Outside.Len() {
				leads[inside.At(k)] = f.Outside.At(k)
			}
		}
		next := map[uint32]uint32{}
		for port, x := range now {
			if y, ok := leads[x]; ok {
				next[port] = y
			}
		}
		now, to = next, r.WAN.Address.String()
	}
	return now
}

// SuggestOne gives the forwards that would meet one wish while everything else
// stays as it is.
func SuggestOne(v site.View, w site.Wish) Plan {
	whole := newPlanner(v)
	p := &planner{v: v, room: map[string]int{}}
	for _, f := range v.Forwards {
		if f.Enabled && (f.Locked || f.Service != w.Service.ID) {
			p.fixed = append(p.fixed, f)
		}
	}
	for _, r := range v.Routers {
		if r.Form.Lines > 0 {
			p.room[r.ID] = r.Form.Lines - p.linesOf(r)
		}
	}
	for _, o := range whole.wishes {
		if o.Service.ID == w.Service.ID {
			p.wishes = []*wish{o}
		}
	}
	if p.wishes == nil {
		return Plan{Proven: true}
	}
	chosen, proven := p.search(p.wishes, false)
	placed := p.place(chosen)
	if chosen[0] == nil || placed[0] == nil {
		return Plan{Unmet: []Unmet{p.unmet(p.wishes[0], chosen)}, Proven: proven}
	}
	return Plan{Changes: p.changesOfWishes(chosen, placed), Proven: proven}
}
