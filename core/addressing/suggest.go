package addressing

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/catalogue"
	"vestpin/core/edit"
	"vestpin/core/ipv4"
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
	plan := Plan{Proven: true}
	if len(want)+len(mend) == 0 {
		return plan
	}
	by := waysOf(v, want, mend)
	b := newBoard(v, want, mend, by)
	best, states, proven := b.leaveOut()
	if v.Stopped() {
		return Plan{}
	}
	if fixed := best.decided(states); len(fixed) > 0 {
		best = b.solve(fixed)
	}
	settled := best.settle()
	plan.Proven = proven
	for i, x := range settled {
		r := b.rows[i]
		if x == 0 || r.keeps != "" && r.pinned == x {
			continue
		}
		plan.Suggestions = append(plan.Suggestions, Suggestion{r.Interface.ID, site.Pin{Address: x.address(), By: r.by}, b.why(r, x.address(), by)})
	}
	for _, n := range v.Networks {
		plan.Unmet = append(plan.Unmet, b.noRoom(n, settled, by)...)
	}
	return plan
}

// ways is how interfaces are to be pinned: on the device where they are Full, since the
// router has not enough reservations.
type ways struct {
	full map[string]site.Router // by interface: the router whose reservations are all used
}

// of is how an interface is to be pinned.
func (w ways) of(v site.View, p site.Placed) site.PinBy {
	by := Way(v, *p.Interface)
	if _, full := w.full[p.Interface.ID]; full {
		return site.ByDevice
	}
	if by == site.ByReservation && p.Interface.Pin != nil && p.Interface.Pin.By == site.ByBoth {
		return site.ByBoth
	}
	return by
}

// waysOf gives the reservations that routers with few have left to the more important of
// those that are to be planned.
func waysOf(v site.View, want, mend []site.Placed) ways {
	w := ways{map[string]site.Router{}}
	planned := map[string]bool{}
	for _, p := range slices.Concat(want, mend) {
		planned[p.Interface.ID] = true
	}
	for _, r := range v.Routers {
		if r.Form.ReservationLines == 0 {
			continue
		}
		left := r.Form.ReservationLines
		var rest []site.Placed
		for _, p := range v.Interfaces() {
			serving, ok := v.RouterOf(p.Interface.Network)
			if !ok || serving.ID != r.ID {
				continue
			}
			if pin := p.Interface.Pin; !planned[p.Interface.ID] && pin != nil && pin.Reserved() {
				left--
			}
		}
		for _, list := range [][]site.Placed{want, mend} {
			from := len(rest)
			for _, p := range list {
				if serving, ok := v.RouterOf(p.Interface.Network); ok && serving.ID == r.ID && Way(v, *p.Interface) == site.ByReservation {
					rest = append(rest, p)
				}
			}
			slices.SortStableFunc(rest[from:], func(p, q site.Placed) int {
				return cmp.Or(cmp.Compare(p.Device.Importance(), q.Device.Importance()), inOrder(p, q))
			})
		}
		for _, p := range rest[min(len(rest), max(0, left)):] {
			w.full[p.Interface.ID] = r
		}
	}
	return w
}

// Edits gives the edits that take the whole plan.
func (p Plan) Edits() []edit.Edit {
	out := make([]edit.Edit, len(p.Suggestions))
	for i, s := range p.Suggestions {
		out[i] = s.Edit()
	}
	return out
}

// Taken is a site with the whole plan taken, as its edits make it.
func (p Plan) Taken(s site.Site) site.Site {
	pins := make(map[string]site.Pin, len(p.Suggestions))
	for _, sg := range p.Suggestions {
		pins[sg.Interface] = sg.Pin
	}
	s.Devices = slices.Clone(s.Devices)
	for i := range s.Devices {
		d := &s.Devices[i]
		for j := range d.Interfaces {
			pin, ok := pins[d.Interfaces[j].ID]
			if !ok {
				continue
			}
			d.Interfaces = slices.Clone(d.Interfaces)
			d.Interfaces[j].Pin = &pin
		}
	}
	return s
}

// Edit is the edit that takes the suggestion.
func (s Suggestion) Edit() edit.Edit {
	pin := s.Pin
	return edit.SetPin{ID: s.Interface, Pin: &pin}
}

func run(from, to netip.Addr) span.Run { return span.Run{Lo: ipv4.Number(from), Hi: ipv4.Number(to)} }

func reservesAnywhere(v site.View, n site.Network) bool {
	r, ok := v.RouterOf(n.ID)
	return ok && r.Form.Reserves != "inside-range" && r.Form.Reserves != "outside-range" && r.Form.Reserves != "no"
}

func (b *board) why(r row, a netip.Addr, by ways) string {
	n, _ := b.v.Network(r.Interface.Network)
	full, none := by.full[r.Interface.ID]
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
		case none:
			parts = append(parts, fmt.Sprintf("set on the device because %s has only %d reservations", full.Label(), full.Form.ReservationLines))
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
