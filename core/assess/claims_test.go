package assess_test

import (
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/expect"
)

const (
	refuses = "level: must, consequence: installer-refuses, need: "
	inPlace = "upgrade: [{platform: windows, way: in-place}]"
	cores   = "{fact: processor.cores, at_least: 4}"
)

func twoCores(d *doc) {
	d.Processor.Cores = inventory.Some(int64(2))
	d.Processor.Threads = inventory.Some(int64(2))
}

func live(d *doc) {
	d.Device.Environment = inventory.Some("live")
	d.Storage.Disks[0].Health = inventory.Some("bad")
}

// What a verdict may claim, rule by rule, on machines of which one thing differs.
func TestWhatAVerdictMayClaim(t *testing.T) {
	tpm := `{all: [{fact: tpm.state, equals: ready}, {fact: tpm.version, at_least: "2.0"}]}`
	tests := []struct {
		name   string
		asks   []string
		more   string
		change func(*doc)
		want   string // disposition; with ! in front: expected
		range_ string // best and worst
		says   []string
		never  []string
	}{
		// 1. Replace needs proof.
		{"a processor that nothing changes is a proof", []string{refuses + cores}, inPlace, twoCores, "replace",
			"replace replace", []string{"that nothing on this machine can change"}, nil},
		{"whon the host gives is none", []string{refuses + cores}, inPlace, with(twoCores, guest), "reconfigure",
			"reconfigure reconfigure", nil, nil},
		{"a firmware's ceiling is none", []string{refuses + "{fact: memory.installed_bytes, at_least: 6 GiB}"}, inPlace,
			with(
				memory(4, 1),
				func(d *doc) { d.Memory.Max = inventory.Some(int64(4 << 30)) },
			), "!undetermined", "refit replace",
			nil, nil},
		{"a ceiling below what is fitted is no ceiling",
			[]string{refuses + "{fact: memory.installed_bytes, at_least: 6 GiB}"}, inPlace,
			with(
				memory(4, 1),
				func(d *doc) { d.Memory.Max = inventory.Some(int64(2 << 30)) },
			), "!refit", "refit replace",
			[]string{"maximum memory of the machine: unknown"}, nil},
		{"a TPM that is not seen is none", []string{refuses + tpm},
			inPlace + "\nlists: [{id: p, of: processors, rows: [{name: Corvane K5-9400, built_in_tpm: false}]}]",
			func(d *doc) { noTPM(d); d.Device.Form = inventory.Some("laptop") }, "!undetermined",
			"reconfigure replace", nil, []string{"Nothing on this machine can change it"}},
		{"two sources that differ are none", []string{refuses + "{fact: memory.installed_bytes, at_least: 6 GiB}"},
			inPlace, func(d *doc) {
				memory(4, 2)(d)
				d.Memory.Modules = []inventory.Module{{Soldered: inventory.Some(true)}}
				d.Memory.Visible = inventory.Some(int64(5 << 30))
			}, "!undetermined", "decide replace", []string{"4 GiB", "5 GiB"}, nil},
		{"what a live medium says is none", []string{refuses + "{fact: storage.system.disk_bytes, at_least: 999 GB}"},
			inPlace, live, "!undetermined", "ready replace", []string{"The collector ran from a live medium."},
			[]string{"failing system drive"}},
		{"nor what a removable boot medium says", []string{refuses + "{fact: os.architecture, equals: arm64}"}, inPlace,
			func(d *doc) { d.Storage.Boot.Media = inventory.Some("removable") }, "!undetermined", "",
			[]string{"The system was started from a removable medium."}, nil},
		{"nor what a container says", []string{refuses + "{fact: os.version, at_least: \"99\"}"}, inPlace,
			func(d *doc) { d.Device.Environment = inventory.Some("container") }, "!undetermined", "",
			[]string{"The collector ran in a container."}, nil},

		// 2. No step known is not “nothing can be done”.
		{"an uplink that is missing", []string{refuses + "{fact: network.connected, equals: true}"}, inPlace,
			func(d *doc) { d.Network.Connected = inventory.Some(false) }, "decide", "decide decide",
			[]string{
				"No known step fixes one requirement: R0", "Rolltop knows no step that changes it.", "settle-r0",
				"network.connected: needed", "cannot be waived",
			}, []string{"Nothing on this machine can change it"}},
		{"a version of the system", []string{refuses + "{fact: os.version, at_least: \"99\"}"}, inPlace, nil, "decide",
			"decide decide", nil, nil},
		{"a file system", []string{refuses + "{fact: storage.system.filesystem, equals: tidal}"}, inPlace,
			func(d *doc) { d.Storage.System.Filesystem = inventory.Some("native") }, "decide", "decide decide",
			nil, nil},
		{"a title that must not be there",
			[]string{refuses + "{in: software, none: {fact: software.name, begins_with: [Lampwright]}}"}, inPlace,
			func(d *doc) { d.Software = []inventory.Software{{Name: "Lampwright", Version: inventory.Some("7")}} },
			"decide", "decide decide",
			[]string{"It has Lampwright, which is not allowed."}, []string{"has not known"}},

		// 4. Severity counts.
		{"unsupported alone never replaces", []string{must(cores)}, inPlace, twoCores, "decide", "decide decide",
			[]string{"its publisher does not support it", "can be installed, but its publisher does not support it"},
			[]string{"cannot take"}},
		{"works less well alone never replaces", []string{"level: must, consequence: works-less-well, need: " + cores},
			inPlace, twoCores, "decide", "decide decide", []string{"works less well on this machine"},
			[]string{"cannot take"}},
		{"a house standard never replaces",
			[]string{"level: must, asked_by: house, consequence: installer-refuses, need: " + cores}, inPlace, twoCores,
			"decide", "decide decide", []string{"does not meet your house standard"}, nil},

		// 5. A finding says the rule.
		{"a not is said and reasoned", []string{refuses + "{not: {fact: firmware.boot_mode, equals: uefi}}"}, inPlace,
			nil, "decide", "", []string{"has UEFI → needs not UEFI", "Boot mode is UEFI; it must not be UEFI."}, nil},
		{"of alternatives the nearest comes first",
			[]string{refuses + "{any: [{fact: processor.cores, at_least: 12}, {fact: memory.installed_bytes, " +
				"at_least: 9 GiB}]}"}, inPlace, nil, "refit", "",
			[]string{
				"either installed memory of at least 9 GiB or at least 12 processor cores",
				"One of these is enough: 1 GiB more installed memory; 6 more processor cores.",
			}, nil},
		{"the alternative that is met is named",
			[]string{refuses + "{any: [{fact: processor.cores, at_least: 12}, {fact: memory.installed_bytes, " +
				"at_least: 8 GiB}]}"}, inPlace, nil, "ready", "",
			[]string{"Met by: installed memory of at least 8 GiB."}, nil},
		{"digits show the difference", []string{refuses + "{fact: storage.system.free_bytes, at_least: 30 GB}"},
			inPlace, func(d *doc) { d.Storage.System.FreeBytes = inventory.Some(int64(29_960_000_000)) },
			"reconfigure", "",
			[]string{"has 29.96 GB → needs at least 30 GB (40 MB more)"}, nil},
		{"and never show none", []string{refuses + "{fact: memory.installed_bytes, at_least: 8 GiB}"}, inPlace,
			func(d *doc) {
				d.Memory.Installed = inventory.Some(int64(8<<30 - 1000))
				d.Memory.Visible = inventory.Some(int64(7 << 30))
			}, "refit", "", nil, []string{"(0 ", "has 8 GiB →"}},

		// 6. Hidden is not absent.
		{"secure boot hidden by legacy support",
			[]string{refuses + "{fact: firmware.secure_boot_capable, equals: true}"}, inPlace,
			func(d *doc) {
				d.Firmware.SecureBootCapable = inventory.Some(false)
				d.Firmware.LegacySupport = inventory.Some(true)
			},
			"!undetermined", "ready replace", []string{"hides secure boot"}, []string{"does not support secure boot"}},
		{"and not hidden with legacy support off",
			[]string{refuses + "{fact: firmware.secure_boot_capable, equals: true}"}, inPlace,
			func(d *doc) {
				d.Firmware.SecureBootCapable = inventory.Some(false)
				d.Firmware.LegacySupport = inventory.Some(false)
			},
			"replace", "replace replace", []string{"does not support secure boot"}, nil},
		{"a legacy start and a rule on secure boot alone",
			[]string{refuses + "{fact: firmware.secure_boot, equals: \"on\"}"}, inPlace, legacy, "!reconfigure",
			"reconfigure replace", []string{"boot mode to UEFI"}, nil},
		{"and on firmware of which nothing says that it can",
			[]string{refuses + "{fact: firmware.secure_boot, equals: \"on\"}"}, inPlace,
			with(legacy, func(d *doc) { d.Firmware.UEFICapable = inventory.Opt[bool]{} }), "!undetermined",
			"reconfigure replace", nil, nil},

		// 9. Nothing is promised where the route is not known.
		{"the release that runs is not known", []string{refuses + cores},
			"upgrade: [{platform: windows, at_least: \"11.0\", way: in-place}]",
			func(d *doc) { d.OS.Version = inventory.Opt[string]{} }, "!ready", "ready reconfigure",
			[]string{"How Skerry 12 is installed here is unknown"}, []string{"programs, files and settings stay"}},

		// Rulings and single findings.
		{"a 32-bit system on a 64-bit processor, where the way names no architecture",
			[]string{refuses + "{fact: os.architecture, equals: x86-64}"}, inPlace,
			func(d *doc) { d.OS.Architecture = inventory.Some("x86") }, "reconfigure", "reconfigure reconfigure",
			[]string{"The installed system is 32-bit; the processor supports 64-bit."}, nil},
		{"a failing system drive", []string{refuses + cores}, inPlace,
			func(d *doc) { d.Storage.Disks[0].Health = inventory.Some("bad") }, "refit", "refit refit",
			[]string{"Replace the failing system drive first"}, []string{"needs no part"}},
		{"a failing built-in drive", []string{refuses + cores}, inPlace,
			func(d *doc) {
				d.Storage.Disks[0].Health = inventory.Some("bad")
				d.Storage.Disks[0].Kind = inventory.Some("emmc")
			},
			"!undetermined", "refit decide", nil, nil},
		{"free space and a new drive: the drive brings the space",
			[]string{
				refuses + "{fact: storage.system.free_bytes, at_least: 100 GB}",
				refuses + "{fact: storage.system.disk_bytes, at_least: 300 GB}",
			}, inPlace, nil, "refit", "", nil, []string{"Free 10 GB"}},
		{"switched-off features inside a combination",
			[]string{refuses + "{all: [{fact: processor.features, has_all: [sse4.2]}, {fact: processor.features, " +
				"has_any: [avx2, sve]}]}"},
			inPlace + "\nlists: [{id: p, of: processors, rows: [{name: Corvane K5-9400, features: [sse4.2, avx2]}]}]",
			func(d *doc) { d.Processor.Features = []string{"cmpxchg16b"} }, "!reconfigure", "reconfigure replace",
			[]string{"turned off in firmware"}, []string{"Nothing on this machine"}},
		{"an unknown inside a combination",
			[]string{refuses + "{all: [{fact: memory.installed_bytes, at_least: 12 GiB}, {fact: " +
				"storage.system.free_bytes, at_least: 30 GB}]}"}, inPlace, func(d *doc) {
				d.Storage.System.FreeBytes = inventory.Opt[int64]{}
			}, "!undetermined", "refit refit", nil, []string{"A clean-up of the disk and"}},
		{"an incomplete list that no rule takes", []string{refuses + "{fact: processor.name, on_list: p}"},
			inPlace + "\nlists: [{id: p, of: processors, naming: [{id: four, reads: [{text: [Corvane K5-]}, " +
				"{generation: 1}, {digits: 3}], from: 9}]}]", func(d *doc) {
				d.Processor.Name = inventory.Some("Corvane K5-8400")
			}, "!undetermined", "ready replace", nil, nil},
		{"two drives of different kinds", []string{refuses + "{fact: storage.system.kind, none_of: [hdd]}"}, inPlace,
			func(d *doc) {
				d.Storage.Disks = append(
					d.Storage.Disks,
					inventory.Disk{
						Name:   inventory.Some("disk 1"),
						Kind:   inventory.Some("hdd"),
						System: inventory.Some(true),
					},
				)
			}, "!undetermined", "", []string{"Sources conflict", "disk 0", "disk 1"}, nil},
		{"a graphics driver for no adapter",
			[]string{must(`{in: graphics, some: {fact: graphics.driver_model, at_least: "2.0"}}`)}, inPlace,
			func(d *doc) { d.Graphics = []inventory.Adapter{} }, "!refit", "", nil,
			[]string{"Update the graphics driver"}},
		{"a TPM module waits for a look into the firmware", []string{must(tpm)},
			inPlace + "\nlists: [{id: p, of: processors, rows: [{name: Corvane K5-9400, built_in_tpm: false}]}]", noTPM,
			"!refit", "reconfigure decide", []string{"Look in the firmware set-up for a TPM"}, nil},
		{"an empty reading is one", []string{must("{fact: os.held_at, one_of: [Skerry 11]}")}, inPlace, func(d *doc) {
			d.Gaps = append(d.Gaps, inventory.Gap{
				Fact:  "os.held_at",
				Cause: inventory.Disagree,
				Readings: []inventory.Differ{
					{Value: "", Source: "the policy"}, {Value: "Skerry 11", Source: "the register"},
				},
			})
		}, "!undetermined", "", nil, nil},
		{"a conflict that changes nothing is shown", []string{must("{fact: memory.installed_bytes, at_least: 2 GiB}")},
			inPlace, func(d *doc) { disagree(d, "4294967296", "8589934592") }, "ready", "",
			[]string{"Two sources conflict", "4 GiB (firmware tables) or 8 GiB (register)"}, nil},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			c := on(t, asks(t, tt.asks, tt.more), tt.change)
			want, expected := strings.CutPrefix(tt.want, "!")
			if c.Disposition != want || (c.Certainty == "expected") != expected {
				t.Errorf("%s, %s; want %s. %s", c.Disposition, c.Certainty, tt.want, c.Answer)
			}
			if got := c.Best + " " + c.Worst; tt.range_ != "" && got != tt.range_ {
				t.Errorf("from %s, want %s", got, tt.range_)
			}
			text := plain(t, c)
			for i := range c.Findings {
				text += c.Findings[i].Compared() + "\n"
			}
			speaks(t, text, tt.says, tt.never)
		})
	}
}

