package read

import (
	"regexp"
	"slices"
	"strings"

	"vestpin/read/grid"
)

// setting is a name with its value in a configuration.
type setting struct{ key, value string }

// entry is one thing that a configuration describes: of what sort it is, by the words that
// lead to it, what it is called there, and its settings.
type entry struct {
	line     int
	sort     string
	settings []setting
}

// grammar is a way to write a configuration: it takes a line, and says whether it is of that
// way. An entry begins where it gives one.
type grammar func(text string) (begins *entry, sets []setting, ok bool)

var (
	sectionShape = regexp.MustCompile(`^config\s+([\w-]+)(?:\s+['"]?([^'"]*)['"]?)?\s*$`)
	optShape     = regexp.MustCompile(`^\s+(?:option|list)\s+([\w.-]+)\s+(?:'([^']*)'|"([^"]*)"|(\S+))\s*$`)
	dottedShape  = regexp.MustCompile(`^\s*(?:set\s+)?([A-Za-z][\w.@\[\]-]*?[.\[@_-]?\d+\]?)[._-]([A-Za-z][\w.-]*)(?:\s*[=:]\s*|\s+)(.*)$`)
	headShape    = regexp.MustCompile(`^\s*\[+([^\[\]]+)\]+\s*$`)
	keyShape     = regexp.MustCompile(`^\s*([A-Za-z][\w .-]{0,40}?)\s*[=:]\s*(.*)$`)
	wordsShape   = regexp.MustCompile(`^([a-z][\w-]*(?: [a-z][\w-]*)*?)(?:\s+(\S+))?$`)
	indentShape  = regexp.MustCompile(`^\s+([a-z][a-z-]*)\s+(\S.*)$`)
)

func bareValue(text string) string {
	text = strings.TrimSpace(strings.TrimRight(strings.TrimSpace(text), ";,"))
	if n := len(text); n > 1 && (text[0] == '"' || text[0] == '\'') && text[n-1] == text[0] {
		return strings.NewReplacer(`\'`, `'`, `\"`, `"`).Replace(text[1 : n-1])
	}
	return text
}

// bySections is the grammar of "config host" with options below.
func bySections(text string) (*entry, []setting, bool) {
	if m := sectionShape.FindStringSubmatch(text); m != nil {
		e := &entry{sort: m[1]}
		if m[2] != "" {
			e.settings = []setting{{"section", m[2]}}
		}
		return e, nil, true
	}
	if m := optShape.FindStringSubmatch(text); m != nil {
		return nil, []setting{{m[1], m[2] + m[3] + m[4]}}, true
	}
	return nil, nil, false
}

// byHeads is the grammar of sections in brackets with names and values below.
func byHeads(text string) (*entry, []setting, bool) {
	if m := headShape.FindStringSubmatch(text); m != nil {
		return &entry{sort: strings.TrimSpace(m[1])}, nil, true
	}
	if m := keyShape.FindStringSubmatch(text); m != nil && (keyed(text) || !insideAddress(text)) && (strings.Contains(m[2], `"`) || strings.Count(m[2], "=") == 0) {
		return nil, []setting{{m[1], bareValue(m[2])}}, true
	}
	return nil, nil, false
}

// keyed passes a text in which a sign of equality stands before any colon.
func keyed(text string) bool {
	at := strings.IndexAny(text, "=:")
	return at >= 0 && text[at] == '='
}

// byIndent is the grammar of commands with further commands set in below them.
func byIndent(text string) (*entry, []setting, bool) {
	if m := indentShape.FindStringSubmatch(text); m != nil {
		value := bareValue(m[2])
		if there := severalShape.FindStringSubmatch(value); there != nil {
			var out []setting
			if there[1] != "" {
				out = append(out, setting{m[1] + " address", there[1]})
			}
			if there[2]+there[3] != "" {
				out = append(out, setting{m[1] + " port", there[2] + there[3]})
			}
			return nil, out, true
		}
		if first, _, _ := strings.Cut(value, " "); grid.Typed(first) {
			value = first
		}
		return nil, []setting{{m[1], value}}, true
	}
	if m := wordsShape.FindStringSubmatch(text); m != nil && m[2] != "" {
		return &entry{sort: m[1], settings: []setting{{"section", bareValue(m[2])}}}, nil, true
	}
	return nil, nil, text == "!" || text == "end" || text == "exit"
}

