package server

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"net/url"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"vestpin/core/site"
	"vestpin/demo"
	"vestpin/lab"
	"vestpin/sim"
	"vestpin/store"
	"vestpin/wire"
)

type file struct{ name, data string }

// evidence sends files as the page does.
func evidence(t testing.TB, u, id string, files ...file) (int, string) {
	t.Helper()
	return evidenceOf(t, u, id, "2026-11-23T09:00:00Z", files...)
}

// evidenceOf sends files that were taken at a time.
func evidenceOf(t testing.TB, u, id, at string, files ...file) (int, string) {
	t.Helper()
	var b bytes.Buffer
	form := multipart.NewWriter(&b)
	for _, f := range files {
		w, err := form.CreateFormFile("file", f.name)
		if err != nil {
			t.Fatal(err)
		}
		io.WriteString(w, f.data)
	}
	form.Close()
	r, err := http.NewRequest("POST", u+"/api/sites/"+id+"/evidence?at="+url.QueryEscape(at), &b)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", form.FormDataContentType())
	return answerTo(t, r)
}

func TestSeveralFilesAtOnce(t *testing.T) {
	u := serve(t, Options{}).URL
	status, body := evidence(t, u, "pottery",
		file{"leases", "1795431600 00:00:5e:00:53:21 10.48.16.112 rec *\n"},
		file{"own.txt", "2: eth0: <BROADCAST,UP> mtu 1500\n    inet 10.48.16.160/24 brd 10.48.16.255 scope global eth0\ndefault via 10.48.16.1 dev eth0\n"},
		file{"page.html", "<html><body><table><tr><td>shed</td><td>00:00:5e:00:53:99</td><td>10.48.16.141</td></tr></table></body></html>"})
	var p struct {
		Preview
		Edits []json.RawMessage `json:"edits"`
	}
	if err := json.Unmarshal([]byte(body), &p); err != nil || status != 200 {
		t.Fatalf("%d %v %.300s", status, err, body)
	}
	if len(p.Sources) != 3 || p.Counts["new"] != 1 || p.Counts["moved"] != 1 || p.Facts.Own.String() != "10.48.16.160" || p.Findings[1].Sighting.Source != "page.html" {
		t.Errorf("got %+v", p)
	}
	for name, c := range map[string]struct {
		files  []file
		status int
		says   string
	}{
		"a picture":     {[]file{{"photo.png", "\x89PNG\r\n\x1a\n\x00\x00\x00\x01"}}, 422, "photo.png: this is neither text"},
		"one of two":    {[]file{{"leases", "1795431600 00:00:5e:00:53:21 10.48.16.112 rec *\n"}, {"photo.png", "\x89PNG\r\n\x1a\n\x00\x00\x00\x01"}}, 200, `"refused":[{"source":"photo.png","says":"this is neither text`},
		"no files":      {nil, 422, "no file"},
		"an old book":   {[]file{{"list.xls", "\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1\x00\x00"}}, 422, "save it as XLSX or CSV"},
		"another book":  {[]file{{"list.ods", "PK\x03\x04\x14\x00\x00\x08\x00\x00\x00\x00\x00\x00\x85\x6c\x39\x8a\x2e\x00\x00\x00\x2e\x00\x00\x00\x08\x00\x00\x00mimetypeapplication/vnd.oasis.opendocument.spreadsheet"}}, 422, "save it as XLSX or CSV"},
		"a broken book": {[]file{{"list.xlsx", "PK\x03\x04rubbish"}}, 422, "list.xlsx"},
	} {
		if status, body := evidence(t, u, "pottery", c.files...); status != c.status || !strings.Contains(body, c.says) {
			t.Errorf("%s: %d %.300s", name, status, body)
		}
	}
}

// A lease file of a million lines is read and shown in part.
func TestAMillionLeases(t *testing.T) {
	if testing.Short() {
		t.Skip("long")
	}
	u := serve(t, Options{}).URL
	var b strings.Builder
	for i := range 1_000_000 {
		n := i % 150
		fmt.Fprintf(&b, "1795431600 00:00:5e:00:54:%02x 10.48.16.%d host-%d *\n", n, n+20, n)
	}
	begin := time.Now()
	status, body := evidence(t, u, "pottery", file{"leases", b.String()})
	var p struct {
		Preview
		Edits []json.RawMessage `json:"edits"`
	}
	if err := json.Unmarshal([]byte(body), &p); err != nil || status != 200 || len(p.Findings) != mostFindings || p.Counts["new"] == 0 || len(body) > 2<<20 {
		t.Fatalf("%d %v: %d findings, %d bytes", status, err, len(p.Findings), len(body))
	}
	t.Logf("%v", time.Since(begin))
}

