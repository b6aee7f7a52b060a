package snag

import (
	"fmt"
	"slices"
	"strings"

	"vestpin/core/edit"
	"vestpin/core/reach"
	"vestpin/core/site"
)

// addressChanged finds that the site was seen elsewhere, when it was tried last, than at the
// outside address that is entered, and names what still points there.
func addressChanged(v View) []Snag {
	p, tried := v.Proof()
	r, known := reach.Outermost(v.View)
	told, seen := p.Router.Outside()
	if !tried || !known || !seen || !r.WAN.Address.IsValid() || told.Address == r.WAN.Address || told.Address.IsPrivate() || site.Carrier.Contains(told.Address) {
		return nil
	}
	if r.Mapped != nil && r.Mapped.Outside == told.Address {
		return nil // outside-told-otherwise says so
	}
	var old []string
	if p.Name.Name == r.WAN.Name && slices.Contains(p.Name.Points, r.WAN.Address) {
		old = append(old, p.Name.Name)
	}
	for _, l := range v.reaches().Links() {
		if l.State == reach.LinkOpen && strings.HasPrefix(l.Dial, r.WAN.Address.String()+":") {
			i := slices.IndexFunc(v.Links, func(o site.Link) bool { return o.ID == l.Link })
			old = append(old, "what "+v.Links[i].Far.Name+" dials")
		}
	}
	says := fmt.Sprintf("The outside address is %s now; %s is entered.", told.Address, r.WAN.Address)
	if len(old) > 0 {
		says += " Still pointing there: " + strings.Join(old, ", ") + "."
	}
	r.WAN.Address = told.Address
	return []Snag{{Code: "address-changed", About: []site.Ref{r.Ref()}, Says: says, Mends: []Mend{{"Enter " + told.Address.String(), []edit.Edit{edit.PutRouter{Router: r}}}}}}
}
