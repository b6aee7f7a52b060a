package read

import (
	"net/netip"
	"regexp"
	"strconv"
	"strings"

	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/read/grid"
)

var (
	tableShape = regexp.MustCompile(`^table (ip6?|inet|arp|bridge|netdev) \S+ \{`)
	mapShape   = regexp.MustCompile(`^map (\S+) \{`)
	dportShape = regexp.MustCompile(`\b(tcp|udp|th) dport (\{[^}]*\}|[\d-]+)`)
	l4Shape    = regexp.MustCompile(`\b(?:meta l4proto|ip protocol) (\{[^}]*\}|tcp|udp)`)
	saddrShape = regexp.MustCompile(`\bip saddr (\{[^}]*\}|\S+)`)
	// What a rule may say beside where it leads and of whom; of one that says more, such as a
	// time or a mark, it is not known which packets it takes.
	knownShape   = regexp.MustCompile(`comment "[^"]*"|\b(?:meta )?[io]if(?:name)? (?:\{[^}]*\}|"[^"]*"|\S+)|\bip saddr (?:\{[^}]*\}|\S+)|\bip daddr (?:!= )?(?:\{[^}]*\}|\S+)|\bfib daddr(?: \. iif)? type local\b|\b(?:tcp|udp|th) dport (?:\{[^}]*\}|[\d-]+)|\bmeta nfproto ipv4\b|\b(?:meta l4proto|ip protocol) (?:\{[^}]*\}|\w+)|\bct state (?:\{[^}]*\}|[\w,]+)|\bcounter(?: packets \d+ bytes \d+)?|\blog(?: prefix "[^"]*"| level \w+| flags \w+)*|\bdnat .*$|# handle \d+`)
	dnatShape    = regexp.MustCompile(`\bdnat (?:ip )?to (\d+\.\d+\.\d+\.\d+)(?::(\d+(?:-\d+)?))?`)
	dnatMapShape = regexp.MustCompile(`\bdnat (?:ip )?(?:addr \. port )?to (tcp|udp|th) dport map (\{[^}]*\}|@\S+)`)
	elementShape = regexp.MustCompile(`(\d+(?:-\d+)?) : (\d+\.\d+\.\d+\.\d+)(?: \. (\d+))?`)
	unlessShape  = regexp.MustCompile(`\b(saddr|dport|l4proto|sport) !=`)
	sendsShape   = regexp.MustCompile(`\bdnat\b`)
	aroundShape  = regexp.MustCompile(`\b(accept|return|drop|reject|jump|goto|vmap|tproxy|redirect)\b`)
	insideShape  = regexp.MustCompile(`^(?:ip saddr|-A \S+ -s) (\{[^}]*\}|[\d./]+) (?:counter packets \d+ bytes \d+ )?(?:return|accept|-j RETURN|-j ACCEPT)$`)
	wholeShape   = regexp.MustCompile(`^((i|o)ifname \S+ |ip daddr [\d.]+ |fib daddr type local )*(counter packets \d+ bytes \d+ )?(jump|goto) \S+$|^-A \S+( -[id] \S+| -m addrtype --dst-type LOCAL)* -[jg] \S+$`)
	commentShape = regexp.MustCompile(`\bcomment "([^"]*)"`)
	saveShape    = regexp.MustCompile(`^(-[AI] [A-Za-z]|:[A-Z][A-Za-z_-]* [A-Z-]+ \[|\*(nat|filter|mangle|raw|security)$|COMMIT$|-P [A-Z]+ [A-Z]+$)`)
	optionShape  = regexp.MustCompile(`(!\s+)?(-{1,2}[a-z][a-z-]*) ("[^"]*"|[^\s-]\S*)`)
)

// ruleset is what is known of a list of rules as its lines come.
type ruleset struct {
	inside bool              // a table of nftables
	saved  bool              // of iptables-save
	name   string            // of the map whose elements come
	early  bool              // in a chain of nat that sees packets before they are routed
	maps   map[string]string // the elements of maps, by "@" and their name
	unused map[string][]line // the lines of those that no rule has named yet
}

