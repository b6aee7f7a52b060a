package store

import (
	"database/sql"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"reflect"
	"strings"
	"sync"
	"testing"
	"time"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// ofTheFirstVersion makes a database as the first version made it, with some sites.
func ofTheFirstVersion(t *testing.T, path string, sites ...string) {
	t.Helper()
	db, err := sql.Open("sqlite", dsn(path, ""))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	upTo(t, db, 1)
	for _, id := range sites {
		for _, line := range []string{
			`INSERT INTO sites VALUES (?, 'Mill', 3, '2026-05-04T09:00:00Z', '2026-05-04T09:00:00Z')`,
			`INSERT INTO networks VALUES (?, 'main', 0, 'Main', '10.48.16.0/24', '10.48.16.1')`,
			`INSERT INTO devices VALUES (?, 'rec', 0, 'Recorder', 'recorder', 'office', 1)`,
			`INSERT INTO interfaces VALUES (?, 'rec.0', 'rec', 0, '', 'main', '00:00:5e:00:53:21', '10.48.16.20', 'auto', '10.48.16.20', 'both', 0)`,
			`INSERT INTO evidence VALUES (?, 'rec.0', 0, 'leases', 4, '2026-05-04T09:00:00Z', '10.48.16.20', 'nvr', 'lease')`,
		} {
			if _, err := db.Exec(line, id); err != nil {
				t.Fatal(err)
			}
		}
	}
}

func upTo(t *testing.T, db *sql.DB, version int64) {
	t.Helper()
	p, err := provider(db)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.UpTo(bg, version); err != nil {
		t.Fatal(err)
	}
}

// An upgrade that is cut short, between two versions or by kill -9 at any moment, is taken up
// again by the next start, and nothing is lost.
func TestUpgradeCutShort(t *testing.T) {
	if path := os.Getenv("VESTPIN_UPGRADE_UNTIL_KILLED"); path != "" {
		open(t, path)
		return
	}
	var sites []string
	for i := range 60 {
		sites = append(sites, fmt.Sprint("mill-", i))
	}
	first := filepath.Join(t.TempDir(), "first.db")
	ofTheFirstVersion(t, first, sites...)
	data, err := os.ReadFile(first)
	if err != nil {
		t.Fatal(err)
	}
	fresh := func() string {
		path := filepath.Join(t.TempDir(), "v.db")
		if err := os.WriteFile(path, data, 0o600); err != nil {
			t.Fatal(err)
		}
		return path
	}
	whole := func(when, path string) {
		t.Helper()
		s := open(t, path)
		for _, id := range sites {
			if st, err := s.Get(bg, id); err != nil || st.Version != 3 || len(st.Site.Devices) != 1 || st.Site.Devices[0].Interfaces[0].Evidence[0].Host != "nvr" {
				t.Fatalf("cut %s: %s: %v %+v", when, id, err, st.Site)
			}
		}
	}
	for version := range newest + 1 {
		path := fresh()
		db, err := sql.Open("sqlite", dsn(path, ""))
		if err != nil {
			t.Fatal(err)
		}
		upTo(t, db, max(version, 1))
		db.Close()
		whole(fmt.Sprint("after version ", version), path)
	}
	upgrade := func(path string) *exec.Cmd {
		cmd := exec.Command(os.Args[0], "-test.run", "^TestUpgradeCutShort$")
		cmd.Env = append(os.Environ(), "VESTPIN_UPGRADE_UNTIL_KILLED="+path)
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		return cmd
	}
	begun := time.Now()
	if err := upgrade(fresh()).Wait(); err != nil {
		t.Fatal(err)
	}
	long := time.Since(begun)
	const kills = 25
	for i := range kills {
		path, after := fresh(), long*time.Duration(i)/kills
		cmd := upgrade(path)
		time.Sleep(after)
		cmd.Process.Kill()
		cmd.Wait()
		whole(fmt.Sprint("after ", after), path)
	}
}

// A restore that is cut short by kill -9 at any moment leaves what was there before or what was to
// come, and nothing in between.
func TestRestoreCutShort(t *testing.T) {
	if text := os.Getenv("VESTPIN_RESTORE_UNTIL_KILLED"); text != "" {
		path, backup, _ := strings.Cut(text, "|")
		if _, _, err := open(t, path).Restore(bg, backup, false); err != nil {
			t.Fatal(err)
		}
		return
	}
	backup := filepath.Join(t.TempDir(), "backup")
	var sites []string
	for i := range 60 {
		sites = append(sites, fmt.Sprint("mill-", i))
	}
	ofTheFirstVersion(t, backup, sites...)
	cut := func(after time.Duration) (took time.Duration, came bool) {
		path := filepath.Join(t.TempDir(), "v.db")
		s := open(t, path)
		if _, err := s.Create(bg, "old", full()); err != nil {
			t.Fatal(err)
		}
		s.Close()
		cmd := exec.Command(os.Args[0], "-test.run", "^TestRestoreCutShort$")
		cmd.Env = append(os.Environ(), "VESTPIN_RESTORE_UNTIL_KILLED="+path+"|"+backup)
		begun := time.Now()
		if err := cmd.Start(); err != nil {
			t.Fatal(err)
		}
		defer time.AfterFunc(after, func() { cmd.Process.Kill() }).Stop()
		cmd.Wait()
		took = time.Since(begun)
		all, err := open(t, path).List(bg)
		if err != nil {
			t.Fatalf("cut after %v: %v", after, err)
		}
		for _, l := range all {
			if l.Damaged != nil {
				t.Errorf("cut after %v: %v", after, l.Damaged)
			}
		}
		if len(all) == 1 && all[0].ID == "old" {
			return took, false
		}
		if len(all) != len(sites) {
			t.Errorf("cut after %v: %d sites", after, len(all))
		}
		return took, true
	}
	long, came := cut(time.Minute)
	if !came {
		t.Fatal("it was not restored")
	}
	const kills = 25
	for i := range kills {
		cut(long * time.Duration(i) / kills)
	}
}

// Programs that find the same old database at once all come to work on it.
func TestProgramsUpgradeAtOnce(t *testing.T) {
	path := filepath.Join(t.TempDir(), "v.db")
	ofTheFirstVersion(t, path, "mill")
	var all sync.WaitGroup
	for i := range 5 {
		all.Go(func() {
			s, err := Open(path)
			if err != nil {
				t.Errorf("program %d: %v", i, err)
				return
			}
			defer s.Close()
			if st, err := s.Get(bg, "mill"); err != nil || len(st.Site.Devices) != 1 {
				t.Errorf("program %d: %v %+v", i, err, st.Site)
			}
		})
	}
	all.Wait()
}

// A program whose tables a newer one has brought up to date writes nothing more, and says why.
func TestNewerProgramMeanwhile(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	st, err := s.Create(bg, "p", full())
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.write.Exec(`INSERT INTO goose_db_version (version_id, is_applied) VALUES (99, 1)`); err != nil {
		t.Fatal(err)
	}
	_, edited := editAs(s, st.ID, st.Version, "", "", rename("x"))
	_, created := s.Create(bg, "q", full())
	_, undone := s.Undo(bg, st.ID, Turn{Version: st.Version})
	for what, err := range map[string]error{
		"edit": edited, "create": created, "remove": s.Remove(bg, "p"), "kinds": s.SetOwnKinds(bg, nil), "far end": s.SetFarEnd(bg, "x"),
		"roles": s.SetListRoles(bg, "x", []string{"name"}), "taken": s.SetTaken(bg, TakenAddress{"eth0", "10.48.16.9"}, true), "understood": s.Understood(bg, "p"),
	} {
		if !errors.Is(err, ErrUpdated) || !errors.Is(err, ErrCannotSave) {
			t.Errorf("%s: %v", what, err)
		}
	}
	if !errors.Is(undone, ErrNothing) {
		t.Error(undone)
	}
	if now, err := s.Get(bg, "p"); err != nil || now.Version != st.Version {
		t.Errorf("%v %d", err, now.Version)
	}
}

// A database that turns read-only under the program is told with each change, and no change is
// taken for written; once it can be written again, so is the next change.
func TestReadOnlyMeanwhile(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	st, err := s.Create(bg, "p", full())
	if err != nil {
		t.Fatal(err)
	}
	turn := func(on string) {
		t.Helper()
		if _, err := s.write.Exec(`PRAGMA query_only = ` + on); err != nil { // SQLite's own answer of a disk that is read-only
			t.Fatal(err)
		}
	}
	turn("1")
	if _, err := editAs(s, "p", st.Version, "", "", rename("x")); !errors.Is(err, ErrCannotSave) || !strings.Contains(err.Error(), "read-only") {
		t.Errorf("read-only: %v", err)
	}
	if now, err := s.Get(bg, "p"); err != nil || now.Version != st.Version || now.Site.Name != st.Site.Name {
		t.Errorf("%v, at %d as %q", err, now.Version, now.Site.Name)
	}
	turn("0")
	if now, err := editAs(s, "p", st.Version, "", "", rename("y")); err != nil || now.Site.Name != "y" {
		t.Errorf("writable again: %v", err)
	}
}

// A database of the first version is opened with everything that is in it, and
// takes what that version did not know.
func TestDatabaseOfTheFirstVersion(t *testing.T) {
	path := filepath.Join(t.TempDir(), "v.db")
	ofTheFirstVersion(t, path, "mill")
	backup := filepath.Join(t.TempDir(), "backup") // it can be a backup as well
	if data, err := os.ReadFile(path); err != nil || os.WriteFile(backup, data, 0o600) != nil {
		t.Fatal(err)
	}
	other := open(t, filepath.Join(t.TempDir(), "w.db"))
	if _, lost, err := other.Restore(bg, backup, false); err != nil || len(lost) > 0 {
		t.Fatal(lost, err)
	}
	if got, err := other.Get(bg, "mill"); err != nil || got.Version != 3 || len(got.Site.Devices) != 1 {
		t.Errorf("restored: %v %+v", err, got)
	}
	st, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	got, err := st.Get(bg, "mill")
	if err != nil || got.Version != 3 || len(got.Site.Devices) != 1 || got.Site.Devices[0].Interfaces[0].Evidence[0].Host != "nvr" || got.Site.Devices[0].Interfaces[0].Pin == nil {
		t.Fatalf("%v %+v", err, got)
	}
	visit := site.Visit{ID: "v", From: "2026-11-23T09:00:00Z", Seen: []site.SeenThen{{Interface: "rec.0", Host: "nvr"}}}
	if _, err := editAs(st, "mill", 3, "me", "", []edit.Edit{edit.PutVisit{Visit: visit}, edit.SetMakers{Makers: []site.Maker{{Prefix: "00:00:5e", Name: "Larkbridge"}}}}); err != nil {
		t.Fatal(err)
	}
	again, err := st.Get(bg, "mill")
	if err != nil || len(again.Site.Visits) != 1 || len(again.Site.Visits[0].Seen) != 1 || len(again.Site.Makers) != 1 {
		t.Errorf("%v %+v", err, again.Site)
	}
}

// A database in which an earlier program joined and split devices, with restarts
// in between, made by that program. On its disk the evidence, other ports and
// allowed senders of five interfaces were gone; its journal has them.
func TestLossOfAnEarlierProgramIsMended(t *testing.T) {
	lines, err := os.ReadFile("testdata/joined.sql")
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "v.db")
	db, err := sql.Open("sqlite", dsn(path, ""))
	if err != nil {
		t.Fatal(err)
	}
	if _, err := db.Exec(string(lines)); err != nil {
		t.Fatal(err)
	}
	db.Close()
	got, err := open(t, path).Get(bg, "saltmarsh-pottery")
	if err != nil {
		t.Fatal(err)
	}
	for id, want := range map[string]string{"pbx.0": "leases 1", "card.0": "leases 2, sweep 0 (5060/udp), sweep 2 1", "rec.0": "leases 3", "lens.0": "leases 4", "till.0": "leases 5", "till.1": "leases 6"} {
		n, _ := interfaceOf(got.Site, id)
		var has []string
		for _, e := range n.Evidence {
			text := fmt.Sprint(e.Source, " ", e.Line)
			if len(e.Traits) > 0 && id == "card.0" {
				text += " (" + e.Traits[0].Value + ")"
			}
			has = append(has, text)
		}
		if text := strings.Join(has, ", "); text != want {
			t.Errorf("%s has %s, want %s", id, text, want)
		}
	}
	for id, want := range map[string]string{"card.sip": "[198.51.100.0/24] [5062 5064]", "lens.web": "[192.0.2.7] [81]", "till.ssh": "[192.0.2.8] [2222]"} {
		s, _ := serviceOf(got.Site, id)
		if text := fmt.Sprint(s.Open.From, s.CanSetTo); text != want {
			t.Errorf("%s has %s, want %s", id, text, want)
		}
	}
	for _, want := range []string{"evidence of Phone system card.0", "allowed senders of Lens page", "other ports of Till"} {
		if !strings.Contains(got.Notice, want) {
			t.Errorf("not told: %s in %q", want, got.Notice)
		}
	}
	st := open(t, path)
	if err := st.Understood(bg, got.ID); err != nil {
		t.Fatal(err)
	}
	if after, err := st.Get(bg, got.ID); err != nil || after.Notice != "" || !reflect.DeepEqual(after.Site, got.Site) {
		t.Errorf("once that is understood: %v, %q", err, after.Notice)
	}
	d := got.Site.Devices[0]
	if d.Place != "cellar" || d.Interfaces[0].Pin == nil || len(got.Site.Visits) != 1 || len(got.Site.Makers) != 1 || len(got.Site.Networks[0].Servers) != 1 || len(got.Site.Networks[0].Bands[0].Kinds) != 2 {
		t.Errorf("something else was changed: %s", sitefile.Write(got.Site))
	}
}

// Where the journal does not lead back, nothing is changed and that is told; where no
// device ever moved there is nothing to tell.
func TestWhatCannotBeMendedIsTold(t *testing.T) {
	s := full()
	device := func(id string) string {
		return `{"do":"put-device","device":{"id":"` + id + `","interfaces":[{"id":"rec.0","network":"main"}]}}`
	}
	moved := Entry{Seq: 1, Title: "put together", State: "done", format: 1, forth: "[" + device("z") + "]", back: `[{"do":"remove-device","id":"gone"},` + device("rec") + "]"}
	after, says := mend(s, []Entry{moved})
	if !reflect.DeepEqual(after, s) || !strings.Contains(says, "put together") || !strings.Contains(says, "nothing was mended") {
		t.Errorf("told: %q", says)
	}
	plain := Entry{Seq: 1, Title: "name it", State: "done", format: 1, forth: `[{"do":"rename-site","name":"x"}]`, back: `[{"do":"rename-site","name":"y"}]`}
	if _, says := mend(s, []Entry{plain}); says != "" {
		t.Errorf("told: %q", says)
	}
}
