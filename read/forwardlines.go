package read

import (
	"regexp"
	"slices"
	"strings"
	"unicode"

	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/read/grid"
)

// Lines that say where a port goes: the ports outside, a sign or word that points, the address,
// the ports there. Each figure on such a line must have its place in that; a line with any other is
// one that nobody understands, since it may limit what is sent on.
const portsPattern = `\d{1,5}(?:\s?[-:–]\s?(?:\d{1,5}|\*))?(?:\s?,\s?\d{1,5}(?:\s?[-–]\s?\d{1,5})?)*`

var (
	targetShape = regexp.MustCompile(`(\d{1,3}\.\d{1,3}\.\d{1,3}\.\d{1,3})\b(?:\s?:\s?(` + portsPattern + `)\b\*?)?`)
	portsShape  = regexp.MustCompile(`\b` + portsPattern + `(?:\b|\*)`)
	pointerSign = regexp.MustCompile(`(?i)->|→|=>|⇒|⟶|➔|»|>|(?:^|[\s-])(?:to|an|auf|nach|zu|vers|à|a|al|alla|hacia|para|naar|do|na|till|til|к|на)(?:\s|$)`)
	thereShape  = regexp.MustCompile(`(?i)^[\s,;()]*(?:(?:on|at|auf|sur|en|su|op)\s+)?(?:ports?|porta|porte|puertos?|portas?|poort(?:en)?|porty?|portti|порт|端口|ポート|포트)\.?\s*:?\s*(` + portsPattern + `)(?:$|[\s,;.)])`)
	bareInside  = regexp.MustCompile(`^\s(` + portsPattern + `)(?:$|[\s,;)])`)
	entryNumber = regexp.MustCompile(`^\s*[#(]?\d{1,4}[.):]?\s+`)
	calledShape = regexp.MustCompile(`^\s*([^:=→>\d"'][^:=→>"']{0,40}):\s+`)
	asideShape  = regexp.MustCompile(`\(([^()]*\pL[^()]*)\)\s*$|(?:#|//|/\*)\s*(\pL.*?)\s*(?:\*/|$)`)
	behindShape = regexp.MustCompile(`^(?:[-–—;,|]\s*)?(\pL[\pL .'-]*)$`)
	backShape   = regexp.MustCompile(`^(.*?\d\S*)\s*(?:<-+|←|⇐|<=)\s*(.*)$`)
	staticShape = regexp.MustCompile(`(?i)\b(tcp|udp)\s+(\d+\.\d+\.\d+\.\d+)[ :](\d{1,5})\s+(?:[A-Za-z][\w/.-]*\s+){0,3}?(?:\d+\.\d+\.\d+\.\d+[ :])?(\d{1,5})\s*$`)
	listedShape = regexp.MustCompile(`\bDNAT\s+(tcp|udp|6|17|all|0)\s+\S+\s+(.*?)\s(?:tcp|udp)?\s*(?:dpts?:(\S+)|multiport dports (\S+))\s+(?:/\* (.*?) \*/\s+)?to:(\d+\.\d+\.\d+\.\d+)(?::(\d+(?:-\d+)?))?\s*$`)
	protoShape  = regexp.MustCompile(`(?i)\b(tcp|udp)\b`)
	bothShape   = regexp.MustCompile(`(?i)\btcp\s*[&+/,|]\s*udp\b|\budp\s*[&+/,|]\s*tcp\b|\btcp (?:and|und|et|y|e|en|i|a|och|og) udp\b|\b(?:proto(?:col)?|protokoll|protocole|protocolo)[ :=]+(?:both|any|all|beide|alle)\b`)
	fromShape   = regexp.MustCompile(`(?i)\b(?:from|src|source|remote|only|von|nur|de|da|desde|allow)\b[ =:]*(\d+\.\d+\.\d+\.\d+(?:/\d+)?)`)
	anyoneShape = regexp.MustCompile(`(?i)\b(?:from|src|source|von|de|da|desde)[ =:]+(?:any|all|anyone|anywhere|everyone|alle|tous|toutes|todos|tutti|\*)(?:\s|$)`)
	saidShape   = regexp.MustCompile(`'([^']*)'|"([^"]*)"`)
	deniedShape = regexp.MustCompile(`(?i)~~|\b(?:not|never|don't|no longer|nicht|kein\w*|niet|pas|nunca|nigdy|instead of|was)\b`)
	offShape    = regexp.MustCompile(`(?i)^\s*(?:#|;|//|!)|\b(?:disabled|off|inactive|inaktiv|désactivé|deaktiviert|paused)\b`)
)

// longestCalled is how long the name of a forward behind its address may be, in bytes.
const longestCalled = 80