type surveyed struct {
	Version int
	Site    site.Site
	Offers  []struct{ Kind, Old, New string }
	Snags   []struct{ Code string }
	Undo    string
}

func get(t testing.TB, u string, into any) {
	t.Helper()
	if status, body := send(t, "GET", u, ""); status != 200 || json.Unmarshal([]byte(body), into) != nil {
		t.Fatalf("%s: %d %.300s", u, status, body)
	}
}

// A survey tells how far it is, shows devices as they answer, becomes one change
// of the site when it ends, and that change can be taken back.
func TestSurveyFromStartToUndo(t *testing.T) {
	u := serve(t, Options{}).URL
	events, err := http.Get(u + "/api/events")
	if err != nil {
		t.Fatal(err)
	}
	defer events.Body.Close()
	at := u + "/api/sites/pottery/survey"
	if status, body := send(t, "POST", at, `{}`); status != 200 || !strings.Contains(body, "10.48.16.0/24") {
		t.Fatalf("%d %s", status, body)
	}
	if status, body := send(t, "POST", at, `{}`); status != 409 {
		t.Errorf("a second survey at once: %d %s", status, body)
	}
	var live Live
	phases, devices := map[string]bool{}, 0
	lines := bufio.NewScanner(events.Body)
	for lines.Scan() {
		var n news
		data, ok := strings.CutPrefix(lines.Text(), "data: ")
		if !ok || json.Unmarshal([]byte(data), &n) != nil || n.Survey == nil {
			continue
		}
		phases[n.Survey.Doing] = true
		if n.Survey.Running && devices < 5 {
			get(t, at, &live)
			devices = max(devices, len(live.Devices))
		}
		if !n.Survey.Running {
			live.State = *n.Survey
			break
		}
	}
	if live.State.Running || live.State.Failed || !strings.Contains(live.State.Says, "new") || devices < 5 || len(phases) < 3 {
		t.Fatalf("%+v after %v with %d devices", live.State, phases, devices)
	}
	var after surveyed
	get(t, u+"/api/sites/pottery", &after)
	kinds := map[string]string{}
	for _, o := range after.Offers {
		kinds[o.Kind] = o.Old
	}
	if after.Version != 2 || len(after.Site.Visits) != 2 || kinds["swapped"] != "decoder" || kinds["rejoined"] != "visitor2" {
		t.Errorf("version %d, %d visits, offers %+v", after.Version, len(after.Site.Visits), after.Offers)
	}
	codes := map[string]int{}
	for _, s := range after.Snags {
		codes[s.Code]++
	}
	if codes["stranger"] != 2 || codes["swapped?"] != 1 {
		t.Errorf("snags %v", codes)
	}
	var differences, none []struct{ What string }
	get(t, u+"/api/sites/pottery/compare?before=v-2026-05-04&after="+after.Site.Visits[1].ID, &differences)
	if get(t, u+"/api/sites/pottery/compare?before=v-2026-05-04&after=v-2026-05-04", &none); len(differences) != 7 || len(none) != 0 {
		t.Errorf("%d differences, and %d of a visit to itself", len(differences), len(none))
	}
	if status, body := send(t, "GET", u+"/api/sites/pottery/compare?before=v-2026-05-04&after=none", ""); status != 404 {
		t.Errorf("a visit that is not there: %d %s", status, body)
	}
	if status, _ := send(t, "POST", u+"/api/sites/pottery/undo", `{"version":2}`); status != 200 {
		t.Errorf("undo: %d", status)
	}
	var back surveyed
	get(t, u+"/api/sites/pottery", &back)
	if len(back.Site.Visits) != 1 || len(back.Offers) != 0 {
		t.Errorf("not taken back: %d visits, offers %+v", len(back.Site.Visits), back.Offers)
	}
}

