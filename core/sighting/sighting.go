// Package sighting knows how pieces of evidence become devices: which sighting
// is of which interface, and what it adds to what is known. It never overwrites
// what is known by less.
package sighting

import (
	"fmt"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"vestpin/core/edit"
	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/span"
)

// Sighting is one piece of evidence, from one line of one source; of a capture,
// Line is the number of the packet. At and Until are when it was taken and how
// long a lease lasts (RFC 3339), empty where the source does not say.
type Sighting struct {
	MAC     site.MAC     `json:"mac"`
	Address netip.Addr   `json:"address"`
	Host    string       `json:"host"`
	State   string       `json:"state"`
	Source  string       `json:"source"`
	Line    int          `json:"line"`
	At      string       `json:"at,omitempty"`
	Until   string       `json:"until,omitempty"`
	Traits  []site.Trait `json:"traits,omitempty"`
}

// StateReserved marks a sighting that is a reservation in a router's list.
const StateReserved = "reservation"

// StateOwn marks a sighting that is an interface of the computer from which it came.
const StateOwn = "this computer"

// Facts are what the evidence says of the network itself. Own is the laptop's
// address, where its own settings were among the evidence; DHCP are the servers
// that hand out addresses; Lease is for how long, in seconds, 0 if unknown.
// LeaseFrom and LeaseUntil are the times of the laptop's own lease in the words
// of its system, whose language nobody knows. Adapters are all of the laptop's,
// where there are several.
type Facts struct {
	Subnet  netip.Prefix `json:"subnet,omitzero"`
	Own     netip.Addr   `json:"own,omitzero"`
	Gateway netip.Addr   `json:"gateway,omitzero"`
	DNS     []netip.Addr `json:"dns"`
	Ranges  []site.Range `json:"ranges"`
	DHCP    []netip.Addr `json:"dhcp"`
	Lease   int          `json:"lease,omitempty"`
	// Servers are those that answered when they were asked, with what they offered.
	Servers    []site.DHCPServer `json:"servers,omitempty"`
	LeaseFrom  string            `json:"leaseFrom,omitempty"`
	LeaseUntil string            `json:"leaseUntil,omitempty"`
	Adapters   []Adapter         `json:"adapters,omitempty"`
}

// Adapter is one attachment of the laptop to a network.
type Adapter struct {
	Own     netip.Prefix `json:"own"`
	Gateway netip.Addr   `json:"gateway,omitzero"`
}

// What a sighting came to.
const (
	IsNew     = "new"     // a device that was not known
	IsKnown   = "known"   // nothing that was not known
	IsMoved   = "moved"   // a known device at another address
	IsMore    = "more"    // something more about a known device
	IsLeftOut = "leftout" // nothing that could be used
)

// Finding is what one sighting came to.
type Finding struct {
	Sighting Sighting `json:"sighting"`
	What     string   `json:"what" enum:"new,known,moved,more,leftout"`
	Device   string   `json:"device,omitempty"`
	Says     string   `json:"says"`
}

// Proposal is what taking the evidence would do: edits, and for each sighting
// what it came to.
type Proposal struct {
	Edits    edit.List `json:"edits"`
	Findings []Finding `json:"findings"`
}

