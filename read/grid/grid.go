// Package grid knows what the columns of a list hold, whatever page or program the list
// comes from. It judges a list as a whole: a heading says what a column is, in any of the
// languages that it knows; where there are none, what the cells look like decides. It
// knows neither files nor lines of text: its lists are cut into cells already.
package grid

import (
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"vestpin/core/site"
)

// Role is what a column holds.
type Role string

// The roles. Of these a device has MAC, Address and Name; a forward has Name, Protocol,
// Outside, Target, Inside, Sender and Enabled.
const (
	None         Role = ""
	MAC          Role = "mac"
	OtherMAC     Role = "othermac" // of the radio or switch that a device is attached to
	Address      Role = "address"
	ReservedAddr Role = "reservedaddress"
	IPv6         Role = "ipv6"
	Name         Role = "name"
	DeviceName   Role = "device"
	Note         Role = "note"
	Link         Role = "link"
	Kind         Role = "kind"
	Place        Role = "place"
	Maker        Role = "maker"
	Model        Role = "model"
	Version      Role = "version"
	State        Role = "state"
	Time         Role = "time"
	Figure       Role = "figure"
	Network      Role = "network"
	Mask         Role = "mask"
	Gateway      Role = "gateway"
	DNS          Role = "dns"
	Range        Role = "range"
	Outside      Role = "outside"
	OutsideEnd   Role = "outsideend"
	PortCount    Role = "portcount" // how many ports there are from the first on
	Inside       Role = "inside"
	InsideEnd    Role = "insideend"
	Port         Role = "port"
	Protocol     Role = "protocol"
	Service      Role = "service"
	Target       Role = "target"
	Sender       Role = "sender"
	Enabled      Role = "enabled"
	Reserved     Role = "reserved"
	Action       Role = "action"
	Password     Role = "password"
	Reservations Role = "reservations" // a title
	Forwards     Role = "forwards"     // a title
)

// Choices are the roles that a person may give to a column; None leaves it out, and what it
// says is kept as a trait.
var Choices = []Role{None, Name, MAC, Address, Link, Kind, Place, Maker, Model, Note, State, Reserved, OtherMAC, IPv6, Time, Figure, Outside, OutsideEnd, PortCount, Inside, InsideEnd, Port, Protocol, Service, Target, Sender, Enabled, Action}

// OnIs begins a choice for the column that says which lines of a router are on: what follows
// is the word for it.
const OnIs = string(Enabled) + "="

// IsChoice passes what a person may say that a column holds.
func IsChoice(r Role) bool {
	return slices.Contains(Choices, r) || strings.HasPrefix(string(r), OnIs) && len(r) <= 100
}

// Row is one row of a list: its cells, and the line where it stands.
type Row struct {
	Line  int
	Cells []string
}

// Table is a list. Title is what stands above it, Source what the file is called; Head is nil
// where it has no headings.
type Table struct {
	Title  string
	Source string
	Head   []string
	Rows   []Row
}

// What a list is of.
const (
	OfDevices      = "devices"
	OfReservations = "reservations"
	OfForwards     = "forwards"
	OfNothing      = "nothing" // neither
)

// Reading is what a list was taken for. Columns may be more than the cells of a row:
// one that held a name and an address in each cell is two. Roles go with Head.
type Reading struct {
	Is    string
	Head  []string
	Roles []Role
	Ask   []int // columns that could as well be the name
	// Questions are what nobody can tell from the list. Until they are answered nothing is
	// believed that hangs on them.
	Questions []Question
	Services  map[string]ServiceDef // that other lists of the text define, for names of services here
	on        switches              // of forwards
	both      string                // of forwards, the word for TCP and UDP that nobody knew
	stateful  bool                  // all names end in how the device is
	splits    []split
	numbered  bool // the rows are counted by words: what they are called stands elsewhere
	reserved  bool
}

// Question is what a list leaves open: which of several readings of its columns is meant.
// Roles has the roles of the columns in each reading. Of a column that says which lines are on,
// Words are the words of which nobody knows what they mean, and Roles is empty.
type Question struct {
	Columns []int
	Roles   [][]Role
	Words   []string
}

// split says how a column of the list becomes one or several of the reading.
type split struct {
	from   int      // the column of the list
	part   sort     // the part of its cells: isMAC, isAddress, isIPv6, isText what is left; 0 is the whole
	common []string // of what is left: the words with which all cells begin, which are nobody's
}

// sampled is how many rows of a list are looked at to judge its columns.
const sampled = 300

