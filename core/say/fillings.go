package say

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// upper begins a text with a capital.
func upper(s string) string {
	r, n := utf8.DecodeRuneInString(s)
	return string(unicode.ToUpper(r)) + s[n:]
}

// disk says which disk is meant: the one that the machine starts from, or the one that
// the system runs from. Where there are several, it is named.
func disk(f *fact.Facts, boot bool) string {
	drives, at := 0, -1
	name := strings.TrimSpace(f.Value(fact.BootDisk).Text())
	for i := range f.Rows(fact.Disks) {
		row := f.Row(fact.Disks, i)
		if row.Value(fact.DriveRemovable).Bool() {
			continue
		}
		drives++
		isSystem := row.Value(fact.DriveSystem).Bool()
		isBoot := name != "" && strings.EqualFold(row.Value(fact.DriveName).Text(), name)
		if boot && isBoot || at < 0 && isSystem && (!boot || name == "") {
			at = i
		}
	}
	switch {
	case drives < 2:
		return "the disk"
	case at >= 0:
		return named(diskName(f, at))
	case boot && name != "":
		return named(name)
	case boot:
		return "the disk that the machine starts from (unknown which)"
	}
	return "the disk that the system runs from (unknown which)"
}

// named says that a name is a disk's, where it does not say so itself.
func named(name string) string {
	if strings.HasPrefix(strings.ToLower(name), "disk") {
		return name
	}
	return "the disk " + name
}

// diskName names a drive by its name, its size and its model.
func diskName(f *fact.Facts, i int) string {
	row := f.Row(fact.Disks, i)
	name := row.Value(fact.DriveName).Text()
	if name == "" {
		name = fmt.Sprint("number ", i+1)
	}
	var more []string
	if b := row.Value(fact.DriveBytes); b.Known() {
		more = append(more, Amount(fact.Drive, b.Float()))
	}
	if m := row.Value(fact.DriveModel).Text(); m != "" && m != name {
		more = append(more, m)
	}
	if more != nil {
		name += " (" + strings.Join(more, ", ") + ")"
	}
	return name
}

// listed are facts that list titles or devices of a machine.
var listed = []fact.ID{
	fact.SoftwareToUpdate, fact.SoftwareToBuy, fact.SoftwareToRemove, fact.SoftwareProblems, fact.SoftwareNotKnown,
	fact.DriversToUpdate, fact.DriversToRemove, fact.DriverProblems, fact.DriversNotKnown,
}

// titlesOf names the titles or devices that a step is about.
func titlesOf(p *remedy.Planned, f *fact.Facts) string {
	for _, id := range p.Changes() {
		if !slices.Contains(listed, id) {
			continue
		}
		r := f.Get(id)
		if names := append(slices.Clone(r.Value.Set()), r.Floor().Set()...); len(names) > 0 {
			return And(names)
		}
		break
	}
	return "each of them"
}

// amounts says how much of each thing a step has to bring.
func amounts(p *remedy.Planned) string {
	var out []string
	for _, a := range p.Amounts {
		def := a.Fact.Def()
		if def.Kind == fact.Number && a.Fact.Group() == fact.NoGroup {
			out = append(out, Amount(def.Unit, a.Value.Float())+" of "+thing(def))
		}
	}
	if out == nil {
		return "at least as much memory, disk and as many cores as this one has"
	}
	return "at least " + And(out) + ", and otherwise as much as this one has"
}

func thing(def *fact.Def) string {
	switch def.ID {
	case fact.MemoryInstalled:
		return "memory"
	case fact.DiskBytes:
		return "disk"
	case fact.FreeBytes:
		return "free space"
	}
	return def.Label
}

// staying tells the machine's user what stays, where that is known.
func staying(v *remedy.Verdict) string {
	if !v.RouteKnown {
		return "We will tell you in advance which of your programs and files are kept."
	}
	return Sentence(Keeps(v.Keeps))
}

// wayBack says for how long the system itself can go back, where the document of the
// release says so.
func wayBack(v *remedy.Verdict) string {
	if v.Back > 0 {
		return "For " + Count(v.Back, "day",
			"days") + " the system itself can go back to the earlier release; after that, use the full copy of the " +
			"disk."
	}
	return "Use the full copy of the disk. Whether the system itself can go back is unknown."
}

// how says in which way the release is installed, where that is known.
func how(v *remedy.Verdict) string {
	switch {
	case !v.RouteKnown:
		return "by the route that the installed system allows, once that is known"
	case v.Route == release.Image:
		return "from its full image"
	}
	return "as an in-place upgrade"
}
