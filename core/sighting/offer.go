package sighting

import (
	"fmt"
	"slices"
	"strings"

	"vestpin/core/edit"
	"vestpin/core/site"
)

// The kinds of offers.
const (
	Swapped  = "swapped"  // a device was put in another's place
	Rejoined = "rejoined" // a device that makes up its MAC address came with a new one
	Together = "together" // two entries seem to be one device
)

// Offer is a doubtful thing about which device is which, with the edits that
// would settle it one way and the other. None is taken by itself.
type Offer struct {
	ID      string    `json:"id"`
	Kind    string    `json:"kind" enum:"swapped,rejoined,together"`
	Old     string    `json:"old" doc:"The device that was there before"`
	New     string    `json:"new" doc:"The one that came"`
	Says    string    `json:"says"`
	Reasons []string  `json:"reasons"`
	Does    string    `json:"does"`
	Edits   edit.List `json:"edits"`
	Not     edit.List `json:"not" doc:"What says that it is not so"`
}

// Offers finds what the last visit leaves in doubt.
func Offers(v site.View) []Offer {
	out := []Offer{}
	visit, ok := v.Visit()
	if !ok {
		return out
	}
	here := map[string]bool{}
	for _, n := range visit.Seen {
		here[n.Interface] = true
	}
	var gone, came, there []site.Placed
	for _, p := range v.Interfaces() {
		switch {
		case !here[p.Interface.ID]:
			gone = append(gone, p)
		default:
			there = append(there, p)
			if p.Interface.First >= visit.From && !p.Device.Accepted && bare(p) {
				came = append(came, p)
			}
		}
	}
	for _, n := range came {
		for _, o := range gone {
			if offer, ok := replaces(v, o, n); ok {
				out = append(out, offer)
				break
			}
		}
	}
	return append(out, together(v, there)...)
}

// bare passes what nothing was decided about yet.
func bare(p site.Placed) bool {
	return p.Interface.Pin == nil && len(p.Device.Services) == 0 && p.Device.Place == ""
}

// replaces looks whether a device that came stands in the place of one that is
// gone: at its address, or with its name.
func replaces(v site.View, o, n site.Placed) (Offer, bool) {
	var reasons []string
	switch {
	case o.Interface.MAC == "" || n.Interface.MAC == "" || o.Interface.MAC == n.Interface.MAC:
		return Offer{}, false
	case n.Interface.Seen.IsValid() && o.Interface.Pin != nil && o.Interface.Pin.Address == n.Interface.Seen:
		reasons = append(reasons, fmt.Sprintf("it answers at %s, where %s is pinned", n.Interface.Seen, o.Label()))
	case n.Interface.Seen.IsValid() && o.Interface.Seen == n.Interface.Seen:
		reasons = append(reasons, fmt.Sprintf("it answers at %s, where %s was", n.Interface.Seen, o.Label()))
	}
	name := commonName(o, n)
	if name != "" {
		reasons = append(reasons, fmt.Sprintf("both call themselves “%s”", name))
	}
	random := o.Interface.MAC.Randomised() && n.Interface.MAC.Randomised()
	switch {
	case len(reasons) == 0, random && name == "":
		return Offer{}, false // a lease that went from one visitor to the next
	case !random && o.Interface.MAC.Randomised() != n.Interface.MAC.Randomised() && name == "":
		return Offer{}, false
	}
	if k := Nature(*n.Device).Kind; k != "" && (k == o.Device.Kind || k == Nature(*o.Device).Kind) {
		reasons = append(reasons, "both are of the kind “"+k+"”")
	}
	reasons = append(reasons, fmt.Sprintf("%s has not been seen on this visit", o.Interface.MAC))
	offer := Offer{
		ID: "swap:" + o.Interface.ID + ":" + n.Interface.ID, Kind: Swapped, Old: o.Device.ID, New: n.Device.ID,
		Says: fmt.Sprintf("Was %s swapped for another?", o.Label()), Reasons: reasons,
		Does: fmt.Sprintf("Hand over to %s: pin, services and forwards of %s", n.Interface.MAC, o.Label()), Edits: HandOver(v, o, n), Not: accept(n),
	}
	if random {
		offer.Kind, offer.Says = Rejoined, fmt.Sprintf("Is this %s again, with a new randomised MAC address?", o.Label())
		offer.Does = fmt.Sprintf("Yes, keep it as %s", o.Label())
	}
	return offer, true
}

func accept(p site.Placed) []edit.Edit {
	yes := true
	return []edit.Edit{edit.Describe{ID: p.Device.ID, Accepted: &yes}}
}

