package linux

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/decode/efi"
	"rolltop.example/rolltop/core/inventory"
)

const others = "storage.other_systems"

// otherSystems looks in the firmware's boot entries for systems beside the one
// that runs. An entry outlives its system, so that one counts only when its
// partition is still in a table that was read. The list is never complete: a
// system may be there without an entry.
func (x *decoder) otherSystems() {
	if x.c.Get(efiPath+"/").Outcome != capture.OK {
		x.d.AddGap(others, inventory.NotOffered, "without UEFI there are no boot entries to look in", "")
		return
	}
	order, err := efi.Order(x.c.Get(varsPath + "/BootOrder" + globalGUID).Raw)
	if err != nil {
		x.why(others, x.c.Get(varsPath+"/BootOrder"+globalGUID), "the firmware has no order of boot entries")
		return
	}
	current := x.currentLoader()
	var found, unsure []string
	for _, n := range order {
		o, err := x.bootEntry(n)
		if err != nil || !o.Active || o.Hidden || o.Application || o.File == "" || o.Partition == "" {
			continue
		}
		dir := loaderDir(o.File)
		switch {
		case dir == current, dir == `\efi\boot`, slices.Contains(found, o.Description), slices.Contains(unsure, o.Description):
		case slices.Contains(x.partitionIDs, o.Partition):
			found = append(found, o.Description)
		default:
			unsure = append(unsure, o.Description)
		}
	}
	if len(found) > 0 {
		x.d.Storage.OtherSystems = found
		x.d.Said(others, "EFI boot entries, whose partitions are there")
	}
	detail := "only the firmware's boot entries were looked in"
	cause := inventory.NotOffered
	if len(unsure) > 0 {
		detail = "boot entries name " + strings.Join(unsure, ", ") + ", and their partitions were not seen"
		if len(x.partitionIDs) == 0 && !x.c.Elevated {
			cause = inventory.NeedsRights
		}
	}
	x.d.AddGap(others, cause, detail, "Look at the disks whether another system is on them.")
}

func (x *decoder) bootEntry(n uint16) (efi.Option, error) {
	return efi.LoadOption(x.c.Get(fmt.Sprintf("%s/Boot%04X%s", varsPath, n, globalGUID)).Raw)
}

// currentLoader is the directory of the loader that started this system, or "".
func (x *decoder) currentLoader() string {
	current, err := efi.Order(x.c.Get(varsPath + "/BootCurrent" + globalGUID).Raw)
	if err != nil || len(current) != 1 {
		return ""
	}
	o, err := x.bootEntry(current[0])
	if err != nil {
		return ""
	}
	return loaderDir(o.File)
}

func loaderDir(file string) string {
	dir := path.Dir(strings.ToLower(strings.ReplaceAll(file, `\`, "/")))
	return strings.ReplaceAll(dir, "/", `\`)
}
