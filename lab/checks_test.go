package lab

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"os/exec"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"vestpin/core/diagnosis"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
	"vestpin/core/usage"
	"vestpin/read"
	"vestpin/store"
)

var (
	diagnoseRuns = flag.Int("diagnose", 0, "how many runs with one fault; half as many with two, a quarter with none")
	diagnoseInto = flag.String("diagnose-into", "", "the file that the table of hits goes into")
)

// trialPlan is a site on the street, and what its devices really serve.
type trialPlan struct {
	site    site.Site
	servers map[string][]server // by device
	open    []string            // services that are to be open
}

// The kinds of service that a device of the street may have.
var served = []struct {
	kind, name, speaks string
	protocol           site.Protocol
	port               uint32
}{
	{"recorder", "web page", "http", site.TCP, 80}, {"recorder", "data", "rtsp", site.TCP, 554},
	{"camera", "web page", "http", site.TCP, 80}, {"phone-system", "calls", "sip", site.UDP, 5060}, {"phone-system", "page", "https", site.TCP, 443},
	{"computer", "shell", "ssh", site.TCP, 22}, {"file-server", "files", "https", site.TCP, 443}, {"file-server", "page", "http", site.TCP, 8080},
}

var kindsServed = []string{"recorder", "camera", "phone-system", "computer", "file-server"}

// randomPlan makes a plan for a street: five devices at random addresses, most of their
// services open, forwards as the program suggests them.
func randomPlan(t *testing.T, r *rand.Rand, named bool) trialPlan {
	t.Helper()
	p := trialPlan{servers: map[string][]server{}}
	p.site = site.Site{Name: "Street", Networks: []site.Network{{ID: "main", Subnet: netip.MustParsePrefix("10.48.16.0/24"), Gateway: netip.MustParseAddr("10.48.16.1"), DNS: []netip.Addr{netip.MustParseAddr("10.48.16.1")}}},
		Routers: []site.Router{{ID: "edge", Network: "main", UPnP: "off", LoopsBack: "no", WAN: site.WAN{Kind: "static", Address: netip.MustParseAddr(siteAt)}, OwnPorts: []site.OwnPort{{Protocol: site.TCP, Ports: span.Port(80)}},
			Form: site.Form{PortsPerLine: "range", Renumber: "range", Protocols: []site.Protocol{site.TCP, site.UDP}, LimitsSender: "no", Reserves: "anywhere"}}}}
	if named {
		p.site.Routers[0].WAN.Kind, p.site.Routers[0].WAN.Name = "dynamic", "studio.example.net"
	}
	last := r.Perm(60)
	for i, kind := range kindsServed {
		id := fmt.Sprint("dev", i)
		d := site.Device{ID: id, Name: strings.ToUpper(kind[:1]) + kind[1:] + fmt.Sprint(" ", i), Kind: kind, Interfaces: []site.Interface{{ID: id + ".0", Network: "main", MAC: site.MAC(deviceMAC(i + 0x20)),
			Pin: &site.Pin{Address: netip.AddrFrom4([4]byte{10, 48, 16, byte(20 + last[i])}), By: "reservation"}}}}
		for _, v := range served {
			if v.kind != kind {
				continue
			}
			s := site.Service{ID: id + "." + strings.ReplaceAll(v.name, " ", ""), Name: v.name, Interface: id + ".0", Protocol: v.protocol, Ports: span.Port(int(v.port))}
			if r.IntN(5) > 0 || len(d.Services) == 0 {
				s.Open = &site.Open{Port: "any"}
				if r.IntN(3) == 0 {
					s.Open.Prefer = span.Port(2000 + r.IntN(7000))
				}
				p.open = append(p.open, s.ID)
			}
			d.Services = append(d.Services, s)
			p.servers[id] = append(p.servers[id], server{string(v.protocol), v.speaks, d.Name, int(v.port)})
		}
		p.site.Devices = append(p.site.Devices, d)
	}
	data := sitefile.Write(p.site)
	cmd := exec.Command(binary, "suggest", "--site", "-")
	cmd.Stdin = bytes.NewReader(data)
	out, err := cmd.Output()
	if err != nil {
		t.Fatalf("suggest: %v\n%s", err, data)
	}
	if p.site, err = sitefile.Read(out); err != nil {
		t.Fatal(err)
	}
	return p
}

// fault is something that is wrong on the wire, and the services that it takes.
type fault struct {
	cause   string
	device  int
	service string // of those that take one service
	takes   []string
	port    uint32 // the wrong outside or inside port, or the blocked one
	none    bool   // the device has no gateway at all, not one that is gone
	inside  bool   // the inside port is wrong, and not the outside one
	address netip.Addr
}

// causes that the street can make; no-way-back-in is a test of its own.
var makeable = []string{
	diagnosis.DeviceOff, diagnosis.DeviceMoved, diagnosis.WrongDevice, diagnosis.DeviceRefuses, diagnosis.DeviceFirewall, diagnosis.DeviceGateway,
	diagnosis.ForwardMissing, diagnosis.ForwardPort, diagnosis.ForwardProtocol, diagnosis.ForwardAddress, diagnosis.RouterAnswers, diagnosis.HeldByUPnP,
	diagnosis.SecondRouter, diagnosis.CarrierNAT, diagnosis.ProviderBlocks, diagnosis.AddressChanged, diagnosis.NameStale,
}

