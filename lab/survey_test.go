package lab

import (
	"encoding/json"
	"fmt"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/read"
	"vestpin/wire"
)

type surveyed struct {
	Sightings []sighting.Sighting
	Facts     sighting.Facts
	Servers   []wire.Server
	Notes     []string
}

func (l *lan) survey(args ...string) surveyed {
	l.t.Helper()
	var s surveyed
	out := l.must(l.laptop, append([]string{binary, "survey"}, args...)...)
	if err := json.Unmarshal([]byte(out), &s); err != nil {
		l.t.Fatal(err)
	}
	return s
}

// answered are the devices that answered the sweep, each with its own address.
func (s surveyed) answered(t *testing.T, devices int) int {
	t.Helper()
	n := 0
	for i := range devices {
		if slices.ContainsFunc(s.Sightings, func(x sighting.Sighting) bool {
			return string(x.MAC) == deviceMAC(i) && x.Address.String() == fmt.Sprintf("10.48.16.%d", i+11)
		}) {
			n++
		}
	}
	return n
}

// All of 40 devices are found in under three seconds, each time of 20, also where
// one packet in twenty is lost each way; and without the right to send frames.
func TestSweepOfForty(t *testing.T) {
	needs(t, "nft", "setpriv")
	const devices = 40
	l := newLAN(t, devices, true)
	slowest := time.Duration(0)
	sweep := func(name string, runs int, most time.Duration, args ...string) {
		for run := range runs {
			begin := time.Now()
			var s surveyed
			out := l.must(l.laptop, append(args, binary, "survey", "--sweep-only")...)
			spent := time.Since(begin)
			if err := json.Unmarshal([]byte(out), &s); err != nil {
				t.Fatal(err)
			}
			if got := s.answered(t, devices); got != devices || spent > most {
				t.Errorf("%s, run %d: %d of %d in %v", name, run, got, devices, spent)
			}
			slowest = max(slowest, spent)
		}
	}
	sweep("all is well", 3, 3*time.Second)
	if out := l.must(l.laptop, "setpriv", "--reuid", "65534", "--clear-groups", "--inh-caps=-all", "--bounding-set=-all", binary, "survey", "--sweep-only"); strings.Count(out, `"answered ARP"`) != devices {
		t.Errorf("without the right to send frames: %d of %d", strings.Count(out, `"answered ARP"`), devices)
	}
	l.lose(5)
	sweep("5 % lost each way", 20, 3*time.Second)
	if lost := l.must(l.laptop, "nft", "list", "ruleset"); !strings.Contains(lost, "counter packets") || !regexp.MustCompile(`counter packets [1-9]`).MatchString(lost) {
		t.Error("nothing was lost on the way")
	}
	t.Logf("the slowest of 23 sweeps took %v", slowest)
	for address, want := range map[string]string{"10.48.16.12": `"free": false`, "10.48.16.200": `"free": true`} {
		if out, _ := l.in(l.laptop, binary, "survey", "--free", address); !strings.Contains(out, want) {
			t.Errorf("%s: %s", address, out)
		}
	}
	if _, err := l.in(l.laptop, binary, "survey", "--subnet", "192.0.2.0/24"); err == nil || !strings.Contains(err.Error(), "none of this site's subnets") {
		t.Errorf("another network was swept: %v", err)
	}
}

// lose drops so many packets of a hundred at random, on the way to each device
// and on the way from it.
func (l *lan) lose(percent int) {
	l.t.Helper()
	chain := func(device string) string {
		return fmt.Sprintf("table netdev loss { chain %s { type filter hook ingress device %s priority 0; numgen random mod 100 < %d counter drop\n}\n}\n", device, device, percent)
	}
	var all strings.Builder
	for i, d := range l.devices {
		all.WriteString(chain(fmt.Sprintf("p%d", i)))
		l.must(d, "nft", "-f", l.file("loss-"+d, chain("eth0")))
	}
	l.must(l.laptop, "nft", "-f", l.file("loss", all.String()))
}

// serverVariable makes the test binary a server of pages, in a device's namespace.
const serverVariable = "VESTPIN_LAB_SERVER"

func TestMain(m *testing.M) {
	if text := os.Getenv(standInVariable); text != "" {
		runStandIn(text)
	}
	if text := os.Getenv(deviceVariable); text != "" {
		runDevice(text)
	}
	if probes := os.Getenv(probesVariable); probes != "" {
		sendProbes(probes)
	}
	if address := os.Getenv(serverVariable); address != "" {
		serveWeb(address)
	}
	os.Exit(m.Run())
}

