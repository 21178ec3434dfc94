package machines

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/registry"
	"rolltop.example/rolltop/core/decode/sample"
	win "rolltop.example/rolltop/core/decode/windows"
)

// Values as the registry keeps them.
func text(s string) string {
	return string(registry.Encode(registry.Value{Type: registry.Text, Data: []byte(sample.Wide(s))}))
}

func number(n uint32) string {
	return string(registry.Encode(registry.Value{Type: registry.Number32, Data: []byte(sample.U32(n))}))
}

// key keeps values of a key: name and text by turns.
func (m *machine) key(key string, pairs ...string) {
	for i := 0; i+1 < len(pairs); i += 2 {
		m.ok(win.View64.Value(key, pairs[i]), text(pairs[i+1]))
	}
}

// topology of one package.
func topology(cores, threads int) string {
	out := ""
	for i := range cores {
		mask := uint64(1) << i
		if threads > cores {
			mask = uint64(3) << (2 * i)
		}
		out += sample.Put(48,
			map[int]string{0: sample.U32(0) + sample.U32(48), 30: sample.U16(1), 32: sample.U64(mask)})
	}
	return out + sample.Put(48,
		map[int]string{0: sample.U32(3) + sample.U32(48), 30: sample.U16(1), 32: sample.U64(1<<threads - 1)})
}

// disk is what one disk answers.
type disk struct {
	model    string
	bus      uint32
	seek     int // -1: it does not say
	bytes    uint64
	mbr, raw bool
	parts    []sample.Part
	kinds    []byte // of an MBR's partitions; the first is active
	usb      bool
}

func (d disk) layout() string {
	style, count := uint32(1), len(d.parts)
	if d.mbr {
		style = 0
	}
	if d.raw {
		style = 2
	}
	out := sample.Put(48, map[int]string{0: sample.U32(style) + sample.U32(uint32(count))})
	for i, p := range d.parts {
		set := map[int]string{
			0:  sample.U32(style),
			8:  sample.U64(p.First * 512),
			16: sample.U64((p.Last - p.First + 1) * 512),
			24: sample.U32(uint32(i + 1)),
		}
		if d.mbr {
			set[32] = string([]byte{d.kinds[i]})
			if i == 0 {
				set[33] = "\x01"
			}
		} else {
			set[32] = sample.GUID(p.Type) + sample.GUID(p.ID)
		}
		out += sample.Put(144, set)
	}
	return out
}

func (m *machine) disks(list ...disk) {
	numbers := []string{}
	for i, d := range list {
		n := strconv.Itoa(i)
		numbers = append(numbers, n)
		removable := "\x00"
		if d.usb {
			removable = "\x01"
		}
		m.ok(win.Disk(n, win.Descriptor),
			sample.Put(40, map[int]string{
				0:  sample.U32(40) + sample.U32(uint32(40+len(d.model)+1)),
				10: removable,
				16: sample.U32(40),
				28: sample.U32(d.bus),
			})+d.model+"\x00")
		if d.seek >= 0 {
			m.ok(win.Disk(n, win.Seek), sample.Put(12, map[int]string{8: string([]byte{byte(d.seek)})}))
		} else {
			m.no(capture.NotExposed, 50, win.Disk(n, win.Seek))
		}
		m.ok(win.Disk(n, win.Geometry), sample.Put(32, map[int]string{20: sample.U32(512), 24: sample.U64(d.bytes)}))
		m.ok(win.Disk(n, win.Layout), d.layout())
	}
	m.ok(win.Disks, strings.Join(numbers, "\n"))
}

// volume of the system: on which disks, its size and what is free.
func (m *machine) volume(size, free uint64, disks ...uint32) {
	out := sample.U32(uint32(len(disks))) + sample.U32(0)
	for _, d := range disks {
		out += sample.U32(d) + sample.U32(0) + sample.U64(1<<20) + sample.U64(size)
	}
	m.ok(win.Drive, "C:")
	m.ok(win.Extents, out)
	m.ok(win.Space, sample.U64(free)+sample.U64(size)+sample.U64(free))
	m.ok(win.Filesystem, "NTFS")
}

// device is a present device with the keys that its driver's installation left.
type device struct{ name, class, guid, hardware, version, date, provider, problem string }

