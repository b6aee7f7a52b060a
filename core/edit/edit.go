// Package edit knows the changes of a site, each a type of its own: what they touch, how they
// are undone, and how JSON has them. Whether a change is wise is for others to say.
package edit

import (
	"cmp"
	"fmt"
	"slices"

	"vestpin/core/site"
	"vestpin/core/strict"
)

// The bounds of a batch.
const (
	// MostEdits is how many edits are made at once: a suggestion for the largest
	// site takes fewer.
	MostEdits = 10000
	// mostUndo is how much a batch of edits may overwrite, in bytes of JSON: it is
	// kept in the journal.
	mostUndo = 32 << 20
)

// Verb names what an edit does.
type Verb string

// Edit is one change of a site. Each verb is a type of its own; there are no
// others than those of this package.
type Edit interface {
	// Verb is the word under "do" in JSON.
	Verb() Verb
	// Touches are what the edit overwrites, as far as can be told from itself: what
	// stood there before is told by the edits that lead back.
	Touches() []Touch
	// apply makes the change and gives the edits that lead back, in the order in
	// which they are to be made.
	apply(d *draft, at *strict.Path) ([]Edit, error)
}

// Change says what is done to one thing, for a batch of edits in an answer.
type Change struct {
	Edit Edit   `json:"edit"`
	Why  string `json:"why"`
}

// Touch is something that an edit overwrites: a thing, or one field of it where
// Field is given.
type Touch struct {
	Thing site.Ref
	Field string
}

// Meets reports whether the two overwrite something in common.
func (t Touch) Meets(u Touch) bool {
	return t.Thing == u.Thing && (t.Field == u.Field || t.Field == "" || u.Field == "")
}

func (t Touch) String() string {
	if t.Field == "" {
		return string(t.Thing)
	}
	return string(t.Thing) + "/" + t.Field
}

// Touches gives all that batches of edits overwrite, each once. Given edits
// together with those that lead back, it is complete.
func Touches(batches ...[]Edit) []Touch {
	out := []Touch{}
	seen := map[Touch]bool{}
	for _, edits := range batches {
		for _, e := range edits {
			for _, t := range e.Touches() {
				if !seen[t] {
					seen[t] = true
					out = append(out, t)
				}
			}
		}
	}
	return out
}

// Disagree gives the first thing that both overwrite.
func Disagree(mine, theirs []Touch) (Touch, bool) {
	fields := map[site.Ref][]Touch{}
	for _, t := range theirs {
		fields[t.Thing] = append(fields[t.Thing], t)
	}
	for _, t := range mine {
		if slices.ContainsFunc(fields[t.Thing], t.Meets) {
			return t, true
		}
	}
	return Touch{}, false
}

// Apply makes the edits one after the other and gives the new site together
// with the edits that lead back. All are taken or none; the error is a *strict.Refusal
// that names the edit at fault.
func Apply(s site.Site, edits []Edit) (site.Site, []Edit, error) {
	root := strict.At("edits")
	if len(edits) > MostEdits {
		return s, nil, root.Refuse(fmt.Sprint(len(edits)), fmt.Sprintf("at most %d edits at once", MostEdits))
	}
	d := draft{Site: s, copied: map[string]bool{}}
	backs := make([][]Edit, 0, len(edits))
	for i, e := range edits {
		at := root.Item(i)
		if e == nil {
			return s, nil, at.Refuse("", "an edit")
		}
		back, err := e.apply(&d, at)
		if err == nil {
			err = d.overfull(at)
		}
		if err != nil {
			return s, nil, err
		}
		backs = append(backs, back)
	}
	slices.Reverse(backs)
	undo := slices.Concat(backs...)
	if err := site.CheckAt(strict.At("site"), d.Site); err != nil {
		return s, nil, err
	}
	return d.Site, undo, checkUndo(root, undo)
}

// checkUndo refuses a batch that overwrites more than a journal can keep. Short
// ones are not counted.
func checkUndo(at *strict.Path, undo []Edit) error {
	if len(undo) < 100 {
		return nil
	}
	size := 0
	for _, e := range undo {
		data, err := Written{e}.MarshalJSON()
		if err != nil {
			return err
		}
		if size += len(data); size > mostUndo {
			return at.Refuse(fmt.Sprintf("more than %d MB", mostUndo>>20), fmt.Sprintf("edits that overwrite at most %d MB at once", mostUndo>>20))
		}
	}
	return nil
}

// draft is a site in the making. A list is copied before it is first written, so
// that the site it began as stays as it was.
type draft struct {
	site.Site
	copied map[string]bool // the lists that are the draft's own: "devices", or "device:rec" for the parts of one
}

