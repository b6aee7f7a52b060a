package reach

import (
	"cmp"
	"fmt"
	"slices"

	"vestpin/core/site"
	"vestpin/core/span"
)

// Route gives the routers from the one next to an interface to the one from which a
// service on it is to be reached, or says why there is no way. Of several routers on the
// network the first counts from which the way out is whole.
func Route(v site.View, w site.Wish) ([]site.Router, string) {
	first := ""
	for _, r := range v.Routers {
		if r.Network != w.Interface.Network {
			continue
		}
		out, why := outwards(v, r, w.Service.Open.Router)
		if why == "" {
			return out, ""
		}
		if first == "" {
			first = why
		}
	}
	if first == "" {
		first = fmt.Sprintf("no router is known on the network of %s", w.Device.Label())
	}
	return nil, first
}

func outwards(v site.View, r site.Router, last string) ([]site.Router, string) {
	out := []site.Router{r}
	for r.ID != last && r.Upstream != "" {
		next, _ := v.Router(r.Upstream)
		if !r.WAN.Address.IsValid() {
			return nil, fmt.Sprintf("the address of %s on the outer router's network is not known", r.Label())
		}
		if between, ok := v.Network(next.Network); ok && !between.Subnet.Contains(r.WAN.Address) {
			return nil, fmt.Sprintf("the outside address %s of %s is not on the network of %s", r.WAN.Address, r.Label(), next.Label())
		}
		r = next
		out = append(out, r)
	}
	if last != "" && r.ID != last {
		return nil, "the router it is to be reached from is not on the way out"
	}
	return out, ""
}

// Shift is ports of a device that are reached at as many outside ports: by whom, and
// over which forwards, from the router next to the device outwards.
type Shift struct {
	Ports span.Run
	To    uint32
	Who   Who
	By    []string
}

// offset is what is to be added to a device port to get the outside one.
func (s Shift) offset() int64 { return int64(s.To) - int64(s.Ports.Lo) }

// Back leads ports of a goal out through routers, the nearest first, by what the given
// function knows to lead to a goal at a router.
func Back(routers []site.Router, goal Goal, proto site.Protocol, ports span.Ports, to func(router string, goal Goal) []Span) []Shift {
	var now []Shift
	for _, r := range ports.Pieces() {
		now = append(now, Shift{Ports: r, To: r.Lo, Who: Anyone})
	}
	for _, r := range routers {
		spans := to(r.ID, goal)
		var next []Shift
		for _, s := range now {
			far := span.Run{Lo: s.To, Hi: s.To + uint32(s.Ports.Len()) - 1}
			for _, l := range spans {
				in := span.Run{Lo: l.Inside, Hi: l.Inside + uint32(l.Ports.Len()) - 1}
				if l.Protocol != proto || !in.Touches(far) {
					continue
				}
				who := s.Who.Overlap(l.Who)
				if who.Nobody() {
					continue
				}
				lo, hi := max(in.Lo, far.Lo), min(in.Hi, far.Hi)
				next = append(next, Shift{
					Ports: span.Run{Lo: s.Ports.Lo + lo - far.Lo, Hi: s.Ports.Lo + hi - far.Lo},
					To:    l.Ports.Lo + lo - in.Lo, Who: who, By: append(slices.Clone(s.By), l.Forward),
				})
			}
		}
		now, goal = next, Behind(r)
	}
	return now
}

// Met reports whether every port of a wish is reached from where it is wanted, by all
// who are to reach it, at the outside ports it asks for, by whatever forwards.
func (m *Map) Met(w site.Wish) bool {
	routers, why := Route(m.v, w)
	return why == "" && Meets(w, routers, w.Service.Ports, m.To)
}

