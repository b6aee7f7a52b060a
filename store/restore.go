package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"modernc.org/sqlite"

	"vestpin/core/site"
)

// A backup comes from anywhere. Of its database only rows are read, of tables that this program
// made in one of its versions, and only as texts and figures; they are written into a
// database of our own, which alone takes the place of what is kept. What else is in the file is
// not looked at: triggers, views, computed columns, indexes, other tables.

// Bounds of a backup: its rows, the bytes of one value and of all, and its sites.
const (
	mostRows      = 5_000_000
	longestValue  = 32 << 20
	longestWord   = 64 << 10
	mostBytes     = 4 << 30
	mostSites     = 10_000
	mostParts     = 60_000 // of a site: its devices, forwards, steps and all else
	mostUnindexed = 200    // sites that are read one by one where pages are damaged
)

// ofThisComputer are tables of what holds for one computer alone, which no backup brings.
var ofThisComputer = []string{"far_end", "stand_in"}

// NoBackupError says why a file is no backup that can be taken.
type NoBackupError struct{ Why string }

func (e *NoBackupError) Error() string { return "the file is no backup of Vest Pin: " + e.Why }

// DamagedBackupError says how many sites of a backup are whole, and which are not and why.
type DamagedBackupError struct {
	Whole   int
	Damaged []Lost
}

// Lost is a site that is not whole.
type Lost struct{ Name, Why string }

func (e *DamagedBackupError) Error() string {
	are := "are"
	if len(e.Damaged) == 1 {
		are = "is"
	}
	says := fmt.Sprintf("%d of the %d sites in the backup %s damaged: %s (%s)", len(e.Damaged), len(e.Damaged)+e.Whole, are, Named(e.Damaged), e.Damaged[0].Why)
	if e.Whole == 0 {
		return says
	}
	return fmt.Sprintf("%s. %d are whole and can be taken", says, e.Whole)
}

// mostNamed is how many sites are named.
const mostNamed = 3

// Named names the first sites of several, and counts the others.
func Named(all []Lost) string {
	var names []string
	for _, l := range all[:min(len(all), mostNamed)] {
		names = append(names, l.Name)
	}
	says := strings.Join(names, ", ")
	if more := len(all) - len(names); more > 0 {
		says += fmt.Sprintf(" and %d more", more)
	}
	return says
}

// Prepared is a backup that was read and found good, in a database of our own.
type Prepared struct {
	store *Store
	dir   string
	path  string
	Lost  []Lost // sites that are not whole, where the others are taken
}

// Close throws away what was prepared.
func (p *Prepared) Close() error { return os.RemoveAll(p.dir) }

// Prepare reads the backup at path and changes nothing. Where some of it is damaged, salvage takes
// what is whole. Errors: *NewerError, *NoBackupError, *DamagedBackupError, or one that wraps
// ErrCannotSave.
func (s *Store) Prepare(ctx context.Context, path string, salvage bool) (*Prepared, error) {
	version, err := versionOf(path)
	if err != nil {
		return nil, err
	}
	from, err := sql.Open("sqlite", dsn(path, "mode=ro&immutable=1&_pragma=trusted_schema(0)&_pragma=cell_size_check(1)&_pragma=query_only(1)"))
	if err != nil {
		return nil, &NoBackupError{err.Error()}
	}
	defer from.Close()
	from.SetMaxOpenConns(1)
	dir, err := os.MkdirTemp(s.Dir(), SpoolName)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrCannotSave, err)
	}
	p := &Prepared{store: s, dir: dir, path: filepath.Join(dir, "own")}
	if err := p.fill(ctx, from, version, salvage); err != nil {
		p.Close()
		return nil, err
	}
	return p, nil
}

