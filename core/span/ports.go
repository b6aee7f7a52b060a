package span

import (
	"fmt"
	"iter"
	"slices"
	"strconv"
	"strings"
)

// Malformed is a piece of text that is not what it should be: what stood there
// and what would be accepted.
type Malformed struct{ Found, Want string }

func (m *Malformed) Error() string {
	return fmt.Sprintf("%s is not accepted: want %s", Quote(m.Found), m.Want)
}

// Quote shows a user's text in a message: quoted, control characters escaped,
// at most 60 characters.
func Quote(text string) string {
	if r := []rune(text); len(r) > 60 {
		text = string(r[:57]) + "..."
	}
	return strconv.Quote(text)
}

const wantPorts = `ports from 1 to 65535 such as "80", "16400-16463" or "5060,5062-5063", none twice`

// Ports is a list of ports and port ranges. It keeps the order in which it was
// written, since a forward pairs the ports of its two sides in that order.
// The zero Ports is absent.
type Ports struct{ runs []Run }

// PortList makes Ports from runs that are already known to be good.
func PortList(runs ...Run) Ports { return Ports{runs: runs} }

// Port is a single port.
func Port(n int) Ports { return PortList(Run{uint32(n), uint32(n)}) }

// dashes writes every dash of print as a hyphen, without blanks.
var dashes = strings.NewReplacer(" ", "", "\u2013", "-", "\u2014", "-", "\u2212", "-")

// ParsePorts reads "80", "16400-16463" or "5060,5062-5063"; blanks and the
// longer dashes of word processors are taken too. Its error is a *Malformed.
func ParsePorts(text string) (Ports, error) {
	bad := &Malformed{Found: text, Want: wantPorts}
	if len(text) > 2000 {
		return Ports{}, &Malformed{Found: text, Want: "at most 2,000 characters of ports"}
	}
	clean := dashes.Replace(strings.TrimSpace(text))
	var p Ports
	for _, part := range strings.Split(clean, ",") {
		from, to, ranged := strings.Cut(part, "-")
		lo, ok := portNumber(from)
		hi := lo
		if ok && ranged {
			hi, ok = portNumber(to)
		}
		if !ok || hi < lo {
			return Ports{}, bad
		}
		r := Run{lo, hi}
		if slices.ContainsFunc(p.runs, r.Touches) {
			return Ports{}, &Malformed{Found: text, Want: "each port once: " + part + " is in the list twice"}
		}
		p.runs = append(p.runs, r)
	}
	return p, nil
}

func portNumber(text string) (uint32, bool) {
	n, err := strconv.ParseUint(text, 10, 16)
	return uint32(n), err == nil && n > 0 && text[0] != '+'
}

// IsZero reports whether no ports are given.
func (p Ports) IsZero() bool { return len(p.runs) == 0 }

// Runs gives the runs in the order written.
func (p Ports) Runs() []Run { return slices.Clone(p.runs) }

// Set is the ports without their order.
func (p Ports) Set() Set {
	if len(p.runs) <= 1 {
		return Set(p)
	}
	return Of(p.runs...)
}

// Len is how many ports there are.
func (p Ports) Len() int {
	n := 0
	for _, r := range p.runs {
		n += r.Len()
	}
	return n
}

// Single is the port where there is only one.
func (p Ports) Single() (int, bool) {
	if len(p.runs) == 1 && p.runs[0].Len() == 1 {
		return int(p.runs[0].Lo), true
	}
	return 0, false
}

// Shifted is the list that many ports higher, in its order; false where it would go
// beyond 65535.
func (p Ports) Shifted(by uint32) (Ports, bool) {
	runs := make([]Run, len(p.runs))
	for i, r := range p.runs {
		runs[i] = Run{Lo: r.Lo + by, Hi: r.Hi + by}
		if runs[i].Hi > 65535 {
			return Ports{}, false
		}
	}
	return PortList(runs...), true
}

// At is the i-th port in the order written.
func (p Ports) At(i int) uint32 {
	for _, r := range p.runs {
		if i < r.Len() {
			return r.Lo + uint32(i)
		}
		i -= r.Len()
	}
	return 0
}

// Index tells at which place port n stands, or -1.
func (p Ports) Index(n uint32) int {
	at := 0
	for _, r := range p.runs {
		if r.Contains(n) {
			return at + int(n-r.Lo)
		}
		at += r.Len()
	}
	return -1
}

// Equal reports whether both list the same ports in the same order.
func (p Ports) Equal(q Ports) bool { return slices.Equal(p.Pieces(), q.Pieces()) }

// Pieces is the list with neighbours that follow each other joined: "80,81" is
// one piece of two ports. The slice is not to be changed.
func (p Ports) Pieces() []Run {
	if len(p.runs) <= 1 {
		return p.runs
	}
	var out []Run
	for _, r := range p.runs {
		if last := len(out) - 1; last >= 0 && out[last].Hi+1 == r.Lo {
			out[last].Hi = r.Hi
			continue
		}
		out = append(out, r)
	}
	return out
}

func (p Ports) String() string {
	parts := make([]string, len(p.runs))
	for i, r := range p.runs {
		parts[i] = strconv.Itoa(int(r.Lo))
		if r.Hi > r.Lo {
			parts[i] += "-" + strconv.Itoa(int(r.Hi))
		}
	}
	return strings.Join(parts, ",")
}

// MarshalText writes the form of the site file.
func (p Ports) MarshalText() ([]byte, error) { return []byte(p.String()), nil }

// UnmarshalText reads what ParsePorts reads; empty text is absent ports.
func (p *Ports) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*p = Ports{}
		return nil
	}
	parsed, err := ParsePorts(string(text))
	if err == nil {
		*p = parsed
	}
	return err
}

// Paired cuts two lists of the same length into runs that rise together: the ports at
// one place of the first with those at that place of the second.
func Paired(p, q Ports) iter.Seq2[Run, Run] {
	return func(yield func(Run, Run) bool) {
		a, b := p.Pieces(), q.Pieces()
		for i, j, doneA, doneB := 0, 0, uint32(0), uint32(0); i < len(a) && j < len(b); {
			x, y := Run{a[i].Lo + doneA, a[i].Hi}, Run{b[j].Lo + doneB, b[j].Hi}
			n := uint32(min(x.Len(), y.Len()))
			if !yield(Run{x.Lo, x.Lo + n - 1}, Run{y.Lo, y.Lo + n - 1}) {
				return
			}
			if doneA += n; x.Lo+n > x.Hi {
				i, doneA = i+1, 0
			}
			if doneB += n; y.Lo+n > y.Hi {
				j, doneB = j+1, 0
			}
		}
	}
}
