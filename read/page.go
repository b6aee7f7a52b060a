package read

import (
	"bytes"
	"fmt"
	"os"
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

// The bounds of a workbook: what it may unpack to, in bytes; its sheets; its cells,
// empty ones too, and their text in bytes. A list of devices of any site has some
// ten thousand cells.
const (
	largestWorkbook = 128 << 20
	mostSheets      = 50
	mostCells       = 500_000
	mostCellText    = 16 << 20
)

// LargeWorkbookError says that a workbook holds more than is read.
type LargeWorkbookError struct{ Want string }

func (e *LargeWorkbookError) Error() string {
	return "this workbook is larger than a list of devices: want " + e.Want
}

// workbook reads the sheets of a spreadsheet (ISO/IEC 29500) as tables, row by row.
func (r *reader) workbook(data string) (Result, error) {
	dir, err := os.MkdirTemp("", "vestpin-workbook-") // what is unpacked beside memory goes with it
	if err != nil {
		return blank(), err
	}
	defer os.RemoveAll(dir)
	f, err := excelize.OpenReader(strings.NewReader(data), excelize.Options{UnzipSizeLimit: largestWorkbook, UnzipXMLSizeLimit: 4 << 20, TmpDir: dir})
	if err != nil {
		return blank(), fmt.Errorf("%w (%w)", &span.Malformed{Found: "PK…", Want: fmt.Sprintf("a spreadsheet in XLSX format of at most %d MB unpacked; other archives are not read", largestWorkbook>>20)}, err)
	}
	defer f.Close()
	out := blank()
	sheets := f.GetSheetList()
	if len(sheets) > mostSheets {
		return blank(), &LargeWorkbookError{fmt.Sprintf("at most %d sheets, not %d", mostSheets, len(sheets))}
	}
	room := cellRoom{mostCells, mostCellText}
	for _, name := range sheets {
		text, err := room.sheet(f, name)
		if err != nil {
			return blank(), err
		}
		source := r.source
		if len(sheets) > 1 {
			source += " · " + name
		}
		one := reader{source: source, as: r.as, out: blank(), over: r.over}
		one.lines(text)
		out = Join(out, one.out)
	}
	return out, nil
}

// cellRoom is how many cells and how much text may still come.
type cellRoom struct{ cells, text int }

// sheet gives a sheet as lines with tabs.
func (c *cellRoom) sheet(f *excelize.File, name string) (string, error) {
	rows, err := f.Rows(name)
	if err != nil {
		return "", err
	}
	defer rows.Close()
	var out strings.Builder
	for rows.Next() {
		row, err := rows.Columns()
		if err != nil {
			return "", err
		}
		if c.cells -= len(row) + 1; c.cells < 0 {
			return "", &LargeWorkbookError{fmt.Sprintf("at most %d cells, empty ones too", mostCells)}
		}
		for i, cell := range row {
			if i > 0 {
				out.WriteByte('\t')
			}
			if c.text -= len(cell); c.text < 0 {
				return "", &LargeWorkbookError{fmt.Sprintf("at most %d MB of text in its cells", mostCellText>>20)}
			}
			out.WriteString(strings.Join(strings.Fields(cell), " "))
		}
		out.WriteByte('\n')
	}
	return out.String(), rows.Error()
}
