package server

import (
	"context"
	"fmt"
	"net/netip"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/wire"
)

// Asked is what a router told when it was asked, and the edits that keep it as evidence;
// none where it told nothing.
type Asked struct {
	Version int       `json:"version"`
	Told    wire.Told `json:"told"`
	Edits   edit.List `json:"edits"`
	Says    string    `json:"says"`
}

// askRouter asks a router of the site what it tells of itself, and changes nothing.
func (s *server) askRouter(ctx context.Context, in *struct {
	SiteID
	Router string `query:"router" required:"true"`
}) (*struct{ Body Asked }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	v := site.NewView(st.Site)
	r, ok := v.Router(in.Router)
	if !ok {
		return nil, huma.Error404NotFound("There is no such router; it may have been removed.")
	}
	n, _ := v.Network(r.Network)
	if !n.Gateway.IsValid() {
		return nil, huma.Error422UnprocessableEntity("Where the router is asked is not known: enter the gateway of its network first.")
	}
	told, err := wire.AskRouter(ctx, s.networkOf(in.ID), n.Gateway, []netip.Prefix{n.Subnet})
	if err != nil {
		return nil, refusal(err)
	}
	out := Asked{Version: st.Version, Told: told, Edits: []edit.Edit{}, Says: saysTold(r, told)}
	if len(told.Speaks) > 0 {
		r.Mapped = &site.Mapped{At: told.At, By: told.Speaks, Outside: told.Outside, Forwards: told.Mappings, More: told.More}
		out.Edits = append(out.Edits, edit.PutRouter{Router: r})
	}
	return &struct{ Body Asked }{out}, nil
}

func saysTold(r site.Router, told wire.Told) string {
	if len(told.Speaks) == 0 {
		return r.Label() + " does not answer by UPnP, NAT-PMP or PCP: it may be off there, which is well."
	}
	outside := "no outside address"
	if told.Outside.IsValid() {
		outside = told.Outside.String() + " as its outside address"
	}
	ports := fmt.Sprintf("%d ports that devices opened", len(told.Mappings))
	switch {
	case len(told.Mappings) == 1:
		ports = "1 port that a device opened"
	case len(told.Mappings) == 0:
		ports = "no port that a device opened"
	}
	return fmt.Sprintf("%s tells %s and %s.", r.Label(), outside, ports)
}