// severalShape is what a command of several words says: an address, its ports, or both.
var severalShape = regexp.MustCompile(`^(?:(?:(?:ip )?address )?(\d+\.\d+\.\d+\.\d+) ports? (\d[\d,-]*)|ports? (\d[\d,-]*))$`)

// byTitles is the grammar of a title with labelled values set in below it.
func byTitles(text string) (*entry, []setting, bool) {
	if strings.Contains(text, ". .") {
		return nil, nil, false // leaders of a program for its own settings
	}
	if m := labelledShape.FindStringSubmatch(text); m != nil {
		return nil, []setting{{strings.TrimSpace(m[1]), bareValue(m[2])}}, true
	}
	if text[0] > ' ' && !strings.ContainsAny(text, "\t|=") && !strings.Contains(strings.TrimSuffix(text, ":"), ": ") && len(text) < 80 && len(scan(0, text).macs)+len(scan(0, text).addrs) == 0 {
		return &entry{sort: strings.TrimSpace(strings.TrimSuffix(text, ":"))}, nil, true
	}
	return nil, nil, false
}

var (
	labelledShape = regexp.MustCompile(`^\s+([\pL][\pL\d .()/-]{0,40}?)\s*[:=]\s+(\S.*)$`)
	openShape     = regexp.MustCompile(`^\s*([\w.-]+(?:\s+(?:[\w.-]+|"[^"]*"))*?)(?:\s+("[^"]*"|'[^']*'|[\w.:-]+))?\s*\{\s*$`)
	insideBraces  = regexp.MustCompile(`^\s*([A-Za-z][\w.-]*)[\s=:]+(.*?)\s*[;,]?\s*$`)
)

// iscWords are statements that ISC dhcpd and its client alone write so.
var iscWords = regexp.MustCompile(`^(hardware\s+ethernet\s|fixed-address\s|subnet\s+[\d.]+\s+netmask\s|lease(\s+[\d.]+)?\s*\{|option\s+[a-z-]+\s.*;$|default-lease-time\s|max-lease-time\s|binding\s+state\s)`)

// bracesApart puts what stands on one line with its braces on lines of its own.
func bracesApart(lines []numbered) (out []numbered) {
	for _, l := range lines {
		inside := strings.Trim(strings.TrimSpace(l.text), "{};")
		if !strings.ContainsAny(inside, "{}") && strings.Count(l.text, "{") != strings.Count(l.text, "}")+1 && strings.Count(l.text, ";") < 2 || strings.Contains(l.text, "#") {
			out = append(out, l)
			continue
		}
		if len(l.text) > longest {
			return lines
		}
		quoted, from := byte(0), 0
		for i := range len(l.text) {
			switch c := l.text[i]; {
			case quoted != 0:
				if c == quoted {
					quoted = 0
				}
			case c == '"' || c == '\'':
				quoted = c
			case c == '{' || c == ';':
				out = append(out, numbered{l.number, l.text[from : i+1]})
				from = i + 1
			case c == '}':
				out = append(out, numbered{l.number, l.text[from:i]}, numbered{l.number, "}"})
				from = i + 1
			}
		}
		out = append(out, numbered{l.number, l.text[from:]})
	}
	return slices.DeleteFunc(out, func(l numbered) bool { return strings.TrimSpace(l.text) == "" })
}

