package wire_test

import (
	"context"
	"errors"
	"net/netip"
	"slices"
	"strings"
	"testing"
	"time"

	"vestpin/core/sighting"
	"vestpin/core/site"
	"vestpin/demo"
	"vestpin/sim"
	"vestpin/wire"
)

var lan = netip.MustParsePrefix("10.48.16.0/24")

func pottery(t *testing.T) *sim.World {
	t.Helper()
	w, err := demo.Network("pottery")
	if err != nil {
		t.Fatal(err)
	}
	return w
}

// heard is what a survey reported.
type heard struct {
	sightings []sighting.Sighting
	servers   []wire.Server
	notes     []string
	last      wire.Progress
}

func survey(t *testing.T, w *sim.World, p wire.Plan) heard {
	t.Helper()
	var h heard
	ctx, stop := context.WithTimeout(context.Background(), 20*time.Second)
	defer stop()
	if err := wire.Survey(ctx, w, p, []netip.Prefix{lan}, h.take); err != nil {
		t.Fatal(err)
	}
	return h
}

func (h *heard) take(e wire.Event) {
	switch {
	case e.Sighting != nil:
		h.sightings = append(h.sightings, *e.Sighting)
	case e.Server != nil:
		h.servers = append(h.servers, *e.Server)
	case e.Note != "":
		h.notes = append(h.notes, e.Note)
	case e.Progress != nil:
		h.last = *e.Progress
	}
}

func (h heard) addresses() int {
	seen := map[netip.Addr]bool{}
	for _, s := range h.sightings {
		if strings.HasPrefix(s.State, "answered") {
			seen[s.Address] = true
		}
	}
	return len(seen)
}

func (h heard) says(a string, host string, want site.Trait) bool {
	return slices.ContainsFunc(h.sightings, func(s sighting.Sighting) bool {
		return s.Address.String() == a && (host == "" || s.Host == host) && (want.Name == "" || slices.Contains(s.Traits, want)) && s.MAC != "" && s.At != "" && s.Source == "sweep"
	})
}

// The demo's sweep finds everybody, and what each says in the ways that it knows.
func TestSurveyOfTheMadeUpNetwork(t *testing.T) {
	w := pottery(t)
	begin := time.Now()
	h := survey(t, w, wire.Plan{Subnet: lan, Community: "public"})
	if got := h.addresses(); got != len(w.Hosts) {
		t.Errorf("%d of %d answered", got, len(w.Hosts))
	}
	for _, want := range []struct {
		address, host string
		trait         site.Trait
	}{
		{"10.48.16.21", "cam-22.lan", site.Trait{}},
		{"10.48.16.21", "", site.Trait{Name: "type", Value: "NetworkVideoTransmitter"}},
		{"10.48.16.21", "", site.Trait{Name: "server", Value: "Ostrel cam 4.2"}},
		{"10.48.16.21", "", site.Trait{Name: "title", Value: "Live view"}},
		{"10.48.16.130", "label-9", site.Trait{Name: "model", Value: "Merrowby L2"}},
		{"10.48.16.130", "", site.Trait{Name: "service", Value: "_ipp._tcp"}},
		{"10.48.16.104", "OFFICE-PC", site.Trait{}},
		{"10.48.16.104", "", site.Trait{Name: "service", Value: "RDP"}},
		{"10.48.16.5", "shelf-switch", site.Trait{Name: "description", Value: "Larkbridge switch, 16 ports"}},
		{"10.48.16.20", "", site.Trait{Name: "maker", Value: "Ostrel Vision"}},
		{"10.48.16.20", "", site.Trait{Name: "banner", Value: "SSH-2.0-ostrel"}},
		{"10.48.16.44", "", site.Trait{Name: "server", Value: "Hollin door 1.8"}},
		{"10.48.16.115", "", site.Trait{Name: "service", Value: "MQTT"}},
		{"10.48.16.40", "", site.Trait{Name: "certificate", Value: "device-00005e005347"}},
		{"10.48.16.40", "", site.Trait{Name: "title", Value: "Till"}},
	} {
		if !h.says(want.address, want.host, want.trait) {
			t.Errorf("nobody said %+v", want)
		}
	}
	if len(h.servers) != 1 || h.servers[0].Address != w.Gateway || h.servers[0].Lease != 86400 || h.servers[0].Bits != 24 {
		t.Errorf("DHCP servers: %+v", h.servers)
	}
	if h.last.Found != len(w.Hosts) || h.last.Done != h.last.Of || time.Since(begin) > 9*time.Second {
		t.Errorf("after %v: %+v", time.Since(begin), h.last)
	}
}

func TestSweepWithoutFramesAndWithLoss(t *testing.T) {
	t.Parallel()
	w := pottery(t)
	w.NoFrames = true
	if h := survey(t, w, wire.Plan{Subnet: lan, SweepOnly: true}); h.addresses() != len(w.Hosts) {
		t.Errorf("without frames %d of %d answered", h.addresses(), len(w.Hosts))
	}
	w.NoFrames, w.Loss = false, 5
	begin := time.Now()
	if h := survey(t, w, wire.Plan{Subnet: lan, SweepOnly: true}); h.addresses() != len(w.Hosts) || time.Since(begin) > 3*time.Second {
		t.Errorf("with loss %d of %d answered in %v", h.addresses(), len(w.Hosts), time.Since(begin))
	}
}

