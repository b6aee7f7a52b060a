package maker

import (
	"bytes"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"vestpin/core/site"
)

const csvList = "Registry,Assignment,Organization Name,Organization Address\nMA-L,00005E,Larkbridge,\"1, High Street\"\nMA-L,10105E,IEEE Registration Authority,\nMA-M,10105E5,Ostrel  Vision,\nMA-S,10105E534,Brindle,\nMA-L,AAAAAA,Private,\n"

func built(t testing.TB, text string) *Registry {
	t.Helper()
	var b bytes.Buffer
	if _, err := Build(&b, strings.NewReader(text)); err != nil {
		t.Fatal(err)
	}
	r, err := Read(&b)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

func TestTheLongestPrefixCounts(t *testing.T) {
	r := built(t, csvList)
	if r.Len() != 3 {
		t.Errorf("%d prefixes", r.Len())
	}
	for mac, want := range map[site.MAC]string{
		"00:00:5e:00:53:21": "Larkbridge", "10:10:5e:53:40:01": "Brindle", "10:10:5e:53:50:01": "Ostrel Vision", "10:10:5e:63:40:01": "",
		"72:1e:8b:20:9a:04": "", "": "", "aa:aa:aa:00:00:01": "",
	} {
		if got := r.Find(mac); got != want {
			t.Errorf("%s: got %q, want %q", mac, got, want)
		}
	}
	own := []site.Maker{{Prefix: "00-00-5E", Name: "Tarn Kilnworks"}, {Prefix: "00:00:5e:00:53:2", Name: "Ostrel Vision"}}
	for mac, want := range map[site.MAC]string{"00:00:5e:00:53:21": "Ostrel Vision", "00:00:5e:00:53:41": "Tarn Kilnworks", "10:10:5e:53:40:01": ""} {
		if got := Own(own, mac); got != want {
			t.Errorf("own, %s: got %q, want %q", mac, got, want)
		}
	}
}

func TestWhatIsNoList(t *testing.T) {
	for _, text := range []string{"a,b\n1,2\n", "Registry,Assignment\nMA-L,00005G,x\n"} {
		if _, err := Build(new(bytes.Buffer), strings.NewReader(text)); err == nil || !strings.Contains(err.Error(), "line") {
			t.Errorf("%q: %v", text, err)
		}
	}
	var b bytes.Buffer
	if _, err := Build(&b, strings.NewReader(csvList)); err != nil {
		t.Fatal(err)
	}
	for _, data := range [][]byte{nil, []byte("makers"), b.Bytes()[:b.Len()/2]} {
		if _, err := Read(bytes.NewReader(data)); !errors.Is(err, ErrNotMakers) {
			t.Errorf("%d bytes: %v", len(data), err)
		}
	}
}

func TestTheShippedRegistry(t *testing.T) {
	if n := Shipped().Len(); n < 40_000 {
		t.Errorf("%d prefixes", n)
	}
	if Shipped().Find("00:00:5e:00:53:21") == "" {
		t.Error("the documentation block belongs to somebody")
	}
}

func BenchmarkFind(b *testing.B) {
	r := Shipped()
	macs := []site.MAC{"00:00:5e:00:53:21", "70:b3:d5:f2:f0:01", "72:1e:8b:20:9a:04", "28:6f:b9:00:00:01"}
	i := 0
	for b.Loop() {
		r.Find(macs[i&3])
		i++
	}
}

// Any list is found again as a plain search of it would.
func TestAgainstAPlainSearch(t *testing.T) {
	r := rand.New(rand.NewPCG(81, 82))
	for range 50 {
		byDigits := map[string]string{}
		var text strings.Builder
		for range r.IntN(60) {
			digits := fmt.Sprintf("%012x", r.Uint64()&0x0f0f0f0f0f0f)[:[]int{6, 7, 9}[r.IntN(3)]]
			digits = "00" + digits[2:]
			name := fmt.Sprint("Maker ", r.IntN(9))
			if byDigits[digits] == "" {
				fmt.Fprintf(&text, "MA-L,%s,%s,\n", digits, name)
				byDigits[digits] = name
			}
		}
		registry := built(t, text.String())
		if registry.Len() != len(byDigits) {
			t.Fatalf("%d of %d prefixes", registry.Len(), len(byDigits))
		}
		for digits := range byDigits {
			for range 5 {
				whole := digits + fmt.Sprintf("%012x", r.Uint64()&0x0f0f0f0f0f0f)[len(digits):]
				mac, err := site.ParseMAC(whole)
				if err != nil {
					continue
				}
				want := ""
				for _, n := range []int{9, 7, 6} {
					if want == "" {
						want = byDigits[whole[:n]]
					}
				}
				if got := registry.Find(mac); got != want {
					t.Fatalf("%s: got %q, want %q", mac, got, want)
				}
			}
		}
	}
}
