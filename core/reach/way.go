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
		if !r.On(w.Interface.Network) {
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
		if _, ok := v.NetworkAt(next, r.WAN.Address); !ok {
			return nil, fmt.Sprintf("the outside address %s of %s is not on a network of %s", r.WAN.Address, r.Label(), next.Label())
		}
		r = next
		out = append(out, r)
	}
	if last != "" && r.ID != last {
		return nil, "the router it is to be reached from is not on the way out"
	}
	return out, ""
}

// Mapping is a run of outside ports of a protocol and where they arrive: the first of them
// at the port Inside of a device, for some sources. Via are the forwards of the way, from
// the router next to the device outwards; none where a router sends all other ports on.
type Mapping struct {
	Protocol site.Protocol
	Outside  span.Run
	Inside   uint32
	Sources  Sources
	Via      []string
}

// Device is the ports of the device.
func (m Mapping) Device() span.Run {
	return span.Run{Lo: m.Inside, Hi: m.Inside + uint32(m.Outside.Len()) - 1}
}

// Offset is what is to be added to a device port to get the outside one.
func (m Mapping) Offset() int64 { return int64(m.Outside.Lo) - int64(m.Inside) }

// Straight is the ports of a device as they leave it: nothing leads to them yet, and nobody
// is kept off.
func Straight(proto site.Protocol, ports span.Ports) []Mapping {
	var out []Mapping
	for _, r := range ports.Pieces() {
		out = append(out, Mapping{Protocol: proto, Outside: r, Inside: r.Lo, Sources: Anyone})
	}
	return out
}

// Through leads a mapping out through a span of the next router: as much of it as the span
// leads to, for those whom both let in. False where that is nothing.
func (m Mapping) Through(s Span) (Mapping, bool) {
	in := span.Run{Lo: s.Inside, Hi: s.Inside + uint32(s.Ports.Len()) - 1}
	if s.Protocol != m.Protocol || !in.Touches(m.Outside) {
		return Mapping{}, false
	}
	sources := m.Sources.Overlap(s.Sources)
	if sources.Nobody() {
		return Mapping{}, false
	}
	lo, hi := max(in.Lo, m.Outside.Lo), min(in.Hi, m.Outside.Hi)
	via := slices.Clone(m.Via)
	if s.Forward != "" {
		via = append(via, s.Forward)
	}
	return Mapping{m.Protocol, span.Run{Lo: s.Ports.Lo + lo - in.Lo, Hi: s.Ports.Lo + hi - in.Lo}, m.Inside + lo - m.Outside.Lo, sources, via}, true
}

// Lookup gives what leads to a goal at a router.
type Lookup func(router string, goal Goal) []Span

// Back leads ports of a goal out through routers, the nearest first, by what leads where.
func Back(routers []site.Router, goal Goal, proto site.Protocol, ports span.Ports, to Lookup) []Mapping {
	now := Straight(proto, ports)
	for _, r := range routers {
		spans := to(r.ID, goal)
		var next []Mapping
		for _, m := range now {
			for _, s := range spans {
				if out, ok := m.Through(s); ok {
					next = append(next, out)
				}
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
	return why == "" && Meets(m.v, w, routers, w.Service.Ports, m.To)
}

// Meets reports whether a wish is met, its device answering at the given ports, by what
// leads where at the routers of its route.
func Meets(v site.View, w site.Wish, routers []site.Router, ports span.Ports, to Lookup) bool {
	want, ok := Wanted(v, w, routers)
	if !ok {
		return false
	}
	exact, named := w.Service.Open.Exact()
	if w.Service.Open.Port == site.SamePort {
		exact, named = ports, true
	}
	for _, proto := range w.Service.Protocol.Each() {
		groups := map[int64][]Mapping{}
		for _, m := range Back(routers, At(w.Interface), proto, ports, to) {
			groups[m.Offset()] = append(groups[m.Offset()], m)
		}
		if named {
			for device, outside := range span.Paired(ports, exact) {
				if !covered(groups[int64(outside.Lo)-int64(device.Lo)], want).Covers(span.Of(device)) {
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

// covered is the ports of mappings that all who are wanted can reach.
func covered(group []Mapping, want Sources) span.Set {
	var good []span.Run
	var part []Mapping
	for _, m := range group {
		if m.Sources.Covers(want) {
			good = append(good, m.Device())
		} else {
			part = append(part, m)
		}
	}
	if len(part) < 2 {
		return span.Of(good...)
	}
	// What some reach by one forward and some by another all may reach together.
	slices.SortStableFunc(part, func(a, b Mapping) int { return cmp.Compare(a.Inside, b.Inside) })
	var cuts []uint32
	for _, m := range part {
		cuts = append(cuts, m.Inside, m.Device().Hi+1)
	}
	slices.SortFunc(cuts, cmp.Compare)
	cuts = slices.Compact(cuts)
	var active []Mapping
	for i := 0; i+1 < len(cuts); i++ {
		active = slices.DeleteFunc(active, func(m Mapping) bool { return m.Device().Hi < cuts[i] })
		for len(part) > 0 && part[0].Inside == cuts[i] {
			active, part = append(active, part[0]), part[1:]
		}
		sources := make([]Sources, len(active))
		for k, m := range active {
			sources[k] = m.Sources
		}
		if AnyOf(sources).Covers(want) {
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
