// Package past makes up small sites as they really are, for tests alone: forwards by hand
// and of services, several of one, to bare addresses and switched off; chains of routers,
// several networks of one, the same subnet behind two; servers in the LAN, exposed hosts,
// lines that a router holds, mappings; locks, pins that cannot stay, and too few ports,
// lines, reservations and addresses. Its oracle follows packets through them by hand.
package past

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"

	"vestpin/core/site"
	"vestpin/core/span"
)

// Pick gives one of a list.
func Pick[T any](r *rand.Rand, list ...T) T { return list[r.IntN(len(list))] }

// Ports reads ports that are known to be good.
func Ports(text string) span.Ports {
	p, err := span.ParsePorts(text)
	if err != nil {
		panic(err)
	}
	return p
}

// Senders reads senders that are known to be good.
func Senders(list ...string) []site.Sender {
	var out []site.Sender
	for _, text := range list {
		s, err := site.ParseSender(text)
		if err != nil {
			panic(err)
		}
		out = append(out, s)
	}
	return out
}

// Chain makes a site of one to three routers in a row, and up to so many devices, with
// what its past left on the routers.
func Chain(r *rand.Rand, devices int) site.Site {
	s := site.Site{Name: "chain"}
	long := Pick(r, 1, 1, 1, 2, 2, 3)
	for i := range long {
		net := fmt.Sprintf("10.48.%d.0/28", i)
		s.Networks = append(s.Networks, site.Network{ID: fmt.Sprint("n", i), Subnet: netip.MustParsePrefix(net), Gateway: addr(i, 1)})
		router := site.Router{ID: fmt.Sprint("r", i), Network: fmt.Sprint("n", i), UPnP: "off", WAN: site.WAN{Kind: "static", Address: netip.MustParseAddr("203.0.113.9")}, Form: form(r)}
		if i > 0 {
			router.Upstream = fmt.Sprint("r", i-1)
			if router.WAN.Address = addr(i-1, 14); r.IntN(12) == 0 {
				router.WAN.Address = netip.MustParseAddr("10.9.9.9") // not on the network in front
			}
		}
		if r.IntN(3) == 0 {
			router.OwnPorts = []site.OwnPort{{Protocol: Pick(r, site.TCP, site.Both), Ports: Ports(Pick(r, "81", "80"))}}
		}
		s.Routers = append(s.Routers, router)
	}
	flat := -1
	if long > 1 && r.IntN(5) == 0 { // a flat beside the innermost, with the same subnet
		flat = long
		twin := s.Networks[long-1]
		twin.ID = "flat"
		s.Networks = append(s.Networks, twin)
		s.Routers = append(s.Routers, site.Router{ID: "flat", Network: "flat", Upstream: s.Routers[long-2].ID, UPnP: "off", WAN: site.WAN{Kind: "static", Address: addr(long-2, 13)}, Form: form(r)})
	}
	if r.IntN(5) == 0 { // a second network of the innermost
		s.Networks = append(s.Networks, site.Network{ID: "vlan", Subnet: netip.MustParsePrefix("10.48.9.0/28"), Gateway: addr(9, 1)})
		s.Routers[long-1].Networks = []string{s.Routers[long-1].Network, "vlan"}
	}
	if r.IntN(6) == 0 && flat < 0 { // another router beside the innermost, that leads nowhere
		s.Routers = append(s.Routers, site.Router{ID: "side", Network: s.Networks[long-1].ID, Upstream: "r0", Form: form(r), UPnP: "off"})
		s.Routers[long], s.Routers[long-1] = s.Routers[long-1], s.Routers[long]
		if long == 1 {
			s.Routers = s.Routers[1:]
		}
	}
	for i := range 1 + r.IntN(devices) {
		s.Devices = append(s.Devices, device(r, i, long-1))
	}
	for i := range s.Devices {
		if n := &s.Devices[i].Interfaces[0]; r.IntN(6) == 0 && flat > 0 {
			n.Network = "flat"
		} else if len(s.Routers[long-1].Networks) > 1 && r.IntN(3) == 0 {
			n.Network = "vlan"
			if n.Pin != nil {
				n.Pin.Address = addr(9, 4+i)
			}
		}
	}
	if long > 1 && r.IntN(4) == 0 { // the router behind, as the one in front knows it
		wan := s.Routers[slices.IndexFunc(s.Routers, func(o site.Router) bool { return o.ID == "r1" })].WAN.Address
		d := site.Device{ID: "box", Name: "box", Kind: Pick(r, "router", "router", ""), Interfaces: []site.Interface{{ID: "box.0", Network: "n0", MAC: "00:00:5e:00:53:f0", Seen: wan}}}
		if r.IntN(3) > 0 && wan.As4()[1] == 48 {
			d.Interfaces[0].Pin = &site.Pin{Address: wan, By: Pick[site.PinBy](r, site.ByReservation, site.ByBoth)}
		} else if r.IntN(2) == 0 {
			d.Interfaces[0].Wants = "pin"
		}
		s.Devices = append(s.Devices, d)
	}
	for i := range r.IntN(2 + devices) {
		s.Forwards = append(s.Forwards, forward(r, s, i))
	}
	taken(r, &s)
	return s
}

