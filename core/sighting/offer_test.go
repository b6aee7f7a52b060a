package sighting

import (
	"fmt"
	"net/netip"
	"reflect"
	"slices"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
)

const (
	may  = "2026-05-04T09:00:00Z"
	late = "2026-11-23T09:00:00Z"
)

// visited is the known site, surveyed in May, and then again with other evidence.
func visited(t *testing.T, first, now []Sighting) site.Site {
	t.Helper()
	s := known()
	for _, v := range []struct {
		evidence []Sighting
		at       string
	}{{first, may}, {now, late}} {
		next, _, err := edit.Apply(s, Merge(s, v.evidence, Facts{}, v.at).Edits)
		if err != nil {
			t.Fatal(err)
		}
		s = next
	}
	return s
}

func saw(mac string, last int, host string) Sighting {
	return Sighting{MAC: site.MAC(mac), Address: addr(last), Host: host, State: "answered ARP", Source: "sweep"}
}

const (
	rec   = "00:00:5e:00:53:21"
	other = "00:00:5e:00:53:99"
)

func TestOffers(t *testing.T) {
	cases := []struct {
		name     string
		may, now []Sighting
		want     []string // kind, old device, name of the new one's MAC
	}{
		{"another box at the same address, the old one gone", []Sighting{saw(rec, 112, "")}, []Sighting{saw(other, 112, "")}, []string{"swapped rec"}},
		{"by the same name elsewhere", []Sighting{saw(rec, 112, "nvr.lan")}, []Sighting{saw(other, 113, "NVR")}, []string{"swapped rec"}},
		{"the old one is still there", []Sighting{saw(rec, 112, "")}, []Sighting{saw(other, 112, ""), saw(rec, 113, "")}, nil},
		{"nothing in common", []Sighting{saw(rec, 112, "a-name")}, []Sighting{saw(other, 114, "b-name")}, nil},
		{"a phone with a new randomised MAC address", []Sighting{saw("72:1e:8b:20:9a:04", 120, "tab")}, []Sighting{saw("da:41:07:5e:10:6c", 133, "tab")}, []string{"rejoined d-721e8b209a04"}},
		{"a visitor's lease that went to the next visitor", []Sighting{saw("72:1e:8b:20:9a:04", 120, "")}, []Sighting{saw("da:41:07:5e:10:6c", 120, "")}, nil},
		{"two that call themselves nothing that tells", nil, []Sighting{saw(other, 140, "localhost"), saw("00:00:5e:00:53:9a", 141, "localhost")}, nil},
		{"wired and wireless of one device", nil, []Sighting{saw(other, 140, "office-pc"), saw("00:00:5e:00:53:9a", 141, "office-pc.lan")}, []string{"together d-00005e005399"}},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			s := visited(t, c.may, c.now)
			var got []string
			for _, o := range Offers(site.NewView(s)) {
				got = append(got, o.Kind+" "+o.Old)
				next, undo, err := edit.Apply(s, o.Edits)
				if err != nil {
					t.Fatalf("its edits: %v", err)
				}
				if again := Offers(site.NewView(next)); slices.ContainsFunc(again, func(a Offer) bool { return a.ID == o.ID }) {
					t.Error("it is offered again once taken")
				}
				if len(next.Devices) != len(s.Devices)-1 {
					t.Errorf("%d devices became %d", len(s.Devices), len(next.Devices))
				}
				if back, _, err := edit.Apply(next, undo); err != nil || string(sitefile.Write(back)) != string(sitefile.Write(s)) {
					t.Errorf("not undone: %v", err)
				}
				left, _, err := edit.Apply(s, o.Not)
				if err != nil || slices.ContainsFunc(Offers(site.NewView(left)), func(a Offer) bool { return a.ID == o.ID }) {
					t.Errorf("it is offered again once refused, %v", err)
				}
			}
			if !reflect.DeepEqual(got, c.want) {
				t.Errorf("got %q, want %q", got, c.want)
			}
		})
	}
}

// A swapped box takes over everything that was decided for the old one.
func TestHandOverKeepsPinServicesAndForwards(t *testing.T) {
	s := visited(t, []Sighting{saw(rec, 112, "")}, []Sighting{saw(other, 112, "")})
	edits := []edit.Edit{
		edit.SetPin{ID: "rec.0", Pin: &site.Pin{Address: addr(112), By: site.ByReservation}},
		edit.PutService{ID: "rec", Service: site.Service{ID: "rec.web", Interface: "rec.0", Protocol: site.TCP, Ports: ports(t, "80"), Open: &site.Open{Port: site.AnyPort}}},
		edit.PutForward{Forward: site.Forward{ID: "f", Router: "edge", Enabled: true, Protocol: site.TCP, Outside: ports(t, "8020"), To: "rec.0", Inside: ports(t, "80"), Service: "rec.web"}},
	}
	s, _, err := edit.Apply(s, edits)
	if err != nil {
		t.Fatal(err)
	}
	offers := Offers(site.NewView(s))
	if len(offers) != 1 {
		t.Fatalf("offers %+v", offers)
	}
	next, _, err := edit.Apply(s, offers[0].Edits)
	if err != nil {
		t.Fatal(err)
	}
	p, _ := site.NewView(next).Interface("rec.0")
	if n := p.Interface; n.MAC != other || n.Pin == nil || n.Pin.Address != addr(112) || len(next.Forwards) != 1 || next.Forwards[0].To != "rec.0" || p.Device.Services[0].Open == nil || p.Device.Name != "Gallery recorder" {
		t.Errorf("became %+v of %+v with %+v", n, p.Device, next.Forwards)
	}
	if v, _ := next.Visit(); len(v.Seen) != 1 || v.Seen[0].Interface != "rec.0" {
		t.Errorf("the visit tells of %+v", v.Seen)
	}
}

