package read

import (
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"vestpin/read/grid"
)

// tagShape is a tag that pages are made of.
var tagShape = regexp.MustCompile(`(?i)<(html|head|body|main|table|t[rdh]|tbody|form|fieldset|select|option|input|label|textarea|details|div|li|[uod]l|d[td]|section|article|aside|header|footer|nav|span|pre|script|style|p|h[1-6])[\s>]`)

// looksHTML passes a page saved from a browser, or a part of one.
func looksHTML(text string) bool {
	head := strings.TrimSpace(text)
	for strings.HasPrefix(head, "<!--") {
		_, after, ok := strings.Cut(head, "-->")
		if !ok {
			return false
		}
		head = strings.TrimSpace(after)
	}
	if !strings.HasPrefix(head, "<") {
		return false
	}
	low := strings.ToLower(head[:min(len(head), 200)])
	return strings.HasPrefix(low, "<!doctype html") || strings.HasPrefix(low, "<html") || !strings.HasPrefix(low, "<?xml") && tagShape.MatchString(head[:min(len(head), 1<<16)])
}

// lineMark is the attribute that keeps the line on which an element begins.
const lineMark = "data-vestpin-line"

// page reads a page: its tables, what else repeats with a MAC address in each part, and
// the rest as lines. Nothing of it is run or fetched.
func (r *reader) page(text string) {
	marked := markLines(text)
	if low := strings.ToLower(strings.TrimSpace(text)); strings.HasPrefix(low, "<tr") || strings.HasPrefix(low, "<td") {
		marked = "<table>" + marked
	}
	doc, err := html.Parse(strings.NewReader(marked))
	if err != nil { // deeper than anybody writes
		r.lines(text)
		return
	}
	apartInline(doc)
	p := pager{reader: r, macs: map[*html.Node]int{}, addrs: map[*html.Node]int{}, kinds: r.kinds(), at: 1}
	p.count(doc, 0)
	if p.counted = true; p.values.once < len(p.values.count) { // some stand there more than once
		p.count(doc, 0)
	}
	p.walk(doc)
	p.endLine()
	r.closeAdapter()
	r.layout(true)
}

type pager struct {
	*reader
	macs    map[*html.Node]int // how many MAC addresses of devices are in each element
	addrs   map[*html.Node]int // and how many private addresses
	inTable map[string]int     // of the table that is counted: how often each MAC address stands in it
	values  frequency          // how often each stands on the page
	counted bool
	classes map[string]int // by which elements are told apart
	kinds   []kind
	at      int // the line of the page
	began   int
	row     strings.Builder
	blank   bool
	depth   int
}

// deepest is how deep elements may lie in each other; what is deeper is read as text.
const deepest = 400

func hidden(n *html.Node) bool {
	switch n.DataAtom {
	case atom.Script, atom.Style, atom.Head, atom.Select, atom.Template, atom.Noscript, atom.Svg, atom.Meter, atom.Progress:
		return true
	}
	return false
}

// count counts the MAC addresses of devices in each element, and gives how many of
// whatever there are as whole words.
func (p *pager) count(n *html.Node, depth int) (whole int) {
	text := n.Data
	switch {
	case n.Type == html.ElementNode && hidden(n) || n.Type == html.CommentNode || depth > deepest:
		return 0
	case n.DataAtom == atom.Input:
		text = attr(n, "value")
	case n.Type != html.TextNode:
		text = ""
	}
	total, addrs := 0, 0
	for _, w := range strings.FieldsFunc(text, between) {
		if grid.LooksMAC(w) {
			whole++
			total += p.one(w)
		} else if a, ok := grid.AddressIn(w); ok && a.IsPrivate() {
			addrs++
		}
	}
	if n.DataAtom == atom.Table && !hasTable(n) {
		p.inTable = map[string]int{}
		defer func() { p.inTable = nil }()
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		whole += p.count(c, depth+1)
		total += p.macs[c]
		addrs += p.addrs[c]
	}
	p.addrs[n] = addrs
	if whole == 0 && n.Type == html.ElementNode && n.DataAtom != atom.Body && n.DataAtom != atom.Html {
		// a MAC address that is cut by tags in the middle
		if flat := strings.Join(strings.Fields(innerText(n, 300)), ""); len(flat) < 200 && strings.Count(flat, ":")+strings.Count(flat, "-") >= 5 && cutMAC.MatchString(flat) {
			total, whole = 1, 1
		}
	}
	p.macs[n] = total
	return whole
}

