package grid

import (
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"vestpin/core/site"
	"vestpin/core/span"
)

// assignPorts finds the columns of a list of port forwards. A heading is a hint, and what the
// columns hold is another: outside ports of one protocol hardly repeat, those inside do; the
// ports of services that devices have are inside; the column beside the target is inside. Where
// the hints for one way and for the other are close, it gives a question.
func assignPorts(columns []column, roles []Role, sure bool) []Question {
	if !sure && slices.ContainsFunc(columns, column.otherWays) && !slices.ContainsFunc(columns, func(c column) bool { return c.side != 0 }) {
		return nil
	}
	likely := sure
	for i, c := range columns {
		if roles[i] != None && roles[i] != Range && roles[i] != Network || c.filled == 0 {
			continue
		}
		switch {
		case c.ownPorts():
			roles[i] = Outside
			likely = true
		case c.says(Sender) && !c.porty():
			roles[i] = Sender
		case roles[i] != None:
		case c.share(isProtocolPort) > 0.5 && c.side < 0 && slices.ContainsFunc(columns, func(o column) bool { return o.share(isProtocolPort) > 0.5 && o.side >= 0 }):
			roles[i] = Inside
			likely = true
		case c.share(isProtocolPort) > 0.5:
			roles[i] = Service
			likely = true
		case c.exact && c.says(Protocol) && !c.says(Name, DeviceName) && c.count(isText) == c.filled:
			roles[i] = Protocol // whatever its words are, they are no forward of both
			likely = true
		case !c.says(Name, DeviceName) && (c.says(Protocol) && c.share(isProtocol)+float64(c.transports) > 0 || c.transports > 0 && (c.share(isProtocol) > 0.6 || c.share(isProtocol) >= 0.5 && c.distinct <= 4 || both(c) != "")):
			roles[i] = Protocol
			likely = true
		case c.says(Outside, Inside, Port) && c.porty():
			likely = true
		}
	}
	if !likely {
		return nil
	}
	for i, c := range columns { // a limit on who may connect must never be lost
		if (roles[i] == None || roles[i] == Range || roles[i] == Network) && c.sends() {
			roles[i] = Sender
		}
	}
	for _, may := range []func(column) bool{column.switches, column.maySwitch} {
		for i, c := range columns {
			if !slices.Contains(roles, Enabled) && roles[i] == None && (c.filled > 0 || c.says(Enabled)) && may(c) && !onlyName(columns, roles, i) {
				roles[i] = Enabled
			}
		}
	}
	var ports []int
	for i, c := range columns {
		switch {
		case roles[i] == None && c.says(PortCount) && c.share(isNumber|isNothing) == 1:
			roles[i] = PortCount
		case roles[i] != None || !c.porty() || c.says(Figure) && !c.says(Port, Outside, Inside), (c.counts || c.tiny > 0.5) && !c.says(Port, Outside, Inside):
		case c.says(OutsideEnd):
			roles[i] = OutsideEnd
		case c.says(InsideEnd):
			roles[i] = InsideEnd
		default:
			ports = append(ports, i)
		}
	}
	var asked []Question
	if at := slices.Index(roles, PortCount); at >= 0 && !slices.ContainsFunc(ports, func(i int) bool { return columns[i].end < 0 }) && slices.ContainsFunc(columns[at].numbers, func(n int) bool { return n > 1 }) {
		roles[at] = Figure // it may count ports or what came through them
		asked = append(asked, Question{Columns: []int{at}, Roles: [][]Role{{PortCount}, {Figure}}})
	}
	ports, ends := runsOf(columns, ports)
	name := func(at int, start, end Role) {
		roles[at] = start
		if e, ok := ends[at]; ok {
			roles[e] = end
		}
	}
	if slices.Contains(roles, Outside) {
		if len(ports) == 1 {
			name(ports[0], Inside, InsideEnd)
		}
		return asked
	}
	if len(ports) == 1 {
		name(ports[0], Outside, OutsideEnd)
		if c := columns[ports[0]]; c.side < 0 {
			name(ports[0], Inside, InsideEnd)
		} else if c.side == 0 && c.says(Port) && !slices.Contains(roles, OutsideEnd) {
			roles[ports[0]] = Port
		}
		return asked
	}
	target := slices.IndexFunc(roles, func(r Role) bool { return r == Target || r == Address || r == ReservedAddr })
	out, in, most := -1, -1, -1e9
	for _, o := range ports {
		for _, i := range ports {
			if w := pairWorth(columns, o, i, target); o != i && w > most {
				out, in, most = o, i, w
			}
		}
	}
	if out < 0 {
		return asked
	}
	name(out, Outside, OutsideEnd)
	name(in, Inside, InsideEnd)
	back := pairWorth(columns, in, out, target)
	if most-back < 0.7 && !slices.Equal(columns[out].texts, columns[in].texts) {
		q := Question{Columns: []int{out, in}, Roles: [][]Role{{Outside, Inside}, {Inside, Outside}}}
		if e, ok := ends[out]; ok {
			q.Columns, q.Roles[0], q.Roles[1] = append(q.Columns, e), append(q.Roles[0], OutsideEnd), append(q.Roles[1], InsideEnd)
		}
		if e, ok := ends[in]; ok {
			q.Columns, q.Roles[0], q.Roles[1] = append(q.Columns, e), append(q.Roles[0], InsideEnd), append(q.Roles[1], OutsideEnd)
		}
		return append(asked, q)
	}
	return asked
}

