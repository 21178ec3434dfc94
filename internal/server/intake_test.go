package server_test

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

// Collectors are handed out to anybody, with the sum that the list says, and
// nothing else is.
func TestCollectorsAreHandedOut(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	_, _, body := call(t, "GET", s.URL+"/api/v1/collectors", s.NewToken(t, "r", server.ScopeRead), "", "")
	var l api.CollectorList
	if err := json.Unmarshal([]byte(body), &l); err != nil || len(l.Collectors) != 4 {
		t.Fatal(err, body)
	}
	for _, c := range l.Collectors {
		status, header, got := call(t, "GET", s.URL+c.Path, "", "", "")
		sum := sha256.Sum256([]byte(got))
		expect.Same(t, c.Name+": status", status, 200)
		expect.Same(t, c.Name+": hex.EncodeToString(sum[:])", hex.EncodeToString(sum[:]), c.SHA256)
		expect.Same(t, c.Name+": int64(len(got))", int64(len(got)), c.Bytes)
		expect.Contains(t, header.Get("Content-Disposition"), c.Name)
		want := map[string]string{
			"rolltop-collect-linux-amd64":       "Linux amd64",
			"rolltop-collect-windows-amd64.exe": "Windows amd64",
			"rolltop-collect-darwin-arm64":      "macOS arm64",
			"collect.ps1":                       "older Windows ",
		}[c.Name]
		if c.Platform+" "+c.Architecture != want {
			t.Errorf("%s is for %s %s", c.Name, c.Platform, c.Architecture)
		}
	}
	for _, path := range []string{
		"/download/SHA256SUMS", "/download/", "/download/nothing", "/download/x/rolltop-collect-linux-amd64",
		"/download/%2e%2e/rolltop-collect-linux-amd64",
	} {
		if status, _, got := call(t, "GET", s.URL+path, "", "", ""); status != 404 ||
			strings.Contains(got, "for Linux") {
			t.Errorf("%s: %d %q", path, status, got)
		}
	}
}
