package say

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/guide"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/part"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Step is a planned step in words.
type Step struct {
	Title, Do, Tell, Confirm, Back string
	Cautions                       []string
}

// Words fills a planned step's words for a release and a machine. parts is what
// the step takes.
func Words(p *remedy.Planned, v *remedy.Verdict, rel *release.Release, f *fact.Facts, parts []part.Part) Step {
	values := map[string]string{
		"release":      rel.Name,
		"through":      v.Through,
		"short":        "more",
		"needed":       "more",
		"needed_drive": "more",
		"edition":      "the one that is needed",
		"restarts":     Count(restarts(v), "restart", "restarts"),
		"update":       f.Value(fact.FirmwareUpdate).Text(),
		"part":         "",
		"drive":        "a larger solid-state drive",
		"titles":       titlesOf(p, f),
		"amounts":      amounts(p),
		"keeps":        staying(v),
		"way_back":     wayBack(v),
		"how":          how(v),
		"boot_disk":    disk(f, true),
		"system_disk":  disk(f, false),
		"Boot_disk":    upper(disk(f, true)),
		"System_disk":  upper(disk(f, false)),
	}
	if p.Needed.Known() {
		def := p.NeededOf.Def()
		values["needed"] = Value(def, p.Needed)
		values["edition"] = values["needed"]
		if def.Kind == fact.Number {
			values["needed"] = Amount(def.Unit, p.Needed.Float())
		}
		values["needed_drive"] = values["needed"]
		values["short"] = values["needed"]
		if p.Short > 0 {
			values["short"] = Amount(def.Unit, p.Short)
		}
	}
	if len(parts) > 0 {
		values["part"] = Fit(&parts[0], p.Plays(remedy.ExchangingMemory))
		if b := parts[0].Bytes; b > 0 && parts[0].Kind == part.Drive {
			values["needed_drive"] = Amount(fact.Drive, float64(b))
			values["drive"] = strings.TrimSuffix(Part(&parts[0]), manual)
		}
	}
	w := func(s string) string { return fill(s, values) }
	if !p.Needed.Known() && len(parts) == 0 {
		w = func(s string) string { return fill(open.Replace(s), values) }
	}
	if f.Planned() {
		return plannedStep(p, rel, w)
	}
	out := Step{Title: w(p.Title), Do: w(p.How()), Tell: w(p.Tell), Confirm: w(p.Confirm), Back: w(p.Back)}
	for _, c := range p.Cautions(f) {
		out.Cautions = append(out.Cautions, w(c))
	}
	if until, ok := Warranty(p, f); ok {
		out.Cautions = append(out.Cautions,
			"The machine is under a warranty until "+until+
				" that ends when its case is opened. Have its maker install the part, or ask the holder of the "+
				"contract.")
	}
	return out
}

// plannedStep is a step for a machine that nobody has yet: there is nothing on it to
// keep, and nothing to go back to.
func plannedStep(p *remedy.Planned, rel *release.Release, fill func(string) string) Step {
	switch {
	case p.Installs:
		return Step{
			Title:   "Install " + rel.Name,
			Do:      "Install the release when the machine arrives.",
			Tell:    NothingToDo,
			Confirm: fill(p.Confirm),
		}
	case p.Class == remedy.Replacement, p.Class == remedy.Decision:
		return Step{
			Title:   "Choose another machine",
			Do:      "Request an offer that meets the failing requirements.",
			Tell:    NothingToDo,
			Confirm: "The specification of the other machine passes the check.",
		}
	case p.Part != "":
		return Step{
			Title:   fill(p.Title),
			Do:      "Order the machine with the part, or order the part separately.",
			Tell:    NothingToDo,
			Confirm: fill(p.Confirm),
		}
	}
	return Step{Title: fill(p.Title), Do: fill(p.Do), Tell: NothingToDo, Confirm: fill(p.Confirm)}
}

// inside are the parts for which a machine is opened.
var inside = []string{part.Memory, part.Drive, part.TPM, part.Graphics}

// Warranty is the last day of a warranty that a step ends, as the warranty's fact says it.
func Warranty(p *remedy.Planned, f *fact.Facts) (until string, ok bool) {
	v := f.Value(fact.DeviceWarranty)
	if !v.Known() || !slices.Contains(inside, p.Part) {
		return "", false
	}
	until = v.Text()
	if day, err := time.Parse(time.DateOnly, until); err == nil {
		until = Day(day)
	}
	return until, true
}

// restarts is for how many restarts encryption is paused: those between the pause and
// its end, wherever the steps are done.
func restarts(v *remedy.Verdict) int {
	n, paused := 0, false
	for _, p := range v.Plan {
		switch {
		case p.Plays(remedy.PausingEncryption):
			paused = true
		case p.Plays(remedy.EndingPause):
			paused = false
		case paused && p.Phase != remedy.Install:
			n += p.Restarts
		}
	}
	return max(1, n)
}

// partNouns are the words for one and for several parts that have no size.
var partNouns = map[string][2]string{
	part.TPM:      {"TPM 2.0 module", "TPM 2.0 modules"},
	part.Graphics: {"graphics card", "graphics cards"},
	part.Display:  {"display", "displays"},
}

