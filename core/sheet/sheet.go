// Package sheet makes inventories of the rows of a spreadsheet. Which column is
// which fact, and in which unit, is proposed from the headings; where a heading may
// mean two things, installed or visible memory, units of 1,000 or of 1,024, it is
// asked and never guessed. What has no column is not known.
package sheet

import (
	"encoding/json"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/placeholder"
)

// Column is what a column of a sheet is.
type Column struct {
	Heading string   `json:"heading"`
	Fact    string   `json:"fact,omitempty" doc:"Name of a fact; missing where the column is not used"`
	Unit    string   `json:"unit,omitempty" doc:"Of bare numbers, and whether GB in a cell is counted in 1,000 or in 1,024: GB, GiB, MHz, GHz …"`
	Ask     []string `json:"ask,omitempty" doc:"Facts that the heading may mean; choose one, or none"`
	Units   []string `json:"units,omitempty" doc:"Units that the numbers may be in; choose one"`
	Problem string   `json:"problem,omitempty" doc:"What is to be chosen before the sheet can be used"`
}

// Choice is what somebody chose for a column. An empty fact leaves it out.
type Choice struct {
	Fact string `json:"fact" maxLength:"100"`
	Unit string `json:"unit,omitempty" maxLength:"10"`
}

// Options say how a sheet is read.
type Options struct {
	Name    string            // of the file, for the sources
	TakenAt time.Time         // of rows without a column that says when
	Columns map[string]Choice // by heading
	Fixed   map[string]string // facts that all rows have, by name
}

// Read is what became of a sheet.
type Read struct {
	Columns  []Column
	Problems []string // what no column says and has to be known
	Rows     []Row    // none where something is not settled
}

// Settled says that nothing is left to choose.
func (r *Read) Settled() bool {
	return len(r.Problems) == 0 && !slices.ContainsFunc(r.Columns, func(c Column) bool { return c.Problem != "" })
}

// Row is one machine, or why there is none.
type Row struct {
	Line     int // 1 is the first below the headings
	Document *inventory.Document
	Left     []string          // cells that were left out, and why; the machine is there
	Marks    map[string]string // site, contact and desk, as far as there are columns with them
	Problem  string            // why the row is no machine
}

// takenAt is the name of the column that says when a row was taken.
const takenAt = "taken_at"

// Names of columns that are no facts of a machine: what people say of it.
const (
	Site    = "site"
	Contact = "contact"
	Desk    = "desk"
)

var marks = []string{Site, Contact, Desk}

// noFact says that a column is something else than a fact.
func noFact(name string) bool { return name == takenAt || slices.Contains(marks, name) }

