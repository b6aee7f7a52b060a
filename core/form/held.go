package form

import (
	"net/netip"
	"slices"

	"vestpin/core/site"
)

// ReservationDifference is a MAC address for which a router's page reserves otherwise than
// planned. An address is not valid where there is no reservation.
type ReservationDifference struct {
	MAC  site.MAC   `json:"mac"`
	Plan netip.Addr `json:"plan,omitzero"`
	Held netip.Addr `json:"held,omitzero"`
	Says string     `json:"says"`
}

// CompareReservations holds the planned reservations of a router against those that stand
// on its page, in the order of the plan, then of the page.
func CompareReservations(v site.View, r site.Router, held []Reservation) []ReservationDifference {
	out := []ReservationDifference{}
	is := map[site.MAC][]netip.Addr{}
	for _, h := range held {
		is[h.MAC] = append(is[h.MAC], h.Address)
	}
	told := map[site.MAC]bool{}
	for _, p := range reservations(v, r) {
		if p.MAC == "" || told[p.MAC] || slices.Contains(is[p.MAC], p.Address) && len(is[p.MAC]) == 1 {
			told[p.MAC] = true
			continue
		}
		told[p.MAC] = true
		d := ReservationDifference{MAC: p.MAC, Plan: p.Address, Says: p.Name + " is planned at " + p.Address.String() + ", and the router reserves nothing for it."}
		for _, a := range is[p.MAC] {
			if a != p.Address {
				d.Held, d.Says = a, p.Name+" is planned at "+p.Address.String()+", and the router reserves "+a.String()+" for it."
			}
		}
		out = append(out, d)
	}
	for _, h := range held {
		if !told[h.MAC] {
			told[h.MAC] = true
			name := h.Name
			if name == "" {
				name = string(h.MAC)
			}
			out = append(out, ReservationDifference{MAC: h.MAC, Held: h.Address, Says: "The router reserves " + h.Address.String() + " for " + name + ", which is in no plan."})
		}
	}
	return out
}
