// Package store keeps sites in SQLite: their rows, and a journal of every edit
// with its way back. It knows no rule of the job.
package store

import (
	"context"
	"database/sql"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"time"

	"github.com/pressly/goose/v3"
	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"

	"vestpin/core/site"
)

//go:embed migrations/*.sql
var migrations embed.FS

// newest is the version of the tables that this program makes.
const newest = 2

// Errors that a caller must tell apart.
var (
	ErrNoSite     = errors.New("there is no such site")
	ErrNothing    = errors.New("there is nothing to undo or redo")
	ErrCannotSave = errors.New("the database cannot be written")
)

// NewerError says that a newer program made the database.
type NewerError struct {
	Path          string
	Version, Mine int64
}

func (e *NewerError) Error() string {
	return fmt.Sprintf("%s was made by a newer Vest Pin (tables %d, this one knows %d): update the program, or name another file with --db; the file was left as it is", e.Path, e.Version, e.Mine)
}

// StaleError says that a site was changed since it was looked at: by which
// entries of the journal, the oldest first.
type StaleError struct {
	Version   int
	Meanwhile []Entry
}

func (e *StaleError) Error() string {
	return fmt.Sprintf("the site was changed meanwhile and is now at version %d", e.Version)
}

// Stored is a site with its version, which rises by one with each batch of edits.
type Stored struct {
	ID      string
	Version int
	Changed time.Time
	Site    site.Site
	Undo    string // the title of what undo would take back, or ""
	Redo    string
}

// Entry is one batch of edits in the journal.
type Entry struct {
	Seq     int         `json:"seq"`
	Version int         `json:"version"`
	At      time.Time   `json:"at"`
	Who     string      `json:"who"`
	Title   string      `json:"title"`
	State   string      `json:"state"`
	Edits   []site.Edit `json:"-"`
	Undo    []site.Edit `json:"-"`
}

// Store is an open database. It is safe for use by several goroutines.
type Store struct {
	db    *sql.DB
	mu    sync.Mutex // one writer at a time; also guards kept
	kept  map[string]Stored
	clock func() time.Time
}

// Open opens or makes the database at path. Errors: *NewerError, or one that
// wraps ErrCannotSave where the file cannot be written.
func Open(path string) (*Store, error) {
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrCannotSave, err)
	}
	if err := refuseNewer(path); err != nil {
		return nil, err
	}
	db, err := sql.Open("sqlite", dsn(path, "_pragma=busy_timeout(5000)&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)&_txlock=immediate"))
	if err != nil {
		return nil, err
	}
	if err := migrate(db); err != nil {
		db.Close()
		return nil, explain(fmt.Errorf("%s: %w", path, err))
	}
	return &Store{db: db, kept: map[string]Stored{}, clock: time.Now}, nil
}

func dsn(path, options string) string {
	u := url.URL{Scheme: "file", Opaque: (&url.URL{Path: path}).EscapedPath(), RawQuery: options}
	return u.String()
}

// refuseNewer looks at the database without changing a byte of it.
func refuseNewer(path string) error {
	if _, err := os.Stat(path); err != nil {
		return nil // it will be made
	}
	db, err := sql.Open("sqlite", dsn(path, "mode=ro"))
	if err != nil {
		return err
	}
	defer db.Close()
	var version sql.NullInt64
	if err := db.QueryRow(`SELECT max(version_id) FROM goose_db_version WHERE is_applied`).Scan(&version); err != nil {
		var e *sqlite.Error
		if errors.As(err, &e) && (e.Code()&0xff == sqlite3.SQLITE_NOTADB || e.Code()&0xff == sqlite3.SQLITE_CORRUPT) {
			return fmt.Errorf("%s is not a database of Vest Pin: name another file with --db", path)
		}
		return nil // no tables yet
	}
	if version.Int64 > newest {
		return &NewerError{path, version.Int64, newest}
	}
	return nil
}

func migrate(db *sql.DB) error {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db, files)
	if err != nil {
		return err
	}
	_, err = p.Up(context.Background())
	return err
}

// explain wraps ErrCannotSave around what SQLite says when the disk is full, the
// file is read-only or held by another program.
func explain(err error) error {
	var e *sqlite.Error
	if err == nil || !errors.As(err, &e) {
		return err
	}
	why := map[int]string{
		sqlite3.SQLITE_FULL: "the disk is full", sqlite3.SQLITE_READONLY: "the file is read-only", sqlite3.SQLITE_IOERR: "the disk reports an error",
		sqlite3.SQLITE_CANTOPEN: "the file cannot be opened", sqlite3.SQLITE_BUSY: "another program holds it",
	}[e.Code()&0xff]
	if why == "" {
		return err
	}
	return fmt.Errorf("%w: %s (%w)", ErrCannotSave, why, err)
}

// Close closes the database.
func (s *Store) Close() error { return s.db.Close() }

