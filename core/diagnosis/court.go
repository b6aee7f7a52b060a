package diagnosis

import (
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/reach"
	"vestpin/core/site"
)

// court has the plan, what was observed, and what comes of both for all services.
type court struct {
	v         site.View
	p         site.Proof
	m         *reach.Map
	outermost site.Router
	seen      map[string]site.ProofThere              // by interface
	differs   map[string]map[string]reach.Discrepancy // by router and planned forward
	owners    map[string][]string                     // by what was heard inside: the devices that say it
	cases     []*hearing
	wan       string // public, private, carrier; empty where it is not known
	points    string // right, stale; empty where there is no name or it is not known
	placed    string // planned, changed; empty where it is not known
}

// hearing is one service, and what was seen of it.
type hearing struct {
	w        site.Wish
	open     bool
	entries  []reach.Mapping
	port     uint32 // the outside port that is tried
	heard    site.ProofHeard
	identity string
	whose    string
	seen     map[sign]string
	works    string
}

// reached reports whether the right device was heard from outside, at whatever address.
func (k *hearing) reached() bool {
	if k.heard.Outside.Result != site.HeardAnswers || k.identity != "same" && (k.identity != Unknown || k.seen[outside] != "") {
		return false
	}
	// Who does not tell who it is, is another where the router sends the port elsewhere.
	return k.identity == "same" || k.seen[held] != "address" && k.seen[upnp] != "over"
}

// looped reports whether it was only tried from inside against the outside address, in vain.
func (k *hearing) looped() bool {
	h := k.heard.Outside
	return h.By == site.TriedLooped && h.Tried() && h.Result != site.HeardAnswers
}

// hear takes up a proof against a plan, and settles which services work.
func hear(v site.View, p site.Proof) *court {
	c := &court{v: v, p: p, m: reach.Of(v), differs: map[string]map[string]reach.Discrepancy{}}
	c.gather()
	return c
}

// gather works out what all services have in common, and then the signs of each.
func (c *court) gather() {
	c.outermost, _ = reach.Outermost(c.v)
	c.seen = map[string]site.ProofThere{}
	for _, t := range c.p.Interfaces {
		c.seen[t.Interface] = t
	}
	for _, r := range c.v.Routers {
		if r.Held == nil {
			continue
		}
		c.differs[r.ID] = map[string]reach.Discrepancy{}
		for _, d := range c.m.Compare(r.ID, *r.Held).Differs {
			if _, there := c.differs[r.ID][d.Forward]; !there && d.Forward != "" {
				c.differs[r.ID][d.Forward] = d
			}
		}
	}
	c.outsides()
	c.owners = map[string][]string{}
	place := map[string]int{}
	for _, d := range c.v.Devices {
		for _, s := range d.Services {
			place[s.ID] = len(place)
		}
	}
	inOrder := slices.Clone(c.p.Services)
	slices.SortStableFunc(inOrder, func(a, b site.ProofHeard) int { return place[a.Service] - place[b.Service] })
	for _, h := range inOrder {
		w, ok := c.v.Service(h.Service)
		if !ok {
			continue
		}
		if key := h.Inside.Key; key != "" && !slices.Contains(c.owners[key], w.Device.ID) {
			c.owners[key] = append(c.owners[key], w.Device.ID)
		}
		k := &hearing{w: w, open: w.Service.Open != nil, heard: h, seen: map[sign]string{}}
		if k.open {
			k.entries = c.m.Entries(w)
		}
		if len(k.entries) > 0 {
			k.port = k.entries[0].Outside.Lo
		}
		c.cases = append(c.cases, k)
	}
	for _, k := range c.cases {
		c.identify(k)
		c.signs(k)
	}
	for _, k := range c.cases {
		c.company(k)
		k.works = c.works(k)
	}
}

