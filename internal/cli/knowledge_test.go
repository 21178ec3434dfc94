package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

// A plan is made with the files of --house, and with those of the service where
// the release comes from it.
func TestPlanWithOwnGuidesAndPrices(t *testing.T) {
	dir := files(t)
	for kind, text := range standin.Knowledge() {
		if err := os.WriteFile(filepath.Join(dir, kind+".yaml"), []byte(text), 0o600); err != nil {
			t.Fatal(err)
		}
	}
	base := []string{"plan", "--inventory", filepath.Join(dir, "legacy.json")}
	local := append(base, "--release", filepath.Join(dir, "skerry-12.yaml"))
	code, out, _ := rolltop(t, local...)
	expect.Same(t, "code", code, 10)
	expect.Contains(t, out, "General guide.")
	expect.Contains(t, out, "Usually below Boot or Start-up, called Boot mode")
	expect.Lacks(t, out, "ticket printer")
	for _, want := range []string{
		"The plan, in this order", "To undo:", "Done when:", "Caution: Do not load default settings", "Total: ",
	} {
		if !strings.Contains(out, want) {
			t.Errorf("it does not say %q:\n%s", want, out)
		}
	}
	code, own, _ := rolltop(t,
		append(local, "--knowledge", filepath.Join(dir, "guides.yaml"), "--knowledge", filepath.Join(dir,
			"steps.yaml"))...)
	expect.Same(t, "code", code, 10)
	expect.Contains(t, own, "Where: Boot › Mode › Firmware type: UEFI.")
	expect.Contains(t, own, "Unplug the ticket printer")
	s := servertest.Demo(t, nil)
	code, served, errOut := rolltop(t, append(base, "--release", "skerry-12", "--server", s.URL, "--token", s.Token)...)
	if code != 10 || served != own {
		t.Errorf("%d %s: the service's own differ:\n%s", code, errOut, served)
	}
	// A document with mistakes is refused before anything is checked.
	if err := os.WriteFile(filepath.Join(dir, "bad.yaml"),
		[]byte("format: rolltop-guides/1\nguides: [{id: a, title: A, maker: \"B[\"}]"), 0o600); err != nil {
		t.Fatal(err)
	}
	code, out, errOut = rolltop(t, append(local, "--knowledge", filepath.Join(dir, "bad.yaml"))...)
	expect.Same(t, "code", code, 1)
	expect.Same(t, "out", out, "")
	expect.Contains(t, errOut, "bad.yaml:2:")
	expect.Contains(t, errOut, "is invalid")
	if code, _, errOut := rolltop(t,
		append(local, "--knowledge", filepath.Join(dir, "guides.yaml"), "--knowledge",
			filepath.Join(dir, "guides.yaml"))...); code != 1 || !strings.Contains(errOut, "both about guides") {
		t.Errorf("%d %s", code, errOut)
	}
}

func TestKnowledgeCommands(t *testing.T) {
	s := servertest.Demo(t, nil)
	at := []string{"--server", s.URL, "--token", s.Token}
	run := func(want int, says string, args ...string) {
		t.Helper()
		code, out, errOut := rolltop(t, args...)
		if code != want || !strings.Contains(out+errOut, says) {
			t.Errorf("%v: %d, want %d and %q:\n%s%s", args, code, want, says, out, errOut)
		}
	}
	dir := t.TempDir()
	path := filepath.Join(dir, "steps.yaml")
	_, shipped, _ := rolltop(t, "steps", "get", "--shipped")
	mine := strings.Replace(shipped, "title: Back up the whole disk", "title: Back up to the pier's own store", 1)
	if mine == shipped {
		t.Fatalf("no such step in\n%.300s", shipped)
	}
	if err := os.WriteFile(path, []byte(mine), 0o600); err != nil {
		t.Fatal(err)
	}
	run(0, "steps.yaml: valid.", "steps", "validate", path)
	run(1, "has steps; use rolltop steps", "guides", "validate", path)
	run(0, "Your steps are in force (number 2).", append([]string{"steps", "set", path}, at...)...)
	run(0, "They replace number 2, added on", append([]string{"steps", "set", path}, at...)...)
	run(0, "Your own steps are in force: number 3", append([]string{"steps"}, at...)...)
	run(0, "Back up to the pier's own store", append([]string{"machines", "show", "gull-101"}, at...)...)
	run(0, "Back up to the pier's own store", append([]string{"steps", "get"}, at...)...)
	run(0, "yours are kept", append([]string{"steps", "remove", "--yes"}, at...)...)
	run(0, "The steps that the program ships are in force", append([]string{"steps"}, at...)...)
	if err := os.WriteFile(path, []byte(strings.Replace(mine, "after: [read-again", "after: [upgrade, read-again", 1)),
		0o600); err != nil {
		t.Fatal(err)
	}
	run(1, "the steps wait for each other", "steps", "validate", path)
	run(1, "the steps wait for each other", append([]string{"steps", "set", path}, at...)...)
}

func TestWorkCommands(t *testing.T) {
	s := servertest.Demo(t, nil)
	at := []string{"--server", s.URL, "--token", s.Token}
	run := func(want int, says string, args ...string) string {
		t.Helper()
		code, out, errOut := rolltop(t, append(args, at...)...)
		if code != want || !strings.Contains(out+errOut, says) {
			t.Errorf("%v: %d, want %d and %q:\n%s%s", args, code, want, says, out, errOut)
		}
		return out
	}
	run(0, "GULL-101, prepare/backup: Done by everything on ", "machines", "tick", "gull-101", "prepare/backup",
		"--note", "whole disk")
	run(0, "whole disk.", "machines", "show", "gull-101", "--verbose")
	run(1, "needs a reason in note", "machines", "tick", "gull-101", "prepare/backup", "--refuse")
	run(0, "Refused by everything", "machines", "tick", "gull-101", "prepare/backup", "--refuse", "--note",
		"nothing is kept on it")
	run(0, "no longer recorded", "machines", "tick", "gull-101", "prepare/backup", "--remove", "--yes")
	run(1, `did you mean "step/convert-disk"?`, "machines", "tick", "gull-101", "step/convert-dsk")
	run(2, `"backup" is not an item`, "machines", "tick", "gull-101", "backup")
	run(0, s.URL+"/v/", "machines", "visit-link", "gull-101", "--hours", "1")
	run(0, "All links to this visit are removed.", "machines", "visit-link", "gull-101", "--remove", "--yes")
	run(0, "Reconfigure, as before: one requirement is settled; left: secure boot on.", "machines", "results",
		"nslip-033")
	run(0, `"format": "rolltop-results/1"`, "machines", "results", "nslip-033", "--format", "json")
	run(1, "has only one inventory", "machines", "results", "gull-101")
}
