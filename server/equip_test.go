package server

import (
	"net/url"
	"strings"
	"testing"
)

// What devices need, what texts list, what links and routers tell: each says what it came to,
// or what was wrong and where.
func TestPortsOverTheInterface(t *testing.T) {
	u := serve(t, Options{}).URL
	own := `{"format":"vestpin-catalogue/1","kinds":[{"id":"kiln","name":"kiln","purposes":[],"services":[]}]}`
	wanted := func(device, purpose, more string) string {
		return `{"devices":["` + device + `"],"wanted":{"purposes":["` + purpose + `"],"also":[],"helping":[],"from":[]` + more + `}}`
	}
	pull := "/api/sites/pottery/pull?" + url.Values{"service": {"pc.rdp"}, "outside": {"3389"}}.Encode()
	for _, c := range []struct {
		name, method, path, body string
		status                   int
		says                     string
	}{
		{"the catalogue", "GET", "/api/catalogue", "", 200, `"id":"recorder"`},
		{"no kinds of its own yet", "GET", "/api/catalogue/own", "", 200, `"kinds":[]`},
		{"kinds of its own", "PUT", "/api/catalogue/own", own, 204, ""},
		{"they are among all", "GET", "/api/catalogue", "", 200, `"own":["kiln"]`},
		{"what devices of a site are, by any word for it", "GET", "/api/sites/pottery/kinds", "", 200, `{"device":"phone","kind":"phone-system"}`},
		{"kinds of nobody's site", "GET", "/api/sites/ghost/kinds", "", 404, "no such site"},
		{"a bad catalogue", "PUT", "/api/catalogue/own", strings.Replace(own, `"purposes":[]`, `"purposes":[{"id":"x","name":"x","services":["y"]}]`, 1), 422, "catalogue.kinds[0].purposes[0].services[0]"},
		{"no catalogue", "PUT", "/api/catalogue/own", `[]`, 422, "catalogue"},
		{"the one before stands", "GET", "/api/catalogue/own", "", 200, `"id":"kiln"`},
		{"a purpose", "POST", "/api/sites/pottery/equip", wanted("rec", "manage", ""), 200, "To manage it, web page (TLS) (443 tcp) is opened."},
		{"of nobody", "POST", "/api/sites/pottery/equip", wanted("ghost", "manage", ""), 422, "the id of a device of this site"},
		{"a purpose that is none", "POST", "/api/sites/pottery/equip", wanted("rec", "dance", ""), 422, "watch, manage"},
		{"a sender that is none", "POST", "/api/sites/pottery/equip", strings.Replace(wanted("rec", "manage", ""), `"from":[]`, `"from":["10.0.0.300"]`, 1), 422, "10.0.0.300"},
		{"of a kind that the site does not say", "POST", "/api/sites/pottery/equip", wanted("kiln", "watch", `,"kind":"camera"`), 200, "is a camera"},
		{"ports from a text", "POST", "/api/sites/pottery/parse/ports", `{"device":"rec","text":"TCP 80, 8554; UDP 6970-6999"}`, 200, `"ports":"6970-6999"`},
		{"what the survey found stands first", "POST", "/api/sites/pottery/parse/ports", `{"device":"rec","text":""}`, 200, `"services":[]`},
		{"ports of nobody", "POST", "/api/sites/pottery/parse/ports", `{"device":"ghost","text":"80"}`, 404, "no such device"},
		{"too long a text", "POST", "/api/sites/pottery/parse/ports", `{"device":"rec","text":"` + strings.Repeat("80 tcp ", 80000) + `"}`, 422, "512 kB"},
		{"a pull from a loose device", "GET", pull, "", 200, `"pins":"Office PC is pinned at 10.48.16.`},
		{"a packet from inside", "GET", "/api/sites/pottery/walk?port=8021&protocol=tcp&sender=10.48.16.50", "", 200, `"loops":"unknown"`},
		{"no links", "GET", "/api/sites/pottery/links", "", 200, "[]"},
		{"links of nobody", "GET", "/api/sites/ghost/links", "", 404, "no such site"},
		{"a router is asked", "GET", "/api/sites/pottery/ask-router?router=edge", "", 200, "tells 203.0.113.47 as its outside address and 2 ports"},
		{"a router that is silent", "GET", "/api/sites/flat/ask-router?router=own", "", 200, "does not answer by UPnP, NAT-PMP or PCP"},
		{"a router that this computer is not attached to", "GET", "/api/sites/flat/ask-router?router=box", "", 422, "not attached"},
		{"a router that is none", "GET", "/api/sites/pottery/ask-router?router=ghost", "", 404, "no such router"},
		{"rules of a router", "GET", "/api/sites/flat/files/nftables?router=own", "", 200, "table"},
		{"rules of nobody", "GET", "/api/sites/flat/files/nftables?router=ghost", "", 422, "the id of a router of this site"},
	} {
		status, body := send(t, c.method, u+c.path, c.body)
		if status != c.status || !strings.Contains(body, c.says) {
			t.Errorf("%s: %d %.300s, want %d with %q", c.name, status, body, c.status, c.says)
		}
	}
}