// sendsOn passes a line that tells by signs and words where a port goes.
func sendsOn(l line) bool {
	if len(l.macs) > 0 || len(l.text) > 400 || strings.Count(l.text, ".") < 3 || !mayPoint(l) || siteRecord(l) {
		return false
	}
	if protoShape.MatchString(l.text) && staticShape.MatchString(l.text) || strings.Contains(l.text, "DNAT") && listedShape.MatchString(l.text) {
		return true
	}
	text, _ := senderIn(forth(l.text))
	at := targetShape.FindStringIndex(text)
	return at != nil && pointed(text[:at[0]]) != nil && (cuttingOf(l) == uncut || protoShape.MatchString(text))
}

// pointers are words that point to where a port goes.
var pointers = map[string]bool{"to": true, "an": true, "auf": true, "nach": true, "zu": true, "vers": true, "à": true, "a": true, "al": true, "alla": true, "hacia": true, "para": true, "naar": true, "do": true, "na": true, "till": true, "til": true, "к": true, "на": true}

// mayPoint is a cheap look for what sendsOn looks for.
func mayPoint(l line) bool {
	if strings.ContainsAny(l.text, "><→←⇒⇐⟶➔»") || strings.Contains(l.text, "DNAT") {
		return true
	}
	return slices.ContainsFunc(l.fields, func(w string) bool {
		return len(w) < 10 && (strings.EqualFold(w, "tcp") || strings.EqualFold(w, "udp") || pointers[strings.ToLower(w)] || strings.HasSuffix(w, "-to"))
	})
}

// forth turns a line around whose arrow points back.
func forth(text string) string {
	if m := backShape.FindStringSubmatch(text); m != nil {
		return m[2] + " -> " + m[1]
	}
	return text
}

// pointed finds the ports in what stands before an address, with a sign or word that points
// between the two; nil where there are none.
func pointed(text string) []int {
	all := portsShape.FindAllStringIndex(text, -1)
	if len(all) == 0 || !pointerSign.MatchString(text[all[len(all)-1][1]:]) {
		return nil
	}
	return all[len(all)-1]
}

// forwardLines takes out of lines those that tell where a port goes, with the lines of their
// blocks: what the forward is called, its protocol, whether it is on.
func (r *reader) forwardLines(lines []line) (left []line) {
	lines = withTargets(lines)
	if !slices.ContainsFunc(lines, func(l line) bool { return l.forward }) {
		return lines
	}
	off := false // a title says so of all below it
	for i := 0; i < len(lines); {
		end, sent := i+1, 0
		for end < len(lines) && !lines[end].after && lines[end].number == lines[end-1].number+1 {
			end++
		}
		block := lines[i:end]
		i = end
		for _, l := range block {
			if l.forward {
				sent++
			}
		}
		if title := block[0]; !title.forward && len(title.fields) < 4 && (sent == 0 && len(block) == 1 || sent > 1 && !stated(block[1:])) {
			off = grid.Switch(strings.TrimRight(strings.TrimSpace(title.text), ":")) < 0
			if off && sent > 1 {
				block = block[1:]
			}
		}
		if sent == 1 && len(block) > 1 && len(block) < 9 && !slices.ContainsFunc(block, func(l line) bool { return !l.forward && len(l.macs)+len(l.addrs) > 0 }) {
			if f, ok := forwardIn(block); ok {
				f.Enabled = f.Enabled && !off
				r.sent(f, block)
				continue
			}
			if !protoShape.MatchString(block[slices.IndexFunc(block, func(l line) bool { return l.forward })].text) {
				r.giveUp(block)
				continue
			}
		}
		left = r.sentAmong(block, off, left)
	}
	return left
}

// portsToPorts is a line of a card that says from which ports to which, and of which protocol.
var portsToPorts = regexp.MustCompile(`(?i)^(tcp\s*[/+&]\s*udp|udp\s*[/+&]\s*tcp|tcp|udp|both)[\s·:|,•-]+(` + portsPattern + `)\s*(?:->|→|=>|➔|to)\s*(` + portsPattern + `)$`)

// withTargets joins the lines of cards of which one says from which ports to which, and another the
// address alone.
func withTargets(lines []line) []line {
	var out []line
	for i := 0; i < len(lines); {
		end := i + 1
		for end < len(lines) && !lines[end].after && lines[end].number == lines[end-1].number+1 {
			end++
		}
		ports, target := -1, -1
		for k := i; k < end && end-i < 9; k++ {
			text := strings.TrimSpace(lines[k].text)
			switch {
			case portsToPorts.MatchString(text):
				ports = k
			case len(lines[k].addrs) == 1 && isAddr(text):
				target = k
			}
		}
		if ports >= 0 && target >= 0 {
			m := portsToPorts.FindStringSubmatch(strings.TrimSpace(lines[ports].text))
			l := scan(lines[ports].number, m[1]+" "+m[2]+" -> "+strings.TrimSpace(lines[target].text)+":"+m[3])
			l.after, l.forward = lines[ports].after, true
			lines[ports] = l
			for k := target; k+1 < end; k++ { // the lines stay numbered in a row
				number := lines[k].number
				lines[k] = lines[k+1]
				lines[k].number = number
			}
			out = append(out, lines[i:end-1]...)
		} else {
			out = append(out, lines[i:end]...)
		}
		i = end
	}
	return out
}

