package grid

import (
	"net/netip"
	"regexp"
	"slices"
	"strings"
	"unicode"

	"vestpin/core/ipv4"
	"vestpin/core/site"
)

// sort is what a cell could be, as a set of bits: words may be of several sorts.
type sort uint32

const (
	isMAC sort = 1 << iota
	isAddress
	isNetwork
	isMask
	isIPv6
	isNumber
	isPorts // a range or list of ports
	isQuantity
	isTime
	isProtocol
	isProtocolPort // "tcp/8020"
	isLink
	isState
	isYes
	isNo
	isAction
	isMaker
	isNothing // a word that stands for no name
	isAgo
	isUnit
	isMonth
	isReserved
	isGone   // of a scan: nobody answered
	isAnyone // of who may connect: the whole outside
	isText
)

// sorts are the groups of words.txt.
var sorts = map[string]sort{
	"nothing": isNothing, "state": isState, "yes": isYes, "no": isNo, "link": isLink, "ago": isAgo, "unit": isUnit, "month": isMonth, "maker": isMaker, "action": isAction, "protocol": isProtocol, "reserved": isReserved, "gone": isGone, "anyone": isAnyone,
}

var (
	portsShape    = regexp.MustCompile(`^\d{1,5}(\s*[-\x{2013}:~]\s*\d{1,5})?(\s*,\s*\d{1,5}(\s*[-\x{2013}:~]\s*\d{1,5})?)*$`)
	protocolPort  = regexp.MustCompile(`(?i)^(tcp|udp|both|any|tcp[/+&]udp)\s*[/: ]\s*(\d{1,5}(?:\s*[-:]\s*\d{1,5})?)$|^(\d{1,5}(?:-\d{1,5})?)\s*/\s*(tcp|udp|both)$`)
	quantityShape = regexp.MustCompile(`^[-+]?\d[\d.,]*\s*(/\s*\d[\d.,]*)?\s*([^\d\s]{1,8})?$`)
	clockShape    = regexp.MustCompile(`\d{1,2}[:.]\d{2}([:.]\d{2})?\b|\d{4}-\d\d-\d\d|\d{1,2}[./]\d{1,2}[./]\d{2,4}`)
	linkShape     = regexp.MustCompile(`(?i)^((w?lan|eth|port|ge|gi|fa|te|wi-?fi|wireless|wired|ethernet|ssid|ap|guest|radio|br|en|wlx?|p)[ -]?\d+([./]\d+)*|(2[.,]4|5|6) ?ghz.*|.*\b(2[.,]4|5|6) ?ghz|802\.11\w*\b.*|(lan|wlan|wi-?fi|ethernet)\b.{0,12})$`)
)

// sortOf says what a cell could be.
func sortOf(cell string) sort {
	if cell == "" {
		return 0
	}
	if LooksMAC(cell) {
		return isMAC
	}
	c := cell[0]
	digit := c >= '0' && c <= '9'
	if digit || c == '[' || c == '<' || c == '(' || strings.HasPrefix(cell, "http") {
		if _, s, ok := addressIn(cell); ok {
			return s
		}
	}
	if strings.Count(cell, ":") >= 2 {
		if a, err := netip.ParseAddr(strings.SplitN(cell, "%", 2)[0]); err == nil && a.Is6() {
			return isIPv6
		}
		if p, err := netip.ParsePrefix(cell); err == nil && p.Addr().Is6() {
			return isIPv6
		}
	}
	if len(cell) > 120 {
		return isText
	}
	folded := fold(cell)
	if inner, ok := strings.CutPrefix(folded, "("); ok && strings.HasSuffix(inner, ")") {
		first, _, _ := strings.Cut(strings.TrimSuffix(inner, ")"), ":")
		if known().cells[strings.TrimSpace(first)]&isNothing != 0 {
			return isNothing // "(Unknown: locally administered)"
		}
	}
	s := known().cells[folded]
	switch {
	case digit && portsShape.MatchString(cell):
		if strings.ContainsAny(cell, "-:~,\u2013") {
			return s | isPorts
		}
		return s | isNumber
	case protocolPort.MatchString(cell):
		return isProtocolPort
	case clockShape.MatchString(cell) && timey(folded):
		return s | isTime
	}
	if linkShape.MatchString(folded) {
		s |= isLink
	}
	if digit || c == '-' || c == '+' {
		if quantityShape.MatchString(folded) {
			return s | isQuantity
		}
	}
	if s != 0 {
		return s
	}
	if fields := strings.Fields(folded); len(fields) == 2 || len(fields) == 3 {
		all := sort(0)
		for _, w := range fields {
			of := known().cells[w] & (isState | isLink)
			if linkShape.MatchString(w) {
				of |= isLink
			}
			if of == 0 {
				all = 0
				break
			}
			all |= of
		}
		if all != 0 {
			return all
		}
	}
	if !strings.ContainsFunc(cell, func(c rune) bool { return unicode.IsLetter(c) || unicode.IsDigit(c) || c > 0x2fff && c < 0x1f000 }) {
		return isNothing // marks alone
	}
	if measured(folded) {
		return isTime
	}
	if fields := strings.Fields(folded); len(fields) > 1 && slices.ContainsFunc(fields[1:], func(w string) bool { return known().cells[strings.Trim(w, "().,")]&isMaker != 0 }) || strings.Contains(folded, ", inc") || strings.Contains(folded, "公司") || strings.Contains(folded, "株式会社") {
		return isMaker | isText
	}
	return isText
}

