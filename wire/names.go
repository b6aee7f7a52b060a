package wire

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"slices"
	"strconv"
	"sync"
	"time"

	"golang.org/x/net/dns/dnsmessage"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/frame"
)

// The groups that questions to all go to.
var (
	groupMDNS = netip.MustParseAddrPort("224.0.0.251:5353")
	groupSSDP = netip.MustParseAddrPort("239.255.255.250:1900")
	groupWSD  = netip.MustParseAddrPort("239.255.255.250:3702")
)

// The time that answers to names are waited for, in two rounds.
const (
	nameRound  = 900 * time.Millisecond
	nameRounds = 2
)

// browsed are the service types that are asked for by name, for devices that do
// not answer the question for all types.
var browsed = []string{"_services._dns-sd._udp", "_http._tcp", "_ipp._tcp", "_printer._tcp", "_rtsp._tcp", "_workstation._tcp", "_smb._tcp", "_ssh._tcp", "_sip._udp", "_device-info._tcp", "_mqtt._tcp"}

// asking is one way of asking for names, over one socket.
type asking struct {
	name string
	port uint16 // ours, 0 for any
	send func(Packets, []netip.Addr)
	take func(from netip.AddrPort, body []byte)
}

// names asks all devices at once, each in the ways that devices know: reverse
// DNS, multicast DNS, SSDP, WS-Discovery, NetBIOS, LLMNR, and SNMP where a
// community was given.
func (s *survey) names(ctx context.Context) error {
	hosts := s.hosts()
	if len(hosts) == 0 {
		return ctx.Err()
	}
	var mu sync.Mutex
	places := map[netip.Addr]string{} // where descriptions lie
	ways := s.waysOfAsking(hosts, func(a netip.Addr, location string) {
		mu.Lock()
		defer mu.Unlock()
		places[a] = location
	})
	var all sync.WaitGroup
	total := nameRound * nameRounds
	begin := time.Now()
	for _, w := range ways {
		all.Go(func() { s.askNames(ctx, w, hosts) })
	}
	ended := make(chan struct{})
	go func() { all.Wait(); close(ended) }()
	for going := true; going; {
		select {
		case <-ended:
			going = false
		case <-time.After(100 * time.Millisecond):
			passed := min(time.Since(begin), total)
			s.progress("asking names", int(passed.Milliseconds()), int(total.Milliseconds()), total-passed)
		}
	}
	if err := ctx.Err(); err != nil {
		return err
	}
	return s.descriptions(ctx, places)
}

func (s *survey) hosts() []netip.Addr {
	var hosts []netip.Addr
	for a := range s.found {
		hosts = append(hosts, a)
	}
	slices.SortFunc(hosts, netip.Addr.Compare)
	return hosts
}

