package cli_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin/recorded"
)

// captured writes a recorded machine's capture to a file.
func captured(t *testing.T, name string) string {
	t.Helper()
	src, err := recorded.Source(name)
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), name+".json")
	if err := os.WriteFile(path, src, 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

// Wherever an inventory file is taken, a capture is, from any platform.
func TestCapturesInPlaceOfInventories(t *testing.T) {
	dir := files(t)
	for name, want := range map[string][]string{
		"GULL-101": {"Ostrel Bollard 300, desktop", "MBR", "ready, version 1.2",
			"reading it requires administrator rights"},
		"EELG-101":  {"a volume over 2 disks (disk 0 and disk 1)", "two sources conflict"},
		"NSLIP-M51": {"Tessaly Foldbook 13, laptop", "full, supported: yes"},
		"EELG-102":  {"Lodestar Linux 12", "on, LUKS"},
	} {
		t.Run(name, func(t *testing.T) {
			code, out, errOut := rolltop(t, "inspect", "--inventory", captured(t, name))
			for _, w := range want {
				if code != 0 || !strings.Contains(out, w) {
					t.Errorf("%s: %d, no %q in\n%s%s", name, code, w, out, errOut)
				}
			}
		})
	}
	release := filepath.Join(dir, "skerry-12.yaml")
	if code, out, _ := rolltop(t, "check", "--release", release, "--inventory", captured(t, "GULL-101")); code != 10 ||
		!strings.Contains(out, "Convert the disk to GPT") {
		t.Errorf("%d\n%s", code, out)
	}
	if code, out, _ := rolltop(t, "check", "--release", release, "--inventory", captured(t, "LANT-101")); code != 0 ||
		!strings.Contains(out, "Another system is on the disk (Lodestar Linux)") {
		t.Errorf("%d\n%s", code, out)
	}
	if code, _, errOut := rolltop(t, "check", "--release", release, "--inventory",
		captured(t, "NSLIP-M51")); code != 2 || !strings.Contains(errOut, "Mac") {
		t.Errorf("a Mac against a PC release: %d %s", code, errOut)
	}
	s := servertest.Start(t, nil)
	args := []string{"submit", "--server", s.URL, "--token", s.Token, "--inventory", captured(t, "LANT-101")}
	if code, out, errOut := rolltop(t, args...); code != 0 || !strings.Contains(out, "a new machine") {
		t.Errorf("%d %s %s", code, out, errOut)
	}
	if code, out, _ := rolltop(t, args...); code != 0 || !strings.Contains(out, "unchanged") {
		t.Errorf("%d %s", code, out)
	}
}

func TestCapturedFactsAsJSON(t *testing.T) {
	code, out, _ := rolltop(t, "inspect", "--format", "json", "--inventory", captured(t, "LANT-101"))
	d, err := inventory.Read("out", []byte(out))
	expect.Same(t, "code", code, 0)
	expect.NoError(t, err)
	expect.Same(t, "len(d.Software)", len(d.Software), 4)
	expect.Same(t, "len(d.Displays)", len(d.Displays), 2)
}

func TestBadCaptures(t *testing.T) {
	src, err := recorded.Source("LANT-101")
	if err != nil {
		t.Fatal(err)
	}
	var whole map[string]any
	if err := json.Unmarshal(src, &whole); err != nil {
		t.Fatal(err)
	}
	for name, tt := range map[string]struct {
		change func(map[string]any)
		want   string
	}{
		"another version": {func(m map[string]any) { m["format"] = "rolltop-capture/9" },
			`unknown version "9" of this format`},
		"no such platform": {func(m map[string]any) { m["platform"] = "abacus" }, "is not a valid value"},
		"not base64": {func(m map[string]any) { m["records"].([]any)[3].(map[string]any)["raw"] = "?" },
			"the value is not valid base64"},
		"a made-up key": {func(m map[string]any) { m["recods"] = 1 }, `did you mean "records"?`},
	} {
		t.Run(name, func(t *testing.T) {
			changed := map[string]any{}
			b, _ := json.Marshal(whole)
			if err := json.Unmarshal(b, &changed); err != nil {
				t.Fatal(err)
			}
			tt.change(changed)
			b, _ = json.Marshal(changed)
			path := filepath.Join(t.TempDir(), "c.json")
			if err := os.WriteFile(path, b, 0o600); err != nil {
				t.Fatal(err)
			}
			if code, _, errOut := rolltop(t, "inspect", "--inventory", path); code != 1 ||
				!strings.Contains(errOut, tt.want) {
				t.Errorf("%s: %d %s", name, code, errOut)
			}
		})
	}
}
