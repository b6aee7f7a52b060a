package server

import (
	"context"
	"crypto/tls"
	"net"
	"net/http"
	"sync"
	"time"
)

// A door lets connections in: so many at once, and of those whom nobody knows yet so many from one place and
// for so long idle. Whoever is let in when there is no more room takes the place of a
// stranger, the one of the place with the most who came first, so that a newcomer always gets in and those
// with a session keep their connections.
type Door struct {
	net.Listener
	most, share int
	mu          sync.Mutex
	all         map[*doorConn]bool
	closed      chan struct{}
}

// strangersIdle is how long a connection without a session may be idle.
const strangersIdle = 15 * time.Second

// NewDoor lets at most so many connections in, and of one place an eighth of them without a session.
func NewDoor(l net.Listener, most int) *Door {
	d := &Door{Listener: l, most: most, share: max(1, most/8), all: map[*doorConn]bool{}, closed: make(chan struct{})}
	go d.sweep()
	return d
}

// doorConn is a connection that was let in.
type doorConn struct {
	net.Conn
	door  *Door
	place string
	since time.Time // it came, or became idle
	known bool      // it brought a session
	busy  bool      // a request is being answered
}

// Accept waits for a connection.
func (d *Door) Accept() (net.Conn, error) {
	for {
		c, err := d.Listener.Accept()
		if err != nil {
			return nil, err
		}
		in := &doorConn{Conn: c, door: d, place: placeOf(c.RemoteAddr().String()), since: time.Now()}
		if out, room := d.admit(in); !room {
			c.Close()
			continue
		} else if out != nil {
			out.Close()
		}
		return in, nil
	}
}

// admit notes a connection, and gives the one that has to leave for it.
func (d *Door) admit(in *doorConn) (out *doorConn, room bool) {
	d.mu.Lock()
	defer d.mu.Unlock()
	strangers := map[string]int{}
	for c := range d.all {
		if !c.known {
			strangers[c.place]++
		}
	}
	crowded := in.place
	for place, n := range strangers {
		if n > strangers[crowded] {
			crowded = place
		}
	}
	// Programs on this computer, such as a proxy, speak for many.
	tooMany := strangers[in.place] >= d.share && !isLoopback(in.place)
	if tooMany {
		crowded = in.place
	}
	if tooMany || len(d.all) >= d.most {
		for c := range d.all {
			if !c.known && c.place == crowded && (out == nil || out.busy && !c.busy || out.busy == c.busy && c.since.Before(out.since)) {
				out = c
			}
		}
		if out == nil {
			return nil, false
		}
		delete(d.all, out)
	}
	d.all[in] = true
	return out, true
}

func isLoopback(place string) bool {
	ip := net.ParseIP(place)
	return ip != nil && ip.IsLoopback() || place == "::/64"
}

// sweep closes connections of strangers that are idle.
func (d *Door) sweep() {
	tick := time.NewTicker(strangersIdle / 5)
	defer tick.Stop()
	for {
		select {
		case <-d.closed:
			return
		case <-tick.C:
		}
		var idle []*doorConn
		d.mu.Lock()
		for c := range d.all {
			if !c.known && !c.busy && !isLoopback(c.place) && time.Since(c.since) > strangersIdle {
				idle = append(idle, c)
			}
		}
		d.mu.Unlock()
		for _, c := range idle {
			c.Close()
		}
	}
}

// Close lets nobody in any more.
func (d *Door) Close() error {
	d.mu.Lock()
	select {
	case <-d.closed:
	default:
		close(d.closed)
	}
	d.mu.Unlock()
	return d.Listener.Close()
}

// Close ends a connection.
func (c *doorConn) Close() error {
	c.door.mu.Lock()
	delete(c.door.all, c)
	c.door.mu.Unlock()
	return c.Conn.Close()
}

// of gives the connection as it was let in.
func (d *Door) of(c net.Conn) *doorConn {
	if t, ok := c.(*tls.Conn); ok {
		c = t.NetConn()
	}
	own, _ := c.(*doorConn)
	return own
}

// Watch makes a web server tell the door who has a session, and who is idle.
func (d *Door) Watch(s *http.Server) {
	s.ConnContext = func(ctx context.Context, c net.Conn) context.Context {
		own := d.of(c)
		if own == nil {
			return ctx
		}
		return WithWelcome(ctx, func() {
			d.mu.Lock()
			defer d.mu.Unlock()
			own.known = true
		})
	}
	s.ConnState = func(c net.Conn, state http.ConnState) {
		own := d.of(c)
		if own == nil {
			return
		}
		d.mu.Lock()
		defer d.mu.Unlock()
		own.busy, own.since = state == http.StateActive, time.Now()
	}
}
