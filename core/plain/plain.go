// Package plain takes out of texts what does something where it is printed.
package plain

import (
	"fmt"
	"strings"
	"unicode/utf8"
)

// strange passes what no name holds and what does something where it is printed: control
// characters but line breaks and tabs (ECMA-48), marks that turn the direction of a text (Unicode Standard Annex
// 9), and what begins a line anew.
func strange(r rune) bool {
	switch {
	case r == '\n' || r == '\t':
		return false
	case r < 0x20, r >= 0x7f && r < 0xa0, r == 0x061c, r == 0x200e, r == 0x200f, r >= 0x2028 && r <= 0x202e, r >= 0x2066 && r <= 0x2069, r == 0xfeff:
		return true
	}
	return r >= 0xfff9 && r <= 0xfffb || r >= 0xe0000 && r <= 0xe007f
}

// Text gives a text without what is strange in it, for a terminal, or a file that another program takes.
func Text(text string) string {
	if strings.IndexFunc(text, strange) < 0 && utf8.ValidString(text) {
		return text
	}
	return strings.Map(func(r rune) rune {
		if strange(r) {
			return -1
		}
		return r
	}, strings.ToValidUTF8(text, "?"))
}

// JSON gives JSON in which what is strange is written by its number (RFC 8259, section 7).
func JSON(json []byte) []byte {
	text := string(json)
	if strings.IndexFunc(text, strange) < 0 {
		return json
	}
	var b strings.Builder
	for _, r := range text {
		switch {
		case !strange(r) || r < 0x20: // outside of texts there are line breaks alone
			b.WriteRune(r)
		case r > 0xffff:
			r -= 0x10000
			fmt.Fprintf(&b, `\u%04x\u%04x`, 0xd800+r>>10, 0xdc00+r&0x3ff)
		default:
			fmt.Fprintf(&b, `\u%04x`, r)
		}
	}
	return []byte(b.String())
}