// global are the causes that take all services.
var global = []string{diagnosis.SecondRouter, diagnosis.CarrierNAT, diagnosis.AddressChanged, diagnosis.NameStale}

func (p trialPlan) wish(service string) site.Wish {
	w, _ := site.NewView(p.site).Service(service)
	return w
}

func (p trialPlan) forwardOf(service string) site.Forward {
	i := slices.IndexFunc(p.site.Forwards, func(f site.Forward) bool { return f.Service == service })
	return p.site.Forwards[i]
}

// openOf are the open services of a device, or all of them.
func (p trialPlan) openOf(device string) (out []string) {
	for _, id := range p.open {
		if w := p.wish(id); w.Device.ID == device {
			out = append(out, id)
		}
	}
	return out
}

// randomFault makes up a fault of a cause. False where the plan has nothing that it could take.
func randomFault(r *rand.Rand, p trialPlan, cause string) (fault, bool) {
	f := fault{cause: cause, device: r.IntN(len(p.site.Devices))}
	tcp := slices.DeleteFunc(slices.Clone(p.open), func(id string) bool { return p.wish(id).Service.Protocol != site.TCP })
	f.service = tcp[r.IntN(len(tcp))]
	free := netip.AddrFrom4([4]byte{10, 48, 16, byte(130 + r.IntN(90))})
	w := p.wish(f.service)
	switch cause {
	case diagnosis.SecondRouter, diagnosis.CarrierNAT, diagnosis.AddressChanged, diagnosis.NameStale:
		f.takes = p.open
	case diagnosis.DeviceOff, diagnosis.DeviceMoved, diagnosis.WrongDevice, diagnosis.DeviceGateway:
		f.takes, f.address, f.none = p.openOf(p.site.Devices[f.device].ID), free, free.As4()[3]%2 == 1
	case diagnosis.DeviceRefuses, diagnosis.DeviceFirewall:
		f.takes = []string{f.service}
		f.device = slices.IndexFunc(p.site.Devices, func(d site.Device) bool { return d.ID == w.Device.ID })
	default:
		f.takes = []string{f.service}
	}
	switch cause {
	case diagnosis.ForwardPort:
		f.inside, f.port = r.IntN(2) == 0, uint32(10000+r.IntN(9000))
		if text := fmt.Sprint(p.forwardOf(f.service).Outside.At(0)); !f.inside && r.IntN(2) == 0 && len(text) > 2 && text[1] != text[2] {
			fmt.Sscan(text[:1]+text[2:3]+text[1:2]+text[3:], &f.port)
		}
	case diagnosis.ForwardAddress:
		f.address = free
		if r.IntN(2) == 0 {
			f.address = p.site.Devices[(slices.IndexFunc(p.site.Devices, func(d site.Device) bool { return d.ID == w.Device.ID })+1)%len(p.site.Devices)].Interfaces[0].Pin.Address
		}
	case diagnosis.HeldByUPnP:
		f.address = p.site.Devices[(slices.IndexFunc(p.site.Devices, func(d site.Device) bool { return d.ID == w.Device.ID })+2)%len(p.site.Devices)].Interfaces[0].Pin.Address
		if p.forwardOf(f.service).Outside.At(0) < 1024 {
			return f, false // the daemon hands out none of these
		}
	}
	return f, len(f.takes) > 0
}

// drops is how a router treats what it does not forward.
type drops bool

// put makes the street what a plan says, but for its faults.
func (s *street) put(p trialPlan, faults []fault, silent drops) (held string) {
	s.t.Helper()
	has := func(cause string) *fault {
		i := slices.IndexFunc(faults, func(f fault) bool { return f.cause == cause })
		if i < 0 {
			return nil
		}
		return &faults[i]
	}
	for i, d := range p.site.Devices {
		s.device(i, d, p, faults)
	}
	s.wan(has)
	for _, ns := range append([]string{s.laptop, s.router, s.provider, s.middle, s.far}, s.devices...) { // what the run before left
		s.ip(ns, "neigh flush all")
		s.run(ns, "sh", "-c", "command -v conntrack >/dev/null && conntrack -F 2>/dev/null; true")
	}
	held = s.routerRules(p, faults, silent)
	stale := has(diagnosis.NameStale) != nil
	at := siteAt
	if has(diagnosis.AddressChanged) != nil && !stale {
		at = movedAt
	}
	s.start("names", s.router, nil, "sh", "-c", "dnsmasq --keep-in-foreground --conf-file=/dev/null --no-resolv --no-hosts --bind-interfaces --interface=br0 --except-interface=lo --address=/studio.example.net/"+at+" & sleep 0.1; echo ready; wait")
	s.start("page", s.router, []string{deviceVariable + `=[{"Protocol":"tcp","Speaks":"http","Name":"Street router","Port":80}]`}, os.Args[0])
	if f := has(diagnosis.HeldByUPnP); f != nil {
		s.daemon(p, *f)
	} else {
		s.end("daemon")
	}
	return held
}

