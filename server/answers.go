package server

import (
	"strings"
	"time"

	"vestpin/core/addressing"
	"vestpin/core/diagnosis"
	"vestpin/core/form"
	"vestpin/core/next"
	"vestpin/core/reach"
	"vestpin/core/sheet"
	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/core/snag"
	"vestpin/core/span"
	"vestpin/maker"
	"vestpin/store"
	"vestpin/wire"
	"vestpin/write"
)

// Summary is a site in the list of sites.
type Summary struct {
	ID      string    `json:"id"`
	Name    string    `json:"name"`
	Subnet  string    `json:"subnet"`
	Devices int       `json:"devices"`
	NeedPin int       `json:"needPin" doc:"Interfaces that want a pin and have none"`
	Stops   int       `json:"stops"`
	Bites   int       `json:"bites"`
	Notes   int       `json:"notes"`
	Changed time.Time `json:"changed"`
	Visit   string    `json:"visit,omitempty" doc:"When the last visit began, RFC 3339"`
	Damaged string    `json:"damaged,omitempty" doc:"Why the site cannot be shown; it can be saved as it stands and removed"`
	Notice  string    `json:"notice,omitempty" doc:"What the program has to tell of the site's data"`
}

// RouterState is what the plan takes of a router's form.
type RouterState struct {
	ID           string `json:"id"`
	LinesUsed    int    `json:"linesUsed"`
	Reservations int    `json:"reservations"`
}

// Target is where a forward leads.
type Target struct {
	Forward   string `json:"forward"`
	Address   string `json:"address" doc:"Empty where the interface is loose"`
	Interface string `json:"interface,omitempty"`
	Service   string `json:"service,omitempty" doc:"The service that it leads to"`
	Clash     bool   `json:"clash,omitempty" doc:"Its outside port is wanted by another as well"`
	Outer     string `json:"outer,omitempty" doc:"The forward on the router in front that leads here"`
}

// Left is what there is and what is left to do, station by station.
type Left struct {
	Unnamed int `json:"unnamed" doc:"Devices without a name"`
	Pinned  int `json:"pinned"`
	Want    int `json:"want" doc:"Interfaces that are pinned or are to be"`
	Opened  int `json:"opened" doc:"Services to be opened that something leads to"`
	Open    int `json:"open" doc:"Services to be opened"`
	Clashes int `json:"clashes" doc:"Outside ports that are wanted twice"`
	Steps   int `json:"steps"`
	Done    int `json:"done" doc:"Steps of the sheet that are done"`
	Again   int `json:"again" doc:"Steps whose values changed after they were done"`
	Tried   int `json:"tried" doc:"Services to be opened of which it is known whether they work"`
	Works   int `json:"works" doc:"Those of them that work"`
}

// Answer is a site with all that is worked out from it.
type Answer struct {
	ID      string             `json:"id"`
	Version int                `json:"version"`
	Site    site.Site          `json:"site"`
	Snags   []snag.Snag        `json:"snags"`
	Sheet   []sheet.Group      `json:"sheet"`
	Groups  []snag.KindGroup   `json:"groups" doc:"The snags by kind, the heaviest first"`
	Routers []RouterState      `json:"routers" doc:"From the provider inwards"`
	Leases  []addressing.Lease `json:"leases" doc:"How full the DHCP ranges of each network are"`
	Held    []HeldState        `json:"held" doc:"What routers really hold, against the plan"`
	Next    next.Work          `json:"next" doc:"What comes next, in one line"`
	Left    Left               `json:"left"`
	NeedPin []string           `json:"needPin" doc:"Interfaces that want a pin and have none"`
	Ways    []Way              `json:"ways" doc:"How each interface would be pinned"`
	Targets []Target           `json:"targets"`
	// Randomised are the interfaces whose MAC address is randomised by the device.
	Randomised []string `json:"randomised"`
	// Makers are who made the interfaces' devices, as far as that is known.
	Makers      []MakerOf             `json:"makers"`
	Guesses     []GuessOf             `json:"guesses" doc:"What kind devices seem to be, and why"`
	Answers     []AnswersOn           `json:"answersOn" doc:"The ports at which interfaces answered"`
	Offers      []sighting.Offer      `json:"offers"`
	Differences []sighting.Difference `json:"differences" doc:"What the last visit has other than the one before"`
	Unmet       []string              `json:"unmet" doc:"Services to be opened that nothing leads to yet"`
	Files       []File                `json:"files"`
	Undo        string                `json:"undo" doc:"What undo would take back; empty for nothing"`
	UndoEntry   int                   `json:"undoEntry" doc:"The entry of the journal that this would be; of the last edit, right after it"`
	Redo        string                `json:"redo"`
	RedoEntry   int                   `json:"redoEntry"`
	Notice      string                `json:"notice,omitempty"`
}

// MakerOf is who made the device of an interface.
type MakerOf struct {
	Interface string `json:"interface"`
	Name      string `json:"name"`
	Own       bool   `json:"own" doc:"From the user's own list"`
}

