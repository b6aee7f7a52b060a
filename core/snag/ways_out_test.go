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

const shutSite = `{"format":"vestpin-site/1","name":"x","networks":[{"id":"main","subnet":"10.48.16.0/24"}],
	"routers":[{"id":"edge","name":"Edge","network":"main","form":{"protocols":["tcp","udp"]ONLY}},{"id":"second","name":"Second","network":"main","form":{"protocols":["tcp","udp"]}}],
	"devices":[
		{"id":"a","name":"Phone base","rank":1,"interfaces":[{"id":"a.0","network":"main","pin":{"address":"10.48.16.10","by":"device"}}],"services":[{"id":"a.s","name":"calls","interface":"a.0","protocol":"udp","ports":"5060","open":{"port":"same","router":"edge"}}]},
		{"id":"b","name":"Door entry","interfaces":[{"id":"b.0","network":"main","pin":{"address":"10.48.16.11","by":"device"}}],"services":[{"id":"b.s","name":"calls","interface":"b.0","protocol":"udp","ports":"5060","open":{"port":"same","router":"edge"MORE}}]}],
	"forwards":[{"id":"f","router":"edge","enabled":true,"protocol":"udp","outside":"5060","to":"a.0","service":"a.s"}]}`

// withWays gives the mends of a snag, with those that are worked out when they are asked for.
func withWays(v site.View, sn Snag) []Mend {
	if !sn.Further {
		return sn.Mends
	}
	ways, err := WaysOut(v, strings.TrimPrefix(string(sn.About[0]), "service:"))
	if err != nil {
		panic(err)
	}
	return append(sn.Mends, ways...)
}

// A service that cannot be opened comes with what may be given up for it, each saying what it
// costs; each opens it, and shuts nothing else but what it names.
func TestWaysOut(t *testing.T) {
	for _, c := range []struct{ what, only, more, want string }{
		{"an outside port that another has", "", "", `Keep Door entry calls inside
Tell Door entry another outside port for calls, and open it at 10001
Reach Door entry calls from Second at 5060
Keep Phone base calls inside, and open Door entry calls at 5060`},
		{"a sender that the form cannot limit", "", `,"from":["198.51.100.7"]`, `Keep Door entry calls inside`},
		{"no renumbering", `,"renumber":"none"`, "", `Keep Door entry calls inside
Reach Door entry calls from Second at 5060
Keep Phone base calls inside, and open Door entry calls at 5060`},
	} {
		s, err := sitefile.Read([]byte(strings.NewReplacer("ONLY", c.only, "MORE", c.more).Replace(shutSite)))
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, sn := range Check(site.NewView(s)) {
			if sn.Code != "wish-unmet" {
				continue
			}
			for _, m := range withWays(site.NewView(s), sn) {
				got = append(got, m.Does)
			}
		}
		if strings.Join(got, "\n") != c.want {
			t.Errorf("%s:\ngot\n%s\nwant\n%s", c.what, strings.Join(got, "\n"), c.want)
		}
	}
}

