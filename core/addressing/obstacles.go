package addressing

import (
	"fmt"
	"net/netip"

	"vestpin/core/ipv4"
	"vestpin/core/site"
)

// ObstacleKind is what keeps an address from being given.
type ObstacleKind string

// The kinds of Obstacle.
const (
	OffNetwork     ObstacleKind = "off-network"    // not in the subnet
	NetworkItself  ObstacleKind = "network"        // the network's or the broadcast address
	IsGateway      ObstacleKind = "gateway"        // of the network, or as its DHCP servers tell
	IsRouterWAN    ObstacleKind = "router"         // the outside of a router
	IsDNSServer    ObstacleKind = "dns-server"     //
	IsDHCPServer   ObstacleKind = "dhcp-server"    //
	KeptFree       ObstacleKind = "kept-free"      //
	PinnedFor      ObstacleKind = "pinned"         // for another interface
	SeenThere      ObstacleKind = "seen"           // another interface, which is not moving away
	LedTo          ObstacleKind = "led-to"         // something sends packets there, whoever it is
	InDHCPRange    ObstacleKind = "in-range"       // no place for a setting on the device
	NotReservable  ObstacleKind = "not-reservable" // the router takes no reservation there
	noSnag                      = ""               // it keeps an address from being given, and is no fault of who has it
	snagUnusable                = "address-unusable"
	snagOffNetwork              = "address-off-network"
)

// Obstacle is a reason why an address should not be given to somebody.
type Obstacle struct {
	Kind  ObstacleKind
	Says  string       // goes on from "the address is"
	Owner *site.Placed // the interface whose it is, where it is one's

	snag   string // that it is of a pin, noSnag for none
	router string // of the outside of a router its id
	whose  bool   // it is what whoever was seen or is pinned there does: then that is who
}

// Obstacles gives all that keeps an address of a network from being given in a way, to
// whomever. What is an obstacle for one interface can be what another is: Against tells.
func Obstacles(v site.View, n site.Network, a netip.Addr, by site.PinBy) []Obstacle {
	out := standing(v, n, a)
	pinned := v.PinnedAt(n.ID, a)
	for _, o := range pinned[:min(len(pinned), mostOwners)] {
		out = append(out, Obstacle{Kind: PinnedFor, Says: "pinned for " + o.Label(), Owner: &o, snag: "address-twice"})
	}
	seen := 0
	for _, o := range v.SeenAt(n.ID, a) {
		if seen == mostOwners {
			break
		}
		if o.Interface.Pin == nil || o.Interface.Pin.Address == a {
			seen++
			out = append(out, Obstacle{Kind: SeenThere, Says: "where " + o.Label() + " was seen", Owner: &o, snag: "address-answers-already"})
		}
	}
	switch why := cannotReserve(v, n, a); {
	case !n.Subnet.Contains(a):
	case by == site.ByDevice && InRange(n, a):
		out = append(out, Obstacle{Kind: InDHCPRange, Says: "inside the DHCP range", snag: noSnag})
	case by != site.ByDevice && why != "":
		out = append(out, Obstacle{Kind: NotReservable, Says: "not to be reserved: " + why, snag: "router-cannot-reserve-there"})
	}
	return out
}

// mostOwners is how many of those who are pinned at an address, or seen there, are given: who
// asks is one, whom it would change places with another, and a third is in the way.
const mostOwners = 3

