package standin

import (
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// conditions change a machine that would be ready into one that is not, or
// that is ready in a way worth showing.
var conditions = map[string]func(*maker){
	"sound": func(*maker) {},
	"on-target": func(m *maker) {
		if m.isMac() {
			m.d.OS.Name, m.d.OS.Version, m.d.OS.Build = some("Fathom 9"), some("9.0"), some("9A44")
			return
		}
		m.d.OS.Name, m.d.OS.Version, m.d.OS.Build = some("Skerry 12"), some("12.0"), some("12.0.1204")
	},
	"installed-past-the-checks": func(m *maker) {
		m.processor(m.org.Older[2])
		m.d.OS.Name, m.d.OS.Version, m.d.OS.Build = some("Skerry 12"), some("12.0"), some("12.0.1204")
		m.d.OS.ChecksSkipped = []string{"processor"}
	},
	"seldom-here":   func(m *maker) { m.d.TakenAt = m.d.TakenAt.AddDate(0, 0, -7*(16+m.IntN(20))) },
	"failing-drive": func(m *maker) { m.d.Storage.Disks[0].Health = some("bad") },
	"encrypted": func(m *maker) {
		m.d.Storage.System.Encryption = inventory.Encryption{
			State:    some("on"),
			Kind:     some("platform"),
			TPMBound: some(true),
			KeyKept:  some(true),
		}
		if m.every(3) && !m.isMac() { // the encryption of a Mac has no pause
			m.d.Storage.System.Encryption.State, m.d.Storage.System.Encryption.PausedSince = some("paused"),
				some(m.d.TakenAt.AddDate(0, 0, -12))
		}
	},
	"two-systems": func(m *maker) { m.d.Storage.OtherSystems = []string{"Lodestar Linux"} },
	"tpm-hidden": func(m *maker) {
		m.noTPM()
		m.maybeEncrypted()
	},
	"secure-boot-off": func(m *maker) {
		m.d.Firmware.SecureBoot = some("off")
		m.maybeEncrypted()
		if m.IntN(3) == 0 {
			m.noTPM()
		}
	},
	"secure-boot-two-systems": func(m *maker) {
		m.d.Firmware.SecureBoot = some("off")
		m.d.Storage.OtherSystems = []string{"Lodestar Linux"}
	},
	"legacy-disk": func(m *maker) {
		m.legacy()
		if m.IntN(2) == 0 {
			m.noTPM()
		}
		m.maybeEncrypted()
		if m.every(4) {
			m.secondDisk()
		}
	},
	"low-space": func(m *maker) {
		m.free(9 + int64(m.IntN(17)))
	},
	"earlier-release": func(m *maker) {
		if m.isMac() {
			m.d.OS.Name, m.d.OS.Version, m.d.OS.Build = some("Fathom 7"), some("7.6"), some("7G310")
			return
		}
		m.d.OS.Name, m.d.OS.Version, m.d.OS.Build = some("Skerry 10"), some("10.4"), some("10.4.2209")
	},
	"old-graphics-driver": func(m *maker) {
		m.d.Graphics = []inventory.Adapter{{
			Name:           some("Built-in graphics"),
			DriverModel:    some("1.3"),
			InterfaceLevel: some("11.1"),
			DriverVersion:  some("9.18.13.1"),
			DriverDate:     some("2013-10-05"),
		}}
	},
	"old-applications": func(m *maker) {
		m.d.Software = []inventory.Software{
			{Name: "Counterfoil", Version: some([]string{"4.2", "3.9"}[m.IntN(2)])},
			{Name: "Tidebook", Version: some("4.1")},
			{Name: "Hawser VPN", Version: some([]string{"2.4", "2.6"}[m.IntN(2)])},
		}
		if m.IntN(3) == 0 {
			m.d.Software = append(m.d.Software, inventory.Software{Name: "Lampwright", Version: some("7.3")})
		}
	},
	"narrow-system": func(m *maker) {
		m.d.OS.Architecture = some("x86")
		if m.every(2) {
			m.d.Storage.OtherSystems = []string{"Lodestar Linux"}
		}
	},
	"guest-without-tpm": func(m *maker) {
		m.d.Device.Environment, m.d.Device.Hypervisor, m.d.Device.Form = some("guest"), some("Boathouse"),
			some("virtual")
		m.d.Device.Manufacturer, m.d.Device.Model = some("Boathouse"), some("Guest 3")
		m.d.Storage.Disks[0].Kind, m.d.Storage.Disks[0].Bus = some("virtual"), some("virtual")
		m.noTPM()
	},
	"little-memory": func(m *maker) {
		if m.mod.Slots == 0 {
			m.mod = m.org.Models[0]
			m.fromModel()
		}
		m.memory(4*gib, m.pick(4, 4, 2)*gib)
		if m.IntN(4) == 0 {
			m.d.Firmware.SecureBoot = some("off")
		}
		if m.every(3) {
			m.d.Storage.System.Encryption = inventory.Encryption{
				State:    some("on"),
				Kind:     some("platform"),
				TPMBound: some(true),
				KeyKept:  some(true),
			}
		}
	},
	"small-drive": func(m *maker) { m.drive(64023257088, "ssd", 30) },
	"hard-disk":   func(m *maker) { m.drive(500107862016, "hdd", 200) },
	"no-built-in-tpm": func(m *maker) {
		m.mod = m.org.Models[3]
		m.fromModel()
		m.processor(find(m.org.Processors, "K5-8500T"))
		m.noTPM()
	},
	"older-processor": func(m *maker) {
		m.processor(m.org.Older[m.IntN(len(m.org.Older))])
		m.d.TPM.Version = some([]string{"1.2", "2.0"}[m.IntN(2)])
		m.d.TPM.Kind = some("discrete")
		if m.IntN(2) == 0 {
			m.legacy()
		}
		if m.IntN(3) == 0 {
			m.memory(4*gib, 4*gib)
		}
	},
	"early-processor": func(m *maker) {
		m.d.Processor.Features = []string{"sse2", "sse3", "ssse3", "sse4.1", "sse4.2", "cmpxchg16b", "popcnt", "nx"}
	},
	"soldered-memory": func(m *maker) {
		m.mod = m.org.Models[6]
		m.fromModel()
		m.processor(find(m.org.Processors, m.mod.Processors[m.IntN(2)]))
		m.memory(4*gib, 4*gib)
	},
	"narrow-processor": func(m *maker) {
		m.processor(processor{Name: "K3-540", Cores: 2, Threads: 2, MHz: 1200})
		m.d.Processor.Architecture, m.d.OS.Architecture = some("x86"), some("x86")
		m.d.Processor.Features = []string{"sse2", "sse3"}
		m.memory(2*gib, 2*gib)
		m.legacy()
	},
	"unlisted-model": func(m *maker) { m.macModel(m.org.Macs[len(m.org.Macs)-1]) },
	"settings-without-a-visit": func(m *maker) {
		fw := &m.d.Firmware
		fw.SettingsInterface, fw.SettingsOffered = some("Oxbow Settings"), []string{"secure-boot", "tpm"}
		for _, id := range []fact.ID{fact.SettingsInterface, fact.SettingsOffered} {
			m.d.Said(id.String(), fact.HandSource+", from the documents of the maker")
		}
	},
	"read-without-rights": func(m *maker) {
		m.d.Collector.Elevated = some(false)
		if m.isMac() {
			m.lose("firmware.secure_boot")
			m.d.Firmware.SecureBoot = inventory.Opt[string]{}
			return
		}
		m.d.Memory.Installed = inventory.Opt[int64]{}
		m.d.TPM = inventory.TPM{}
		m.d.Storage.System.PartitionStyle = inventory.Opt[string]{}
		m.d.Storage.OtherSystems = nil
		m.lose("memory.installed_bytes", "tpm", "storage.system.partition_style", "storage.other_systems")
	},
	"sample-processor": func(m *maker) {
		m.d.Processor.Name = some("Corvane 0000 engineering sample")
	},
	"legacy-unsure": func(m *maker) {
		m.legacy()
		m.d.Firmware.UEFICapable = inventory.Opt[bool]{}
		m.d.AddGap("firmware.uefi_capable", inventory.NotOffered,
			"the firmware does not say that it can do UEFI, which does not mean that it cannot",
			"Look in the firmware set-up whether it offers UEFI.")
	},
	"sources-disagree": func(m *maker) {
		m.d.Memory.Installed = inventory.Opt[int64]{}
		m.d.Memory.Visible = some(int64(37 * gib / 10))
		m.d.Gaps = append(m.d.Gaps, inventory.Gap{Fact: fact.MemoryInstalled.String(), Cause: inventory.Disagree,
			Readings: []inventory.Differ{
				{Value: "4294967296", Source: "firmware tables"}, {Value: "8589934592", Source: "asset register"},
			}})
	},
	"reduced-start-up": func(m *maker) { m.d.Firmware.SecureBoot = some("permissive") },
	"small-flash":      func(m *maker) { m.drive(62537072640, "emmc", 31) },
}

func (m *maker) isMac() bool { return m.d.OS.Platform.Or("") == "macos" }

// every says of one machine in n that it has something of its own, by its name: nothing
// is drawn for it.
func (m *maker) every(n int) bool {
	sum := 0
	for _, r := range m.d.Device.Name.Or("") {
		sum += int(r)
	}
	return sum%n == 0
}

// secondDisk holds the boot files, beside the disk of the system.
func (m *maker) secondDisk() {
	s := &m.d.Storage
	s.Disks = append(s.Disks, inventory.Disk{
		Name: some("disk 1"), Kind: some("hdd"), Bytes: some(int64(500107862016)), System: some(false),
		Removable: some(false), Health: some("good"), Bus: some("ata"), PartitionStyle: some("mbr"),
	})
	s.Boot.Disk = some("disk 1")
}

func (m *maker) maybeEncrypted() {
	if m.IntN(2) == 0 {
		m.d.Storage.System.Encryption = inventory.Encryption{
			State:   some("on"),
			Kind:    some("platform"),
			KeyKept: some(true),
		}
	}
}

func (m *maker) noTPM() {
	m.d.TPM = inventory.TPM{State: some("not-seen")}
	m.d.AddGap("tpm.version", inventory.NotOffered, "no TPM is seen that could tell", "")
}

func (m *maker) legacy() {
	m.d.Firmware.BootMode, m.d.Firmware.SecureBoot = some("legacy"), some("inactive")
	m.d.Firmware.SecureBootCapable = inventory.Opt[bool]{}
	m.d.Firmware.UEFIBits = inventory.Opt[int64]{}
	m.d.Storage.System.PartitionStyle, m.d.Storage.Boot.PartitionStyle = some("mbr"), some("mbr")
	m.d.Storage.Boot.ESP = inventory.ESP{}
	m.d.Storage.Boot.Partitions = nil
	for i, size := range []int64{gb / 2, m.d.Storage.System.VolumeBytes.Or(0), gb / 2} {
		m.d.Storage.Boot.Partitions = append(m.d.Storage.Boot.Partitions,
			inventory.Partition{Index: some(int64(i + 1)), Type: some("07"), Kind: some("primary"), Bytes: some(size)})
	}
	m.d.AddGap("firmware.secure_boot_capable", inventory.NotOffered,
		"it started in legacy mode, in which the firmware does not report it",
		"Look in the firmware set-up, or start in UEFI mode and take the inventory again.")
}

func (m *maker) free(gigabytes int64) {
	m.d.Storage.System.FreeBytes = some(gigabytes*gb + int64(m.IntN(gb)))
}

func (m *maker) lose(facts ...string) {
	for _, f := range facts {
		m.d.AddGap(f, inventory.NeedsRights, "the collector ran without administrator rights",
			"Run the collector again with administrator rights.")
	}
}

// finish gives every fact that is not there a gap, and the rest a source.
func (m *maker) finish() {
	f := fact.Read(m.d)
	for _, def := range fact.All() {
		r := f.Get(def.ID)
		switch {
		case def.Derived || !def.Has(f.Class()):
		case r.Value.Known():
			m.d.Said(def.Name, sourceOf(def.Name, m.isMac()))
		case m.d.GapOf(def.Name) == nil:
			m.d.AddGap(def.Name, inventory.NotAsked, "the demo's machines do not carry it", "")
		}
	}
}

// sourceOf names an interface that would have said the fact.
func sourceOf(name string, mac bool) string {
	if mac {
		return "the system's own report"
	}
	switch f := fact.ByName(name); {
	case f.ID == fact.DeviceName || f.ID == fact.NetworkConnected:
		return "the system"
	case name[:3] == "tpm":
		return "TPM base services"
	case name[:3] == "mem" || name[:3] == "dev":
		return "firmware tables"
	case name[:3] == "fir":
		return "firmware variables"
	case name[:3] == "pro":
		return "CPUID"
	case name[:3] == "sto":
		return "disk interface"
	}
	return "the system's registry"
}
