package snag

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"vestpin/core/catalogue"
	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// enabled gives the forwards that count. The list is not to be changed.
func enabled(v View) []site.Forward {
	if v.once.enabled == nil {
		v.once.enabled = make([]site.Forward, 0, len(v.Forwards))
		for _, f := range v.Forwards {
			if f.Enabled {
				v.once.enabled = append(v.once.enabled, f)
			}
		}
	}
	return v.once.enabled
}

func forwardName(f site.Forward) string {
	if f.Name != "" {
		return f.Name
	}
	return "The forward of " + f.Outside.String()
}

// pairs gives the enabled forwards of one router whose outside ports overlap.
func pairs(v View, r site.Router) [][2]site.Forward {
	list, ok := v.once.pairs[r.ID]
	if !ok {
		list = overlapping(enabled(v), r)
		v.once.pairs[r.ID] = list
	}
	return list
}

// overlapping finds pairs by sweeping over the ports: comparing all with all would be
// slow.
func overlapping(forwards []site.Forward, r site.Router) [][2]site.Forward {
	type edge struct {
		run span.Run
		f   int
	}
	edges := make([]edge, 0, len(forwards))
	for i, f := range forwards {
		if f.Router == r.ID {
			for _, run := range f.Outside.Runs() {
				edges = append(edges, edge{run, i})
			}
		}
	}
	slices.SortStableFunc(edges, func(a, b edge) int { return cmp.Compare(a.run.Lo, b.run.Lo) })
	met := map[[2]int]bool{}
	var out [][2]site.Forward
	var open []edge
sweep:
	for _, e := range edges {
		open = slices.DeleteFunc(open, func(o edge) bool { return o.run.Hi < e.run.Lo })
		for _, o := range open {
			key := [2]int{min(o.f, e.f), max(o.f, e.f)}
			if !met[key] {
				met[key] = true
				out = append(out, [2]site.Forward{forwards[key[0]], forwards[key[1]]})
				if len(out) > mostPairs {
					break sweep
				}
			}
		}
		open = append(open, e)
	}
	return out
}

// mostPairs is how many pairs of forwards are looked at: n that all want one port
// are n × n / 2.
const mostPairs = 4 * mostAlike

func same(a, b site.Forward) bool {
	return a.Protocol == b.Protocol && a.Outside.Equal(b.Outside) && a.To == b.To &&
		a.InsidePorts().Equal(b.InsidePorts()) && slices.Equal(a.From, b.From)
}

// outsideClash finds two forwards of one router that want the same port.
func outsideClash(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		for _, p := range pairs(v, r) {
			a, b := p[0], p[1]
			if same(a, b) || !reach.Clash(form.Of(r.Form).LimitsSenders(), a, b) {
				continue
			}
			shared := span.PortList(a.Outside.Set().Overlap(b.Outside.Set()).Runs()...)
			found = append(found, Snag{
				Code: "outside-clash", About: append(about(v, a), about(v, b)...),
				Says:  fmt.Sprintf("%s %s is wanted twice: by %s and by %s. Only one of them would get it.", shared, protocolOf(a, b), forwardName(a), forwardName(b)),
				Mends: opensFirst(append(moveAway(v, b), moveAway(v, a)...)),
			})
		}
	}
	return found
}

func protocolOf(a, b site.Forward) site.Protocol {
	if a.Protocol == site.Both {
		return b.Protocol
	}
	return a.Protocol
}

func about(v View, f site.Forward) []site.Ref {
	out := []site.Ref{f.Ref()}
	if _, p := v.Target(f); p != nil {
		out = append(out, p.Device.Ref())
	}
	if f.Service != "" {
		out = append(out, site.Ref("service:"+f.Service))
	}
	return out
}

// moveAway offers another port for a forward, and to keep its service inside.
func moveAway(v View, f site.Forward) []Mend {
	if f.Locked {
		return nil
	}
	w, ok := v.Service(f.Service)
	if !ok || w.Service.Open == nil {
		return remove(v, f)
	}
	var mends []Mend
	if edits := v.open(w); v.replaces(edits, f) && v.roomToReserve(edits) {
		mends = append(mends, withFollowers(v, doesOf(w, edits), edits)...)
	}
	if in := keepIn(v, w); v.replaces(in.Edits, f) {
		mends = append(mends, in)
	}
	return mends
}

// opensFirst puts the mends that do what the suggestion does before those that keep
// something in.
func opensFirst(mends []Mend) []Mend {
	shuts := func(m Mend) int {
		_, open := m.Edits[0].(edit.SetOpen)
		_, gone := m.Edits[0].(edit.RemoveForward)
		if open || gone {
			return 1
		}
		return 0
	}
	slices.SortStableFunc(mends, func(a, b Mend) int { return shuts(a) - shuts(b) })
	return mends
}

