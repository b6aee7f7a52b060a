package wire

import (
	"bufio"
	"bytes"
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"net"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"vestpin/core/catalogue"
	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/frame"
)

// oneSecond is how long one connection to a device may take, from first to last.
const oneSecond = time.Second

// perDevice is how many connections one device has at once.
const perDevice = 2

// devicesAtOnce is how many devices are spoken to at once.
const devicesAtOnce = 48

// Port is a well-known service port, and how what answers there is made to say
// what it is.
type Port struct {
	Number uint16
	Name   string
	hear   func(ctx context.Context, c net.Conn, to netip.AddrPort) []site.Trait
}

// Ports are the well-known ports that are looked at unasked, after the catalogue.
var Ports = sync.OnceValue(func() []Port {
	var out []Port
	known := catalogue.Shipped()
	for _, p := range known.Look {
		number, _ := p.Single()
		if s, ok := known.At(number); ok {
			out = append(out, Port{uint16(number), s.Name, hearing[string(s.Check)]})
		}
	}
	return out
})

// hearing is how what answers is made to say what it is, by the check of its service.
var hearing = map[string]func(ctx context.Context, c net.Conn, to netip.AddrPort) []site.Trait{
	"http": hearHTTP, "https": hearTLS, "tls": hearTLS, "ssh": hearFirst, "rtsp": hearRTSP, "sip": hearSIP,
	"rfb": hearFirst, "rdp": hearRDP, "ftp": hearFirst, "mqtt": hearMQTT, "smtp": hearFirst,
}

// NameOf is what mostly answers at a TCP port, "service" for one that is not in
// the table.
func NameOf(port string) string {
	for _, p := range Ports() {
		if port == strconv.Itoa(int(p.Number)) {
			return p.Name
		}
	}
	return "service"
}

// services asks each device what answers at the well-known ports.
func (s *survey) services(ctx context.Context) error {
	hosts := s.hosts()
	total := len(hosts) * len(Ports())
	var mu sync.Mutex
	done := 0
	begin := time.Now()
	step := func() {
		mu.Lock()
		done++
		n := done
		mu.Unlock()
		if n%8 == 0 || n == total {
			spent := time.Since(begin)
			s.progress("asking what answers", n, total, time.Duration(float64(spent)/float64(n)*float64(total-n)))
		}
	}
	var all sync.WaitGroup
	turn := make(chan struct{}, devicesAtOnce)
	for _, a := range hosts {
		select {
		case <-ctx.Done():
		case turn <- struct{}{}:
			all.Go(func() {
				defer func() { <-turn }()
				s.device(ctx, a, Ports(), step)
			})
		}
	}
	all.Wait()
	return ctx.Err()
}

// device looks at the ports of one device, two at a time.
func (s *survey) device(ctx context.Context, a netip.Addr, ports []Port, step func()) {
	var all sync.WaitGroup
	turn := make(chan struct{}, perDevice)
	for _, p := range ports {
		turn <- struct{}{}
		if ctx.Err() != nil {
			<-turn
			break
		}
		all.Go(func() {
			defer func() { <-turn; step() }()
			if traits := s.port(ctx, a, p); traits != nil {
				s.sight(sighting.Sighting{Address: a, State: fmt.Sprintf("answers on %d/tcp", p.Number), Traits: traits})
			}
		})
	}
	all.Wait()
}

// port gives what is heard at a port, nil if nobody answers.
func (s *survey) port(ctx context.Context, a netip.Addr, p Port) []site.Trait {
	ctx, stop := context.WithTimeout(ctx, oneSecond)
	defer stop()
	to := netip.AddrPortFrom(a, p.Number)
	c, err := s.net.Dial(ctx, s.link, to)
	if err != nil {
		return nil
	}
	defer c.Close()
	defer context.AfterFunc(ctx, func() { c.Close() })()
	if end, ok := ctx.Deadline(); ok {
		c.SetDeadline(end)
	}
	out := frame.AddTrait(nil, site.TraitPort, fmt.Sprintf("%d/tcp", p.Number))
	if p.hear != nil {
		for _, t := range p.hear(ctx, c, to) {
			out = frame.AddTrait(out, t.Name, t.Value)
		}
	}
	return out
}