// overfull refuses a batch that puts far more than a site may hold, before all of it
// is there; a few may be too many until others are removed.
func (d *draft) overfull(at *strict.Path) error {
	const meanwhile = 100
	return cmp.Or(site.CheckMost(at, len(d.Devices), site.MostDevices+meanwhile), site.CheckMost(at, len(d.Forwards), site.MostForwards+meanwhile), site.CheckMost(at, len(d.Visits), site.MostVisits+meanwhile), site.CheckMost(at, len(d.Proofs), site.MostProofs+meanwhile), site.CheckMost(at, len(d.Done), site.MostDone+meanwhile))
}

// own makes a list the draft's own.
func own[T any](d *draft, name string, list *[]T) {
	if !d.copied[name] {
		*list, d.copied[name] = slices.Clone(*list), true
	}
}

// device makes the i-th device and its lists of parts the draft's own.
func (d *draft) device(i int) *site.Device {
	own(d, "devices", &d.Devices)
	v := &d.Devices[i]
	if name := "device:" + v.ID; !d.copied[name] {
		v.Interfaces, v.Services, d.copied[name] = slices.Clone(v.Interfaces), slices.Clone(v.Services), true
	}
	return v
}

// indexOf finds an item by id without copying the others.
func indexOf[T any](list []T, id string, idOf func(*T) string) int {
	for i := range list {
		if idOf(&list[i]) == id {
			return i
		}
	}
	return -1
}

// put adds v or replaces the one with its id; at is its place, absent where the
// old one stands or the end. It gives the one it replaced, and its place.
func put[T any](list *[]T, v T, id func(*T) string, at *int) (old *T, was int) {
	was = indexOf(*list, id(&v), id)
	if was >= 0 {
		gone := (*list)[was]
		old = &gone
		if at == nil || *at == was {
			(*list)[was] = v
			return old, was
		}
		*list = slices.Delete(*list, was, was+1)
	}
	place := len(*list)
	if at != nil {
		place = max(0, min(*at, len(*list)))
	}
	*list = slices.Insert(*list, place, v)
	return old, was
}

// take removes the one with that id and gives it with its place.
func take[T any](list *[]T, at *strict.Path, kind, id string, idOf func(*T) string) (old T, was int, err error) {
	was = indexOf(*list, id, idOf)
	if was < 0 {
		return old, was, unknown(at, kind, id)
	}
	old = (*list)[was]
	*list = slices.Delete(*list, was, was+1)
	return old, was, nil
}

func unknown(at *strict.Path, kind, id string) error {
	return at.Field("id").Refuse(id, "the id of a "+kind+" of this site; it may have been removed meanwhile")
}

// dropForwards removes the forwards that match, and gives the way back.
func (d *draft) dropForwards(match func(*site.Forward) bool) []Edit {
	some := false
	for i := range d.Forwards {
		some = some || match(&d.Forwards[i])
	}
	if !some {
		return nil
	}
	own(d, "forwards", &d.Forwards)
	var undo []Edit
	kept := d.Forwards[:0]
	for i := range d.Forwards {
		f := &d.Forwards[i]
		if match(f) {
			place := i
			undo = append(undo, PutForward{Forward: *f, At: &place})
		} else {
			kept = append(kept, *f)
		}
	}
	clear(d.Forwards[len(kept):])
	d.Forwards = kept
	return undo
}

// hideExposed takes interfaces that go off the routers whose exposed host they are, and
// gives the way back.
func (d *draft) hideExposed(gone func(id string) bool) []Edit {
	var undo []Edit
	for i, r := range d.Routers {
		if r.ExposedHost != "" && gone(r.ExposedHost) {
			own(d, "routers", &d.Routers)
			undo = append(undo, PutRouter{Router: r})
			d.Routers[i].ExposedHost = ""
		}
	}
	return undo
}

// findPart gives the place of a device and of the part of it that has the id.
func findPart[T any](s *site.Site, parts func(*site.Device) []T, has func(*T) bool) (device, part int) {
	for i := range s.Devices {
		list := parts(&s.Devices[i])
		for j := range list {
			if has(&list[j]) {
				return i, j
			}
		}
	}
	return -1, -1
}

func (d *draft) findInterface(at *strict.Path, id string) (device, part int, err error) {
	device, part = findPart(&d.Site, func(v *site.Device) []site.Interface { return v.Interfaces }, func(n *site.Interface) bool { return n.ID == id })
	if device < 0 {
		err = unknown(at, "interface", id)
	}
	return device, part, err
}

func (d *draft) findService(at *strict.Path, id string) (device, part int, err error) {
	device, part = findPart(&d.Site, func(v *site.Device) []site.Service { return v.Services }, func(s *site.Service) bool { return s.ID == id })
	if device < 0 {
		err = unknown(at, "service", id)
	}
	return device, part, err
}

func (d *draft) findDevice(at *strict.Path, id string) (int, error) {
	i := indexOf(d.Devices, id, deviceID)
	if i < 0 {
		return i, unknown(at, "device", id)
	}
	return i, nil
}