// byBraces reads blocks in braces, in each other: one that has settings is an entry.
func byBraces(lines []numbered) (entries []entry, ok bool) {
	var open []int // the entries in which a line lies
	all, fits, some := 0, 0, false
	ended := slices.ContainsFunc(lines, func(l numbered) bool { return strings.HasSuffix(l.text, ";") })
	for _, l := range lines {
		text := strings.TrimSpace(l.text)
		if text == "" || text[0] == '#' || strings.HasPrefix(text, "//") {
			continue
		}
		all++
		if strings.Contains(text, `":`) || ended && iscWords.MatchString(text) {
			return nil, false // JSON, or of a program that has a reader of its own
		}
		if m := openShape.FindStringSubmatch(l.text); m != nil {
			e := entry{line: l.number, sort: strings.ReplaceAll(m[1], `"`, "")}
			if m[2] != "" {
				e.settings = []setting{{"section", bareValue(m[2])}}
			}
			open, entries, fits = append(open, len(entries)), append(entries, e), fits+1
			continue
		}
		if strings.Trim(text, "};") == "" {
			if len(open) > 0 {
				open = open[:len(open)-1]
			}
			fits++
			continue
		}
		if m := insideBraces.FindStringSubmatch(l.text); m != nil && len(open) > 0 && !strings.ContainsAny(text, "{}") {
			e := &entries[open[len(open)-1]]
			if at := strings.IndexByte(m[2], ' '); at > 0 && isAddr(m[2][:at]) && portsShape.FindString(m[2][at+1:]) == m[2][at+1:] {
				m[2] = m[2][:at] + ":" + m[2][at+1:] // an address and the ports there
			}
			e.settings = append(e.settings, setting{m[1], bareValue(m[2])})
			some, fits = some || grid.Typed(bareValue(m[2])) || isAddr(m[2]), fits+1
		} else if w := strings.TrimRight(text, ";,"); len(open) > 0 && w != text && grid.Switch(w) != 0 {
			e := &entries[open[len(open)-1]]
			e.settings = append(e.settings, setting{w, "yes"}) // it is said by being there
			fits++
		}
	}
	entries = slices.DeleteFunc(entries, func(e entry) bool {
		return !slices.ContainsFunc(e.settings, func(s setting) bool { return s.key != "section" })
	})
	return entries, some && fits*10 >= all*8 && len(entries) > 1 && len(open) == 0
}

// records reads a configuration in which entries have their settings on lines of their own;
// false for what is none. Its entries of one sort are a list: the names of their settings are
// its headings.
func (r *reader) records(text string) bool {
	if len(text) > longestShort || !r.reads("table") {
		return false
	}
	lines := joinedLines(text)
	if n := strings.Count(text, "{"); n > 1 && n == strings.Count(text, "}") {
		apart := bracesApart(lines)
		if entries, ok := byBraces(apart); ok {
			flat, deep := *r, *r
			flat.out, deep.out = blank(), blank()
			titled(entries)
			flat.entries(entries, true)
			deep.tree(braceTree(apart))
			if deep.out.firm() > flat.out.firm() {
				*r = deep // things lie in each other
			} else {
				*r = flat
			}
			return true
		}
	}
	for _, g := range []grammar{bySections, byHeads, byIndent, byTitles} {
		if entries, ok := r.entriesOf(lines, g); ok {
			titled(entries)
			r.entries(entries, true)
			return true
		}
	}
	if n, ok := pathTree(lines); ok {
		r.tree(n)
		return true
	}
	if entries, ok := dotted(lines); ok {
		r.entries(entries, false) // of these many only tell what is there
		return true
	}
	return false
}

// titled parts the titles of sections into their sort and the name of the one thing: where
// several begin with one word, or differ in a number, that is their sort; a title that comes
// again is one; others are names.
func titled(entries []entry) {
	first, whole := map[string]int{}, map[string]int{}
	for _, e := range entries {
		w, _, _ := strings.Cut(e.sort, " ")
		first[w]++
		if w = dottedTitle(e.sort); w != "" {
			first[w]++
		}
		whole[e.sort]++
	}
	for i := range entries {
		e := &entries[i]
		w, name, more := strings.Cut(e.sort, " ")
		stem := strings.TrimRight(e.sort, "0123456789-_.: ")
		switch {
		case whole[e.sort] > 1:
		case !more && dottedTitle(e.sort) != "" && first[dottedTitle(e.sort)] > 1:
			w = dottedTitle(e.sort)
			e.settings = append([]setting{{"section", bareValue(e.sort[len(w)+1:])}}, e.settings...)
			e.sort = w
		case more && first[w] > 1:
			e.sort, e.settings = w, append([]setting{{"section", bareValue(name)}}, e.settings...)
		case stem != e.sort && stem != "":
			e.sort = stem
		case len(e.settings) > 0 && e.settings[0].key == "section":
		default:
			e.sort, e.settings = "", append([]setting{{"section", bareValue(e.sort)}}, e.settings...)
		}
	}
}

