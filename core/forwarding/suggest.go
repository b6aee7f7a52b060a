package forwarding

import (
	"fmt"
	"slices"
	"strings"

	"vestpin/core/site"
	"vestpin/core/span"
)

// Unmet is a wish that cannot be met: a smallest set of services that cannot
// all be opened together, and why.
type Unmet struct {
	Services []string `json:"services"`
	Says     string   `json:"says"`
}

// Plan is what Suggest found.
type Plan struct {
	Changes []site.Change
	Unmet   []Unmet
	Proven  bool // false where the search for the best was cut off
}

// Suggest gives the forwards that meet the wishes of a site. It keeps, in this
// order: locked forwards and those made by hand stay; no clashes, no port of a
// router's own, only pinned interfaces, only what the form takes; as many wishes
// as possible by rank; few services set to another port on their device; few
// existing forwards changed; preferred or equal ports; few lines.
func Suggest(v site.View) Plan {
	p := newPlanner(v)
	chosen, proven := p.search(p.wishes, false)
	plan := Plan{Proven: proven}
	placed := p.place(chosen)
	for i, w := range p.wishes {
		if chosen[i] == nil || placed[i] == nil {
			plan.Unmet = append(plan.Unmet, p.unmet(w, chosen))
			plan.Proven = plan.Proven && chosen[i] == nil
		}
	}
	plan.Changes = p.changes(chosen, placed)
	return plan
}

// Edits gives the edits that take the whole plan.
func (p Plan) Edits() []site.Edit {
	out := make([]site.Edit, len(p.Changes))
	for i, c := range p.Changes {
		out[i] = c.Edit
	}
	return out
}

// wish is a service to be opened, with all the ways to do so.
type wish struct {
	site.Wish
	ways     []way
	existing []site.Forward // made for it earlier and free to change
	refusal  string         // why there is no way at all
}

// way is one manner of meeting a wish.
type way struct {
	setTo     span.Ports // the port to set on the device, absent to leave it
	keep      bool       // with the forwards it has
	legs      []leg      // from the router next to the device to the outermost
	preferred bool
}

// leg is the part of a way on one router. Where loose is not 0 the outside ports
// are found later; legs with the same number get the same ports.
type leg struct {
	router          *site.Router
	forward         site.Forward
	outside, inside int // numbers of ports found later, 0 for those in forward
	lines           int
}

type planner struct {
	v      site.View
	fixed  []site.Forward // what stays on the routers whatever is planned
	wishes []*wish
	room   map[string]int // lines left by router; absent where there is no limit
}

func newPlanner(v site.View) *planner {
	p := withoutWishes(v)
	open := v.Wishes()
	slices.SortStableFunc(open, func(a, b site.Wish) int { return a.Device.Importance() - b.Device.Importance() })
	for _, w := range open {
		p.wishes = append(p.wishes, p.wish(w))
	}
	return p
}

// withoutWishes knows what stays whatever is planned, and nothing to plan yet.
func withoutWishes(v site.View) *planner {
	p := &planner{v: v, room: map[string]int{}}
	for _, f := range v.Forwards {
		if f.Enabled && (f.Locked || f.Service == "") {
			p.fixed = append(p.fixed, f)
		}
	}
	for _, r := range v.Routers {
		if r.Form.Lines > 0 {
			p.room[r.ID] = r.Form.Lines - p.linesOf(r)
		}
	}
	return p
}

// wish is a wish with its forwards and the ways to meet it.
func (p *planner) wish(w site.Wish) *wish {
	next := &wish{Wish: w}
	for _, f := range p.v.Forwards {
		if f.Enabled && !f.Locked && f.Service == w.Service.ID {
			next.existing = append(next.existing, f)
		}
	}
	next.ways, next.refusal = p.waysOf(next)
	return next
}

func (p *planner) linesOf(r site.Router) int {
	n := 0
	for _, f := range p.fixed {
		if f.Router == r.ID {
			lines, _ := Count(r.Form, f)
			n += lines
		}
	}
	return n
}

