// Package snag knows what can be wrong or risky in a site, what it is about and
// which edits mend it. Each family of rules has a file.
package snag

import (
	"cmp"
	"fmt"
	"slices"

	"vestpin/core/addressing"
	"vestpin/core/catalogue"
	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/forwarding"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/core/suggest"
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
	Weight string     `json:"weight" enum:"stops,bites,note"`
	Family string     `json:"family" enum:"addresses,networks,forwards,routers,visits" doc:"What the snag is of"`
	About  []site.Ref `json:"about"`
	Says   string     `json:"says"`
	Mends  []Mend     `json:"mends"`

	Further bool `json:"further,omitempty" doc:"There may be more ways to fix it: they are worked out when they are asked for"`
}

// Mend is a set of edits that ends a snag, and what they do in words.
type Mend struct {
	Does  string    `json:"does"`
	Edits edit.List `json:"edits"`
}

// View is what the rules look at, what is worked out once for all of them, and how much
// they may still work out.
type View struct {
	site.View
	left *budget
	once *once
}

// once is what several rules ask, made when the first does.
type once struct {
	reach *reach.Map
	pins  *suggest.Result
	plan  *suggest.Result
	typed map[string]form.Typed

	enabled []site.Forward
	pairs   map[string][][2]site.Forward // by router
	of      map[string][]site.Forward    // by service: its enabled forwards
	missing map[string]bool
	judge   *catalogue.Judge
	gets    map[side]span.Set // by forward and protocol: the outside ports that it gets
	senders [][]site.Sender   // that the site names already
}

// side is a forward on one protocol.
type side struct {
	forward string
	proto   site.Protocol
}

func newView(s site.View) View {
	return View{s, &budget{addresses: mostAddressMends, ports: mostPortMends, ways: mostWays}, newOnce()}
}

func newOnce() *once {
	return &once{typed: map[string]form.Typed{}, pairs: map[string][][2]site.Forward{}}
}

// forwardsOf gives the forwards of a service that count.
func (v View) forwardsOf(service string) []site.Forward {
	if v.once.of == nil {
		v.once.of = map[string][]site.Forward{}
		for _, f := range enabled(v) {
			if f.Service != "" {
				v.once.of[f.Service] = append(v.once.of[f.Service], f)
			}
		}
	}
	return v.once.of[service]
}

// budget bounds what mends cost that are worked out one by one. Snags beyond it come
// without, and say so; once the first are mended, the next have theirs.
type budget struct {
	addresses, ports int
	ways             int  // out for a service that cannot be opened
	short            bool // a mend was not worked out since this was asked last
}

// reaches is what reaches what.
func (v View) reaches() *reach.Map {
	if v.once.reach == nil {
		v.once.reach = reach.Of(v.View)
	}
	return v.once.reach
}

// judge tells what should never face the internet unlimited.
func (v View) judge() *catalogue.Judge {
	if v.once.judge == nil {
		v.once.judge = catalogue.NewJudge(catalogue.Shipped().With(v.Kinds...))
	}
	return v.once.judge
}

// pins is the suggestion for all addresses: mends do what it would do.
func (v View) pins() *suggest.Result {
	if v.once.pins == nil {
		r, err := suggest.Pins(v.View)
		if err != nil {
			r = suggest.Result{} // a planner made an edit that is refused: no mend is better than that
		}
		v.once.pins = &r
	}
	return v.once.pins
}

// plan is the suggestion for the whole site.
func (v View) plan() *suggest.Result {
	if v.once.plan == nil {
		r, err := suggest.Beyond(*v.pins())
		if err != nil {
			r = suggest.Result{}
		}
		v.once.plan = &r
	}
	return v.once.plan
}

// open gives the edits that do with a service what the suggestion does, without leaving a
// forward on an inner router that was led out before without a partner.
func (v View) open(w site.Wish) []edit.Edit {
	return v.plan().Open(w, func(next site.View) bool {
		if v.left.ports--; v.left.ports < 0 {
			v.left.short = true
			return false
		}
		then := View{next, v.left, newOnce()}
		for id := range then.missing() {
			if !v.missing()[id] {
				return false
			}
		}
		return true
	})
}

// missing gives the forwards on inner routers that nothing leads out.
func (v View) missing() map[string]bool {
	if v.once.missing == nil {
		v.once.missing = map[string]bool{}
		for _, f := range enabled(v) {
			r, _ := v.Router(f.Router)
			if outer, ok := v.Router(r.Upstream); ok && lacksPartner(v, f, r, outer) {
				v.once.missing[f.ID] = true
			}
		}
	}
	return v.once.missing
}

