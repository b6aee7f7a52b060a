// Package portlist knows how manuals, pages of devices and people write down on which ports
// something answers. It goes by structure, and by the words of many languages for "port".
package portlist

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"vestpin/core/catalogue"
	"vestpin/core/site"
	"vestpin/core/span"
)

// Service is one entry of a list of ports. A name that the text does not give is empty.
type Service struct {
	Name     string        `json:"name"`
	Protocol site.Protocol `json:"protocol"`
	Ports    span.Ports    `json:"ports"`
	Line     int           `json:"line"`
}

// BadLine is a line that holds numbers and was not understood.
type BadLine struct {
	Line int    `json:"line"`
	Text string `json:"text"`
}

// List is what a text came to. Missed is how many lines were not understood, of which the
// first MostUnread are given.
type List struct {
	Services []Service `json:"services"`
	Unread   []BadLine `json:"unread"`
	Missed   int       `json:"missed"`
}

// The bounds of a list.
const (
	MostServices = 500
	MostUnread   = 50
	longestLine  = 4000
	longestName  = 80
)

// The tokens of a line: what is no port although it holds digits, the two protocols,
// one, a port or a range, a separator, a word.
var tokens = regexp.MustCompile(`(?i)` + strings.Join([]string{
	`(?P<skip>\d{1,3}(?:\.\d{1,3}){3}(?:/\d+)?|[0-9a-f]{2}(?:[:-][0-9a-f]{2}){5}|\d{1,2}:\d{2}(?::\d{2})?|\d{4}-\d{2}-\d{2}|\bv?\d+(?:\.\d+)+\b|\b[a-z]+[-.]?\d+[a-z]*\b|\b\d+[a-z]+\b|\b\d+\s*(?:%|fps|kbps|mbps|kbit|mbit|ms|sec|seconds?|minutes?|min|hours?|mm|px|dbm?|hz|mhz|ghz|mb|gb|tb|kb|users?|channels?|devices?|cameras?)\b)`,
	`(?P<both>\btcp\s*(?:/|&|\+|,|and|und|et|y|e|oder|or|或|と)\s*udp\b|\budp\s*(?:/|&|\+|,|and|und|et|y|e|oder|or)\s*tcp\b|\bboth\b)`,
	`(?P<one>\b(?:tcp|udp)\b)`,
	`(?P<range>\b\d{1,5}\s*(?:-|–|—|~|\.\.+|…|\bto\b|\bbis\b|à|\bal?\b|\btot\b|\bdo\b|\btill\b|\bthrough\b|до|：|至|から)\s*\d{1,5}\b)`,
	`(?P<number>\b\d{1,5}\b)`,
	`(?P<end>[;|\t•·])`,
	`(?P<comma>[,、，]|\band\b|\bund\b|\bet\b|\bor\b)`,
	`(?P<colon>[:=：]|->|→)`,
	`(?P<open>[(\[（])`, `(?P<close>[)\]）])`,
	`(?P<slash>/)`,
	`(?P<word>[\pL_][\pL\pN_'’.+-]*)`,
}, "|"))

var kinds = tokens.SubexpNames()

// portWord are words for "port", and what stands around it, which are no name.
var portWord = map[string]bool{}

// nothing are words of a list that name no service.
var nothing = map[string]bool{}

func init() {
	for _, w := range strings.Fields("port ports porte portes porta portas porte puerto puertos poort poorten port(s) portnummer portnr ポート ポート番号 端口 端口号 порт порты порта 포트 nummer number no nr no. nr. num") {
		portWord[w] = true
	}
	for _, w := range strings.Fields("protocol protokoll protocole protocolo protocollo service dienst description beschreibung name default standard value wert range bereich type used usage use direction in out inbound outbound incoming outgoing internal external local remote open required is are the a for of with on uses yes no ja nein required optional and or tcp udp transport application purpose function funktion") {
		nothing[w] = true
	}
}

// udpNames are names of services that speak UDP, beyond those of the catalogue; all others
// that a list names without a protocol speak TCP.
var udpNames = []string{"rtp", "rtcp", "sip", "srt", "ntp", "stun", "dns", "snmp", "ike", "ipsec", "nat-t", "voice", "media", "audio"}

// token is one of a line.
type token struct{ kind, text string }