// stated reports whether some line of a block only says on or off.
func stated(block []line) bool {
	return slices.ContainsFunc(block, func(l line) bool { return !l.forward && grid.Switch(strings.TrimSpace(l.text)) != 0 })
}

// sentAmong reads the forwards of a block one by one; off says that a title puts them off. The line below one may say whether it is on,
// the line above what it is called; a short line below of which nobody knows what it says leaves the
// forward out. The other lines go to those that are left.
func (r *reader) sentAmong(block []line, off bool, left []line) []line {
	name, taken := -1, -1 // lines that say what the next is called, and whether the last is on
	sent := 0
	for _, l := range block {
		if l.forward {
			sent++
		}
	}
	unclear := len(block) > 1 && stated(block[:1]) && stated(block[1:]) // each may be of the line above, or below
	for k, l := range block {
		sends := func(k int) bool { return k < len(block) && block[k].forward }
		switch {
		case k == taken:
		case !l.forward && sends(k+1) && sent > 1 && len(l.fields) > 3 && !strings.ContainsFunc(l.text, isDigit): // headings
		case !l.forward && sends(k+1) && len(l.addrs)+len(l.macs) == 0 && len(l.fields) < 6 && strings.ContainsFunc(l.text, unicode.IsLetter):
			name = k
		case !l.forward:
			left = append(left, l)
		default:
			f, ok := forwardIn(block[k : k+1])
			if name >= 0 {
				if ok && f.Name == "" {
					f.Name = strings.TrimSpace(block[name].text)
				} else {
					left = append(left, block[name])
				}
				name = -1
			}
			if k+1 < len(block) && !sends(k+1) && !aside(block[k+1]) {
				if on := grid.Switch(strings.TrimSpace(block[k+1].text)); on != 0 {
					f.Enabled, taken = on > 0, k+1
				} else if !sends(k + 2) { // else it may be what the next one is called
					ok = false
				}
			}
			if f.Enabled = f.Enabled && !off; ok && !unclear {
				r.sent(f, block[k:k+1])
			} else {
				r.unread(l)
			}
		}
	}
	return left
}

// aside passes a line below a forward that does not say whether it is on: a sentence, or what is of
// something else.
func aside(l line) bool { return len(l.fields) > 2 || len(l.addrs)+len(l.macs) > 0 }

func (r *reader) sent(f ForwardLine, block []line) {
	f.Source = r.source
	at := slices.IndexFunc(block, func(l line) bool { return l.forward })
	f.Line = r.lineOf(block[at].number)
	r.out.Forwards, r.out.Forwarding = append(r.out.Forwards, f), true
}

// forwardIn reads the lines of one forward.
func forwardIn(block []line) (f ForwardLine, ok bool) {
	f.From, f.Enabled = []string{}, true
	at := slices.IndexFunc(block, func(l line) bool { return l.forward })
	text := forth(block[at].text)
	if f.Enabled = !offShape.MatchString(text); deniedShape.MatchString(text) {
		return f, false
	}
	proto := text
	known := false
	for k, l := range block {
		if k == at {
			continue
		}
		for _, part := range strings.FieldsFunc(strings.ReplaceAll(l.text, "  ", "\t"), func(c rune) bool { return c == '\t' || c == '·' || c == '|' || c == '•' || c == ';' }) {
			part = strings.TrimSpace(part)
			label, value := labelOf(part)
			on := grid.Switch(value)
			switch {
			case part == "" || grid.IsAction(part):
			case protoShape.MatchString(part) && len(strings.Fields(protoShape.ReplaceAllString(part, ""))) < 3:
				proto += " " + part
			case on != 0 && (label == "" && !known || slices.Contains(headingOf(label), grid.Enabled) || slices.Contains(headingOf(label), grid.State)):
				f.Enabled, known = on > 0, true
			case label != "" && headingOf(label) != nil && !grid.Portlike(label) && !slices.Contains(headingOf(label), grid.Sender) && !slices.Contains(headingOf(label), grid.Enabled) && !slices.Contains(headingOf(label), grid.State): // of something else
			case k < at && f.Name == "" && label == "":
				f.Name = part
			case strings.Count(part, " ") > 1 && !strings.ContainsFunc(part, isDigit):
			default:
				return f, false // it may say that it is off, or for whom it is
			}
		}
	}
	if f.Protocol = spokenIn(proto); f.Protocol == "" && !listedShape.MatchString(text) {
		return f, false
	}
	outside, address, inside, fits := f.parts(text)
	if !fits {
		return f, false
	}
	if f.Address, ok = addrWord(address); !ok || !f.Address.IsPrivate() {
		return f, false
	}
	return f, f.pair(outside, inside)
}

