package addressing

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"reflect"
	"slices"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/ipv4"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
)

// at is an address of the small test subnet.
func at(n int) netip.Addr { return netip.AddrFrom4([4]byte{10, 48, 16, byte(n)}) }

var anyForm = site.Form{PortsPerLine: "range", Renumber: "range", LimitsSender: "no", Reserves: "anywhere"}

// smallSite makes a site with few free addresses, so that room is short, and with a
// past: seats that several share, pins that cannot stay, devices seen elsewhere.
func smallSite(r *rand.Rand) site.Site {
	n := site.Network{ID: "main", Subnet: netip.MustParsePrefix("10.48.16.0/28"), Gateway: at(1)}
	base := at(0)
	if r.IntN(3) == 0 { // larger than a /24, with room around the seam alone
		n.Subnet = netip.MustParsePrefix("10.48.14.0/23")
		base = netip.MustParseAddr("10.48.14.248")
		n.Gateway = netip.MustParseAddr("10.48.14.1")
		n.KeepFree = []site.KeepFree{{From: n.Gateway.Next(), To: base.Next().Next()}, {From: netip.MustParseAddr("10.48.15.8"), To: netip.MustParseAddr("10.48.15.254")}}
	}
	from := func(i int) netip.Addr { return ipv4.Addr(ipv4.Number(base) + uint32(i)) }
	lo := 2 + r.IntN(8)
	n.Ranges = []site.Range{{From: from(lo), To: from(lo + r.IntN(4))}}
	free := 2 + r.IntN(3)
	n.KeepFree = append(n.KeepFree, site.KeepFree{From: from(free), To: from(free + 5 + r.IntN(5))})
	if r.IntN(2) == 0 {
		n.Bands = []site.Band{{Name: "cameras", From: from(9), To: from(11), Kinds: []string{"camera"}}, {Name: "all", From: from(11), To: from(12), Kinds: []string{"printer", "camera"}}}
	}
	form := anyForm
	form.Reserves = []site.ReservationPlace{"anywhere", "anywhere", "inside-range", "outside-range", "no"}[r.IntN(5)]
	form.ReservationLines = []int{0, 0, 1, 2}[r.IntN(4)]
	if r.IntN(4) == 0 {
		n.DNS = []netip.Addr{from(2 + r.IntN(12))}
	}
	if r.IntN(5) == 0 {
		n.Servers = []site.DHCPServer{{Address: from(2 + r.IntN(12)), Gateway: from(2 + r.IntN(12))}}
	}
	s := site.Site{Name: "small", Networks: []site.Network{n}, Routers: []site.Router{{ID: "edge", Network: "main", Form: form}}}
	bare := func() netip.Addr { return from(2 + r.IntN(12)) }
	edge := &s.Routers[0]
	line := site.HeldForward{Protocol: site.TCP, Outside: span.Port(8022), Address: bare(), Enabled: r.IntN(3) > 0}
	switch r.IntN(8) {
	case 0:
		edge.Held = &site.Held{Forwards: []site.HeldForward{line}}
	case 1:
		edge.Mapped = &site.Mapped{Forwards: []site.HeldForward{line}}
	case 2:
		edge.ExposedHost = bare().String()
	case 3:
		s.Forwards = []site.Forward{{ID: "f", Router: "edge", Enabled: line.Enabled, Protocol: site.TCP, Outside: span.Port(8080), To: bare().String(), Inside: span.Port(22)}}
	}
	places := []string{"main"}
	if r.IntN(3) == 0 {
		s.Networks = append(s.Networks, site.Network{ID: "attic", Subnet: netip.MustParsePrefix("10.48.17.0/30"), Gateway: netip.MustParseAddr("10.48.17.1")})
		s.Routers = append(s.Routers, site.Router{ID: "inner", Network: "attic", Upstream: "edge", WAN: site.WAN{Address: from(13)}, Form: anyForm})
		places = append(places, "main", "attic")
	}
	spot := func(lo, n int) netip.Addr {
		if len(places) > 1 && r.IntN(5) == 0 {
			return netip.MustParseAddr("10.48.17.2")
		}
		return from(lo + r.IntN(n))
	}
	for i := range 2 + r.IntN(3) {
		iface := site.Interface{ID: fmt.Sprintf("d%d.0", i), Network: places[r.IntN(len(places))], Wants: []site.Wants{"pin", "pin", "pin", "loose"}[r.IntN(4)]}
		if r.IntN(5) > 0 {
			iface.MAC = site.MAC(fmt.Sprintf("00:00:5e:00:53:%02x", i))
		}
		if r.IntN(2) == 0 {
			iface.Seen = spot(2, 13)
			if i > 0 && r.IntN(4) == 0 {
				iface.Seen = s.Devices[i-1].Interfaces[0].Seen
			}
		}
		if r.IntN(3) == 0 {
			iface.Pin = &site.Pin{Address: spot(0, 16), By: []site.PinBy{"reservation", "device", "both"}[r.IntN(3)], Locked: r.IntN(4) == 0}
		}
		s.Devices = append(s.Devices, site.Device{
			ID: fmt.Sprintf("d%d", i), Name: fmt.Sprintf("thing %d", 11-i), Kind: []string{"camera", "camera", "printer", "printer", "router"}[r.IntN(5)],
			Rank: 1 + r.IntN(3), Interfaces: []site.Interface{iface},
		})
	}
	return s
}

