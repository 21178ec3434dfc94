package results_test

import (
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/internal/coretest"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/results"
	"rolltop.example/rolltop/internal/expect"
)

var now = time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)

type doc = inventory.Document

// legacy is a PC that needs the disk converted, UEFI, TPM and secure boot.
func legacy() *doc {
	d := &doc{Format: inventory.Format, TakenAt: now}
	d.Device.Name = inventory.Some("GULL-014")
	d.Device.Serial = inventory.Some("OB3-0042-7731")
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
	d.Storage.System.PartitionStyle = inventory.Some("mbr")
	d.Storage.Boot.PartitionStyle = inventory.Some("mbr")
	d.Storage.System.Encryption.State = inventory.Some("on")
	d.Firmware = inventory.Firmware{
		BootMode:    inventory.Some("legacy"),
		UEFICapable: inventory.Some(true),
		SecureBoot:  inventory.Some("inactive"),
	}
	d.TPM = inventory.TPM{State: inventory.Some("off"), Version: inventory.Some("2.0")}
	d.Graphics = []inventory.Adapter{{Name: inventory.Some("Built-in graphics"), DriverModel: inventory.Some("2.7")}}
	d.Displays = []inventory.Display{{
		Name:           inventory.Some("Gannet 22"),
		WidthPx:        inventory.Some(int64(1680)),
		HeightPx:       inventory.Some(int64(1050)),
		DiagonalInches: inventory.Some(22.0),
		BitsPerChannel: inventory.Some(int64(8)),
	}}
	return d
}

// disk and boot do the first two steps of the visit, the rest all of them.
func disk(d *doc) {
	d.Storage.System.PartitionStyle = inventory.Some("gpt")
	d.Storage.Boot.PartitionStyle = inventory.Some("gpt")
}
func boot(d *doc) {
	d.Firmware.BootMode = inventory.Some("uefi")
	d.Firmware.SecureBoot = inventory.Some("off")
	d.Firmware.SecureBootCapable = inventory.Some(true)
}
func tpm(d *doc)    { d.TPM.State = inventory.Some("ready") }
func secure(d *doc) { d.Firmware.SecureBoot = inventory.Some("on") }

