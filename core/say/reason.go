package say

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// Reason says in a sentence why a finding is what it is. It claims no more
// than the facts carry.
func Reason(fd *check.Finding, res *check.Result) string {
	switch fd.Outcome {
	case check.Pass:
		return passReason(fd, res)
	case check.Unknown:
		return unknownReason(fd)
	case check.NotApplicable:
		return notApplicable(fd, res)
	}
	if x, ok := fd.Requirement.Need.(*need.AnyOf); ok {
		if s := eitherReason(x, fd); s != "" {
			return s
		}
	}
	var out []string
	for _, e := range fd.Evidence {
		if e.For() == need.False && !e.Condition && e.Row == "" {
			s := ""
			if e.Not {
				s = notReason(&e, res.Facts)
			} else {
				s = failReason(&e, res)
			}
			if s != "" && !slices.Contains(out, s) {
				out = append(out, s)
			}
		}
	}
	return strings.Join(out, " ")
}

// eitherReason says what is missing of each alternative, the nearest first; nothing where
// some are not amounts.
func eitherReason(x *need.AnyOf, fd *check.Finding) string {
	var out []string
	for _, p := range nearestFirst(x, fd).Parts {
		for i := range fd.Evidence {
			if e := &fd.Evidence[i]; any(e.Leaf) == any(p) && !e.Condition {
				if s := short(e); s != "" {
					out = append(out, s+" "+e.Leaf.Fact().Def().Label)
				}
			}
		}
	}
	if len(out) < len(x.Parts) {
		return ""
	}
	return "One of these is enough: " + strings.Join(out, "; ") + "."
}

// notReason says why a comparison fails that must not hold.
func notReason(e *check.Evidence, f *fact.Facts) string {
	def := e.Leaf.Fact().Def()
	if x, ok := e.Leaf.(*need.Each); ok {
		return Sentence("it needs " + eachPhrase(x, true))
	}
	is := def.Label + " is " + Value(def, e.Reading.Value)
	switch x := e.Leaf.(type) {
	case *need.OneOf:
		if def.Kind == fact.Bool {
			return Sentence(def.Label + ": " + Value(def, e.Reading.Value) + "; needed: " + target(x, true))
		}
		return Sentence(is + "; it must not be " + target(x, false))
	case *need.BeginsWith:
		return Sentence(is + "; it must not be " + target(x, false))
	case *need.HasAll:
		return Sentence(def.Label + ": " + And(e.Reading.Value.Set()) + "; needed: " + target(x, true))
	case *need.HasAny:
		return Sentence(def.Label + ": " + And(e.Reading.Value.Set()) + "; needed: " + target(x, true))
	case *need.Listed:
		return Sentence(is + "; it must not be on the list " + x.List.ID)
	}
	return Sentence(is + "; it must be " + target(e.Leaf, true))
}

func passReason(fd *check.Finding, res *check.Result) string {
	if need.Reads(fd.Requirement.Need, fact.ProcessorMHz) || need.Reads(fd.Requirement.Need, fact.ProcessorCores) {
		if q := listDecides(res); q != "" {
			return fmt.Sprintf("The processor is sufficient in this respect; %s is decisive.", q)
		}
	}
	for _, e := range fd.Evidence {
		if e.Condition {
			continue
		}
		if e.Match != nil && !e.Not {
			return matchReason(&e)
		}
		if !e.Reading.Value.Known() && e.Reading.Floor().Known() {
			return Sentence(fmt.Sprintf("%s is unknown but at least %s, which is enough",
				e.Leaf.Fact().Def().Label, Value(e.Leaf.Fact().Def(), e.Reading.Floor())))
		}
	}
	if fd.Conflict {
		return conflictReason(fd)
	}
	if ways := met(fd.Requirement.Need, res.Facts); len(ways) > 0 && differs(fd.Requirement.Need) || len(ways) > 0 &&
		oneOfSeveral(fd.Requirement.Need) {
		return Sentence("met by: " + strings.Join(ways, "; "))
	}
	return ""
}

