package machinekey

import (
	"io/fs"
	"os"
	"path/filepath"
	"unsafe"

	"golang.org/x/sys/windows"
)

// DefaultPath is where the key of this machine stands.
func DefaultPath() string {
	return filepath.Join(os.Getenv("ProgramData"), "Rolltop", "machine-key.pem")
}

// administrators is an access list for the system and its administrators alone, which
// inherits nothing.
const administrators = "D:P(A;OICI;FA;;;SY)(A;OICI;FA;;;BA)"

func attributes() (*windows.SecurityAttributes, error) {
	d, err := windows.SecurityDescriptorFromString(administrators)
	if err != nil {
		return nil, err
	}
	a := &windows.SecurityAttributes{SecurityDescriptor: d}
	a.Length = uint32(unsafe.Sizeof(*a))
	return a, nil
}

// private: whoever cannot read the file fails at that, and it is made with an access list
// of its own.
func private(string, fs.FileInfo) error { return nil }

func makeDirectory(path string) error {
	if _, err := os.Stat(path); err == nil {
		return nil
	}
	a, err := attributes()
	if err != nil {
		return err
	}
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return err
	}
	return windows.CreateDirectory(name, a)
}

func createPrivate(path string) (*os.File, error) {
	a, err := attributes()
	if err != nil {
		return nil, err
	}
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return nil, err
	}
	h, err := windows.CreateFile(name, windows.GENERIC_WRITE, 0, a, windows.CREATE_NEW, windows.FILE_ATTRIBUTE_NORMAL,
		0)
	if err != nil {
		return nil, &fs.PathError{Op: "create", Path: path, Err: err}
	}
	return os.NewFile(uintptr(h), path), nil
}
