package service

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"runtime"
	"testing"
	"time"

	_ "modernc.org/sqlite"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/standin"
	"rolltop.example/rolltop/internal/store"
)

const benchMachines = 100_000

// BenchmarkJudgeFleet judges 100,000 stored machines again, from SQLite to
// stored results, against a bare scan of the same rows plus a bare write of the
// same results, in the same run. The machines are those of the demo, again and
// again, each with a free space of its own.
func BenchmarkJudgeFleet(b *testing.B) {
	ctx := context.Background()
	path := filepath.Join(b.TempDir(), "fleet.db")
	st, err := store.Open(path)
	if err != nil {
		b.Fatal(err)
	}
	fill(b, st, path)
	rel, err := release.Read("skerry-12.yaml", standin.Releases()["skerry-12.yaml"], nil)
	if err != nil {
		b.Fatal(err)
	}
	if st, err = store.Open(path); err != nil {
		b.Fatal(err)
	}
	defer st.Close()
	s := assemble(Options{Store: st})
	s.Knowledge.set(knowledge.Shipped())
	raw, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		b.Fatal(err)
	}
	defer raw.Close()
	var scan, write, judge time.Duration
	var peak uint64
	runs := 0
	for b.Loop() {
		id, _, err := st.Judgement(ctx, "skerry-12", 100+runs, "bench", time.Now())
		if err != nil {
			b.Fatal(err)
		}
		stop := make(chan struct{})
		go func() {
			var m runtime.MemStats
			for {
				select {
				case <-stop:
					return
				case <-time.After(20 * time.Millisecond):
					runtime.ReadMemStats(&m)
					peak = max(peak, m.HeapInuse)
				}
			}
		}()
		at := time.Now()
		if err := s.Judge.class(ctx, fact.PC, Target{Release: rel, judgement: id}); err != nil {
			b.Fatal(err)
		}
		judge += time.Since(at)
		close(stop)
		at = time.Now()
		bareScan(b, raw)
		scan += time.Since(at)
		write += bareWrite(b, raw, id)
		runs++
	}
	n := float64(runs)
	b.ReportMetric(judge.Seconds()/n, "s/fleet")
	b.ReportMetric(scan.Seconds()/n, "s/scan")
	b.ReportMetric(write.Seconds()/n, "s/write")
	b.ReportMetric(judge.Seconds()/(scan+write).Seconds(), "×bare")
	b.ReportMetric(float64(peak)/(1<<20), "MiB-heap")
}

// fill puts packed facts of machines straight into the database and closes it.
func fill(b *testing.B, st *store.Store, path string) {
	b.Helper()
	if err := st.Close(); err != nil {
		b.Fatal(err)
	}
	org, err := standin.Load()
	if err != nil {
		b.Fatal(err)
	}
	machines, err := org.Fleet(time.Now())
	if err != nil {
		b.Fatal(err)
	}
	var facts []*fact.Facts
	for _, d := range machines {
		if f := fact.Read(d); f.Class() == fact.PC {
			facts = append(facts, f)
		}
	}
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		b.Fatal(err)
	}
	defer db.Close()
	tx, err := db.Begin()
	if err != nil {
		b.Fatal(err)
	}
	for i := range benchMachines {
		f := facts[i%len(facts)].With(fact.VolumeBytes, fact.Num(float64(200e9+i)), "")
		if _, err := tx.Exec("INSERT INTO machine (id, key, name, class, maker, serial, uuid, model, installed, "+
			"inventory_id, taken_at) VALUES (?, ?, ?, 'pc', '', '', '', '', '', ?, 0)", i+1, fmt.Sprintf("m%d", i),
			fmt.Sprintf("M%d", i), i+1); err != nil {
			b.Fatal(err)
		}
		if _, err := tx.Exec("INSERT INTO fact_row (machine_id, catalogue, class, row) VALUES (?, ?, 'pc', ?)", i+1,
			fact.Catalogue, f.Pack(nil)); err != nil {
			b.Fatal(err)
		}
	}
	if err := tx.Commit(); err != nil {
		b.Fatal(err)
	}
}

func bareScan(b *testing.B, db *sql.DB) {
	b.Helper()
	rows, err := db.Query("SELECT f.machine_id, d.inventory_id, f.row FROM fact_row f JOIN machine d ON d.id = " +
		"f.machine_id WHERE f.class='pc'")
	if err != nil {
		b.Fatal(err)
	}
	defer rows.Close()
	var machine, inventory int64
	var row []byte
	n := 0
	for rows.Next() {
		if err := rows.Scan(&machine, &inventory, &row); err != nil {
			b.Fatal(err)
		}
		n++
	}
	if n != benchMachines {
		b.Fatalf("%d rows", n)
	}
}

// bareWrite writes the verdicts of a judgement once more, into a table of the
// same form, a row at a time in one transaction.
func bareWrite(b *testing.B, db *sql.DB, judgement int64) time.Duration {
	b.Helper()
	rows, err := db.Query("SELECT judgement_id, machine_id, inventory_id, disposition, certain, publisher, fails, "+
		"sole, outcomes FROM verdict WHERE judgement_id=?", judgement)
	if err != nil {
		b.Fatal(err)
	}
	var all [][]any
	for rows.Next() {
		v := make([]any, 9)
		p := make([]any, 9)
		for i := range v {
			p[i] = &v[i]
		}
		if err := rows.Scan(p...); err != nil {
			b.Fatal(err)
		}
		all = append(all, v)
	}
	rows.Close()
	if len(all) != benchMachines {
		b.Fatalf("%d verdicts", len(all))
	}
	if _, err := db.Exec("DROP TABLE IF EXISTS bare; CREATE TABLE bare (judgement_id INTEGER, machine_id INTEGER, " +
		"inventory_id INTEGER, disposition INTEGER, certain INTEGER, publisher INTEGER, fails INTEGER, sole TEXT, " +
		"outcomes TEXT, PRIMARY KEY (judgement_id, machine_id)) STRICT, WITHOUT ROWID"); err != nil {
		b.Fatal(err)
	}
	at := time.Now()
	tx, err := db.Begin()
	if err != nil {
		b.Fatal(err)
	}
	st, err := tx.Prepare("INSERT INTO bare VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)")
	if err != nil {
		b.Fatal(err)
	}
	for _, v := range all {
		if _, err := st.Exec(v...); err != nil {
			b.Fatal(err)
		}
	}
	if err := tx.Commit(); err != nil {
		b.Fatal(err)
	}
	return time.Since(at)
}
