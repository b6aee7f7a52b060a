package e2e

import (
	"context"
	"crypto/sha256"
	"crypto/tls"
	"flag"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
)

var lookDir = flag.String("look", "", "a folder for pictures of what the tests meet")

// look takes a picture where a folder is named for them.
func look(t *testing.T, ctx context.Context, name string) {
	t.Helper()
	if *lookDir == "" {
		return
	}
	do(t, ctx, Settled)
	png, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err == nil {
		err = os.WriteFile(filepath.Join(*lookDir, name+".png"), png, 0o644)
	}
	if err != nil {
		t.Fatal(err)
	}
}

// deaf keeps a window from hearing what others do, as a page in the background is;
// hearing lets it hear again, and look at what it missed.
var (
	deaf    = chromedp.Evaluate[chromedp.Void](`window.dispatchEvent(new Event("pagehide"))`)
	hearing = chromedp.Evaluate[chromedp.Void](`window.dispatchEvent(new Event("pageshow"))`)
)

// edit makes an edit behind the page's back, as another window does.
func edit(t *testing.T, url, site string, version int, edit string) {
	t.Helper()
	resp, err := http.Post(url+"/api/sites/"+site+"/edits", "application/json", strings.NewReader(fmt.Sprintf(`{"version":%d,"window":"another","edits":[%s]}`, version, edit)))
	if err != nil || resp.StatusCode != 200 {
		t.Fatalf("%v %v", resp, err)
	}
	resp.Body.Close()
}

func read(t *testing.T, resp *http.Response) string {
	t.Helper()
	data, err := io.ReadAll(resp.Body)
	if err != nil {
		t.Fatal(err)
	}
	return string(data)
}

// The router's form is open while another window changes name, UPnP and outside
// address: nothing of that is set back. What was typed stays, what was not shows the
// new values, and sent both are there. What both changed is asked about first.
func TestFormOpenWhileAnotherWindowWorks(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses"), Sees("12 of 15 pinned"), Press("Hall cupboard router"), Fill("Entries it has", "20"))
	edit(t, p.URL, "pottery", 1, `{"do":"put-router","router":{"id":"edge","name":"Cellar router","network":"main","upnp":"off","wan":{"address":"203.0.113.99","kind":"static"},"form":{"lines":16}}}`)
	do(t, ctx, Wait(fmt.Sprintf(`(() => { %s; return field("Name").value === "Cellar router" })()`, fields)))
	value := func(label string) string {
		return ask[string](t, ctx, fmt.Sprintf(`(() => { %s; return field(%q).value })()`, fields, label))
	}
	if name, lines, address := value("Name"), value("Entries it has"), value("Outside address"); name != "Cellar router" || lines != "20" || address != "203.0.113.99" {
		t.Errorf("the form shows %q, %q, %q", name, lines, address)
	}
	do(t, ctx, Press("Change the router"), Wait(`!document.querySelector("[role$=dialog]")`), Sees("Cellar router"), Sees("203.0.113.99"))
	resp, err := http.Get(p.URL + "/api/sites/pottery/file")
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	if file := read(t, resp); !strings.Contains(file, `"lines": 20`) || !strings.Contains(file, `"upnp": "off"`) {
		t.Errorf("%.900s", file)
	}
	// Now both change the same, and this window does not hear of it.
	do(t, ctx, Press("Cellar router"), Fill("Name", "Attic router"), deaf)
	edit(t, p.URL, "pottery", 3, `{"do":"put-router","router":{"id":"edge","name":"Loft router","network":"main","upnp":"off","wan":{"address":"203.0.113.99","kind":"static"},"form":{"lines":16}}}`)
	do(t, ctx, Press("Change the router"), Sees("changed elsewhere to “Loft router” while you typed"))
	look(t, ctx, "form-conflict")
	if got := value("Name"); got != "Attic router" {
		t.Errorf("what was typed is %q now", got)
	}
	do(t, ctx, Press("Keep “Attic router”"), Press("Change the router"), Wait(`!document.querySelector("[role$=dialog]")`), Sees("Attic router"), Sees("of 16 entries used"))
}