// one counts a MAC address, if it is of one device.
func (p *pager) one(text string) int {
	text = strings.ToLower(text)
	if !p.counted {
		// Two tables may tell of one device.
		if p.inTable != nil {
			p.inTable[text]++
		}
		if p.inTable == nil || p.inTable[text] > p.values.count[text] {
			p.values.add(text)
		}
		return 1
	}
	if p.values.often(text) {
		return 0
	}
	return 1
}

var cutMAC = regexp.MustCompile(`(?i)[0-9a-f]{2}([:-][0-9a-f]{2}){5}`)

func attr(n *html.Node, key string) string {
	for _, a := range n.Attr {
		if a.Key == key {
			return a.Val
		}
	}
	return ""
}

// innerText is the text of an element, as far as that many bytes.
func innerText(n *html.Node, most int) string {
	var b strings.Builder
	var add func(n *html.Node, depth int)
	add = func(n *html.Node, depth int) {
		if b.Len() > most || depth > deepest || n.Type == html.ElementNode && hidden(n) {
			return
		}
		if n.Type == html.TextNode {
			b.WriteString(n.Data)
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			add(c, depth+1)
		}
	}
	add(n, 0)
	return b.String()
}

func (p *pager) mark(n *html.Node) {
	if at, err := strconv.Atoi(attr(n, lineMark)); err == nil {
		p.at = at
	}
}

func (p *pager) walk(n *html.Node) {
	if p.depth++; p.depth > deepest {
		p.depth--
		p.word(innerText(n, longest))
		return
	}
	defer func() { p.depth-- }()
	switch n.Type {
	case html.TextNode:
		p.word(n.Data)
		p.at += strings.Count(n.Data, "\n")
		return
	case html.CommentNode:
		p.at += strings.Count(n.Data, "\n")
		return
	case html.ElementNode:
		p.mark(n)
		if n.DataAtom == atom.Script {
			p.script(n)
		}
		for _, a := range n.Attr {
			if len(a.Val) > 20 && (a.Val[0] == '{' || a.Val[0] == '[') {
				p.jsonBlock(p.at, a.Val)
			}
		}
		if n.DataAtom == atom.Head {
			for c := range n.Descendants() {
				if p.mark(c); c.DataAtom == atom.Script {
					p.script(c)
				}
			}
		}
		if n.DataAtom == atom.Select { // what may be chosen, each with its device
			p.attributes(n)
			if said, _ := saysOf(n); len(said) < 100 && !grid.Typed(said) {
				p.word(" " + said + " ")
			}
		}
		if hidden(n) {
			return
		}
		switch {
		case n.DataAtom == atom.Table && !hasTable(n):
			p.table(n)
			return
		case n.DataAtom == atom.Pre || n.DataAtom == atom.Textarea:
			p.pre(n)
			return
		case n.DataAtom == atom.Input:
			said, _ := saysOf(n)
			p.word(" " + said + " ")
			return

		case p.records(n):
			return
		case p.labelRows(n):
			return
		case n.DataAtom == atom.Label && ownLine(n):
			label, value, _ := labelled(n)
			p.endLine()
			p.word(label + ": " + value)
			p.endLine()
			return
		}
	}
	block := n.Type == html.ElementNode && isBlock(n)
	if block && n.DataAtom != atom.Dd {
		p.endLine()
	}
	if v := attr(n, "aria-checked") + attr(n, "aria-pressed"); block && (v == "true" || v == "false") && strings.TrimSpace(innerText(n, 10)) != "" {
		defer func() { // below what it says
			said, _ := saysOf(n)
			p.word(said)
			p.endLine()
			p.blank = true
		}()
	}
	done := p.attributes(n)
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if !done[c] {
			p.walk(c)
		}
	}
	if have := p.row.String(); (n.DataAtom == atom.Label || n.DataAtom == atom.Dt) && have != "" && !strings.HasSuffix(strings.TrimSpace(have), ":") {
		p.row.WriteString(": ") // what follows is what it labels
	}
	if block && n.DataAtom != atom.Dt {
		p.endLine()
		switch n.DataAtom {
		case atom.Li, atom.Article, atom.Ul, atom.Dl, atom.Section, atom.Hr:
			p.blank = true // a card ends
		}
	}
}

