package read

import (
	"net/netip"
	"regexp"
	"strings"
)

// ExposedLine is a line by which a router sends every port that nothing else takes to one
// address (its exposed host).
type ExposedLine struct {
	Address netip.Addr `json:"address"`
	Source  string     `json:"source"`
	Line    int        `json:"line"`
}

// The forms of such a line: a rule of a packet filter that sends packets on whatever their
// port, and a page that names the setting.
var (
	exposedRules = []*regexp.Regexp{
		regexp.MustCompile(`^\s*(?:iif(?:name)? (?:!= )?\S+ )?(?:ip daddr \S+ )?(?:counter (?:packets \d+ bytes \d+ )?)?dnat (?:ip )?to (\d+\.\d+\.\d+\.\d+)(?: comment ".*")?\s*$`),
		regexp.MustCompile(`^-A \S+(?: -d \S+)?(?: -i \S+)?(?: -m comment --comment (?:"[^"]*"|\S+))? -j DNAT --to-destination (\d+\.\d+\.\d+\.\d+)\s*$`),
	}
	exposedWords = regexp.MustCompile(`(?i)\b(?:exposed[ -]host|dmz(?:[ -](?:host|server|computer))?|default (?:dmz )?(?:host|server)|all other ports)\b\W*(?:\w+\W+){0,3}?(\d+\.\d+\.\d+\.\d+)`)
	exposedOff   = regexp.MustCompile(`(?i)\b(?:off|disabled|inactive|not (?:active|enabled|used)|aus|deaktiviert|no)\b`)
)

// exposedHost takes a line that no reader took for an exposed host, if it is one.
func (r *reader) exposedHost(l line) bool {
	if len(l.addrs) == 0 || len(l.text) > 400 {
		return false
	}
	for _, form := range append(exposedRules, exposedWords) {
		found := form.FindStringSubmatch(l.text)
		if found == nil || form == exposedWords && exposedOff.MatchString(l.text) {
			continue
		}
		a, err := netip.ParseAddr(strings.TrimSpace(found[1]))
		if err != nil || a.IsUnspecified() {
			continue
		}
		r.out.Exposed = append(r.out.Exposed, ExposedLine{a, r.source, r.lineOf(l.number)})
		return true
	}
	return false
}
