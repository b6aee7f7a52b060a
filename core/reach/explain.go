package reach

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/site"
)

// explaining says of differences what they are, in a sentence each, by what else differs.
type explaining struct {
	v        site.View
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

func explain(v site.View, differs []Discrepancy, held []site.HeldForward) {
	e := explaining{v: v, lines: map[start][]site.HeldForward{}, forwards: map[string]*site.Forward{}, missing: map[ending][]*Discrepancy{}, extra: map[ending][]*Discrepancy{}}
	for _, h := range held {
		if !h.Outside.IsZero() {
			at := start{h.Address, h.Outside.At(0)}
			e.lines[at] = append(e.lines[at], h)
		}
	}
	for i := range v.Forwards {
		e.forwards[v.Forwards[i].ID] = &v.Forwards[i]
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
	switch {
	case d.Plan.Fate == Dropped && d.Held.Fate == Forwarded:
		return e.unplanned(ports, d)
	case d.Held.Fate == Dropped && d.Plan.Fate == Forwarded:
		return e.absent(ports, d)
	case d.Plan.Address != d.Held.Address:
		says := fmt.Sprintf("%s goes to %s in the router, planned to %s%s.", ports, d.Held.Address, e.planned(d), whom(d))
		if d.Plan.Address.IsValid() && e.mistyped(d.Held.Address, d.Plan.Address) {
			says = strings.TrimSuffix(says, ".") + ": a digit?"
		}
		return says
	}
	says := fmt.Sprintf("%s arrives at port %s in the router, planned at %s%s.", ports, d.Held.Inside, d.Plan.Inside, whom(d))
	if slip(d.Held.Inside.String(), d.Plan.Inside.String()) {
		says = strings.TrimSuffix(says, ".") + ": a digit?"
	}
	return says
}

// mistyped reports whether an address looks like a slip of the finger for another: by its
// digits, or since nobody is there whom it could have been meant for.
func (e explaining) mistyped(typed, meant netip.Addr) bool {
	a, b := lastOf(typed), lastOf(meant)
	if slip(a, b) {
		return true
	}
	return len(a) == len(b) && len(e.v.PinnedAt(typed)) == 0 && len(e.v.SeenAt(typed)) == 0
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
		if slip(x.Ports.String(), d.Ports.String()) {
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
	if !ok {
		return "nobody"
	}
	at := e.at(d.Plan)
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

func lastOf(a netip.Addr) string {
	if !a.Is4() {
		return ""
	}
	return fmt.Sprint(a.As4()[3])
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
		line    int
	}
	place := map[who]int{}
	var out [][]Discrepancy
	for _, d := range differs {
		key := who{d.Forward, d.Line}
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
