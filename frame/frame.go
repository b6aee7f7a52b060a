// Package frame knows the bytes of the protocols by which devices on a LAN make
// themselves known: Ethernet, ARP, DHCP, DNS in its local forms, SSDP, NetBIOS
// and SNMP. It builds and parses them; sending is for wire, files are for read.
// Whatever is cut short, wrong or hostile is no evidence, and never an error.
package frame

import (
	"encoding/binary"
	"net/netip"
	"strings"
	"unicode"
	"unicode/utf8"

	"vestpin/core/sighting"
	"vestpin/core/site"
)

// Ethernet types (IEEE 802.3; IEEE 802.1Q for the tags).
const (
	typeIPv4 = 0x0800
	typeARP  = 0x0806
	typeVLAN = 0x8100
	typeQinQ = 0x88a8
)

// The link types of captures whose packets Sight can read (the tcpdump group's
// list).
const (
	LinkEthernet = 1
	LinkRaw      = 101
	LinkCooked   = 113
	LinkCooked2  = 276
	LinkIPv4     = 228
)

// Sight finds what a packet tells of devices: usually nothing, sometimes one
// sighting, of a reply with several answers more. Facts takes what DHCP servers
// say of the network. The link is one of the Link types; others tell nothing.
func Sight(link int, packet []byte, facts *sighting.Facts) []sighting.Sighting {
	p, ok := open(link, packet)
	if !ok {
		return nil
	}
	switch p.kind {
	case typeARP:
		if a, ok := ParseARP(p.body); ok {
			return a.sighting(p.src)
		}
	case typeIPv4:
		d, ok := datagram(p.body)
		if !ok {
			return nil
		}
		d.mac = p.src
		return d.sight(facts)
	}
	return nil
}

// layer is what lies in a frame.
type layer struct {
	src  site.MAC
	kind uint16
	body []byte
}

func open(link int, b []byte) (layer, bool) {
	switch {
	case link == LinkEthernet && len(b) >= 14:
		l := layer{kind: binary.BigEndian.Uint16(b[12:]), body: b[14:]}
		for (l.kind == typeVLAN || l.kind == typeQinQ) && len(l.body) >= 4 {
			l.kind, l.body = binary.BigEndian.Uint16(l.body[2:]), l.body[4:]
		}
		if l.kind == typeARP || l.kind == typeIPv4 && interesting(l.body) {
			l.src = macOf(b[6:12])
			return l, true
		}
	case link == LinkCooked && len(b) >= 16:
		l := layer{kind: binary.BigEndian.Uint16(b[14:]), body: b[16:]}
		if binary.BigEndian.Uint16(b[4:]) == 6 {
			l.src = macOf(b[6:12])
		}
		return l, true
	case link == LinkCooked2 && len(b) >= 20:
		l := layer{kind: binary.BigEndian.Uint16(b), body: b[20:]}
		if b[11] == 6 {
			l.src = macOf(b[12:18])
		}
		return l, true
	case (link == LinkRaw || link == LinkIPv4) && len(b) >= 20 && b[0]>>4 == 4:
		return layer{kind: typeIPv4, body: b}, true
	}
	return layer{}, false
}

// interesting passes UDP at the ports that Sight knows, so that the bulk of a
// capture is skipped at once.
func interesting(ip []byte) bool {
	if len(ip) < 28 || ip[9] != 17 {
		return false
	}
	head := int(ip[0]&15) * 4
	if len(ip) < head+8 {
		return false
	}
	udp := ip[head:]
	return known(binary.BigEndian.Uint16(udp)) || known(binary.BigEndian.Uint16(udp[2:]))
}

func known(port uint16) bool {
	switch port {
	case portDHCPServer, portDHCPClient, portMDNS, portLLMNR, portSSDP, portNetBIOS:
		return true
	}
	return false
}

const hexDigits = "0123456789abcdef"

