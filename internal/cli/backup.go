package cli

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/internal/store"
)

func backupCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "backup --output FILE",
		Short: "Write a copy of the service's database, while it runs",
		Args:  cobra.NoArgs,
		RunE:  backup,
		Long:  help("backup"),
	}
	cmd.Flags().StringP("output", "o", "", "`file` to write; an existing file is not overwritten")
	cmd.Flags().Bool("encrypt", false, "encrypt the copy with a passphrase (age, scrypt)")
	cmd.Flags().String("database", "", "database file of a stopped service, instead of a running service")
	serviceFlags(cmd)
	return cmd
}

func backup(cmd *cobra.Command, _ []string) error {
	out, _ := cmd.Flags().GetString("output")
	if out == "" {
		return wrongUsage("the file is missing; give --output FILE")
	}
	if _, err := os.Lstat(out); err == nil {
		return fmt.Errorf("%s already exists and was not overwritten; choose another file", out)
	}
	passphrase := ""
	if encrypt, _ := cmd.Flags().GetBool("encrypt"); encrypt {
		var err error
		if passphrase, err = newPassphrase(cmd); err != nil {
			return err
		}
	}
	part, err := os.CreateTemp(filepath.Dir(out), ".rolltop-backup-*") // with mode 0600
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w", out, bare(err))
	}
	defer os.Remove(part.Name()) // where it has become the backup, there is none
	if err := copyDatabase(cmd, part); err != nil {
		return errors.Join(err, part.Close())
	}
	if err := errors.Join(part.Sync(), part.Close(), store.Verify(contextOf(cmd), part.Name())); err != nil {
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
	if err := os.Link(part.Name(), out); err != nil { // unlike a rename, it overwrites nothing
		return fmt.Errorf("%s cannot be written: %w", out, err)
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%s written and verified.\n", out)
	return nil
}

func copyDatabase(cmd *cobra.Command, to *os.File) error {
	path, _ := cmd.Flags().GetString("database")
	if path == "" {
		c, err := clientOf(cmd)
		if err != nil {
			return err
		}
		return c.Backup(contextOf(cmd), to)
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
	return errors.Join(st.Backup(contextOf(cmd), to.Name()), st.Close())
}

func restoreCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "restore BACKUP --database FILE",
		Short: "Restore a backup to a database file",
		Args:  cobra.ExactArgs(1),
		Long:  help("restore"),
		RunE: func(cmd *cobra.Command, args []string) error {
			path, _ := cmd.Flags().GetString("database")
			if path == "" {
				return wrongUsage("the database file is missing; give --database FILE")
			}
			from, done, err := decrypted(cmd, args[0], path)
			if err != nil {
				return err
			}
			defer done()
			if err := store.Restore(contextOf(cmd), from, path); err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(),
				"%s restored and verified. Start the service: rolltop serve --database %s\n", path, path)
			return nil
		},
	}
	cmd.Flags().String("database", "", "database file to create")
	return cmd
}

func exportCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "export",
		Short: "Export the machines that a filter selects as a table",
		Args:  cobra.NoArgs,
		RunE:  export,
		Long:  help("export"),
	}
	cmd.Flags().String("where", "", "filter")
	cmd.Flags().StringSlice("facts", nil, "facts to add as columns, separated by commas")
	cmd.Flags().StringP("output", "o", "", "`file` to write; an existing file is not overwritten (default: "+
		"standard output)")
	formatFlag(cmd, "csv", "json", "ndjson")
	serviceFlags(cmd)
	return cmd
}

func export(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	where, _ := cmd.Flags().GetString("where")
	facts, _ := cmd.Flags().GetStringSlice("facts")
	out, _ := cmd.Flags().GetString("output")
	if out == "" {
		return asUsage(c.Export(contextOf(cmd), where, form, facts, cmd.OutOrStdout()))
	}
	f, err := os.OpenFile(out, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if os.IsExist(err) {
		return fmt.Errorf("%s already exists and was not overwritten; choose another file", out)
	}
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w", out, bare(err))
	}
	if err := errors.Join(c.Export(contextOf(cmd), where, form, facts, f), f.Close()); err != nil {
		return errors.Join(asUsage(err), os.Remove(out))
	}
	fmt.Fprintf(cmd.ErrOrStderr(), "%s written.\n", out)
	return nil
}
