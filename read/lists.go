package read

import (
	"regexp"
	"slices"
	"strings"

	"golang.org/x/text/width"

	"vestpin/core/site"
	"vestpin/read/grid"
)

// cutting is how the lines of a list are cut into cells.
type cutting byte

const (
	uncut    cutting = 0
	byTab    cutting = '\t'
	bySemi   cutting = ';'
	byComma  cutting = ','
	byBar    cutting = '|'
	byBlanks cutting = ' ' // two blanks or more, in columns
)

// cuttingOf says how a line may be cut. Where the separator is one that stands in plain
// sentences too, its addresses have to be whole cells.
func cuttingOf(l line) cutting {
	switch {
	case l.row, l.cutting:
		return l.cut
	case l.cells != nil:
		return byTab
	}
	text := strings.TrimRight(l.text, " ")
	if strings.Contains(text, "\t") && strings.TrimLeft(text, "\t ") != "" && strings.Contains(strings.TrimSpace(text), "\t") {
		return byTab
	}
	for _, c := range []cutting{bySemi, byComma} {
		if strings.Count(text, string(c)) > 1 && wholeCells(l, cellsOf(text, c)) {
			return c
		}
	}
	text = strings.TrimSpace(text)
	switch {
	case strings.Contains(text, " | ") || strings.Count(text, "|") > 1:
		return byBar
	case strings.Contains(text, "  "):
		if wholeCells(l, cellsOf(text, byBlanks)) {
			return byBlanks
		}
	}
	return uncut
}

// wholeCells reports whether each address of a line is a cell of its own, and no cell is
// a sentence.
func wholeCells(l line, cells []string) bool {
	found := 0
	for _, c := range cells {
		if grid.Typed(c) {
			found++
		} else if len(c) > 200 {
			return false
		}
	}
	return found >= min(len(l.macs)+len(l.addrs), 1+len(l.macs))
}

// cellsOf cuts a line.
func cellsOf(text string, c cutting) []string {
	var parts []string
	switch c {
	case byTab, bySemi, byComma:
		parts = split(strings.Trim(text, "\r\n"), string(c))
	case byBar:
		parts = strings.Split(strings.TrimSuffix(strings.TrimPrefix(strings.TrimSpace(text), "|"), "|"), "|")
	default:
		for _, p := range strings.Split(text, "  ") {
			if strings.TrimSpace(p) != "" {
				parts = append(parts, p)
			}
		}
	}
	for i := range parts {
		parts[i] = strings.TrimSpace(parts[i])
	}
	return parts
}

// alikeness is how many lines in a row were cut alike, into how many cells.
type alikeness struct {
	cut     cutting
	seps    int
	lines   int
	mac     int // the cell with the MAC address
	expects bool
}

// mostTries is how many lines of a list are offered to all readers, before more like them
// are taken for its rows as they are.
const mostTries = 300

// more takes a line that is a further row of a long list: cut into as many cells, with a
// MAC address in the same place. So a million rows cost little.
func (r *reader) more(number int, raw, rest string) bool {
	a := &r.alike
	if a.lines < mostTries || a.cut == uncut || len(raw) > longest || strings.Count(raw, string(a.cut)) != a.seps || strings.IndexByte(raw, '"') >= 0 {
		return false
	}
	cells := strings.Split(raw, string(a.cut))
	for i := range cells {
		cells[i] = strings.TrimSpace(cells[i])
	}
	if !grid.LooksMAC(cells[a.mac]) {
		return false
	}
	if !a.expects {
		a.expects = true
		r.out.Sightings = slices.Grow(r.out.Sightings, min(strings.Count(rest, "\n"), len(rest)/30)+mostLoose)
	}
	r.loose = append(r.loose, line{number: number, text: raw, cells: cells, row: true, cut: a.cut})
	if len(r.loose) >= mostLoose {
		r.layout(false)
	}
	return true
}

// note counts the lines that were cut alike.
func (a *alikeness) note(l line) {
	c := l.cut
	seps := strings.Count(l.text, string(c))
	if c == byBar || c == byBlanks || c == uncut || len(l.macs) == 0 || strings.Contains(l.text, `"`) {
		*a = alikeness{}
		return
	}
	mac := slices.IndexFunc(cellsOf(l.text, c), grid.LooksMAC)
	if mac < 0 || c != a.cut || seps != a.seps || mac != a.mac {
		*a = alikeness{cut: c, seps: seps, mac: max(0, mac)}
	}
	a.lines++
}