// rule takes the lines of "nft list ruleset" and of iptables-save. Of all rules only those
// that change where a packet goes are port forwards.
func (r *reader) rule(l line) bool {
	text := strings.TrimSpace(l.text)
	if !r.rules.inside && strings.IndexByte("-:*CPt", text[0]) < 0 && !strings.Contains(text, "dnat ") {
		return false
	}
	if strings.IndexByte("-:*CP", text[0]) >= 0 && saveShape.MatchString(text) {
		r.rules.saved, r.out.Forwarding = text != "COMMIT", true
		if text[0] == '*' {
			r.rules.early = text == "*nat"
		}
		switch {
		case strings.Contains(text, "-j DNAT"):
			if !r.iptables(l, text) {
				r.unread(l)
			}
		case r.rules.early && strings.HasPrefix(text, "-A ") && !strings.HasPrefix(text, "-A POSTROUTING") && !strings.HasPrefix(text, "-A OUTPUT") && !strings.Contains(text, "-j MASQUERADE") && !strings.Contains(text, "-j SNAT"):
			r.around(l, text)
		}
		return true
	}
	if strings.HasPrefix(text, "table ") && tableShape.MatchString(text) {
		r.rules = ruleset{inside: true, maps: map[string]string{}, unused: r.rules.unused}
		r.out.Forwarding = true
		return true
	}
	if !r.rules.inside {
		return strings.Contains(text, "dnat ") && dnatShape.MatchString(text) && dportShape.MatchString(text) && r.nft(l, text)
	}
	switch name, isMap := mapOf(text); {
	case isMap:
		r.rules.name = "@" + name
	case l.text[0] == '}':
		r.rules.inside = false
	case text == "}":
		r.rules.name, r.rules.early = "", false
	case strings.HasPrefix(text, "type "):
		r.rules.early = strings.Contains(text, "hook prerouting") && strings.HasPrefix(text, "type nat")
	case r.rules.name != "" && elementShape.MatchString(text):
		r.rules.maps[r.rules.name] += text + " "
		if r.rules.unused == nil {
			r.rules.unused = map[string][]line{}
		}
		r.rules.unused[r.rules.name] = append(r.rules.unused[r.rules.name], l)
	case sends(text):
		if !r.nft(l, text) {
			r.unread(l)
		}
	case r.rules.early && aroundShape.MatchString(text):
		r.around(l, text)
	case len(l.addrs)+len(l.macs) > 0 && !nftSaid.MatchString(text): // the table did not end
		r.rules.inside = false
		return false
	}
	return true
}

// nftSaid are words of the language of nft(8) of which a line with an address has one.
var nftSaid = regexp.MustCompile(`\b(?:ip6?|ether|arp|meta|ct|saddr|daddr|elements|accept|drop|reject|jump|goto|snat|masquerade|counter|log|set|map|tcp|udp|th|fib|mark)\b`)

// leaveRules tells of the maps that no rule names.
func (r *reader) leaveRules() {
	for _, name := range sortedKeys(r.rules.unused) {
		r.giveUp(r.rules.unused[name])
	}
	r.rules.unused = nil
}

// mapOf is the name of a map that begins on a line.
func mapOf(text string) (string, bool) {
	if !strings.HasPrefix(text, "map ") {
		return "", false
	}
	m := mapShape.FindStringSubmatch(text)
	if m == nil {
		return "", false
	}
	return m[1], true
}

// sends reports whether a rule sends packets on.
func sends(text string) bool {
	if !strings.Contains(text, "dnat") || strings.Contains(text, "ct status") {
		return false
	}
	if strings.Contains(text, "comment") {
		text = commentShape.ReplaceAllString(text, "")
	}
	return sendsShape.MatchString(text)
}

// around tells of a rule that lets packets by before a port forward could take them, which
// is not followed. One that only looks at the site's own devices, or sends all on to
// another chain, takes none from outside.
func (r *reader) around(l line, text string) {
	if wholeShape.MatchString(text) {
		return
	}
	if m := insideShape.FindStringSubmatch(text); m != nil {
		private := true
		for _, w := range strings.FieldsFunc(m[1], func(c rune) bool { return strings.ContainsRune("{}, ", c) }) {
			p, err := site.ParseSender(w)
			private = private && err == nil && p.Addr().IsPrivate()
		}
		if private {
			return
		}
	}
	if len(r.out.Around) < MostUnread {
		r.out.Around = append(r.out.Around, Unread{r.source, r.lineOf(l.number), cut(text)})
	}
}

