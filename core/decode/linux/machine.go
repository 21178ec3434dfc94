package linux

import (
	"encoding/binary"
	"fmt"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/build"
	"rolltop.example/rolltop/core/decode/cpu"
	"rolltop.example/rolltop/core/decode/smbios"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

func (x *decoder) processor() {
	info, source := cpu.Info{}, "CPUID"
	if r := x.C.Get("cpuid"); r.Outcome == capture.OK {
		info = cpu.Describe(cpu.Leaves(r.Raw))
	} else {
		source = "/proc/cpuinfo"
		info = cpu.Text(string(x.C.Get(source).Raw))
	}
	x.Processor(info, source)
	x.numbers = info.Numbers
	x.architecture(info, source)
	x.topology()
	x.ratedSpeed(info)
	if info.Guest {
		x.Set(fact.DeviceEnvironment, "guest", source+" hypervisor bit")
		x.Set(fact.DeviceHypervisor, info.Hypervisor, source+" leaf 40000000h")
	}
}

// elf reads word size and machine from the head of an ELF file.
func elf(head []byte) string {
	if len(head) < 20 || string(head[:4]) != "\x7fELF" {
		return ""
	}
	return map[uint16]string{3: "x86", 62: "x86-64", 183: "arm64"}[binary.LittleEndian.Uint16(head[18:])]
}

func (x *decoder) architecture(info cpu.Info, source string) {
	system := elf(x.C.Get("head:/sbin/init").Raw)
	x.Set(fact.OSArchitecture, system, "ELF header of /sbin/init")
	kernel, _ := x.Text("/proc/sys/kernel/arch")
	switch {
	case info.LongMode:
		x.Set(fact.ProcessorArch, "x86-64", source+" long mode")
	case system == "arm64" || kernel == "aarch64":
		x.Set(fact.ProcessorArch, "arm64", "/proc/sys/kernel/arch")
	case len(info.Features) > 0 && info.Vendor != "":
		x.Set(fact.ProcessorArch, "x86", source+", no long mode")
	}
	if x.D.OS.Architecture.IsZero() {
		if a := map[string]string{"x86_64": "x86-64", "aarch64": "arm64", "i686": "x86"}[kernel]; a != "" {
			x.Set(fact.OSArchitecture, a, "/proc/sys/kernel/arch")
		}
	}
}

// topology counts packages, physical cores and threads from what the kernel
// knows of each processor; threads that are offline count by /present.
func (x *decoder) topology() {
	const base = "/sys/devices/system/cpu"
	packages, cores, threads := map[string]bool{}, map[string]bool{}, 0
	groups := map[string]bool{}
	var looked []string
	ids, _ := x.List(base)
	for _, id := range ids {
		n, isCPU := strings.CutPrefix(id, "cpu")
		if _, err := strconv.Atoi(n); !isCPU || err != nil {
			continue
		}
		of := func(names ...string) string { // kernels before 2.6.24 have masks and no lists
			for _, name := range names {
				at := base + "/" + id + "/topology/" + name
				looked = append(looked, at)
				if text, ok := x.Text(at); ok && text != "" {
					return text
				}
			}
			return ""
		}
		pkg, siblings := of("physical_package_id"), of("thread_siblings_list", "thread_siblings")
		if strings.HasPrefix(pkg, "-") { // the platform does not number its packages
			pkg = ""
		}
		if pkg == "" {
			pkg = of("core_siblings_list", "core_siblings")
		}
		if siblings == "" {
			continue
		}
		threads++
		groups[pkg+"/"+siblings] = true
		if x.TwinCores() { // the siblings are the cores of a module
			siblings = id
		}
		cores[pkg+"/"+siblings] = true
		if pkg != "" {
			packages[pkg] = true
		}
	}
	present, _ := x.Text(base + "/present")
	if r, is := x.Refused(looked...); is { // a processor without its place could be a core of its own
		for _, id := range []fact.ID{fact.ProcessorCores, fact.ProcessorPackages} {
			x.WhyNot(id, r, "")
		}
		if n := countRange(present); n > 0 {
			x.SetNumber(fact.ProcessorThreads, int64(n), base+"/present")
		}
		return
	}
	if threads == 0 {
		x.WhyNot(fact.ProcessorCores, x.C.Get(base+"/"), "the kernel does not report the topology")
		return
	}
	n := countRange(present)
	r, unnamed := x.Refused("cpuid", "/proc/cpuinfo")
	switch {
	case unnamed && len(groups) < threads: // those that share parts may be threads, or cores of a module
		x.SetNumber(fact.ProcessorThreads, int64(max(n, threads)), base)
		x.WhyNot(fact.ProcessorCores, r, "")
	case n > threads:
		// Offline threads belong to cores that do not show; count by ratio only
		// where it is exact.
		detail := fmt.Sprintf("%d of %d threads are offline, and their cores do not show", n-threads, n)
		x.SetNumber(fact.ProcessorThreads, int64(n), base+"/present")
		x.Gap(fact.ProcessorCores, inventory.NotOffered, detail,
			"Bring all processors online and take the inventory again.")
	default:
		x.SetNumber(fact.ProcessorThreads, int64(threads), base)
		x.SetNumber(fact.ProcessorCores, int64(len(cores)), base+"/cpu*/topology")
	}
	if len(packages) == 0 {
		x.Gap(fact.ProcessorPackages, inventory.NotOffered, "the kernel does not tell which processors share a package",
			"")
		return
	}
	x.SetNumber(fact.ProcessorPackages, int64(len(packages)), base+"/cpu*/topology")
}

// countRange counts the numbers in a list such as 0-3,8.
func countRange(s string) int {
	n := 0
	for _, part := range strings.Split(strings.TrimSpace(s), ",") {
		from, to, isRange := strings.Cut(part, "-")
		a, err := strconv.Atoi(from)
		if err != nil {
			return 0
		}
		b := a
		if isRange {
			if b, err = strconv.Atoi(to); err != nil || b < a || b > 1<<16 {
				return 0
			}
		}
		n += b - a + 1
	}
	return n
}

func (x *decoder) ratedSpeed(info cpu.Info) {
	const scaling = "/sys/devices/system/cpu/cpu0/cpufreq/"
	const base = scaling + "base_frequency"
	if khz, ok := x.Number(base); ok && khz > 1000 {
		x.SetNumber(fact.ProcessorMHz, khz/1000, base)
	} else if info.RatedMHz > 0 {
		x.SetNumber(fact.ProcessorMHz, info.RatedMHz, info.RatedFrom)
	} else if khz, ok := x.Number(scaling + "bios_limit"); ok && khz > 1000 && khz < 100_000_000 {
		x.Speed(khz/1000, fmt.Sprintf(
			"neither the kernel nor the processor tells its rated speed; the firmware lets it run at %d MHz", khz/1000))
	} else {
		x.Gap(fact.ProcessorMHz, inventory.NotOffered,
			"neither the kernel nor the processor tells its rated speed", "")
	}
}

func (x *decoder) system() {
	o := &x.D.OS
	x.Set(fact.OSPlatform, "linux", "the collector")
	path := "/etc/os-release"
	if x.C.Get(path).Outcome != capture.OK {
		path = "/usr/lib/os-release"
	}
	values := osRelease(string(x.C.Get(path).Raw))
	x.Set(fact.OSName, first(values["PRETTY_NAME"], values["NAME"]), path)
	x.Set(fact.OSVersion, values["VERSION_ID"], path)
	x.Set(fact.OSBuild, values["BUILD_ID"], path)
	x.Set(fact.OSEdition, values["VARIANT_ID"], path)
	if o.Name.IsZero() {
		x.WhyNot(fact.OSName, x.C.Get(path), "there is no "+path)
	}
	if o.Version.IsZero() {
		x.Gap(fact.OSVersion, inventory.NotOffered, path+" has no VERSION_ID, as on releases that roll", "")
	}
	for _, file := range []string{"/etc/locale.conf", "/etc/default/locale"} {
		if tag := build.LanguageOfLocale(osRelease(string(x.C.Get(file).Raw))["LANG"]); tag != "" &&
			o.Language.IsZero() {
			x.Set(fact.OSLanguage, tag, file)
		}
	}
	accounts(x)
	updates(x)
	x.Gap(fact.BackupAt, inventory.NotOffered, "no common backup of Linux notes for the system when it last ran", "")
	restart(x)
}

func first(list ...string) string {
	for _, s := range list {
		if s != "" {
			return s
		}
	}
	return ""
}

// osRelease reads the shell-like assignments of os-release.
func osRelease(text string) map[string]string {
	out := map[string]string{}
	for line := range strings.Lines(text) {
		key, value, ok := strings.Cut(strings.TrimSpace(line), "=")
		if !ok || strings.HasPrefix(key, "#") {
			continue
		}
		if len(value) >= 2 && (value[0] == '"' || value[0] == '\'') && value[len(value)-1] == value[0] {
			value = value[1 : len(value)-1]
		}
		out[key] = strings.NewReplacer(`\"`, `"`, `\$`, `$`, `\\`, `\`, "\\`", "`").Replace(value)
	}
	return out
}

func (x *decoder) memory() {
	m := &x.D.Memory
	for line := range strings.Lines(string(x.C.Get("/proc/meminfo").Raw)) {
		if f := strings.Fields(line); len(f) == 3 && f[0] == "MemTotal:" {
			if kib, err := strconv.ParseInt(f[1], 10, 64); err == nil && kib > 0 && kib < 1<<40 {
				x.SetNumber(fact.MemoryVisible, kib<<10, "/proc/meminfo")
			}
		}
	}
	if m.Visible.IsZero() {
		x.WhyNot(fact.MemoryVisible, x.C.Get("/proc/meminfo"), "the kernel does not say how much memory it uses")
	}
	x.Modules()
}

// chassisForm names a chassis type as SMBIOS type 3 numbers it.
func chassisForm(n byte) string {
	in := smbios.Describe([]smbios.Structure{{Type: 3, Data: []byte{3, 9, 0, 0, 0, n, 0, 0, 0}}}, 0)
	return in.Form
}
