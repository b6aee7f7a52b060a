package snag

import (
	"fmt"
	"slices"

	"vestpin/core/edit"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// mappedOver finds ports that a device had the router open for itself and that are planned
// for another end.
func mappedOver(v View) []Snag {
	var found []Snag
	forwards := map[string]site.Forward{}
	for _, f := range v.Forwards {
		forwards[f.ID] = f
	}
	for _, r := range v.Routers {
		if r.Mapped == nil {
			continue
		}
		for _, m := range r.Mapped.Forwards {
			if f, ports := plannedOtherwise(v, r, m); f != "" {
				found = append(found, Snag{
					Code: "mapped-over", About: append(about(v, forwards[f]), r.Ref()),
					Says: fmt.Sprintf("%s/%s at %s was opened by %s for itself (UPnP), and is planned for %s. Only one of the two gets it.", ports, m.Protocol, r.Label(), who(v, r, m), forwards[f].Name),
				})
			}
		}
	}
	return found
}

// plannedOtherwise is the first forward that plans some of a mapping's ports for another
// end, and those ports.
func plannedOtherwise(v View, r site.Router, m site.HeldForward) (forward string, ports span.Ports) {
	inside := m.InsidePorts()
	for _, proto := range m.Protocol.Each() {
		spans := v.reaches().Spans(r.ID, proto)
		for _, run := range m.Outside.Runs() {
			i, _ := slices.BinarySearchFunc(spans, run.Lo, func(s reach.Span, port uint32) int { return int(s.Ports.Hi) - int(port) })
			for ; i < len(spans) && spans[i].Ports.Lo <= run.Hi; i++ {
				s := spans[i]
				both := span.Run{Lo: max(run.Lo, s.Ports.Lo), Hi: min(run.Hi, s.Ports.Hi)}
				if !s.Own && s.Forward != "" && (s.Address != m.Address || s.Inside+both.Lo-s.Ports.Lo != inside.At(m.Outside.Index(both.Lo))) {
					return s.Forward, span.PortList(both)
				}
			}
		}
	}
	return "", span.Ports{}
}

// claimedNotThere finds ports that a device says it had its router open, and that the router,
// when it was asked last, did not list.
func claimedNotThere(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		if r.Mapped == nil || r.Mapped.More {
			continue
		}
		for _, d := range v.Devices {
			for i := range d.Services {
				s := d.Services[i]
				p, ok := v.Interface(s.Interface)
				if s.Claims.IsZero() || !ok || !r.On(p.Interface.Network) || listed(r.Mapped.Forwards, s, *p.Interface) {
					continue
				}
				w := site.Wish{Device: p.Device, Interface: p.Interface, Service: &s}
				forget := s
				forget.Claims = span.Ports{}
				found = append(found, Snag{
					Code: "claimed-not-there", About: []site.Ref{s.Ref(), d.Ref(), r.Ref()},
					Says:  fmt.Sprintf("%s says that it had %s opened at %s by itself (UPnP); the router lists no such port.", w.Label(), s.Claims, r.Label()),
					Mends: []Mend{{"Forget what " + d.Label() + " says", []edit.Edit{edit.PutService{ID: d.ID, Service: forget}}}},
				})
			}
		}
	}
	return found
}

// listed reports whether mappings hold all that a service claims, for where its device is
// pinned or was seen.
func listed(mapped []site.HeldForward, s site.Service, i site.Interface) bool {
	for _, proto := range s.Protocol.Each() {
		left := s.Claims.Set()
		for _, m := range mapped {
			if m.Protocol.Covers(proto) && (m.Address == i.Seen || i.Pin != nil && m.Address == i.Pin.Address) {
				left = left.Minus(m.Outside.Set())
			}
		}
		if !left.Empty() {
			return false
		}
	}
	return true
}

// who names the device of a mapping as well as can be.
func who(v View, r site.Router, m site.HeldForward) string {
	pinned, seen := v.Behind(r, m.Address)
	for _, p := range slices.Concat(pinned, seen) {
		return p.Label()
	}
	return m.Address.String()
}

// outsideTold finds routers that tell another outside address than the one that is entered.
func outsideTold(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		if r.Mapped == nil || !r.Mapped.Outside.IsValid() || r.Mapped.Outside == r.WAN.Address {
			continue
		}
		told := r
		told.WAN.Address = r.Mapped.Outside
		says := fmt.Sprintf("%s tells %s as its outside address, and none is entered.", r.Label(), r.Mapped.Outside)
		if r.WAN.Address.IsValid() {
			says = fmt.Sprintf("%s tells %s as its outside address; %s is entered.", r.Label(), r.Mapped.Outside, r.WAN.Address)
		}
		found = append(found, Snag{
			Code: "outside-told-otherwise", About: []site.Ref{r.Ref()}, Says: says,
			Mends: []Mend{{"Enter " + r.Mapped.Outside.String(), []edit.Edit{edit.PutRouter{Router: told}}}},
		})
	}
	return found
}
