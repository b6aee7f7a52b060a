package read

import (
	"net/netip"
	"regexp"
	"slices"
	"strings"

	"vestpin/core/site"
	"vestpin/read/grid"
)

// ledger holds the first law of this package, that nothing is silent: what looks like a MAC
// address or an address of the site and stands nowhere in what was read is told as not
// understood. It knows nothing of how a text was read: it goes through it once more.
type ledger struct {
	macs  map[site.MAC]bool
	addrs map[netip.Addr]bool
	nets  map[netip.Prefix]bool // of 256 addresses: those in which something was seen
}

// claim enters what a line names that was understood, though nothing comes of it: who did
// not answer, a rule of a firewall that lets nobody in.
func (r *reader) claim(l line) {
	if r.ledger.macs == nil {
		r.ledger.macs, r.ledger.addrs = map[site.MAC]bool{}, map[netip.Addr]bool{}
	}
	for _, m := range l.macs {
		r.ledger.macs[m] = true
	}
	for _, a := range l.addrs {
		r.ledger.addrs[a] = true
	}
}

// balance tells of all that a text holds and the result does not.
func (r *reader) balance(text string) {
	slices.Sort(r.missed)
	r.claim(line{})
	r.enter()
	told := len(r.out.Unread)
	number, counted, last := 1, 0, -1
	tokens(text, func(from, to int) {
		word := text[from:to]
		if r.ledger.has(word) {
			return
		}
		number += strings.Count(text[counted:from], "\n")
		counted = from
		near := r.excerpt(text, from, to)
		if last >= 0 && from < last || r.tells(number, word) {
			return
		}
		last = near.end
		r.out.Missed++
		if len(r.out.Unread) < MostUnread {
			r.out.Unread = append(r.out.Unread, Unread{r.source, number, near.text})
		}
	})
	if len(r.out.Unread) > told {
		slices.SortStableFunc(r.out.Unread, func(a, b Unread) int { return a.Line - b.Line })
	}
}

// enter enters all that the result names.
func (r *reader) enter() {
	l := &r.ledger
	l.nets = map[netip.Prefix]bool{}
	for _, s := range r.out.Sightings {
		l.macs[s.MAC] = true
		l.see(s.Address)
	}
	for _, f := range r.out.Forwards {
		l.see(f.Address)
		for _, from := range f.From {
			l.addrs[addressOf(from)] = true
		}
	}
	for _, x := range r.out.Exposed {
		l.see(x.Address)
	}
	for _, c := range r.out.Connections {
		for _, a := range []netip.AddrPort{c.From, c.To, c.Device} {
			l.addrs[a.Addr()] = true
		}
	}
	f := r.out.Facts
	l.see(f.Own)
	for _, a := range slices.Concat([]netip.Addr{f.Gateway, f.Subnet.Addr()}, f.DNS, f.DHCP) {
		l.addrs[a] = true
	}
	for _, a := range f.Adapters {
		l.addrs[a.Gateway] = true
	}
	for _, x := range f.Ranges {
		l.see(x.From)
		l.see(x.To)
	}
	for _, p := range r.own {
		l.see(p.Addr())
	}
}

// see enters an address, and that its neighbours are of the site.
func (l *ledger) see(a netip.Addr) {
	if p, err := a.Prefix(24); err == nil && a.Is4() {
		l.addrs[a], l.nets[p] = true, true
	}
}

func addressOf(text string) netip.Addr {
	text, _, _ = strings.Cut(text, "/")
	a, _ := netip.ParseAddr(text)
	return a
}

// has reports whether a word is entered, or is nothing of the site.
func (l *ledger) has(word string) bool {
	if strings.Count(word, ".") == 3 {
		a, err := netip.ParseAddr(word)
		if err != nil || l.addrs[a] {
			return true
		}
		last := a.As4()[3]
		p, _ := a.Prefix(24)
		return last == 0 || last == 255 || !a.IsPrivate() && !l.nets[p]
	}
	m, err := site.ParseMAC(word)
	return err != nil || l.macs[m]
}

// tells reports whether a word is told as not understood already, on that line.
func (r *reader) tells(number int, word string) bool {
	i, _ := slices.BinarySearchFunc(r.missed, number, func(n, want int) int { return n - want })
	if i == len(r.missed) || r.missed[i] != number {
		return false
	}
	if r.from == nil || len(r.out.Unread) == MostUnread { // of a page a line may be long; beyond the bound it is counted
		return true
	}
	return slices.ContainsFunc(r.out.Unread, func(u Unread) bool { return u.Line == number && strings.Contains(u.Text, word) })
}

// shown is what is shown of a text, and where it ends there.
type shown struct {
	text string
	end  int
}

