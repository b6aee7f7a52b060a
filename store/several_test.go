package store

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"vestpin/core/edit"
)

// Several programs on one file, each with several hands: every edit that was
// acknowledged is in the journal once, and the site is what the last one made.
func TestManyWritersLoseNothing(t *testing.T) {
	path := filepath.Join(t.TempDir(), "v.db")
	first := open(t, path)
	if _, err := first.Create(bg, "p", full()); err != nil {
		t.Fatal(err)
	}
	stores := []*Store{first, open(t, path), open(t, path)}
	var wg sync.WaitGroup
	var mu sync.Mutex
	kept := map[string]bool{}
	for i := range 9 {
		wg.Go(func() {
			s := stores[i%len(stores)]
			for n := range 12 {
				name := fmt.Sprintf("hand %d, edit %d", i, n)
				for {
					st, err := s.Get(bg, "p")
					if err != nil {
						t.Error(err)
						return
					}
					_, err = editAs(s, "p", st.Version, name, name, rename(name))
					var stale *StaleError
					if errors.As(err, &stale) {
						continue
					}
					if err != nil {
						t.Error(err)
						return
					}
					break
				}
				mu.Lock()
				kept[name] = true
				mu.Unlock()
			}
		})
	}
	wg.Wait()
	entries, err := open(t, path).Journal(bg, "p", 1000)
	if err != nil {
		t.Fatal(err)
	}
	for _, e := range entries {
		if !kept[e.Title] {
			t.Errorf("%q stands in the journal twice, or was never acknowledged", e.Title)
		}
		delete(kept, e.Title)
	}
	if len(kept) > 0 {
		t.Errorf("lost: %v", kept)
	}
	for i, s := range stores {
		if st, err := s.Get(bg, "p"); err != nil || st.Version != 109 || st.Site.Name != entries[0].Title {
			t.Errorf("program %d sees version %d, %q, %v; the journal ends with %q", i, st.Version, st.Site.Name, err, entries[0].Title)
		}
	}
}

func TestSitesAreApart(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	for range 3 {
		if _, err := s.Create(bg, "same", full()); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := editAs(s, "same-2", 1, "", "", []edit.Edit{edit.RemoveDevice{ID: "rec"}}); err != nil {
		t.Fatal(err)
	}
	all, err := s.List(bg)
	if err != nil || len(all) != 3 || all[0].ID != "same-2" {
		t.Fatalf("%v, %+v", err, all)
	}
	for _, st := range all {
		want := 2
		if st.ID == "same-2" {
			want = 1
		}
		if len(st.Site.Devices) != want {
			t.Errorf("%s has %d devices, want %d", st.ID, len(st.Site.Devices), want)
		}
	}
	if _, err := s.Get(bg, "other"); !errors.Is(err, ErrNoSite) {
		t.Errorf("a site that is not there: %v", err)
	}
	if _, err := editAs(s, "other", 1, "", "", rename("x")); !errors.Is(err, ErrNoSite) {
		t.Errorf("an edit of a site that is not there: %v", err)
	}
}

// A new edit after an undo leaves what was undone behind, but in the journal.
func TestEditAfterUndo(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	st, err := s.Create(bg, "p", full())
	if err != nil {
		t.Fatal(err)
	}
	must := func(next Stored, err error) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		st = next
	}
	must(editAs(s, "p", st.Version, "", "", rename("one")))
	must(editAs(s, "p", st.Version, "", "", rename("two")))
	must(s.Undo(bg, "p", Turn{Version: st.Version}))
	if st.Site.Name != "one" || st.Redo == "" {
		t.Fatalf("%q, redo %q", st.Site.Name, st.Redo)
	}
	must(editAs(s, "p", st.Version, "", "", rename("three")))
	if _, err := s.Redo(bg, "p", Turn{Version: st.Version}); !errors.Is(err, ErrNothing) {
		t.Errorf("redo after another edit: %v", err)
	}
	must(s.Undo(bg, "p", Turn{Version: st.Version}))
	must(s.Undo(bg, "p", Turn{Version: st.Version}))
	if st.Site.Name != full().Name {
		t.Errorf("back at %q", st.Site.Name)
	}
	entries, err := s.Journal(bg, "p", 10)
	if err != nil {
		t.Fatal(err)
	}
	var states []string
	for _, e := range entries {
		states = append(states, e.State)
	}
	if got := strings.Join(states, " "); got != "undone left undone" {
		t.Errorf("the journal holds %s", got)
	}
}

func TestTitles(t *testing.T) {
	name := "x"
	for want, e := range map[string]edit.Edit{
		"pin Recorder at 10.48.16.20": edit.SetPin{ID: "rec.0", Pin: full().Devices[1].Interfaces[0].Pin}, "make Recorder loose": edit.SetPin{ID: "rec.0"},
		"keep Recorder page inside": edit.SetOpen{ID: "rec.web"}, "remove Recorder": edit.RemoveDevice{ID: "rec"}, "name x": edit.Describe{ID: "rec", Name: &name},
		"rename the site": edit.RenameSite{Name: name}, "remove a forward": edit.RemoveForward{ID: "f9"}, "tick a step": edit.Tick{ID: "x"},
	} {
		if got := Title(full(), []edit.Edit{e}); got != want {
			t.Errorf("got %q, want %q", got, want)
		}
	}
	if got := Title(full(), []edit.Edit{edit.RemoveForward{ID: "f1"}, edit.Tick{}, edit.Tick{}}); got != "remove Recorder and 2 more" {
		t.Errorf("got %q", got)
	}
}

