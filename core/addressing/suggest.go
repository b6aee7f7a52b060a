package addressing

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

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
// few leave the address where they were seen; bands; then plain order.
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
	plan := planInParts(v, want)
	if len(mend) == 0 {
		return plan
	}
	// The pins that nobody asked for give way to those that are wanted, so they
	// are planned on the site as it will be then, where they still have a fault.
	next, _, err := site.Apply(v.Site, plan.Edits())
	if err != nil {
		return plan
	}
	then := v.With(next)
	var still []site.Placed
	for _, p := range mend {
		if q, ok := then.Interface(p.Interface.ID); ok && len(Faults(then, q)) > 0 {
			still = append(still, q)
		}
	}
	more := planInParts(then, still)
	return Plan{append(plan.Suggestions, more.Suggestions...), append(plan.Unmet, more.Unmet...), plan.Proven && more.Proven}
}

// How many interfaces are planned at once, and in parts of how many where there are
// more: the best plan for all costs the square of their number.
const (
	mostAtOnce = 600
	partOf     = 100
)

// planInParts plans all at once where they are not too many. Else it plans the more
// important ones first, part by part on the site as it will be then, and those that
// were left out once more at the end; that is not proven to be the best.
func planInParts(v site.View, rows []site.Placed) Plan {
	if len(rows) <= mostAtOnce {
		return planFor(v, rows)
	}
	slices.SortStableFunc(rows, func(p, q site.Placed) int { return p.Device.Importance() - q.Device.Importance() })
	ids := make([]string, len(rows))
	for i, p := range rows {
		ids[i] = p.Interface.ID
	}
	plan := Plan{}
	for range 2 {
		plan.Unmet = nil
		for part := range slices.Chunk(ids, partOf) {
			v.Breathe()
			var placed []site.Placed
			for _, id := range part {
				if p, ok := v.Interface(id); ok {
					placed = append(placed, p)
				}
			}
			one := planFor(v, placed)
			next, _, err := site.Apply(v.Site, one.Edits())
			if err != nil {
				return plan
			}
			v = v.With(next)
			plan.Suggestions, plan.Unmet = append(plan.Suggestions, one.Suggestions...), append(plan.Unmet, one.Unmet...)
		}
		if ids = nil; len(plan.Unmet) == 0 {
			break
		}
		for _, u := range plan.Unmet {
			ids = append(ids, u.Interface)
		}
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

// board is the room that the rows, interfaces to be pinned, share: columns are
// addresses. A column blocked by a row is only free for others where that row
// gets a pin of its own.
type board struct {
	v        site.View
	rows     []site.Placed
	by       []string
	cols     []uint32
	allowed  [][]bool
	blockers [][]int // by column: rows seen or still pinned there
}

func planFor(v site.View, rows []site.Placed) Plan {
	if len(rows) == 0 {
		return Plan{Proven: true}
	}
	b := newBoard(v, rows)
	left, proven := b.leaveOut()
	plan := Plan{Proven: proven}
	for _, n := range v.Networks {
		plan.Unmet = append(plan.Unmet, b.noRoom(n, left)...)
	}
	for i, col := range b.assign(left) {
		if col < 0 {
			continue
		}
		p, a := b.rows[i], span.Addr(b.cols[col])
		if old := p.Interface.Pin; old != nil && old.Address == a && old.By == b.by[i] {
			continue
		}
		plan.Suggestions = append(plan.Suggestions, Suggestion{p.Interface.ID, site.Pin{Address: a, By: b.by[i]}, b.why(i, a)})
	}
	return plan
}

func newBoard(v site.View, rows []site.Placed) *board {
	slices.SortStableFunc(rows, func(p, q site.Placed) int {
		return cmp.Or(
			cmp.Compare(networkPlace(v, p), networkPlace(v, q)),
			cmp.Compare(p.Device.Kind, q.Device.Kind),
			NaturalCompare(p.Device.Name, q.Device.Name),
			NaturalCompare(p.Interface.ID, q.Interface.ID),
		)
	})
	b := &board{v: v, rows: rows}
	moving := map[string]int{}
	for i, p := range rows {
		b.by = append(b.by, Way(v, *p.Interface))
		moving[p.Interface.ID] = i
	}
	taken := b.taken(moving)
	columns := map[uint32]bool{}
	for _, n := range v.Networks {
		for _, c := range candidates(v, n, rows, taken) {
			columns[c] = true
		}
	}
	for c := range columns {
		b.cols = append(b.cols, c)
	}
	slices.Sort(b.cols)
	b.blockers = make([][]int, len(b.cols))
	b.allowed = make([][]bool, len(rows))
	for i, p := range rows {
		b.allowed[i] = make([]bool, len(b.cols))
		n, _ := v.Network(p.Interface.Network)
		for c, addr := range b.cols {
			a := span.Addr(addr)
			if a == seat(p) {
				b.blockers[c] = append(b.blockers[c], i)
			}
			b.allowed[i][c] = b.fits(n, a, b.by[i])
		}
	}
	return b
}

// seat is the address that an interface without a new pin holds: the pin it has,
// or where it was seen.
func seat(p site.Placed) netip.Addr {
	if p.Interface.Pin != nil {
		return p.Interface.Pin.Address
	}
	return p.Interface.Seen
}

func networkPlace(v site.View, p site.Placed) int {
	return slices.IndexFunc(v.Networks, func(n site.Network) bool { return n.ID == p.Interface.Network })
}

// fits reports whether an address of the network can be given in that way; what
// others hold was already taken from the columns.
func (b *board) fits(n site.Network, a netip.Addr, by string) bool {
	if Unusable(b.v, n, a) != "" {
		return false
	}
	if by == site.ByDevice {
		return !InRange(n, a)
	}
	return cannotReserve(b.v, n, a) == ""
}

// taken is what interfaces that are not planned here hold for good.
func (b *board) taken(moving map[string]int) span.Set {
	var runs []span.Run
	hold := func(a netip.Addr) {
		n := span.OfAddr(a)
		runs = append(runs, span.Run{Lo: n, Hi: n})
	}
	for _, p := range b.v.Interfaces() {
		if _, ok := moving[p.Interface.ID]; ok {
			continue
		}
		if p.Interface.Pin != nil {
			hold(p.Interface.Pin.Address)
		}
		if s := p.Interface.Seen; s.IsValid() && p.Interface.Pin == nil {
			hold(s)
		}
	}
	return span.Of(runs...)
}

// candidates gives enough addresses of a network for a best plan. Addresses
// differ only by the DHCP range and the bands they lie in and by who was seen
// there, so of each such stretch the lowest few are as good as all.
func candidates(v site.View, n site.Network, rows []site.Placed, taken span.Set) []uint32 {
	lan := span.OfPrefix(n.Subnet)
	free := span.Of(lan).Minus(taken)
	for _, k := range n.KeepFree {
		free = free.Minus(span.Of(run(k.From, k.To)))
	}
	var special []uint32
	count := 0
	for _, p := range rows {
		if p.Interface.Network == n.ID {
			count++
		}
		for _, a := range []netip.Addr{p.Interface.Seen, pinAddress(p)} {
			if x := span.OfAddr(a); a.IsValid() && free.Contains(x) {
				special = append(special, x)
				free = free.Minus(span.One(x))
			}
		}
	}
	if count == 0 {
		return nil
	}
	stretches := []span.Set{free}
	split := func(r span.Run) {
		var next []span.Set
		for _, s := range stretches {
			next = append(next, s.Overlap(span.Of(r)), s.Minus(span.Of(r)))
		}
		stretches = slices.DeleteFunc(next, span.Set.Empty)
	}
	for _, r := range n.Ranges {
		split(run(r.From, r.To))
	}
	for _, band := range n.Bands {
		split(run(band.From, band.To))
	}
	out := special
	for _, s := range stretches {
		left := count
		s.Numbers(func(x uint32) bool {
			if Unusable(v, n, span.Addr(x)) == "" {
				out = append(out, x)
				left--
			}
			return left > 0
		})
	}
	return out
}

func pinAddress(p site.Placed) netip.Addr {
	if p.Interface.Pin == nil {
		return netip.Addr{}
	}
	return p.Interface.Pin.Address
}

func run(from, to netip.Addr) span.Run { return span.Run{Lo: span.OfAddr(from), Hi: span.OfAddr(to)} }

// cost puts promises 4 to 6 into one number, each counted before the next.
func (b *board) cost(i, col int) int64 {
	p, a := b.rows[i], span.Addr(b.cols[col])
	n, _ := b.v.Network(p.Interface.Network)
	base := int64(len(b.rows) + 1)
	own, other := inBands(n, p.Device.Kind, a)
	c := int64(0)
	for _, bad := range []bool{
		b.by[i] != site.ByDevice && reservesAnywhere(b.v, n) && InRange(n, a),
		p.Interface.Seen.IsValid() && p.Interface.Seen != a,
		!own,
		other && !own,
		p.Interface.Pin != nil && p.Interface.Pin.Address != a,
	} {
		c *= base
		if bad {
			c++
		}
	}
	return c
}

// costLimit is above every cost of one row.
func (b *board) costLimit() int64 {
	base, c := int64(len(b.rows)+1), int64(1)
	for range 5 {
		c *= base
	}
	return c
}

func reservesAnywhere(v site.View, n site.Network) bool {
	r, ok := v.RouterOf(n.ID)
	return ok && r.Form.Reserves != "inside-range" && r.Form.Reserves != "outside-range" && r.Form.Reserves != "no"
}

func inBands(n site.Network, kind string, a netip.Addr) (own, other bool) {
	for _, band := range n.Bands {
		if !between(a, band.From, band.To) || len(band.Kinds) == 0 {
			continue
		}
		if slices.Contains(band.Kinds, kind) {
			own = true
		} else {
			other = true
		}
	}
	return own, other
}

func (b *board) why(i int, a netip.Addr) string {
	p := b.rows[i]
	n, _ := b.v.Network(p.Interface.Network)
	var parts []string
	switch {
	case p.Interface.Seen == a:
		parts = append(parts, "it sits there already")
	case InRange(n, a):
		parts = append(parts, "free, though inside the DHCP range, which the router allows for a reservation")
	default:
		parts = append(parts, "first that is free outside the DHCP range")
	}
	for _, band := range n.Bands {
		if slices.Contains(band.Kinds, p.Device.Kind) && between(a, band.From, band.To) {
			parts = append(parts, "in "+band.Name)
			break
		}
	}
	if b.by[i] == site.ByDevice {
		switch {
		case p.Interface.MAC == "":
			parts = append(parts, "set on the device because its MAC address is not known")
		case p.Interface.MAC.Randomised():
			parts = append(parts, "set on the device because its MAC address is made up and may change")
		default:
			parts = append(parts, "set on the device because the router takes no reservations")
		}
	}
	text := strings.Join(parts, "; ")
	return strings.ToUpper(text[:1]) + text[1:] + "."
}

// noRoom says of the rows left out in a network that they are, with the smallest
// change of a range that would fit them all.
func (b *board) noRoom(n site.Network, left []int) []Unmet {
	var out []Unmet
	advice := ""
	for _, i := range left {
		p := b.rows[i]
		if p.Interface.Network != n.ID {
			continue
		}
		if advice == "" {
			if advice = b.smallestChange(n); advice == "" {
				advice = "No change of one DHCP range makes enough room."
			}
		}
		out = append(out, Unmet{p.Interface.ID, fmt.Sprintf("No free address is left for %s in %s. %s", p.Label(), n.Subnet, advice)})
	}
	return out
}

// smallestChange looks for the range with one end moved by the fewest addresses
// that leaves nobody out.
func (b *board) smallestChange(n site.Network) string {
	place := slices.IndexFunc(b.v.Networks, func(o site.Network) bool { return o.ID == n.ID })
	lan := span.OfPrefix(n.Subnet)
	for step := int64(1); step <= min(int64(lan.Len()), 256); step++ {
		for k, r := range n.Ranges {
			for _, moved := range [][2]int64{{step, 0}, {0, -step}, {-step, 0}, {0, step}} {
				lo, hi := int64(span.OfAddr(r.From))+moved[0], int64(span.OfAddr(r.To))+moved[1]
				if lo > hi || lo <= int64(lan.Lo) || hi >= int64(lan.Hi) {
					continue
				}
				next := b.v.Site
				next.Networks = slices.Clone(next.Networks)
				next.Networks[place].Ranges = slices.Clone(n.Ranges)
				next.Networks[place].Ranges[k] = site.Range{From: span.Addr(uint32(lo)), To: span.Addr(uint32(hi))}
				if try := newBoard(site.NewView(next), slices.Clone(b.rows)); try.allFit() {
					return fmt.Sprintf("A DHCP range of %s to %s would make room.", span.Addr(uint32(lo)), span.Addr(uint32(hi)))
				}
			}
		}
	}
	return ""
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
