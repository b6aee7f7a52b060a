package read

import (
	"net/netip"
	"regexp"
	"strconv"
	"strings"

	"vestpin/core/ipv4"
	"vestpin/core/sighting"
	"vestpin/core/site"
)

// block takes what spans several lines and is known by its first: JSON, and the
// statements of ISC dhcpd and its client. It gives the text after it and how many
// lines it had, 0 if it is none.
func (r *reader) block(number int, first, text string) (rest string, lines int) {
	switch {
	case r.vain > mostVain:
		return "", 0
	case first[0] == '{' || first[0] == '[' || strings.HasPrefix(first, "/*"):
		if rest, lines = r.jsonBlock(number, text); lines == 0 && strings.ContainsAny(first, "'") {
			rest, lines = r.literal(number, text)
		}
	case (strings.Contains(first, "{") || strings.HasSuffix(first, ";")) && statementShape.MatchString(first) && r.reads("leases"):
		rest, lines = r.statements(number, text)
	case assigned.MatchString(first):
		from := strings.IndexAny(text, "{[")
		if rest, lines = r.jsonBlock(number, text[from:]); lines == 0 {
			rest, lines = r.literal(number, text[from:])
		}
	default:
		return "", 0
	}
	if lines == 0 {
		r.vain++
	}
	return rest, lines
}

// assigned is a name with a value in brackets that goes on below.
var assigned = regexp.MustCompile(`^(?:(?:var|let|const|local|my)\s+)?[$@]?[A-Za-z_][\w.]*\s*=\s*[\[{]\s*$`)

// programWords are what programs write where JSON has its own words.
var programWords = regexp.MustCompile(`([:,\[(]\s*)(True|False|None|nil|undefined|TRUE|FALSE|NULL)\b`)

// literal reads a value as programs write it: other quotes, names without, other words.
func (r *reader) literal(number int, text string) (rest string, lines int) {
	end := closing(text)
	if end == 0 {
		return "", 0
	}
	value := programWords.ReplaceAllStringFunc(strict(text[:end]), func(m string) string {
		at := strings.IndexFunc(m, func(c rune) bool { return c >= 'A' && c <= 'z' && c != '[' })
		switch strings.ToLower(m[at:]) {
		case "true", "false":
			return m[:at] + strings.ToLower(m[at:])
		}
		return m[:at] + "null"
	})
	if left, n := r.jsonBlock(number, value); n == 0 || strings.TrimSpace(left) != "" {
		return "", 0
	}
	_, rest, _ = strings.Cut(text[end:], "\n")
	return rest, strings.Count(text[:end], "\n") + 1
}

// mostVain is how many lines may look like the beginning of a block and be none,
// before no more are tried: each try may look at all that follows.
const mostVain = 40

// statementShape is how a statement of ISC dhcpd begins that this package knows.
var statementShape = regexp.MustCompile(`^(lease(\s+[0-9.]+)?\s*\{|(subnet|host|group|pool|shared-network|class|subclass|zone|key|failover|if)\b[^;]*\{|(option|default-lease-time|max-lease-time|authoritative|ddns-[a-z-]+|log-facility|server-duid|authoring-byte-order|range|include)\b.*;$)`)

// statement is one of the language of dhcpd.conf(5): words up to a semicolon, or
// up to a body in braces.
type statement struct {
	line  int
	words []string
	body  []statement
	open  bool // its body does not end
}

// longestBlock is how much text one statement may have, in bytes.
const longestBlock = 4 << 20

func (r *reader) statements(number int, text string) (rest string, lines int) {
	p := parser{text: text[:min(len(text), longestBlock)], line: number}
	s, ok := p.statement(0)
	if !ok || s.open {
		return "", 0
	}
	// The rest of the line of the closing brace belongs to it.
	_, rest, _ = strings.Cut(text[p.at:], "\n")
	r.statement(s)
	return rest, p.line - number + 1
}

type parser struct {
	text     string
	at, line int
}

