// Package sim is a made-up network that answers like a real one, with the same
// protocols, behind the interface of wire: for the demo and for tests. Nothing
// leaves this process.
package sim

import (
	"context"
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net"
	"net/netip"
	"os"
	"slices"
	"sync"
	"time"

	"vestpin/core/site"
	"vestpin/frame"
	"vestpin/wire"
)

// World is what there is on a made-up network.
type World struct {
	Own     netip.Prefix `json:"own"` // the laptop
	MAC     site.MAC     `json:"mac"`
	Gateway netip.Addr   `json:"gateway"`
	Servers []Server     `json:"servers"` // that hand out addresses
	Hosts   []Host       `json:"hosts"`
	// Delay is how long answers take at most, in milliseconds; 30 if 0.
	Delay int `json:"delay,omitempty"`
	// Loss is how many packets of a hundred are lost, each way.
	Loss int `json:"loss,omitempty"`
	// NoFrames does not let frames be sent, as a system would without the right.
	NoFrames bool `json:"noFrames,omitempty"`
	// Beyond is how it is seen from elsewhere.
	Beyond *Beyond `json:"beyond,omitempty"`
	// Laptop is the computer that looks; absent, it stays and takes no address.
	Laptop *Laptop `json:"-"`
}

// Server is a DHCP server.
type Server struct {
	Address netip.Addr `json:"address"`
	Offers  netip.Addr `json:"offers"`
	Gateway netip.Addr `json:"gateway"`
	Lease   uint32     `json:"lease"`
}

// Host is a device: what it answers to.
type Host struct {
	MAC      site.MAC           `json:"mac"`
	Address  netip.Addr         `json:"address"`
	DNS      string             `json:"dns,omitempty"`      // the name that the router's DNS gives it
	Name     string             `json:"name,omitempty"`     // its name in multicast DNS
	Services []string           `json:"services,omitempty"` // DNS-SD types
	Model    string             `json:"model,omitempty"`
	NetBIOS  string             `json:"netbios,omitempty"`
	UPnP     *frame.Description `json:"upnp,omitempty"`
	Location string             `json:"location,omitempty"` // where it says that its description lies, its own place if empty
	Silent   bool               `json:"silent,omitempty"`   // answers ARP and nothing else
	Types    []string           `json:"types,omitempty"`    // WS-Discovery
	SNMP     *SNMP              `json:"snmp,omitempty"`
	Ports    []Port             `json:"ports,omitempty"`
	Maps     *Maps              `json:"maps,omitempty"` // of a router: the ports that devices had it open
}

// SNMP is what a device says of itself to those who know its community.
type SNMP struct{ Community, Name, Description string }

// Port is a TCP port on which a device answers, and how: "http", "https",
// "rtsp", "sip", "rdp", "mqtt", or "says" for what a server says unasked.
type Port struct {
	Number uint16 `json:"number"`
	Speaks string `json:"speaks"`
	Server string `json:"server,omitempty"`
	Title  string `json:"title,omitempty"`
}

// Read reads a world from JSON.
func Read(data []byte) (*World, error) {
	var w World
	if err := json.Unmarshal(data, &w); err != nil {
		return nil, fmt.Errorf("made-up network: %w", err)
	}
	if w.Delay == 0 {
		w.Delay = 30
	}
	return &w, nil
}

var _ wire.Network = (*World)(nil)

// Links is the one attachment of the laptop.
func (w *World) Links() ([]wire.Link, error) {
	if w.Laptop.isAway() {
		return []wire.Link{hotspot}, nil
	}
	if !w.Own.IsValid() {
		return nil, nil
	}
	l := wire.Link{Name: "made-up", MAC: w.MAC, Own: w.Own, Gateway: w.Gateway, DNS: []netip.Addr{w.Gateway}, Kind: "wired"}
	if len(w.Servers) > 0 {
		l.DHCP, l.Lease = w.Servers[0].Address, int(w.Servers[0].Lease)
	}
	return []wire.Link{l}, nil
}

// Frames answers ARP.
func (w *World) Frames(wire.Link) (wire.Frames, error) {
	if w.NoFrames {
		return nil, wire.ErrNotPermitted
	}
	return &frames{world: w, heard: make(chan []byte, 4096), closed: make(chan struct{})}, nil
}

// Neighbours is the whole network, as if all had been asked.
func (w *World) Neighbours(wire.Link) ([]wire.Neighbour, error) {
	var out []wire.Neighbour
	for _, h := range w.Hosts {
		out = append(out, wire.Neighbour{MAC: h.MAC, Address: h.Address})
	}
	return out, nil
}

// lost reports whether a packet does not make it, on the way there or back.
func (w *World) lost() bool {
	for range 2 {
		if rand.IntN(100) < w.Loss {
			return true
		}
	}
	return false
}