func split(line string) []token {
	var out []token
	for _, m := range tokens.FindAllStringSubmatchIndex(line, -1) {
		for k, name := range kinds {
			if name != "" && m[2*k] >= 0 {
				out = append(out, token{name, line[m[2*k]:m[2*k+1]]})
				break
			}
		}
	}
	return out
}

// entry is a service while its line is read.
type entry struct {
	name   []string
	proto  site.Protocol
	ports  []string
	closed bool // a word or separator came after its ports
	port   bool // the word "port" came
}

func (e entry) empty() bool { return len(e.ports) == 0 }

// reading is a list as its lines come.
type reading struct {
	out   List
	proto site.Protocol // of a heading above
	ports bool          // a heading said that ports come
}

// Read reads lines of text. Rows of tables have their cells apart by "|" or tabs.
func Read(lines []string) List {
	r := reading{out: List{Services: []Service{}, Unread: []BadLine{}}}
	for i, text := range lines {
		if len(text) > longestLine {
			r.miss(i+1, text[:longestLine])
			continue
		}
		r.line(i+1, text)
	}
	return r.out
}

func (r *reading) miss(line int, text string) {
	if r.out.Missed++; len(r.out.Unread) < MostUnread {
		r.out.Unread = append(r.out.Unread, BadLine{line, strings.TrimSpace(text)})
	}
}

// denied are lines that say of ports what not to do, or give a date or an edition.
var denied = regexp.MustCompile(`(?i)\b(?:do not|don't|never|must not|nicht|kein\w*|ne pas|jamais|no (?:abrir|usar)|non (?:aprire|usare)|niet|nie (?:otwiera\w*|używa\w*))\b|(?:^|\s)(?:не|不要|禁止)(?:\s|$)|\b(?:stand|edition|version|copyright|rev(?:ision)?|ausgabe|état|édition)\W+(?:\w+\W+)?(?:19|20)\d\d\b|©`)

// portBehind is a word for "port" that stands behind a name without a blank.
var portBehind = regexp.MustCompile(`([\pL\pN])(端口号|端口|ポート番号|ポート|포트)`)

func (r *reading) line(number int, text string) {
	if denied.MatchString(text) {
		if strings.ContainsAny(text, "0123456789") {
			r.miss(number, text)
		}
		return
	}
	all := split(portBehind.ReplaceAllString(text, "$1 $2"))
	if len(all) == 0 {
		return
	}
	entries := entriesOf(all)
	said := r.ports || slices.ContainsFunc(all, func(t token) bool { return t.kind == "one" || t.kind == "both" || isPort(t) })
	took, digits := 0, false
	for _, e := range entries {
		if e.empty() {
			continue
		}
		digits = true
		if s, ok := r.service(e, said); ok {
			if len(r.out.Services) == MostServices {
				r.miss(number, text)
				return
			}
			s.Line = number
			if !slices.ContainsFunc(r.out.Services, func(o Service) bool {
				return o.Protocol == s.Protocol && o.Ports.Equal(s.Ports) && (s.Name == "" || o.Name == s.Name)
			}) {
				r.out.Services = append(r.out.Services, s)
			}
			took++
		}
	}
	if digits {
		if took == 0 {
			r.miss(number, text)
		}
		return
	}
	r.heading(all, entries)
}

// heading takes a line without ports: "TCP:", or the names of columns.
func (r *reading) heading(all []token, entries []entry) {
	proto := site.Protocol("")
	ports := false
	for _, t := range all {
		switch {
		case t.kind == "both":
			proto = site.Both
		case t.kind == "one":
			if one := site.Protocol(strings.ToLower(t.text)); proto != "" && proto != one {
				proto = site.Both
			} else {
				proto = one
			}
		case isPort(t):
			ports = true
		}
	}
	r.proto, r.ports = proto, ports || proto != ""
}

func isPort(t token) bool {
	return t.kind == "word" && portWord[strings.ToLower(strings.Trim(t.text, ".'’"))]
}

