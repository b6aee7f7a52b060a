package read

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"vestpin/core/usage"
)

// The connections of a Linux router, as its two tools print them; what is no TCP or UDP of IPv4
// belongs to the list and comes to nothing, and what is no such line is not taken for one.
func TestConnections(t *testing.T) {
	const text = `tcp      6 431999 ESTABLISHED src=198.51.100.7 dst=203.0.113.47 sport=50122 dport=8020 src=10.48.16.20 dst=198.51.100.7 sport=80 dport=50122 [ASSURED] mark=0 use=1
ipv4     2 tcp      6 111 SYN_SENT src=198.51.100.8 dst=203.0.113.47 sport=50123 dport=8021 [UNREPLIED] src=10.48.16.21 dst=198.51.100.8 sport=80 dport=50123 mark=0 zone=0 use=2
udp      17 29 src=10.48.16.30 dst=192.0.2.53 sport=40000 dport=53 [UNREPLIED] src=192.0.2.53 dst=203.0.113.47 sport=53 dport=40000 mark=0 use=1
tcp      6 12 TIME_WAIT src=198.51.100.9 dst=203.0.113.47 sport=50124 dport=8020 packets=9 bytes=820 src=10.48.16.20 dst=198.51.100.9 sport=80 dport=50124 packets=7 bytes=4100 [ASSURED] mark=0 use=1
icmp     1 29 src=10.48.16.30 dst=192.0.2.53 type=8 code=0 id=7 src=192.0.2.53 dst=203.0.113.47 type=0 code=0 id=7 mark=0 use=1
ipv6     10 tcp      6 431999 ESTABLISHED src=2001:db8::1 dst=2001:db8::2 sport=1 dport=2 src=2001:db8::2 dst=2001:db8::1 sport=2 dport=1 [ASSURED] mark=0 zone=0 use=2
conntrack v1.4.7 (conntrack-tools): 6 flow entries have been shown.
tcp 6 1 ESTABLISHED src=198.51.100.7 dst=nowhere sport=1 dport=2 src=10.48.16.20 dst=198.51.100.7 sport=80 dport=1`
	at := netip.MustParseAddrPort
	want := []usage.Connection{
		{Protocol: "tcp", From: at("198.51.100.7:50122"), To: at("203.0.113.47:8020"), Device: at("10.48.16.20:80"), State: usage.Connected},
		{Protocol: "tcp", From: at("198.51.100.8:50123"), To: at("203.0.113.47:8021"), Device: at("10.48.16.21:80"), State: usage.Knocks},
		{Protocol: "udp", From: at("10.48.16.30:40000"), To: at("192.0.2.53:53"), Device: at("192.0.2.53:53"), State: usage.Knocks},
		{Protocol: "tcp", From: at("198.51.100.9:50124"), To: at("203.0.113.47:8020"), Device: at("10.48.16.20:80"), State: usage.Ended},
	}
	for _, as := range []string{"", "connections"} {
		r, err := Text("list", as, []byte(text))
		if err != nil || fmt.Sprint(r.Connections) != fmt.Sprint(want) || !r.Listed || len(r.Sightings) != 0 || r.Missed != 2 {
			t.Errorf("as %q: %v, missed %d %v, %d sightings\ngot  %v\nwant %v", as, err, r.Missed, r.Unread, len(r.Sightings), r.Connections, want)
		}
	}
	line, _, _ := strings.Cut(text, "\n")
	if r, _ := Text("list", "", []byte(strings.Repeat(line+"\n", MostConnections+5))); len(r.Connections) != MostConnections || r.Missed != 5 {
		t.Errorf("of a long list %d, missed %d", len(r.Connections), r.Missed)
	}
}
