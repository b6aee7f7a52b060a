package snag

import (
	"fmt"
	"slices"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// How many plans are made to find other ways for a service that cannot be opened, and of how
// many wishes a site is at most for which they are.
const (
	mostWays       = 12
	mostWaysWishes = 200
)

// WaysOut gives what may be given up so that a service is opened that the suggestion leaves
// shut; none where it does not. It ends with the context of the view, with its error.
func WaysOut(s site.View, service string) ([]Mend, error) {
	v := newView(s)
	w, ok := v.Service(service)
	if !ok || w.Service.Open == nil || v.plan().Shut(service) == "" || w.Interface.Pin == nil {
		return []Mend{}, s.Err()
	}
	return append([]Mend{}, waysOut(v, w)...), s.Err()
}

// way is something that may be given up so that a service can be opened.
type way struct {
	does  string
	edits []edit.Edit
}

// waysOut offers what may be given up so that a service is opened that stays shut in the
// best plan: its own outside port, the router that it is reached from, or one of those that
// it cannot be open together with. Nothing else is shut by it.
func waysOut(v View, w site.Wish) []Mend {
	if len(v.Wishes()) > mostWaysWishes {
		return nil
	}
	before := shutIn(v)
	var out []Mend
	for _, c := range waysFor(v, w) {
		if v.left.ways--; v.left.ways < 0 || v.Stopped() {
			break
		}
		given, _, err := edit.Apply(v.Site, c.edits)
		if err != nil {
			continue
		}
		then := View{v.With(given), v.left, newOnce()}
		now, ok := then.Service(w.Service.ID)
		if !ok || slices.ContainsFunc(shutIn(then), func(id string) bool { return !slices.Contains(before, id) || id == w.Service.ID }) {
			continue
		}
		edits := append(slices.Clone(c.edits), then.open(now)...)
		after, _, err := edit.Apply(v.Site, edits)
		if err != nil || !v.roomToReserve(edits) {
			continue
		}
		end := View{v.With(after), v.left, newOnce()}
		if !end.reaches().Met(now) || slices.ContainsFunc(v.Wishes(), func(o site.Wish) bool { return v.reaches().Met(o) && shutBy(end, o) }) {
			continue
		}
		out = append(out, Mend{c.does + opened(now, edits), edits})
	}
	return out
}

// joins are forwards that may become one line of a router that is short of them: neighbours
// outside and inside, to one interface, by one protocol and for the same senders. Joined
// they open what they opened before, and nothing else.
func joins(v View, w site.Wish) []way {
	routers, why := reach.Route(v.View, w)
	if why != "" {
		return nil
	}
	var out []way
	for _, r := range routers {
		if r.Form.Lines == 0 {
			continue
		}
		page := form.Of(r.Form)
		var here []site.Forward
		for _, f := range enabled(v) {
			if f.Router == r.ID && !f.Locked && len(f.Outside.Runs()) == 1 && len(f.InsidePorts().Runs()) == 1 {
				here = append(here, f)
			}
		}
		slices.SortStableFunc(here, func(a, b site.Forward) int { return int(a.Outside.At(0)) - int(b.Outside.At(0)) })
		for i, a := range here {
			for _, b := range here[i+1:] {
				if joined, ok := joinedOf(a, b); ok && frees(page, joined, a, b) {
					does := fmt.Sprintf("Join %s and %s at %s into one line, and open %s", a.Outside, b.Outside, r.Label(), w.Label())
					out = append(out, way{does, []edit.Edit{edit.PutForward{Forward: joined}, edit.RemoveForward{ID: b.ID}}})
				}
			}
		}
	}
	return out
}

// frees reports whether a page can express a forward, and with fewer lines than two others.
func frees(page form.Page, joined, a, b site.Forward) bool {
	n, err := page.Count(joined)
	one, errA := page.Count(a)
	other, errB := page.Count(b)
	return err == nil && errA == nil && errB == nil && n < one+other
}

// joinedOf is one forward in the place of two. It is of no service alone, so no suggestion
// takes it apart again.
func joinedOf(a, b site.Forward) (site.Forward, bool) {
	follows := func(p, q span.Ports) bool { return p.At(p.Len()-1)+1 == q.At(0) }
	if a.To != b.To || a.Protocol != b.Protocol || !slices.Equal(a.From, b.From) || !follows(a.Outside, b.Outside) || !follows(a.InsidePorts(), b.InsidePorts()) {
		return site.Forward{}, false
	}
	whole := func(p, q span.Ports) span.Ports {
		return span.PortList(span.Run{Lo: p.At(0), Hi: q.At(q.Len() - 1)})
	}
	out := a
	out.Outside, out.Inside, out.Service = whole(a.Outside, b.Outside), whole(a.InsidePorts(), b.InsidePorts()), ""
	if b.Name != "" && b.Name != a.Name {
		out.Name = fmt.Sprintf("%s, %s", a.Name, b.Name)
	}
	return out, true
}

// shutIn gives the services that the plan for the whole site leaves shut.
func shutIn(v View) []string {
	var out []string
	for _, u := range v.plan().Unmet {
		if len(u.Services) > 0 && len(u.Interfaces) == 0 {
			out = append(out, u.Services[0])
		}
	}
	return out
}

// shutBy reports whether a service is to be opened still, for whom it is wanted now, and is not.
func shutBy(v View, w site.Wish) bool {
	now, ok := v.Service(w.Service.ID)
	return ok && now.Service.Open != nil && !v.reaches().Met(now)
}

// opened says at which outside port edits open a service.
func opened(w site.Wish, edits []edit.Edit) string {
	for _, e := range slices.Backward(edits) {
		if put, ok := e.(edit.PutForward); ok && put.Forward.Service == w.Service.ID {
			return fmt.Sprintf(" at %s", put.Forward.Outside)
		}
	}
	return ""
}

// dangerous reports whether a service should never face the internet unlimited.
func dangerous(v View, w site.Wish) bool {
	what, known := v.judge().Service(w.Device.Kind, *w.Service)
	return what != "" || !known && slices.ContainsFunc(w.Service.Protocol.Each(), func(p site.Protocol) bool {
		return len(v.judge().Ports(p, w.Service.Ports.Set())) > 0
	})
}

// waysFor are the ways out of a service, the one that costs least first.
func waysFor(v View, w site.Wish) []way {
	var out []way
	open := *w.Service.Open
	if open.Port != site.AnyPort {
		renumbered := open
		renumbered.Port = site.AnyPort
		does := "Let " + w.Label() + " have another outside port, and open it"
		if open.Port == site.SamePort {
			does = "Tell " + w.Device.Label() + " another outside port for " + w.Service.Name + ", and open it"
		}
		out = append(out, way{does, []edit.Edit{edit.SetOpen{ID: w.Service.ID, Open: &renumbered}}})
	}
	from := open.Router
	if from == "" {
		if outer, ok := reach.Outermost(v.View); ok {
			from = outer.ID
		}
	}
	for _, r := range v.Routers {
		if r.ID == from {
			continue
		}
		other := open
		other.Router = r.ID
		moved := w
		service := *w.Service
		service.Open = &other
		moved.Service = &service
		if _, why := reach.Route(v.View, moved); why == "" && r.Upstream == "" {
			out = append(out, way{"Reach " + w.Label() + " from " + r.Label(), []edit.Edit{edit.SetOpen{ID: w.Service.ID, Open: &other}}})
		}
	}
	out = append(out, joins(v, w)...)
	if site.Limits(open.From) && !dangerous(v, w) {
		anyone := open
		anyone.From = []site.Sender{}
		out = append(out, way{"Let anyone reach " + w.Label() + ", and open it", []edit.Edit{edit.SetOpen{ID: w.Service.ID, Open: &anyone}}})
	}
	others := rivals(v, w)
	out = append(out, limited(v, w, others)...)
	for _, o := range others {
		keep := keepIn(v, o)
		out = append(out, way{keep.Does + ", and open " + w.Label(), keep.Edits})
	}
	return out
}

// rivals are the services that one that stays shut cannot be open together with.
func rivals(v View, w site.Wish) []site.Wish {
	var out []site.Wish
	for _, u := range v.plan().Unmet {
		if len(u.Services) < 2 || u.Services[0] != w.Service.ID || len(u.Interfaces) > 0 {
			continue
		}
		for _, id := range u.Services[1:] {
			if o, ok := v.Service(id); ok && o.Service.Open != nil {
				out = append(out, o)
			}
		}
	}
	return out
}
