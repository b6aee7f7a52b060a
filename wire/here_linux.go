package wire

import (
	"bufio"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"net"
	"net/netip"
	"os"
	"strings"

	"golang.org/x/sys/unix"

	"vestpin/read"
)

// gateways gives the gateway of each link, of the kernel's table of routes.
func gateways() map[string]netip.Addr {
	out := map[string]netip.Addr{}
	f, err := os.Open("/proc/self/net/route")
	if err != nil {
		return out
	}
	defer f.Close()
	for in := bufio.NewScanner(f); in.Scan(); {
		w := strings.Fields(in.Text())
		if len(w) < 8 || w[1] != "00000000" || w[7] != "00000000" {
			continue
		}
		b, err := hex.DecodeString(w[2])
		if err != nil || len(b) != 4 {
			continue
		}
		var a [4]byte
		binary.NativeEndian.PutUint32(a[:], binary.BigEndian.Uint32(b))
		if _, have := out[w[0]]; !have && a != [4]byte{} {
			out[w[0]] = netip.AddrFrom4(a)
		}
	}
	return out
}

// rawFrames is a packet socket for ARP (packet(7)).
type rawFrames struct {
	fd int
	to unix.SockaddrLinklayer
}

func bigEndian(n uint16) uint16 {
	return binary.NativeEndian.Uint16(binary.BigEndian.AppendUint16(nil, n))
}

// Frames needs CAP_NET_RAW.
func (Here) Frames(l Link) (Frames, error) {
	i, err := net.InterfaceByName(l.Name)
	if err != nil {
		return nil, err
	}
	arp := bigEndian(unix.ETH_P_ARP)
	fd, err := unix.Socket(unix.AF_PACKET, unix.SOCK_RAW|unix.SOCK_CLOEXEC, int(arp))
	if errors.Is(err, unix.EPERM) || errors.Is(err, unix.EACCES) {
		return nil, ErrNotPermitted
	}
	if err != nil {
		return nil, err
	}
	r := &rawFrames{fd, unix.SockaddrLinklayer{Protocol: arp, Ifindex: i.Index}}
	wait := unix.NsecToTimeval(50e6)
	err = errors.Join(unix.Bind(fd, &r.to), unix.SetsockoptTimeval(fd, unix.SOL_SOCKET, unix.SO_RCVTIMEO, &wait))
	if err != nil {
		r.Close()
		return nil, err
	}
	return r, nil
}

func (r *rawFrames) Send(frame []byte) error { return unix.Sendto(r.fd, frame, 0, &r.to) }

func (r *rawFrames) Receive(buffer []byte) (int, error) {
	n, _, err := unix.Recvfrom(r.fd, buffer, 0)
	if errors.Is(err, unix.EAGAIN) || errors.Is(err, unix.EINTR) {
		return 0, nil
	}
	if errors.Is(err, unix.ENETDOWN) {
		return 0, nil // it may come up again
	}
	return n, err
}

func (r *rawFrames) Close() error { return unix.Close(r.fd) }

// Neighbours reads the kernel's table.
func (Here) Neighbours(l Link) ([]Neighbour, error) {
	data, err := os.ReadFile("/proc/self/net/arp")
	if err != nil {
		return nil, ErrNotKnown
	}
	var mine strings.Builder
	for line := range strings.Lines(string(data)) {
		if w := strings.Fields(line); len(w) == 6 && w[5] == l.Name {
			mine.WriteString(line)
		}
	}
	r, err := read.Text("neighbours", "neighbours", []byte(mine.String()))
	if err != nil {
		return nil, err
	}
	var out []Neighbour
	for _, s := range r.Sightings {
		out = append(out, Neighbour{s.MAC, s.Address})
	}
	return out, nil
}

// shape lets a UDP socket send to all, keeps it to its link, and never lets it
// go through a gateway.
func shape(fd uintptr, l Link, port uint16) error {
	var bound error
	if port != 0 {
		bound = errors.Join(
			unix.SetsockoptInt(int(fd), unix.SOL_SOCKET, unix.SO_REUSEADDR, 1),
			unix.BindToDevice(int(fd), l.Name))
		if port == 5353 && errors.Is(bound, unix.EPERM) {
			bound = unix.SetsockoptInt(int(fd), unix.SOL_SOCKET, unix.SO_REUSEADDR, 1)
		}
	}
	return errors.Join(bound, unix.SetsockoptInt(int(fd), unix.SOL_SOCKET, unix.SO_BROADCAST, 1), direct(fd))
}

// direct keeps a socket to neighbours: nothing goes through a gateway.
func direct(fd uintptr) error {
	return unix.SetsockoptInt(int(fd), unix.SOL_SOCKET, unix.SO_DONTROUTE, 1)
}
