package write

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"

	"vestpin/core/sheet"
	"vestpin/core/site"
	"vestpin/read"
)

// What is written for dnsmasq is read back as the same reservations, ranges,
// gateway and DNS, whatever the devices are called.
func TestDnsmasqReadsBack(t *testing.T) {
	r := rand.New(rand.NewPCG(71, 72))
	names := []string{"Kiln #2", "dhcp-range=10.0.0.1,10.0.0.9", "a\nb", "\u2028", "Küche", "", "x,y", "-rf", "10.48.16.9", "00:00:5e:00:53:01", "end\\", "\"q\"", "مسجل", "45", "5m", "ignore", "infinite", "12h"}
	for range 400 {
		from := r.IntN(100) + 100
		s := site.New(names[r.IntN(len(names))]+"!", netip.MustParsePrefix("10.48.16.0/24"), netip.MustParseAddr("10.48.16.1"),
			[]site.Range{{From: address(from), To: address(from + r.IntN(50))}})
		s.Networks[0].Name = names[r.IntN(len(names))]
		var want []string
		for i := range r.IntN(8) {
			id := fmt.Sprint("d", i)
			n := site.Interface{ID: id + ".0", Network: "main", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:53:%02x", i))}
			if r.IntN(4) > 0 {
				n.Pin = &site.Pin{Address: address(2 + i), By: []string{"reservation", "both", "device"}[r.IntN(3)]}
				if n.Pin.Reserved() {
					want = append(want, fmt.Sprint(n.MAC, " ", n.Pin.Address))
				}
			}
			s.Devices = append(s.Devices, site.Device{ID: id, Name: names[r.IntN(len(names))], Interfaces: []site.Interface{n}})
		}
		var b bytes.Buffer
		if err := Targets[0].Write(&b, s); err != nil {
			t.Fatal(err)
		}
		back, err := read.Text("conf", "leases", b.Bytes())
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		hosts := map[string]bool{}
		for _, sg := range back.Sightings {
			got = append(got, fmt.Sprint(sg.MAC, " ", sg.Address))
			if hosts[sg.Host] || sheet.HostName(sg.Host) != sg.Host {
				t.Fatalf("the host name %q in\n%s", sg.Host, b.String())
			}
			hosts[sg.Host] = true
		}
		if !slices.Equal(got, want) || len(back.Facts.Ranges) != 1 || back.Facts.Ranges[0] != s.Networks[0].Ranges[0] || back.Facts.Gateway != s.Networks[0].Gateway || !slices.Equal(back.Facts.DNS, s.Networks[0].DNS) {
			t.Fatalf("got %q, want %q; facts %+v of\n%s", got, want, back.Facts, b.String())
		}
	}
}

func address(n int) netip.Addr { return netip.AddrFrom4([4]byte{10, 48, 16, byte(n)}) }
