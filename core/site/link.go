package site

import "slices"

// The ends of a link.
const (
	Listens = "listens" // needs a forward, and is dialled
	Calls   = "calls"   // needs none, and dials
)

// Link is one end of a connection between two sites. The end that listens names the Service
// here that the other dials, the one that calls the Interface here that dials, which stays
// the same when devices are joined or split. Both ends have one id.
type Link struct {
	ID        string  `json:"id"`
	Name      string  `json:"name,omitempty"`
	End       LinkEnd `json:"end"`
	Service   string  `json:"service,omitempty"`
	Interface string  `json:"interface,omitempty"`
	Far       Far     `json:"far"`
}

// Far is the other end: the id of its site where this program has it, what that site is
// called, and of an end that is dialled what is entered here to dial it: host and port.
type Far struct {
	Site string `json:"site,omitempty"`
	Name string `json:"name,omitempty"`
	Dial string `json:"dial,omitempty"`
}

// Ref names the link.
func (l Link) Ref() Ref { return Ref("link:" + l.ID) }

func (c checker) link(at *trail, l Link) error {
	if l.End == Listens && l.Interface != "" {
		return at.field("interface").refuse(l.Interface, "no interface: an end that listens has a service")
	}
	if l.End == Calls && l.Service != "" {
		return at.field("service").refuse(l.Service, "no service: an end that calls has an interface")
	}
	err := firstOf(
		c.id(at, "link", l.ID), checkName(at.field("name"), l.Name, longestName), l.End.check(at.field("end")),
		checkName(at.field("far").field("site"), l.Far.Site, longestName), checkName(at.field("far").field("name"), l.Far.Name, longestName),
		checkName(at.field("far").field("dial"), l.Far.Dial, longestNote),
	)
	switch {
	case err != nil:
		return err
	case l.End == Calls:
		return c.refer(at.field("interface"), "interface", l.Interface)
	}
	return c.refer(at.field("service"), "service", l.Service)
}

// SetLinks gives the whole list of links with other sites.
type SetLinks struct {
	Links []Link `json:"links"`
}

// Verb is "links".
func (SetLinks) Verb() Verb { return "links" }

// Touches the list of links.
func (SetLinks) Touches() []Touch { return []Touch{{"site", "links"}} }

func (e SetLinks) apply(d *draft, _ *trail) ([]Edit, error) {
	back := SetLinks{d.Links}
	d.Links = present(slices.Clone(e.Links))
	delete(d.copied, "links")
	return []Edit{back}, nil
}

// dropLinks takes away the links that match, and gives the edit that brings them back.
func (d *draft) dropLinks(match func(Link) bool) []Edit {
	if !slices.ContainsFunc(d.Links, match) {
		return nil
	}
	back := SetLinks{d.Links}
	d.Links = slices.DeleteFunc(slices.Clone(d.Links), match)
	delete(d.copied, "links")
	return []Edit{back}
}
