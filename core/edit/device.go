package edit

import (
	"slices"

	"vestpin/core/site"
	"vestpin/core/strict"
)

// PutDevice adds a device or replaces the one with its id, with all its
// interfaces and services.
type PutDevice struct {
	Device site.Device `json:"device"`
	At     *int        `json:"at,omitempty"`
}

// Verb is "put-device".
func (PutDevice) Verb() Verb { return "put-device" }

// Touches the device and each of its parts.
func (e PutDevice) Touches() []Touch {
	out := []Touch{{Thing: e.Device.Ref()}}
	for _, n := range e.Device.Interfaces {
		out = append(out, Touch{Thing: n.Ref()})
	}
	for _, s := range e.Device.Services {
		out = append(out, Touch{Thing: s.Ref()})
	}
	return out
}

func (e PutDevice) apply(d *draft, _ *strict.Path) ([]Edit, error) {
	own(d, "devices", &d.Devices)
	delete(d.copied, string(e.Device.Ref())) // its lists are the edit's
	if old, was := put(&d.Devices, e.Device.Whole(), deviceID, e.At); old != nil {
		return []Edit{PutDevice{*old, &was}}, nil
	}
	return []Edit{RemoveDevice{ID: e.Device.ID, Only: true}}, nil
}

// RemoveDevice removes a device, and the forwards to it unless Only it is meant.
type RemoveDevice struct {
	ID   string `json:"id"`
	Only bool   `json:"only,omitempty" doc:"Forwards to it are seen to by other edits of the batch"`
}

// Verb is "remove-device".
func (RemoveDevice) Verb() Verb { return "remove-device" }

// Touches the device; its parts are told by the way back.
func (e RemoveDevice) Touches() []Touch { return []Touch{{Thing: site.Device{ID: e.ID}.Ref()}} }

func (e RemoveDevice) apply(d *draft, at *strict.Path) ([]Edit, error) {
	own(d, "devices", &d.Devices)
	gone, was, err := take(&d.Devices, at, "device", e.ID, deviceID)
	if err != nil {
		return nil, err
	}
	delete(d.copied, string(gone.Ref()))
	back := []Edit{PutDevice{gone, &was}}
	if e.Only {
		return back, nil
	}
	back = append(back, d.dropLinks(func(l site.Link) bool {
		return slices.ContainsFunc(gone.Interfaces, func(i site.Interface) bool { return i.ID == l.Interface }) || slices.ContainsFunc(gone.Services, func(s site.Service) bool { return s.ID == l.Service })
	})...)
	back = append(back, d.hideExposed(func(id string) bool {
		return slices.ContainsFunc(gone.Interfaces, func(i site.Interface) bool { return i.ID == id })
	})...)
	return append(back, d.dropForwards(func(f *site.Forward) bool { return leadsTo(f, &gone) })...), nil
}

// leadsTo reports whether a forward would dangle without the device.
func leadsTo(f *site.Forward, d *site.Device) bool {
	return slices.ContainsFunc(d.Interfaces, func(i site.Interface) bool { return i.ID == f.To }) ||
		slices.ContainsFunc(d.Services, func(sv site.Service) bool { return sv.ID == f.Service && f.Service != "" })
}

// Describe changes what is given of a device's name, kind, place, rank, and
// whether it was accepted, and leaves the rest.
type Describe struct {
	ID       string  `json:"id"`
	Name     *string `json:"name,omitempty"`
	Kind     *string `json:"kind,omitempty"`
	Place    *string `json:"place,omitempty"`
	Rank     *int    `json:"rank,omitempty"`
	Accepted *bool   `json:"accepted,omitempty"`
}

// Verb is "describe".
func (Describe) Verb() Verb { return "describe" }

// Touches the fields that are given.
func (e Describe) Touches() []Touch {
	thing := site.Device{ID: e.ID}.Ref()
	var out []Touch
	for _, f := range []struct {
		name  string
		given bool
	}{{"name", e.Name != nil}, {"kind", e.Kind != nil}, {"place", e.Place != nil}, {"rank", e.Rank != nil}, {"accepted", e.Accepted != nil}} {
		if f.given {
			out = append(out, Touch{thing, f.name})
		}
	}
	return out
}

