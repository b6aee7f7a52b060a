package server

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"vestpin/store"
)

// placed is a connection that comes from somewhere else.
type placed struct {
	net.Conn
	from net.Addr
}

func (p placed) RemoteAddr() net.Addr { return p.from }

// street is a listener whose connections come from where they say in their first line.
type street struct{ net.Listener }

func (s street) Accept() (net.Conn, error) {
	for {
		c, err := s.Listener.Accept()
		if err != nil {
			return nil, err
		}
		line := make([]byte, 0, 64)
		for one := make([]byte, 1); ; {
			if _, err := c.Read(one); err != nil || one[0] == '\n' {
				break
			}
			line = append(line, one[0])
		}
		at, err := netip.ParseAddrPort(string(line))
		if err != nil {
			c.Close()
			continue
		}
		return placed{c, net.TCPAddrFromAddrPort(at)}, nil
	}
}

// behind serves behind a door, and gives how to come there from a place.
func behind(t *testing.T, most int) (from func(place string) net.Conn) {
	t.Helper()
	st, err := store.Open(filepath.Join(t.TempDir(), "v.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { st.Close() })
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	door := NewDoor(street{l}, most)
	s := New(st, Options{Passphrase: "kiln at nine"})
	web := &http.Server{Handler: s}
	door.Watch(web)
	go web.Serve(door)
	t.Cleanup(func() { s.Close(); web.Close() })
	return func(place string) net.Conn {
		c, err := net.Dial("tcp", l.Addr().String())
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { c.Close() })
		fmt.Fprintf(c, "%s\n", place)
		return c
	}
}

// asks sends a request over a connection, and gives the answer; nil where the connection is closed.
func asks(c net.Conn, head, body string) *http.Response {
	c.SetDeadline(time.Now().Add(30 * time.Second))
	fmt.Fprintf(c, "%s HTTP/1.1\r\nHost: x\r\nContent-Length: %d\r\n\r\n%s", head, len(body), body)
	resp, err := http.ReadResponse(bufio.NewReader(c), nil)
	if err != nil {
		return nil
	}
	io.Copy(io.Discard, resp.Body)
	return resp
}

// However many connections one place keeps, another gets in, and who has a session keeps it.
func TestOnePlaceShutsNobodyOut(t *testing.T) {
	from := behind(t, 40)
	resp := asks(from("192.0.2.9:1000"), "POST /api/session", `{"passphrase":"kiln at nine"}`)
	if resp == nil || resp.StatusCode != 204 {
		t.Fatal(resp)
	}
	with := "\r\nCookie: " + strings.Split(resp.Header.Get("Set-Cookie"), ";")[0] + "\r\nX: "
	kept := from("192.0.2.9:1001")
	get := "GET /api/sites"
	known := func() *http.Response {
		kept.SetDeadline(time.Now().Add(20 * time.Second))
		fmt.Fprintf(kept, "%s HTTP/1.1\r\nHost: x%s\r\n\r\n", get, strings.TrimSuffix(with, "\r\nX: "))
		resp, err := http.ReadResponse(bufio.NewReader(kept), nil)
		if err != nil {
			return nil
		}
		io.Copy(io.Discard, resp.Body)
		return resp
	}
	if resp := known(); resp == nil || resp.StatusCode != 200 {
		t.Fatal("the session does not count")
	}
	var crowd []net.Conn
	for i := range 100 { // from one place, from that of the session, and from as many of one network
		crowd = append(crowd, from(fmt.Sprintf("198.51.100.7:%d", 2000+i)))
		from(fmt.Sprintf("192.0.2.9:%d", 2000+i))
		from(fmt.Sprintf("[2001:db8:0:1::%x]:%d", i+1, 2000+i))
	}
	time.Sleep(200 * time.Millisecond)
	open := 0
	for _, c := range crowd {
		c.SetReadDeadline(time.Now().Add(5 * time.Millisecond))
		if _, err := c.Read(make([]byte, 1)); errors.Is(err, os.ErrDeadlineExceeded) {
			open++
		}
	}
	if open != 40/8 {
		t.Errorf("one place holds %d connections", open)
	}
	for i := range 30 { // and from many
		from(fmt.Sprintf("198.51.%d.9:%d", 101+i, 2000+i))
	}
	time.Sleep(200 * time.Millisecond)
	if resp := asks(from("203.0.113.5:3000"), "GET /login", ""); resp == nil || resp.StatusCode != 200 {
		t.Errorf("a newcomer does not get in: %v", resp)
	}
	if resp := known(); resp == nil || resp.StatusCode != 200 {
		t.Errorf("who has a session lost the connection: %v", resp)
	}
}

// The right passphrase gets in, however many wrong ones come from however many addresses; those of one
// network of IPv6 count as one.
func TestRightPassphraseAmongWrong(t *testing.T) {
	from := behind(t, 800)
	wrong := make(chan int, 600)
	for i := range 300 {
		go func() {
			c := from(fmt.Sprintf("[2001:db8:0:%x::7]:4000", i+1))
			status := 0
			if resp := asks(c, "POST /api/session", `{"passphrase":"wrong wrong"}`); resp != nil {
				status = resp.StatusCode
			}
			wrong <- status
		}()
	}
	for range 300 {
		<-wrong
	}
	begin := time.Now()
	if resp := asks(from("203.0.113.5:3000"), "POST /api/session", `{"passphrase":"kiln at nine"}`); resp == nil || resp.StatusCode != 204 || time.Since(begin) > 3*time.Second {
		t.Errorf("the right one after %v: %v", time.Since(begin), resp)
	}
	if a, b, c := placeOf("[2001:db8::1]:1"), placeOf("[2001:db8::ffff:1]:2"), placeOf("[2001:db8:0:1::1]:1"); a != b || a == c {
		t.Errorf("%s and %s are one place, %s another", a, b, c)
	}
}

// A stream of events ends with its session.
func TestEventsEndWithTheSession(t *testing.T) {
	from := behind(t, 40)
	resp := asks(from("192.0.2.9:1000"), "POST /api/session", `{"passphrase":"kiln at nine"}`)
	if resp == nil {
		t.Fatal("nobody answers")
	}
	cookie := "\r\nCookie: " + strings.Split(resp.Header.Get("Set-Cookie"), ";")[0]
	stream := from("192.0.2.9:1001")
	fmt.Fprintf(stream, "GET /api/events HTTP/1.1\r\nHost: x%s\r\n\r\n", cookie)
	events, err := http.ReadResponse(bufio.NewReader(stream), nil)
	if err != nil || events.StatusCode != 200 {
		t.Fatal(events, err)
	}
	out := from("192.0.2.9:1002")
	fmt.Fprintf(out, "DELETE /api/session HTTP/1.1\r\nHost: x%s\r\n\r\n", cookie)
	if resp, err := http.ReadResponse(bufio.NewReader(out), nil); err != nil || resp.StatusCode != 204 {
		t.Fatal(resp, err)
	}
	stream.SetDeadline(time.Now().Add(5 * time.Second))
	if _, err := io.ReadAll(events.Body); err != nil {
		t.Errorf("the stream goes on: %v", err)
	}
}
