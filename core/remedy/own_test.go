package remedy

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
)

// Own steps that are unsafe, or make no sense, are refused where the mistake is.
func TestUnsafeOwnStepsAreRefused(t *testing.T) {
	class := "class: setting, noun: {one: a change, many: changes}, "
	tests := []struct{ name, step, want string }{
		{"no hazard", "{id: a, title: A, " + class + "effect: {tpm.state: ready}, " + tail + "}",
			"2:101: steps[0].effect.tpm.state: the step changes tpm.state and does not say what that disturbs; name " +
				"one of these in disturbs: firmware, hardware"},
		{"the wrong hazard", "{id: a, title: A, " + class + "disturbs: [files], effect: {tpm.state: ready}, " + tail +
			"}", "does not say what that disturbs"},
		{"a hazard that nothing covers", "{id: a, title: A, disturbs: [cables], " + tail + "}",
			`disturbs knows no "cables"; no safeguard covers it; it is one of firmware, firmware-image, boot,`},
		{"a disk that needs UEFI",
			"{id: a, title: A, " + class + "disturbs: [disk-layout], effect: {storage.boot.partition_style: gpt}, " +
				tail + "}",
			"a disk that is GPT afterwards starts in UEFI mode only, and the step does not say so; leaves: " +
				"{firmware.boot_mode: uefi}"},
		{"a disk that needs UEFI, as needed",
			"{id: a, title: A, " + class +
				"disturbs: [disk-layout], effect: {storage.system.partition_style: needed}, " + tail + "}",
			"leaves: {firmware.boot_mode: uefi}"},
		{"two effects of one fact",
			"{id: a, title: A, " + class +
				"disturbs: [firmware], effect: {tpm.state: ready}, assume: {tpm.state: off}, " + tail + "}",
			"tpm.state stands in effect and in assume"},
		{"an effect against what it leaves",
			"{id: a, title: A, " + class +
				"disturbs: [firmware, boot], effect: {firmware.boot_mode: legacy}, leaves: {firmware.boot_mode: " +
				"uefi}, " + tail + "}",
			"sets firmware.boot_mode to legacy and says that it has to be something else"},
		{"what nothing changes",
			"{id: a, title: A, " + class + "disturbs: [hardware], effect: {device.form: laptop}, " + tail + "}",
			"nothing changes device.form of a machine, so the step can never do it"},
		{"never seen", "{id: a, title: A, " + class +
			"disturbs: [firmware], effect: {tpm.state: ready}, seen: {fact: tpm.state, equals: off}, " + tail + "}",
			"after its effect, the step is never seen to be done"},
		{"always unseen", "{id: a, title: A, " + class +
			"disturbs: [firmware], effect: {tpm.state: ready}, unseen: {fact: tpm.state, equals: ready}, " + tail + "}",
			"after its effect, the step is still seen as not done"},
		{"no start", "{id: a, title: A, " + class +
			"disturbs: [firmware, boot], effect: {firmware.boot_mode: legacy, firmware.secure_boot: on}, " + tail + "}",
			"a machine cannot start as the step leaves it"},
		{"never", "{id: a, title: A, when: {fact: tpm.state, equals: off}, unless: {fact: tpm.state, one_of: [off, " +
			"ready]}, " + tail + "}", "unless excludes what when requires: the step can never be done"},
		{"never, by itself", "{id: a, title: A, when: {all: [{fact: tpm.state, equals: off}, {fact: tpm.state, " +
			"equals: ready}]}, " + tail + "}", "nothing meets both: tpm.state has one value at a time"},
		{"a phase of its own", "{id: a, title: A, phase: any, " + class +
			"disturbs: [firmware], effect: {tpm.state: ready}, do: Do., tell: Tell., confirm: Yes., minutes: {least: " +
			"1, most: 2}}", "a step that settles something has a phase of its own"},
		{"two that undo each other",
			"{id: a, title: A, pulls: [b], disturbs: [firmware], effect: {firmware.legacy_support: false}, " + tail +
				"}, " +
				"{id: b, title: B, disturbs: [firmware], effect: {firmware.legacy_support: true}, " + tail + "}",
			"the steps undo each other: a sets firmware.legacy_support to false, and b to true"},
		{"one that undoes a shipped step",
			"{id: a, title: A, pulled_by: [legacy-support-off], disturbs: [firmware], effect: " +
				"{firmware.legacy_support: true}, " + tail + "}", "the steps undo each other: legacy-support-off sets"},
		{"not written", "{id: a, title: A, phase: desk, do: Say here what to do., tell: Tell., confirm: Yes., " +
			"minutes: {least: 1, most: 2}}", "steps[0].do: this text is still to be written; say what to do"},
		{"before its own safeguard", "{id: a, title: A, disturbs: [boot], before: [backup], " + tail + "}",
			"the steps wait for each other: "},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			if _, err := Read("steps", []byte("format: rolltop-steps/1\nsteps: ["+tt.step+"]")); err == nil ||
				!strings.Contains(err.Error(), tt.want) {
				t.Errorf("%s: %v, want %s", tt.name, err, tt.want)
			}
		})
	}
	fine := "{id: a, title: A, " + class +
		"disturbs: [firmware], effect: {tpm.state: ready}, seen: {fact: tpm.state, equals: ready}, unseen: {fact: " +
		"tpm.state, equals: off}, when: {fact: tpm.state, equals: off}, unless: {fact: tpm.version, equals: " +
		"\"1.2\"}, " + tail + "}"
	if _, err := Read("steps", []byte("format: rolltop-steps/1\nsteps: ["+fine+"]")); err != nil {
		t.Errorf("a sound step is refused: %v", err)
	}
}

