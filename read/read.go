// Package read knows what other programs print or save, and turns it into
// sightings and facts. It goes by structure, since system tools speak the
// user's language.
//
// What is believed when: a line of a program that is known is taken as that program means it, if
// all of its form is that program's. Everything else becomes rows of cells (of tables, cards,
// entries of configurations, attributes of pages, words between addresses), and package grid
// says of the columns of a list what they hold, by what the cells of each look like, beside the
// headings. Where two readings are close, the answer carries a question (Result.Questions), and
// of what could open a port or switch a line on nothing is believed until it is answered.
//
// What looks like a MAC address or an address of the site, and stands nowhere in the result, is
// told as not understood: the ledger goes through the text once more and knows nothing of how it
// was read.
package read

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/netip"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/core/usage"
	"vestpin/read/capture"
	"vestpin/read/grid"
)

// MaxBytes is the most text that is read at once. Captures have no limit: they
// are streamed.
const MaxBytes = 256 << 20

// ErrBinary says that what came is not text.
var ErrBinary = errors.New("this is neither text nor a capture or spreadsheet: paste what a page or a program shows, or save it as a text file")

// ErrOtherWorkbook says that what came is a spreadsheet of another format.
var ErrOtherWorkbook = errors.New("this is a spreadsheet in XLS or ODS format, which is not read: save it as XLSX or CSV")

// TooLongError says that there is more text than is read at once.
type TooLongError struct{ Most int }

func (e *TooLongError) Error() string {
	if e.Most < 1<<20 {
		return fmt.Sprintf("this is more than %d kB of text, which is the most that is read at once", e.Most>>10)
	}
	return fmt.Sprintf("this is more than %d MB of text, which is the most that is read at once", e.Most>>20)
}

// Unread is a line that was not understood.
type Unread struct {
	Source string `json:"source"`
	Line   int    `json:"line"`
	Text   string `json:"text"`
}

// Result is what a text came to.
type Result struct {
	Sightings []sighting.Sighting `json:"sightings"`
	Facts     sighting.Facts      `json:"facts"`
	Forwards  []ForwardLine       `json:"forwards"`
	Exposed   []ExposedLine       `json:"exposedHosts,omitempty"`
	Lists     []FoundList         `json:"lists"`  // at most MostLists of them
	Lines     []ShownLine         `json:"-"`      // at most MostLines of them
	Unread    []Unread            `json:"unread"` // at most MostUnread of them
	Missed    int                 `json:"missed"` // how many lines were not understood
	Questions []ListQuestion      `json:"questions"`

	// Connections are what a router lists as going through it now, at most MostConnections.
	// Listed is that it was such a list, though nothing of it may be forwarded here.
	Connections []usage.Connection `json:"connections"`
	Listed      bool               `json:"-"`

	// Of what routers hold: whether a list of port forwards was met, though it may be empty,
	// and the rules that let packets by before one could take them, at most MostUnread.
	Forwarding bool     `json:"-"`
	Around     []Unread `json:"-"`
}

// ForwardLine is one line of a router's port forwards, as it stands there. It says nothing
// of where a device was seen.
type ForwardLine struct {
	Router   string        `json:"router,omitempty"` // in our own lists
	Name     string        `json:"name"`
	Protocol site.Protocol `json:"protocol"`
	Outside  span.Ports    `json:"outside"`
	Address  netip.Addr    `json:"address"`
	Inside   span.Ports    `json:"inside"`
	From     []string      `json:"from"`
	Enabled  bool          `json:"enabled"`
	Source   string        `json:"source"`
	Line     int           `json:"line"`
}

// ListQuestion is what nobody can tell from a list, and the readings that there are. Of those that
// could open a port, or switch a line on, none is believed until somebody answers: by giving
// the columns of lists of this shape the roles of a reading.
type ListQuestion struct {
	Source   string        `json:"source"`
	Line     int           `json:"line"`
	Shape    string        `json:"shape"`
	Says     string        `json:"says"`
	Readings []ListReading `json:"readings"`
}

// ListReading is one way to read a list, and what it would mean.
type ListReading struct {
	Says  string      `json:"says"`
	Means string      `json:"means"`
	Roles []grid.Role `json:"roles"`
}

