package read

import (
	"bytes"
	"strconv"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// Parsers of libraries take what they are given, whatever it costs. Each sees a text only
// after a look by what is here, which costs one pass, whatever the text.

// The bounds of YAML: how deep things may lie in each other, and how many marks that begin
// something it may have. A configuration has some ten thousand.
const (
	deepestYAML = 60
	mostYAML    = 200_000
)

// cheapYAML passes YAML that a parser reads in a time and memory in proportion to its size:
// not too deep, and with few references to other parts.
func cheapYAML(text string) bool {
	var indents []int
	flow, marks, references := 0, 0, 0
	for text != "" {
		var line string
		line, text, _ = strings.Cut(text, "\n")
		at := 0
		for at < len(line) && (line[at] == ' ' || line[at] == '-' || line[at] == '?' || line[at] == ':') {
			if line[at] != ' ' { // each is a thing in the one before it
				for len(indents) > 0 && indents[len(indents)-1] > at {
					indents = indents[:len(indents)-1]
				}
				if len(indents) == 0 || indents[len(indents)-1] < at {
					indents = append(indents, at)
				}
				marks++
			}
			at++
		}
		if at == len(line) || line[at] == '#' {
			continue
		}
		for len(indents) > 0 && indents[len(indents)-1] > at {
			indents = indents[:len(indents)-1]
		}
		if len(indents) == 0 || indents[len(indents)-1] < at {
			indents = append(indents, at)
		}
		for _, c := range []byte(line[at:]) {
			switch c {
			case '[', '{':
				flow++
				marks++
			case ']', '}':
				flow = max(0, flow-1)
			case ':', ',', '|', '>', '!':
				marks++
			case '*', '&':
				references++
			}
			if flow+len(indents) > deepestYAML {
				return false
			}
		}
		if marks++; marks > mostYAML || references > 1000 {
			return false
		}
	}
	return true
}

// The formatting elements of HTML: a parser opens those that are not closed anew in each
// block that follows (WHATWG HTML, 13.2.4.3).
var formatting = map[atom.Atom]bool{atom.A: true, atom.B: true, atom.Big: true, atom.Code: true, atom.Em: true, atom.Font: true, atom.I: true, atom.Nobr: true, atom.S: true, atom.Small: true, atom.Strike: true, atom.Strong: true, atom.Tt: true, atom.U: true}

// formats counts what a parser makes of formatting elements that are not closed.
type formats struct {
	open    []atom.Atom
	weights []int // bytes of each
	weight  int
	made    int // bytes
	strayed int // bytes of text in tables and in no cell
}

// see counts a tag; close is that of an end.
func (f *formats) see(name atom.Atom, raw int, closes bool) {
	switch {
	case !formatting[name]:
		f.made += f.weight
	case !closes:
		f.open, f.weights, f.weight = append(f.open, name), append(f.weights, raw), f.weight+raw
	default:
		for k := len(f.open) - 1; k >= 0 && k >= len(f.open)-40; k-- {
			if f.open[k] == name {
				f.weight -= f.weights[k]
				f.open, f.weights = append(f.open[:k], f.open[k+1:]...), append(f.weights[:k], f.weights[k+1:]...)
				return
			}
		}
	}
}

// markLines writes into each tag on which line it stands, and leaves out ends of what was
// never begun. Formatting that would be made anew for each block is left out of the whole page.
func markLines(text string) string {
	if marked, cheap := marked(text, false); cheap {
		return marked
	}
	marked, _ := marked(text, true)
	return marked
}

func marked(text string, plain bool) (out string, cheap bool) {
	var b strings.Builder
	b.Grow(len(text) + len(text)/4)
	z := html.NewTokenizer(strings.NewReader(text))
	open := map[string]int{}
	var f formats
	line, ends := 1, 0
	for t := z.Next(); t != html.ErrorToken; t = z.Next() {
		raw := z.Raw()
		lines := bytes.Count(raw, []byte("\n"))
		switch t {
		case html.StartTagToken, html.SelfClosingTagToken:
			tag, _ := z.TagName()
			name := atom.Lookup(tag)
			open[string(tag)]++
			if f.see(name, len(raw), false); plain && formatting[name] {
				b.WriteByte(' ')
				break
			}
			b.Write(raw[:1+len(tag)])
			b.WriteString(" " + lineMark + "=" + strconv.Itoa(line) + " ")
			b.Write(raw[1+len(tag):])
		case html.EndTagToken:
			tag, _ := z.TagName()
			name := atom.Lookup(tag)
			if f.see(name, len(raw), true); open[string(tag)] == 0 && name != atom.Br || plain && formatting[name] {
				break
			}
			open[string(tag)]--
			ends++
			b.Write(raw)
		case html.TextToken:
			f.made += f.weight
			if open["table"] > 0 && open["td"]+open["th"]+open["caption"] == 0 && len(bytes.TrimSpace(raw)) > 0 {
				f.strayed += len(raw) // a parser gathers it before the table
				if f.made += f.strayed; plain {
					break
				}
			}
			if ends > mostEnds { // what ends nothing would make one text of all that it parts
				b.WriteString("<!---->")
			}
			b.Write(raw)
		default:
			b.Write(raw)
		}
		if line += lines; !plain && f.made > 4*len(text)+1<<20 {
			return "", false
		}
	}
	return b.String(), true
}

// mostEnds is how many ends of elements a page has before each may be one of nothing.
const mostEnds = 5000
