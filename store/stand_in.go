package store

import "context"

// TakenAddress is an address that this computer took on a link to stand in for a device.
type TakenAddress struct{ Link, Address string }

// Taken gives the addresses that were taken and not given back.
func (s *Store) Taken(ctx context.Context) ([]TakenAddress, error) {
	read, _ := s.dbs()
	rows, err := read.QueryContext(ctx, `SELECT link, address FROM stand_in`)
	if err != nil {
		return nil, explain(err)
	}
	defer rows.Close()
	var out []TakenAddress
	for rows.Next() {
		var t TakenAddress
		if err := rows.Scan(&t.Link, &t.Address); err != nil {
			return nil, explain(err)
		}
		out = append(out, t)
	}
	return out, explain(rows.Err())
}

// SetTaken keeps that an address is taken, or that it is given back.
func (s *Store) SetTaken(ctx context.Context, t TakenAddress, taken bool) error {
	does := `DELETE FROM stand_in WHERE link = ? AND address = ?`
	if taken {
		does = `INSERT OR REPLACE INTO stand_in (link, address) VALUES (?, ?)`
	}
	return s.send(ctx, line(does, t.Link, t.Address))
}
