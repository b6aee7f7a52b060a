package edit

import (
	"fmt"
	"reflect"
	"strings"
	"testing"

	"vestpin/core/past"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// A refused batch leaves the site as it was; a removal takes along what would
// dangle, and its undoing brings all back.
func TestApply(t *testing.T) {
	s, err := sitefile.Read([]byte(past.Sample))
	if err != nil {
		t.Fatal(err)
	}
	before := string(sitefile.Write(s))
	name := "x"
	for what, edits := range map[string][]Edit{
		"no edit":             {RenameSite{name}, nil},
		"nobody's pin":        {SetPin{ID: "none"}},
		"nothing to put":      {PutDevice{}},
		"a network in use":    {RemoveNetwork{ID: "main"}},
		"a service elsewhere": {PutService{ID: "rec", Service: site.Service{ID: "s", Interface: "other", Protocol: site.TCP, Ports: s.Forwards[0].Outside}}},
	} {
		if next, _, err := Apply(s, edits); err == nil || string(sitefile.Write(next)) != before {
			t.Errorf("%s was taken", what)
		}
	}
	for _, e := range []Edit{RemoveDevice{ID: "rec"}, RemoveInterface{ID: "rec.0"}, RemoveService{ID: "rec.web"}} {
		next, undo, err := Apply(s, []Edit{e})
		if err != nil || len(next.Forwards) != 0 {
			t.Errorf("%s: %v, %d forwards left", e.Verb(), err, len(next.Forwards))
		}
		if back, _, err := Apply(next, undo); err != nil || string(sitefile.Write(back)) != before {
			t.Errorf("%s does not come back: %v\n%s", e.Verb(), err, sitefile.Write(back))
		}
	}
	if string(sitefile.Write(s)) != before {
		t.Error("the old value was changed")
	}
}

// A journal of the first format may hold what no verb has a use for; later ones may
// not, and one of a later program is refused as such.
func TestEditsOfAJournal(t *testing.T) {
	old := []byte(`[{"do":"remove-forward","id":"f1","only":true,"wants":""},{"do":"makers"}]`)
	got, err := Read(1, old)
	if want := []Edit{RemoveForward{"f1"}, SetMakers{[]site.Maker{}}}; err != nil || !reflect.DeepEqual(got, want) {
		t.Errorf("%v, got %+v", err, got)
	}
	if _, err := Read(2, old); err == nil || !strings.Contains(err.Error(), "edits[0].only") {
		t.Errorf("the same in the second format: %v", err)
	}
	if _, err := Read(Format+1, old); err == nil || !strings.Contains(err.Error(), "newer program") {
		t.Errorf("of a later program: %v", err)
	}
}

// No batch is larger than a journal can keep.
func TestMostEdits(t *testing.T) {
	many := make([]Edit, MostEdits+1)
	for i := range many {
		many[i] = RenameSite{"x"}
	}
	if _, _, err := Apply(site.Site{Name: "y"}, many[:MostEdits]); err != nil {
		t.Error(err)
	}
	if _, _, err := Apply(site.Site{Name: "y"}, many); err == nil || !strings.Contains(err.Error(), fmt.Sprint(MostEdits)) {
		t.Errorf("one edit more: %v", err)
	}
}