// Meets reports whether a wish is met, its device answering at the given ports, by what
// leads where at the routers of its route.
func Meets(w site.Wish, routers []site.Router, ports span.Ports, to func(router string, goal Goal) []Span) bool {
	want := Allowed(w.Service.Open.From)
	exact, named := w.Service.Open.Exact()
	if w.Service.Open.Port == site.SamePort {
		exact, named = ports, true
	}
	for _, proto := range w.Service.Protocol.Each() {
		groups := map[int64][]Shift{}
		for _, s := range Back(routers, At(w.Interface), proto, ports, to) {
			groups[s.offset()] = append(groups[s.offset()], s)
		}
		if named {
			for device, outside := range span.Paired(ports, exact) {
				if !span.Of(device).Minus(covered(groups[int64(outside.Lo)-int64(device.Lo)], want)).Empty() {
					return false
				}
			}
			continue
		}
		left := ports.Set()
		for _, g := range groups {
			left = left.Minus(covered(g, want))
		}
		if !left.Empty() {
			return false
		}
	}
	return true
}

// covered is the ports of shifts that all who are wanted can reach.
func covered(group []Shift, want Who) span.Set {
	var good []span.Run
	var part []Shift
	for _, s := range group {
		if s.Who.Covers(want) {
			good = append(good, s.Ports)
		} else {
			part = append(part, s)
		}
	}
	if len(part) < 2 {
		return span.Of(good...)
	}
	// What some reach by one forward and some by another all may reach together.
	var cuts []uint32
	for _, s := range part {
		cuts = append(cuts, s.Ports.Lo, s.Ports.Hi+1)
	}
	slices.SortFunc(cuts, cmp.Compare)
	cuts = slices.Compact(cuts)
	for i := 0; i+1 < len(cuts); i++ {
		var who Who
		for _, s := range part {
			if s.Ports.Contains(cuts[i]) {
				who = who.Union(s.Who)
			}
		}
		if who.Covers(want) {
			good = append(good, span.Run{Lo: cuts[i], Hi: cuts[i+1] - 1})
		}
	}
	return span.Of(good...)
}

// Clash reports whether two enabled forwards of one router want the same outside port
// of one protocol for somebody.
func Clash(limitsSenders bool, a, b site.Forward) bool {
	if !a.Protocol.Meets(b.Protocol) || a.Outside.Set().Overlap(b.Outside.Set()).Empty() {
		return false
	}
	return !limitsSenders || !Allowed(a.From).Overlap(Allowed(b.From)).Nobody()
}

// OwnPort finds a port on which the router itself answers among those that a
// forward wants.
func OwnPort(r site.Router, f site.Forward) (site.OwnPort, bool) {
	for _, own := range r.OwnPorts {
		if own.Protocol.Meets(f.Protocol) && !own.Ports.Set().Overlap(f.Outside.Set()).Empty() {
			return own, true
		}
	}
	return site.OwnPort{}, false
}

// Inwards gives the routers from those at the provider inwards, each before those behind
// it. Routers in a ring, which no site should have, come last.
func Inwards(v site.View) []site.Router {
	var out []site.Router
	placed := map[string]bool{}
	var follow func(upstream string)
	follow = func(upstream string) {
		for _, r := range v.Routers {
			if r.Upstream == upstream && !placed[r.ID] {
				placed[r.ID] = true
				out = append(out, r)
				follow(r.ID)
			}
		}
	}
	follow("")
	for _, r := range v.Routers {
		if !placed[r.ID] {
			out = append(out, r)
		}
	}
	return out
}

// Lands gives the service of a device that a forward leads to: its own where it says so,
// else the one that answers on its inside ports. Empty for none.
func Lands(f site.Forward, p site.Placed) string {
	inside := f.InsidePorts()
	found := ""
	for _, s := range p.Device.Services {
		if s.ID == f.Service {
			return s.ID
		}
		if found == "" && s.Interface == p.Interface.ID && s.Protocol.Meets(f.Protocol) && s.Ports.Equal(inside) {
			found = s.ID
		}
	}
	return found
}
