package store_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/store"
)

func mustOpen(t *testing.T, path string) *store.Store {
	t.Helper()
	s, err := store.Open(path)
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// Nobody but the owner can read a database, a backup of it, or anything beside them,
// whatever the mask of the process is.
func TestFilesAreTheOwnersAlone(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "fleet.db")
	s := mustOpen(t, path)
	keep(t, s, machine("GULL-001", "S1", "", now))
	if err := s.Backup(ctx, filepath.Join(dir, "copy.db")); err != nil {
		t.Fatal(err)
	}
	list, err := os.ReadDir(dir)
	if err != nil || len(list) < 4 {
		t.Fatalf("%v %v", list, err)
	}
	for _, f := range list {
		if st, err := f.Info(); err != nil || st.Mode().Perm() != 0o600 {
			t.Errorf("%s has the mode %v, %v", f.Name(), st.Mode(), err)
		}
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if err := os.Chmod(path, 0o644); err != nil { // as an earlier version left it
		t.Fatal(err)
	}
	s = mustOpen(t, path)
	defer s.Close()
	if st, err := os.Stat(path); err != nil || st.Mode().Perm() != 0o600 {
		t.Errorf("after a start: %v %v", st.Mode(), err)
	}
}

// A database is opened once, whatever name it is opened by.
func TestOneServiceForAFile(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "fleet.db")
	s := mustOpen(t, path)
	link, deep := filepath.Join(dir, "link.db"), filepath.Join(dir, "by-link")
	for _, err := range []error{os.Symlink("fleet.db", link), os.Symlink(dir, deep)} {
		if err != nil {
			t.Fatal(err)
		}
	}
	for _, name := range []string{path, link, filepath.Join(deep, "fleet.db"), filepath.Join(deep, "link.db")} {
		other, err := store.Open(name)
		if err == nil || !strings.Contains(err.Error(), "in use by another rolltop") {
			t.Errorf("%s is opened twice: %v", name, err)
		}
		if err == nil {
			_ = other.Close()
		}
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	s = mustOpen(t, link)
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	if err := os.Link(path, filepath.Join(dir, "hard.db")); err != nil {
		t.Fatal(err)
	}
	if _, err := store.Open(path); err == nil || !strings.Contains(err.Error(), "hard link") {
		t.Errorf("a file with two names: %v", err)
	}
	if err := os.Symlink(filepath.Join(dir, "missing.db"), filepath.Join(dir, "dangling.db")); err != nil {
		t.Fatal(err)
	}
	if _, err := store.Open(filepath.Join(dir, "dangling.db")); err == nil ||
		!strings.Contains(err.Error(), "a link to a file that does not exist") {
		t.Error(err)
	}
}

// A database says its whole path, however it was named.
func TestWholePath(t *testing.T) {
	dir := t.TempDir()
	t.Chdir(dir)
	for range 2 { // made, and opened again
		s := mustOpen(t, "fleet.db")
		if !filepath.IsAbs(s.Path()) || filepath.Base(s.Path()) != "fleet.db" {
			t.Errorf("it is at %s", s.Path())
		}
		if err := s.Close(); err != nil {
			t.Fatal(err)
		}
	}
}

// What a killed process left unfinished is gone after a start; other files stay.
func TestUnfinishedFilesGo(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "fleet.db")
	s := mustOpen(t, path)
	left, err := s.Beside()
	if err != nil {
		t.Fatal(err)
	}
	journal, mine := left+"-journal", filepath.Join(dir, "backup-2026-11-29.db")
	for _, name := range []string{journal, mine} {
		if err := os.WriteFile(name, []byte("x"), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	if err := s.Close(); err != nil {
		t.Fatal(err)
	}
	s = mustOpen(t, path)
	defer s.Close()
	for _, name := range []string{left, journal} {
		if _, err := os.Stat(name); err == nil {
			t.Errorf("%s is left", name)
		}
	}
	if _, err := os.Stat(mine); err != nil {
		t.Error(err)
	}
}