// Every fact that a step can change has a hazard, or is changed by knowledge alone.
func TestEveryFactHasItsHazards(t *testing.T) {
	known := map[fact.ID]bool{}
	for _, id := range []fact.ID{
		// what a release document says
		fact.SoftwareNotKnown, fact.SoftwareProblems, fact.DriversNotKnown, fact.DriverProblems,
		// nothing of the machine
		fact.OSPendingRestart, fact.OSHeldAt, fact.OSManagedBy, fact.ChecksSkipped,
		fact.OSPendingUpdates, fact.BackupAt, fact.EncryptionKeyKept,
		fact.EncryptionPausedAt,
		fact.DeviceName, fact.DeviceAssetTag, fact.NetworkConnected, fact.PowerSource, fact.BatteryPercent,
		fact.DriverDevice, fact.DriverClass, fact.DriverHardwareID, fact.DriverProvider, fact.DriverStatus,
	} {
		known[id] = true
	}
	for _, def := range append(append([]fact.Def{}, fact.All()...), fact.OfRows()...) {
		if has := calls[def.ID] != 0; has == known[def.ID] && def.ID.Change() != fact.ByNothing {
			t.Errorf("%s: hazards %v", def.Name, calls[def.ID].names())
		}
	}
}

func TestStarts(t *testing.T) {
	for _, tt := range []struct {
		mode, style, loader, secure string
		want                        bool
	}{
		{"uefi", "gpt", "true", "on", true}, {"uefi", "gpt", "", "off", true}, {"uefi", "gpt", "false", "off", false},
		{"uefi", "mbr", "", "off", false}, {"legacy", "mbr", "", "inactive", true},
		{"legacy", "gpt", "", "inactive", false}, {"legacy", "mbr", "", "on", false}, {"", "gpt", "false", "", true},
		{"uefi", "", "", "", true},
	} {
		t.Run(tt.mode, func(t *testing.T) {
			for _, id := range []fact.ID{fact.BootStyle, fact.DiskStyle} {
				f := &fact.Facts{}
				words := map[fact.ID]string{fact.BootMode: tt.mode, id: tt.style, fact.SecureBoot: tt.secure}
				for id, word := range words {
					if word != "" {
						f.Set(id, fact.Of(fact.Word, word), "")
					}
				}
				if tt.loader != "" {
					f.Set(fact.ESPLoader, fact.Truth(tt.loader == "true"), "")
				}
				if got := Starts(f); got != tt.want {
					t.Errorf("%+v by %s: %v", tt, id, got)
				}
			}
		})
	}
}

