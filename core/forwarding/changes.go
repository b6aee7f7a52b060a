package forwarding

import (
	"fmt"
	"slices"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/span"
)

// changing makes the changes of a plan.
type changing struct {
	*planner
	plan *Plan
	ids  map[string]bool
}

// all enters the edits that make the chosen ways real, and those that shut what nobody
// asks for any more.
func (c *changing) all(s solution, placed [][]site.Forward, met []bool) {
	for _, f := range c.v.Forwards {
		c.ids[f.ID] = true
	}
	for _, f := range c.shut {
		c.add("", edit.RemoveForward{ID: f.ID}, fmt.Sprintf("Nobody asks for %s to be open any more.", f.Outside))
	}
	for i, w := range c.wishes {
		c.wish(w, w.ways[s.option[i]], placed[i], met[i])
	}
}

func (c *changing) add(service string, e edit.Edit, why string) {
	c.plan.Changes = append(c.plan.Changes, edit.Change{Edit: e, Why: why})
	c.plan.For = append(c.plan.For, service)
}

func (c *changing) wish(w *wish, wy way, placed []site.Forward, met bool) {
	spare := slices.Clone(w.lost)
	for _, h := range w.held {
		if !isOf(wy.keeps, h.ID) {
			spare = append(spare, h.Forward)
		}
	}
	reason := "Another forward takes its place."
	if len(placed) == 0 {
		reason = w.Label() + " is reached without it."
	}
	if !met {
		placed, reason = nil, w.Label()+" cannot be opened together with more important wishes."
		if w.refusal.kind != noReason {
			reason = fmt.Sprintf("%s stays shut: %s.", w.Label(), w.refusal.words(c.v, w.Wish))
		}
	}
	if met && !wy.setTo.IsZero() {
		c.add(w.Service.ID, setPort(w.Wish, wy.setTo), fmt.Sprintf("Set %s to %s on the device itself: %s is not to be had outside.", w.Label(), wy.setTo, w.Service.Ports))
	}
	for _, f := range placed {
		if k := slices.IndexFunc(spare, func(o site.Forward) bool { return o.Router == f.Router }); k >= 0 {
			f.ID, f.Name = spare[k].ID, spare[k].Name
			spare = slices.Delete(spare, k, k+1)
		} else {
			f.ID = site.FreeID("to-"+w.Service.ID, func(id string) bool { return c.ids[id] })
			c.ids[f.ID] = true
		}
		c.add(w.Service.ID, edit.PutForward{Forward: f}, c.at(f, len(placed))+why(w, f, wy.keeps))
	}
	for _, f := range spare {
		c.add(w.Service.ID, edit.RemoveForward{ID: f.ID}, reason)
	}
}

// at names the router of a change where there are several in a row.
func (c *changing) at(f site.Forward, legs int) string {
	if legs < 2 {
		return ""
	}
	r, _ := c.v.Router(f.Router)
	return "At " + r.Label() + ": "
}

func setPort(w site.Wish, ports span.Ports) edit.Edit {
	s := *w.Service
	s.CanSetTo = append([]span.Ports{s.Ports}, slices.DeleteFunc(slices.Clone(s.CanSetTo), ports.Equal)...)
	s.Ports = ports
	return edit.PutService{ID: w.Device.ID, Service: s}
}

func why(w *wish, f site.Forward, kept []held) string {
	open := *w.Service.Open
	exact, named := open.Exact()
	switch {
	case named && f.Outside.Equal(exact):
		return fmt.Sprintf("%s is wanted at exactly %s.", w.Label(), exact)
	case !open.Prefer.IsZero() && f.Outside.Equal(open.Prefer):
		return fmt.Sprintf("%s gets the port it prefers.", w.Label())
	case f.Outside.Equal(f.InsidePorts()):
		return fmt.Sprintf("%s: the same port outside as on the device.", w.Label())
	case slices.ContainsFunc(kept, func(h held) bool { return h.Router == f.Router && h.Outside.Equal(f.Outside) }):
		return fmt.Sprintf("%s is reached at %s, where its other protocol is.", w.Label(), f.Outside)
	}
	return fmt.Sprintf("%s is reached at %s, since %s is taken outside.", w.Label(), f.Outside, w.Service.Ports)
}

// Beside plans one wish while every forward that is there stays.
func Beside(v site.View, w site.Wish) Plan {
	s := v.Site
	s.Forwards = slices.Clone(s.Forwards)
	for i := range s.Forwards {
		s.Forwards[i].Locked = true
	}
	return suggestFor(v.With(s), []site.Wish{w})
}
