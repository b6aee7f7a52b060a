package reach

import (
	"cmp"
	"container/heap"
	"encoding/binary"
	"math"
	"net/netip"
	"slices"

	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/span"
)

// Sources is some of those who may connect: addresses, and whether it includes those that
// no list names. The zero Sources is nobody.
type Sources struct {
	set       span.Set
	strangers bool
}

// Anyone is everybody.
var Anyone = Sources{span.Of(span.Run{Hi: math.MaxUint32}), true}

// Allowed is those whom a list of senders lets in. An empty one is anyone, and so is one
// that covers all addresses.
func Allowed(from []site.Sender) Sources {
	if !site.Limits(from) {
		return Anyone
	}
	runs := make([]span.Run, len(from))
	for i, s := range from {
		runs[i] = ipv4.Run(s.Prefix)
	}
	return Sources{set: span.Of(runs...)}
}

// AnyOf is those who are in any of some groups.
func AnyOf(list []Sources) Sources {
	var all Sources
	var runs []span.Run
	for _, w := range list {
		if w.everybody() {
			return Anyone
		}
		runs = append(runs, w.set.Runs()...)
		all.strangers = all.strangers || w.strangers
	}
	all.set = span.Of(runs...)
	return all
}

// atOnce is of how few groups and runs it is cheaper to take one from the other in turn.
const atOnce = 16

// firstIn gives of each group those who are in no earlier one.
func firstIn(list []Sources) []Sources {
	size := 0
	for i, w := range list {
		size += w.set.Size()
		if w.everybody() {
			list = list[:i+1] // nobody is left for those behind
			break
		}
	}
	out := make([]Sources, len(list))
	if len(list) == 1 {
		out[0] = list[0]
		return out
	}
	if size <= atOnce {
		left := Anyone
		for i, w := range list {
			out[i], left = left.Overlap(w), left.Minus(w)
		}
		return out
	}
	runs := make([][]span.Run, len(list))
	for _, c := range classes(list) {
		runs[c.first] = append(runs[c.first], c.run)
	}
	for i := range list {
		out[i].set = span.Of(runs[i]...)
	}
	if i := slices.IndexFunc(list, func(w Sources) bool { return w.strangers }); i >= 0 {
		out[i].strangers = true
	}
	return out
}

// class is addresses of which the same group is the first that they are in.
type class struct {
	run   span.Run
	first int
}

// classes cuts the addresses that are in any group into runs, rising, and tells for each the
// first group that it is in.
func classes(list []Sources) []class {
	type edge struct {
		at   uint64
		who  int
		ends bool
	}
	var edges []edge
	for i, w := range list {
		for _, r := range w.set.Runs() {
			edges = append(edges, edge{uint64(r.Lo), i, false}, edge{uint64(r.Hi) + 1, i, true})
		}
	}
	slices.SortFunc(edges, func(a, b edge) int { return cmp.Compare(a.at, b.at) })
	var out []class
	inside := make([]int, len(list)) // 1 while the run of a group goes on
	first := &lowest{}
	for i := 0; i < len(edges); {
		at := edges[i].at
		for ; i < len(edges) && edges[i].at == at; i++ {
			if e := edges[i]; e.ends {
				inside[e.who]--
			} else if inside[e.who]++; inside[e.who] > 0 {
				heap.Push(first, e.who)
			}
		}
		for first.Len() > 0 && inside[(*first)[0]] <= 0 {
			heap.Pop(first)
		}
		if first.Len() == 0 || i == len(edges) {
			continue
		}
		out = append(out, class{span.Run{Lo: uint32(at), Hi: uint32(edges[i].at - 1)}, (*first)[0]})
	}
	return out
}

// pairing is those who are in one group of a list and in one of another, by their places, -1
// for those who are in none.
type pairing struct {
	a, b int
	who  Sources
}

