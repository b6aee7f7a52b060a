package reach

import (
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"testing"

	"vestpin/core/past"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
)

// hold gives the lines that stand on the page of a router, some of them changed as by a
// tired hand.
func hold(r *rand.Rand, s site.Site, router string) []site.HeldForward {
	v := site.NewView(s)
	var out []site.HeldForward
	for _, f := range s.Forwards {
		if f.Router != router || r.IntN(6) == 0 {
			continue
		}
		h := site.HeldForward{Name: f.Name, Protocol: f.Protocol, Outside: f.Outside, Inside: f.InsidePorts(), Enabled: f.Enabled}
		h.Address, _ = v.Target(f)
		for _, from := range f.From {
			h.From = append(h.From, from.String())
		}
		switch r.IntN(9) {
		case 0:
			h.Protocol = site.TCP
		case 1:
			h.Enabled = !h.Enabled
		case 2:
			h.Address = netip.MustParseAddr("10.48.16.77")
		case 3:
			h.From = []string{"198.51.100.1-198.51.100.2"}
		case 4:
			if one, ok := h.Outside.Single(); ok {
				h.Outside = span.Port(one + 1)
			}
		}
		if h.Address.IsValid() {
			out = append(out, h)
		}
	}
	if r.IntN(3) == 0 {
		r.Shuffle(len(out), func(i, j int) { out[i], out[j] = out[j], out[i] })
	}
	return out
}

// hop is what a router does with one packet, worked out line by line.
func hop(s site.Site, router string, forwards []site.Forward, host string, proto site.Protocol, port int, sender netip.Addr) Treated {
	v := site.NewView(s)
	r, _ := v.Router(router)
	for _, own := range r.OwnPorts {
		if own.Protocol.Covers(proto) && own.Ports.Index(uint32(port)) >= 0 {
			return Treated{Fate: ToRouter}
		}
	}
	for _, f := range forwards {
		all := map[byte]bool{} // the halves of all addresses that are let in
		for _, w := range f.From {
			for _, half := range []byte{0, 128} {
				all[half] = all[half] || w.Bits() < 2 && w.Contains(netip.AddrFrom4([4]byte{half}))
			}
		}
		may := len(f.From) == 0 || all[0] && all[128] || slices.ContainsFunc(f.From, func(w site.Sender) bool { return sender.IsValid() && w.Contains(sender) })
		if at := f.Outside.Index(uint32(port)); f.Router == router && f.Enabled && f.Protocol.Covers(proto) && at >= 0 && may {
			address, _ := v.Target(f)
			return Treated{Fate: Forwarded, Address: address, Inside: span.Port(int(f.InsidePorts().At(at)))}
		}
	}
	if address, _ := v.TargetOf(router, host); host != "" {
		return Treated{Fate: Forwarded, Address: address, Inside: span.Port(port), Exposed: true}
	}
	return Treated{Fate: Dropped}
}

// asForwards makes forwards of held lines, apart from the code that is tested.
func asForwards(held []site.HeldForward, router string) []site.Forward {
	var out []site.Forward
	for _, h := range held {
		f := site.Forward{Router: router, Enabled: h.Enabled, Protocol: h.Protocol, Outside: h.Outside, Inside: h.Inside, To: h.Address.String()}
		for _, w := range h.From {
			for _, word := range strings.Split(w, "-") { // the ranges here are of two
				one, _ := site.ParseSender(word)
				f.From = append(f.From, one)
			}
		}
		out = append(out, f)
	}
	return out
}

