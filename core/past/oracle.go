package past

import (
	"encoding/json"
	"net/netip"
	"slices"
	"strconv"
	"strings"
)

// Oracle follows packets through a site file by hand, port by port. It shares no code with
// what it judges: it reads the JSON into words of its own and looks at everything in order.
type Oracle struct {
	Networks []struct {
		ID, Gateway string

		Subnet netip.Prefix
	}
	Routers []struct {
		ID, Name, Network, Upstream, LoopsBack, ExposedHost string

		Networks []string
		WAN      struct{ Address, Kind string }
		OwnPorts []struct{ Protocol, Ports string }
		Form     struct{ LimitsSender string }
	}
	Devices []struct {
		ID, Name, Kind string
		Interfaces     []OracleInterface
		Services       []OracleService
	}
	Forwards []struct {
		ID, Router, Protocol, Outside, To, Inside string

		Enabled *bool
		From    []string
	}
}

// OracleInterface is an interface as the site file has it.
type OracleInterface struct {
	ID, Network, Seen string
	Pin               *struct{ Address, By string }
}

// OracleService is a service as the site file has it.
type OracleService struct {
	ID, Interface, Protocol, Ports string

	Open *struct {
		Port, Router string
		From         []string
	}
}

// ReadOracle reads a site file, which is known to be good.
func ReadOracle(file []byte) *Oracle {
	o := &Oracle{}
	if err := json.Unmarshal(file, o); err != nil {
		panic(err)
	}
	return o
}

// End is where a packet ends: "router", "dropped", or "to", then with the interface where
// there is one, the address and port, and the last router. Path is "router/forward" of each
// hop.
type End struct {
	Fate, Interface, Address, Last string

	Port int
	Path []string
}

// place gives how many ports stand before one in a text, -1 where it is not there; port gives
// the one at a place.
func place(text string, port int) int {
	before := 0
	for part := range strings.SplitSeq(text, ",") {
		lo, hi := ends(part)
		if lo <= port && port <= hi && lo > 0 {
			return before + port - lo
		}
		before += hi - lo + 1
	}
	return -1
}

func port(text string, place int) int {
	for part := range strings.SplitSeq(text, ",") {
		lo, hi := ends(part)
		if place <= hi-lo {
			return lo + place
		}
		place -= hi - lo + 1
	}
	return 0
}

func ends(part string) (lo, hi int) {
	from, to, ranged := strings.Cut(part, "-")
	lo, _ = strconv.Atoi(from)
	if hi = lo; ranged {
		hi, _ = strconv.Atoi(to)
	}
	return lo, hi
}

func carries(rule, packet string) bool { return rule == packet || rule == "both" }

// admits reports whether a list lets a sender in; "" is somebody whom no list names.
func admits(list []string, sender string) bool {
	if len(list) == 0 {
		return true
	}
	quarter := [4]bool{} // lists that let in everybody do so by few large networks
	for _, text := range list {
		if !strings.Contains(text, "/") {
			text += "/32"
		}
		p := netip.MustParsePrefix(text)
		if a, err := netip.ParseAddr(sender); err == nil && p.Contains(a) {
			return true
		}
		for q := range quarter {
			quarter[q] = quarter[q] || p.Bits() <= 2 && p.Contains(netip.AddrFrom4([4]byte{byte(q * 64)}))
		}
	}
	return quarter == [4]bool{true, true, true, true}
}

// serves reports whether a router, by its place, is on a network.
func (o *Oracle) serves(router int, network string) bool {
	r := o.Routers[router]
	return r.Network == network || slices.Contains(r.Networks, network)
}

func (o *Oracle) holds(network, address string) bool {
	a, err := netip.ParseAddr(address)
	for _, n := range o.Networks {
		if n.ID == network && err == nil && n.Subnet.Contains(a) {
			return true
		}
	}
	return false
}

// Router gives the place of a router.
func (o *Oracle) Router(id string) int {
	for i, r := range o.Routers {
		if r.ID == id {
			return i
		}
	}
	return -1
}

