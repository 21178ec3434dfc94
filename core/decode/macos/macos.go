// Package macos turns a capture from macOS into an inventory. It reads only
// the capture, on any platform.
package macos

import (
	"encoding/base64"
	"encoding/binary"
	"math"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/decode/titles"
	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/placeholder"
)

// decoder carries one capture to one inventory.
type decoder struct {
	*build.Draft
	hardware any
	arm      bool
	archFrom string // which source tells the architecture; "": none does
}

// architecture: the kernel tells a chip of the maker's own, and so does its name, which other Macs do not have.
func (x *decoder) architecture() {
	const asked = "hw.optional.arm64"
	x.arm, x.archFrom = x.sysNumber(asked) == 1, Sysctl(asked)
	if _, refused := x.Refused(Sysctl(asked), SysctlText(asked)); refused && !x.arm {
		x.arm, x.archFrom = find(x.hardware, "chip_type") != nil, Hardware.Source()
		if x.C.Get(Hardware.Source()).Outcome != capture.OK {
			x.archFrom = ""
		}
	}
}

// setArchitecture sets that of the processor or of the system.
func (x *decoder) setArchitecture(id fact.ID) {
	switch {
	case x.archFrom == "":
		x.WhyNot(id, x.C.Get(Sysctl("hw.optional.arm64")), "")
	case x.arm:
		x.Set(id, "arm64", x.archFrom)
	default:
		x.Set(id, "x86-64", x.archFrom) // no system that runs a current collector is anything else
	}
}

// notRead are the facts that a Mac could tell of and this collector does not
// read.
var notRead = []string{
	"os.licence", "os.held_at", "os.checks_skipped", "os.edition", "os.account", "storage.system.encryption.key_kept",
	"drivers",
}

// Decode makes the inventory. Every fact that Macs have is known or has a gap
// afterwards.
func Decode(c *capture.Document) *inventory.Document {
	x := &decoder{Draft: build.New(c, "Take the inventory again with administrator rights (sudo).")}
	x.hardware = x.tool(Hardware)
	x.architecture()
	raw := x.bytes(find(x.tool(Tables), "SMBIOS"))
	tables := c.Get(Tables.Source())
	if tables.Outcome == capture.OK && len(raw) == 0 {
		tables.Outcome = capture.NotExposed
	}
	x.ReadTables(tables, raw, 0x0206)
	x.system()
	x.device()
	x.processor()
	x.memory()
	x.storage()
	x.encryption()
	x.startUp()
	x.screens()
	x.power()
	x.software()
	x.updates()
	x.backups()
	x.management()
	x.OtherSystems(func(name string) string { return "boot entry " + name }, false, partitions(x))
	x.Rest("Macs", notRead, fact.OnlyPC)
	return x.D
}

func (x *decoder) tool(t Tool) any { return tree(x.C.Get(t.Source()).Raw) }

// sys is a value of the kernel as text.
func (x *decoder) sys(name string) string {
	s, ok := x.Text(Sysctl(name))
	if !ok {
		s, _ = x.Text(SysctlText(name))
	}
	s, _, _ = strings.Cut(s, "\x00")
	return strings.Join(strings.Fields(s), " ")
}

// sysNumber is a value of the kernel as a number of four or eight bytes, or as
// the system's own tool writes it, or 0.
func (x *decoder) sysNumber(name string) int64 {
	r := x.C.Get(Sysctl(name))
	switch {
	case r.Outcome != capture.OK:
		n, _ := x.Number(SysctlText(name))
		return n
	case len(r.Raw) == 4:
		return int64(int32(binary.LittleEndian.Uint32(r.Raw)))
	case len(r.Raw) == 8:
		return int64(binary.LittleEndian.Uint64(r.Raw))
	}
	return 0
}

func words(v any) string {
	s, _ := v.(string)
	return strings.Join(strings.Fields(s), " ")
}

// size is a number of bytes, or 0.
func size(v any) int64 {
	f, ok := v.(float64)
	if !ok || f < 0 || f > 1<<60 || f != math.Trunc(f) {
		return 0
	}
	return int64(f)
}

// bytes undoes the form that JSON gives to data.
func (x *decoder) bytes(v any) []byte {
	s, _ := v.(string)
	b, err := base64.StdEncoding.DecodeString(s)
	if err != nil {
		return nil
	}
	return b
}

