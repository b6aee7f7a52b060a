package read

import (
	"slices"

	"vestpin/core/form"
	"vestpin/core/sighting"
	"vestpin/core/site"
)

// HeldLists gives the port forwards of a text by where they stand: each source, and in our
// own files each router, is a list of its own.
func (r Result) HeldLists() []sighting.HeldList {
	var out []sighting.HeldList
	for _, f := range r.Forwards {
		k := slices.IndexFunc(out, func(l sighting.HeldList) bool { return l.Router == f.Router && l.Source == f.Source })
		if k < 0 {
			k = len(out)
			out = append(out, sighting.HeldList{Router: f.Router, Source: f.Source})
		}
		out[k].Lines = append(out[k].Lines, site.HeldForward{
			Name: f.Name, Protocol: f.Protocol, Outside: f.Outside, Address: f.Address, Inside: f.Inside, From: f.From, Enabled: f.Enabled, Line: f.Line,
		})
	}
	for _, e := range r.Exposed {
		k := slices.IndexFunc(out, func(l sighting.HeldList) bool { return l.Source == e.Source && !l.Exposed.IsValid() })
		if k < 0 {
			k = len(out)
			out = append(out, sighting.HeldList{Source: e.Source})
		}
		out[k].Exposed = e.Address
	}
	return out
}

// Held is what a text says that one router of a site really has on its pages: its port
// forwards, those that name another router left out, and its reservations.
func (r Result) Held(v site.View, of site.Router) (held site.Held, reservations []form.Reservation) {
	for _, l := range r.HeldLists() {
		if slices.ContainsFunc(v.Routers, func(o site.Router) bool {
			return l.Router != "" && o.ID != of.ID && (o.Name == l.Router || o.ID == l.Router)
		}) && l.Router != of.Name && l.Router != of.ID {
			continue
		}
		held.Forwards = append(held.Forwards, l.Lines...)
		if _, on := v.NetworkAt(of, l.Exposed); on {
			held.ExposedHost = l.Exposed
		}
	}
	for _, s := range r.Sightings {
		if s.State == sighting.StateReserved && s.MAC != "" {
			reservations = append(reservations, form.Reservation{Name: s.Host, MAC: s.MAC, Address: s.Address})
		}
	}
	return held, reservations
}