// nft takes one rule of nftables that sends on (nft(8), "NAT statements").
func (r *reader) nft(l line, text string) bool {
	f := grid.Forward{Line: l.number, Enabled: true}
	if m := found(commentShape, text, "comment"); m != nil {
		f.Name = m[1]
	}
	if strings.Contains(text, "!= ") && unlessShape.MatchString(text) {
		return false // "not": nothing that a forward says
	}
	if strings.TrimSpace(knownShape.ReplaceAllLiteralString(text, "")) != "" {
		return false // it takes only some of the packets, and which is not known
	}
	if m := found(saddrShape, text, "ip saddr"); m != nil {
		f.From = strings.FieldsFunc(m[1], func(c rune) bool { return c == ' ' || c == ',' || c == '{' || c == '}' })
	}
	l4 := ""
	for _, word := range []string{"meta l4proto", "ip protocol"} {
		if m := found(l4Shape, text, word); m != nil {
			l4 = m[1]
		}
	}
	if !strings.Contains(text, " map ") {
		to, port := found(dnatShape, text, "dnat"), dportShape.FindStringSubmatch(text)
		return to != nil && port != nil && r.sendsOn(f, port[1], l4, port[2], to[1], to[2], "")
	}
	if m := found(dnatMapShape, text, "dnat"); m != nil {
		elements := m[2]
		if strings.HasPrefix(elements, "@") {
			delete(r.rules.unused, elements)
			elements = r.rules.maps[elements]
		}
		all := elementShape.FindAllStringSubmatch(elements, -1)
		for _, e := range all {
			if !r.sendsOn(f, m[1], l4, e[1], e[2], e[3], "") {
				return false
			}
		}
		return len(all) > 0
	}
	to, port := found(dnatShape, text, "dnat"), dportShape.FindStringSubmatch(text)
	return to != nil && port != nil && r.sendsOn(f, port[1], l4, port[2], to[1], to[2], "")
}

// What a rule of iptables-save may say besides.
const (
	knownOptions = "-A -I -i -o -p -s -d -m --dport --dports -j --to-destination --comment --dst-type --state --ctstate -c --random --persistent "
	knownMatches = "multiport comment tcp udp addrtype state conntrack "
)

// found matches a shape from the first place on where its first word stands.
func found(shape *regexp.Regexp, text, word string) []string {
	at := strings.Index(text, word)
	if at < 0 {
		return nil
	}
	return shape.FindStringSubmatch(text[at:])
}

// iptables takes one rule of iptables-save(8) with the target DNAT.
func (r *reader) iptables(l line, text string) bool {
	f := grid.Forward{Line: l.number, Enabled: true}
	got := map[string]string{}
	for _, m := range optionShape.FindAllStringSubmatch(text, -1) {
		if m[1] != "" && m[2] != "-d" && m[2] != "-i" {
			return false // "not": nothing that a forward says
		}
		if !strings.Contains(knownOptions, m[2]+" ") || m[2] == "-m" && !strings.Contains(knownMatches, m[3]+" ") {
			return false // it takes only some of the packets, and which is not known
		}
		got[m[2]] = strings.Trim(m[3], `"`)
	}
	f.Name = got["--comment"]
	if s := got["-s"]; s != "" && s != "0.0.0.0/0" {
		f.From = strings.Split(strings.TrimSuffix(s, "/32"), ",")
	}
	to, ports, _ := strings.Cut(got["--to-destination"], ":")
	ports, base, _ := strings.Cut(ports, "/")
	outside := got["--dport"] + got["--dports"]
	return outside != "" && r.sendsOn(f, got["-p"], "", strings.ReplaceAll(outside, ":", "-"), to, ports, base)
}

