package read

import (
	"regexp"
	"slices"
	"strings"

	"vestpin/core/sighting"
	"vestpin/read/grid"
)

// labelShape is a line that says what it holds: "Address: 10.48.16.20".
var labelShape = regexp.MustCompile(`^\s*([\pL][^:：=\t]{0,40}?)\s*[:：=\t]\s*(\S.*)$`)

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
	if !strings.ContainsAny(text, ":=\t\uff1a") {
		return "", strings.TrimSpace(text)
	}
	if bare := strings.TrimRight(text, " :：="); len(bare) < len(strings.TrimRight(text, " ")) && grid.Known(bare) {
		return strings.TrimSpace(bare), ""
	}
	m := labelShape.FindStringSubmatch(text)
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
		case len(l.macs) > 0 && row:
			rows = append(rows, l)
		case len(l.macs) > 0:
			macs++
			others = append(others, l)
		default:
			if len(l.addrs) == 1 && row {
				addresses++
			}
			others = append(others, l)
		}
	}
	switch {
	case macs > 0:
		r.cards(others)
	case len(rows) == 0 && addresses > 1:
		rows = others
	default:
		r.giveUp(others)
	}
	r.wordRows(rows)
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
	lines = r.pairRows(lines)
	for _, l := range lines {
		if len(l.macs) == 0 && len(l.addrs) != 1 || len(l.macs) > 1 {
			if !r.pairs(l) {
				r.unread(l)
			}
			continue
		}
		form, cells := cutAtAddresses(l.text)
		if byForm[form] == nil {
			forms = append(forms, form)
		}
		byForm[form] = append(byForm[form], rawRow{grid.Row{Line: l.number, Cells: cells}, l})
	}
	for _, form := range forms {
		rows := byForm[form]
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

// pairShape is a name and its value, as commands and configurations write them.
var pairShape = regexp.MustCompile(`([A-Za-z][\w.-]*)=("[^"]*"|'[^']*'|[^\s"']+)`)

// pairRows takes out the lines that hold names with values, of which one is a MAC address,
// and reads them as a list: the names are its headings.
func (r *reader) pairRows(lines []line) (left []line) {
	var head []string
	var rows []rawRow
	for _, l := range lines {
		all := pairShape.FindAllStringSubmatch(l.text, -1)
		values := map[string]string{}
		mac := false
		for _, m := range all {
			v := strings.Trim(m[2], `"'`)
			values[m[1]], mac = v, mac || grid.LooksMAC(v)
		}
		if len(all) < 2 || !mac {
			left = append(left, l)
			continue
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
		rows = append(rows, row)
	}
	if len(rows) > 0 {
		r.table("", head, rows, uncut, false)
	}
	return left
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

// pairs reads a line that names several MAC addresses, each beside an address.
func (r *reader) pairs(l line) bool {
	if len(l.macs) < 2 || len(l.macs) != len(l.addrs) {
		return false
	}
	form := ""
	for _, w := range l.words {
		if w = strings.TrimSuffix(w, "."); grid.LooksMAC(w) {
			form += "m"
		} else if isAddr(w) {
			form += "a"
		}
	}
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
		cells = append(cells, strings.Trim(strings.Join(words, " "), " ()[]<>,;:-=|"))
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
			for len(all[0]) > 0 && !slices.ContainsFunc(all, func(w []string) bool { return len(w) == 0 || w[len(w)-1] != all[0][len(all[0])-1] }) {
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
			for _, w := range all[i] {
				if len(w) > 2 && (w[0] == '"' && w[len(w)-1] == '"') {
					text = strings.Trim(w, `"`)
				}
			}
			rows[i].Cells[c] = strings.Trim(text, ` "'()[],;:-=|`)
		}
	}
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

// item is one particular on a card.
type item struct {
	line  line
	text  string
	label string // what the page calls it, if it says so
	path  string // its place on the card, where that is known from the page
	mac   bool
	addr  bool
	side  bool // it is not the name: another form of address, how it is attached, a button
	fixed bool // it stands on most cards
}

func itemOf(l line, text, label string) item {
	i := item{line: l, text: text, label: label}
	bare := strings.Trim(text, "()[]<> ")
	i.mac, i.addr = grid.LooksMAC(bare), isAddr(bare)
	if i.mac || i.addr {
		i.text = bare
	}
	i.side = !i.mac && !i.addr && !grid.Namelike(text)
	return i
}

// itemsOf takes the lines of cards apart.
func itemsOf(lines []line) (out []item) {
	for _, l := range lines {
		c := cuttingOf(l)
		if c == byBar || c == byTab && len(cellsOf(l.text, c)) > 2 {
			for _, text := range cellsOf(l.text, c) {
				if text != "" {
					out = append(out, itemOf(l, text, ""))
				}
			}
			continue
		}
		if parts := labelledParts(l.text); parts != nil {
			for _, p := range parts {
				out = append(out, itemOf(l, p[1], p[0]))
			}
			continue
		}
		label, value := labelOf(l.text)
		if !rowLike(l) && len(l.macs)+len(l.addrs) > 1 { // addresses and marks between them
			for _, w := range l.words {
				if grid.Typed(w) {
					out = append(out, itemOf(l, w, ""))
				}
			}
			continue
		}
		if first, rest, _ := strings.Cut(value, " "); label != "" && grid.Typed(first) && rest != "" {
			value = first
		}
		out = append(out, itemOf(l, value, label))
	}
	notTheirs(out)
	if slices.ContainsFunc(out, func(i item) bool { return !i.mac && !i.addr && !i.side && !grid.IsFigure(i.text) }) {
		figures, devices := 0, 0
		for _, i := range out {
			if i.mac {
				devices++
			} else if i.label == "" && grid.IsFigure(i.text) {
				figures++
			}
		}
		for k, i := range out { // where most cards have a figure, or it does not begin one, it is no name
			out[k].side = i.side || grid.IsFigure(i.text) && (figures*2 > devices || k > 0 && !i.line.after)
		}
	}
	// A heading that we know, alone on its line, is the label of what follows; so is a
	// line that stands on every card in front of an address.
	count := map[string]int{}
	macs := 0
	for _, i := range out {
		if i.mac {
			macs++
		} else if i.label == "" && !i.addr {
			count[i.text]++
		}
	}
	var joined []item
	for k := 0; k < len(out); k++ {
		i := out[k]
		i.fixed = i.label == "" && !i.mac && !i.addr && !grid.Typed(i.text) && (macs > 1 && count[i.text]*10 >= macs*6 && count[i.text] > 1 || count[i.text] == 1 && macs == 1 && grid.Known(i.text))
		if i.fixed && !grid.Stateful(i.text) && k+1 < len(out) && out[k+1].label == "" && !out[k+1].line.after && ((out[k+1].mac || out[k+1].addr) && count[i.text] >= macs || grid.Known(i.text) && count[out[k+1].text] < count[i.text]) {
			next := out[k+1]
			next.label = i.text
			joined = append(joined, next)
			k++
			continue
		}
		joined = append(joined, i)
	}
	return joined
}

// notTheirs finds among the particulars of several devices the MAC addresses and addresses
// that are the same on many: of the radio, the router, the mask. They are nobody's here.
func notTheirs(items []item) {
	var macs frequency
	addrs := map[string]int{}
	for _, i := range items {
		if i.mac {
			macs.add(strings.ToLower(i.text))
		} else if i.addr {
			addrs[i.text]++
		}
	}
	devices := 0
	for m := range macs.count {
		if !macs.often(m) {
			devices++
		}
	}
	private, public := 0, 0
	for a, n := range addrs {
		if ip, ok := grid.AddressIn(a); ok && ip.IsPrivate() {
			private += n
		} else {
			public += n
		}
	}
	for k := range items {
		i := &items[k]
		ip, _ := grid.AddressIn(i.text)
		switch {
		case i.addr && !ip.IsPrivate() && private+public > devices && private*2 >= devices: // a version, or out there
			i.addr, i.side = false, true
		case i.mac && macs.often(strings.ToLower(i.text)):
			i.mac, i.side, i.path = false, true, "othermac"
		case i.addr && addrs[i.text] > 1 && devices > 1 && (len(addrs) > devices/2 || addrs[i.text] == devices):
			i.addr, i.side = false, true
		}
	}
}

// frequency is how often texts stand in a list, and how many stand there once.
type frequency struct {
	count map[string]int
	once  int
}

func (f *frequency) add(text string) {
	if f.count == nil {
		f.count = map[string]int{}
	}
	f.count[text]++
	switch f.count[text] {
	case 1:
		f.once++
	case 2:
		f.once--
	}
}

// often reports whether a text stands in so many places that it is of no single device.
func (f *frequency) often(text string) bool {
	return f.once > 0 && f.count[text] > 1 && f.count[text]*2 >= f.once
}

// cards reads devices whose particulars stand below each other. Where one card ends and
// the next begins must be plain: from blank lines, labels that come again, or the order
// of the addresses and of what stands between them. What is not plain is not read.
func (r *reader) cards(lines []line) {
	items := itemsOf(lines)
	for _, i := range items {
		if !i.mac && !i.side && len(i.line.macs) > 0 {
			r.unread(i.line) // in the middle of a sentence
		}
	}
	head := 0
	for head < len(items) && items[head].label == "" && grid.Known(items[head].text) && !items[head].fixed {
		head++
	}
	if head > 1 && r.cellPerLine(items, head) {
		return
	}
	var cards [][]item
	for _, cut := range []func([]item) [][]item{byBlankLines, byLabels} {
		if cards = cut(items); cards != nil {
			break
		}
	}
	if cards != nil {
		for i := range cards {
			place(cards[i])
		}
	} else if cards = byOrder(items); cards == nil {
		r.giveUp(lines)
		return
	}
	r.cardTable("", cards)
}

// cellPerLine reads a table that was pasted with each cell on a line of its own, below
// its headings; false where the lines do not go by the number of headings.
func (r *reader) cellPerLine(items []item, n int) bool {
	if (len(items)-n)%n != 0 || len(items) == n {
		return false
	}
	var head []string
	for _, i := range items[:n] {
		head = append(head, i.text)
	}
	var rows []rawRow
	at := -1
	for k := n; k < len(items); k += n {
		row := rawRow{grid.Row{Line: items[k].line.number}, items[k].line}
		for c, i := range items[k : k+n] {
			row.Cells = append(row.Cells, i.text)
			if i.mac {
				if at >= 0 && at != c || row.line.macs != nil && c != at {
					return false
				}
				at = c
				row.line, row.Line = i.line, i.line.number
			}
		}
		rows = append(rows, row)
	}
	if at < 0 {
		return false
	}
	r.table("", head, rows, uncut, false)
	return true
}

// one passes cards with one MAC address each; a card without is a heading or a foot.
func one(cards [][]item) bool {
	some := false
	for _, c := range cards {
		macs, addrs := 0, 0
		for _, i := range c {
			if i.mac && !otherMAC(i.label) {
				macs++
			}
			if i.addr {
				addrs++
			}
		}
		if macs > 1 || macs == 0 && addrs > 0 {
			return false
		}
		some = some || macs == 1
	}
	return some
}

func otherMAC(label string) bool {
	return slices.Contains(headingOf(label), grid.OtherMAC)
}

func byBlankLines(items []item) (cards [][]item) {
	for k, i := range items {
		if k == 0 || i.line.after && i.line.number != items[k-1].line.number {
			cards = append(cards, nil)
		}
		cards[len(cards)-1] = append(cards[len(cards)-1], i)
	}
	// Particulars with blank lines between each are no cards of their own.
	for _, c := range cards {
		if len(c) == 1 && c[0].mac {
			return nil
		}
	}
	if len(cards) < 2 || !one(cards) {
		return nil
	}
	return cards
}

// byLabels begins a card where a label comes again.
func byLabels(items []item) (cards [][]item) {
	seen := map[string]bool{}
	labels := 0
	for _, i := range items {
		if i.label != "" {
			labels++
		}
		if len(cards) == 0 || i.label != "" && seen[i.label] {
			cards = append(cards, nil)
			clear(seen)
		}
		seen[i.label] = true
		cards[len(cards)-1] = append(cards[len(cards)-1], i)
	}
	if labels*2 < len(items) || !one(cards) {
		return nil
	}
	// Lines above the first label are headings, but for the last, which may be a name; a
	// name that stands above each label begins the card.
	var out [][]item
	for k, c := range cards {
		end := len(c)
		for k+1 < len(cards) && end > 1 && c[end-1].label == "" && !c[end-1].mac && !c[end-1].addr {
			end--
		}
		if k+1 < len(cards) {
			cards[k+1] = append(slices.Clone(c[end:]), cards[k+1]...)
		}
		if k == 0 {
			lead := 0
			for lead < end && c[lead].label == "" {
				lead++
			}
			for range max(0, lead-1) {
				out = append(out, c[:1])
				c, end = c[1:], end-1
			}
		}
		out = append(out, cards[k][len(cards[k])-len(c):][:end])
	}
	if !one(out) {
		return cards
	}
	return out
}

// place gives each particular of a card its place: in front of the addresses, or behind
// which.
func place(card []item) {
	behind, n := "first", 0
	for k := range card {
		i := &card[k]
		switch {
		case i.label != "":
			i.path = i.label
		case i.mac:
			i.path, behind, n = "mac", "mac", 0
		case i.addr:
			i.path, behind, n = "address", "address", 0
		case (i.side || i.fixed):
			i.path = "side " + behind
		default:
			i.path = behind + string(rune('a'+min(n, 25)))
			n++
		}
	}
}

// byOrder cuts cards without blank lines or labels. The addresses come first: each MAC
// address with the address before it, or each with the one behind it. The words between
// two devices are then all of the one or all of the other, or as many of each as the ends
// of the list say. Names that could be of either are left out.
func byOrder(items []item) [][]item {
	var cores [][2]int // first and last item of the addresses of each device
	for _, macFirst := range []bool{false, true} {
		if c := coresOf(items, macFirst); c != nil {
			if cores != nil && !slices.Equal(cores, c) {
				return nil // both would do
			}
			cores = c
		}
	}
	if cores == nil {
		return nil
	}
	n := len(cores)
	gaps := make([][]int, n+1) // the names in front of each device, and behind the last
	for k, i := range items {
		if i.mac || i.addr || i.side || i.fixed || i.label != "" {
			continue
		}
		g := 0
		for g < n && cores[g][0] < k {
			g++
		}
		if g > 0 && k < cores[g-1][1] {
			continue // between the addresses of one device
		}
		gaps[g] = append(gaps[g], k)
	}
	cards := make([][]item, n)
	for d, c := range cores {
		for k := c[0]; k <= c[1]; k++ {
			cards[d] = append(cards[d], items[k])
		}
	}
	lead, trail, ok := shares(items, gaps)
	for d := range n {
		var whole []item
		if ok && lead > 0 {
			g := gaps[d]
			if d > 0 {
				g = g[min(len(g), trail):]
			}
			for _, k := range g[max(0, len(g)-lead):] {
				whole = append(whole, items[k])
			}
		}
		whole = append(whole, cards[d]...)
		if ok && trail > 0 {
			for _, k := range gaps[d+1][:min(trail, len(gaps[d+1]))] {
				whole = append(whole, items[k])
			}
		}
		cards[d] = whole
		place(cards[d])
	}
	return cards
}

// shares tells how many of the names between two devices belong to the one behind them,
// and how many to the one in front.
func shares(items []item, gaps [][]int) (lead, trail int, ok bool) {
	n := len(gaps) - 1
	first, last := gaps[0], gaps[n]
	most, least := 0, 1<<30
	for _, g := range gaps[1:n] {
		most, least = max(most, len(g)), min(least, len(g))
	}
	// What stands behind a blank line at the end is a foot, and so before one at the top a head.
	for k, at := range last {
		if items[at].line.after {
			last = last[:k]
			break
		}
	}
	for k := len(first) - 1; k > 0; k-- {
		if items[first[k]].line.after {
			first = first[k:]
			break
		}
	}
	switch {
	case n == 1:
		return len(first), len(last), len(first) == 0 || len(last) == 0
	case len(last) == 0 && most <= 1:
		return 1, 0, len(first) > 0 || most > 0
	case len(first) == 0 && most <= 1:
		return 0, 1, true
	case most != least || most == 0:
		return 0, 0, false
	case len(last) == 0 && len(first) >= most:
		return most, 0, true
	case len(first) == 0 && len(last) >= most:
		return 0, most, true
	case len(first)+len(last) == most:
		return len(first), len(last), true
	}
	return 0, 0, false
}

// coresOf finds the addresses of each device; nil where they do not go in that order.
func coresOf(items []item, macFirst bool) (cores [][2]int) {
	open := -1 // an address that waits for its MAC address
	done := true
	for k, i := range items {
		switch {
		case i.addr && !macFirst:
			if open >= 0 {
				return nil
			}
			open = k
		case i.addr:
			if done {
				return nil
			}
			cores[len(cores)-1][1] = k
			done = true
		case i.mac:
			at := k
			if open >= 0 {
				at, open = open, -1
			}
			cores = append(cores, [2]int{at, k})
			done = false
		}
	}
	if open >= 0 {
		return nil
	}
	return cores
}

// cardTable makes a list of cards: a column for each label or place.
func (r *reader) cardTable(title string, cards [][]item) {
	var paths, head []string
	labelled := false
	var rows []rawRow
	for _, card := range cards {
		row := rawRow{grid.Row{}, line{}}
		settings, names := 0, 0
		cells := map[string]string{}
		for _, i := range card {
			for _, role := range headingOf(i.label) {
				switch role {
				case grid.Mask, grid.Gateway, grid.DNS, grid.Range:
					settings++
				case grid.Name, grid.DeviceName:
					names++
				}
			}
			if i.mac && (row.Line == 0 || !otherMAC(i.label)) {
				row.Line, row.line = i.line.number, i.line
			}
			path := i.path
			for cells[path] != "" {
				path += "'"
			}
			if !slices.Contains(paths, path) {
				paths, head = append(paths, path), append(head, i.label)
				labelled = labelled || i.label != ""
			}
			cells[path] = i.text
		}
		if row.Line == 0 || settings > 0 && names == 0 && len(cards) < 3 {
			for k, i := range card {
				if k == 0 || card[k-1].line.number != i.line.number {
					r.unread(i.line)
				}
			}
			continue
		}
		for _, i := range card { // it is shown as one row
			if i.line.number != row.Line {
				delete(r.shown, i.line.number)
			}
		}
		row.Cells = make([]string, len(paths))
		for k, p := range paths {
			row.Cells[k] = cells[p]
		}
		rows = append(rows, row)
	}
	if len(rows) == 0 {
		return
	}
	if !labelled {
		head = nil
	}
	r.table(title, head, rows, uncut, false)
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
