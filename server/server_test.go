package server

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/gin-gonic/gin"

	"vestpin/demo"
	"vestpin/sim"
	"vestpin/store"
	"vestpin/wire"
)

// serve runs the server over the demo sites.
func serve(t testing.TB, o Options) *httptest.Server {
	t.Helper()
	st, err := store.Open(filepath.Join(t.TempDir(), "v.db"))
	if err != nil {
		t.Fatal(err)
	}
	sites, err := demo.Sites()
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range sites {
		if _, err := st.Create(t.Context(), d.ID, d.Site); err != nil {
			t.Fatal(err)
		}
	}
	if o.Network == nil {
		o.Network = func(id string) wire.Network {
			w, err := demo.Network(id)
			if err != nil || w == nil {
				return &sim.World{}
			}
			return w
		}
	}
	h := New(st, o)
	srv := httptest.NewServer(h)
	t.Cleanup(func() { h.Close(); srv.Close(); st.Close() })
	return srv
}

func send(t testing.TB, method, url, body string, header ...string) (int, string) {
	t.Helper()
	r, err := http.NewRequest(method, url, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Content-Type", "application/json")
	for i := 0; i+1 < len(header); i += 2 {
		if header[i] == "Host" {
			r.Host = header[i+1]
		}
		r.Header.Set(header[i], header[i+1])
	}
	return answerTo(t, r)
}

// answerTo sends a request and gives the status and the body of its answer.
func answerTo(t testing.TB, r *http.Request) (int, string) {
	t.Helper()
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	data, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return resp.StatusCode, string(data)
}

func TestBadInputIsToldWhatAndWhere(t *testing.T) {
	u := serve(t, Options{}).URL
	edit := func(e string) string { return `{"version":1,"edits":[` + e + `]}` }
	long := strings.Repeat("x", 5000)
	cases := []struct {
		name, method, path, body string
		status                   int
		says                     string
	}{
		{"not an address", "POST", "/api/sites/pottery/edits", edit(`{"do":"pin","id":"pc.0","pin":{"address":"10.48.16.300"}}`), 422, "body.edits[0].pin.address"},
		{"port 65536", "POST", "/api/sites/pottery/edits", edit(`{"do":"put-forward","forward":{"id":"x","router":"edge","protocol":"tcp","outside":"65536","to":"pc.0"}}`), 422, "1 to 65535"},
		{"ports the wrong way", "POST", "/api/sites/pottery/edits", edit(`{"do":"put-forward","forward":{"id":"x","router":"edge","protocol":"tcp","outside":"80-79","to":"pc.0"}}`), 422, "body.edits[0].forward.outside"},
		{"a list with a port twice", "POST", "/api/sites/pottery/edits", edit(`{"do":"put-forward","forward":{"id":"x","router":"edge","protocol":"tcp","outside":"80,80","to":"pc.0"}}`), 422, "in the list twice"},
		{"an unknown key", "POST", "/api/sites/pottery/edits", edit(`{"do":"pin","id":"pc.0","colour":"red"}`), 422, "body.edits[0].colour"},
		{"an unknown device", "POST", "/api/sites/pottery/edits", edit(`{"do":"describe","id":"ghost","name":"x"}`), 422, "removed meanwhile"},
		{"5,000 characters", "POST", "/api/sites/pottery/edits", edit(`{"do":"describe","id":"rec","name":"` + long + `"}`), 422, "at most 200 characters"},
		{"no edits", "POST", "/api/sites/pottery/edits", `{"version":1,"edits":[]}`, 422, "no edit"},
		{"a stale version", "POST", "/api/sites/pottery/edits", `{"version":7,"edits":[{"do":"rename-site","name":"x"}]}`, 409, "version 7 of a site that is at 1"},
		{"half a body", "POST", "/api/sites/pottery/edits", `{"version":1,"edits":[{`, 422, "the text ends in the middle"},
		{"no body", "POST", "/api/sites/pottery/edits", ``, 400, "body"},
		{"nobody's site", "GET", "/api/sites/none", ``, 404, "no such site"},
		{"a mask with a hole", "POST", "/api/sites", `{"name":"x","subnet":"10.1.2.0 255.0.255.0"}`, 422, "a mask without holes"},
		{"a gateway elsewhere", "POST", "/api/sites", `{"name":"x","subnet":"10.1.2.0/24","gateway":"10.9.9.9"}`, 422, "between 10.1.2.1 and 10.1.2.254"},
		{"a range the wrong way", "POST", "/api/sites", `{"name":"x","subnet":"10.1.2.0/24","range":".20-.10"}`, 422, "did you mean"},
		{"half a site file", "POST", "/api/sites/import", `{"format":"vestpin-site/1",`, 422, "the text ends in the middle"},
		{"40 MB of edits", "POST", "/api/sites/pottery/edits", strings.Repeat("noise ", 40<<20/6), 413, ""},
		{"evidence that is no form", "POST", "/api/sites/pottery/evidence", `{}`, 422, "multipart/form-data"},
		{"a sweep of no network of the site", "POST", "/api/sites/flat/survey", `{"network":"outer"}`, 422, "only to 10.48.20.0/24"},
		{"ports of an address elsewhere", "POST", "/api/sites/pottery/survey", `{"ports":"192.0.2.7"}`, 422, "none of this site's subnets"},
		{"a sweep of a network that is not there", "POST", "/api/sites/pottery/survey", `{"network":"nowhere"}`, 422, "no network"},
		{"stop what does not go on", "POST", "/api/sites/pottery/survey/stop", ``, 404, "No survey"},
		{"is an address elsewhere free", "GET", "/api/sites/pottery/free?address=192.0.2.7", ``, 422, "none of this site's subnets"},
		{"split what is one", "GET", "/api/sites/pottery/split?interface=rec.0", ``, 422, "only interface"},
		{"join with itself", "GET", "/api/sites/pottery/join?into=rec&from=rec", ``, 404, "two devices"},
		{"port 0", "GET", "/api/sites/pottery/walk?port=0&protocol=tcp", ``, 422, "query.port"},
		{"an unknown file", "GET", "/api/sites/pottery/files/tape", ``, 422, "dnsmasq, hosts"},
		{"an unknown interface", "GET", "/api/sites/pottery/room?interface=none&by=device", ``, 404, "no such interface"},
		{"nothing to undo", "POST", "/api/sites/pottery/undo", `{"version":1}`, 422, "nothing to undo"},
		{"a form instead of JSON", "POST", "/api/sites/pottery/undo", `version=1`, 422, "JSON"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			status, body := send(t, c.method, u+c.path, c.body)
			if status != c.status || !strings.Contains(body, c.says) {
				t.Errorf("got %d %.400s", status, body)
			}
			if len(body) > 4000 {
				t.Errorf("the answer is %d bytes long", len(body))
			}
		})
	}
	if _, body := send(t, "GET", u+"/api/sites/pottery", ""); !strings.Contains(body, `"version":1,`) {
		t.Error("something refused was half done")
	}
}