// versionOf gives the version of the tables in a file that is to be restored.
func versionOf(path string) (int64, error) {
	if _, err := os.Stat(path); err != nil {
		return 0, &NoBackupError{err.Error()}
	}
	db, err := sql.Open("sqlite", dsn(path, "mode=ro&immutable=1&_pragma=trusted_schema(0)"))
	if err != nil {
		return 0, &NoBackupError{err.Error()}
	}
	defer db.Close()
	if _, err := db.Exec(`SELECT count(*) FROM sqlite_schema`); err != nil {
		return 0, &NoBackupError{"it holds no database"}
	}
	if err := plainTable(db, "goose_db_version"); err != nil {
		return 0, &NoBackupError{"it holds no sites"}
	}
	var version sql.NullInt64
	if err := db.QueryRow(askVersion).Scan(&version); err != nil {
		return 0, &NoBackupError{"it is damaged: " + err.Error()}
	}
	switch {
	case version.Int64 > newest:
		return 0, &NewerError{path, version.Int64, newest}
	case version.Int64 < 1:
		return 0, &NoBackupError{"it holds no sites"}
	}
	return version.Int64, nil
}

// plainTable refuses what is called like a table of ours and is none: a view, or a table that a program makes
// up as it is read.
func plainTable(db *sql.DB, name string) error {
	var kind string
	var root int64
	err := db.QueryRow(`SELECT type, rootpage FROM sqlite_schema WHERE name = ? AND type IN ('table', 'view')`, name).Scan(&kind, &root)
	if err != nil {
		return &NoBackupError{"it holds no " + name}
	}
	if kind != "table" || root <= 0 {
		return &NoBackupError{name + " is no table in it"}
	}
	return nil
}

// fill copies the rows of a backup into a new database with the tables of its version, brings those up to
// date, and looks at each site.
func (p *Prepared) fill(ctx context.Context, from *sql.DB, version int64, salvage bool) error {
	own, err := sql.Open("sqlite", dsn(p.path, "_pragma=journal_mode(OFF)&_pragma=synchronous(OFF)&_txlock=immediate"))
	if err != nil {
		return fmt.Errorf("%w: %w", ErrCannotSave, err)
	}
	defer own.Close()
	own.SetMaxOpenConns(1)
	steps, err := provider(own)
	if err != nil {
		return err
	}
	if _, err := steps.UpTo(ctx, version); err != nil {
		return explain(err)
	}
	c := copying{from: from, own: own, rows: mostRows, bytes: mostBytes, names: map[string]string{}, damaged: map[string]string{}}
	if err := c.all(ctx); err != nil {
		return err
	}
	if _, err := steps.Up(ctx); err != nil {
		return &NoBackupError{"its rows cannot be brought up to date: " + err.Error()}
	}
	whole, err := c.sites(ctx)
	if err != nil {
		return err
	}
	if len(c.damaged) == 0 {
		return nil
	}
	bad := &DamagedBackupError{Whole: len(whole)}
	for _, id := range slices.Sorted(maps.Keys(c.damaged)) {
		bad.Damaged = append(bad.Damaged, Lost{cmp.Or(c.names[id], id), c.damaged[id]})
	}
	if !salvage || len(whole) == 0 {
		return bad
	}
	p.Lost = bad.Damaged
	for id := range c.damaged {
		for _, table := range []string{"parts", "journal"} {
			if _, err := own.ExecContext(ctx, `DELETE FROM `+table+` WHERE site = ?`, id); err != nil {
				return explain(err)
			}
		}
		if _, err := own.ExecContext(ctx, `DELETE FROM sites WHERE id = ?`, id); err != nil {
			return explain(err)
		}
	}
	return nil
}

// copying copies rows as data, within bounds.
type copying struct {
	from, own *sql.DB
	rows      int
	bytes     int64
	ids       []string
	names     map[string]string // of sites, by their ids
	damaged   map[string]string // why a site is not whole, by its id
}