// remove offers to remove a forward, with those on the routers behind that only it led
// out; not where one of those is locked.
func remove(v View, f site.Forward) []Mend {
	edits := []edit.Edit{edit.RemoveForward{ID: f.ID}}
	for _, o := range ledBy(v, f) {
		if o.Locked || o.Service != "" || len(ledBy(v, o)) > 0 {
			return nil
		}
		edits = append(edits, edit.RemoveForward{ID: o.ID})
	}
	does := "Remove " + forwardName(f)
	if len(edits) > 1 {
		does += " and what it leads to on the router behind"
	}
	return []Mend{{does, edits}}
}

// doesOf says what edits do for a wish.
func doesOf(w site.Wish, edits []edit.Edit) string {
	if set, ok := edits[0].(edit.SetPin); ok && set.ID == w.Interface.ID && len(edits) > 1 {
		rest := doesOf(w, edits[1:])
		return fmt.Sprintf("Pin %s at %s and %s", w.Device.Label(), set.Pin.Address, strings.ToLower(rest[:1])+rest[1:])
	}
	for _, e := range edits {
		if put, ok := e.(edit.PutService); ok && put.Service.ID == w.Service.ID {
			return fmt.Sprintf("Set %s to %s on the device", w.Label(), put.Service.Ports)
		}
	}
	for _, e := range slices.Backward(edits) {
		if put, ok := e.(edit.PutForward); ok && put.Forward.Service == w.Service.ID {
			return fmt.Sprintf("Open %s at %s", w.Label(), put.Forward.Outside)
		}
	}
	return "Shut " + w.Label()
}

func keepIn(v View, w site.Wish) Mend {
	edits := []edit.Edit{edit.SetOpen{ID: w.Service.ID}}
	for _, f := range v.Forwards {
		others := func(o site.Forward) bool { return o.Service != w.Service.ID || o.Locked }
		if f.Service == w.Service.ID && !f.Locked && !slices.ContainsFunc(ledBy(v, f), others) {
			edits = append(edits, edit.RemoveForward{ID: f.ID})
		}
	}
	return Mend{"Keep " + w.Label() + " inside", edits}
}

// KeepIn is what keeps a service inside: it is wanted no more, and its forwards go that
// nothing else stands on.
func KeepIn(s site.View, w site.Wish) Mend {
	return keepIn(newView(s), w)
}

// ledBy gives the forwards on the router behind that a forward leads out, and that would
// be without a partner if it were gone.
func ledBy(v View, f site.Forward) []site.Forward {
	address, _ := v.Target(f)
	inner, ok := reach.Inner(v.View, f.Router, address)
	outer, _ := v.Router(f.Router)
	if !ok || !f.Enabled {
		return nil
	}
	var out []site.Forward
	for _, o := range enabled(v) {
		if o.Router == inner.ID && o.Protocol.Meets(f.Protocol) && !o.Outside.Set().Overlap(f.InsidePorts().Set()).Empty() && withoutPartner(v, o, inner, outer).IsZero() {
			out = append(out, o)
		}
	}
	return out
}

// outsideIsRoutersOwn finds forwards of ports on which the router answers.
func outsideIsRoutersOwn(v View) []Snag {
	var found []Snag
	for _, f := range enabled(v) {
		r, _ := v.Router(f.Router)
		if own, taken := reach.OwnPort(r, f); taken {
			why := own.Why
			if why == "" {
				why = "the router itself"
			}
			found = append(found, Snag{
				Code: "outside-is-routers-own", About: about(v, f), Mends: moveAway(v, f),
				Says: fmt.Sprintf("%s uses %s, but %s is taken by %s.", forwardName(f), f.Outside, own.Ports, why),
			})
		}
	}
	return found
}

// forwardTarget finds forwards to an address that nobody is pinned at, or that
// is not on a network of the router.
func forwardTarget(v View) []Snag {
	var found []Snag
	for _, f := range enabled(v) {
		r, _ := v.Router(f.Router)
		address, placed := v.Target(f)
		_, inner := reach.Inner(v.View, r.ID, address)
		_, there := v.NetworkAt(r, address)
		if (address.IsValid() && !there) || (placed != nil && f.To == placed.Interface.ID && !r.On(placed.Interface.Network)) {
			found = append(found, Snag{
				Code: "forward-off-network", About: about(v, f), Mends: remove(v, f),
				Says: fmt.Sprintf("%s goes to %s, which is not on %s.", forwardName(f), f.To, networksOf(v, r)),
			})
		}
		if placed == nil && !inner && address.IsValid() {
			mends := remove(v, f)
			_, seen := v.Behind(r, address)
			for _, p := range seen {
				if p.Interface.Pin == nil && r.On(p.Interface.Network) {
					redirected := f
					redirected.To = p.Interface.ID
					mends = append([]Mend{{fmt.Sprintf("Send it to %s, seen there", p.Label()), []edit.Edit{edit.PutForward{Forward: redirected}}}}, mends...)
				}
			}
			found = append(found, Snag{
				Code: "forward-to-nobody", About: about(v, f), Mends: mends,
				Says: fmt.Sprintf("%s goes to %s, where no device is pinned.", forwardName(f), address),
			})
		}
	}
	return found
}

