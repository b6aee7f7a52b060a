package read

import (
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/read/grid"
)

// namedValue is a name with its value, as settings of a network have them.
type namedValue struct {
	label, value string
	line         int
}

func valuesOf(items []item) (out []namedValue) {
	for _, i := range items {
		out = append(out, namedValue{i.label, i.text, i.line.number})
	}
	return out
}

// settingsIn gives the settings of lines: those with several addresses whole, others as on cards.
func settingsIn(lines []line) (out []namedValue) {
	var single []line
	for _, l := range lines {
		if label, value := labelOf(l.text); label != "" && len(l.addrs) > 1 {
			out = append(out, namedValue{label, value, l.number})
		} else {
			single = append(single, l)
		}
	}
	return append(valuesOf(itemsOf(single)), out...)
}

// betweenEnds is what stands between the ends of a range.
var betweenEnds = regexp.MustCompile(`^\s*(?:-|–|~|,|;|to|bis|à|a|al|t/m|do|till|\.\.+)?\s*$`)

// networkOf takes what settings tell of the network: its range, mask, gateway and DNS servers. It
// gives the lines that it used; none where they tell of one thing only, which may be of anything.
func (r *reader) networkOf(list []namedValue) map[int]bool {
	used := map[int]bool{}
	var address, gateway, first, last netip.Addr
	var own netip.Prefix
	var dns []netip.Addr
	bits, many, manyAt := 0, 0, 0
	take := func(t namedValue, to *netip.Addr, a netip.Addr) {
		if !to.IsValid() {
			*to = a
			used[t.line] = true
		}
	}
	for _, t := range list {
		roles := headingOf(t.label)
		has := func(role grid.Role) bool { return slices.Contains(roles, role) }
		if n, err := ipv4.ParseMask(strings.Trim(t.value, `"' `)); err == nil && has(grid.Mask) && bits == 0 {
			bits, used[t.line] = n, true
			continue
		}
		if n, err := strconv.Atoi(strings.TrimSpace(t.value)); err == nil && n > 0 && n < 1<<16 && manyShape.MatchString(t.label) {
			many, manyAt = n, t.line
		}
		all := addressesIn(t.value)
		if len(all) == 0 {
			continue
		}
		a := all[0]
		ends := len(all) == 2 && a.IsPrivate() && !all[1].Less(a) && betweenEnds.MatchString(textBetween(t.value, a, all[1]))
		p, err := netip.ParsePrefix(strings.Trim(t.value, `"' `))
		switch {
		case has(grid.DNS):
			dns = append(dns, all...)
			used[t.line] = true
		case ends && !first.IsValid() && (has(grid.Range) || dhcpShape.MatchString(t.label)):
			first, last, used[t.line] = a, all[1], true
		case len(all) > 1 || !a.IsPrivate():
		case err == nil && !has(grid.Range) && p.Bits() < 31 && !own.IsValid():
			own, used[t.line] = p, true
		case grid.EndOf(t.label) < 0:
			take(t, &first, a)
		case grid.EndOf(t.label) > 0:
			take(t, &last, a)
		case has(grid.Gateway), routerShape.MatchString(t.label):
			take(t, &gateway, a)
		case has(grid.Address), has(grid.Target):
			take(t, &address, a)
		}
	}
	if first.IsValid() && !last.IsValid() && many > 0 {
		last, used[manyAt] = ipv4.Addr(ipv4.Number(first)+uint32(many-1)), true
	}
	ranged := first.IsValid() && last.IsValid() && !last.Less(first)
	if ranged {
		p, err := first.Prefix(16)
		ranged = err == nil && p.Contains(last)
	}
	if len(used) < 2 && !(len(used) == 1 && ranged) {
		return nil
	}
	if ranged {
		r.out.Facts.Ranges = append(r.out.Facts.Ranges, site.Range{From: first, To: last})
	}
	if !own.IsValid() && address.IsValid() && bits > 0 {
		own = netip.PrefixFrom(address, bits)
	}
	if !gateway.IsValid() && ranged && many > 0 && own.IsValid() && own.Contains(first) && own.Addr() == address {
		gateway = address // what gives out the addresses of its own network
	}
	if gateway.IsValid() {
		r.addGateways(gateway)
		if bits > 0 {
			r.addOwn(netip.PrefixFrom(gateway, bits).Masked())
		}
	}
	if own.IsValid() && (gateway.IsValid() || ranged && own.Contains(first)) { // else it may be of any network
		r.addOwn(own.Masked())
	}
	for _, a := range dns {
		addTo(&r.out.Facts.DNS, a)
	}
	return used
}

// manyShape is a label for how many addresses DHCP gives out.
var manyShape = regexp.MustCompile(`(?i)\b(?:(?:number|no\.|max\w*|amount) (?:of )?(?:\w+ )?(?:addresses|users|clients|leases|hosts)|(?:pool|range) (?:size|count|length)|(?:address(?:es)?|ip) count|limit|anzahl|nombre d.adresses|numero de direcciones|numero di indirizzi|aantal adressen|antal adresser|liczba adresow|pocet adres)\b`)

// routerShape is a label that speaks of the router.
var routerShape = regexp.MustCompile(`(?i)(?:^|\P{L})(?:router|routeur|roteador|enrutador|reititin|gateway|brama|brána|passerelle|маршрутизатор)(?:\pL{0,3}(?:$|\P{L})|adres\pL*)`)

// dhcpShape is a label that speaks of what DHCP gives out.
var dhcpShape = regexp.MustCompile(`(?i)\b(?:dhcp|pool|range|bereich|plage|rango|intervallo|bereik|faixa|zakres|rozsah|intervall)\b`)

// addressesIn gives the addresses in a value, in their order.
func addressesIn(text string) (out []netip.Addr) {
	for _, w := range strings.FieldsFunc(text, func(c rune) bool { return between(c) || c == '-' || c == '–' || c == '~' }) {
		if a, ok := addrWord(w); ok {
			out = append(out, a)
		}
	}
	return out
}

// textBetween gives what stands between two addresses.
func textBetween(text string, a, b netip.Addr) string {
	_, rest, _ := strings.Cut(text, a.String())
	rest, _, _ = strings.Cut(rest, b.String())
	return rest
}
