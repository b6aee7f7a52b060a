package grid

import (
	"net/netip"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

var digits = regexp.MustCompile(`\d+`)

// column is what is known of a column: what its cells could be.
type column struct {
	head       []Role
	exact      bool // the heading is known whole
	headed     bool // it has a heading, known or not
	rows       int
	filled     int
	cells      []sort
	distinct   int // different texts among those filled
	private    int // addresses of private networks
	nets       map[netip.Prefix]int
	numbered   bool     // "Rule 1", "Rule 2": the rows are counted
	counted    bool     // long texts that differ in their figures alone: "seen 3 days ago"
	texts      []string // those filled
	numbers    []int    // the first port of each that is filled, 0 for what is none
	repeated   float64  // the share of numbers that stand there more than once
	tiny       float64  // the share of numbers below 20: of rules and packets rather than ports
	counts     bool     // the numbers count the rows
	transports int      // cells that name TCP or UDP
	end        int      // of a range: below zero its first, above its last, as the heading says
	part       bool     // it is a part of what its cells say
	off        bool     // the heading says that what is ticked is off
	side       float64  // of ports: above zero the heading says outside, below inside
	paths      bool     // each is a path of names with their values: "cn=till,ou=shop"
	hostlike   int      // cells such as a device names itself: one word, small letters, dashes
}

func profile(rows []Row, s split, head string) column {
	c := column{rows: len(rows), nets: map[netip.Prefix]int{}, headed: strings.TrimSpace(head) != ""}
	c.head, c.exact = Heading(head)
	c.side = sideOf(head)
	c.part, c.end = s.part != 0, EndOf(head)
	c.off = known().cells[fold(head)]&isNo != 0
	texts := make(map[string]bool, len(rows))
	forms, long := map[string]bool{}, 0
	for _, row := range rows {
		text := strings.TrimSpace(s.cell(row))
		if text == "" {
			continue
		}
		c.filled++
		if !texts[text] && len(forms) < 4 {
			forms[digits.ReplaceAllString(text, "0")] = true
		}
		if strings.Count(text, " ") > 1 {
			long++
		}
		texts[text] = true
		c.texts = append(c.texts, text)
		of := sortOf(text)
		if _, ok := protocolIn(text); ok && (strings.ContainsAny(text, "tTuU") || c.says(Protocol) && of&isNumber != 0) && of&isNothing == 0 {
			c.transports++
		}
		n := 0
		if of&(isNumber|isPorts) != 0 {
			n, _ = strconv.Atoi(text[:max(0, strings.IndexFunc(text+" ", func(c rune) bool { return c < '0' || c > '9' }))])
		}
		c.numbers = append(c.numbers, n)
		c.cells = append(c.cells, of)
		if of&isText != 0 && !strings.Contains(text, " ") && strings.ToLower(text) == text {
			c.hostlike++
		}
		if a, ok := AddressIn(text); ok {
			if a.IsPrivate() || a.IsLinkLocalUnicast() {
				c.private++
			}
			if p, err := a.Prefix(24); err == nil {
				c.nets[p]++
			}
		}
	}
	// What a heading says and no cell is, it does not mean.
	if c.filled > 0 {
		c.head = slices.DeleteFunc(slices.Clone(c.head), func(r Role) bool {
			switch r {
			case MAC, OtherMAC:
				return c.count(isMAC) == 0
			case Address, ReservedAddr, Gateway, Mask, Target:
				return c.count(isAddress|isNetwork|isMask|isNumber|isPorts|isQuantity) == 0 && c.share(isText) > 0.5
			}
			return false
		})
	}
	c.distinct = len(texts)
	times, step := map[int]int{}, 1
	if len(c.numbers) > 1 {
		step = c.numbers[1] - c.numbers[0]
	}
	c.counts = len(c.numbers) > 0 && step > 0 && (c.numbers[0] <= 1 || c.numbers[0] == step)
	for k, n := range c.numbers {
		times[n]++
		c.counts = c.counts && n == c.numbers[0]+k*step
		if n < 20 {
			c.tiny += 1 / float64(len(c.numbers))
		}
	}
	for n, k := range times {
		if n > 0 && k > 1 {
			c.repeated += float64(k-1) / float64(len(c.numbers))
		}
	}
	c.paths = c.filled > 0 && !slices.ContainsFunc(c.texts, func(t string) bool { return !strings.Contains(t, "=") })
	c.numbered = !c.headed && numbered(c.texts)
	c.counted = len(texts) > 2 && len(forms) == 1 && long == c.filled
	return c
}

// numbered passes texts of the same words that count up: "Rule 1", "Rule 2".
func numbered(texts []string) bool {
	for i, t := range texts {
		words, n := strings.TrimRight(t, "0123456789"), len(strings.TrimRight(t, "0123456789"))
		if k, err := strconv.Atoi(t[n:]); err != nil || k != i+1 || words == "" || !strings.HasPrefix(texts[0], words) {
			return false
		}
	}
	return len(texts) > 1
}

// endsInState reports whether the last word of each of several cells says how a device is.
func (c column) endsInState() bool {
	for _, t := range c.texts {
		at := strings.LastIndexByte(t, ' ')
		if at < 0 || sortOf(strings.Trim(t[at+1:], "()"))&isState == 0 {
			return false
		}
	}
	return c.filled > 1
}

// hexish reports whether all cells are of the letters of MAC addresses: some may be cut.
func (c column) hexish() bool {
	return !slices.ContainsFunc(c.texts, func(t string) bool { return !cutMAC(t) })
}

// count tells how many cells could be any of some sorts.
func (c column) count(of sort) int {
	n := 0
	for _, s := range c.cells {
		if s&of != 0 {
			n++
		}
	}
	return n
}

func (c column) share(of sort) float64 {
	if c.filled == 0 {
		return 0
	}
	return float64(c.count(of)) / float64(c.filled)
}

func (c column) unlike() float64 {
	if c.filled == 0 {
		return 0
	}
	return float64(c.distinct) / float64(c.filled)
}

func (c column) says(roles ...Role) bool {
	return slices.ContainsFunc(c.head, func(r Role) bool { return slices.Contains(roles, r) })
}

// best gives the column with the highest worth, -1 where none is worth anything.
func best(columns []column, taken []Role, worth func(c column) float64) int {
	at, most := -1, 0.0
	for i, c := range columns {
		if taken[i] != None || c.filled == 0 {
			continue
		}
		if w := worth(c); w > most {
			at, most = i, w
		}
	}
	return at
}

// assign gives each column its role: first what the addresses are, which their form tells,
// then ports and protocols, then the name among what is left.
func assign(columns []column, headed, forwards bool) (roles []Role, ask []int, questions []Question) {
	roles = make([]Role, len(columns))
	if at := best(columns, roles, macWorth); at >= 0 {
		roles[at] = MAC
	}
	for i, c := range columns {
		if roles[i] == None && c.share(isMAC) > 0.5 && !(c.says(Name, DeviceName) && c.share(isMAC) < 1) {
			roles[i] = OtherMAC
		}
	}
	if at := best(columns, roles, func(c column) float64 { return addressWorth(c, !slices.Contains(roles, MAC)) }); at >= 0 {
		roles[at] = Address
		if columns[at].says(ReservedAddr) {
			roles[at] = ReservedAddr
		}
	}
	for i, c := range columns {
		if roles[i] == None {
			roles[i] = typed(c)
		}
	}
	hasMAC := slices.Contains(roles, MAC)
	if !hasMAC {
		questions = assignPorts(columns, roles, forwards)
	}
	name := func(c column) float64 { return nameWorth(c, headed) }
	at := best(columns, roles, name)
	if at >= 0 && columns[at].part && slices.ContainsFunc(roles, func(r Role) bool { return r == Outside || r == Port || r == Service }) {
		for i, c := range columns { // what stands beside the address is the device's
			if !c.part && roles[i] == None && name(c) > 0 {
				at = i
				break
			}
		}
	}
	if at >= 0 {
		roles[at] = Name
		for i, c := range columns {
			if i != at && roles[i] == None && c.filled > 0 && closeTo(name(c), name(columns[at]), headed) {
				ask = append(ask, i)
			}
		}
		if len(ask) > 0 {
			ask = append([]int{at}, ask...)
		}
	}
	for i, c := range columns {
		if roles[i] == None {
			roles[i] = rest(c)
		}
	}
	return roles, ask, questions
}

func closeTo(w, best float64, headed bool) bool {
	if headed {
		return w >= best
	}
	return w > best*0.75
}

func macWorth(c column) float64 {
	if c.count(isMAC) == 0 || c.share(isMAC|isNothing) < 0.5 && !(c.says(MAC) && c.exact && c.hexish()) {
		return 0
	}
	w := float64(c.count(isMAC))/float64(c.rows) + c.unlike()
	switch {
	case c.says(MAC):
		w += 2
	case c.says(OtherMAC) && c.exact:
		return 0
	case c.says(OtherMAC):
		w -= 1.9
	case c.says(Name, DeviceName) && c.share(isMAC) < 1:
		w -= 1.9
	}
	return max(w, 0.01)
}

// addressWorth tells how likely a column holds where the devices are: addresses of one
// network, each another.
func addressWorth(c column, forwards bool) float64 {
	if c.count(isAddress) == 0 || c.share(isAddress|isNothing) < 0.4 && c.share(isAddress) < 0.3 {
		return 0
	}
	most := 0
	for _, n := range c.nets {
		most = max(most, n)
	}
	if forwards && c.private == 0 && c.distinct < c.filled {
		return 0 // the router's own, outside
	}
	w := float64(c.count(isAddress))/float64(c.rows) + 2*c.unlike() + 0.8*float64(c.private)/float64(c.filled) + 0.2*float64(most)/float64(c.filled)
	switch {
	case c.says(ReservedAddr):
		w += 2.1
	case c.says(Target) && forwards:
		w += 2.2
	case c.says(Address):
		w += 2
	case c.says(Network) && c.share(isAddress) > 0.9 && c.private == c.filled && forwards:
	case c.says(Network) && !forwards && c.share(isAddress) == 1 && c.private == c.filled && c.distinct == c.filled && c.filled > 1:
		w -= 0.8 // what is called a network may be where each is in it
	case c.says(Gateway, DNS, Mask, Network, Version, Range, Sender, Figure, Time, Port):
		if c.exact || c.says(Gateway, DNS) {
			return 0
		}
		w -= 0.8 // a word of it, that may mean something else here
	}
	return w
}

// typed gives the role of a column whose cells are of a form that is no name.
func typed(c column) Role {
	switch {
	case c.filled == 0:
		return None
	case c.says(Password):
		return Password
	case c.share(isAddress) > 0.5:
		for _, r := range c.head {
			if r == Gateway || r == DNS || r == Version || r == Sender || r == Network {
				return r
			}
		}
		if c.headed && c.exact && c.says(Name, DeviceName) {
			return None
		}
		return Range
	case c.share(isNetwork) > 0.5 && c.says(Sender):
		return Sender
	case c.share(isNetwork) > 0.5:
		return Network
	case c.share(isMask) > 0.5:
		return Mask
	case c.share(isIPv6) > 0.5:
		return IPv6
	}
	return None
}

// nameWorth tells how likely a column is the name.
func nameWorth(c column, headed bool) float64 {
	if c.filled == 0 || c.share(isIPv6|isMask|isNetwork) > 0.5 {
		return 0
	}
	if c.share(isMaker) >= 0.5 && !c.says(Name, DeviceName) {
		return 0
	}
	if c.filled > 1 && c.distinct == 1 && !c.says(Name, DeviceName) {
		return 0
	}
	if c.numbered {
		return 0.02 // where nothing else is
	}
	texty := c.share(isText|isNumber|isNothing) - 0.3*c.share(isNumber)
	looks := texty*(0.2+0.8*c.unlike()) - 0.6*c.share(isMaker) - 0.9*c.share(isLink|isState|isAction|isQuantity|isTime|isAgo|isProtocol|isYes|isNo)
	if c.counted {
		looks -= 0.4
	}
	if c.paths {
		looks -= 0.4
	}
	if headed {
		if c.share(isNumber) > 0.9 {
			looks -= 30 // figures are names where nothing else is
		}
		switch {
		case c.exact && c.says(Name):
			return 10 + looks/10
		case c.exact && c.says(DeviceName):
			return 8 + looks/10
		case c.says(Name) && !c.exact:
			return 7 + looks/10
		case c.says(DeviceName) && !c.exact && len(c.head) == 1:
			return 6 + looks/10
		case c.says(Note):
			if c.share(isText) < 0.3 {
				return 0
			}
			return 4 + looks/10
		case c.says(Figure) && c.filled > 1 && c.share(isText) > 0.9 && c.unlike() > 0.9:
			return 1 + looks/10 // whatever it is called, it tells the rows apart
		case len(c.head) > 0:
			return 0
		}
		if looks < 0.45 || c.count(isText) == 0 || c.filled > 2 && c.unlike() < 0.7 {
			return 0
		}
		if !c.headed {
			return 1 + looks // a column without a heading among headed ones
		}
		return 2 + looks
	}
	if c.count(isText) == 0 && c.share(isNumber) < 1 || c.count(isText) == 0 && looks < 0.6 {
		return 0
	}
	if c.count(isText) == 0 {
		return 0.05
	}
	return max(0, looks+0.15*float64(c.hostlike)/float64(c.filled))
}

// rest gives the role of a column that is none of the above: what its heading says, or
// what its cells look like.
func rest(c column) Role {
	for _, r := range c.head {
		switch r {
		case Outside, OutsideEnd, PortCount, Inside, InsideEnd, Port, Protocol, Target, Sender:
		case Name, DeviceName:
			return Note
		case Link:
			return Link
		case Enabled, Reserved, State:
			if r == Reserved && c.share(isYes|isNo|isNothing) < 0.5 && c.share(isState) > 0 {
				return State
			}
			return r
		case Reservations, Forwards, MAC, OtherMAC, Address, ReservedAddr, IPv6:
		default:
			return r
		}
	}
	if c.headed {
		if c.says(Port) && c.share(isLink|isNumber) > 0.5 {
			return Link
		}
		return None
	}
	switch {
	case c.share(isLink) > 0.5:
		return Link
	case c.share(isState) > 0.5:
		return State
	case c.share(isTime|isAgo) > 0.5:
		return Time
	case c.share(isAction) > 0.5:
		return Action
	case c.share(isMaker) > 0.5:
		return Maker
	case c.share(isNumber|isQuantity) > 0.5:
		return Figure
	}
	return None
}

// kindOf says what a list is of.
func kindOf(roles []Role, title Role) string {
	has := func(list ...Role) bool {
		return slices.ContainsFunc(roles, func(r Role) bool { return slices.Contains(list, r) })
	}
	switch {
	case has(MAC) && (title == Reservations || has(ReservedAddr)):
		return OfReservations
	case has(MAC):
		return OfDevices
	case has(Address, Target) && (has(Outside) && has(Inside) || has(Outside, Inside, Port) && (has(Protocol, Enabled, Sender, OutsideEnd, InsideEnd, Target) || title == Forwards) || has(Service) || title == Forwards && has(Protocol)):
		return OfForwards
	case has(Address, ReservedAddr) && title == Reservations:
		return OfReservations
	case has(Address, ReservedAddr) && has(Name):
		return OfDevices
	}
	return OfNothing
}
