package wire

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"

	"vestpin/core/catalogue"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
)

// FarEnd is somebody elsewhere who tries the site's outside ports when asked.
type FarEnd interface {
	// Sees is the address that this computer is seen at.
	Sees(ctx context.Context) (netip.Addr, error)
	// Mirror is where it answers STUN (RFC 8489).
	Mirror() netip.AddrPort
	// Stands is the address from which it tries.
	Stands() netip.Addr
	// Try tries ports of the address that it sees, and tells of each as it comes.
	Try(ctx context.Context, questions []Question, heard func(i int, h site.Heard)) error
}

// Trial is what is to be tried.
type Trial struct {
	Site site.View
	From site.TriedFrom // "inside" or "outside"; found out where it is empty
	Far  FarEnd         // nil for none
	Only []string       // ids of services; all where it is empty
	// Known are the kinds of device that count, beside the site's own; those shipped where
	// there are none.
	Known catalogue.Catalogue
}

// Trying is one thing that a trial tells while it goes on.
type Trying struct {
	There *site.ProofThere `json:"there,omitempty"`
	Heard *site.ProofHeard `json:"heard,omitempty"`
	Doing string           `json:"doing,omitempty"`
	Done  int              `json:"done"`
	Of    int              `json:"of"`
}

// The sides that a trial is made from.
const (
	Inside  = "inside"
	Outside = "outside"
)

// tryLoops is how many services that answer inside are tried against the outside address
// before it is taken that the router does not loop back.
const tryLoops = 3

// trial is one going on.
type trial struct {
	Trial
	net     Network
	links   map[string]Link // by network, those that this computer is attached to
	map_    *reach.Map
	report  func(Trying)
	mu      sync.Mutex
	out     site.Proof
	at      map[string]int // of each service in out.Services
	done    int
	of      int
	patient map[netip.Addr]chan struct{} // turns at a device
	doubts  []doubt
	asked   *asked
}

// doubt takes back what did not answer at a time, should it turn out that this computer had
// left by then, or slept.
type doubt struct {
	at   time.Time
	back func(why string)
}

// takeBack takes back what was not heard since shortly before this computer was seen to have
// left at a time, or to be awake again; the lock is held.
func (p *trial) takeBack(left time.Time, why string) {
	for _, d := range p.doubts {
		if left.Sub(d.at) < 2*lookAround {
			d.back(why)
		}
	}
}

// interrupted are the notes of trials that ended early.
var interrupted = map[error]string{
	ErrLeft:  "This computer left the network in the middle.",
	ErrSlept: "This computer slept in the middle, or its clock was set.",
}

// Prove tries what is planned, from where this computer is, and by a far end from elsewhere:
// who answers at each planned address, what each service says inside and outside, at which
// address the site is seen, and what its name stands for. It tells each as it comes, from one
// goroutine at a time. When the context ends it stops at once, and gives what was seen so
// far with the context's error. Two connections are made at once to a device, and nothing
// inside goes through a gateway. Where this computer leaves the network in the middle, the
// error is ErrLeft, where it sleeps ErrSlept.
func Prove(ctx context.Context, n Network, t Trial, report func(Trying)) (site.Proof, error) {
	place, err := PlaceOf(n, t.Site.Site)
	if err != nil {
		return site.Proof{}, err
	}
	links := place.Links
	p := &trial{Trial: t, net: n, links: place.On, map_: reach.Of(t.Site), report: report, at: map[string]int{}, patient: map[netip.Addr]chan struct{}{}}
	for _, w := range t.Site.Networks {
		i := slices.IndexFunc(links, func(l Link) bool { return sameSubnet(l, w) })
		if t.From == Inside && i >= 0 && !taken(p.links, t.Site, w, links[i]) && !slices.Contains(place.Unclear, w.ID) { // who says so knows better than the gateway
			p.links[w.ID] = links[i]
		}
	}
	p.know()
	if p.From == "" {
		p.From = Outside
		if len(p.links) > 0 {
			p.From = Inside
		}
	}
	switch {
	case p.From == Inside && len(p.links) == 0 && len(place.Unclear) > 0:
		return site.Proof{}, &RefusedError{Why: "several networks of the site have the addresses that this computer is on, and no neighbour tells which it is: sweep it first"}
	case p.From == Inside && len(p.links) == 0:
		return site.Proof{}, &RefusedError{Why: "this computer is attached to no network of the site"}
	case len(links) == 0:
		return site.Proof{}, &RefusedError{Why: "this computer is attached to no network at all"}
	}
	p.begin()
	on := slices.Collect(maps.Values(p.links))
	if p.From == Outside {
		on = links[:1]
	}
	here := staying(ctx, n, on)
	if p.From == Inside {
		p.inside(here)
	} else {
		p.fromHere(here)
	}
	p.out.At = time.Now().UTC().Format(time.RFC3339)
	left, err := here.end()
	if says := interrupted[err]; says != "" {
		p.mu.Lock()
		defer p.mu.Unlock()
		p.takeBack(left, says)
		p.out.Notes = append(p.out.Notes, says)
	}
	return p.out, err
}

