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

// watchOutside looks again and again at which address each site is that this computer is
// attached to, and what its name stands for, and keeps what has changed.
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
				c, err := s.try(ctx, id, "hotspot", wire.Trial{})
				if inside[id] = err != nil && !s.goesOn(id, "hotspot"); err == nil {
					c.mu.Lock()
					c.state.Followed = true
					c.mu.Unlock()
					s.tellCheck(id, c)
				}
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

// lookOutside keeps the outside address of a site, and what its name stands for, where they are
// others than were known.
func (s *server) lookOutside(ctx context.Context, id string) {
	st, err := s.store.Get(ctx, id)
	if err != nil || !s.sideOf(id, st.Site).Inside {
		return
	}
	t := wire.Trial{Site: site.NewView(st.Site)}
	r, ok := reach.Outermost(t.Site)
	if !ok {
		return
	}
	if text, err := s.store.FarEnd(ctx); err == nil {
		if far, err := s.far(ctx, id, text); err == nil {
			t.Far = far
		}
	}
	router, name, err := wire.LookOutside(ctx, s.networkOf(id), t)
	if err != nil {
		return
	}
	last, tried := st.Site.Proof()
	now, told := router.Outside()
	before, known := last.Router.Outside()
	moved := told && now.Address != before.Address && (known || now.Address != r.WAN.Address)
	renamed := tried && name.Name == last.Name.Name && len(name.Points) > 0 && !slices.Equal(name.Points, last.Name.Points)
	if !moved && !renamed {
		return
	}
	p := site.Proof{At: time.Now().UTC().Format(time.RFC3339), From: wire.Outside, Name: name}
	if moved {
		p.Router.Told = []site.ToldOutside{now}
	}
	if err := s.keepProof(id, p); err != nil {
		slog.Warn("a new outside address could not be kept", "site", id, "address", now.Address, "error", err)
	}
}
