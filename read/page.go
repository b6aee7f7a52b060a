package read

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/xuri/excelize/v2"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"vestpin/core/span"
)

// looksHTML passes a page saved from a browser.
func looksHTML(text string) bool {
	head := strings.ToLower(text[:min(len(text), 2048)])
	return strings.HasPrefix(strings.TrimSpace(head), "<") &&
		(strings.Contains(head, "<html") || strings.Contains(head, "<!doctype") || strings.Contains(head, "<table") || strings.Contains(head, "<body") || strings.Contains(head, "<div"))
}

// plainPage makes lines of a page as one would copy them from a browser: a row of
// a table is a line with tabs, a block a line of its own. From gives for each
// line the line of the page. Nothing of it is run or fetched.
func plainPage(text string) (plain string, from []int) {
	p := page{at: 1}
	z := html.NewTokenizer(strings.NewReader(text))
	hidden := atom.Atom(0)
	for {
		t := z.Next()
		if t == html.ErrorToken {
			break
		}
		lines := bytes.Count(z.Raw(), []byte("\n"))
		tok := z.Token()
		switch {
		case hidden != 0:
			if t == html.EndTagToken && tok.DataAtom == hidden {
				hidden = 0
			}
		case t == html.TextToken:
			p.word(tok.Data)
		case t == html.StartTagToken && (tok.DataAtom == atom.Script || tok.DataAtom == atom.Style || tok.DataAtom == atom.Head || tok.DataAtom == atom.Select):
			hidden = tok.DataAtom
		default:
			p.tag(t, tok)
		}
		p.at += lines
	}
	p.endLine()
	return p.out.String(), p.from
}

type page struct {
	out   strings.Builder
	from  []int
	row   strings.Builder
	at    int // line of the page
	began int // line of the page at which the row began
	cells int // deep in cells of a table
}

func (p *page) word(text string) {
	clean := strings.Join(strings.Fields(text), " ")
	if clean == "" {
		return
	}
	if p.row.Len() == 0 {
		p.began = p.at + strings.Count(text[:len(text)-len(strings.TrimLeft(text, " \t\r\n"))], "\n")
	}
	if last := p.row.String(); last != "" && !strings.HasSuffix(last, "\t") && (text[0] == ' ' || text[0] == '\n') {
		p.row.WriteByte(' ')
	}
	p.row.WriteString(clean)
	if strings.HasSuffix(text, " ") {
		p.row.WriteByte(' ')
	}
}

func (p *page) tag(t html.TokenType, tok html.Token) {
	switch tok.DataAtom {
	case atom.Td, atom.Th:
		if t == html.StartTagToken {
			p.cells++
			if p.row.Len() > 0 || p.cells > 1 {
				p.row.WriteByte('\t')
			}
			if p.row.Len() == 0 {
				p.began = p.at
			}
		} else {
			p.cells = max(0, p.cells-1)
		}
	case atom.Tr, atom.Table:
		p.cells = 0
		p.endLine()
	case atom.Input:
		for _, a := range tok.Attr {
			if a.Key == "value" {
				p.word(" " + a.Val + " ")
			}
		}
	case atom.Br, atom.P, atom.Div, atom.Li, atom.Dt, atom.Dd, atom.H1, atom.H2, atom.H3, atom.H4, atom.Section, atom.Article, atom.Ul, atom.Dl, atom.Pre:
		if p.cells > 0 {
			if p.row.Len() > 0 && !strings.HasSuffix(p.row.String(), "\t") && !halfWritten(p.row.String()) {
				p.row.WriteByte(' ')
			}
			return
		}
		p.endLine()
		if tok.DataAtom == atom.Li && t == html.EndTagToken || tok.DataAtom == atom.Article || tok.DataAtom == atom.Ul || tok.DataAtom == atom.Dl {
			p.newLine("", p.at) // a card ends
		}
	}
}

// halfWritten passes a row that ends in the middle of a MAC address, which goes
// on after the line break in its cell.
func halfWritten(row string) bool {
	row = strings.TrimRight(row, " ")
	n, _ := halfMAC(row[strings.LastIndexAny(row, " \t")+1:])
	return n > 0
}

func (p *page) endLine() {
	if strings.TrimSpace(p.row.String()) != "" {
		p.newLine(strings.TrimRight(p.row.String(), " \t"), p.began)
	}
	p.row.Reset()
}

func (p *page) newLine(text string, at int) {
	p.out.WriteString(text)
	p.out.WriteByte('\n')
	p.from = append(p.from, at)
}

// largestWorkbook is how much a workbook may unpack to, in bytes.
const largestWorkbook = 128 << 20

// workbook reads each sheet of a spreadsheet as a table; the line is the row.
func (r *reader) workbook(data string) (Result, error) {
	f, err := excelize.OpenReader(strings.NewReader(data), excelize.Options{UnzipSizeLimit: largestWorkbook, UnzipXMLSizeLimit: 16 << 20})
	if err != nil {
		return blank(), fmt.Errorf("%w (%w)", &span.Malformed{Found: "PK…", Want: "a spreadsheet in XLSX format; other archives are not read"}, err)
	}
	defer f.Close()
	out := blank()
	sheets := f.GetSheetList()
	for _, name := range sheets {
		rows, err := f.GetRows(name)
		if err != nil {
			return blank(), err
		}
		var text strings.Builder
		for _, row := range rows {
			for i, c := range row {
				if i > 0 {
					text.WriteByte('\t')
				}
				text.WriteString(strings.Join(strings.Fields(c), " "))
			}
			text.WriteByte('\n')
		}
		source := r.source
		if len(sheets) > 1 {
			source += " · " + name
		}
		one := reader{source: source, as: r.as, out: blank()}
		one.lines(text.String())
		out = Join(out, one.out)
	}
	return out, nil
}
