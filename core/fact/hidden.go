package fact

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/inventory"
)

// review looks at readings beside each other, once all of them are there.
type review struct{ *Facts }

// readings takes back readings that are not what they seem, and adds what
// other facts say of ones that are missing. What is taken back has a gap that says
// why: hidden is not absent.
func (f review) readings(d *inventory.Document) {
	f.notOfThisMachine()
	f.announcedTPM()
	f.hiddenCapability()
	f.impossibleMemory()
	f.drivesDiffer(d)
	f.otherPartitions(d)
	f.twoThingsOfASlot()
	f.adaptersWithoutIDs()
}

// adaptersWithoutIDs: an adapter that tells no ids, or a list that is not whole, may have others than those that are
// known.
func (f review) adaptersWithoutIDs() {
	r, gap := &f.one[AdapterKinds], f.one[AdapterCount].Gap
	for i := range f.Rows(Adapters) {
		if !f.Row(Adapters, i).Value(AdapterIDs).Known() {
			gap = &rowGap
		}
	}
	if r.Value.Known() && gap != nil {
		*r = Reading{Gap: gap, Source: r.Source, partial: &partial{floor: r.Value}}
	}
}

// twoThingsOfASlot takes nothing from entries that say different things of one memory
// slot: which of them is right is not known.
func (f review) twoThingsOfASlot() {
	w := groups[Modules].width
	for i := range f.Rows(Modules) {
		for j := range i {
			a, b := f.rows[Modules][i*w:(i+1)*w], f.rows[Modules][j*w:(j+1)*w]
			slot := a[ModuleSlot-Modules.first()].Value.Text()
			if slot == "" || !strings.EqualFold(slot, b[ModuleSlot-Modules.first()].Value.Text()) {
				continue
			}
			for k := range w {
				x, y := a[k].Value, b[k].Value
				if !x.Known() || !y.Known() || x.Equal(y) {
					continue
				}
				g := &inventory.Gap{
					Cause:  inventory.Disagree,
					Detail: "two entries of the inventory are about the slot " + slot,
					Readings: []inventory.Differ{
						{Value: x.Plain(), Source: "one entry"}, {Value: y.Plain(), Source: "the other entry"},
					},
				}
				others := []Alternative{{x, "one entry"}, {y, "the other entry"}}
				a[k], b[k] = Reading{Gap: g, partial: &partial{others: others}},
					Reading{Gap: g, partial: &partial{others: others}}
			}
		}
	}
}

// foreignTypes are the types of partitions that a system of another platform makes: two
// hexadecimal digits in an MBR, a GUID in a GPT (UEFI 2.10, 5.3). A type that several
// platforms use for data alone is none.
var foreignTypes = map[string]map[string]string{
	"windows": {
		"82": "Linux", "83": "Linux", "8e": "Linux", "fd": "Linux", "a5": "a BSD system", "a6": "a BSD system",
		"a9": "a BSD system", "af": "a Mac system",
		"0fc63daf-8483-4772-8e79-3d69d8477de4": "Linux", "4f68bce3-e8cd-4db1-96e7-fbcaf984b709": "Linux",
		"0657fd6d-a4ab-43c4-84e5-0933c84b4f4f": "Linux",
		"e6d6d379-f507-44c2-a23c-238f2a3df928": "Linux", "ca7d7ccb-63ed-4c53-861c-1742536059cc": "Linux",
		"933ac7e1-2eb4-4f13-b844-0e14e2aef915": "Linux",
		"48465300-0000-11aa-aa11-00306543ecac": "a Mac system", "7c3457ef-0000-11aa-aa11-00306543ecac": "a Mac system",
	},
	"linux": {
		"e3c9e316-0b5c-4db8-817d-f92df00215ae": "a PC system", "af": "a Mac system",
		"48465300-0000-11aa-aa11-00306543ecac": "a Mac system", "7c3457ef-0000-11aa-aa11-00306543ecac": "a Mac system",
	},
}

// otherPartitions takes the type of a partition as a sign of another system that no
// boot entry names.
func (f review) otherPartitions(d *inventory.Document) {
	r := &f.one[OtherSystems]
	if len(r.Value.Set())+len(r.Floor().Set()) > 0 || r.ByHand() {
		return
	}
	var signs []string
	kind := ""
	for _, p := range d.Storage.Boot.Partitions {
		t := strings.ToLower(strings.TrimPrefix(p.Type.Or(""), "0x"))
		if system := foreignTypes[d.OS.Platform.Or("")][t]; system != "" && !slices.Contains(signs, system) {
			signs, kind = append(signs, system), t
		}
	}
	if signs == nil {
		return
	}
	source := r.Source
	*r = Reading{Source: source, Gap: &inventory.Gap{
		Fact: "storage.other_systems", Cause: inventory.NotOffered,
		Detail: fmt.Sprintf("no boot entry names another system, and a partition has the type %s, which %s uses", kind,
			signs[len(signs)-1]),
		Try: "look at the partition, and enter storage.other_systems by hand",
	}}
	f.SetLowerBound(OtherSystems, Items(signs))
}

// take replaces a reading that cannot be relied on with a gap.
func (f review) take(id ID, g *inventory.Gap) {
	if !f.one[id].Value.Known() {
		return
	}
	f.one[id] = Reading{Gap: g, Source: f.one[id].Source}
}

// announced: a TPM that firmware reports and no driver uses is present, and its
// state is not known.
var announced = inventory.Gap{Fact: "tpm.state", Cause: inventory.ReadFailed,
	Detail: "the firmware reports a TPM but no driver uses it", Try: "load the TPM driver and take the inventory again"}

func (f review) announcedTPM() {
	if f.Is(TPMState, "announced") {
		f.take(TPMState, &announced)
	}
}

