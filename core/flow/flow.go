// Package flow sends units through a network of arcs at the lowest cost, where a cost
// is a list of counts, each compared before the next. It knows nothing of what the
// units are.
//
// The method is the primal-dual one: shortest paths by reduced costs give potentials,
// and what then costs nothing is filled before the next paths are looked for. All
// figures are whole numbers, so the answer is exact and the same on every machine.
package flow

import (
	"container/heap"
	"slices"
)

// Endless is room without a limit.
const Endless = 1 << 30

// Cost is what a unit costs at each level; absent levels are 0. The sum along a path
// must stay below 1<<20 at each level.
type Cost []int

// Sum is what two costs are together; they have as many levels.
func Sum(a, b Cost) Cost {
	out := slices.Clone(a)
	for i := range b {
		out[i] += b[i]
	}
	return out
}

const (
	perWord = 3
	bits    = 21
)

// Network is nodes joined by arcs. Arcs come in pairs, an arc and the way back, which
// has as much room as the arc carries.
type Network struct {
	words int
	zero  []int64
	arcs  []arc
	from  [][]int32 // by node: its arcs
	pot   []int64   // by node and word
	tight []bool    // by arc, from Settle on
	work  int

	// Memory that is used again: of price, and of Toward what it reached.
	queue   queue
	next    []int64
	first   []int32
	reached []int32
}

type arc struct {
	to   int32
	room int32
	cost []int64
}

// New is a network without nodes whose costs have so many levels.
func New(levels int) *Network {
	words := max(1, (levels+perWord-1)/perWord)
	return &Network{words: words, zero: make([]int64, words), next: make([]int64, words)}
}

// Node adds a node.
func (n *Network) Node() int {
	n.from = append(n.from, nil)
	n.pot = append(n.pot, make([]int64, n.words)...)
	return len(n.from) - 1
}

// Arc adds an arc and gives its number.
func (n *Network) Arc(from, to, room int, cost Cost) int {
	if cost == nil {
		return n.join(from, to, room, n.zero, n.zero)
	}
	there, back := make([]int64, n.words), make([]int64, n.words)
	for level, c := range cost {
		there[level/perWord] += int64(c) << (bits * (perWord - 1 - level%perWord))
	}
	for w := range there {
		back[w] = -there[w]
	}
	return n.join(from, to, room, there, back)
}

func (n *Network) join(from, to, room int, there, back []int64) int {
	n.arcs = append(n.arcs, arc{int32(to), int32(room), there}, arc{int32(from), 0, back})
	id := len(n.arcs) - 2
	n.from[from] = append(n.from[from], int32(id))
	n.from[to] = append(n.from[to], int32(id+1))
	return id
}

// Work tells how much was looked at so far, in arcs and words of their costs: the same on
// every machine.
func (n *Network) Work() int { return n.work }

// Carries tells how many units go through an arc.
func (n *Network) Carries(a int) int { return int(n.arcs[a^1].room) }

// Send sends at most so many units from one node to another at the lowest cost and
// gives how many went. It ends early once stopped says so.
func (n *Network) Send(source, sink, most int, stopped func() bool) int {
	sent := 0
	seen := make([]bool, len(n.from))
	for sent < most && n.price(source, sink) {
		for sent < most {
			if stopped() {
				return sent
			}
			clear(seen)
			more := n.push(source, sink, most-sent, seen)
			if more == 0 {
				break
			}
			sent += more
		}
	}
	return sent
}

// push fills what costs nothing by the potentials, each node looked at once.
func (n *Network) push(at, sink, most int, seen []bool) int {
	if at == sink {
		return most
	}
	seen[at] = true
	n.work += len(n.from[at])
	sent := 0
	for _, id := range n.from[at] {
		a := &n.arcs[id]
		if a.room == 0 || seen[a.to] || !n.free(at, a) {
			continue
		}
		more := n.push(int(a.to), sink, min(most-sent, int(a.room)), seen)
		a.room -= int32(more)
		n.arcs[id^1].room += int32(more)
		if sent += more; sent == most {
			seen[at] = false // there may be more to come this way
			break
		}
	}
	return sent
}

// free reports whether an arc costs nothing by the potentials.
func (n *Network) free(at int, a *arc) bool {
	p, q := n.pot[at*n.words:], n.pot[int(a.to)*n.words:]
	for w, c := range a.cost {
		if c+p[w] != q[w] {
			return false
		}
	}
	return true
}

// price moves the potentials to the lengths of the shortest paths; false where the
// sink cannot be reached.
func (n *Network) price(source, sink int) bool {
	q, next := &n.queue, n.next
	q.begin(n, source)
	for len(q.nodes) > 0 {
		at := int(heap.Pop(q).(int32))
		if at == sink {
			break // what is further away moves as far as the sink
		}
		n.work += len(n.from[at]) * n.words
		for _, id := range n.from[at] {
			a := &n.arcs[id]
			to := int(a.to)
			if a.room == 0 || q.place[to] == settled {
				continue
			}
			for w := range next {
				next[w] = q.dist[at*n.words+w] + a.cost[w] + n.pot[at*n.words+w] - n.pot[to*n.words+w]
			}
			known := q.dist[to*n.words : (to+1)*n.words]
			switch {
			case q.place[to] == unknown:
				copy(known, next)
				heap.Push(q, a.to)
			case slices.Compare(next, known) < 0:
				copy(known, next)
				heap.Fix(q, q.place[to])
			}
		}
	}
	if q.place[sink] == unknown {
		return false
	}
	far := q.dist[sink*n.words : (sink+1)*n.words]
	for v := range n.from {
		d := q.dist[v*n.words : (v+1)*n.words]
		if q.place[v] != settled {
			d = far
		}
		for w := range d {
			n.pot[v*n.words+w] += d[w]
		}
	}
	return true
}

