package server

import (
	"context"
	"log/slog"
	"net/netip"
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
