package snag

import (
	"fmt"
	"slices"

	"vestpin/core/addressing"
	"vestpin/core/edit"
	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/span"
)

// rangeBad finds DHCP ranges that leave their subnet, cover the gateway or
// overlap another.
func rangeBad(v View) []Snag {
	var found []Snag
	for _, n := range v.Networks {
		lan := ipv4.Run(n.Subnet)
		usable := span.Run{Lo: lan.Lo + 1, Hi: lan.Hi - 1}
		for i, r := range n.Ranges {
			own := span.Run{Lo: ipv4.Number(r.From), Hi: ipv4.Number(r.To)}
			says := ""
			switch {
			case own.Lo < usable.Lo || own.Hi > usable.Hi:
				says = fmt.Sprintf("reaches outside the usable addresses %s to %s", ipv4.Addr(usable.Lo), ipv4.Addr(usable.Hi))
			case n.Gateway.IsValid() && own.Contains(ipv4.Number(n.Gateway)):
				says = fmt.Sprintf("covers the gateway %s", n.Gateway)
			case slices.ContainsFunc(n.Ranges[:i], func(o site.Range) bool {
				return own.Touches(span.Run{Lo: ipv4.Number(o.From), Hi: ipv4.Number(o.To)})
			}):
				says = "overlaps another range"
			}
			if says != "" {
				found = append(found, Snag{
					Code: "range-bad", About: []site.Ref{n.Ref()}, Mends: trimRange(v, n, i),
					Says: fmt.Sprintf("The DHCP range %s to %s %s.", r.From, r.To, says),
				})
			}
		}
	}
	return found
}

// trimRange offers the longest stretch of a range that has none of its faults.
func trimRange(v View, n site.Network, i int) []Mend {
	lan := ipv4.Run(n.Subnet)
	good := span.Of(span.Run{Lo: lan.Lo + 1, Hi: lan.Hi - 1}).Overlap(span.Of(span.Run{Lo: ipv4.Number(n.Ranges[i].From), Hi: ipv4.Number(n.Ranges[i].To)}))
	if n.Gateway.IsValid() {
		good = good.Minus(span.One(ipv4.Number(n.Gateway)))
	}
	for j, o := range n.Ranges {
		if j < i {
			good = good.Minus(span.Of(span.Run{Lo: ipv4.Number(o.From), Hi: ipv4.Number(o.To)}))
		}
	}
	fixed := n
	fixed.Ranges = slices.Delete(slices.Clone(n.Ranges), i, i+1)
	does := "Remove this range"
	if !good.Empty() {
		longest := slices.MaxFunc(good.Runs(), func(a, b span.Run) int { return a.Len() - b.Len() })
		fixed.Ranges = slices.Insert(fixed.Ranges, i, site.Range{From: ipv4.Addr(longest.Lo), To: ipv4.Addr(longest.Hi)})
		does = fmt.Sprintf("Make it %s to %s", ipv4.Addr(longest.Lo), ipv4.Addr(longest.Hi))
	}
	for _, p := range v.Interfaces() { // no reservation may be left outside that must lie inside
		pin := p.Interface.Pin
		if pin != nil && pin.Reserved() && p.Interface.Network == n.ID && addressing.CanReserve(v.View, n, pin.Address) && !addressing.CanReserve(v.View, fixed, pin.Address) {
			return nil
		}
	}
	return []Mend{{does, []edit.Edit{edit.PutNetwork{Network: fixed}}}}
}

// subnetTwice finds networks whose subnets overlap and that meet at a router, which cannot
// lead from one to the other, or of which one has no router. Behind two routers the same
// subnet does no harm.
func subnetTwice(v View) []Snag {
	var found []Snag
	for i, n := range v.Networks {
		for _, o := range v.Networks[:i] {
			if !n.Subnet.Overlaps(o.Subnet) {
				continue
			}
			r, meet := meetAt(v, n, o)
			_, served := v.RouterOf(n.ID)
			_, other := v.RouterOf(o.ID)
			if !meet && served && other {
				continue
			}
			trouble := "no router can tell them apart"
			if meet {
				trouble = r.Label() + " cannot tell them apart"
			}
			found = append(found, Snag{
				Code: "subnet-twice", About: []site.Ref{o.Ref(), n.Ref()},
				Says: fmt.Sprintf("%s and %s share addresses (%s and %s): %s. Give one of them another subnet.", networkName(o), networkName(n), o.Subnet, n.Subnet, trouble),
			})
		}
	}
	return found
}

// meetAt finds a router that two networks are on: both inside, or one behind it and the
// other in front.
func meetAt(v View, n, o site.Network) (site.Router, bool) {
	for _, r := range v.Routers {
		in := func(n site.Network) bool { return r.On(n.ID) }
		before := func(n site.Network) bool {
			front, ok := v.Router(r.Upstream)
			return ok && front.On(n.ID)
		}
		if in(n) && (in(o) || before(o)) || in(o) && before(n) {
			return r, true
		}
	}
	return site.Router{}, false
}

func networkName(n site.Network) string {
	if n.Name != "" {
		return n.Name
	}
	return "Network " + n.ID
}

// rangeFull finds networks with more loose devices than addresses to hand out.
func rangeFull(v View) []Snag {
	var found []Snag
	for _, n := range v.Networks {
		var handed span.Set
		for _, r := range n.Ranges {
			handed = handed.Union(span.Of(span.Run{Lo: ipv4.Number(r.From), Hi: ipv4.Number(r.To)}))
		}
		loose := 0
		for _, p := range v.Interfaces() {
			if p.Interface.Network != n.ID {
				continue
			}
			if p.Interface.Pin == nil {
				loose++
			} else {
				handed = handed.Minus(span.One(ipv4.Number(p.Interface.Pin.Address)))
			}
		}
		if len(n.Ranges) > 0 && loose > handed.Len() {
			found = append(found, Snag{
				Code: "range-full", About: []site.Ref{n.Ref()},
				Says: fmt.Sprintf("%d loose devices share %d addresses of the DHCP range: some will get none.", loose, handed.Len()),
			})
		}
	}
	return found
}
