package store

import (
	"context"
	"encoding/json"
	"time"
)

// mostShapes is for how many shapes of lists it is kept what their columns hold; the
// oldest are forgotten.
const mostShapes = 1000

// ListRoles gives what people said the columns of lists hold, by the shape of the list.
func (s *Store) ListRoles(ctx context.Context) (map[string][]string, error) {
	read, _ := s.dbs()
	rows, err := read.QueryContext(ctx, `SELECT shape, roles FROM list_roles`)
	if err != nil {
		return nil, explain(err)
	}
	defer rows.Close()
	out := map[string][]string{}
	for rows.Next() {
		var shape, text string
		if err := rows.Scan(&shape, &text); err != nil {
			return nil, explain(err)
		}
		var roles []string
		if err := json.Unmarshal([]byte(text), &roles); err == nil {
			out[shape] = roles
		}
	}
	return out, explain(rows.Err())
}

// SetListRoles keeps what the columns of lists of a shape hold; without roles it is
// forgotten.
func (s *Store) SetListRoles(ctx context.Context, shape string, roles []string) error {
	if len(roles) == 0 {
		return s.send(ctx, line(`DELETE FROM list_roles WHERE shape = ?`, shape))
	}
	text, err := json.Marshal(roles)
	if err != nil {
		return err
	}
	return s.send(ctx,
		line(`INSERT OR REPLACE INTO list_roles (shape, roles, at) VALUES (?, ?, ?)`, shape, string(text), s.clock().UTC().Format(time.RFC3339Nano)),
		line(`DELETE FROM list_roles WHERE shape NOT IN (SELECT shape FROM list_roles ORDER BY at DESC LIMIT ?)`, mostShapes))
}
