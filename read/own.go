package read

import (
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"vestpin/core/ipv4"
	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/read/grid"
)

// adapter is what has been read of one adapter of Windows so far. Its lines come
// in a fixed order whatever the language: the address, its mask, the times of
// the lease, the gateway, the DHCP server, the DNS servers.
type adapter struct {
	open    bool
	address netip.Addr
	bits    int
	masked  bool
	after   int // labelled lines with an address, or without a value, since the mask
	last    string
	named   bool // it has a heading: it is no part of what the program says of the whole computer
	mac     site.MAC
	line    int
}

// key4 is a line of nmcli: a name in capitals that is not translated.
var key4 = regexp.MustCompile(`^([A-Z0-9]+\.[A-Z0-9-]+)(\[\d+\])?:\s*(.*)$`)

// adapterList is a line of the interface list of Windows' "route print".
var adapterList = regexp.MustCompile(`^\s*\d+\.\.\.`)

// ownSetting takes a line of the laptop's own settings: ip addr, ip route,
// ifconfig, nmcli, resolv.conf, routing tables, and ipconfig in any language.
func (r *reader) ownSetting(l line) bool {
	w := l.fields
	if l.text[0] != ' ' && l.text[0] != '\t' {
		r.ifconfig = false
	}
	switch {
	case w[0] == "link/ether", w[0] == "link/loopback", w[0] == "inet6", w[0] == "link/none", w[0] == "altname", w[0] == "options", w[0] == "search":
		return len(l.addrs) == 0
	case w[0] == "valid_lft":
		if n, err := strconv.Atoi(strings.TrimSuffix(l.word(1), "sec")); err == nil && r.out.Facts.Lease == 0 {
			r.out.Facts.Lease = n
		}
		return true
	case w[0] == "inet" && len(w) > 1:
		return r.inet(l, w)
	case len(w) > 2 && strings.HasSuffix(w[0], ":") && strings.HasPrefix(w[2], "<") && strings.Contains(w[2], "UP") || strings.HasPrefix(l.text, "1: lo: <"):
		return true
	case strings.Contains(l.text, ": flags=") && strings.Contains(l.text, "<"), strings.Contains(l.text, " encap:"):
		r.ifconfig = true // the heading of an adapter
		return true
	case r.ifconfig && (l.text[0] == ' ' || l.text[0] == '\t') && len(l.addrs) == 0 && (len(l.macs) == 0 || w[0] == "ether" || w[0] == "lladdr" || w[0] == "address:"):
		return true // its counters and options
	case len(w) > 2 && w[0] == "default" && len(l.addrs) > 0 && len(l.macs) == 0 && (w[1] == "via" || w[1] == l.addrs[0].String() && (w[2] == "0.0.0.0" || routeFlags.MatchString(w[2]))):
		r.addGateways(l.addrs[0])
		return true
	case len(w) > 2 && w[1] == "dev" && len(l.addrs) > 0 && len(l.macs) == 0:
		return r.linkRoute(w)
	case w[0] == "nameserver" && len(w) >= 2 && (len(w) == 2 || strings.HasPrefix(w[2], "#") || strings.HasPrefix(w[2], ";")):
		for _, a := range l.addrs {
			addTo(&r.out.Facts.DNS, a)
		}
		return true
	}
	return r.nmcli(l) || r.route(l, w) || r.ipconfig(l)
}

func (l line) word(i int) string {
	if i < len(l.words) {
		return l.words[i]
	}
	return ""
}

