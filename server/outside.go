package server

import (
	"context"
	"log/slog"
	"maps"
	"net/netip"
	"slices"
	"time"

	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/wire"
)

// watchOutside asks the router of each site that this computer is attached to for its outside
// address, again and again, and keeps one that has changed.
func (s *server) watchOutside(every time.Duration) {
	t := time.NewTicker(every)
	defer t.Stop()
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	for {
		select {
		case <-s.closing:
			return
		case <-t.C:
		}
		all, err := s.store.List(ctx)
		if err != nil {
			continue
		}
		for _, one := range all {
			s.lookOutside(ctx, one.ID)
		}
	}
}

// followEvery is how often it is looked whether this computer has left.
const followEvery = time.Second

// longestWork is how long after the last check at a site this computer counts as at work there.
const longestWork = 2 * time.Hour

// follow notices that this computer leaves a site at which it is at work for another network,
// such as the hotspot of a phone or the one at home, and tries everything from there.
func (s *server) follow() {
	t := time.NewTicker(followEvery)
	defer t.Stop()
	ctx, stop := context.WithCancel(context.Background())
	defer stop()
	inside, outside := map[string]bool{}, map[string]netip.Addr{}
	for {
		select {
		case <-s.closing:
			return
		case <-t.C:
		}
		for _, id := range s.sitesAtWork() {
			st, err := s.store.Get(ctx, id)
			if err != nil {
				continue
			}
			side := s.sideOf(id, st.Site)
			settled := outside[id] == side.Address // a link that has just come up may go again
			outside[id] = side.Address
			switch {
			case side.Inside:
				inside[id] = true
			case inside[id] && settled && side.Address.IsValid() && !side.Strange:
				_, err := s.try(ctx, id, "hotspot", wire.Trial{})
				inside[id] = err != nil && !s.goesOn(id, "hotspot")
			}
		}
	}
}

// sitesAtWork are the sites at which this computer is at work.
func (s *server) sitesAtWork() []string {
	s.mu.Lock()
	defer s.mu.Unlock()
	maps.DeleteFunc(s.atWork, func(_ string, since time.Time) bool { return time.Since(since) > longestWork })
	return slices.Collect(maps.Keys(s.atWork))
}

// goesOn reports whether a check of a kind goes on at a site.
func (s *server) goesOn(id, what string) bool {
	s.mu.Lock()
	c := s.checks[id]
	s.mu.Unlock()
	if c == nil {
		return false
	}
	state, _, _ := c.now()
	return state.Running && state.What == what
}

// lookOutside keeps the outside address of a site where it is another than was known.
func (s *server) lookOutside(ctx context.Context, id string) {
	st, err := s.store.Get(ctx, id)
	if err != nil || !s.sideOf(id, st.Site).Inside {
		return
	}
	v := site.NewView(st.Site)
	r, ok := reach.Outermost(v)
	n, known := v.Network(r.Network)
	if !ok || !known || !n.Gateway.IsValid() || r.Upstream != "" {
		return
	}
	told, err := wire.AskRouter(ctx, s.networkOf(id), n.Gateway, []netip.Prefix{n.Subnet})
	if err != nil || !told.Outside.IsValid() {
		return
	}
	last, _ := st.Site.Proof()
	before, tried := last.Router.Outside()
	if told.Outside == before.Address || !tried && told.Outside == r.WAN.Address {
		return
	}
	if err := s.keepProof(id, site.Proof{At: told.At, From: wire.Outside, Router: site.ProofRouter{Told: []site.ToldOutside{{Address: told.Outside, By: site.ToldByRouter}}}}); err != nil {
		slog.Warn("a new outside address could not be kept", "site", id, "address", told.Outside, "error", err)
	}
}
