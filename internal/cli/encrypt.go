package cli

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"filippo.io/age"
	"github.com/spf13/cobra"

	"rolltop.example/rolltop/internal/auth"
)

// Encrypted backups are files of the format age (C2SP, age.md) with a passphrase, so
// that they can be decrypted without this program, too.

// ageHeader begins every such file.
var ageHeader = []byte("age-encryption.org/v1\n")

// newPassphrase asks for a passphrase twice, where somebody is there who may mistype it.
func newPassphrase(cmd *cobra.Command) (string, error) {
	prompts := []string{"Passphrase of the backup"}
	if f, ok := cmd.InOrStdin().(*os.File); ok && isTerminal(f) {
		prompts = append(prompts, "Repeat the passphrase")
	}
	said, err := secrets(cmd, prompts...)
	if err != nil {
		return "", err
	}
	if len(said) == 2 && said[0] != said[1] {
		return "", errors.New("the passphrases differ; nothing was written")
	}
	if wrong := auth.Weakness(said[0], ""); wrong != "" {
		return "", wrongUsage("%s", wrong)
	}
	return said[0], nil
}

// encrypted writes a file encrypted beside it, reads it back, and gives its name.
func encrypted(path, passphrase string) (name string, err error) {
	to, err := os.CreateTemp(filepath.Dir(path), ".rolltop-backup-*")
	if err != nil {
		return "", err
	}
	err = errors.Join(encryptTo(to, path, passphrase), to.Sync(), to.Close())
	if err == nil {
		err = sameWhenDecrypted(to.Name(), path, passphrase)
	}
	if err != nil {
		return "", errors.Join(fmt.Errorf("the backup cannot be encrypted: %w", err), os.Remove(to.Name()))
	}
	return to.Name(), nil
}

func encryptTo(to io.Writer, path, passphrase string) error {
	from, err := os.Open(path)
	if err != nil {
		return err
	}
	defer from.Close()
	recipient, err := age.NewScryptRecipient(passphrase)
	if err != nil {
		return err
	}
	w, err := age.Encrypt(to, recipient)
	if err != nil {
		return err
	}
	_, err = io.Copy(w, from)
	return errors.Join(err, w.Close())
}

func sameWhenDecrypted(locked, plain, passphrase string) error {
	a, err := os.Open(locked)
	if err != nil {
		return err
	}
	defer a.Close()
	b, err := os.Open(plain)
	if err != nil {
		return err
	}
	defer b.Close()
	r, err := opened(a, passphrase)
	if err != nil {
		return err
	}
	one, two := make([]byte, 64<<10), make([]byte, 64<<10)
	for {
		n, err1 := io.ReadFull(r, one)
		m, err2 := io.ReadFull(b, two)
		if !bytes.Equal(one[:n], two[:m]) {
			return errors.New("the copy differs from the original")
		}
		if err1 != nil || err2 != nil {
			for _, err := range []error{err1, err2} {
				if err != nil && !errors.Is(err, io.EOF) && !errors.Is(err, io.ErrUnexpectedEOF) {
					return err
				}
			}
			return nil
		}
	}
}

func opened(from io.Reader, passphrase string) (io.Reader, error) {
	id, err := age.NewScryptIdentity(passphrase)
	if err != nil {
		return nil, err
	}
	r, err := age.Decrypt(from, id)
	var wrong *age.NoIdentityMatchError
	if errors.As(err, &wrong) {
		return nil, errors.New("wrong passphrase")
	}
	return r, err
}

// decrypted gives a backup as it is before it is restored to a path: itself, or decrypted
// in a file that done removes.
func decrypted(cmd *cobra.Command, backup, path string) (name string, done func(), err error) {
	nothing := func() {}
	from, err := os.Open(backup)
	if err != nil {
		return backup, nothing, nil // what is wrong is said by who reads it
	}
	defer from.Close()
	head := make([]byte, len(ageHeader))
	if _, err := io.ReadFull(from, head); err != nil || !bytes.Equal(head, ageHeader) {
		return backup, nothing, nil
	}
	if _, err := from.Seek(0, io.SeekStart); err != nil {
		return "", nothing, err
	}
	if _, err := os.Lstat(path); err == nil {
		return backup, nothing, nil // it is refused before anybody is asked for a passphrase
	}
	said, err := secrets(cmd, "Passphrase of the backup")
	if err != nil {
		return "", nothing, err
	}
	r, err := opened(from, said[0])
	if err != nil {
		return "", nothing, fmt.Errorf("%s: %w", backup, err)
	}
	to, err := os.CreateTemp(filepath.Dir(path), ".rolltop-backup-*")
	if err != nil {
		return "", nothing, err
	}
	done = func() { _ = os.Remove(to.Name()) }
	_, err = io.Copy(to, r)
	if err = errors.Join(err, to.Close()); err != nil {
		done()
		return "", nothing, fmt.Errorf("%s cannot be decrypted: %w", backup, err)
	}
	return to.Name(), done, nil
}