// The note's undo takes back what the note says, on top of what another window did
// since; and says why where it cannot.
func TestUndoOfANote(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey?pick=device:till"), Press("Remove the device"), Sees("is removed"))
	edit(t, p.URL, "pottery", 2, `{"do":"describe","id":"rec","place":"loft"}`)
	do(t, ctx, Wait(`document.querySelector("[data-device=rec]").innerText.includes("loft")`), click("[data-notice] button"), Sees("Taken back"),
		Wait(`document.querySelector("[data-device=till]") && document.querySelector("[data-device=rec]").innerText.includes("loft")`))
}

// A preview is older than a pin that another window made: taking it is refused with
// what was done, and the pin stays.
func TestOldPreviewOverANewerPin(t *testing.T) {
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/survey"), Press("Type or paste text"), SetText("Text to read", "00:00:5e:00:53:47 10.48.16.133 shop-till\n"), Press("Read this"), Sees("now at 10.48.16.133"))
	do(t, ctx, deaf)
	edit(t, p.URL, "pottery", 1, `{"do":"pin","id":"till.0","pin":{"address":"10.48.16.77"}}`)
	do(t, ctx, Press("Take what is new"), Sees("Meanwhile the same was changed elsewhere: pin Till"))
	look(t, ctx, "old-preview")
	resp, err := http.Get(p.URL + "/api/sites/pottery/file")
	if err != nil {
		t.Fatal(err)
	}
	defer resp.Body.Close()
	if file := read(t, resp); !strings.Contains(file, "10.48.16.77") {
		t.Error("the newer pin was set back")
	}
}

// The database is removed under the program: the page says that nothing was saved,
// and writes what is held to a new file.
func TestDatabaseRemoved(t *testing.T) {
	db := filepath.Join(t.TempDir(), "v.db")
	p, ctx := start(t, "serve", "--addr", "127.0.0.1:0", "--db", db), open(t)
	do(t, ctx, chromedp.Navigate(p.URL), Press("New site"), Press("Type"), Fill("Name", "Mill"), Fill("Subnet", "10.48.16.0/24"), Press("Make the site"), Press("Add by hand"), Sees("1 found"))
	for _, end := range []string{"", "-wal", "-shm"} {
		os.Remove(db + end)
	}
	do(t, ctx, Press("Add by hand"), Sees("Nothing was saved"))
	look(t, ctx, "database-gone")
	do(t, ctx, Press("Write it to a new file"), Sees("All that was saved is in"), Press("Add by hand"), Sees("2 found"), chromedp.Reload(), Sees("2 found"))
	if _, err := os.Stat(db); err != nil {
		t.Error(err)
	}
}

// A site that is removed can be had back, at once and later, with its history; or it is deleted for good.
func TestSiteIsRemoved(t *testing.T) {
	p, ctx := demo(t), open(t)
	gone := func(id string) Step { return Wait(`!document.querySelector("[data-site=` + id + `]")`) }
	there := func(id string) Step { return Wait(`document.querySelector("[data-site=` + id + `]")`) }
	do(t, ctx, chromedp.Navigate(p.URL), Sees("Saltmarsh Pottery"), Press("Remove Saltmarsh Pottery"), Sees("Saltmarsh Pottery is removed"), Sees("3 sites"), gone("pottery"))
	look(t, ctx, "remove-site")
	do(t, ctx, Press("Undo"), there("pottery"), Sees("4 sites"))
	untouched(t, p.URL, "pottery", 3, "removed and had back")
	// A second removal does not end the first.
	do(t, ctx, Press("Remove Saltmarsh Pottery"), gone("pottery"), Press("Remove Flat above"), gone("flat"), chromedp.Reload(), Sees("2 sites"),
		Press("More: backup"), Press("Removed sites"), Wait(`document.querySelectorAll("[data-removed]").length === 2`))
	look(t, ctx, "removed-sites")
	do(t, ctx, Press("Bring it back"), Sees("3 sites"), Wait(`document.querySelectorAll("[data-removed]").length === 1`), Press("Delete "), Sees("None. A site that is removed"))
}

