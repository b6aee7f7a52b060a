package flow

import (
	"math/rand/v2"
	"slices"
	"testing"
)

// task is a small assignment problem: what each of some rows pays for each of some places,
// of which each has room for so many; none where a row cannot go there.
type task struct {
	cost   [][]Cost
	room   []int
	levels int
}

func random(r *rand.Rand) task {
	k := task{levels: 1 + r.IntN(7)}
	for range 1 + r.IntN(4) {
		k.room = append(k.room, r.IntN(3))
	}
	for range 1 + r.IntN(5) {
		row := make([]Cost, len(k.room))
		for p := range row {
			if r.IntN(4) == 0 {
				continue
			}
			row[p] = make(Cost, k.levels)
			for l := range row[p] {
				row[p][l] = r.IntN(3)
			}
		}
		k.cost = append(k.cost, row)
	}
	return k
}

// best tries everything: as many rows as can be, at the lowest cost.
func (k task) best() (most int, cost []int) {
	left := slices.Clone(k.room)
	var try func(i, placed int, sum []int)
	try = func(i, placed int, sum []int) {
		if i == len(k.cost) {
			if placed > most || placed == most && (cost == nil || slices.Compare(sum, cost) < 0) {
				most, cost = placed, slices.Clone(sum)
			}
			return
		}
		try(i+1, placed, sum)
		for p, c := range k.cost[i] {
			if c == nil || left[p] == 0 {
				continue
			}
			left[p]--
			next := slices.Clone(sum)
			for l := range c {
				next[l] += c[l]
			}
			try(i+1, placed+1, next)
			left[p]++
		}
	}
	try(0, 0, make([]int, k.levels))
	return most, cost
}

// solve solves it as a flow; it gives the arcs from the places to the sink too.
func (k task) solve() (n *Network, sent int, cost []int, places []int) {
	n = New(k.levels)
	source, sink := n.Node(), n.Node()
	nodes := make([]int, len(k.room))
	for p, room := range k.room {
		nodes[p] = n.Node()
		places = append(places, n.Arc(nodes[p], sink, room, nil))
	}
	arcs := map[int]Cost{}
	for _, row := range k.cost {
		node := n.Node()
		n.Arc(source, node, 1, nil)
		for p, c := range row {
			if c != nil {
				arcs[n.Arc(node, nodes[p], Endless, c)] = c
			}
		}
	}
	sent = n.Send(source, sink, len(k.cost), func() bool { return false })
	cost = make([]int, k.levels)
	for a, c := range arcs {
		for l := range c {
			cost[l] += n.Carries(a) * c[l]
		}
	}
	return n, sent, cost, places
}

// A flow sends as much as can be sent at the lowest cost, level for level, and what it
// says of a room that is lost holds.
func TestSendAgainstEveryWay(t *testing.T) {
	r := rand.New(rand.NewPCG(91, 92))
	priced := 0
	for round := range 3000 {
		k := random(r)
		most, want := k.best()
		n, sent, cost, places := k.solve()
		if sent != most || !slices.Equal(cost, want) {
			t.Fatalf("round %d: sent %d at %v, best %d at %v: %+v", round, sent, cost, most, want, k)
		}
		for p, a := range places {
			if k.room[p] == 0 || n.Carries(a) < k.room[p] || sent < len(k.cost) {
				continue
			}
			less := k
			less.room = slices.Clone(k.room)
			less.room[p]--
			m, _, _, _ := less.solve()
			if fewer, _ := less.best(); fewer < most {
				continue // then fewer are sent, which is worse than any cost
			}
			bound := n.Price(a)
			for w, c := range n.Total() {
				bound[w] += c
			}
			if priced++; slices.Compare(m.Total(), bound) < 0 {
				t.Fatalf("round %d: without one room it costs %v, and %v was the least: %+v", round, m.Total(), bound, k)
			}
		}
	}
	if priced < 300 {
		t.Errorf("only %d prices were held", priced)
	}
}