func TestOnlyTheOwnPageMayWrite(t *testing.T) {
	srv := serve(t, Options{Hosts: []string{"127.0.0.1"}})
	undo := `{"version":1}`
	for _, c := range []struct {
		name, method, path string
		header             []string
		status             int
	}{
		{"the page itself", "GET", "/api/sites", nil, 200},
		{"another name for this machine", "GET", "/api/sites", []string{"Host", "attic.example"}, 421},
		{"a page from elsewhere", "POST", "/api/sites/pottery/undo", []string{"Origin", "https://attic.example"}, 403},
		{"a page from nowhere", "POST", "/api/sites/pottery/undo", []string{"Origin", "null"}, 403},
		{"a look from elsewhere", "GET", "/api/sites", []string{"Sec-Fetch-Site", "cross-site"}, 403},
		{"a look from a neighbour", "GET", "/api/sites/pottery/file", []string{"Sec-Fetch-Site", "same-site"}, 403},
		{"a look from the page", "GET", "/api/sites", []string{"Sec-Fetch-Site", "same-origin"}, 200},
		{"a link from elsewhere", "GET", "/s/pottery/survey", []string{"Sec-Fetch-Site", "cross-site"}, 200},
		{"a form from elsewhere", "POST", "/api/sites/pottery/undo", []string{"Sec-Fetch-Site", "cross-site"}, 403},
		{"the own page", "POST", "/api/sites/pottery/undo", []string{"Origin", srv.URL}, 422},
	} {
		t.Run(c.name, func(t *testing.T) {
			if status, body := send(t, c.method, srv.URL+c.path, undo, c.header...); status != c.status {
				t.Errorf("got %d %s", status, body)
			}
		})
	}
	resp, err := http.Get(srv.URL + "/")
	if err != nil {
		t.Fatal(err)
	}
	resp.Body.Close()
	if csp := resp.Header.Get("Content-Security-Policy"); !strings.Contains(csp, "script-src 'self';") || !strings.Contains(csp, "default-src 'none'") {
		t.Errorf("the policy is %q", csp)
	}
}