// Part says exactly what is bought: one 8 GiB DDR4 SODIMM, 2666 MT/s or faster,
// for slot B.
func Part(p *part.Part) string {
	var s string
	switch p.Kind {
	case part.Memory:
		size := ""
		if p.Bytes > 0 {
			size = Amount(fact.Binary, float64(p.Bytes)) + " "
		}
		if p.ECC == "yes" {
			size += "ECC "
		}
		if p.Buffer == "registered" {
			size += "registered "
		}
		kind := strings.TrimSpace(p.Type + " " + p.Form)
		if p.Form == "" {
			kind = strings.TrimSpace(p.Type + " memory module")
		}
		s = Count(p.Count, size+kind, size+kind+"s")
		if p.MTS > 0 {
			s += fmt.Sprintf(", %d MT/s or faster", p.MTS)
		}
		if p.MV > 0 {
			s += fmt.Sprintf(", %g V", float64(p.MV)/1000)
		}
		if len(p.Slots) > 0 {
			s += ", for " + slots(p.Slots)
		}
	case part.Drive:
		s = "one solid-state drive, as large as the old one or larger"
		if p.Bytes > 0 {
			s = "one solid-state drive of " + Amount(fact.Drive, float64(p.Bytes)) + " or more"
		}
		if p.Type != "" {
			s += " (" + busWord(p.Type) + ")"
		}
	case part.Title:
		return "the newer version of " + p.For
	case part.Machine:
		return "one " + Lower(machineWord(p.Form))
	default:
		n := partNouns[p.Kind]
		s = Count(p.Count, n[0], n[1])
		if p.For != "" {
			s += " for the board " + p.For
		}
		if p.Needs != "" {
			s += ": " + p.Needs
		}
	}
	if p.Manual {
		s += manual
	}
	return s
}

const manual = "; confirm it in the maker's manual before ordering"

func slots(names []string) string {
	short := make([]string, len(names))
	for i, n := range names {
		short[i] = strings.TrimPrefix(n, "Slot ")
	}
	if len(short) == 1 {
		return "slot " + short[0]
	}
	return "slots " + And(short)
}

var buses = map[string]string{"ata": "SATA", "sata": "SATA", "nvme": "NVMe", "usb": "USB", "sas": "SAS"}

func busWord(s string) string {
	if w, ok := buses[strings.ToLower(s)]; ok {
		return w
	}
	return s
}

func machineWord(form string) string {
	if slices.Contains([]string{"laptop", "desktop", "all-in-one", "tablet", "server"}, form) {
		return "new " + form
	}
	return "new machine"
}

// OrderName is how an order names a part, beside a number of them.
func OrderName(p *part.Part) string {
	name := Part(p)
	for _, one := range []string{"one ", "a ", "an "} {
		if cut, ok := strings.CutPrefix(name, one); ok {
			return cut
		}
	}
	return name
}

// Fit says what is fitted, and what comes out for it.
func Fit(p *part.Part, exchange bool) string {
	whole := *p
	whole.Manual = false
	if !exchange || len(p.Slots) == 0 {
		return Sentence("fit " + Part(&whole))
	}
	whole.Slots = nil
	return Sentence("fit " + Part(&whole) + ", replacing what is in " + slots(p.Slots))
}

// Alternative says why a step of the plan was chosen and not another.
func Alternative(a *remedy.Alternative) string {
	switch {
	case a.More && a.InDoubt:
		return "It requires more, and whether it can be done is unknown."
	case a.More:
		return "It requires more."
	case a.InDoubt:
		return "Whether it can be done is unknown."
	}
	return "It requires as much; the plan uses the one that is done sooner."
}

// Where says where a firmware setting stands.
func Where(s *guide.Setting) string {
	var out []string
	site := strings.Join(s.Path, " › ")
	switch {
	case s.Name != "" && site != "":
		out = append(out, site+" › "+s.Name)
	case s.Name != "":
		out = append(out, s.Name)
	case site != "" && s.General:
		out = append(out, "Usually below "+site)
	case site != "":
		out = append(out, "Below "+site)
	}
	text := strings.Join(out, "")
	if s.Name == "" && len(s.Words) > 0 {
		text = strings.TrimSpace(text + ", called " + Or(s.Words))
		text = strings.TrimPrefix(text, ", ")
	}
	if text != "" && s.Set != "" {
		text += ": " + Lower(s.Set)
	}
	return Sentence(text)
}

// Enter says how to get into the firmware.
func Enter(g *guide.Guide) string {
	var parts []string
	if g.Keys.Setup != "" {
		parts = append(parts, "Set-up key: "+g.Keys.Setup)
	}
	if g.Keys.Boot != "" {
		parts = append(parts, "start menu: "+g.Keys.Boot)
	}
	s := strings.Join(parts, "; ")
	if s != "" {
		s += ". "
	}
	s += g.Enter
	if g.General {
		s += " Names and menus differ by maker of the board; these are the usual ones."
	}
	return strings.TrimSpace(s)
}

