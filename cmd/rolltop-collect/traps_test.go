package main

import (
	"crypto/sha256"
	"encoding/hex"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// tree is every file below a directory with its content.
func tree(t *testing.T, dir string) map[string]string {
	t.Helper()
	out := map[string]string{}
	if err := filepath.WalkDir(dir, func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		b, err := os.ReadFile(path)
		sum := sha256.Sum256(b)
		out[path] = hex.EncodeToString(sum[:])
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

// T40: the collector changes nothing of the machine that it reads.
func TestT40TheCollectorChangesNothing(t *testing.T) {
	root := t.TempDir()
	for name, text := range map[string]string{
		"etc/os-release": "NAME=Lodestar\nVERSION_ID=9\n",
		"proc/cpuinfo":   "processor\t: 0\nmodel name\t: Corvane K5-9400\n",
		"proc/meminfo":   "MemTotal: 8000000 kB\n",
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(root, name)
			if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
				t.Fatal(err)
			}
			if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
				t.Fatal(err)
			}
		})
	}
	before := tree(t, root)
	if code, out, errOut := collector(t, "--root", root, "--output", "-"); code != 0 ||
		!strings.Contains(out, "Corvane K5-9400") {
		t.Fatalf("%d %.200s %s", code, out, errOut)
	}
	after := tree(t, root)
	if len(before) != len(after) {
		t.Errorf("%d files became %d", len(before), len(after))
	}
	for path, sum := range before {
		if after[path] != sum {
			t.Errorf("%s was changed", path)
		}
	}
}

// T65: nothing is kept from an earlier run: what changed since is read.
func TestT65EveryRunReadsAnew(t *testing.T) {
	root := t.TempDir()
	path := filepath.Join(root, "proc/cpuinfo")
	if err := os.MkdirAll(filepath.Dir(path), 0o755); err != nil {
		t.Fatal(err)
	}
	for _, name := range []string{"Corvane K5-9400", "Corvane K7-10510U"} {
		if err := os.WriteFile(path, []byte("processor\t: 0\nmodel name\t: "+name+"\n"), 0o644); err != nil {
			t.Fatal(err)
		}
		if _, out, _ := collector(t, "--root", root, "--output", "-"); !strings.Contains(out, name) ||
			!strings.Contains(out, `"taken_at"`) {
			t.Errorf("it does not read %s anew: %.300s", name, out)
		}
	}
}

// T43: the collector says what it is, what it reads, what it writes and what it sends.
func TestT43TheCollectorSaysWhatItDoes(t *testing.T) {
	_, out, _ := collector(t, "--explain")
	for _, s := range []string{
		"changes nothing on it", "it reads (", "it never reads user names", "it keeps nothing, unless --output",
		"it sends nothing, unless --server",
	} {
		if !strings.Contains(strings.ToLower(out), s) {
			t.Errorf("it does not say %q:\n%s", s, out)
		}
	}
}
