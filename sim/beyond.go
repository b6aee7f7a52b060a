package sim

import (
	"context"
	"io"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/miekg/dns"

	"vestpin/core/site"
	"vestpin/wire"
)

// Beyond is how the network is seen from elsewhere: what its router really forwards, whatever
// is planned.
type Beyond struct {
	Address netip.Addr              `json:"address"` // at which the site is seen
	Stands  netip.Addr              `json:"stands"`  // where the far end is
	Lines   []Line                  `json:"lines"`
	Names   map[string][]netip.Addr `json:"names,omitempty"`
	Refuses bool                    `json:"refuses,omitempty"` // refuses what it does not forward; it drops that else
	// LoopsBack lets the outside address be reached from inside.
	LoopsBack bool `json:"loopsBack,omitempty"`
	// Shut are outside ports that the provider does not let through.
	Shut []uint16 `json:"shut,omitempty"`
	// Lost are devices whose gateway is wrong: they answer neighbours only.
	Lost []netip.Addr `json:"lost,omitempty"`
	// Delay is the way there and back, in milliseconds.
	Delay int `json:"delay,omitempty"`
	// Typed gives the forwards that were typed anew since; they go where they are planned.
	Typed func() []Line `json:"-"`
}

// lines are the forwards as the router has them now.
func (b *Beyond) lines() []Line {
	if b.Typed == nil {
		return b.Lines
	}
	typed := b.Typed()
	anew := func(l Line) bool {
		return l.Forward != "" && slices.ContainsFunc(typed, func(t Line) bool { return t.Forward == l.Forward })
	}
	return append(slices.DeleteFunc(slices.Clone(b.Lines), anew), typed...)
}

// TypedSince are the lines of a site whose steps on the sheet were ticked off after a time
// (RFC 3339), as they are planned.
func TypedSince(s site.Site, at string) []Line {
	v := site.NewView(s)
	var out []Line
	for _, f := range s.Forwards {
		address, _ := v.Target(f)
		ticked := slices.ContainsFunc(s.Done, func(d site.Done) bool { return d.Step == "line:"+f.ID+":1" && d.At >= at })
		if !ticked || !f.Enabled || !address.IsValid() {
			continue
		}
		inside := f.InsidePorts()
		for _, proto := range f.Protocol.Each() {
			out = append(out, Line{proto, uint16(f.Outside.At(0)), address, uint16(inside.At(0)), f.ID})
		}
	}
	return out
}

// Line is a forward as the router has it.
type Line struct {
	Protocol site.Protocol `json:"protocol"`
	Outside  uint16        `json:"outside"`
	Address  netip.Addr    `json:"address"`
	Inside   uint16        `json:"inside"`
	Forward  string        `json:"forward,omitempty"` // the planned forward that was meant
}

// Ask opens UDP to one port of a neighbour.
func (w *World) Ask(_ context.Context, l wire.Link, to netip.AddrPort) (net.Conn, error) {
	p, err := w.Packets(l, 0)
	if err != nil {
		return nil, err
	}
	return &asked{packets: p.(*packets), to: to}, nil
}

// asked is a datagram socket that knows one neighbour.
type asked struct {
	*packets
	to netip.AddrPort
}

func (a *asked) Write(b []byte) (int, error) { return a.WriteToUDPAddrPort(b, a.to) }

// Read refuses where the device is there and has nothing at that port, as ICMP would tell.
func (a *asked) Read(b []byte) (int, error) {
	if there := a.world.at(a.to.Addr()); len(there) > 0 && !there[0].Silent && !there[0].hears(a.to.Port()) && a.to.Port() != 53 {
		return 0, wire.ErrRefused
	}
	for {
		n, from, err := a.ReadFromUDPAddrPort(b)
		if err != nil || from == a.to {
			return n, err
		}
	}
}

func (a *asked) LocalAddr() net.Addr              { return &net.UDPAddr{} }
func (a *asked) RemoteAddr() net.Addr             { return net.UDPAddrFromAddrPort(a.to) }
func (a *asked) SetDeadline(t time.Time) error    { return a.SetReadDeadline(t) }
func (a *asked) SetWriteDeadline(time.Time) error { return nil }