// AnswersOn is a port at which an interface answered. Service is the one that is
// entered for it, empty for none.
type AnswersOn struct {
	Interface string `json:"interface"`
	Port      string `json:"port"`
	Protocol  string `json:"protocol" enum:"tcp,udp"`
	Name      string `json:"name" doc:"What mostly answers there"`
	Service   string `json:"service,omitempty"`
}

// GuessOf is what a device seems to be.
type GuessOf struct {
	Device string `json:"device"`
	sighting.Guess
}

// Way is how an interface would be pinned if nobody says otherwise.
type Way struct {
	Interface string `json:"interface"`
	By        string `json:"by" enum:"reservation,device"`
}

// File is a file for another program that the site can be written as.
type File struct {
	Name     string `json:"name"`
	FileName string `json:"fileName"`
	For      string `json:"for"`
	OfRouter bool   `json:"ofRouter" doc:"It is of one router"`
}

func answer(st store.Stored, makers *maker.Registry) Answer {
	v := site.NewView(st.Site)
	a := Answer{
		ID: st.ID, Version: st.Version, Site: st.Site, Snags: snag.OneACause(v, snag.Check(v)), Sheet: sheet.Steps(v),
		Routers: []RouterState{}, NeedPin: needPin(v), Ways: []Way{}, Targets: []Target{}, Randomised: []string{}, Unmet: []string{}, Undo: st.Undo, UndoEntry: st.UndoSeq, Redo: st.Redo, RedoEntry: st.RedoSeq, Notice: st.Notice,
	}
	if a.Sheet == nil {
		a.Sheet = []sheet.Group{}
	}
	reaches := reach.Of(v)
	a.Held = heldStates(v, reaches)
	a.Groups, a.Leases = snag.Groups(a.Snags), addressing.Leases(v)
	for _, r := range reach.Inwards(v) {
		typed := form.Type(v, r)
		a.Routers = append(a.Routers, RouterState{r.ID, typed.All(), len(typed.Reservations)})
	}
	clashing := map[site.Ref]bool{}
	for _, s := range a.Snags {
		if s.Code == "outside-clash" || s.Code == "outside-is-routers-own" {
			for _, ref := range s.About {
				clashing[ref] = true
			}
		}
	}
	outer := partnersOf(v, reaches)
	for _, f := range v.Forwards {
		address, placed := v.Target(f)
		t := Target{Forward: f.ID, Clash: clashing[f.Ref()], Outer: outer(f)}
		if address.IsValid() {
			t.Address = address.String()
		}
		if placed != nil {
			t.Interface = placed.Interface.ID
			t.Service = reach.Lands(f, *placed)
		}
		a.Targets = append(a.Targets, t)
	}
	for _, p := range v.Interfaces() {
		a.Ways = append(a.Ways, Way{p.Interface.ID, string(addressing.Way(v, *p.Interface))})
		if p.Interface.MAC.Randomised() {
			a.Randomised = append(a.Randomised, p.Interface.ID)
		}
	}
	a.believe(v, makers)
	for _, w := range v.Wishes() {
		if !reaches.Met(w) {
			a.Unmet = append(a.Unmet, w.Service.ID)
		}
	}
	a.count(v)
	for _, t := range write.Targets {
		a.Files = append(a.Files, File{t.Name, t.FileName, t.For, t.OfRouter()})
	}
	return a
}

// partnersOf finds, for a forward on a router that stands behind another, the forward there
// that leads to its first port.
func partnersOf(v site.View, m *reach.Map) func(f site.Forward) string {
	type port struct {
		router string
		proto  site.Protocol
		number uint32
	}
	single, wide := map[port]string{}, map[string][]reach.Span{}
	for _, r := range v.Routers {
		if r.Upstream == "" || !r.WAN.Address.IsValid() {
			continue
		}
		for _, s := range m.To(r.Upstream, reach.Behind(r)) {
			if s.Ports.Len() == 1 {
				single[port{r.ID, s.Protocol, s.Inside}] = s.Forward
			} else {
				wide[r.ID] = append(wide[r.ID], s)
			}
		}
	}
	return func(f site.Forward) string {
		first := f.Outside.At(0)
		for _, proto := range f.Protocol.Each() {
			if id, ok := single[port{f.Router, proto, first}]; ok && f.Enabled {
				return id
			}
			for _, s := range wide[f.Router] {
				if f.Enabled && s.Protocol == proto && s.Inside <= first && first < s.Inside+uint32(s.Ports.Len()) {
					return s.Forward
				}
			}
		}
		return ""
	}
}