func TestCompareVisits(t *testing.T) {
	s := visited(t,
		[]Sighting{saw(rec, 112, "nvr"), saw("00:00:5e:00:53:30", 104, "pc"), saw("00:00:5e:00:53:41", 109, ""), saw("00:00:5e:00:53:52", 90, ""), saw("00:00:5e:00:53:55", 126, "")},
		[]Sighting{saw(rec, 112, "nvr2"), saw("00:00:5e:00:53:30", 105, "PC"), saw("00:00:5e:00:53:77", 150, "heat"), saw("00:00:5e:00:53:5a", 90, ""), saw("00:00:5e:00:53:55", 126, "")})
	var got []string
	for _, d := range Compare(site.NewView(s), s.Visits[0], s.Visits[1]) {
		got = append(got, d.What+": "+d.Says)
	}
	want := []string{
		"renamed: Gallery recorder called itself “nvr”, now “nvr2”", "moved: pc was at 10.48.16.104, now at 10.48.16.105", "new: heat at 10.48.16.150",
		"swapped: 00:00:5e:00:53:5a is at 10.48.16.90, where unnamed 00:00:5e:00:53:52 was", "gone: unnamed 00:00:5e:00:53:41 was at 10.48.16.109",
	}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("got\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	if s.Visits[0].Until == "" || s.Visits[1].Until != "" || s.Visits[1].From != late {
		t.Errorf("visits %+v", s.Visits)
	}
}

// Joining and splitting lead back to where they began, but for the ids.
func TestJoinAndSplit(t *testing.T) {
	s := known()
	joined, _, err := edit.Apply(s, Join(s.Devices[0], s.Devices[1]))
	if err != nil || len(joined.Devices) != 1 || len(joined.Devices[0].Interfaces) != 2 || joined.Devices[0].Name != "Gallery recorder" {
		t.Fatalf("%v %+v", err, joined.Devices)
	}
	apart, _, err := edit.Apply(joined, Split(joined, joined.Devices[0], "door.0"))
	if err != nil || len(apart.Devices) != 2 || apart.Devices[1].Interfaces[0].ID != "door.0" {
		t.Fatalf("%v %+v", err, apart.Devices)
	}
	if Split(s, s.Devices[0], "rec.0") != nil {
		t.Error("an only interface was split off")
	}
}

func TestSeveralDevicesBehindOneMAC(t *testing.T) {
	const extender = "00:00:5e:00:53:ee"
	s := known()
	p := Merge(s, []Sighting{saw(extender, 50, ""), saw(extender, 51, "cam"), saw(extender, 52, "")}, Facts{}, late)
	next, _, err := edit.Apply(s, p.Edits)
	if err != nil {
		t.Fatal(err)
	}
	if len(next.Devices) != 5 {
		t.Errorf("%d devices, want three new ones", len(next.Devices))
	}
	for _, d := range next.Devices[2:] {
		if d.Interfaces[0].MAC != "" {
			t.Errorf("%s was given the extender's MAC address", d.ID)
		}
	}
	if !strings.Contains(p.Findings[0].Says, "answers for it, as for others") {
		t.Errorf("it is not said: %q", p.Findings[0].Says)
	}
	again := Merge(next, []Sighting{saw(extender, 50, ""), saw(extender, 51, "cam"), saw(extender, 52, "")}, Facts{}, late)
	for _, f := range again.Findings {
		if f.What == IsNew {
			t.Errorf("new again: %+v", f)
		}
	}
}

