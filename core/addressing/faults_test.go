package addressing

import (
	"net/netip"
	"slices"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

const lan = `{"format":"vestpin-site/1","name":"x",
 "networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1","ranges":[{"from":"10.48.16.100","to":"10.48.16.179"}],
   "bands":[{"name":"cameras","from":"10.48.16.20","to":"10.48.16.22","kinds":["camera"]}],"keepFree":[{"from":"10.48.16.240","to":"10.48.16.254","why":"lift"}]},
  {"id":"attic","subnet":"10.48.17.0/24","gateway":"10.48.17.1"}],
 "routers":[{"id":"edge","name":"Edge","network":"main","form":{"reserves":"RESERVES"}},{"id":"inner","network":"attic","upstream":"edge","wan":{"address":"10.48.16.9"},"form":{"reserves":"no"}}],
 "devices":[
  {"id":"a","name":"A","kind":"camera","interfaces":[{"id":"a.0","network":"main","mac":"00:00:5e:00:53:01","seen":"10.48.16.50","pin":{"address":"10.48.16.20"}}]},
  {"id":"b","name":"B","kind":"camera","interfaces":[{"id":"b.0","network":"main","mac":"00:00:5e:00:53:02","seen":"10.48.16.21"}]},
  {"id":"c","name":"C","kind":"camera","interfaces":[{"id":"c.0","network":"main","mac":"02:00:5e:00:53:03"}]},
  {"id":"d","name":"D","kind":"till","interfaces":[{"id":"d.0","network":"attic","mac":"00:00:5e:00:53:04"}]}]}`

func lanWith(t *testing.T, reserves string) site.View {
	t.Helper()
	s, err := sitefile.Read([]byte(strings.Replace(lan, "RESERVES", reserves, 1)))
	if err != nil {
		t.Fatal(err)
	}
	return site.NewView(s)
}

func placed(t *testing.T, v site.View, id string) site.Placed {
	t.Helper()
	p, ok := v.Interface(id)
	if !ok {
		t.Fatalf("no interface %s", id)
	}
	return p
}

func TestFreeSaysWhyNot(t *testing.T) {
	cases := []struct {
		reserves, iface, address, by, want string
	}{
		{"anywhere", "c.0", "10.48.16.22", "reservation", ""},
		{"anywhere", "c.0", "10.48.16.0", "reservation", "the address of the network itself"},
		{"anywhere", "c.0", "10.48.16.255", "reservation", "the broadcast address"},
		{"anywhere", "c.0", "10.48.16.1", "reservation", "the gateway"},
		{"anywhere", "c.0", "10.48.16.9", "reservation", "the outside of router at 10.48.16.9"},
		{"anywhere", "c.0", "10.48.16.250", "reservation", "kept free (lift)"},
		{"anywhere", "c.0", "10.48.17.5", "reservation", "outside 10.48.16.0/24"},
		{"anywhere", "c.0", "10.48.16.20", "reservation", "pinned for A"},
		{"anywhere", "c.0", "10.48.16.21", "reservation", "where B was seen"},
		{"anywhere", "b.0", "10.48.16.21", "reservation", ""},
		{"anywhere", "c.0", "10.48.16.50", "reservation", ""}, // A is moving away from there
		{"anywhere", "c.0", "10.48.16.120", "device", "inside the DHCP range"},
		{"anywhere", "c.0", "10.48.16.120", "reservation", ""},
		{"inside-range", "c.0", "10.48.16.30", "reservation", "not to be reserved: Edge reserves only inside its DHCP range"},
		{"inside-range", "c.0", "10.48.16.30", "device", ""},
		{"outside-range", "c.0", "10.48.16.120", "both", "not to be reserved: Edge reserves only outside its DHCP range"},
		{"no", "c.0", "10.48.16.30", "reservation", "not to be reserved: Edge takes no reservations"},
	}
	for _, c := range cases {
		v := lanWith(t, c.reserves)
		if got := Free(v, placed(t, v, c.iface), netip.MustParseAddr(c.address), site.PinBy(c.by)); got != c.want {
			t.Errorf("%s at %s by %s where the router reserves %s: got %q, want %q", c.iface, c.address, c.by, c.reserves, got, c.want)
		}
	}
}

func TestNearestPrefersItsBandAndOutsideTheRange(t *testing.T) {
	for _, c := range []struct{ reserves, iface, by, want string }{
		{"anywhere", "c.0", "reservation", "10.48.16.22"},
		{"anywhere", "b.0", "reservation", "10.48.16.21"},
		{"inside-range", "c.0", "reservation", "10.48.16.100"},
		{"anywhere", "d.0", "device", "10.48.17.2"},
		{"anywhere", "d.0", "reservation", ""},
	} {
		v := lanWith(t, c.reserves)
		a, ok := Nearest(v, placed(t, v, c.iface), site.PinBy(c.by), func(string, netip.Addr) bool { return false })
		if (ok && a.String() != c.want) || ok != (c.want != "") {
			t.Errorf("%s by %s: got %v, want %q", c.iface, c.by, a, c.want)
		}
	}
}

func TestWay(t *testing.T) {
	v := lanWith(t, "anywhere")
	for iface, want := range map[string]site.PinBy{"a.0": site.ByReservation, "c.0": site.ByDevice, "d.0": site.ByDevice} {
		if got := Way(v, *placed(t, v, iface).Interface); got != want {
			t.Errorf("%s: got %s, want %s", iface, got, want)
		}
	}
}

// A suggestion never brings a fault, and what Free allows never has one.
func TestFreeAgreesWithFaults(t *testing.T) {
	for _, reserves := range []string{"anywhere", "inside-range", "outside-range", "no"} {
		v := lanWith(t, reserves)
		for a := netip.MustParseAddr("10.48.15.250"); a != netip.MustParseAddr("10.48.17.4"); a = a.Next() {
			for _, by := range []site.PinBy{site.ByReservation, site.ByDevice, site.ByBoth} {
				next, _, err := edit.Apply(v.Site, []edit.Edit{edit.SetPin{ID: "b.0", Pin: &site.Pin{Address: a, By: by}}})
				if err != nil {
					t.Fatal(err)
				}
				then := site.NewView(next)
				faults := Faults(then, placed(t, then, "b.0"))
				free := Free(v, placed(t, v, "b.0"), a, by)
				inRange := by == site.ByDevice && free == "inside the DHCP range" // that bites, but works
				if (free == "") != (len(faults) == 0) && !inRange {
					t.Errorf("%s by %s where the router reserves %s: free says %q, faults %+v", a, by, reserves, free, faults)
				}
			}
		}
	}
}

func TestSeveralNetworksAreEachPlannedAlone(t *testing.T) {
	v := lanWith(t, "anywhere")
	s := v.Site
	s.Devices = slices.Clone(s.Devices)
	for i := range s.Devices {
		s.Devices[i].Interfaces = slices.Clone(s.Devices[i].Interfaces)
		s.Devices[i].Interfaces[0].Wants = "pin"
	}
	got := map[string]string{}
	for _, sg := range Suggest(site.NewView(s)).Suggestions {
		got[sg.Interface] = sg.Pin.Address.String() + " " + string(sg.Pin.By)
	}
	want := map[string]string{"b.0": "10.48.16.21 reservation", "c.0": "10.48.16.22 device", "d.0": "10.48.17.2 device"}
	for id, w := range want {
		if got[id] != w {
			t.Errorf("%s: got %q, want %q", id, got[id], w)
		}
	}
	if len(got) != len(want) {
		t.Errorf("got %v", got)
	}
}

// A band that is full spills over, first to where no band is, then to others'.
func TestBandsSpillOver(t *testing.T) {
	v := lanWith(t, "anywhere")
	s := v.Site
	s.Devices = nil
	for _, id := range []string{"a", "b", "c", "d", "e"} {
		s.Devices = append(s.Devices, site.Device{ID: id, Name: id, Kind: "camera", Interfaces: []site.Interface{{ID: id + ".0", Network: "main", MAC: site.MAC("00:00:5e:00:53:0" + id), Wants: "pin"}}})
	}
	s.Networks = slices.Clone(s.Networks)
	s.Networks[0].Bands = append(slices.Clone(s.Networks[0].Bands), site.Band{Name: "tills", From: at(2), To: at(6), Kinds: []string{"till"}})
	var got []string
	for _, sg := range Suggest(site.NewView(s)).Suggestions {
		got = append(got, sg.Pin.Address.String())
	}
	want := []string{"10.48.16.7", "10.48.16.8", "10.48.16.20", "10.48.16.21", "10.48.16.22"}
	if !slices.Equal(got, want) {
		t.Errorf("got %v, want %v", got, want)
	}
}
