package store

import (
	"bufio"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"strconv"
	"strings"
	"testing"

	"vestpin/core/site"
	"vestpin/core/span"
)

func ports(n int) span.Ports { return span.Port(n) }

// full is a site that has something in every table.
func full() site.Site {
	a := netip.MustParseAddr
	sender, _ := site.ParseSender("198.51.100.0/24")
	return site.Site{
		Name: "Saltmarsh Pottery",
		Networks: []site.Network{{
			ID: "main", Name: "Main", Subnet: netip.MustParsePrefix("10.48.16.0/24"), Gateway: a("10.48.16.1"), DNS: []netip.Addr{a("10.48.16.1"), a("192.0.2.53")},
			Ranges:   []site.Range{{From: a("10.48.16.100"), To: a("10.48.16.179")}},
			Bands:    []site.Band{{Name: "cameras", From: a("10.48.16.20"), To: a("10.48.16.39"), Kinds: []string{"camera", "recorder"}}},
			KeepFree: []site.KeepFree{{From: a("10.48.16.240"), To: a("10.48.16.254"), Why: "lift"}},
		}},
		Routers: []site.Router{
			{ID: "inner", Network: "main", Upstream: "edge", WAN: site.WAN{Kind: "unknown"}, UPnP: "off", Form: site.Form{PortsPerLine: "one", Renumber: "one", LimitsSender: "no", Reserves: "no"}},
			{ID: "edge", Network: "main", WAN: site.WAN{Address: a("203.0.113.47"), Kind: "dynamic", Name: "studio.example.net"}, UPnP: "on",
				OwnPorts: []site.OwnPort{{Protocol: "tcp", Ports: ports(443), Why: "page"}},
				Form:     site.Form{PortsPerLine: "range", Renumber: "one", Protocols: []site.Protocol{"tcp", "udp"}, LimitsSender: "no", Lines: 16, Reserves: "anywhere"}},
		},
		Devices: []site.Device{
			{ID: "z", Name: "a \"quoted\"\nname", Kind: "camera", Place: "yard", Rank: 2, Interfaces: []site.Interface{{ID: "z.0", Network: "main", MAC: "00:00:5e:00:53:01", Wants: "auto"}}},
			{ID: "rec", Name: "Recorder", Interfaces: []site.Interface{{
				ID: "rec.0", Network: "main", Seen: a("10.48.16.112"), Wants: "pin", Pin: &site.Pin{Address: a("10.48.16.20"), By: "both", Locked: true},
				Evidence: []site.Evidence{{Source: "leases", Line: 3, At: "2026-11-23T09:38:12Z", Address: a("10.48.16.112"), Host: "rec"}},
			}}, Services: []site.Service{{
				ID: "rec.web", Interface: "rec.0", Protocol: "tcp", Ports: ports(80), CanSetTo: []span.Ports{ports(81)},
				Open: &site.Open{Port: "any", Prefer: ports(8020), From: []site.Sender{sender}, Router: "edge"},
			}}},
		},
		Forwards: []site.Forward{{ID: "f1", Router: "edge", Enabled: true, Protocol: "tcp", Outside: ports(8020), To: "rec.0", Inside: ports(80), From: []site.Sender{sender}, Service: "rec.web", Locked: true}},
		Done:     []site.Done{{Step: "reserve:rec.0", At: "2026-11-23T09:42:00Z", Values: "IP 10.48.16.20"}},
	}
}

func open(t *testing.T, path string) *Store {
	t.Helper()
	s, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { s.Close() })
	return s
}

func rename(text string) []site.Edit { return []site.Edit{{Do: site.RenameSite, Name: &text}} }

func TestSiteComesBackWhole(t *testing.T) {
	path := filepath.Join(t.TempDir(), "a file with spaces?.db")
	st, err := open(t, path).Create("pottery", full())
	if err != nil {
		t.Fatal(err)
	}
	again, err := open(t, path).Get(st.ID)
	if err != nil || !reflect.DeepEqual(again.Site, full()) {
		t.Errorf("%v\ngot  %+v\nwant %+v", err, again.Site, full())
	}
}

