package sighting

import (
	"fmt"
	"net/netip"
	"slices"

	"vestpin/core/edit"
	"vestpin/core/site"
)

// How much of what answers is believed. A device has a few addresses, and an address
// a few claimants where something is wrong; whoever answers for everything is one
// thing to be told, and not a thousand devices.
const (
	mostMACsOfAddress = 16
	mostAddressesMAC  = 4
)

// answersNow reports whether a sighting is of somebody who answers for an address at
// that moment. Leases and logs tell of months, in which a device has many addresses.
func answersNow(sg Sighting) bool {
	return sg.MAC != "" && sg.Address.IsValid() && slices.Contains(live, sg.State)
}

// crowd finds the sightings that are not believed, by their place in the list, with
// why; and who they are of. Each source counts for itself.
func (m *merger) crowd(list []Sighting) (left map[int]string, who []site.Crowd) {
	left = map[int]string{}
	type claim struct {
		source string
		mac    site.MAC
		addr   netip.Addr
	}
	ofAddress, ofMAC := map[claim][]site.MAC{}, map[claim][]netip.Addr{}
	lost := map[site.Crowd]int{}
	var order []site.Crowd
	leave := func(i int, c site.Crowd, why string) {
		if lost[c]++; lost[c] == 1 {
			order = append(order, c)
		}
		left[i] = why
	}
	for i, sg := range list {
		if !answersNow(sg) {
			continue
		}
		if !room(ofAddress, claim{source: sg.Source, addr: sg.Address}, sg.MAC, mostMACsOfAddress) && !m.knows(sg) {
			leave(i, site.Crowd{Address: sg.Address}, fmt.Sprintf("more than %d MAC addresses answer for %s: this one is not believed", mostMACsOfAddress, sg.Address))
		} else if !room(ofMAC, claim{source: sg.Source, mac: sg.MAC}, sg.Address, mostAddressesMAC) && !m.knows(sg) {
			leave(i, site.Crowd{MAC: sg.MAC}, fmt.Sprintf("%s answers for more than %d addresses: that it is at %s is not believed", sg.MAC, mostAddressesMAC, sg.Address))
		}
	}
	for _, c := range order {
		c.Left, c.At = lost[c], m.at
		who = append(who, c)
	}
	return left, who
}

// room adds to a short list, unless it is full.
func room[K, V comparable](lists map[K][]V, key K, v V, most int) bool {
	have := lists[key]
	if slices.Contains(have, v) {
		return true
	}
	if len(have) >= most {
		return false
	}
	lists[key] = append(have, v)
	return true
}

// knows reports whether the site has that MAC address at that address already.
func (m *merger) knows(sg Sighting) bool {
	at, known := m.byMAC[sg.MAC]
	return known && (m.iface(at).Seen == sg.Address || addressOf(*m.iface(at)) == sg.Address)
}

// crowdEdits notes at each network who answered for more than is believed. What was
// noted before goes where the same is sighted again as it should be.
func (m *merger) crowdEdits(list []Sighting, who []site.Crowd) (out []edit.Edit) {
	if m.at == "" {
		return nil
	}
	for i, n := range m.site.Networks {
		var now []site.Crowd
		for _, c := range who {
			if c.Address.IsValid() && n.Subnet.Contains(c.Address) || c.MAC != "" && slices.ContainsFunc(list, func(sg Sighting) bool { return sg.MAC == c.MAC && n.Subnet.Contains(sg.Address) }) {
				now = append(now, c)
			}
		}
		for _, old := range n.Crowds {
			again := slices.ContainsFunc(list, func(sg Sighting) bool {
				return answersNow(sg) && (sg.MAC == old.MAC || sg.Address == old.Address)
			})
			if !again && !slices.ContainsFunc(now, func(c site.Crowd) bool { return c.MAC == old.MAC && c.Address == old.Address }) {
				now = append(now, old)
			}
		}
		if now = now[:min(len(now), site.MostCrowds)]; !slices.Equal(now, n.Crowds) {
			n.Crowds = now
			out = append(out, m.putNetwork(i, n))
		}
	}
	return out
}

// latest is the day after which nothing can have been: the one after that of the
// evidence, since clocks differ, or the first of the next month from the 28th on; ""
// where it has no date.
func latest(at string) string {
	var year, month, date int
	if n, err := fmt.Sscanf(day(at), "%4d-%2d-%2d", &year, &month, &date); err != nil || n != 3 {
		return ""
	}
	if date++; date > 28 {
		date, month = 1, month+1
	}
	if month > 12 {
		month, year = 1, year+1
	}
	return fmt.Sprintf("%04d-%02d-%02d", year, month, date)
}

// fromTheFuture reports whether a time cannot be.
func (m *merger) fromTheFuture(at string) bool { return m.limit != "" && day(at) > m.limit }