// confirm checks a machine before and after changes, an hour apart.
func confirm(t *testing.T, before *doc, changes ...func(*doc)) *results.Document {
	t.Helper()
	rel := coretest.Release(t, "skerry-12")
	later := *before
	later.TakenAt = before.TakenAt.Add(time.Hour)
	for _, change := range changes {
		change(&later)
	}
	d, err := results.Confirm(check(t, rel, before), check(t, rel, &later))
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func check(t *testing.T, rel *release.Release, d *doc) results.Check {
	t.Helper()
	a, err := assess.Run(rel, d)
	if err != nil {
		t.Fatal(err)
	}
	return results.Check{Inventory: d, Check: a.Document(now, "1.0")}
}

func step(t *testing.T, d *results.Document, id string) results.Step {
	t.Helper()
	for _, s := range d.Steps {
		if s.Step == id {
			return s
		}
	}
	t.Fatalf("no step %s in %+v", id, d.Steps)
	return results.Step{}
}

func kind(d *results.Document, requirement string) string {
	for _, c := range d.Changes {
		if c.Requirement == requirement {
			return c.Kind
		}
	}
	return ""
}

func TestStepsThatWorkedAndDidNot(t *testing.T) {
	tests := []struct {
		name    string
		changes []func(*doc)
		states  map[string]string
		says    string
	}{
		{"nothing was done", nil,
			map[string]string{
				"convert-disk":   results.NoEffect,
				"boot-mode":      results.Waits,
				"tpm-on":         results.Waits,
				"secure-boot-on": results.Waits,
				"backup":         results.NotSeen,
			}, "Reconfigure, as before: nothing is settled; left: "},
		{"the disk alone", []func(*doc){disk},
			map[string]string{"convert-disk": results.Worked, "boot-mode": results.NoEffect, "tpm-on": results.Waits},
			"Reconfigure, as before: one requirement is settled; left: "},
		{"up to the boot mode", []func(*doc){disk, boot},
			map[string]string{
				"convert-disk":   results.Worked,
				"boot-mode":      results.Worked,
				"tpm-on":         results.NoEffect,
				"secure-boot-on": results.Waits,
			}, "left: "},
		{"TPM, and not secure boot", []func(*doc){disk, boot, tpm},
			map[string]string{"tpm-on": results.Worked, "secure-boot-on": results.NoEffect},
			"left: secure boot on."},
		{"everything", []func(*doc){disk, boot, tpm, secure},
			map[string]string{
				"convert-disk":   results.Worked,
				"boot-mode":      results.Worked,
				"tpm-on":         results.Worked,
				"secure-boot-on": results.Worked,
			}, "Ready; it was reconfigure: five requirements are settled, none is left."},
	}
	for _, tt := range tests {
		t.Run(tt.name, func(t *testing.T) {
			d := confirm(t, legacy(), tt.changes...)
			for id, want := range tt.states {
				s := step(t, d, id)
				if s.State != want {
					t.Errorf("%s: step %s is %s (%s), not %s", tt.name, id, s.State, s.Says, want)
				}
				if (s.Try != nil) != (want == results.NoEffect) {
					t.Errorf("%s: step %s is %s and says to try %q", tt.name, id, want, s.Try)
				}
			}
			if !strings.Contains(d.Says, tt.says) {
				t.Errorf("%s: %s", tt.name, d.Says)
			}
		})
	}
}

// The installation is confirmed by the release that runs, and a step that settles nothing
// by the fact that it changes.
func TestWhatFactsConfirm(t *testing.T) {
	runs := func(d *doc) {
		d.OS.Name = inventory.Some("Skerry 12")
		d.OS.Version = inventory.Some("12.0")
	}
	d := confirm(t, legacy(), disk, boot, tpm, secure, runs)
	if s := step(t, d, "upgrade"); s.State != results.Worked || s.Says != "Skerry 12 is installed." {
		t.Errorf("the installation: %+v", s)
	}
	if s := step(t, confirm(t, legacy(), disk), "upgrade"); s.State != results.Waits {
		t.Errorf("no installation, and steps before it had no effect: %+v", s)
	}
	if s := step(t, confirm(t, legacy(), disk, boot, tpm, secure), "upgrade"); s.State != results.NoEffect ||
		s.Says != "Skerry 12 is not installed." {
		t.Errorf("no installation: %+v", s)
	}
	old := legacy()
	old.OS.Name, old.OS.Version = inventory.Some("Skerry 10"), inventory.Some("10.4")
	between := func(d *doc) {
		d.OS.Name = inventory.Some("Skerry 11")
		d.OS.Version = inventory.Some("11.2")
	}
	if s := step(t, confirm(t, old, between), "interim"); s.State != results.Worked ||
		s.Says != "Skerry 11 is installed." {
		t.Errorf("the intermediate release: %+v", s)
	}
	if s := step(t, confirm(t, old), "interim"); s.State != results.NotSeen {
		t.Errorf("no intermediate release: %+v", s)
	}
}

// Items of preparation are confirmed, too.
func TestPreparationAfterwards(t *testing.T) {
	waiting := legacy()
	waiting.OS.PendingRestart = inventory.Some(true)
	states := func(d *results.Document) map[string]string {
		out := map[string]string{}
		for _, p := range d.Prepared {
			out[p.ID] = p.State
		}
		return out
	}
	got := states(confirm(t, waiting, func(d *doc) { d.OS.PendingRestart = inventory.Some(false) }))
	if got["restart"] != results.Worked || got["backup"] != results.NotSeen {
		t.Errorf("restarted: %v", got)
	}
	if got = states(confirm(t, waiting)); got["restart"] != results.NoEffect {
		t.Errorf("not restarted: %v", got)
	}
}

// Fewer rights do not count as a regression; another cause, or another value, is said.
func TestWhatIsNoLongerThere(t *testing.T) {
	ready := legacy()
	for _, do := range []func(*doc){disk, boot, tpm, secure} {
		do(ready)
	}
	gone := func(cause string) func(*doc) {
		return func(d *doc) {
			d.TPM = inventory.TPM{}
			d.Gaps = []inventory.Gap{{Fact: "tpm.state", Cause: cause}, {Fact: "tpm.version", Cause: cause}}
		}
	}
	for _, tt := range []struct {
		change     func(*doc)
		kind, says string
	}{
		{gone(inventory.NeedsRights), results.Invisible,
			"No longer visible, since the later inventory was read with fewer rights: TPM 2.0 ready."},
		{gone(inventory.ReadFailed), results.Lost, "Now unknown: TPM 2.0 ready."},
		{func(d *doc) { d.TPM.State = inventory.Some("off") }, results.Broken,
			"Met before but not now: TPM 2.0 ready."},
		{func(*doc) {}, "", "Ready, as before."},
	} {
		t.Run(tt.kind, func(t *testing.T) {
			d := confirm(t, ready, tt.change)
			if got := kind(d, "tpm"); got != tt.kind || !strings.Contains(d.Says, tt.says) {
				t.Errorf("%q, not %q: %s", got, tt.kind, d.Says)
			}
		})
	}
	// A step whose effect could not be seen is neither done nor undone.
	d := confirm(t, legacy(), disk, boot, secure, gone(inventory.NeedsRights))
	if s := step(t, d, "tpm-on"); s.State != results.NotShown || !strings.Contains(s.Says, "fewer rights") {
		t.Errorf("%+v", s)
	}
}

// What was not known and turns out is known, for better or worse.
func TestUnknownsThatTurnOut(t *testing.T) {
	before := legacy()
	before.TPM = inventory.TPM{}
	before.Gaps = []inventory.Gap{
		{Fact: "tpm.state", Cause: inventory.NeedsRights}, {Fact: "tpm.version", Cause: inventory.NeedsRights},
	}
	seen := func(state string) func(*doc) {
		return func(d *doc) {
			d.Gaps = nil
			d.TPM = inventory.TPM{State: inventory.Some(state), Version: inventory.Some("2.0")}
		}
	}
	if got := kind(confirm(t, before, seen("ready")), "tpm"); got != results.Settled {
		t.Errorf("ready: %s", got)
	}
	if got := kind(confirm(t, before, seen("off")), "tpm"); got != results.Known {
		t.Errorf("off: %s", got)
	}
	if got := kind(confirm(t, before), "tpm"); got != results.Left {
		t.Errorf("as before: %s", got)
	}
}

func TestEncryptionAfterTheWork(t *testing.T) {
	for _, tt := range []struct{ was, is, says string }{
		{"on", "paused", "is paused: the volume is not protected"}, {"paused", "paused", "is paused"},
		{"off", "on", "can start encryption by itself"}, {"on", "off", "is no longer encrypted"}, {"on", "on", ""},
		{"off", "off", ""}, {"", "on", ""},
	} {
		t.Run(tt.was, func(t *testing.T) {
			before := legacy()
			before.Storage.System.Encryption.State = inventory.Opt[string]{}
			if tt.was != "" {
				before.Storage.System.Encryption.State = inventory.Some(tt.was)
			}
			d := confirm(t, before, func(d *doc) { d.Storage.System.Encryption.State = inventory.Some(tt.is) })
			if got := strings.Join(d.Notes, " "); (tt.says == "") != (got == "") || !strings.Contains(got, tt.says) {
				t.Errorf("%s, then %s: %q", tt.was, tt.is, got)
			}
		})
	}
}

func TestTwoMachinesAreRefused(t *testing.T) {
	rel := coretest.Release(t, "skerry-12")
	for _, tt := range []struct {
		change func(*doc)
		says   string
	}{
		{func(d *doc) { d.Device.Serial = inventory.Some("OB3-0042-9999") }, "two machines"},
		{func(d *doc) {
			d.Device.Serial = inventory.Opt[string]{}
			d.Device.Name = inventory.Some("GULL-015")
		},
			"nothing shows that GULL-014 and GULL-015 are the same machine"},
		{func(d *doc) { d.Device.Serial = inventory.Opt[string]{} }, ""},  // the host name is the same
		{func(d *doc) { d.Device.Name = inventory.Some("GULL-015") }, ""}, // it was renamed
		{func(d *doc) { d.TakenAt = now.Add(-time.Hour) }, "give the earlier one to compare with"},
	} {
		t.Run(tt.says, func(t *testing.T) {
			later := legacy()
			tt.change(later)
			_, err := results.Confirm(check(t, rel, legacy()), check(t, rel, later))
			expect.Same(t, "(err == nil)", (err == nil), (tt.says == ""))
			expect.That(t, "!(err != nil && !strings.Contains(err.Error(), tt.says))",
				!(err != nil && !strings.Contains(err.Error(), tt.says)))
		})
	}
}