// headings by which a fact is found: without case, punctuation and units. Two facts
// for one heading are asked about.
var headings = map[string][]string{
	"name": {"device.name"}, "host name": {"device.name"}, "hostname": {"device.name"}, "host": {"device.name"},
	"computer": {"device.name"}, "computer name": {"device.name"}, "machine": {"device.name"},
	"device": {"device.name"}, "device name": {"device.name"},
	"serial": {"device.serial"}, "serial number": {"device.serial"}, "serial no": {"device.serial"},
	"uuid": {"device.uuid"}, "asset tag": {"device.asset_tag"}, "asset": {"device.asset_tag"},
	"inventory number": {"device.asset_tag"},
	"maker":            {"device.manufacturer"}, "manufacturer": {"device.manufacturer"},
	"vendor": {"device.manufacturer"},
	"brand":  {"device.manufacturer"}, "model": {"device.model"}, "product": {"device.model"},
	"model identifier": {"device.model_id"}, "form": {"device.form"}, "chassis": {"device.form"},
	"platform": {"os.platform"}, "os": {"os.name"}, "operating system": {"os.name"}, "release": {"os.name"},
	"runs": {"os.name"}, "edition": {"os.edition"}, "os edition": {"os.edition"}, "os version": {"os.version"},
	"version": {"os.version"}, "build": {"os.build"}, "os build": {"os.build"}, "os architecture": {"os.architecture"},
	"processor": {"processor.name"}, "cpu": {"processor.name"}, "processor name": {"processor.name"},
	"cores": {"processor.cores"}, "threads": {"processor.threads"}, "processor speed": {"processor.rated_mhz"},
	"cpu speed": {"processor.rated_mhz"}, "base speed": {"processor.rated_mhz"},
	"processor architecture": {"processor.architecture"},
	"ram":                    {"memory.installed_bytes", "memory.visible_bytes"},
	"memory":                 {"memory.installed_bytes", "memory.visible_bytes"},
	"total memory":           {"memory.installed_bytes", "memory.visible_bytes"},
	"installed memory":       {"memory.installed_bytes"},
	"installed ram":          {"memory.installed_bytes"}, "visible memory": {"memory.visible_bytes"},
	"usable memory": {"memory.visible_bytes"},
	"disk":          {"storage.system.disk_bytes", "storage.system.volume_bytes"},
	"disk size":     {"storage.system.disk_bytes", "storage.system.volume_bytes"},
	"drive":         {"storage.system.disk_bytes", "storage.system.volume_bytes"},
	"storage":       {"storage.system.disk_bytes", "storage.system.volume_bytes"},
	"disk capacity": {"storage.system.disk_bytes"},
	"capacity":      {"storage.system.disk_bytes", "storage.system.volume_bytes"},
	"free":          {"storage.system.free_bytes"}, "free space": {"storage.system.free_bytes"},
	"disk free":       {"storage.system.free_bytes"},
	"partition style": {"storage.boot.partition_style", "storage.system.partition_style"},
	"boot mode":       {"firmware.boot_mode"}, "firmware mode": {"firmware.boot_mode"},
	"secure boot": {"firmware.secure_boot", "firmware.secure_boot_capable"}, "firmware version": {"firmware.version"},
	"tpm": {"tpm.version", "tpm.state"}, "tpm version": {"tpm.version"}, "tpm state": {"tpm.state"},
	"s n": {"device.serial"}, "sn": {"device.serial"}, "mfr": {"device.manufacturer"}, "make": {"device.manufacturer"},
	"cpu type": {"processor.name"}, "processor type": {"processor.name"}, "cpu model": {"processor.name"},
	"hdd": {"storage.system.disk_bytes", "storage.system.volume_bytes"}, "o s": {"os.name"},
	"ssd":  {"storage.system.disk_bytes", "storage.system.volume_bytes"},
	"site": {Site}, "location": {Site}, "branch": {Site}, "contact": {Contact}, "user role": {Contact},
	"desk": {Desk}, "room": {Desk}, "counter": {Desk},
	"taken": {takenAt}, "taken at": {takenAt}, "last seen": {takenAt}, "date": {takenAt},
}

// plain is a heading without case and punctuation, and the unit that it names.
func plain(heading string) (text, unit string) {
	fields := strings.FieldsFunc(heading, func(c rune) bool { return strings.ContainsRune(" \t_-/().,:[]", c) })
	var kept []string
	for _, f := range fields {
		if i := slices.IndexFunc(unitNames, func(u string) bool { return strings.EqualFold(u, f) }); i >= 0 &&
			len(fields) > 1 {
			unit = unitNames[i]
			continue
		}
		kept = append(kept, strings.ToLower(f))
	}
	return strings.Join(kept, " "), unit
}

// units and their sizes in the unit of the facts.
var units = map[string]float64{
	"B":   1,
	"kB":  1e3,
	"MB":  1e6,
	"GB":  1e9,
	"TB":  1e12,
	"KiB": 1 << 10,
	"MiB": 1 << 20,
	"GiB": 1 << 30,
	"TiB": 1 << 40,
	"MHz": 1,
	"GHz": 1e3,
}

var (
	unitNames = []string{"B", "kB", "MB", "GB", "TB", "KiB", "MiB", "GiB", "TiB", "MHz", "GHz"}
	ofBytes   = unitNames[:9]
	ofSpeed   = unitNames[9:]
)