func (x *decoder) system() {
	x.Set(fact.OSPlatform, "macos", "the collector")
	file := tree(x.C.Get(VersionFile).Raw)
	version, from := x.sys("kern.osproductversion"), Sysctl("kern.osproductversion")
	if version == "" {
		version, from = words(find(file, "ProductVersion")), VersionFile
	}
	if !x.Set(fact.OSVersion, version, from) {
		x.WhyNot(fact.OSVersion, x.C.Get(Sysctl("kern.osproductversion")), "the system does not report its version")
	}
	build, from := x.sys("kern.osversion"), Sysctl("kern.osversion")
	if build == "" {
		build, from = words(find(file, "ProductBuildVersion")), VersionFile
	}
	x.Set(fact.OSBuild, build, from)
	if name := words(find(file, "ProductName")); name != "" && version != "" {
		major, _, _ := strings.Cut(version, ".")
		x.Set(fact.OSName, name+" "+major, VersionFile)
	}
	x.setArchitecture(fact.OSArchitecture)
	x.Gap(fact.OSPendingRestart, inventory.NotOffered, "the system has no mark for it that anyone may read", "")
}

func (x *decoder) device() {
	d := &x.D.Device
	expert := x.tool(Platform)
	host, _, _ := strings.Cut(x.sys("kern.hostname"), ".")
	x.Set(fact.DeviceName, host, Sysctl("kern.hostname"))
	x.Set(fact.DeviceModelID, x.sys("hw.model"), Sysctl("hw.model"))
	x.Set(fact.DeviceModel, words(find(x.hardware, "machine_name")), Hardware.Source())
	x.Set(fact.DeviceSerial, smbios.Filled(words(find(expert, "IOPlatformSerialNumber"))), Platform.Source())
	x.Set(fact.DeviceUUID, placeholder.UUID(words(find(expert, "IOPlatformUUID"))), Platform.Source())
	maker := strings.TrimRight(string(x.bytes(find(expert, "manufacturer"))), "\x00")
	x.Set(fact.DeviceManufacturer, maker, Platform.Source())
	for _, f := range []struct {
		id      fact.ID
		missing bool
	}{
		{fact.DeviceSerial, d.Serial.IsZero()},
		{fact.DeviceUUID, d.UUID.IsZero()},
		{fact.DeviceManufacturer, d.Manufacturer.IsZero()},
	} {
		if f.missing {
			x.WhyNot(f.id, x.C.Get(Platform.Source()), "the platform does not report it")
		}
	}
	if d.Model.IsZero() {
		x.WhyNot(fact.DeviceModel, x.C.Get(Hardware.Source()), "the system does not report it")
	}
	guest := x.sysNumber("kern.hv_vmm_present") == 1
	battery, _ := find(x.tool(Battery), "BatteryInstalled").(bool)
	switch {
	case guest:
		x.Set(fact.DeviceEnvironment, "guest", Sysctl("kern.hv_vmm_present"))
		x.Set(fact.DeviceForm, "virtual", Sysctl("kern.hv_vmm_present"))
	case battery:
		x.Set(fact.DeviceForm, "laptop", Battery.Source())
	case x.C.Get(Battery.Source()).Outcome == capture.OK:
		x.Set(fact.DeviceForm, "desktop", Battery.Source()+", which finds none")
	}
	if !guest {
		x.Set(fact.DeviceEnvironment, "hardware", "no sign of a hypervisor")
	}
	x.None(fact.DeviceAssetTag.String(), "Macs have none in firmware")
}

// features turns the kernel's names of features into the makers'.
var features = map[string]string{
	"sse2":      "sse2",
	"sse3":      "sse3",
	"ssse3":     "ssse3",
	"sse4.1":    "sse4.1",
	"sse4.2":    "sse4.2",
	"cx16":      "cmpxchg16b",
	"popcnt":    "popcnt",
	"aes":       "aes",
	"avx1.0":    "avx",
	"avx2":      "avx2",
	"bmi1":      "bmi1",
	"bmi2":      "bmi2",
	"fma":       "fma",
	"movbe":     "movbe",
	"xsave":     "xsave",
	"f16c":      "f16c",
	"vmx":       "vmx",
	"pae":       "pae",
	"lahf":      "lahf",
	"lzcnt":     "lzcnt",
	"prefetchw": "prefetchw",
	"xd":        "nx",
}

