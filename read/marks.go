package read

import (
	"regexp"
	"slices"
	"strings"

	"golang.org/x/text/width"
)

// What people and programs put around what a line says, and nothing of it: marks of quoted mail
// and of chats, of Markdown, leaders, the blanks of forms.
var (
	chatShape   = regexp.MustCompile(`^\s*(?:\[[^\]\n]{0,20}\d{1,2}[:.]\d{2}(?:[:.]\d{2})?[^\]\n]{0,6}\]|\d{1,4}[./-]\d{1,2}[./-]\d{1,4},? \d{1,2}:\d{2}(?::\d{2})?(?: [AP]M)? -|\(\d{1,2}:\d{2}\))\s*[\pL][\pL .'-]{0,30}:\s+`)
	leaderShape = regexp.MustCompile(`^(\s*\pL[^.:\n]{0,60}?)\s*(?:\.{4,}|(?: ?·){4,}|_{4,})\s*:?\s*`)
	blankShape  = regexp.MustCompile(`([\pL]+) \[([^\[\]]*?)_+\]`)
	boxShape    = regexp.MustCompile(`([\pL]+) \[([ xX])\]`)
	formerShape = regexp.MustCompile(`(?i)\s*\((?:was|old|old ip|formerly|before|previously|früher|war|vorher|avant|ancien(?:ne)?|antes|era|prima|ex)\b[^()]*\d[^()]*\)`)
	wasShape    = regexp.MustCompile(`(?i)\b(?:was|old|formerly|before|früher|war|vorher|avant|antes|era|prima|was vroeger|tidigare|før)\s+(?:at |on )?\d+\.\d+\.\d+\.\d+\s*[,;]\s*(?:(?:is |now |jetzt |maintenant |ahora |ora |nu |nå |new )+)(?:at |on )?`)
	oldBehind   = regexp.MustCompile(`(?i)[,;]\s*(?:was|old|alt|früher|vorher|before|formerly|ancien(?:ne)?|avant|antes|prima|vroeger|oud|tidigare)\b:?\s*\.?\d[\d.]*\s*$`)
	becomes     = regexp.MustCompile(`(?:10|172|192)\.\d+\.\d+\.\d+\s*(?:->|→)\s*(?:(?:set|changed|moved|now)\s+(?:to\s+)?)?((?:10|172|192)\.\d+\.\d+\.\d+)`)
	countShape  = regexp.MustCompile(`^[A-Z_a-z]*\d{1,4}\s*=\s*["']?([^"'=,]+,[^"'=]+)["']?$`)
	bulletShape = regexp.MustCompile(`^[-*+•‣–] (\pL)`)
	linkShape   = regexp.MustCompile(`\[([^\[\]]+)\]\(https?://[^)\s]*\)`)
	markShape   = regexp.MustCompile("`([^`]+)`|\\*\\*([^*]+)\\*\\*")
	// clientShape is the identifier of a client that is the type of its link, 01, and its MAC
	// address (RFC 2132, section 9.14), in groups of four.
	clientShape = regexp.MustCompile(`\b(?i:01([0-9a-f]{2})\.([0-9a-f]{2})([0-9a-f]{2})\.([0-9a-f]{2})([0-9a-f]{2})\.([0-9a-f]{2}))\b`)
	wideShape   = regexp.MustCompile(`[\x{FF10}-\x{FF19}\x{FF21}-\x{FF26}\x{FF41}-\x{FF46}\x{FF1A}\x{FF0D}\x{FF0E}]{7,}`)
)

// bared takes from a line what only stands around what it says.
func bared(text string) string {
	if len(text) > longest {
		return text
	}
	if strings.Contains(text, "01") && strings.Count(text, ".") > 2 {
		text = clientShape.ReplaceAllString(text, "${1}${2}.${3}${4}.${5}${6}")
	}
	if strings.Contains(text, "=") && strings.Count(text, ",") > 1 {
		text = countShape.ReplaceAllString(text, "$1")
	}
	whole := text
	if text[0] == '[' || text[0] == '(' || text[0] >= '0' && text[0] <= '9' {
		if text = chatShape.ReplaceAllString(text, ""); strings.TrimSpace(text) == "" {
			return whole // it says nothing else
		}
	}
	if strings.Contains(text, "....") || strings.Contains(text, "· ·") || strings.Contains(text, "····") || strings.Contains(text, "____") {
		if strings.Contains(text, "__]") {
			text = boxShape.ReplaceAllString(blankShape.ReplaceAllString(text, "\t$1: $2\t"), "\t$1: [$2]\t")
		}
		if m := leaderShape.FindStringSubmatchIndex(text); m != nil {
			text = text[:m[3]] + ": " + text[m[1]:]
		}
	}
	if text[0] == '|' && strings.Count(text, "|") == 1 && len(text) > 1 {
		text = text[1:] // a cell alone
	}
	if strings.HasPrefix(text, "##") && titleMark.MatchString(text) {
		text = strings.TrimLeft(text, "# ")
	}
	if strings.Contains(text, "**") && bulletShape.MatchString(strings.Replace(text, "**", "", 1)) {
		text = strings.Replace(strings.Replace(text, "**", "", 1), "**", "", 1)
	}
	if c := text[0]; c == '-' || c == '*' || c == '+' || c == 0xe2 {
		text = bulletShape.ReplaceAllString(text, "$1")
	}
	if strings.Contains(text, "->") || strings.Contains(text, "→") {
		text = becomes.ReplaceAllString(text, "$1")
	}
	if strings.Contains(text, ",") || strings.Contains(text, ";") {
		text = oldBehind.ReplaceAllString(wasShape.ReplaceAllString(text, " "), "")
	}
	if strings.IndexByte(text, '(') >= 0 {
		text = formerShape.ReplaceAllString(text, "")
	}
	if strings.Contains(text, "](http") {
		text = linkShape.ReplaceAllString(text, "$1")
	}
	if strings.IndexByte(text, '`') >= 0 || strings.Contains(text, "**") {
		text = markShape.ReplaceAllString(text, "$1$2")
	}
	if strings.Contains(text, `\|`) {
		text = strings.ReplaceAll(text, `\|`, "\u2223") // no separator
	}
	return text
}

