package sitefile

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"vestpin/core/past"
	"vestpin/core/site"
	"vestpin/core/strict"
)

func TestSiteFileComesBackTheSame(t *testing.T) {
	s, err := Read([]byte("\xef\xbb\xbf" + past.Sample))
	if err != nil {
		t.Fatal(err)
	}
	again, err := Read(Write(s))
	if err != nil || string(Write(again)) != string(Write(s)) {
		t.Errorf("%v\n%s\n%s", err, Write(s), Write(again))
	}
	d := s.Devices[0]
	if d.Interfaces[0].Pin.By != site.ByReservation || d.Services[0].Open.Prefer.String() != "8020" || !s.Forwards[0].Locked || s.Routers[0].Form.Lines != 16 {
		t.Errorf("something was lost: %+v", s)
	}
}

func TestAbsentMeansTheUsual(t *testing.T) {
	s, err := Read([]byte(`{"format":"vestpin-site/1","name":"x","networks":[{"id":"n","subnet":"10.48.16.0/24"}],"routers":[{"id":"r","network":"n"}],
		"devices":[{"id":"d","interfaces":[{"id":"d.0","network":"n","pin":{"address":"10.48.16.4"}}],"services":[{"id":"s","interface":"d.0","protocol":"tcp","ports":"80","open":{}}]}],
		"forwards":[{"id":"f","router":"r","protocol":"tcp","outside":"80","to":"10.48.16.4"}]}`))
	if err != nil {
		t.Fatal(err)
	}
	r, d := s.Routers[0], s.Devices[0]
	if r.UPnP != "unknown" || r.WAN.Kind != "unknown" || r.Form.Reserves != "anywhere" || d.Importance() != 5 || d.Interfaces[0].Wants != "auto" ||
		d.Interfaces[0].Pin.By != site.ByReservation || d.Services[0].Open.Port != site.AnyPort || !s.Forwards[0].Enabled {
		t.Errorf("got %s", Write(s))
	}
}

