//go:build unix

package store

import (
	"path/filepath"

	"golang.org/x/sys/unix"
)

// FreeBytes is how much of the disk of the database is free for this process.
func (s *Store) FreeBytes() (int64, error) {
	var st unix.Statfs_t
	if err := unix.Statfs(filepath.Dir(s.path), &st); err != nil {
		return 0, err
	}
	return int64(st.Bavail) * int64(st.Bsize), nil
}
