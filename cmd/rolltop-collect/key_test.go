package main

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

// An administrator's run makes a key once and signs with it; from then on nobody without
// it speaks for the machine.
func TestSentWithAKey(t *testing.T) {
	if !collect.Elevated() {
		t.Skip("only an administrator keeps a key")
	}
	s := servertest.Start(t, nil)
	desks, boats := s.NewToken(t, "desks", server.ScopeSubmit), s.NewToken(t, "boats", server.ScopeSubmit)
	key := filepath.Join(t.TempDir(), "deep", "machine-key.pem")
	send := func(want string, args ...string) {
		t.Helper()
		code, out, errOut := collector(t, append(args, "--server", s.URL)...)
		if code != 0 || !strings.Contains(out+errOut, want) {
			t.Errorf("%v: %d %s %s", args, code, out, errOut)
		}
	}
	send("Sent to", "--token", desks, "--no-key")
	if _, err := os.Stat(key); err == nil {
		t.Error("--no-key makes a key")
	}
	send("Sent to", "--token", desks, "--key-file", key)
	if st, err := os.Stat(key); err != nil || st.Mode().Perm() != 0o600 {
		t.Fatalf("%v %v", st, err)
	}
	l, err := s.Client.Machines(t.Context(), "", "name", 1, 10)
	if err != nil || len(l.Machines) != 1 {
		t.Fatalf("%+v %v", l, err)
	}
	d, err := s.Client.Machine(t.Context(), l.Machines[0].Key)
	if err != nil || !d.Keyed {
		t.Errorf("%q %v", d.Vouched, err)
	}
	send("changes nothing until somebody reviews it", "--token", boats, "--no-key")
	send("the inventory could not be signed", "--token", desks, "--key-file", damaged(t))
	// What is not read from this machine is never signed with its key.
	capture := filepath.Join(t.TempDir(), "capture.json")
	if code, _, errOut := collector(t, "--save-capture", capture); code != 0 {
		t.Fatal(errOut)
	}
	unused := filepath.Join(t.TempDir(), "unused.pem")
	collector(t, "--from-capture", capture, "--server", s.URL, "--token", desks, "--key-file", unused)
	if _, err := os.Stat(unused); err == nil {
		t.Error("a capture is signed with a key")
	}
}

func damaged(t *testing.T) string {
	path := filepath.Join(t.TempDir(), "key.pem")
	if err := os.WriteFile(path, []byte("nonsense"), 0o600); err != nil {
		t.Fatal(err)
	}
	return path
}

// The first signal ends a run, even where a reading hangs; so does the time that a run may take.
func TestTheFirstSignalEndsARun(t *testing.T) {
	hang := make(chan int)
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	var out bytes.Buffer
	if code := result(ctx, hang, &out); code != exitFailed || !strings.Contains(out.String(), "it was interrupted") {
		t.Errorf("%d %s", code, &out)
	}
	ctx, cancel = context.WithTimeout(t.Context(), 0)
	defer cancel()
	out.Reset()
	if code := result(ctx, hang, &out); code != exitFailed || !strings.Contains(out.String(), "longer than 5 minutes") {
		t.Errorf("%d %s", code, &out)
	}
	done := make(chan int, 1)
	done <- exitNotReady
	if code := result(t.Context(), done, &out); code != exitNotReady {
		t.Error(code)
	}
}

// What is written follows no link and is whole.
func TestOutFollowsNoLink(t *testing.T) {
	dir := t.TempDir()
	target, link := filepath.Join(dir, "kept"), filepath.Join(dir, "link")
	if err := os.WriteFile(target, []byte("kept"), 0o644); err != nil {
		t.Fatal(err)
	}
	if err := os.Symlink(target, link); err != nil {
		t.Fatal(err)
	}
	for _, option := range []string{"--output", "--save-capture"} {
		if code, _, errOut := collector(t, option, link); code != 1 ||
			!strings.Contains(errOut, "is not a regular file") {
			t.Errorf("%s: %d %s", option, code, errOut)
		}
		if b, _ := os.ReadFile(target); string(b) != "kept" {
			t.Errorf("%s wrote through a link", option)
		}
		if code, _, errOut := collector(t, option, target); code != 0 {
			t.Error(errOut)
		}
		if st, err := os.Stat(target); err != nil || st.Mode().Perm() != 0o600 {
			t.Errorf("%s: %v %v", option, st, err)
		}
		if err := os.WriteFile(target, []byte("kept"), 0o644); err != nil {
			t.Fatal(err)
		}
	}
}

// A service that answers something else than names does not make a collector read more than
// it was asked for.
func TestTitlesThatAServiceAsksFor(t *testing.T) {
	got := namesOnly([]string{"Tide Table", "all", "ALL", "", "none", "a,all", "Harbour Log"})
	if strings.Join(got, "|") != "Tide Table|Harbour Log" {
		t.Errorf("%q", got)
	}
	if n := len(namesOnly(slices.Repeat([]string{"x"}, 10_000))); n != inventory.MaxRows {
		t.Errorf("%d titles are looked for", n)
	}
}