// try is a row of the oracle: an interface that gets a pin, or keeps none.
type try struct {
	site.Placed
	wanted bool
	net    site.Network
	form   site.Form
	full   bool         // the router has no reservation left for it
	ways   []netip.Addr // where it may go as far as nobody else counts
}

// oracle tries every way to pin the interfaces that want it, or whose pin cannot stay,
// and gives the best by the promises in their order, down to who gets which address.
func oracle(s site.Site) (best []int, given []netip.Addr, rows []try) {
	for k, n := range s.Networks { // the routers stand in the order of their networks
		for i := range s.Devices {
			face := &s.Devices[i].Interfaces[0]
			if face.Network != n.ID || face.Pin != nil && (face.Pin.Locked || !broken(s, s.Devices[i].Kind, face)) || face.Pin == nil && face.Wants != "pin" {
				continue
			}
			rows = append(rows, try{site.Placed{Device: &s.Devices[i], Interface: face}, face.Wants == "pin", n, s.Routers[k].Form, false, nil})
		}
	}
	slices.SortStableFunc(rows, func(a, b try) int {
		return cmp.Or(-cmp.Compare(a.Interface.Network, b.Interface.Network), cmp.Compare(a.Device.Kind, b.Device.Kind), cmp.Compare(len(a.Device.Name), len(b.Device.Name)), cmp.Compare(a.Device.Name, b.Device.Name))
	})
	few(s, rows)
	for i := range rows {
		t := &rows[i]
		for a := t.net.Subnet.Addr(); t.net.Subnet.Contains(a); a = a.Next() {
			own := outside(s, t)
			if possible(s, *t, a) && (!own.IsValid() || a == own) {
				t.ways = append(t.ways, a)
			}
		}
	}
	now := make([]netip.Addr, len(rows))
	var pick func(i int)
	pick = func(i int) {
		if i < len(rows) {
			for _, a := range rows[i].ways {
				if now[i] = a; !slices.Contains(now[:i], a) {
					pick(i + 1)
				}
			}
			now[i] = netip.Addr{}
			pick(i + 1)
			return
		}
		if worth, ok := judge(s, rows, now); ok && (best == nil || slices.Compare(worth, best) > 0) {
			best, given = worth, slices.Clone(now)
		}
	}
	pick(0)
	return best, given, rows
}

// few takes the rows for which a router has no reservation left, the least important first.
func few(s site.Site, rows []try) {
	for k, n := range s.Networks {
		left := s.Routers[k].Form.ReservationLines
		if left == 0 {
			continue
		}
		for _, d := range s.Devices {
			o := d.Interfaces[0]
			planned := slices.ContainsFunc(rows, func(t try) bool { return t.Interface.ID == o.ID })
			if o.Network == n.ID && o.Pin != nil && o.Pin.By != "device" && !planned {
				left--
			}
		}
		for _, wanted := range []bool{true, false} {
			for rank := 1; rank <= 3; rank++ {
				for i := range rows {
					if t := &rows[i]; t.net.ID == n.ID && t.wanted == wanted && t.Device.Rank == rank && !setByHand(t) {
						if left--; left < 0 {
							t.full = true
						}
					}
				}
			}
		}
	}
}

// outside is the outside address of the inner router where a row is that router.
func outside(s site.Site, t *try) netip.Addr {
	for _, r := range s.Routers {
		at := t.Interface.Seen == r.WAN.Address || t.Interface.Pin != nil && t.Interface.Pin.Address == r.WAN.Address
		if r.Upstream != "" && t.Device.Kind == "router" && t.net.ID == "main" && at {
			return r.WAN.Address
		}
	}
	return netip.Addr{}
}

