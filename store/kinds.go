package store

import (
	"context"
	"encoding/json"

	"vestpin/core/site"
)

// OwnKinds gives the firm's own kinds of device.
func (s *Store) OwnKinds(ctx context.Context) ([]site.Kind, error) {
	read, _ := s.dbs()
	rows, err := read.QueryContext(ctx, `SELECT body FROM own_kinds ORDER BY pos`)
	if err != nil {
		return nil, explain(err)
	}
	defer rows.Close()
	out := []site.Kind{}
	for rows.Next() {
		var body string
		var k site.Kind
		if err := rows.Scan(&body); err != nil {
			return nil, explain(err)
		}
		if err := json.Unmarshal([]byte(body), &k); err != nil {
			return nil, explain(err)
		}
		out = append(out, k.Whole())
	}
	return out, explain(rows.Err())
}

// SetOwnKinds puts kinds in the place of the firm's own. Its error is a *strict.Refusal where
// they cannot be taken.
func (s *Store) SetOwnKinds(ctx context.Context, kinds []site.Kind) error {
	if err := site.CheckKinds("kinds", kinds); err != nil {
		return err
	}
	batch := []statement{line(`DELETE FROM own_kinds`)}
	for i, k := range kinds {
		body, err := json.Marshal(k)
		if err != nil {
			return err
		}
		batch = append(batch, line(`INSERT INTO own_kinds (id, pos, body) VALUES (?, ?, ?)`, k.ID, i, string(body)))
	}
	return s.send(ctx, batch...)
}
