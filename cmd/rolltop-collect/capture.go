package main

import (
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/redact"
	"rolltop.example/rolltop/internal/collect"
)

// gather reads the machine, or a saved capture, and saves the raw readings
// where that is asked for.
func gather(o *options) (*inventory.Document, error) {
	c, err := readings(o)
	if err != nil {
		return nil, err
	}
	if o.redact {
		key, err := redactKey(o.redactKey)
		if err != nil {
			return nil, err
		}
		c = redact.Capture(c, key)
	}
	if o.saveCapture != "" {
		b, err := json.MarshalIndent(c, "", " ")
		if err != nil {
			return nil, err
		}
		if err := os.WriteFile(o.saveCapture, append(b, '\n'), 0o600); err != nil {
			return nil, fmt.Errorf("the capture cannot be written: %w", err)
		}
	}
	return decode.Inventory(c)
}

func readings(o *options) (*capture.Document, error) {
	if o.fromCapture == "" {
		return collect.Capture(collect.Options{Root: o.root, Software: o.software})
	}
	if o.root != "" {
		return nil, errors.New("--from-capture and --root do not go together: one decodes a file, the other reads a tree")
	}
	f, err := os.Open(o.fromCapture)
	if err != nil {
		return nil, fmt.Errorf("the capture cannot be read: %w", err)
	}
	defer f.Close()
	src, err := io.ReadAll(io.LimitReader(f, doc.MaxBytes+1))
	if err != nil {
		return nil, fmt.Errorf("the capture cannot be read: %w", err)
	}
	return capture.Read(o.fromCapture, src)
}

// leastKey is the least length of a key: shorter ones can be guessed, and with
// the key every serial number.
const leastKey = 16

func redactKey(path string) ([]byte, error) {
	if path == "" {
		key := make([]byte, 32)
		_, err := rand.Read(key)
		return key, err
	}
	key, err := os.ReadFile(path)
	if err != nil {
		return nil, fmt.Errorf("the key cannot be read: %w", err)
	}
	if len(key) < leastKey {
		return nil, fmt.Errorf("the key in %s has %d bytes; give %d at least", path, len(key), leastKey)
	}
	return key, nil
}

// beforehand says what rights would add, where they are missing and a person
// looks on.
func beforehand(o *options, errOut io.Writer) {
	if os.Geteuid() != 0 && o.fromCapture == "" && o.out == "" && o.server == "" {
		fmt.Fprintln(errOut, "Without administrator rights the serial number, installed memory, and perhaps the partition style stay unknown; sudo adds them.")
	}
}

// explain says what the program does, in words for the person whose machine
// it is.
func explain(out io.Writer) {
	fmt.Fprint(out, `rolltop-collect reads this machine and changes nothing on it.

It reads (Linux):
  the processor's own description of itself, and how many cores there are
  the firmware's tables: maker, model, serial number, memory modules, firmware version
  how the machine started, whether secure boot is on, whether a TPM is there
  how much memory the system sees, which drives there are, how large, how much is free
  the first 40 kB of each drive, for its partition table (only with administrator rights)
  the name and version of the installed system, and the host name
  whether a network interface is up

It never reads user names, home directories, files of people, network addresses or
names, keys, or licences. A saved capture holds the raw bytes of the sources above and
nothing else; --redact replaces serial numbers, UUIDs and the host name.

It keeps nothing, unless --out or --save-capture name a file; that file can be read by
you alone. It sends nothing, unless --server names where; then it sends the inventory,
which --out - shows.

With administrator rights it also learns: serial number and UUID, installed memory and
its modules, and the partition style where the system does not tell. Without, these are
marked as not known.
`)
}