// The passphrase is asked for once; after that there is a cookie that scripts do not
// see and other sites do not send. Guessing is slow for who guesses, and not for the
// one who knows it.
func TestPassphrase(t *testing.T) {
	srv := serve(t, Options{Passphrase: "kiln at nine", Secure: true})
	if status, _ := send(t, "GET", srv.URL+"/api/sites", ""); status != 401 {
		t.Errorf("without: %d", status)
	}
	if status, page := send(t, "GET", srv.URL+"/login", ""); status != 200 || !strings.Contains(page, "<div id=\"root\"") {
		t.Errorf("the page to log in: %d", status)
	}
	logIn := func(passphrase string) (*http.Response, time.Duration) {
		begin := time.Now()
		resp, err := http.Post(srv.URL+"/api/session", "application/json", strings.NewReader(`{"passphrase":"`+passphrase+`"}`))
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		return resp, time.Since(begin)
	}
	for i := range triesAtOnce {
		if resp, _ := logIn(fmt.Sprint("guess ", i)); resp.StatusCode != 401 || len(resp.Cookies()) > 0 {
			t.Fatalf("a wrong one: %d", resp.StatusCode)
		}
	}
	resp, took := logIn("kiln at nine")
	if resp.StatusCode != 204 || took < time.Second || took > longestWait {
		t.Fatalf("the right one after wrong ones: %d after %v", resp.StatusCode, took)
	}
	c := resp.Cookies()[0]
	if c.MaxAge != 0 { // the server ends it where it is not used; one that is used does not end in the middle of work
		t.Errorf("the cookie ends after %d s", c.MaxAge)
	}
	if !c.HttpOnly || !c.Secure || c.SameSite != http.SameSiteStrictMode || len(c.Value) < 20 {
		t.Errorf("the cookie is %v", c)
	}
	with := []string{"Cookie", c.Name + "=" + c.Value}
	if status, body := send(t, "GET", srv.URL+"/api/sites", "", with...); status != 200 || !strings.Contains(body, "Saltmarsh") {
		t.Errorf("with it: %d", status)
	}
	if status, _ := send(t, "GET", srv.URL+"/api/events", "", "Cookie", c.Name+"=other"); status != 401 {
		t.Errorf("with another: %d", status)
	}
	if status, _ := send(t, "DELETE", srv.URL+"/api/session", "", with...); status != 204 {
		t.Errorf("logging out: %d", status)
	}
	if status, _ := send(t, "GET", srv.URL+"/api/sites", "", with...); status != 401 {
		t.Errorf("after that: %d", status)
	}
}

// TestWholeRound edits, undoes, redoes, exports and imports through the interface,
// and hears of it.
func TestWholeRound(t *testing.T) {
	u := serve(t, Options{}).URL
	events, err := http.Get(u + "/api/events")
	if err != nil {
		t.Fatal(err)
	}
	defer events.Body.Close()
	_, before := send(t, "GET", u+"/api/sites/pottery/file", "")
	steps := []struct{ path, body, says string }{
		{"/api/sites/pottery/edits", `{"version":1,"edits":[{"do":"pin","id":"pc.0","pin":{"address":"10.48.16.70"}}]}`, `"undo":"pin Office PC at 10.48.16.70"`},
		{"/api/sites/pottery/undo", `{"version":2}`, `"redo":"pin Office PC at 10.48.16.70"`},
		{"/api/sites/pottery/redo", `{"version":3}`, `"version":4`},
		{"/api/sites/pottery/undo", `{"version":4}`, `"version":5`},
	}
	for _, s := range steps {
		if status, body := send(t, "POST", u+s.path, s.body); status != 200 || !strings.Contains(body, s.says) {
			t.Fatalf("%s: %d, %.300s", s.path, status, body)
		}
	}
	if line, err := bufio.NewReader(events.Body).ReadString('\n'); err != nil || line != "data: {\"id\":\"pottery\",\"version\":2}\n" {
		t.Errorf("heard %q, %v", line, err)
	}
	_, after := send(t, "GET", u+"/api/sites/pottery/file", "")
	if after != before {
		t.Error("undo did not lead back")
	}
	status, made := send(t, "POST", u+"/api/sites/import?as=new", after)
	var a struct{ ID string }
	if err := json.Unmarshal([]byte(made), &a); status != 200 || err != nil || a.ID != "saltmarsh-pottery" {
		t.Fatalf("import: %d %v %.200s", status, err, made)
	}
	if _, again := send(t, "GET", u+"/api/sites/"+a.ID+"/file", ""); again != before {
		t.Error("what was taken in is not what was saved")
	}
}

