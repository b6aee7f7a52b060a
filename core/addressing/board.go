package addressing

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/catalogue"
	"vestpin/core/site"
	"vestpin/core/span"
)

// board is what the plan for one network is made of: the rows, interfaces to be pinned, and
// the room that they share. Neither is looked at one by one: rows that may have the same
// addresses at the same cost are of one class, addresses that are as good as each
// other for everybody of one cell.
type board struct {
	v       site.View
	n       site.Network
	rows    []row
	kinds   []kind
	classes []class
	cells   []cell
	spots   []spot
	ranks   []int // of the rows that want a pin, rising
	least   bool  // only how many are left out counts
}

// row is an interface to be pinned.
type row struct {
	site.Placed
	by     string
	wanted bool   // else it only has a pin that cannot stay
	keeps  string // how it is pinned, if only others stand in the way of that
	class  int
	seat   uint32 // the address that it holds while it gets no new pin: its pin, or where it was seen; 0 for none
	seen   uint32
	pinned uint32
}

// kind is what decides which cells a row may have, and at which cost.
type kind struct {
	by     string
	wanted bool
	bands  uint64 // those that are meant for it
}

// class is rows of one kind and rank that are alike in what they would leave.
type class struct {
	kind, rank   int
	seen, pinned bool
	keeps        string
	home         []home
	seat         int // the spot that one of them holds while it gets no new pin, -1 for none
	rows         []int
}

// home is a spot that costs a class less than others of its cell.
type home struct {
	spot         int
	seen, pinned bool // it is where they were seen, where they are pinned
}

// cell is addresses that are alike for everybody.
type cell struct {
	rule
	free  []uint32 // those that are nobody's seat, rising, as many as there are rows
	spots []int
}

// rule is what the addresses of a cell are.
type rule struct {
	inRange bool
	bands   uint64
	edge    bool // ends in .0 or .255 in a subnet larger than a /24
}

// spot is addresses of a cell of which any can be had: its free ones, the seats of one
// class, each of one row, or one address in which several rows have an interest. What has
// an obstacle for all but some is private: those alone have it, as their home.
type spot struct {
	cell    int
	what    int
	private bool
	addrs   []uint32 // rising; of free spots those of the cell
	seats   []int    // the classes that hold it while they get no new pin
}

const (
	freeSpot = iota
	seatSpot
	oneSpot
)

// newBoard makes the board of a network: the interfaces of it that want a pin, those whose
// pin cannot stay though nobody asked for it, and how each is to be pinned. Those of other
// networks that leave hold no address of this one.
func newBoard(v site.View, n site.Network, want, mend []site.Placed, by ways, leave map[string]bool) *board {
	b := &board{v: v, n: n}
	add := func(list []site.Placed, wanted bool) {
		for _, p := range list {
			if p.Interface.Network != n.ID {
				continue
			}
			r := row{Placed: p, by: by.of(v, p), wanted: wanted, seen: span.OfAddr(p.Interface.Seen)}
			r.seat = r.seen
			if p.Interface.Pin != nil {
				r.pinned = span.OfAddr(p.Interface.Pin.Address)
				r.seat, r.keeps = r.pinned, keeps(v, p, by)
			}
			b.rows = append(b.rows, r)
			if wanted && !slices.Contains(b.ranks, p.Device.Importance()) {
				b.ranks = append(b.ranks, p.Device.Importance())
			}
		}
	}
	add(want, true)
	add(mend, false)
	slices.Sort(b.ranks)
	slices.SortStableFunc(b.rows, func(p, q row) int { return inOrder(p.Placed, q.Placed) })
	special := map[uint32][]int{} // the rows that were seen at an address or are pinned there
	for i, r := range b.rows {
		for k, a := range []uint32{r.seen, r.pinned} {
			if a != 0 && (k == 0 || a != r.seen) {
				special[a] = append(special[a], i)
			}
		}
	}
	where := b.makeCells(special, b.taken(leave))
	b.classify(special, where)
	return b
}

// inOrder is the order of interfaces of a network: by kind, then by name.
func inOrder(p, q site.Placed) int {
	return cmp.Or(
		cmp.Compare(p.Device.Kind, q.Device.Kind),
		NaturalCompare(p.Device.Name, q.Device.Name),
		NaturalCompare(p.Interface.ID, q.Interface.ID),
	)
}

// taken is what interfaces that are not planned here hold for good.
func (b *board) taken(leave map[string]bool) map[uint32]bool {
	moving := make(map[string]bool, len(b.rows))
	for _, r := range b.rows {
		moving[r.Interface.ID] = true
	}
	held := map[uint32]bool{}
	for _, p := range b.v.Interfaces() {
		if moving[p.Interface.ID] || leave[p.Interface.ID] {
			continue
		}
		if a := seat(p); a.IsValid() && b.v.Spot(p.Interface.Network, a).Network == b.n.ID {
			held[span.OfAddr(a)] = true
		}
	}
	return held
}

