package read

import (
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"vestpin/core/sighting"
	"vestpin/read/grid"
)

// labelShape is a line that says what it holds: "Address: 10.48.16.20".
var labelShape = regexp.MustCompile(`^\s*([\pL][^:：=\t]{0,40}?)\s*[:：=\t]\s*(\S.*)$`)

// wideLabel is one with blanks on both sides of its colon.
var wideLabel = regexp.MustCompile(`^\s*([\pL][^=\t]{0,40}?)\s+:\s+(\S.*)$`)

// insideAddress passes a text whose first colon is one of a MAC or IPv6 address.
func insideAddress(text string) bool {
	at := strings.IndexByte(text, ':')
	if at <= 0 || at+1 >= len(text) {
		return false
	}
	start := at
	for start > 0 && isHex(text[start-1]) {
		start--
	}
	if start == at || at-start > 4 || start > 0 && text[start-1] > ' ' {
		return false
	}
	end := at + 1
	for end < len(text) && isHex(text[end]) {
		end++
	}
	return end < len(text) && text[end] == ':' && end-at <= 5
}

// optionLine is a line of a configuration: option mac '00:00:5e:00:53:21'.
var optionLine = regexp.MustCompile(`^\s*(?:option|set)\s+([\w.-]+)\s+['"]([^'"]*)['"]\s*$`)

// labelOf takes a label from a line.
func labelOf(text string) (label, value string) {
	if strings.Contains(text, "option ") || strings.Contains(text, "set ") {
		if m := optionLine.FindStringSubmatch(text); m != nil {
			return m[1], m[2]
		}
	}
	if !strings.ContainsAny(text, ":=\t\uff1a") || strings.Count(text, ":") == 5 && strings.Count(text, " ") == 1 {
		if w := strings.Fields(text); len(w) == 2 && grid.Typed(w[1]) && (grid.LooksMAC(w[1]) || isAddr(w[1])) {
			if roles, exact := grid.Heading(w[0]); exact && (slices.Contains(roles, grid.MAC) || slices.Contains(roles, grid.Address)) {
				return w[0], w[1]
			}
		}
		if !strings.ContainsAny(text, ":=\t\uff1a") {
			return "", strings.TrimSpace(text)
		}
	}
	if bare := strings.TrimRight(text, " :：="); len(bare) < len(strings.TrimRight(text, " ")) && grid.Known(bare) {
		return strings.TrimSpace(bare), ""
	}
	m := labelShape.FindStringSubmatch(text)
	if wide := wideLabel.FindStringSubmatch(text); wide != nil {
		m = wide
	}
	if m == nil || grid.LooksMAC(strings.TrimSpace(text)) || strings.HasPrefix(m[2], "//") || insideAddress(text) {
		return "", strings.TrimSpace(text)
	}
	return strings.TrimSpace(m[1]), strings.Trim(strings.TrimSpace(m[2]), `"'`)
}

// cardsAndLines reads lines that are no tables, run by run.
func (r *reader) cardsAndLines(lines []line) {
	for i := 0; i < len(lines); {
		end := i + 1
		for end < len(lines) && lines[end].number-lines[end-1].number <= 3 && !r.takenBetween(lines[end-1].number, lines[end].number) {
			end++
		}
		r.run(lines[i:end])
		i = end
	}
}

// run reads lines that follow each other: those in which MAC addresses stand between
// words one way, the particulars of cards another.
func (r *reader) run(lines []line) {
	macs, addresses := 0, 0
	var rows, others []line
	for _, l := range lines {
		row := len(l.macs)+len(l.addrs) > 0 && rowLike(l)
		switch {
		case len(l.macs) > 0 && (row || len(pairShape.FindAllString(l.text, 3)) > 2), len(l.addrs) > 0 && (strings.Contains(l.text, "=") || strings.Contains(l.text, " -")) && spokenIn(l.text) != "" && (len(pairShape.FindAllString(l.text, 4)) > 3 || len(flagShape.FindAllString(l.text, 4)) > 3):
			rows = append(rows, l)
		case len(l.macs) > 0:
			macs++
			others = append(others, l)
		default:
			if len(l.addrs) == 1 && (row || equated(l)) {
				addresses++
			}
			others = append(others, l)
		}
	}
	switch {
	case macs == 0 && len(rows) == 0 && (r.forwardCards(others) || r.blocks(others)):
	case macs > 0:
		r.cards(others)
	case len(rows) == 0 && addresses > 1:
		rows = others
	default:
		used := map[int]bool{}
		if len(others) < 200 {
			used = r.networkOf(settingsIn(others))
		}
		var placed []rawRow
		others = slices.DeleteFunc(others, func(l line) bool {
			form, cells := cutAtAddresses(l.text)
			if len(rows) > 0 && form == "a" && !used[l.number] {
				placed = append(placed, rawRow{grid.Row{Line: l.number, Cells: cells}, l})
			}
			return used[l.number] || len(rows) > 0 && form == "a"
		})
		r.addressed(placed)
		r.giveUp(others)
	}
	r.wordRows(rows)
}

