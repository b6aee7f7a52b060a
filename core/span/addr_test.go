package span

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"testing"
)

// Masks, prefixes and addresses are held against the standard library.
func TestAddressesAgainstNetip(t *testing.T) {
	r := rand.New(rand.NewPCG(81, 82))
	for range 5000 {
		n := r.Uint32()
		a := Addr(n)
		if OfAddr(a) != n {
			t.Fatalf("%d became %s became %d", n, a, OfAddr(a))
		}
		if parsed, err := ParseAddr(" " + a.String() + " "); err != nil || parsed != a {
			t.Fatalf("%s: %v, %v", a, parsed, err)
		}
		bits := r.IntN(33)
		p := netip.PrefixFrom(a, bits)
		run := OfPrefix(p)
		if !p.Contains(Addr(run.Lo)) || !p.Contains(Addr(run.Hi)) || (run.Lo > 0 && p.Contains(Addr(run.Lo-1))) || (run.Hi < ^uint32(0) && p.Contains(Addr(run.Hi+1))) {
			t.Fatalf("%s became %s to %s", p, Addr(run.Lo), Addr(run.Hi))
		}
		for _, text := range []string{fmt.Sprint(bits), fmt.Sprint("/", bits), Mask(bits).String()} {
			if got, err := ParseMask(text); err != nil || got != bits {
				t.Fatalf("mask %q: %d, %v", text, got, err)
			}
		}
		if bits >= 8 && bits <= 30 {
			for _, text := range []string{p.String(), a.String() + " " + Mask(bits).String(), a.String() + "/" + Mask(bits).String()} {
				if got, err := ParseSubnet(text); err != nil || got != p.Masked() {
					t.Fatalf("subnet %q: %v, %v", text, got, err)
				}
			}
		}
	}
	for _, text := range []string{"255.0.255.0", "255.255.255.1", "0.0.0.255", "33", "-1", "+8", "", "255.255.255", "::ffff"} {
		if bits, err := ParseMask(text); err == nil {
			t.Errorf("mask %q was taken as %d", text, bits)
		}
	}
}

// An end is completed from its subnet.
func TestParseAddrIn(t *testing.T) {
	lan := netip.MustParsePrefix("10.48.16.0/22")
	for text, want := range map[string]string{
		".7": "10.48.16.7", "7": "10.48.16.7", "18.7": "10.48.18.7", ".18.7": "10.48.18.7", "10.48.19.1": "10.48.19.1", "192.0.2.1": "192.0.2.1",
		"": "", ".": "", "256": "", "1.2.3.4.5": "", "x": "", "-1": "", "1..2": "",
	} {
		got, err := ParseAddrIn(text, lan)
		if (err == nil) != (want != "") || (err == nil && got.String() != want) {
			t.Errorf("%q: got %v, %v; want %q", text, got, err, want)
		}
	}
}

func TestQuoteKeepsMessagesShort(t *testing.T) {
	long := ""
	for range 500 {
		long += "ü\n"
	}
	if q := Quote(long); len([]rune(q)) > 140 || q[0] != '"' {
		t.Errorf("got %s", q)
	}
}
