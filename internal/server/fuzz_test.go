package server_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

// FuzzRequests sends whole requests to the service: any method, path, query, headers and
// body, with each kind of token and without. None is answered with a failure of the
// service, and none ends it.
func FuzzRequests(f *testing.F) {
	s := servertest.Start(f, nil)
	tokens := []string{
		"", s.NewToken(f, "fuzz submit", server.ScopeSubmit), s.NewToken(f, "fuzz read", server.ScopeRead),
		s.NewToken(f, "fuzz work", server.ScopeWork), s.Token,
	}
	handler := s.Handler()
	inventory := `{"format":"rolltop-inventory/1","taken_at":"2026-11-20T08:00:00Z","device":{"name":"GULL-001","serial":"S1"},"os":{"platform":"windows"}}`
	release := "format: rolltop-release/1\nid: skerry-12\nname: Skerry 12\nrevision: 1\nclass: pc\npublished: " +
		"2026-10-06\nsource: https://skerry.example/\nrequirements:\n  - id: memory\n    title: Memory\n    needs: " +
		"{memory.installed_bytes: {at_least: 4 GiB}}\n"
	for _, seed := range []struct {
		method, target, kind, headers, body string
		who                                 int
	}{
		{"POST", "/api/v1/inventories", "application/json", "", inventory, 1},
		{"POST", "/api/v1/inventories", "application/yaml", "Signature-Input: rolltop=x\nSignature: rolltop=:x:",
			"format: rolltop-inventory/1\n", 1},
		{"POST", "/api/v1/inventories/lines", "application/x-ndjson", "", inventory + "\n" + inventory, 1},
		{"POST", "/api/v1/inventories/lines", "application/x-ndjson", "Content-Encoding: gzip", "\x1f\x8b\x08\x00", 1},
		{"GET", "/api/v1/machines?where=tpm.state=ready&sort=-name&page=2&size=7&facts=os.version", "", "", "", 2},
		{"GET", "/api/v1/machines/gull-001?x=1", "", "Accept: text/html\nAccept-Encoding: gzip, br;q=0", "", 2},
		{"GET", "/api/v1/export?format=csv&where=&facts=device.serial", "", "", "", 2},
		{"PUT", "/api/v1/machines/gull-001/facts/tpm.header", "application/json", "", `{"value":"true","days":3}`, 3},
		{"POST", "/api/v1/machine-changes", "application/json", "", `{"where":"tag=x","tag":["y"]}`, 3},
		{"POST", "/api/v1/decisions", "application/json", "",
			`{"kind":"later","scope":"key=gull-001","reason":"x","until":"2027-01-31"}`, 3},
		{"POST", "/api/v1/releases", "application/yaml", "", release, 4},
		{"POST", "/api/v1/releases/validate", "application/yaml", "", release, 4},
		{"PUT", "/api/v1/targets", "application/json", "", `{"pc":"skerry-12"}`, 4},
		{"POST", "/api/v1/waves", "application/json", "",
			`{"name":"a","rule":"","most":3,"starts":"2027-01-01","ends":"2027-01-02"}`, 4},
		{"PUT", "/api/v1/users/x", "application/json", "", `{"role":"viewer","sites":["a"]}`, 4},
		{"POST", "/api/v1/tokens", "application/json", "", `{"name":"x","scope":"read"}`, 4},
		{"PUT", "/api/v1/webhooks/x", "application/json", "", `{"url":"https://192.0.2.1/"}`, 4},
		{"POST", "/api/v1/sheets", "application/json", "", `{"name":"x.csv","content":"bmFtZQpHVUxMCg=="}`, 4},
		{"POST", "/api/v1/lists/import", "application/json", "", `{"name":"x.csv","content":"bmFtZQpHVUxMCg=="}`, 4},
		{"PUT", "/api/v1/knowledge/prices", "application/json", "", `{"text":"format: rolltop-prices/1\n"}`, 4},
		{"POST", "/api/v1/session", "application/json", "Origin: http://elsewhere.example",
			`{"name":"demo","password":"x"}`, 0},
		{"GET", "/v/secret", "", "", "", 0},
		{"GET", "/download/../x", "", "Range: bytes=0-1", "", 0},
		{"GET", "/metrics", "", "", "", 2},
		{"DELETE", "/api/v1/machines/gull-001", "", "", "", 4},
	} {
		f.Add(seed.method, seed.target, seed.kind, seed.headers, seed.body, seed.who)
	}
	f.Fuzz(func(t *testing.T, method, target, kind, headers, body string, who int) {
		req, ok := request(method, target, body)
		if !ok {
			return
		}
		for line := range strings.Lines(headers) {
			if name, value, ok := strings.Cut(strings.TrimSpace(line), ":"); ok {
				req.Header.Add(strings.TrimSpace(name), strings.TrimSpace(value))
			}
		}
		if kind != "" {
			req.Header.Set("Content-Type", kind)
		}
		if token := tokens[(who%len(tokens)+len(tokens))%len(tokens)]; token != "" {
			req.Header.Set("Authorization", "Bearer "+token)
		}
		w := httptest.NewRecorder()
		func() {
			defer func() {
				if p := recover(); p != nil && p != http.ErrAbortHandler {
					t.Errorf("%s %q: %v", method, target, p)
				}
			}()
			handler.ServeHTTP(w, req)
		}()
		if w.Code == http.StatusInternalServerError {
			t.Errorf("%s %q (%s) by %d: %d %.300s", method, target, kind, who, w.Code, w.Body)
		}
	})
}

// request is a request that a server of HTTP could have read; the rest it refuses itself.
func request(method, target, body string) (*http.Request, bool) {
	methods := []string{"GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS"}
	isPath := strings.HasPrefix(target, "/") && !strings.ContainsAny(target, " \r\n\t")
	if !isPath || !slices.Contains(methods, method) {
		return nil, false
	}
	for _, endless := range []string{"/api/v1/events", "/api/v1/backup"} { // one never ends, one copies a database
		if strings.Contains(target, endless) {
			return nil, false
		}
	}
	req, err := http.NewRequest(method, "http://127.0.0.1"+target, io.NopCloser(strings.NewReader(body)))
	if err != nil {
		return nil, false
	}
	req.RequestURI, req.RemoteAddr, req.ContentLength = target, "127.0.0.1:4000", int64(len(body))
	return req, true
}
