package addressing

import (
	"cmp"
	"slices"

	"vestpin/core/flow"
)

// settle gives each row its address, 0 where it is left out: the first row the lowest
// that it has in any answer as good as this one, then the second, and so on.
func (g *net) settle() []seatAt {
	b := g.b
	for k := range b.kinds {
		g.Align(g.mover[k], g.kind[k].id)
	}
	g.Settle()
	s := &settling{net: g, moved: make([]bool, len(b.rows)), owner: map[seatAt]int{}, done: make([]bool, len(b.rows))}
	for _, sp := range b.spots {
		s.addrs = append(s.addrs, slices.Clone(sp.addrs))
		if sp.what == seatSpot {
			for _, r := range b.classes[sp.seats[0]].rows {
				s.owner[b.rows[r].seat] = r
			}
		}
	}
	out := make([]seatAt, len(b.rows))
	for i := range b.rows {
		if b.v.Stopped() {
			break
		}
		out[i] = s.row(i)
		s.done[i] = true
	}
	return out
}

type settling struct {
	*net
	addrs [][]seatAt     // by spot: what is left of it
	owner map[seatAt]int // by seat: its row
	moved []bool         // by row: its seat was given away
	done  []bool
	may   []place // for the row at hand
}

// place is one address that a row may have: the spot, and the way there.
type place struct {
	addr seatAt
	spot int
	home int    // the arc straight to the spot, or none where it leads through the kind
	via  [2]int // the arcs from the kind to the cell and from there to the spot
}

// arcs gives the way to a place from a row whose arc to its kind is known.
func (p place) arcs(toKind int) []int {
	if p.home != none {
		return []int{p.home}
	}
	return []int{toKind, p.via[0], p.via[1]}
}

func (s *settling) row(i int) seatAt {
	b := s.b
	r := b.rows[i]
	k := b.classes[r.class].kind
	at, supply, toKind := s.class[r.class].id, s.class[r.class].supply, s.class[r.class].arc
	if s.moved[i] {
		at, supply, toKind = s.mover[k], s.kind[k].supply, s.kind[k].arc
	}
	may := s.may[:0]
	if !s.moved[i] {
		for h, arc := range s.homes[r.class] {
			home := b.classes[r.class].home[h]
			if arc == none || !s.Tight(arc) {
				continue
			}
			addr := r.seat
			if b.spots[home.spot].what == oneSpot {
				addr = b.spots[home.spot].addrs[0]
			}
			may = append(may, place{addr: addr, spot: home.spot, home: arc})
		}
	}
	if s.Tight(toKind) && (s.moved[i] || !b.classes[r.class].only) {
		for c, arc := range s.toCell[k] {
			if arc == none || !s.Tight(arc) {
				continue
			}
			for _, sp := range b.cells[c].spots {
				if in := s.spot[sp].arc; in != none && len(s.addrs[sp]) > 0 && s.Tight(in) {
					may = append(may, place{s.addrs[sp][0], sp, none, [2]int{arc, in}})
				}
			}
		}
	}
	slices.SortStableFunc(may, func(p, q place) int { return cmp.Compare(p.addr, q.addr) })
	s.may = may
	var way *flow.Way
	for _, p := range may {
		arcs := p.arcs(toKind)
		if !s.Through(arcs...) { // else a unit goes there as it is
			if way == nil {
				w := s.Toward(at)
				way = &w
			}
			if !way.Leads(s.spot[p.spot].id) {
				continue
			}
			way.Move(arcs...)
		}
		s.Withdraw(append(arcs, supply, s.spot[p.spot].supply)...)
		s.take(i, p)
		return p.addr
	}
	s.leave(i, supply)
	return 0
}

// leave takes a row that is left out, and the seat that it holds, out of the network.
func (s *settling) leave(i, supply int) {
	c := s.b.rows[i].class
	s.Withdraw(supply, s.out[c])
	if s.outSpot[c] {
		seat := s.b.classes[c].seat
		s.Withdraw(s.spot[seat].supply)
		s.drop(seat, s.b.rows[i].seat)
	}
}

func (s *settling) drop(spot int, addr seatAt) {
	if k, ok := slices.BinarySearch(s.addrs[spot], addr); ok {
		s.addrs[spot] = slices.Delete(s.addrs[spot], k, k+1)
	}
}

// take enters that a row has an address: who held it must go elsewhere, and the seat
// that the row leaves is free for anybody.
func (s *settling) take(i int, p place) {
	b := s.b
	s.drop(p.spot, p.addr)
	if b.spots[p.spot].what == seatSpot {
		if j, ok := s.owner[p.addr]; ok && j != i && !s.done[j] && !s.moved[j] {
			c := b.rows[j].class
			k := b.classes[c].kind
			s.Withdraw(s.class[c].supply, s.class[c].arc)
			s.Enter(s.kind[k].supply, s.kind[k].arc)
			s.moved[j] = true
		}
	}
	seat := b.classes[b.rows[i].class].seat
	if seat < 0 || b.spots[seat].what != seatSpot || s.moved[i] || b.rows[i].seat == p.addr {
		return
	}
	s.drop(seat, b.rows[i].seat)
	free := b.cells[b.spots[seat].cell].spots[0] // the free addresses of a cell come first
	k, _ := slices.BinarySearch(s.addrs[free], b.rows[i].seat)
	s.addrs[free] = slices.Insert(s.addrs[free], k, b.rows[i].seat)
	if s.Room(s.spot[seat].supply) > 0 {
		s.Widen(s.spot[seat].supply, -1)
		s.Widen(s.spot[free].supply, 1)
		return
	}
	s.Withdraw(s.spot[seat].supply, s.spot[seat].arc)
	s.Enter(s.spot[free].supply, s.spot[free].arc)
}
