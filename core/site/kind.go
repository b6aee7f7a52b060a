package site

import (
	"regexp"
	"slices"

	"vestpin/core/span"
)

// Kind is a kind of device: what it is called, what it may be wanted for, and on what it
// answers. Also are other words for it. Words is what its names and titles hold, Traits
// what it tells of itself, each a regular expression; they tell the kind of a device
// that nobody named.
type Kind struct {
	ID         string        `json:"id"`
	Name       string        `json:"name"`
	Purposes   []Purpose     `json:"purposes"`
	Services   []KindService `json:"services"`
	Also       []string      `json:"also,omitempty"`
	Words      string        `json:"words,omitempty"`
	WordsWeigh int           `json:"wordsWeigh,omitempty"`
	Traits     []KindTrait   `json:"traits,omitempty"`
}

// KindTrait is what a device of a kind says of itself, and how much that counts.
type KindTrait struct {
	Trait  string `json:"trait"`
	Is     string `json:"is"`
	Weight int    `json:"weight"`
}

// Purpose is what a device is wanted for, in an installer's words, and the services that
// have to be opened for it. Optional are those that only some devices of the kind have.
type Purpose struct {
	ID       string   `json:"id"`
	Name     string   `json:"name"`
	Services []string `json:"services"`
	Optional []string `json:"optional,omitempty"`
}

// The risks of a service that faces the internet.
const (
	RiskNone   = "none"
	RiskPlain  = "plain"  // unencrypted
	RiskDanger = "danger" // never to the whole internet
)

// KindService is what a device of a kind answers on. Open is "any" where it may be renumbered,
// "same" where it carries its port inside the protocol. Address is what to type from
// elsewhere, with {host} and {port}; Tells is what the device itself must be told.
// Interface names the one that it is on, of a device with several. Helps is the other
// protocol, which some uses want too, and why. What says what is opened, of a danger.
type KindService struct {
	ID        string       `json:"id"`
	Name      string       `json:"name"`
	Protocol  Protocol     `json:"protocol"`
	Ports     span.Ports   `json:"ports"`
	Open      KindPort     `json:"open" default:"any"`
	CanSetTo  []span.Ports `json:"canSetTo"`
	Risk      Risk         `json:"risk" default:"none"`
	Check     Checker      `json:"check" default:"none"`
	Address   string       `json:"address,omitempty"`
	Tells     []string     `json:"tells"`
	Interface string       `json:"interface,omitempty"`
	Optional  bool         `json:"optional,omitempty"`
	Listens   bool         `json:"listens,omitempty"`
	Helps     string       `json:"helps,omitempty"`
	HelpsWith string       `json:"helpsWith,omitempty"`
	What      string       `json:"what,omitempty"`
}

// Purpose finds a purpose of the kind.
func (k Kind) Purpose(id string) (Purpose, bool) {
	at := slices.IndexFunc(k.Purposes, func(p Purpose) bool { return p.ID == id })
	if at < 0 {
		return Purpose{}, false
	}
	return k.Purposes[at], true
}

// Service finds a service of the kind.
func (k Kind) Service(id string) (KindService, bool) {
	at := slices.IndexFunc(k.Services, func(s KindService) bool { return s.ID == id })
	if at < 0 {
		return KindService{}, false
	}
	return k.Services[at], true
}

// Expression compiles a regular expression of a kind, regardless of case.
func Expression(text string) (*regexp.Regexp, error) { return regexp.Compile("(?i)" + text) }

// CheckKinds finds what is wrong in kinds that somebody wrote, by a path that begins at
// root. Its error is a *Refusal.
func CheckKinds(root string, kinds []Kind) error {
	return checkKinds(&trail{key: root}, kinds)
}

func checkKinds(at *trail, kinds []Kind) error {
	c := checker{ids: map[string]bool{}}
	return firstOf(
		checkMost(at, len(kinds), MostKinds),
		each(at, kinds, func(at *trail, k Kind) error { return c.kind(at, k) }),
	)
}

