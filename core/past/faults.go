package past

import (
	"net/netip"
	"slices"
	"strings"
)

// Faults gives what the oracle finds wrong with a site, as "code about": of pins, forwards,
// exposed hosts and wishes. Senders are those by whom a wish is tried.
func (o *Oracle) Faults(senders []string) []string {
	var out []string
	add := func(code, about string) { out = append(out, code+" "+about) }
	for _, d := range o.Devices {
		for _, f := range d.Interfaces {
			if f.Pin != nil {
				o.pinFaults(d.Name, d.ID, d.Kind, len(d.Services) == 0, f, add)
			}
		}
		for _, s := range d.Services {
			i := slices.IndexFunc(d.Interfaces, func(f OracleInterface) bool { return f.ID == s.Interface })
			if s.Open == nil || i < 0 {
				continue
			}
			if d.Interfaces[i].Pin == nil {
				add("open-but-loose", s.ID)
			}
			if !o.met(d.Interfaces[i], s, senders) {
				add("wish-unmet", s.ID)
			}
		}
	}
	for k, f := range o.Forwards {
		if f.Enabled == nil || *f.Enabled {
			o.forwardFaults(k, add)
		}
	}
	for _, r := range o.Routers {
		if r.ExposedHost != "" {
			add("exposed-host", r.ID)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

func (o *Oracle) pinFaults(name, id, kind string, bare bool, f OracleInterface, add func(code, about string)) {
	a := netip.MustParseAddr(f.Pin.Address)
	for _, n := range o.Networks {
		if n.ID != f.Network {
			continue
		}
		if !n.Subnet.Contains(a) {
			add("address-off-network", f.ID)
			return
		}
		for _, d := range o.Devices {
			for _, other := range d.Interfaces {
				if other.ID > f.ID && other.Network == f.Network && other.Pin != nil && other.Pin.Address == f.Pin.Address {
					add("address-twice", f.ID)
				}
			}
		}
		for i, r := range o.Routers {
			front := o.Router(r.Upstream)
			is := kind == "router" || name == r.Name && r.Name != "" || id == r.ID || kind == "" && (f.Seen == r.WAN.Address || bare && f.Pin.Address == r.WAN.Address)
			if front >= 0 && o.serves(front, n.ID) && r.WAN.Address == f.Pin.Address && !is && i != front {
				add("address-unusable", f.ID)
			}
		}
		if f.Pin.Address == n.Gateway {
			add("address-unusable", f.ID)
		}
	}
}

func (o *Oracle) forwardFaults(k int, add func(code, about string)) {
	f := o.Forwards[k]
	at := o.Router(f.Router)
	r := o.Routers[at]
	overlap := func(a, b string) bool { // each port of one in the other
		for part := range strings.SplitSeq(a, ",") {
			lo, hi := ends(part)
			for other := range strings.SplitSeq(b, ",") {
				from, to := ends(other)
				if lo <= to && from <= hi {
					return true
				}
			}
		}
		return false
	}
	meet := func(a, b string) bool { return a == b || a == "both" || b == "both" }
	for _, own := range r.OwnPorts {
		if meet(own.Protocol, f.Protocol) && overlap(own.Ports, f.Outside) {
			add("outside-is-routers-own", f.ID)
		}
	}
	for _, g := range o.Forwards[:k] {
		on := g.Enabled == nil || *g.Enabled
		if !on || g.Router != f.Router || !meet(f.Protocol, g.Protocol) || !overlap(f.Outside, g.Outside) {
			continue
		}
		inside := func(outside, in string) string {
			if in == "" {
				return outside
			}
			return in
		}
		same := f.Protocol == g.Protocol && f.Outside == g.Outside && f.To == g.To && inside(f.Outside, f.Inside) == inside(g.Outside, g.Inside) && slices.Equal(f.From, g.From)
		if !same && (r.Form.LimitsSender == "no" || shared(f.From, g.From)) {
			add("outside-clash", g.ID+"+"+f.ID)
		}
	}
	address, pinned, where := f.To, false, ""
	for _, d := range o.Devices {
		for _, i := range d.Interfaces {
			switch {
			case i.ID == f.To && i.Pin == nil:
				add("forward-to-loose", f.ID)
				if !o.serves(at, i.Network) {
					add("forward-off-network", f.ID)
				}
				return
			case i.ID == f.To:
				address, pinned, where = i.Pin.Address, true, i.Network
			case i.Pin != nil && i.Pin.Address == f.To && o.serves(at, i.Network):
				pinned = true
			}
		}
	}
	if !o.Delivers(f.Router, address) || where != "" && !o.serves(at, where) {
		add("forward-off-network", f.ID)
	}
	if !pinned && o.behind(at, address) < 0 {
		add("forward-to-nobody", f.ID)
	}
}

// shared reports whether somebody is let in by two lists.
func shared(a, b []string) bool {
	tries := []string{""}
	for _, text := range slices.Concat(a, b) {
		base, _, _ := strings.Cut(text, "/")
		tries = append(tries, base)
	}
	return slices.ContainsFunc(tries, func(who string) bool { return admits(a, who) && admits(b, who) })
}

// Met reports whether each packet that a service is wanted for arrives, from senders of a list.
func (o *Oracle) met(f OracleInterface, s OracleService, senders []string) bool {
	near, outer := o.WayOut(f.Network)
	if s.Open.Router != "" {
		outer = s.Open.Router
	}
	if outer == "" {
		return false
	}
	address := ""
	if f.Pin != nil {
		address = f.Pin.Address
	}
	protocols := []string{s.Protocol}
	if s.Protocol == "both" {
		protocols = []string{"tcp", "udp"}
	}
	last := place(s.Ports, port(s.Ports, 0))
	for port(s.Ports, last+1) > 0 {
		last++
	}
	for _, proto := range protocols {
		for k := 0; k <= last; k++ {
			inside := port(s.Ports, k)
			var tries []int
			switch s.Open.Port {
			case "same":
				tries = []int{inside}
			case "any":
				tries = o.tries(outer, inside)
			default:
				tries = []int{port(s.Open.Port, k)}
			}
			if !slices.ContainsFunc(tries, func(outside int) bool {
				return !slices.ContainsFunc(senders, func(who string) bool {
					if !admits(s.Open.From, who) {
						return false
					}
					end := o.Follow(outer, proto, outside, who)
					return end.Fate != "to" || end.Interface != f.ID || end.Address != address || end.Port != inside || end.Last != near
				})
			}) {
				return false
			}
		}
	}
	return true
}

// tries gives the outside ports that could lead anywhere: those of all forwards, but for very
// wide ones, and what could be the same.
func (o *Oracle) tries(outer string, inside int) []int {
	out := []int{inside}
	for _, f := range o.Forwards {
		for part := range strings.SplitSeq(f.Outside, ",") {
			lo, hi := ends(part)
			for n := lo; n <= min(hi, lo+20); n++ {
				out = append(out, n)
			}
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
