package diagnosis

import (
	"maps"
	"math"
	"slices"
)

// belief is how likely each row of the table is, in its order; it adds to 1.
type belief []float64

// both is how much rarer than by chance alone two causes are held to be at work in one service:
// what nothing speaks for is not to be named beside what explains all.
const both = 0.3

// believe weighs all causes, each alone and each two together, by what was observed, as if the
// signs came about one apart from the other once the causes are given (naive Bayes). A cause
// that is out of the question has no chance.
func believe(seen map[sign]string, port uint32, can func(cause string) bool) belief {
	out, prior := make(belief, len(table)), make([]float64, len(table))
	for i, r := range table {
		if prior[i] = r.often / 100; !can(r.cause) {
			prior[i] = 0
		}
		if more := blocked[port]; r.cause == ProviderBlocks && more > 0 {
			prior[i] *= more
		}
	}
	at := make([]int, 0, len(seen)) // which columns of the odds hold what was seen
	for s, value := range seen {
		at = append(at, columns[s]+slices.Index(values[s], value))
	}
	slices.Sort(at)
	for i := range table {
		if prior[i] == 0 {
			continue
		}
		alone := prior[i]
		for _, c := range at {
			alone *= odds[i][c].likely
		}
		out[i] += alone
		for j := i + 1; j < len(table); j++ {
			two := prior[i] * prior[j] * both
			for _, c := range at {
				two *= odds[i][c].with(odds[j][c])
			}
			out[i], out[j] = out[i]+two, out[j]+two
		}
	}
	return out.whole()
}

// odd is how likely a value of a sign is where a cause is at work, and whether the cause has
// to do with the sign at all.
type odd struct {
	likely float64
	named  bool
}

// with is the same where two causes are at work: that decides which has to do with the sign.
func (o odd) with(p odd) float64 {
	switch {
	case o.named == p.named:
		return (o.likely + p.likely) / 2
	case o.named:
		return o.likely
	}
	return p.likely
}

// columns is where the values of each sign begin in the odds of a cause, and odds are those
// of the table, worked out once.
var columns, odds = func() (map[sign]int, [][]odd) {
	at, n := map[sign]int{}, 0
	for _, s := range slices.Sorted(maps.Keys(values)) {
		at[s] = n
		n += len(values[s])
	}
	all := make([][]odd, len(table))
	for i, r := range table {
		all[i] = make([]odd, n)
		for s, list := range values {
			_, named := r.signs[s]
			for k, value := range list {
				all[i][at[s]+k] = odd{r.of(s, value), named}
			}
		}
	}
	return at, all
}()

func (b belief) whole() belief {
	sum := 0.0
	for _, p := range b {
		sum += p
	}
	for i := range b {
		b[i] /= sum
	}
	return b
}

// then is what is believed once a sign is seen to have a value, and how likely that is.
func (b belief) then(s sign, value string) (belief, float64) {
	out, sum := make(belief, len(b)), 0.0
	for i, r := range table {
		out[i] = b[i] * r.of(s, value)
		sum += out[i]
	}
	if sum == 0 {
		return b, 0
	}
	return out.whole(), sum
}

// unsure is how many bits it would take to be told whether one cause is it.
func (b belief) unsure(i int) float64 {
	h := 0.0
	for _, p := range []float64{b[i], 1 - b[i]} {
		if p > 0 {
			h -= p * math.Log2(p)
		}
	}
	return h
}

// gain is how many bits a sign is expected to tell of one cause.
func (b belief) gain(i int, s sign) float64 {
	left := 0.0
	for _, value := range values[s] {
		after, p := b.then(s, value)
		left += p * after.unsure(i)
	}
	return b.unsure(i) - left
}

// order gives the causes, the likeliest first; of two alike the one that the table has first.
func (b belief) order() []int {
	out := make([]int, len(b))
	for i := range out {
		out[i] = i
	}
	slices.SortStableFunc(out, func(x, y int) int {
		switch {
		case b[x] > b[y]:
			return -1
		case b[x] < b[y]:
			return 1
		}
		return 0
	})
	return out
}

// next is the look that is expected to tell most of one cause for what it costs, of those
// not taken yet.
func (b belief) next(i int, seen map[sign]string, can func(look) bool) (look, bool) {
	best, most := look{}, 0.0
	for _, l := range looks {
		if _, done := seen[l.sign]; done || !can(l) {
			continue
		}
		if worth := b.gain(i, l.sign) / l.cost; worth > most {
			best, most = l, worth
		}
	}
	return best, most > 0.0005
}

// look is a further look that somebody may take, and what it costs, in minutes.
type look struct {
	sign sign
	cost float64
	says string
}

var looks = []look{
	{upnp, 0.5, "Ask the router which ports devices had it open."},
	{name, 0.5, "Look up what the name stands for."},
	{wan, 1, "Read the router's status page: which outside address does it show?"},
	{inside, 1, "Try it from inside, beside the router."},
	{there, 1, "See from inside who answers at its address."},
	{held, 2, "Read the router's forwarding page and compare it with the plan."},
	{stand, 2, "Let this laptop stand in for the device for a moment."},
	{outside, 3, "Try it from elsewhere: by a helper, or from the phone's hotspot."},
	{walk, 6, "Walk to the device: is it on, and what do its own network settings say?"},
}