func TestStoppedSurveyKeepsWhatItFound(t *testing.T) {
	u := serve(t, Options{}).URL
	at := u + "/api/sites/flat/survey"
	if status, body := send(t, "POST", at, `{}`); status != 200 {
		t.Fatal(body)
	}
	for range 100 {
		var live Live
		if get(t, at, &live); len(live.Devices) >= 3 {
			break
		}
		time.Sleep(30 * time.Millisecond)
	}
	_, body := send(t, "POST", at+"/stop", "")
	if !strings.Contains(body, "Stopped. What was found is kept: ") || strings.Contains(body, `"running":true`) {
		t.Errorf("got %s", body)
	}
	var after surveyed
	if get(t, u+"/api/sites/flat", &after); after.Version != 2 || len(after.Site.Visits) != 1 || len(after.Site.Visits[0].Seen) < 3 {
		t.Errorf("version %d, visits %+v", after.Version, after.Site.Visits)
	}
}

// takeEdits asks for edits, takes them, and gives the site afterwards.
func takeEdits(t testing.TB, u, id, from string, version int) surveyed {
	t.Helper()
	var edits []json.RawMessage
	get(t, u+"/api/sites/"+id+from, &edits)
	body, err := json.Marshal(map[string]any{"version": version, "edits": edits})
	if err != nil {
		t.Fatal(err)
	}
	status, answer := send(t, "POST", u+"/api/sites/"+id+"/edits", string(body))
	var after surveyed
	if status != 200 || json.Unmarshal([]byte(answer), &after) != nil {
		t.Fatalf("%d %.300s", status, answer)
	}
	return after
}

func TestJoinAndSplitOverTheInterface(t *testing.T) {
	u := serve(t, Options{}).URL
	joined := takeEdits(t, u, "pottery", "/join?into=switch&from=patch", 1)
	var both site.Device
	for _, d := range joined.Site.Devices {
		if d.ID == "patch" {
			t.Error("the second device is still there")
		}
		if d.ID == "switch" {
			both = d
		}
	}
	if len(both.Interfaces) != 2 || both.Name != "Shelf switch" {
		t.Fatalf("became %+v", both)
	}
	apart := takeEdits(t, u, "pottery", "/split?interface=patch.0", joined.Version)
	if len(apart.Site.Devices) != len(joined.Site.Devices)+1 {
		t.Errorf("%d devices after splitting %d", len(apart.Site.Devices), len(joined.Site.Devices))
	}
}

func TestFreeAddressOverTheInterface(t *testing.T) {
	u := serve(t, Options{}).URL
	for address, want := range map[string]string{"10.48.16.21": `"holder":"00:00:5e:00:53:22"`, "10.48.16.201": `"free":true`, "10.48.16.160": "this computer's own"} {
		if status, body := send(t, "GET", u+"/api/sites/pottery/free?address="+address, ""); status != 200 || !strings.Contains(body, want) {
			t.Errorf("%s: %d %s", address, status, body)
		}
	}
}

// What is believed of devices comes with the answer: makers, guesses and the
// ports that answered, each with the service that is entered for it.
func TestBeliefsInTheAnswer(t *testing.T) {
	u := serve(t, Options{}).URL
	at := u + "/api/sites/flat/survey"
	if status, body := send(t, "POST", at, `{}`); status != 200 {
		t.Fatal(body)
	}
	for range 200 {
		var live Live
		if get(t, at, &live); !live.State.Running {
			break
		}
		time.Sleep(50 * time.Millisecond)
	}
	var a struct {
		Guesses []struct {
			Device, Kind string
			Reasons      []string
		}
		AnswersOn []struct{ Interface, Port, Name, Service string }
		Makers    []struct{ Interface, Name string }
	}
	get(t, u+"/api/sites/flat", &a)
	kinds := map[string]string{}
	for _, g := range a.Guesses {
		if kinds[g.Device] = g.Kind; len(g.Reasons) == 0 {
			t.Errorf("%s is a %s for no reason", g.Device, g.Kind)
		}
	}
	if kinds["cam"] != "camera" || kinds["tv"] == "" {
		t.Errorf("guesses %v", kinds)
	}
	ports := map[string]string{}
	for _, p := range a.AnswersOn {
		ports[p.Interface+" "+p.Port] = p.Name
	}
	if ports["cam.0 554"] != "video (RTSP)" || ports["media.0 22"] != "SSH" || ports["media.0 80"] != "web page" {
		t.Errorf("ports %v", ports)
	}
	if len(a.Makers) == 0 {
		t.Error("nobody made anything")
	}
}