// seat is the address that an interface without a new pin holds: the pin it has,
// or where it was seen.
func seat(p site.Placed) netip.Addr {
	if p.Interface.Pin != nil {
		return p.Interface.Pin.Address
	}
	return p.Interface.Seen
}

// makeCells cuts the network into cells, and tells in which cell each of the special
// addresses lies that can be had at all. Of each cell the lowest few free addresses are as
// good as all.
func (b *board) makeCells(special map[uint32][]int, taken map[uint32]bool) map[uint32]int {
	var cuts []uint64
	cut := func(r span.Run) { cuts = append(cuts, uint64(r.Lo), uint64(r.Hi)+1) }
	one := func(a netip.Addr) {
		if a.IsValid() && b.n.Subnet.Contains(a) {
			cut(span.Run{Lo: span.OfAddr(a), Hi: span.OfAddr(a)})
		}
	}
	lan := span.OfPrefix(b.n.Subnet)
	cut(lan)
	cut(span.Run{Lo: lan.Lo + 1, Hi: lan.Hi - 1})
	one(b.n.Gateway)
	for _, r := range b.v.Routers {
		one(r.WAN.Address)
	}
	for _, a := range b.n.DNS {
		one(a)
	}
	for _, server := range b.n.Servers {
		one(server.Address)
		one(server.Gateway)
	}
	for spot := range b.v.AllBare() {
		if spot.Network == b.n.ID {
			one(spot.Address)
		}
	}
	for _, r := range b.n.Ranges {
		cut(run(r.From, r.To))
	}
	for _, band := range b.n.Bands {
		cut(run(band.From, band.To))
	}
	for _, k := range b.n.KeepFree {
		cut(run(k.From, k.To))
	}
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	addresses := slices.Sorted(maps.Keys(special))
	where := map[uint32]int{}
	known := map[rule]int{}
	for i := 0; i+1 < len(cuts); i++ {
		r := span.Run{Lo: uint32(cuts[i]), Hi: uint32(cuts[i+1] - 1)}
		if r.Lo < lan.Lo || r.Hi > lan.Hi {
			continue
		}
		u := b.rule(r.Lo)
		plain, edges := b.cell(known, u), -1
		if b.n.Subnet.Bits() < 24 {
			u.edge = true
			edges = b.cell(known, u)
		}
		open := len(standing(b.v, b.n, span.Addr(r.Lo))) == 0
		for k, _ := slices.BinarySearch(addresses, r.Lo); k < len(addresses) && addresses[k] <= r.Hi; k++ {
			a := addresses[k]
			if taken[a] || !open && !slices.ContainsFunc(special[a], func(i int) bool { return b.mayHave(b.rows[i], a) }) {
				continue
			}
			if where[a] = plain; edges >= 0 && isEdge(a) {
				where[a] = edges
			}
		}
		if open {
			b.fill(r, plain, edges, func(a uint32) bool { return taken[a] || special[a] != nil })
		}
	}
	for i := range b.cells {
		slices.Sort(b.cells[i].free)
		b.cells[i].free = b.cells[i].free[:min(len(b.cells[i].free), len(b.rows))]
	}
	return where
}

// mayHave reports whether a row may have an address at which it was seen or is pinned,
// whoever else could: nothing stands in its way there, or nothing that moves a pin.
func (b *board) mayHave(r row, a uint32) bool {
	return r.keeps != "" && r.pinned == a || len(Against(b.v, r.Placed, span.Addr(a), standing(b.v, b.n, span.Addr(a)))) == 0
}

func isEdge(a uint32) bool { return a&255 == 0 || a&255 == 255 }

// rule tells what an address is.
func (b *board) rule(a uint32) rule {
	u := rule{inRange: InRange(b.n, span.Addr(a))}
	for k, band := range b.n.Bands {
		if len(band.Kinds) > 0 && between(span.Addr(a), band.From, band.To) {
			u.bands |= 1 << k
		}
	}
	return u
}

func (b *board) cell(known map[rule]int, u rule) int {
	if i, ok := known[u]; ok {
		return i
	}
	known[u] = len(b.cells)
	b.cells = append(b.cells, cell{rule: u})
	return len(b.cells) - 1
}

// fill puts the free addresses of a run into its cells, as many as there are rows.
func (b *board) fill(r span.Run, plain, edges int, held func(uint32) bool) {
	if b.v.Stopped() {
		return
	}
	n := len(b.rows)
	for a, left := uint64(r.Lo), n; a <= uint64(r.Hi) && left > 0; a++ {
		if x := uint32(a); !held(x) && (edges < 0 || !isEdge(x)) {
			b.cells[plain].free = append(b.cells[plain].free, x)
			left--
		}
	}
	if edges < 0 {
		return
	}
	for block, left := uint64(r.Lo)&^255, n; block <= uint64(r.Hi) && left > 0; block += 256 {
		for _, a := range []uint64{block, block + 255} {
			if a >= uint64(r.Lo) && a <= uint64(r.Hi) && !held(uint32(a)) {
				b.cells[edges].free = append(b.cells[edges].free, uint32(a))
				left--
			}
		}
	}
}