// networksOf names the networks of a router by their subnets.
func networksOf(v View, r site.Router) string {
	var subnets []string
	for _, id := range r.Serves() {
		if n, ok := v.Network(id); ok {
			subnets = append(subnets, n.Subnet.String())
		}
	}
	if len(subnets) == 1 {
		return "the router's network " + subnets[0]
	}
	return "any of the router's networks " + strings.Join(subnets, ", ")
}

// forwardToLoose finds forwards to an interface whose address can change.
func forwardToLoose(v View) []Snag {
	var found []Snag
	for _, f := range enabled(v) {
		if _, p := v.Target(f); p != nil && p.Interface.Pin == nil {
			found = append(found, Snag{
				Code: "forward-to-loose", About: about(v, f), Mends: repin(v, *p),
				Says: fmt.Sprintf("%s leads to %s, whose address can change.", forwardName(f), p.Label()),
			})
		}
	}
	for _, r := range v.Routers {
		if _, p := v.TargetOf(r.ID, r.ExposedHost); r.ExposedHost != "" && p != nil && p.Interface.Pin == nil {
			found = append(found, Snag{
				Code: "forward-to-loose", About: []site.Ref{r.Ref(), p.Device.Ref()}, Mends: repin(v, *p),
				Says: fmt.Sprintf("All other ports at %s lead to %s, whose address can change.", r.Label(), p.Label()),
			})
		}
	}
	return found
}

// exposedHost finds routers that send every port which nothing else takes to one device: all
// that answers there is open to everybody, also what is added later.
func exposedHost(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		if r.ExposedHost == "" {
			continue
		}
		address, p := v.TargetOf(r.ID, r.ExposedHost)
		shut := r
		shut.ExposedHost = ""
		s := Snag{
			Code: "exposed-host", About: []site.Ref{r.Ref()},
			Mends: []Mend{{"Expose nobody at " + r.Label(), []edit.Edit{edit.PutRouter{Router: shut}}}},
		}
		inner, behind := reach.Inner(v.View, r.ID, address)
		switch {
		case behind:
			s.About = append(s.About, inner.Ref())
			s.Says = fmt.Sprintf("%s sends all other ports to %s: what that one forwards is open, and its own ports are too.", r.Label(), inner.Label())
			s.Mends = nil // the usual way where two routers are in a row
		case p != nil:
			s.About = append(s.About, p.Device.Ref())
			s.Says = fmt.Sprintf("%s sends all other ports to %s: everything on which it answers is open to everybody.", r.Label(), p.Label())
		default:
			s.Says = fmt.Sprintf("%s sends all other ports to %s, where no device is pinned: to whoever is there.", r.Label(), r.ExposedHost)
		}
		if len(s.Mends) > 0 && carriesWishes(v, shut) {
			s.Mends = s.Mends[1:] // a service that is wanted would be shut
		}
		found = append(found, s)
	}
	return found
}

// carriesWishes reports whether services are reached now that would not be any more once a
// router exposes nobody.
func carriesWishes(v View, shut site.Router) bool {
	next, _, err := edit.Apply(v.Site, []edit.Edit{edit.PutRouter{Router: shut}})
	if err != nil {
		return true
	}
	without := reach.Of(v.With(next))
	return slices.ContainsFunc(v.Wishes(), func(w site.Wish) bool { return v.reaches().Met(w) && !without.Met(w) })
}

// forwardTwice finds forwards that say the same as another.
func forwardTwice(v View) []Snag {
	var found []Snag
	for _, r := range v.Routers {
		for _, p := range pairs(v, r) {
			if same(p[0], p[1]) {
				found = append(found, Snag{
					Code: "forward-twice", About: append(about(v, p[0]), p[1].Ref()),
					Says:  fmt.Sprintf("%s stands there twice.", forwardName(p[0])),
					Mends: []Mend{{"Remove the second", []edit.Edit{edit.RemoveForward{ID: p[1].ID}}}},
				})
			}
		}
	}
	return found
}