// Age is said first, of inventories and of rules; it changes no disposition.
func TestAge(t *testing.T) {
	rel := asks(t, []string{must("{fact: processor.cores, at_least: 2}")}, inPlace)
	at := func(days int) *assess.Document {
		m := sound()
		m.TakenAt = now.AddDate(0, 0, -days)
		return run(t, rel, m).Document(now, "test")
	}
	for _, tt := range []struct {
		days      int
		answer    string
		certainty string
		age       string
	}{
		{0, "it can take Skerry 12 now.", "confirmed", ""},
		{6, "it can take Skerry 12 now.", "confirmed", "six days ago"},
		{7, "it can take Skerry 12, as of 16 November 2026 (seven days ago).", "confirmed", "seven days ago"},
		{89, "it can take Skerry 12, as of 26 August 2026 (89 days ago).", "confirmed", "89 days ago"},
		{90, "it can take Skerry 12, as of 25 August 2026 (90 days ago).", "expected", "90 days ago"},
		{-1, "it can take Skerry 12 now.", "confirmed", ""},
		{-2, "it can take Skerry 12.", "expected", "the clock of the machine or of this computer is wrong"},
	} {
		t.Run(tt.answer, func(t *testing.T) {
			c := at(tt.days)
			says := ""
			if c.Age != nil {
				says = c.Age.Says
			}
			expect.Same(t, "c.Disposition", c.Disposition, "ready")
			expect.Same(t, "c.Answer", c.Answer, tt.answer)
			expect.Same(t, "c.Certainty", c.Certainty, tt.certainty)
			expect.Contains(t, says, tt.age)
			expect.Same(t, `(tt.age == "")`, (tt.age == ""), (says == ""))
		})
	}
	// The rules: a document is looked at once a year at least.
	for _, tt := range []struct {
		on   time.Time
		want string
	}{
		{time.Date(2027, 6, 2, 9, 0, 0, 0, time.UTC), ""},
		{time.Date(2027, 6, 3, 9, 0, 0, 0, time.UTC), "from 2 June 2026, 366 days ago"},
		{time.Date(2026, 5, 30, 9, 0, 0, 0, time.UTC), "dated 2 June 2026, which is in the future"},
	} {
		t.Run(tt.want, func(t *testing.T) {
			m := sound()
			m.TakenAt = tt.on
			got := strings.Join(run(t, rel, m).Document(tt.on, "test").Warnings, " ")
			if (tt.want == "") != (got == "") || !strings.Contains(got, tt.want) {
				t.Errorf("%s: %q", tt.on, got)
			}
		})
	}
}