// onlyName reports whether a column of words of which none is known, each another, is the only one that
// could name the lines.
func onlyName(columns []column, roles []Role, at int) bool {
	c := columns[at]
	if c.says(Enabled, State) || c.distinct < c.filled || c.filled < 2 || slices.ContainsFunc(c.texts, func(t string) bool { return Switch(t) != 0 }) {
		return false
	}
	for i, o := range columns {
		if i != at && roles[i] == None && nameWorth(o, o.headed) > 0 && o.count(isText) > 0 {
			return false
		}
	}
	return true
}

// runsOf finds columns that hold the first and the last port of ranges beside each other, and
// gives the others; three or four columns of ports are that.
func runsOf(columns []column, ports []int) ([]int, map[int]int) {
	rising := func(a, b int) bool {
		x, y := columns[a], columns[b]
		if b != a+1 || x.says(OutsideEnd, InsideEnd) || x.side*y.side < 0 || len(x.numbers) != len(y.numbers) {
			return false
		}
		above := 0
		for k := range x.numbers {
			if y.numbers[k] < x.numbers[k] || y.numbers[k] == 0 {
				return false
			}
			if y.numbers[k] > x.numbers[k] {
				above++
			}
		}
		return above < len(x.numbers) || x.side != 0 || len(ports) == 4 || x.end < 0
	}
	var left []int
	ends := map[int]int{}
	for k := 0; k < len(ports); k++ {
		left = append(left, ports[k])
		if k+1 == len(ports) || len(ports) < 3 && !(columns[ports[k]].end < 0 && columns[ports[k+1]].end > 0) || !rising(ports[k], ports[k+1]) {
			continue
		}
		ends[ports[k]] = ports[k+1]
		k++
	}
	return left, ends
}

// pairWorth is how much speaks for one column being the ports outside and another those inside.
func pairWorth(columns []column, out, in, target int) float64 {
	o, i := columns[out], columns[in]
	w := 2*(o.side-i.side) + 1.5*(i.usual()-o.usual()) + 2*(i.repeated-o.repeated)
	if target >= 0 {
		beside := func(c int) float64 {
			if c-target == 1 || target-c == 1 {
				return 0.4
			}
			return 0
		}
		w += beside(in) - beside(out)
	}
	if out < in {
		w += 0.2
	}
	if o.says(Port, Outside, Inside) && i.says(Port, Outside, Inside) {
		w += 1 // rather these than figures of another kind
	}
	for k := range min(len(o.numbers), len(i.numbers)) {
		if o.numbers[k] > i.numbers[k] {
			w += 0.5 / float64(len(o.numbers))
		}
	}
	return w
}