// randomEdit makes an edit that fits the site, most of the time.
func randomEdit(r *rand.Rand, s site.Site) site.Edit {
	d := s.Devices[r.IntN(len(s.Devices))]
	name := fmt.Sprint("name ", r.IntN(1000))
	switch r.IntN(9) {
	case 0:
		return site.Edit{Do: site.Describe, ID: d.ID, Name: &name}
	case 1:
		return site.Edit{Do: site.SetPin, ID: d.Interfaces[0].ID, Pin: &site.Pin{Address: netip.AddrFrom4([4]byte{10, 48, 16, byte(r.IntN(255))}), By: "device"}}
	case 2:
		return site.Edit{Do: site.SetPin, ID: d.Interfaces[0].ID}
	case 3:
		id := fmt.Sprintf("n%d", r.IntN(30))
		at := r.IntN(3)
		return site.Edit{Do: site.PutDevice, At: &at, Device: &site.Device{ID: id, Name: name, Interfaces: []site.Interface{{ID: id + ".0", Network: "main", Wants: "auto"}},
			Services: []site.Service{{ID: id + ".s", Interface: id + ".0", Protocol: "udp", Ports: ports(1 + r.IntN(9))}}}}
	case 4:
		if len(s.Devices) > 1 {
			return site.Edit{Do: site.RemoveDevice, ID: d.ID}
		}
	case 5:
		return site.Edit{Do: site.PutForward, Forward: &site.Forward{ID: fmt.Sprintf("f%d", r.IntN(9)), Router: "edge", Protocol: "tcp", Outside: ports(1 + r.IntN(99)), To: d.Interfaces[0].ID}}
	case 6:
		return site.Edit{Do: site.Tick, ID: "step:" + d.ID, Done: &site.Done{Step: "x", At: name}}
	case 7:
		if len(d.Services) > 0 {
			return site.Edit{Do: site.RemoveService, ID: d.Services[0].ID}
		}
	}
	if len(s.Forwards) > 0 && r.IntN(2) == 0 {
		return site.Edit{Do: site.RemoveForward, ID: s.Forwards[r.IntN(len(s.Forwards))].ID}
	}
	return site.Edit{Do: site.RenameSite, Name: &name}
}

// Every edit can be undone and redone, also by a program started anew, and what
// the tables hold is always what the value says.
func TestUndoAcrossRestarts(t *testing.T) {
	path := filepath.Join(t.TempDir(), "v.db")
	s := open(t, path)
	st, err := s.Create("p", full())
	if err != nil {
		t.Fatal(err)
	}
	r := rand.New(rand.NewPCG(1, 1))
	states := []site.Site{st.Site}
	for len(states) < 120 {
		next, err := s.Edit(st.ID, st.Version, "test", "", []site.Edit{randomEdit(r, st.Site), randomEdit(r, st.Site)})
		var refused *site.Refusal
		if errors.As(err, &refused) {
			continue
		}
		if err != nil {
			t.Fatal(err)
		}
		st = next
		states = append(states, st.Site)
	}
	same := func(want site.Site) {
		t.Helper()
		if string(site.Write(st.Site)) != string(site.Write(want)) {
			t.Fatalf("got\n%s\nwant\n%s", site.Write(st.Site), site.Write(want))
		}
	}
	for i := len(states) - 2; i >= 0; i-- {
		if i%10 == 0 {
			s = open(t, path)
		}
		if st, err = s.Undo(st.ID, st.Version, "test"); err != nil {
			t.Fatal(err)
		}
		same(states[i])
	}
	if _, err := s.Undo(st.ID, st.Version, "test"); !errors.Is(err, ErrNothing) {
		t.Errorf("undo past the beginning: %v", err)
	}
	for i := 1; i < len(states); i++ {
		if st, err = s.Redo(st.ID, st.Version, "test"); err != nil {
			t.Fatal(err)
		}
		same(states[i])
	}
	st, err = open(t, path).Get(st.ID)
	if err != nil {
		t.Fatal(err)
	}
	same(states[len(states)-1])
}

func TestStaleVersionIsRefusedWithWhatHappened(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	st, err := s.Create("p", full())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Edit(st.ID, st.Version, "first window", "", rename("one")); err != nil {
		t.Fatal(err)
	}
	_, err = s.Edit(st.ID, st.Version, "second window", "", rename("two"))
	var stale *StaleError
	if !errors.As(err, &stale) || stale.Version != 2 || len(stale.Meanwhile) != 1 || stale.Meanwhile[0].Title != "rename the site" {
		t.Fatalf("got %+v", err)
	}
	if now, _ := s.Get(st.ID); now.Site.Name != "one" || now.Version != 2 {
		t.Errorf("the refused edit left its mark: %q at %d", now.Site.Name, now.Version)
	}
}

func TestNewerDatabaseIsRefusedAndLeftAlone(t *testing.T) {
	path := filepath.Join(t.TempDir(), "v.db")
	s := open(t, path)
	if _, err := s.db.Exec(`INSERT INTO goose_db_version (version_id, is_applied) VALUES (99, 1)`); err != nil {
		t.Fatal(err)
	}
	s.Close()
	before, _ := os.ReadFile(path)
	_, err := Open(path)
	var newer *NewerError
	if !errors.As(err, &newer) || newer.Version != 99 {
		t.Fatalf("got %v", err)
	}
	if after, _ := os.ReadFile(path); string(after) != string(before) {
		t.Error("the file was changed")
	}
}