// serveWeb serves a page on port 80, and by TLS with a certificate of nobody's on
// port 443.
func serveWeb(address string) {
	page := http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Server", "lab/1")
		fmt.Fprint(w, "<html><head><title>Kiln &amp; shop</title></head></html>")
	})
	secure := httptest.NewUnstartedServer(page)
	var err error
	if secure.Listener, err = net.Listen("tcp", address+":443"); err != nil {
		panic(err)
	}
	secure.StartTLS()
	panic(http.ListenAndServe(address+":80", page))
}

const avahiConf = "[server]\nhost-name=kiln-printer\nuse-ipv4=yes\nuse-ipv6=no\nenable-dbus=no\nallow-interfaces=eth0\n[publish]\npublish-workstation=no\n[rlimits]\n"

const avahiService = `<?xml version="1.0"?><!DOCTYPE service-group SYSTEM "avahi-service.dtd"><service-group><name>Label printer</name><service><type>_ipp._tcp</type><port>631</port><txt-record>ty=Merrowby L2</txt-record></service></service-group>`

// What real servers say is heard: two DHCP servers on one LAN, names from DNS
// and multicast DNS, pages, a certificate, a shell; and what tcpdump wrote of it
// is read back.
func TestSurveyOfRealPrograms(t *testing.T) {
	needs(t, "dnsmasq", "dhcpd", "avahi-daemon", "tcpdump", "udhcpc", "dropbear")
	l := newLAN(t, 4, false)
	router, rogue, web, client := l.devices[0], l.devices[1], l.devices[2], l.devices[3]
	l.must(router, "ip", "addr", "add", "10.48.16.1/24", "dev", "eth0")
	l.must(rogue, "ip", "addr", "add", "10.48.16.2/24", "dev", "eth0")
	l.must(web, "ip", "addr", "add", "10.48.16.30/24", "brd", "+", "dev", "eth0")
	l.must(l.laptop, "ip", "route", "add", "default", "via", "10.48.16.1")

	pcap := filepath.Join(l.dir, "lan.pcap")
	dump := l.serve(l.laptop, "tcpdump", "-Z", "root", "-i", "br0", "-U", "-w", pcap)
	l.serve(router, "dnsmasq", "--keep-in-foreground", "--conf-file=/dev/null", "--interface=eth0", "--no-resolv", "--no-hosts", "--user=root", "--pid-file=", "--log-facility=-",
		"--dhcp-range=10.48.16.100,10.48.16.179,2h", "--dhcp-authoritative", "--dhcp-leasefile="+filepath.Join(l.dir, "leases"), "--domain=lan")
	conf := l.file("dhcpd.conf", "default-lease-time 7200;\nsubnet 10.48.16.0 netmask 255.255.255.0 { range 10.48.16.180 10.48.16.190; option routers 10.48.16.2; }\n")
	l.serve(web, "avahi-daemon", "--no-drop-root", "--no-rlimits", "--no-chroot", "-f", l.avahi())
	l.serve(web, "env", serverVariable+"=10.48.16.30", os.Args[0])
	l.serve(web, "dropbear", "-F", "-E", "-R", "-p", "10.48.16.30:22", "-r", l.hostKey())
	time.Sleep(1500 * time.Millisecond)
	l.lease(client, "kiln-3")
	leases := l.file("dhcpd.leases", "")
	l.serve(rogue, "dhcpd", "-4", "-q", "-f", "--no-pid", "-cf", conf, "-lf", leases, "eth0")
	time.Sleep(1500 * time.Millisecond)

	s := l.survey()
	var servers []string
	for _, v := range s.Servers {
		servers = append(servers, v.Address.String()+" via "+v.Gateway.String())
	}
	slices.Sort(servers)
	if want := "10.48.16.1 via 10.48.16.1, 10.48.16.2 via 10.48.16.2"; strings.Join(servers, ", ") != want {
		t.Errorf("DHCP servers %q, want %q", servers, want)
	}
	says := func(mac, host string, want site.Trait) {
		t.Helper()
		if !slices.ContainsFunc(s.Sightings, func(x sighting.Sighting) bool {
			return string(x.MAC) == mac && (host == "" || sighting.Title(x.Host) == host) && (want.Name == "" || slices.Contains(x.Traits, want))
		}) {
			t.Errorf("nobody said %s %s %+v", mac, host, want)
		}
	}
	says(deviceMAC(2), "kiln-printer", site.Trait{})
	says(deviceMAC(2), "", site.Trait{Name: site.TraitService, Value: "_ipp._tcp"})
	says(deviceMAC(2), "", site.Trait{Name: site.TraitModel, Value: "Merrowby L2"})
	says(deviceMAC(2), "", site.Trait{Name: site.TraitTitle, Value: "Kiln & shop"})
	says(deviceMAC(2), "", site.Trait{Name: site.TraitServer, Value: "lab/1"})
	says(deviceMAC(2), "", site.Trait{Name: site.TraitPort, Value: "443/tcp"})
	says(deviceMAC(2), "", site.Trait{Name: site.TraitPort, Value: "22/tcp"})
	says(deviceMAC(3), "kiln-3", site.Trait{})
	ssh := slices.ContainsFunc(s.Sightings, func(x sighting.Sighting) bool {
		return slices.ContainsFunc(x.Traits, func(t site.Trait) bool { return t.Name == site.TraitBanner && strings.HasPrefix(t.Value, "SSH-2.0-") })
	})
	if !ssh {
		t.Error("the shell was not heard")
	}

	exec.Command("kill", "-INT", fmt.Sprint(dump.Process.Pid)).Run()
	time.Sleep(500 * time.Millisecond)
	f, err := os.Open(pcap)
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	r, err := read.File("lan.pcap", "", f)
	if err != nil || len(r.Unread) > 0 {
		t.Fatalf("%v, %+v", err, r.Unread)
	}
	heard := map[string]bool{}
	for _, x := range r.Sightings {
		heard[string(x.MAC)+" "+sighting.Title(x.Host)+" "+x.State] = true
	}
	for _, want := range []string{deviceMAC(0) + "  arp", deviceMAC(2) + " kiln-printer mdns", deviceMAC(3) + " kiln-3 requested"} {
		if !heard[want] {
			t.Errorf("the capture does not tell %q: %v", want, heard)
		}
	}
	if len(r.Facts.DHCP) != 2 {
		t.Errorf("the capture tells of the DHCP servers %v", r.Facts.DHCP)
	}
}