func (e Describe) apply(d *draft, at *strict.Path) ([]Edit, error) {
	i, err := d.findDevice(at, e.ID)
	if err != nil {
		return nil, err
	}
	v, back := d.device(i), Describe{ID: e.ID}
	back.Name, back.Kind, back.Place = exchange(&v.Name, e.Name), exchange(&v.Kind, e.Kind), exchange(&v.Place, e.Place)
	back.Rank, back.Accepted = exchange(&v.Rank, e.Rank), exchange(&v.Accepted, e.Accepted)
	return []Edit{back}, nil
}

// exchange puts what is wanted into a field, where something is, and gives what
// was there.
func exchange[T any](field, want *T) *T {
	if want == nil {
		return nil
	}
	was := *field
	*field = *want
	return &was
}

// PutInterface adds an interface to a device or replaces the one with its id.
type PutInterface struct {
	ID        string         `json:"id" doc:"The device"`
	Interface site.Interface `json:"interface"`
	At        *int           `json:"at,omitempty"`
}

// Verb is "put-interface".
func (PutInterface) Verb() Verb { return "put-interface" }

// Touches the interface.
func (e PutInterface) Touches() []Touch { return []Touch{{Thing: e.Interface.Ref()}} }

func (e PutInterface) apply(d *draft, at *strict.Path) ([]Edit, error) {
	i, err := d.findDevice(at, e.ID)
	if err != nil {
		return nil, err
	}
	if old, was := put(&d.device(i).Interfaces, e.Interface.Whole(), interfaceID, e.At); old != nil {
		return []Edit{PutInterface{e.ID, *old, &was}}, nil
	}
	return []Edit{RemoveInterface{ID: e.Interface.ID, Only: true}}, nil
}

func interfaceID(n *site.Interface) string { return n.ID }
func serviceID(s *site.Service) string     { return s.ID }

// RemoveInterface removes an interface, and its services and forwards with it
// unless Only it is meant.
type RemoveInterface struct {
	ID   string `json:"id"`
	Only bool   `json:"only,omitempty" doc:"Its services and forwards are seen to by other edits of the batch"`
}

// Verb is "remove-interface".
func (RemoveInterface) Verb() Verb { return "remove-interface" }

// Touches the interface; its services are told by the way back.
func (e RemoveInterface) Touches() []Touch { return []Touch{{Thing: site.Interface{ID: e.ID}.Ref()}} }

func (e RemoveInterface) apply(d *draft, at *strict.Path) ([]Edit, error) {
	i, j, err := d.findInterface(at, e.ID)
	if err != nil {
		return nil, err
	}
	v := d.device(i)
	back := []Edit{PutInterface{v.ID, v.Interfaces[j], &j}}
	v.Interfaces = slices.Delete(v.Interfaces, j, j+1)
	if e.Only {
		return back, nil
	}
	gone := map[string]bool{}
	kept := v.Services[:0]
	for k, s := range v.Services {
		if s.Interface != e.ID {
			kept = append(kept, s)
			continue
		}
		gone[s.ID] = true
		back = append(back, PutService{v.ID, s, &k})
	}
	clear(v.Services[len(kept):])
	v.Services = kept
	back = append(back, d.dropLinks(func(l site.Link) bool { return l.Interface == e.ID || l.Service != "" && gone[l.Service] })...)
	back = append(back, d.hideExposed(func(id string) bool { return id == e.ID })...)
	return append(back, d.dropForwards(func(f *site.Forward) bool { return f.To == e.ID || gone[f.Service] })...), nil
}

// SetPin pins an interface, or, without Pin, makes it loose.
type SetPin struct {
	ID  string    `json:"id" doc:"The interface"`
	Pin *site.Pin `json:"pin,omitempty"`
}

// Verb is "pin".
func (SetPin) Verb() Verb { return "pin" }