// unitsOf are the units that a fact's bare numbers may be in, or none.
func unitsOf(def *fact.Def) []string {
	switch {
	case def.Kind != fact.Number:
		return nil
	case def.Unit == fact.MHz:
		return ofSpeed
	case strings.HasSuffix(def.Name, "_bytes"):
		return ofBytes
	}
	return nil
}

// Sheet reads a sheet.
func Sheet(heads []string, rows [][]string, o Options) (*Read, error) {
	out := &Read{Columns: make([]Column, len(heads))}
	for heading := range o.Columns {
		if !slices.Contains(heads, heading) {
			return nil, errors.New(doc.With(fmt.Sprintf("the sheet has no column %q", heading),
				doc.Suggest(heading, heads)))
		}
	}
	for i, h := range heads {
		c, err := column(h, rows, i, o.Columns)
		if err != nil {
			return nil, err
		}
		out.Columns[i] = c
	}
	out.twice()
	fixed, err := fixedFacts(o.Fixed)
	if err != nil {
		return nil, err
	}
	used := func(name string) bool {
		return slices.ContainsFunc(out.Columns, func(c Column) bool { return c.Fact == name })
	}
	if !used("device.name") && !used("device.serial") {
		out.Problems = append(out.Problems,
			"no column names the machines; choose the one with device.name, or with device.serial")
	}
	if _, all := o.Fixed["os.platform"]; !all && !used("os.platform") && !used("device.model_id") {
		out.Problems = append(out.Problems,
			"no column says which platform the machines run; give os.platform for all of them: windows, macos or linux")
	}
	if !out.Settled() {
		return out, nil
	}
	for i, cells := range rows {
		out.Rows = append(out.Rows, out.row(i+1, cells, fixed, &o))
	}
	return out, nil
}

// column settles what a column is, or what is to be asked.
func column(heading string, rows [][]string, at int, chosen map[string]Choice) (Column, error) {
	c := Column{Heading: heading}
	text, unit := plain(heading)
	if choice, ok := chosen[heading]; ok {
		c.Fact, unit = choice.Fact, choice.Unit
		if c.Fact == "" {
			return c, nil
		}
		if def := fact.ByName(c.Fact); !noFact(c.Fact) &&
			(def == nil || def.ID.Group() != fact.NoGroup || def.Derived) {
			return c, errors.New(doc.With(fmt.Sprintf("%q is not a fact that a column can be", c.Fact),
				doc.Suggest(c.Fact, fact.Names())))
		}
	} else {
		may := headings[text]
		if def := fact.ByName(heading); def != nil && def.ID.Group() == fact.NoGroup && !def.Derived {
			may = []string{heading}
		}
		switch len(may) {
		case 0:
			return c, nil
		case 1:
			c.Fact = may[0]
		default:
			c.Ask, c.Problem = may, fmt.Sprintf("%q may be %s; choose which", heading, or(may))
			return c, nil
		}
	}
	def := fact.ByName(c.Fact)
	if def == nil || unitsOf(def) == nil {
		return c, nil
	}
	c.Units = unitsOf(def)
	if unit != "" && !slices.Contains(c.Units, unit) {
		return c, fmt.Errorf("%q is not a unit of %s; use %s", unit, c.Fact, strings.Join(c.Units, ", "))
	}
	if c.Unit = unit; ambiguous(unit, chosen[heading].Unit) || unit == "" && needsUnit(rows, at) {
		c.Problem = fmt.Sprintf("%q holds amounts; choose their unit, and whether a GB in it is 1,000 or 1,024 MB",
			heading)
		if def.Unit == fact.MHz {
			c.Problem = fmt.Sprintf("%q holds speeds; choose MHz or GHz", heading)
		}
	}
	return c, nil
}

// ambiguous: a heading says GB for units of either kind; somebody has to choose.
func ambiguous(unit, chosen string) bool {
	return chosen == "" && len(unit) == 2 && unit[1] == 'B'
}