func (c *copying) all(ctx context.Context) error {
	tables, err := namesIn(ctx, c.own, `SELECT name FROM sqlite_schema WHERE type = 'table' AND name NOT LIKE 'sqlite_%' AND name NOT LIKE 'goose_%'`)
	if err != nil {
		return err
	}
	if _, err := c.own.ExecContext(ctx, `PRAGMA foreign_keys = OFF`); err != nil {
		return err
	}
	slices.SortFunc(tables, func(a, b string) int { // the sites first
		if (a == "sites") != (b == "sites") {
			return map[bool]int{true: -1, false: 1}[a == "sites"]
		}
		return strings.Compare(a, b)
	})
	for _, table := range tables {
		if slices.Contains(ofThisComputer, table) {
			continue
		}
		if err := plainTable(c.from, table); err != nil {
			return err
		}
		columns, err := namesIn(ctx, c.own, `SELECT name FROM pragma_table_xinfo('`+table+`') WHERE hidden = 0`)
		if err != nil {
			return err
		}
		theirs, err := namesIn(ctx, c.from, `SELECT name FROM pragma_table_xinfo('`+table+`') WHERE hidden = 0`)
		if err != nil {
			return &NoBackupError{table + " cannot be read in it"}
		}
		for _, name := range columns {
			if !slices.Contains(theirs, name) {
				return &NoBackupError{fmt.Sprintf("%s has no column %s that is kept", table, name)}
			}
		}
		if err := c.table(ctx, table, columns); err != nil {
			return err
		}
	}
	return nil
}

// table copies a table; where pages of it are damaged, the rows of each site that can be read.
func (c *copying) table(ctx context.Context, table string, columns []string) error {
	err := c.some(ctx, table, columns, "")
	var lost *sqlite.Error
	if !errors.As(err, &lost) {
		return err
	}
	at := slices.Index(columns, "site")
	if at < 0 || len(c.ids) > mostUnindexed {
		return &NoBackupError{fmt.Sprintf("it is damaged: %s cannot be read (%v)", table, err)}
	}
	if _, err := c.own.ExecContext(ctx, `DELETE FROM `+quoted(table)); err != nil {
		return explain(err)
	}
	for _, id := range c.ids {
		err := c.some(ctx, table, columns, id)
		if errors.As(err, &lost) {
			c.damaged[id], err = fmt.Sprintf("%s cannot be read (%v)", table, err), nil
		}
		if err != nil {
			return err
		}
	}
	return nil
}