// Touches the pin of the interface.
func (e SetPin) Touches() []Touch { return []Touch{{site.Interface{ID: e.ID}.Ref(), "pin"}} }

func (e SetPin) apply(d *draft, at *strict.Path) ([]Edit, error) {
	i, j, err := d.findInterface(at, e.ID)
	if err != nil {
		return nil, err
	}
	n := &d.device(i).Interfaces[j]
	back := SetPin{e.ID, n.Pin}
	n.Pin = e.Pin
	return []Edit{back}, nil
}

// SetWants says whether an interface is to be pinned.
type SetWants struct {
	ID    string     `json:"id" doc:"The interface"`
	Wants site.Wants `json:"wants"`
}

// Verb is "wants".
func (SetWants) Verb() Verb { return "wants" }

// Touches what the interface wants.
func (e SetWants) Touches() []Touch { return []Touch{{site.Interface{ID: e.ID}.Ref(), "wants"}} }

func (e SetWants) apply(d *draft, at *strict.Path) ([]Edit, error) {
	i, j, err := d.findInterface(at, e.ID)
	if err != nil {
		return nil, err
	}
	n := &d.device(i).Interfaces[j]
	back := SetWants{e.ID, n.Wants}
	n.Wants = e.Wants
	site.Usual(&n.Wants, "auto")
	return []Edit{back}, nil
}

// PutService adds a service to a device or replaces the one with its id.
type PutService struct {
	ID      string       `json:"id" doc:"The device"`
	Service site.Service `json:"service"`
	At      *int         `json:"at,omitempty"`
}

// Verb is "put-service".
func (PutService) Verb() Verb { return "put-service" }

// Touches the service.
func (e PutService) Touches() []Touch { return []Touch{{Thing: e.Service.Ref()}} }

func (e PutService) apply(d *draft, at *strict.Path) ([]Edit, error) {
	i, err := d.findDevice(at, e.ID)
	if err != nil {
		return nil, err
	}
	if old, was := put(&d.device(i).Services, e.Service.Whole(), serviceID, e.At); old != nil {
		return []Edit{PutService{e.ID, *old, &was}}, nil
	}
	return []Edit{RemoveService{ID: e.Service.ID, Only: true}}, nil
}

// RemoveService removes a service, and its forwards with it unless Only it is meant.
type RemoveService struct {
	ID   string `json:"id"`
	Only bool   `json:"only,omitempty" doc:"Its forwards are seen to by other edits of the batch"`
}

// Verb is "remove-service".
func (RemoveService) Verb() Verb { return "remove-service" }

// Touches the service.
func (e RemoveService) Touches() []Touch { return []Touch{{Thing: site.Service{ID: e.ID}.Ref()}} }

func (e RemoveService) apply(d *draft, at *strict.Path) ([]Edit, error) {
	i, j, err := d.findService(at, e.ID)
	if err != nil {
		return nil, err
	}
	v := d.device(i)
	back := []Edit{PutService{v.ID, v.Services[j], &j}}
	v.Services = slices.Delete(v.Services, j, j+1)
	if e.Only {
		return back, nil
	}
	back = append(back, d.dropLinks(func(l site.Link) bool { return l.Service == e.ID })...)
	return append(back, d.dropForwards(func(f *site.Forward) bool { return f.Service == e.ID })...), nil
}

// SetOpen wants a service from outside, or, without Open, keeps it in.
type SetOpen struct {
	ID   string     `json:"id" doc:"The service"`
	Open *site.Open `json:"open,omitempty"`
}

// Verb is "open".
func (SetOpen) Verb() Verb { return "open" }

// Touches how the service is opened.
func (e SetOpen) Touches() []Touch { return []Touch{{site.Service{ID: e.ID}.Ref(), "open"}} }

func (e SetOpen) apply(d *draft, at *strict.Path) ([]Edit, error) {
	i, j, err := d.findService(at, e.ID)
	if err != nil {
		return nil, err
	}
	s := &d.device(i).Services[j]
	back := SetOpen{e.ID, s.Open}
	s.Open = e.Open.Whole()
	return []Edit{back}, nil
}
