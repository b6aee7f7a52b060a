package read

import (
	"cmp"
	"encoding/csv"
	"maps"
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/core/span"
)

// role is what a column of a table with known headings holds.
type role int

const (
	roleNone role = iota
	roleMAC
	roleAddress
	roleHost
	roleState
	roleExpire // seconds since 1970
	roleLasts  // seconds
	roleKind
	rolePlace
)

// headings are the property names of files that are the same in every language:
// Kea's leases, the neighbours of PowerShell, and our own inventory.
var headings = map[string]role{
	"hwaddr": roleMAC, "linklayeraddress": roleMAC, "mac": roleMAC,
	"address": roleAddress, "ipaddress": roleAddress,
	"hostname": roleHost, "name": roleHost, "state": roleState,
	"expire": roleExpire, "valid_lifetime": roleLasts, "kind": roleKind, "place": rolePlace,
}

// headed passes lines that may be a heading with known names: one that holds a MAC
// address is among them.
var headed = regexp.MustCompile(`(?i)mac|hwaddr|linklayeraddress`)

// columns are the roles of the columns of a file whose heading is known.
type columns struct {
	roles []role
	sep   string
}

// known takes a heading whose names are known, and then the rows below it.
func (r *reader) known(l line) bool {
	if len(l.macs) == 0 && len(l.addrs) == 0 && !l.odd && len(l.words) > 2 && headed.MatchString(l.text) {
		for _, sep := range []string{",", ";", "\t"} {
			if strings.Count(l.text, sep) >= 2 {
				if roles, ok := rolesOf(split(l.text, sep)); ok {
					r.columns = columns{roles, sep}
					return true
				}
			}
		}
	}
	if r.columns.roles == nil {
		return false
	}
	c := split(l.text, r.columns.sep)
	if len(c) != len(r.columns.roles) {
		return false
	}
	r.knownRow(l, c)
	return true
}

func rolesOf(cells []string) ([]role, bool) {
	roles := make([]role, len(cells))
	has := map[role]bool{}
	for i, c := range cells {
		roles[i] = headings[strings.ToLower(strings.TrimSpace(c))]
		has[roles[i]] = true
	}
	return roles, has[roleMAC] && has[roleAddress]
}

func (r *reader) knownRow(l line, cells []string) {
	s := sighting.Sighting{Line: l.number}
	var expire, lasts int64
	journal := false
	for i, c := range cells {
		c = unescape(c)
		switch r.columns.roles[i] {
		case roleMAC:
			if m, err := site.ParseMAC(c); err == nil {
				s.MAC = m
			}
		case roleAddress:
			s.Address, _ = addrWord(c)
		case roleHost:
			s.Host = c
		case roleState:
			s.State = strings.ToLower(c)
		case roleExpire:
			expire, _ = strconv.ParseInt(c, 10, 64)
			journal = true
		case roleLasts:
			lasts, _ = strconv.ParseInt(c, 10, 64)
		case roleKind:
			s.Traits = appendTrait(s.Traits, site.TraitKind, c)
		case rolePlace:
			s.Traits = appendTrait(s.Traits, site.TraitPlace, c)
		}
	}
	switch {
	case s.State == "unreachable" || s.State == "incomplete" || s.MAC == "" && (journal || l.odd):
		return // nobody answered there
	case s.MAC == "" && !s.Address.IsValid():
		return
	case !journal:
		r.add(s)
		return
	}
	s.State = map[string]string{"0": "lease", "1": "declined", "2": "expired"}[s.State]
	s.Until = clock(expire)
	if lasts > 0 && lasts < expire {
		s.At = clock(expire - lasts)
	}
	r.addNewest(s)
}

func appendTrait(list []site.Trait, name, value string) []site.Trait {
	if value = strings.TrimSpace(value); value == "" {
		return list
	}
	return append(list, site.Trait{Name: name, Value: value})
}

// unescape undoes what our own tables and Kea's do to names: an apostrophe
// before what a spreadsheet would take for a formula, a comma as "&#x2c".
func unescape(name string) string {
	if strings.HasPrefix(name, "'") && span.FormulaLike(strings.TrimLeft(name, "'")) {
		name = name[1:]
	}
	return strings.ReplaceAll(name, "&#x2c", ",")
}

// tableRow keeps a line that names a device: a row of a router page's table.
func (r *reader) tableRow(l line) bool {
	if r.known(l) {
		return true
	}
	if len(l.macs) == 0 && l.odd && len(l.addrs) == 1 {
		return true // a broadcast or multicast entry: nobody's
	}
	if (len(l.macs) > 0 || len(l.addrs) == 1) && len(cells(l.text)) > 1 && !labelled(l) {
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
		parts = split(text, "\t")
	case strings.Count(text, ";") > 1:
		parts = split(text, ";")
	case strings.Count(text, ",") > 1:
		parts = split(text, ",")
	case strings.Contains(strings.TrimSpace(text), " | "):
		parts = strings.Split(strings.Trim(strings.TrimSpace(text), "|"), "|")
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
		parts[i] = strings.TrimSpace(parts[i])
	}
	return parts
}