func setByHand(t *try) bool { return t.form.Reserves == "no" || t.Interface.MAC == "" || t.full }

// foreign reports whether an address is somebody's who is no device of the list, unless a
// device was seen there: then it is that one.
func foreign(s site.Site, n site.Network, face *site.Interface, a netip.Addr) bool {
	if face.Seen == a || face.Pin != nil && face.Pin.Address == a {
		return false
	}
	targets := slices.Clone(n.DNS)
	for _, v := range n.Servers {
		targets = append(targets, v.Address, v.Gateway)
	}
	for _, r := range s.Routers {
		if r.Network != n.ID {
			continue
		}
		lines := []site.HeldForward{}
		if r.Held != nil {
			lines = append(lines, r.Held.Forwards...)
		}
		if r.Mapped != nil {
			lines = append(lines, r.Mapped.Forwards...)
		}
		for _, l := range lines {
			if l.Enabled {
				targets = append(targets, l.Address)
			}
		}
		if host, err := netip.ParseAddr(r.ExposedHost); err == nil {
			targets = append(targets, host)
		}
		for _, f := range s.Forwards {
			if host, err := netip.ParseAddr(f.To); err == nil && f.Enabled {
				targets = append(targets, host)
			}
		}
	}
	return slices.Contains(targets, a)
}

func lies(a, from, to netip.Addr) bool { return a.Compare(from) >= 0 && a.Compare(to) <= 0 }

func leased(n site.Network, a netip.Addr) bool {
	return len(n.Ranges) > 0 && lies(a, n.Ranges[0].From, n.Ranges[0].To)
}

// spoken reports whether an address of a network is for nobody.
func spoken(s site.Site, n site.Network, kind string, a netip.Addr) bool {
	last := ipv4.Addr(ipv4.Run(n.Subnet).Hi)
	bad := a == n.Subnet.Addr() || a == last || a == n.Gateway || !n.Subnet.Contains(a)
	for _, r := range s.Routers {
		bad = bad || r.WAN.Address == a && r.Upstream != "" && kind != "router"
	}
	for _, k := range n.KeepFree {
		bad = bad || lies(a, k.From, k.To)
	}
	return bad
}

func notReserved(f site.Form, in bool) bool {
	return f.Reserves == "no" || f.Reserves == "inside-range" && !in || f.Reserves == "outside-range" && in
}

func possible(s site.Site, t try, a netip.Addr) bool {
	in := leased(t.net, a)
	if spoken(s, t.net, t.Device.Kind, a) {
		return false
	}
	if stays(s, t, a) {
		return true
	}
	wan := slices.ContainsFunc(s.Routers, func(r site.Router) bool { return r.Upstream != "" && r.WAN.Address == a })
	if foreign(s, t.net, t.Interface, a) || wan && outside(s, &t) != a {
		return false
	}
	if setByHand(&t) {
		return !in
	}
	return !notReserved(t.form, in)
}

// stays reports whether a is the pin of a row, and only others stand in its way.
func stays(s site.Site, t try, a netip.Addr) bool {
	pin := t.Interface.Pin
	return pin != nil && pin.Address == a && !spoken(s, t.net, t.Device.Kind, a) && (pin.By == "device" || !t.full && t.Interface.MAC != "" && !notReserved(t.form, leased(t.net, a)))
}

// broken reports whether a pin has a snag that stops work.
func broken(s site.Site, kind string, face *site.Interface) bool {
	k := slices.IndexFunc(s.Networks, func(n site.Network) bool { return n.ID == face.Network })
	n, form, a := s.Networks[k], s.Routers[k].Form, face.Pin.Address
	if spoken(s, n, kind, a) || face.Pin.By != "device" && (face.MAC == "" || notReserved(form, leased(n, a))) {
		return true
	}
	for _, d := range s.Devices {
		o := d.Interfaces[0]
		if o.ID != face.ID && (o.Pin != nil && o.Pin.Address == a || o.Seen == a && o.Pin == nil) {
			return true
		}
	}
	return false
}

