package reach

import (
	"fmt"
	"net/netip"

	"vestpin/core/site"
	"vestpin/core/span"
)

// Treated is what one router does with packets: their fate there, and where they are sent.
// Inside are the ports at which they arrive.
type Treated struct {
	Fate    string     `json:"fate" enum:"forwarded,dropped,router"`
	Address netip.Addr `json:"address,omitzero"`
	Inside  span.Ports `json:"inside,omitzero"`
	Exposed bool       `json:"exposedHost,omitempty" doc:"Since nothing else takes them, they go to the exposed host"`
}

// Discrepancy is outside ports, one run of them on one protocol, that a router treats
// otherwise than planned. From are the senders for whom it does, Except those for whom
// alone it does not; where both are empty it does for everybody.
type Discrepancy struct {
	Protocol site.Protocol `json:"protocol"`
	Ports    span.Ports    `json:"ports"`
	From     []site.Sender `json:"from,omitempty"`
	Except   []site.Sender `json:"except,omitempty"`
	Plan     Treated       `json:"plan"`
	Held     Treated       `json:"held"`
	Says     string        `json:"says"`
	Forward  string        `json:"forward,omitempty" doc:"The planned forward that decides"`
	Entry    int           `json:"entry,omitempty" doc:"Which of the router's entries decides, counted from 1"`
	Line     int           `json:"line,omitempty" doc:"Where that entry stands in what was read"`
}

// Comparison is a plan for a router against what it really holds.
type Comparison struct {
	Differs []Discrepancy `json:"differs"`
	Doubts  []Doubt       `json:"doubts"`
}

// Same reports whether every packet of every sender has the same fate.
func (c Comparison) Same() bool { return len(c.Differs) == 0 && len(c.Doubts) == 0 }

// Compare holds the plan for a router against what it really holds: it finds every packet,
// on either protocol and of any sender, that the router would treat otherwise. The router's
// own ports come first in both, the exposed host last.
func (m *Map) Compare(router string, has site.Held) Comparison {
	held := has.Forwards
	r, ok := m.v.Router(router)
	if !ok {
		return Comparison{Differs: []Discrepancy{}, Doubts: []Doubt{}}
	}
	forwards, doubts := heldForwards(router, held)
	host := ""
	if has.ExposedHost.IsValid() {
		host = has.ExposedHost.String()
	}
	out := Comparison{Differs: []Discrepancy{}, Doubts: append([]Doubt{}, doubts...)}
	on := make([]*site.Forward, len(forwards))
	for i := range forwards {
		on[i] = &forwards[i]
	}
	for _, proto := range site.Both.Each() {
		if m.v.Stopped() {
			return out
		}
		is, from := sweep(m.v, r, on, host, proto)
		if to := m.Cut(router); to > 0 && (from == 0 || to < from) {
			from = to
		}
		if from > 0 {
			out.Doubts = append(out.Doubts, Doubt{Says: fmt.Sprintf("from port %d/%s on the forwards overlap for so many senders that they are not compared", from, proto)})
		}
		c := comparing{proto: proto, lines: held}
		c.all(m.Spans(router, proto), is)
		out.Differs = append(out.Differs, c.found...)
	}
	explain(m.v, r, out.Differs, held)
	return out
}

// comparing walks two lists of spans, both rising by port.
type comparing struct {
	proto  site.Protocol
	lines  []site.HeldForward
	found  []Discrepancy
	byWhom []Sources // of each that is found
}

func (c *comparing) all(plan, held []Span) {
	var a, b []Span // those at the port that is looked at
	for port := uint32(1); port <= 65535; {
		a, plan = at(plan, port)
		b, held = at(held, port)
		end := uint32(65535)
		for _, list := range [][]Span{a, b} {
			if len(list) > 0 {
				end = min(end, list[0].Ports.Hi)
			}
		}
		if len(a) == 0 && len(plan) > 0 {
			end = min(end, plan[0].Ports.Lo-1)
		}
		if len(b) == 0 && len(held) > 0 {
			end = min(end, held[0].Ports.Lo-1)
		}
		if len(a)+len(b) > 0 {
			c.run(span.Run{Lo: port, Hi: end}, a, b)
		}
		port = end + 1
	}
}

// at gives the spans that hold a port, of a list from which those before it are taken off.
func at(spans []Span, port uint32) (here, rest []Span) {
	for len(spans) > 0 && spans[0].Ports.Hi < port {
		spans = spans[1:]
	}
	n := 0
	for n < len(spans) && spans[n].Ports.Contains(port) {
		n++
	}
	return spans[:n], spans
}

