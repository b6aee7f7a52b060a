package forwarding

import (
	"fmt"
	"slices"

	"vestpin/core/flow"
)

// mostWork bounds the search in one part: arcs that are looked at.
const mostWork = 3_000_000

// answer is a choice for each wish of a part, by its place there: what it costs, what
// no answer can beat, and whether those are the same.
type answer struct {
	picks  []int
	cost   []int
	bound  []int
	proven bool
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
	breathe func()
}

// alike is wishes with the same choices.
type alike struct {
	choices []choice
	members []int
}

func newProblem(list [][]choice, levels int, breathe func()) *problem {
	q := &problem{list: list, lines: -1, levels: levels, breathe: breathe}
	place := map[string]int{}
	for i, choices := range list {
		key := ""
		for _, ch := range choices {
			key += fmt.Sprint(ch.cost, ch.units, ch.lines)
		}
		k, ok := place[key]
		if !ok {
			k = len(q.classes)
			place[key] = k
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
	first  bool // any answer will do
}

func (q *problem) solve() answer {
	if few(q.list) {
		s := newSmall(q.list, q.levels, q.breathe)
		if q.lines >= 0 {
			s.limit(q.limit, q.lines)
		}
		return s.solve()
	}
	h := &hunt{problem: q, wanted: map[int]int{}, minded: map[pick]int{}}
	for _, c := range q.classes {
		for _, ch := range c.choices {
			for _, u := range ch.units {
				h.wanted[u] += len(c.members)
			}
		}
	}
	h.greedy()
	h.search(state{barred: map[pick]bool{}})
	a := answer{picks: slices.Repeat([]int{-1}, len(q.list)), cost: h.cost, bound: h.root, proven: h.work <= mostWork}
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

// greedy gives each wish in turn the cheapest choice that is left, as a first answer.
func (h *hunt) greedy() {
	used := map[int]bool{}
	left := h.lines
	picks := map[pick]int{}
	class := make([]int, len(h.list))
	for k, c := range h.classes {
		for _, m := range c.members {
			class[m] = k
		}
	}
	for i := range h.list {
		k := class[i]
		j := slices.IndexFunc(h.classes[k].choices, func(ch choice) bool {
			return !slices.ContainsFunc(ch.units, func(u int) bool { return used[u] }) && (h.lines < 0 || ch.lines[h.limit] <= left)
		})
		if j < 0 {
			return
		}
		ch := h.classes[k].choices[j]
		for _, u := range ch.units {
			used[u] = true
		}
		if h.lines >= 0 {
			left -= ch.lines[h.limit]
		}
		picks[pick{k, j}]++
	}
	h.best, h.cost = picks, h.costOf(picks)
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
	h.breathe()
	if h.first && h.best != nil || h.work > mostWork {
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

// most is the unit of a choice that the flow minds, -1 where it uses none: the one that
// was used twice last, or else the one that is wanted most.
func (h *hunt) most(p pick, ch choice) int {
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
			if u := h.most(pick{k, j}, ch); u >= 0 {
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
	if n.Send(source, sink, all, h.breathe) < all {
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