// heading passes the row of headings above a list: words without addresses, most of
// which we know, or at least none of which is a figure.
func heading(l line, cells []string) (known, possible bool) {
	if len(l.macs)+len(l.addrs) > 0 || l.odd || l.row {
		return false, false
	}
	filled, heads := 0, 0
	for _, c := range cells {
		if c == "" {
			continue
		}
		if filled++; grid.Typed(c) {
			return false, false
		}
		if grid.Known(c) {
			heads++
		} else if strings.ContainsAny(c, "0123456789") && len(c) > 12 || len(c) > 80 {
			return false, false
		}
	}
	if filled == 1 {
		return heads == 1 && len(cells) > 1, false
	}
	return heads >= 2 && heads*2 >= filled, filled >= 2
}

// layout makes lists of the lines that no reader took: tables, cards, and lines with
// addresses between words. What comes to nothing is told as not understood.
func (r *reader) layout(last bool) {
	if !r.reads("table") {
		r.giveUp(r.loose)
		r.loose = nil
		return
	}
	lines := unwrapped(r.forwardLines(r.loose))
	var others []line
	title := ""
	for i := 0; i < len(lines); {
		c := cuttingOf(lines[i])
		end := i + 1
		if c != uncut {
			for end < len(lines) && lines[end].number-lines[end-1].number <= 2 && !r.takenBetween(lines[end-1].number, lines[end].number) && (goesOn(lines[end], c) || fillsColumn(lines[i:end], &lines[end], c)) {
				end++
			}
		}
		if c != uncut && r.isList(lines[i:end], c) {
			if n := len(others); n > 0 && lines[i].number-others[n-1].number <= 3 && len(others[n-1].words) < 9 && len(others[n-1].addrs)+len(others[n-1].macs) == 0 {
				title, others = others[n-1].text, others[:n-1]
			}
			r.cardsAndLines(others)
			others = nil
			if i > 0 && lines[i].number > r.headings.number+groupGap {
				r.headings = headings{}
			}
			r.tables(title, lines[i:end], c, last || end < len(lines))
			title = ""
		} else {
			if c != uncut {
				r.headingAlone(lines[i:end], c)
			}
			others = append(others, lines[i:end]...)
		}
		i = end
	}
	r.cardsAndLines(others)
	r.loose, r.takenAt = r.loose[:0], r.takenAt[:0]
}

// unwrapped joins rows that are broken over two lines: of several pairs of lines in a row the first
// has the address and the second the MAC address. Two lines of words above are their headings.
func unwrapped(lines []line) []line {
	first := func(l line) bool {
		return len(l.addrs) == 1 && len(l.macs) == 0 && len(l.fields) > 1 && strings.Contains(strings.TrimSpace(l.text), "  ")
	}
	second := func(l line) bool {
		return len(l.macs) == 1 && len(l.addrs) == 0 && !l.row && strings.Contains(strings.TrimSpace(l.text), "  ")
	}
	var out []line
	for i := 0; i < len(lines); {
		n := 0
		for i+2*n+1 < len(lines) && first(lines[i+2*n]) && second(lines[i+2*n+1]) && lines[i+2*n+1].number == lines[i+2*n].number+1 && (n == 0 || lines[i+2*n].number == lines[i+2*n-1].number+1) {
			n++
		}
		if n < 2 {
			out = append(out, lines[i])
			i++
			continue
		}
		joined := func(a, b line) line {
			l := scan(b.number, strings.TrimSpace(a.text)+"  "+strings.TrimSpace(b.text))
			l.cells = slices.Concat(cellsOf(a.text, byBlanks), cellsOf(b.text, byBlanks))
			return l
		}
		if k := len(out); k > 1 && len(out[k-1].addrs)+len(out[k-1].macs)+len(out[k-2].addrs)+len(out[k-2].macs) == 0 && out[k-1].number == lines[i].number-1 && out[k-2].number == lines[i].number-2 {
			out = append(out[:k-2], joined(out[k-2], out[k-1]))
		}
		for k := range n {
			out = append(out, joined(lines[i+2*k], lines[i+2*k+1]))
		}
		i += 2 * n
	}
	return out
}

// headings are those of a list whose rows stand in groups, each below a line of its own.
type headings struct {
	cut    cutting
	cells  []string
	number int // the last line that belongs to them
}

