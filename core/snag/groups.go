package snag

import (
	"fmt"
	"slices"

	"vestpin/core/edit"
	"vestpin/core/site"
)

// KindGroup is snags of one kind, which are mostly mended together.
type KindGroup struct {
	Code   string `json:"code"`
	Weight string `json:"weight" enum:"stops,bites,note"`
	Says   string `json:"says" doc:"Of all of them, in one sentence"`
	Snags  []int  `json:"snags" doc:"Their places in the list of snags"`
	Does   string `json:"does,omitempty" doc:"What mends all of them at once; absent for one alone or where none has a mend"`
}

// Groups puts snags of one kind together. The heaviest come first, then what mends most.
func Groups(snags []Snag) []KindGroup {
	out := []KindGroup{}
	at := map[string]int{}
	for i, s := range snags {
		key := s.Weight + s.Code
		n, known := at[key]
		if !known {
			n = len(out)
			at[key] = n
			out = append(out, KindGroup{Code: s.Code, Weight: s.Weight, Says: s.Says})
		}
		out[n].Snags = append(out[n].Snags, i)
	}
	for i := range out {
		g := &out[i]
		if len(g.Snags) < 2 {
			continue
		}
		g.Says = fmt.Sprintf(kinds()[g.Code].Plural, len(g.Snags))
		g.Does = doesAll(snags, g.Snags)
	}
	order := map[string]int{Stops: 0, Bites: 1, Note: 2}
	slices.SortStableFunc(out, func(a, b KindGroup) int {
		if a.Weight != b.Weight {
			return order[a.Weight] - order[b.Weight]
		}
		return mends(snags, b) - mends(snags, a)
	})
	return out
}

// mends is how many of a group have a mend.
func mends(snags []Snag, g KindGroup) int {
	n := 0
	for _, i := range g.Snags {
		if len(snags[i].Mends) > 0 {
			n++
		}
	}
	return n
}

// doesAll words what the first mends of several snags do together.
func doesAll(snags []Snag, of []int) string {
	verbs := map[string]bool{}
	n := 0
	for _, i := range of {
		if len(snags[i].Mends) > 0 {
			n++
			verbs[firstVerb(mendOf(snags[i]))] = true
		}
	}
	if n == 0 {
		return ""
	}
	verb := "Mend"
	if len(verbs) == 1 {
		for verb = range verbs {
		}
	}
	if n < len(of) {
		return fmt.Sprintf("%s %d of %d", verb, n, len(of))
	}
	return fmt.Sprintf("%s all %d", verb, n)
}

// firstVerb is what a mend does in one word: that of its first edit.
func firstVerb(m Mend) string {
	if len(m.Edits) == 0 {
		return "Mend"
	}
	switch e := m.Edits[0].(type) {
	case edit.SetPin:
		if e.Pin == nil {
			return "Loosen"
		}
		return "Pin"
	case edit.PutForward:
		return "Open"
	case edit.RemoveForward:
		return "Remove"
	case edit.SetOpen:
		if e.Open == nil {
			return "Keep in"
		}
		return "Open"
	}
	return "Mend"
}

// Mended is what mends many snags at once.
type Mended struct {
	Edits edit.List `json:"edits"`
	Ended int       `json:"ended" doc:"Snags of the kind that are gone then"`
	Left  int       `json:"left" doc:"Snags of the kind that are still there: each needs a look of its own"`
}

// mostRounds is how often what is left is looked at again.
const mostRounds = 4

// MendAll mends the snags of a kind by the first mend of each, as one batch: those that go
// together, and then what is left of them. It makes nothing heavier: a mend that would bring
// a snag that stops work is left out.
func MendAll(s site.View, code string) Mended {
	out := Mended{Edits: []edit.Edit{}}
	snags := told(s)
	before := count(snags, code)
	out.Left = before
	for range mostRounds {
		batch := together(snags, code)
		if len(batch) == 0 {
			break
		}
		next, after, ok := take(s, snags, code, batch)
		if !ok {
			batch, next, after = oneByOne(s, snags, code)
		}
		if len(batch) == 0 {
			break
		}
		s, snags = next, after
		out.Edits = append(out.Edits, batch...)
		if out.Left = count(snags, code); out.Left == 0 {
			break
		}
	}
	out.Ended = before - out.Left
	return out
}

func told(s site.View) []Snag { return OneACause(s, Check(s)) }

// mendOf is what mends a snag among others of its kind: its first mend; of loose devices the one that only
// pins, since what is opened of many has to be planned together.
func mendOf(sn Snag) Mend {
	if sn.Code == "open-but-loose" {
		for _, m := range sn.Mends {
			if len(m.Edits) > 0 && !slices.ContainsFunc(m.Edits, func(e edit.Edit) bool { set, ok := e.(edit.SetPin); return !ok || set.Pin == nil }) {
				return m
			}
		}
	}
	return sn.Mends[0]
}

func count(snags []Snag, code string) int {
	n := 0
	for _, s := range snags {
		if s.Code == code {
			n++
		}
	}
	return n
}

// stops counts what stops work for another reason than a kind.
func stops(snags []Snag, code string) int {
	n := 0
	for _, s := range snags {
		if s.Weight == Stops && s.Code != code {
			n++
		}
	}
	return n
}

// together are the edits of the first mends that do not overwrite one another's, nor pin two
// interfaces alike.
func together(snags []Snag, code string) []edit.Edit {
	var out []edit.Edit
	var touched []edit.Touch
	at := map[addr]bool{}
	for _, s := range snags {
		if s.Code != code || len(s.Mends) == 0 {
			continue
		}
		edits := mendOf(s).Edits
		mine := edit.Touches(edits)
		if _, both := edit.Disagree(mine, touched); both || pinsAny(edits, at) {
			continue
		}
		for _, e := range edits {
			if set, ok := e.(edit.SetPin); ok && set.Pin != nil {
				at[set.Pin.Address] = true
			}
		}
		touched = append(touched, mine...)
		out = append(out, edits...)
	}
	return out
}

func pinsAny(edits []edit.Edit, at map[addr]bool) bool {
	return slices.ContainsFunc(edits, func(e edit.Edit) bool {
		set, ok := e.(edit.SetPin)
		return ok && set.Pin != nil && at[set.Pin.Address]
	})
}

// take makes edits, and refuses where no snag of the kind ends or something else stops work.
func take(s site.View, snags []Snag, code string, edits []edit.Edit) (site.View, []Snag, bool) {
	made, _, err := edit.Apply(s.Site, edits)
	if err != nil {
		return s, snags, false
	}
	next := s.With(made)
	after := told(next)
	if count(after, code) >= count(snags, code) || stops(after, code) > stops(snags, code) {
		return s, snags, false
	}
	return next, after, true
}

// mostSingly is how many mends are tried one by one where they do not go together.
const mostSingly = 20

func oneByOne(s site.View, snags []Snag, code string) ([]edit.Edit, site.View, []Snag) {
	var out []edit.Edit
	tried := map[string]bool{}
	for range mostSingly {
		i := slices.IndexFunc(snags, func(n Snag) bool {
			return n.Code == code && len(n.Mends) > 0 && !tried[n.Says]
		})
		if i < 0 {
			break
		}
		tried[snags[i].Says] = true
		edits := mendOf(snags[i]).Edits
		if next, after, ok := take(s, snags, code, edits); ok {
			s, snags = next, after
			out = append(out, edits...)
		}
	}
	return out, s, snags
}
