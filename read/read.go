// Package read knows what other programs print or save, and turns it into
// sightings and facts. It goes by structure, since system tools speak the
// user's language.
package read

import (
	"bytes"
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/core/span"
)

// MaxBytes is the most text that is read at once.
const MaxBytes = 8 << 20

// ErrBinary says that what came is not text.
var ErrBinary = errors.New("this is not text: paste what a page or a program shows, or save it as a text file")

// TooLongError says that there is more text than is read at once.
type TooLongError struct{ Bytes int }

func (e *TooLongError) Error() string {
	return fmt.Sprintf("this is %d MB of text: at most %d MB are read at once", e.Bytes>>20, MaxBytes>>20)
}

// Unread is a line that was not understood.
type Unread struct {
	Source string `json:"source"`
	Line   int    `json:"line"`
	Text   string `json:"text"`
}

// Result is what a text came to.
type Result struct {
	Sightings []sighting.Sighting `json:"sightings"`
	Facts     sighting.Facts      `json:"facts"`
	Unread    []Unread            `json:"unread"`
}

// Names are the readers that As accepts.
var Names = []string{"leases", "neighbours", "own-settings", "table"}

// Text reads pasted or saved text. Source names it in each sighting. As picks
// one reader by name; empty lets the structure decide line by line. Errors:
// ErrBinary, *TooLongError, or a *span.Malformed for an unknown name.
func Text(source, as string, data []byte) (Result, error) {
	empty := Result{Sightings: []sighting.Sighting{}, Facts: sighting.Facts{DNS: []netip.Addr{}, Ranges: []site.Range{}}, Unread: []Unread{}}
	if as != "" && !slices.Contains(Names, as) {
		return empty, &span.Malformed{Found: as, Want: "one of " + strings.Join(Names, ", ")}
	}
	if len(data) > MaxBytes {
		return empty, &TooLongError{len(data)}
	}
	text, err := decode(data)
	if err != nil {
		return empty, err
	}
	r := reader{source: source, out: empty}
	r.lines(text, as)
	return r.out, nil
}

// decode makes UTF-8 of what came: UTF-8 or UTF-16 with a byte order mark, else
// UTF-8 if it is, else the Western code page of old terminals.
func decode(data []byte) (string, error) {
	switch {
	case bytes.HasPrefix(data, []byte("\xef\xbb\xbf")):
		data = data[3:]
	case bytes.HasPrefix(data, []byte("\xff\xfe")), bytes.HasPrefix(data, []byte("\xfe\xff")):
		text, err := unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM).NewDecoder().Bytes(data)
		return string(text), err
	}
	odd := 0
	for _, b := range data[:min(len(data), 1<<16)] {
		if b < ' ' && b != '\n' && b != '\r' && b != '\t' && b != '\f' && b != 0x1b {
			odd++
		}
	}
	if bytes.IndexByte(data, 0) >= 0 || odd > len(data)/50+2 {
		return "", ErrBinary
	}
	if utf8.Valid(data) {
		return string(data), nil
	}
	text, err := charmap.Windows1252.NewDecoder().Bytes(data)
	return string(text), err
}

// line is one line of a text with what stands in it.
type line struct {
	number int
	text   string
	words  []string
	macs   []site.MAC
	addrs  []netip.Addr
	odd    bool // it holds a MAC address that names no interface: broadcast, multicast, zeros
}

// longest is the length from which a line is noise.
const longest = 4000

func (r *reader) scan(number int, text string) line {
	l := line{number: number, text: text}
	if len(text) > longest {
		return l
	}
	l.words = strings.FieldsFunc(text, func(c rune) bool { return c <= ' ' || c == 0xa0 || strings.ContainsRune("()[]<>,;|\"'", c) })
	for _, w := range l.words {
		if looksMAC(w) {
			if m, err := site.ParseMAC(w); err == nil {
				l.macs = append(l.macs, m)
			} else {
				l.odd = true
			}
		} else if a, ok := addrWord(w); ok {
			l.addrs = append(l.addrs, a)
		}
	}
	return l
}