// AskOne tries one service from inside, now, and asks the router which ports devices had it
// open. Asked is whether the router answered. Nothing is asked of anybody else.
func AskOne(ctx context.Context, n Network, t Trial, service string) (h site.Heard, mapped []site.HeldForward, asked bool, err error) {
	place, err := PlaceOf(n, t.Site.Site)
	if err != nil {
		return h, nil, false, err
	}
	t.Only = []string{service}
	p := &trial{Trial: t, net: n, links: place.On, report: func(Trying) {}, at: map[string]int{}, patient: map[netip.Addr]chan struct{}{}}
	p.know()
	p.begin()
	var both sync.WaitGroup
	both.Go(func() { p.askServices(ctx) })
	both.Go(func() { p.askTheRouter(ctx) })
	both.Wait()
	r := p.out.Router
	return p.heardOf(service).Inside, r.Mappings, len(r.Speaks) > 0, ctx.Err()
}

// know takes the kinds that count.
func (p *trial) know() {
	if len(p.Known.Kinds) == 0 {
		p.Known = catalogue.Shipped()
	}
	p.Known = p.Known.With(p.Site.Kinds...)
}

// begin lists what is to be tried, all untried yet.
func (p *trial) begin() {
	p.out = site.Proof{At: time.Now().UTC().Format(time.RFC3339), From: p.From}
	for _, d := range p.Site.Devices {
		for _, s := range d.Services {
			if len(p.Only) > 0 && !slices.Contains(p.Only, s.ID) {
				continue
			}
			p.at[s.ID] = len(p.out.Services)
			p.out.Services = append(p.out.Services, site.ProofHeard{Service: s.ID, Inside: site.Heard{Result: site.Untried}, Outside: site.Heard{Result: site.Untried}})
		}
	}
	p.of = len(p.out.Services)
}

// tell reports; the lock is held.
func (p *trial) tell(t Trying) {
	t.Done, t.Of = p.done, p.of
	p.report(t)
}

func (p *trial) doing(what string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.tell(Trying{Doing: what})
}

func (p *trial) note(format string, args ...any) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if says := fmt.Sprintf(format, args...); len(p.out.Notes) < 20 && !slices.Contains(p.out.Notes, says) {
		p.out.Notes = append(p.out.Notes, says)
	}
}

// keep puts what was heard of a service into the proof, and tells it.
func (p *trial) keep(service string, put func(*site.ProofHeard)) {
	p.mu.Lock()
	defer p.mu.Unlock()
	h := &p.out.Services[p.at[service]]
	put(h)
	for _, side := range []*site.Heard{&h.Inside, &h.Outside} {
		if side.Tried() && side.When == "" {
			side.When = time.Now().UTC().Format(time.RFC3339)
			if side.Result != site.HeardAnswers {
				p.doubts = append(p.doubts, doubt{time.Now(), func(why string) {
					if side.Result != site.HeardAnswers {
						*side = site.Heard{Result: site.Untried, Says: why}
					}
				}})
			}
		}
	}
	told := *h
	p.tell(Trying{Heard: &told})
}

