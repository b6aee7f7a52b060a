package suggest

import (
	"fmt"

	"vestpin/core/edit"
	"vestpin/core/forwarding"
	"vestpin/core/site"
	"vestpin/core/span"
)

// Pulled is what it comes to when a thread is pulled by hand; what is loose is pinned by the
// same edits.
type Pulled struct {
	forwarding.Pulled
	Pins string `json:"pins,omitempty" doc:"Where the loose interface is pinned by the same edits, or why it stays loose"`
}

// Pull works out what it comes to when a thread is pulled from a service to an outside port,
// as forwarding.Pull does: a service of a loose interface is pinned first, where the whole
// suggestion pins it once the service is open. Errors as of forwarding.Pull.
func Pull(v site.View, service string, outside span.Ports, eyelet bool) (Pulled, error) {
	pulled, err := forwarding.Pull(v, service, outside, eyelet)
	out := Pulled{Pulled: pulled}
	w, _ := v.Service(service)
	if err != nil || w.Interface == nil || w.Interface.Pin != nil {
		return out, err
	}
	open, _, err := edit.Apply(v.Site, pulled.Edits)
	if err != nil {
		return out, err
	}
	plan, err := plan(v.With(open), Halves{Addresses: true}, func(string) {})
	if err != nil {
		return out, err
	}
	pins := plan.Pin(w.Interface.ID)
	if len(pins) == 0 {
		p, _ := v.Interface(w.Interface.ID)
		out.Pins = p.Label() + " stays loose"
		for _, u := range plan.Unmet {
			if len(u.Interfaces) > 0 && u.Interfaces[0] == w.Interface.ID {
				out.Pins += ": " + u.Says
			}
		}
		return out, nil
	}
	says := ""
	for _, e := range pins {
		pin, ok := e.(edit.SetPin)
		if p, there := v.Interface(pin.ID); ok && there {
			if says != "" {
				says += ", "
			}
			says += fmt.Sprintf("%s is pinned at %s", p.Label(), pin.Pin.Address)
		}
	}
	out.Pins = says
	first := func(edits []edit.Edit) []edit.Edit { return append(append([]edit.Edit{}, pins...), edits...) }
	out.Edits = first(out.Edits)
	if len(out.Swap) > 0 {
		out.Swap = first(out.Swap)
	}
	if out.Instead != nil {
		out.Instead = &forwarding.Instead{Outside: out.Instead.Outside, Edits: first(out.Instead.Edits)}
	}
	return out, nil
}
