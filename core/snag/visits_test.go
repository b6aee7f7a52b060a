package snag

import (
	"net/netip"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
)

func lastVisits(s site.Site) site.Site {
	at := func(n byte) netip.Addr { return netip.AddrFrom4([4]byte{10, 48, 16, n}) }
	s.Devices = []site.Device{
		{ID: "old", Name: "Decoder", Kind: "video link", Interfaces: []site.Interface{{ID: "old.0", Network: "main", MAC: "00:00:5e:00:53:52", Seen: at(90), First: "2026-05-04T09:00:00Z", Pin: &site.Pin{Address: at(90), By: site.ByReservation}}}},
		{ID: "new", Interfaces: []site.Interface{{ID: "new.0", Network: "main", MAC: "00:00:5e:00:53:5a", Seen: at(90), First: "2026-11-23T09:00:00Z"}}},
		{ID: "guest", Interfaces: []site.Interface{{ID: "guest.0", Network: "main", MAC: "00:00:5e:00:53:77", Seen: at(150), First: "2026-11-23T09:00:00Z"}}},
	}
	s.Visits = []site.Visit{
		{ID: "v1", From: "2026-05-04T09:00:00Z", Until: "2026-05-04T12:00:00Z", Seen: []site.SeenThen{{Interface: "old.0", MAC: "00:00:5e:00:53:52", Address: at(90)}}},
		{ID: "v2", From: "2026-11-23T09:00:00Z", Seen: []site.SeenThen{{Interface: "new.0", MAC: "00:00:5e:00:53:5a", Address: at(90)}, {Interface: "guest.0", MAC: "00:00:5e:00:53:77", Address: at(150)}}},
	}
	return s
}

// Each snag of visits is found, and each of its mends ends it.
func TestSnagsOfVisits(t *testing.T) {
	s := lastVisits(site.New("x", netip.MustParsePrefix("10.48.16.0/24"), netip.MustParseAddr("10.48.16.1"), nil))
	s.Networks[0].Servers = []site.DHCPServer{{Address: netip.MustParseAddr("10.48.16.1")}, {Address: netip.MustParseAddr("10.48.16.2")}}
	found := map[string][]Snag{}
	for _, sn := range Check(site.NewView(s)) {
		found[sn.Code] = append(found[sn.Code], sn)
	}
	if two := found["two-dhcp-servers"]; len(two) != 1 || two[0].Weight != Bites {
		t.Errorf("two-dhcp-servers: %+v", two)
	}
	if st := found["stranger"]; len(st) != 1 || st[0].About[0] != "device:guest" || st[0].Weight != Note {
		t.Errorf("stranger: %+v", st)
	}
	if sw := found["swapped?"]; len(sw) != 1 || len(sw[0].Mends) != 2 {
		t.Fatalf("swapped?: %+v", sw)
	}
	for _, code := range []string{"stranger", "swapped?"} {
		for _, m := range found[code][0].Mends {
			next, _, err := edit.Apply(s, m.Edits)
			if err != nil {
				t.Fatalf("%s: %v", m.Does, err)
			}
			for _, sn := range Check(site.NewView(next)) {
				if sn.Code == code && sn.About[0] == found[code][0].About[0] {
					t.Errorf("%q did not end %s", m.Does, code)
				}
			}
		}
	}
	if at := found["address-answers-already"]; len(at) != 1 || !strings.HasPrefix(at[0].Mends[0].Does, "Hand over to 00:00:5e:00:53:5a") {
		t.Errorf("address-answers-already: %+v", at)
	}
	// On a first visit nobody is a stranger.
	s.Visits = s.Visits[1:]
	for _, sn := range Check(site.NewView(s)) {
		if sn.Code == "stranger" {
			t.Errorf("a stranger on the first visit: %s", sn.Says)
		}
	}
}