// dottedTitle gives the table of a title as TOML has it, "hosts" of "hosts.till"; nothing where it is none.
func dottedTitle(title string) string {
	table, name, ok := strings.Cut(title, ".")
	if !ok || table == "" || name == "" || strings.ContainsAny(title, " /:") || strings.Trim(table, "0123456789") == "" {
		return ""
	}
	return table
}

// firm counts the devices with a MAC address and the forwards of a result.
func (r Result) firm() int {
	n := len(r.Forwards)
	for _, s := range r.Sightings {
		if s.MAC != "" {
			n++
		}
	}
	return n
}

// braceTree makes a tree of blocks in braces: the words before a brace are the names that lead to it.
func braceTree(lines []numbered) *node {
	root := &node{fields: map[string]*node{}}
	open := []*node{root}
	for _, l := range lines {
		text := strings.TrimSpace(l.text)
		top := open[len(open)-1]
		switch words := quotedWords(strings.TrimRight(text, " {;,")); {
		case text == "" || text[0] == '#' || strings.HasPrefix(text, "//"):
		case strings.Trim(text, "};,") == "":
			if len(open) > 1 {
				open = open[:len(open)-1]
			}
		case strings.HasSuffix(text, "{") && len(open) < 60:
			for _, w := range words {
				w = bareValue(strings.TrimRight(w, "=:"))
				if w == "" {
					continue
				}
				if top.fields[w] == nil || top.fields[w].fields == nil {
					top.fields[w] = &node{line: l.number, fields: map[string]*node{}}
				}
				top = top.fields[w]
			}
			open = append(open, top)
		default:
			m := insideBraces.FindStringSubmatch(text)
			if m == nil {
				m = []string{"", strings.TrimRight(text, ";,"), ""}
			}
			value := bareValue(m[2])
			if value == "" {
				value = "yes" // it is said by being there
			}
			top.fields[m[1]] = &node{line: l.number, text: value}
		}
	}
	return root
}

// pathTree reads commands that each set one value, deep in things that lie in each other: the
// words that several commands begin with are the names of those things.
func pathTree(lines []numbered) (*node, bool) {
	root := &node{fields: map[string]*node{}}
	all, fits, typed, verb := 0, 0, 0, ""
	for _, l := range lines {
		text := strings.TrimSpace(l.text)
		if text == "" || text[0] == '#' || text[0] == '!' {
			continue
		}
		all++
		words := quotedWords(strings.ReplaceAll(text, "'", `"`))
		if len(words) < 3 || len(words) > 30 || verb != "" && words[0] != verb || strings.Contains(text, "=") || strings.Contains(text, " --") || words[0][0] == '-' || strings.Trim(words[0], "abcdefghijklmnopqrstuvwxyz-") != "" {
			continue
		}
		verb = words[0]
		fits++
		at, above := root, root
		for _, w := range words[1:] {
			w = bareValue(w)
			if at.fields[w] == nil {
				at.fields[w] = &node{line: l.number, fields: map[string]*node{}}
			}
			if grid.Typed(w) && at != root { // a value; further names and values of the same thing may follow
				typed++
				at = above
				continue
			}
			above, at = at, at.fields[w]
		}
	}
	if fits < 4 || fits*10 < all*8 || typed < 2 {
		return nil, false
	}
	setValues(root)
	return root, len(root.fields) < fits
}

// setValues makes values of the last words of paths: where one alone stands behind a name it is what
// the name says, several are a list, and a name with nothing behind it says that it is so.
func setValues(n *node) {
	for name, v := range n.fields {
		if len(v.fields) == 0 {
			*v = node{line: v.line, text: "yes"}
			continue
		}
		leaves := 0
		for _, w := range v.fields {
			if len(w.fields) == 0 {
				leaves++
			}
		}
		switch {
		case leaves == len(v.fields) && leaves == 1:
			for word := range v.fields {
				*v = node{line: v.line, text: word}
			}
		case leaves == len(v.fields) && !slices.ContainsFunc(sortedKeys(v.fields), func(w string) bool { return isFlag(w) }):
			var items []*node
			for _, word := range sortedKeys(v.fields) {
				items = append(items, &node{line: v.line, text: word})
			}
			*v = node{line: v.line, items: items}
		default:
			setValues(v)
		}
		n.fields[name] = v
	}
}

