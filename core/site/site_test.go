package site

import (
	"errors"
	"fmt"
	"reflect"
	"strings"
	"testing"
)

const sample = `{
  "format": "vestpin-site/1", "name": "Saltmarsh Pottery",
  "networks": [{"id": "main", "name": "Main", "subnet": "10.48.16.0/24", "gateway": "10.48.16.1", "dns": ["10.48.16.1"],
    "ranges": [{"from": "10.48.16.100", "to": "10.48.16.179"}],
    "bands": [{"name": "cameras", "from": "10.48.16.20", "to": "10.48.16.39", "kinds": ["camera", "recorder"]}],
    "keepFree": [{"from": "10.48.16.240", "to": "10.48.16.254", "why": "landlord's lift"}]}],
  "routers": [{"id": "edge", "name": "Hall cupboard router", "network": "main", "upstream": "",
    "wan": {"address": "203.0.113.47", "kind": "dynamic", "name": "studio.example.net"},
    "ownPorts": [{"protocol": "tcp", "ports": "443", "why": "the router's own page"}], "upnp": "on",
    "form": {"portsPerLine": "range", "renumber": "one", "protocols": ["tcp", "udp"], "limitsSender": "no", "lines": 16, "reserves": "anywhere", "reservationLines": 0}}],
  "devices": [{"id": "rec", "name": "Gallery recorder", "kind": "recorder", "place": "office", "rank": 1,
    "interfaces": [{"id": "rec.0", "network": "main", "mac": "00:00:5e:00:53:21", "seen": "10.48.16.112", "wants": "auto",
      "pin": {"address": "10.48.16.20", "by": "reservation", "locked": false}}],
    "services": [{"id": "rec.web", "name": "web page", "interface": "rec.0", "protocol": "tcp", "ports": "80",
      "open": {"port": "any", "prefer": "8020", "from": ["198.51.100.0/24"], "router": "edge"}, "canSetTo": ["81", "8080"]}]}],
  "forwards": [{"id": "f1", "name": "Recorder web page", "router": "edge", "enabled": true, "protocol": "tcp", "outside": "8020",
    "to": "rec.0", "inside": "80", "from": ["198.51.100.0/24"], "service": "rec.web", "locked": true}]
}`

func TestSiteFileComesBackTheSame(t *testing.T) {
	s, err := Read([]byte("\xef\xbb\xbf" + sample))
	if err != nil {
		t.Fatal(err)
	}
	again, err := Read(Write(s))
	if err != nil || string(Write(again)) != string(Write(s)) {
		t.Errorf("%v\n%s\n%s", err, Write(s), Write(again))
	}
	d := s.Devices[0]
	if d.Interfaces[0].Pin.By != ByReservation || d.Services[0].Open.Prefer.String() != "8020" || !s.Forwards[0].Locked || s.Routers[0].Form.Lines != 16 {
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
		d.Interfaces[0].Pin.By != ByReservation || d.Services[0].Open.Port != AnyPort || !s.Forwards[0].Enabled {
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
		{"a broadcast MAC", "00:00:5e:00:53:21", "ff:ff:ff:ff:ff:ff", "$.devices[0].interfaces[0].mac", "one interface"},
		{"5,000 characters", "Gallery recorder", strings.Repeat("x", 5000), "$.devices[0].name", "at most 200 characters"},
		{"nothing for a subnet", `"subnet": "10.48.16.0/24",`, "", "$.networks[0].subnet", "a value"},
		{"a wish of another size", `"prefer": "8020"`, `"prefer": "8020-8021"`, "$.devices[0].services[0].open.prefer", "as many ports"},
		{"null", `"networks": [{`, `"networks": null, "x": [{`, "$.networks", "a list"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			if !strings.Contains(sample, c.old) {
				t.Fatalf("the sample has no %q", c.old)
			}
			_, err := Read([]byte(strings.Replace(sample, c.old, c.new, 1)))
			var bad *Refusal
			if !errors.As(err, &bad) || bad.Path != c.path || !strings.Contains(bad.Want, c.want) {
				t.Errorf("got %v", err)
			}
		})
	}
}

func TestBrokenFiles(t *testing.T) {
	deep := `{"format":"vestpin-site/1","name":` + strings.Repeat("[", 5000) + strings.Repeat("]", 5000) + "}"
	for name, text := range map[string]string{"empty": "", "cut in half": sample[:len(sample)/2], "something behind": sample + "{}", "not UTF-8": "{\xff}", "deep": deep, "a list": "[]", "binary": "\x00\x01\x02"} {
		_, err := Read([]byte(text))
		var bad *Refusal
		if !errors.As(err, &bad) {
			t.Errorf("%s: got %v", name, err)
		}
	}
}

