package addressing

import (
	"cmp"
	"fmt"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/catalogue"
	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/span"
)

// board is what a plan is made of: the rows, interfaces to be pinned, and the room
// that they share. Neither is looked at one by one: rows that may have the same
// addresses at the same cost are of one class, addresses that are as good as each
// other for everybody of one cell.
type board struct {
	v       site.View
	place   map[string]int // by network: its place among all
	rows    []row
	kinds   []kind
	classes []class
	cells   []cell
	spots   []spot
	ranks   []int // of the rows that want a pin, rising
	least   bool  // only how many are left out counts
}

// seatAt is an address of a network, as a number: the place of the network above its 32
// bits. 0 is none.
type seatAt uint64

func (x seatAt) address() netip.Addr { return ipv4.Addr(uint32(x)) }
func (x seatAt) network() int        { return int(x >> 32) }

// at gives where an address is that an interface of a network has.
func (b *board) at(network string, a netip.Addr) seatAt {
	if !a.IsValid() {
		return 0
	}
	return seatAt(b.place[b.v.Spot(network, a).Network])<<32 | seatAt(ipv4.Number(a))
}

// row is an interface to be pinned.
type row struct {
	site.Placed
	by     site.PinBy
	wanted bool       // else it only has a pin that cannot stay
	keeps  site.PinBy // how it is pinned, if only others stand in the way of that
	class  int
	seat   seatAt // the address that it holds while it gets no new pin: its pin, or where it was seen; 0 for none
	seen   seatAt
	pinned seatAt
	wan    seatAt // of an inner router, as the one in front knows it, its outside: no other will do
}

// kind is what decides which cells a row may have, and at which cost.
type kind struct {
	network int
	by      site.PinBy
	wanted  bool
	bands   uint64 // those that are meant for it
}

// class is rows of one kind and rank that are alike in what they would leave.
type class struct {
	kind, rank   int
	seen, pinned bool
	only         bool // the homes are all that will do
	keeps        site.PinBy
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
	free  []seatAt // those that are nobody's seat, rising, as many as there are rows
	spots []int
}

// rule is what the addresses of a cell are.
type rule struct {
	network int
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
	addrs   []seatAt // rising; of free spots those of the cell
	seats   []int    // the classes that hold it while they get no new pin
}

const (
	freeSpot = iota
	seatSpot
	oneSpot
)

