package read

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"vestpin/core/sighting"
)

func forwards(r Result) (out []string) {
	for _, f := range r.Forwards {
		on := ""
		if !f.Enabled {
			on = " off"
		}
		out = append(out, strings.TrimSpace(fmt.Sprintf("%s %s to %s:%s %v %s%s", f.Protocol, f.Outside, f.Address, f.Inside, f.From, f.Name, on)))
	}
	return out
}

// What the real programs print of one set of rules, as text and as JSON; see the README of
// testdata. Neither names a device that was seen.
func TestForwardsOfRealPrograms(t *testing.T) {
	nft := []string{
		"tcp 8020 to 10.48.16.20:80 [] rec web", "tcp 443,8443 to 10.48.16.21:443,8443 [198.51.100.0/24]", "udp 16400-16463 to 10.48.16.31:16400-16463 []", "both 5060 to 10.48.16.32:5062 []",
		"tcp 7000-7009 to 10.48.16.33:8000-8009 []", "tcp 22 to 10.48.16.34:22 [198.51.100.7 198.51.100.9]", "tcp 8021 to 10.48.16.22:80 []", "tcp 8022 to 10.48.16.23:81 []",
		"udp 9001 to 10.48.16.40:80 []", "udp 9002 to 10.48.16.41:8080 []", "tcp 9100 to 10.48.16.50:9101 []",
	}
	for name, want := range map[string][]string{
		"nft-list.txt": nft, "nft-list.json": nft,
		"iptables-save.txt": {"tcp 8020 to 10.48.16.20:80 [] rec web", "udp 5060,16400-16463 to 10.48.16.31:5060,16400-16463 [198.51.100.0/24]", "tcp 7000-7009 to 10.48.16.33:8000-8009 []"},
	} {
		data, err := os.ReadFile(filepath.Join("testdata", name))
		if err != nil {
			t.Fatal(err)
		}
		r, err := Text(name, "", data)
		if got := forwards(r); err != nil || !slices.Equal(got, want) || len(r.Sightings) != 0 || len(r.Unread) != 0 {
			t.Errorf("%s: %v\ngot  %q\nwant %q\nsightings %q, unread %v", name, err, got, want, short(r), r.Unread)
		}
	}
}

// Lists of forwards of pages in any form; what cannot be one is told.
func TestForwardsOfPages(t *testing.T) {
	for _, c := range []struct {
		name, text string
		want       []string
		unread     int
	}{
		{"with headings", "Name\tProtocol\tExternal port\tInternal IP\tInternal port\tEnabled\nweb\tTCP\t8020\t10.48.16.20\t80\tyes\nsip\tUDP\t5060-5061\t10.48.16.31\t5060-5061\tno\n", []string{"tcp 8020 to 10.48.16.20:80 [] web", "udp 5060-5061 to 10.48.16.31:5060-5061 [] sip off"}, 0},
		{"German, first and last port", "Bezeichnung;Protokoll;Port extern;End port extern;an Computer;Port intern\nweb;TCP/UDP;8020;8022;10.48.16.20;80\n", []string{"both 8020-8022 to 10.48.16.20:80-82 [] web"}, 0},
		{"without headings", "web  TCP  8020  10.48.16.20  80\nphones  UDP  16400-16463  10.48.16.31  16400-16463\n", []string{"tcp 8020 to 10.48.16.20:80 [] web", "udp 16400-16463 to 10.48.16.31:16400-16463 [] phones"}, 0},
		{"our own file", "router,name,protocol,outside,address,inside,from\nHall,web,tcp,8020,10.48.16.20,80,198.51.100.0/24\n", []string{"tcp 8020 to 10.48.16.20:80 [198.51.100.0/24] web"}, 0},
		{"JSON", `{"port_forwards":[{"name":"web","proto":"tcp","ext_port":8020,"target":"10.48.16.20","int_port":80}]}`, []string{"tcp 8020 to 10.48.16.20:80 [] web"}, 0},
		{"a port that is none", "Name\tProtocol\tExternal port\tInternal IP\tInternal port\nweb\tTCP\t8020\t10.48.16.20\t80\nold\tTCP\t99999\t10.48.16.21\t80\n", []string{"tcp 8020 to 10.48.16.20:80 [] web"}, 1},
	} {
		r, err := Text("x", "", []byte(c.text))
		if got := forwards(r); err != nil || !slices.Equal(got, c.want) || len(r.Sightings) != 0 || len(r.Unread) != c.unread {
			t.Errorf("%s: %v\ngot  %q\nwant %q\nsightings %q, unread %v, lists %+v", c.name, err, got, c.want, short(r), r.Unread, r.Lists)
		}
	}
}

