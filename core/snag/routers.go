package snag

import (
	"fmt"
	"net/netip"
	"slices"

	"vestpin/core/addressing"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// formCannot finds forwards that the router's form has no way to express.
func formCannot(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		for _, f := range v.typed(r).Faults {
			found = append(found, Snag{
				Code: "form-cannot", About: append(about(v, f.Forward), r.Ref()), Mends: moveAway(v, f.Forward),
				Says: fmt.Sprintf("%s cannot be entered at %s: %s.", forwardName(f.Forward), r.Label(), f.Why),
			})
		}
	}
	return found
}

// notFollowed finds routers whose forwards overlap for so many senders that they are not
// all followed.
func notFollowed(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		if from := v.reaches().Cut(r.ID); from > 0 {
			found = append(found, Snag{
				Code: "not-followed", About: []site.Ref{r.Ref()},
				Says: fmt.Sprintf("The forwards at %s overlap for very many senders: from port %d on it is not worked out where they lead, and they count as leading nowhere.", r.Label(), from),
			})
		}
	}
	return found
}

// linesRunOut finds routers that need more lines than their form has.
func linesRunOut(v View) []Snag {
	has := func(f site.Form) int { return f.Lines }
	needs := func(r site.Router) int { return v.typed(r).All() }
	return runOut(v, "lines-run-out", has, needs, "The forwards need %d entries, but %s has %d.")
}

// reservationsRunOut finds routers with fewer reservations than are planned.
func reservationsRunOut(v View) []Snag {
	has := func(f site.Form) int { return f.ReservationLines }
	needs := func(r site.Router) int { return len(v.typed(r).Reservations) }
	found := runOut(v, "reservations-run-out", has, needs, "%d reservations are planned, but %s takes %d. Set some addresses on the devices instead.")
	for i := range found {
		found[i].Mends = fewerReservations(v, found[i].About[0])
	}
	return found
}

// fewerReservations offers to set the least important devices by hand that are reserved at a
// router, as many as it has no reservation for: those that can stay where they are.
func fewerReservations(v View, router site.Ref) []Mend {
	var list []site.Placed
	more := 0
	for _, r := range v.Routers {
		if r.Ref() != router {
			continue
		}
		more = len(v.typed(r).Reservations) - r.Form.ReservationLines
		for _, res := range v.typed(r).Reservations {
			if p, _ := v.Interface(res.Interface); !p.Interface.Pin.Locked && addressing.Free(v.View, p, res.Address, site.ByDevice) == "" {
				list = append(list, p)
			}
		}
	}
	if len(list) < more {
		return nil
	}
	slices.SortStableFunc(list, func(p, q site.Placed) int { return q.Device.Importance() - p.Device.Importance() })
	var edits []edit.Edit
	for _, p := range list[:more] {
		edits = append(edits, pinEdit(p, p.Interface.Pin.Address, site.ByDevice))
	}
	does := fmt.Sprintf("Set %d of them on the devices, the least important", more)
	if more == 1 {
		does = "Set " + list[0].Label() + " on the device instead"
	}
	return []Mend{{does, edits}}
}

// runOut finds routers that have less of something than is needed; having 0 is
// having no limit.
func runOut(v View, code string, has func(site.Form) int, needs func(site.Router) int, says string) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		have := has(r.Form)
		if have == 0 {
			continue
		}
		if need := needs(r); need > have {
			found = append(found, Snag{Code: code, About: []site.Ref{r.Ref()}, Says: fmt.Sprintf(says, need, r.Label(), have)})
		}
	}
	return found
}

// wishUnmet finds services that are to be opened and that no forward reaches.
func wishUnmet(v View) []Snag {
	var found []Snag
	for _, w := range v.Wishes() {
		if v.reaches().Met(w) {
			continue
		}
		s := Snag{
			Code: "wish-unmet", About: []site.Ref{w.Service.Ref(), w.Device.Ref()},
			Says: fmt.Sprintf("%s is to be opened, but no forward leads there yet.", w.Label()),
		}
		if why := v.whyNot(w); why != "" {
			s.Says = fmt.Sprintf("%s is to be opened, but %s.", w.Label(), why)
		}
		if edits := v.open(w); len(edits) > 0 && v.roomToReserve(edits) {
			s.Mends = append(s.Mends, withFollowers(v, doesOf(w, edits), edits)...)
		} else if why := v.plan().Shut(w.Service.ID); why != "" && w.Interface.Pin != nil {
			s.Says = why
			s.Mends = append(s.Mends, keepIn(v, w))
			s.Further = len(v.Wishes()) <= mostWaysWishes
			found = append(found, s)
			continue
		}
		s.Mends = append(s.Mends, keepIn(v, w))
		found = append(found, s)
	}
	return found
}