// List gives the sites, the last changed first.
func (s *Store) List() ([]Stored, error) {
	rs, err := s.db.Query(`SELECT id FROM sites ORDER BY changed DESC, id`)
	if err != nil {
		return nil, err
	}
	defer rs.Close()
	var ids []string
	for rs.Next() {
		var id string
		if err := rs.Scan(&id); err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	out := []Stored{}
	for _, id := range ids {
		st, err := s.Get(id)
		if err != nil {
			return nil, err
		}
		out = append(out, st)
	}
	return out, rs.Err()
}

// Get gives a site as it is now. Error: ErrNoSite.
func (s *Store) Get(id string) (Stored, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.get(id)
}

// get serves from memory what it read or wrote last, where the version in the
// database still is the same.
func (s *Store) get(id string) (Stored, error) {
	var version int
	err := s.db.QueryRow(`SELECT version FROM sites WHERE id = ?`, id).Scan(&version)
	if errors.Is(err, sql.ErrNoRows) {
		delete(s.kept, id)
		return Stored{}, ErrNoSite
	}
	if err != nil {
		return Stored{}, err
	}
	if kept, ok := s.kept[id]; ok && kept.Version == version {
		return kept, nil
	}
	tx, err := s.db.BeginTx(context.Background(), &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return Stored{}, err
	}
	defer tx.Rollback()
	st := Stored{ID: id}
	var changed string
	if err := tx.QueryRow(`SELECT version, changed FROM sites WHERE id = ?`, id).Scan(&st.Version, &changed); err != nil {
		return st, err
	}
	if st.Changed, err = time.Parse(time.RFC3339Nano, changed); err != nil {
		return st, err
	}
	l := loader{tx: tx, id: id}
	if st.Site = l.site(); l.err != nil {
		return st, fmt.Errorf("site %s: %w", id, l.err)
	}
	if st.Undo, st.Redo, err = titles(tx, id); err != nil {
		return st, err
	}
	s.kept[id] = st
	return st, nil
}

func titles(tx *sql.Tx, id string) (undo, redo string, err error) {
	find := func(query string) (title string) {
		if e := tx.QueryRow(query, id).Scan(&title); e != nil && !errors.Is(e, sql.ErrNoRows) {
			err = e
		}
		return title
	}
	undo = find(`SELECT title FROM journal WHERE site = ? AND state = 'done' ORDER BY seq DESC LIMIT 1`)
	redo = find(`SELECT title FROM journal WHERE site = ? AND state = 'undone' ORDER BY seq LIMIT 1`)
	return undo, redo, err
}

// Create keeps a new site under an id made from stem.
func (s *Store) Create(stem string, v site.Site) (Stored, error) {
	if err := site.Check(v); err != nil {
		return Stored{}, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	var failed error
	id := site.FreeID(stem, func(id string) bool {
		var n int
		if err := s.db.QueryRow(`SELECT count(*) FROM sites WHERE id = ?`, id).Scan(&n); err != nil {
			failed = err
		}
		return n > 0
	})
	if failed != nil {
		return Stored{}, explain(failed)
	}
	now := s.clock().UTC()
	batch := []statement{{`INSERT INTO sites (id, name, version, created, changed) VALUES (?, ?, 1, ?, ?)`,
		[]any{id, v.Name, now.Format(time.RFC3339Nano), now.Format(time.RFC3339Nano)}}}
	if err := s.run(append(batch, changes(id, rows{}, rowsOf(v))...), 0); err != nil {
		return Stored{}, err
	}
	return s.get(id)
}

// Edit makes edits in one transaction with their journal entry. Version is the
// one the editor saw. Errors: ErrNoSite, *StaleError, *site.Refusal, or one that
// wraps ErrCannotSave.
func (s *Store) Edit(id string, version int, who, title string, edits []site.Edit) (Stored, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	now, err := s.at(id, version)
	if err != nil {
		return Stored{}, err
	}
	next, undo, err := site.Apply(now.Site, edits)
	if err != nil {
		return Stored{}, err
	}
	if title == "" {
		title = Title(now.Site, edits)
	}
	forth, back, err := both(edits, undo)
	if err != nil {
		return Stored{}, err
	}
	after := Stored{ID: id, Version: version + 1, Changed: s.clock().UTC(), Site: next, Undo: title}
	batch := []statement{
		{`UPDATE journal SET state = 'left' WHERE site = ? AND state = 'undone'`, []any{id}},
		{`INSERT INTO journal (site, seq, version, at, who, title, edits, undo, state)
			SELECT ?, coalesce(max(seq), 0) + 1, ?, ?, ?, ?, ?, ?, 'done' FROM journal WHERE site = ?`,
			[]any{id, after.Version, after.Changed.Format(time.RFC3339Nano), who, title, forth, back, id}},
	}
	return s.save(now, after, batch)
}

func both(edits, undo []site.Edit) (forth, back string, err error) {
	f, err := json.Marshal(edits)
	if err != nil {
		return "", "", err
	}
	b, err := json.Marshal(undo)
	return string(f), string(b), err
}

// at gives the site if it still has the version.
func (s *Store) at(id string, version int) (Stored, error) {
	now, err := s.get(id)
	if err != nil || now.Version == version {
		return now, err
	}
	meanwhile, err := s.entries(id, version)
	if err != nil {
		return now, err
	}
	return now, &StaleError{now.Version, meanwhile}
}

// save writes what changed between two states of a site, in one transaction that
// only goes through where the version is still the one before.
func (s *Store) save(before, after Stored, batch []statement) (Stored, error) {
	guard := statement{`UPDATE sites SET version = version + 1, name = ?, changed = ? WHERE id = ? AND version = ?`,
		[]any{after.Site.Name, after.Changed.Format(time.RFC3339Nano), before.ID, before.Version}}
	batch = append(batch, changes(before.ID, rowsOf(before.Site), rowsOf(after.Site))...)
	if err := s.run(append([]statement{guard}, batch...), before.Version); err != nil {
		return Stored{}, err
	}
	s.kept[before.ID] = after
	return after, nil
}

// run sends a batch in one transaction. Where a version is given, the first
// statement is its guard and must hit one row.
func (s *Store) run(batch []statement, version int) error {
	tx, err := s.db.Begin()
	if err != nil {
		return explain(err)
	}
	defer tx.Rollback()
	if _, err := tx.Exec(`PRAGMA defer_foreign_keys = ON`); err != nil {
		return explain(err)
	}
	for i, st := range batch {
		res, err := tx.Exec(st.sql, st.args...)
		if err != nil {
			return explain(err)
		}
		if i == 0 && version > 0 {
			if n, err := res.RowsAffected(); err != nil || n != 1 {
				return &StaleError{Version: version + 1}
			}
		}
	}
	return explain(tx.Commit())
}

// Undo takes back the last batch that is not taken back; Redo makes the last one
// taken back again. Errors as of Edit, and ErrNothing.
func (s *Store) Undo(id string, version int, who string) (Stored, error) {
	return s.turn(id, version, who, `state = 'done' ORDER BY seq DESC LIMIT 1`, "undone")
}

// Redo makes again what Undo took back.
func (s *Store) Redo(id string, version int, who string) (Stored, error) {
	return s.turn(id, version, who, `state = 'undone' ORDER BY seq LIMIT 1`, "done")
}

func (s *Store) turn(id string, version int, who, which, state string) (Stored, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	now, err := s.at(id, version)
	if err != nil {
		return Stored{}, err
	}
	var seq int
	var forth, back string
	err = s.db.QueryRow(`SELECT seq, edits, undo FROM journal WHERE site = ? AND `+which, id).Scan(&seq, &forth, &back)
	if errors.Is(err, sql.ErrNoRows) {
		return Stored{}, ErrNothing
	}
	if err != nil {
		return Stored{}, err
	}
	if state == "undone" {
		forth = back
	}
	var edits []site.Edit
	if err := json.Unmarshal([]byte(forth), &edits); err != nil {
		return Stored{}, err
	}
	next, _, err := site.Apply(now.Site, edits)
	if err != nil {
		return Stored{}, err
	}
	after := Stored{ID: id, Version: version + 1, Changed: s.clock().UTC(), Site: next}
	batch := []statement{{`UPDATE journal SET state = ?, version = ?, who = ? WHERE site = ? AND seq = ?`, []any{state, after.Version, who, id, seq}}}
	if _, err := s.save(now, after, batch); err != nil {
		return Stored{}, err
	}
	delete(s.kept, id) // the titles of what can be undone are read anew
	return s.get(id)
}

// Journal gives the last entries of a site, the newest first.
func (s *Store) Journal(id string, most int) ([]Entry, error) {
	return s.query(`SELECT seq, version, at, who, title, state, edits, undo FROM journal WHERE site = ? ORDER BY seq DESC LIMIT ?`, id, most)
}

// entries gives what was written after a version, the oldest first.
func (s *Store) entries(id string, after int) ([]Entry, error) {
	return s.query(`SELECT seq, version, at, who, title, state, edits, undo FROM journal WHERE site = ? AND version > ? ORDER BY seq LIMIT 100`, id, after)
}

func (s *Store) query(query string, args ...any) ([]Entry, error) {
	rs, err := s.db.Query(query, args...)
	if err != nil {
		return nil, err
	}
	defer rs.Close()
	out := []Entry{}
	for rs.Next() {
		var e Entry
		var at, forth, back string
		if err := rs.Scan(&e.Seq, &e.Version, &at, &e.Who, &e.Title, &e.State, &forth, &back); err != nil {
			return nil, err
		}
		if e.At, err = time.Parse(time.RFC3339Nano, at); err != nil {
			return nil, err
		}
		if err := errors.Join(json.Unmarshal([]byte(forth), &e.Edits), json.Unmarshal([]byte(back), &e.Undo)); err != nil {
			return nil, err
		}
		out = append(out, e)
	}
	return out, rs.Err()
}
