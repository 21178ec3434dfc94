//go:build amd64 || 386

package collect

import (
	"runtime"

	"rolltop.example/rolltop/core/decode/cpu"
)

// cpuid runs the instruction of that name.
func cpuid(fn, sub uint32) (eax, ebx, ecx, edx uint32)

// processorLeaves asks the processor about itself. The thread stays on one
// processor meanwhile: on hybrid parts leaves differ from core to core.
func processorLeaves() []cpu.Leaf {
	runtime.LockOSThread()
	defer runtime.UnlockOSThread()
	var out []cpu.Leaf
	ask := func(fn, sub uint32) cpu.Leaf {
		a, b, c, d := cpuid(fn, sub)
		l := cpu.Leaf{Fn: fn, Sub: sub, EAX: a, EBX: b, ECX: c, EDX: d}
		out = append(out, l)
		return l
	}
	most := ask(0, 0).EAX
	guest := ask(1, 0).ECX&(1<<31) != 0
	for _, fn := range []uint32{7, 0x16} {
		if most >= fn {
			ask(fn, 0)
		}
	}
	if guest && ask(0x40000000, 0).EAX >= 0x40000003 {
		ask(0x40000003, 0) // tells the root of a hypervisor from its guests
	}
	most = ask(0x80000000, 0).EAX
	for fn := uint32(0x80000001); fn <= 0x80000004 && fn <= most; fn++ {
		ask(fn, 0)
	}
	return out
}
