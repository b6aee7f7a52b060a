package catalogue

import (
	"fmt"
	"slices"
	"strings"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/span"
	"vestpin/core/strict"
)

// Wanted is what a device is to be equipped with: services of its kind, by their ids,
// beside those that its purposes need; the other protocol where it helps; who may connect;
// and, of a service, another interface or other device ports than usual. Of a kind that the
// site does not say yet, the device is described as that first.
type Wanted struct {
	Kind      string            `json:"kind,omitempty" doc:"The kind that the device is of, where the site has another or none"`
	Purposes  []string          `json:"purposes"`
	Also      []string          `json:"also"`
	Helping   []string          `json:"helping" doc:"Services that get the other protocol too"`
	From      []site.Sender     `json:"from"`
	Interface map[string]string `json:"interface,omitempty" doc:"By service: the interface that it is on"`
	Ports     map[string]string `json:"ports,omitempty" doc:"By service: the ports that the device uses now"`
}

// Equipment is what a purpose comes to at a device: the edits with their reasons, and what
// the device has that stays in.
type Equipment struct {
	Changes []edit.Change `json:"changes"`
	StaysIn []string      `json:"staysIn"`
}

// Equip works out the services that a device gets for its purposes, and which of them are
// opened: those that it has already are used, not doubled, and one that is open already
// stays as it is, but for the senders where none are given yet. Its error is a *strict.Refusal that says which kinds or purposes there are.
func (c Catalogue) Equip(s site.Site, device string, w Wanted) (Equipment, error) {
	at := slices.IndexFunc(s.Devices, func(d site.Device) bool { return d.ID == device })
	if at < 0 {
		return Equipment{}, &strict.Refusal{Path: "device", Found: device, Want: "the id of a device of this site"}
	}
	d := s.Devices[at]
	word := d.Kind
	if w.Kind != "" {
		word = w.Kind
	}
	kind, ok := c.With(s.Kinds...).Find(word)
	if !ok {
		return Equipment{}, &strict.Refusal{Path: "device " + d.ID + ".kind", Found: word, Want: "a kind of the catalogue: " + c.With(s.Kinds...).ids()}
	}
	if len(d.Interfaces) == 0 {
		return Equipment{}, &strict.Refusal{Path: "device " + d.ID, Want: "an interface that its services can be on"}
	}
	e := equipping{site: s, device: d, kind: kind, wanted: w, taken: map[string]bool{}, out: Equipment{Changes: []edit.Change{}}}
	if c.With(s.Kinds...).ID(d.Kind) != kind.ID {
		e.out.Changes = []edit.Change{{Edit: edit.Describe{ID: d.ID, Kind: &kind.ID}, Why: fmt.Sprintf("%s is a %s.", d.Name, kind.Name)}}
	}
	return e.all()
}

func (c Catalogue) ids() string {
	var ids []string
	for _, k := range c.Kinds {
		ids = append(ids, k.ID)
	}
	return strings.Join(ids, ", ")
}

type equipping struct {
	site   site.Site
	device site.Device
	kind   site.Kind
	wanted Wanted
	taken  map[string]bool // ids of services that are there, or are made
	used   map[string]bool // services of the device that the purposes use
	out    Equipment
}

func (e *equipping) all() (Equipment, error) {
	e.used, e.out.StaysIn = map[string]bool{}, []string{}
	for _, d := range e.site.Devices {
		for _, s := range d.Services {
			e.taken[s.ID] = true
		}
	}
	why := map[string]string{} // by service: the purpose, in words
	var order []string
	want := func(id, purpose string) error {
		if _, ok := e.kind.Service(id); !ok {
			return &strict.Refusal{Path: "service", Found: id, Want: "a service of the kind " + e.kind.ID + ": " + serviceIDs(e.kind)}
		}
		if _, there := why[id]; !there {
			order = append(order, id)
			why[id] = purpose
		}
		return nil
	}
	for _, p := range e.wanted.Purposes {
		purpose, ok := e.kind.Purpose(p)
		if !ok {
			return Equipment{}, &strict.Refusal{Path: "purpose", Found: p, Want: "a purpose of the kind " + e.kind.ID + ": " + purposeIDs(e.kind)}
		}
		for _, id := range purpose.Services {
			if err := want(id, purpose.Name); err != nil {
				return Equipment{}, err
			}
		}
	}
	for _, id := range e.wanted.Also {
		if err := want(id, ""); err != nil {
			return Equipment{}, err
		}
	}
	for _, id := range order {
		s, _ := e.kind.Service(id)
		protocols := []site.Protocol{s.Protocol}
		if s.Helps != "" && slices.Contains(e.wanted.Helping, id) {
			protocols = []site.Protocol{site.Both}
		}
		for _, proto := range protocols {
			if err := e.open(s, proto, why[id]); err != nil {
				return Equipment{}, err
			}
		}
	}
	for _, s := range e.device.Services {
		if !e.used[s.ID] && s.Open == nil {
			e.out.StaysIn = append(e.out.StaysIn, s.ID)
		}
	}
	return e.out, nil
}

// open opens a service that the device has, or gives it one.
func (e *equipping) open(of site.KindService, proto site.Protocol, purpose string) error {
	ports := of.Ports
	if text := e.wanted.Ports[of.ID]; text != "" {
		if err := ports.UnmarshalText([]byte(text)); err != nil {
			return &strict.Refusal{Path: "ports of " + of.ID, Found: text, Want: "ports such as 80 or 16384-16447"}
		}
	}
	var left []site.Protocol
	for _, one := range proto.Each() {
		has := -1
		for i, s := range e.device.Services {
			if s.Protocol.Covers(one) && e.is(s, of) {
				has = i
				break
			}
		}
		if has < 0 {
			left = append(left, one)
			continue
		}
		e.use(e.device.Services[has], of, purpose)
	}
	if len(left) == 0 {
		return nil
	}
	s := site.Service{ID: e.device.ID + "." + of.ID, Name: of.Name, Protocol: proto, Ports: ports, CanSetTo: []span.Ports{}}
	if len(left) == 1 {
		s.Protocol = left[0]
	}
	return e.add(s, of, purpose)
}

