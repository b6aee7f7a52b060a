package sighting

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

func lanSite(t *testing.T, devices string) site.Site {
	t.Helper()
	s, err := sitefile.Read([]byte(`{"format":"vestpin-site/1","name":"x","networks":[{"id":"main","subnet":"10.48.16.0/22","gateway":"10.48.16.1"}],"devices":[` + devices + `]}`))
	if err != nil {
		t.Fatal(err)
	}
	return s
}

const now = "2026-11-25T09:00:00Z"

// taken merges and applies.
func taken(t *testing.T, s site.Site, list []Sighting) (site.Site, Proposal) {
	t.Helper()
	p := Merge(s, list, Facts{}, now)
	next, _, err := edit.Apply(s, p.Edits)
	if err != nil {
		t.Fatal(err)
	}
	return next, p
}

func swept(mac string, a netip.Addr) Sighting {
	return Sighting{MAC: site.MAC(mac), Address: a, State: "answered ARP", Source: "sweep", At: now}
}

// Who answers for everything is one thing to be told; what else was found is kept.
func TestWhoAnswersForEverything(t *testing.T) {
	honest := swept("00:00:5e:00:53:21", netip.MustParseAddr("10.48.17.9"))
	claims := []Sighting{}
	for i := range 3000 { // random MAC addresses for one address
		claims = append(claims, swept(fmt.Sprintf("02:00:00:00:%02x:%02x", i/256, i%256), netip.MustParseAddr("10.48.16.66")))
	}
	all := []Sighting{}
	for i := range 1000 { // one MAC address for all
		all = append(all, swept("00:00:5e:00:53:77", netip.AddrFrom4([4]byte{10, 48, byte(16 + i/250), byte(2 + i%250)})))
	}
	many := []Sighting{}
	for i := range 6000 { // sixteen for each of many
		many = append(many, swept(fmt.Sprintf("02:00:00:01:%02x:%02x", i/256, i%256), netip.AddrFrom4([4]byte{10, 48, byte(16 + i/4000), byte(2 + i/16%250)})))
	}
	for _, c := range []struct {
		name    string
		list    []Sighting
		devices int
		crowds  int
	}{
		{"many for one", claims, 1 + mostMACsOfAddress, 1},
		{"one for all", all, 1 + mostAddressesMAC, 1},
		{"more than a site holds", many, site.MostDevices, 0},
	} {
		s, p := taken(t, lanSite(t, ""), append([]Sighting{honest}, c.list...))
		if c.crowds > 0 && (len(s.Devices) != c.devices || len(s.Networks[0].Crowds) != c.crowds) || len(s.Devices) > c.devices {
			t.Errorf("%s: %d devices, %+v", c.name, len(s.Devices), s.Networks[0].Crowds)
		}
		if at, _ := site.NewView(s).Interface("d-00005e005321.0"); at.Interface == nil {
			t.Errorf("%s: the honest device is lost", c.name)
		}
		if left := p.Findings[len(p.Findings)-1]; c.crowds > 0 && (left.What != IsLeftOut || !strings.Contains(left.Says, "not believed")) {
			t.Errorf("%s: %+v", c.name, left)
		}
		// A later sweep without it ends what is told.
		if again, _ := taken(t, s, []Sighting{honest, swept("00:00:5e:00:53:77", netip.MustParseAddr("10.48.16.1")), swept("02:00:00:00:00:00", netip.MustParseAddr("10.48.16.66"))}); len(again.Networks[0].Crowds) != 0 {
			t.Errorf("%s: told for ever: %+v", c.name, again.Networks[0].Crowds)
		}
	}
}