// newBoard makes the board of the interfaces that want a pin, and of those whose pin cannot
// stay though nobody asked for it, with how each is to be pinned.
func newBoard(v site.View, want, mend []site.Placed, by ways) *board {
	b := &board{v: v, place: map[string]int{}}
	for i, n := range v.Networks {
		b.place[n.ID] = i
	}
	add := func(list []site.Placed, wanted bool) {
		for _, p := range list {
			r := row{Placed: p, by: by.of(v, p), wanted: wanted, seen: b.at(p.Interface.Network, p.Interface.Seen)}
			r.seat = r.seen
			if inner, ok := v.OutsideOf(p); ok {
				r.wan = b.at(p.Interface.Network, inner.WAN.Address)
			}
			if p.Interface.Pin != nil {
				r.pinned = b.at(p.Interface.Network, p.Interface.Pin.Address)
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
	slices.SortStableFunc(b.rows, func(p, q row) int {
		return cmp.Or(cmp.Compare(b.place[p.Interface.Network], b.place[q.Interface.Network]), inOrder(p.Placed, q.Placed))
	})
	special := map[seatAt][]int{} // the rows that were seen at an address or are pinned there
	for i, r := range b.rows {
		for k, a := range []seatAt{r.seen, r.pinned, r.wan} {
			if a != 0 && (k == 0 || a != r.seen) && (k < 2 || a != r.pinned) {
				special[a] = append(special[a], i)
			}
		}
	}
	where := b.makeCells(special)
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
func (b *board) taken() map[seatAt]bool {
	moving := make(map[string]bool, len(b.rows))
	for _, r := range b.rows {
		moving[r.Interface.ID] = true
	}
	held := map[seatAt]bool{}
	for _, p := range b.v.Interfaces() {
		if a := seat(p); a.IsValid() && !moving[p.Interface.ID] {
			held[b.at(p.Interface.Network, a)] = true
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

// makeCells cuts the networks of the rows into cells, and tells in which cell each of the
// special addresses lies that can be had at all. Of each cell the lowest few free addresses
// are as good as all.
func (b *board) makeCells(special map[seatAt][]int) map[seatAt]int {
	taken := b.taken()
	busy := map[string]bool{}
	for _, r := range b.rows {
		busy[r.Interface.Network] = true
	}
	addresses := slices.Sorted(maps.Keys(special))
	where := map[seatAt]int{}
	known := map[rule]int{}
	for i, n := range b.v.Networks {
		if !busy[n.ID] {
			continue
		}
		for _, r := range b.alike(n) {
			first, last := seatAt(i)<<32|seatAt(r.Lo), seatAt(i)<<32|seatAt(r.Hi)
			u := b.rule(i, r.Lo)
			plain, edges := b.cell(known, u), -1
			if n.Subnet.Bits() < 24 {
				u.edge = true
				edges = b.cell(known, u)
			}
			open := len(standing(b.v, n, ipv4.Addr(r.Lo))) == 0
			for k, _ := slices.BinarySearch(addresses, first); k < len(addresses) && addresses[k] <= last; k++ {
				a := addresses[k]
				if taken[a] || !open && !slices.ContainsFunc(special[a], func(i int) bool { return b.mayHave(b.rows[i], a) }) {
					continue
				}
				if where[a] = plain; edges >= 0 && isEdge(a) {
					where[a] = edges
				}
			}
			if open {
				b.fill(first, last, plain, edges, func(a seatAt) bool { return taken[a] || special[a] != nil })
			}
		}
	}
	for i := range b.cells {
		slices.Sort(b.cells[i].free)
		b.cells[i].free = b.cells[i].free[:min(len(b.cells[i].free), len(b.rows))]
	}
	return where
}

// alike cuts a network into runs of addresses that are alike for everybody.
func (b *board) alike(n site.Network) []span.Run {
	var cuts []uint64
	cut := func(r span.Run) { cuts = append(cuts, uint64(r.Lo), uint64(r.Hi)+1) }
	one := func(a netip.Addr) {
		if a.IsValid() && n.Subnet.Contains(a) {
			cut(span.Run{Lo: ipv4.Number(a), Hi: ipv4.Number(a)})
		}
	}
	lan := ipv4.Run(n.Subnet)
	cut(lan)
	cut(span.Run{Lo: lan.Lo + 1, Hi: lan.Hi - 1})
	one(n.Gateway)
	for _, r := range b.v.Routers {
		one(r.WAN.Address)
	}
	for _, a := range n.DNS {
		one(a)
	}
	for _, server := range n.Servers {
		one(server.Address)
		one(server.Gateway)
	}
	for spot := range b.v.AllBare() {
		if spot.Network == n.ID {
			one(spot.Address)
		}
	}
	for _, r := range n.Ranges {
		cut(run(r.From, r.To))
	}
	for _, band := range n.Bands {
		cut(run(band.From, band.To))
	}
	for _, k := range n.KeepFree {
		cut(run(k.From, k.To))
	}
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	var out []span.Run
	for i := 0; i+1 < len(cuts); i++ {
		if r := (span.Run{Lo: uint32(cuts[i]), Hi: uint32(cuts[i+1] - 1)}); lan.Contains(r.Lo) && lan.Contains(r.Hi) {
			out = append(out, r)
		}
	}
	return out
}

// mayHave reports whether a row may have an address at which it was seen or is pinned,
// whoever else could: nothing stands in its way there, or nothing that moves a pin.
func (b *board) mayHave(r row, a seatAt) bool {
	n := b.v.Networks[a.network()]
	return n.ID == r.Interface.Network && (r.keeps != "" && r.pinned == a || len(Against(b.v, r.Placed, a.address(), standing(b.v, n, a.address()))) == 0)
}

// private reports whether an address has an obstacle for all but those whose it is.
func (b *board) private(a seatAt) bool {
	return len(standing(b.v, b.v.Networks[a.network()], a.address())) > 0
}

func isEdge(a seatAt) bool { return a&255 == 0 || a&255 == 255 }

// rule tells what an address of a network is.
func (b *board) rule(network int, a uint32) rule {
	n := b.v.Networks[network]
	u := rule{network: network, inRange: InRange(n, ipv4.Addr(a))}
	for k, band := range n.Bands {
		if len(band.Kinds) > 0 && between(ipv4.Addr(a), band.From, band.To) {
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
func (b *board) fill(first, last seatAt, plain, edges int, held func(seatAt) bool) {
	if b.v.Stopped() {
		return
	}
	n := len(b.rows)
	for a, left := first, n; a <= last && left > 0; a++ {
		if !held(a) && (edges < 0 || !isEdge(a)) {
			b.cells[plain].free = append(b.cells[plain].free, a)
			left--
		}
	}
	if edges < 0 {
		return
	}
	for block, left := first&^255, n; block <= last && left > 0; block += 256 {
		for _, a := range []seatAt{block, block + 255} {
			if a >= first && a <= last && !held(a) {
				b.cells[edges].free = append(b.cells[edges].free, a)
				left--
			}
		}
	}
}

// classify puts the rows into kinds and classes, and makes the spots.
func (b *board) classify(special map[seatAt][]int, where map[seatAt]int) {
	for c := range b.cells {
		b.spot(spot{cell: c, what: freeSpot, addrs: b.cells[c].free})
	}
	kinds, classes, ones := map[kind]int{}, map[string]int{}, map[seatAt]int{}
	at := func(a seatAt) int { // the spot of an address by itself
		if _, ok := ones[a]; !ok {
			ones[a] = b.spot(spot{cell: where[a], what: oneSpot, private: b.private(a), addrs: []seatAt{a}})
		}
		return ones[a]
	}
	type sort struct {
		network int
		device  string
	}
	bands := map[sort]uint64{}
	for i := range b.rows {
		r := &b.rows[i]
		is := sort{b.place[r.Interface.Network], r.Device.Kind}
		if _, ok := bands[is]; !ok {
			bands[is] = bandsFor(b.v.Networks[is.network], is.device)
		}
		k := kind{is.network, r.by, r.wanted, bands[is]}
		if _, ok := kinds[k]; !ok {
			kinds[k] = len(b.kinds)
			b.kinds = append(b.kinds, k)
		}
		c := class{kind: kinds[k], rank: r.Device.Importance(), seen: r.seen != 0, pinned: r.pinned != 0, only: r.wan != 0, keeps: r.keeps, seat: -1}
		var homes []seatAt
		for _, a := range []seatAt{r.seen, r.pinned, r.wan} {
			if r.wan != 0 && a != r.wan {
				continue
			}
			if _, usable := where[a]; usable && a != 0 && !slices.Contains(homes, a) && (a.network() != k.network || b.mayHave(*r, a)) {
				homes = append(homes, a)
			}
		}
		own := len(homes) == 1 && homes[0] == r.seat && len(special[r.seat]) == 1 && !b.private(r.seat)
		var text strings.Builder
		fmt.Fprint(&text, c.kind, " ", c.rank, " ", c.seen, " ", c.pinned, c.only, " ", c.keeps, " ")
		if own {
			fmt.Fprint(&text, "seats of ", where[r.seat], r.seen == r.seat, r.pinned == r.seat)
		} else {
			fmt.Fprint(&text, homes, slices.Contains(homes, r.seat), r.seat*seatAt(min(1, len(homes))))
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
func keeps(v site.View, p site.Placed, by ways) site.PinBy {
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
	if k.network != u.network || k.by == site.ByDevice {
		return k.network == u.network && !u.inRange
	}
	return reserves(b.v, b.v.Networks[k.network], u.inRange) == ""
}

// allowedHome reports whether a class may have a home, and in which way: one that is pinned
// there stays in the way it has.
func (b *board) allowedHome(c class, h home) (kind, bool) {
	k, u := b.kinds[c.kind], b.cells[b.spots[h.spot].cell].rule
	if h.pinned && c.keeps != "" {
		k.by = c.keeps
		return k, k.network == u.network
	}
	return k, b.allowed(k, u)
}

// holders tells how many rows hold a spot while they get no new pin.
func (b *board) holders(s spot) int {
	n := 0
	for _, c := range s.seats {
		n += len(b.classes[c].rows)
	}
	return n
}