// Merge matches sightings with the devices of a site, by MAC address first, by
// address for those without one. At is when the evidence was taken (RFC 3339);
// it belongs to the visit of that day, which is begun if there is none. Without
// a time there is no visit.
func Merge(s site.Site, sightings []Sighting, facts Facts, at string) Proposal {
	m := merger{
		site: s, at: at, byMAC: map[site.MAC]place{}, byAddress: map[netip.Addr]place{}, ids: map[string]bool{}, touched: map[string]bool{}, ours: map[place]bool{},
		proxies: proxies(sightings), began: at, limit: latest(at), seen: map[string]site.SeenThen{},
	}
	m.site.Devices = slices.Clone(s.Devices)
	for i, d := range m.site.Devices {
		m.site.Devices[i].Interfaces = slices.Clone(d.Interfaces)
		m.index(i)
	}
	p := Proposal{Edits: m.factEdits(facts), Findings: make([]Finding, len(sightings))}
	unbelieved, who := m.crowd(sightings)
	p.Edits = append(p.Edits, m.crowdEdits(sightings, who)...)
	// Sightings with a MAC come first: one without is then known by its address.
	for _, withMAC := range []bool{true, false} {
		for i, sg := range sightings {
			if (sg.MAC != "") != withMAC {
				continue
			}
			if m.fromTheFuture(sg.At) {
				sg.At = "" // its clock is wrong; it was sighted all the same
			}
			if why := unbelieved[i]; why != "" {
				p.Findings[i] = Finding{sg, IsLeftOut, "", why}
			} else {
				p.Findings[i] = m.see(sg)
			}
		}
	}
	for i := range m.site.Devices {
		if d := m.site.Devices[i]; m.touched[d.ID] {
			p.Edits = append(p.Edits, m.editsOf(d)...)
		}
	}
	p.Edits = append(p.Edits, m.visitEdits()...)
	return p
}

// live are the states in which a MAC address answers for an address now.
var live = []string{"answered ARP", "arp", "reachable", "stale", "delay", "probe", "permanent"}

// proxies finds the MAC addresses that answer for three addresses or more in one
// source: an extender or a router in between, not one device that moved.
func proxies(sightings []Sighting) map[site.MAC]bool {
	type from struct {
		source string
		mac    site.MAC
	}
	count := map[from]map[netip.Addr]bool{}
	out := map[site.MAC]bool{}
	for _, sg := range sightings {
		if !answersNow(sg) {
			continue
		}
		k := from{sg.Source, sg.MAC}
		if count[k] == nil {
			count[k] = map[netip.Addr]bool{}
		}
		if count[k][sg.Address] = true; len(count[k]) >= 3 {
			out[sg.MAC] = true
		}
	}
	return out
}

type place struct{ device, iface int }

type merger struct {
	site      site.Site
	at        string
	byMAC     map[site.MAC]place
	byAddress map[netip.Addr]place
	ids       map[string]bool
	touched   map[string]bool
	ours      map[place]bool // whose evidence is a list of our own, not the site's
	proxies   map[site.MAC]bool
	seen      map[string]site.SeenThen // interfaces that were sighted, for the visit
	order     []string                 // their ids, as they came
	limit     string                   // what is dated after that is not believed to be
	began     string                   // the first time of the day at which something was sighted
}

func (m *merger) index(i int) {
	d := m.site.Devices[i]
	m.ids[d.ID] = true
	for j, n := range d.Interfaces {
		m.ids[n.ID] = true
		at := place{i, j}
		if n.MAC != "" {
			if _, twice := m.byMAC[n.MAC]; !twice {
				m.byMAC[n.MAC] = at
			}
		}
		if n.Seen.IsValid() {
			m.byAddress[n.Seen] = at
		}
		if _, taken := m.byAddress[addressOf(n)]; n.Pin != nil && !taken {
			m.byAddress[n.Pin.Address] = at
		}
	}
}

func addressOf(n site.Interface) netip.Addr {
	if n.Pin == nil {
		return netip.Addr{}
	}
	return n.Pin.Address
}

// networkOf finds the network of the site that an address lies in; an address
// that is absent may be of the first.
func (m *merger) networkOf(a netip.Addr) (site.Network, bool) {
	for _, n := range m.site.Networks {
		if !a.IsValid() || n.Subnet.Contains(a) {
			return n, true
		}
	}
	return site.Network{}, false
}

