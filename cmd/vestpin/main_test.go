package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"vestpin/core/site"
	"vestpin/store"
)

// The test binary is the program itself when it is asked to be.
func TestMain(m *testing.M) {
	if os.Getenv("VESTPIN_BE_THE_PROGRAM") != "" {
		main()
		os.Exit(0)
	}
	os.Exit(m.Run())
}

func vestpin(t *testing.T, input string, args ...string) (status int, out, errs string) {
	t.Helper()
	cmd := exec.Command(os.Args[0], args...)
	cmd.Env = append(os.Environ(), "VESTPIN_BE_THE_PROGRAM=yes")
	cmd.Stdin = strings.NewReader(input)
	var o, e bytes.Buffer
	cmd.Stdout, cmd.Stderr = &o, &e
	var exit *exec.ExitError
	if err := cmd.Run(); errors.As(err, &exit) {
		status = exit.ExitCode()
	} else if err != nil {
		t.Fatal(err)
	}
	return status, o.String(), e.String()
}

const pottery = "../../demo/sites/pottery.json"

func TestCommandLine(t *testing.T) {
	half := filepath.Join(t.TempDir(), "half.json")
	if err := os.WriteFile(half, []byte(`{"format":"vestpin-site/1","name":"x","networks":[{"id":"n","subnet":"10.48.16.0/24","gateway":"10.4`), 0o600); err != nil {
		t.Fatal(err)
	}
	clean := `{"format":"vestpin-site/1","name":"x"}`
	cases := []struct {
		name   string
		input  string
		args   []string
		status int
		out    string // part of the standard output, or of the standard error where the status is 2
	}{
		{"check, with a snag that stops work", "", []string{"check", pottery}, 1, `"outside-clash"`},
		{"check of nothing, from standard input", clean, []string{"check", "-"}, 0, `"snags": []`},
		{"suggest", "", []string{"suggest", pottery}, 0, `"proven": true`},
		{"suggest, the site alone", "", []string{"suggest", "--site", "--addresses", pottery}, 0, `"format": "vestpin-site/1"`},
		{"suggest, with a wish that cannot be met", "", []string{"suggest", "../../demo/sites/flat.json"}, 1, `"cam.web"`},
		{"walk", "", []string{"walk", pottery, "--port", "8021", "--protocol", "tcp"}, 0, `"interface": "yard.0"`},
		{"walk to the router", "", []string{"walk", pottery, "--port", "443"}, 0, `"fate": "router"`},
		{"lines", "", []string{"lines", pottery}, 0, `"outside": "16400-16463"`},
		{"more lines than are printed", `{"format":"vestpin-site/1","name":"x","networks":[{"id":"n","subnet":"10.48.16.0/24"}],"routers":[{"id":"r","network":"n","form":{"portsPerLine":"one"}}],"forwards":[{"id":"f","router":"r","protocol":"tcp","outside":"1-65535","to":"10.48.16.9"}]}`, []string{"lines", "-"}, 0, `"more": 55535`},
		{"read", "", []string{"read", "../../demo/captures/router-page.txt"}, 0, `"host": "Imprimante étiquettes"`},
		{"read by name", "10.48.16.20 dev eth0 lladdr 00:00:5e:00:53:21 STALE", []string{"read", "--as", "neighbours", "-"}, 0, `"state": "stale"`},
		{"write", "", []string{"write", "--as", "dnsmasq", pottery}, 0, "dhcp-host=00:00:5e:00:53:21,10.48.16.20,gallery-recorder"},
		{"no such file", "", []string{"check", "none.json"}, 2, "none.json"},
		{"half a file", "", []string{"check", half}, 2, half + ": $: want whole JSON; line 1: the text ends in the middle"},
		{"a stray key", `{"format":"vestpin-site/1","name":"x","colour":1}`, []string{"check", "-"}, 2, "$.colour"},
		{"no port", "", []string{"walk", pottery, "--port", "0"}, 2, "want a port from 1 to 65535"},
		{"no router", "", []string{"lines", pottery, "--router", "none"}, 2, "--router"},
		{"an unknown file to write", "", []string{"write", "--as", "tape", pottery}, 2, "reservations.csv"},
		{"an unknown command", "", []string{"dance"}, 2, "dance"},
		{"an unknown flag", "", []string{"check", "--loud", pottery}, 2, "--loud"},
		{"a passphrase is needed", "", []string{"serve", "--addr", "0.0.0.0:0", "--db", half + ".db"}, 2, "VESTPIN_PASSPHRASE"},
		{"not an address to listen on", "", []string{"serve", "--addr", "here", "--db", half + ".db"}, 2, "127.0.0.1:8417"},
		{"not a database", "", []string{"serve", "--db", half}, 2, "name another file with --db"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			status, out, errs := vestpin(t, c.input, c.args...)
			says := out
			if c.status == 2 {
				says = errs
				if out != "" || strings.Count(errs, "\n") != 1 {
					t.Errorf("want one line of error and nothing else: %q, %q", out, errs)
				}
			}
			if status != c.status || !strings.Contains(says, c.out) {
				t.Errorf("status %d, %.600s %s", status, out, errs)
			}
		})
	}
}