// device puts a device where it is planned, or where a fault has it.
func (s *street) device(i int, d site.Device, p trialPlan, faults []fault) {
	ns, address := s.devices[i], d.Interfaces[0].Pin.Address
	servers := slices.Clone(p.servers[d.ID])
	var rules []string
	gateway, up, stranger := "10.48.16.1", true, false
	for _, f := range faults {
		if f.device != i && !slices.Contains([]string{diagnosis.DeviceRefuses, diagnosis.DeviceFirewall}, f.cause) || p.site.Devices[f.device].ID != d.ID {
			continue
		}
		port := int(p.wish(f.service).Service.Ports.At(0))
		switch f.cause {
		case diagnosis.DeviceOff:
			up = false
		case diagnosis.DeviceMoved:
			address = f.address
		case diagnosis.WrongDevice:
			up, stranger = false, true
		case diagnosis.DeviceGateway:
			gateway = ""
			if !f.none {
				gateway = "10.48.16.254" // of the router before
			}
		case diagnosis.DeviceRefuses:
			servers = slices.DeleteFunc(servers, func(v server) bool { return v.Port == port })
		case diagnosis.DeviceFirewall:
			rules = append(rules, fmt.Sprintf("tcp dport %d drop; ", port))
		}
	}
	lines := []string{"addr flush dev eth0", "link set eth0 down"}
	if up {
		lines = append(lines, fmt.Sprintf("addr add %s/24 dev eth0", address), "link set eth0 up")
		if gateway != "" {
			lines = append(lines, "route add default via "+gateway)
		}
	}
	s.ip(ns, lines...)
	s.rules(ns, "table ip guard { chain in { type filter hook input priority 0; "+strings.Join(rules, "")+"; }\n}")
	s.serveAt(fmt.Sprint("device", i), ns, servers)
	if stranger {
		s.ip(s.stranger, "addr flush dev eth0", fmt.Sprintf("addr add %s/24 dev eth0", address), "link set eth0 up", "route add default via 10.48.16.1")
		s.serveAt("stranger", s.stranger, []server{{"tcp", "http", "A stranger", 80}, {"tcp", "rtsp", "A stranger", 554}})
	} else if i == 0 && !slices.ContainsFunc(faults, func(f fault) bool { return f.cause == diagnosis.WrongDevice }) {
		s.ip(s.stranger, "addr flush dev eth0", "link set eth0 down")
	}
}

func (s *street) serveAt(what, ns string, servers []server) {
	if len(servers) == 0 {
		s.end(what)
		return
	}
	text, err := json.Marshal(servers)
	if err != nil {
		s.t.Fatal(err)
	}
	s.start(what, ns, []string{deviceVariable + "=" + string(text)}, os.Args[0])
}

// wan gives the router its outside, and the provider what it does.
func (s *street) wan(has func(string) *fault) {
	s.ip(s.router, "addr flush dev wan", "addr flush dev wan2")
	s.ip(s.middle, "addr flush dev wan", "addr flush dev lan")
	provider := ""
	switch {
	case has(diagnosis.SecondRouter) != nil:
		s.ip(s.middle, "addr add "+wanPlain+" dev wan", "route add default via 203.0.113.1", "addr add 10.99.0.1/24 dev lan")
		s.rules(s.middle, "table ip n { chain post { type nat hook postrouting priority 100; oifname wan masquerade; }\n}")
		s.ip(s.router, "addr add 10.99.0.2/24 dev wan2", "route add default via 10.99.0.1")
	case has(diagnosis.CarrierNAT) != nil:
		s.ip(s.router, "addr add 100.64.5.2/16 dev wan", "route add default via 100.64.0.1")
		provider = "table ip n { chain post { type nat hook postrouting priority 100; ip saddr 100.64.0.0/10 oifname far snat to 203.0.113.1; }\n}\n"
	case has(diagnosis.AddressChanged) != nil || has(diagnosis.NameStale) != nil:
		s.ip(s.router, "addr add "+movedAt+"/24 dev wan", "route add default via 203.0.113.1")
	default:
		s.ip(s.router, "addr add "+wanPlain+" dev wan", "route add default via 203.0.113.1")
	}
	if f := has(diagnosis.ProviderBlocks); f != nil {
		provider += fmt.Sprintf("table ip b { chain f { type filter hook forward priority 0; iifname far tcp dport %d drop; }\n}\n", f.port)
	}
	s.rules(s.provider, provider)
}

// routerRules loads the forwards of the plan as they were typed, and gives what the router's
// page shows of them.
func (s *street) routerRules(p trialPlan, faults []fault, silent drops) string {
	var lines, taken strings.Builder
	for _, f := range p.site.Forwards {
		to, _ := site.NewView(p.site).Target(f)
		outside, inside, proto := f.Outside.At(0), f.InsidePorts().At(0), f.Protocol
		missing := false
		for _, x := range faults {
			if x.service != f.Service {
				continue
			}
			switch x.cause {
			case diagnosis.ForwardMissing:
				missing = true
			case diagnosis.ForwardPort:
				if x.inside {
					inside = x.port
				} else {
					outside = x.port
				}
			case diagnosis.ForwardProtocol:
				proto = site.UDP
			case diagnosis.ForwardAddress:
				to = x.address
			case diagnosis.RouterAnswers:
				fmt.Fprintf(&taken, "iifname { wan, wan2 } %s dport %d redirect to :80\n", proto, outside)
			}
		}
		if !missing {
			fmt.Fprintf(&lines, "iifname { \"wan\", \"wan2\" } %s dport %d dnat to %s:%d\n", proto, outside, to, inside)
		}
	}
	verdict := "reject with tcp reset"
	if silent {
		verdict = "drop"
	}
	s.rules(s.router, `table ip own { chain pre { type nat hook prerouting priority -110; `+taken.String()+`;
}
}
table ip vp { chain pre { type nat hook prerouting priority -100; `+lines.String()+`; }
 chain post { type nat hook postrouting priority 100; oifname { "wan", "wan2" } masquerade; }
 chain pass { type filter hook forward priority 0; policy drop; ct state established,related accept; iifname "br0" accept; ct status dnat accept;
}
}
table inet filter { chain forward { type filter hook forward priority -10; jump miniupnpd; }
 chain miniupnpd { }
 chain prerouting { type nat hook prerouting priority -120; jump prerouting_miniupnpd; }
 chain postrouting { type nat hook postrouting priority 90; jump postrouting_miniupnpd; }
 chain prerouting_miniupnpd { }
 chain postrouting_miniupnpd { }
}
table ip guard { chain in { type filter hook input priority 0; iifname { wan, wan2 } ct state established,related accept; iifname { wan, wan2 } ct status dnat accept; iifname { wan, wan2 } meta l4proto tcp `+verdict+`; iifname { wan, wan2 } meta l4proto udp drop;
}
}
`)
	return s.file("held.nft", s.run(s.router, "nft", "list", "table", "ip", "vp"))
}

