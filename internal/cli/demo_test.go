package cli_test

import (
	"context"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/cli"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
)

// lines is a writer that others may read meanwhile.
type lines struct {
	mu sync.Mutex
	b  strings.Builder
}

func (l *lines) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.Write(p)
}

func (l *lines) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.String()
}

// start runs a command that serves until it is stopped, and waits until it
// says a text.
func start(t *testing.T, until string, args ...string) (out *lines, stop func() int) {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	out = new(lines)
	done := make(chan int, 1)
	go func() { done <- cli.Run(ctx, args, out, out) }()
	stop = func() int { cancel(); return <-done }
	for range 300 {
		if strings.Contains(out.String(), until) {
			return out, stop
		}
		select {
		case code := <-done:
			t.Fatalf("it stopped with %d:\n%s", code, out)
		case <-time.After(50 * time.Millisecond):
		}
	}
	stop()
	t.Fatalf("it does not say %q:\n%s", until, out)
	return nil, nil
}

var address = regexp.MustCompile(`http://127\.0\.0\.1:\d+`)

func TestDemo(t *testing.T) {
	tmp := t.TempDir()
	t.Setenv("TMPDIR", tmp)
	taken, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer taken.Close()
	out, stop := start(t, "Ctrl-C", "demo", "--listen", taken.Addr().String())
	text := out.String()
	// The taken port is named, and a free one is found.
	if !strings.Contains(text, taken.Addr().String()+" cannot be used") ||
		!strings.Contains(text, "Sign in as demo with the password ") {
		t.Errorf("it says:\n%s", text)
	}
	url := address.FindString(text)
	if url == "http://"+taken.Addr().String() {
		t.Fatal("the taken port is used")
	}
	res, err := http.Get(url + "/healthz")
	if err != nil {
		t.Fatal(err)
	}
	b, _ := io.ReadAll(res.Body)
	res.Body.Close()
	if string(b) != "ok\n" {
		t.Errorf("health: %q", b)
	}
	if code := stop(); code != 0 {
		t.Errorf("stopped with %d\n%s", code, out)
	}
	if left, _ := os.ReadDir(tmp); len(left) != 0 {
		t.Errorf("the demo left %v behind", left)
	}
}

func TestServe(t *testing.T) {
	db := filepath.Join(t.TempDir(), "fleet.db")
	out, stop := start(t, "Ctrl-C", "serve", "--database", db, "--listen", "127.0.0.1:0")
	url := address.FindString(out.String())
	token := firstToken(t, out.String())
	if code, text, errOut := rolltop(t, "submit", "--server", url, "--token", token); code != 0 {
		t.Errorf("%s %s", text, errOut)
	}
	// A second service on the same database is refused.
	if code, _, errOut := rolltop(t, "serve", "--database", db, "--listen", "127.0.0.1:0"); code != 1 ||
		!strings.Contains(errOut, "is in use by another rolltop") {
		t.Errorf("%d %s", code, errOut)
	}
	if code, _, errOut := rolltop(t, "serve", "--database", db+"2", "--listen",
		strings.TrimPrefix(url, "http://")); code != 1 ||
		!strings.Contains(errOut, "address already in use; free the port, or choose another with --listen") {
		t.Errorf("%d %s", code, errOut)
	}
	if code := stop(); code != 0 {
		t.Errorf("stopped with %d", code)
	}
	// The next start keeps everything and prints no secrets.
	out, stop = start(t, "Ctrl-C", "serve", "--database", db, "--listen", "127.0.0.1:0")
	if strings.Contains(out.String(), "first administrator") {
		t.Errorf("the second start says:\n%s", out)
	}
	if code, text, _ := rolltop(t, "machines", "--server", address.FindString(out.String()), "--token",
		token); code != 0 || !strings.Contains(text, "One machine.") {
		t.Errorf("%d %s", code, text)
	}
	stop()
	if code, password, errOut := rolltop(t, "users", "set", "harbour-master", "--role", "viewer", "--database",
		db); code != 0 || len(strings.TrimSpace(password)) < 20 {
		t.Errorf("%d %q %s", code, password, errOut)
	}
}

