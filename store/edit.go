package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"vestpin/core/edit"
	"vestpin/core/site"
)

// StaleError says that a change cannot go on top of what was changed since its
// editor looked: by which entries of the journal, the oldest first. Over is what
// both overwrite, where that is the reason.
type StaleError struct {
	Version   int
	Meanwhile []Entry
	Over      string
}

func (e *StaleError) Error() string {
	return fmt.Sprintf("the site was changed meanwhile and is now at version %d", e.Version)
}

// Entry is one batch of edits in the journal.
type Entry struct {
	Seq     int
	Version int
	At      time.Time
	Who     string
	Window  string
	Title   string
	State   string
	Changed []edit.Touch // of an earlier program: all that its edits touch
	format  int
	forth   string
	back    string
}

// Edits reads the edits of the entry and those that lead back.
func (e Entry) Edits() (forth, back []edit.Edit, err error) {
	if forth, err = edit.Read(e.format, []byte(e.forth)); err == nil {
		back, err = edit.Read(e.format, []byte(e.back))
	}
	return forth, back, err
}

// Change is a batch of edits as somebody wants it.
type Change struct {
	Version int    // that the editor saw
	Who     string // for the journal
	Window  string // what the same window changed since is no reason to refuse
	Title   string // in a few words; made from the edits where empty
	Edits   []edit.Edit
}

// Turn is what is to be undone or redone: the entry Seq, or, without one, the
// nearest at the version that was seen.
type Turn struct {
	Version     int
	Seq         int
	Who, Window string
}

// tries is how often a change is worked out anew where another program was quicker.
const tries = 50

// mostMeanwhile is how many changes ago an editor may have looked.
const mostMeanwhile = 500

// Made is what an edit did besides: the entries of others that it went over, and the
// things that it added without an id, by the ids they got.
type Made struct {
	Over  []Entry
	Named []site.Ref
}

// Edit makes edits in one transaction with their journal entry. Where the site was
// changed since Version, they go on top if they overwrite nothing of that, and the
// entries they went over are given. Errors: ErrNoSite, *DamagedError, *StaleError,
// *strict.Refusal, or one that wraps ErrCannotSave.
func (s *Store) Edit(ctx context.Context, id string, c Change) (Stored, Made, error) {
	leave, err := s.slot(id).enter(ctx)
	if err != nil {
		return Stored{}, Made{}, err
	}
	defer leave()
	for range tries {
		now, err := s.Get(ctx, id)
		if err != nil {
			return now, Made{}, err
		}
		mine := c
		var made Made
		mine.Edits, made.Named = edit.Named(now.Site, c.Edits)
		var next pending
		next, made.Over, err = s.over(ctx, now, mine)
		if err != nil {
			return now, Made{}, err
		}
		next, err = s.save(ctx, now, next)
		if !errors.Is(err, errOvertaken) {
			return next.Stored, made, err
		}
	}
	return Stored{}, Made{}, &StaleError{Version: c.Version}
}

// pending is a change that is worked out and not yet written.
type pending struct {
	Stored
	journal []statement
}

// over works out a change on top of the site as it is now.
func (s *Store) over(ctx context.Context, now Stored, c Change) (pending, []Entry, error) {
	var meanwhile []Entry
	if c.Version != now.Version {
		var err error
		if meanwhile, err = s.since(ctx, now, c.Version, c.Window); err != nil {
			return pending{}, nil, err
		}
	}
	next, undo, err := edit.Apply(now.Site, c.Edits)
	if err := disagree(now.Version, edit.Touches(c.Edits, undo), meanwhile); err != nil {
		return pending{}, nil, err
	}
	if err != nil {
		return pending{}, nil, err
	}
	if c.Title == "" {
		c.Title = Title(now.Site, c.Edits)
	}
	p, err := s.entry(now, next, c, undo)
	return p, meanwhile, err
}

// entry is a change as a new entry of the journal.
func (s *Store) entry(now Stored, next site.Site, c Change, undo []edit.Edit) (pending, error) {
	forth, err1 := json.Marshal(append(edit.List{}, c.Edits...)) // a list, also where it is empty
	back, err2 := json.Marshal(append(edit.List{}, undo...))
	wrote, err3 := json.Marshal(edit.Changed(now.Site, next))
	if err := errors.Join(err1, err2, err3); err != nil {
		return pending{}, err
	}
	p := pending{Stored: Stored{ID: now.ID, Version: now.Version + 1, Created: now.Created, Changed: s.clock().UTC(), Site: next, Undo: c.Title, UndoSeq: now.last + 1, last: now.last + 1, Notice: now.Notice}}
	p.journal = []statement{
		{`UPDATE journal SET state = 'left' WHERE site = ? AND state = 'undone'`, []any{now.ID}},
		{`INSERT INTO journal (site, seq, version, at, who, "window", title, format, edits, undo, touches, state) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 'done')`,
			[]any{now.ID, p.last, p.Version, p.Changed.Format(time.RFC3339Nano), c.Who, c.Window, c.Title, edit.Format, string(forth), string(back), string(wrote)}},
	}
	return p, nil
}

