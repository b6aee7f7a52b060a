package read

import (
	"slices"
	"strings"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/read/grid"
)

// item is one particular on a card.
type item struct {
	line  *line
	text  string
	label string // what the page calls it, if it says so
	path  string // its place on the card, where that is known from the page
	mac   bool
	addr  bool
	side  bool // it is not the name: another form of address, how it is attached, a button
	fixed bool // it stands on most cards
}

func itemOf(l *line, text, label string) item {
	i := item{line: l, text: text, label: label}
	bare := strings.Trim(text, "()[]<> ")
	i.mac, i.addr = grid.LooksMAC(bare), isAddr(bare)
	if i.mac || i.addr {
		i.text = bare
	}
	i.side = !i.mac && !i.addr && !grid.Namelike(text)
	return i
}

// itemsOf takes the lines of cards apart.
func itemsOf(lines []line) (out []item) {
	for k := range lines {
		l := lines[k]
		c := cuttingOf(l)
		if c == byBar || c == byTab && len(cellsOf(l.text, c)) > 2 {
			for _, text := range cellsOf(l.text, c) {
				if text != "" {
					out = append(out, itemOf(&lines[k], text, ""))
				}
			}
			continue
		}
		if parts := labelledParts(l.text); parts != nil {
			for _, p := range parts {
				out = append(out, itemOf(&lines[k], p[1], p[0]))
			}
			continue
		}
		label, value := labelOf(l.text)
		if !rowLike(l) && len(l.macs)+len(l.addrs) > 1 { // addresses and marks between them
			for _, w := range l.words {
				if grid.Typed(w) {
					out = append(out, itemOf(&lines[k], w, ""))
				}
			}
			continue
		}
		if first, rest, _ := strings.Cut(value, " "); label != "" && grid.Typed(first) && rest != "" && len(l.macs)+len(l.addrs) == 1 {
			value = first
			if there := thereShape.FindStringSubmatch(" " + rest); there != nil && isAddr(first) {
				value += ":" + there[1]
			}
		}
		out = append(out, itemOf(&lines[k], value, label))
	}
	notTheirs(out)
	if slices.ContainsFunc(out, func(i item) bool { return !i.mac && !i.addr && !i.side && !grid.IsFigure(i.text) }) {
		figures, devices := 0, 0
		for _, i := range out {
			if i.mac {
				devices++
			} else if i.label == "" && grid.IsFigure(i.text) {
				figures++
			}
		}
		for k, i := range out { // where most cards have a figure, or it does not begin one, it is no name
			out[k].side = i.side || grid.IsFigure(i.text) && (figures*2 > devices || k > 0 && !i.line.after)
		}
	}
	// A heading that we know, alone on its line, is the label of what follows; so is a
	// line that stands on every card in front of an address.
	count := map[string]int{}
	macs := 0
	for _, i := range out {
		if i.mac {
			macs++
		} else if i.label == "" && !i.addr {
			count[i.text]++
		}
	}
	var joined []item
	for k := 0; k < len(out); k++ {
		i := out[k]
		i.fixed = i.label == "" && !i.mac && !i.addr && !grid.Typed(i.text) && (macs > 1 && count[i.text]*10 >= macs*6 && count[i.text] > 1 || count[i.text] == 1 && macs == 1 && grid.Known(i.text))
		if i.fixed && !grid.Stateful(i.text) && k+1 < len(out) && out[k+1].label == "" && !out[k+1].line.after && ((out[k+1].mac || out[k+1].addr) && count[i.text] >= macs || grid.Known(i.text) && count[out[k+1].text] < count[i.text]) {
			next := out[k+1]
			next.label = i.text
			joined = append(joined, next)
			k++
			continue
		}
		joined = append(joined, i)
	}
	return joined
}

