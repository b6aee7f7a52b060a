package read

import (
	"regexp"
	"strings"

	"vestpin/core/site"
	"vestpin/core/span"
)

// What a line says that sends a port on, in words and signs: the ports outside, a sign or word
// that points, the address, and the ports there; or the address with its ports first.
var (
	pointsShape = regexp.MustCompile(`(?i)(?:^|[\s:/(])(\d{1,5}(?:[-:]\d{1,5})?(?:\s*,\s*\d{1,5}(?:-\d{1,5})?)*)(?:/(?:tcp|udp))?\s*(?:->|→|=>|⇒|⟶|➔|»|>|\bto\b)\s*(\d+\.\d+\.\d+\.\d+)(?:\s*:\s*(\d{1,5}(?:[-:]\d{1,5})?(?:,\d{1,5}(?:-\d{1,5})?)*))?(?:$|[\s,;)])`)
	staticShape = regexp.MustCompile(`(?i)\b(tcp|udp)\s+(\d+\.\d+\.\d+\.\d+)[ :](\d{1,5})\s+(?:[A-Za-z][\w/.-]*\s+){0,3}?(?:\d+\.\d+\.\d+\.\d+[ :])?(\d{1,5})\s*$`)
	listedShape = regexp.MustCompile(`\bDNAT\s+(tcp|udp|6|17|all|0)\s+\S+\s+(.*?)\s(?:tcp|udp)?\s*(?:dpts?:(\S+)|multiport dports (\S+))\s+(?:/\* (.*?) \*/\s+)?to:(\d+\.\d+\.\d+\.\d+)(?::(\d+(?:-\d+)?))?\s*$`)
	protoShape  = regexp.MustCompile(`(?i)\b(tcp|udp)\b`)
	bothShape   = regexp.MustCompile(`(?i)\btcp\s*[&+/,|]\s*udp\b|\budp\s*[&+/,|]\s*tcp\b|\btcp (?:and|und|et|y|e) udp\b`)
	fromShape   = regexp.MustCompile(`(?i)\b(?:from|src|source|remote|only|von|nur|de|da|desde|allow)\b[ =:]*(\d+\.\d+\.\d+\.\d+(?:/\d+)?)`)
	saidShape   = regexp.MustCompile(`'([^']*)'|"([^"]*)"`)
	deniedShape = regexp.MustCompile(`(?i)\b(?:not|never|don't|no longer|nicht|kein\w*|niet|pas|nunca|nigdy|instead of|was)\b`)
	offShape    = regexp.MustCompile(`(?i)^\s*(?:#|;|//|!)|\b(?:disabled|off|inactive|inaktiv|désactivé|deaktiviert|paused)\b`)
)

// sent reads a line that tells by signs where a port goes. Who may connect must be plain: any
// other address on the line makes it one that nobody understands.
func (r *reader) sent(l line) bool {
	if len(l.macs) > 0 || len(l.addrs) == 0 || len(l.text) > 400 || !protoShape.MatchString(l.text) && !strings.Contains(l.text, "DNAT") || deniedShape.MatchString(l.text) {
		return false
	}
	f := ForwardLine{Enabled: !offShape.MatchString(l.text), From: []string{}, Source: r.source, Line: r.lineOf(l.number)}
	var outside, address, inside, rest string
	if m := listedShape.FindStringSubmatch(l.text); m != nil {
		f.Protocol, outside, address, inside, f.Name = protocolOf(m[1]), m[3]+m[4], m[6], m[7], m[5]
		words := strings.Fields(m[2])
		if len(words) < 2 {
			return false
		}
		rest = "" // in, out, source, destination
		if from := words[len(words)-2]; from != "0.0.0.0/0" && from != "anywhere" {
			f.From = append(f.From, from)
		}
	} else if text, from := senderIn(l.text); pointsShape.MatchString(text) {
		m := pointsShape.FindStringSubmatchIndex(text)
		outside, address = text[m[2]:m[3]], text[m[4]:m[5]]
		if m[6] >= 0 {
			inside = text[m[6]:m[7]]
		}
		rest = text[:m[0]] + " " + text[m[1]:]
		f.Protocol = spokenIn(text)
		f.From = append(f.From, from...)
	} else if m := staticShape.FindStringSubmatch(l.text); m != nil {
		f.Protocol, address, inside, outside = protocolOf(m[1]), m[2], m[3], m[4]
		rest = strings.Replace(l.text, m[2], "", 1)
	} else {
		return false
	}
	if f.Protocol == "" || strings.Contains(outside, ".") {
		return false
	}
	if m := fromShape.FindStringSubmatch(rest); m != nil && len(f.From) == 0 {
		f.From = append(f.From, m[1])
		rest = strings.Replace(rest, m[0], "", 1)
	}
	var names []string
	for _, m := range saidShape.FindAllStringSubmatch(rest, -1) {
		switch said := m[1] + m[2]; {
		case said == "":
		case isAddr(said) || strings.Count(said, ".") == 3 && strings.Contains(said, "/"):
			f.From = append(f.From, said)
		default:
			names = append(names, said)
		}
	}
	for _, w := range strings.FieldsFunc(saidShape.ReplaceAllString(rest, ""), between) {
		if a, ok := addrWord(w); ok && !a.IsUnspecified() {
			return false
		}
	}
	if len(names) > 0 {
		f.Name = names[0]
	}
	var ok bool
	if f.Address, ok = addrWord(address); !ok || !f.Address.IsPrivate() {
		return false
	}
	var err, bad error
	if f.Outside, err = span.ParsePorts(strings.ReplaceAll(outside, ":", "-")); err != nil {
		return false
	}
	f.Inside = f.Outside
	if inside != "" {
		if f.Inside, bad = span.ParsePorts(strings.ReplaceAll(inside, ":", "-")); bad != nil {
			return false
		}
	}
	if one, single := f.Inside.Single(); single && f.Outside.Len() > 1 {
		f.Inside = span.PortList(span.Run{Lo: uint32(one), Hi: uint32(one + f.Outside.Len() - 1)})
	}
	if f.Inside.Len() != f.Outside.Len() {
		return false
	}
	r.out.Forwards, r.out.Forwarding = append(r.out.Forwards, f), true
	return true
}

// senderIn takes from a line who may connect.
func senderIn(text string) (rest string, from []string) {
	if m := fromShape.FindStringSubmatchIndex(text); m != nil {
		if who := text[m[2]:m[3]]; who != "0.0.0.0/0" && who != "0.0.0.0" {
			from = append(from, who)
		}
		return text[:m[0]] + " " + text[m[1]:], from
	}
	return anyoneShape.ReplaceAllString(text, " "), nil
}

// anyoneShape is a sender that is anybody.
var anyoneShape = regexp.MustCompile(`(?i)\b(?:from|src|source|von|de|da|desde)[ =:]+(?:any|all|anyone|anywhere|everyone|alle|tous|toutes|todos|tutti|\*)(?:\s|$)`)

func protocolOf(word string) site.Protocol {
	switch strings.ToLower(word) {
	case "tcp", "6":
		return site.TCP
	case "udp", "17":
		return site.UDP
	}
	return ""
}

// spokenIn gives the protocol that a text names, nothing where it names none.
func spokenIn(text string) site.Protocol {
	if bothShape.MatchString(text) {
		return site.Both
	}
	found := site.Protocol("")
	for _, m := range protoShape.FindAllString(text, -1) {
		p := protocolOf(m)
		if found != "" && p != found {
			return ""
		}
		found = p
	}
	return found
}
