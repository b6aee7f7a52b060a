package forwarding

import (
	"vestpin/core/flow"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// option is a way as the search sees it, at the place of the way: what it costs, and what
// it uses.
type option struct {
	cost  flow.Cost
	uses  []use
	lines map[string]int // by router with a limit
}

// use is a claim to what only one wish may have.
type use struct {
	scope
	claim
}

// scope is where ports are claimed: at the outside of a router or on a device, on one
// protocol; or, all as one, a forward that wishes rely on.
type scope struct {
	kind  scopeKind
	id    string
	proto site.Protocol
}

type scopeKind int

const (
	outsideRouter scopeKind = iota
	onDevice
	reliedOn
)

func outsideOf(router string, proto site.Protocol) scope { return scope{outsideRouter, router, proto} }

// findOptions tells what each way costs and uses, once the ways of all are known.
func (p *planner) findOptions(w *wish) {
	for _, wy := range w.ways {
		w.options = append(w.options, p.option(w, wy))
	}
}

func (p *planner) option(w *wish, wy way) option {
	o := option{lines: map[string]int{}}
	pr := price{out: wy.out, setTo: !wy.setTo.IsZero(), missed: !wy.preferred, changed: len(w.held) - len(wy.keeps)}
	spend := func(router string, n int) {
		pr.lines += n
		if _, limited := p.room[router]; limited {
			o.lines[router] += n
		}
	}
	for _, d := range wy.drafts() {
		spend(d.Router, d.lines)
		if !d.later {
			o.uses = append(o.uses, p.claims(d.Forward, reach.Leads(p.v, d.Forward))...)
		}
	}
	for _, h := range wy.keeps {
		spend(h.Router, h.lines)
		o.uses = append(o.uses, p.claims(h.Forward, h.spans)...)
	}
	if !wy.setTo.IsZero() {
		for _, proto := range w.Service.Protocol.Each() {
			for _, run := range wy.setTo.Runs() {
				o.uses = append(o.uses, use{scope{onDevice, w.Interface.ID, proto}, claim{run: run, who: reach.Anyone}})
			}
		}
	}
	rely := func(by, forward string) {
		o.uses = append(o.uses, use{scope{reliedOn, by + " " + forward, ""}, claim{run: span.Run{Lo: 1, Hi: 1}, who: reach.Anyone}})
	}
	for _, h := range wy.needs {
		rely(w.Service.ID, h.ID)
	}
	for _, name := range wy.bars {
		rely(name, "")
	}
	o.uses = append(o.uses, wy.yielding...)
	for _, h := range w.held {
		if !isOf(wy.keeps, h.ID) {
			for _, by := range p.neededBy[h.ID] {
				rely(by, h.ID)
			}
		}
	}
	o.cost = p.levels.cost(w, pr)
	return o
}

// claims gives the uses of the outside ports of a forward.
func (p *planner) claims(f site.Forward, spans []reach.Span) []use {
	who := p.allowed(f)
	var out []use
	for _, s := range spans {
		out = append(out, use{outsideOf(f.Router, s.Protocol), claim{run: s.Ports, who: who, lands: landingOf(s)}})
	}
	return out
}

// allowed is who can reach a forward: where the page of its router cannot limit that, anyone.
func (p *planner) allowed(f site.Forward) reach.Sources {
	if p.pages[f.Router].LimitsSenders() {
		return reach.Allowed(f.From)
	}
	return reach.Anyone
}
