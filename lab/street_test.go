package lab

import (
	"bufio"
	"context"
	"crypto/ecdsa"
	"crypto/ed25519"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/json"
	"fmt"
	"math/big"
	"net"
	"net/http"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"golang.org/x/crypto/ssh"

	"vestpin/afar"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/wire"
)

// deviceVariable makes the test binary a device: it holds the real servers of one, which speak
// as said, until it is killed.
const deviceVariable = "VESTPIN_LAB_DEVICE"

// server is one server of a device.
type server struct {
	Protocol, Speaks, Name string
	Port                   int
}

// runDevice serves until the process is ended.
func runDevice(text string) {
	var servers []server
	if err := json.Unmarshal([]byte(text), &servers); err != nil {
		panic(err)
	}
	cert := selfSigned(servers[0].Name)
	for _, s := range servers {
		at := fmt.Sprintf("0.0.0.0:%d", s.Port)
		if s.Protocol == "udp" {
			c, err := net.ListenPacket("udp4", at)
			if err != nil {
				panic(err)
			}
			go answerSIP(c, s.Name)
			continue
		}
		l, err := net.Listen("tcp4", at)
		if err != nil {
			panic(err)
		}
		switch s.Speaks {
		case "https":
			l = tls.NewListener(l, &tls.Config{Certificates: []tls.Certificate{cert}})
			fallthrough
		case "http":
			go http.Serve(l, http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
				fmt.Fprintf(w, "<html><head><title>%s</title></head><body>%s</body></html>", s.Name, time.Now())
			}))
		case "ssh":
			go accept(l, sshServer())
		default:
			go accept(l, func(c net.Conn) { rtsp(c, s.Name) })
		}
	}
	fmt.Println("ready")
	select {}
}

func accept(l net.Listener, speak func(net.Conn)) {
	for {
		c, err := l.Accept()
		if err != nil {
			return
		}
		go func() {
			defer c.Close()
			speak(c)
		}()
	}
}

func rtsp(c net.Conn, name string) {
	if _, err := bufio.NewReader(c).ReadString('\n'); err == nil {
		fmt.Fprintf(c, "RTSP/1.0 200 OK\r\nCSeq: 1\r\nServer: %s\r\n\r\n", name)
	}
}

func sshServer() func(net.Conn) {
	_, key, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		panic(err)
	}
	signer, err := ssh.NewSignerFromKey(key)
	if err != nil {
		panic(err)
	}
	conf := &ssh.ServerConfig{NoClientAuth: true}
	conf.AddHostKey(signer)
	return func(c net.Conn) { ssh.NewServerConn(c, conf) }
}

func answerSIP(c net.PacketConn, name string) {
	buffer := make([]byte, 2048)
	for {
		n, from, err := c.ReadFrom(buffer)
		if err != nil {
			return
		}
		if strings.HasPrefix(string(buffer[:n]), "OPTIONS") {
			c.WriteTo([]byte("SIP/2.0 200 OK\r\nServer: "+name+"\r\nContent-Length: 0\r\n\r\n"), from)
		}
	}
}

func selfSigned(name string) tls.Certificate {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		panic(err)
	}
	t := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: name}, NotBefore: time.Unix(0, 0), NotAfter: time.Unix(86400, 0)}
	der, err := x509.CreateCertificate(rand.Reader, t, t, key.Public(), key)
	if err != nil {
		panic(err)
	}
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key}
}

// street is a provider, a router, a network of devices behind it with a laptop, and a far end
// with the helper, each a namespace of the kernel. A second router can stand in between.
type street struct {
	t                                     *testing.T
	far, provider, middle, router, laptop string
	devices                               []string
	stranger                              string // a device that is in no plan
	dir, pairing                          string
	running                               map[string]*exec.Cmd
}

const (
	farAt    = "198.51.100.7"
	siteAt   = "203.0.113.47"
	movedAt  = "203.0.113.99"
	wanPlain = "203.0.113.47/24"
)

// newStreet makes one, with so many devices. Names are told apart by a number.
func newStreet(t *testing.T, number, devices int) *street {
	t.Helper()
	needs(t, "nft", "dnsmasq", "miniupnpd")
	name := func(what string) string { return fmt.Sprintf("vs%d-%d%s", os.Getpid(), number, what) }
	s := &street{t: t, far: name("f"), provider: name("p"), middle: name("m"), router: name("r"), laptop: name("l"), stranger: name("x"), dir: t.TempDir(), running: map[string]*exec.Cmd{}}
	for i := range devices {
		s.devices = append(s.devices, name(fmt.Sprint("d", i)))
	}
	all := append([]string{s.far, s.provider, s.middle, s.router, s.laptop, s.stranger}, s.devices...)
	t.Cleanup(func() {
		for what := range s.running {
			s.end(what)
		}
		for _, ns := range all {
			exec.Command("ip", "netns", "del", ns).Run()
		}
	})
	for _, ns := range all {
		s.ip("", "netns add "+ns)
		s.ip(ns, "link set lo up")
	}
	s.ip(s.far, "link add eth0 type veth peer name far netns "+s.provider, "addr add "+farAt+"/24 dev eth0", "link set eth0 up", "route add default via 198.51.100.1")
	s.ip(s.provider, "addr add 198.51.100.1/24 dev far", "link set far up", "link add site type bridge", "link set site up", "addr add 203.0.113.1/24 dev site", "addr add 100.64.0.1/16 dev site",
		"link add p0 type veth peer name wan netns "+s.router, "link set p0 master site up", "link add p1 type veth peer name wan netns "+s.middle, "link set p1 master site up")
	s.ip(s.middle, "link set wan up", "link add lan type veth peer name wan2 netns "+s.router, "link set lan up")
	s.ip(s.router, "link set wan up", "link set wan2 up", "link add br0 type bridge", "link set br0 address 00:00:5e:00:53:01 up", "addr add 10.48.16.1/24 dev br0")
	join := func(ns string, i int, mac string) {
		s.ip(s.router, fmt.Sprintf("link add d%d type veth peer name eth0 netns %s address %s", i, ns, mac), fmt.Sprintf("link set d%d master br0 up", i))
	}
	for i, d := range s.devices {
		join(d, i, deviceMAC(i+0x20))
	}
	join(s.laptop, 90, "00:00:5e:00:53:7e")
	join(s.stranger, 91, "00:00:5e:00:53:e0")
	s.ip(s.laptop, "addr add 10.48.16.126/24 dev eth0", "link set eth0 up", "route add default via 10.48.16.1")
	for _, ns := range []string{s.provider, s.middle, s.router} {
		s.run(ns, "sh", "-c", "echo 1 > /proc/sys/net/ipv4/ip_forward; for i in /proc/sys/net/ipv4/conf/*/rp_filter; do echo 0 > $i; done")
	}
	s.pairing = lastWord(s.start("helper", s.far, nil, binary, "afar", "--addr", farAt+":8418"))
	return s
}

