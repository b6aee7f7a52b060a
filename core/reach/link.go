package reach

import (
	"fmt"
	"slices"
	"strings"

	"vestpin/core/site"
	"vestpin/core/span"
)

// The states of a link's end.
const (
	LinkOpen    = "open"    // it listens, and is reached
	LinkShut    = "shut"    // it listens, and nothing leads to it yet
	LinkDials   = "dials"   // it calls, and what it dials is known
	LinkUnknown = "unknown" // it calls, and what to dial is not known
)

// LinkState is how an end of a link stands. Dial is what the other end types to reach one
// that is open, or what this one types: hosts with ports, several with blanks between.
type LinkState struct {
	Link  string `json:"link"`
	State string `json:"state" enum:"open,shut,dials,unknown"`
	Dial  string `json:"dial,omitempty"`
	Says  string `json:"says"`
}

// Links gives how each link of the site stands, in their order.
func (m *Map) Links() []LinkState {
	out := []LinkState{}
	for _, l := range m.v.Links {
		s := LinkState{Link: l.ID}
		if l.End == site.Calls {
			s.State, s.Dial, s.Says = LinkDials, l.Far.Dial, "It calls: no forward is needed here."
			if l.Far.Dial == "" {
				s.State, s.Says = LinkUnknown, "It calls; what it is to dial is not known yet."
			}
		} else {
			s.State, s.Dial, s.Says = m.listens(l.Service)
		}
		out = append(out, s)
	}
	return out
}

func (m *Map) listens(service string) (state, dial, says string) {
	w, ok := m.v.Service(service)
	if !ok || w.Service.Open == nil {
		return LinkShut, "", "It listens, but is kept inside: open the service."
	}
	if !m.Met(w) {
		return LinkShut, "", "It listens, but nothing leads to it yet."
	}
	dial, ok = m.Dial(w)
	if !ok {
		return LinkShut, "", "It listens; the outside address is not known."
	}
	return LinkOpen, dial, "It listens, and is dialled from the other site."
}

// Dial gives what reaches a service from elsewhere, protocol by protocol: the dynamic DNS
// name or the outside address, and the outside ports. False where neither is known, or
// nothing leads there.
func (m *Map) Dial(w site.Wish) (string, bool) {
	routers, why := Route(m.v, w)
	if why != "" || len(routers) == 0 {
		return "", false
	}
	host := routers[len(routers)-1].WAN.Host()
	if host == "" {
		return "", false
	}
	var out []string
	for _, e := range m.Entries(w) {
		if one := fmt.Sprintf("%s:%s/%s", host, span.PortList(e.Outside), e.Protocol); !slices.Contains(out, one) { // for other senders the same
			out = append(out, one)
		}
	}
	return strings.Join(out, " "), len(out) > 0
}

// Entries gives where a service is reached from outside, protocol by protocol, rising by its
// own ports. None where nothing leads there, or it stays inside.
func (m *Map) Entries(w site.Wish) []Mapping {
	if w.Service.Open == nil {
		return nil
	}
	routers, why := Route(m.v, w)
	if why != "" || len(routers) == 0 {
		return nil
	}
	var out []Mapping
	for _, proto := range w.Service.Protocol.Each() {
		out = append(out, Back(routers, At(w.Interface), proto, w.Service.Ports, m.To)...)
	}
	return out
}
