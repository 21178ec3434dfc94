//go:build linux

package collect_test

import (
	"testing"

	"rolltop.example/rolltop/internal/expect"
)

// A machine without firmware tables is described by its device tree.
func TestDeviceTree(t *testing.T) {
	tr := laptop()
	drop(tr, "/sys/class/dmi")
	drop(tr, "/sys/firmware/dmi")
	const base = "/sys/firmware/devicetree/base/"
	tr[base+"model"], tr[base+"serial-number"] = "Plover Bight 2\x00", "PL-77410\x00"
	tr[base+"chassis-type"], tr[base+"cpus/cpu@0/compatible"] = "desktop\x00", "plover,tern3\x00plover,tern\x00"
	tr[base+"cpus/cpu-map/compatible"] = "plover,map\x00"
	tr["/proc/cpuinfo"] = "CPU implementer\t: 0x71\nCPU part\t: 0x1de\n"
	d := inspect(t, tr)
	says(t, d, map[string]string{
		"device.model": "Plover Bight 2", "device.serial": "PL-77410", "device.form": "desktop",
		"processor.name": "? not-offered",
	})
	expect.Contains(t, d.GapOf("processor.name").Detail, "the firmware calls its cores plover,tern3")
	expect.Lacks(t, d.GapOf("processor.name").Detail, "plover,map")
}
