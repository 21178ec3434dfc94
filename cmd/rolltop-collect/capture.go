package main

import (
	"crypto/rand"
	"encoding/json"
	"fmt"
	"io"
	"os"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/redact"
	"rolltop.example/rolltop/internal/collect"
	"rolltop.example/rolltop/internal/safefile"
)

// gather reads the machine, or a saved capture, and saves the raw readings
// where that is asked for.
func gather(o *options, errOut io.Writer) (*inventory.Document, error) {
	c, err := readings(o)
	if err != nil {
		return nil, err
	}
	if better := collect.Other(c); better != "" && o.fromCapture == "" {
		fmt.Fprintf(errOut, "This collector is built for another processor. Use %s on this machine; it reads more.\n",
			better)
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
		if err := safefile.Write(o.saveCapture, append(b, '\n')); err != nil {
			return nil, fmt.Errorf("the capture cannot be written: %w", err)
		}
	}
	return decode.Inventory(c)
}

func readings(o *options) (*capture.Document, error) {
	if o.fromCapture == "" {
		return collect.Capture(collect.Options{Root: o.root, Software: o.software})
	}
	src, err := readInput(o.fromCapture, doc.MaxBytes+1)
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
		return nil, fmt.Errorf("the key in %s has %d bytes; use at least %d bytes", path, len(key), leastKey)
	}
	return key, nil
}

// beforehand says what rights would add, where they are missing and a person
// looks on.
func beforehand(o *options, errOut io.Writer) {
	if collect.Elevated() || o.fromCapture != "" || o.out != "" || o.server != "" {
		return
	}
	fmt.Fprintln(errOut, collect.RightsAdd)
}
