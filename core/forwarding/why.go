package forwarding

import (
	"fmt"
	"slices"
	"strings"

	"vestpin/core/site"
	"vestpin/core/span"
)

// How many sets of wishes are tried to explain what is left out, and how many services
// are named in all.
const (
	mostTests = 2000
	mostTied  = 40 // up to how many wishes are left out one by one
	mostNames = 100_000
)

// explaining finds why wishes are left out.
type explaining struct {
	*choices
	solution
	met    []bool
	meets  [][]choice // by wish: the choices that meet it, once they are asked for
	fewest [][]int    // by wish and router: how few lines it takes
	left   int        // sets that may still be tried
	names  int        // services that may still be named
}

// unmet explains a wish that was left out by a set of services of which none can be
// spared from the trouble.
func (e *explaining) unmet(i int, w *wish, crowded bool) Unmet {
	alone := []string{w.Service.ID}
	shut := func(format string, args ...any) Unmet {
		return Unmet{Services: alone, Says: w.Label() + " stays shut: " + fmt.Sprintf(format, args...) + "."}
	}
	switch {
	case crowded:
		return shut("there are not %d free ports in a row outside", w.Service.Ports.Len())
	case w.capped:
		u := shut("of its very many ways out not all were looked at, and none of those that were is left")
		u.Undecided = true
		return u
	case !slices.ContainsFunc(w.ways, func(wy way) bool { return !wy.out && wy.carriedBy == "" }):
		return shut("%s", w.refusal.words(e.p.v, w.Wish))
	case !e.proven[i] && e.more[i] > 0 && e.can([]int{i}):
		u := shut("whether it can be open as well was not decided in time; at most %d more could be", e.more[i])
		u.Undecided = true
		return u
	}
	core, lines := e.smallest(i)
	if len(core) == 1 {
		if r := e.withoutLines(i); r != "" {
			return shut("the entries that are left at %s, beside the forwards that are locked or made by hand, are too few", r)
		}
		return shut("nothing is left beside the forwards that are locked or made by hand")
	}
	u := Unmet{}
	var names []string
	for _, k := range core {
		o := e.p.wishes[k]
		u.Services = append(u.Services, o.Service.ID)
		if k != i {
			names = append(names, o.Label())
		}
	}
	if len(names) > 3 {
		names = append(names[:3], fmt.Sprintf("%d more", len(core)-4))
	}
	list := InARow(names)
	switch at, ports, ok := e.contested(core); {
	case lines != "":
		r, _ := e.p.v.Router(lines)
		has := "has"
		if len(core) > 2 {
			has = "have"
		}
		u.Says = fmt.Sprintf("%s stays shut: all %d entries at %s are used. %s %s them.", w.Label(), r.Form.Lines, r.Label(), list, has)
	case ok && len(core) == 2:
		u.Says = fmt.Sprintf("%s stays shut: %s has %s at %s.", w.Label(), list, ports, at.Label())
	case ok:
		u.Says = fmt.Sprintf("%s stays shut: it cannot be open together with %s; they need %s at %s.", w.Label(), list, ports, at.Label())
	default:
		u.Says = fmt.Sprintf("%s stays shut: it cannot be open together with %s.", w.Label(), list)
	}
	if e.left <= 0 && lines == "" {
		u.Says += " Fewer may do: there was too much to look through."
	}
	if e.names -= len(core); e.names < 0 {
		u.Services, u.Says = alone, u.Says+" They are too many to be listed."
	}
	return u
}

// InARow joins names as they are said: "a, b and c".
func InARow(names []string) string {
	last := len(names) - 1
	if last < 1 {
		return strings.Join(names, "")
	}
	return strings.Join(names[:last], ", ") + " and " + names[last]
}

// contested gives outside ports of a router that the first of some wishes needs in one of its
// ways, and another of them too.
func (e *explaining) contested(core []int) (site.Router, string, bool) {
	others := map[int]bool{}
	for _, k := range core[1:] {
		for _, ch := range e.meeting(k) {
			for _, u := range ch.units {
				others[u] = true
			}
		}
	}
	for _, ch := range e.meeting(core[0]) {
		for _, u := range ch.units {
			at := e.unitAt[u]
			if r, ok := e.p.v.Router(at.id); ok && at.kind == outsideRouter && others[u] {
				return r, fmt.Sprintf("%s/%s", span.PortList(at.run), at.proto), true
			}
		}
	}
	return site.Router{}, "", false
}