// oneOfSeveral says whether a need is met by one of several items of a set.
func oneOfSeveral(n need.Need) bool {
	for l := range n.Leaves() {
		if _, ok := l.(*need.HasAny); ok {
			return true
		}
	}
	return false
}

// conflictReason shows what each source says, where the answer is the same under all.
func conflictReason(fd *check.Finding) string {
	var parts []string
	for i := range fd.Evidence {
		e := &fd.Evidence[i]
		if len(e.Reading.Others()) > 0 && !e.Condition {
			def := e.Leaf.Fact().Def()
			parts = append(parts, def.Label+": "+Reading(def, e.Reading))
		}
	}
	return "Two sources conflict, but the result is the same for both. " + Sentence(strings.Join(parts, "; "))
}

// listDecides names the requirement of a list that the processor fails, which
// then decides over its speed and cores.
func listDecides(res *check.Result) string {
	for i := range res.Findings {
		fd := &res.Findings[i]
		if fd.Outcome == check.Fail && fd.Requirement.Level == release.Must &&
			need.Reads(fd.Requirement.Need, fact.ProcessorName) {
			return Lower(fd.Requirement.Title)
		}
	}
	return ""
}

func notApplicable(fd *check.Finding, res *check.Result) string {
	if x := fd.Requirement.Interim; x != nil && fd.Applies == need.False {
		return Sentence("it applies only on the way through " + x.Name)
	}
	if fd.Applies == need.False {
		return Sentence("It applies only if: " + Need(fd.Requirement.When))
	}
	if res.Facts.Class() == fact.Mac {
		return "It does not exist on Macs."
	}
	return "It does not exist on PCs."
}

func unknownReason(fd *check.Finding) string {
	var out []string
	several := unknownFacts(fd) > 1
	var causes []string
	lacking := map[string][]string{} // by the cause: the facts
	for _, e := range fd.Evidence {
		if e.Truth != need.Unknown {
			continue
		}
		def := e.Leaf.Fact().Def()
		switch {
		case e.Row != "":
			out = append(out, Sentence(e.Row+": "+def.Label+": "+strings.TrimPrefix(Gap(e.Reading.Gap), "unknown: ")))
		case e.Match != nil:
			out = append(out, matchReason(&e))
		case len(e.Reading.Others()) > 0:
			out = append(out, Sentence("sources conflict on "+def.Label+": "+Reading(def, e.Reading)))
		case !e.Reading.Value.Known():
			why := missing(def, e.Reading)
			if s := Sentence(why); !several && !slices.Contains(out, s) {
				out = append(out, s)
			}
			if !several {
				break
			}
			if !slices.Contains(causes, why) {
				causes = append(causes, why)
			}
			if !slices.Contains(lacking[why], def.Label) {
				lacking[why] = append(lacking[why], def.Label)
			}
		case def.ID == fact.DiskBytes:
			out = append(out, "Whether the drive is large enough depends on its kind, which is unknown.")
		}
	}
	for _, why := range causes {
		labels := lacking[why]
		if len(labels) > 1 || strings.HasSuffix(labels[0], "s") {
			why = manyOf.Replace(why)
		}
		out = append(out, Sentence(And(labels)+": "+Lower(why)))
	}
	if fd.Applies == need.Unknown {
		out = append(out, "Whether the requirement applies is unknown as well.")
	}
	return strings.Join(out, " ")
}

// manyOf says a cause of several facts.
var manyOf = strings.NewReplacer("contain it", "contain them", "report it", "report them", "reading it", "reading them",
	"it could not", "they could not")

// unknownFacts counts the facts of the machine that leave a finding unknown.
func unknownFacts(fd *check.Finding) int {
	var ids []fact.ID
	for i := range fd.Evidence {
		if e := &fd.Evidence[i]; e.Truth == need.Unknown && !slices.Contains(ids, e.Leaf.Fact()) {
			ids = append(ids, e.Leaf.Fact())
		}
	}
	return len(ids)
}

