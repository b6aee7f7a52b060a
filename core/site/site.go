// Package site knows the nouns of an installation, and refuses what does not fit together.
// What is wrong or risky is for core/snag to say.
package site

import (
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/span"
)

// Site is everything known and decided about one installation. It is a value:
// edits make a new one and leave the old one as it was.
type Site struct {
	Name     string    `json:"name"`
	Networks []Network `json:"networks"`
	Routers  []Router  `json:"routers"`
	Devices  []Device  `json:"devices"`
	Forwards []Forward `json:"forwards"`
	Done     []Done    `json:"done"`
	Visits   []Visit   `json:"visits"`
	Makers   []Maker   `json:"makers"`
	Kinds    []Kind    `json:"kinds"` // of the site's own, beside those of the catalogue
	Links    []Link    `json:"links"` // with other sites
	Proofs   []Proof   `json:"proofs"`
}

// Network is one IPv4 subnet of the site.
type Network struct {
	ID       string       `json:"id"`
	Name     string       `json:"name,omitempty"`
	Subnet   netip.Prefix `json:"subnet"`
	Gateway  netip.Addr   `json:"gateway,omitzero"`
	DNS      []netip.Addr `json:"dns"`
	Ranges   []Range      `json:"ranges"`
	Bands    []Band       `json:"bands"`
	KeepFree []KeepFree   `json:"keepFree"`
	Servers  []DHCPServer `json:"dhcpServers"`
	Crowds   []Crowd      `json:"answersForMany"`
}

// Crowd is who answered for more than is believed, at the last survey at which it
// was met: a MAC address for many addresses, or many MAC addresses for one.
type Crowd struct {
	MAC     MAC        `json:"mac,omitempty"`
	Address netip.Addr `json:"address,omitzero"`
	Left    int        `json:"left"` // how many answers were left out
	At      string     `json:"at,omitempty"`
}

// DHCPServer is a server that answered on the network when it was asked, at the
// last survey that asked.
type DHCPServer struct {
	Address netip.Addr `json:"address"`
	Offers  netip.Addr `json:"offers,omitzero"`
	Gateway netip.Addr `json:"gateway,omitzero"`
	Lease   int        `json:"lease,omitempty"` // seconds
	At      string     `json:"at,omitempty"`
}

// Range is a stretch that the router's DHCP server hands out, both ends included.
type Range struct {
	From netip.Addr `json:"from"`
	To   netip.Addr `json:"to"`
}

// Band is a stretch kept for devices of some kinds.
type Band struct {
	Name  string     `json:"name"`
	From  netip.Addr `json:"from"`
	To    netip.Addr `json:"to"`
	Kinds []string   `json:"kinds"`
}

// KeepFree is a stretch that no pin may use.
type KeepFree struct {
	From netip.Addr `json:"from"`
	To   netip.Addr `json:"to"`
	Why  string     `json:"why,omitempty"`
}

// Router leads from its networks to the provider, or to the router upstream. Networks are
// all between which it routes, Network the first of them; where that is the only one the
// list is empty.
type Router struct {
	ID       string    `json:"id"`
	Name     string    `json:"name,omitempty"`
	Network  string    `json:"network"`
	Networks []string  `json:"networks"`
	Upstream string    `json:"upstream,omitempty"`
	WAN      WAN       `json:"wan,omitzero"`
	OwnPorts []OwnPort `json:"ownPorts"`
	UPnP     OnOff     `json:"upnp,omitempty" default:"unknown"`

	// LoopsBack is whether its outside address works from inside (hairpin, RFC 4787 section 6).
	LoopsBack YesNo `json:"loopsBack,omitempty" default:"unknown"`

	// ExposedHost is who gets every outside port that no forward takes and that is not the
	// router's own: the id of an interface, or an address; empty for nobody.
	ExposedHost string `json:"exposedHost,omitempty"`

	Form   Form    `json:"form,omitzero"`
	Held   *Held   `json:"held,omitempty"`
	Mapped *Mapped `json:"mapped,omitempty"`
}

// Mapped is what a router told when it was asked (RFC 3339): its outside address, and the
// ports that devices had it open by themselves (UPnP). More is that it listed more.
type Mapped struct {
	At       string        `json:"at,omitempty"`
	By       []string      `json:"by" doc:"How it was asked: upnp, nat-pmp, pcp"`
	Outside  netip.Addr    `json:"outside,omitzero"`
	Forwards []HeldForward `json:"forwards"`
	More     bool          `json:"more,omitempty"`
}

