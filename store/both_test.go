package store

import (
	"errors"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"vestpin/core/edit"
)

// A change at two sites is made at both or at neither, and undo and redo turn both as one, from
// whichever end; what went on at one of them meanwhile stays.
func TestChangeAtTwoSites(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	for _, id := range []string{"a", "b"} {
		if _, err := s.Create(bg, id, full()); err != nil {
			t.Fatal(err)
		}
	}
	names := func() [2]string {
		t.Helper()
		var out [2]string
		for i, id := range []string{"a", "b"} {
			st, err := s.Get(bg, id)
			if err != nil {
				t.Fatal(err)
			}
			out[i] = st.Site.Name
		}
		return out
	}
	want := func(what, a, b string) {
		t.Helper()
		if got := names(); got != [2]string{a, b} {
			t.Errorf("%s: %q", what, got)
		}
	}
	old := full().Name
	c := func(version int, name string) Change {
		return Change{Version: version, Window: "w", Title: "both", Edits: rename(name)}
	}
	both := [2]string{"a", "b"}
	if _, _, err := s.EditBoth(bg, both, [2]Change{c(1, "x"), {Version: 1, Edits: []edit.Edit{edit.RemoveForward{ID: "ghost"}}}}); err == nil {
		t.Error("half of it cannot be done")
	}
	want("refused at one", old, old)
	if _, _, err := s.EditBoth(bg, [2]string{"a", "a"}, [2]Change{c(1, "x"), c(1, "y")}); !errors.Is(err, ErrNoSite) {
		t.Errorf("with itself: %v", err)
	}
	sites, _, err := s.EditBoth(bg, both, [2]Change{c(1, "x"), c(1, "y")})
	if err != nil || sites[0].Version != 2 || sites[1].Version != 2 || sites[1].Undo != "both" {
		t.Fatal(err, sites)
	}
	want("made", "x", "y")
	st, err := s.Undo(bg, "b", Turn{Version: 2})
	if err != nil || st.Also != "a" {
		t.Errorf("undo at the second: %v %q", err, st.Also)
	}
	want("undone", old, old)
	if st, err := s.Redo(bg, "a", Turn{Version: 3}); err != nil || st.Also != "b" {
		t.Errorf("redo at the first: %v %q", err, st.Also)
	}
	want("done again", "x", "y")
	// Something else is done at one, and the same at the other: neither half is taken back.
	if _, err := editAs(s, "b", 4, "v", "", rename("z")); err != nil {
		t.Fatal(err)
	}
	var stale *StaleError
	if _, err := s.Undo(bg, "a", Turn{Version: 4}); !errors.As(err, &stale) {
		t.Errorf("undo over a later change: %v", err)
	}
	want("not taken back", "x", "z")
	if _, err := s.Undo(bg, "b", Turn{Version: 5}); err != nil {
		t.Fatal(err)
	}
	// The other site is removed: this half is taken back alone.
	if err := s.Remove(bg, "b"); err != nil {
		t.Fatal(err)
	}
	if st, err := s.Undo(bg, "a", Turn{Version: 4}); err != nil || st.Also != "" || st.Site.Name != old {
		t.Errorf("alone: %v %q", err, st.Site.Name)
	}
}

// Links made from both ends at once, many times, neither lock each other out nor lose one.
func TestChangesAtTwoSitesAtOnce(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	for _, id := range []string{"a", "b"} {
		if _, err := s.Create(bg, id, full()); err != nil {
			t.Fatal(err)
		}
	}
	var all sync.WaitGroup
	for n := range 20 {
		all.Go(func() {
			ids := [2]string{"a", "b"}
			if n%2 == 1 {
				ids = [2]string{"b", "a"}
			}
			for {
				x, err1 := s.Get(bg, ids[0])
				y, err2 := s.Get(bg, ids[1])
				if err := errors.Join(err1, err2); err != nil {
					t.Error(err)
					return
				}
				_, _, err := s.EditBoth(bg, ids, [2]Change{{Version: x.Version, Edits: rename("n")}, {Version: y.Version, Edits: rename("n")}})
				var stale *StaleError
				if errors.As(err, &stale) {
					continue
				}
				if err != nil {
					t.Error(err)
				}
				return
			}
		})
	}
	all.Wait()
	for _, id := range []string{"a", "b"} {
		if st, err := s.Get(bg, id); err != nil || st.Version != 21 {
			t.Errorf("%s is at %d: %v", id, st.Version, err)
		}
	}
}

// A site that was removed is had back with its history, for 30 days, and then is gone.
func TestRemovedSites(t *testing.T) {
	s := open(t, filepath.Join(t.TempDir(), "v.db"))
	now := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	s.clock = func() time.Time { return now }
	if _, err := s.Create(bg, "a", full()); err != nil {
		t.Fatal(err)
	}
	if _, err := editAs(s, "a", 1, "w", "", rename("x")); err != nil {
		t.Fatal(err)
	}
	if err := s.Remove(bg, "a"); err != nil {
		t.Fatal(err)
	}
	if all, err := s.List(bg); err != nil || len(all) != 0 {
		t.Errorf("%v %v", err, all)
	}
	if _, err := s.Get(bg, "a"); !errors.Is(err, ErrNoSite) {
		t.Error(err)
	}
	if _, err := editAs(s, "a", 3, "w", "", rename("y")); !errors.Is(err, ErrNoSite) {
		t.Error(err)
	}
	if st, err := s.Create(bg, "a", full()); err != nil || st.ID == "a" {
		t.Errorf("a new one: %v %q", err, st.ID)
	}
	now = now.Add(29 * 24 * time.Hour)
	if gone, err := s.Removed(bg); err != nil || len(gone) != 1 || gone[0].Name != "x" {
		t.Errorf("%v %+v", err, gone)
	}
	if err := s.BringBack(bg, "a"); err != nil {
		t.Fatal(err)
	}
	st, err := s.Get(bg, "a")
	if err != nil || st.Site.Name != "x" {
		t.Fatal(err, st.Site.Name)
	}
	if st, err = s.Undo(bg, "a", Turn{Version: st.Version}); err != nil || st.Site.Name != full().Name {
		t.Errorf("its history: %v %q", err, st.Site.Name)
	}
	if err := s.BringBack(bg, "a"); !errors.Is(err, ErrNoSite) {
		t.Errorf("brought back twice: %v", err)
	}
	if err := s.Forget(bg, "a"); !errors.Is(err, ErrNoSite) {
		t.Errorf("forgotten while it is there: %v", err)
	}
	if err := s.Remove(bg, "a"); err != nil {
		t.Fatal(err)
	}
	now = now.Add(31 * 24 * time.Hour)
	if gone, err := s.Removed(bg); err != nil || len(gone) != 0 {
		t.Errorf("%v %+v", err, gone)
	}
	if err := s.BringBack(bg, "a"); !errors.Is(err, ErrNoSite) {
		t.Errorf("after its time: %v", err)
	}
}