// sendsOn keeps a forward. Of a rule that leads several ports to one, each is a forward of
// its own. Base is the outside port that goes to the first inside one, where a rule says
// it.
func (r *reader) sendsOn(f grid.Forward, proto, l4, outside, to, inside, base string) bool {
	switch {
	case proto == "tcp" || proto == "udp":
		f.Protocol = site.Protocol(proto)
	case strings.Contains(l4, "tcp") && strings.Contains(l4, "udp"), l4 == "" && proto == "th":
		f.Protocol = site.Both
	case l4 == "tcp" || l4 == "udp":
		f.Protocol = site.Protocol(l4)
	default:
		return false
	}
	var err error
	if f.Address, err = netip.ParseAddr(to); err != nil {
		return false
	}
	if f.Outside, err = span.ParsePorts(strings.Trim(outside, "{} ")); err != nil {
		return false
	}
	if inside == "" {
		f.Inside = f.Outside
		r.forward(f)
		return true
	}
	if f.Inside, err = span.ParsePorts(inside); err != nil {
		return false
	}
	one, single := f.Inside.Single()
	switch n := f.Outside.Len(); {
	case n == f.Inside.Len() && (base == "" || base == strconv.Itoa(int(f.Outside.At(0)))):
		r.forward(f)
	case single && n <= mostNamed:
		for i := range n {
			each := f
			each.Outside, each.Inside = span.Port(int(f.Outside.At(i))), span.Port(one)
			r.forward(each)
		}
	default:
		return false
	}
	return true
}

// nftJSON takes the answer of "nft -j list ruleset" (libnftables-json(5)), each rule as the
// text it stands for.
func (r *reader) nftJSON(n *node) {
	r.rules, r.out.Forwarding = ruleset{inside: true, maps: map[string]string{}}, true
	list := n.get("nftables").items
	for _, x := range list {
		if m := x.get("map"); m.get("name").text != "" {
			r.rules.maps["@"+m.get("name").text] = elements(m.get("elem").items)
		}
	}
	for _, x := range list {
		rule := x.get("rule")
		var words []string
		sends := false
		for _, e := range rule.get("expr").items {
			sends = sends || e.fields["dnat"] != nil
			words = append(words, nftWords(e))
		}
		if !sends {
			continue
		}
		text := strings.Join(words, " ")
		if c := rule.get("comment").text; c != "" {
			text += ` comment "` + c + `"`
		}
		l := line{number: rule.line, text: text}
		if !r.nft(l, text) {
			r.unread(l)
		}
	}
	r.rules = ruleset{}
}

func elements(items []*node) string {
	var out []string
	for _, e := range items {
		if len(e.items) == 2 {
			out = append(out, nftValue(e.items[0])+" : "+nftValue(e.items[1]))
		}
	}
	return "{ " + strings.Join(out, ", ") + " }"
}

// nftValue writes a value as nft does.
func nftValue(n *node) string {
	many := func(list []*node, sep string) string {
		var out []string
		for _, i := range list {
			out = append(out, nftValue(i))
		}
		return strings.Join(out, sep)
	}
	switch {
	case n.fields == nil && n.items == nil:
		return n.text
	case n.items != nil:
		return "{ " + many(n.items, ", ") + " }"
	case n.fields["set"] != nil:
		return "{ " + many(n.get("set").items, ", ") + " }"
	case n.fields["range"] != nil:
		return many(n.get("range").items, "-")
	case n.fields["concat"] != nil:
		return many(n.get("concat").items, " . ")
	case n.fields["prefix"] != nil:
		return n.get("prefix").get("addr").text + "/" + n.get("prefix").get("len").text
	case n.fields["payload"] != nil:
		return n.get("payload").get("protocol").text + " " + n.get("payload").get("field").text
	case n.fields["meta"] != nil:
		return "meta " + n.get("meta").get("key").text
	}
	return ""
}

func nftWords(e *node) string {
	switch {
	case e.fields["match"] != nil:
		m := e.get("match")
		if op := m.get("op").text; op != "==" && op != "in" {
			return "unless"
		}
		return nftValue(m.get("left")) + " " + nftValue(m.get("right"))
	case e.fields["dnat"] != nil:
		d := e.get("dnat")
		if m := d.get("addr").get("map"); m.fields != nil {
			data := m.get("data")
			if data.text != "" {
				return "dnat ip to " + nftValue(m.get("key")) + " map " + data.text
			}
			return "dnat ip to " + nftValue(m.get("key")) + " map " + elements(data.get("set").items)
		}
		to := d.get("addr").text
		if d.fields["port"] != nil {
			to += ":" + nftValue(d.get("port"))
		}
		return "dnat to " + to
	}
	return ""
}
