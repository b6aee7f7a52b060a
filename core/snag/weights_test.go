package snag

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"vestpin/core/site"
	"vestpin/core/span"
)

// The weights are a contract with other programs: what stops work, what will
// bite, and the rest, which is worth knowing.
func TestWeights(t *testing.T) {
	list := map[string]string{
		Stops: `address-twice, address-off-network, address-unusable, address-answers-already, router-cannot-reserve-there,
			mac-twice, mac-missing, range-bad, outside-clash, outside-is-routers-own, forward-to-nobody, forward-off-network,
			form-cannot, lines-run-out, reservations-run-out, behind-router, behind-carrier, upstream-missing, wan-off-network, outside-impossible`,
		Bites: `router-differs, device-set-in-range, mac-randomised, open-but-loose, forward-to-loose, range-full, forward-wide, forward-risky,
			wish-unmet, upnp-on, mapped-over, claimed-not-there, outside-told-otherwise, address-changed, outside-address-moves, two-dhcp-servers, answers-for-many, subnet-twice, not-followed,
			exposed-host, inner-outside-moves`,
		Note: `seen-elsewhere, seen-on-other-network, forward-beside-service, forward-twice, stranger, swapped?, band-full`,
	}
	want := map[string]string{}
	for weight, codes := range list {
		for _, code := range strings.Split(codes, ",") {
			want[strings.TrimSpace(code)] = weight
		}
	}
	for code, weight := range want {
		if kinds()[code].Weight != weight {
			t.Errorf("%s weighs %q, want %q", code, kinds()[code].Weight, weight)
		}
	}
	for code, k := range kinds() {
		if want[code] == "" || !strings.Contains(k.Plural, "%d") {
			t.Errorf("%s is not in the contract, or nothing is said of several: %q", code, k.Plural)
		}
	}
	n := 0
	for _, f := range rules {
		for _, r := range f.rules {
			n += len(r.Kinds)
		}
	}
	if n != len(kinds()) {
		t.Errorf("%d kinds, %d codes: one has two rules", n, len(kinds()))
	}
}

// The weightiest come first, and the order within a weight is always the same.
func TestOrder(t *testing.T) {
	s := large()
	s.Devices[1].Interfaces[0].Pin.Address = s.Devices[2].Interfaces[0].Pin.Address
	first := Check(site.NewView(s))
	if len(first) < 100 || first[0].Weight != Stops || first[len(first)-1].Weight != Note {
		t.Fatalf("%d snags, from %s to %s", len(first), first[0].Weight, first[len(first)-1].Weight)
	}
	order := map[string]int{Stops: 0, Bites: 1, Note: 2}
	if !slices.IsSortedFunc(first, func(a, b Snag) int { return order[a.Weight] - order[b.Weight] }) {
		t.Error("a lighter one stands before a weightier one")
	}
	for range 5 {
		again := Check(site.NewView(s))
		if !slices.EqualFunc(first, again, func(a, b Snag) bool { return a.Code == b.Code && a.Says == b.Says }) {
			t.Fatal("another order the second time")
		}
	}
}

// Of a thousand alike and more the rest is counted, and a snag whose mend was not
// worked out says so, however many there are.
func TestWhatIsLeftOutIsTold(t *testing.T) {
	s := site.New("x", netip.MustParsePrefix("10.0.0.0/16"), netip.MustParseAddr("10.0.0.1"), nil)
	for i := range 1300 {
		id := fmt.Sprint("d", i)
		s.Devices = append(s.Devices, site.Device{ID: id, Interfaces: []site.Interface{{ID: id, Network: "main", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:%02x:%02x", i/256, i%256)),
			Pin: &site.Pin{Address: netip.AddrFrom4([4]byte{10, 0, byte(1 + i/200), byte(2 + i%200)}), By: site.ByReservation}}},
			Services: []site.Service{{ID: id, Interface: id, Protocol: site.TCP, Ports: span.Port(80), Open: &site.Open{Port: site.AnyPort}}}})
	}
	var alike, openable, told int
	var last string
	for _, sn := range Check(site.NewView(s.Whole())) {
		if sn.Code != "wish-unmet" {
			continue
		}
		alike, last = alike+1, sn.Says
		if len(sn.Mends) > 1 {
			openable++
		}
		if strings.HasSuffix(sn.Says, later) {
			told++
		}
	}
	if alike != mostAlike+1 || openable != mostAlike || told != 0 || last != "And at least 300 more like the 1000 above." {
		t.Errorf("%d alike, %d with a way to open it, %d say that it comes later, the last says %q", alike, openable, told, last)
	}
}
