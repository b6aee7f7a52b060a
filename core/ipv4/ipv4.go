// Package ipv4 knows addresses, masks and subnets as numbers, and how people write them.
package ipv4

import (
	"encoding/binary"
	"net/netip"
	"strconv"
	"strings"

	"vestpin/core/span"
)

// Number is an IPv4 address as a number. The zero Addr gives 0.
func Number(a netip.Addr) uint32 {
	if !a.Is4() {
		return 0
	}
	b := a.As4()
	return binary.BigEndian.Uint32(b[:])
}

// Addr is the IPv4 address with that number.
func Addr(n uint32) netip.Addr {
	var b [4]byte
	binary.BigEndian.PutUint32(b[:], n)
	return netip.AddrFrom4(b)
}

// Run is all addresses of an IPv4 subnet, its network and broadcast
// addresses included.
func Run(p netip.Prefix) span.Run {
	lo := Number(p.Masked().Addr())
	return span.Run{Lo: lo, Hi: lo | uint32(1<<(32-p.Bits())-1)}
}

// ParseAddr reads a dotted quad (RFC 6943 section 3.1.1, the strict form).
// Its error is a *span.Malformed.
func ParseAddr(text string) (netip.Addr, error) {
	a, err := netip.ParseAddr(strings.TrimSpace(text))
	if err != nil || !a.Is4() {
		return netip.Addr{}, &span.Malformed{Found: text, Want: "an IPv4 address such as 10.48.16.20"}
	}
	return a, nil
}

// ParseMask reads "255.255.255.0", "/24" or "24" as a number of bits.
// A mask with a hole is refused. Its error is a *span.Malformed.
func ParseMask(text string) (int, error) {
	clean := strings.TrimPrefix(strings.TrimSpace(text), "/")
	if bits, err := strconv.Atoi(clean); err == nil && bits >= 0 && bits <= 32 && clean[0] != '+' {
		return bits, nil
	}
	if a, err := netip.ParseAddr(clean); err == nil && a.Is4() {
		if bits, ok := MaskBits(a); ok {
			return bits, nil
		}
		return 0, &span.Malformed{Found: text, Want: "a mask without holes such as 255.255.255.0, or its length such as 24"}
	}
	return 0, &span.Malformed{Found: text, Want: "a mask such as 255.255.255.0, or its length such as 24"}
}

// MaskBits tells how long a mask is, if it is one without holes (RFC 4632).
func MaskBits(a netip.Addr) (int, bool) {
	n := Number(a)
	if inv := ^n; inv&(inv+1) != 0 {
		return 0, false
	}
	bits := 0
	for ; n != 0; n <<= 1 {
		bits++
	}
	return bits, true
}

// Mask is the dotted mask of a prefix length.
func Mask(bits int) netip.Addr { return Addr(uint32(^uint64(0) << (32 - bits))) }

// ParseSubnet reads "10.48.16.0/24", "10.48.16.0/255.255.255.0" or address and
// mask with a blank between. Any address inside stands for its subnet.
// Subnets from /8 to /30 are taken. Its error is a *span.Malformed.
func ParseSubnet(text string) (netip.Prefix, error) {
	clean := strings.TrimSpace(text)
	addrText, maskText, ok := strings.Cut(clean, "/")
	if !ok {
		fields := strings.Fields(clean)
		if len(fields) != 2 {
			return netip.Prefix{}, &span.Malformed{Found: text, Want: "a subnet such as 10.48.16.0/24, or address and mask such as 10.48.16.0 255.255.255.0"}
		}
		addrText, maskText = fields[0], fields[1]
	}
	a, err := ParseAddr(addrText)
	if err != nil {
		return netip.Prefix{}, &span.Malformed{Found: text, Want: "a subnet such as 10.48.16.0/24"}
	}
	bits, err := ParseMask(maskText)
	if err != nil {
		return netip.Prefix{}, err
	}
	if bits < 8 || bits > 30 {
		return netip.Prefix{}, &span.Malformed{Found: text, Want: "a subnet between /8 and /30"}
	}
	return netip.PrefixFrom(a, bits).Masked(), nil
}

// ParseAddrIn reads an address, or its end such as ".100" or "100" completed
// from the subnet. Its error is a *span.Malformed.
func ParseAddrIn(text string, subnet netip.Prefix) (netip.Addr, error) {
	clean := strings.TrimPrefix(strings.TrimSpace(text), ".")
	parts := strings.Split(clean, ".")
	if len(parts) < 4 && subnet.IsValid() {
		head := strings.Split(subnet.Masked().Addr().String(), ".")
		clean = strings.Join(append(head[:4-len(parts)], parts...), ".")
	}
	a, err := ParseAddr(clean)
	if err != nil {
		return netip.Addr{}, &span.Malformed{Found: text, Want: "an address such as 10.48.16.100, or its last number such as .100"}
	}
	return a, nil
}

// ParseRangeIn reads "10.48.16.100-10.48.16.179", ".100-.179" or "100 to 179".
// The range must run upwards. Its error is a *span.Malformed.
func ParseRangeIn(text string, subnet netip.Prefix) (from, to netip.Addr, err error) {
	clean := strings.NewReplacer("\u2013", "-", "\u2014", "-", "\u2212", "-", " to ", "-", "..", "-").Replace(text)
	fromText, toText, ok := strings.Cut(clean, "-")
	if !ok {
		fields := strings.Fields(clean)
		if len(fields) != 2 {
			return from, to, &span.Malformed{Found: text, Want: "a range such as .100-.179"}
		}
		fromText, toText = fields[0], fields[1]
	}
	if from, err = ParseAddrIn(fromText, subnet); err != nil {
		return from, to, err
	}
	if to, err = ParseAddrIn(toText, subnet); err != nil {
		return from, to, err
	}
	if to.Less(from) {
		return from, to, &span.Malformed{Found: text, Want: "a range from low to high; did you mean " + to.String() + "-" + from.String() + "?"}
	}
	return from, to, nil
}

// Prefixes gives the fewest subnets that hold exactly the addresses of a run, rising
// (RFC 4632).
func Prefixes(r span.Run) []netip.Prefix {
	var out []netip.Prefix
	for lo, end := uint64(r.Lo), uint64(r.Hi); lo <= end; {
		bits := 32
		for bits > 0 && lo&(1<<(33-bits)-1) == 0 && lo+1<<(33-bits)-1 <= end {
			bits--
		}
		out = append(out, netip.PrefixFrom(Addr(uint32(lo)), bits))
		lo += 1 << (32 - bits)
	}
	return out
}
