// Package sheet knows what is to be done at a site, in an order that saves
// walking, with the exact values to type.
package sheet

import (
	"fmt"
	"slices"
	"strings"

	"vestpin/core/form"
	"vestpin/core/ipv4"
	"vestpin/core/site"
)

// The states of a step.
const (
	ToDo  = "todo"
	Ready = "done"
	Again = "again" // done once, with values that have changed since
)

// Field is a value to type, and what the form calls it.
type Field = form.Field

// Step is one thing to do. Values is what a tick remembers of it.
type Step struct {
	ID     string     `json:"id"`
	Title  string     `json:"title"`
	Detail string     `json:"detail,omitempty"`
	Fields []Field    `json:"fields"`
	About  []site.Ref `json:"about"`
	State  string     `json:"state" enum:"todo,done,again"`
	At     string     `json:"at,omitempty"`
	Was    string     `json:"was,omitempty"` // the values that were typed before, where they differ
	Values string     `json:"values"`
}

// Group is the steps for one place to stand at.
type Group struct {
	ID    string `json:"id"`
	Title string `json:"title"`
	Where string `json:"where"`
	Note  string `json:"note,omitempty"`
	Steps []Step `json:"steps"`
}

// Steps gives the sheet of a site: what is in the way, reservations, settings on
// devices by place, forwards, then the restart in the right order.
func Steps(v site.View) []Group {
	p := page{v: v, used: map[string]bool{}, forwards: map[string]site.Forward{}, done: map[string]site.Done{}, typed: map[string]form.Typed{}}
	for _, f := range v.Forwards {
		p.forwards[f.ID] = f
	}
	for _, d := range v.Done {
		p.done[d.Step] = d
	}
	for _, r := range v.Routers {
		p.add(p.before(r))
	}
	for _, r := range v.Routers {
		p.add(p.reserve(r))
	}
	for _, g := range p.onDevices() {
		p.add(g)
	}
	for _, r := range v.Routers {
		p.add(p.forward(r))
	}
	p.add(p.dial())
	p.add(p.takeOut())
	if len(p.groups) > 0 {
		p.add(p.restart())
	}
	return p.groups
}

// Count tells how many steps there are and how many of them are done.
func Count(groups []Group) (done, all int) {
	for _, g := range groups {
		for _, s := range g.Steps {
			all++
			if s.State == Ready {
				done++
			}
		}
	}
	return done, all
}

type page struct {
	v      site.View
	groups []Group
	used   map[string]bool // steps that are on the page

	forwards map[string]site.Forward
	done     map[string]site.Done
	typed    map[string]form.Typed
}

// MostSteps is how many lines of a router the sheet lists: a person types a few
// dozen. The rest is counted.
const MostSteps = 1000

func (p *page) lines(r site.Router) form.Typed {
	t, ok := p.typed[r.ID]
	if !ok {
		t = form.Type(p.v, r)
		p.typed[r.ID] = t
	}
	return t
}

func (p *page) add(g Group) {
	if len(g.Steps) > 0 {
		p.groups = append(p.groups, g)
	}
}

// step fills in the state of a step from what was ticked.
func (p *page) step(s Step) Step {
	p.used[s.ID] = true
	s.State = ToDo
	if s.Fields == nil {
		s.Fields = []Field{}
	}
	if s.About == nil {
		s.About = []site.Ref{}
	}
	s.Values = values(s)
	if d, ok := p.done[s.ID]; ok {
		s.State, s.At = Ready, d.At
		if d.Values != s.Values {
			s.State, s.Was = Again, d.Values
		}
	}
	return s
}

func values(s Step) string {
	if len(s.Fields) == 0 {
		return s.Title
	}
	parts := make([]string, len(s.Fields))
	for i, f := range s.Fields {
		parts[i] = f.Label + " " + f.Value
	}
	return strings.Join(parts, ", ")
}

func routerName(r site.Router) string {
	if r.Name == "" {
		return "Router " + r.ID
	}
	return r.Name
}

