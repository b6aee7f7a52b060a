package edit

import (
	"reflect"
	"slices"

	"vestpin/core/site"
)

// Changed gives what is other in one site than in an earlier one: a thing that came,
// went or is other in more ways than by a field of its own, or the fields. An edit
// that puts a whole device as it was, but for one field, touches all of the device
// and changes the field.
func Changed(before, after site.Site) []Touch {
	out := []Touch{}
	add := func(differ bool, t Touch) {
		if differ {
			out = append(out, t)
		}
	}
	add(before.Name != after.Name, Touch{"site", "name"})
	add(!reflect.DeepEqual(before.Makers, after.Makers), Touch{"site", "makers"})
	add(!reflect.DeepEqual(before.Kinds, after.Kinds), Touch{"site", "kinds"})
	add(!reflect.DeepEqual(before.Links, after.Links), Touch{"site", "links"})
	differing(before.Networks, after.Networks, &out, nil)
	differing(before.Routers, after.Routers, &out, nil)
	differing(before.Forwards, after.Forwards, &out, nil)
	differing(before.Visits, after.Visits, &out, nil)
	differing(before.Proofs, after.Proofs, &out, nil)
	differing(before.Done, after.Done, &out, nil)
	differing(before.Devices, after.Devices, &out, func(a, b site.Device) {
		for field, differ := range map[string]bool{"name": a.Name != b.Name, "kind": a.Kind != b.Kind, "place": a.Place != b.Place, "rank": a.Rank != b.Rank, "accepted": a.Accepted != b.Accepted} {
			add(differ, Touch{a.Ref(), field})
		}
		add(!slices.Equal(partsOf(a), partsOf(b)), Touch{a.Ref(), "parts"})
	})
	differing(parts(before, func(d site.Device) []site.Interface { return d.Interfaces }), parts(after, func(d site.Device) []site.Interface { return d.Interfaces }), &out, func(a, b site.Interface) {
		add(!reflect.DeepEqual(a.Pin, b.Pin), Touch{a.Ref(), "pin"})
		add(a.Wants != b.Wants, Touch{a.Ref(), "wants"})
		a.Pin, a.Wants = b.Pin, b.Wants
		add(!reflect.DeepEqual(a, b), Touch{a.Ref(), "the rest"})
	})
	differing(parts(before, func(d site.Device) []site.Service { return d.Services }), parts(after, func(d site.Device) []site.Service { return d.Services }), &out, func(a, b site.Service) {
		add(!reflect.DeepEqual(a.Open, b.Open), Touch{a.Ref(), "open"})
		a.Open = b.Open
		add(!reflect.DeepEqual(a, b), Touch{a.Ref(), "the rest"})
	})
	return out
}

// partsOf names what a device has.
func partsOf(d site.Device) (out []site.Ref) {
	for _, n := range d.Interfaces {
		out = append(out, n.Ref())
	}
	for _, s := range d.Services {
		out = append(out, s.Ref())
	}
	return out
}

// parts are the interfaces or services of all devices.
func parts[T any](s site.Site, of func(site.Device) []T) (out []T) {
	for _, d := range s.Devices {
		out = append(out, of(d)...)
	}
	return out
}

// differing adds what is in one of two lists only, or other in the second; fields, if
// any, adds in what ways.
func differing[T interface{ Ref() site.Ref }](before, after []T, out *[]Touch, fields func(a, b T)) {
	was := make(map[site.Ref]T, len(before))
	for _, a := range before {
		was[a.Ref()] = a
	}
	for _, b := range after {
		a, known := was[b.Ref()]
		delete(was, b.Ref())
		switch {
		case known && reflect.DeepEqual(a, b):
		case known && fields != nil:
			fields(a, b)
		default:
			*out = append(*out, Touch{Thing: b.Ref()})
		}
	}
	for ref := range was {
		*out = append(*out, Touch{Thing: ref})
	}
}