// Conversion says whether the disk of a machine that starts from an MBR can be
// converted, with the fact that decides; state is empty where there is nothing
// to convert.
func Conversion(rel *release.Release, f *fact.Facts) (state, says string) {
	style := f.Value(fact.BootStyle)
	if !style.Known() {
		style = f.Value(fact.DiskStyle)
	}
	places, logical := f.Value(fact.BootPlaces), f.Value(fact.BootLogical)
	name := upper(disk(f, true))
	switch {
	case style.Text() != "mbr":
		return "", ""
	case rel.Convertible != nil:
		return byRule(rel, f, name)
	case f.Value(fact.BootDynamic).Bool():
		return "impossible", name + " cannot be converted: it is dynamic."
	case f.Is(fact.EncryptionKind, "other") && !f.Is(fact.EncryptionState, "off"):
		return "impossible", name + " cannot be converted: another product encrypts it and starts before the system."
	case logical.Bool():
		return "impossible", name + " cannot be converted: it has logical partitions."
	case places.Known() && places.Float() > 3:
		return "impossible", name +
			" cannot be converted: all four entries of its partition table are used, and the conversion needs one."
	case f.Is(fact.DiskHealth, "bad"):
		return "not-known", "The drive is failing; replace it before converting anything."
	case !places.Known() || !logical.Known():
		return "not-known", "The partitions of the disk are unknown; the conversion tool's own test shows whether " +
			"the disk can be converted."
	case !f.Value(fact.BootDynamic).Known():
		return "not-known", "Whether the disk is dynamic is unknown; the conversion tool's own test shows whether " +
			"it can be converted."
	}
	return "possible", Sentence(fmt.Sprintf("%s can be converted: %s of its partition table used, no logical "+
		"partitions, not dynamic",
		name, Count(int(places.Float()), "entry", "entries")))
}

// byRule says whether a disk can be converted by the publisher's own rule.
func byRule(rel *release.Release, f *fact.Facts, name string) (state, says string) {
	rule := rel.Name + " converts disks " + rel.Conversion.Says
	switch {
	case f.Is(fact.EncryptionKind, "other") && !f.Is(fact.EncryptionState, "off"):
		return "impossible", name + " cannot be converted: another product encrypts it and starts before the system."
	case f.Is(fact.DiskHealth, "bad"):
		return "not-known", "The drive is failing; replace it before converting anything."
	}
	switch rel.Convertible.Test(f.View()) {
	case need.True:
		return "possible", Sentence(name + " can be converted: " + rule)
	case need.False:
		return "impossible", Sentence(name + " cannot be converted: " + rule)
	}
	return "not-known", Sentence("Whether " + Lower(name) + " can be converted is unknown: " + rule)
}

// Stay says what staying on the installed release comes to.
func Stay(name string, days int, until, extended string) string {
	switch {
	case days >= 0:
		return Sentence(fmt.Sprintf("or it stays on %s, which is supported until %s%s", name, until, extended))
	case extended != "":
		return Sentence(fmt.Sprintf("staying on %s requires extended support, because it went out of support on %s%s",
			name, until, extended))
	}
	return Sentence(fmt.Sprintf("staying on %s is not an option: it went out of support on %s", name, until))
}

// People are the words for who does a step.
var People = map[string]string{
	"administrator":      "administrator",
	"technician":         "technician",
	"host-administrator": "administrator of the host",
	"specialist":         "specialist",
	"owner":              "somebody together with the machine's user",
	"purchasing":         "purchasing",
}

// Risks are the words for the worst that can happen with a step.
var Risks = map[string]string{
	"may-not-start": "the machine may not start afterwards",
	"may-lose-data": "data can be lost",
	"may-lose-keys": "keys can be lost",
}

// AnyTitle is the title of a step for many machines: what differs between them is left
// open.
func AnyTitle(s *remedy.Step) string {
	return fill(open.Replace(strings.TrimSuffix(s.Title, " to version {update}")), map[string]string{
		"release": "the target", "through": "the intermediate release",
		"edition":  "the one that is needed",
		"restarts": "the restarts of the visit", "update": "that the guide names", "titles": "applications",
		"part":  "a part",
		"drive": "a larger solid-state drive", "boot_disk": "the disk", "system_disk": "the system disk",
	})
}

// open says amounts that are unknown, or that differ from machine to machine, without them.
var open = strings.NewReplacer(
	" to {needed_drive}", "", "a disk of {needed_drive} or more", "a larger disk",
	"give the virtual machine {needed} of memory", "give the virtual machine more memory",
	"give the virtual machine {needed} processor cores", "give the virtual machine more processor cores",
	"raise its memory to {needed}", "raise its memory", "raise its processor cores to {needed}",
	"raise the number of its processor cores", "{needed} cores or more", "more cores",
	"show {needed} or more", "show the new size", "shows {needed} or more", "shows the new size",
	"modules: {needed} in total", "modules by larger ones", "Free {short}", "Free space", "{short} of memory", "memory",
	"at least {needed}", "as large as the finding requires",
)