// The words with which headings part the first of a range from the last.
var (
	firstWord = regexp.MustCompile(`(?i)\b(?:start\w*|first|begin\w*|from|low\w*|von|anfang\w*|erste\w*|d[ée]but|premi[eè]re|inicio|inicial|primera|inizio|iniziale|eerste|pocz[aą]tk\w*|od|f[öo]rsta|alku\w*|kezd\w*|[iî]nceput\w*|zač[aá]t\w*|zacat\w*|prvn[ií]|pirm\w*|algus\w*|prad\w*|fr[åa]n|ba[sş]lang\w*|начал\w*)\b`)
	lastWord  = regexp.MustCompile(`(?i)\b(?:end(?:ing|s|addr\w*|ip|port|adr\w*)?|last|to|until|stop|high\w*|bis|ende?|letzte\w*|fin|derni[eè]re|final|[uú]ltima|fine|finale|laatste|eind\w*|ko[nń]c\w*|konec\w*|slut\w*|sl[uo]tt\w*|loppu\w*|z[aá]r[oó]\w*|v[eé]g\w*|sf[aâ]r[sșş]it\w*|posledn[ií]|l[oõ]pp\w*|pabaig\w*|beig\w*|do|sista|till|biti[sş]|конеч\w*)\b`)
)

// The same where no blanks part words, and in other letters.
var (
	firstPart = regexp.MustCompile(`시작|起始|开始|開始|始点|αρχ|ΑΡΧ|почат|Почат|начал|Начал`)
	lastPart  = regexp.MustCompile(`끝|종료|结束|終了|結束|τέλ|ΤΕΛ|Τέλ|кінц|кінец|Кінц|конеч|Конеч`)
)

// EndOf says of which end of a range a heading speaks: below zero the first, above the last.
func EndOf(head string) int {
	head = spreadCamel(head)
	switch first, last := firstWord.MatchString(head) || firstPart.MatchString(head), lastWord.MatchString(head) || lastPart.MatchString(head); {
	case first && !last:
		return -1
	case last && !first:
		return 1
	}
	return 0
}

// otherWays reports whether a column of protocols names none with ports to forward: how devices are
// spoken to.
func (c column) otherWays() bool {
	return c.exact && c.says(Protocol) && c.filled > 1 && c.count(isText) == c.filled && c.transports == 0 && c.count(isProtocol) == 0
}

// porty reports whether a column may hold ports.
func (c column) porty() bool {
	return c.share(isNumber|isPorts|isNothing) > 0.6 && c.count(isNumber|isPorts) > 0
}

// otherRules reports whether a list with one column of ports is of a firewall or of a queue rather
// than of forwards: a column says what is done with packets, or how much.
func otherRules(columns []column, roles []Role, head []string) bool {
	if slices.Contains(roles, Inside) || slices.ContainsFunc(columns, func(c column) bool { return c.side > 0 }) {
		return false
	}
	for i, h := range head {
		folded := fold(h)
		if ruleHeads[folded] || columns[i].says(Action) && columns[i].filled > 0 && !slices.ContainsFunc(columns[i].texts, func(t string) bool { return Switch(t) == 0 }) {
			return true
		}
	}
	return false
}

// ruleHeads are headings of firewalls and queues.
var ruleHeads = map[string]bool{"chain": true, "priority": true, "queue": true, "class": true, "bandwidth": true, "limit": true, "dscp": true, "policy": true, "direction": true, "prioritat": true, "priorite": true, "prioridad": true, "priorita": true, "richtung": true}

