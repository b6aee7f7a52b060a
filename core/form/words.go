package form

import (
	"strconv"
	"strings"
	"unicode/utf8"

	"vestpin/core/site"
	"vestpin/core/span"
)

// Field is a value to type, what the page calls it, and the part of the entry where it
// stands if that has several.
type Field struct {
	Label string         `json:"label"`
	Value string         `json:"value"`
	Part  site.FieldPart `json:"part,omitempty"`
}

// LineFields gives the fields of lines in the order of the page, exactly as typed. Names
// are told apart, fit their field, and stay readable.
func (p Page) LineFields(v site.View, lines []Line) [][]Field {
	forwards := map[string]site.Forward{}
	for _, f := range v.Forwards {
		forwards[f.ID] = f
	}
	names := p.names(p.form.Fields)
	out := make([][]Field, len(lines))
	for i, l := range lines {
		f := forwards[l.Forward]
		_, to := v.Target(f)
		name := f.Name
		if w, ok := v.Service(f.Service); ok && name == "" {
			name = w.Label()
		}
		if name == "" {
			name = "Port " + l.Outside.String()
		}
		if len(p.form.Fields) == 0 {
			out[i] = p.plain(names.of(name), l)
			continue
		}
		text := names.of(name)
		for _, field := range p.form.Fields {
			value := text
			if field.Is != "name" {
				value = p.value(field, l, to)
			}
			out[i] = append(out[i], Field{field.Label, value, field.Part})
		}
	}
	return out
}

// plain gives the fields of a page of which nothing closer is known.
func (p Page) plain(name string, l Line) []Field {
	out := []Field{{Label: "Service", Value: name}}
	switch p.form.PortsPerLine {
	case "range":
		out = append(out, Field{Label: "From port", Value: first(l.Outside)}, Field{Label: "To port", Value: last(l.Outside)})
	case "one":
		out = append(out, Field{Label: "Outside port", Value: l.Outside.String()})
	default:
		out = append(out, Field{Label: "Outside ports", Value: p.joined(l.Outside)})
	}
	address := "not pinned yet"
	if l.Address.IsValid() {
		address = l.Address.String()
	}
	out = append(out, Field{Label: "Protocol", Value: strings.ToUpper(string(l.Protocol))}, Field{Label: "Device", Value: address})
	if p.Renumbers() {
		label := "Its port"
		if l.Inside.Len() > 1 {
			label = "Its ports"
		}
		out = append(out, Field{Label: label, Value: p.inside(l, p.joined(l.Inside))})
	}
	if len(l.From) > 0 {
		out = append(out, Field{Label: "Only from", Value: l.From[0].String()})
	}
	return out
}

func first(p span.Ports) string { return strconv.Itoa(int(p.At(0))) }
func last(p span.Ports) string  { return strconv.Itoa(int(p.At(p.Len() - 1))) }

// inside gives an inside value, which some pages want empty where it is the outside one.
func (p Page) inside(l Line, text string) string {
	if p.form.SameIsBlank && l.Inside.Equal(l.Outside) {
		return ""
	}
	return text
}

// value is what is typed into a field that is not the name.
func (p Page) value(f site.FormField, l Line, to *site.Placed) string {
	address := ""
	if l.Address.IsValid() {
		address = l.Address.String()
	}
	switch f.Is {
	case "outside":
		return p.joined(l.Outside)
	case "outside-from":
		return first(l.Outside)
	case "outside-to":
		return last(l.Outside)
	case "inside":
		return p.inside(l, p.joined(l.Inside))
	case "inside-from":
		return p.inside(l, first(l.Inside))
	case "inside-to":
		return p.inside(l, last(l.Inside))
	case "address":
		return address
	case "last-number":
		return address[strings.LastIndex(address, ".")+1:]
	case "device":
		if to == nil {
			return address
		}
		return to.Label()
	case "mac":
		if to == nil {
			return ""
		}
		return strings.ToUpper(string(to.Interface.MAC))
	case "protocol":
		return said(f, string(l.Protocol), strings.ToUpper(string(l.Protocol)))
	case "sender":
		if len(l.From) == 0 {
			return f.Anyone
		}
		return l.From[0].String()
	case "enabled":
		return said(f, "on", "on")
	}
	return f.Value
}

func said(f site.FormField, word, otherwise string) string {
	if text, ok := f.Says[word]; ok {
		return text
	}
	return otherwise
}

// joined writes ports with what joins ranges and lists on the page. Of a separator that
// is given, what usually parts the items of a list joins lists, the rest ranges.
func (p Page) joined(ports span.Ports) string {
	between, after := "-", ","
	if sep := p.form.Separator; sep != "" {
		list := strings.Trim(sep, "-:~.to")
		if rest := strings.Replace(sep, list, "", 1); list != "" {
			after = list
			if rest != "" {
				between = rest
			}
		} else {
			between = sep
		}
	}
	var parts []string
	for _, r := range ports.Runs() {
		text := strconv.Itoa(int(r.Lo))
		if r.Hi > r.Lo {
			text += between + strconv.Itoa(int(r.Hi))
		}
		parts = append(parts, text)
	}
	return strings.Join(parts, after)
}

