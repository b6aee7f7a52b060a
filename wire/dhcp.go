package wire

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"time"

	"vestpin/core/site"
	"vestpin/frame"
)

// Server is a DHCP server that answered a DISCOVER (RFC 2131). Lease is in
// seconds.
type Server struct {
	Address netip.Addr   `json:"address"`
	Offers  netip.Addr   `json:"offers"`
	Bits    int          `json:"bits"`
	Gateway netip.Addr   `json:"gateway,omitzero"`
	DNS     []netip.Addr `json:"dns"`
	Lease   int          `json:"lease"`
	At      string       `json:"at"`
}

var everybody = netip.MustParseAddr("255.255.255.255")

// discoverFor is how long servers have to answer: many first try whether the
// address that they offer is free, which takes them up to three seconds.
const discoverFor = 4500 * time.Millisecond

// discover asks which servers hand out addresses, and never requests one.
func (s *survey) discover(ctx context.Context) {
	p, err := s.net.Packets(s.link, 68)
	if err != nil {
		s.note("DHCP servers were not asked: %v", err)
		return
	}
	defer p.Close()
	stop := context.AfterFunc(ctx, func() { p.SetReadDeadline(time.Now()) })
	defer stop()
	xid := uint32(time.Now().UnixNano())
	question := frame.DHCP{Kind: frame.Discover, XID: xid, MAC: s.link.MAC}.Body()
	seen := map[netip.Addr]bool{}
	end := time.Now().Add(discoverFor)
	buffer := make([]byte, 2048)
	for try := 0; time.Now().Before(end) && ctx.Err() == nil; try++ {
		if try < 2 {
			if _, err := p.WriteToUDPAddrPort(question, netip.AddrPortFrom(everybody, 67)); err != nil {
				s.note("DHCP servers were not asked: %v", err)
				return
			}
		}
		wait := end
		if try < 1 {
			wait = time.Now().Add(discoverFor / 3)
		}
		p.SetReadDeadline(wait)
		for {
			n, _, err := p.ReadFromUDPAddrPort(buffer)
			if err != nil {
				break
			}
			m, ok := frame.ParseDHCP(buffer[:n])
			if !ok || m.XID != xid || m.Kind != frame.Offer || !m.Server.IsValid() || seen[m.Server] {
				continue
			}
			seen[m.Server] = true
			v := Server{Address: m.Server, Offers: m.Yours, Bits: m.Bits, DNS: m.DNS, Lease: int(m.Lease), At: time.Now().UTC().Format(time.RFC3339)}
			if len(m.Routers) > 0 {
				v.Gateway = m.Routers[0]
			}
			s.report(Event{Server: &v})
		}
	}
}

// Freedom is whether an address is free, how that is known, and when it was
// found out.
type Freedom struct {
	Address netip.Addr `json:"address"`
	Free    bool       `json:"free"`
	Holder  site.MAC   `json:"holder,omitempty"`
	How     string     `json:"how"`
	At      string     `json:"at"`
}

// The timing of a probe: shorter than RFC 5227 asks of a device that is about to
// take the address, since nothing is taken here.
const (
	probes     = 3
	probeEvery = 400 * time.Millisecond
)

// Free finds out whether anybody holds an address, by ARP probes (RFC 5227) or,
// where those are not permitted, through the system's table. Errors are those of
// Survey.
func Free(ctx context.Context, n Network, a netip.Addr, own []netip.Prefix) (Freedom, error) {
	l, err := neighbour(n, a, own)
	if err != nil {
		return Freedom{}, err
	}
	out := Freedom{Address: a}
	if a == l.Own.Addr() {
		out.Holder, out.How = l.MAC, "it is this computer's own"
	} else if err := out.ask(ctx, n, l); err != nil {
		return out, err
	}
	out.Free, out.At = out.Holder == "", time.Now().UTC().Format(time.RFC3339)
	return out, nil
}

func (f *Freedom) ask(ctx context.Context, n Network, l Link) error {
	frames, err := n.Frames(l)
	if errors.Is(err, ErrNotPermitted) {
		return f.askTable(ctx, n, l)
	}
	if err != nil {
		return err
	}
	defer frames.Close()
	f.How = fmt.Sprintf("%d ARP probes, no answer", probes)
	buffer := make([]byte, 2048)
	probe := frame.ARP{Sender: l.MAC, SenderAddr: netip.IPv4Unspecified(), TargetAddr: f.Address}.Frame()
	for i := range probes {
		if err := frames.Send(probe); err != nil {
			return &DownError{l.Name, err}
		}
		for end := time.Now().Add(probeEvery); time.Now().Before(end); {
			if err := ctx.Err(); err != nil {
				return err
			}
			size, err := frames.Receive(buffer)
			if err != nil {
				return &DownError{l.Name, err}
			}
			a, ok := frame.ParseARPFrame(buffer[:size])
			if ok && a.SenderAddr == f.Address && a.Sender != "" && a.Sender != l.MAC {
				f.Holder, f.How = a.Sender, fmt.Sprintf("answered ARP probe %d of %d", i+1, probes)
				return nil
			}
		}
	}
	return nil
}

func (f *Freedom) askTable(ctx context.Context, n Network, l Link) error {
	p, err := n.Packets(l, 0)
	if err != nil {
		return err
	}
	defer p.Close()
	f.How = fmt.Sprintf("%d datagrams, and no entry in the system's table", probes)
	for range probes {
		p.WriteToUDPAddrPort([]byte{0}, netip.AddrPortFrom(f.Address, 9))
		if err := pause(ctx, probeEvery); err != nil {
			return err
		}
		list, err := n.Neighbours(l)
		if err != nil {
			return err
		}
		for _, b := range list {
			if b.Address == f.Address {
				f.Holder, f.How = b.MAC, "the system's table has it"
				return nil
			}
		}
	}
	return nil
}
