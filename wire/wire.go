// Package wire knows the live network: who is there, what they call themselves,
// what answers on them, and which servers hand out addresses. It only ever sends
// to the site's own subnets on links that this machine is attached to directly.
// The network itself is an interface, so that a made-up one (sim) answers the
// same questions with the same protocols.
package wire

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"vestpin/core/sighting"
	"vestpin/core/site"
)

// Link is one attachment of this machine to a network.
type Link struct {
	Name    string       `json:"name"`
	MAC     site.MAC     `json:"mac"`
	Own     netip.Prefix `json:"own"` // this machine's address, with the width of its subnet
	Gateway netip.Addr   `json:"gateway,omitzero"`
	DNS     []netip.Addr `json:"dns"`
	Kind    string       `json:"kind,omitempty" enum:"wired,wireless,virtual"` // empty where that is not known
	DHCP    netip.Addr   `json:"dhcp,omitzero"`                                // who leased the address, where the system tells
	Lease   int          `json:"lease,omitempty"`                              // for how long, in seconds
}

// Subnet is the network that the link is attached to.
func (l Link) Subnet() netip.Prefix { return l.Own.Masked() }

// Neighbour is an entry of the system's own table of who has which address.
type Neighbour struct {
	MAC     site.MAC
	Address netip.Addr
}

// Frames sends and receives Ethernet frames of ARP on a link. Receive waits a
// short while at most, and then gives nothing and no error.
type Frames interface {
	Send(frame []byte) error
	Receive(buffer []byte) (n int, err error)
	Close() error
}

// Packets is a UDP socket; *net.UDPConn is one.
type Packets interface {
	ReadFromUDPAddrPort(b []byte) (n int, from netip.AddrPort, err error)
	WriteToUDPAddrPort(b []byte, to netip.AddrPort) (int, error)
	SetReadDeadline(t time.Time) error
	Close() error
}

// Network is what is asked of the network that a survey goes over.
type Network interface {
	// Links are the attachments that are up and have an IPv4 address.
	Links() ([]Link, error)
	// Frames opens a link for ARP; ErrNotPermitted where the system does not
	// let this program.
	Frames(Link) (Frames, error)
	// Neighbours is the system's own table; ErrNotKnown where there is no way
	// to read it.
	Neighbours(Link) ([]Neighbour, error)
	// Packets opens a UDP socket at a port of the link, 0 for any. It can send
	// to groups and to all.
	Packets(l Link, port uint16) (Packets, error)
	// Ask opens UDP to one port of a neighbour on the link; that it refuses is an error of Read.
	Ask(ctx context.Context, l Link, to netip.AddrPort) (net.Conn, error)
	// Dial connects by TCP to a neighbour on the link.
	Dial(ctx context.Context, l Link, to netip.AddrPort) (net.Conn, error)
}

// ErrNotPermitted says that the system does not let this program send frames.
var ErrNotPermitted = errors.New("raw frames are not permitted here")

// ErrNotKnown says that the system's table of neighbours cannot be read.
var ErrNotKnown = errors.New("the table of neighbours cannot be read on this system")

// RefusedError says why nothing was sent.
type RefusedError struct {
	Subnet netip.Prefix
	Why    string
}

func (e *RefusedError) Error() string { return fmt.Sprintf("%s is not swept: %s", e.Subnet, e.Why) }

// Plan is what a survey should do. Zero values are the usual.
type Plan struct {
	Subnet    netip.Prefix // must lie in one of the site's, on a link of this machine
	Rate      int          // most packets a second of the sweep, 700 if 0
	Large     bool         // a subnet of more than 4,096 addresses is meant
	SweepOnly bool         // who is there, and nothing else
	Community string       // for SNMP; none is asked without one
	Source    string       // names the survey in each sighting, "sweep" if empty
}

// Event is one thing that a survey tells while it goes on: a sighting, what DHCP
// servers say, something worth knowing, or how far it is.
type Event struct {
	Sighting *sighting.Sighting `json:"sighting,omitempty"`
	Server   *Server            `json:"server,omitempty"`
	Note     string             `json:"note,omitempty"`
	Progress *Progress          `json:"progress,omitempty"`
}

// Progress is how far a survey is. Left is an estimate, in milliseconds.
type Progress struct {
	Doing string `json:"doing"`
	Done  int    `json:"done"`
	Of    int    `json:"of"`
	Found int    `json:"found"`
	Left  int    `json:"left"`
}

// widest is the widest subnet that is swept without being asked for.
const widest = 20