// equated passes a line that gives a name of somebody's own an address, and nothing else.
func equated(l line) bool {
	label, value := labelOf(l.text)
	return label != "" && headingOf(label) == nil && grid.EndOf(label) == 0 && isAddr(value) && l.addrs[0].IsPrivate()
}

// forwardCards reads forwards whose particulars stand below each other, each with its label; false
// where they are none. A forward begins where the order of the labels begins anew, or behind a
// blank line.
func (r *reader) forwardCards(lines []line) bool {
	if len(lines) > mostLoose/10 {
		return false
	}
	items := itemsOf(lines)
	if head := headsOf(items); head > 3 && r.cellPerLine(items, head) {
		return true
	}
	ports, protocols := 0, 0
	var cards [][]item
	seen := map[string]bool{}
	for _, i := range items {
		if len(cards) == 0 || i.label != "" && seen[i.label] || i.line.after && slices.ContainsFunc(cards[len(cards)-1], func(o item) bool { return o.addr }) {
			cards = append(cards, nil)
			clear(seen)
		}
		seen[i.label] = true
		cards[len(cards)-1] = append(cards[len(cards)-1], i)
		if grid.Portlike(i.label) || i.text != "" && portsShape.FindString(i.text) == i.text {
			ports++
		}
		if spokenIn(i.text) != "" {
			protocols++
		}
	}
	for k, c := range cards {
		addrs := 0
		for _, i := range c {
			if i.addr {
				addrs++
			}
		}
		if addrs != 1 || k > 0 && len(c)*2 < len(cards[0]) {
			return false
		}
	}
	if ports < len(cards) || protocols < len(cards) {
		return false
	}
	for i := range cards {
		place(cards[i])
	}
	r.leftOver(items, cards)
	r.cardTable("", cards)
	return true
}

// blocks reads what stands in blocks of lines with an address alone on one of them, below a
// name; false where not all but one are such.
func (r *reader) blocks(lines []line) bool {
	var all [][]line
	for i, l := range lines {
		if i == 0 || l.after {
			all = append(all, nil)
		}
		all[len(all)-1] = append(all[len(all)-1], l)
	}
	var rows []rawRow
	at, width := -1, 0
	for _, b := range all {
		row, found := rawRow{}, -1
		for k, l := range b {
			row.Cells = append(row.Cells, strings.TrimSpace(l.text))
			if len(l.addrs) > 0 {
				if found >= 0 || !isAddr(strings.TrimSpace(l.text)) {
					return false
				}
				found, row.Line, row.line = k, l.number, l
			}
		}
		if found < 0 {
			continue
		}
		if found == 0 || at >= 0 && found != at {
			return false
		}
		at, width = found, max(width, len(row.Cells))
		rows = append(rows, row)
	}
	if len(rows) < 2 || len(rows) < len(all)-1 {
		return false
	}
	for _, b := range all {
		if !slices.ContainsFunc(b, func(l line) bool { return len(l.addrs) > 0 }) {
			r.giveUp(b)
		}
	}
	for i := range rows {
		rows[i].Cells = append(rows[i].Cells, make([]string, width-len(rows[i].Cells))...)
		rows[i].line.text = strings.Join(rows[i].Cells, " ")
	}
	r.table("", nil, rows, uncut, false)
	return true
}

// rowLike passes a line with an address and other words that are no label.
func rowLike(l line) bool {
	if parts := labelledParts(l.text); parts != nil {
		return false
	}
	label, value := labelOf(l.text)
	if first, _, _ := strings.Cut(value, " "); label != "" && grid.Known(label) && grid.Typed(first) {
		return false // with a remark behind it
	}
	if label != "" && !grid.Known(label) && len(l.macs) == 1 && len(l.addrs) == 1 {
		return true // its name
	}
	for _, w := range strings.FieldsFunc(value, between) {
		if !grid.LooksMAC(w) && !isAddr(w) && strings.Trim(w, "-:/=") != "" {
			return true
		}
	}
	return false
}

