package addressing

import (
	"fmt"
	"net/netip"
	"slices"

	"vestpin/core/edit"
	"vestpin/core/site"
)

// Drop is what it comes to when an interface is put at an address by hand.
type Drop struct {
	Taken string    `json:"taken,omitempty" doc:"Why the address is not free; absent where it is"`
	Edits edit.List `json:"edits" doc:"Pins it there all the same"`
	Swap  edit.List `json:"swap" doc:"Lets it and the one that is pinned there change places; empty where they cannot"`
	Says  string    `json:"says,omitempty" doc:"What the swap does"`
}

// Put works out what it comes to when an interface is pinned at an address in a way.
func Put(v site.View, p site.Placed, a netip.Addr, by site.PinBy) Drop {
	pin := site.Pin{Address: a, By: by}
	if p.Interface.Pin != nil {
		pin.Locked = p.Interface.Pin.Locked
	}
	out := Drop{Taken: Free(v, p, a, by), Edits: []edit.Edit{edit.SetPin{ID: p.Interface.ID, Pin: &pin}}, Swap: []edit.Edit{}}
	if out.Taken == "" {
		return out
	}
	other, old, ok := partner(v, p, a)
	if !ok {
		return out
	}
	there := site.Pin{Address: old, By: other.Interface.Pin.By}
	swap := append([]edit.Edit{}, out.Edits[0], edit.SetPin{ID: other.Interface.ID, Pin: &there})
	swapped, _, err := edit.Apply(v.Site, swap)
	if err != nil {
		return out
	}
	// Each must be free for its new holder, once both have moved and lie where they are pinned.
	after := v.With(swapped)
	mine, _ := after.Interface(p.Interface.ID)
	its, _ := after.Interface(other.Interface.ID)
	if barred(after, mine, its, a, by) || barred(after, its, mine, old, there.By) {
		return out
	}
	out.Swap = swap
	out.Says = fmt.Sprintf("%s goes to %s, %s to %s", p.Label(), a, other.Label(), old)
	return out
}

// partner finds the only other interface pinned at an address, which may move, and where an
// interface is that could give its place for it.
func partner(v site.View, p site.Placed, a netip.Addr) (other site.Placed, old netip.Addr, ok bool) {
	at := v.PinnedAt(p.Interface.Network, a)
	if p.Interface.Pin != nil {
		old = p.Interface.Pin.Address
	} else {
		old = p.Interface.Seen
	}
	if len(at) != 1 || at[0].Interface.ID == p.Interface.ID || at[0].Interface.Pin.Locked || at[0].Interface.Network != p.Interface.Network || !old.IsValid() || old == a {
		return other, old, false
	}
	return at[0], old, true
}

// barred reports whether anything is against an address but that the partner of the swap was
// seen there, which is moving away.
func barred(v site.View, p, partner site.Placed, a netip.Addr, by site.PinBy) bool {
	return slices.ContainsFunc(obstaclesFor(v, p, a, by), func(o Obstacle) bool {
		return o.Kind != SeenThere || o.Owner.Interface.ID != partner.Interface.ID
	})
}