// heardOf is what was heard of a service so far.
func (p *trial) heardOf(service string) site.ProofHeard {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.out.Services[p.at[service]]
}

// inside tries everything from a network of the site, and by the far end from outside.
func (p *trial) inside(ctx context.Context) {
	p.asked = p.hearAsking(ctx)
	defer func() { p.inVain(ctx, p.asked) }()
	var all sync.WaitGroup
	all.Go(func() { p.whoIsThere(ctx) })
	all.Go(func() { p.askServices(ctx) })
	all.Go(func() { p.askTheRouter(ctx) })
	all.Go(func() { p.routerPages(ctx) })
	all.Go(func() { p.lookUp(ctx) })
	all.Wait()
	if ctx.Err() != nil {
		return
	}
	if p.Far != nil {
		p.fromAfar(ctx)
	} else {
		p.loop(ctx)
	}
}

// wishes are the services that are tried, in the order of the site.
func (p *trial) wishes() []site.Wish {
	var out []site.Wish
	for _, h := range p.out.Services {
		if w, ok := p.Site.Service(h.Service); ok {
			out = append(out, w)
		}
	}
	return out
}

// turn waits for a turn at a device, of which two have one at once.
func (p *trial) turn(ctx context.Context, a netip.Addr) (done func(), ok bool) {
	p.mu.Lock()
	turns := p.patient[a]
	if turns == nil {
		turns = make(chan struct{}, perDevice)
		p.patient[a] = turns
	}
	p.mu.Unlock()
	select {
	case turns <- struct{}{}:
		return func() { <-turns }, true
	case <-ctx.Done():
		return nil, false
	}
}

// questionOf is how a service is asked: at its first port, by TCP where it has that, and by
// the check that the catalogue knows for it.
func (p *trial) questionOf(w site.Wish) Question {
	proto := w.Service.Protocol
	q := Question{Protocol: proto.Each()[0], Port: uint16(w.Service.Ports.At(0)), Check: "tcp"}
	known := p.Known
	if s, ok := known.Named(w.Device.Kind, w.Service.Name, proto, w.Service.Ports); ok {
		q.Check = string(s.Check)
	} else if check := checkOfWords(w.Service.Name); check != "" && q.Protocol == site.TCP {
		q.Check = check
	} else if s, ok := known.At(int(q.Port)); ok && q.Protocol == site.TCP {
		q.Check = string(s.Check)
	} else if q.Protocol == site.TCP && q.Port >= 8000 && q.Port < 8100 {
		q.Check = "http" // as which they are mostly used
	}
	if _, asks := questions[q.Check]; q.Protocol == site.TCP && !asks && q.Check == "none" {
		q.Check = "tcp"
	}
	return q
}

// checkOfWords is the check that the words of a service's name tell; empty for none.
func checkOfWords(name string) string {
	for _, word := range strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return !unicode.IsLetter(r) }) {
		switch word {
		case "https", "secure":
			return "https"
		case "web", "page", "http", "www", "site":
			return "http"
		case "ssh", "shell":
			return "ssh"
		case "rtsp":
			return "rtsp"
		}
	}
	return ""
}

// gatewayOf is the gateway of a network, or of this computer's link to it where none is
// entered.
func (p *trial) gatewayOf(n site.Network) netip.Addr {
	if l, attached := p.links[n.ID]; attached && !n.Gateway.IsValid() {
		return l.Gateway
	}
	return n.Gateway
}

// dialOn dials neighbours on a link.
func (p *trial) dialOn(l Link) Dialer {
	return func(ctx context.Context, network string, to netip.AddrPort) (net.Conn, error) {
		if network == "udp" {
			return p.net.Ask(ctx, l, to)
		}
		return p.net.Dial(ctx, l, to)
	}
}

