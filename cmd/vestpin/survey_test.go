package main

import (
	"bytes"
	"encoding/json"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"vestpin/maker"
	"vestpin/wire"
)

// keep puts a text into a file of its own.
func keep(t *testing.T, name, text string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
		t.Fatal(err)
	}
	return path
}

const registryCSV = "Registry,Assignment,Organization Name,Organization Address\nMA-L,00005E,Larkbridge,x\nMA-S,00005E005,Ostrel Vision,y\n"

// A newer list of makers is written beside the database and found there; a broken
// one leaves the old.
func TestNewerListOfMakers(t *testing.T) {
	t.Setenv("XDG_DATA_HOME", t.TempDir())
	if r, err := newerRegistry(); r != nil || err != nil {
		t.Fatalf("without a file: %v, %v", r, err)
	}
	c := makersCommand()
	c.SetArgs([]string{keep(t, "oui.csv", registryCSV)})
	if err := c.Execute(); err != nil {
		t.Fatal(err)
	}
	check := func() {
		t.Helper()
		r, err := newerRegistry()
		if err != nil || r.Len() != 2 || r.Find("00:00:5e:00:53:21") != "Ostrel Vision" || r.Find("00:00:5e:01:53:21") != "Larkbridge" {
			t.Errorf("%+v, %v", r, err)
		}
	}
	check()
	c = makersCommand()
	c.SilenceUsage, c.SilenceErrors = true, true
	c.SetArgs([]string{keep(t, "notes.csv", "hello,world\n")})
	if err := c.Execute(); err == nil || !strings.Contains(err.Error(), "line 1") {
		t.Errorf("a list of nothing: %v", err)
	}
	check()
	dir, _ := dataDir()
	if left, _ := filepath.Glob(filepath.Join(dir, ".makers-*")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
	if err := os.WriteFile(filepath.Join(dir, makersFile), []byte("rubbish"), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := newerRegistry(); err == nil || !strings.Contains(err.Error(), makersFile) || !strings.Contains(err.Error(), maker.ErrNotMakers.Error()) {
		t.Errorf("a broken list: %v", err)
	}
}

// The subnet that is swept is the site's one that this computer is attached to.
func TestWhichSubnetIsSwept(t *testing.T) {
	prefix := netip.MustParsePrefix
	links := []wire.Link{{Name: "a", Own: prefix("192.0.2.9/24")}, {Name: "b", Own: prefix("10.48.16.9/22")}}
	for _, c := range []struct {
		own  []netip.Prefix
		want string
	}{
		{[]netip.Prefix{prefix("10.48.16.0/24")}, "10.48.16.0/24"},
		{[]netip.Prefix{prefix("10.77.0.0/24"), prefix("10.48.16.0/22")}, "10.48.16.0/22"},
		{[]netip.Prefix{prefix("10.77.0.0/24")}, "10.77.0.0/24"},
		{nil, "invalid Prefix"},
	} {
		if got := attached(c.own, links); got.String() != c.want {
			t.Errorf("%v: got %s, want %s", c.own, got, c.want)
		}
	}
	site := keep(t, "site.json", `{"format":"vestpin-site/1","name":"x","networks":[{"id":"a","subnet":"10.1.0.0/24"},{"id":"b","subnet":"10.2.0.0/24"}]}`)
	own, err := ownSubnets([]string{site}, links)
	if err != nil || len(own) != 2 || own[1] != prefix("10.2.0.0/24") {
		t.Errorf("of a site: %v, %v", own, err)
	}
	if own, _ = ownSubnets(nil, links); len(own) != 2 || own[0] != prefix("192.0.2.0/24") {
		t.Errorf("without a site: %v", own)
	}
}

// Several files of several kinds are read as one; each sighting keeps its own.
func TestReadSeveralFiles(t *testing.T) {
	leases := keep(t, "leases", "1795431600 00:00:5e:00:53:21 10.48.16.112 rec *\n")
	page := keep(t, "page.html", "<html><body><table><tr><td>yard</td><td>00:00:5e:00:53:22</td><td>10.48.16.21</td></tr></table></body></html>")
	old := os.Stdout
	r, w, err := os.Pipe()
	if err != nil {
		t.Fatal(err)
	}
	os.Stdout = w
	c := readCommand()
	c.SetArgs([]string{leases, page})
	err = c.Execute()
	os.Stdout = old
	w.Close()
	var b bytes.Buffer
	b.ReadFrom(r)
	var out struct {
		Sightings []struct{ MAC, Address, Host, Source string }
		Facts     map[string]any
		Unread    []any
	}
	if err != nil || json.Unmarshal(b.Bytes(), &out) != nil || len(out.Sightings) != 2 || out.Sightings[0].Source != leases || out.Sightings[1].Host != "yard" || len(out.Unread) != 0 {
		t.Errorf("%v %s", err, b.String())
	}
	for _, list := range []string{"dns", "ranges", "dhcp"} {
		if _, ok := out.Facts[list].([]any); !ok {
			t.Errorf("%s is no list in %s", list, b.String())
		}
	}
	c = readCommand()
	c.SilenceUsage, c.SilenceErrors = true, true
	c.SetArgs([]string{leases, filepath.Join(t.TempDir(), "none")})
	if err := c.Execute(); err == nil {
		t.Error("a file that is not there was read")
	}
}
