package site

import (
	"fmt"
	"net/netip"
)

// New is an empty site with one network and the router at its gateway.
func New(name string, subnet netip.Prefix, gateway netip.Addr, ranges []Range) Site {
	n := Network{ID: "main", Name: "Main", Subnet: subnet, Gateway: gateway, Ranges: ranges}
	if gateway.IsValid() {
		n.DNS = []netip.Addr{gateway}
	}
	r := Router{
		ID: "edge", Name: "Router", Network: "main", UPnP: "unknown", LoopsBack: "unknown", WAN: WAN{Kind: "unknown"},
		Form: Form{PortsPerLine: "range", Renumber: "range", Protocols: []Protocol{TCP, UDP, Both}, LimitsSender: "no", Reserves: "anywhere"},
	}
	return Site{Name: name, Networks: []Network{n}, Routers: []Router{r}}.Whole()
}

// FreeID is the first of stem, stem-2, stem-3 … that is not taken.
func FreeID(stem string, taken func(string) bool) string {
	id := stem
	for n := 2; taken(id); n++ {
		id = fmt.Sprintf("%s-%d", stem, n)
	}
	return id
}

// Template is a new site on the pattern of another: its networks with their bands, its
// routers with their forms, its makers, and nothing of what is only true there: no devices,
// forwards, visits, steps, and no address outside.
func Template(s Site, name string) Site {
	out := Site{Name: name, Makers: append([]Maker{}, s.Makers...), Kinds: append([]Kind{}, s.Kinds...)}
	for _, n := range s.Networks {
		n.Servers, n.Crowds = nil, nil
		out.Networks = append(out.Networks, n)
	}
	upstream := map[string]bool{}
	for _, r := range s.Routers {
		upstream[r.ID] = r.Upstream != ""
	}
	for _, r := range s.Routers {
		r.Held, r.Mapped = nil, nil
		r.WAN.Name = ""
		if !upstream[r.ID] {
			r.WAN.Address = netip.Addr{}
		}
		out.Routers = append(out.Routers, r)
	}
	return out.Whole()
}
