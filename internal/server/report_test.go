package server_test

import (
	"context"
	"net/url"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

func TestReportsOfTheService(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	ctx := context.Background()
	dev, err := s.Client.Machine(ctx, "gull-101")
	if err != nil {
		t.Fatal(err)
	}
	for _, tt := range []struct{ query, says string }{
		{"", "<!doctype html>"}, {"", dev.Answer[1:]}, {"for=user", dev.Check.Plain[0]},
		{"format=markdown", "# GULL-101"}, {"release=skerry-13", "Skerry 13"},
		{"release=skerry-12&revision=4", "revision 4"},
	} {
		t.Run(tt.query, func(t *testing.T) {
			q, err := url.ParseQuery(tt.query)
			if err != nil {
				t.Fatal(err)
			}
			got, err := s.Client.Report(ctx, "gull-101", q)
			if err != nil || !strings.Contains(string(got), tt.says) {
				t.Errorf("%s: %v, %.300s", tt.query, err, got)
			}
		})
	}
	inv, err := s.Client.Inventory(ctx, "gull-101", 0)
	if err != nil {
		t.Fatal(err)
	}
	_, rest, _ := strings.Cut(string(inv), `"serial":"`)
	serial, _, _ := strings.Cut(rest, `"`)
	whole, err := s.Client.Report(ctx, "gull-101", nil)
	expect.NoError(t, err)
	expect.That(t, "len(serial) >= 4", len(serial) >= 4)
	expect.Contains(t, string(whole), serial)
	short, err := s.Client.Report(ctx, "gull-101", url.Values{"redact": {"true"}})
	if err != nil || strings.Contains(string(short), serial) {
		t.Errorf("%v: the shortened report has the serial number", err)
	}

	for _, tt := range []struct {
		path   string
		status int
		says   string
	}{
		{"nobody/report", 404, "no machine"}, {"gull-101/report?release=x-1", 404, "x-1"},
		{"gull-101/report?release=fathom-9", 422, "mac"}, {"gull-101/report?format=pdf", 422, "format"},
		{"gull-101/report?for=user&format=markdown", 422, "for technicians"}, {"gull-101/report?for=x", 422, "for"},
		{"gull-101/report?revision=4", 422, "add release="},
	} {
		t.Run(tt.path, func(t *testing.T) {
			if status, _, body := call(t, "GET", s.URL+"/api/v1/machines/"+tt.path, s.Token, "",
				""); status != tt.status ||
				!strings.Contains(strings.ToLower(body), tt.says) {
				t.Errorf("%s: %d %s", tt.path, status, body)
			}
		})
	}
	status, header, _ := call(t, "GET", s.URL+"/api/v1/machines/gull-101/report", s.Token, "", "")
	p := header.Get("Content-Security-Policy")
	expect.Same(t, "status", status, 200)
	expect.That(t, `strings.HasPrefix(p, "default-src 'none'; style-src 'sha256-")`,
		strings.HasPrefix(p, "default-src 'none'; style-src 'sha256-"))
	expect.Lacks(t, p, "unsafe")
	expect.That(t, `strings.HasPrefix(header.Get("Content-Type"), "text/html")`,
		strings.HasPrefix(header.Get("Content-Type"), "text/html"))
	if status, _, _ := call(t, "GET", s.URL+"/api/v1/machines/gull-101/report", "", "", ""); status != 401 {
		t.Errorf("nobody is let in: %d", status)
	}
}

// Every page that is printed comes with a policy that lets its own style be used, and nothing else.
func TestPagesHaveTheirStyle(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	for _, path := range []string{
		"/fleet/report", "/fleet/briefing/page", "/machines/gull-101/report", "/machines/gull-101/report?for=visit",
		"/work/sheet?where=key%3Dgull-101",
	} {
		t.Run(path, func(t *testing.T) {
			status, h, body := call(t, "GET", s.URL+"/api/v1"+path, s.Token, "", "")
			expect.Same(t, "the status", status, 200)
			expect.Contains(t, body, "<style>")
			expect.Contains(t, h.Get("Content-Security-Policy"), "style-src 'sha256-")
		})
	}
}
