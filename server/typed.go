package server

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"strings"
	"unicode"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/span"
)

// TypedNetwork is a network as a person types it.
type TypedNetwork struct {
	Subnet   string `json:"subnet" doc:"10.48.16.0/24, or address and mask"`
	Gateway  string `json:"gateway,omitempty"`
	DNS      string `json:"dns,omitempty" doc:"Addresses with commas or blanks between"`
	Ranges   string `json:"ranges,omitempty" doc:".100-.179, several with commas between"`
	Bands    string `json:"bands,omitempty" doc:"One a line: .20-.39 cameras: camera, recorder"`
	KeepFree string `json:"keepFree,omitempty" doc:"One a line: .240-.254 the landlord's lift"`
}

// faults collects what is wrong with the fields of a form: each with the word at
// fault, the first ones in full.
type faults struct {
	list []error
	more int
}

// mostFaults is how many faults are told at once: a person mends a few and tries
// again.
const mostFaults = 20

// mostWords is how many words one field of a form may hold: more than any list of
// a network may have.
const mostWords = 300

func (f *faults) add(field, found string, err error) {
	if err == nil {
		return
	}
	message := err.Error()
	var bad *span.Malformed
	if errors.As(err, &bad) {
		message = "Want " + bad.Want + "."
	}
	if f.more++; f.more > mostFaults {
		return
	}
	f.list = append(f.list, &huma.ErrorDetail{Location: field, Message: message, Value: span.Quote(found)})
}

// says adds a fault in words of its own.
func (f *faults) says(field, message string) {
	f.more++
	f.list = append(f.list, &huma.ErrorDetail{Location: field, Message: message})
}

func (f *faults) err() error {
	if len(f.list) == 0 {
		return nil
	}
	says := "Some fields need another look."
	if f.more > mostFaults {
		says = fmt.Sprintf("Some fields need another look: %d faults, of which these are the first.", f.more)
	}
	return huma.Error422UnprocessableEntity(says, f.list...)
}

// understand reads a typed network; what is wrong is added to the faults under
// the names of the fields.
func (t TypedNetwork) understand(f *faults) site.Network {
	var n site.Network
	var err error
	n.Subnet, err = ipv4.ParseSubnet(t.Subnet)
	f.add("subnet", t.Subnet, err)
	if err != nil {
		return n
	}
	if strings.TrimSpace(t.Gateway) != "" {
		n.Gateway, err = ipv4.ParseAddrIn(t.Gateway, n.Subnet)
		f.add("gateway", t.Gateway, err)
		if err == nil {
			f.add("gateway", t.Gateway, usable(n.Gateway, n.Subnet))
		}
	}
	for _, word := range f.words("dns", t.DNS, ",; ") {
		a, err := ipv4.ParseAddrIn(word, n.Subnet)
		f.add("dns", word, err)
		n.DNS = append(n.DNS, a)
	}
	for _, word := range f.words("ranges", t.Ranges, ",;") {
		if from, to, ok := typedRange(f, "ranges", word, n.Subnet); ok {
			n.Ranges = append(n.Ranges, site.Range{From: from, To: to})
		}
	}
	for _, line := range f.lines("bands", t.Bands) {
		stretch, rest := firstWord(line)
		name, kinds, _ := strings.Cut(rest, ":")
		if from, to, ok := typedRange(f, "bands", stretch, n.Subnet); ok {
			n.Bands = append(n.Bands, site.Band{Name: strings.TrimSpace(name), From: from, To: to, Kinds: list(kinds)})
		}
	}
	for _, line := range f.lines("keepFree", t.KeepFree) {
		stretch, why := firstWord(line)
		if from, to, ok := typedRange(f, "keepFree", stretch, n.Subnet); ok {
			n.KeepFree = append(n.KeepFree, site.KeepFree{From: from, To: to, Why: why})
		}
	}
	return n
}

// words cuts a field into its words.
func (f *faults) words(field, text, between string) []string {
	return atMost(f, field, strings.FieldsFunc(text, func(c rune) bool { return strings.ContainsRune(between, c) }))
}

// lines cuts a field into its lines, without those that are empty.
func (f *faults) lines(field, text string) []string {
	var out []string
	for _, line := range strings.Split(text, "\n") {
		if line = strings.TrimSpace(line); line != "" {
			out = append(out, line)
		}
	}
	return atMost(f, field, out)
}

// firstWord cuts a line after its first word.
func firstWord(line string) (word, rest string) {
	if at := strings.IndexFunc(line, unicode.IsSpace); at >= 0 {
		return line[:at], strings.TrimSpace(line[at:])
	}
	return line, ""
}

// atMost refuses a list that no network could have.
func atMost[T any](f *faults, field string, list []T) []T {
	if len(list) > mostWords {
		f.add(field, fmt.Sprint("a list of ", len(list)), &span.Malformed{Want: fmt.Sprintf("at most %d", mostWords)})
		return nil
	}
	return list
}

// typedRange reads a stretch that must lie inside the subnet; a single address
// stands for itself.
func typedRange(f *faults, field, text string, subnet netip.Prefix) (from, to netip.Addr, ok bool) {
	from, to, err := ipv4.ParseRangeIn(text, subnet)
	if err != nil {
		if one, lone := ipv4.ParseAddrIn(text, subnet); lone == nil {
			from, to, err = one, one, nil
		}
	}
	if err == nil && (!subnet.Contains(from) || !subnet.Contains(to)) {
		err = &span.Malformed{Found: text, Want: "a stretch inside " + subnet.String()}
	}
	f.add(field, text, err)
	return from, to, err == nil
}

func usable(a netip.Addr, subnet netip.Prefix) error {
	lan := ipv4.Run(subnet)
	if x := ipv4.Number(a); x <= lan.Lo || x >= lan.Hi {
		return &span.Malformed{Found: a.String(), Want: "an address between " + ipv4.Addr(lan.Lo+1).String() + " and " + ipv4.Addr(lan.Hi-1).String()}
	}
	return nil
}

func list(text string) []string {
	var out []string
	for _, word := range strings.Split(text, ",") {
		if word = strings.TrimSpace(word); word != "" {
			out = append(out, word)
		}
	}
	return out
}

// Lines is a field with one thing a line.
type Lines struct {
	Text string `json:"text"`
}

// parseOwnPorts reads the ports that a router keeps for itself: "tcp 443 its own page".
func (s *server) parseOwnPorts(_ context.Context, in *struct{ Body Lines }) (*struct{ Body []site.OwnPort }, error) {
	var f faults
	out := []site.OwnPort{}
	for _, line := range f.lines("ownPorts", in.Body.Text) {
		word, rest := firstWord(line)
		ports, why := firstWord(rest)
		own := site.OwnPort{Why: why}
		err := own.Protocol.UnmarshalText([]byte(strings.ToLower(word)))
		if err == nil {
			own.Ports, err = span.ParsePorts(ports)
		}
		f.add("ownPorts", line, err)
		out = append(out, own)
	}
	return &struct{ Body []site.OwnPort }{out}, f.err()
}

// parseMakers reads a list of makers: the first digits of a MAC address, and the maker.
func (s *server) parseMakers(_ context.Context, in *struct{ Body Lines }) (*struct{ Body []site.Maker }, error) {
	var f faults
	out := []site.Maker{}
	for _, line := range f.lines("makers", in.Body.Text) {
		prefix, name := firstWord(line)
		out = append(out, site.Maker{Prefix: prefix, Name: name})
	}
	return &struct{ Body []site.Maker }{out}, f.err()
}
