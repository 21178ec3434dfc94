package server_test

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"sync"
	"testing"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// Two administrators who read the same and then replace it: the second is refused, and what the first saved stays.
func TestTwoAdministrators(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	must := func(_ any, err error) {
		t.Helper()
		expect.NoError(t, err)
	}
	must(s.Client.SetFilter(ctx, "quay", api.SetFilter{Filter: "site=\"Gull Quay\""}))
	must(s.Client.SetUser(ctx, "ann", api.SetUser{Role: "viewer"}))
	s.AllowPrivateWebhooks(t)
	must(s.Client.SetWebhook(ctx, "desk", api.SetWebhook{URL: "https://127.0.0.1:1/a"}))
	for _, tt := range []struct{ path, first, second string }{
		{"settings", days(31),
			days(32)},
		{"sites", `{"sites":[{"prefix":"GULL","name":"Gull Quay"}]}`, `{"sites":[{"prefix":"TERN","name":"Tern Yard"}]}`},
		{"filters/quay", `{"filter":"class=pc"}`, `{"filter":"class=mac"}`},
		{"users/ann", `{"role":"technician"}`, `{"role":"administrator"}`},
		{"webhooks/desk", `{"url":"https://127.0.0.1:1/b"}`, `{"url":"https://127.0.0.1:1/c"}`},
		{"blackout", `{"days":[{"from":"2027-01-01","to":"2027-01-02"}]}`, `{"days":[{"from":"2027-02-01","to":"2027-02-02"}]}`},
		{"expected", `{"machines":[{"name":"GULL-801"}]}`, `{"machines":[{"name":"GULL-802"}]}`},
		{"knowledge/prices", prices(31),
			prices(32)},
		{"targets", `{"pc":"skerry-13","testing":true}`, `{"pc":"skerry-12"}`},
	} {
		t.Run(tt.path, func(t *testing.T) {
			at := s.URL + "/api/v1/" + tt.path
			status, h, body := call(t, "GET", at, s.Token, "", "")
			tag := h.Get("ETag")
			if status != 200 || tag == "" {
				t.Errorf("%s: %d %q %.200s", tt.path, status, tag, body)
				return
			}
			if _, again, _ := call(t, "GET", at, s.Token, "", ""); again.Get("ETag") != tag {
				t.Errorf("%s: the tag changes although nothing did", tt.path)
			}
			if status, body := replace(t, s, at, tag, tt.first); status >= 300 {
				t.Errorf("%s: the first is answered %d %s", tt.path, status, body)
			}
			_, kept, before := call(t, "GET", at, s.Token, "", "")
			status, body = replace(t, s, at, tag, tt.second)
			if status != http.StatusPreconditionFailed || !strings.Contains(body, "/problems/changed-meanwhile") {
				t.Errorf("%s: the second is answered %d %s", tt.path, status, body)
			}
			if _, _, after := call(t, "GET", at, s.Token, "", ""); after != before {
				t.Errorf("%s: the second changed it", tt.path)
			}
			if status, body := replace(t, s, at, kept.Get("ETag"), tt.second); status >= 300 {
				t.Errorf("%s: whoever read it again is answered %d %s", tt.path, status, body)
			}
			for _, tag := range []string{"", "*"} {
				if status, body := replace(t, s, at, tag, tt.first); status >= 300 {
					t.Errorf("%s: with If-Match %q it is answered %d %s", tt.path, tag, status, body)
				}
			}
		})
	}
}

// Of several who replace the same state at once, one succeeds.
func TestOneOfMany(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	at := s.URL + "/api/v1/blackout"
	_, h, _ := call(t, "GET", at, s.Token, "", "")
	var done sync.WaitGroup
	statuses := make([]int, 8)
	for i := range statuses {
		done.Go(func() {
			statuses[i], _ = replace(
				t,
				s,
				at,
				h.Get("ETag"),
				fmt.Sprintf(`{"days":[{"from":"2027-01-0%d","to":"2027-01-09"}]}`, i+1),
			)
		})
	}
	done.Wait()
	saved := 0
	for _, status := range statuses {
		if status < 300 {
			saved++
		}
	}
	expect.Same(t, "saved", saved, 1)
}

// The client names what it read without being told to.
func TestClientNamesWhatItRead(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	one, other := s.As(t, s.Token), s.As(t, s.Token)
	mine, err := one.Settings(ctx)
	expect.NoError(t, err)
	theirs, err := other.Settings(ctx)
	expect.NoError(t, err)
	theirs.StaleDays = 44
	_, err = other.SetSettings(ctx, theirs)
	expect.NoError(t, err)
	mine.HistoryMonths = 7
	_, err = one.SetSettings(ctx, mine)
	expect.Error(t, err, "somebody else changed it")
	now, err := one.Settings(ctx)
	expect.NoError(t, err)
	expect.Same(t, "days", now.StaleDays, 44)
	now.HistoryMonths = 7
	_, err = one.SetSettings(ctx, now)
	expect.NoError(t, err)
	now.HistoryMonths = 8 // its own answer counts as read
	_, err = one.SetSettings(ctx, now)
	expect.NoError(t, err)
}

// days are settings, as a request has them.
func days(stale int) string {
	return fmt.Sprintf(`{"stale_days":%d,"history_months":13,"retired_days":90,"viewers_see_all":false,`+
		`"webhooks_private":true}`, stale)
}

// prices is a document of prices, as a request has it.
func prices(tpm int) string {
	return fmt.Sprintf(`{"text":"format: rolltop-prices/1\ncurrency: EUR\nas_of: 2026-01-01\nprices:\n`+
		`- {part: tpm-module, least: %d, most: 40}\n"}`, tpm)
}

func replace(t *testing.T, s *servertest.Service, at, tag, body string) (int, string) {
	t.Helper()
	req, err := http.NewRequestWithContext(ctx, http.MethodPut, at, strings.NewReader(body))
	expect.NoError(t, err)
	req.Header.Set("Authorization", "Bearer "+s.Token)
	req.Header.Set("Content-Type", "application/json")
	if tag != "" {
		req.Header.Set("If-Match", tag)
	}
	res, err := http.DefaultClient.Do(req)
	expect.NoError(t, err)
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	expect.NoError(t, err)
	return res.StatusCode, string(text)
}
