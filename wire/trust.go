package wire

import (
	"math/rand/v2"
	"net/netip"
	"sync"

	"vestpin/core/reach"
)

// What comes from the network is believed of whom it may come from alone: an answer of the one
// who was asked, from the port that was asked, with the number that was sent, once.

// numbers are those that questions carry, each for one address and one that nobody guesses.
type numbers struct {
	mu    sync.Mutex
	of    map[netip.Addr]uint16
	whose map[uint16]netip.Addr
	heard map[answered]bool
}

type answered struct {
	by     netip.Addr
	number uint16
}

func newNumbers(hosts []netip.Addr) *numbers {
	n := &numbers{of: map[netip.Addr]uint16{}, whose: map[uint16]netip.Addr{}, heard: map[answered]bool{}}
	for _, a := range hosts {
		number := uint16(rand.Uint32())
		for tries := 0; n.whose[number].IsValid() && tries < 1<<16; tries++ {
			number++
		}
		n.of[a], n.whose[number] = number, a
	}
	return n
}

// about gives whom a question was about that has such a number; by is who answers. An answer that comes
// again is none.
func (n *numbers) about(number uint16, by netip.Addr) (netip.Addr, bool) {
	n.mu.Lock()
	defer n.mu.Unlock()
	a, asked := n.whose[number]
	if !asked || n.heard[answered{by, number}] {
		return a, false
	}
	n.heard[answered{by, number}] = true
	return a, true
}

// from passes an answer of the one that was asked itself.
func (n *numbers) from(by netip.AddrPort, port, number uint16) bool {
	if by.Port() != port || n.of[by.Addr()] != number {
		return false
	}
	a, first := n.about(number, by.Addr())
	return first && a == by.Addr()
}

// CanBeDialled passes an address at which a site may be looked for from outside, as somebody told it: one
// that can be outside, that no network here has, and that is not private, since what is there
// is not the site seen from elsewhere.
func CanBeDialled(a netip.Addr, links []Link) bool {
	return reach.CanBeOutside(a) && !a.IsPrivate() && !here(a, links)
}

// here reports whether an address lies in a network that this computer is attached to.
func here(a netip.Addr, links []Link) bool {
	for _, l := range links {
		if l.Subnet().Contains(a) {
			return true
		}
	}
	return false
}
