package store

import (
	"context"
	"errors"
	"time"
)

// KeepsRemoved is how long a site that was removed can be had back.
const KeepsRemoved = 30 * 24 * time.Hour

// RemovedSite is a site that was removed and can be had back.
type RemovedSite struct {
	ID, Name string
	At       time.Time
}

// Remove takes a site out of the list, in whatever state it is. It is kept for a while with its journal.
// Error: ErrNoSite.
func (s *Store) Remove(ctx context.Context, id string) error {
	return s.change(ctx, id, guard(`UPDATE sites SET removed = ?, version = version + 1 WHERE id = ? AND removed = ''`, s.clock().UTC().Format(time.RFC3339Nano), id))
}

// BringBack puts a site that was removed into the list again, as it was. Error: ErrNoSite.
func (s *Store) BringBack(ctx context.Context, id string) error {
	return s.change(ctx, id, guard(`UPDATE sites SET removed = '', version = version + 1 WHERE id = ? AND removed != ''`, id))
}

// Forget deletes a site that was removed, with its journal, for good. Error: ErrNoSite.
func (s *Store) Forget(ctx context.Context, id string) error {
	return s.change(ctx, id,
		guard(`UPDATE sites SET version = version WHERE id = ? AND removed != ''`, id),
		line(`DELETE FROM parts WHERE site = ?`, id),
		line(`DELETE FROM journal WHERE site = ?`, id),
		line(`DELETE FROM sites WHERE id = ?`, id))
}

// change changes the state of a site as a whole.
func (s *Store) change(ctx context.Context, id string, batch ...statement) error {
	leave, err := s.slot(id).enter(ctx)
	if err != nil {
		return err
	}
	defer leave()
	err = s.send(ctx, batch...)
	if errors.Is(err, errOvertaken) {
		return ErrNoSite
	}
	if err == nil {
		s.slot(id).kept.Store(nil)
	}
	return err
}

// Removed gives the sites that were removed, the last first, and forgets those whose time is over.
func (s *Store) Removed(ctx context.Context) ([]RemovedSite, error) {
	read, _ := s.dbs()
	rs, err := read.QueryContext(ctx, `SELECT id, name, removed FROM sites WHERE removed != '' ORDER BY removed DESC, id`)
	if err != nil {
		return nil, explain(err)
	}
	defer rs.Close()
	out, over := []RemovedSite{}, []string{}
	for rs.Next() {
		var r RemovedSite
		var at string
		if err := rs.Scan(&r.ID, &r.Name, &at); err != nil {
			return nil, err
		}
		if r.At, err = time.Parse(time.RFC3339Nano, at); err == nil && s.clock().Sub(r.At) > KeepsRemoved {
			over = append(over, r.ID)
			continue
		}
		out = append(out, r)
	}
	if err := rs.Err(); err != nil {
		return nil, err
	}
	rs.Close()
	for _, id := range over {
		if err := s.Forget(ctx, id); err != nil && !errors.Is(err, ErrNoSite) {
			return nil, err
		}
	}
	return out, nil
}