// FoundList is a list that was found in a text, with what its columns were taken for. Shape
// names lists of the same form; Ask are columns that could as well be the name.
type FoundList struct {
	Source string      `json:"source"`
	Line   int         `json:"line"`
	Shape  string      `json:"shape"`
	Title  string      `json:"title"`
	Is     string      `json:"is" enum:"devices,reservations,forwards,nothing"`
	Head   []string    `json:"head"`
	Roles  []grid.Role `json:"roles"`
	Ask    []int       `json:"ask"`
	Chosen bool        `json:"chosen"` // a person said what the columns hold
	Rows   int         `json:"rows"`   // how many were used
	Left   int         `json:"left"`   // how many came to nothing
}

// ShownLine is a line of a text as it came. List is the number of the list whose row it is,
// counted from 1, 0 where it is of none; Cells are those of its row.
type ShownLine struct {
	Source string   `json:"source"`
	Line   int      `json:"line"`
	Text   string   `json:"text"`
	List   int      `json:"list"`
	Cells  []string `json:"cells"`
}

// MostLines is how many lines are given as they came, of one text.
const MostLines = 300

// MostLists is how many lists are told of; all are read.
const MostLists = 50

// Roles are what people said the columns of lists hold, by the shape of the list.
type Roles map[string][]grid.Role

// Names are the readers that As accepts.
var Names = []string{"leases", "neighbours", "own-settings", "table", "capture", "connections"}

// Text reads pasted or saved text; see File.
func Text(source, as string, data []byte) (Result, error) {
	return File(source, as, bytes.NewReader(data))
}

// File reads anything: text of any kind, a page saved as HTML, a spreadsheet
// (XLSX) or a packet capture. Source names it in each sighting. As picks one
// reader by name; empty lets the structure decide line by line. Errors:
// ErrBinary, *TooLongError, a *span.Malformed for an unknown name, or what
// reading gave.
func File(source, as string, in io.Reader) (Result, error) {
	return Until(func() bool { return false }, nil, source, as, in)
}

// Until reads as File does, with the roles that people gave to columns, and ends with
// context.Canceled when over says that nobody waits for it any more.
func Until(over func() bool, roles Roles, source, as string, in io.Reader) (Result, error) {
	if as != "" && !slices.Contains(Names, as) {
		return blank(), &span.Malformed{Found: as, Want: "one of " + strings.Join(Names, ", ")}
	}
	if len(source) > MostName {
		return blank(), &span.Malformed{Found: span.Quote(source), Want: fmt.Sprintf("a file name of at most %d bytes", MostName)}
	}
	size := 1 << 20
	if sized, ok := in.(interface{ Len() int }); ok {
		size = min(size, sized.Len()+16)
	}
	buffered := bufio.NewReaderSize(in, size)
	peeked, err := buffered.Peek(4)
	if err != nil && err != io.EOF {
		return blank(), err
	}
	head := bytes.Clone(peeked) // the buffer is filled anew below
	switch {
	case capture.Is(head):
		return ofCapture(source, capture.Read(buffered)), nil
	case as == "capture":
		return blank(), &span.Malformed{Found: fmt.Sprintf("% x", head), Want: "a capture in pcap or pcapng format"}
	}
	var all strings.Builder
	if sized, ok := in.(interface{ Len() int }); ok {
		all.Grow(min(sized.Len()+buffered.Buffered(), MaxBytes+1))
	}
	if _, err := io.Copy(&all, io.LimitReader(buffered, MaxBytes+1)); err != nil {
		return blank(), err
	}
	if all.Len() > MaxBytes {
		return blank(), &TooLongError{MaxBytes}
	}
	slow := false
	begun, allowed := time.Now(), patience+time.Duration(all.Len())*perByte
	r := reader{source: source, as: as, out: blank(), roles: roles, over: func() bool {
		slow = slow || time.Since(begun) > allowed
		return slow || over()
	}}
	switch {
	case bytes.HasPrefix(head, []byte("\xd0\xcf\x11\xe0")), strings.Contains(all.String()[:min(all.Len(), 200)], "vnd.oasis.opendocument"):
		return blank(), ErrOtherWorkbook
	case bytes.HasPrefix(head, []byte("PK\x03\x04")):
		return r.workbook(all.String())
	}
	text, err := decode(all.String())
	if err != nil {
		return blank(), err
	}
	text = narrow(text)
	r.base = baseOf(text)
	r.open = openEnd.MatchString(text[:min(len(text), longestShort)])
	if looksHTML(text) {
		r.page(text)
	} else if tree, ok := treeOf(text); !ok || !r.wholeTree(tree) {
		if text = unquoted(text); !r.records(text) {
			r.lines(text)
		}
	}
	r.end()
	r.balance(text)
	if over() {
		return blank(), context.Canceled
	}
	if slow {
		return blank(), ErrSlow
	}
	return r.out, nil
}

