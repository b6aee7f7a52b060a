package form

import (
	"net/netip"

	"vestpin/core/site"
)

// Reservation is one entry of a router's DHCP reservation page.
type Reservation struct {
	Interface string     `json:"interface"`
	Name      string     `json:"name"`
	MAC       site.MAC   `json:"mac"`
	Address   netip.Addr `json:"address"`
}

// Fault is a forward that the router's form cannot express.
type Fault struct {
	Forward site.Forward
	Why     string
}

// MostLines is how many lines of a router are made: more than any page takes.
// Beyond that they are counted.
const MostLines = 10000

// Typed is what is typed into a router: the lines of its enabled forwards in order,
// at most MostLines of them and how many More there are, its reservations, and the
// forwards that its form cannot express.
type Typed struct {
	Lines        []Line
	More         int
	Reservations []Reservation
	Faults       []Fault
}

// All is how many lines there are.
func (t Typed) All() int { return len(t.Lines) + t.More }

// Type gives what is typed into a router.
func Type(v site.View, r site.Router) Typed { return typed(v, r, MostLines) }

// Measure gives how much is typed into a router, without making the lines.
func Measure(v site.View, r site.Router) Typed { return typed(v, r, 0) }

func typed(v site.View, r site.Router, most int) Typed {
	t := Typed{Lines: []Line{}, Reservations: reservations(v, r)}
	page := Of(r.Form)
	for _, f := range v.Forwards {
		if f.Router != r.ID || !f.Enabled {
			continue
		}
		made, count, err := page.lines(f, most-len(t.Lines))
		if err != nil {
			t.Faults = append(t.Faults, Fault{f, err.Error()})
			continue
		}
		if len(made) > 0 {
			address, _ := v.Target(f)
			for _, l := range made {
				l.Address = address
				t.Lines = append(t.Lines, l)
			}
		}
		t.More += count - len(made)
	}
	return t
}

// reservations are those of all networks that a router serves, in the order of the site.
func reservations(v site.View, r site.Router) []Reservation {
	out := []Reservation{}
	serves := map[string]bool{}
	for _, network := range r.Serves() {
		serving, ok := v.RouterOf(network)
		serves[network] = ok && serving.ID == r.ID
	}
	for _, p := range v.Interfaces() {
		if pin := p.Interface.Pin; serves[p.Interface.Network] && pin != nil && pin.Reserved() {
			out = append(out, Reservation{p.Interface.ID, p.Label(), p.Interface.MAC, pin.Address})
		}
	}
	return out
}
