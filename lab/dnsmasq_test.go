package lab

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/read"
)

const reserved = "10.48.16.20"

// TestDnsmasqTakesWhatWeWrite holds a written configuration, with a hostile name
// in it, against the real program: a device gets the address it is pinned at.
func TestDnsmasqTakesWhatWeWrite(t *testing.T) {
	needs(t, "dnsmasq", "udhcpc", "arp", "ping")
	l := newLAN(t, 2, false)
	router, device := l.devices[0], l.devices[1]
	l.must(router, "ip", "addr", "add", "10.48.16.1/24", "dev", "eth0")
	name, err := json.Marshal("kiln\ndhcp-range=10.48.16.240,10.48.16.250 # \"x\"")
	if err != nil {
		t.Fatal(err)
	}
	file := l.file("site.json", fmt.Sprintf(`{"format":"vestpin-site/1","name":"a\nport=1","networks":[{"id":"main","name":"LAN\nserver=192.0.2.1","subnet":"10.48.16.0/24","gateway":"10.48.16.1","dns":["10.48.16.1"],
		"ranges":[{"from":"10.48.16.100","to":"10.48.16.179"}]}],"devices":[{"id":"k","name":%s,"interfaces":[{"id":"k.0","network":"main","mac":"%s","pin":{"address":"%s"}}]}]}`, name, deviceMAC(1), reserved))
	out, err := exec.Command(binary, "write", "--as", "dnsmasq", file).Output()
	conf := string(out)
	if err != nil || strings.Count(conf, "dhcp-range=") != 1 || strings.Contains(conf, "\nserver=") || strings.Contains(conf, "\nport=") {
		t.Fatalf("a name became a directive, or %v:\n%s", err, conf)
	}
	written := l.file("vestpin.conf", conf)
	l.must(router, "dnsmasq", "--test", "--conf-file="+written)
	l.serve(router, "dnsmasq", "--keep-in-foreground", "--conf-file="+written, "--port=0", "--interface=eth0",
		"--user=root", "--dhcp-leasefile="+filepath.Join(l.dir, "dnsmasq.leases"), "--pid-file=", "--log-facility=-")
	l.lease(device, "lab-device")
	if got := l.must(device, "ip", "-br", "addr", "show", "eth0"); !strings.Contains(got, reserved+"/24") {
		t.Errorf("the device got %q, want %s", got, reserved)
	}
	l.must(device, "ip", "route", "add", "default", "via", "10.48.16.1")
	l.readBack(router, device)
}

