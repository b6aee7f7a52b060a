package read

import (
	"regexp"
	"slices"
	"strings"
)

// labelShape is a line that says what it holds: "Address: 10.48.16.20".
var labelShape = regexp.MustCompile(`^\s*([\pL][^:：=\t]{0,40}?)\s*[:：=\t]\s*(\S.*)$`)

// labelOf takes a label from a line.
func labelOf(l line) (label, value string) {
	m := labelShape.FindStringSubmatch(l.text)
	if m == nil || looksMAC(strings.TrimSpace(l.text)) {
		return "", strings.TrimSpace(l.text)
	}
	return strings.ToLower(strings.TrimSpace(m[1])), strings.TrimSpace(m[2])
}

// labelled passes a line that holds one MAC or IP address behind a label, and
// nothing else.
func labelled(l line) bool {
	label, value := labelOf(l)
	if label == "" || len(l.macs)+len(l.addrs) != 1 {
		return false
	}
	_, isAddr := addrWord(value)
	return isAddr || looksMAC(value)
}

// cards takes devices whose particulars stand below each other, among the lines
// that no other reader took. Where cards begin is told by blank lines, by labels
// that come again, or else by the distance from one MAC address to the next.
func (r *reader) cards() {
	if !r.reads("table") {
		return
	}
	var groups [][]line
	for i := 0; i < len(r.loose); {
		end := i + 1
		for end < len(r.loose) && r.loose[end].number-r.loose[end-1].number <= 3 && !r.takenBetween(r.loose[end-1].number, r.loose[end].number) {
			end++
		}
		groups = append(groups, r.loose[i:end])
		i = end
	}
	var left []line
	for _, g := range groups {
		left = append(left, r.cardsOf(g)...)
	}
	r.loose = left
}

// takenBetween reports whether a row of a table stands between two lines.
func (r *reader) takenBetween(a, b int) bool {
	i, _ := slices.BinarySearchFunc(r.rows, a+1, func(l line, number int) int { return l.number - number })
	return i < len(r.rows) && r.rows[i].number < b
}

// cardsOf takes the cards of a run of lines and gives back the lines that belong
// to none.
func (r *reader) cardsOf(lines []line) (left []line) {
	macs := 0
	for _, l := range lines {
		macs += len(l.macs)
	}
	if macs == 0 {
		return lines
	}
	var cards [][]line
	for _, cut := range []func([]line) [][]line{byBlanks, byLabels, byDistance} {
		if cards = cut(lines); fits(cards, macs) {
			break
		}
		cards = nil
	}
	if cards == nil {
		cards = byMAC(lines)
	}
	var list []entry
	for _, c := range cards {
		e, ok := entryOf(c)
		if !ok {
			left = append(left, c...)
			continue
		}
		list = append(list, e)
	}
	r.entries(list)
	return left
}

// fits passes cards with one MAC address each; a card without is a heading or a
// foot.
func fits(cards [][]line, macs int) bool {
	for _, c := range cards {
		n := 0
		for _, l := range c {
			n += len(l.macs)
		}
		if n > 1 {
			return false
		}
		macs -= n
	}
	return macs == 0 && len(cards) > 0
}

func byBlanks(lines []line) (cards [][]line) {
	for i, l := range lines {
		if i == 0 || l.after {
			cards = append(cards, nil)
		}
		cards[len(cards)-1] = append(cards[len(cards)-1], l)
	}
	// Particulars with blank lines between each are no cards of their own.
	alone := 0
	for _, c := range cards {
		if len(c) == 1 && len(c[0].macs) > 0 {
			alone++
		}
	}
	if alone > 0 {
		return nil
	}
	return cards
}

// byLabels begins a card where a label comes again.
func byLabels(lines []line) (cards [][]line) {
	seen := map[string]bool{}
	count := 0
	for _, l := range lines {
		label, _ := labelOf(l)
		if label != "" {
			count++
		}
		if len(cards) == 0 || label != "" && seen[label] {
			cards = append(cards, nil)
			clear(seen)
		}
		seen[label] = true
		cards[len(cards)-1] = append(cards[len(cards)-1], l)
	}
	if count*2 < len(lines) {
		return nil
	}
	// A heading over the first card.
	for len(cards[0]) > 0 {
		label, _ := labelOf(cards[0][0])
		if label != "" || len(cards[0]) == 1 {
			break
		}
		cards = slices.Insert(cards, 0, cards[0][:1])
		cards[1] = cards[1][1:]
		if len(cards[1]) == 0 || len(cards) > 50+len(lines) {
			break
		}
		if l, _ := labelOf(cards[1][0]); l != "" {
			break
		}
	}
	return cards
}

// shape says what kind of thing a line is.
func shape(l line) string {
	text := strings.TrimSpace(l.text)
	switch {
	case len(l.macs) > 0:
		return "mac"
	case len(l.addrs) > 0:
		return "addr"
	case linkShape.MatchString(text):
		return "link"
	case namey(text):
		return "name"
	}
	return "figure"
}

// byDistance cuts where the MAC addresses stand at equal distances. How many
// lines of a card come before its MAC address is what makes the lines at each
// place most alike.
func byDistance(lines []line) [][]line {
	var at []int
	for i, l := range lines {
		if len(l.macs) > 0 {
			at = append(at, i)
		}
	}
	if len(at) < 2 {
		return nil
	}
	period := at[1] - at[0]
	for i := 1; i < len(at); i++ {
		if at[i]-at[i-1] != period {
			return nil
		}
	}
	last := at[len(at)-1]
	best, alike := -1, -1
	for before := max(0, period-(len(lines)-last)); before < period && before <= at[0]; before++ {
		same := 0
		for place := range period {
			first := shape(lines[at[0]-before+place])
			for _, m := range at {
				if shape(lines[m-before+place]) == first {
					same++
				}
			}
		}
		// Names mostly head a card.
		if s := shape(lines[at[0]-before]); s == "name" {
			same++
		}
		if same > alike {
			best, alike = before, same
		}
	}
	if best < 0 {
		return nil
	}
	cards := [][]line{}
	for _, l := range lines[:at[0]-best] {
		cards = append(cards, []line{l})
	}
	for _, m := range at {
		cards = append(cards, lines[m-best:m-best+period])
	}
	for _, l := range lines[last-best+period:] {
		cards = append(cards, []line{l})
	}
	return cards
}

// byMAC is the last resort: a card begins at the name above its MAC address, or
// at the MAC address.
func byMAC(lines []line) (cards [][]line) {
	for i, l := range lines {
		fresh := len(l.macs) > 0 && (i == 0 || len(lines[i-1].addrs) == 0 || len(lines[i-1].macs) > 0)
		if len(cards) == 0 || fresh {
			cards = append(cards, nil)
		}
		cards[len(cards)-1] = append(cards[len(cards)-1], l)
	}
	return cards
}

// entryOf makes a device of a card; false if there is no MAC address on it.
func entryOf(card []line) (entry, bool) {
	e := entry{cells: map[string]string{}}
	for _, l := range card {
		if len(l.macs) > 0 && e.mac == "" {
			e.mac, e.line = l.macs[0], l.number
		}
		if len(l.addrs) > 0 && !e.addr.IsValid() {
			e.addr = l.addrs[0]
		}
		key, value := labelOf(l)
		if key == "" {
			key = column(len(e.cells))
		}
		e.cells[key] = value
	}
	return e, e.mac != ""
}