// apartInline puts a blank where an element within a line begins with a whole address, or follows an
// element that ends in one, without a blank between them: the page sets them apart by its styles.
func apartInline(doc *html.Node) {
	inline := func(n *html.Node) bool {
		return n != nil && n.Type == html.ElementNode && !isBlock(n) && !hidden(n) && n.DataAtom != atom.Input && n.DataAtom != atom.Select
	}
	var places []*html.Node
	for n := range doc.Descendants() {
		if !inline(n) || n.PrevSibling == nil {
			continue
		}
		text := innerText(n, 60)
		first, _, _ := strings.Cut(text, " ")
		before := ""
		if b := n.PrevSibling; b.Type == html.TextNode {
			before = b.Data
		} else if inline(b) {
			before = innerText(b, 60)
			last := before[strings.LastIndexAny(before, " \n\t")+1:]
			if r, _ := utf8.DecodeRuneInString(text); wholeAddress(last) && (unicode.IsLetter(r) || unicode.IsDigit(r)) {
				places = append(places, n)
				continue
			}
		}
		if r, _ := utf8.DecodeLastRuneInString(before); wholeAddress(first) && (unicode.IsLetter(r) || unicode.IsDigit(r) || r == '%') {
			places = append(places, n)
		}
	}
	for _, n := range places {
		n.Parent.InsertBefore(&html.Node{Type: html.TextNode, Data: " "}, n)
	}
}

// wholeAddress passes a word that is an address or a MAC address of its own.
func wholeAddress(w string) bool {
	return len(w) > 6 && (grid.LooksMAC(w) || fullAddress.MatchString(w))
}

// fullAddress is an address with nothing beside it.
var fullAddress = regexp.MustCompile(`^\d{1,3}(?:\.\d{1,3}){3}$`)

// labelRows reads an element whose parts each hold a label and a value beside it, and nothing else, as
// lines; false where it is none, or most of the labels are not known.
func (p *pager) labelRows(n *html.Node) bool {
	if p.macs[n] > 1 || n.DataAtom == atom.Table || n.DataAtom == atom.Tbody {
		return false
	}
	var lines []leaf
	known, pairs := 0, 0
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if c.Type == html.TextNode && strings.TrimSpace(c.Data) != "" {
			return false
		}
		if c.Type != html.ElementNode {
			continue
		}
		p.mark(c)
		label, value, ok := labelAndValue(c)
		if !ok {
			if p.macs[c]+p.addrs[c] > 0 || len(innerText(c, 100)) > 80 {
				return false
			}
			lines = append(lines, leaf{text: innerText(c, 100), at: p.at}) // a title
			continue
		}
		pairs++
		if roles, _ := grid.Heading(label); roles != nil {
			known++
		}
		lines = append(lines, leaf{label: label, text: value, at: p.at})
	}
	if pairs < 3 || known*2 < pairs {
		return false
	}
	p.endLine()
	for _, l := range lines {
		p.at = l.at
		if l.label != "" {
			p.word(strings.TrimRight(l.label, " :") + ": ")
		}
		p.word(l.text)
		p.endLine()
	}
	p.blank = true
	return true
}

// labelAndValue takes an element apart that holds two others of text alone.
func labelAndValue(n *html.Node) (label, value string, ok bool) {
	var parts []string
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if c.Type == html.TextNode && strings.TrimSpace(c.Data) == "" {
			continue
		}
		if c.Type != html.ElementNode || len(parts) == 2 {
			return "", "", false
		}
		for d := range c.Descendants() {
			if d.Type == html.ElementNode {
				return "", "", false
			}
		}
		parts = append(parts, strings.Join(strings.Fields(innerText(c, 200)), " "))
	}
	if len(parts) != 2 || parts[0] == "" || parts[1] == "" || grid.Typed(parts[0]) {
		return "", "", false
	}
	return parts[0], parts[1], true
}

// ownLine passes a label around one field that stands by itself among others of a form.
func ownLine(n *html.Node) bool {
	switch n.Parent.DataAtom {
	case atom.Fieldset, atom.Form, atom.Div, atom.Section, atom.Main, atom.Body:
	default:
		return false
	}
	for c := range n.Descendants() {
		if kind := attr(c, "type"); c.DataAtom == atom.Input && (kind == "checkbox" || kind == "radio") {
			return false
		}
	}
	label, value, ok := labelled(n)
	return ok && label != "" && value != ""
}

func isBlock(n *html.Node) bool {
	switch n.DataAtom {
	case atom.Br, atom.P, atom.Div, atom.Li, atom.Dt, atom.Dd, atom.H1, atom.H2, atom.H3, atom.H4, atom.H5, atom.H6, atom.Section, atom.Article, atom.Ul, atom.Ol, atom.Dl, atom.Tr, atom.Td, atom.Th, atom.Table, atom.Caption, atom.Header, atom.Footer, atom.Main, atom.Nav, atom.Aside, atom.Form, atom.Fieldset, atom.Legend, atom.Hr, atom.Option, atom.Body:
		return true
	}
	return false
}

