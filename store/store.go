// Package store keeps sites in SQLite: their parts, and a journal of every edit
// with its way back. It knows no rule of the job.
//
// Reads go on beside a writer, in this program or another. Each site has its own
// order of changes; the disk is written by one at a time.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"math/rand/v2"
	"net/url"
	"os"
	"path/filepath"
	"sync"
	"sync/atomic"
	"time"

	"github.com/pressly/goose/v3"
	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"

	"vestpin/core/site"
	"vestpin/core/sitefile"
)

//go:embed migrations/*.sql
var migrations embed.FS

// mending is the version at which what an earlier program left is mended.
const mending = 4

// askVersion asks for the version of the tables.
const askVersion = `SELECT max(version_id) FROM goose_db_version WHERE is_applied`

// newest is the version of the tables that this program makes.
var newest = newestOf(migrations)

func newestOf(files embed.FS) int64 {
	newest := int64(mending)
	entries, _ := files.ReadDir("migrations")
	for _, e := range entries {
		if n, err := goose.NumericComponent(e.Name()); err == nil {
			newest = max(newest, n)
		}
	}
	return newest
}

// Errors that a caller must tell apart.
var (
	ErrNoSite     = errors.New("there is no such site")
	ErrNothing    = errors.New("there is nothing to undo or redo")
	ErrCannotSave = errors.New("the database cannot be written")
	// ErrGone says that the file was removed or replaced while the program had it
	// open. What is held is whole, and Rescue writes it. It wraps ErrCannotSave.
	ErrGone = fmt.Errorf("%w: its file was removed, moved or replaced while the program runs", ErrCannotSave)
	// ErrUpdated says that a newer program brought the tables up to date while this one had
	// them open. It wraps ErrCannotSave.
	ErrUpdated = fmt.Errorf("%w: a newer Vest Pin has brought it up to date; start the newer one here as well", ErrCannotSave)
)

// NewerError says that a newer program made the database.
type NewerError struct {
	Path          string
	Version, Mine int64
}

func (e *NewerError) Error() string {
	return fmt.Sprintf("%s was made by a newer Vest Pin (tables %d, this one knows %d): update the program, or name another file with --db; the file was left as it is", e.Path, e.Version, e.Mine)
}

// DamagedError says that a site's rows cannot be understood. The site can still be
// exported as they stand, and removed.
type DamagedError struct {
	ID  string
	Why error
}

func (e *DamagedError) Error() string { return fmt.Sprintf("site %s cannot be read: %v", e.ID, e.Why) }
func (e *DamagedError) Unwrap() error { return e.Why }

// Stored is a site with its version, which rises by one with each change.
type Stored struct {
	ID      string
	Version int
	Created string // tells a site from another that had the same id before it
	Changed time.Time
	Site    site.Site
	Undo    string // the title of what undo would take back, or ""
	UndoSeq int    // and its entry in the journal
	Redo    string
	RedoSeq int
	Notice  string // what the program has to tell of the site's data, or ""
	Also    string // another site that the undo or redo that gave this changed as well
	last    int    // the last entry of the journal
}

// Store is an open database. It is safe for use by several goroutines.
type Store struct {
	mu    sync.Mutex // guards what follows; never held while the disk is asked
	path  string
	file  os.FileInfo // the file as it was opened
	write *sql.DB     // one connection, kept open
	read  *sql.DB     // a few, which cannot write
	slots map[string]*slot
	clock func() time.Time
	queue queue // of those who wait to write

	rescuing sync.Mutex // one at a time writes what is held to a new file
}

// slot is what is known of one site in memory.
type slot struct {
	turn chan struct{} // holds the one that changes the site
	kept atomic.Pointer[Stored]
}

// How the database is used: how long a writer waits for another program, and how
// many read at once.
const (
	patience = 5 * time.Second
	readers  = 4
)

// Open opens or makes the database at path. Errors: *NewerError, or one that
// wraps ErrCannotSave where the file cannot be written.
func Open(path string) (*Store, error) {
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return nil, fmt.Errorf("%w: %w", ErrCannotSave, err)
	}
	// The file is for its owner alone; SQLite gives those beside it the same mode.
	if f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600); err == nil {
		f.Close()
	}
	if err := refuseNewer(path); err != nil {
		return nil, err
	}
	s := at(path, time.Now)
	if err := s.connect(); err != nil {
		return nil, explain(fmt.Errorf("%s: %w", path, err))
	}
	return s, nil
}