// Held is what a router really has on its forwarding page, as read last: from which
// source, and when (RFC 3339).
type Held struct {
	At          string        `json:"at,omitempty"`
	Source      string        `json:"source,omitempty"`
	Forwards    []HeldForward `json:"forwards"`
	ExposedHost netip.Addr    `json:"exposedHost,omitzero"` // who gets all other ports there
}

// HeldForward is one line of that page as it stands there. From are the senders in the
// words of the page.
type HeldForward struct {
	Name     string     `json:"name,omitempty"`
	Protocol Protocol   `json:"protocol"`
	Outside  span.Ports `json:"outside"`
	Address  netip.Addr `json:"address"`
	Inside   span.Ports `json:"inside,omitzero"`
	From     []string   `json:"from"`
	Enabled  bool       `json:"enabled" default:"true"`
	Line     int        `json:"line,omitempty"`
}

// InsidePorts are the device ports, which are the outside ones where none are given.
func (f HeldForward) InsidePorts() span.Ports {
	if f.Inside.IsZero() {
		return f.Outside
	}
	return f.Inside
}

// SameEffect reports whether two lines that are switched on do the same, wherever they stand
// on the page.
func (f HeldForward) SameEffect(o HeldForward) bool {
	return f.Enabled && o.Enabled && f.Protocol == o.Protocol && f.Outside.Equal(o.Outside) && f.Address == o.Address && f.InsidePorts().Equal(o.InsidePorts()) && slices.Equal(f.From, o.From)
}

// Says reports whether two lines say the same of the same place on the page.
func (f HeldForward) Says(o HeldForward) bool {
	return f.Name == o.Name && f.Protocol == o.Protocol && f.Outside.Equal(o.Outside) && f.Address == o.Address && f.Inside.Equal(o.Inside) &&
		slices.Equal(f.From, o.From) && f.Enabled == o.Enabled && f.Line == o.Line
}

// Serves gives the ids of all networks between which the router routes, its first one first.
func (r Router) Serves() []string {
	if len(r.Networks) == 0 {
		return []string{r.Network}
	}
	return r.Networks
}

// On reports whether the router routes to a network.
func (r Router) On(network string) bool {
	return r.Network == network || slices.Contains(r.Networks, network)
}

// Label is the router's name, or what can be said of one that has none.
func (r Router) Label() string {
	switch {
	case r.Name != "":
		return r.Name
	case r.WAN.Host() != "":
		return "router at " + r.WAN.Host()
	}
	return "unnamed router"
}

// WAN is the outside of a router.
type WAN struct {
	Address netip.Addr `json:"address,omitzero"`
	Kind    WANKind    `json:"kind,omitempty" default:"unknown"`
	Name    string     `json:"name,omitempty"`
}

// Carrier is the block that providers share among customers (RFC 6598).
var Carrier = netip.MustParsePrefix("100.64.0.0/10")

// Host is what is dialled from elsewhere: the name where there is one, else the address;
// empty where neither is known.
func (w WAN) Host() string {
	if w.Name == "" && w.Address.IsValid() {
		return w.Address.String()
	}
	return w.Name
}

// OwnPort is an outside port on which the router itself answers.
type OwnPort struct {
	Protocol Protocol   `json:"protocol"`
	Ports    span.Ports `json:"ports"`
	Why      string     `json:"why,omitempty"`
}

// Form is what a router's pages can express.
type Form struct {
	PortsPerLine     PortsPerLine     `json:"portsPerLine,omitempty" default:"range"`
	Renumber         Renumbering      `json:"renumber,omitempty" default:"range"`
	Protocols        []Protocol       `json:"protocols"`
	LimitsSender     SourceLimit      `json:"limitsSender,omitempty" default:"no"`
	Lines            int              `json:"lines,omitempty"`
	Reserves         ReservationPlace `json:"reserves,omitempty" default:"anywhere"`
	ReservationLines int              `json:"reservationLines,omitempty"`

	// The router's own words.
	Separator         string      `json:"separator,omitempty"`
	SameIsBlank       bool        `json:"sameIsBlank,omitempty"`
	Refuses           span.Ports  `json:"refuses,omitzero"` // outside ports that its page does not take
	Fields            []FormField `json:"fields"`
	ReservationFields []FormField `json:"reservationFields"`
}