func hasTable(n *html.Node) bool {
	for c := range n.Descendants() {
		if c.DataAtom == atom.Table {
			return true
		}
	}
	return false
}

func (p *pager) word(text string) {
	clean := strings.Join(strings.Fields(text), " ")
	if clean == "" {
		if p.row.Len() > 0 && text != "" && !strings.HasSuffix(p.row.String(), " ") {
			p.row.WriteByte(' ')
		}
		return
	}
	if p.row.Len() == 0 {
		p.began = p.at + strings.Count(text[:len(text)-len(strings.TrimLeft(text, " \t\r\n"))], "\n")
	}
	if have := p.row.String(); have != "" && !strings.HasSuffix(have, " ") && text[0] <= ' ' {
		p.row.WriteByte(' ')
	}
	p.row.WriteString(clean)
	if text[len(text)-1] <= ' ' {
		p.row.WriteByte(' ')
	}
}

// number gives the next line of what is read the line of the page.
func (p *pager) number(at int) int {
	p.from = append(p.from, at)
	return len(p.from)
}

func (p *pager) endLine() {
	if text := strings.TrimSpace(p.row.String()); text != "" {
		p.line(p.kinds, p.number(p.began), text, p.blank)
		p.blank = false
	}
	p.row.Reset()
}

// pre takes text whose lines are those of the page.
func (p *pager) pre(n *html.Node) {
	p.endLine()
	for i, raw := range strings.Split(innerText(n, MaxBytes), "\n") {
		if strings.TrimSpace(raw) == "" {
			p.blank = true
			continue
		}
		p.line(p.kinds, p.number(p.at+i), strings.TrimSuffix(raw, "\r"), p.blank)
		p.blank = false
	}
}

// table takes a table of a page.
func (p *pager) table(n *html.Node) {
	p.endLine()
	title := ""
	var lines []line
	spans := map[int]spanned{}
	off, some := []bool{}, false
	var rows func(n *html.Node)
	rows = func(n *html.Node) {
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			switch c.DataAtom {
			case atom.Caption:
				title = strings.Join(strings.Fields(innerText(c, 200)), " ")
			case atom.Tr:
				p.mark(c)
				if l, ok := p.tableRow(c, spans); ok {
					lines = append(lines, l)
					off = append(off, saysOff(c))
					some = some || off[len(off)-1]
				}
			case atom.Thead, atom.Tbody, atom.Tfoot, atom.Form, atom.Div:
				rows(c)
			}
		}
	}
	rows(n)
	if title == "" {
		title = p.title()
	}
	p.layout(true)
	if len(lines) == 0 {
		return
	}
	if some && !slices.ContainsFunc(lines, func(l line) bool { return len(l.macs) > 0 }) {
		for i := range lines { // a column of what the rows say of themselves
			said := "[x]"
			if off[i] {
				said = "[ ]"
			}
			if len(lines[i].addrs) == 0 {
				said = "Enabled"
			}
			lines[i].cells = append(slices.Clone(lines[i].cells), said)
		}
	}
	lines = onOneLine(lines)
	if !slices.ContainsFunc(lines, func(l line) bool { return len(l.macs)+len(l.addrs) > 0 }) {
		for _, l := range lines {
			p.line(p.kinds, l.number, l.text, false)
		}
		return
	}
	p.tables(title, lines, byTab, true)
}

// saysOff reports whether an element says by its class or state that it is off.
func saysOff(n *html.Node) bool {
	if attr(n, "aria-disabled") == "true" || attr(n, "data-enabled") == "false" {
		return true
	}
	return slices.ContainsFunc(strings.FieldsFunc(attr(n, "class"), func(c rune) bool { return c == ' ' || c == '-' || c == '_' }), func(w string) bool {
		return offClass[strings.ToLower(w)]
	})
}

// offClass are words in the classes of rows that are off; others, as "block", are of how they look.
var offClass = map[string]bool{"disabled": true, "inactive": true, "deactivated": true, "off": true, "paused": true, "suspended": true}