func (m *merger) see(sg Sighting) Finding {
	left := func(format string, args ...any) Finding {
		return Finding{sg, IsLeftOut, "", fmt.Sprintf(format, args...)}
	}
	n, inside := m.networkOf(sg.Address)
	lan := span.Run{}
	if inside {
		lan = ipv4.Run(n.Subnet)
	}
	switch a := ipv4.Number(sg.Address); {
	case sg.MAC == "" && !sg.Address.IsValid():
		return left("neither a MAC address nor an address")
	case !inside:
		return left("%s is in no network of this site: the modem in front, or another site?", sg.Address)
	case sg.Address.IsValid() && (a == lan.Lo || a == lan.Hi):
		return left("%s is the network or broadcast address", sg.Address)
	case sg.Address.IsValid() && sg.Address == n.Gateway:
		return left("%s is the router itself", sg.Address)
	}
	through := site.MAC("")
	if at, known := m.byMAC[sg.MAC]; m.proxies[sg.MAC] && !(known && m.iface(at).Seen == sg.Address) {
		through, sg.MAC = sg.MAC, ""
	}
	f := m.place(sg, n)
	if through != "" {
		f.Says += ": " + string(through) + " answers for it, as for others; its own MAC address does not come through"
	}
	return f
}

func (m *merger) iface(p place) *site.Interface { return &m.site.Devices[p.device].Interfaces[p.iface] }

// place finds the interface that a sighting is of, and adds what it says.
func (m *merger) place(sg Sighting, n site.Network) Finding {
	at, known := m.byMAC[sg.MAC]
	if sg.MAC == "" || !known {
		var byAddress bool
		if at, byAddress = m.byAddress[sg.Address]; byAddress {
			known = sg.MAC == "" || m.iface(at).MAC == ""
		}
	}
	if !known {
		if f, ok := m.another(sg, n); ok {
			return f
		}
		return m.meet(sg, n)
	}
	return m.learn(sg, at)
}

// another adds a further interface to the computer from which a sighting came.
func (m *merger) another(sg Sighting, n site.Network) (Finding, bool) {
	if sg.State != StateOwn || sg.Host == "" || sg.MAC == "" {
		return Finding{}, false
	}
	at := slices.IndexFunc(m.site.Devices, func(d site.Device) bool {
		return d.Name == Title(sg.Host) && slices.ContainsFunc(d.Interfaces, func(i site.Interface) bool {
			return slices.ContainsFunc(i.Evidence, func(e site.Evidence) bool { return e.State == StateOwn })
		})
	})
	if at < 0 {
		return Finding{}, false
	}
	d := &m.site.Devices[at]
	e := m.evidence(sg)
	id := site.FreeID(d.ID+"."+strconv.Itoa(len(d.Interfaces)), func(id string) bool { return m.ids[id] })
	d.Interfaces = append(d.Interfaces, site.Interface{ID: id, Network: n.ID, MAC: sg.MAC, Wants: "auto", First: e.At, Evidence: []site.Evidence{e}, Seen: sg.Address})
	m.index(at)
	m.touched[d.ID] = true
	m.visited(sg, place{at, len(d.Interfaces) - 1})
	return Finding{sg, IsNew, d.ID, fmt.Sprintf("new: another interface of %s", label(*d))}, true
}

// meet adds a device that was not known.
func (m *merger) meet(sg Sighting, n site.Network) Finding {
	if len(m.site.Devices) >= site.MostDevices {
		return Finding{sg, IsLeftOut, "", fmt.Sprintf("the site holds %d devices already, which is the most", site.MostDevices)}
	}
	stem := strings.ReplaceAll(string(sg.MAC), ":", "")
	if stem == "" {
		stem = strings.ReplaceAll(sg.Address.String(), ".", "-")
	}
	taken := func(id string) bool { return m.ids[id] || m.ids[id+".0"] }
	id := site.FreeID("d-"+stem, taken)
	e := m.evidence(sg)
	d := site.Device{ID: id, Name: Title(sg.Host), Interfaces: []site.Interface{{
		ID: id + ".0", Network: n.ID, MAC: sg.MAC, Wants: "auto", First: e.At, Evidence: []site.Evidence{e},
	}}}
	if sg.State == StateReserved {
		d.Interfaces[0].Pin = reserved(sg)
	} else {
		d.Interfaces[0].Seen = sg.Address
	}
	d.Kind, d.Place = told(sg, site.TraitKind), told(sg, site.TraitPlace)
	m.site.Devices = append(m.site.Devices, d)
	at := len(m.site.Devices) - 1
	m.index(at)
	m.touched[id] = true
	m.visited(sg, place{at, 0})
	says := "new: " + label(d)
	if p := d.Interfaces[0].Pin; p != nil {
		says += fmt.Sprintf(", reserved at %s", p.Address)
	}
	return Finding{sg, IsNew, id, says}
}

