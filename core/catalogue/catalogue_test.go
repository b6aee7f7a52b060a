package catalogue

import (
	"errors"
	"slices"
	"strings"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
	"vestpin/core/strict"
)

// The catalogue that ships reads as strictly as one that somebody wrote, and holds every
// kind that it must; each purpose opens something that the kind has, and each service that
// is well known has the port of the registry.
func TestShipped(t *testing.T) {
	c, err := Read(shipped)
	if err != nil {
		t.Fatal(err)
	}
	for _, id := range strings.Fields("recorder camera phone-system phone-adapter door-entry computer file-server media-server console video-link controller meter printer till router switch access-point vpn-end web-server mail-server home-hub") {
		k, ok := c.Find(id)
		if !ok || k.ID != id || len(k.Purposes) == 0 || len(k.Services) == 0 {
			t.Errorf("%s: %v, %d purposes, %d services", id, ok, len(k.Purposes), len(k.Services))
		}
		if named, _ := c.Find(k.Name); named.ID != id || c.ID(k.Name) != id {
			t.Errorf("%q means %q, want %q", k.Name, named.ID, id)
		}
	}
	registry := map[string]string{"http": "80", "https": "443", "rtsp": "554", "ssh": "22", "rdp": "3389", "rfb": "5900", "ftp": "21", "smtp": "25 587"}
	for _, k := range c.Kinds {
		for _, s := range k.Services {
			if want, known := registry[string(s.Check)]; known && !slices.Contains(strings.Fields(want), s.Ports.String()) && k.ID != "printer" {
				t.Errorf("%s %s at %s: want %s", k.ID, s.ID, s.Ports, want)
			}
			if strings.Contains(s.Address, ":") && !strings.Contains(s.Address, "{host}") {
				t.Errorf("%s %s: address %q names no host", k.ID, s.ID, s.Address)
			}
			if s.Risk == site.RiskDanger && s.What == "" {
				t.Errorf("%s %s is dangerous, and does not say what it opens", k.ID, s.ID)
			}
		}
	}
	for _, p := range c.Look {
		port, _ := p.Single()
		if s, ok := c.At(port); !ok || s.Check == "none" || s.Check == "" {
			t.Errorf("%d is looked at, and nothing is known of it", port)
		}
	}
	if !Among([]string{"phone-system", "camera"}, "Phone system") || !Among([]string{"pbx"}, "phone-system") || Among([]string{"camera"}, "recorder") || !Among([]string{"kiln"}, "kiln") {
		t.Error("words for one kind are not taken for each other")
	}
}

// What somebody wrote wrongly is refused with its path.
func TestBadCatalogues(t *testing.T) {
	whole := `{"format":"vestpin-catalogue/1","kinds":[{"id":"kiln","name":"kiln","purposes":[{"id":"watch","name":"watch","services":["page"]}],` +
		`"services":[{"id":"page","name":"web page","protocol":"tcp","ports":"80","open":"any","canSetTo":["81"],"risk":"plain","check":"http","address":"http://{host}:{port}/","tells":[]}]}]}`
	if _, err := Read([]byte(whole)); err != nil {
		t.Fatal(err)
	}
	for _, c := range [][3]string{
		{`catalogue/1`, `catalogue/2`, "catalogue.format"},
		{`"tcp"`, `"icmp"`, "catalogue.kinds[0].services[0].protocol"},
		{`"ports":"80"`, `"ports":"0"`, "catalogue.kinds[0].services[0].ports"},
		{`"services":["page"]`, `"services":["pages"]`, "catalogue.kinds[0].purposes[0].services[0]"},
		{`"81"`, `"81-82"`, "catalogue.kinds[0].services[0].canSetTo[0]"},
		{`"check":"http"`, `"check":"gopher"`, "catalogue.kinds[0].services[0].check"},
		{`"open":"any"`, `"open":"maybe"`, "catalogue.kinds[0].services[0].open"},
		{`"name":"kiln"`, `"name":"kiln","words":"(kiln"`, "catalogue.kinds[0].words"},
		{`"name":"kiln"`, `"name":"kiln","label":"kiln"`, "catalogue.kinds[0].label"},
		{`"tells":[]`, `"tells":["colour"]`, "catalogue.kinds[0].services[0].tells[0]"},
	} {
		_, err := Read([]byte(strings.Replace(whole, c[0], c[1], 1)))
		var bad *strict.Refusal
		if !errors.As(err, &bad) || bad.Path != c[2] || bad.Want == "" {
			t.Errorf("%s: got %v, want a refusal at %s", c[1], err, c[2])
		}
	}
}