// readBack holds the readers against what the real programs print of the lab.
// With VESTPIN_RECORD set to a folder the texts are kept there as samples.
func (l *lan) readBack(router, device string) {
	t := l.t
	l.must(router, "ping", "-c", "1", "-W", "2", reserved)
	leases, err := os.ReadFile(filepath.Join(l.dir, "dnsmasq.leases"))
	if err != nil {
		t.Fatal(err)
	}
	texts := map[string]string{
		"ip-neigh.txt": l.must(router, "ip", "neigh"), "arp-a.txt": l.must(router, "arp", "-a"), "arp-n.txt": l.must(router, "arp", "-n"),
		"proc-net-arp.txt": l.must(router, "cat", "/proc/net/arp"), "dnsmasq.leases": string(leases),
		"ip-addr.txt": l.must(device, "ip", "addr") + l.must(device, "ip", "route"),
	}
	for name, text := range texts {
		r, err := read.Text(name, "", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		if name == "ip-addr.txt" {
			if r.Facts.Subnet.String() != "10.48.16.0/24" || r.Facts.Own.String() != reserved || r.Facts.Gateway.String() != "10.48.16.1" {
				t.Errorf("%s: facts %+v of\n%s", name, r.Facts, text)
			}
		} else if len(r.Sightings) != 1 || r.Sightings[0].MAC != site.MAC(deviceMAC(1)) || r.Sightings[0].Address.String() != reserved {
			t.Errorf("%s: sightings %+v of\n%s", name, r.Sightings, text)
		}
		if dir := os.Getenv("VESTPIN_RECORD"); dir != "" {
			if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
	}
}

// hostileNames try to be directives, each other, or words that mean something.
var hostileNames = []string{
	"lan 1", "lan-1", "LAN 1", "倉庫", "事務所", "known", "eth0", "set:x", "#", "!net2", "localhost", "wpad", "ignore", "infinite", "5m", "00:00:5e:00:53:01",
	strings.Repeat("a", 62) + " one", strings.Repeat("a", 62) + " two", "kiln\ndhcp-script=/bin/sh", "a,b", "\"x", "tag:net1", "*", "-", "id:*", "option:router,192.0.2.1", "é\u202e", "192.0.2.9",
}

// The real program takes what is written for any names of networks, devices and
// interfaces.
func TestDnsmasqTakesHostileNames(t *testing.T) {
	needs(t, "dnsmasq")
	r := rand.New(rand.NewPCG(71, 72))
	pick := func() string { return hostileNames[r.IntN(len(hostileNames))] }
	dir := t.TempDir()
	for round := range 60 {
		s := site.Site{Name: pick()}
		for i := range 2 + r.IntN(4) {
			id := strings.ReplaceAll(fmt.Sprint(pick(), " ", i), "\n", " ")
			s.Networks = append(s.Networks, site.Network{
				ID: id, Name: pick(), Subnet: netip.PrefixFrom(netip.AddrFrom4([4]byte{10, 48, byte(i), 0}), 24), Gateway: netip.AddrFrom4([4]byte{10, 48, byte(i), 1}),
				DNS: []netip.Addr{netip.AddrFrom4([4]byte{10, 48, byte(i), 2})}, Ranges: []site.Range{{From: netip.AddrFrom4([4]byte{10, 48, byte(i), 100}), To: netip.AddrFrom4([4]byte{10, 48, byte(i), 120})}},
			})
			for k := range 6 {
				d := fmt.Sprintf("d%d.%d", i, k)
				s.Devices = append(s.Devices, site.Device{ID: d, Name: pick(), Interfaces: []site.Interface{{
					ID: d, Network: id, Wants: "auto", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:53:%02x", i*16+k)), Pin: &site.Pin{Address: netip.AddrFrom4([4]byte{10, 48, byte(i), byte(10 + k)}), By: "reservation"},
				}}})
			}
		}
		file := filepath.Join(dir, "site.json")
		if err := os.WriteFile(file, sitefile.Write(s), 0o600); err != nil {
			t.Fatal(err)
		}
		conf, err := exec.Command(binary, "write", "--as", "dnsmasq", file).Output()
		if err != nil {
			t.Fatal(err)
		}
		written := filepath.Join(dir, "vestpin.conf")
		if err := os.WriteFile(written, conf, 0o600); err != nil {
			t.Fatal(err)
		}
		if said, err := exec.Command("dnsmasq", "--test", "--conf-file="+written).CombinedOutput(); err != nil {
			t.Fatalf("round %d: %v: %s\n%s", round, err, said, conf)
		}
	}
}

// Two networks whose names are alike to a machine: a client of each gets exactly its
// own address, router and DNS server.
func TestClientsOfNetworksWithNamesAlike(t *testing.T) {
	needs(t, "dnsmasq", "udhcpc")
	l := newLAN(t, 3, false)
	router := l.devices[0]
	l.must(router, "ip", "addr", "add", "10.48.16.1/24", "dev", "eth0")
	l.must(router, "ip", "link", "add", "other", "type", "veth", "peer", "name", "eth1", "netns", l.devices[2])
	l.must(router, "ip", "addr", "add", "10.48.17.1/24", "dev", "other")
	l.must(router, "ip", "link", "set", "other", "up")
	l.must(l.devices[2], "ip", "link", "set", "eth1", "address", "00:00:5e:00:53:70", "up")
	network := func(id string, n int) string {
		return fmt.Sprintf(`{"id":%q,"name":%q,"subnet":"10.48.%d.0/24","gateway":"10.48.%d.1","dns":["10.48.%d.53"],"ranges":[{"from":"10.48.%d.100","to":"10.48.%d.120"}]}`, id, id, n, n, n, n, n)
	}
	device := func(id, network, mac, address string) string {
		return fmt.Sprintf(`{"id":%q,"name":"localhost","interfaces":[{"id":%q,"network":%q,"mac":%q,"pin":{"address":%q}}]}`, id, id, network, mac, address)
	}
	file := l.file("site.json", `{"format":"vestpin-site/1","name":"x","networks":[`+network("lan 1", 16)+","+network("lan-1", 17)+`],"devices":[`+
		device("a", "lan 1", deviceMAC(1), "10.48.16.20")+","+device("b", "lan-1", "00:00:5e:00:53:70", "10.48.17.20")+`]}`)
	conf, err := exec.Command(binary, "write", "--as", "dnsmasq", file).Output()
	if err != nil {
		t.Fatal(err)
	}
	l.serve(router, "dnsmasq", "--keep-in-foreground", "--conf-file="+l.file("vestpin.conf", string(conf)), "--port=0", "--interface=eth0", "--interface=other",
		"--user=root", "--dhcp-leasefile="+filepath.Join(l.dir, "dnsmasq.leases"), "--pid-file=", "--log-facility=-")
	told := l.file("told", "")
	script := l.file("ask", "#!/bin/sh\n[ \"$1\" = bound ] && echo \"$interface $ip $router $dns\" >> "+told+"\nexit 0\n")
	if err := os.Chmod(script, 0o755); err != nil {
		t.Fatal(err)
	}
	l.must(l.devices[1], "udhcpc", "-i", "eth0", "-f", "-q", "-n", "-t", "8", "-T", "1", "-s", script)
	l.must(l.devices[2], "udhcpc", "-i", "eth1", "-f", "-q", "-n", "-t", "8", "-T", "1", "-s", script)
	got, err := os.ReadFile(told)
	if want := "eth0 10.48.16.20 10.48.16.1 10.48.16.53\neth1 10.48.17.20 10.48.17.1 10.48.17.53\n"; err != nil || string(got) != want {
		t.Errorf("%v: the clients got\n%s\nwant\n%s\nfrom\n%s", err, got, want, conf)
	}
}