func (p *page) at(r site.Router) string {
	n, _ := p.v.Network(r.Network)
	if !n.Gateway.IsValid() {
		return routerName(r)
	}
	return routerName(r) + ", " + n.Gateway.String()
}

func (p *page) before(r site.Router) Group {
	title := "Look whether UPnP is on, and turn it off"
	switch r.UPnP {
	case "on":
		title = "Turn UPnP off, so that no device opens ports by itself"
	case "off":
		title = "See that UPnP is off"
	}
	g := Group{ID: "before:" + r.ID, Title: "At the router: clear the way", Where: p.at(r)}
	if p.lines(r).All() > 0 {
		g.Steps = []Step{p.step(Step{ID: "upnp:" + r.ID, Title: title, About: []site.Ref{r.Ref()}})}
	}
	return g
}

func (p *page) reserve(r site.Router) Group {
	reserved := p.lines(r).Reservations
	g := Group{
		ID: "reserve:" + r.ID, Title: "At the router: reserve addresses", Where: p.at(r),
		Note: fmt.Sprintf("%d to enter", len(reserved)),
	}
	fields := form.Of(r.Form).ReservationFields(reserved)
	for i, res := range reserved {
		placed, _ := p.v.Interface(res.Interface)
		g.Steps = append(g.Steps, p.step(Step{
			ID: "reserve:" + res.Interface, Title: res.Name, Detail: placed.Device.Place,
			About:  []site.Ref{placed.Device.Ref(), placed.Interface.Ref()},
			Fields: fields[i],
		}))
	}
	return g
}

// onDevices groups what is set on devices by the place where they are, so that
// each place is walked to once.
func (p *page) onDevices() []Group {
	places := map[string]*Group{}
	var order []string
	for _, placed := range p.v.Interfaces() {
		pin := placed.Interface.Pin
		if pin == nil || !pin.OnDevice() {
			continue
		}
		where := placed.Device.Place
		if places[where] == nil {
			title := "On the devices: set addresses"
			if where != "" {
				title = "In the " + where + ": set addresses on the devices"
			}
			places[where] = &Group{ID: "devices:" + where, Title: title, Where: where}
			order = append(order, where)
		}
		n, _ := p.v.Network(placed.Interface.Network)
		fields := []Field{{Label: "Address", Value: pin.Address.String()}, {Label: "Mask", Value: ipv4.Mask(n.Subnet.Bits()).String()}}
		if n.Gateway.IsValid() {
			fields = append(fields, Field{Label: "Gateway", Value: n.Gateway.String()})
		}
		for i, dns := range n.DNS {
			label := "DNS"
			if i > 0 {
				label = fmt.Sprintf("DNS %d", i+1)
			}
			fields = append(fields, Field{Label: label, Value: dns.String()})
		}
		g := places[where]
		g.Steps = append(g.Steps, p.step(Step{
			ID: "device:" + placed.Interface.ID, Title: placed.Label(), Detail: "set the address by hand",
			About: []site.Ref{placed.Device.Ref(), placed.Interface.Ref()}, Fields: fields,
		}))
	}
	slices.Sort(order)
	out := make([]Group, len(order))
	for i, where := range order {
		out[i] = *places[where]
	}
	return out
}

