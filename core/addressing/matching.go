package addressing

import (
	"maps"
	"slices"

	"vestpin/core/flow"
	"vestpin/core/site"
)

// How many answers are tried where seats are disputed, those that several rows hold
// while they get no new pin: so many among few rows, fewer among more.
const (
	mostTries = 300
	fewTries  = 2
	fewRows   = 60
)

// The states of a disputed seat: whoever gets it, nobody may keep holding it.
const (
	open       = iota // not decided yet
	someGets          // not closed
	emptied           // all its holders get a pin
	pinnedOnly        // those that were seen there get a pin; one that is pinned there may stay
	closed            // some holder stays, so nobody gets it
)

// The costs of a row that is placed, behind those of rows left out: inside a range,
// leaving where it was seen, outside its bands, in another's, at an edge, moved.
const (
	costInRange = iota
	costLeaves
	costNoBand
	costOtherBand
	costEdge
	costMoves
	costs
)

// base is the level at which the costs of wanted rows begin, or of others. Before them
// are the rows left out: how many, and how many of each rank.
func (b *board) base(wanted bool) int {
	if wanted {
		return 1 + len(b.ranks)
	}
	return 1 + len(b.ranks) + costs + 1
}

// levels is how many levels of costs there are.
func (b *board) levels() int {
	switch {
	case b.least:
		return 1
	case slices.ContainsFunc(b.rows, func(r row) bool { return !r.wanted }):
		return b.base(false) + costs
	}
	return b.base(true) + costs
}

func (b *board) costOut(c class) flow.Cost {
	cost := make(flow.Cost, b.base(false)+costs)
	if b.least {
		cost[0] = 1
		return cost
	}
	if !b.kinds[c.kind].wanted {
		cost[b.base(false)-1] = 1
		return cost
	}
	cost[0] = 1
	cost[1+slices.Index(b.ranks, c.rank)] = 1
	return cost
}

// costOf is what a kind pays for a cell, the leaving and moving aside.
func (b *board) costOf(k kind, u rule) flow.Cost {
	cost := make(flow.Cost, b.base(false)+costs)
	at := cost[b.base(k.wanted):]
	own := u.bands&k.bands != 0
	for level, bad := range map[int]bool{
		costInRange:   k.by != site.ByDevice && u.inRange && reservesAnywhere(b.v, b.v.Networks[k.network]),
		costNoBand:    !own,
		costOtherBand: !own && u.bands != 0,
		costEdge:      u.edge,
	} {
		if bad {
			at[level] = 1
		}
	}
	return cost
}

func (b *board) costLeaving(c class, h home) flow.Cost {
	cost := make(flow.Cost, b.base(false)+costs)
	at := cost[b.base(b.kinds[c.kind].wanted):]
	if c.seen && !h.seen {
		at[costLeaves] = 1
	}
	if c.pinned && !h.pinned {
		at[costMoves] = 1
	}
	return cost
}

// net is the board as a network: from the source through classes, kinds, cells and
// spots to the sink, or from a class straight to a home or out.
type net struct {
	*flow.Network
	b       *board
	class   []node // by class: its node, its supply, its arc to its kind
	kind    []node // by kind: its node; the supply and arc of those whose seat was given away
	mover   []int  // by kind: the node of those
	cell    []int
	spot    []node // by spot: its node, its arc to the sink, the arc of its cell to it
	toCell  [][]int
	homes   [][]int // by class, as its homes
	out     []int   // by class, -1 where all of it must be placed
	outSpot []bool  // by class: who is out holds the seat of the class
	placed  bool    // everybody went somewhere
}

type node struct{ id, supply, arc int }

const none = -1

