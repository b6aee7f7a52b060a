package reach

import (
	"fmt"
	"strings"

	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/span"
)

// Doubt is a line of a router's page that cannot be followed for certain.
type Doubt struct {
	Line int    `json:"line,omitempty"`
	Says string `json:"says"`
}

// heldForwards makes forwards of what a router holds, in the order of its page; each is
// named by its place there, and Lines are where they stand. Those that are switched off
// are none.
func heldForwards(router string, held []site.HeldForward) (out []site.Forward, doubts []Doubt) {
	for i, h := range held {
		if !h.Enabled || h.Outside.IsZero() {
			continue
		}
		from, says := HeldSenders(h.From)
		if says != "" {
			doubts = append(doubts, Doubt{lineOf(held, i+1), says})
		}
		f := site.Forward{
			ID: heldID(i), Router: router, Enabled: true, Protocol: h.Protocol, Outside: h.Outside, To: h.Address.String(), Inside: h.Inside, From: from,
		}
		if f.Protocol == "" {
			f.Protocol = site.Both
		}
		if one, single := h.Inside.Single(); single && h.Outside.Len() > 1 {
			// Pages that ask for one device port beside a range mean the first.
			if f.Inside, single = Rising(one, h.Outside); !single {
				doubts = append(doubts, Doubt{lineOf(held, i+1), fmt.Sprintf("%s leads to port %d, from where so many do not fit below 65536", h.Outside, one)})
				continue
			}
		} else if !h.Inside.IsZero() && h.Inside.Len() != h.Outside.Len() {
			doubts = append(doubts, Doubt{lineOf(held, i+1), fmt.Sprintf("%s are %d ports outside, and %s are %d on the device", h.Outside, h.Outside.Len(), h.Inside, h.Inside.Len())})
		}
		out = append(out, f)
	}
	return out, doubts
}

// Rising gives as many ports from one on, with the gaps of a list.
func Rising(from int, like span.Ports) (span.Ports, bool) {
	first := like.At(0)
	var runs []span.Run
	for _, r := range like.Runs() {
		lo, hi := int64(r.Lo)-int64(first)+int64(from), int64(r.Hi)-int64(first)+int64(from)
		if lo < 1 || hi > 65535 {
			return span.Ports{}, false
		}
		runs = append(runs, span.Run{Lo: uint32(lo), Hi: uint32(hi)})
	}
	return span.PortList(runs...), true
}

// anyone are words by which pages say that everybody may connect.
var anyone = map[string]bool{"": true, "*": true, "any": true, "all": true, "0.0.0.0": true, "0.0.0.0/0": true, "-": true, "::/0": true}

// HeldSenders reads senders in the words of a page: addresses, networks and ranges. Where
// one is none of these, everybody is taken, and it says so.
func HeldSenders(words []string) (from []site.Sender, says string) {
	for _, w := range words {
		clean := strings.ToLower(strings.TrimSpace(w))
		if anyone[clean] {
			return nil, ""
		}
		if s, err := site.ParseSender(clean); err == nil {
			from = append(from, s)
			continue
		}
		if lo, hi, ok := strings.Cut(clean, "-"); ok {
			a, errA := ipv4.ParseAddr(lo)
			b, errB := ipv4.ParseAddr(hi)
			if errA == nil && errB == nil && a.Compare(b) <= 0 {
				for _, p := range ipv4.Prefixes(span.Run{Lo: ipv4.Number(a), Hi: ipv4.Number(b)}) {
					from = append(from, site.Sender{Prefix: p})
				}
				continue
			}
		}
		return nil, fmt.Sprintf("who may connect is written %s, which is no address, network or range", span.Quote(w))
	}
	return from, ""
}

const heldMark = "line "

func heldID(place int) string { return fmt.Sprint(heldMark, place) }

// placeOf is the place of a held line among all, -1 of what is none.
func placeOf(id string) int {
	n := -1
	if text, ok := strings.CutPrefix(id, heldMark); ok {
		fmt.Sscan(text, &n)
	}
	return n
}

// senders lists those whom a Sources holds; strangers are everybody but the ones excepted.
func (w Sources) senders() (from, except []site.Sender) {
	if w.everybody() {
		return nil, nil
	}
	set := w.set
	if w.strangers {
		set = Anyone.set.Minus(set)
	}
	var list []site.Sender
	for _, r := range set.Runs() {
		for _, p := range ipv4.Prefixes(r) {
			list = append(list, site.Sender{Prefix: p})
		}
	}
	if w.strangers {
		return nil, list
	}
	return list, nil
}