// ownPorts reports whether a column holds one address out there, the router's own, each time with a
// port.
func (c column) ownPorts() bool {
	if c.private > 0 || c.share(isAddress) < 1 || c.says(Sender) {
		return false
	}
	first, _ := AddressIn(c.texts[0])
	return !slices.ContainsFunc(c.texts, func(t string) bool { a, ok := AddressIn(t); return !ok || a != first || portAfter(t) == "" })
}

// usual is the share of the ports of a column on which devices answer by themselves.
func (c column) usual() float64 {
	n := 0
	for _, p := range c.numbers {
		if usualPorts[p] {
			n++
		}
	}
	return float64(n) / float64(max(1, len(c.numbers)))
}

// usualPorts are the ports of services that devices have (IANA), as they come.
var usualPorts = func() map[int]bool {
	out := map[int]bool{}
	for _, p := range []int{20, 21, 22, 23, 25, 53, 80, 81, 88, 110, 123, 139, 143, 161, 389, 443, 445, 502, 515, 554, 587, 631, 993, 995, 1194, 1433, 1723, 1883, 3306, 3389, 5000, 5060, 5432, 5900, 8080, 8443, 8554, 9100, 51820} {
		out[p] = true
	}
	return out
}()

// switches reports whether a column says which lines are on: a few words, of which some are
// known for on or off, or a heading says so.
func (c column) switches() bool {
	if c.distinct > 3 || c.share(isMAC|isAddress|isNetwork) > 0 || c.says(Name, DeviceName, Protocol, Action) {
		return false
	}
	known := 0
	for _, t := range c.texts {
		if Switch(t) != 0 {
			known++
		}
	}
	if c.says(Enabled, State) || c.off {
		return true
	}
	if c.distinct == 2 && c.filled == c.rows && !c.headed && c.bits() {
		return true
	}
	if texts := c.values(); c.filled > 1 && c.filled == c.rows {
		if _, _, ok := opposites(texts); ok {
			return true // a word, and what turns it into its opposite before it
		}
	}
	return !c.says(Port, Outside, Inside, Figure, Time, Link, Kind, Place, Note, Service) && c.share(isNumber|isPorts) < 1 && known*10 >= c.filled*6
}

// bits reports whether a column holds 0 and 1 alone.
func (c column) bits() bool {
	return !slices.ContainsFunc(c.texts, func(t string) bool { return t != "0" && t != "1" })
}

// maySwitch reports whether a column of two words below a heading that nobody knows may say which
// lines are on.
func (c column) maySwitch() bool {
	if !c.headed || len(c.head) > 0 || c.distinct != 2 || c.filled < c.rows || c.rows < 2 {
		return false
	}
	if c.bits() {
		return true
	}
	known, longest := 0, 0
	for _, t := range c.values() {
		if strings.ContainsFunc(t, func(r rune) bool { return !unicode.IsLetter(r) }) || sortOf(t)&^(isText|isYes|isNo|isState) != 0 {
			return false
		}
		if Switch(t) != 0 {
			known++
		}
		longest = max(longest, utf8.RuneCountInString(t))
	}
	return known > 0 || longest < 5 || c.rows > 2
}

// values are the different texts of a column of a few.
func (c column) values() (out []string) {
	for _, t := range c.texts {
		if !slices.Contains(out, t) {
			out = append(out, t)
		}
		if len(out) > 3 {
			break
		}
	}
	return out
}

// sends reports whether a column says who may connect: mostly anyone, and some address or
// network.
func (c column) sends() bool {
	if c.says(Gateway, DNS, Version, Password, Mask) || c.side > 0 || c.part {
		return false
	}
	if c.share(isAddress|isNetwork) > 0.9 && c.private == 0 {
		return true // out there, and not the router's own outside
	}
	any := 0
	for _, t := range c.texts {
		if sortOf(t)&(isNothing|isProtocol) != 0 {
			any++
		}
	}
	return c.share(isAddress|isNetwork) > 0 && any > 0 && c.share(isAddress|isNetwork)+float64(any)/float64(c.filled) > 0.9
}

