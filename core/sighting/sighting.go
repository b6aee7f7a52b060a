// Package sighting knows how pieces of evidence become devices: which sighting
// is of which interface, and what it adds to what is known. It never overwrites
// what is known by less.
package sighting

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

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

// Facts are what the evidence says of the network itself. Own is the laptop's
// address, where its own settings were among the evidence; DHCP are the servers
// that hand out addresses; Lease is for how long, in seconds, 0 if unknown.
// LeaseFrom and LeaseUntil are the times of the laptop's own lease in the words
// of its system, whose language nobody knows. Adapters are all of the laptop's,
// where there are several.
type Facts struct {
	Subnet     netip.Prefix `json:"subnet,omitzero"`
	Own        netip.Addr   `json:"own,omitzero"`
	Gateway    netip.Addr   `json:"gateway,omitzero"`
	DNS        []netip.Addr `json:"dns"`
	Ranges     []site.Range `json:"ranges"`
	DHCP       []netip.Addr `json:"dhcp"`
	Lease      int          `json:"lease,omitempty"`
	LeaseFrom  string       `json:"leaseFrom,omitempty"`
	LeaseUntil string       `json:"leaseUntil,omitempty"`
	Adapters   []Adapter    `json:"adapters,omitempty"`
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
	What     string   `json:"what"`
	Device   string   `json:"device,omitempty"`
	Says     string   `json:"says"`
}

// Proposal is what taking the evidence would do: edits, and for each sighting
// what it came to.
type Proposal struct {
	Edits    []site.Edit `json:"edits"`
	Findings []Finding   `json:"findings"`
}

// Merge matches sightings with the devices of a site, by MAC address first, by
// address for those without one. At is when the evidence was taken (RFC 3339).
func Merge(s site.Site, sightings []Sighting, facts Facts, at string) Proposal {
	m := merger{site: s, at: at, byMAC: map[site.MAC]place{}, byAddress: map[netip.Addr]place{}, ids: map[string]bool{}, touched: map[string]bool{}}
	m.site.Devices = slices.Clone(s.Devices)
	for i, d := range m.site.Devices {
		m.site.Devices[i].Interfaces = slices.Clone(d.Interfaces)
		m.index(i)
	}
	p := Proposal{Edits: m.factEdits(facts), Findings: []Finding{}}
	// Sightings with a MAC come first: one without is then known by its address.
	order := slices.Clone(sightings)
	slices.SortStableFunc(order, func(a, b Sighting) int { return yes(b.MAC != "") - yes(a.MAC != "") })
	for _, sg := range order {
		p.Findings = append(p.Findings, m.see(sg))
	}
	slices.SortStableFunc(p.Findings, func(a, b Finding) int { return a.Sighting.Line - b.Sighting.Line })
	for i := range m.site.Devices {
		if d := m.site.Devices[i]; m.touched[d.ID] {
			p.Edits = append(p.Edits, m.editsOf(d)...)
		}
	}
	return p
}

func yes(b bool) int {
	if b {
		return 1
	}
	return 0
}

type place struct{ device, iface int }

type merger struct {
	site      site.Site
	at        string
	byMAC     map[site.MAC]place
	byAddress map[netip.Addr]place
	ids       map[string]bool
	touched   map[string]bool
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
		lan = span.OfPrefix(n.Subnet)
	}
	switch a := span.OfAddr(sg.Address); {
	case sg.MAC == "" && !sg.Address.IsValid():
		return left("neither a MAC address nor an address")
	case !inside:
		return left("%s is in no network of this site: the modem in front, or another site?", sg.Address)
	case sg.Address.IsValid() && (a == lan.Lo || a == lan.Hi):
		return left("%s is the network or broadcast address", sg.Address)
	case sg.Address.IsValid() && sg.Address == n.Gateway:
		return left("%s is the router itself", sg.Address)
	}
	at, known := m.byMAC[sg.MAC]
	if sg.MAC == "" || !known {
		var byAddress bool
		if at, byAddress = m.byAddress[sg.Address]; byAddress {
			held := m.site.Devices[at.device].Interfaces[at.iface]
			known = sg.MAC == "" || held.MAC == ""
		}
	}
	if !known {
		return m.meet(sg, n)
	}
	return m.learn(sg, at)
}

// meet adds a device that was not known.
func (m *merger) meet(sg Sighting, n site.Network) Finding {
	stem := strings.ReplaceAll(string(sg.MAC), ":", "")
	if stem == "" {
		stem = strings.ReplaceAll(sg.Address.String(), ".", "-")
	}
	taken := func(id string) bool { return m.ids[id] || m.ids[id+".0"] }
	id := site.FreeID("d-"+stem, taken)
	d := site.Device{ID: id, Name: Title(sg.Host), Interfaces: []site.Interface{{
		ID: id + ".0", Network: n.ID, MAC: sg.MAC, Seen: sg.Address, Wants: "auto",
		Evidence: []site.Evidence{m.evidence(sg)},
	}}}
	m.site.Devices = append(m.site.Devices, d)
	m.index(len(m.site.Devices) - 1)
	m.touched[id] = true
	return Finding{sg, IsNew, id, "new: " + label(d)}
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
		f.What = what
		f.Says += ": " + fmt.Sprintf(format, args...)
	}
	if sg.Address.IsValid() && n.Seen != sg.Address {
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
	if d.Name == "" && sg.Host != "" {
		d.Name = Title(sg.Host)
		says(IsMore, "calls itself %s", d.Name)
	}
	n.Evidence = remember(n.Evidence, m.evidence(sg))
	m.touched[d.ID] = true
	return f
}

func (m *merger) evidence(sg Sighting) site.Evidence {
	return site.Evidence{Source: sg.Source, Line: sg.Line, At: m.at, Address: sg.Address, Host: sg.Host, State: sg.State}
}

// mostEvidence is how many pieces are kept for an interface, the newest.
const mostEvidence = 12

// remember adds evidence in place of what the same source said before.
func remember(list []site.Evidence, e site.Evidence) []site.Evidence {
	kept := slices.DeleteFunc(slices.Clone(list), func(o site.Evidence) bool { return o.Source == e.Source && o.Host == e.Host })
	kept = append(kept, e)
	return kept[max(0, len(kept)-mostEvidence):]
}

// editsOf gives the edits that make a device as it has become.
func (m *merger) editsOf(d site.Device) []site.Edit {
	return []site.Edit{{Do: site.PutDevice, Device: &d}}
}

// factEdits fills in what the site does not know of its networks yet.
func (m *merger) factEdits(f Facts) []site.Edit {
	out := []site.Edit{}
	for i, n := range m.site.Networks {
		if !(f.Gateway.IsValid() && n.Subnet.Contains(f.Gateway)) && n.Subnet != f.Subnet {
			continue
		}
		changed := false
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
			m.site.Networks = slices.Clone(m.site.Networks)
			m.site.Networks[i] = n
			out = append(out, site.Edit{Do: site.PutNetwork, Network: &n})
		}
	}
	return out
}

// Title makes a name of a host name: its first label.
func Title(host string) string {
	name, _, _ := strings.Cut(strings.TrimSpace(host), ".")
	if name == "*" || name == "?" || name == "-" {
		return ""
	}
	if r := []rune(name); len(r) > 100 {
		name = string(r[:100])
	}
	return name
}
