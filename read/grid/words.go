package grid

import (
	_ "embed"
	"slices"
	"strings"
	"sync"
	"unicode"

	"golang.org/x/text/unicode/norm"
)

//go:embed words.txt
var wordsText string

// words are the headings and cells that words.txt knows, by their folded text.
type words struct {
	heads map[string][]Role
	cells map[string]sort    // as a set of bits
	sides map[string]float64 // the beginnings of words that say of ports: 1 outside, -1 inside
	nots  map[string]bool    // what turns a word into its opposite
}

var known = sync.OnceValue(func() words {
	w := words{map[string][]Role{}, map[string]sort{}, map[string]float64{}, map[string]bool{}}
	for _, line := range strings.Split(wordsText, "\n") {
		what, list, ok := strings.Cut(line, ":")
		group, name, _ := strings.Cut(what, " ")
		if !ok || group != "head" && group != "cell" && group != "side" && group != "not" {
			continue
		}
		for _, text := range strings.Split(list, ", ") {
			text = fold(text)
			if group == "side" {
				w.sides[text] = map[string]float64{"outside": 1, "inside": -1}[name]
			} else if group == "not" {
				w.nots[text] = true
			} else if group == "cell" {
				w.cells[text] |= sorts[name]
			} else if role := Role(name); !slices.Contains(w.heads[text], role) {
				w.heads[text] = append(w.heads[text], role)
			}
		}
	}
	return w
})

// letters that are no letter with a mark.
var plainer = strings.NewReplacer("ł", "l", "ß", "ss", "ı", "i", "ø", "o", "æ", "ae", "œ", "oe", "đ", "d", "þ", "th", "’", "'", "\u00a0", " ", "_", " ")

// fold makes texts alike that differ in case, accents and what stands around them.
func fold(text string) string {
	text = strings.Trim(strings.ToLower(strings.TrimSpace(text)), " :*\u25b2\u25bc\u2191\u2193\u21c5\u2195\uff1a")
	if !ASCII(text) {
		var b strings.Builder
		for _, c := range norm.NFKD.String(text) {
			if !unicode.Is(unicode.Mn, c) {
				b.WriteRune(c)
			}
		}
		text = norm.NFC.String(b.String())
	}
	return strings.Join(strings.Fields(plainer.Replace(text)), " ")
}

// ASCII passes a text of plain letters alone.
func ASCII(text string) bool {
	for i := range len(text) {
		if text[i] >= 0x80 {
			return false
		}
	}
	return true
}

// longestHead is how many letters a heading may have.
const longestHead = 60

// Heading gives what a heading may stand for, the likeliest first; exact where the
// whole of it is known, not only a part.
func Heading(text string) (roles []Role, exact bool) {
	if text == "" || len(text) > 3*longestHead {
		return nil, false
	}
	heads := known().heads
	whole := fold(text)
	if roles := heads[whole]; roles != nil {
		return roles, true
	}
	spread := fold(spreadCamel(text))
	if roles := heads[spread]; roles != nil {
		return roles, true
	}
	if bare := strings.TrimRight(spread, "0123456789"); bare != spread && len(bare) > 1 && heads[bare] != nil {
		return heads[bare], true
	}
	best := ""
	for _, part := range parts(spread) {
		if heads[part] != nil && (len(part) > 1 || !ASCII(part)) && (len(part) > len(best) && !(titled(heads[part]) && best != "") || titled(heads[best])) {
			best = part
		}
	}
	return heads[best], false
}

// titled passes what only titles of lists say.
func titled(roles []Role) bool {
	return len(roles) == 1 && (roles[0] == Reservations || roles[0] == Forwards)
}

