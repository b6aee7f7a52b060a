package wire

import (
	"bytes"
	"context"
	"crypto/sha256"
	"crypto/tls"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"regexp"
	"strings"
	"syscall"
	"time"
	"unicode"

	"github.com/miekg/dns"
	"github.com/pion/stun/v3"
	"golang.org/x/crypto/ssh"

	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/frame"
)

// Question is a port to try, and by which check of the catalogue what answers is made to say
// what it is.
type Question struct {
	Protocol site.Protocol `json:"protocol"`
	Port     uint16        `json:"port"`
	Check    string        `json:"check"`
}

// Dialer connects to an address by "tcp" or "udp".
type Dialer func(ctx context.Context, network string, to netip.AddrPort) (net.Conn, error)

// The bounds of one try.
const (
	longestConnect = 2200 * time.Millisecond // a lost first packet is sent again after one second
	longestSay     = 1500 * time.Millisecond // what is said after that
	longestUnasked = 500 * time.Millisecond  // a port that says nothing by itself
	longestPage    = 64 << 10                // bytes of a page that are read
)

// Try finds out whether a port answers, refuses or stays silent, and what it says. TCP is
// connected to and asked by its check, whatever certificate it shows; UDP is only asked
// where its check has a question that does no harm, and is untried else. What answers for
// ever or with megabytes is cut.
func Try(ctx context.Context, dial Dialer, to netip.AddrPort, q Question) site.Heard {
	out := site.Heard{At: to, Result: site.Untried}
	if q.Protocol == site.UDP {
		ask, known := questions[q.Check]
		if !known {
			out.Says = "UDP without a question that does no harm is not tried."
			return out
		}
		return tryUDP(ctx, dial, out, ask)
	}
	begin := time.Now()
	connecting, stop := context.WithTimeout(ctx, longestConnect)
	defer stop()
	c, err := dial(connecting, "tcp", to)
	out.MS = int(time.Since(begin).Milliseconds())
	if err != nil {
		out.Result, out.Says = resultOf(ctx, err)
		return out
	}
	defer c.Close()
	defer context.AfterFunc(ctx, func() { c.Close() })()
	c.SetDeadline(time.Now().Add(longestSay))
	out.Result = site.HeardAnswers
	hear, known := greetings[q.Check]
	if !known {
		hear = sayUnasked
	}
	g := hear(ctx, c, to)
	c.Close()  // before there is another
	if g.odd { // what is slow has a second chance
		g = again(ctx, dial, to, g, hear)
	}
	if g.odd {
		g = orElse(ctx, dial, to, q.Check, g)
	}
	out.Says, out.Key = short(g.says), short(g.key)
	if ctx.Err() != nil {
		out.Result, out.Says = site.Untried, "It was stopped."
	}
	return out
}

// resultOf is what an error of connecting means.
func resultOf(ctx context.Context, err error) (result site.TryResult, says string) {
	switch {
	case ctx.Err() != nil:
		return site.Untried, "It was stopped."
	case errors.Is(err, syscall.ECONNREFUSED), errors.Is(err, ErrRefused):
		return site.HeardRefused, "It refuses the connection."
	case errors.Is(err, syscall.ECONNRESET):
		return site.HeardRefused, "It ends the connection at once."
	case errors.Is(err, syscall.EHOSTUNREACH), errors.Is(err, syscall.ENETUNREACH), errors.Is(err, syscall.EACCES):
		return site.HeardSilent, "Something on the way says that it cannot be reached."
	case errors.Is(err, syscall.EADDRNOTAVAIL), errors.Is(err, syscall.EMFILE):
		return site.Untried, "This computer could not try it: " + plain(err).Error() + "."
	}
	return site.HeardSilent, "Nothing comes back."
}

// ErrRefused is how a made-up network says that a port refuses.
var ErrRefused = errors.New("connection refused")

// greeting is what was heard, in words for people, and what tells who said it from others;
// the key is empty where it tells nothing.
// Odd is that it was nothing of the protocol that was asked for.
type greeting struct {
	says, key string
	odd       bool
}

// nothing is a greeting of another protocol than was asked for.
func nothing(protocol string) greeting {
	return greeting{says: "It connects, and says nothing that is " + protocol + ".", odd: true}
}

// orElse looks what answers in another protocol's place: a web page, as those of routers do,
// or something that speaks unasked.
func orElse(ctx context.Context, dial Dialer, to netip.AddrPort, check string, g greeting) greeting {
	say := sayHTTP
	if check == "http" {
		say = sayUnasked
	}
	other := again(ctx, dial, to, g, say)
	if other.odd || other.key == "" {
		return g
	}
	return greeting{says: g.says + " It says " + other.says, key: other.key}
}