func FuzzRead(f *testing.F) {
	f.Add([]byte(sample))
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

func TestParseMAC(t *testing.T) {
	for text, want := range map[string]MAC{
		"00:00:5E:00:53:21": "00:00:5e:00:53:21", "00-00-5e-00-53-21": "00:00:5e:00:53:21", "0000.5e00.5321": "00:00:5e:00:53:21", "00005e005321": "00:00:5e:00:53:21",
		"00005e-005321": "00:00:5e:00:53:21", "0:0:5e:0:53:1": "00:00:5e:00:53:01", "00 00 5e 00 53 21": "00:00:5e:00:53:21",
		"00:00:00:00:00:00": "", "ff:ff:ff:ff:ff:ff": "", "01:00:5e:00:00:fb": "", "00:00:5e:00:53": "", "00:00:5e:00:53:2g": "", "00:00-5e:00:53:21": "", "": "", "00:00:5e:00:53:211": "",
	} {
		got, err := ParseMAC(text)
		if got != want || (err != nil) != (want == "") {
			t.Errorf("%q: got %q, %v", text, got, err)
		}
	}
	if !MAC("72:1e:8b:20:9a:04").Randomised() || MAC("00:00:5e:00:53:21").Randomised() {
		t.Error("which MAC addresses are made up")
	}
}

// A refused batch leaves the site as it was; a removal takes along what would
// dangle, and its undoing brings all back.
func TestApply(t *testing.T) {
	s, err := Read([]byte(sample))
	if err != nil {
		t.Fatal(err)
	}
	before := string(Write(s))
	name := "x"
	for what, edits := range map[string][]Edit{
		"no edit":             {RenameSite{name}, nil},
		"nobody's pin":        {SetPin{ID: "none"}},
		"nothing to put":      {PutDevice{}},
		"a network in use":    {RemoveNetwork{ID: "main"}},
		"a service elsewhere": {PutService{ID: "rec", Service: Service{ID: "s", Interface: "other", Protocol: TCP, Ports: s.Forwards[0].Outside}}},
	} {
		if next, _, err := Apply(s, edits); err == nil || string(Write(next)) != before {
			t.Errorf("%s was taken", what)
		}
	}
	for _, e := range []Edit{RemoveDevice{ID: "rec"}, RemoveInterface{ID: "rec.0"}, RemoveService{ID: "rec.web"}} {
		next, undo, err := Apply(s, []Edit{e})
		if err != nil || len(next.Forwards) != 0 {
			t.Errorf("%s: %v, %d forwards left", e.Verb(), err, len(next.Forwards))
		}
		if back, _, err := Apply(next, undo); err != nil || string(Write(back)) != before {
			t.Errorf("%s does not come back: %v\n%s", e.Verb(), err, Write(back))
		}
	}
	if string(Write(s)) != before {
		t.Error("the old value was changed")
	}
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
		{"name", longestName, func(n int) string { return name(n) + "," + network("") }},
		{"networks", mostNetworks, func(n int) string {
			return `"name":"x","networks":[` + number(n, `{"id":"n#","subnet":"10.0.0.0/8"}`) + `]`
		}},
		{"routers", mostRouters, func(n int) string {
			return `"name":"x","networks":[{"id":"n","subnet":"10.0.0.0/8"}],"routers":[` + number(n, `{"id":"r#","network":"n"}`) + `]`
		}},
		{"devices", MostDevices, func(n int) string { return `"name":"x","devices":[` + number(n, `{"id":"d#"}`) + `]` }},
		{"forwards", mostForwards, func(n int) string {
			return `"name":"x",` + network("") + `,"forwards":[` + number(n, `{"id":"f#","router":"r","protocol":"tcp","outside":"1","to":"10.0.0.2"}`) + `]`
		}},
		{"done", mostDone, func(n int) string { return `"name":"x","done":[` + number(n, `{"step":"s#","at":""}`) + `]` }},
		{"visits", mostVisits, func(n int) string { return `"name":"x","visits":[` + number(n, `{"id":"v#","from":""}`) + `]` }},
		{"makers", mostMakers, func(n int) string { return `"name":"x","makers":[` + number(n, `{"prefix":"#","name":"m"}`) + `]` }},
		{"dns", mostDNS, func(n int) string { return `"name":"x",` + network(`,"dns":[`+of(n, `"10.0.0.3"`)+`]`) }},
		{"ranges", mostRanges, func(n int) string {
			return `"name":"x",` + network(`,"ranges":[`+of(n, `{"from":"10.0.0.3","to":"10.0.0.4"}`)+`]`)
		}},
		{"bands", mostBands, func(n int) string {
			return `"name":"x",` + network(`,"bands":[`+of(n, `{"name":"b","from":"10.0.0.3","to":"10.0.0.4"}`)+`]`)
		}},
		{"kinds", mostKinds, func(n int) string {
			return `"name":"x",` + network(`,"bands":[{"name":"b","from":"10.0.0.3","to":"10.0.0.4","kinds":[`+of(n, `"k"`)+`]}]`)
		}},
		{"keepFree", mostKeepFree, func(n int) string {
			return `"name":"x",` + network(`,"keepFree":[`+of(n, `{"from":"10.0.0.3","to":"10.0.0.4"}`)+`]`)
		}},
		{"evidence", mostEvidence, func(n int) string { return `"name":"x",` + device(`,"evidence":[`+of(n, `{"source":"s"}`)+`]`, "") }},
		{"traits", mostTraits, func(n int) string {
			return `"name":"x",` + device(`,"evidence":[{"source":"s","traits":[`+of(n, `{"name":"n","value":"v"}`)+`]}]`, "")
		}},
		{"from", mostSenders, func(n int) string { return `"name":"x",` + device("", `,"open":{"from":[`+of(n, `"192.0.2.1"`)+`]}`) }},
		{"canSetTo", mostCanSetTo, func(n int) string { return `"name":"x",` + device("", `,"canSetTo":[`+of(n, `"2"`)+`]`) }},
	} {
		for _, n := range []int{c.most, c.most + 1} {
			_, err := Read([]byte(`{"format":"vestpin-site/1",` + c.file(n) + `}`))
			var bad *Refusal
			if n == c.most && err != nil {
				t.Errorf("%d of %s: %v", n, c.what, err)
			} else if n > c.most && (!errors.As(err, &bad) || !strings.Contains(bad.Path, c.what) || !strings.Contains(bad.Want, fmt.Sprint(c.most))) {
				t.Errorf("%d of %s: %v", n, c.what, err)
			}
		}
	}
	many := make([]Edit, MostEdits+1)
	for i := range many {
		many[i] = RenameSite{"x"}
	}
	if _, _, err := Apply(Site{Name: "y"}, many[:MostEdits]); err != nil {
		t.Error(err)
	}
	if _, _, err := Apply(Site{Name: "y"}, many); err == nil || !strings.Contains(err.Error(), fmt.Sprint(MostEdits)) {
		t.Errorf("one edit more: %v", err)
	}
}

