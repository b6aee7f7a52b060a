package snag

import (
	"fmt"
	"net/netip"
	"slices"

	"vestpin/core/addressing"
	"vestpin/core/edit"
	"vestpin/core/site"
)

type addr = netip.Addr

// addressFaults finds pins that cannot work: two alike, off the network, on an
// address that is spoken for, or reserved where the router does not.
func addressFaults(v View) []Snag {
	var found []Snag
	paired := map[[2]string]bool{}
	for _, p := range v.Interfaces() {
		for _, f := range addressing.Faults(v.View, p) {
			about := []site.Ref{p.Device.Ref(), p.Interface.Ref()}
			var movable []site.Placed
			if f.Other != nil {
				about = append(about, f.Other.Device.Ref(), f.Other.Interface.Ref())
			}
			if f.Code == "address-twice" {
				if paired[[2]string{f.Other.Interface.ID, p.Interface.ID}] {
					continue
				}
				paired[[2]string{p.Interface.ID, f.Other.Interface.ID}] = true
				if !f.Other.Interface.Pin.Locked {
					movable = append(movable, *f.Other)
				}
			}
			if f.Code == "address-answers-already" && f.Other.Interface.Pin == nil {
				movable = append(movable, *f.Other)
			}
			if !p.Interface.Pin.Locked {
				movable = append(movable, p)
			}
			mends := moveOne(v, movable)
			if f.Other != nil {
				mends = slices.DeleteFunc(mends, func(m Mend) bool { return !leaves(m, p.Interface.Pin.Address, p, *f.Other) })
			}
			found = append(found, Snag{Code: f.Code, About: about, Says: f.Says, Mends: mends})
		}
	}
	return found
}

// leaves reports whether a mend moves one of two away from an address.
func leaves(m Mend, a addr, p, o site.Placed) bool {
	return slices.ContainsFunc(m.Edits, func(e edit.Edit) bool {
		set, ok := e.(edit.SetPin)
		return ok && (set.ID == p.Interface.ID || set.ID == o.Interface.ID) && set.Pin.Address != a
	})
}

// moveOne offers to move one of some: those that the suggestion moves, or else any.
func moveOne(v View, list []site.Placed) []Mend {
	planned := slices.DeleteFunc(slices.Clone(list), func(p site.Placed) bool { return len(v.pins().Pin(p.Interface.ID)) == 0 })
	if len(planned) > 0 {
		list = planned
	}
	var mends []Mend
	for _, p := range list {
		mends = append(mends, repin(v, p)...)
	}
	return mends
}

// deviceSetInRange finds addresses set by hand inside a DHCP range: the router
// may lease them to somebody else.
func deviceSetInRange(v View) []Snag {
	var found []Snag
	for _, p := range v.Interfaces() {
		n, _ := v.Network(p.Interface.Network)
		if p.Interface.Pin == nil || p.Interface.Pin.By != site.ByDevice || !addressing.InRange(n, p.Interface.Pin.Address) {
			continue
		}
		a := p.Interface.Pin.Address
		mends := repin(v, p)
		if _, ok := v.RouterOf(n.ID); p.Interface.MAC != "" && ok && addressing.CanReserve(v.View, n, a) {
			if edits := []edit.Edit{pinEdit(p, a, site.ByBoth)}; v.roomToReserve(edits) {
				mends = append(mends, Mend{fmt.Sprintf("Reserve %s too", a), edits})
			}
		}
		found = append(found, Snag{
			Code: "device-set-in-range", About: []site.Ref{p.Device.Ref(), p.Interface.Ref()}, Mends: mends,
			Says: fmt.Sprintf("%s is set to %s by hand, inside the DHCP range. The router can lease %s to something else.", p.Label(), a, a),
		})
	}
	return found
}

// macTwice finds interfaces that claim the same MAC address: a reservation can
// only be for one of them. On each of its networks (VLANs) a device has one and the same.
func macTwice(v View) []Snag {
	var found []Snag
	before := map[site.MAC][]site.Placed{}
	for _, p := range v.Interfaces() {
		if p.Interface.MAC == "" {
			continue
		}
		same := before[p.Interface.MAC]
		before[p.Interface.MAC] = append(same, p)
		i := slices.IndexFunc(same, func(o site.Placed) bool {
			return o.Device.ID != p.Device.ID || o.Interface.Network == p.Interface.Network
		})
		if i < 0 {
			continue
		}
		o := same[i]
		found = append(found, Snag{
			Code:  "mac-twice",
			About: []site.Ref{o.Device.Ref(), o.Interface.Ref(), p.Device.Ref(), p.Interface.Ref()},
			Says:  fmt.Sprintf("%s and %s have the same MAC address %s: one of them is wrong, or they are one device.", o.Label(), p.Label(), p.Interface.MAC),
			Mends: append(forgetMAC(v, p), forgetMAC(v, o)...),
		})
	}
	return found
}

