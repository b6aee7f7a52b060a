// Package snag knows what can be wrong or risky in a site, what it is about and
// which edits mend it. Each family of rules has a file.
package snag

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"

	"vestpin/core/addressing"
	"vestpin/core/forwarding"
	"vestpin/core/site"
)

// The weights of a snag.
const (
	Stops = "stops" // it does not work
	Bites = "bites" // it works until it does not
	Note  = "note"  // worth knowing
)

// Snag is something wrong or risky.
type Snag struct {
	Code   string     `json:"code"`
	Weight string     `json:"weight"`
	About  []site.Ref `json:"about"`
	Says   string     `json:"says"`
	Mends  []Mend     `json:"mends"`
}

// Mend is a set of edits that ends a snag, and what they do in words.
type Mend struct {
	Does  string      `json:"does"`
	Edits []site.Edit `json:"edits"`
}

// View is what the rules look at, and how much they may still work out.
type View struct {
	site.View
	left *budget
}

// budget bounds what mends cost: each is a plan of its own. Snags beyond it come
// without, and say so; once the first are mended, the next have theirs.
type budget struct {
	addresses, ports int
	short            bool // a mend was not worked out since this was asked last
}

// later is said by a snag whose mend is not worked out, or too large to be told.
const later = " More ways to mend it are worked out once the first snags are mended."

// tell runs a rule; its snags without a mend say so where the budget ended.
func tell(v View, rule func(View) []Snag) []Snag {
	v.left.short = false
	found := rule(v)
	for i := range found {
		if v.left.short && len(found[i].Mends) == 0 {
			found[i].Says += later
		}
	}
	return found
}

// How many mends are worked out at once, and how many snags of one kind are told:
// a person mends some and looks again.
const (
	mostAddressMends = 1000
	mostPortMends    = 100
	mostAlike        = 1000
)

func (v View) nearest(p site.Placed, by string) (addr, bool) {
	if v.left.addresses--; v.left.addresses < 0 {
		v.left.short = true
		return addr{}, false
	}
	return addressing.Nearest(v.View, p, by)
}

func (v View) suggestOne(w site.Wish) forwarding.Plan {
	if v.left.ports--; v.left.ports < 0 {
		v.left.short = true
		return forwarding.Plan{}
	}
	return forwarding.SuggestOne(v.View, w)
}

var weights = map[string]string{
	"address-twice": Stops, "address-off-network": Stops, "address-unusable": Stops,
	"address-answers-already": Stops, "router-cannot-reserve-there": Stops, "mac-twice": Stops,
	"mac-missing": Stops, "range-bad": Stops, "outside-clash": Stops, "outside-is-routers-own": Stops,
	"forward-to-nobody": Stops, "forward-off-network": Stops, "form-cannot": Stops, "lines-run-out": Stops,
	"reservations-run-out": Stops, "behind-router": Stops, "behind-carrier": Stops, "upstream-missing": Stops,
	"device-set-in-range": Bites, "mac-randomised": Bites, "open-but-loose": Bites, "forward-to-loose": Bites,
	"range-full": Bites, "forward-wide": Bites, "forward-risky": Bites, "wish-unmet": Bites, "upnp-on": Bites,
	"outside-address-moves": Bites, "two-dhcp-servers": Bites, "answers-for-many": Bites,
}

var rules = []func(View) []Snag{
	addressFaults, deviceSetInRange, macTwice, macRandomised, openButLoose, seenElsewhere,
	rangeBad, rangeFull,
	outsideClash, outsideIsRoutersOwn, forwardTarget, forwardToLoose, forwardTwice, forwardBesideService, forwardWide, forwardRisky,
	formCannot, linesRunOut, reservationsRunOut, wishUnmet, upstreamMissing,
	upnpOn, behind, outsideAddressMoves,
	twoServers, answersForMany, strangers, swapped,
}

// Check gives the snags of a site, the weightiest first. Of one kind at most
// mostAlike are told, and then how many more there are.
func Check(s site.View) []Snag {
	v := View{s, &budget{addresses: mostAddressMends, ports: mostPortMends}}
	out := []Snag{}
	for _, rule := range rules {
		out = append(out, atMostAlike(tell(v, rule))...)
	}
	preferHandOver(v, out)
	for i := range out {
		out[i].Weight = weights[out[i].Code]
		if out[i].Weight == "" {
			out[i].Weight = Note
		}
		if out[i].Mends == nil {
			out[i].Mends = []Mend{}
		}
	}
	order := map[string]int{Stops: 0, Bites: 1, Note: 2}
	slices.SortStableFunc(out, func(a, b Snag) int { return cmp.Compare(order[a.Weight], order[b.Weight]) })
	lighten(out)
	return out
}

// mostMendBytes is how much the mends of all snags may be in JSON: some hold a whole
// network or device.
const mostMendBytes = 1 << 20

// lighten takes the mends from what comes after that.
func lighten(list []Snag) {
	left := mostMendBytes
	for i, s := range list {
		for _, m := range s.Mends {
			for _, e := range m.Edits {
				data, err := json.Marshal(e)
				if err != nil {
					continue
				}
				left -= len(data)
			}
		}
		if left < 0 && len(s.Mends) > 0 {
			list[i].Mends, list[i].Says = []Mend{}, s.Says+later
		}
	}
}

func atMostAlike(found []Snag) []Snag {
	count := map[string]int{}
	kept := found[:0]
	var codes []string
	for _, s := range found {
		if count[s.Code]++; count[s.Code] == mostAlike+1 {
			codes = append(codes, s.Code)
		}
		if count[s.Code] <= mostAlike {
			kept = append(kept, s)
		}
	}
	for _, code := range codes {
		kept = append(kept, Snag{Code: code, About: []site.Ref{}, Says: fmt.Sprintf("And at least %d more like the %d above.", count[code]-mostAlike, mostAlike)})
	}
	return kept
}

// repin offers the nearest address that is free, for a pin that cannot stay.
func repin(v View, p site.Placed) []Mend {
	by := addressing.Way(v.View, *p.Interface)
	if p.Interface.Pin != nil && by == site.ByReservation {
		by = p.Interface.Pin.By // the way that was chosen, since it can be gone
	}
	a, ok := v.nearest(p, by)
	if !ok {
		return nil
	}
	does := fmt.Sprintf("Pin %s at %s", p.Label(), a)
	if p.Interface.Pin != nil {
		does = fmt.Sprintf("Move %s to %s", p.Label(), a)
		if a == p.Interface.Pin.Address {
			does = fmt.Sprintf("Set %s on the device instead", p.Label())
		}
	}
	return []Mend{{does, []site.Edit{pinEdit(p, a, by)}}}
}

func pinEdit(p site.Placed, a addr, by string) site.Edit {
	return site.SetPin{ID: p.Interface.ID, Pin: &site.Pin{Address: a, By: by}}
}
