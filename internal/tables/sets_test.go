package tables_test

import (
	"io/fs"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/tables"
)

// The tests of this file lead from three sets of made-up publisher's pages to verdicts: the answers to each import
// and the verdict on each machine were written by hand from the pages.

// imported makes rows of a file, as its answers say them: rows, series and what was left out.
func imported(t *testing.T, name string, src []byte, numbers []int, o list.ImportOptions) (rows, answer string) {
	t.Helper()
	sheets, err := tables.Read(name, src)
	expect.NoError(t, err)
	_, got, err := list.ImportTables(sheets, numbers, o)
	expect.NoError(t, err)
	rows = string(list.WriteRows(got.Rows))
	var out strings.Builder
	out.WriteString(rows)
	for _, s := range got.Series {
		out.WriteString("series " + s.Says + "\n" + s.YAML())
	}
	for _, d := range got.Dropped {
		out.WriteString("left out " + d.Text + ": " + d.Why + "\n")
	}
	return rows, out.String()
}

// judged is a machine and the verdict that was written down for it.
type judgedBy struct {
	name, part, form            string // part is its processor, or a Mac's model identifier
	gib                         int64
	installed, edition, version string
	language                    string
	tpm                         string
	is, fails, unknown, way     string
}

func (m *judgedBy) inventory(class string) *inventory.Document {
	d := &inventory.Document{TakenAt: time.Date(2026, 11, 20, 8, 0, 0, 0, time.UTC)}
	set := func(to *inventory.Opt[string], v string) {
		if v != "" {
			*to = inventory.Some(v)
		}
	}
	d.Device.Class = inventory.Some(class)
	set(&d.Device.Form, m.form)
	set(&d.OS.Name, m.installed)
	set(&d.OS.Version, m.version)
	set(&d.OS.Edition, m.edition)
	set(&d.OS.Language, m.language)
	d.OS.Architecture, d.Processor.Architecture = inventory.Some("x86-64"), inventory.Some("x86-64")
	d.Memory.Max, d.Memory.Slots, d.Memory.SlotsUsed = inventory.Some(int64(64<<30)), inventory.Some(int64(2)),
		inventory.Some(int64(1))
	if m.gib > 0 {
		d.Memory.Installed = inventory.Some(m.gib << 30)
	}
	if class == "mac" {
		d.OS.Platform = inventory.Some("macos")
		set(&d.Device.ModelID, m.part)
		return d
	}
	d.OS.Platform = inventory.Some("windows")
	set(&d.Processor.Name, m.part)
	set(&d.TPM.State, m.tpm)
	if m.tpm == "ready" {
		d.TPM.Version = inventory.Some("2.0")
	}
	d.Firmware.BootMode, d.Firmware.SecureBoot = inventory.Some("uefi"), inventory.Some("on")
	d.Firmware.UEFICapable, d.Firmware.SecureBootCapable = inventory.Some(true), inventory.Some(true)
	system := &d.Storage.System
	system.DiskBytes, system.FreeBytes = inventory.Some(int64(256e9)), inventory.Some(int64(90e9))
	system.PartitionStyle = inventory.Some("gpt")
	d.Storage.Disks = []inventory.Disk{{
		Bytes: inventory.Some(int64(256e9)), Kind: inventory.Some("ssd"), System: inventory.Some(true),
		Health: inventory.Some("good"),
	}}
	system.Encryption.State = inventory.Some("off")
	return d
}

// judge compares the verdicts on machines with those that were written down.
func judge(t *testing.T, rel *release.Release, class string, machines []judgedBy) {
	t.Helper()
	for _, m := range machines {
		t.Run(m.name, func(t *testing.T) {
			a, err := assess.Run(rel, m.inventory(class))
			expect.NoError(t, err)
			d := a.Document(time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC), "")
			var fails, unknown []string
			for _, f := range d.Findings {
				switch {
				case f.Level != release.Must:
				case f.Outcome == "fail":
					fails = append(fails, f.Requirement)
				case f.Outcome == "unknown":
					unknown = append(unknown, f.Requirement)
				}
			}
			expect.Same(t, "what fails", strings.Join(fails, " "), m.fails)
			expect.Same(t, "what is unknown", strings.Join(unknown, " "), m.unknown)
			expect.Same(t, "the disposition", d.Disposition, m.is)
			expect.Same(t, "the way", d.Route.Way, m.way)
		})
	}
}

