package sighting

import (
	"fmt"

	"vestpin/core/site"
)

// Hold puts what a router really has on its forwarding page beside the plan: at the
// router on whose network most of its lines lead. It gives what that comes to in words;
// no edit where no router of the site can be meant.
func Hold(s site.Site, lines []site.HeldForward, source, at string) (edits []site.Edit, says string) {
	if len(lines) == 0 {
		return nil, ""
	}
	on := map[string]int{}
	best := ""
	for _, r := range s.Routers {
		for _, n := range s.Networks {
			if n.ID != r.Network {
				continue
			}
			for _, f := range lines {
				if n.Subnet.Contains(f.Address) {
					on[r.ID]++
				}
			}
		}
		if on[r.ID] > on[best] {
			best = r.ID
		}
	}
	what := fmt.Sprintf("%d forwards that a router holds", len(lines))
	if len(lines) == 1 {
		what = "1 forward that a router holds"
	}
	if best == "" {
		return nil, what + "; none leads to a network of this site, so they are left out"
	}
	held := site.Held{At: at, Source: cut(source, 200), Forwards: lines[:min(len(lines), site.MostHeld)]}
	for _, r := range s.Routers {
		if r.ID == best {
			r.Held = &held
			edits = append(edits, site.PutRouter{Router: r})
			what = what + ", kept as evidence of " + r.Label()
		}
	}
	if len(lines) > site.MostHeld {
		what += fmt.Sprintf(" (the first %d)", site.MostHeld)
	}
	return edits, what
}