// needsUnit: a column of amounts that is not empty needs a unit even where each cell
// has one, as 16 GB says not which GB.
func needsUnit(rows [][]string, at int) bool {
	return slices.ContainsFunc(rows, func(r []string) bool { return at < len(r) && strings.TrimSpace(r[at]) != "" })
}

// twice asks about facts that two columns are.
func (r *Read) twice() {
	first := map[string]string{}
	for i := range r.Columns {
		c := &r.Columns[i]
		if c.Fact == "" {
			continue
		}
		if other, seen := first[c.Fact]; seen {
			c.Problem = fmt.Sprintf("%q and %q are both %s; leave one of them out", other, c.Heading, c.Fact)
			continue
		}
		first[c.Fact] = c.Heading
	}
}

func or(names []string) string {
	return strings.Join(names[:len(names)-1], ", ") + " or " + names[len(names)-1]
}

type fixedFact struct {
	def   *fact.Def
	value fact.Value
}

func fixedFacts(given map[string]string) ([]fixedFact, error) {
	var out []fixedFact
	for name, text := range given {
		def := fact.ByName(name)
		if def == nil || def.ID.Group() != fact.NoGroup || def.Derived {
			return nil, errors.New(doc.With(fmt.Sprintf("unknown fact %q to be given to all rows", name),
				doc.Suggest(name, fact.Names())))
		}
		v, right := need.Value(def, text)
		if !v.Known() {
			return nil, fmt.Errorf("%q is not a value of %s; %s", text, name, right)
		}
		out = append(out, fixedFact{def, v})
	}
	return out, nil
}

// row makes the inventory of a row.
func (r *Read) row(line int, cells []string, fixed []fixedFact, o *Options) Row {
	out := Row{Line: line}
	d := &inventory.Document{Format: inventory.Format, TakenAt: o.TakenAt.UTC()}
	for _, f := range fixed {
		if err := manual.Put(d, f.def, f.value); err == nil {
			d.Said(f.def.Name, manual.GivenForAll+o.Name)
		}
	}
	for i := range r.Columns {
		c := &r.Columns[i]
		if c.Fact == "" || i >= len(cells) {
			continue
		}
		text := strings.TrimSpace(cells[i])
		if blank(text) {
			continue
		}
		if c.Fact == takenAt {
			at, err := parseTime(text)
			if err != nil {
				out.Problem = fmt.Sprintf("%s: %q is not a time; write it as 2026-11-23 or 2026-11-23T08:30:00Z",
					c.Heading, text)
				return out
			}
			d.TakenAt = at
			continue
		}
		if slices.Contains(marks, c.Fact) {
			if out.Marks == nil {
				out.Marks = map[string]string{}
			}
			out.Marks[c.Fact] = text
			continue
		}
		def := fact.ByName(c.Fact)
		if named(def.ID) && placeholder.Text(text) == "" {
			d.AddGap(def.Name, inventory.NotOffered,
				fmt.Sprintf("the column %s holds %q, which makers leave where nothing was filled in", c.Heading, text),
				"")
			continue
		}
		v, right := value(def, text, c.Unit)
		if !v.Known() {
			out.Left = append(out.Left,
				fmt.Sprintf("%s: %q is not a value of %s; %s", c.Heading, text, def.Name, right))
			continue
		}
		if err := manual.Put(d, def, v); err == nil {
			d.Said(def.Name, o.Name+", column "+c.Heading)
		}
	}
	if d.Device.Name.Or("") == "" && d.Device.Serial.Or("") == "" {
		out.Problem = "the row names no machine"
		return out
	}
	out.Left = append(out.Left, dropped(d.Tidy())...)
	b, err := json.Marshal(d)
	if err == nil {
		out.Document, err = inventory.Read(fmt.Sprintf("row %d", line), b)
	}
	if err != nil {
		out.Document, out.Problem = nil, err.Error()
	}
	return out
}