// sideOf says what a heading tells of the side of ports: above zero outside, below inside, more
// where it is known whole.
func sideOf(head string) float64 {
	if len(head) > 3*longestHead {
		return 0
	}
	roles, exact := Heading(head)
	side := 0.0
	for _, w := range strings.FieldsFunc(fold(spreadCamel(head)), func(c rune) bool { return unicode.IsSpace(c) || unicode.IsPunct(c) }) {
		for n := len(w); n > 1; n-- {
			if s := known().sides[w[:n]]; s != 0 && (n == len(w) || n > 2) {
				if n < 3 {
					s *= 0.4 // "to port" may be said of either side
				}
				side += s
				break
			}
		}
	}
	if low := fold(head); side == 0 && strings.HasSuffix(low, "port") { // "hostport", "wanport"
		switch base := strings.TrimRight(low[:len(low)-4], " _-."); {
		case strings.HasPrefix(low, "host"), strings.HasPrefix(low, "dst"), lastWordOf(base) == "in":
			side = -0.6
		case lastWordOf(base) == "out":
			side = 0.6
		}
	}
	if side == 0 && exact {
		outside, inside := slices.Contains(roles, Outside), slices.Contains(roles, Inside)
		switch {
		case outside && !inside:
			side = 0.4
		case inside && !outside:
			side = -0.4
		}
	}
	return max(-1, min(1, side))
}

// lastWordOf gives the last word of a name.
func lastWordOf(name string) string {
	return name[strings.LastIndexAny(name, " _-.")+1:]
}

// Portlike passes a heading that speaks of ports.
func Portlike(head string) bool {
	roles, _ := Heading(head)
	low := fold(spreadCamel(head))
	return slices.ContainsFunc(roles, func(r Role) bool { return r == Outside || r == Inside || r == Port }) ||
		strings.Contains(low, "port") && !strings.Contains(low, "portal") && !strings.Contains(low, "report") && !strings.Contains(low, "transport") && !strings.Contains(low, "import")
}

// Known reports whether a text is a heading of which we know what it stands for.
func Known(text string) bool {
	_, exact := Heading(text)
	return exact
}

// Title gives what kind of list a title announces.
func Title(text string) (Role, bool) {
	for _, text := range []string{text, strings.ReplaceAll(text, "-", " ")} {
		for _, role := range headingsIn(text) {
			if role == Reservations || role == Forwards {
				return role, true
			}
		}
	}
	return "", false
}

// titleOf gives what kind of list a table is by what stands above it, else by the name of the
// file from which it comes.
func titleOf(t Table) Role {
	if role, ok := Title(t.Title); ok {
		return role
	}
	for _, w := range strings.Fields(fold(t.Title)) {
		for _, stem := range []string{"reserv", "rezerv", "rezerw", "prenotaz", "резерв"} {
			if strings.Contains(w, stem) {
				return Reservations
			}
		}
	}
	role, _ := Title(t.Source)
	return role
}

func headingsIn(text string) (out []Role) {
	for _, part := range parts(fold(strings.NewReplacer(".", " ", "_", " ", "(", " ", ")", " ", ">", " ", "/", " ").Replace(text))) {
		out = append(out, known().heads[part]...)
	}
	return out
}

// parts gives the runs of words in a text; where no blanks part words, runs of letters.
func parts(text string) (out []string) {
	fields := strings.FieldsFunc(text, func(c rune) bool { return c == ' ' || c == '.' || c == '(' || c == ')' })
	join := " "
	if len(fields) == 1 && !ASCII(text) && strings.IndexFunc(text, unicode.IsSpace) < 0 && strings.ContainsFunc(text, unbroken) {
		fields, join = strings.Split(text, ""), ""
	}
	if len(fields) > 14 {
		return nil
	}
	for i := range fields {
		for j := i + 1; j <= len(fields); j++ {
			out = append(out, strings.Join(fields[i:j], join))
		}
	}
	return out
}

// unbroken passes letters of scripts that put no blanks between words.
func unbroken(c rune) bool {
	return unicode.In(c, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai)
}

// spreadCamel parts what programs write as one word: "hostName", "ip-addr".
func spreadCamel(text string) string {
	var b strings.Builder
	was := ' '
	for _, c := range text {
		if unicode.IsUpper(c) && unicode.IsLower(was) {
			b.WriteByte(' ')
		}
		if c == '-' || c == '.' || c == '_' || c == '/' {
			c = ' '
		}
		b.WriteRune(c)
		was = c
	}
	return b.String()
}
