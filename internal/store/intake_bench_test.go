package store_test

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/internal/store"
)

// intakeMachines is how many are kept in one measurement.
const intakeMachines = 16_000

// fleetOf are inventories of different machines.
func fleetOf(b *testing.B, n int) []*inventory.Document {
	b.Helper()
	o, err := standin.Load()
	if err != nil {
		b.Fatal(err)
	}
	base, err := o.Fleet(now)
	if err != nil {
		b.Fatal(err)
	}
	out := make([]*inventory.Document, n)
	for i := range out {
		d := *base[i%len(base)]
		d.Device.Name = inventory.Some(fmt.Sprintf("M%05d", i))
		d.Device.Serial = inventory.Some(fmt.Sprintf("S%05d", i))
		d.Device.UUID = inventory.Opt[string]{}
		out[i] = &d
	}
	return out
}

// BenchmarkIntake keeps machines at the store's edge, 1,024 at a time, and inserts the
// same bytes with the bare driver, 256 a transaction, with the same durability.
// The aim is half of what the driver does.
func BenchmarkIntake(b *testing.B) {
	docs := fleetOf(b, intakeMachines)
	bodies := make([][]byte, len(docs))
	for i, d := range docs {
		var err error
		if bodies[i], err = json.Marshal(d); err != nil {
			b.Fatal(err)
		}
	}
	var ours, bare time.Duration
	n := 0
	for b.Loop() {
		ours += keepAll(b, docs, bodies)
		bare += insertAll(b, bodies)
		n++
	}
	perSecond := func(d time.Duration) float64 { return float64(n*intakeMachines) / d.Seconds() }
	b.ReportMetric(perSecond(ours), "machines/s")
	b.ReportMetric(perSecond(bare), "bare/s")
	b.ReportMetric(perSecond(ours)/perSecond(bare), "×bare")
}

func keepAll(b *testing.B, docs []*inventory.Document, bodies [][]byte) time.Duration {
	s, err := store.Open(filepath.Join(b.TempDir(), fmt.Sprint("ours", time.Now().UnixNano(), ".db")))
	if err != nil {
		b.Fatal(err)
	}
	defer s.Close()
	at := time.Now()
	work := make(chan int)
	var all sync.WaitGroup
	for range 1024 {
		all.Add(1)
		go func() {
			defer all.Done()
			for i := range work {
				if _, err := s.Keep(ctx, docs[i], store.Entry{Now: now, Text: bodies[i]}, unjudged); err != nil {
					b.Error(err)
				}
			}
		}()
	}
	for i := range docs {
		work <- i
	}
	close(work)
	all.Wait()
	return time.Since(at)
}

func insertAll(b *testing.B, bodies [][]byte) time.Duration {
	db, err := sql.Open("sqlite",
		"file:"+filepath.Join(b.TempDir(),
			fmt.Sprint("bare", time.Now().UnixNano(), ".db"))+"?_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)")
	if err != nil {
		b.Fatal(err)
	}
	defer db.Close()
	db.SetMaxOpenConns(1)
	if _, err := db.Exec("CREATE TABLE inventory (id INTEGER PRIMARY KEY, body BLOB NOT NULL) STRICT"); err != nil {
		b.Fatal(err)
	}
	at := time.Now()
	for len(bodies) > 0 {
		some := bodies[:min(256, len(bodies))]
		bodies = bodies[len(some):]
		tx, err := db.Begin()
		if err != nil {
			b.Fatal(err)
		}
		st, err := tx.Prepare("INSERT INTO inventory (body) VALUES (?)")
		if err != nil {
			b.Fatal(err)
		}
		for _, body := range some {
			if _, err := st.Exec(body); err != nil {
				b.Fatal(err)
			}
		}
		if err := tx.Commit(); err != nil {
			b.Fatal(err)
		}
	}
	return time.Since(at)
}
