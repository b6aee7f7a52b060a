package read

import (
	"net/netip"
	"slices"
	"strings"
	"unicode"

	"vestpin/core/site"
)

// tableRow keeps a line that names one device: a row of a router page's table.
func (r *reader) tableRow(l line) bool {
	if len(l.macs) == 0 && l.odd && len(l.addrs) == 1 {
		return true // a broadcast or multicast entry: nobody's
	}
	if len(l.macs) == 1 || (len(l.macs) == 0 && len(l.addrs) == 1 && len(cells(l.text)) > 1) {
		r.rows = append(r.rows, l)
		return true
	}
	return false
}

// cells splits a row at tabs, else at semicolons or commas, else at two blanks
// or more, else at each blank.
func cells(text string) []string {
	text = strings.Trim(text, "\r\n")
	var parts []string
	switch {
	case strings.Contains(text, "\t"):
		parts = strings.Split(text, "\t")
	case strings.Count(text, ";") > 1:
		parts = strings.Split(text, ";")
	case strings.Count(text, ",") > 1:
		parts = strings.Split(text, ",")
	case strings.Contains(strings.TrimSpace(text), "  "):
		for _, p := range strings.Split(text, "  ") {
			if strings.TrimSpace(p) != "" {
				parts = append(parts, p)
			}
		}
	default:
		parts = strings.Fields(text)
	}
	for i := range parts {
		parts[i] = strings.Trim(strings.TrimSpace(parts[i]), `"`)
	}
	return parts
}

// table guesses the columns of the rows and makes sightings of them. Rows with
// as many cells belong to one table.
func (r *reader) table() {
	byWidth := map[int][]line{}
	for _, l := range r.rows {
		n := len(cells(l.text))
		byWidth[n] = append(byWidth[n], l)
	}
	for width, rows := range byWidth {
		names, others := nameColumns(rows, width)
		for _, l := range rows {
			c := cells(l.text)
			var mac site.MAC
			var a netip.Addr
			if len(l.macs) > 0 {
				mac = l.macs[0]
			}
			if len(l.addrs) > 0 {
				a = l.addrs[0]
			}
			host, state := "", ""
			if names >= 0 && namey(c[names]) {
				host = c[names]
			}
			if others >= 0 && namey(c[others]) {
				state = c[others]
			}
			r.sight(l, mac, a, host, state)
		}
		r.dropHeading(rows[0], width)
	}
}

// dropHeading takes the line above a table for its heading if it has the same
// number of cells.
func (r *reader) dropHeading(first line, width int) {
	r.headings = slices.DeleteFunc(r.headings, func(l line) bool {
		n := len(cells(l.text))
		return l.number < first.number && first.number-l.number <= 2 && (n == width || (n > 1 && strings.Contains(l.text, "  ")))
	})
}

// nameColumns finds the column whose texts differ most from row to row, which is
// the name, and the next best one.
func nameColumns(rows []line, width int) (name, other int) {
	type column struct{ at, distinct, filled int }
	var columns []column
	for c := range width {
		seen := map[string]bool{}
		filled := 0
		for _, l := range rows {
			if cell := cells(l.text)[c]; namey(cell) {
				seen[cell] = true
				filled++
			}
		}
		if filled > 0 {
			columns = append(columns, column{c, len(seen), filled})
		}
	}
	slices.SortStableFunc(columns, func(a, b column) int { return b.distinct - a.distinct })
	name, other = -1, -1
	if len(columns) > 0 {
		name = columns[0].at
	}
	if len(columns) > 1 {
		other = columns[1].at
	}
	return name, other
}

// namey passes a cell that may be a name: some letters, and neither an address,
// a MAC address, a time nor a length of time.
func namey(cell string) bool {
	if cell == "" || len(cell) > 120 || looksMAC(cell) || strings.ContainsAny(cell, "\x00") {
		return false
	}
	if _, ok := addrWord(cell); ok {
		return false
	}
	if _, err := netip.ParseAddr(cell); err == nil {
		return false
	}
	letters, digits := 0, 0
	for _, c := range cell {
		switch {
		case unicode.IsLetter(c):
			letters++
		case unicode.IsDigit(c):
			digits++
		}
	}
	return letters > 0 && (letters >= 3 || letters >= digits) && !duration(cell)
}

// duration passes "23:59:59", "1d 4h", "2h 10m 3s" and the like.
func duration(cell string) bool {
	for _, w := range strings.Fields(cell) {
		rest := strings.TrimLeft(w, "0123456789:.,")
		if rest == w || len([]rune(rest)) > 4 {
			return false
		}
	}
	return true
}
