package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/chromedp/chromedp"
	"github.com/xuri/excelize/v2"
)

// mill opens an empty site for evidence.
func mill(t *testing.T) context.Context {
	p, ctx := start(t, "serve", "--addr", "127.0.0.1:0", "--db", t.TempDir()+"/v.db"), open(t)
	do(t, ctx, chromedp.Navigate(p.URL), Press("New site"), Press("Type"), Fill("Name", "Mill"), Fill("Subnet", "10.48.16.0/24"), Press("Make the site"), Sees("Nothing found yet"))
	return ctx
}

// files puts several files into the field for evidence.
func files(paths ...string) Step {
	return chromedp.SetUploadFiles(chromedp.CSS(`input[type=file][aria-label="Files to read"]`), paths, chromedp.NodeReady)
}

// comesTo waits until so many lines of the preview came to something of that kind.
func comesTo(what string, n int) Step {
	return Wait(fmt.Sprintf(`document.querySelectorAll("[data-as-it-came] [data-finding=%s]").length === %d`, what, n))
}

func workbook(t *testing.T, path string) {
	t.Helper()
	f := excelize.NewFile()
	defer f.Close()
	for i, row := range [][]any{{"Bezeichnung", "Seriennr.", "IP-Adresse", "MAC-Adresse"}, {"Küche", 4711, "10.48.16.20", "00:00:5e:00:53:20"}, {"Büro", 4712, "10.48.16.21", "00:00:5e:00:53:21"}} {
		if err := f.SetSheetRow("Sheet1", fmt.Sprintf("A%d", i+1), &row); err != nil {
			t.Fatal(err)
		}
	}
	if err := f.SaveAs(path); err != nil {
		t.Fatal(err)
	}
}

