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

	"vestpin/core/catalogue"
	"vestpin/core/site"
	"vestpin/core/span"
)

// Fault is a reason why a pin cannot work as it stands.
type Fault struct {
	Code  string // the snag of that name
	Says  string
	Other *site.Placed // whom it collides with, where it is somebody
}

// Faults gives all reasons why the pin of an interface stops work; none where
// it is loose.
func Faults(v site.View, p site.Placed) []Fault {
	pin := p.Interface.Pin
	if pin == nil {
		return nil
	}
	var out []Fault
	add := func(code string, other *site.Placed, format string, args ...any) {
		out = append(out, Fault{code, fmt.Sprintf(format, args...), other})
	}
	network, _ := v.Network(p.Interface.Network)
	for _, o := range v.PinnedAt(pin.Address) {
		if o.Interface.ID != p.Interface.ID {
			add("address-twice", &o, "%s and %s are both pinned at %s.", p.Label(), o.Label(), pin.Address)
			break
		}
	}
	switch why := Unusable(v, network, pin.Address); {
	case !network.Subnet.Contains(pin.Address):
		add("address-off-network", nil, "%s is pinned at %s, which is not in %s.", p.Label(), pin.Address, network.Subnet)
	case why != "":
		add("address-unusable", nil, "%s is pinned at %s, which is %s.", p.Label(), pin.Address, why)
	}
	for _, o := range v.SeenAt(pin.Address) {
		if o.Interface.ID != p.Interface.ID && (o.Interface.Pin == nil || o.Interface.Pin.Address == pin.Address) {
			add("address-answers-already", &o, "%s is pinned at %s, where %s was seen and is not moving away.", p.Label(), pin.Address, o.Label())
			break
		}
	}
	if pin.Reserved() {
		if why := cannotReserve(v, network, pin.Address); why != "" && network.Subnet.Contains(pin.Address) {
			add("router-cannot-reserve-there", nil, "%s is reserved at %s, but %s.", p.Label(), pin.Address, why)
		}
		if p.Interface.MAC == "" {
			add("mac-missing", nil, "%s is to be reserved at %s, but its MAC address is not known.", p.Label(), pin.Address)
		}
	}
	return out
}

// Unusable says why no interface may be pinned at an address of the network, or "".
func Unusable(v site.View, n site.Network, a netip.Addr) string {
	lan := span.OfPrefix(n.Subnet)
	switch x := span.OfAddr(a); {
	case !n.Subnet.IsValid() || !lan.Contains(x):
		return "outside " + n.Subnet.String()
	case x == lan.Lo:
		return "the address of the network itself"
	case x == lan.Hi:
		return "the broadcast address"
	case a == n.Gateway:
		return "the gateway"
	}
	for _, r := range v.Routers {
		if r.WAN.Address == a && a.IsValid() {
			return "the outside of " + r.Label()
		}
	}
	for _, k := range n.KeepFree {
		if between(a, k.From, k.To) {
			if k.Why == "" {
				return "kept free"
			}
			return "kept free (" + k.Why + ")"
		}
	}
	return ""
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
func Way(v site.View, i site.Interface) string {
	r, ok := v.RouterOf(i.Network)
	if !ok || r.Form.Reserves == "no" || i.MAC == "" || i.MAC.Randomised() {
		return site.ByDevice
	}
	return site.ByReservation
}

// Free says why an interface cannot be pinned at an address in the given way,
// or "". It is what a hand that drags a pin may know.
func Free(v site.View, p site.Placed, a netip.Addr, by string) string {
	n, _ := v.Network(p.Interface.Network)
	if why := Unusable(v, n, a); why != "" {
		return why
	}
	for _, o := range v.PinnedAt(a) {
		if o.Interface.ID != p.Interface.ID {
			return "pinned for " + o.Label()
		}
	}
	for _, o := range v.SeenAt(a) {
		if o.Interface.ID != p.Interface.ID && (o.Interface.Pin == nil || o.Interface.Pin.Address == a) {
			return "where " + o.Label() + " was seen"
		}
	}
	if by == site.ByDevice && InRange(n, a) {
		return "inside the DHCP range"
	}
	if by != site.ByDevice {
		if why := cannotReserve(v, n, a); why != "" {
			return "not to be reserved: " + why
		}
	}
	return ""
}

// Nearest is the lowest address free for an interface in the given way, and not promised
// to somebody: in a band for its kind before elsewhere, outside the DHCP range before
// inside.
func Nearest(v site.View, p site.Placed, by string, promised func(netip.Addr) bool) (netip.Addr, bool) {
	n, _ := v.Network(p.Interface.Network)
	lan := span.OfPrefix(n.Subnet)
	best, bestScore := netip.Addr{}, 4
	look := func(r span.Run, inBand int) {
		for x := uint64(max(r.Lo, lan.Lo)); x <= uint64(min(r.Hi, lan.Hi)) && bestScore > inBand; x++ {
			a := span.Addr(uint32(x))
			score := inBand
			if InRange(n, a) {
				score += 2
			}
			if score < bestScore && Free(v, p, a, by) == "" && !promised(a) {
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