// groupGap is how many lines may stand between the groups of a list.
const groupGap = 3

// headingAlone keeps headings below which a group begins with a line of its own.
func (r *reader) headingAlone(lines []line, c cutting) {
	last := lines[len(lines)-1]
	if cells := cellsOf(last.text, c); len(cells) > 1 {
		if known, _ := heading(last, cells); known {
			r.headings = headings{c, cells, last.number}
		}
	}
}

// goesOn passes a line that is cut like those before it, or that has but one cell, far in.
func goesOn(l line, c cutting) bool {
	if cuttingOf(l) == c {
		return true
	}
	if c == byBlanks && len(l.addrs) == 1 && len(l.macs) == 1 && strings.Contains(strings.TrimSpace(l.text), "  ") && wholeCells(l, apartFromAddress(cellsOf(l.text, c))) {
		return true // a name that is too long for its column
	}
	return len(l.macs) == 1 && (c == byTab && strings.HasPrefix(l.text, "\t") || c == byBlanks && strings.HasPrefix(l.text, "      "))
}

// fillsColumn passes a line of two columns of which the first is full, so that but one blank parts it
// from the second, which begins where it does on the lines above; it is cut there.
func fillsColumn(above []line, l *line, c cutting) bool {
	if c != byBlanks || len(above) < 2 || len(above) > 100 || len(cellsOf(above[0].text, c)) != 2 || len(l.macs) > 0 {
		return false
	}
	starts := startsOf(above, 1)
	if len(starts) != 2 || starts[1] < 2 || len(l.text) <= starts[1] || !grid.ASCII(l.text) || l.text[starts[1]-1] != ' ' || l.text[starts[1]-2] == ' ' || l.text[starts[1]] == ' ' {
		return false
	}
	l.cells = []string{strings.TrimSpace(l.text[:starts[1]]), strings.TrimSpace(l.text[starts[1]:])}
	l.cut, l.cutting = byBlanks, true
	return true
}

// isList passes lines that are a table: several rows, or one below its headings. A single
// row among others of another form may be a line of a card.
func (r *reader) isList(lines []line, c cutting) bool {
	if r.carried != nil && r.carried.cut == c {
		return true
	}
	devices := 0
	for _, l := range lines {
		if l.row || len(l.macs) > 0 || len(l.addrs) > 0 {
			devices++
		}
	}
	if devices == 0 {
		return len(lines) > 1 && definesServices(cellsOf(lines[0].text, c))
	}
	cells := len(cellsOf(lines[0].text, c))
	if len(lines) > 1 {
		return cells > 1
	}
	return cells > 2
}

// definesServices passes headings of a list that says what names of services stand for.
func definesServices(head []string) bool {
	protocol, ports, name := false, false, false
	for _, h := range head {
		roles, exact := grid.Heading(h)
		has := func(role grid.Role) bool { return exact && slices.Contains(roles, role) }
		protocol, ports = protocol || has(grid.Protocol), ports || grid.Portlike(h)
		name = name || has(grid.Name) || has(grid.Service)
	}
	return protocol && ports && name && len(head) < 5
}

// carried is a list that goes on beyond the lines that are held at once.
type carried struct {
	cut     cutting
	width   int
	reading grid.Reading
	at      int
}

// rawRow is a row with what it says of itself.
type rawRow struct {
	grid.Row
	line line
}

// tables takes lines that are cut alike: one table, or several below each other, each
// with headings of its own.
func (r *reader) tables(title string, lines []line, c cutting, ends bool) {
	cells := cellsIn(lines, c)
	if r.onItsSide(title, lines, cells, c) {
		return
	}
	if head, labelled := labelledCells(cells); labelled && r.carried == nil {
		rows := make([]rawRow, len(lines))
		for i, l := range lines {
			rows[i] = rawRow{grid.Row{Line: l.number, Cells: cells[i]}, l}
		}
		r.table(title, head, rows, uncut, false)
		return
	}
	var head []string
	var rows []rawRow
	flush := func(more bool) {
		if len(rows) > 0 {
			if h := r.headings; head == nil && h.cut == c && c != byBlanks && len(h.cells) == len(rows[0].Cells) && r.carried == nil {
				head = h.cells
			}
			if head != nil {
				r.headings = headings{c, head, rows[len(rows)-1].Line}
			}
			before := len(r.out.Sightings)
			r.table(title, head, rows, c, more)
			if len(rows) == 1 && head == nil {
				r.titledBy(title, before)
			}
			title = ""
		}
		rows = nil
	}
	for i, l := range lines {
		if strings.Count(l.text, "~~")*2 > len(cells[i]) {
			r.unread(l) // struck out
			continue
		}
		known, possible := heading(l, cells[i])
		first := len(rows) == 0 && head == nil && r.carried == nil
		if known || possible && first && i+1 < len(lines) {
			flush(false)
			r.carried = nil
			head = cells[i]
			delete(r.shown, l.number) // it is shown as the headings of its list
			continue
		}
		if len(rows) > 0 && len(l.macs)+len(l.addrs) > 0 && !alike(len(cells[i]), len(rows[len(rows)-1].Cells), head) {
			flush(false)
			head = nil
		}
		rows = append(rows, rawRow{grid.Row{Line: l.number, Cells: cells[i]}, l})
	}
	flush(!ends)
}