// BenchmarkGetSite and its yardstick, a bare handler that sends the same bytes.
func BenchmarkGetSite(b *testing.B)     { benchmarkGet(b, "/api/sites/pottery") }
func BenchmarkBareHandler(b *testing.B) { benchmarkGet(b, "") }

func benchmarkGet(b *testing.B, path string) {
	srv := serve(b, Options{})
	_, body := send(b, "GET", srv.URL+"/api/sites/pottery", "")
	if path == "" {
		bare := httptest.NewServer(bareHandler([]byte(body)))
		b.Cleanup(bare.Close)
		srv = bare
	}
	b.SetBytes(int64(len(body)))
	for b.Loop() {
		resp, err := http.Get(srv.URL + path)
		if err != nil {
			b.Fatal(err)
		}
		if n, err := io.Copy(io.Discard, resp.Body); err != nil || n != int64(len(body)) {
			b.Fatal(fmt.Errorf("%d bytes, %w", n, err))
		}
		resp.Body.Close()
	}
}

// bareHandler is a Gin handler that does nothing but send bytes.
func bareHandler(body []byte) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	r := gin.New()
	r.GET("/", func(c *gin.Context) { c.Data(http.StatusOK, "application/json", body) })
	return r
}

// The read interface proposes edits that the edit interface takes as they are.
func TestProposedEditsAreTaken(t *testing.T) {
	u := serve(t, Options{}).URL
	_, body := evidence(t, u, "pottery", file{"x", strings.Repeat("10.48.16.77 dev eth0 lladdr 00:00:5e:00:53:77 STALE\nnothing\n", 150)})
	var p struct {
		Edits  []json.RawMessage
		Unread []struct{ Text string }
		Missed int
	}
	if err := json.Unmarshal([]byte(body), &p); err != nil || p.Missed != 150 || len(p.Unread) != 150 || len(p.Edits) != 2 {
		t.Fatalf("%v, %d missed, %d edits", err, p.Missed, len(p.Edits))
	}
	status, after := send(t, "POST", u+"/api/sites/pottery/edits", `{"version":1,"edits":[`+string(p.Edits[0])+`,`+string(p.Edits[1])+`]}`)
	if status != 200 || !strings.Contains(after, "00:00:5e:00:53:77") {
		t.Errorf("%d %.300s", status, after)
	}
	for _, half := range []string{"addresses", "ports"} {
		_, body := send(t, "GET", u+"/api/sites/pottery/suggest?half="+half, "")
		var s struct {
			Version int
			Changes []struct{ Edit json.RawMessage }
		}
		if err := json.Unmarshal([]byte(body), &s); err != nil || len(s.Changes) == 0 {
			t.Fatalf("%s: %v %.200s", half, err, body)
		}
		var edits []string
		for _, c := range s.Changes {
			edits = append(edits, string(c.Edit))
		}
		if status, body := send(t, "POST", u+"/api/sites/pottery/edits", fmt.Sprintf(`{"version":%d,"edits":[%s]}`, s.Version, strings.Join(edits, ","))); status != 200 {
			t.Errorf("%s: %d %.300s", half, status, body)
		}
	}
	// So are the mends, each on its own.
	_, now := send(t, "GET", u+"/api/sites/flat", "")
	var a struct {
		Version int
		Snags   []struct {
			Code  string
			Mends []struct {
				Does  string
				Edits json.RawMessage
			}
		}
	}
	if err := json.Unmarshal([]byte(now), &a); err != nil {
		t.Fatal(err)
	}
	version := a.Version
	for _, s := range a.Snags {
		for _, m := range s.Mends {
			if status, body := send(t, "POST", u+"/api/sites/flat/edits", fmt.Sprintf(`{"version":%d,"edits":%s}`, version, m.Edits)); status != 200 {
				t.Errorf("%s, %s: %d %.300s", s.Code, m.Does, status, body)
			}
			if status, _ := send(t, "POST", u+"/api/sites/flat/undo", fmt.Sprintf(`{"version":%d}`, version+1)); status != 200 {
				t.Errorf("%s, %s is not undone", s.Code, m.Does)
			}
			version += 2
		}
	}
}