// onOneLine joins rows that are made of two: below each stands one with a single cell.
func onOneLine(lines []line) []line {
	single := func(l line) string {
		text := ""
		for _, c := range l.cells {
			if c != "" && text != "" {
				return ""
			}
			text += c
		}
		return text
	}
	begin := 0
	if len(lines)%2 == 1 {
		begin = 1 // below the headings
	}
	if len(lines)-begin < 4 {
		return lines
	}
	for i := begin; i < len(lines); i += 2 {
		if single(lines[i]) != "" || single(lines[i+1]) == "" || len(lines[i].macs) > 0 && len(lines[i+1].macs) > 0 || len(lines[i+1].macs)+len(lines[i+1].addrs) == 0 {
			return lines
		}
	}
	out := slices.Clone(lines[:begin])
	for i := begin; i < len(lines); i += 2 {
		cells := slices.Clone(lines[i].cells)
		for _, part := range strings.FieldsFunc(single(lines[i+1]), func(c rune) bool { return c == '·' || c == '|' || c == '\n' || c == '•' }) {
			part = strings.TrimSpace(part)
			if _, value, ok := strings.Cut(part, " "); ok && grid.Typed(value) {
				part = value // behind what it is
			}
			cells = append(cells, part)
		}
		l := scan(lines[i].number, strings.Join(cells, "\t"))
		l.cells = cells
		out = append(out, l)
	}
	if begin == 1 {
		head := slices.Clone(out[0].cells)
		for len(head) < len(out[1].cells) {
			head = append(head, "")
		}
		out[0].cells = head
	}
	return out
}

// title takes the line above a list for what it says of the list.
func (p *pager) title() string {
	n := len(p.loose)
	if n == 0 || len(p.loose[n-1].words) > 8 || len(p.loose[n-1].macs)+len(p.loose[n-1].addrs) > 0 {
		return ""
	}
	text := p.loose[n-1].text
	p.loose = p.loose[:n-1]
	return text
}

// mostSpanned is how many cells of a row may come from cells that are wider or higher than
// one: more than any page shows.
const mostSpanned = 200

// spanned is a cell that goes on in so many rows below.
type spanned struct {
	text string
	rows int
}

func (p *pager) tableRow(n *html.Node, spans map[int]spanned) (line, bool) {
	var cells []string
	fill := func() {
		for len(cells) < mostSpanned && spans[len(cells)].rows > 0 {
			s := spans[len(cells)]
			spans[len(cells)] = spanned{s.text, s.rows - 1}
			cells = append(cells, s.text)
		}
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		if c.DataAtom != atom.Td && c.DataAtom != atom.Th {
			continue
		}
		fill()
		var text []string
		for _, i := range p.leaves(c) {
			text = append(text, i.text)
		}
		if high, err := strconv.Atoi(attr(c, "rowspan")); err == nil && high > 1 && len(cells) < mostSpanned {
			spans[len(cells)] = spanned{strings.Join(text, "\n"), min(high, 10_000) - 1}
		}
		cells = append(cells, strings.Join(text, "\n"))
		if wide, err := strconv.Atoi(attr(c, "colspan")); err == nil {
			for range min(wide, mostSpanned-len(cells), 50) - 1 {
				cells = append(cells, "")
			}
		}
	}
	fill()
	text := strings.Join(cells, "\t")
	if strings.TrimSpace(text) == "" {
		return line{}, false
	}
	l := scan(p.number(p.at), text)
	l.cells = cells
	return l, true
}

// leaf is a piece of text of a page that stands by itself.
type leaf struct {
	text, label, path string
	at                int
}

