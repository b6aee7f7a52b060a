package snag

import (
	"fmt"
	"slices"
	"strings"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/site"
)

// mostSenders is how many lists of senders that the site names already are offered.
const mostSenders = 3

// knownSenders are the lists of senders that the site names already, by services that are
// opened to few, forwards, and the addresses that its links call.
func knownSenders(v View) [][]site.Sender {
	if v.once.senders != nil {
		return v.once.senders
	}
	seen := map[string]bool{}
	out := [][]site.Sender{}
	add := func(list []site.Sender) {
		if key := sendersSay(list); len(list) > 0 && len(out) < mostSenders && !seen[key] {
			seen[key] = true
			out = append(out, list)
		}
	}
	for _, w := range v.Wishes() {
		add(w.Service.Open.From)
	}
	for _, f := range v.Forwards {
		add(f.From)
	}
	for _, l := range v.Links {
		host, _, _ := strings.Cut(l.Far.Dial, ":")
		if s, err := site.ParseSender(host); err == nil {
			add([]site.Sender{s})
		}
	}
	v.once.senders = out
	return out
}

func sendersSay(list []site.Sender) string {
	var out []string
	for _, s := range list {
		out = append(out, s.String())
	}
	return strings.Join(out, ", ")
}

// apartFrom reports whether no sender is in both of two lists; an empty list is everybody.
func apartFrom(a, b []site.Sender) bool {
	meets := func(s site.Sender) bool {
		return slices.ContainsFunc(b, func(o site.Sender) bool { return s.Overlaps(o.Prefix) })
	}
	return len(a) > 0 && len(b) > 0 && !slices.ContainsFunc(a, meets)
}

// limited are the ways out by which one of two services gives up some of its senders to the
// other: those that the site names already, so that nobody has to guess.
func limited(v View, w site.Wish, rivals []site.Wish) []way {
	var out []way
	offer := func(of, other site.Wish) {
		if len(of.Service.Open.From) > 0 {
			return
		}
		for _, list := range knownSenders(v) {
			if of.Service.ID != w.Service.ID && !apartFrom(list, other.Service.Open.From) {
				continue // it would stay in the way
			}
			few := *of.Service.Open
			few.From = list
			does := fmt.Sprintf("Let only %s reach %s, and open %s", sendersSay(list), of.Label(), w.Label())
			edits := []edit.Edit{edit.SetOpen{ID: of.Service.ID, Open: &few}}
			for _, f := range v.forwardsOf(of.Service.ID) {
				if !f.Locked {
					f.From = list
					edits = append(edits, edit.PutForward{Forward: f})
				}
			}
			out = append(out, way{does, edits})
		}
	}
	for _, o := range rivals {
		offer(o, w)
	}
	if slices.ContainsFunc(rivals, func(o site.Wish) bool { return len(o.Service.Open.From) > 0 }) {
		offer(w, w)
	}
	return out
}

// tamed are the mends of a forward that opens to everybody what never should be: only those
// senders reach it that the site names already, or it is shut. The services that it serves
// are wanted by no others then, or no more.
func tamed(v View, f site.Forward) []Mend {
	if f.Locked {
		return nil
	}
	var out []Mend
	served := servedBy(v, f)
	r, _ := v.Router(f.Router)
	page := form.Of(r.Form)
	for _, list := range knownSenders(v) {
		few := f
		few.From = list
		n, err := page.Count(few)
		if err != nil {
			break
		}
		if was, err := page.Count(f); err != nil || r.Form.Lines > 0 && v.typed(r).All()+n-was > r.Form.Lines {
			continue
		}
		edits := []edit.Edit{edit.PutForward{Forward: few}}
		for _, w := range served {
			open := *w.Service.Open
			open.From = list
			edits = append(edits, edit.SetOpen{ID: w.Service.ID, Open: &open})
		}
		out = append(out, Mend{fmt.Sprintf("Let only %s through %s", sendersSay(list), forwardName(f)), edits})
	}
	if len(ledBy(v, f)) > 0 {
		return out
	}
	shut := Mend{"Remove " + forwardName(f), []edit.Edit{edit.RemoveForward{ID: f.ID}}}
	for _, w := range served {
		shut.Does += ", and keep " + w.Label() + " inside"
		shut.Edits = append(shut.Edits, edit.SetOpen{ID: w.Service.ID})
	}
	if len(served) == 1 && served[0].Service.ID == f.Service {
		shut = keepIn(v, served[0])
	}
	return append(out, shut)
}

// servedBy are the services that are to be opened and that a forward leads to.
func servedBy(v View, f site.Forward) []site.Wish {
	_, to := v.Target(f)
	inside := f.InsidePorts().Set()
	var out []site.Wish
	for _, w := range v.Wishes() {
		if to != nil && w.Interface.ID == to.Interface.ID && w.Service.Protocol.Meets(f.Protocol) && !w.Service.Ports.Set().Overlap(inside).Empty() {
			out = append(out, w)
		}
	}
	return out
}
