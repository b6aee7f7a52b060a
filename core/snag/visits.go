package snag

import (
	"fmt"
	"strings"

	"vestpin/core/edit"
	"vestpin/core/sighting"
	"vestpin/core/site"
)

// twoServers finds networks on which more than one DHCP server answers: which of
// them a device gets its address and gateway from is chance.
func twoServers(v View) []Snag {
	var found []Snag
	for _, n := range v.Networks {
		if len(n.Servers) < 2 {
			continue
		}
		var list []string
		for _, s := range n.Servers {
			list = append(list, s.Address.String())
		}
		found = append(found, Snag{
			Code: "two-dhcp-servers", About: []site.Ref{n.Ref()},
			Says: fmt.Sprintf("%s hand out addresses on %s: devices get theirs from whichever is quicker, and reservations at one do not bind the other. Turn all but one off, then sweep again.", strings.Join(list, " and "), n.Subnet),
		})
	}
	return found
}

// answersForMany finds networks on which somebody answers for everything: what a
// sweep finds there is not all true.
func answersForMany(v View) []Snag {
	var found []Snag
	for _, n := range v.Networks {
		if len(n.Crowds) == 0 {
			continue
		}
		var list []string
		left := 0
		for _, c := range n.Crowds {
			who := string(c.MAC) + " for many addresses"
			if c.Address.IsValid() {
				who = "many MAC addresses for " + c.Address.String()
			}
			list, left = append(list, who), left+c.Left
		}
		says := fmt.Sprintf("Somebody answers for everything on %s (%s): a router or extender in between, or a device that pretends. %d answers are not believed. Find it, then sweep again.", n.Subnet, strings.Join(list[:min(len(list), 3)], ", "), left)
		found = append(found, Snag{Code: "answers-for-many", About: []site.Ref{n.Ref()}, Says: says})
	}
	return found
}

// strangers finds devices that were never seen before the visit that is going on,
// on a site that had a finished one.
func strangers(v View) []Snag {
	last, ok := v.LastFinished()
	if !ok {
		return nil
	}
	offered := map[string]bool{}
	for _, o := range sighting.Offers(v.View) {
		offered[o.New] = true
	}
	var found []Snag
	for i := range v.Devices {
		d := &v.Devices[i]
		if d.Accepted || d.Place != "" || offered[d.ID] || !allAfter(d, last.Until) {
			continue
		}
		yes := true
		found = append(found, Snag{
			Code: "stranger", About: []site.Ref{d.Ref()},
			Says:  fmt.Sprintf("%s was never seen here before the visit of %s.", d.Label(), last.Until[:min(10, len(last.Until))]),
			Mends: []Mend{{fmt.Sprintf("%s belongs here", d.Label()), []edit.Edit{edit.Describe{ID: d.ID, Accepted: &yes}}}},
		})
	}
	return found
}

func allAfter(d *site.Device, at string) bool {
	for _, n := range d.Interfaces {
		if n.First == "" || n.First <= at || n.Pin != nil {
			return false
		}
	}
	return len(d.Interfaces) > 0
}

// swapped finds devices that seem to have been put in another's place: the
// reservation is still for the old MAC address.
func swapped(v View) []Snag {
	var found []Snag
	for _, o := range sighting.Offers(v.View) {
		if o.Kind == sighting.Swapped {
			found = append(found, Snag{
				Code: "swapped?", About: []site.Ref{site.Ref("device:" + o.Old), site.Ref("device:" + o.New)},
				Says:  o.Says + " " + sentence(strings.Join(o.Reasons, "; ")),
				Mends: []Mend{{o.Does, o.Edits}, {"No, it is another device", o.Not}},
			})
		}
	}
	return found
}

// preferHandOver puts the hand-over first among the mends of an address that
// answers already, where the one that answers seems to be what came in the old
// one's place.
func preferHandOver(v View, list []Snag) {
	for _, o := range sighting.Offers(v.View) {
		if o.Kind != sighting.Swapped {
			continue
		}
		for i, sn := range list {
			if sn.Code == "address-answers-already" && len(sn.About) > 0 && sn.About[0] == site.Ref("device:"+o.Old) {
				list[i].Mends = append([]Mend{{o.Does, o.Edits}}, sn.Mends...)
			}
		}
	}
}

func sentence(text string) string {
	return strings.ToUpper(text[:1]) + text[1:] + "."
}