func (m *machine) devices(list ...device) {
	var numbers []string
	for i, d := range list {
		n := strconv.Itoa(i)
		numbers = append(numbers, n)
		driver := ""
		if d.version != "" {
			driver = fmt.Sprintf(`%s\%04d`, d.guid, i)
			m.key(win.KeyClass+`\`+driver, "DriverVersion", d.version, "DriverDate", d.date, "ProviderName", d.provider)
		}
		m.ok(win.Device(n), fmt.Sprintf("name=%s\nclass=%s\nclass-guid=%s\nhardware-id=%s\ndriver=%s\nproblem=%s\n",
			d.name, d.class, d.guid, d.hardware, driver, d.problem))
	}
	m.ok(win.Devices, strings.Join(numbers, "\n"))
}

const (
	classDisplay = "{4d36e968-e325-11ce-bfc1-08002be10318}"
	classNet     = "{4d36e972-e325-11ce-bfc1-08002be10318}"
	pciVendor    = 0x7E5A // of no maker
)

// adapter answers for a graphics adapter: driver model as 2700 for 2.7.
func (m *machine) adapter(n string, dev uint32, model uint32) {
	m.ok(win.Adapters, n)
	m.ok(win.Adapter(n, win.DeviceIDs), sample.U32(0)+sample.U32(pciVendor)+sample.U32(dev)+sample.Zeros(16))
	m.ok(win.Adapter(n, win.DriverModel), sample.U32(model))
	m.ok(win.Adapter(n, win.AdapterKind), sample.U32(3))
}

func (m *machine) displays(inside bool, list ...sample.Display) {
	var numbers []string
	for i, d := range list {
		n := strconv.Itoa(i + 1)
		numbers = append(numbers, n)
		technology := uint32(10) // external DisplayPort
		if inside && i == 0 {
			technology = 11
		}
		m.ok(win.Display(n, win.Technology), sample.U32(technology))
		m.ok(win.Display(n, win.EDID), d.EDID())
	}
	m.ok(win.Displays, strings.Join(numbers, "\n"))
}

// windowsBase is what every machine answers.
func windowsBase(
	name string, elevated bool, pc sample.PC, c sample.CPU, cores, threads int, visibleMiB uint64,
) *machine {
	m := begin(name, "windows", elevated)
	m.ok(win.Version, sample.U32(20)+sample.U32(11)+sample.U32(2)+sample.U32(4104)+sample.U32(2))
	m.ok(win.Binary, "amd64")
	m.ok(win.Native, sample.U16(0)+sample.U16(0x8664))
	m.ok(win.SystemInfo, sample.U16(9))
	m.key(win.KeyVersion, "ProductName", "Skerry 11", "EditionID", "Office", "CurrentBuildNumber", "4104")
	m.ok(win.View64.Value(win.KeyVersion, "UBR"), number(18))
	m.key(win.KeyName, "ComputerName", name)
	m.ok(win.CPUID, c.Leaves())
	m.ok(win.Topology, topology(cores, threads))
	m.no(capture.Failed, 1359, win.Clocks)
	table := pc.Tables()
	m.ok(win.Firmware, "\x00\x03\x03\x00"+sample.U32(uint32(len(table)))+table)
	m.ok(win.Memory, sample.Put(64, map[int]string{0: sample.U32(64), 8: sample.U64(visibleMiB << 20)}))
	total := 0
	for _, x := range pc.Modules {
		total += x.MiB
	}
	m.ok(win.MemoryFitted, sample.U64(uint64(total)<<10))
	m.ok(win.PowerStatus, "\x01\x80\xFF\x00"+sample.Zeros(8))
	m.ok(win.Uplinks, "6 1\n24 1\n")
	m.ok(win.Joined, sample.U32(2))
	m.no(capture.Absent, 2, win.View64.Mark(win.KeyCloud, "*"), win.View64.Mark(win.KeyPolicy, "WUServer"),
		win.View64.Subkeys(win.KeyEnrolled))
	m.ok(win.View64.Subkeys(win.KeyServicing), "")
	for _, k := range win.Marks[1:] {
		m.no(capture.Absent, 2, win.View64.Subkeys(k))
	}
	m.no(capture.Absent, 2, win.View64.Value(win.KeySession, "PendingFileRenameOperations"),
		win.View64.Value(win.KeyPortable, "PortableOperatingSystem"),
		win.View64.Value(win.KeyPolicy, "TargetReleaseVersion"))
	m.ok(win.Isolation, sample.Zeros(8))
	refused := capture.Denied
	if elevated {
		refused = capture.Absent
	}
	m.no(refused, 5, win.VolumeHead, win.ESPSpace, win.ESPLoader)
	if elevated {
		m.encrypts(0, 0)
	} else {
		m.no(capture.Denied, 5, win.Volume)
	}
	m.ok(win.Accounts, win.AccountLocal)
	m.ok(win.Updates, "0")
	m.no(capture.NotExposed, 0x80041010, win.BIOSSettings)
	m.no(capture.Absent, 259, win.BackupEvent)
	m.no(capture.Absent, 2, win.Table("TPM2"), win.Table("TCPA"))
	return m
}

// uefi: it started so, and the three sources agree about secure boot.
func (m *machine) uefi(on bool) {
	state := uint32(0)
	if on {
		state = 1
	}
	m.ok(win.FirmwareType, sample.U32(2))
	m.ok(win.SecureBoot, string([]byte{byte(state), 1}))
	m.ok(win.View64.Subkeys(win.KeySecureBoot), "")
	m.ok(win.View64.Value(win.KeySecureBoot, "UEFISecureBootEnabled"), number(state))
	if m.Elevated {
		m.ok(win.Variable("SecureBoot"), sample.U32(6)+string([]byte{byte(state)}))
		m.ok(win.Variable("SetupMode"), sample.U32(6)+"\x00")
	} else {
		m.no(capture.Denied, 1314, win.Variable("SecureBoot"), win.Variable("SetupMode"), win.Variable("BootOrder"))
	}
}

func (m *machine) legacy() {
	m.ok(win.FirmwareType, sample.U32(1))
	m.no(capture.NotExposed, 1, win.Variable("SecureBoot"), win.Variable("SetupMode"), win.Variable("BootOrder"))
}

func (m *machine) tpm(version uint32, manufacturer string) {
	m.ok(win.TBS, sample.U32(1)+sample.U32(version)+sample.U32(3)+sample.U32(1))
	if version == 2 {
		m.ok(win.Table("TPM2"), sample.TPM2Table(7))
		m.ok(win.Ask2, sample.TPM2Answer(manufacturer, 7, 2))
	} else {
		m.ok(win.Ask12, sample.TPM12Answer(manufacturer, 4, 32))
		m.ok(win.Flags12, sample.TPM12Flags(true, true))
	}
}

// encrypts is what the system says of the encryption of its volume: how far it is, whether it protects, and the types
// of what unlocks it.
func (m *machine) encrypts(converted, protects int, types ...int) {
	out := fmt.Sprintf("%s 0 %d\n%s 0 %d\n%s 0 %d\n", win.Conversion, converted, win.Protects, protects, win.Unlocks(0),
		len(types))
	for kind := 1; kind <= win.Protectors; kind++ {
		n := 0
		if slices.Contains(types, kind) {
			n = 1
		}
		out += fmt.Sprintf("%s 0 %d\n", win.Unlocks(kind), n)
	}
	m.ok(win.Volume, out)
}

func (m *machine) noTPM() { m.no(capture.Absent, 0x8028400F, win.TBS) }

func (m *machine) boots(entries ...string) {
	order := ""
	for i, e := range entries {
		order += sample.U16(uint16(i + 1))
		m.ok(win.Variable(fmt.Sprintf("Boot%04X", i+1)), e)
	}
	m.ok(win.Variable("BootOrder"), sample.U32(7)+order)
	m.ok(win.Variable("BootCurrent"), sample.U32(6)+sample.U16(1))
}

// id is a made-up GUID that ends in a number.
func id(n int) string { return fmt.Sprintf("71de0000-0000-4000-8000-%012x", n) }

// started is the table of a disk that a UEFI machine starts from.
func started(sectors uint64, from int) []sample.Part {
	return []sample.Part{
		sample.NewPart(sample.ESP, id(from), 2048, 534527),
		sample.NewPart("e3c9e316-0b5c-4db8-817d-f92df00215ae", id(from+1), 534528, 567295),
		sample.NewPart(sample.BasicData, id(from+2), 567296, sectors-2048),
	}
}
