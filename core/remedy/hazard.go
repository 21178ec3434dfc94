package remedy

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
)

// Hazard is what a step disturbs. The table of safeguards says what each calls for.
type Hazard uint16

// The hazards, each a bit.
const (
	Firmware      Hazard = 1 << iota // settings of the firmware are changed
	FirmwareImage                    // the firmware itself is changed
	Boot                             // what starts, or how it starts
	Hardware                         // parts are taken out or put in
	DiskLayout                       // the partition table is changed
	SystemDisk                       // the disk of the system is changed, copied or written afresh
	DiskContents                     // what is on the disk of the system is lost
	TPMKeys                          // keys that the TPM holds can be lost
	Display                          // the picture can stay dark
	System                           // programs, drivers or the installed system are changed
	Files                            // files are moved or deleted
)

var hazardNames = []string{
	"firmware", "firmware-image", "boot", "hardware", "disk-layout", "system-disk", "disk-contents", "tpm-keys",
	"display", "system", "files",
}

// Hazards are the names of all hazards.
func Hazards() []string { return slices.Clone(hazardNames) }

// hazardsOf turns names into hazards, and names those that there are not.
func hazardsOf(names []string) (h Hazard, unknown []string) {
	for _, n := range names {
		if i := slices.Index(hazardNames, n); i >= 0 {
			h |= 1 << i
		} else {
			unknown = append(unknown, n)
		}
	}
	return h, unknown
}

// names are the names of the hazards of a set.
func (h Hazard) names() []string {
	var out []string
	for i, n := range hazardNames {
		if h&(1<<i) != 0 {
			out = append(out, n)
		}
	}
	return out
}

// calls says by which hazards a change of a fact comes about: a step that changes the
// fact declares one of them at least. Facts that are not here are changed by knowledge
// alone, as what a release document says of a title, or are finished and not changed, as
// updates that wait for a restart.
var calls = byFact(map[Hazard][]fact.ID{
	Firmware: {
		fact.BootMode, fact.LegacySupport, fact.SecureBootCapable, fact.ProcessorFeatures, fact.ProcessorFeaturesOff,
		fact.FirmwarePassword, fact.SettingsInterface, fact.SettingsOffered, fact.VBS, fact.TPMEnabled,
		fact.TPMActivated,
	},
	Firmware | Boot:     {fact.SecureBoot},
	Firmware | Hardware: {fact.TPMState},
	TPMKeys | Hardware | Firmware: {
		fact.TPMVersion, fact.TPMKind, fact.TPMManufacturer, fact.TPMFirmware, fact.Attestation, fact.AttestedFacts,
	},
	FirmwareImage: {fact.FirmwareVersion, fact.FirmwareDate, fact.FirmwareVendor, fact.FirmwareUpdate},
	Hardware: {
		fact.MemoryInstalled, fact.MemoryVisible, fact.MemorySlotsUsed, fact.MemoryFreeSlots, fact.AdapterCount,
		fact.AdapterKinds, fact.AdapterName, fact.AdapterIDs, fact.AdapterLevel, fact.AdapterAddIn, fact.ModuleCount,
		fact.ModuleBytes, fact.ModuleForm,
		fact.ModuleMTS, fact.ModuleSlot, fact.ModuleSoldered, fact.ModuleType, fact.ModuleECC, fact.ModuleRegistered,
		fact.ModuleMillivolts, fact.BatteryHealth, fact.ProcessorCores, fact.ProcessorThreads, fact.ProcessorPackages,
		fact.MemoryMax, fact.MemorySlots,
	},
	Hardware | System: {fact.AdapterModel, fact.AdapterDriver},
	Display: {
		fact.DisplayCount, fact.DisplayName, fact.DisplayInternal, fact.DisplayWidth, fact.DisplayHeight,
		fact.DisplayDiagonal, fact.DisplayBits,
	},
	SystemDisk: {fact.DiskBytes, fact.DiskKind, fact.DiskHealth},
	Hardware | SystemDisk: {
		fact.DriveCount, fact.DriveName, fact.DriveModel, fact.DriveBus, fact.DriveKind, fact.DriveBytes,
		fact.DriveStyle, fact.DriveSystem, fact.DriveRemovable, fact.DriveHealth, fact.DriveWear,
	},
	DiskLayout | SystemDisk: {
		fact.DiskStyle, fact.BootStyle, fact.BootDynamic, fact.BootPlaces, fact.BootLogical, fact.VolumeBytes,
		fact.Filesystem,
	},
	Boot | DiskLayout | SystemDisk:    {fact.ESPLoader, fact.BootDisk, fact.BootMedia},
	Files | SystemDisk | DiskLayout:   {fact.FreeBytes},
	DiskLayout | DiskContents | Files: {fact.OtherSystems},
	System | SystemDisk: {
		fact.EncryptionState,
		fact.EncryptionKind,
		fact.EncryptionTPMBound,
		fact.KeyProtectors,
	},
	System | DiskContents: {
		fact.OSPlatform, fact.OSName, fact.OSEdition, fact.OSVersion, fact.OSBuild, fact.OSArchitecture,
		fact.OSLanguage, fact.OSAccount, fact.OSLicence, fact.SoftwareToUpdate, fact.SoftwareToBuy,
		fact.SoftwareToRemove, fact.DriversToUpdate, fact.DriversToRemove, fact.TitleCount, fact.DriverCount,
		fact.TitleName, fact.TitleVersion, fact.TitlePublisher, fact.TitleCode, fact.TitleSource, fact.DriverVersion,
	},
})

