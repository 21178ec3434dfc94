package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/internal/store"
)

// backupOptions are what is copied, and how.
type backupOptions struct {
	To       string `option:"output,o" usage:"file to write (-: standard output); an existing file is not overwritten" complete:"file" value:"file"`
	Encrypt  bool   `option:"encrypt" usage:"encrypt the copy with a passphrase (age, scrypt)"`
	Database string `option:"database" usage:"database file of a stopped service, instead of a running service" complete:"file"`
	serviceOptions
}

func backupCommand() *cobra.Command {
	return with(
		command("backup --output FILE", "Write a copy of the service's database, while it runs", backup),
		"backup",
	)
}

func backup(c *call[backupOptions]) error {
	out := c.o.To
	if out == "" {
		return wrongUsage("the file is missing; give --output FILE")
	}
	dir := filepath.Dir(out)
	if out == "-" {
		dir = os.TempDir() // it is checked before anything of it is printed
	} else if _, err := os.Lstat(out); err == nil {
		return exists(out)
	}
	passphrase := ""
	if c.o.Encrypt {
		var err error
		if passphrase, err = newPassphrase(c.cmd); err != nil {
			return err
		}
	}
	part, err := os.CreateTemp(dir, ".rolltop-backup-*") // with mode 0600
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w", out, bare(err))
	}
	defer os.Remove(part.Name()) // where it has become the backup, there is none
	if err := copyDatabase(c, part); err != nil {
		return errors.Join(err, part.Close())
	}
	if err := errors.Join(part.Sync(), part.Close(), store.Verify(c.ctx(), part.Name())); err != nil {
		return err
	}
	if passphrase != "" {
		locked, err := encrypted(part.Name(), passphrase)
		if err != nil {
			return err
		}
		defer os.Remove(locked)
		if err := os.Rename(locked, part.Name()); err != nil {
			return err
		}
	}
	if out == "-" {
		return printFile(c.out(), part.Name())
	}
	if err := os.Link(part.Name(), out); err != nil { // unlike a rename, it overwrites nothing
		return fmt.Errorf("%s cannot be written: %w", out, err)
	}
	c.done("%s written and verified.", out)
	return nil
}

func printFile(to io.Writer, path string) error {
	f, err := os.Open(path)
	if err != nil {
		return err
	}
	defer f.Close()
	_, err = io.Copy(to, f)
	return err
}

func copyDatabase(c *call[backupOptions], to *os.File) error {
	path := c.o.Database
	if path == "" {
		s, err := c.client()
		if err != nil {
			return err
		}
		return s.Backup(c.ctx(), to)
	}
	if _, err := os.Stat(path); err != nil {
		return fmt.Errorf("%s cannot be read: %w", path, bare(err))
	}
	st, err := store.Open(path)
	if err != nil {
		return err
	}
	if err := os.Remove(to.Name()); err != nil {
		return errors.Join(err, st.Close())
	}
	return errors.Join(st.Backup(c.ctx(), to.Name()), st.Close())
}

// restoreOptions are where a backup goes.
type restoreOptions struct {
	Database string `option:"database" usage:"database file to create" complete:"file"`
}

func restoreCommand() *cobra.Command {
	return with(command("restore FILE --database FILE", "Restore a backup to a database file", restore), "restore")
}

func restore(c *call[restoreOptions]) error {
	path := c.o.Database
	if path == "" {
		return wrongUsage("the database file is missing; give --database FILE")
	}
	backup, remove, err := received(c.place, c.args[0], path)
	if err != nil {
		return err
	}
	defer remove()
	from, done, err := decrypted(c.cmd, backup, path)
	if err != nil {
		return err
	}
	defer done()
	if err := store.Restore(c.ctx(), from, path); err != nil {
		return err
	}
	c.done("%s restored and verified. Start the service: rolltop serve --database %s", path, path)
	return nil
}

// received is a backup as a file; what comes from standard input is put beside the database first.
func received(c *place, backup, path string) (name string, remove func(), err error) {
	if backup != "-" {
		return backup, func() {}, nil
	}
	to, err := os.CreateTemp(filepath.Dir(path), ".rolltop-backup-*") // with mode 0600
	if err != nil {
		return "", nil, fmt.Errorf("%s cannot be written: %w", path, bare(err))
	}
	remove = func() { _ = os.Remove(to.Name()) }
	if _, err := io.Copy(to, c.cmd.InOrStdin()); err != nil {
		remove()
		return "", nil, errors.Join(err, to.Close())
	}
	return to.Name(), remove, to.Close()
}