// again connects once more, and hears what is said then.
func again(ctx context.Context, dial Dialer, to netip.AddrPort, g greeting, say func(context.Context, net.Conn, netip.AddrPort) greeting) greeting {
	ctx, stop := context.WithTimeout(ctx, 2*longestSay)
	defer stop()
	c, err := dial(ctx, "tcp", to)
	if err != nil {
		return g
	}
	defer c.Close()
	c.SetDeadline(time.Now().Add(longestSay))
	return say(ctx, c, to)
}

// greetings are how what answers is made to say what it is, by check.
var greetings = map[string]func(context.Context, net.Conn, netip.AddrPort) greeting{
	"http": sayHTTP, "https": sayHTTPS, "tls": sayTLS, "ssh": saySSH, "rtsp": sayRTSP, "sip": saySIP,
	"rfb": sayFirst, "rdp": sayRDP, "mqtt": sayMQTT, "ftp": sayFirst, "smtp": sayFirst,
}

// mostSays is the most characters that are kept of what is heard.
const mostSays = 240

func short(s string) string {
	s = frame.Plain(s)
	if r := []rune(s); len(r) > mostSays {
		return string(r[:mostSays]) + "…"
	}
	return s
}

func sayHTTP(ctx context.Context, c net.Conn, to netip.AddrPort) greeting {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, "http://"+to.String()+"/", nil)
	if err != nil {
		return greeting{}
	}
	resp, err := send(c, req)
	if err != nil {
		return nothing("HTTP")
	}
	defer resp.Body.Close()
	page, _ := io.ReadAll(io.LimitReader(resp.Body, longestPage))
	server, name := short(resp.Header.Get("Server")), short(strings.TrimSpace(title(bytes.NewReader(page))))
	if _, realm, ok := strings.Cut(resp.Header.Get("WWW-Authenticate"), `realm="`); ok && name == "" {
		name, _, _ = strings.Cut(realm, `"`)
	}
	says := fmt.Sprintf("HTTP %d", resp.StatusCode)
	if to := resp.Header.Get("Location"); to != "" {
		says += ", sends on to " + span.Quote(short(to))
	}
	for _, more := range []string{name, server} {
		if more != "" {
			says += ", " + more
		}
	}
	key := "page " + server + " | " + name
	if name == "" {
		// Without a title the words of the page tell who it is; figures change from one look to the next.
		key += " | " + digest([]byte(strings.Map(func(r rune) rune {
			if unicode.IsLetter(r) {
				return r
			}
			return -1
		}, string(page[:min(len(page), 1024)]))))
	}
	return greeting{says: says, key: key}
}

// handshake takes the certificate, whoever signed it and however old it is.
func handshake(ctx context.Context, c net.Conn) (*tls.Conn, greeting) {
	secure := tls.Client(c, &tls.Config{InsecureSkipVerify: true, MinVersion: tls.VersionTLS10})
	if err := secure.HandshakeContext(ctx); err != nil {
		return nil, nothing("TLS")
	}
	certs := secure.ConnectionState().PeerCertificates
	if len(certs) == 0 {
		return secure, greeting{says: "TLS"}
	}
	name := certs[0].Subject.CommonName
	if name == "" && len(certs[0].DNSNames) > 0 {
		name = certs[0].DNSNames[0]
	}
	if r := []rune(name); len(r) > 60 {
		name = string(r[:60]) + "…"
	}
	says := "TLS, certificate of " + name
	if now := time.Now(); now.After(certs[0].NotAfter) {
		says += ", expired on " + certs[0].NotAfter.Format(time.DateOnly)
	} else if now.Before(certs[0].NotBefore) {
		says += ", valid only from " + certs[0].NotBefore.Format(time.DateOnly)
	}
	return secure, greeting{says: says, key: "certificate " + digest(certs[0].Raw)}
}

func sayTLS(ctx context.Context, c net.Conn, _ netip.AddrPort) greeting {
	_, g := handshake(ctx, c)
	return g
}

func sayHTTPS(ctx context.Context, c net.Conn, to netip.AddrPort) greeting {
	secure, g := handshake(ctx, c)
	if secure == nil {
		return g
	}
	if page := sayHTTP(ctx, secure, to); page.key != "" {
		return greeting{says: page.says + "; " + g.says, key: g.key}
	}
	return g
}

func digest(b []byte) string {
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:12])
}

var errEnough = errors.New("the host key is enough")

