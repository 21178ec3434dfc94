package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/expect"
)

// What a running service knows is in its backup, and a service that starts with
// the restored one knows the same.
func TestBackupAndRestore(t *testing.T) {
	dir := t.TempDir()
	db := filepath.Join(dir, "fleet.db")
	out, stop := start(t, "Ctrl-C", "serve", "--database", db, "--listen", "127.0.0.1:0")
	at := []string{"--server", address.FindString(out.String()), "--token", firstToken(t, out.String())}
	run := func(want int, says string, args ...string) {
		t.Helper()
		code, text, errOut := rolltop(t, args...)
		if code != want || !strings.Contains(text+errOut, says) {
			t.Errorf("%v: %d, want %d and %q:\n%s%s", args, code, want, says, text, errOut)
		}
	}
	run(0, "", append([]string{"submit", "--inventory", filepath.Join(files(t), "ready.json")}, at...)...)
	copyOf := filepath.Join(dir, "copy.db")
	run(0, "written and verified", append([]string{"backup", "--output", copyOf}, at...)...)
	run(1, "already exists", append([]string{"backup", "--output", copyOf}, at...)...)
	run(2, "give --output FILE", append([]string{"backup"}, at...)...)
	table := filepath.Join(dir, "machines.csv")
	run(0, "written", append([]string{"machines", "export", "--facts", "tpm.state", "--output", table}, at...)...)
	b, err := os.ReadFile(table)
	expect.NoError(t, err)
	expect.Contains(t, string(b), ",tpm.state,tags\n")
	expect.Same(t, "strings.Count(string(b), \"\\n\")", strings.Count(string(b), "\n"), 2)
	run(2, "unknown key", append([]string{
		"machines", "export", "--where", "colour=red", "--output", filepath.Join(dir, "none.csv"),
	}, at...)...)
	if left, _ := filepath.Glob(filepath.Join(dir, "*none*")); left != nil {
		t.Errorf("a refused export leaves %v", left)
	}
	if left, _ := filepath.Glob(filepath.Join(dir, ".rolltop-*")); left != nil {
		t.Errorf("backups leave %v", left)
	}
	stop()
	run(1, "already exists and was not overwritten", "restore", copyOf, "--database", db)
	back := filepath.Join(dir, "back.db")
	run(0, "restored and verified", "restore", copyOf, "--database", back)
	run(0, "written and verified", "backup", "--database", db, "--output", filepath.Join(dir, "stopped.db"))
	run(1, "not a database file", "restore", table, "--database", filepath.Join(dir, "x.db"))
	out, stop = start(t, "Ctrl-C", "serve", "--database", back, "--listen", "127.0.0.1:0")
	defer stop()
	at[1] = address.FindString(out.String())
	run(0, "One machine.", append([]string{"machines"}, at...)...)
}
