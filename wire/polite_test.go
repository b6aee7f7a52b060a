package wire_test

import (
	"context"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/frame"
	"vestpin/lab"
	"vestpin/sim"
	"vestpin/wire"
)

// watched counts what goes over a made-up network.
type watched struct {
	*sim.World
	mu    sync.Mutex
	open  map[netip.Addr]int
	most  int
	dials map[netip.AddrPort]int
	sent  []time.Time
	to    map[netip.AddrPort]bool
	sleep int // before this frame; none at 0
}

func watch(w *sim.World) *watched {
	return &watched{World: w, open: map[netip.Addr]int{}, dials: map[netip.AddrPort]int{}, to: map[netip.AddrPort]bool{}}
}

func (w *watched) Dial(ctx context.Context, l wire.Link, to netip.AddrPort) (net.Conn, error) {
	w.mu.Lock()
	w.open[to.Addr()]++
	w.most = max(w.most, w.open[to.Addr()])
	w.dials[to]++
	w.mu.Unlock()
	left := sync.OnceFunc(func() {
		w.mu.Lock()
		w.open[to.Addr()]--
		w.mu.Unlock()
	})
	c, err := w.World.Dial(ctx, l, to)
	if err != nil {
		left()
		return nil, err
	}
	return &watchedConn{c, left}, nil
}

type watchedConn struct {
	net.Conn
	left func()
}

func (c *watchedConn) Close() error { c.left(); return c.Conn.Close() }

func (w *watched) Frames(l wire.Link) (wire.Frames, error) {
	f, err := w.World.Frames(l)
	return watchedFrames{f, w}, err
}

type watchedFrames struct {
	wire.Frames
	w *watched
}

func (f watchedFrames) Send(b []byte) error {
	f.w.mu.Lock()
	if n := len(f.w.sent); n > 0 && n == f.w.sleep {
		time.Sleep(4 * time.Second)
	}
	f.w.sent = append(f.w.sent, time.Now())
	f.w.mu.Unlock()
	return f.Frames.Send(b)
}

func (w *watched) Packets(l wire.Link, port uint16) (wire.Packets, error) {
	p, err := w.World.Packets(l, port)
	return watchedPackets{p, w}, err
}

type watchedPackets struct {
	wire.Packets
	w *watched
}

func (p watchedPackets) WriteToUDPAddrPort(b []byte, to netip.AddrPort) (int, error) {
	p.w.mu.Lock()
	p.w.to[to] = true
	p.w.mu.Unlock()
	return p.Packets.WriteToUDPAddrPort(b, to)
}

// A survey keeps its promises: at most two connections at once to one device, no
// port but the well-known ones, no more frames a second than the ceiling, and
// nothing to anybody who did not answer or is not in the subnet.
func TestPromisesOfASurvey(t *testing.T) {
	t.Parallel()
	w := watch(pottery(t))
	var h heard
	stolen := lab.Stolen()
	if err := wire.Survey(context.Background(), w, wire.Plan{Subnet: lan, Rate: 400}, []netip.Prefix{lan}, h.take); err != nil {
		t.Fatal(err)
	}
	if w.most > 2 {
		t.Errorf("%d connections at once to one device", w.most)
	}
	there := map[netip.Addr]bool{}
	for _, x := range w.Hosts {
		there[x.Address] = true
	}
	for to, n := range w.dials {
		known := slices.ContainsFunc(wire.Ports(), func(p wire.Port) bool { return p.Number == to.Port() }) || to.Port() == 49152
		if !there[to.Addr()] || !known || n > 1 {
			t.Errorf("%d connections to %s", n, to)
		}
	}
	for to := range w.to {
		if a := to.Addr(); !lan.Contains(a) && !a.IsMulticast() && a != netip.MustParseAddr("255.255.255.255") {
			t.Errorf("a datagram to %s", to)
		}
		if to.Port() == 161 {
			t.Error("SNMP was asked without a community")
		}
	}
	w.keepsTo(t, 400, stolen())
}

// keepsTo holds what was sent to a ceiling of frames a second.
func (w *watched) keepsTo(t *testing.T, rate int, stolen float64) {
	t.Helper()
	most := int(1.1 * float64(rate) / (1 - stolen)) // what waited while the machine was not ours is noted late
	for i := range w.sent {
		j := i
		for j < len(w.sent) && w.sent[j].Sub(w.sent[i]) < time.Second {
			j++
		}
		if j-i > most {
			t.Fatalf("%d frames in a second, the ceiling is %d", j-i, rate)
		}
	}
}

// After a sleep in the middle of a sweep those who did not answer are asked once more, no faster
// than before.
func TestSleptInASweep(t *testing.T) {
	t.Parallel()
	w := watch(pottery(t))
	w.sleep = 300
	var h heard
	stolen := lab.Stolen()
	if err := wire.Survey(context.Background(), w, wire.Plan{Subnet: lan, Rate: 400, SweepOnly: true}, []netip.Prefix{lan}, h.take); err != nil {
		t.Fatal(err)
	}
	w.keepsTo(t, 400, stolen())
	if !slices.ContainsFunc(h.notes, func(n string) bool { return strings.Contains(n, "slept") }) {
		t.Errorf("nothing is told of it: %q", h.notes)
	}
	if silent := 254 - len(w.Hosts) - 1; len(w.sent) < 6*silent-20 {
		t.Errorf("%d frames for %d who did not answer", len(w.sent), silent)
	}
}

