package wire

import (
	"fmt"
	"net/netip"
	"testing"

	"vestpin/core/site"
	"vestpin/frame"
)

// However many MAC addresses answer for an address, and however often, each is told
// once and no more than are needed to know that something is wrong.
func TestClaimsOfAnAddressAreBounded(t *testing.T) {
	var s survey
	told := 0
	for range 3 {
		for i := range 5000 {
			a := frame.ARP{Sender: site.MAC(fmt.Sprintf("02:00:00:00:%02x:%02x", i/256, i%256)), SenderAddr: netip.MustParseAddr("10.48.16.66")}
			if s.another(a) {
				told++
			}
		}
	}
	if told != mostClaims || len(s.claims) != 1 {
		t.Errorf("%d were told, of %d addresses", told, len(s.claims))
	}
}
