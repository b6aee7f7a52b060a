package lab

import (
	"os"
	"runtime"
	"testing"
	"time"

	"golang.org/x/sys/unix"
)

// tun opens a point-to-point link of a namespace whose packets this program carries.
func tun(t *testing.T, ns, name string) *os.File {
	t.Helper()
	type opened struct {
		f   *os.File
		err error
	}
	done := make(chan opened)
	go func() {
		runtime.LockOSThread() // and never let go: the thread ends with what it entered
		f, err := openTun(ns, name)
		done <- opened{f, err}
	}()
	o := <-done
	if o.err != nil {
		t.Skipf("no link can be carried by a program here: %v", o.err)
	}
	t.Cleanup(func() { o.f.Close() })
	return o.f
}

func openTun(ns, name string) (*os.File, error) {
	in, err := os.Open("/var/run/netns/" + ns)
	if err != nil {
		return nil, err
	}
	defer in.Close()
	if err := unix.Setns(int(in.Fd()), unix.CLONE_NEWNET); err != nil {
		return nil, err
	}
	fd, err := unix.Open("/dev/net/tun", unix.O_RDWR|unix.O_CLOEXEC|unix.O_NONBLOCK, 0)
	if err != nil {
		return nil, err
	}
	ask, err := unix.NewIfreq(name)
	if err != nil {
		return nil, err
	}
	ask.SetUint16(unix.IFF_TUN | unix.IFF_NO_PI)
	if err := unix.IoctlIfreq(fd, unix.TUNSETIFF, ask); err != nil {
		unix.Close(fd)
		return nil, err
	}
	return os.NewFile(uintptr(fd), name), nil
}

// carry takes packets from one link to another, each after a time.
func carry(from, to *os.File, after time.Duration) {
	type packet struct {
		due  time.Time
		body []byte
	}
	way := make(chan packet, 4096)
	go func() {
		defer close(way)
		for {
			buffer := make([]byte, 2000)
			n, err := from.Read(buffer)
			if err != nil {
				return
			}
			way <- packet{time.Now().Add(after), buffer[:n]}
		}
	}()
	go func() {
		for p := range way {
			time.Sleep(time.Until(p.due))
			to.Write(p.body)
		}
	}()
}

// slow puts the far end so far away that an answer takes a time, there and back.
func (s *street) slow(roundTrip time.Duration) {
	s.t.Helper()
	there, here := tun(s.t, s.far, "slow"), tun(s.t, s.provider, "slow")
	s.ip(s.far, "addr flush dev eth0", "link set eth0 down", "addr add "+farAt+"/24 dev slow", "link set slow up", "route add default via 198.51.100.1")
	s.ip(s.provider, "addr flush dev far", "addr add 198.51.100.1/24 dev slow", "link set slow up")
	carry(there, here, roundTrip/2)
	carry(here, there, roundTrip/2)
}