// The pages of the tutorial: HTML with footnotes, merged cells, a struck-out row and a series.
func TestPagesOfKelp(t *testing.T) {
	src, err := os.ReadFile("../../docs/tutorial/processors.html")
	expect.NoError(t, err)
	rows, answer := imported(t, "processors.html", src, []int{2, 3}, list.ImportOptions{
		Set: map[string]string{"built_in_tpm": "true"}, ExceptMarked: []string{"2"},
		OnlyMarked: map[string]string{"1": "laptop"},
	})
	expect.Same(t, "the list", answer, `name,cores,rated_mhz,built_in_tpm,only,note
Corvane K5-8400,6,2800,true,laptop,In laptops only.
Corvane K5-8500,6,3000,true,,
Corvane K5-8500T,6,3000,,,Sold without a TPM.
Corvane K7-8700,6,3200,true,,
Tessaly Onyx 5 2600,6,3400,true,,
Tessaly Onyx 7 2700,8,3200,true,,
Tessaly Onyx 7 2700X,8,3200,,,Sold without a TPM.
series Corvane K5-9000 series and later, except K5-9130U –
- id: corvane-k5-9
  reads: [{text: ["Corvane K5-"]}, {generation: 1}, {digits: 3}]
  from: 9
  ignored_endings: ["T", "U"]
  except: ["Corvane K5-9130U"]
- id: corvane-k5-10
  reads: [{text: ["Corvane K5-"]}, {generation: 2}, {digits: 3}]
  from: 10
left out Corvane K5-8130U 2.2 2: it is struck out on the page
left out Brand Model Base frequency (GHz) Cores: it repeats the heading
`)
	text, err := os.ReadFile("../../docs/tutorial/README.md")
	expect.NoError(t, err)
	_, document, _ := strings.Cut(string(text), "# kelp-7.yaml\n")
	document, _, _ = strings.Cut(document, "```")
	rel, err := release.Read("kelp-7.yaml", []byte(document), func(name string) ([]byte, error) {
		if name == "kelp-7-processors.csv" {
			return []byte(rows), nil
		}
		return nil, fs.ErrNotExist
	})
	expect.NoError(t, err)
	judge(t, rel, "pc", []judgedBy{
		{
			"listed",
			"Corvane K5-8500",
			"desktop",
			8,
			"Kelp 6",
			"Office",
			"6.1",
			"de",
			"ready",
			"ready",
			"",
			"",
			"in-place",
		},
		{
			"a laptop's row",
			"Corvane K5-8400",
			"laptop",
			8,
			"Kelp 6",
			"Office",
			"6.1",
			"en-GB",
			"ready",
			"ready",
			"",
			"",
			"in-place",
		},
		{"a laptop's row in a desktop", "Corvane K5-8400", "desktop", 8, "Kelp 6", "Office", "6.1", "de-AT", "ready",
			"decide", "processor", "", "in-place"},
		{"a laptop's row in who knows", "Corvane K5-8400", "", 8, "Kelp 6", "Office", "6.1", "de", "ready",
			"undetermined", "", "processor", "in-place"},
		{
			"struck out",
			"Corvane K5-8130U",
			"laptop",
			8,
			"Kelp 6",
			"Office",
			"6.1",
			"de",
			"ready",
			"decide",
			"processor",
			"",
			"in-place",
		},
		{
			"by the rule",
			"Corvane K5-9400T",
			"desktop",
			8,
			"Kelp 6",
			"Home",
			"6.1",
			"de",
			"",
			"ready",
			"",
			"",
			"in-place",
		},
		{"by the second rule", "Corvane K5-11500", "desktop", 8, "Kelp 6", "Home", "6.1", "de", "", "ready", "", "",
			"in-place"},
		{
			"the exception",
			"Corvane K5-9130U",
			"laptop",
			8,
			"Kelp 6",
			"Home",
			"6.1",
			"de",
			"",
			"decide",
			"processor",
			"",
			"in-place",
		},
		{
			"not on the page",
			"Tessaly Onyx 3 1200",
			"desktop",
			8,
			"Kelp 6",
			"Home",
			"6.1",
			"de",
			"",
			"undetermined",
			"",
			"processor",
			"in-place",
		},
		{
			"another language",
			"Corvane K5-8500",
			"desktop",
			8,
			"Kelp 6",
			"Home",
			"6.1",
			"fr",
			"",
			"ready",
			"",
			"",
			"image",
		},
		{"through Kelp 6", "Corvane K5-8500", "desktop", 8, "Kelp 5", "Home", "5.2", "en", "", "reconfigure", "", "",
			"interim"},
		{
			"Kelp 5 in French",
			"Corvane K5-8500",
			"desktop",
			8,
			"Kelp 5",
			"Home",
			"5.2",
			"fr",
			"",
			"reconfigure",
			"",
			"",
			"reinstall",
		},
		{
			"too little for the office",
			"Corvane K5-8500",
			"desktop",
			4,
			"Kelp 6",
			"Office",
			"6.1",
			"de",
			"ready",
			"refit",
			"office-memory",
			"",
			"in-place",
		},
		{
			"enough at home",
			"Corvane K5-8500",
			"desktop",
			4,
			"Kelp 6",
			"Home",
			"6.1",
			"de",
			"",
			"ready",
			"",
			"",
			"in-place",
		},
		{
			"no TPM in an office",
			"Corvane K5-8500T",
			"desktop",
			8,
			"Kelp 6",
			"Office",
			"6.1",
			"de",
			"not-seen",
			"undetermined",
			"tpm",
			"",
			"in-place",
		},
		{
			"it runs it",
			"Corvane K5-8500",
			"desktop",
			8,
			"Kelp 7",
			"Home",
			"7.0",
			"de",
			"",
			"done",
			"",
			"",
			"in-place",
		},
	})
}

