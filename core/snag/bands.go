package snag

import (
	"fmt"
	"slices"

	"vestpin/core/addressing"
	"vestpin/core/catalogue"
	"vestpin/core/edit"
	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/span"
)

// bandFull finds bands that have no address left while devices of their kinds are pinned
// outside, or would be by the suggestion: once a band, with the band that would do.
func bandFull(v View) []Snag {
	if !slices.ContainsFunc(v.Networks, func(n site.Network) bool { return len(n.Bands) > 0 }) {
		return nil
	}
	after := v.pins().Pinned()
	var found []Snag
	for _, n := range v.Networks {
		outside := outsideBands(after, n)
		for k, band := range n.Bands {
			list := outside[k]
			if len(list) == 0 || slices.ContainsFunc(n.Bands, func(b site.Band) bool { return meantFor(b, list[0]) && roomIn(after, n, run(b), list[0]) }) {
				continue
			}
			s := Snag{Code: "band-full", About: []site.Ref{n.Ref()}}
			for _, p := range list[:min(len(list), 20)] {
				s.About = append(s.About, p.Device.Ref())
			}
			pins := fmt.Sprintf("%d pins of its kinds are", len(list))
			if len(list) == 1 {
				pins = "the pin of " + list[0].Label() + " is"
			}
			s.Says = fmt.Sprintf("The band %s (%s to %s) is full: %s outside it.", band.Name, band.From, band.To, pins)
			if wider, ok := widerBand(after, n, k, list); ok {
				s.Says += fmt.Sprintf(" A band from %s to %s would do.", ipv4.Addr(wider.Lo), ipv4.Addr(wider.Hi))
				s.Mends = []Mend{{fmt.Sprintf("Make the band %s to %s", ipv4.Addr(wider.Lo), ipv4.Addr(wider.Hi)), []edit.Edit{edit.PutNetwork{Network: withBand(n, k, wider)}}}}
			}
			found = append(found, s)
		}
	}
	return found
}

func run(b site.Band) span.Run { return span.Run{Lo: ipv4.Number(b.From), Hi: ipv4.Number(b.To)} }

func meantFor(b site.Band, p site.Placed) bool { return catalogue.Among(b.Kinds, p.Device.Kind) }

// outsideBands gives, by the first band that is meant for them, the interfaces of a network
// that are pinned in none of those that are.
func outsideBands(v site.View, n site.Network) map[int][]site.Placed {
	out := map[int][]site.Placed{}
	for _, p := range v.Interfaces() {
		if p.Interface.Network != n.ID || p.Interface.Pin == nil {
			continue
		}
		first := slices.IndexFunc(n.Bands, func(b site.Band) bool { return meantFor(b, p) })
		in := func(b site.Band) bool { return meantFor(b, p) && run(b).Contains(ipv4.Number(p.Interface.Pin.Address)) }
		if first >= 0 && !slices.ContainsFunc(n.Bands, in) {
			out[first] = append(out[first], p)
		}
	}
	return out
}

// places is the addresses of a network that pins of its kinds would be given: outside the
// DHCP range, unless the router reserves only inside.
func places(v site.View, n site.Network) span.Set {
	lan := ipv4.Run(n.Subnet)
	set := span.Of(span.Run{Lo: lan.Lo + 1, Hi: lan.Hi - 1})
	var ranges, kept []span.Run
	for _, r := range n.Ranges {
		ranges = append(ranges, span.Run{Lo: ipv4.Number(r.From), Hi: ipv4.Number(r.To)})
	}
	for _, k := range n.KeepFree {
		kept = append(kept, span.Run{Lo: ipv4.Number(k.From), Hi: ipv4.Number(k.To)})
	}
	set = set.Minus(span.Of(kept...))
	if r, ok := v.RouterOf(n.ID); ok && r.Form.Reserves == "inside-range" {
		return set.Overlap(span.Of(ranges...))
	}
	return set.Minus(span.Of(ranges...))
}

// roomIn reports whether an interface could be pinned in a stretch.
func roomIn(v site.View, n site.Network, r span.Run, p site.Placed) bool {
	by := addressing.Way(v, *p.Interface)
	for x := range places(v, n).Overlap(span.Of(r)).Numbers {
		if addressing.Free(v, p, ipv4.Addr(x), by) == "" {
			return true
		}
	}
	return false
}

// widerBand finds the smallest stretch in the place of a band, longer at one end, that holds
// those of its kinds that are outside it as well; it runs into no other band, DHCP range or
// kept stretch.
func widerBand(v site.View, n site.Network, k int, outside []site.Placed) (span.Run, bool) {
	usable := places(v, n)
	for i, b := range n.Bands {
		if i != k {
			usable = usable.Minus(span.Of(run(b)))
		}
	}
	by := addressing.Way(v, *outside[0].Interface)
	mine := map[uint32]bool{}
	for _, p := range outside {
		mine[ipv4.Number(p.Interface.Pin.Address)] = true
	}
	band := run(n.Bands[k])
	best, steps := span.Run{}, -1
	for _, up := range []bool{true, false} {
		wider, left := band, len(outside)
		for left > 0 {
			next := wider.Hi + 1
			if !up {
				next = wider.Lo - 1
			}
			if !usable.Contains(next) {
				break
			}
			if wider = (span.Run{Lo: min(wider.Lo, next), Hi: max(wider.Hi, next)}); mine[next] || addressing.Free(v, outside[0], ipv4.Addr(next), by) == "" {
				left--
			}
		}
		if n := wider.Len() - band.Len(); left == 0 && (steps < 0 || n < steps) {
			best, steps = wider, n
		}
	}
	return best, steps >= 0
}

// withBand gives a network with another stretch for a band.
func withBand(n site.Network, k int, r span.Run) site.Network {
	n.Bands = slices.Clone(n.Bands)
	n.Bands[k].From, n.Bands[k].To = ipv4.Addr(r.Lo), ipv4.Addr(r.Hi)
	return n
}