// taken makes addresses that are taken in ways that no pin tells: by servers, and by what
// the routers lead to bare ones.
func taken(r *rand.Rand, s *site.Site) {
	for i := range s.Networks {
		n := &s.Networks[i]
		at := func(last int) netip.Addr {
			b := n.Subnet.Addr().As4()
			b[3] = byte(last)
			return netip.AddrFrom4(b)
		}
		if r.IntN(4) == 0 {
			n.DNS = []netip.Addr{at(2), at(3)}
		}
		if r.IntN(6) == 0 {
			n.Servers = []site.DHCPServer{{Address: at(Pick(r, 1, 10)), Gateway: at(Pick(r, 1, 11))}}
		}
		if r.IntN(4) == 0 {
			n.Ranges = []site.Range{{From: at(9), To: at(12)}}
		}
	}
	for i := range s.Routers {
		router := &s.Routers[i]
		net := s.Networks[slices.IndexFunc(s.Networks, func(n site.Network) bool { return n.ID == router.Network })]
		at := func() netip.Addr {
			b := net.Subnet.Addr().As4()
			b[3] = byte(2 + r.IntN(12))
			return netip.AddrFrom4(b)
		}
		line := func() site.HeldForward {
			return site.HeldForward{Protocol: site.TCP, Outside: Ports("8022"), Address: at(), Inside: Ports("22"), Enabled: r.IntN(4) > 0}
		}
		if r.IntN(6) == 0 {
			router.Held = &site.Held{Forwards: []site.HeldForward{line()}}
		}
		if r.IntN(8) == 0 {
			router.Mapped = &site.Mapped{Forwards: []site.HeldForward{line()}}
		}
		if r.IntN(8) == 0 {
			router.ExposedHost = at().String()
			if d := s.Devices[r.IntN(len(s.Devices))]; router.On(d.Interfaces[0].Network) {
				router.ExposedHost = Pick(r, d.Interfaces[0].ID, router.ExposedHost)
			}
			for _, inner := range s.Routers {
				if inner.Upstream == router.ID && inner.WAN.Address.IsValid() && r.IntN(2) == 0 {
					router.ExposedHost = inner.WAN.Address.String()
				}
			}
		}
		if r.IntN(10) == 0 { // by hand, to whoever is there
			s.Forwards = append(s.Forwards, site.Forward{ID: fmt.Sprint("bare", i), Router: router.ID, Enabled: r.IntN(6) > 0, Protocol: Pick(r, site.TCP, site.Both), Outside: Ports(Pick(r, "8080", "80", "1-65535")), To: at().String()})
		}
	}
}

func addr(network, n int) netip.Addr {
	return netip.AddrFrom4([4]byte{10, 48, byte(network), byte(n)})
}

func form(r *rand.Rand) site.Form {
	return site.Form{
		PortsPerLine: Pick[site.PortsPerLine](r, "one", "range", "list"), Renumber: Pick[site.Renumbering](r, "none", "one", "range", "range"),
		Protocols:    Pick(r, []site.Protocol{"tcp", "udp"}, []site.Protocol{"tcp", "udp"}, []site.Protocol{"tcp", "udp", "both"}, []site.Protocol{"tcp", "udp", "both"}, []site.Protocol{"both"}),
		LimitsSender: Pick[site.SourceLimit](r, "no", "network"), Lines: Pick(r, 0, 0, 0, 1, 2, 3, 4), Reserves: Pick[site.ReservationPlace](r, "anywhere", "anywhere", "anywhere", "outside-range", "inside-range", "no"), ReservationLines: Pick(r, 0, 0, 0, 1, 2),
		Refuses: Pick(r, span.Ports{}, span.Ports{}, span.Ports{}, Ports("82"), Ports("80")),
	}
}