// some copies the rows of a table, of one site where it is given. A row that our own table does not take
// makes its site a damaged one.
func (c *copying) some(ctx context.Context, table string, columns []string, of string) error {
	list := make([]string, len(columns))
	for i, name := range columns {
		list[i] = quoted(name)
	}
	query, args := `SELECT `+strings.Join(list, ", ")+` FROM main.`+quoted(table), []any{}
	if of != "" {
		query, args = query+` WHERE site = ?`, []any{of}
	}
	rows, err := c.from.QueryContext(ctx, query, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	tx, err := c.own.BeginTx(ctx, nil)
	if err != nil {
		return explain(err)
	}
	defer tx.Rollback()
	put, err := tx.PrepareContext(ctx, `INSERT INTO `+quoted(table)+` (`+strings.Join(list, ", ")+`) VALUES (?`+strings.Repeat(", ?", len(columns)-1)+`)`)
	if err != nil {
		return explain(err)
	}
	defer put.Close()
	key := slices.Index(columns, map[bool]string{true: "id", false: "site"}[table == "sites"])
	for rows.Next() {
		values, into := make([]any, len(columns)), make([]any, len(columns))
		for i := range values {
			into[i] = &values[i]
		}
		if err := rows.Scan(into...); err != nil {
			return err
		}
		id, _ := values[max(0, key)].(string)
		if c.rows--; c.rows < 0 {
			return &NoBackupError{fmt.Sprintf("it holds more than %d rows", mostRows)}
		}
		why := c.refuse(columns, values)
		if c.bytes < 0 {
			return &NoBackupError{fmt.Sprintf("it holds more than %d GB", mostBytes>>30)}
		}
		if why == "" {
			if _, err := put.ExecContext(ctx, values...); err != nil {
				why = err.Error()
			}
		}
		if table == "sites" && why == "" {
			if name, _ := values[slices.Index(columns, "name")].(string); name != "" {
				c.names[id] = cutID(name)
			}
			if c.ids = append(c.ids, id); len(c.ids) > mostSites {
				return &NoBackupError{fmt.Sprintf("it holds more than %d sites", mostSites)}
			}
		}
		if why == "" {
			continue
		}
		if key < 0 || id == "" {
			return &NoBackupError{fmt.Sprintf("it is damaged: a row of %s cannot be taken (%s)", table, why)}
		}
		c.damaged[cutID(id)] = fmt.Sprintf("a row of %s cannot be taken (%s)", table, why)
	}
	if err := rows.Err(); err != nil {
		return err
	}
	return explain(tx.Commit())
}

// isSiteID passes ids such as this program makes for sites: letters, figures, and marks between them.
func isSiteID(id string) bool {
	return id != "" && len(id) <= 4*site.LongestID && !strings.ContainsAny(id[:1], "._-") && strings.TrimFunc(id, func(r rune) bool {
		return unicode.IsLetter(r) || unicode.IsNumber(r) || strings.ContainsRune("._-", r)
	}) == ""
}

// cutID shortens an id that is none for a message.
func cutID(id string) string {
	if len(id) > 80 {
		return strings.ToValidUTF8(id[:80], "?") + "…"
	}
	return id
}

// wholeTexts are the columns that hold more than a word or a sentence.
var wholeTexts = []string{"head", "body", "edits", "undo", "touches", "roles", "values", "notice"}

// refuse says why the values of a row cannot be taken.
func (c *copying) refuse(columns []string, values []any) string {
	for i, v := range values {
		switch v := v.(type) {
		case nil, int64, bool, time.Time:
			if _, is := v.(time.Time); is {
				return columns[i] + " is no text"
			}
		case string:
			most := longestWord
			if slices.Contains(wholeTexts, columns[i]) {
				most = longestValue
			}
			if c.bytes -= int64(len(v)); len(v) > most {
				return fmt.Sprintf("%s has more than %d kB", columns[i], most>>10)
			}
			if !utf8.ValidString(v) || strings.ContainsRune(v, 0) {
				return columns[i] + " is no text"
			}
		default:
			return columns[i] + " is no text"
		}
	}
	return ""
}

// sites looks at each site as at a site file, and gives those that are whole.
func (c *copying) sites(ctx context.Context) (whole []string, err error) {
	for _, id := range c.ids {
		if c.damaged[id] != "" {
			continue
		}
		if !isSiteID(id) {
			c.damaged[cutID(id)] = "its id is none"
			continue
		}
		var parts int
		if err := c.own.QueryRowContext(ctx, `SELECT count(*) FROM parts WHERE site = ?`, id).Scan(&parts); err != nil {
			return nil, explain(err)
		}
		if parts > mostParts {
			c.damaged[id] = fmt.Sprintf("it has %d parts, and no site has more than %d", parts, mostParts)
			continue
		}
		_, err := load(ctx, c.own, id)
		if err == nil {
			err = c.journal(ctx, id)
		}
		var damaged *DamagedError
		switch {
		case errors.As(err, &damaged):
			c.damaged[id] = plainly(damaged.Why)
		case err != nil:
			return nil, err
		default:
			whole = append(whole, id)
		}
	}
	var kinds string
	rows, err := c.own.QueryContext(ctx, `SELECT body FROM own_kinds ORDER BY pos`)
	if err != nil {
		return nil, explain(err)
	}
	defer rows.Close()
	var list []site.Kind
	for rows.Next() {
		var k site.Kind
		if err := rows.Scan(&kinds); err != nil {
			return nil, explain(err)
		}
		if err := decode(kinds, &k); err != nil {
			return nil, &NoBackupError{"it is damaged: a kind of device cannot be read (" + err.Error() + ")"}
		}
		list = append(list, k)
	}
	if err := site.CheckKinds("kinds", list); err != nil {
		return nil, &NoBackupError{"its kinds of device cannot be taken: " + err.Error()}
	}
	return whole, explain(rows.Err())
}

// plainly says why a site cannot be read, without what is said by the one who reads JSON.
func plainly(why error) string {
	text, _, cut := strings.Cut(why.Error(), ": json: ")
	if cut {
		sort, _, _ := strings.Cut(text, ":") // an id tells nobody anything
		text = "a " + sort + " of it cannot be read"
	}
	return cutID(strings.TrimPrefix(text, "$."))
}

// journal looks at the history of a site: what leads back has to be what this program wrote.
func (c *copying) journal(ctx context.Context, id string) error {
	rows, err := c.own.QueryContext(ctx, `SELECT seq, edits, undo FROM journal WHERE site = ?`, id)
	if err != nil {
		return explain(err)
	}
	defer rows.Close()
	for rows.Next() {
		var seq int64
		var edits, undo string
		if err := rows.Scan(&seq, &edits, &undo); err != nil {
			return explain(err)
		}
		if !json.Valid([]byte(edits)) || !json.Valid([]byte(undo)) {
			return &DamagedError{id, fmt.Errorf("entry %d of its history cannot be read", seq)}
		}
	}
	return explain(rows.Err())
}

// namesIn gives the texts of a query of one column.
func namesIn(ctx context.Context, db *sql.DB, query string) (out []string, err error) {
	rows, err := db.QueryContext(ctx, query)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var name string
		if err := rows.Scan(&name); err != nil {
			return nil, err
		}
		out = append(out, name)
	}
	return out, rows.Err()
}