// withoutLines names the router that has no line left for a wish by itself.
func (e *explaining) withoutLines(i int) string {
	w := e.p.wishes[i]
	for _, id := range e.limits {
		fits := false
		for k, o := range w.options {
			fits = fits || !w.ways[k].out && o.lines[id] <= max(0, e.p.room[id])
		}
		if !fits {
			r, _ := e.p.v.Router(id)
			return r.Label()
		}
	}
	return ""
}

// meeting gives the choices of a wish that meet it.
func (e *explaining) meeting(i int) []choice {
	if e.meets == nil {
		e.meets = make([][]choice, len(e.of))
		for k, list := range e.of {
			e.meets[k] = slices.DeleteFunc(slices.Clone(list), func(ch choice) bool { return ch.out >= 0 })
		}
	}
	return e.meets[i]
}

// least is how few lines of a router a wish takes, -1 where it has no way.
func (e *explaining) least(i, limit int) int {
	if e.fewest == nil {
		e.fewest = make([][]int, len(e.of))
		for k := range e.of {
			e.fewest[k] = slices.Repeat([]int{-1}, len(e.limits))
			for _, ch := range e.meeting(k) {
				for r, n := range ch.lines {
					if e.fewest[k][r] < 0 || n < e.fewest[k][r] {
						e.fewest[k][r] = n
					}
				}
			}
		}
	}
	return e.fewest[i][limit]
}

// smallest gives a smallest set of wishes, the given one first, that cannot all be met, and
// the router of which they use up the entries, where that is all that is short.
func (e *explaining) smallest(i int) (list []int, lines string) {
	if !e.can([]int{i}) {
		return []int{i}, ""
	}
	byLines, router := e.byLines(i)
	if len(byLines) > 1 && e.beside(byLines, router) {
		return byLines, router // with one less the lines would do, and nothing else is in the way
	}
	tied, plain := e.tied(i)
	if plain && len(tied) > 1 {
		return tied, "" // those that hold each other's only ports: each is needed
	}
	if len(tied) == 1 || len(byLines) > 1 && (len(tied) > mostTied || e.can(tied)) {
		tied = byLines
	}
	if len(tied) > mostTied && len(tied) == len(byLines) {
		return tied, router
	}
	if e.can(tied) {
		tied = []int{i}
		for _, k := range e.together[i] {
			if e.met[k] {
				tied = append(tied, k)
			}
		}
	}
	for k := len(tied) - 1; k > 0 && e.left > 0; k-- {
		if less := slices.Delete(slices.Clone(tied), k, k+1); !e.can(less) {
			tied = less
		}
	}
	return tied, ""
}

// beside reports whether wishes could all be met with as few lines as each needs, were there
// enough of one router: each in turn by a choice that takes nothing from those before it.
func (e *explaining) beside(wishes []int, router string) bool {
	used := map[int]bool{}
	room := e.rooms()
	for _, i := range wishes {
		var frugal *choice
		for k, ch := range e.meeting(i) {
			wy := e.p.wishes[i].ways[ch.option]
			if len(wy.needs) > 0 || wy.carriedBy != "" || slices.ContainsFunc(ch.units, func(u int) bool { return used[u] }) {
				continue
			}
			if frugal == nil || sum(ch.lines) < sum(frugal.lines) {
				frugal = &e.meeting(i)[k]
			}
		}
		if frugal == nil || sum(frugal.lines) > e.frugal(i) {
			return false
		}
		for _, u := range frugal.units {
			used[u] = true
		}
		for k, n := range frugal.lines {
			if room[k] -= n; room[k] < 0 && e.limits[k] != router {
				return false
			}
		}
	}
	return true
}

// frugal is how few lines a wish takes.
func (e *explaining) frugal(i int) int {
	least := -1
	for _, ch := range e.meeting(i) {
		if n := sum(ch.lines); least < 0 || n < least {
			least = n
		}
	}
	return least
}

func sum(list []int) int {
	n := 0
	for _, x := range list {
		n += x
	}
	return n
}