// at is a store that is not connected yet.
func at(path string, clock func() time.Time) *Store {
	return &Store{path: path, slots: map[string]*slot{}, clock: clock, queue: queue{turn: make(chan struct{}, 1)}}
}

// connect opens the file at s.path.
func (s *Store) connect() error {
	if err := upgrade(s.path); err != nil {
		return err
	}
	db, err := writing(s.path, patience, "")
	if err != nil {
		return err
	}
	reading, err := sql.Open("sqlite", dsn(s.path, "mode=ro&_pragma=busy_timeout(2000)&_pragma=query_only(1)"))
	if err != nil {
		db.Close()
		return err
	}
	reading.SetMaxOpenConns(readers)
	reading.SetMaxIdleConns(readers)
	info, err := os.Stat(s.path)
	if err != nil {
		return errors.Join(err, db.Close(), reading.Close())
	}
	s.write, s.read, s.file = db, reading, info
	return nil
}

// writing opens the file for one connection that writes.
func writing(path string, patience time.Duration, more string) (*sql.DB, error) {
	db, err := sql.Open("sqlite", dsn(path, fmt.Sprintf("mode=rw&_pragma=busy_timeout(%d)%s&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_pragma=foreign_keys(1)&_txlock=immediate", patience.Milliseconds(), more)))
	if err == nil {
		db.SetMaxOpenConns(1)
	}
	return db, err
}

// upgrade brings the tables up to date, alone: of several programs that find an old file at
// once the first does it, and none works on it meanwhile.
func upgrade(path string) error {
	for until := time.Now().Add(patience); ; time.Sleep(time.Duration(50+rand.IntN(200)) * time.Millisecond) {
		version, err := versionAt(path)
		if err == nil && version == newest {
			return nil
		}
		db, err := writing(path, 100*time.Millisecond, "&_pragma=locking_mode(EXCLUSIVE)")
		if err != nil {
			return err
		}
		err = errors.Join(migrate(db), db.Close())
		var e *sqlite.Error
		if busy := errors.As(err, &e) && e.Code()&0xff == sqlite3.SQLITE_BUSY; !busy || time.Now().After(until) {
			return err
		}
	}
}

func dsn(path, options string) string {
	u := url.URL{Scheme: "file", Opaque: (&url.URL{Path: path}).EscapedPath(), RawQuery: options}
	return u.String()
}

// versionAt gives the version of the tables, without changing a byte of the file.
func versionAt(path string) (int64, error) {
	db, err := sql.Open("sqlite", dsn(path, "mode=ro"))
	if err != nil {
		return 0, err
	}
	defer db.Close()
	var version sql.NullInt64
	err = db.QueryRow(askVersion).Scan(&version)
	return version.Int64, err
}

// refuseNewer refuses the file of a newer program, and what is no database.
func refuseNewer(path string) error {
	version, err := versionAt(path)
	if err != nil {
		var e *sqlite.Error
		if errors.As(err, &e) && (e.Code()&0xff == sqlite3.SQLITE_NOTADB || e.Code()&0xff == sqlite3.SQLITE_CORRUPT) {
			return fmt.Errorf("%s is not a database of Vest Pin: name another file with --db", path)
		}
		return nil // no tables yet
	}
	if version > newest {
		return &NewerError{path, version, newest}
	}
	return nil
}

func provider(db *sql.DB) (*goose.Provider, error) {
	files, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return nil, err
	}
	return goose.NewProvider(goose.DialectSQLite3, db, files,
		goose.WithGoMigrations(goose.NewGoMigration(mending, &goose.GoFunc{RunTx: mendAll}, nil)))
}

func migrate(db *sql.DB) error {
	p, err := provider(db)
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
func (s *Store) Close() error { return errors.Join(s.read.Close(), s.write.Close()) }

// gone tells whether the file is still the one that was opened.
func (s *Store) gone() error {
	s.mu.Lock()
	path, file := s.path, s.file
	s.mu.Unlock()
	if now, err := os.Stat(path); err != nil || !os.SameFile(now, file) {
		return ErrGone
	}
	return nil
}

func (s *Store) dbs() (read, write *sql.DB) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.read, s.write
}