func (s *survey) waysOfAsking(hosts []netip.Addr, place func(netip.Addr, string)) []asking {
	each := func(port uint16, body func(netip.Addr) []byte) func(Packets, []netip.Addr) {
		return func(p Packets, hosts []netip.Addr) {
			for _, a := range hosts {
				if b := body(a); b != nil {
					p.WriteToUDPAddrPort(b, netip.AddrPortFrom(a, port))
					time.Sleep(time.Second / time.Duration(s.plan.Rate) / 2)
				}
			}
		}
	}
	told := func(a netip.Addr, host, state string, traits []site.Trait) {
		if host != "" || len(traits) > 0 {
			s.sight(sighting.Sighting{Address: a, Host: host, State: state, Traits: traits})
		}
	}
	reversed, local, netBIOS, sip, snmp := newNumbers(hosts), newNumbers(hosts), newNumbers(hosts), newNumbers(hosts), newNumbers(hosts)
	probe := fmt.Sprintf("00000000-0000-4000-8000-%012x", rand.Uint64()&0xffffffffffff)
	reverse := func(p Packets, hosts []netip.Addr) {
		for _, a := range hosts {
			q := frame.AskDNS(reversed.of[a], true, frame.Question{Name: frame.ReverseName(a), Type: dnsmessage.TypePTR})
			for _, server := range s.resolvers() {
				p.WriteToUDPAddrPort(q, netip.AddrPortFrom(server, 53))
			}
			time.Sleep(time.Second / time.Duration(s.plan.Rate) / 2)
		}
	}
	dns := func(state string, asked func(netip.AddrPort, uint16) bool) func(netip.AddrPort, []byte) {
		return func(from netip.AddrPort, body []byte) {
			if d, ok := frame.ParseDNS(body); ok && d.Response && asked(from, d.ID) {
				told(from.Addr(), d.HostOf(from.Addr()), state, d.Traits())
			}
		}
	}
	ways := []asking{
		{"reverse DNS", 0, reverse, func(from netip.AddrPort, body []byte) {
			d, ok := frame.ParseDNS(body)
			if !ok || !d.Response || from.Port() != 53 || !slices.Contains(s.resolvers(), from.Addr()) {
				return
			}
			if a, asked := reversed.about(d.ID, from.Addr()); asked {
				told(a, d.HostOf(a), "reverse DNS", nil)
			}
		}},
		{"mDNS", 5353, func(p Packets, hosts []netip.Addr) {
			var q []frame.Question
			for _, t := range browsed {
				q = append(q, frame.Question{Name: t + ".local", Type: dnsmessage.TypePTR})
			}
			p.WriteToUDPAddrPort(frame.AskDNS(0, false, q...), groupMDNS)
			for i := 0; i < len(hosts); i += 20 {
				q = q[:0]
				for _, a := range hosts[i:min(i+20, len(hosts))] {
					q = append(q, frame.Question{Name: frame.ReverseName(a), Type: dnsmessage.TypePTR})
				}
				p.WriteToUDPAddrPort(frame.AskDNS(0, false, q...), groupMDNS)
			}
		}, dns("mdns", func(from netip.AddrPort, _ uint16) bool { return from.Port() == 5353 })},
		{"LLMNR", 0, each(5355, func(a netip.Addr) []byte {
			return frame.AskDNS(local.of[a], false, frame.Question{Name: frame.ReverseName(a), Type: dnsmessage.TypePTR})
		}), dns("llmnr", func(from netip.AddrPort, id uint16) bool { return local.from(from, 5355, id) })},
		{"NetBIOS", 0, each(137, func(a netip.Addr) []byte { return frame.AskNetBIOS(netBIOS.of[a]) }), func(from netip.AddrPort, body []byte) {
			if n, ok := frame.ParseNetBIOS(body); ok && netBIOS.from(from, 137, binary.BigEndian.Uint16(body)) {
				told(from.Addr(), n.Host, "netbios", nil)
			}
		}},
		{"SSDP", 0, func(p Packets, _ []netip.Addr) { p.WriteToUDPAddrPort([]byte(frame.AskSSDP), groupSSDP) }, func(from netip.AddrPort, body []byte) {
			if m, ok := frame.ParseSSDP(body); ok && !m.Search {
				told(from.Addr(), "", "ssdp", m.Traits())
				if m.Location != "" {
					place(from.Addr(), m.Location)
				}
			}
		}},
		{"WS-Discovery", 0, func(p Packets, _ []netip.Addr) {
			p.WriteToUDPAddrPort(frame.AskDiscovery(probe), groupWSD)
		}, func(from netip.AddrPort, body []byte) {
			if traits, ok := frame.ParseDiscovery(body); ok && bytes.Contains(body, []byte(probe)) {
				told(from.Addr(), "", "ws-discovery", traits)
			}
		}},
	}
	ways = append(ways, asking{"SIP", 0, each(5060, func(a netip.Addr) []byte { return []byte(sipOptions(a, "UDP")) }), func(from netip.AddrPort, body []byte) {
		if traits := sipTraits(body); traits != nil && sip.from(from, 5060, sip.of[from.Addr()]) {
			told(from.Addr(), "", "answers on 5060/udp", frame.AddTrait(traits, site.TraitPort, "5060/udp"))
		}
	}})
	if s.plan.Community != "" {
		ways = append(ways, asking{"SNMP", 0, each(161, func(a netip.Addr) []byte { return frame.AskSNMP(s.plan.Community, int(snmp.of[a])) }), func(from netip.AddrPort, body []byte) {
			if m, ok := frame.ParseSNMP(body); ok && m.Response && m.ID >= 0 && m.ID < 1<<16 && snmp.from(from, 161, uint16(m.ID)) {
				told(from.Addr(), m.Name, "snmp", frame.AddTrait(nil, site.TraitDescription, m.Description))
			}
		}})
	}
	return ways
}

