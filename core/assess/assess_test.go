package assess_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
)

var now = time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)

type doc = inventory.Document

// sound is a PC that meets every must of Skerry 12.
func sound() *doc {
	d := &doc{Format: inventory.Format, TakenAt: now}
	d.Device.Name = inventory.Some("GULL-014")
	d.Device.Form = inventory.Some("desktop")
	d.Device.Environment = inventory.Some("hardware")
	d.OS.Platform = inventory.Some("windows")
	d.OS.Name = inventory.Some("Skerry 11")
	d.OS.Version = inventory.Some("11.2")
	d.OS.Architecture = inventory.Some("x86-64")
	d.Processor = inventory.Processor{
		Name:         inventory.Some("Corvane K5-9400"),
		Architecture: inventory.Some("x86-64"),
		Cores:        inventory.Some(int64(6)),
		Threads:      inventory.Some(int64(6)),
		RatedMHz:     inventory.Some(int64(2900)),
		Features:     []string{"cmpxchg16b", "sse4.2", "avx2"},
	}
	d.Memory = inventory.Memory{
		Installed: inventory.Some(int64(8 << 30)),
		Visible:   inventory.Some(int64(7 << 30)),
		Slots:     inventory.Some(int64(2)),
		SlotsUsed: inventory.Some(int64(1)),
		Max:       inventory.Some(int64(64 << 30)),
		Modules:   []inventory.Module{{Soldered: inventory.Some(false)}},
	}
	d.Storage.Disks = []inventory.Disk{{
		Name:   inventory.Some("disk 0"),
		Kind:   inventory.Some("ssd"),
		System: inventory.Some(true),
		Health: inventory.Some("good"),
	}}
	d.Storage.System.DiskBytes = inventory.Some(int64(256e9))
	d.Storage.System.VolumeBytes = inventory.Some(int64(250e9))
	d.Storage.System.FreeBytes = inventory.Some(int64(90e9))
	d.Storage.System.PartitionStyle = inventory.Some("gpt")
	d.Storage.Boot.PartitionStyle = inventory.Some("gpt")
	d.Storage.System.Encryption.State = inventory.Some("off")
	d.Storage.OtherSystems = []string{}
	d.Firmware = inventory.Firmware{
		BootMode:          inventory.Some("uefi"),
		UEFICapable:       inventory.Some(true),
		SecureBoot:        inventory.Some("on"),
		SecureBootCapable: inventory.Some(true),
	}
	d.TPM = inventory.TPM{State: inventory.Some("ready"), Version: inventory.Some("2.0")}
	d.Graphics = []inventory.Adapter{{Name: inventory.Some("Built-in graphics"), DriverModel: inventory.Some("2.7")}}
	return d
}

func mac() *doc {
	d := &doc{Format: inventory.Format, TakenAt: now}
	d.Device.Name, d.Device.ModelID = inventory.Some("NSLIP-M03"), inventory.Some("Foldbook9,1")
	d.OS.Platform = inventory.Some("macos")
	d.OS.Name = inventory.Some("Fathom 8")
	d.OS.Version = inventory.Some("8.4")
	d.Memory.Installed = inventory.Some(int64(16 << 30))
	d.Storage.Disks = []inventory.Disk{{Kind: inventory.Some("ssd"), System: inventory.Some(true)}}
	d.Storage.System.DiskBytes = inventory.Some(int64(251e9))
	d.Storage.System.FreeBytes = inventory.Some(int64(90e9))
	d.Firmware.SecureBoot = inventory.Some("full")
	d.Storage.OtherSystems = []string{}
	return d
}

func legacy(d *doc) {
	d.Firmware.BootMode = inventory.Some("legacy")
	d.Firmware.SecureBoot = inventory.Some("inactive")
	d.Firmware.SecureBootCapable = inventory.Opt[bool]{}
	d.Storage.System.PartitionStyle = inventory.Some("mbr")
	d.Storage.Boot.PartitionStyle = inventory.Some("mbr")
}

func noTPM(d *doc) { d.TPM = inventory.TPM{State: inventory.Some("not-seen")} }

