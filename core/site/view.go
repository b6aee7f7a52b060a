package site

import (
	"context"
	"net/netip"
	"slices"
	"strings"

	"vestpin/core/ipv4"
	"vestpin/core/span"
)

// View is a site with ways to find things in it by id. It is made once for a
// computation and never changed.
type View struct {
	Site
	networks   map[string]*Network
	routers    map[string]*Router
	interfaces map[string]*Placed
	services   map[string]Wish
	atPin      map[Spot][]Placed
	atSeen     map[Spot][]Placed
	bare       map[Spot][]BareTarget
	outsides   map[netip.Addr][]*Router
	ctx        context.Context
}

// Within gives a view whose long computations end early once a context is done. What they
// give then is worth nothing: whoever set the context asks Err.
func (v View) Within(ctx context.Context) View {
	v.ctx = ctx
	return v
}

// With gives a view of another site that ends with the same context.
func (v View) With(s Site) View {
	next := NewView(s)
	next.ctx = v.ctx
	return next
}

// Err is why the computation is to end, nil while it goes on.
func (v View) Err() error {
	if v.ctx == nil {
		return nil
	}
	return v.ctx.Err()
}

// Stopped reports whether the computation is to end.
func (v View) Stopped() bool { return v.Err() != nil }

// Placed is an interface together with its device.
type Placed struct {
	Device    *Device
	Interface *Interface
}

// Label names the interface as a person would: the device, and which of its
// interfaces where it has several.
func (p Placed) Label() string {
	if len(p.Device.Interfaces) > 1 && p.Interface.Name != "" {
		return p.Device.Label() + ", " + p.Interface.Name
	}
	return p.Device.Label()
}

// Wish is a service with the device and interface it is on. Where Service.Open
// is set it is wanted from outside.
type Wish struct {
	Device    *Device
	Interface *Interface
	Service   *Service
}

// Label names the service of a device.
func (w Wish) Label() string {
	if w.Service.Name == "" {
		return w.Device.Label() + " " + w.Service.Ports.String()
	}
	return w.Device.Label() + " " + w.Service.Name
}

// NewView indexes a site. The view shares the site's memory.
func NewView(s Site) View {
	v := View{
		Site: s, networks: map[string]*Network{}, routers: map[string]*Router{},
		interfaces: map[string]*Placed{}, services: map[string]Wish{},
		atPin: map[Spot][]Placed{}, atSeen: map[Spot][]Placed{}, bare: map[Spot][]BareTarget{}, outsides: map[netip.Addr][]*Router{},
	}
	for i := range s.Networks {
		v.networks[s.Networks[i].ID] = &s.Networks[i]
	}
	for i := range s.Routers {
		r := &s.Routers[i]
		v.routers[r.ID] = r
		if r.Upstream != "" && r.WAN.Address.IsValid() {
			v.outsides[r.WAN.Address] = append(v.outsides[r.WAN.Address], r)
		}
	}
	for i := range s.Devices {
		d := &s.Devices[i]
		for j := range d.Interfaces {
			p := &Placed{d, &d.Interfaces[j]}
			v.interfaces[p.Interface.ID] = p
			if p.Interface.Pin != nil {
				at := v.Spot(p.Interface.Network, p.Interface.Pin.Address)
				v.atPin[at] = append(v.atPin[at], *p)
			}
			if p.Interface.Seen.IsValid() {
				at := v.Spot(p.Interface.Network, p.Interface.Seen)
				v.atSeen[at] = append(v.atSeen[at], *p)
			}
		}
		for j := range d.Services {
			sv := &d.Services[j]
			w := Wish{Device: d, Service: sv}
			if p, ok := v.interfaces[sv.Interface]; ok {
				w.Interface = p.Interface
			}
			v.services[sv.ID] = w
		}
	}
	v.indexBare()
	return v
}

// Spot is an address on a network. The same address on two networks is two spots: behind
// two routers both may be in use.
type Spot struct {
	Network string
	Address netip.Addr
}

// Spot gives where an address is of an interface that is entered on a network: there, or,
// where it is not of its subnet, on the first network of whose subnet it is.
func (v View) Spot(network string, a netip.Addr) Spot {
	if n, ok := v.networks[network]; ok && !n.Subnet.Contains(a) {
		for i := range v.Networks {
			if v.Networks[i].Subnet.Contains(a) {
				return Spot{v.Networks[i].ID, a}
			}
		}
	}
	return Spot{network, a}
}

// BareTarget is something that sends packets to a bare address, whoever is there.
type BareTarget struct {
	Router  string
	By      TargetedBy
	Forward string     // of a forward its id
	Outside span.Ports // absent of an exposed host
}

// TargetedBy is what sends packets to a bare address.
type TargetedBy string

