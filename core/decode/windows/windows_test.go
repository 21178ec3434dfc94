package windows_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/registry"
	"rolltop.example/rolltop/core/decode/sample"
	"rolltop.example/rolltop/core/decode/windows"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

// pc is a capture that a test changes: a source that is given twice counts as the
// last one says.
type pc struct{ *capture.Document }

func (c pc) ok(source, raw string) {
	c.Add(capture.Record{Source: source, Outcome: capture.OK, Raw: capture.Bytes(raw)})
}

func (c pc) no(source, outcome string, code int64) {
	c.Add(capture.Record{Source: source, Outcome: outcome, Errno: code})
}

func (c pc) text(key, name, s string) {
	c.ok(windows.View64.Value(key, name),
		string(registry.Encode(registry.Value{Type: registry.Text, Data: []byte(sample.Wide(s))})))
}

func (c pc) number(key, name string, n uint32) {
	c.ok(windows.View64.Value(key, name),
		string(registry.Encode(registry.Value{Type: registry.Number32, Data: []byte(sample.U32(n))})))
}

// sound is a small PC on which everything answers: UEFI, secure boot, a TPM.
func sound() pc {
	c := pc{&capture.Document{
		Format:   capture.Format,
		TakenAt:  time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC),
		Platform: "windows",
		Elevated: true,
	}}
	c.ok(windows.Version, sample.U32(20)+sample.U32(11)+sample.U32(2)+sample.U32(4104)+sample.U32(2))
	c.ok(windows.Binary, "amd64")
	c.ok(windows.Native, sample.U16(0)+sample.U16(0x8664))
	c.text(windows.KeyVersion, "CurrentBuildNumber", "4104")
	c.text(windows.KeyLanguage, "InstallLanguage", "0407")
	c.ok(windows.CPUID, sample.CPU{
		Vendor: "CorvaneParts",
		Name:   "Corvane K5-8400",
		Family: 6,
		Model:  158,
		MHz:    2800,
	}.Leaves())
	table := sample.PC{
		Firmware: "Plover Firmware",
		UEFI:     true,
		Maker:    "Ostrel",
		Product:  "Bollard 300",
		Serial:   "TW1",
		Chassis:  3,
		Slots:    2,
		MaxGiB:   32,
		Modules:  []sample.Module{{Slot: "A", MiB: 8192, Type: 0x1A, Form: 9}, {Slot: "B"}},
	}.Tables()
	c.ok(windows.Firmware, "\x00\x03\x03\x00"+sample.U32(uint32(len(table)))+table)
	c.ok(windows.Memory, sample.Put(64, map[int]string{8: sample.U64(8 << 30)}))
	c.ok(windows.MemoryFitted, sample.U64(8<<20))
	c.ok(windows.FirmwareType, sample.U32(2))
	c.ok(windows.SecureBoot, "\x01\x01")
	c.number(windows.KeySecureBoot, "UEFISecureBootEnabled", 1)
	c.ok(windows.Variable("SecureBoot"), sample.U32(6)+"\x01")
	c.ok(windows.Variable("SetupMode"), sample.U32(6)+"\x00")
	c.ok(windows.TBS, sample.U32(1)+sample.U32(2)+sample.U32(3)+sample.U32(1))
	c.ok(windows.Ask2, sample.TPM2Answer("PLVR", 1, 2))
	c.ok(windows.View64.Subkeys(windows.KeyServicing), "")
	c.ok(windows.Isolation, sample.Zeros(8))
	c.ok(windows.PowerStatus, "\x01\x80\xFF\x00"+sample.Zeros(8))
	c.ok(windows.Uplinks, "6 1\n")
	c.ok(windows.Joined, sample.U32(1))
	c.ok(windows.Disks, "0")
	c.ok(windows.Disk("0", windows.Descriptor),
		sample.Put(40, map[int]string{16: sample.U32(40), 28: sample.U32(0x11)})+"Brannock NV\x00")
	c.ok(windows.Disk("0", windows.Geometry), sample.Put(32, map[int]string{24: sample.U64(256060514304)}))
	entry := sample.Put(144, map[int]string{
		0:  sample.U32(1),
		8:  sample.U64(1 << 20),
		16: sample.U64(260 << 20),
		24: sample.U32(1),
		32: sample.GUID(sample.ESP),
		48: sample.GUID("71de0000-0000-4000-8000-000000000001"),
	})
	c.ok(windows.Disk("0", windows.Layout), sample.Put(48, map[int]string{0: sample.U32(1) + sample.U32(1)})+entry)
	c.ok(windows.Extents, sample.U32(1)+sample.U32(0)+sample.U32(0)+sample.U32(0)+sample.U64(1<<30)+sample.U64(200<<30))
	c.ok(windows.Space, sample.U64(5)+sample.U64(200_000_000_000)+sample.U64(50_000_000_000))
	c.ok(windows.Filesystem, "NTFS")
	c.ok(windows.VolumeHead, sample.Put(512, map[int]string{0: "\xEB\x52\x90NTFS    "}))
	c.ok(windows.ESPLoader, "")
	return c
}