// Two windows: both hear of a survey, and an edit of one in its middle is not lost
// when the survey ends.
func TestEditInTheMiddleOfASurvey(t *testing.T) {
	u := serve(t, Options{}).URL
	if status, body := send(t, "POST", u+"/api/sites/flat/survey", `{}`); status != 200 {
		t.Fatal(body)
	}
	time.Sleep(300 * time.Millisecond)
	if status, body := send(t, "POST", u+"/api/sites/flat/edits", `{"version":1,"edits":[{"do":"describe","id":"tv","place":"attic"}]}`); status != 200 {
		t.Fatal(body)
	}
	send(t, "POST", u+"/api/sites/flat/survey/stop", "")
	var after surveyed
	get(t, u+"/api/sites/flat", &after)
	place := ""
	for _, d := range after.Site.Devices {
		if d.ID == "tv" {
			place = d.Place
		}
	}
	if place != "attic" || after.Version != 3 || len(after.Site.Visits) != 1 {
		t.Errorf("place %q, version %d, %d visits", place, after.Version, len(after.Site.Visits))
	}
}

// A window that does not take its news has the newest when it does.
func TestSlowWindowMissesNothingThatMatters(t *testing.T) {
	var h hub
	l, stop, _ := h.listen()
	defer stop()
	for i := range 1000 {
		h.tell(news{ID: "a", Version: i})
		h.tell(news{ID: "b", Survey: &SurveyState{Running: i < 999, Done: i}})
		h.tell(news{ID: "b", Version: i})
	}
	<-l.ready
	got := l.take()
	if len(got) != 2 || got[0].Version != 999 || got[1].Version != 999 || got[1].Survey == nil || got[1].Survey.Running || got[1].Survey.Done != 999 {
		t.Errorf("got %+v", got)
	}
	if again := l.take(); len(again) != 0 {
		t.Errorf("told twice: %+v", again)
	}
	for i := range mostListeners {
		if _, _, ok := h.listen(); ok != (i < mostListeners-1) {
			t.Fatalf("window %d: %v", i+2, ok)
		}
	}
	stop()
	if _, _, ok := h.listen(); !ok {
		t.Error("nobody may listen after one has gone")
	}
}

// When the program ends in the middle of a survey, what was found is kept.
func TestClosingKeepsWhatWasFound(t *testing.T) {
	path := filepath.Join(t.TempDir(), "v.db")
	st, err := store.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	sites, err := demo.Sites()
	if err != nil {
		t.Fatal(err)
	}
	flat := slices.IndexFunc(sites, func(d demo.Site) bool { return d.ID == "flat" })
	if _, err := st.Create(t.Context(), "flat", sites[flat].Site); err != nil {
		t.Fatal(err)
	}
	h := New(st, Options{Network: func(string) wire.Network {
		w, err := demo.Network("flat")
		if err != nil {
			t.Error(err)
		}
		return w
	}})
	srv := httptest.NewServer(h)
	defer srv.Close()
	if status, body := send(t, "POST", srv.URL+"/api/sites/flat/survey", `{}`); status != 200 {
		t.Fatal(body)
	}
	time.Sleep(1200 * time.Millisecond)
	h.Close()
	after, err := st.Get(t.Context(), "flat")
	if err != nil || after.Version != 2 || len(after.Site.Visits) != 1 || len(after.Site.Visits[0].Seen) == 0 {
		t.Errorf("%v: version %d, visits %+v", err, after.Version, after.Site.Visits)
	}
	st.Close()
}

