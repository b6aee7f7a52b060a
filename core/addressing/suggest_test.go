package addressing

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"reflect"
	"slices"
	"testing"

	"vestpin/core/site"
	"vestpin/core/span"
)

// at is an address of the small test subnet.
func at(n int) netip.Addr { return netip.AddrFrom4([4]byte{10, 48, 16, byte(n)}) }

var anyForm = site.Form{PortsPerLine: "range", Renumber: "range", LimitsSender: "no", Reserves: "anywhere"}

// smallSite makes a site in a /28 with few free addresses, so that room is short.
func smallSite(r *rand.Rand) site.Site {
	n := site.Network{ID: "main", Subnet: netip.MustParsePrefix("10.48.16.0/28"), Gateway: at(1)}
	lo := 2 + r.IntN(8)
	n.Ranges = []site.Range{{From: at(lo), To: at(lo + r.IntN(4))}}
	n.KeepFree = []site.KeepFree{{From: at(2 + r.IntN(3)), To: at(8 + r.IntN(7))}}
	if r.IntN(2) == 0 {
		n.Bands = []site.Band{{Name: "cameras", From: at(9), To: at(11), Kinds: []string{"camera"}}}
	}
	form := anyForm
	form.Reserves = []string{"anywhere", "anywhere", "inside-range", "outside-range", "no"}[r.IntN(5)]
	s := site.Site{Name: "small", Networks: []site.Network{n}, Routers: []site.Router{{ID: "edge", Network: "main", Form: form}}}
	for i := range 2 + r.IntN(3) {
		iface := site.Interface{ID: fmt.Sprintf("d%d.0", i), Network: "main", Wants: []string{"pin", "pin", "pin", "loose"}[r.IntN(4)]}
		if r.IntN(5) > 0 {
			iface.MAC = site.MAC(fmt.Sprintf("00:00:5e:00:53:%02x", i))
		}
		if r.IntN(2) == 0 {
			iface.Seen = at(2 + r.IntN(13))
		}
		if r.IntN(4) == 0 {
			iface.Pin = &site.Pin{Address: at(r.IntN(16)), By: []string{"reservation", "device"}[r.IntN(2)], Locked: r.IntN(3) == 0}
		}
		s.Devices = append(s.Devices, site.Device{
			ID: fmt.Sprintf("d%d", i), Name: fmt.Sprintf("thing %d", 11-i), Kind: []string{"camera", "printer"}[r.IntN(2)],
			Rank: 1 + r.IntN(3), Interfaces: []site.Interface{iface},
		})
	}
	return s
}

// oracle tries every way to pin the interfaces that want it and gives the worth
// of the best: how many, their ranks, then the costs of promises 4 to 6.
func oracle(s site.Site) []int {
	v := site.NewView(s)
	var rows []site.Placed
	for _, p := range v.Interfaces() {
		if p.Interface.Wants == "pin" && (p.Interface.Pin == nil || (!p.Interface.Pin.Locked && len(Faults(v, p)) > 0)) {
			rows = append(rows, p)
		}
	}
	given := map[string]netip.Addr{}
	var best []int
	var try func(i int)
	try = func(i int) {
		if i < len(rows) {
			try(i + 1)
			for n := range 16 {
				given[rows[i].Interface.ID] = at(n)
				try(i + 1)
				delete(given, rows[i].Interface.ID)
			}
			return
		}
		if worth, ok := judge(s, rows, given); ok && (best == nil || slices.Compare(worth, best) > 0) {
			best = worth
		}
	}
	try(0)
	return best
}