// narrow makes addresses in wide figures, as East Asian keyboards write them, plain.
func narrow(text string) string {
	if !strings.Contains(text, "\uff0e") && !strings.Contains(text, "\uff1a") && !strings.Contains(text, "\uff0d") {
		return text
	}
	return wideShape.ReplaceAllStringFunc(text, width.Narrow.String)
}

var (
	shortShape = regexp.MustCompile(`(^|[\s(:=>])\.(\d{1,3})($|[\s,;.)]|:\d)`)
	// notTaken are words for addresses at which nothing is, or nothing may be.
	notTaken = regexp.MustCompile(`(?i)\b(?:free|unused|spare|available|avoid|(?:do not|don't|never) use|not used|keep (?:free|off)|frei|nicht (?:benutzen|verwenden)|libres?|ne pas utiliser|no usar|liber[oi]|non usare|vrij|niet gebruiken|livres?|não usar|woln[ey]|voln[ée]|ledig[at]?|свободн\pL*)\b`)
	// talk is what stands around a name in a sentence.
	talkEnd   = regexp.MustCompile(`(?i)(?:^|\s+)(?:is|was|at|on|has|its?|mac|ip|address|got|gets|with|and|now|to|=|sits|lives|stays|runs|uses|took|keeps|gave|given|assigned|reserved|pinned|set|always|fixed|c'est|c’est|ist|hat|auf|war|jetzt|nun|immer|fest|bekam|bekommt|est|a|sur|es|tiene|en|è|ha|su|jest|ma|na|the|der|die|das|den|le|la|el|il|de|het)$`)
	verbStart = regexp.MustCompile(`(?i)^(?:is|are|was|has|had|ist|hat|est|es|è|jest)\b`)
	talkStart = regexp.MustCompile(`(?i)^(?:i|we|found|see|saw|this|that|and|its?|got|here|also|then|now|ok|so|well|das ist|hier|ich|voici|c'est|este|questo|dit is)\b.*\b(?:the|our|a|an|der|die|das|den|le|la|les|el|los|il|lo|de|het)\s+`)
)

// leadShape is an article alone before a name.
var leadShape = regexp.MustCompile(`^(?:[Tt]he|[Oo]ur|[Dd]er|[Dd]ie|[Dd]as|[Ll][ea]|[Ee]l|[Ii]l|[Hh]et)\s+`)

// whole puts the network before last numbers that stand alone on a line.
func (r *reader) whole(text string) string {
	if !r.base.IsValid() || !strings.Contains(text, ".") || strings.Count(text, ".") > 20 {
		return text
	}
	if !strings.ContainsAny(text, " \t(:=>") || !slices.ContainsFunc([]string{" .", "\t.", "(.", ":.", "=.", ">."}, func(s string) bool { return strings.Contains(text, s) }) && text[0] != '.' {
		return text
	}
	base := strings.TrimSuffix(r.base.Addr().String(), "0")
	return shortShape.ReplaceAllString(shortShape.ReplaceAllString(text, "${1}"+base+"${2}${3}"), "${1}"+base+"${2}${3}")
}

// called gives the name in the words of a sentence: what is left without the words that only
// lead to it.
func called(text string) string {
	if verbStart.MatchString(text) {
		return "" // what is said of it
	}
	if strings.Count(text, " ") < 2 && !talkEnd.MatchString(text) {
		return text
	}
	if at := strings.LastIndexAny(text, ",;.!?:"); at >= 0 && at+1 < len(text) && strings.Count(text, " ") > 2 {
		text = strings.TrimSpace(text[at+1:])
	}
	for {
		less := talkEnd.ReplaceAllString(text, "")
		if less == text {
			break
		}
		text = less
	}
	text = leadShape.ReplaceAllString(talkStart.ReplaceAllString(text, ""), "")
	if strings.Count(text, " ") > 4 {
		return "" // a sentence
	}
	return text
}
