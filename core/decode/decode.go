// Package decode turns a capture from any platform into an inventory.
package decode

import (
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/linux"
	"rolltop.example/rolltop/core/decode/macos"
	"rolltop.example/rolltop/core/decode/windows"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
)

// Inventory decodes a capture. The error is for a platform that is unknown.
func Inventory(c *capture.Document) (*inventory.Document, error) {
	switch c.Platform {
	case "linux":
		return linux.Decode(c), nil
	case "windows":
		return windows.Decode(c), nil
	case "macos":
		return macos.Decode(c), nil
	}
	return nil, fmt.Errorf("captures from %q cannot be decoded; there are decoders for windows, macos and linux",
		c.Platform)
}

// Read reads an inventory document, or a capture, which it decodes. The error
// for a document that is neither, or has mistakes, is [*doc.Mistakes].
func Read(name string, src []byte) (*inventory.Document, error) {
	if n, err := doc.Parse(name, src); err == nil && n.Kind == doc.Map && n.Of("format") != n &&
		strings.HasPrefix(n.Of("format").Text, "rolltop-capture/") {
		c, err := capture.Read(name, src)
		if err != nil {
			return nil, err
		}
		return Inventory(c)
	}
	return inventory.Read(name, src)
}
