package snag

import (
	"slices"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// What devices had a router open is held against the plan, and what the router tells of its
// outside against what is entered.
func TestMapped(t *testing.T) {
	const file = `{"format":"vestpin-site/1","name":"x","networks":[{"id":"main","subnet":"10.48.16.0/24"}],
		"routers":[{"id":"edge","name":"Router","network":"main","wan":{"address":"203.0.113.47","kind":"static"},"mapped":{"by":["upnp"],"outside":"OUTSIDE","forwards":[MAPPED]}}],
		"devices":[{"id":"rec","name":"Recorder","interfaces":[{"id":"rec.0","network":"main","pin":{"address":"10.48.16.20","by":"device"}}]},
			{"id":"play","name":"Console","interfaces":[{"id":"play.0","network":"main","seen":"10.48.16.140"}],"services":[{"id":"play.s","name":"play","interface":"play.0","protocol":"udp","ports":"41200"CLAIMS}]}],
		"forwards":[{"id":"f","name":"Recorder page","router":"edge","enabled":true,"protocol":"tcp","outside":"8020","to":"rec.0","inside":"80"}]}`
	line := func(proto, outside, address, inside string) string {
		return `{"protocol":"` + proto + `","outside":"` + outside + `","address":"` + address + `","inside":"` + inside + `","from":[]}`
	}
	const over = "8020/tcp at Router was opened by Console for itself (UPnP), and is planned for Recorder page. Only one of the two gets it."
	const gone = "Console play says that it had 41200 opened at Router by itself (UPnP); the router lists no such port."
	for _, c := range []struct{ what, outside, mapped, want string }{
		{"claimed, and not there", "203.0.113.47", line("tcp", "41200", "10.48.16.140", "41200") + "CLAIMED", gone},
		{"claimed by another", "203.0.113.47", line("udp", "41200", "10.48.16.141", "41200") + "CLAIMED", gone},
		{"claimed, and there", "203.0.113.47", line("both", "41000-41999", "10.48.16.140", "41000-41999") + "CLAIMED", ""},
		{"another device", "203.0.113.47", line("tcp", "8020", "10.48.16.140", "8020"), over},
		{"a range among others, of both protocols", "203.0.113.47", line("tcp", "9000", "10.48.16.140", "9000") + "," + line("both", "8000-8030", "10.48.16.140", "8000-8030"), strings.Replace(over, "/tcp", "/both", 1)},
		{"another port of the same device", "203.0.113.47", line("tcp", "8020", "10.48.16.20", "81"), "8020/tcp at Router was opened by Recorder for itself (UPnP), and is planned for Recorder page. Only one of the two gets it."},
		{"the very same", "203.0.113.47", line("tcp", "8020", "10.48.16.20", "80"), ""},
		{"the other protocol", "203.0.113.47", line("udp", "8020", "10.48.16.140", "8020"), ""},
		{"another outside address", "203.0.113.99", line("udp", "8020", "10.48.16.140", "8020"), "Router tells 203.0.113.99 as its outside address; 203.0.113.47 is entered."},
	} {
		mapped, claims := strings.CutSuffix(c.mapped, "CLAIMED")
		claim := ""
		if claims {
			claim = `,"claims":"41200"`
		}
		s, err := sitefile.Read([]byte(strings.NewReplacer("OUTSIDE", c.outside, "MAPPED", mapped, "CLAIMS", claim).Replace(file)))
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, sn := range Check(site.NewView(s)) {
			if sn.Code != "mapped-over" && sn.Code != "outside-told-otherwise" && sn.Code != "claimed-not-there" {
				continue
			}
			got = append(got, sn.Says)
			for _, m := range sn.Mends {
				after, _, err := edit.Apply(s, m.Edits)
				if err != nil || slices.ContainsFunc(Check(site.NewView(after)), func(o Snag) bool { return o.Code == sn.Code }) {
					t.Errorf("%s: %s does not end it: %v", c.what, m.Does, err)
				}
			}
		}
		if strings.Join(got, "\n") != c.want {
			t.Errorf("%s: got %q, want %q", c.what, got, c.want)
		}
	}
}
