package afar

import (
	"context"
	"crypto/tls"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/pion/stun/v3"

	"vestpin/core/site"
	"vestpin/wire"
)

// helper runs one on loopback, which it tries as in a lab unless that is told.
func helper(t *testing.T, lab bool) (*Helper, netip.AddrPort) {
	t.Helper()
	l, err := net.Listen("tcp4", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	mirror, err := net.ListenPacket("udp4", l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	h, err := New(l.Addr().String())
	if err != nil {
		t.Fatal(err)
	}
	h.Lab = lab
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error)
	go func() { ended <- h.Serve(ctx, l, mirror) }()
	t.Cleanup(func() {
		stop()
		if err := <-ended; err != nil {
			t.Error(err)
		}
	})
	return h, netip.MustParseAddrPort(l.Addr().String())
}

func client(t *testing.T, p Pairing) *Client {
	t.Helper()
	c, err := Reach(context.Background(), p)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

// page is a server of pages, and its port.
func page(t *testing.T) uint16 {
	t.Helper()
	l, err := net.Listen("tcp4", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	s := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, "<title>Kiln</title>") })}
	go s.Serve(l)
	t.Cleanup(func() { s.Close() })
	return uint16(l.Addr().(*net.TCPAddr).Port)
}

// A pairing text comes back as it was, and none with a wrong digit does.
func TestPairing(t *testing.T) {
	h, err := New("far.example:8418")
	if err != nil {
		t.Fatal(err)
	}
	text := h.Pairing().String()
	for _, line := range []string{text, "Answering at far.example:8418; pair with " + text + "\n", strings.ToUpper(text)} {
		if got, err := ParsePairing(line); err != nil || got != h.Pairing() {
			t.Errorf("%q: %+v %v", line, got, err)
		}
	}
	for i := range text {
		wrong := []byte(text)
		if wrong[i]++; wrong[i] == '-' {
			wrong[i] = 'x'
		}
		if got, err := ParsePairing(string(wrong)); err == nil {
			t.Errorf("a wrong character at %d is taken: %+v", i, got)
		}
		if _, err := ParsePairing(text[:i]); err == nil {
			t.Errorf("a text of %d characters is taken", i)
		}
	}
	for _, bad := range []string{"", "vpa9-abc", "hello", "vpa1-"} {
		if _, err := ParsePairing(bad); err == nil {
			t.Errorf("%q is taken", bad)
		}
	}
}

// The helper tries what it is asked and says what it heard, where it sees who asks, and by
// STUN the same.
func TestTries(t *testing.T) {
	h, at := helper(t, true)
	c := client(t, h.Pairing())
	if a, err := c.Sees(context.Background()); err != nil || a.String() != "127.0.0.1" {
		t.Errorf("it sees %v %v", a, err)
	}
	port := page(t)
	got := map[int]site.Heard{}
	err := c.Try(context.Background(), []wire.Question{{Protocol: site.TCP, Port: port, Check: "http"}, {Protocol: site.TCP, Port: 1, Check: "tcp"}, {Protocol: site.UDP, Port: 9, Check: "none"}}, func(i int, h site.Heard) { got[i] = h })
	if err != nil || got[0].Result != site.HeardAnswers || got[0].Says != "HTTP 200, Kiln" || got[1].Result != site.HeardRefused || got[2].Result != site.Untried {
		t.Errorf("%v %+v", err, got)
	}
	conn, err := net.Dial("udp4", at.String())
	if err != nil {
		t.Fatal(err)
	}
	defer conn.Close()
	conn.SetDeadline(time.Now().Add(3 * time.Second))
	conn.Write(stun.MustBuild(stun.TransactionID, stun.BindingRequest).Raw)
	buffer := make([]byte, 500)
	n, err := conn.Read(buffer)
	m := &stun.Message{Raw: buffer[:n]}
	var seen stun.XORMappedAddress
	if err != nil || m.Decode() != nil || seen.GetFrom(m) != nil || seen.String() != conn.LocalAddr().String() {
		t.Errorf("STUN sees %v %v, not %v", seen, err, conn.LocalAddr())
	}
}

