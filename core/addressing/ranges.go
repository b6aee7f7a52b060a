package addressing

import (
	"vestpin/core/site"
	"vestpin/core/span"
)

// Lease is how many addresses the DHCP ranges of a network hold, and how many of them
// nobody is pinned at or was seen at.
type Lease struct {
	Network string `json:"network"`
	Held    int    `json:"held"`
	Free    int    `json:"free"`
	Loose   int    `json:"loose" doc:"Interfaces of the network without a pin"`
}

// Leases counts for each network of a site.
func Leases(v site.View) []Lease {
	out := []Lease{}
	for _, n := range v.Networks {
		var handed span.Set
		for _, r := range n.Ranges {
			handed = handed.Union(span.Of(run(r.From, r.To)))
		}
		l := Lease{Network: n.ID, Held: handed.Len()}
		var used []span.Run
		for _, p := range v.Interfaces() {
			if p.Interface.Network != n.ID {
				continue
			}
			if p.Interface.Pin == nil {
				l.Loose++
			} else {
				used = append(used, run(p.Interface.Pin.Address, p.Interface.Pin.Address))
			}
			if p.Interface.Seen.IsValid() {
				used = append(used, run(p.Interface.Seen, p.Interface.Seen))
			}
		}
		l.Free = handed.Minus(span.Of(used...)).Len()
		out = append(out, l)
	}
	return out
}