// processor reads what the kernel says. Under translation it makes up another
// processor, whose details are not taken on a Mac with one of its own.
func (x *decoder) processor() {
	chip, from := words(find(x.hardware, "chip_type")), Hardware.Source()
	if chip == "" || !x.arm {
		chip, from = x.sys("machdep.cpu.brand_string"), Sysctl("machdep.cpu.brand_string")
	}
	x.Set(fact.ProcessorName, chip, from)
	if x.arm {
		maker, _, _ := strings.Cut(chip, " ")
		x.Set(fact.ProcessorVendor, maker, from)
	} else if x.archFrom != "" {
		x.intel()
	}
	x.setArchitecture(fact.ProcessorArch)
	for _, n := range []struct {
		id   fact.ID
		from string
	}{
		{fact.ProcessorCores, "hw.physicalcpu_max"},
		{fact.ProcessorThreads, "hw.logicalcpu_max"},
		{fact.ProcessorPackages, "hw.packages"},
	} {
		if v := x.sysNumber(n.from); v > 0 && v < 1024 {
			x.SetNumber(n.id, v, Sysctl(n.from))
		} else {
			x.WhyNot(n.id, x.C.Get(Sysctl(n.from)), "the kernel does not report it")
		}
	}
	if hz := x.sysNumber("hw.cpufrequency_max"); hz >= 1_000_000 && !x.arm {
		x.SetNumber(fact.ProcessorMHz, hz/1_000_000, Sysctl("hw.cpufrequency_max"))
	} else {
		x.Gap(fact.ProcessorMHz, inventory.NotOffered, "this Mac's kernel does not report a rated speed", "")
	}
}

func (x *decoder) intel() {
	p := &x.D.Processor
	x.Set(fact.ProcessorVendor, x.sys("machdep.cpu.vendor"), Sysctl("machdep.cpu.vendor"))
	for _, n := range []struct {
		id   fact.ID
		name string
	}{{fact.ProcessorFamily, "family"}, {fact.ProcessorModel, "model"}, {fact.ProcessorStepping, "stepping"}} {
		from := "machdep.cpu." + n.name
		if x.C.Get(Sysctl(from)).Outcome == capture.OK {
			x.SetNumber(n.id, x.sysNumber(from), Sysctl(from))
		}
	}
	all := x.sys("machdep.cpu.features") + " " + x.sys("machdep.cpu.leaf7_features") + " " +
		x.sys("machdep.cpu.extfeatures")
	for f := range strings.FieldsSeq(strings.ToLower(all)) {
		if name := features[f]; name != "" && !slices.Contains(p.Features, name) {
			p.Features = append(p.Features, name)
		}
	}
	if len(p.Features) > 0 {
		x.D.Said("processor.features", Sysctl("machdep.cpu.features"))
	}
	x.NotWhole([]string{Sysctl("machdep.cpu.features"), Sysctl("machdep.cpu.leaf7_features"),
		Sysctl("machdep.cpu.extfeatures")}, fact.ProcessorFeatures)
}

// memory: what is fitted is what the kernel has; a Mac's firmware takes no
// share that would show.
func (x *decoder) memory() {
	m := &x.D.Memory
	n := x.sysNumber("hw.memsize")
	if n < 1<<20 || n > 1<<50 {
		x.WhyNot(fact.MemoryVisible, x.C.Get(Sysctl("hw.memsize")), "the kernel does not report it")
		x.WhyNot(fact.MemoryInstalled, x.C.Get(Sysctl("hw.memsize")), "the kernel does not report it")
		return
	}
	x.SetNumber(fact.MemoryVisible, n, Sysctl("hw.memsize"))
	switch {
	case x.Tables.Read:
		x.Modules()
	case !x.arm && x.Tables.Record.Outcome != capture.Absent:
		for _, name := range []string{"memory.slots", "memory.slots_used", "memory.max_bytes", "memory.modules"} {
			x.Why(name, x.Tables.Record, "this Mac hands out no firmware tables")
		}
	default:
		const detail = "this Mac's memory is part of its chip and has no slots to tell of"
		for _, name := range []string{"memory.slots", "memory.slots_used", "memory.max_bytes", "memory.modules"} {
			x.None(name, detail)
		}
	}
	if m.Installed.IsZero() {
		x.D.DropGap("memory.installed_bytes")
		x.SetNumber(fact.MemoryInstalled, n, Sysctl("hw.memsize"))
	}
}

// Identifier is the product code in an application's own description, as a capture has it; "" where it has none.
func Identifier(description []byte) string {
	return words(find(tree(description), "CFBundleIdentifier"))
}