// run compares what becomes of the packets of a run of ports.
func (c *comparing) run(run span.Run, plan, held []Span) {
	whos := func(list []Span) []Sources {
		out := make([]Sources, len(list))
		for i, s := range list {
			out[i] = s.Sources
		}
		return out
	}
	if len(plan) == 1 && len(held) == 1 && plan[0].Sources.everybody() && held[0].Sources.everybody() {
		c.pair(run, plan[0], held[0], Anyone)
		return
	}
	for _, p := range pairings(whos(plan), whos(held)) {
		is, there := Span{}, Span{}
		if p.a >= 0 {
			is = plan[p.a]
		}
		if p.b >= 0 {
			there = held[p.b]
		}
		c.pair(run, is, there, p.who)
	}
}

// pair notes that some packets have two fates, if they have.
func (c *comparing) pair(run span.Run, plan, held Span, who Sources) {
	p, h := treated(plan, run), treated(held, run)
	if p.Fate == h.Fate && p.Address == h.Address && p.Inside.Equal(h.Inside) {
		return
	}
	d := Discrepancy{Protocol: c.proto, Ports: span.PortList(run), Plan: p, Held: h, Forward: plan.Forward, Entry: placeOf(held.Forward) + 1}
	if d.Entry > 0 {
		d.Line = lineOf(c.lines, d.Entry)
	}
	d.From, d.Except = who.senders()
	for i := len(c.found) - 1; i >= 0 && i >= len(c.found)-8; i-- { // goes on where one of the last ended
		if o := &c.found[i]; goesOn(*o, d) && sameWho(c.byWhom[i], who) {
			o.Ports = joined(o.Ports, d.Ports)
			o.Plan.Inside, o.Held.Inside = joined(o.Plan.Inside, d.Plan.Inside), joined(o.Held.Inside, d.Held.Inside)
			return
		}
	}
	c.found, c.byWhom = append(c.found, d), append(c.byWhom, who)
}

// treated is what becomes of a run of ports by a span that holds them.
func treated(s Span, run span.Run) Treated {
	switch {
	case s.Own:
		return Treated{Fate: ToRouter}
	case s.Forward == "" && !s.Exposed:
		return Treated{Fate: Dropped}
	}
	lo := s.Inside + run.Lo - s.Ports.Lo
	return Treated{Forwarded, s.Address, span.PortList(span.Run{Lo: lo, Hi: lo + uint32(run.Len()) - 1}), s.Exposed}
}

// lineOf is where a held line stands in its source; its place, where that is not known.
func lineOf(held []site.HeldForward, place int) int {
	if at := held[place-1].Line; at > 0 {
		return at
	}
	return place
}

// OfExposedHost reports whether a difference is that the router exposes another host than is
// planned, or one where none is, or none.
func (d Discrepancy) OfExposedHost() bool {
	of := func(t Treated) bool { return t.Exposed || t.Fate == Dropped }
	return of(d.Plan) && of(d.Held)
}

// HeldLine gives the line of what is held that decides a difference.
func (d Discrepancy) HeldLine(has site.Held) (site.HeldForward, bool) {
	if d.Entry == 0 || d.Entry > len(has.Forwards) {
		return site.HeldForward{}, false
	}
	return has.Forwards[d.Entry-1], true
}

// Decides reports whether the i-th of what is held decides a difference.
func (d Discrepancy) Decides(i int) bool { return d.Entry == i+1 }

// goesOn reports whether b is the next ports of the same two fates.
func goesOn(a, b Discrepancy) bool {
	return a.Forward == b.Forward && a.Entry == b.Entry && a.Plan.Fate == b.Plan.Fate && a.Held.Fate == b.Held.Fate &&
		a.Plan.Address == b.Plan.Address && a.Held.Address == b.Held.Address && a.Plan.Exposed == b.Plan.Exposed && a.Held.Exposed == b.Held.Exposed &&
		follow(a.Ports, b.Ports) && follow(a.Plan.Inside, b.Plan.Inside) && follow(a.Held.Inside, b.Held.Inside)
}

func follow(a, b span.Ports) bool {
	return a.IsZero() && b.IsZero() || !a.IsZero() && !b.IsZero() && a.At(a.Len()-1)+1 == b.At(0)
}

func joined(a, b span.Ports) span.Ports {
	if a.IsZero() {
		return a
	}
	return span.PortList(span.Run{Lo: a.At(0), Hi: b.At(b.Len() - 1)})
}

func sameWho(a, b Sources) bool {
	if a.everybody() || b.everybody() {
		return a.everybody() && b.everybody()
	}
	return a.strangers == b.strangers && a.set.Minus(b.set).Empty() && b.set.Minus(a.set).Empty()
}
