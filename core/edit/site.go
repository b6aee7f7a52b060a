package edit

import (
	"slices"

	"vestpin/core/site"
	"vestpin/core/strict"
)

// RenameSite gives the site another name.
type RenameSite struct {
	Name string `json:"name"`
}

// Verb is "rename-site".
func (RenameSite) Verb() Verb { return "rename-site" }

// Touches the name of the site.
func (RenameSite) Touches() []Touch { return []Touch{{"site", "name"}} }

func (e RenameSite) apply(d *draft, at *strict.Path) ([]Edit, error) {
	if e.Name == "" {
		return nil, at.Field("name").Refuse("", "a name for the site")
	}
	old := d.Name
	d.Name = e.Name
	return []Edit{RenameSite{old}}, nil
}

// PutNetwork adds a network or replaces the one with its id; at the place At,
// else where it stands or at the end.
type PutNetwork struct {
	Network site.Network `json:"network"`
	At      *int         `json:"at,omitempty"`
}

// Verb is "put-network".
func (PutNetwork) Verb() Verb { return "put-network" }

// Touches the network.
func (e PutNetwork) Touches() []Touch { return []Touch{{Thing: e.Network.Ref()}} }

func (e PutNetwork) apply(d *draft, _ *strict.Path) ([]Edit, error) {
	own(d, "networks", &d.Networks)
	if old, was := put(&d.Networks, e.Network.Whole(), networkID, e.At); old != nil {
		return []Edit{PutNetwork{*old, &was}}, nil
	}
	return []Edit{RemoveNetwork{e.Network.ID}}, nil
}

// RemoveNetwork removes a network that nothing is on any more.
type RemoveNetwork struct {
	ID string `json:"id"`
}

// Verb is "remove-network".
func (RemoveNetwork) Verb() Verb { return "remove-network" }

// Touches the network.
func (e RemoveNetwork) Touches() []Touch { return []Touch{{Thing: site.Network{ID: e.ID}.Ref()}} }

func (e RemoveNetwork) apply(d *draft, at *strict.Path) ([]Edit, error) {
	own(d, "networks", &d.Networks)
	old, was, err := take(&d.Networks, at, "network", e.ID, networkID)
	return []Edit{PutNetwork{old, &was}}, err
}

// PutRouter adds a router or replaces the one with its id.
type PutRouter struct {
	Router site.Router `json:"router"`
	At     *int        `json:"at,omitempty"`
}

// Verb is "put-router".
func (PutRouter) Verb() Verb { return "put-router" }

// Touches the router.
func (e PutRouter) Touches() []Touch { return []Touch{{Thing: e.Router.Ref()}} }

func (e PutRouter) apply(d *draft, _ *strict.Path) ([]Edit, error) {
	own(d, "routers", &d.Routers)
	if old, was := put(&d.Routers, e.Router.Whole(), routerID, e.At); old != nil {
		return []Edit{PutRouter{*old, &was}}, nil
	}
	return []Edit{RemoveRouter{ID: e.Router.ID, Only: true}}, nil
}

// RemoveRouter removes a router, and its forwards with it unless Only it is meant.
type RemoveRouter struct {
	ID   string `json:"id"`
	Only bool   `json:"only,omitempty" doc:"Its forwards are seen to by other edits of the batch"`
}

// Verb is "remove-router".
func (RemoveRouter) Verb() Verb { return "remove-router" }

// Touches the router.
func (e RemoveRouter) Touches() []Touch { return []Touch{{Thing: site.Router{ID: e.ID}.Ref()}} }

func (e RemoveRouter) apply(d *draft, at *strict.Path) ([]Edit, error) {
	own(d, "routers", &d.Routers)
	old, was, err := take(&d.Routers, at, "router", e.ID, routerID)
	if err != nil {
		return nil, err
	}
	back := []Edit{PutRouter{old, &was}}
	if e.Only {
		return back, nil
	}
	return append(back, d.dropForwards(func(f *site.Forward) bool { return f.Router == e.ID })...), nil
}

// PatchHeld changes what a router is known to hold: lines that are not there any more, and
// lines that are, which come first. A line to drop is found by all that it says.
type PatchHeld struct {
	ID   string             `json:"id"`
	Drop []site.HeldForward `json:"drop"`
	Add  []site.HeldForward `json:"add"`
}

// Verb is "held".
func (PatchHeld) Verb() Verb { return "held" }

// Touches the router.
func (e PatchHeld) Touches() []Touch { return []Touch{{Thing: site.Router{ID: e.ID}.Ref()}} }

func (e PatchHeld) apply(d *draft, at *strict.Path) ([]Edit, error) {
	own(d, "routers", &d.Routers)
	k := slices.IndexFunc(d.Routers, func(r site.Router) bool { return r.ID == e.ID })
	if k < 0 {
		return nil, at.Field("id").Refuse(e.ID, "the id of a router of this site")
	}
	old := d.Routers[k]
	held := site.Held{}
	if old.Held != nil {
		held = *old.Held
	}
	lines := slices.Clone(held.Forwards)
	for i, f := range e.Drop {
		n := slices.IndexFunc(lines, f.Says)
		if n < 0 {
			return nil, at.Field("drop").Item(i).Refuse(f.Outside.String(), "a line that the router is known to hold")
		}
		lines = slices.Delete(lines, n, n+1)
	}
	held.Forwards = append(site.EachWhole(e.Add, site.HeldForward.Whole), lines...)
	d.Routers[k].Held = &held
	return []Edit{PutRouter{old, &k}}, nil
}

