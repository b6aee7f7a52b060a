package wire_test

import (
	"bufio"
	"context"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"fmt"
	"io"
	"math/big"
	"net"
	"net/netip"
	"strings"
	"testing"
	"time"

	"vestpin/core/site"
	"vestpin/wire"
)

// plainly dials as the system does.
func plainly(ctx context.Context, network string, to netip.AddrPort) (net.Conn, error) {
	var d net.Dialer
	return d.DialContext(ctx, network, to.String())
}

// speaker is a TCP server on loopback that says what it likes.
func speaker(t *testing.T, say func(net.Conn)) netip.AddrPort {
	t.Helper()
	l, err := net.Listen("tcp4", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			go func() { defer c.Close(); say(c) }()
		}
	}()
	return netip.MustParseAddrPort(l.Addr().String())
}

func endless(c net.Conn, begin, more string) {
	fmt.Fprint(c, begin)
	for {
		if _, err := fmt.Fprint(c, more); err != nil {
			return
		}
	}
}

// absurd is a certificate with a name of nonsense, of another century.
func absurd(t *testing.T, from, until time.Time) tls.Certificate {
	t.Helper()
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		t.Fatal(err)
	}
	c := &x509.Certificate{SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: strings.Repeat("n", 5000) + "\x00\x1b[31m"}, NotBefore: from, NotAfter: until}
	der, err := x509.CreateCertificate(rand.Reader, c, c, key.Public(), key)
	if err != nil {
		t.Fatal(err)
	}
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key}
}

func request(c net.Conn) {
	r := bufio.NewReader(c)
	for {
		if line, err := r.ReadString('\n'); err != nil || line == "\r\n" {
			return
		}
	}
}

// A device that never ends, answers with megabytes, sends on, shows an absurd certificate or
// says nothing is cut in time, and what it says is short and plain.
func TestHostileDevices(t *testing.T) {
	t.Parallel()
	long, day := strings.Repeat("long ", 20000), 24*time.Hour
	secure := func(from, until time.Time) func(net.Conn) {
		cert := absurd(t, from, until)
		return func(c net.Conn) {
			tls.Server(c, &tls.Config{Certificates: []tls.Certificate{cert}}).Handshake()
			time.Sleep(100 * time.Millisecond)
		}
	}
	for _, c := range []struct {
		what, check string
		say         func(net.Conn)
		result      site.TryResult
		says        string
	}{
		{"a page without end", "http", func(c net.Conn) {
			request(c)
			endless(c, "HTTP/1.1 200 OK\r\n\r\n<title>Kiln</title>", long)
		}, site.HeardAnswers, "HTTP 200, Kiln"},
		{"headers without end", "http", func(c net.Conn) {
			request(c)
			endless(c, "HTTP/1.1 200 OK\r\n", "X: "+long+"\r\n")
		}, site.HeardAnswers, "nothing that is HTTP"},
		{"a title of megabytes", "http", func(c net.Conn) {
			request(c)
			endless(c, "HTTP/1.1 200 OK\r\n\r\n<title>", long)
		}, site.HeardAnswers, "HTTP 200"},
		{"it sends on", "http", func(c net.Conn) {
			request(c)
			fmt.Fprint(c, "HTTP/1.1 302 Found\r\nLocation: http://198.51.100.9/login\r\nContent-Length: 0\r\n\r\n")
		}, site.HeardAnswers, "sends on to"},
		{"nothing at all", "http", func(c net.Conn) { time.Sleep(5 * time.Second) }, site.HeardAnswers, "nothing that is HTTP"},
		{"a banner of colours", "ssh", func(c net.Conn) { fmt.Fprint(c, "\x1b[31mred\x07\r\n") }, site.HeardAnswers, "nothing that is SSH"},
		{"a banner without end", "ftp", func(c net.Conn) { endless(c, "220 ", long) }, site.HeardAnswers, "220 long"},
		{"it ends at once", "tcp", func(c net.Conn) {}, site.HeardAnswers, "It connects."},
		{"a certificate that ran out", "tls", secure(time.Now().Add(-9000*day), time.Now().Add(-8000*day)), site.HeardAnswers, "expired on"},
		{"a certificate of tomorrow", "https", secure(time.Now().Add(day), time.Now().Add(2*day)), site.HeardAnswers, "valid only from"},
		{"a web page in the place of TLS", "tls", func(c net.Conn) {
			request(c)
			fmt.Fprint(c, "HTTP/1.1 400 Bad Request\r\nServer: box\r\nContent-Length: 0\r\n\r\n")
		}, site.HeardAnswers, "It says HTTP 400, box"},
		{"half an answer of RTSP", "rtsp", func(c net.Conn) { fmt.Fprint(c, "RTS") }, site.HeardAnswers, "nothing that is RTSP"},
	} {
		t.Run(c.what, func(t *testing.T) {
			t.Parallel()
			at, begin := speaker(t, c.say), time.Now()
			h := wire.Try(context.Background(), plainly, at, wire.Question{Protocol: site.TCP, Port: at.Port(), Check: c.check})
			if h.Result != c.result || !strings.Contains(h.Says, c.says) || len([]rune(h.Says)) > 260 || strings.ContainsAny(h.Says+h.Key, "\x00\x07\x1b\n") {
				t.Errorf("%s, %q, key %q", h.Result, h.Says, h.Key)
			}
			if took := time.Since(begin); took > 8*time.Second {
				t.Errorf("it took %v", took)
			}
		})
	}
}

