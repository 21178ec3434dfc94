package say_test

import (
	"strings"
	"testing"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/say"
)

func TestAmount(t *testing.T) {
	tests := []struct {
		unit fact.Unit
		x    float64
		want string
	}{
		{fact.Binary, 8 << 30, "8 GiB"}, {fact.Binary, 7.5 * (1 << 30), "7.5 GiB"}, {fact.Binary, 512 << 20, "512 MiB"},
		{fact.Drive, 256060514304, "256 GB"}, {fact.Drive, 2000398934016, "2 TB"}, {fact.Drive, 999e9, "999 GB"},
		{fact.Space, 9.46e9, "9.5 GB"}, {fact.Space, 20e6, "20 MB"},
		{fact.MHz, 1600, "1.6 GHz"}, {fact.MHz, 800, "800 MHz"}, {fact.MHz, 2450, "2.45 GHz"},
		{fact.Percent, 40, "40 %"}, {fact.NoUnit, 4, "4"}, {fact.Bits, 64, "64 bit"},
	}
	for _, tt := range tests {
		t.Run(tt.want, func(t *testing.T) {
			if got := say.Amount(tt.unit, tt.x); got != tt.want {
				t.Errorf("%v is said as %q, want %q", tt.x, got, tt.want)
			}
		})
	}
}

// The sentence of a need is made from the need, so it says the limit as
// inclusive and with its unit.
func TestNeedSentences(t *testing.T) {
	tests := []struct{ src, want string }{
		{"{fact: memory.installed_bytes, at_least: 8 GiB}", "installed memory of at least 8 GiB"},
		{"{fact: processor.rated_mhz, at_least: 1.8 GHz}", "rated speed of at least 1.8 GHz"},
		{"{fact: processor.cores, at_least: 4}", "at least 4 processor cores"},
		{"{fact: tpm.version, at_least: '2.0'}", "TPM version 2.0 or later"},
		{"{fact: firmware.boot_mode, equals: uefi}", "boot mode: UEFI"},
		{"{fact: firmware.secure_boot_capable, equals: true}", "firmware supports secure boot"},
		{"{fact: firmware.secure_boot, equals: 'on'}", "secure boot: on"},
		{"{fact: processor.features, has_any: [avx2, sve]}", "processor features: at least one of avx2 or sve"},
		{"{fact: storage.system.kind, none_of: [hdd]}", "kind of the system disk: not hard disk"},
		{"{any: [{fact: tpm.state, equals: ready}, {all: [{fact: memory.slots, at_most: 2}, {fact: " +
			"storage.other_systems, empty: true}]}]}",
			"either TPM is ready or (at most 2 memory slots and no other systems on the disks)"},
		{"{not: {fact: storage.boot.dynamic, equals: true}}", "boot disk is dynamic: no"},
	}
	for _, tt := range tests {
		t.Run(tt.src, func(t *testing.T) {
			var d need.Document
			if err := doc.Decode("need", []byte(tt.src), &d); err != nil {
				t.Fatal(err)
			}
			r := &doc.Report{}
			n := need.Compile(&d, map[string]*need.List{}, r)
			if err := r.Err(); err != nil {
				t.Fatal(err)
			}
			if got := say.Need(n); got != tt.want {
				t.Errorf("%s\n is said as %q\n want       %q", tt.src, got, tt.want)
			}
		})
	}
}

func TestSmallWords(t *testing.T) {
	for got, want := range map[string]string{
		say.Count(1, "restart", "restarts"): "one restart", say.Count(3, "restart",
			"restarts"): "three restarts", say.Count(14, "restart", "restarts"): "14 restarts",
		say.Count(0, "restart", "restarts"): "no restarts",
		say.And([]string{"a"}):              "a", say.And([]string{"a", "b", "c"}): "a, b and c", say.Or([]string{
			"a", "b",
		}): "a or b", say.And(nil): "",
		say.Sentence("two sources"): "Two sources.", say.Sentence("Done."): "Done.", say.Sentence(""): "",
	} {
		t.Run(got, func(t *testing.T) {
			if got != want {
				t.Errorf("got %q, want %q", got, want)
			}
		})
	}
}