// Closing lists what would make an unknown finding known.
func Closing(fd *check.Finding, f *fact.Facts) []string {
	var out []string
	add := func(s string) {
		if !slices.Contains(out, s) {
			out = append(out, s)
		}
	}
	for i := range fd.Evidence {
		e := &fd.Evidence[i]
		if e.Truth != need.Unknown {
			continue
		}
		def := e.Leaf.Fact().Def()
		_, list := e.Leaf.(*need.Each)
		switch {
		case list && e.Reading.Value.Known(): // the rows say what is missing
		case !e.Reading.Value.Known():
			add(Close(def, e.Reading.Gap, f.Planned()))
		case e.Match != nil:
			add("Ask the publisher or the maker whether it is supported, and enter the answer as a row of the list " +
				e.Leaf.(*need.Listed).List.ID + ".")
		case def.ID == fact.DiskBytes:
			add(Close(fact.DiskKind.Def(), f.Get(fact.DiskKind).Gap, f.Planned()))
		case def.ID == fact.DriveBytes:
			add(Close(fact.DriveKind.Def(), nil, f.Planned()))
		}
	}
	if x := fd.Requirement.Interim; x != nil && fd.Applies == need.Unknown {
		for _, id := range []fact.ID{
			fact.OSPlatform, fact.OSVersion, fact.OSArchitecture, fact.OSEdition, fact.OSLanguage,
		} {
			if r := f.Get(id); !r.Value.Known() {
				add(Close(id.Def(), r.Gap, f.Planned()))
			}
		}
	}
	return out
}

// matchReason says how a list decided: by which row, or by which rule and which
// generation it read.
func matchReason(e *check.Evidence) string {
	m, l := e.Match, e.Leaf.(*need.Listed).List
	near := ""
	if row := l.Nearest(e.Reading.Value.Text()); row != nil {
		near = fmt.Sprintf(" The nearest row is %s.", row.Name)
	}
	switch {
	case m.Row != nil && m.Row.Note != "":
		return fmt.Sprintf("The list %s contains it: %s (%s).", l.ID, m.Row.Name, m.Row.Note)
	case m.Row != nil:
		return fmt.Sprintf("The list %s contains it: %s.", l.ID, m.Row.Name)
	case m.Excepted && m.Result == list.On:
		return fmt.Sprintf("Its name indicates generation %d; the list %s includes it as an exception (rule %s).",
			m.Generation,
			l.ID, m.Rule.ID)
	case m.Excepted:
		return fmt.Sprintf("Its name indicates generation %d; the list %s names it as an unsupported exception "+
			"(rule %s).", m.Generation, l.ID, m.Rule.ID)
	case m.Result == list.On:
		return fmt.Sprintf("Its name indicates generation %d; the list %s includes generation %s (rule %s).",
			m.Generation,
			l.ID, m.Rule.Generations(), m.Rule.ID)
	case m.Ending != "":
		return fmt.Sprintf(
			"Its name ends in %s, and the list %s says that this ending tells nothing (rule %s). Ask the "+
				"maker.",
			m.Ending,
			l.ID,
			m.Rule.ID,
		)
	case m.Result == list.Unread && m.Rule == nil && l.Of == list.Processors:
		return fmt.Sprintf("The list %s has neither a naming rule nor a row for this name.", l.ID)
	case m.Result == list.Unread:
		return fmt.Sprintf("The list %s does not contain it, but is not complete.", l.ID)
	case m.Rule != nil && m.Rule.From+m.Rule.UpTo > 0:
		return fmt.Sprintf("Its name indicates generation %d; the list %s includes generation %s (rule %s).",
			m.Generation,
			l.ID, m.Rule.Generations(), m.Rule.ID) + near
	}
	return fmt.Sprintf("The list %s is complete and does not contain it.", l.ID) + near
}

