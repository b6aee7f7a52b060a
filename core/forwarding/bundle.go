package forwarding

import (
	"slices"

	"vestpin/core/flow"
)

// solution is a choice for each wish, by its place among all: the option, and whether
// each bundle's answer is proven; where not, how many more could be met at most.
type solution struct {
	option   []int
	proven   []bool // by wish: of its bundle
	more     []int  // by wish: of its bundle
	together [][]int
}

// solve solves all bundles.
func (c *choices) solve() solution {
	s := solution{option: make([]int, len(c.of)), proven: make([]bool, len(c.of)), more: make([]int, len(c.of)), together: make([][]int, len(c.of))}
	for _, b := range c.bundles {
		var a answer
		switch len(b.limits) {
		case 0:
			a = c.solvePart(b.wishes)
		case 1:
			a = c.solveLines(b, slices.Index(c.limits, b.limits[0]))
		default:
			a = c.solveSmall(b.wishes)
		}
		if c.p.v.Stopped() {
			return s
		}
		more := 0
		if !a.proven {
			more = max(0, c.p.levels.unmet(a.cost)-c.p.levels.unmet(a.bound))
		}
		for k, i := range b.wishes {
			s.option[i] = c.of[i][a.picks[k]].option
			s.proven[i], s.more[i], s.together[i] = a.proven, more, b.wishes
		}
	}
	return s
}

func (c *choices) pickOf(wishes []int) [][]choice {
	list := make([][]choice, len(wishes))
	for k, i := range wishes {
		list[k] = c.of[i]
	}
	return list
}

// problem is some wishes to be solved, at the expense of the plan.
func (c *choices) problem(list [][]choice) *problem {
	q := newProblem(list, c.p.levels.count(), len(c.p.levels.ranks), c.p.v.Stopped)
	q.spent = &c.spent
	return q
}

func (c *choices) solvePart(wishes []int) answer {
	return c.problem(c.pickOf(wishes)).solve()
}

// stepOf is the best answer of a part with so many lines of a router.
type stepOf struct {
	lines int
	answer
}

// largePart is of how many wishes a part is taken as a whole with all others that share
// its lines, since it would have to be solved for each number of lines.
const largePart = 60

// solveLines solves a bundle of parts that share the lines of one router: for each part
// the best answer with each number of lines, then the best division of the lines.
func (c *choices) solveLines(b bundle, limit int) answer {
	room := max(0, c.p.room[c.limits[limit]])
	large := slices.ContainsFunc(b.parts, func(p part) bool { return len(p.wishes) > largePart })
	var whole answer
	if len(b.wishes) > 1 {
		q := c.problem(c.pickOf(b.wishes))
		q.lines, q.limit, q.most = room, limit, mostWork/4
		if large && slices.ContainsFunc(b.wishes, func(i int) bool { return c.several(i, limit) }) {
			return c.byCounts(q, room, limit)
		}
		if large {
			q.most = mostWork
		}
		if whole = q.solve(); whole.proven || large {
			return whole
		}
	}
	tables := make([][]stepOf, len(b.parts))
	proven := true
	bound := make([]int, c.p.levels.count())
	work := mostWork
	for k, part := range b.parts {
		tables[k] = c.table(part, limit, room, &work)
		if c.p.v.Stopped() || len(tables[k]) == 0 {
			return answer{picks: make([]int, len(b.wishes)), cost: bound, bound: bound}
		}
		last := tables[k][len(tables[k])-1]
		for l, x := range last.bound {
			bound[l] += x
		}
		for _, s := range tables[k] {
			proven = proven && s.proven
		}
	}
	// After each part: by lines used so far, what the best costs, and its step.
	best := [][]int{make([]int, c.p.levels.count())}
	var steps [][]int
	for _, table := range tables {
		top := min(room, len(best)-1+table[len(table)-1].lines)
		next, from := make([][]int, top+1), make([]int, top+1)
		for used, cost := range best {
			if cost == nil {
				continue
			}
			for k, s := range table {
				n := used + s.lines
				if n > top {
					break
				}
				if next[n] == nil || less(cost, s.cost, next[n]) {
					next[n], from[n] = flow.Sum(cost, s.cost), k
				}
			}
		}
		best, steps = next, append(steps, from)
	}
	at := -1
	for n, cost := range best {
		if cost != nil && (at < 0 || slices.Compare(cost, best[at]) < 0) {
			at = n
		}
	}
	a := answer{picks: make([]int, len(b.wishes)), cost: best[at], bound: bound, proven: proven}
	if proven {
		a.bound = a.cost
	} else if whole.cost != nil && slices.Compare(whole.cost, a.cost) < 0 {
		return whole
	}
	place := map[int]int{}
	for k, i := range b.wishes {
		place[i] = k
	}
	for k := len(tables) - 1; k >= 0; k-- {
		s := tables[k][steps[k][at]]
		for m, i := range b.parts[k].wishes {
			a.picks[place[i]] = s.picks[m]
		}
		at -= s.lines
	}
	return a
}

