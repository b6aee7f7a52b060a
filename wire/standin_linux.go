package wire

import (
	"encoding/binary"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"time"

	"golang.org/x/sys/unix"
)

var _ Taker = Here{}

// Take gives a link a further address, by rtnetlink(7), which the kernel takes away by itself after a while,
// in whole seconds; it needs CAP_NET_ADMIN. The error is ErrNotPermitted without it.
func (Here) Take(l Link, a netip.Addr, lasts time.Duration, anew bool) error {
	flags := uint16(unix.NLM_F_CREATE | unix.NLM_F_EXCL) // never one of this computer's own
	if anew {
		flags = unix.NLM_F_REPLACE
	}
	return changeAddress(unix.RTM_NEWADDR, flags, l.Name, a, lasts)
}

// Give takes a further address off a link. That it is not there any more is no error.
func (Here) Give(link string, a netip.Addr) error {
	err := changeAddress(unix.RTM_DELADDR, 0, link, a, 0)
	if errors.Is(err, unix.EADDRNOTAVAIL) || errors.Is(err, unix.ENODEV) {
		return nil
	}
	return err
}

// changeAddress asks the kernel to add or remove an address of its own (struct ifaddrmsg with
// IFA_LOCAL and IFA_ADDRESS, and how long it lasts in IFA_CACHEINFO), and waits for its answer.
func changeAddress(what uint16, flags uint16, link string, a netip.Addr, lasts time.Duration) error {
	i, err := net.InterfaceByName(link)
	if err != nil {
		return unix.ENODEV
	}
	fd, err := unix.Socket(unix.AF_NETLINK, unix.SOCK_RAW|unix.SOCK_CLOEXEC, unix.NETLINK_ROUTE)
	if err != nil {
		return err
	}
	defer unix.Close(fd)
	body := []byte{unix.AF_INET, 32, 0, unix.RT_SCOPE_UNIVERSE}
	body = binary.NativeEndian.AppendUint32(body, uint32(i.Index))
	for _, kind := range []uint16{unix.IFA_LOCAL, unix.IFA_ADDRESS} {
		body = binary.NativeEndian.AppendUint16(body, 8)
		body = binary.NativeEndian.AppendUint16(body, kind)
		body = append(body, a.AsSlice()...)
	}
	if lasts > 0 { // struct ifa_cacheinfo: preferred, valid, and two times of the kernel's own
		body = binary.NativeEndian.AppendUint16(body, 20)
		body = binary.NativeEndian.AppendUint16(body, unix.IFA_CACHEINFO)
		for _, n := range []uint32{uint32(lasts.Seconds()), uint32(lasts.Seconds()), 0, 0} {
			body = binary.NativeEndian.AppendUint32(body, n)
		}
	}
	m := binary.NativeEndian.AppendUint32(nil, uint32(16+len(body)))
	m = binary.NativeEndian.AppendUint16(m, what)
	m = binary.NativeEndian.AppendUint16(m, unix.NLM_F_REQUEST|unix.NLM_F_ACK|flags)
	m = append(m, 1, 0, 0, 0, 0, 0, 0, 0) // sequence number and sender
	if err := unix.Sendto(fd, append(m, body...), 0, &unix.SockaddrNetlink{Family: unix.AF_NETLINK}); err != nil {
		return err
	}
	answer := make([]byte, 4096)
	n, _, err := unix.Recvfrom(fd, answer, 0)
	if err != nil {
		return err
	}
	if n < 20 || binary.NativeEndian.Uint16(answer[4:]) != unix.NLMSG_ERROR {
		return fmt.Errorf("the system gives no answer about %s on %s", a, link)
	}
	if code := int32(binary.NativeEndian.Uint32(answer[16:])); code != 0 {
		err := unix.Errno(-code)
		if errors.Is(err, unix.EPERM) || errors.Is(err, unix.EACCES) {
			return ErrNotPermitted
		}
		return err
	}
	return nil
}
