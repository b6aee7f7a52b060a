package store

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
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
