package store

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"time"

	"vestpin/core/site"
)

// Rescued is where the data was written, and what may be missing there: "" where all
// that was held could be read.
type Rescued struct {
	Path    string `json:"path"`
	Missing string `json:"missing"`
}

// ErrNotGone says that Rescue has nothing to do.
var ErrNotGone = errors.New("the database is where it was: nothing needs to be rescued")

// Rescue writes all that is held to a new file, where the file of the store was
// removed or replaced, and goes on with that. It takes the old place where that is
// free, and one beside it where not. Errors: ErrNotGone, also of all but the first
// who ask at once, or one that wraps ErrCannotSave.
func (s *Store) Rescue(ctx context.Context) (Rescued, error) {
	s.rescuing.Lock()
	defer s.rescuing.Unlock()
	if s.gone() == nil {
		return Rescued{}, ErrNotGone
	}
	out := Rescued{}
	_, write := s.dbs()
	s.mu.Lock()
	path := s.path
	s.mu.Unlock()
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return out, fmt.Errorf("%w: %w", ErrCannotSave, err)
	}
	fresh := fmt.Sprintf("%s-rescued-%s.db", path, s.clock().UTC().Format("20060102-150405.000"))
	f, err := os.OpenFile(fresh, os.O_CREATE|os.O_EXCL|os.O_RDWR, 0o600)
	if err != nil {
		return out, fmt.Errorf("%w: %w", ErrCannotSave, err)
	}
	f.Close()
	// The connection still has the file that nobody sees any more. What another
	// program did to the files beside it may have spoilt that; then there is memory.
	_, spoilt := write.ExecContext(context.WithoutCancel(ctx), `VACUUM INTO ?`, fresh)
	if _, err := os.Stat(path); errors.Is(err, fs.ErrNotExist) {
		os.Remove(path + "-wal")
		os.Remove(path + "-shm")
		if os.Rename(fresh, path) == nil {
			fresh = path
		}
	}
	if spoilt != nil {
		out.Missing = "The old file could not be read any more: sites that this program had not looked at, and the history of all, are missing."
	}
	next := at(fresh, s.clock)
	if err := next.connect(); err != nil {
		return out, errors.Join(explain(err), spoilt)
	}
	s.mu.Lock()
	slots := maps.Clone(s.slots)
	s.mu.Unlock()
	for _, sl := range slots {
		if kept := sl.kept.Load(); kept != nil {
			if err := next.remember(ctx, *kept); err != nil {
				return out, errors.Join(err, next.Close())
			}
		}
	}
	s.mu.Lock()
	oldRead, oldWrite := s.read, s.write
	s.path, s.file, s.read, s.write = fresh, next.file, next.read, next.write
	s.mu.Unlock()
	out.Path = fresh
	return out, errors.Join(oldRead.Close(), oldWrite.Close())
}

// remember writes a site as memory has it, where the file has an older one or none.
func (s *Store) remember(ctx context.Context, kept Stored) error {
	st, err := load(ctx, s.read, kept.ID)
	if err == nil && st.Version >= kept.Version {
		return nil
	}
	head, err := headOf(kept.Site)
	if err != nil {
		return err
	}
	parts, err := changes(kept.ID, site.Site{}, kept.Site)
	if err != nil {
		return err
	}
	changed := kept.Changed.Format(time.RFC3339Nano)
	return s.send(ctx, append([]statement{
		guard(`INSERT INTO sites (id, name, version, created, changed, head, notice) VALUES (?, ?, ?, ?, ?, ?, ?)
			ON CONFLICT (id) DO UPDATE SET name = excluded.name, version = excluded.version, changed = excluded.changed, head = excluded.head, notice = excluded.notice`, kept.ID, kept.Site.Name, kept.Version, kept.Created, changed, head,
			"The database was removed while the program ran. The site is whole; the last changes cannot be undone."),
		line(`DELETE FROM parts WHERE site = ?`, kept.ID),
		line(`UPDATE journal SET state = 'left' WHERE site = ?`, kept.ID),
	}, parts...)...)
}
