package server

import (
	"encoding/json"
	"strings"
	"testing"

	"vestpin/core/site"
	"vestpin/demo"
	"vestpin/wire"
)

// told is what the tests look at of an answer.
type told struct {
	ID      string
	Version int
	Undo    string
	Site    site.Site
}

// atPottery is the made-up network of the pottery, whatever site is asked for.
func atPottery(string) wire.Network {
	w, err := demo.Network("pottery")
	if err != nil {
		panic(err) // it is part of the program
	}
	return w
}

// What this computer is attached to, and which sites are there already.
func TestHere(t *testing.T) {
	u := serve(t, Options{Network: atPottery}).URL
	status, body := send(t, "GET", u+"/api/here", "")
	want := `[{"name":"made-up","kind":"wired","own":"10.48.16.160","subnet":"10.48.16.0/24","gateway":"10.48.16.1","dns":["10.48.16.1"],"dhcp":"10.48.16.1","lease":86400,"sites":["pottery"]}]`
	if status != 200 || strings.TrimSpace(body) != want {
		t.Errorf("%d %s", status, body)
	}
	// Where it is attached to nothing, it says so with an empty list.
	if status, body := send(t, "GET", serve(t, Options{}).URL+"/api/here", ""); status != 200 || strings.TrimSpace(body) != "[]" {
		t.Errorf("%d %s", status, body)
	}
}

// What a laptop prints of itself fills the fields; what tells no network is refused.
func TestSettingsArePasted(t *testing.T) {
	u := serve(t, Options{}).URL + "/api/parse/settings"
	printed := "Ethernet adapter LAN:\n   Physical Address. . . . . . . . . : 00-00-5E-00-53-7E\n   IPv4 Address. . . . . . . . . . . : 10.48.30.127(Preferred)\n   Subnet Mask . . . . . . . . . . . : 255.255.255.0\n   Default Gateway . . . . . . . . . : 10.48.30.1\n   DHCP Server . . . . . . . . . . . : 10.48.30.1\n   DNS Servers . . . . . . . . . . . : 10.48.30.1\n"
	text, _ := json.Marshal(map[string]string{"text": printed})
	status, body := send(t, "POST", u, string(text))
	if status != 200 || !strings.Contains(body, `"subnet":"10.48.30.0/24"`) || !strings.Contains(body, `"gateway":"10.48.30.1"`) || !strings.Contains(body, `"dhcp":["10.48.30.1"]`) {
		t.Errorf("%d %s", status, body)
	}
	if status, body := send(t, "POST", u, `{"text":"good morning"}`); status != 422 || !strings.Contains(body, "No network is told there") {
		t.Errorf("%d %s", status, body)
	}
}

// A copy has the networks, bands and forms, and nothing of what is only true there.
func TestCopyAsTemplate(t *testing.T) {
	u := serve(t, Options{}).URL
	status, body := send(t, "POST", u+"/api/sites/pottery/copy", `{"name":"Tidemill Dairy"}`)
	var a told
	if err := json.Unmarshal([]byte(body), &a); status != 200 || err != nil {
		t.Fatalf("%d %v %.200s", status, err, body)
	}
	s := a.Site
	r := s.Routers[0]
	if a.ID != "tidemill-dairy" || len(s.Devices)+len(s.Forwards)+len(s.Visits)+len(s.Done) != 0 || len(s.Networks[0].Bands) == 0 || r.Form.Lines != 16 || r.WAN.Address.IsValid() || r.WAN.Name != "" {
		t.Errorf("%s: %d devices, %d forwards, %d bands, %+v", a.ID, len(s.Devices), len(s.Forwards), len(s.Networks[0].Bands), r)
	}
	if status, body := send(t, "POST", u+"/api/sites/pottery/copy", `{"name":" "}`); status != 422 || !strings.Contains(body, "Give the site a name.") {
		t.Errorf("%d %s", status, body)
	}
}

