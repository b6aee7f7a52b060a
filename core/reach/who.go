package reach

import (
	"math"
	"net/netip"
	"slices"

	"vestpin/core/site"
	"vestpin/core/span"
)

// Who is some of those who may connect: addresses, and whether it includes those that
// no list names. The zero Who is nobody.
type Who struct {
	set       span.Set
	strangers bool
}

// Anyone is everybody.
var Anyone = Who{span.Of(span.Run{Hi: math.MaxUint32}), true}

// Allowed is those whom a list of senders lets in; an empty one is anyone.
func Allowed(from []site.Sender) Who {
	if len(from) == 0 {
		return Anyone
	}
	runs := make([]span.Run, len(from))
	for i, s := range from {
		runs[i] = span.OfPrefix(s.Prefix)
	}
	return Who{set: span.Of(runs...)}
}

// One is a single sender; the zero address is somebody whom no list names.
func One(a netip.Addr) Who {
	if !a.IsValid() {
		return Who{strangers: true}
	}
	return Who{set: span.One(span.OfAddr(a))}
}

// Nobody reports whether there is none.
func (w Who) Nobody() bool { return !w.strangers && w.set.Empty() }

// everybody reports whether there is none besides, which spares work.
func (w Who) everybody() bool { return w.strangers && w.set.Len() == 1<<32 }

// Minus is those of w who are not in o.
func (w Who) Minus(o Who) Who {
	if o.everybody() {
		return Who{}
	}
	return Who{w.set.Minus(o.set), w.strangers && !o.strangers}
}

// Overlap is those who are in both.
func (w Who) Overlap(o Who) Who {
	switch {
	case w.everybody():
		return o
	case o.everybody():
		return w
	}
	return Who{w.set.Overlap(o.set), w.strangers && o.strangers}
}

// Union is those who are in either.
func (w Who) Union(o Who) Who {
	if w.everybody() || o.everybody() {
		return Anyone
	}
	return Who{w.set.Union(o.set), w.strangers || o.strangers}
}

// Covers reports whether all of o are in w.
func (w Who) Covers(o Who) bool { return w.everybody() || o.Minus(w).Nobody() }

// Atoms divides everybody so finely that each part is in or out of each of some groups
// as a whole, and gives for each part the groups that it is in, where it is in several.
func Atoms(groups []Who) [][]int {
	all := make([]int, len(groups))
	limited := false
	for i, g := range groups {
		all[i] = i
		limited = limited || !g.everybody()
	}
	if !limited {
		return [][]int{all}
	}
	cuts := []uint64{0, 1 << 32}
	for _, g := range groups {
		for _, r := range g.set.Runs() {
			cuts = append(cuts, uint64(r.Lo), uint64(r.Hi)+1)
		}
	}
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	var out [][]int
	add := func(in func(Who) bool) {
		var atom []int
		for i, g := range groups {
			if in(g) {
				atom = append(atom, i)
			}
		}
		if len(atom) > 1 && !slices.ContainsFunc(out, func(o []int) bool { return slices.Equal(o, atom) }) {
			out = append(out, atom)
		}
	}
	add(func(g Who) bool { return g.strangers })
	for _, c := range cuts[:len(cuts)-1] {
		add(func(g Who) bool { return g.set.Contains(uint32(c)) })
	}
	return out
}

// Has reports whether somebody is one of w.
func (w Who) Has(a netip.Addr) bool { return w.set.Contains(span.OfAddr(a)) }