func TestRefusalsSayWhereAndWhat(t *testing.T) {
	cases := []struct{ name, old, new, path, want string }{
		{"another format", "vestpin-site/1", "vestpin-site/9", "$.format", `"vestpin-site/1"`},
		{"an unknown key", `"rank": 1`, `"weight": 1`, "$.devices[0].weight", "one of the keys"},
		{"a key twice", `"rank": 1`, `"rank": 1, "rank": 2`, "$.devices[0].rank", "each key once"},
		{"an id twice", `"forwards": [`, `"forwards": [{"id":"f1","router":"edge","protocol":"tcp","outside":"1","to":"rec.0"},`, "$.forwards[1].id", "no other forward"},
		{"a dangling network", `"network": "main", "mac"`, `"network": "attic", "mac"`, "$.devices[0].interfaces[0].network", "the id of a network"},
		{"a dangling service", `"service": "rec.web", "locked"`, `"service": "rec.tv", "locked"`, "$.forwards[0].service", "the id of a service"},
		{"a forward to nothing", `"to": "rec.0"`, `"to": "rec.9"`, "$.forwards[0].to", "or an IPv4 address"},
		{"a router behind itself", `"upstream": ""`, `"upstream": "edge"`, "$.routers[0].upstream", "stands behind itself"},
		{"no address", "10.48.16.112", "10.48.16.1112", "$.devices[0].interfaces[0].seen", "an IPv4 address"},
		{"port 0", `"outside": "8020"`, `"outside": "0"`, "$.forwards[0].outside", "1 to 65535"},
		{"ports of two sizes", `"inside": "80"`, `"inside": "80-81"`, "$.forwards[0].inside", "as many ports"},
		{"a protocol of its own", `"protocol": "tcp", "outside"`, `"protocol": "icmp", "outside"`, "$.forwards[0].protocol", `"tcp", "udp" or "both"`},
		{"a range the wrong way", `"to": "10.48.16.179"`, `"to": "10.48.16.9"`, "$.networks[0].ranges[0].to", "from low to high"},
		{"a gateway elsewhere", `"gateway": "10.48.16.1"`, `"gateway": "10.48.17.1"`, "$.networks[0].gateway", "inside 10.48.16.0/24"},
		{"a number for a text", `"name": "Main"`, `"name": 7`, "$.networks[0].name", "text in quotes"},
		{"a text for a number", `"lines": 16`, `"lines": "16"`, "$.routers[0].form.lines", "a whole number"},
		{"a broken number", `"lines": 16`, `"lines": 1.5`, "$.routers[0].form.lines", "a whole number"},
		{"a word not known", `"upnp": "on"`, `"upnp": "maybe"`, "$.routers[0].upnp", "on, off, unknown"},
		{"a word left empty", `"upnp": "on"`, `"upnp": ""`, "$.routers[0].upnp", "on, off, unknown"},
		{"a broadcast MAC", "00:00:5e:00:53:21", "ff:ff:ff:ff:ff:ff", "$.devices[0].interfaces[0].mac", "one interface"},
		{"5,000 characters", "Gallery recorder", strings.Repeat("x", 5000), "$.devices[0].name", "at most 200 characters"},
		{"nothing for a subnet", `"subnet": "10.48.16.0/24",`, "", "$.networks[0].subnet", "a value"},
		{"a wish of another size", `"prefer": "8020"`, `"prefer": "8020-8021"`, "$.devices[0].services[0].open.prefer", "as many ports"},
		{"null", `"networks": [{`, `"networks": null, "x": [{`, "$.networks", "a list"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			if !strings.Contains(past.Sample, c.old) {
				t.Fatalf("the past.Sample has no %q", c.old)
			}
			_, err := Read([]byte(strings.Replace(past.Sample, c.old, c.new, 1)))
			var bad *strict.Refusal
			if !errors.As(err, &bad) || bad.Path != c.path || !strings.Contains(bad.Want, c.want) {
				t.Errorf("got %v", err)
			}
		})
	}
}

func TestBrokenFiles(t *testing.T) {
	deep := `{"format":"vestpin-site/1","name":` + strings.Repeat("[", 5000) + strings.Repeat("]", 5000) + "}"
	for name, text := range map[string]string{"empty": "", "cut in half": past.Sample[:len(past.Sample)/2], "something behind": past.Sample + "{}", "not UTF-8": "{\xff}", "deep": deep, "a list": "[]", "binary": "\x00\x01\x02"} {
		_, err := Read([]byte(text))
		var bad *strict.Refusal
		if !errors.As(err, &bad) {
			t.Errorf("%s: got %v", name, err)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(past.Sample))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := Read(data)
		if err != nil {
			return
		}
		if again, err := Read(Write(s)); err != nil || string(Write(again)) != string(Write(s)) {
			t.Errorf("%v: what was written does not come back", err)
		}
	})
}