// leaves gives the pieces of an element in their order, each with the way to it.
func (p *pager) leaves(n *html.Node) (out []leaf) {
	if said, ok := chosen(n); ok && said != "" {
		return []leaf{{said, "", "", p.at}}
	}
	var fragments []string
	label, path, at := "", "", p.at
	flush := func() {
		whole := strings.Join(strings.Fields(strings.Join(fragments, "")), " ")
		apart := false
		for _, f := range fragments {
			f = strings.TrimSpace(f)
			apart = apart || f != whole && (grid.LooksMAC(f) || isAddr(f))
		}
		if joined := strings.ReplaceAll(whole, " ", ""); cutMAC.MatchString(joined) && len(joined) == 17 || cutAddress.MatchString(joined) {
			whole, apart = joined, false
		}
		if !apart {
			fragments = []string{whole}
		}
		for k, f := range fragments {
			if f = strings.Join(strings.Fields(f), " "); f != "" {
				if last := len(out) - 1; last >= 0 && out[last].label == label && halfWritten(out[last].text) && grid.LooksMAC(out[last].text+f) {
					out[last].text += f
					continue
				}
				out = append(out, leaf{f, label, path + strings.Repeat("+", k), at})
			}
		}
		fragments = nil
	}
	var walk func(n *html.Node, way string, depth int)
	walk = func(n *html.Node, way string, depth int) {
		if depth > deepest || n.Type == html.ElementNode && hidden(n) && n.DataAtom != atom.Select {
			return
		}
		switch n.Type {
		case html.TextNode:
			if len(fragments) == 0 {
				path = way
			}
			if strings.TrimSpace(n.Data) != "" || len(fragments) > 0 {
				fragments = append(fragments, n.Data)
			}
			return
		case html.ElementNode:
			if v, err := strconv.Atoi(attr(n, lineMark)); err == nil && len(fragments) == 0 {
				at = v
			}
			if said, whole := saysOf(n); whole {
				if said != "" {
					fragments = append(fragments, " "+said+" ")
					path = way
				}
				return
			}
			if said, ok := chosen(n); ok {
				flush()
				if said != "" {
					out = append(out, leaf{said, label, way, at})
				}
				return
			}
			if n.DataAtom == atom.Label {
				if said, value, ok := labelled(n); ok {
					flush()
					if value != "" {
						out = append(out, leaf{value, said, way, at})
					}
					return
				}
			}
		}
		block := n.Type == html.ElementNode && isBlock(n)
		if block {
			flush()
		}
		first := labelCell(n)
		if first != nil {
			label = strings.Join(strings.Fields(innerText(first, 100)), " ")
		}
		nth := map[string]int{}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			if c == first {
				continue
			}
			key := "#"
			if c.Type == html.ElementNode {
				key = p.kindOf(c)
			}
			nth[key]++
			if runTogether(c) {
				flush()
			}
			walk(c, way+">"+key+strconv.Itoa(nth[key]), depth+1)
		}
		if !block {
			return
		}
		before := len(out)
		flush()
		if n.DataAtom == atom.Dt || n.DataAtom == atom.Th && len(out) > before && beside(n) {
			if len(out) > before {
				label = out[len(out)-1].text
				out = out[:before]
			}
		} else if n.DataAtom == atom.Dd || n.DataAtom == atom.Td {
			label = ""
		}
	}
	nth := map[string]int{}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		key := "#"
		if c.Type == html.ElementNode {
			key = p.kindOf(c)
		}
		nth[key]++
		walk(c, key+strconv.Itoa(nth[key]), 0)
	}
	flush()
	return out
}

// runTogether passes an element that begins with a letter right behind another that ends with one: the page
// shows them apart.
func runTogether(n *html.Node) bool {
	before := n.PrevSibling
	if n.Type != html.ElementNode || before == nil || before.Type != html.ElementNode || attr(n, "class")+attr(before, "class") == "" && len(n.Attr)+len(before.Attr) < 4 {
		return false
	}
	a, b := strings.TrimSpace(innerText(before, 200)), strings.TrimSpace(innerText(n, 200))
	if a == "" || b == "" || scan(0, a+b).macs != nil {
		return false
	}
	last, _ := utf8.DecodeLastRuneInString(a)
	first, _ := utf8.DecodeRuneInString(b)
	return unicode.IsLetter(last) && unicode.IsLetter(first)
}

// kindOf is a short word for the name of an element with its classes.
func (p *pager) kindOf(n *html.Node) string {
	class := attr(n, "class")
	if len(class) < 12 {
		return n.Data + "." + class
	}
	id, seen := p.classes[class]
	if !seen {
		if p.classes == nil {
			p.classes = map[string]int{}
		}
		id = len(p.classes)
		p.classes[class] = id
	}
	return n.Data + "#" + strconv.Itoa(id)
}

// beside reports whether other cells stand in the row of one.
func beside(cell *html.Node) bool {
	for c := cell.Parent.FirstChild; c != nil; c = c.NextSibling {
		if c != cell && (c.DataAtom == atom.Td || c.DataAtom == atom.Th) {
			return true
		}
	}
	return false
}

// labelCell gives the first of the two cells of a row, where it says what the other holds.
func labelCell(row *html.Node) *html.Node {
	if row.DataAtom != atom.Tr {
		return nil
	}
	var cells []*html.Node
	for c := row.FirstChild; c != nil; c = c.NextSibling {
		if c.DataAtom == atom.Td || c.DataAtom == atom.Th {
			cells = append(cells, c)
		}
	}
	if len(cells) != 2 || cells[0].DataAtom == atom.Th || headingOf(innerText(cells[0], 100)) == nil {
		return nil
	}
	return cells[0]
}