// AllPorts looks at every TCP port of one device, which the user has to ask for
// by its name, and reports those that answer. Errors are those of Survey.
func AllPorts(ctx context.Context, n Network, a netip.Addr, own []netip.Prefix, report func(Event)) error {
	l, err := neighbour(n, a, own)
	if err != nil {
		return err
	}
	s := &survey{net: n, link: l, plan: Plan{Source: "port sweep"}, report: oneByOne(report), found: map[netip.Addr]site.MAC{a: ""}}
	const all = 65535
	var mu sync.Mutex
	done, begin := 0, time.Now()
	step := func() {
		mu.Lock()
		defer mu.Unlock()
		if done++; done%256 == 0 || done == all {
			s.progress("asking what answers", done, all, time.Duration(float64(time.Since(begin))/float64(done)*float64(all-done)))
		}
	}
	ports, known := make([]Port, 0, all), Ports()
	for n := 1; n <= all; n++ {
		p := Port{Number: uint16(n), hear: hearFirst}
		if i := slices.IndexFunc(known, func(k Port) bool { return int(k.Number) == n }); i >= 0 {
			p = known[i]
		}
		ports = append(ports, p)
	}
	s.device(ctx, a, ports, step)
	return ctx.Err()
}

func trait(name, value string) []site.Trait { return []site.Trait{{Name: name, Value: value}} }

// hearFirst reads the line that a server sends unasked: SSH (RFC 4253), FTP (RFC
// 959), RFB (RFC 6143) and others.
func hearFirst(_ context.Context, c net.Conn, _ netip.AddrPort) []site.Trait {
	line, _ := bufio.NewReader(io.LimitReader(c, 1024)).ReadString('\n')
	if strings.TrimSpace(frame.Plain(line)) == "" {
		return nil
	}
	return trait(site.TraitBanner, line)
}

// hearHTTP asks for the front page: the server's name, its realm and the title.
func hearHTTP(ctx context.Context, c net.Conn, to netip.AddrPort) []site.Trait {
	resp, err := get(ctx, c, to.String(), "/")
	if err != nil {
		return nil
	}
	defer resp.Body.Close()
	out := trait(site.TraitServer, resp.Header.Get("Server"))
	if _, realm, ok := strings.Cut(resp.Header.Get("WWW-Authenticate"), `realm="`); ok {
		realm, _, _ = strings.Cut(realm, `"`)
		out = append(out, trait(site.TraitTitle, realm)...)
	}
	return append(out, trait(site.TraitTitle, title(io.LimitReader(resp.Body, largestAnswer)))...)
}

// title finds the title of a page, which may be broken or endless.
func title(page io.Reader) string {
	z := html.NewTokenizer(page)
	z.SetMaxBuf(largestAnswer)
	for {
		switch z.Next() {
		case html.ErrorToken:
			return ""
		case html.StartTagToken:
			if t := z.Token(); t.DataAtom == atom.Title && z.Next() == html.TextToken {
				return z.Token().Data
			}
		}
	}
}

// hearTLS takes the name in the certificate, whoever signed it and however old
// it is, since devices mostly sign their own; then it asks for the page.
func hearTLS(ctx context.Context, c net.Conn, to netip.AddrPort) []site.Trait {
	secure := tls.Client(c, &tls.Config{InsecureSkipVerify: true, MinVersion: tls.VersionTLS10})
	if err := secure.HandshakeContext(ctx); err != nil {
		return nil
	}
	var out []site.Trait
	if certs := secure.ConnectionState().PeerCertificates; len(certs) > 0 {
		name := certs[0].Subject.CommonName
		if name == "" && len(certs[0].DNSNames) > 0 {
			name = certs[0].DNSNames[0]
		}
		out = trait(site.TraitCertificate, name)
	}
	return append(out, hearHTTP(ctx, secure, to)...)
}