// token gives the next word, string or mark; "" at the end.
func (p *parser) token() (word string, quoted bool) {
	for p.at < len(p.text) {
		c := p.text[p.at]
		switch {
		case c == '\n':
			p.line++
			p.at++
		case c <= ' ' || c == ',':
			p.at++
		case c == '#':
			for p.at < len(p.text) && p.text[p.at] != '\n' {
				p.at++
			}
		case c == '{' || c == '}' || c == ';':
			p.at++
			return string(c), false
		case c == '"':
			return p.quoted(), true
		default:
			start := p.at
			for p.at < len(p.text) && p.text[p.at] > ' ' && strings.IndexByte("{};,\"", p.text[p.at]) < 0 {
				p.at++
			}
			return p.text[start:p.at], false
		}
	}
	return "", false
}

// quoted reads a string; octal escapes stand for bytes.
func (p *parser) quoted() string {
	var b strings.Builder
	p.at++
	for p.at < len(p.text) && p.text[p.at] != '"' {
		c := p.text[p.at]
		if c == '\\' && p.at+3 < len(p.text) {
			if n, err := strconv.ParseUint(p.text[p.at+1:p.at+4], 8, 8); err == nil {
				b.WriteByte(byte(n))
				p.at += 4
				continue
			}
			p.at++
			c = p.text[p.at]
		}
		if c == '\n' {
			p.line++
		}
		b.WriteByte(c)
		p.at++
	}
	p.at = min(p.at+1, len(p.text))
	return b.String()
}

// deepestBody is how many bodies may lie in each other.
const deepestBody = 20

func (p *parser) statement(depth int) (statement, bool) {
	var s statement
	for {
		w, quoted := p.token()
		if s.line == 0 {
			s.line = p.line
		}
		switch {
		case w == "" && !quoted:
			return s, false
		case quoted:
			s.words = append(s.words, w)
		case w == ";":
			return s, true
		case w == "}":
			return s, false
		case w == "{":
			if depth == deepestBody {
				p.at = len(p.text) // nobody writes that
				return s, false
			}
			for {
				sub, ok := p.statement(depth + 1)
				if !ok {
					s.open = len(sub.words) > 0 || sub.open || p.text[p.at-1] != '}'
					return s, true
				}
				s.body = append(s.body, sub)
			}
		default:
			s.words = append(s.words, w)
		}
	}
}

func (s statement) word(i int) string {
	if i < len(s.words) {
		return s.words[i]
	}
	return ""
}

func (s statement) addrs() (out []netip.Addr) {
	for _, w := range s.words {
		if a, ok := addrWord(w); ok {
			out = append(out, a)
		}
	}
	return out
}

func (r *reader) statement(s statement) {
	switch s.word(0) {
	case "lease":
		if a, ok := addrWord(s.word(1)); ok {
			r.iscLease(s, a)
		} else {
			r.ownLease(s)
		}
	case "host":
		r.iscHost(s)
	case "subnet":
		if a, ok := addrWord(s.word(1)); ok && s.word(2) == "netmask" {
			if bits, err := ipv4.ParseMask(s.word(3)); err == nil {
				r.addOwn(netip.PrefixFrom(a, bits).Masked())
			}
		}
		r.all(s.body)
	case "range":
		if ends := s.addrs(); len(ends) > 0 && !ends[len(ends)-1].Less(ends[0]) {
			r.out.Facts.Ranges = append(r.out.Facts.Ranges, site.Range{From: ends[0], To: ends[len(ends)-1]})
		}
	case "default-lease-time":
		r.out.Facts.Lease, _ = strconv.Atoi(s.word(1))
	case "option":
		r.iscOption(s)
	default:
		r.all(s.body)
	}
}

func (r *reader) all(list []statement) {
	for _, s := range list {
		r.statement(s)
	}
}

func (r *reader) iscOption(s statement) {
	switch s.word(1) {
	case "routers":
		r.addGateways(s.addrs()...)
	case "domain-name-servers":
		for _, a := range s.addrs() {
			addTo(&r.out.Facts.DNS, a)
		}
	case "dhcp-server-identifier":
		for _, a := range s.addrs() {
			addTo(&r.out.Facts.DHCP, a)
		}
	case "dhcp-lease-time":
		r.out.Facts.Lease, _ = strconv.Atoi(s.word(2))
	}
}

