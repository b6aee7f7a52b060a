// Package usage tells from what a router lists as going through it, and from what this
// computer tried itself, whether a service is in use now. What other devices of a network
// say to each other cannot be seen from a computer beside them: nothing is claimed of it.
package usage

import (
	"cmp"
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/reach"
	"vestpin/core/site"
)

// State is how far a connection is.
type State string

// The states of a connection.
const (
	Connected State = "connected"
	Knocks    State = "knocks" // nothing has come back yet
	Ended     State = "ended"  // it is over, and the router keeps it for some seconds
)

// Connection is one that a router lists as going through it now: who began it, at which
// address and port of the router, and to which device and port it leads.
type Connection struct {
	Protocol site.Protocol  `json:"protocol"`
	From     netip.AddrPort `json:"from"`
	To       netip.AddrPort `json:"to"`
	Device   netip.AddrPort `json:"device"`
	State    State          `json:"state" enum:"connected,knocks,ended"`
}

// Caller is somebody who is connected to a service, or tries to be.
type Caller struct {
	Address netip.Addr `json:"address"`
	Inside  bool       `json:"inside" doc:"On a network of the site"`
	State   State      `json:"state" enum:"connected,knocks,ended"`
	Count   int        `json:"count" doc:"How many connections it has in that state"`
}

// Use is what can be told of whether a service is in use now.
type Use struct {
	Says    string   `json:"says"`
	Callers []Caller `json:"callers"`
	Opened  []string `json:"opened" doc:"Outside ports that were opened to it at the router by themselves (UPnP)"`
}

// Seen is what there is to tell by.
type Seen struct {
	Tried  site.Heard         // this computer's own try, from inside
	Asked  bool               // the router was asked for the ports that devices opened, and answered
	Mapped []site.HeldForward // what it answered
	Listed bool               // the router's list of connections is there
	List   []Connection
}

// Of tells whether a service is in use, by what was seen of it.
func Of(v site.View, w site.Wish, seen Seen) Use {
	out := Use{Callers: []Caller{}, Opened: []string{}}
	if w.Interface.Pin == nil {
		out.Says = "Its device is loose: at which address it is asked for is not planned."
		return out
	}
	address := w.Interface.Pin.Address
	entries := reach.Of(v).Entries(w)
	for _, c := range seen.List {
		if !w.Service.Protocol.Covers(c.Protocol) || !leads(v, w, entries, c) {
			continue
		}
		i := slices.IndexFunc(out.Callers, func(o Caller) bool { return o.Address == c.From.Addr() && o.State == c.State })
		if i < 0 {
			i = len(out.Callers)
			out.Callers = append(out.Callers, Caller{Address: c.From.Addr(), Inside: ofSite(v, c.From.Addr()), State: c.State})
		}
		out.Callers[i].Count++
	}
	order := []State{Connected, Knocks, Ended}
	slices.SortStableFunc(out.Callers, func(a, b Caller) int {
		return cmp.Or(slices.Index(order, a.State)-slices.Index(order, b.State), a.Address.Compare(b.Address))
	})
	for _, m := range seen.Mapped {
		if inside := m.InsidePorts(); m.Address == address && w.Service.Protocol.Covers(m.Protocol) && inside.Len() > 0 && w.Service.Ports.Index(inside.At(0)) >= 0 {
			out.Opened = append(out.Opened, fmt.Sprintf("%s %s", m.Outside, m.Protocol))
		}
	}
	out.Says = strings.Join(sentences(seen, out), " ")
	return out
}

// leads reports whether a connection is one to a service: to its device, or in the list of a
// router further out to the next router, at the outside port that leads to it.
func leads(v site.View, w site.Wish, entries []reach.Mapping, c Connection) bool {
	if c.Device.Addr() == w.Interface.Pin.Address {
		return w.Service.Ports.Index(uint32(c.Device.Port())) >= 0
	}
	next := slices.ContainsFunc(v.Routers, func(r site.Router) bool { return r.Upstream != "" && r.WAN.Address == c.Device.Addr() })
	return next && slices.ContainsFunc(entries, func(e reach.Mapping) bool {
		return e.Protocol == c.Protocol && e.Outside.Lo <= uint32(c.To.Port()) && uint32(c.To.Port()) <= e.Outside.Hi
	})
}

func ofSite(v site.View, a netip.Addr) bool {
	return slices.ContainsFunc(v.Networks, func(n site.Network) bool { return n.Subnet.Contains(a) })
}

// sentences say the most certain first.
func sentences(seen Seen, u Use) []string {
	var out []string
	by := func(s State) []string {
		var who []string
		for _, c := range u.Callers {
			if c.State != s {
				continue
			}
			where := "from outside"
			if c.Inside {
				where = "from inside"
			}
			who = append(who, fmt.Sprintf("%s %s", c.Address, where))
		}
		if len(who) > mostNamed {
			who = append(who[:mostNamed], fmt.Sprintf("%d more", len(who)-mostNamed))
		}
		return who
	}
	switch on, knocks, ended := by(Connected), by(Knocks), by(Ended); {
	case !seen.Listed:
		out = append(out, "Who else is connected cannot be seen from here: what others say to each other passes this computer by. The router sees it, if it shows its connections.")
	case len(on) > 0:
		out = append(out, fmt.Sprintf("In use now, by the router's list: %s.", strings.Join(on, ", ")))
	case len(knocks) > 0:
		out = append(out, fmt.Sprintf("Somebody tries and gets no answer, by the router's list: %s.", strings.Join(knocks, ", ")))
	case len(ended) > 0:
		out = append(out, fmt.Sprintf("Not in use; connected until just now, by the router's list: %s.", strings.Join(ended, ", ")))
	default:
		out = append(out, "Nobody is connected to it through the router, by its list. What devices of one network say to each other does not go through it.")
	}
	switch t := seen.Tried; {
	case t.Result == site.HeardAnswers:
		out = append(out, fmt.Sprintf("It took our own connection just now, after %d ms.", t.MS))
	case t.Tried():
		out = append(out, "It did not take our own connection just now: "+t.Says)
	case t.Says != "":
		out = append(out, "Not tried by us: "+t.Says)
	}
	switch {
	case len(u.Opened) > 0:
		out = append(out, fmt.Sprintf("It is held open at the router by itself (UPnP): %s.", strings.Join(u.Opened, ", ")))
	case seen.Asked:
		out = append(out, "The router, asked, holds nothing open to it by UPnP.")
	}
	return out
}

// mostNamed is how many are named in a sentence.
const mostNamed = 6