// numbered is a line with its number.
type numbered struct {
	number int
	text   string
}

// joinedLines gives the lines of a text; those that end in "\" go on in the next.
func joinedLines(text string) (out []numbered) {
	open := false
	for i, l := range strings.Split(text, "\n") {
		l = strings.TrimRight(l, " \t\r")
		if open {
			out[len(out)-1].text += " " + strings.TrimSpace(l)
		} else {
			out = append(out, numbered{i + 1, l})
		}
		last := &out[len(out)-1]
		if open = strings.HasSuffix(last.text, `\`); open {
			last.text = strings.TrimRight(strings.TrimSuffix(last.text, `\`), " ")
		}
	}
	return out
}

// entriesOf reads lines by one grammar; false where too few are of it, or no entry has what
// looks like an address.
func (r *reader) entriesOf(lines []numbered, of grammar) (entries []entry, ok bool) {
	all, fits, deep, some := 0, 0, 0, false
	var stray []numbered
	for _, l := range lines {
		if strings.TrimSpace(l.text) == "" || strings.HasPrefix(strings.TrimSpace(l.text), "#") || strings.HasPrefix(l.text, "!") {
			continue
		}
		if all++; all == 400 && fits*2 < all {
			return nil, false
		}
		e, sets, known := of(l.text)
		if word := strings.TrimSpace(l.text); !known && l.text[0] <= ' ' && len(entries) > 0 && !strings.Contains(word, " ") && grid.Switch(word) != 0 {
			sets, known = []setting{{word, "yes"}}, true // it is said by being there
		}
		if !known && l.text[0] > ' ' && sendsOn(scan(l.number, l.text)) {
			stray = append(stray, l)
			all--
			continue
		}
		switch {
		case !known, e == nil && len(entries) == 0:
			stray = append(stray, l)
			continue
		case e != nil:
			e.line = l.number
			entries = append(entries, *e)
		default:
			last := &entries[len(entries)-1]
			last.settings = append(last.settings, sets...)
			deep++
			for _, s := range sets {
				some = some || grid.Typed(s.value)
			}
		}
		fits++
	}
	keys := map[string]int{}
	for _, e := range entries {
		for _, s := range e.settings {
			keys[s.key]++
		}
	}
	again := 0 // settings that several entries have
	for _, n := range keys {
		if n > 1 {
			again++
		}
	}
	if again == 0 || all == 0 || fits*10 < all*8 || deep < 2 || !some || deep*2 < fits || len(entries) < 2 {
		return nil, false
	}
	for _, l := range stray {
		r.line(r.kinds(), l.number, l.text, false)
	}
	r.layout(true)
	return entries, true
}

// dotted reads settings whose names are paths with numbers in them, as device models write
// them (TR-181): those with one beginning are one entry.
func dotted(lines []numbered) (entries []entry, ok bool) {
	at := map[string]int{}
	all, fits := 0, 0
	ends := endInNumbers(lines)
	for _, l := range lines {
		if strings.TrimSpace(l.text) == "" {
			continue
		}
		all++
		m := dottedShape.FindStringSubmatch(l.text)
		if path := bracketPath(l.text); path != "" {
			m = dottedShape.FindStringSubmatch(path)
		} else if n := lastShape.FindStringSubmatch(l.text); m == nil && ends && n != nil {
			m = []string{"", n[2], n[1], n[3]}
		}
		if m == nil {
			continue
		}
		fits++
		k, have := at[m[1]]
		if !have {
			k = len(entries)
			at[m[1]] = k
			entries = append(entries, entry{line: l.number, sort: strings.TrimRight(m[1], "0123456789.@[]_-")})
		}
		entries[k].settings = append(entries[k].settings, setting{m[2], bareValue(m[3])})
	}
	return entries, fits*10 >= all*6 && fits > 3 && len(entries) > 1
}

// lastShape is a setting whose name ends in the number of its entry.
var lastShape = regexp.MustCompile(`^\s*(?:set\s+)?([A-Za-z][\w.-]*?)[_.-]?(\d{1,3})\s*[=:]\s*(.*)$`)

// endInNumbers reports whether the names of settings end in the numbers of entries that have at least
// three settings each.
func endInNumbers(lines []numbered) bool {
	stems := map[string]int{}
	for _, l := range lines {
		if m := lastShape.FindStringSubmatch(l.text); m != nil {
			stems[m[1]]++
		}
	}
	several := 0
	for _, n := range stems {
		if n > 1 {
			several++
		}
	}
	return several > 2
}

var (
	assignShape = regexp.MustCompile(`^\s*\$?([A-Za-z_]\w*(?:\.\w+|\[(?:\d+|'[\w .-]+'|"[\w .-]+")\])+)\s*=\s*(.*?);?\s*$`)
	partShape   = regexp.MustCompile(`\[['"]?([\w .-]+?)['"]?\]`)
)

// bracketPath writes an assignment to a part of an array with dots: "$a['b'][0]['c'] = 'd';"
// is "a.b.0.c = d"; nothing for what is none.
func bracketPath(text string) string {
	if !strings.Contains(text, "[") {
		return ""
	}
	m := assignShape.FindStringSubmatch(text)
	if m == nil {
		return ""
	}
	return partShape.ReplaceAllString(m[1], ".$1") + " = " + m[2]
}

// entries makes lists of the entries of a configuration, one for each sort; told if it is what
// somebody told the router, not what it saw. A setting that an
// entry has several times, as a device with two MAC addresses, makes as many rows of it.
func (r *reader) entries(all []entry, told bool) {
	for len(all) > 0 {
		sort := all[0].sort
		var same, others []entry
		for _, e := range all {
			if e.sort == sort {
				same = append(same, e)
			} else {
				others = append(others, e)
			}
		}
		all = others
		var head []string
		var rows []rawRow
		for _, e := range same {
			for _, s := range e.settings {
				if !slices.Contains(head, s.key) && len(head) < mostSpanned {
					head = append(head, s.key)
				}
			}
		}
		for _, e := range same {
			rows = append(rows, rowsOf(e, head)...)
		}
		if told && !slices.ContainsFunc(rows, func(row rawRow) bool { return len(row.line.macs) > 0 }) && r.settingsOf(same) {
			continue
		}
		if slices.ContainsFunc(rows, func(row rawRow) bool { return len(row.line.macs)+len(row.line.addrs) > 0 }) {
			if told && !slices.ContainsFunc(rows, func(row rawRow) bool { return len(row.line.macs) > 0 && len(row.line.addrs) == 0 }) {
				sort += " reservations" // a configuration that ties the two
			}
			r.table(strings.NewReplacer(".", " ", "_", " ", "-", " ").Replace(sort), head, rows, uncut, false)
		}
	}
}

// settingsOf takes entries that tell of networks, not of devices: none has a MAC address or a
// port, and they tell of more than an address. What else they say is told as not understood.
func (r *reader) settingsOf(entries []entry) bool {
	if len(entries) > 3 || slices.ContainsFunc(entries, func(e entry) bool {
		return slices.ContainsFunc(e.settings, func(s setting) bool { return grid.Portlike(s.key) || spokenIn(s.value) != "" })
	}) {
		return false
	}
	before := len(r.own)
	for _, e := range entries {
		var list []namedValue
		for k, s := range e.settings {
			list = append(list, namedValue{s.key, s.value, k})
		}
		r.networkOf(list)
	}
	if len(r.own) > before+1 { // which of them is meant nobody can tell
		r.own = r.own[:before]
	}
	return true
}

// rowsOf makes rows of an entry.
func rowsOf(e entry, head []string) (out []rawRow) {
	row := rawRow{grid.Row{Line: e.line, Cells: make([]string, len(head))}, line{}}
	more := [][2]string{}
	for _, s := range e.settings {
		c := slices.Index(head, s.key)
		if c < 0 {
			continue
		}
		if row.Cells[c] != "" && grid.Typed(s.value) {
			more = append(more, [2]string{s.key, s.value})
			continue
		}
		if row.Cells[c] != "" {
			row.Cells[c] += ", "
		}
		row.Cells[c] += s.value
	}
	add := func(cells []string) {
		row.Cells = cells
		row.line = scan(e.line, strings.Join(cells, "  "))
		out = append(out, row)
	}
	first := row.Cells
	add(first)
	for _, m := range more {
		cells := slices.Clone(first)
		cells[slices.Index(head, m[0])] = m[1]
		add(cells)
	}
	return out
}