// avahi writes a configuration for the responder, and a service where it looks
// for them.
func (l *lan) avahi() string {
	l.t.Helper()
	const place = "/etc/avahi/services/vestpin-lab.service"
	if err := os.WriteFile(place, []byte(avahiService), 0o644); err != nil {
		l.t.Fatal(err)
	}
	l.t.Cleanup(func() { os.Remove(place) })
	return l.file("avahi.conf", avahiConf)
}

func (l *lan) hostKey() string {
	l.t.Helper()
	key := filepath.Join(l.dir, "key")
	if out, err := exec.Command("dropbearkey", "-t", "ed25519", "-f", key).CombinedOutput(); err != nil {
		l.t.Fatalf("%v %s", err, out)
	}
	return key
}

// lease has a real client ask for an address by a name.
func (l *lan) lease(ns, name string) {
	l.t.Helper()
	script := filepath.Join(l.dir, "take")
	if err := os.WriteFile(script, []byte("#!/bin/sh\n[ \"$1\" = bound ] && ip addr add $ip/$mask dev $interface\nexit 0\n"), 0o755); err != nil {
		l.t.Fatal(err)
	}
	l.must(ns, "udhcpc", "-i", "eth0", "-f", "-q", "-n", "-t", "8", "-T", "1", "-x", "hostname:"+name, "-s", script)
}

// A link that goes down in the middle of a sweep: what was found is kept, and
// told.
func TestLinkGoesDownMidSweep(t *testing.T) {
	needs(t)
	l := newLAN(t, 6, true)
	go func() {
		time.Sleep(700 * time.Millisecond)
		exec.Command("ip", "-n", l.laptop, "link", "set", "br0", "down").Run()
	}()
	s := l.survey("--sweep-only")
	if len(s.Sightings) == 0 || len(s.Notes) != 1 || !strings.Contains(s.Notes[0], "went down") {
		t.Errorf("%d found, notes %q", len(s.Sightings), s.Notes)
	}
}
