package wire

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"time"

	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/frame"
)

// Taker takes an address on a link for this computer, beside its own, and gives it back. It is taken for so
// long and no longer, whatever becomes of this program; anew lengthens the time of one that it took.
type Taker interface {
	Take(l Link, a netip.Addr, lasts time.Duration, anew bool) error
	Give(link string, a netip.Addr) error
}

// An address is taken for so long, and taken anew so often while it is wanted.
const (
	takenFor = 8 * time.Second
	takeAnew = 2 * time.Second
)

// holding takes an address anew until it is stopped.
func holding(t Taker, l Link, a netip.Addr) (stop func()) {
	ended, done := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(done)
		for {
			select {
			case <-ended:
				return
			case <-time.After(takeAnew):
				if t.Take(l, a, takenFor, true) != nil {
					return // it goes by itself
				}
			}
		}
	}()
	return func() { close(ended); <-done }
}

// StandIn takes the planned address of a service's device for a moment, answers on its port,
// and has the far end try the outside port: what is reached then is the router's half of the
// way. The address is only taken where nobody has it. Keep is told before it is taken, so
// that it can be given back after a crash, and again with false when it is given back. True
// is that the far end reached this computer. Errors are a *RefusedError that says why it was
// not tried, or of the system.
func StandIn(ctx context.Context, n Network, t Trial, service string, keep func(link string, a netip.Addr, taken bool) error) (bool, error) {
	refuse := func(format string, args ...any) (bool, error) {
		return false, &RefusedError{Why: fmt.Sprintf(format, args...)}
	}
	w, ok := t.Site.Service(service)
	taker, can := n.(Taker)
	switch {
	case !ok:
		return refuse("there is no such service")
	case !can:
		return refuse("this computer cannot take another address here")
	case t.Far == nil:
		return refuse("nobody is at the far end to try it")
	case w.Interface.Pin == nil:
		return refuse("%s is loose: it has no planned address", w.Device.Label())
	}
	entries := reach.Of(t.Site).Entries(w)
	i := slices.IndexFunc(entries, func(e reach.Mapping) bool { return e.Protocol == site.TCP })
	if i < 0 {
		return refuse("no forward by TCP leads to it")
	}
	var own []netip.Prefix
	for _, x := range t.Site.Networks {
		own = append(own, x.Subnet)
	}
	address := w.Interface.Pin.Address
	l, err := neighbour(n, address, own)
	if err != nil {
		return false, err
	}
	free, err := Free(ctx, n, address, own)
	if err != nil {
		return false, err
	}
	if !free.Free {
		return refuse("%s is not free: somebody answers there", address)
	}
	if err := keep(l.Name, address, true); err != nil {
		return false, err
	}
	if err := taker.Take(l, address, takenFor, false); err != nil {
		return false, errors.Join(err, keep(l.Name, address, false))
	}
	stop := holding(taker, l, address)
	here := staying(ctx, n, []Link{l}) // the next network may have that address
	reached, err := standing(here, n, t.Far, l, netip.AddrPortFrom(address, uint16(entries[i].Inside)), uint16(entries[i].Outside.Lo))
	if _, why := here.end(); why != nil && ctx.Err() == nil {
		reached, err = false, why
	}
	stop()
	if gave := taker.Give(l.Name, address); gave != nil {
		return reached, errors.Join(err, gave) // it is kept that it is to be given back
	}
	return reached, errors.Join(err, keep(l.Name, address, false))
}

// standing answers at an address and port that this computer has, while the far end tries an
// outside port, and reports whether it was this computer that it heard.
func standing(ctx context.Context, n Network, far FarEnd, l Link, at netip.AddrPort, outside uint16) (bool, error) {
	name := "vestpin stands in " + rand.Text()
	listen := func(at netip.AddrPort) (net.Listener, error) { return net.Listen("tcp4", at.String()) }
	if made, ok := n.(interface {
		Listen(netip.AddrPort) (net.Listener, error)
	}); ok { // a made-up network has doors of its own
		listen = made.Listen
	}
	listener, err := listen(at)
	if err != nil {
		return false, err
	}
	s := &http.Server{ReadHeaderTimeout: 3 * time.Second, Handler: http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprintf(w, "<!DOCTYPE html><title>%s</title>", name)
	})}
	go s.Serve(listener)
	defer s.Close()
	announce(n, l, at.Addr())
	reached := false
	err = far.Try(ctx, []Question{{site.TCP, outside, "http"}}, func(_ int, h site.Heard) { reached = strings.Contains(h.Key, name) })
	return reached, err
}

// announce tells the network who has an address now (RFC 5227 section 2.3), so that nobody
// goes by what was before.
func announce(n Network, l Link, a netip.Addr) {
	f, err := n.Frames(l)
	if err != nil {
		return // the others ask by themselves in a while
	}
	defer f.Close()
	for range 2 {
		f.Send(frame.ARP{Sender: l.MAC, SenderAddr: a, TargetAddr: a}.Frame())
		time.Sleep(60 * time.Millisecond)
	}
}
