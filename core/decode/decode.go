// Package decode turns a capture from any platform into an inventory.
package decode

import (
	"fmt"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/linux"
	"rolltop.example/rolltop/core/decode/macos"
	"rolltop.example/rolltop/core/decode/windows"
	"rolltop.example/rolltop/core/inventory"
)

// Inventory decodes a capture. The error is for a platform that nobody knows.
func Inventory(c *capture.Document) (*inventory.Document, error) {
	switch c.Platform {
	case "linux":
		return linux.Decode(c), nil
	case "windows":
		return windows.Decode(c), nil
	case "macos":
		return macos.Decode(c), nil
	}
	return nil, fmt.Errorf("captures from %q cannot be decoded; there are decoders for windows, macos and linux", c.Platform)
}
