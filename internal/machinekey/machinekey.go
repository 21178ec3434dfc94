// Package machinekey keeps the key with which a machine signs its inventories, in a file
// that only its administrators can read.
package machinekey

import (
	"crypto/ed25519"
	"crypto/rand"
	"crypto/x509"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// Load reads the key in a file, or makes the file with a new one, and its directory. The
// error may wrap [fs.ErrPermission].
func Load(path string) (ed25519.PrivateKey, error) {
	text, err := read(path)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return create(path)
	case err != nil:
		return nil, err
	}
	block, _ := pem.Decode(text)
	if block == nil {
		return nil, damaged(path)
	}
	key, err := x509.ParsePKCS8PrivateKey(block.Bytes)
	if err != nil {
		return nil, damaged(path)
	}
	private, ok := key.(ed25519.PrivateKey)
	if !ok {
		return nil, damaged(path)
	}
	return private, nil
}

func damaged(path string) error {
	return fmt.Errorf("%s does not contain a machine's key; remove the file to create a new key, which an "+
		"administrator of the service has to confirm", path)
}

// largest is the size of a file that may be a key, in bytes.
const largest = 4096

func read(path string) ([]byte, error) {
	st, err := os.Lstat(path)
	if err != nil {
		return nil, err
	}
	if !st.Mode().IsRegular() || st.Size() > largest {
		return nil, damaged(path)
	}
	if err := private(path, st); err != nil {
		return nil, err
	}
	return os.ReadFile(path)
}

func create(path string) (ed25519.PrivateKey, error) {
	_, key, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return nil, err
	}
	der, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return nil, err
	}
	if err := makeDirectory(filepath.Dir(path)); err != nil {
		return nil, err
	}
	f, err := createPrivate(path)
	if err != nil {
		return nil, err
	}
	err = pem.Encode(f, &pem.Block{Type: "PRIVATE KEY", Bytes: der})
	if err = errors.Join(err, f.Sync(), f.Close()); err != nil {
		return nil, errors.Join(err, os.Remove(path))
	}
	return key, nil
}
