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

	"rolltop.example/rolltop/internal/cli"
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
	if !strings.Contains(text, taken.Addr().String()+" cannot be used") || !strings.Contains(text, "Sign in as demo with the password ") {
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
	token := regexp.MustCompile(`rlt_\w+`).FindString(out.String())
	url := address.FindString(out.String())
	if token == "" || !strings.Contains(out.String(), "Sign in as admin with the password ") {
		t.Fatalf("the first start says:\n%s", out)
	}
	if code, text, errOut := rolltop(t, "submit", "--server", url, "--token", token); code != 0 {
		t.Errorf("%s %s", text, errOut)
	}
	// A second service on the same database is refused.
	if code, _, errOut := rolltop(t, "serve", "--database", db, "--listen", "127.0.0.1:0"); code != 1 || !strings.Contains(errOut, "is in use by another rolltop") {
		t.Errorf("%d %s", code, errOut)
	}
	if code, _, errOut := rolltop(t, "serve", "--database", db+"2", "--listen", strings.TrimPrefix(url, "http://")); code != 1 || !strings.Contains(errOut, "address already in use; free it, or name another with --listen") {
		t.Errorf("%d %s", code, errOut)
	}
	if code := stop(); code != 0 {
		t.Errorf("stopped with %d", code)
	}
	// The next start keeps everything and prints no secrets.
	out, stop = start(t, "Ctrl-C", "serve", "--database", db, "--listen", "127.0.0.1:0")
	if strings.Contains(out.String(), "password") {
		t.Errorf("the second start says:\n%s", out)
	}
	if code, text, _ := rolltop(t, "devices", "--server", address.FindString(out.String()), "--token", token); code != 0 || !strings.Contains(text, "One machine.") {
		t.Errorf("%d %s", code, text)
	}
	stop()
	if code, password, errOut := rolltop(t, "users", "set", "harbour-master", "--role", "viewer", "--database", db); code != 0 || len(strings.TrimSpace(password)) < 20 {
		t.Errorf("%d %q %s", code, password, errOut)
	}
}