// Each bound is taken at the bound and refused past it, with the number in the refusal.
func TestBounds(t *testing.T) {
	of := func(n int, text string) string { return strings.TrimSuffix(strings.Repeat(text+",", n), ",") }
	number := func(n int, text string) string {
		all := make([]string, n)
		for i := range all {
			all[i] = strings.ReplaceAll(text, "#", fmt.Sprint(i))
		}
		return strings.Join(all, ",")
	}
	network := func(rest string) string {
		return `"networks":[{"id":"n","subnet":"10.0.0.0/8"` + rest + `}],"routers":[{"id":"r","network":"n"}]`
	}
	device := func(iface, service string) string {
		return network("") + `,"devices":[{"id":"d","interfaces":[{"id":"i","network":"n"` + iface + `}],"services":[{"id":"s","interface":"i","protocol":"tcp","ports":"1"` + service + `}]}]`
	}
	name := func(n int) string { return `"name":"` + strings.Repeat("é", n) + `"` }
	for _, c := range []struct {
		what string
		most int
		file func(n int) string
	}{
		{"name", site.LongestName, func(n int) string { return name(n) + "," + network("") }},
		{"networks", site.MostNetworks, func(n int) string {
			return `"name":"x","networks":[` + number(n, `{"id":"n#","subnet":"10.0.0.0/8"}`) + `]`
		}},
		{"routers", site.MostRouters, func(n int) string {
			return `"name":"x","networks":[{"id":"n","subnet":"10.0.0.0/8"}],"routers":[` + number(n, `{"id":"r#","network":"n"}`) + `]`
		}},
		{"devices", site.MostDevices, func(n int) string { return `"name":"x","devices":[` + number(n, `{"id":"d#"}`) + `]` }},
		{"forwards", site.MostForwards, func(n int) string {
			return `"name":"x",` + network("") + `,"forwards":[` + number(n, `{"id":"f#","router":"r","protocol":"tcp","outside":"1","to":"10.0.0.2"}`) + `]`
		}},
		{"done", site.MostDone, func(n int) string { return `"name":"x","done":[` + number(n, `{"step":"s#","at":""}`) + `]` }},
		{"visits", site.MostVisits, func(n int) string { return `"name":"x","visits":[` + number(n, `{"id":"v#","from":""}`) + `]` }},
		{"makers", site.MostMakers, func(n int) string { return `"name":"x","makers":[` + number(n, `{"prefix":"#","name":"m"}`) + `]` }},
		{"dns", site.MostDNS, func(n int) string { return `"name":"x",` + network(`,"dns":[`+of(n, `"10.0.0.3"`)+`]`) }},
		{"ranges", site.MostRanges, func(n int) string {
			return `"name":"x",` + network(`,"ranges":[`+of(n, `{"from":"10.0.0.3","to":"10.0.0.4"}`)+`]`)
		}},
		{"bands", site.MostBands, func(n int) string {
			return `"name":"x",` + network(`,"bands":[`+of(n, `{"name":"b","from":"10.0.0.3","to":"10.0.0.4"}`)+`]`)
		}},
		{"kinds", site.MostKinds, func(n int) string {
			return `"name":"x",` + network(`,"bands":[{"name":"b","from":"10.0.0.3","to":"10.0.0.4","kinds":[`+of(n, `"k"`)+`]}]`)
		}},
		{"keepFree", site.MostKeepFree, func(n int) string {
			return `"name":"x",` + network(`,"keepFree":[`+of(n, `{"from":"10.0.0.3","to":"10.0.0.4"}`)+`]`)
		}},
		{"evidence", site.MostEvidence, func(n int) string { return `"name":"x",` + device(`,"evidence":[`+of(n, `{"source":"s"}`)+`]`, "") }},
		{"traits", site.MostTraits, func(n int) string {
			return `"name":"x",` + device(`,"evidence":[{"source":"s","traits":[`+of(n, `{"name":"n","value":"v"}`)+`]}]`, "")
		}},
		{"from", site.MostSenders, func(n int) string { return `"name":"x",` + device("", `,"open":{"from":[`+of(n, `"192.0.2.1"`)+`]}`) }},
		{"canSetTo", site.MostCanSetTo, func(n int) string { return `"name":"x",` + device("", `,"canSetTo":[`+of(n, `"2"`)+`]`) }},
	} {
		for _, n := range []int{c.most, c.most + 1} {
			_, err := Read([]byte(`{"format":"vestpin-site/1",` + c.file(n) + `}`))
			var bad *strict.Refusal
			if n == c.most && err != nil {
				t.Errorf("%d of %s: %v", n, c.what, err)
			} else if n > c.most && (!errors.As(err, &bad) || !strings.Contains(bad.Path, c.what) || !strings.Contains(bad.Want, fmt.Sprint(c.most))) {
				t.Errorf("%d of %s: %v", n, c.what, err)
			}
		}
	}
}