// nothing passes a cell that stands for no name.
func nothing(text string) bool {
	if len(text) > 40 {
		return false
	}
	if !ASCII(text) {
		return sortOf(text)&isNothing != 0
	}
	if known().cells[strings.ToLower(text)]&isNothing != 0 {
		return true
	}
	for i := range len(text) {
		if c := text[i] | 0x20; c >= 'a' && c <= 'z' || text[i] >= '0' && text[i] <= '9' {
			return false
		}
	}
	return true
}

// Untimed takes times and lengths of time from the end of a text, and gives nothing for a text
// that only says how something is.
func Untimed(text string) string {
	fields := strings.Fields(text)
	for len(fields) > 1 {
		n := 0
		for k := max(1, len(fields)-4); k < len(fields) && n == 0; k++ {
			if tail := fold(strings.Join(fields[k:], " ")); clockShape.MatchString(tail) && timey(tail) || measured(tail) && strings.ContainsAny(tail, "0123456789") && len(fields)-k > 1 {
				n = len(fields) - k
			}
		}
		if n == 0 {
			break
		}
		fields = fields[:len(fields)-n]
	}
	text = strings.Join(fields, " ")
	if known().cells[fold(text)]&(isState|isGone) != 0 {
		return ""
	}
	return text
}

// timey passes a text with a time in it and little else: words for days, months and units.
func timey(folded string) bool {
	other := 0
	for _, w := range strings.FieldsFunc(folded, func(c rune) bool { return c == ' ' || c == ',' || c == '(' || c == ')' }) {
		rest := strings.TrimFunc(w, func(c rune) bool { return unicode.IsDigit(c) || strings.ContainsRune(":./+-", c) })
		if rest != "" && rest != "t" && rest != "z" && rest != "am" && rest != "pm" && known().cells[rest]&(isAgo|isUnit|isMonth) == 0 {
			other++
		}
	}
	return other == 0
}

// measured passes lengths of time, dates in words and the like: figures and words that
// go with figures.
func measured(folded string) bool {
	figures, others := 0, 0
	for _, w := range strings.FieldsFunc(folded, func(c rune) bool { return c == ' ' || strings.ContainsRune(",/()", c) }) {
		rest := strings.TrimFunc(w, func(c rune) bool { return unicode.IsDigit(c) || strings.ContainsRune(":.+-\u00b7", c) })
		if rest != w {
			figures++
		}
		if rest != "" && known().cells[rest]&(isAgo|isUnit|isMonth) == 0 {
			others++
		}
	}
	return figures > 0 && others == 0
}