// hidden: firmware shows secure boot variables only while legacy support is off.
var hidden = inventory.Gap{
	Fact: "firmware.secure_boot_capable", Cause: inventory.NotOffered,
	Detail: "firmware hides secure boot while its legacy support is on, and whether it is off is unknown",
	Try: "check in the firmware set-up whether secure boot is offered with legacy support off, and enter " +
		"firmware.secure_boot_capable by hand",
}

func (f review) hiddenCapability() {
	r := f.Get(SecureBootCapable)
	if !r.Value.Known() || r.Value.Bool() || r.ByHand() || f.Class() == Mac {
		return
	}
	if legacy := f.Value(LegacySupport); !legacy.Known() || legacy.Bool() {
		f.take(SecureBootCapable, &hidden)
	}
}

// impossibleMemory: installed memory below the visible one is a conflict, and a
// ceiling below what is fitted is no ceiling.
func (f review) impossibleMemory() {
	installed, visible := &f.one[MemoryInstalled], f.one[MemoryVisible].Value
	switch {
	case !visible.Known():
	case installed.Value.Known() && installed.Value.Compare(visible) < 0:
		source := f.one[MemoryVisible].Source
		g := &inventory.Gap{
			Fact: "memory.installed_bytes", Cause: inventory.Disagree,
			Detail: "the system uses more memory than the firmware counts",
			Try: "check the modules or the firmware set-up for the fitted memory, and enter memory.installed_bytes " +
				"by hand",
			Readings: []inventory.Differ{
				{Value: installed.Value.Plain(), Source: said(installed.Source, "what is fitted")},
				{Value: visible.Plain(), Source: said(source, "what the system uses")},
			},
		}
		others := []Alternative{{installed.Value, g.Readings[0].Source}, {visible, g.Readings[1].Source}}
		*installed = Reading{Gap: g, Source: installed.Source, partial: &partial{others: others}}
		f.conflicting = true
	case !installed.Value.Known() && len(installed.Others()) == 0:
		// Where sources disagree, a bound does not settle it behind their backs.
		f.SetLowerBound(MemoryInstalled, visible)
	}
	fitted := installed.Value
	if !fitted.Known() || visible.Known() && fitted.Compare(visible) < 0 {
		fitted = visible
	}
	if most := f.Get(MemoryMax); most.Value.Known() &&
		(most.Value.Float() == 0 || fitted.Known() && most.Value.Compare(fitted) < 0) {
		f.take(MemoryMax, &inventory.Gap{
			Fact: "memory.max_bytes", Cause: inventory.NotOffered,
			Detail: fmt.Sprintf("the firmware reports a maximum of %s bytes, which is less than the fitted memory",
				most.Value.Plain()),
			Try: "check the maker's documents for the maximum memory, and enter memory.max_bytes by hand",
		})
	}
}

func said(source, otherwise string) string {
	if source == "" {
		return otherwise
	}
	return source
}

// elsewhere are the environments whose installed system is not the machine's.
var elsewhere = map[string]string{
	"live": "the collector ran from a live medium", "container": "the collector ran in a container",
	"subsystem": "the collector ran in a subsystem",
}

// notInstalled are facts of the installed system and of its drive, by the names
// they begin with. What runs from a live medium or in a container says nothing of them.
var notInstalled = []string{"os.", "storage.system.", "storage.boot.", "storage.other_systems", "software", "drivers"}

// notOfThisMachine takes back what was read of a system that is not the one
// installed on the machine.
func (f review) notOfThisMachine() {
	why := elsewhere[f.Value(DeviceEnvironment).Text()]
	if media := f.Value(BootMedia).Text(); why == "" && media == "removable" {
		why = "the system was started from a removable medium"
	}
	if why == "" {
		return
	}
	g := &inventory.Gap{
		Cause:  inventory.NotOffered,
		Detail: why,
		Try:    "run the collector in the system that is installed on the machine",
	}
	for i := range catalogue {
		def := &catalogue[i]
		if def.ID == BootMedia || f.one[def.ID].ByHand() {
			continue
		}
		if slices.ContainsFunc(notInstalled, func(p string) bool { return strings.HasPrefix(def.Name, p) }) {
			f.take(def.ID, g)
			if r := &f.one[def.ID]; r.Gap != nil && !r.ByHand() {
				*r = Reading{Gap: g, Source: r.Source}
			}
		}
	}
	f.asked = nil
	for _, list := range []Group{Titles, Drivers} {
		f.rows[list] = nil
	}
	for i := range f.Rows(Disks) {
		at := i*groups[Disks].width + int(DriveSystem-Disks.first())
		f.rows[Disks][at] = Reading{Gap: g}
	}
}

// drivesDiffer says why the kind of the system's drive is not known where several
// drives are marked as the system's.
func (f review) drivesDiffer(d *inventory.Document) {
	var kinds []Alternative
	for i := range d.Storage.Disks {
		if k := &d.Storage.Disks[i]; k.System.Or(false) && !k.Kind.IsZero() {
			kinds = append(kinds, Alternative{Of(Word, k.Kind.Or("")), k.Name.Or("drive " + strconv.Itoa(i+1))})
		}
	}
	r := &f.one[DiskKind]
	if len(kinds) < 2 || r.Value.Known() || r.Gap == nil || elsewhere[f.Value(DeviceEnvironment).Text()] != "" {
		return
	}
	r.Gap = &inventory.Gap{
		Fact: "storage.system.kind", Cause: inventory.Disagree, Detail: "several drives are marked as the system's, " +
			"of different kinds",
		Try: "check which drives the system volume is on, and enter storage.system.kind by hand",
	}
	r.partial = &partial{others: kinds}
	f.conflicting = true
}
