package sighting

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/edit"
	"vestpin/core/site"
)

// HeldList is port forwards that one text lists, who gets all other ports, and which router
// it names them of, if any.
type HeldList struct {
	Router, Source string
	Lines          []site.HeldForward
	Exposed        netip.Addr
}

// Hold puts what routers really have on their forwarding pages beside the plan: of a list
// that names no router of the site at the router on whose network most of its lines lead.
// It gives what that comes to in words; no edit where no router of the site can be meant.
func Hold(s site.Site, lists []HeldList, at string) (edits []edit.Edit, says string) {
	held := make([]*site.Held, len(s.Routers))
	var what []string
	for _, l := range lists {
		n := len(l.Lines)
		if n == 0 && !l.Exposed.IsValid() {
			continue
		}
		words := fmt.Sprintf("%d forwards that a router holds", n)
		switch {
		case n == 0:
			words = "the exposed host of a router"
		case n == 1:
			words = "1 forward that a router holds"
		}
		if n > 0 && l.Exposed.IsValid() {
			words += " and its exposed host"
		}
		k := l.of(s)
		if k < 0 {
			what = append(what, words+"; none leads to a network of this site, so they are left out")
			continue
		}
		if held[k] == nil {
			held[k] = &site.Held{At: at, Source: cut(l.Source, 200)}
		}
		kept := l.Lines[:min(n, site.MostHeld-len(held[k].Forwards))]
		held[k].Forwards = append(held[k].Forwards, kept...)
		if l.Exposed.IsValid() {
			held[k].ExposedHost = l.Exposed
		}
		words += ", kept as evidence of " + s.Routers[k].Label()
		if len(kept) < n {
			words += fmt.Sprintf(" (the first %d)", len(kept))
		}
		what = append(what, words)
	}
	for k, r := range s.Routers {
		if held[k] != nil {
			r.Held = held[k]
			edits = append(edits, edit.PutRouter{Router: r})
		}
	}
	return edits, strings.Join(what, "; ")
}

// of is the place of the router that a list is of, -1 for none.
func (l HeldList) of(s site.Site) int {
	if k := slices.IndexFunc(s.Routers, func(r site.Router) bool { return l.Router != "" && (r.Name == l.Router || r.ID == l.Router) }); k >= 0 {
		return k
	}
	best, most := -1, 0
	v := site.NewView(s)
	for k, r := range s.Routers {
		on := 0
		for _, f := range l.Lines {
			if _, there := v.NetworkAt(r, f.Address); there {
				on++
			}
		}
		if _, there := v.NetworkAt(r, l.Exposed); there {
			on++
		}
		if on > most {
			best, most = k, on
		}
	}
	return best
}
