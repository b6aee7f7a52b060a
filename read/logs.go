package read

import (
	"net/netip"
	"regexp"
	"strings"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/read/grid"
)

// logShape is how the lines of logs begin: a time, in the forms of syslog (RFC 3164 and
// RFC 5424), of web servers and of the kernel.
var logShape = regexp.MustCompile(`^(<\d{1,3}>\d? ?)?([\pL]{3,5}\.? +\d{1,2} \d\d:\d\d:\d\d|\[?\d{4}[-/]\d\d[-/]\d\d[ T,]+\d\d:\d\d|\[? *\d+\.\d{3,}\] |\d{1,2}[./]\d{1,2}[./]\d{2,4},? +\d\d:\d\d:\d\d|\d\d:\d\d:\d\d[.,]?\d*\s)|^\S+ \S+ \S+ \[\d\d/\pL{3}/\d{4}:`)

var (
	// ackShape is a lease that was given: dnsmasq, and dhcpd of ISC.
	ackShape = regexp.MustCompile(`DHCPACK(?:\([^)]*\))?(?: \pL{1,6})? (\d+\.\d+\.\d+\.\d+)(?: \pL{1,6})? \(?([0-9A-Fa-f:.-]{11,17})\)?(.*)$`)
	// allocShape is a lease that Kea gave.
	allocShape = regexp.MustCompile(`hwtype=\d+ ([0-9A-Fa-f:]{17})\].*\blease (\d+\.\d+\.\d+\.\d+) has been allocated`)
	// otherShape are the other steps of DHCP, which give nothing.
	otherShape = regexp.MustCompile(`DHCP(DISCOVER|OFFER|REQUEST|NAK|DECLINE|RELEASE|INFORM|EXPIRE)`)
	// givenShape are the words with which logs of routers tell of a lease.
	givenShape   = regexp.MustCompile(`(?i)\b(assign(ed)?|leased?|ack|offer accepted|allocat(ed|ion)|bound|zugewiesen|vergeben|attribu|asignad|assegnat|toegewezen|atribu|przydziel|pridelen|tilldelad|atand|выдан|назначен|分配|割り当て)`)
	refusedByLog = regexp.MustCompile(`(?i)\b(nak|refus|reject|declin|block|drop|deny|denied|fail|expired|released?)`)
	beforeMAC    = regexp.MustCompile(`\s([\w.-]*[A-Za-z][\w.-]*) [(\[]([0-9A-Fa-f:.-]{11,17})[)\]]`) // a word with the MAC address in brackets behind it
	quotedName   = regexp.MustCompile(`"([^"]*)"|\s\(([\w.-]*[A-Za-z][\w.-]*)\)|\bhost(?:name)?[= ]+([\w.-]+)`)
)

// logLine takes a line of a log. Only a lease that was given says where a device is; a
// table that begins with a time has each address in a cell of its own, and is none.
func (r *reader) logLine(l line) bool {
	text := strings.TrimSpace(l.text)
	if len(l.macs)+len(l.addrs) == 0 || !logShape.MatchString(text) {
		return false
	}
	if c := cuttingOf(l); c != uncut {
		whole := 0
		for _, cell := range cellsOf(l.text, c) {
			if grid.LooksMAC(cell) {
				whole++
			}
		}
		if whole > 0 && whole >= len(l.macs) {
			return false
		}
	}
	if m := ackShape.FindStringSubmatch(text); m != nil {
		return r.given(l, m[2], m[1], strings.Trim(strings.SplitN(m[3]+" via ", " via ", 2)[0], " ()"))
	}
	if m := allocShape.FindStringSubmatch(text); m != nil {
		return r.given(l, m[1], m[2], "")
	}
	if otherShape.MatchString(text) {
		return true
	}
	if len(l.macs) == 1 && len(l.addrs) == 1 && givenShape.MatchString(text) && !refusedByLog.MatchString(text) {
		name := ""
		if m := quotedName.FindStringSubmatch(text); m != nil {
			name = m[1] + m[2] + m[3]
		} else if last := l.fields[len(l.fields)-1]; len(l.fields) > 1 && grid.LooksMAC(l.fields[len(l.fields)-2]) && grid.Namelike(last) {
			name = last // as dnsmasq writes it
		} else if m := beforeMAC.FindStringSubmatch(text); m != nil && grid.LooksMAC(m[2]) && !grid.Known(m[1]) && !pointers[strings.ToLower(m[1])] && len(m[1]) > 2 {
			name = m[1]
		}
		return r.given(l, string(l.macs[0]), l.addrs[0].String(), name)
	}
	r.unread(l)
	return true
}

func (r *reader) given(l line, mac, address, host string) bool {
	m, err := site.ParseMAC(mac)
	a, err2 := netip.ParseAddr(address)
	if err != nil || err2 != nil {
		return false
	}
	if strings.Contains(host, " ") && !strings.Contains(l.text, `"`+host+`"`) {
		host = ""
	}
	r.addNewest(sighting.Sighting{MAC: m, Address: a, Host: host, State: "lease", Line: l.number})
	return true
}