const sound = `format: rolltop-release/1
id: sound-5
name: Sound 5
installs_on: pc
version: "5.0"
revision: 1
published: 2026-09-02
source: https://sound.example/5
upgrade:
  - {platform: windows, at_least: "4.0", below: "5.0", way: in-place}
conditions:
  - {id: desktop, says: only in desktops, need: {fact: device.form, equals: desktop}}
  - {id: no-server, says: not in servers, need: {fact: device.form, none_of: [server]}}
requirements:
  - {id: processor, title: Processor, level: must, consequence: unsupported, reason: Listed., need: {fact: processor.name, on_list: sound}}
  - {id: memory, title: Memory, level: must, consequence: installer-refuses, reason: Needed., need: {fact: memory.installed_bytes, at_least: 8 GiB}}
  - {id: cores, title: Cores, level: must, consequence: works-less-well, reason: Needed., need: {fact: processor.cores, at_least: 4}}
lists:
  - id: sound
    of: processors
    complete: true
    file: sound.csv
    naming:
`

// The pages of Sound: a table of values in an old encoding with titles above it, footnotes above the line and a
// series; the same as a workbook gives the same.
func TestPagesOfSound(t *testing.T) {
	o := list.ImportOptions{
		Columns:    map[string]string{"name": "Hersteller+Processor number"},
		OnlyMarked: map[string]string{"1": "desktop", "2": "no-server"},
	}
	src, err := os.ReadFile("testdata/sound/processors.csv")
	expect.NoError(t, err)
	rows, answer := imported(t, "processors.csv", src, nil, o)
	expect.Same(t, "the list", answer, `name,cores,rated_mhz,built_in_tpm,only,note
Corvane K3-7100,2,3900,false,,
Corvane K5-7400,4,3000,true,no-server,Not in servers.
Corvane K5-7500,4,3400,true,,
Corvane K5-7600,4,3400,true,,
Tessaly Onyx 3 1200,4,3100,,desktop,Only in desktops.
Tessaly Onyx 5 1600,6,3200,,,
series Corvane K7-7700 series, except K7-7700T  yes
- id: corvane-k7-77
  reads: [{text: ["Corvane K7-"]}, {generation: 2}, {digits: 2}]
  from: 77
  up_to: 77
  ignored_endings: ["T"]
  except: ["Corvane K7-7700T"]
left out Hersteller Processor number Cores Bas…: it repeats the heading
`)
	again, _ := imported(t, "processors.xlsx", workbookOf(t, string(src)), nil, o)
	expect.Same(t, "the list of the workbook", again, rows)
	_, rule, _ := strings.Cut(answer, "yes\n")
	rule, _, _ = strings.Cut(rule, "left out")
	document := sound
	for line := range strings.Lines(rule) {
		document += "      " + line
	}
	rel, err := release.Read(
		"sound-5.yaml",
		[]byte(document),
		func(string) ([]byte, error) { return []byte(rows), nil },
	)
	expect.NoError(t, err)
	const on, at = "Sound 4", "4.2"
	judge(t, rel, "pc", []judgedBy{
		{"listed", "Corvane K5-7500", "desktop", 8, on, "", at, "", "", "ready", "", "", "in-place"},
		{"the second of a cell", "Corvane K5-7600", "laptop", 8, on, "", at, "", "", "ready", "", "", "in-place"},
		{
			"two cores by its row",
			"Corvane K3-7100",
			"desktop",
			8,
			on,
			"",
			at,
			"",
			"",
			"decide",
			"cores",
			"",
			"in-place",
		},
		{"a desktop's row", "Tessaly Onyx 3 1200", "desktop", 8, on, "", at, "", "", "ready", "", "", "in-place"},
		{
			"a desktop's row in a laptop",
			"Tessaly Onyx 3 1200",
			"laptop",
			8,
			on,
			"",
			at,
			"",
			"",
			"decide",
			"processor",
			"",
			"in-place",
		},
		{"not in servers", "Corvane K5-7400", "server", 8, on, "", at, "", "", "decide", "processor", "", "in-place"},
		{"and in a desktop", "Corvane K5-7400", "desktop", 8, on, "", at, "", "", "ready", "", "", "in-place"},
		{"a condition that is unknown", "Corvane K5-7400", "", 8, on, "", at, "", "", "undetermined", "", "processor",
			"in-place"},
		{
			"of the series, cores unknown",
			"Corvane K7-7740",
			"desktop",
			8,
			on,
			"",
			at,
			"",
			"",
			"undetermined",
			"",
			"cores",
			"in-place",
		},
		{"the exception", "Corvane K7-7700T", "desktop", 8, on, "", at, "", "", "decide", "processor", "cores",
			"in-place"},
		{"another generation", "Corvane K7-7800", "desktop", 8, on, "", at, "", "", "decide", "processor", "cores",
			"in-place"},
		{"too little memory", "Corvane K5-7500", "desktop", 4, on, "", at, "", "", "refit", "memory", "", "in-place"},
		{
			"an older release",
			"Corvane K5-7500",
			"desktop",
			8,
			"Sound 3",
			"",
			"3.9",
			"",
			"",
			"reconfigure",
			"",
			"",
			"reinstall",
		},
		{"it runs it", "Corvane K5-7500", "desktop", 8, "Sound 5", "", "5.0", "", "", "done", "", "", "in-place"},
	})
}

