package forwarding

import (
	"fmt"

	"vestpin/core/site"
	"vestpin/core/span"
)

// refusal is why there is no way for a wish: the words are made at the end. Of several the
// one of the highest kind says most.
type refusal struct {
	kind   refusalKind
	router site.Router
	ports  span.Ports
	by     *site.Forward // what has them, where that is a forward
	says   string
}

type refusalKind int

const (
	noReason       refusalKind = iota
	noneFree                   // no ports in a row are free at a router
	cannotRenumber             // its natural ports are not to be had, and others neither
	pageCannot                 // the page of a router has no way to say it
	routersOwn                 // the router answers there itself
	isTaken                    // a forward that stays has the ports
	nobodyLimits               // whatever ports it takes, no router of the way can limit who connects
	hiddenSources              // its allowed sources come to the router as somebody else
	onlyInside                 // all who are to reach it are inside, and the router does not loop back
	noRoute
	offNetwork
	notPinned
)

// words says why a wish has no way, to go on after a colon.
func (r refusal) words(v site.View, w site.Wish) string {
	switch r.kind {
	case noneFree:
		if r.ports.Len() == 1 {
			return fmt.Sprintf("no outside port is free at %s", r.router.Label())
		}
		return fmt.Sprintf("no %d outside ports in a row are free at %s", r.ports.Len(), r.router.Label())
	case cannotRenumber:
		return fmt.Sprintf("%s cannot renumber ports, and %s is not free outside", r.router.Label(), r.ports)
	case pageCannot, nobodyLimits:
		return fmt.Sprintf("%s cannot take it: %s", r.router.Label(), r.says)
	case routersOwn:
		return fmt.Sprintf("%s answers on %s itself", r.router.Label(), r.ports) + r.fixed()
	case isTaken:
		if r.by == nil {
			return fmt.Sprintf("the page of %s does not take %s outside", r.router.Label(), r.ports) + r.fixed()
		}
		return fmt.Sprintf("%s has %s at %s", holderName(v, *r.by), r.ports, r.router.Label()) + r.fixed()
	case hiddenSources:
		return fmt.Sprintf("its allowed sources come to %s as %s: allow that address as well", r.router.Label(), r.says)
	case onlyInside:
		return fmt.Sprintf("all its allowed sources are inside, and %s has no NAT loopback: from there it is reached at its own address", r.router.Label())
	case notPinned:
		return fmt.Sprintf("%s has no pin, so a forward to it would go astray", w.Device.Label())
	case noRoute, offNetwork:
		return r.says
	}
	return "no port fits"
}

// fixed adds that the router has no other port for it.
func (r refusal) fixed() string {
	if r.router.Form.Renumber == "none" {
		return ", and it cannot renumber ports"
	}
	return ""
}

// holderName names a forward that stays, and that it does.
func holderName(v site.View, f site.Forward) string {
	how := "made by hand"
	if f.Locked {
		how = "locked"
	}
	if w, ok := v.Service(f.Service); ok {
		return fmt.Sprintf("%s (%s)", w.Label(), how)
	}
	name := f.Name
	if name == "" {
		name = "the forward of " + f.Outside.String()
	}
	return fmt.Sprintf("%s (%s)", name, how)
}