func memory(gib int64, used int64) func(*doc) {
	return func(d *doc) {
		d.Memory.Installed = inventory.Some(gib << 30)
		d.Memory.Visible = inventory.Some(gib<<30 - 1<<28)
		d.Memory.SlotsUsed = inventory.Some(used)
	}
}

func guest(d *doc) {
	d.Device.Environment = inventory.Some("guest")
	d.Device.Form = inventory.Some("virtual")
	d.Storage.Disks[0].Kind = inventory.Some("virtual")
}

func with(changes ...func(*doc)) func(*doc) {
	return func(d *doc) {
		for _, c := range changes {
			c(d)
		}
	}
}

// cases are machines with what it takes. plan names every step in order, the
// backup and the upgrade left out.
var cases = []struct {
	name        string
	change      func(*doc)
	disposition string // with ! in front: expected and not confirmed
	worst       string // where it differs
	plan        string
	says        []string // in the answer, the details, or a finding's reason
}{
	{"everything is met", func(*doc) {}, "ready", "", "", []string{"it can take Skerry 12 now."}},
	{"free space", func(d *doc) { d.Storage.System.FreeBytes = inventory.Some(int64(18e9)) }, "reconfigure", "",
		"free-space check-again",
		[]string{
			"A clean-up of the disk, remotely.",
			"12 GB more free space is needed while the upgrade runs; the disk itself is large enough.",
			"The plan needs no part.",
		}},
	{"secure boot off", func(d *doc) { d.Firmware.SecureBoot = inventory.Some("off") }, "reconfigure", "",
		"recovery-key pause-encryption enter-firmware secure-boot-on check-again resume-encryption",
		[]string{"Secure boot is off; the firmware supports it."}},
	{"secure boot in set-up mode", func(d *doc) { d.Firmware.SecureBoot = inventory.Some("setup") }, "reconfigure", "",
		"enter-firmware secure-boot-keys secure-boot-on check-again",
		[]string{"The firmware is in set-up mode: it has no keys."}},
	{"firmware without secure boot", func(d *doc) {
		d.Firmware.SecureBootCapable = inventory.Some(false)
		d.Firmware.SecureBoot = inventory.Some("off")
		d.Firmware.LegacySupport = inventory.Some(false)
	}, "replace", "", "replace", []string{"does not support secure boot"}},
	{"secure boot hidden by legacy support",
		func(d *doc) {
			d.Firmware.SecureBootCapable = inventory.Some(false)
			d.Firmware.SecureBoot = inventory.Some("off")
		},
		"!undetermined", "replace",
		"enter-by-hand recovery-key pause-encryption enter-firmware secure-boot-on check-again resume-encryption",
		[]string{"hides secure boot while its legacy support is on"}},
	{"TPM not seen, built in by the list", noTPM, "!reconfigure", "decide", "enter-firmware tpm-on check-again",
		[]string{"most likely turned off in firmware", "A firmware setting"}},
	{
		"TPM off",
		func(d *doc) { d.TPM.State = inventory.Some("off") },
		"reconfigure",
		"",
		"enter-firmware tpm-on check-again",
		[]string{"The TPM is present but turned off."},
	},
	{"TPM not seen, nothing known of the processor",
		with(
			noTPM,
			func(d *doc) { d.Processor.Name = inventory.Some("Corvane 0000 sample") },
		), "!undetermined", "decide",
		"ask-maker enter-firmware tpm-on check-again",
		[]string{"Absent and turned off look the same to the system"}},
	{
		"TPM not seen, none built in, desktop",
		with(noTPM, func(d *doc) { d.Processor.Name = inventory.Some("Corvane K5-8500T") }),
		"!refit",
		"decide",
		"recovery-key pause-encryption look-for-tpm tpm-module check-again resume-encryption",
		[]string{"according to the list this processor has no built-in TPM", "A TPM module"},
	},
	{"TPM not seen, none built in, laptop",
		with(noTPM, func(d *doc) {
			d.Processor.Name = inventory.Some("Corvane K5-8500T")
			d.Device.Form = inventory.Some("laptop")
		}),
		"!decide", "decide", "enter-firmware tpm-on check-again decide",
		[]string{"No known step fixes one requirement: TPM 2.0 ready. Skerry 12 installs on this machine, but " +
			"its publisher does not support it."}},
	{"TPM not ready", func(d *doc) { d.TPM.State = inventory.Some("not-ready") }, "!reconfigure", "decide",
		"unbind-tpm enter-firmware tpm-recover check-again enrol-again", []string{"may be locked or may have failed"}},
	{"TPM 1.2 with one built in", func(d *doc) { d.TPM.Version = inventory.Some("1.2") }, "!reconfigure", "decide",
		"unbind-tpm enter-firmware tpm-other check-again enrol-again", []string{"of an older version"}},
	{"TPM announced without a driver", func(d *doc) { d.TPM = inventory.TPM{State: inventory.Some("announced")} },
		"!undetermined", "decide", "read-anew save-capture",
		[]string{"the firmware reports a TPM but no driver uses it"}},
	{"legacy with MBR", legacy, "!reconfigure", "replace",
		"recovery-key pause-encryption convert-disk enter-firmware boot-mode secure-boot-on check-again " +
			"resume-encryption",
		[]string{"A disk conversion and two firmware settings", "Not active, because the machine starts in legacy " +
			"mode."}},
	{
		"legacy, TPM and space",
		with(legacy, noTPM, func(d *doc) { d.Storage.System.FreeBytes = inventory.Some(int64(9e9)) }),
		"!reconfigure",
		"replace",
		"free-space convert-disk enter-firmware boot-mode tpm-on secure-boot-on check-again",
		[]string{"A clean-up of the disk, a disk conversion and three firmware settings"},
	},
	{
		"legacy, dynamic disk",
		with(legacy, func(d *doc) { d.Storage.Boot.Dynamic = inventory.Some(true) }),
		"!reconfigure",
		"replace",
		"enter-firmware uefi-reinstall secure-boot-on check-again",
		[]string{"installed as a clean installation; programs and files are not kept"},
	},
	{"legacy, firmware does not say UEFI",
		with(legacy, func(d *doc) { d.Firmware.UEFICapable = inventory.Opt[bool]{} }), "!undetermined", "replace",
		"convert-disk enter-firmware boot-mode secure-boot-on check-again",
		[]string{"it is unknown whether a step can be done", "whether the firmware supports UEFI is unknown"}},
	{
		"legacy, firmware cannot do UEFI",
		with(legacy, func(d *doc) { d.Firmware.UEFICapable = inventory.Some(false) }),
		"replace",
		"",
		"replace",
		nil,
	},
	{"memory with a free slot", memory(4, 1), "refit", "", "add-memory check-again",
		[]string{"2 GiB more is needed.", "A memory module"}},
	{"memory without a free slot", with(memory(4, 2), func(d *doc) {
		d.Memory.Modules = []inventory.Module{{Soldered: inventory.Some(false)}, {Soldered: inventory.Some(false)}}
	}), "refit", "", "swap-memory check-again", nil},
	{
		"memory on a laptop",
		with(memory(4, 1), func(d *doc) { d.Device.Form = inventory.Some("laptop") }),
		"!refit",
		"decide",
		"add-memory check-again",
		[]string{"reported by the firmware, which is often wrong about it"},
	},
	{"memory soldered", with(
		memory(4, 2),
		func(d *doc) { d.Memory.Modules = []inventory.Module{{Soldered: inventory.Some(true)}} },
	), "replace", "", "replace", nil},
	{"memory beyond the ceiling", with(memory(4, 1), func(d *doc) { d.Memory.Max = inventory.Some(int64(4 << 30)) }),
		"!undetermined", "replace", "add-memory check-again",
		[]string{"it is unknown whether a step can be done"}},
	{"memory beyond the ceiling, looked up", with(memory(4, 1), func(d *doc) {
		d.Memory.Max = inventory.Some(int64(4 << 30))
		d.Sources = map[string]string{"memory.max_bytes": "entered by hand on 2026-11-20 (manual, page 12)"}
	}), "replace", "", "replace", nil},
	{"memory beyond a ceiling that is below what is fitted",
		with(memory(4, 1), func(d *doc) { d.Memory.Max = inventory.Some(int64(2 << 30)) }), "!refit", "replace",
		"add-memory check-again",
		[]string{"maximum memory of the machine: unknown"}},
	{"memory, slots not known", with(memory(4, 1), func(d *doc) { d.Memory.Slots = inventory.Opt[int64]{} }),
		"!undetermined", "decide", "add-memory check-again", nil},
	{"installed memory not known, visible enough", func(d *doc) { d.Memory.Installed = inventory.Opt[int64]{} },
		"ready", "", "", []string{"but at least 7 GiB, which is enough"}},
	{"installed memory not known, visible too little",
		func(d *doc) {
			d.Memory.Installed = inventory.Opt[int64]{}
			d.Memory.Visible = inventory.Some(int64(3 << 30))
		},
		"!undetermined", "refit", "read-anew", []string{"it is at least 3 GiB"}},
	{"drive too small", func(d *doc) { d.Storage.System.DiskBytes = inventory.Some(int64(64e9)) }, "refit", "",
		"change-drive check-again", []string{"one sold as 100 GB holds at least 99.5 GB"}},
	{"eMMC too small", func(d *doc) {
		d.Storage.System.DiskBytes = inventory.Some(int64(62e9))
		d.Storage.Disks[0].Kind = inventory.Some("emmc")
	}, "!undetermined", "replace", "add-drive check-again", nil},
	{
		"hard disk",
		func(d *doc) { d.Storage.Disks[0].Kind = inventory.Some("hdd") },
		"refit",
		"",
		"change-drive check-again",
		[]string{"The system disk is a hard disk."},
	},
	{"space short on a failing disk",
		func(d *doc) {
			d.Storage.System.FreeBytes = inventory.Some(int64(9e9))
			d.Storage.Disks[0].Health = inventory.Some("bad")
		}, "refit",
		"", "failing-drive check-again", nil},
	{"older processor", func(d *doc) { d.Processor.Name = inventory.Some("Corvane K5-7300U") }, "decide", "", "decide",
		[]string{"Its name indicates generation 7; the list skerry-12-processors includes generation 8 and later " +
			"(rule corvane-k-four-digits). The nearest row is Corvane K5-8500T. It is fast enough and has enough " +
			"cores; the list is decisive."}},
	{
		"an exception of the list",
		func(d *doc) { d.Processor.Name = inventory.Some("Corvane K3-8130U") },
		"decide",
		"",
		"decide",
		[]string{"names it as an unsupported exception"},
	},
	{
		"a name that no rule reads",
		func(d *doc) { d.Processor.Name = inventory.Some("Corvane 0000 sample") },
		"!undetermined",
		"decide",
		"ask-maker",
		[]string{"The list skerry-12-processors has neither a naming rule nor a row for " +
			"this name"},
	},
	{"older processor and unknowns: nothing needs closing",
		func(d *doc) {
			d.Processor.Name = inventory.Some("Corvane K5-7300U")
			d.TPM = inventory.TPM{}
		}, "decide", "", "decide",
		nil},
	{"a feature that the list says the part has",
		func(d *doc) { d.Processor.Features = []string{"cmpxchg16b", "sse4.2"} }, "!reconfigure", "replace",
		"enter-firmware processor-feature check-again", []string{"turned off in firmware"}},
	{"a feature that nobody says the part has", func(d *doc) {
		d.Processor.Name = inventory.Some("Corvane K5-8250U")
		d.Processor.Features = []string{"cmpxchg16b", "sse4.2"}
	}, "replace", "", "replace", []string{"none of avx2 and sve; one is needed"}},
	{
		"32-bit system on a 64-bit processor",
		func(d *doc) { d.OS.Architecture = inventory.Some("x86") },
		"reconfigure",
		"",
		"reinstall",
		[]string{
			"The installed system is 32-bit; the processor supports 64-bit.", "A clean installation, about 90 minutes.",
		},
	},
	{"32-bit system: nothing is repaired that the reinstallation replaces",
		with(legacy, func(d *doc) {
			d.OS.Architecture = inventory.Some("x86")
			d.Storage.System.FreeBytes = inventory.Some(int64(5e9))
		}),
		"!reconfigure", "replace",
		"enter-firmware uefi-reinstall secure-boot-on check-again", nil},
	{"32-bit processor", func(d *doc) {
		d.Processor.Architecture = inventory.Some("x86")
		d.OS.Architecture = inventory.Some("x86")
	},
		"replace", "", "replace", []string{"The processor is 32-bit; this cannot be changed."}},
	{"earlier release", func(d *doc) {
		d.OS.Name = inventory.Some("Skerry 10")
		d.OS.Version = inventory.Some("10.4")
	}, "reconfigure", "",
		"interim", []string{"First Skerry 11, then Skerry 12; programs, files and settings stay."}},
	{"another system", func(d *doc) {
		d.OS.Platform = inventory.Some("linux")
		d.OS.Name = inventory.Some("Lodestar Linux")
		d.OS.Version = inventory.Some("12")
	}, "ready", "", "reinstall", []string{"it can take Skerry 12, as a clean installation."}},
	{"virtual machine without TPM", with(guest, noTPM), "reconfigure", "", "host-tpm check-again",
		[]string{"A setting of the host", "only if its host provides one"}},
	{"virtual machine with little memory and few cores",
		with(guest, memory(4, 1),
			func(d *doc) {
				d.Processor.Cores = inventory.Some(int64(2))
				d.Processor.Threads = inventory.Some(int64(2))
			}), "reconfigure",
		"", "host-memory host-cores check-again", []string{"Two settings of the host"}},
	{"virtual machine in legacy mode", with(guest, legacy), "reconfigure", "", "new-guest check-again",
		[]string{"A new virtual machine"}},
	{"encrypted with LUKS", with(noTPM, func(d *doc) {
		d.Storage.System.Encryption = inventory.Encryption{State: inventory.Some("on"), Kind: inventory.Some("luks")}
	}), "!reconfigure", "decide",
		"recovery-key passphrase enter-firmware tpm-on check-again", []string{"The system volume is encrypted"}},
	{"encryption not known counts as encrypted",
		with(noTPM, func(d *doc) { d.Storage.System.Encryption = inventory.Encryption{} }), "!reconfigure", "decide",
		"recovery-key pause-encryption enter-firmware tpm-on check-again resume-encryption",
		[]string{"the plan treats it as encrypted"}},
	{"sources disagree, with one answer", func(d *doc) { disagree(d, "8589934592", "17179869184") }, "ready", "", "",
		[]string{"Two sources conflict, but the result is the same for both. Installed memory: 8 GiB (firmware " +
			"tables) or 16 GiB (register)."}},
	{"sources disagree, with two answers", func(d *doc) { disagree(d, "4294967296", "8589934592") }, "!undetermined",
		"refit", "enter-by-hand", []string{"4 GiB (firmware tables) or 8 GiB (register)"}},
}