// It does nothing for those without its secret, nothing for a private address, not more than
// so many ports at once, and not faster than so many a second.
func TestRefuses(t *testing.T) {
	h, _ := helper(t, true)
	strange := h.Pairing()
	strange.Secret[3]++
	if _, err := client(t, strange).Sees(context.Background()); err == nil || !strings.Contains(err.Error(), "secret is another") {
		t.Errorf("another secret: %v", err)
	}
	strange = h.Pairing()
	strange.Key[3]++
	if _, err := client(t, strange).Sees(context.Background()); err == nil || !strings.Contains(err.Error(), "another key") {
		t.Errorf("another key: %v", err)
	}
	c := client(t, h.Pairing())
	many := make([]wire.Question, wire.MostAsked+1)
	for i := range many {
		many[i] = wire.Question{Protocol: site.TCP, Port: uint16(i + 1), Check: "tcp"}
	}
	if err := c.Try(context.Background(), many, func(int, site.Heard) {}); err == nil || !strings.Contains(err.Error(), "65 ports") {
		t.Errorf("65 ports: %v", err)
	}
	if err := c.Try(context.Background(), []wire.Question{{Protocol: "icmp", Port: 1}}, func(int, site.Heard) {}); err == nil {
		t.Error("another protocol is tried")
	}
	begin, n := time.Now(), 0
	if err := c.Try(context.Background(), many[:30], func(int, site.Heard) { n++ }); err != nil || n != 30 || time.Since(begin) < 1300*time.Millisecond {
		t.Errorf("30 ports in %v: %v", time.Since(begin), err)
	}
	private, _ := helper(t, false)
	if err := client(t, private.Pairing()).Try(context.Background(), many[:1], func(int, site.Heard) { t.Error("a private address is tried") }); err == nil || !strings.Contains(err.Error(), "no address of the internet") {
		t.Errorf("loopback: %v", err)
	}
	for a, want := range map[string]bool{"10.1.2.3": false, "100.64.1.1": false, "192.168.1.1": false, "169.254.1.1": false, "224.0.0.1": false, "0.1.2.3": false, "255.255.255.255": false, "127.0.0.1": false, "198.51.100.7": true, "203.0.113.47": true} {
		if got := public(netip.MustParseAddr(a)); got != want {
			t.Errorf("%s is public: %v", a, got)
		}
	}
}

// liar answers as a helper of a pairing would, but as it likes.
func liar(t *testing.T, version string, answer http.HandlerFunc) Pairing {
	t.Helper()
	h, err := New("127.0.0.1:1")
	if err != nil {
		t.Fatal(err)
	}
	l, err := tls.Listen("tcp4", "127.0.0.1:0", &tls.Config{Certificates: []tls.Certificate{h.cert}})
	if err != nil {
		t.Fatal(err)
	}
	s := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Server", version)
		answer(w, r)
	})}
	go s.Serve(l)
	t.Cleanup(func() { s.Close() })
	p := h.Pairing()
	p.Addr = l.Addr().String()
	return p
}

// What a helper says is data: one that is down, of another version, slow, lies, sends on or
// never ends is told of, and nothing that it was not asked is believed.
func TestLiars(t *testing.T) {
	asked := []wire.Question{{Protocol: site.TCP, Port: 80, Check: "http"}}
	line := func(of int, h site.Heard) string {
		b, _ := json.Marshal(map[string]any{"of": of, "heard": h})
		return string(b) + "\n"
	}
	for _, c := range []struct {
		what, version, want string
		answer              http.HandlerFunc
	}{
		{"another version", "vestpin-afar/9", "use the same version", func(w http.ResponseWriter, _ *http.Request) {}},
		{"no version at all", "", "use the same version", func(w http.ResponseWriter, _ *http.Request) {}},
		{"sends on", Version, "refuses", func(w http.ResponseWriter, r *http.Request) {
			http.Redirect(w, r, "https://198.51.100.9/", http.StatusFound)
		}},
		{"nothing", Version, "0 of 1 ports", func(http.ResponseWriter, *http.Request) {}},
		{"no JSON", Version, "not understood", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprintln(w, "<html>") }},
		{"a port that was not asked", Version, "0 of 1 ports", func(w http.ResponseWriter, _ *http.Request) {
			fmt.Fprint(w, line(7, site.Heard{Result: site.HeardAnswers}), line(-1, site.Heard{Result: site.HeardAnswers}))
		}},
		{"another port in its place, a result that is none", Version, "0 of 1 ports", func(w http.ResponseWriter, _ *http.Request) {
			fmt.Fprint(w, line(0, site.Heard{Result: site.HeardAnswers, At: netip.MustParseAddrPort("203.0.113.47:81")}), line(0, site.Heard{Result: "perhaps"}))
		}},
		{"a line without end", Version, "broke off", func(w http.ResponseWriter, _ *http.Request) { fmt.Fprint(w, strings.Repeat("x", 1<<20)) }},
		{"for ever", Version, "broke off", func(w http.ResponseWriter, r *http.Request) {
			for r.Context().Err() == nil {
				if _, err := w.Write(make([]byte, 4096)); err != nil {
					return
				}
			}
		}},
	} {
		err := client(t, liar(t, c.version, c.answer)).Try(context.Background(), asked, func(_ int, h site.Heard) { t.Errorf("%s: %+v is believed", c.what, h) })
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: %v", c.what, err)
		}
	}
	var got site.Heard
	long := liar(t, Version, func(w http.ResponseWriter, _ *http.Request) {
		fmt.Fprint(w, line(0, site.Heard{Result: site.HeardAnswers, Says: strings.Repeat("a\x07", 900), By: site.TriedPerson}))
	})
	if err := client(t, long).Try(context.Background(), asked, func(_ int, h site.Heard) { got = h }); err != nil || len([]rune(got.Says)) > 251 || strings.Contains(got.Says, "\x07") || got.By != "" {
		t.Errorf("a long answer: %v %+v", err, got)
	}
	slow := liar(t, Version, func(_ http.ResponseWriter, r *http.Request) { <-r.Context().Done() })
	ctx, stop := context.WithTimeout(context.Background(), 300*time.Millisecond)
	defer stop()
	if err := client(t, slow).Try(ctx, asked, func(int, site.Heard) {}); err == nil {
		t.Error("a slow one is waited for")
	}
	if _, err := client(t, Pairing{Addr: "127.0.0.1:1"}).Sees(context.Background()); err == nil || !strings.Contains(err.Error(), "does not answer") {
		t.Errorf("one that is down: %v", err)
	}
}

