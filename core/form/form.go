// Package form knows what a router's pages can say: how a forward becomes lines, a line
// the fields of the page in its own words, and lines forwards again. It knows nothing of
// why a forward is wanted.
package form

import (
	"fmt"
	"math"
	"net/netip"
	"slices"

	"vestpin/core/site"
	"vestpin/core/span"
)

// Page is what the pages of a router can say.
type Page struct {
	form    site.Form // whole
	refuses span.Set
}

// Of is the page that a form describes.
func Of(f site.Form) Page { return Page{form: f.Whole(), refuses: f.Refuses.Set()} }

// LimitsSenders reports whether a line can say who may connect.
func (p Page) LimitsSenders() bool { return p.form.LimitsSender != "no" }

// Limits reports whether a line can keep all but these off.
func (p Page) Limits(from []site.Sender) bool {
	_, err := p.senders(from)
	return err == nil
}

// Renumbers reports whether a line can lead to other ports than the outside ones.
func (p Page) Renumbers() bool { return p.form.Renumber != "none" }

// Refuses gives the outside ports that the page does not take.
func (p Page) Refuses() span.Set { return p.refuses }

// Taking is the page as if it took every outside port, to see whether a forward can be
// written whose ports are still to be found.
func (p Page) Taking() Page {
	p.refuses = span.Set{}
	return p
}

// Line is one entry of a router's forwarding page.
type Line struct {
	Protocol site.Protocol `json:"protocol"`
	Outside  span.Ports    `json:"outside"`
	Address  netip.Addr    `json:"address,omitzero"`
	Inside   span.Ports    `json:"inside"`
	From     []site.Sender `json:"from,omitempty"`
	Forward  string        `json:"forward"`
}

// CannotError says why a page has no way to express a forward.
type CannotError struct{ Why string }

func (c *CannotError) Error() string { return c.Why }

func cannot(format string, args ...any) error { return &CannotError{fmt.Sprintf(format, args...)} }

// Lines writes a forward as the lines that the page takes, where nothing is known yet of
// the address. Its error is a *CannotError.
//
// A line carries one protocol or both, as the page says; one port, one range or
// a list. Ports that are renumbered go one to a line where the page renumbers
// single ports only, and one range to a line where it moves a range by one
// offset. A line takes at most one sender.
func (p Page) Lines(f site.Forward) ([]Line, error) {
	lines, _, err := p.lines(f, math.MaxInt)
	return lines, err
}

// Count tells how many lines Lines would give, without making them.
func (p Page) Count(f site.Forward) (int, error) {
	_, n, err := p.lines(f, 0)
	return n, err
}

// lines makes at most so many lines, and counts them all.
func (p Page) lines(f site.Forward, most int) ([]Line, int, error) {
	senders, err := p.senders(f.From)
	if err != nil {
		return nil, 0, err
	}
	protocols, err := p.carried(f.Protocol)
	if err != nil {
		return nil, 0, err
	}
	if bad := p.refuses.Overlap(f.Outside.Set()); !bad.Empty() {
		return nil, 0, cannot("its page does not take %s outside", span.PortList(bad.Runs()...))
	}
	pairs, count, err := p.pairs(f.Outside, f.InsidePorts(), most)
	if err != nil {
		return nil, 0, err
	}
	var out []Line
	for _, pair := range pairs {
		for _, proto := range protocols {
			for _, from := range senders {
				if len(out) < most {
					out = append(out, Line{Protocol: proto, Outside: pair[0], Inside: pair[1], From: from, Forward: f.ID})
				}
			}
		}
	}
	return out, count * len(protocols) * len(senders), nil
}

func (p Page) senders(from []site.Sender) ([][]site.Sender, error) {
	if !site.Limits(from) {
		return [][]site.Sender{nil}, nil
	}
	if !p.LimitsSenders() {
		return nil, cannot("its form cannot limit who may connect")
	}
	var out [][]site.Sender
	for _, s := range from {
		if p.form.LimitsSender == "address" && s.Bits() < 32 {
			return nil, cannot("its form limits the sender to single addresses, not to %s", s)
		}
		out = append(out, []site.Sender{s})
	}
	return out, nil
}

// OnlyBoth reports whether a line always carries both protocols.
func (p Page) OnlyBoth() bool {
	return len(p.form.Protocols) == 1 && p.form.Protocols[0] == site.Both
}

// Carrying is the protocol of a forward that is to lead at least one out.
func (p Page) Carrying(proto site.Protocol) site.Protocol {
	if p.OnlyBoth() {
		return site.Both
	}
	return proto
}

func (p Page) carried(proto site.Protocol) ([]site.Protocol, error) {
	if len(p.form.Protocols) == 0 || slices.Contains(p.form.Protocols, proto) {
		return []site.Protocol{proto}, nil
	}
	for _, single := range proto.Each() {
		if !slices.Contains(p.form.Protocols, single) {
			return nil, cannot("a line of its form cannot carry %s alone", single)
		}
	}
	return proto.Each(), nil
}

// pair is outside ports and the inside ports they lead to.
type pair [2]span.Ports

// pairs makes at most so many pairs, and counts them all.
func (p Page) pairs(outside, inside span.Ports, most int) (out []pair, count int, err error) {
	add := func(o, i span.Run) {
		if count++; count <= most {
			out = append(out, pair{span.PortList(o), span.PortList(i)})
		}
	}
	var list []span.Run
	for o, i := range span.Paired(outside, inside) {
		moved := o.Lo != i.Lo
		switch {
		case moved && p.form.Renumber == "none":
			return nil, 0, cannot("its form cannot renumber ports (%s outside to %s inside)", span.PortList(o), span.PortList(i))
		case p.form.PortsPerLine == "one", moved && p.form.Renumber == "one":
			n := uint32(o.Len())
			made := min(n, uint32(min(max(0, most-count), 1<<16)))
			for k := range made {
				add(span.Run{Lo: o.Lo + k, Hi: o.Lo + k}, span.Run{Lo: i.Lo + k, Hi: i.Lo + k})
			}
			count += int(n - made)
		case p.form.PortsPerLine == "list" && !moved:
			list = append(list, o)
		default:
			add(o, i)
		}
	}
	if len(list) > 0 {
		ports := span.PortList(list...)
		count++
		out = append([]pair{{ports, ports}}, out...)
	}
	return out, count, nil
}

// Forwards makes forwards of lines again: lines that name the same forward become one,
// each other line one of its own, as it stands on the page.
func Forwards(lines []Line) []site.Forward {
	var out []site.Forward
	place := map[string]int{}
	for _, l := range lines {
		f := site.Forward{ID: l.Forward, Enabled: true, Protocol: l.Protocol, Outside: l.Outside, Inside: l.Inside, From: slices.Clone(l.From)}
		if l.Address.IsValid() {
			f.To = l.Address.String()
		}
		k, ok := place[l.Forward]
		if !ok || l.Forward == "" {
			place[l.Forward] = len(out)
			out = append(out, f)
			continue
		}
		whole := &out[k]
		if whole.Protocol != f.Protocol {
			whole.Protocol = site.Both
		}
		if whole.Outside.Index(f.Outside.At(0)) < 0 {
			whole.Outside = span.PortList(append(whole.Outside.Runs(), f.Outside.Runs()...)...)
			whole.Inside = span.PortList(append(whole.Inside.Runs(), f.Inside.Runs()...)...)
		}
		for _, s := range f.From {
			if !slices.Contains(whole.From, s) {
				whole.From = append(whole.From, s)
			}
		}
	}
	return out
}