// Reservations make pins; a lease that was refused, and every other step, makes nothing.
func TestReservationsAndLogs(t *testing.T) {
	for _, c := range []struct {
		name, text, state string
		want              []string
	}{
		{"a title", "DHCP-Reservierungen\nName\tMAC-Adresse\tIP-Adresse\nrec\t00:00:5e:00:53:21\t10.48.16.20\n", sighting.StateReserved, []string{"00:00:5e:00:53:21 10.48.16.20 rec"}},
		{"a heading", "Nome;MAC;IP riservato\nrec;00:00:5e:00:53:21;10.48.16.20\n", sighting.StateReserved, []string{"00:00:5e:00:53:21 10.48.16.20 rec"}},
		{"Kea's log", "2026-11-23 09:42:00.123 INFO  [kea-dhcp4.leases/812] DHCP4_LEASE_ALLOC [hwtype=1 00:00:5e:00:53:21], cid=[01:00:00:5e:00:53:21], tid=0x1: lease 10.48.16.112 has been allocated for 3600 seconds\n", "lease", []string{"00:00:5e:00:53:21 10.48.16.112"}},
		{"Kea's own answer", `{"leases":[{"cltt":1795428000,"hostname":"rec.","hw-address":"00:00:5e:00:53:21","ip-address":"10.48.16.112","state":0,"valid-lft":3600}]}`, "lease", []string{"00:00:5e:00:53:21 10.48.16.112 rec."}},
		{"a refusal", "Jun  3 09:00:01 gw dnsmasq-dhcp[812]: DHCPNAK(br0) 10.48.99.7 00:00:5e:00:53:41 wrong network\nJun  3 09:00:01 gw dnsmasq-dhcp[812]: DHCPREQUEST(br0) 10.48.99.7 00:00:5e:00:53:41\n", "", nil},
		{"a firewall", "Jun  3 09:10:02 gw kernel: [1123.1] blocked IN=ppp0 MAC=00:00:5e:00:53:01:00:00:5e:00:53:fe:08:00 SRC=203.0.113.9 DST=203.0.113.47\n", "", nil},
	} {
		r, err := Text("x", "", []byte(c.text))
		if got := unnumbered(r); err != nil || !slices.Equal(got, c.want) || slices.ContainsFunc(r.Sightings, func(s sighting.Sighting) bool { return s.State != c.state }) {
			t.Errorf("%s: %v, got %q %+v, want %q", c.name, err, got, r.Sightings, c.want)
		}
	}
}

// Further programs of the laptop's system: what they tell of the network, and no devices.
func TestFurtherPrograms(t *testing.T) {
	for _, c := range []struct{ name, text, facts string }{
		{"ip -br addr", "lo               UNKNOWN        127.0.0.1/8 ::1/128 \nenp3s0           UP             10.48.16.126/24 fe80::1/64 \n", "10.48.16.0/24 10.48.16.126 invalid IP [] []"},
		{"netsh, German", "Konfiguration der Schnittstelle \"Ethernet\"\r\n    DHCP aktiviert:                       Ja\r\n    IP-Adresse:                           10.48.16.126\r\n    Subnetzpräfix:                        10.48.16.0/24 (Maske 255.255.255.0)\r\n    Standardgateway:                      10.48.16.1\r\n    Gatewaymetrik:                        0\r\n    Statisch konfigurierte DNS-Server:    192.0.2.53\r\n", gw + "[192.0.2.53] []"},
		{"Get-NetIPConfiguration", "InterfaceAlias       : Ethernet\nIPv4Address          : 10.48.16.126\nIPv4DefaultGateway   : 10.48.16.1\nDNSServer            : 10.48.16.1\n                       192.0.2.53\n", "invalid Prefix invalid IP 10.48.16.1 [10.48.16.1 192.0.2.53] []"},
		{"resolvectl", "Link 2 (enp3s0)\nCurrent DNS Server: 10.48.16.2\n       DNS Servers: 10.48.16.2 192.0.2.53\n", "invalid Prefix invalid IP invalid IP [10.48.16.2 192.0.2.53] []"},
		{"scutil", "resolver #1\n  nameserver[0] : 10.48.16.2\n  nameserver[1] : 192.0.2.53\n", "invalid Prefix invalid IP invalid IP [10.48.16.2 192.0.2.53] []"},
		{"ping", "PING 10.48.16.20 (10.48.16.20) 56(84) bytes of data.\n64 bytes from 10.48.16.20: icmp_seq=1 ttl=64 time=0.40 ms\n64 bytes from 10.48.16.20: icmp_seq=2 ttl=64 time=0.41 ms\n", none},
		{"DNS", "Server:\t\t10.48.16.1\nAddress:\t10.48.16.1#53\n\nName:\trec.shop.example\nAddress: 10.48.16.20\n", none},
		{"arp -n of what did not answer", "10.48.16.5                       (incomplete)                              eth0\n10.48.16.6                       (incomplete)                              eth0\n", none},
	} {
		r, err := Text("x", "", []byte(c.text))
		if got := facts(r); err != nil || got != c.facts || len(r.Sightings) != 0 {
			t.Errorf("%s: got %s %q, %v; want %s", c.name, got, short(r), err, c.facts)
		}
	}
	table := "          Mac Address Table\n-------------------------------------------\nVlan    Mac Address       Type        Ports\n----    -----------       --------    -----\n  10    0000.5e00.5340    DYNAMIC     Gi1/0/5\n  10    0000.5e00.5341    DYNAMIC     Gi1/0/6\n"
	r, err := Text("x", "", []byte(table))
	if err != nil || len(r.Sightings) != 2 || r.Sightings[0].Host != "" || len(r.Sightings[1].Traits) == 0 || r.Sightings[1].Traits[len(r.Sightings[1].Traits)-1].Value != "Gi1/0/6" {
		t.Errorf("a switch: %+v, %v", r.Sightings, err)
	}
}

