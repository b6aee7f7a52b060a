package wire

import (
	"net/netip"
	"testing"
)

func TestLeasesOfThisMachine(t *testing.T) {
	own := netip.MustParseAddr("10.48.16.127")
	for what, c := range map[string]struct {
		text, server string
		seconds      int
	}{
		"networkd":       {"# private\nADDRESS=10.48.16.127\nNETMASK=255.255.255.0\nROUTER=10.48.16.1\nSERVER_ADDRESS=10.48.16.1\nLIFETIME=86400\n", "10.48.16.1", 86400},
		"the last one":   {"lease {\n  fixed-address 10.48.16.127;\n  option dhcp-lease-time 600;\n  option dhcp-server-identifier 10.48.16.9;\n}\nlease {\n  fixed-address 10.48.16.127;\n  option dhcp-lease-time 3600;\n  option dhcp-server-identifier 10.48.16.1;\n}\n", "10.48.16.1", 3600},
		"of another one": {"lease {\n  fixed-address 10.48.16.127;\n  option dhcp-server-identifier 10.48.16.1;\n}\nlease {\n  fixed-address 10.77.0.4;\n  option dhcp-server-identifier 10.77.0.1;\n}\n", "10.48.16.1", 0},
		"nothing":        {"", "", 0},
		"hostile":        {"lease {\n fixed-address 10.48.16.127;\n option dhcp-server-identifier 10.48.16.1.1;\n}\x00\xff=\n", "", 0},
	} {
		server, seconds := parseLease(c.text, own)
		got := ""
		if server.IsValid() {
			got = server.String()
		}
		if got != c.server || seconds != c.seconds {
			t.Errorf("%s: %s for %d s, want %s for %d s", what, got, seconds, c.server, c.seconds)
		}
	}
}