// cellLabel is a cell that says what it holds.
var cellLabel = regexp.MustCompile(`^([\pL][\pL .#-]{0,30}?)\s*[:=]\s*(.*)$`)

// labelledCells puts cells that say what they hold into columns of that name; false where most
// do not, or the names are not the same from row to row.
func labelledCells(cells [][]string) (head []string, ok bool) {
	filled, named := 0, 0
	places := make([][]int, len(cells))
	for i, row := range cells[:min(len(cells), 2000)] {
		places[i] = make([]int, len(row))
		for c, cell := range row {
			if cell == "" {
				continue
			}
			filled++
			m := cellLabel.FindStringSubmatch(cell)
			if m == nil || insideAddress(cell) || strings.HasPrefix(m[2], "//") {
				continue
			}
			named++
			at := slices.Index(head, m[1])
			if at < 0 {
				at, head = len(head), append(head, m[1])
			}
			places[i][c] = at + 1
		}
	}
	if len(cells) > 2000 || named < 4 || named*10 < filled*9 || len(head)*3 > named*2 {
		return nil, false
	}
	for i, row := range cells {
		out := make([]string, len(head))
		for c, cell := range row {
			if at := places[i][c]; at > 0 && out[at-1] == "" {
				out[at-1] = cellLabel.FindStringSubmatch(cell)[2]
			}
		}
		cells[i] = out
	}
	return head, true
}

// onItsSide reads lines that begin with a label each: a page of settings or of one device,
// or, with several MAC addresses in a line, a list whose columns are the devices.
func (r *reader) onItsSide(title string, lines []line, cells [][]string, c cutting) bool {
	if len(lines) < 2 || r.carried != nil {
		return false
	}
	wide, labels, macs, ends := len(cells[0]), 0, 0, 0
	for i, row := range cells {
		if len(row) != wide || i == 20 && labels*10 < i*6 {
			return false
		}
		if headingOf(row[0]) != nil && !grid.Typed(row[0]) {
			labels++
		} else if grid.EndOf(row[0]) != 0 {
			ends++
		}
		if len(lines[i].macs) == wide-1 {
			macs++
		}
	}
	if labels > 1 {
		labels += ends
	}
	switch {
	case labels*10 < len(lines)*6:
		return false
	case wide == 2:
		rows := make([]rawRow, len(lines))
		for i, l := range lines {
			rows[i] = rawRow{grid.Row{Line: l.number, Cells: cells[i]}, l}
		}
		r.form(title, rows)
		return true
	case macs == 0:
		return false
	}
	head := make([]string, len(lines))
	rows := make([]rawRow, wide-1)
	for i, row := range cells {
		head[i] = row[0]
		for k := range rows {
			rows[k].Cells = append(rows[k].Cells, row[k+1])
			if len(lines[i].macs) == wide-1 {
				rows[k].Line, rows[k].line = lines[i].number, lines[i]
			}
		}
		delete(r.shown, lines[i].number)
	}
	for k := range rows {
		rows[k].line.text = strings.Join(rows[k].Cells, " ")
	}
	r.table(title, head, rows, c, false)
	return true
}

// alike passes a row that belongs below another: as wide, or short of the last cells of
// a list with headings.
func alike(n, before int, head []string) bool {
	return n == before || head != nil && n <= len(head) && n > len(head)/2
}