// One device answers for one address with thousands of MAC addresses, another for
// every address: the honest ones are found, the rest is one snag, and another site
// does not wait.
func TestHostileLAN(t *testing.T) {
	stolen := lab.Stolen()
	address := func(n int) netip.Addr { return netip.AddrFrom4([4]byte{10, 48, 16, byte(n)}) }
	w := &sim.World{Own: netip.PrefixFrom(address(126), 24), MAC: "00:00:5e:00:53:7e", Gateway: address(1), Delay: 5}
	for i := range 3000 {
		w.Hosts = append(w.Hosts, sim.Host{MAC: site.MAC(fmt.Sprintf("02:00:00:00:%02x:%02x", i/256, i%256)), Address: address(66), Silent: true})
	}
	for i := 2; i < 250; i++ {
		w.Hosts = append(w.Hosts, sim.Host{MAC: "00:00:5e:00:53:77", Address: address(i), Silent: true})
	}
	for i := range 10 {
		w.Hosts = append(w.Hosts, sim.Host{MAC: site.MAC(fmt.Sprintf("00:00:5e:00:53:%02x", 0xa0+i)), Address: address(200 + i), Silent: true})
	}
	u := serve(t, Options{Network: func(string) wire.Network { return w }}).URL
	if status, body := send(t, "POST", u+"/api/sites", `{"name":"Hostile","subnet":"10.48.16.0/24","gateway":".1"}`); status != 200 {
		t.Fatal(body)
	}
	if status, body := send(t, "POST", u+"/api/sites/hostile/survey", `{}`); status != 200 {
		t.Fatal(body)
	}
	var live Live
	var waited time.Duration
	for end := time.Now().Add(40 * time.Second); ; time.Sleep(50 * time.Millisecond) {
		begin := time.Now()
		send(t, "GET", u+"/api/sites/flat", "")
		waited = max(waited, time.Since(begin))
		get(t, u+"/api/sites/hostile/survey", &live)
		if !live.State.Running {
			break
		}
		if time.Now().After(end) {
			t.Fatalf("it still goes on: %+v", live.State)
		}
	}
	var got surveyed
	get(t, u+"/api/sites/hostile", &got)
	honest, codes := 0, map[string]int{}
	for _, d := range got.Site.Devices {
		if strings.HasPrefix(string(d.Interfaces[0].MAC), "00:00:5e:00:53:a") {
			honest++
		}
	}
	for _, s := range got.Snags {
		codes[s.Code]++
	}
	t.Logf("%s; %d devices, %d crowds; another site waited %v at most", live.State.Says, len(got.Site.Devices), len(got.Site.Networks[0].Crowds), waited)
	if live.State.Failed || honest != 10 || len(got.Site.Devices) > 10+16+1+4 || codes["answers-for-many"] != 1 || waited > time.Duration(float64(200*time.Millisecond)/(1-stolen())) {
		t.Errorf("%d honest ones of %d devices, snags %v, another site waited %v: %s", honest, len(got.Site.Devices), codes, waited, live.State.Says)
	}
}

// What a person says of the columns of a list is kept and read by; what no column holds,
// and a time that is none, is refused.
func TestColumnsAreRemembered(t *testing.T) {
	u := serve(t, Options{}).URL
	page := file{"page", "Kurz\tLang\tIP-Adresse\tMAC-Adresse\nk1\tKamera Hof\t10.48.16.141\t00:00:5e:00:53:99\n"}
	host := func() string {
		status, body := evidence(t, u, "pottery", page)
		var p struct {
			Findings []struct{ Sighting struct{ Host string } } `json:"findings"`
			Lists    []struct {
				Shape  string
				Chosen bool
			}
		}
		if err := json.Unmarshal([]byte(body), &p); err != nil || status != 200 || len(p.Findings) != 1 || len(p.Lists) != 1 {
			t.Fatalf("%d %v %.300s", status, err, body)
		}
		return fmt.Sprint(p.Findings[0].Sighting.Host, p.Lists[0].Chosen)
	}
	const shape = `"shape":"head kurz · lang · ip-adresse · mac-adresse"`
	for _, c := range []struct{ roles, want string }{
		{`["","name","address","mac"]`, "Kamera Hoftrue"}, {`["name","","address","mac"]`, "k1true"}, {`["name"]`, "k1false"}, {`[]`, "k1false"},
	} {
		if status, body := send(t, "PUT", u+"/api/list-roles", `{`+shape+`,"roles":`+c.roles+`}`); status != 204 {
			t.Fatalf("%s: %d %s", c.roles, status, body)
		}
		if got := host(); got != c.want {
			t.Errorf("%s: got %s, want %s", c.roles, got, c.want)
		}
	}
	for _, bad := range []string{`{` + shape + `,"roles":["tea"]}`, `{"shape":"","roles":[]}`, `{"shape":"` + strings.Repeat("x", 5000) + `","roles":[]}`, `{}`} {
		if status, body := send(t, "PUT", u+"/api/list-roles", bad); status != 422 {
			t.Errorf("%.60s: %d %s", bad, status, body)
		}
	}
	for _, at := range []string{"yesterday", "2026-11-23", "2026-13-40T00:00:00Z", "0", time.Now().Add(25 * time.Hour).Format(time.RFC3339)} {
		if status, body := evidenceOf(t, u, "pottery", at, page); status != 422 || !strings.Contains(body, "query.at") {
			t.Errorf("%q as a time: %d %s", at, status, body)
		}
	}
}
