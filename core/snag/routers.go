package snag

import (
	"fmt"
	"net/netip"

	"vestpin/core/forwarding"
	"vestpin/core/site"
)

func routerName(r site.Router) string {
	if r.Name != "" {
		return r.Name
	}
	return "Router " + r.ID
}

// formCannot finds forwards that the router's form has no way to express.
func formCannot(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		for _, f := range form.Type(v.View, r).Faults {
			found = append(found, Snag{
				Code: "form-cannot", About: append(about(v, f.Forward), r.Ref()), Mends: moveAway(v, f.Forward),
				Says: fmt.Sprintf("%s cannot be entered at %s: %s.", forwardName(f.Forward), routerName(r), f.Why),
			})
		}
	}
	return found
}

// linesRunOut finds routers that need more lines than their form has.
func linesRunOut(v View) []Snag {
	has := func(f site.Form) int { return f.Lines }
	needs := func(r site.Router) int { return form.Type(v.View, r).All() }
	return runOut(v, "lines-run-out", has, needs, "The forwards need %d lines, but %s has %d.")
}

// reservationsRunOut finds routers with fewer reservations than are planned.
func reservationsRunOut(v View) []Snag {
	has := func(f site.Form) int { return f.ReservationLines }
	needs := func(r site.Router) int { return len(form.Type(v.View, r).Reservations) }
	return runOut(v, "reservations-run-out", has, needs, "%d reservations are planned, but %s takes %d. Set some addresses on the devices instead.")
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
			found = append(found, Snag{Code: code, About: []site.Ref{r.Ref()}, Says: fmt.Sprintf(says, need, routerName(r), have)})
		}
	}
	return found
}

// wishUnmet finds services that are to be opened and that no forward reaches.
func wishUnmet(v View) []Snag {
	var found []Snag
	for _, w := range v.Wishes() {
		if forwarding.Met(v.View, w) {
			continue
		}
		s := Snag{
			Code: "wish-unmet", About: []site.Ref{w.Service.Ref(), w.Device.Ref()},
			Says: fmt.Sprintf("%s is to be opened, but no forward leads there yet.", w.Label()),
		}
		if w.Interface.Pin != nil {
			if plan := v.suggestOne(w); len(plan.Changes) > 0 {
				s.Mends = append(s.Mends, Mend{doesOf(w, plan), plan.Edits()})
			} else if len(plan.Unmet) > 0 {
				s.Says = plan.Unmet[0].Says
			} else if v.left.short {
				s.Says += later
			}
		}
		s.Mends = append(s.Mends, keepIn(v, w))
		found = append(found, s)
	}
	return found
}

// upstreamMissing finds forwards on an inner router that the outer one does not
// lead to.
func upstreamMissing(v View) []Snag {
	var found []Snag
	for _, f := range enabled(v) {
		r, _ := v.Router(f.Router)
		outer, ok := v.Router(r.Upstream)
		if !ok {
			continue
		}
		missing := withoutPartner(v, f, r, outer)
		if len(missing) == 0 {
			continue
		}
		s := Snag{
			Code: "upstream-missing", About: append(about(v, f), outer.Ref()),
			Says: fmt.Sprintf("%s is forwarded at %s, but %s in front of it sends nothing there.", forwardName(f), routerName(r), routerName(outer)),
		}
		if w, ok := v.Service(f.Service); ok && w.Service.Open != nil && w.Service.Open.Router == r.ID {
			continue // it is only wanted from between the two
		}
		if r.WAN.Address.IsValid() {
			partner := f
			partner.ID = site.FreeID(f.ID+"-outer", func(id string) bool { return hasForward(v, id) })
			partner.Router, partner.To, partner.Inside = outer.ID, r.WAN.Address.String(), f.Outside
			partner.Locked = false
			if len(missing) < len(f.Protocol.Each()) {
				partner.Protocol = missing[0]
			}
			s.Mends = []Mend{{"Forward it at " + routerName(outer) + " too", []site.Edit{site.PutForward{Forward: partner}}}}
		}
		found = append(found, s)
	}
	return found
}

func hasForward(v View, id string) bool {
	for _, f := range v.Forwards {
		if f.ID == id {
			return true
		}
	}
	return false
}

// withoutPartner gives the single protocols of a forward on an inner router that
// the outer one does not send on whole.
func withoutPartner(v View, f site.Forward, r, outer site.Router) []site.Protocol {
	var missing []site.Protocol
	for _, proto := range f.Protocol.Each() {
		left := f.Outside.Set()
		for _, o := range enabled(v) {
			if address, _ := v.Target(o); o.Router == outer.ID && o.Protocol.Covers(proto) && address.IsValid() && address == r.WAN.Address {
				left = left.Minus(o.InsidePorts().Set())
			}
		}
		if !left.Empty() {
			missing = append(missing, proto)
		}
	}
	return missing
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
				Says:  fmt.Sprintf("UPnP is on at %s: a device can take an outside port that is planned here.", routerName(r)),
				Mends: []Mend{{"Note that UPnP is off now", []site.Edit{site.PutRouter{Router: off}}}},
			})
		}
	}
	return found
}

// carrier is the shared address space of providers, RFC 6598.
var carrier = netip.MustParsePrefix("100.64.0.0/10")

// behind finds routers whose outside is not the internet: forwards there lead
// nowhere unless the box in front sends them on.
func behind(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		switch a := r.WAN.Address; {
		case !a.IsValid() || r.Upstream != "":
		case carrier.Contains(a):
			found = append(found, Snag{
				Code: "behind-carrier", About: []site.Ref{r.Ref()},
				Says: fmt.Sprintf("The outside address %s of %s is the provider's shared one (carrier-grade NAT): no forward can work. Ask for a public address, or use a VPN outwards.", a, routerName(r)),
			})
		case a.IsPrivate():
			found = append(found, Snag{
				Code: "behind-router", About: []site.Ref{r.Ref()},
				Says: fmt.Sprintf("The outside address %s of %s is a private one: another router stands in front. Add it, or set it to pass everything through.", a, routerName(r)),
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
				Says: fmt.Sprintf("The outside address of %s changes and no name follows it. Set up dynamic DNS, or ask for a fixed address.", routerName(r)),
			})
		}
	}
	return found
}
