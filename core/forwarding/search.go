package forwarding

import (
	"slices"
	"strconv"

	"vestpin/core/site"
	"vestpin/core/span"
)

// searchLimit bounds the steps of the search for the best set of ways among up to
// fewWishes. Each step looks at all wishes that are left, so among more there are as
// many fewer steps, though always some for each wish.
const (
	searchLimit = 60000
	fewWishes   = 200
)

func limitFor(wishes int) int {
	if wishes <= fewWishes {
		return searchLimit
	}
	return max(2*wishes+fewWishes, searchLimit*fewWishes/wishes)
}

// score orders answers: wishes met of each rank, the more the better, then
// devices to be set anew, forwards changed, preferences missed, those by rank,
// and lines, the fewer the better. It is compared from the front.
type score [106]int

const atCosts = 100

func (s score) less(t score) bool { return slices.Compare(s[:], t[:]) < 0 }

// hunt is the state of one search.
type hunt struct {
	p       *planner
	wishes  []*wish
	chosen  []*way
	placed  []*leg
	room    map[string]int
	now     score
	best    []*way
	worst   score // the score of best
	found   bool
	all     bool // only an answer that meets every wish counts
	visits  int
	limit   int
	needles []string // the one outside port of a wish that has no choice
	used    map[string]bool
}

// search gives the best way for each wish, nil for those left out, and whether
// no better answer exists. With all set it gives nil where not every wish can
// be met.
func (p *planner) search(wishes []*wish, all bool) ([]*way, bool) {
	h := &hunt{p: p, wishes: wishes, chosen: make([]*way, len(wishes)), all: all, limit: limitFor(len(wishes)), room: map[string]int{}, used: map[string]bool{}}
	for r, n := range p.room {
		h.room[r] = n
	}
	for _, w := range wishes {
		h.needles = append(h.needles, needle(w))
	}
	h.step(0)
	if h.best == nil && !all {
		h.best = make([]*way, len(wishes))
	}
	return h.best, h.visits <= h.limit
}

// needle names the outside port of a wish that could be met in one place only:
// of several such wishes at one port at most one can be met.
func needle(w *wish) string {
	key := ""
	for _, wy := range w.ways {
		if len(wy.legs) == 0 {
			return ""
		}
		l := wy.legs[len(wy.legs)-1]
		if l.outside > 0 || len(l.forward.From) > 0 {
			return ""
		}
		k := l.router.ID + " " + string(l.forward.Protocol.Each()[0]) + " " + strconv.Itoa(int(l.forward.Outside.At(0)))
		if key != "" && key != k {
			return ""
		}
		key = k
	}
	return key
}

func (h *hunt) step(i int) {
	if h.visits++; h.visits > h.limit || (h.all && h.found) {
		return
	}
	if h.visits%64 == 1 {
		h.p.v.Breathe()
	}
	if h.found && !h.bound(i).less(h.worst) {
		return
	}
	if i == len(h.wishes) {
		h.found, h.worst = true, h.now
		h.best = slices.Clone(h.chosen)
		return
	}
	w := h.wishes[i]
	for k := range w.ways {
		wy := &w.ways[k]
		if !h.fits(wy) {
			continue
		}
		before := h.now
		h.take(i, w, wy, 1)
		h.step(i + 1)
		h.take(i, w, wy, -1)
		h.now = before
	}
	if !h.all {
		h.chosen[i] = nil
		h.now[atCosts+1] += len(w.existing) // they would be shut
		h.step(i + 1)
		h.now[atCosts+1] -= len(w.existing)
	}
}

// bound is a score that no way to go on from here can beat.
func (h *hunt) bound(i int) score {
	s := h.now
	room := 0
	for _, n := range h.room {
		room += max(0, n)
	}
	limited := len(h.room) == len(h.p.v.Routers)
	counted := map[string]bool{}
	for k := i; k < len(h.wishes); k++ {
		w := h.wishes[k]
		if len(w.ways) == 0 {
			continue
		}
		if n := h.needles[k]; n != "" {
			if h.used[n] || counted[n] {
				continue
			}
			counted[n] = true
		}
		if limited {
			if room <= 0 && leastLines(w) > 0 {
				continue
			}
			room -= leastLines(w)
		}
		s[w.Device.Importance()]--
	}
	return s
}

func leastLines(w *wish) int {
	least := -1
	for _, wy := range w.ways {
		n := 0
		for _, l := range wy.legs {
			n += l.lines
		}
		if least < 0 || n < least {
			least = n
		}
	}
	// A bound must not be too strict: a cheap wish further on could use the room.
	return min(least, 1)
}

