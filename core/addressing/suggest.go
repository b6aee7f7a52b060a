package addressing

import (
	"cmp"
	"net/netip"
	"strings"

	"vestpin/core/catalogue"
	"vestpin/core/site"
	"vestpin/core/span"
)

// Suggestion is where one interface should be pinned.
type Suggestion struct {
	Interface string   `json:"interface"`
	Pin       site.Pin `json:"pin"`
	Why       string   `json:"why"`
}

// Unmet is an interface for which there is no room.
type Unmet struct {
	Interface string `json:"interface"`
	Says      string `json:"says"`
}

// Plan is what Suggest found.
type Plan struct {
	Suggestions []Suggestion
	Unmet       []Unmet
	Proven      bool // false where the search for the best was cut off
}

// Suggest gives pins for the interfaces that want one, and better ones for pins
// that cannot work. It keeps, in this order: what is locked or works stays; no
// address is given that is not free for sure; as many as possible are pinned,
// higher rank first; few in a DHCP range where the router reserves anywhere;
// few leave the address where they were seen; bands; few at the edge of a /24; then
// plain order. Pins that nobody asked for and that cannot stay come last of all.
func Suggest(v site.View) Plan {
	var want, mend []site.Placed
	for _, p := range v.Interfaces() {
		switch {
		case p.Interface.Pin == nil && v.WantsPin(p):
			want = append(want, p)
		case p.Interface.Pin == nil || p.Interface.Pin.Locked || len(Faults(v, p)) == 0:
		case v.WantsPin(p):
			want = append(want, p)
		default:
			mend = append(mend, p)
		}
	}
	if len(want)+len(mend) == 0 {
		return Plan{Proven: true}
	}
	b := newBoard(v, want, mend)
	best, states, proven := b.leaveOut()
	if fixed := best.decided(states); len(fixed) > 0 {
		best = b.solve(fixed)
	}
	settled := best.settle()
	plan := Plan{Proven: proven}
	for i, x := range settled {
		r, a := b.rows[i], span.Addr(x)
		if x == 0 || r.keeps != "" && r.pinned == x {
			continue
		}
		plan.Suggestions = append(plan.Suggestions, Suggestion{r.Interface.ID, site.Pin{Address: a, By: r.by}, b.why(r, a)})
	}
	for _, n := range v.Networks {
		plan.Unmet = append(plan.Unmet, b.noRoom(n, settled)...)
	}
	return plan
}

// Edits gives the edits that take the whole plan.
func (p Plan) Edits() []site.Edit {
	out := make([]site.Edit, len(p.Suggestions))
	for i, s := range p.Suggestions {
		out[i] = s.Edit()
	}
	return out
}

// Edit is the edit that takes the suggestion.
func (s Suggestion) Edit() site.Edit {
	pin := s.Pin
	return site.SetPin{ID: s.Interface, Pin: &pin}
}

func run(from, to netip.Addr) span.Run { return span.Run{Lo: span.OfAddr(from), Hi: span.OfAddr(to)} }

func reservesAnywhere(v site.View, n site.Network) bool {
	r, ok := v.RouterOf(n.ID)
	return ok && r.Form.Reserves != "inside-range" && r.Form.Reserves != "outside-range" && r.Form.Reserves != "no"
}

func (b *board) why(r row, a netip.Addr) string {
	n, _ := b.v.Network(r.Interface.Network)
	var parts []string
	switch {
	case r.Interface.Seen == a:
		parts = append(parts, "it sits there already")
	case InRange(n, a):
		parts = append(parts, "free, though inside the DHCP range, which the router allows for a reservation")
	default:
		parts = append(parts, "first that is free outside the DHCP range")
	}
	for _, band := range n.Bands {
		if catalogue.Among(band.Kinds, r.Device.Kind) && between(a, band.From, band.To) {
			parts = append(parts, "in "+band.Name)
			break
		}
	}
	if r.by == site.ByDevice {
		switch {
		case r.Interface.MAC == "":
			parts = append(parts, "set on the device because its MAC address is not known")
		case r.Interface.MAC.Randomised():
			parts = append(parts, "set on the device because its MAC address is randomised and may change")
		default:
			parts = append(parts, "set on the device because the router takes no reservations")
		}
	}
	text := strings.Join(parts, "; ")
	return strings.ToUpper(text[:1]) + text[1:] + "."
}

// NaturalCompare orders names so that "camera 2" comes before "camera 10".
func NaturalCompare(a, b string) int {
	digit := func(c byte) bool { return c >= '0' && c <= '9' }
	number := func(s string) (string, string) {
		i := 0
		for i < len(s) && digit(s[i]) {
			i++
		}
		return strings.TrimLeft(s[:i], "0"), s[i:]
	}
	x, y := strings.ToLower(a), strings.ToLower(b)
	for x != "" && y != "" {
		if digit(x[0]) && digit(y[0]) {
			var m, n string
			m, x = number(x)
			n, y = number(y)
			if c := cmp.Or(cmp.Compare(len(m), len(n)), cmp.Compare(m, n)); c != 0 {
				return c
			}
			continue
		}
		if x[0] != y[0] {
			return cmp.Compare(x[0], y[0])
		}
		x, y = x[1:], y[1:]
	}
	return cmp.Or(cmp.Compare(len(x), len(y)), cmp.Compare(a, b))
}