// judge tells what a set of pins is worth, or that it breaks promise 2.
func judge(s site.Site, rows []site.Placed, given map[string]netip.Addr) ([]int, bool) {
	n, form := s.Networks[0], s.Routers[0].Form
	worth := make([]int, 10)
	held := map[string]netip.Addr{}
	for _, d := range s.Devices {
		if pin := d.Interfaces[0].Pin; pin != nil {
			held[d.Interfaces[0].ID] = pin.Address
		}
	}
	stays := func(id string) (netip.Addr, bool) {
		if a, ok := given[id]; ok {
			return a, true
		}
		a, ok := held[id]
		return a, ok
	}
	for _, p := range rows {
		a, ok := given[p.Interface.ID]
		if !ok {
			continue
		}
		x := int(a.As4()[3])
		inRange := a.Compare(n.Ranges[0].From) >= 0 && a.Compare(n.Ranges[0].To) <= 0
		free := a.Compare(n.KeepFree[0].From) < 0 || a.Compare(n.KeepFree[0].To) > 0
		device := form.Reserves == "no" || p.Interface.MAC == ""
		switch {
		case x == 0, x == 15, x == 1, !free, device && inRange,
			!device && form.Reserves == "inside-range" && !inRange, !device && form.Reserves == "outside-range" && inRange:
			return nil, false
		}
		for _, d := range s.Devices {
			o := d.Interfaces[0]
			if o.ID == p.Interface.ID {
				continue
			}
			theirs, pinned := stays(o.ID)
			// Of two rows pinned alike one may stay while the other finds no room.
			leftOut := given[o.ID] == netip.Addr{} && slices.ContainsFunc(rows, func(q site.Placed) bool { return q.Interface.ID == o.ID })
			if pinned && theirs == a && !(leftOut && p.Interface.Pin != nil && p.Interface.Pin.Address == a) {
				return nil, false
			}
			if o.Seen == a && !pinned {
				return nil, false
			}
		}
		own, other := false, false
		for _, b := range n.Bands {
			if a.Compare(b.From) >= 0 && a.Compare(b.To) <= 0 {
				own, other = p.Device.Kind == "camera", p.Device.Kind != "camera"
			}
		}
		count := func(i int, bad bool) {
			if bad {
				worth[i]--
			}
		}
		worth[0]++
		worth[p.Device.Rank]++
		count(5, form.Reserves == "anywhere" && !device && inRange)
		count(6, p.Interface.Seen.IsValid() && p.Interface.Seen != a)
		count(7, !own)
		count(8, other)
	}
	return worth, true
}

func TestSuggestAgainstEveryWay(t *testing.T) {
	if testing.Short() {
		t.Skip("slow")
	}
	r := rand.New(rand.NewPCG(1, 2))
	for round := range 1200 {
		s := smallSite(r)
		v := site.NewView(s)
		plan := Suggest(v)
		best := oracle(s)
		rows, given := []site.Placed{}, map[string]netip.Addr{}
		left := map[string]bool{}
		for _, u := range plan.Unmet {
			left[u.Interface] = true
		}
		for _, p := range v.Interfaces() {
			if p.Interface.Wants == "pin" && (p.Interface.Pin == nil || (!p.Interface.Pin.Locked && len(Faults(v, p)) > 0)) {
				rows = append(rows, p)
				if p.Interface.Pin != nil && !left[p.Interface.ID] {
					given[p.Interface.ID] = p.Interface.Pin.Address // no suggestion: it stays
				}
			}
		}
		for _, sg := range plan.Suggestions {
			if p, _ := v.Interface(sg.Interface); p.Interface.Wants == "pin" {
				given[sg.Interface] = sg.Pin.Address
			}
		}
		worth, ok := judge(s, rows, given)
		if !ok {
			t.Fatalf("round %d: the plan breaks promise 2: %v\n%s", round, given, site.Write(s))
		}
		if !slices.Equal(worth, best) {
			t.Fatalf("round %d: worth %v, best %v: %v\n%s", round, worth, best, given, site.Write(s))
		}
		if again := Suggest(v); !reflect.DeepEqual(plan, again) {
			t.Fatalf("round %d: another answer the second time", round)
		}
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
		got = append(got, sg.Interface+" "+sg.Pin.Address.String()+" "+sg.Pin.By)
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

func BenchmarkSuggest(b *testing.B) {
	s := site.Site{Name: "large", Networks: []site.Network{{
		ID: "main", Subnet: netip.MustParsePrefix("10.48.16.0/22"), Gateway: at(1),
		Ranges: []site.Range{{From: span.Addr(span.OfAddr(at(0)) + 512), To: span.Addr(span.OfAddr(at(0)) + 1000)}},
	}}, Routers: []site.Router{{ID: "edge", Network: "main", Form: anyForm}}}
	for i := range 400 {
		s.Devices = append(s.Devices, site.Device{ID: fmt.Sprint(i), Interfaces: []site.Interface{{
			ID: fmt.Sprintf("%d.0", i), Network: "main", MAC: site.MAC(fmt.Sprintf("00:00:5e:00:%02x:%02x", i/256, i%256)), Wants: "pin",
			Seen: span.Addr(span.OfAddr(at(0)) + 512 + uint32(i)),
		}}})
	}
	v := site.NewView(s)
	for b.Loop() {
		Suggest(v)
	}
}
