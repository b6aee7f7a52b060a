package snag

import (
	"net/netip"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// A site that was seen at another address than entered says so, with what still points at the
// old one; the mend enters the new one.
func TestAddressChanged(t *testing.T) {
	a := netip.MustParseAddr
	base, err := sitefile.Read([]byte(shutSiteWithName))
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range []struct {
		what, told, points, want string
	}{
		{"as entered", "203.0.113.47", "203.0.113.47", ""},
		{"changed, and the name lags", "203.0.113.99", "203.0.113.47", "The outside address is 203.0.113.99 now; 203.0.113.47 is entered. Still pointing there: studio.example.net."},
		{"changed, and the name knows", "203.0.113.99", "203.0.113.99", "The outside address is 203.0.113.99 now; 203.0.113.47 is entered."},
		{"behind another router, which behind-router says", "10.99.0.2", "203.0.113.47", ""},
		{"shared by the provider", "100.64.1.2", "203.0.113.47", ""},
	} {
		s := base
		s.Proofs = []site.Proof{{ID: "p", Router: site.ProofRouter{Told: []site.ToldOutside{{Address: a(c.told), By: site.ToldByAfar}}}, Name: site.ProofName{Name: "studio.example.net", Points: []netip.Addr{a(c.points)}}}}
		got := ""
		for _, sn := range Check(site.NewView(s)) {
			if sn.Code != "address-changed" {
				continue
			}
			got = sn.Says
			after, _, err := edit.Apply(s, sn.Mends[0].Edits)
			if err != nil || after.Routers[0].WAN.Address != a(c.told) || count(Check(site.NewView(after)), "address-changed") > 0 {
				t.Errorf("%s: the mend gives %v %v", c.what, after.Routers[0].WAN, err)
			}
		}
		if got != c.want {
			t.Errorf("%s: %q", c.what, got)
		}
	}
}

const shutSiteWithName = `{"format":"vestpin-site/1","name":"x","networks":[{"id":"main","subnet":"10.48.16.0/24"}],
	"routers":[{"id":"edge","network":"main","wan":{"address":"203.0.113.47","kind":"dynamic","name":"studio.example.net"}}]}`
