package wire

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"net"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/miekg/dns"
	"github.com/pion/stun/v3"
	"golang.org/x/time/rate"

	"vestpin/core/reach"
	"vestpin/core/site"
)

// The bounds of what a far end is asked at once and how fast.
const (
	MostAsked  = 64               // ports in one request
	AskedASec  = 20               // ports a second
	mostStrays = 6                // ports nearby that are tried of one that fails
	farMost    = 30 * time.Second // for one request, and for what goes on beside it
)

// through dials by whatever way the system takes, also through a gateway.
func through(ctx context.Context, network string, to netip.AddrPort) (net.Conn, error) {
	var d net.Dialer
	return d.DialContext(ctx, network+"4", to.String())
}

// LookOutside learns at which address a site is now and what its name stands for, by as little
// as can be: the router is asked, the far end only where that tells nothing. The answers are
// those of a proof; nothing is told where this computer is not at the site.
func LookOutside(ctx context.Context, n Network, t Trial) (site.ProofRouter, site.ProofName, error) {
	place, err := PlaceOf(n, t.Site.Site)
	if err != nil || !place.Inside() {
		return site.ProofRouter{}, site.ProofName{}, err
	}
	t.From = Inside
	p := &trial{Trial: t, net: n, links: place.On, report: func(Trying) {}}
	p.askTheRouter(ctx)
	// What a router tells that stands behind another is no address of the site.
	p.out.Router.Told = slices.DeleteFunc(p.out.Router.Told, func(t site.ToldOutside) bool {
		return t.Address.IsPrivate() || site.Carrier.Contains(t.Address)
	})
	if len(p.out.Router.Told) == 0 && p.Far != nil && p.outAnotherWay() == "" {
		asking, stop := context.WithTimeout(ctx, farMost)
		defer stop()
		if sees, err := p.Far.Sees(asking); err == nil && sees.IsValid() {
			p.seen(sees, site.ToldByAfar)
		}
	}
	p.lookUp(ctx)
	return p.out.Router, p.out.Name, ctx.Err()
}

// fromAfar has the far end try the outside ports, and learns at which address the site is
// seen. Of those that fail it has some ports nearby tried, which a slip of the finger would
// have opened.
func (p *trial) fromAfar(ctx context.Context) {
	p.doing("asking the far end")
	if why := p.outAnotherWay(); why != "" {
		p.note("%s", why)
		for _, t := range p.wanted(netip.Addr{}) {
			p.keep(t.w.Service.ID, func(s *site.ProofHeard) { s.Outside = site.Heard{Result: site.Untried, Says: why} })
		}
		return
	}
	asking, stop := context.WithTimeout(ctx, farMost)
	sees, err := p.Far.Sees(asking)
	stop()
	if sees.IsValid() {
		p.seen(sees, site.ToldByAfar)
	}
	if err != nil {
		p.note("The far end was not of use: %v.", err)
		for _, t := range p.wanted(netip.Addr{}) {
			p.keep(t.w.Service.ID, func(s *site.ProofHeard) {
				s.Outside = site.Heard{Result: site.Untried, Says: "The far end was not of use: " + err.Error() + "."}
			})
		}
		p.wayOut(ctx)
		return
	}
	var all sync.WaitGroup
	all.Go(func() { p.wayOut(ctx) })
	tries := p.wanted(p.Far.Stands())
	questions := []Question{p.control()}
	for _, t := range tries {
		questions = append(questions, t.q)
	}
	p.doing("trying from elsewhere")
	p.asked.fromElsewhere()
	p.askFar(ctx, questions, func(i int, h site.Heard) {
		if i == 0 {
			p.mu.Lock()
			p.out.Router.Control = site.Answer(resultOnly(h))
			p.mu.Unlock()
			return
		}
		p.keep(tries[i-1].w.Service.ID, func(s *site.ProofHeard) { s.Outside = h })
	})
	for _, t := range tries {
		if h := p.heardOf(t.w.Service.ID).Outside; !h.Tried() && h.Says == "" {
			p.keep(t.w.Service.ID, func(s *site.ProofHeard) { s.Outside.Says = "The far end did not come to it." })
		}
	}
	p.strays(ctx, tries)
	all.Wait()
}