// route gives the routers from the one next to the interface to the one where
// the service is to be reached from.
func (p *planner) route(w site.Wish) ([]*site.Router, string) {
	why := fmt.Sprintf("no router is known on the network of %s", w.Device.Label())
	for i := range p.v.Routers {
		r := &p.v.Routers[i]
		if r.Network != w.Interface.Network {
			continue
		}
		out := []*site.Router{r}
		for r.ID != w.Service.Open.Router && r.Upstream != "" {
			next, _ := p.v.Router(r.Upstream)
			if !r.WAN.Address.IsValid() {
				return nil, fmt.Sprintf("the address of %s on the outer router's network is not known", routerLabel(*r))
			}
			if between, ok := p.v.Network(next.Network); ok && !between.Subnet.Contains(r.WAN.Address) {
				return nil, fmt.Sprintf("the outside address %s of %s is not on the network of %s", r.WAN.Address, routerLabel(*r), routerLabel(next))
			}
			r = &next
			out = append(out, r)
		}
		if w.Service.Open.Router == "" || r.ID == w.Service.Open.Router {
			return out, ""
		}
		why = "the router it is to be reached from is not on the way out"
	}
	return nil, why
}

func routerLabel(r site.Router) string {
	if r.Name == "" {
		return "router " + r.ID
	}
	return r.Name
}

// waysOf lists the manners of meeting a wish, the best first.
func (p *planner) waysOf(w *wish) ([]way, string) {
	if w.Interface.Pin == nil {
		return nil, fmt.Sprintf("%s has no pin, so a forward to it would go astray", w.Device.Label())
	}
	if n, ok := p.v.Network(w.Interface.Network); ok && !n.Subnet.Contains(w.Interface.Pin.Address) {
		return nil, fmt.Sprintf("%s is pinned at %s, which is not in %s", w.Device.Label(), w.Interface.Pin.Address, n.Subnet)
	}
	routers, why := p.route(w.Wish)
	if why != "" {
		return nil, why
	}
	var ways []way
	if kept, ok := p.kept(w, routers); ok {
		ways = append(ways, kept)
		if len(kept.legs) == 0 {
			return ways, "" // forwards that stay meet it: nothing more is to be opened
		}
	}
	refusal := ""
	add := func(wy way, why string) {
		if why != "" {
			if refusal == "" {
				refusal = why
			}
			return
		}
		ways = append(ways, wy)
	}
	settings := append([]span.Ports{w.Service.Ports}, w.Service.CanSetTo...)
	for i, setting := range settings {
		setTo := setting
		if i == 0 {
			setTo = span.Ports{}
		} else if setting.Equal(w.Service.Ports) {
			continue
		}
		for _, o := range outsideChoices(*w.Service.Open, setting) {
			for _, plan := range numberings(len(routers), o) {
				legs, why := p.legs(w, routers, setting, plan)
				add(way{setTo: setTo, legs: legs, preferred: o.preferred}, why)
			}
		}
	}
	if len(ways) == 0 && refusal == "" {
		refusal = "no port fits"
	}
	return ways, refusal
}

// choice is an outside port that would do; absent ports stand for any free ones.
type choice struct {
	ports     span.Ports
	preferred bool
}

func outsideChoices(open site.Open, setting span.Ports) []choice {
	if exact, ok := open.Exact(); ok {
		return []choice{{exact, true}}
	}
	if open.Port == site.SamePort {
		return []choice{{setting, true}}
	}
	out := []choice{}
	if !open.Prefer.IsZero() {
		out = append(out, choice{open.Prefer, true})
	}
	return append(out, choice{setting, open.Prefer.IsZero()}, choice{})
}

// numbering tells for each router, from the inner to the outer, which outside
// ports it uses: those of the device (0), those chosen (-1), or ones to be found
// later, by number.
type numbering struct {
	choice
	at []int
}

// numberings gives the places at which a way through some routers can renumber:
// at the outermost, at the innermost, or anywhere between by ports of its own.
func numberings(routers int, c choice) []numbering {
	last := -1
	if c.ports.IsZero() {
		last = 1
	}
	fill := func(inner int) numbering {
		n := numbering{c, make([]int, routers)}
		for i := range n.at {
			n.at[i] = inner
		}
		n.at[routers-1] = last
		return n
	}
	out := []numbering{fill(0)}
	if routers > 1 {
		out = append(out, fill(last), fill(2))
	}
	return out
}