// Read judges the columns of a list. Set gives the roles that a person has chosen, one for
// each column of the reading; another number of them is not looked at.
func Read(t Table, set []Role) Reading {
	rows := sample(t.Rows)
	r := Reading{Is: OfNothing}
	width := 0
	for _, row := range rows {
		width = max(width, len(row.Cells))
	}
	width = max(width, min(len(t.Head), 200))
	for c := range width {
		head := ""
		if c < len(t.Head) {
			head = t.Head[c]
		}
		parts := []sort{0}
		if roles, _ := Heading(head); !slices.Contains(roles, Sender) { // those who may connect are several
			parts = partsOf(rows, c)
		}
		for _, part := range parts {
			s := split{from: c, part: part}
			if part == isText {
				s.common = commonWords(rows, s)
			}
			r.splits = append(r.splits, s)
			r.Head = append(r.Head, head)
		}
	}
	columns := make([]column, len(r.splits))
	for c, s := range r.splits {
		columns[c] = profile(rows, s, r.Head[c])
	}
	title := titleOf(t)
	r.numbered = slices.ContainsFunc(columns, func(c column) bool { return c.numbered })
	r.Roles, r.Ask, r.Questions = assign(columns, t.Head != nil, title == Forwards)
	on, said := "", false
	if len(set) == len(r.Roles) {
		r.Roles, r.Ask, r.Questions = slices.Clone(set), nil, nil
		for c, role := range r.Roles {
			if word, ok := strings.CutPrefix(string(role), OnIs); ok {
				r.Roles[c], on, said = Enabled, word, true
			}
		}
	}
	if at := slices.Index(r.Roles, Name); at >= 0 {
		r.stateful = columns[at].endsInState()
	}
	r.Is = kindOf(r.Roles, title)
	if r.Is == OfForwards && title != Forwards && otherRules(columns, r.Roles, r.Head) {
		r.Is = OfNothing
	}
	if r.Is == OfDevices && !slices.Contains(r.Roles, MAC) && slices.ContainsFunc(r.Roles, func(o Role) bool { return o == Port || o == Outside || o == Inside }) && slices.ContainsFunc(columns, func(c column) bool { return c.share(isAddress) > 0.9 && c.distinct < c.filled }) {
		r.Is = OfNothing // services: several are at one address
	}
	if r.Is == OfForwards && slices.Contains(r.Roles, Protocol) {
		r.both = both(columns[slices.Index(r.Roles, Protocol)])
	}
	if r.Is != OfForwards {
		r.Questions = nil
	} else if at := slices.Index(r.Roles, Enabled); at >= 0 {
		if !said {
			r.on = switchesOf(columns[at])
		} else {
			r.on = switches{is: map[string]bool{on: true}, chosen: true}
		}
		if len(r.on.unknown) > 0 {
			r.Questions = append(r.Questions, Question{Columns: []int{at}, Words: r.on.unknown})
		}
	}
	r.reserved = r.Is == OfReservations
	return r
}

// Open reports whether nobody can tell which column is which, so that no row can be believed.
func (r Reading) Open() bool {
	return slices.ContainsFunc(r.Questions, func(q Question) bool { return len(q.Roles) > 0 })
}

func sample(rows []Row) []Row {
	if len(rows) <= sampled {
		return rows
	}
	out := make([]Row, 0, sampled)
	for i := range sampled {
		out = append(out, rows[i*len(rows)/sampled])
	}
	return out
}

// partsOf says into what the cells of a column fall: an address, or one with other words.
func partsOf(rows []Row, c int) []sort {
	if pairsIn(rows, c) {
		return []sort{isPorts, isNumber}
	}
	var has [4]int
	mixed := 0
	for _, row := range rows {
		if c >= len(row.Cells) || !strings.ContainsAny(row.Cells[c], " \n,;|/()\t") {
			continue
		}
		p := pieces(row.Cells[c])
		if p.mac == "" && p.address == "" {
			continue
		}
		n := 0
		for i, word := range []string{p.rest, p.mac, p.address, p.ipv6} { // in the order of parts
			if word != "" {
				has[i]++
				n++
			}
		}
		if n > 1 {
			mixed++
		}
	}
	if mixed == 0 {
		return []sort{0}
	}
	var out []sort
	for i, s := range []sort{isText, isMAC, isAddress, isIPv6} {
		if has[i] > 0 {
			out = append(out, s)
		}
	}
	return out
}

// portPair is the port outside and the one inside in one cell.
var portPair = regexp.MustCompile(`^(\d{1,5}(?:-\d{1,5})?)\s*([/:])\s*(\d{1,5}(?:-\d{1,5})?)$`)

