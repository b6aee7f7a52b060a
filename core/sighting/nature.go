package sighting

import (
	"cmp"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"sync"

	"vestpin/core/catalogue"
	"vestpin/core/site"
)

// Guess is what a device seems to be, and why. Kind is empty where nothing tells.
type Guess struct {
	Kind    string   `json:"kind"`
	Reasons []string `json:"reasons"`
}

// rule is one thing that tells of a kind, and how much it counts.
type rule struct {
	trait  string
	value  *regexp.Regexp
	kind   string
	weight int
}

// ruleset is what tells of kinds, of a catalogue: traits, and the words of names, titles
// and models. Words count less than what devices say in the protocols of the trade: a
// page titled "cameras" may be of a recorder.
type ruleset struct {
	traits, words []rule
	anyWord       *regexp.Regexp // passes a text that one of the words may be in: most hold none
}

// usualWeigh is how much a word counts whose kind does not say.
const usualWeigh = 2

func rulesOf(kinds []site.Kind) ruleset {
	var out ruleset
	var all []string
	for _, k := range kinds {
		for _, t := range k.Traits {
			if is, err := site.Expression(t.Is); err == nil {
				out.traits = append(out.traits, rule{t.Trait, is, k.ID, t.Weight})
			}
		}
		if is, err := site.Expression(k.Words); err == nil && k.Words != "" {
			out.words = append(out.words, rule{"", is, k.ID, cmp.Or(k.WordsWeigh, usualWeigh)})
			all = append(all, is.String())
		}
	}
	out.anyWord = regexp.MustCompile(strings.Join(append(all, "$^"), "|"))
	return out
}

// shipped are the rules of the catalogue that comes with the program.
var shipped = sync.OnceValue(func() ruleset { return rulesOf(catalogue.Shipped().Kinds) })

// likely is the weight from which a guess is told.
const likely = 2

// spoken are the traits whose words count.
var spoken = []string{site.TraitTitle, site.TraitModel, site.TraitServer, site.TraitCertificate, site.TraitVendor}

// Nature guesses what a device is from its evidence, by the catalogue that comes with the
// program. It never looks at what the user says of it.
func Nature(d site.Device) Guess { return nature(shipped(), d) }

// NatureBy guesses as Nature does by a catalogue with other kinds too.
func NatureBy(kinds []site.Kind) func(site.Device) Guess {
	r := rulesOf(kinds)
	return func(d site.Device) Guess { return nature(r, d) }
}

func nature(by ruleset, d site.Device) Guess {
	weight, reasons := map[string]int{}, map[string][]string{}
	counted := map[string]bool{}
	count := func(r rule, why string) {
		if key := r.kind + "\x00" + r.trait + r.value.String(); !counted[key] {
			counted[key] = true
			weight[r.kind] += r.weight
			reasons[r.kind] = append(reasons[r.kind], why)
		}
	}
	countWords := func(text, why string) {
		if !by.anyWord.MatchString(text) {
			return
		}
		for _, r := range by.words {
			if r.value.MatchString(text) {
				count(r, why)
			}
		}
	}
	random := false
	// What is told in several ways is looked at once.
	told, called := map[site.Trait]bool{}, map[string]bool{}
	for _, n := range d.Interfaces {
		random = random || n.MAC.Randomised()
		for _, e := range n.Evidence {
			for _, t := range e.Traits {
				if told[t] {
					continue
				}
				told[t] = true
				for _, r := range by.traits {
					if r.trait == t.Name && r.value.MatchString(t.Value) {
						count(r, says(t, e.State))
					}
				}
				if slices.Contains(spoken, t.Name) {
					countWords(t.Value, says(t, e.State))
				}
			}
			if e.Host != "" && !called[e.Host] {
				called[e.Host] = true
				countWords(wordsOf(e.Host), fmt.Sprintf("it calls itself “%s”", e.Host))
			}
		}
	}
	kinds := slices.Collect(maps.Keys(weight))
	slices.SortFunc(kinds, func(a, b string) int { return cmp.Or(weight[b]-weight[a], strings.Compare(a, b)) })
	switch {
	case len(kinds) > 0 && weight[kinds[0]] >= likely:
		return Guess{kinds[0], reasons[kinds[0]]}
	case random:
		return Guess{"phone", []string{"its MAC address is randomised, as phones and tablets do it"}}
	}
	return Guess{Reasons: []string{}}
}

// wordsOf takes a host name apart: "cam-22.lan" is "cam", "lan".
func wordsOf(host string) string {
	return strings.Map(func(c rune) rune {
		if c == '-' || c == '_' || c == '.' || c >= '0' && c <= '9' {
			return ' '
		}
		return c
	}, host)
}

// says puts a trait into words.
func says(t site.Trait, state string) string {
	switch t.Name {
	case site.TraitTitle:
		return fmt.Sprintf("page title “%s”", t.Value)
	case site.TraitServer, site.TraitBanner:
		if port, ok := strings.CutPrefix(state, "answers on "); ok {
			return fmt.Sprintf("port %s says “%s”", port, t.Value)
		}
		return fmt.Sprintf("it says it is “%s”", t.Value)
	case site.TraitService:
		return fmt.Sprintf("offers %s", t.Value)
	case site.TraitType:
		return fmt.Sprintf("announces itself as %s", t.Value)
	case site.TraitModel:
		return fmt.Sprintf("model “%s”", t.Value)
	case site.TraitDescription:
		return fmt.Sprintf("describes itself as “%s”", t.Value)
	}
	return fmt.Sprintf("%s “%s”", t.Name, t.Value)
}