// solve places the rows at the lowest cost, with the disputed seats in given states.
func (b *board) solve(states map[int]int) *net {
	levels := b.levels()
	g := &net{Network: flow.New(levels), b: b}
	trim := func(c flow.Cost) flow.Cost { return c[:levels] }
	source, sink := g.Node(), g.Node()
	for range b.cells {
		g.cell = append(g.cell, g.Node())
	}
	for i, s := range b.spots {
		n := node{id: g.Node(), arc: none}
		room := len(s.addrs)
		if states[i] == closed {
			room = 0
		}
		n.supply = g.Arc(n.id, sink, room, nil)
		if states[i] != pinnedOnly && !s.private {
			n.arc = g.Arc(g.cell[s.cell], n.id, flow.Endless, nil)
		}
		g.spot = append(g.spot, n)
	}
	for _, k := range b.kinds {
		n := node{id: g.Node()}
		to := make([]int, len(b.cells))
		for c := range b.cells {
			to[c] = none
			if u := b.cells[c].rule; b.allowed(k, u) {
				to[c] = g.Arc(n.id, g.cell[c], flow.Endless, trim(b.costOf(k, u)))
			}
		}
		g.toCell = append(g.toCell, to)
		mover := g.Node()
		g.mover = append(g.mover, mover)
		n.supply, n.arc = g.Arc(source, mover, 0, nil), g.Arc(mover, n.id, flow.Endless, nil)
		g.kind = append(g.kind, n)
	}
	for _, c := range b.classes {
		n := node{id: g.Node()}
		n.supply = g.Arc(source, n.id, len(c.rows), nil)
		room := flow.Endless
		if c.only {
			room = 0
		}
		n.arc = g.Arc(n.id, g.kind[c.kind].id, room, trim(b.costLeaving(c, home{})))
		g.class = append(g.class, n)
		var homes []int
		for _, h := range c.home {
			k, ok := b.allowedHome(c, h)
			if ok && (states[h.spot] != pinnedOnly || h.pinned) {
				homes = append(homes, g.Arc(n.id, g.spot[h.spot].id, flow.Endless, trim(flow.Sum(b.costOf(k, b.cells[b.spots[h.spot].cell].rule), b.costLeaving(c, h)))))
			} else {
				homes = append(homes, none)
			}
		}
		g.homes = append(g.homes, homes)
		out, holds := none, false
		if !b.mustPlace(c, states) {
			to := sink
			if holds = c.seat >= 0 && (b.spots[c.seat].what == seatSpot || b.holders(b.spots[c.seat]) == 1); holds {
				to = g.spot[c.seat].id
			}
			out = g.Arc(n.id, to, flow.Endless, trim(b.costOut(c)))
		}
		g.out, g.outSpot = append(g.out, out), append(g.outSpot, holds)
	}
	g.placed = g.Send(source, sink, len(b.rows), b.v.Stopped) == len(b.rows)
	return g
}

// mustPlace reports whether the states of disputed seats leave a class no way out.
func (b *board) mustPlace(c class, states map[int]int) bool {
	if c.seat < 0 {
		return false
	}
	return states[c.seat] == emptied || states[c.seat] == pinnedOnly && !c.pinned
}

// leftOut is how many rows of a class stay without a pin.
func (g *net) leftOut(class int) int {
	if g.out[class] == none {
		return 0
	}
	return g.Carries(g.out[class])
}

// disputes finds the seats that somebody gets while another still holds them. Of two
// that are pinned alike one may stay.
func (g *net) disputes() []int {
	var out []int
	for i, s := range g.b.spots {
		if s.what != oneSpot || g.Carries(g.spot[i].supply) == 0 || g.b.holders(s) < 2 {
			continue
		}
		if seen, all := g.holding(s); seen > 0 || all > 0 && !g.stays(i) {
			out = append(out, i)
		}
	}
	return out
}

// holding is how many rows still hold a seat where they were only seen, and how many
// hold it at all.
func (g *net) holding(s spot) (seen, all int) {
	for _, c := range s.seats {
		all += g.leftOut(c)
		if !g.b.classes[c].pinned {
			seen += g.leftOut(c)
		}
	}
	return seen, all
}

// stays reports whether who gets a spot is pinned there.
func (g *net) stays(spot int) bool {
	for c, class := range g.b.classes {
		for k, h := range class.home {
			if h.spot == spot && h.pinned && g.homes[c][k] != none && g.Carries(g.homes[c][k]) > 0 {
				return true
			}
		}
	}
	return false
}