// daemon runs a real gateway daemon that a device had open a port.
func (s *street) daemon(p trialPlan, f fault) {
	w := p.forwardOf(f.service)
	leases := s.file("leases", fmt.Sprintf("TCP:%d:%s:80:0:play\n", w.Outside.At(0), f.address))
	config := s.file("gateway.conf", "ext_ifname=wan\nlistening_ip=br0\nport=0\nenable_natpmp=yes\nenable_upnp=yes\nsecure_mode=no\nlease_file="+leases+"\nuuid=00000000-0000-4000-8000-000000000001\nallow 1024-65535 10.48.16.0/24 1-65535\ndeny 0-65535 0.0.0.0/0 0-65535\n")
	s.ip(s.laptop, "route replace 239.0.0.0/8 dev eth0")
	for range 4 {
		s.start("daemon", s.router, nil, "sh", "-c", "miniupnpd -d -f "+config+" -P "+s.dir+"/pid 2>&1 & trap 'kill $!' EXIT TERM; sleep 0.7; echo ready; wait")
		for range 20 {
			if strings.Contains(s.run(s.router, "nft", "list", "chain", "inet", "filter", "prerouting_miniupnpd"), "dnat") {
				return
			}
			time.Sleep(100 * time.Millisecond)
		}
	}
	s.t.Logf("the daemon does not open %d for %s: it has no way out", w.Outside.At(0), f.address)
}

// proved is what the program prints, as far as it is judged.
type proved struct {
	Router     diagnosis.RouterSeen
	Name       diagnosis.NameSeen
	Interfaces []diagnosis.ThereSeen
	Services   []struct {
		Service, Identity, Works, Says string
		Open                           bool
		Inside, Outside                site.Heard
		Causes                         []foundCause
	}
	Notes []string
}

type foundCause struct {
	Cause, Why string
	Chance     float64
}

// prove runs the program on the laptop.
func (s *street) prove(p trialPlan, args ...string) proved {
	s.t.Helper()
	data := sitefile.Write(p.site)
	cmd := exec.Command("ip", append([]string{"netns", "exec", s.laptop, binary, "prove", s.file("plan.json", string(data))}, args...)...)
	var stderr bytes.Buffer
	cmd.Stderr = &stderr
	out, _ := cmd.Output()
	var r proved
	if err := json.Unmarshal(out, &r); err != nil {
		s.t.Fatalf("prove: %v\n%s%s", err, out, stderr.String())
	}
	return r
}

// judged is whether a fault was found: as the first cause of all that it takes, or among the
// first two.
func judged(r proved, f fault, among int) (bool, string) {
	for _, id := range f.takes {
		s := r.Services[0]
		for _, v := range r.Services {
			if v.Service == id {
				s = v
			}
		}
		at := slices.IndexFunc(s.Causes, func(c foundCause) bool { return c.Cause == f.cause })
		if s.Works == diagnosis.No && at >= 0 && at < among {
			continue
		}
		var list []string
		for _, c := range s.Causes {
			list = append(list, fmt.Sprintf("%s %.2f (%s)", c.Cause, c.Chance, c.Why))
		}
		return false, fmt.Sprintf("%s of %s: works %s, inside %s, outside %s %s (%s): %s", f.cause, id, s.Works, s.Inside.Result, s.Outside.Result, s.Identity, s.Outside.Says, strings.Join(list, "; "))
	}
	return true, ""
}

// hits counts, by cause.
type hits struct {
	mu    sync.Mutex
	right map[string]int
	all   map[string]int
	notes []string
}

func (h *hits) count(cause string, right bool, note string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.right == nil {
		h.right, h.all = map[string]int{}, map[string]int{}
	}
	if h.all[cause]++; right {
		h.right[cause]++
	} else {
		h.notes = append(h.notes, note)
	}
}

func (h *hits) sum() (right, all int) {
	for c, n := range h.all {
		right, all = right+h.right[c], all+n
	}
	return right, all
}