// records reads what repeats: an element whose parts hold a MAC address each.
func (p *pager) records(n *html.Node) bool {
	of := p.macs
	if p.macs[n] == 0 {
		of = p.addrs
	}
	if of[n] < 2 {
		return false
	}
	var parts []*html.Node
	children := p.partsBelow(n, of)
	for _, c := range children {
		switch {
		case of[c] > 1:
			return false
		case of[c] == 1:
			if c.Type != html.ElementNode {
				return false
			}
			parts = append(parts, c)
		}
	}
	if len(parts) < 2 || p.macs[n] == 0 && slices.ContainsFunc(parts, func(c *html.Node) bool {
		return c.Data != parts[0].Data || slices.Contains([]atom.Atom{atom.P, atom.Tr, atom.Dd, atom.Dt, atom.Span}, c.DataAtom)
	}) || p.bareParts(children, parts) {
		return false
	}
	p.endLine()
	if p.macs[n] == 0 && (p.forwardParts(parts, p.leaves) || p.forwardParts(parts, p.sentences)) {
		return true
	}
	var cards [][]item
	var head []leaf
	var above []*leaf // what stands alone before each card
	for _, c := range children {
		if c.Type != html.ElementNode {
			continue
		}
		p.mark(c)
		leaves := p.leaves(c)
		if of[c] == 0 {
			if len(cards) == 0 && len(leaves) > 1 {
				head = leaves
			} else if len(leaves) == 1 && len(above) == len(cards) && !grid.Known(leaves[0].text) {
				above = append(above, &leaves[0])
			} else {
				for _, l := range leaves {
					p.loose = append(p.loose, scan(p.number(l.at), l.text))
				}
			}
			continue
		}
		var card []item
		for _, l := range leaves {
			if whole := scan(0, l.text); len(whole.macs) > 0 && len(whole.macs)+len(whole.addrs) > 1 {
				_, cells := cutAtAddresses(l.text)
				for k, text := range cells {
					if text != "" && !grid.Known(text) {
						whole := scan(p.number(l.at), text)
						i := itemOf(&whole, text, "")
						i.path = l.path + strings.Repeat("/", k)
						card = append(card, i)
					}
				}
				continue
			}
			whole := scan(p.number(l.at), l.text)
			i := itemOf(&whole, l.text, l.label)
			if i.label == "" {
				if label, value := labelOf(l.text); label != "" && !i.mac && !i.addr {
					i = itemOf(i.line, value, label)
				}
			}
			i.path = l.path
			card = append(card, i)
		}
		if len(card) > 0 && !slices.ContainsFunc(card, func(i item) bool { return i.mac || p.macs[n] == 0 && i.addr }) {
			for _, i := range card {
				p.loose = append(p.loose, *i.line)
			}
			continue
		}
		cards = append(cards, card)
	}
	p.titledCards(cards, above)
	notTheirsOf(cards)
	title := p.title()
	p.layout(true)
	named(cards, head)
	p.cardTable(title, cards)
	return true
}

// bareParts passes parts that hold a MAC address and nothing else, with at least as many others beside
// them: what belongs together stands in a row of elements, and is cut as lines of text are.
func (p *pager) bareParts(children, parts []*html.Node) bool {
	others := 0
	for _, c := range children {
		if c.Type == html.ElementNode && !slices.Contains(parts, c) && strings.TrimSpace(innerText(c, 20)) != "" {
			others++
		}
	}
	return others >= len(parts) && !slices.ContainsFunc(parts, func(c *html.Node) bool {
		text := strings.TrimSpace(innerText(c, longest))
		if _, value := labelOf(text); value != "" {
			text = value
		}
		return len(strings.Fields(text)) > 1
	})
}

// titledCards gives each card what stands alone before it, where each has something else there; other
// such texts go to the loose ones.
func (p *pager) titledCards(cards [][]item, above []*leaf) {
	seen := map[string]bool{}
	for _, l := range above {
		seen[l.text] = true
	}
	fits := len(above) == len(cards) && len(seen) == len(cards)
	for k, l := range above {
		whole := scan(p.number(l.at), l.text)
		if !fits {
			p.loose = append(p.loose, whole)
			continue
		}
		i := itemOf(&whole, l.text, "")
		i.path = "above"
		cards[k] = append([]item{i}, cards[k]...)
	}
}