func quoted(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// Take puts what was prepared in the place of all that is kept. What was kept until then is
// written to a new file first, whose path is given. Its error wraps ErrCannotSave; then nothing was
// changed.
func (p *Prepared) Take(ctx context.Context) (before string, err error) {
	s := p.store
	s.rescuing.Lock()
	defer s.rescuing.Unlock()
	s.mu.Lock()
	path := s.path
	s.mu.Unlock()
	before = fmt.Sprintf("%s-before-%s.db", path, s.clock().UTC().Format("20060102-150405.000"))
	if err := s.copyTo(ctx, before); err != nil {
		return "", err
	}
	_, write := s.dbs()
	// From here on a request that ends does not end it half way.
	ctx = context.WithoutCancel(ctx)
	if err := p.keepOwn(ctx, write); err != nil {
		return before, explain(err)
	}
	if err := copied(ctx, write, func(c copier) (*sqlite.Backup, error) { return c.NewRestore(p.path) }); err != nil {
		return before, explain(err)
	}
	s.mu.Lock()
	for _, sl := range s.slots {
		sl.kept.Store(nil)
	}
	s.mu.Unlock()
	return before, nil
}

// keepOwn writes into what was prepared what holds for this computer alone, and marks its sites: another
// program may remember a site of that version with what came after it.
func (p *Prepared) keepOwn(ctx context.Context, write *sql.DB) error {
	conn, err := write.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	if _, err := conn.ExecContext(ctx, `ATTACH ? AS prepared`, p.path); err != nil {
		return err
	}
	mark := " restored " + p.store.clock().UTC().Format(time.RFC3339Nano)
	_, err = conn.ExecContext(ctx, `UPDATE prepared.sites SET created = created || ?`, mark)
	for _, table := range ofThisComputer {
		_, failed := conn.ExecContext(ctx, `INSERT INTO prepared.`+table+` SELECT * FROM main.`+table)
		err = errors.Join(err, failed)
	}
	_, failed := conn.ExecContext(ctx, `DETACH prepared`)
	return errors.Join(err, failed)
}

// Restore prepares a backup and takes it.
func (s *Store) Restore(ctx context.Context, path string, salvage bool) (before string, lost []Lost, err error) {
	p, err := s.Prepare(ctx, path, salvage)
	if err != nil {
		return "", nil, err
	}
	defer p.Close()
	before, err = p.Take(ctx)
	return before, p.Lost, err
}