// looksMAC passes words that have the shape of a MAC address.
func looksMAC(w string) bool {
	if len(w) < 11 || len(w) > 17 {
		return false
	}
	seps, letters := 0, 0
	for i := range len(w) {
		c := w[i] | 0x20
		switch {
		case w[i] >= '0' && w[i] <= '9':
		case c >= 'a' && c <= 'f':
			letters++
		case strings.IndexByte(":-.", w[i]) >= 0:
			seps++
		default:
			return false
		}
	}
	return seps == 5 || (seps == 2 && len(w) == 14) || (seps == 0 && len(w) == 12 && letters > 0) || (seps == 0 && len(w) == 12 && w[0] == '0')
}

func addrWord(w string) (netip.Addr, bool) {
	if len(w) < 7 || len(w) > 18 || w[0] < '0' || w[0] > '9' || strings.Count(w, ".") != 3 {
		return netip.Addr{}, false
	}
	w, _, _ = strings.Cut(w, "/")
	a, err := netip.ParseAddr(w)
	return a, err == nil && a.Is4()
}

type reader struct {
	source   string
	out      Result
	rows     []line // of tables, whose columns are guessed when all are known
	headings []line // lines that may head a table
	own      []netip.Prefix
	gateways []netip.Addr
	adapter  adapter
}

func (r *reader) lines(text, as string) {
	kinds := []struct {
		name string
		take func(line) bool
	}{
		{"leases", r.lease}, {"neighbours", r.neighbour}, {"own-settings", r.ownSetting}, {"table", r.tableRow},
	}
	number := 0
	for raw := range strings.Lines(text) {
		number++
		raw = strings.TrimRight(raw, "\r\n")
		if strings.TrimSpace(raw) == "" {
			continue
		}
		l := r.scan(number, raw)
		taken := false
		for _, k := range kinds {
			if (as == "" || as == k.name) && k.take(l) {
				taken = true
				break
			}
		}
		if !taken {
			r.headings = append(r.headings, l)
		}
	}
	r.closeAdapter()
	r.table()
	r.settle()
	for _, l := range r.headings {
		r.out.Unread = append(r.out.Unread, Unread{r.source, l.number, cut(l.text)})
	}
	slices.SortStableFunc(r.out.Sightings, func(a, b sighting.Sighting) int { return a.Line - b.Line })
}

func cut(text string) string {
	if c := []rune(text[:min(len(text), 2000)]); len(c) > 200 {
		return string(c[:200]) + "..."
	}
	return strings.ToValidUTF8(text, "\uFFFD")
}

func (r *reader) sight(l line, mac site.MAC, a netip.Addr, host, state string) {
	if host == "*" || host == "?" || host == "-" || host == "--" {
		host = ""
	}
	r.out.Sightings = append(r.out.Sightings, sighting.Sighting{MAC: mac, Address: a, Host: host, State: state, Source: r.source, Line: l.number})
}

// settle picks the subnet among the laptop's own: the one with the gateway.
func (r *reader) settle() {
	f := &r.out.Facts
	for _, own := range r.own {
		for _, g := range r.gateways {
			if own.Contains(g) && !f.Gateway.IsValid() {
				f.Subnet, f.Own, f.Gateway = own.Masked(), own.Addr(), g
			}
		}
	}
	if !f.Subnet.IsValid() && len(r.own) > 0 {
		f.Subnet, f.Own = r.own[0].Masked(), r.own[0].Addr()
	}
	if !f.Gateway.IsValid() && len(r.gateways) > 0 {
		f.Gateway = r.gateways[0]
	}
}

func addDNS(f *sighting.Facts, a netip.Addr) {
	if !slices.Contains(f.DNS, a) {
		f.DNS = append(f.DNS, a)
	}
}

// Join puts two results together; what the first knows of the network stays.
func Join(a, b Result) Result {
	a.Sightings = append(a.Sightings, b.Sightings...)
	a.Unread = append(a.Unread, b.Unread...)
	if !a.Facts.Subnet.IsValid() {
		a.Facts.Subnet, a.Facts.Own = b.Facts.Subnet, b.Facts.Own
	}
	if !a.Facts.Gateway.IsValid() {
		a.Facts.Gateway = b.Facts.Gateway
	}
	for _, d := range b.Facts.DNS {
		addDNS(&a.Facts, d)
	}
	a.Facts.Ranges = append(a.Facts.Ranges, b.Facts.Ranges...)
	return a
}