// forgetMAC offers to forget a MAC address: with a pin by reservation, that goes by it, the
// address is set on the device instead.
func forgetMAC(v View, p site.Placed) []Mend {
	bare := *p.Interface
	bare.MAC = ""
	does := "Forget the MAC address of " + p.Label()
	edits := []edit.Edit{edit.PutInterface{ID: p.Device.ID, Interface: bare}}
	if p.Interface.Pin == nil || !p.Interface.Pin.Reserved() {
		return []Mend{{does, edits}}
	}
	if p.Interface.Pin.Locked {
		return nil
	}
	a, ok := v.nearest(p, site.ByDevice)
	if !ok {
		return nil
	}
	edits = append(edits, pinEdit(p, a, site.ByDevice))
	return withFollowers(v, fmt.Sprintf("%s and set it to %s by hand", does, a), edits)
}

// macRandomised finds reservations for MAC addresses that a device made up: it
// may come back with another one.
func macRandomised(v View) []Snag {
	var found []Snag
	for _, p := range v.Interfaces() {
		if p.Interface.Pin == nil || !p.Interface.Pin.Reserved() || !p.Interface.MAC.Randomised() {
			continue
		}
		found = append(found, Snag{
			Code: "mac-randomised", About: []site.Ref{p.Device.Ref(), p.Interface.Ref()},
			Says:  fmt.Sprintf("%s is reserved by a randomised MAC address, %s, that it may change. Turn private addresses off on the device first.", p.Label(), p.Interface.MAC),
			Mends: repin(v, p),
		})
	}
	return found
}

// openButLoose finds services that are opened outside although their interface
// has no pin: after its lease ends the forward leads to whoever gets the address.
func openButLoose(v View) []Snag {
	var found []Snag
	for _, w := range v.Wishes() {
		if w.Interface.Pin != nil {
			continue
		}
		found = append(found, Snag{
			Code:  "open-but-loose",
			About: []site.Ref{w.Device.Ref(), w.Service.Ref(), w.Interface.Ref()},
			Says:  fmt.Sprintf("%s is to be open outside, but its address can change.", w.Label()),
			Mends: repin(v, site.Placed{Device: w.Device, Interface: w.Interface}),
		})
	}
	return found
}

// seenElsewhere finds pins that are not in place yet.
func seenElsewhere(v View) []Snag {
	var found []Snag
	for _, p := range v.Interfaces() {
		if p.Interface.Pin == nil || !p.Interface.Seen.IsValid() || p.Interface.Seen == p.Interface.Pin.Address {
			continue
		}
		found = append(found, Snag{
			Code: "seen-elsewhere", About: []site.Ref{p.Device.Ref(), p.Interface.Ref()},
			Says: fmt.Sprintf("%s is pinned at %s but was last seen at %s: not yet in place.", p.Label(), p.Interface.Pin.Address, p.Interface.Seen),
		})
	}
	return found
}

// seenOnOtherNetwork finds interfaces that were last seen on another network of the site
// than the one they are entered on.
func seenOnOtherNetwork(v View) []Snag {
	var found []Snag
	for _, p := range v.Interfaces() {
		own, _ := v.Network(p.Interface.Network)
		if !p.Interface.Seen.IsValid() || own.Subnet.Contains(p.Interface.Seen) {
			continue
		}
		for _, n := range v.Networks {
			if n.Subnet.Contains(p.Interface.Seen) {
				found = append(found, Snag{
					Code: "seen-on-other-network", About: []site.Ref{p.Device.Ref(), p.Interface.Ref(), n.Ref()},
					Says: fmt.Sprintf("%s is entered on %s but was last seen at %s, on %s: which is it?", p.Label(), own.Subnet, p.Interface.Seen, n.Subnet),
				})
				break
			}
		}
	}
	return found
}