// labelledParts takes a line apart that holds several labels with their values: "IP:
// 10.48.16.20  MAC: 00:00:5e:00:53:21"; nil where it is none.
func labelledParts(text string) (parts [][2]string) {
	if strings.Count(text, ":")+strings.Count(text, "=") < 2 {
		return nil
	}
	for _, part := range strings.FieldsFunc(strings.ReplaceAll(text, "  ", "\t"), func(c rune) bool { return c == '\t' || c == '|' || c == ';' }) {
		if strings.TrimSpace(part) == "" {
			continue
		}
		label, value := labelOf(part)
		if label == "" || !grid.Known(label) {
			return nil
		}
		parts = append(parts, [2]string{label, value})
	}
	if len(parts) < 2 {
		return nil
	}
	return parts
}

func (r *reader) giveUp(lines []line) {
	for _, l := range lines {
		r.unread(l)
	}
}

// wordRows reads lines in which addresses stand between words: the words before, between
// and behind them are the columns. Lines of one form are a list.
func (r *reader) wordRows(lines []line) {
	byForm := map[string][]rawRow{}
	var forms []string
	lines = r.fieldRows(r.pairRows(r.argumentRows(lines)))
	for _, l := range lines {
		if len(l.macs) == 0 && (len(l.addrs) != 1 || notTaken.MatchString(l.text)) || len(l.macs) > 1 {
			if !r.pairs(l) {
				r.unread(l)
			}
			continue
		}
		form, cells := cutAtAddresses(l.text)
		if m := aliasShape.FindStringSubmatch(l.text); m != nil && (strings.HasPrefix(m[2], m[1]+".") || strings.HasPrefix(m[1], m[2]+".")) {
			cells[2] = m[1] // a line of hosts(5)
		}
		if stamped.MatchString(l.text) {
			cells[0] = "" // what a log says of itself
		}
		if byForm[form] == nil {
			forms = append(forms, form)
		}
		byForm[form] = append(byForm[form], rawRow{grid.Row{Line: l.number, Cells: cells}, l})
	}
	for _, form := range forms {
		rows := byForm[form]
		if form == "a" && len(forms) > 1 && strings.Contains(strings.Join(forms, ""), "m") {
			r.addressed(rows)
			continue
		}
		if !strings.Contains(form, "m") && (len(rows) < 2 || len(rows) < len(lines)/2 || settingsRows(rows)) {
			for _, row := range rows {
				r.unread(row.line)
			}
			continue
		}
		withoutCommon(rows)
		if len(rows) == 1 && len(strings.Fields(rows[0].Cells[0])) > 3 {
			for c := range rows[0].Cells { // a sentence; which of its words is a name nobody can tell
				if c%2 == 0 {
					rows[0].Cells[c] = ""
				}
			}
		}
		r.table("", nil, withoutEmpty(rows), uncut, false)
	}
}

// addressed reads lines that say where a device is among others that have a MAC address: those that
// name it in front in a few words.
func (r *reader) addressed(rows []rawRow) {
	for _, row := range rows {
		words := strings.Trim(row.Cells[0], " :=-")
		name := called(words)
		if name == "" || strings.Count(words, " ") > 3 || ofNetwork(words) || ofNetwork(name) || notTaken.MatchString(row.line.text) || !grid.Namelike(name) || !row.line.addrs[0].IsPrivate() || deniedShape.MatchString(words) {
			r.unread(row.line)
			continue
		}
		r.add(sighting.Sighting{Address: row.line.addrs[0], Host: name, Line: row.Line})
	}
}

// ofNetwork passes words for what networks have, not for devices.
func ofNetwork(words string) bool {
	return slices.ContainsFunc(headingOf(words), func(role grid.Role) bool {
		return slices.Contains([]grid.Role{grid.Gateway, grid.DNS, grid.Mask, grid.Range, grid.Network, grid.Sender, grid.OtherMAC}, role)
	}) || grid.EndOf(words) != 0
}

// aliasShape is a line of hosts(5): an address, a name, and others of the same host.
var aliasShape = regexp.MustCompile(`^\s*\d+\.\d+\.\d+\.\d+\s+([\w.-]+)\s+([\w.-]+)(?:\s+[\w.-]+)*\s*(?:#.*)?$`)

