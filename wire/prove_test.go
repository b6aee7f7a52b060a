package wire_test

import (
	"context"
	"fmt"
	"net/netip"
	"os"
	"strings"
	"testing"
	"time"

	"vestpin/core/catalogue"
	"vestpin/core/diagnosis"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/span"
	"vestpin/sim"
	"vestpin/wire"
)

func potterySite(t *testing.T) site.Site {
	t.Helper()
	data, err := os.ReadFile("../demo/sites/pottery.json")
	if err != nil {
		t.Fatal(err)
	}
	s, err := sitefile.Read(data)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// told puts a report into lines, one for each service.
func told(r diagnosis.Report) string {
	var out []string
	for _, s := range r.Services {
		first := ""
		if len(s.Causes) > 0 {
			first = s.Causes[0].Cause
		}
		out = append(out, strings.TrimSpace(fmt.Sprintf("%s: inside %s, outside %s, %s, works %s %s", s.Service, s.Inside.Result, s.Outside.Result, s.Identity, s.Works, first)))
	}
	return strings.Join(out, "\n")
}

// The pottery of the demo: what works is found to work, and of what fails the true cause is
// first.
func TestProvePottery(t *testing.T) {
	t.Parallel()
	w, v := pottery(t), site.NewView(potterySite(t))
	var doing []string
	p, err := wire.Prove(context.Background(), w, wire.Trial{Site: v, Far: sim.Far{World: w}}, func(e wire.Trying) {
		if e.Doing != "" {
			doing = append(doing, e.Doing)
		}
	})
	if err != nil {
		t.Fatal(err)
	}
	const want = `switch.web: inside answers, outside untried, unknown, works yes
rec.web: inside answers, outside answers, same, works yes
rec.video: inside answers, outside silent, unknown, works no forward-missing
yard.web: inside answers, outside answers, unknown, works yes
yard.video: inside answers, outside untried, unknown, works yes
shopcam.web: inside answers, outside untried, unknown, works yes
shopcam.video: inside answers, outside untried, unknown, works yes
kilncam.video: inside answers, outside untried, unknown, works yes
door.sip: inside answers, outside untried, unknown, works no forward-missing
phone.sip: inside answers, outside answers, same, works yes
phone.rtp: inside untried, outside untried, unknown, works unknown
phone.web: inside answers, outside untried, unknown, works yes
pc.rdp: inside untried, outside untried, unknown, works no forward-missing
kiln.web: inside untried, outside untried, unknown, works no forward-missing
decoder.in: inside untried, outside untried, unknown, works no wrong-device
decoder.web: inside answers, outside untried, unknown, works no wrong-device
label.raw: inside refused, outside untried, unknown, works no device-refuses
solar.modbus: inside untried, outside untried, unknown, works unknown
newcam.web: inside untried, outside untried, unknown, works unknown
newcam.video: inside untried, outside untried, unknown, works unknown`
	if got := told(diagnosis.Of(v, p)); got != want {
		t.Errorf("got\n%s\nwant\n%s", got, want)
	}
	if len(doing) == 0 || len(p.Router.Told) != 2 || len(p.Name.Points) != 1 {
		t.Errorf("told %v, %+v, %+v", doing, p.Router.Told, p.Name)
	}
}

// brokenFar is a far end that sees the site and gives up in the middle.
type brokenFar struct{ sim.Far }

func (f brokenFar) Try(ctx context.Context, questions []wire.Question, heard func(int, site.Heard)) error {
	f.Far.Try(ctx, questions[:2], heard)
	return fmt.Errorf("it tried 2 of %d ports", len(questions))
}

// What a far end did not come to is said of each service; without a far end nothing is claimed
// from outside; from a network that is none of the site's the sides are not mixed.
func TestProveWithoutTheOutside(t *testing.T) {
	t.Parallel()
	w, v := pottery(t), site.NewView(potterySite(t))
	p, err := wire.Prove(context.Background(), w, wire.Trial{Site: v, Far: brokenFar{sim.Far{World: w}}}, func(wire.Trying) {})
	if err != nil || len(p.Notes) == 0 || !strings.Contains(p.Notes[0], "it tried 2 of") {
		t.Errorf("%v %v", err, p.Notes)
	}
	heard, missed := 0, 0
	for _, h := range p.Services {
		if h.Outside.Tried() {
			heard++
		} else if h.Outside.Says == "The far end did not come to it." {
			missed++
		} else if h.Outside.Says == "" {
			t.Errorf("nothing is said of %s", h.Service)
		}
	}
	if heard != 1 || missed < 2 {
		t.Errorf("%d were heard, %d missed", heard, missed)
	}
	p, err = wire.Prove(context.Background(), w, wire.Trial{Site: v, Only: []string{"rec.web"}}, func(wire.Trying) {})
	if err != nil || len(p.Services) != 1 || p.Services[0].Inside.Result != site.HeardAnswers || p.Services[0].Outside.By != site.TriedLooped || p.Services[0].Outside.Result != site.HeardSilent {
		t.Errorf("%v %+v", err, p.Services)
	}
	if r := diagnosis.Of(v, p).Services[0]; r.Works != diagnosis.Unknown || r.Causes[0].Cause != diagnosis.NoWayBackIn {
		t.Errorf("%+v", r)
	}
	elsewhere := *w
	elsewhere.Own, elsewhere.Gateway = netip.MustParsePrefix("192.0.2.9/24"), netip.MustParseAddr("192.0.2.1")
	if _, err := wire.Prove(context.Background(), &elsewhere, wire.Trial{Site: v, From: wire.Inside}, func(wire.Trying) {}); err == nil || !strings.Contains(err.Error(), "attached to no network of the site") {
		t.Errorf("inside, from elsewhere: %v", err)
	}
	ctx, stop := context.WithCancel(context.Background())
	time.AfterFunc(300*time.Millisecond, stop)
	begin := time.Now()
	if p, err := wire.Prove(ctx, w, wire.Trial{Site: v, Far: sim.Far{World: w}}, func(wire.Trying) {}); err == nil || len(p.Services) == 0 || time.Since(begin) > 2*time.Second {
		t.Errorf("stopped: %v after %v", err, time.Since(begin))
	}
}

// The kinds that count decide how a service is asked: a firm's own before those shipped, which
// ask the recorder's video by RTSP.
func TestOwnKindsDecideHowItIsAsked(t *testing.T) {
	t.Parallel()
	w, v := pottery(t), site.NewView(potterySite(t))
	own := catalogue.Shipped().With(site.Kind{ID: "recorder", Name: "video recorder", Services: []site.KindService{{ID: "data", Name: "video", Protocol: site.TCP, Ports: span.Port(554), Check: "http"}}})
	for want, known := range map[string]catalogue.Catalogue{"RTSP, Ostrel recorder 4.2": {}, "nothing that is HTTP": own} {
		p, err := wire.Prove(context.Background(), w, wire.Trial{Site: v, Only: []string{"rec.video"}, Known: known}, func(wire.Trying) {})
		if err != nil || !strings.Contains(p.Services[0].Inside.Says, want) {
			t.Errorf("%v %q, want %q", err, p.Services[0].Inside.Says, want)
		}
	}
}