func TestOverviewSaysWhatIsNotKnownAndWhy(t *testing.T) {
	d := &inventory.Document{OS: inventory.OS{
		Platform:     inventory.Some("linux"),
		Name:         inventory.Some("Lodestar Linux 12"),
		Architecture: inventory.Some("x86-64"),
	}}
	d.Processor = inventory.Processor{
		Name:     inventory.Some("Corvane K5-8250U"),
		Cores:    inventory.Some(int64(1)),
		Threads:  inventory.Some(int64(2)),
		RatedMHz: inventory.Some(int64(1600)),
	}
	d.Memory.Visible = inventory.Some(int64(7 << 30))
	d.TPM.State = inventory.Some("not-seen")
	d.AddGap("memory.installed_bytes", inventory.NeedsRights, "/sys/firmware/dmi/tables/DMI", "")
	d.AddGap("firmware", inventory.NotOffered, "this machine hands out no firmware tables", "")
	got := map[string]say.Line{}
	for _, l := range say.Overview(d) {
		got[l.Label] = l
	}
	for label, want := range map[string]string{
		"Processor": "Corvane K5-8250U, 1 core, 2 threads, rated 1.6 GHz",
		"System":    "Lodestar Linux 12, 64-bit",
		"Memory":    "7 GiB visible to the system",
		"TPM":       "none seen",
		"Firmware":  "",
		"Boot mode": "",
	} {
		t.Run(label, func(t *testing.T) {
			if got[label].Value != want {
				t.Errorf("%s: %q, want %q", label, got[label].Value, want)
			}
		})
	}
	if m := got["Memory"].Unknown; len(m) != 1 ||
		m[0].Why != "reading it requires administrator rights (/sys/firmware/dmi/tables/DMI); it is at least 7 GiB" {
		t.Errorf("memory: %+v", m)
	}
	if m := got["Boot mode"].Unknown; len(m) != 1 || m[0].Why != "this machine hands out no firmware tables" {
		t.Errorf("boot mode: %+v", m)
	}
	if len(got["TPM"].Unknown) != 0 {
		t.Errorf("the version of a TPM that is not seen is missed: %+v", got["TPM"].Unknown)
	}
}

func TestMacHasNoRowsOfAPC(t *testing.T) {
	d := &inventory.Document{OS: inventory.OS{Platform: inventory.Some("macos")}}
	d.Device.ModelID = inventory.Some("Deskline4,1")
	for _, l := range say.Overview(d) {
		if l.Label == "TPM" || l.Label == "Boot mode" {
			t.Errorf("a Mac's overview has the line %s", l.Label)
		}
	}
	for _, g := range say.Facts(d) {
		for _, r := range g.Rows {
			if strings.HasPrefix(r.Fact, "tpm.") {
				t.Errorf("a Mac's facts have %s", r.Fact)
			}
			if !r.Known {
				if r.Why == "" || r.Try == "" {
					t.Errorf("%s is not known, and nothing says why or what to do: %+v", r.Fact, r)
				}
			}
		}
	}
}

// A volume over several disks is not the boot disk, and a list that may not be
// all is said with what is known of it.
func TestWhatIsKnownInPart(t *testing.T) {
	d := &inventory.Document{}
	d.Storage.Boot.Disk = inventory.Some("disk 0")
	d.Storage.System.Members = []inventory.Member{{Disk: inventory.Some("disk 0")}, {Disk: inventory.Some("disk 1")}}
	d.Storage.OtherSystems = []string{"Lodestar Linux"}
	d.AddGap("storage.other_systems", inventory.NotOffered, "only the boot entries were looked in", "")
	for _, l := range say.Overview(d) {
		if l.Label == "System disk" && !strings.HasPrefix(l.Value, "a volume over 2 disks (disk 0 and disk 1)") {
			t.Errorf("%q", l.Value)
		}
	}
	found := false
	for _, g := range say.Facts(d) {
		for _, r := range g.Rows {
			found = found || r.Fact == "storage.other_systems" && r.Value == "Lodestar Linux; there may be others"
		}
	}
	if !found {
		t.Error("the other system that is known is not said")
	}
}