func disagree(d *doc, a, b string) {
	d.Memory.Installed = inventory.Opt[int64]{}
	d.Memory.Visible = inventory.Opt[int64]{}
	d.Gaps = append(d.Gaps, inventory.Gap{
		Fact:     "memory.installed_bytes",
		Cause:    inventory.Disagree,
		Readings: []inventory.Differ{{Value: a, Source: "firmware tables"}, {Value: b, Source: "register"}},
	})
}

func TestWhatItTakes(t *testing.T) {
	rel := coretest.Release(t, "skerry-12")
	for _, tt := range cases {
		t.Run(tt.name, func(t *testing.T) {
			d := sound()
			if strings.Contains(tt.plan, "pause-encryption") && !strings.Contains(tt.name, "unknown") {
				d.Storage.System.Encryption = inventory.Encryption{
					State: inventory.Some("on"),
					Kind:  inventory.Some("platform"),
				}
			}
			tt.change(d)
			a, err := assess.Run(rel, d)
			if err != nil {
				t.Fatal(err)
			}
			c := a.Document(now, "test")
			want, expected := strings.CutPrefix(tt.disposition, "!")
			if c.Disposition != want || (c.Certainty == "expected") != expected {
				t.Errorf("%s, %s; want %s. %s %v", c.Disposition, c.Certainty, tt.disposition, c.Answer, c.RestsOn)
			}
			if tt.worst != "" && c.Worst != tt.worst {
				t.Errorf("at worst %s, want %s", c.Worst, tt.worst)
			}
			if got := planOf(c); got != tt.plan {
				t.Errorf("plan: %s\nwant: %s", got, tt.plan)
			}
			for _, s := range tt.says {
				if !saysAnywhere(c, s) {
					t.Errorf("nothing says %q; it says %q %q", s, c.Answer, c.Details)
				}
			}
			holds(t, c)
		})
	}
}

