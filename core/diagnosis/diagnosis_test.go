package diagnosis

import (
	"fmt"
	"math"
	"net/netip"
	"slices"
	"strings"
	"testing"
	"time"

	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
)

// shop is a recorder with two services outside, a camera with one, and a till that stays in,
// behind one router with a name.
const shop = `{"format":"vestpin-site/1","name":"Shop","networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1"}],
	"routers":[{"id":"edge","network":"main","wan":{"address":"203.0.113.47","kind":"dynamic","name":"studio.example.net"},"form":{"protocols":["tcp","udp"]}}],
	"devices":[
		{"id":"rec","name":"Recorder","interfaces":[{"id":"rec.0","network":"main","mac":"00:00:5e:00:53:21","pin":{"address":"10.48.16.20","by":"reservation"}}],"services":[
			{"id":"rec.web","name":"web page","interface":"rec.0","protocol":"tcp","ports":"80","open":{"prefer":"8020"}},{"id":"rec.data","name":"data","interface":"rec.0","protocol":"tcp","ports":"554","open":{}}]},
		{"id":"cam","name":"Camera","interfaces":[{"id":"cam.0","network":"main","mac":"00:00:5e:00:53:22","pin":{"address":"10.48.16.21","by":"device"}}],"services":[{"id":"cam.web","name":"web page","interface":"cam.0","protocol":"tcp","ports":"80","open":{}}]},
		{"id":"till","name":"Till","interfaces":[{"id":"till.0","network":"main","mac":"00:00:5e:00:53:23","pin":{"address":"10.48.16.22","by":"both"}}],"services":[{"id":"till.web","name":"web page","interface":"till.0","protocol":"tcp","ports":"443"}]}],
	"forwards":[{"id":"f1","router":"edge","enabled":true,"protocol":"tcp","outside":"8020","to":"rec.0","inside":"80","service":"rec.web"},{"id":"f2","router":"edge","enabled":true,"protocol":"tcp","outside":"554","to":"rec.0","service":"rec.data"},{"id":"f3","router":"edge","enabled":true,"protocol":"tcp","outside":"8021","to":"cam.0","inside":"80","service":"cam.web"}]}`

