package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	_ "embed"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"strings"

	"github.com/pressly/goose/v3"
)

// sums are the checksums of the schema after each migration, a line each: its number and
// the sum. A migration that was changed after it had run somewhere would otherwise leave
// databases that look like ours and are not.
//
//go:embed migrations/schema.sum
var sums string

// SchemaSum is the checksum of the schema of a database: of the statements that made its
// tables and indexes, in the order of their names, without blanks that mean nothing.
func schemaSum(db *sql.DB) (string, error) {
	list, err := rowsOf(db, `SELECT type||' '||name||' '||coalesce(sql, '') FROM sqlite_schema
		WHERE name NOT LIKE 'sqlite\_%' ESCAPE '\' AND tbl_name<>'goose_db_version' ORDER BY type, name`)
	if err != nil {
		return "", err
	}
	h := sha256.New()
	for _, text := range list {
		fmt.Fprintln(h, strings.Join(strings.Fields(text), " "))
	}
	return hex.EncodeToString(h.Sum(nil)), nil
}

func sumOf(version int64) string {
	for line := range strings.Lines(sums) {
		var v int64
		var sum string
		if n, _ := fmt.Sscanf(line, "%d %s", &v, &sum); n == 2 && v == version {
			return sum
		}
	}
	return ""
}

// verifySchema refuses a database whose schema is not what its version has.
func verifySchema(path string, db *sql.DB) error {
	var version int64
	if err := db.QueryRow("SELECT coalesce(max(version_id), 0) FROM goose_db_version").Scan(&version); err != nil {
		return explain(path, err)
	}
	if version == 0 {
		return nil // nothing was made yet
	}
	got, err := schemaSum(db)
	if err != nil {
		return explain(path, err)
	}
	if got != sumOf(version) {
		return fmt.Errorf("the tables of %s are not those of schema %d: the file was changed by something else, or "+
			"comes from a version of rolltop that was never released; restore a backup", path, version)
	}
	return nil
}

func migrationsFS() (fs.FS, error) { return fs.Sub(migrations, "migrations") }

func newestMigration() int64 {
	names, _ := fs.Glob(migrations, "migrations/*.sql")
	var newest int64
	for _, n := range names {
		var v int64
		if _, err := fmt.Sscanf(filepath.Base(n), "%d_", &v); err == nil && v > newest {
			newest = v
		}
	}
	return newest
}

// migrate brings a database up to a version.
func migrate(db *sql.DB, to int64) error {
	dir, err := migrationsFS()
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db, dir)
	if err != nil {
		return err
	}
	_, err = p.UpTo(context.Background(), to)
	if errors.Is(err, goose.ErrNoNextVersion) {
		return nil
	}
	return err
}