// One of each kind of file goes through the page: what it holds is in the preview, line by
// line, and in the table when it is taken.
func TestEveryKindOfFileIsTaken(t *testing.T) {
	dir := t.TempDir()
	texts := map[string]string{
		"list.txt":     "Nom\tAdresse IP\tAdresse MAC\nCuisine\t10.48.16.30\t00:00:5e:00:53:30\n",
		"list.csv":     "Room;Device;IP;MAC\n12;Yard camera;10.48.16.31;00:00:5e:00:53:31\n",
		"page.html":    "<!DOCTYPE html><html><body><div class=list><div class=c><b>till</b><p>10.48.16.32</p><p>00:00:5e:00:53:32</p></div><div class=c><b>door</b><p>10.48.16.33</p><p>00:00:5e:00:53:33</p></div></div></body></html>",
		"export.json":  `{"clients":{"00:00:5e:00:53:34":{"n":"kiln","i":"10.48.16.34"}}}`,
		"export.xml":   "<?xml version=\"1.0\"?><hosts><host><hw>00:00:5e:00:53:35</hw><ip>10.48.16.35</ip><label>media</label></host></hosts>",
		"export.yaml":  "hosts:\n  - name: printer\n    ip: 10.48.16.36\n    mac: 00:00:5e:00:53:36\n",
		"dnsmasq.conf": "dhcp-range=10.48.16.100,10.48.16.179,12h\ndhcp-host=00:00:5e:00:53:37,10.48.16.37,office-pc\n",
		"lan.leases":   "1795431600 00:00:5e:00:53:38 10.48.16.138 phone *\n",
		"router.log":   "Jun  3 08:12:44 gw dnsmasq-dhcp[812]: DHCPACK(br0) 10.48.16.139 00:00:5e:00:53:39 tablet\n",
		"nft.txt":      "table ip nat {\n\tchain prerouting {\n\t\ttcp dport 8020 dnat to 10.48.16.20:80 comment \"kitchen page\"\n\t}\n}\n",
		"rubbish.bin":  "\x89PNG\x00\x01\x02",
	}
	for name, text := range texts {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	workbook(t, filepath.Join(dir, "list.xlsx"))
	ctx := mill(t)
	at := func(name string) string { return filepath.Join(dir, name) }
	left := Wait(`!document.querySelector("[aria-label='What was understood']")`)
	for _, c := range []struct {
		name     string
		devices  int
		says     string
		forwards int
	}{
		{"list.txt", 1, "Cuisine", 0}, {"list.csv", 1, "Yard camera", 0}, {"list.xlsx", 2, "Küche", 0}, {"page.html", 2, "door", 0}, {"export.json", 1, "kiln", 0}, {"export.xml", 1, "media", 0},
		{"export.yaml", 1, "printer", 0}, {"dnsmasq.conf", 1, "office-pc", 0}, {"lan.leases", 1, "phone", 0}, {"router.log", 1, "tablet", 0}, {"nft.txt", 0, "1 forward that a router holds, kept as evidence", 1},
	} {
		do(t, ctx, files(at(c.name)), Sees(c.says), comesTo("new", c.devices), comesTo("forward", c.forwards),
			Wait(`[...document.querySelectorAll("button")].some((b) => /^Take/.test(b.innerText) && !b.disabled)`), Press("Take"), left)
	}
	lan, err := filepath.Abs("../read/testdata/lan.pcap")
	if err != nil {
		t.Fatal(err)
	}
	// 12 devices by now; a capture brings those of its own, and a bad file among several is told.
	do(t, ctx, rows(12), files(lan, at("rubbish.bin")), Sees("rubbish.bin was not read"), Sees("in 2 files"), Wait(`document.querySelectorAll("[data-finding=new]").length > 0`), Press("Cancel"), left, rows(12),
		files(at("rubbish.bin")), Sees("neither text nor a capture"), Press("Close"))
	held := ask[string](t, ctx, `(() => { const r = new XMLHttpRequest(); r.open("GET", "/api/sites/mill/file", false); r.send(); return JSON.stringify(JSON.parse(r.responseText).routers[0].held) })()`)
	if want := `"outside":"8020","address":"10.48.16.20","inside":"80"`; !strings.Contains(held, want) || !strings.Contains(held, `"source":"nft.txt"`) {
		t.Errorf("the router holds %s", held)
	}
	seen := ask[string](t, ctx, `(() => { const r = new XMLHttpRequest(); r.open("GET", "/api/sites/mill/file", false); r.send(); const d = JSON.parse(r.responseText).devices.find((d) => d.name === "office-pc").interfaces[0]; return d.pin.address + " " + (d.seen ?? "never seen") })()`)
	if seen != "10.48.16.37 never seen" {
		t.Errorf("a reservation came as %q", seen)
	}
}

// Where two readings of a list are close it is asked, and nothing is believed meanwhile.
func TestListsAreAskedAbout(t *testing.T) {
	ctx := mill(t)
	forward := func(text string) Step {
		return Wait(fmt.Sprintf(`document.querySelector("[data-finding=forward]")?.innerText.includes(%q)`, text))
	}
	do(t, ctx,
		Press("Type or paste text"), SetText("Text to read", "Zul\tProtocol\tMorr\tVant\tPort\nTill feed\tTCP\t9101\t10.48.16.40\t9102\nPanel\tTCP\t9201\t10.48.16.41\t9200\n"), Press("Read this"),
		Sees("Which column holds the outside ports?"), Sees("1 question open below"), Sees("2 lines not understood"), Sees("waits for the answer above"), Wait(`!document.querySelector("[data-finding=forward]")`),
		Press("Morr is outside"), forward("9101/tcp → 10.48.16.40:9102"), Wait(`!document.querySelector("[data-ask]")`), Press("Cancel"),
		Press("Type or paste text"), SetText("Text to read", "Name\tProtocol\tOutside port\tAddress\tInside port\tStatus\nTill feed\tTCP\t8040\t10.48.16.40\t80\tzelt\nPanel\tTCP\t8041\t10.48.16.41\t80\tquark\n"), Press("Read this"),
		Sees("Which lines are on? The words in “Status” are not known."), Wait(`!document.querySelector("[data-finding=forward]")`),
		Press("“zelt” is on"), forward("8040/tcp"), Wait(`!document.querySelector("[data-finding=forward]")?.innerText.includes("(off)")`), Wait(`!document.querySelector("[data-ask]")`),
	)
}

// What a column holds can be said; the page is read again at once, and the next page of
// the same shape is read so by itself.
func TestColumnsAreChosen(t *testing.T) {
	page := func(n int) string {
		return fmt.Sprintf("Kurz\tLang\tIP-Adresse\tMAC-Adresse\nk%[1]d\tKamera Hof %[1]d\t10.48.16.%[1]d\t00:00:5e:00:53:%[1]d\nt%[1]d\tTheke %[1]d\t10.48.16.%[2]d\t00:00:5e:00:53:%[2]d\n", n, n+1)
	}
	ctx := mill(t)
	read := func(n int) Step {
		return chromedp.Steps(Press("Type or paste text"), SetText("Text to read", page(n)), Press("Read this"), comesTo("new", 2))
	}
	choose := func(column int, role string) Step {
		return chromedp.Evaluate[chromedp.Void](fmt.Sprintf(`(() => { const s = document.querySelector("[data-column='%d']"); Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, "value").set.call(s, %q); s.dispatchEvent(new Event("change", {bubbles: true})) })()`, column, role))
	}
	became := func(text string) Step {
		return Wait(fmt.Sprintf(`document.querySelector("[data-finding=new]")?.innerText.includes(%q)`, text))
	}
	do(t, ctx, read(20), Sees("Which column is the name?"),
		choose(1, "name"), became("Kamera Hof 20"), Sees("as you chose for pages like this"), Wait(`!document.querySelector("[data-ask]")`),
		Press("Cancel"), read(40), became("Kamera Hof 40"), Sees("as you chose for pages like this"),
		choose(0, "name"), became("k40"),
		Press("Find out by itself again"), Sees("Which column is the name?"), Press("Cancel"),
	)
}