// A machine that runs the target, or a later release, is done.
func TestDone(t *testing.T) {
	asked := []string{must("{fact: processor.cores, at_least: 4}")}
	byVersion, byName := asks(t, asked, inPlace, "\nversion: \"12.0\""), asks(t, asked, inPlace)
	for _, tt := range []struct {
		name, version string
		few           bool
		one, other    string // by the version the document gives, and by the name
	}{
		{"Skerry 12", "12.0", false, "done", "done"}, {"Skerry 12", "12.4", false, "done", "done"},
		{"Skerry 13", "13.0", true, "done", "done"},
		{"Skerry 11", "11.9", false, "ready", "ready"}, {"Skerry 12 for Counters", "12.0", false, "done", "ready"},
		{"Fathom 13", "11.0", false, "ready", "ready"}, {"", "12.0", false, "done", "ready"},
		{"Skerry 12", "", false, "done", "done"},
		{"Skerry 12", "12.0", true, "done", "done"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			m := sound()
			m.OS.Name, m.OS.Version = inventory.Some(tt.name), inventory.Some(tt.version)
			if tt.name == "" {
				m.OS.Name = inventory.Opt[string]{}
			}
			if tt.version == "" {
				m.OS.Version = inventory.Opt[string]{}
			}
			if tt.few {
				twoCores(m)
			}
			for rel, want := range map[any]string{byVersion: tt.one, byName: tt.other} {
				r := byName
				if rel == any(byVersion) {
					r = byVersion
				}
				c := run(t, r, m).Document(now, "test")
				expect.Same(t, tt.name+" "+tt.version, c.Disposition, want)
				if want == "done" {
					expect.Same(t, tt.name+" "+tt.version+": steps", len(c.Plan), 0)
					expect.Same(t, tt.name+" "+tt.version, c.Certainty, "confirmed")
				}
				if unsupported := tt.few && tt.name == "Skerry 12" &&
					want == "done"; (len(c.Unsupported) > 0) != unsupported {
					t.Errorf("%s %s: unsupported %v", tt.name, tt.version, c.Unsupported)
				}
			}
		})
	}
	// The sign that checks were skipped is reported.
	m := sound()
	m.OS.Name = inventory.Some("Skerry 12")
	m.OS.Version = inventory.Some("12.0")
	m.OS.ChecksSkipped = []string{"TPM"}
	twoCores(m)
	c := run(t, byVersion, m).Document(now, "test")
	if text := plain(t, c); !strings.Contains(text, "told to skip checks (TPM)") ||
		!strings.Contains(c.Answer, "as an unsupported installation") {
		t.Errorf("%s %v", c.Answer, c.Details)
	}
}
