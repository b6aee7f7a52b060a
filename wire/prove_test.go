package wire_test

import (
	"context"
	"fmt"
	"os"
	"strings"
	"testing"

	"vestpin/core/diagnosis"
	"vestpin/core/site"
	"vestpin/sim"
	"vestpin/wire"
)

func potterySite(t *testing.T) site.Site {
	t.Helper()
	data, err := os.ReadFile("../demo/sites/pottery.json")
	if err != nil {
		t.Fatal(err)
	}
	s, err := site.Read(data)
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
