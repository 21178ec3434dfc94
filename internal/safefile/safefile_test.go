package safefile_test

import (
	"os"
	"path/filepath"
	"testing"

	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/safefile"
)

func TestWrite(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "gull.json")
	for _, text := range []string{"first", "second"} {
		if err := safefile.Write(path, []byte(text)); err != nil {
			t.Fatal(err)
		}
		b, err := os.ReadFile(path)
		st, _ := os.Stat(path)
		expect.NoError(t, err)
		expect.Same(t, "string(b)", string(b), text)
		expect.Same(t, "st.Mode().Perm()", st.Mode().Perm(), 0o600)
		if err := os.Chmod(path, 0o644); err != nil { // as somebody else may have left it
			t.Fatal(err)
		}
	}
	if list, err := os.ReadDir(dir); err != nil || len(list) != 1 {
		t.Errorf("%v %v", list, err)
	}
}

func TestWriteFollowsNothing(t *testing.T) {
	dir := t.TempDir()
	target, link := filepath.Join(dir, "target"), filepath.Join(dir, "link")
	if err := os.WriteFile(target, []byte("kept"), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(target, link); err != nil {
		t.Fatal(err)
	}
	if err := safefile.Write(link, []byte("lost")); err == nil {
		t.Error("a link is taken for a file")
	}
	if b, err := os.ReadFile(target); err != nil || string(b) != "kept" {
		t.Errorf("%q %v", b, err)
	}
	if err := safefile.Write(filepath.Join(dir, "missing", "x"), nil); err == nil {
		t.Error("a directory that is not there")
	}
	if list, err := os.ReadDir(dir); err != nil || len(list) != 2 {
		t.Errorf("something is left: %v %v", list, err)
	}
}
