package site

import (
	"fmt"
	"net/netip"
	"slices"
)

// Verb is what an edit does.
type Verb string

// The verbs. A put adds what is not there yet and replaces what is; at the
// place At, else where it stands or at the end.
const (
	RenameSite      Verb = "rename-site"      // Name
	PutNetwork      Verb = "put-network"      // Network, At
	RemoveNetwork   Verb = "remove-network"   // ID
	PutRouter       Verb = "put-router"       // Router, At
	RemoveRouter    Verb = "remove-router"    // ID; its forwards go with it
	PutDevice       Verb = "put-device"       // Device, At
	RemoveDevice    Verb = "remove-device"    // ID; forwards to it go with it
	Describe        Verb = "describe"         // ID of a device; Name, Kind, Place, Rank, Accepted where given
	PutInterface    Verb = "put-interface"    // ID of the device; Interface, At
	RemoveInterface Verb = "remove-interface" // ID; its services and forwards go with it
	PutService      Verb = "put-service"      // ID of the device; Service, At
	RemoveService   Verb = "remove-service"   // ID; its forwards go with it
	SetPin          Verb = "pin"              // ID of an interface; Pin, absent to make it loose
	SetWants        Verb = "wants"            // ID of an interface; Wants
	SetOpen         Verb = "open"             // ID of a service; Open, absent to keep it in
	PutForward      Verb = "put-forward"      // Forward, At
	RemoveForward   Verb = "remove-forward"   // ID
	Tick            Verb = "tick"             // ID of a step; Done, absent to untick
	PutVisit        Verb = "put-visit"        // Visit, At
	RemoveVisit     Verb = "remove-visit"     // ID
	SetMakers       Verb = "makers"           // Makers: the whole list of the user's own
)

// Edit is one change of a site. Do says which of the other fields count.
type Edit struct {
	Do        Verb       `json:"do"`
	ID        string     `json:"id,omitempty"`
	At        *int       `json:"at,omitempty"`
	Only      bool       `json:"only,omitempty" doc:"Remove this alone: what hangs on it is seen to by other edits of the batch"`
	Name      *string    `json:"name,omitempty"`
	Kind      *string    `json:"kind,omitempty"`
	Place     *string    `json:"place,omitempty"`
	Rank      *int       `json:"rank,omitempty"`
	Accepted  *bool      `json:"accepted,omitempty"`
	Wants     string     `json:"wants,omitempty" enum:",auto,pin,loose"`
	Network   *Network   `json:"network,omitempty"`
	Router    *Router    `json:"router,omitempty"`
	Device    *Device    `json:"device,omitempty"`
	Interface *Interface `json:"interface,omitempty"`
	Service   *Service   `json:"service,omitempty"`
	Forward   *Forward   `json:"forward,omitempty"`
	Pin       *Pin       `json:"pin,omitempty"`
	Open      *Open      `json:"open,omitempty"`
	Done      *Done      `json:"done,omitempty"`
	Visit     *Visit     `json:"visit,omitempty"`
	Makers    []Maker    `json:"makers,omitempty"`
}

// Change says what is done to one thing, for a batch of edits in an answer.
type Change struct {
	Edit Edit   `json:"edit"`
	Why  string `json:"why"`
}

// Apply makes the edits one after the other and gives the new site together
// with the edits that lead back. All are taken or none; the error is a *Refusal
// that names the edit at fault.
func Apply(s Site, edits []Edit) (Site, []Edit, error) {
	next := s
	var undo []Edit
	for i, e := range edits {
		at := (&trail{key: "edits"}).item(i)
		back, err := apply(&next, at, e)
		if err != nil {
			return s, nil, err
		}
		undo = append(back, undo...)
	}
	if err := check(&trail{key: "site"}, next); err != nil {
		return s, nil, err
	}
	return next, undo, nil
}