// inet takes "inet 10.48.16.126/24 brd …" of ip, and of ifconfig "inet
// 10.48.16.126 netmask 255.255.255.0 …", the same with the mask in hex, and the
// older "inet addr:10.48.16.126 … Mask:255.255.255.0" in any language.
func (r *reader) inet(l line, w []string) bool {
	if p, err := netip.ParsePrefix(w[1]); err == nil {
		r.addOwn(p)
		return true
	}
	var own netip.Addr
	bits := -1
	for _, word := range w[1:] {
		if _, after, ok := strings.Cut(word, ":"); ok {
			word = after
		}
		if b, err := strconv.ParseUint(word, 0, 32); err == nil && strings.HasPrefix(word, "0x") {
			bits, _ = ipv4.MaskBits(ipv4.Addr(uint32(b)))
			continue
		}
		a, ok := addrWord(word)
		if !ok {
			continue
		}
		if !own.IsValid() {
			own = a
		} else if b, mask := ipv4.MaskBits(a); mask && b > 0 && bits < 0 {
			bits = b
		}
	}
	if own.IsValid() && bits > 0 {
		r.addOwn(netip.PrefixFrom(own, bits))
	}
	return own.IsValid()
}

// linkRoute takes "10.48.16.0/24 dev eth0 proto kernel scope link src 10.48.16.126".
func (r *reader) linkRoute(w []string) bool {
	p, err := netip.ParsePrefix(w[0])
	if err != nil {
		_, ok := addrWord(w[0])
		return ok
	}
	for i, word := range w {
		if word == "src" && i+1 < len(w) {
			if a, ok := addrWord(w[i+1]); ok {
				p = netip.PrefixFrom(a, p.Bits())
			}
		}
	}
	r.addOwn(p)
	return true
}

// nmcli takes a line of "nmcli dev show" or "nmcli con show".
func (r *reader) nmcli(l line) bool {
	if c := l.text[0]; c < '0' || c > 'Z' {
		return false
	}
	m := key4.FindStringSubmatch(l.text)
	if m == nil {
		return false
	}
	switch m[1] {
	case "IP4.ADDRESS":
		if p, err := netip.ParsePrefix(m[3]); err == nil {
			r.addOwn(p)
		}
	case "IP4.GATEWAY":
		if a, ok := addrWord(m[3]); ok {
			r.addGateways(a)
		}
	case "IP4.DNS":
		if a, ok := addrWord(m[3]); ok {
			addTo(&r.out.Facts.DNS, a)
		}
	case "DHCP4.OPTION":
		key, value, _ := strings.Cut(m[3], " = ")
		switch key {
		case "dhcp_server_identifier":
			if a, ok := addrWord(value); ok {
				addTo(&r.out.Facts.DHCP, a)
			}
		case "dhcp_lease_time":
			r.out.Facts.Lease, _ = strconv.Atoi(value)
		}
	}
	return true
}

// route takes a line of a routing table: "netstat -rn" or "route -n" of Linux,
// "netstat -rn" of macOS, "route print" of Windows.
func (r *reader) route(l line, w []string) bool {
	four := func(i int) (netip.Addr, bool) {
		if i >= len(w) {
			return netip.Addr{}, false
		}
		return addrWord(w[i])
	}
	dest, okDest := four(0)
	second, okSecond := four(1)
	third, okThird := four(2)
	switch {
	case okDest && okSecond && okThird && len(w) == 8: // Linux: to, gateway, mask, flags, …
		bits, mask := ipv4.MaskBits(third)
		if !mask && third != netip.IPv4Unspecified() {
			return false
		}
		r.oneRoute(dest, bits, second, netip.Addr{})
		return true
	case okDest && okSecond && len(w) >= 5 && isNumber(w[len(w)-1]): // Windows: to, mask, gateway or words, own, metric
		bits, mask := ipv4.MaskBits(second)
		own, okOwn := four(len(w) - 2)
		if !mask && second != netip.IPv4Unspecified() || !okOwn {
			return false
		}
		r.oneRoute(dest, bits, third, own)
		return true
	case strings.Contains(l.text, "...") && adapterList.MatchString(l.text):
		return true
	case len(w) >= 3 && isNumber(w[0]) && isNumber(w[1]) && isSix(w[2]):
		return true // of Windows
	}
	return r.macRoute(l, w)
}

