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

// OtherSystems looks in the firmware's boot entries for systems beside the one
// that runs. variable names the source of a UEFI variable. An entry outlives
// its system, so that one counts only when its partition is still in a table
// that was read. The list is never complete: a system may be there without an
// entry.
func (x *Draft) OtherSystems(variable func(name string) string, uefi bool, partitionIDs []string) {
	if !uefi {
		x.D.AddGap(others, inventory.NotOffered, "without UEFI there are no boot entries to look in", "")
		return
	}
	inOrder := x.C.Get(variable("BootOrder"))
	order, err := efi.Order(inOrder.Raw)
	if err != nil {
		x.Why(others, inOrder, "the firmware has no order of boot entries")
		return
	}
	current := x.CurrentLoader(variable)
	var found, unsure []string
	for _, n := range order {
		o, err := x.bootEntry(variable, n)
		if err != nil || !o.Active || o.Hidden || o.Application || o.File == "" || o.Partition == "" {
			continue
		}
		dir := loaderDir(o.File)
		switch {
		case dir == current, dir == `\efi\boot`, slices.Contains(found, o.Description),
			slices.Contains(unsure, o.Description):
		case current != "" && slices.Contains(partitionIDs, o.Partition):
			found = append(found, o.Description)
		default:
			unsure = append(unsure, o.Description)
		}
	}
	if len(found) > 0 {
		x.D.Storage.OtherSystems = found
		x.D.Said(others, "EFI boot entries, whose partitions are there")
	}
	detail := "only the firmware's boot entries were looked in"
	cause := inventory.NotOffered
	if len(unsure) > 0 {
		detail = "boot entries name " + strings.Join(unsure, ", ") + ", and their partitions were not seen"
		switch {
		case current == "":
			detail = "boot entries name " + strings.Join(unsure,
				", ") + ", and nothing says which of them is this system"
		case len(partitionIDs) == 0 && !x.C.Elevated:
			cause = inventory.NeedsRights
		}
	}
	x.D.AddGap(others, cause, detail, "Look at the disks whether another system is on them.")
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
	x.D.OS = inventory.OS{Platform: x.D.OS.Platform}
	x.D.Storage.System, x.D.Storage.Boot = inventory.SystemDisk{}, inventory.BootDisk{}
	x.D.DropGaps("os", "storage.system", "storage.boot")
	for i := range x.D.Storage.Disks {
		x.D.Storage.Disks[i].System = inventory.Opt[bool]{}
	}
	const detail = "this system was started from a medium or the network; what is installed does not show"
	const try = "Run the collector from the installed system."
	for _, name := range []string{"os", "storage.system", "storage.boot"} {
		x.D.AddGap(name, inventory.NotOffered, detail, try)
	}
}
