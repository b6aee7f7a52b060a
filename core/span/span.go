// Package span knows sets of numbers held as sorted runs. Ports and IPv4
// addresses are both spans; it knows neither protocols nor networks.
package span

import (
	"cmp"
	"slices"
)

// Run is the numbers from Lo to Hi, both included. Lo is never above Hi.
type Run struct{ Lo, Hi uint32 }

// Len is how many numbers the run holds.
func (r Run) Len() int { return int(r.Hi-r.Lo) + 1 }

// Contains reports whether n lies in the run.
func (r Run) Contains(n uint32) bool { return r.Lo <= n && n <= r.Hi }

// Touches reports whether the two runs share at least one number.
func (r Run) Touches(t Run) bool { return r.Lo <= t.Hi && t.Lo <= r.Hi }

// Set is a set of numbers held as sorted, disjoint, non-touching runs.
// The zero Set is empty and ready to use.
type Set struct{ runs []Run }

// Of joins runs, given in any order and overlapping as they like, into a set.
func Of(runs ...Run) Set {
	sorted := slices.Clone(runs)
	slices.SortFunc(sorted, func(a, b Run) int { return cmp.Compare(a.Lo, b.Lo) })
	var s Set
	for _, r := range sorted {
		s.add(r)
	}
	return s
}

// One is the set of a single number.
func One(n uint32) Set { return Set{runs: []Run{{n, n}}} }

// Runs gives the runs in rising order; the caller may keep the slice.
func (s Set) Runs() []Run { return slices.Clone(s.runs) }

// Empty reports whether the set holds nothing.
func (s Set) Empty() bool { return len(s.runs) == 0 }

// Len is how many numbers the set holds.
func (s Set) Len() int {
	n := 0
	for _, r := range s.runs {
		n += r.Len()
	}
	return n
}

// Size is how many runs the set has.
func (s Set) Size() int { return len(s.runs) }

// Contains reports whether n is in the set.
func (s Set) Contains(n uint32) bool {
	i, _ := slices.BinarySearchFunc(s.runs, n, func(r Run, n uint32) int { return cmp.Compare(r.Hi, n) })
	return i < len(s.runs) && s.runs[i].Lo <= n
}

// Touches reports whether any of a run is in the set.
func (s Set) Touches(r Run) bool {
	i, _ := slices.BinarySearchFunc(s.runs, r.Lo, func(t Run, n uint32) int { return cmp.Compare(t.Hi, n) })
	return i < len(s.runs) && s.runs[i].Touches(r)
}

// Union is what either set holds.
func (s Set) Union(t Set) Set {
	if s.Empty() {
		return t
	}
	if t.Empty() {
		return s
	}
	out := Set{runs: make([]Run, 0, len(s.runs)+len(t.runs))}
	for i, j := 0, 0; i < len(s.runs) || j < len(t.runs); {
		if j == len(t.runs) || i < len(s.runs) && s.runs[i].Lo <= t.runs[j].Lo {
			out.add(s.runs[i])
			i++
		} else {
			out.add(t.runs[j])
			j++
		}
	}
	return out
}

// add joins a run that does not begin before the last one.
func (s *Set) add(r Run) {
	last := len(s.runs) - 1
	if last >= 0 && uint64(s.runs[last].Hi)+1 >= uint64(r.Lo) {
		s.runs[last].Hi = max(s.runs[last].Hi, r.Hi)
		return
	}
	s.runs = append(s.runs, r)
}

// Overlap is what both sets hold.
func (s Set) Overlap(t Set) Set {
	var out Set
	for i, j := 0, 0; i < len(s.runs) && j < len(t.runs); {
		a, b := s.runs[i], t.runs[j]
		if a.Touches(b) {
			out.runs = append(out.runs, Run{max(a.Lo, b.Lo), min(a.Hi, b.Hi)})
		}
		if a.Hi < b.Hi {
			i++
		} else {
			j++
		}
	}
	return out
}

// Minus is what s holds and t does not.
func (s Set) Minus(t Set) Set {
	var out Set
	first := 0 // the first of t that does not end before the run at hand
	for _, r := range s.runs {
		lo := uint64(r.Lo)
		for first < len(t.runs) && t.runs[first].Hi < r.Lo {
			first++
		}
		for i := first; i < len(t.runs) && t.runs[i].Lo <= r.Hi; i++ {
			if cut := t.runs[i]; uint64(cut.Lo) > lo {
				out.runs = append(out.runs, Run{uint32(lo), cut.Lo - 1})
			}
			lo = uint64(t.runs[i].Hi) + 1
		}
		if lo <= uint64(r.Hi) {
			out.runs = append(out.runs, Run{uint32(lo), r.Hi})
		}
	}
	return out
}

// Covers reports whether all of t is in s.
func (s Set) Covers(t Set) bool {
	i := 0
	for _, r := range t.runs {
		if len(t.runs) == 1 {
			i, _ = slices.BinarySearchFunc(s.runs, r.Lo, func(r Run, n uint32) int { return cmp.Compare(r.Hi, n) })
		}
		for i < len(s.runs) && s.runs[i].Hi < r.Lo {
			i++
		}
		if i == len(s.runs) || s.runs[i].Lo > r.Lo || s.runs[i].Hi < r.Hi {
			return false
		}
	}
	return true
}

// First is the lowest run of n numbers that lies whole in the set.
func (s Set) First(n int) (Run, bool) {
	for _, r := range s.runs {
		if n > 0 && r.Len() >= n {
			return Run{r.Lo, r.Lo + uint32(n) - 1}, true
		}
	}
	return Run{}, false
}

// Numbers walks the numbers of the set in rising order.
func (s Set) Numbers(yield func(uint32) bool) {
	for _, r := range s.runs {
		for n := uint64(r.Lo); n <= uint64(r.Hi); n++ {
			if !yield(uint32(n)) {
				return
			}
		}
	}
}