func byFact(m map[Hazard][]fact.ID) map[fact.ID]Hazard {
	out := map[fact.ID]Hazard{}
	for h, ids := range m {
		for _, id := range ids {
			out[id] = h
		}
	}
	return out
}

// checkHazards refuses a step that changes a fact and declares no hazard for it, and one
// that changes what makes a machine start without saying what that leaves to be done.
func (s *Step) checkHazards(r *doc.Report) {
	var missing []string
	for _, h := range s.Disturbs {
		if !slices.Contains(hazardNames, h) {
			r.Add(s.Node.Of("disturbs"), fmt.Sprintf("disturbs knows no %q", h),
				"no safeguard covers it; it is one of "+strings.Join(hazardNames, ", "))
		}
	}
	for _, c := range s.effects {
		want := calls[c.id]
		if s.hazards&want != 0 || want == 0 {
			continue
		}
		r.Add(s.Node.Of("effect").Of(c.id.String()),
			fmt.Sprintf("the step changes %s and does not say what that disturbs", c.id),
			"name one of these in disturbs: "+strings.Join(want.names(), ", ")+"; the plan adds the safeguards")
		missing = append(missing, want.names()[0])
	}
	if missing != nil {
		return
	}
	for _, c := range s.effects {
		if (c.id == fact.BootStyle || c.id == fact.DiskStyle) && (c.value.Text() == "gpt" || !c.value.Known()) &&
			!s.sets(fact.BootMode, "uefi") && s.Phase != Host &&
			!slices.ContainsFunc(s.leaves, func(l stepEffect) bool { return l.id == fact.BootMode }) {
			r.Add(s.Node.Of("effect").Of(c.id.String()),
				"a disk that is GPT afterwards starts in UEFI mode only, and the step does not say so",
				"leaves: {firmware.boot_mode: uefi}")
			return
		}
	}
}

// sets says whether a step brings a fact to a value.
func (s *Step) sets(id fact.ID, word string) bool {
	return slices.ContainsFunc(s.effects, func(c stepEffect) bool { return c.id == id && c.value.Text() == word })
}

// ToWrite is how a text begins that the start of an own step leaves open.
const ToWrite = "Say here "