// askServices asks each service at its planned address.
func (p *trial) askServices(ctx context.Context) {
	var all sync.WaitGroup
	for _, w := range p.wishes() {
		l, attached := p.links[w.Interface.Network]
		why := ""
		switch {
		case w.Interface.Pin == nil:
			why = "Its device is loose: it has no planned address."
		case !attached:
			why = p.elsewhere(w)
		case !l.Subnet().Contains(w.Interface.Pin.Address):
			why = "Its planned address is not on this network."
		}
		if why != "" {
			p.heard(w, site.Heard{Result: site.Untried, Says: why})
			continue
		}
		all.Go(func() {
			done, ok := p.turn(ctx, w.Interface.Pin.Address)
			if !ok {
				return
			}
			defer done()
			q := p.questionOf(w)
			h := Try(ctx, p.dialOn(l), netip.AddrPortFrom(w.Interface.Pin.Address, q.Port), q)
			h.By = site.TriedHere
			p.heard(w, h)
		})
	}
	all.Wait()
}

// elsewhere says why a service on a network that this computer is not on is not tried: from
// another network of the same router it is up to that router's rules whether it answers.
func (p *trial) elsewhere(w site.Wish) string {
	for _, r := range p.Site.Routers {
		if !r.On(w.Interface.Network) {
			continue
		}
		for id := range p.links {
			if !r.On(id) {
				continue
			}
			here, _ := p.Site.Network(id)
			there, _ := p.Site.Network(w.Interface.Network)
			return fmt.Sprintf("This computer is on %s, the device on %s. Whether one reaches the other is up to the rules of %s between its networks. Test it from %s.", networkName(here), networkName(there), r.Label(), networkName(there))
		}
	}
	return "This computer is not attached to its network."
}

func networkName(n site.Network) string {
	if n.Name != "" {
		return n.Name
	}
	return n.Subnet.String()
}

// taken reports whether a link is of another network already that has the same addresses.
func taken(links map[string]Link, v site.View, n site.Network, l Link) bool {
	for id, there := range links {
		o, _ := v.Network(id)
		if id != n.ID && there.Own == l.Own && o.Subnet.Overlaps(n.Subnet) {
			return true
		}
	}
	return false
}

func (p *trial) heard(w site.Wish, h site.Heard) {
	p.keep(w.Service.ID, func(s *site.ProofHeard) { s.Inside = h; p.done++ })
}

// routerPages learns what the router's own pages say of themselves, to know them again.
func (p *trial) routerPages(ctx context.Context) {
	keys := map[string]bool{}
	var mu sync.Mutex
	var all sync.WaitGroup
	for _, r := range p.Site.Routers {
		n, known := p.Site.Network(r.Network)
		l, attached := p.links[r.Network]
		gateway := p.gatewayOf(n)
		if !known || !attached || !gateway.IsValid() {
			continue
		}
		ports := []uint16{80, 443, 8080, 8443}
		for _, o := range r.OwnPorts {
			for _, run := range o.Ports.Runs() {
				if o.Protocol.Covers(site.TCP) && len(ports) < 16 {
					ports = append(ports, uint16(run.Lo))
				}
			}
		}
		slices.Sort(ports)
		for _, port := range slices.Compact(ports) {
			all.Go(func() {
				done, ok := p.turn(ctx, gateway)
				if !ok {
					return
				}
				defer done()
				ctx, stop := context.WithTimeout(ctx, oneSecond)
				defer stop()
				check := "http"
				if port == 443 || port == 8443 {
					check = "https"
				}
				h := Try(ctx, p.dialOn(l), netip.AddrPortFrom(gateway, port), Question{site.TCP, port, check})
				if mu.Lock(); h.Result == site.HeardAnswers && h.Key != "" {
					keys[h.Key] = true
				}
				mu.Unlock()
			})
		}
	}
	all.Wait()
	p.mu.Lock()
	defer p.mu.Unlock()
	for k := range keys {
		p.out.Router.Keys = append(p.out.Router.Keys, k)
	}
	slices.Sort(p.out.Router.Keys)
}

