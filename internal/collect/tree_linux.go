package collect

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"

	"golang.org/x/sys/unix"
)

// tree is where files are read: this machine, or the tree of another one below a
// directory. Of the latter only regular files are opened, and no link leads out of it: a
// device node or a link in it would be this machine's.
type tree struct{ root *os.Root } // nil: this machine

// errNotRegular refuses what is no file: a pipe would wait for a writer, and a device
// node is the one of this machine.
var errNotRegular = errors.New("it is not a regular file")

func openTree(dir string) (tree, error) {
	if dir == "" {
		return tree{}, nil
	}
	root, err := os.OpenRoot(dir)
	return tree{root}, err
}

func (t tree) close() {
	if t.root != nil {
		_ = t.root.Close()
	}
}

// inside is a path as the tree's directory knows it.
func inside(path string) string {
	if path = strings.Trim(path, "/"); path == "" {
		return "."
	}
	return path
}

// maxLinks is how many absolute links in a row are followed.
const maxLinks = 8

// follow does something with a path of another machine's tree. An absolute link there
// begins at the tree's root, and not at this machine's.
func follow[T any](t tree, path string, do func(path string) (T, error)) (T, error) {
	path = inside(path)
	for range maxLinks {
		got, err := do(path)
		if err == nil {
			return got, nil
		}
		target, linkErr := t.root.Readlink(path)
		if linkErr != nil || !filepath.IsAbs(target) {
			return got, err
		}
		path = inside(target)
	}
	var none T
	return none, syscall.ELOOP
}

// open opens a regular file, or on this machine whatever there is.
func (t tree) open(path string) (*os.File, error) {
	if t.root == nil {
		return os.Open(path)
	}
	f, err := follow(t, path, func(path string) (*os.File, error) {
		return t.root.OpenFile(path, os.O_RDONLY|unix.O_NONBLOCK|unix.O_NOCTTY, 0)
	})
	if err != nil {
		return nil, err
	}
	if st, err := f.Stat(); err != nil || !st.Mode().IsRegular() {
		return nil, errors.Join(err, errNotRegular, f.Close())
	}
	return f, nil
}

// read reads a file, or the beginning of one.
func (t tree) read(path string, most int) ([]byte, error) {
	if t.root == nil {
		return readCapped(path, most)
	}
	f, err := t.open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return io.ReadAll(io.LimitReader(f, int64(most)))
}

func (t tree) names(path string, most int) ([]string, error) {
	var f *os.File
	var err error
	if t.root == nil {
		f, err = os.Open(path)
	} else {
		f, err = follow(t, path, func(path string) (*os.File, error) {
			return t.root.OpenFile(path, os.O_RDONLY|unix.O_DIRECTORY|unix.O_NONBLOCK, 0)
		})
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	names, err := f.Readdirnames(most)
	if errors.Is(err, io.EOF) {
		err = nil
	}
	slices.Sort(names) // the kernel's order can differ from one start to the next
	return names, err
}

func (t tree) stat(path string) (fs.FileInfo, error) {
	if t.root == nil {
		return os.Stat(path)
	}
	return follow(t, path, t.root.Stat)
}

func (t tree) readlink(path string) (string, error) {
	if t.root == nil {
		return os.Readlink(path)
	}
	return t.root.Readlink(inside(path))
}

func (t tree) statfs(path string) (st unix.Statfs_t, err error) {
	if t.root == nil {
		return st, unix.Statfs(path, &st)
	}
	f, err := follow(t, path, func(path string) (*os.File, error) {
		return t.root.OpenFile(path, os.O_RDONLY|unix.O_DIRECTORY|unix.O_NONBLOCK, 0)
	})
	if err != nil {
		return st, err
	}
	defer f.Close()
	return st, unix.Fstatfs(int(f.Fd()), &st)
}
