package sheet_test

import (
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/sheet"
	"rolltop.example/rolltop/internal/expect"
)

var now = time.Date(2026, 11, 23, 8, 0, 0, 0, time.UTC)

var heads = []string{
	"Computer Name", "Serial No.", "Maker", "Model", "RAM (GB)", "Disk", "Free space", "Secure boot", "TPM version",
	"Location", "Taken",
}

var rows = [][]string{
	{"GULL-201", "OS-1", "Ostrel", "Slipway 14", "16", "512 GB", "100", "Enabled", "2.0", "Gull Quay", "2026-11-20"},
	{"GULL-202", "OS-2", "Ostrel", "Slipway 14", "eight", "256", "", "off", "n/a", "", ""},
	{"", "", "Ostrel", "Slipway 14", "16", "", "", "", "", "", ""},
	{"GULL-203", "OS-3", "Ostrel", "Slipway 14", "4", "128", "500", "off", "", "", "yesterday"},
	{"GULL-204", "OS-4"},
}

func read(t *testing.T, columns map[string]sheet.Choice) *sheet.Read {
	t.Helper()
	r, err := sheet.Sheet(heads, rows,
		sheet.Options{
			Name:    "assets.csv",
			TakenAt: now,
			Columns: columns,
			Fixed:   map[string]string{"os.platform": "windows"},
		})
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// The time of a reading is one that an inventory can hold, whichever way a cell writes it.
func TestTimesOfReadings(t *testing.T) {
	for cell, right := range map[string]bool{
		"2026-11-20": true, "2026-11-20 09:30": true, "2026-11-20T09:30:00Z": true,
		"yesterday": false, "2726-11-20": false, "0026-11-20 09:30": false,
	} {
		t.Run(cell, func(t *testing.T) {
			row := append(slices.Clone(rows[0][:len(heads)-1]), cell)
			r, err := sheet.Sheet(heads, [][]string{row}, sheet.Options{
				Name: "assets.csv", TakenAt: now, Columns: settled, Fixed: map[string]string{"os.platform": "windows"},
			})
			if err != nil || !r.Settled() {
				t.Fatal(err)
			}
			if got := r.Rows[0].Document != nil; got != right {
				t.Errorf("%v: %s", got, r.Rows[0].Problem)
			}
		})
	}
}

// What a heading does not say is asked: which memory, which disk, which GB.
func TestNothingIsGuessed(t *testing.T) {
	r := read(t, nil)
	if r.Settled() || r.Rows != nil {
		t.Fatal("it is settled without having asked")
	}
	for i, want := range []string{
		"", "", "", "", "installed_bytes or memory.visible", "disk_bytes or storage", "choose their unit",
		"secure_boot or", "", "", "",
	} {
		if got := r.Columns[i].Problem; (want == "") != (got == "") || !strings.Contains(got, want) {
			t.Errorf("%s: %q, want %q", heads[i], got, want)
		}
	}
	// A heading that says GB says not which.
	r = read(t, map[string]sheet.Choice{
		"Disk":        {},
		"Secure boot": {},
		"Free space":  {},
		"RAM (GB)":    {Fact: "memory.installed_bytes"},
	})
	if r.Settled() {
		t.Error("a GB was taken for one of two")
	}
}

var settled = map[string]sheet.Choice{
	"RAM (GB)":    {Fact: "memory.installed_bytes", Unit: "GiB"},
	"Disk":        {Fact: "storage.system.disk_bytes", Unit: "GB"},
	"Free space":  {Fact: "storage.system.free_bytes", Unit: "GiB"},
	"Secure boot": {Fact: "firmware.secure_boot"},
}

func TestRows(t *testing.T) {
	r := read(t, settled)
	if !r.Settled() || len(r.Rows) != len(rows) {
		t.Fatalf("%+v", r.Columns)
	}
	d := r.Rows[0].Document
	expect.That(t, "d != nil", d != nil)
	expect.Same(t, "d.Memory.Installed.Or(0)", d.Memory.Installed.Or(0), 16<<30)
	expect.Same(t, "d.Storage.System.DiskBytes.Or(0)", d.Storage.System.DiskBytes.Or(0), 512e9)
	expect.Same(t, "d.Storage.System.FreeBytes.Or(0)", d.Storage.System.FreeBytes.Or(0), 100<<30)
	expect.Same(t, `d.Firmware.SecureBoot.Or("")`, d.Firmware.SecureBoot.Or(""), "on")
	expect.Same(t, `d.TPM.Version.Or("")`, d.TPM.Version.Or(""), "2.0")
	expect.Same(t, `d.OS.Platform.Or("")`, d.OS.Platform.Or(""), "windows")
	expect.That(t, "d.TakenAt.Equal(time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC))",
		d.TakenAt.Equal(time.Date(2026, 11, 20, 0, 0, 0, 0, time.UTC)))
	expect.Same(t, `d.Sources["tpm.version"]`, d.Sources["tpm.version"], "assets.csv, column TPM version")
	d = r.Rows[1].Document
	expect.That(t, "d != nil", d != nil)
	expect.Same(t, "len(r.Rows[1].Left)", len(r.Rows[1].Left), 1)
	expect.Contains(t, r.Rows[1].Left[0], `"eight" is not a value of memory.installed_bytes`)
	expect.Same(t, `d.TPM.Version.Or("")`, d.TPM.Version.Or(""), "")
	expect.That(t, "d.TakenAt.Equal(now)", d.TakenAt.Equal(now))
	if g := r.Rows[1].Document.GapOf("tpm.version"); g != nil && g.Cause != inventory.NotAsked {
		t.Errorf("%+v", g)
	}
	for i, want := range map[int]string{2: "names no machine", 3: `"yesterday" is not a time`} {
		if r.Rows[i].Document != nil || !strings.Contains(r.Rows[i].Problem, want) {
			t.Errorf("row %d: %+v", i, r.Rows[i])
		}
	}
	if r.Rows[4].Document == nil {
		t.Errorf("a short row: %+v", r.Rows[4])
	}
}

func TestAmounts(t *testing.T) {
	for _, c := range []struct {
		cell, unit string
		want       int64
	}{
		{"16", "GiB", 16 << 30}, {"16 GB", "GiB", 16 << 30}, {"16 GB", "GB", 16e9}, {"16GiB", "GB", 16 << 30},
		{"16384", "MiB", 16 << 30}, {"1,024 GB", "GB", 1024e9}, {"7,8", "GB", 7.8e9}, {"0.5 TB", "GiB", 1 << 39},
		{"16 gb", "MB", 16e9}, {"16 GHz", "GB", -1}, {"-1", "GB", -1}, {"lots", "GB", -1}, {"", "GB", 0},
		{"1e30", "GB", -1}, {"0", "GB", 0}, {"1,500 MB", "GB", 1500e6}, {"1,5 GB", "MB", 1.5e9},
		{"1,500.5 MB", "GB", 1500.5e6}, {"12,34 GB", "MB", 12.34e9}, {"1,024,000 MB", "GB", 1024e9},
		{"16 384 MB", "GB", 16384e6}, {"16 GB and more", "GB", -1},
	} {
		t.Run(c.cell, func(t *testing.T) {
			r, err := sheet.Sheet([]string{"Name", "memory.installed_bytes"}, [][]string{{"A", c.cell}},
				sheet.Options{
					Name:    "f",
					TakenAt: now,
					Columns: map[string]sheet.Choice{
						"memory.installed_bytes": {Fact: "memory.installed_bytes", Unit: c.unit},
					},
					Fixed: map[string]string{"os.platform": "windows"},
				})
			if err != nil {
				t.Fatal(err)
			}
			if r.Rows == nil || r.Rows[0].Document == nil {
				t.Errorf("%q in %s: %+v", c.cell, c.unit, r)
				return
			}
			got, known := r.Rows[0].Document.Memory.Installed.Get()
			if c.want <= 0 {
				if known {
					t.Errorf("%q in %s: %d", c.cell, c.unit, got)
				}
			} else if got != c.want {
				t.Errorf("%q in %s: %d, want %d", c.cell, c.unit, got, c.want)
			}
		})
	}
}

func TestRefusals(t *testing.T) {
	for want, o := range map[string]sheet.Options{
		`has no column "Ram"`:         {Columns: map[string]sheet.Choice{"Ram": {}}},
		"is not a fact that a column": {Columns: map[string]sheet.Choice{"Model": {Fact: "device.modle"}}},
		"is not a unit of": {Columns: map[string]sheet.Choice{
			"Disk": {Fact: "storage.system.disk_bytes", Unit: "MHz"},
		}},
		"is not a value of os.plat": {Fixed: map[string]string{"os.platform": "beos"}},
		"unknown fact":              {Fixed: map[string]string{"os.plattform": "linux"}},
	} {
		t.Run(want, func(t *testing.T) {
			if _, err := sheet.Sheet(heads, rows, o); err == nil || !strings.Contains(err.Error(), want) {
				t.Errorf("%v, want %s", err, want)
			}
		})
	}
	// What no column says is asked together with the columns.
	r, err := sheet.Sheet(heads, rows,
		sheet.Options{Columns: map[string]sheet.Choice{"Computer Name": {}, "Serial No.": {}}})
	expect.NoError(t, err)
	expect.Same(t, "len(r.Problems)", len(r.Problems), 2)
	expect.That(t, "!r.Settled()", !r.Settled())
	expect.That(t, "r.Rows == nil", r.Rows == nil)
	r = read(t, map[string]sheet.Choice{"Maker": {Fact: "device.model"}})
	if r.Columns[3].Problem == "" {
		t.Error("two columns are one fact")
	}
}

func FuzzSheet(f *testing.F) {
	f.Add("16 GB", "yes", "2.0", "GiB")
	f.Fuzz(func(t *testing.T, ram, secure, tpm, unit string) {
		r, err := sheet.Sheet([]string{"Name", "RAM", "Secure boot", "TPM version"},
			[][]string{{"A", ram, secure, tpm}}, sheet.Options{Name: "f", TakenAt: now,
				Columns: map[string]sheet.Choice{
					"RAM":         {Fact: "memory.installed_bytes", Unit: unit},
					"Secure boot": {Fact: "firmware.secure_boot"},
				}})
		if err == nil && r.Settled() {
			if r.Rows[0].Document == nil && r.Rows[0].Problem == "" {
				t.Error("a row is neither a machine nor refused")
			}
		}
	})
}

// What makers leave instead of a serial number names no machine, and is said to be so.
func TestPlaceholdersInColumns(t *testing.T) {
	r, err := sheet.Sheet([]string{"Name", "Serial No."},
		[][]string{{"A", "To be filled by O.E.M."}, {"", "0000000"}, {"B", "TW1000001"}},
		sheet.Options{Name: "f", TakenAt: now, Fixed: map[string]string{"os.platform": "windows"}})
	if err != nil {
		t.Fatal(err)
	}
	a := r.Rows[0].Document
	expect.That(t, "a != nil", a != nil)
	expect.Same(t, `a.Device.Serial.Or("")`, a.Device.Serial.Or(""), "")
	expect.That(t, `a.GapOf("device.serial") != nil`, a.GapOf("device.serial") != nil)
	expect.Contains(t, a.GapOf("device.serial").Detail, "To be filled by O.E.M.")
	if !strings.Contains(r.Rows[1].Problem, "names no machine") {
		t.Errorf("%+v", r.Rows[1])
	}
	b := r.Rows[2].Document
	expect.That(t, "b != nil", b != nil)
	expect.Same(t, `b.Device.Serial.Or("")`, b.Device.Serial.Or(""), "TW1000001")
	expect.That(t, `!(b.GapOf("device.serial") != nil && b.GapOf("device.serial").Cause != inventory.NotAsked)`,
		!(b.GapOf("device.serial") != nil && b.GapOf("device.serial").Cause != inventory.NotAsked))
}