// checkWritten refuses texts that were left as the start of a step had them.
func (s *Step) checkWritten(r *doc.Report) {
	for _, x := range []struct{ key, text string }{{"do", s.Do}, {"tell", s.Tell}, {"confirm", s.Confirm}} {
		if rest, open := strings.CutPrefix(x.text, ToWrite); open {
			r.Add(s.Node.Of(x.key), "this text is still to be written", "say "+strings.TrimSuffix(rest, "."))
		}
	}
}

// checkSense refuses a step that contradicts itself: one whose own effect shows that it
// was not done, that leaves a machine which cannot start, or that can never be done.
func (s *Step) checkSense(r *doc.Report) {
	for _, c := range s.effects {
		if slices.ContainsFunc(s.assumes, func(a stepEffect) bool { return a.id == c.id }) {
			r.Add(s.Node.Of("assume").Of(c.id.String()), fmt.Sprintf("%s stands in effect and in assume", c.id),
				"leave it in one of them")
		}
		if slices.ContainsFunc(s.leaves,
			func(l stepEffect) bool { return l.id == c.id && c.value.Known() && !l.value.Equal(c.value) }) {
			r.Add(s.Node.Of("leaves").Of(c.id.String()),
				fmt.Sprintf("the step sets %s to %s and says that it has to be something else", c.id, c.value.Plain()),
				"leave it in one of effect and leaves")
		}
		if id := c.id; id.Change() == fact.ByNothing && s.Phase != Host && calls[id] == 0 {
			r.Add(s.Node.Of("effect").Of(id.String()),
				fmt.Sprintf("nothing changes %s of a machine, so the step can never do it", id),
				"take it out of effect")
		}
	}
	after := fact.Read(&inventory.Document{})
	for _, c := range s.effects {
		if c.value.Known() && c.id.Group() == fact.NoGroup {
			after.Set(c.id, c.value, "step")
		}
	}
	v := after.View()
	for _, x := range []struct {
		key  string
		n    need.Need
		want need.Truth
		says string
	}{
		{"seen", s.Seen, need.False, "after its effect, the step is never seen to be done"},
		{"unseen", s.Unseen, need.True, "after its effect, the step is still seen as not done"},
	} {
		if x.n != nil && x.n.Test(v) == x.want {
			r.Add(s.Node.Of(x.key), x.says, "effect and "+x.key+" contradict each other")
		}
	}
	if !Starts(after) {
		r.Add(s.Node.Of("effect"), "a machine cannot start as the step leaves it",
			"GPT and a loader on the EFI system partition start in UEFI mode only, and MBR in legacy mode only")
	}
	if s.When != nil && s.Unless != nil {
		when := fact.Read(&inventory.Document{})
		for l := range need.Demands(s.When) {
			if x, ok := l.(*need.OneOf); ok && len(x.Values) == 1 && x.Fact().Group() == fact.NoGroup {
				when.Set(x.Fact(), x.Values[0], "when")
			}
		}
		if s.Unless.Test(when.View()) == need.True {
			r.Add(s.Node.Of("unless"), "unless excludes what when requires: the step can never be done",
				"take one of them out")
		}
	}
}

// Starts says whether a machine can start, as far as is known: a disk with GPT and a
// loader starts in UEFI mode, one with MBR in legacy mode. What is unknown hinders
// nothing.
func Starts(f *fact.Facts) bool {
	style := f.Value(fact.BootStyle)
	if !style.Known() {
		style = f.Value(fact.DiskStyle)
	}
	loader := f.Value(fact.ESPLoader)
	switch f.Value(fact.BootMode).Text() {
	case "uefi":
		return style.Text() != "mbr" && (!loader.Known() || loader.Bool())
	case "legacy":
		return style.Text() != "gpt" && f.Value(fact.SecureBoot).Text() != "on"
	}
	return true
}

// Calls are the hazards one of which a step declares that changes a fact; none where
// knowledge alone changes it.
func Calls(id fact.ID) []string { return calls[id].names() }