// LooksMAC passes words that have the shape of a MAC address: six pairs with colons or
// dashes, three groups with dots, or twelve figures that begin with a zero or hold a
// letter and a figure.
func LooksMAC(w string) bool {
	if len(w) < 11 || len(w) > 17 {
		return false
	}
	seps, letters, figures := 0, 0, 0
	var sep byte
	for i := range len(w) {
		c := w[i] | 0x20
		switch {
		case w[i] >= '0' && w[i] <= '9':
			figures++
		case c >= 'a' && c <= 'f':
			letters++
		case strings.IndexByte(":-.", w[i]) >= 0:
			if sep != 0 && sep != w[i] {
				return false
			}
			sep = w[i]
			seps++
		default:
			return false
		}
	}
	switch seps {
	case 5:
		return sep != '.'
	case 2:
		return len(w) == 14 && sep != ':'
	case 0:
		return len(w) == 12 && (letters > 0 && figures > 0 || w[0] == '0')
	}
	return false
}

// cutMAC passes a text of the letters of a MAC address, some of which may be missing.
func cutMAC(text string) bool {
	return strings.Trim(text, "0123456789abcdefABCDEF:-.…*xX ") == ""
}

// addressIn finds an IPv4 address that is the whole of a cell but for a scheme, brackets,
// a port, a path or a mask.
func addressIn(cell string) (netip.Addr, sort, bool) {
	bare := strings.Trim(cell, "[]()<> ")
	if _, after, ok := strings.Cut(bare, "://"); ok {
		bare = after
		bare, _, _ = strings.Cut(bare, "/")
	}
	host, port, _ := strings.Cut(bare, ":")
	if port != "" && (strings.Trim(port, "0123456789-:,\u2013") != "" || port[0] > '9' || port[0] < '0') {
		return netip.Addr{}, 0, false
	}
	host, bits, masked := strings.Cut(host, "/")
	if len(host) < 7 || len(host) > 15 {
		return netip.Addr{}, 0, false
	}
	a, err := netip.ParseAddr(host)
	if err != nil || !a.Is4() {
		return netip.Addr{}, 0, false
	}
	if masked {
		n, err := ipv4.ParseMask(bits)
		if err != nil {
			return a, isAddress, bits == ""
		}
		if n < 32 && netip.PrefixFrom(a, n).Masked().Addr() == a {
			return a, isNetwork, true
		}
		return a, isAddress, true
	}
	if n, ok := ipv4.MaskBits(a); ok && n >= 1 && (n >= 8 || a.As4()[0] == 255) && a.As4()[0] == 255 {
		return a, isMask, true
	}
	return a, isAddress, true
}

// AddressIn gives the IPv4 address that a cell is, with whatever scheme, port or mask.
func AddressIn(cell string) (netip.Addr, bool) {
	a, s, ok := addressIn(cell)
	return a, ok && s == isAddress
}

// portAfter gives the port that follows the address in a cell.
func portAfter(cell string) string {
	bare := strings.Trim(cell, "[]()<> ")
	if _, after, ok := strings.Cut(bare, "://"); ok {
		bare, _, _ = strings.Cut(after, "/")
	}
	_, port, _ := strings.Cut(bare, ":")
	return port
}

// mac reads a cell as the MAC address of an interface.
func mac(cell string) (site.MAC, bool) {
	if !LooksMAC(cell) {
		return "", false
	}
	m, err := site.ParseMAC(cell)
	return m, err == nil
}

// Stateful passes words that say how a device is, how it is attached, or what a button does.
func Stateful(text string) bool {
	return sortOf(strings.TrimSpace(text))&(isState|isLink|isAction|isYes|isNo|isAgo) != 0
}

// IsAction passes what a button does, or several of them.
func IsAction(text string) bool {
	for _, w := range strings.Fields(text) {
		if sortOf(w)&isAction == 0 {
			return false
		}
	}
	return true
}

// Typed passes a cell that is a MAC address, an IPv4 address, a subnet or a mask.
func Typed(cell string) bool {
	if len(cell) < 7 {
		return false
	}
	_, _, ok := addressIn(cell)
	return ok || LooksMAC(cell)
}

// IsFigure passes a bare number.
func IsFigure(text string) bool {
	text = strings.TrimSpace(text)
	return text != "" && len(text) <= 5 && strings.Trim(text, "0123456789") == ""
}

// Namelike passes a text that may be a name: neither an address nor how a device is
// attached, how long, since when, or a button.
func Namelike(text string) bool {
	s := sortOf(strings.TrimSpace(text))
	return s&isText != 0 && s&(isMaker) == 0 || s == isNumber
}
