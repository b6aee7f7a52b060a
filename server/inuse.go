package server

import (
	"context"
	"fmt"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/core/usage"
	"vestpin/read"
	"vestpin/wire"
)

// inUse tells whether a service is in use now: by our own try, by what the router tells when it
// is asked, and by its list of connections where one is pasted. Nothing of it is kept.
func (s *server) inUse(ctx context.Context, in *struct {
	SiteID
	Body struct {
		Service string `json:"service"`
		List    string `json:"list,omitempty" doc:"What the router shows of its connections"`
	}
}) (*struct{ Body usage.Use }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	v := site.NewView(st.Site)
	w, ok := v.Service(in.Body.Service)
	if !ok {
		return nil, huma.Error404NotFound(fmt.Sprintf("There is no service %s; it may have been removed.", span.Quote(in.Body.Service)))
	}
	var seen usage.Seen
	if in.Body.List != "" {
		leave, err := s.heavy(ctx)
		if err != nil {
			return nil, refusal(err)
		}
		r, err := read.Text("list", "connections", []byte(in.Body.List))
		leave()
		if err != nil || !r.Listed {
			return nil, huma.Error422UnprocessableEntity("No connection is read from that. Want lines such as conntrack -L or /proc/net/nf_conntrack print on a Linux router.", &huma.ErrorDetail{Location: "list", Message: firstUnread(r)})
		}
		seen.Listed, seen.List = true, r.Connections
	}
	known, err := s.catalogueOf(ctx)
	if err != nil {
		return nil, err
	}
	seen.Tried, seen.Mapped, seen.Asked, err = wire.AskOne(ctx, s.networkOf(in.ID), wire.Trial{Site: v, Known: known}, w.Service.ID)
	if err != nil {
		return nil, refusal(err)
	}
	return &struct{ Body usage.Use }{usage.Of(v, w, seen)}, nil
}

func firstUnread(r read.Result) string {
	if len(r.Unread) == 0 {
		return "There is no line in it."
	}
	return fmt.Sprintf("Line %d is %s.", r.Unread[0].Line, span.Quote(r.Unread[0].Text))
}