// saySSH takes the host key (RFC 4253 section 8), and tells nobody a name.
func saySSH(_ context.Context, c net.Conn, to netip.AddrPort) greeting {
	g := nothing("SSH")
	conf := &ssh.ClientConfig{User: "vestpin", ClientVersion: "SSH-2.0-vestpin", HostKeyCallback: func(_ string, _ net.Addr, key ssh.PublicKey) error {
		g = greeting{says: "SSH, host key " + ssh.FingerprintSHA256(key), key: "host key " + ssh.FingerprintSHA256(key)}
		return errEnough
	}}
	if conn, _, _, err := ssh.NewClientConn(c, to.String(), conf); err == nil {
		conn.Close()
	}
	return g
}

func sayRTSP(_ context.Context, c net.Conn, to netip.AddrPort) greeting {
	answer := ask(c, "OPTIONS rtsp://"+to.String()+"/ RTSP/1.0\r\nCSeq: 1\r\n\r\n")
	if !bytes.HasPrefix(answer, []byte("RTSP/")) {
		return nothing("RTSP")
	}
	return named("RTSP", header(answer, "Server"))
}

// named is a greeting that tells who it is where it has a name.
func named(protocol, name string) greeting {
	if name = strings.TrimSpace(name); name == "" {
		return greeting{says: protocol}
	}
	return greeting{says: protocol + ", " + name, key: strings.ToLower(protocol) + " " + name}
}

func sipGreeting(answer []byte) greeting {
	if !bytes.HasPrefix(answer, []byte("SIP/2.0")) {
		return greeting{says: "It answers, and says nothing that is SIP."}
	}
	name := header(answer, "Server")
	if name == "" {
		name = header(answer, "User-Agent")
	}
	return named("SIP", name)
}

func saySIP(_ context.Context, c net.Conn, to netip.AddrPort) greeting {
	return sipGreeting(ask(c, sipOptions(to.Addr(), "TCP")))
}

// sayRDP goes on to the certificate that a desktop shows, by which it is known.
func sayRDP(ctx context.Context, c net.Conn, _ netip.AddrPort) greeting {
	served, secure := askRDP(c)
	if !served {
		return nothing("RDP")
	}
	if secure {
		if _, g := handshake(ctx, c); g.key != "" {
			return greeting{says: "RDP, " + g.says, key: g.key}
		}
	}
	return greeting{says: "RDP"}
}

func sayMQTT(ctx context.Context, c net.Conn, to netip.AddrPort) greeting {
	if hearMQTT(ctx, c, to) == nil {
		return nothing("MQTT")
	}
	return greeting{says: "MQTT"}
}

// moment is a time or a date in a greeting, which changes from one look to the next.
var moment = regexp.MustCompile(`\d{1,2}:\d\d(:\d\d)?|\d{4}-\d\d-\d\d|(Mon|Tue|Wed|Thu|Fri|Sat|Sun), \d{1,2} \w{3} \d{4}|[+-]\d{4}\b`)

// pieceAfter is how long the next piece of a line is waited for.
const pieceAfter = 200 * time.Millisecond

// sayFirst takes the line that a server sends unasked.
func sayFirst(_ context.Context, c net.Conn, _ netip.AddrPort) greeting {
	buffer := make([]byte, 512)
	n, err := io.ReadAtLeast(c, buffer, 1)
	for err == nil && n < len(buffer) && !bytes.ContainsRune(buffer[:n], '\n') { // a line can come in pieces
		c.SetReadDeadline(time.Now().Add(pieceAfter))
		var more int
		more, err = c.Read(buffer[n:])
		n += more
	}
	line, _, _ := strings.Cut(string(buffer[:n]), "\n")
	line = short(strings.TrimSpace(line))
	switch {
	case line == "":
		return greeting{says: "It connects, and says nothing by itself."}
	case strings.HasPrefix(line, "RFB "):
		return greeting{says: line} // the same of every device of one age
	}
	return greeting{says: line, key: "says " + strings.Join(strings.Fields(moment.ReplaceAllString(line, "")), " ")}
}

// sayUnasked waits a little for what is said unasked; most say nothing.
func sayUnasked(ctx context.Context, c net.Conn, to netip.AddrPort) greeting {
	c.SetReadDeadline(time.Now().Add(longestUnasked))
	g := sayFirst(ctx, c, to)
	if g.key == "" {
		g.says = "It connects."
	}
	return g
}

// asking by UDP is a question, and how what comes back is read; false for what is no answer
// to it.
type askingUDP struct {
	question func(to netip.AddrPort) []byte
	heard    func(answer []byte) (greeting, bool)
}