// partsBelow gives the elements that an element falls into: its children; or, where these are
// groups, the elements of one kind below them that each hold one address, with what stands between.
func (p *pager) partsBelow(n *html.Node, of map[*html.Node]int) (out []*html.Node) {
	groups := false
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		out = append(out, c)
		groups = groups || of[c] > 1
	}
	if !groups || p.macs[n] == 0 || hasTable(n) {
		return out
	}
	kind := p.kindOf
	var first *html.Node // the outermost element of the kind of most
	for c := range n.Descendants() {
		if c.Type == html.ElementNode && of[c] == 1 && of[c.Parent] > 1 {
			first = c
			break
		}
	}
	if first == nil {
		return out
	}
	var flat []*html.Node
	found := 0
	var below func(n *html.Node, depth int)
	below = func(n *html.Node, depth int) {
		for c := n.FirstChild; c != nil && depth < deepest; c = c.NextSibling {
			switch {
			case of[c] == 1 && c.Type == html.ElementNode && kind(c) == kind(first):
				found++
				flat = append(flat, c)
			case of[c] > 0:
				below(c, depth+1)
			default:
				flat = append(flat, c)
			}
		}
	}
	if below(n, 0); found != of[n] {
		return out
	}
	return flat
}

// forwardParts reads parts of a page that each tell of one forward, in the pieces that are given of each;
// false where they are none.
func (p *pager) forwardParts(parts []*html.Node, leavesOf func(*html.Node) []leaf) bool {
	var blocks [][]line
	for _, c := range parts {
		p.mark(c)
		var block []line
		sent := 0
		leaves := leavesOf(c)
		if said, whole := saysOf(c); whole && said != "" {
			leaves = append(leaves, leaf{text: said, at: p.at})
		}
		for _, leaf := range leaves {
			l := scan(p.number(leaf.at), leaf.text)
			if l.forward = sendsOn(l); l.forward {
				sent++
			}
			block = append(block, l)
		}
		if sent != 1 {
			return false
		}
		blocks = append(blocks, block)
	}
	for _, block := range blocks {
		if f, ok := forwardIn(block); ok {
			p.sent(f, block)
		} else {
			p.giveUp(block)
		}
	}
	return true
}

// sentences gives the lines of an element of which some pieces are set apart; nothing where it is one
// line, which is read among others of its kind.
func (p *pager) sentences(n *html.Node) (out []leaf) {
	for _, l := range p.leaves(n) {
		if last := len(out) - 1; last >= 0 && strings.HasSuffix(l.path, "+") && out[last].label == l.label {
			out[last].text += " " + l.text
		} else {
			out = append(out, l)
		}
	}
	if len(out) < 2 {
		return nil
	}
	return out
}

// notTheirsOf does what notTheirs does for the particulars of all cards.
func notTheirsOf(cards [][]item) {
	var all []item
	for _, c := range cards {
		all = append(all, c...)
	}
	notTheirs(all)
	for _, c := range cards {
		copy(c, all)
		all = all[len(c):]
	}
}

// named gives the particulars of cards the headings that stand above them, where there
// are as many; and the place of an address its name, where a card has but one.
func named(cards [][]item, head []leaf) {
	labels := 0
	for _, l := range head {
		if grid.Known(l.text) {
			labels++
		}
	}
	var places []string
	for _, card := range cards {
		at := 0
		for _, i := range card {
			if k := slices.Index(places, i.path); k >= 0 {
				at = k + 1
				continue
			}
			places = slices.Insert(places, at, i.path) // in the order in which they stand
			at++
		}
	}
	several := false // a card with several addresses: their places tell them apart
	for _, card := range cards {
		n := 0
		for _, i := range card {
			if i.addr {
				n++
			}
		}
		several = several || n > 1
	}
	fits := labels*2 >= len(head) && len(head) == len(places)
	for _, card := range cards {
		macs, addrs := 0, 0
		for _, i := range card {
			if i.mac {
				macs++
			}
			if i.addr {
				addrs++
			}
		}
		for k := range card {
			i := &card[k]
			if fits && i.label == "" {
				i.label = head[slices.Index(places, i.path)].text
			}
			switch {
			case i.label != "" && !fits:
				i.path = "label " + i.label
			case i.mac && macs == 1:
				i.path = "mac"
			case i.addr && addrs == 1 && !several:
				i.path = "address"
			}
		}
	}
}

// halfWritten passes a text that ends in the middle of a MAC address, which goes on after
// the line break in its cell.
func halfWritten(row string) bool {
	row = strings.TrimRight(row, " ")
	n, _ := halfMAC(row[strings.LastIndexAny(row, " \t")+1:])
	return n > 0
}