// fieldRows takes out the lines of forwards whose cells are parted by one blank, and reads them as a
// list: as many words in each, of which one is a protocol, one an address, and others are ports.
func (r *reader) fieldRows(lines []line) (left []line) {
	fits := func(l line) bool {
		if len(l.fields) < 4 || len(l.fields) > 11 || len(l.macs) > 0 || len(l.addrs) != 1 {
			return false
		}
		protocols := 0
		for _, w := range l.fields {
			if grid.IsTransport(w) || strings.EqualFold(w, "both") {
				protocols++
			}
		}
		return protocols == 1 && slices.ContainsFunc(l.fields, func(w string) bool { return portsShape.FindString(w) == w })
	}
	byWidth := map[int][]rawRow{}
	for _, l := range lines {
		if fits(l) {
			byWidth[len(l.fields)] = append(byWidth[len(l.fields)], rawRow{grid.Row{Line: l.number, Cells: slices.Clone(l.fields)}, l})
		}
	}
	for _, l := range lines {
		if !fits(l) || len(byWidth[len(l.fields)]) < 2 {
			left = append(left, l)
		}
	}
	for _, width := range slices.Sorted(maps.Keys(byWidth)) {
		rows := byWidth[width]
		if len(rows) < 2 {
			continue
		}
		var head []string
		if words := strings.Fields(strings.TrimLeft(r.remark, "# ")); len(words) == len(rows[0].Cells) {
			head = words
		}
		r.table("", head, rows, uncut, false)
	}
	return left
}

// argumentsShape is a list in brackets at the end of a statement or a call.
var argumentsShape = regexp.MustCompile(`\(([^()]*,[^()]*)\)\s*[;,]?\s*$`)

// namesShape is a list of names in brackets.
var namesShape = regexp.MustCompile(`\(\s*([A-Za-z_"` + "`" + `][\w"` + "`" + `]*(?:\s*,\s*["` + "`" + `]?[A-Za-z_][\w"` + "`" + `]*)+)\s*\)`)

// argumentRows takes out the lines that end in a list in brackets of what a device has, as calls and
// statements of SQL do, and reads them as lists; names in brackets before it are their headings.
func (r *reader) argumentRows(lines []line) (left []line) {
	type list struct {
		head []string
		rows []rawRow
	}
	lists := map[string]*list{}
	for _, l := range lines {
		m := argumentsShape.FindStringSubmatchIndex(l.text)
		if m == nil || len(l.macs) != 1 {
			left = append(left, l)
			continue
		}
		cells := argumentsOf(l.text[m[2]:m[3]])
		before := l.text[:m[0]]
		if len(cells) < 3 || strings.TrimSpace(before) == "" || !slices.ContainsFunc(cells, grid.LooksMAC) {
			left = append(left, l)
			continue
		}
		key := before + "/" + strconv.Itoa(len(cells))
		if lists[key] == nil {
			lists[key] = &list{}
			if names := namesShape.FindStringSubmatch(before); names != nil {
				if head := argumentsOf(names[1]); len(head) == len(cells) {
					lists[key].head = head
				}
			}
		}
		lists[key].rows = append(lists[key].rows, rawRow{grid.Row{Line: l.number, Cells: cells}, l})
	}
	for _, key := range sortedKeys(lists) {
		r.table("", lists[key].head, lists[key].rows, uncut, false)
	}
	return left
}

// argumentsOf cuts a list at the commas that are not between quotes.
func argumentsOf(text string) []string {
	quote := rune(0)
	parts := strings.FieldsFunc(strings.ReplaceAll(text, ",", " ,"), func(c rune) bool {
		switch {
		case quote != 0 && c == quote:
			quote = 0
		case quote == 0 && (c == '"' || c == '\'' || c == '`'):
			quote = c
		}
		return c == ',' && quote == 0
	})
	for i, p := range parts {
		parts[i] = strings.ReplaceAll(strings.Trim(strings.TrimSpace(p), "\"'`"), " ,", ",")
	}
	return parts
}

// stamped is a line of a log: it begins with a time (RFC 3164, RFC 5424).
var stamped = regexp.MustCompile(`^(<\d+>)?\d? ?([A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d|\d{4}-\d\d-\d\d[T ]\d\d:\d\d)`)

// pairShape is a name and its value, as commands and configurations write them.
var pairShape = regexp.MustCompile(`([A-Za-z][\w.-]*)=("[^"]*"|'[^']*'|[^\s"']+)`)

