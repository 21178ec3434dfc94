package build

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

const others = "storage.other_systems"

// rootTypes are the types of partitions that hold the root of a system and nothing else, by the platform (UAPI
// Discoverable Partitions Specification).
var rootTypes = map[string]string{
	"4f68bce3-e8cd-4db1-96e7-fbcaf984b709": "linux", // x86-64
	"44479540-f297-41b2-9af7-d131d5f0458a": "linux", // x86
	"b921b045-1df0-41c3-af44-4c6f280d3fae": "linux", // arm64
}

// usedTypes are types of partitions that systems of a platform use, for themselves or for data: a GUID (UEFI
// Specification 2.10, section 5.3.3, and the platforms' own lists), or two hex digits of an MBR.
var usedTypes = map[string]string{
	"0fc63daf-8483-4772-8e79-3d69d8477de4": "linux", "e6d6d379-f507-44c2-a23c-238f2a3df928": "linux", // LVM
	"a19d880f-05fc-4d3b-a006-743f0f84911e": "linux", // RAID
	"7c3457ef-0000-11aa-aa11-00306543ecac": "macos", "48465300-0000-11aa-aa11-00306543ecac": "macos",
	"e3c9e316-0b5c-4db8-817d-f92df00215ae": "windows", "de94bba4-06d1-4d40-a16a-bfd50179d6ac": "windows",
	"ebd0a0a2-b9e5-4433-87c0-68b6b72699c7": "windows",
	"83":                                   "linux", "8e": "linux", "fd": "linux", "af": "macos", "07": "windows",
	"27": "windows",
}

// rootOf begins the name of a system of which only the partition is known.
const rootOf = "a root partition of "

var platformNames = map[string]string{"linux": "Linux", "macos": "macOS", "windows": "Windows"}

// Partition is what tells of a system on a partition.
type Partition struct {
	ID   string // unique GUID of a GPT partition; "" of others
	Type string // a GUID in small letters, or two hex digits
}

// OtherSystems looks for systems beside the one that runs: in the firmware's boot entries where the machine started by
// UEFI, and at the types of the partitions that were read. variable names the source of a UEFI variable. An entry
// outlives its system, so that one counts only when its partition is still in a table. A type that systems use for
// data, too, is no system. The list is never complete: a system may be there without an entry, on a partition of any
// type.
func (x *Draft) OtherSystems(variable func(name string) string, uefi bool, parts []Partition) {
	var found, unsure []string
	current, looked, why := "", "only the types of the partitions were looked at", ""
	inOrder := x.C.Get(variable("BootOrder"))
	order, err := efi.Order(inOrder.Raw)
	if uefi && err == nil {
		current = x.CurrentLoader(variable)
		looked = "only the firmware's boot entries and the types of the partitions were looked at"
		found, unsure = x.entries(variable, order, current, parts)
		why = x.unsureEntries(unsure, current)
	}
	roots, used := x.types(parts)
	if len(found)+len(roots) > 0 {
		x.D.Storage.OtherSystems = append(found, roots...)
		x.D.Said(others, strings.Join(slices.DeleteFunc([]string{
			said(found, "EFI boot entries, whose partitions are there"), said(roots, "types of partitions"),
		}, func(s string) bool { return s == "" }), "; "))
	}
	const try = "Look at the disks whether another system is on them."
	switch {
	case why == "" && used != "":
		why = used
	case why == "" && uefi && err != nil:
		x.Why(others, inOrder, "the firmware has no order of boot entries")
		return
	case why == "" && len(parts) == 0 && !uefi:
		why = "no boot entries of UEFI are shown, and no partitions were read"
	case why == "":
		why = looked
	}
	cause := inventory.NotOffered
	if len(unsure) > 0 && current != "" && len(parts) == 0 && !x.C.Elevated {
		cause = inventory.NeedsRights
	}
	x.D.AddGap(others, cause, why, try)
}

// said is a text where there is something that it is said of.
func said(of []string, text string) string {
	if len(of) == 0 {
		return ""
	}
	return text
}