// How long a reading may take: patience, and so much for each byte. All texts measured take a tenth
// of it.
const (
	patience = 20 * time.Second
	perByte  = 10 * time.Microsecond
)

// MostName is how many bytes the name of a source may have: it stands in each sighting.
const MostName = 1024

// ErrSlow says that a text was given up for what it would cost.
var ErrSlow = errors.New("this would take far longer than a text of its size: it was given up, and nothing of it is taken")

// ofCapture gives what a capture came to.
func ofCapture(source string, found capture.Found) Result {
	out := blank()
	out.Sightings, out.Facts = found.Sightings, found.Facts
	for i := range out.Sightings {
		out.Sightings[i].Source = source
	}
	if found.Fault != "" {
		out.Unread = append(out.Unread, Unread{source, found.Broken, found.Fault})
	}
	return out
}

// blank is a result with nothing in it.
func blank() Result {
	return Result{
		Sightings: []sighting.Sighting{}, Forwards: []ForwardLine{}, Lists: []FoundList{}, Lines: []ShownLine{}, Unread: []Unread{}, Questions: []ListQuestion{}, Connections: []usage.Connection{},
		Facts: sighting.Facts{DNS: []netip.Addr{}, Ranges: []site.Range{}, DHCP: []netip.Addr{}},
	}
}

// wholeTree reads a tree; false where all that it has of devices stands in its texts: then they
// are notes that only look like one.
func (r *reader) wholeTree(n *node) bool {
	fresh := *r
	fresh.out = blank()
	r.tree(n)
	if len(r.out.Sightings)+len(r.out.Forwards) > 0 || len(r.out.Unread) == 0 || n.fields != nil {
		return true
	}
	*r = fresh
	return false
}

// treeOf reads XML and YAML.
func treeOf(text string) (*node, bool) {
	if looksXML(text) {
		return xmlTree(text)
	}
	return yamlTree(text)
}

// line is one line of a text with what stands in it.
type line struct {
	number  int
	text    string
	words   []string // without brackets and commas
	fields  []string // as they stand
	macs    []site.MAC
	addrs   []netip.Addr
	odd     bool     // it holds a MAC address that names no interface: broadcast, multicast, zeros
	after   bool     // a blank line stands before it
	cells   []string // of a table whose cells are known
	cut     cutting  // of such a row
	cutting bool     // it was found out how it is cut
	forward bool     // it tells by signs where a port goes
	row     bool     // a row like those before it, in a long list: its words were not looked at
}

// longest is the length from which a line is noise.
const longest = 4000

// mostNamed is from how many addresses on a line is not understood: a row names a
// few devices at most.
const mostNamed = 64

func between(c rune) bool {
	return c <= ' ' || c == 0xa0 || strings.ContainsRune("()[]<>,;|\"'", c)
}

func scan(number int, text string) line {
	l := line{number: number, text: text}
	if len(text) > longest {
		return l
	}
	l.fields = strings.Fields(text)
	l.words = l.fields
	if strings.ContainsAny(text, "()[]<>,;|\"'\u00a0") {
		l.words = strings.FieldsFunc(text, between)
	}
	for _, w := range l.words {
		w = strings.TrimSuffix(w, ".")
		if _, after, ok := strings.Cut(w, "="); ok && len(after) >= 7 {
			w = after // a name with its value
		}
		if at := strings.IndexByte(w, ':'); at > 1 && len(w)-at > 7 && strings.ContainsFunc(w[:at], func(c rune) bool { return unicode.IsLetter(c) && (c > 'f' || c < 'A') || c > 'F' && c < 'a' }) {
			w = w[at+1:] // a label without a blank
		}
		if len(l.macs)+len(l.addrs) >= mostNamed {
			return line{number: number, text: text}
		}
		if grid.LooksMAC(w) {
			if m, err := site.ParseMAC(w); err == nil {
				l.macs = append(l.macs, m)
			} else {
				l.odd = true
			}
		} else if a, ok := addressWord(w); ok {
			l.addrs = append(l.addrs, a)
		}
	}
	return l
}

// addressWord takes an address as well with a scheme or a port.
func addressWord(w string) (netip.Addr, bool) {
	if a, ok := addrWord(w); ok || strings.IndexByte(w, ':') < 0 || strings.Count(w, ".") < 3 {
		return a, ok
	}
	return grid.AddressIn(w)
}

