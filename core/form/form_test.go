package form

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"strings"
	"testing"

	"vestpin/core/past"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
)

func pick[T any](r *rand.Rand, list ...T) T { return list[r.IntN(len(list))] }

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
	return past.Ports(strings.Join(parts, ","))
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
			PortsPerLine: pick[site.PortsPerLine](r, "one", "range", "list"), Renumber: pick[site.Renumbering](r, "none", "one", "range"), LimitsSender: pick[site.SourceLimit](r, "no", "address", "network"),
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
		lines, err := Of(form).Lines(f)
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

func TestLinesOf(t *testing.T) {
	form := func(per site.PortsPerLine, renumber site.Renumbering, protocols ...site.Protocol) site.Form {
		return site.Form{PortsPerLine: per, Renumber: renumber, Protocols: protocols, LimitsSender: "no"}
	}
	cases := []struct {
		name            string
		form            site.Form
		protocol        site.Protocol
		outside, inside string
		want            []string
		cannot          bool
	}{
		{"a range whole", form("range", "none", "udp"), "udp", "16400-16463", "16400-16463", []string{"udp 16400-16463>16400-16463"}, false},
		{"a range one by one", form("one", "none", "udp"), "udp", "10-12", "10-12", []string{"udp 10>10", "udp 11>11", "udp 12>12"}, false},
		{"both as two", form("range", "none", "tcp", "udp"), "both", "53", "53", []string{"tcp 53>53", "udp 53>53"}, false},
		{"both as one", form("range", "none", "both"), "both", "53", "53", []string{"both 53>53"}, false},
		{"tcp where only both goes", form("range", "none", "both"), "tcp", "53", "53", nil, true},
		{"renumbering nowhere", form("range", "none"), "tcp", "8021", "80", nil, true},
		{"renumbering singles", form("range", "one"), "tcp", "8021,90-91", "80,90-91", []string{"tcp 8021>80", "tcp 90-91>90-91"}, false},
		{"a list", form("list", "range"), "tcp", "5060,5062-5063,8021", "5060,5062-5063,80", []string{"tcp 5060,5062-5063>5060,5062-5063", "tcp 8021>80"}, false},
		{"neighbours joined", form("range", "range"), "tcp", "80,81", "90,91", []string{"tcp 80-81>90-91"}, false},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			lines, err := Of(c.form).Lines(site.Forward{Protocol: c.protocol, Outside: past.Ports(c.outside), Inside: past.Ports(c.inside)})
			var got []string
			for _, l := range lines {
				got = append(got, fmt.Sprintf("%s %s>%s", l.Protocol, l.Outside, l.Inside))
			}
			if (err != nil) != c.cannot || !slices.Equal(got, c.want) {
				t.Errorf("got %q, %v; want %q", got, err, c.want)
			}
		})
	}
}

func TestType(t *testing.T) {
	s, err := sitefile.Read([]byte(`{"format":"vestpin-site/1","name":"x","networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1"}],
 "routers":[{"id":"edge","name":"Edge","network":"main","form":{"portsPerLine":"list","renumber":"range","protocols":["tcp","udp","both"],"limitsSender":"network","lines":6}}],
 "devices":[{"id":"p","name":"Phone","interfaces":[{"id":"p.0","network":"main","mac":"00:00:5e:00:53:60","pin":{"address":"10.48.16.60"}}],
   "services":[{"id":"p.sip","name":"calls","interface":"p.0","protocol":"both","ports":"5060,5062-5063","open":{}}]}],
 "forwards":[{"id":"a","name":"Calls","router":"edge","protocol":"both","outside":"5060,5062-5063,8021","inside":"5060,5062-5063,80","to":"p.0","from":["198.51.100.0/24","203.0.113.9"]},
	 {"id":"off","router":"edge","enabled":false,"protocol":"tcp","outside":"1","to":"p.0"},{"id":"n","router":"edge","protocol":"tcp","outside":"2","to":"192.0.2.1"}]}`))
	if err != nil {
		t.Fatal(err)
	}
	v := site.NewView(s)
	typed := Type(v, v.Routers[0])
	lines, reservations, faults := typed.Lines, typed.Reservations, typed.Faults
	var got []string
	for _, l := range lines {
		got = append(got, fmt.Sprint(l.Forward, " ", l.Protocol, " ", l.Outside, ">", l.Address, ":", l.Inside, " ", l.From))
	}
	want := []string{
		"a both 5060,5062-5063>10.48.16.60:5060,5062-5063 [198.51.100.0/24]", "a both 5060,5062-5063>10.48.16.60:5060,5062-5063 [203.0.113.9]",
		"a both 8021>10.48.16.60:80 [198.51.100.0/24]", "a both 8021>10.48.16.60:80 [203.0.113.9]", "n tcp 2>192.0.2.1:2 []",
	}
	if !reflect.DeepEqual(got, want) || len(faults) != 0 {
		t.Errorf("got %q, %v", got, faults)
	}
	if len(reservations) != 1 || reservations[0].Name != "Phone" {
		t.Errorf("reservations: %+v", reservations)
	}
}