// entriesOf divides a line into entries.
func entriesOf(all []token) []entry {
	var out []entry
	now := entry{}
	flush := func() {
		out = append(out, now)
		now = entry{}
	}
	cells := slices.ContainsFunc(all, func(t token) bool { return t.kind == "end" && t.text != ";" })
	depth := 0
	for i, t := range all {
		switch t.kind {
		case "both", "one":
			proto := site.Both
			if t.kind == "one" {
				proto = site.Protocol(strings.ToLower(t.text))
			}
			switch {
			case now.empty() && now.proto != "" && now.proto != proto && i > 0 && all[i-1].kind == "comma":
				proto = site.Both
			case !now.empty() && (now.proto != "" || now.closed && !cells && depth == 0 && len(now.name) > 0 && leadsOn(all[i+1:])):
				carried := now.name
				flush()
				if cells {
					now.name = carried
				}
			}
			now.proto = proto
		case "range", "number":
			if now.closed && !now.empty() && !cells {
				carried := now.proto
				flush()
				now.proto = carried
			}
			now.ports = append(now.ports, strings.Join(strings.Fields(t.text), ""))
			now.closed = false
		case "end":
			if t.text == ";" || !cells {
				flush()
			} else if !now.empty() {
				now.closed = true
			}
		case "open":
			depth++
		case "close":
			depth = max(0, depth-1)
		case "comma":
			if !now.empty() && nextIs(all[i+1:], "word", "one", "both") && len(now.name) > 0 && !cells {
				carried := now.proto
				flush()
				if !nextIs(all[i+1:], "one", "both") {
					now.proto = carried
				}
			}
		case "word":
			if isPort(t) {
				now.port = true
				continue
			}
			if !now.empty() && len(now.name) > 0 && !now.closed && depth == 0 && !cells {
				carried := now.proto
				flush()
				now.proto = carried
			}
			if word := strings.ToLower(t.text); !nothing[word] {
				now.name = append(now.name, strings.Trim(t.text, ".'’"))
				if !now.empty() {
					now.closed = true
				}
			}
		case "skip":
			if !now.empty() {
				now.closed = true
			}
		}
	}
	flush()
	return out
}

func nextIs(rest []token, kinds ...string) bool {
	return len(rest) > 0 && slices.Contains(kinds, rest[0].kind)
}

// leadsOn reports whether ports come next: the protocol before them is theirs.
func leadsOn(rest []token) bool {
	for _, t := range rest {
		switch t.kind {
		case "number", "range":
			return true
		case "word", "colon", "open":
			continue
		}
		return false
	}
	return false
}

// service makes a service of an entry; false where nothing says that its numbers are ports.
func (r *reading) service(e entry, said bool) (Service, bool) {
	s := Service{Name: strings.Join(e.name, " "), Protocol: e.proto}
	if len([]rune(s.Name)) > longestName {
		s.Name = string([]rune(s.Name)[:longestName])
	}
	known, spoken := wellKnown(s.Name)
	if !said && !spoken {
		return s, false
	}
	var runs []span.Run
	for _, text := range e.ports {
		lo, hi, ok := bounds(text)
		if !ok {
			return s, false
		}
		runs = append(runs, span.Run{Lo: lo, Hi: hi})
	}
	s.Ports = span.PortList(span.Of(runs...).Runs()...)
	if s.Protocol == "" {
		s.Protocol = r.proto
	}
	if s.Protocol == "" {
		s.Protocol = known
	}
	if s.Protocol == "" {
		s.Protocol = site.TCP
		if one, single := s.Ports.Single(); single {
			if at, ok := catalogue.Shipped().At(one); ok {
				s.Protocol = at.Protocol
			}
		}
	}
	return s, true
}

func bounds(text string) (lo, hi uint32, ok bool) {
	ends := strings.FieldsFunc(text, func(c rune) bool { return c < '0' || c > '9' })
	var n [2]int
	for i, e := range []string{ends[0], ends[len(ends)-1]} {
		n[i], _ = strconv.Atoi(e)
	}
	return uint32(n[0]), uint32(n[1]), n[0] >= 1 && n[1] <= 65535 && n[0] <= n[1]
}

// wellKnown tells whether a name is that of a service that everybody knows, and what it
// speaks.
func wellKnown(name string) (site.Protocol, bool) {
	for _, w := range strings.Fields(strings.ToLower(name)) {
		if slices.Contains(udpNames, w) {
			return site.UDP, true
		}
		if slices.Contains(tcpNames, w) {
			return site.TCP, true
		}
	}
	return "", false
}

// tcpNames are the schemes and protocols of the catalogue that speak TCP, as pages of
// devices name them.
var tcpNames = []string{"http", "https", "web", "rtsp", "ssh", "telnet", "ftp", "ftps", "sftp", "smtp", "imap", "pop3", "rdp", "rfb", "vnc", "mqtt", "mqtts", "ipp", "smb", "tls", "ssl", "onvif", "modbus", "server", "sips", "websocket", "ws", "wss"}