// PutForward adds a forward or replaces the one with its id.
type PutForward struct {
	Forward site.Forward `json:"forward"`
	At      *int         `json:"at,omitempty"`
}

// Verb is "put-forward".
func (PutForward) Verb() Verb { return "put-forward" }

// Touches the forward.
func (e PutForward) Touches() []Touch { return []Touch{{Thing: e.Forward.Ref()}} }

func (e PutForward) apply(d *draft, _ *strict.Path) ([]Edit, error) {
	own(d, "forwards", &d.Forwards)
	if old, was := put(&d.Forwards, e.Forward.Whole(), forwardID, e.At); old != nil {
		return []Edit{PutForward{*old, &was}}, nil
	}
	return []Edit{RemoveForward{e.Forward.ID}}, nil
}

// RemoveForward removes a forward.
type RemoveForward struct {
	ID string `json:"id"`
}

// Verb is "remove-forward".
func (RemoveForward) Verb() Verb { return "remove-forward" }

// Touches the forward.
func (e RemoveForward) Touches() []Touch { return []Touch{{Thing: site.Forward{ID: e.ID}.Ref()}} }

func (e RemoveForward) apply(d *draft, at *strict.Path) ([]Edit, error) {
	own(d, "forwards", &d.Forwards)
	old, was, err := take(&d.Forwards, at, "forward", e.ID, forwardID)
	return []Edit{PutForward{old, &was}}, err
}

// Tick notes that a step of the sheet was done, or, without Done, that it was not.
type Tick struct {
	ID   string     `json:"id" doc:"The step"`
	Done *site.Done `json:"done,omitempty"`
	At   *int       `json:"at,omitempty"`
}

// Verb is "tick".
func (Tick) Verb() Verb { return "tick" }

// Touches the step.
func (e Tick) Touches() []Touch { return []Touch{{Thing: site.Done{Step: e.ID}.Ref()}} }

func (e Tick) apply(d *draft, at *strict.Path) ([]Edit, error) {
	own(d, "done", &d.Done)
	if e.Done == nil {
		old, was, err := take(&d.Done, at, "step that is ticked", e.ID, doneID)
		if err != nil {
			return []Edit{e}, nil // it is not ticked, as wanted
		}
		return []Edit{Tick{e.ID, &old, &was}}, nil
	}
	done := *e.Done
	done.Step = e.ID
	if old, was := put(&d.Done, done, doneID, e.At); old != nil {
		return []Edit{Tick{e.ID, old, &was}}, nil
	}
	return []Edit{Tick{ID: e.ID}}, nil
}

// PutVisit adds a visit or replaces the one with its id.
type PutVisit struct {
	Visit site.Visit `json:"visit"`
	At    *int       `json:"at,omitempty"`
}

// Verb is "put-visit".
func (PutVisit) Verb() Verb { return "put-visit" }

// Touches the visit.
func (e PutVisit) Touches() []Touch { return []Touch{{Thing: e.Visit.Ref()}} }

func (e PutVisit) apply(d *draft, _ *strict.Path) ([]Edit, error) {
	own(d, "visits", &d.Visits)
	if old, was := put(&d.Visits, e.Visit.Whole(), visitID, e.At); old != nil {
		return []Edit{PutVisit{*old, &was}}, nil
	}
	return []Edit{RemoveVisit{e.Visit.ID}}, nil
}

// RemoveVisit removes a visit.
type RemoveVisit struct {
	ID string `json:"id"`
}

// Verb is "remove-visit".
func (RemoveVisit) Verb() Verb { return "remove-visit" }

// Touches the visit.
func (e RemoveVisit) Touches() []Touch { return []Touch{{Thing: site.Visit{ID: e.ID}.Ref()}} }

func (e RemoveVisit) apply(d *draft, at *strict.Path) ([]Edit, error) {
	own(d, "visits", &d.Visits)
	old, was, err := take(&d.Visits, at, "visit", e.ID, visitID)
	return []Edit{PutVisit{old, &was}}, err
}

// SetMakers gives the whole list of the user's own makers.
type SetMakers struct {
	Makers []site.Maker `json:"makers"`
}

// Verb is "makers".
func (SetMakers) Verb() Verb { return "makers" }

// Touches the list of makers.
func (SetMakers) Touches() []Touch { return []Touch{{"site", "makers"}} }

func (e SetMakers) apply(d *draft, _ *strict.Path) ([]Edit, error) {
	back := SetMakers{d.Makers}
	d.Makers = site.Present(slices.Clone(e.Makers))
	delete(d.copied, "makers")
	return []Edit{back}, nil
}

// SetKinds gives the whole list of the kinds of device of the site's own.
type SetKinds struct {
	Kinds []site.Kind `json:"kinds"`
}

// Verb is "kinds".
func (SetKinds) Verb() Verb { return "kinds" }

// Touches the list of kinds.
func (SetKinds) Touches() []Touch { return []Touch{{"site", "kinds"}} }

func (e SetKinds) apply(d *draft, _ *strict.Path) ([]Edit, error) {
	back := SetKinds{d.Kinds}
	d.Kinds = site.EachWhole(e.Kinds, site.Kind.Whole)
	delete(d.copied, "kinds")
	return []Edit{back}, nil
}

func networkID(n *site.Network) string { return n.ID }
func routerID(r *site.Router) string   { return r.ID }
func deviceID(d *site.Device) string   { return d.ID }
func forwardID(f *site.Forward) string { return f.ID }
func visitID(v *site.Visit) string     { return v.ID }
func doneID(d *site.Done) string       { return d.Step }
