package wire

import (
	"context"
	"encoding/binary"
	"net"
	"net/netip"
	"slices"
	"syscall"
	"time"

	"golang.org/x/sys/unix"
)

// mostHops is how far on the way out is looked: what stands between a site and the provider
// is near.
const mostHops = 5

// Hops are the first routers on the way to an address, by datagrams that live for so many
// hops only; each that lets one die tells its own address (RFC 792). Those that tell nothing
// are left out.
func (Here) Hops(ctx context.Context, to netip.AddrPort) []netip.Addr {
	var out []netip.Addr
	for ttl := 1; ttl <= mostHops && ctx.Err() == nil; ttl++ {
		a, arrived := hop(ctx, to, ttl)
		if arrived {
			break
		}
		if a.IsValid() && !slices.Contains(out, a) {
			out = append(out, a)
		}
	}
	return out
}

// hop sends one datagram and waits for who let it die; arrived is that it got to the end.
func hop(ctx context.Context, to netip.AddrPort, ttl int) (who netip.Addr, arrived bool) {
	d := net.Dialer{Control: func(_, _ string, c syscall.RawConn) error {
		var failed error
		err := c.Control(func(fd uintptr) {
			failed = unix.SetsockoptInt(int(fd), unix.IPPROTO_IP, unix.IP_TTL, ttl)
			if failed == nil {
				failed = unix.SetsockoptInt(int(fd), unix.IPPROTO_IP, unix.IP_RECVERR, 1)
			}
		})
		if err != nil {
			return err
		}
		return failed
	}}
	c, err := d.DialContext(ctx, "udp4", to.String())
	if err != nil {
		return netip.Addr{}, false
	}
	defer c.Close()
	raw, err := c.(*net.UDPConn).SyscallConn()
	if err != nil {
		return netip.Addr{}, false
	}
	c.Write(make([]byte, 20))
	until := time.Now().Add(350 * time.Millisecond)
	buffer, control := make([]byte, 128), make([]byte, 512)
	for time.Now().Before(until) && ctx.Err() == nil {
		raw.Control(func(fd uintptr) {
			_, n, _, _, err := unix.Recvmsg(int(fd), buffer, control, unix.MSG_ERRQUEUE|unix.MSG_DONTWAIT)
			if err == nil {
				who = offender(control[:n])
			}
		})
		if who.IsValid() {
			return who, who == to.Addr()
		}
		pause(ctx, 10*time.Millisecond)
	}
	return netip.Addr{}, false
}

// offender is who sent an error, of a struct sock_extended_err and the address after it
// (ip(7), IP_RECVERR).
func offender(control []byte) netip.Addr {
	messages, err := unix.ParseSocketControlMessage(control)
	if err != nil {
		return netip.Addr{}
	}
	for _, m := range messages {
		const extended, family = 16, 2
		if m.Header.Level != unix.IPPROTO_IP || m.Header.Type != unix.IP_RECVERR || len(m.Data) < extended+8 {
			continue
		}
		if from := m.Data[extended:]; binary.NativeEndian.Uint16(from) == unix.AF_INET {
			return netip.AddrFrom4([4]byte(from[family+2 : family+6]))
		}
	}
	return netip.Addr{}
}