// Switch says whether a cell means on, 1, or off, -1; 0 is not known.
func Switch(text string) int {
	of := func(s sort) int {
		switch {
		case s&isYes != 0:
			return 1
		case s&isNo != 0:
			return -1
		}
		return 0
	}
	folded := fold(text)
	if v := of(known().cells[folded] | known().cells[strings.TrimRight(folded, ".")]); v != 0 {
		return v
	}
	sum := 0
	for _, w := range strings.FieldsFunc(folded, func(c rune) bool { return c == ' ' || c == '/' || c == ',' || c == ';' || c == '(' || c == ')' }) {
		if v := of(known().cells[w]); v != 0 {
			if sum*v < 0 {
				return 0
			}
			sum = v
		}
	}
	return sum
}

// switches is what the cells of a column mean that says which lines are on.
type switches struct {
	is      map[string]bool // by what a cell says
	unknown []string        // what nobody knows
	off     bool            // the column says what is off
	blank   bool            // what is on has nothing there
	chosen  bool            // a person said what means on; all else is off
}

// switchesOf says of each text in a column whether it is on: where one of two is known, the
// other is its opposite. A blank is on where the others say off, as a column of what is off has
// it, and off beside ticks.
func switchesOf(c column) switches {
	s := switches{is: map[string]bool{}, off: c.off}
	if c.headed && len(c.head) == 0 && !c.off && c.bits() {
		s.unknown = c.values() // figures below a heading that nobody knows may say anything
		return s
	}
	seen := map[bool]bool{}
	circled := ringed(c.texts)
	for _, t := range c.texts {
		if v := Switch(t); circled && strings.Contains("○〇◯◎", t) {
			s.is[t] = !s.off
			seen[!s.off] = true
		} else if v != 0 {
			s.is[t] = (v > 0) != s.off
			seen[s.is[t]] = true
		} else if !slices.Contains(s.unknown, t) {
			s.unknown = append(s.unknown, t)
		}
	}
	if len(s.unknown) == 1 && len(seen) == 1 && c.filled == c.rows {
		s.is[s.unknown[0]], s.unknown = seen[false], nil
	}
	if off, on, ok := opposites(s.unknown); ok && len(seen) == 0 {
		s.is, s.unknown = map[string]bool{on: !c.off, off: c.off}, nil
		seen[true] = true
	}
	if s.blank = !seen[true]; c.filled == 0 {
		s.unknown = []string{""} // pictures say it, which are not here
	}
	return s
}

// ringed reports whether a ring means yes, as it does beside a cross in Japan and Korea; beside a
// disc it is what is not filled.
func ringed(texts []string) bool {
	cross, ring := false, false
	for _, t := range texts {
		cross = cross || strings.Contains("×✕✖✗✘xX", t)
		ring = ring || strings.Contains("○〇◯◎", t)
		if !strings.Contains("×✕✖✗✘xX○〇◯◎△-－", t) {
			return false
		}
	}
	return cross && ring
}

// opposites finds of two texts the one that is the other with a word or a beginning before it,
// or behind it, that turns it into its opposite.
func opposites(texts []string) (not, plain string, ok bool) {
	if len(texts) != 2 {
		return "", "", false
	}
	not, plain = texts[0], texts[1]
	if len(not) < len(plain) {
		not, plain = plain, not
	}
	long, short := fold(not), fold(plain)
	rest, found := strings.CutSuffix(long, short)
	if !found {
		rest, found = strings.CutPrefix(long, short)
	}
	return not, plain, found && short != "" && known().nots[strings.TrimSpace(rest)]
}

