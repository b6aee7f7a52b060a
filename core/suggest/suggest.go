// Package suggest joins the two planners: pins first, then the forwards that
// become possible with them.
package suggest

import (
	"context"
	"fmt"
	"net/netip"
	"slices"

	"vestpin/core/addressing"
	"vestpin/core/edit"
	"vestpin/core/forwarding"
	"vestpin/core/reach"
	"vestpin/core/site"
)

// Unmet is what could not be planned: services that cannot all be opened, or an
// interface without room.
type Unmet struct {
	Services   []string `json:"services"`
	Interfaces []string `json:"interfaces,omitempty"`
	Says       string   `json:"says"`
	Undecided  bool     `json:"undecided,omitempty"` // whether it could be met as well was not found out
}

// Result is a site with every suggestion taken, and the changes that lead there.
type Result struct {
	Site    site.Site     `json:"site"`
	Changes []edit.Change `json:"changes"`
	Unmet   []Unmet       `json:"unmet"`
	Proven  bool          `json:"proven"`

	pins   map[string]edit.Edit // by interface
	before site.View
	pinned site.View // once all pins are taken
	ports  forwarding.Plan
	shut   map[string]string // by service: why
}

// Halves says which planners to run.
type Halves struct{ Addresses, Ports bool }

// For plans a site, and ends with the error of a context that is done. Else its error is a
// *strict.Refusal, which would mean that a planner made an edit that the site refuses.
func For(ctx context.Context, s site.Site, h Halves) (Result, error) {
	return WithProgress(site.NewView(s).Within(ctx), h, func(string) {})
}

// WithProgress plans a site as For does, ends with the context of its view, and says what it
// has just done.
func WithProgress(v site.View, h Halves, did func(what string)) (Result, error) {
	out, err := plan(v, h, did)
	if err == nil {
		err = out.take(out.ports.Edits())
	}
	return out, err
}

// Plan plans a site without making the site that comes of it.
func Plan(v site.View) (Result, error) {
	return plan(v, Halves{Addresses: true, Ports: true}, func(string) {})
}

// Pins plans the addresses of a site alone, and Beyond goes on from there.
func Pins(v site.View) (Result, error) {
	return plan(v, Halves{Addresses: true}, func(string) {})
}

// Beyond plans the ports of a site whose pins are planned.
func Beyond(pins Result) (Result, error) {
	pins.Changes, pins.Unmet = slices.Clip(pins.Changes), slices.Clip(pins.Unmet)
	pins.shut = map[string]string{}
	return pins, pins.planPorts()
}

func plan(v site.View, h Halves, did func(what string)) (Result, error) {
	out := Result{Site: v.Site, Changes: []edit.Change{}, Unmet: []Unmet{}, Proven: true, pins: map[string]edit.Edit{}, shut: map[string]string{}, before: v, pinned: v}
	if h.Addresses {
		if err := out.planPins(); err != nil {
			return out, err
		}
		did("addresses")
	}
	if h.Ports {
		if err := out.planPorts(); err != nil {
			return out, err
		}
		did("ports")
	}
	return out, nil
}

func (r *Result) planPins() error {
	plan := addressing.Suggest(r.before)
	if err := r.before.Err(); err != nil {
		return err
	}
	for _, sg := range plan.Suggestions {
		r.Changes = append(r.Changes, edit.Change{Edit: sg.Edit(), Why: sg.Why + leftBehind(r.before, sg)})
		r.pins[sg.Interface] = sg.Edit()
	}
	services := openOn(r.before)
	for _, u := range plan.Unmet {
		r.Unmet = append(r.Unmet, Unmet{Services: append([]string{}, services[u.Interface]...), Interfaces: []string{u.Interface}, Says: u.Says})
	}
	r.Proven = plan.Proven
	if len(plan.Suggestions) > 0 {
		r.Site = plan.Taken(r.Site)
		r.pinned = r.before.With(r.Site)
	}
	return nil
}