// notTheirs finds among the particulars of several devices the MAC addresses and addresses
// that are the same on many: of the radio, the router, the mask. They are nobody's here.
func notTheirs(items []item) {
	var macs frequency
	addrs := map[string]int{}
	for _, i := range items {
		if i.mac {
			macs.add(strings.ToLower(i.text))
		} else if i.addr {
			addrs[i.text]++
		}
	}
	devices := 0
	for m := range macs.count {
		if !macs.often(m) {
			devices++
		}
	}
	private, public := 0, 0
	for a, n := range addrs {
		if ip, ok := grid.AddressIn(a); ok && ip.IsPrivate() {
			private += n
		} else {
			public += n
		}
	}
	for k := range items {
		i := &items[k]
		ip, _ := grid.AddressIn(i.text)
		switch {
		case i.addr && !ip.IsPrivate() && private+public > devices && private*2 >= devices: // a version, or out there
			i.addr, i.side = false, true
		case i.mac && macs.often(strings.ToLower(i.text)):
			i.mac, i.side, i.path = false, true, "othermac"
		case i.addr && addrs[i.text] > 1 && devices > 1 && (len(addrs) > devices/2 || addrs[i.text] == devices):
			i.addr, i.side = false, true
		}
	}
}

// frequency is how often texts stand in a list, and how many stand there once.
type frequency struct {
	count map[string]int
	once  int
}

func (f *frequency) add(text string) {
	if f.count == nil {
		f.count = map[string]int{}
	}
	f.count[text]++
	switch f.count[text] {
	case 1:
		f.once++
	case 2:
		f.once--
	}
}

// often reports whether a text stands in so many places that it is of no single device.
func (f *frequency) often(text string) bool {
	return f.once > 0 && f.count[text] > 1 && f.count[text]*2 >= f.once
}

// cards reads devices whose particulars stand below each other. Where one card ends and
// the next begins must be plain: from blank lines, labels that come again, or the order
// of the addresses and of what stands between them. What is not plain is not read.
func (r *reader) cards(lines []line) {
	items := itemsOf(lines)
	for _, i := range items {
		if !i.mac && !i.side && len(i.line.macs) > 0 {
			r.unread(*i.line) // in the middle of a sentence
		}
	}
	head := headsOf(items)
	if head > 1 && r.cellPerLine(items, head) {
		return
	}
	var cards [][]item
	for _, cut := range []func([]item) [][]item{byBlankLines, byLabels} {
		if cards = cut(items); cards != nil {
			break
		}
	}
	if cards != nil {
		for i := range cards {
			place(cards[i])
		}
	} else if cards = byOrder(items); cards == nil {
		r.giveUp(lines)
		return
	}
	r.leftOver(items, cards)
	r.cardTable("", cards)
}

// headsOf counts the headings with which particulars begin.
func headsOf(items []item) (n int) {
	for n < len(items) && items[n].label == "" && grid.Known(items[n].text) && !items[n].fixed {
		n++
	}
	return n
}

// leftOver tells of the particulars that are on no card: headings, and names that could
// be of either neighbour.
func (r *reader) leftOver(items []item, cards [][]item) {
	used := map[int]bool{}
	for _, c := range cards {
		for _, i := range c {
			used[i.line.number] = true
		}
	}
	for _, i := range items {
		if !used[i.line.number] && (!i.side || i.label != "") && !i.fixed && i.text != "" && len(i.line.macs) == 0 {
			used[i.line.number] = true
			r.unread(*i.line)
		}
	}
}

// cellPerLine reads a table that was pasted with each cell on a line of its own, below
// its headings; false where the lines do not go by the number of headings.
func (r *reader) cellPerLine(items []item, n int) bool {
	if (len(items)-n)%n != 0 || len(items) == n {
		return false
	}
	macs := slices.ContainsFunc(items, func(i item) bool { return i.mac })
	var head []string
	for _, i := range items[:n] {
		head = append(head, i.text)
	}
	var rows []rawRow
	at := -1
	for k := n; k < len(items); k += n {
		row := rawRow{grid.Row{Line: items[k].line.number}, *items[k].line}
		for c, i := range items[k : k+n] {
			row.Cells = append(row.Cells, i.text)
			if i.mac || !macs && i.addr {
				if at >= 0 && at != c || len(row.line.macs)+len(row.line.addrs) > 0 && c != at {
					return false
				}
				at = c
				row.line, row.Line = *i.line, i.line.number
			}
		}
		rows = append(rows, row)
	}
	if at < 0 {
		return false
	}
	r.table("", head, rows, uncut, false)
	return true
}

