package snag

import (
	"fmt"
	"slices"

	"vestpin/core/edit"
	"vestpin/core/forwarding"
	"vestpin/core/site"
)

// cause is one interface without a pin, and the snags that come of it.
type cause struct {
	placed site.Placed
	loose  []Snag // of each of its services that is to be open outside
	unmet  []Snag // of each of these that no forward leads to
}

// OneACause gives the snags of a site as people are told of them: of a loose device whose services are
// to be open outside one, about the device, with one mend for all; Check has one for each service and
// for what it lacks. That a service is not opened is not told again where something that stops work says so.
func OneACause(s site.View, snags []Snag) []Snag {
	causes := map[site.Ref]*cause{}
	of := map[site.Ref]*cause{}
	for _, sn := range snags {
		if sn.Code != "open-but-loose" || len(sn.About) < 3 {
			continue
		}
		c := causes[sn.About[2]]
		if c == nil {
			p, _ := s.Interface(sn.About[2].ID())
			c = &cause{placed: p}
			causes[sn.About[2]] = c
		}
		c.loose = append(c.loose, sn)
		of[sn.About[1]] = c
	}
	for _, sn := range snags {
		if c := of[first(sn.About)]; sn.Code == "wish-unmet" && c != nil {
			c.unmet = append(c.unmet, sn)
		}
	}
	v := newView(s)
	again := &budget{addresses: mostAgain, ports: mostAgain}
	out := make([]Snag, 0, len(snags))
	told := map[*cause]bool{}
	for _, sn := range snags {
		c := of[first(sn.About)]
		if sn.Code == "open-but-loose" && len(sn.About) > 2 {
			c = causes[sn.About[2]]
		} else if sn.Code != "wish-unmet" {
			c = nil
		}
		switch {
		case sn.Code == "wish-unmet" && toldBy(snags, sn):
		case c == nil || len(c.loose)+len(c.unmet) < 2:
			out = append(out, sn)
		case !told[c]:
			told[c] = true
			out = append(out, c.snag(v, again))
		}
	}
	return out
}

// toldBy reports whether a snag that stops work is about the same service and offers what this one does.
func toldBy(snags []Snag, sn Snag) bool {
	return len(sn.Mends) > 0 && slices.ContainsFunc(snags, func(o Snag) bool {
		return o.Weight == Stops && slices.Contains(o.About, sn.About[0]) && slices.ContainsFunc(o.Mends, func(m Mend) bool { return m.Does == sn.Mends[0].Does })
	})
}

// mostAgain is how often services of one device are planned one after the other, since they would
// take the same outside port side by side.
const mostAgain = 40

func first(about []site.Ref) site.Ref {
	if len(about) == 0 {
		return ""
	}
	return about[0]
}

func (c *cause) snag(v View, again *budget) Snag {
	sn := c.loose[0]
	sn.About = []site.Ref{c.placed.Device.Ref(), c.placed.Interface.Ref()}
	var names []string
	for _, l := range c.loose {
		sn.About = append(sn.About, l.About[1])
		w, _ := v.Service(l.About[1].ID())
		names = append(names, called(w))
	}
	are := "is"
	if len(names) > 1 {
		are = "are"
	}
	sn.Says = fmt.Sprintf("%s is loose, and its %s %s to be open outside.", c.placed.Label(), forwarding.InARow(names), are)
	sn.Mends = nil
	if edits, at := c.opening(v, again); len(edits) > 0 {
		pin := c.placed.Label()
		for _, e := range edits {
			if set, ok := e.(edit.SetPin); ok && set.ID == c.placed.Interface.ID && set.Pin != nil {
				pin += " at " + set.Pin.Address.String()
			}
		}
		sn.Mends = append(sn.Mends, Mend{fmt.Sprintf("Pin %s and open %s", pin, forwarding.InARow(at)), edits})
	}
	sn.Mends = append(sn.Mends, c.loose[0].Mends...)
	if keep := c.keeping(v); len(keep) > 0 {
		sn.Mends = append(sn.Mends, Mend{"Keep " + forwarding.InARow(names) + " inside", keep})
	}
	return sn
}

// opening gives the edits that pin the device and open all that nothing leads to yet, and what is opened
// where; none where one of them cannot be opened so.
func (c *cause) opening(v View, again *budget) (edits []edit.Edit, at []string) {
	for _, sn := range c.unmet {
		w, _ := v.Service(sn.About[0].ID())
		if len(sn.Mends) == 0 || !opens(sn.Mends[0].Edits, w) {
			return nil, nil
		}
		more := sn.Mends[0].Edits
		if meet(edits, more) {
			made, _, err := edit.Apply(v.Site, edits)
			if err != nil || again.ports <= 0 {
				return nil, nil
			}
			next := newView(v.With(made))
			next.left = again
			w, _ = next.Service(w.Service.ID)
			if more = next.open(w); !opens(more, w) {
				return nil, nil
			}
		}
		for _, e := range more {
			if set, ok := e.(edit.SetPin); ok && slices.ContainsFunc(edits, func(o edit.Edit) bool { p, ok := o.(edit.SetPin); return ok && p.ID == set.ID }) {
				continue // pinned with the first
			}
			edits = append(edits, e)
			if put, ok := e.(edit.PutForward); ok && put.Forward.Service == w.Service.ID && !slices.Contains(at, called(w)+" at "+put.Forward.Outside.String()) {
				at = append(at, called(w)+" at "+put.Forward.Outside.String())
			}
		}
	}
	return edits, at
}

// keeping gives the edits that keep all services inside, in the order of their snags.
func (c *cause) keeping(v View) (edits []edit.Edit) {
	for _, l := range c.loose {
		w, _ := v.Service(l.About[1].ID())
		edits = append(edits, keepIn(v, w).Edits...)
	}
	return edits
}

// opens reports whether edits make a forward for a service.
func opens(edits []edit.Edit, w site.Wish) bool {
	return slices.ContainsFunc(edits, func(e edit.Edit) bool {
		put, ok := e.(edit.PutForward)
		return ok && put.Forward.Service == w.Service.ID
	})
}

// meet reports whether two lists of edits put forwards at one outside port of a router, or under one id.
func meet(a, b []edit.Edit) bool {
	for _, x := range a {
		for _, y := range b {
			p, ok := x.(edit.PutForward)
			q, both := y.(edit.PutForward)
			if ok && both && (p.Forward.ID == q.Forward.ID || p.Forward.Router == q.Forward.Router && p.Forward.Protocol.Meets(q.Forward.Protocol) && !p.Forward.Outside.Set().Overlap(q.Forward.Outside.Set()).Empty()) {
				return true
			}
		}
	}
	return false
}

// called is what a service of a device is called beside the device.
func called(w site.Wish) string {
	if w.Service.Name == "" {
		return w.Service.Ports.String()
	}
	return w.Service.Name
}
