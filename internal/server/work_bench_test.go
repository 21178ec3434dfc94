package server_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/standin"
)

// BenchmarkWork asks a service with 100,000 machines, a few decisions and two waves for
// the work of the fleet. The aims: the best order and a what-if within a second.
func BenchmarkWork(b *testing.B) {
	s, token, _ := crowd(b, func(s *server.Server) {
		if err := standin.Employ(b.Context(), s, time.Now()); err != nil {
			b.Fatal(err)
		}
	})
	var drafts []string
	for _, r := range standin.AllReleases() {
		if r.File == "skerry-12.yaml" {
			text, err := release.Unpack(r.File, r.Text)
			if err != nil {
				b.Fatal(err)
			}
			whole := string(text.Document)
			for _, floor := range []string{"8 GiB", "12 GiB"} {
				text.Document = doc.Body(strings.NewReplacer("revision: 5", "revision: 6",
					"memory.installed_bytes, at_least: 6 GiB",
					"memory.installed_bytes, at_least: "+floor).Replace(whole))
				packed, err := json.Marshal(text)
				if err != nil {
					b.Fatal(err)
				}
				ask, err := json.Marshal(api.AskWhatIf{Document: string(packed)})
				if err != nil {
					b.Fatal(err)
				}
				drafts = append(drafts, string(ask))
			}
		}
	}
	h := s.Handler()
	calls := []struct{ method, path, body string }{
		{"GET", "/api/v1/work/wins", ""}, {"GET", "/api/v1/work/wins?order=time", ""},
		{"POST", "/api/v1/what-if", drafts[0]}, {"POST", "/api/v1/what-if", drafts[1]},
		{"POST", "/api/v1/what-if", `{"release":"skerry-13"}`},
		{"GET", "/api/v1/work", ""}, {"GET", "/api/v1/work?where=site%3D%22Gull+Quay%22", ""},
		{"GET", "/api/v1/applications", ""}, {"GET", "/api/v1/waves", ""},
		{"GET", "/api/v1/waves/2", ""}, {"GET", "/api/v1/decisions", ""}, {"GET", "/api/v1/rule-changes/1", ""},
	}
	each := make([][]time.Duration, len(calls))
	first := make([]time.Duration, len(calls))
	for b.Loop() {
		for i, c := range calls {
			req := httptest.NewRequest(c.method, c.path, strings.NewReader(c.body))
			req.Header.Set("Authorization", "Bearer "+token)
			if c.body != "" {
				req.Header.Set("Content-Type", "application/json")
			}
			w := httptest.NewRecorder()
			at := time.Now()
			h.ServeHTTP(w, req)
			took := time.Since(at)
			if w.Code != http.StatusOK {
				b.Fatal(c.path, w.Code, w.Body)
			}
			if first[i] == 0 {
				first[i] = took
			}
			each[i] = append(each[i], took)
		}
	}
	for i, c := range calls {
		slices.Sort(each[i])
		b.Logf("%7.1f ms at the middle, %7.1f the first time: %s %s",
			float64(each[i][len(each[i])/2].Microseconds())/1000, float64(first[i].Microseconds())/1000, c.method,
			c.path)
	}
	b.ReportMetric(fillWave(b, s), "ms/filling-a-wave")
	middle := func(i int) float64 { return float64(each[i][len(each[i])/2].Microseconds()) / 1000 }
	b.ReportMetric(middle(0), "ms/best-order")
	b.ReportMetric(middle(2), "ms/what-if")
	b.ReportMetric(middle(4), "ms/what-if-of-another")
	b.ReportMetric(middle(5), "ms/worklist")
	b.ReportMetric(middle(6), "ms/worklist-of-a-site")
	b.ReportMetric(resident(), "MiB-resident")
}

// fillWave is how long it takes to fill a wave of 500 machines, in milliseconds.
func fillWave(b *testing.B, s *server.Server) float64 {
	b.Helper()
	_, token, err := s.AddToken(b.Context(), "who fills waves", server.ScopeManage)
	if err != nil {
		b.Fatal(err)
	}
	ask := func(path string, body any) (answer []byte, took time.Duration) {
		text, err := json.Marshal(body)
		if err != nil {
			b.Fatal(err)
		}
		req := httptest.NewRequest("POST", path, strings.NewReader(string(text)))
		req.Header.Set("Authorization", "Bearer "+token)
		req.Header.Set("Content-Type", "application/json")
		w := httptest.NewRecorder()
		at := time.Now()
		s.Handler().ServeHTTP(w, req)
		took = time.Since(at)
		if w.Code != http.StatusOK {
			b.Fatal(path, w.Code, w.Body)
		}
		return w.Body.Bytes(), took
	}
	monday := time.Now().UTC().AddDate(0, 0, 42)
	for monday.Weekday() != time.Monday {
		monday = monday.AddDate(0, 0, 1)
	}
	day := func(n int) string { return monday.AddDate(0, 0, n).Format(time.DateOnly) }
	made, _ := ask("/api/v1/waves", api.MakeWave{Name: "Large", Rule: "disposition=ready class=pc", Most: 500,
		Starts: day(0), Ends: day(18)})
	var wave api.WaveDetail
	if err := json.Unmarshal(made, &wave); err != nil {
		b.Fatal(err)
	}
	filled, took := ask(fmt.Sprintf("/api/v1/waves/%d/machines", wave.ID), api.FillWave{})
	var got api.WaveFilled
	if err := json.Unmarshal(filled, &got); err != nil || got.Added != 500 {
		b.Fatalf("%d machines were added: %v", got.Added, err)
	}
	return float64(took.Microseconds()) / 1000
}