// oneRun puts a plan and some faults on a street and has the program look: with what the
// router's page shows, and where blind is wanted once more without it.
func (s *street) oneRun(seed uint64, causes []string, among int, h, blind *hits) {
	r := rand.New(rand.NewPCG(seed, 7))
	var p trialPlan
	var faults []fault
	for try := 0; ; try++ {
		p = randomPlan(s.t, r, slices.Contains(causes, diagnosis.NameStale) || len(causes) == 0 && r.IntN(2) == 0)
		faults = nil
		for _, c := range causes {
			if f, ok := randomFault(r, p, c); ok {
				faults = append(faults, f)
			}
		}
		if len(faults) == len(causes) && apart(faults) || try > 50 {
			break
		}
	}
	for i := range faults {
		if faults[i].cause == diagnosis.ProviderBlocks {
			faults[i].port = p.forwardOf(faults[i].service).Outside.At(0)
		}
	}
	held := s.put(p, faults, drops(r.IntN(2) == 0))
	s.prove(p, "--afar", s.pairing, "--held", held).hold(seed, faults, among, h)
	if blind != nil {
		s.prove(p, "--afar", s.pairing).hold(seed, faults, among, blind)
	}
}

// hold counts which faults were found; where there are none, for which services nothing was.
func (r proved) hold(seed uint64, faults []fault, among int, h *hits) {
	for _, f := range faults {
		ok, note := judged(r, f, among)
		h.count(f.cause, ok, fmt.Sprintf("seed %d: %s", seed, note))
	}
	if len(faults) > 0 {
		return
	}
	for _, v := range r.Services {
		ok := len(v.Causes) == 0 && v.Works != diagnosis.No && (v.Works == diagnosis.Yes || !v.Open)
		h.count("no fault", ok, fmt.Sprintf("seed %d: %s: works %s, %s, inside %s, outside %s: %v", seed, v.Service, v.Works, v.Says, v.Inside.Result, v.Outside.Result, v.Causes))
	}
}

// apart reports whether two faults do not undo each other: one line is wrong in one way, a
// device in one, and what stands in front of the router is one.
func apart(faults []fault) bool {
	if len(faults) < 2 {
		return true
	}
	a, b := faults[0], faults[1]
	bothGlobal := slices.Contains(global, a.cause) && slices.Contains(global, b.cause)
	return !bothGlobal && a.cause != b.cause && (slices.Contains(global, a.cause) || slices.Contains(global, b.cause) || !slices.ContainsFunc(a.takes, func(id string) bool { return slices.Contains(b.takes, id) }))
}

// Each cause once, made on the wire: only the program looks, and has it first.
func TestEachCauseIsFound(t *testing.T) {
	if testing.Short() {
		t.Skip("takes a minute")
	}
	var h hits
	const streets = 3
	var all sync.WaitGroup
	for n := range streets {
		s := newStreet(t, n, len(kindsServed))
		all.Go(func() {
			for i := n; i < len(makeable); i += streets {
				s.oneRun(uint64(100+i), []string{makeable[i]}, 1, &h, nil)
			}
			if n == 0 {
				s.oneRun(1, nil, 1, &h, nil)
			}
		})
	}
	all.Wait()
	for _, note := range h.notes {
		t.Error(note)
	}
}

