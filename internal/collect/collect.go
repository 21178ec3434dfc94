// Package collect reads this machine: raw bytes and the outcome of each
// reading, into a capture. It understands nothing of what it reads, beyond what
// leads to the next source; package core/decode does. It only reads, and
// leaves nothing behind.
package collect

import (
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/build"
)

// Options say how to read.
type Options struct {
	// Root is the directory that stands for /, to read the tree of another
	// Linux machine. Then nothing is asked of the running kernel.
	Root string
	// Software says which installed titles to read: all, or titles with commas
	// between; empty for none.
	Software string
}

// Capture reads the machine. Sources that cannot be read are noted in it; the
// error is for a system that this program cannot read at all.
func Capture(o Options) (*capture.Document, error) {
	start := time.Now()
	c := &capture.Document{Format: capture.Format, TakenAt: start.UTC().Truncate(time.Second), Version: build.Version}
	if err := read(c, o); err != nil {
		return nil, err
	}
	c.DurationMS = time.Since(start).Milliseconds()
	return c, nil
}

// Elevated says whether this program has administrator rights.
func Elevated() bool { return elevated() }

// Other names the collector that this machine is better read with, or is
// empty: one for another processor runs here and is told of a processor that
// is not there.
func Other(c *capture.Document) string { return other(c) }

// Machine reads the machine and decodes what was read.
func Machine(o Options) (*inventory.Document, error) {
	c, err := Capture(o)
	if err != nil {
		return nil, err
	}
	return decode.Inventory(c)
}