// A journal of the first format may hold what no verb has a use for; later ones may
// not, and one of a later program is refused as such.
func TestEditsOfAJournal(t *testing.T) {
	old := []byte(`[{"do":"remove-forward","id":"f1","only":true,"wants":""},{"do":"makers"}]`)
	got, err := ReadEdits(1, old)
	if want := []Edit{RemoveForward{"f1"}, SetMakers{[]Maker{}}}; err != nil || !reflect.DeepEqual(got, want) {
		t.Errorf("%v, got %+v", err, got)
	}
	if _, err := ReadEdits(2, old); err == nil || !strings.Contains(err.Error(), "edits[0].only") {
		t.Errorf("the same in the second format: %v", err)
	}
	if _, err := ReadEdits(EditFormat+1, old); err == nil || !strings.Contains(err.Error(), "newer program") {
		t.Errorf("of a later program: %v", err)
	}
}

// A sender is one address or a whole network; what could be either is refused.
func TestParseSender(t *testing.T) {
	for text, want := range map[string]string{"198.51.100.7": "198.51.100.7", " 198.51.100.0/24 ": "198.51.100.0/24", "198.51.100.7/32": "198.51.100.7", "198.51.100.7/24": "", "0.0.0.0/0": "0.0.0.0/0", "10.0.0": "", "": "", "2001:db8::1": ""} {
		got, err := ParseSender(text)
		if (err == nil) != (want != "") || err == nil && got.String() != want {
			t.Errorf("%q: got %v, %v", text, got, err)
		}
	}
	if _, err := ParseSender("198.51.100.7/24"); err == nil || !strings.Contains(err.Error(), "either the one address 198.51.100.7 or the network 198.51.100.0/24") {
		t.Errorf("got %v", err)
	}
}

// Each word that a site can have is read, and no other.
func TestWordsAreReadAndNoOthers(t *testing.T) {
	met := map[reflect.Type]bool{}
	var visit func(reflect.Type)
	visit = func(of reflect.Type) {
		if met[of] {
			return
		}
		met[of] = true
		value := reflect.New(of)
		if list, ok := value.Interface().(interface {
			Words() []string
			UnmarshalText([]byte) error
		}); ok {
			for _, word := range list.Words() {
				if err := list.UnmarshalText([]byte(word)); err != nil || value.Elem().String() != word {
					t.Errorf("%v: %q is read as %q: %v", of, word, value.Elem(), err)
				}
			}
			for _, text := range []string{"", "perhaps", " " + list.Words()[0], strings.ToUpper(list.Words()[0])} {
				if err := list.UnmarshalText([]byte(text)); err == nil {
					t.Errorf("%v takes %q", of, text)
				}
			}
		}
		switch of.Kind() {
		case reflect.Struct:
			for i := range of.NumField() {
				visit(of.Field(i).Type)
			}
		case reflect.Slice, reflect.Pointer:
			visit(of.Elem())
		}
	}
	visit(reflect.TypeFor[Site]())
	if !met[reflect.TypeFor[Wants]()] || !met[reflect.TypeFor[TriedBy]()] {
		t.Error("not all of a site was looked at")
	}
}