// pairsIn reports whether all cells of a column hold two ports, and not the ends of ranges.
func pairsIn(rows []Row, c int) bool {
	some, falls := 0, false
	for _, row := range rows {
		if c >= len(row.Cells) || row.Cells[c] == "" {
			continue
		}
		m := portPair.FindStringSubmatch(row.Cells[c])
		if m == nil {
			return false
		}
		a, _ := strconv.Atoi(strings.SplitN(m[1], "-", 2)[0])
		b, _ := strconv.Atoi(strings.SplitN(m[3], "-", 2)[0])
		falls = falls || b < a
		if a < 20 || b < 20 {
			return false // an interface of a switch, a time
		}
		some++
	}
	return some > 1 && falls
}

// piecesOf is the first word of each sort in a cell, and the other words.
type piecesOf struct {
	mac, address, ipv6, rest string
	several                  bool // addresses
}

// pieces takes a cell apart that holds several things.
func pieces(cell string) piecesOf {
	var p piecesOf
	var rest []string
	for _, w := range strings.FieldsFunc(cell, func(c rune) bool { return c <= ' ' || c == 0xa0 || c == ',' || c == ';' || c == '|' }) {
		bare := strings.Trim(w, "()[]<>")
		switch s := sortOf(bare); {
		case s&isMAC != 0 && p.mac == "":
			p.mac = bare
		case s&isAddress != 0 && p.address == "" && !p.several:
			p.address = bare
		case s&isAddress != 0 && bare != p.address: // which of them it is nobody can tell
			p.address, p.several = "", true
		case s&isIPv6 != 0:
			p.ipv6 = bare
		case bare == "" || bare == "/" || s&(isMAC|isAddress) != 0:
		default:
			rest = append(rest, w)
		}
	}
	p.rest = strings.Trim(strings.Join(rest, " "), "()[]-/ ")
	return p
}

// cell gives the text of a column of the reading in a row.
func (s split) cell(row Row) string {
	if s.from >= len(row.Cells) {
		return ""
	}
	text := tidied(row.Cells[s.from])
	if s.part == 0 {
		return text
	}
	if s.part == isPorts || s.part == isNumber {
		m := portPair.FindStringSubmatch(text)
		switch {
		case m == nil:
			return text
		case s.part == isPorts:
			return m[1]
		}
		return m[3]
	}
	p := pieces(text)
	switch s.part {
	case isMAC:
		return p.mac
	case isAddress:
		return p.address
	case isIPv6:
		return p.ipv6
	}
	if p.mac == "" && p.address == "" && p.ipv6 == "" {
		return text
	}
	words := strings.Fields(p.rest)
	if len(words) < len(s.common) || !slices.Equal(words[:len(s.common)], s.common) {
		return p.rest
	}
	return strings.Join(words[len(s.common):], " ")
}

// rangeWords is a range in words, and an address with ports set apart.
var (
	rangeWords = regexp.MustCompile(`(?i)(^|[:\s])(\d{1,5})\s+(?:to|bis|à|a|al|do|tot|till|until|through)\s+(\d{1,5})$`)
	apartPorts = regexp.MustCompile(`^(\d{1,3}(?:\.\d{1,3}){3})\s*:\s*(\d)`)
)

// tidied writes ports as we write them.
func tidied(text string) string {
	if len(text) < 6 || len(text) > 60 || text[0] < '0' || text[0] > '9' || !strings.Contains(text, " ") {
		return text
	}
	return apartPorts.ReplaceAllString(rangeWords.ReplaceAllString(text, "$1$2-$3"), "$1:$2")
}

// commonWords gives the words with which the cells of a column begin in every row that has
// any, of at least two: "Report for rec", "Report for till".
func commonWords(rows []Row, s split) (common []string) {
	seen := 0
	for _, row := range rows {
		words := strings.Fields(s.cell(row))
		if len(words) == 0 {
			continue
		}
		if seen++; seen == 1 {
			common = words
			continue
		}
		n := 0
		for n < len(words) && n < len(common) && words[n] == common[n] {
			n++
		}
		common = common[:n]
	}
	if seen < 2 {
		return nil
	}
	return common
}

// Cells gives the cells of a row by the columns of the reading.
func (r Reading) Cells(row Row) []string {
	out := make([]string, len(r.splits))
	for c, s := range r.splits {
		out[c] = s.cell(row)
	}
	return out
}

// Device is what a row says of a device.
type Device struct {
	Line     int
	MAC      site.MAC
	Address  netip.Addr
	Name     string
	State    string
	Reserved bool
	Traits   []site.Trait
}