// one passes cards with one MAC address each; a card without is a heading or a foot.
func one(cards [][]item) bool {
	some := false
	for _, c := range cards {
		macs, addrs := 0, 0
		for _, i := range c {
			if i.mac && !otherMAC(i.label) {
				macs++
			}
			if i.addr {
				addrs++
			}
		}
		if macs > 1 || macs == 0 && addrs > 0 {
			return false
		}
		some = some || macs == 1
	}
	return some
}

func otherMAC(label string) bool {
	return slices.Contains(headingOf(label), grid.OtherMAC)
}

func byBlankLines(items []item) (cards [][]item) {
	for k, i := range items {
		if k == 0 || i.line.after && i.line.number != items[k-1].line.number {
			cards = append(cards, nil)
		}
		cards[len(cards)-1] = append(cards[len(cards)-1], i)
	}
	// Particulars with blank lines between each are no cards of their own.
	for _, c := range cards {
		if len(c) == 1 && c[0].mac {
			return nil
		}
	}
	if len(cards) < 2 || !one(cards) {
		return nil
	}
	first, second := cards[0], cards[1]
	if len(first) == len(second)+1 && first[0].label == "" && !first[0].mac && !first[0].addr && !slices.ContainsFunc(cards[1:], func(c []item) bool { return len(c) != len(second) }) {
		cards[0] = first[1:] // a title above them all
	}
	return cards
}

// byLabels cuts cards by the order of their labels: a card ends where the order begins
// anew. With which label it begins is what leaves the fewest cards incomplete; where two
// would do alike, nobody can tell to which card a label belongs, and nothing is cut.
func byLabels(items []item) [][]item {
	order := orderOf(items)
	labels := 0
	for _, i := range items {
		if i.label != "" {
			labels++
		}
	}
	if labels*2 < len(items) || len(order) == 0 {
		return nil
	}
	var best [][]item
	least, twice := 0, false
	for first := range min(len(order), mostOrders) {
		cards, short := cutFrom(items, order, first)
		switch {
		case !one(cards):
		case best == nil || short < least:
			best, least, twice = cards, short, false
		case short == least && !sameCuts(best, cards):
			twice = true
		}
	}
	if best == nil || twice {
		return nil
	}
	return withNames(best)
}

// mostOrders is with how many labels of a card it is tried to begin.
const mostOrders = 12

// orderOf gives the order in which the labels of a card stand: that of the first card that
// has them, with those that others have besides behind the one before them.
func orderOf(items []item) (order []string) {
	seen := map[string]bool{}
	at := 0
	for _, i := range items {
		if i.label == "" {
			continue
		}
		if seen[i.label] {
			clear(seen)
			at = 0
		}
		seen[i.label] = true
		if k := slices.Index(order, i.label); k >= 0 {
			at = k + 1
			continue
		}
		order = slices.Insert(order, min(at, len(order)), i.label)
		at++
	}
	return order
}

// cutFrom cuts where the order of the labels begins anew with one of them, and counts the
// labels that cards are short of.
func cutFrom(items []item, order []string, first int) (cards [][]item, short int) {
	place := map[string]int{}
	for k, label := range order {
		place[label] = (k - first + len(order)) % len(order)
	}
	last, have := -1, 0
	for _, i := range items {
		if at, labelled := place[i.label], i.label != ""; labelled {
			if len(cards) == 0 || at <= last {
				if have > 0 {
					short += len(order) - have
				}
				cards, have = append(cards, nil), 0
			}
			last = at
			have++
		} else if len(cards) == 0 {
			cards = append(cards, nil)
		}
		cards[len(cards)-1] = append(cards[len(cards)-1], i)
	}
	return cards, short + len(order) - have
}

// sameCuts reports whether two ways to cut put each MAC address with the same labels.
func sameCuts(a, b [][]item) bool {
	return slices.EqualFunc(a, b, func(x, y []item) bool { return len(x) == len(y) })
}

