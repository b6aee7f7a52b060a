package store

import (
	"context"
	"database/sql"
	"io/fs"
	"path/filepath"
	"testing"

	"github.com/pressly/goose/v3"

	"vestpin/core/site"
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
	st, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	got, err := st.Get("mill")
	if err != nil || got.Version != 3 || len(got.Site.Devices) != 1 || got.Site.Devices[0].Interfaces[0].Evidence[0].Host != "nvr" || got.Site.Devices[0].Interfaces[0].Pin == nil {
		t.Fatalf("%v %+v", err, got)
	}
	visit := site.Visit{ID: "v", From: "2026-11-23T09:00:00Z", Seen: []site.SeenThen{{Interface: "rec.0", Host: "nvr"}}}
	if _, err := st.Edit("mill", 3, "me", "", []site.Edit{{Do: site.PutVisit, Visit: &visit}, {Do: site.SetMakers, Makers: []site.Maker{{Prefix: "00:00:5e", Name: "Larkbridge"}}}}); err != nil {
		t.Fatal(err)
	}
	again, err := st.Get("mill")
	if err != nil || len(again.Site.Visits) != 1 || len(again.Site.Visits[0].Seen) != 1 || len(again.Site.Makers) != 1 {
		t.Errorf("%v %+v", err, again.Site)
	}
}
