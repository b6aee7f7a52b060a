package forwarding

import (
	"slices"
	"strconv"

	"vestpin/core/site"
	"vestpin/core/span"
)

// sockets is the outside ports of each side that are used, and how often.
type sockets map[side]*[65536]int32

func (s sockets) of(at side) *[65536]int32 {
	if s[at] == nil {
		s[at] = new([65536]int32)
	}
	return s[at]
}

func (s sockets) enter(router string, proto site.Protocol, ports span.Ports, n int32) {
	for _, single := range proto.Each() {
		list := s.of(side{router, single})
		for _, run := range ports.Runs() {
			for port := run.Lo; port <= run.Hi; port++ {
				list[port] += n
			}
		}
	}
}

func (s sockets) free(router string, proto site.Protocol, ports span.Ports) bool {
	for _, single := range proto.Each() {
		list := s.of(side{router, single})
		for _, run := range ports.Runs() {
			for port := run.Lo; port <= run.Hi; port++ {
				if list[port] > 0 {
					return false
				}
			}
		}
	}
	return true
}

// enterWay enters the exact ports of a way.
func (s sockets) enterWay(wy way, n int32) {
	for _, d := range wy.drafts() {
		if !d.later {
			s.enter(d.Router, d.Protocol, d.Outside, n)
		}
	}
	for _, h := range wy.keeps {
		s.enter(h.Router, h.Protocol, h.Outside, n)
	}
	for _, u := range wy.yielding {
		s.enter(u.id, u.proto, span.PortList(u.run), n)
	}
}

// sockets gives what is used by what stays.
func (p *planner) sockets() sockets {
	s := sockets{}
	for at, t := range p.taken {
		if runs := t.all.Runs(); len(runs) > 0 {
			s.enter(at.router, at.proto, span.PortList(runs...), 1)
		}
	}
	return s
}

// plainest takes, for each wish, the first of the ways that cost the same as the one
// that was found, where it fits beside all others.
func (p *planner) plainest(s solution, used sockets) {
	for i, w := range p.wishes {
		used.enterWay(w.ways[s.option[i]], 1)
	}
	for i, w := range p.wishes {
		chosen := w.options[s.option[i]]
		for k := range s.option[i] {
			o := w.options[k]
			if slices.Compare(o.cost, chosen.cost) != 0 || len(w.ways[k].needs) > 0 || w.ways[k].carriedBy != "" || !w.ways[k].setTo.Equal(w.ways[s.option[i]].setTo) || !fewerLines(o.lines, chosen.lines) {
				continue
			}
			if !p.keepsForOthers(w, w.ways[k]) {
				continue
			}
			used.enterWay(w.ways[s.option[i]], -1)
			if fits(used, w.ways[k]) {
				s.option[i] = k
			}
			used.enterWay(w.ways[s.option[i]], 1)
			if s.option[i] == k {
				break
			}
		}
	}
}

// keepsForOthers reports whether a way keeps the forwards of its wish that others rely on.
func (p *planner) keepsForOthers(w *wish, wy way) bool {
	return !slices.ContainsFunc(w.held, func(h held) bool {
		return len(p.neededBy[h.ID]) > 0 && !isOf(wy.keeps, h.ID)
	})
}

func fewerLines(a, b map[string]int) bool {
	for r, n := range a {
		if n > b[r] {
			return false
		}
	}
	return true
}

func fits(used sockets, wy way) bool {
	for _, d := range wy.drafts() {
		if !d.later && !used.free(d.Router, d.Protocol, d.Outside) {
			return false
		}
	}
	if slices.ContainsFunc(wy.yielding, func(u use) bool { return !used.free(u.id, u.proto, span.PortList(u.run)) }) {
		return false
	}
	return !slices.ContainsFunc(wy.keeps, func(h held) bool { return !used.free(h.Router, h.Protocol, h.Outside) })
}

// place finds the ports that were left for later and gives the new forwards of a wish,
// false where there are not so many free ports in a row.
func (p *planner) place(w *wish, wy way, used sockets) ([]site.Forward, bool) {
	drafts := wy.drafts()
	var ports span.Ports
	if slices.ContainsFunc(drafts, func(d draft) bool { return d.later }) {
		var ok bool
		if ports, ok = p.fresh(w, wy, used); !ok {
			return nil, false
		}
	}
	out := []site.Forward{}
	for _, d := range drafts {
		made := d.Forward
		if d.later {
			made.Outside = ports
			used.enter(made.Router, made.Protocol, made.Outside, 1)
		}
		if d.insideLater {
			made.Inside = ports
		}
		out = append(out, made)
	}
	sides, _ := wy.passes()
	for _, at := range sides {
		used.enter(at.router, at.proto, ports, 1)
	}
	return out, true
}

// noneTaken is a list of ports in which nothing is taken.
var noneTaken [65536]int32

// fresh picks free outside ports: for a single one the digits of the device
// port and the end of the address, else the lowest from 10001 up, or, where none is there,
// the lowest below.
func (p *planner) fresh(w *wish, wy way, used sockets) (span.Ports, bool) {
	ports := w.Service.Ports
	if !wy.setTo.IsZero() {
		ports = wy.setTo
	}
	var lists []*[65536]int32
	for _, d := range wy.drafts() {
		if d.later {
			for _, proto := range d.Protocol.Each() {
				lists = append(lists, used.of(side{d.Router, proto}))
			}
		}
	}
	sides, within := wy.passes()
	for _, at := range sides {
		lists = append(lists, used.of(at))
	}
	anywhere, shunsNone := within.Empty(), wy.shuns.Empty()
	isFree := func(n int) bool {
		return (anywhere || within.Contains(uint32(n))) && (shunsNone || !wy.shuns.Contains(uint32(n))) && !slices.ContainsFunc(lists, func(l *[65536]int32) bool { return l[n] > 0 })
	}
	if single, ok := ports.Single(); ok {
		last := strconv.Itoa(int(w.Interface.Pin.Address.As4()[3]))
		if len(last) < 2 {
			last = "0" + last
		}
		if n, err := strconv.Atoi(strconv.Itoa(single) + last); err == nil && n >= 1024 && n <= 49151 && isFree(n) {
			return span.Port(n), true
		}
	}
	first := &noneTaken // looked at by itself, since most ports of a full site are taken there
	if len(lists) > 0 {
		first, lists = lists[0], lists[1:]
	}
	// From 10001 up, then from where no program of a computer is, then from the bottom.
	last, need := 65535, ports.Len()
	for _, from := range []int{10001, 1024, 1} {
		row := 0
		for n := from; n <= min(last, 65535); n++ {
			if first[n] > 0 || !isFree(n) {
				row = 0
				continue
			}
			if row++; row == need {
				return span.PortList(span.Run{Lo: uint32(n - need + 1), Hi: uint32(n)}), true
			}
		}
		last = from + need - 2 // what begins above was looked at
	}
	return span.Ports{}, false
}
