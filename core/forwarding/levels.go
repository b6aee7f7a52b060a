package forwarding

import (
	"slices"

	"vestpin/core/flow"
)

// levels is the order in which answers are compared: wishes left out of each place in line,
// then devices set anew, forwards changed, preferences missed, those of each rank, lines. What
// works now comes first in line, then the ranks: nothing that is still wanted stops working
// for the sake of something else.
type levels struct {
	ranks []int // the places in line
	prefs []int // the ranks of devices
}

// notYet is added to the rank of what does not work now, for its place in line.
const notYet = 1000

func levelsOf(wishes []*wish) levels {
	var l levels
	for _, w := range wishes {
		if !slices.Contains(l.ranks, w.rank) {
			l.ranks = append(l.ranks, w.rank)
		}
		if r := w.Device.Importance(); !slices.Contains(l.prefs, r) {
			l.prefs = append(l.prefs, r)
		}
	}
	slices.Sort(l.ranks)
	slices.Sort(l.prefs)
	return l
}

func (l levels) count() int { return len(l.ranks) + len(l.prefs) + 4 }

// What an answer costs, by name.
type price struct {
	out, setTo bool
	changed    int
	missed     bool
	lines      int
}

// cost puts a price of a wish into levels.
func (l levels) cost(w *wish, p price) flow.Cost {
	c := make(flow.Cost, l.count())
	n := len(l.ranks)
	if p.out {
		c[slices.Index(l.ranks, w.rank)]++
	}
	if p.setTo {
		c[n]++
	}
	c[n+1] += p.changed
	if p.missed {
		c[n+2]++
		c[n+3+slices.Index(l.prefs, w.Device.Importance())]++
	}
	c[n+3+len(l.prefs)] += p.lines
	return c
}

// unmet is how many wishes of a cost are left out.
func (l levels) unmet(c flow.Cost) int {
	n := 0
	for k := range l.ranks {
		n += c[k]
	}
	return n
}