// askTheRouter asks the router that this computer is attached to for its outside address and
// its mappings. What one tells that stands behind another is no address of the site.
func (p *trial) askTheRouter(ctx context.Context) {
	for _, r := range p.Site.Routers {
		n, known := p.Site.Network(r.Network)
		gateway := p.gatewayOf(n)
		if _, attached := p.links[r.Network]; !attached || !known || !gateway.IsValid() {
			continue
		}
		told, err := AskRouter(ctx, p.net, gateway, []netip.Prefix{n.Subnet})
		if err != nil {
			continue
		}
		p.mu.Lock()
		if len(told.Speaks) > 0 {
			p.out.Router.Answers = true
		}
		if r.Upstream == "" {
			p.out.Router.Speaks = told.Speaks
			if p.out.Router.Mappings = told.Mappings; told.Outside.IsValid() {
				p.out.Router.Told = append(p.out.Router.Told, site.ToldOutside{Address: told.Outside, By: site.ToldByRouter})
			}
		}
		p.mu.Unlock()
		return
	}
}

// whoIsThere asks by ARP who has the planned addresses; for those who are not there it looks
// on the whole network where their MAC addresses answer.
func (p *trial) whoIsThere(ctx context.Context) {
	for id, l := range p.links {
		n, _ := p.Site.Network(id)
		var pinned []site.Placed
		var ask []netip.Addr
		for _, d := range p.Site.Devices {
			for i := range d.Interfaces {
				x, _ := p.Site.Interface(d.Interfaces[i].ID)
				if x.Interface.Network == id && x.Interface.Pin != nil && l.Subnet().Contains(x.Interface.Pin.Address) {
					pinned, ask = append(pinned, x), append(ask, x.Interface.Pin.Address)
				}
			}
		}
		if gateway := p.gatewayOf(n); gateway.IsValid() {
			ask = append(ask, gateway)
		}
		if len(ask) == 0 {
			continue
		}
		found, err := p.arp(ctx, l, n.Subnet, ask)
		if err != nil {
			p.untold(pinned, err)
			continue
		}
		p.mu.Lock()
		who := found[p.gatewayOf(n)]
		p.out.Router.Answers = p.out.Router.Answers || len(who) > 0
		if len(who) == 1 {
			p.out.Router.Gateways = append(p.out.Router.Gateways, site.ProofGateway{Network: id, MAC: who[0]})
		}
		p.mu.Unlock()
		var lost []site.Placed
		for _, x := range pinned {
			a, mac := x.Interface.Pin.Address, x.Interface.MAC
			who := found[a]
			switch {
			case a == l.Own.Addr():
				p.there(site.ProofThere{Interface: x.Interface.ID, Planned: a, Answers: site.Untried, Why: "This computer has that address itself."})
			case mac != "" && slices.Contains(who, mac), mac == "" && len(who) > 0:
				p.there(site.ProofThere{Interface: x.Interface.ID, Planned: a, Answers: "yes", MAC: cmp.Or(mac, first(who)), Why: twoThere(mac, who)})
			default:
				lost = append(lost, x)
			}
		}
		p.lookFor(ctx, l, n.Subnet, lost, found)
	}
}

func first(macs []site.MAC) site.MAC {
	if len(macs) == 0 {
		return ""
	}
	return macs[0]
}

// twoThere tells of a second device at an address.
func twoThere(mac site.MAC, who []site.MAC) string {
	for _, o := range who {
		if mac != "" && o != mac {
			return fmt.Sprintf("%s answers there as well: two devices have the address.", o)
		}
	}
	return ""
}

// lookFor finds where those answer who are not at their planned addresses.
func (p *trial) lookFor(ctx context.Context, l Link, subnet netip.Prefix, lost []site.Placed, found map[netip.Addr][]site.MAC) {
	if len(lost) == 0 {
		return
	}
	known := slices.ContainsFunc(lost, func(x site.Placed) bool { return x.Interface.MAC != "" })
	everywhere := map[netip.Addr][]site.MAC{}
	if known && subnet.Bits() >= widest {
		everywhere, _ = p.arp(ctx, l, subnet, nil)
	} else if known {
		p.note("%s is too large to look for those who are not at their addresses.", subnet)
	}
	for _, x := range lost {
		t := site.ProofThere{Interface: x.Interface.ID, Planned: x.Interface.Pin.Address, Answers: "no"}
		if who := found[t.Planned]; len(who) > 0 {
			t.Answers, t.MAC = "yes", who[0]
		}
		for a, who := range everywhere {
			if x.Interface.MAC != "" && slices.Contains(who, x.Interface.MAC) && a != t.Planned {
				t.Found = a
			}
		}
		if ctx.Err() != nil {
			t.Answers, t.Why = site.Untried, "It was stopped."
		}
		p.there(t)
	}
}

