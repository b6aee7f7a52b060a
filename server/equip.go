package server

import (
	"context"
	"fmt"

	"github.com/danielgtaylor/huma/v2"

	"vestpin/core/catalogue"
	"vestpin/core/edit"
	"vestpin/core/reach"
	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/read"
	"vestpin/read/portlist"
)

// catalogueOf is the catalogue that ships, with the firm's own kinds.
func (s *server) catalogueOf(ctx context.Context) (catalogue.Catalogue, error) {
	own, err := s.store.OwnKinds(ctx)
	if err != nil {
		return catalogue.Catalogue{}, refusal(err)
	}
	return catalogue.Shipped().With(own...), nil
}

// Known is the catalogue as the page needs it. Own are the ids of the firm's own kinds.
type Known struct {
	catalogue.Catalogue
	Own []string `json:"own"`
}

func (s *server) getCatalogue(ctx context.Context, _ *struct{}) (*struct{ Body Known }, error) {
	own, err := s.store.OwnKinds(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	out := Known{catalogue.Shipped().With(own...), []string{}}
	for _, k := range own {
		out.Own = append(out.Own, k.ID)
	}
	return &struct{ Body Known }{out}, nil
}

// KindsHere are the kinds of device that count at a site, and which of them its devices are.
type KindsHere struct {
	Version int         `json:"version"`
	Kinds   []site.Kind `json:"kinds"`
	Of      []KindOf    `json:"of" doc:"Devices whose word for what they are means one of the kinds"`
}

// KindOf is what a device is.
type KindOf struct {
	Device string `json:"device"`
	Kind   string `json:"kind" doc:"The id of the kind"`
}

func (s *server) kindsHere(ctx context.Context, in *SiteID) (*struct{ Body KindsHere }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	known, err := s.catalogueOf(ctx)
	if err != nil {
		return nil, err
	}
	known = known.With(st.Site.Kinds...)
	out := KindsHere{Version: st.Version, Kinds: known.Kinds, Of: []KindOf{}}
	for _, d := range st.Site.Devices {
		if k, ok := known.Find(d.Kind); ok {
			out.Of = append(out.Of, KindOf{d.ID, k.ID})
		}
	}
	return &struct{ Body KindsHere }{out}, nil
}

// ownCatalogue is the firm's own kinds, as a file.
func (s *server) ownCatalogue(ctx context.Context, _ *struct{}) (*struct{ Body catalogue.Catalogue }, error) {
	own, err := s.store.OwnKinds(ctx)
	if err != nil {
		return nil, refusal(err)
	}
	return &struct{ Body catalogue.Catalogue }{catalogue.Catalogue{Format: catalogue.Format, Kinds: own}}, nil
}

// setOwnCatalogue takes a catalogue file as the firm's own kinds, whole.
func (s *server) setOwnCatalogue(ctx context.Context, in *struct{ RawBody []byte }) (*struct{}, error) {
	c, err := catalogue.Read(in.RawBody)
	if err != nil {
		return nil, refusal(err)
	}
	return nil, refusal(s.store.SetOwnKinds(ctx, c.Kinds))
}

// mostEquipped is how many devices are equipped at once.
const mostEquipped = 500

// Equipped is what a purpose comes to, for one device or several alike.
type Equipped struct {
	Version int           `json:"version"`
	Changes []edit.Change `json:"changes"`
	StaysIn []string      `json:"staysIn" doc:"Services that the devices have and that stay in"`
}

// equip works out what devices need for their purposes, and changes nothing.
func (s *server) equip(ctx context.Context, in *struct {
	SiteID
	Body struct {
		Devices []string         `json:"devices" minItems:"1" maxItems:"500"`
		Wanted  catalogue.Wanted `json:"wanted"`
	}
}) (*struct{ Body Equipped }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	known, err := s.catalogueOf(ctx)
	if err != nil {
		return nil, err
	}
	if len(in.Body.Devices) > mostEquipped {
		return nil, huma.Error422UnprocessableEntity(fmt.Sprintf("At most %d devices are equipped at once.", mostEquipped))
	}
	out := Equipped{Version: st.Version, Changes: []edit.Change{}, StaysIn: []string{}}
	for _, d := range in.Body.Devices {
		one, err := known.Equip(st.Site, d, in.Body.Wanted)
		if err != nil {
			return nil, refusal(err)
		}
		out.Changes, out.StaysIn = append(out.Changes, one.Changes...), append(out.StaysIn, one.StaysIn...)
	}
	return &struct{ Body Equipped }{out}, nil
}

// ListedPort is a service that a text lists, or that the survey found, and what it comes to
// at a device: an edit that gives it to the device, or what it has already.
type ListedPort struct {
	portlist.Service
	Found bool          `json:"found" doc:"The device answered there; no line of the text says so"`
	Is    string        `json:"is" doc:"What the catalogue knows it as, or the device has it as; empty for nothing"`
	Has   string        `json:"has,omitempty" doc:"The service of the device that it is already"`
	Edit  *edit.Written `json:"edit,omitempty"`
}

// ListedPorts is a list of ports that was pasted.
type ListedPorts struct {
	Version  int                `json:"version"`
	Services []ListedPort       `json:"services"`
	Unread   []portlist.BadLine `json:"unread"`
	Missed   int                `json:"missed"`
}

// parsePorts reads a list of ports for a device, after those at which it answered and that
// are no service yet, and changes nothing. What the catalogue knows at another port can be
// set back to it.
func (s *server) parsePorts(ctx context.Context, in *struct {
	SiteID
	Body struct {
		Device    string `json:"device"`
		Interface string `json:"interface,omitempty" doc:"The one that the services are on; absent for the first"`
		Text      string `json:"text" maxLength:"524288"`
	}
}) (*struct{ Body ListedPorts }, error) {
	st, err := s.store.Get(ctx, in.ID)
	if err != nil {
		return nil, refusal(err)
	}
	known, err := s.catalogueOf(ctx)
	if err != nil {
		return nil, err
	}
	v := site.NewView(st.Site)
	var p site.Placed
	for _, one := range v.Interfaces() {
		if one.Device.ID == in.Body.Device && (in.Body.Interface == "" || one.Interface.ID == in.Body.Interface) {
			p = one
			break
		}
	}
	if p.Device == nil {
		return nil, huma.Error404NotFound("There is no such device, or it has no such interface.")
	}
	list, err := read.PortList([]byte(in.Body.Text))
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error())
	}
	l := listing{known.With(st.Site.Kinds...), p, map[string]bool{}}
	for _, d := range st.Site.Devices {
		for _, sv := range d.Services {
			l.taken[sv.ID] = true
		}
	}
	out := ListedPorts{Version: st.Version, Services: []ListedPort{}, Unread: list.Unread, Missed: list.Missed}
	for _, a := range answersOn(v) {
		if a.Interface == p.Interface.ID && a.Service == "" {
			ports, _ := span.ParsePorts(a.Port)
			found := l.one(portlist.Service{Name: a.Name, Protocol: site.Protocol(a.Protocol), Ports: ports})
			found.Found = true
			out.Services = append(out.Services, found)
		}
	}
	for _, service := range list.Services {
		for _, one := range l.apart(service) {
			out.Services = append(out.Services, l.one(one))
		}
	}
	return &struct{ Body ListedPorts }{out}, nil
}