// One address holds its share of the connections and no more, and gets it back; others are
// not kept out meanwhile.
func TestNobodyTakesAll(t *testing.T) {
	h, at := helper(t, true)
	var held []net.Conn
	closed := func(c net.Conn) bool {
		c.SetReadDeadline(time.Now().Add(300 * time.Millisecond))
		_, err := c.Read(make([]byte, 1))
		var slow net.Error
		return !errors.As(err, &slow) || !slow.Timeout()
	}
	dial := func() net.Conn {
		c, err := (&net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 0, 0, 2)}}).Dial("tcp4", at.String())
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { c.Close() })
		return c
	}
	for range mostOfOne {
		held = append(held, dial())
	}
	if !closed(dial()) || closed(held[0]) {
		t.Error("one more than its share is let in, or one of them is not")
	}
	if _, err := client(t, h.Pairing()).Sees(t.Context()); err != nil {
		t.Errorf("another is kept out: %v", err)
	}
	held[3].Close()
	time.Sleep(200 * time.Millisecond)
	if closed(dial()) {
		t.Error("what was let go is not given again")
	}
}

// A helper that is started again with its file is the same to those who are paired with it,
// also at another address; a file that is damaged is refused, and left as it was.
func TestKept(t *testing.T) {
	path := filepath.Join(t.TempDir(), "afar.json")
	first, err := Kept(path, "far.example:8418")
	if err != nil {
		t.Fatal(err)
	}
	if info, err := os.Stat(path); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("%v %v", info.Mode(), err)
	}
	again, err := Kept(path, "127.0.0.1:8419")
	if err != nil || again.pairing.Secret != first.pairing.Secret || again.pairing.Key != first.pairing.Key || again.pairing.Addr != "127.0.0.1:8419" {
		t.Fatalf("%+v %v", again, err)
	}
	l, err := net.Listen("tcp4", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	mirror, err := net.ListenPacket("udp4", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	ctx, stop := context.WithCancel(t.Context())
	ended := make(chan error)
	go func() { ended <- again.Serve(ctx, l, mirror) }()
	paired := first.Pairing()
	paired.Addr = l.Addr().String()
	if _, err := client(t, paired).Sees(t.Context()); err != nil {
		t.Errorf("who was paired before: %v", err)
	}
	stop()
	<-ended
	whole, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	for what, data := range map[string]string{"cut": string(whole[:len(whole)/2]), "empty": "", "of another kind": `{"Version":"x"}`, "another key": strings.Replace(string(whole), `"Key":"M`, `"Key":"N`, 1), "a short secret": strings.Replace(string(whole), `"Secret":"`, `"Secret":"AAAA","x":"`, 1)} {
		if err := os.WriteFile(path, []byte(data), 0o600); err != nil {
			t.Fatal(err)
		}
		if _, err := Kept(path, "far.example:8418"); err == nil || !strings.Contains(err.Error(), path) {
			t.Errorf("%s: %v", what, err)
		}
		if now, _ := os.ReadFile(path); string(now) != data {
			t.Errorf("%s: the file was changed", what)
		}
	}
}
