package forwarding

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/past"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// by is a forward that stands on a router.
func by(id, router string, proto site.Protocol, outside, to, inside, service string) site.Forward {
	return site.Forward{ID: id, Router: router, Enabled: true, Protocol: proto, Outside: past.Ports(outside), To: to, Inside: past.Ports(inside), Service: service}
}

// The reason of a change is the true one.
func TestWhyBesideTheOtherProtocol(t *testing.T) {
	s := row(1, 1)
	s.Devices[0].Services[0].Protocol = site.Both
	s.Forwards = []site.Forward{by("a", "r0", site.TCP, "8080", "d0", "80", "d0")}
	if plan := Suggest(site.NewView(s)); len(plan.Changes) != 1 || plan.Changes[0].Why != "d0 80 is reached at 8080, where its other protocol is." {
		t.Errorf("got %+v", plan.Changes)
	}
}

// What a plan makes of sites in which more is at work than one forward for each service.
func TestWaysOut(t *testing.T) {
	limited := func(s *site.Site, routers ...string) {
		s.Devices[0].Services[0].Open.From = past.Senders("198.51.100.0/24")
		for i := range s.Routers {
			if slices.Contains(routers, s.Routers[i].ID) {
				s.Routers[i].Form.LimitsSender = "network"
			} else {
				s.Routers[i].Form.LimitsSender = "no"
			}
		}
	}
	cases := []struct {
		name  string
		site  func() site.Site
		wants []string // what stands in the end, on which router, for whom
		unmet string   // how what is not met is explained
	}{
		{"exposed, but not where it prefers to be", func() site.Site {
			s := row(1, 1)
			s.Routers[0].ExposedHost, s.Devices[0].Services[0].Open.Prefer = "d0", span.Port(82)
			return s
		}, []string{"r0 tcp 82 to d0:80"}, ""},
		{"exposed where it prefers to be", func() site.Site {
			s := row(1, 1)
			s.Routers[0].ExposedHost = "d0"
			return s
		}, nil, ""},
		{"through two wide forwards, where both let it", func() site.Site {
			s := row(3, 1)
			s.Routers[0].OwnPorts, s.Routers[0].Form.Renumber = []site.OwnPort{{Protocol: site.Both, Ports: span.Port(80)}}, "none"
			s.Forwards = []site.Forward{by("a", "r0", site.TCP, "10000-30000", "10.0.0.9", "10000-30000", ""), by("b", "r1", site.TCP, "20000-40000", "10.1.0.9", "20000-40000", "")}
			return s
		}, []string{"r0 tcp 10000-30000 to 10.0.0.9:10000-30000", "r1 tcp 20000-40000 to 10.1.0.9:20000-40000", "r2 tcp 20000 to d0:80"}, ""},
		{"through two wide forwards that have no port in common", func() site.Site {
			s := row(3, 1)
			for i := range 2 {
				s.Routers[i].OwnPorts, s.Routers[i].Form.Renumber = []site.OwnPort{{Protocol: site.Both, Ports: span.Port(80)}}, "none"
				s.Routers[i].Form.Lines = 1
			}
			s.Forwards = []site.Forward{by("a", "r0", site.TCP, "10000-19999", "10.0.0.9", "10000-19999", ""), by("b", "r1", site.TCP, "20000-29999", "10.1.0.9", "20000-29999", "")}
			return s
		}, []string{"r0 tcp 10000-19999 to 10.0.0.9:10000-19999", "r1 tcp 20000-29999 to 10.1.0.9:20000-29999"}, "d0 80 stays shut"},
		{"one protocol by the exposed host, which another must leave it", func() site.Site {
			s := row(2, 2)
			s.Routers[0].ExposedHost = "10.0.0.9"
			s.Routers[1].OwnPorts = []site.OwnPort{{Protocol: site.TCP, Ports: span.Port(80)}}
			s.Devices[0].Services[0].Protocol, s.Devices[1].Services[0].Protocol = site.Both, site.UDP
			s.Devices[0].Rank, s.Devices[1].Rank = 1, 2
			for i := range 2 {
				s.Devices[i].Services[0].Open.Port = site.SamePort
			}
			s.Forwards = []site.Forward{by("a", "r1", site.UDP, "80", "d0", "80", "d0")}
			return s
		}, []string{"r1 udp 80 to d0:80", "r1 tcp 8020 to d0:80", "r0 tcp 80 to 10.0.0.9:8020"}, "d1 80 stays shut: d0 80 has 80/udp at unnamed router"},
		{"one protocol stands, the other goes beside it", func() site.Site {
			s := row(1, 1)
			s.Devices[0].Services[0].Protocol = site.Both
			s.Forwards = []site.Forward{by("a", "r0", site.TCP, "8080", "d0", "80", "d0")}
			return s
		}, []string{"r0 tcp 8080 to d0:80", "r0 udp 8080 to d0:80"}, ""},
		{"one protocol is carried by another service", func() site.Site {
			s := row(1, 1)
			s.Devices[0].Services[0].Protocol, s.Devices[0].Services[0].Open.Port = site.Both, site.SamePort
			s.Devices[0].Services = append(s.Devices[0].Services, site.Service{ID: "wide", Interface: "d0", Protocol: site.TCP, Ports: past.Ports("80-82"), Open: &site.Open{Port: site.SamePort}})
			return s
		}, []string{"r0 udp 80 to d0:80", "r0 tcp 80-82 to d0:80-82"}, ""},
		{"a port of the router's own, by UDP", func() site.Site {
			s := row(1, 1)
			s.Routers[0].OwnPorts = []site.OwnPort{{Protocol: site.Both, Ports: span.Port(80)}}
			s.Devices[0].Services[0].Protocol, s.Devices[0].Services[0].Open.Port = site.UDP, site.SamePort
			return s
		}, nil, "unnamed router answers on 80 itself"},
		{"what the router cannot have, and what works only by the exposed host", func() site.Site {
			s := row(1, 2)
			s.Routers[0].ExposedHost, s.Routers[0].Form.Renumber = "d1", "none"
			s.Devices[0].Rank, s.Devices[1].Rank = 1, 2
			s.Devices[1].Services[0].Open.Port = site.SamePort
			s.Forwards = []site.Forward{by("a", "r0", site.TCP, "82", "d0", "80", "d0")}
			return s
		}, []string{"r0 tcp 82 to d0:80"}, ""},
		{"a device without a pin, which works", func() site.Site {
			s := row(1, 1)
			s.Devices[0].Interfaces[0].Pin = nil
			s.Forwards = []site.Forward{by("a", "r0", site.TCP, "80", "d0", "80", "d0"), by("b", "r0", site.UDP, "80", "d0", "80", "d0")}
			return s
		}, []string{"r0 tcp 80 to d0:80"}, ""},
		{"a device without a pin, which does not", func() site.Site {
			s := row(1, 1)
			s.Devices[0].Interfaces[0].Pin, s.Devices[0].Services[0].Protocol = nil, site.Both
			s.Forwards = []site.Forward{by("a", "r0", site.TCP, "80", "d0", "80", "d0")}
			return s
		}, nil, "has no pin"},
		{"a page that knows only lines of both protocols", func() site.Site {
			s := row(1, 2)
			s.Routers[0].Form.Protocols, s.Routers[0].Form.Renumber = []site.Protocol{site.Both}, "none"
			s.Devices[0].Rank, s.Devices[1].Services[0].Protocol = 1, site.UDP
			return s
		}, []string{"r0 both 80 to d0:80"}, "d1 80 stays shut: d0 80 has 80/"},
		{"only the inner router limits sources", func() site.Site {
			s := row(2, 1)
			limited(&s, "r1")
			return s
		}, []string{"r1 tcp 80 to d0:80 from 198.51.100.0/24", "r0 tcp 80 to 10.0.0.9:80"}, ""},
		{"only the outer router limits sources", func() site.Site {
			s := row(2, 1)
			limited(&s, "r0")
			return s
		}, []string{"r1 tcp 80 to d0:80", "r0 tcp 80 to 10.0.0.9:80 from 198.51.100.0/24"}, ""},
		{"two forwards that together let all in, where they overlap", func() site.Site {
			s := row(2, 1)
			limited(&s, "r0", "r1")
			s.Devices[0].Services[0].Ports = span.Port(81)
			s.Forwards = []site.Forward{by("a", "r1", site.TCP, "80-81", "d0", "80-81", ""), by("b", "r1", site.TCP, "81-82", "d0", "81-82", "")}
			s.Forwards[0].From, s.Forwards[1].From = past.Senders("198.51.100.0/25"), past.Senders("198.51.100.128/25")
			return s
		}, []string{"r1 tcp 80-81 to d0:80-81 from 198.51.100.0/25", "r1 tcp 81-82 to d0:81-82 from 198.51.100.128/25", "r0 tcp 81 to 10.0.0.9:81 from 198.51.100.0/24"}, ""},
		{"two forwards that together let only some in", func() site.Site {
			s := row(2, 1)
			limited(&s, "r0", "r1")
			s.Forwards = []site.Forward{by("a", "r1", site.TCP, "80", "d0", "80", ""), by("b", "r1", site.TCP, "80", "d0", "80", "")}
			s.Forwards[0].From, s.Forwards[1].From = past.Senders("198.51.100.0/26"), past.Senders("198.51.100.64/26")
			return s
		}, []string{"r1 tcp 80 to d0:80 from 198.51.100.0/26", "r1 tcp 80 to d0:80 from 198.51.100.64/26", "r1 tcp 8020 to d0:80 from 198.51.100.0/24", "r0 tcp 80 to 10.0.0.9:8020 from 198.51.100.0/24"}, ""},
		{"sources that come to the outer router as the inner one", func() site.Site {
			s := row(2, 1)
			limited(&s, "r0", "r1")
			s.Routers[0].LoopsBack, s.Devices[0].Services[0].Open.From = "yes", past.Senders("10.1.0.0/24")
			return s
		}, nil, "come to unnamed router as 10.0.0.9 (router at 10.0.0.9): allow that address as well"},
		{"the outer router limits single addresses alone, the inner one networks", func() site.Site {
			s := row(2, 1)
			limited(&s, "r1")
			s.Routers[0].Form.LimitsSender = "address"
			return s
		}, []string{"r1 tcp 80 to d0:80 from 198.51.100.0/24", "r0 tcp 80 to 10.0.0.9:80"}, ""},
		{"no router limits sources", func() site.Site {
			s := row(2, 1)
			limited(&s)
			return s
		}, nil, "cannot limit who may connect"},
		{"no router limits sources, and the plain port is the router's own", func() site.Site {
			s := row(2, 1)
			limited(&s)
			s.Routers[0].OwnPorts, s.Routers[0].Form.Renumber = []site.OwnPort{{Protocol: site.Both, Ports: span.Port(80)}}, "none"
			return s
		}, nil, "cannot limit who may connect"},
		{"the outer router limits sources, but sends all other ports on to anybody", func() site.Site {
			s := row(2, 1)
			limited(&s, "r0")
			s.Routers[0].ExposedHost, s.Devices[0].Services[0].Open.Port = "10.0.0.9", "8080"
			s.Routers[1].Form.Refuses = past.Ports("8080")
			return s
		}, nil, "cannot limit who may connect"},
		{"the outer router limits sources, but leads another port there for anybody", func() site.Site {
			s := row(2, 1)
			limited(&s, "r0")
			s.Forwards = []site.Forward{by("a", "r0", site.TCP, "8888", "10.0.0.9", "80", ""), by("b", "r0", site.TCP, "8889", "10.0.0.9", "8020", "")}
			return s
		}, []string{"r0 tcp 8888 to 10.0.0.9:80", "r0 tcp 8889 to 10.0.0.9:8020", "r1 tcp 10001 to d0:80", "r0 tcp 80 to 10.0.0.9:10001 from 198.51.100.0/24"}, ""},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			s := c.site()
			v := site.NewView(s)
			plan := Suggest(v)
			next, _, err := edit.Apply(s, plan.Edits())
			if err != nil {
				t.Fatal(err)
			}
			var got []string
			for _, f := range next.Forwards {
				from := ""
				for _, a := range f.From {
					from += " from " + a.String()
				}
				got = append(got, fmt.Sprintf("%s %s %s to %s:%s%s", f.Router, f.Protocol, f.Outside, f.To, f.InsidePorts(), from))
			}
			if !slices.Equal(got, c.wants) {
				t.Errorf("got  %q\nwant %q", got, c.wants)
			}
			if c.unmet == "" && len(plan.Unmet) > 0 || c.unmet != "" && (len(plan.Unmet) != 1 || !strings.Contains(plan.Unmet[0].Says, c.unmet)) {
				t.Errorf("unmet %+v, want %q", plan.Unmet, c.unmet)
			}
			unmet := 0
			for _, w := range site.NewView(next).Wishes() {
				if !reach.Of(site.NewView(next)).Met(w) {
					unmet++
				}
			}
			if unmet != len(plan.Unmet) {
				t.Errorf("%d are not met, and %+v are told", unmet, plan.Unmet)
			}
			if more := Suggest(site.NewView(next)); len(more.Changes) > 0 {
				t.Errorf("then there is %+v", more.Changes)
			}
		})
	}
}