func addrWord(w string) (netip.Addr, bool) {
	if len(w) < 7 || len(w) > 18 || w[0] < '0' || w[0] > '9' || strings.Count(w, ".") != 3 {
		return netip.Addr{}, false
	}
	w, _, _ = strings.Cut(w, "/")
	a, err := netip.ParseAddr(w)
	return a, err == nil && a.Is4()
}

type reader struct {
	source, as string
	over       func() bool // nobody waits for it any more
	from       []int       // of text made of another form: the line of the source for each
	out        Result
	roles      Roles
	below      []titledDevice
	open       bool         // it names it with the last number left open
	numbered   bool         // a list of the text has last numbers alone
	base       netip.Prefix // the only network that the text names, where it names one
	missed     []int        // the lines that were not understood
	ledger     ledger
	loose      []line // lines that no reader took: of tables and cards, or not understood
	takenAt    []int  // the numbers of lines that were taken since the first of these
	carried    *carried
	headings   headings // the last ones that were seen
	alike      alikeness
	shown      map[int]ShownLine
	columns    columns
	settings   bool                       // the file is a configuration of dnsmasq
	vain       int                        // how many blocks were tried in vain
	ifconfig   bool                       // the lines belong to an adapter in the output of ifconfig
	services   map[string]grid.ServiceDef // that lists of the text define
	remark     string                     // the first
	self       string                     // what the computer calls itself whose settings these are
	own        []netip.Prefix
	gateways   []netip.Addr
	adapter    adapter
	rules      ruleset
	arp        bool // the list of neighbours of Windows

	inList      bool       // the DNS servers of PowerShell go on below
	netsh       int        // which address below the subnet comes next
	lastAddress netip.Addr // of a line with a label
	calendar    calendar
	hosts       map[netip.Addr]int // of ISC leases: where the newest of each address stands
}

// kind is a way to read, with the name under which the user may pick it.
type kind struct {
	name  string
	take  func(line) bool
	whole bool // what it takes it understands, though nothing may come of it
}

func (r *reader) kinds() []kind {
	all := []kind{{"connections", r.connection, true}, {"table", r.rule, true}, {"table", nil, true}, {"leases", r.setting, true}, {"neighbours", r.neighbour, true}, {"own-settings", r.tool, true}, {"own-settings", r.ownSetting, false}, {"leases", r.logLine, true}, {"table", r.known, true}}
	if r.as == "" {
		return all
	}
	return slices.DeleteFunc(all, func(k kind) bool { return k.name != r.as })
}

func (r *reader) reads(name string) bool { return r.as == "" || r.as == name }

func (r *reader) lines(text string) {
	kinds := r.kinds()
	leases := r.reads("leases")
	number, blank := 0, false
	for text != "" {
		if number++; number%4096 == 0 && r.over() {
			return
		}
		whole := text
		var raw string
		raw, text, _ = strings.Cut(text, "\n")
		raw = strings.TrimSuffix(raw, "\r")
		if leases && r.lease(number, raw) {
			if number <= MostLines {
				r.show(number, raw, 0, nil)
			}
			if len(r.out.Sightings) == 1 { // more of the kind will follow
				r.out.Sightings = slices.Grow(r.out.Sightings, min(strings.Count(text, "\n"), len(text)/40)+1)
			}
			r.take(number)
			blank = false
			continue
		}
		trimmed := strings.TrimSpace(raw)
		if trimmed == "" {
			blank = true
			continue
		}
		if number <= 2*MostLines && r.from == nil {
			r.show(number, raw, 0, nil)
		}
		if r.more(number, raw, text) {
			blank = false
			continue
		}
		if rest, n := r.block(number, trimmed, whole); n > 0 {
			text, number, blank = rest, number+n-1, false
			r.take(number)
			continue
		}
		if joined, rest, n := r.openQuote(raw, text); n > 0 {
			r.line(kinds, number, joined, blank)
			text, number, blank = rest, number+n, false
			continue
		}
		if joined, rest, n := goesOnBelow(raw, text); n > 0 {
			r.line(kinds, number, joined, blank)
			text, number, blank = rest, number+n, false
			continue
		}
		if joined, rest, ok := splitMAC(raw, text); ok {
			r.line(kinds, number, joined, blank)
			text, number, blank = rest, number+1, false
			continue
		}
		r.line(kinds, number, raw, blank)
		blank = false
	}
	r.closeAdapter()
	r.layout(true)
}