// tellingName is the name in a piece of evidence, in lower case, where it tells
// one device from another; "" otherwise.
func tellingName(e site.Evidence) string {
	name := strings.ToLower(Title(e.Host))
	if len(name) < 3 || name == "localhost" || name == "unknown" {
		return ""
	}
	return name
}

// commonName is a host name that both gave, "" if none.
func commonName(a, b site.Placed) string {
	for _, e := range a.Interface.Evidence {
		name := tellingName(e)
		if name != "" && slices.ContainsFunc(b.Interface.Evidence, func(f site.Evidence) bool { return tellingName(f) == name }) {
			return Title(e.Host)
		}
	}
	return ""
}

// HandOver gives the edits that put a device in an old one's place: the old one
// keeps its name, pin, services and forwards, and gets the new one's MAC address
// and evidence; the entry of the new one goes.
func HandOver(v site.View, o, n site.Placed) []edit.Edit {
	took := *o.Interface
	took.MAC, took.Seen = n.Interface.MAC, n.Interface.Seen
	took.Evidence = slices.Concat(o.Interface.Evidence, n.Interface.Evidence)
	took.Evidence = took.Evidence[max(0, len(took.Evidence)-mostEvidence):]
	edits := []edit.Edit{removeEntry(n), edit.PutInterface{ID: o.Device.ID, Interface: took}}
	return append(edits, renamed(v, n.Interface.ID, took)...)
}

// removeEntry takes out an interface, or its device where it is the only one.
func removeEntry(p site.Placed) edit.Edit {
	if len(p.Device.Interfaces) == 1 {
		return edit.RemoveDevice{ID: p.Device.ID}
	}
	return edit.RemoveInterface{ID: p.Interface.ID}
}

// renamed makes the last visit tell of an interface under another id.
func renamed(v site.View, from string, to site.Interface) []edit.Edit {
	visit, _ := v.Visit()
	i := slices.IndexFunc(visit.Seen, func(n site.SeenThen) bool { return n.Interface == from })
	if i < 0 {
		return nil
	}
	visit.Seen = slices.Clone(visit.Seen)
	visit.Seen[i].Interface = to.ID
	return []edit.Edit{edit.PutVisit{Visit: visit}}
}

// together finds entries that seem to be one device with several interfaces, wired
// and wireless say: both there now, by the same name, at two addresses.
func together(v site.View, there []site.Placed) []Offer {
	byName := map[string][]site.Placed{}
	var names []string
	for _, p := range there {
		if p.Interface.MAC == "" || p.Interface.MAC.Randomised() {
			continue
		}
		seen := map[string]bool{}
		for _, e := range p.Interface.Evidence {
			name := tellingName(e)
			if name != "" && !seen[name] {
				seen[name] = true
				if byName[name] == nil {
					names = append(names, name)
				}
				byName[name] = append(byName[name], p)
			}
		}
	}
	var out []Offer
	offered := map[string]bool{}
	for _, name := range names {
		list := byName[name]
		for i := 1; i < len(list); i++ {
			a, b := list[0], list[i]
			if a.Device.ID == b.Device.ID || a.Device.Accepted && b.Device.Accepted || offered[b.Device.ID] {
				continue
			}
			offered[b.Device.ID] = true
			out = append(out, Offer{
				ID: "join:" + a.Device.ID + ":" + b.Device.ID, Kind: Together, Old: a.Device.ID, New: b.Device.ID,
				Says:    fmt.Sprintf("Are %s and %s one device with two interfaces?", a.Label(), b.Interface.MAC),
				Reasons: []string{fmt.Sprintf("both call themselves “%s”", name), fmt.Sprintf("%s at %s, %s at %s", a.Interface.MAC, at(a), b.Interface.MAC, at(b))},
				Does:    fmt.Sprintf("Put them together as %s", a.Label()), Edits: Join(*a.Device, *b.Device), Not: append(accept(a), accept(b)...),
			})
		}
	}
	return out
}

func at(p site.Placed) string {
	if p.Interface.Seen.IsValid() {
		return p.Interface.Seen.String()
	}
	return "no address"
}

// Join gives the edits that make one device of two: the first keeps its name and
// what the user said of it, and gets the interfaces and services of the second.
func Join(a, b site.Device) []edit.Edit {
	a.Interfaces = slices.Concat(a.Interfaces, b.Interfaces)
	a.Services = slices.Concat(a.Services, b.Services)
	for to, from := range map[*string]string{&a.Name: b.Name, &a.Kind: b.Kind, &a.Place: b.Place} {
		if *to == "" {
			*to = from
		}
	}
	return []edit.Edit{edit.RemoveDevice{ID: b.ID, Only: true}, edit.PutDevice{Device: a}}
}

