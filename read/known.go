package read

import (
	"encoding/csv"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"vestpin/core/cell"
	"vestpin/core/ipv4"
	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/core/span"
)

// The property names of files that are the same in every language: Kea's leases, the
// neighbours of PowerShell, and our own inventory.
var properties = map[string]string{
	"hwaddr": "mac", "linklayeraddress": "mac", "mac": "mac",
	"address": "address", "ipaddress": "address",
	"hostname": "host", "name": "host", "state": "state",
	"expire": "expire", "valid_lifetime": "lasts", "kind": "kind", "place": "place",
}

// columns are the properties of the columns of such a file.
type columns struct {
	are      []string
	sep      string
	forwards bool // of our own list of port forwards
}

// ownForwards heads the list of port forwards that this program writes.
const ownForwards = "router,name,protocol,outside,address,inside,from"

// recordShape is a record of the address of a name (RFC 1035, section 5.1).
var recordShape = regexp.MustCompile(`^(\S+)\s+(?:\d+\s+)?(?:IN\s+(?:\d+\s+)?)?A\s+(\d+\.\d+\.\d+\.\d+)\s*(?:;.*)?$`)

var headed = regexp.MustCompile(`(?i)valid_lifetime|linklayeraddress|\bpin\b`)

// siteRecord passes such a record whose address is of a private network.
func siteRecord(l line) bool {
	return len(l.addrs) == 1 && l.addrs[0].IsPrivate() && recordShape.MatchString(l.text)
}

// known takes the heading of a file of known properties, and then the rows below it.
func (r *reader) known(l line) bool {
	if strings.ReplaceAll(l.text, `"`, "") == ownForwards {
		r.columns, r.out.Forwarding = columns{strings.Split(ownForwards, ","), ",", true}, true
		return true
	}
	if len(l.macs) == 0 && len(l.addrs) == 0 && !l.odd && len(l.words) > 2 && strings.ContainsAny(l.text, ",;\t") && headed.MatchString(l.text) {
		for _, sep := range []string{",", ";", "\t"} {
			if strings.Count(l.text, sep) < 2 {
				continue
			}
			var are []string
			for _, c := range split(l.text, sep) {
				are = append(are, properties[strings.ToLower(strings.TrimSpace(c))])
			}
			r.columns = columns{are: are, sep: sep}
			return true
		}
	}
	if r.columns.are == nil && siteRecord(l) {
		if name := strings.TrimSuffix(l.fields[0], "."); name != "@" && name != "*" {
			r.add(sighting.Sighting{Address: l.addrs[0], Host: name, Line: l.number})
			return true
		}
	}
	if r.columns.are == nil {
		return false
	}
	c := split(l.text, r.columns.sep)
	if len(c) != len(r.columns.are) {
		return false
	}
	if r.columns.forwards {
		return r.ownForward(l, c)
	}
	r.knownRow(l, c)
	return true
}

// ownForward takes a row of our own list of port forwards. One to no fixed address is none
// yet.
func (r *reader) ownForward(l line, cells []string) bool {
	for i := range cells {
		cells[i] = unescape(cells[i])
	}
	f := ForwardLine{
		Router: cells[0], Name: cells[1], Protocol: site.Protocol(cells[2]), From: strings.Fields(cells[6]), Enabled: true, Source: r.source, Line: r.lineOf(l.number),
	}
	var bad [3]error
	f.Outside, bad[0] = span.ParsePorts(cells[3])
	f.Address, bad[1] = ipv4.ParseAddr(cells[4])
	f.Inside, bad[2] = span.ParsePorts(cells[5])
	if bad != [3]error{} || !slices.Contains([]site.Protocol{site.TCP, site.UDP, site.Both}, f.Protocol) {
		return false
	}
	r.out.Forwards = append(r.out.Forwards, f)
	return true
}

func (r *reader) knownRow(l line, cells []string) {
	s := sighting.Sighting{Line: l.number}
	var expire, lasts int64
	journal := false
	for i, c := range cells {
		c = unescape(c)
		switch r.columns.are[i] {
		case "mac":
			if m, err := site.ParseMAC(c); err == nil {
				s.MAC = m
			}
		case "address":
			s.Address, _ = addrWord(c)
		case "host":
			s.Host = c
		case "state":
			s.State = strings.ToLower(c)
		case "expire":
			expire, _ = strconv.ParseInt(c, 10, 64)
			journal = true
		case "lasts":
			lasts, _ = strconv.ParseInt(c, 10, 64)
		case "kind":
			s.Traits = appendTrait(s.Traits, site.TraitKind, c)
		case "place":
			s.Traits = appendTrait(s.Traits, site.TraitPlace, c)
		}
	}
	switch {
	case s.State == "unreachable" || s.State == "incomplete" || s.MAC == "" && (journal || l.odd):
		return // nobody answered there
	case s.MAC == "" && !s.Address.IsValid():
		return
	case !journal:
		r.add(s)
		return
	}
	s.State = map[string]string{"0": "lease", "1": "declined", "2": "expired"}[s.State]
	s.Until = clock(expire)
	if lasts > 0 && lasts < expire {
		s.At = clock(expire - lasts)
	}
	r.addNewest(s)
}

func appendTrait(list []site.Trait, name, value string) []site.Trait {
	if value = strings.TrimSpace(value); value == "" {
		return list
	}
	return append(list, site.Trait{Name: name, Value: value})
}

// escapes are signs in names as Kea, programs and Markdown write them.
var escapes = strings.NewReplacer("&#x2c", ",", `\'`, "'", `\"`, `"`, `\|`, "|")

// unescape undoes what our own tables and others do to names: an apostrophe before what a
// spreadsheet would take for a formula, signs that mean something else there.
func unescape(name string) string {
	return escapes.Replace(cell.Unguard(name))
}

// split cuts a row of a file with separators; a cell in quotes may hold them.
func split(text, sep string) []string {
	if n := strings.Count(text, `"`); n > 0 && n%2 == 0 {
		c := csv.NewReader(strings.NewReader(text))
		c.Comma, c.LazyQuotes, c.FieldsPerRecord = rune(sep[0]), true, -1
		if parts, err := c.Read(); err == nil {
			return parts
		}
	}
	return strings.Split(text, sep)
}
