package read

import (
	"archive/zip"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/xuri/excelize/v2"

	"vestpin/core/span"
)

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
	longFormats, err := dear(data)
	if err != nil {
		return blank(), err
	}
	dir, err := os.MkdirTemp("", "vestpin-workbook-") // what is unpacked beside memory goes with it
	if err != nil {
		return blank(), err
	}
	defer os.RemoveAll(dir)
	f, err := excelize.OpenReader(strings.NewReader(data), excelize.Options{UnzipSizeLimit: largestWorkbook, UnzipXMLSizeLimit: 4 << 20, TmpDir: dir, RawCellValue: longFormats})
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
		one := reader{source: source, as: r.as, out: blank(), over: r.over, roles: r.roles}
		one.lines(text)
		one.end()
		one.balance(text)
		out = Join(out, one.out)
	}
	return out, nil
}

// What a part of a workbook may have: characters in a cell (ISO/IEC 29500-1, 18.4.12) and in
// an attribute, bytes of a number format whose 255 characters may be references, tags of sheets
// and texts, and of others.
// Thousands of cells can share one text or format, and each would be made of it.
const (
	mostInCell   = 32767
	mostInFormat = 6 * 255
	longFormat   = 100
	mostTags     = 5 * mostCells
	mostOther    = 100_000
)

// dear refuses a workbook of which the library would make far more than it holds, and reports whether a
// number format is so long that each cell of it would take longer than all else.
func dear(data string) (longFormats bool, err error) {
	archive, err := zip.NewReader(strings.NewReader(data), int64(len(data)))
	if err != nil {
		return false, nil // it is told when it is opened
	}
	left := int64(largestWorkbook)
	for _, f := range archive.File {
		name := strings.ToLower(f.Name)
		if !strings.HasSuffix(name, ".xml") && !strings.HasSuffix(name, ".rels") {
			continue
		}
		in, err := f.Open()
		if err != nil {
			return longFormats, nil
		}
		look := partLook{tags: mostOther, inTag: mostInCell}
		switch {
		case strings.Contains(name, "worksheets/"), strings.Contains(name, "sharedstrings"):
			look.tags = mostTags
		case strings.Contains(name, "styles"):
			look.inTag = mostInFormat
		}
		n := look.read(io.LimitReader(in, left))
		in.Close()
		longFormats = longFormats || look.inTag < mostInCell && look.longest > longFormat
		if look.want != "" {
			return false, &LargeWorkbookError{fmt.Sprintf("%s (%s)", look.want, f.Name)}
		}
		if left -= n; left <= 0 {
			return longFormats, nil // it is refused for its size
		}
	}
	return longFormats, nil
}

// partLook looks at a part of a workbook: how many tags it may have, how long their attributes may be, and
// what was wanted where it has more.
type partLook struct {
	tags, inTag int
	want        string
	longest     int // of its attributes
}

// read gives how many bytes were read.
func (p *partLook) read(in io.Reader) (read int64) {
	buffer := make([]byte, 64<<10)
	run, left := 0, p.tags
	inTag := false
	for {
		n, err := in.Read(buffer)
		read += int64(n)
		for _, c := range buffer[:n] {
			switch {
			case c == '<':
				inTag, run = true, 0
				if left--; left < 0 {
					p.want = fmt.Sprintf("at most %d elements in a part", p.tags)
					return read
				}
			case c == '>':
				inTag, run = false, 0
			case inTag && (c == '"' || c == '\''):
				run = 0
			case c&0xc0 == 0x80: // a character goes on
			default:
				if run++; inTag {
					p.longest = max(p.longest, run)
				}
				if inTag && run > p.inTag {
					p.want = fmt.Sprintf("at most %d characters in an attribute", p.inTag)
					return read
				}
				if !inTag && run > mostInCell {
					p.want = fmt.Sprintf("at most %d characters in a cell", mostInCell)
					return read
				}
			}
		}
		if err != nil {
			return read
		}
	}
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
