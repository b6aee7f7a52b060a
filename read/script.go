package read

import (
	"regexp"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/net/html"

	"vestpin/read/grid"
)

// script looks for lists in the data of a page: JSON that stands alone or behind "=".
func (p *pager) script(n *html.Node) {
	text := dataOf(n)
	before := len(p.out.Sightings)
	defer func() {
		if len(p.out.Sightings) == before {
			p.calls(dataOf(n))
			p.packed(dataOf(n))
		}
		if at := scriptMAC.FindStringIndex(dataOf(n)); at != nil && len(p.out.Sightings) == before {
			p.unread(line{number: p.number(p.at), text: "a script of the page: …" + dataOf(n)[max(0, at[0]-60):min(len(dataOf(n)), at[1]+60)]})
		}
	}()
	for tries := 0; tries < 40; tries++ {
		at := jsonStart.FindStringIndex(text)
		if at == nil {
			return
		}
		begin := at[1] - 1
		if rest, lines := p.jsonBlock(p.at+strings.Count(text[:begin], "\n"), text[begin:]); lines > 0 {
			text = rest
			continue
		}
		if end := closing(text[begin:]); end > 0 { // as scripts write it: names without quotes
			if rest, lines := p.jsonBlock(p.at, strict(text[begin:begin+end])); lines > 0 && strings.TrimSpace(rest) == "" {
				text = text[begin+end:]
				continue
			}
		}
		text = text[at[1]:]
	}
}

// callShape is a call of a function with texts and figures.
var (
	callShape = regexp.MustCompile(`\b([A-Za-z_$][\w$.]*)\s*\(((?:\s*(?:"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|[-\w.]+)\s*,)+\s*(?:"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|[-\w.]+)\s*)\)`)
	argShape  = regexp.MustCompile(`"((?:[^"\\]|\\.)*)"|'((?:[^'\\]|\\.)*)'|([-\w.]+)`)
	textShape = regexp.MustCompile(`"((?:[^"\\\n]|\\.)*)"|'((?:[^'\\\n]|\\.)*)'`)
)

// mostScript is how much of a script is looked through for calls and packed texts, in bytes.
const mostScript = 1 << 20

// calls reads the calls of one function with a MAC address among what they are given: a list,
// a row for each.
func (p *pager) calls(text string) {
	text = text[:min(len(text), mostScript)]
	byName := map[string][]rawRow{}
	var names []string
	for _, m := range callShape.FindAllStringSubmatchIndex(text, -1) {
		row := rawRow{grid.Row{Line: p.number(p.at + strings.Count(text[:m[0]], "\n"))}, line{}}
		for _, a := range argShape.FindAllStringSubmatch(text[m[4]:m[5]], -1) {
			row.Cells = append(row.Cells, unescape(a[1]+a[2]+a[3]))
		}
		if row.line = scan(row.Line, strings.Join(row.Cells, "  ")); len(row.line.macs)+len(row.line.addrs) == 0 {
			continue
		}
		name := text[m[2]:m[3]] + strings.Repeat(",", len(row.Cells))
		if byName[name] == nil {
			names = append(names, name)
		}
		byName[name] = append(byName[name], row)
	}
	for _, name := range names {
		if len(byName[name]) > 1 {
			p.devices(byName[name])
		}
	}
}

// devices reads rows that name devices.
func (p *pager) devices(rows []rawRow) {
	if slices.ContainsFunc(rows, func(row rawRow) bool { return len(row.line.macs) > 0 }) {
		p.reader.table("", nil, rows, uncut, false)
	}
}

// packed reads texts of a script into which a list is packed: rows parted by one mark, their
// cells by another.
func (p *pager) packed(text string) {
	text = text[:min(len(text), mostScript)]
	for _, m := range textShape.FindAllStringSubmatchIndex(text, -1) {
		from, to := m[2], m[3]
		if from < 0 {
			from, to = m[4], m[5]
		}
		p.unpack(p.at+strings.Count(text[:from], "\n"), strings.NewReplacer(`\n`, "\n", `\t`, "\t", `\/`, "/").Replace(text[from:to]), p.number)
	}
}

// unpack reads one text into which a list is packed; false where it is none. Each row has a MAC
// address, or an address and ports.
func (r *reader) unpack(at int, value string, number func(at int) int) bool {
	macs, addrs := 0, 0
	tokens(value, func(from, to int) {
		if grid.LooksMAC(value[from:to]) {
			macs++
		} else if isAddr(value[from:to]) {
			addrs++
		}
	})
	if macs < 2 && (macs > 0 || addrs < 2) {
		return false
	}
	for _, mark := range []string{"\n", "<", ">", "~", "^", ";", "|", "#", "||", ",", "@", "!"} {
		var rows []rawRow
		fits, width := true, 0
		for _, part := range strings.Split(value, mark) {
			if strings.TrimSpace(part) == "" {
				continue
			}
			cells := splitAny(part, "~^|<>;,#@\t")
			if len(cells) == 1 {
				cells = strings.Fields(part)
			}
			typed := 0
			for k := range cells {
				cells[k] = strings.TrimSpace(cells[k])
				if grid.LooksMAC(cells[k]) || macs == 0 && isAddr(cells[k]) {
					typed++
				}
			}
			width = max(width, len(cells))
			fits = fits && typed == 1 && len(cells) > 1 && (macs > 0 || len(cells) == width && width > 3)
			line := number(at)
			rows = append(rows, rawRow{grid.Row{Line: line, Cells: cells}, scan(line, strings.Join(cells, "  "))})
		}
		if fits && len(rows) > 1 {
			r.table("", nil, rows, uncut, false)
			return true
		}
	}
	return false
}

// splitAny cuts at any of some marks; what stands in front of the first and is empty is no cell.
func splitAny(text, marks string) (out []string) {
	from := 0
	for i := range len(text) {
		if strings.IndexByte(marks, text[i]) >= 0 {
			if i > 0 || text[i] == '\t' {
				out = append(out, text[from:i])
			}
			from = i + 1
		}
	}
	if out = append(out, text[from:]); out[len(out)-1] == "" {
		out = out[:len(out)-1]
	}
	return out
}

// scriptMAC is a MAC address in quotes.
var scriptMAC = regexp.MustCompile(`["'](?i:[0-9a-f]{2}([:-][0-9a-f]{2}){5})["']`)

// closing gives how long the value is with which a text begins, by its brackets.
func closing(text string) int {
	depth, quote := 0, byte(0)
	for i := 0; i < len(text) && i < longestBlock; i++ {
		switch c := text[i]; {
		case quote != 0 && c == '\\':
			i++
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '[' || c == '{':
			depth++
		case c == ']' || c == '}':
			if depth--; depth == 0 {
				return i + 1
			}
		}
	}
	return 0
}

var (
	bareKey   = regexp.MustCompile(`([{,]\s*)([A-Za-z_$][\w$]*)\s*:`)
	oneQuoted = regexp.MustCompile(`'((?:[^'\\]|\\.)*)'`)
)

// strict makes JSON of a value as scripts write it.
func strict(text string) string {
	text = oneQuoted.ReplaceAllStringFunc(text, func(s string) string {
		return strconv.Quote(strings.ReplaceAll(s[1:len(s)-1], `\'`, `'`))
	})
	return bareKey.ReplaceAllString(text, `$1"$2":`)
}

var jsonStart = regexp.MustCompile(`(^\s*|=\s*|\(\s*)[\[{]`)

func dataOf(n *html.Node) string {
	if n.FirstChild != nil && n.FirstChild.Type == html.TextNode {
		return n.FirstChild.Data
	}
	return ""
}
