package read

import (
	"net/netip"
	"strings"

	"vestpin/core/span"
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
}

// ownSetting takes a line of the laptop's own settings: ip addr, ip route,
// resolv.conf, and ipconfig in any language.
func (r *reader) ownSetting(l line) bool {
	w := strings.Fields(l.text)
	switch {
	case w[0] == "link/ether", w[0] == "link/loopback", w[0] == "inet6", w[0] == "valid_lft", w[0] == "link/none":
		return true
	case w[0] == "inet" && len(w) > 1:
		return r.inet(w)
	case len(w) > 2 && strings.HasSuffix(w[0], ":") && strings.HasPrefix(w[2], "<") && strings.Contains(w[2], "UP") || strings.HasPrefix(l.text, "1: lo: <"):
		return true
	case w[0] == "default" && len(l.addrs) > 0:
		r.gateways = append(r.gateways, l.addrs[0])
		return true
	case len(w) > 3 && w[1] == "dev" && strings.Contains(w[0], "/") && len(l.addrs) > 0:
		return true // a route to a network at hand
	case w[0] == "nameserver" && len(w) == 2:
		if len(l.addrs) == 1 {
			addDNS(&r.out.Facts, l.addrs[0])
		}
		return true
	}
	return r.ipconfig(l)
}

// inet takes "inet 10.48.16.126/24 brd …" and the older "inet 10.48.16.126
// netmask 255.255.255.0 …" of ifconfig.
func (r *reader) inet(w []string) bool {
	p, err := netip.ParsePrefix(w[1])
	if err != nil {
		a, ok := addrWord(w[1])
		if !ok || len(w) < 4 {
			return false
		}
		bits, err := span.ParseMask(w[3])
		if err != nil {
			return false
		}
		p = netip.PrefixFrom(a, bits)
	}
	if p.Addr().Is4() && !p.Addr().IsLoopback() && p.Bits() < 31 {
		r.own = append(r.own, p)
	}
	return true
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
	case !indented && r.adapter.open, !indented && strings.HasSuffix(strings.TrimSpace(l.text), ":") && len(l.addrs) == 0 && len(l.macs) == 0:
		r.closeAdapter()
		if strings.HasSuffix(strings.TrimSpace(l.text), ":") {
			r.adapter = adapter{open: true}
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
	var addr netip.Addr
	if len(l.addrs) > 0 {
		addr = l.addrs[0]
	}
	six, sixErr := netip.ParseAddr(strings.SplitN(strings.Fields(value + " x")[0], "%", 2)[0])
	isSix := sixErr == nil && six.Is6()
	if bits, ok := span.MaskBits(addr); addr.IsValid() && ok && bits >= 8 && a.address.IsValid() && !a.masked {
		a.masked, a.bits, a.after, a.last = true, bits, 0, ""
		r.own = append(r.own, netip.PrefixFrom(a.address, bits))
		return
	}
	if !a.masked {
		if addr.IsValid() && !addr.IsLinkLocalUnicast() {
			a.address = addr
		}
		return
	}
	if !addr.IsValid() && !isSix && value != "" {
		return // the times of the lease, an id
	}
	a.after++
	a.last = map[int]string{1: "gateway", 2: "dhcp"}[a.after]
	if a.after > 2 {
		a.last = "dns"
	}
	if a.after == 2 && len(l.macs) == 0 && strings.Contains(strings.ToUpper(l.text), "DNS") {
		a.last, a.after = "dns", 3
	}
	if addr.IsValid() {
		r.adapterValue(addr)
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
		r.gateways = append(r.gateways, addr)
	case "dns":
		addDNS(&r.out.Facts, addr)
	}
}

func (r *reader) closeAdapter() { r.adapter = adapter{} }
