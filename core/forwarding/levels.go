package forwarding

import (
	"slices"

	"vestpin/core/flow"
	"vestpin/core/site"
)

// levels is the order in which answers are compared: wishes left out of each rank, then
// devices set anew, forwards changed, preferences missed, those of each rank, lines.
type levels struct{ ranks []int }

func levelsOf(open []site.Wish) levels {
	var l levels
	for _, w := range open {
		if r := w.Device.Importance(); !slices.Contains(l.ranks, r) {
			l.ranks = append(l.ranks, r)
		}
	}
	slices.Sort(l.ranks)
	return l
}

func (l levels) count() int { return 2*len(l.ranks) + 4 }

// What an answer costs, by name.
type price struct {
	out, setTo bool
	changed    int
	missed     bool
	lines      int
}

// cost puts a price of a wish of some rank into levels.
func (l levels) cost(rank int, p price) flow.Cost {
	c := make(flow.Cost, l.count())
	k, n := slices.Index(l.ranks, rank), len(l.ranks)
	if p.out {
		c[k]++
	}
	if p.setTo {
		c[n]++
	}
	c[n+1] += p.changed
	if p.missed {
		c[n+2]++
		c[n+3+k]++
	}
	c[2*n+3] += p.lines
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
