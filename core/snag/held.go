package snag

import (
	"fmt"
	"slices"
	"strings"

	"vestpin/core/edit"
	"vestpin/core/forwarding"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// routerDiffers finds what a router, as it was read last, does otherwise than planned. A
// line that was ticked off since then counts as typed.
func routerDiffers(v View) []Snag {
	var found []Snag
	forwards := map[string]site.Forward{}
	for _, f := range v.Forwards {
		forwards[f.ID] = f
	}
	for _, r := range v.Routers {
		if r.Held == nil {
			continue
		}
		c := v.reaches().Compare(r.ID, *r.Held)
		for _, d := range c.Doubts {
			found = append(found, Snag{Code: "router-differs", About: []site.Ref{r.Ref()}, Says: fmt.Sprintf("Part of what %s holds cannot be compared: %s.", r.Label(), strings.TrimSuffix(d.Says, "."))})
		}
		for _, group := range reach.Takes(c.Differs) {
			f, planned := forwards[group[0].Forward]
			if planned && typedSince(v, f, r.Held.At) {
				continue
			}
			s := Snag{Code: "router-differs", About: []site.Ref{r.Ref()}, Says: saysOf(group)}
			if planned {
				s.About = append(about(v, f), r.Ref())
			}
			if len(found) < mostHeldMends {
				s.Mends = heldMends(v, r, f, group)
			}
			found = append(found, s)
		}
	}
	return found
}

// mostHeldMends is of how many differences the mends are worked out; the next have theirs
// once the first are mended.
const mostHeldMends = 200

// typedSince reports whether the first line of a forward was ticked off after a time
// (RFC 3339, in one zone).
func typedSince(v View, f site.Forward, at string) bool {
	for _, d := range v.Done {
		if at != "" && d.At > at && d.Step == fmt.Sprintf("line:%s:1", f.ID) {
			return true
		}
	}
	return false
}

// saysOf puts differences that one forward and one line make into words.
func saysOf(group []reach.Discrepancy) string {
	says := group[0].Says
	if group[0].OfExposedHost() {
		return says
	}
	more := 0
	for _, d := range group[1:] {
		if d.Protocol != group[0].Protocol && d.Ports.Equal(group[0].Ports) {
			says = strings.Replace(says, "/"+string(group[0].Protocol)+" ", "/tcp and udp ", 1)
			continue
		}
		more++
	}
	if more > 0 {
		says += fmt.Sprintf(" And %d more stretches of its ports.", more)
	}
	return says
}

// heldMends are the two ways to end a difference: the router is changed, which the user
// does and notes, or the plan is.
func heldMends(v View, r site.Router, f site.Forward, group []reach.Discrepancy) []Mend {
	d := group[0]
	if d.OfExposedHost() {
		return exposedMends(v, r, d)
	}
	ports := fmt.Sprintf("%s/%s", d.Ports, d.Protocol)
	if slices.ContainsFunc(group, func(o reach.Discrepancy) bool { return o.Protocol != d.Protocol && o.Ports.Equal(d.Ports) }) {
		ports += " and " + string(site.UDP)
	}
	does := "Note that " + ports + " is deleted at " + r.Label()
	if f.ID != "" {
		does = "Note that " + ports + " is typed as planned at " + r.Label()
	}
	var mends []Mend
	if patch, ok := asPlanned(v, r, f, d); ok {
		mends = append(mends, Mend{Does: does, Edits: []edit.Edit{patch}})
	}
	leads := f.ID != "" && len(ledBy(v, f)) > 0 // forwards on a router behind would be without it
	if edits := forwarding.TakeHeld(v.View, r.ID, group); len(edits) > 0 && !leads {
		mends = append(mends, Mend{Does: "Take " + ports + " into the plan as the router has it", Edits: edits})
	}
	return mends
}

// exposedMends are the two ways to end a difference of the exposed host.
func exposedMends(v View, r site.Router, d reach.Discrepancy) []Mend {
	held := *r.Held
	held.ExposedHost = d.Plan.Address
	noted := r
	noted.Held = &held
	does := fmt.Sprintf("Note that %s exposes %s now", r.Label(), d.Plan.Address)
	if d.Plan.Fate == reach.Dropped {
		does = fmt.Sprintf("Note that %s exposes nobody now", r.Label())
	}
	var mends []Mend
	if d.Plan.Fate == reach.Dropped || d.Plan.Address.IsValid() {
		mends = append(mends, Mend{does, []edit.Edit{edit.PutRouter{Router: noted}}})
	}
	taken := r
	taken.ExposedHost, does = "", "Plan no exposed host at "+r.Label()
	if d.Held.Fate != reach.Dropped {
		taken.ExposedHost, does = d.Held.Address.String(), fmt.Sprintf("Plan %s as the exposed host of %s", d.Held.Address, r.Label())
		if _, p := v.TargetOf(r.ID, taken.ExposedHost); p != nil {
			taken.ExposedHost = p.Interface.ID
		}
	}
	return append(mends, Mend{does, []edit.Edit{edit.PutRouter{Router: taken}}})
}

// asPlanned is what a router holds once a planned forward is typed in the place of a line of
// it, or the line is deleted: with the forward all others that it meets are there, first
// and in the order of the plan, and what they cover is gone. False where the plan gives no
// address to type.
func asPlanned(v View, r site.Router, f site.Forward, d reach.Discrepancy) (edit.PatchHeld, bool) {
	patch := edit.PatchHeld{ID: r.ID, Drop: []site.HeldForward{}, Add: []site.HeldForward{}}
	region := map[site.Protocol]span.Set{}
	widen := func(proto site.Protocol, ports span.Ports) {
		for _, p := range proto.Each() {
			region[p] = region[p].Union(ports.Set())
		}
	}
	meets := func(proto site.Protocol, ports span.Ports) bool {
		return slices.ContainsFunc(proto.Each(), func(p site.Protocol) bool { return !region[p].Overlap(ports.Set()).Empty() })
	}
	line, there := d.HeldLine(*r.Held)
	if f.ID != "" {
		widen(f.Protocol, f.Outside)
	} else if there {
		widen(line.Protocol, line.Outside)
	}
	in := map[string]bool{}
	for n := -1; n < len(in); {
		n = len(in)
		for _, o := range enabled(v) {
			if o.Router == r.ID && !in[o.ID] && meets(o.Protocol, o.Outside) {
				in[o.ID] = true
				widen(o.Protocol, o.Outside)
			}
		}
	}
	region = map[site.Protocol]span.Set{}
	for _, o := range enabled(v) {
		if !in[o.ID] {
			continue
		}
		address, _ := v.Target(o)
		if !address.IsValid() {
			if slices.ContainsFunc(o.Protocol.Each(), func(p site.Protocol) bool { return !v.gets(o, p).Empty() }) {
				return patch, false
			}
			continue // others take all its ports before it
		}
		h := site.HeldForward{Name: o.Name, Protocol: o.Protocol, Outside: o.Outside, Address: address, Inside: o.InsidePorts(), From: []string{}, Enabled: true}
		for _, s := range o.From {
			h.From = append(h.From, s.String())
		}
		patch.Add = append(patch.Add, h)
		widen(o.Protocol, o.Outside)
	}
	for i, h := range r.Held.Forwards {
		covered := !slices.ContainsFunc(h.Protocol.Each(), func(p site.Protocol) bool { return !h.Outside.Set().Minus(region[p]).Empty() })
		if covered || f.ID == "" && there && (d.Decides(i) || h.SameEffect(line)) {
			patch.Drop = append(patch.Drop, h)
		}
	}
	return patch, true
}