// healthLog is what a drive answers: where the log lies, and its critical warning.
func healthLog(warning byte, at uint32) string {
	log := sample.NVMeHealth(warning, 7)
	return sample.U32(48) + sample.U32(48) + sample.U32(3) + sample.U32(2) + sample.U32(2) + sample.U32(0) +
		sample.U32(at) + sample.U32(512) + sample.Zeros(16) + log
}

// interfaceOfTPM is a TPM 2.0 with an interface of a type.
func interfaceOfTPM(kind uint32) func(pc) {
	return func(c pc) { c.ok(windows.TBS, sample.U32(1)+sample.U32(2)+sample.U32(kind)+sample.U32(1)) }
}

// refuses takes the rights to sources away.
func refuses(sources ...string) func(pc) {
	return func(c pc) {
		c.Elevated = false
		for _, s := range sources {
			c.no(s, capture.Denied, 5)
		}
	}
}

func TestVariants(t *testing.T) {
	const state, capable, speed = "firmware.secure_boot", "firmware.secure_boot_capable", "processor.rated_mhz"
	tests := []struct {
		name   string
		change func(pc)
		want   map[string]string
	}{
		{"the health log of the drive", func(c pc) {
			c.ok(windows.Disk("0", windows.HealthLog), healthLog(4, 40))
		}, map[string]string{"storage.system.health": "bad"}},
		{"a health log that lies elsewhere than it says", func(c pc) {
			c.ok(windows.Disk("0", windows.HealthLog), healthLog(0, 4000))
		}, map[string]string{"storage.system.health": "? " + inventory.ReadFailed}},
		{"the system predicts no failure", func(c pc) {
			c.ok(windows.Disk("0", windows.Predicted), sample.U32(0))
		}, map[string]string{"storage.system.health": "good"}},
		{"nobody asked the drive how it is", func(pc) {}, map[string]string{
			"storage.system.health": "? " + inventory.NotAsked,
		}},
		{"sound", func(pc) {}, map[string]string{
			"firmware.boot_mode":              "uefi",
			state:                             "on",
			capable:                           "true",
			"tpm.state":                       "ready",
			"tpm.version":                     "2.0",
			"memory.installed_bytes":          "8589934592",
			"os.version":                      "11.2.4104",
			"os.language":                     "de-DE",
			"storage.system.disk_bytes":       "256060514304",
			"storage.system.free_bytes":       "50000000000",
			"storage.system.encryption.state": "off",
			"storage.boot.esp.loader":         "true",
			"os.pending_restart":              "false",
			"security.vbs":                    "off",
		}},

		{"secure boot off", func(c pc) {
			c.ok(windows.SecureBoot, "\x00\x01")
			c.number(windows.KeySecureBoot, "UEFISecureBootEnabled", 0)
			c.ok(windows.Variable("SecureBoot"), sample.U32(6)+"\x00")
		}, map[string]string{state: "off", capable: "true"}},
		{"set-up mode", func(c pc) {
			c.ok(windows.SecureBoot, "\x00\x01")
			c.number(windows.KeySecureBoot, "UEFISecureBootEnabled", 0)
			c.ok(windows.Variable("SecureBoot"), sample.U32(6)+"\x00")
			c.ok(windows.Variable("SetupMode"), sample.U32(6)+"\x01")
		}, map[string]string{state: "setup"}},
		{"the registry alone tells", func(c pc) {
			c.no(windows.SecureBoot, capture.NotExposed, 0xC0000003)
			c.no(windows.Variable("SecureBoot"), capture.Denied, 1314)
		}, map[string]string{state: "on", capable: "true"}},
		{"firmware and registry disagree", func(c pc) { c.ok(windows.Variable("SecureBoot"), sample.U32(6)+"\x00") },
			map[string]string{state: "? disagree", capable: "true"}},
		{"firmware without secure boot", func(c pc) {
			c.no(windows.SecureBoot, capture.NotExposed, 0xC0000003)
			c.no(windows.View64.Value(windows.KeySecureBoot, "UEFISecureBootEnabled"), capture.Absent, 2)
			c.no(windows.View64.Subkeys(windows.KeySecureBoot), capture.Absent, 2)
			c.no(windows.Variable("SecureBoot"), capture.Absent, 203)
		}, map[string]string{state: "off", capable: "? not-offered"}}, // legacy support may hide it
		{"nothing tells of secure boot", func(c pc) {
			c.no(windows.SecureBoot, capture.Failed, 31)
			c.no(windows.View64.Value(windows.KeySecureBoot, "UEFISecureBootEnabled"), capture.Denied, 5)
			c.no(windows.Variable("SecureBoot"), capture.Denied, 1314)
		}, map[string]string{state: "? read-failed", capable: "? read-failed"}},
		{"legacy", func(c pc) { c.ok(windows.FirmwareType, sample.U32(1)) },
			map[string]string{
				"firmware.boot_mode":    "legacy",
				state:                   "inactive",
				capable:                 "? not-offered",
				"firmware.uefi_capable": "true",
				"storage.other_systems": "? not-offered",
			}},
		{"an older system tells otherwise how it started", func(c pc) {
			c.no(windows.FirmwareType, capture.NotExposed, 127)
			c.ok(windows.BootInfo, sample.Zeros(16)+sample.U32(1)+sample.Zeros(12))
		}, map[string]string{"firmware.boot_mode": "legacy"}},
		{"nothing tells how it started", func(c pc) { c.no(windows.FirmwareType, capture.NotExposed, 127) },
			map[string]string{
				"firmware.boot_mode":    "? not-offered",
				state:                   "? not-offered",
				"firmware.uefi_capable": "true",
			}},
		{"a type that nobody knows", func(c pc) { c.ok(windows.FirmwareType, sample.U32(7)) },
			map[string]string{"firmware.boot_mode": "? not-offered"}},

		{"the rated speed of the power manager", func(c pc) {
			c.ok(windows.CPUID, sample.CPU{Vendor: "CorvaneParts", Name: "x"}.Leaves())
			c.ok(windows.Clocks, sample.U32(0)+sample.U32(2400)+sample.Zeros(16))
		}, map[string]string{speed: "2400"}},
		{"a speed that was measured at start is not the rated one", func(c pc) {
			c.ok(windows.CPUID, sample.CPU{Vendor: "CorvaneParts", Name: "x"}.Leaves())
			c.no(windows.Clocks, capture.NotExposed, 127)
			c.number(windows.KeyProcessor, "~MHz", 2394)
		}, map[string]string{speed: "? not-offered"}},

		// What the registry refuses is not said to be absent.
		{"the name of the system is refused", refuses(
			windows.View64.Value(windows.KeyVersion, "ProductName"),
			windows.View64.Value(windows.KeyVersion, "EditionID"),
		), map[string]string{"os.name": "? needs-rights", "os.edition": "? needs-rights"}},
		{"whether the system is carried about is refused",
			refuses(windows.View64.Value(windows.KeyPortable, "PortableOperatingSystem")),
			map[string]string{"device.environment": "? needs-rights"}},
		{"the policy is refused", refuses(
			windows.View64.Mark(windows.KeyPolicy, "WUServer"),
			windows.View64.Value(windows.KeyPolicy, "TargetReleaseVersion"), windows.View64.Mark(windows.KeyCloud, "*"),
		), map[string]string{
			"os.managed_by": "? needs-rights", "os.held_at": "? needs-rights", "os.account": "? needs-rights",
		}},
		{"signs of an installation without checks are refused",
			refuses(windows.View64.Value(windows.KeySkipLab, "BypassTPMCheck")),
			map[string]string{"os.checks_skipped": "? needs-rights"}},
		{"a mark of a restart is refused",
			refuses(windows.View64.Subkeys(windows.KeyUpdate + `\RebootRequired`)),
			map[string]string{"os.pending_restart": "? needs-rights"}},
		{"a title is refused", func(c pc) {
			c.ok(windows.SoftwareNamed, "Tidebook")
			refuses(windows.View32.Refused(windows.KeyUninstall))(c)
		},
			map[string]string{"software": "? needs-rights"}},
		{"a list of no devices is none", func(c pc) { c.ok(windows.Devices, "") },
			map[string]string{"graphics": "? not-offered", "drivers": "? not-offered", "displays": "? not-offered"}},

		{"TPM switched off", func(c pc) { c.no(windows.TBS, capture.Failed, 0x80284016) },
			map[string]string{"tpm.state": "off", "tpm.version": "? not-offered"}},
		{"no TPM", func(c pc) { c.no(windows.TBS, capture.Absent, 0x8028400F) },
			map[string]string{"tpm.state": "not-seen", "tpm.version": "? not-offered"}},
		{"announced by a table", func(c pc) {
			c.no(windows.TBS, capture.Absent, 0x8028400F)
			c.ok(windows.Table("TPM2"), sample.TPM2Table(2))
		}, map[string]string{"tpm.state": "? read-failed", "tpm.kind": "firmware"}},
		{"a table with a wrong sum announces nothing", func(c pc) {
			c.no(windows.TBS, capture.Absent, 0x8028400F)
			c.ok(windows.Table("TPM2"), "x"+sample.TPM2Table(2)[1:])
		}, map[string]string{"tpm.state": "not-seen"}},
		{"no TPM, told by its number alone", func(c pc) { c.no(windows.TBS, capture.Failed, 0x8028400F) },
			map[string]string{"tpm.state": "not-seen"}},
		{"no TPM, told by its absence alone", func(c pc) { c.no(windows.TBS, capture.Absent, 0) },
			map[string]string{"tpm.state": "not-seen"}},
		{"services do not run", func(c pc) { c.no(windows.TBS, capture.Failed, 0x80284010) },
			map[string]string{"tpm.state": "? read-failed"}},
		{"no such services", func(c pc) { c.no(windows.TBS, capture.NotExposed, 127) },
			map[string]string{"tpm.state": "? not-offered"}},
		{"refused", func(c pc) { c.Elevated = false; c.no(windows.TBS, capture.Denied, 0x80284012) },
			map[string]string{"tpm.state": "? needs-rights"}},
		{"failure mode", func(c pc) { c.ok(windows.Ask2, "\x80\x01\x00\x00\x00\x0A\x00\x00\x01\x01") },
			map[string]string{"tpm.state": "not-ready", "tpm.manufacturer": "? not-offered"}},
		{"it does not answer", func(c pc) { c.no(windows.Ask2, capture.Failed, 0x80280400) },
			map[string]string{"tpm.state": "? read-failed", "tpm.manufacturer": "? read-failed"}},
		{"a made-up version", func(c pc) { c.ok(windows.TBS, sample.U32(1)+sample.U32(9)+sample.U32(3)+sample.U32(1)) },
			map[string]string{"tpm.state": "ready", "tpm.version": "? read-failed"}},
		{"a chip of its own", interfaceOfTPM(5), map[string]string{"tpm.kind": "discrete"}},
		{"in the firmware", interfaceOfTPM(2), map[string]string{"tpm.kind": "firmware"}},
		{"a kind that nobody knows", interfaceOfTPM(6), map[string]string{"tpm.kind": "? not-offered"}},
		{"an emulator's TPM", func(c pc) { c.ok(windows.TBS, sample.U32(1)+sample.U32(2)+sample.U32(4)+sample.U32(1)) },
			map[string]string{"tpm.kind": "virtual"}},
		{"a chip by its maker", func(c pc) { c.ok(windows.Ask2, sample.TPM2Answer("IFX", 7, 85)) },
			map[string]string{"tpm.kind": "discrete"}},

		{"a program of 32 bits",
			func(c pc) { c.ok(windows.Native, sample.U16(0x014C)+sample.U16(0x8664)); c.ok(windows.Binary, "386") },
			map[string]string{"os.architecture": "x86-64", "processor.architecture": "x86-64"}},
		{"a system of 32 bits", func(c pc) { c.ok(windows.Native, sample.U16(0)+sample.U16(0x014C)) },
			map[string]string{
				"os.architecture":        "x86",
				"processor.architecture": "x86-64",
				"firmware.uefi_bits":     "32",
			}},
		{"an older system without the call", func(c pc) {
			c.no(windows.Native, capture.NotExposed, 127)
			c.ok(windows.SystemInfo, sample.U16(9))
		}, map[string]string{"os.architecture": "x86-64"}},
		{"the root of the system's own isolation is no guest", func(c pc) {
			raw := sample.CPU{
				Vendor:     "CorvaneParts",
				Name:       "Corvane K5-8400",
				Family:     6,
				Model:      158,
				Hypervisor: "BoathouseHyp",
			}.Leaves()
			c.ok(windows.CPUID, raw+sample.U32(0x40000003)+sample.U32(0)+sample.U32(0)+sample.U32(1)+sample.U32(0)+
				sample.U32(0))
		}, map[string]string{"device.environment": "hardware", "device.hypervisor": "? not-offered"}},
		{"a guest", func(c pc) {
			c.ok(windows.CPUID, sample.CPU{Vendor: "CorvaneParts", Name: "x", Hypervisor: "BoathouseHyp"}.Leaves())
			c.ok(windows.Disk("0", windows.Seek), sample.Zeros(12))
		}, map[string]string{
			"device.environment":  "guest",
			"device.form":         "virtual",
			"storage.system.kind": "virtual",
			"tpm.kind":            "virtual",
		}},

		{"two sources count other modules", func(c pc) { c.ok(windows.MemoryFitted, sample.U64(16<<20)) },
			map[string]string{"memory.installed_bytes": "? disagree"}},
		{"no tables", func(c pc) { c.no(windows.Firmware, capture.NotExposed, 1) },
			map[string]string{
				"memory.installed_bytes": "8589934592",
				"memory.slots":           "? not-offered",
				"device.serial":          "? not-offered",
			}},
		{"no tables, and the registry's copy", func(c pc) {
			c.no(windows.Firmware, capture.NotExposed, 1)
			c.text(windows.KeyBIOS, "SystemManufacturer", "Ostrel")
			c.text(windows.KeyBIOS, "SystemProductName", "System Product Name")
		}, map[string]string{"device.manufacturer": "Ostrel", "device.model": "? not-offered"}},

		{"encrypted by the sector",
			func(c pc) { c.ok(windows.VolumeHead, sample.Put(512, map[int]string{0: "\xEB\x58\x90-FVE-FS-"})) },
			map[string]string{
				"storage.system.encryption.state": "? not-offered", "storage.system.encryption.kind": "platform",
			}},
		{"encrypted by the registry", func(c pc) { c.number(windows.KeyEncryption, "BootStatus", 1) },
			map[string]string{"storage.system.encryption.state": "on"}},
		{"a registry that says no is no proof", func(c pc) {
			c.Elevated = false
			c.number(windows.KeyEncryption, "BootStatus", 0)
			c.no(windows.VolumeHead, capture.Denied, 5)
		}, map[string]string{"storage.system.encryption.state": "? needs-rights"}},
		{"a sector of another sort", func(c pc) { c.ok(windows.VolumeHead, sample.Zeros(512)) },
			map[string]string{"storage.system.encryption.state": "? not-offered"}},
		{"no disks", func(c pc) { c.no(windows.Disks, capture.Absent, 2) },
			map[string]string{"storage.system.disk_bytes": "? not-offered", "storage.boot.disk": "? not-offered"}},
		{"an answer without extents", func(c pc) { c.ok(windows.Extents, sample.Zeros(32)) },
			map[string]string{"storage.system.disk_bytes": "? not-offered", "storage.boot.disk": "disk 0"}},
		{"more free than there is", func(c pc) { c.ok(windows.Space, sample.U64(5)+sample.U64(6)+sample.U64(7)) },
			map[string]string{
				"storage.system.free_bytes": "? read-failed", "storage.system.volume_bytes": "? read-failed",
			}},
		{"a volume of no size", func(c pc) { c.ok(windows.Space, sample.Zeros(24)) },
			map[string]string{
				"storage.system.free_bytes": "? read-failed", "storage.system.volume_bytes": "? read-failed",
			}},
		{"a raw layout", func(c pc) {
			c.ok(windows.Disk("0", windows.Layout), sample.Put(48, map[int]string{0: sample.U32(2)}))
		}, map[string]string{
			"storage.system.partition_style": "none",
			"storage.boot.disk":              "? not-offered",
		}},

		{"battery", func(c pc) { c.ok(windows.PowerStatus, "\x00\x02\x21\x00"+sample.Zeros(8)) },
			map[string]string{"power.source": "battery", "power.battery_percent": "33"}},
		{"nobody knows the charge", func(c pc) { c.ok(windows.PowerStatus, "\xFF\x00\xFF\x00"+sample.Zeros(8)) },
			map[string]string{"power.source": "? not-offered", "power.battery_percent": "? not-offered"}},
		{"only loopback and a tunnel are up", func(c pc) { c.ok(windows.Uplinks, "24 1\n131 1\n6 2\n") },
			map[string]string{"network.connected": "false"}},
		{"a restart is due", func(c pc) { c.ok(windows.View64.Subkeys(windows.KeyUpdate+`\RebootRequired`), "") },
			map[string]string{"os.pending_restart": "true"}},
		{"files wait to be renamed", func(c pc) {
			c.ok(windows.View64.Value(windows.KeySession, "PendingFileRenameOperations"),
				sample.U32(7)+sample.Wide("a"))
		}, map[string]string{"os.pending_restart": "? not-offered"}},
		{"a licence", func(c pc) { c.ok(windows.Licence, sample.U32(0)) }, map[string]string{"os.licence": "valid"}},
		{"no valid licence", func(c pc) { c.ok(windows.Licence, sample.U32(1)) },
			map[string]string{"os.licence": "invalid"}},
		{"a system that was tampered with", func(c pc) { c.ok(windows.Licence, sample.U32(2)) },
			map[string]string{"os.licence": "invalid"}},
		{"a licence that is not established", func(c pc) { c.ok(windows.Licence, sample.U32(3)) },
			map[string]string{"os.licence": "? not-offered"}},
		{"a short answer about the licence", func(c pc) { c.ok(windows.Licence, "\x00") },
			map[string]string{"os.licence": "? not-offered"}},
		{"joined", func(c pc) { c.ok(windows.Joined, sample.U32(3)) },
			map[string]string{"os.account": "directory", "os.managed_by": "a directory"}},
		{"joined from afar", func(c pc) { c.ok(windows.View64.Mark(windows.KeyCloud, "*"), "") },
			map[string]string{"os.account": "directory", "os.managed_by": "? not-offered"}},
		{"isolation runs", func(c pc) { c.ok(windows.Isolation, "\x01"+sample.Zeros(7)) },
			map[string]string{"security.vbs": "running"}},
		{"isolation is configured", func(c pc) { c.number(windows.KeyGuard, "EnableVirtualizationBasedSecurity", 1) },
			map[string]string{"security.vbs": "configured"}},
		{"on a medium to carry about", func(c pc) { c.number(windows.KeyPortable, "PortableOperatingSystem", 1) },
			map[string]string{
				"device.environment":        "live",
				"os.version":                "? not-offered",
				"storage.system.free_bytes": "? not-offered",
				"tpm.state":                 "ready",
			}},
		{"a build from the registry alone", func(c pc) { c.no(windows.Version, capture.Failed, 1) },
			map[string]string{"os.build": "4104", "os.version": "? not-offered"}},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) { changed(t, tt.change, tt.want) })
	}
}