// cellsIn cuts lines alike. Of columns made with blanks the places where all lines are
// blank part the cells, so that an empty cell is seen; wide letters count for two or for
// one, as the program that made it thought.
func cellsIn(lines []line, c cutting) [][]string {
	out := make([][]string, len(lines))
	most := 0
	for i, l := range lines {
		if out[i] = l.cells; out[i] == nil {
			out[i] = cellsOf(l.text, c)
		}
		most = max(most, len(out[i]))
	}
	if c != byBlanks {
		return out
	}
	var straight []line // those of which no cell runs into the next
	for i, l := range lines {
		if len(out[i]) < most && len(l.addrs) == 1 {
			if apart := apartFromAddress(out[i]); len(apart) == most {
				out[i] = apart
				continue
			}
		}
		straight = append(straight, l)
	}
	for _, wide := range []int{2, 1} {
		if starts := startsOf(straight, wide); len(starts) >= most {
			for i, l := range lines {
				if len(straight) > 0 && l.number == straight[0].number {
					out[i], straight = atStarts(l.text, starts, wide), straight[1:]
				}
			}
			break
		}
	}
	return out
}

// apartFromAddress parts a cell that ends in an address from the words before it.
func apartFromAddress(cells []string) []string {
	for c, cell := range cells {
		at := strings.LastIndexByte(cell, ' ')
		if at > 0 && isAddr(cell[at+1:]) && !strings.ContainsAny(cell, ":=") {
			return slices.Concat(cells[:c], []string{cell[:at], cell[at+1:]}, cells[c+1:])
		}
	}
	return cells
}

// wideness gives how many places a letter takes.
func wideness(c rune, wide int) int {
	if c < 0x1100 {
		return 1
	}
	if k := width.LookupRune(c).Kind(); k == width.EastAsianWide || k == width.EastAsianFullwidth {
		return wide
	}
	return 1
}

// startsOf gives the places where columns begin: behind two places that are blank on all
// lines.
func startsOf(lines []line, wide int) (starts []int) {
	var filled []bool
	for _, l := range lines {
		at := 0
		for _, ch := range l.text {
			for range wideness(ch, wide) {
				if at >= len(filled) {
					filled = append(filled, false)
				}
				filled[at] = filled[at] || ch != ' '
				at++
			}
		}
	}
	blank := 2
	for at, f := range filled {
		if f && blank >= 2 {
			starts = append(starts, at)
		}
		if blank++; f {
			blank = 0
		}
	}
	return starts
}

func atStarts(text string, starts []int, wide int) []string {
	row := make([]string, len(starts))
	at, col, from := 0, 0, 0
	for k, ch := range text {
		for col+1 < len(starts) && at >= starts[col+1] {
			row[col] = strings.TrimSpace(text[from:k])
			col, from = col+1, k
		}
		at += wideness(ch, wide)
	}
	row[col] = strings.TrimSpace(text[from:])
	return row
}

// table takes one list. More of it follows where it is longer than what is held at once.
func (r *reader) table(title string, head []string, rows []rawRow, c cutting, more bool) {
	if r.carried != nil && head == nil && r.carried.cut == c && r.carried.width == len(rows[0].Cells) {
		for _, row := range r.rows(r.carried.reading, rows, r.carried.at) {
			r.leave(row)
		}
		if !more {
			r.carried = nil
		}
		return
	}
	r.carried = nil
	if c == byBlanks && head != nil && len(head) != len(rows[0].Cells) {
		head = nil // which of them is over which column cannot be told
	}
	head, rows = protocolsBeside(sideBySide(head, rows))
	withoutStamps(rows)
	r.completed(head, rows)
	t := grid.Table{Title: title, Head: head}
	for _, row := range rows {
		t.Rows = append(t.Rows, row.Row)
	}
	if settingNames(head, rows) {
		r.form(title, rows)
		return
	}
	if r.sentInCells(rows) {
		return
	}
	reading, at := r.judge(t)
	if defined := reading.ServicesOf(t.Rows); len(defined) == len(rows) && head != nil {
		r.services = defined
		return
	}
	reading.Services = r.services
	left := r.rows(reading, rows, at)
	if head == nil && len(left) < len(rows) {
		again := 0
		for _, row := range left {
			again += len(row.line.macs)
		}
		if again > 0 { // two lists of one width, without a heading between them
			r.table(title, nil, left, c, false)
			left = nil
		}
	}
	for _, row := range left {
		r.leave(row)
	}
	if more {
		r.carried = &carried{c, len(rows[len(rows)-1].Cells), reading, at}
	}
}