// parts takes the line of a forward apart, with its name and who may connect.
func (f *ForwardLine) parts(text string) (outside, address, inside string, ok bool) {
	if m := listedShape.FindStringSubmatch(text); m != nil {
		words := strings.Fields(m[2]) // in, out, source, destination
		if len(words) < 2 {
			return "", "", "", false
		}
		f.Protocol, f.Name = protocolOf(m[1]), m[5]
		if from := words[len(words)-2]; from != "0.0.0.0/0" && from != "anywhere" {
			f.From = append(f.From, from)
		}
		return m[3] + m[4], m[6], m[7], f.Protocol != ""
	}
	text, from := senderIn(text)
	f.From = append(f.From, from...)
	said := false
	for _, m := range saidShape.FindAllStringSubmatch(text, -1) {
		switch word := m[1] + m[2]; {
		case word == "":
		case isAddr(word) || strings.Count(word, ".") == 3 && strings.Contains(word, "/"):
			f.From = append(f.From, word)
		case f.Name == "" || !said:
			f.Name = word
		}
		said = true
	}
	text = saidShape.ReplaceAllString(text, " \" ")
	if m := asideShape.FindStringSubmatch(text); m != nil && !strings.Contains(m[0], ".") && len(portsShape.FindAllString(m[0], -1)) == 0 {
		if f.Name == "" && !protoShape.MatchString(m[0]) && grid.Switch(strings.TrimSpace(m[1]+m[2])) == 0 {
			f.Name = strings.TrimSpace(m[1] + m[2])
		}
		text = strings.Replace(text, m[0], " ", 1)
	}
	if m := calledShape.FindStringSubmatch(text); m != nil && !protoShape.MatchString(m[1]) && !grid.Portlike(m[1]) {
		if f.Name == "" && !grid.Known(m[1]) {
			f.Name = strings.TrimSpace(m[1])
		}
		text = text[len(m[0]):]
	}
	if m := targetShape.FindStringSubmatchIndex(text); m != nil && pointed(text[:m[0]]) != nil {
		if m[4] >= 0 {
			inside = text[m[4]:m[5]]
		}
		before, after := text[:m[0]], text[m[1]:]
		if n := entryNumber.FindString(before); n != "" && len(portsShape.FindAllString(before, -1)) == 2 {
			before = before[len(n):]
		}
		at := pointed(before)
		outside = before[at[0]:at[1]]
		rest := before[:at[0]] + " " + before[at[1]:]
		if in := thereShape.FindStringSubmatchIndex(after); in != nil && inside == "" {
			inside = after[in[2]:in[3]]
			after = after[in[3]:]
		} else if in := bareInside.FindStringSubmatchIndex(after); in != nil && inside == "" {
			inside = after[in[2]:in[3]]
			after = after[in[3]:]
		}
		if m := behindShape.FindStringSubmatch(strings.TrimSpace(protoShape.ReplaceAllString(after, "  "))); m != nil && len(m[1]) <= longestCalled && f.Name == "" && grid.Switch(m[1]) == 0 && !grid.Known(m[1]) {
			f.Name = m[1]
		}
		if said { // behind what is in quotes programs write for how long
			after, _, _ = strings.Cut(after, `"`)
		}
		return outside, text[m[2]:m[3]], inside, !strings.ContainsFunc(rest+after, isDigit)
	}
	if m := staticShape.FindStringSubmatch(text); m != nil {
		return m[4], m[2], m[3], !targetShape.MatchString(strings.Replace(text, m[0], "", 1))
	}
	return "", "", "", false
}

// pair sets the ports of both sides; false where they do not go together.
func (f *ForwardLine) pair(outside, inside string) bool {
	plain := strings.NewReplacer(":*", "", " ", "", ":", "-", "–", "-")
	var err error
	if f.Outside, err = span.ParsePorts(plain.Replace(outside)); err != nil {
		return false
	}
	f.Inside = f.Outside
	if inside != "" {
		if f.Inside, err = span.ParsePorts(plain.Replace(inside)); err != nil {
			return false
		}
	}
	if one, single := f.Inside.Single(); single && f.Outside.Len() > 1 {
		f.Inside = span.PortList(span.Run{Lo: uint32(one), Hi: uint32(one + f.Outside.Len() - 1)})
	}
	return f.Inside.Len() == f.Outside.Len()
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
