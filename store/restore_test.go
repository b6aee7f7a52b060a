package store

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"vestpin/core/edit"
)

// altered makes a backup of a store with a site, with statements run on it, and gives its path.
func altered(t *testing.T, s *Store, statements ...string) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), "backup")
	if err := s.Backup(bg, path); err != nil {
		t.Fatal(err)
	}
	db, err := sql.Open("sqlite", dsn(path, "mode=rw"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	db.SetMaxOpenConns(1)
	for _, q := range statements {
		if _, err := db.Exec(q); err != nil {
			t.Fatalf("%s: %v", q, err)
		}
	}
	return path
}

// Only rows of a backup are taken: whatever else somebody put into it does not come, and what holds for
// this computer alone stays as it was.
func TestRestoreTakesRowsAlone(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	want, err := s.Create(bg, "p", full())
	if err != nil {
		t.Fatal(err)
	}
	const secret = "vestpin-far:192.0.2.9:8418:the-secret-of-the-pairing"
	if err := errors.Join(s.SetFarEnd(bg, secret), s.SetTaken(bg, TakenAddress{"eth0", "10.48.16.9"}, true)); err != nil {
		t.Fatal(err)
	}
	file := altered(t, s,
		`CREATE TRIGGER t AFTER INSERT ON journal BEGIN DELETE FROM sites; END`,
		`CREATE TRIGGER u AFTER UPDATE ON sites BEGIN UPDATE sites SET name = 'taken over'; END`,
		`CREATE VIEW v AS SELECT * FROM sites`, `CREATE TABLE other (a TEXT)`, `INSERT INTO other VALUES ('x')`,
		`ALTER TABLE sites ADD COLUMN made TEXT AS (name || 'x')`,
		`INSERT INTO stand_in VALUES ('eth0', '10.48.16.126')`, `INSERT INTO far_end VALUES (1, 'somebody else')`)
	if data, err := os.ReadFile(file); err != nil || bytes.Contains(data, []byte("the-secret")) || bytes.Contains(data, []byte("10.48.16.9\x00")) {
		t.Error("a backup holds what is of this computer alone", err)
	}
	if _, lost, err := s.Restore(bg, file, false); err != nil || len(lost) > 0 {
		t.Fatal(lost, err)
	}
	got, err := s.Get(bg, "p")
	if err != nil || !reflect.DeepEqual(got.Site, want.Site) {
		t.Errorf("the site came back as another: %v", err)
	}
	if pairing, err := s.FarEnd(bg); pairing != secret || err != nil {
		t.Errorf("the pairing is %q, %v", pairing, err)
	}
	if taken, err := s.Taken(bg); len(taken) != 1 || taken[0].Address != "10.48.16.9" || err != nil {
		t.Errorf("taken: %v, %v", taken, err)
	}
	var strange int
	read, _ := s.dbs()
	if err := read.QueryRow(`SELECT count(*) FROM sqlite_schema WHERE type IN ('trigger', 'view') OR name = 'other' OR sql LIKE '%made TEXT%'`).Scan(&strange); err != nil || strange > 0 {
		t.Errorf("%d things came with it that are not ours, %v", strange, err)
	}
	if left, _ := filepath.Glob(filepath.Join(s.Dir(), "vestpin-spool-*")); len(left) > 0 {
		t.Errorf("left behind: %v", left)
	}
	if st, _, err := s.Edit(bg, "p", Change{Version: got.Version, Edits: []edit.Edit{edit.RenameSite{Name: "on"}}}); err != nil || st.Site.Name != "on" {
		t.Errorf("the next edit: %v", err)
	}
}

// What only looks like a backup is refused with the reason, and nothing is changed.
func TestRestoreRefusesWhatIsMadeUp(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	want, err := s.Create(bg, "p", full())
	if err != nil {
		t.Fatal(err)
	}
	for what, c := range map[string]struct {
		statements []string
		says       string
	}{
		"a view in place of a table": {[]string{`ALTER TABLE sites RENAME TO z`, `CREATE VIEW sites AS SELECT * FROM z`}, "sites is no table"},
		"a table that is made up":    {[]string{`DROP TABLE own_kinds`, `CREATE VIRTUAL TABLE own_kinds USING fts5(id, pos, body)`}, "own_kinds is no table"},
		"a column that is computed":  {[]string{`CREATE TABLE z (site TEXT, list TEXT, key TEXT, pos INTEGER, body TEXT AS (hex(zeroblob(1000000))))`, `DROP TABLE parts`, `ALTER TABLE z RENAME TO parts`}, "no column body"},
		"a table left out":           {[]string{`DROP TABLE journal`}, "no journal"},
		"a site that is none":        {[]string{`UPDATE parts SET body = '{"id":"x"}' WHERE list = 'devices'`}, "devices[1].id"},
		"bytes in place of a text":   {[]string{`CREATE TABLE z AS SELECT * FROM sites`, `DROP TABLE sites`, `ALTER TABLE z RENAME TO sites`, `UPDATE sites SET head = x'00ff'`}, "head is no text"},
		"a history that is none":     {[]string{`INSERT INTO journal (site, seq, version, at, who, title, edits, undo, state) VALUES ('p', 99, 9, '', '', '', '[]', ']', 'done')`}, "entry 99 of its history"},
		"a site called like a path":  {[]string{`PRAGMA foreign_keys = OFF`, `UPDATE sites SET id = '../x'`, `UPDATE parts SET site = '../x'`, `UPDATE journal SET site = '../x'`}, "its id is none"},
		"kinds that are none":        {[]string{`INSERT INTO own_kinds VALUES ('a', 0, '{"id":""}')`}, "kinds of device"},
		"a name without an end":      {[]string{`UPDATE sites SET name = hex(zeroblob(100000))`}, "name has more than 64 kB"},
		"tables of no version":       {[]string{`DELETE FROM goose_db_version`}, "no sites"},
		"a version that is made up":  {[]string{`UPDATE goose_db_version SET version_id = 2 WHERE version_id > 2`}, "no"},
	} {
		_, _, err := s.Restore(bg, altered(t, s, c.statements...), false)
		var none *NoBackupError
		var damaged *DamagedBackupError
		if !errors.As(err, &none) && !errors.As(err, &damaged) || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", what, err)
		}
	}
	if got, err := s.Get(bg, "p"); err != nil || got.Created != want.Created || !reflect.DeepEqual(got.Site, want.Site) {
		t.Errorf("the site is another one now: %v", err)
	}
}