func (p *page) forward(r site.Router) Group {
	typed := p.lines(r)
	lines := typed.Lines[:min(len(typed.Lines), MostSteps)]
	g := Group{ID: "forward:" + r.ID, Title: "At the router: forward ports", Where: p.at(r), Note: p.lineNote(r, typed.All())}
	if len(typed.Faults) > 0 {
		g.Note += fmt.Sprintf("; %d cannot be entered here, see the snags", len(typed.Faults))
	}
	if more := typed.All() - len(lines); more > 0 {
		g.Note += fmt.Sprintf("; the first %d are listed, and %d more are not", len(lines), more)
	}
	fields := form.Of(r.Form).LineFields(p.v, lines)
	nth := map[string]int{}
	for i, l := range lines {
		f := p.forwards[l.Forward]
		nth[f.ID]++
		about := []site.Ref{f.Ref()}
		if _, placed := p.v.Target(f); placed != nil {
			about = append(about, placed.Device.Ref())
		}
		name := f.Name
		if name == "" {
			name = "Port " + f.Outside.String()
		}
		g.Steps = append(g.Steps, p.step(Step{
			ID: fmt.Sprintf("line:%s:%d", f.ID, nth[f.ID]), Title: name,
			Detail: fmt.Sprintf("entry %d of %d", i+1, typed.All()), About: about, Fields: fields[i],
		}))
	}
	if address, placed := p.v.TargetOf(r.ID, r.ExposedHost); r.ExposedHost != "" {
		about := []site.Ref{r.Ref()}
		if placed != nil {
			about = append(about, placed.Device.Ref())
		}
		value := "no fixed address yet"
		if address.IsValid() {
			value = address.String()
		}
		g.Steps = append(g.Steps, p.step(Step{
			ID: "exposed:" + r.ID, Title: "Send all other ports to one device (exposed host)", Detail: "often on a page of its own",
			About: about, Fields: []Field{{Label: "Exposed host", Value: value}},
		}))
	}
	return g
}

func (p *page) lineNote(r site.Router, lines int) string {
	forwards := 0
	for _, f := range p.v.Forwards {
		if f.Router == r.ID && f.Enabled {
			forwards++
		}
	}
	note := fmt.Sprintf("%d forwards", forwards)
	if forwards == 1 {
		note = "1 forward"
	}
	if lines > forwards {
		note += fmt.Sprintf(", %d entries as this router's form takes them", lines)
	}
	return note
}

// dial lists what devices are told to call at other sites.
func (p *page) dial() Group {
	g := Group{ID: "dial", Title: "On the devices: what they call at other sites", Where: "at each device"}
	for _, l := range p.v.Links {
		placed, ok := p.v.Interface(l.Interface)
		if l.End != site.Calls || l.Far.Dial == "" || !ok {
			continue
		}
		var fields []Field
		for _, one := range strings.Fields(l.Far.Dial) {
			host, port, found := strings.Cut(one, ":")
			fields = append(fields, Field{Label: "Host", Value: host})
			if found {
				fields = append(fields, Field{Label: "Port", Value: port})
			}
		}
		far := l.Far.Name
		if far == "" {
			far = "the other site"
		}
		g.Steps = append(g.Steps, p.step(Step{
			ID: "dial:" + l.ID, Title: placed.Label() + " calls " + far, Detail: placed.Device.Place,
			About: []site.Ref{placed.Device.Ref(), placed.Interface.Ref()}, Fields: fields,
		}))
	}
	return g
}

// takeOut lists what was entered once and is no longer planned.
func (p *page) takeOut() Group {
	g := Group{ID: "out", Title: "Take out what is no longer planned", Where: "where it was entered"}
	for _, d := range p.v.Done {
		kind, _, _ := strings.Cut(d.Step, ":")
		if p.used[d.Step] || !slices.Contains([]string{"reserve", "line", "device", "dial", "exposed"}, kind) {
			continue
		}
		title := map[string]string{
			"reserve": "Remove a reservation", "line": "Remove a forward", "device": "Set a device back to DHCP", "dial": "Let a device call another site no more",
			"exposed": "Expose no device any more",
		}[kind]
		g.Steps = append(g.Steps, Step{
			ID: d.Step, Title: title, Detail: d.Values, Fields: []Field{}, About: []site.Ref{}, State: ToDo, Was: d.Values, Values: "",
		})
	}
	return g
}

func (p *page) restart() Group {
	g := Group{ID: "restart", Title: "Restart in the right order", Where: "everywhere"}
	g.Steps = append(g.Steps,
		p.step(Step{ID: "restart:router", Title: "Save, then switch the router off and on, and wait for its page"}),
		p.step(Step{ID: "restart:devices", Title: "Then the devices, one after the other: each must come back at its address"}),
	)
	return g
}