// A clock that goes back, as a laptop's may, changes nothing in the order of things.
func TestClockGoesBack(t *testing.T) {
	path := filepath.Join(t.TempDir(), "v.db")
	s := open(t, path)
	if _, err := s.Create(bg, "p", full()); err != nil {
		t.Fatal(err)
	}
	now := time.Date(2026, 11, 25, 9, 0, 0, 0, time.UTC)
	s.clock = func() time.Time { now = now.Add(-time.Hour); return now }
	for i := range 5 {
		if st, err := editAs(s, "p", i+1, "", "", rename(fmt.Sprint("name ", i))); err != nil || st.Version != i+2 {
			t.Fatalf("%v, version %d", err, st.Version)
		}
	}
	again, err := open(t, path).Get(bg, "p")
	if err != nil || again.Site.Name != "name 4" || again.Undo != "rename the site" || again.UndoSeq != 5 {
		t.Errorf("%v %q, undo %d", err, again.Site.Name, again.UndoSeq)
	}
	if st, err := s.Undo(bg, "p", Turn{Version: 6}); err != nil || st.Site.Name != "name 3" {
		t.Errorf("%v %q", err, st.Site.Name)
	}
}

// Whose turn comes waits no longer than their request; other sites do not wait at all.
func TestEachSiteHasItsOwnOrder(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	for range 2 {
		if _, err := s.Create(bg, "p", full()); err != nil {
			t.Fatal(err)
		}
	}
	leave, err := s.slot("p").enter(bg)
	if err != nil {
		t.Fatal(err)
	}
	ctx, end := context.WithTimeout(bg, 50*time.Millisecond)
	defer end()
	if _, _, err := s.Edit(ctx, "p", Change{Version: 1, Edits: rename("x")}); !errors.Is(err, context.DeadlineExceeded) {
		t.Errorf("behind another: %v", err)
	}
	if _, err := editAs(s, "p-2", 1, "", "", rename("x")); err != nil {
		t.Errorf("another site: %v", err)
	}
	if _, err := s.Get(bg, "p"); err != nil {
		t.Errorf("a look at it: %v", err)
	}
	leave()
	if _, err := editAs(s, "p", 1, "", "", rename("x")); err != nil {
		t.Errorf("after that: %v", err)
	}
}

// Those who wait to write share a transaction, in the order in which they came, and each has an answer
// of its own: who was overtaken, and what cannot be written, end nobody else's.
func TestThoseWhoWaitShareATransaction(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	for i := range 12 {
		if _, err := s.Create(bg, fmt.Sprint("s", i), full()); err != nil {
			t.Fatal(err)
		}
	}
	name := func(i int, at int) statement {
		return guard(`UPDATE sites SET name = ?, version = version + 1 WHERE id = ? AND version = ?`, fmt.Sprint("n", i), fmt.Sprint("s", i), at)
	}
	send := func(batches ...[]statement) (errs []error) {
		s.queue.turn <- struct{}{} // somebody writes
		errs = make([]error, len(batches))
		var all sync.WaitGroup
		for i, b := range batches {
			all.Go(func() { errs[i] = s.send(bg, b...) })
			for len(queued(s)) != i+1 {
				time.Sleep(time.Millisecond)
			}
		}
		<-s.queue.turn
		all.Wait()
		return errs
	}
	var batches [][]statement
	for i := range 10 {
		batches = append(batches, []statement{name(i, 1)})
	}
	batches[3] = []statement{name(3, 7)}
	batches[6] = []statement{name(6, 1), guard(`UPDATE sites SET name = 'x' WHERE id = 'ghost'`)} // half of it is no part of it
	for i, err := range send(batches...) {
		if errors.Is(err, errOvertaken) != (i == 3 || i == 6) || (i != 3 && i != 6 && err != nil) {
			t.Errorf("%d: %v", i, err)
		}
	}
	names := func() (out []string) {
		t.Helper()
		rs, err := s.read.Query(`SELECT id FROM sites WHERE name LIKE 'n%'`)
		if err != nil {
			t.Fatal(err)
		}
		defer rs.Close()
		for rs.Next() {
			var id string
			if err := rs.Scan(&id); err != nil {
				t.Fatal(err)
			}
			out = append(out, id)
		}
		return out
	}
	if got := names(); len(got) != 8 || slices.Contains(got, "s3") || slices.Contains(got, "s6") {
		t.Errorf("written are %v", got)
	}
	// One that cannot be written at all.
	for i, err := range send([]statement{name(3, 1)}, []statement{line(`INSERT INTO sites (id) VALUES (NULL)`)}, []statement{name(6, 1)}) {
		if (err != nil) != (i == 1) {
			t.Errorf("beside what cannot be written, %d: %v", i, err)
		}
	}
	if got := names(); len(got) != 10 {
		t.Errorf("written are %v", got)
	}
	// Who does not wait any longer is not written.
	s.queue.turn <- struct{}{}
	ctx, stop := context.WithCancel(bg)
	ended := make(chan error)
	go func() { ended <- s.send(ctx, name(10, 1)) }()
	for len(queued(s)) != 1 {
		time.Sleep(time.Millisecond)
	}
	stop()
	if err := <-ended; !errors.Is(err, context.Canceled) {
		t.Error(err)
	}
	<-s.queue.turn
	if err := s.send(bg, name(11, 1)); err != nil {
		t.Fatal(err)
	}
	if got := names(); slices.Contains(got, "s10") || !slices.Contains(got, "s11") {
		t.Errorf("written are %v", got)
	}
}

func queued(s *Store) []*waiting {
	s.queue.mu.Lock()
	defer s.queue.mu.Unlock()
	return slices.Clone(s.queue.all)
}
