package demo

import (
	"context"
	"io/fs"
	"net/netip"
	"os"
	"regexp"
	"slices"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/snag"
	"vestpin/core/suggest"
	"vestpin/read"
)

func demoSite(t *testing.T, id string) site.Site {
	t.Helper()
	all, err := Sites()
	if err != nil {
		t.Fatal(err)
	}
	i := slices.IndexFunc(all, func(d Site) bool { return d.ID == id })
	if i < 0 {
		t.Fatalf("no demo site %s", id)
	}
	return all[i].Site
}

// Everything in the demo is made up: private or documentation addresses, MAC
// addresses of the documentation block or randomised ones, names under example.
func TestOnlyMadeUpThings(t *testing.T) {
	// Carrier-grade NAT has no documentation addresses: its own shared ones (RFC 6598) are nobody's.
	documentation := []netip.Prefix{netip.MustParsePrefix("100.64.0.0/10"), netip.MustParsePrefix("192.0.2.0/24"), netip.MustParsePrefix("198.51.100.0/24"), netip.MustParsePrefix("203.0.113.0/24"), netip.MustParsePrefix("10.0.0.0/8")}
	err := fs.WalkDir(os.DirFS("."), ".", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || strings.HasSuffix(path, ".go") {
			return err
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		for _, word := range regexp.MustCompile(`\d+\.\d+\.\d+\.\d+`).FindAllString(string(data), -1) {
			a, err := netip.ParseAddr(word)
			if err != nil || !slices.ContainsFunc(documentation, func(p netip.Prefix) bool { return p.Contains(a) }) {
				t.Errorf("%s: %s is not for documentation", path, word)
			}
		}
		plain := regexp.MustCompile(`(?m)^duid .*$`).ReplaceAllString(string(data), "")
		for _, word := range regexp.MustCompile(`(?i)\b(?:[0-9a-f]{2}[:-]){5}[0-9a-f]{2}\b`).FindAllString(plain, -1) {
			m, err := site.ParseMAC(word)
			client := strings.HasPrefix(word, "01:00:00:5e:00:53") || strings.HasPrefix(word, "01:72:1e") // DHCP client ids
			if !client && (err != nil || !(strings.HasPrefix(string(m), "00:00:5e:00:53:") || m.Randomised())) {
				t.Errorf("%s: %s is not of the documentation block", path, word)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	for _, id := range []string{"pottery", "flat", "farm", "works"} {
		for _, r := range demoSite(t, id).Routers {
			if r.WAN.Name != "" && !strings.Contains(r.WAN.Name, "example") {
				t.Errorf("%s is a name of the real world", r.WAN.Name)
			}
		}
	}
}

// The main scene has what a tour needs.
func TestTheSceneIsComplete(t *testing.T) {
	s := demoSite(t, "pottery")
	kinds := map[string]int{}
	several, unnamed := 0, 0
	ways := map[string]int{}
	for _, d := range s.Devices {
		kinds[d.Kind]++
		if len(d.Interfaces) > 1 {
			several++
		}
		if d.Name == "" {
			unnamed++
		}
		for _, n := range d.Interfaces {
			if n.Pin == nil {
				ways["loose"]++
			} else {
				ways[string(n.Pin.By)]++
			}
		}
	}
	for _, k := range []string{"recorder", "camera", "controller", "computer", "video link", "phone", "till", "phone system", "door entry", "printer", "meter", "switch"} {
		if kinds[k] == 0 {
			t.Errorf("no %s", k)
		}
	}
	if kinds["camera"] < 2 || several == 0 || unnamed == 0 || ways["loose"] < 3 || ways[site.ByReservation] < 3 || ways[site.ByDevice] < 3 || ways[site.ByBoth] < 1 {
		t.Errorf("kinds %v, ways %v, %d with several interfaces, %d unnamed", kinds, ways, several, unnamed)
	}
	codes := map[string]int{}
	for _, sn := range snag.Check(site.NewView(s)) {
		codes[sn.Code]++
	}
	if codes["outside-clash"] != 1 || codes["device-set-in-range"] != 1 || codes["open-but-loose"] < 2 || codes["upnp-on"] != 1 {
		t.Errorf("snags %v", codes)
	}
}

// Taking every suggestion leaves the main scene without a snag that stops work,
// and the flat with the one wish for which neither of its routers can limit who may connect.
func TestSuggestionsMendTheScenes(t *testing.T) {
	for id, unmet := range map[string]int{"pottery": 0, "flat": 1} {
		result, err := suggest.For(context.Background(), demoSite(t, id), suggest.Halves{Addresses: true, Ports: true})
		if err != nil || len(result.Unmet) != unmet || !result.Proven {
			t.Errorf("%s: %v, unmet %+v", id, err, result.Unmet)
		}
		for _, sn := range snag.Check(site.NewView(result.Site)) {
			if sn.Weight == snag.Stops {
				t.Errorf("%s: %s", id, sn.Says)
			}
		}
	}
}

// The farm stands behind a carrier; the works is a /22 of 400 devices, of which half are
// pinned, and its suggestion is proven and leaves nothing that stops work.
func TestFarmAndWorks(t *testing.T) {
	codes := map[string]int{}
	for _, sn := range snag.Check(site.NewView(demoSite(t, "farm"))) {
		codes[sn.Code]++
	}
	if codes["behind-carrier"] != 1 || codes["open-but-loose"] != 1 {
		t.Errorf("the farm's snags: %v", codes)
	}
	works := demoSite(t, "works")
	pinned, open := 0, 0
	for _, d := range works.Devices {
		if d.Interfaces[0].Pin != nil {
			pinned++
		}
		if d.Services[0].Open != nil {
			open++
		}
	}
	if len(works.Devices) != 400 || pinned != 200 || open != 264 || works.Networks[0].Subnet.Bits() != 22 {
		t.Errorf("the works has %d devices, %d pinned, %d opened, on %s", len(works.Devices), pinned, open, works.Networks[0].Subnet)
	}
	result, err := suggest.For(context.Background(), works, suggest.Halves{Addresses: true, Ports: true})
	if err != nil || len(result.Unmet) != 0 || !result.Proven {
		t.Errorf("the works: %v, proven %v, %d unmet %+v", err, result.Proven, len(result.Unmet), result.Unmet[:min(3, len(result.Unmet))])
	}
	for _, sn := range snag.Check(site.NewView(result.Site)) {
		if sn.Weight == snag.Stops {
			t.Errorf("the works: %s", sn.Says)
		}
	}
}

// The halves are the same as the whole: pins alone, then ports alone.
func TestHalves(t *testing.T) {
	s := demoSite(t, "pottery")
	whole, err := suggest.For(context.Background(), s, suggest.Halves{Addresses: true, Ports: true})
	if err != nil {
		t.Fatal(err)
	}
	pins, err := suggest.For(context.Background(), s, suggest.Halves{Addresses: true})
	if err != nil {
		t.Fatal(err)
	}
	ports, err := suggest.For(context.Background(), pins.Site, suggest.Halves{Ports: true})
	if err != nil || string(sitefile.Write(ports.Site)) != string(sitefile.Write(whole.Site)) || len(pins.Changes)+len(ports.Changes) != len(whole.Changes) {
		t.Errorf("%v: %d and %d changes against %d", err, len(pins.Changes), len(ports.Changes), len(whole.Changes))
	}
	for _, c := range pins.Changes {
		if _, pin := c.Edit.(edit.SetPin); !pin || c.Why == "" {
			t.Errorf("among the pins: %+v", c)
		}
	}
}

// The captures that ship are understood whole.
func TestCapturesAreUnderstood(t *testing.T) {
	for name, sightings := range map[string]int{"router-page.txt": 5, "dnsmasq.leases": 3} {
		data, err := os.ReadFile("captures/" + name)
		if err != nil {
			t.Fatal(err)
		}
		if r, err := read.Text(name, "", data); err != nil || len(r.Sightings) != sightings || len(r.Unread) > 0 {
			t.Errorf("%s: %d sightings, not understood %+v, %v", name, len(r.Sightings), r.Unread, err)
		}
	}
}
