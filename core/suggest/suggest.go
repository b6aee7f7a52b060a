// Package suggest joins the two planners: pins first, then the forwards that
// become possible with them.
package suggest

import (
	"fmt"

	"vestpin/core/addressing"
	"vestpin/core/forwarding"
	"vestpin/core/site"
)

// Unmet is what could not be planned: services that cannot all be opened, or an
// interface without room.
type Unmet struct {
	Services   []string `json:"services"`
	Interfaces []string `json:"interfaces,omitempty"`
	Says       string   `json:"says"`
}

// Result is a site with every suggestion taken, and the changes that lead there.
type Result struct {
	Site    site.Site     `json:"site"`
	Changes []site.Change `json:"changes"`
	Unmet   []Unmet       `json:"unmet"`
	Proven  bool          `json:"proven"`
}

// Halves says which planners to run.
type Halves struct{ Addresses, Ports bool }

// For plans a site. Its error is a *site.Refusal, which would mean that a planner
// made an edit that the site refuses.
func For(s site.Site, h Halves) (Result, error) {
	return Until(s, h, func() bool { return false })
}

// Until plans a site as For does, and ends with site.ErrOver when over says that nobody
// waits for it any more.
func Until(s site.Site, h Halves, over func() bool) (out Result, err error) {
	defer func() {
		if e := recover(); e == site.ErrOver {
			err = site.ErrOver
		} else if e != nil {
			panic(e)
		}
	}()
	out = Result{Site: s, Changes: []site.Change{}, Unmet: []Unmet{}, Proven: true}
	if h.Addresses {
		v := site.NewView(s).Until(over)
		plan := addressing.Suggest(v)
		for _, sg := range plan.Suggestions {
			out.Changes = append(out.Changes, site.Change{Edit: sg.Edit(), Why: sg.Why})
		}
		for _, u := range plan.Unmet {
			out.Unmet = append(out.Unmet, Unmet{openOn(v, u.Interface), []string{u.Interface}, u.Says})
		}
		out.Proven = plan.Proven
		if err := out.take(plan.Edits()); err != nil {
			return out, err
		}
	}
	if h.Ports {
		plan := forwarding.Suggest(site.NewView(out.Site).Until(over))
		out.Changes = append(out.Changes, plan.Changes...)
		for _, u := range plan.Unmet {
			out.Unmet = append(out.Unmet, Unmet{Services: u.Services, Says: u.Says})
		}
		out.Proven = out.Proven && plan.Proven
		if err := out.take(plan.Edits()); err != nil {
			return out, err
		}
	}
	return out, nil
}

func (r *Result) take(edits []site.Edit) error {
	next, _, err := site.Apply(r.Site, edits)
	if err != nil {
		return fmt.Errorf("a suggestion was refused: %w", err)
	}
	r.Site = next
	return nil
}

func openOn(v site.View, iface string) []string {
	out := []string{}
	for _, w := range v.Wishes() {
		if w.Interface.ID == iface {
			out = append(out, w.Service.ID)
		}
	}
	return out
}
