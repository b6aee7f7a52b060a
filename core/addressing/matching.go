package addressing

import (
	"cmp"
	"slices"
)

// searchLimit bounds the search for whom to leave out when room is short.
const searchLimit = 20000

// usable reports whether row i may take column c when the rows of out stay
// without a new pin.
func (b *board) usable(i, c int, out []bool) bool {
	if !b.allowed[i][c] {
		return false
	}
	for _, s := range b.blockers[c] {
		if s != i && out[s] && (b.rows[i].Interface.Pin == nil || pinAddress(b.rows[i]) != pinAddress(b.rows[s])) {
			return false
		}
	}
	return true
}

// match gives each row that is not out a column, as many as can be, by
// augmenting paths. It returns the column of each row, or -1, and the rows that
// share too few columns with the first row that found none.
func (b *board) match(out []bool) (columns []int, short []int) {
	owner := make([]int, len(b.cols))
	for c := range owner {
		owner[c] = -1
	}
	columns = make([]int, len(b.rows))
	seen := make([]int, len(b.cols))
	var visited []int
	var try func(i, round int) bool
	try = func(i, round int) bool {
		visited = append(visited, i)
		for c := range b.cols {
			if seen[c] == round || !b.usable(i, c, out) {
				continue
			}
			seen[c] = round
			if owner[c] < 0 || try(owner[c], round) {
				owner[c], columns[i] = i, c
				return true
			}
		}
		return false
	}
	for _, i := range b.byRank() {
		b.v.Breathe()
		columns[i] = -1
		if out[i] {
			continue
		}
		visited = visited[:0]
		if !try(i, i+1) && short == nil {
			short = slices.Clone(visited)
		}
	}
	return columns, short
}

// byRank is the rows, the most important first.
func (b *board) byRank() []int {
	order := make([]int, len(b.rows))
	for i := range order {
		order[i] = i
	}
	slices.SortStableFunc(order, func(i, j int) int {
		return cmp.Compare(b.rows[i].Device.Importance(), b.rows[j].Device.Importance())
	})
	return order
}

func (b *board) allFit() bool {
	_, short := b.match(make([]bool, len(b.rows)))
	return short == nil
}

// loss is what leaving rows out costs: how many, then how many of rank 1, of
// rank 2 and so on.
func (b *board) loss(out []bool, more int) []int {
	l := make([]int, 101)
	l[0] = more
	for i, o := range out {
		if o {
			l[0]++
			l[b.rows[i].Device.Importance()]++
		}
	}
	return l
}

// leaveOut finds the rows that stay without a pin: as few as possible, and of
// low rank; of equal choices the one that serves the later promises best. Rows
// left out keep the address where they were seen, so leaving one out may cost
// another its place: where that happens the choice is searched.
func (b *board) leaveOut() (left []int, proven bool) {
	if b.allFit() {
		return nil, true
	}
	if out, ok := b.leaveOutByCost(); ok {
		return chosen(out), true
	}
	h := leaving{board: b, out: make([]bool, len(b.rows))}
	h.search(make([]bool, len(b.rows)))
	if h.best == nil {
		h.best = slices.Repeat([]bool{true}, len(b.rows))
	}
	return chosen(h.best), h.visits <= searchLimit
}

func chosen(out []bool) (list []int) {
	for i, o := range out {
		if o {
			list = append(list, i)
		}
	}
	return list
}

// leaveOutByCost gives each row a way out that costs more than all else, by its
// rank. The answer holds unless somebody then sits where a row left out was seen.
func (b *board) leaveOutByCost() ([]bool, bool) {
	n, m := len(b.rows), len(b.cols)
	step := b.costLimit() * int64(n+1)
	if step > far/200 {
		return nil, false
	}
	none := make([]bool, n)
	cost := make([][]int64, n)
	for i := range cost {
		cost[i] = make([]int64, m+n)
		for c := range cost[i] {
			cost[i][c] = far
			if c < m && b.usable(i, c, none) {
				cost[i][c] = b.cost(i, c)
			}
		}
		cost[i][m+i] = step * int64(200-b.rows[i].Device.Importance())
	}
	columns := cheapest(cost, m+n, b.v.Breathe)
	out := make([]bool, n)
	for i, c := range columns {
		out[i] = c >= m
	}
	for i, c := range columns {
		if c < m && !b.usable(i, c, out) {
			return nil, false
		}
	}
	return out, true
}

// leaving is the search for whom to leave out.
type leaving struct {
	board  *board
	out    []bool
	best   []bool
	loss   []int
	cost   int64
	visits int
}

func (h *leaving) search(keep []bool) {
	h.board.v.Breathe()
	if h.visits++; h.visits > searchLimit {
		return
	}
	columns, short := h.board.match(h.out)
	missing := 0
	for i, c := range columns {
		if c < 0 && !h.out[i] {
			missing++
		}
	}
	loss := h.board.loss(h.out, missing)
	if h.best != nil && slices.Compare(loss, h.loss) > 0 {
		return
	}
	if short == nil {
		cost := h.board.costOf(chosen(h.out))
		if h.best == nil || slices.Compare(loss, h.loss) < 0 || cost < h.cost {
			h.best, h.loss, h.cost = slices.Clone(h.out), loss, cost
		}
		return
	}
	slices.SortStableFunc(short, func(i, j int) int {
		return cmp.Or(cmp.Compare(h.board.rows[j].Device.Importance(), h.board.rows[i].Device.Importance()), cmp.Compare(j, i))
	})
	kept := slices.Clone(keep)
	for _, i := range short {
		if kept[i] {
			continue
		}
		h.out[i] = true
		h.search(kept)
		h.out[i] = false
		kept[i] = true
	}
}

