package store

import (
	"errors"
	"os"
	"path/filepath"
	"reflect"
	"strings"
	"sync"
	"testing"

	"vestpin/core/edit"
	"vestpin/core/site"
)

// A backup is one moment of everything, also while somebody edits; restored, all is as it was
// then with its history, what was there since is in a file of its own, and the store goes on.
func TestBackupAndRestore(t *testing.T) {
	dir := t.TempDir()
	s := open(t, filepath.Join(dir, "v.db"))
	if _, err := s.Create(bg, "p", full()); err != nil {
		t.Fatal(err)
	}
	rename := func(name string) Stored {
		t.Helper()
		now, err := s.Get(bg, "p")
		if err != nil {
			t.Fatal(err)
		}
		st, _, err := s.Edit(bg, "p", Change{Version: now.Version, Edits: []edit.Edit{edit.RenameSite{Name: name}}})
		if err != nil {
			t.Fatal(err)
		}
		return st
	}
	then := rename("then")
	file := filepath.Join(dir, "all.backup")
	var busy sync.WaitGroup
	busy.Go(func() {
		for i := range 40 {
			if i%2 == 0 {
				rename("busy")
			} else {
				rename("busier")
			}
		}
	})
	if err := s.Backup(bg, file); err != nil {
		t.Fatal(err)
	}
	busy.Wait()
	if err := s.Backup(bg, file); !errors.Is(err, ErrCannotSave) {
		t.Errorf("a backup over a file that is there: %v", err)
	}
	copied := open(t, file)
	held, err := copied.Get(bg, "p")
	if err != nil || site.Check(held.Site) != nil || held.Version < then.Version {
		t.Fatalf("the backup holds version %d, %v", held.Version, err)
	}
	if err := copied.Close(); err != nil {
		t.Fatal(err)
	}
	last := rename("last")
	if _, err := s.Create(bg, "later", full()); err != nil {
		t.Fatal(err)
	}
	before, _, err := s.Restore(bg, file, false)
	if err != nil {
		t.Fatal(err)
	}
	back, err := s.Get(bg, "p")
	if err != nil || back.Version != held.Version || !reflect.DeepEqual(back.Site, held.Site) || back.Undo != held.Undo {
		t.Errorf("restored to version %d %q, want %d %q: %v", back.Version, back.Undo, held.Version, held.Undo, err)
	}
	if _, err := s.Get(bg, "later"); !errors.Is(err, ErrNoSite) {
		t.Errorf("a site made after the backup is still there: %v", err)
	}
	old := open(t, before)
	if st, err := old.Get(bg, "p"); err != nil || st.Version != last.Version || st.Site.Name != "last" {
		t.Errorf("what was there before is at version %d, %q, %v", st.Version, st.Site.Name, err)
	}
	if _, err := old.Get(bg, "later"); err != nil {
		t.Errorf("the site made since is lost: %v", err)
	}
	// It goes on: the same version as once before is another site now, and undo leads back.
	if st := rename("after"); st.Version != back.Version+1 {
		t.Errorf("the next change makes version %d", st.Version)
	}
	if st, err := s.Undo(bg, "p", Turn{Version: back.Version + 1}); err != nil || st.Site.Name != held.Site.Name {
		t.Errorf("undone to %q, %v", st.Site.Name, err)
	}
}

// What is no backup is refused with the reason, and nothing is changed.
func TestRestoreRefuses(t *testing.T) {
	dir := t.TempDir()
	s := open(t, filepath.Join(dir, "v.db"))
	want, err := s.Create(bg, "p", full())
	if err != nil {
		t.Fatal(err)
	}
	good := filepath.Join(dir, "good")
	if err := s.Backup(bg, good); err != nil {
		t.Fatal(err)
	}
	whole, err := os.ReadFile(good)
	if err != nil {
		t.Fatal(err)
	}
	torn := append([]byte{}, whole[:len(whole)/2]...)
	spoilt := append([]byte{}, whole...)
	for i := 5000; i < len(spoilt)-5000; i += 37 {
		spoilt[i] ^= 0x5a
	}
	for what, c := range map[string]struct {
		data []byte
		says string
	}{
		"nothing": {nil, "no sites"}, "a text": {[]byte("name,address\n" + strings.Repeat("x,10.48.16.1\n", 500)), "no database"},
		"half of one": {torn, ""}, "one with flipped bytes": {spoilt, ""},
	} {
		path := filepath.Join(dir, "bad")
		if err := os.WriteFile(path, c.data, 0o600); err != nil {
			t.Fatal(err)
		}
		_, _, err := s.Restore(bg, path, false)
		var none *NoBackupError
		if !errors.As(err, &none) || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", what, err)
		}
	}
	if _, _, err := s.Restore(bg, filepath.Join(dir, "absent"), false); err == nil {
		t.Error("a file that is not there was restored")
	}
	if left, _ := filepath.Glob(filepath.Join(dir, "v.db-before-*")); len(left) != 0 {
		t.Errorf("refused, and yet these were written: %v", left)
	}
	if got, err := s.Get(bg, "p"); err != nil || !reflect.DeepEqual(got.Site, want.Site) {
		t.Errorf("the site is another one now: %v", err)
	}
}
