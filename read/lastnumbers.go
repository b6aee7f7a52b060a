package read

import (
	"net/netip"
	"regexp"
	"strconv"
	"strings"
)

// Lists often have the last number of an address alone, below the network in which all are.
var (
	baseShape  = regexp.MustCompile(`\b(\d{1,3}\.\d{1,3}\.\d{1,3})\.(?:0/2[0-4]|0\b|[xX*]|n+\b|_+)`)
	openEnd    = regexp.MustCompile(`\b\d{1,3}\.\d{1,3}\.\d{1,3}\.(?:[xX*]|n+\b|_+)`)
	fullShape  = regexp.MustCompile(`\b\d{1,3}\.\d{1,3}\.\d{1,3}\.\d{1,3}\b`)
	lastHead   = regexp.MustCompile(`(?i)^\W*(?:(?:last|final|host|4th|fourth)\s+(?:octet|number|no\.?|part|byte|digits?)|octet|host id|letzte[srn]?\s+(?:oktett|zahl|stelle|nummer)|dernier\s+(?:octet|chiffre|nombre)|[uú]ltimo\s+(?:octeto|n[uú]mero)|ultimo\s+(?:ottetto|numero)|laatste\s+(?:octet|getal|nummer)|ostatni\s+(?:oktet|numer)|\.x|x|end\w*nummer)\W*$`)
	lastNumber = regexp.MustCompile(`^\.?(\d{1,3})$`)
	dotNumber  = regexp.MustCompile(`^\.\d{1,3}$`)
)

// longestShort is how much text is looked through for the network that it names.
const longestShort = 1 << 20

// baseOf gives the network of 256 addresses that a text names, if it names but one; where it names
// none, that in which all its addresses are.
func baseOf(text string) netip.Prefix {
	var found netip.Prefix
	for _, m := range baseShape.FindAllStringSubmatch(text[:min(len(text), longestShort)], 1000) {
		a, err := netip.ParseAddr(m[1] + ".0")
		if err != nil || !a.IsPrivate() {
			continue
		}
		p := netip.PrefixFrom(a, 24)
		if found.IsValid() && p != found {
			return netip.Prefix{}
		}
		found = p
	}
	if found.IsValid() {
		return found
	}
	times := 0
	for _, m := range fullShape.FindAllString(text[:min(len(text), longestShort)], 1000) {
		a, err := netip.ParseAddr(m)
		if err != nil || !a.IsPrivate() {
			continue
		}
		p := netip.PrefixFrom(a, 24).Masked()
		if times++; found.IsValid() && p != found {
			return netip.Prefix{}
		}
		found = p
	}
	if times < 2 {
		return netip.Prefix{}
	}
	return found
}

// plainNumbers passes a column of numbers, each another, of rows with a MAC address and no heading: a list
// of a network that the text names with its last number left open. Numbers that count are none.
func (r *reader) plainNumbers(head []string, rows []rawRow, c int) bool {
	if head != nil || !r.open || len(rows) < 2 && !r.numbered {
		return false
	}
	seen, counts := map[string]bool{}, true
	for k, row := range rows {
		if c >= len(row.Cells) || !lastNumber.MatchString(row.Cells[c]) || seen[row.Cells[c]] || len(row.line.macs) != 1 || len(row.line.addrs) > 0 {
			return false
		}
		seen[row.Cells[c]] = true
		counts = counts && row.Cells[c] == strconv.Itoa(k+1)
	}
	r.numbered = r.numbered || !counts
	return !counts
}

// completed puts whole addresses in place of last numbers in a column of them.
func (r *reader) completed(head []string, rows []rawRow) {
	if !r.base.IsValid() {
		return
	}
	for c := range rows[0].Cells {
		headed, dotted, filled, all := c < len(head) && lastHead.MatchString(head[c]), true, 0, true
		for _, row := range rows {
			if c < len(row.Cells) && row.Cells[c] != "" {
				filled++
				all = all && lastNumber.MatchString(row.Cells[c])
				dotted = dotted && dotNumber.MatchString(row.Cells[c])
			}
		}
		if filled == 0 || !all || !headed && !dotted && !r.plainNumbers(head, rows, c) {
			continue
		}
		if headed {
			head[c] = "IP address" // that is what it is now
		}
		for i, row := range rows {
			if c >= len(row.Cells) || row.Cells[c] == "" {
				continue
			}
			n, _ := strconv.Atoi(strings.TrimPrefix(row.Cells[c], "."))
			if n < 1 || n > 254 {
				continue
			}
			base := r.base.Addr().As4()
			base[3] = byte(n)
			rows[i].Cells[c] = netip.AddrFrom4(base).String()
			rows[i].line.addrs = append(rows[i].line.addrs, netip.AddrFrom4(base))
		}
	}
}