// A lease keeps its times: when the client was last heard, and until when it is good.
func TestLeasesOfKeaKeepTheirTimes(t *testing.T) {
	r, err := Text("x", "", []byte(`[{"arguments":{"leases":[{"cltt":1795428000,"hostname":"","hw-address":"00:00:5e:00:53:21","ip-address":"10.48.16.112","valid-lft":3600}]}}]`))
	if err != nil || len(r.Sightings) != 1 || r.Sightings[0].At != "2026-11-23T10:00:00Z" || r.Sightings[0].Until != "2026-11-23T11:00:00Z" {
		t.Errorf("%+v, %v", r.Sightings, err)
	}
}

// A rule that takes only some packets, by what a forward cannot say, is told and not taken for
// one that takes all; a set of senders stands there by its name.
func TestRulesThatCannotBeFollowed(t *testing.T) {
	nft := func(rule string) string {
		return "table ip nat {\n\tchain prerouting {\n\t\ttype nat hook prerouting priority dstnat; policy accept;\n\t\t" + rule + "\n\t}\n}\n"
	}
	tables := func(rule string) string {
		return "*nat\n:PREROUTING ACCEPT [0:0]\n-A PREROUTING " + rule + "\nCOMMIT\n"
	}
	for _, c := range []struct {
		text string
		want []string
	}{
		{nft(`iifname { "wan", "wan2" } ip daddr 203.0.113.9 ct state new tcp dport 80 counter packets 3 bytes 180 log prefix "in " dnat to 10.48.16.9`), []string{"tcp 80 to 10.48.16.9:80 []"}},
		{nft(`ip saddr @friends tcp dport 22 dnat to 10.48.16.9`), []string{"tcp 22 to 10.48.16.9:22 [@friends]"}},
		{nft(`tcp sport 4000 tcp dport 22 dnat to 10.48.16.9`), nil},
		{nft(`meta hour "08:00"-"17:00" tcp dport 22 dnat to 10.48.16.9`), nil},
		{nft(`meta mark 0x1 tcp dport 22 dnat to 10.48.16.9`), nil},
		{nft(`limit rate 3/minute tcp dport 22 dnat to 10.48.16.9`), nil},
		{nft(`iifname "wan" dnat to tcp dport map @none`), nil},
		{nft(`ip saddr != 198.51.100.7 tcp dport 22 dnat to 10.48.16.9`), nil},
		{tables(`-i wan -p tcp -m tcp --dport 22 -m comment --comment "shell" -j DNAT --to-destination 10.48.16.9`), []string{"tcp 22 to 10.48.16.9:22 [] shell"}},
		{tables(`-p tcp -m tcp --sport 4000 --dport 22 -j DNAT --to-destination 10.48.16.9`), nil},
		{tables(`-p tcp -m time --timestart 08:00:00 -m tcp --dport 22 -j DNAT --to-destination 10.48.16.9`), nil},
		{tables(`-p tcp -m set --match-set friends src -m tcp --dport 22 -j DNAT --to-destination 10.48.16.9`), nil},
	} {
		r, err := Text("rules", "", []byte(c.text))
		told := 0
		if c.want == nil {
			told = 1
		}
		if got := forwards(r); err != nil || !slices.Equal(got, c.want) || len(r.Unread) != told {
			t.Errorf("%v\n%s\ngot  %q, unread %v\nwant %q, %d unread", err, c.text, got, r.Unread, c.want, told)
		}
	}
}