// standing gives the obstacles of an address that are no interface's.
func standing(v site.View, n site.Network, a netip.Addr) []Obstacle {
	lan := ipv4.Run(n.Subnet)
	x := ipv4.Number(a)
	if !n.Subnet.IsValid() || !lan.Contains(x) {
		return []Obstacle{{Kind: OffNetwork, Says: "outside " + n.Subnet.String(), snag: snagOffNetwork}}
	}
	var out []Obstacle
	add := func(o Obstacle) { out = append(out, o) }
	switch {
	case x == lan.Lo:
		add(Obstacle{Kind: NetworkItself, Says: "the address of the network itself", snag: snagUnusable})
	case x == lan.Hi:
		add(Obstacle{Kind: NetworkItself, Says: "the broadcast address", snag: snagUnusable})
	case a == n.Gateway:
		add(Obstacle{Kind: IsGateway, Says: "the gateway", snag: snagUnusable})
	}
	for _, r := range wansOn(v, n, a) {
		add(Obstacle{Kind: IsRouterWAN, Says: "the outside of " + r.Label(), snag: snagUnusable, router: r.ID})
	}
	for _, k := range n.KeepFree {
		if between(a, k.From, k.To) {
			says := "kept free"
			if k.Why != "" {
				says += " (" + k.Why + ")"
			}
			add(Obstacle{Kind: KeptFree, Says: says, snag: snagUnusable})
		}
	}
	for _, dns := range n.DNS {
		if a == dns && a != n.Gateway {
			add(Obstacle{Kind: IsDNSServer, Says: "a DNS server", snag: noSnag, whose: true})
		}
	}
	for _, server := range n.Servers {
		if a == server.Address && a != n.Gateway {
			add(Obstacle{Kind: IsDHCPServer, Says: "a DHCP server", snag: noSnag, whose: true})
		}
		if a == server.Gateway && a != n.Gateway {
			add(Obstacle{Kind: IsGateway, Says: "the gateway that the DHCP server " + server.Address.String() + " tells", snag: noSnag, whose: true})
		}
	}
	if targets := v.BareTargets(n.ID, a); len(targets) > 0 {
		add(Obstacle{Kind: LedTo, Says: ledBy(v, targets[0]), snag: noSnag, whose: true})
	}
	return out
}

// wansOn gives the routers whose outside is at an address of a network: those that stand
// behind one which serves it, and those that nobody is known to stand in front of.
func wansOn(v site.View, n site.Network, a netip.Addr) []site.Router {
	var out []site.Router
	for _, r := range v.Routers {
		if r.WAN.Address != a || !a.IsValid() {
			continue
		}
		if front, ok := v.Router(r.Upstream); ok && !front.On(n.ID) || !ok && r.On(n.ID) {
			continue
		}
		out = append(out, r)
	}
	return out
}

// ledBy says what sends packets to an address.
func ledBy(v site.View, t site.BareTarget) string {
	r, _ := v.Router(t.Router)
	switch t.By {
	case site.TargetOfForward:
		return fmt.Sprintf("where %s sends %s", r.Label(), t.Outside)
	case site.TargetOfHeld:
		return fmt.Sprintf("where %s still sends %s, as its page was read last", r.Label(), t.Outside)
	case site.TargetOfMapping:
		return fmt.Sprintf("where %s sends %s, opened by UPnP", r.Label(), t.Outside)
	}
	return "the exposed host of " + r.Label()
}

// Against gives the obstacles that stand in the way of one interface: not itself, nor what
// it is. The device that is an inner router has its outside address; who was seen where a
// DNS server answers is that server.
func Against(v site.View, p site.Placed, a netip.Addr, list []Obstacle) []Obstacle {
	var out []Obstacle
	for _, o := range list {
		if o.Owner != nil && o.Owner.Interface.ID == p.Interface.ID || o.whose && p.Interface.IsAt(a) || o.router != "" && isRouter(v, p, a, o.router) {
			continue
		}
		out = append(out, o)
	}
	return out
}

func isRouter(v site.View, p site.Placed, a netip.Addr, router string) bool {
	r, ok := v.IsRouter(p, a)
	return ok && r.ID == router
}

// obstaclesFor gives what stands in the way of pinning an interface at an address in a way.
func obstaclesFor(v site.View, p site.Placed, a netip.Addr, by site.PinBy) []Obstacle {
	n, _ := v.Network(p.Interface.Network)
	return Against(v, p, a, Obstacles(v, n, a, by))
}