// iscLease takes one entry of dhcpd.leases(5). The file is a journal: a later
// entry for an address replaces the earlier.
func (r *reader) iscLease(s statement, a netip.Addr) {
	sg := sighting.Sighting{Address: a, State: "lease", Line: s.line}
	for _, f := range s.body {
		switch f.word(0) {
		case "hardware":
			sg.MAC, _ = site.ParseMAC(f.word(2))
		case "client-hostname":
			sg.Host = f.word(1)
		case "starts", "cltt":
			sg.At = iscTime(f)
		case "ends":
			sg.Until = iscTime(f)
		case "binding":
			if f.word(2) != "active" {
				sg.State = f.word(2)
			}
		case "set":
			if f.word(1) == "vendor-class-identifier" {
				sg.Traits = []site.Trait{{Name: site.TraitVendor, Value: f.word(len(f.words) - 1)}}
			}
		}
	}
	r.addNewest(sg)
}

// addNewest keeps the last word of a journal on each address.
func (r *reader) addNewest(sg sighting.Sighting) {
	if r.hosts == nil {
		r.hosts = map[netip.Addr]int{}
	}
	i, seen := r.hosts[sg.Address]
	switch {
	case sg.MAC == "": // nobody has it: it is free, or was found in use by another
		r.claim(line{addrs: []netip.Addr{sg.Address}})
	case seen && r.out.Sightings[i].MAC == sg.MAC:
		if sg.Host == "" {
			sg.Host = r.out.Sightings[i].Host
		}
		sg.Source = r.source
		r.out.Sightings[i] = sg
	default:
		r.hosts[sg.Address] = len(r.out.Sightings)
		r.add(sg)
	}
}

// iscTime reads "starts 1 2026/11/23 08:00:00" and "starts epoch 1795431600".
func iscTime(s statement) string {
	if s.word(1) == "epoch" {
		n, _ := strconv.ParseInt(s.word(2), 10, 64)
		return clock(n)
	}
	if d := s.word(2); len(d) == 10 && len(s.word(3)) == 8 {
		return strings.ReplaceAll(d, "/", "-") + "T" + s.word(3) + "Z"
	}
	return ""
}

// ownLease takes an entry of dhclient.leases(5): what the laptop itself was given.
func (r *reader) ownLease(s statement) {
	var own netip.Addr
	bits := 0
	for _, f := range s.body {
		switch {
		case f.word(0) == "fixed-address":
			own, _ = addrWord(f.word(1))
		case f.word(0) == "option" && f.word(1) == "subnet-mask":
			bits, _ = ipv4.ParseMask(f.word(2))
		case f.word(0) == "option":
			r.iscOption(f)
		case f.word(0) == "renew":
			r.out.Facts.LeaseFrom = strings.Join(f.words[min(2, len(f.words)):], " ")
		case f.word(0) == "expire":
			r.out.Facts.LeaseUntil = strings.Join(f.words[min(2, len(f.words)):], " ")
		}
	}
	if own.IsValid() && bits > 0 {
		r.addOwn(netip.PrefixFrom(own, bits))
	}
}

func (r *reader) iscHost(s statement) {
	sg := sighting.Sighting{Host: s.word(1), State: sighting.StateReserved, Line: s.line}
	var macs []site.MAC
	addrs := []netip.Addr{{}}
	for _, f := range s.body {
		switch {
		case f.word(0) == "hardware":
			if m, err := site.ParseMAC(f.word(2)); err == nil {
				macs = append(macs, m)
			}
		case f.word(0) == "fixed-address" && len(f.addrs()) > 0:
			addrs = f.addrs() // one in each of its networks
		case f.word(0) == "option" && f.word(1) == "host-name":
			sg.Host = f.word(2)
		}
	}
	for _, m := range macs {
		for _, a := range addrs {
			sg.MAC, sg.Address = m, a
			r.add(sg)
		}
	}
}