// Where a passphrase is set it is asked for, also on this computer; whoever has it
// comes to the page that was asked for.
func TestLogin(t *testing.T) {
	t.Setenv("VESTPIN_PASSPHRASE", "kiln at nine")
	p, ctx := demo(t), open(t)
	do(t, ctx, chromedp.Navigate(p.URL+"/s/pottery/addresses"), Sees("Log in with the passphrase"), Fill("Passphrase", "kiln at ten"), Keys("\r"), Sees("That is not the passphrase."))
	look(t, ctx, "login")
	do(t, ctx, Fill("Passphrase", "kiln at nine"), Keys("\r"), Sees("12 of 15 pinned"), Wait(`location.pathname === "/s/pottery/addresses"`), Keys("?"), Sees("Keys"))
	look(t, ctx, "help")
	// What a link asks for afterwards is a page of this program, or it is the list of sites.
	for _, to := range []string{`/\other.example/x`, "//other.example/x", "https://other.example/x", "javascript:window.hit=1", "/\t/other.example"} {
		do(t, ctx, chromedp.Navigate(p.URL+"/login?to="+url.QueryEscape(to)), Fill("Passphrase", "kiln at nine"), Keys("\r"), Sees("Saltmarsh Pottery"), Wait(`location.host === "`+strings.TrimPrefix(p.URL, "http://")+`" && location.pathname === "/" && !window.hit`))
	}
}

// A program that others can reach is encrypted with a key of its own, which it keeps,
// and shows where it is reached and what to compare when the browser warns.
func TestReachedByOthers(t *testing.T) {
	t.Setenv("VESTPIN_PASSPHRASE", "kiln at nine")
	dir := t.TempDir()
	var certs [2]string
	for i := range certs {
		p := start(t, "serve", "--addr", "0.0.0.0:0", "--db", filepath.Join(dir, "v.db"))
		url := "https://127.0.0.1" + p.URL[strings.LastIndex(p.URL, ":"):]
		if !strings.HasPrefix(p.URL, "https://") {
			t.Fatalf("it is at %s", p.URL)
		}
		conn, err := tls.Dial("tcp", strings.TrimPrefix(url, "https://"), &tls.Config{InsecureSkipVerify: true})
		if err != nil {
			t.Fatal(err)
		}
		leaf := conn.ConnectionState().PeerCertificates[0]
		conn.Close()
		certs[i] = fmt.Sprintf("% X", sha256.Sum256(leaf.Raw))
		if err := leaf.VerifyHostname("127.0.0.1"); err != nil {
			t.Error(err)
		}
		if resp, err := http.Get("http://" + strings.TrimPrefix(url, "https://")); err == nil && resp.StatusCode == 200 {
			t.Error("it answers without encryption")
		}
		if i > 0 {
			ctx := open(t)
			do(t, ctx, chromedp.Navigate(url), Fill("Passphrase", "kiln at nine"), Keys("\r"), Press("New site"), Press("Type"), Fill("Name", "Mill"), Fill("Subnet", "10.48.16.0/24"), Press("Make the site"), Sees("Nothing found yet"))
			do(t, ctx, Keys("?"), Sees(strings.ReplaceAll(certs[i], " ", ":")), Wait(`document.querySelector("[role=dialog] [role=img] svg")`))
			look(t, ctx, "reach")
		}
		if err := p.Stop(); err != nil {
			t.Error(err)
		}
	}
	if certs[0] != certs[1] {
		t.Error("the key was made anew")
	}
	if info, err := os.Stat(filepath.Join(dir, "tls-key.pem")); err != nil || info.Mode().Perm() != 0o600 {
		t.Errorf("the key: %v %v", info, err)
	}
}
