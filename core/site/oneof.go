package site

import (
	"slices"
	"strings"

	"vestpin/core/span"
	"vestpin/core/strict"
)

// OneOf is one of a few words; W knows which. The zero value stands for no word at all: the
// site file leaves it out.
type OneOf[W interface{ Words() []string }] string

// Words are the words there are.
func (OneOf[W]) Words() []string {
	var w W
	return w.Words()
}

// UnmarshalText takes one of the words, or none at all: what a database keeps may have been
// written before there was a word for it. Its error is a *span.Malformed.
func (o *OneOf[W]) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*o = ""
		return nil
	}
	words := o.Words()
	for _, word := range words {
		if word == string(text) {
			*o = OneOf[W](word)
			return nil
		}
	}
	return &span.Malformed{Found: string(text), Want: "one of " + strings.Join(words, ", ")}
}

// check refuses what is none of the words.
func (o OneOf[W]) check(at *strict.Path) error {
	if words := o.Words(); !slices.Contains(words, string(o)) {
		return at.Refuse(string(o), "one of "+strings.Join(words, ", "))
	}
	return nil
}

// checkGiven is check where there may be no word at all.
func (o OneOf[W]) checkGiven(at *strict.Path) error {
	if o == "" {
		return nil
	}
	return o.check(at)
}

// The kinds of words in a site.
type (
	OnOff            = OneOf[onOff]            // whether something is switched on, as far as known
	YesNo            = OneOf[yesNo]            // whether something is so, as far as known
	WANKind          = OneOf[wanKind]          // how a router gets its outside address
	PortsPerLine     = OneOf[portsPerLine]     // what a line of a forwarding page takes
	Renumbering      = OneOf[renumbering]      // whether a line may lead to other ports
	SourceLimit      = OneOf[sourceLimit]      // how a line can limit who may connect
	ReservationPlace = OneOf[reservationPlace] // where a router reserves addresses
	FieldIs          = OneOf[fieldIs]          // what a field of an entry is
	FieldPart        = OneOf[fieldPart]        // on which page of two it is
	Alphabet         = OneOf[alphabet]         // the characters that a field takes
	Wants            = OneOf[wants]            // whether an interface is to be pinned
	PinBy            = OneOf[pinBy]            // where a pin is set
	LinkEnd          = OneOf[linkEnd]          // which end of a link a site is
	KindPort         = OneOf[kindPort]         // at which outside port a kind of service is wanted
	Risk             = OneOf[riskWord]         // what it means to open a service to anyone
	Checker          = OneOf[checkWord]        // how a service is asked whether it is the right one
	TriedFrom        = OneOf[triedFrom]        // from where a service was tried
	AddressBy        = OneOf[addressBy]        // who told an outside address
	Answered         = OneOf[answered]         // whether a service answered
	StoodIn          = OneOf[stoodIn]          // whether a computer in place of a device was reached
	Answer           = OneOf[answer]           // what a port did
	TryResult        = OneOf[tryResult]        // what a port did when it was tried
	TriedBy          = OneOf[triedBy]          // who tried
)

type (
	onOff            struct{}
	yesNo            struct{}
	wanKind          struct{}
	portsPerLine     struct{}
	renumbering      struct{}
	sourceLimit      struct{}
	reservationPlace struct{}
	fieldIs          struct{}
	fieldPart        struct{}
	alphabet         struct{}
	wants            struct{}
	pinBy            struct{}
	linkEnd          struct{}
	kindPort         struct{}
	riskWord         struct{}
	checkWord        struct{}
	triedFrom        struct{}
	addressBy        struct{}
	answered         struct{}
	stoodIn          struct{}
	answer           struct{}
	tryResult        struct{}
	triedBy          struct{}
)

func (onOff) Words() []string        { return []string{"on", "off", "unknown"} }
func (yesNo) Words() []string        { return []string{"yes", "no", "unknown"} }
func (wanKind) Words() []string      { return []string{"static", "dynamic", "unknown"} }
func (portsPerLine) Words() []string { return []string{"one", "range", "list"} }
func (renumbering) Words() []string  { return []string{"none", "one", "range"} }
func (sourceLimit) Words() []string  { return []string{"no", "address", "network"} }
func (reservationPlace) Words() []string {
	return []string{"anywhere", "inside-range", "outside-range", "no"}
}
func (fieldIs) Words() []string {
	return []string{"name", "outside", "outside-from", "outside-to", "inside", "inside-from", "inside-to", "address", "last-number", "device", "mac", "protocol", "sender", "enabled", "fixed"}
}
func (fieldPart) Words() []string { return []string{"rule", "service"} }
func (alphabet) Words() []string  { return []string{"any", "ascii", "word"} }
func (wants) Words() []string     { return []string{"auto", "pin", "loose"} }
func (pinBy) Words() []string     { return []string{ByReservation, ByDevice, ByBoth} }
func (linkEnd) Words() []string   { return []string{"listens", "calls"} }
func (kindPort) Words() []string  { return []string{AnyPort, SamePort} }
func (riskWord) Words() []string  { return []string{"none", "plain", "danger"} }
func (checkWord) Words() []string {
	return []string{"tcp", "tls", "http", "https", "rtsp", "ssh", "sip", "rfb", "rdp", "dns", "ntp", "stun", "srt", "mqtt", "ftp", "smtp", "none"}
}
func (triedFrom) Words() []string { return []string{"inside", "outside", "both"} }
func (addressBy) Words() []string { return []string{"router", "stun", "afar"} }
func (answered) Words() []string  { return []string{"yes", "no", "untried"} }
func (stoodIn) Words() []string   { return []string{"reached", "lost"} }
func (answer) Words() []string    { return []string{"answers", "refused", "silent"} }
func (tryResult) Words() []string { return []string{"answers", "refused", "silent", "untried"} }
func (triedBy) Words() []string   { return []string{"here", "afar", "looped", "person"} }