// entries are the systems that boot entries name: those whose partition is there, and the others.
func (x *Draft) entries(variable func(string) string, order []uint16, current string, parts []Partition) (found,
	unsure []string) {
	for _, n := range order {
		o, err := x.bootEntry(variable, n)
		if err != nil || !o.Active || o.Hidden || o.Application || o.File == "" || o.Partition == "" {
			continue
		}
		there := slices.ContainsFunc(parts, func(p Partition) bool { return p.ID == o.Partition })
		dir := loaderDir(o.File)
		switch {
		case dir == current, dir == `\efi\boot`, slices.Contains(found, o.Description),
			slices.Contains(unsure, o.Description):
		case current != "" && there:
			found = append(found, o.Description)
		default:
			unsure = append(unsure, o.Description)
		}
	}
	return found, unsure
}

// unsureEntries says of what entries name why it is not known whether it is there.
func (x *Draft) unsureEntries(unsure []string, current string) string {
	switch {
	case len(unsure) == 0:
		return ""
	case current == "":
		return "boot entries name " + strings.Join(unsure, ", ") + ", and nothing says which of them is this system"
	}
	return "boot entries name " + strings.Join(unsure, ", ") + ", and their partitions were not seen"
}

// types are the systems of other platforms whose root has a partition of its own type, and a sentence on partitions
// that such systems use, for themselves or for data.
func (x *Draft) types(parts []Partition) (roots []string, used string) {
	own := x.D.OS.Platform.Or("")
	var may []string
	for _, p := range parts {
		if of := rootTypes[p.Type]; of != "" && of != own {
			if name := rootOf + platformNames[of]; !slices.Contains(roots, name) {
				roots = append(roots, name)
			}
		}
		if of := usedTypes[p.Type]; of != "" && of != own && !slices.Contains(may, platformNames[of]) {
			may = append(may, platformNames[of])
		}
	}
	if may = slices.DeleteFunc(may, func(n string) bool { return slices.Contains(roots, rootOf+n) }); len(may) > 0 {
		slices.Sort(may)
		used = "partitions are of a kind for " + strings.Join(may, " or ") + ", for a system or for data"
	}
	return roots, used
}

func (x *Draft) bootEntry(variable func(string) string, n uint16) (efi.Option, error) {
	return efi.LoadOption(x.C.Get(variable(fmt.Sprintf("Boot%04X", n))).Raw)
}

// CurrentLoader is the directory of the loader that started this system, in
// lower case with backslashes, or empty.
func (x *Draft) CurrentLoader(variable func(string) string) string {
	n, err := efi.Order(x.C.Get(variable("BootCurrent")).Raw)
	if err != nil || len(n) != 1 {
		return ""
	}
	o, err := x.bootEntry(variable, n[0])
	if err != nil {
		return ""
	}
	return loaderDir(o.File)
}

func loaderDir(file string) string {
	dir := path.Dir(strings.ToLower(strings.ReplaceAll(file, `\`, "/")))
	return strings.ReplaceAll(dir, "/", `\`)
}

// Live says that what runs is not what is installed. The drives are the machine's; the
// system and its volume are not. evidence says how that is known.
func (x *Draft) Live(evidence string) {
	x.Set(fact.DeviceEnvironment, "live", evidence)
	x.NotInstalled("this system was started from a medium or the network; what is installed does not show")
}

// NotInstalled takes out what belongs to an installed system, and says why it does not show.
func (x *Draft) NotInstalled(detail string) {
	x.D.OS = inventory.OS{Platform: x.D.OS.Platform}
	x.D.Storage.System, x.D.Storage.Boot = inventory.SystemDisk{}, inventory.BootDisk{}
	x.D.Storage.OtherSystems = nil // the installed one is none
	x.D.DropGaps("os", "storage.system", "storage.boot", others)
	for i := range x.D.Storage.Disks {
		x.D.Storage.Disks[i].System = inventory.Opt[bool]{}
	}
	const try = "Run the collector from the installed system."
	for _, name := range []string{"os", "storage.system", "storage.boot", others} {
		x.D.AddGap(name, inventory.NotOffered, detail, try)
	}
}