func theShop(t testing.TB) site.Site {
	t.Helper()
	s, err := sitefile.Read([]byte(shop))
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// well is a proof of the shop in which all is as planned.
func well() site.Proof {
	at := netip.MustParseAddr
	p := site.Proof{ID: "p1", At: "2026-11-26T09:00:00Z", From: "inside", Router: site.ProofRouter{Answers: true, Control: site.HeardSilent, Keys: []string{"page router"}, Speaks: []string{"upnp"},
		Told: []site.ToldOutside{{Address: at("203.0.113.47"), By: site.ToldByRouter}, {Address: at("203.0.113.47"), By: site.ToldByAfar}}},
		Name: site.ProofName{Name: "studio.example.net", Points: []netip.Addr{at("203.0.113.47")}}}
	for i, iface := range []string{"rec.0", "cam.0", "till.0"} {
		p.Interfaces = append(p.Interfaces, site.ProofThere{Interface: iface, Planned: netip.AddrFrom4([4]byte{10, 48, 16, byte(20 + i)}), Answers: "yes", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:53:2%d", i+1))})
	}
	for _, s := range []string{"rec.web", "rec.data", "cam.web", "till.web"} {
		inside := site.Heard{Result: site.HeardAnswers, By: site.TriedHere, Key: "page " + s[:3] + s[4:]}
		outside := inside
		if outside.By = site.TriedAfar; s == "till.web" {
			outside = site.Heard{Result: site.Untried}
		}
		p.Services = append(p.Services, site.ProofHeard{Service: s, Inside: inside, Outside: outside})
	}
	return p
}

func silent(p *site.Proof, services ...string) {
	for i := range p.Services {
		if slices.Contains(services, p.Services[i].Service) && p.Services[i].Outside.Tried() {
			p.Services[i].Outside = site.Heard{Result: site.HeardSilent, By: site.TriedAfar}
		}
	}
}

func insideOf(p *site.Proof, result site.TryResult, services ...string) {
	for i := range p.Services {
		if slices.Contains(services, p.Services[i].Service) {
			p.Services[i].Inside = site.Heard{Result: result, By: site.TriedHere}
		}
	}
}

func told(p *site.Proof, by site.AddressBy, address string) {
	for i := range p.Router.Told {
		if p.Router.Told[i].By == by {
			p.Router.Told[i].Address = netip.MustParseAddr(address)
		}
	}
}

// holds puts lines into the router, the plan's where none are named.
func holds(s *site.Site, lines ...site.HeldForward) {
	plan := []site.HeldForward{line(site.TCP, 8020, "10.48.16.20", 80), line(site.TCP, 554, "10.48.16.20", 554), line(site.TCP, 8021, "10.48.16.21", 80)}
	for _, l := range lines {
		i := slices.IndexFunc(plan, func(o site.HeldForward) bool {
			return o.Address == l.Address && o.Inside.Equal(l.Inside) || o.Outside.Equal(l.Outside)
		})
		if plan[i] = l; !l.Enabled {
			plan = slices.Delete(plan, i, i+1)
		}
	}
	s.Routers[0].Held = &site.Held{Forwards: plan}
}

func line(proto site.Protocol, outside int, address string, inside int) site.HeldForward {
	return site.HeldForward{Protocol: proto, Outside: span.Port(outside), Address: netip.MustParseAddr(address), Inside: span.Port(inside), From: []string{}, Enabled: true}
}

// Each cause is first where what it does is seen, for each service that it takes, and no
// other service is said to fail.
func TestCauses(t *testing.T) {
	all := "rec.web rec.data cam.web"
	for _, c := range []struct {
		what, cause, takes string
		see                func(s *site.Site, p *site.Proof)
	}{
		{"nobody answers, not even by ARP", DeviceOff, "rec.web rec.data", func(_ *site.Site, p *site.Proof) {
			p.Interfaces[0].Answers, p.Interfaces[0].MAC = "no", ""
			insideOf(p, site.HeardSilent, "rec.web", "rec.data")
			silent(p, "rec.web", "rec.data")
		}},
		{"the till that stays in is off", DeviceOff, "till.web", func(_ *site.Site, p *site.Proof) {
			p.Interfaces[2].Answers = "no"
			insideOf(p, site.HeardSilent, "till.web")
		}},
		{"its MAC address answers elsewhere", DeviceMoved, "cam.web", func(_ *site.Site, p *site.Proof) {
			p.Interfaces[1].Answers, p.Interfaces[1].MAC, p.Interfaces[1].Found = "no", "", netip.MustParseAddr("10.48.16.133")
			insideOf(p, site.HeardSilent, "cam.web")
			silent(p, "cam.web")
		}},
		{"another MAC address answers there, with a page of its own", WrongDevice, "cam.web", func(_ *site.Site, p *site.Proof) {
			p.Interfaces[1].MAC = "00:00:5e:00:53:e0"
		}},
		{"it refuses inside", DeviceRefuses, "rec.data", func(_ *site.Site, p *site.Proof) {
			insideOf(p, site.HeardRefused, "rec.data")
			silent(p, "rec.data")
			p.Services[1].Outside.Result = site.HeardRefused
		}},
		{"it answers ARP and is silent at its port", DeviceFirewall, "rec.data", func(_ *site.Site, p *site.Proof) {
			insideOf(p, site.HeardSilent, "rec.data")
			silent(p, "rec.data")
		}},
		{"all of it answers inside, nothing outside, its lines are right", DeviceGateway, "rec.web rec.data", func(s *site.Site, p *site.Proof) {
			holds(s)
			silent(p, "rec.web", "rec.data")
		}},
		{"its line is not there", ForwardMissing, "rec.web", func(s *site.Site, p *site.Proof) {
			gone := line(site.TCP, 8020, "10.48.16.20", 80)
			gone.Enabled = false
			holds(s, gone)
			silent(p, "rec.web")
		}},
		{"its outside port is another", ForwardPort, "rec.web", func(s *site.Site, p *site.Proof) {
			holds(s, line(site.TCP, 8002, "10.48.16.20", 80))
			silent(p, "rec.web")
		}},
		{"its device port is another", ForwardPort, "rec.web", func(s *site.Site, p *site.Proof) {
			holds(s, line(site.TCP, 8020, "10.48.16.20", 81))
			silent(p, "rec.web")
			p.Services[0].Outside.Result = site.HeardRefused
		}},
		{"it answers at a port nearby", ForwardPort, "rec.web", func(_ *site.Site, p *site.Proof) {
			silent(p, "rec.web")
			p.Services[0].Stray = 8002
		}},
		{"its line is of udp", ForwardProtocol, "rec.web", func(s *site.Site, p *site.Proof) {
			holds(s, line(site.UDP, 8020, "10.48.16.20", 80))
			silent(p, "rec.web")
		}},
		{"the camera answers in its place", ForwardAddress, "rec.web", func(_ *site.Site, p *site.Proof) {
			p.Services[0].Outside.Key = p.Services[2].Inside.Key
		}},
		{"its line goes to nobody", ForwardAddress, "rec.web", func(s *site.Site, p *site.Proof) {
			holds(s, line(site.TCP, 8020, "10.48.16.29", 80))
			silent(p, "rec.web")
		}},
		{"the router's page answers", RouterAnswers, "rec.web", func(_ *site.Site, p *site.Proof) { p.Services[0].Outside.Key = "page router" }},
		{"the router lists the port for another", HeldByUPnP, "rec.web", func(_ *site.Site, p *site.Proof) {
			p.Router.Mappings = []site.HeldForward{line(site.TCP, 8020, "10.48.16.90", 80)}
			silent(p, "rec.web")
		}},
		{"the router has a private address outside", SecondRouter, all, func(_ *site.Site, p *site.Proof) {
			told(p, site.ToldByRouter, "10.99.0.2")
			silent(p, "rec.web", "rec.data", "cam.web")
		}},
		{"the way out leads through a private address, and the router tells nothing", SecondRouter, all, func(_ *site.Site, p *site.Proof) {
			p.Router.Told = p.Router.Told[1:]
			p.Router.Hops = []netip.Addr{netip.MustParseAddr("10.48.16.1"), netip.MustParseAddr("10.99.0.1")}
			silent(p, "rec.web", "rec.data", "cam.web")
		}},
		{"the router has an address that carriers share", CarrierNAT, all, func(_ *site.Site, p *site.Proof) {
			told(p, site.ToldByRouter, "100.64.5.2")
			told(p, site.ToldByAfar, "203.0.113.200")
			silent(p, "rec.web", "rec.data", "cam.web")
		}},
		{"one at 25 is silent, and its line is right", ProviderBlocks, "rec.web", func(s *site.Site, p *site.Proof) {
			s.Forwards[0].Outside = span.Port(25)
			s.Routers[0].Held = &site.Held{Forwards: []site.HeldForward{line(site.TCP, 25, "10.48.16.20", 80), line(site.TCP, 554, "10.48.16.20", 554), line(site.TCP, 8021, "10.48.16.21", 80)}}
			silent(p, "rec.web")
		}},
		{"the site is seen elsewhere, and has no name", AddressChanged, all, func(s *site.Site, p *site.Proof) {
			s.Routers[0].WAN.Name, p.Name = "", site.ProofName{}
			told(p, site.ToldByRouter, "203.0.113.99")
			told(p, site.ToldByAfar, "203.0.113.99")
		}},
		{"the name stands for the address of yesterday", NameStale, all, func(_ *site.Site, p *site.Proof) {
			told(p, site.ToldByRouter, "203.0.113.99")
			told(p, site.ToldByAfar, "203.0.113.99")
		}},
		{"tried from inside, on a router that does not loop back", NoWayBackIn, all, func(_ *site.Site, p *site.Proof) {
			silent(p, "rec.web", "rec.data", "cam.web")
			for i := range p.Services {
				p.Services[i].Outside.By = site.TriedLooped
			}
		}},
	} {
		s, p := theShop(t), well()
		c.see(&s, &p)
		r := Of(site.NewView(s), p)
		if known, work := Count(site.NewView(s), p); known != counted(r, Yes)+counted(r, No) || work != counted(r, Yes) {
			t.Errorf("%s: counted %d known and %d that work", c.what, known, work)
		}
		for _, v := range r.Services {
			takes := slices.Contains(strings.Fields(c.takes), v.Service)
			first := ""
			if len(v.Causes) > 0 {
				first = v.Causes[0].Cause
			}
			if takes != (first == c.cause) || !takes && v.Works != Yes {
				t.Errorf("%s: %s works %s (%s), first %q of %v", c.what, v.Service, v.Works, v.Says, first, brief(v.Causes))
			}
			if wanted := No; takes && c.cause != NoWayBackIn && v.Works != wanted {
				t.Errorf("%s: %s works %s", c.what, v.Service, v.Works)
			}
			checkChances(t, v)
		}
	}
}

// counted is how many services that are to be open fare so.
func counted(r Report, works string) (n int) {
	for _, v := range r.Services {
		if v.Open && v.Works == works {
			n++
		}
	}
	return n
}

func brief(causes []Cause) (out []string) {
	for _, c := range causes {
		out = append(out, fmt.Sprintf("%s %.2f", c.Cause, c.Chance))
	}
	return out
}

// The chances of all causes add to 1, the likeliest first, each with a title and a reason.
func checkChances(t *testing.T, v Verdict) {
	t.Helper()
	sum, last := 0.0, 2.0
	for _, c := range v.Causes {
		if c.Chance > last || c.Why == "" || c.Title == "" {
			t.Errorf("%s: %+v after %f", v.Service, c, last)
		}
		sum, last = sum+c.Chance, c.Chance
	}
	if len(v.Causes) > 0 && math.Abs(sum-1) > 1e-9 {
		t.Errorf("%s: the chances add to %f", v.Service, sum)
	}
}

// Where all is as planned nothing is reported; where two devices say the same it is not said
// that it is the right one; without a look from elsewhere nothing is claimed.
func TestNothingIsWrong(t *testing.T) {
	for _, c := range []struct {
		what, want string
		see        func(p *site.Proof)
	}{
		{"as planned", "rec.web yes same, rec.data yes same, cam.web yes same, till.web yes unknown", func(*site.Proof) {}},
		{"two say the same", "rec.web yes unknown, rec.data yes same, cam.web yes unknown, till.web yes unknown", func(p *site.Proof) {
			for _, i := range []int{0, 2} {
				p.Services[i].Inside.Key, p.Services[i].Outside.Key = "page camera", "page camera"
			}
		}},
		{"not tried from elsewhere", "rec.web unknown unknown, rec.data unknown unknown, cam.web unknown unknown, till.web yes unknown", func(p *site.Proof) {
			for i := range p.Services {
				p.Services[i].Outside = site.Heard{Result: site.Untried}
			}
		}},
		{"a provider's own way has private addresses, and the router tells its own", "rec.web yes same, rec.data yes same, cam.web yes same, till.web yes unknown", func(p *site.Proof) {
			p.Router.Hops = []netip.Addr{netip.MustParseAddr("10.48.16.1"), netip.MustParseAddr("10.200.0.1")}
		}},
	} {
		p := well()
		c.see(&p)
		var got []string
		for _, v := range Of(site.NewView(theShop(t)), p).Services {
			got = append(got, fmt.Sprintf("%s %s %s", v.Service, v.Works, v.Identity))
			if len(v.Causes) > 0 {
				t.Errorf("%s: %s has %v", c.what, v.Service, brief(v.Causes))
			}
		}
		if strings.Join(got, ", ") != c.want {
			t.Errorf("%s: %s", c.what, strings.Join(got, ", "))
		}
	}
}

// The further look is one that was not taken yet, and that tells the causes apart that are
// left.
func TestNextLook(t *testing.T) {
	s, p := theShop(t), well()
	silent(&p, "rec.web")
	v := Of(site.NewView(s), p).Services[0]
	if !strings.Contains(v.Causes[0].Next, "forwarding page") {
		t.Errorf("of %v the next look is %q", brief(v.Causes), v.Causes[0].Next)
	}
	holds(&s)
	silent(&p, "rec.data")
	v = Of(site.NewView(s), p).Services[0]
	if !strings.Contains(v.Causes[0].Next, "Walk to the device") {
		t.Errorf("of %v the next look is %q", brief(v.Causes), v.Causes[0].Next)
	}
}

// Where two things are wrong at once both are told first; where one explains all, that stands
// alone, and no long list of what is merely possible.
func TestTwoAtOnce(t *testing.T) {
	at := netip.MustParseAddr
	stranger := func(p *site.Proof) {
		p.Interfaces[0].MAC = "00:00:5e:00:53:e0"
		for i := range p.Services[:2] {
			p.Services[i].Inside = site.Heard{Result: site.HeardAnswers, By: site.TriedHere, Key: "page of a stranger"}
			p.Services[i].Outside = site.Heard{Result: site.HeardAnswers, By: site.TriedAfar, Key: "page of a stranger"}
		}
	}
	moved := func(_ *site.Site, p *site.Proof) {
		for i := range p.Router.Told {
			p.Router.Told[i].Address = at("203.0.113.99")
		}
	}
	for _, c := range []struct {
		what string
		do   func(*site.Site, *site.Proof)
		want []string
	}{
		{"a stranger that refuses, and the address changed", func(s *site.Site, p *site.Proof) {
			s.Routers[0].WAN.Name, p.Name = "", site.ProofName{}
			moved(s, p)
			stranger(p)
			for i := range p.Services[:2] {
				p.Services[i].Inside, p.Services[i].Outside = site.Heard{Result: site.HeardRefused, By: site.TriedHere}, site.Heard{Result: site.HeardRefused, By: site.TriedAfar}
			}
		}, []string{AddressChanged, WrongDevice}},
		{"the service is off, and the address changed", func(s *site.Site, p *site.Proof) {
			s.Routers[0].WAN.Name, p.Name = "", site.ProofName{}
			moved(s, p)
			p.Services[0].Inside, p.Services[0].Outside = site.Heard{Result: site.HeardRefused, By: site.TriedHere}, site.Heard{Result: site.HeardRefused, By: site.TriedAfar}
		}, []string{AddressChanged, DeviceRefuses}},
	} {
		s, p := theShop(t), well()
		c.do(&s, &p)
		v := Of(site.NewView(s), p).Services[0]
		var first []string
		for _, x := range v.Causes[:min(2, len(v.Causes))] {
			first = append(first, x.Cause)
		}
		slices.Sort(first)
		if v.Works != No || !slices.Equal(first, c.want) {
			t.Errorf("%s: works %s, %v", c.what, v.Works, v.Causes)
		}
	}
	s, p := theShop(t), well()
	p.Interfaces[0].Answers, p.Interfaces[0].MAC = "no", ""
	silent(&p, "rec.web", "rec.data")
	for i := range p.Services[:2] {
		p.Services[i].Inside = site.Heard{Result: site.HeardSilent, By: site.TriedHere}
	}
	if v := Of(site.NewView(s), p).Services[0]; v.Causes[0].Cause != DeviceOff || v.Causes[0].Chance < 0.9 || len(v.Causes) > 3 {
		t.Errorf("a device that is off: %v", v.Causes)
	}
}

// Who calls the name comes to the site only where all that it stands for is the site; what a
// resolver inside says of an inside address is no matter for those elsewhere.
func TestWhereTheNameLeads(t *testing.T) {
	at := func(list ...string) (out []netip.Addr) {
		for _, a := range list {
			out = append(out, netip.MustParseAddr(a))
		}
		return out
	}
	for _, c := range []struct {
		points, own []netip.Addr
		absent      bool
		works, says string
	}{
		{at("203.0.113.47"), nil, false, Yes, ""},
		{at("203.0.113.47", "203.0.113.60"), nil, false, Yes, ""}, // of two ways to the provider
		{at("203.0.113.60"), nil, false, No, ""},
		{at("203.0.113.47", "198.51.100.9"), nil, false, No, "the site's address and for 1 more"},
		{at("10.48.16.1"), at("203.0.113.47"), false, Yes, ""}, // the router answers for it itself
		{at("10.48.16.1"), nil, false, Yes, "what others are told is not known"},
		{at("10.48.16.1"), at("192.168.7.2"), false, No, "a private address"},
		{at("198.51.100.9"), at("203.0.113.47"), false, No, "Its own servers say 203.0.113.47 already"},
		{nil, nil, true, No, ""},
		{nil, nil, false, Yes, ""},
	} {
		s, p := theShop(t), well()
		s.Networks = append(s.Networks, site.Network{ID: "second", Subnet: netip.MustParsePrefix("10.48.17.0/24")})
		s.Routers = append(s.Routers, site.Router{ID: "other", Network: "second", WAN: site.WAN{Address: netip.MustParseAddr("203.0.113.60")}})
		p.Name.Points, p.Name.Own, p.Name.Absent = c.points, c.own, c.absent
		r := Of(site.NewView(s), p)
		v := r.Services[0]
		if v.Works != c.works || !strings.Contains(r.Name.Says, c.says) || c.works == No && (len(v.Causes) == 0 || v.Causes[0].Cause != NameStale) {
			t.Errorf("%v, own %v: works %s %v, %q", c.points, c.own, v.Works, v.Causes, r.Name.Says)
		}
	}
}

// 200 services are judged in 20 ms.
func TestJudgesQuickly(t *testing.T) {
	s, p := theShop(t), well()
	for i := range 200 {
		d := s.Devices[0]
		d.ID, d.Interfaces, d.Services = fmt.Sprint("d", i), slices.Clone(d.Interfaces), slices.Clone(d.Services[:1])
		d.Interfaces[0].ID, d.Services[0].ID, d.Services[0].Interface = d.ID+".0", d.ID+".s", d.ID+".0"
		d.Interfaces[0].Pin = &site.Pin{Address: netip.AddrFrom4([4]byte{10, 48, 17, byte(i)}), By: "device"}
		s.Devices = append(s.Devices, d)
		s.Forwards = append(s.Forwards, site.Forward{ID: "g" + d.ID, Router: "edge", Enabled: true, Protocol: site.TCP, Outside: span.Port(20000 + i), To: d.ID + ".0", Inside: span.Port(80), Service: d.ID + ".s"})
		p.Services = append(p.Services, site.ProofHeard{Service: d.ID + ".s", Inside: site.Heard{Result: site.HeardAnswers, Key: fmt.Sprint(i)}, Outside: site.Heard{Result: site.HeardSilent, By: site.TriedAfar}})
	}
	holds(&s)
	v, best := site.NewView(s), time.Hour
	for range 5 {
		begin := time.Now()
		if r := Of(v, p); len(r.Services) != 204 || r.Works() {
			t.Fatal("not all are judged")
		}
		best = min(best, time.Since(begin))
	}
	if best > 60*time.Millisecond { // 20 on a quiet machine
		t.Errorf("204 services took %v", best)
	}
	t.Log(best)
}
