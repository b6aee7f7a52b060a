package wire

import (
	"context"
	"net/netip"
	"slices"
	"sync"
	"time"

	"vestpin/core/site"
	"vestpin/frame"
)

// asked is what the devices of the plan ask for by ARP, to all, while a check goes on (RFC 826).
// A device that answers somebody elsewhere asks for its gateway; where nobody has that address,
// the device is set to a gateway that is not there.
type asked struct {
	mu    sync.Mutex
	first map[forWhom]time.Time
	since time.Time // when something began to come from elsewhere
	done  sync.WaitGroup
	stop  context.CancelFunc
}

// forWhom is an interface that asks for an address.
type forWhom struct {
	iface string
	whom  netip.Addr
}

// mostAsking is how many are kept: beyond that somebody looks over the whole network.
const mostAsking = 500

// hearAsking begins to listen on the links of the site.
func (p *trial) hearAsking(ctx context.Context) *asked {
	a := &asked{first: map[forWhom]time.Time{}}
	ctx, a.stop = context.WithCancel(ctx)
	for id, l := range p.links {
		n, _ := p.Site.Network(id)
		f, err := p.net.Frames(l)
		if err != nil {
			continue // it is known by what comes back alone
		}
		planned := map[netip.Addr]*site.Interface{}
		for _, x := range p.Site.Interfaces() {
			if x.Interface.Network == id && x.Interface.Pin != nil {
				planned[x.Interface.Pin.Address] = x.Interface
			}
		}
		a.done.Go(func() {
			defer f.Close()
			buffer := make([]byte, 1500)
			for ctx.Err() == nil {
				n1, err := f.Receive(buffer)
				if err != nil {
					return
				}
				q, ok := frame.ParseARPFrame(buffer[:n1])
				i, ours := planned[q.SenderAddr]
				if !ok || !ours || q.Reply || q.TargetAddr == q.SenderAddr || q.TargetAddr == p.gatewayOf(n) || q.TargetAddr == l.Own.Addr() || i.MAC != "" && i.MAC != q.Sender {
					continue
				}
				a.mu.Lock()
				if who := (forWhom{i.ID, q.TargetAddr}); a.first[who].IsZero() && len(a.first) < mostAsking {
					a.first[who] = time.Now()
				}
				a.mu.Unlock()
			}
		})
	}
	return a
}

// fromElsewhere notes that from now on something comes from elsewhere.
func (a *asked) fromElsewhere() {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.since = time.Now()
}

// inVain ends to listen, and keeps with each service that was tried from elsewhere whom its
// device then began to ask for, where nobody has that address.
func (p *trial) inVain(ctx context.Context, a *asked) {
	a.stop()
	a.done.Wait()
	if a.since.IsZero() || ctx.Err() != nil {
		return
	}
	for id, l := range p.links {
		n, _ := p.Site.Network(id)
		var whom []netip.Addr
		for who, at := range a.first {
			if at.After(a.since) && l.Subnet().Contains(who.whom) && !slices.Contains(whom, who.whom) {
				whom = append(whom, who.whom)
			}
		}
		if len(whom) == 0 {
			continue
		}
		found, err := p.arp(ctx, l, n.Subnet, whom)
		if err != nil || ctx.Err() != nil {
			continue
		}
		p.mu.Lock()
		for who, at := range a.first {
			if !at.After(a.since) || !slices.Contains(whom, who.whom) || len(found[who.whom]) > 0 {
				continue
			}
			for i := range p.out.Services {
				h := &p.out.Services[i]
				if w, ok := p.Site.Service(h.Service); ok && w.Interface.ID == who.iface && h.Outside.Tried() {
					h.AsksFor = who.whom
				}
			}
		}
		p.mu.Unlock()
	}
}