// Device gives what a row says of a device; false where it names none, or where its
// cells do not go with the columns, in which case nothing of it can be told.
func (r Reading) Device(row Row) (Device, bool) {
	d := Device{Line: row.Line, Reserved: r.reserved}
	bad := false
	for c, role := range r.Roles {
		text := strings.TrimSpace(r.splits[c].cell(row))
		if text == "" {
			continue
		}
		switch role {
		case MAC:
			m, ok := mac(text)
			if ok {
				d.MAC = m
			} else if sortOf(text)&(isNothing|isMAC) == 0 && !cutMAC(text) && !strings.HasPrefix(text, "(") {
				bad = true
			}
		case Address, ReservedAddr, Target:
			a, ok := AddressIn(text)
			switch {
			case ok && a.IsLoopback():
				bad = true
			case ok && !a.IsUnspecified():
				d.Address = a
			case !ok && sortOf(text)&(isNothing|isState|isIPv6|isAgo) == 0:
				bad = true
			}
		case Name, DeviceName:
			if a, ok := AddressIn(text); ok {
				if slices.ContainsFunc(r.Roles, func(o Role) bool { return o == Address || o == ReservedAddr }) {
					bad = true
				} else {
					d.Address = a // a row short of its name
				}
				continue
			}
			if m := tickShape.FindString(text); m != "" && len(m) < len(text) {
				text = text[len(m):]
			}
			text = strings.Trim(text, " –—·•")
			if at := strings.LastIndexByte(text, ' '); r.stateful && at > 0 {
				d.State, text = strings.ToLower(text[at+1:]), strings.TrimRight(text[:at], " (,-·")
			}
			if holdsAddress(text) {
				continue // it says where, not what
			}
			if !nothing(text) && len(text) <= 250 && !settingWord(text) {
				d.Name = text
			}
		case State:
			d.State = strings.ToLower(text)
			if sortOf(text)&isReserved != 0 {
				d.Reserved = true
			}
		case Enabled:
			if sortOf(text)&isNo != 0 {
				d.Reserved = false
			}
		case Reserved:
			d.Reserved = d.Reserved && sortOf(text)&isNo == 0 || sortOf(text)&(isYes|isAddress) != 0 || slices.Contains(known().heads[fold(text)], Reserved)
		case Action, Password, OtherMAC, IPv6, Mask, Network, Gateway, DNS, Range:
		default:
			if known().cells[fold(text)]&isReserved != 0 && role != Note && role != Place {
				d.Reserved = true
			}
			d.trait(r.Head[c], role, text)
		}
	}
	for _, c := range r.Ask { // another column of that heading
		if roles, _ := Heading(r.Head[c]); !slices.Contains(roles, Name) && !slices.Contains(roles, DeviceName) {
			continue
		}
		if text := strings.TrimSpace(r.splits[c].cell(row)); d.Name == "" && !nothing(text) && !Typed(text) && !Known(text) && len(text) <= 250 {
			d.Name = text
		}
	}
	if d.MAC == "" && known().cells[fold(d.State)]&isGone != 0 {
		return d, false // nobody answered there
	}
	if d.State != "" && r.reserved && (sortOf(d.State)&isNo != 0) {
		d.Reserved = false
	}
	return d, !bad && (d.MAC != "" || d.Address.IsValid())
}

// tickShape is a box or a mark before a name.
var tickShape = regexp.MustCompile(`^(?:\[[ xX*✓✔]?\]|[☐☑☒✓✔✗✘●○◉◯•▪▸►])\s*`)

// holdsAddress passes a text with an address among its words.
func holdsAddress(text string) bool {
	return strings.Count(text, ".") >= 3 && slices.ContainsFunc(strings.Fields(text), func(w string) bool { _, ok := AddressIn(strings.Trim(w, ",;()")); return ok })
}

// settingWord passes a heading of what networks have, which is nobody's name.
func settingWord(text string) bool {
	roles, exact := Heading(text)
	return exact && len(roles) > 0 && !slices.ContainsFunc(roles, func(r Role) bool {
		return !slices.Contains([]Role{Network, Mask, DNS, Address, MAC, IPv6, Protocol, Time, Range, Password}, r)
	})
}

// traitNames are the traits of roles that the site knows.
var traitNames = map[Role]string{Link: site.TraitLink, Kind: site.TraitKind, Place: site.TraitPlace, Maker: site.TraitMaker, Model: site.TraitModel, Note: site.TraitDescription}

func (d *Device) trait(head string, role Role, text string) {
	name := traitNames[role]
	if role == Kind && fold(head) != "kind" {
		name = site.TraitType // what others call a type is seldom one of our kinds
	}
	if name == "" {
		name = strings.ToLower(strings.Join(strings.Fields(head), " "))
	}
	if name == "" || name == "#" || len(name) > 40 || len(text) > 200 || len(d.Traits) >= 30 || nothing(text) {
		return
	}
	if strings.Contains(text, "  ") || strings.Contains(text, "\n") {
		text = strings.Join(strings.Fields(text), " ")
	}
	d.Traits = append(d.Traits, site.Trait{Name: name, Value: text})
}
