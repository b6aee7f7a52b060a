package forwarding

import (
	"cmp"
	"encoding/binary"
	"slices"

	"vestpin/core/flow"
)

// mostWork bounds the search of one plan: what is looked at, in arcs of its flows and words
// of their costs. It is about half a second to one. However much is spent, a part gets leastWork.
const (
	mostWork  = 6_000_000
	leastWork = 100_000
)

// answer is a choice for each wish of a part, by its place there: what it costs, what
// no answer can beat, and whether those are the same.
type answer struct {
	picks  []int
	cost   []int
	bound  []int
	proven bool
	work   int // what was looked at
}

// problem is a part, or some wishes of it, to be solved: each wish takes one choice, no
// unit is used twice, and no more lines than there are on the one router whose lines run
// out, where lines is not negative.
type problem struct {
	list    [][]choice
	classes []alike
	lines   int
	limit   int // which router
	levels  int
	ranks   int   // how many of the levels count wishes left out
	caps    []int // by rank: how many may be left out; nil for any number
	most    int   // arcs that may be looked at
	spent   *int  // by the whole plan
	stopped func() bool
}

// alike is wishes with the same choices.
type alike struct {
	choices []choice
	members []int
}

func newProblem(list [][]choice, levels, ranks int, stopped func() bool) *problem {
	q := &problem{list: list, lines: -1, levels: levels, ranks: ranks, most: mostWork, stopped: stopped}
	place := map[string]int{}
	var key []byte
	for i, choices := range list {
		key = key[:0]
		for _, ch := range choices {
			for _, list := range [][]int{ch.cost, ch.units, ch.lines, {ch.out + 1}} {
				for _, n := range list {
					key = binary.AppendUvarint(key, uint64(n+1))
				}
				key = append(key, 0)
			}
		}
		k, ok := place[string(key)]
		if !ok {
			k = len(q.classes)
			place[string(key)] = k
			q.classes = append(q.classes, alike{choices: choices})
		}
		q.classes[k].members = append(q.classes[k].members, i)
	}
	return q
}

// pick is a choice of a class.
type pick struct{ class, choice int }

// state is a place in the search: choices that are taken for good, and choices that no
// more of a class take.
type state struct {
	taken  []pick
	barred map[pick]bool
}

// hunt is the search for the best answer by branch and bound. The bound is a flow: of
// the units of a choice it minds only the one that is wanted most. Where that already
// minds all, it is the answer.
type hunt struct {
	*problem
	wanted map[int]int  // by unit: how many choices use it
	minded map[pick]int // by choice: the unit that was used twice
	best   map[pick]int
	cost   []int
	root   []int
	work   int
}

func (q *problem) solve() answer {
	if q.caps == nil && few(q.list) {
		s := newSmall(q.list, q.levels, q.stopped)
		if q.lines >= 0 {
			s.limit(q.limit, q.lines)
		}
		return s.solve()
	}
	h := newHunt(q)
	if q.caps == nil {
		h.greedy()
	}
	if q.spent != nil {
		h.most = min(h.most, max(leastWork, mostWork-*q.spent))
	}
	h.search(state{barred: map[pick]bool{}})
	if q.spent != nil {
		*q.spent += h.work
	}
	a := answer{picks: slices.Repeat([]int{-1}, len(q.list)), cost: h.cost, bound: h.root, proven: h.work <= h.most, work: h.work}
	if a.proven {
		a.bound = h.cost
	}
	for k, c := range q.classes {
		at := 0
		for j := range c.choices {
			for range h.best[pick{k, j}] {
				a.picks[c.members[at]] = j
				at++
			}
		}
	}
	return a
}

func newHunt(q *problem) *hunt {
	h := &hunt{problem: q, wanted: map[int]int{}, minded: map[pick]int{}}
	for _, c := range q.classes {
		for _, ch := range c.choices {
			for _, u := range ch.units {
				h.wanted[u] += len(c.members)
			}
		}
	}
	return h
}

