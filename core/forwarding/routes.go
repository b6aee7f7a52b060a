package forwarding

import (
	"fmt"
	"slices"

	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// route is how a wish is led out, as far as it is found: from the ports of the device, a hop
// through each router that is passed, the one next to the device first.
type route struct {
	device span.Ports
	hops   []hop
}

// hop is how a route passes a router: over what leads on there already, by a new forward, or
// each for one protocol; and where it is outside then.
type hop struct {
	reuse     *passage
	draft     *draft
	outside   reached
	renumbers bool
	split     bool // the protocols have different outside ports
}

// reached is known ports, or as many that are chosen after the search.
type reached struct {
	ports span.Ports
	later bool
}

// at is where a route is outside the last router.
func (r route) at() reached {
	if n := len(r.hops); n > 0 {
		return r.hops[n-1].outside
	}
	return reached{ports: r.device}
}

// through is the route with one more hop.
func (r route) through(h hop) route { return route{r.device, append(slices.Clip(r.hops), h)} }

// renumbered is at how many routers ports are renumbered.
func (r route) renumbered() int {
	n := 0
	for _, h := range r.hops {
		if h.renumbers {
			n++
		}
	}
	return n
}

// hasLater reports whether ports are chosen later at a hop.
func (r route) hasLater() bool {
	return slices.ContainsFunc(r.hops, func(h hop) bool { return h.outside.later })
}

// finder looks for the routes of a wish.
type finder struct {
	*planner
	w        *wish
	routers  []site.Router
	want     reach.Sources  // all who are to reach it
	protocol site.Protocol  // what is to be led out: all of the wish, or what is not led out yet
	base     base           // what leads the other protocol out
	held     []held         // of what the wish holds what may be kept here
	known    map[int][]lead // by the place of a router: what leads on there
	setting  span.Ports     // where the device answers
	set      bool           // it is set to that
	targets  []span.Ports   // to which outside ports could be renumbered
	most     int            // at so many routers ports are renumbered
	refusal  refusal

	placeholder span.Ports // for outside ports that are chosen later
}

// base is what leads one protocol of a wish out already: the forwards of the wish that stay for
// it, the ports that others must leave to it, and whether it is not where the wish prefers to be.
type base struct {
	keeps    []held
	yielding []use
	missed   bool
}

// meets reports whether the wish is met by what leads where.
func (f *finder) meets(leads reach.Lookup) bool {
	return reach.Meets(f.v, f.w.Wish, f.routers, f.w.Service.Ports, leads)
}

// meetsOn reports whether the wish is met on one protocol, its device answering where it is
// set to.
func (f *finder) meetsOn(proto site.Protocol, leads reach.Lookup) bool {
	return reach.Meets(f.v, only(f.w.Wish, proto), f.routers, f.setting, leads)
}

// only is a wish on one protocol.
func only(w site.Wish, proto site.Protocol) site.Wish {
	s := *w.Service
	s.Protocol, w.Service = proto, &s
	return w
}

// mostRenumbered is at how many routers of a way ports are renumbered.
const mostRenumbered = 2

// find enters the ways with new forwards, the device answering where it does now or set anew.
// Where one protocol is led out already, the other may go its own way.
func (f *finder) find() {
	for i, setting := range append([]span.Ports{f.w.Service.Ports}, f.w.Service.CanSetTo...) {
		if i > 0 && (setting.Equal(f.w.Service.Ports) || f.answersOn(f.w, setting)) {
			continue
		}
		f.setting, f.set = setting, i > 0
		f.targets = targets(*f.w.Service.Open, setting)
		f.routesOf(f.w.Service.Protocol)
		if f.w.Service.Protocol == site.Both && len(f.routers) > 1 {
			f.otherProtocol(site.TCP, site.UDP)
			f.otherProtocol(site.UDP, site.TCP)
		}
	}
}

func (f *finder) routesOf(protocol site.Protocol) {
	f.protocol, f.placeholder = protocol, f.freePlaceholder()
	for f.most = 0; f.most <= mostRenumbered; f.most++ {
		f.extend(route{device: f.setting})
	}
}

// otherProtocol looks for ways out for one protocol beside the fewest forwards that lead the
// other out.
func (f *finder) otherProtocol(has, lacks site.Protocol) {
	var enough [][]held
	for _, kept := range slices.Backward(f.subsets(f.w, f.held)) { // the smallest first
		needless := slices.ContainsFunc(enough, func(less []held) bool {
			return !slices.ContainsFunc(less, func(h held) bool { return !isOf(kept, h.ID) })
		})
		leads := f.leads(kept)
		if needless || !f.meetsOn(has, leads) || f.meetsOn(lacks, leads) {
			continue
		}
		enough = append(enough, kept)
		preferred := f.isPreferred(only(f.w.Wish, has), f.routers, f.setting, leads)
		for _, y := range f.yieldings([]site.Protocol{has}, leads) {
			f.base = base{kept, y.uses, !preferred || !y.preferred}
			f.routesOf(lacks)
		}
	}
	f.base = base{}
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

// answersOn reports whether the device already answers on some of the ports.
func (p *planner) answersOn(w *wish, ports span.Ports) bool {
	return slices.ContainsFunc(w.Device.Services, func(s site.Service) bool {
		return s.ID != w.Service.ID && s.Interface == w.Interface.ID && s.Protocol.Meets(w.Service.Protocol) && !s.Ports.Set().Overlap(ports.Set()).Empty()
	})
}

// extend goes on through the next router: over what leads on there, or by a new forward of the
// same ports, of others that would do, or of ports that are chosen later.
func (f *finder) extend(r route) {
	if len(f.w.ways) > mostWays {
		f.w.capped = true
		return
	}
	i, at, renumbered := len(r.hops), r.at(), r.renumbered()
	if renumbered > f.most {
		return
	}
	if i == len(f.routers) {
		f.end(r)
		return
	}
	if at.later {
		_, within := way{hops: r.hops}.passes()
		for _, g := range f.widePassages(i) {
			if !within.Empty() && within.Overlap(g.within).Empty() {
				continue // no port gets through both
			}
			f.extend(r.through(hop{reuse: &g, outside: at}))
		}
	} else {
		for _, g := range f.passages(i, at.ports, f.protocol.Each()) {
			f.extend(r.through(hop{reuse: &g, outside: reached{ports: g.outside}}))
		}
		if f.protocol == site.Both {
			f.half(r, site.TCP, site.UDP)
			f.half(r, site.UDP, site.TCP)
		}
	}
	f.add(r, hop{outside: at}, f.protocol)
	if renumbered == f.most {
		return
	}
	for _, ports := range append(slices.Clip(f.targets), f.offered(i)...) {
		if at.later || !ports.Equal(at.ports) {
			f.add(r, hop{outside: reached{ports: ports}}, f.protocol)
		}
	}
	if !r.hasLater() {
		f.add(r, hop{outside: reached{later: true}}, f.protocol)
	}
}

// half goes on where one protocol is led on, with a new forward for the other: at the same
// ports, or outermost, where any will do, at others.
func (f *finder) half(r route, has, lacks site.Protocol) {
	i, at := len(r.hops), r.at()
	for _, g := range f.passages(i, at.ports, []site.Protocol{has}) {
		f.add(r, hop{reuse: &g, outside: reached{ports: g.outside}}, lacks)
		if i+1 < len(f.routers) || f.w.Service.Open.Port != site.AnyPort {
			continue
		}
		for _, ports := range append(slices.Clip(f.targets), at.ports) {
			if !ports.Equal(g.outside) {
				f.add(r, hop{reuse: &g, outside: reached{ports: ports}, split: true}, lacks)
			}
		}
		f.add(r, hop{reuse: &g, outside: reached{later: true}, split: true}, lacks)
	}
}

// add goes on with a hop that makes a new forward for a protocol, or remembers why it cannot
// be made.
func (f *finder) add(r route, h hop, proto site.Protocol) {
	from, to := r.at(), h.outside
	router := &f.routers[len(r.hops)]
	d := f.draft(*router, r, to, proto)
	h.renumbers = from.later != to.later || !from.later && !from.ports.Equal(to.ports)
	var why refusal
	if d.lines, why = f.lines(*router, d); why.kind == noReason && !to.later {
		why = f.obstacle(*router, d.Forward)
	} else if why.kind == noReason && !f.anyFree(router.ID, d.Protocol) {
		why = refusal{kind: noneFree, router: *router, ports: f.setting}
	}
	if why.kind != noReason {
		f.refuse(why)
		return
	}
	h.draft = &d
	f.extend(r.through(h))
}

// draft makes the forward that leads a route out at the next router.
func (f *finder) draft(router site.Router, r route, to reached, proto site.Protocol) draft {
	goal := f.w.Interface.ID
	if n := len(r.hops); n > 0 {
		goal = f.routers[n-1].WAN.Address.String()
	}
	from := r.at()
	d := draft{later: to.later, insideLater: from.later, Forward: site.Forward{
		ID: "draft at " + router.ID, Name: f.w.Label(), Router: router.ID, Enabled: true, Protocol: f.pages[router.ID].Carrying(proto),
		Outside: to.ports, To: goal, Inside: from.ports, From: f.w.Service.Open.From, Service: f.w.Service.ID,
	}}
	if len(f.routers) > 1 && !f.pages[router.ID].Limits(d.From) {
		d.wide, d.From = !reach.Allowed(d.From).Covers(reach.Anyone), nil
	}
	if to.later {
		d.Outside = f.placeholder
	}
	if from.later {
		d.Inside = f.placeholder
	}
	return d
}

// freePlaceholder gives ports that stand in for outside ports chosen after the search: as many
// as the device has, and none that a route could be at.
func (f *finder) freePlaceholder() span.Ports {
	n := uint32(f.setting.Len())
	known := f.setting.Set()
	for _, ports := range f.targets {
		known = known.Union(ports.Set())
	}
	for i := range f.routers {
		for _, l := range f.leadsTo(i) {
			if l.Ports.Len() < wide {
				known = known.Union(span.Of(l.Ports, span.Run{Lo: l.Inside, Hi: l.Inside + uint32(l.Ports.Len()) - 1}))
			}
		}
	}
	run, ok := span.Of(span.Run{Lo: 32768, Hi: 65535}).Minus(known).First(int(n))
	if !ok {
		run = span.Run{Lo: 65536 - n, Hi: 65535}
	}
	return span.PortList(run)
}

// lines counts the entries that a new forward takes, or says why its page has no way for it.
func (f *finder) lines(router site.Router, d draft) (int, refusal) {
	page := f.pages[router.ID]
	if d.later {
		page = page.Taking() // a placeholder is not refused
	}
	n, err := page.Count(d.Forward)
	switch {
	case err == nil:
		return n, refusal{}
	case d.later || d.insideLater:
		return 0, refusal{kind: cannotRenumber, router: router, ports: f.setting}
	}
	return 0, refusal{kind: pageCannot, router: router, says: err.Error()}
}

// obstacle says why outside ports of a new forward are not to be had, if they are not.
func (f *finder) obstacle(router site.Router, made site.Forward) refusal {
	if own, taken := reach.OwnPort(router, made); taken {
		return refusal{kind: routersOwn, router: router, ports: own.Ports}
	}
	at, taken := f.holder(made, len(f.v.Forwards))
	if !taken {
		return refusal{}
	}
	why := refusal{kind: isTaken, router: router, ports: made.Outside}
	if at >= 0 {
		why.by = &f.v.Forwards[at]
	}
	return why
}

// anyFree reports whether a router has so many ports in a row that nothing takes which stays.
func (f *finder) anyFree(router string, proto site.Protocol) bool {
	all := span.Of(span.Run{Lo: 1, Hi: 65535})
	for _, single := range proto.Each() {
		all = all.Minus(f.taken[side{router, single}].all)
	}
	_, ok := all.First(f.setting.Len())
	return ok
}

// refuse remembers the refusal that says most.
func (f *finder) refuse(why refusal) {
	if why.kind > f.refusal.kind {
		f.refusal = why
	}
}

// unguarded finds a new forward that lets everybody in, since its page cannot limit that, and
// over which, by whatever leads to it, somebody gets in who is not to reach the wish: from
// outside, or by a router in front that sends all other ports on.
func (f *finder) unguarded(drafts []draft, leads reach.Lookup) (draft, bool) {
	allowed := reach.Allowed(f.w.Service.Open.From)
	for _, d := range drafts {
		for i := range f.routers {
			if !d.wide || i+1 < len(f.routers) && !f.exposes(i+1) {
				continue
			}
			for _, proto := range d.Protocol.Each() {
				for _, m := range reach.Back(f.routers[:i+1], reach.At(f.w.Interface), proto, f.setting, leads) {
					if slices.Contains(m.Via, d.ID) && !allowed.Covers(m.Sources) {
						return d, true
					}
				}
			}
		}
	}
	return draft{}, false
}

// exposes reports whether a router of the way sends all other ports on to the one behind it.
func (f *finder) exposes(i int) bool {
	r := f.routers[i]
	address, _ := f.v.TargetOf(r.ID, r.ExposedHost)
	inner, ok := reach.Inner(f.v, r.ID, address)
	return r.ExposedHost != "" && ok && inner.ID == f.routers[i-1].ID
}

// shunned gives the ports that a wide draft must not choose later: those to which a router in
// front leads somebody who is not to reach the wish.
func (f *finder) shunned(r route) span.Set {
	var runs []span.Run
	allowed := reach.Allowed(f.w.Service.Open.From)
	for i, h := range r.hops[:len(r.hops)-1] {
		if h.draft == nil || !h.draft.wide || !h.draft.later {
			continue
		}
		for _, s := range f.leads(f.held)(f.routers[i+1].ID, reach.Behind(f.routers[i])) {
			if !allowed.Covers(s.Sources) && s.Ports.Len() < wide { // through wide ones it is seen at once
				runs = append(runs, span.Run{Lo: s.Inside, Hi: s.Inside + uint32(s.Ports.Len()) - 1})
			}
		}
	}
	return span.Of(runs...)
}

// refuseWide remembers that the page of a router cannot limit who gets in.
func (f *finder) refuseWide(d draft) {
	router, _ := f.v.Router(d.Router)
	d.From = f.w.Service.Open.From
	_, err := f.pages[d.Router].Count(d.Forward)
	f.refuse(refusal{kind: nobodyLimits, router: router, says: err.Error()})
}

// end enters the ways that a whole route makes, with each choice of what else the wish holds.
func (f *finder) end(r route) {
	wy := way{hops: r.hops, yielding: f.base.yielding, shuns: f.shunned(r)}
	if r.renumbered() != f.most || len(wy.drafts()) == 0 && !f.set {
		return // looked at before or later, or met as it is
	}
	if f.set {
		wy.setTo = f.setting
	}
	var allowed bool
	if allowed, wy.preferred = f.allowsAt(r); !allowed {
		return
	}
	wy.preferred = wy.preferred && !f.base.missed
	kept := f.base.keeps
	for _, h := range r.hops {
		if h.reuse == nil {
			continue
		}
		for _, o := range h.reuse.by {
			if !isOf(kept, o.ID) {
				kept = append(slices.Clip(kept), o)
			}
		}
		wy.yielding = append(slices.Clip(wy.yielding), h.reuse.yielding...)
	}
	drafts := wy.drafts()
	for i, h := range kept {
		if f.clashesWithAny(h, kept[:i]) || f.inTheWay(h, drafts) {
			return
		}
	}
	rest := slices.DeleteFunc(slices.Clone(f.held), func(h held) bool {
		return isOf(kept, h.ID) || f.inTheWay(h, drafts) || !f.leadsOn(h) || f.clashesWithAny(h, kept)
	})
	plain := !f.limited() && !slices.ContainsFunc(drafts, func(d draft) bool { return d.wide })
	for _, more := range f.subsets(f.w, rest) {
		wy.keeps = slices.Concat(kept, more)
		if plain {
			if !f.opensTwice(wy) {
				f.w.ways = append(f.w.ways, wy)
			}
			continue
		}
		leads := f.withDrafts(f.leads(wy.keeps), wy)
		if wide, open := f.unguarded(drafts, leads); open {
			f.refuseWide(wide)
			continue
		}
		if f.opensTwice(wy) {
			continue
		}
		if f.limited() && !reach.Meets(f.v, f.w.Wish, f.routers, f.setting, leads) {
			f.refuse(f.hidden())
			continue
		}
		f.w.ways = append(f.w.ways, wy)
	}
}

// allowsAt reports whether a wish may be reached where a route ends, and whether it prefers to.
func (f *finder) allowsAt(r route) (allowed, preferred bool) {
	open, at := f.w.Service.Open, r.at()
	is := func(ports span.Ports) bool { return !at.later && at.ports.Equal(ports) }
	exact, named := open.Exact()
	split := slices.ContainsFunc(r.hops, func(h hop) bool { return h.split })
	switch {
	case named:
		return is(exact), !split
	case open.Port == site.SamePort:
		return is(f.setting), !split
	case open.Prefer.IsZero():
		return true, is(f.setting) && !split
	}
	return true, is(open.Prefer) && !split
}

// limited reports whether those who are to reach the wish come to its router as others than
// it names: hidden by a router on the way.
func (f *finder) limited() bool { return !f.want.Covers(reach.Allowed(f.w.Service.Open.From)) }

// hidden says as whom those who are to reach the wish come to its router.
func (f *finder) hidden() refusal {
	allowed := reach.Allowed(f.w.Service.Open.From)
	for _, r := range f.routers {
		if a := r.WAN.Address; a.IsValid() && f.want.Has(a) && !allowed.Has(a) {
			return refusal{kind: hiddenSources, router: f.routers[len(f.routers)-1], says: fmt.Sprintf("%s (%s)", a, r.Label())}
		}
	}
	return refusal{kind: hiddenSources, router: f.routers[len(f.routers)-1], says: "another address"}
}

// opensTwice reports whether a way opens a protocol that what it keeps opens already. Nobody
// asked for a second door.
func (f *finder) opensTwice(wy way) bool {
	drafts := wy.drafts()
	if len(drafts) == 0 || len(wy.keeps) == 0 {
		return false
	}
	return slices.ContainsFunc(f.protocol.Each(), func(proto site.Protocol) bool {
		makes := slices.ContainsFunc(drafts, func(d draft) bool { return d.Protocol.Covers(proto) })
		return makes && f.meetsOn(proto, f.leads(wy.keeps))
	})
}

// leadsOn reports whether a forward leads further in, or to ports on which the device
// answers once it is set.
func (f *finder) leadsOn(h held) bool {
	return !h.spans[0].Leads(reach.At(f.w.Interface)) || !h.InsidePorts().Set().Overlap(f.setting.Set()).Empty()
}

// inTheWay reports whether a forward wants ports that a new one of the same wish has.
func (f *finder) inTheWay(h held, drafts []draft) bool {
	return slices.ContainsFunc(drafts, func(d draft) bool {
		return !d.later && d.Router == h.Router && reach.Clash(f.pages[h.Router].LimitsSenders(), d.Forward, h.Forward)
	})
}