func failReason(e *check.Evidence, res *check.Result) string {
	f, def := res.Facts, e.Leaf.Fact().Def()
	if x, ok := e.Leaf.(*need.Each); ok {
		return eachReason(x, f)
	}
	if e.Match != nil {
		s := matchReason(e)
		if e.Leaf.Fact() == fact.ProcessorName && fastEnough(res) {
			s += " It is fast enough and has enough cores; the list is decisive."
		}
		return s
	}
	switch def.ID {
	case fact.TPMState:
		return tpmReason(f)
	case fact.TPMVersion:
		return "The TPM is present but of an older version; a setting alone does not change the version."
	case fact.BootMode:
		return "It starts in legacy mode; " + uefiWords(f)
	case fact.SecureBoot:
		return secureBootReason(f)
	case fact.SecureBootCapable:
		return "The firmware reports that it does not support secure boot."
	case fact.DiskStyle, fact.BootStyle:
		return "The disk has an " + Value(def, e.Reading.Value) + " partition table."
	case fact.OSArchitecture:
		if f.Value(fact.ProcessorArch).Text() == "x86-64" {
			return "The installed system is 32-bit; the processor supports 64-bit."
		}
	case fact.ProcessorArch:
		return "The processor is 32-bit; this cannot be changed."
	case fact.ProcessorFeatures:
		if x, ok := e.Leaf.(*need.HasAll); ok {
			missing := need.Missing(x.Items, e.Reading.Value)
			if s := turnedOff(missing, f); s != "" {
				return s
			}
			return Sentence("the processor does not have " + And(missing))
		}
		if x, ok := e.Leaf.(*need.HasAny); ok {
			if s := turnedOff(x.Items, f); s != "" {
				return s
			}
			return Sentence("the processor has none of " + And(x.Items) + "; one is needed")
		}
	case fact.ProcessorCores:
		if most := f.Ceiling(fact.ProcessorCores); !e.Reading.Value.Known() && most.Known() {
			return Sentence("the number of cores is unknown but not more than the number of threads: " +
				Value(fact.ProcessorThreads.Def(), most))
		}
	case fact.FreeBytes:
		return Sentence(short(e) + " free space is needed while the upgrade runs" + diskIsEnough(res))
	case fact.DiskBytes:
		return Sentence("the drive holds " + Value(def, e.Reading.Value) + soldRule(f, e))
	case fact.SoftwareToUpdate, fact.SoftwareToBuy, fact.SoftwareToRemove, fact.SoftwareProblems, fact.DriversToUpdate,
		fact.DriversToRemove, fact.DriverProblems:
		found := e.Reading.Value
		if !found.Known() {
			found = e.Reading.Floor()
		}
		return Sentence(Capital(def.Label) + ": " + And(found.Set()))
	case fact.DiskKind:
		if e.Reading.Value.Text() == "hdd" {
			return "The system disk is a hard disk."
		}
		return Sentence("the system disk is " + Value(def, e.Reading.Value))
	}
	if d := short(e); d != "" && def.Unit == fact.NoUnit {
		are := " are needed"
		if strings.HasPrefix(d, "1 ") {
			are = " is needed"
		}
		return Sentence(fmt.Sprintf("it has %s %s; %s", Value(def, e.Reading.Value), def.Label, d) + are)
	} else if d != "" {
		return Sentence(d + " is needed")
	}
	return Sentence(def.Label + " is " + Value(def, e.Reading.Value))
}

// eachReason names the rows of a list that decide.
func eachReason(x *need.Each, f *fact.Facts) string {
	var names []string
	for i := range f.Rows(x.Group) {
		t := x.Part.Test(f.Row(x.Group, i))
		if x.How == need.None && t == need.True || x.How != need.None && t == need.False {
			names = append(names, f.RowName(x.Group, i))
		}
	}
	switch {
	case x.How == need.None:
		return Sentence("it has " + And(names) + ", which is not allowed")
	case len(names) == 0:
		return Sentence("it has no " + x.Group.One())
	case x.How == need.Some && len(names) == 1:
		return Sentence(names[0] + " does not have " + Need(x.Part))
	case x.How == need.Some:
		return Sentence("none of " + And(names) + " has " + Need(x.Part))
	}
	return Sentence(And(names) + " " + haveNot(len(names)) + " " + Need(x.Part))
}