// leaving is the search for the states of disputed seats.
type leaving struct {
	b      *board
	best   *net
	cost   []int64
	states map[int]int // of best
	tries  int
	most   int
}

// leaveOut places as many rows as can be, at the lowest cost, and tells whether that
// is proven. Where rows left out keep holding a seat that somebody got, the states of
// that seat are tried.
func (b *board) leaveOut() (g *net, states map[int]int, proven bool) {
	g = b.solve(nil)
	if len(g.disputes()) == 0 {
		return g, nil, true
	}
	h := &leaving{b: b, most: max(fewTries, mostTries*fewRows/max(fewRows, len(b.rows)))}
	h.first(g, closed)
	h.first(g, emptied)
	h.search(map[int]int{})
	return h.best, h.states, h.tries <= h.most
}

// first looks for an answer in which all disputed seats are in one state: those of the
// answer at hand, then those of the next, and soon all that could be.
func (h *leaving) first(g *net, state int) {
	states := map[int]int{}
	for round := 1; g.placed && !h.b.v.Stopped(); round++ {
		list := g.disputes()
		if len(list) == 0 {
			h.keep(g, states)
			return
		}
		for _, x := range list {
			states[x] = state
		}
		if round > 2 {
			for x, s := range h.b.spots {
				if s.what == oneSpot && h.b.holders(s) > 1 {
					states[x] = state
				}
			}
		}
		g = h.b.solve(states)
	}
}

func (h *leaving) keep(g *net, states map[int]int) {
	if cost := g.Total(); h.best == nil || slices.Compare(cost, h.cost) < 0 {
		h.best, h.cost, h.states = g, cost, states
	}
}

func (h *leaving) search(states map[int]int) {
	states = maps.Clone(states)
	for {
		if h.tries++; h.tries > h.most || h.b.v.Stopped() {
			return
		}
		g := h.b.solve(states)
		if !g.placed || slices.Compare(g.Total(), h.cost) >= 0 {
			return
		}
		list := g.disputes()
		if len(list) == 0 {
			h.keep(g, states)
			return
		}
		if h.mustEmpty(g, states) {
			continue
		}
		for _, state := range []int{emptied, pinnedOnly, closed} {
			if state == closed && states[list[0]] == someGets || state == pinnedOnly && !h.b.pinnedAlike(list[0]) {
				continue
			}
			next := maps.Clone(states)
			next[list[0]] = state
			h.search(next)
		}
		return
	}
}

// mustEmpty finds seats that cannot be closed in a better answer than the best known,
// because that alone would cost too much.
func (h *leaving) mustEmpty(g *net, states map[int]int) bool {
	found, total := false, g.Total()
	for i, s := range h.b.spots {
		if s.what != oneSpot || states[i] != open || h.b.holders(s) < 2 || g.Carries(g.spot[i].supply) == 0 {
			continue
		}
		without := g.Price(g.spot[i].supply)
		for w := range without {
			without[w] += total[w]
		}
		if slices.Compare(without, h.cost) < 0 {
			continue
		}
		if states[i] = emptied; h.b.pinnedAlike(i) {
			states[i] = someGets
		}
		found = true
	}
	return found
}

// pinnedAlike reports whether several rows are pinned at a spot.
func (b *board) pinnedAlike(spot int) bool {
	n := 0
	for _, c := range b.spots[spot].seats {
		if b.classes[c].pinned {
			n += len(b.classes[c].rows)
		}
	}
	return n > 1
}

// decided gives the states of all seats with several holders as an answer has them, so
// that they stay so while it is settled.
func (g *net) decided(states map[int]int) map[int]int {
	out := map[int]int{}
	for i, s := range g.b.spots {
		if s.what != oneSpot || g.b.holders(s) < 2 {
			continue
		}
		seen, all := g.holding(s)
		switch {
		case states[i] > someGets:
			out[i] = states[i]
		case seen > 0:
			out[i] = closed
		case all > 0:
			out[i] = pinnedOnly
		default:
			out[i] = emptied
		}
	}
	return out
}
