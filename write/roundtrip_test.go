package write

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/form"
	"vestpin/core/sighting"
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
				n.Pin = &site.Pin{Address: address(2 + i), By: []site.PinBy{"reservation", "both", "device"}[r.IntN(3)]}
				if n.Pin.Reserved() {
					want = append(want, fmt.Sprint(n.MAC, " ", n.Pin.Address))
				}
			}
			s.Devices = append(s.Devices, site.Device{ID: id, Name: names[r.IntN(len(names))], Interfaces: []site.Interface{n}})
		}
		var b bytes.Buffer
		if err := Targets[0].Write(&b, s, ""); err != nil {
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
			if hosts[sg.Host] || form.HostName(sg.Host) != sg.Host {
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

// The inventory is read back as the same devices: names, kinds, places, MAC
// addresses and where they were seen, whatever a spreadsheet would make of them.
func TestInventoryReadsBack(t *testing.T) {
	s := site.New("Mill", netip.MustParsePrefix("10.48.16.0/24"), netip.MustParseAddr("10.48.16.1"), nil)
	names := []string{"Kiln", "=SUM(A1)", "-2", "shop, back", "“quoted” \"x\"", "Küche", "@home", "カメラ", "two\nlines", "cam;=1+1", "＝1", "'=1", "'tis"}
	for i, name := range names {
		id := fmt.Sprint("d", i)
		s.Devices = append(s.Devices, site.Device{ID: id, Name: name, Kind: "camera", Place: names[(i+3)%len(names)], Interfaces: []site.Interface{{ID: id + ".0", Network: "main", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:53:%02x", i)), Seen: address(20 + i)}}})
	}
	target, err := Find("inventory.csv")
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := target.Write(&b, s, ""); err != nil {
		t.Fatal(err)
	}
	back, err := read.Text("inventory.csv", "", b.Bytes())
	if err != nil || len(back.Unread) > 0 {
		t.Fatalf("%v, %+v", err, back.Unread)
	}
	p := sighting.Merge(site.New("New", netip.MustParsePrefix("10.48.16.0/24"), netip.MustParseAddr("10.48.16.1"), nil), back.Sightings, back.Facts, "2026-11-23T09:00:00Z")
	next, _, err := edit.Apply(site.New("New", netip.MustParsePrefix("10.48.16.0/24"), netip.MustParseAddr("10.48.16.1"), nil), p.Edits)
	if err != nil || len(next.Devices) != len(names) {
		t.Fatalf("%v: %d devices", err, len(next.Devices))
	}
	for i, d := range next.Devices {
		want := s.Devices[i]
		if d.Name != want.Name || d.Kind != want.Kind || d.Place != want.Place || d.Interfaces[0].MAC != want.Interfaces[0].MAC || d.Interfaces[0].Seen != want.Interfaces[0].Seen {
			t.Errorf("%+v came back as %+v", want, d)
		}
	}
}