// A site is created from what people type, in any usual way, and the interface
// understands a network typed anew.
func TestTypedNetworks(t *testing.T) {
	u := serve(t, Options{}).URL
	for _, c := range []struct{ body, want string }{
		{`{"name":"A","subnet":"10.48.16.0/24","gateway":".1","range":".100-.179"}`, `"subnet":"10.48.16.0/24","gateway":"10.48.16.1","dns":["10.48.16.1"],"ranges":[{"from":"10.48.16.100","to":"10.48.16.179"}]`},
		{`{"name":"B","subnet":"10.48.16.9 255.255.252.0","gateway":"16.1","range":"18.0 to 19.250"}`, `"subnet":"10.48.16.0/22","gateway":"10.48.16.1"`},
		{`{"name":"C","subnet":"10.48.16.0/24"}`, `"subnet":"10.48.16.0/24","dns":[],"ranges":[],`},
		{`{"name":"مسجل","subnet":"10.48.16.0/24","range":"100 – 179, 190-195"}`, `{"from":"10.48.16.190","to":"10.48.16.195"}`},
	} {
		if status, body := send(t, "POST", u+"/api/sites", c.body); status != 200 || !strings.Contains(body, c.want) {
			t.Errorf("%s: %d %.400s", c.body, status, body)
		}
	}
	status, body := send(t, "POST", u+"/api/parse/network", `{"subnet":"10.48.16.0/24","dns":".1, 192.0.2.53","bands":"\n.20-.39  cameras: camera, recorder\n","keepFree":".250 lift"}`)
	want := `"dns":["10.48.16.1","192.0.2.53"],"ranges":[],"bands":[{"name":"cameras","from":"10.48.16.20","to":"10.48.16.39","kinds":["camera","recorder"]}],"keepFree":[{"from":"10.48.16.250","to":"10.48.16.250","why":"lift"}]`
	if status != 200 || !strings.Contains(body, want) {
		t.Errorf("%d %s", status, body)
	}
	status, body = send(t, "POST", u+"/api/parse/network", `{"subnet":"10.48.16.0/24","dns":"here","bands":".39-.20 x","keepFree":"10.48.17.1"}`)
	for _, field := range []string{`"location":"dns"`, `"location":"bands"`, `"location":"keepFree"`} {
		if status != 422 || !strings.Contains(body, field) {
			t.Errorf("%s is not among what is told: %d %s", field, status, body)
		}
	}
}

// Threads, walks, room and files, as the page asks for them.
func TestSmallAnswers(t *testing.T) {
	u := serve(t, Options{}).URL + "/api/sites/pottery"
	for _, c := range []struct {
		path   string
		status int
		says   string
	}{
		{"/pull?service=yard.video&outside=9554", 200, `"do":"put-forward"`},
		{"/pull?service=yard.video&outside=1-2", 422, "as many ports as 554 has"},
		{"/pull?service=yard.video&outside=1-2&eyelet=true", 200, `"outside":"554"`},
		{"/pull?service=yard.video&outside=443", 200, `443 at Hall cupboard router is taken by`},
		{"/pull?service=none&outside=1", 422, "the id of a service"},
		{"/pull?service=yard.video&outside=x", 422, "ports from 1 to 65535"},
		{"/put?interface=till.0&address=10.48.16.44&by=reservation", 200, `"says":"Till goes to 10.48.16.44, Door entry to `},
		{"/put?interface=till.0&address=10.48.16.1&by=reservation", 200, `"swap":[]`},
		{"/put?interface=none&address=10.48.16.44&by=reservation", 404, "no such interface"},
		{"/put?interface=till.0&address=.44&by=reservation", 422, "an IPv4 address"},
		{"/keep-in?service=door.sip", 200, `{"does":"Keep Door entry calls (SIP) inside","edits":[{"do":"open","id":"door.sip"},{"do":"remove-forward","id":"f6"}]}`},
		{"/keep-in?service=none", 404, "no such service"},
		{"/mend-all?code=wish-unmet", 200, `"left":0`},
		{"/mend-all?code=none", 200, `{"edits":[],"ended":0,"left":0}`},
		{"/walk?port=554&protocol=tcp", 200, `"interface":"rec.0"`},
		{"/walk?port=554&protocol=tcp&sender=here", 422, "an IPv4 address"},
		{"/walk?port=554&protocol=tcp&router=attic", 422, "no such router"},
		{"/walk?port=554&protocol=icmp", 422, "query.protocol"},
		{"/room?interface=pc.0&by=device", 200, `{"address":"10.48.16.100","why":"inside the DHCP range"}`},
		{"/room?interface=pc.0&by=prayer", 422, "query.by"},
		{"/suggest?half=both", 422, "query.half"},
		{"/files/hosts", 200, "10.48.16.20\tgallery-recorder\n"},
		{"/files/forwards.csv", 200, `"Hall cupboard router","Gallery recorder video","tcp","554","10.48.16.20","554",""`},
		{"/suggest", 200, `"proven":true`},
	} {
		if status, body := send(t, "GET", u+c.path, ""); status != c.status || !strings.Contains(body, c.says) {
			t.Errorf("%s: %d %.300s", c.path, status, body)
		}
	}
}