// What sends packets to a bare address: a planned forward, a line that a router holds, a
// mapping that a device had it make (UPnP), or the router's exposed host.
const (
	TargetOfForward TargetedBy = "forward"
	TargetOfHeld    TargetedBy = "held"
	TargetOfMapping TargetedBy = "mapping"
	TargetOfExposed TargetedBy = "exposed-host"
)

// indexBare enters what is switched on and leads to bare addresses.
func (v View) indexBare() {
	add := func(r *Router, to netip.Addr, l BareTarget) {
		l.Router = r.ID
		for _, network := range r.Serves() {
			if n, ok := v.networks[network]; ok && n.Subnet.Contains(to) {
				v.bare[Spot{network, to}] = append(v.bare[Spot{network, to}], l)
			}
		}
	}
	for i := range v.Forwards {
		f := &v.Forwards[i]
		if r, ok := v.routers[f.Router]; ok && f.Enabled && v.interfaces[f.To] == nil {
			if a, err := ipv4.ParseAddr(f.To); err == nil {
				add(r, a, BareTarget{By: TargetOfForward, Forward: f.ID, Outside: f.Outside})
			}
		}
	}
	held := func(r *Router, list []HeldForward, by TargetedBy) {
		for _, h := range list {
			if h.Enabled {
				add(r, h.Address, BareTarget{By: by, Outside: h.Outside})
			}
		}
	}
	for i := range v.Routers {
		r := &v.Routers[i]
		if r.ExposedHost != "" && v.interfaces[r.ExposedHost] == nil {
			if a, err := ipv4.ParseAddr(r.ExposedHost); err == nil {
				add(r, a, BareTarget{By: TargetOfExposed})
			}
		}
		if r.Held != nil {
			held(r, r.Held.Forwards, TargetOfHeld)
			if r.Held.ExposedHost.IsValid() {
				add(r, r.Held.ExposedHost, BareTarget{By: TargetOfExposed})
			}
		}
		if r.Mapped != nil {
			held(r, r.Mapped.Forwards, TargetOfMapping)
		}
	}
}

// BareTargets gives what sends packets to a bare address of a network.
func (v View) BareTargets(network string, a netip.Addr) []BareTarget {
	return slices.Clip(v.bare[Spot{network, a}])
}

// AllBare gives all spots to which packets are sent by their bare address.
func (v View) AllBare() map[Spot][]BareTarget { return v.bare }

// Network finds a network by id.
func (v View) Network(id string) (Network, bool) {
	n, ok := v.networks[id]
	if !ok {
		return Network{}, false
	}
	return *n, true
}

// Router finds a router by id.
func (v View) Router(id string) (Router, bool) {
	r, ok := v.routers[id]
	if !ok {
		return Router{}, false
	}
	return *r, true
}

// Interface finds an interface by id.
func (v View) Interface(id string) (Placed, bool) {
	p, ok := v.interfaces[id]
	if !ok {
		return Placed{}, false
	}
	return *p, true
}

// Service finds a service by id.
func (v View) Service(id string) (Wish, bool) {
	w, ok := v.services[id]
	return w, ok
}

// PinnedAt gives the interfaces pinned at an address of a network, in the order of the site.
func (v View) PinnedAt(network string, a netip.Addr) []Placed {
	return slices.Clip(v.atPin[v.Spot(network, a)])
}

// SeenAt gives the interfaces last seen at an address of a network.
func (v View) SeenAt(network string, a netip.Addr) []Placed {
	return slices.Clip(v.atSeen[v.Spot(network, a)])
}

// Behind gives the interfaces pinned at an address of a router's networks, and those only
// seen there.
func (v View) Behind(r Router, a netip.Addr) (pinned, seen []Placed) {
	for _, n := range r.Serves() {
		if net, ok := v.networks[n]; ok && net.Subnet.Contains(a) {
			pinned, seen = append(pinned, v.atPin[Spot{n, a}]...), append(seen, v.atSeen[Spot{n, a}]...)
		}
	}
	return pinned, seen
}

// Interfaces gives all interfaces in the order of the site.
func (v View) Interfaces() []Placed {
	out := make([]Placed, 0, len(v.interfaces))
	for i := range v.Devices {
		for j := range v.Devices[i].Interfaces {
			out = append(out, Placed{&v.Devices[i], &v.Devices[i].Interfaces[j]})
		}
	}
	return out
}

// Wishes gives the services that are to be opened, in the order of the site.
func (v View) Wishes() []Wish {
	var out []Wish
	for i := range v.Devices {
		for j := range v.Devices[i].Services {
			if w := v.services[v.Devices[i].Services[j].ID]; w.Service.Open != nil {
				out = append(out, w)
			}
		}
	}
	return out
}