// outsides finds what kind of address the site has outside, and whether the plan and the name
// say the same.
func (c *court) outsides() {
	seen, own := netip.Addr{}, netip.Addr{}
	for _, t := range c.p.Router.Told {
		switch {
		case site.Carrier.Contains(t.Address):
			c.wan = "carrier"
		case t.By != site.ToldByRouter:
			seen = t.Address
		case t.Address.IsPrivate():
			c.wan = "private"
		default:
			own = t.Address
		}
	}
	if c.wan == "" {
		c.wan = c.between(seen, own)
	}
	c.points = c.leads()
	told, ok := c.p.Router.Outside()
	if !ok || told.Address.IsPrivate() || site.Carrier.Contains(told.Address) {
		return
	}
	if c.wan == "" {
		c.wan = "public"
	}
	if w := c.outermost.WAN; w.Address.IsValid() {
		c.placed = "planned"
		if w.Address != told.Address {
			c.placed = "changed"
		}
	}
}

// leads is whether all who call the name come to the site: "right", "stale", or empty where
// that is not known.
func (c *court) leads() string {
	told, ok := c.p.Router.Outside()
	points := c.pointsTo()
	switch {
	case c.p.Name.Absent && c.named() && len(points) == 0:
		return "stale"
	case !ok || len(points) == 0 || told.Address.IsPrivate() || site.Carrier.Contains(told.Address):
		return ""
	}
	for _, a := range points {
		ours := slices.ContainsFunc(c.v.Routers, func(r site.Router) bool { return r.Upstream == "" && r.WAN.Address == a })
		if a != told.Address && (!ours || !slices.Contains(points, told.Address)) {
			return "stale"
		}
	}
	return "right"
}

func (c *court) named() bool {
	return c.p.Name.Name != "" && c.p.Name.Name == c.outermost.WAN.Name
}

func (c *court) isInside(a netip.Addr) bool {
	return slices.ContainsFunc(c.v.Networks, func(n site.Network) bool { return n.Subnet.Contains(a) })
}

// pointsTo is what the name stands for, for those who call it from elsewhere: what the site's
// resolver says, unless that is an inside address: then what the name's own servers say, if
// they were asked. What a resolver inside says of an inside address is for those inside
// alone, as where a router answers for the name itself.
func (c *court) pointsTo() []netip.Addr {
	n := c.p.Name
	inside := slices.ContainsFunc(n.Points, c.isInside)
	switch {
	case !c.named():
		return nil
	case len(n.Points) == 0 || inside && len(n.Own) > 0:
		return n.Own
	case inside && c.p.From != "outside":
		return nil
	}
	return n.Points
}

// between is who stands between the router and those who see the site. A router that has
// another address than it is seen at has somebody in front. One that tells none leaves only
// the way out: the first after the site's own is another router where its address is
// private, and the provider's NAT where it is of the block for that; providers have such
// addresses on their own ways too, so it counts for nothing where the router tells its own.
func (c *court) between(seen, own netip.Addr) string {
	switch {
	case own.IsValid() && seen.IsValid() && own != seen:
		return "private"
	case own.IsValid():
		return "public"
	}
	for _, hop := range c.p.Router.Hops {
		switch {
		case c.own(hop):
			continue
		case site.Carrier.Contains(hop):
			return "carrier"
		case hop.IsPrivate():
			return "private"
		}
		break
	}
	return ""
}

// identify says whose answer came from outside: the one that was heard inside, another
// device's, or the router's own page.
func (c *court) identify(k *hearing) {
	k.identity = Unknown
	h := k.heard.Outside
	if h.Result != site.HeardAnswers || h.Key == "" {
		return
	}
	owners := c.owners[h.Key]
	mine := slices.Contains(owners, k.w.Device.ID)
	switch {
	case mine && len(owners) == 1 && !slices.Contains(c.p.Router.Keys, h.Key):
		k.identity = "same"
	case mine && h.Key == k.heard.Inside.Key:
		k.identity = Unknown // several say the same: it may be any of them
	case slices.Contains(c.p.Router.Keys, h.Key):
		k.identity = "router"
	case len(owners) > 0:
		k.identity = "other"
		for _, o := range c.cases {
			if o.heard.Inside.Key == h.Key {
				k.whose = o.w.Service.ID
			}
		}
	}
}

