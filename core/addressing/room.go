package addressing

import (
	"fmt"
	"slices"

	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/span"
)

// noRoom says of the rows left out in a network that they are, with the smallest change of a
// range that would fit them all.
func (b *board) noRoom(n site.Network, settled []seatAt, by ways) []Unmet {
	var out []Unmet
	advice := ""
	for i, r := range b.rows {
		if settled[i] != 0 || r.Interface.Network != n.ID {
			continue
		}
		if advice == "" {
			if advice = b.smallestChange(n, by); advice == "" {
				advice = "No change of one DHCP range makes enough room."
			}
		}
		says := fmt.Sprintf("No free address is left for %s in %s.", r.Label(), n.Subnet)
		if full, ok := by.full[r.Interface.ID]; ok {
			says = fmt.Sprintf("%s takes %d reservations, and more important devices need all of them; to be set on %s itself, no address outside the DHCP range is free in %s.",
				full.Label(), full.Form.ReservationLines, r.Label(), n.Subnet)
		}
		out = append(out, Unmet{r.Interface.ID, says + " " + advice})
	}
	return out
}

// smallestChange looks for the range with one end moved by the fewest addresses
// that leaves nobody of the network out, and no pin that works now outside a range or inside
// it where it must not be.
func (b *board) smallestChange(n site.Network, by ways) string {
	if b.addresses(n) < b.rowsIn(n) {
		return "" // wherever the range lies
	}
	best, text := ipv4.Run(n.Subnet).Len(), ""
	for k, r := range n.Ranges {
		for _, end := range []struct{ lo, hi int64 }{{1, 0}, {0, -1}, {-1, 0}, {0, 1}} {
			for step := 1; step < best && !b.v.Stopped(); {
				lo, hi := int64(ipv4.Number(r.From))+end.lo*int64(step), int64(ipv4.Number(r.To))+end.hi*int64(step)
				changed, ok := b.withRange(n, k, lo, hi)
				if !ok {
					break
				}
				short := b.short(changed, by)
				if short == 0 {
					best, text = step, fmt.Sprintf("A DHCP range of %s to %s would make room.", ipv4.Addr(uint32(lo)), ipv4.Addr(uint32(hi)))
					break
				}
				step += short // each address that changes sides makes room for one at most
			}
		}
	}
	return text
}

// addresses is how many addresses of a network can be had by anybody, or at least as many as
// there are rows.
func (b *board) addresses(n site.Network) int {
	sum := 0
	for _, s := range b.spots {
		if b.cells[s.cell].network == b.place[n.ID] {
			sum += len(s.addrs)
		}
	}
	return sum
}

func (b *board) rowsIn(n site.Network) int {
	count := 0
	for _, r := range b.rows {
		if r.Interface.Network == n.ID {
			count++
		}
	}
	return count
}

// withRange gives the network with another range in the place of one, if that is a
// good one and every pin that stays can stay.
func (b *board) withRange(n site.Network, k int, lo, hi int64) (site.Network, bool) {
	lan := ipv4.Run(n.Subnet)
	if lo > hi || lo <= int64(lan.Lo) || hi >= int64(lan.Hi) {
		return n, false
	}
	moved := span.Run{Lo: uint32(lo), Hi: uint32(hi)}
	if n.Gateway.IsValid() && moved.Contains(ipv4.Number(n.Gateway)) {
		return n, false
	}
	for i, o := range n.Ranges {
		if i != k && moved.Touches(run(o.From, o.To)) {
			return n, false
		}
	}
	next := n
	next.Ranges = slices.Clone(n.Ranges)
	next.Ranges[k] = site.Range{From: ipv4.Addr(moved.Lo), To: ipv4.Addr(moved.Hi)}
	for _, p := range b.v.Interfaces() {
		pin := p.Interface.Pin
		if pin == nil || p.Interface.Network != n.ID {
			continue
		}
		before, after := InRange(n, pin.Address), InRange(next, pin.Address)
		if before != after && (!pin.Reserved() && after || pin.Reserved() && reserves(b.v, n, before) == "" && reserves(b.v, n, after) != "") {
			return n, false
		}
	}
	return next, true
}

// short is how many rows of a network would be left out if it were changed so.
func (b *board) short(changed site.Network, by ways) int {
	next := b.v.Site
	next.Networks = slices.Clone(next.Networks)
	next.Networks[slices.IndexFunc(next.Networks, func(o site.Network) bool { return o.ID == changed.ID })] = changed
	var rows []site.Placed
	for _, r := range b.rows {
		rows = append(rows, r.Placed)
	}
	try := newBoard(b.v.With(next), rows, nil, by)
	try.least = true
	g := try.solve(nil) // where nobody is left out no seat is disputed
	left := 0
	for c, class := range try.classes {
		if try.kinds[class.kind].network == b.place[changed.ID] {
			left += g.leftOut(c)
		}
	}
	return left
}