// on reports whether a cell means that its line is on, and whether that is known.
func (s switches) on(text string) (is, sure bool) {
	is, said := s.is[text]
	switch {
	case said || s.chosen:
		return is, true
	case text == "" && !slices.Contains(s.unknown, ""):
		return s.blank, true
	}
	if slices.Contains(s.unknown, text) {
		return false, false
	}
	v := Switch(text) // of a list whose columns were judged by some of its rows
	return (v > 0) != s.off, v != 0
}

// both finds the word for TCP and UDP in a column of protocols: the only one beside them that
// nobody knows, since the two are called so in every language.
func both(c column) string {
	other, known := "", false
	for _, t := range c.texts {
		switch p, ok := protocolIn(t); {
		case ok:
			known = known || p != site.Both
		case other != "" && other != t, otherProtocols[fold(t)], sortOf(t) != isText:
			return ""
		default:
			other = t
		}
	}
	if !known {
		return ""
	}
	return other
}

// otherProtocols are those that have no ports, or ports of their own (IANA).
var otherProtocols = map[string]bool{"icmp": true, "icmpv6": true, "igmp": true, "gre": true, "esp": true, "ah": true, "ipip": true, "ip": true, "ipv6": true, "sctp": true, "dccp": true, "udplite": true, "ospf": true, "vrrp": true, "pim": true, "l2tp": true, "other": true}

// Forward is what a row says of a port forward: one line of a router's page as it stands.
type Forward struct {
	Line            int
	Name            string
	Protocol        site.Protocol
	Outside, Inside span.Ports
	Address         netip.Addr
	From            []string
	Enabled         bool
}