// TestDiagnose makes many faults, one at a time and in pairs, over many plans, where that is
// asked for, and writes how many were found.
func TestDiagnose(t *testing.T) {
	if *diagnoseRuns == 0 {
		t.Skip("asked for by -diagnose")
	}
	var one, two, none, oneBlind, twoBlind, noneBlind hits
	work := make(chan func(*street))
	var all sync.WaitGroup
	for n := range 4 {
		s := newStreet(t, n, len(kindsServed))
		all.Go(func() {
			for do := range work {
				do(s)
			}
		})
	}
	r := rand.New(rand.NewPCG(3, 4))
	for i := range *diagnoseRuns {
		work <- func(s *street) { s.oneRun(uint64(1000+i), []string{makeable[i%len(makeable)]}, 1, &one, &oneBlind) }
	}
	for i := range *diagnoseRuns / 2 {
		a, b := makeable[r.IntN(len(makeable))], makeable[r.IntN(len(makeable))]
		for a == b || slices.Contains(global, a) && slices.Contains(global, b) {
			b = makeable[r.IntN(len(makeable))]
		}
		work <- func(s *street) { s.oneRun(uint64(5000+i), []string{a, b}, 2, &two, &twoBlind) }
	}
	for i := range *diagnoseRuns / 4 {
		work <- func(s *street) { s.oneRun(uint64(9000+i), nil, 1, &none, &noneBlind) }
	}
	close(work)
	all.Wait()
	var out strings.Builder
	for _, of := range []struct {
		title    string
		h, blind *hits
	}{{"One fault: the true cause is first for all services that it takes", &one, &oneBlind}, {"Two faults: the true cause is among the first two", &two, &twoBlind}, {"No fault: nothing is reported, service by service", &none, &noneBlind}} {
		right, n := of.h.sum()
		without, _ := of.blind.sum()
		fmt.Fprintf(&out, "\n## %s: %d of %d\n\nWithout the router's page %d of %d.\n\n| cause | found | without the page | of |\n| --- | ---: | ---: | ---: |\n", of.title, right, n, without, n)
		for _, c := range append(slices.Clone(makeable), "no fault") {
			if of.h.all[c] > 0 {
				fmt.Fprintf(&out, "| %s | %d | %d | %d |\n", c, of.h.right[c], of.blind.right[c], of.h.all[c])
			}
		}
		for _, note := range of.h.notes {
			t.Log(note)
		}
		for _, note := range of.blind.notes {
			t.Log("without the page, ", note)
		}
	}
	t.Log(out.String())
	if *diagnoseInto != "" {
		if err := os.WriteFile(*diagnoseInto, []byte(diagnosisHead+out.String()), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

const diagnosisHead = `# Diagnosis, held against faults made on the wire

Written by ` + "`make diagnose`" + `. A provider, a router (nftables, dnsmasq, a UPnP gateway daemon), a LAN with five devices that run real servers, a laptop and a far end with ` + "`vestpin afar`" + `, each a network namespace. Plans are random (addresses, which services are open, at which ports); each fault is made on the wire, and only ` + "`vestpin prove --afar … --held …`" + ` on the laptop looks, and once more without ` + "`--held`" + `, as where the router's forwarding page was not read. What each cause makes likely stands in ` + "`core/diagnosis/table.go`" + `.
`

// manyServices is a plan of thirty pages on five devices, of which two are silent.
func manyServices(t *testing.T) (p trialPlan) {
	t.Helper()
	p = randomPlan(t, rand.New(rand.NewPCG(8, 8)), true)
	p.open, p.site.Forwards = nil, nil
	for i := range p.site.Devices {
		d := &p.site.Devices[i]
		d.Services, p.servers[d.ID] = nil, nil
		for n := range 6 {
			s := site.Service{ID: fmt.Sprintf("%s.%d", d.ID, n), Name: "web page", Interface: d.ID + ".0", Protocol: site.TCP, Ports: span.Port(8001 + n), Open: &site.Open{Port: "any"}}
			d.Services, p.open = append(d.Services, s), append(p.open, s.ID)
			p.servers[d.ID] = append(p.servers[d.ID], server{"tcp", "http", fmt.Sprint(d.Name, " ", n), 8001 + n})
			p.site.Forwards = append(p.site.Forwards, site.Forward{ID: "f" + s.ID, Router: "edge", Enabled: true, Protocol: site.TCP, Outside: span.Port(20000 + 10*i + n), To: d.ID + ".0", Inside: span.Port(8001 + n), Service: s.ID})
		}
	}
	return p
}

// Thirty services are tried inside in four seconds with two silent ones, and from elsewhere
// with 80 ms of delay in eight; a stop ends it at once, with what was seen.
func TestChecksAreQuick(t *testing.T) {
	s := newStreet(t, 7, len(kindsServed))
	p := manyServices(t)
	silentOnes := []fault{{cause: diagnosis.DeviceFirewall, device: 1, service: "dev1.2", takes: []string{"dev1.2"}}, {cause: diagnosis.DeviceFirewall, device: 3, service: "dev3.4", takes: []string{"dev3.4"}}}
	s.put(p, silentOnes, true)
	s.slow(80 * time.Millisecond)
	p.site.Routers[0].LoopsBack = "no"
	inTime, begin := Within(4*time.Second), time.Now()
	inside := s.prove(p)
	tookInside, soonEnough := time.Since(begin), inTime()
	if n := answering(inside, false); n != 28 {
		t.Errorf("%d of 30 answer inside", n)
	}
	inTime, begin = Within(8*time.Second+tookInside), time.Now()
	outside := s.prove(p, "--afar", s.pairing)
	tookBoth, bothSoonEnough := time.Since(begin), inTime()
	if n := answering(outside, true); n != 28 {
		t.Errorf("%d of 30 answer outside: %v", n, outside.Notes)
	}
	for _, f := range silentOnes {
		if ok, note := judged(outside, f, 1); !ok {
			t.Error(note)
		}
	}
	if !soonEnough || !bothSoonEnough {
		t.Errorf("inside took %v, more than 4 s, or both %v, more than 8 s on top", tookInside, tookBoth)
	}
	if ms := outside.Services[0].Outside.MS; ms < 80 {
		t.Errorf("a service answers after %d ms, as if there were no delay", ms)
	}
	t.Logf("inside %v, both %v", tookInside, tookBoth)
}

func answering(r proved, outside bool) (n int) {
	for _, v := range r.Services {
		h := v.Inside
		if outside {
			h = v.Outside
		}
		if h.Result == site.HeardAnswers {
			n++
		}
	}
	return n
}

// Tried from inside without a far end: on a router that does not loop back nothing is a fault,
// and nothing is claimed.
func TestNoWayBackIn(t *testing.T) {
	s := newStreet(t, 8, len(kindsServed))
	p := randomPlan(t, rand.New(rand.NewPCG(4, 9)), false)
	s.put(p, nil, true)
	p.site.Routers[0].LoopsBack = "unknown"
	for _, v := range s.prove(p).Services {
		if v.Open && (v.Works != diagnosis.Unknown || v.Outside.Result == site.HeardSilent && (len(v.Causes) != 1 || v.Causes[0].Cause != diagnosis.NoWayBackIn)) {
			t.Errorf("%s works %s, outside %s: %v", v.Service, v.Works, v.Outside.Result, v.Causes)
		}
	}
}

// From another network, as a laptop on the phone's hotspot: it is noticed, all is tried from
// there, and a line that is missing is a fault.
func TestFromElsewhere(t *testing.T) {
	s := newStreet(t, 9, len(kindsServed))
	p := randomPlan(t, rand.New(rand.NewPCG(6, 6)), false)
	missing, _ := randomFault(rand.New(rand.NewPCG(1, 1)), p, diagnosis.ForwardMissing)
	s.put(p, []fault{missing}, true)
	laptop := s.laptop
	s.laptop = s.far
	report := s.prove(p)
	s.laptop = laptop
	for _, v := range report.Services {
		want := diagnosis.Yes
		if !v.Open {
			want = diagnosis.Unknown
		}
		if v.Service == missing.service {
			want = diagnosis.No
		}
		if v.Works != want || v.Inside.Tried() {
			t.Errorf("%s works %s, want %s: outside %s, inside %s", v.Service, v.Works, want, v.Outside.Result, v.Inside.Result)
		}
	}
}

// A device that is set to the gateway of yesterday is heard to ask for it, and known by that
// without anybody reading the router's page; the others ask for nobody in vain.
func TestGatewayOfYesterday(t *testing.T) {
	s := newStreet(t, 13, len(kindsServed))
	p := randomPlan(t, rand.New(rand.NewPCG(11, 3)), false)
	f := fault{cause: diagnosis.DeviceGateway, device: 2, service: p.openOf("dev2")[0], takes: p.openOf("dev2")}
	s.put(p, []fault{f}, true)
	r := s.prove(p, "--afar", s.pairing)
	if ok, note := judged(r, f, 1); !ok {
		t.Error(note)
	}
	for _, v := range r.Services {
		if slices.Contains(f.takes, v.Service) && (v.Causes[0].Chance < 0.8 || !strings.Contains(v.Causes[0].Why, "asks for 10.48.16.254")) {
			t.Errorf("%s: %+v", v.Service, v.Causes[0])
		} else if !slices.Contains(f.takes, v.Service) && len(v.Causes) > 0 {
			t.Errorf("%s: %+v", v.Service, v.Causes)
		}
	}
}

// Who is connected to a service is told from the connections that the kernel of the router
// tracks, and so is a knock that nobody answers.
func TestInUseByTheRoutersOwnList(t *testing.T) {
	s := newStreet(t, 12, len(kindsServed))
	p := randomPlan(t, rand.New(rand.NewPCG(7, 7)), false)
	s.put(p, nil, true)
	use := func(service string) usage.Use {
		r, err := read.Text("list", "connections", []byte(s.run(s.router, "cat", "/proc/net/nf_conntrack")))
		if err != nil || !r.Listed {
			t.Fatalf("%v, %d not understood", err, r.Missed)
		}
		return usage.Of(site.NewView(p.site), p.wish(service), usage.Seen{Listed: true, List: r.Connections})
	}
	service := p.openOf("dev1")[0]
	dial := fmt.Sprintf("exec 3<>/dev/tcp/%s/%d; echo ready; sleep 60", siteAt, p.forwardOf(service).Outside.At(0))
	s.start("caller", s.far, nil, "bash", "-c", dial)
	if got := use(service); len(got.Callers) != 1 || got.Callers[0] != (usage.Caller{Address: netip.MustParseAddr(farAt), State: usage.Connected, Count: 1}) {
		t.Errorf("connected: %+v", got)
	}
	for _, other := range p.open {
		if got := use(other); other != service && len(got.Callers) != 0 {
			t.Errorf("%s: %+v", other, got)
		}
	}
	s.end("caller")
	s.ip(s.devices[1], "link set eth0 down")
	s.start("knock", s.far, nil, "bash", "-c", "echo ready; "+dial)
	time.Sleep(500 * time.Millisecond)
	if got := use(service); !slices.ContainsFunc(got.Callers, func(c usage.Caller) bool { return c.State == usage.Knocks }) {
		t.Errorf("a knock: %+v", got)
	}
}

// A laptop whose cable comes out in the middle claims nothing of what it did not hear; one whose
// way out is by a phone tethered beside the cable does not have the far end try the phone.
func TestNetworkChangesUnderACheck(t *testing.T) {
	s := newStreet(t, 11, len(kindsServed))
	p := randomPlan(t, rand.New(rand.NewPCG(5, 5)), false)
	s.put(p, nil, true)
	s.ip(s.laptop, "link add phone type veth peer name tower", "addr add 192.0.2.9/24 dev phone", "link set phone up", "link set tower up", "route del default", "route add default via 10.48.16.1 dev eth0 metric 100", "route add default via 192.0.2.1 dev phone metric 1")
	r := s.prove(p, "--afar", s.pairing)
	for _, v := range r.Services {
		if v.Inside.Result != site.HeardAnswers || v.Outside.Tried() || v.Open && !strings.Contains(v.Outside.Says, "way out is by 192.0.2.9") {
			t.Errorf("%s: inside %s, outside %s (%s)", v.Service, v.Inside.Result, v.Outside.Result, v.Outside.Says)
		}
	}
	if len(r.Router.Outside.Address.String()) == 0 || r.Router.Outside.By != "" {
		t.Errorf("the outside address is taken from the phone: %+v", r.Router.Outside)
	}
	s.ip(s.laptop, "link del phone")
	for _, after := range []time.Duration{100 * time.Millisecond, 600 * time.Millisecond, 1500 * time.Millisecond, 2500 * time.Millisecond} {
		s.ip(s.laptop, "link set eth0 up", "addr replace 10.48.16.126/24 dev eth0", "route replace default via 10.48.16.1")
		pull := time.AfterFunc(after, func() { exec.Command("ip", "-n", s.laptop, "link", "set", "eth0", "down").Run() })
		r := s.prove(p, "--afar", s.pairing)
		pull.Stop()
		if !slices.Contains(r.Notes, "This computer left the network in the middle.") {
			t.Errorf("pulled after %v, it is not noticed: %v", after, r.Notes)
		}
		for _, v := range r.Services {
			if v.Inside.Tried() && v.Inside.Result != site.HeardAnswers || v.Outside.Tried() && v.Outside.Result != site.HeardAnswers || v.Works == diagnosis.No {
				t.Errorf("pulled after %v: %s works %s, inside %s, outside %s (%s)", after, v.Service, v.Works, v.Inside.Result, v.Outside.Result, v.Outside.Says)
			}
		}
		for _, i := range r.Interfaces {
			if i.Answers == "no" {
				t.Errorf("pulled after %v: %+v", after, i)
			}
		}
	}
}

// While a device is off, the laptop stands in for it: the router's half of the way is proven,
// or found at fault; an address that somebody has is not taken, and what was taken is given
// back.
func TestStandsIn(t *testing.T) {
	s := newStreet(t, 10, len(kindsServed))
	for _, c := range []struct {
		what string
		also string
		want string
	}{
		{"its line is right", "", "true; eth0 ADDRESS false; true <nil>"},
		{"its line is missing", diagnosis.ForwardMissing, "true; eth0 ADDRESS false; false <nil>"},
		{"it is there", "there", "not free: somebody answers there"},
	} {
		p := randomPlan(t, rand.New(rand.NewPCG(2, 3)), false)
		service := p.openOf("dev1")[0]
		faults := []fault{{cause: diagnosis.DeviceOff, device: 1, service: service, takes: []string{service}}}
		if c.also == "there" {
			faults = nil
		} else if c.also != "" {
			faults = append(faults, fault{cause: c.also, device: 1, service: service})
		}
		s.put(p, faults, true)
		address := p.wish(service).Interface.Pin.Address.String()
		cmd := exec.Command("ip", "netns", "exec", s.laptop, os.Args[0])
		cmd.Env = append(os.Environ(), fmt.Sprintf("%s=%s %s %s", standInVariable, s.file("plan.json", string(sitefile.Write(p.site))), s.pairing, service))
		out, err := cmd.CombinedOutput()
		if want := strings.ReplaceAll(c.want, "ADDRESS", address); err != nil || !strings.Contains(string(out), want) {
			t.Errorf("%s: %v %s, want %s", c.what, err, out, want)
		}
		if have := s.run(s.laptop, "ip", "-4", "addr", "show", "dev", "eth0"); strings.Contains(have, address+"/") {
			t.Errorf("%s: the laptop still has %s", c.what, address)
		}
	}
	// However the program ends, the kernel takes back what it held with a far end that stalls.
	p := randomPlan(t, rand.New(rand.NewPCG(2, 3)), false)
	service := p.openOf("dev1")[0]
	s.put(p, []fault{{cause: diagnosis.DeviceOff, device: 1, service: service, takes: []string{service}}}, true)
	address := p.wish(service).Interface.Pin.Address.String() + "/"
	has := func() bool {
		return strings.Contains(s.run(s.laptop, "ip", "-4", "addr", "show", "dev", "eth0"), address)
	}
	within := func(d time.Duration, want bool) bool {
		for end := time.Now().Add(d); has() != want; time.Sleep(100 * time.Millisecond) {
			if time.Now().After(end) {
				return false
			}
		}
		return true
	}
	stand := func() *exec.Cmd {
		cmd := exec.Command("ip", "netns", "exec", s.laptop, os.Args[0])
		cmd.Env = append(os.Environ(), fmt.Sprintf("%s=%s %s %s", standInVariable, s.file("plan.json", string(sitefile.Write(p.site))), stalled, service))
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		if !within(15*time.Second, true) {
			t.Fatal("the address was not taken")
		}
		return cmd
	}
	for _, signal := range []syscall.Signal{syscall.SIGKILL, syscall.SIGTERM} {
		cmd := stand()
		time.Sleep(10 * time.Second) // longer than it is taken for at once
		if !has() {
			t.Error("the address is gone while it is wanted")
		}
		cmd.Process.Signal(signal)
		cmd.Wait()
		if !within(12*time.Second, false) {
			t.Errorf("after %v the laptop still has the address", signal)
		}
	}
	// A sleep, and a cable that is pulled, are no time to stand in.
	for what, happens := range map[string]func(cmd *exec.Cmd){
		"a sleep": func(cmd *exec.Cmd) {
			cmd.Process.Signal(syscall.SIGSTOP)
			time.Sleep(5 * time.Second)
			cmd.Process.Signal(syscall.SIGCONT)
		},
		"a pulled cable": func(*exec.Cmd) { s.ip(s.router, "link set d90 down") },
	} {
		cmd := stand()
		happens(cmd)
		if !within(2*time.Second, false) {
			t.Errorf("after %s the laptop still has the address", what)
		}
		cmd.Process.Kill()
		cmd.Wait()
		s.ip(s.router, "link set d90 up")
	}
	// What a crash left is given back at the next start.
	s.ip(s.laptop, "addr add 10.48.16.99/32 dev eth0")
	db := s.dir + "/vestpin.db"
	st, err := store.Open(db)
	if err != nil {
		t.Fatal(err)
	}
	if err := st.SetTaken(t.Context(), store.TakenAddress{Link: "eth0", Address: "10.48.16.99"}, true); err != nil {
		t.Fatal(err)
	}
	st.Close()
	s.start("serve", s.laptop, nil, binary, "serve", "--db", db, "--addr", "127.0.0.1:8417")
	if have := s.run(s.laptop, "ip", "-4", "addr", "show", "dev", "eth0"); strings.Contains(have, "10.48.16.99") {
		t.Error("what a crash left is not given back")
	}
}
