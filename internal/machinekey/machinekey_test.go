package machinekey_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/machinekey"
)

func TestLoad(t *testing.T) {
	path := filepath.Join(t.TempDir(), "deep", "machine-key.pem")
	first, err := machinekey.Load(path)
	if err != nil {
		t.Fatal(err)
	}
	if st, err := os.Stat(path); err != nil || st.Mode().Perm() != 0o600 {
		t.Errorf("%v %v", st.Mode(), err)
	}
	if st, err := os.Stat(filepath.Dir(path)); err != nil || st.Mode().Perm() != 0o700 {
		t.Errorf("%v %v", st.Mode(), err)
	}
	again, err := machinekey.Load(path)
	if err != nil || !first.Equal(again) {
		t.Errorf("the key is another one: %v", err)
	}
}

// A file that is not a private key of an administrator's is refused, and stays.
func TestLoadRefuses(t *testing.T) {
	for name, prepare := range map[string]func(path string) error{
		"other users can read": func(p string) error {
			if _, err := machinekey.Load(p); err != nil {
				return err
			}
			return os.Chmod(p, 0o644)
		},
		"does not contain": func(p string) error {
			return os.WriteFile(p, []byte("-----BEGIN X-----\n-----END X-----\n"), 0o600)
		},
		"not contain":       func(p string) error { return os.WriteFile(p, letters(10_000), 0o600) },
		"contain a machine": func(p string) error { return os.Symlink("/etc/hostname", p) },
	} {
		t.Run(name, func(t *testing.T) {
			path := filepath.Join(t.TempDir(), "machine-key.pem")
			if err := prepare(path); err != nil {
				t.Fatal(err)
			}
			before, _ := os.ReadFile(path)
			if _, err := machinekey.Load(path); err == nil || !strings.Contains(err.Error(), name) {
				t.Errorf("%s: %v", name, err)
			}
			if after, _ := os.ReadFile(path); string(before) != string(after) {
				t.Errorf("%s: the file was changed", name)
			}
		})
	}
}

func letters(n int) []byte { return []byte(strings.Repeat("x", n)) }