// FormField is one field of an entry of a router's page: what it is, what the page
// calls it, and what it takes.
type FormField struct {
	Is       FieldIs           `json:"is"`
	Label    string            `json:"label,omitempty"`
	Part     FieldPart         `json:"part,omitempty" default:"rule"`
	Max      int               `json:"max,omitempty"` // most characters, 0 for no limit
	Alphabet Alphabet          `json:"alphabet,omitempty" default:"any"`
	Says     map[string]string `json:"says,omitempty"`   // how a word is written there, by the word
	Anyone   string            `json:"anyone,omitempty"` // what stands for no limit of senders
	Value    string            `json:"value,omitempty"`  // of a fixed field
}

// Device is a thing on a wall, with one or more interfaces.
type Device struct {
	ID         string      `json:"id"`
	Name       string      `json:"name,omitempty"`
	Kind       string      `json:"kind,omitempty"`
	Place      string      `json:"place,omitempty"`
	Rank       int         `json:"rank,omitempty"`
	Accepted   bool        `json:"accepted,omitempty"` // new since the last visit, and the user says that it belongs here
	Interfaces []Interface `json:"interfaces"`
	Services   []Service   `json:"services"`
}

// Interface is one attachment of a device to a network.
type Interface struct {
	ID       string     `json:"id"`
	Name     string     `json:"name,omitempty"`
	Network  string     `json:"network"`
	MAC      MAC        `json:"mac,omitempty"`
	Seen     netip.Addr `json:"seen,omitzero"`
	Wants    Wants      `json:"wants,omitempty" default:"auto"`
	Pin      *Pin       `json:"pin,omitempty"`
	First    string     `json:"first,omitempty"` // when it was first sighted, RFC 3339
	Evidence []Evidence `json:"evidence"`
}

// Evidence is why we believe what we believe of an interface.
type Evidence struct {
	Source  string     `json:"source"`
	Line    int        `json:"line,omitempty"`
	At      string     `json:"at,omitempty"`
	Address netip.Addr `json:"address,omitzero"`
	Host    string     `json:"host,omitempty"`
	State   string     `json:"state,omitempty"`
	Until   string     `json:"until,omitempty"`
	Traits  []Trait    `json:"traits"`
}

// Trait is one thing that a device told of itself.
type Trait struct {
	Name  string `json:"name"`
	Value string `json:"value"`
}

// The names of traits.
const (
	TraitVendor      = "vendor"      // DHCP vendor class (RFC 2132 option 60)
	TraitService     = "service"     // a DNS-SD service type such as "_ipp._tcp" (RFC 6763)
	TraitType        = "type"        // a device type of SSDP or WS-Discovery
	TraitModel       = "model"       // what it calls its model
	TraitMaker       = "maker"       // who it says made it
	TraitServer      = "server"      // the program that answers, as HTTP, SSDP, FTP and SIP name it
	TraitTitle       = "title"       // the title of its web page
	TraitBanner      = "banner"      // what a port says first
	TraitCertificate = "certificate" // the name in its TLS certificate
	TraitDescription = "description" // what SNMP or its description document says of it
	TraitPort        = "port"        // a port that answers: "80/tcp"
	TraitLink        = "link"        // how it is attached, as the router says: "LAN 2", "5 GHz"
	TraitKind        = "kind"        // the kind, in a list of ours
	TraitPlace       = "place"       // the place, in a list of ours
)

// The ways of a pin.
const (
	ByReservation = "reservation"
	ByDevice      = "device"
	ByBoth        = "both"
)

// Pin is the decision that an interface keeps one address.
type Pin struct {
	Address netip.Addr `json:"address"`
	By      PinBy      `json:"by" default:"reservation"`
	Locked  bool       `json:"locked,omitempty"`
}

// Reserved reports whether the pin takes a reservation at the router.
func (p Pin) Reserved() bool { return p.By != ByDevice }

// OnDevice reports whether the pin takes a setting on the device.
func (p Pin) OnDevice() bool { return p.By != ByReservation }

// Service is something a device answers on. Claims are the outside ports that the device
// says it had the router open by itself (UPnP).
type Service struct {
	ID        string       `json:"id"`
	Name      string       `json:"name,omitempty"`
	Interface string       `json:"interface"`
	Protocol  Protocol     `json:"protocol"`
	Ports     span.Ports   `json:"ports"`
	Open      *Open        `json:"open,omitempty"`
	CanSetTo  []span.Ports `json:"canSetTo"`
	Claims    span.Ports   `json:"claims,omitzero"`
}

// Open says that a service is wanted from outside, and how.
type Open struct {
	Port   string     `json:"port,omitempty" default:"any"`
	Prefer span.Ports `json:"prefer,omitzero"`
	From   []Sender   `json:"from"`
	Router string     `json:"router,omitempty"`
}

