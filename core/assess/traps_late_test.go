package assess_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
)

const (
	titlesPassed = `"requirement":"titles-to-update","title":"Applications ready for the release","level":"should",` +
		`"asked_by":"publisher","outcome":"pass"`
	nothingToBuy = "level: must, consequence: unsupported, need: {fact: software.to_buy, empty: true}"
	counterfoil  = "software: [{name: [Counterfoil], publisher: Tallow Works, versions: [{below: \"5\", is: buy}]}]"
)

// The traps T30 to T63 that a verdict can fall into, by their number, on a machine of
// which one thing differs.
func TestLateTraps(t *testing.T) {
	skerry := coretest.Release(t, "skerry-12")
	must := func(need string) *release.Release { return asks(t, []string{must(need)}, inPlace) }
	tests := []struct {
		name   string
		rel    *release.Release
		change func(*doc)
		want   string // disposition
		plan   string // in its order, somewhere
		says   []string
		never  []string
	}{
		{"T30 an unknown has its cause and what closes it", skerry, func(d *doc) {
			d.Memory.Installed = inventory.Opt[int64]{}
			causes(inventory.NeedsRights, "memory.installed_bytes")(d)
		}, "undetermined", "read-again",
			[]string{
				`"gap":"needs-rights"`, "Reading it requires administrator rights.",
				"Take the inventory again as administrator.",
			}, nil},
		{"T31 settings and parts are counted apart", skerry, with(legacy, memory(4, 1)), "refit", "add-memory",
			[]string{"A memory module, a disk conversion and two firmware settings"}, nil},
		{
			"T32 a hold is not a failure, and says whose it is",
			skerry,
			func(d *doc) { d.OS.HeldAt = inventory.Some("Skerry 11") },
			"ready",
			"lift-hold",
			[]string{"Held at Skerry 11 by a policy on this machine. Its administrator can lift the hold; the hold " +
				"says nothing about the hardware."},
			nil,
		},
		{"T33 not yet offered is not unfit", skerry,
			func(d *doc) {
				d.OS.Version = inventory.Some("10.4")
				d.OS.Name = inventory.Some("Skerry 10")
			}, "reconfigure", "interim",
			[]string{
				"not offered to this machine before 12 January 2027", "This does not affect whether it can take " +
					"the release.",
			}, nil},
		{"T34 a backup is a step with a tick", skerry, func(d *doc) { d.Firmware.SecureBoot = inventory.Some("off") },
			"reconfigure", "", []string{`"step":"backup"`}, nil},
		{"T35 how deep a backup goes is said", skerry, func(d *doc) { d.Firmware.SecureBoot = inventory.Some("off") },
			"reconfigure", "", []string{"Only a whole copy allows going back."}, nil},
		{"T36 the disk is converted before the boot mode changes", skerry, legacy, "reconfigure",
			"convert-disk enter-firmware boot-mode", nil, nil},
		{"T36 also where a part is needed, and programs stay", skerry, with(legacy, memory(4, 1)), "refit",
			"convert-disk enter-firmware boot-mode", []string{"programs, files and settings stay"},
			[]string{"programs and files do not stay"}},
		{"T37 an encrypted volume has its key looked for first", skerry, func(d *doc) {
			d.Firmware.SecureBoot = inventory.Some("off")
			d.Storage.System.Encryption.State = inventory.Some("on")
		}, "reconfigure", "recovery-key pause-encryption enter-firmware secure-boot-on",
			[]string{"The system volume is encrypted: check its recovery key first."}, nil},
		{"T38 another system on the disk is asked about first", skerry, func(d *doc) {
			d.Firmware.SecureBoot, d.Storage.OtherSystems = inventory.Some("off"), []string{"Linux"}
		}, "reconfigure", "other-system enter-firmware secure-boot-on",
			[]string{"Another system is on the disk (Linux): ask first whether to keep it."}, nil},
		{"T39 nothing goes round a check", must(cores), with(noTPM, twoCores), "decide", "",
			[]string{"its publisher does not support it"}, []string{"bypass", "get round", "skip the check"}},
		{"T45 no right to read is not absent", skerry, func(d *doc) {
			d.TPM = inventory.TPM{}
			causes(inventory.NeedsRights, "tpm.state")(d)
		}, "undetermined", "read-again", []string{`"gap":"needs-rights"`},
			[]string{"has no TPM", "is absent", `"step":"tpm-module"`}},
		{
			"T46 without a guide a setting says that its name differs",
			skerry,
			func(d *doc) { d.TPM.State = inventory.Some("off") },
			"reconfigure",
			"tpm-on",
			[]string{"Its name differs by board maker"},
			nil,
		},
		{
			"T47 a setting that cannot be changed has a parent",
			skerry,
			func(d *doc) { d.TPM.State = inventory.Some("off") },
			"reconfigure",
			"tpm-on",
			[]string{"a parent setting may have to be turned on first"},
			nil,
		},
		{
			"T48 a setting is saved, and seen again",
			skerry,
			func(d *doc) { d.TPM.State = inventory.Some("off") },
			"reconfigure",
			"tpm-on check-again",
			[]string{
				"Save when you exit.", "The setting was not saved. Check it again.",
			},
			nil,
		},
		{"T50 a build is not a version",
			asks(t, []string{"level: must, consequence: unsupported, need: {fact: os.version, at_least: \"11.0\"}",
				"level: should, need: {fact: os.build, equals: \"9000\"}"}, inPlace),
			func(d *doc) { d.OS.Build = inventory.Some("8812") }, "ready", "", []string{`"label":"build"`, "8812"}, nil},
		{"T52 an edition has its own end of support", skerry, func(d *doc) {
			d.OS.Name = inventory.Some("Skerry 10")
			d.OS.Version = inventory.Some("10.4")
			d.OS.Edition = inventory.Some("Counter")
		}, "reconfigure", "", []string{`"ends":"2027-06-08T00:00:00Z"`, "https://skerry.example/support"},
			[]string{"2026-12-08"}},
		{"T54 the intermediate release is found", skerry,
			func(d *doc) {
				d.OS.Name = inventory.Some("Skerry 10")
				d.OS.Version = inventory.Some("10.4")
			}, "reconfigure", "interim",
			[]string{"First Skerry 11, then Skerry 12"}, nil},
		{
			"T55 the package of the edition is chosen",
			skerry,
			func(d *doc) { d.OS.Edition = inventory.Some("Counter") },
			"ready",
			"",
			[]string{"skerry-12-office-64.img"},
			nil,
		},
		{"T55 an edition that becomes none is not simply ready", skerry,
			func(d *doc) { d.OS.Edition = inventory.Some("Kiosk") }, "ready", "",
			[]string{"it meets the requirements, but the installed edition becomes none of the editions of Skerry 12.",
				"The release names no package for it."}, []string{"it can take Skerry 12 now"}},
		{"T56 a house standard is told from the publisher's", skerry,
			func(d *doc) { d.Storage.Disks[0].Kind = inventory.Some("hdd") }, "refit", "",
			[]string{`"publisher":{"disposition":"ready"`, `"asked_by":"house","consequence":"it works less well"`},
			nil},
		{
			"T57 a 32-bit system on a 64-bit processor",
			skerry,
			func(d *doc) { d.OS.Architecture = inventory.Some("x86") },
			"reconfigure",
			"reinstall",
			[]string{"The installed system is 32-bit; the processor supports 64-bit."},
			[]string{"64-bit processor is needed"},
		},
		{"T59 a title without a version is no pass", skerry,
			func(d *doc) { d.Software = []inventory.Software{{Name: "Tidebook"}} }, "ready", "",
			[]string{"The version of Tidebook is unknown.", "software[0].version"},
			[]string{titlesPassed}},
		{"a title of another publisher may be another title",
			asks(t, []string{nothingToBuy}, inPlace, counterfoil),
			func(d *doc) {
				d.Software = []inventory.Software{
					{Name: "Counterfoil", Version: inventory.Some("4.0"), Publisher: inventory.Some("Blue Ferries")},
				}
			}, "undetermined", "",
			[]string{`"says":"possibly a newer version must be bought: the release means the one by Tallow Works"`,
				"Counterfoil 4.0 is by Blue Ferries; the release means the title of Tallow Works.",
				"software[0].publisher"},
			[]string{`"is":"buy"`}},
		{"a publisher is the same with its legal form",
			asks(t, []string{nothingToBuy}, inPlace, counterfoil),
			func(d *doc) {
				d.Software = []inventory.Software{
					{
						Name:      "COUNTERFOIL™ 4",
						Version:   inventory.Some("4.0"),
						Publisher: inventory.Some("Tallow Works, Ltd."),
					},
				}
			}, "reconfigure", "buy-titles", []string{`"is":"buy"`}, []string{"possibly"}},
		{"T60 a condition of one edition is no other's",
			asks(t, []string{"level: must, consequence: unsupported, when: {fact: os.edition, equals: Home}, need: " +
				"{fact: processor.cores, at_least: 99}"}, inPlace),
			func(d *doc) { d.OS.Edition = inventory.Some("Office") }, "ready", "", []string{`"outcome":"not-applicable"`}, nil},
		{
			"T61 a feature is no requirement",
			skerry,
			func(d *doc) { d.Security.VBS = inventory.Some("off") },
			"ready",
			"",
			[]string{"Guarded sign-in"},
			nil,
		},
		{"T62 everything that fails is said at once", skerry,
			with(legacy, memory(4, 1), func(d *doc) { d.TPM.State = inventory.Some("off") }), "refit",
			"add-memory convert-disk enter-firmware boot-mode tpm-on secure-boot-on", []string{`"fail":5`}, nil},
		{"T63 a result names its machine and its time", skerry, nil, "ready", "",
			[]string{`"name":"GULL-014"`, `"taken_at":"2026-11-23T08:00:00Z"`, `"checked_at":"2026-11-23T08:00:00Z"`},
			nil},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			c := on(t, tt.rel, tt.change)
			if c.Disposition != tt.want {
				t.Errorf("%s, want %s. %s", c.Disposition, tt.want, c.Answer)
			}
			if plan := planOf(c); !strings.Contains(plan, tt.plan) {
				t.Errorf("the plan is %s, want %s", plan, tt.plan)
			}
			speaks(t, plain(t, c), tt.says, tt.never)
		})
	}
	// Traps of the text around a verdict.
	aged := must("{fact: memory.installed_bytes, at_least: 4 GiB}")
	aged.Published = now.AddDate(-2, 0, 0)
	for name, tt := range map[string]struct {
		rel         *release.Release
		change      func(*doc)
		says, never []string
	}{
		"T41 a release for testing says that there may be no way back": {coretest.Release(t, "skerry-13"), nil,
			[]string{"is a release for testing", "it may be impossible to leave it"}, nil},
		"T44 a document that nobody has looked at for a year is named": {aged, nil,
			[]string{"The requirements are from 23 November 2024", "Compare them with the publisher's page"}, nil},
		"T49 a held machine is not sent into its firmware yet": {skerry,
			with(legacy, func(d *doc) { d.OS.HeldAt = inventory.Some("Skerry 11") }),
			[]string{"The visit waits until the hold of this machine is lifted."}, nil},
		"T51 nothing is forecast in a verdict": {skerry, nil, nil,
			[]string{"will probably", "is likely to require", "future release"}},
		"T53 running a release well proves nothing of the next": {coretest.Release(t, "skerry-13"), memory(8, 1),
			[]string{`"disposition":"refit"`}, nil},
	} {
		t.Run(name, func(t *testing.T) { speaks(t, plain(t, on(t, tt.rel, tt.change)), tt.says, tt.never) })
	}
	enterable(t, "software[0].version")
	enterable(t, "drivers[0].version")
}