// The comparison says of every packet and sender whether both treat it alike, and where not
// what each does.
func TestCompareAgainstPackets(t *testing.T) {
	r := rand.New(rand.NewPCG(61, 62))
	differ, alike := 0, 0
	for round := range 500 {
		s := past.Chain(r, 3)
		m := Of(site.NewView(s))
		router := s.Routers[r.IntN(len(s.Routers))].ID
		held := hold(r, s, router)
		r0, _ := site.NewView(s).Router(router)
		has, exposed, host := site.Held{Forwards: held}, r0.ExposedHost, past.Pick(r, "", "10.48.0.5", "10.48.0.14")
		has.ExposedHost, _ = netip.ParseAddr(host)
		got := m.Compare(router, has)
		if len(got.Doubts) > 0 {
			t.Fatalf("round %d: doubts %v", round, got.Doubts)
		}
		is := asForwards(held, router)
		for _, from := range someSenders {
			sender := parseSender(from)
			for _, proto := range site.Both.Each() {
				for port := 78; port < 9005; port++ {
					if port == 90 {
						port = 8995
					}
					plan, is := hop(s, router, s.Forwards, exposed, proto, port, sender), hop(s, router, is, host, proto, port, sender)
					k := slices.IndexFunc(got.Differs, func(d Discrepancy) bool {
						return d.Protocol == proto && d.Ports.Index(uint32(port)) >= 0 && concerns(d, sender)
					})
					same := plan.Fate == is.Fate && plan.Address == is.Address && plan.Inside.Equal(is.Inside)
					if same != (k < 0) {
						t.Fatalf("round %d: %d/%s from %q: planned %v, held %v, and told %v\n%s\n%v", round, port, proto, from, plan, is, got.Differs, sitefile.Write(s), held)
					}
					if same {
						alike++
						continue
					}
					differ++
					d := got.Differs[k]
					if !treats(d.Plan, plan, d.Ports.Index(uint32(port))) || !treats(d.Held, is, d.Ports.Index(uint32(port))) || d.Says == "" {
						t.Fatalf("round %d: %d/%s from %q: planned %v, held %v, and told %v", round, port, proto, from, plan, is, d)
					}
				}
			}
		}
	}
	if differ < 2_000 || alike < 10_000 {
		t.Errorf("only %d packets differed and %d did not", differ, alike)
	}
}

func concerns(d Discrepancy, sender netip.Addr) bool {
	in := func(list []site.Sender) bool {
		return slices.ContainsFunc(list, func(w site.Sender) bool { return sender.IsValid() && w.Contains(sender) })
	}
	if d.From != nil {
		return in(d.From)
	}
	return !in(d.Except)
}

func treats(told, is Treated, at int) bool {
	if told.Fate != is.Fate || told.Address != is.Address {
		return false
	}
	return told.Fate != Forwarded || told.Inside.At(at) == is.Inside.At(0)
}

// Each kind of slip is told in a sentence of its own.
func TestComparisonSays(t *testing.T) {
	s, err := sitefile.Read([]byte(`{"format":"vestpin-site/1","name":"Saltmarsh Pottery",
		"networks":[{"id":"main","subnet":"10.48.16.0/24"}],"routers":[{"id":"edge","name":"Hall router","network":"main","ownPorts":[{"protocol":"tcp","ports":"443"}]}],
		"devices":[{"id":"rec","name":"Gallery recorder","interfaces":[{"id":"rec.0","network":"main","pin":{"address":"10.48.16.20","by":"reservation"}}]}],
		"forwards":[{"id":"f1","router":"edge","protocol":"both","outside":"8020","inside":"80","to":"rec.0"},
			{"id":"f2","router":"edge","protocol":"tcp","outside":"6970-6979","to":"rec.0","from":["198.51.100.0/24"]}]}`))
	if err != nil {
		t.Fatal(err)
	}
	page := func(h site.HeldForward) []site.HeldForward {
		return []site.HeldForward{h, line("tcp", "6970-6979", "10.48.16.20", "6970-6979", "198.51.100.0/24")}
	}
	cases := []struct {
		what string
		held []site.HeldForward
		says []string
	}{
		{"as planned", page(line("both", "8020", "10.48.16.20", "80")), nil},
		{"an address where nobody is", page(line("both", "8020", "10.48.16.12", "80")), []string{
			"8020/tcp goes to 10.48.16.12 in the router, planned to Gallery recorder (10.48.16.20 port 80).",
			"8020/udp goes to 10.48.16.12 in the router, planned to Gallery recorder (10.48.16.20 port 80)."}},
		{"a digit, but in two parts", page(line("both", "8020", "10.48.17.21", "80")), []string{
			"8020/tcp goes to 10.48.17.21 in the router, planned to Gallery recorder (10.48.16.20 port 80).",
			"8020/udp goes to 10.48.17.21 in the router, planned to Gallery recorder (10.48.16.20 port 80)."}},
		{"one digit too many", page(line("both", "8020", "10.48.16.200", "80"))[:1], []string{
			"6970-6979/tcp to Gallery recorder (10.48.16.20 port 6970-6979) is shut in the router for 198.51.100.0/24, and planned to be open.",
			"8020/tcp goes to 10.48.16.200 in the router, planned to Gallery recorder (10.48.16.20 port 80): a digit?",
			"8020/udp goes to 10.48.16.200 in the router, planned to Gallery recorder (10.48.16.20 port 80): a digit?"}},
		{"one protocol", page(line("tcp", "8020", "10.48.16.20", "80")), []string{
			"8020/udp is missing in the router for Gallery recorder (10.48.16.20 port 80): tcp alone is there."}},
		{"digits exchanged", page(line("both", "8002", "10.48.16.20", "80")), []string{
			"8002/tcp leads to 10.48.16.20 port 80 in the router; planned as 8020.",
			"8020/tcp to Gallery recorder (10.48.16.20 port 80) is missing in the router, which has 8002 for it: a digit?",
			"8002/udp leads to 10.48.16.20 port 80 in the router; planned as 8020.",
			"8020/udp to Gallery recorder (10.48.16.20 port 80) is missing in the router, which has 8002 for it: a digit?"}},
		{"the device port", page(line("both", "8020", "10.48.16.20", "81")), []string{
			"8020/tcp arrives at port 81 in the router, planned at 80: a digit?", "8020/udp arrives at port 81 in the router, planned at 80: a digit?"}},
		{"for everybody", []site.HeldForward{line("both", "8020", "10.48.16.20", "80"), line("tcp", "6970-6979", "10.48.16.20", "", "any")}, []string{
			"6970-6979/tcp is open in the router for everybody but 198.51.100.0/24, and planned for others."}},
		{"in no plan, and the router's own port", append(page(line("both", "8020", "10.48.16.20", "80")), line("tcp", "440-446", "10.48.16.9", "440")), []string{
			"440-442/tcp leads to 10.48.16.9 port 440-442: open in the router and in no plan.",
			"444-446/tcp leads to 10.48.16.9 port 444-446: open in the router and in no plan."}},
		{"a name for senders", page(line("both", "8020", "10.48.16.20", "80", "Office")), []string{
			`who may connect is written "Office", which is no address, network or range`}},
	}
	for _, c := range cases {
		t.Run(c.what, func(t *testing.T) {
			got := Of(site.NewView(s)).Compare("edge", site.Held{Forwards: c.held})
			var says []string
			for _, d := range got.Differs {
				says = append(says, d.Says)
			}
			for _, d := range got.Doubts {
				says = append(says, d.Says)
			}
			if !slices.Equal(says, c.says) || got.Same() != (c.says == nil) {
				t.Errorf("got\n%s\nwant\n%s", strings.Join(says, "\n"), strings.Join(c.says, "\n"))
			}
		})
	}
}

