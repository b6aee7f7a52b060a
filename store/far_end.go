package store

import (
	"context"
	"database/sql"
	"errors"
)

// FarEnd gives the pairing text of the helper at the far end; empty where there is none.
func (s *Store) FarEnd(ctx context.Context) (string, error) {
	read, _ := s.dbs()
	var pairing string
	err := read.QueryRowContext(ctx, `SELECT pairing FROM far_end`).Scan(&pairing)
	if errors.Is(err, sql.ErrNoRows) {
		return "", nil
	}
	return pairing, explain(err)
}

// SetFarEnd keeps the pairing text of the helper; an empty one forgets it.
func (s *Store) SetFarEnd(ctx context.Context, pairing string) error {
	if pairing == "" {
		return s.send(ctx, line(`DELETE FROM far_end`))
	}
	return s.send(ctx, line(`INSERT OR REPLACE INTO far_end (one, pairing) VALUES (1, ?)`, pairing))
}