// What an old lease file says does not move a device that was seen since; a
// reservation pins, and is no sighting.
func TestOldEvidenceAndReservations(t *testing.T) {
	s := known()
	step := func(at string, sg Sighting) Finding {
		t.Helper()
		p := Merge(s, []Sighting{sg}, Facts{}, at)
		next, _, err := edit.Apply(s, p.Edits)
		if err != nil {
			t.Fatal(err)
		}
		s = next
		return p.Findings[0]
	}
	step(late, saw(rec, 113, ""))
	old := saw(rec, 112, "")
	old.Source, old.State, old.At = "leases of May", "lease", may
	if f := step(late, old); !strings.Contains(f.Says, "older than what is known") || s.Devices[0].Interfaces[0].Seen != addr(113) {
		t.Errorf("%q, seen at %s", f.Says, s.Devices[0].Interfaces[0].Seen)
	}
	reserve := Sighting{MAC: rec, Address: addr(20), Host: "nvr", State: StateReserved, Source: "dhcpd.conf"}
	if f := step(late, reserve); f.What != IsMore || s.Devices[0].Interfaces[0].Pin == nil || s.Devices[0].Interfaces[0].Seen != addr(113) {
		t.Errorf("%+v, %+v", f, s.Devices[0].Interfaces[0])
	}
	reserve.Address = addr(21)
	if f := step(late, reserve); !strings.Contains(f.Says, "the plan pins it at 10.48.16.20") || s.Devices[0].Interfaces[0].Pin.Address != addr(20) {
		t.Errorf("%+v", f)
	}
}

func TestNature(t *testing.T) {
	with := func(host string, traits ...string) site.Device {
		e := site.Evidence{Host: host, State: "answers on 554/tcp"}
		for i := 0; i+1 < len(traits); i += 2 {
			e.Traits = append(e.Traits, site.Trait{Name: traits[i], Value: traits[i+1]})
		}
		return site.Device{Kind: "said by the user", Interfaces: []site.Interface{{MAC: other, Evidence: []site.Evidence{e}}}}
	}
	for _, c := range []struct {
		device site.Device
		kind   string
		reason string
	}{
		{with("", "type", "NetworkVideoTransmitter"), "camera", "announces itself as NetworkVideoTransmitter"},
		{with("", "service", "RTSP", "server", "Ostrel cam 4.2"), "camera", "port 554/tcp says “Ostrel cam 4.2”"},
		{with("", "service", "RTSP", "title", "Recorder OR-8"), "recorder", "page title"},
		{with("", "service", "_ipp._tcp"), "printer", "offers _ipp._tcp"},
		{with("drucker-3"), "printer", "it calls itself"},
		{with("", "description", "16 port switch"), "switch", "describes itself"},
		{with("", "service", "_smb._tcp"), "", ""},
		{with(""), "", ""},
		{site.Device{Interfaces: []site.Interface{{MAC: "72:1e:8b:20:9a:04"}}}, "phone", "randomised"},
	} {
		g := Nature(c.device)
		if g.Kind != c.kind || c.reason != "" && !strings.Contains(strings.Join(g.Reasons, "; "), c.reason) {
			t.Errorf("%+v: got %+v, want %s because %s", c.device.Interfaces[0].Evidence, g, c.kind, c.reason)
		}
	}
}

func TestServersThatAnswered(t *testing.T) {
	s := known()
	two := Facts{Servers: []site.DHCPServer{{Address: addr(1), Offers: addr(100)}, {Address: addr(2), Offers: addr(180)}}}
	next, _, err := edit.Apply(s, Merge(s, nil, two, late).Edits)
	if err != nil || len(next.Networks[0].Servers) != 2 {
		t.Fatalf("%v %+v", err, next.Networks[0].Servers)
	}
	one := Facts{Servers: two.Servers[:1]}
	next, _, err = edit.Apply(next, Merge(next, nil, one, late).Edits)
	if err != nil || len(next.Networks[0].Servers) != 1 {
		t.Errorf("%v: the one that was turned off is still there: %+v", err, next.Networks[0].Servers)
	}
	heard := Facts{DHCP: []netip.Addr{addr(3), netip.MustParseAddr("192.0.2.9")}}
	next, _, err = edit.Apply(next, Merge(next, nil, heard, late).Edits)
	if err != nil || fmt.Sprint(len(next.Networks[0].Servers)) != "2" {
		t.Errorf("%v: a capture adds what it heard: %+v", err, next.Networks[0].Servers)
	}
}

func ports(t *testing.T, text string) span.Ports {
	t.Helper()
	p, err := span.ParsePorts(text)
	if err != nil {
		t.Fatal(err)
	}
	return p
}

// BenchmarkNature guesses for 400 devices that were swept in full.
func BenchmarkNature(b *testing.B) {
	var devices []site.Device
	for i := range 400 {
		var evidence []site.Evidence
		for port := range 16 {
			evidence = append(evidence, site.Evidence{Source: "sweep", Host: fmt.Sprintf("host-%d.lan", i), State: fmt.Sprintf("answers on %d/tcp", port), Traits: []site.Trait{
				{Name: site.TraitPort, Value: "80/tcp"}, {Name: site.TraitServer, Value: "ostrel-web/2.1"}, {Name: site.TraitTitle, Value: "Live view of the yard"}}})
		}
		devices = append(devices, site.Device{Interfaces: []site.Interface{{MAC: other, Evidence: evidence}}})
	}
	for b.Loop() {
		for _, d := range devices {
			Nature(d)
		}
	}
}