// ReservationFields gives the fields of reservations in the order of the page.
func (p Page) ReservationFields(list []Reservation) [][]Field {
	names := p.names(p.form.ReservationFields)
	out := make([][]Field, len(list))
	for i, r := range list {
		mac, name := strings.ToUpper(string(r.MAC)), names.of(r.Name)
		address := r.Address.String()
		if len(p.form.ReservationFields) == 0 {
			out[i] = []Field{{Label: "Name", Value: name}, {Label: "MAC", Value: mac}, {Label: "IP", Value: address}}
			continue
		}
		for _, f := range p.form.ReservationFields {
			value := map[site.FieldIs]string{"name": name, "mac": mac, "address": address, "last-number": address[strings.LastIndex(address, ".")+1:], "fixed": f.Value}[f.Is]
			out[i] = append(out[i], Field{f.Label, value, f.Part})
		}
	}
	return out
}

// names gives the entries of a page names that fit, each once.
type names struct {
	max      int // most characters, 0 for no limit
	alphabet site.Alphabet
	used     map[string]bool
	next     map[string]int // by name: the number to try next
}

// names is for the tightest of the name fields; a page of which nothing is known takes
// host names.
func (p Page) names(fields []site.FormField) *names {
	n := &names{alphabet: "host", used: map[string]bool{}, next: map[string]int{}}
	tight := map[site.Alphabet]int{"any": 0, "ascii": 1, "word": 2}
	first := true
	for _, f := range fields {
		if f.Is != "name" {
			continue
		}
		if first || tight[f.Alphabet] > tight[n.alphabet] {
			n.alphabet = f.Alphabet
		}
		first = false
		if f.Max > 0 && (n.max == 0 || f.Max < n.max) {
			n.max = f.Max
		}
	}
	return n
}

// of gives a name that fits and that no entry before has.
func (n *names) of(name string) string {
	base := n.spelled(name)
	if text := n.cut(base, ""); !n.used[text] {
		n.used[text] = true
		return text
	}
	between := " "
	if n.alphabet == "word" || n.alphabet == "host" {
		between = "-"
	}
	for k := max(2, n.next[base]); ; k++ {
		text := n.cut(base, between+strconv.Itoa(k))
		if !n.used[text] || n.max > 0 && len(strconv.Itoa(k)) > n.max {
			n.used[text], n.next[base] = true, k+1
			return text
		}
	}
}

// cut shortens a name so that it fits with something behind it.
func (n *names) cut(text, behind string) string {
	if n.max == 0 {
		return text + behind
	}
	room := n.max - utf8.RuneCountInString(behind)
	if room <= 0 { // the number alone, as far as it fits
		digits := strings.Trim(behind, " -")
		return digits[max(0, len(digits)-n.max):]
	}
	if r := []rune(text); len(r) > room {
		text = strings.TrimRight(string(r[:room]), " -")
	}
	return text + behind
}

// spelled writes a name in the alphabet of its field.
func (n *names) spelled(name string) string {
	switch n.alphabet {
	case "host":
		return HostName(name)
	case "word", "ascii":
	default:
		return strings.Join(strings.Fields(name), " ")
	}
	var b strings.Builder
	for _, r := range name {
		plain := string(r)
		lower := []rune(strings.ToLower(plain))[0]
		if folded[lower] != "" {
			plain = folded[lower]
			if lower != r {
				plain = strings.ToUpper(plain[:1]) + plain[1:]
			}
		}
		for _, c := range plain {
			switch letter := c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'; {
			case letter, n.alphabet == "ascii" && c >= ' ' && c <= '~':
				b.WriteRune(c)
			case n.alphabet == "word" && b.Len() > 0 && !strings.HasSuffix(b.String(), "-"):
				b.WriteByte('-')
			}
		}
	}
	if text := strings.Trim(strings.Join(strings.Fields(b.String()), " "), "-"); text != "" {
		return text
	}
	return "entry"
}

// HostName writes a name as a host name (RFC 1123): letters, digits and hyphens,
// at most 63. A name without any of these becomes "device".
func HostName(name string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(name) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			b.WriteRune(r)
		case folded[r] != "":
			b.WriteString(folded[r])
		default:
			if b.Len() > 0 && !strings.HasSuffix(b.String(), "-") {
				b.WriteByte('-')
			}
		}
	}
	text := b.String()
	if len(text) > 63 {
		text = text[:63]
	}
	if text = strings.Trim(text, "-"); text == "" {
		return "device"
	}
	return text
}

// folded writes the letters of neighbouring alphabets in plain ones.
var folded = map[rune]string{
	'ä': "ae", 'ö': "oe", 'ü': "ue", 'ß': "ss", 'à': "a", 'á': "a", 'â': "a", 'ã': "a", 'å': "a", 'æ': "ae", 'ç': "c",
	'è': "e", 'é': "e", 'ê': "e", 'ë': "e", 'ì': "i", 'í': "i", 'î': "i", 'ï': "i", 'ñ': "n", 'ò': "o", 'ó': "o", 'ô': "o",
	'õ': "o", 'ø': "o", 'ù': "u", 'ú': "u", 'û': "u", 'ý': "y", 'ł': "l", 'ś': "s", 'ż': "z", 'ź': "z", 'ń': "n", 'ć': "c", 'ę': "e", 'ą': "a",
}
