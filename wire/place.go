package wire

import (
	"context"
	"errors"
	"net"
	"net/netip"
	"slices"
	"sync"
	"time"

	"vestpin/core/site"
)

// Place is where this computer is, as seen from a site.
type Place struct {
	On    map[string]Link // the links to networks of the site, by network
	Links []Link          // all that are up
	// Strange is a link that has the addresses of a network of the site, but another gateway
	// than answered there before: another place, or the router was replaced.
	Strange Link
	// Unclear are networks of the site that have the addresses of a link alike, behind routers
	// of their own: nothing tells on which of them this computer is.
	Unclear []string
}

// Inside reports whether this computer is on a network of the site.
func (p Place) Inside() bool { return len(p.On) > 0 }

// PlaceOf tells where this computer is. A network of the site has its subnet and its gateway,
// and as its gateway the MAC address that answered there last, where that is known of both.
func PlaceOf(n Network, s site.Site) (Place, error) {
	links, err := n.Links()
	if err != nil {
		return Place{}, err
	}
	p := Place{On: map[string]Link{}, Links: links}
	last, _ := s.Proof()
	for _, w := range s.Networks {
		for _, l := range links {
			if !AttachedTo(l, w) {
				continue
			}
			gateway := w.Gateway
			if !gateway.IsValid() {
				gateway = l.Gateway
			}
			was := last.Router.Gateway(w.ID)
			if now := macOf(n, l, gateway); was != "" && now != "" && was != now {
				p.Strange = l
				continue
			}
			p.On[w.ID] = l
			break
		}
	}
	p.tellApart(n, s)
	return p, nil
}

// tellApart leaves of networks with the same addresses on one link the one whose gateway
// answered there before, or whose devices are neighbours; none where that is not known.
func (p *Place) tellApart(n Network, s site.Site) {
	last, _ := s.Proof()
	for i, w := range s.Networks {
		l, here := p.On[w.ID]
		if !here {
			continue
		}
		alike := []site.Network{w}
		for _, o := range s.Networks[i+1:] {
			if there, ok := p.On[o.ID]; ok && there.Own == l.Own && o.Subnet.Overlaps(w.Subnet) {
				alike = append(alike, o)
			}
		}
		if len(alike) < 2 {
			continue
		}
		best, most, tied := "", 0, false
		for _, o := range alike {
			known := neighboursOf(n, l, s, o.ID)
			if was := last.Router.Gateway(o.ID); was != "" && was == macOf(n, l, o.Gateway) {
				known += site.MostDevices
			}
			switch {
			case known > most:
				best, most, tied = o.ID, known, false
			case known == most:
				tied = true
			}
		}
		for _, o := range alike {
			if o.ID == best && !tied {
				continue
			}
			delete(p.On, o.ID)
			if tied || best == "" {
				p.Unclear = append(p.Unclear, o.ID)
			}
		}
	}
}

// neighboursOf counts the devices of a network that are neighbours on a link.
func neighboursOf(n Network, l Link, s site.Site, network string) int {
	all, err := n.Neighbours(l)
	if err != nil {
		return 0
	}
	count := 0
	for _, d := range s.Devices {
		for _, i := range d.Interfaces {
			if i.Network == network && i.MAC != "" && slices.ContainsFunc(all, func(o Neighbour) bool { return o.MAC == i.MAC }) {
				count++
			}
		}
	}
	return count
}

// macOf is the MAC address of a neighbour, as far as the system knows it.
func macOf(n Network, l Link, a netip.Addr) site.MAC {
	if !a.IsValid() {
		return ""
	}
	all, err := n.Neighbours(l)
	i := slices.IndexFunc(all, func(o Neighbour) bool { return o.Address == a })
	if err != nil || i < 0 {
		return ""
	}
	return all[i].MAC
}

// AttachedTo reports whether a link is of a network of the site, and not of another that has
// the same addresses: the gateway is the same where both are known.
func AttachedTo(l Link, n site.Network) bool {
	return sameSubnet(l, n) && (!l.Gateway.IsValid() || !n.Gateway.IsValid() || l.Gateway == n.Gateway)
}

func sameSubnet(l Link, n site.Network) bool {
	return l.Subnet().Bits() <= n.Subnet.Bits() && l.Subnet().Contains(n.Subnet.Addr()) || n.Subnet.Contains(l.Own.Addr())
}

// ErrLeft says that this computer left the network in the middle.
var ErrLeft = errors.New("this computer left the network in the middle")

// ErrSlept says that this computer slept in the middle, or that its clock was set: what was not
// answered around then tells nothing.
var ErrSlept = errors.New("this computer slept in the middle, or its clock was set")

// longestGap is how long nothing is done by a computer that is awake.
const longestGap = 3 * time.Second

// waking tells of sleeps by how long it was not asked.
type waking struct{ asked time.Time }

// slept reports whether the computer slept since it was asked last: by its clock, which goes on in a
// sleep, or by the time that this program runs, which goes on while it is halted alone.
func (w *waking) slept(now time.Time) bool {
	before := w.asked
	w.asked = now
	ran, went := now.Sub(before), now.Round(0).Sub(before.Round(0))
	return ran > longestGap || went > longestGap || went < -longestGap
}

// lookAround is how often it is looked whether this computer is still where it was.
const lookAround = 200 * time.Millisecond

// stay is a look at whether this computer is still where it was.
type stay struct {
	context.Context
	net   Network
	links []Link
	leave context.CancelCauseFunc
	mu    sync.Mutex
	awake waking
	left  time.Time // when it was seen to have left, or woke
}

// staying ends a context with ErrLeft as soon as one of the links is no more as it was, and with
// ErrSlept after a sleep: what would be silent from then on tells nothing.
func staying(ctx context.Context, n Network, links []Link) *stay {
	s := &stay{net: n, links: links, awake: waking{time.Now()}}
	s.Context, s.leave = context.WithCancelCause(ctx)
	go func() {
		for pause(s, lookAround) == nil {
			s.look()
		}
	}()
	return s
}

func (s *stay) look() {
	s.mu.Lock()
	slept := s.awake.slept(time.Now())
	s.mu.Unlock()
	if slept {
		s.interrupt(ErrSlept)
	}
	now, err := s.net.Links()
	for _, l := range s.links {
		if err != nil || slices.ContainsFunc(now, func(o Link) bool { return o.Name == l.Name && o.Own == l.Own && o.Gateway == l.Gateway }) {
			continue
		}
		s.interrupt(ErrLeft)
	}
}

// interrupt ends the context, and notes when.
func (s *stay) interrupt(why error) {
	s.mu.Lock()
	if s.left.IsZero() {
		s.left = time.Now()
	}
	s.mu.Unlock()
	s.leave(why)
}

// end takes a last look, and tells why the context ended; nil where it went on. The time is
// that at which this computer was seen to have left, or to be awake again.
func (s *stay) end() (left time.Time, why error) {
	s.look()
	defer s.leave(context.Canceled)
	s.mu.Lock()
	defer s.mu.Unlock()
	if why := context.Cause(s); why == ErrLeft || why == ErrSlept {
		return s.left, why
	}
	return s.left, s.Err()
}

// WayOut is this computer's address on the way to another, by the system's routes; nothing is
// sent.
func (Here) WayOut(to netip.AddrPort) (netip.Addr, error) {
	c, err := net.Dial("udp4", to.String())
	if err != nil {
		return netip.Addr{}, err
	}
	defer c.Close()
	return c.LocalAddr().(*net.UDPAddr).AddrPort().Addr().Unmap(), nil
}
