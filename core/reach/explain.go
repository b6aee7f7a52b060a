package reach

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/site"
	"vestpin/core/span"
)

// explaining says of differences what they are, in a sentence each, by what else differs.
type explaining struct {
	v      site.View
	router site.Router
	held   []site.HeldForward

	heldTo    map[netip.Addr][]int // by where they lead: the places of held lines
	plannedTo map[netip.Addr][]*site.Forward

	lines    map[start][]site.HeldForward
	forwards map[string]*site.Forward
	missing  map[ending][]*Discrepancy // planned, and not in the router
	extra    map[ending][]*Discrepancy // in the router, and not planned
}

// start is where a held line leads, and its first outside port.
type start struct {
	address netip.Addr
	port    uint32
}

// ending is where packets arrive.
type ending struct {
	protocol site.Protocol
	address  netip.Addr
	inside   string
}

func explain(v site.View, r site.Router, differs []Discrepancy, held []site.HeldForward) {
	e := explaining{v: v, router: r, held: held, heldTo: map[netip.Addr][]int{}, plannedTo: map[netip.Addr][]*site.Forward{}, lines: map[start][]site.HeldForward{}, forwards: map[string]*site.Forward{}, missing: map[ending][]*Discrepancy{}, extra: map[ending][]*Discrepancy{}}
	for i, h := range held {
		e.heldTo[h.Address] = append(e.heldTo[h.Address], i)
		if !h.Outside.IsZero() {
			at := start{h.Address, h.Outside.At(0)}
			e.lines[at] = append(e.lines[at], h)
		}
	}
	for i := range v.Forwards {
		f := &v.Forwards[i]
		e.forwards[f.ID] = f
		if to, _ := v.Target(*f); to.IsValid() && f.Router == r.ID {
			e.plannedTo[to] = append(e.plannedTo[to], f)
		}
	}
	for i := range differs {
		d := &differs[i]
		if d.Held.Fate == Dropped && d.Plan.Fate == Forwarded {
			at := ending{d.Protocol, d.Plan.Address, d.Plan.Inside.String()}
			e.missing[at] = append(e.missing[at], d)
		}
		if d.Plan.Fate == Dropped && d.Held.Fate == Forwarded {
			at := ending{d.Protocol, d.Held.Address, d.Held.Inside.String()}
			e.extra[at] = append(e.extra[at], d)
		}
	}
	for i := range differs {
		differs[i].Says = e.says(&differs[i])
	}
}

func (e explaining) says(d *Discrepancy) string {
	ports := fmt.Sprintf("%s/%s", d.Ports, d.Protocol)
	if says, ok := e.order(ports, d); ok {
		return says
	}
	if d.OfExposedHost() {
		return e.exposedHost(d)
	}
	switch {
	case d.Plan.Fate == Dropped && d.Held.Fate == Forwarded:
		return e.unplanned(ports, d)
	case d.Held.Fate == Dropped && d.Plan.Fate == Forwarded:
		return e.absent(ports, d)
	case d.Plan.Address != d.Held.Address:
		says := fmt.Sprintf("%s goes to %s in the router, planned to %s%s.", ports, d.Held.Address, e.planned(d), whom(d))
		if d.Plan.Address.IsValid() && mistyped(d.Held.Address, d.Plan.Address) {
			says = strings.TrimSuffix(says, ".") + ": a digit?"
		}
		return says
	}
	says := fmt.Sprintf("%s arrives at port %s in the router, planned at %s%s.", ports, d.Held.Inside, d.Plan.Inside, whom(d))
	if slipIn(d.Held.Inside.String(), d.Plan.Inside.String()) {
		says = strings.TrimSuffix(says, ".") + ": a digit?"
	}
	return says
}

// exposedHost says of all other ports where they go, and where they should.
func (e explaining) exposedHost(d *Discrepancy) string {
	switch {
	case d.Held.Fate == Dropped:
		return fmt.Sprintf("The router exposes nobody; all other ports are planned to go to %s.", d.Plan.Address)
	case d.Plan.Fate == Dropped:
		return fmt.Sprintf("The router sends all other ports to %s (exposed host): in no plan.", d.Held.Address)
	}
	return fmt.Sprintf("The router sends all other ports to %s (exposed host), planned to %s.", d.Held.Address, d.Plan.Address)
}

