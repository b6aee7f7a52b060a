package site

import (
	"fmt"
	"regexp"
	"regexp/syntax"
	"slices"

	"vestpin/core/span"
	"vestpin/core/strict"
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
// root. Its error is a *strict.Refusal.
func CheckKinds(root string, kinds []Kind) error {
	return checkKinds(strict.At(root), kinds)
}

func checkKinds(at *strict.Path, kinds []Kind) error {
	c := checker{ids: map[string]bool{}, steps: new(int)}
	return firstOf(
		CheckMost(at, len(kinds), MostOwnKinds),
		each(at, kinds, func(at *strict.Path, k Kind) error { return c.kind(at, k) }),
	)
}

func (c checker) kind(at *strict.Path, k Kind) error {
	of := checker{ids: map[string]bool{}}
	return firstOf(
		c.id(at, "kind", k.ID), checkName(at.Field("id"), k.ID, LongestName), checkName(at.Field("name"), k.Name, LongestName),
		CheckMost(at.Field("services"), len(k.Services), MostOfKind), CheckMost(at.Field("purposes"), len(k.Purposes), MostOfKind),
		CheckMost(at.Field("also"), len(k.Also), MostOfKind), CheckMost(at.Field("traits"), len(k.Traits), MostOfKind),
		each(at.Field("also"), k.Also, func(at *strict.Path, w string) error { return checkName(at, w, LongestName) }),
		c.expression(at.Field("words"), k.Words),
		each(at.Field("traits"), k.Traits, func(at *strict.Path, t KindTrait) error {
			return firstOf(checkName(at.Field("trait"), t.Trait, LongestName), c.expression(at.Field("is"), t.Is))
		}),
		each(at.Field("services"), k.Services, func(at *strict.Path, s KindService) error { return of.kindService(at, s) }),
		each(at.Field("purposes"), k.Purposes, func(at *strict.Path, p Purpose) error {
			of.ids["service"] = true
			return firstOf(
				of.id(at, "purpose", p.ID), checkName(at.Field("name"), p.Name, LongestName),
				each(at.Field("services"), p.Services, func(at *strict.Path, id string) error { return of.referKind(at, id) }),
				each(at.Field("optional"), p.Optional, func(at *strict.Path, id string) error { return of.referKind(at, id) }),
			)
		}),
	)
}

func (c checker) referKind(at *strict.Path, id string) error {
	if !c.ids["service"+id] || id == "" {
		return at.Refuse(id, "the id of a service of this kind")
	}
	return nil
}

func (c checker) kindService(at *strict.Path, s KindService) error {
	return firstOf(
		c.id(at, "service", s.ID), checkName(at.Field("name"), s.Name, LongestName),
		checkProtocol(at.Field("protocol"), s.Protocol), checkPorts(at.Field("ports"), s.Ports),
		s.Open.checkGiven(at.Field("open")), s.Risk.checkGiven(at.Field("risk")),
		s.Check.checkGiven(at.Field("check")), at.Field("helps").OneOf(s.Helps, ",tcp,udp"),
		CheckMost(at.Field("canSetTo"), len(s.CanSetTo), MostOfKind),
		each(at.Field("canSetTo"), s.CanSetTo, func(at *strict.Path, p span.Ports) error {
			if p.Len() != s.Ports.Len() {
				return at.Refuse(p.String(), "as many ports as the service has")
			}
			return checkPorts(at, p)
		}),
		each(at.Field("tells"), s.Tells, func(at *strict.Path, t string) error { return at.OneOf(t, "outside-address,outside-port") }),
		checkName(at.Field("address"), s.Address, LongestNote), checkName(at.Field("interface"), s.Interface, LongestName),
		checkName(at.Field("helpsWith"), s.HelpsWith, LongestNote), checkName(at.Field("what"), s.What, LongestNote),
	)
}

// expression looks at one, and counts what all of them come to.
func (c checker) expression(at *strict.Path, text string) error {
	if len(text) > LongestExpression {
		return at.Refuse(text, fmt.Sprintf("a regular expression of at most %d characters", LongestExpression))
	}
	tree, err := syntax.Parse("(?i)"+text, syntax.Perl)
	if err != nil {
		return at.Refuse(text, "a regular expression")
	}
	steps := stepsOf(tree)
	if steps > MostSteps {
		return at.Refuse(text, fmt.Sprintf("a regular expression that repeats less: of at most %d steps", MostSteps))
	}
	if *c.steps += steps; *c.steps > MostAllSteps {
		return at.Refuse(text, fmt.Sprintf("regular expressions of at most %d steps together", MostAllSteps))
	}
	return nil
}

// stepsOf is about how many steps an expression comes to when what it repeats is written out.
func stepsOf(r *syntax.Regexp) int {
	n := 1 + len(r.Rune)/2
	for _, s := range r.Sub {
		n = min(n+stepsOf(s), MostAllSteps+1)
	}
	if r.Op == syntax.OpRepeat {
		n *= max(r.Min, r.Max, 1)
	}
	return min(n, MostAllSteps+1)
}

// Whole gives the kind with every list Present, and every word that an absent one stands
// for.
func (k Kind) Whole() Kind {
	k.Purposes = EachWhole(k.Purposes, func(p Purpose) Purpose { p.Services, p.Optional = Present(p.Services), Present(p.Optional); return p })
	k.Also, k.Traits = Present(k.Also), Present(k.Traits)
	k.Services = EachWhole(k.Services, func(s KindService) KindService {
		Usual(&s.Open, AnyPort)
		Usual(&s.Risk, RiskNone)
		Usual(&s.Check, "none")
		s.CanSetTo, s.Tells = Present(s.CanSetTo), Present(s.Tells)
		return s
	})
	return k
}