// count says what is left to do.
func (a *Answer) count(v site.View) {
	l := &a.Left
	for _, d := range v.Devices {
		if d.Name == "" {
			l.Unnamed++
		}
	}
	for _, p := range v.Interfaces() {
		if p.Interface.Pin != nil {
			l.Pinned++
		}
	}
	l.Want = l.Pinned + len(a.NeedPin)
	l.Open = len(v.Wishes())
	l.Opened = l.Open - len(a.Unmet)
	for _, s := range a.Snags {
		if s.Code == "outside-clash" {
			l.Clashes++
		}
	}
	if p, ok := v.Proof(); ok {
		l.Tried, l.Works = diagnosis.Count(v, p)
	}
	l.Done, l.Steps = sheet.Count(a.Sheet)
	services := 0
	for _, d := range v.Devices {
		services += len(d.Services)
	}
	a.Next = next.Of(next.Counts{Networks: len(v.Networks), Devices: len(v.Devices), Unnamed: l.Unnamed, Services: services, Want: l.Want, Pinned: l.Pinned,
		Open: l.Open, Opened: l.Opened, Steps: l.Steps, Done: l.Done, Tried: l.Tried, Works: l.Works})
	for _, g := range a.Sheet {
		for _, s := range g.Steps {
			if s.State == "again" {
				l.Again++
			}
		}
	}
}

// believe puts in what the evidence tells of devices and visits.
func (a *Answer) believe(v site.View, makers *maker.Registry) {
	a.Makers, a.Guesses, a.Differences = []MakerOf{}, []GuessOf{}, []sighting.Difference{}
	for _, p := range v.Interfaces() {
		id, mac := p.Interface.ID, p.Interface.MAC
		if name := maker.Own(v.Site.Makers, mac); name != "" {
			a.Makers = append(a.Makers, MakerOf{id, name, true})
		} else if name := makers.Find(mac); name != "" {
			a.Makers = append(a.Makers, MakerOf{id, name, false})
		}
	}
	for _, d := range v.Devices {
		if g := sighting.Nature(d); g.Kind != "" {
			a.Guesses = append(a.Guesses, GuessOf{d.ID, g})
		}
	}
	a.Offers, a.Answers = sighting.Offers(v), answersOn(v)
	if n := len(v.Visits); n > 1 {
		a.Differences = sighting.Compare(v, v.Visits[n-2], v.Visits[n-1])
	}
}

func answersOn(v site.View) []AnswersOn {
	out := []AnswersOn{}
	for _, p := range v.Interfaces() {
		seen := map[string]bool{}
		for _, e := range p.Interface.Evidence {
			for _, t := range e.Traits {
				port, protocol, ok := strings.Cut(t.Value, "/")
				if t.Name != site.TraitPort || !ok || seen[t.Value] {
					continue
				}
				seen[t.Value] = true
				out = append(out, AnswersOn{p.Interface.ID, port, protocol, wire.NameOf(port), serviceAt(p, port, protocol)})
			}
		}
	}
	return out
}

// serviceAt is the id of the service that is entered for a port.
func serviceAt(p site.Placed, port, protocol string) string {
	n, err := span.ParsePorts(port)
	if err != nil {
		return ""
	}
	for _, s := range p.Device.Services {
		if s.Interface == p.Interface.ID && s.Protocol.Covers(site.Protocol(protocol)) && s.Ports.Set().Overlap(n.Set()).Len() > 0 {
			return s.ID
		}
	}
	return ""
}

func needPin(v site.View) []string {
	out := []string{}
	for _, p := range v.Interfaces() {
		if p.Interface.Pin == nil && v.WantsPin(p) {
			out = append(out, p.Interface.ID)
		}
	}
	return out
}

func summary(st store.Stored) Summary {
	v := site.NewView(st.Site)
	s := Summary{ID: st.ID, Name: st.Site.Name, Devices: len(st.Site.Devices), NeedPin: len(needPin(v)), Changed: st.Changed, Notice: st.Notice}
	if n := len(st.Site.Visits); n > 0 {
		s.Visit = st.Site.Visits[n-1].From
	}
	if len(st.Site.Networks) > 0 {
		s.Subnet = st.Site.Networks[0].Subnet.String()
	}
	for _, sn := range snag.OneACause(v, snag.Check(v)) {
		switch sn.Weight {
		case snag.Stops:
			s.Stops++
		case snag.Bites:
			s.Bites++
		default:
			s.Notes++
		}
	}
	return s
}

// Taken is an address that an interface cannot have, and why.
type Taken struct {
	Address string `json:"address"`
	Why     string `json:"why"`
}

// largestRoom is the largest subnet whose addresses are listed one by one.
const largestRoom = 1024

// room lists the addresses of its network that an interface cannot be pinned at.
func room(v site.View, p site.Placed, by site.PinBy) []Taken {
	out := []Taken{}
	n, _ := v.Network(p.Interface.Network)
	if 1<<(32-n.Subnet.Bits()) > largestRoom {
		return out
	}
	for a := n.Subnet.Masked().Addr(); n.Subnet.Contains(a); a = a.Next() {
		if why := addressing.Free(v, p, a, by); why != "" {
			out = append(out, Taken{a.String(), why})
		}
	}
	return out
}