func (c checker) kind(at *trail, k Kind) error {
	of := checker{ids: map[string]bool{}}
	return firstOf(
		c.id(at, "kind", k.ID), checkName(at.field("id"), k.ID, longestName), checkName(at.field("name"), k.Name, longestName),
		checkMost(at.field("services"), len(k.Services), mostOfKind), checkMost(at.field("purposes"), len(k.Purposes), mostOfKind),
		checkMost(at.field("also"), len(k.Also), mostOfKind), checkMost(at.field("traits"), len(k.Traits), mostOfKind),
		each(at.field("also"), k.Also, func(at *trail, w string) error { return checkName(at, w, longestName) }),
		checkExpression(at.field("words"), k.Words),
		each(at.field("traits"), k.Traits, func(at *trail, t KindTrait) error {
			return firstOf(checkName(at.field("trait"), t.Trait, longestName), checkExpression(at.field("is"), t.Is))
		}),
		each(at.field("services"), k.Services, func(at *trail, s KindService) error { return of.kindService(at, s) }),
		each(at.field("purposes"), k.Purposes, func(at *trail, p Purpose) error {
			of.ids["service"] = true
			return firstOf(
				of.id(at, "purpose", p.ID), checkName(at.field("name"), p.Name, longestName),
				each(at.field("services"), p.Services, func(at *trail, id string) error { return of.referKind(at, id) }),
				each(at.field("optional"), p.Optional, func(at *trail, id string) error { return of.referKind(at, id) }),
			)
		}),
	)
}

func (c checker) referKind(at *trail, id string) error {
	if !c.ids["service"+id] || id == "" {
		return at.refuse(id, "the id of a service of this kind")
	}
	return nil
}

func (c checker) kindService(at *trail, s KindService) error {
	return firstOf(
		c.id(at, "service", s.ID), checkName(at.field("name"), s.Name, longestName),
		checkProtocol(at.field("protocol"), s.Protocol), checkPorts(at.field("ports"), s.Ports),
		s.Open.checkGiven(at.field("open")), s.Risk.checkGiven(at.field("risk")),
		s.Check.checkGiven(at.field("check")), oneOf(at.field("helps"), s.Helps, ",tcp,udp"),
		checkMost(at.field("canSetTo"), len(s.CanSetTo), mostOfKind),
		each(at.field("canSetTo"), s.CanSetTo, func(at *trail, p span.Ports) error {
			if p.Len() != s.Ports.Len() {
				return at.refuse(p.String(), "as many ports as the service has")
			}
			return checkPorts(at, p)
		}),
		each(at.field("tells"), s.Tells, func(at *trail, t string) error { return oneOf(at, t, "outside-address,outside-port") }),
		checkName(at.field("address"), s.Address, longestNote), checkName(at.field("interface"), s.Interface, longestName),
		checkName(at.field("helpsWith"), s.HelpsWith, longestNote), checkName(at.field("what"), s.What, longestNote),
	)
}

func checkExpression(at *trail, text string) error {
	if _, err := Expression(text); err != nil || len(text) > longestNote {
		return at.refuse(text, "a regular expression of at most 300 characters")
	}
	return nil
}

// Whole gives the kind with every list present, and every word that an absent one stands
// for.
func (k Kind) Whole() Kind {
	k.Purposes = eachWhole(k.Purposes, func(p Purpose) Purpose { p.Services, p.Optional = present(p.Services), present(p.Optional); return p })
	k.Also, k.Traits = present(k.Also), present(k.Traits)
	k.Services = eachWhole(k.Services, func(s KindService) KindService {
		usual(&s.Open, AnyPort)
		usual(&s.Risk, RiskNone)
		usual(&s.Check, "none")
		s.CanSetTo, s.Tells = present(s.CanSetTo), present(s.Tells)
		return s
	})
	return k
}
