// Package windows turns a capture from Windows into an inventory. It reads
// only the capture, on any platform; structures are those of the system's
// published headers, and no length in them is trusted.
package windows

import (
	"encoding/binary"
	"fmt"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/decode/registry"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// decoder carries one capture to one inventory.
type decoder struct {
	*build.Draft
	// systemDisks are the numbers of the disks below the system volume.
	systemDisks []string
	// partitions are those in the tables of all disks.
	partitions []build.Partition
}

// notRead are the facts that Windows could tell of and this collector does not
// read.
var notRead = []string{
	"storage.system.encryption.key_kept",
}

// Decode makes the inventory. Every fact of the catalogue is known or has a
// gap afterwards.
func Decode(c *capture.Document) *inventory.Document {
	x := &decoder{Draft: build.New(c, "Take the inventory again as an administrator.")}
	x.processor()
	table, version := rawTable(c.Get(Firmware).Raw)
	x.ReadTables(c.Get(Firmware), table, version)
	x.system()
	x.device()
	x.memory()
	x.storage()
	x.firmware()
	x.OtherSystems(Variable, x.D.Firmware.BootMode.Or("") == "uefi", x.partitions)
	x.tpm()
	screens{x}.read()
	x.devices()
	x.software()
	x.power()
	x.management()
	licence(x)
	settings(x)
	updates(x)
	backups(x)
	x.restart()
	x.isolation()
	x.environment()
	x.Rest("Windows", notRead, fact.OnlyMac)
	return x.D
}

// rawTable splits RawSMBIOSData: one byte of calling method, the version in
// two, the revision, the length in four, then the structures.
func rawTable(b []byte) (table []byte, version int) {
	if len(b) < 8 {
		return nil, 0
	}
	table = b[8:]
	if n := binary.LittleEndian.Uint32(b[4:]); uint64(n) < uint64(len(table)) {
		table = table[:n]
	}
	return table, int(b[1])<<8 | int(b[2])
}

func (x *decoder) value(key, name string) (registry.Value, bool) {
	r := x.C.Get(View64.Value(key, name))
	if r.Outcome != capture.OK {
		return registry.Value{}, false
	}
	v, err := registry.Parse(r.Raw)
	return v, err == nil
}

func (x *decoder) keyText(key, name string) string {
	v, ok := x.value(key, name)
	if !ok {
		return ""
	}
	s, _ := v.Text()
	return s
}

func (x *decoder) keyNumber(key, name string) (int64, bool) {
	v, ok := x.value(key, name)
	if !ok {
		return 0, false
	}
	n, ok := v.Number()
	return int64(min(n, 1<<53)), ok
}

// keyExists: the key is there, whatever it holds.
func (x *decoder) keyExists(key string) bool {
	return x.C.Get(View64.Subkeys(key)).Outcome == capture.OK
}

// raw is a record's bytes, if there are enough of them.
func (x *decoder) raw(source string, least int) ([]byte, bool) {
	r := x.C.Get(source)
	return r.Raw, r.Outcome == capture.OK && len(r.Raw) >= least
}

// Machine types of the system's image format.
var machines = map[uint16]string{0x014C: "x86", 0x8664: "x86-64", 0xAA64: "arm64"}

// architectures as GetNativeSystemInfo numbers them.
var architectures = map[uint16]string{0: "x86", 9: "x86-64", 12: "arm64"}

// native is the architecture of the running system. A program for one
// architecture that runs on another is told lies by the older call.
func (x *decoder) native() (string, string) {
	if b, ok := x.raw(Native, 4); ok {
		if a := machines[binary.LittleEndian.Uint16(b[2:])]; a != "" {
			return a, Native
		}
	}
	_, refused := x.Refused(Native)
	if b, ok := x.raw(SystemInfo, 2); ok {
		if a := architectures[binary.LittleEndian.Uint16(b)]; a == "arm64" || !refused {
			return a, SystemInfo
		}
	}
	return "", ""
}

func (x *decoder) system() {
	x.Set(fact.OSPlatform, "windows", "the collector")
	arch, from := x.native()
	if !x.Set(fact.OSArchitecture, arch, from) {
		x.RefusedOr(fact.OSArchitecture, "the system does not report it", Native, SystemInfo)
	}
	const reg = `HKLM\` + KeyVersion
	x.Set(fact.OSName, x.keyText(KeyVersion, "ProductName"), reg+", which can still say the release before")
	x.Set(fact.OSEdition, x.keyText(KeyVersion, "EditionID"), reg)
	if x.D.OS.Name.IsZero() {
		x.RefusedOr(fact.OSName, reg+" does not state it", View64.Value(KeyVersion, "ProductName"))
	}
	if x.D.OS.Edition.IsZero() {
		x.RefusedOr(fact.OSEdition, reg+" does not state it", View64.Value(KeyVersion, "EditionID"))
	}
	x.Set(fact.OSLanguage, build.LanguageByNumber(x.keyText(KeyLanguage, "InstallLanguage")),
		`HKLM\`+KeyLanguage)
	inRegistry := x.keyText(KeyVersion, "CurrentBuildNumber")
	b, ok := x.raw(Version, 16)
	if !ok {
		if inRegistry == "" {
			x.WhyNot(fact.OSVersion, x.C.Get(Version), "the system does not report its version")
			return
		}
		x.Set(fact.OSBuild, x.build(inRegistry), reg)
		return
	}
	major, minor, build := binary.LittleEndian.Uint32(b[4:]), binary.LittleEndian.Uint32(b[8:]),
		strconv.Itoa(int(binary.LittleEndian.Uint32(b[12:])&0xFFFF))
	x.Set(fact.OSVersion, fmt.Sprintf("%d.%d.%s", major, minor, build), Version)
	if inRegistry != "" && inRegistry != build {
		x.Disagree("os.build", inventory.Differ{Value: build, Source: Version},
			inventory.Differ{Value: inRegistry, Source: reg})
		return
	}
	if r, is := x.Refused(View64.Value(KeyVersion, "UBR")); is {
		x.WhyNot(fact.OSBuild, r, "")
		return
	}
	x.Set(fact.OSBuild, x.build(build), Version+" and UBR")
}

// build is the build with its revision, as release notes quote it.
func (x *decoder) build(number string) string {
	if ubr, ok := x.keyNumber(KeyVersion, "UBR"); ok {
		return fmt.Sprintf("%s.%d", number, ubr)
	}
	return number
}

// environment: a system that says it was set up on a medium to carry about is
// not this machine's.
func (x *decoder) environment() {
	if n, ok := x.keyNumber(KeyPortable, "PortableOperatingSystem"); ok && n == 1 {
		x.Live("the system says that it runs from a medium to carry about")
		return
	}
	if r, is := x.Refused(View64.Value(KeyPortable, "PortableOperatingSystem")); is && x.D.Device.Environment.IsZero() {
		x.WhyNot(fact.DeviceEnvironment, r, "")
		return
	}
	if x.D.Device.Environment.IsZero() {
		x.Unseen(virtualDevice(x), "no sign of a hypervisor")
	}
}

// virtualDevice is the hardware id of a device as virtual machines have it; "" where there is none.
func virtualDevice(x *decoder) string {
	for _, n := range x.Lines(Devices) {
		for _, id := range x.Lines(Device(n)) {
			_, id, _ = strings.Cut(id, "hardware-id=")
			vendor, device := pciIDs(id)
			if build.VirtualDevice(vendor, device) {
				return id
			}
		}
	}
	return ""
}