// What a device says tells it from others, each time the same although figures on it change.
func TestKeysTellDevicesApart(t *testing.T) {
	t.Parallel()
	n := 0
	page := func(words string) netip.AddrPort {
		return speaker(t, func(c net.Conn) {
			request(c)
			n++
			fmt.Fprintf(c, "HTTP/1.1 200 OK\r\nConnection: close\r\n\r\n<p>%s, %d degrees</p>", words, n)
		})
	}
	banner := speaker(t, func(c net.Conn) {
		n++
		fmt.Fprintf(c, "220 mail.example ESMTP Thu, 26 Nov 2026 05:0%d:00 +0000\r\n", n%10)
	})
	key := func(at netip.AddrPort, check string) string {
		return wire.Try(context.Background(), plainly, at, wire.Question{Protocol: site.TCP, Port: at.Port(), Check: check}).Key
	}
	a, b := page("kiln one"), page("kiln two")
	if k := key(a, "http"); k == "" || k != key(a, "http") || k == key(b, "http") {
		t.Errorf("pages have the keys %q, %q and %q", k, key(a, "http"), key(b, "http"))
	}
	if k := key(banner, "smtp"); k != "says 220 mail.example ESMTP" || k != key(banner, "smtp") {
		t.Errorf("the banner has the key %q", k)
	}
	rfb := speaker(t, func(c net.Conn) { fmt.Fprint(c, "RFB 003.008\n") })
	if k := key(rfb, "rfb"); k != "" {
		t.Errorf("a version tells no device, key %q", k)
	}
}

