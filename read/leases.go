package read

import (
	"net/netip"
	"strconv"
	"strings"

	"vestpin/core/site"
	"vestpin/core/span"
)

// lease takes a line of dnsmasq's lease file: expiry in seconds since 1970 or 0,
// MAC, address, name or *, client id or *; and the lines of its IPv6 part.
func (r *reader) lease(l line) bool {
	f := strings.Fields(l.text)
	if len(f) == 2 && f[0] == "duid" {
		return true
	}
	if len(f) != 5 {
		return r.leaseOption(l)
	}
	if _, err := strconv.ParseUint(f[0], 10, 63); err != nil {
		return false
	}
	if a, err := netip.ParseAddr(f[2]); err == nil && a.Is6() {
		return true
	}
	mac, err := site.ParseMAC(f[1])
	a, ok := addrWord(f[2])
	if err != nil || !ok {
		return false
	}
	r.sight(l, mac, a, f[3], "lease")
	return true
}

// leaseOption takes the lines of dnsmasq's configuration that tell of ranges and
// reservations.
func (r *reader) leaseOption(l line) bool {
	key, value, ok := strings.Cut(strings.TrimSpace(l.text), "=")
	if !ok {
		return false
	}
	parts := strings.Split(value, ",")
	switch key {
	case "dhcp-range":
		var ends []netip.Addr
		for _, p := range parts {
			if a, ok := addrWord(strings.TrimSpace(p)); ok && len(ends) < 2 {
				ends = append(ends, a)
			}
		}
		if len(ends) == 2 && !ends[1].Less(ends[0]) {
			if _, mask := span.MaskBits(ends[1]); !mask {
				r.out.Facts.Ranges = append(r.out.Facts.Ranges, site.Range{From: ends[0], To: ends[1]})
			}
		}
		return len(ends) > 0
	case "dhcp-host":
		var mac site.MAC
		var a netip.Addr
		host := ""
		for _, p := range parts {
			p = strings.TrimSpace(p)
			if m, err := site.ParseMAC(p); err == nil {
				mac = m
			} else if got, ok := addrWord(p); ok {
				a = got
			} else if host == "" && !strings.Contains(p, ":") && !leaseTime(p) {
				host = p
			}
		}
		if mac != "" {
			r.sight(l, mac, a, host, "reservation")
		}
		return mac != ""
	case "dhcp-option":
		for i, p := range parts {
			list := parts[i+1:]
			switch strings.TrimSpace(p) {
			case "option:router", "3":
				for _, g := range list {
					if a, ok := addrWord(strings.TrimSpace(g)); ok {
						r.gateways = append(r.gateways, a)
					}
				}
				return true
			case "option:dns-server", "6":
				for _, g := range list {
					if a, ok := addrWord(strings.TrimSpace(g)); ok {
						addDNS(&r.out.Facts, a)
					}
				}
				return true
			}
		}
	}
	return false
}

// leaseTime passes "24h", "45m", "3600" and "infinite", and the word that makes
// dnsmasq leave a device alone.
func leaseTime(text string) bool {
	return text == "infinite" || text == "ignore" || strings.Trim(strings.TrimRight(text, "smhdw"), "0123456789") == ""
}