// questions are those of UDP that do no harm, by check.
var questions = map[string]askingUDP{
	"sip": {
		func(to netip.AddrPort) []byte { return []byte(sipOptions(to.Addr(), "UDP")) },
		func(b []byte) (greeting, bool) { return sipGreeting(b), bytes.HasPrefix(b, []byte("SIP/2.0")) },
	},
	"dns": {
		func(netip.AddrPort) []byte {
			m := new(dns.Msg)
			m.SetQuestion("version.bind.", dns.TypeTXT)
			m.Question[0].Qclass = dns.ClassCHAOS
			b, _ := m.Pack()
			return b
		},
		func(b []byte) (greeting, bool) {
			m := new(dns.Msg)
			if m.Unpack(b) != nil || !m.Response {
				return greeting{}, false
			}
			for _, a := range m.Answer {
				if txt, ok := a.(*dns.TXT); ok {
					return named("DNS", strings.Join(txt.Txt, " ")), true
				}
			}
			return greeting{says: "DNS"}, true
		},
	},
	"ntp": { // RFC 5905 section 7.3
		func(netip.AddrPort) []byte { return append([]byte{4<<3 | 3}, make([]byte, 47)...) },
		func(b []byte) (greeting, bool) { return greeting{says: "NTP"}, len(b) >= 48 && b[0]&7 == 4 },
	},
	"stun": { // RFC 8489
		func(netip.AddrPort) []byte { return stun.MustBuild(stun.TransactionID, stun.BindingRequest).Raw },
		func(b []byte) (greeting, bool) {
			m := &stun.Message{Raw: b}
			if !stun.IsMessage(b) || m.Decode() != nil || m.Type.Class == stun.ClassRequest {
				return greeting{}, false
			}
			var software stun.Software
			software.GetFrom(m)
			return named("STUN", software.String()), true
		},
	},
	"srt": {srtInduction, srtInduced},
}

// srtInduction asks who is there as a caller does first (Secure Reliable Transport, section
// 4.3.1.1 of its internet draft); a listener keeps nothing for it.
func srtInduction(netip.AddrPort) []byte {
	b := make([]byte, 64)
	b[0] = 0x80                                    // a control packet: handshake
	binary.BigEndian.PutUint32(b[16:], 4)          // version
	binary.BigEndian.PutUint32(b[20:], 2)          // extension field of an induction
	binary.BigEndian.PutUint32(b[28:], 1500)       // packet size
	binary.BigEndian.PutUint32(b[32:], 8192)       // flow window
	binary.BigEndian.PutUint32(b[36:], 1)          // induction
	binary.BigEndian.PutUint32(b[40:], 0x56455354) // our socket
	return b
}

func srtInduced(b []byte) (greeting, bool) {
	ok := len(b) >= 64 && b[0] == 0x80 && b[1] == 0 && binary.BigEndian.Uint32(b[16:]) == 5 && binary.BigEndian.Uint32(b[36:]) == 1
	return greeting{says: "SRT"}, ok
}

// tryUDP asks three times with growing pauses.
func tryUDP(ctx context.Context, dial Dialer, out site.Heard, ask askingUDP) site.Heard {
	begin := time.Now()
	c, err := dial(ctx, "udp", out.At)
	if err != nil {
		out.Result, out.Says = resultOf(ctx, err)
		return out
	}
	defer c.Close()
	defer context.AfterFunc(ctx, func() { c.Close() })()
	buffer := make([]byte, 4096)
	out.Result, out.Says = site.HeardSilent, "Nothing comes back."
	for wait := 400 * time.Millisecond; wait <= 1600*time.Millisecond; wait *= 2 {
		if _, err := c.Write(ask.question(out.At)); err != nil {
			if r, says := resultOf(ctx, err); r == site.HeardRefused {
				out.Result, out.Says = r, says
				return out
			}
		}
		c.SetReadDeadline(time.Now().Add(wait))
		for range 50 { // what is no answer to the question does not hold up
			n, err := c.Read(buffer)
			if err != nil {
				if r, says := resultOf(ctx, err); r != site.HeardSilent {
					out.Result, out.Says = r, says
					return out
				}
				break
			}
			if g, ok := ask.heard(buffer[:n]); ok {
				out.Result, out.MS = site.HeardAnswers, int(time.Since(begin).Milliseconds())
				out.Says, out.Key = short(g.says), short(g.key)
				return out
			}
			out.Says = "What comes back is no answer to the question."
		}
	}
	return out
}