// end puts what was found in order. An address out there is where no device of the site is,
// if nothing but a line of text says so.
func (r *reader) end() {
	r.nameByTitles()
	r.leaveRules()
	r.settle()
	r.out.Sightings = slices.DeleteFunc(r.out.Sightings, func(s sighting.Sighting) bool {
		if s.MAC != "" || s.Address.IsPrivate() || slices.ContainsFunc(r.own, func(p netip.Prefix) bool { return p.Contains(s.Address) }) {
			return false
		}
		r.unread(line{number: s.Line, text: strings.TrimSpace(s.Address.String() + " " + s.Host)})
		return true
	})
	if r.from != nil {
		for i := range r.out.Sightings {
			r.out.Sightings[i].Line = r.lineOf(r.out.Sightings[i].Line)
		}
	}
	for _, number := range slices.Sorted(maps.Keys(r.shown)) {
		l := r.shown[number]
		l.Line = r.lineOf(number)
		r.out.Lines = append(r.out.Lines, l)
	}
	byLine := func(a, b sighting.Sighting) int { return a.Line - b.Line }
	if !slices.IsSortedFunc(r.out.Sightings, byLine) {
		slices.SortStableFunc(r.out.Sightings, byLine)
	}
}

// openCell is a row whose last cell begins with a quote and does not end.
var openCell = regexp.MustCompile(`^(.*[,;\t])?"(?:[^"]|"")*$`)

// openQuote joins a row one of whose cells holds line breaks with the lines that belong
// to it; n is how many.
func (r *reader) openQuote(raw, rest string) (joined, after string, n int) {
	if strings.Count(raw, `"`)%2 == 0 || r.columns.are == nil && !openCell.MatchString(raw) {
		return "", "", 0
	}
	joined = raw
	for n < mostBreaks && rest != "" && len(joined) < longest {
		next, after, _ := strings.Cut(rest, "\n")
		joined, rest, n = joined+"\n"+strings.TrimSuffix(next, "\r"), after, n+1
		if strings.Count(joined, `"`)%2 == 0 {
			return joined, rest, n
		}
	}
	return "", "", 0
}

// goesOnBelow joins a command that ends in "\\" with the lines below; n is how many.
func goesOnBelow(raw, rest string) (joined, after string, n int) {
	for joined = raw; n < mostBreaks && strings.HasSuffix(joined, `\`) && rest != ""; n++ {
		var next string
		next, rest, _ = strings.Cut(rest, "\n")
		joined = strings.TrimRight(strings.TrimSuffix(joined, `\`), " ") + " " + strings.TrimSpace(next)
	}
	return joined, rest, n
}

// mostBreaks is how many line breaks the cells of one row may hold.
const mostBreaks = 40

// lineOf gives the line of the source.
func (r *reader) lineOf(number int) int {
	if number < 1 {
		return 1 // of what is made up of nothing in the text
	}
	if number-1 < len(r.from) {
		return r.from[number-1]
	}
	return number
}

func (r *reader) line(kinds []kind, number int, raw string, blank bool) {
	trimmed := strings.TrimSpace(raw)
	if noise(trimmed) {
		return
	}
	if struckOut.MatchString(trimmed) {
		if l := scan(number, raw); len(l.macs)+len(l.addrs) > 0 {
			r.unread(l)
			return
		}
	}
	raw = r.whole(bared(raw))
	if m := packedShape.FindStringSubmatch(raw); m != nil && r.reads("table") && r.unpack(number, strings.Trim(m[1], `"'`), func(at int) int { return at }) {
		r.take(number)
		return
	}
	if len(raw) > longest { // it is no line of anything
		r.unread(line{number: number, text: raw})
		return
	}
	l := scan(number, raw)
	if len(l.macs) == 0 && len(raw) < longest && strings.Count(raw, " ") > 4 && spacedMAC.MatchString(raw+"\n") {
		l = scan(number, strings.TrimSuffix(spacedMAC.ReplaceAllStringFunc(raw+"\n", func(m string) string {
			pairs := spacedMAC.FindStringSubmatch(m)[1]
			return strings.Replace(m, pairs, strings.ReplaceAll(pairs, " ", ":"), 1)
		}), "\n"))
	}
	if remark(trimmed) {
		if r.remark == "" {
			r.remark = raw // its words may be headings
		}
		if len(l.macs) > 0 { // it may be meant, and may not
			r.unread(l)
		}
		return
	}
	l.after = blank
	inside := r.settings || r.rules.inside || r.rules.saved || r.ifconfig || r.adapter.open || r.inList || r.columns.are != nil
	if !inside && strings.HasSuffix(trimmed, ":") && len(l.fields) < 4 && len(l.macs)+len(l.addrs) == 0 && grid.Switch(strings.TrimRight(trimmed, ":")) != 0 {
		r.loose = append(r.loose, l) // a title of what is on, or off
		return
	}
	if len(l.words) > 0 && (inside || !wordsAlone(raw)) {
		for _, k := range kinds {
			before, missed := len(r.out.Sightings), r.out.Missed
			if k.name == "own-settings" && len(l.macs)+len(l.addrs) > 5 {
				continue // no setting names so many
			}
			if k.take == nil {
				if l.forward = sendsOn(l); l.forward { // it is read with the lines around it
					r.loose = append(r.loose, l)
					return
				}
				continue
			}
			if k.take(l) {
				if (k.whole || len(l.addrs) == 0) && !(k.name == "table" && len(l.macs) > 0) && len(r.out.Sightings) == before && r.out.Missed == missed {
					r.claim(l) // also the laptop's own MAC address
				}
				r.dropHeading(l)
				r.take(number)
				return
			}
		}
	}
	l.cut, l.cutting = cuttingOf(l), true
	r.loose = append(r.loose, l)
	r.alike.note(l)
	if len(r.loose) >= mostLoose {
		r.layout(false)
	}
}

