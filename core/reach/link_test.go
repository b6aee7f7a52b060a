package reach

import (
	"strings"
	"testing"

	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// An end that listens is open once something leads to it, through all routers of the way,
// and says what to dial; one that calls needs nothing.
func TestLinks(t *testing.T) {
	const file = `{"format":"vestpin-site/1","name":"x",
		"networks":[{"id":"mid","subnet":"10.77.0.0/24"},{"id":"own","subnet":"10.48.20.0/24"}],
		"routers":[{"id":"box","network":"mid","wan":{"address":"198.51.100.23","name":"flat.example.net"}},{"id":"inner","network":"own","upstream":"box","wan":{"address":"10.77.0.20"}}],
		"devices":[{"id":"dec","interfaces":[{"id":"dec.0","network":"own","pin":{"address":"10.48.20.10","by":"device"}}],"services":[
			{"id":"in","interface":"dec.0","protocol":"udp","ports":"7001","open":{"port":"any"}},{"id":"wide","interface":"dec.0","protocol":"both","ports":"9000-9009","open":{"port":"any"}},
			{"id":"half","interface":"dec.0","protocol":"tcp","ports":"81","open":{"port":"any"}},{"id":"kept","interface":"dec.0","protocol":"tcp","ports":"80"}]}],
		"forwards":[
			{"id":"f1","router":"box","enabled":true,"protocol":"udp","outside":"17001","to":"10.77.0.20","inside":"7001"},{"id":"f2","router":"inner","enabled":true,"protocol":"udp","outside":"7001","to":"dec.0"},
			{"id":"f3","router":"box","enabled":true,"protocol":"both","outside":"9000-9009","to":"10.77.0.20"},{"id":"f4","router":"inner","enabled":true,"protocol":"both","outside":"9000-9009","to":"dec.0"},
			{"id":"f5","router":"inner","enabled":true,"protocol":"tcp","outside":"81","to":"dec.0"}],
		"links":[{"id":"a","end":"listens","service":"in","far":{}},{"id":"b","end":"listens","service":"wide","far":{}},{"id":"c","end":"listens","service":"half","far":{}},{"id":"d","end":"listens","service":"kept","far":{}},
			{"id":"e","end":"calls","interface":"dec.0","far":{"dial":"hall.example.net:7001"}},{"id":"f","end":"calls","interface":"dec.0","far":{}}]}`
	s, err := sitefile.Read([]byte(file))
	if err != nil {
		t.Fatal(err)
	}
	want := []LinkState{
		{"a", LinkOpen, "flat.example.net:17001/udp", "It listens, and is dialled from the other site."},
		{"b", LinkOpen, "flat.example.net:9000-9009/tcp flat.example.net:9000-9009/udp", "It listens, and is dialled from the other site."},
		{"c", LinkShut, "", "It listens, but nothing leads to it yet."},
		{"d", LinkShut, "", "It listens, but is kept inside: open the service."},
		{"e", LinkDials, "hall.example.net:7001", "It calls: no forward is needed here."},
		{"f", LinkUnknown, "", "It calls; what it is to dial is not known yet."},
	}
	for i, got := range Of(site.NewView(s)).Links() {
		if got != want[i] {
			t.Errorf("got %+v, want %+v", got, want[i])
		}
	}
	for _, bad := range []string{`{"id":"a","end":"listens","service":"none","far":{}}`, `{"id":"a","end":"calls","interface":"none","far":{}}`, `{"id":"a","end":"calls","interface":"dec.0","service":"in","far":{}}`, `{"id":"a","end":"hums","far":{}}`} {
		if _, err := sitefile.Read([]byte(`{"format":"vestpin-site/1","name":"x","devices":[{"id":"dec"}],"links":[` + bad + `]}`)); err == nil || strings.Contains(err.Error(), "nothing stands there") {
			t.Errorf("%s: %v", bad, err)
		}
	}
}