func device(r *rand.Rand, i, network int) site.Device {
	id := fmt.Sprint("d", i)
	d := site.Device{ID: id, Name: id, Rank: 1 + r.IntN(2), Interfaces: []site.Interface{{
		ID: id + ".0", Network: fmt.Sprint("n", network), Wants: "auto", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:53:%02x", i)),
	}}}
	if r.IntN(8) > 0 {
		d.Interfaces[0].Pin = &site.Pin{Address: addr(network, 4+i), By: site.ByReservation}
	}
	for k := range Pick(r, 1, 1, 2) {
		sv := site.Service{ID: fmt.Sprint(id, ".s", k), Interface: id + ".0", Protocol: Pick(r, site.TCP, site.TCP, site.UDP, site.Both), Ports: Ports(Pick(r, "80", "80", "81", "80-81"))}
		if k == 1 {
			sv.Ports = Ports(Pick(r, "82", "82", "80-82")) // beside the other, or over it
		}
		if r.IntN(6) > 0 {
			sv.Open = &site.Open{Port: Pick(r, "any", "any", "same", "same")}
			if sv.Ports.Len() == 1 && r.IntN(5) == 0 {
				sv.Open.Port = "83"
			}
			if sv.Ports.Len() == 1 && r.IntN(4) == 0 {
				sv.Open.Prefer = Ports("82")
			}
			if r.IntN(4) == 0 {
				sv.Open.From = Pick(r, Senders("198.51.100.0"), Senders("198.51.100.1"), Senders("198.51.100.0/30"), Senders("0.0.0.0/0"), Senders("0.0.0.0/1", "128.0.0.0/1"))
			}
		}
		if sv.Ports.Len() == 1 && r.IntN(3) == 0 {
			sv.CanSetTo = []span.Ports{Ports(Pick(r, "82", "81"))}
		}
		d.Services = append(d.Services, sv)
	}
	return d
}

// forward makes one that somebody left behind: for a service and right or not, or by hand.
func forward(r *rand.Rand, s site.Site, i int) site.Forward {
	d := s.Devices[r.IntN(len(s.Devices))]
	for len(d.Services) == 0 {
		d = s.Devices[r.IntN(len(s.Devices))]
	}
	sv := d.Services[r.IntN(len(d.Services))]
	at := r.IntN(len(s.Routers))
	f := site.Forward{
		ID: fmt.Sprint("f", i), Router: s.Routers[at].ID, Enabled: r.IntN(10) > 0, Locked: r.IntN(5) == 0, Protocol: Pick(r, sv.Protocol, sv.Protocol, site.TCP, site.UDP),
		Outside: Ports(Pick(r, "80", "82", "9000", "81")), To: sv.Interface, Inside: sv.Ports, Service: Pick(r, sv.ID, sv.ID, ""),
	}
	switch sv.Ports.Len() {
	case 2:
		f.Outside = Ports(Pick(r, "80-81", "9000-9001"))
	case 3:
		f.Outside = Ports(Pick(r, "80-82", "9000-9002"))
	}
	if r.IntN(5) == 0 { // wider than the service
		f.Outside, f.Inside = Ports("80-82"), Ports("80-82")
	}
	if r.IntN(3) == 0 && sv.Open != nil {
		f.From = sv.Open.From
	} else if r.IntN(6) == 0 {
		f.From = Senders("198.51.100.0/24")
	}
	for k, inner := range s.Routers { // a router leads to the next one inside
		if inner.Upstream == f.Router && inner.ID != "side" && inner.ID != "flat" && r.IntN(8) > 0 {
			f.To = s.Routers[k].WAN.Address.String()
			if r.IntN(2) == 0 {
				f.Inside = f.Outside
			}
		}
	}
	return f
}