// struckOut is a line that says in Markdown that it no longer holds.
var struckOut = regexp.MustCompile(`^(?:[-*+•] |\d+[.)] |\|)?\s*~~.*~~[\s|]*$`)

// packedShape is a name with a list packed into its value.
var packedShape = regexp.MustCompile(`^\s*[\w.-]+=["']?((?:[<>]|[0-9A-Fa-f:.-]{7,17}[\s,~|<>]).{20,})$`)

// wordsAlone passes a line of nothing but letters and blanks, of which no reader makes
// anything unless it is in the middle of something.
func wordsAlone(text string) bool {
	for i := range len(text) {
		if c := text[i] | 0x20; (c < 'a' || c > 'z') && c != ' ' {
			return false
		}
	}
	return true
}

// take notes that a line was taken, if that parts others.
func (r *reader) take(number int) {
	if len(r.loose) > 0 {
		r.takenAt = append(r.takenAt, number)
	}
}

// mostLoose is how many lines are looked at together: a table may go on beyond them,
// cards end there.
const mostLoose = 20_000

// MostUnread is how many lines that were not understood are given; all are counted.
const MostUnread = 200

// show keeps a line as it came, for people to look at.
func (r *reader) show(number int, text string, list int, cells []string) {
	if r.shown == nil {
		r.shown = map[int]ShownLine{}
	}
	if _, have := r.shown[number]; !have && len(r.shown) >= MostLines {
		return
	}
	short := make([]string, len(cells))
	for i, c := range cells {
		short[i] = cut(c)
	}
	r.shown[number] = ShownLine{Source: r.source, Text: cut(text), List: list, Cells: short}
}

func (r *reader) unread(l line) {
	if len(r.out.Exposed) < mostOwn && r.exposedHost(l) {
		return
	}
	r.out.Missed++
	r.missed = append(r.missed, r.lineOf(l.number))
	if len(r.out.Unread) < MostUnread {
		r.out.Unread = append(r.out.Unread, Unread{r.source, r.lineOf(l.number), cut(l.text)})
	}
}

// spacedMAC is a MAC address with blanks between its pairs, alone between separators or behind its label.
var spacedMAC = regexp.MustCompile(`(?:[\t;,|:]|\.{3} |(?i:\bmac(?: addr(?:ess)?)?) )((?i:[0-9a-f]{2} ){5}[0-9A-Fa-f]{2})[\t;,|\n]`)

// remark passes what a file says to people only. A row whose first column is headed or
// numbered with "#" is none.
func remark(text string) bool {
	return strings.HasPrefix(text, "#") && !titleMark.MatchString(text) && !strings.Contains(text, "\t") && !headRemark.MatchString(text) || strings.HasPrefix(text, "//")
}

// titleMark is a title of Markdown below the first.
var titleMark = regexp.MustCompile(`^#{2,5} \pL`)

// headRemark are headings in a remark: words parted by marks without blanks.
var headRemark = regexp.MustCompile(`^#\s?[\w.-]+(?:(?:\|[\w .-]+){2,}|(?:;[\w .-]+){2,}|(?:,[\w.-]+){2,})$`)