// leftBehind says which forwards go to the address that a pin leaves, as an address: they do
// not move with it.
func leftBehind(v site.View, sg addressing.Suggestion) string {
	at, ok := v.Interface(sg.Interface)
	if !ok || at.Interface.Pin == nil || at.Interface.Pin.Address == sg.Pin.Address {
		return ""
	}
	said := ""
	for _, f := range v.Forwards {
		if f.Enabled && f.To == at.Interface.Pin.Address.String() {
			said += fmt.Sprintf(" The forward of %s goes to %s and does not move with it.", f.Outside, f.To)
		}
	}
	return said
}

func (r *Result) planPorts() error {
	r.ports = forwarding.Suggest(r.pinned)
	if err := r.before.Err(); err != nil {
		return err
	}
	r.Changes = append(r.Changes, r.ports.Changes...)
	for _, u := range r.ports.Unmet {
		r.shut[u.Services[0]] = u.Says
		r.Unmet = append(r.Unmet, Unmet{Services: u.Services, Says: u.Says, Undecided: u.Undecided})
	}
	r.Proven = r.Proven && r.ports.Proven
	return nil
}

// Pin gives the edits that pin an interface as the whole suggestion does, with those of
// others that sit now where it goes; none where the suggestion leaves it as it is.
func (r *Result) Pin(iface string) []edit.Edit {
	var out []edit.Edit
	in := map[string]bool{}
	line := []string{iface}
	for len(line) > 0 {
		id := line[0]
		line = line[1:]
		e, ok := r.pins[id].(edit.SetPin)
		if !ok || in[id] {
			continue
		}
		in[id] = true
		out = append(out, e)
		p, _ := r.before.Interface(id)
		at := p.Interface.Network
		for _, o := range slices.Concat(r.before.PinnedAt(at, e.Pin.Address), r.before.SeenAt(at, e.Pin.Address)) {
			if o.Interface.ID != id {
				line = append(line, o.Interface.ID)
			}
		}
	}
	return out
}

// Open gives the edits that do with a service what the whole suggestion does, its pin
// included; none where that leaves it as it is, or shut. Where it is to be met by forwards
// that others are in the way of now, or the edits take something from others, good tells
// whether a site that some would lead to will do: more are taken until it does.
func (r *Result) Open(w site.Wish, good func(site.View) bool) []edit.Edit {
	if r.Shut(w.Service.ID) != "" {
		return nil
	}
	pins := r.Pin(w.Interface.ID)
	edits := r.ports.Of(r.pinned, w.Service.ID)
	if len(edits) > 0 && r.ports.OnlyAdds() {
		return append(pins, edits...)
	}
	for _, edits := range [][]edit.Edit{edits, r.ports.InTheWay(r.pinned, w), r.ports.Edits()} {
		all := append(slices.Clone(pins), edits...)
		if len(all) == 0 {
			continue
		}
		next, _, err := edit.Apply(r.before.Site, all)
		if err != nil {
			continue
		}
		v := r.before.With(next)
		if now, ok := v.Service(w.Service.ID); ok && reach.Of(v).Met(now) && good(v) {
			return all
		}
	}
	return nil
}

// Shut says why the suggestion leaves a service shut, or "".
func (r *Result) Shut(service string) string { return r.shut[service] }

// Taken reports whether the suggestion gives an address of a network to somebody.
func (r *Result) Taken(network string, a netip.Addr) bool {
	return len(r.pinned.PinnedAt(network, a)) > 0
}

// Pinned is the site once all pins of the suggestion are taken.
func (r *Result) Pinned() site.View { return r.pinned }

func (r *Result) take(edits []edit.Edit) error {
	next, _, err := edit.Apply(r.Site, edits)
	if err != nil {
		return fmt.Errorf("a suggestion was refused: %w", err)
	}
	r.Site = next
	return nil
}

// openOn gives the services to be opened by interface.
func openOn(v site.View) map[string][]string {
	out := map[string][]string{}
	for _, w := range v.Wishes() {
		out[w.Interface.ID] = append(out[w.Interface.ID], w.Service.ID)
	}
	return out
}
