package read

import (
	"regexp"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/net/html/charset"
	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/japanese"
	"golang.org/x/text/encoding/korean"
	"golang.org/x/text/encoding/simplifiedchinese"
	utf16 "golang.org/x/text/encoding/unicode"
)

// declared is how a page or XML says in which code it is written.
var declared = regexp.MustCompile(`(?i)<meta[^>]{0,200}charset=["']?([\w-]+)|^<\?xml[^>]{0,100}encoding=["']([\w-]+)["']`)

// decode makes UTF-8 of what came: UTF-8 or UTF-16, with a byte order mark or without;
// what a page says of itself; else the old code page in which its words look most like
// words.
func decode(text string) (string, error) {
	switch {
	case strings.HasPrefix(text, "\xef\xbb\xbf"):
		text = text[3:]
	case strings.HasPrefix(text, "\xff\xfe"), strings.HasPrefix(text, "\xfe\xff"):
		return utf16.UTF16(utf16.LittleEndian, utf16.ExpectBOM).NewDecoder().String(text)
	}
	if order, ok := zeros(text); ok {
		return utf16.UTF16(order, utf16.IgnoreBOM).NewDecoder().String(text)
	}
	head := text[:min(len(text), 1<<16)]
	odd := 0
	for i := range len(head) {
		if b := head[i]; b < ' ' && b != '\n' && b != '\r' && b != '\t' && b != '\f' && b != 0x1b {
			odd++
		}
	}
	if strings.IndexByte(text, 0) >= 0 || odd > len(head)/50+2 {
		return "", ErrBinary
	}
	if utf8.ValidString(text) {
		return text, nil
	}
	if m := declared.FindStringSubmatch(head[:min(len(head), 4096)]); m != nil {
		if e, _ := charset.Lookup(m[1] + m[2]); e != nil {
			return e.NewDecoder().String(text)
		}
	}
	return codePage(head).NewDecoder().String(text)
}

// zeros passes text of two bytes a letter, of which every other one is zero.
func zeros(text string) (utf16.Endianness, bool) {
	head := text[:min(len(text), 4096)&^1]
	even, odd := 0, 0
	for i := 0; i < len(head); i += 2 {
		if head[i] == 0 {
			even++
		}
		if head[i+1] == 0 {
			odd++
		}
	}
	switch {
	case odd > len(head)/4 && even == 0:
		return utf16.LittleEndian, true
	case even > len(head)/4 && odd == 0:
		return utf16.BigEndian, true
	}
	return utf16.LittleEndian, false
}

// codePages are the code pages of old systems, those of most users first.
var codePages = []encoding.Encoding{
	charmap.Windows1252, charmap.Windows1250, charmap.CodePage850, charmap.Windows1251, charmap.CodePage866, charmap.Windows1254, charmap.CodePage852,
	japanese.ShiftJIS, korean.EUCKR, simplifiedchinese.GBK, charmap.Windows1256,
}

// codePage picks the one in which a text has the fewest letters that do not go together.
func codePage(head string) encoding.Encoding {
	best, least := codePages[0], 1<<30
	for _, e := range codePages {
		text, err := e.NewDecoder().String(head)
		if err != nil {
			continue
		}
		if n := oddness(text) + foreign(text); n < least {
			best, least = e, n
		}
	}
	return best
}

// oddness counts what real words do not have: marks and signs inside, letters of several
// scripts, nothing but accented letters, capitals behind small letters.
func oddness(text string) int {
	odd := 0
	for _, word := range strings.FieldsFunc(text, func(c rune) bool {
		return c < 0x80 && !unicode.IsLetter(c)
	}) {
		if strings.IndexFunc(word, func(c rune) bool { return c >= 0x80 }) < 0 {
			continue
		}
		letters, accented, scripts := 0, 0, map[string]bool{}
		was := ' '
		for _, c := range word {
			switch {
			case c == utf8.RuneError || unicode.IsControl(c):
				odd += 8
			case !unicode.IsLetter(c) && !unicode.IsMark(c):
				odd += 3
			case c >= 0xff61 && c <= 0xff9f: // half of a letter of two bytes, mostly
				odd += 3
			default:
				letters++
				if c >= 0x80 && unicode.Is(unicode.Latin, c) {
					accented++
				}
				scripts[scriptOf(c)] = true
				if unicode.IsUpper(c) && unicode.IsLower(was) {
					odd += 2
				}
			}
			was = c
		}
		if scripts["kana"] {
			delete(scripts, "han")
		}
		if len(scripts) > 1 {
			odd += 4
		}
		if letters > 2 && accented*2 > letters {
			odd += 4
		}
		if scripts["han"] && !scripts["kana"] {
			odd += rare(word)
		}
	}
	return odd
}

// alphabets are the letters with marks of each language that writes with Latin ones.
var alphabets = []string{"äöüß", "àâæçéèêëîïôœùûüÿ", "áéíóúñü", "àèéìòù", "ãõáâàçéêíóôú", "ëïéöüè", "åäöé", "æøåé", "ąćęłńóśźż", "áčďéěíňóřšťúůýž", "çğıöşüâ̇", "áéíóöőúüű", "ăâîșțşţ", "çéë", "čćđšž"}

// foreign weighs letters with marks that no one language has together.
func foreign(text string) int {
	used := strings.Map(func(c rune) rune {
		if c = unicode.ToLower(c); c >= 0x80 && unicode.Is(unicode.Latin, c) {
			return c
		}
		return -1
	}, text)
	for _, a := range alphabets {
		if strings.Trim(used, a) == "" {
			return 0
		}
	}
	return 4
}

func scriptOf(c rune) string {
	switch {
	case unicode.Is(unicode.Latin, c):
		return "latin"
	case unicode.In(c, unicode.Hiragana, unicode.Katakana), c == 'ー':
		return "kana"
	case unicode.Is(unicode.Han, c):
		return "han"
	case unicode.Is(unicode.Cyrillic, c):
		return "cyrillic"
	}
	return "other"
}

// rare counts the Chinese letters that are outside the first level of GB 2312, its 3,755
// commonest ones.
func rare(word string) int {
	n := 0
	for _, c := range word {
		b, err := simplifiedchinese.GBK.NewEncoder().String(string(c))
		if err != nil || len(b) != 2 || b[0] < 0xb0 || b[0] > 0xd7 || b[1] < 0xa1 {
			n++
		}
	}
	return n
}
