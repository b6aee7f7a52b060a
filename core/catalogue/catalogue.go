// Package catalogue knows the kinds of device, what each is wanted for, and the services
// that this needs: from open standards and the registry of the Internet Assigned Numbers
// Authority (RFC 6335). It refuses to
// know which router can do what: it says what a device answers on, and what of that its
// purpose needs.
package catalogue

import (
	_ "embed"
	"slices"
	"strings"
	"sync"

	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/core/strict"
)

// Catalogue is kinds, and device ports of no kind that should never face the internet.
type Catalogue struct {
	Format string       `json:"format"`
	Kinds  []site.Kind  `json:"kinds"`
	Danger []Danger     `json:"danger,omitempty"`
	Look   []span.Ports `json:"look,omitempty"` // TCP ports that are looked at unasked, the likeliest first
}

// Format is how a catalogue begins.
const Format = "vestpin-catalogue/1"

// Danger is something that should never face the internet unlimited: the device ports on
// which it mostly answers, what it is, and the words by which a service is known to be it.
type Danger struct {
	Protocol site.Protocol `json:"protocol"`
	Ports    span.Ports    `json:"ports"`
	What     string        `json:"what"`
	Words    []string      `json:"words,omitempty"`
}

//go:embed kinds.json
var shipped []byte

// Shipped is the catalogue that comes with the program.
var Shipped = sync.OnceValue(func() Catalogue {
	c, err := Read(shipped)
	if err != nil {
		panic(err) // a test reads it
	}
	return c
})

// With gives the catalogue with other kinds in the place of those of the same id, or after
// the last.
func (c Catalogue) With(kinds ...site.Kind) Catalogue {
	if len(kinds) == 0 {
		return c
	}
	c.Kinds = slices.Clone(c.Kinds)
	for _, k := range kinds {
		if at := slices.IndexFunc(c.Kinds, func(o site.Kind) bool { return o.ID == k.ID }); at >= 0 {
			c.Kinds[at] = k
		} else {
			c.Kinds = append(c.Kinds, k)
		}
	}
	return c
}

// Find gives the kind that a word means: its id, its name, or another word for it.
func (c Catalogue) Find(word string) (site.Kind, bool) {
	word = strings.ToLower(strings.TrimSpace(word))
	if word == "" {
		return site.Kind{}, false
	}
	for _, is := range []func(site.Kind) bool{
		func(k site.Kind) bool { return k.ID == word },
		func(k site.Kind) bool {
			return strings.ToLower(k.Name) == word || k.ID == strings.ReplaceAll(word, " ", "-")
		},
		func(k site.Kind) bool { return slices.Contains(k.Also, word) },
	} {
		if at := slices.IndexFunc(c.Kinds, is); at >= 0 {
			return c.Kinds[at], true
		}
	}
	return site.Kind{}, false
}

// ID gives the id of the kind that a word means, or the word where it means none.
func (c Catalogue) ID(word string) string {
	if k, ok := c.Find(word); ok {
		return k.ID
	}
	return word
}

// At finds the service that a device mostly has at a TCP port: one that answers there as it
// comes, else one that can be set to it.
func (c Catalogue) At(port int) (site.KindService, bool) {
	for _, is := range []func(site.KindService) bool{
		func(s site.KindService) bool { return s.Protocol.Covers(site.TCP) && s.Ports.Equal(span.Port(port)) },
		func(s site.KindService) bool { return s.Ports.Equal(span.Port(port)) },
		func(s site.KindService) bool {
			return s.Protocol.Covers(site.TCP) && slices.ContainsFunc(s.CanSetTo, func(p span.Ports) bool { return p.Equal(span.Port(port)) })
		},
	} {
		for _, k := range c.Kinds {
			if at := slices.IndexFunc(k.Services, is); at >= 0 {
				return k.Services[at], true
			}
		}
	}
	return site.KindService{}, false
}

// Named finds the service that a name or ports mean: of the kind of the device first, then
// of any; by its ports, then by the words that the name and its own share.
func (c Catalogue) Named(kind, name string, proto site.Protocol, ports span.Ports) (site.KindService, bool) {
	kinds := c.Kinds
	if k, ok := c.Find(kind); ok {
		kinds = append([]site.Kind{k}, kinds...)
	}
	by := []func(site.KindService) bool{
		func(s site.KindService) bool { return s.Protocol.Meets(proto) && s.Ports.Equal(ports) },
		func(s site.KindService) bool {
			return s.Protocol.Meets(proto) && s.Ports.Len() == ports.Len() && s.Check != "none" && slices.ContainsFunc(strings.Fields(strings.ToLower(name)), func(w string) bool { return w == string(s.Check) || w == s.ID })
		},
	}
	for _, is := range by {
		for _, k := range kinds {
			if at := slices.IndexFunc(k.Services, is); at >= 0 {
				return k.Services[at], true
			}
		}
	}
	return site.KindService{}, false
}

// ids are the ids of the shipped kinds by their ids, names and other words.
var ids = sync.OnceValue(func() map[string]string {
	out := map[string]string{}
	for _, k := range Shipped().Kinds {
		for _, word := range append([]string{k.ID, strings.ToLower(k.Name), strings.ReplaceAll(k.ID, "-", " ")}, k.Also...) {
			if _, there := out[word]; !there {
				out[word] = k.ID
			}
		}
	}
	return out
})

// Among reports whether a word for a kind of device means one of several: the same word, or
// another for the same shipped kind.
func Among(kinds []string, word string) bool {
	if slices.Contains(kinds, word) {
		return true
	}
	id, ok := ids()[strings.ToLower(word)]
	return ok && slices.ContainsFunc(kinds, func(k string) bool { return ids()[strings.ToLower(k)] == id })
}

// Read reads a catalogue strictly: unknown keys, ids that are there twice, references to
// nothing and malformed values are refused with their path. Its error is a *strict.Refusal.
func Read(data []byte) (Catalogue, error) {
	var c Catalogue
	if err := strict.Decode(data, "catalogue", &c); err != nil {
		return Catalogue{}, err
	}
	if c.Format != Format {
		return Catalogue{}, &strict.Refusal{Path: "catalogue.format", Found: span.Quote(c.Format), Want: Format}
	}
	if err := site.CheckKinds("catalogue.kinds", c.Kinds); err != nil {
		return Catalogue{}, err
	}
	return c, nil
}