func reserved(sg Sighting) *site.Pin {
	if !sg.Address.IsValid() {
		return nil
	}
	return &site.Pin{Address: sg.Address, By: site.ByReservation}
}

func told(sg Sighting, name string) string {
	for _, t := range sg.Traits {
		if t.Name == name {
			return t.Value
		}
	}
	return ""
}

func label(d site.Device) string {
	if d.Name != "" {
		return d.Name
	}
	return "no name yet"
}

// learn adds what a sighting says to a known interface.
func (m *merger) learn(sg Sighting, at place) Finding {
	d := &m.site.Devices[at.device]
	n := &d.Interfaces[at.iface]
	f := Finding{sg, IsKnown, d.ID, d.Label()}
	says := func(what, format string, args ...any) {
		if f.What != IsMoved {
			f.What = what
		}
		f.Says += ": " + fmt.Sprintf(format, args...)
	}
	e := m.evidence(sg)
	switch {
	case sg.State == StateReserved:
		switch {
		case n.Pin == nil && sg.Address.IsValid():
			n.Pin = reserved(sg)
			says(IsMore, "the router reserves %s for it", sg.Address)
		case n.Pin != nil && sg.Address.IsValid() && n.Pin.Address != sg.Address:
			says(IsKnown, "the router reserves %s for it, the plan pins it at %s", sg.Address, n.Pin.Address)
		}
	case !sg.Address.IsValid() || n.Seen == sg.Address:
	case m.older(n.Evidence, e):
		says(IsKnown, "was at %s before, which is older than what is known", sg.Address)
	default:
		if n.Seen.IsValid() {
			says(IsMoved, "was at %s, now at %s", n.Seen, sg.Address)
		} else {
			says(IsMore, "seen at %s", sg.Address)
		}
		n.Seen = sg.Address
		m.byAddress[sg.Address] = at
	}
	if n.MAC == "" && sg.MAC != "" {
		says(IsMore, "its MAC address is %s", sg.MAC)
		n.MAC = sg.MAC
		m.byMAC[sg.MAC] = at
	}
	if name := Title(sg.Host); d.Name == "" && name != "" {
		d.Name = name
		says(IsMore, "calls itself %s", d.Name)
	}
	if v := told(sg, site.TraitKind); d.Kind == "" && v != "" {
		d.Kind = v
		says(IsMore, "kind %s", v)
	}
	if v := told(sg, site.TraitPlace); d.Place == "" && v != "" {
		d.Place = v
		says(IsMore, "place %s", v)
	}
	if n.First == "" && len(n.Evidence) == 0 {
		n.First = e.At
	}
	n.Evidence = remember(n.Evidence, e, m.ours[at])
	m.ours[at] = true
	m.touched[d.ID] = true
	m.visited(sg, at)
	return f
}

// older reports whether evidence of another address was taken before what is
// known already: a lease file of last month says nothing of today.
func (m *merger) older(list []site.Evidence, e site.Evidence) bool {
	for _, o := range list {
		if !m.fromTheFuture(o.At) && o.Address.IsValid() && o.Address != e.Address && o.At > e.At && o.State != StateReserved && e.At != "" {
			return true
		}
	}
	return false
}

