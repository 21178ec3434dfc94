package store

import (
	"bytes"
	"compress/gzip"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/fleet"
	"rolltop.example/rolltop/internal/expect"
)

// Databases of former schemas are in testdata, as versions with those schemas left them:
// schema-N.db.gz. ROLLTOP_WRITE_SCHEMA=1 writes that of the newest, once, when a
// migration is added.

// sampleRows are rows that a database of a schema has, in the words of that schema. They
// are added when a schema comes that has such rows.
var sampleRows = map[int64][]string{
	1: {
		`INSERT INTO device (id, key, name, class, maker, serial, uuid, model, installed, inventory_id, taken_at)
			VALUES (1, 'gull-001', 'GULL-001', 'pc', 'Ostrel', 'OS1', '', 'Slipway 14', 'Skerry 11', 1, 1790000000000)`,
		`INSERT INTO inventory (id, device_id, taken_at, last_seen_at, sha, body) VALUES (1, 1, 1790000000000, 1790000000000, x'01', x'00')`,
		`INSERT INTO place VALUES ('GULL', 'Gull Quay')`,
		`INSERT INTO user (name, role, password) VALUES ('boss', 'administrator', 'x'), ('clerk', 'reader', 'x')`,
		`INSERT INTO token (id, name, scope, sha, created_at) VALUES (1, 'desks', 'submit', x'02', 1790000000000)`,
		`INSERT INTO judgement (id, release_id, revision, engine, at) VALUES (1, 'skerry-12', 1, 'x', 1790000000000)`,
		`INSERT INTO verdict (judgement_id, device_id, inventory_id, disposition, certain, publisher, answer, fails, sole, outcomes) VALUES (1, 1, 1, 0, 1, 0, '', 0, '', 'p')`,
		`INSERT INTO target (class, release_id) VALUES ('pc', 'skerry-12')`,
	},
	2: {
		`INSERT INTO hand_fact (device_id, fact, value, by_whom, at, note) VALUES (1, 'tpm.header', 'true', 'boss', 1790000000000, '')`,
	},
	3: {
		`INSERT INTO tick (device_id, item, state, by_whom, at, note) VALUES (1, 'prepare/backup', 'done', 'boss', 1790000000000, '')`,
	},
	4: {
		`INSERT INTO audit (at, who, what, subject, was, becomes) VALUES (1790000000000, 'boss', 'tick', 'gull-001', '', 'done')`,
	},
	5: {`INSERT INTO tag VALUES (1, 'season')`},
}

// makeDatabase makes a database of a schema, with what all schemas until then have.
func makeDatabase(t *testing.T, path string, version int64) {
	t.Helper()
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	for v := int64(1); v <= version; v++ {
		if err := migrate(db, v); err != nil {
			t.Fatal(err)
		}
		for _, row := range sampleRows[v] {
			if _, err := db.Exec(row); err != nil {
				t.Fatalf("schema %d: %v", v, err)
			}
		}
	}
}

func keptDatabase(version int64) string { return fmt.Sprintf("testdata/schema-%d.db.gz", version) }