// Forward gives what a row says of a port forward; false where it is none that can be
// understood.
func (r Reading) Forward(row Row) (Forward, bool) {
	f := Forward{Line: row.Line, Protocol: site.Both, Enabled: true}
	text := map[Role]string{}
	for c, role := range r.Roles {
		t := strings.TrimSpace(r.splits[c].cell(row))
		if role == Service && text[role] != "" && protocolPort.MatchString(t) && !protocolPort.MatchString(text[role]) {
			text[Note], text[role] = text[role], t // what it is called stands apart from its ports
		}
		if t != "" && text[role] == "" {
			text[role] = t
		}
	}
	if m := sourceTail.FindStringSubmatch(text[Service]); m != nil && protocolPort.MatchString(strings.TrimSuffix(text[Service], m[0])) {
		text[Service] = strings.TrimSuffix(text[Service], m[0])
		f.From = append(f.From, m[1])
	}
	to := text[Target]
	if to == "" {
		to = text[Address] + text[ReservedAddr]
	}
	var ok bool
	if f.Address, ok = AddressIn(to); !ok {
		return f, false
	}
	if m := behindTarget.FindStringSubmatch(to); m != nil && text[Inside] == "" {
		text[Inside], to = m[1], strings.TrimSuffix(to, m[0])
	}
	names := []Role{Name, DeviceName, Note, Service}
	if at := slices.Index(r.Roles, Name); at >= 0 && r.splits[at].part == isText {
		names = []Role{Service, Name, DeviceName, Note} // the name beside an address is the device's
	}
	if r.numbered {
		names = []Role{Note, Service, Name, DeviceName}
	}
	for _, role := range names {
		if f.Name == "" && (role != Service || !protocolPort.MatchString(text[role])) {
			f.Name = text[role]
		}
	}
	if sortOf(f.Name)&isNothing != 0 {
		f.Name = ""
	}
	if m := saidName.FindStringSubmatch(f.Name); m != nil {
		f.Name = m[1]
	}
	if m := saidState.FindStringSubmatch(f.Name); m != nil && Switch(m[1]+m[4]) < 0 {
		f.Name, f.Enabled = strings.TrimSpace(m[2]+m[3]), false
	}
	if p, ok := protocolIn(text[Protocol]); ok {
		f.Protocol = p
	} else if text[Protocol] != "" && text[Protocol] != r.both {
		return f, false
	}
	if m := namedPort.FindStringSubmatch(f.Name); m != nil && text[Protocol] == "" && text[Inside] == "" {
		f.Protocol, _ = protocolIn(m[1])
		text[Inside] = m[2]
	} else if text[Protocol] == "" && namedProtocol.MatchString(f.Name) {
		return f, false // it may be for that alone
	}
	outside, inside := text[Outside], text[Inside]
	if _, ok := AddressIn(outside); ok {
		outside = portAfter(outside)
	}
	if text[OutsideEnd] != "" && outside != "" && text[OutsideEnd] != outside {
		outside += "-" + text[OutsideEnd]
	}
	if n, err := strconv.Atoi(text[PortCount]); err == nil && n > 1 {
		first, err := strconv.Atoi(outside)
		if err != nil {
			return f, false
		}
		outside += "-" + strconv.Itoa(first+n-1)
	}
	if text[InsideEnd] != "" && inside != "" && text[InsideEnd] != inside {
		inside += "-" + text[InsideEnd]
	}
	if outside == "" {
		outside = text[Port]
	} else if inside == "" {
		inside = text[Port]
	}
	if s, ok := r.Services[fold(text[Service])]; ok && text[Service] != "" {
		f.Protocol = s.Protocol
		if inside == "" {
			inside = s.Ports
		}
		if outside == "" || same.MatchString(outside) {
			outside = s.Ports
		}
	}
	if m := protocolPort.FindStringSubmatch(text[Service]); m != nil {
		if p, ok := protocolIn(m[1] + m[4]); ok {
			f.Protocol = p
		}
		if outside == "" {
			outside = m[2] + m[3]
		}
	}
	if outside == "" {
		outside = inside
	}
	if inside == "" {
		inside = portAfter(to)
	}
	if outside == "" {
		outside = inside
	}
	if f.Outside, ok = ports(outside); !ok {
		return f, false
	}
	f.Inside = f.Outside
	if inside != "" && sortOf(inside)&isNothing == 0 {
		if f.Inside, ok = ports(inside); !ok {
			return f, false
		}
		if one, single := f.Inside.Single(); single && f.Outside.Len() > 1 {
			f.Inside = span.PortList(span.Run{Lo: uint32(one), Hi: uint32(one + f.Outside.Len() - 1)})
		}
	}
	for c, role := range r.Roles {
		if r.splits[c].part != 0 && role == Network && r.splits[c].cell(row) != "" {
			return f, false // further networks, of which nobody knows whether they alone are let in
		}
		if role != Sender {
			continue
		}
		from, known := sendersIn(strings.TrimSpace(r.splits[c].cell(row)))
		if !known {
			return f, false // whom it lets in nobody knows
		}
		f.From = append(f.From, from...)
	}
	if slices.Contains(r.Roles, Enabled) {
		var sure bool
		if f.Enabled, sure = r.on.on(text[Enabled]); !sure {
			return f, false
		}
	} else if Switch(text[State]) < 0 {
		f.Enabled = false
	}
	return f, true
}

// saidName is a name in quotes behind the word for what it is: Rule "rec".
var saidName = regexp.MustCompile(`^[\pL-]+ ["“]([^"”]+)["”]$`)

// saidState is a name with a remark in brackets before or behind it: "(off) phones".
var saidState = regexp.MustCompile(`^(?:[(\[]([\pL ]+)[)\]]\s*(.*)|(.*?)\s*[(\[]([\pL ]+)[)\]])$`)

// behindTarget is the port on the device behind its address: "10.0.0.2 port 80", "10.0.0.2 TCP:80".
var behindTarget = regexp.MustCompile(`(?i)[\s,]+(?:ports?|tcp|udp|tcp/udp)[ :/.]*(\d{1,5}(?:-\d{1,5})?)$`)

// sourceTail is a limit on who may connect behind a protocol and its ports.
var sourceTail = regexp.MustCompile(`(?i)\s+(?:from|src|source)[ :=]*(\d[\d./]*)$`)