// resolvers are the DNS servers that lie in the site's own subnet: no others are
// asked for its names.
func (s *survey) resolvers() []netip.Addr {
	var out []netip.Addr
	for _, a := range append(slices.Clone(s.link.DNS), s.link.Gateway) {
		if s.link.Subnet().Contains(a) && !slices.Contains(out, a) {
			out = append(out, a)
		}
	}
	return out
}

// askNames sends in rounds and takes what comes, until the time is over. One
// device's answer is taken so often and no more.
func (s *survey) askNames(ctx context.Context, w asking, hosts []netip.Addr) {
	p, err := s.net.Packets(s.link, w.port)
	if err != nil && w.port != 0 {
		p, err = s.net.Packets(s.link, 0)
	}
	if err != nil {
		s.note("%s was not asked: %v", w.name, err)
		return
	}
	defer p.Close()
	defer context.AfterFunc(ctx, func() { p.SetReadDeadline(time.Now()) })()
	var sending sync.WaitGroup
	sending.Go(func() {
		for range nameRounds {
			w.send(p, hosts)
			if pause(ctx, nameRound) != nil {
				return
			}
		}
	})
	p.SetReadDeadline(time.Now().Add(nameRound * nameRounds))
	if ctx.Err() != nil {
		p.SetReadDeadline(time.Now())
	}
	count := map[netip.Addr]int{}
	buffer := make([]byte, 9000)
	for {
		n, from, err := p.ReadFromUDPAddrPort(buffer)
		if err != nil {
			break
		}
		from = netip.AddrPortFrom(from.Addr().Unmap(), from.Port())
		known := s.found[from.Addr()] != "" || slices.Contains(s.resolvers(), from.Addr())
		if count[from.Addr()]++; known && count[from.Addr()] <= 50+2*len(hosts) {
			w.take(from, buffer[:n])
		}
	}
	sending.Wait()
}

// largestAnswer is how much of a page or document is read, in bytes.
const largestAnswer = 64 << 10

// descriptions fetches what SSDP pointed at, from the device's own address alone.
func (s *survey) descriptions(ctx context.Context, places map[netip.Addr]string) error {
	var all sync.WaitGroup
	turn := make(chan struct{}, 32)
	for a, location := range places {
		u, err := url.Parse(location)
		if err != nil || u.Scheme != "http" || u.Hostname() != a.String() {
			continue // it points at somebody else: nothing is fetched
		}
		port := 80
		if u.Port() != "" {
			if port, err = strconv.Atoi(u.Port()); err != nil || port < 1 || port > 65535 {
				continue
			}
		}
		all.Go(func() {
			turn <- struct{}{}
			defer func() { <-turn }()
			s.description(ctx, netip.AddrPortFrom(a, uint16(port)), u.RequestURI())
		})
	}
	all.Wait()
	return ctx.Err()
}

func (s *survey) description(ctx context.Context, at netip.AddrPort, path string) {
	ctx, stop := context.WithTimeout(ctx, oneSecond)
	defer stop()
	c, err := s.net.Dial(ctx, s.link, at)
	if err != nil {
		return
	}
	defer c.Close()
	resp, err := get(ctx, c, at.String(), path)
	if err != nil {
		return
	}
	defer resp.Body.Close()
	d, _ := frame.ParseDescription(io.LimitReader(resp.Body, largestAnswer))
	traits := frame.AddTrait(nil, site.TraitType, d.Type)
	traits = frame.AddTrait(traits, site.TraitMaker, d.Maker)
	traits = frame.AddTrait(traits, site.TraitModel, d.Model)
	if d.Name != "" || len(traits) > 0 {
		traits = frame.AddTrait(traits, site.TraitTitle, d.Name)
		s.sight(sighting.Sighting{Address: at.Addr(), State: "description", Traits: traits})
	}
}

// get asks over a connection that is there, follows nothing, and gives up with
// the context.
func get(ctx context.Context, c net.Conn, host, path string) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, "http://"+host+path, nil)
	if err != nil {
		return nil, err
	}
	return send(c, req)
}

// send sends a request over a connection that is there, and follows nothing.
func send(c net.Conn, req *http.Request) (*http.Response, error) {
	t := &http.Transport{
		DisableKeepAlives: true, DisableCompression: true, MaxResponseHeaderBytes: 32 << 10,
		DialContext: func(context.Context, string, string) (net.Conn, error) { return c, nil },
	}
	req.Header.Set("User-Agent", "vestpin")
	return t.RoundTrip(req)
}