func (b *board) costOf(left []int) int64 {
	sum := int64(0)
	for i, c := range b.assign(left) {
		if c >= 0 {
			sum += b.cost(i, c)
		}
	}
	return sum
}

// far is the cost of a column that a row cannot take.
const far = int64(1) << 60

// assign gives each row that is not left out a column, -1 for the others: at the
// lowest cost, and among the cheapest ways the one that gives the first row the
// lowest address, then the second, and so on.
func (b *board) assign(left []int) []int {
	out := make([]bool, len(b.rows))
	for _, i := range left {
		out[i] = true
	}
	var rows []int
	for i := range b.rows {
		if !out[i] {
			rows = append(rows, i)
		}
	}
	cost := make([][]int64, len(rows))
	for k, i := range rows {
		cost[k] = make([]int64, len(b.cols))
		for c := range b.cols {
			cost[k][c] = far
			if b.usable(i, c, out) {
				cost[k][c] = b.cost(i, c)
			}
		}
	}
	result := make([]int, len(b.rows))
	for i := range result {
		result[i] = -1
	}
	for k, c := range cheapest(cost, len(b.cols), b.v.Breathe) {
		result[rows[k]] = c
	}
	return result
}

// cheapest solves the assignment problem (the Hungarian method by shortest
// augmenting paths) for rows that can all be placed, then moves the rows, first
// to last, to their lowest columns without making the whole dearer.
func cheapest(cost [][]int64, cols int, breathe func()) []int {
	u, v := make([]int64, len(cost)+1), make([]int64, cols+1)
	owner, way := make([]int, cols+1), make([]int, cols+1) // 1-based; 0 is nobody
	for i := 1; i <= len(cost); i++ {
		breathe()
		owner[0] = i
		at := 0
		slack := make([]int64, cols+1)
		used := make([]bool, cols+1)
		for j := range slack {
			slack[j] = far * 2
		}
		for owner[at] != 0 {
			used[at] = true
			row, delta, next := owner[at], far*2, 0
			for j := 1; j <= cols; j++ {
				if used[j] {
					continue
				}
				if cur := cost[row-1][j-1] - u[row] - v[j]; cur < slack[j] {
					slack[j], way[j] = cur, at
				}
				if slack[j] < delta {
					delta, next = slack[j], j
				}
			}
			for j := 0; j <= cols; j++ {
				if used[j] {
					u[owner[j]] += delta
					v[j] -= delta
				} else {
					slack[j] -= delta
				}
			}
			at = next
		}
		for at != 0 {
			owner[at] = owner[way[at]]
			at = way[at]
		}
	}
	t := tight{cost: cost, u: u[1:], v: v[1:], owner: make([]int, cols), columns: make([]int, len(cost)), fixed: make([]bool, len(cost))}
	for c := range cols {
		t.owner[c] = owner[c+1] - 1
		if t.owner[c] >= 0 {
			t.columns[t.owner[c]] = c
		}
	}
	for i := range cost {
		breathe()
		for c := 0; c < t.columns[i]; c++ {
			if t.at(i, c) && t.swap(i, c) {
				break
			}
		}
		t.fixed[i] = true
	}
	return t.columns
}

// tight is the part of an assignment problem in which all best answers lie: a
// row only takes columns that cost it nothing over its potential, and a column
// whose potential is not zero must be taken by somebody.
type tight struct {
	cost    [][]int64
	u, v    []int64
	owner   []int // by column, -1 for nobody
	columns []int
	fixed   []bool
}

func (t *tight) at(i, c int) bool { return t.cost[i][c] < far && t.cost[i][c] == t.u[i]+t.v[c] }

// swap moves row i to column c if the others can make way in a best answer.
// Nobody, who owns the free columns, can take any column of potential zero.
func (t *tight) swap(i, c int) bool {
	goal := t.columns[i]
	from := map[int]int{c: -1} // how each column was come by: from the column its new owner leaves
	queue := []int{c}
	for len(queue) > 0 {
		at := queue[0]
		queue = queue[1:]
		who := t.owner[at]
		if who >= 0 && (t.fixed[who] || who == i) {
			continue
		}
		for next := range t.owner {
			if _, known := from[next]; known {
				continue
			}
			if (who < 0 && t.v[next] != 0) || (who >= 0 && !t.at(who, next)) {
				continue
			}
			from[next] = at
			if next == goal {
				t.shift(i, goal, from)
				return true
			}
			queue = append(queue, next)
		}
	}
	return false
}

func (t *tight) shift(i, goal int, from map[int]int) {
	for at := goal; ; at = from[at] {
		if from[at] < 0 {
			t.owner[at], t.columns[i] = i, at
			return
		}
		who := t.owner[from[at]]
		t.owner[at] = who
		if who >= 0 {
			t.columns[who] = at
		}
	}
}
