package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
)

// Backup writes a copy of the database, as it is at one moment, to a file that is empty
// or not there yet, and that its owner alone can read. Reading and writing go on
// meanwhile.
func (s *database) Backup(ctx context.Context, path string) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE, 0o600) // SQLite would let others read it
	if err != nil {
		return fmt.Errorf("the copy cannot be written: %w", err)
	}
	st, err := f.Stat()
	if err = errors.Join(err, f.Close()); err != nil {
		return err
	}
	if st.Size() > 0 {
		return fmt.Errorf("%s already exists and was not overwritten; choose another file", path)
	}
	db, err := sql.Open("sqlite", "file:"+(&url.URL{Path: s.path}).EscapedPath()+"?_pragma=busy_timeout(5000)")
	if err != nil {
		return err
	}
	_, err = db.ExecContext(ctx, "VACUUM INTO ?", path)
	if err = errors.Join(err, db.Close()); err != nil {
		return errors.Join(fmt.Errorf("the copy cannot be written: %w", err), removed(path))
	}
	return nil
}

func removed(path string) error {
	if err := os.Remove(path); !errors.Is(err, os.ErrNotExist) {
		return err
	}
	return nil
}

// Verify refuses a file that is no Rolltop database, is from a newer version, or
// is damaged.
func Verify(ctx context.Context, path string) error {
	if st, err := os.Stat(path); errors.Is(err, os.ErrNotExist) {
		return fmt.Errorf("the backup %s does not exist", path)
	} else if err != nil {
		return fmt.Errorf("the backup cannot be read: %w", err)
	} else if st.IsDir() || st.Size() == 0 {
		return fmt.Errorf("%s is not a backup; name a file that rolltop backup wrote", path)
	}
	dsn := "file:" + (&url.URL{Path: path}).EscapedPath() + "?mode=ro&immutable=1"
	if err := inspect(path, dsn); err != nil {
		return err
	}
	db, err := sql.Open("sqlite", dsn)
	if err != nil {
		return err
	}
	defer db.Close()
	var says string
	if err := db.QueryRowContext(ctx, "PRAGMA integrity_check(1)").Scan(&says); err != nil {
		return explain(path, err)
	}
	if says != "ok" {
		return fmt.Errorf("the backup %s is damaged (%s); use another backup", path, says)
	}
	return nil
}

// Restore puts a verified backup where a database is to be. It overwrites
// nothing.
func Restore(ctx context.Context, backup, path string) error {
	if err := Verify(ctx, backup); err != nil {
		return err
	}
	from, err := os.Open(backup)
	if err != nil {
		return err
	}
	defer from.Close()
	to, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if errors.Is(err, os.ErrExist) {
		return fmt.Errorf("%s already exists and was not overwritten; move it away first, or choose another file", path)
	}
	if err != nil {
		return err
	}
	_, err = io.Copy(to, from)
	if err = errors.Join(err, to.Sync(), to.Close()); err != nil {
		return errors.Join(err, removed(path))
	}
	return Verify(ctx, path)
}