// forwardBesideService finds forwards to ports on which the device is not known
// to answer. A device without any known service is not judged.
func forwardBesideService(v View) []Snag {
	var found []Snag
	for _, f := range enabled(v) {
		_, p := v.Target(f)
		if p == nil || len(p.Device.Services) == 0 {
			continue
		}
		for _, proto := range f.Protocol.Each() {
			beside := f.InsidePorts().Set()
			for _, s := range p.Device.Services {
				if s.Protocol.Covers(proto) && s.Interface == p.Interface.ID {
					beside = beside.Minus(s.Ports.Set())
				}
			}
			if !beside.Empty() {
				found = append(found, Snag{
					Code: "forward-beside-service", About: about(v, f),
					Says: fmt.Sprintf("%s leads to %s %s, on which %s is not known to answer.", forwardName(f), span.PortList(beside.Runs()...), proto, p.Label()),
				})
				break
			}
		}
	}
	return found
}

// forwardWide finds forwards of more than 1024 ports, and what they swallow.
func forwardWide(v View) []Snag {
	var found []Snag
	for _, f := range enabled(v) {
		if f.Outside.Len() <= 1024 {
			continue
		}
		var swallowed []string
		for _, w := range v.Wishes() {
			if w.Service.ID != f.Service && w.Service.Protocol.Meets(f.Protocol) && !w.Service.Ports.Set().Overlap(f.Outside.Set()).Empty() {
				swallowed = append(swallowed, w.Label())
			}
		}
		says := fmt.Sprintf("%s opens %d ports at once.", forwardName(f), f.Outside.Len())
		if len(swallowed) > 0 {
			says += " It swallows the natural ports of " + strings.Join(swallowed[:min(3, len(swallowed))], ", ") + "."
		}
		found = append(found, Snag{Code: "forward-wide", About: about(v, f), Says: says})
	}
	return found
}

// forwardRisky finds what should never face the internet unlimited and is opened to
// everybody: services by what they are, and ports of which that is not known.
func forwardRisky(v View) []Snag {
	var found []Snag
	for _, f := range enabled(v) {
		if site.Limits(f.From) || limitedInFront(v, f) {
			continue
		}
		for _, risk := range risksOf(v, f) {
			ports := "port"
			if risk.Ports.Len() > 1 {
				ports = "ports"
			}
			found = append(found, Snag{
				Code: "forward-risky", About: about(v, f),
				Says:  fmt.Sprintf("%s opens %s (%s %s) to everybody. Limit who may connect, or reach it through a VPN.", forwardName(f), risk.What, ports, risk.Ports),
				Mends: tamed(v, f),
			})
		}
	}
	slices.SortStableFunc(found, func(a, b Snag) int { return strings.Compare(a.Says, b.Says) })
	return found
}

// risksOf gives the dangers to which a forward leads.
func risksOf(v View, f site.Forward) []catalogue.Risk {
	address, p := v.Target(f)
	if _, inner := reach.Inner(v.View, f.Router, address); inner {
		return nil // what that router forwards is looked at there
	}
	var out []catalogue.Risk
	unknown := map[site.Protocol]span.Set{}
	for _, proto := range f.Protocol.Each() {
		unknown[proto] = f.InsidePorts().Set()
	}
	if p != nil {
		for _, s := range p.Device.Services {
			if s.Interface != p.Interface.ID || !s.Protocol.Meets(f.Protocol) {
				continue
			}
			hit := s.Ports.Set().Overlap(f.InsidePorts().Set())
			if hit.Empty() {
				continue
			}
			what, known := v.judge().Service(p.Device.Kind, s)
			if !known {
				continue
			}
			if what != "" {
				out = append(out, catalogue.Risk{What: what, Ports: span.PortList(hit.Runs()...)})
			}
			for _, proto := range s.Protocol.Each() {
				unknown[proto] = unknown[proto].Minus(s.Ports.Set())
			}
		}
	}
	if f.Outside.Len() > 1024 {
		return out // forward-wide says so
	}
	for _, proto := range f.Protocol.Each() {
		for _, r := range v.judge().Ports(proto, unknown[proto]) {
			if !slices.ContainsFunc(out, func(o catalogue.Risk) bool { return o.What == r.What && o.Ports.Equal(r.Ports) }) {
				out = append(out, r)
			}
		}
	}
	return out
}

// limitedInFront reports whether the routers in front lead to a forward on an inner one for
// some sources alone.
func limitedInFront(v View, f site.Forward) bool {
	r, _ := v.Router(f.Router)
	outer, ok := v.Router(r.Upstream)
	if !ok {
		return false
	}
	led := false
	for _, s := range v.reaches().To(outer.ID, reach.Behind(r)) {
		in := span.Run{Lo: s.Inside, Hi: s.Inside + uint32(s.Ports.Len()) - 1}
		if !f.Protocol.Covers(s.Protocol) || !f.Outside.Set().Touches(in) {
			continue
		}
		if s.Sources.Covers(reach.Anyone) {
			return false
		}
		led = true
	}
	return led
}