// A passphrase that is no good is refused wherever the program listens, before it does.
func TestPassphrasesThatAreRefused(t *testing.T) {
	db := filepath.Join(t.TempDir(), "v.db")
	for passphrase, good := range map[string]bool{"short": false, "        ": false, "\t \t \t \t ": false, "äöüäöüä": false, "kiln at nine": true, "äöüäöüäö": true} {
		t.Setenv(passphraseVariable, passphrase)
		for _, addr := range []string{"127.0.0.1:0", "0.0.0.0:0"} {
			o, err := options(listening{addr: addr})
			if (err == nil) != good || good && (o.Passphrase != passphrase || o.Secure != (addr == "0.0.0.0:0")) {
				t.Errorf("%q at %s: %+v, %v", passphrase, addr, o, err)
			}
		}
	}
	t.Setenv(passphraseVariable, "short")
	if status, _, errs := vestpin(t, "", "serve", "--db", db); status != 2 || !strings.Contains(errs, "at least 8 characters") {
		t.Errorf("%d %s", status, errs)
	}
	if _, err := os.Stat(db); err == nil {
		t.Error("the database was made all the same")
	}
	if _, _, err := certificate(t.TempDir(), "one.pem", ""); err == nil {
		t.Error("a certificate without a key was taken")
	}
}

// Taking every suggestion leaves nothing to suggest, and no clash.
func TestSuggestionsSettle(t *testing.T) {
	_, once, _ := vestpin(t, "", "suggest", "--site", pottery)
	status, out, errs := vestpin(t, once, "suggest", "-")
	var again struct {
		Changes []any `json:"changes"`
		Unmet   []any `json:"unmet"`
	}
	if err := json.Unmarshal([]byte(out), &again); err != nil || status != 0 || len(again.Changes) > 0 || len(again.Unmet) > 0 {
		t.Errorf("%d %v %s %.800s", status, err, errs, out)
	}
	if status, out, _ := vestpin(t, once, "check", "-"); status != 0 {
		t.Errorf("snags that stop work are left: %.800s", out)
	}
}

// All sites go into one file and come back; what was there is kept, and what is wrong is said.
func TestBackupAndRestore(t *testing.T) {
	dir := t.TempDir()
	db, file := filepath.Join(dir, "v.db"), filepath.Join(dir, "all.backup")
	if status, _, errs := vestpin(t, "", "backup", file, "--db", db); status != 2 || !strings.Contains(errs, "there is no database at") {
		t.Errorf("%d %s", status, errs)
	}
	st, err := store.Open(db)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := st.Create(t.Context(), "mill", site.New("Mill", netip.MustParsePrefix("10.48.16.0/24"), netip.Addr{}, nil)); err != nil {
		t.Fatal(err)
	}
	// The program may run meanwhile: its store stays open.
	defer st.Close()
	if status, out, errs := vestpin(t, "", "backup", file, "--db", db); status != 0 || !strings.Contains(out, file) {
		t.Fatalf("%d %s %s", status, out, errs)
	}
	if status, _, errs := vestpin(t, "", "backup", file, "--db", db); status != 2 || !strings.Contains(errs, "exists") {
		t.Errorf("over a backup that is there: %d %s", status, errs)
	}
	if err := st.Remove(t.Context(), "mill"); err != nil {
		t.Fatal(err)
	}
	if status, out, errs := vestpin(t, "", "restore", file, "--db", db); status != 0 || !strings.Contains(out, "v.db-before-") {
		t.Fatalf("%d %s %s", status, out, errs)
	}
	if got, err := st.Get(t.Context(), "mill"); err != nil || got.Site.Name != "Mill" {
		t.Errorf("the running program sees %q, %v", got.Site.Name, err)
	}
	if status, _, errs := vestpin(t, "", "restore", "main_test.go", "--db", db); status != 2 || !strings.Contains(errs, "no backup of Vest Pin") {
		t.Errorf("%d %s", status, errs)
	}
}