// Split gives the edits that make an interface a device of its own, with the
// services that are on it; nil where it is the only one.
func Split(s site.Site, d site.Device, id string) []edit.Edit {
	i := slices.IndexFunc(d.Interfaces, func(n site.Interface) bool { return n.ID == id })
	if i < 0 || len(d.Interfaces) < 2 {
		return nil
	}
	n := d.Interfaces[i]
	taken := func(id string) bool {
		return slices.ContainsFunc(s.Devices, func(o site.Device) bool { return o.ID == id })
	}
	own := site.Device{ID: site.FreeID("d-"+strings.ReplaceAll(string(n.MAC), ":", ""), taken), Name: n.Name, Interfaces: []site.Interface{n}, Accepted: true}
	if own.Name == "" {
		for _, e := range n.Evidence {
			own.Name = Title(e.Host)
		}
	}
	d.Interfaces = slices.Delete(slices.Clone(d.Interfaces), i, i+1)
	d.Accepted = true
	var stay []site.Service
	for _, sv := range d.Services {
		if sv.Interface == id {
			own.Services = append(own.Services, sv)
		} else {
			stay = append(stay, sv)
		}
	}
	d.Services = stay
	return []edit.Edit{edit.PutDevice{Device: d}, edit.PutDevice{Device: own}}
}

// Difference is what one visit has other than an earlier one.
type Difference struct {
	What      string `json:"what" enum:"new,gone,moved,renamed,swapped,elsewhere"`
	Interface string `json:"interface"`
	Device    string `json:"device,omitempty" doc:"Empty where it has been removed since"`
	Says      string `json:"says"`
}

// Compare tells what changed from visit a to visit b, and where b contradicts
// the plan.
func Compare(v site.View, a, b site.Visit) []Difference {
	out := []Difference{}
	add := func(what, id, format string, args ...any) {
		d := Difference{What: what, Interface: id, Says: fmt.Sprintf(format, args...)}
		if p, ok := v.Interface(id); ok {
			d.Device = p.Device.ID
		}
		out = append(out, d)
	}
	label := func(n site.SeenThen) string {
		if p, ok := v.Interface(n.Interface); ok {
			return p.Label()
		}
		if n.Host != "" {
			return Title(n.Host)
		}
		return string(n.MAC)
	}
	before, after := byInterface(a), byInterface(b)
	var gone []site.SeenThen
	for _, n := range a.Seen {
		if _, still := after[n.Interface]; !still {
			gone = append(gone, n)
		}
	}
	for _, n := range b.Seen {
		o, was := before[n.Interface]
		switch {
		case !was:
			i := slices.IndexFunc(gone, func(o site.SeenThen) bool { return o.Address.IsValid() && o.Address == n.Address && o.MAC != n.MAC })
			if i >= 0 {
				add("swapped", n.Interface, "%s is at %s, where %s was", n.MAC, n.Address, label(gone[i]))
				gone = slices.Delete(gone, i, i+1)
			} else {
				add("new", n.Interface, "%s at %s", label(n), n.Address)
			}
		case o.MAC != n.MAC && o.MAC != "":
			add("swapped", n.Interface, "%s had %s, now %s", label(n), o.MAC, n.MAC)
		case o.Address.IsValid() && n.Address.IsValid() && o.Address != n.Address:
			add("moved", n.Interface, "%s was at %s, now at %s", label(n), o.Address, n.Address)
		}
		if was && o.Host != "" && n.Host != "" && !strings.EqualFold(Title(o.Host), Title(n.Host)) {
			add("renamed", n.Interface, "%s called itself “%s”, now “%s”", label(n), Title(o.Host), Title(n.Host))
		}
		if p, ok := v.Interface(n.Interface); ok && p.Interface.Pin != nil && n.Address.IsValid() && p.Interface.Pin.Address != n.Address {
			add("elsewhere", n.Interface, "%s is pinned at %s, but answers at %s", label(n), p.Interface.Pin.Address, n.Address)
		}
	}
	for _, n := range gone {
		add("gone", n.Interface, "%s was at %s", label(n), n.Address)
	}
	return out
}

func byInterface(v site.Visit) map[string]site.SeenThen {
	out := map[string]site.SeenThen{}
	for _, n := range v.Seen {
		out[n.Interface] = n
	}
	return out
}
