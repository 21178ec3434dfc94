// Package servertest starts real services on loopback for tests.
package servertest

import (
	"context"
	"io/fs"
	"log/slog"
	"net/http/httptest"
	"path/filepath"
	"testing"
	"testing/fstest"
	"time"

	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/internal/store"
)

// Password of the user demo of every test service.
const Password = "harbour-lights"

// Collectors are what every test service hands out instead of real ones.
var Collectors = fstest.MapFS{
	"rolltop-collect-linux-amd64":       {Data: []byte("for Linux")},
	"rolltop-collect-windows-amd64.exe": {Data: []byte("for Windows")},
	"rolltop-collect-darwin-arm64":      {Data: []byte("for Macs")},
	"collect.ps1":                       {Data: []byte("for older ones")},
	"SHA256SUMS":                        {Data: []byte("not offered")},
}

// Options are those of a service and of its server.
type Options struct {
	Store      *store.Store // nil: an empty one
	Now        func() time.Time
	Log        *slog.Logger
	KeepFree   int64
	FreeBytes  func() (int64, error)
	Console    fs.FS
	Collectors fs.FS // nil: [Collectors]
	Secure     bool
}

// New puts a service and its server together.
func New(ctx context.Context, o Options) (*server.Server, error) {
	svc, err := service.New(ctx, service.Options{
		Store:     o.Store,
		Now:       o.Now,
		Log:       o.Log,
		KeepFree:  o.KeepFree,
		FreeBytes: o.FreeBytes,
	})
	if err != nil {
		return nil, err
	}
	return server.New(svc, server.Options{Console: o.Console, Collectors: o.Collectors, Secure: o.Secure}), nil
}

// Service is a running service.
type Service struct {
	*server.Server
	URL    string
	Token  string         // may do everything
	Client *client.Client // with that token
}

// Start starts an empty service with the user demo.
func Start(t testing.TB, console fs.FS) *Service {
	t.Helper()
	return StartAt(t, console, time.Now)
}

// StartAt starts an empty service that goes by a clock.
func StartAt(t testing.TB, console fs.FS, now func() time.Time) *Service {
	t.Helper()
	return StartWith(t, Options{Console: console, Now: now})
}

// StartWith starts an empty service with options. Where they name no store, it has one
// of its own.
func StartWith(t testing.TB, o Options) *Service {
	t.Helper()
	if o.Collectors == nil {
		o.Collectors = Collectors
	}
	out := StartNew(t, o)
	if err := out.SetUser(context.Background(), "demo", server.RoleAdministrator, Password); err != nil {
		t.Fatal(err)
	}
	values := out.Settings.Get() // a test must not depend on the day of the week on which it runs
	values.WorkingDays = "sun,mon,tue,wed,thu,fri,sat"
	if err := out.Settings.Set(context.Background(), values); err != nil {
		t.Fatal(err)
	}
	out.Token = out.NewToken(t, "everything", server.ScopeManage)
	out.Client = out.As(t, out.Token)
	return out
}

// StartNew starts a service as at its first start: nobody can sign in.
func StartNew(t testing.TB, o Options) *Service {
	t.Helper()
	if o.Store == nil {
		o.Store = OpenStore(t)
	}
	s, err := New(context.Background(), o)
	if err != nil {
		t.Fatal(err)
	}
	h := httptest.NewServer(declared(t, s.Handler()))
	t.Cleanup(h.Close)
	return &Service{Server: s, URL: h.URL}
}

// OpenStore opens an empty database for a test.
func OpenStore(t testing.TB) *store.Store {
	t.Helper()
	st, err := store.Open(filepath.Join(t.TempDir(), "test.db"))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() {
		if err := st.Close(); err != nil {
			t.Error(err)
		}
	})
	return st
}

// Demo starts a service with the made-up organisation.
func Demo(t testing.TB, console fs.FS) *Service {
	t.Helper()
	s := Start(t, console)
	if _, err := standin.Fill(context.Background(), s, time.Now()); err != nil {
		t.Fatal(err)
	}
	return s
}

// AllowPrivateWebhooks lets webhooks be sent to loopback.
func (s *Service) AllowPrivateWebhooks(t testing.TB) {
	t.Helper()
	set, err := s.Client.Settings(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	set.WebhooksPrivate = true
	if _, err := s.Client.SetSettings(context.Background(), set); err != nil {
		t.Fatal(err)
	}
}

// NewToken makes a token with a scope.
func (s *Service) NewToken(t testing.TB, name, scope string) string {
	t.Helper()
	_, secret, err := s.AddToken(context.Background(), name, scope)
	if err != nil {
		t.Fatal(err)
	}
	return secret
}

// As is a client with another token.
func (s *Service) As(t testing.TB, token string) *client.Client {
	t.Helper()
	c, err := client.New(s.URL, token)
	if err != nil {
		t.Fatal(err)
	}
	c.Patience = client.Backoff{} // a test sees the first answer
	return c
}