// same are words for ports outside that are those of the service.
var same = regexp.MustCompile(`(?i)^(?:same|as service|default|=|\(same\)|gleich|identique|igual|uguale|zelfde)$`)

// ServiceDef is what another list of a page says that a name stands for.
type ServiceDef struct {
	Protocol site.Protocol
	Ports    string
}

// ServicesOf gives the services that a list defines by name, protocol and ports; none where it is
// of something else.
func (r Reading) ServicesOf(rows []Row) map[string]ServiceDef {
	if r.Is != OfNothing || slices.ContainsFunc(r.Roles, func(o Role) bool { return o == Address || o == MAC || o == Target }) {
		return nil
	}
	out := map[string]ServiceDef{}
	for _, row := range rows {
		s, name := ServiceDef{}, ""
		for c, role := range r.Roles {
			text := strings.TrimSpace(r.splits[c].cell(row))
			switch role {
			case Name, DeviceName:
				name = fold(text)
			case Protocol:
				s.Protocol, _ = protocolIn(text)
			case Outside, Inside, Port:
				s.Ports = text
			}
		}
		if _, ok := ports(s.Ports); ok && name != "" && s.Protocol != "" {
			out[name] = s
		}
	}
	return out
}

// What a name says of the port that it is for: "page (TCP 80)".
var (
	namedPort     = regexp.MustCompile(`(?i)\((tcp|udp)[ /:]?(\d{1,5})\)\s*$`)
	namedProtocol = regexp.MustCompile(`(?i)\b(?:tcp|udp)\b`)
)

// sendersIn reads who may connect: addresses, networks and ranges; none for anybody. Not known is
// a word that could be the name of some.
func sendersIn(text string) (from []string, plain bool) {
	if text == "" || sortOf(text)&(isNothing|isProtocol) != 0 {
		return nil, true
	}
	for _, w := range strings.FieldsFunc(text, func(c rune) bool { return c == ',' || c == ' ' || c == ';' || c == '\n' }) {
		switch {
		case w == "0.0.0.0" || strings.HasPrefix(w, "0.0.0.0/0") || sortOf(w)&(isNothing|isProtocol|isYes) != 0 || known().cells[strings.TrimRight(fold(w), "0123456789")]&isAnyone != 0:
		case w[0] >= '0' && w[0] <= '9' && strings.Count(w, ".") >= 3:
			from = append(from, w)
		default:
			return nil, false
		}
	}
	return from, true
}

func ports(text string) (span.Ports, bool) {
	if m := protocolPort.FindStringSubmatch(strings.TrimSpace(text)); m != nil {
		text = m[2] + m[3]
	}
	p, err := span.ParsePorts(strings.NewReplacer(":", "-", "~", "-", " ", "").Replace(text))
	return p, err == nil
}

// IsTransport passes a word for TCP, UDP or both, and nothing else.
func IsTransport(text string) bool {
	_, ok := protocolIn(text)
	return ok && len(text) < 8 && strings.ContainsAny(text, "tTuU") && strings.Trim(strings.ToLower(text), "tcpud/+&,_ ") == ""
}

// IsProtocolPort passes ports with their protocol: "8020/tcp".
func IsProtocolPort(text string) bool { return protocolPort.MatchString(strings.TrimSpace(text)) }

// protocolIn reads how pages write the protocols.
func protocolIn(text string) (site.Protocol, bool) {
	low := strings.ToLower(text)
	tcp, udp := strings.Contains(low, "tcp"), strings.Contains(low, "udp")
	switch {
	case tcp && !udp || low == "6":
		return site.TCP, true
	case udp && !tcp || low == "17":
		return site.UDP, true
	case tcp && udp, sortOf(text)&(isProtocol|isNothing) != 0 && text != "":
		return site.Both, true
	}
	return "", false
}