// withNames gives each card the name that stands above its first label.
func withNames(cards [][]item) [][]item {
	// Lines above the first label are headings, but for the last, which may be a name; a
	// name that stands above each label begins the card.
	var out [][]item
	for k, c := range cards {
		end := len(c)
		for k+1 < len(cards) && end > 1 && c[end-1].label == "" && !c[end-1].mac && !c[end-1].addr {
			end--
		}
		if k+1 < len(cards) {
			cards[k+1] = append(slices.Clone(c[end:]), cards[k+1]...)
		}
		if k == 0 {
			lead := 0
			for lead < end && c[lead].label == "" {
				lead++
			}
			for range max(0, lead-1) {
				out = append(out, c[:1])
				c, end = c[1:], end-1
			}
		}
		out = append(out, cards[k][len(cards[k])-len(c):][:end])
	}
	if !one(out) {
		return cards
	}
	return out
}

// place gives each particular of a card its place: in front of the addresses, or behind
// which.
func place(card []item) {
	behind, n := "first", 0
	for k := range card {
		i := &card[k]
		switch {
		case i.label != "":
			i.path = i.label
		case i.mac:
			i.path, behind, n = "mac", "mac", 0
		case i.addr:
			i.path, behind, n = "address", "address", 0
		case (i.side || i.fixed):
			i.path = "side " + behind
		default:
			i.path = behind + string(rune('a'+min(n, 25)))
			n++
		}
	}
}

// byOrder cuts cards without blank lines or labels. The addresses come first: each MAC
// address with the address before it, or each with the one behind it. The words between
// two devices are then all of the one or all of the other, or as many of each as the ends
// of the list say. Names that could be of either are left out.
func byOrder(items []item) [][]item {
	var cores [][2]int // first and last item of the addresses of each device
	for _, macFirst := range []bool{false, true} {
		if c := coresOf(items, macFirst); c != nil {
			if cores != nil && !slices.Equal(cores, c) {
				return nil // both would do
			}
			cores = c
		}
	}
	if cores == nil {
		return nil
	}
	n := len(cores)
	gaps := make([][]int, n+1) // the names in front of each device, and behind the last
	for k, i := range items {
		if i.mac || i.addr || i.side || i.fixed || i.label != "" {
			continue
		}
		g := 0
		for g < n && cores[g][0] < k {
			g++
		}
		if g > 0 && k < cores[g-1][1] {
			continue // between the addresses of one device
		}
		gaps[g] = append(gaps[g], k)
	}
	cards := make([][]item, n)
	for d, c := range cores {
		for k := c[0]; k <= c[1]; k++ {
			cards[d] = append(cards[d], items[k])
		}
	}
	lead, trail, ok := shares(items, gaps)
	for d := range n {
		var whole []item
		if ok && lead > 0 {
			g := gaps[d]
			if d > 0 {
				g = g[min(len(g), trail):]
			}
			for _, k := range g[max(0, len(g)-lead):] {
				whole = append(whole, items[k])
			}
		}
		whole = append(whole, cards[d]...)
		if ok && trail > 0 {
			for _, k := range gaps[d+1][:min(trail, len(gaps[d+1]))] {
				whole = append(whole, items[k])
			}
		}
		cards[d] = whole
		place(cards[d])
	}
	return cards
}

// shares tells how many of the names between two devices belong to the one behind them,
// and how many to the one in front.
func shares(items []item, gaps [][]int) (lead, trail int, ok bool) {
	n := len(gaps) - 1
	first, last := gaps[0], gaps[n]
	most, least := 0, 1<<30
	for _, g := range gaps[1:n] {
		most, least = max(most, len(g)), min(least, len(g))
	}
	// What stands behind a blank line at the end is a foot, and so before one at the top a head.
	for k, at := range last {
		if items[at].line.after {
			last = last[:k]
			break
		}
	}
	for k := len(first) - 1; k > 0; k-- {
		if items[first[k]].line.after {
			first = first[k:]
			break
		}
	}
	switch {
	case n == 1:
		return len(first), len(last), len(first) == 0 || len(last) == 0
	case len(last) == 0 && most <= 1:
		return 1, 0, len(first) > 0 || most > 0
	case len(first) == 0 && most <= 1:
		return 0, 1, true
	case most != least || most == 0:
		return 0, 0, false
	case len(last) == 0 && len(first) >= most:
		return most, 0, true
	case len(first) == 0 && len(last) >= most:
		return 0, most, true
	case len(first)+len(last) == most:
		return len(first), len(last), true
	}
	return 0, 0, false
}

