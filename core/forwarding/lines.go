// Package forwarding knows which outside port leads to which service, where a
// packet from outside ends up, and how a forward is written on a router's form.
package forwarding

import (
	"fmt"
	"math"
	"net/netip"
	"slices"

	"vestpin/core/site"
	"vestpin/core/span"
)

// Line is one entry of a router's forwarding page.
type Line struct {
	Protocol site.Protocol `json:"protocol"`
	Outside  span.Ports    `json:"outside"`
	Address  netip.Addr    `json:"address,omitzero"`
	Inside   span.Ports    `json:"inside"`
	From     []site.Sender `json:"from,omitempty"`
	Forward  string        `json:"forward"`
}

// Reservation is one entry of a router's DHCP reservation page.
type Reservation struct {
	Interface string     `json:"interface"`
	Name      string     `json:"name"`
	MAC       site.MAC   `json:"mac"`
	Address   netip.Addr `json:"address"`
}

// CannotError says why a router's form has no way to express a forward.
type CannotError struct{ Why string }

func (c *CannotError) Error() string { return c.Why }

func cannot(format string, args ...any) error { return &CannotError{fmt.Sprintf(format, args...)} }

// Split writes a forward as the lines that the form takes. Its error is a
// *CannotError.
//
// A line carries one protocol or both, as the form says; one port, one range or
// a list. Ports that are renumbered go one to a line where the form renumbers
// single ports only, and one range to a line where it moves a range by one
// offset. A line takes at most one sender.
func Split(form site.Form, f site.Forward) ([]Line, error) {
	lines, _, err := split(form, f, math.MaxInt)
	return lines, err
}

// Count tells how many lines Split would give, without making them.
func Count(form site.Form, f site.Forward) (int, error) {
	_, n, err := split(form, f, 0)
	return n, err
}

// split makes at most so many lines, and counts them all.
func split(form site.Form, f site.Forward, most int) ([]Line, int, error) {
	senders, err := splitSenders(form, f.From)
	if err != nil {
		return nil, 0, err
	}
	protocols, err := splitProtocols(form, f.Protocol)
	if err != nil {
		return nil, 0, err
	}
	pairs, count, err := splitPorts(form, f.Outside, f.InsidePorts(), most)
	if err != nil {
		return nil, 0, err
	}
	var out []Line
	for _, pair := range pairs {
		for _, p := range protocols {
			for _, from := range senders {
				if len(out) < most {
					out = append(out, Line{Protocol: p, Outside: pair[0], Inside: pair[1], From: from, Forward: f.ID})
				}
			}
		}
	}
	return out, count * len(protocols) * len(senders), nil
}

func splitSenders(form site.Form, from []site.Sender) ([][]site.Sender, error) {
	if len(from) == 0 {
		return [][]site.Sender{nil}, nil
	}
	if form.LimitsSender == "no" || form.LimitsSender == "" {
		return nil, cannot("its form cannot limit who may connect")
	}
	var out [][]site.Sender
	for _, s := range from {
		if form.LimitsSender == "address" && s.Bits() < 32 {
			return nil, cannot("its form limits the sender to single addresses, not to %s", s)
		}
		out = append(out, []site.Sender{s})
	}
	return out, nil
}

func splitProtocols(form site.Form, p site.Protocol) ([]site.Protocol, error) {
	if len(form.Protocols) == 0 || slices.Contains(form.Protocols, p) {
		return []site.Protocol{p}, nil
	}
	for _, single := range p.Each() {
		if !slices.Contains(form.Protocols, single) {
			return nil, cannot("a line of its form cannot carry %s alone", single)
		}
	}
	return p.Each(), nil
}

// pair is outside ports and the inside ports they lead to.
type pair [2]span.Ports

// splitPorts makes at most so many pairs, and counts them all.
func splitPorts(form site.Form, outside, inside span.Ports, most int) (out []pair, count int, err error) {
	add := func(o, i span.Run) {
		if count++; count <= most {
			out = append(out, pair{span.PortList(o), span.PortList(i)})
		}
	}
	var list []span.Run
	for _, s := range stretches(outside, inside) {
		o, i := s[0], s[1]
		moved := o.Lo != i.Lo
		switch {
		case moved && form.Renumber == "none":
			return nil, 0, cannot("its form cannot renumber ports (%s outside to %s inside)", span.PortList(o), span.PortList(i))
		case form.PortsPerLine == "one", moved && form.Renumber == "one":
			n := uint32(o.Len())
			made := min(n, uint32(min(max(0, most-count), 1<<16)))
			for k := range made {
				add(span.Run{Lo: o.Lo + k, Hi: o.Lo + k}, span.Run{Lo: i.Lo + k, Hi: i.Lo + k})
			}
			count += int(n - made)
		case form.PortsPerLine == "list" && !moved:
			list = append(list, o)
		default:
			add(o, i)
		}
	}
	if len(list) > 0 {
		p := span.PortList(list...)
		count++
		out = append([]pair{{p, p}}, out...)
	}
	return out, count, nil
}

// stretches cuts the two lists into runs that rise together.
func stretches(outside, inside span.Ports) [][2]span.Run {
	var out [][2]span.Run
	o, i := outside.Pieces(), inside.Pieces()
	for len(o) > 0 && len(i) > 0 {
		n := uint32(min(o[0].Len(), i[0].Len()))
		out = append(out, [2]span.Run{{Lo: o[0].Lo, Hi: o[0].Lo + n - 1}, {Lo: i[0].Lo, Hi: i[0].Lo + n - 1}})
		o, i = rest(o, n), rest(i, n)
	}
	return out
}

func rest(runs []span.Run, n uint32) []span.Run {
	if uint32(runs[0].Len()) == n {
		return runs[1:]
	}
	return append([]span.Run{{Lo: runs[0].Lo + n, Hi: runs[0].Hi}}, runs[1:]...)
}

// Fault is a forward that the router's form cannot express.
type Fault struct {
	Forward site.Forward
	Why     string
}

// MostLines is how many lines of a router are made: more than any page takes.
// Beyond that they are counted.
const MostLines = 10000

// Typed is what is typed into a router: the lines of its enabled forwards in order,
// at most MostLines of them and how many More there are, its reservations, and the
// forwards that its form cannot express.
type Typed struct {
	Lines        []Line
	More         int
	Reservations []Reservation
	Faults       []Fault
}

// All is how many lines there are.
func (t Typed) All() int { return len(t.Lines) + t.More }

// Lines gives what is typed into a router.
func Lines(v site.View, r site.Router) Typed {
	t := Typed{Lines: []Line{}, Reservations: reservations(v, r)}
	for _, f := range v.Forwards {
		if f.Router != r.ID || !f.Enabled {
			continue
		}
		made, count, err := split(r.Form, f, MostLines-len(t.Lines))
		if err != nil {
			t.Faults = append(t.Faults, Fault{f, err.Error()})
			continue
		}
		address, _ := v.Target(f)
		for _, l := range made {
			l.Address = address
			t.Lines = append(t.Lines, l)
		}
		t.More += count - len(made)
	}
	return t
}

func reservations(v site.View, r site.Router) []Reservation {
	out := []Reservation{}
	if serving, ok := v.RouterOf(r.Network); !ok || serving.ID != r.ID {
		return out
	}
	for _, p := range v.Interfaces() {
		if pin := p.Interface.Pin; p.Interface.Network == r.Network && pin != nil && pin.Reserved() {
			out = append(out, Reservation{p.Interface.ID, p.Label(), p.Interface.MAC, pin.Address})
		}
	}
	return out
}
