package store

import (
	"context"
	"database/sql"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"testing"

	"github.com/pressly/goose/v3"

	"vestpin/core/edit"
	"vestpin/core/site"
	"vestpin/core/sitefile"
)

// A database of the first version is opened with everything that is in it, and
// takes what that version did not know.
func TestDatabaseOfTheFirstVersion(t *testing.T) {
	path := filepath.Join(t.TempDir(), "v.db")
	db, err := sql.Open("sqlite", dsn(path, ""))
	if err != nil {
		t.Fatal(err)
	}
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		t.Fatal(err)
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db, files)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := p.UpTo(context.Background(), 1); err != nil {
		t.Fatal(err)
	}
	for _, line := range []string{
		`INSERT INTO sites VALUES ('mill', 'Mill', 3, '2026-05-04T09:00:00Z', '2026-05-04T09:00:00Z')`,
		`INSERT INTO networks VALUES ('mill', 'main', 0, 'Main', '10.48.16.0/24', '10.48.16.1')`,
		`INSERT INTO devices VALUES ('mill', 'rec', 0, 'Recorder', 'recorder', 'office', 1)`,
		`INSERT INTO interfaces VALUES ('mill', 'rec.0', 'rec', 0, '', 'main', '00:00:5e:00:53:21', '10.48.16.20', 'auto', '10.48.16.20', 'both', 0)`,
		`INSERT INTO evidence VALUES ('mill', 'rec.0', 0, 'leases', 4, '2026-05-04T09:00:00Z', '10.48.16.20', 'nvr', 'lease')`,
	} {
		if _, err := db.Exec(line); err != nil {
			t.Fatal(err)
		}
	}
	db.Close()
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
