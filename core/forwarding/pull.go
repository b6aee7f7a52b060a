package forwarding

import (
	"fmt"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// Pulled is what it comes to when a thread is pulled to an outside port by hand.
type Pulled struct {
	Outside span.Ports `json:"outside"`
	Edits   edit.List  `json:"edits" doc:"Opens it there, whatever is in the way"`
	Taken   string     `json:"taken,omitempty" doc:"What is in the way; absent for nothing"`
	Swap    edit.List  `json:"swap" doc:"Lets it and the service that is there change outside ports; empty where they cannot"`
	Says    string     `json:"says,omitempty" doc:"What the swap does"`
	Instead *Instead   `json:"instead,omitempty" doc:"The next outside port that is free"`
}

// Instead is another outside port for a thread.
type Instead struct {
	Outside span.Ports `json:"outside"`
	Edits   edit.List  `json:"edits"`
}

// farthest is how many ports on from the wanted one a free one is looked for.
const farthest = 1000

// Pull works out what it comes to when a thread is pulled from a service to an outside port.
// Where it was let go at an eyelet of another width, the service keeps its own ports. Errors
// as of Thread.
func Pull(v site.View, service string, outside span.Ports, eyelet bool) (Pulled, error) {
	w, ok := v.Service(service)
	if ok && eyelet && outside.Len() != w.Service.Ports.Len() {
		outside = w.Service.Ports
	}
	edits, err := Thread(v, service, outside)
	if err != nil {
		return Pulled{}, err
	}
	out := Pulled{Outside: outside, Edits: edits, Swap: []edit.Edit{}}
	taken, others := inTheWay(v, service, edits)
	if out.Taken = taken; taken == "" {
		return out, nil
	}
	out.swap(v, w, others)
	for n := uint32(1); n <= farthest; n++ {
		next, ok := outside.Shifted(n)
		if !ok {
			break
		}
		edits, err := Thread(v, service, next)
		if err != nil {
			break
		}
		if taken, _ := inTheWay(v, service, edits); taken == "" {
			out.Instead = &Instead{next, edits}
			break
		}
	}
	return out, nil
}

// swap lets a service and the only one in its way change outside ports.
func (out *Pulled) swap(v site.View, w site.Wish, others []site.Forward) {
	mine := -1
	for i, f := range v.Forwards {
		if f.Service == w.Service.ID && f.Enabled {
			mine = i
		}
	}
	if mine < 0 || len(others) == 0 {
		return
	}
	for _, o := range others {
		if o.Service == "" || o.Service != others[0].Service || o.Locked || !o.Outside.Equal(out.Outside) {
			return
		}
	}
	old := v.Forwards[mine].Outside
	there, err := Thread(v, others[0].Service, old)
	if err != nil {
		return
	}
	other, _ := v.Service(others[0].Service)
	swap := append(append([]edit.Edit{}, out.Edits...), there...)
	swapped, _, err := edit.Apply(v.Site, swap)
	if err != nil {
		return
	}
	after := v.With(swapped)
	if taken, _ := inTheWay(after, w.Service.ID, out.Edits); taken != "" {
		return
	}
	if taken, _ := inTheWay(after, other.Service.ID, there); taken != "" {
		return
	}
	out.Swap, out.Says = swap, fmt.Sprintf("%s goes to %s, %s to %s", w.Label(), out.Outside, other.Label(), old)
}

// inTheWay finds what has the outside ports that edits want for a service: the router itself,
// or forwards of others.
func inTheWay(v site.View, service string, edits []edit.Edit) (string, []site.Forward) {
	var says string
	var others []site.Forward
	for _, e := range edits {
		put, ok := e.(edit.PutForward)
		if !ok {
			continue
		}
		r, _ := v.Router(put.Forward.Router)
		if own, taken := reach.OwnPort(r, put.Forward); taken {
			why := own.Why
			if why == "" {
				why = "the router itself"
			}
			return fmt.Sprintf("%s at %s is taken by %s", own.Ports, r.Label(), why), nil
		}
		for _, f := range v.Forwards {
			if f.Router != r.ID || !f.Enabled || f.ID == put.Forward.ID || f.Service == service || !reach.Clash(form.Of(r.Form).LimitsSenders(), f, put.Forward) {
				continue
			}
			others = append(others, f)
			if says == "" {
				says = fmt.Sprintf("%s at %s leads to %s", f.Outside, r.Label(), nameOf(v, f))
			}
		}
	}
	return says, others
}

// nameOf names where a forward leads.
func nameOf(v site.View, f site.Forward) string {
	if w, ok := v.Service(f.Service); ok {
		return w.Label()
	}
	if _, placed := v.Target(f); placed != nil {
		return placed.Label()
	}
	return f.To
}