// wholeTag is a tag of a page, which nobody wants to read.
var wholeTag = regexp.MustCompile(`<[/!]?[A-Za-z][^<>]*>`)

// excerpt gives the line in which a word stands, or of a long one the part around it; of a
// page without the tags beside it.
func (r *reader) excerpt(text string, from, to int) shown {
	begin, end := max(0, from-90), min(len(text), to+90)
	if i := strings.LastIndexByte(text[begin:from], '\n'); i >= 0 {
		begin += i + 1
	}
	if i := strings.IndexByte(text[to:end], '\n'); i >= 0 {
		end = to + i
	}
	before, after := text[begin:from], text[to:end]
	if r.from != nil {
		if i := strings.LastIndexByte(before, '<'); i < 0 || strings.IndexByte(before[i:], '>') >= 0 {
			before, after = wholeTag.ReplaceAllString(before, " "), wholeTag.ReplaceAllString(after, " ")
		}
	}
	return shown{strings.ToValidUTF8(strings.Join(strings.Fields(before+text[from:to]+after), " "), "\uFFFD"), end}
}

// wordish are the bytes of words that could be addresses.
var wordish = func() (is [256]bool) {
	for c := range is {
		is[c] = c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z' && c < 0x80 || strings.IndexByte(".:-_", byte(c)) >= 0 || c >= 0x80
	}
	return is
}()

// tokens finds the words of a text that look like a MAC address or an IPv4 address, however
// they are written, and gives where they stand.
func tokens(text string, found func(from, to int)) {
	pairs, first := 0, 0 // of a MAC address with blanks between its octets
	for i := 0; i < len(text); {
		if !wordish[text[i]] {
			i++
			continue
		}
		from := i
		for i < len(text) && wordish[text[i]] {
			i++
		}
		if i-from == 2 && isHex(text[from]) && isHex(text[from+1]) {
			if pairs == 0 || text[from-1] != ' ' || from != first+3*pairs {
				pairs, first = 0, from
			}
			if pairs++; pairs == 6 && !(i+2 < len(text) && text[i] == ' ' && isHex(text[i+1]) && isHex(text[i+2])) {
				found(first, i)
			}
			continue
		}
		pairs = 0
		switch {
		case i-from < 7:
		case i-from < longestWord && grid.ASCII(text[from:i]):
			within(text, from, i, found)
		default: // of scripts without blanks: its parts of plain letters
			for at := from; at < i; {
				end := at
				for end < i && text[end] < 0x80 {
					end++
				}
				if end-at >= 7 && end-at < longestWord {
					within(text, at, end, found)
				}
				at = end + 1
			}
		}
	}
}

// longestWord is from how many bytes a word is no address with something around it.
const longestWord = 100

// within looks for addresses in one word.
func within(text string, from, to int, found func(from, to int)) {
	for to > from && strings.IndexByte(".:-_", text[to-1]) >= 0 {
		to--
	}
	for from < to && strings.IndexByte(".:-_", text[from]) >= 0 {
		from++
	}
	word := text[from:to]
	if strings.HasPrefix(word, "0x") && len(word) == 14 {
		word, from = word[2:], from+2
	}
	colons, dots := strings.Count(word, ":"), strings.Count(word, ".")
	if len(word) == 14 && colons == 2 && strings.Count(word, "-")+dots == 0 && isOctets(word) {
		found(from, to)
		return
	}
	if grid.LooksMAC(word) {
		found(from, to)
		return
	}
	if seps := max(colons, strings.Count(word, "-")); seps > 5 { // behind a label
		sep := ":"
		if colons < 6 {
			sep = "-"
		}
		parts := strings.Split(word, sep)
		label := parts[len(parts)-7]
		if tail := strings.Join(parts[len(parts)-6:], sep); grid.LooksMAC(tail) && strings.ContainsFunc(label, func(c rune) bool { return c > 0x7f || !isHex(byte(c)) }) { // else the end of a DUID
			found(to-len(tail), to)
			return
		}
	}
	if dots < 3 {
		return
	}
	for at := from; at < to; {
		end := at
		for end < to && strings.IndexByte(":-_", text[end]) < 0 {
			end++
		}
		if part := text[at:end]; strings.Count(part, ".") == 3 {
			if _, ok := addrWord(part); ok {
				found(at, end)
			}
		}
		at = end + 1
	}
}

// isOctets passes three groups of four hexadecimal digits.
func isOctets(word string) bool {
	for i := range len(word) {
		if (i == 4 || i == 9) != (word[i] == ':') || word[i] != ':' && !isHex(word[i]) {
			return false
		}
	}
	return true
}