// behind gives the router that has an address outside, as another sends packets to it.
func (o *Oracle) behind(router int, address string) int {
	for i, r := range o.Routers {
		front := o.Router(r.Upstream)
		if front < 0 || r.WAN.Address != address || i == router {
			continue
		}
		for _, n := range o.Networks {
			if !o.serves(front, n.ID) || !o.serves(router, n.ID) || !o.holds(n.ID, address) {
				continue
			}
			alone := true
			for _, d := range o.Devices {
				for _, f := range d.Interfaces {
					is := d.Kind == "router" || d.Name == r.Name && r.Name != "" || d.ID == r.ID || d.Kind == "" && (f.Seen == address || len(d.Services) == 0 && f.Pin != nil && f.Pin.Address == address)
					alone = alone && (f.Network != n.ID || f.Pin == nil || f.Pin.Address != address || is)
				}
			}
			if alone {
				return i
			}
		}
	}
	return -1
}

// Behind gives the router that takes what another sends to an address; empty for none.
func (o *Oracle) Behind(router, address string) string {
	if i := o.behind(o.Router(router), address); i >= 0 {
		return o.Routers[i].ID
	}
	return ""
}

// On reports whether a router serves a network.
func (o *Oracle) On(router, network string) bool { return o.serves(o.Router(router), network) }

// Delivers reports whether an address is on a network of a router.
func (o *Oracle) Delivers(router, address string) bool {
	for _, n := range o.Networks {
		if o.On(router, n.ID) && o.holds(n.ID, address) {
			return true
		}
	}
	return false
}

// Way gives the routers from the provider to a network, as WayOut does.
func (o *Oracle) Way(network string) []string {
	near, outer := o.WayOut(network)
	var out []string
	for at := near; at != ""; at = o.Routers[o.Router(at)].Upstream {
		out = append([]string{at}, out...)
		if at == outer {
			break
		}
	}
	return out
}

// Follow follows a packet that arrives at the outside of a router.
func (o *Oracle) Follow(router, protocol string, number int, sender string) End {
	end := End{Fate: "dropped"}
	here := o.Router(router)
	for been := []int{here}; ; {
		r := o.Routers[here]
		end.Last, end.Port = r.ID, number
		for _, own := range r.OwnPorts {
			if carries(own.Protocol, protocol) && place(own.Ports, number) >= 0 {
				end.Fate = "router"
				end.Path = append(end.Path, r.ID+"/")
				return end
			}
		}
		to, by, found := "", "", false
		for _, f := range o.Forwards {
			at := place(f.Outside, number)
			if f.Router != r.ID || f.Enabled != nil && !*f.Enabled || !carries(f.Protocol, protocol) || at < 0 || !admits(f.From, sender) {
				continue
			}
			if f.Inside != "" {
				number = port(f.Inside, at)
			}
			to, by, found = f.To, f.ID, true
			break
		}
		if !found && r.ExposedHost != "" {
			to, found = r.ExposedHost, true
		}
		end.Path = append(end.Path, r.ID+"/"+by)
		if !found {
			return end
		}
		end.Port, end.Address, end.Interface = number, to, ""
		for _, d := range o.Devices {
			for _, f := range d.Interfaces {
				switch {
				case f.ID == to && f.Pin == nil:
					end.Interface, end.Address = f.ID, ""
				case f.ID == to:
					end.Interface, end.Address = f.ID, f.Pin.Address
				case f.Pin != nil && f.Pin.Address == to && o.serves(here, f.Network) && end.Interface == "":
					end.Interface = f.ID
				}
			}
		}
		next := o.behind(here, end.Address)
		if next < 0 || slices.Contains(been, next) {
			end.Fate = "to"
			return end
		}
		been, here = append(been, next), next
	}
}

// WayOut gives the router next to a network from which the way out is whole, the first of
// those listed, and the one at the provider; empty for none.
func (o *Oracle) WayOut(network string) (near, outer string) {
	for i, r := range o.Routers {
		if !o.serves(i, network) {
			continue
		}
		at, whole := i, true
		for whole && o.Routers[at].Upstream != "" {
			front, wan := o.Router(o.Routers[at].Upstream), o.Routers[at].WAN.Address
			whole = false
			for _, n := range o.Networks {
				whole = whole || o.serves(front, n.ID) && o.holds(n.ID, wan)
			}
			at = front
		}
		if whole {
			return r.ID, o.Routers[at].ID
		}
	}
	return "", ""
}
