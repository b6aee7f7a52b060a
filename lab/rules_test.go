package lab

import (
	"fmt"
	"math/rand/v2"
	"net"
	"net/netip"
	"os"
	"os/exec"
	"strings"
	"sync"
	"testing"
	"time"

	"vestpin/core/past"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// probesVariable makes the test binary a sender of packets, in the namespace of the outside.
const probesVariable = "VESTPIN_LAB_PROBES"

// probe is one packet from outside. Its source port tells it from all others.
type probe struct {
	proto  site.Protocol
	sender netip.Addr
	source int
	to     netip.AddrPort
}

func (p probe) String() string {
	return fmt.Sprintf("%s %s %s", p.proto, netip.AddrPortFrom(p.sender, uint16(p.source)), p.to)
}

// sendProbes sends one packet for each line.
func sendProbes(lines string) {
	var all sync.WaitGroup
	for _, l := range strings.Split(lines, "\n") {
		var proto, from, to string
		fmt.Sscan(l, &proto, &from, &to)
		all.Go(func() {
			d := net.Dialer{Timeout: 100 * time.Millisecond}
			if proto == "udp" {
				d.LocalAddr = net.UDPAddrFromAddrPort(netip.MustParseAddrPort(from))
			} else {
				d.LocalAddr = net.TCPAddrFromAddrPort(netip.MustParseAddrPort(from))
			}
			c, err := d.Dial(proto, to)
			if err != nil {
				return // nobody answers; that it was sent is all
			}
			c.Write([]byte("?"))
			c.Close()
		})
	}
	all.Wait()
	os.Exit(0)
}

// filter is a router with an outside and an inside, each a namespace.
type filter struct {
	*lan
	outside, router, inside string
}

var probeSenders = []string{"198.51.100.1", "198.51.100.2", "198.51.100.9", "203.0.113.5"}

func newFilter(t *testing.T) *filter {
	name := func(n string) string { return fmt.Sprintf("vpf%d%s", os.Getpid(), n) }
	f := &filter{&lan{t: t, dir: t.TempDir()}, name("o"), name("r"), name("i")}
	t.Cleanup(func() {
		for _, ns := range []string{f.outside, f.router, f.inside} {
			exec.Command("ip", "netns", "del", ns).Run()
		}
	})
	f.batch("", fmt.Sprintf("netns add %s\nnetns add %s\nnetns add %s\n", f.outside, f.router, f.inside))
	f.batch(f.router, fmt.Sprintf("link add wan type veth peer name eth0 netns %s\nlink add lan type veth peer name eth0 netns %s\n"+
		"link set wan up\nlink set lan up\nlink set lo up\naddr add 203.0.113.9/24 dev wan\naddr add 10.48.0.1/28 dev lan\n", f.outside, f.inside))
	out := "link set eth0 up\nlink set lo up\naddr add 203.0.113.1/24 dev eth0\nroute add 10.0.0.0/8 via 203.0.113.9\n"
	back := ""
	for _, s := range probeSenders {
		out += "addr add " + s + "/32 dev lo\n"
		back += "route add " + s + "/32 via 203.0.113.1\n"
	}
	f.batch(f.outside, out)
	in := "link set eth0 up\nlink set lo up\n"
	for i := 2; i < 15; i++ {
		in += fmt.Sprintf("addr add 10.48.0.%d/28 dev eth0\n", i)
	}
	f.batch(f.inside, in+"route add default via 10.48.0.1\n")
	f.batch(f.router, back+"route add 10.0.0.0/8 via 10.48.0.2\n")
	f.must(f.router, "sh", "-c", "echo 1 > /proc/sys/net/ipv4/ip_forward")
	return f
}

// arrivals sends probes and gives where each arrived inside, by its source port.
func (f *filter) arrivals(probes []probe) map[int]string {
	f.t.Helper()
	dump := exec.Command("ip", "netns", "exec", f.inside, "tcpdump", "-i", "eth0", "-n", "-l", "-t", "-Q", "in", "udp or tcp[tcpflags] & (tcp-syn|tcp-ack) == tcp-syn")
	var heard syncBuffer
	var errs syncBuffer
	dump.Stdout, dump.Stderr = &heard, &errs
	if err := dump.Start(); err != nil {
		f.t.Fatal(err)
	}
	for end := time.Now().Add(10 * time.Second); !strings.Contains(errs.String(), "listening") && time.Now().Before(end); {
		time.Sleep(10 * time.Millisecond)
	}
	var lines []string
	for _, p := range probes {
		lines = append(lines, p.String())
	}
	self, err := os.Executable()
	if err != nil {
		f.t.Fatal(err)
	}
	f.must(f.outside, "env", probesVariable+"="+strings.Join(lines, "\n"), self)
	time.Sleep(150 * time.Millisecond)
	dump.Process.Signal(os.Interrupt)
	dump.Wait()
	got := map[int]string{}
	for _, l := range strings.Split(heard.String(), "\n") {
		// IP 198.51.100.1.20000 > 10.48.0.4.80: Flags [S], … or: UDP, length 1
		var from, to string
		if _, err := fmt.Sscanf(l, "IP %s > %s", &from, &to); err != nil {
			continue
		}
		proto := "tcp"
		if strings.Contains(l, "UDP") || !strings.Contains(l, "Flags") {
			proto = "udp"
		}
		to = strings.TrimSuffix(to, ":")
		host, port := to[:strings.LastIndex(to, ".")], to[strings.LastIndex(to, ".")+1:]
		source := 0
		fmt.Sscan(from[strings.LastIndex(from, ".")+1:], &source)
		got[source] = fmt.Sprintf("%s %s:%s", proto, host, port)
	}
	return got
}

// syncBuffer is written by a program and read meanwhile.
type syncBuffer struct {
	mu  sync.Mutex
	all strings.Builder
}

func (b *syncBuffer) Write(p []byte) (int, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.all.Write(p)
}

func (b *syncBuffer) String() string {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.all.String()
}

// Real packets through the real filter, with the rules that we write loaded, arrive where
// walk says and nowhere else; nothing that is not sent on comes in.
func TestRealFilterDoesAsPlanned(t *testing.T) {
	needs(t, "nft", "iptables-restore", "tcpdump", "sh", "env")
	f := newFilter(t)
	r := rand.New(rand.NewPCG(81, 82))
	source, sent, arrived := 10_000, 0, 0
	for round := range 14 {
		s := past.Chain(r, 4)
		for len(s.Routers) != 1 || len(s.Forwards) == 0 {
			s = past.Chain(r, 4)
		}
		file := f.file("site.json", string(sitefile.Write(s)))
		program := []string{"nft", "-f"}
		as := "nftables"
		if round%3 == 2 {
			as, program = "iptables", []string{"iptables-restore"}
			f.must(f.router, "nft", "delete", "table", "ip", "vestpin")
		}
		rules, err := exec.Command(binary, "write", "--as", as, file).Output()
		if err != nil {
			t.Fatal(err)
		}
		path := f.file("rules", string(rules))
		f.must(f.router, append(program, path)...)
		f.must(f.router, append(program, path)...) // a second time changes nothing
		m := reach.Of(site.NewView(s))
		var probes []probe
		want := map[int]string{}
		for _, from := range probeSenders {
			for _, proto := range site.Both.Each() {
				for _, port := range []uint16{79, 80, 81, 82, 83, 8999, 9000, 9001} {
					p := probe{proto, netip.MustParseAddr(from), source, netip.AddrPortFrom(netip.MustParseAddr("203.0.113.9"), port)}
					fate := m.Walk(reach.Packet{Router: "r0", Port: int(port), Protocol: proto, Sender: p.sender})
					if fate.Fate == reach.Forwarded && fate.Address.IsValid() {
						want[source] = fmt.Sprintf("%s %s:%d", proto, fate.Address, fate.Port)
					}
					probes = append(probes, p)
					source++
				}
			}
			// Past the outside address, straight at a device: nobody asked for it.
			probes = append(probes, probe{site.TCP, netip.MustParseAddr(from), source, netip.MustParseAddrPort("10.48.0.5:80")})
			source++
		}
		got := f.arrivals(probes)
		if len(got) < len(want) { // a packet can be lost on a busy machine: once more, from other ports
			for i := range probes {
				w, there := want[probes[i].source]
				probes[i].source += 30_000
				if there {
					want[probes[i].source] = w
				}
			}
			got = f.arrivals(probes)
		}
		for _, p := range probes {
			sent++
			if want[p.source] != "" {
				arrived++
			}
			if got[p.source] != want[p.source] {
				t.Errorf("round %d, %s: %s arrived at %q, want %q\n%s\n%s", round, as, p, got[p.source], want[p.source], rules, sitefile.Write(s))
			}
		}
		if t.Failed() {
			return
		}
		if round%3 == 2 {
			f.must(f.router, "iptables-restore", f.file("none", "*nat\nCOMMIT\n*filter\nCOMMIT\n"))
			f.must(f.router, "nft", "add", "table", "ip", "vestpin")
		}
	}
	t.Logf("%d packets, of which %d arrived", sent, arrived)
	if sent < 300 || arrived < 100 {
		t.Errorf("only %d packets were sent, and %d arrived", sent, arrived)
	}
}