func (s *Store) slot(id string) *slot {
	s.mu.Lock()
	defer s.mu.Unlock()
	sl := s.slots[id]
	if sl == nil {
		sl = &slot{turn: make(chan struct{}, 1)}
		s.slots[id] = sl
	}
	return sl
}

// enter waits until nobody else changes the site, or the request ends.
func (sl *slot) enter(ctx context.Context) (leave func(), err error) {
	select {
	case sl.turn <- struct{}{}:
		return func() { <-sl.turn }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// Listed is a site in the list of all. Damaged says why it cannot be read.
type Listed struct {
	Stored
	Damaged error
}

// List gives the sites, the last changed first. One that cannot be read is in the
// list by its id and name. Error: ErrGone.
func (s *Store) List(ctx context.Context) ([]Listed, error) {
	if err := s.gone(); err != nil { // another file may stand in its place
		return nil, err
	}
	read, _ := s.dbs()
	rs, err := read.QueryContext(ctx, `SELECT id, name, version, changed FROM sites WHERE removed = '' ORDER BY changed DESC, id`)
	if err != nil {
		return nil, err
	}
	defer rs.Close()
	out := []Listed{}
	for rs.Next() {
		var l Listed
		var changed string
		if err := rs.Scan(&l.ID, &l.Site.Name, &l.Version, &changed); err != nil {
			return nil, err
		}
		l.Changed, _ = time.Parse(time.RFC3339Nano, changed)
		out = append(out, l)
	}
	if err := rs.Err(); err != nil {
		return nil, err
	}
	kept := out[:0]
	for _, l := range out {
		st, err := s.Get(ctx, l.ID)
		var damaged *DamagedError
		switch {
		case err == nil:
			l.Stored = st
		case errors.Is(err, ErrNoSite): // removed meanwhile
			continue
		case errors.As(err, &damaged):
			l.Damaged = err
		default:
			return nil, err
		}
		kept = append(kept, l)
	}
	return kept, nil
}

// Get gives a site as it is now, from memory where the version in the database
// still is the same. Errors: ErrNoSite, *DamagedError.
func (s *Store) Get(ctx context.Context, id string) (Stored, error) {
	if err := s.gone(); err != nil { // another file may stand in its place
		if kept := s.slot(id).kept.Load(); kept != nil {
			return *kept, nil
		}
		return Stored{}, err
	}
	read, _ := s.dbs()
	var version int
	var created string
	err := read.QueryRowContext(ctx, `SELECT version, created FROM sites WHERE id = ? AND removed = ''`, id).Scan(&version, &created)
	if errors.Is(err, sql.ErrNoRows) {
		return Stored{}, ErrNoSite
	}
	if err != nil {
		return Stored{}, explain(err)
	}
	sl := s.slot(id)
	if kept := sl.kept.Load(); kept != nil && kept.Version == version && kept.Created == created {
		return *kept, nil
	}
	st, err := load(ctx, read, id)
	if err != nil {
		return st, err
	}
	sl.kept.Store(&st)
	return st, nil
}

// rowsOf reads what is kept of a site.
func rowsOf(ctx context.Context, tx *sql.Tx, id string) (st Stored, head string, parts []part, err error) {
	st.ID = id
	var changed string
	err = tx.QueryRowContext(ctx, `SELECT version, created, changed, head, notice FROM sites WHERE id = ?`, id).Scan(&st.Version, &st.Created, &changed, &head, &st.Notice)
	if errors.Is(err, sql.ErrNoRows) {
		return st, head, nil, ErrNoSite
	}
	if err != nil {
		return st, head, nil, err
	}
	if st.Changed, err = time.Parse(time.RFC3339Nano, changed); err != nil {
		return st, head, nil, &DamagedError{id, err}
	}
	rs, err := tx.QueryContext(ctx, `SELECT list, key, pos, body FROM parts WHERE site = ? ORDER BY list, pos`, id)
	if err != nil {
		return st, head, nil, err
	}
	defer rs.Close()
	for rs.Next() {
		var p part
		if err := rs.Scan(&p.list, &p.key, &p.pos, &p.body); err != nil {
			return st, head, nil, err
		}
		parts = append(parts, p)
	}
	return st, head, parts, rs.Err()
}

func load(ctx context.Context, db *sql.DB, id string) (Stored, error) {
	tx, err := db.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return Stored{}, explain(err)
	}
	defer tx.Rollback()
	st, head, parts, err := rowsOf(ctx, tx, id)
	if err != nil {
		return st, explain(err)
	}
	if st.Site, err = assemble(head, parts); err == nil {
		err = site.Check(st.Site)
	}
	if err != nil {
		return st, &DamagedError{id, err}
	}
	if err := titles(ctx, tx, &st); err != nil {
		return st, explain(err)
	}
	return st, nil
}

// titles puts in what can be undone and redone.
func titles(ctx context.Context, tx *sql.Tx, st *Stored) error {
	find := func(query string, into ...any) error {
		err := tx.QueryRowContext(ctx, query, st.ID).Scan(into...)
		if errors.Is(err, sql.ErrNoRows) {
			return nil
		}
		return err
	}
	return errors.Join(
		find(`SELECT title, seq FROM journal WHERE site = ? AND state = 'done' ORDER BY seq DESC LIMIT 1`, &st.Undo, &st.UndoSeq),
		find(`SELECT title, seq FROM journal WHERE site = ? AND state = 'undone' ORDER BY seq LIMIT 1`, &st.Redo, &st.RedoSeq),
		find(`SELECT coalesce(max(seq), 0) FROM journal WHERE site = ?`, &st.last),
	)
}

// Export gives the site file, of a site that cannot be read too: then as its rows
// stand. Error: ErrNoSite.
func (s *Store) Export(ctx context.Context, id string) (name string, file []byte, err error) {
	st, err := s.Get(ctx, id)
	var damaged *DamagedError
	if err == nil {
		return st.Site.Name, sitefile.Write(st.Site), nil
	}
	if !errors.As(err, &damaged) {
		return "", nil, err
	}
	read, _ := s.dbs()
	tx, err := read.BeginTx(ctx, &sql.TxOptions{ReadOnly: true})
	if err != nil {
		return "", nil, explain(err)
	}
	defer tx.Rollback()
	_, head, parts, err := rowsOf(ctx, tx, id)
	if err != nil && !errors.As(err, &damaged) {
		return "", nil, explain(err)
	}
	return id, raw(head, parts), nil
}

// Create keeps a new site under an id made from stem.
func (s *Store) Create(ctx context.Context, stem string, v site.Site) (Stored, error) {
	if err := site.Check(v); err != nil {
		return Stored{}, err
	}
	v = v.Whole()
	head, err := headOf(v)
	if err != nil {
		return Stored{}, err
	}
	read, _ := s.dbs()
	for {
		var failed error
		id := site.FreeID(stem, func(id string) bool {
			var n int
			if err := read.QueryRowContext(ctx, `SELECT count(*) FROM sites WHERE id = ?`, id).Scan(&n); err != nil {
				failed = err
			}
			return n > 0
		})
		if failed != nil {
			return Stored{}, explain(failed)
		}
		batch, err := changes(id, site.Site{}, v)
		if err != nil {
			return Stored{}, err
		}
		now := s.clock().UTC().Format(time.RFC3339Nano)
		first := guard(`INSERT INTO sites (id, name, version, created, changed, head) VALUES (?, ?, 1, ?, ?, ?) ON CONFLICT DO NOTHING`, id, v.Name, now, now, head)
		if err := s.send(ctx, append([]statement{first}, batch...)...); errors.Is(err, errOvertaken) {
			continue // somebody else took the id
		} else if err != nil {
			return Stored{}, err
		}
		return s.Get(ctx, id)
	}
}

// Understood takes away what the program had to tell of a site's data.
func (s *Store) Understood(ctx context.Context, id string) error {
	return s.change(ctx, id, guard(`UPDATE sites SET notice = '', version = version + 1 WHERE id = ?`, id))
}

// statement is one line of SQL with its values.
type statement struct {
	sql   string
	args  []any
	guard bool // it must hit one row, or nothing of its batch is done
}

// line is a statement.
func line(sql string, args ...any) statement { return statement{sql: sql, args: args} }

// guard is a statement that must hit one row.
func guard(sql string, args ...any) statement { return statement{sql, args, true} }

// errOvertaken says that a guard of a batch hit no row.
var errOvertaken = errors.New("somebody else was quicker")
