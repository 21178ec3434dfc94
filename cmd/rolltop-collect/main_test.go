package main

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

func gather(t *testing.T, args ...string) (code int, out, errOut string) {
	t.Helper()
	var o, e bytes.Buffer
	code = run(context.Background(), args, &o, &e)
	return code, o.String(), e.String()
}

func write(t *testing.T, name string, b []byte) string {
	t.Helper()
	path := filepath.Join(t.TempDir(), name)
	if err := os.WriteFile(path, b, 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

func TestSummaryAndOut(t *testing.T) {
	code, out, errOut := gather(t)
	if code != 0 || !strings.Contains(out, "Processor") || errOut != "" {
		t.Fatalf("%d %s %s", code, out, errOut)
	}
	path := filepath.Join(t.TempDir(), "me.json")
	if code, out, errOut = gather(t, "--out", path); code != 0 || out != "" {
		t.Fatalf("%d %q %s", code, out, errOut)
	}
	b, err := os.ReadFile(path)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := inventory.Read(path, b); err != nil {
		t.Error(err)
	}
	if st, _ := os.Stat(path); st.Mode().Perm() != 0o600 {
		t.Errorf("an inventory holds serial numbers, and its file is %v", st.Mode())
	}
	if code, out, _ = gather(t, "--out", "-"); code != 0 || !strings.HasPrefix(out, "{") {
		t.Errorf("%d %.80s", code, out)
	}
}

func TestCheckOnTheSpot(t *testing.T) {
	rel := write(t, "skerry-12.yaml", standin.Releases()["skerry-12.yaml"])
	code, out, errOut := gather(t, "--release", rel)
	if code != 0 && code != 10 && code != 11 || !strings.Contains(out, "against Skerry 12:") {
		t.Errorf("%d %s %s", code, out, errOut)
	}
	// With the document on standard output, nothing else is.
	again, out, _ := gather(t, "--release", rel, "--out", "-")
	if again != code || !strings.HasPrefix(out, "{") || strings.Contains(out, "against Skerry") {
		t.Errorf("%d %.200s", again, out)
	}
	mac := write(t, "fathom-9.yaml", standin.Releases()["fathom-9.yaml"])
	if code, _, errOut := gather(t, "--release", mac); code != 2 || !strings.Contains(errOut, "installs on Macs only") {
		t.Errorf("%d %s", code, errOut)
	}
}

func TestSend(t *testing.T) {
	s := servertest.Start(t, nil)
	token := s.NewToken(t, "collector", "submit")
	if code, out, errOut := gather(t, "--server", s.URL, "--token", token); code != 0 || !strings.Contains(out, "Sent to "+s.URL) {
		t.Fatalf("%d %s %s", code, out, errOut)
	}
	l, err := s.Client.Devices(context.Background(), "", "name", 1, 10)
	if err != nil || l.Total != 1 {
		t.Errorf("%d machines, %v", l.Total, err)
	}
	file := write(t, "token", []byte(token+"\n"))
	if code, _, errOut := gather(t, "--server", s.URL, "--token-file", file); code != 0 {
		t.Errorf("%d %s", code, errOut)
	}
}

func TestErrors(t *testing.T) {
	tests := []struct {
		args []string
		code int
		want string
	}{
		{[]string{"--colour"}, 2, "flag provided but not defined"}, {[]string{"now"}, 2, "takes options only"}, {[]string{"--root", "/nowhere"}, 1, "/nowhere is not a directory"},
		{[]string{"--release", "/nowhere.yaml"}, 1, "the release document cannot be read"}, {[]string{"--release", write(t, "bad.yaml", []byte("format: rolltop-release/1\n"))}, 1, `the key "id" is missing`},
		{[]string{"--out", "/nowhere/x.json"}, 1, "the inventory cannot be written"}, {[]string{"--server", "nowhere"}, 1, "is not the address of a service"},
		{[]string{"--server", "http://127.0.0.1:1"}, 1, "does not answer"}, {[]string{"--server", "http://127.0.0.1:1", "--token-file", "/nowhere"}, 1, "the token cannot be read"},
	}
	for _, tt := range tests {
		if code, _, errOut := gather(t, tt.args...); code != tt.code || !strings.Contains(errOut, tt.want) {
			t.Errorf("%v: %d %s, want %d %s", tt.args, code, errOut, tt.code, tt.want)
		}
	}
	if code, out, _ := gather(t, "--version"); code != 0 || strings.TrimSpace(out) == "" {
		t.Errorf("version: %d %q", code, out)
	}
}