// classify puts the rows into kinds and classes, and makes the spots.
func (b *board) classify(special map[uint32][]int, where map[uint32]int) {
	for c := range b.cells {
		b.spot(spot{cell: c, what: freeSpot, addrs: b.cells[c].free})
	}
	kinds, classes, ones := map[kind]int{}, map[string]int{}, map[uint32]int{}
	at := func(a uint32) int { // the spot of an address by itself
		if _, ok := ones[a]; !ok {
			private := len(standing(b.v, b.n, span.Addr(a))) > 0
			ones[a] = b.spot(spot{cell: where[a], what: oneSpot, private: private, addrs: []uint32{a}})
		}
		return ones[a]
	}
	bands := map[string]uint64{} // by kind of device
	for i := range b.rows {
		r := &b.rows[i]
		if _, ok := bands[r.Device.Kind]; !ok {
			bands[r.Device.Kind] = bandsFor(b.n, r.Device.Kind)
		}
		k := kind{r.by, r.wanted, bands[r.Device.Kind]}
		if _, ok := kinds[k]; !ok {
			kinds[k] = len(b.kinds)
			b.kinds = append(b.kinds, k)
		}
		c := class{kind: kinds[k], rank: r.Device.Importance(), seen: r.seen != 0, pinned: r.pinned != 0, keeps: r.keeps, seat: -1}
		var homes []uint32
		for _, a := range []uint32{r.seen, r.pinned} {
			if _, usable := where[a]; usable && a != 0 && !slices.Contains(homes, a) && b.mayHave(*r, a) {
				homes = append(homes, a)
			}
		}
		own := len(homes) == 1 && homes[0] == r.seat && len(special[r.seat]) == 1 && len(standing(b.v, b.n, span.Addr(r.seat))) == 0
		var text strings.Builder
		fmt.Fprint(&text, c.kind, " ", c.rank, " ", c.seen, " ", c.pinned, " ", c.keeps, " ")
		if own {
			fmt.Fprint(&text, "seats of ", where[r.seat], r.seen == r.seat, r.pinned == r.seat)
		} else {
			fmt.Fprint(&text, homes, slices.Contains(homes, r.seat), r.seat*uint32(min(1, len(homes))))
		}
		id, ok := classes[text.String()]
		if !ok {
			id = len(b.classes)
			classes[text.String()] = id
			if own {
				s := b.spot(spot{cell: where[r.seat], what: seatSpot, seats: []int{id}})
				c.home, c.seat = []home{{s, r.seen == r.seat, r.pinned == r.seat}}, s
			}
			for _, a := range homes {
				if own {
					break
				}
				s := at(a)
				c.home = append(c.home, home{s, r.seen == a, r.pinned == a})
				if a == r.seat {
					c.seat = s
					b.spots[s].seats = append(b.spots[s].seats, id)
				}
			}
			b.classes = append(b.classes, c)
		}
		r.class = id
		b.classes[id].rows = append(b.classes[id].rows, i)
		if own {
			s := &b.spots[b.classes[id].seat]
			s.addrs = append(s.addrs, r.seat)
		}
	}
	for i := range b.spots {
		slices.Sort(b.spots[i].addrs)
	}
}

func (b *board) spot(s spot) int {
	b.spots = append(b.spots, s)
	id := len(b.spots) - 1
	b.cells[s.cell].spots = append(b.cells[s.cell].spots, id)
	return id
}

// keeps gives the way of a pin that could stay if nobody else were there, or "".
func keeps(v site.View, p site.Placed, by ways) string {
	pin := p.Interface.Pin
	if _, full := by.full[p.Interface.ID]; pin.Reserved() && (p.Interface.MAC == "" || full) {
		return ""
	}
	for _, o := range obstaclesFor(v, p, pin.Address, pin.By) {
		if o.snag != noSnag && o.Owner == nil {
			return ""
		}
	}
	return pin.By
}

// bandsFor gives the bands of a network that are meant for a kind of device.
func bandsFor(n site.Network, kind string) uint64 {
	var out uint64
	for k, band := range n.Bands {
		if catalogue.Among(band.Kinds, kind) {
			out |= 1 << k
		}
	}
	return out
}

// allowed reports whether a kind may have the addresses of a cell.
func (b *board) allowed(k kind, u rule) bool {
	if k.by == site.ByDevice {
		return !u.inRange
	}
	return reserves(b.v, b.n, u.inRange) == ""
}

// allowedHome reports whether a class may have a home, and in which way: one that is pinned
// there stays in the way it has.
func (b *board) allowedHome(c class, h home) (kind, bool) {
	k := b.kinds[c.kind]
	if h.pinned && c.keeps != "" {
		k.by = c.keeps
		return k, true
	}
	return k, b.allowed(k, b.cells[b.spots[h.spot].cell].rule)
}

// holders tells how many rows hold a spot while they get no new pin.
func (b *board) holders(s spot) int {
	n := 0
	for _, c := range s.seats {
		n += len(b.classes[c].rows)
	}
	return n
}
