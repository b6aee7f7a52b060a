package server

import (
	"context"
	"errors"
	"log/slog"
	"net/netip"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/site"
	"vestpin/store"
	"vestpin/wire"
)

// standIn lets this computer stand in for the device of a service for a moment, and keeps
// what came of it.
func (s *server) standIn(ctx context.Context, in *struct {
	SiteID
	Body struct {
		Service string `json:"service"`
	}
}) (*struct{ Body CheckState }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	text, err := s.store.FarEnd(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	far, err := s.far(ctx, in.ID, text)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity("Nobody is at the far end to try it: " + err.Error() + ".")
	}
	// What was taken is given back, whoever has gone meanwhile.
	ctx, stop := context.WithTimeout(context.WithoutCancel(ctx), time.Minute)
	defer stop()
	reached, err := wire.StandIn(ctx, s.networkOf(in.ID), wire.Trial{Site: site.NewView(st.Site), Far: far}, in.Body.Service, func(link string, a netip.Addr, taken bool) error {
		return s.store.SetTaken(ctx, store.TakenAddress{Link: link, Address: a.String()}, taken)
	})
	var refused *wire.RefusedError
	switch {
	case errors.As(err, &refused):
		return nil, huma.Error422UnprocessableEntity("It was not tried: " + refused.Why + ".")
	case errors.Is(err, wire.ErrNotPermitted):
		return nil, huma.Error422UnprocessableEntity("It was not tried: the system does not let this program take an address; start it as administrator.")
	case err != nil:
		return nil, huma.Error422UnprocessableEntity("It was broken off: " + err.Error() + ".")
	}
	out, says := site.StoodLost, "This computer was not reached in its place: the router's half of the way is at fault."
	if reached {
		out, says = site.StoodReached, "This computer was reached in its place: the router's half of the way is right."
	}
	untried := site.Heard{Result: site.Untried}
	p := site.Proof{At: time.Now().UTC().Format(time.RFC3339), From: wire.Outside, Services: []site.ProofHeard{{Service: in.Body.Service, Inside: untried, Outside: untried, StoodIn: site.StoodIn(out)}}}
	if err := s.keepProof(in.ID, p); err != nil {
		return nil, refusal(err)
	}
	return &struct{ Body CheckState }{CheckState{Says: says}}, nil
}

// giveBack gives back what was taken before the program ended in the middle of it.
func (s *server) giveBack() {
	taken, err := s.store.Taken(context.Background())
	if err != nil {
		return
	}
	taker, can := s.networkOf("").(wire.Taker)
	if !can {
		return // who cannot give them back does not forget them
	}
	for _, t := range taken {
		a, err := netip.ParseAddr(t.Address)
		if err == nil {
			err = taker.Give(t.Link, a)
		}
		if err != nil {
			slog.Error("an address that was taken could not be given back", "link", t.Link, "address", t.Address, "error", err)
			continue
		}
		s.store.SetTaken(context.Background(), t, false)
	}
}
