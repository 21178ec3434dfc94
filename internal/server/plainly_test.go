package server_test

import (
	"encoding/json"
	"regexp"
	"testing"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// What is wrong with a call is said with the name that the caller wrote, what would be
// right, and none of a library's words.
func TestMistakesInCalls(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	library := regexp.MustCompile(`strconv|expected |body\.|query\.|json:|unmarshal|validation|properties`)
	for _, c := range []struct{ method, path, body, want string }{
		{"GET", "/machines?size=5000", "", "size: must be at most 1000"},
		{"GET", "/machines?size=abc", "", "size: must be a whole number"},
		{"GET", "/machines?page=0", "", "page: must be at least 1"},
		{"GET", "/audit?size=-3", "", "size: must be at least 1"},
		{"POST", "/tokens", `{"name":"x","scope":"root"}`, "scope: must be one of: submit, read, work, manage"},
		{"POST", "/tokens", `{"name":"x","scope":"read","days":-3}`, "days: must be at least 1"},
		{"POST", "/tokens", `{"name":"","scope":"read"}`, "name: must not be empty"},
		{"POST", "/tokens", `{"scope":"read"}`, "name is missing"},
		{"POST", "/tokens", `{"name":7,"scope":"read"}`, "name: must be text"},
		{"POST", "/tokens", `{"name":"x","scope":"read","colour":"red"}`, `unknown key "colour"`},
		{"POST", "/tokens", `{"name":`, "the body"},
		{"POST", "/tokens", `[]`, "must be an object"},
		{"PUT", "/webhooks/desk", `{"url":"x"}`, `"x" is not a webhook address`},
		{"POST", "/sheets", `{"name":"x.csv","content":""}`,
			"content: must be the content of a non-empty file"},
		{"PUT", "/settings", `{"stale_days":0,"history_months":13,"retired_days":90,"viewers_see_all":false}`,
			"stale_days: must be at least 1"},
	} {
		t.Run(c.method, func(t *testing.T) {
			status, _, body := call(t, c.method, s.URL+"/api/v1"+c.path, s.Token, "application/json", c.body)
			var p api.Problem
			if err := json.Unmarshal([]byte(body), &p); err != nil {
				t.Errorf("%s %s: %d %s", c.method, c.path, status, body)
				return
			}
			expect.That(t, "status >= 400", status >= 400)
			expect.That(t, "status <= 499", status <= 499)
			expect.Contains(t, p.Detail, c.want)
			expect.That(t, "!library.MatchString(body)", !library.MatchString(body))
		})
	}
}