// whyNot says why the forwards of a service do not open it, where it has some.
func (v View) whyNot(w site.Wish) string {
	for _, f := range v.forwardsOf(w.Service.ID) {
		p := reach.Packet{Router: f.Router, Port: int(f.Outside.At(0)), Protocol: f.Protocol.Each()[0]}
		if len(f.From) > 0 {
			p.Sender = f.From[0].Addr()
		}
		if fate := v.reaches().Walk(p); len(fate.Path) > 0 && fate.Path[0].Forward != f.ID {
			return "its outside port " + f.Outside.String() + " leads elsewhere"
		}
	}
	if len(v.forwardsOf(w.Service.ID)) > 0 {
		return "its forwards do not lead all its ports there for all who should reach them"
	}
	return ""
}

// upstreamMissing finds forwards on an inner router that the outer one does not
// lead to.
func upstreamMissing(v View) []Snag {
	var found []Snag
	for _, f := range enabled(v) {
		r, _ := v.Router(f.Router)
		outer, ok := v.Router(r.Upstream)
		if !ok || !lacksPartner(v, f, r, outer) {
			continue
		}
		if w, ok := v.Service(f.Service); ok && w.Service.Open != nil && w.Service.Open.Router == r.ID {
			continue // it is only wanted from between the two
		}
		nothing := "sends nothing there"
		if missing := withoutPartner(v, f, r, outer); missing.Len() < f.Outside.Len() {
			nothing = fmt.Sprintf("does not send %s there", missing)
		}
		found = append(found, Snag{
			Code: "upstream-missing", About: append(about(v, f), outer.Ref()), Mends: leadOut(v, f, r, outer),
			Says: fmt.Sprintf("%s is forwarded at %s, but %s in front of it %s.", forwardName(f), r.Label(), outer.Label(), nothing),
		})
	}
	return found
}

// leadOut offers to lead a forward on an inner router out through those in front, as the
// suggestion does it for its service, or beside all that is there.
func leadOut(v View, f site.Forward, r, outer site.Router) []Mend {
	w, ok := v.Service(f.Service)
	if ok && w.Service.Open != nil && !f.Locked {
		if edits := v.open(w); len(edits) > 0 && v.roomToReserve(edits) && v.endsMissing(edits, f) {
			return withFollowers(v, doesOf(w, edits), edits)
		}
	}
	var mends []Mend
	// Seen from the outer router the inner one is a device that answers on these ports.
	between, _ := v.NetworkAt(outer, r.WAN.Address)
	inner := &site.Interface{ID: r.WAN.Address.String(), Network: between.ID, Pin: &site.Pin{Address: r.WAN.Address, By: site.ByDevice}}
	service := &site.Service{Name: forwardName(f), Interface: inner.ID, Protocol: f.Protocol, Ports: f.Outside, Open: &site.Open{Port: site.AnyPort, From: f.From}}
	if r.WAN.Address.IsValid() {
		plan := v.beside(site.Wish{Device: &site.Device{Name: forwardName(f)}, Interface: inner, Service: service})
		if edits := plan.Edits(); len(edits) > 0 && len(plan.Unmet) == 0 {
			for i, e := range edits {
				put := e.(edit.PutForward)
				put.Forward.Name = f.Name
				put.Forward.ID = site.FreeID(fmt.Sprint(f.ID, "-", put.Forward.Router), func(id string) bool { return hasForward(v, id) })
				put.Forward.Service = f.Service
				edits[i] = put
			}
			if v.endsMissing(edits, f) { // not where it went out another way
				mends = append(mends, Mend{"Forward it at " + outer.Label() + " too", edits})
			}
		}
	}
	if !f.Locked && !(ok && w.Service.Open != nil) {
		mends = append(mends, remove(v, f)...)
	}
	return mends
}

