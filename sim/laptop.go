package sim

import (
	"net"
	"net/netip"
	"sync"
	"time"

	"vestpin/wire"
)

// Laptop is the computer on a made-up network: it goes elsewhere and comes back, and takes
// addresses beside its own for a while.
type Laptop struct {
	mu    sync.Mutex
	away  bool
	taken map[netip.Addr]bool
	doors map[netip.AddrPort]*door
}

// hotspot is the network that it goes to.
var hotspot = wire.Link{Name: "made-up-phone", MAC: "00:00:5e:00:53:7e", Own: netip.MustParsePrefix("192.0.2.9/24"), Gateway: netip.MustParseAddr("192.0.2.1"), DNS: []netip.Addr{netip.MustParseAddr("192.0.2.1")}, Kind: "wireless"}

// Roam lets the laptop of a world go elsewhere, or come back.
func (w *World) Roam(away bool) {
	if l := w.Laptop; l != nil {
		l.mu.Lock()
		defer l.mu.Unlock()
		l.away = away
	}
}

func (l *Laptop) isAway() bool {
	if l == nil {
		return false
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.away
}

// Take takes an address for the laptop, which answers there with what listens there.
func (w *World) Take(_ wire.Link, a netip.Addr, _ time.Duration, _ bool) error {
	l := w.Laptop
	if l == nil {
		return wire.ErrNotPermitted
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.taken == nil {
		l.taken, l.doors = map[netip.Addr]bool{}, map[netip.AddrPort]*door{}
	}
	l.taken[a] = true
	return nil
}

// Give gives an address back.
func (w *World) Give(_ string, a netip.Addr) error {
	l := w.Laptop
	if l == nil {
		return wire.ErrNotPermitted
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.taken, a)
	return nil
}

// Listen answers at an address that the laptop has taken.
func (w *World) Listen(at netip.AddrPort) (net.Listener, error) {
	l := w.Laptop
	if l == nil {
		return nil, wire.ErrNotPermitted
	}
	l.mu.Lock()
	defer l.mu.Unlock()
	if !l.taken[at.Addr()] {
		return nil, &net.AddrError{Err: "this computer does not have the address", Addr: at.String()}
	}
	d := &door{laptop: l, at: at, come: make(chan net.Conn), closed: make(chan struct{})}
	l.doors[at] = d
	return d, nil
}

// knock connects to what the laptop answers at an address, where it does.
func (l *Laptop) knock(at netip.AddrPort) (net.Conn, bool) {
	if l == nil {
		return nil, false
	}
	l.mu.Lock()
	d := l.doors[at]
	l.mu.Unlock()
	if d == nil {
		return nil, false
	}
	ours, theirs := net.Pipe()
	select {
	case d.come <- theirs:
		return ours, true
	case <-d.closed:
		return nil, false
	}
}

// door is a listener at an address of a made-up network.
type door struct {
	laptop *Laptop
	at     netip.AddrPort
	come   chan net.Conn
	once   sync.Once
	closed chan struct{}
}

func (d *door) Accept() (net.Conn, error) {
	select {
	case c := <-d.come:
		return c, nil
	case <-d.closed:
		return nil, net.ErrClosed
	}
}

func (d *door) Close() error {
	d.once.Do(func() {
		close(d.closed)
		d.laptop.mu.Lock()
		defer d.laptop.mu.Unlock()
		delete(d.laptop.doors, d.at)
	})
	return nil
}

func (d *door) Addr() net.Addr { return net.TCPAddrFromAddrPort(d.at) }