// judge tells what a set of pins is worth, or that it breaks promise 2.
func judge(s site.Site, rows []try, given []netip.Addr) ([]int, bool) {
	worth := make([]int, 24)
	which := map[string]int{}
	for i, r := range rows {
		which[r.Interface.ID] = i
	}
	for i, r := range rows {
		a := given[i]
		if !a.IsValid() {
			worth[20+min(i, 3)] = -1 << 40
			continue
		}
		for _, d := range s.Devices {
			o := d.Interfaces[0]
			if k, row := which[o.ID]; row && given[k].IsValid() || o.ID == r.Interface.ID {
				continue
			}
			// Of two pinned alike one may stay while the other finds no room.
			_, row := which[o.ID]
			alike := row && o.Pin != nil && r.Interface.Pin != nil && r.Interface.Pin.Address == a
			if o.Pin != nil && o.Pin.Address == a && !alike || o.Pin == nil && o.Seen == a {
				return nil, false
			}
		}
		costs := worth[4:10]
		if r.wanted {
			worth[0]++
			worth[r.Device.Rank]++
		} else {
			worth[10]++
			costs = worth[11:17]
		}
		hand := setByHand(&r)
		if stays(s, r, a) {
			hand = r.Interface.Pin.By == "device"
		}
		own, other := false, false
		for _, b := range r.net.Bands {
			if lies(a, b.From, b.To) {
				if slices.Contains(b.Kinds, r.Device.Kind) {
					own = true
				} else {
					other = true
				}
			}
		}
		for level, bad := range []bool{
			r.form.Reserves == "anywhere" && !hand && leased(r.net, a),
			r.Interface.Seen.IsValid() && r.Interface.Seen != a,
			!own, other && !own,
			r.net.Subnet.Bits() < 24 && (a.As4()[3] == 0 || a.As4()[3] == 255),
			r.Interface.Pin != nil && r.Interface.Pin.Address != a,
		} {
			if bad {
				costs[level]--
			}
		}
		worth[20+min(i, 3)] = -int(ipv4.Number(a))
	}
	return worth, true
}

func TestSuggestAgainstEveryWay(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	short := 0
	for round := range 4000 {
		s := smallSite(r)
		v := site.NewView(s)
		plan := Suggest(v)
		_, given, rows := oracle(s)
		got := make([]netip.Addr, len(rows))
		for i, row := range rows {
			if stays(s, row, given[i]) {
				got[i] = given[i]
			}
			for _, sg := range plan.Suggestions {
				if sg.Interface == row.Interface.ID {
					got[i] = sg.Pin.Address
					by := map[bool]site.PinBy{true: site.ByDevice, false: site.ByReservation}[setByHand(&row)]
					if by == site.ByReservation && row.Interface.Pin != nil && row.Interface.Pin.By == site.ByBoth {
						by = site.ByBoth
					}
					if sg.Pin.By != by {
						t.Fatalf("round %d: %s is pinned by %s", round, sg.Interface, sg.Pin.By)
					}
				}
			}
		}
		if len(plan.Unmet) > 0 {
			short++
		}
		if !plan.Proven || !slices.Equal(got, given) {
			t.Fatalf("round %d: got %v, best %v, proven %v\n%s", round, got, given, plan.Proven, sitefile.Write(s))
		}
		if again := Suggest(v); !reflect.DeepEqual(plan, again) {
			t.Fatalf("round %d: another answer the second time", round)
		}
		next, _, err := edit.Apply(s, plan.Edits())
		if err != nil {
			t.Fatal(err)
		}
		if more := Suggest(site.NewView(next)); len(more.Suggestions) > 0 || len(more.Unmet) != len(plan.Unmet) {
			t.Fatalf("round %d: after %v there is %v\n%s", round, plan, more, sitefile.Write(s))
		}
	}
	if short < 400 {
		t.Errorf("room was short only %d times", short)
	}
}

func TestSuggestKeepsWhatWorksAndGoesInOrder(t *testing.T) {
	s := site.Site{
		Name:     "order",
		Networks: []site.Network{{ID: "main", Subnet: netip.MustParsePrefix("10.48.16.0/24"), Gateway: at(1), Ranges: []site.Range{{From: at(100), To: at(179)}}}},
		Routers:  []site.Router{{ID: "edge", Network: "main", Form: anyForm}},
	}
	for i, name := range []string{"camera 10", "camera 2", "recorder"} {
		s.Devices = append(s.Devices, site.Device{ID: fmt.Sprint(i), Name: name, Kind: "camera", Interfaces: []site.Interface{{
			ID: fmt.Sprintf("%d.0", i), Network: "main", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:53:%02x", i)), Wants: "pin",
		}}})
	}
	s.Devices[2].Interfaces[0].Pin = &site.Pin{Address: at(2), By: site.ByReservation}
	var got []string
	for _, sg := range Suggest(site.NewView(s)).Suggestions {
		got = append(got, sg.Interface+" "+sg.Pin.Address.String()+" "+string(sg.Pin.By))
	}
	want := []string{"1.0 10.48.16.3 reservation", "0.0 10.48.16.4 reservation"}
	if !slices.Equal(got, want) {
		t.Errorf("got %v, want %v", got, want)
	}
}