func TestWriteSchema(t *testing.T) {
	if os.Getenv("ROLLTOP_WRITE_SCHEMA") == "" {
		t.Skip("ROLLTOP_WRITE_SCHEMA=1 writes what is not there yet")
	}
	var lines strings.Builder
	for v := int64(1); v <= newestMigration(); v++ {
		path := filepath.Join(t.TempDir(), "x.db")
		makeDatabase(t, path, v)
		db, err := sql.Open("sqlite", "file:"+path)
		if err != nil {
			t.Fatal(err)
		}
		sum, err := schemaSum(db)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := db.Exec("PRAGMA journal_mode=DELETE"); err != nil {
			t.Fatal(err)
		}
		_ = db.Close()
		fmt.Fprintln(&lines, v, sum)
		if _, err := os.Stat(keptDatabase(v)); err == nil {
			continue // it is frozen
		}
		text, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		var packed bytes.Buffer
		z, _ := gzip.NewWriterLevel(&packed, gzip.BestCompression)
		_, _ = z.Write(text)
		_ = z.Close()
		if err := os.WriteFile(keptDatabase(v), packed.Bytes(), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	if err := os.WriteFile("migrations/schema.sum", []byte(lines.String()), 0o644); err != nil {
		t.Fatal(err)
	}
}

// unpackDatabase puts a kept database where it can be opened.
func unpackDatabase(t *testing.T, version int64) string {
	t.Helper()
	f, err := os.Open(keptDatabase(version))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	z, err := gzip.NewReader(f)
	if err != nil {
		t.Fatal(err)
	}
	path := filepath.Join(t.TempDir(), "fleet.db")
	to, err := os.OpenFile(path, os.O_CREATE|os.O_WRONLY, 0o644)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := io.Copy(to, z); err != nil {
		t.Fatal(err)
	}
	if err := to.Close(); err != nil {
		t.Fatal(err)
	}
	return path
}

// A database of each former schema becomes one of the newest, with all that it held.
func TestEverySchemaIsMigrated(t *testing.T) {
	for v := int64(1); v <= newestMigration(); v++ {
		path := unpackDatabase(t, v)
		s, err := Open(path)
		if err != nil {
			t.Errorf("schema %d: %v", v, err)
			continue
		}
		d, err := s.MachineByKey(t.Context(), "gull-001")
		expect.NoError(t, err)
		expect.Same(t, "d.Serial", d.Serial, "OS1")
		expect.Same(t, "d.Model", d.Model, "Slipway 14")
		expect.Same(t, "d.TokenID", d.TokenID, -1)
		users, err := s.Users(t.Context())
		expect.NoError(t, err)
		expect.Same(t, "len(users)", len(users), 2)
		expect.Same(t, "users[1].Role", users[1].Role, "viewer")
		tokens, err := s.Tokens(t.Context())
		expect.NoError(t, err)
		expect.Same(t, "len(tokens)", len(tokens), 1)
		expect.Same(t, "tokens[0].UsesLeft", tokens[0].UsesLeft, 10_000)
		for since, query := range map[int64]string{
			2: "SELECT count(*) FROM hand_fact WHERE value='true'", 3: "SELECT count(*) FROM tick WHERE state='done'",
			4: "SELECT count(*) FROM audit WHERE who='boss'", 5: "SELECT count(*) FROM tag WHERE tag='season'",
		} {
			var n int
			if err := s.reader.Get(&n, query); v >= since {
				if err != nil || n != 1 {
					t.Errorf("schema %d: %s: %d %v", v, query, n, err)
				}
			}
		}
		if st, err := os.Stat(path); err != nil || st.Mode().Perm() != 0o600 {
			t.Errorf("schema %d: other users can read it: %v %v", v, st.Mode(), err)
		}
		if err := s.Close(); err != nil {
			t.Error(err)
		}
	}
}

// Filters, sites and the audit log use the new words after migration 9.
func TestWordsAreMigrated(t *testing.T) {
	path := filepath.Join(t.TempDir(), "fleet.db")
	makeDatabase(t, path, 8)
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		t.Fatal(err)
	}
	for _, row := range []string{
		`INSERT INTO saved_filter VALUES ('mine', 'place="Gull Quay" doubt=yes who=me', '-place', '', 'boss', 0)`,
		`INSERT INTO decision (kind, scope, release_id, requirement, reason, by_whom, at, until)
			VALUES ('hold', 'freed=tpm-on', '', '', 'r', 'boss', 1790000000000, 1990000000000)`,
		`UPDATE device SET placed='Holm Ferry'`,
		`INSERT INTO audit (at, who, what, subject, was, becomes) VALUES (1790000000000, 'boss', 'put-house', 'steps', '', '')`,
	} {
		if _, err := db.Exec(row); err != nil {
			t.Fatalf("%s: %v", row, err)
		}
	}
	if err := db.Close(); err != nil {
		t.Fatal(err)
	}
	s, err := Open(path)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	for query, want := range map[string]string{
		"SELECT filter FROM saved_filter":               `site="Gull Quay" duplicate=yes assigned=me`,
		"SELECT sort FROM saved_filter":                 "-site",
		"SELECT scope FROM decision":                    "fixed_by=tpm-on",
		"SELECT site FROM machine WHERE key='gull-001'": "Holm Ferry",
		"SELECT name FROM site":                         "Gull Quay",
		"SELECT what FROM audit WHERE subject='steps'":  "set-knowledge",
	} {
		t.Run(query, func(t *testing.T) {
			var got string
			if err := s.reader.Get(&got, query); err != nil || got != want {
				t.Errorf("%s: %q %v, want %q", query, got, err, want)
			}
		})
	}
}

// Migrations that have run somewhere are never changed, nor are the schemas that they
// make. A sum changes here for a migration that is new, and for no other.
func TestMigrationsAreFrozen(t *testing.T) {
	var all strings.Builder
	dir, err := migrationsFS()
	if err != nil {
		t.Fatal(err)
	}
	names, _ := fs.Glob(dir, "*.sql")
	for _, name := range names {
		text, err := fs.ReadFile(dir, name)
		if err != nil {
			t.Fatal(err)
		}
		sum := sha256.Sum256(text)
		fmt.Fprintf(&all, "%s  %s\n", hex.EncodeToString(sum[:]), name)
	}
	want, err := os.ReadFile("testdata/migrations.sha256")
	if os.Getenv("ROLLTOP_WRITE_SCHEMA") != "" {
		err = os.WriteFile("testdata/migrations.sha256", []byte(all.String()), 0o644)
		want = []byte(all.String())
	}
	if err != nil || string(want) != all.String() {
		t.Errorf("a migration was changed, or its sum is missing: %v\n%s", err, all.String())
	}
	for v := int64(1); v <= newestMigration(); v++ {
		if sumOf(v) == "" {
			t.Errorf("schema %d has no checksum", v)
		}
	}
}

// A database that something else has changed is refused, and stays as it is.
func TestAChangedSchemaIsRefused(t *testing.T) {
	for _, change := range []string{
		"ALTER TABLE machine ADD COLUMN extra TEXT",
		"DROP INDEX device_board",
		"CREATE TABLE mine (x)",
	} {
		path := unpackDatabase(t, newestMigration())
		db, err := sql.Open("sqlite", "file:"+path)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := db.Exec(change); err != nil {
			t.Fatal(err)
		}
		_ = db.Close()
		before, _ := os.ReadFile(path)
		s, err := Open(path)
		if err == nil {
			_ = s.Close()
		}
		if err == nil || !strings.Contains(err.Error(), "are not those of schema") {
			t.Errorf("%s: %v", change, err)
		}
		if after, _ := os.ReadFile(path); !bytes.Equal(before, after) {
			t.Errorf("%s: the file was changed", change)
		}
	}
}

// A stored filter picks what it picked before “or”, “not” and parentheses had a meaning.
// TestFiltersAreMigrated opens a database of before filters were a language, and one that
// was used with the language before its quotes were mended.
func TestFiltersAreMigrated(t *testing.T) {
	path := filepath.Join(t.TempDir(), "fleet.db")
	save := func(name, where string, at time.Time) {
		db, err := sql.Open("sqlite", "file:"+path)
		expect.NoError(t, err)
		defer db.Close()
		_, err = db.Exec(`INSERT INTO saved_filter VALUES (?, ?, '', '', 'boss', ?)`, name, where, at.UnixMilli())
		expect.NoError(t, err)
		_, err = db.Exec(`INSERT INTO decision (kind, scope, release_id, requirement, reason, by_whom, at, until)
			VALUES ('hold', ?, '', '', ?, 'boss', ?, 0)`, where, name, at.UnixMilli())
		expect.NoError(t, err)
	}
	upgrade := func(version int64) {
		db, err := sql.Open("sqlite", "file:"+path)
		expect.NoError(t, err)
		defer db.Close()
		for v := int64(1); v <= version; v++ {
			expect.NoError(t, migrate(db, v))
		}
	}
	upgrade(9)
	for i, where := range []string{
		`tern or slipway`, `not site="Gull Quay"`, `(old) model="Bollard (300)"`, `site="Gull or Quay" OR`, `class=pc`,
		`model="A) x (*" b*`,
	} {
		save(fmt.Sprint("f", i), where, time.Unix(0, 0))
	}
	upgrade(10)
	save("f6", `(name=GULL* or model="A (*)")`, time.Now().Add(time.Minute))
	s, err := Open(path)
	expect.NoError(t, err)
	defer s.Close()
	filters, err := s.SavedFilters(t.Context())
	expect.NoError(t, err)
	var saved, scopes []string
	for _, f := range filters {
		read, err := fleet.Parse(f.Filter)
		expect.NoError(t, err)
		saved = append(saved, read.String())
		var scope string
		expect.NoError(t, s.reader.Get(&scope, "SELECT scope FROM decision WHERE reason=?", f.Name))
		read, err = fleet.Parse(scope)
		expect.NoError(t, err)
		scopes = append(scopes, read.String())
	}
	want := `tern "or" slipway; "not" site="Gull Quay"; "(old)" model="Bollard (300)"; site="Gull or Quay" "or"; ` +
		`class=pc; model="A) x (*" "b*"; device.name=GULL* or model="A (*)"`
	expect.Same(t, "the filters", strings.Join(saved, "; "), want)
	expect.Same(t, "the scopes", strings.Join(scopes, "; "), want)
}