// endsMissing reports whether a forward is gone, or led out whole, once edits are made.
func (v View) endsMissing(edits []edit.Edit, f site.Forward) bool {
	if v.left.ports--; v.left.ports < 0 {
		v.left.short = true
		return false
	}
	next, _, err := edit.Apply(v.Site, edits)
	if err != nil {
		return false
	}
	then := View{v.With(next), v.left, newOnce()}
	for _, now := range next.Forwards {
		if r, _ := then.Router(now.Router); now.ID == f.ID && now.Enabled {
			outer, _ := then.Router(r.Upstream)
			return !lacksPartner(then, now, r, outer)
		}
	}
	return true
}

func hasForward(v View, id string) bool {
	for _, f := range v.Forwards {
		if f.ID == id {
			return true
		}
	}
	return false
}

// lacksPartner reports whether the outer router does not send on what a forward on an inner one
// gets. What it gets beyond a service that works needs no partner.
func lacksPartner(v View, f site.Forward, r, outer site.Router) bool {
	if withoutPartner(v, f, r, outer).IsZero() {
		return false
	}
	w, ok := v.Service(f.Service)
	return !ok || w.Service.Open == nil || !v.reaches().Met(w)
}

// withoutPartner gives the outside ports of a forward on an inner router that the outer
// one does not send on, on every protocol of the forward: of those that it gets there. Where
// the page knows only lines of both protocols, one of them will do.
func withoutPartner(v View, f site.Forward, r, outer site.Router) span.Ports {
	var missing, half span.Set
	for i, proto := range f.Protocol.Each() {
		left := v.gets(f, proto)
		for _, s := range v.reaches().To(outer.ID, reach.Behind(r)) {
			if s.Protocol == proto {
				left = left.Minus(span.Of(span.Run{Lo: s.Inside, Hi: s.Inside + uint32(s.Ports.Len()) - 1}))
			}
		}
		missing = missing.Union(left)
		if half = half.Overlap(left); i == 0 {
			half = left
		}
	}
	if form.Of(r.Form).OnlyBoth() {
		missing = half
	}
	return span.PortList(missing.Runs()...)
}

// gets gives the outside ports that a forward gets at its router, for anybody: not the
// router's own, nor those that others take before it.
func (v View) gets(f site.Forward, proto site.Protocol) span.Set {
	if v.once.gets == nil {
		runs := map[side][]span.Run{}
		for _, r := range v.Routers {
			for _, proto := range site.Both.Each() {
				for _, s := range v.reaches().Spans(r.ID, proto) {
					runs[side{s.Forward, proto}] = append(runs[side{s.Forward, proto}], s.Ports)
				}
			}
		}
		v.once.gets = map[side]span.Set{}
		for at, list := range runs {
			v.once.gets[at] = span.Of(list...)
		}
	}
	return v.once.gets[side{f.ID, proto}]
}

// upnpOn finds routers on which devices open ports by themselves.
func upnpOn(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		if r.UPnP == "on" {
			off := r
			off.UPnP = "off"
			found = append(found, Snag{
				Code: "upnp-on", About: []site.Ref{r.Ref()},
				Says:  fmt.Sprintf("UPnP is on at %s: a device can take an outside port that is planned here.", r.Label()),
				Mends: []Mend{{"Note that UPnP is off now", []edit.Edit{edit.PutRouter{Router: off}}}},
			})
		}
	}
	return found
}

// behind finds routers whose outside is not the internet: forwards there lead
// nowhere unless the box in front sends them on.
func behind(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		switch a := r.WAN.Address; {
		case !a.IsValid():
		case impossible(a) != "":
			found = append(found, Snag{
				Code: "outside-impossible", About: []site.Ref{r.Ref()},
				Says: fmt.Sprintf("The outside address %s of %s is %s: no router is reached there. Read it off its page again.", a, r.Label(), impossible(a)),
			})
		case r.Upstream != "":
		case site.Carrier.Contains(a):
			found = append(found, Snag{
				Code: "behind-carrier", About: []site.Ref{r.Ref()},
				Says: fmt.Sprintf("The outside address %s of %s is the provider's shared one (carrier-grade NAT): no forward can work. Ask for a public address, or use a VPN outwards.", a, r.Label()),
			})
		case a.IsPrivate():
			found = append(found, Snag{
				Code: "behind-router", About: []site.Ref{r.Ref()},
				Says: fmt.Sprintf("The outside address %s of %s is a private one: another router stands in front. Add it, or set it to pass everything through.", a, r.Label()),
			})
		}
	}
	return found
}

