package wire

import (
	"context"
	"errors"
	"net"
	"net/netip"
	"os"
	"slices"
	"syscall"

	"golang.org/x/net/ipv4"

	"vestpin/core/site"
	"vestpin/read"
)

// Here is the network that this machine is attached to.
type Here struct{}

// Links are the attachments as the system tells them. Gateways are known on
// Linux only, DNS servers where there is a resolv.conf.
func (Here) Links() ([]Link, error) {
	all, err := net.Interfaces()
	if err != nil {
		return nil, err
	}
	gateways, servers := gateways(), resolvConf()
	var out []Link
	for _, i := range all {
		mac, err := site.ParseMAC(i.HardwareAddr.String())
		if err != nil || i.Flags&net.FlagUp == 0 || i.Flags&net.FlagRunning == 0 || i.Flags&net.FlagLoopback != 0 {
			continue
		}
		addrs, err := i.Addrs()
		if err != nil {
			continue // it went away meanwhile
		}
		for _, a := range addrs {
			p, err := netip.ParsePrefix(a.String())
			if err == nil && p.Addr().Is4() && p.Bits() <= 30 {
				l := Link{Name: i.Name, MAC: mac, Own: p, Gateway: gateways[i.Name], DNS: servers, Kind: kindOf(i.Name)}
				l.DHCP, l.Lease = leaseOf(i.Index, i.Name, p.Addr())
				out = append(out, l)
			}
		}
	}
	// The link with the gateway is the one that is mostly meant, and a wire more than the air.
	slices.SortStableFunc(out, func(a, b Link) int { return likely(a) - likely(b) })
	return out, nil
}

// likely ranks a link: the lower, the more it is meant.
func likely(l Link) int {
	rank := map[string]int{"wired": 0, "": 1, "wireless": 1, "virtual": 3}[l.Kind]
	if !l.Gateway.IsValid() {
		rank += 10
	}
	return rank
}

func resolvConf() []netip.Addr {
	data, err := os.ReadFile("/etc/resolv.conf")
	if err != nil {
		return []netip.Addr{}
	}
	r, err := read.Text("resolv.conf", "own-settings", data)
	if err != nil {
		return []netip.Addr{}
	}
	return r.Facts.DNS
}

// Packets opens a UDP socket. Port 5353 is shared with a responder that may run
// here, and takes part in the group of multicast DNS.
func (Here) Packets(l Link, port uint16) (Packets, error) {
	from := netip.AddrPortFrom(l.Own.Addr(), port)
	if port != 0 {
		from = netip.AddrPortFrom(netip.IPv4Unspecified(), port)
	}
	lc := net.ListenConfig{Control: func(_, _ string, c syscall.RawConn) error {
		var failed error
		if err := c.Control(func(fd uintptr) { failed = shape(fd, l, port) }); err != nil {
			return err
		}
		return failed
	}}
	p, err := lc.ListenPacket(context.Background(), "udp4", from.String())
	if err != nil {
		return nil, plain(err)
	}
	c := p.(*net.UDPConn)
	i, err := net.InterfaceByName(l.Name)
	if err != nil {
		c.Close()
		return nil, err
	}
	group := ipv4.NewPacketConn(c)
	group.SetMulticastInterface(i)
	group.SetMulticastTTL(4)
	if port == 5353 {
		group.SetMulticastTTL(255) // RFC 6762 section 11
		if err := group.JoinGroup(i, &net.UDPAddr{IP: groupMDNS.Addr().AsSlice()}); err != nil {
			c.Close()
			return nil, err
		}
	}
	return c, nil
}

// plain takes the address out of an error, which the reader knows.
func plain(err error) error {
	var op *net.OpError
	if errors.As(err, &op) {
		return op.Err
	}
	return err
}

// Dial connects from the link's own address.
func (Here) Dial(ctx context.Context, l Link, to netip.AddrPort) (net.Conn, error) {
	d := net.Dialer{LocalAddr: net.TCPAddrFromAddrPort(netip.AddrPortFrom(l.Own.Addr(), 0)), Control: toNeighbours}
	return d.DialContext(ctx, "tcp4", to.String())
}

// toNeighbours keeps a connection to neighbours.
func toNeighbours(_, _ string, c syscall.RawConn) error {
	var failed error
	if err := c.Control(func(fd uintptr) { failed = direct(fd) }); err != nil {
		return err
	}
	return failed
}

// Ask opens UDP to one port of a neighbour, from the link's own address.
func (Here) Ask(ctx context.Context, l Link, to netip.AddrPort) (net.Conn, error) {
	d := net.Dialer{LocalAddr: net.UDPAddrFromAddrPort(netip.AddrPortFrom(l.Own.Addr(), 0)), Control: toNeighbours}
	return d.DialContext(ctx, "udp4", to.String())
}
