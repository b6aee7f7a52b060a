package forwarding

import (
	"fmt"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/core/strict"
)

// Thread gives the edits that open a service at exactly these outside ports, as a
// hand that pulls a thread wants it: through all routers of its way, in place of
// the forwards it has, whether or not they clash: before those that would take its ports. The wish follows where it would
// not allow the ports. Its error is a *strict.Refusal or says why there is no way.
func Thread(v site.View, service string, outside span.Ports) ([]edit.Edit, error) {
	w, ok := v.Service(service)
	if !ok {
		return nil, &strict.Refusal{Path: "service", Found: span.Quote(service), Want: "the id of a service of this site"}
	}
	if outside.Len() != w.Service.Ports.Len() {
		return nil, &strict.Refusal{Path: "outside", Found: outside.String(), Want: fmt.Sprintf("as many ports as %s has, %d", w.Service.Ports, w.Service.Ports.Len())}
	}
	var edits []edit.Edit
	wish := w
	if !allowsOutside(w, outside) {
		open := site.Open{Port: site.AnyPort, Prefer: outside}
		if w.Service.Open != nil {
			open.From, open.Router = w.Service.Open.From, w.Service.Open.Router
		}
		edits = append(edits, edit.SetOpen{ID: service, Open: &open})
		changed := *w.Service
		changed.Open = &open
		wish.Service = &changed
	}
	routers, why := reach.Route(v, wish)
	if why != "" {
		return nil, &strict.Refusal{Path: "service", Found: w.Label(), Want: "a way out: " + why}
	}
	to, inside := w.Interface.ID, w.Service.Ports
	for _, r := range routers {
		f := site.Forward{
			Name: w.Label(), Router: r.ID, Enabled: true, Protocol: w.Service.Protocol, Outside: outside, To: to, Inside: inside,
			From: wish.Service.Open.From, Service: service,
		}
		f.ID = idOn(v, service, r.ID, edits)
		edits = append(edits, edit.PutForward{Forward: f, At: before(v, r, f)})
		to, inside = r.WAN.Address.String(), outside
	}
	return edits, nil
}

// before is the place in front of the first forward that would take the ports of one, nil
// where none does.
func before(v site.View, r site.Router, f site.Forward) *int {
	limits := form.Of(r.Form).LimitsSenders()
	for i, o := range v.Forwards {
		switch {
		case o.ID == f.ID:
			return nil
		case o.Enabled && o.Router == r.ID && reach.Clash(limits, o, f):
			return &i
		}
	}
	return nil
}

func allowsOutside(w site.Wish, outside span.Ports) bool {
	if w.Service.Open == nil {
		return false
	}
	exact, named := w.Service.Open.Exact()
	return w.Service.Open.Port == site.AnyPort || (named && exact.Equal(outside)) || (w.Service.Open.Port == site.SamePort && outside.Equal(w.Service.Ports))
}

// idOn is the id of the forward that a service has on a router, or a new one.
func idOn(v site.View, service, router string, edits []edit.Edit) string {
	for _, f := range v.Forwards {
		if f.Service == service && f.Router == router {
			return f.ID
		}
	}
	return site.FreeID("to-"+service, func(id string) bool {
		for _, f := range v.Forwards {
			if f.ID == id {
				return true
			}
		}
		for _, e := range edits {
			if put, ok := e.(edit.PutForward); ok && put.Forward.ID == id {
				return true
			}
		}
		return false
	})
}
