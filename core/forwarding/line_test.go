package forwarding

import (
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// What works comes first in line, whatever the ranks; of what does not work yet, ranks decide.
func TestWhatWorksKeepsItsEntry(t *testing.T) {
	s, err := sitefile.Read([]byte(`{"format":"vestpin-site/1","name":"x",
 "networks":[{"id":"main","subnet":"10.48.16.0/24","gateway":"10.48.16.1"}],
 "routers":[{"id":"edge","network":"main","wan":{"address":"203.0.113.9"},"form":{"lines":2}}],
 "devices":[
  {"id":"late","rank":9,"interfaces":[{"id":"late.0","network":"main","pin":{"address":"10.48.16.20"}}],"services":[{"id":"late.s","interface":"late.0","protocol":"tcp","ports":"80","open":{"port":"same"}}]},
  {"id":"mid","rank":5,"interfaces":[{"id":"mid.0","network":"main","pin":{"address":"10.48.16.21"}}],"services":[{"id":"mid.s","interface":"mid.0","protocol":"tcp","ports":"81","open":{"port":"same"}}]},
  {"id":"early","rank":1,"interfaces":[{"id":"early.0","network":"main","pin":{"address":"10.48.16.22"}}],"services":[{"id":"early.s","interface":"early.0","protocol":"tcp","ports":"82","open":{"port":"same"}}]}],
 "forwards":[{"id":"f","router":"edge","protocol":"tcp","outside":"80","to":"late.0","inside":"80","service":"late.s"}]}`))
	if err != nil {
		t.Fatal(err)
	}
	plan := Suggest(site.NewView(s))
	if len(plan.Unmet) != 1 || plan.Unmet[0].Services[0] != "mid.s" {
		t.Errorf("unmet: %+v", plan.Unmet)
	}
	next, _, err := edit.Apply(s, plan.Edits())
	if err != nil || len(next.Forwards) != 2 || next.Forwards[0].Service != "late.s" || next.Forwards[1].Service != "early.s" {
		t.Errorf("%v: %+v", err, next.Forwards)
	}
}