// protocolsBeside makes a column of protocols, and one of ports, of two that are called TCP and UDP: what
// is ticked in one of them is of that protocol, and a port that stands there is.
func protocolsBeside(head []string, rows []rawRow) ([]string, []rawRow) {
	at := map[site.Protocol]int{}
	for c, h := range head {
		words := strings.Fields(h)
		if len(words) == 0 || len(words) > 2 || len(words) == 2 && !grid.Portlike(words[1]) {
			continue
		}
		if p := protocolOf(words[0]); len(words[0]) == 3 && p != "" {
			if _, twice := at[p]; twice {
				return head, rows
			}
			at[p] = c
		}
	}
	if len(at) < 2 {
		return head, rows
	}
	tcp, udp := at[site.TCP], at[site.UDP]
	ticks, ports := true, true
	for _, row := range rows {
		for _, c := range []int{tcp, udp} {
			if c >= len(row.Cells) {
				return head, rows
			}
			cell := row.Cells[c]
			ticks = ticks && (cell == "" || cell == "-" || grid.Switch(cell) != 0)
			ports = ports && (cell == "" || cell == "-" || portsShape.FindString(cell) == cell)
		}
		if len(row.line.macs) > 0 {
			return head, rows // what a device answers on
		}
	}
	head = slices.Clone(head)
	head[udp], head[tcp] = "Protocol", ""
	if !ticks {
		head[tcp] = "Port"
	}
	var out []rawRow
	for _, row := range rows {
		t, u := row.Cells[tcp], row.Cells[udp]
		add := func(protocol, port string) {
			one := row
			one.Cells = slices.Clone(row.Cells)
			one.Cells[udp], one.Cells[tcp] = protocol, port
			out = append(out, one)
		}
		no := func(cell string) bool { return cell == "" || cell == "-" || ticks && grid.Switch(cell) < 0 }
		port := func(cell string) string {
			if ticks {
				return ""
			}
			return cell
		}
		switch {
		case !ticks && !ports, no(t) && no(u):
			add("other", "") // of which of the two it is nobody can tell
		case no(u):
			add("TCP", port(t))
		case no(t):
			add("UDP", port(u))
		case ticks || t == u:
			add("TCP/UDP", port(t))
		default:
			add("TCP", t)
			add("UDP", u)
		}
	}
	return head, out
}

// withoutStamps takes from first cells the time that a log puts there, and what it is of, where all have one.
func withoutStamps(rows []rawRow) {
	for _, row := range rows {
		if len(row.Cells) == 0 || !stampAndSort.MatchString(row.Cells[0]) {
			return
		}
	}
	for i := range rows {
		rows[i].Cells = slices.Clone(rows[i].Cells)
		rows[i].Cells[0] = stampAndSort.ReplaceAllString(rows[i].Cells[0], "")
		if word, name, ok := strings.Cut(rows[i].Cells[0], " "); ok && slices.Contains(headingOf(word), grid.DeviceName) {
			rows[i].Cells[0] = name
		}
	}
}

// stampAndSort is the time of a line of a log (RFC 3339, RFC 3164) with the part of the program behind it.
var stampAndSort = regexp.MustCompile(`^(?:[A-Z][a-z]{2} [ \d]\d \d\d:\d\d:\d\d|\d{4}-\d\d-\d\d[T ]\d\d:\d\d(?::\d\d(?:\.\d+)?)?(?:Z|[+-]\d\d:?\d\d)?)\s+(?:\[[^\]]*\]\s*)?`)

// settingNames passes rows of a name and its value, without a MAC address, whose names are all of what networks
// have.
func settingNames(head []string, rows []rawRow) bool {
	return head == nil && !slices.ContainsFunc(rows, func(row rawRow) bool {
		return len(row.Cells) != 2 || !isAddr(row.Cells[1]) || !ofNetwork(row.Cells[0])
	})
}

// form reads a page of settings as cards: those of a device have a MAC address, and
// nothing that only a network has.
func (r *reader) form(title string, rows []rawRow) {
	var items []item
	macs := 0
	for _, row := range rows {
		i := itemOf(&row.line, row.Cells[1], row.Cells[0])
		if i.mac {
			macs++
		}
		items = append(items, i)
	}
	cards := [][]item{items}
	if macs > 1 {
		cards = byLabels(items)
	}
	if cards == nil || macs == 0 {
		used := r.networkOf(valuesOf(items))
		for _, row := range rows {
			if !used[row.line.number] {
				r.unread(row.line)
			}
		}
		return
	}
	for i := range cards {
		place(cards[i])
	}
	before := len(r.out.Sightings)
	r.cardTable(title, cards)
	r.titledBy(title, before)
}

