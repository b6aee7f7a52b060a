package ipv4

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
		if Number(a) != n {
			t.Fatalf("%d became %s became %d", n, a, Number(a))
		}
		if parsed, err := ParseAddr(" " + a.String() + " "); err != nil || parsed != a {
			t.Fatalf("%s: %v, %v", a, parsed, err)
		}
		bits := r.IntN(33)
		p := netip.PrefixFrom(a, bits)
		run := Run(p)
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

func TestParseSubnetsMasksAndRanges(t *testing.T) {
	for text, want := range map[string]string{
		"10.48.16.0/24": "10.48.16.0/24", "10.48.16.7/255.255.255.0": "10.48.16.0/24", "10.48.16.7 255.255.252.0": "10.48.16.0/22", " 10.0.0.0/8 ": "10.0.0.0/8",
		"10.48.16.0": "", "10.48.16.0/33": "", "10.48.16.0/255.0.255.0": "", "10.48.16/24": "", "10.48.16.0/31": "", "300.1.1.1/24": "", "fe80::/64": "", "": "", "10.48.16.0/+24": "",
	} {
		p, err := ParseSubnet(text)
		if (err == nil) != (want != "") || (err == nil && p.String() != want) {
			t.Errorf("subnet %q: got %v, %v", text, p, err)
		}
	}
	lan := netip.MustParsePrefix("10.48.16.0/24")
	for text, want := range map[string]string{
		".100-.179": "10.48.16.100 10.48.16.179", "100 to 179": "10.48.16.100 10.48.16.179", "10.48.16.100 – 10.48.16.179": "10.48.16.100 10.48.16.179", "16.100-16.179": "10.48.16.100 10.48.16.179",
		".179-.100": "", ".100": "", "x-y": "", ".100-.300": "",
	} {
		from, to, err := ParseRangeIn(text, lan)
		if (err == nil) != (want != "") || (err == nil && from.String()+" "+to.String() != want) {
			t.Errorf("range %q: got %v %v, %v", text, from, to, err)
		}
	}
}
