package edit

import (
	"fmt"
	"slices"

	"vestpin/core/site"
)

// Named gives ids to what edits add without one, that nothing of the site or of the
// other edits has, and says what it named. A service without an interface is on the
// first one of its device; a router or an interface without a network on the one that
// was added before it in the batch, else on the first. The edits given stay as they are.
func Named(s site.Site, edits []Edit) ([]Edit, []site.Ref) {
	n := naming{taken: map[site.Ref]bool{}}
	for _, d := range s.Devices {
		n.took(d)
	}
	for _, f := range s.Forwards {
		n.taken[f.Ref()] = true
	}
	for _, r := range s.Routers {
		n.taken[r.Ref()] = true
	}
	for _, w := range s.Networks {
		n.taken[w.Ref()] = true
	}
	for _, e := range edits {
		if put, ok := e.(PutDevice); ok {
			n.took(put.Device)
		}
	}
	if len(s.Networks) > 0 {
		n.network = s.Networks[0].ID
	}
	out := make([]Edit, len(edits))
	for i, e := range edits {
		out[i] = n.edit(s, e)
	}
	return out, n.made
}

// naming is what has an id already, and what was given one.
type naming struct {
	taken map[site.Ref]bool
	made  []site.Ref
	// network is the one added last, else the first of the site
	network string
}

func (n *naming) took(d site.Device) {
	n.taken[d.Ref()] = true
	for _, i := range d.Interfaces {
		n.taken[i.Ref()] = true
	}
	for _, v := range d.Services {
		n.taken[v.Ref()] = true
	}
}

// free gives the first id stem1, stem2 … of a kind from a number on.
func (n *naming) free(stem string, from int, ref func(id string) site.Ref) string {
	for ; ; from++ {
		id := fmt.Sprintf("%s%d", stem, from)
		if at := ref(id); !n.taken[at] {
			n.taken[at] = true
			n.made = append(n.made, at)
			return id
		}
	}
}

func (n *naming) edit(s site.Site, e Edit) Edit {
	switch e := e.(type) {
	case PutDevice:
		e.Device.Interfaces, e.Device.Services = slices.Clone(e.Device.Interfaces), slices.Clone(e.Device.Services)
		n.device(s, &e.Device)
		return e
	case PutInterface:
		if e.Interface.ID == "" {
			e.Interface.ID = n.free(e.ID+".", 0, func(id string) site.Ref { return site.Interface{ID: id}.Ref() })
		}
		return e
	case PutService:
		n.service(e.ID, &e.Service)
		if e.Service.Interface == "" {
			e.Service.Interface = firstInterface(s, e.ID)
		}
		return e
	case PutForward:
		if e.Forward.ID == "" {
			e.Forward.ID = n.free("f", len(s.Forwards)+1, func(id string) site.Ref { return site.Forward{ID: id}.Ref() })
		}
		return e
	case PutNetwork:
		if e.Network.ID == "" {
			e.Network.ID = n.free("net", len(s.Networks)+1, func(id string) site.Ref { return site.Network{ID: id}.Ref() })
			n.network = e.Network.ID
		}
		return e
	case PutRouter:
		if e.Router.ID == "" {
			e.Router.ID = n.free("router", len(s.Routers)+1, func(id string) site.Ref { return site.Router{ID: id}.Ref() })
		}
		if e.Router.Network == "" {
			e.Router.Network = n.network
		}
		return e
	}
	return e
}

func (n *naming) device(s site.Site, d *site.Device) {
	if d.ID == "" {
		d.ID = n.free("d", len(s.Devices)+1, func(id string) site.Ref { return site.Device{ID: id}.Ref() })
	}
	for i := range d.Interfaces {
		if d.Interfaces[i].ID == "" {
			d.Interfaces[i].ID = n.free(d.ID+".", i, func(id string) site.Ref { return site.Interface{ID: id}.Ref() })
		}
		if d.Interfaces[i].Network == "" {
			d.Interfaces[i].Network = n.network
		}
	}
	for i := range d.Services {
		n.service(d.ID, &d.Services[i])
		if d.Services[i].Interface == "" && len(d.Interfaces) > 0 {
			d.Services[i].Interface = d.Interfaces[0].ID
		}
	}
}

func (n *naming) service(device string, v *site.Service) {
	if v.ID == "" {
		v.ID = n.free(device+".s", 1, func(id string) site.Ref { return site.Service{ID: id}.Ref() })
	}
}

func firstInterface(s site.Site, device string) string {
	for _, d := range s.Devices {
		if d.ID == device && len(d.Interfaces) > 0 {
			return d.Interfaces[0].ID
		}
	}
	return ""
}