// Where lines are short, neighbours become one line: it opens what both opened, and the line
// that it frees opens the service.
func TestNeighboursAreJoined(t *testing.T) {
	const file = `{"format":"vestpin-site/1","name":"x","networks":[{"id":"main","subnet":"10.48.16.0/24"}],
		"routers":[{"id":"edge","name":"Edge","network":"main","form":{"protocols":["tcp"],"lines":2,"portsPerLine":"PER","renumber":"NUM"}}],
		"devices":[{"id":"a","name":"Recorder","interfaces":[{"id":"a.0","network":"main","pin":{"address":"10.48.16.10","by":"device"}}],"services":[
			{"id":"a.s","name":"page","interface":"a.0","protocol":"tcp","ports":"80","open":{"port":"8020"}},{"id":"a.t","name":"data","interface":"a.0","protocol":"tcp","ports":"INSIDE","open":{"port":"8021"}}]},
		{"id":"b","name":"Camera","interfaces":[{"id":"b.0","network":"main","pin":{"address":"10.48.16.11","by":"device"}}],"services":[{"id":"b.s","name":"page","interface":"b.0","protocol":"tcp","ports":"80","open":{"port":"any"}}]}],
		"forwards":[{"id":"f","router":"edge","enabled":true,"protocol":"tcp","outside":"8020","to":"a.0","inside":"80","service":"a.s"},{"id":"g","router":"edge","enabled":true,"protocol":"tcp","outside":"8021","to":"a.0","inside":"INSIDE","service":"a.t"}]}`
	for _, c := range []struct {
		per, renumber, inside string
		want                  bool
	}{{"range", "range", "81", true}, {"range", "one", "81", false}, {"range", "range", "82", false}, {"one", "range", "81", false}} {
		s, err := sitefile.Read([]byte(strings.NewReplacer("PER", c.per, "NUM", c.renumber, "INSIDE", c.inside).Replace(file)))
		if err != nil {
			t.Fatal(err)
		}
		joined := false
		for _, sn := range Check(site.NewView(s)) {
			for _, m := range withWays(site.NewView(s), sn) {
				if m.Does != "Join 8020 and 8021 at Edge into one line, and open Camera page at 8011" && m.Does != "Join 8020 and 8021 at Edge into one line, and open Camera page at 80" {
					continue
				}
				joined = true
				after, _, err := edit.Apply(s, m.Edits)
				if err != nil {
					t.Fatal(err)
				}
				for _, sn := range Check(site.NewView(after)) {
					if sn.Weight == Stops || sn.Code == "wish-unmet" {
						t.Errorf("%s: %s", m.Does, sn.Says)
					}
				}
			}
		}
		if joined != c.want {
			t.Errorf("%s, %s, %s: joined %v, want %v", c.per, c.renumber, c.inside, joined, c.want)
		}
	}
}

// On random sites that are short of ports: each way out opens its service, and shuts no other
// but the one that it keeps in.
func TestWaysOutOnRandomSites(t *testing.T) {
	r := rand.New(rand.NewPCG(21, 22))
	tried := 0
	for range 300 {
		s := site.Site{Name: "x"}
		base, err := sitefile.Read([]byte(strings.NewReplacer("ONLY", fmt.Sprintf(`,"renumber":%q,"lines":%d`, []string{"none", "one", "range"}[r.IntN(3)], 2+r.IntN(4)), "MORE", "").Replace(shutSite)))
		if err != nil {
			t.Fatal(err)
		}
		s = base
		for i := range 2 + r.IntN(4) {
			d := base.Devices[1]
			id := fmt.Sprint("d", i)
			d.ID, d.Name, d.Rank = id, id, 1+r.IntN(5)
			d.Interfaces = []site.Interface{d.Interfaces[0]}
			d.Interfaces[0].ID, d.Interfaces[0].Pin = id+".0", &site.Pin{Address: d.Interfaces[0].Pin.Address.Next(), By: "device"}
			for range i {
				d.Interfaces[0].Pin.Address = d.Interfaces[0].Pin.Address.Next()
			}
			d.Services = []site.Service{d.Services[0]}
			open := *d.Services[0].Open
			open.Port = []string{"same", "any", "5060", "80"}[r.IntN(4)]
			d.Services[0].ID, d.Services[0].Interface, d.Services[0].Open = id+".s", id+".0", &open
			s.Devices = append(s.Devices, d)
		}
		v := site.NewView(s)
		for _, sn := range Check(v) {
			if sn.Code != "wish-unmet" {
				continue
			}
			about := strings.TrimPrefix(string(sn.About[0]), "service:")
			for _, m := range withWays(site.NewView(s), sn) {
				if strings.HasPrefix(m.Does, "Keep") && !strings.Contains(m.Does, "and open") {
					continue
				}
				tried++
				after, _, err := edit.Apply(s, m.Edits)
				if err != nil {
					t.Fatalf("%s: %v", m.Does, err)
				}
				then := site.NewView(after)
				for _, sn := range Check(then) {
					if sn.Weight == Stops || sn.Code == "wish-unmet" && string(sn.About[0]) == "service:"+about {
						t.Fatalf("%s: %s", m.Does, sn.Says)
					}
				}
			}
		}
	}
	if tried < 300 {
		t.Errorf("only %d ways were tried", tried)
	}
}
