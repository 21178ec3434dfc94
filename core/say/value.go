package say

import (
	"fmt"
	"math"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/inventory"
)

// Value says a value of a fact with its unit: 8 GiB, 256 GB, 1.8 GHz, on.
func Value(def *fact.Def, v fact.Value) string {
	switch v.Kind() {
	case 0:
		return "unknown"
	case fact.Number:
		return Amount(def.Unit, v.Float())
	case fact.Bool:
		if v.Bool() {
			return "yes"
		}
		return "no"
	case fact.Set:
		if len(v.Set()) == 0 {
			return "none"
		}
		return strings.Join(itemsOf(def, v.Set()), ", ")
	}
	if w, ok := def.Words[v.Text()]; ok {
		return w
	}
	return v.Text()
}

// itemsOf are the items of a set as they are said: attested facts by their labels, others as the fact says.
func itemsOf(def *fact.Def, items []string) []string {
	out := make([]string, len(items))
	for i, name := range items {
		out[i] = name
		if words := def.Items[name]; words != "" {
			out[i] = words
		}
		if of := fact.ByName(name); of != nil && def.ID == fact.AttestedFacts {
			out[i] = of.Label
		}
	}
	return out
}

// Amount says a number with its unit: memory in GiB, drives in GB, speed in
// MHz below 1 GHz.
func Amount(u fact.Unit, x float64) string { return amount(u, x, 0) }

// amount says a number with more digits than usual.
func amount(u fact.Unit, x float64, more int) string {
	switch u {
	case fact.Binary:
		if x < 1<<30 {
			return digits(x/(1<<20), more) + " MiB"
		}
		return digits(x/(1<<30), 1+more) + " GiB"
	case fact.Drive, fact.Space:
		switch {
		case x < 1e9:
			return digits(x/1e6, more) + " MB"
		case x < 1e10:
			return digits(x/1e9, 1+more) + " GB"
		case x < 2e12:
			return digits(x/1e9, more) + " GB"
		}
		return digits(x/1e12, 1+more) + " TB"
	case fact.MHz:
		if x < 1000 {
			return digits(x, more) + " MHz"
		}
		return digits(x/1000, 2+more) + " GHz"
	case fact.Percent:
		return digits(x, more) + " %"
	case fact.Inches:
		return digits(x, 1+more) + " in"
	case fact.Bits:
		return digits(x, more) + " bit"
	}
	return digits(x, 2+more)
}

// maxDigits is how many digits are added at most to tell two numbers apart.
const maxDigits = 9

// Beside says two numbers with as many digits as show that they differ.
func Beside(u fact.Unit, x, y float64) (string, string) {
	for more := range maxDigits {
		if a, b := amount(u, x, more), amount(u, y, more); a != b || x == y {
			return a, b
		}
	}
	return Exact(u, x), Exact(u, y)
}

// limitText says a limit with as many digits as it has: 1.399 GHz is not 1.4 GHz.
func limitText(u fact.Unit, x float64) string {
	for more := range 4 {
		text := amount(u, x, more)
		if longer := amount(u, x, more+3); text == longer {
			return text
		}
	}
	return amount(u, x, 3)
}

// Short says a difference, however small: never “0 MB”.
func Short(u fact.Unit, x float64) string {
	for more := range maxDigits {
		if text := amount(u, x, more); x == 0 || text[0] != '0' ||
			strings.Trim(strings.SplitN(text, " ", 2)[0], "0.") != "" {
			return text
		}
	}
	return Exact(u, x)
}

// Exact says a number to the last byte, for where the rounded one is not
// enough.
func Exact(u fact.Unit, x float64) string {
	unit := map[fact.Unit]string{fact.Binary: " bytes", fact.Drive: " bytes", fact.Space: " bytes", fact.MHz: " MHz"}[u]
	return strconv.FormatFloat(x, 'f', -1, 64) + unit
}

func digits(x float64, sites int) string {
	p := math.Pow(10, float64(sites))
	return strconv.FormatFloat(math.Round(x*p)/p, 'f', -1, 64)
}

// causes say why a fact is not known, in words that fit behind “not known: ”.
var causes = map[string]string{
	inventory.NeedsRights: "reading it requires administrator rights",
	inventory.NotOffered:  "this system or firmware does not report it",
	inventory.ReadFailed:  "it could not be read",
	inventory.NotAsked:    "the inventory does not contain it",
	inventory.Disagree:    "two sources conflict",
}

// Cause says why a machine is undetermined.
func Cause(cause string) string {
	if cause == "not-listed" {
		return "The lists of the release do not decide it"
	}
	return Capital(strings.Replace(causes[cause], "it ", "a fact ", 1))
}

// Gap says why a fact is not known and what would close it.
func Gap(g *inventory.Gap) string {
	if g == nil {
		return "unknown"
	}
	switch {
	case g.None:
		return "none: " + g.Detail
	case noDetail(g):
		return "unknown: " + causes[g.Cause]
	case g.Cause == inventory.NotOffered, g.Cause == inventory.NotAsked:
		return "unknown: " + g.Detail // says more than the cause alone
	}
	return "unknown: " + causes[g.Cause] + " (" + g.Detail + ")"
}

// noDetail says that a gap says nothing beyond its cause.
func noDetail(g *inventory.Gap) bool {
	return g == nil || g.Detail == "" || g.Detail == "the inventory does not say"
}