// visited notes for the visit what was sighted; a reservation is a promise, not
// a sight.
func (m *merger) visited(sg Sighting, at place) {
	n := m.iface(at)
	if sg.State == StateReserved || m.at == "" {
		return
	}
	if sg.At != "" && sg.At < m.began && day(sg.At) == day(m.at) {
		m.began = sg.At
	}
	v, have := m.seen[n.ID]
	if !have {
		m.order = append(m.order, n.ID)
	}
	v.Interface, v.MAC, v.Address = n.ID, n.MAC, n.Seen
	if sg.Host != "" {
		v.Host = sg.Host
	}
	m.seen[n.ID] = v
}

// day is the date of a time (RFC 3339).
func day(at string) string { return at[:min(10, len(at))] }

// visitEdits puts what was sighted into the visit of the day.
func (m *merger) visitEdits() []edit.Edit {
	if m.at == "" || len(m.order) == 0 {
		return nil
	}
	var out []edit.Edit
	v, going := m.site.Visit()
	if !going || v.Until != "" || day(v.From) != day(m.at) {
		if going && v.Until == "" {
			out = append(out, edit.PutVisit{Visit: finished(m.site, v)})
		}
		taken := func(id string) bool {
			return slices.ContainsFunc(m.site.Visits, func(o site.Visit) bool { return o.ID == id })
		}
		v = site.Visit{ID: site.FreeID("v-"+day(m.at), taken), From: m.began}
	}
	v.Seen = slices.Clone(v.Seen)
	for _, id := range m.order {
		i := slices.IndexFunc(v.Seen, func(o site.SeenThen) bool { return o.Interface == id })
		if i < 0 {
			v.Seen = append(v.Seen, m.seen[id])
			continue
		}
		now := m.seen[id]
		if now.Host == "" {
			now.Host = v.Seen[i].Host
		}
		v.Seen[i] = now
	}
	return append(out, edit.PutVisit{Visit: v})
}

// finished ends a visit at the last thing that was sighted on it.
func finished(s site.Site, v site.Visit) site.Visit {
	v.Until = v.From
	for _, d := range s.Devices {
		for _, n := range d.Interfaces {
			for _, e := range n.Evidence {
				if e.At > v.Until && day(e.At) == day(v.From) {
					v.Until = e.At
				}
			}
		}
	}
	return v
}

func (m *merger) evidence(sg Sighting) site.Evidence {
	at := sg.At
	if at == "" {
		at = m.at
	}
	return site.Evidence{Source: cut(sg.Source, 200), Line: sg.Line, At: at, Address: sg.Address, Host: cut(sg.Host, 200), State: cut(sg.State, 200), Until: sg.Until, Traits: sg.Traits}
}

// cut keeps at most n characters of a text.
func cut(text string, n int) string {
	if len(text) <= n {
		return text
	}
	if r := []rune(text); len(r) > n {
		return string(r[:n])
	}
	return text
}

// The most evidence that is kept for an interface, the newest, and the most
// traits of one piece.
const (
	mostEvidence = 24
	mostTraits   = 30
)

// same reports whether two pieces are the same source saying the same kind of
// thing: the later one takes the place of the earlier.
func same(o, e site.Evidence) bool {
	return o.Source == e.Source && o.State == e.State && (o.Host == e.Host || o.Host == "" || e.Host == "")
}

// remember adds evidence in place of what the same source said before in the
// same way; what was told on the same day is kept with it. A list that is ours
// alone is changed where it stands.
func remember(list []site.Evidence, e site.Evidence, ours bool) []site.Evidence {
	if n := len(list) - 1; ours && n >= 0 && same(list[n], e) && !slices.ContainsFunc(list[:n], func(o site.Evidence) bool { return same(o, e) }) {
		list[n] = with(e, list[n])
		return list
	}
	kept := make([]site.Evidence, 0, len(list)+1)
	for _, o := range list {
		if same(o, e) {
			e = with(e, o)
		} else {
			kept = append(kept, o)
		}
	}
	kept = append(kept, e)
	return kept[max(0, len(kept)-mostEvidence):]
}