// hears reports whether a device has something at a UDP port.
func (h Host) hears(port uint16) bool {
	return slices.ContainsFunc(h.Ports, func(p Port) bool { return p.Number == port && (p.Speaks == "sip" || p.Speaks == "srt") })
}

// Out is the way out: to the site's outside address from elsewhere, or where the router loops
// back, to the name server of the hotspot, and to nowhere else.
func (w *World) Out(ctx context.Context, network string, to netip.AddrPort) (net.Conn, error) {
	away := w.Laptop.isAway()
	if w.Beyond != nil && (away || w.Beyond.LoopsBack) && to.Addr() == w.Beyond.Address {
		return w.come(ctx, network, to.Port())
	}
	if away && to == netip.AddrPortFrom(hotspot.Gateway, 53) {
		return w.Ask(ctx, hotspot, netip.AddrPortFrom(w.Gateway, 53))
	}
	<-ctx.Done()
	return nil, ctx.Err()
}

// come is what becomes of a connection from elsewhere.
func (w *World) come(ctx context.Context, network string, port uint16) (net.Conn, error) {
	b := w.Beyond
	select {
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-time.After(time.Duration(b.Delay) * time.Millisecond):
	}
	proto := site.Protocol(strings.TrimSuffix(network, "4"))
	lines := b.lines()
	i := slices.IndexFunc(lines, func(l Line) bool { return l.Protocol.Covers(proto) && l.Outside == port })
	lost := func() (net.Conn, error) { <-ctx.Done(); return nil, ctx.Err() }
	switch {
	case slices.Contains(b.Shut, port):
		return lost()
	case i < 0 && b.Refuses:
		return nil, wire.ErrRefused
	case i < 0, slices.Contains(b.Lost, lines[i].Address):
		return lost()
	case proto == site.UDP:
		return w.Ask(ctx, wire.Link{}, netip.AddrPortFrom(lines[i].Address, lines[i].Inside))
	}
	return w.Dial(ctx, wire.Link{}, netip.AddrPortFrom(lines[i].Address, lines[i].Inside))
}

// Far is the far end of a made-up network.
type Far struct{ World *World }

var _ wire.FarEnd = Far{}

// Sees is the address that the world gives.
func (f Far) Sees(context.Context) (netip.Addr, error) {
	if f.World.Beyond == nil {
		return netip.Addr{}, io.EOF
	}
	return f.World.Beyond.Address, nil
}

// Mirror is none.
func (f Far) Mirror() netip.AddrPort { return netip.AddrPort{} }

// Stands is where the world says.
func (f Far) Stands() netip.Addr { return f.World.Beyond.Stands }

// Try tries ports as a helper does.
func (f Far) Try(ctx context.Context, questions []wire.Question, heard func(int, site.Heard)) error {
	var all sync.WaitGroup
	var mu sync.Mutex
	for i, q := range questions {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(time.Second / wire.AskedASec):
		}
		all.Go(func() {
			h := wire.Try(ctx, func(ctx context.Context, network string, to netip.AddrPort) (net.Conn, error) {
				return f.World.come(ctx, network, to.Port())
			}, netip.AddrPortFrom(f.World.Beyond.Address, q.Port), q)
			mu.Lock()
			defer mu.Unlock()
			heard(i, h)
		})
	}
	all.Wait()
	return ctx.Err()
}

// standsFor answers what a name stands for, nil where it is not asked for that.
func (w *World) standsFor(body []byte) []byte {
	m := new(dns.Msg)
	if w.Beyond == nil || m.Unpack(body) != nil || m.Response || len(m.Question) != 1 {
		return nil
	}
	answer := new(dns.Msg)
	answer.SetReply(m)
	points, known := w.Beyond.Names[strings.TrimSuffix(m.Question[0].Name, ".")]
	switch {
	case m.Question[0].Qtype != dns.TypeA && m.Question[0].Qtype != dns.TypeNS:
		return nil
	case !known:
		answer.Rcode = dns.RcodeNameError
	case m.Question[0].Qtype == dns.TypeA:
		for _, a := range points {
			answer.Answer = append(answer.Answer, &dns.A{Hdr: dns.RR_Header{Name: m.Question[0].Name, Rrtype: dns.TypeA, Class: dns.ClassINET, Ttl: 120}, A: a.AsSlice()})
		}
	}
	b, err := answer.Pack()
	if err != nil {
		return nil
	}
	return b
}
