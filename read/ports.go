package read

import (
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"vestpin/read/portlist"
)

// PortList reads the ports that a manual, a page of a device or a person lists, pasted as
// text or saved as a page. Errors: *TooLongError, or what decoding gave.
func PortList(data []byte) (portlist.List, error) {
	if len(data) > MaxPortList {
		return portlist.List{}, &TooLongError{MaxPortList}
	}
	text, err := decode(string(data))
	if err != nil {
		return portlist.List{}, err
	}
	if looksHTML(text) {
		text = plain(text)
	}
	return portlist.Read(strings.FieldsFunc(text, func(c rune) bool { return c == '\n' || c == '\r' || c == 0x2028 })), nil
}

// MaxPortList is the most text of a list of ports.
const MaxPortList = 512 << 10

// plain gives the text of a page: a line for each block, with the cells of a row apart.
func plain(page string) string {
	var b strings.Builder
	z := html.NewTokenizer(strings.NewReader(page))
	skip := atom.Atom(0)
	for {
		switch t := z.Next(); t {
		case html.ErrorToken:
			return b.String()
		case html.TextToken:
			if skip == 0 {
				b.WriteString(strings.Join(strings.Fields(string(z.Text())), " ") + " ")
			}
		case html.StartTagToken, html.SelfClosingTagToken, html.EndTagToken:
			name, more := z.TagName()
			a := atom.Lookup(name)
			switch a {
			case atom.Script, atom.Style:
				if skip = a; t == html.EndTagToken {
					skip = 0
				}
			case atom.Td, atom.Th:
				if t == html.EndTagToken {
					b.WriteString(" | ")
				}
			case atom.Input:
				for more {
					var key, value []byte
					if key, value, more = z.TagAttr(); string(key) == "value" {
						b.WriteString(" " + string(value) + " ")
					}
				}
			case atom.Tr, atom.Br, atom.P, atom.Div, atom.Li, atom.H1, atom.H2, atom.H3, atom.H4, atom.Dt, atom.Option:
				b.WriteByte('\n')
			}
		}
	}
}
