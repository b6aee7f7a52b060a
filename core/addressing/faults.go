// Package addressing knows which address an interface may have, which it should
// have, and why. It decides nothing by itself: it gives faults and suggestions.
//
// Its method: interfaces that may have the same addresses at the same cost are one class,
// addresses that are alike for everybody one cell, and a min-cost flow from the classes
// through the cells finds the best by all promises at once. Who is left out holds the
// address where it was seen. Seats that several hold are decided by branch and bound. The
// order among equals, the first the lowest address, is settled afterwards on the residual
// network.
package addressing

import (
	"fmt"
	"net/netip"
	"slices"

	"vestpin/core/catalogue"
	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/span"
)

// Fault is a reason why a pin cannot work as it stands.
type Fault struct {
	Code  string // the snag of that name
	Says  string
	Other *site.Placed // whom it collides with, where it is somebody
}

// Faults gives all reasons why the pin of an interface stops work, of each kind one; none
// where it is loose.
func Faults(v site.View, p site.Placed) []Fault {
	pin := p.Interface.Pin
	if pin == nil {
		return nil
	}
	var out []Fault
	for _, o := range obstaclesFor(v, p, pin.Address, pin.By) {
		if o.snag == noSnag || slices.ContainsFunc(out, func(f Fault) bool { return f.Code == o.snag }) {
			continue
		}
		out = append(out, Fault{o.snag, faultSays(v, p, o), o.Owner})
	}
	order := []string{"address-twice", snagOffNetwork, snagUnusable, "address-answers-already"}
	rank := func(code string) int {
		if i := slices.Index(order, code); i >= 0 {
			return i
		}
		return len(order)
	}
	slices.SortStableFunc(out, func(a, b Fault) int { return rank(a.Code) - rank(b.Code) })
	if pin.Reserved() && p.Interface.MAC == "" {
		out = append(out, Fault{"mac-missing", fmt.Sprintf("%s is to be reserved at %s, but its MAC address is not known.", p.Label(), pin.Address), nil})
	}
	return out
}

func faultSays(v site.View, p site.Placed, o Obstacle) string {
	a := p.Interface.Pin.Address
	switch o.Kind {
	case PinnedFor:
		return fmt.Sprintf("%s and %s are both pinned at %s.", p.Label(), o.Owner.Label(), a)
	case OffNetwork:
		n, _ := v.Network(p.Interface.Network)
		return fmt.Sprintf("%s is pinned at %s, which is not in %s.", p.Label(), a, n.Subnet)
	case SeenThere:
		return fmt.Sprintf("%s is pinned at %s, where %s was seen and is not moving away.", p.Label(), a, o.Owner.Label())
	case NotReservable:
		n, _ := v.Network(p.Interface.Network)
		return fmt.Sprintf("%s is reserved at %s, but %s.", p.Label(), a, cannotReserve(v, n, a))
	}
	return fmt.Sprintf("%s is pinned at %s, which is %s.", p.Label(), a, o.Says)
}

func between(a, from, to netip.Addr) bool { return !a.Less(from) && !to.Less(a) }

// InRange reports whether a DHCP range of the network hands the address out.
func InRange(n site.Network, a netip.Addr) bool {
	for _, r := range n.Ranges {
		if between(a, r.From, r.To) {
			return true
		}
	}
	return false
}

// cannotReserve says why the router of the network takes no reservation at an
// address, or "".
func cannotReserve(v site.View, n site.Network, a netip.Addr) string {
	return reserves(v, n, InRange(n, a))
}

// reserves says why the router of the network takes no reservation inside its DHCP
// range or outside it, or "".
func reserves(v site.View, n site.Network, inRange bool) string {
	r, ok := v.RouterOf(n.ID)
	switch {
	case !ok:
		return ""
	case r.Form.Reserves == "no":
		return r.Label() + " takes no reservations"
	case r.Form.Reserves == "inside-range" && !inRange:
		return r.Label() + " reserves only inside its DHCP range"
	case r.Form.Reserves == "outside-range" && inRange:
		return r.Label() + " reserves only outside its DHCP range"
	}
	return ""
}

// CanReserve reports whether the router of a network takes a reservation at an address.
func CanReserve(v site.View, n site.Network, a netip.Addr) bool { return cannotReserve(v, n, a) == "" }

// Way is how an interface would be pinned: by reservation, or on the device
// where the router reserves nowhere or has no lasting MAC to go by.
func Way(v site.View, i site.Interface) site.PinBy {
	r, ok := v.RouterOf(i.Network)
	if !ok || r.Form.Reserves == "no" || i.MAC == "" || i.MAC.Randomised() {
		return site.ByDevice
	}
	return site.ByReservation
}

// Free says why an interface cannot be pinned at an address in the given way,
// or "". It is what a hand that drags a pin may know.
func Free(v site.View, p site.Placed, a netip.Addr, by site.PinBy) string {
	if in := obstaclesFor(v, p, a, by); len(in) > 0 {
		return in[0].Says
	}
	return ""
}

// Nearest is the lowest address free for an interface in the given way, and not promised
// to somebody: in a band for its kind before elsewhere, outside the DHCP range before
// inside.
func Nearest(v site.View, p site.Placed, by site.PinBy, promised func(network string, a netip.Addr) bool) (netip.Addr, bool) {
	n, _ := v.Network(p.Interface.Network)
	lan := ipv4.Run(n.Subnet)
	best, bestScore := netip.Addr{}, 4
	look := func(r span.Run, inBand int) {
		for x := uint64(max(r.Lo, lan.Lo)); x <= uint64(min(r.Hi, lan.Hi)) && bestScore > inBand; x++ {
			a := ipv4.Addr(uint32(x))
			score := inBand
			if InRange(n, a) {
				score += 2
			}
			if score < bestScore && Free(v, p, a, by) == "" && !promised(n.ID, a) {
				best, bestScore = a, score
			}
		}
	}
	for _, band := range n.Bands {
		if catalogue.Among(band.Kinds, p.Device.Kind) {
			look(run(band.From, band.To), 0)
		}
	}
	if lan.Len() <= 1<<16 {
		look(lan, 1)
	}
	return best, best.IsValid()
}
