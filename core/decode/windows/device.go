package windows

import (
	"encoding/binary"
	"fmt"
	"math/bits"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/cpu"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

func (x *decoder) device() {
	d := &x.D.Device
	if !x.Set(fact.DeviceName, x.keyText(KeyName, "ComputerName"), `HKLM\`+KeyName) {
		x.WhyNot(fact.DeviceName, x.C.Get(View64.Value(KeyName, "ComputerName")), "the machine has no name")
	}
	in := &x.Tables.Info
	x.identity(fact.DeviceManufacturer, in.System.Manufacturer, "SystemManufacturer")
	x.identity(fact.DeviceModel, in.System.Product, "SystemProductName")
	x.identity(fact.DeviceSerial, in.System.Serial, "")
	x.identity(fact.DeviceUUID, in.System.UUID, "")
	x.identity(fact.DeviceAssetTag, in.AssetTag, "")
	x.identity(fact.BoardManufacturer, in.Board.Manufacturer, "BaseBoardManufacturer")
	x.identity(fact.BoardModel, in.Board.Product, "BaseBoardProduct")
	x.identity(fact.BoardSerial, in.Board.Serial, "")
	switch {
	case d.Environment.Or("") == "guest":
		x.Set(fact.DeviceForm, "virtual", x.D.Sources["device.environment"])
	case !x.Set(fact.DeviceForm, in.Form, "SMBIOS type 3"):
		x.WhyNot(fact.DeviceForm, x.Tables.Record, x.Tables.Missing())
	}
}

// identity takes a text from the firmware tables, or the copy that the system
// keeps of it in the registry.
func (x *decoder) identity(id fact.ID, fromTable, mirror string) {
	if x.Set(id, fromTable, "SMBIOS") {
		return
	}
	if mirror != "" && x.Set(id, smbios.Filled(x.keyText(KeyBIOS, mirror)), `HKLM\`+KeyBIOS) {
		return
	}
	if x.Tables.Read {
		x.Gap(id, inventory.NotOffered, "the firmware leaves it empty, or holds a placeholder", "")
		return
	}
	x.WhyNot(id, x.Tables.Record, x.Tables.Missing())
}

func (x *decoder) processor() {
	native, from := x.native()
	_, unknown := x.Refused(Native)
	translated := (native == "arm64" || native == "" && unknown) && x.ofBinary() != "arm64"
	r := x.C.Get(CPUID)
	info, source := cpu.Info{}, `HKLM\`+KeyProcessor
	if r.Outcome == capture.OK && !translated {
		info, source = cpu.Describe(cpu.Leaves(r.Raw)), "CPUID"
	} else {
		info.Vendor, info.Name = x.keyText(KeyProcessor, "VendorIdentifier"),
			x.keyText(KeyProcessor, "ProcessorNameString")
		info.Name = strings.Join(strings.Fields(info.Name), " ")
		n, _ := fmt.Sscanf(afterWord(x.keyText(KeyProcessor, "Identifier"), "Family"), "Family %d Model %d Stepping %d",
			&info.Family, &info.Model, &info.Stepping)
		info.Known = n == 3
	}
	x.Processor(info, source)
	switch {
	case info.LongMode:
		x.Set(fact.ProcessorArch, "x86-64", "CPUID long mode")
	case native == "arm64" || native == "x86-64":
		x.Set(fact.ProcessorArch, native, from)
	case source == "CPUID":
		x.Set(fact.ProcessorArch, "x86", "CPUID, no long mode")
	default:
		x.RefusedOr(fact.ProcessorArch, "neither the system nor the processor reports it", Native, SystemInfo, CPUID)
	}
	x.topology()
	x.ratedSpeed(info)
	if info.Guest && !x.rootPartition() {
		x.Set(fact.DeviceEnvironment, "guest", source+" hypervisor bit")
		x.Set(fact.DeviceHypervisor, info.Hypervisor, source+" leaf 40000000h")
	}
}

// rootPartition: where the system's own isolation runs, the hypervisor bit is
// set on plain hardware too. There the root partition has the privilege to
// make others: leaf 40000003h, EBX bit 0.
func (x *decoder) rootPartition() bool {
	for _, l := range cpu.Leaves(x.C.Get(CPUID).Raw) {
		if l.Fn == 0x40000003 {
			return l.EBX&1 != 0
		}
	}
	return false
}

// ofBinary is the architecture that the collector was built for.
func (x *decoder) ofBinary() string {
	s, _ := x.Text(Binary)
	return map[string]string{"386": "x86", "amd64": "x86-64", "arm64": "arm64"}[s]
}

func afterWord(s, word string) string {
	if i := strings.Index(s, word); i >= 0 {
		return s[i:]
	}
	return ""
}

// Relationships of SYSTEM_LOGICAL_PROCESSOR_INFORMATION_EX.
const (
	relationCore    = 0
	relationPackage = 3
)

// topology counts entries of each relationship; threads are the bits in the
// masks of cores, in whichever group.
func (x *decoder) topology() {
	r := x.C.Get(Topology)
	cores, packages, threads := countTopology(r.Raw)
	if r.Outcome != capture.OK || cores == 0 || threads < cores {
		x.WhyNot(fact.ProcessorCores, r, "the system does not report the topology")
		return
	}
	if x.TwinCores() { // the threads are the cores of modules
		cores = threads
	}
	x.SetNumber(fact.ProcessorCores, cores, Topology)
	x.SetNumber(fact.ProcessorThreads, threads, Topology)
	if packages > 0 {
		x.SetNumber(fact.ProcessorPackages, packages, Topology)
	}
}

func countTopology(b []byte) (cores, packages, threads int64) {
	for len(b) >= 8 {
		relation, size := binary.LittleEndian.Uint32(b), binary.LittleEndian.Uint32(b[4:])
		if size < 8 || uint64(size) > uint64(len(b)) {
			return cores, packages, threads
		}
		switch relation {
		case relationCore:
			cores++
			threads += threadsOf(b[:size])
		case relationPackage:
			packages++
		}
		b = b[size:]
	}
	return cores, packages, threads
}

// threadsOf counts the bits of a core's masks. Masks have the size of a
// pointer of the program that asked: 8 bytes of 16, or 4 of 12.
func threadsOf(entry []byte) int64 {
	if len(entry) < 32 {
		return 0
	}
	groups := int(binary.LittleEndian.Uint16(entry[30:]))
	if groups == 0 || groups > 64 {
		return 0
	}
	step := (len(entry) - 32) / groups
	n := 0
	for i := range groups {
		switch mask := entry[32+i*step:]; {
		case step >= 16:
			n += bits.OnesCount64(binary.LittleEndian.Uint64(mask))
		case step >= 12:
			n += bits.OnesCount32(binary.LittleEndian.Uint32(mask))
		}
	}
	return int64(n)
}

// ratedSpeed: the processor's own word, then what the power manager holds to
// be the most without boost, then what was measured at start.
func (x *decoder) ratedSpeed(info cpu.Info) {
	if info.RatedMHz > 0 {
		x.SetNumber(fact.ProcessorMHz, info.RatedMHz, info.RatedFrom)
	} else if b, ok := x.raw(Clocks, 24); ok && binary.LittleEndian.Uint32(b[4:])-1 < 100_000 {
		x.SetNumber(fact.ProcessorMHz, int64(binary.LittleEndian.Uint32(b[4:])), Clocks)
	} else if mhz, ok := x.keyNumber(KeyProcessor, "~MHz"); ok && mhz > 0 && mhz <= 100_000 {
		x.Speed(mhz, fmt.Sprintf("nothing tells its rated speed; when it was started, the system measured %d MHz", mhz))
	} else {
		x.Gap(fact.ProcessorMHz, inventory.NotOffered,
			"neither the processor nor the system tells its rated speed", "")
	}
}

func (x *decoder) memory() {
	if b, ok := x.raw(Memory, 16); ok {
		if n := binary.LittleEndian.Uint64(b[8:]); n >= 1<<20 && n < 1<<50 {
			x.SetNumber(fact.MemoryVisible, int64(n), Memory)
		}
	}
	x.Modules()
	b, ok := x.raw(MemoryFitted, 8)
	kib := uint64(0)
	if ok {
		kib = binary.LittleEndian.Uint64(b)
	}
	if kib < 1<<10 || kib > 1<<40 {
		return
	}
	fitted, m := int64(kib)<<10, &x.D.Memory
	switch has, known := m.Installed.Get(); {
	case known && has != fitted:
		m.Installed = inventory.Opt[int64]{}
		delete(x.D.Sources, "memory.installed_bytes")
		x.Disagree("memory.installed_bytes", inventory.Differ{Value: fmt.Sprint(has), Source: "SMBIOS type 17"},
			inventory.Differ{Value: fmt.Sprint(fitted), Source: MemoryFitted})
	case !known && x.Tables.Info.SizeUnknown, !known && len(m.Modules) == 0:
		x.D.DropGap("memory.installed_bytes")
		x.SetNumber(fact.MemoryInstalled, fitted, MemoryFitted)
	}
}

func (x *decoder) power() {
	b, ok := x.raw(PowerStatus, 12)
	if !ok {
		x.Why("power", x.C.Get(PowerStatus), "the system does not report it")
		return
	}
	x.Set(fact.PowerSource, map[byte]string{0: "battery", 1: "mains"}[b[0]], PowerStatus)
	if flag := b[1]; flag&128 != 0 {
		for _, n := range []string{"power.battery_percent", "power.battery_health_percent"} {
			x.None(n, "there is no battery")
		}
	} else if b[2] <= 100 {
		x.SetNumber(fact.BatteryPercent, int64(b[2]), PowerStatus)
	}
	if r := x.C.Get(Uplinks); r.Outcome == capture.OK {
		up := false
		for _, line := range x.Lines(Uplinks) {
			kind, status, _ := strings.Cut(line, " ")
			up = up || kind != "24" && kind != "131" && status == "1" // loopback and tunnels are no uplink
		}
		x.SetBool(fact.NetworkConnected, up, Uplinks)
	} else {
		x.WhyNot(fact.NetworkConnected, r, "the system does not report it")
	}
}