// isSix passes an IPv6 address or network.
func isSix(w string) bool {
	w, _, _ = strings.Cut(w, "/")
	a, err := netip.ParseAddr(w)
	return err == nil && a.Is6()
}

func isNumber(w string) bool {
	_, err := strconv.ParseUint(w, 10, 32)
	return err == nil
}

func (r *reader) oneRoute(dest netip.Addr, bits int, gateway, own netip.Addr) {
	switch {
	case dest.IsUnspecified() && bits == 0:
		if gateway.IsValid() && !gateway.IsUnspecified() {
			r.addGateways(gateway)
		}
	case gateway.IsValid() && !gateway.IsUnspecified():
	case own.IsValid() && netip.PrefixFrom(dest, bits).Contains(own):
		r.addOwn(netip.PrefixFrom(own, bits))
	case !own.IsValid():
		r.addOwn(netip.PrefixFrom(dest, bits))
	}
}

// The flags of a route and the name of an adapter in macOS, which are not translated.
var (
	routeFlags   = regexp.MustCompile(`^U[A-Za-z0-9]*$`)
	routeAdapter = regexp.MustCompile(`^[a-z]+\d+$`)
)

// macRoute takes a line of macOS: to, gateway, flags, adapter. What stands for a
// neighbour has its MAC address in place of a gateway. A network leaves out its
// last zeros: "10.48.16/24", or "10.48.16" for /24.
func (r *reader) macRoute(l line, w []string) bool {
	to, gateway := w[0], w[min(1, len(w)-1)]
	if len(w) < 4 || !routeFlags.MatchString(w[2]) || !slices.ContainsFunc(w[3:], routeAdapter.MatchString) || to != "default" && !isSix(strings.SplitN(to, "%", 2)[0]) && !shortPrefix(to).IsValid() {
		return false
	}
	if !strings.HasPrefix(gateway, "link#") && !isSix(strings.SplitN(gateway, "%", 2)[0]) && !isAddr(gateway) && strings.Count(gateway, ":") != 5 {
		return false
	}
	if g, ok := addrWord(w[1]); ok && w[0] == "default" {
		r.addGateways(g)
	}
	a, isHost := addrWord(w[0])
	if len(l.macs) == 1 && isHost && !a.IsMulticast() {
		r.sight(l, l.macs[0], a, "", "arp")
	}
	if strings.HasPrefix(w[1], "link#") && !strings.Contains(w[0], ":") && !strings.HasPrefix(w[2], "UH") && !strings.HasPrefix(w[2], "UmC") {
		r.addOwn(shortPrefix(w[0]))
	}
	return true
}

func shortPrefix(text string) netip.Prefix {
	base, width, has := strings.Cut(text, "/")
	dots := strings.Count(base, ".")
	if dots > 3 {
		return netip.Prefix{}
	}
	bits := (dots + 1) * 8
	if has {
		bits, _ = strconv.Atoi(width)
	}
	a, err := netip.ParseAddr(base + strings.Repeat(".0", 3-dots))
	if err != nil || bits < 0 || bits > 32 {
		return netip.Prefix{}
	}
	return netip.PrefixFrom(a, bits).Masked()
}

// ipconfig takes a line such as "   IPv4 Address. . . . . . : 10.48.16.126", its
// heading without indent, or a further value below.
func (r *reader) ipconfig(l line) bool {
	label, value, labelled := strings.Cut(l.text, ":")
	indented := strings.HasPrefix(l.text, " ") || strings.HasPrefix(l.text, "\t")
	dotted := labelled && (strings.Contains(label, ". .") || strings.Contains(label, " ."))
	switch {
	case indented && dotted:
		if !r.adapter.open {
			r.adapter = adapter{open: true}
		}
		r.adapterLine(strings.TrimSpace(value), l)
		return true
	case indented && r.adapter.open && len(l.words) == 1 && !labelledWord(l):
		r.adapterMore(l)
		return true
	case !indented && strings.HasSuffix(strings.TrimSpace(l.text), ":") && grid.Known(strings.TrimRight(l.text, " :")): // the label of a card
		r.closeAdapter()
	case !indented && r.adapter.open, !indented && strings.HasSuffix(strings.TrimSpace(l.text), ":") && len(l.addrs) == 0 && len(l.macs) == 0:
		r.closeAdapter()
		if strings.HasSuffix(strings.TrimSpace(l.text), ":") {
			r.adapter = adapter{open: true, named: true}
			return true
		}
	}
	return false
}

