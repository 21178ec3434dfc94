// Package safefile writes files that hold what others must not read, and that are whole
// or not there.
package safefile

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// Write writes a file that only its owner can read, from its first byte: a new one, which
// then takes the place of a regular file of that name. A link or a device of that name is
// refused, and stays as it is.
func Write(path string, data []byte) error {
	switch st, err := os.Lstat(path); {
	case err == nil && !st.Mode().IsRegular():
		return fmt.Errorf("%s is not a regular file; name another file", path)
	case err != nil && !errors.Is(err, fs.ErrNotExist):
		return err
	}
	f, err := os.CreateTemp(filepath.Dir(path), ".rolltop-*") // with mode 0600
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	err = errors.Join(err, f.Sync(), f.Close())
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	if err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	return nil
}