// pairings gives those who are in the same group of each of two lists of disjoint groups,
// but for those who are in none of either.
func pairings(a, b []Sources) []pairing {
	found := map[[2]int][]span.Run{}
	var order [][2]int
	add := func(at [2]int, run span.Run) {
		if found[at] == nil {
			order = append(order, at)
		}
		found[at] = append(found[at], run)
	}
	p, q := classes(a), classes(b)
	end := func(list []class) uint64 { // up to where the next of a list goes, or where it begins
		if len(list) == 0 {
			return 1 << 32
		}
		return uint64(list[0].run.Lo)
	}
	for at := uint64(0); at < 1<<32; {
		for len(p) > 0 && uint64(p[0].run.Hi) < at {
			p = p[1:]
		}
		for len(q) > 0 && uint64(q[0].run.Hi) < at {
			q = q[1:]
		}
		key, to := [2]int{-1, -1}, uint64(1<<32)
		for k, list := range [][]class{p, q} {
			if from := end(list); from <= at && len(list) > 0 {
				key[k], to = list[0].first, min(to, uint64(list[0].run.Hi)+1)
			} else {
				to = min(to, from)
			}
		}
		if key != [2]int{-1, -1} {
			add(key, span.Run{Lo: uint32(at), Hi: uint32(to - 1)})
		}
		at = to
	}
	strangers := func(list []Sources) int { return slices.IndexFunc(list, func(w Sources) bool { return w.strangers }) }
	unknown := [2]int{strangers(a), strangers(b)}
	if unknown != [2]int{-1, -1} && found[unknown] == nil {
		order = append(order, unknown)
	}
	out := make([]pairing, len(order))
	for i, at := range order {
		out[i] = pairing{at[0], at[1], Sources{span.Of(found[at]...), at == unknown}}
	}
	return out
}

// lowest is a heap of places, the lowest on top.
type lowest []int

func (l lowest) Len() int           { return len(l) }
func (l lowest) Less(i, j int) bool { return l[i] < l[j] }
func (l lowest) Swap(i, j int)      { l[i], l[j] = l[j], l[i] }
func (l *lowest) Push(x any)        { *l = append(*l, x.(int)) }
func (l *lowest) Pop() any {
	last := len(*l) - 1
	x := (*l)[last]
	*l = (*l)[:last]
	return x
}

// One is a single sender; the zero address is somebody whom no list names.
func One(a netip.Addr) Sources {
	if !a.IsValid() {
		return Sources{strangers: true}
	}
	return Sources{set: span.One(ipv4.Number(a))}
}

// Nobody reports whether there is none.
func (w Sources) Nobody() bool { return !w.strangers && w.set.Empty() }

// everybody reports whether there is none besides, which spares work.
func (w Sources) everybody() bool { return w.strangers && w.set.Len() == 1<<32 }

// Minus is those of w who are not in o.
func (w Sources) Minus(o Sources) Sources {
	if o.everybody() {
		return Sources{}
	}
	return Sources{w.set.Minus(o.set), w.strangers && !o.strangers}
}

// Overlap is those who are in both.
func (w Sources) Overlap(o Sources) Sources {
	switch {
	case w.everybody():
		return o
	case o.everybody():
		return w
	}
	return Sources{w.set.Overlap(o.set), w.strangers && o.strangers}
}

// Union is those who are in either.
func (w Sources) Union(o Sources) Sources {
	if w.everybody() || o.everybody() {
		return Anyone
	}
	return Sources{w.set.Union(o.set), w.strangers || o.strangers}
}

// Covers reports whether all of o are in w.
func (w Sources) Covers(o Sources) bool {
	switch {
	case w.everybody():
		return true
	case o.strangers && !w.strangers:
		return false
	}
	return w.set.Covers(o.set)
}

// SourceClasses divides everybody so finely that each part is in or out of each of some groups
// as a whole, and gives for each part the groups that it is in, where it is in several.
func SourceClasses(groups []Sources) [][]int {
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
	known := map[string]bool{}
	var key []byte
	add := func(in func(Sources) bool) {
		var atom []int
		key = key[:0]
		for i, g := range groups {
			if in(g) {
				atom = append(atom, i)
				key = binary.AppendUvarint(key, uint64(i))
			}
		}
		if len(atom) > 1 && !known[string(key)] {
			known[string(key)] = true
			out = append(out, atom)
		}
	}
	add(func(g Sources) bool { return g.strangers })
	for _, c := range cuts[:len(cuts)-1] {
		add(func(g Sources) bool { return g.set.Contains(uint32(c)) })
	}
	return out
}

// Has reports whether somebody is one of w.
func (w Sources) Has(a netip.Addr) bool { return w.set.Contains(ipv4.Number(a)) }