func (p *planner) legs(w *wish, routers []*site.Router, setting span.Ports, plan numbering) ([]leg, string) {
	var out []leg
	before, beforeLoose := setting, 0
	to := w.Interface.ID
	for i, r := range routers {
		f := site.Forward{
			Name: w.Label(), Router: r.ID, Enabled: true, Protocol: w.Service.Protocol,
			Outside: setting, To: to, Inside: before, From: w.Service.Open.From, Service: w.Service.ID,
		}
		l := leg{router: r, inside: beforeLoose}
		switch at := plan.at[i]; {
		case at < 0:
			f.Outside = plan.ports
		case at > 0:
			l.outside = at
			f.Outside = apart(before, setting.Len())
		}
		if l.inside > 0 && l.inside == l.outside {
			f.Inside = f.Outside
		}
		lines, err := Count(r.Form, f)
		if err != nil {
			return nil, fmt.Sprintf("%s cannot take it: %s", routerLabel(*r), err)
		}
		if own, taken := OwnPort(*r, f); taken && l.outside == 0 {
			return nil, fmt.Sprintf("%s answers on %s itself", routerLabel(*r), own.Ports)
		}
		l.forward, l.lines = f, lines
		out = append(out, l)
		before, beforeLoose = f.Outside, l.outside
		to = r.WAN.Address.String()
	}
	return out, ""
}

// apart stands for ports that are found later: as many, and other ones.
func apart(p span.Ports, n int) span.Ports {
	lo := uint32(1)
	if p.At(0) < 30000 {
		lo = uint32(65536 - n)
	}
	if n == 1 {
		return span.Port(int(lo))
	}
	return span.PortList(span.Run{Lo: lo, Hi: lo + uint32(n) - 1})
}

// kept is the way of leaving everything as it is, where the wish is met already.
func (p *planner) kept(w *wish, routers []*site.Router) (way, bool) {
	to := w.Interface.ID
	inside := w.Service.Ports
	out := way{keep: true}
	for i, r := range routers {
		f, ok := p.meeting(w, r, to, inside, i == len(routers)-1)
		if !ok {
			return way{}, false
		}
		if !f.Locked && f.Service != "" {
			lines, err := Count(r.Form, f)
			if err != nil {
				return way{}, false
			}
			out.legs = append(out.legs, leg{router: r, forward: f, lines: lines})
		}
		inside = f.Outside
		to = r.WAN.Address.String()
	}
	want := w.Service.Open.Prefer
	if want.IsZero() {
		want = w.Service.Ports
	}
	out.preferred = w.Service.Open.Port != site.AnyPort || inside.Equal(want)
	return out, true
}

// meeting finds a forward of a router that leads to the ports as the wish wants.
func (p *planner) meeting(w *wish, r *site.Router, to string, inside span.Ports, outermost bool) (site.Forward, bool) {
	for _, f := range p.v.ForwardsTo(r.ID, to) {
		if !f.Enabled || f.Protocol != w.Service.Protocol || !f.InsidePorts().Equal(inside) {
			continue
		}
		if f.Service != "" && f.Service != w.Service.ID || !sameSenders(f.From, w.Service.Open.From) {
			continue
		}
		if _, own := OwnPort(*r, f); own {
			continue
		}
		if !outermost {
			return f, true
		}
		exact, named := w.Service.Open.Exact()
		switch {
		case named && !f.Outside.Equal(exact):
		case w.Service.Open.Port == site.SamePort && !f.Outside.Equal(w.Service.Ports):
		default:
			return f, true
		}
	}
	return site.Forward{}, false
}

func sameSenders(a, b []site.Sender) bool {
	if len(a) != len(b) {
		return false
	}
	for _, s := range a {
		if !slices.Contains(b, s) {
			return false
		}
	}
	return true
}

// changes are the edits that make the chosen ways real, and those that shut what
// nobody asks for any more.
func (p *planner) changes(chosen []*way, placed [][]site.Forward) []site.Change {
	var out []site.Change
	wanted := map[string]bool{}
	for _, w := range p.wishes {
		wanted[w.Service.ID] = true
	}
	for _, f := range p.v.Forwards {
		if f.Enabled && !f.Locked && f.Service != "" && !wanted[f.Service] {
			out = append(out, drop(f, fmt.Sprintf("Nobody asks for %s to be open any more.", f.Outside)))
		}
	}
	return append(out, p.changesOfWishes(chosen, placed)...)
}

func drop(f site.Forward, why string) site.Change {
	return site.Change{Edit: site.RemoveForward{ID: f.ID}, Why: why}
}