func short(e *check.Evidence) string {
	says, _ := shortfall(e)
	return says
}

func haveNot(n int) string {
	if n == 1 {
		return "does not have"
	}
	return "do not have"
}

func soldRule(f *fact.Facts, e *check.Evidence) string {
	x, ok := e.Leaf.(*need.AtLeast)
	if !ok {
		return ""
	}
	least, _ := need.Sold(x.Limit.Float(), f.Value(fact.DiskKind).Text())
	return fmt.Sprintf("; one sold as %s holds at least %.1f GB", Value(fact.DiskBytes.Def(), x.Limit), least/1e9)
}

// turnedOff is the reason where some of the missing features are turned off in firmware; "" where
// none is.
func turnedOff(missing []string, f *fact.Facts) string {
	off := f.Value(fact.ProcessorFeaturesOff)
	var dark []string
	for _, m := range missing {
		if off.Has(m) {
			dark = append(dark, m)
		}
	}
	if len(dark) == 0 {
		return ""
	}
	return Sentence("according to the list, this processor has " + And(dark) +
		", but the system does not see it, so it is turned off in firmware")
}

func tpmReason(f *fact.Facts) string {
	switch f.Value(fact.TPMState).Text() {
	case "off":
		return "The TPM is present but turned off."
	case "not-ready":
		return "The TPM is present but not ready: it may be locked or may have failed."
	}
	switch built := f.Value(fact.ProcessorTPM); {
	case f.Guest():
		return "The system sees no TPM. A virtual machine has a TPM only if its host provides one."
	case !built.Known():
		return "The system sees no TPM. Absent and turned off look the same to the system; whether this machine " +
			"has a TPM is unknown."
	case built.Bool():
		return "The system sees no TPM. This processor has a built-in TPM, so it is most likely turned off in firmware."
	}
	s := "The system sees no TPM, and according to the list this processor has no built-in TPM."
	if header := f.Get(fact.TPMHeader); header.Value.Known() {
		if header.Value.Bool() {
			s += " The board has a header for a module"
		} else {
			s += " The board has no header for a module"
		}
		if header.Source != "" {
			s += ", says " + header.Source
		}
		s += "."
	}
	return s
}

func uefiWords(f *fact.Facts) string {
	switch v := f.Value(fact.UEFICapable); {
	case !v.Known():
		return "whether the firmware supports UEFI is unknown."
	case v.Bool():
		return "the firmware reports that it supports UEFI."
	}
	return "the firmware does not support UEFI."
}

func secureBootReason(f *fact.Facts) string {
	switch f.Value(fact.SecureBoot).Text() {
	case "inactive":
		return "Secure boot is not active, because the machine starts in legacy mode."
	case "setup":
		return "The firmware is in set-up mode: it has no keys."
	case "reduced", "permissive":
		return Sentence("start-up security is " + f.Value(fact.SecureBoot).Text())
	}
	if f.Value(fact.SecureBootCapable).Bool() {
		return "Secure boot is off; the firmware supports it."
	}
	return "Secure boot is off."
}

// fastEnough: the release's own rules about speed and cores are met.
func fastEnough(res *check.Result) bool {
	any := false
	for i := range res.Findings {
		fd := &res.Findings[i]
		if need.Reads(fd.Requirement.Need, fact.ProcessorMHz) || need.Reads(fd.Requirement.Need, fact.ProcessorCores) {
			if fd.Outcome != check.Pass {
				return false
			}
			any = true
		}
	}
	return any
}

func diskIsEnough(res *check.Result) string {
	for i := range res.Findings {
		fd := &res.Findings[i]
		if need.Reads(fd.Requirement.Need, fact.DiskBytes) && fd.Outcome == check.Pass {
			return "; the disk itself is large enough"
		}
	}
	return ""
}
