package site

import (
	"vestpin/core/strict"
)

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

func (c checker) link(at *strict.Path, l Link) error {
	if l.End == Listens && l.Interface != "" {
		return at.Field("interface").Refuse(l.Interface, "no interface: an end that listens has a service")
	}
	if l.End == Calls && l.Service != "" {
		return at.Field("service").Refuse(l.Service, "no service: an end that calls has an interface")
	}
	err := firstOf(
		c.id(at, "link", l.ID), checkName(at.Field("name"), l.Name, LongestName), l.End.check(at.Field("end")),
		checkName(at.Field("far").Field("site"), l.Far.Site, LongestName), checkName(at.Field("far").Field("name"), l.Far.Name, LongestName),
		checkName(at.Field("far").Field("dial"), l.Far.Dial, LongestNote),
	)
	switch {
	case err != nil:
		return err
	case l.End == Calls:
		return c.refer(at.Field("interface"), "interface", l.Interface)
	}
	return c.refer(at.Field("service"), "service", l.Service)
}
