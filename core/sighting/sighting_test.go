package sighting

import (
	"fmt"
	"net/netip"
	"reflect"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

func addr(n int) netip.Addr { return netip.AddrFrom4([4]byte{10, 48, 16, byte(n)}) }

func known() site.Site {
	s := site.New("x", netip.MustParsePrefix("10.48.16.0/24"), addr(1), nil)
	s.Networks[0].DNS = nil
	s.Devices = []site.Device{
		{ID: "rec", Name: "Gallery recorder", Interfaces: []site.Interface{{ID: "rec.0", Network: "main", MAC: "00:00:5e:00:53:21", Seen: addr(112), Wants: "auto"}}},
		{ID: "door", Name: "Door entry", Interfaces: []site.Interface{{ID: "door.0", Network: "main", Wants: "auto", Pin: &site.Pin{Address: addr(44), By: site.ByDevice}}}},
	}
	return s
}

func TestMerge(t *testing.T) {
	sg := func(line int, mac string, a netip.Addr, host string) Sighting {
		return Sighting{MAC: site.MAC(mac), Address: a, Host: host, Source: "page", Line: line}
	}
	cases := []struct {
		name      string
		sightings []Sighting
		want      []string // what each came to
		devices   []string // name, MAC and last address of each device afterwards
	}{
		{"a new device", []Sighting{sg(1, "00:00:5e:00:53:30", addr(9), "pc.lan")}, []string{"new"}, []string{"Gallery recorder 00:00:5e:00:53:21 112", "Door entry  0", "pc 00:00:5e:00:53:30 9"}},
		{"a known one, moved; its name stays", []Sighting{sg(1, "00:00:5e:00:53:21", addr(20), "nvr")}, []string{"moved"}, []string{"Gallery recorder 00:00:5e:00:53:21 20", "Door entry  0"}},
		{"a known one, by less: no address is kept for none", []Sighting{sg(1, "00:00:5e:00:53:21", netip.Addr{}, "")}, []string{"known"}, []string{"Gallery recorder 00:00:5e:00:53:21 112", "Door entry  0"}},
		{"by its address, its MAC learnt", []Sighting{sg(1, "00:00:5e:00:53:64", addr(44), "")}, []string{"more"}, []string{"Gallery recorder 00:00:5e:00:53:21 112", "Door entry 00:00:5e:00:53:64 44"}},
		{"another MAC at a known address is another device", []Sighting{sg(1, "00:00:5e:00:53:99", addr(112), "")}, []string{"new"}, []string{"Gallery recorder 00:00:5e:00:53:21 112", "Door entry  0", " 00:00:5e:00:53:99 112"}},
		{"one device in several sources", []Sighting{sg(1, "00:00:5e:00:53:30", addr(9), ""), sg(2, "00:00:5e:00:53:30", addr(9), "pc"), sg(3, "", addr(9), "pc")}, []string{"new", "more", "known"},
			[]string{"Gallery recorder 00:00:5e:00:53:21 112", "Door entry  0", "pc 00:00:5e:00:53:30 9"}},
		{"what is nobody's", []Sighting{sg(1, "00:00:5e:00:53:01", addr(1), ""), sg(2, "00:00:5e:00:53:02", netip.MustParseAddr("192.0.2.7"), ""), sg(3, "00:00:5e:00:53:03", addr(255), "")},
			[]string{"leftout", "leftout", "leftout"}, []string{"Gallery recorder 00:00:5e:00:53:21 112", "Door entry  0"}},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			s := known()
			before := string(sitefile.Write(s))
			p := Merge(s, c.sightings, Facts{}, "2026-11-23T09:00:00Z")
			var what []string
			for _, f := range p.Findings {
				what = append(what, f.What)
			}
			next, _, err := edit.Apply(s, p.Edits)
			if err != nil {
				t.Fatal(err)
			}
			var devices []string
			for _, d := range next.Devices {
				last := 0
				if a := d.Interfaces[0].Seen; a.IsValid() {
					last = int(a.As4()[3])
				}
				devices = append(devices, fmt.Sprintf("%s %s %d", d.Name, d.Interfaces[0].MAC, last))
			}
			if !reflect.DeepEqual(what, c.want) || !reflect.DeepEqual(devices, c.devices) {
				t.Errorf("came to %q and %q,\nwant    %q and %q", what, devices, c.want, c.devices)
			}
			if string(sitefile.Write(s)) != before {
				t.Error("the old value was changed")
			}
		})
	}
}

func TestFactsFillWhatIsNotKnown(t *testing.T) {
	s := known()
	f := Facts{Subnet: netip.MustParsePrefix("10.48.16.0/24"), Gateway: addr(99), DNS: []netip.Addr{addr(1)}, Ranges: []site.Range{{From: addr(100), To: addr(179)}}}
	next, _, err := edit.Apply(s, Merge(s, nil, f, "").Edits)
	if err != nil {
		t.Fatal(err)
	}
	n := next.Networks[0]
	if n.Gateway != addr(1) || !reflect.DeepEqual(n.DNS, f.DNS) || !reflect.DeepEqual(n.Ranges, f.Ranges) {
		t.Errorf("got %+v", n)
	}
}

func TestEvidenceIsKeptButNotWithoutEnd(t *testing.T) {
	s := known()
	for i := range 40 {
		sg := Sighting{MAC: "00:00:5e:00:53:21", Address: addr(112), Source: fmt.Sprintf("paste %d", i), Line: 1}
		next, _, err := edit.Apply(s, Merge(s, []Sighting{sg, sg}, Facts{}, "").Edits)
		if err != nil {
			t.Fatal(err)
		}
		s = next
	}
	got := s.Devices[0].Interfaces[0].Evidence
	if len(got) != mostEvidence || got[len(got)-1].Source != "paste 39" {
		t.Errorf("%d pieces, the last from %s", len(got), got[len(got)-1].Source)
	}
}

// A laptop that is on the cable and on Wi-Fi is one device with two interfaces; another that is
// called as it is, and told by somebody else, is not taken for it.
func TestOwnInterfacesAreOneDevice(t *testing.T) {
	own := func(mac string, n int) Sighting {
		return Sighting{MAC: site.MAC(mac), Address: addr(n), Host: "laptop-7", State: StateOwn, Source: "settings", Line: n}
	}
	other := own("00:00:5e:00:53:73", 73)
	other.State = "arp"
	p := Merge(known(), []Sighting{own("00:00:5e:00:53:71", 71), own("00:00:5e:00:53:72", 72), other}, Facts{}, "2026-11-23T09:00:00Z")
	next, _, err := edit.Apply(known(), p.Edits)
	if err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, d := range next.Devices[2:] {
		for _, n := range d.Interfaces {
			got = append(got, fmt.Sprint(d.ID, " ", n.ID, " ", n.MAC, " ", n.Seen))
		}
	}
	want := []string{
		"d-00005e005371 d-00005e005371.0 00:00:5e:00:53:71 10.48.16.71", "d-00005e005371 d-00005e005371.1 00:00:5e:00:53:72 10.48.16.72",
		"d-00005e005373 d-00005e005373.0 00:00:5e:00:53:73 10.48.16.73",
	}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("got  %q\nwant %q", got, want)
	}
}