const equipSite = `{"format":"vestpin-site/1","name":"x","networks":[{"id":"main","subnet":"10.48.16.0/24"}],"routers":[{"id":"edge","network":"main"}],"devices":[
	{"id":"rec","name":"Recorder","kind":"video recorder","interfaces":[{"id":"rec.0","network":"main"}],
	 "services":[{"id":"rec.web","name":"stream","interface":"rec.0","protocol":"tcp","ports":"554"},{"id":"rec.old","name":"old page","interface":"rec.0","protocol":"tcp","ports":"8000"}]},
	{"id":"pbx","name":"Telephones","kind":"phone-system","interfaces":[{"id":"pbx.0","name":"control","network":"main"},{"id":"pbx.1","name":"voice card","network":"main"},{"id":"pbx.2","name":"voice card 2","network":"main"}]},
	{"id":"pc","name":"Kiln PC","kind":"computer","interfaces":[{"id":"pc.0","network":"main"}]},
	{"id":"open","name":"Shop PC","kind":"computer","interfaces":[{"id":"open.0","network":"main"}],"services":[{"id":"open.rdp","name":"desktop","interface":"open.0","protocol":"tcp","ports":"3389","open":{"port":"any"}}]},
	{"id":"odd","name":"Odd","kind":"weathervane","interfaces":[{"id":"odd.0","network":"main"}]}]}`

// A purpose opens what it needs and nothing else, with what the device has already.
func TestEquip(t *testing.T) {
	s, err := sitefile.Read([]byte(equipSite))
	if err != nil {
		t.Fatal(err)
	}
	office, _ := site.ParseSender("198.51.100.0/24")
	for _, c := range []struct {
		what, device string
		w            Wanted
		want         []string
		says         string
	}{
		{"a purpose, with a service that is there", "rec", Wanted{Purposes: []string{"watch"}}, []string{"rec.page web page tcp 80 any on rec.0", "rec.web stream tcp 554 any on rec.0"}, "To watch from elsewhere"},
		{"a box with two interfaces", "pbx", Wanted{Purposes: []string{"calls"}}, []string{"pbx.sip calls (SIP) udp 5060 same on pbx.0", "pbx.voice voice (RTP) udp 16384-16447 same on pbx.1"}, "must be the same outside"},
		{"with what is optional", "pbx", Wanted{Purposes: []string{"calls"}, Also: []string{"voice-2"}, Helping: []string{"sip"}, Interface: map[string]string{"voice-2": "pbx.2"}},
			[]string{"pbx.sip calls (SIP) both 5060 same on pbx.0", "pbx.voice voice (RTP) udp 16384-16447 same on pbx.1", "pbx.voice-2 voice of a second card (RTP) udp 16448-16511 same on pbx.2"}, "tcp and udp"},
		{"a danger", "pc", Wanted{Purposes: []string{"desktop"}}, []string{"pc.desktop remote desktop (RDP) tcp 3389 any on pc.0"}, "Dangerous: it opens a remote desktop to everybody. Limit who may connect, or reach it through a VPN end."},
		{"a danger for few", "pc", Wanted{Purposes: []string{"desktop"}, From: []site.Sender{office}}, []string{"pc.desktop remote desktop (RDP) tcp 3389 any on pc.0 from 198.51.100.0/24"}, "is opened."},
		{"of a kind that the site does not say", "odd", Wanted{Kind: "camera", Purposes: []string{"watch"}}, []string{"odd.video video (RTSP) tcp 554 any on odd.0"}, "Odd is a camera."},
		{"a danger that is open already", "open", Wanted{Purposes: []string{"desktop"}, From: []site.Sender{office}}, []string{"open.rdp desktop tcp 3389 any on open.0 from 198.51.100.0/24"}, "limited"},
		{"on another port", "rec", Wanted{Purposes: []string{"manage"}, Ports: map[string]string{"page-tls": "8443"}}, []string{"rec.page-tls web page (TLS) tcp 8443 any on rec.0"}, "8443"},
	} {
		got, err := Shipped().Equip(s, c.device, c.w)
		if err != nil {
			t.Fatalf("%s: %v", c.what, err)
		}
		var edits []edit.Edit
		var made []string
		why := ""
		for _, ch := range got.Changes {
			edits, why = append(edits, ch.Edit), why+ch.Why
			e, ok := ch.Edit.(edit.PutService)
			if !ok {
				continue
			}
			from := ""
			for _, f := range e.Service.Open.From {
				from += " from " + f.String()
			}
			made = append(made, e.Service.ID+" "+e.Service.Name+" "+string(e.Service.Protocol)+" "+e.Service.Ports.String()+" "+e.Service.Open.Port+" on "+e.Service.Interface+from)
		}
		if !slices.Equal(made, c.want) || !strings.Contains(why, c.says) {
			t.Errorf("%s: got\n%s\n%s\nwant\n%s", c.what, strings.Join(made, "\n"), why, strings.Join(c.want, "\n"))
		}
		after, _, err := edit.Apply(s, edits)
		if err != nil {
			t.Fatalf("%s: %v", c.what, err)
		}
		if again, err := Shipped().Equip(after, c.device, c.w); err != nil || len(again.Changes) != 0 {
			t.Errorf("%s: a second time makes %v, %v", c.what, again.Changes, err)
		}
	}
	for device, w := range map[string]Wanted{"none": {}, "odd": {Purposes: []string{"watch"}}, "rec": {Purposes: []string{"calls"}}, "pc": {Also: []string{"fax"}}} {
		if _, err := Shipped().Equip(s, device, w); err == nil {
			t.Errorf("%s is equipped for %v", device, w)
		}
	}
}