// greedy gives a first answer: each wish in turn, the more important first, takes the
// cheapest choice that is left, or the one of those that meet it with the fewest lines.
func (h *hunt) greedy() {
	h.inTurn(func(choices []choice) []int { return upTo(len(choices)) })
	if h.lines < 0 {
		return
	}
	h.inTurn(func(choices []choice) []int {
		order := upTo(len(choices))
		slices.SortStableFunc(order, func(i, j int) int {
			a, b := choices[i], choices[j]
			return cmp.Or(slices.Compare(a.cost[:h.ranks], b.cost[:h.ranks]), cmp.Compare(a.lines[h.limit], b.lines[h.limit]))
		})
		return order
	})
}

func upTo(n int) []int {
	out := make([]int, n)
	for i := range out {
		out[i] = i
	}
	return out
}

func (h *hunt) inTurn(order func([]choice) []int) {
	used := map[int]bool{}
	left := h.lines
	picks := map[pick]int{}
	class := make([]int, len(h.list))
	for k, c := range h.classes {
		for _, m := range c.members {
			class[m] = k
		}
	}
	orders := make([][]int, len(h.classes))
	for k, c := range h.classes {
		orders[k] = order(c.choices)
	}
	turn := upTo(len(h.list))
	if h.lines >= 0 { // of equal rank those that need few lines first
		need := func(i int) int {
			k := class[i]
			if len(orders[k]) == 0 {
				return 0
			}
			return h.classes[k].choices[orders[k][0]].lines[h.limit]
		}
		rank := func(i int) []int {
			c := h.list[i]
			return c[len(c)-1].cost[:h.ranks]
		}
		slices.SortStableFunc(turn, func(i, j int) int { return cmp.Or(slices.Compare(rank(j), rank(i)), cmp.Compare(need(i), need(j))) })
	}
	for _, i := range turn {
		k := class[i]
		at := slices.IndexFunc(orders[k], func(j int) bool {
			ch := h.classes[k].choices[j]
			return !slices.ContainsFunc(ch.units, func(u int) bool { return used[u] }) && (h.lines < 0 || ch.lines[h.limit] <= left)
		})
		if at < 0 {
			return
		}
		ch := h.classes[k].choices[orders[k][at]]
		for _, u := range ch.units {
			used[u] = true
		}
		if h.lines >= 0 {
			left -= ch.lines[h.limit]
		}
		picks[pick{k, orders[k][at]}]++
	}
	if cost := h.costOf(picks); h.best == nil || slices.Compare(cost, h.cost) < 0 {
		h.best, h.cost = picks, cost
	}
}

func (h *hunt) costOf(picks map[pick]int) []int {
	sum := make([]int, h.levels)
	for p, n := range picks {
		for l, c := range h.classes[p.class].choices[p.choice].cost {
			sum[l] += n * c
		}
	}
	return sum
}

func (h *hunt) search(s state) {
	if h.work > h.most || h.stopped() {
		return
	}
	var worst pick
	for round := 0; ; round++ {
		picks, ok := h.relax(s)
		if !ok {
			return
		}
		cost := h.costOf(picks)
		if h.root == nil {
			h.root = cost
		}
		if h.best != nil && slices.Compare(cost, h.cost) >= 0 {
			return
		}
		var unit int
		if worst, unit = h.overused(picks); worst.class < 0 {
			h.best, h.cost = picks, cost
			return
		}
		if round == 3 || unit < 0 {
			break
		}
		for p := range picks { // once more, with an eye on this one
			if slices.Contains(h.classes[p.class].choices[p.choice].units, unit) {
				h.minded[p] = unit
			}
		}
	}
	take := state{append(slices.Clone(s.taken), worst), s.barred}
	h.search(take)
	bar := state{s.taken, map[pick]bool{worst: true}}
	for p := range s.barred {
		bar.barred[p] = true
	}
	h.search(bar)
}

// minds is the unit of a choice that the flow minds, -1 where it uses none: the one that
// was used twice last, or else the one that is wanted most.
func (h *hunt) minds(p pick, ch choice) int {
	if u, ok := h.minded[p]; ok {
		return u
	}
	best := -1
	for _, u := range ch.units {
		if best < 0 || h.wanted[u] > h.wanted[best] {
			best = u
		}
	}
	return best
}