// A clock that runs years ahead makes nothing of what comes later old.
func TestTimeFromTheFuture(t *testing.T) {
	a, b := netip.MustParseAddr("10.48.16.50"), netip.MustParseAddr("10.48.16.51")
	ahead := swept("00:00:5e:00:53:21", a)
	ahead.At = "2096-01-01T00:00:00Z"
	s, _ := taken(t, lanSite(t, ""), []Sighting{ahead})
	if at := s.Devices[0].Interfaces[0].Evidence[0].At; at != now {
		t.Errorf("it is believed to be of %s", at)
	}
	// Also where an earlier program believed it.
	old := lanSite(t, `{"id":"d","interfaces":[{"id":"d.0","network":"main","mac":"00:00:5e:00:53:21","seen":"10.48.16.50","evidence":[{"source":"capture","at":"2096-01-01T00:00:00Z","address":"10.48.16.50"}]}]}`)
	for _, s := range []site.Site{s, old} {
		if next, _ := taken(t, s, []Sighting{swept("00:00:5e:00:53:21", b)}); next.Devices[0].Interfaces[0].Seen != b {
			t.Errorf("it did not move: %+v", next.Devices[0].Interfaces[0])
		}
	}
}

func TestLatest(t *testing.T) {
	for at, want := range map[string]string{
		"2026-11-25T09:00:00Z": "2026-11-26", "2026-11-30T09:00:00Z": "2026-12-01", "2026-12-31T23:00:00Z": "2027-01-01", "2026-02-28": "2026-03-01", "": "", "now": "",
	} {
		if got := latest(at); got != want {
			t.Errorf("%s: %s, want %s", at, got, want)
		}
	}
}

// A lease log of months names many addresses of one device, and many devices of one
// address; that is no crowd, and the newest is where the device is.
func TestHistoryIsNoCrowd(t *testing.T) {
	var log []Sighting
	for i := range 20 {
		at := fmt.Sprintf("2026-11-%02dT09:00:00Z", i+1)
		log = append(log,
			Sighting{MAC: "00:00:5e:00:53:21", Address: netip.AddrFrom4([4]byte{10, 48, 16, byte(100 + i)}), State: "lease", Source: "log", At: at},
			Sighting{MAC: site.MAC(fmt.Sprintf("00:00:5e:00:53:%02x", 0x40+i)), Address: netip.MustParseAddr("10.48.16.200"), State: "lease", Source: "log", At: at})
	}
	s, p := taken(t, lanSite(t, ""), log)
	at, _ := site.NewView(s).Interface("d-00005e005321.0")
	if at.Interface == nil || at.Interface.Seen.String() != "10.48.16.119" || len(s.Devices) != 21 || len(s.Networks[0].Crowds) != 0 {
		t.Errorf("%d devices, crowds %v, last finding %+v, it is %+v", len(s.Devices), s.Networks[0].Crowds, p.Findings[len(p.Findings)-2], at.Interface)
	}
}

// What a sweep learns of DHCP servers stays where somebody answers for everything, and
// a lease file that names who did says nothing of whether that is over.
func TestCrowdBesideOtherFacts(t *testing.T) {
	var list []Sighting
	for i := range 100 {
		list = append(list, swept(fmt.Sprintf("02:00:00:00:00:%02x", i), netip.MustParseAddr("10.48.16.66")))
	}
	server := site.DHCPServer{Address: netip.MustParseAddr("10.48.16.2"), Offers: netip.MustParseAddr("10.48.16.120"), At: now}
	p := Merge(lanSite(t, ""), list, Facts{Servers: []site.DHCPServer{server}}, now)
	s, _, err := edit.Apply(lanSite(t, ""), p.Edits)
	if err != nil || len(s.Networks[0].Servers) != 1 || len(s.Networks[0].Crowds) != 1 {
		t.Fatalf("%v: servers %v, crowds %v", err, s.Networks[0].Servers, s.Networks[0].Crowds)
	}
	lease := Sighting{MAC: "02:00:00:00:00:01", Address: netip.MustParseAddr("10.48.16.66"), State: "lease", Source: "leases", At: now}
	if again, _ := taken(t, s, []Sighting{lease}); len(again.Networks[0].Crowds) != 1 {
		t.Error("a lease file ended it")
	}
}
