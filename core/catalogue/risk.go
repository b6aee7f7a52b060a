package catalogue

import (
	"slices"
	"strings"

	"vestpin/core/site"
	"vestpin/core/span"
)

// Risk is what of a device's ports should never face the internet unlimited.
type Risk struct {
	What  string
	Ports span.Ports
}

// Judge tells what should never face the internet unlimited, by a catalogue. It remembers
// what it was asked, so it is for one computation.
type Judge struct {
	Catalogue
	ports map[site.Protocol]span.Set // on which something of that kind mostly answers
	known map[judged]verdict
}

type (
	judged struct {
		kind, name, ports, canSetTo string
		proto                       site.Protocol
	}
	verdict struct {
		what  string
		known bool
	}
)

// NewJudge makes a judge by a catalogue.
func NewJudge(c Catalogue) *Judge {
	j := &Judge{c, map[site.Protocol]span.Set{}, map[judged]verdict{}}
	for _, d := range c.dangers() {
		for _, proto := range d.Protocol.Each() {
			j.ports[proto] = j.ports[proto].Union(d.Ports.Set())
		}
	}
	return j
}

// Service judges a service by what it is, as Risky does.
func (j *Judge) Service(kind string, s site.Service) (what string, known bool) {
	key := judged{kind, s.Name, s.Ports.String(), "", s.Protocol}
	for _, p := range s.CanSetTo {
		key.canSetTo += p.String() + " "
	}
	v, ok := j.known[key]
	if !ok {
		v.what, v.known = j.Risky(kind, s)
		j.known[key] = v
	}
	return v.what, v.known
}

// Ports judges device ports of one protocol, as AtPorts does.
func (j *Judge) Ports(proto site.Protocol, ports span.Set) []Risk {
	if ports.Overlap(j.ports[proto]).Empty() {
		return nil
	}
	return j.AtPorts(proto, ports)
}

// Risky judges a service by what it is, whatever its port: by its name, in the kind of its
// device first; then by the ports of that kind; then by a port that it could be set to.
// Known is false where none of these tells what it is.
func (c Catalogue) Risky(kind string, s site.Service) (what string, known bool) {
	name := strings.ToLower(strings.TrimSpace(s.Name))
	own, _ := c.Find(kind)
	for _, k := range append([]site.Kind{own}, c.Kinds...) {
		for _, is := range k.Services {
			if name != "" && strings.ToLower(is.Name) == name {
				return dangerOf(is), true
			}
		}
	}
	for _, d := range c.Danger {
		if slices.ContainsFunc(d.Words, func(w string) bool { return hasWords(name, w) }) && !encrypted(name) {
			return d.What, true
		}
	}
	for _, is := range own.Services {
		if is.Protocol.Meets(s.Protocol) && is.Ports.Equal(s.Ports) {
			return dangerOf(is), true
		}
	}
	if name == "" || !c.plain(name) {
		for _, other := range s.CanSetTo {
			if r := c.AtPorts(s.Protocol, other.Set()); len(r) > 0 {
				return r[0].What, true
			}
		}
	}
	return "", false
}

// plain reports whether a name has words of a shipped service that is no danger, such as a
// web page.
func (c Catalogue) plain(name string) bool {
	for _, k := range c.Kinds {
		for _, is := range k.Services {
			head, _, _ := strings.Cut(strings.ToLower(is.Name), " (")
			if is.Risk != site.RiskDanger && hasWords(name, head) {
				return true
			}
		}
	}
	return false
}

func dangerOf(s site.KindService) string {
	if s.Risk == site.RiskDanger {
		return s.What
	}
	return ""
}

// encrypted reports whether a name says that the service is under TLS, which what is
// dangerous for lack of it is not.
func encrypted(name string) bool { return hasWords(name, "tls") || hasWords(name, "ssl") }

// hasWords reports whether words stand in a text, as whole words.
func hasWords(text, words string) bool {
	letter := func(c rune) bool { return c >= 'a' && c <= 'z' || c >= '0' && c <= '9' || c > 127 }
	fields := strings.FieldsFunc(text, func(c rune) bool { return !letter(c) })
	want := strings.FieldsFunc(words, func(c rune) bool { return !letter(c) })
	for i := 0; i+len(want) <= len(fields) && len(want) > 0; i++ {
		if slices.Equal(fields[i:i+len(want)], want) {
			return true
		}
	}
	return false
}

// AtPorts gives what mostly answers on device ports of which nothing more is known, and
// should never face the internet unlimited, with the ports of each.
func (c Catalogue) AtPorts(proto site.Protocol, ports span.Set) []Risk {
	var out []Risk
	add := func(d Danger) {
		hit := d.Ports.Set().Overlap(ports)
		if !d.Protocol.Meets(proto) || hit.Empty() || slices.ContainsFunc(out, func(r Risk) bool { return r.Ports.Set().Covers(hit) }) {
			return
		}
		out = append(out, Risk{d.What, span.PortList(hit.Runs()...)})
	}
	for _, d := range c.dangers() {
		add(d)
	}
	slices.SortStableFunc(out, func(a, b Risk) int { return int(a.Ports.At(0)) - int(b.Ports.At(0)) })
	return out
}

// dangers are those of no kind, then those of all kinds.
func (c Catalogue) dangers() []Danger {
	out := slices.Clone(c.Danger)
	for _, k := range c.Kinds {
		for _, s := range k.Services {
			if s.Risk == site.RiskDanger {
				out = append(out, Danger{Protocol: s.Protocol, Ports: s.Ports, What: s.What})
			}
		}
	}
	return out
}
