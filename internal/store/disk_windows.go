package store

import (
	"path/filepath"

	"golang.org/x/sys/windows"
)

// FreeBytes is how much of the disk of the database is free for this process.
func (s *Store) FreeBytes() (int64, error) {
	dir, err := windows.UTF16PtrFromString(filepath.Dir(s.path))
	if err != nil {
		return 0, err
	}
	var free uint64
	err = windows.GetDiskFreeSpaceEx(dir, &free, nil, nil)
	return int64(free), err
}
