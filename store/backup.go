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
// meanwhile: it is a whole state of one moment, without what is of this computer alone, such as the secret
// of a pairing. Errors: one that wraps ErrCannotSave where the file is there already or cannot be written, and
// ErrGone.
func (s *Store) Backup(ctx context.Context, path string) error {
	if err := s.copyTo(ctx, path); err != nil {
		return err
	}
	if err := withoutSecrets(ctx, path); err != nil {
		os.Remove(path)
		return explain(err)
	}
	return nil
}

// copyTo writes all that is kept to a new file.
func (s *Store) copyTo(ctx context.Context, path string) error {
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

// withoutSecrets takes out of a copy what is of this computer alone, also where it once stood.
func withoutSecrets(ctx context.Context, path string) error {
	db, err := sql.Open("sqlite", dsn(path, "mode=rw&_pragma=journal_mode(DELETE)&_pragma=secure_delete(1)"))
	if err != nil {
		return err
	}
	defer db.Close()
	db.SetMaxOpenConns(1)
	for _, table := range ofThisComputer {
		if _, err := db.ExecContext(ctx, `DELETE FROM `+table); err != nil {
			return err
		}
	}
	_, err = db.ExecContext(ctx, `VACUUM`)
	return err
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

// SpoolName begins the names of what lies beside the database for a while.
const SpoolName = "vestpin-spool-"

// Dir is the folder of the database.
func (s *Store) Dir() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return filepath.Dir(s.path)
}