// listing enters the services of a list at a device.
type listing struct {
	known catalogue.Catalogue
	at    site.Placed
	taken map[string]bool // ids of services
}

// apart takes a list without a name apart where the catalogue knows each of its ports as
// another service: "TCP 80, 554" is a page and a stream.
func (l listing) apart(s portlist.Service) []portlist.Service {
	var each []portlist.Service
	names := map[string]bool{}
	for _, run := range s.Ports.Runs() {
		one := s
		one.Ports = span.PortList(run)
		of, ok := l.known.Named(l.at.Device.Kind, "", s.Protocol, one.Ports)
		if !ok || names[of.Name] {
			return []portlist.Service{s}
		}
		names[of.Name] = true
		each = append(each, one)
	}
	if s.Name != "" {
		return []portlist.Service{s}
	}
	return each
}

func (l listing) one(one portlist.Service) ListedPort {
	out := ListedPort{Service: one}
	d := l.at.Device
	for _, s := range d.Services {
		if s.Protocol.Covers(one.Protocol) && s.Ports.Equal(one.Ports) {
			out.Has, out.Is = s.ID, s.Name
			return out
		}
	}
	sv := site.Service{Name: one.Name, Interface: l.at.Interface.ID, Protocol: one.Protocol, Ports: one.Ports, CanSetTo: []span.Ports{}}
	if of, ok := l.known.Named(d.Kind, one.Name, one.Protocol, one.Ports); ok {
		out.Is = of.Name
		if sv.Name == "" {
			sv.Name = of.Name
		}
		for _, p := range append([]span.Ports{of.Ports}, of.CanSetTo...) {
			if !p.Equal(sv.Ports) && p.Len() == sv.Ports.Len() {
				sv.CanSetTo = append(sv.CanSetTo, p)
			}
		}
	}
	sv.ID = site.FreeID(d.ID+"."+one.Ports.String(), func(id string) bool { return l.taken[id] })
	l.taken[sv.ID] = true
	out.Edit = &edit.Written{Edit: edit.PutService{ID: d.ID, Service: sv}}
	return out
}

// mostDiffers is how many differences of a router are listed.
const mostDiffers = 200

// HeldState is what a router really holds against what is planned.
type HeldState struct {
	Router  string              `json:"router"`
	At      string              `json:"at,omitempty"`
	Source  string              `json:"source,omitempty"`
	Lines   int                 `json:"lines"`
	Differs []reach.Discrepancy `json:"differs" doc:"At most 200 of them"`
	More    int                 `json:"more" doc:"How many more there are"`
	Doubts  []reach.Doubt       `json:"doubts"`
}

// heldStates compares all routers of which it is known what they hold.
func heldStates(v site.View, m *reach.Map) []HeldState {
	out := []HeldState{}
	for _, r := range v.Routers {
		if r.Held == nil {
			continue
		}
		c := m.Compare(r.ID, *r.Held)
		n := min(len(c.Differs), mostDiffers)
		out = append(out, HeldState{r.ID, r.Held.At, r.Held.Source, len(r.Held.Forwards), c.Differs[:n], len(c.Differs) - n, c.Doubts})
	}
	return out
}