// ask sends a question and takes the first of what comes back.
func ask(c net.Conn, question string) []byte {
	if _, err := io.WriteString(c, question); err != nil {
		return nil
	}
	buffer := make([]byte, 4096)
	n, _ := io.ReadAtLeast(c, buffer, 1)
	return buffer[:n]
}

// header finds a header in an answer of the shape of HTTP.
func header(answer []byte, name string) string {
	for line := range strings.Lines(string(answer)) {
		if key, value, ok := strings.Cut(line, ":"); ok && strings.EqualFold(strings.TrimSpace(key), name) {
			return strings.TrimSpace(value)
		}
	}
	return ""
}

// hearRTSP asks for the options (RFC 2326 section 10.1).
func hearRTSP(_ context.Context, c net.Conn, to netip.AddrPort) []site.Trait {
	answer := ask(c, "OPTIONS rtsp://"+to.String()+"/ RTSP/1.0\r\nCSeq: 1\r\n\r\n")
	if !bytes.HasPrefix(answer, []byte("RTSP/")) {
		return nil
	}
	return append(trait(site.TraitService, "RTSP"), trait(site.TraitServer, header(answer, "Server"))...)
}

// sipOptions asks a device what it can do (RFC 3261 section 11).
func sipOptions(a netip.Addr, transport string) string {
	return "OPTIONS sip:" + a.String() + " SIP/2.0\r\nVia: SIP/2.0/" + transport + " 192.0.2.1;rport;branch=z9hG4bK1\r\nMax-Forwards: 0\r\nFrom: <sip:survey@192.0.2.1>;tag=1\r\nTo: <sip:" + a.String() + ">\r\nCall-ID: 1@192.0.2.1\r\nCSeq: 1 OPTIONS\r\nContent-Length: 0\r\n\r\n"
}

// sipTraits reads the answer; nil if it is none.
func sipTraits(answer []byte) []site.Trait {
	if !bytes.HasPrefix(answer, []byte("SIP/2.0")) {
		return nil
	}
	name := header(answer, "Server")
	if name == "" {
		name = header(answer, "User-Agent")
	}
	return append(trait(site.TraitService, "SIP"), trait(site.TraitServer, name)...)
}

func hearSIP(_ context.Context, c net.Conn, to netip.AddrPort) []site.Trait {
	return sipTraits(ask(c, sipOptions(to.Addr(), "TCP")))
}

// askRDP negotiates as far as the connection confirm (ITU-T X.224, MS-RDPBCGR section 2.2.1.2),
// which says that a desktop is served; secure is that TLS follows.
func askRDP(c net.Conn) (served, secure bool) {
	answer := ask(c, "\x03\x00\x00\x13\x0e\xe0\x00\x00\x00\x00\x00\x01\x00\x08\x00\x03\x00\x00\x00")
	if len(answer) < 7 || answer[0] != 3 || answer[5] != 0xd0 {
		return false, false
	}
	return true, len(answer) >= 19 && answer[11] == 2 && answer[15]&3 != 0
}

func hearRDP(_ context.Context, c net.Conn, _ netip.AddrPort) []site.Trait {
	if served, _ := askRDP(c); !served {
		return nil
	}
	return trait(site.TraitService, "RDP")
}

// hearMQTT connects (MQTT 3.1.1, section 3.1) and takes any answer, also a
// refusal.
func hearMQTT(_ context.Context, c net.Conn, _ netip.AddrPort) []site.Trait {
	answer := ask(c, "\x10\x0c\x00\x04MQTT\x04\x02\x00\x05\x00\x00")
	if len(answer) < 4 || answer[0] != 0x20 {
		return nil
	}
	return trait(site.TraitService, "MQTT")
}