// A site file of a site that is here is asked about, and becomes it as one change, or another site.
func TestSiteFilesAreUpdatesOrNew(t *testing.T) {
	u := serve(t, Options{}).URL
	_, file := send(t, "GET", u+"/api/sites/pottery/file", "")
	newer := strings.Replace(file, `"name": "Till"`, `"name": "Shop till"`, 1)
	if newer == file {
		t.Fatal("the file has no till")
	}
	status, body := send(t, "POST", u+"/api/sites/import", newer)
	if status != 409 || !strings.Contains(body, `{"message":"pottery","location":"exists"}`) {
		t.Fatalf("%d %s", status, body)
	}
	var a told
	status, body = send(t, "POST", u+"/api/sites/import?as=update&site=pottery", newer)
	if err := json.Unmarshal([]byte(body), &a); status != 200 || err != nil || a.ID != "pottery" || a.Version != 2 || a.Undo != "take in a newer site file" {
		t.Fatalf("%d %v %s at %d, undo %q", status, err, a.ID, a.Version, a.Undo)
	}
	if _, now := send(t, "GET", u+"/api/sites/pottery/file", ""); now != newer {
		t.Error("the site is not what its file says")
	}
	if status, body = send(t, "POST", u+"/api/sites/import?as=update&site=pottery", newer); status != 200 || !strings.Contains(body, `"version":2`) {
		t.Errorf("the same once more: %d %.80s", status, body)
	}
	if status, body = send(t, "POST", u+"/api/sites/pottery/undo", `{"version":2}`); status != 200 {
		t.Errorf("%d %.80s", status, body)
	}
	if _, now := send(t, "GET", u+"/api/sites/pottery/file", ""); now != file {
		t.Error("undone, the site is not what it was")
	}
	if status, body = send(t, "POST", u+"/api/sites/import?as=new", newer); status != 200 || !strings.Contains(body, `"id":"saltmarsh-pottery"`) {
		t.Errorf("%d %.80s", status, body)
	}
	if status, _ = send(t, "POST", u+"/api/sites/import?as=update&site=none", newer); status != 404 {
		t.Errorf("an update of no site: %d", status)
	}
}

// The backup is taken and put back through the interface; what is none is refused.
func TestBackupThroughTheInterface(t *testing.T) {
	u := serve(t, Options{}).URL
	status, backup := send(t, "GET", u+"/api/backup", "")
	if status != 200 || !strings.HasPrefix(backup, "SQLite format 3\x00") {
		t.Fatalf("%d %.40q", status, backup)
	}
	for range 2 {
		if status, _ := send(t, "DELETE", u+"/api/sites/flat", ""); status != 204 {
			t.Fatal(status)
		}
		status, body := send(t, "POST", u+"/api/restore", backup)
		if status != 200 || !strings.Contains(body, "v.db-before-") {
			t.Fatalf("%d %s", status, body)
		}
		if status, body := send(t, "GET", u+"/api/sites/flat", ""); status != 200 {
			t.Errorf("%d %.100s", status, body)
		}
	}
	if status, body := send(t, "POST", u+"/api/restore", "a,b\n1,2\n"); status != 422 || !strings.Contains(body, "no backup of Vest Pin") {
		t.Errorf("%d %s", status, body)
	}
}

// Lists with one thing a line, as they are typed.
func TestLinesAreParsed(t *testing.T) {
	u := serve(t, Options{}).URL + "/api/parse/"
	for _, c := range []struct {
		path, text string
		status     int
		says       string
	}{
		{"own-ports", "TCP 443  the router's own page\n\nudp 500,4500", 200, `[{"protocol":"tcp","ports":"443","why":"the router's own page"},{"protocol":"udp","ports":"500,4500"}]`},
		{"own-ports", "443", 422, `"location":"ownPorts"`},
		{"own-ports", "tcp 80-79", 422, "ports from 1 to 65535"},
		{"makers", "00:00:5e:00:53:2 Ostrel Vision\n", 200, `[{"prefix":"00:00:5e:00:53:2","name":"Ostrel Vision"}]`},
		{"makers", "", 200, "[]"},
	} {
		text, _ := json.Marshal(map[string]string{"text": c.text})
		if status, body := send(t, "POST", u+c.path, string(text)); status != c.status || !strings.Contains(body, c.says) {
			t.Errorf("%s %q: %d %s", c.path, c.text, status, body)
		}
	}
}

// Things that are added without an id are told by the ids they got.
func TestAddedThingsAreNamed(t *testing.T) {
	u := serve(t, Options{}).URL
	status, body := send(t, "POST", u+"/api/sites/pottery/edits", `{"version":1,"edits":[{"do":"put-network","network":{"id":"","name":"Modem","subnet":"192.0.2.0/24"}},{"do":"put-device","device":{"id":"","name":"Modem","kind":"modem","interfaces":[{"id":"","network":"","seen":"192.0.2.1"}]}}]}`)
	want := `{"merged":[],"made":["network:net2","device:d20","interface:d20.0"],"id":"pottery"`
	if status != 200 || !strings.HasPrefix(body, want) || !strings.Contains(body, `"network":"net2","seen":"192.0.2.1"`) {
		t.Errorf("%d %.300s", status, body)
	}
}