func (p *trial) untold(pinned []site.Placed, err error) {
	for _, x := range pinned {
		p.there(site.ProofThere{Interface: x.Interface.ID, Planned: x.Interface.Pin.Address, Answers: site.Untried, Why: "Who is there cannot be asked: " + err.Error() + "."})
	}
}

func (p *trial) there(t site.ProofThere) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.out.Interfaces = append(p.out.Interfaces, t)
	if i := len(p.out.Interfaces) - 1; t.Answers == "no" {
		p.doubts = append(p.doubts, doubt{time.Now(), func(why string) { p.out.Interfaces[i].Answers, p.out.Interfaces[i].Why = site.Untried, why }})
	}
	p.tell(Trying{There: &t})
}

// arp asks who has some addresses of a subnet, all of them where none are named.
func (p *trial) arp(ctx context.Context, l Link, subnet netip.Prefix, ask []netip.Addr) (map[netip.Addr][]site.MAC, error) {
	out := map[netip.Addr][]site.MAC{}
	s := &survey{net: p.net, link: l, plan: Plan{Subnet: subnet, Rate: 700, Source: "check"}, only: ask, found: map[netip.Addr]site.MAC{}, macs: map[site.MAC]int{}}
	s.report = oneByOne(func(e Event) {
		if e.Sighting != nil && !slices.Contains(out[e.Sighting.Address], e.Sighting.MAC) {
			out[e.Sighting.Address] = append(out[e.Sighting.Address], e.Sighting.MAC)
		}
	})
	err := s.sweep(ctx)
	if errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		err = nil
	}
	return out, err
}

// wanted are the services that are tried outside, each with the entry at which it is.
func (p *trial) wanted(from netip.Addr) (out []outsideTry) {
	for _, w := range p.wishes() {
		why := ""
		q := p.questionOf(w)
		entries := p.map_.Entries(w)
		i := slices.IndexFunc(entries, func(e reach.Mapping) bool {
			return e.Protocol == q.Protocol && (!from.IsValid() || e.Sources.Has(from))
		})
		switch {
		case w.Service.Open == nil:
			why = "It stays inside."
		case len(entries) == 0:
			why = "The plan has no forward that leads to it."
		case i < 0 && slices.ContainsFunc(entries, func(e reach.Mapping) bool { return e.Protocol == q.Protocol }):
			why = fmt.Sprintf("Only some senders may reach it, and %s is none of them.", from)
		case i < 0:
			i = 0
			q.Protocol = entries[0].Protocol
		}
		if why != "" {
			p.keep(w.Service.ID, func(s *site.ProofHeard) { s.Outside = site.Heard{Result: site.Untried, Says: why} })
			continue
		}
		q.Port = uint16(entries[i].Outside.Lo)
		out = append(out, outsideTry{w, q})
	}
	return out
}

type outsideTry struct {
	w site.Wish
	q Question
}

// control is an outside port at which nothing is planned, to know what the router does with
// such a one.
func (p *trial) control() Question {
	taken := span.Set{}
	if outer, ok := reach.Outermost(p.Site); ok {
		for _, s := range p.map_.Spans(outer.ID, site.TCP) {
			taken = taken.Union(span.Of(s.Ports))
		}
	}
	for port := uint32(61001); port < 65000; port += 7 {
		if !taken.Contains(port) {
			return Question{site.TCP, uint16(port), "tcp"}
		}
	}
	return Question{site.TCP, 65000, "tcp"}
}
