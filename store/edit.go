package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
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
	twin    twin
	format  int
	forth   string
	back    string
}

// twin is the other half of a change that was made at two sites at once.
type twin struct {
	site string
	seq  int
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
		st, made, err := s.worked(ctx, id, c)
		if err != nil {
			return st.before, Made{}, err
		}
		err = s.save(ctx, st)
		if !errors.Is(err, errOvertaken) {
			return st.after.Stored, made, err
		}
	}
	return Stored{}, Made{}, &StaleError{Version: c.Version}
}

// worked is a change as it would be made on top of a site as it is now.
func (s *Store) worked(ctx context.Context, id string, c Change) (st step, made Made, err error) {
	if st.before, err = s.Get(ctx, id); err != nil {
		return st, made, err
	}
	c.Edits, made.Named = edit.Named(st.before.Site, c.Edits)
	st.after, made.Over, err = s.over(ctx, st.before, c)
	return st, made, err
}

// pending is a change that is worked out and not yet written.
type pending struct {
	Stored
	journal []statement
	twin    twin // of the entry that is turned
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
		line(`UPDATE journal SET state = 'left' WHERE site = ? AND state = 'undone'`, now.ID),
		line(`INSERT INTO journal (site, seq, version, at, who, "window", title, format, edits, undo, touches, state) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 'done')`, now.ID, p.last, p.Version, p.Changed.Format(time.RFC3339Nano), c.Who, c.Window, c.Title, edit.Format, string(forth), string(back), string(wrote)),
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

// step is a site before a change and after it.
type step struct {
	before Stored
	after  pending
}

// statements write what changed between the two; the first only goes through where the
// version is still the one before.
func (st step) statements() ([]statement, error) {
	head, err := headOf(st.after.Site)
	if err != nil {
		return nil, err
	}
	parts, err := changes(st.before.ID, st.before.Site, st.after.Site)
	if err != nil {
		return nil, err
	}
	first := guard(`UPDATE sites SET version = version + 1, name = ?, changed = ?, head = ? WHERE id = ? AND version = ? AND created = ?`, st.after.Site.Name, st.after.Changed.Format(time.RFC3339Nano), head, st.before.ID, st.before.Version, st.before.Created)
	return append(append([]statement{first}, st.after.journal...), parts...), nil
}

// save writes steps in one transaction: all of them, or none where a version is not the
// one before any more.
func (s *Store) save(ctx context.Context, steps ...step) error {
	var batch []statement
	for _, st := range steps {
		lines, err := st.statements()
		if err != nil {
			return err
		}
		batch = append(batch, lines...)
	}
	if err := s.send(ctx, batch...); err != nil {
		return err
	}
	for _, st := range steps {
		kept := st.after.Stored
		s.slot(st.before.ID).kept.Store(&kept)
	}
	return nil
}

// EditBoth makes a change at each of two sites, in one transaction: both are made or none, and
// undo takes back both. Errors as of Edit.
func (s *Store) EditBoth(ctx context.Context, ids [2]string, c [2]Change) (sites [2]Stored, made Made, err error) {
	if ids[0] == ids[1] {
		return sites, made, fmt.Errorf("%w: a site has no link with itself", ErrNoSite)
	}
	leave, err := s.enterAll(ctx, ids[:])
	if err != nil {
		return sites, made, err
	}
	defer leave()
	for range tries {
		var steps [2]step
		for i, id := range ids {
			of, done, err := s.worked(ctx, id, c[i])
			if err != nil {
				return sites, made, err
			}
			if steps[i] = of; i == 0 {
				made = done
			}
		}
		for i := range steps {
			other := steps[1-i].after.Stored
			steps[i].after.journal = append(steps[i].after.journal, line(`UPDATE journal SET twin_site = ?, twin_seq = ? WHERE site = ? AND seq = ?`, other.ID, other.last, ids[i], steps[i].after.last))
		}
		if err := s.save(ctx, steps[:]...); !errors.Is(err, errOvertaken) {
			return [2]Stored{steps[0].after.Stored, steps[1].after.Stored}, made, err
		}
	}
	return sites, made, &StaleError{Version: c[0].Version}
}

// enterAll waits until nobody else changes any of some sites; always in one order, so that nobody
// waits for ever.
func (s *Store) enterAll(ctx context.Context, ids []string) (leave func(), err error) {
	var all []func()
	leave = func() {
		for _, l := range all {
			l()
		}
	}
	for _, id := range slices.Compact(slices.Sorted(slices.Values(ids))) {
		l, err := s.slot(id).enter(ctx)
		if err != nil {
			leave()
			return nil, err
		}
		all = append(all, l)
	}
	return leave, nil
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
	ids := []string{id}
	for range tries {
		st, with, err := s.turnOnce(ctx, ids, t, work)
		if with != "" {
			ids = append(ids, with)
		} else if !errors.Is(err, errOvertaken) {
			return st, err
		}
	}
	return Stored{}, &StaleError{Version: t.Version}
}

// turnOnce turns an entry of the first of some sites. With is a site that its other half is in, which has
// to be among them.
func (s *Store) turnOnce(ctx context.Context, ids []string, t Turn, work func(context.Context, Stored, Turn) (pending, error)) (st Stored, with string, err error) {
	id := ids[0]
	leave, err := s.enterAll(ctx, ids)
	if err != nil {
		return st, "", err
	}
	defer leave()
	now, err := s.Get(ctx, id)
	if err != nil {
		return now, "", err
	}
	if t.Seq == 0 && t.Version != now.Version {
		meanwhile, err := s.since(ctx, now, t.Version, "")
		if err == nil {
			err = &StaleError{Version: now.Version, Meanwhile: meanwhile}
		}
		return now, "", err
	}
	next, err := work(ctx, now, t)
	if err != nil {
		return now, "", err
	}
	steps := []step{{now, next}}
	if next.twin.site != "" {
		if !slices.Contains(ids, next.twin.site) {
			return now, next.twin.site, nil
		}
		other, err := s.Get(ctx, next.twin.site)
		if err == nil {
			var half pending
			half, err = work(ctx, other, Turn{Version: other.Version, Seq: next.twin.seq, Who: t.Who, Window: t.Window})
			steps = append(steps, step{other, half})
		}
		if errors.Is(err, ErrNoSite) { // it was removed: this half is turned alone
			steps, err = steps[:1], nil
		}
		if err != nil {
			return now, "", err
		}
	}
	if err := s.save(ctx, steps...); err != nil {
		return st, "", err
	}
	for _, done := range steps {
		s.slot(done.before.ID).kept.Store(nil) // what can be undone now is read anew
	}
	if st, err = s.Get(ctx, id); len(steps) > 1 {
		st.Also = next.twin.site
	}
	return st, "", err
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
	p, err := s.entry(now, next, Change{Who: t.Who, Window: t.Window, Title: "take back: " + e.Title, Edits: back}, undo)
	p.twin = e.twin
	return p, err
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
	p := pending{Stored: Stored{ID: now.ID, Version: now.Version + 1, Created: now.Created, Changed: s.clock().UTC(), Site: next, Notice: now.Notice}, twin: e.twin}
	p.journal = []statement{line(`UPDATE journal SET state = ?, version = ?, who = ?, "window" = ? WHERE site = ? AND seq = ?`, state, p.Version, t.Who, t.Window, now.ID, e.Seq)}
	return p
}

// Journal gives the last entries of a site, the newest first.
func (s *Store) Journal(ctx context.Context, id string, most int) ([]Entry, error) {
	return s.query(ctx, whole, `WHERE site = ? ORDER BY seq DESC LIMIT ?`, id, most)
}

// What is read of an entry: with its edits, which may be a whole survey, or only
// what they touch, where the program that made it noted that.
const (
	whole = `edits, undo, twin_site, twin_seq`
	brief = `iif(touches IS NULL, edits, '[]'), iif(touches IS NULL, undo, '[]'), twin_site, twin_seq`
	early = `edits, undo, '', 0` // of tables of which mendAll has to make the newest yet
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
		if err := rs.Scan(&e.Seq, &e.Version, &at, &e.Who, &e.Window, &e.Title, &e.State, &e.format, &e.forth, &e.back, &e.twin.site, &e.twin.seq, &touches); err != nil {
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