func apply(s *Site, at *trail, e Edit) ([]Edit, error) {
	switch e.Do {
	case RenameSite:
		if e.Name == nil || *e.Name == "" {
			return nil, at.field("name").refuse("", "a name for the site")
		}
		old := s.Name
		s.Name = *e.Name
		return []Edit{{Do: RenameSite, Name: &old}}, nil
	case PutNetwork:
		if e.Network == nil {
			return nil, missing(at, "network")
		}
		return put(&s.Networks, *e.Network, networkID, e.At, Edit{Do: RemoveNetwork, ID: e.Network.ID, Only: true},
			func(old Network, i *int) Edit { return Edit{Do: PutNetwork, Network: &old, At: i} }), nil
	case RemoveNetwork:
		return take(&s.Networks, at, e.ID, networkID, func(old Network, i *int) Edit { return Edit{Do: PutNetwork, Network: &old, At: i} })
	case PutRouter:
		if e.Router == nil {
			return nil, missing(at, "router")
		}
		return put(&s.Routers, *e.Router, routerID, e.At, Edit{Do: RemoveRouter, ID: e.Router.ID, Only: true}, putRouterBack), nil
	case RemoveRouter:
		undo := dropForwards(s, func(f Forward) bool { return !e.Only && f.Router == e.ID })
		back, err := take(&s.Routers, at, e.ID, routerID, putRouterBack)
		return append(back, undo...), err
	case PutDevice:
		if e.Device == nil {
			return nil, missing(at, "device")
		}
		return put(&s.Devices, *e.Device, deviceID, e.At, Edit{Do: RemoveDevice, ID: e.Device.ID, Only: true}, putDeviceBack), nil
	case RemoveDevice:
		i := slices.IndexFunc(s.Devices, func(d Device) bool { return d.ID == e.ID })
		if i < 0 {
			return nil, unknown(at, "device", e.ID)
		}
		gone := s.Devices[i]
		undo := dropForwards(s, func(f Forward) bool { return !e.Only && leadsTo(f, gone) })
		back, err := take(&s.Devices, at, e.ID, deviceID, putDeviceBack)
		return append(back, undo...), err
	case PutForward:
		if e.Forward == nil {
			return nil, missing(at, "forward")
		}
		return put(&s.Forwards, *e.Forward, forwardID, e.At, Edit{Do: RemoveForward, ID: e.Forward.ID, Only: true}, putForwardBack), nil
	case RemoveForward:
		return take(&s.Forwards, at, e.ID, forwardID, putForwardBack)
	case Tick:
		return tick(s, e), nil
	case PutVisit:
		if e.Visit == nil {
			return nil, missing(at, "visit")
		}
		return put(&s.Visits, *e.Visit, visitID, e.At, Edit{Do: RemoveVisit, ID: e.Visit.ID, Only: true}, putVisitBack), nil
	case RemoveVisit:
		return take(&s.Visits, at, e.ID, visitID, putVisitBack)
	case SetMakers:
		back := Edit{Do: SetMakers, Makers: s.Makers}
		s.Makers = slices.Clone(e.Makers)
		return []Edit{back}, nil
	case Describe, PutInterface, PutService:
		return applyToDevice(s, at, e)
	case RemoveInterface, SetPin, SetWants:
		return applyToInterface(s, at, e)
	case RemoveService, SetOpen:
		return applyToService(s, at, e)
	}
	return nil, at.field("do").refuse(string(e.Do), "a known verb such as pin, open or put-device")
}

func networkID(n Network) string { return n.ID }
func routerID(r Router) string   { return r.ID }
func deviceID(d Device) string   { return d.ID }
func forwardID(f Forward) string { return f.ID }
func visitID(v Visit) string     { return v.ID }

func putRouterBack(old Router, i *int) Edit   { return Edit{Do: PutRouter, Router: &old, At: i} }
func putDeviceBack(old Device, i *int) Edit   { return Edit{Do: PutDevice, Device: &old, At: i} }
func putForwardBack(old Forward, i *int) Edit { return Edit{Do: PutForward, Forward: &old, At: i} }

func putVisitBack(old Visit, i *int) Edit { return Edit{Do: PutVisit, Visit: &old, At: i} }

func missing(at *trail, what string) error {
	return at.field(what).refuse("", "the "+what+" to put there")
}

func unknown(at *trail, kind, id string) error {
	return at.field("id").refuse(id, "the id of a "+kind+" of this site; it may have been removed meanwhile")
}

// put adds v or replaces the one with its id, and gives the way back.
func put[T any](list *[]T, v T, id func(T) string, at *int, remove Edit, restore func(T, *int) Edit) []Edit {
	i := slices.IndexFunc(*list, func(o T) bool { return id(o) == id(v) })
	next := slices.Clone(*list)
	undo := []Edit{remove}
	place := len(next)
	if i >= 0 {
		undo = []Edit{restore(next[i], &i)}
		next = slices.Delete(next, i, i+1)
		place = i
	}
	if at != nil {
		place = max(0, min(*at, len(next)))
	}
	*list = slices.Insert(next, place, v)
	return undo
}

// take removes the one with that id, and gives the way back.
func take[T any](list *[]T, at *trail, id string, idOf func(T) string, restore func(T, *int) Edit) ([]Edit, error) {
	i := slices.IndexFunc(*list, func(o T) bool { return idOf(o) == id })
	if i < 0 {
		return nil, at.field("id").refuse(id, "the id of something that is there; it may have been removed meanwhile")
	}
	old := (*list)[i]
	*list = slices.Delete(slices.Clone(*list), i, i+1)
	return []Edit{restore(old, &i)}, nil
}