// typed is how much is typed into a router.
func (v View) typed(r site.Router) form.Typed {
	t, ok := v.once.typed[r.ID]
	if !ok {
		t = form.Measure(v.View, r)
		v.once.typed[r.ID] = t
	}
	return t
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

// nearest finds an address for an interface that the suggestion leaves alone: one that
// is free and that the suggestion gives to nobody.
func (v View) nearest(p site.Placed, by site.PinBy) (addr, bool) {
	if v.left.addresses--; v.left.addresses < 0 {
		v.left.short = true
		return addr{}, false
	}
	return addressing.Nearest(v.View, p, by, v.pins().Taken)
}

// beside plans a wish while all forwards stay.
func (v View) beside(w site.Wish) forwarding.Plan {
	if v.left.ports--; v.left.ports < 0 {
		v.left.short = true
		return forwarding.Plan{}
	}
	return forwarding.Beside(v.View, w)
}

// Check gives the snags of a site, the weightiest first. Of one kind at most
// mostAlike are told, and then how many more there are. It ends early with the context of
// the view, and what it gives then is worth nothing.
func Check(s site.View) []Snag { return CheckWithProgress(s, func(string) {}) }

// CheckWithProgress gives the snags of a site as Check does, and says what it has just
// looked at.
func CheckWithProgress(s site.View, did func(what string)) []Snag {
	v := newView(s)
	out := []Snag{}
	for _, f := range rules {
		for _, rule := range f.rules {
			if s.Stopped() {
				return out
			}
			found := atMostAlike(tell(v, rule.Find))
			for i := range found {
				found[i].Family = f.about
			}
			out = append(out, found...)
		}
		did(f.about)
	}
	preferHandOver(v, out)
	for i := range out {
		out[i].Weight = kinds()[out[i].Code].Weight
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
				data, err := edit.Written{Edit: e}.MarshalJSON()
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

// repin offers to pin an interface, or to move a pin that cannot stay: as the suggestion
// does, or where that leaves it alone, at the nearest address that is free.
func repin(v View, p site.Placed) []Mend {
	if edits := v.pins().Pin(p.Interface.ID); len(edits) > 0 && v.roomToReserve(edits) {
		pin := edits[0].(edit.SetPin).Pin
		return withFollowers(v, doesPin(p, *pin), edits)
	}
	by := addressing.Way(v.View, *p.Interface)
	if p.Interface.Pin != nil && by == site.ByReservation {
		by = p.Interface.Pin.By // the way that was chosen, since it can be gone
	}
	if a, ok := v.nearest(p, by); ok {
		edits := []edit.Edit{pinEdit(p, a, by)}
		if v.roomToReserve(edits) {
			return withFollowers(v, doesPin(p, site.Pin{Address: a, By: by}), edits)
		}
	}
	if a, ok := v.nearest(p, site.ByDevice); ok && by != site.ByDevice {
		edits := []edit.Edit{pinEdit(p, a, site.ByDevice)}
		return withFollowers(v, doesPin(p, site.Pin{Address: a, By: site.ByDevice})+", set on the device", edits)
	}
	return nil
}

func doesPin(p site.Placed, pin site.Pin) string {
	switch old := p.Interface.Pin; {
	case old == nil:
		return fmt.Sprintf("Pin %s at %s", p.Label(), pin.Address)
	case old.Address == pin.Address && pin.By == site.ByDevice:
		return fmt.Sprintf("Set %s on the device instead", p.Label())
	case old.Address == pin.Address:
		return fmt.Sprintf("Reserve %s at %s instead", p.Label(), pin.Address)
	}
	return fmt.Sprintf("Move %s to %s", p.Label(), pin.Address)
}

// roomToReserve reports whether pins leave a router with no more reservations than it
// takes, or than it has now.
func (v View) roomToReserve(edits []edit.Edit) bool {
	more := map[string]int{} // by router
	for _, e := range edits {
		set, ok := e.(edit.SetPin)
		if !ok {
			continue
		}
		p, _ := v.Interface(set.ID)
		r, _ := v.RouterOf(p.Interface.Network)
		if set.Pin.Reserved() {
			more[r.ID]++
		}
		if p.Interface.Pin != nil && p.Interface.Pin.Reserved() {
			more[r.ID]--
		}
	}
	for id, n := range more {
		r, ok := v.Router(id)
		if ok && n > 0 && r.Form.ReservationLines > 0 && len(v.typed(r).Reservations)+n > r.Form.ReservationLines {
			return false
		}
	}
	return true
}

// withFollowers gives a mend that pins, with edits that let forwards to a bare address
// follow the device that leaves it: else they would lead to nobody. None where they could
// not, since the device is entered on another network.
func withFollowers(v View, does string, edits []edit.Edit) []Mend {
	out := edits
	for _, e := range edits {
		set, ok := e.(edit.SetPin)
		if !ok {
			continue
		}
		p, _ := v.Interface(set.ID)
		if p.Interface.Pin == nil || p.Interface.Pin.Address == set.Pin.Address || len(v.PinnedAt(p.Interface.Network, p.Interface.Pin.Address)) > 1 {
			continue
		}
		for _, f := range v.Forwards {
			if !f.Enabled || f.To != p.Interface.Pin.Address.String() || v.replaces(edits, f) {
				continue
			}
			if r, _ := v.Router(f.Router); !r.On(p.Interface.Network) {
				return nil
			}
			f.To = p.Interface.ID
			out = append(out, edit.PutForward{Forward: f})
		}
	}
	return []Mend{{does, out}}
}

// replaces reports whether edits change or remove a forward.
func (v View) replaces(edits []edit.Edit, f site.Forward) bool {
	return slices.ContainsFunc(edits, func(e edit.Edit) bool {
		put, puts := e.(edit.PutForward)
		gone, removes := e.(edit.RemoveForward)
		return puts && put.Forward.ID == f.ID || removes && gone.ID == f.ID
	})
}

func pinEdit(p site.Placed, a addr, by site.PinBy) edit.Edit {
	return edit.SetPin{ID: p.Interface.ID, Pin: &site.Pin{Address: a, By: by}}
}