// disagree refuses where something would be overwritten that was changed meanwhile,
// and says by which entries.
func disagree(version int, mine []edit.Touch, meanwhile []Entry) error {
	stale := &StaleError{Version: version}
	for _, e := range meanwhile {
		if t, both := edit.Disagree(mine, e.Changed); both {
			stale.Meanwhile, stale.Over = append(stale.Meanwhile, e), t.String()
		}
	}
	if len(stale.Meanwhile) == 0 {
		return nil
	}
	return stale
}

// since gives what other windows changed after a version, the oldest first.
func (s *Store) since(ctx context.Context, now Stored, version int, window string) ([]Entry, error) {
	if version > now.Version || version < 1 {
		return nil, &StaleError{Version: now.Version, Over: fmt.Sprintf("version %d of a site that is at %d", version, now.Version)}
	}
	all, err := s.query(ctx, brief, `WHERE site = ? AND version > ? ORDER BY version LIMIT ?`, now.ID, version, mostMeanwhile+1)
	if err != nil {
		return nil, err
	}
	var others []Entry
	for _, e := range all {
		if window == "" || e.Window != window {
			others = append(others, e)
		}
	}
	if len(all) > mostMeanwhile {
		return nil, &StaleError{Version: now.Version, Meanwhile: others[:min(20, len(others))], Over: fmt.Sprintf("a version that is more than %d changes old", mostMeanwhile)}
	}
	return others, nil
}

// save writes what changed between two states of a site, in one transaction that
// only goes through where the version is still the one before.
func (s *Store) save(ctx context.Context, before Stored, after pending) (pending, error) {
	head, err := headOf(after.Site)
	if err != nil {
		return after, err
	}
	parts, err := changes(before.ID, before.Site, after.Site)
	if err != nil {
		return after, err
	}
	guard := statement{`UPDATE sites SET version = version + 1, name = ?, changed = ?, head = ? WHERE id = ? AND version = ? AND created = ?`,
		[]any{after.Site.Name, after.Changed.Format(time.RFC3339Nano), head, before.ID, before.Version, before.Created}}
	batch := append([]statement{guard}, after.journal...)
	if err := s.run(ctx, append(batch, parts...)); err != nil {
		return pending{}, err
	}
	kept := after.Stored
	s.slot(before.ID).kept.Store(&kept)
	return after, nil
}

// Undo takes back an entry of the journal: the last one that is not taken back, or
// an earlier one where nothing since has overwritten the same, which makes an entry
// of its own. Errors as of Edit, and ErrNothing.
func (s *Store) Undo(ctx context.Context, id string, t Turn) (Stored, error) {
	return s.turn(ctx, id, t, s.undoing)
}

// Redo makes again what Undo took back last.
func (s *Store) Redo(ctx context.Context, id string, t Turn) (Stored, error) {
	return s.turn(ctx, id, t, s.redoing)
}

func (s *Store) turn(ctx context.Context, id string, t Turn, work func(context.Context, Stored, Turn) (pending, error)) (Stored, error) {
	leave, err := s.slot(id).enter(ctx)
	if err != nil {
		return Stored{}, err
	}
	defer leave()
	for range tries {
		now, err := s.Get(ctx, id)
		if err != nil {
			return now, err
		}
		if t.Seq == 0 && t.Version != now.Version {
			meanwhile, err := s.since(ctx, now, t.Version, "")
			if err == nil {
				err = &StaleError{Version: now.Version, Meanwhile: meanwhile}
			}
			return now, err
		}
		next, err := work(ctx, now, t)
		if err != nil {
			return now, err
		}
		if _, err = s.save(ctx, now, next); errors.Is(err, errOvertaken) {
			continue
		}
		if err != nil {
			return Stored{}, err
		}
		s.slot(id).kept.Store(nil) // what can be undone now is read anew
		return s.Get(ctx, id)
	}
	return Stored{}, &StaleError{Version: t.Version}
}

