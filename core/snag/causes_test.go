package snag

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/past"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

const looseSite = `{"format":"vestpin-site/1","name":"mill","networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1","ranges":[{"from":"10.48.16.100","to":"10.48.16.179"}]}],"routers":[{"id":"edge","name":"Edge","network":"main"}],"devices":[
{"id":"pc","name":"Office PC","interfaces":[{"id":"pc.0","network":"main","mac":"00:00:5e:00:53:21"}],"services":[{"id":"a","name":"web page","interface":"pc.0","protocol":"tcp","ports":"80","open":{"port":"any"}},{"id":"b","name":"second page","interface":"pc.0","protocol":"tcp","ports":"443","open":{"port":"any"}},{"id":"c","interface":"pc.0","protocol":"tcp","ports":"9000","open":{"port":"any"}}]},
{"id":"cam","name":"Yard camera","interfaces":[{"id":"cam.0","network":"main","mac":"00:00:5e:00:53:22","pin":{"address":"10.48.16.21","by":"reservation"}}],"services":[{"id":"d","name":"web page","interface":"cam.0","protocol":"tcp","ports":"80","open":{"port":"any"}}]}]}`

// A loose device with three services to be opened is one snag, whose first mend ends all that comes of it, and
// whose last keeps all inside.
func TestOneSnagACause(t *testing.T) {
	s, err := sitefile.Read([]byte(looseSite))
	if err != nil {
		t.Fatal(err)
	}
	about := func(s site.Site) (out []Snag) {
		v := site.NewView(s)
		for _, sn := range OneACause(v, Check(v)) {
			if slices.Contains(sn.About, site.Ref("device:pc")) {
				out = append(out, sn)
			}
		}
		return out
	}
	snags := about(s)
	if len(snags) != 1 || snags[0].Says != "Office PC is loose, and its web page, second page and 9000 are to be open outside." || len(snags[0].Mends) != 3 {
		t.Fatalf("%+v", snags)
	}
	if does := snags[0].Mends[0].Does; does != "Pin Office PC at 10.48.16.2 and open web page at 80, second page at 443 and 9000 at 9000" {
		t.Error(does)
	}
	for k, want := range []struct {
		pinned bool
		opened int
		left   int
	}{{true, 3, 0}, {true, 0, 3}, {false, 0, 0}} {
		made, _, err := edit.Apply(s, snags[0].Mends[k].Edits)
		if err != nil {
			t.Fatal(err)
		}
		opened := 0
		for _, f := range made.Forwards {
			if f.To == "pc.0" && f.Enabled {
				opened++
			}
		}
		if pinned := made.Devices[0].Interfaces[0].Pin != nil; pinned != want.pinned || opened != want.opened || len(about(made)) != want.left {
			t.Errorf("%s: pinned %v, %d opened, left %+v", snags[0].Mends[k].Does, pinned, opened, about(made))
		}
	}
}

// On random sites nothing is left out and nothing told twice: each snag of the check stands there, or its
// device does; a first mend brings nothing that stops work.
func TestCausesLoseNothing(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 22))
	joined := 0
	for range 400 {
		v := site.NewView(past.Chain(r, 3))
		snags := Check(v)
		told := OneACause(v, snags)
		for _, sn := range snags {
			if !slices.ContainsFunc(told, func(o Snag) bool {
				return o.Says == sn.Says || sn.Code == "wish-unmet" && o.Weight == Stops && slices.Contains(o.About, sn.About[0]) || o.Code == "open-but-loose" && !slices.ContainsFunc(sn.About, func(r site.Ref) bool { return !slices.Contains(o.About, r) })
			}) {
				t.Fatalf("lost: %+v\namong %+v", sn, told)
			}
		}
		before := stopsOf(snags)
		for _, sn := range told {
			if sn.Code != "open-but-loose" || len(sn.Mends) == 0 || len(sn.About) < 4 && len(snags) == len(told) {
				continue
			}
			joined++
			made, _, err := edit.Apply(v.Site, sn.Mends[0].Edits)
			if err != nil {
				t.Fatalf("%s: %v", sn.Mends[0].Does, err)
			}
			for _, after := range Check(site.NewView(made)) {
				if after.Weight == Stops && !before[after.Code+fmt.Sprint(after.About)] && !sharedFault(after, snags) {
					t.Errorf("%s brings %s: %s", sn.Mends[0].Does, after.Code, after.Says)
				}
			}
		}
	}
	if joined < 20 {
		t.Errorf("only %d were joined", joined)
	}
}