// WantsPin reports whether an interface is to have a pin: because it is said
// so, or, left to the program, because one of its services is to be opened.
func (v View) WantsPin(p Placed) bool {
	switch p.Interface.Wants {
	case "pin":
		return true
	case "loose":
		return false
	}
	for _, s := range p.Device.Services {
		if s.Interface == p.Interface.ID && s.Open != nil {
			return true
		}
	}
	return false
}

// RouterOf is the router that serves a network: the first one listed on it.
func (v View) RouterOf(network string) (Router, bool) {
	for i := range v.Routers {
		if v.Routers[i].On(network) {
			return v.Routers[i], true
		}
	}
	return Router{}, false
}

// NetworkAt is the network of a router in whose subnet an address lies.
func (v View) NetworkAt(r Router, a netip.Addr) (Network, bool) {
	for _, id := range r.Serves() {
		if n, ok := v.networks[id]; ok && n.Subnet.Contains(a) {
			return *n, true
		}
	}
	return Network{}, false
}

// Target is the address a forward leads to: the pin of its interface, or the bare address
// it names. The interface is found for either, where there is one; the address is not
// valid where the interface is loose. An address at which another router has its outside
// is that router's, and no interface is found there.
func (v View) Target(f Forward) (netip.Addr, *Placed) {
	return v.TargetOf(f.Router, f.To)
}

// TargetOf is where a router sends what goes to an interface, by its id, or to an address.
func (v View) TargetOf(router, to string) (netip.Addr, *Placed) {
	if p, ok := v.interfaces[to]; ok {
		if p.Interface.Pin == nil {
			return netip.Addr{}, p
		}
		return p.Interface.Pin.Address, p
	}
	a, err := ipv4.ParseAddr(to)
	if err != nil {
		return netip.Addr{}, nil
	}
	if r, ok := v.routers[router]; ok {
		for _, n := range r.Serves() {
			if at := v.atPin[Spot{n, a}]; len(at) > 0 {
				return a, &at[0]
			}
		}
	}
	return a, nil
}

// RoutersAt gives the routers that stand behind another and have that address outside.
func (v View) RoutersAt(a netip.Addr) []*Router { return slices.Clip(v.outsides[a]) }

// InFront reports whether a router stands behind the one that is its upstream by a network
// that a third serves: a packet that the third sends to its outside arrives.
func (v View) InFront(router string, inner Router) bool {
	front, ok := v.routers[inner.Upstream]
	if !ok || router == inner.ID {
		return false
	}
	between, ok := v.NetworkAt(*front, inner.WAN.Address)
	if !ok {
		return false
	}
	r, ok := v.routers[router]
	return ok && r.On(between.ID)
}

// IsRouter gives the router that stands behind another and that an interface is, as the
// router in front knows it: a device at its outside address, on the network between. A
// router, by its kind or name; of unknown kind, one that was seen there, or is pinned there and
// has no services.
func (v View) IsRouter(p Placed, a netip.Addr) (Router, bool) {
	for _, r := range v.outsides[a] {
		front, ok := v.routers[r.Upstream]
		if !ok || !front.On(p.Interface.Network) {
			continue
		}
		if named(p, *r) || strings.EqualFold(p.Device.Kind, routerKind) || p.Device.Kind == "" && (p.Interface.Seen == a || len(p.Device.Services) == 0 && p.Interface.IsAt(a)) {
			return *r, true
		}
	}
	return Router{}, false
}

// IsAt reports whether an interface was seen at an address, or is pinned there.
func (i Interface) IsAt(a netip.Addr) bool {
	return i.Seen == a || i.Pin != nil && i.Pin.Address == a
}

// OutsideOf gives the router that stands behind another and whose outside an interface is
// known to be: by its name, or since it is a router and was seen or is
// pinned there.
func (v View) OutsideOf(p Placed) (Router, bool) {
	for i := range v.Routers {
		r := &v.Routers[i]
		if r.Upstream == "" || !r.WAN.Address.IsValid() || !named(p, *r) && p.Interface.Seen != r.WAN.Address && (p.Interface.Pin == nil || p.Interface.Pin.Address != r.WAN.Address) {
			continue
		}
		if n, ok := v.networks[p.Interface.Network]; !ok || !n.Subnet.Contains(r.WAN.Address) {
			continue
		}
		if is, ok := v.IsRouter(p, r.WAN.Address); ok && is.ID == r.ID {
			return *r, true
		}
	}
	return Router{}, false
}

func named(p Placed, r Router) bool {
	return r.Name != "" && strings.EqualFold(p.Device.Name, r.Name) || p.Device.ID == r.ID
}

// routerKind is the kind of a device that is a router (vestpin-catalogue/1).
const routerKind = "router"