// flagShape is an argument of a command with its value.
var flagShape = regexp.MustCompile(`\s--?([A-Za-z][\w-]*)\s+("[^"]*"|'[^']*'|[^\s"'-]\S*)`)

// pairRows takes out the lines that hold names with values, of which one is a MAC address,
// and reads them as a list: the names are its headings.
func (r *reader) pairRows(lines []line) (left []line) {
	var head []string
	var rows, forwards []rawRow
	told := true
	for _, l := range lines {
		if flagShape.MatchString(l.text) {
			l.text = flagShape.ReplaceAllString(l.text, " $1=$2")
		}
		all := pairShape.FindAllStringSubmatch(l.text, -1)
		values := map[string]string{}
		mac, address, twice := false, false, false
		for _, m := range all {
			twice = twice || values[m[1]] != "" // so it is no name of one value
			v := strings.Trim(strings.TrimRight(m[2], ",;"), `"'`)
			values[m[1]], mac, address = v, mac || grid.LooksMAC(v), address || isAddr(v)
		}
		if len(all) < 2 || !mac && (!address || len(all) < 4 || twice) {
			left = append(left, l)
			continue
		}
		if before := strings.TrimSpace(l.text[:strings.Index(l.text, all[0][0])]); before != "" && len(strings.Fields(before)) == 1 && strings.Trim(before, "[]()0123456789.:#") != "" {
			all = append([][]string{{"", "", before}}, all...) // what the line is about
			values[""] = before
		}
		for _, m := range all {
			if !slices.Contains(head, m[1]) && len(head) < 100 {
				head = append(head, m[1])
			}
		}
		row := rawRow{grid.Row{Line: l.number, Cells: make([]string, len(head))}, l}
		for c, h := range head {
			row.Cells[c] = values[h]
		}
		if mac {
			rows = append(rows, row)
			first, _, _ := strings.Cut(strings.TrimSpace(l.text), " ")
			told = told && slices.Contains([]string{"add", "set", "create", "host", "bind", "reserve"}, first)
		} else {
			forwards = append(forwards, row)
		}
	}
	for i := range rows {
		rows[i].Cells = append(rows[i].Cells, make([]string, len(head)-len(rows[i].Cells))...)
	}
	for i := range forwards {
		forwards[i].Cells = append(forwards[i].Cells, make([]string, len(head)-len(forwards[i].Cells))...)
	}
	if len(rows) > 0 {
		title := ""
		if told {
			title = "reservations" // commands that tie the two
		}
		r.table(title, withoutBlank(&head, rows), rows, uncut, false)
	}
	if len(forwards) > 0 {
		r.table("", withoutBlank(&head, forwards), forwards, uncut, false)
	}
	return left
}

// withoutBlank gives the headings of those columns in which some row has something, and leaves
// the others out of the rows.
func withoutBlank(head *[]string, rows []rawRow) (out []string) {
	var keep []int
	for c, h := range *head {
		if slices.ContainsFunc(rows, func(row rawRow) bool { return row.Cells[c] != "" }) {
			keep, out = append(keep, c), append(out, h)
		}
	}
	for i, row := range rows {
		cells := make([]string, len(keep))
		for k, c := range keep {
			cells[k] = row.Cells[c]
		}
		rows[i].Cells = cells
	}
	return out
}

// withoutEmpty leaves out the columns in which no row has anything.
func withoutEmpty(rows []rawRow) []rawRow {
	for c := len(rows[0].Cells) - 1; c >= 0; c-- {
		if !slices.ContainsFunc(rows, func(row rawRow) bool { return row.Cells[c] != "" }) {
			for i := range rows {
				rows[i].Cells = slices.Delete(rows[i].Cells, c, c+1)
			}
		}
	}
	return rows
}

// settingsRows passes lines that begin with a heading that we know.
func settingsRows(rows []rawRow) bool {
	n := 0
	for _, row := range rows {
		if roles, _ := grid.Heading(row.Cells[0]); roles != nil {
			n++
		}
	}
	return n*2 >= len(rows)
}

// pairs reads a line that names several MAC addresses, each beside an address. Which words of a
// sentence are names nobody can tell.
func (r *reader) pairs(l line) bool {
	if len(l.macs) < 2 || len(l.macs) != len(l.addrs) {
		return false
	}
	form, _ := cutAtAddresses(l.text)
	if form != strings.Repeat("am", len(l.macs)) && form != strings.Repeat("ma", len(l.macs)) {
		return false
	}
	for i, m := range l.macs {
		r.add(sighting.Sighting{MAC: m, Address: l.addrs[i], Line: l.number})
	}
	return true
}