// leadsTo reports whether a forward would dangle without the device.
func leadsTo(f Forward, d Device) bool {
	return slices.ContainsFunc(d.Interfaces, func(i Interface) bool { return i.ID == f.To }) ||
		slices.ContainsFunc(d.Services, func(sv Service) bool { return sv.ID == f.Service && f.Service != "" })
}

// dropForwards removes the forwards that match, and gives the way back.
func dropForwards(s *Site, match func(Forward) bool) []Edit {
	var undo []Edit
	var kept []Forward
	for i, f := range s.Forwards {
		if match(f) {
			undo = append(undo, putForwardBack(f, &i))
		} else {
			kept = append(kept, f)
		}
	}
	if len(undo) > 0 {
		s.Forwards = kept
	}
	return undo
}

func tick(s *Site, e Edit) []Edit {
	back := Edit{Do: Tick, ID: e.ID}
	kept := slices.DeleteFunc(slices.Clone(s.Done), func(d Done) bool {
		if d.Step == e.ID {
			back.Done = &d
		}
		return d.Step == e.ID
	})
	if e.Done != nil {
		done := *e.Done
		done.Step = e.ID
		kept = append(kept, done)
		slices.SortFunc(kept, func(a, b Done) int { return compareText(a.Step, b.Step) })
	}
	s.Done = kept
	return []Edit{back}
}

func compareText(a, b string) int {
	if a < b {
		return -1
	}
	if a > b {
		return 1
	}
	return 0
}

// change replaces the i-th device by what f makes of a copy of it.
func change(s *Site, i int, f func(*Device)) {
	s.Devices = slices.Clone(s.Devices)
	d := s.Devices[i]
	d.Interfaces = slices.Clone(d.Interfaces)
	d.Services = slices.Clone(d.Services)
	f(&d)
	s.Devices[i] = d
}

func applyToDevice(s *Site, at *trail, e Edit) ([]Edit, error) {
	i := slices.IndexFunc(s.Devices, func(d Device) bool { return d.ID == e.ID })
	if i < 0 {
		return nil, unknown(at, "device", e.ID)
	}
	var undo []Edit
	var err error
	change(s, i, func(d *Device) {
		switch e.Do {
		case Describe:
			undo = describe(d, e)
		case PutInterface:
			if e.Interface == nil {
				err = missing(at, "interface")
				return
			}
			undo = put(&d.Interfaces, *e.Interface, func(i Interface) string { return i.ID }, e.At,
				Edit{Do: RemoveInterface, ID: e.Interface.ID, Only: true},
				func(old Interface, i *int) Edit { return Edit{Do: PutInterface, ID: d.ID, Interface: &old, At: i} })
		case PutService:
			if e.Service == nil {
				err = missing(at, "service")
				return
			}
			undo = put(&d.Services, *e.Service, func(sv Service) string { return sv.ID }, e.At,
				Edit{Do: RemoveService, ID: e.Service.ID, Only: true}, putServiceBack(d.ID))
		}
	})
	return undo, err
}

func putServiceBack(device string) func(Service, *int) Edit {
	return func(old Service, i *int) Edit { return Edit{Do: PutService, ID: device, Service: &old, At: i} }
}

func describe(d *Device, e Edit) []Edit {
	back := Edit{Do: Describe, ID: d.ID}
	swap := func(field *string, want *string, old **string) {
		if want != nil {
			was := *field
			*old, *field = &was, *want
		}
	}
	swap(&d.Name, e.Name, &back.Name)
	swap(&d.Kind, e.Kind, &back.Kind)
	swap(&d.Place, e.Place, &back.Place)
	if e.Rank != nil {
		was := d.Rank
		back.Rank, d.Rank = &was, *e.Rank
	}
	if e.Accepted != nil {
		was := d.Accepted
		back.Accepted, d.Accepted = &was, *e.Accepted
	}
	return []Edit{back}
}

// findPart gives the place of a device and of the part of it that has the id.
func findPart[T any](s *Site, parts func(Device) []T, has func(T) bool) (device, part int) {
	for i, d := range s.Devices {
		if j := slices.IndexFunc(parts(d), has); j >= 0 {
			return i, j
		}
	}
	return -1, -1
}

