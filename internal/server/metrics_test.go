package server_test

import (
	"bytes"
	"context"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/store"
)

func TestMetrics(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	for range 3 {
		if _, err := s.Client.Machine(ctx, "gull-101"); err != nil {
			t.Fatal(err)
		}
	}
	status, _, body := call(t, "GET", s.URL+"/metrics", s.NewToken(t, "watch", server.ScopeRead), "", "")
	for _, want := range []string{
		`rolltop_machines{disposition="ready"} 108`, `rolltop_machines{disposition="refit"} 30`,
		`rolltop_inventories_total{brought="a new machine"} 284`,
		`rolltop_http_request_duration_seconds_count{method="GET",route="/api/v1/machines/{key}",status="200"} 3`,
		`rolltop_build_info{version=`, "go_goroutines",
	} {
		if status != 200 || !strings.Contains(body, want) {
			t.Errorf("%d: it does not say %s", status, want)
		}
	}
	if strings.Contains(strings.ToLower(body), "gull") || strings.Contains(body, "demo\"") {
		t.Error("it names a machine or a person")
	}
	for token, want := range map[string]int{
		"": 401,
		s.NewToken(t, "counter", server.ScopeSubmit): 403,
		"rlt_guess": 401,
	} {
		t.Run(token, func(t *testing.T) {
			if status, _, body := call(t, "GET", s.URL+"/metrics", token, "", ""); status != want ||
				strings.Contains(body, "rolltop_machines") {
				t.Errorf("with %q: %d", token, status)
			}
		})
	}
}

// locked is a buffer that several write to.
type locked struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (l *locked) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.Write(p)
}

func (l *locked) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.b.String()
}

// Each request has a number that the caller and the log have; the log holds no
// secret.
func TestRequestsAreNumbered(t *testing.T) {
	t.Parallel()
	st, err := store.Open(filepath.Join(t.TempDir(), "test.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer st.Close()
	out := new(locked)
	s, err := servertest.New(context.Background(),
		servertest.Options{
			Store: st, Log: slog.New(slog.NewTextHandler(out, &slog.HandlerOptions{Level: slog.LevelDebug})),
		})
	if err != nil {
		t.Fatal(err)
	}
	h := httptest.NewServer(s.Handler())
	defer h.Close()
	seen := map[string]bool{}
	for _, path := range []string{"/api/v1/version", "/api/v1/version", "/v/secret-of-a-visit",
		"/api/v1/fleet?where=secret"} {
		req, _ := http.NewRequest("GET", h.URL+path, nil)
		req.Header.Set("X-Request-Id", "forged")
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		id := res.Header.Get("X-Request-Id")
		if len(id) != 16 || seen[id] {
			t.Errorf("%s has the number %q", path, id)
		}
		seen[id] = true
	}
	h.Close()
	out.mu.Lock()
	defer out.mu.Unlock()
	text := out.b.String()
	for id := range seen {
		if !strings.Contains(text, "id="+id) {
			t.Errorf("the log does not have %s", id)
		}
	}
	if strings.Contains(text, "secret") || strings.Contains(text, "forged") {
		t.Errorf("the log says\n%s", text)
	}
}