func TestNoRoomNamesTheSmallestChange(t *testing.T) {
	s := smallSite(rand.New(rand.NewPCG(3, 4)))
	n := &s.Networks[0]
	n.KeepFree, n.Bands = nil, nil
	n.Ranges = []site.Range{{From: at(3), To: at(14)}}
	s.Routers[0].Form.Reserves = "outside-range"
	s.Devices = nil
	for i := range 2 {
		s.Devices = append(s.Devices, site.Device{ID: fmt.Sprint(i), Name: fmt.Sprint(i), Interfaces: []site.Interface{{
			ID: fmt.Sprintf("%d.0", i), Network: "main", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:53:%02x", i)), Wants: "pin",
		}}})
	}
	plan := Suggest(site.NewView(s))
	want := []Unmet{{"1.0", "No free address is left for 1 in 10.48.16.0/28. A DHCP range of 10.48.16.4 to 10.48.16.14 would make room."}}
	if len(plan.Suggestions) != 1 || !reflect.DeepEqual(plan.Unmet, want) {
		t.Errorf("got %v, unmet %q", plan.Suggestions, plan.Unmet)
	}
}

func TestNaturalCompare(t *testing.T) {
	names := []string{"camera 10", "Camera 2", "camera", "camera 02", "bell"}
	slices.SortFunc(names, NaturalCompare)
	want := []string{"bell", "camera", "Camera 2", "camera 02", "camera 10"}
	if !slices.Equal(names, want) {
		t.Errorf("got %q, want %q", names, want)
	}
}

// Advice on a range never takes in the gateway, another range or a pin that is set on its
// device, nor leaves out a reservation that must lie inside.
func TestAdviceLeavesTheRestAsItIs(t *testing.T) {
	face := func(id, pin, by string) site.Device {
		d := site.Device{ID: id, Name: id, Interfaces: []site.Interface{{ID: id, Network: "main", MAC: site.MAC("00:00:5e:00:53:0" + id), Wants: "pin"}}}
		if pin != "" {
			d.Interfaces[0].Pin = &site.Pin{Address: netip.MustParseAddr(pin), By: site.PinBy(by)}
		}
		return d
	}
	for _, c := range []struct {
		name, reserves string
		from, to       int
		devices        []site.Device
		want           string
	}{
		{"room inside, away from the gateway", "inside-range", 2, 3, []site.Device{face("1", "10.48.16.2", "reservation"), face("2", "10.48.16.3", "reservation"), face("3", "", "")}, "A DHCP range of 10.48.16.2 to 10.48.16.4 would make room."},
		{"a pin set on its device is in the way", "inside-range", 2, 3, []site.Device{face("1", "10.48.16.2", "reservation"), face("2", "10.48.16.3", "reservation"), face("3", "", ""), face("4", "10.48.16.4", "device")}, "No change of one DHCP range makes enough room."},
		{"room outside, at the end without a reservation", "outside-range", 2, 14, []site.Device{face("1", "", "")}, "A DHCP range of 10.48.16.3 to 10.48.16.14 would make room."},
	} {
		t.Run(c.name, func(t *testing.T) {
			form := anyForm
			form.Reserves = site.ReservationPlace(c.reserves)
			s := site.Site{Name: "x", Networks: []site.Network{{ID: "main", Subnet: netip.MustParsePrefix("10.48.16.0/28"), Gateway: at(1), Ranges: []site.Range{{From: at(c.from), To: at(c.to)}}}},
				Routers: []site.Router{{ID: "edge", Network: "main", Form: form}}, Devices: c.devices}
			plan := Suggest(site.NewView(s))
			if len(plan.Unmet) != 1 || !strings.HasSuffix(plan.Unmet[0].Says, c.want) {
				t.Errorf("got %v", plan.Unmet)
			}
		})
	}
}