// titledBy notes what stands above a single device without a name.
func (r *reader) titledBy(title string, at int) {
	if title != "" && len(r.out.Sightings) == at+1 && r.out.Sightings[at].Host == "" && !grid.Known(title) {
		r.below = append(r.below, titledDevice{title, at})
	}
}

// sentInCells reads rows that tell by signs, in one of their cells, where a port goes; false where not all do.
func (r *reader) sentInCells(rows []rawRow) bool {
	if len(rows) > mostLoose/10 {
		return false
	}
	var blocks [][]line
	for _, row := range rows {
		var block []line
		sent := 0
		for _, c := range row.Cells {
			if strings.TrimSpace(c) == "" {
				continue
			}
			l := scan(row.Line, c)
			if l.forward = sendsOn(l); l.forward {
				sent++
			}
			block = append(block, l)
		}
		if sent != 1 || len(block) < 2 {
			return false
		}
		blocks = append(blocks, block)
	}
	for k, block := range blocks {
		if f, ok := forwardIn(block); ok {
			r.sent(f, block)
		} else {
			r.leave(rows[k])
		}
	}
	return true
}

// portWord is a protocol with its port: a row with one tells of a forward rather than of a device.
var portWord = regexp.MustCompile(`(?i)\b(?:tcp|udp)[ /:]*\d`)

// titledDevice is a device without a name of which the particulars stand below a title.
type titledDevice struct {
	title string
	at    int // among the sightings
}

// nameByTitles names devices by what stands above them: of several, each has a title of its own.
func (r *reader) nameByTitles() {
	seen := map[string]bool{}
	for _, d := range r.below {
		if seen[d.title] {
			return
		}
		seen[d.title] = true
	}
	if len(r.below) < 2 {
		return
	}
	for _, d := range r.below {
		if s := &r.out.Sightings[d.at]; s.Host == "" {
			s.Host = d.title
		}
	}
}

// sideBySide takes rows apart that hold several devices beside each other: as many addresses as
// MAC addresses, and the same form of cells in each part; below headings that repeat, or none.
func sideBySide(head []string, rows []rawRow) ([]string, []rawRow) {
	if !slices.ContainsFunc(rows, func(row rawRow) bool { return len(row.line.macs) > 1 }) {
		return head, rows
	}
	most := 0
	for _, row := range rows {
		most = max(most, len(row.line.macs))
	}
	if head != nil {
		w := len(head) / most
		if len(head)%most != 0 || w < 2 || slices.ContainsFunc(rows, func(row rawRow) bool { return len(row.Cells) > len(head) }) {
			return head, rows
		}
		for i := range head {
			if head[i] != head[i%w] {
				return head, rows
			}
		}
		var out []rawRow
		for _, row := range rows {
			for i := 0; i < len(row.Cells); i += w {
				one := row
				one.Cells = append(slices.Clone(row.Cells[i:min(i+w, len(row.Cells))]), make([]string, max(0, i+w-len(row.Cells)))...)
				if strings.Join(one.Cells, "") != "" {
					out = append(out, one)
				}
			}
		}
		return head[:w], out
	}
	var out []rawRow
	for _, row := range rows {
		n := len(row.line.macs)
		if n < 2 || len(row.Cells)%n != 0 || len(row.line.addrs) != 0 && len(row.line.addrs) != n || !repeats(row.Cells, n) {
			out = append(out, row)
			continue
		}
		w := len(row.Cells) / n
		for i := range n {
			one := row
			one.Cells = row.Cells[i*w : (i+1)*w]
			out = append(out, one)
		}
	}
	return nil, out
}

func repeats(cells []string, n int) bool {
	w := len(cells) / n
	for i := w; i < len(cells); i++ {
		_, a := grid.AddressIn(cells[i])
		_, b := grid.AddressIn(cells[i%w])
		if a != b || grid.LooksMAC(cells[i]) != grid.LooksMAC(cells[i%w]) {
			return false
		}
	}
	return w > 1
}