// Find gives the link on which a subnet can be surveyed. The error is a
// *RefusedError: the subnet is none of the site's, or of no link, or too large.
func Find(n Network, p Plan, own []netip.Prefix) (Link, error) {
	refuse := func(format string, args ...any) (Link, error) {
		return Link{}, &RefusedError{p.Subnet, fmt.Sprintf(format, args...)}
	}
	inside := func(outer netip.Prefix) bool {
		return outer.Bits() <= p.Subnet.Bits() && outer.Contains(p.Subnet.Addr())
	}
	switch {
	case !p.Subnet.IsValid() || !p.Subnet.Addr().Is4():
		return refuse("want an IPv4 subnet such as 10.48.16.0/24")
	case p.Subnet.Bits() > 30:
		return refuse("it holds no devices")
	case !slices.ContainsFunc(own, inside):
		return refuse("it is none of this site's subnets")
	case p.Subnet.Bits() < widest && !p.Large:
		return refuse("it has %d addresses; that many are only swept when asked for", 1<<(32-p.Subnet.Bits()))
	case p.Subnet.Bits() < 8:
		return refuse("it is larger than any site")
	}
	links, err := n.Links()
	if err != nil {
		return Link{}, err
	}
	var have []string
	for _, l := range links {
		if inside(l.Subnet()) {
			return l, nil
		}
		have = append(have, l.Subnet().String())
	}
	if len(have) == 0 {
		return refuse("this computer is attached to no network")
	}
	return refuse("this computer is not attached to it, only to %s", strings.Join(have, ", "))
}

// neighbour gives the link on which an address of the site is reached directly.
// The error is a *RefusedError.
func neighbour(n Network, a netip.Addr, own []netip.Prefix) (Link, error) {
	for _, p := range own {
		if p.Contains(a) {
			return Find(n, Plan{Subnet: p.Masked(), Large: true}, own)
		}
	}
	return Link{}, &RefusedError{netip.PrefixFrom(a, a.BitLen()), "it is in none of this site's subnets"}
}

// Reachable says why an address cannot be asked, nil if it can.
func Reachable(n Network, a netip.Addr, own []netip.Prefix) error {
	_, err := neighbour(n, a, own)
	return err
}

// survey is one going on.
type survey struct {
	net    Network
	link   Link
	plan   Plan
	report func(Event)
	found  map[netip.Addr]site.MAC
	macs   map[site.MAC]int                 // how many addresses each MAC answers for
	claims map[netip.Addr]map[site.MAC]bool // further MAC addresses of an address
	only   []netip.Addr                     // the addresses that are asked; all of the subnet where there are none
}

// Survey asks who is in the subnet of the plan and what they are, and reports
// all as it comes, from one goroutine at a time. Own are the site's subnets.
// When the context ends it stops at once; what was reported stands. The error is
// a *RefusedError, the context's, or of the system.
func Survey(ctx context.Context, n Network, p Plan, own []netip.Prefix, report func(Event)) error {
	l, err := Find(n, p, own)
	if err != nil {
		return err
	}
	if p.Rate <= 0 {
		p.Rate = 700
	}
	if p.Source == "" {
		p.Source = "sweep"
	}
	s := &survey{net: n, link: l, plan: p, report: oneByOne(report), found: map[netip.Addr]site.MAC{}, macs: map[site.MAC]int{}}
	var servers sync.WaitGroup
	if !p.SweepOnly {
		servers.Go(func() { s.discover(ctx) })
	}
	defer servers.Wait()
	if err := s.sweep(ctx); err != nil || p.SweepOnly {
		return err
	}
	if err := s.names(ctx); err != nil {
		return err
	}
	return s.services(ctx)
}

// oneByOne makes a report that may be called by several at once.
func oneByOne(report func(Event)) func(Event) {
	turn := make(chan struct{}, 1)
	return func(e Event) {
		turn <- struct{}{}
		report(e)
		<-turn
	}
}

// sight reports what was learnt of an address. Its MAC address is put in where
// the sweep found it.
func (s *survey) sight(sg sighting.Sighting) {
	sg.Source, sg.At = s.plan.Source, time.Now().UTC().Format(time.RFC3339)
	if sg.MAC == "" {
		sg.MAC = s.found[sg.Address]
	}
	s.report(Event{Sighting: &sg})
}

func (s *survey) note(format string, args ...any) {
	s.report(Event{Note: fmt.Sprintf(format, args...)})
}

func (s *survey) progress(doing string, done, of int, left time.Duration) {
	s.report(Event{Progress: &Progress{doing, done, of, len(s.found), int(left.Milliseconds())}})
}

// pause waits, unless the context ends first.
func pause(ctx context.Context, d time.Duration) error {
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-ctx.Done():
		return ctx.Err()
	case <-t.C:
		return nil
	}
}