// undoing works out how an entry is taken back.
func (s *Store) undoing(ctx context.Context, now Stored, t Turn) (pending, error) {
	if now.UndoSeq == 0 {
		return pending{}, ErrNothing
	}
	if t.Seq == 0 {
		t.Seq = now.UndoSeq
	}
	it, err := s.query(ctx, whole, `WHERE site = ? AND seq = ? AND state = 'done'`, now.ID, t.Seq)
	if err != nil {
		return pending{}, err
	}
	if len(it) == 0 {
		return pending{}, &StaleError{Version: now.Version, Over: "it has been taken back already"}
	}
	e := it[0]
	later, err := s.query(ctx, brief, `WHERE site = ? AND seq > ? AND state = 'done' ORDER BY seq LIMIT ?`, now.ID, t.Seq, mostMeanwhile+1)
	if err != nil {
		return pending{}, err
	}
	if len(later) > mostMeanwhile {
		return pending{}, &StaleError{Version: now.Version, Over: fmt.Sprintf("more than %d changes since", mostMeanwhile)}
	}
	_, back, err := e.Edits()
	if err != nil {
		return pending{}, err
	}
	next, undo, err := edit.Apply(now.Site, back)
	if err := disagree(now.Version, edit.Touches(back, undo), later); err != nil {
		return pending{}, err
	}
	if err != nil {
		return pending{}, err
	}
	if len(later) == 0 {
		return s.turned(now, next, e, t, "undone"), nil
	}
	return s.entry(now, next, Change{Who: t.Who, Window: t.Window, Title: "take back: " + e.Title, Edits: back}, undo)
}

func (s *Store) redoing(ctx context.Context, now Stored, t Turn) (pending, error) {
	if now.RedoSeq == 0 {
		return pending{}, ErrNothing
	}
	if t.Seq != 0 && t.Seq != now.RedoSeq {
		return pending{}, &StaleError{Version: now.Version, Over: "something else was done since it was taken back"}
	}
	entries, err := s.query(ctx, whole, `WHERE site = ? AND seq = ?`, now.ID, now.RedoSeq)
	if err != nil || len(entries) == 0 {
		return pending{}, errors.Join(err, ErrNothing)
	}
	forth, _, err := entries[0].Edits()
	if err != nil {
		return pending{}, err
	}
	next, _, err := edit.Apply(now.Site, forth)
	return s.turned(now, next, entries[0], t, "done"), err
}

// turned is an entry that changes its state.
func (s *Store) turned(now Stored, next site.Site, e Entry, t Turn, state string) pending {
	p := pending{Stored: Stored{ID: now.ID, Version: now.Version + 1, Created: now.Created, Changed: s.clock().UTC(), Site: next, Notice: now.Notice}}
	p.journal = []statement{{`UPDATE journal SET state = ?, version = ?, who = ?, "window" = ? WHERE site = ? AND seq = ?`, []any{state, p.Version, t.Who, t.Window, now.ID, e.Seq}}}
	return p
}

// Journal gives the last entries of a site, the newest first.
func (s *Store) Journal(ctx context.Context, id string, most int) ([]Entry, error) {
	return s.query(ctx, whole, `WHERE site = ? ORDER BY seq DESC LIMIT ?`, id, most)
}

// What is read of an entry: with its edits, which may be a whole survey, or only
// what they touch, where the program that made it noted that.
const (
	whole = `edits, undo`
	brief = `iif(touches IS NULL, edits, '[]'), iif(touches IS NULL, undo, '[]')`
)

func (s *Store) query(ctx context.Context, what, where string, args ...any) ([]Entry, error) {
	read, _ := s.dbs()
	return entries(ctx, read, what, where, args...)
}

// asker is a database or a transaction.
type asker interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
}

func entries(ctx context.Context, db asker, what, where string, args ...any) ([]Entry, error) {
	rs, err := db.QueryContext(ctx, `SELECT seq, version, at, who, "window", title, state, format, `+what+`, touches FROM journal `+where, args...)
	if err != nil {
		return nil, explain(err)
	}
	defer rs.Close()
	out := []Entry{}
	for rs.Next() {
		var e Entry
		var at string
		var touches sql.NullString
		if err := rs.Scan(&e.Seq, &e.Version, &at, &e.Who, &e.Window, &e.Title, &e.State, &e.format, &e.forth, &e.back, &touches); err != nil {
			return nil, err
		}
		if e.At, err = time.Parse(time.RFC3339Nano, at); err != nil {
			return nil, err
		}
		if touches.Valid {
			err = json.Unmarshal([]byte(touches.String), &e.Changed)
		} else { // of a program that did not note them
			var forth, back []edit.Edit
			forth, back, err = e.Edits()
			e.Changed = edit.Touches(forth, back)
		}
		if err != nil {
			return nil, err
		}
		out = append(out, e)
	}
	return out, rs.Err()
}