// signs are what was seen of a service by itself.
func (c *court) signs(k *hearing) {
	t, looked := c.seen[k.w.Interface.ID]
	if looked && t.Answers != site.Untried {
		k.seen[there] = c.whoIsThere(t)
	}
	if k.heard.Inside.Tried() {
		k.seen[inside] = string(k.heard.Inside.Result)
	}
	if !k.open {
		return
	}
	if k.heard.Outside.Tried() && k.heard.Outside.By != site.TriedLooped {
		k.seen[outside] = c.whatCameBack(k)
	}
	c.pages(k)
	if k.heard.AsksFor.IsValid() { // that nothing was heard tells little
		k.seen[asks] = "strange"
	}
	if k.heard.StoodIn != "" {
		k.seen[stand] = string(k.heard.StoodIn)
	}
	if c.wan != "" {
		k.seen[wan] = c.wan
	}
	if c.placed != "" {
		k.seen[address] = c.placed
	}
	if c.points != "" {
		k.seen[name] = c.points
	}
	switch {
	case k.heard.Stray > 0:
		k.seen[stray] = "found"
	case k.seen[outside] != "" && k.seen[outside] != "same" && k.heard.Outside.By == site.TriedAfar:
		k.seen[stray] = "none"
	}
	if k.seen[outside] == "" {
		delete(k.seen, outside)
	}
}

// whatCameBack is the outside in the words of the table; empty for an answer that nothing
// speaks against and nothing proves.
func (c *court) whatCameBack(k *hearing) string {
	switch h := k.heard.Outside; {
	case h.Result == site.HeardAnswers && k.identity != Unknown:
		return k.identity
	case h.Result == site.HeardAnswers && k.heard.Inside.Key != "" && h.Key != k.heard.Inside.Key:
		return "stranger"
	case h.Result == site.HeardAnswers:
		return ""
	case site.TryResult(c.p.Router.Control) == h.Result || c.p.Router.Control == "":
		return "as-unplanned"
	}
	return "otherwise"
}

// whoIsThere is who answers at the planned address, in the words of the table.
func (c *court) whoIsThere(t site.ProofThere) string {
	p, known := c.v.Interface(t.Interface)
	switch {
	case t.Answers == "yes" && t.MAC != "" && known && p.Interface.MAC != "" && t.MAC != p.Interface.MAC:
		return "other"
	case t.Found.IsValid():
		return "moved"
	case t.Answers == "yes":
		return "planned"
	}
	return "nobody"
}

// pages is what the routers of the way hold of a service: on their forwarding pages, and
// opened by devices for themselves.
func (c *court) pages(k *hearing) {
	for _, e := range k.entries {
		for _, id := range e.Via {
			f, _ := c.forward(id)
			differs, read := c.differs[f.Router]
			if !read {
				continue
			}
			if k.seen[held] == "" {
				k.seen[held] = "as-planned"
			}
			if d, wrong := differs[id]; wrong && k.seen[held] == "as-planned" {
				k.seen[held] = c.whatIsWrong(f, d)
			}
		}
	}
	mappings, asked := c.mappings()
	if !asked || len(k.entries) == 0 {
		return
	}
	k.seen[upnp] = "clear"
	for _, m := range mappings {
		for _, e := range k.entries {
			at := m.Outside.Index(k.port)
			ports := m.InsidePorts()
			if at >= 0 && m.Enabled && m.Protocol.Covers(e.Protocol) && (k.w.Interface.Pin == nil || m.Address != k.w.Interface.Pin.Address || ports.At(at) != e.Inside) {
				k.seen[upnp] = "over"
			}
		}
	}
}

