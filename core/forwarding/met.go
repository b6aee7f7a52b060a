package forwarding

import (
	"slices"

	"vestpin/core/site"
	"vestpin/core/span"
)

// Met reports whether every port of a wish is reached from where it is wanted,
// by whatever forwards, at the outside ports it asks for.
func Met(v site.View, w site.Wish) bool {
	p := &planner{v: v}
	routers, why := p.route(w)
	if why != "" {
		return false
	}
	for _, proto := range w.Service.Protocol.Each() {
		got := reach(v, w, routers, proto)
		if size(got) < w.Service.Ports.Len() || !asWanted(w, got) {
			return false
		}
	}
	return true
}

// asWanted reports whether the outside ports are those that the wish names.
func asWanted(w site.Wish, got []shift) bool {
	want, named := w.Service.Open.Exact()
	if w.Service.Open.Port == site.SamePort {
		want, named = w.Service.Ports, true
	}
	if !named {
		return true
	}
	for _, s := range stretches(w.Service.Ports, want) {
		for _, g := range got {
			if both, ok := overlap(s[0], g.from); ok && g.to+both.Lo-g.from.Lo != s[1].Lo+both.Lo-s[0].Lo {
				return false
			}
		}
	}
	return true
}

// shift is ports that lead to as many others, from To on.
type shift struct {
	from span.Run
	to   uint32
}

func size(list []shift) int {
	n := 0
	for _, s := range list {
		n += s.from.Len()
	}
	return n
}

// overlap is what two runs have in common, if anything.
func overlap(a, b span.Run) (span.Run, bool) {
	lo, hi := max(a.Lo, b.Lo), min(a.Hi, b.Hi)
	return span.Run{Lo: lo, Hi: hi}, lo <= hi
}

// reach gives, for runs of device ports, the outside ports of the last router that
// lead to them. Of several forwards to a port the last counts.
func reach(v site.View, w site.Wish, routers []*site.Router, proto site.Protocol) []shift {
	var now []shift
	for _, r := range w.Service.Ports.Pieces() {
		now = append(now, shift{r, r.Lo})
	}
	to := w.Interface.ID
	for _, r := range routers {
		var leads []shift
		for _, f := range v.ForwardsTo(r.ID, to) {
			if !f.Enabled || !f.Protocol.Covers(proto) || !site.SendersCover(f.From, w.Service.Open.From) {
				continue
			}
			for _, s := range stretches(f.Outside, f.InsidePorts()) {
				leads = append(leads, shift{s[1], s[0].Lo})
			}
		}
		now, to = through(now, leads), r.WAN.Address.String()
	}
	return now
}

// through leads the far ends of shifts on.
func through(now, leads []shift) []shift {
	var next []shift
	for _, s := range now {
		left := span.Of(span.Run{Lo: s.to, Hi: s.to + uint32(s.from.Len()) - 1})
		for _, l := range slices.Backward(leads) {
			for _, r := range left.Overlap(span.Of(l.from)).Runs() {
				lo := s.from.Lo + r.Lo - s.to
				next = append(next, shift{span.Run{Lo: lo, Hi: lo + uint32(r.Len()) - 1}, l.to + r.Lo - l.from.Lo})
			}
			if left = left.Minus(span.Of(l.from)); left.Empty() {
				break
			}
		}
	}
	return next
}

// SuggestOne gives the forwards that would meet one wish while everything else
// stays as it is.
func SuggestOne(v site.View, w site.Wish) Plan {
	if w.Service.Open == nil {
		return Plan{Proven: true}
	}
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
	p.wishes = []*wish{withoutWishes(v).wish(w)}
	chosen, proven := p.search(p.wishes, false)
	placed := p.place(chosen)
	if chosen[0] == nil || placed[0] == nil {
		return Plan{Unmet: []Unmet{p.unmet(p.wishes[0], chosen)}, Proven: proven}
	}
	return Plan{Changes: p.changesOfWishes(chosen, placed), Proven: proven}
}