// Of a backup with damaged pages or rows the sites that are whole can be taken, and which are not is told.
func TestRestoreOfADamagedBackup(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	for i := range 8 {
		if _, err := s.Create(bg, fmt.Sprintf("s%d", i), full()); err != nil {
			t.Fatal(err)
		}
	}
	spoilt := altered(t, s, `UPDATE parts SET body = '{}' WHERE site = 's3' AND list = 'devices'`)
	torn := altered(t, s)
	data, err := os.ReadFile(torn)
	if err != nil {
		t.Fatal(err)
	}
	at := bytes.Index(data, []byte("s5devices"))
	if at < 0 {
		t.Fatal("there is no row of s5 in the file")
	}
	for i := at / 4096 * 4096; i < at/4096*4096+4096; i++ { // the page with it
		data[i] = 0xff
	}
	if err := os.WriteFile(torn, data, 0o600); err != nil {
		t.Fatal(err)
	}
	for what, file := range map[string]string{"a row": spoilt, "a page": torn} {
		_, _, err := s.Restore(bg, file, false)
		var damaged *DamagedBackupError
		if !errors.As(err, &damaged) || damaged.Whole == 0 || len(damaged.Damaged) == 0 {
			t.Errorf("%s: %v", what, err)
			continue
		}
		if all, _ := s.List(context.Background()); len(all) != 8 {
			t.Errorf("%s: refused, and yet there are %d sites", what, len(all))
		}
		p, err := s.Prepare(bg, file, true)
		if err != nil {
			t.Errorf("%s: %v", what, err)
			continue
		}
		own := open(t, p.path)
		all, err := own.List(bg)
		if err != nil || len(all) != damaged.Whole || len(all)+len(damaged.Damaged) != 8 {
			t.Errorf("%s: %d sites were saved, %d are whole, %q, %v", what, len(all), damaged.Whole, damaged.Damaged, err)
		}
		for _, l := range all {
			if l.Damaged != nil || len(l.Site.Devices) != len(full().Devices) {
				t.Errorf("%s: %s was saved in part", what, l.ID)
			}
		}
		own.Close()
		p.Close()
	}
}
