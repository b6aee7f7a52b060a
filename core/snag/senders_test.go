package snag

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// sendersSite has a phone base that everybody reaches, a door entry for one sender at the
// same port, and a desktop that is open to everybody.
func sendersSite(t *testing.T, limits string) site.Site {
	t.Helper()
	text := strings.NewReplacer("ONLY", `,"limitsSender":"`+limits+`"`, "MORE", `,"from":["198.51.100.7"]`).Replace(shutSite)
	text = strings.Replace(text, `"devices":[`, `"links":[{"id":"l","end":"calls","interface":"a.0","far":{"name":"Farm office","dial":"203.0.113.9:5060/udp"}}],"devices":[
		{"id":"pc","name":"Desk","interfaces":[{"id":"pc.0","network":"main","pin":{"address":"10.48.16.12","by":"device"}}],"services":[{"id":"pc.s","name":"desktop","interface":"pc.0","protocol":"tcp","ports":"3389","open":{"port":"any"}}]},`, 1)
	text = strings.Replace(text, `"forwards":[`, `"forwards":[{"id":"pcf","router":"edge","enabled":true,"protocol":"tcp","outside":"3389","to":"pc.0","service":"pc.s"},`, 1)
	s, err := sitefile.Read([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return s
}

func mendsOf(s site.Site, code string) []Mend {
	for _, sn := range Check(site.NewView(s)) {
		if sn.Code == code {
			return withWays(site.NewView(s), sn)
		}
	}
	return nil
}

func does(mends []Mend) string {
	var out []string
	for _, m := range mends {
		out = append(out, m.Does)
	}
	return strings.Join(out, "\n")
}

// Where a router limits senders, two services at one port are both open once each is for
// senders of its own, and what is dangerous is open to few: to those that the site names.
func TestSendersAreLimited(t *testing.T) {
	for _, c := range []struct{ limits, unmet, risky string }{
		{"network", `Keep Door entry calls inside
Tell Door entry another outside port for calls, and open it at 10001
Let only 203.0.113.9 reach Phone base calls, and open Door entry calls at 5060
Keep Phone base calls inside, and open Door entry calls at 5060`, `Let only 198.51.100.7 through The forward of 3389
Let only 203.0.113.9 through The forward of 3389
Keep Desk desktop inside`},
		{"no", `Keep Door entry calls inside`, `Keep Desk desktop inside`},
	} {
		s := sendersSite(t, c.limits)
		if got := does(mendsOf(s, "wish-unmet")); got != c.unmet {
			t.Errorf("senders limited by %s, shut:\n%s\nwant\n%s", c.limits, got, c.unmet)
		}
		if got := does(mendsOf(s, "forward-risky")); got != c.risky {
			t.Errorf("senders limited by %s, risky:\n%s\nwant\n%s", c.limits, got, c.risky)
		}
	}
}

// On random sites each mend of a risky forward ends it, brings nothing that stops work, and
// shuts no other service.
func TestRiskyForwardsAreTamed(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	tried := 0
	for range 200 {
		s := sendersSite(t, []string{"address", "network"}[r.IntN(2)])
		s.Routers[0].Form.Lines = []int{0, 2, 3, 4}[r.IntN(4)]
		if r.IntN(2) == 0 {
			s.Forwards[0].Service = ""
		}
		if r.IntN(3) == 0 {
			s.Devices[2].Services[0].Open.From = append(s.Devices[2].Services[0].Open.From, site.Sender{Prefix: s.Devices[2].Services[0].Open.From[0].Prefix})
			two, _ := site.ParseSender(fmt.Sprint("192.0.2.", r.IntN(250)))
			s.Devices[2].Services[0].Open.From[1] = two
		}
		v := site.NewView(s)
		before := Check(v)
		for _, m := range mendsOf(s, "forward-risky") {
			tried++
			after, _, err := edit.Apply(s, m.Edits)
			if err != nil {
				t.Fatalf("%s: %v", m.Does, err)
			}
			now := Check(site.NewView(after))
			if count(now, "forward-risky") != 0 || stops(now, "") > stops(before, "") || count(now, "wish-unmet") > count(before, "wish-unmet") {
				t.Errorf("%s: %s", m.Does, saysAll(now))
			}
		}
	}
	if tried < 300 {
		t.Errorf("only %d mends were tried", tried)
	}
}

func saysAll(snags []Snag) string {
	var out []string
	for _, s := range snags {
		out = append(out, s.Code+": "+s.Says)
	}
	return strings.Join(out, "; ")
}