// noise passes rules and lines without anything to read.
func noise(text string) bool {
	return strings.Trim(text, "-=_+|* \t\u2500\u2502\u253c") == "" || strings.HasPrefix(text, "sep=") && len(text) == 5
}

// dropHeading takes the lines right above one that was understood for its
// headings: words in columns, and no figures.
func (r *reader) dropHeading(l line) {
	for n := len(r.loose); n > 0; n = len(r.loose) {
		last := r.loose[n-1]
		if l.number-last.number > 3 || r.takenBetween(last.number, l.number) || strings.ContainsFunc(last.text, isDigit) && len(last.words) < 4 || len(last.words) < 2 || len(last.macs)+len(last.addrs) > 0 || strings.HasPrefix(last.text, "\x1b") {
			return
		}
		r.loose = r.loose[:n-1]
	}
}

func isDigit(c rune) bool { return c >= '0' && c <= '9' }

// splitMAC joins a line that ends in the middle of a MAC address with the next.
func splitMAC(raw, rest string) (joined, after string, ok bool) {
	raw = strings.TrimRight(raw, " \t")
	head := raw[strings.LastIndexAny(raw, " \t,;|")+1:]
	octets, open := halfMAC(head)
	if octets == 0 {
		return "", "", false
	}
	next, after, _ := strings.Cut(rest, "\n")
	next = strings.TrimLeft(strings.TrimSuffix(next, "\r"), " \t")
	end := strings.IndexAny(next, " \t,;|")
	if end < 0 {
		end = len(next)
	}
	tail := next[:end]
	sep := ""
	switch {
	case open && tail != "" && isHex(tail[0]):
	case !open && tail != "" && (tail[0] == ':' || tail[0] == '-'):
	case !open && strings.ContainsAny(strings.ToLower(head+tail), "abcdef"):
		sep = head[2:3]
	default:
		return "", "", false
	}
	if w := head + sep + tail; !grid.LooksMAC(w) || len(w) != 17 {
		return "", "", false
	}
	return raw + sep + next, after, true
}

func isHex(c byte) bool {
	return c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'f'
}

// halfMAC counts the octets of the beginning of a MAC address, 2 to 5 of them;
// open if a separator stands at its end.
func halfMAC(w string) (octets int, open bool) {
	if len(w) < 5 || len(w) > 15 || (w[2] != ':' && w[2] != '-') {
		return 0, false
	}
	for i := range len(w) {
		if i%3 == 2 && w[i] != w[2] || i%3 != 2 && !isHex(w[i]) {
			return 0, false
		}
	}
	switch len(w) % 3 {
	case 0:
		return len(w) / 3, true
	case 2:
		return len(w)/3 + 1, false
	}
	return 0, false
}

// cut makes a line short enough to show.
func cut(text string) string {
	if c := []rune(text[:min(len(text), 2000)]); len(c) > 200 {
		return string(c[:200]) + "..."
	}
	return strings.ToValidUTF8(text, "\uFFFD")
}

func (r *reader) sight(l line, mac site.MAC, a netip.Addr, host, state string) {
	r.add(sighting.Sighting{MAC: mac, Address: a, Host: host, State: state, Line: l.number})
}

// add keeps a sighting with its names made plain.
func (r *reader) add(s sighting.Sighting) {
	s.Source = r.source
	s.Host = strings.ReplaceAll(s.Host, "\u2223", "|")
	if len(s.Host) < 3 && strings.Trim(s.Host, "*?-") == "" {
		s.Host = ""
	}
	if !plainASCII(s.Host) && strings.ContainsFunc(s.Host, unseen) {
		ours := r.columns.are != nil // a break in a cell was written there
		s.Host = strings.TrimSpace(strings.Map(func(c rune) rune {
			if c == '\n' && !ours {
				return ' '
			}
			if unseen(c) && !(ours && c == '\n') {
				return -1
			}
			return c
		}, s.Host))
	}
	r.out.Sightings = append(r.out.Sightings, s)
}

func plainASCII(text string) bool {
	for i := range len(text) {
		if text[i] < ' ' || text[i] >= 0x7f {
			return false
		}
	}
	return true
}

// unseen passes what does not show in a name, or turns the text around it.
func unseen(c rune) bool {
	return c < ' ' || c >= 0x7f && (unicode.IsControl(c) || unicode.Is(unicode.Cf, c) || c == utf8.RuneError)
}