// A desktop is known by the certificate that it shows after it agreed to TLS; one that does not
// agree, or fails then, tells no name.
func TestDesktopsAreKnownByTheirCertificate(t *testing.T) {
	t.Parallel()
	desktop := func(confirm string, cert *tls.Certificate) netip.AddrPort {
		return speaker(t, func(c net.Conn) {
			io.ReadFull(c, make([]byte, 19))
			fmt.Fprint(c, confirm)
			if cert != nil {
				secure := tls.Server(c, &tls.Config{Certificates: []tls.Certificate{*cert}})
				secure.Handshake()
				io.Copy(io.Discard, secure)
			}
		})
	}
	const agreed, old, refused = "\x03\x00\x00\x13\x0e\xd0\x00\x00\x12\x34\x00\x02\x1f\x08\x00\x02\x00\x00\x00", "\x03\x00\x00\x0b\x06\xd0\x00\x00\x12\x34\x00", "\x03\x00\x00\x13\x0e\xd0\x00\x00\x12\x34\x00\x03\x00\x08\x00\x05\x00\x00\x00"
	one, other := absurd(t, time.Unix(0, 0), time.Now().AddDate(1, 0, 0)), absurd(t, time.Unix(0, 0), time.Now().AddDate(1, 0, 0))
	try := func(at netip.AddrPort) site.Heard {
		return wire.Try(context.Background(), plainly, at, wire.Question{Protocol: site.TCP, Port: at.Port(), Check: "rdp"})
	}
	first, second := desktop(agreed, &one), desktop(agreed, &other)
	if h := try(first); h.Result != site.HeardAnswers || !strings.HasPrefix(h.Says, "RDP, TLS, certificate of n") || h.Key == "" || h.Key != try(first).Key || h.Key == try(second).Key {
		t.Errorf("%+v", h)
	}
	for what, at := range map[string]netip.AddrPort{"an old one": desktop(old, nil), "one that refuses": desktop(refused, nil), "one that ends": desktop(agreed, nil)} {
		if h := try(at); h.Result != site.HeardAnswers || h.Says != "RDP" || h.Key != "" {
			t.Errorf("%s: %+v", what, h)
		}
	}
}

// UDP is only asked where that does no harm; what is no answer is none.
func TestUDPIsAskedPolitely(t *testing.T) {
	t.Parallel()
	asked := make(chan string, 100)
	p, err := net.ListenPacket("udp4", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer p.Close()
	go func() {
		b := make([]byte, 2000)
		for {
			n, from, err := p.ReadFrom(b)
			if err != nil {
				return
			}
			asked <- string(b[:n])
			if strings.HasPrefix(string(b[:n]), "OPTIONS ") {
				p.WriteTo([]byte("SIP/2.0 200 OK\r\nServer: Hollin base 3.1\r\n\r\n"), from)
			} else {
				p.WriteTo([]byte("hello"), from)
			}
		}
	}()
	at := netip.MustParseAddrPort(p.LocalAddr().String())
	try := func(check string, to netip.AddrPort) site.Heard {
		return wire.Try(context.Background(), plainly, to, wire.Question{Protocol: site.UDP, Port: to.Port(), Check: check})
	}
	if h := try("none", at); h.Result != site.Untried || len(asked) > 0 {
		t.Errorf("without a question: %+v, %d datagrams", h, len(asked))
	}
	if h := try("sip", at); h.Result != site.HeardAnswers || h.Key != "sip Hollin base 3.1" {
		t.Errorf("SIP: %+v", h)
	}
	for _, check := range []string{"dns", "ntp", "stun", "srt"} {
		if h := try(check, at); h.Result != site.HeardSilent || !strings.Contains(h.Says, "no answer to the question") {
			t.Errorf("%s: %+v", check, h)
		}
	}
	if h := try("sip", netip.MustParseAddrPort("127.0.0.1:1")); h.Result != site.HeardRefused {
		t.Errorf("a port that nobody has: %+v", h)
	}
}

// A try that is stopped ends at once, and says that it was.
func TestStoppedTry(t *testing.T) {
	t.Parallel()
	at := speaker(t, func(c net.Conn) { time.Sleep(5 * time.Second) })
	ctx, stop := context.WithCancel(context.Background())
	time.AfterFunc(100*time.Millisecond, stop)
	begin := time.Now()
	h := wire.Try(ctx, plainly, at, wire.Question{Protocol: site.TCP, Port: at.Port(), Check: "http"})
	if h.Result != site.Untried || time.Since(begin) > time.Second {
		t.Errorf("%+v after %v", h, time.Since(begin))
	}
}