// queue is the nodes at the edge of what is reached, the nearest first.
type queue struct {
	n     *Network
	dist  []int64
	nodes []int32
	place []int // in nodes, or unknown, or settled
}

const (
	unknown = -1
	settled = -2
)

func (q *queue) begin(n *Network, source int) {
	q.n = n
	q.dist = slices.Grow(q.dist[:0], len(n.pot))[:len(n.pot)]
	clear(q.dist[source*n.words : (source+1)*n.words])
	q.place = slices.Grow(q.place[:0], len(n.from))[:len(n.from)]
	for v := range q.place {
		q.place[v] = unknown
	}
	q.place[source] = 0
	q.nodes = append(q.nodes[:0], int32(source))
}

func (q *queue) Len() int { return len(q.nodes) }
func (q *queue) Less(i, j int) bool {
	w := q.n.words
	a, b := int(q.nodes[i])*w, int(q.nodes[j])*w
	c := slices.Compare(q.dist[a:a+w], q.dist[b:b+w])
	return c < 0 || c == 0 && q.nodes[i] < q.nodes[j]
}
func (q *queue) Swap(i, j int) {
	q.nodes[i], q.nodes[j] = q.nodes[j], q.nodes[i]
	q.place[q.nodes[i]], q.place[q.nodes[j]] = i, j
}
func (q *queue) Push(x any) {
	q.place[x.(int32)] = len(q.nodes)
	q.nodes = append(q.nodes, x.(int32))
}
func (q *queue) Pop() any {
	last := len(q.nodes) - 1
	x := q.nodes[last]
	q.nodes = q.nodes[:last]
	q.place[x] = settled
	return x
}

// Total is what all that is sent costs, to be compared from the front.
func (n *Network) Total() []int64 {
	sum := make([]int64, n.words)
	for a := 0; a < len(n.arcs); a += 2 {
		if carries := int64(n.arcs[a+1].room); carries > 0 {
			for w, c := range n.arcs[a].cost {
				sum[w] += c * carries
			}
		}
	}
	return sum
}

// Price is by how much all would cost more, at least, if a full arc had one unit less of
// room: the dual of its room.
func (n *Network) Price(a int) []int64 {
	from, to := int(n.arcs[a^1].to), int(n.arcs[a].to)
	price := make([]int64, n.words)
	for w, c := range n.arcs[a].cost {
		price[w] = n.pot[to*n.words+w] - n.pot[from*n.words+w] - c
	}
	return price
}

// Align gives a node the potential of another, so that an arc between them that costs
// nothing is as good as none.
func (n *Network) Align(node, other int) {
	copy(n.pot[node*n.words:(node+1)*n.words], n.pot[other*n.words:])
}

// Settle ends the sending: from here on units are only moved where that costs nothing.
func (n *Network) Settle() {
	n.tight = make([]bool, len(n.arcs))
	for at := range n.from {
		for _, id := range n.from[at] {
			n.tight[id] = n.free(at, &n.arcs[id])
		}
	}
}

// Tight reports whether a unit may be moved to an arc without making the whole dearer.
func (n *Network) Tight(a int) bool { return n.tight[a] }

// Through reports whether a unit goes all along some arcs that join.
func (n *Network) Through(arcs ...int) bool {
	return !slices.ContainsFunc(arcs, func(a int) bool { return n.Carries(a) == 0 })
}

// Toward gives for each node the first arc of a way to a goal along which a unit could
// be moved without making the whole dearer: -1 where there is none, and at the goal.
// It holds until the next one is asked for.
func (n *Network) Toward(goal int) Way {
	for _, v := range n.reached {
		n.first[v] = -1
	}
	for len(n.first) < len(n.from) {
		n.first = append(n.first, -1)
	}
	first, line := n.first, append(n.reached[:0], int32(goal))
	for i := 0; i < len(line); i++ {
		at := line[i]
		for _, id := range n.from[at] {
			back := id ^ 1 // the arc that comes here from the other end
			from := n.arcs[id].to
			if int(from) != goal && first[from] < 0 && n.arcs[back].room > 0 && n.tight[back] {
				first[from] = back
				line = append(line, from)
			}
		}
	}
	n.reached = line
	return Way{n, goal, first}
}

// Way is how units could go to a goal.
type Way struct {
	n     *Network
	goal  int
	first []int32
}

// Leads reports whether there is a way from a node.
func (w Way) Leads(node int) bool { return node == w.goal || w.first[node] >= 0 }

// Move moves one unit along some arcs and from the end of the last on to the goal.
func (w Way) Move(arcs ...int) {
	at := w.goal
	for _, a := range arcs {
		w.n.move(a)
		at = int(w.n.arcs[a].to)
	}
	for at != w.goal {
		a := w.first[at]
		w.n.move(int(a))
		at = int(w.n.arcs[a].to)
	}
}

func (n *Network) move(a int) {
	n.arcs[a].room--
	n.arcs[a^1].room++
}

// Withdraw takes one unit out of some arcs, and the room it had with it.
func (n *Network) Withdraw(arcs ...int) {
	for _, a := range arcs {
		n.arcs[a^1].room--
	}
}

// Enter puts one unit into some arcs, with the room it takes.
func (n *Network) Enter(arcs ...int) {
	for _, a := range arcs {
		n.arcs[a^1].room++
	}
}

// Room tells how much more an arc can carry; Widen changes that.
func (n *Network) Room(a int) int { return int(n.arcs[a].room) }

// Widen adds room to an arc, or takes it away.
func (n *Network) Widen(a, by int) { n.arcs[a].room += int32(by) }