// firstToken makes the first administrator with the link that a first start says, and
// a token.
func firstToken(t *testing.T, said string) string {
	t.Helper()
	_, secret, _ := strings.Cut(regexp.MustCompile(`/first#\w+`).FindString(said), "#")
	if secret == "" {
		t.Fatalf("the first start says:\n%s", said)
	}
	anon, err := client.New(address.FindString(said), "")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := anon.TakeInvitation(t.Context(),
		api.TakeInvitation{Secret: secret, Name: "harbour master", Password: "lantern-and-rope"}); err != nil {
		t.Fatal(err)
	}
	m, err := anon.SignIn(t.Context(), "harbour master", "lantern-and-rope", api.NewOwnToken{Name: "test"})
	if err != nil {
		t.Fatal(err)
	}
	return m.Secret
}

// A service that others reach takes TLS; its own certificate is trusted by its
// SHA-256 alone, and a sign-in keeps a token that nobody else can read.
func TestServeWithTLS(t *testing.T) {
	dir := t.TempDir()
	t.Setenv("XDG_CONFIG_HOME", dir)
	db := filepath.Join(dir, "fleet.db")
	code, _, errOut := rolltop(t, "serve", "--database", db, "--listen", "0.0.0.0:0")
	if code != 2 || !strings.Contains(errOut, "passwords would be sent unencrypted") {
		t.Errorf("%d %s", code, errOut)
	}
	if code, _, errOut := rolltop(t, "demo", "--listen", "0.0.0.0:0"); code != 2 ||
		!strings.Contains(errOut, "passwords would be sent unencrypted") {
		t.Errorf("the demo: %d %s", code, errOut)
	}
	for want, args := range map[string][]string{
		"must be given together":             {"--tls-cert", "x"},
		"use one of them":                    {"--tls-self", "--tls-cert", "x", "--tls-key", "y"},
		"omit it if the service handles TLS": {"--tls-self", "--behind-proxy"},
		"cannot be used":                     {"--tls-cert", "x", "--tls-key", "y"},
	} {
		t.Run(want, func(t *testing.T) {
			if code, _, errOut := rolltop(t,
				append([]string{"serve", "--database", db, "--listen", "127.0.0.1:0"}, args...)...); code == 0 ||
				!strings.Contains(errOut, want) {
				t.Errorf("%v: %d %s", args, code, errOut)
			}
		})
	}
	out, stop := start(t, "Ctrl-C", "serve", "--database", db, "--listen", "127.0.0.1:0", "--tls-self")
	pin := regexp.MustCompile(`\b[0-9a-f]{64}\b`).FindString(out.String())
	url := regexp.MustCompile(`https://[0-9.:]+`).FindString(out.String())
	_, secret, _ := strings.Cut(regexp.MustCompile(`/first#\w+`).FindString(out.String()), "#")
	c, err := client.New(url, "")
	if err != nil {
		t.Fatal(err)
	}
	if err := c.Pin(strings.Repeat("0", 64)); err != nil {
		t.Fatal(err)
	}
	if _, err := c.Who(t.Context()); err == nil || !strings.Contains(err.Error(), "does not match --pin") {
		t.Errorf("another certificate: %v", err)
	}
	if err := c.Pin(pin); err != nil {
		t.Fatal(err)
	}
	if _, err := c.TakeInvitation(t.Context(),
		api.TakeInvitation{Secret: secret, Name: "harbour master", Password: "lantern-and-rope"}); err != nil {
		t.Fatal(err)
	}
	said, errs := new(strings.Builder), new(strings.Builder)
	withPassword := func(password string, args ...string) int {
		said.Reset()
		errs.Reset()
		return cli.RunWith(t.Context(), args, strings.NewReader(password), said, errs)
	}
	sign := []string{"login", "--server", url, "--pin", pin, "--name", "harbour master"}
	if code := withPassword("wrong\n", sign...); code != 1 ||
		!strings.Contains(errs.String(), "wrong name or password") {
		t.Errorf("%d %s", code, errs)
	}
	if code := withPassword("lantern-and-rope\n", sign...); code != 0 ||
		!strings.Contains(said.String(), "Signed in as harbour master until") {
		t.Fatalf("%d %s%s", code, said, errs)
	}
	profile := filepath.Join(dir, "rolltop", "profile.yaml")
	if st, err := os.Stat(profile); err != nil || st.Mode().Perm() != 0o600 {
		t.Errorf("%v %v", st, err)
	}
	if code, text, errOut := rolltop(t, "users"); code != 0 || !strings.Contains(text, "harbour master") {
		t.Errorf("%d %s %s", code, text, errOut)
	}
	if err := os.Chmod(profile, 0o644); err != nil {
		t.Fatal(err)
	}
	if code, _, errOut := rolltop(t, "users"); code == 0 || !strings.Contains(errOut, "other users can read it") {
		t.Errorf("%d %s", code, errOut)
	}
	_ = os.Chmod(profile, 0o600)
	change := []string{"password", "--name", "harbour master"}
	if code := withPassword("wrong\nlantern-and-oar\n", change...); code != 1 {
		t.Errorf("%d %s", code, errs)
	}
	if code := withPassword("lantern-and-rope\n", change...); code != 2 ||
		!strings.Contains(errs.String(), "standard input ended before line 2") {
		t.Errorf("%d %s", code, errs)
	}
	if code := withPassword("lantern-and-rope\nlantern-and-oar\n", change...); code != 0 ||
		!strings.Contains(said.String(), "Password changed.") {
		t.Errorf("%d %s%s", code, said, errs)
	}
	if code, _, errOut := rolltop(t, "users"); code != 1 || !strings.Contains(errOut, "Not signed in") {
		t.Errorf("the token survived the password: %d %s", code, errOut)
	}
	if code := withPassword("lantern-and-oar\n", sign...); code != 0 {
		t.Fatalf("%d %s", code, errs)
	}
	if code, text, errOut := rolltop(t, "logout"); code != 0 || !strings.Contains(text, "Signed out") {
		t.Errorf("%d %s %s", code, text, errOut)
	}
	if code, _, errOut := rolltop(t, "users"); code != 2 || !strings.Contains(errOut, "run rolltop login") {
		t.Errorf("%d %s", code, errOut)
	}
	stop()
	// The certificate is the same at the next start.
	out, stop = start(t, "Ctrl-C", "serve", "--database", db, "--listen", "127.0.0.1:0", "--tls-self")
	if !strings.Contains(out.String(), pin) {
		t.Errorf("another certificate:\n%s", out)
	}
	stop()
}

// T66: what the service needs and does not find is said plainly, before anything else.
func TestT66WhatIsMissingIsSaid(t *testing.T) {
	text := filepath.Join(t.TempDir(), "text.db")
	if err := os.WriteFile(text, []byte(strings.Repeat("not a database ", 100)), 0o600); err != nil {
		t.Fatal(err)
	}
	for _, tt := range []struct{ database, listen, want string }{
		{text, "127.0.0.1:0", "is not a database file"},
		{filepath.Join(t.TempDir(), "nowhere", "fleet.db"), "127.0.0.1:0", "nowhere"},
		{filepath.Join(t.TempDir(), "fleet.db"), "127.0.0.1:70000", "70000"},
	} {
		t.Run(tt.database, func(t *testing.T) {
			code, _, errOut := rolltop(t, "serve", "--database", tt.database, "--listen", tt.listen)
			expect.That(t, "code != 0", code != 0)
			expect.Contains(t, errOut, tt.want)
			expect.Lacks(t, errOut, "panic")
		})
	}
}