// with keeps what an earlier piece of the same day told.
func with(e, o site.Evidence) site.Evidence {
	if day(o.At) != day(e.At) {
		return e
	}
	if e.Host == "" {
		e.Host = o.Host
	}
	if len(o.Traits) > 0 {
		together := slices.Clone(o.Traits)
		for _, t := range e.Traits {
			if !slices.Contains(together, t) && len(together) < mostTraits {
				together = append(together, t)
			}
		}
		e.Traits = together
	}
	return e
}

// editsOf gives the edits that make a device as it has become.
func (m *merger) editsOf(d site.Device) []edit.Edit {
	return []edit.Edit{edit.PutDevice{Device: d}}
}

// factEdits fills in what the site does not know of its networks yet.
func (m *merger) factEdits(f Facts) []edit.Edit {
	out := []edit.Edit{}
	for i, n := range m.site.Networks {
		servers, changed := serversOf(n, f, m.at)
		n.Servers = servers
		if !(f.Gateway.IsValid() && n.Subnet.Contains(f.Gateway)) && n.Subnet != f.Subnet {
			if changed {
				out = append(out, m.putNetwork(i, n))
			}
			continue
		}
		if !n.Gateway.IsValid() && f.Gateway.IsValid() && n.Subnet.Contains(f.Gateway) {
			n.Gateway, changed = f.Gateway, true
		}
		if len(n.DNS) == 0 && len(f.DNS) > 0 {
			n.DNS, changed = f.DNS, true
		}
		if len(n.Ranges) == 0 && len(f.Ranges) > 0 {
			n.Ranges, changed = f.Ranges, true
		}
		if changed {
			out = append(out, m.putNetwork(i, n))
		}
	}
	return out
}

// putNetwork makes a network as it has become, for what is learnt of it after that too.
func (m *merger) putNetwork(i int, n site.Network) edit.Edit {
	m.site.Networks = slices.Clone(m.site.Networks)
	m.site.Networks[i] = n
	return edit.PutNetwork{Network: n}
}

// serversOf puts in what is known of the DHCP servers of a network. Those that
// answered when all were asked are all there are.
func serversOf(n site.Network, f Facts, at string) (list []site.DHCPServer, changed bool) {
	asked := slices.DeleteFunc(slices.Clone(f.Servers), func(v site.DHCPServer) bool { return !n.Subnet.Contains(v.Offers) && !n.Subnet.Contains(v.Address) })
	if len(asked) > 0 {
		return asked, !slices.Equal(asked, n.Servers)
	}
	list = n.Servers
	for _, a := range f.DHCP {
		if n.Subnet.Contains(a) && !slices.ContainsFunc(list, func(v site.DHCPServer) bool { return v.Address == a }) {
			list = append(slices.Clip(list), site.DHCPServer{Address: a, Lease: f.Lease, At: at})
			changed = true
		}
	}
	return list, changed
}

// domainShape is a host name with the domain in which it is known (RFC 952): a domain
// is in small letters, so that "Dr. Sample's tablet" and "v2.Yard" are names as they stand.
var domainShape = regexp.MustCompile(`^[^\s.]+(\.[a-z0-9-]+)*\.[a-z][a-z0-9-]*\.?$`)

// Title makes a name of what a device is called: of a name with its domain the first label.
func Title(host string) string {
	name := strings.TrimSpace(host)
	if domainShape.MatchString(name) {
		name, _, _ = strings.Cut(name, ".")
	}
	if name == "*" || name == "?" || name == "-" {
		return ""
	}
	if r := []rune(name); len(r) > 100 {
		name = string(r[:100])
	}
	return name
}