// is reports whether a service of the device is the one of its kind: by its ports, those
// that it can be set to, or its name.
func (e *equipping) is(s site.Service, of site.KindService) bool {
	if s.ID == e.device.ID+"."+of.ID || s.Name != "" && strings.EqualFold(s.Name, of.Name) {
		return true
	}
	if text := e.wanted.Ports[of.ID]; text != "" && s.Ports.String() == text {
		return true
	}
	return s.Ports.Equal(of.Ports)
}

// use opens a service that is there and stays in so far; one that is open to everybody is
// limited to the senders that are asked for.
func (e *equipping) use(s site.Service, of site.KindService, purpose string) {
	if e.used[s.ID] {
		return
	}
	e.used[s.ID] = true
	if s.Open != nil {
		if len(s.Open.From) == 0 && len(e.wanted.From) > 0 {
			limited := *s.Open
			limited.From = slices.Clone(e.wanted.From)
			s.Open = &limited
			e.out.Changes = append(e.out.Changes, edit.Change{Edit: edit.PutService{ID: e.device.ID, Service: s}, Why: fmt.Sprintf("%s (%s %s) is open to everybody so far, and is limited to those who may connect.", s.Name, s.Ports, words[s.Protocol])})
		}
		return
	}
	s.Open = e.wish(of)
	e.change(s, of, purpose)
}

func (e *equipping) add(s site.Service, of site.KindService, purpose string) error {
	s.ID = site.FreeID(s.ID, func(id string) bool { return e.taken[id] })
	e.taken[s.ID] = true
	s.Interface = e.interfaceOf(of)
	if id := e.wanted.Interface[of.ID]; id != "" {
		if !slices.ContainsFunc(e.device.Interfaces, func(n site.Interface) bool { return n.ID == id }) {
			return &strict.Refusal{Path: "interface of " + of.ID, Found: id, Want: "the id of an interface of this device"}
		}
		s.Interface = id
	}
	for _, p := range append([]span.Ports{of.Ports}, of.CanSetTo...) {
		if !p.Equal(s.Ports) && p.Len() == s.Ports.Len() {
			s.CanSetTo = append(s.CanSetTo, p)
		}
	}
	s.Open = e.wish(of)
	e.change(s, of, purpose)
	return nil
}

// interfaceOf is the interface whose name tells that a service is on it, else the first; a
// second card is on the last.
func (e *equipping) interfaceOf(of site.KindService) string {
	all := e.device.Interfaces
	if of.Interface == "" || len(all) == 1 {
		return all[0].ID
	}
	word := strings.ToLower(of.Interface)
	for _, n := range all {
		if strings.Contains(strings.ToLower(n.Name), word) {
			return n.ID
		}
	}
	if word == "control" {
		return all[0].ID
	}
	if word == "voice" {
		return all[1].ID
	}
	return all[len(all)-1].ID
}

func (e *equipping) wish(of site.KindService) *site.Open {
	return &site.Open{Port: string(of.Open), From: append([]site.Sender{}, e.wanted.From...)}
}

// change enters a service, and says why it is opened and what of it is dangerous.
func (e *equipping) change(s site.Service, of site.KindService, purpose string) {
	why := fmt.Sprintf("To %s, %s (%s %s) is opened.", asked(purpose), s.Name, s.Ports, words[s.Protocol])
	if purpose == "" {
		why = fmt.Sprintf("%s (%s %s) is opened as asked.", s.Name, s.Ports, words[s.Protocol])
	}
	if of.Open == site.SamePort {
		why += " It carries its port inside the protocol, so it must be the same outside."
	}
	switch of.Risk {
	case site.RiskDanger:
		if len(e.wanted.From) == 0 {
			what := of.What
			if what == "" {
				what = of.Name
			}
			why += fmt.Sprintf(" Dangerous: it opens %s to everybody. Limit who may connect, or reach it through a VPN end.", what)
		}
	case site.RiskPlain:
		why += " It is not encrypted."
	}
	e.out.Changes = append(e.out.Changes, edit.Change{Edit: edit.PutService{ID: e.device.ID, Service: s}, Why: why})
}

// asked turns the name of a purpose into a part of a sentence.
func asked(purpose string) string {
	if i := strings.Index(purpose, ","); i > 0 {
		purpose = purpose[:i]
	}
	for _, verb := range []string{"watch", "manage", "answer", "work", "see", "fetch", "exchange", "play", "be called", "call", "send", "control", "read", "print", "reach", "show", "receive", "use"} {
		if strings.HasPrefix(purpose, verb) {
			return purpose
		}
	}
	return "have " + purpose
}

var words = map[site.Protocol]string{site.TCP: "tcp", site.UDP: "udp", site.Both: "tcp and udp"}

func purposeIDs(k site.Kind) string {
	var ids []string
	for _, p := range k.Purposes {
		ids = append(ids, p.ID)
	}
	if len(ids) == 0 {
		return "it has none, since nothing of it needs to be reached from outside"
	}
	return strings.Join(ids, ", ")
}

func serviceIDs(k site.Kind) string {
	var ids []string
	for _, s := range k.Services {
		ids = append(ids, s.ID)
	}
	return strings.Join(ids, ", ")
}
