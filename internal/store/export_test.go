package store

import (
	"context"
	"database/sql"
	"fmt"
	"io/fs"

	"github.com/pressly/goose/v3"
)

// Newest is the version of the newest schema.
func Newest() int64 { return newestMigration() }

// MakeAt makes a database of an older schema.
func MakeAt(path string, version int64) error {
	db, err := sql.Open("sqlite", "file:"+path)
	if err != nil {
		return err
	}
	defer db.Close()
	dir, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	p, err := goose.NewProvider(goose.DialectSQLite3, db, dir)
	if err != nil {
		return err
	}
	_, err = p.UpTo(context.Background(), version)
	return err
}

// Freeze has SQLite answer writes as it does where the disk cannot be written.
func (s *Store) Freeze(on bool) error {
	_, err := s.writer.Exec(fmt.Sprintf("PRAGMA query_only=%t", on))
	return err
}
