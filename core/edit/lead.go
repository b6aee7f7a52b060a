package edit

import (
	"reflect"
	"slices"

	"vestpin/core/site"
)

// Lead gives the edits that make one site of another: what came, went or is other, thing by
// thing. Nothing where they are alike.
func Lead(from, to site.Site) []Edit {
	from, to = from.Whole(), to.Whole()
	var out []Edit
	if from.Name != to.Name {
		out = append(out, RenameSite{to.Name})
	}
	networks := compare(from.Networks, to.Networks, true)
	for _, p := range networks.put {
		out = append(out, PutNetwork{p.thing, p.at})
	}
	routers := compare(from.Routers, to.Routers, true)
	for _, p := range routers.put {
		out = append(out, PutRouter{p.thing, p.at})
	}
	forwards := compare(from.Forwards, to.Forwards, false)
	for _, f := range forwards.gone {
		out = append(out, RemoveForward{f.ID})
	}
	devices := compare(from.Devices, to.Devices, false)
	for _, d := range devices.gone {
		out = append(out, RemoveDevice{ID: d.ID, Only: true})
	}
	for _, p := range devices.put {
		out = append(out, PutDevice{p.thing, p.at})
	}
	for _, p := range forwards.put {
		out = append(out, PutForward{p.thing, p.at})
	}
	visits := compare(from.Visits, to.Visits, false)
	for _, v := range visits.gone {
		out = append(out, RemoveVisit{v.ID})
	}
	for _, p := range visits.put {
		out = append(out, PutVisit{p.thing, p.at})
	}
	proofs := compare(from.Proofs, to.Proofs, false)
	for _, p := range proofs.gone {
		out = append(out, RemoveProof{p.ID})
	}
	for _, p := range proofs.put {
		out = append(out, PutProof{p.thing, p.at})
	}
	steps := compare(from.Done, to.Done, false)
	for _, d := range steps.gone {
		out = append(out, Tick{ID: d.Step})
	}
	for _, p := range steps.put {
		out = append(out, Tick{p.thing.Step, &p.thing, p.at})
	}
	if !reflect.DeepEqual(from.Makers, to.Makers) {
		out = append(out, SetMakers{to.Makers})
	}
	if !reflect.DeepEqual(from.Kinds, to.Kinds) {
		out = append(out, SetKinds{to.Kinds})
	}
	if !reflect.DeepEqual(from.Links, to.Links) {
		out = append(out, SetLinks{to.Links})
	}
	// What others stood on goes last.
	for _, r := range routers.gone {
		out = append(out, RemoveRouter{ID: r.ID, Only: true})
	}
	for _, n := range networks.gone {
		out = append(out, RemoveNetwork{n.ID})
	}
	return out
}

// comparison is what of a list went, and what came, is other, or stands elsewhere.
type comparison[T any] struct {
	gone []T
	put  []placement[T]
}

type placement[T any] struct {
	thing T
	at    *int
}

// compare tells how one list becomes another. Where what went is taken out late, after the
// others are in their places, all are placed anew.
func compare[T interface{ Ref() site.Ref }](from, to []T, late bool) comparison[T] {
	var out comparison[T]
	was, is := map[site.Ref]T{}, map[site.Ref]bool{}
	for _, v := range to {
		is[v.Ref()] = true
	}
	var stay, want []site.Ref
	for _, v := range from {
		was[v.Ref()] = v
		if is[v.Ref()] {
			stay = append(stay, v.Ref())
		} else {
			out.gone = append(out.gone, v)
		}
	}
	for _, v := range to {
		if _, known := was[v.Ref()]; known {
			want = append(want, v.Ref())
		}
	}
	turned := !slices.Equal(stay, want) || late && len(out.gone) > 0
	for i, v := range to {
		old, known := was[v.Ref()]
		p := placement[T]{thing: v}
		if turned || !known {
			p.at = &i
		}
		if turned || !known || !reflect.DeepEqual(old, v) {
			out.put = append(out.put, p)
		}
	}
	return out
}
