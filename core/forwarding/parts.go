package forwarding

import (
	"cmp"
	"iter"
	"maps"
	"slices"

	"vestpin/core/reach"
	"vestpin/core/span"
)

// bundle is wishes that share ports, or the lines of routers that have too few; no other
// wish has to do with them.
type bundle struct {
	wishes []int
	limits []string // the routers whose lines run out
	parts  []part
}

// part is wishes of a bundle that share ports.
type part struct{ wishes []int }

// choice is an option that may be best: what it costs, the units of what is shared that
// it uses, rising, and the lines on each router whose lines run out.
type choice struct {
	option int
	never  bool // it takes more lines than there are
	out    int  // the place of the rank of which it leaves one out, -1 where it meets its wish
	cost   []int
	units  []int
	lines  []int
}

// choices are those of each wish, with the bundles that they make.
type choices struct {
	p       *planner
	of      [][]choice
	limits  []string
	bundles []bundle
	unitAt  map[int]unitPlace
	spent   int // of the work that may be done
}

// unitPlace is what a unit stands for: ports within a scope.
type unitPlace struct {
	scope
	run span.Run
}

func (p *planner) choices() *choices {
	c := &choices{p: p, of: make([][]choice, len(p.wishes)), unitAt: map[int]unitPlace{}}
	c.limits = p.shortRouters()
	for i, w := range p.wishes {
		for k, o := range w.options {
			ch := choice{option: k, cost: o.cost, out: slices.IndexFunc(o.cost[:len(p.levels.ranks)], func(n int) bool { return n > 0 })}
			fits := true
			for _, r := range c.limits {
				ch.lines = append(ch.lines, o.lines[r])
				fits = fits && o.lines[r] <= max(0, p.room[r])
			}
			ch.never = !fits
			c.of[i] = append(c.of[i], ch)
		}
	}
	c.findUnits()
	for i := range c.of {
		c.of[i] = slices.DeleteFunc(c.of[i], func(ch choice) bool { return ch.never })
	}
	for round := 0; round < 3; round++ {
		before := c.size()
		for i := range c.of {
			c.of[i] = best(c.of[i])
		}
		c.fewerUnits()
		if c.size() == before {
			break
		}
	}
	c.bundle()
	return c
}

func (c *choices) size() int {
	n := 0
	for _, list := range c.of {
		for _, ch := range list {
			n += 1 + len(ch.units)
		}
	}
	return n
}

// shortRouters gives the routers whose lines may run out.
func (p *planner) shortRouters() []string {
	most := map[string]int{}
	for _, w := range p.wishes {
		top := map[string]int{}
		for _, o := range w.options {
			for r, n := range o.lines {
				top[r] = max(top[r], n)
			}
		}
		for r, n := range top {
			most[r] += n
		}
	}
	var out []string
	for _, r := range slices.Sorted(maps.Keys(most)) {
		if most[r] > p.room[r] {
			out = append(out, r)
		}
	}
	return out
}

// user is an option of a wish that uses something.
type user struct{ wish, choice int }

// claimed is a claim and the option that makes it.
type claimed struct {
	claim
	user
}

// byLanding divides claims by where they land, in their order.
func byLanding(list []claimed) iter.Seq2[landing, []claimed] {
	return func(yield func(landing, []claimed) bool) {
		for i, cl := range list {
			same := func(o claimed) bool { return o.lands == cl.lands }
			if slices.IndexFunc(list, same) < i {
				continue
			}
			if !yield(cl.lands, slices.DeleteFunc(slices.Clone(list), func(o claimed) bool { return !same(o) })) {
				return
			}
		}
	}
}

// enterUnits gives units to claims on the same ports, one for each class of sources that
// several of them share, numbered from next on, and gives the number after them.
func (c *choices) enterUnits(group []claimed, next int) int {
	whos := make([]reach.Sources, len(group))
	for i, cl := range group {
		whos[i] = cl.who
	}
	for _, class := range reach.SourceClasses(whos) {
		for _, i := range class {
			ch := &c.of[group[i].wish][group[i].choice]
			ch.units = append(ch.units, next)
		}
		next++
	}
	return next
}

// findUnits cuts what options use into units that only one wish can have.
func (c *choices) findUnits() {
	on := map[scope][]claimed{}
	for i, w := range c.p.wishes {
		for k, o := range w.options {
			for _, u := range o.uses {
				on[u.scope] = append(on[u.scope], claimed{u.claim, user{i, k}})
			}
		}
	}
	next := 0
	scopes := slices.SortedFunc(maps.Keys(on), func(a, b scope) int {
		return cmp.Or(cmp.Compare(a.kind, b.kind), cmp.Compare(a.id, b.id), cmp.Compare(a.proto, b.proto))
	})
	for _, at := range scopes {
		if c.p.v.Stopped() {
			return
		}
		next = c.cut(at, on[at], next)
	}
}

// cut sweeps the claims in a scope from the lowest port to the highest, and gives units to
// those that several wishes make, numbered from next on.
func (c *choices) cut(at scope, list []claimed, next int) int {
	slices.SortStableFunc(list, func(a, b claimed) int { return cmp.Compare(a.run.Lo, b.run.Lo) })
	var cuts []uint32
	for _, cl := range list {
		cuts = append(cuts, cl.run.Lo, cl.run.Hi+1)
	}
	slices.Sort(cuts)
	cuts = slices.Compact(cuts)
	var active []claimed
	for k := 0; k+1 < len(cuts); k++ {
		active = slices.DeleteFunc(active, func(cl claimed) bool { return cl.run.Hi < cuts[k] })
		for len(list) > 0 && list[0].run.Lo == cuts[k] {
			active, list = append(active, list[0]), list[1:]
		}
		if len(active) < 2 || !slices.ContainsFunc(active, func(cl claimed) bool { return cl.wish != active[0].wish }) {
			continue
		}
		first := next
		next = c.share(active, next)
		for u := first; u < next; u++ {
			c.unitAt[u] = unitPlace{at, span.Run{Lo: cuts[k], Hi: cuts[k+1] - 1}}
		}
	}
	return next
}