// settle picks the subnet among the laptop's own: the one with the gateway.
func (r *reader) settle() {
	f := &r.out.Facts
	for _, own := range r.own {
		a := sighting.Adapter{Own: own}
		for _, g := range r.gateways {
			if own.Contains(g) && !a.Gateway.IsValid() {
				a.Gateway = g
				if !f.Gateway.IsValid() {
					f.Subnet, f.Own, f.Gateway = own.Masked(), own.Addr(), g
				}
			}
		}
		if own.Addr() != own.Masked().Addr() && !slices.Contains(f.Adapters, a) {
			f.Adapters = append(f.Adapters, a)
		}
	}
	if f.Own.IsValid() && f.Own == f.Subnet.Addr() {
		f.Own = netip.Addr{} // from a route, which does not tell it
	}
	if len(f.Adapters) < 2 {
		f.Adapters = nil
	}
	if !f.Subnet.IsValid() && len(r.own) > 0 {
		f.Subnet = r.own[0].Masked()
		if r.own[0].Addr() != f.Subnet.Addr() {
			f.Own = r.own[0].Addr()
		}
	}
	if !f.Gateway.IsValid() && len(r.gateways) > 0 {
		f.Gateway = r.gateways[0]
	}
}

// mostOwn is how many networks and gateways of one laptop are kept: more than any
// has.
const mostOwn = 100

func (r *reader) addGateways(list ...netip.Addr) {
	for _, a := range list {
		if len(r.gateways) < mostOwn && !slices.Contains(r.gateways, a) {
			r.gateways = append(r.gateways, a)
		}
	}
}

// addOwn keeps a network of the laptop; a route to it, which does not tell the
// laptop's own address, counts where nothing better does.
func (r *reader) addOwn(p netip.Prefix) {
	if len(r.own) >= mostOwn || !p.IsValid() || !p.Addr().Is4() || p.Addr().IsLoopback() || p.Addr().IsMulticast() || p.Bits() > 30 || p.Bits() < 8 {
		return
	}
	for i, have := range r.own {
		if have.Masked() == p.Masked() {
			if have.Addr() == have.Masked().Addr() {
				r.own[i] = p
			}
			return
		}
	}
	r.own = append(r.own, p)
}

func addTo(list *[]netip.Addr, a netip.Addr) {
	if a.Is4() && !a.IsLoopback() && !a.IsUnspecified() && !slices.Contains(*list, a) {
		*list = append(*list, a)
	}
}

// mostJoined is how many lines of several texts together are given as they came.
const mostJoined = 2000

// Join puts two results together; what the first knows of the network stays.
func Join(a, b Result) Result {
	a.Sightings = append(a.Sightings, b.Sightings...)
	a.Forwards = append(a.Forwards, b.Forwards...)
	a.Exposed = append(a.Exposed, b.Exposed...)
	a.Around = append(a.Around, b.Around...)
	a.Forwarding = a.Forwarding || b.Forwarding
	for _, l := range b.Lines[:min(len(b.Lines), mostJoined-min(len(a.Lines), mostJoined))] {
		if l.List > 0 {
			l.List += len(a.Lists)
		}
		a.Lines = append(a.Lines, l)
	}
	a.Lists = append(a.Lists, b.Lists...) // all of them, since lines name them by number
	a.Unread = append(a.Unread, b.Unread...)
	a.Unread = a.Unread[:min(len(a.Unread), MostUnread)]
	a.Missed += b.Missed
	a.Questions = append(a.Questions, b.Questions[:min(len(b.Questions), MostLists-min(len(a.Questions), MostLists))]...)
	f, g := &a.Facts, b.Facts
	if !f.Subnet.IsValid() {
		f.Subnet, f.Own = g.Subnet, g.Own
	}
	if !f.Own.IsValid() && f.Subnet == g.Subnet {
		f.Own = g.Own
	}
	if !f.Gateway.IsValid() {
		f.Gateway = g.Gateway
	}
	for _, d := range g.DNS {
		addTo(&f.DNS, d)
	}
	for _, d := range g.DHCP {
		addTo(&f.DHCP, d)
	}
	for _, x := range g.Ranges {
		if !slices.Contains(f.Ranges, x) {
			f.Ranges = append(f.Ranges, x)
		}
	}
	if f.Lease == 0 {
		f.Lease = g.Lease
	}
	if f.LeaseFrom == "" {
		f.LeaseFrom, f.LeaseUntil = g.LeaseFrom, g.LeaseUntil
	}
	f.Adapters = append(f.Adapters, g.Adapters...)
	return a
}