// software are the titles in the folder for everybody.
func (x *decoder) software() {
	keep, asked := titles.Of(x.C.Get(Asked))
	if !asked {
		x.Gap(fact.TitleCount, inventory.NotAsked, "no titles were asked for", titles.Try)
		return
	}
	x.D.Software = []inventory.Software{}
	hidden := []string{Applications + "/"}
	for bundle := range strings.Lines(string(x.C.Get(Applications + "/").Raw)) {
		bundle = strings.TrimSuffix(bundle, "\n")
		name := strings.TrimSuffix(bundle, ".app")
		raw := x.C.Get(Title(bundle)).Raw
		code := Identifier(raw)
		if !keep.Has(name) {
			hidden = append(hidden, Title(bundle)) // it may be asked for by its identifier
		}
		if bundle == name || !keep.Has(name) && !keep.Has(code) {
			continue
		}
		info := tree(raw)
		version := words(find(info, "CFBundleShortVersionString"))
		if version == "" {
			version = words(find(info, "CFBundleVersion"))
		}
		title := inventory.Software{Name: name, Version: build.Known(version), Code: build.Known(code)}
		switch x.C.Get(Receipt(bundle)).Outcome {
		case capture.OK:
			title.Source = build.Some("store")
		case capture.Absent, capture.NotExposed:
			title.Source = build.Some("not-store")
		}
		x.D.Software = append(x.D.Software, title)
	}
	x.D.Said("software", Applications)
	if r, is := x.Refused(hidden...); is { // any title may be there
		x.WhyNot(fact.TitleCount, r, "")
		return
	}
	if !keep.All {
		x.D.Collector.Titles = keep.Named
		x.Gap(fact.TitleCount, inventory.NotAsked, "only the titles asked for were read", titles.Try)
	}
}

// updates are those that the system found when it last looked for some.
func (x *decoder) updates() {
	rec := x.C.Get(Updates)
	n, ok := find(tree(rec.Raw), "LastUpdatesAvailable").(float64)
	switch {
	case rec.Outcome == capture.OK && ok && n >= 0 && n == math.Trunc(n) && n < 1e5:
		x.SetNumber(fact.OSPendingUpdates, int64(n), Updates)
	case rec.Outcome == capture.OK:
		x.Gap(fact.OSPendingUpdates, inventory.NotOffered, "the system has not noted how many updates it found",
			"Let the system look for updates, and take the inventory again.")
	default:
		x.WhyNot(fact.OSPendingUpdates, rec, "the system has not noted how many updates it found")
	}
}

// backups is when the system's own backup last ran, on whichever of its places.
func (x *decoder) backups() {
	rec := x.C.Get(Backups)
	var last time.Time
	unread := false
	places, _ := find(tree(rec.Raw), "Destinations").([]any)
	for _, place := range places {
		dates, _ := find(place, "SnapshotDates").([]any)
		for _, d := range dates {
			at, err := time.Parse(time.RFC3339, words(d))
			if err != nil || !doc.TimeFits(at) {
				unread = true
			} else if at.After(last) {
				last = at
			}
		}
	}
	switch {
	case !last.IsZero():
		x.D.Backup.LastAt = build.Some(last)
		x.D.Said(fact.BackupAt.String(), Backups)
	case unread:
		x.Gap(fact.BackupAt, inventory.ReadFailed, "the days of the backups that the system notes are no times", "")
	case rec.Outcome == capture.OK:
		const detail = "the system's own backup has not run; another program may do it"
		x.Gap(fact.BackupAt, inventory.NotOffered, detail, "")
	case rec.Outcome == capture.Denied:
		const detail = "the system shows it only to programs that its owner allowed to see the whole disk"
		x.Gap(fact.BackupAt, inventory.NotOffered, detail, "")
	default:
		x.WhyNot(fact.BackupAt, rec, "the system's own backup is not set up; another program may do it")
	}
}

// management is read from words that the tools write in English on every
// system.
func (x *decoder) management() {
	var by []string
	status, ok := x.Text(Enrolled.Source())
	if ok && strings.Contains(status, "MDM enrollment: Yes") {
		by = append(by, "device management")
	}
	joined := x.C.Get(Directory.Source()).Outcome == capture.OK
	if joined {
		by = append(by, "a directory")
		x.Set(fact.OSAccount, "directory", Directory.Source())
	}
	switch {
	case len(by) > 0:
		x.Set(fact.OSManagedBy, strings.Join(by, ", "), "enrolment and directory")
	case ok:
		x.Gap(fact.OSManagedBy, inventory.NotOffered, "no sign of device management or of a directory", "")
	default:
		x.WhyNot(fact.OSManagedBy, x.C.Get(Enrolled.Source()), "the system does not report it")
	}
	if r := x.C.Get(Interfaces); r.Outcome == capture.OK {
		x.SetBool(fact.NetworkConnected, strings.Contains(string(r.Raw), " running"), Interfaces)
	} else {
		x.WhyNot(fact.NetworkConnected, r, "the system does not report it")
	}
}
