package server

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/addressing"
	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/snag"
	"vestpin/core/span"
	"vestpin/core/suggest"
)

// What a hand on the page would come to, before anything is changed.

// viewOf gives a site as it is now, to look things up in; its error is ready to be answered.
func (s *server) viewOf(ctx context.Context, id string) (site.View, error) {
	st, err := s.store.Get(ctx, id)
	if err != nil {
		return site.View{}, refusal(err)
	}
	return site.NewView(st.Site), nil
}

// heavyViewOf is viewOf for what takes long: it waits its turn, and leave ends that.
func (s *server) heavyViewOf(ctx context.Context, id string) (v site.View, leave func(), err error) {
	if v, err = s.viewOf(ctx, id); err != nil {
		return v, nil, err
	}
	if leave, err = s.heavy(ctx); err != nil {
		return v, nil, refusal(err)
	}
	return v, leave, nil
}

// pull tells what it comes to when a thread is pulled to an outside port.
func (s *server) pull(ctx context.Context, in *struct {
	SiteID
	Service string `query:"service" required:"true"`
	Outside string `query:"outside" required:"true"`
	Eyelet  bool   `query:"eyelet" doc:"The outside ports are those of an eyelet that the thread was let go at"`
}) (*struct{ Body suggest.Pulled }, error) {
	v, err := s.viewOf(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	outside, err := span.ParsePorts(in.Outside)
	if err != nil {
		return nil, refusal(err)
	}
	pulled, err := suggest.Pull(v, in.Service, outside, in.Eyelet)
	if err != nil {
		return nil, refusal(err)
	}
	return &struct{ Body suggest.Pulled }{pulled}, nil
}

// put tells what it comes to when an interface is pinned at an address.
func (s *server) put(ctx context.Context, in *struct {
	SiteID
	Interface string `query:"interface" required:"true"`
	Address   string `query:"address" required:"true"`
	By        string `query:"by" enum:"reservation,device,both" required:"true"`
}) (*struct{ Body addressing.Drop }, error) {
	v, err := s.viewOf(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	p, ok := v.Interface(in.Interface)
	if !ok {
		return nil, huma.Error404NotFound("There is no such interface; it may have been removed.")
	}
	a, err := ipv4.ParseAddr(in.Address)
	if err != nil {
		return nil, refusal(err)
	}
	return &struct{ Body addressing.Drop }{addressing.Put(v, p, a, site.PinBy(in.By))}, nil
}

// keepIn gives the edits that keep a service inside.
func (s *server) keepIn(ctx context.Context, in *struct {
	SiteID
	Service string `query:"service" required:"true"`
}) (*struct{ Body snag.Mend }, error) {
	v, err := s.viewOf(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	w, ok := v.Service(in.Service)
	if !ok {
		return nil, huma.Error404NotFound("There is no such service; it may have been removed.")
	}
	return &struct{ Body snag.Mend }{snag.KeepIn(v, w)}, nil
}

// waysOut gives what may be given up so that a service is opened that cannot be now.
func (s *server) waysOut(ctx context.Context, in *struct {
	SiteID
	Service string `query:"service" required:"true"`
}) (*struct{ Body []snag.Mend }, error) {
	v, leave, err := s.heavyViewOf(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	defer leave()
	mends, err := snag.WaysOut(v.Within(ctx), in.Service)
	if err != nil {
		return nil, refusal(err)
	}
	return &struct{ Body []snag.Mend }{mends}, nil
}

// mendAll gives the edits that mend all snags of a kind at once.
func (s *server) mendAll(ctx context.Context, in *struct {
	SiteID
	Code string `query:"code" required:"true"`
}) (*struct{ Body snag.Mended }, error) {
	v, leave, err := s.heavyViewOf(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	defer leave()
	return &struct{ Body snag.Mended }{snag.MendAll(v, in.Code)}, nil
}
