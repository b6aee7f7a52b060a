package read

import (
	"net/netip"
	"regexp"
	"slices"
	"strings"

	"vestpin/core/site"
	"vestpin/read/grid"
)

// The states of the Linux neighbour table (RFC 4861 section 7.3.2 and the
// kernel's own), which are not translated.
var neighbourStates = []string{"REACHABLE", "STALE", "DELAY", "PROBE", "PERMANENT", "NOARP", "FAILED", "INCOMPLETE", "NONE"}

// neighbour takes a line of a neighbour table: "ip neigh", /proc/net/arp and the
// arp of Linux, macOS and Windows, whatever language they speak.
func (r *reader) neighbour(l line) bool {
	w := l.fields
	switch {
	case len(w) > 3 && w[1] == "dev" && slices.Contains(neighbourStates, w[len(w)-1]):
		return r.ipNeigh(l, w)
	case r.arpWithBrackets(l), r.walked(l):
		return true
	case len(l.addrs) == 1 && len(l.macs) == 1 && strings.Contains(l.text, "ARP, Reply ") && slices.Contains(w, "is-at"):
		r.sight(l, l.macs[0], l.addrs[0], "", "arp") // tcpdump, in words
		return true
	case len(l.addrs) == 1 && strings.Contains(l.text, " --- 0x"):
		r.arp = true
		return true // the heading of one adapter in the arp of Windows
	}
	// Windows: address, MAC with dashes, and one word for how it is known; the
	// arp of Linux with -n: address, the word "ether", MAC, flags, interface.
	if len(w) == 3 && len(l.addrs) == 1 && w[0] == l.addrs[0].String() && strings.Count(w[1], "-") == 5 && (r.arp || grid.Stateful(w[2])) {
		if len(l.macs) == 1 {
			r.sight(l, l.macs[0], l.addrs[0], "", w[2])
		}
		return len(l.macs) == 1 || l.odd
	}
	if len(w) >= 5 && len(l.macs) == 1 && w[1] == "ether" {
		var a netip.Addr
		host := w[0]
		if len(l.addrs) > 0 {
			a, host = l.addrs[0], ""
		}
		r.sight(l, l.macs[0], a, host, "arp")
		return true
	}
	if len(w) >= 4 && isNumber(w[0]) && (grid.LooksMAC(w[2]) || len(l.macs) == 0 && len(w) == 4) {
		return r.cmdlet(l, w)
	}
	if len(w) == 6 && strings.HasPrefix(w[1], "0x") && strings.HasPrefix(w[2], "0x") && len(l.addrs) == 1 {
		if len(l.macs) == 1 && w[2] != "0x0" {
			r.sight(l, l.macs[0], l.addrs[0], "", "arp")
		}
		return len(l.macs) == 1 || l.odd
	}
	return false
}

// ipNeigh takes "10.48.16.20 dev eth0 lladdr 00:00:5e:00:53:21 REACHABLE".
func (r *reader) ipNeigh(l line, w []string) bool {
	state := w[len(w)-1]
	a, err := netip.ParseAddr(w[0])
	if err != nil {
		return false
	}
	if len(l.macs) == 0 || state == "FAILED" || state == "INCOMPLETE" || state == "NOARP" {
		return true // nobody answered there
	}
	if a.Is6() {
		a = netip.Addr{}
	}
	r.sight(l, l.macs[0], a, "", strings.ToLower(state))
	return true
}

// walkedShape is a line of a walk through ipNetToMediaPhysAddress (RFC 4293): the index ends in
// the number of the interface and the address.
var walkedShape = regexp.MustCompile(`(?:ipNetToMediaPhysAddress|atPhysAddress|\.3\.6\.1\.2\.1\.4\.22\.1\.2|\.3\.6\.1\.2\.1\.3\.1\.1\.2)\.(?:\d+\.){1,2}?(\d+\.\d+\.\d+\.\d+) = (?:Hex-STRING|STRING): *((?i:[0-9a-f]{1,2}(?:[: ][0-9a-f]{1,2}){5})) *$`)

// walked takes "ipNetToMediaPhysAddress.3.10.48.16.20 = STRING: 0:0:5e:0:53:21".
func (r *reader) walked(l line) bool {
	m := walkedShape.FindStringSubmatch(l.text)
	if m == nil {
		return false
	}
	a, bad := netip.ParseAddr(m[1])
	mac, err := site.ParseMAC(strings.ReplaceAll(m[2], " ", ":"))
	if bad != nil || err != nil {
		return false
	}
	r.sight(l, mac, a, "", "arp")
	return true
}

// arpWithBrackets takes "name (10.48.16.20) at 00:00:5e:00:53:21 [ether] on eth0"
// and the shorter MAC addresses of macOS.
func (r *reader) arpWithBrackets(l line) bool {
	host, rest, ok := strings.Cut(strings.TrimSpace(l.text), " (")
	if !ok || strings.ContainsAny(l.text, "\t") || strings.Contains(host, " ") || len(l.addrs) != 1 {
		return false
	}
	inner, after, ok := strings.Cut(rest, ")")
	if a, isAddr := addrWord(inner); !ok || !isAddr || a != l.addrs[0] {
		return false
	}
	if len(l.macs) == 0 {
		return l.odd || strings.Contains(after, "incomplete") || strings.ContainsAny(after, "<(")
	}
	mac := l.macs[0]
	if mac == site.MAC("") {
		return false
	}
	r.sight(l, mac, l.addrs[0], host, "arp")
	return true
}

// cmdlet takes a row of PowerShell's Get-NetNeighbor: the adapter's number,
// address, MAC with dashes, state, store.
func (r *reader) cmdlet(l line, w []string) bool {
	a, err := netip.ParseAddr(strings.SplitN(w[1], "%", 2)[0])
	if err != nil || !strings.HasSuffix(w[len(w)-1], "Store") && !slices.Contains(neighbourStates, strings.ToUpper(w[3])) && w[3] != "Unreachable" {
		return false
	}
	if len(l.macs) == 0 || a.IsMulticast() || w[3] == "Unreachable" || w[3] == "Incomplete" {
		return true
	}
	if a.Is6() {
		a = netip.Addr{}
	}
	r.sight(l, l.macs[0], a, "", strings.ToLower(w[3]))
	return true
}