// later does what a device does, after the time that it takes.
func (w *World) later(do func()) {
	if w.lost() {
		return
	}
	time.AfterFunc(time.Duration(1+rand.IntN(w.Delay))*time.Millisecond, do)
}

func (w *World) at(a netip.Addr) []Host {
	var out []Host
	for _, h := range w.Hosts {
		if h.Address == a {
			out = append(out, h)
		}
	}
	return out
}

type frames struct {
	world  *World
	heard  chan []byte
	closed chan struct{}
	once   sync.Once
}

func (f *frames) Send(b []byte) error {
	q, ok := frame.ParseARPFrame(b)
	if !ok || q.Reply {
		return nil
	}
	for _, h := range f.world.at(q.TargetAddr) {
		answer := frame.ARP{Reply: true, Sender: h.MAC, SenderAddr: h.Address, Target: q.Sender, TargetAddr: q.SenderAddr}.Frame()
		f.world.later(func() {
			select {
			case f.heard <- answer:
			case <-f.closed:
			}
		})
	}
	return nil
}

func (f *frames) Receive(buffer []byte) (int, error) {
	select {
	case b := <-f.heard:
		return copy(buffer, b), nil
	case <-f.closed:
		return 0, net.ErrClosed
	case <-time.After(20 * time.Millisecond):
		return 0, nil
	}
}

func (f *frames) Close() error {
	f.once.Do(func() { close(f.closed) })
	return nil
}

// Packets is a socket whose datagrams the world answers.
func (w *World) Packets(_ wire.Link, port uint16) (wire.Packets, error) {
	return &packets{world: w, port: port, heard: make(chan datagram, 4096), closed: make(chan struct{}), moved: make(chan struct{}, 1)}, nil
}

type datagram struct {
	from netip.AddrPort
	body []byte
}

type packets struct {
	world  *World
	port   uint16
	heard  chan datagram
	closed chan struct{}
	once   sync.Once
	mu     sync.Mutex
	until  time.Time
	moved  chan struct{}
}

func (p *packets) SetReadDeadline(t time.Time) error {
	p.mu.Lock()
	p.until = t
	p.mu.Unlock()
	select {
	case p.moved <- struct{}{}:
	default:
	}
	return nil
}

func (p *packets) ReadFromUDPAddrPort(b []byte) (int, netip.AddrPort, error) {
	for {
		p.mu.Lock()
		var over <-chan time.Time
		if !p.until.IsZero() {
			over = time.After(time.Until(p.until))
		}
		p.mu.Unlock()
		select {
		case d := <-p.heard:
			return copy(b, d.body), d.from, nil
		case <-over:
			return 0, netip.AddrPort{}, os.ErrDeadlineExceeded
		case <-p.closed:
			return 0, netip.AddrPort{}, net.ErrClosed
		case <-p.moved:
		}
	}
}

func (p *packets) WriteToUDPAddrPort(b []byte, to netip.AddrPort) (int, error) {
	body := slices.Clone(b)
	for _, a := range p.world.answers(body, to) {
		p.world.later(func() {
			select {
			case p.heard <- a:
			case <-p.closed:
			}
		})
	}
	return len(b), nil
}

func (p *packets) Close() error {
	p.once.Do(func() { close(p.closed) })
	return nil
}

// Dial connects to a port of a device.
func (w *World) Dial(ctx context.Context, _ wire.Link, to netip.AddrPort) (net.Conn, error) {
	hosts := w.at(to.Addr())
	if c, ok := w.Laptop.knock(to); ok {
		return c, nil
	}
	if len(hosts) == 0 {
		<-ctx.Done()
		return nil, ctx.Err()
	}
	select {
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-time.After(time.Duration(1+rand.IntN(w.Delay)) * time.Millisecond):
	}
	h := hosts[0]
	i := slices.IndexFunc(h.Ports, func(p Port) bool { return p.Number == to.Port() })
	if i < 0 {
		if h.Maps != nil && h.Maps.Outside.IsValid() && to.Port() == portDescription {
			return serve(func(c net.Conn) { h.gateway(c) }), nil
		}
		if h.UPnP != nil && to.Port() == portDescription {
			return serve(func(c net.Conn) { describe(c, *h.UPnP) }), nil
		}
		return nil, wire.ErrRefused
	}
	return serve(func(c net.Conn) { speak(c, h, h.Ports[i]) }), nil
}

func serve(speak func(net.Conn)) net.Conn {
	ours, theirs := net.Pipe()
	go func() {
		defer theirs.Close()
		theirs.SetDeadline(time.Now().Add(5 * time.Second))
		speak(theirs)
	}()
	return ours
}
