package read

import (
	"net/netip"
	"regexp"
	"slices"
	"strings"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/read/grid"
)

// linkStates are the states of "ip -br", which are not translated.
var linkStates = []string{"UP", "DOWN", "UNKNOWN", "LOWERLAYERDOWN", "DORMANT", "NOTPRESENT", "TESTING"}

var (
	// subnetWithMask is a subnet as netsh of Windows shows it in every language.
	subnetWithMask = regexp.MustCompile(`(\d+\.\d+\.\d+\.\d+/\d+) *\([^)]*?(255\.[\d.]+)\)`)
	pingShape      = regexp.MustCompile(`^(\d+ bytes from|PING |ping |From \d|Pinging |rtt min|round-trip|traceroute to |\s*\d+\s+(\S+ \(?[\d.]+\)?\s+)?[\d.]+ ms)|icmp_seq=|\bTTL=\d|\bttl=\d`)
	dnsShape       = regexp.MustCompile(`^(;|Server:|Non-authoritative|Aliases:|\S+\.?\s+\d*\s*IN\s+(A|AAAA|PTR|CNAME|NS|MX|TXT)\s|.* has address |.* domain name pointer )|#53\b`)
	promptShape    = regexp.MustCompile(`^[\w.-]+@[\w.-]+[:~ ].*[$#] |^[A-Z]:\\[^>]*>|^PS [A-Z]:`)
	serverShape    = regexp.MustCompile(`^\s*(Current )?DNS Servers?:|^\s*nameserver\[\d+\]\s*:`)
	psShape        = regexp.MustCompile(`^(IPv4DefaultGateway|DNSServer|IPv4Address|IPv6Address|IPv6DefaultGateway|IPv6LinkLocalAddress|NetProfile\.\w+|InterfaceDescription)\s*:\s*(.*)$`)
)

// tool takes a line of further programs of the laptop's system.
func (r *reader) tool(l line) bool {
	text := strings.TrimSpace(l.text)
	w := l.fields
	if len(w) == 0 {
		return false
	}
	r.inList = r.inList && (l.text[0] == ' ' || l.text[0] == '\t') && len(w) == 1
	switch {
	case len(w) >= 2 && slices.Contains(linkStates, strings.ToUpper(w[1])) && w[1] == strings.ToUpper(w[1]) && len(w) > 2 && prefixes(w[2:]):
		for _, word := range w[2:] {
			if p, err := netip.ParsePrefix(word); err == nil && w[1] != "DOWN" && !strings.HasPrefix(w[0], "lo") {
				r.addOwn(p)
			}
		}
		return true
	case len(w) >= 3 && w[1] == "dev" && grid.LooksMAC(w[0]) && (len(l.macs) == 1 || l.odd) && len(l.addrs) == 0:
		return r.bridge(l, w)
	case strings.Contains(text, "255.") && subnetWithMask.MatchString(text):
		m := subnetWithMask.FindStringSubmatch(text)
		p, err := netip.ParsePrefix(m[1])
		if err != nil {
			return false
		}
		if r.lastAddress.IsValid() && p.Contains(r.lastAddress) {
			p = netip.PrefixFrom(r.lastAddress, p.Bits())
		}
		r.addOwn(p)
		r.netsh = 1
		return true
	case r.netsh > 0 && len(l.addrs) == 1 && strings.Contains(text, ":") && (l.text[0] == ' ' || l.text[0] == '\t'):
		if r.netsh == 1 {
			r.addGateways(l.addrs[0])
		} else {
			addTo(&r.out.Facts.DNS, l.addrs[0])
		}
		r.netsh++
		return true
	case (strings.Contains(text, "DNS Server") || strings.Contains(text, "nameserver[")) && serverShape.MatchString(text):
		for _, a := range l.addrs {
			addTo(&r.out.Facts.DNS, a)
		}
		return len(l.addrs) > 0 || strings.Contains(text, ":")
	case strings.Contains(text, ":") && psShape.MatchString(text):
		m := psShape.FindStringSubmatch(text)
		r.inList = false
		for _, a := range l.addrs {
			switch m[1] {
			case "IPv4DefaultGateway":
				r.addGateways(a)
			case "DNSServer":
				addTo(&r.out.Facts.DNS, a)
			}
		}
		r.inList = m[1] == "DNSServer"
		return true
	case r.inList && len(l.addrs) == 1:
		addTo(&r.out.Facts.DNS, l.addrs[0])
		r.inList = true
		return true
	case len(l.macs) == 0 && (len(l.addrs) > 0 || strings.ContainsAny(text, ";#$>") || strings.Contains(text, "ms")) && (pingShape.MatchString(text) || !siteRecord(l) && dnsShape.MatchString(text) || promptShape.MatchString(text) || strings.Contains(text, "(incomplete)")):
		return true
	}
	if strings.HasSuffix(text, ":") {
		r.netsh = 0
	}
	if len(l.addrs) == 1 && len(l.macs) == 0 && strings.Contains(text, ":") {
		r.lastAddress = l.addrs[0]
	}
	return false
}

func prefixes(words []string) bool {
	for _, w := range words {
		if _, err := netip.ParsePrefix(w); err != nil {
			if !grid.LooksMAC(w) && !strings.HasPrefix(w, "<") || !strings.HasPrefix(words[len(words)-1], "<") {
				return false
			}
		}
	}
	return true
}

// bridge takes a line of "bridge fdb": a MAC address and the port behind which it is. The
// bridge's own, which are permanent, are nobody's.
func (r *reader) bridge(l line, w []string) bool {
	if len(l.macs) == 1 && !slices.Contains(w, "permanent") && !slices.Contains(w, "self") {
		r.add(sighting.Sighting{MAC: l.macs[0], State: "bridge", Line: l.number, Traits: []site.Trait{{Name: site.TraitLink, Value: w[2]}}})
	}
	return true
}
