package frame

import (
	"encoding/binary"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/ipv4"
	"vestpin/core/sighting"
	"vestpin/core/site"
)

const (
	portDHCPServer = 67
	portDHCPClient = 68
)

// DHCPKind is the kind of a DHCP message (RFC 2132 section 9.6).
type DHCPKind byte

// The kinds of DHCP messages.
const (
	Discover DHCPKind = 1 + iota
	Offer
	Request
	Decline
	Ack
	Nak
	Release
	Inform
)

// DHCP is a message of the dynamic host configuration protocol (RFC 2131). Lease
// is in seconds.
type DHCP struct {
	Kind      DHCPKind
	XID       uint32
	MAC       site.MAC
	Yours     netip.Addr // the address offered or granted
	Client    netip.Addr // the address the client has
	Requested netip.Addr
	Server    netip.Addr
	Bits      int // of the subnet mask, 0 if absent
	Routers   []netip.Addr
	DNS       []netip.Addr
	Lease     uint32
	Host      string
	Vendor    string
	Domain    string
}

const dhcpCookie = "\x63\x82\x53\x63"

// ParseDHCP reads the body of a DHCP datagram.
func ParseDHCP(b []byte) (DHCP, bool) {
	if len(b) < 240 || string(b[236:240]) != dhcpCookie || b[1] != 1 || b[2] != 6 {
		return DHCP{}, false
	}
	m := DHCP{XID: binary.BigEndian.Uint32(b[4:]), MAC: macOf(b[28:34]), Client: addr(b[12:]), Yours: addr(b[16:])}
	for o := b[240:]; len(o) > 1 && o[0] != 255; {
		if o[0] == 0 {
			o = o[1:]
			continue
		}
		n := int(o[1])
		if len(o) < 2+n {
			break
		}
		m.option(o[0], o[2:2+n])
		o = o[2+n:]
	}
	return m, m.Kind != 0
}

func (m *DHCP) option(code byte, v []byte) {
	one := func() netip.Addr {
		if len(v) != 4 {
			return netip.Addr{}
		}
		return addr(v)
	}
	list := func() (out []netip.Addr) {
		for ; len(v) >= 4; v = v[4:] {
			out = append(out, addr(v))
		}
		return out
	}
	switch code {
	case 1:
		if a := one(); a.IsValid() {
			m.Bits, _ = ipv4.MaskBits(a)
		}
	case 3:
		m.Routers = list()
	case 6:
		m.DNS = list()
	case 12:
		m.Host = Plain(strings.TrimRight(string(v), "\x00"))
	case 15:
		m.Domain = Plain(strings.TrimRight(string(v), "\x00"))
	case 50:
		m.Requested = one()
	case 51:
		if len(v) == 4 {
			m.Lease = binary.BigEndian.Uint32(v)
		}
	case 53:
		if len(v) == 1 && v[0] <= byte(Inform) {
			m.Kind = DHCPKind(v[0])
		}
	case 54:
		m.Server = one()
	case 60:
		m.Vendor = Plain(string(v))
	}
}

// Body gives the datagram's bytes. A message from a client asks for the answer
// by broadcast, since it may have no address yet.
func (m DHCP) Body() []byte {
	b := make([]byte, 240, 320)
	b[0], b[1], b[2] = 1, 1, 6
	if m.Kind == Offer || m.Kind == Ack || m.Kind == Nak {
		b[0] = 2
	}
	binary.BigEndian.PutUint32(b[4:], m.XID)
	b[10] = 0x80
	put := func(at int, a netip.Addr) {
		if a.Is4() {
			copy(b[at:], a.AsSlice())
		}
	}
	put(12, m.Client)
	put(16, m.Yours)
	mac := octets(m.MAC)
	copy(b[28:], mac[:])
	copy(b[236:], dhcpCookie)
	opt := func(code byte, v ...byte) {
		if len(v) > 0 && len(v) < 256 {
			b = append(append(b, code, byte(len(v))), v...)
		}
	}
	addrs := func(code byte, list ...netip.Addr) {
		var v []byte
		for _, a := range list {
			if a.Is4() {
				v = append(v, a.AsSlice()...)
			}
		}
		opt(code, v...)
	}
	opt(53, byte(m.Kind))
	addrs(54, m.Server)
	addrs(50, m.Requested)
	if m.Lease > 0 {
		opt(51, binary.BigEndian.AppendUint32(nil, m.Lease)...)
	}
	if m.Bits > 0 {
		addrs(1, ipv4.Mask(m.Bits))
	}
	addrs(3, m.Routers...)
	addrs(6, m.DNS...)
	opt(12, []byte(m.Host)...)
	opt(60, []byte(m.Vendor)...)
	if b[0] == 1 {
		opt(55, 1, 3, 6, 15, 51, 54)
	}
	b = append(b, 255)
	for len(b) < 300 {
		b = append(b, 0) // the least that old relays pass on (RFC 1542)
	}
	return b
}

// Tells puts what a server says of the network into the facts.
func (m DHCP) Tells(facts *sighting.Facts) {
	if (m.Kind != Offer && m.Kind != Ack) || !m.Server.IsValid() {
		return
	}
	if !slices.Contains(facts.DHCP, m.Server) {
		facts.DHCP = append(facts.DHCP, m.Server)
	}
	if !facts.Subnet.IsValid() && m.Bits > 0 && !m.Yours.IsUnspecified() {
		facts.Subnet = netip.PrefixFrom(m.Yours, m.Bits).Masked()
	}
	if !facts.Gateway.IsValid() && len(m.Routers) > 0 {
		facts.Gateway = m.Routers[0]
	}
	for _, a := range m.DNS {
		if !slices.Contains(facts.DNS, a) {
			facts.DNS = append(facts.DNS, a)
		}
	}
	if facts.Lease == 0 {
		facts.Lease = int(m.Lease)
	}
}

// Refused is the state of a client whose request for an address was refused: it is not
// where it asked to be (RFC 2131 section 3.2).
const Refused = "refused"

// sight: a client tells its name and kind; what it asks for it had before, and
// what a server grants it has.
func (m DHCP) sight(facts *sighting.Facts) []sighting.Sighting {
	m.Tells(facts)
	s := sighting.Sighting{MAC: m.MAC, Host: m.Host, Traits: AddTrait(nil, site.TraitVendor, m.Vendor)}
	switch m.Kind {
	case Ack:
		s.State, s.Address = "granted", m.Yours
		if m.Yours.IsUnspecified() {
			s.Address = m.Client
		}
	case Request:
		s.State, s.Address = "requested", m.Requested
		if !m.Client.IsUnspecified() {
			s.Address = m.Client
		}
	case Nak:
		s.State = Refused
	case Discover, Inform:
		s.State = "asked"
		if m.Kind == Inform {
			s.Address = m.Client
		}
	default:
		return nil
	}
	if s.Address.IsValid() && s.Address.IsUnspecified() {
		s.Address = netip.Addr{}
	}
	if s.MAC == "" {
		return nil
	}
	return []sighting.Sighting{s}
}
