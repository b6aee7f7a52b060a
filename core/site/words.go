package site

import (
	"fmt"
	"net/netip"
	"strings"

	"vestpin/core/ipv4"
	"vestpin/core/span"
)

// Protocol is "tcp", "udp" or "both".
type Protocol string

// The protocols of a service or forward.
const (
	TCP  Protocol = "tcp"
	UDP  Protocol = "udp"
	Both Protocol = "both"
)

// Each gives the single protocols that p stands for.
func (p Protocol) Each() []Protocol {
	if p == Both {
		return []Protocol{TCP, UDP}
	}
	return []Protocol{p}
}

// Meets reports whether the two have a single protocol in common.
func (p Protocol) Meets(q Protocol) bool { return p == q || p == Both || q == Both }

// Covers reports whether everything of q is in p.
func (p Protocol) Covers(q Protocol) bool { return p == q || p == Both }

// UnmarshalText takes "tcp", "udp" or "both".
func (p *Protocol) UnmarshalText(text []byte) error {
	switch v := Protocol(text); v {
	case TCP, UDP, Both:
		*p = v
		return nil
	}
	return &span.Malformed{Found: string(text), Want: `"tcp", "udp" or "both"`}
}

// MAC is a 48-bit hardware address in lower case with colons; empty is unknown.
type MAC string

// ParseMAC reads any Usual notation: colons, dashes, blanks or dots between
// octets or groups of four, none at all, octets of one digit. All zeros,
// broadcast and multicast (IEEE 802, the group bit) name no interface and are
// refused. Its error is a *span.Malformed.
func ParseMAC(text string) (MAC, error) {
	if usualMAC(text) {
		return MAC(text), nil
	}
	bad := &span.Malformed{Found: text, Want: "a MAC address such as 00:00:5e:00:53:21"}
	octets := macOctets(strings.ToLower(strings.TrimSpace(text)))
	if octets == "" {
		return "", bad
	}
	var b strings.Builder
	for i := 0; i < 12; i += 2 {
		if i > 0 {
			b.WriteByte(':')
		}
		b.WriteString(octets[i : i+2])
	}
	m := MAC(b.String())
	if m == "00:00:00:00:00:00" || strings.IndexByte("13579bdf", m[1]) >= 0 {
		return "", &span.Malformed{Found: text, Want: "the MAC address of one interface, not all zeros, multicast or broadcast"}
	}
	return m, nil
}

// usualMAC passes the address of one interface as a MAC writes it, so that files of
// many lines are read without a copy of each.
func usualMAC(text string) bool {
	if len(text) != 17 || strings.IndexByte("13579bdf", text[1]) >= 0 {
		return false
	}
	if text[2] != ':' || text[5] != ':' || text[8] != ':' || text[11] != ':' || text[14] != ':' {
		return false
	}
	for i := 0; i < 17; i += 3 {
		if !lowHex[text[i]] || !lowHex[text[i+1]] {
			return false
		}
	}
	return text != "00:00:00:00:00:00"
}

// lowHex are the hexadecimal digits in lower case.
var lowHex = func() (is [256]bool) {
	for _, c := range "0123456789abcdef" {
		is[c] = true
	}
	return is
}()

// macOctets gives the twelve hex digits of a MAC in lower case, or "".
func macOctets(text string) string {
	digits := func(s string) bool {
		return s != "" && strings.Trim(s, "0123456789abcdef") == ""
	}
	if len(text) == 12 && digits(text) {
		return text
	}
	for _, sep := range []string{":", "-", ".", " "} {
		parts := strings.Split(text, sep)
		var width int
		switch len(parts) {
		case 6:
			width = 2
		case 3:
			width = 4
		case 2:
			width = 6
		default:
			continue
		}
		var b strings.Builder
		for _, p := range parts {
			if !digits(p) || len(p) > width || (width > 2 && len(p) < width) || (sep == "." && width == 2 && len(p) < 2) {
				return ""
			}
			b.WriteString(strings.Repeat("0", width-len(p)) + p)
		}
		return b.String()
	}
	return ""
}

// Randomised reports whether the address is locally administered (IEEE 802,
// the local bit), as phones make them up anew for each network.
func (m MAC) Randomised() bool { return len(m) > 1 && strings.IndexByte("2367abef", m[1]) >= 0 }

// UnmarshalText reads what ParseMAC reads; empty text is an unknown MAC.
func (m *MAC) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*m = ""
		return nil
	}
	parsed, err := ParseMAC(string(text))
	if err == nil {
		*m = parsed
	}
	return err
}

// Sender is who may connect: one address or a network.
type Sender struct{ netip.Prefix }

// ParseSender reads "198.51.100.7" or "198.51.100.0/24". An address inside a network
// with a mask, such as 198.51.100.7/24, could mean either and is refused. Its error is a
// *span.Malformed.
func ParseSender(text string) (Sender, error) {
	clean := strings.TrimSpace(text)
	if a, err := ipv4.ParseAddr(clean); err == nil {
		return Sender{netip.PrefixFrom(a, 32)}, nil
	}
	if p, err := netip.ParsePrefix(clean); err == nil && p.Addr().Is4() {
		if p != p.Masked() {
			return Sender{}, &span.Malformed{Found: text, Want: fmt.Sprintf("either the one address %s or the network %s", p.Addr(), p.Masked())}
		}
		return Sender{p}, nil
	}
	return Sender{}, &span.Malformed{Found: text, Want: "an address or network such as 198.51.100.7 or 198.51.100.0/24"}
}

// Limits reports whether a list of allowed sources keeps anybody out: an empty one does not,
// nor one that covers all addresses.
func Limits(from []Sender) bool {
	if len(from) == 0 {
		return false
	}
	runs := make([]span.Run, len(from))
	for i, s := range from {
		runs[i] = ipv4.Run(s.Prefix)
	}
	return span.Of(runs...).Len() < 1<<32
}

func (s Sender) String() string {
	if s.Bits() == 32 {
		return s.Addr().String()
	}
	return s.Prefix.String()
}

// MarshalText writes the form of the site file.
func (s Sender) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// UnmarshalText reads what ParseSender reads.
func (s *Sender) UnmarshalText(text []byte) error {
	parsed, err := ParseSender(string(text))
	if err == nil {
		*s = parsed
	}
	return err
}