// A description document is fetched from the address that announced it, and from
// nowhere else, whatever it points at.
func TestDescriptionsComeFromTheirDevice(t *testing.T) {
	t.Parallel()
	for _, c := range []struct {
		location string
		fetched  bool
	}{
		{"http://10.48.16.20:49152/description.xml", true}, {"http://10.48.16.21:49152/description.xml", false}, {"http://203.0.113.7/d.xml", false},
		{"http://host.example/d.xml", false}, {"file:///etc/passwd", false}, {"http://10.48.16.20:99999/d.xml", false}, {"https://10.48.16.20/d.xml", false},
	} {
		w := watch(&sim.World{Own: netip.MustParsePrefix("10.48.16.126/24"), MAC: "00:00:5e:00:53:7e", Delay: 5, Hosts: []sim.Host{
			{MAC: "00:00:5e:00:53:21", Address: netip.MustParseAddr("10.48.16.20"), Location: c.location, UPnP: &frame.Description{Type: "MediaServer", Name: "Recorder", Maker: "Ostrel Vision", Model: "OR-8"}},
			{MAC: "00:00:5e:00:53:22", Address: netip.MustParseAddr("10.48.16.21"), UPnP: &frame.Description{Type: "MediaServer", Name: "Other"}},
		}})
		w.Hosts[1].Silent = true
		var h heard
		if err := wire.Survey(context.Background(), w, wire.Plan{Subnet: netip.MustParsePrefix("10.48.16.16/28")}, []netip.Prefix{lan}, h.take); err != nil {
			t.Fatal(err)
		}
		got := slices.ContainsFunc(h.sightings, func(s sighting.Sighting) bool { return s.State == "description" })
		if got != c.fetched {
			t.Errorf("%s: fetched %v, want %v", c.location, got, c.fetched)
		}
		for to := range w.dials {
			if to.Port() == 49152 && to.Addr() != netip.MustParseAddr("10.48.16.20") || !lan.Contains(to.Addr()) {
				t.Errorf("%s led to %s", c.location, to)
			}
		}
	}
}

// Every port of one device is looked at only when it is asked for.
func TestAllPortsOfOneDevice(t *testing.T) {
	t.Parallel()
	w := &sim.World{Own: netip.MustParsePrefix("10.48.16.126/24"), MAC: "00:00:5e:00:53:7e", Delay: 1, Hosts: []sim.Host{
		{MAC: "00:00:5e:00:53:21", Address: netip.MustParseAddr("10.48.16.20"), Ports: []sim.Port{{Number: 7, Speaks: "says", Server: "lowest"}, {Number: 80, Speaks: "http", Title: "Page"}, {Number: 2222, Speaks: "says", Server: "odd"}}},
	}}
	ctx, stop := context.WithTimeout(context.Background(), 10*time.Second)
	defer stop()
	var h heard
	wire.AllPorts(ctx, w, netip.MustParseAddr("10.48.16.20"), []netip.Prefix{lan}, func(e wire.Event) {
		if h.take(e); len(h.sightings) == 3 {
			stop()
		}
	})
	for _, want := range []site.Trait{{Name: site.TraitPort, Value: "7/tcp"}, {Name: site.TraitBanner, Value: "lowest"}, {Name: site.TraitPort, Value: "80/tcp"}, {Name: site.TraitTitle, Value: "Page"}, {Name: site.TraitBanner, Value: "odd"}} {
		if !slices.ContainsFunc(h.sightings, func(s sighting.Sighting) bool { return slices.Contains(s.Traits, want) }) {
			t.Errorf("nobody said %+v in %d ports", want, h.last.Done)
		}
	}
	if err := wire.AllPorts(ctx, w, netip.MustParseAddr("192.0.2.1"), []netip.Prefix{lan}, h.take); err == nil || !strings.Contains(err.Error(), "none of this site's subnets") {
		t.Errorf("ports of another network: %v", err)
	}
}

// Progress only goes forward within a part of the work, and tells what is left.
func TestProgress(t *testing.T) {
	t.Parallel()
	last := map[string]int{}
	var order []string
	err := wire.Survey(context.Background(), pottery(t), wire.Plan{Subnet: lan}, []netip.Prefix{lan}, func(e wire.Event) {
		p := e.Progress
		if p == nil {
			return
		}
		if !slices.Contains(order, p.Doing) {
			order = append(order, p.Doing)
		}
		if p.Done < last[p.Doing] || p.Done > p.Of || p.Left < 0 || p.Of == 0 {
			t.Errorf("after %d came %+v", last[p.Doing], *p)
		}
		last[p.Doing] = p.Done
	})
	if err != nil || strings.Join(order, ", ") != "asking who is there, asking names, asking what answers" {
		t.Errorf("%v, %q", err, order)
	}
}
