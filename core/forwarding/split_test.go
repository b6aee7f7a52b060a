package forwarding

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"vestpin/core/site"
	"vestpin/core/span"
)

// randomPorts makes a list of n ports in pieces, in any order.
func randomPorts(t *testing.T, r *rand.Rand, n int) span.Ports {
	t.Helper()
	var parts []string
	next := 1 + r.IntN(50)
	for n > 0 {
		long := 1 + r.IntN(n)
		part := fmt.Sprint(next)
		if long > 1 {
			part = fmt.Sprintf("%d-%d", next, next+long-1)
		}
		parts = append(parts, part)
		next += long + r.IntN(3)
		n -= long
	}
	r.Shuffle(len(parts), func(i, j int) { parts[i], parts[j] = parts[j], parts[i] })
	return ports(t, strings.Join(parts, ","))
}

// atoms takes a forward or lines apart into single packets' ways.
func atoms(protocol site.Protocol, outside, inside span.Ports, from []site.Sender) []string {
	senders := []string{"anyone"}
	if len(from) > 0 {
		senders = nil
		for _, s := range from {
			senders = append(senders, s.String())
		}
	}
	var out []string
	for _, p := range protocol.Each() {
		for i := range outside.Len() {
			for _, s := range senders {
				out = append(out, fmt.Sprint(p, " ", outside.At(i), ">", inside.At(i), " ", s))
			}
		}
	}
	return out
}

// Whatever the form, the lines say together exactly what the forward says, and
// each line is one that the form takes.
func TestSplitSaysTheSame(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 22))
	cannot := 0
	for range 6000 {
		form := site.Form{
			PortsPerLine: pick(r, "one", "range", "list"), Renumber: pick(r, "none", "one", "range"), LimitsSender: pick(r, "no", "address", "network"),
			Protocols: pick(r, []site.Protocol{"tcp", "udp"}, []site.Protocol{"tcp", "udp", "both"}, []site.Protocol{"both"}, nil),
		}
		n := 1 + r.IntN(8)
		f := site.Forward{ID: "f", Protocol: pick(r, site.TCP, site.UDP, site.Both), Outside: randomPorts(t, r, n), Inside: randomPorts(t, r, n)}
		if r.IntN(3) == 0 {
			f.Inside = span.Ports{}
		}
		for range r.IntN(3) {
			s, _ := site.ParseSender(pick(r, "198.51.100.7", "198.51.100.0/24", "203.0.113.9"))
			if !slices.Contains(f.From, s) {
				f.From = append(f.From, s)
			}
		}
		lines, err := Split(form, f)
		if err != nil {
			cannot++
			continue
		}
		var got []string
		for _, l := range lines {
			got = append(got, atoms(l.Protocol, l.Outside, l.Inside, l.From)...)
			checkLine(t, form, l)
		}
		want := atoms(f.Protocol, f.Outside, f.InsidePorts(), f.From)
		slices.Sort(got)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Fatalf("%+v as %+v: got %q, want %q", f, form, got, want)
		}
	}
	if cannot == 0 || cannot > 5000 {
		t.Errorf("%d of 6000 cannot be expressed", cannot)
	}
}

// checkLine holds one line against the form.
func checkLine(t *testing.T, form site.Form, l Line) {
	t.Helper()
	moved := l.Outside.At(0) != l.Inside.At(0)
	pieces := len(l.Outside.Pieces())
	switch {
	case l.Outside.Len() != l.Inside.Len(),
		form.PortsPerLine == "one" && l.Outside.Len() > 1,
		form.PortsPerLine == "range" && pieces > 1,
		moved && form.Renumber == "none",
		moved && form.Renumber == "one" && l.Outside.Len() > 1,
		moved && pieces > 1,
		len(l.From) > 1,
		len(l.From) == 1 && (form.LimitsSender == "no" || (form.LimitsSender == "address" && l.From[0].Bits() < 32)),
		len(form.Protocols) > 0 && !slices.Contains(form.Protocols, l.Protocol):
		t.Fatalf("%+v is no line of %+v", l, form)
	}
}

// A packet goes where the first matching line of the router would send it.
func TestWalkAgainstLines(t *testing.T) {
	r := rand.New(rand.NewPCG(31, 32))
	for range 1500 {
		s := smallSite(t, r)
		form := &s.Routers[0].Form
		*form = site.Form{PortsPerLine: "one", Renumber: "one", LimitsSender: "network", Protocols: []site.Protocol{"tcp", "udp"}}
		for i := range r.IntN(5) {
			f := site.Forward{ID: fmt.Sprint("x", i), Router: "edge", Enabled: r.IntN(5) > 0, Protocol: pick(r, site.TCP, site.Both), Outside: ports(t, pick(r, "80-82", "81", "82,80")), To: pick(r, "d0.0", "d1.0", "10.48.16.99")}
			if r.IntN(3) == 0 {
				f.From = []site.Sender{{Prefix: mustPrefix("198.51.100.0/28")}}
			}
			s.Forwards = append(s.Forwards, f)
		}
		v := site.NewView(s)
		lines := Lines(v, s.Routers[0]).Lines
		for _, sender := range []string{"198.51.100.1", "203.0.113.1"} {
			for port := 79; port <= 84; port++ {
				who := mustPrefix(sender + "/32").Addr()
				want := "dropped"
				if own := s.Routers[0].OwnPorts; len(own) > 0 && own[0].Ports.Index(uint32(port)) >= 0 {
					want = "router"
				} else {
					for _, l := range lines {
						if l.Protocol == site.TCP && l.Outside.Index(uint32(port)) >= 0 && (len(l.From) == 0 || l.From[0].Contains(who)) {
							want = fmt.Sprint(l.Forward, " ", l.Address, ":", l.Inside)
							break
						}
					}
				}
				fate := Walk(v, Packet{"edge", port, site.TCP, who})
				got := fate.Fate
				if got == Forwarded {
					got = fmt.Sprint(fate.Path[0].Forward, " ", fate.Address, ":", fate.Port)
				}
				if got != want {
					t.Fatalf("port %d from %s: walked to %q, the lines say %q\n%s", port, sender, got, want, site.Write(s))
				}
			}
		}
	}
}
