// Package cell knows what a spreadsheet makes of a text.
package cell

import (
	"strings"
	"unicode"
)

// Guard keeps a spreadsheet from taking a text for a formula: an apostrophe goes before it.
func Guard(text string) string {
	if formula(strings.TrimLeft(text, "'")) {
		return "'" + text
	}
	return text
}

// Unguard takes the apostrophe of Guard away again.
func Unguard(text string) string {
	if strings.HasPrefix(text, "'") && formula(strings.TrimLeft(text, "'")) {
		return text[1:]
	}
	return text
}

// formula reports whether a spreadsheet may take a text for a formula: what it begins with,
// behind blanks of whatever kind, in either width.
func formula(text string) bool {
	rest := strings.TrimLeftFunc(text, func(c rune) bool { return unicode.IsSpace(c) || unicode.IsControl(c) || unicode.Is(unicode.Cf, c) })
	for _, c := range rest {
		return strings.ContainsRune("=+-@\uff1d\uff0b\uff0d\uff20", c) || len(rest) < len(text) && strings.ContainsAny(text[:len(text)-len(rest)], "\t\r\n")
	}
	return false
}
