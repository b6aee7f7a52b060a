package read

import (
	"net/netip"
	"regexp"
	"strconv"
	"strings"
	"time"

	"vestpin/core/ipv4"
	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/read/grid"
)

// lease takes a line of dnsmasq's lease file: expiry in seconds since 1970 or 0,
// MAC, address, name or *, client id or *; and the lines of its IPv6 part. It is
// tried first and by itself, since such files are long.
func (r *reader) lease(number int, text string) bool {
	if len(text) < 10 || len(text) > longest {
		return false
	}
	if text[0] < '0' || text[0] > '9' {
		return strings.HasPrefix(text, "duid ") && strings.Count(text, " ") == 1
	}
	var blanks [4]int
	n := 0
	for i := range len(text) - 1 {
		if text[i] == ' ' {
			if n == len(blanks) {
				return false
			}
			blanks[n] = i
			n++
		}
	}
	if n < len(blanks) {
		return false
	}
	mac, address, host := text[blanks[0]+1:blanks[1]], text[blanks[1]+1:blanks[2]], text[blanks[2]+1:blanks[3]]
	seconds, err := strconv.ParseInt(text[:blanks[0]], 10, 63)
	if err != nil {
		return false
	}
	a, err := netip.ParseAddr(address)
	if err != nil {
		return false
	}
	if a.Is6() {
		return true
	}
	m, err := site.ParseMAC(mac)
	if err != nil {
		return grid.LooksMAC(mac) // nobody's: zeros, multicast, broadcast
	}
	r.add(sighting.Sighting{MAC: m, Address: a, Host: host, State: "lease", Line: number, Until: r.calendar.clock(seconds)})
	return true
}

// clock writes a time given in seconds since 1970; 0 is never.
func clock(seconds int64) string {
	return new(calendar).clock(seconds)
}

// calendar writes times given in seconds since 1970, and remembers the last day:
// the times of one file are mostly of few.
type calendar struct {
	day  int64
	date string
}

func (c *calendar) clock(seconds int64) string {
	if seconds <= 0 || seconds > 1<<33 {
		return ""
	}
	if day := seconds / 86400; day != c.day || c.date == "" {
		c.day, c.date = day, time.Unix(seconds, 0).UTC().Format(time.DateOnly)
	}
	const pattern = "2006-01-02T15:04:05Z"
	var b [len(pattern)]byte
	copy(b[:], c.date)
	copy(b[10:], "T00:00:00Z")
	of := seconds % 86400
	for i, v := range [3]int64{of / 3600, of / 60 % 60, of % 60} {
		b[11+i*3] += byte(v / 10)
		b[12+i*3] += byte(v % 10)
	}
	return string(b[:])
}

// settingShape is a line of dnsmasq's configuration.
var settingShape = regexp.MustCompile(`^[a-z][a-z0-9-]+(=.*)?$`)

// setting takes the lines of dnsmasq's configuration that tell of ranges,
// reservations and options.
func (r *reader) setting(l line) bool {
	text := strings.TrimSpace(l.text)
	key, value, ok := strings.Cut(text, "=")
	if !ok && !r.settings || !settingShape.MatchString(text) {
		return false
	}
	parts := strings.Split(value, ",")
	for i := range parts {
		parts[i] = strings.TrimSpace(parts[i])
	}
	switch key {
	case "dhcp-range":
		return r.settingRange(parts)
	case "dhcp-host":
		return r.settingHost(l, parts)
	case "dhcp-option", "dhcp-option-force":
		r.settingOption(parts)
		return true
	case "dhcp-leasefile":
		r.settings = true
	}
	return r.settings
}

func (r *reader) settingRange(parts []string) bool {
	var ends []netip.Addr
	for _, p := range parts {
		if a, ok := addrWord(p); ok && len(ends) < 3 {
			ends = append(ends, a)
		} else if n := seconds(p); n > 0 {
			r.out.Facts.Lease = n
		}
	}
	if len(ends) == 0 {
		return false
	}
	r.settings = true
	if len(ends) > 1 && !ends[1].Less(ends[0]) {
		if _, mask := ipv4.MaskBits(ends[1]); !mask {
			r.out.Facts.Ranges = append(r.out.Facts.Ranges, site.Range{From: ends[0], To: ends[1]})
		}
	}
	if bits, ok := ipv4.MaskBits(ends[len(ends)-1]); ok && len(ends) > 1 {
		r.addOwn(netip.PrefixFrom(ends[0], bits).Masked())
	}
	return true
}

func (r *reader) settingHost(l line, parts []string) bool {
	var macs []site.MAC
	var a netip.Addr
	host := ""
	for _, p := range parts {
		if m, err := site.ParseMAC(p); err == nil {
			macs = append(macs, m)
		} else if got, ok := addrWord(p); ok {
			a = got
		} else if host == "" && p != "" && !strings.ContainsAny(p, ":*") && !leaseTime(p) {
			host = p
		}
	}
	for _, m := range macs {
		r.sight(l, m, a, host, sighting.StateReserved)
	}
	r.settings = true
	return true
}

func (r *reader) settingOption(parts []string) {
	r.settings = true
	for i, p := range parts {
		switch p {
		case "option:router", "3":
			for _, g := range parts[i+1:] {
				if a, ok := addrWord(g); ok {
					r.addGateways(a)
				}
			}
			return
		case "option:dns-server", "6":
			for _, g := range parts[i+1:] {
				if a, ok := addrWord(g); ok {
					addTo(&r.out.Facts.DNS, a)
				}
			}
			return
		}
	}
}

// leaseTime passes "24h", "45m", "3600" and "infinite", and the word that makes
// dnsmasq leave a device alone.
func leaseTime(text string) bool {
	return text == "infinite" || text == "ignore" || strings.Trim(strings.TrimRight(text, "smhdw"), "0123456789") == ""
}

// seconds reads "24h", "45m" or "3600"; 0 if it is something else.
func seconds(text string) int {
	unit := 1
	if text != "" {
		switch text[len(text)-1] {
		case 's':
			unit = 1
		case 'm':
			unit = 60
		case 'h':
			unit = 3600
		case 'd':
			unit = 86400
		case 'w':
			unit = 604800
		}
	}
	n, err := strconv.Atoi(strings.TrimRight(text, "smhdw"))
	if err != nil || n < 0 || n > 1<<31/unit {
		return 0
	}
	return n * unit
}
