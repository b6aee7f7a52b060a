package forwarding

import (
	"slices"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/reach"
	"vestpin/core/site"
)

// TakeHeld gives the edits that take into the plan what a router does otherwise, by one of
// its lines or for lack of one: differences of one planned forward and one held line. What
// leads to a service that is known is of that service, which is then opened; else it is a
// forward made by hand. A planned forward that the router lacks goes, and its service
// stays in.
func TakeHeld(v site.View, router string, group []reach.Discrepancy) []edit.Edit {
	r, ok := v.Router(router)
	if !ok || len(group) == 0 {
		return nil
	}
	d := group[0]
	planned := slices.IndexFunc(v.Forwards, func(f site.Forward) bool { return f.ID == d.Forward })
	if r.Held == nil {
		return nil
	}
	held, found := d.HeldLine(*r.Held)
	if !found {
		if planned < 0 {
			return nil
		}
		return shut(v, v.Forwards[planned])
	}
	from, doubt := reach.HeldSenders(held.From)
	if doubt != "" {
		return nil
	}
	f := site.Forward{Name: held.Name, Router: router, Enabled: true, Protocol: held.Protocol, Outside: held.Outside, To: held.Address.String(), Inside: held.Inside, From: from}
	if one, single := f.Inside.Single(); single && f.Outside.Len() > 1 {
		if f.Inside, ok = reach.Rising(one, f.Outside); !ok {
			return nil
		}
	}
	if planned < 0 {
		planned = meant(v, router, f)
	}
	pinned, seen := v.Behind(r, held.Address)
	switch loose := slices.DeleteFunc(seen, func(p site.Placed) bool { return p.Interface.Pin != nil }); {
	case len(pinned) > 0:
		f.To = pinned[0].Interface.ID
	case len(loose) == 1:
		f.To = loose[0].Interface.ID
	}
	if planned >= 0 {
		old := v.Forwards[planned]
		f.ID, f.Name, f.Locked = old.ID, old.Name, old.Locked
	} else {
		f.ID = site.FreeID("held-"+f.Outside.String(), func(id string) bool {
			return slices.ContainsFunc(v.Forwards, func(o site.Forward) bool { return o.ID == id })
		})
	}
	if !sits(v, r, f) {
		return nil
	}
	var edits []edit.Edit
	w, known := answering(v, f)
	if !known {
		return append(edits, edit.PutForward{Forward: f})
	}
	f.Service = w.Service.ID
	if f.Name == "" {
		f.Name = w.Label()
	}
	if open := w.Service.Open; open == nil || !allowsOutside(w, f.Outside) || !slices.Equal(open.From, from) {
		next := site.Open{Port: site.AnyPort, Prefer: f.Outside, From: from}
		if open != nil {
			next.Router = open.Router
		}
		edits = append(edits, edit.SetOpen{ID: w.Service.ID, Open: &next})
	}
	return append(edits, edit.PutForward{Forward: f})
}

// sits reports whether a forward may stand in the plan of a router: it leads to somebody,
// its page can say it, and it takes nothing from another.
func sits(v site.View, r site.Router, f site.Forward) bool {
	address, placed := v.Target(f)
	_, inner := reach.Inner(v, r.ID, address)
	if _, there := v.NetworkAt(r, address); address.IsValid() && !there || placed == nil && !inner {
		return false
	}
	page := form.Of(r.Form)
	n, err := page.Count(f)
	if _, own := reach.OwnPort(r, f); err != nil || own {
		return false
	}
	for _, o := range v.Forwards {
		if o.Router != r.ID || !o.Enabled || o.ID == f.ID {
			continue
		}
		if reach.Clash(page.LimitsSenders(), o, f) {
			return false
		}
		lines, _ := page.Count(o)
		n += lines
	}
	return r.Form.Lines == 0 || n <= r.Form.Lines
}

// shut takes a forward off, and its service in where nothing else leads to it.
func shut(v site.View, f site.Forward) []edit.Edit {
	edits := []edit.Edit{}
	others := slices.ContainsFunc(v.Forwards, func(o site.Forward) bool {
		return o.ID != f.ID && f.Service != "" && o.Service == f.Service && o.Enabled && o.Router == f.Router
	})
	if w, ok := v.Service(f.Service); ok && !others && w.Service.Open != nil {
		edits = append(edits, edit.SetOpen{ID: f.Service})
	}
	return append(edits, edit.RemoveForward{ID: f.ID})
}

// meant finds the planned forward that a held line was meant to be: one that leads to the
// same end, and that no line of the router is.
func meant(v site.View, router string, held site.Forward) int {
	r, _ := v.Router(router)
	return slices.IndexFunc(v.Forwards, func(o site.Forward) bool {
		address, _ := v.Target(o)
		if o.Router != router || !o.Enabled || address.String() != held.To || !o.InsidePorts().Equal(held.InsidePorts()) || !o.Protocol.Meets(held.Protocol) || o.Outside.Equal(held.Outside) {
			return false
		}
		return !slices.ContainsFunc(r.Held.Forwards, func(h site.HeldForward) bool { return h.Enabled && h.Outside.Equal(o.Outside) && h.Address == address })
	})
}

// answering finds the service of the interface that a forward leads to which answers at all
// of its ports.
func answering(v site.View, f site.Forward) (site.Wish, bool) {
	p, ok := v.Interface(f.To)
	if !ok {
		return site.Wish{}, false
	}
	for _, s := range p.Device.Services {
		if s.Interface == p.Interface.ID && s.Protocol.Covers(f.Protocol) && s.Ports.Equal(f.InsidePorts()) {
			return v.Service(s.ID)
		}
	}
	return site.Wish{}, false
}