// less reports whether a and b together are less than c.
func less(a, b, c []int) bool {
	for i := range c {
		if d := a[i] + b[i] - c[i]; d != 0 {
			return d < 0
		}
	}
	return false
}

// table gives the best answers of a part by the lines that it may use, each better than
// the one before. It spends some of the work that may be done.
func (c *choices) table(p part, limit, room int, work *int) []stepOf {
	list := c.pickOf(p.wishes)
	top := 0
	for _, choices := range list {
		most := 0
		for _, ch := range choices {
			most = max(most, ch.lines[limit])
		}
		top += most
	}
	q := c.problem(list)
	q.limit = limit
	var out []stepOf
	for lines := 0; lines <= min(top, room); lines++ {
		var a answer
		if q.lines = lines; len(list) == 1 {
			a = cheapestWithin(list[0], limit, lines)
		} else {
			q.most = max(*work, 0)
			a = q.solve()
			*work -= a.work
		}
		if a.cost != nil && (len(out) == 0 || slices.Compare(a.cost, out[len(out)-1].cost) < 0) {
			out = append(out, stepOf{lines, a})
		}
	}
	return out
}

// cheapestWithin is the answer of a part of one wish.
func cheapestWithin(choices []choice, limit, lines int) answer {
	k := slices.IndexFunc(choices, func(ch choice) bool { return ch.lines[limit] <= lines })
	if k < 0 {
		return answer{}
	}
	return answer{picks: []int{k}, cost: choices[k].cost, bound: choices[k].cost, proven: true}
}

// mostSteps bounds the search among wishes that share the lines of several routers.
const mostSteps = 200_000

// small is the search among few wishes, or such of which everything counts at once.
type small struct {
	list    [][]choice
	room    []int // by router; nil where lines do not count
	used    map[int]bool
	now     []int
	picks   []int
	least   [][]int // what the wishes from each on cost at least
	best    answer
	steps   int
	any     bool // one answer is enough
	stopped func() bool
}

// few reports whether all choices of some wishes can be tried.
func few(list [][]choice) bool {
	n := 1
	for _, choices := range list {
		if n *= max(1, len(choices)); n > mostSteps/4 {
			return false
		}
	}
	return true
}

func newSmall(list [][]choice, levels int, stopped func() bool) *small {
	s := &small{list: list, used: map[int]bool{}, now: make([]int, levels), picks: make([]int, len(list)), least: make([][]int, len(list)+1), stopped: stopped}
	s.least[len(list)] = make([]int, levels)
	for i := len(list) - 1; i >= 0; i-- {
		s.least[i] = s.least[i+1]
		if len(list[i]) > 0 {
			cheapest := slices.MinFunc(list[i], func(a, b choice) int { return slices.Compare(a.cost, b.cost) })
			s.least[i] = flow.Sum(s.least[i+1], cheapest.cost)
		}
	}
	return s
}

// limit lets only so many lines of one router be used.
func (s *small) limit(router, lines int) {
	for _, choices := range s.list {
		for _, ch := range choices {
			for len(s.room) < len(ch.lines) {
				s.room = append(s.room, 1<<30)
			}
		}
	}
	if router < len(s.room) {
		s.room[router] = lines
	}
}

// solve tries all choices, the cheapest first.
func (s *small) solve() answer {
	s.step(0)
	s.best.proven = s.steps <= mostSteps
	if s.best.bound = s.least[0]; s.best.proven {
		s.best.bound = s.best.cost
	}
	return s.best
}

// solveSmall solves wishes that share the lines of several routers.
func (c *choices) solveSmall(wishes []int) answer {
	s := newSmall(c.pickOf(wishes), c.p.levels.count(), c.p.v.Stopped)
	s.room = c.rooms()
	return s.solve()
}

func (c *choices) rooms() []int {
	var out []int
	for _, r := range c.limits {
		out = append(out, max(0, c.p.room[r]))
	}
	return out
}

func (s *small) step(i int) {
	if s.steps++; s.steps%1000 == 0 && s.stopped() {
		s.steps = mostSteps + 1
	}
	if s.best.cost != nil && (s.any || s.steps > mostSteps || !less(s.now, s.least[i], s.best.cost)) {
		return
	}
	if i == len(s.list) {
		s.best.cost, s.best.picks = slices.Clone(s.now), slices.Clone(s.picks)
		return
	}
	for k, ch := range s.list[i] {
		if slices.ContainsFunc(ch.units, func(u int) bool { return s.used[u] }) || s.room != nil && !noMore(ch.lines, s.room) {
			continue
		}
		s.enter(ch, 1)
		s.picks[i] = k
		s.step(i + 1)
		s.enter(ch, -1)
	}
}

func (s *small) enter(ch choice, sign int) {
	for _, u := range ch.units {
		s.used[u] = sign > 0
	}
	for r := range s.room {
		s.room[r] -= sign * ch.lines[r]
	}
	for l, n := range ch.cost {
		s.now[l] += sign * n
	}
}
