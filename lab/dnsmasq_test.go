package lab

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"vestpin/core/site"
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
