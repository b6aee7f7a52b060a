// Package diagnosis knows what observations say of a plan: whether each service works, and
// where one does not, the likeliest causes, what mends each, and the one further look that
// would tell most. It weighs all observations of all services together, by one table that a
// reader can question (table.go). It refuses to look itself.
package diagnosis

import (
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/edit"
	"vestpin/core/site"
)

// Report is what a proof says of the plan.
type Report struct {
	At         string         `json:"at"`
	From       site.TriedFrom `json:"from"`
	Router     RouterSeen     `json:"router"`
	Name       NameSeen       `json:"name"`
	Interfaces []ThereSeen    `json:"interfaces"`
	Services   []Verdict      `json:"services"`
	Notes      []string       `json:"notes"`
}

// RouterSeen is what was seen of the router that faces the provider. Private is that its outside
// address is one that nobody reaches from elsewhere.
type RouterSeen struct {
	Answers bool             `json:"answers"`
	Outside site.ToldOutside `json:"outside,omitzero"`
	Private bool             `json:"private"`
	Says    string           `json:"says,omitempty" doc:"What is odd about the outside address"`
}

// NameSeen is what the dynamic DNS name stands for, and whether that is the outside address.
type NameSeen struct {
	Name   string       `json:"name,omitempty"`
	Points []netip.Addr `json:"points"`
	Agrees bool         `json:"agrees"`
	Says   string       `json:"says,omitempty"`
}

// ThereSeen is who answers at the planned address of an interface.
type ThereSeen struct {
	Interface string        `json:"interface"`
	Planned   netip.Addr    `json:"planned,omitzero"`
	Answers   site.Answered `json:"answers"`
	MAC       site.MAC      `json:"mac,omitempty"`
	As        string        `json:"as,omitempty" enum:"planned,other-device,nobody,moved"`
	Found     netip.Addr    `json:"found,omitzero"`
	Says      string        `json:"says,omitempty"`
}

// Verdict is whether a service works, and why it does not. RuledOut are the causes that what
// was seen speaks against.
type Verdict struct {
	Service  string     `json:"service"`
	Open     bool       `json:"open" doc:"It is wanted from outside"`
	Dial     string     `json:"dial,omitempty" doc:"What is to be typed from elsewhere"`
	Inside   site.Heard `json:"inside"`
	Outside  site.Heard `json:"outside"`
	Identity string     `json:"identity" enum:"same,other,router,unknown"`
	Whose    string     `json:"whose,omitempty" doc:"The service that answers in its place"`
	Works    string     `json:"works" enum:"yes,no,unknown"`
	Says     string     `json:"says" doc:"How it fares, in one sentence"`
	Causes   []Cause    `json:"causes"`
	RuledOut []string   `json:"ruledOut"`
}

// Cause is something that may be wrong. The chances of all causes of a service add to 1; those
// that are left out for being unlikely are ruled out.
type Cause struct {
	Cause  string     `json:"cause"`
	Title  string     `json:"title"`
	Chance float64    `json:"chance"`
	Why    string     `json:"why"`
	Mend   *CauseMend `json:"mend,omitempty"`
	Next   string     `json:"next" doc:"The further look that would tell most of it"`
}

// CauseMend is what ends a cause: edits of the plan, or a step of the sheet to do again, or in
// words alone what is to be done.
type CauseMend struct {
	Does  string    `json:"does"`
	Edits edit.List `json:"edits"`
	Step  string    `json:"step,omitempty"`
}

// The answers to whether a service works.
const (
	Yes     = "yes"
	No      = "no"
	Unknown = "unknown"
)

// Of judges a proof by the plan, and by what the routers hold where that was read.
func Of(v site.View, p site.Proof) Report {
	c := hear(v, p)
	out := Report{At: p.At, From: p.From, Router: c.router(), Name: c.name(), Interfaces: []ThereSeen{}, Services: []Verdict{}, Notes: append([]string{}, p.Notes...)}
	for _, t := range p.Interfaces {
		if i, ok := c.interfaceOf(t); ok {
			out.Interfaces = append(out.Interfaces, i)
		}
	}
	for _, k := range c.cases {
		out.Services = append(out.Services, c.judge(k))
	}
	return out
}

// Count tells of how many services that are to be open it is known whether they work, and how
// many do, without asking why the others do not.
func Count(v site.View, p site.Proof) (known, work int) {
	for _, k := range hear(v, p).cases {
		if k.open && k.works != Unknown {
			known++
		}
		if k.open && k.works == Yes {
			work++
		}
	}
	return known, work
}

// Works reports whether no service that is to be open fails.
func (r Report) Works() bool {
	return !slices.ContainsFunc(r.Services, func(s Verdict) bool { return s.Open && s.Works == No })
}

// judge says how a service fares, and why.
func (c *court) judge(k *hearing) Verdict {
	out := Verdict{
		Service: k.w.Service.ID, Open: k.open, Inside: k.heard.Inside, Outside: k.heard.Outside, Identity: k.identity, Whose: k.whose,
		Works: k.works, Causes: []Cause{}, RuledOut: []string{},
	}
	if k.open {
		out.Dial, _ = c.m.Dial(k.w)
	}
	switch {
	case k.works == No:
		out.Causes, out.RuledOut = c.causes(k)
	case k.looped():
		out.Causes = []Cause{{Cause: NoWayBackIn, Title: titles[NoWayBackIn], Chance: 1, Why: "It was tried from inside against the outside address, and not every router loops that back: it proves nothing.", Next: lookFor(outside)}}
	}
	out.Says = c.fares(k)
	return out
}

// least is the chance below which a cause counts as ruled out.
const least = 0.02

// causes are the likely ones, the likeliest first, and those that are ruled out.
func (c *court) causes(k *hearing) (list []Cause, ruledOut []string) {
	list, ruledOut = []Cause{}, []string{}
	if len(k.entries) == 0 && k.open {
		return []Cause{{Cause: ForwardMissing, Title: titles[ForwardMissing], Chance: 1, Why: "The plan has no forward that leads to it.", Next: "Open it on Ports."}}, ruledOut
	}
	b := believe(k.seen, k.port, func(cause string) bool { return c.possible(k, cause) })
	kept := 0.0
	for _, i := range b.order() {
		if b[i] == 0 {
			continue
		}
		if b[i] < least && len(list) > 0 {
			ruledOut = append(ruledOut, table[i].cause)
			continue
		}
		kept += b[i]
		cause := Cause{Cause: table[i].cause, Title: titles[table[i].cause], Chance: b[i], Why: c.why(k, table[i].cause) + c.stoodIn(k), Mend: c.mend(k, table[i].cause)}
		if l, ok := b.next(i, k.seen, func(l look) bool { return c.canLook(k, l) }); ok {
			cause.Next = l.says
		}
		list = append(list, cause)
	}
	for i := range list {
		list[i].Chance /= kept
	}
	return list, ruledOut
}

// possible reports whether a cause is in question at all: of a service that stays inside what
// is wrong at its device, and of a site without a name no name.
func (c *court) possible(k *hearing, cause string) bool {
	if !k.open {
		return strings.HasPrefix(cause, "device-") || cause == WrongDevice
	}
	return cause != NameStale || c.outermost.WAN.Name != ""
}

// canLook reports whether a look is possible with what there is.
func (c *court) canLook(k *hearing, l look) bool {
	switch l.sign {
	case stand: // the address must be free, and somebody must try it from elsewhere
		return k.seen[there] == "nobody" && k.heard.Outside.By == site.TriedAfar
	case name:
		return c.outermost.WAN.Name != ""
	case siblings, others, stray, address:
		return false
	}
	return true
}