func TestFilesThatCannotBeUsed(t *testing.T) {
	dir := t.TempDir()
	other := filepath.Join(dir, "letter.txt")
	if err := os.WriteFile(other, []byte(strings.Repeat("Dear Sir, ", 200)), 0o600); err != nil {
		t.Fatal(err)
	}
	if _, err := Open(other); err == nil || !strings.Contains(err.Error(), "not a database of Vest Pin") {
		t.Errorf("another file: %v", err)
	}
	if _, err := Open(filepath.Join(other, "v.db")); !errors.Is(err, ErrCannotSave) {
		t.Errorf("a folder that cannot be made: %v", err)
	}
}

func TestFullDisk(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	st, err := s.Create("p", full())
	if err != nil {
		t.Fatal(err)
	}
	s.db.SetMaxOpenConns(1)
	if _, err := s.db.Exec(`PRAGMA max_page_count = 1`); err != nil { // it stays at the size it has
		t.Fatal(err)
	}
	for range 400 {
		if st, err = s.Edit(st.ID, st.Version, "", strings.Repeat("long ", 500), rename("x")); err != nil {
			break
		}
	}
	if !errors.Is(err, ErrCannotSave) || !strings.Contains(err.Error(), "the disk is full") {
		t.Errorf("got %v", err)
	}
}

// A program killed in the middle of a thousand edits has kept every one that it
// said was kept.
func TestKilledInTheMiddle(t *testing.T) {
	if path := os.Getenv("VESTPIN_EDIT_UNTIL_KILLED"); path != "" {
		s := open(t, path)
		st, err := s.Get("p")
		for i := 0; i < 1000 && err == nil; i++ {
			st, err = s.Edit("p", st.Version, "", "", rename("edit "+strconv.Itoa(i)))
			fmt.Println("kept", i)
		}
		t.Fatalf("came to the end: %v", err)
	}
	for _, after := range []int{1, 57, 200} {
		path := filepath.Join(t.TempDir(), "v.db")
		s := open(t, path)
		if _, err := s.Create("p", full()); err != nil {
			t.Fatal(err)
		}
		s.Close()
		cmd := exec.Command(os.Args[0], "-test.run", "^TestKilledInTheMiddle$")
		cmd.Env = append(os.Environ(), "VESTPIN_EDIT_UNTIL_KILLED="+path)
		out, err := cmd.StdoutPipe()
		if err != nil {
			t.Fatal(err)
		}
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		last := -1
		for lines := bufio.NewScanner(out); lines.Scan(); {
			if n, ok := strings.CutPrefix(lines.Text(), "kept "); ok {
				last, _ = strconv.Atoi(n)
				if last == after {
					cmd.Process.Kill()
				}
			}
		}
		cmd.Wait()
		st, err := open(t, path).Get("p")
		if err != nil {
			t.Fatal(err)
		}
		got, _ := strconv.Atoi(strings.TrimPrefix(st.Site.Name, "edit "))
		if last < after || got < last || got > last+1 {
			t.Errorf("killed after %d was kept: the site is at %q", last, st.Site.Name)
		}
	}
}

// BenchmarkEdit and its yardstick write the same rows in one transaction.
func BenchmarkEdit(b *testing.B) {
	s, err := Open(filepath.Join(b.TempDir(), "v.db"))
	if err != nil {
		b.Fatal(err)
	}
	defer s.Close()
	st, err := s.Create("p", full())
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if st, err = s.Edit("p", st.Version, "bench", "", rename("x"+strconv.Itoa(st.Version))); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkPlainTransaction(b *testing.B) {
	s, err := Open(filepath.Join(b.TempDir(), "v.db"))
	if err != nil {
		b.Fatal(err)
	}
	defer s.Close()
	if _, err := s.Create("p", full()); err != nil {
		b.Fatal(err)
	}
	n := 0
	for b.Loop() {
		n++
		plainTransaction(b, s.db, n)
	}
}

func plainTransaction(b *testing.B, db *sql.DB, n int) {
	tx, err := db.Begin()
	if err != nil {
		b.Fatal(err)
	}
	_, e1 := tx.Exec(`UPDATE sites SET version = version + 1, name = ?, changed = ? WHERE id = 'p'`, n, "2026-11-23T09:42:00.123456789Z")
	_, e2 := tx.Exec(`INSERT INTO journal VALUES ('p', ?, ?, '2026-11-23T09:42:00.123456789Z', 'bench', 'rename the site', '[{"do":"rename-site","name":"x1"}]', '[{"do":"rename-site","name":"x0"}]', 'done')`, n, n)
	if err := errors.Join(e1, e2, tx.Commit()); err != nil {
		b.Fatal(err)
	}
}
