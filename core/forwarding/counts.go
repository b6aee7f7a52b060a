package forwarding

import (
	"slices"
	"sort"

	"vestpin/core/flow"
)

// several reports whether a wish has choices that take several lines of a router.
func (c *choices) several(i, limit int) bool {
	return slices.ContainsFunc(c.of[i], func(ch choice) bool { return ch.lines[limit] > 1 })
}

// byCounts solves many wishes that share too few lines, of which some need several. How
// many of each rank can be met is a matter of the lines alone, so it is found first, rank
// by rank: the fewest that must be left out so that the lines are enough. Then the rest
// is decided among the answers that leave out so many.
func (c *choices) byCounts(q *problem, room, limit int) answer {
	list := q.list
	caps := make([]int, len(c.p.levels.ranks))
	for _, choices := range list {
		caps[rankOf(choices)]++
	}
	least := q.priced(1, 0, func(ch choice) []int { return []int{ch.lines[limit]} })
	for r := range caps {
		all := caps[r]
		caps[r] = sort.Search(all, func(n int) bool {
			least.caps = slices.Clone(caps)
			least.caps[r] = n
			h := newHunt(least)
			picks, ok := h.relax(state{})
			return ok && h.costOf(picks)[0] <= room
		})
	}
	lines := func(picks []int) int {
		n := 0
		for i, k := range picks {
			n += list[i][k].lines[limit]
		}
		return n
	}
	costs := func(picks []int) []int {
		sum := make([]int, q.levels)
		for i, k := range picks {
			sum = flow.Sum(sum, list[i][k].cost)
		}
		return sum
	}
	// That not more of them are met than there are lines for, meeting one costs most.
	exactly := func(ch choice, rest ...int) []int {
		met := 0
		if ch.out < 0 {
			met = 1
		}
		return append([]int{met}, rest...)
	}
	free := q.priced(1+q.levels-q.ranks, 0, func(ch choice) []int { return exactly(ch, ch.cost[q.ranks:]...) })
	free.caps, free.most = caps, mostWork/2
	a := free.solve()
	if a.cost != nil {
		a.cost = costs(a.picks)
	}
	if a.cost != nil && lines(a.picks) <= room {
		if a.bound = a.cost; !a.proven {
			a.bound = make([]int, q.levels)
			copy(a.bound, caps) // that so many are left out at least is known
		}
		return a
	}
	// The same with as few lines as possible first: the best there is, if it needs all.
	frugal := q.priced(2+q.levels-q.ranks, 0, func(ch choice) []int {
		return exactly(ch, append([]int{ch.lines[limit]}, ch.cost[q.ranks:]...)...)
	})
	frugal.caps, frugal.most = caps, mostWork/2
	f := frugal.solve()
	if f.cost != nil && lines(f.picks) <= room {
		f.cost = costs(f.picks)
		f.bound = f.cost // as many as can be, whatever they cost otherwise
		f.proven = f.proven && lines(f.picks) == room
		return f
	}
	q.lines, q.limit, q.most = room, limit, mostWork/2
	return q.solve()
}

// rankOf is the place of the rank of a wish among all.
func rankOf(choices []choice) int {
	k := slices.IndexFunc(choices, func(ch choice) bool { return ch.out >= 0 })
	return choices[k].out
}

// priced is the same problem with other costs, and no limit of lines.
func (q *problem) priced(levels, ranks int, cost func(choice) []int) *problem {
	list := make([][]choice, len(q.list))
	for i, choices := range q.list {
		list[i] = slices.Clone(choices)
		for k := range list[i] {
			list[i][k].cost = cost(choices[k])
		}
	}
	out := newProblem(list, levels, ranks, q.stopped)
	out.spent = q.spent
	return out
}
