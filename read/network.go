package read

import (
	"net/netip"
	"slices"

	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/read/grid"
)

// networkOf takes what a page of settings tells of the network: its range, mask, gateway and DNS
// servers. It gives the lines that it used; none where the page tells of one thing only, which
// may be of anything.
func (r *reader) networkOf(items []item) map[int]bool {
	used := map[int]bool{}
	var address, gateway, first, last netip.Addr
	var dns []netip.Addr
	bits := 0
	take := func(i item, to *netip.Addr, a netip.Addr) {
		if !to.IsValid() {
			*to = a
			used[i.line.number] = true
		}
	}
	for _, i := range items {
		a, ok := grid.AddressIn(i.text)
		roles := headingOf(i.label)
		if !ok {
			if n, err := ipv4.ParseMask(i.text); err == nil && slices.Contains(roles, grid.Mask) && bits == 0 {
				bits, used[i.line.number] = n, true
			}
			continue
		}
		switch {
		case slices.Contains(roles, grid.DNS):
			dns = append(dns, a)
			used[i.line.number] = true
		case !a.IsPrivate():
		case grid.EndOf(i.label) < 0:
			take(i, &first, a)
		case grid.EndOf(i.label) > 0:
			take(i, &last, a)
		case slices.Contains(roles, grid.Gateway):
			take(i, &gateway, a)
		case slices.Contains(roles, grid.Address):
			take(i, &address, a)
		}
	}
	if len(used) < 2 {
		return nil
	}
	if first.IsValid() && last.IsValid() && !last.Less(first) {
		if p, err := first.Prefix(16); err == nil && p.Contains(last) {
			r.out.Facts.Ranges = append(r.out.Facts.Ranges, site.Range{From: first, To: last})
		}
	}
	if gateway.IsValid() {
		r.addGateways(gateway)
		if bits > 0 {
			r.addOwn(netip.PrefixFrom(gateway, bits).Masked())
		}
	}
	if address.IsValid() && bits > 0 && gateway.IsValid() { // else it may be of any network
		r.addOwn(netip.PrefixFrom(address, bits).Masked())
	}
	for _, a := range dns {
		addTo(&r.out.Facts.DNS, a)
	}
	return used
}