// take enters a way into the state, or with sign -1 takes it out again.
func (h *hunt) take(i int, w *wish, wy *way, sign int) {
	h.chosen[i] = nil
	if n := h.needles[i]; n != "" {
		h.used[n] = sign > 0
	}
	lines := 0
	for k := range wy.legs {
		l := &wy.legs[k]
		lines += l.lines
		if _, limited := h.room[l.router.ID]; limited {
			h.room[l.router.ID] -= sign * l.lines
		}
		if sign > 0 {
			h.placed = append(h.placed, l)
		} else {
			h.placed = h.placed[:len(h.placed)-1]
		}
	}
	if sign < 0 {
		return
	}
	h.chosen[i] = wy
	rank := w.Device.Importance()
	h.now[rank]--
	if !wy.setTo.IsZero() {
		h.now[atCosts]++
	}
	if !wy.keep {
		h.now[atCosts+1] += len(w.existing)
	}
	if !wy.preferred {
		h.now[atCosts+2]++
		h.now[atCosts+3] += 100 - rank
	}
	h.now[atCosts+4] += lines
}

// fits reports whether a way can be taken beside what is fixed and chosen.
// Ports that are found later fit anywhere.
func (h *hunt) fits(wy *way) bool {
	need := map[string]int{}
	for k := range wy.legs {
		l := &wy.legs[k]
		need[l.router.ID] += l.lines
		if n, limited := h.room[l.router.ID]; limited && n < need[l.router.ID] {
			return false
		}
		if l.outside > 0 {
			continue
		}
		for _, f := range h.p.fixed {
			if f.Router == l.router.ID && Clash(l.router.Form, f, l.forward) {
				return false
			}
		}
		for _, o := range h.placed {
			if o.outside == 0 && o.router.ID == l.router.ID && Clash(l.router.Form, o.forward, l.forward) {
				return false
			}
		}
	}
	return true
}

// place finds the ports that were left for later and gives the forwards of each
// wish, nil where there was no room for it.
func (p *planner) place(chosen []*way) [][]site.Forward {
	taken := map[string]span.Set{} // by router and protocol
	hold := func(f site.Forward) {
		for _, proto := range f.Protocol.Each() {
			key := f.Router + " " + string(proto)
			taken[key] = taken[key].Union(f.Outside.Set())
		}
	}
	for _, r := range p.v.Routers {
		for _, own := range r.OwnPorts {
			hold(site.Forward{Router: r.ID, Protocol: own.Protocol, Outside: own.Ports})
		}
	}
	for _, f := range p.fixed {
		hold(f)
	}
	for _, wy := range chosen {
		if wy == nil {
			continue
		}
		for _, l := range wy.legs {
			if l.outside == 0 {
				hold(l.forward)
			}
		}
	}
	out := make([][]site.Forward, len(chosen))
	for i, wy := range chosen {
		if wy == nil {
			continue
		}
		out[i] = []site.Forward{}
		found := map[int]span.Ports{}
		for k, l := range wy.legs {
			f := l.forward
			if l.inside > 0 {
				f.Inside = found[l.inside]
			}
			if l.outside > 0 {
				ports, known := found[l.outside]
				if !known {
					var used span.Set
					for _, same := range wy.legs[k:] {
						for _, proto := range f.Protocol.Each() {
							if same.outside == l.outside {
								used = used.Union(taken[same.router.ID+" "+string(proto)])
							}
						}
					}
					var ok bool
					if ports, ok = fresh(p.wishes[i], wy, used); !ok {
						out[i] = nil
						break
					}
					found[l.outside] = ports
				}
				f.Outside = ports
				hold(f)
			}
			out[i] = append(out[i], f)
		}
	}
	return out
}

// fresh picks free outside ports: for a single one the digits of the device
// port and the end of the address, else the lowest from 10001 up.
func fresh(w *wish, wy *way, used span.Set) (span.Ports, bool) {
	ports := w.Service.Ports
	if !wy.setTo.IsZero() {
		ports = wy.setTo
	}
	if single, ok := ports.Single(); ok {
		last := strconv.Itoa(int(w.Interface.Pin.Address.As4()[3]))
		if len(last) < 2 {
			last = "0" + last
		}
		if n, err := strconv.Atoi(strconv.Itoa(single) + last); err == nil && n >= 1024 && n <= 49151 && !used.Contains(uint32(n)) {
			return span.Port(n), true
		}
	}
	run, ok := span.Of(span.Run{Lo: 10001, Hi: 65535}).Minus(used).First(ports.Len())
	return span.PortList(run), ok
}