// tied gives a wish and those that are met and hold what it could have, or what those
// could have in its place, and so on. It is plain where none of them needs more than one
// thing, and each has nothing else: then no smaller set is in each other's way.
func (e *explaining) tied(i int) (list []int, plain bool) {
	holder := map[int]int{}
	for _, k := range e.together[i] {
		if !e.met[k] {
			continue
		}
		for _, ch := range e.of[k] {
			if ch.option == e.option[k] {
				for _, u := range ch.units {
					holder[u] = k
				}
			}
		}
	}
	list, plain = []int{i}, true
	in := map[int]bool{i: true}
	for at := 0; at < len(list); at++ {
		plain = plain && !slices.ContainsFunc(e.p.wishes[list[at]].ways, func(wy way) bool { return len(wy.bars)+len(wy.needs)+len(wy.yielding) > 0 })
		for _, ch := range e.meeting(list[at]) {
			plain = plain && len(ch.units) == 1
			for _, u := range ch.units {
				k, ok := holder[u]
				plain = plain && ok
				if ok && !in[k] {
					in[k] = true
					list = append(list, k)
				}
			}
		}
	}
	return list, plain
}

// byLines gives a wish and so many that are met that their lines run out, and the router.
func (e *explaining) byLines(i int) ([]int, string) {
	for k, id := range e.limits {
		least := func(i int) int { return e.least(i, k) }
		room := max(0, e.p.room[id])
		list, sum := []int{i}, least(i)
		for _, o := range e.together[i] {
			if n := least(o); e.met[o] && n > 0 && sum <= room {
				list, sum = append(list, o), sum+n
			}
		}
		if sum <= room || least(i) <= 0 {
			continue
		}
		for at := len(list) - 1; at > 0; at-- {
			if n := least(list[at]); sum-n > room {
				list, sum = slices.Delete(list, at, at+1), sum-n
			}
		}
		return list, id
	}
	return []int{i}, ""
}

// can reports whether some wishes can all be met together; also where that was not
// decided.
func (e *explaining) can(wishes []int) bool {
	e.left--
	list := make([][]choice, len(wishes))
	used := map[int]bool{}
	in := map[string]bool{}
	for _, i := range wishes {
		in[e.p.wishes[i].Service.ID] = true
	}
	for k, i := range wishes {
		list[k] = slices.DeleteFunc(slices.Clone(e.meeting(i)), func(ch choice) bool { // what carries it must be among them
			wy := e.p.wishes[i].ways[ch.option]
			return wy.carriedBy != "" && !in[wy.carriedBy] || slices.ContainsFunc(wy.needs, func(h held) bool { return !in[h.Service] })
		})
		for _, ch := range list[k] {
			for r, n := range ch.lines {
				if n > 0 {
					used[r] = true
				}
			}
		}
	}
	if len(used) > 1 || len(wishes) <= 8 {
		return e.canSmall(list)
	}
	// The lines that the wishes take at least, each part by itself.
	for k, id := range e.limits {
		sum := 0
		for _, part := range parted(wishes, list) {
			for i, choices := range part {
				part[i] = slices.Clone(choices)
				for j := range part[i] {
					part[i][j].cost = []int{part[i][j].lines[k]}
				}
				slices.SortStableFunc(part[i], func(a, b choice) int { return a.cost[0] - b.cost[0] })
			}
			a := newProblem(part, 1, 0, e.p.v.Stopped).solve()
			if a.cost == nil {
				return !a.proven
			}
			sum += a.cost[0]
		}
		if used[k] && sum > max(0, e.p.room[id]) {
			return false
		}
	}
	if len(e.limits) == 0 {
		a := newProblem(list, e.p.levels.count(), len(e.p.levels.ranks), e.p.v.Stopped).solve()
		return a.cost != nil || !a.proven
	}
	return true
}

// canSmall tries all choices.
func (e *explaining) canSmall(list [][]choice) bool {
	s := newSmall(list, e.p.levels.count(), e.p.v.Stopped)
	s.room = e.rooms()
	s.any = true
	s.step(0)
	return s.best.cost != nil || s.steps > mostSteps
}

// parted divides wishes by the units that they share.
func parted(wishes []int, list [][]choice) [][][]choice {
	g := newGroups(len(wishes))
	first := map[int]int{}
	for i, choices := range list {
		for _, ch := range choices {
			for _, u := range ch.units {
				if o, ok := first[u]; ok {
					g.join(o, i)
				} else {
					first[u] = i
				}
			}
		}
	}
	place := map[int]int{}
	var out [][][]choice
	for i, choices := range list {
		k, ok := place[g.root(i)]
		if !ok {
			k = len(out)
			place[g.root(i)] = k
			out = append(out, nil)
		}
		out[k] = append(out[k], choices)
	}
	return out
}