// workbookOf puts lines with semicolons into a workbook.
func workbookOf(t *testing.T, text string) []byte {
	t.Helper()
	text = strings.NewReplacer("\xb9", "¹", "\xb2", "²").Replace(text)
	f := excelize.NewFile()
	for i, line := range strings.Split(strings.TrimSpace(text), "\n") {
		for j, cell := range strings.Split(line, ";") {
			at, err := excelize.CoordinatesToCellName(j+1, i+1)
			expect.NoError(t, err)
			expect.NoError(t, f.SetCellStr("Sheet1", at, strings.Trim(cell, `"`)))
		}
	}
	b, err := f.WriteToBuffer()
	expect.NoError(t, err)
	return b.Bytes()
}

const fjord = `format: rolltop-release/1
id: fjord-3
name: Fjord 3
installs_on: mac
version: "3.0"
revision: 1
published: 2026-09-02
source: https://fjord.example/3
upgrade:
  - {platform: macos, at_least: "2.0", below: "3.0", way: in-place}
conditions:
  - {id: gib8, says: with 8 GB or more, need: {fact: memory.installed_bytes, at_least: 8 GiB}}
requirements:
  - {id: model, title: Model, level: must, consequence: installer-refuses, reason: Listed., need: {fact: device.model_id, on_list: fjord}}
lists:
  - {id: fjord, of: models, complete: true, file: fjord.csv}
`

