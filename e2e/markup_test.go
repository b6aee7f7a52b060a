package e2e

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"

	"vestpin/core/sitefile"
)

// markup is what somebody writes in a field who wants the page to run it.
const markup = `"><img src=x onerror="window.hit=1"><svg onload="window.hit=1"><style>*{display:none}</style><a href="javascript:window.hit=1">`

// marked puts markup into every text of a site file that takes it, and tells into how many.
func marked(t *testing.T, file []byte) ([]byte, int) {
	t.Helper()
	var whole any
	if err := json.Unmarshal(file, &whole); err != nil {
		t.Fatal(err)
	}
	count := 0
	write := func() []byte {
		out, err := json.Marshal(whole)
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	var walk func(v any)
	try := func(text string, put func(string)) {
		put(text + markup)
		if _, err := sitefile.Read(write()); err != nil {
			put(text)
			return
		}
		count++
	}
	walk = func(v any) {
		switch v := v.(type) {
		case map[string]any:
			for key, below := range v {
				if text, ok := below.(string); ok && key != "id" && key != "format" {
					try(text, func(s string) { v[key] = s })
				} else {
					walk(below)
				}
			}
		case []any:
			for i, below := range v[:min(len(v), 6)] { // the others are as these
				if text, ok := below.(string); ok {
					try(text, func(s string) { v[i] = s })
				} else {
					walk(below)
				}
			}
		}
	}
	walk(whole)
	return write(), count
}

// Markup in every text of a site is shown as it was written, at every station, in both themes; nothing
// of it is made part of the page, and the page's policy has nothing to refuse.
func TestMarkupIsText(t *testing.T) {
	p, ctx := demo(t), open(t)
	resp, err := http.Get(p.URL + "/api/sites/pottery/file")
	if err != nil {
		t.Fatal(err)
	}
	file, err := io.ReadAll(resp.Body)
	resp.Body.Close()
	if err != nil {
		t.Fatal(err)
	}
	file, count := marked(t, file)
	if count < 80 {
		t.Errorf("only %d texts take it", count)
	}
	resp, err = http.Post(p.URL+"/api/sites/import", "application/json", bytes.NewReader(file))
	if err != nil {
		t.Fatal(err)
	}
	var made struct{ ID string }
	if err := json.NewDecoder(resp.Body).Decode(&made); err != nil || resp.StatusCode != 200 {
		t.Fatal(err, resp.Status)
	}
	resp.Body.Close()
	watch := chromedp.Evaluate[chromedp.Void](`window.refused = []; addEventListener("securitypolicyviolation", (e) => window.refused.push(e.violatedDirective + " " + e.blockedURI + " " + e.sourceFile))`)
	clean := func(where string) {
		t.Helper()
		got := ask[string](t, ctx, `JSON.stringify({hit: window.hit ?? 0, refused: window.refused, made: document.querySelectorAll("img[src=x], svg[onload], a[href^='javascript:'], body style").length, shown: document.body.innerText.includes("onerror=")})`)
		if got != `{"hit":0,"refused":[],"made":0,"shown":true}` {
			t.Errorf("%s: %s", where, got)
		}
	}
	do(t, ctx, chromedp.Navigate(p.URL), Sees("Saltmarsh Pottery"), watch, Wait(`document.body.innerText.includes("onerror=")`))
	clean("sites")
	visit := func(station string) {
		t.Helper()
		do(t, ctx, chromedp.Navigate(p.URL+"/s/"+made.ID+"/"+station), watch, Wait(`document.body.innerText.includes("onerror=")`), Settled)
		clean(station)
	}
	for _, pick := range []string{"survey", "survey?pick=device:rec", "addresses", "addresses?pick=interface:rec.0", "ports", "ports?pick=device:rec", "place", "checks"} {
		visit(pick)
	}
	do(t, ctx, Keys("/"), Wait(`Boolean(document.querySelector("[role=dialog], [role=combobox]"))`), Settled)
	clean("find")
	// What the papers and the files of it say goes to no browser as a page.
	for _, name := range []string{"hosts", "dnsmasq", "nftables"} {
		resp, err := http.Get(p.URL + "/api/sites/" + made.ID + "/files/" + name)
		if err != nil {
			t.Fatal(err)
		}
		resp.Body.Close()
		if kind := resp.Header.Get("Content-Type"); strings.Contains(kind, "html") || !strings.HasPrefix(resp.Header.Get("Content-Disposition"), "attachment") {
			t.Errorf("%s comes as %q", name, kind)
		}
	}
}
