package site

import (
	"errors"
	"net/netip"

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
	atPin      map[netip.Addr][]Placed
	atSeen     map[netip.Addr][]Placed
	outsides   map[netip.Addr][]*Router
	over       func() bool
}

// ErrOver is what a computation panics with when nobody waits for it any more. Who set
// Until recovers it.
var ErrOver = errors.New("the computation was ended")

// Until gives a view whose long computations end when over says so.
func (v View) Until(over func() bool) View {
	v.over = over
	return v
}

// With gives a view of another site that ends when this one does.
func (v View) With(s Site) View { return NewView(s).Until(v.over) }

// Breathe is called now and then by long computations, and ends them with ErrOver when
// nobody waits for them any more.
func (v View) Breathe() {
	if v.over != nil && v.over() {
		panic(ErrOver)
	}
}

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
		atPin: map[netip.Addr][]Placed{}, atSeen: map[netip.Addr][]Placed{}, outsides: map[netip.Addr][]*Router{},
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
				v.atPin[p.Interface.Pin.Address] = append(v.atPin[p.Interface.Pin.Address], *p)
			}
			if p.Interface.Seen.IsValid() {
				v.atSeen[p.Interface.Seen] = append(v.atSeen[p.Interface.Seen], *p)
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
	return v
}

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

// PinnedAt gives the interfaces pinned at an address, in the order of the site.
func (v View) PinnedAt(a netip.Addr) []Placed { return v.atPin[a] }

// SeenAt gives the interfaces last seen at an address.
func (v View) SeenAt(a netip.Addr) []Placed { return v.atSeen[a] }

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

// RouterOf is the router that serves a network: its gateway where that is
// known, else the first one listed on it.
func (v View) RouterOf(network string) (Router, bool) {
	for _, r := range v.Routers {
		if r.Network == network {
			return r, true
		}
	}
	return Router{}, false
}

// Target is the address a forward leads to: the pin of its interface, or the
// bare address it names. The interface is found for either, where there is one;
// the address is not valid where the interface is loose.
func (v View) Target(f Forward) (netip.Addr, *Placed) {
	if p, ok := v.interfaces[f.To]; ok {
		if p.Interface.Pin == nil {
			return netip.Addr{}, p
		}
		return p.Interface.Pin.Address, p
	}
	a, err := span.ParseAddr(f.To)
	if err != nil {
		return netip.Addr{}, nil
	}
	if at := v.atPin[a]; len(at) > 0 {
		return a, &at[0]
	}
	return a, nil
}

// RoutersAt gives the routers that stand behind another and have that address outside.
func (v View) RoutersAt(a netip.Addr) []*Router { return v.outsides[a] }
