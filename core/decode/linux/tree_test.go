package linux_test

import (
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/internal/expect"
)

// A device tree describes a machine without SMBIOS tables, and no other.
func TestDeviceTree(t *testing.T) {
	const tree, tables, dmi = "/sys/firmware/devicetree/base/", "/sys/firmware/dmi/tables/DMI", "/sys/class/dmi/id/"
	bare := with(desk(), records{tables: absent, "/sys/firmware/dmi/tables/smbios_entry_point": absent})
	for _, name := range []string{"sys_vendor", "product_name", "product_serial", "chassis_type"} {
		bare = with(bare, records{dmi + name: absent})
	}
	for _, tt := range []struct {
		name                string
		change              records
		model, serial, form string
	}{
		{"all of it", records{tree + "model": "Plover Bight 2\x00", tree + "serial-number": "PL-77410\x00",
			tree + "chassis-type": "tablet\x00"}, "Plover Bight 2", "PL-77410", "tablet"},
		{"a laptop that folds", records{tree + "chassis-type": "convertible\x00"}, "", "", "laptop"},
		{"a form without a word of ours", records{tree + "chassis-type": "television\x00"}, "", "", "other"},
		{"a form that no specification names", records{tree + "chassis-type": "barge\x00"}, "", "", ""},
		{"texts without an end", records{tree + "model": "Plover Bight 2", tree + "serial-number": "\x00\x00"},
			"Plover Bight 2", "", ""},
		{"a placeholder", records{tree + "serial-number": "To be filled by O.E.M.\x00"}, "", "", ""},
		{"no tree", records{tree + "model": absent}, "", "", ""},
		{"tables that are refused", records{tree + "model": "Plover Bight 2\x00", tables: denied}, "", "", ""},
		{"a file that names it", records{tree + "model": "Plover Bight 2\x00", dmi + "product_name": "Slipway 14\n"},
			"Slipway 14", "", ""},
	} {
		t.Run(tt.name, func(t *testing.T) {
			f := read(with(bare, tt.change))
			expect.Same(t, "model", f.Value(fact.DeviceModel).Text(), tt.model)
			expect.Same(t, "serial number", f.Value(fact.DeviceSerial).Text(), tt.serial)
			expect.Same(t, "form", f.Value(fact.DeviceForm).Text(), tt.form)
			if tt.model == "Plover Bight 2" {
				expect.Same(t, "source", f.Get(fact.DeviceModel).Source, tree+"model")
			}
		})
	}
}

// The designs of the cores help whoever looks for the name of the processor.
func TestCoresOfADeviceTree(t *testing.T) {
	const cpus = "/sys/firmware/devicetree/base/cpus/"
	f := read(with(desk(), records{"cpuid": absent, "/proc/sys/kernel/arch": "aarch64\n",
		"/proc/cpuinfo":           "CPU implementer\t: 0x71\nCPU part\t: 0x1de\nFeatures\t: fp asimd\n",
		cpus:                      "cpu-map\ncpu@0\ncpu@1\ncpu@2\ncpu@3\nidle-states",
		cpus + "cpu@0/compatible": "plover,tern3\x00plover,tern\x00", cpus + "cpu@1/compatible": "plover,tern3\x00",
		cpus + "cpu@2/compatible": "plover,gannet7\x00", cpus + "cpu@3/compatible": denied}))
	gap := f.Get(fact.ProcessorName).Gap
	expect.That(t, "its name is not known", gap != nil)
	expect.Contains(t, gap.Detail, "part 0x1de; the firmware calls its cores plover,gannet7 and plover,tern3")
}