// judge reads the columns of a list, and keeps what it came to.
func (r *reader) judge(t grid.Table) (grid.Reading, int) {
	shape, title := shapeOf(t), strings.TrimSpace(t.Title)
	t.Source = r.source // which may say what it lists
	reading := grid.Read(t, r.roles[shape])
	list := FoundList{Source: r.source, Line: r.lineOf(t.Rows[0].Line), Shape: shape, Title: title, Is: reading.Is, Head: reading.Head, Roles: reading.Roles, Ask: append([]int{}, reading.Ask...), Chosen: len(r.roles[shape]) == len(reading.Roles) && len(reading.Roles) > 0}
	r.ask(t, reading, shape)
	if len(r.out.Lists) < MostLists {
		r.out.Lists = append(r.out.Lists, list)
		return reading, len(r.out.Lists) - 1
	}
	return reading, -1
}

// rows makes sightings or forwards of the rows of a list, and gives those that it could
// make nothing of.
func (r *reader) rows(reading grid.Reading, rows []rawRow, at int) (left []rawRow) {
	used := 0
	var last []site.Trait
	for _, row := range rows[:min(len(rows), MostLines)] {
		if row.line.text != "" {
			r.show(row.Line, row.line.text, at+1, reading.Cells(row.Row))
		}
	}
	for i, row := range rows {
		if i%4096 == 0 && r.over() {
			return nil
		}
		if reading.Is == grid.OfForwards {
			if f, ok := reading.Forward(row.Row); ok && !reading.Open() {
				r.forward(f)
				used++
				continue
			}
			left = append(left, row)
			continue
		}
		d, ok := reading.Device(row.Row)
		ok = ok && !(d.MAC == "" && portWord.MatchString(d.Name))
		if !ok || reading.Is == grid.OfNothing {
			left = append(left, row)
			continue
		}
		used++
		if slices.Equal(d.Traits, last) {
			d.Traits = last // most rows of a long list share them
		}
		last = d.Traits
		r.add(sightingOf(d))
		if !d.Address.IsValid() && slices.ContainsFunc(row.Cells, openAddress.MatchString) {
			r.unread(row.line) // where it is stands there in parts
		}
	}
	if at >= 0 {
		r.out.Lists[at].Rows += used
		r.out.Lists[at].Left += len(left)
	}
	return left
}

// openAddress is an address without its last number.
var openAddress = regexp.MustCompile(`^\d{1,3}(?:\.\d{1,3}){2}\.$`)

// leave tells of a row that came to nothing, if it says anything.
func (r *reader) leave(row rawRow) {
	if row.line.row || len(row.line.words) > 0 && !(row.line.odd && len(row.line.macs) == 0) {
		r.unread(row.line)
	}
}

func (r *reader) takenBetween(a, b int) bool {
	i, _ := slices.BinarySearch(r.takenAt, a+1)
	return i < len(r.takenAt) && r.takenAt[i] < b
}

// shapeOf names the form of a list, so that what a person said of one page holds for the
// next: its headings, or else what its first row looks like.
func shapeOf(t grid.Table) string {
	if t.Head != nil {
		return "head " + strings.ToLower(strings.Join(t.Head, " · "))
	}
	var b strings.Builder
	b.WriteString("row")
	for _, c := range t.Rows[0].Cells {
		_, addr := grid.AddressIn(c)
		switch {
		case grid.LooksMAC(c):
			b.WriteString(" mac")
		case addr:
			b.WriteString(" address")
		default:
			b.WriteString(" text")
		}
	}
	return b.String()
}

func (r *reader) forward(f grid.Forward) {
	r.out.Forwards = append(r.out.Forwards, ForwardLine{
		Name: f.Name, Protocol: f.Protocol, Outside: f.Outside, Address: f.Address, Inside: f.Inside,
		From: append([]string{}, f.From...), Enabled: f.Enabled, Source: r.source, Line: r.lineOf(f.Line),
	})
}

// unquoted takes the marks of quoted mail from the beginnings of lines.
func unquoted(text string) string {
	if !strings.HasPrefix(text, "> ") && !strings.Contains(text, "\n> ") {
		return text
	}
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		for strings.HasPrefix(l, "> ") || strings.HasPrefix(l, ">>") || strings.TrimRight(l, "\r") == ">" {
			l = strings.TrimPrefix(strings.TrimPrefix(l, ">"), " ")
		}
		lines[i] = l
	}
	return strings.Join(lines, "\n")
}
