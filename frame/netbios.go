package frame

import (
	"encoding/binary"
	"strings"

	"vestpin/core/site"
)

const portNetBIOS = 137

// NetBIOS is a node status answer (RFC 1002 section 4.2.18): the names of a
// computer and the MAC address of its adapter.
type NetBIOS struct {
	Host  string // the workstation's name
	Group string // the workgroup or domain
	MAC   site.MAC
}

// AskNetBIOS builds a node status request for any name.
func AskNetBIOS(id uint16) []byte {
	b := make([]byte, 12, 50)
	binary.BigEndian.PutUint16(b, id)
	b[5] = 1
	b = append(b, 32, 'C', 'K')
	b = append(b, strings.Repeat("A", 30)...)
	return append(b, 0, 0, 0x21, 0, 1)
}

// ParseNetBIOS reads a node status answer.
func ParseNetBIOS(b []byte) (NetBIOS, bool) {
	var n NetBIOS
	if len(b) < 12 || b[2]&0x80 == 0 || binary.BigEndian.Uint16(b[6:]) == 0 {
		return n, false
	}
	at := 12
	for at < len(b) && b[at] != 0 { // the name that was asked for
		if b[at]&0xc0 != 0 {
			at++
			break
		}
		at += int(b[at]) + 1
	}
	at++
	if at+11 > len(b) || binary.BigEndian.Uint16(b[at:]) != 0x21 {
		return n, false
	}
	b = b[at+10:]
	count := int(b[0])
	b = b[1:]
	for ; count > 0 && len(b) >= 18; count, b = count-1, b[18:] {
		name := Plain(strings.TrimRight(string(b[:15]), " \x00"))
		group := b[16]&0x80 != 0
		switch {
		case b[15] == 0 && !group && n.Host == "":
			n.Host = name
		case b[15] == 0 && group && n.Group == "":
			n.Group = name
		}
	}
	if count == 0 && len(b) >= 6 {
		n.MAC = macOf(b[:6])
	}
	return n, true
}

// Body gives the bytes of a node status answer.
func (n NetBIOS) Body(id uint16) []byte {
	b := make([]byte, 12, 120)
	binary.BigEndian.PutUint16(b, id)
	b[2], b[7] = 0x84, 1
	b = append(b, 32, 'C', 'K')
	b = append(b, strings.Repeat("A", 30)...)
	b = append(b, 0, 0, 0x21, 0, 1, 0, 0, 0, 0)
	names := []byte{2}
	for _, one := range []struct {
		text  string
		flags byte
	}{{n.Host, 4}, {n.Group, 0x84}} {
		padded := (one.text + strings.Repeat(" ", 15))[:15]
		names = append(append(names, padded...), 0, one.flags, 0)
	}
	mac := octets(n.MAC)
	names = append(append(names, mac[:]...), make([]byte, 40)...)
	b = binary.BigEndian.AppendUint16(b, uint16(len(names)))
	return append(b, names...)
}