func applyToInterface(s *Site, at *trail, e Edit) ([]Edit, error) {
	i, j := findPart(s, func(d Device) []Interface { return d.Interfaces }, func(n Interface) bool { return n.ID == e.ID })
	if i < 0 {
		return nil, unknown(at, "interface", e.ID)
	}
	if e.Do == RemoveInterface {
		return removeInterface(s, i, j, e.Only), nil
	}
	back := Edit{Do: e.Do, ID: e.ID}
	change(s, i, func(d *Device) {
		n := &d.Interfaces[j]
		if e.Do == SetPin {
			back.Pin, n.Pin = n.Pin, e.Pin
		} else {
			back.Wants, n.Wants = n.Wants, e.Wants
		}
	})
	return []Edit{back}, nil
}

func removeInterface(s *Site, i, j int, only bool) []Edit {
	gone, device := s.Devices[i].Interfaces[j], s.Devices[i]
	undo := dropForwards(s, func(f Forward) bool {
		return !only && (f.To == gone.ID || slices.ContainsFunc(device.Services, func(sv Service) bool {
			return sv.Interface == gone.ID && sv.ID == f.Service
		}))
	})
	whole := device
	change(s, i, func(d *Device) {
		d.Interfaces = slices.Delete(d.Interfaces, j, j+1)
		d.Services = slices.DeleteFunc(d.Services, func(sv Service) bool { return !only && sv.Interface == gone.ID })
	})
	return append([]Edit{{Do: PutDevice, Device: &whole}}, undo...)
}

func applyToService(s *Site, at *trail, e Edit) ([]Edit, error) {
	i, j := findPart(s, func(d Device) []Service { return d.Services }, func(sv Service) bool { return sv.ID == e.ID })
	if i < 0 {
		return nil, unknown(at, "service", e.ID)
	}
	device := s.Devices[i].ID
	if e.Do == RemoveService {
		undo := dropForwards(s, func(f Forward) bool { return !e.Only && f.Service == e.ID })
		gone := s.Devices[i].Services[j]
		change(s, i, func(d *Device) { d.Services = slices.Delete(d.Services, j, j+1) })
		return append([]Edit{putServiceBack(device)(gone, &j)}, undo...), nil
	}
	back := Edit{Do: SetOpen, ID: e.ID}
	change(s, i, func(d *Device) {
		back.Open, d.Services[j].Open = d.Services[j].Open, e.Open
	})
	return []Edit{back}, nil
}

// Touches gives what an edit writes, to tell whether edits of two windows
// disagree: refs, and for a device the field where only one is written.
func (e Edit) Touches() []string {
	switch e.Do {
	case RenameSite:
		return []string{"site:name"}
	case PutNetwork:
		return []string{"network:" + e.Network.ID}
	case PutRouter:
		return []string{"router:" + e.Router.ID}
	case PutDevice:
		return []string{"device:" + e.Device.ID}
	case PutForward:
		return []string{"forward:" + e.Forward.ID}
	case PutInterface:
		return []string{"interface:" + e.Interface.ID}
	case PutService:
		return []string{"service:" + e.Service.ID}
	case Describe, RemoveDevice:
		return []string{"device:" + e.ID}
	case SetPin, SetWants, RemoveInterface:
		return []string{"interface:" + e.ID}
	case SetOpen, RemoveService:
		return []string{"service:" + e.ID}
	case Tick:
		return []string{"step:" + e.ID}
	case RemoveForward:
		return []string{"forward:" + e.ID}
	case RemoveNetwork:
		return []string{"network:" + e.ID}
	case PutVisit:
		return []string{"visit:" + e.Visit.ID}
	case RemoveVisit:
		return []string{"visit:" + e.ID}
	case SetMakers:
		return []string{"site:makers"}
	}
	return []string{"router:" + e.ID}
}

// New is an empty site with one network and the router at its gateway.
func New(name string, subnet netip.Prefix, gateway netip.Addr, ranges []Range) Site {
	n := Network{ID: "main", Name: "Main", Subnet: subnet, Gateway: gateway, Ranges: ranges}
	if gateway.IsValid() {
		n.DNS = []netip.Addr{gateway}
	}
	r := Router{
		ID: "edge", Name: "Router", Network: "main", UPnP: "unknown", WAN: WAN{Kind: "unknown"},
		Form: Form{PortsPerLine: "range", Renumber: "range", Protocols: []Protocol{TCP, UDP, Both}, LimitsSender: "no", Reserves: "anywhere"},
	}
	return Site{Name: name, Networks: []Network{n}, Routers: []Router{r}}
}

// FreeID is the first of stem, stem-2, stem-3 … that is not taken.
func FreeID(stem string, taken func(string) bool) string {
	id := stem
	for n := 2; taken(id); n++ {
		id = fmt.Sprintf("%s-%d", stem, n)
	}
	return id
}