// never are the blocks in which no outside address of a router lies (RFC 6890).
var never = []struct {
	block netip.Prefix
	is    string
}{
	{netip.MustParsePrefix("0.0.0.0/8"), "of the block for \"this network\""},
	{netip.MustParsePrefix("127.0.0.0/8"), "a loopback address"},
	{netip.MustParsePrefix("169.254.0.0/16"), "link-local, which a router gives itself when it got none"},
	{netip.MustParsePrefix("192.0.0.0/24"), "of a block that providers use inside (RFC 6333)"},
	{netip.MustParsePrefix("224.0.0.0/4"), "a multicast address"},
	{netip.MustParsePrefix("240.0.0.0/4"), "of a reserved block"},
}

// impossible says why an address can be no router's outside, or "".
func impossible(a addr) string {
	for _, n := range never {
		if n.block.Contains(a) {
			return n.is
		}
	}
	return ""
}

// innerOutsideMoves finds routers whose outside address comes from the DHCP range of the one
// in front: forwards there lead to it only until it gets another.
func innerOutsideMoves(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		outer, ok := v.Router(r.Upstream)
		n, there := v.NetworkAt(outer, r.WAN.Address)
		if !ok || !there || r.WAN.Kind != "dynamic" || !addressing.InRange(n, r.WAN.Address) {
			continue
		}
		device, known := outsideOf(v, n, r)
		if known && device.Interface.Pin != nil && device.Interface.Pin.Address == r.WAN.Address {
			continue
		}
		s := Snag{
			Code: "inner-outside-moves", About: []site.Ref{r.Ref(), outer.Ref()},
			Says: fmt.Sprintf("%s gets its outside address %s from the DHCP range of %s and can get another. Then no forward reaches it.", r.Label(), r.WAN.Address, outer.Label()),
		}
		switch {
		case known:
			s.About = append(s.About, device.Device.Ref())
			pin := site.Pin{Address: r.WAN.Address, By: addressing.Way(v.View, *device.Interface)}
			if edits := []edit.Edit{edit.SetPin{ID: device.Interface.ID, Pin: &pin}}; v.roomToReserve(edits) && pin.Reserved() && addressing.Free(v.View, device, pin.Address, pin.By) == "" {
				s.Mends = []Mend{{fmt.Sprintf("Reserve %s for %s at %s", pin.Address, device.Label(), outer.Label()), edits}}
			}
		default:
			s.Says += fmt.Sprintf(" Enter it as a device of %s with its outside MAC address, and reserve %s for it.", networkName(n), r.WAN.Address)
		}
		found = append(found, s)
	}
	return found
}

// outsideOf finds the device that is the outside of an inner router.
func outsideOf(v View, n site.Network, r site.Router) (site.Placed, bool) {
	for _, p := range v.Interfaces() {
		if is, ok := v.OutsideOf(p); ok && is.ID == r.ID && p.Interface.Network == n.ID {
			return p, true
		}
	}
	return site.Placed{}, false
}

// wanOffNetwork finds routers behind another whose outside address is not on the network
// in front: nothing that is sent there arrives.
func wanOffNetwork(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		outer, ok := v.Router(r.Upstream)
		if _, there := v.NetworkAt(outer, r.WAN.Address); ok && r.WAN.Address.IsValid() && !there {
			found = append(found, Snag{
				Code: "wan-off-network", About: []site.Ref{r.Ref(), outer.Ref()},
				Says: fmt.Sprintf("The outside address %s of %s is not on %s, %s, in front of it: no forward can come through.", r.WAN.Address, r.Label(), networksOf(v, outer), outer.Label()),
			})
		}
	}
	return found
}

// outsideAddressMoves finds routers whose outside address changes and that have
// no name that follows it.
func outsideAddressMoves(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		if r.WAN.Kind == "dynamic" && r.WAN.Name == "" && r.Upstream == "" {
			found = append(found, Snag{
				Code: "outside-address-moves", About: []site.Ref{r.Ref()},
				Says: fmt.Sprintf("The outside address of %s changes and no name follows it. Set up dynamic DNS, or ask for a fixed address.", r.Label()),
			})
		}
	}
	return found
}
