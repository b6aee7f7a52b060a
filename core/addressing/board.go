package addressing

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/catalogue"
	"vestpin/core/site"
	"vestpin/core/span"
)

// board is what a plan is made of: the rows, interfaces to be pinned, and the room
// that they share. Neither is looked at one by one: rows that may have the same
// addresses at the same cost are of one class, addresses that are as good as each
// other for everybody of one cell.
type board struct {
	v       site.View
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
	network int
	by      string
	wanted  bool
	bands   uint64 // those that are meant for it
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
	rules []rule
	free  []uint32 // those that are nobody's seat, rising, as many as there are rows
	spots []int
}

// rule is what the addresses of a cell are in one network.
type rule struct {
	network int
	inRange bool
	bands   uint64
	edge    bool // ends in .0 or .255 in a subnet larger than a /24
}

// spot is addresses of a cell of which any can be had: its free ones, the seats of one
// class, each of one row, or one address in which several rows have an interest.
type spot struct {
	cell  int
	what  int
	addrs []uint32 // rising; of free spots those of the cell
	seats []int    // the classes that hold it while they get no new pin
}

const (
	freeSpot = iota
	seatSpot
	oneSpot
)

func newBoard(v site.View, want, mend []site.Placed) *board {
	b := &board{v: v}
	add := func(list []site.Placed, wanted bool) {
		for _, p := range list {
			r := row{Placed: p, by: Way(v, *p.Interface), wanted: wanted, seen: span.OfAddr(p.Interface.Seen)}
			r.seat = r.seen
			if p.Interface.Pin != nil {
				r.pinned = span.OfAddr(p.Interface.Pin.Address)
				r.seat, r.keeps = r.pinned, keeps(v, p)
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
	place := map[string]int{}
	for i, n := range v.Networks {
		place[n.ID] = i
	}
	slices.SortStableFunc(b.rows, func(p, q row) int {
		return cmp.Or(
			cmp.Compare(place[p.Interface.Network], place[q.Interface.Network]),
			cmp.Compare(p.Device.Kind, q.Device.Kind),
			NaturalCompare(p.Device.Name, q.Device.Name),
			NaturalCompare(p.Interface.ID, q.Interface.ID),
		)
	})
	special := map[uint32][]int{} // the rows that were seen at an address or are pinned there
	for i, r := range b.rows {
		for k, a := range []uint32{r.seen, r.pinned} {
			if a != 0 && (k == 0 || a != r.seen) {
				special[a] = append(special[a], i)
			}
		}
	}
	where := b.makeCells(special)
	b.classify(place, special, where)
	return b
}

// taken is what interfaces that are not planned here hold for good.
func (b *board) taken() map[uint32]bool {
	moving := make(map[string]bool, len(b.rows))
	for _, r := range b.rows {
		moving[r.Interface.ID] = true
	}
	held := map[uint32]bool{}
	for _, p := range b.v.Interfaces() {
		if moving[p.Interface.ID] {
			continue
		}
		if a := seat(p); a.IsValid() {
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

// makeCells cuts the networks of the rows into cells, and tells in which cell each of
// the special addresses lies that can be had at all. Of each cell the lowest few free
// addresses are as good as all.
func (b *board) makeCells(special map[uint32][]int) map[uint32]int {
	taken := b.taken()
	busy := map[string]bool{}
	for _, r := range b.rows {
		busy[r.Interface.Network] = true
	}
	var cuts []uint64
	cut := func(r span.Run) { cuts = append(cuts, uint64(r.Lo), uint64(r.Hi)+1) }
	one := func(a netip.Addr) {
		if a.IsValid() {
			cut(span.Run{Lo: span.OfAddr(a), Hi: span.OfAddr(a)})
		}
	}
	for _, r := range b.v.Routers {
		one(r.WAN.Address)
	}
	for _, n := range b.v.Networks {
		if !busy[n.ID] {
			continue
		}
		lan := span.OfPrefix(n.Subnet)
		cut(lan)
		cut(span.Run{Lo: lan.Lo + 1, Hi: lan.Hi - 1})
		one(n.Gateway)
		for _, r := range n.Ranges {
			cut(run(r.From, r.To))
		}
		for _, band := range n.Bands {
			cut(run(band.From, band.To))
		}
		for _, k := range n.KeepFree {
			cut(run(k.From, k.To))
		}
	}
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	addresses := make([]uint32, 0, len(special))
	for a := range special {
		addresses = append(addresses, a)
	}
	slices.Sort(addresses)
	where := map[uint32]int{}
	known := map[string]int{}
	for i := 0; i+1 < len(cuts); i++ {
		r := span.Run{Lo: uint32(cuts[i]), Hi: uint32(cuts[i+1] - 1)}
		rules := b.rules(r.Lo, busy)
		if len(rules) == 0 {
			continue
		}
		plain, edges := b.cell(known, rules, false), -1
		if slices.ContainsFunc(rules, func(u rule) bool { return b.v.Networks[u.network].Subnet.Bits() < 24 }) {
			edges = b.cell(known, rules, true)
		}
		for k, _ := slices.BinarySearch(addresses, r.Lo); k < len(addresses) && addresses[k] <= r.Hi; k++ {
			a := addresses[k]
			if taken[a] {
				continue
			}
			if where[a] = plain; edges >= 0 && isEdge(a) {
				where[a] = edges
			}
		}
		b.fill(r, plain, edges, func(a uint32) bool { return taken[a] || special[a] != nil })
	}
	for i := range b.cells {
		slices.Sort(b.cells[i].free)
		b.cells[i].free = b.cells[i].free[:min(len(b.cells[i].free), len(b.rows))]
	}
	return where
}

func isEdge(a uint32) bool { return a&255 == 0 || a&255 == 255 }

// rules tells what an address is in each network in which it can be had.
func (b *board) rules(a uint32, busy map[string]bool) []rule {
	var out []rule
	for i, n := range b.v.Networks {
		if !busy[n.ID] || !n.Subnet.Contains(span.Addr(a)) || Unusable(b.v, n, span.Addr(a)) != "" {
			continue
		}
		u := rule{network: i, inRange: InRange(n, span.Addr(a))}
		for k, band := range n.Bands {
			if len(band.Kinds) > 0 && between(span.Addr(a), band.From, band.To) {
				u.bands |= 1 << k
			}
		}
		out = append(out, u)
	}
	return out
}

func (b *board) cell(known map[string]int, rules []rule, edge bool) int {
	rules = slices.Clone(rules)
	for i := range rules {
		rules[i].edge = edge && b.v.Networks[rules[i].network].Subnet.Bits() < 24
	}
	key := fmt.Sprint(rules)
	if i, ok := known[key]; ok {
		return i
	}
	known[key] = len(b.cells)
	b.cells = append(b.cells, cell{rules: rules})
	return len(b.cells) - 1
}

// fill puts the free addresses of a run into its cells, as many as there are rows.
func (b *board) fill(r span.Run, plain, edges int, held func(uint32) bool) {
	b.v.Breathe()
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
func (b *board) classify(place map[string]int, special map[uint32][]int, where map[uint32]int) {
	for c := range b.cells {
		b.spot(spot{cell: c, what: freeSpot, addrs: b.cells[c].free})
	}
	kinds, classes, ones := map[kind]int{}, map[string]int{}, map[uint32]int{}
	at := func(a uint32) int { // the spot of an address by itself
		if _, ok := ones[a]; !ok {
			ones[a] = b.spot(spot{cell: where[a], what: oneSpot, addrs: []uint32{a}})
		}
		return ones[a]
	}
	bands := map[string]uint64{} // by network and kind of device
	for i := range b.rows {
		r := &b.rows[i]
		net := place[r.Interface.Network]
		key := fmt.Sprint(net, " ", r.Device.Kind)
		if _, ok := bands[key]; !ok {
			bands[key] = bandsFor(b.v.Networks[net], r.Device.Kind)
		}
		k := kind{net, r.by, r.wanted, bands[key]}
		if _, ok := kinds[k]; !ok {
			kinds[k] = len(b.kinds)
			b.kinds = append(b.kinds, k)
		}
		c := class{kind: kinds[k], rank: r.Device.Importance(), seen: r.seen != 0, pinned: r.pinned != 0, keeps: r.keeps, seat: -1}
		var homes []uint32
		for _, a := range []uint32{r.seen, r.pinned} {
			if _, usable := where[a]; usable && a != 0 && !slices.Contains(homes, a) {
				homes = append(homes, a)
			}
		}
		own := len(homes) == 1 && homes[0] == r.seat && len(special[r.seat]) == 1
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
func keeps(v site.View, p site.Placed) string {
	pin := p.Interface.Pin
	n, _ := v.Network(p.Interface.Network)
	if Unusable(v, n, pin.Address) != "" || pin.Reserved() && (p.Interface.MAC == "" || cannotReserve(v, n, pin.Address) != "") {
		return ""
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

// allowed gives what a cell is for a kind, if it may be had.
func (b *board) allowed(k kind, c cell) (rule, bool) {
	i := slices.IndexFunc(c.rules, func(u rule) bool { return u.network == k.network })
	if i < 0 {
		return rule{}, false
	}
	u := c.rules[i]
	if k.by == site.ByDevice {
		return u, !u.inRange
	}
	return u, reserves(b.v, b.v.Networks[k.network], u.inRange) == ""
}

// allowedHome gives what a home is for a class, if it may be had, and in which way: one
// that is pinned there stays in the way it has.
func (b *board) allowedHome(c class, h home) (rule, kind, bool) {
	k, cell := b.kinds[c.kind], b.cells[b.spots[h.spot].cell]
	if h.pinned && c.keeps != "" {
		i := slices.IndexFunc(cell.rules, func(u rule) bool { return u.network == k.network })
		k.by = c.keeps
		return cell.rules[max(0, i)], k, i >= 0
	}
	u, ok := b.allowed(k, cell)
	return u, k, ok
}

// holders tells how many rows hold a spot while they get no new pin.
func (b *board) holders(s spot) int {
	n := 0
	for _, c := range s.seats {
		n += len(b.classes[c].rows)
	}
	return n
}
