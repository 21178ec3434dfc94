package say

import (
	"fmt"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// Line is one line of a machine's overview: what is known, and what is not
// with the reason.
type Line struct {
	Label   string
	Value   string
	Unknown []Missing
}

// Missing is a part that is not known.
type Missing struct {
	Label string
	Why   string
	Try   string
}

// piece is a part of an overview line: a fact, and the form it takes.
type piece struct {
	id   fact.ID
	form string // %s is the value
}

// overview is what anybody wants to know first. A line whose every part is
// missing says so instead of a value.
var overview = []struct {
	label string
	parts []piece
}{
	{"Machine", []piece{
		{fact.DeviceManufacturer, "%s"}, {fact.DeviceModel, "%s"}, {fact.DeviceForm, ", %s"},
		{fact.DeviceHypervisor, " on %s"},
	}},
	{"System", []piece{{fact.OSName, "%s"}, {fact.OSBuild, ", build %s"}, {fact.OSArchitecture, ", %s"}}},
	{"Processor", []piece{
		{fact.ProcessorName, "%s"}, {fact.ProcessorCores, ", %s cores"}, {fact.ProcessorThreads, ", %s threads"},
		{fact.ProcessorMHz, ", rated %s"},
	}},
	{"Memory", []piece{{fact.MemoryInstalled, "%s installed"}, {fact.MemoryVisible, ", %s visible to the system"}}},
	{"System disk", []piece{
		{fact.BootDisk, "%s"}, {fact.DiskBytes, ", %s"}, {fact.DiskKind, ", %s"}, {fact.DiskStyle, ", %s"},
		{fact.FreeBytes, ", %s free on the system volume"},
	}},
	{"Encryption", []piece{{fact.EncryptionState, "%s"}, {fact.EncryptionKind, ", %s"}}},
	{"Firmware", []piece{{fact.FirmwareVendor, "%s"}, {fact.FirmwareVersion, " %s"}, {fact.FirmwareDate, ", %s"}}},
	{"TPM", []piece{{fact.TPMState, "%s"}, {fact.TPMVersion, ", version %s"}}},
	{"Boot mode", []piece{{fact.BootMode, "%s"}}},
	{"Secure boot", []piece{{fact.SecureBoot, "%s"}, {fact.SecureBootCapable, ", supported: %s"}}},
}

// optional parts are left out silently: without them nothing is missed.
var optional = map[fact.ID]bool{
	fact.DeviceHypervisor: true,
	fact.EncryptionKind:   true,
	fact.OSBuild:          true,
	fact.FirmwareDate:     true,
}

// Overview is the short form of an inventory.
func Overview(d *inventory.Document) []Line {
	f := fact.Read(d)
	var out []Line
	for _, o := range overview {
		l := Line{Label: o.label}
		exists := false
		for _, p := range o.parts {
			def := p.id.Def()
			if !def.Has(f.Class()) {
				continue
			}
			exists = true
			r := f.Get(p.id)
			if p.id == fact.BootDisk && len(d.Storage.System.Members) > 0 {
				l.Value = over(d.Storage.System.Members) // the boot disk is only one of them
				continue
			}
			if r.Value.Known() {
				text := fmt.Sprintf(p.form, Value(def, r.Value))
				if text = cases(p.id, text); l.Value == "" {
					text = strings.TrimLeft(text, ", ")
				} else if !strings.HasPrefix(text, ",") && !strings.HasPrefix(text, " ") {
					text = " " + text
				}
				l.Value += text
			} else if none := r.Gap != nil && r.Gap.None; !none && !optional[p.id] && !unseenVersion(f, p.id) {
				l.Unknown = append(l.Unknown, Missing{def.Label, missing(def, r), Close(def, r.Gap, false)})
			}
		}
		if exists {
			out = append(out, l)
		}
	}
	return out
}

// unseenVersion: of a TPM that is not seen, nobody misses the version.
func unseenVersion(f *fact.Facts, id fact.ID) bool {
	return id == fact.TPMVersion && f.Is(fact.TPMState, "not-seen")
}

// over names the disks that the system volume spans.
func over(members []inventory.Member) string {
	var names []string
	for _, m := range members {
		names = append(names, m.Disk.Or("one without a name"))
	}
	return fmt.Sprintf("a volume over %d disks (%s)", len(members), And(names))
}

// missing says why a part is not known, and its bound where there is one.
func missing(def *fact.Def, r *fact.Reading) string {
	s := strings.TrimPrefix(Gap(r.Gap), "unknown: ")
	if def.ID == fact.AttestedFacts && noDetail(r.Gap) {
		s = "the service has no proof by the machine's TPM"
	}
	if r.Floor().Known() && def.Kind == fact.Number {
		s += "; it is " + Reading(def, r)
	}
	return s
}

// cases mends singulars.
func cases(id fact.ID, text string) string {
	switch {
	case id == fact.ProcessorCores && strings.HasSuffix(text, " 1 cores"),
		id == fact.ProcessorThreads && strings.HasSuffix(text, " 1 threads"):
		return strings.TrimSuffix(text, "s")
	}
	return text
}

// Group is the facts of one subject in words.
type Group struct {
	Name    string
	Summary string // in a line; empty where nothing of it is known
	Rows    []Row
}

// Row is one fact, or one item of a list, in words.
type Row struct {
	Fact, Label, Value, Source, Why, Try string
	Known                                bool
	None                                 bool // the machine does not have what the fact is about
}

// groups by the beginning of a fact's name, in the order in which they show.
var groups = []struct{ prefix, name string }{
	{"device", "Machine"}, {"os", "Installed system"}, {"processor", "Processor"}, {"memory", "Memory"},
	{"storage", "Storage"}, {"firmware", "Firmware"}, {"tpm", "TPM"}, {"network", "Network and power"},
	{"power", "Network and power"}, {"security", "Protection"}, {"graphics", "Screens"},
	{"software", "Software and devices"},
}

// Facts is the whole inventory in words, facts that are not known with their
// reasons.
func Facts(d *inventory.Document) []Group {
	f := fact.Read(d)
	var out []Group
	at := map[string]int{}
	add := func(name string, r Row) {
		i, ok := at[name]
		if !ok {
			i = len(out)
			at[name] = i
			out = append(out, Group{Name: name})
		}
		out[i].Rows = append(out[i].Rows, r)
	}
	for _, g := range groups {
		for _, def := range fact.All() {
			if !strings.HasPrefix(def.Name, g.prefix+".") || !def.Has(f.Class()) {
				continue
			}
			r := f.Get(def.ID)
			if def.Derived && (!r.Value.Known() || def.Kind == fact.Set || def.Counts()) {
				continue
			}
			row := Row{
				Fact:   def.Name,
				Label:  Capital(def.Label),
				Value:  Reading(&def, r),
				Known:  r.Value.Known(),
				Source: r.Source,
			}
			if r.Floor().Known() && def.Kind == fact.Set && len(r.Floor().Set()) > 0 {
				row.Value, row.Known = Value(&def, r.Floor())+"; there may be others", true
			}
			if !row.Known {
				row.Why, row.Try = Sentence(Gap(r.Gap)), Close(&def, r.Gap, false)
				row.None = r.Gap != nil && r.Gap.None
			}
			add(g.name, row)
		}
		for _, r := range items(d, g.prefix) {
			add(g.name, r)
		}
		if g.prefix == "graphics" {
			for _, r := range openOfAdapters(f, d.Sources[g.prefix]) {
				add(g.name, r)
			}
		}
	}
	for i := range out {
		out[i].Summary = summary(out[i].Name, d)
	}
	return out
}

// openOfAdapters are what is not known of each adapter, and could be looked up, and what is known from elsewhere than
// the list itself. list is the source of that.
func openOfAdapters(f *fact.Facts, list string) []Row {
	var out []Row
	for i := range f.Rows(fact.Adapters) {
		for _, id := range []fact.ID{fact.AdapterLevel, fact.AdapterModel} {
			def, r := id.Def(), f.Row(fact.Adapters, i).Get(id)
			if f.Class() == fact.Mac || r.Value.Known() && r.Source == list {
				continue
			}
			row, of := strconv.Itoa(i), ", "+f.RowName(fact.Adapters, i)
			if ids := f.Row(fact.Adapters, i).Value(fact.AdapterIDs); ids.Known() {
				of = " of " + ids.Text()
				if id == fact.AdapterLevel {
					row = ids.Text() // the answer holds for every machine that has this adapter
				}
			}
			one := Row{
				Fact:  def.In(row),
				Label: Capital(def.Label) + of,
				Value: Reading(def, r),
				Known: r.Value.Known(),
			}
			if one.Known {
				one.Source = r.Source
			} else {
				one.Why, one.Try = Sentence(Gap(r.Gap)), Close(def, r.Gap, false)
				one.None = r.Gap != nil && r.Gap.None
			}
			out = append(out, one)
		}
	}
	return out
}

// summaries are the overview's lines that sum a group up, and how much of the
// label stands with them.
var summaries = map[string][]string{
	"Machine":          {"Machine"},
	"Installed system": {"System"},
	"Processor":        {"Processor"},
	"Memory":           {"Memory"},
	"Storage":          {"System disk", "Encryption"},
	"Firmware":         {"Firmware", "Boot mode", "Secure boot"},
	"TPM":              {"TPM"},
}

func summary(group string, d *inventory.Document) string {
	var parts []string
	for _, l := range Overview(d) {
		for i, label := range summaries[group] {
			if label != l.Label || l.Value == "" {
				continue
			}
			if i > 0 {
				parts = append(parts, strings.ToLower(label)+" "+l.Value)
			} else {
				parts = append(parts, l.Value)
			}
		}
	}
	return strings.Join(parts, "; ")
}

// items are the lists of an inventory, a row an item.
func items(d *inventory.Document, prefix string) []Row {
	var out []Row
	row := func(name, label string, parts ...string) {
		var kept []string
		for _, p := range parts {
			if p != "" {
				kept = append(kept, p)
			}
		}
		list, _, _ := strings.Cut(name, "[")
		out = append(out, Row{
			Fact:   name,
			Label:  label,
			Value:  strings.Join(kept, ", "),
			Known:  true,
			Source: d.Sources[list],
		})
	}
	switch prefix {
	case "memory":
		for i, m := range d.Memory.Modules {
			size := "size unknown"
			if b, ok := m.Bytes.Get(); ok {
				if size = Amount(fact.Binary, float64(b)); b == 0 {
					size = "empty"
				}
			}
			soldered := ""
			if m.Soldered.Or(false) {
				soldered = "soldered"
			}
			row(fmt.Sprintf("memory.modules[%d]", i), m.Slot.Or(fmt.Sprintf("Module %d", i+1)), size, m.Type.Or(""),
				m.Form.Or(""), soldered)
		}
	case "storage":
		for i, k := range d.Storage.Disks {
			size, use := "size unknown", ""
			if b, ok := k.Bytes.Get(); ok {
				size = Amount(fact.Drive, float64(b))
			}
			if k.System.Or(false) {
				use = "the system runs from it"
			}
			row(fmt.Sprintf("storage.disks[%d]", i), "Drive "+k.Name.Or(fmt.Sprint(i+1)), k.Model.Or(""), size,
				fact.DiskKind.Def().Words[k.Kind.Or("")], k.Bus.Or(""), use)
		}
	case "graphics":
		for i, g := range d.Graphics {
			row(fmt.Sprintf("graphics[%d]", i), "Graphics adapter", g.Name.Or(""),
				with("PCI ids ", g.IDs()), with("driver model ", g.DriverModel.Or("")),
				with("interface level ", g.InterfaceLevel.Or("")),
				with("driver ", g.DriverVersion.Or("")), with("of ", g.DriverDate.Or("")))
		}
		for i, s := range d.Displays {
			size := ""
			if w, ok := s.WidthPx.Get(); ok {
				size = fmt.Sprintf("%d × %d pixels", w, s.HeightPx.Or(0))
			}
			diagonal, bits, inside := "", "", ""
			if n, ok := s.DiagonalInches.Get(); ok {
				diagonal = fmt.Sprintf("%.1f inches", n)
			}
			if n, ok := s.BitsPerChannel.Get(); ok {
				bits = fmt.Sprintf("%d bits per colour", n)
			}
			if s.Internal.Or(false) {
				inside = "built in"
			}
			row(fmt.Sprintf("displays[%d]", i), "Display", s.Name.Or(""), size, diagonal, bits, inside)
		}
	case "software":
		for i, v := range d.Drivers {
			if status, ok := v.Status.Get(); ok {
				row(fmt.Sprintf("drivers[%d]", i), "Device with a problem", v.Device, status)
			}
		}
		for i, s := range d.Software {
			row(fmt.Sprintf("software[%d]", i), "Software", s.Name, s.Version.Or(""))
		}
	}
	return out
}

func with(prefix, s string) string {
	if s == "" {
		return ""
	}
	return prefix + s
}