// outAnotherWay says why a far end would see another place than the site: this computer's way
// out is by another network, such as a phone that is tethered beside the cable.
func (p *trial) outAnotherWay() string {
	router, ok := p.net.(interface {
		WayOut(to netip.AddrPort) (netip.Addr, error)
	})
	if !ok {
		return ""
	}
	own, err := router.WayOut(p.Far.Mirror())
	if err != nil {
		return ""
	}
	for _, l := range p.links {
		if l.Own.Addr() == own {
			return ""
		}
	}
	return fmt.Sprintf("This computer's way out is by %s and not by the site: the far end would try another place. Switch that network off.", own)
}

func resultOnly(h site.Heard) site.TryResult {
	if h.Tried() {
		return h.Result
	}
	return ""
}

// askFar asks in portions that the far end takes.
func (p *trial) askFar(ctx context.Context, questions []Question, heard func(int, site.Heard)) {
	for from := 0; from < len(questions) && ctx.Err() == nil; from += MostAsked {
		part := questions[from:min(from+MostAsked, len(questions))]
		asking, stop := context.WithTimeout(ctx, farMost)
		err := p.Far.Try(asking, part, func(i int, h site.Heard) {
			if i >= 0 && i < len(part) {
				h.By = site.TriedAfar
				heard(from+i, h)
			}
		})
		stop()
		if err != nil {
			p.note("The far end did not answer to the end: %v.", err)
			return
		}
	}
}

// strays has ports near those that fail tried, where the device was known inside.
func (p *trial) strays(ctx context.Context, tries []outsideTry) {
	var questions []Question
	var of []int
	planned := map[uint16]bool{}
	for _, t := range tries {
		planned[t.q.Port] = true
	}
	for i, t := range tries {
		h := p.heardOf(t.w.Service.ID)
		if h.Inside.Key == "" || h.Outside.Result == site.HeardAnswers || !h.Outside.Tried() || t.q.Protocol != site.TCP {
			continue
		}
		for _, port := range slips(t.q.Port, uint16(t.w.Service.Ports.At(0))) {
			if !planned[port] && len(questions) < MostAsked {
				questions, of = append(questions, Question{site.TCP, port, t.q.Check}), append(of, i)
			}
		}
	}
	if len(questions) == 0 || len(questions) > MostAsked {
		return
	}
	p.doing("trying ports nearby")
	p.askFar(ctx, questions, func(i int, h site.Heard) {
		t := tries[of[i]]
		if h.Result == site.HeardAnswers && h.Key == p.heardOf(t.w.Service.ID).Inside.Key {
			p.keep(t.w.Service.ID, func(s *site.ProofHeard) { s.Stray = int(questions[i].Port) })
		}
	})
}

// slips are the ports that a slip makes of one: the device's own, two digits changed places,
// one digit left out, one too many.
func slips(port, own uint16) []uint16 {
	var out []uint16
	add := func(text string) {
		n, err := strconv.Atoi(text)
		if err == nil && n > 0 && n < 65536 && uint16(n) != port && !slices.Contains(out, uint16(n)) && len(out) < mostStrays {
			out = append(out, uint16(n))
		}
	}
	text := strconv.Itoa(int(port))
	add(strconv.Itoa(int(own)))
	for i := range len(text) - 1 {
		b := []byte(text)
		b[i], b[i+1] = b[i+1], b[i]
		add(string(b))
	}
	add(strconv.Itoa(int(port) + 1))
	add(strconv.Itoa(int(port) - 1))
	for i := range text {
		add(text[:i] + text[i+1:])
	}
	return out
}