// An own step that disturbs nothing stands where it says; one that opens the case stands
// with the parts, and one for the firmware behind them.
func TestOwnStepsStandWithTheirKind(t *testing.T) {
	lib, err := Read("own", []byte(`format: rolltop-steps/1
steps:
  - {id: late, title: Late, always: {fact: device.form, equals: desktop}, disturbs: [firmware], `+tail+`}
  - {id: dust, title: Dust, always: {fact: device.form, equals: desktop}, disturbs: [hardware], `+tail+`}
`))
	if err != nil {
		t.Fatal(err)
	}
	seen := 0
	plansOf(t, everyRemedy(t), lib, 300, func(f *fact.Facts, v *Verdict) bool {
		at := map[string]int{}
		for i := range v.Plan {
			at[v.Plan[i].ID] = i + 1
		}
		if at["dust"] == 0 {
			return true
		}
		early := at["boot-mode"] > 0 && at["boot-mode"] < at["dust"]
		inOrder := at["dust"] <= at["late"] && at["enter-firmware"] <= at["late"]
		if early || !inOrder {
			t.Errorf("dust at %d, late at %d in %s", at["dust"], at["late"], ids(v))
		}
		seen++
		return !t.Failed()
	})
	if seen < 20 {
		t.Errorf("%d plans: the test says little", seen)
	}
}

func TestIDsOfSteps(t *testing.T) {
	long := strings.Repeat("a", 64)
	for id, want := range map[string]bool{
		"a":        true,
		"a-1":      true,
		"z9-z":     true,
		long:       true,
		long + "a": false,
		"":         false,
		"1a":       false,
		"-a":       false,
		"A":        false,
		"a_b":      false,
		"aB":       false,
		"{":        false,
		"`":        false,
		"a{":       false,
		"a:":       false,
		"a/":       false,
	} {
		t.Run(id, func(t *testing.T) {
			if got := validID(id); got != want {
				t.Errorf("%q: %v", id, got)
			}
		})
	}
}

// What comes with a safeguard stands where its own conditions hold, and nowhere else.
func TestWhatComesWithASafeguard(t *testing.T) {
	lib, err := Read("own", []byte(`format: rolltop-steps/1
steps:
  - {id: printer, title: Printer, pulled_by: [enter-firmware], when: {fact: device.form, equals: desktop}, skip: {fact: firmware.password, equals: set}, `+tail+`}
`))
	if err != nil {
		t.Fatal(err)
	}
	stood, left := 0, 0
	plansOf(t, everyRemedy(t), lib, 600, func(f *fact.Facts, v *Verdict) bool {
		at := map[string]bool{}
		for i := range v.Plan {
			at[v.Plan[i].ID] = true
		}
		want := at["enter-firmware"] && f.Is(fact.DeviceForm, "desktop") && !f.Is(fact.FirmwarePassword, "set")
		if at["printer"] != want {
			t.Errorf("the step stands: %v, want %v, in %s", at["printer"], want, ids(v))
		}
		if want {
			stood++
		} else if at["enter-firmware"] {
			left++
		}
		return !t.Failed()
	})
	if stood < 20 || left < 20 {
		t.Errorf("%d with it, %d without: the test says little", stood, left)
	}
}

// A step without facts of its own is confirmed by those that it changes.
func TestStepsAreConfirmedByWhatTheyChange(t *testing.T) {
	for _, tt := range []struct {
		step string
		id   fact.ID
		word string
		want need.Truth
	}{
		{"tpm-on", fact.TPMState, "ready", need.True}, {"tpm-on", fact.TPMState, "off", need.False},
		{"tpm-on", fact.BootMode, "uefi", need.Unknown},
		{"boot-mode", fact.BootMode, "uefi", need.True}, {"boot-mode", fact.BootMode, "legacy", need.False},
		{"boot-mode", fact.SecureBoot, "on", need.Unknown},      // only a side effect
		{"add-memory", fact.TPMState, "ready", need.Unknown},    // how much is needed is not known of the step
		{"reinstall", fact.OSArchitecture, "x86", need.Unknown}, // the release that runs says it
		{"resume-encryption", fact.EncryptionState, "on", need.True},
		{"resume-encryption", fact.EncryptionState, "paused", need.False},
		{"resume-encryption", fact.EncryptionState, "off", need.Unknown},
	} {
		t.Run(tt.step, func(t *testing.T) {
			f := &fact.Facts{}
			f.Set(tt.id, fact.Of(fact.Word, tt.word), "")
			if got := Shipped().Find(tt.step).Shown(f); got != tt.want {
				t.Errorf("%s, with %s %s: %v, want %v", tt.step, tt.id, tt.word, got, tt.want)
			}
		})
	}
	f := &fact.Facts{}
	f.Set(fact.TPMState, fact.Of(fact.Word, "ready"), "")
	f.Set(fact.TPMVersion, fact.Of(fact.Version, "1.2"), "")
	if got := Shipped().Find("tpm-other").Shown(f); got != need.False {
		t.Errorf("one of two facts is as it was: %v", got)
	}
}