// cutAtAddresses cuts a line at its addresses: words, address, words, address, words.
func cutAtAddresses(text string) (form string, cells []string) {
	var words []string
	put := func() {
		cells = append(cells, strings.Trim(tickBox.ReplaceAllString(strings.Join(words, " "), ""), " ()[]<>,;:-=|"))
		words = nil
	}
	for _, w := range strings.Fields(text) {
		bare := strings.Trim(w, `()[]<>,;|"'.`)
		if _, after, ok := strings.Cut(bare, "="); ok && (grid.LooksMAC(strings.Trim(after, `"'`)) || isAddr(after)) {
			bare = strings.Trim(after, `"'`)
		}
		switch {
		case grid.LooksMAC(bare):
			form += "m"
		case isAddr(bare):
			form += "a"
		default:
			words = append(words, w)
			continue
		}
		put()
		cells = append(cells, bare)
	}
	put()
	return form, cells
}

// tickBox is the mark of what is done, or to be done, before a line of a list.
var tickBox = regexp.MustCompile(`^(?:[-*+•] )?\[[ xX✓✔]?\]\s`)

func isAddr(w string) bool { _, ok := grid.AddressIn(w); return ok }

// withoutCommon takes from the words of rows what is the same in all of them at either
// end, such as the words of a command; of words in quotes the quoted are the name.
func withoutCommon(rows []rawRow) {
	for c := range rows[0].Cells {
		if c%2 == 1 {
			continue
		}
		var all [][]string
		for _, row := range rows {
			all = append(all, quotedWords(row.Cells[c]))
		}
		if len(rows) > 1 {
			for len(all[0]) > 0 && !slices.ContainsFunc(all, func(w []string) bool { return len(w) == 0 || w[0] != all[0][0] }) {
				for i := range all {
					all[i] = all[i][1:]
				}
			}
			open := false // behind a word that leads to the address all that is common does
			for len(all[0]) > 0 && (open || leads(all[0][len(all[0])-1])) && !slices.ContainsFunc(all, func(w []string) bool { return len(w) == 0 || w[len(w)-1] != all[0][len(all[0])-1] }) {
				open = true
				for i := range all {
					all[i] = all[i][:len(all[i])-1]
				}
			}
		}
		numbered := !slices.ContainsFunc(all, func(w []string) bool { return len(w) < 2 || !numberShape.MatchString(w[0]) })
		for i := range rows {
			if numbered {
				all[i] = all[i][1:]
			}
			text := strings.Join(all[i], " ")
			said := ""
			for _, w := range all[i] {
				if len(w) > 2 && (w[0] == '"' && w[len(w)-1] == '"') {
					said = strings.Trim(w, `"`)
				}
			}
			if said != "" {
				rows[i].Cells[c] = said
				continue
			}
			rows[i].Cells[c] = called(grid.Untimed(strings.Trim(text, ` "'()[],;:-=|`)))
		}
	}
}

// leads passes a word behind a name that is no part of it: a label of what follows, a verb, a mark.
func leads(word string) bool {
	bare := strings.Trim(word, `()[]{}:=,;"'`)
	roles := headingOf(bare)
	return slices.Contains(roles, grid.MAC) || slices.Contains(roles, grid.Address) || len(bare) < 4 || bare != strings.TrimRight(word, ",") || talkEnd.MatchString(" "+bare) || !strings.ContainsFunc(bare, unicode.IsLetter)
}

// numberShape is the number of an entry of a list.
var numberShape = regexp.MustCompile(`^#?\d{1,4}[.):]?$`)

// quotedWords cuts at blanks that are not between quotes.
func quotedWords(text string) []string {
	open := false
	return strings.FieldsFunc(text, func(c rune) bool {
		if c == '"' {
			open = !open
		}
		return c <= ' ' && !open
	})
}

func headingOf(label string) []grid.Role {
	roles, _ := grid.Heading(label)
	return roles
}

func sightingOf(d grid.Device) sighting.Sighting {
	s := sighting.Sighting{MAC: d.MAC, Address: d.Address, Host: unescape(d.Name), State: d.State, Line: d.Line, Traits: d.Traits}
	if d.Reserved {
		s.State = sighting.StateReserved
	}
	return s
}