// order says of a difference that it is the order of two lines alone: both stand in the
// router as planned, but the one that decides there comes before the other.
func (e explaining) order(ports string, d *Discrepancy) (string, bool) {
	f, ok := e.forwards[d.Forward]
	if !ok || d.Entry == 0 || !e.plannedAs(e.held[d.Entry-1]) {
		return "", false
	}
	for _, i := range e.heldTo[d.Plan.Address] {
		if i+1 > d.Entry && e.is(e.held[i], *f) {
			return fmt.Sprintf("%s goes to %s in the router, planned to %s: line %d comes before line %d, and the first that matches decides. Change their order.",
				ports, e.at(d.Held), e.planned(d), lineOf(e.held, d.Entry), lineOf(e.held, i+1)), true
		}
	}
	return "", false
}

// plannedAs reports whether a held line is one that is planned.
func (e explaining) plannedAs(h site.HeldForward) bool {
	return slices.ContainsFunc(e.plannedTo[h.Address], func(f *site.Forward) bool { return e.is(h, *f) })
}

// is reports whether a held line is a planned forward, or one of the lines of it.
func (e explaining) is(h site.HeldForward, f site.Forward) bool {
	if !h.Enabled || !f.Enabled || f.Router != e.router.ID || !f.Protocol.Covers(h.Protocol) {
		return false
	}
	address, _ := e.v.Target(f)
	from, doubt := HeldSenders(h.From)
	if doubt != "" || h.Address != address || !Allowed(f.From).Covers(Allowed(from)) {
		return false
	}
	for o, i := range span.Paired(h.Outside, h.InsidePorts()) {
		at := f.Outside.Index(o.Lo)
		if at < 0 || f.Outside.Index(o.Hi) != at+o.Len()-1 || f.InsidePorts().At(at) != i.Lo {
			return false
		}
	}
	return true
}

// mistyped reports whether an address looks like a slip of the finger for another.
func mistyped(typed, meant netip.Addr) bool {
	return typed.IsValid() && meant.IsValid() && slipIn(typed.String(), meant.String())
}

// slipIn reports whether two texts of numbers are alike but for one number, which is off by
// a slip of the finger.
func slipIn(a, b string) bool {
	parts := func(s string) []string {
		return strings.FieldsFunc(s, func(c rune) bool { return c < '0' || c > '9' })
	}
	p, q := parts(a), parts(b)
	if len(p) != len(q) {
		return false
	}
	off := 0
	for i := range p {
		if p[i] == q[i] {
			continue
		}
		if off++; !slip(p[i], q[i]) {
			return false
		}
	}
	return off == 1
}

// unplanned says of what is open in the router alone what it could have been meant for.
func (e explaining) unplanned(ports string, d *Discrepancy) string {
	if f, ok := e.partner(d, d.Held); ok {
		return fmt.Sprintf("%s is open in the router too; planned for %s alone.", ports, f)
	}
	if d.From != nil || d.Except != nil {
		return fmt.Sprintf("%s is open in the router%s, and planned for others.", ports, whom(d))
	}
	for _, m := range e.missing[ending{d.Protocol, d.Held.Address, d.Held.Inside.String()}] {
		return fmt.Sprintf("%s leads to %s in the router; planned as %s.", ports, e.at(d.Held), m.Ports)
	}
	return fmt.Sprintf("%s leads to %s: open in the router and in no plan.", ports, e.at(d.Held))
}

// absent says of what is planned alone how the router comes to lack it.
func (e explaining) absent(ports string, d *Discrepancy) string {
	to := e.planned(d)
	if f, ok := e.partner(d, d.Plan); ok {
		return fmt.Sprintf("%s is missing in the router for %s: %s alone is there.", ports, to, f)
	}
	for _, h := range e.lines[start{d.Plan.Address, d.Ports.At(0)}] {
		if !h.Enabled && h.Protocol.Covers(d.Protocol) {
			return fmt.Sprintf("%s to %s stands in the router, but is switched off.", ports, to)
		}
	}
	if d.From != nil || d.Except != nil {
		return fmt.Sprintf("%s to %s is shut in the router%s, and planned to be open.", ports, to, whom(d))
	}
	if extra := e.extra[ending{d.Protocol, d.Plan.Address, d.Plan.Inside.String()}]; len(extra) > 0 {
		x := extra[0]
		says := fmt.Sprintf("%s to %s is missing in the router, which has %s for it", ports, to, x.Ports)
		if slipIn(x.Ports.String(), d.Ports.String()) {
			return says + ": a digit?"
		}
		return says + "."
	}
	return fmt.Sprintf("%s to %s is missing in the router.", ports, to)
}