func TestNothingIsSentElsewhere(t *testing.T) {
	cases := []struct {
		name   string
		subnet string
		own    string
		large  bool
		why    string
	}{
		{"another site's", "10.99.0.0/24", "10.48.16.0/24", false, "none of this site's subnets"},
		{"not attached", "10.99.0.0/24", "10.99.0.0/24", false, "only to 10.48.16.0/24"},
		{"wider than the site's", "10.48.0.0/16", "10.48.16.0/24", true, "none of this site's"},
		{"a /16 not asked for", "10.48.0.0/16", "10.48.0.0/16", false, "only swept when asked for"},
		{"a point", "10.48.16.7/32", "10.48.16.0/24", false, "holds no devices"},
	}
	for _, c := range cases {
		err := wire.Survey(context.Background(), pottery(t), wire.Plan{Subnet: netip.MustParsePrefix(c.subnet), Large: c.large}, []netip.Prefix{netip.MustParsePrefix(c.own)}, func(e wire.Event) { t.Errorf("%s: %+v", c.name, e) })
		var refused *wire.RefusedError
		if !errors.As(err, &refused) || !strings.Contains(refused.Why, c.why) {
			t.Errorf("%s: %v", c.name, err)
		}
	}
	if _, err := wire.Free(context.Background(), pottery(t), netip.MustParseAddr("192.0.2.9"), []netip.Prefix{lan}); err == nil {
		t.Error("an address elsewhere was probed")
	}
}

// Stopping keeps what was found, and stops at once.
func TestStop(t *testing.T) {
	t.Parallel()
	ctx, stop := context.WithCancel(context.Background())
	var h heard
	begin := time.Now()
	err := wire.Survey(ctx, pottery(t), wire.Plan{Subnet: lan}, []netip.Prefix{lan}, func(e wire.Event) {
		if h.take(e); len(h.sightings) == 5 {
			stop()
		}
	})
	if !errors.Is(err, context.Canceled) || len(h.sightings) < 5 || time.Since(begin) > time.Second {
		t.Errorf("after %v: %v, %d found", time.Since(begin), err, len(h.sightings))
	}
}

// Devices that answer without end, or never, cost a second and nothing more.
func TestRudeDevices(t *testing.T) {
	t.Parallel()
	w := &sim.World{Own: netip.MustParsePrefix("10.48.16.126/24"), MAC: "00:00:5e:00:53:7e", Delay: 5, Hosts: []sim.Host{
		{MAC: "00:00:5e:00:53:21", Address: netip.MustParseAddr("10.48.16.20"), Ports: []sim.Port{{Number: 80, Speaks: "endless"}, {Number: 443, Speaks: "endless"}, {Number: 22, Speaks: "endless"}, {Number: 554, Speaks: "silent"}, {Number: 8080, Speaks: "silent"}, {Number: 5900, Speaks: "silent"}}},
		{MAC: "00:00:5e:00:53:22", Address: netip.MustParseAddr("10.48.16.20")}, // two at one address
	}}
	begin := time.Now()
	h := survey(t, w, wire.Plan{Subnet: lan})
	for _, port := range []string{"80/tcp", "443/tcp", "22/tcp", "554/tcp"} {
		if !slices.ContainsFunc(h.sightings, func(s sighting.Sighting) bool {
			return slices.Contains(s.Traits, site.Trait{Name: "port", Value: port})
		}) {
			t.Errorf("%s answers, but was not told", port)
		}
	}
	if spent := time.Since(begin); spent > 10*time.Second {
		t.Errorf("took %v", spent)
	}
	macs := 0
	for _, s := range h.sightings {
		if s.State == "answered ARP" {
			macs++
		}
	}
	if macs < 2 {
		t.Errorf("two devices at one address: %d told", macs)
	}
}

// An extender that answers for the devices behind it is told of.
func TestOneMACForMany(t *testing.T) {
	t.Parallel()
	w := pottery(t)
	for i := range w.Hosts[3:8] {
		w.Hosts[3+i].MAC = "00:00:5e:00:53:ee"
	}
	h := survey(t, w, wire.Plan{Subnet: lan, SweepOnly: true})
	if len(h.notes) != 1 || !strings.Contains(h.notes[0], "00:00:5e:00:53:ee answers for 5 addresses") {
		t.Errorf("notes: %q", h.notes)
	}
}

func TestIsItFree(t *testing.T) {
	t.Parallel()
	w := pottery(t)
	for _, c := range []struct {
		address  string
		noFrames bool
		free     bool
		how      string
	}{
		{"10.48.16.21", false, false, "answered ARP probe"},
		{"10.48.16.200", false, true, "3 ARP probes, no answer"},
		{"10.48.16.160", false, false, "this computer's own"},
		{"10.48.16.21", true, false, "the system's table has it"},
		{"10.48.16.200", true, true, "no entry in the system's table"},
	} {
		w.NoFrames = c.noFrames
		f, err := wire.Free(context.Background(), w, netip.MustParseAddr(c.address), []netip.Prefix{lan})
		if err != nil || f.Free != c.free || !strings.Contains(f.How, c.how) || f.At == "" {
			t.Errorf("%s: %+v, %v", c.address, f, err)
		}
	}
}