// labelledWord is false for a lone address, such as a second DNS server.
func labelledWord(l line) bool {
	_, err := netip.ParseAddr(strings.TrimSpace(strings.SplitN(l.words[0], "%", 2)[0]))
	return err != nil
}

func (r *reader) adapterLine(value string, l line) {
	a := &r.adapter
	if !a.named && r.self == "" && value != "" && len(l.addrs)+len(l.macs) == 0 {
		r.self = value // the first that the program says is what the computer is called
	}
	if len(l.macs) == 1 && !a.masked && a.mac == "" {
		a.mac, a.line = l.macs[0], l.number
	}
	var addr netip.Addr
	if len(l.addrs) > 0 {
		addr = l.addrs[0]
	}
	six, sixErr := netip.ParseAddr(strings.SplitN(strings.Fields(value + " x")[0], "%", 2)[0])
	isSix := sixErr == nil && six.Is6()
	if bits, ok := ipv4.MaskBits(addr); addr.IsValid() && ok && bits >= 8 && a.address.IsValid() && !a.masked {
		a.masked, a.bits, a.after, a.last = true, bits, 0, ""
		r.addOwn(netip.PrefixFrom(a.address, bits))
		return
	}
	if !a.masked {
		if addr.IsValid() && !addr.IsLinkLocalUnicast() {
			a.address = addr
		}
		return
	}
	if !addr.IsValid() && !isSix && value != "" {
		a.other(value, &r.out.Facts)
		return
	}
	a.after++
	a.last = map[int]string{1: "gateway", 2: "dhcp"}[a.after]
	dns := strings.Contains(strings.ToUpper(l.text), "DNS")
	if a.after == 2 && dns {
		a.after = 3
	}
	if a.after > 2 {
		a.last = map[bool]string{true: "dns"}[dns]
	}
	if addr.IsValid() {
		r.adapterValue(addr)
	}
}

// other takes a line without an address: before the gateway, those are the two
// times of the lease.
func (a *adapter) other(value string, facts *sighting.Facts) {
	if a.after > 0 || !strings.ContainsAny(value, "0123456789") || !strings.ContainsAny(value, ":.") {
		return
	}
	if facts.LeaseFrom == "" {
		facts.LeaseFrom = cut(value)
	} else if facts.LeaseUntil == "" {
		facts.LeaseUntil = cut(value)
	}
}

func (r *reader) adapterMore(l line) {
	if len(l.addrs) > 0 {
		r.adapterValue(l.addrs[0])
	}
}

func (r *reader) adapterValue(addr netip.Addr) {
	switch r.adapter.last {
	case "gateway":
		r.addGateways(addr)
	case "dhcp":
		addTo(&r.out.Facts.DHCP, addr)
	case "dns":
		addTo(&r.out.Facts.DNS, addr)
	}
}

// closeAdapter ends an adapter. One with an address is an interface of this computer, which is a
// device of the site as others are.
func (r *reader) closeAdapter() {
	if a := r.adapter; a.mac != "" && a.masked && a.address.IsPrivate() && r.self != "" && len(r.out.Facts.Adapters) < mostOwn {
		r.add(sighting.Sighting{MAC: a.mac, Address: a.address, Host: r.self, State: sighting.StateOwn, Line: a.line})
	}
	r.adapter = adapter{}
}
