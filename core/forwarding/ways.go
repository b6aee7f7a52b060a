package forwarding

import (
	"fmt"
	"maps"
	"slices"

	"vestpin/core/flow"
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
	legs      []leg      // the new forwards, from the router next to the device outwards
	keeps     []held     // the forwards of its own that stay
	needs     []held     // those of other services without which it would not be met
	carriedBy string     // the service whose forwards carry it
	exposed   []use      // the ports that it gets as what an exposed host gets
	through   []side     // where ports that are found later go to the exposed host
	bars      []string   // what others rely on, and would not get by this one
	preferred bool
	within    span.Set // where ports that are found later must lie, anywhere if empty
}

// leg is a forward to be made. Where free is set its outside ports are found later; all
// such legs of a way get the same ones. Where within is set its inside ports are those.
type leg struct {
	site.Forward
	free, within bool
	lines        int
}

// findWays gives the manners of meeting a wish, the plainest first, and those of leaving
// it shut.
func (p *planner) findWays(w *wish) {
	w.refusal = p.lookForWays(w)
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

// findOptions tells what each way costs and uses, once the ways of all are known.
func (p *planner) findOptions(w *wish) {
	for i := range w.ways {
		w.options = append(w.options, p.option(w, i))
	}
}

func (p *planner) lookForWays(w *wish) refusal {
	routers, why := reach.Route(p.v, w.Wish)
	if why != "" {
		return refusal{kind: noRoute, says: why}
	}
	want, ok := reach.Wanted(p.v, w.Wish, routers)
	if !ok {
		return refusal{kind: onlyInside, router: routers[len(routers)-1]}
	}
	if reach.Meets(p.v, w.Wish, routers, w.Service.Ports, p.firm(w, p.leads(nil))) {
		// What stays meets it: nothing is to be opened for it, at any price.
		for _, kept := range p.subsets(w, w.held) {
			if len(p.shadows) == 0 || reach.Meets(p.v, w.Wish, routers, w.Service.Ports, p.firm(w, p.leads(kept))) {
				w.ways = append(w.ways, way{keeps: kept, preferred: true})
			}
		}
		return refusal{}
	}
	if n, ok := p.v.Network(w.Interface.Network); ok && w.Interface.Pin != nil && !n.Subnet.Contains(w.Interface.Pin.Address) {
		return refusal{kind: offNetwork, says: fmt.Sprintf("%s is pinned at %s, which is not in %s", w.Device.Label(), w.Interface.Pin.Address, n.Subnet)}
	}
	for _, kept := range p.subsets(w, w.held) {
		leads := p.leads(kept)
		switch {
		case len(kept) > 0 && reach.Meets(p.v, w.Wish, routers, w.Service.Ports, p.firm(w, leads)):
			w.ways = append(w.ways, way{keeps: kept, preferred: p.isPreferred(w, routers, leads)})
		case reach.Meets(p.v, w.Wish, routers, w.Service.Ports, leads):
			for _, y := range p.yieldings(w, routers, want, leads) {
				w.ways = append(w.ways, way{keeps: kept, exposed: y.uses, preferred: y.preferred || w.Service.Open.Port != site.AnyPort})
			}
		}
	}
	p.byOthers(w, routers)
	if w.Interface.Pin == nil {
		return refusal{kind: notPinned}
	}
	t := &trail{planner: p, w: w, routers: routers, want: want}
	for _, held := range p.withAndWithout(w.held) {
		t.held, t.known = held, map[int][]lead{}
		t.all()
	}
	return t.refusal
}

// withAndWithout gives what a wish holds, and the same without what takes ports from forwards
// that stay, if any does.
func (p *planner) withAndWithout(list []held) [][]held {
	without := slices.DeleteFunc(slices.Clone(list), func(h held) bool {
		return slices.ContainsFunc(p.shadows, func(o held) bool { return o.ID == h.ID })
	})
	if len(without) == len(list) {
		return [][]held{list}
	}
	return [][]held{list, without}
}

// all looks for the ways with new forwards, the device answering where it does now or set
// anew.
func (t *trail) all() {
	w := t.w
	for i, setting := range append([]span.Ports{w.Service.Ports}, w.Service.CanSetTo...) {
		if i > 0 && (setting.Equal(w.Service.Ports) || t.answersOn(w, setting)) {
			continue
		}
		t.setting, t.set = setting, i > 0
		t.targets = targets(*w.Service.Open, setting)
		for t.moves = 0; t.moves <= mostMoves; t.moves++ {
			t.step(0, trailState{outside: setting})
		}
	}
}

// meetsOn reports whether a wish is met on one protocol, its device answering at some ports.
func (p *planner) meetsOn(w *wish, routers []site.Router, proto site.Protocol, ports span.Ports, leads func(string, reach.Goal) []reach.Span) bool {
	one := *w.Service
	one.Protocol = proto
	return reach.Meets(p.v, site.Wish{Device: w.Device, Interface: w.Interface, Service: &one}, routers, ports, leads)
}

// yielding is a way in which a wish is met as it is, though others could take ports from it:
// the outside ports that they must leave it, and whether it is where the wish prefers to be.
type yielding struct {
	uses      []use
	preferred bool
}

// track is ports of a device as they are led out, and what others must leave on the way.
type track struct {
	m    reach.Mapping
	uses []use
}

// mostYielding is how many such ways of a wish are looked at.
const mostYielding = 8

// yieldings gives the ways in which a wish is met by what leads give and others could take: at
// one distance from its own ports on each protocol, or, where none does alone, at all.
func (p *planner) yieldings(w *wish, routers []site.Router, want reach.Sources, leads func(string, reach.Goal) []reach.Span) []yielding {
	out := []yielding{{preferred: true}}
	for _, proto := range w.Service.Protocol.Each() {
		if p.meetsOn(w, routers, proto, w.Service.Ports, p.firm(w, leads)) {
			continue
		}
		byOffset := map[int64][]track{}
		var all []use
		for _, t := range p.tracks(w, routers, proto, want, leads) {
			offset := int64(t.m.Outside.Lo) - int64(t.m.Inside)
			byOffset[offset] = append(byOffset[offset], t)
			all = append(all, t.uses...)
		}
		var next []yielding
		for _, offset := range slices.Sorted(maps.Keys(byOffset)) {
			group := byOffset[offset]
			if !p.offsetDoes(w, offset) || !coveredBy(group, w.Service.Ports, want) {
				continue
			}
			var uses []use
			for _, t := range group {
				uses = append(uses, t.uses...)
			}
			for _, y := range out {
				if len(next) < mostYielding {
					next = append(next, yielding{slices.Concat(y.uses, uses), y.preferred && offset == preferredOffset(w)})
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

// offsetDoes reports whether a wish allows that its outside ports are so much higher.
func (p *planner) offsetDoes(w *wish, offset int64) bool {
	if exact, named := w.Service.Open.Exact(); named {
		return len(exact.Pieces()) > 1 || offset == int64(exact.At(0))-int64(w.Service.Ports.At(0))
	}
	return w.Service.Open.Port != site.SamePort || offset == 0
}

func preferredOffset(w *wish) int64 {
	if open := w.Service.Open; open.Port == site.AnyPort && !open.Prefer.IsZero() {
		return int64(open.Prefer.At(0)) - int64(w.Service.Ports.At(0))
	}
	return 0
}

// coveredBy reports whether tracks lead all ports out, each for all who are to reach it.
func coveredBy(group []track, ports span.Ports, want reach.Sources) bool {
	var good []span.Run
	for _, t := range group {
		if t.m.Sources.Covers(want) {
			good = append(good, span.Run{Lo: t.m.Inside, Hi: t.m.Inside + uint32(t.m.Outside.Len()) - 1})
		}
	}
	return span.Of(good...).Covers(ports.Set())
}

// tracks leads the ports of a wish out, and notes what others could take of the way.
func (p *planner) tracks(w *wish, routers []site.Router, proto site.Protocol, want reach.Sources, leads func(string, reach.Goal) []reach.Span) []track {
	var now []track
	for _, r := range w.Service.Ports.Pieces() {
		now = append(now, track{m: reach.Mapping{Protocol: proto, Outside: r, Inside: r.Lo, Sources: reach.Anyone}})
	}
	goal := reach.At(w.Interface)
	for _, r := range routers {
		spans := leads(r.ID, goal)
		var next []track
		for _, t := range now {
			for _, l := range spans {
				in := span.Run{Lo: l.Inside, Hi: l.Inside + uint32(l.Ports.Len()) - 1}
				sources := t.m.Sources.Overlap(l.Sources)
				if l.Protocol != proto || !in.Touches(t.m.Outside) || sources.Overlap(want).Nobody() {
					continue
				}
				lo, hi := max(in.Lo, t.m.Outside.Lo), min(in.Hi, t.m.Outside.Hi)
				run := span.Run{Lo: l.Ports.Lo + lo - in.Lo, Hi: l.Ports.Lo + hi - in.Lo}
				one := track{reach.Mapping{Protocol: proto, Outside: run, Inside: t.m.Inside + lo - t.m.Outside.Lo, Sources: sources}, t.uses}
				if p.yields(w, r.ID, l) {
					one.uses = append(slices.Clip(t.uses), use{side{r.ID, proto}, claim{run: run, who: want, reads: true, lands: landingOf(l)}})
				}
				next = append(next, one)
			}
		}
		now, goal = next, reach.Behind(r)
	}
	return now
}

// byOthers looks whether forwards of other services that may be kept meet a wish.
func (p *planner) byOthers(w *wish, routers []site.Router) {
	if slices.ContainsFunc(w.ways, func(wy way) bool { return len(wy.exposed) == 0 }) {
		return
	}
	var others []held
	goal := reach.At(w.Interface)
	for _, r := range routers {
		for _, h := range p.heldAt[r.ID] {
			if h.Service != w.Service.ID && slices.ContainsFunc(h.spans, func(s reach.Span) bool { return s.Leads(goal) }) {
				others = append(others, h)
			}
		}
		goal = reach.Behind(r)
	}
	met := func(others []held) bool {
		return reach.Meets(p.v, w.Wish, routers, w.Service.Ports, p.firm(w, p.leads(append(slices.Clone(others), w.held...))))
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
	does := make([]int, len(by.ways)) // 0 it does not carry it, 1 it does, 2 where it prefers to be
	some := [3]bool{}
	for i, wy := range by.ways {
		if wy.out || len(wy.legs)+len(wy.keeps) == 0 || !wy.setTo.IsZero() {
			continue
		}
		leads := p.leadsOf(by, wy)
		if len(wy.exposed)+len(wy.through) > 0 {
			leads = p.withExposed(by, wy)
		}
		if !reach.Meets(p.v, w.Wish, routers, w.Service.Ports, leads) {
			continue
		}
		if does[i] = 1; p.isPreferred(w, routers, leads) {
			does[i] = 2
		}
		some[does[i]] = true
	}
	for level := 1; level <= 2; level++ {
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
			w.ways = append(w.ways, way{keeps: kept, carriedBy: by.Service.ID, bars: []string{name}, preferred: level == 2})
		}
	}
}

// leadsOf gives what leads where at each router by what stays, and by a way.
func (p *planner) leadsOf(w *wish, wy way) func(router string, goal reach.Goal) []reach.Span {
	return p.leadsWith(p.firm(w, p.leads(wy.keeps)), wy)
}

// withExposed is leadsOf with what exposed hosts get.
func (p *planner) withExposed(w *wish, wy way) func(router string, goal reach.Goal) []reach.Span {
	return p.leadsWith(p.leads(wy.keeps), wy)
}

func (p *planner) leadsWith(base func(string, reach.Goal) []reach.Span, wy way) func(router string, goal reach.Goal) []reach.Span {
	made := map[string][]reach.Span{}
	for _, l := range wy.legs {
		made[l.Router] = append(made[l.Router], reach.Leads(p.v, l.Forward)...)
	}
	return func(router string, goal reach.Goal) []reach.Span {
		out := base(router, goal)
		for _, s := range made[router] {
			if s.Leads(goal) {
				out = append(out, s)
			}
		}
		return out
	}
}

// mostOthers is among how many forwards of other services is looked.
const mostOthers = 64

// answersOn reports whether the device already answers on some of the ports.
func (p *planner) answersOn(w *wish, ports span.Ports) bool {
	return slices.ContainsFunc(w.Device.Services, func(s site.Service) bool {
		return s.ID != w.Service.ID && s.Interface == w.Interface.ID && s.Protocol.Meets(w.Service.Protocol) && !s.Ports.Set().Overlap(ports.Set()).Empty()
	})
}

// isPreferred reports whether a wish is met where it prefers to be.
func (p *planner) isPreferred(w *wish, routers []site.Router, leads func(string, reach.Goal) []reach.Span) bool {
	if w.Service.Open.Port != site.AnyPort {
		return true
	}
	as := *w.Service.Open
	if as.Port = site.SamePort; !as.Prefer.IsZero() {
		as.Port = as.Prefer.String()
	}
	s := *w.Service
	s.Open = &as
	return reach.Meets(p.v, site.Wish{Device: w.Device, Interface: w.Interface, Service: &s}, routers, w.Service.Ports, leads)
}

// clash reports whether two forwards cannot stay together.
func (p *planner) clash(a, b held) bool {
	return a.Router == b.Router && reach.Clash(p.pages[a.Router].LimitsSenders(), a.Forward, b.Forward)
}

// mostHeld is of how many forwards that a wish holds all subsets are looked at.
const mostHeld = 5

// subsets gives the subsets of what a wish holds that can stay together, the largest
// first: all of them where it holds few, else a first that fits, each one, and none.
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
				if slices.ContainsFunc(s, func(h held) bool { return p.clash(h, list[i]) }) {
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
		if !slices.ContainsFunc(first, func(o held) bool { return p.clash(h, o) }) {
			first = append(first, h)
		}
	}
	out = append(out, first)
	for i := range list {
		out = append(out, list[i:i+1])
	}
	return append(out, nil)
}

// targets gives the outside ports that a wish could be renumbered to.
func targets(open site.Open, setting span.Ports) []span.Ports {
	if exact, ok := open.Exact(); ok {
		return []span.Ports{exact}
	}
	if open.Port == site.AnyPort && !open.Prefer.IsZero() {
		return []span.Ports{open.Prefer, setting}
	}
	return []span.Ports{setting}
}

// trail is the way from a device outwards, as far as it is found.
type trail struct {
	*planner
	w       *wish
	known   map[int][]lead // by the place of a router: what leads on there
	held    []held         // of what the wish holds what may be kept here
	routers []site.Router
	setting span.Ports
	set     bool // the device is set to it
	targets []span.Ports
	moves   int // how many routers are to renumber
	want    reach.Sources
	refusal refusal
}

type trailState struct {
	outside span.Ports // at the last router, where it is not free
	free    bool       // it is found later
	was     bool       // it was free somewhere
	within  span.Set   // where what is found later must lie, anywhere if empty
	split   bool       // the protocols have different outside ports
	moves   int
	legs    []leg
	keeps   []held
	exposed []use
	through []side
}

// mostMoves is at how many routers of a way ports are renumbered.
const mostMoves = 2

// step goes on at a router: with forwards that are there, the same ports, other ones
// that would do, or free ones.
func (t *trail) step(i int, at trailState) {
	if len(t.w.ways) > mostWays {
		t.w.capped = true
		return
	}
	if at.moves > t.moves {
		return
	}
	if i == len(t.routers) {
		t.end(at)
		return
	}
	all := t.w.Service.Protocol
	if at.free {
		t.through(i, at)
	} else {
		for _, k := range t.existing(i, at.outside, all.Each()) {
			t.step(i+1, at.over(k))
		}
		if all == site.Both {
			t.oneProtocol(i, at, site.TCP, site.UDP)
			t.oneProtocol(i, at, site.UDP, site.TCP)
		}
	}
	t.leg(i, at, at, all)
	if at.moves == t.moves {
		return
	}
	for _, o := range append(slices.Clip(t.targets), t.offered(i)...) {
		if at.free || !o.Equal(at.outside) {
			next := at
			next.outside, next.free = o, false
			t.leg(i, at, next, all)
		}
	}
	if !at.was {
		next := at
		next.free, next.was = true, true
		t.leg(i, at, next, all)
	}
}

// oneProtocol goes on where a forward is there for one protocol, with one for the other:
// at the same ports, or outermost, where any will do, at others.
func (t *trail) oneProtocol(i int, at trailState, has, lacks site.Protocol) {
	for _, k := range t.existing(i, at.outside, []site.Protocol{has}) {
		next := at.over(k)
		t.leg(i, at, next, lacks)
		if i+1 < len(t.routers) || t.w.Service.Open.Port != site.AnyPort {
			continue
		}
		next.split = true
		for _, o := range append(slices.Clip(t.targets), at.outside) {
			if !o.Equal(k.outside) {
				next.outside = o
				t.leg(i, at, next, lacks)
			}
		}
		next.free, next.was = true, true
		t.leg(i, at, next, lacks)
	}
}

// What is taken for a forward of very many ports, through which free ones can go; of
// one with fewer, and of how many such, so many starts are tried.
const (
	wide       = 1024
	mostStarts = 16
)

// through goes on with ports that are found later, by a wide forward that is there and
// renumbers nothing.
func (t *trail) through(i int, at trailState) {
	for _, s := range t.leadsTo(i) {
		if s.Ports.Len() < wide || s.Ports.Lo != s.Inside || s.Protocol != t.w.Service.Protocol.Each()[0] {
			continue
		}
		k, ok := t.follow(t.routers[i].ID, t.leadsTo(i), s, t.w.Service.Protocol.Each(), span.PortList(s.Ports))
		if !ok || !k.outside.Equal(span.PortList(s.Ports)) {
			continue
		}
		next := at.over(k)
		if next.exposed = at.exposed; t.yields(t.w, t.routers[i].ID, s.Span) {
			for _, proto := range t.w.Service.Protocol.Each() {
				next.through = append(slices.Clip(next.through), side{t.routers[i].ID, proto})
			}
		}
		next.outside, next.within = span.Ports{}, span.Of(s.Ports)
		if !at.within.Empty() {
			next.within = next.within.Overlap(at.within)
		}
		t.step(i+1, next)
	}
}

// offered gives the outside ports that routers further out lead to already.
func (t *trail) offered(i int) []span.Ports {
	var out []span.Ports
	n := t.setting.Len()
	for i++; i < len(t.routers); i++ {
		for _, s := range t.leadsTo(i) {
			if !t.w.Service.Protocol.Covers(s.Protocol) || s.Ports.Len() >= wide || s.Exposed {
				continue
			}
			for lo := s.Inside; lo+uint32(n)-1 < s.Inside+uint32(s.Ports.Len()); lo++ {
				p := span.PortList(span.Run{Lo: lo, Hi: lo + uint32(n) - 1})
				if slices.ContainsFunc(append(slices.Clip(t.targets), out...), p.Equal) {
					continue
				}
				if len(out) == mostStarts {
					t.w.capped = true
					return out
				}
				out = append(out, p)
			}
		}
	}
	return out
}

// lead is what leads on at a router for all who are to reach the wish: one span, or several
// to the same ports that do so together.
type lead struct {
	reach.Span
	parts []reach.Span
}

// leadsTo gives what leads on at a router for all who are to reach the wish.
func (t *trail) leadsTo(i int) []lead {
	goal := reach.At(t.w.Interface)
	if i > 0 {
		goal = reach.Behind(t.routers[i-1])
	}
	if out, known := t.known[i]; known {
		return out
	}
	var out []lead
	some := map[string][]reach.Span{} // by protocol and offset: those for some of them
	for _, s := range t.leads(t.held)(t.routers[i].ID, goal) {
		switch {
		case s.Sources.Covers(t.want):
			out = append(out, lead{s, []reach.Span{s}})
		case !s.Sources.Overlap(t.want).Nobody():
			key := fmt.Sprint(s.Protocol, int64(s.Ports.Lo)-int64(s.Inside))
			some[key] = append(some[key], s)
		}
	}
	for _, key := range slices.Sorted(maps.Keys(some)) {
		out = append(out, t.together(some[key])...)
	}
	t.known[i] = out
	return out
}

// together joins spans of one protocol and offset where all who are to reach the wish are let
// in by one or another of them.
func (t *trail) together(spans []reach.Span) []lead {
	if len(spans) < 2 {
		return nil
	}
	var cuts []uint32
	for _, s := range spans {
		cuts = append(cuts, s.Ports.Lo, s.Ports.Hi+1)
	}
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	var out []lead
	for k := 0; k+1 < len(cuts); k++ {
		l := lead{}
		var sources []reach.Sources
		for _, s := range spans {
			if s.Ports.Contains(cuts[k]) {
				l.parts, sources = append(l.parts, s), append(sources, s.Sources)
			}
		}
		all := reach.AnyOf(sources)
		if len(l.parts) < 2 || !all.Covers(t.want) {
			continue
		}
		l.Span = l.parts[0]
		l.Inside += cuts[k] - l.Ports.Lo
		l.Sources, l.Ports = all, span.Run{Lo: cuts[k], Hi: cuts[k+1] - 1}
		out = append(out, l)
	}
	return out
}

// over goes on by forwards that are there.
func (at trailState) over(k existing) trailState {
	at.outside = k.outside
	at.exposed = append(slices.Clip(at.exposed), k.exposed...)
	for _, h := range k.by {
		if !slices.ContainsFunc(at.keeps, func(o held) bool { return o.ID == h.ID }) {
			at.keeps = append(slices.Clip(at.keeps), h)
		}
	}
	return at
}

// leg goes on with a new forward of a protocol, from the ports of one state to those of
// another.
func (t *trail) leg(i int, from, to trailState, proto site.Protocol) {
	r := &t.routers[i]
	goal := t.w.Interface.ID
	if i > 0 {
		goal = t.routers[i-1].WAN.Address.String()
	}
	l := leg{free: to.free, within: from.free, Forward: site.Forward{
		Name: t.w.Label(), Router: r.ID, Enabled: true, Protocol: proto,
		Outside: to.outside, To: goal, Inside: from.outside, From: t.w.Service.Open.From, Service: t.w.Service.ID,
	}}
	n := t.setting.Len()
	switch {
	case from.free && to.free: // the same, wherever that is
		l.Outside, l.Inside = apart(span.Ports{}, n), apart(span.Ports{}, n)
	case to.free:
		l.Outside = apart(from.outside, n)
	case from.free:
		l.Inside = apart(to.outside, n)
	}
	if from.free != to.free || !from.free && !from.outside.Equal(to.outside) {
		to.moves++
	}
	page := t.pages[r.ID]
	if to.free {
		page = page.Taking() // the ports that stand for those found later are none to be refused
	}
	lines, err := page.Count(l.Forward)
	if err != nil {
		why := refusal{kind: pageCannot, router: *r, says: err.Error()}
		if to.free || from.free {
			why = refusal{kind: cannotRenumber, router: *r, ports: t.setting}
		}
		t.refuse(why)
		return
	}
	if !to.free {
		if own, taken := reach.OwnPort(*r, l.Forward); taken {
			t.refuse(refusal{kind: routersOwn, router: *r, ports: own.Ports})
			return
		}
		if at, taken := t.holder(l.Forward, len(t.v.Forwards)); taken {
			why := refusal{kind: isTaken, router: *r, ports: to.outside}
			if at >= 0 {
				why.by = &t.v.Forwards[at]
			}
			t.refuse(why)
			return
		}
	}
	if to.free && !t.anyFree(r.ID, proto, n) {
		t.refuse(refusal{kind: noneFree, router: *r, ports: t.setting})
		return
	}
	l.lines = lines
	to.legs = append(slices.Clip(to.legs), l)
	t.step(i+1, to)
}

// anyFree reports whether a router has so many ports in a row that nothing takes which stays.
func (t *trail) anyFree(router string, proto site.Protocol, n int) bool {
	all := span.Of(span.Run{Lo: 1, Hi: 65535})
	for _, single := range proto.Each() {
		all = all.Minus(t.taken[side{router, single}].all)
	}
	_, ok := all.First(n)
	return ok
}

// refuse remembers the refusal that says most.
func (t *trail) refuse(why refusal) {
	if why.kind > t.refusal.kind {
		t.refusal = why
	}
}

// end enters a whole way, with each choice of what else the wish holds.
func (t *trail) end(at trailState) {
	if at.moves != t.moves || len(at.legs) == 0 && !t.set {
		return // looked at before or later, or met as it is
	}
	open := t.w.Service.Open
	want, named := open.Exact()
	wy := way{legs: at.legs, within: at.within, exposed: at.exposed, through: at.through}
	if t.set {
		wy.setTo = t.setting
	}
	switch {
	case named:
		wy.preferred = true
		if at.free || !at.outside.Equal(want) {
			return
		}
	case open.Port == site.SamePort:
		wy.preferred = true
		if at.free || !at.outside.Equal(t.setting) {
			return
		}
	case at.free:
	case open.Prefer.IsZero():
		wy.preferred = at.outside.Equal(t.setting)
	default:
		wy.preferred = at.outside.Equal(open.Prefer)
	}
	for i, h := range at.keeps {
		if slices.ContainsFunc(at.keeps[:i], func(o held) bool { return t.clash(o, h) }) || t.inTheWay(h, at.legs) {
			return
		}
	}
	wy.preferred = wy.preferred && !at.split
	var rest []held
	for _, h := range t.held {
		if !slices.ContainsFunc(at.keeps, func(o held) bool { return o.ID == h.ID }) && !t.inTheWay(h, at.legs) && t.leadsOn(h) && !slices.ContainsFunc(at.keeps, func(o held) bool { return t.clash(o, h) }) {
			rest = append(rest, h)
		}
	}
	for _, more := range t.subsets(t.w, rest) {
		wy.keeps = append(slices.Clone(at.keeps), more...)
		if t.opensTwice(wy) || t.limited() && !reach.Meets(t.v, t.w.Wish, t.routers, t.setting, t.withExposed(t.w, wy)) {
			continue
		}
		t.w.ways = append(t.w.ways, wy)
	}
}

// limited reports whether those who are to reach the wish come to its router as others than
// it names: hidden by a router on the way.
func (t *trail) limited() bool {
	return !t.want.Covers(reach.Allowed(t.w.Service.Open.From))
}

// opensTwice reports whether a way opens a protocol that what it keeps opens already. Nobody
// asked for a second door.
func (t *trail) opensTwice(wy way) bool {
	if len(wy.legs) == 0 {
		return false
	}
	var made []site.Protocol
	for _, l := range wy.legs {
		made = append(made, l.Protocol)
	}
	for _, proto := range t.alreadyOpen(wy.keeps) {
		if slices.ContainsFunc(made, func(p site.Protocol) bool { return p.Covers(proto) }) {
			return true
		}
	}
	return false
}

// alreadyOpen gives the protocols of the wish on which kept forwards meet it, its device
// answering at the ports that are looked at.
func (t *trail) alreadyOpen(kept []held) []site.Protocol {
	if len(kept) == 0 {
		return nil
	}
	var out []site.Protocol
	for _, proto := range t.w.Service.Protocol.Each() {
		if t.meetsOn(t.w, t.routers, proto, t.setting, t.firm(t.w, t.leads(kept))) {
			out = append(out, proto)
		}
	}
	return out
}

// leadsOn reports whether a forward leads further in, or to ports on which the device
// answers once it is set.
func (t *trail) leadsOn(h held) bool {
	return !h.spans[0].Leads(reach.At(t.w.Interface)) || !h.InsidePorts().Set().Overlap(t.setting.Set()).Empty()
}

// inTheWay reports whether a forward wants ports that a new one of the same wish has.
func (t *trail) inTheWay(h held, legs []leg) bool {
	return slices.ContainsFunc(legs, func(l leg) bool {
		return !l.free && l.Router == h.Router && reach.Clash(t.pages[h.Router].LimitsSenders(), l.Forward, h.Forward)
	})
}

// existing is outside ports at which forwards that are there lead on, in the order of
// the ports behind, and those of them that are of the wish.
type existing struct {
	outside span.Ports
	by      []held
	exposed []use
}

// existing finds how forwards that are there lead to ports at a router: on all of some
// protocols and for all who are to reach it, at the same outside ports.
func (t *trail) existing(i int, ports span.Ports, protocols []site.Protocol) []existing {
	spans := t.leadsTo(i)
	var out []existing
	for _, first := range spans {
		if _, ok := outsideOf(first, protocols[0], ports.At(0)); !ok {
			continue
		}
		e, ok := t.follow(t.routers[i].ID, spans, first, protocols, ports)
		if ok && !slices.ContainsFunc(out, func(o existing) bool { return o.outside.Equal(e.outside) && len(o.by) <= len(e.by) }) {
			out = append(out, e)
		}
	}
	return out
}

// outsideOf gives the outside port at which a span leads to an inside one.
func outsideOf(s lead, proto site.Protocol, inside uint32) (uint32, bool) {
	if s.Protocol != proto || inside < s.Inside || inside >= s.Inside+uint32(s.Ports.Len()) {
		return 0, false
	}
	return s.Ports.Lo + inside - s.Inside, true
}

// follow leads all ports out, along the forward of the first span where it goes on.
func (t *trail) follow(router string, spans []lead, first lead, protocols []site.Protocol, ports span.Ports) (existing, bool) {
	var e existing
	enter := func(s reach.Span, outside span.Run) {
		if t.yields(t.w, router, s) {
			e.exposed = append(e.exposed, use{side{router, s.Protocol}, claim{run: outside, who: t.want, reads: true, lands: landingOf(s)}})
		}
		if s.Exposed {
			return
		}
		k := slices.IndexFunc(t.w.held, func(h held) bool { return h.ID == s.Forward })
		if k >= 0 && !slices.ContainsFunc(e.by, func(h held) bool { return h.ID == s.Forward }) {
			e.by = append(e.by, t.w.held[k])
		}
	}
	var runs []span.Run
	for _, piece := range ports.Pieces() {
		for port := piece.Lo; port <= piece.Hi; {
			s, o, ok := chooseSpan(spans, first, protocols[0], port)
			if !ok {
				return e, false
			}
			n := min(piece.Hi-port, s.Inside+uint32(s.Ports.Len())-1-port) + 1
			used := slices.Clone(s.parts)
			for _, proto := range protocols[1:] {
				there := func(c lead) bool { x, ok := outsideOf(c, proto, port); return ok && x == o }
				k := slices.IndexFunc(spans, func(c lead) bool { return there(c) && c.Forward == s.Forward && c.Exposed == s.Exposed })
				if k < 0 {
					k = slices.IndexFunc(spans, there)
				}
				if k < 0 {
					return e, false
				}
				n = min(n, spans[k].Inside+uint32(spans[k].Ports.Len())-port)
				used = append(used, spans[k].parts...)
			}
			for _, s := range used {
				enter(s, span.Run{Lo: o, Hi: o + n - 1})
			}
			if last := len(runs) - 1; last >= 0 && runs[last].Hi+1 == o {
				runs[last].Hi += n
			} else {
				runs = append(runs, span.Run{Lo: o, Hi: o + n - 1})
			}
			port += n
		}
	}
	if span.Of(runs...).Len() != ports.Len() {
		return e, false // two ports behind one
	}
	e.outside = span.PortList(runs...)
	return e, true
}

// chooseSpan finds the span by which a port is led out: of the same forward as the
// first, else any.
func chooseSpan(spans []lead, first lead, proto site.Protocol, port uint32) (lead, uint32, bool) {
	best, out, found := lead{}, uint32(0), false
	for _, s := range spans {
		o, ok := outsideOf(s, proto, port)
		if !ok || found && best.Forward == first.Forward {
			continue
		}
		if !found || s.Forward == first.Forward {
			best, out, found = s, o, true
		}
	}
	return best, out, found
}

// apart stands for ports that are found later: as many, and other ones.
func apart(p span.Ports, n int) span.Ports {
	lo := uint32(1)
	if p.IsZero() || p.At(0) < 30000 {
		lo = uint32(65536 - n)
	}
	if n == 1 {
		return span.Port(int(lo))
	}
	return span.PortList(span.Run{Lo: lo, Hi: lo + uint32(n) - 1})
}

// option is a way as the search sees it, at the place of the way: what it costs, and what
// it uses.
type option struct {
	cost  flow.Cost
	uses  []use
	lines map[string]int // by router with a limit
}

// use is ports that only one may have: on the outside of a router or, where a device is
// set, on the device; or a forward that one needs and another would change.
type use struct {
	side
	claim
}

func (p *planner) option(w *wish, k int) option {
	wy := w.ways[k]
	o := option{lines: map[string]int{}}
	pr := price{out: wy.out, setTo: !wy.setTo.IsZero(), missed: !wy.preferred, changed: len(w.held) - len(wy.keeps)}
	spend := func(router string, n int) {
		pr.lines += n
		if _, limited := p.room[router]; limited {
			o.lines[router] += n
		}
	}
	claims := func(f site.Forward, spans []reach.Span) {
		for _, proto := range f.Protocol.Each() {
			who := reach.Anyone
			if p.pages[f.Router].LimitsSenders() {
				who = reach.Allowed(f.From)
			}
			for _, s := range spans {
				if s.Protocol == proto {
					o.uses = append(o.uses, use{side{f.Router, proto}, claim{run: s.Ports, who: who, lands: landingOf(s)}})
				}
			}
		}
	}
	for _, l := range wy.legs {
		spend(l.Router, l.lines)
		if !l.free {
			claims(l.Forward, reach.Leads(p.v, l.Forward))
		}
	}
	for _, h := range wy.keeps {
		spend(h.Router, h.lines)
		claims(h.Forward, h.spans)
	}
	if !wy.setTo.IsZero() {
		for _, proto := range w.Service.Protocol.Each() {
			for _, run := range wy.setTo.Runs() {
				o.uses = append(o.uses, use{side{"on " + w.Interface.ID, proto}, claim{run: run, who: reach.Anyone}})
			}
		}
	}
	need := func(service, forward string) {
		o.uses = append(o.uses, use{side{"needed by " + service, site.Protocol(forward)}, claim{run: span.Run{Lo: 1, Hi: 1}, who: reach.Anyone}})
	}
	for _, h := range wy.needs {
		need(w.Service.ID, h.ID)
	}
	for _, name := range wy.bars {
		need(name, "")
	}
	o.uses = append(o.uses, wy.exposed...)
	for _, h := range w.held {
		if !slices.ContainsFunc(wy.keeps, func(o held) bool { return o.ID == h.ID }) {
			for _, by := range p.neededBy[h.ID] {
				need(by, h.ID)
			}
		}
	}
	o.cost = p.levels.cost(w, pr)
	return o
}
