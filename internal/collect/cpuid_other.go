//go:build !amd64 && !386

package collect

import "rolltop.example/rolltop/core/decode/cpu"

// processorLeaves: only x86 processors answer CPUID.
func processorLeaves() []cpu.Leaf { return nil }