func line(proto site.Protocol, outside, address, inside string, from ...string) site.HeldForward {
	h := site.HeldForward{Protocol: proto, Address: netip.MustParseAddr(address), From: from, Enabled: true}
	h.Outside, _ = span.ParsePorts(outside)
	h.Inside, _ = span.ParsePorts(inside)
	return h
}

func TestSlip(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want bool
	}{
		{"8020", "8021", true}, {"8020", "8002", true}, {"20", "200", true}, {"8020", "820", true}, {"10", "01", true},
		{"8020", "8020", false}, {"12", "20", false}, {"8015", "8305", false}, {"8015", "8351", false}, {"20", "2001", false}, {"", "8", false},
	} {
		if got := slip(c.a, c.b); got != c.want || slip(c.b, c.a) != c.want {
			t.Errorf("%s for %s: %v", c.a, c.b, got)
		}
	}
}

// A difference names the entry, and its line in what was read; where that is not known, its place.
func TestDifferenceNamesTheLine(t *testing.T) {
	v, held := manyForwards(12)
	for _, line := range []int{0, 7} {
		held[10].Line = line
		want := map[int]int{0: 11, 7: 7}[line]
		c := Of(v).Compare("edge", site.Held{Forwards: held})
		if !slices.ContainsFunc(c.Differs, func(d Discrepancy) bool { return d.Forward == "f10" && d.Entry == 11 && d.Line == want }) {
			t.Errorf("line %d: %+v", line, c.Differs)
		}
	}
}

func TestAnyOfIsNoMoreThanThem(t *testing.T) {
	some := One(netip.MustParseAddr("198.51.100.7"))
	rest := Anyone.Minus(some)
	if got := AnyOf([]Sources{rest}); got.everybody() || !got.Overlap(some).Nobody() || !got.Covers(rest) {
		t.Errorf("all but one are %+v", got)
	}
	if !AnyOf([]Sources{rest, some}).everybody() || !AnyOf(nil).Nobody() {
		t.Error("with the one they are everybody; none are nobody")
	}
}
