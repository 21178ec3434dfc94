//go:build unix

package machinekey

import (
	"fmt"
	"io/fs"
	"os"
	"runtime"
)

// DefaultPath is where the key of this machine stands.
func DefaultPath() string {
	if runtime.GOOS == "darwin" {
		return "/Library/Application Support/Rolltop/machine-key.pem"
	}
	return "/var/lib/rolltop-collect/machine-key.pem"
}

// private refuses a key that others can read.
func private(path string, st fs.FileInfo) error {
	if st.Mode().Perm()&0o077 != 0 {
		return fmt.Errorf("other users can read %s, so its key proves nothing; remove the file to create a new key",
			path)
	}
	return nil
}

func makeDirectory(path string) error { return os.MkdirAll(path, 0o700) }

func createPrivate(path string) (*os.File, error) {
	return os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
}
