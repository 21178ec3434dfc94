package store

import (
	"database/sql"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"github.com/gofrs/flock"
)

// resolved is the file that a path leads to: a lock on a link would let a second service
// onto the same file.
func resolved(path string) (string, error) {
	st, err := os.Stat(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		if _, err := os.Lstat(path); err == nil {
			return "", fmt.Errorf("%s is a link to a file that does not exist; name the file itself", path)
		}
		dir, err := filepath.EvalSymlinks(filepath.Dir(path))
		if err != nil {
			return "", fmt.Errorf("the directory of the database does not exist: %w", err)
		}
		return filepath.Abs(filepath.Join(dir, filepath.Base(path)))
	case err != nil:
		return "", err
	case st.IsDir():
		return "", fmt.Errorf("%s is a directory; name a database file", path)
	case names(st) > 1:
		return "", fmt.Errorf("%s has a second name (a hard link), under which another service may have it open; "+
			"remove that name, or copy the file", path)
	}
	if path, err = filepath.EvalSymlinks(path); err != nil {
		return "", err
	}
	return filepath.Abs(path)
}

// locked locks a database file for this process. The lock's file stays when it is given
// back: another process may be waiting for it, and a third would lock a new one.
func locked(path string) (*flock.Flock, error) {
	lock := flock.New(path+".lock", flock.SetPermissions(0o600))
	got, err := lock.TryLock()
	if err != nil {
		return nil, fmt.Errorf("the database cannot be locked: %w", err)
	}
	if !got {
		return nil, fmt.Errorf("the database %s is in use by another rolltop; stop it, or name another file", path)
	}
	return lock, nil
}

// private makes the files of a database readable by their owner alone: a new one before
// SQLite writes its first byte, which gives its other files the same mode.
func private(path string) error {
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return fmt.Errorf("the database %s cannot be opened: %w", path, bare(err))
	}
	if err := f.Close(); err != nil {
		return err
	}
	for _, name := range []string{path, path + "-wal", path + "-shm"} {
		if err := ownersOnly(name); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("other users can read %s, and this cannot be changed: %w", name, bare(err))
		}
	}
	return nil
}

// bare drops the path that the system's errors repeat.
func bare(err error) error {
	var pe *os.PathError
	if errors.As(err, &pe) {
		return pe.Err
	}
	return err
}

// partial is the pattern of files beside a database that are not finished. Whoever has
// the lock removes those that a killed process left.
func partial(path string) string { return filepath.Base(path) + ".unfinished-*" }

func removePartial(path string) error {
	left, err := filepath.Glob(filepath.Join(filepath.Dir(path), partial(path)))
	for _, name := range left {
		err = errors.Join(err, os.Remove(name))
	}
	return err
}

// Beside makes an empty file beside the database, which its owner alone can read, and
// which is removed at the next start where the process is killed meanwhile.
func (s *database) Beside() (string, error) {
	f, err := os.CreateTemp(filepath.Dir(s.path), partial(s.path))
	if err != nil {
		return "", err
	}
	return f.Name(), f.Close()
}

// Path is the file of the database.
func (s *database) Path() string { return s.path }

// Fresh says that the database was made when it was opened.
func (s *database) Fresh() bool { return s.fresh }

func rowsOf(db *sql.DB, query string) ([]string, error) {
	rows, err := db.Query(query)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []string
	for rows.Next() {
		var text string
		if err := rows.Scan(&text); err != nil {
			return nil, err
		}
		out = append(out, text)
	}
	return out, rows.Err()
}