// Close says what would make a fact known. What the gap itself says comes first. On a
// machine that is only planned, the seller is asked.
func Close(def *fact.Def, g *inventory.Gap, planned bool) string {
	switch {
	case g != nil && g.Try != "":
		return Sentence(g.Try)
	case g != nil && g.None:
		return ""
	case def.ID == fact.AttestedFacts, def.ID == fact.Attestation:
		return "Run rolltop-collect on the machine as administrator, with the service's address."
	case planned:
		return "Ask the seller: " + def.Label + "."
	case g == nil || g.Cause == inventory.NotAsked:
		return fmt.Sprintf("Take the inventory of this machine again, or enter %s by hand.", Entry(def))
	case g.Cause == inventory.NeedsRights:
		return "Take the inventory again as administrator."
	case g.Cause == inventory.Disagree:
		return fmt.Sprintf("Check on the machine which value of %s is right, and enter %s by hand.", def.Label,
			Entry(def))
	}
	return fmt.Sprintf("Look up %s in the firmware or in the maker's documents, and enter %s by hand.", def.Label,
		Entry(def))
}

// Entry is the name by which a fact is entered by hand: of a list, that of a row's
// fact.
func Entry(def *fact.Def) string {
	switch def.ID {
	case fact.SoftwareToUpdate, fact.SoftwareToBuy, fact.SoftwareToRemove, fact.SoftwareProblems, fact.SoftwareNotKnown,
		fact.TitleCount:
		return "software[0].name"
	case fact.DriversToUpdate, fact.DriversToRemove, fact.DriverProblems, fact.DriversNotKnown, fact.DriverCount:
		return "drivers[0].device"
	case fact.AdapterCount:
		return "graphics[0].interface_level"
	case fact.DisplayCount:
		return "displays[0].height_px"
	case fact.DriveCount:
		return "storage.disks[0].kind"
	case fact.ModuleCount:
		return "memory.modules[0].bytes"
	case fact.MemoryFreeSlots:
		return "memory.slots_used"
	case fact.ProcessorFeaturesOff:
		return "processor.features"
	case fact.BootPlaces, fact.BootLogical:
		return "storage.boot.dynamic"
	case fact.FirmwareUpdate:
		return "firmware.version"
	}
	if g := def.ID.Group(); g != fact.NoGroup {
		return g.String() + "[0]" + strings.TrimPrefix(def.Name, g.String())
	}
	return def.Name
}

// Reading says what is known of a fact, with both readings where two sources
// disagree and the bound where only a bound is known.
func Reading(def *fact.Def, r *fact.Reading) string {
	switch {
	case r.Value.Known():
		return Value(def, r.Value)
	case len(r.Others()) > 0:
		parts := make([]string, len(r.Others()))
		for i, o := range r.Others() {
			parts[i] = fmt.Sprintf("%s (%s)", Value(def, o.Value), o.Source)
		}
		return strings.Join(parts, " or ")
	case r.Floor().Known() && def.Kind == fact.Number:
		return "at least " + Value(def, r.Floor())
	}
	return "unknown"
}

// Classes is the plural of a class of hardware: PCs, Macs.
func Classes(class string) string { return map[string]string{fact.PC: "PCs", fact.Mac: "Macs"}[class] }

// Day says a date: 13 April 2027.
func Day(t time.Time) string { return t.Format("2 January 2006") }

// Moment says a time: 22 November 2026, 08:14 UTC.
func Moment(t time.Time) string { return t.UTC().Format("2 January 2006, 15:04 UTC") }

// Sentence begins with a capital letter and ends with a full stop.
func Sentence(s string) string {
	if s == "" {
		return ""
	}
	s = Capital(s)
	if !strings.HasSuffix(s, ".") {
		s += "."
	}
	return s
}

// Capital begins with a capital letter.
func Capital(s string) string {
	first, n := utf8.DecodeRuneInString(s)
	if n == 0 {
		return ""
	}
	return string(unicode.ToUpper(first)) + s[n:]
}

// Lower begins a title within a sentence with a small letter, unless it begins
// with an abbreviation.
func Lower(s string) string {
	if len(s) > 1 && s[1] >= 'a' && s[1] <= 'z' {
		return strings.ToLower(s[:1]) + s[1:]
	}
	return s
}

var small = []string{
	"no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve",
}

// Number is a whole number, with commas from five digits on: 9999, 35,904.
func Number(n int) string {
	s := strconv.Itoa(n)
	if n < 10_000 {
		return s
	}
	for i := len(s) - 3; i > 0; i -= 3 {
		s = s[:i] + "," + s[i:]
	}
	return s
}

// Count says how many of something: one restart, three restarts, 14 restarts.
func Count(n int, one, many string) string {
	word := Number(n)
	if n >= 0 && n < len(small) {
		word = small[n]
	}
	if n == 1 {
		return word + " " + one
	}
	return word + " " + many
}

// Cell is a text as a cell of a table for spreadsheets: one that such a program
// would take for a formula gets an apostrophe in front.
func Cell(s string) string {
	if s != "" && strings.ContainsRune("=+-@\t\r", rune(s[0])) {
		return "'" + s
	}
	return s
}

// And joins with commas and an and.
func And(parts []string) string { return join(parts, "and") }

// Or joins with commas and an or.
func Or(parts []string) string { return join(parts, "or") }

func join(parts []string, word string) string {
	switch n := len(parts); n {
	case 0:
		return ""
	case 1:
		return parts[0]
	default:
		return strings.Join(parts[:n-1], ", ") + " " + word + " " + parts[n-1]
	}
}