func (p *planner) changesOfWishes(chosen []*way, placed [][]site.Forward) []site.Change {
	var out []site.Change
	ids := map[string]bool{}
	for _, f := range p.v.Forwards {
		ids[f.ID] = true
	}
	for i, w := range p.wishes {
		wy := chosen[i]
		if wy == nil || placed[i] == nil {
			for _, f := range w.existing {
				out = append(out, drop(f, w.Label()+" cannot be opened together with more important wishes."))
			}
			continue
		}
		if wy.keep {
			continue
		}
		if !wy.setTo.IsZero() {
			out = append(out, site.Change{
				Edit: setPort(w.Wish, wy.setTo),
				Why:  fmt.Sprintf("Set %s to %s on the device itself: %s is not to be had outside.", w.Label(), wy.setTo, w.Service.Ports),
			})
		}
		spare := slices.Clone(w.existing)
		for _, f := range placed[i] {
			if k := slices.IndexFunc(spare, func(o site.Forward) bool { return o.Router == f.Router }); k >= 0 {
				f.ID, f.Name = spare[k].ID, spare[k].Name
				spare = slices.Delete(spare, k, k+1)
			} else {
				f.ID = site.FreeID("to-"+w.Service.ID, func(id string) bool { return ids[id] })
				ids[f.ID] = true
			}
			out = append(out, site.Change{Edit: site.PutForward{Forward: f}, Why: p.at(f, len(placed[i])) + why(w, f)})
		}
		for _, f := range spare {
			out = append(out, drop(f, "Another forward takes its place."))
		}
	}
	return out
}

// at names the router of a change where there are several in a row.
func (p *planner) at(f site.Forward, legs int) string {
	if legs < 2 {
		return ""
	}
	r, _ := p.v.Router(f.Router)
	return "At " + routerLabel(r) + ": "
}

func setPort(w site.Wish, ports span.Ports) site.Edit {
	s := *w.Service
	s.CanSetTo = append([]span.Ports{s.Ports}, slices.DeleteFunc(slices.Clone(s.CanSetTo), ports.Equal)...)
	s.Ports = ports
	return site.PutService{ID: w.Device.ID, Service: s}
}

func why(w *wish, f site.Forward) string {
	open := *w.Service.Open
	exact, named := open.Exact()
	switch {
	case named && f.Outside.Equal(exact):
		return fmt.Sprintf("%s is wanted at exactly %s.", w.Label(), exact)
	case !open.Prefer.IsZero() && f.Outside.Equal(open.Prefer):
		return fmt.Sprintf("%s gets the port it prefers.", w.Label())
	case f.Outside.Equal(f.InsidePorts()):
		return fmt.Sprintf("%s: the same port outside as on the device.", w.Label())
	}
	return fmt.Sprintf("%s is reached at %s, since %s is taken outside.", w.Label(), f.Outside, w.Service.Ports)
}

// unmet explains a wish that was left out by a set of services of which none
// can be spared from the trouble.
func (p *planner) unmet(w *wish, chosen []*way) Unmet {
	if w.refusal != "" && len(w.ways) == 0 {
		return Unmet{[]string{w.Service.ID}, fmt.Sprintf("%s stays shut: %s.", w.Label(), w.refusal)}
	}
	core := []*wish{w}
	for i, o := range p.wishes {
		if chosen[i] != nil && o != w {
			core = append(core, o)
		}
	}
	for i := len(core) - 1; i > 0; i-- {
		p.v.Breathe()
		without := slices.Delete(slices.Clone(core), i, i+1)
		if all, _ := p.search(without, true); all == nil {
			core = without
		}
	}
	if len(core) == 1 {
		return Unmet{[]string{w.Service.ID}, fmt.Sprintf("%s stays shut: nothing is left beside the forwards that are locked or made by hand.", w.Label())}
	}
	u := Unmet{Says: w.Label() + " stays shut: it cannot be open together with "}
	var names []string
	for _, c := range core {
		u.Services = append(u.Services, c.Service.ID)
		if c != w {
			names = append(names, c.Label())
		}
	}
	if len(names) > 3 {
		names = append(names[:3], fmt.Sprintf("%d more", len(names)-3))
	}
	u.Says += strings.Join(names, " and ") + "."
	return u
}
