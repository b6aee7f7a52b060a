package frame

import (
	"encoding/binary"
	"net/netip"

	"vestpin/core/sighting"
	"vestpin/core/site"
)

// ARP is a packet of the address resolution protocol (RFC 826). A probe (RFC
// 5227) is a request whose sender has no address.
type ARP struct {
	Reply      bool
	Sender     site.MAC
	SenderAddr netip.Addr
	Target     site.MAC
	TargetAddr netip.Addr
}

// ParseARP reads the body of an ARP frame; false for anything but Ethernet and
// IPv4.
func ParseARP(b []byte) (ARP, bool) {
	if len(b) < 28 || [6]byte(b) != [6]byte{0, 1, 8, 0, 6, 4} {
		return ARP{}, false
	}
	op := binary.BigEndian.Uint16(b[6:])
	if op != 1 && op != 2 {
		return ARP{}, false
	}
	return ARP{Reply: op == 2, Sender: macOf(b[8:14]), SenderAddr: addr(b[14:]), Target: macOf(b[18:24]), TargetAddr: addr(b[24:])}, true
}

// Frame gives the whole Ethernet frame: a request goes to all, a reply to its
// target.
func (a ARP) Frame() []byte {
	b := make([]byte, 60)
	src, to := octets(a.Sender), octets(a.Target)
	if !a.Reply {
		copy(b, "\xff\xff\xff\xff\xff\xff")
	} else {
		copy(b, to[:])
	}
	copy(b[6:], src[:])
	binary.BigEndian.PutUint16(b[12:], typeARP)
	copy(b[14:], []byte{0, 1, 8, 0, 6, 4, 0, 1})
	if a.Reply {
		b[21] = 2
	}
	copy(b[22:], src[:])
	if a.SenderAddr.Is4() {
		copy(b[28:], a.SenderAddr.AsSlice())
	}
	copy(b[32:], to[:])
	copy(b[38:], a.TargetAddr.AsSlice())
	return b
}

// ParseARPFrame reads a whole Ethernet frame.
func ParseARPFrame(b []byte) (ARP, bool) {
	l, ok := open(LinkEthernet, b)
	if !ok || l.kind != typeARP {
		return ARP{}, false
	}
	return ParseARP(l.body)
}

// sighting: who sends has that address, unless it is only asking whether it is
// free. A frame that another forwards for it (proxy ARP) still names the sender.
func (a ARP) sighting(src site.MAC) []sighting.Sighting {
	mac := a.Sender
	if mac == "" {
		mac = src
	}
	if mac == "" || a.SenderAddr.IsUnspecified() {
		return nil
	}
	return []sighting.Sighting{{MAC: mac, Address: a.SenderAddr, State: "arp"}}
}