// named says whether a fact names a machine or its maker, where placeholders stand.
func named(id fact.ID) bool {
	return slices.Contains([]fact.ID{
		fact.DeviceManufacturer, fact.DeviceModel, fact.DeviceSerial, fact.DeviceUUID, fact.DeviceAssetTag,
		fact.BoardManufacturer, fact.BoardModel, fact.BoardSerial,
	}, id)
}

func dropped(names []string) []string {
	var out []string
	for _, n := range names {
		out = append(out, n+": out of its range, or against another value of the row")
	}
	return out
}

// blank cells say nothing.
func blank(text string) bool {
	switch strings.ToLower(text) {
	case "", "-", "–", "n/a", "na", "unknown", "not known", "?":
		return true
	}
	return false
}

func parseTime(text string) (time.Time, error) {
	var at time.Time
	var err error
	for _, layout := range []string{time.RFC3339, "2006-01-02 15:04:05", "2006-01-02 15:04", time.DateOnly} {
		if at, err = time.Parse(layout, text); err == nil {
			break
		}
	}
	if err == nil && !doc.TimeFits(at) {
		err = errors.New("outside the years that a document can hold")
	}
	return at.UTC(), err
}

// value reads a cell.
func value(def *fact.Def, text, unit string) (fact.Value, string) {
	switch {
	case unit != "" && unitsOf(def) != nil:
		return amount(text, unit)
	case def.Kind == fact.Bool:
		switch strings.ToLower(text) {
		case "yes", "y", "on", "enabled", "1":
			text = "true"
		case "no", "n", "off", "disabled", "0":
			text = "false"
		}
	case def.Kind == fact.Word:
		text = word(def, text)
	case def.Kind == fact.Text:
		return fact.Of(fact.Text, text), ""
	}
	return need.Value(def, text)
}

// word finds one of a fact's words, as people write it.
func word(def *fact.Def, text string) string {
	low := strings.ToLower(strings.ReplaceAll(text, " ", "-"))
	for w, said := range def.Words {
		if low == strings.ToLower(w) || strings.EqualFold(text, said) {
			return w
		}
	}
	said := map[string]string{
		"enabled":  "on",
		"true":     "on",
		"yes":      "on",
		"disabled": "off",
		"false":    "off",
		"no":       "off",
		"bios":     "legacy",
		"notebook": "laptop",
		"tower":    "desktop",
		"x64":      "x86-64",
		"amd64":    "x86-64",
		"64-bit":   "x86-64",
		"32-bit":   "x86",
		"aarch64":  "arm64",
	}[low]
	if _, ok := def.Words[said]; ok {
		return said
	}
	return low
}

// amount reads a number, in a unit of its own or in that of the column. The column's
// unit says which GB a GB in a cell is.
func amount(text, unit string) (fact.Value, string) {
	right := "it is a number, as 16 or 16 " + unit
	i := strings.LastIndexAny(text, "0123456789.,")
	num, own := strings.ReplaceAll(text[:i+1], ",", ""), strings.TrimSpace(text[i+1:])
	if strings.Count(text, ",") == 1 && !strings.Contains(text, ".") && len(text[strings.Index(text, ",")+1:i+1]) != 3 {
		num = strings.ReplaceAll(text[:i+1], ",", ".") // a decimal comma
	}
	x, err := strconv.ParseFloat(strings.ReplaceAll(num, " ", ""), 64)
	if err != nil || x < 0 {
		return fact.Value{}, right
	}
	size := units[unit]
	if own != "" {
		at := slices.IndexFunc(unitNames, func(u string) bool { return strings.EqualFold(u, own) })
		if at < 0 || slices.Contains(ofSpeed, unitNames[at]) != slices.Contains(ofSpeed, unit) {
			return fact.Value{}, right
		}
		name := unitNames[at]
		if strings.Contains(unit, "i") && len(name) == 2 && name[1] == 'B' {
			name = strings.ToUpper(name[:1]) + "iB"
		}
		size = units[name]
	}
	if x *= size; x > 1<<60 {
		return fact.Value{}, right
	}
	return fact.Num(math.Round(x)), ""
}
