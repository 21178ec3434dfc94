package server_test

import (
	"context"
	"database/sql"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/internal/store"
)

// copies of the demo's fleet that make 100,000 machines; ROLLTOP_BENCH_COPIES makes
// others: 4 are about 1,000, 3520 a million.
var copies = func() int {
	if n, err := strconv.Atoi(os.Getenv("ROLLTOP_BENCH_COPIES")); err == nil {
		return n
	}
	return 352
}()

// multiply copies every machine of a database, each with an inventory, packed
// facts and a name of its own.
func multiply(b *testing.B, path string) {
	b.Helper()
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		b.Fatal(err)
	}
	defer db.Close()
	numbers := fmt.Sprintf("WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i+1 FROM n WHERE i < %d) ",
		max(copies-1, 1))
	for _, q := range []string{
		"INSERT INTO machine (id, key, name, class, maker, serial, uuid, model, installed, inventory_id, taken_at, " +
			"board, site, retired_at) SELECT id+n.i*10000, key||'-'||n.i, name||'-'||n.i, class, maker, serial, " +
			"uuid||n.i, model, installed, inventory_id+n.i*10000, taken_at-n.i*1000, board, site, retired_at FROM " +
			"machine, n",
		"INSERT INTO inventory (id, machine_id, taken_at, last_seen_at, sha, body) SELECT id+n.i*10000, " +
			"machine_id+n.i*10000, taken_at-n.i*1000, last_seen_at-n.i*1000, sha, body FROM inventory, n",
		"INSERT INTO fact_row SELECT machine_id+n.i*10000, catalogue, class, row FROM fact_row, n",
	} {
		if _, err := db.Exec(numbers + q); err != nil {
			b.Fatal(q, err)
		}
	}
	if _, err := db.Exec("UPDATE judgement SET done=0"); err != nil {
		b.Fatal(err)
	}
}

// crowd is a service with 100,000 machines, a token to ask it with, and how long it took
// to start, which judges all of them. prepare is called while the machines are few.
func crowd(b *testing.B, prepare func(*server.Server)) (s *server.Server, token string, judged time.Duration) {
	b.Helper()
	ctx := context.Background()
	build.Version = "bench" // a version that is none judges anew at each start
	b.Cleanup(func() { build.Version = "dev" })
	path := filepath.Join(b.TempDir(), "fleet.db")
	open := func() (*store.Store, *server.Server, time.Duration) {
		st, err := store.Open(path)
		if err != nil {
			b.Fatal(err)
		}
		at := time.Now()
		s, err := servertest.New(ctx, servertest.Options{Store: st})
		if err != nil {
			b.Fatal(err)
		}
		return st, s, time.Since(at)
	}
	st, s, _ := open()
	if _, err := standin.Fill(ctx, s, time.Now()); err != nil {
		b.Fatal(err)
	}
	prepare(s)
	_, token, err := s.AddToken(ctx, "bench", server.ScopeWork)
	if err != nil {
		b.Fatal(err)
	}
	if err := st.Close(); err != nil {
		b.Fatal(err)
	}
	multiply(b, path)
	st, s, judged = open()
	b.Cleanup(func() { st.Close() })
	if err := s.Index.Refresh(ctx); err != nil { // New does not wait for it
		b.Fatal(err)
	}
	return s, token, judged
}

// BenchmarkServe starts a service with 100,000 machines and calls lists, filters
// and counts, one after the other. The aims: a start in 1 s, calls within 50 ms,
// 300 MB resident.
func BenchmarkServe(b *testing.B) {
	ctx := context.Background()
	s, token, judged := crowd(b, func(*server.Server) {})
	at := time.Now()
	s.Index.Invalidate()
	if err := s.Index.Refresh(ctx); err != nil {
		b.Fatal(err)
	}
	load := time.Since(at)
	h := s.Handler()
	var took []time.Duration
	paths := []string{
		"/api/v1/fleet", "/api/v1/machines", "/api/v1/machines?sort=-taken&page=40",
		"/api/v1/fleet?where=" + url.QueryEscape(`site="Gull Quay"`), "/api/v1/fleet/matrix?sort=needs.tpm", "/api/v1/fleet/progress",
		"/api/v1/machines?sort=memory.installed_bytes&facts=tpm.state,memory.installed_bytes", "/api/v1/tags",
		"/api/v1/filters",
	}
	for _, where := range []string{
		"disposition=refit fails=tpm", "slipway 99", "memory.installed_bytes<=4GiB tpm.state=not-seen",
		`site="Holm Ferry" missing=tpm.header`, "storage.system.free_bytes<=60GB",
	} {
		paths = append(paths, "/api/v1/machines?where="+url.QueryEscape(where))
	}
	each := map[string][]time.Duration{}
	for b.Loop() {
		for _, p := range paths {
			req := httptest.NewRequest(http.MethodGet, p, nil)
			req.Header.Set("Authorization", "Bearer "+token)
			w := httptest.NewRecorder()
			at := time.Now()
			h.ServeHTTP(w, req)
			took = append(took, time.Since(at))
			each[p] = append(each[p], time.Since(at))
			if w.Code != http.StatusOK {
				b.Fatal(p, w.Code, w.Body)
			}
		}
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "ms-p50")
	b.ReportMetric(float64(took[len(took)*99/100].Microseconds())/1000, "ms-p99")
	b.ReportMetric(resident(), "MiB-resident")
	b.ReportMetric(load.Seconds(), "s/load")
	b.ReportMetric(startToList(b, s, token).Seconds(), "s/start-to-list") // last, as it loads another index
	b.ReportMetric(judged.Seconds(), "s/judging-start")
	for p, list := range each {
		slices.Sort(list)
		b.Logf("%6.1f ms at the middle, %6.1f at most: %s", float64(list[len(list)/2].Microseconds())/1000,
			float64(list[len(list)-1].Microseconds())/1000, p)
	}
}

// startToList is how long a service takes that starts with nothing to judge, until it has
// answered a list of machines.
func startToList(b *testing.B, running *server.Server, token string) time.Duration {
	b.Helper()
	ctx, cancel := context.WithCancel(b.Context())
	defer cancel()
	at := time.Now()
	s, err := servertest.New(ctx, servertest.Options{Store: running.Store})
	if err != nil {
		b.Fatal(err)
	}
	req := httptest.NewRequest(http.MethodGet, "/api/v1/machines", nil)
	req.Header.Set("Authorization", "Bearer "+token)
	w := httptest.NewRecorder()
	s.Handler().ServeHTTP(w, req)
	took := time.Since(at)
	expect.Same(b, "w.Code", w.Code, http.StatusOK)
	expect.That(b, "!(copies > 100 && !strings.Contains(w.Body.String(), `\"loading\":true`))",
		!(copies > 100 && !strings.Contains(w.Body.String(), `"loading":true`)))
	if err := s.Index.Refresh(ctx); err != nil { // let it come to its end before the store closes
		b.Fatal(err)
	}
	return took
}