func planOf(c *assess.Document) string {
	var ids []string
	for _, s := range c.Plan {
		if !slices.Contains([]string{"backup", "upgrade", "image"}, s.Step) {
			ids = append(ids, s.Step)
		}
	}
	return strings.Join(ids, " ")
}

func saysAnywhere(c *assess.Document, s string) bool {
	all := []string{c.Answer}
	all = append(append(all, c.Details...), c.RestsOn...)
	for _, f := range c.Findings {
		all = append(append(all, f.Reason), f.Close...)
	}
	return slices.ContainsFunc(all,
		func(x string) bool { return strings.Contains(strings.ToLower(x), strings.ToLower(s)) })
}

// holds checks what is true of every check document.
func holds(t *testing.T, c *assess.Document) {
	t.Helper()
	order := map[string]int{}
	for i, s := range c.Plan {
		order[s.Step] = i
		if s.Number != i+1 {
			t.Errorf("step %d has the number %d", i+1, s.Number)
		}
		for _, n := range s.After {
			if n > i {
				t.Errorf("step %d comes after step %d", s.Number, n)
			}
		}
		for _, text := range append([]string{s.Title, s.Do, s.Tell, s.Back, s.Confirm}, s.Cautions...) {
			if strings.ContainsAny(text, "{}") {
				t.Errorf("step %s is not filled in: %s", s.Step, text)
			}
		}
	}
	if c.Disposition == "replace" {
		if len(c.Plan) != 1 || c.Plan[0].Step != "replace" {
			t.Errorf("a machine to replace has a futile plan: %v", order)
		}
	}
	if convert, ok := order["convert-disk"]; ok {
		if mode, both := order["boot-mode"]; both && mode < convert {
			t.Error("the boot mode is changed before the disk is converted")
		}
	}
	for _, firmware := range []string{"boot-mode", "tpm-on", "secure-boot-on", "convert-disk"} {
		if at, ok := order[firmware]; ok {
			if key, has := order["recovery-key"]; has && key > at {
				t.Errorf("%s comes before the recovery key is checked", firmware)
			}
		}
	}
	if _, paused := order["pause-encryption"]; paused != (order["resume-encryption"] > 0) {
		t.Error("encryption is paused and not resumed, or the other way round")
	}
	if c.Counts.Fail+c.Counts.Unknown+c.Counts.Pass != c.Counts.Musts {
		t.Errorf("counts do not add up: %+v", c.Counts)
	}
	for _, f := range c.Findings {
		if f.Outcome != "pass" && f.Reason == "" {
			t.Errorf("%s: %s without a reason", f.Requirement, f.Outcome)
		}
		if len(f.Evidence) == 0 {
			t.Errorf("%s: no evidence", f.Requirement)
		}
		fails := f.Level == "must" && f.Outcome == "fail"
		answered := len(f.SettledBy) > 0 || f.NoRemedy || c.Disposition == "replace"
		if fails && !answered {
			t.Errorf("%s fails, and neither a step settles it nor is it beyond remedy", f.Requirement)
		}
		if strings.Contains(f.Reason, "..") || strings.Contains(c.Answer, "!") {
			t.Errorf("punctuation: %q %q", f.Reason, c.Answer)
		}
	}
}
