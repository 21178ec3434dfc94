//go:build unix

package store

import (
	"io/fs"
	"os"
	"path/filepath"
	"syscall"

	"golang.org/x/sys/unix"
)

// FreeBytes is how much of the disk of the database is free for this process.
func (s *database) FreeBytes() (int64, error) {
	var st unix.Statfs_t
	if err := unix.Statfs(filepath.Dir(s.path), &st); err != nil {
		return 0, err
	}
	return int64(st.Bavail) * int64(st.Bsize), nil
}

// names is how many names a file has.
func names(st fs.FileInfo) uint64 {
	if sys, ok := st.Sys().(*syscall.Stat_t); ok {
		return uint64(sys.Nlink)
	}
	return 1
}

// ownersOnly takes from everybody but the owner what they may do with a file.
func ownersOnly(path string) error {
	st, err := os.Stat(path)
	if err != nil || st.Mode().Perm()&0o077 == 0 {
		return err
	}
	return os.Chmod(path, 0o600)
}