// changed holds what a changed PC has against what it must have, by the names of facts.
func changed(t *testing.T, change func(pc), want map[string]string) {
	t.Helper()
	c := sound()
	change(c)
	f := fact.Read(windows.Decode(c.Document))
	for name, want := range want {
		r := f.Get(fact.ByName(name).ID)
		if got := r.Plain(); got != want {
			t.Errorf("%s is %q, want %q (%s)", name, got, want, r.Source)
		}
	}
}

func TestSoftware(t *testing.T) {
	c := sound()
	c.ok(windows.SoftwareNamed, "*")
	c.ok(windows.View64.Subkeys(windows.KeyUninstall), "a\nb\nc\nd\ne\nf")
	for sub, values := range map[string]map[string]string{
		"a": {"DisplayName": "Tidebook", "DisplayVersion": "4.1"},
		"b": {"DisplayVersion": "9"},
		"c": {"DisplayName": "A part", "ParentKeyName": "a"},
		"d": {"DisplayName": "A correction", "ReleaseType": "Security Update"},
		"f": {"DisplayName": "Tidebook", "DisplayVersion": "4.1"},
	} {
		t.Run(sub, func(t *testing.T) {
			for name, v := range values {
				c.text(windows.KeyUninstall+`\`+sub, name, v)
			}
		})
	}
	c.text(windows.KeyUninstall+`\e`, "DisplayName", "Hidden")
	c.number(windows.KeyUninstall+`\e`, "SystemComponent", 1)
	c.ok(windows.View64.Subkeys(windows.KeyPackages),
		"Tidewrack.Lampwright_2.1.0.0_x64__9wwq2sj0\nTidewrack.Lampwright\n_1_x64__9\na_b_c_d_e_f\n"+
			"Tidewrack.Hawser_1.0_neutral_~_9wwq2sj0\nTidewrack.Hawser_1.0_neutral_~_9wwq2sj0")
	d := windows.Decode(c.Document)
	expect.Same(t, "the key is the product code", d.Software[0].Code.Or(""), "a")
	var got []string
	for _, s := range d.Software {
		got = append(
			got,
			strings.Join([]string{s.Name, s.Version.Or("-"), s.Architecture.Or("-"), s.Source.Or("-")}, " "),
		)
	}
	expect.Same(t, "the titles", strings.Join(got, ", "), "Tidebook 4.1 - installer, "+
		"Tidewrack.Lampwright 2.1.0.0 x86-64 package, Tidewrack.Hawser 1.0 - package")
	if g := d.GapOf("software"); g != nil {
		t.Errorf("all titles were asked for, and yet: %+v", g)
	}
}

func TestDevices(t *testing.T) {
	c := sound()
	const class = "{4d36e968-e325-11ce-bfc1-08002be10318}"
	c.ok(windows.Devices, "0\n1\n2")
	c.ok(windows.Device("0"),
		"name=Corvane graphics\nclass=Display\nclass-guid="+strings.ToUpper(class)+
			"\nhardware-id=PCI\\VEN_7E5A&DEV_1050\ndriver="+class+"\\0001\nproblem=\n")
	c.text(windows.KeyClass+`\`+class+`\0001`, "DriverDate", "13-45-2020")
	c.text(windows.KeyClass+`\`+class+`\0001`, "DriverVersion", "1.2")
	c.ok(windows.Device("1"), "name=Something\nproblem=99\n")
	c.ok(windows.Device("2"), "no line of ours")
	c.ok(windows.Adapters, "0")
	c.ok(windows.Adapter("0", windows.DeviceIDs), sample.U32(0)+sample.U32(0x7E5A)+sample.U32(0x1050))
	c.ok(windows.Adapter("0", windows.DriverModel), sample.U32(1300))
	c.ok(windows.Level, "zzz")
	d := windows.Decode(c.Document)
	expect.Same(t, "len(d.Graphics)", len(d.Graphics), 1)
	expect.Same(t, `d.Graphics[0].DriverModel.Or("")`, d.Graphics[0].DriverModel.Or(""), "1.3")
	expect.That(t, "d.Graphics[0].DriverDate.IsZero()", d.Graphics[0].DriverDate.IsZero())
	expect.That(t, "d.Graphics[0].InterfaceLevel.IsZero()", d.Graphics[0].InterfaceLevel.IsZero())
	if len(d.Drivers) != 2 || d.Drivers[1].Status.Or("") != "problem 99" {
		t.Errorf("%+v", d.Drivers)
	}
	c.no(windows.View64.Value(windows.KeyClass+`\`+class+`\0001`, "DriverVersion"), capture.Denied, 5)
	d = windows.Decode(c.Document)
	g := d.GapOf("drivers")
	expect.That(t, "a driver whose key is refused leaves the list open", g != nil && g.Cause == inventory.ReadFailed)
	expect.Same(t, "what was read of the others stays", len(d.Drivers), 1)
}

// A source that is refused, fails or is not there never stays a value, and never
// stops the rest.
func TestEverySourceCanFail(t *testing.T) {
	whole := sound()
	for i, r := range whole.Records {
		for _, outcome := range []string{capture.Denied, capture.Failed, capture.Absent, capture.NotExposed} {
			c := sound()
			c.Add(capture.Record{Source: r.Source, Outcome: outcome, Errno: 5})
			d := windows.Decode(c.Document)
			for name, from := range d.Sources {
				// that it is not there
				isAnswer := outcome == capture.Absent && (name == "tpm.state" || name == "storage.boot.esp.loader")
				if from == r.Source && !isAnswer {
					t.Errorf("%s is %s, and %s is still known from it", r.Source, outcome, name)
				}
			}
			what := fmt.Sprintf("%s %s: the rest is there", r.Source, outcome)
			expect.That(t, what, !d.OS.Platform.IsZero())
			told := !d.OS.Version.IsZero() || d.GapOf("os.version") != nil
			expect.That(t, what, i == 0 || told)
		}
	}
}

func TestGapsSayWhatToDo(t *testing.T) {
	c := sound()
	c.Elevated = false
	c.no(windows.VolumeHead, capture.Denied, 5)
	g := windows.Decode(c.Document).GapOf("storage.system.encryption.state")
	expect.That(t, "g != nil", g != nil)
	expect.Same(t, "g.Cause", g.Cause, inventory.NeedsRights)
	expect.Contains(t, g.Try, "administrator")
	c = sound()
	c.no(windows.TBS, capture.Failed, 0x80284008)
	if g := windows.Decode(c.Document).GapOf("tpm.state"); g == nil || !strings.Contains(g.Detail, "do not run") {
		t.Errorf("%+v", g)
	}
}

// A module of two integer cores is two cores; a core of two threads is one.
func TestModulesOfTwoCores(t *testing.T) {
	core := sample.U32(0) + sample.U32(48) + sample.Zeros(22) + sample.U16(1) + sample.U64(3) + sample.Zeros(8)
	for _, tt := range []struct {
		vendor string
		family uint32
		cores  float64
	}{
		{"AuthenticAMD", 0x15, 2}, {"AuthenticAMD", 0x17, 1}, {"CorvaneParts", 0x15, 1},
	} {
		t.Run(fmt.Sprint(tt.vendor, tt.family), func(t *testing.T) {
			c := sound()
			own := sample.CPU{Vendor: tt.vendor, Name: "x", Family: tt.family, Model: 2, MHz: 2800}
			c.ok(windows.CPUID, own.Leaves())
			c.ok(windows.Topology, core)
			f := fact.Read(windows.Decode(c.Document))
			expect.Same(t, "threads", f.Value(fact.ProcessorThreads).Float(), 2)
			expect.Same(t, "cores", f.Value(fact.ProcessorCores).Float(), tt.cores)
		})
	}
}