// The page of Fjord: tables within tables, a form, an old encoding, several identifiers in a cell.
func TestPagesOfFjord(t *testing.T) {
	src, err := os.ReadFile("testdata/fjord/models.html")
	expect.NoError(t, err)
	rows, answer := imported(t, "models.html", src, nil, list.ImportOptions{})
	expect.Same(t, "the list", answer, `name,note
"Foldbook6,1",
"Foldbook6,2",
"Foldbook7,1",with 8 GB or more
"Foldbook7,2",with 8 GB or more; Sold in two sizes.
"Deskcube5,1",Only with the latest firmware.
left out Model Year Model identifier Remarks: it repeats the heading
left out Deskcube 2020 Deskcube4,1 no longer: it is struck out on the page
`)
	// The remark is a condition; whoever imports the list says so by hand.
	rows = strings.Replace(rows, "name,note", "name,only,note", 1)
	for _, name := range []string{"6,1", "6,2"} {
		rows = strings.Replace(rows, name+`",`, name+`",,`, 1)
	}
	for _, name := range []string{"7,1", "7,2"} {
		rows = strings.Replace(rows, name+`",`, name+`",gib8,`, 1)
	}
	rows = strings.Replace(rows, `5,1",`, `5,1",,`, 1)
	rel, err := release.Read("fjord-3.yaml", []byte(fjord), func(string) ([]byte, error) { return []byte(rows), nil })
	expect.NoError(t, err)
	const on, at = "Fjord 2", "2.4"
	judge(t, rel, "mac", []judgedBy{
		{"listed", "Foldbook6,1", "laptop", 4, on, "", at, "", "", "ready", "", "", "in-place"},
		{"the second of a cell", "Foldbook6,2", "laptop", 4, on, "", at, "", "", "ready", "", "", "in-place"},
		{"with memory enough", "Foldbook7,1", "laptop", 8, on, "", at, "", "", "ready", "", "", "in-place"},
		{"with too little", "Foldbook7,2", "laptop", 4, on, "", at, "", "", "refit", "model", "", "in-place"},
		{"with who knows", "Foldbook7,2", "laptop", 0, on, "", at, "", "", "undetermined", "", "model", "in-place"},
		{"struck out", "Deskcube4,1", "desktop", 16, on, "", at, "", "", "replace", "model", "", "in-place"},
		{"not on the page", "Deskcube9,1", "desktop", 16, on, "", at, "", "", "replace", "model", "", "in-place"},
		{"no identifier", "", "desktop", 16, on, "", at, "", "", "undetermined", "", "model", "in-place"},
		{
			"an older release",
			"Deskcube5,1",
			"desktop",
			16,
			"Fjord 1",
			"",
			"1.9",
			"",
			"",
			"reconfigure",
			"",
			"",
			"reinstall",
		},
		{"it runs it", "Deskcube5,1", "desktop", 16, "Fjord 3", "", "3.1", "", "", "done", "", "", "in-place"},
	})
}