// The page's views all get the page, its files are kept by the browser and sent
// packed, and what is no view and no file is not found.
func TestThePage(t *testing.T) {
	u := serve(t, Options{}).URL
	_, page := send(t, "GET", u+"/", "")
	if !strings.Contains(page, `<div id="root">`) {
		t.Skip("the page is not built; make build does it")
	}
	if _, view := send(t, "GET", u+"/s/pottery/ports?pick=x", ""); view != page {
		t.Error("a view is not the page")
	}
	if strings.Contains(page, "<script>") || strings.Contains(page, "style=") || strings.Contains(page, "//") {
		t.Errorf("the page holds inline parts or something from elsewhere: %s", page)
	}
	script := regexp.MustCompile(`/assets/[^"]+\.js`).FindString(page)
	for _, encoding := range []string{"identity", "gzip"} {
		r, _ := http.NewRequest("GET", u+script, nil)
		r.Header.Set("Accept-Encoding", encoding)
		resp, err := http.DefaultTransport.RoundTrip(r)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		if resp.StatusCode != 200 || !strings.Contains(resp.Header.Get("Cache-Control"), "immutable") || (resp.Header.Get("Content-Encoding") == "gzip") != (encoding == "gzip") {
			t.Errorf("%s as %s: %d %v", script, encoding, resp.StatusCode, resp.Header)
		}
	}
	for _, c := range []struct{ method, path string }{{"GET", "/api/none"}, {"GET", "/assets/none.js"}, {"POST", "/"}, {"DELETE", "/api/sites"}} {
		if status, _ := send(t, c.method, u+c.path, ""); status != 404 && status != 405 {
			t.Errorf("%s %s: %d", c.method, c.path, status)
		}
	}
}

// What the page is told beside the site, so that it need know no rule itself.
func TestWhatIsWorkedOut(t *testing.T) {
	_, body := send(t, "GET", serve(t, Options{}).URL+"/api/sites/pottery", "")
	var a struct {
		NeedPin, Unmet, Randomised []string
		Left                       Left
		Routers                    []struct {
			ID                      string
			LinesUsed, Reservations int
		}
		Ways    []struct{ Interface, By string }
		Targets []struct{ Forward, Address, Interface string }
	}
	if err := json.Unmarshal([]byte(body), &a); err != nil {
		t.Fatal(err)
	}
	got := fmt.Sprint(a.NeedPin, a.Unmet, a.Randomised, a.Left.Done, a.Left.Steps, a.Routers)
	want := "[pc.0 kiln.0 newcam.0] [door.sip pc.rdp kiln.web] [visitor.0 visitor2.0] 1 23 [{edge 7 6}]"
	if strings.ReplaceAll(got, "][", "] [") != want {
		t.Errorf("got %s, want %s", got, want)
	}
	ways := map[string]string{}
	for _, w := range a.Ways {
		ways[w.Interface] = w.By
	}
	if len(ways) != 20 || ways["pc.0"] != "reservation" || ways["visitor.0"] != "device" {
		t.Errorf("ways %v", ways)
	}
	if len(a.Targets) != 7 || a.Targets[0].Address != "10.48.16.20" || a.Targets[0].Interface != "rec.0" {
		t.Errorf("targets %+v", a.Targets)
	}
}
