package write

import (
	"bytes"
	"encoding/csv"
	"slices"
	"strings"
	"testing"

	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// hostile is a site whose names try to become directives, formulas and markup.
const hostile = `{"format":"vestpin-site/1","name":"x\nserver=192.0.2.1",
 "networks":[{"id":"main","name":"a\u2028b","subnet":"10.48.16.0/24","gateway":"10.48.16.1","dns":["10.48.16.1"],"ranges":[{"from":"10.48.16.100","to":"10.48.16.179"}]}],
 "routers":[{"id":"edge","name":"=cmd()","network":"main"}],
 "devices":[
  {"id":"a","name":"=1+1","interfaces":[{"id":"a.0","network":"main","mac":"00:00:5e:00:53:01","pin":{"address":"10.48.16.20"}}]},
  {"id":"b","name":"kiln\ndhcp-script=/x","kind":"@x","place":"-y","interfaces":[{"id":"b.0","network":"main","mac":"00:00:5e:00:53:02","pin":{"address":"10.48.16.21"}}]},
  {"id":"c","name":"kiln dhcp script x","interfaces":[{"id":"c.0","network":"main","mac":"00:00:5e:00:53:03","pin":{"address":"10.48.16.22","by":"device"}}]}],
 "forwards":[{"id":"f","name":"+f\r\n# g","router":"edge","protocol":"tcp","outside":"8020-8021","to":"a.0","inside":"80-81"}]}`

func text(t *testing.T, name string) string {
	t.Helper()
	s, err := sitefile.Read([]byte(hostile))
	if err != nil {
		t.Fatal(err)
	}
	target, err := Find(name)
	if err != nil {
		t.Fatal(err)
	}
	var b bytes.Buffer
	if err := target.Write(&b, s, ""); err != nil {
		t.Fatal(err)
	}
	return b.String()
}

func TestNamesStayDataInFiles(t *testing.T) {
	want := `# x server=192.0.2.1

# a b 10.48.16.0/24
dhcp-range=set:net1,10.48.16.100,10.48.16.179,255.255.255.0,24h
dhcp-option=tag:net1,option:router,10.48.16.1
dhcp-option=tag:net1,option:dns-server,10.48.16.1
dhcp-host=00:00:5e:00:53:01,10.48.16.20,1-1
dhcp-host=00:00:5e:00:53:02,10.48.16.21,kiln-dhcp-script-x
`
	if got := text(t, "dnsmasq"); got != want {
		t.Errorf("dnsmasq: got\n%s\nwant\n%s", got, want)
	}
	if got, want := text(t, "hosts"), "# x server=192.0.2.1\n10.48.16.20\t1-1\n10.48.16.21\tkiln-dhcp-script-x\n10.48.16.22\tkiln-dhcp-script-x-2\n"; got != want {
		t.Errorf("hosts: got\n%s\nwant\n%s", got, want)
	}
}

func TestTablesReadBackWithoutFormulas(t *testing.T) {
	for name, rows := range map[string]int{"reservations.csv": 3, "forwards.csv": 2} {
		records, err := csv.NewReader(strings.NewReader(text(t, name))).ReadAll()
		if err != nil || len(records) != rows {
			t.Errorf("%s: %d rows, %v", name, len(records), err)
		}
		for _, cell := range slices.Concat(records...) {
			if cell != "" && strings.ContainsRune("=+-@", rune(cell[0])) {
				t.Errorf("%s: %q is a formula", name, cell)
			}
		}
	}
}

func TestUnknownFile(t *testing.T) {
	if _, err := Find("punch-cards"); err == nil || !strings.Contains(err.Error(), "dnsmasq, hosts") {
		t.Errorf("got %v", err)
	}
}

// No cell is a formula to a spreadsheet, whatever it separates cells by, and each
// can be told from what it was made of.
func TestCells(t *testing.T) {
	for text, want := range map[string]string{
		"=1": `"'=1"`, " =1": `"' =1"`, "\u00a0=1": "\"'\u00a0=1\"", "＝1": `"'＝1"`, "\t@x": "\"'\t@x\"", "\u200b-1": "\"'\u200b-1\"", "cam;=1+1": `"cam;=1+1"`,
		"'=1": `"''=1"`, "a\"b": `"a""b"`, "": `""`, "plain": `"plain"`, "10-20": `"10-20"`,
	} {
		var b strings.Builder
		if err := table(&b, nil, [][]string{{text}}); err != nil || strings.TrimPrefix(b.String(), "\n") != want+"\n" {
			t.Errorf("%q is written as %q, %v", text, b.String(), err)
		}
	}
}

// Every name is one that every computer takes, and no two are alike.
func TestHostNames(t *testing.T) {
	long := strings.Repeat("kiln room ", 9)
	s := site.Site{Networks: []site.Network{{ID: "n"}}}
	for i, name := range []string{"localhost", "wpad", "broadcasthost", "5m", long + "1", long + "2", "lan 1", "lan-1", "倉庫", "事務所", "", "ignore"} {
		s.Devices = append(s.Devices, site.Device{ID: string(rune('a' + i)), Name: name, Interfaces: []site.Interface{{ID: string(rune('a' + i)), Network: "n"}}})
	}
	seen := map[string]bool{}
	for id, name := range hostNames(site.NewView(s)) {
		if seen[name] || len(name) == 0 || len(name) > longestLabel || reservedNames[name] || mistakable(name) || strings.Trim(name, "-") != name {
			t.Errorf("%s is called %q", id, name)
		}
		seen[name] = true
	}
}
