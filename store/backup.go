package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"
)

// copier is the connection of the driver that copies whole databases online
// (SQLite's online backup API).
type copier interface {
	NewBackup(to string) (*sqlite.Backup, error)
	NewRestore(from string) (*sqlite.Backup, error)
}

// Backup writes all that is kept to a new file at path, which other programs may change
// meanwhile: it is a whole state of one moment. Errors: one that wraps ErrCannotSave where
// the file is there already or cannot be written, and ErrGone.
func (s *Store) Backup(ctx context.Context, path string) error {
	if err := s.gone(); err != nil {
		return err
	}
	f, err := os.OpenFile(path, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600)
	if err != nil {
		return fmt.Errorf("%w: %w", ErrCannotSave, err)
	}
	f.Close()
	read, _ := s.dbs()
	err = copied(ctx, read, func(c copier) (*sqlite.Backup, error) { return c.NewBackup(path) })
	if err != nil {
		os.Remove(path)
		return explain(err)
	}
	return nil
}

// Restore puts what a backup holds in the place of all that is kept. What was kept until then
// is written to a new file first, whose path is given. Errors: *NewerError, *NoBackupError, or
// one that wraps ErrCannotSave; then nothing was changed.
func (s *Store) Restore(ctx context.Context, path string) (before string, err error) {
	if err := sound(ctx, path); err != nil {
		return "", err
	}
	s.rescuing.Lock()
	defer s.rescuing.Unlock()
	s.mu.Lock()
	own := s.path
	s.mu.Unlock()
	before = fmt.Sprintf("%s-before-%s.db", own, s.clock().UTC().Format("20060102-150405.000"))
	if err := s.Backup(ctx, before); err != nil {
		return "", err
	}
	_, write := s.dbs()
	// From here on a request that ends does not end it half way.
	err = copied(context.WithoutCancel(ctx), write, func(c copier) (*sqlite.Backup, error) { return c.NewRestore(path) })
	if err == nil {
		err = migrate(write)
	}
	if err == nil {
		// Another program may remember a site of that version with what came after it.
		_, err = write.ExecContext(context.WithoutCancel(ctx), `UPDATE sites SET created = created || ?`, " restored "+s.clock().UTC().Format(time.RFC3339Nano))
	}
	s.mu.Lock()
	for _, sl := range s.slots {
		sl.kept.Store(nil)
	}
	s.mu.Unlock()
	return before, explain(err)
}

// copied copies a whole database over one connection.
func copied(ctx context.Context, db *sql.DB, begin func(copier) (*sqlite.Backup, error)) error {
	conn, err := db.Conn(ctx)
	if err != nil {
		return err
	}
	defer conn.Close()
	return conn.Raw(func(driver any) error {
		c, ok := driver.(copier)
		if !ok {
			return errors.New("the driver of SQLite cannot copy")
		}
		b, err := begin(c)
		if err != nil {
			return err
		}
		for end := time.Now().Add(patience); ; time.Sleep(20 * time.Millisecond) {
			_, err = b.Step(-1)
			var e *sqlite.Error
			held := errors.As(err, &e) && (e.Code()&0xff == sqlite3.SQLITE_BUSY || e.Code()&0xff == sqlite3.SQLITE_LOCKED)
			if !held || time.Now().After(end) || ctx.Err() != nil {
				return errors.Join(err, b.Finish())
			}
		}
	})
}

// NoBackupError says why a file is no backup that can be taken.
type NoBackupError struct{ Why string }

func (e *NoBackupError) Error() string { return "the file is no backup of Vest Pin: " + e.Why }

// sound looks at a file that is to be restored, without changing a byte of it.
func sound(ctx context.Context, path string) error {
	if _, err := os.Stat(path); err != nil {
		return &NoBackupError{err.Error()}
	}
	if err := refuseNewer(path); err != nil {
		var newer *NewerError
		if errors.As(err, &newer) {
			return newer
		}
		return &NoBackupError{"it holds no database"}
	}
	db, err := sql.Open("sqlite", dsn(path, "mode=ro&immutable=1"))
	if err != nil {
		return &NoBackupError{err.Error()}
	}
	defer db.Close()
	var says string
	if err := db.QueryRowContext(ctx, `PRAGMA quick_check(1)`).Scan(&says); err != nil || says != "ok" {
		return &NoBackupError{fmt.Sprintf("it is damaged (%s%v)", says, noNil(err))}
	}
	var tables int
	if err := db.QueryRowContext(ctx, `SELECT count(*) FROM sqlite_schema WHERE type = 'table' AND name IN ('sites', 'journal', 'goose_db_version')`).Scan(&tables); err != nil || tables != 3 {
		return &NoBackupError{"it holds no sites"}
	}
	return nil
}

func noNil(err error) string {
	if err == nil {
		return ""
	}
	return " " + err.Error()
}

// Dir is the folder of the database.
func (s *Store) Dir() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return filepath.Dir(s.path)
}