// The two words that Open.Port may hold in place of ports.
const (
	AnyPort  = "any"
	SamePort = "same"
)

// Exact gives the outside ports where the wish names them.
func (o Open) Exact() (span.Ports, bool) {
	if o.Port == AnyPort || o.Port == SamePort {
		return span.Ports{}, false
	}
	p, err := span.ParsePorts(o.Port)
	return p, err == nil
}

// Forward leads outside ports of a router to an interface, or to a bare address.
type Forward struct {
	ID       string     `json:"id"`
	Name     string     `json:"name,omitempty"`
	Router   string     `json:"router"`
	Enabled  bool       `json:"enabled" default:"true"`
	Protocol Protocol   `json:"protocol"`
	Outside  span.Ports `json:"outside"`
	To       string     `json:"to"`
	Inside   span.Ports `json:"inside,omitzero"`
	From     []Sender   `json:"from"`
	Service  string     `json:"service,omitempty"`
	Locked   bool       `json:"locked,omitempty"`
}

// InsidePorts are the device ports, which are the outside ones where none are given.
func (f Forward) InsidePorts() span.Ports {
	if f.Inside.IsZero() {
		return f.Outside
	}
	return f.Inside
}

// Done remembers that a step of the sheet was carried out: when (RFC 3339), and
// with which values, so that a step whose values changed since shows as undone.
type Done struct {
	Step   string `json:"step"`
	At     string `json:"at"`
	Values string `json:"values,omitempty"`
}

// Visit is one dated stay at the site: from when until when (RFC 3339; no Until
// while it goes on), and what was seen.
type Visit struct {
	ID    string     `json:"id"`
	From  string     `json:"from"`
	Until string     `json:"until,omitempty"`
	Note  string     `json:"note,omitempty"`
	Seen  []SeenThen `json:"seen"`
}

// SeenThen is an interface as it was sighted on a visit. The interface may have
// been removed since.
type SeenThen struct {
	Interface string     `json:"interface"`
	MAC       MAC        `json:"mac,omitempty"`
	Address   netip.Addr `json:"address,omitzero"`
	Host      string     `json:"host,omitempty"`
}

// Maker is who makes the devices whose MAC addresses begin with a prefix, of the
// user's own list. The prefix is 1 to 12 hexadecimal digits, with or without
// separators.
type Maker struct {
	Prefix string `json:"prefix"`
	Name   string `json:"name"`
}

// Digits are the hexadecimal digits of the prefix, in lower case.
func (m Maker) Digits() string {
	return strings.ToLower(strings.Map(func(r rune) rune {
		if strings.ContainsRune(":-. ", r) {
			return -1
		}
		return r
	}, m.Prefix))
}

// Visit gives the visit that goes on, or else the last one.
func (s Site) Visit() (Visit, bool) {
	if len(s.Visits) == 0 {
		return Visit{}, false
	}
	return s.Visits[len(s.Visits)-1], true
}

// LastFinished gives the last visit that is over.
func (s Site) LastFinished() (Visit, bool) {
	for _, v := range slices.Backward(s.Visits) {
		if v.Until != "" {
			return v, true
		}
	}
	return Visit{}, false
}

// Rank gives 1 for the most important; a device without one has 5.
func (d Device) Importance() int {
	if d.Rank == 0 {
		return 5
	}
	return d.Rank
}

// Label is the device's name, or what can be said of one that has none.
func (d Device) Label() string {
	switch {
	case d.Name != "":
		return d.Name
	case d.Kind != "":
		return "unnamed " + d.Kind
	case len(d.Interfaces) > 0 && d.Interfaces[0].MAC != "":
		return "unnamed " + string(d.Interfaces[0].MAC)
	}
	return "unnamed device"
}

// Ref names one thing of a site, such as "device:rec".
type Ref string

// ID is the id of what is named, without its kind.
func (r Ref) ID() string {
	_, id, _ := strings.Cut(string(r), ":")
	return id
}

// Ref of each kind of noun.
func (n Network) Ref() Ref   { return Ref("network:" + n.ID) }
func (r Router) Ref() Ref    { return Ref("router:" + r.ID) }
func (d Device) Ref() Ref    { return Ref("device:" + d.ID) }
func (i Interface) Ref() Ref { return Ref("interface:" + i.ID) }
func (s Service) Ref() Ref   { return Ref("service:" + s.ID) }
func (f Forward) Ref() Ref   { return Ref("forward:" + f.ID) }
func (v Visit) Ref() Ref     { return Ref("visit:" + v.ID) }
func (d Done) Ref() Ref      { return Ref("step:" + d.Step) }