// split cuts a row of a file with separators; a cell in quotes may hold them.
func split(text, sep string) []string {
	if strings.Contains(text, `"`) {
		c := csv.NewReader(strings.NewReader(text))
		c.Comma, c.LazyQuotes, c.FieldsPerRecord = rune(sep[0]), true, -1
		if parts, err := c.Read(); err == nil {
			return parts
		}
	}
	return strings.Split(text, sep)
}

// entry is one device of a table or card: its cells by column.
type entry struct {
	line  int
	mac   site.MAC
	addr  netip.Addr
	cells map[string]string
}

// table guesses the columns of the rows and makes sightings of them. Rows with
// as many cells belong to one table; a row with several MAC addresses is as many
// devices beside each other.
func (r *reader) table() {
	byWidth := map[int][]entry{}
	for _, l := range r.rows {
		all := cells(l.text)
		n := max(1, len(l.macs))
		if len(all)%n != 0 || len(l.addrs) != 0 && len(l.addrs) != n {
			n = 1
		}
		width := len(all) / n
		for i := range n {
			e := entry{line: l.number, cells: map[string]string{}}
			if i < len(l.macs) {
				e.mac = l.macs[i]
			}
			if i < len(l.addrs) {
				e.addr = l.addrs[i]
			}
			for c, text := range all[i*width : (i+1)*width] {
				e.cells[column(c)] = text
			}
			byWidth[width] = append(byWidth[width], e)
		}
	}
	for _, width := range slices.Sorted(maps.Keys(byWidth)) {
		r.entries(byWidth[width])
	}
}

// column is the key of a column by its place, in order as text.
func column(i int) string { return strconv.Itoa(i + 1000) }

func sortedKeys[V any](m map[string]V) []string { return slices.Sorted(maps.Keys(m)) }

// entries makes sightings of the devices of one table.
func (r *reader) entries(list []entry) {
	names, other := nameColumns(list)
	links := linkColumn(list)
	for _, e := range list {
		s := sighting.Sighting{MAC: e.mac, Address: e.addr, Line: e.line}
		if c := e.cells[names]; namey(c) {
			s.Host = c
		}
		if c := e.cells[other]; namey(c) {
			s.State = c
		}
		if c := e.cells[links]; links != "" && links != names && c != "" {
			s.Traits = appendTrait(s.Traits, site.TraitLink, c)
		}
		r.add(s)
	}
}

// nameColumns finds the column whose texts differ most from row to row, which is
// the name, and the next best one. Words for how a device is attached are worth
// less than other words.
func nameColumns(list []entry) (name, other string) {
	type tally struct {
		key           string
		worth, filled int
	}
	seen := map[string]map[string]bool{}
	count := map[string]*tally{}
	for _, e := range list {
		for key, c := range e.cells {
			if !namey(c) {
				continue
			}
			if count[key] == nil {
				count[key], seen[key] = &tally{key: key}, map[string]bool{}
			}
			t := count[key]
			t.filled++
			if !seen[key][c] {
				seen[key][c] = true
				t.worth += 2
				if linkShape.MatchString(c) {
					t.worth--
				}
			}
		}
	}
	for key, t := range count {
		if nameHint.MatchString(key) {
			t.worth += 1 + len(list)
		}
	}
	all := slices.Collect(maps.Values(count))
	slices.SortFunc(all, func(a, b *tally) int {
		return cmp.Or(b.worth-a.worth, b.filled-a.filled, strings.Compare(a.key, b.key))
	})
	if len(all) > 0 {
		name = all[0].key
	}
	if len(all) > 1 {
		other = all[1].key
	}
	return name, other
}

// nameHint passes labels that say "name" in the languages we know; a label is
// only a hint.
var nameHint = regexp.MustCompile(`(?i)name|nom\b|nombre|nome|naam|nazwa|名|host`)

// linkShape passes how a device is attached to a router: the words of the trade,
// which are the same in all languages.
var linkShape = regexp.MustCompile(`(?i)^((w?lan|eth|port|ge|wi-?fi|wireless|wired|ethernet|ssid|ap|guest)[ -]?\d*|(2[.,]4|5|6) ?ghz.*|.*\b(2[.,]4|5|6) ?ghz|(lan|wlan|wi-?fi|ethernet|802\.11\w*)\b.*)$`)

// linkColumn finds the column that says how each device is attached.
func linkColumn(list []entry) string {
	count := map[string]int{}
	for _, e := range list {
		for key, c := range e.cells {
			if linkShape.MatchString(c) {
				count[key]++
			}
		}
	}
	best := ""
	for _, key := range sortedKeys(count) {
		if count[key]*2 > len(list) && count[key] > count[best] {
			best = key
		}
	}
	return best
}

// clockShape passes times of day.
var clockShape = regexp.MustCompile(`\d{1,2}[:.]\d{2}([:.]\d{2})?\b`)

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
	return letters > 0 && (letters >= 3 || letters >= digits) && !duration(cell) && (digits < 5 || letters > digits || !clockShape.MatchString(cell))
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
