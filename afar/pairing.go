// Package afar is the helper at the far end and how it is asked: it tries ports of the
// address that it is asked from, and of no other, says at which address it sees that, and
// answers STUN. It is paired by one line of text that carries its address, a secret and the
// fingerprint of its key. It can be left running without being of use to anybody else.
package afar

import (
	"crypto/sha256"
	"encoding/base32"
	"fmt"
	"net"
	"strconv"
	"strings"
)

// Pairing is what a laptop has to know of a helper.
type Pairing struct {
	Addr   string // host and port at which it is asked
	Secret [16]byte
	Key    [32]byte // SHA-256 of its certificate
}

// prefix begins a pairing text, and is its version.
const prefix = "vpa1-"

// digits are those of base32hex (RFC 4648 section 7), in which no two differ by case.
var digits = base32.HexEncoding.WithPadding(base32.NoPadding)

// String is the pairing text: one word, without blanks.
func (p Pairing) String() string {
	body := append(append(append([]byte{}, p.Secret[:]...), p.Key[:]...), p.Addr...)
	return prefix + strings.ToLower(digits.EncodeToString(append(check(body), body...)))
}

// check is what tells a wrong digit.
func check(body []byte) []byte {
	sum := sha256.Sum256(body)
	return sum[:4]
}

// PairingError says why a pairing text is none.
type PairingError struct{ Why string }

func (e *PairingError) Error() string { return "pairing text: " + e.Why }

// ParsePairing reads a pairing text, also as the last word of the line that the helper
// prints. Its error is a *PairingError.
func ParsePairing(text string) (Pairing, error) {
	words := strings.Fields(text)
	if len(words) == 0 {
		return Pairing{}, &PairingError{"there is none; want the last word of what vestpin afar prints"}
	}
	word := strings.ToLower(words[len(words)-1])
	rest, ours := strings.CutPrefix(word, prefix)
	switch {
	case !ours && strings.HasPrefix(word, "vpa"):
		return Pairing{}, &PairingError{"it is of another version of vestpin; want one that begins with " + prefix}
	case !ours:
		return Pairing{}, &PairingError{"want a word that begins with " + prefix}
	}
	data, err := digits.DecodeString(strings.ToUpper(rest))
	if err != nil || len(data) < 4+16+32+3 {
		return Pairing{}, &PairingError{"it is cut short, or a character is wrong; copy the whole word again"}
	}
	if string(check(data[4:])) != string(data[:4]) {
		return Pairing{}, &PairingError{"a character is wrong; copy the whole word again"}
	}
	p := Pairing{Secret: [16]byte(data[4:20]), Key: [32]byte(data[20:52]), Addr: string(data[52:])}
	if err := checkAddr(p.Addr); err != nil {
		return Pairing{}, &PairingError{err.Error()}
	}
	if p.String() != word { // the last character has bits to spare
		return Pairing{}, &PairingError{"the last character is wrong; copy the whole word again"}
	}
	return p, nil
}

func checkAddr(addr string) error {
	host, port, err := net.SplitHostPort(addr)
	if n, perr := strconv.Atoi(port); err != nil || perr != nil || host == "" || n < 1 || n > 65535 {
		return fmt.Errorf("%q is no host and port such as 198.51.100.7:8418", addr)
	}
	return nil
}