// coresOf finds the addresses of each device; nil where they do not go in that order.
func coresOf(items []item, macFirst bool) (cores [][2]int) {
	open := -1 // an address that waits for its MAC address
	done := true
	for k, i := range items {
		switch {
		case i.addr && !macFirst:
			if open >= 0 {
				return nil
			}
			open = k
		case i.addr:
			if done {
				return nil
			}
			cores[len(cores)-1][1] = k
			done = true
		case i.mac:
			at := k
			if open >= 0 {
				at, open = open, -1
			}
			cores = append(cores, [2]int{at, k})
			done = false
		}
	}
	if open >= 0 {
		return nil
	}
	return cores
}

// itself takes the device whose own page of settings a card is: its one MAC address and its one
// address. Used are the lines that settings were taken from; it gives those of the device too.
func (r *reader) itself(card []item, used map[int]bool) map[int]bool {
	mac, address := -1, -1
	for k, i := range card {
		switch roles := headingOf(i.label); {
		case outerShape.MatchString(i.label): // the router, as it stands outside
			return used
		case i.mac && mac >= 0, i.mac && otherMAC(i.label):
			return used
		case i.mac:
			mac = k
		case i.addr && len(i.line.addrs) > 0 && slices.Contains(roles, grid.Address) && !slices.Contains(roles, grid.Gateway):
			if address >= 0 || !i.line.addrs[0].IsPrivate() {
				return used // which of them it has nobody can tell
			}
			address = k
		}
	}
	if mac < 0 || address < 0 {
		return used
	}
	a, ok := addrWord(card[address].text)
	m, err := site.ParseMAC(card[mac].text)
	if !ok || err != nil {
		return used
	}
	r.add(sighting.Sighting{MAC: m, Address: a, Line: card[mac].line.number})
	if used == nil {
		used = map[int]bool{}
	}
	used[card[mac].line.number], used[card[address].line.number] = true, true
	return used
}

// cardTable makes a list of cards: a column for each label or place.
func (r *reader) cardTable(title string, cards [][]item) {
	var paths, head []string
	labelled := false
	var rows []rawRow
	macs := slices.ContainsFunc(cards, func(c []item) bool { return slices.ContainsFunc(c, func(i item) bool { return i.mac }) })
	for _, card := range cards {
		row := rawRow{grid.Row{}, line{}}
		settings, names := 0, 0
		cells := map[string]string{}
		for _, i := range card {
			for _, role := range headingOf(i.label) {
				switch role {
				case grid.Mask, grid.Gateway, grid.DNS, grid.Range:
					settings++
				case grid.Name, grid.DeviceName:
					names++
				}
			}
			if (i.mac || !macs && i.addr) && (row.Line == 0 || !otherMAC(i.label)) {
				row.Line, row.line = i.line.number, *i.line
			}
			path := i.path
			for cells[path] != "" {
				path += "'"
			}
			if !slices.Contains(paths, path) {
				if len(paths) >= mostSpanned {
					r.unread(*i.line)
					continue
				}
				paths, head = append(paths, path), append(head, i.label)
				labelled = labelled || i.label != ""
			}
			cells[path] = i.text
		}
		if row.Line == 0 || settings > 0 && names == 0 && len(cards) < 3 {
			used := r.networkOf(valuesOf(card))
			used = r.itself(card, used)
			for k, i := range card {
				if (k == 0 || card[k-1].line.number != i.line.number) && !used[i.line.number] {
					r.unread(*i.line)
				}
			}
			continue
		}
		for _, i := range card { // it is shown as one row
			if i.line.number != row.Line {
				delete(r.shown, i.line.number)
			}
		}
		row.Cells = make([]string, len(paths))
		for k, p := range paths {
			row.Cells[k] = cells[p]
		}
		rows = append(rows, row)
	}
	if len(rows) == 0 {
		return
	}
	if !labelled {
		head = nil
	}
	r.table(title, head, rows, uncut, false)
}