// macOf writes six octets; empty where they name no interface.
func macOf(b []byte) site.MAC {
	if len(b) < 6 || b[0]&1 == 1 || b[0]|b[1]|b[2]|b[3]|b[4]|b[5] == 0 {
		return ""
	}
	var text [17]byte
	for i := range 6 {
		text[i*3], text[i*3+1] = hexDigits[b[i]>>4], hexDigits[b[i]&15]
		if i < 5 {
			text[i*3+2] = ':'
		}
	}
	return site.MAC(text[:])
}

// octets gives the six octets of a MAC, zeros of an empty one.
func octets(m site.MAC) (out [6]byte) {
	digit := func(c byte) byte { return byte(strings.IndexByte(hexDigits, c)) }
	for i := range 6 {
		if len(m) == 17 {
			out[i] = digit(m[i*3])<<4 | digit(m[i*3+1])
		}
	}
	return out
}

func addr(b []byte) netip.Addr { return netip.AddrFrom4([4]byte(b[:4])) }

// udp is a UDP datagram over IPv4 (RFC 768, RFC 791).
type udp struct {
	mac              site.MAC
	from, to         netip.Addr
	fromPort, toPort uint16
	body             []byte
}

func datagram(b []byte) (udp, bool) {
	if len(b) < 28 || b[0]>>4 != 4 || b[9] != 17 {
		return udp{}, false
	}
	head := int(b[0]&15) * 4
	if head < 20 || len(b) < head+8 || binary.BigEndian.Uint16(b[6:])&0x1fff != 0 {
		return udp{}, false // a later fragment has no ports
	}
	d := udp{from: addr(b[12:]), to: addr(b[16:]), fromPort: binary.BigEndian.Uint16(b[head:]), toPort: binary.BigEndian.Uint16(b[head+2:])}
	end := head + int(binary.BigEndian.Uint16(b[head+4:]))
	d.body = b[head+8:]
	if end >= head+8 && end <= len(b) {
		d.body = b[head+8 : end]
	}
	return d, true
}

func (d udp) sight(facts *sighting.Facts) []sighting.Sighting {
	own := sighting.Sighting{MAC: d.mac, Address: d.from}
	switch {
	case d.toPort == portDHCPServer || d.toPort == portDHCPClient:
		if m, ok := ParseDHCP(d.body); ok {
			return m.sight(facts)
		}
	case d.fromPort == portMDNS || d.toPort == portMDNS:
		if a, ok := ParseDNS(d.body); ok && a.Response {
			return a.sight(own, "mdns")
		}
	case d.fromPort == portLLMNR:
		if a, ok := ParseDNS(d.body); ok && a.Response {
			return a.sight(own, "llmnr")
		}
	case d.fromPort == portSSDP || d.toPort == portSSDP:
		if m, ok := ParseSSDP(d.body); ok && !m.Search {
			own.State, own.Traits = "ssdp", m.Traits()
			return []sighting.Sighting{own}
		}
	case d.fromPort == portNetBIOS:
		if n, ok := ParseNetBIOS(d.body); ok && n.Host != "" {
			own.State, own.Host = "netbios", n.Host
			return []sighting.Sighting{own}
		}
	}
	return nil
}

// longestText is how much of what a device says of itself is kept, in characters.
const longestText = 120

// Plain makes one short line of what a device says of itself, in any script:
// without control characters, and with nothing that turns the text around it.
func Plain(text string) string {
	text = strings.ToValidUTF8(text, "\uFFFD")
	text = strings.Map(func(r rune) rune {
		switch {
		case unicode.IsSpace(r):
			return ' '
		case unicode.IsControl(r), unicode.Is(unicode.Cf, r), unicode.Is(unicode.Zl, r), unicode.Is(unicode.Zp, r):
			return -1
		}
		return r
	}, text)
	text = strings.Join(strings.Fields(text), " ")
	if utf8.RuneCountInString(text) > longestText {
		text = string([]rune(text)[:longestText]) + "…"
	}
	return text
}

// AddTrait adds what a device told, once, and nothing that is empty.
func AddTrait(list []site.Trait, name, value string) []site.Trait {
	t := site.Trait{Name: name, Value: Plain(value)}
	if t.Value == "" {
		return list
	}
	for _, have := range list {
		if have == t {
			return list
		}
	}
	return append(list, t)
}