// partner finds the other protocol, where the same outside ports lead to the same end and
// nothing differs.
func (e explaining) partner(d *Discrepancy, end Treated) (site.Protocol, bool) {
	other := site.UDP
	if d.Protocol == site.UDP {
		other = site.TCP
	}
	in := func(list []*Discrepancy) bool {
		return slices.ContainsFunc(list, func(o *Discrepancy) bool { return o.Ports.Equal(d.Ports) })
	}
	at := ending{other, end.Address, end.Inside.String()}
	if in(e.missing[at]) || in(e.extra[at]) {
		return "", false
	}
	for _, h := range e.lines[start{end.Address, d.Ports.At(0)}] {
		if h.Enabled && h.Protocol.Covers(other) && h.Outside.Equal(d.Ports) && h.InsidePorts().Equal(end.Inside) {
			return other, true
		}
	}
	return "", false
}

// planned names where a planned forward leads.
func (e explaining) planned(d *Discrepancy) string {
	f, ok := e.forwards[d.Forward]
	at := e.at(d.Plan)
	if !ok && d.Plan.Fate == Forwarded {
		return "the exposed host (" + at + ")"
	} else if !ok {
		return "nobody"
	}
	if _, placed := e.v.Target(*f); placed != nil {
		if !d.Plan.Address.IsValid() {
			return placed.Label() + ", which has no fixed address"
		}
		return fmt.Sprintf("%s (%s)", placed.Label(), at)
	}
	return at
}

func (e explaining) at(t Treated) string {
	switch t.Fate {
	case ToRouter:
		return "the router itself"
	case Dropped:
		return "nobody"
	}
	return fmt.Sprintf("%s port %s", t.Address, t.Inside)
}

// whom names the senders for whom something differs, where it is not everybody.
func whom(d *Discrepancy) string {
	list := func(senders []site.Sender) string {
		var out []string
		for _, s := range senders[:min(3, len(senders))] {
			out = append(out, s.String())
		}
		if more := len(senders) - len(out); more > 0 {
			out = append(out, fmt.Sprintf("%d more", more))
		}
		return strings.Join(out, ", ")
	}
	switch {
	case d.From != nil:
		return " for " + list(d.From)
	case d.Except != nil:
		return " for everybody but " + list(d.Except)
	}
	return ""
}

// slip reports whether two numbers differ by a slip of the finger: one digit other, too
// many or too few, or two neighbours exchanged.
func slip(a, b string) bool {
	if a == "" || b == "" || a == b {
		return false
	}
	if len(a) < len(b) {
		a, b = b, a
	}
	from := 0
	for from < len(b) && a[from] == b[from] {
		from++
	}
	if len(a) == len(b)+1 {
		return a[from+1:] == b[from:]
	}
	if len(a) != len(b) {
		return false
	}
	return a[from+1:] == b[from+1:] || from+1 < len(a) && a[from] == b[from+1] && a[from+1] == b[from] && a[from+2:] == b[from+2:]
}

// Takes gives outside ports of a router that a difference is about, on both protocols
// where the same forward and line decide: differences that one mend ends stand together.
func Takes(differs []Discrepancy) [][]Discrepancy {
	type who struct {
		forward string
		place   int
	}
	place := map[who]int{}
	var out [][]Discrepancy
	for _, d := range differs {
		key := who{d.Forward, d.Entry}
		if d.OfExposedHost() {
			key = who{"", -1}
		}
		k, ok := place[key]
		if !ok {
			k = len(out)
			place[key] = k
			out = append(out, nil)
		}
		out[k] = append(out[k], d)
	}
	return out
}