// seen notes an address that the site was told to have outside.
func (p *trial) seen(a netip.Addr, by site.AddressBy) {
	if !reach.CanBeOutside(a.Unmap()) || here(a.Unmap(), p.on()) {
		p.note("%s was told as the outside address, which can be none.", a)
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.out.Router.Told = append(slices.DeleteFunc(p.out.Router.Told, func(t site.ToldOutside) bool { return t.By == by }), site.ToldOutside{Address: a.Unmap(), By: by})
}

// on are the links of this computer at the site.
func (p *trial) on() []Link { return slices.Collect(maps.Values(p.links)) }

// wayOut learns the outside address from the far end's mirror, and who stands on the way
// there.
func (p *trial) wayOut(ctx context.Context) {
	mirror := p.Far.Mirror()
	if !mirror.IsValid() {
		return
	}
	ctx, stop := context.WithTimeout(ctx, farMost)
	defer stop()
	if a, err := p.mirrored(ctx, mirror); err == nil {
		p.seen(a, site.ToldBySTUN)
	}
	if walker, ok := p.net.(interface {
		Hops(ctx context.Context, to netip.AddrPort) []netip.Addr
	}); ok {
		hops := walker.Hops(ctx, mirror)
		p.mu.Lock()
		p.out.Router.Hops = hops
		p.mu.Unlock()
	}
}

// mirrored asks by STUN at which address this computer is seen (RFC 8489).
func (p *trial) mirrored(ctx context.Context, mirror netip.AddrPort) (netip.Addr, error) {
	c, err := p.dialOut(ctx, "udp", mirror)
	if err != nil {
		return netip.Addr{}, err
	}
	defer c.Close()
	defer context.AfterFunc(ctx, func() { c.Close() })()
	ask := stun.MustBuild(stun.TransactionID, stun.BindingRequest)
	buffer := make([]byte, 1500)
	for wait := 300 * time.Millisecond; wait <= 1200*time.Millisecond; wait *= 2 {
		if _, err := c.Write(ask.Raw); err != nil {
			return netip.Addr{}, err
		}
		c.SetReadDeadline(time.Now().Add(wait))
		n, rerr := c.Read(buffer)
		if err = rerr; err != nil {
			continue
		}
		answer := &stun.Message{Raw: buffer[:n]}
		var at stun.XORMappedAddress
		if err = answer.Decode(); err == nil && answer.TransactionID == ask.TransactionID {
			if err = at.GetFrom(answer); err == nil {
				a, _ := netip.AddrFromSlice(at.IP)
				return a.Unmap(), nil
			}
		}
	}
	return netip.Addr{}, err
}

// dialOut dials out of the site: a made-up network has a way of its own.
func (p *trial) dialOut(ctx context.Context, network string, to netip.AddrPort) (net.Conn, error) {
	if out, ok := p.net.(interface {
		Out(ctx context.Context, network string, to netip.AddrPort) (net.Conn, error)
	}); ok {
		return out.Out(ctx, network, to)
	}
	return through(ctx, network, to)
}

// fromHere tries the outside from this computer, which is elsewhere.
func (p *trial) fromHere(ctx context.Context) {
	p.lookUp(ctx)
	host := p.hostOutside()
	if !host.IsValid() {
		p.note("Neither the outside address nor what its name stands for is known.")
		for _, t := range p.wanted(netip.Addr{}) {
			p.keep(t.w.Service.ID, func(s *site.ProofHeard) {
				s.Outside = site.Heard{Result: site.Untried, Says: "The outside address is not known."}
			})
		}
		return
	}
	tries := p.wanted(netip.Addr{})
	limit := rate.NewLimiter(AskedASec, 4)
	p.doing("trying from this network")
	var all sync.WaitGroup
	one := func(q Question, put func(site.Heard)) {
		if limit.Wait(ctx) != nil {
			return
		}
		all.Go(func() {
			h := Try(ctx, p.dialOut, netip.AddrPortFrom(host, q.Port), q)
			h.By = site.TriedHere
			put(h)
		})
	}
	one(p.control(), func(h site.Heard) {
		p.mu.Lock()
		p.out.Router.Control = site.Answer(resultOnly(h))
		p.mu.Unlock()
	})
	for _, t := range tries {
		one(t.q, func(h site.Heard) { p.keep(t.w.Service.ID, func(s *site.ProofHeard) { s.Outside = h; p.done++ }) })
	}
	all.Wait()
}

// hostOutside is what is dialled from elsewhere: what the name stands for, or the planned
// address.
func (p *trial) hostOutside() netip.Addr {
	links, _ := p.net.Links()
	for _, a := range p.out.Name.Points {
		if CanBeDialled(a, links) {
			return a
		}
		p.note("The name stands for %s, at which nothing is tried from elsewhere.", a)
	}
	outer, _ := reach.Outermost(p.Site)
	if !reach.CanBeOutside(outer.WAN.Address) {
		return netip.Addr{}
	}
	return outer.WAN.Address
}

// loop tries the outside address from inside. It works only on routers that loop back: after
// some that answer inside and not this way, the rest is not tried.
func (p *trial) loop(ctx context.Context) {
	outer, ok := reach.Outermost(p.Site)
	if !ok {
		return
	}
	host, odd := outer.WAN.Address, netip.Addr{}
	for _, t := range p.out.Router.Told {
		if t.Address == outer.WAN.Address || CanBeDialled(t.Address, p.on()) {
			host = t.Address
		} else {
			odd = t.Address
		}
	}
	why := ""
	switch {
	case !host.IsValid() && odd.IsValid():
		why = fmt.Sprintf("The router tells %s as its outside address, at which nothing of the site is.", odd)
	case host.IsValid() && !reach.CanBeOutside(host):
		why = "The outside address can be none."

	case outer.LoopsBack == reach.NoLoopsBack:
		why = "It is only tried from elsewhere: the router does not loop back."
	case !host.IsValid():
		why = "The outside address is not known."
	}
	p.doing("trying the outside address from inside")
	silent, answers := 0, 0
	var last site.Heard
	for _, t := range p.wanted(netip.Addr{}) {
		h := site.Heard{Result: site.Untried, Says: why}
		inside := p.heardOf(t.w.Service.ID).Inside.Result
		switch {
		case why != "":
		case inside != site.HeardAnswers && inside != site.Untried:
			h.Says = "It does not answer inside."
		case silent >= tryLoops && answers == 0:
			h = site.Heard{Result: last.Result, By: site.TriedLooped, Says: "The router does not loop back, so it was not tried."}
		default:
			turn, stop := context.WithTimeout(ctx, 2*oneSecond)
			h = Try(turn, p.dialOut, netip.AddrPortFrom(host, t.q.Port), t.q)
			stop()
			if h.Result == site.Untried && ctx.Err() == nil && t.q.Protocol == site.TCP {
				h.Result, h.Says = site.HeardSilent, "Nothing comes back."
			}
			if h.By = site.TriedLooped; h.Result == site.HeardAnswers {
				answers++
			} else if h.Tried() {
				silent, last = silent+1, h
			}
		}
		p.keep(t.w.Service.ID, func(s *site.ProofHeard) { s.Outside = h })
	}
}

// mostNames is how many addresses of a name are kept.
const mostNames = 16

// lookUp finds what the name stands for, by the site's resolver and by the name's own servers.
func (p *trial) lookUp(ctx context.Context) {
	outer, ok := reach.Outermost(p.Site)
	if !ok || outer.WAN.Name == "" {
		return
	}
	ctx, stop := context.WithTimeout(ctx, 5*time.Second)
	defer stop()
	out := site.ProofName{Name: outer.WAN.Name}
	var servers []netip.Addr
	for _, n := range p.Site.Networks {
		if _, attached := p.links[n.ID]; attached && p.From == Inside {
			servers = append(append(servers, n.DNS...), p.gatewayOf(n))
		}
	}
	if links, err := p.net.Links(); err == nil {
		for _, l := range links {
			servers = append(servers, l.DNS...)
		}
	}
	name := dns.Fqdn(out.Name)
	servers = slices.Compact(servers)
	for _, s := range servers {
		if !s.IsValid() {
			continue
		}
		answer, err := p.resolve(ctx, s, name, dns.TypeA)
		if err != nil {
			out.Why = cmp.Or(out.Why, "No name server answers.")
			continue
		}
		var more int
		if out.Points, out.TTL, more, out.Why = addressesOf(answer); more > 0 {
			p.note("%s stands for %d addresses; the first %d are looked at.", out.Name, mostNames+more, mostNames)
		}
		out.Absent = out.Why != "" && (answer.Rcode == dns.RcodeSuccess || answer.Rcode == dns.RcodeNameError)
		if out.Own = p.ownServers(ctx, s, name); out.Why == "" || answer.Rcode == dns.RcodeNameError {
			break
		}
	}
	if len(servers) == 0 {
		out.Why = "No name server is known here."
	}
	p.mu.Lock()
	p.out.Name = out
	p.mu.Unlock()
}

// addressesOf is what an answer says that a name stands for, and for how long; or why not. More
// is how many addresses are left out.
func addressesOf(m *dns.Msg) (points []netip.Addr, ttl, more int, why string) {
	for _, rr := range m.Answer {
		a, ok := rr.(*dns.A)
		if !ok {
			continue
		}
		if addr, ok := netip.AddrFromSlice(a.A.To4()); ok && len(points) < mostNames {
			points, ttl = append(points, addr), int(a.Hdr.Ttl)
		} else if ok {
			more++
		}
	}
	switch {
	case len(points) > 0:
		return points, ttl, more, ""
	case m.Rcode == dns.RcodeNameError:
		return nil, 0, 0, "There is no such name."
	case m.Rcode != dns.RcodeSuccess:
		return nil, 0, 0, "The name server does not say what it stands for."
	}
	return nil, 0, 0, "The name stands for no address."
}

// ownServers asks the servers of the zone of a name, which do not lag.
func (p *trial) ownServers(ctx context.Context, resolver netip.Addr, name string) []netip.Addr {
	for zone := name; strings.Count(zone, ".") > 1; {
		_, zone, _ = strings.Cut(zone, ".")
		answer, err := p.resolve(ctx, resolver, zone, dns.TypeNS)
		if err != nil {
			return nil
		}
		for _, rr := range answer.Answer {
			ns, ok := rr.(*dns.NS)
			if !ok {
				continue
			}
			at, err := p.resolve(ctx, resolver, ns.Ns, dns.TypeA)
			if err != nil {
				continue
			}
			servers, _, _, _ := addressesOf(at)
			for _, server := range servers[:min(len(servers), 2)] {
				if !CanBeDialled(server, p.on()) {
					continue
				}
				if own, err := p.resolve(ctx, server, name, dns.TypeA); err == nil && own.Authoritative {
					points, _, _, _ := addressesOf(own)
					return points
				}
			}
		}
	}
	return nil
}

// resolve asks one server one question, twice if need be.
func (p *trial) resolve(ctx context.Context, server netip.Addr, name string, what uint16) (*dns.Msg, error) {
	m := new(dns.Msg)
	m.SetQuestion(name, what)
	question, err := m.Pack()
	if err != nil {
		return nil, err
	}
	c, err := p.dialServer(ctx, netip.AddrPortFrom(server, 53))
	if err != nil {
		return nil, err
	}
	defer c.Close()
	defer context.AfterFunc(ctx, func() { c.Close() })()
	buffer := make([]byte, 4096)
	for range 2 {
		if _, err = c.Write(question); err != nil {
			return nil, err
		}
		c.SetReadDeadline(time.Now().Add(900 * time.Millisecond))
		for n := 0; err == nil; {
			answer := new(dns.Msg)
			if n, err = c.Read(buffer); err == nil && answer.Unpack(buffer[:n]) == nil && answer.Id == m.Id && answer.Response {
				return answer, nil
			}
		}
	}
	return nil, err
}

// dialServer opens UDP to a name server: a neighbour is asked directly.
func (p *trial) dialServer(ctx context.Context, to netip.AddrPort) (net.Conn, error) {
	for _, l := range p.links {
		if l.Subnet().Contains(to.Addr()) {
			return p.net.Ask(ctx, l, to)
		}
	}
	return p.dialOut(ctx, "udp", to)
}
