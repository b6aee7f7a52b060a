package forwarding

import (
	"maps"
	"slices"

	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// yields reports whether a forward of another wish could take ports of a span: what an exposed
// host gets, or what a forward gets that stays behind one that need not.
func (p *planner) yields(w *wish, router string, s reach.Span) bool {
	return s.Exposed || p.stays[s.Forward] && slices.ContainsFunc(p.shadows, func(h held) bool {
		return h.Router == router && h.Service != w.Service.ID && h.Protocol.Covers(s.Protocol) && h.Outside.Set().Touches(s.Ports)
	})
}

// firm is what leads give that no forward of another wish, kept or new, could take.
func (p *planner) firm(w *wish, leads reach.Lookup) reach.Lookup {
	return func(router string, goal reach.Goal) []reach.Span {
		spans := leads(router, goal)
		yields := func(s reach.Span) bool { return p.yields(w, router, s) }
		if !slices.ContainsFunc(spans, yields) {
			return spans
		}
		return slices.DeleteFunc(slices.Clone(spans), yields)
	}
}

// yielding is a way in which a wish is met as it is, though others could take ports from it:
// the outside ports that they must leave it, and whether it is where the wish prefers to be.
type yielding struct {
	uses      []use
	preferred bool
}

// track is ports of a device as they are led out, and what others must leave on the way.
type track struct {
	reach.Mapping
	uses []use
}

// mostYielding is how many such ways of a wish are looked at.
const mostYielding = 8

// yieldings gives the ways in which a wish is met on some protocols by what leads give and
// others could take: at one distance from its own ports on each protocol, or, where none does
// alone, at all.
func (f *finder) yieldings(protocols []site.Protocol, leads reach.Lookup) []yielding {
	out := []yielding{{preferred: true}}
	for _, proto := range protocols {
		if f.meetsOn(proto, f.firm(f.w, leads)) {
			continue
		}
		byOffset := map[int64][]track{}
		var all []use
		for _, t := range f.tracks(proto, leads) {
			byOffset[t.Offset()] = append(byOffset[t.Offset()], t)
			all = append(all, t.uses...)
		}
		var next []yielding
		for _, offset := range slices.Sorted(maps.Keys(byOffset)) {
			group := byOffset[offset]
			if !f.allows(offset) || !f.cover(group) {
				continue
			}
			var uses []use
			for _, t := range group {
				uses = append(uses, t.uses...)
			}
			for _, y := range out {
				if len(next) < mostYielding {
					next = append(next, yielding{slices.Concat(y.uses, uses), y.preferred && offset == f.preferredOffset()})
				}
			}
		}
		if len(next) == 0 { // only several together do
			for _, y := range out {
				next = append(next, yielding{slices.Concat(y.uses, all), false})
			}
		}
		out = next
	}
	return out
}

// allows reports whether a wish allows that its outside ports are so much higher.
func (f *finder) allows(offset int64) bool {
	if exact, named := f.w.Service.Open.Exact(); named {
		return len(exact.Pieces()) > 1 || offset == int64(exact.At(0))-int64(f.setting.At(0))
	}
	return f.w.Service.Open.Port != site.SamePort || offset == 0
}

func (f *finder) preferredOffset() int64 {
	if open := f.w.Service.Open; open.Port == site.AnyPort && !open.Prefer.IsZero() {
		return int64(open.Prefer.At(0)) - int64(f.setting.At(0))
	}
	return 0
}

// cover reports whether tracks lead all ports out, each for all who are to reach it.
func (f *finder) cover(group []track) bool {
	var good []span.Run
	for _, t := range group {
		if t.Sources.Covers(f.want) {
			good = append(good, t.Device())
		}
	}
	return span.Of(good...).Covers(f.setting.Set())
}

// tracks leads the ports of a wish out, and notes what others could take on the way.
func (f *finder) tracks(proto site.Protocol, leads reach.Lookup) []track {
	var now []track
	for _, m := range reach.Straight(proto, f.setting) {
		now = append(now, track{Mapping: m})
	}
	goal := reach.At(f.w.Interface)
	for _, r := range f.routers {
		spans := leads(r.ID, goal)
		var next []track
		for _, t := range now {
			for _, s := range spans {
				m, ok := t.Through(s)
				if !ok || m.Sources.Overlap(f.want).Nobody() {
					continue
				}
				one := track{m, t.uses}
				if f.yields(f.w, r.ID, s) {
					one.uses = append(slices.Clip(t.uses), f.reads(r.ID, s, m.Outside))
				}
				next = append(next, one)
			}
		}
		now, goal = next, reach.Behind(r)
	}
	return now
}

// reads is the use of ports that a wish gets as long as no other takes them.
func (f *finder) reads(router string, s reach.Span, outside span.Run) use {
	return use{outsideOf(router, s.Protocol), claim{run: outside, who: f.want, reads: true, lands: landingOf(s)}}
}