// relax solves what is left as a flow from the classes through units, and lines, to the
// sink; false where not every wish has a choice.
func (h *hunt) relax(s state) (map[pick]int, bool) {
	picks := map[pick]int{}
	used := map[int]bool{}
	left := h.lines
	count := make([]int, len(h.classes))
	all := 0
	for k, c := range h.classes {
		count[k] = len(c.members)
	}
	for _, p := range s.taken {
		picks[p]++
		if count[p.class]--; count[p.class] < 0 {
			return nil, false
		}
		for _, u := range h.classes[p.class].choices[p.choice].units {
			if used[u] {
				return nil, false
			}
			used[u] = true
		}
		if h.lines >= 0 {
			if left -= h.classes[p.class].choices[p.choice].lines[h.limit]; left < 0 {
				return nil, false
			}
		}
	}
	n := flow.New(h.levels)
	source, sink := n.Node(), n.Node()
	line := -1
	if h.lines >= 0 {
		line = n.Node()
		n.Arc(line, sink, left, nil)
	}
	outs := make([]int, len(h.caps))
	for r, most := range h.caps {
		outs[r] = n.Node()
		for _, p := range s.taken {
			if h.classes[p.class].choices[p.choice].out == r {
				most--
			}
		}
		if most < 0 {
			return nil, false
		}
		n.Arc(outs[r], sink, most, nil)
	}
	units := map[[2]int]int{} // by unit, and whether it takes a line
	arcs := map[int]pick{}
	order := []int{}
	for k, c := range h.classes {
		if count[k] == 0 {
			continue
		}
		all += count[k]
		node := n.Node()
		n.Arc(source, node, count[k], nil)
		for j, ch := range c.choices {
			h.work++
			if s.barred[pick{k, j}] || slices.ContainsFunc(ch.units, func(u int) bool { return used[u] }) {
				continue
			}
			end, takes := sink, 0
			if h.lines >= 0 && ch.lines[h.limit] > 0 {
				if end, takes = line, 1; ch.lines[h.limit] > left {
					continue
				}
			}
			to := end
			if h.caps != nil && ch.out >= 0 {
				to = outs[ch.out]
			} else if u := h.minds(pick{k, j}, ch); u >= 0 {
				key := [2]int{u, takes}
				if _, ok := units[key]; !ok {
					units[key] = n.Node()
					n.Arc(units[key], end, 1, nil)
				}
				to = units[key]
			}
			a := n.Arc(node, to, flow.Endless, ch.cost)
			arcs[a] = pick{k, j}
			order = append(order, a)
		}
	}
	sent := n.Send(source, sink, all, h.stopped)
	if h.work += n.Work(); sent < all {
		return nil, false
	}
	for _, a := range order {
		if c := n.Carries(a); c > 0 {
			picks[arcs[a]] += c
		}
	}
	return picks, true
}

// overused finds a choice that uses a unit which is used twice, or more lines than there
// are, the one that uses most, and that unit; class -1 where there is none.
func (h *hunt) overused(picks map[pick]int) (worst pick, unit int) {
	count := map[int]int{}
	lines := 0
	var order []pick
	for k, c := range h.classes {
		for j, ch := range c.choices {
			n := picks[pick{k, j}]
			if n == 0 {
				continue
			}
			order = append(order, pick{k, j})
			for _, u := range ch.units {
				count[u] += n
			}
			if h.lines >= 0 {
				lines += n * ch.lines[h.limit]
			}
		}
	}
	worst, unit = pick{-1, -1}, -1
	most := 0
	for _, p := range order {
		ch := h.classes[p.class].choices[p.choice]
		uses := len(ch.units)
		k := slices.IndexFunc(ch.units, func(u int) bool { return count[u] > 1 })
		bad := k >= 0
		if h.lines >= 0 && lines > h.lines {
			uses += ch.lines[h.limit]
			bad = bad || ch.lines[h.limit] > 0
		}
		if bad && uses > most {
			worst, most, unit = p, uses, -1
			if k >= 0 {
				unit = ch.units[k]
			}
		}
	}
	return worst, unit
}