// mappings are those that the router listed when it was asked last.
func (c *court) mappings() ([]site.HeldForward, bool) {
	if len(c.p.Router.Mappings) > 0 {
		return c.p.Router.Mappings, true
	}
	if m := c.outermost.Mapped; m != nil && slices.Contains(m.By, "upnp") {
		return m.Forwards, true
	}
	return nil, slices.Contains(c.p.Router.Speaks, "upnp")
}

func (c *court) forward(id string) (site.Forward, bool) {
	i := slices.IndexFunc(c.v.Forwards, func(f site.Forward) bool { return f.ID == id })
	if i < 0 {
		return site.Forward{}, false
	}
	return c.v.Forwards[i], true
}

// whatIsWrong is how a router's page differs of a planned forward, in the words of the table.
func (c *court) whatIsWrong(f site.Forward, d reach.Discrepancy) string {
	if d.Held.Fate == reach.ToRouter {
		return "router"
	}
	if d.Held.Fate == reach.Forwarded {
		if d.Held.Address == d.Plan.Address {
			return "port"
		}
		return "address"
	}
	r, _ := c.v.Router(f.Router)
	for _, l := range r.Held.Forwards {
		if l.Enabled && l.Outside.Equal(f.Outside) && !l.Protocol.Covers(d.Protocol) && l.Address == d.Plan.Address {
			return "protocol"
		}
	}
	for _, l := range r.Held.Forwards {
		if l.Enabled && l.Address == d.Plan.Address && l.Protocol.Covers(d.Protocol) && !c.planned(f.Router, l) && (l.InsidePorts().Equal(f.InsidePorts()) || strings.EqualFold(l.Name, f.Name) && f.Name != "") {
			return "port"
		}
	}
	return "missing"
}

// planned reports whether a line that a router holds is one of the plan.
func (c *court) planned(router string, l site.HeldForward) bool {
	return slices.ContainsFunc(c.v.Forwards, func(f site.Forward) bool {
		address, _ := c.v.Target(f)
		return f.Router == router && f.Enabled && f.Outside.Equal(l.Outside) && address == l.Address
	})
}

// company is how the other open services of the device fare from outside, and those of other
// devices behind the same router.
func (c *court) company(k *hearing) {
	if !k.open {
		return
	}
	tell := func(s sign, same bool) {
		for _, o := range c.cases {
			h := o.heard.Outside
			if o == k || !o.open || !h.Tried() || h.By == site.TriedLooped || (o.w.Device.ID == k.w.Device.ID) != same {
				continue
			}
			if o.reached() {
				k.seen[s] = "work"
			} else if k.seen[s] == "" {
				k.seen[s] = "fail"
			}
		}
	}
	tell(siblings, true)
	tell(others, false)
}

// works says whether a service does what it is wanted for.
func (c *court) works(k *hearing) string {
	wrongPlace := k.seen[there] != "" && k.seen[there] != "planned"
	in := k.heard.Inside
	if !k.open {
		switch {
		case wrongPlace || in.Tried() && in.Result != site.HeardAnswers:
			return No
		case in.Tried():
			return Yes
		}
		return Unknown
	}
	if len(k.entries) == 0 || wrongPlace || c.wan != "" && c.wan != "public" && !k.reached() {
		return No
	}
	h := k.heard.Outside
	switch {
	case h.Tried() && h.By == site.TriedLooped && h.Result == site.HeardAnswers && k.identity != "other" && k.identity != "router":
		return Yes
	case h.Tried() && h.By != site.TriedLooped:
		if k.reached() && c.dialled() {
			return Yes
		}
		return No
	case in.Tried() && in.Result != site.HeardAnswers:
		return No
	}
	return Unknown
}

// dialled reports whether what is typed from elsewhere stands for the site's address: the
// name where there is one, else the planned address.
func (c *court) dialled() bool {
	if c.points != "" {
		return c.points == "right"
	}
	return c.placed != "changed"
}