func lastWord(line string) string {
	words := strings.Fields(line)
	return words[len(words)-1]
}

func (s *street) ip(ns string, lines ...string) {
	s.t.Helper()
	args := []string{"-batch", "-"}
	if ns != "" {
		args = append([]string{"-n", ns}, args...)
	}
	cmd := exec.Command("ip", args...)
	cmd.Stdin = strings.NewReader(strings.Join(lines, "\n") + "\n")
	if out, err := cmd.CombinedOutput(); err != nil {
		s.t.Fatalf("ip in %s: %v\n%s\n%s", ns, err, out, strings.Join(lines, "\n"))
	}
}

func (s *street) run(ns string, args ...string) string {
	s.t.Helper()
	out, err := exec.Command("ip", append([]string{"netns", "exec", ns}, args...)...).CombinedOutput()
	if err != nil {
		s.t.Fatalf("%s: %v\n%s", strings.Join(args, " "), err, out)
	}
	return string(out)
}

// rules loads rules into a namespace in the place of those that are there.
func (s *street) rules(ns, text string) {
	s.t.Helper()
	cmd := exec.Command("ip", "netns", "exec", ns, "nft", "-f", "-")
	lines := strings.NewReplacer("; }", ";\n}\n", "{ }", "{\n}\n", "{ type", "{\ntype", "; ", ";\n").Replace(text)
	cmd.Stdin = strings.NewReader("flush ruleset\n" + lines)
	if out, err := cmd.CombinedOutput(); err != nil {
		s.t.Fatalf("nft: %v\n%s\n%s", err, out, text)
	}
}

// start runs a program in a namespace until it is ended, and gives the first line it says.
func (s *street) start(what, ns string, env []string, args ...string) string {
	s.t.Helper()
	s.end(what)
	cmd := exec.Command("ip", append([]string{"netns", "exec", ns}, args...)...)
	cmd.Env = append(os.Environ(), env...)
	cmd.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} // so that what it starts ends with it
	out, err := cmd.StdoutPipe()
	if err != nil {
		s.t.Fatal(err)
	}
	cmd.Stderr = cmd.Stdout
	if err := cmd.Start(); err != nil {
		s.t.Fatal(err)
	}
	s.running[what] = cmd
	lines := bufio.NewReader(out)
	line, err := lines.ReadString('\n')
	if err != nil {
		s.t.Fatalf("%s says nothing: %v", what, err)
	}
	go func() {
		for {
			if _, err := lines.ReadString('\n'); err != nil {
				return
			}
		}
	}()
	return line
}

func (s *street) end(what string) {
	if cmd := s.running[what]; cmd != nil {
		syscall.Kill(-cmd.Process.Pid, syscall.SIGKILL)
		cmd.Wait()
		delete(s.running, what)
	}
}

func (s *street) file(name, text string) string {
	s.t.Helper()
	path := filepath.Join(s.dir, name)
	if err := os.WriteFile(path, []byte(text), 0o600); err != nil {
		s.t.Fatal(err)
	}
	return path
}

// standInVariable makes the test binary a laptop that stands in for a device: a plan, a pairing
// text and a service.
const standInVariable = "VESTPIN_LAB_STANDIN"

// runStandIn prints what came of it, after what was kept on the way.
func runStandIn(text string) {
	var plan, pairing, service string
	fmt.Sscan(text, &plan, &pairing, &service)
	data, err := os.ReadFile(plan)
	if err != nil {
		panic(err)
	}
	s, err := sitefile.Read(data)
	if err != nil {
		panic(err)
	}
	var far wire.FarEnd = stalledFar{}
	if pairing != stalled {
		p, err := afar.ParsePairing(pairing)
		if err != nil {
			panic(err)
		}
		if far, err = afar.Reach(context.Background(), p); err != nil {
			panic(err)
		}
	}
	reached, err := wire.StandIn(context.Background(), wire.Here{}, wire.Trial{Site: site.NewView(s), Far: far}, service, func(link string, a netip.Addr, taken bool) error {
		fmt.Print(link, " ", a, " ", taken, "; ")
		return nil
	})
	fmt.Println(reached, err)
	os.Exit(0)
}

// stalled is the pairing text of a far end that never answers.
const stalled = "stalled"

type stalledFar struct{ wire.FarEnd }

func (stalledFar) Try(ctx context.Context, _ []wire.Question, _ func(int, site.Heard)) error {
	<-ctx.Done()
	return ctx.Err()
}
