package e2e

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"vestpin/core/site"
	"vestpin/read"
)

// A lab is a router and a device in network namespaces of their own, joined by a
// cable, with real programs on both sides.
type lab struct {
	t              *testing.T
	router, device string
	dir            string
}

const (
	labDevice  = "00:00:5e:00:53:10"
	labRouter  = "00:00:5e:00:53:01"
	labReserve = "10.48.16.20"
)

func newLab(t *testing.T) *lab {
	t.Helper()
	missing := ""
	for _, tool := range []string{"ip", "dnsmasq", "udhcpc", "arp", "ping"} {
		if _, err := exec.LookPath(tool); err != nil {
			missing += " " + tool
		}
	}
	if os.Geteuid() != 0 || missing != "" {
		if os.Getenv("VESTPIN_LAB") == "require" {
			t.Fatalf("VESTPIN_LAB=require asks for root and for%s", missing)
		}
		t.Skipf("needs root and%s", missing)
	}
	l := &lab{t: t, router: fmt.Sprintf("vpr%d", os.Getpid()), device: fmt.Sprintf("vpd%d", os.Getpid()), dir: t.TempDir()}
	t.Cleanup(func() {
		exec.Command("ip", "netns", "del", l.router).Run()
		exec.Command("ip", "netns", "del", l.device).Run()
	})
	for _, line := range []string{
		"ip netns add " + l.router, "ip netns add " + l.device,
		fmt.Sprintf("ip link add eth0 netns %s address %s type veth peer name eth0 netns %s address %s", l.router, labRouter, l.device, labDevice),
		fmt.Sprintf("ip -n %s addr add 10.48.16.1/24 dev eth0", l.router), fmt.Sprintf("ip -n %s link set eth0 up", l.router), fmt.Sprintf("ip -n %s link set eth0 up", l.device),
		fmt.Sprintf("ip -n %s link set lo up", l.router),
	} {
		l.must(strings.Fields(line)...)
	}
	return l
}

func (l *lab) must(args ...string) string {
	l.t.Helper()
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	out, err := exec.CommandContext(ctx, args[0], args[1:]...).CombinedOutput()
	if err != nil {
		l.t.Fatalf("%s: %v\n%s", strings.Join(args, " "), err, out)
	}
	return string(out)
}

func (l *lab) in(ns string, args ...string) string {
	l.t.Helper()
	return l.must(append([]string{"ip", "netns", "exec", ns}, args...)...)
}

// dnsmasq runs the real DHCP server with a configuration of ours.
func (l *lab) dnsmasq(conf string) {
	l.t.Helper()
	file := filepath.Join(l.dir, "vestpin.conf")
	if err := os.WriteFile(file, []byte(conf), 0o644); err != nil {
		l.t.Fatal(err)
	}
	l.in(l.router, "dnsmasq", "--test", "--conf-file="+file)
	cmd := exec.Command("ip", "netns", "exec", l.router, "dnsmasq", "--keep-in-foreground", "--conf-file="+file, "--port=0", "--interface=eth0",
		"--user=root", "--dhcp-leasefile="+filepath.Join(l.dir, "dnsmasq.leases"), "--pid-file=", "--log-facility=-")
	var log bytes.Buffer
	cmd.Stderr = &log
	if err := cmd.Start(); err != nil {
		l.t.Fatal(err)
	}
	l.t.Cleanup(func() { cmd.Process.Kill(); cmd.Wait() })
}

// lease asks for an address as a device does, and gives what it got.
func (l *lab) lease() string {
	l.t.Helper()
	script := filepath.Join(l.dir, "take")
	text := "#!/bin/sh\n[ \"$1\" = bound ] || exit 0\nip addr add $ip/$mask dev $interface\nip route add default via $router\necho $ip $router $dns > " + filepath.Join(l.dir, "got") + "\n"
	if err := os.WriteFile(script, []byte(text), 0o755); err != nil {
		l.t.Fatal(err)
	}
	l.in(l.device, "udhcpc", "-i", "eth0", "-f", "-q", "-n", "-t", "8", "-T", "1", "-F", "lab-device", "-s", script)
	got, err := os.ReadFile(filepath.Join(l.dir, "got"))
	if err != nil {
		l.t.Fatal(err)
	}
	return strings.TrimSpace(string(got))
}

// TestDnsmasqTakesWhatWeWrite holds a written configuration, with a hostile name
// in it, against the real program: a device gets the address it is pinned at.
func TestDnsmasqTakesWhatWeWrite(t *testing.T) {
	l := newLab(t)
	file := filepath.Join(l.dir, "site.json")
	name := "kiln\ndhcp-range=10.48.16.240,10.48.16.250 # \"x\""
	text := fmt.Sprintf(`{"format":"vestpin-site/1","name":"a\nport=1","networks":[{"id":"main","name":"LAN\nserver=192.0.2.1","subnet":"10.48.16.0/24","gateway":"10.48.16.1","dns":["10.48.16.1"],
		"ranges":[{"from":"10.48.16.100","to":"10.48.16.179"}]}],"devices":[{"id":"k","name":%s,"interfaces":[{"id":"k.0","network":"main","mac":"%s","pin":{"address":"%s"}}]}]}`,
		quote(name), labDevice, labReserve)
	if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	conf := l.must(binary, "write", "--as", "dnsmasq", file)
	if strings.Count(conf, "dhcp-range=") != 1 || strings.Contains(conf, "\nserver=") || strings.Contains(conf, "\nport=") {
		t.Fatalf("a name became a directive:\n%s", conf)
	}
	l.dnsmasq(conf)
	if got, want := l.lease(), labReserve+" 10.48.16.1 10.48.16.1"; got != want {
		t.Errorf("the device got %q, want %q", got, want)
	}
	l.readBack()
}

// readBack holds the readers against what the real programs print of the lab.
// With VESTPIN_RECORD set to a folder the texts are kept there as samples.
func (l *lab) readBack() {
	t := l.t
	l.in(l.router, "ping", "-c", "1", "-W", "2", labReserve)
	leases, err := os.ReadFile(filepath.Join(l.dir, "dnsmasq.leases"))
	if err != nil {
		t.Fatal(err)
	}
	texts := map[string]string{
		"ip-neigh.txt": l.in(l.router, "ip", "neigh"), "arp-a.txt": l.in(l.router, "arp", "-a"), "arp-n.txt": l.in(l.router, "arp", "-n"),
		"proc-net-arp.txt": l.in(l.router, "cat", "/proc/net/arp"), "dnsmasq.leases": string(leases),
		"ip-addr.txt": l.in(l.device, "ip", "addr") + l.in(l.device, "ip", "route"),
	}
	for name, text := range texts {
		r, err := read.Text(name, "", []byte(text))
		if err != nil {
			t.Fatal(err)
		}
		if name == "ip-addr.txt" {
			if r.Facts.Subnet.String() != "10.48.16.0/24" || r.Facts.Own.String() != labReserve || r.Facts.Gateway.String() != "10.48.16.1" {
				t.Errorf("%s: facts %+v of\n%s", name, r.Facts, text)
			}
		} else if len(r.Sightings) != 1 || r.Sightings[0].MAC != site.MAC(labDevice) || r.Sightings[0].Address.String() != labReserve {
			t.Errorf("%s: sightings %+v of\n%s", name, r.Sightings, text)
		}
		if dir := os.Getenv("VESTPIN_RECORD"); dir != "" {
			if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		}
	}
}