// share gives units to claims on the same ports. Those who read share them among themselves,
// so each of them has units with those who write to elsewhere.
func (c *choices) share(active []claimed, next int) int {
	var writers []claimed
	readers := map[int][]claimed{} // by wish
	for _, cl := range active {
		if cl.reads {
			readers[cl.wish] = append(readers[cl.wish], cl)
		} else {
			writers = append(writers, cl)
		}
	}
	next = c.enterUnits(writers, next)
	for _, reader := range slices.Sorted(maps.Keys(readers)) {
		for lands, group := range byLanding(readers[reader]) {
			elsewhere := slices.DeleteFunc(slices.Clone(writers), func(cl claimed) bool { return cl.lands == lands })
			if len(elsewhere) > 0 {
				next = c.enterUnits(slices.Concat(group, elsewhere), next)
			}
		}
	}
	return next
}

// best leaves out the choices that are no better than another in anything.
func best(list []choice) []choice {
	slices.SortStableFunc(list, func(a, b choice) int {
		return cmp.Or(slices.Compare(a.cost, b.cost), cmp.Compare(len(a.units), len(b.units)))
	})
	var out []choice
	for _, a := range list {
		if !slices.ContainsFunc(out, func(b choice) bool { return within(b.units, a.units) && noMore(b.lines, a.lines) }) {
			out = append(out, a)
		}
	}
	return out
}

// within reports whether all of a rising list are in another.
func within(a, b []int) bool {
	for _, x := range a {
		if _, ok := slices.BinarySearch(b, x); !ok {
			return false
		}
	}
	return true
}

func noMore(a, b []int) bool {
	for i := range a {
		if a[i] > b[i] {
			return false
		}
	}
	return true
}

// users gives who uses each unit.
func (c *choices) users() map[int][]user {
	out := map[int][]user{}
	for i, list := range c.of {
		for k, ch := range list {
			for _, u := range ch.units {
				out[u] = append(out[u], user{i, k})
			}
		}
	}
	return out
}

// fewerUnits leaves out units that are not shared, and those whose users all share
// another.
func (c *choices) fewerUnits() {
	users := c.users()
	gone := map[int]bool{}
	for _, u := range slices.Sorted(maps.Keys(users)) {
		list := users[u]
		if !slices.ContainsFunc(list, func(x user) bool { return x.wish != list[0].wish }) {
			gone[u] = true
			continue
		}
		for _, o := range c.of[list[0].wish][list[0].choice].units {
			if o == u || gone[o] || len(users[o]) < len(list) || len(users[o]) == len(list) && o > u {
				continue
			}
			if !slices.ContainsFunc(list, func(x user) bool { return !within([]int{o}, c.of[x.wish][x.choice].units) }) {
				gone[u] = true
				break
			}
		}
	}
	for i := range c.of {
		for k := range c.of[i] {
			c.of[i][k].units = slices.DeleteFunc(slices.Clone(c.of[i][k].units), func(u int) bool { return gone[u] })
		}
	}
}

// bundle joins the wishes that share units into parts, and those that share lines too
// into bundles.
func (c *choices) bundle() {
	byUnit, byAll := newGroups(len(c.of)), newGroups(len(c.of))
	first := map[int]int{}
	short := make([]int, len(c.limits))
	for r := range short {
		short[r] = -1
	}
	for i, list := range c.of {
		for _, ch := range list {
			for _, u := range ch.units {
				if o, ok := first[u]; ok {
					byUnit.join(o, i)
					byAll.join(o, i)
				} else {
					first[u] = i
				}
			}
			for r, n := range ch.lines {
				if n == 0 {
					continue
				}
				if short[r] >= 0 {
					byAll.join(short[r], i)
				}
				short[r] = i
			}
		}
	}
	place := map[int]int{}
	inside := map[int]int{}
	for i, list := range c.of {
		root := byAll.root(i)
		k, ok := place[root]
		if !ok {
			k = len(c.bundles)
			place[root] = k
			c.bundles = append(c.bundles, bundle{})
		}
		b := &c.bundles[k]
		b.wishes = append(b.wishes, i)
		at, ok := inside[byUnit.root(i)]
		if !ok {
			at = len(b.parts)
			inside[byUnit.root(i)] = at
			b.parts = append(b.parts, part{})
		}
		b.parts[at].wishes = append(b.parts[at].wishes, i)
		for _, ch := range list {
			for r, n := range ch.lines {
				if n > 0 && !slices.Contains(b.limits, c.limits[r]) {
					b.limits = append(b.limits, c.limits[r])
				}
			}
		}
	}
}

// groups is a division of numbers into groups.
type groups []int

func newGroups(n int) groups {
	g := make(groups, n)
	for i := range g {
		g[i] = i
	}
	return g
}

func (g groups) root(i int) int {
	for g[i] != i {
		g[i] = g[g[i]]
		i = g[i]
	}
	return i
}

func (g groups) join(i, j int) {
	i, j = g.root(i), g.root(j)
	g[max(i, j)] = min(i, j)
}
