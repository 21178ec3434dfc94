package say

import (
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
)

// Has says what the machine has of what a finding's need compares.
func Has(fd *check.Finding) string {
	var parts []string
	seen := map[fact.ID]bool{}
	several := len(need.Facts(fd.Requirement.Need)) > 1
	for _, e := range fd.Evidence {
		id := e.Leaf.Fact()
		if e.Condition || seen[id] {
			continue
		}
		seen[id] = true
		text := setReading(e)
		if several && e.Reading.Value.Known() && id.Def().Kind == fact.Version {
			text = "version " + text
		}
		if !e.Reading.Value.Known() && len(seen) > 1 && moot(fd) {
			continue // the version of a TPM that is not seen says nothing
		}
		if len(parts) == 0 || parts[len(parts)-1] != text {
			parts = append(parts, text)
		}
	}
	return strings.Join(parts, ", ")
}

// setReading shows of a set only what the comparison is about.
func setReading(e check.Evidence) string {
	def := e.Leaf.Fact().Def()
	if !e.Reading.Value.Known() {
		return Reading(def, e.Reading)
	}
	var items []string
	switch x := e.Leaf.(type) {
	case *need.HasAll:
		items = x.Items
	case *need.HasAny:
		items = x.Items
	default:
		return Reading(def, e.Reading)
	}
	var has []string
	for _, i := range items {
		if e.Reading.Value.Has(i) {
			has = append(has, i)
		}
	}
	if len(has) == 0 {
		return "none of them"
	}
	return And(has)
}

func moot(fd *check.Finding) bool {
	for _, e := range fd.Evidence {
		if e.Leaf.Fact() == fact.TPMState && e.Truth == need.False {
			return true
		}
	}
	return false
}

// Needs says what a finding's need asks for, beside what the machine has.
func Needs(fd *check.Finding) string {
	var parts []string
	for l := range fd.Requirement.Need.Leaves() {
		t := Target(l)
		if l.Fact().Def().Kind == fact.Version {
			t = "version " + t
		}
		parts = append(parts, t)
	}
	if _, any := fd.Requirement.Need.(*need.AnyOf); any {
		return Or(parts)
	}
	return strings.Join(parts, ", ")
}

// Distance says how much is missing, with its unit, or nothing where the need
// is not an amount.
func Distance(fd *check.Finding) string {
	for _, e := range fd.Evidence {
		if e.Truth != need.False || e.Condition || !e.Reading.Value.Known() {
			continue
		}
		def := e.Leaf.Fact().Def()
		switch x := e.Leaf.(type) {
		case *need.AtLeast:
			if def.Kind == fact.Number {
				return gap(def, x.Limit.Float()-e.Reading.Value.Float(), "more")
			}
		case *need.AtMost:
			if def.Kind == fact.Number {
				return gap(def, e.Reading.Value.Float()-x.Limit.Float(), "less")
			}
		}
	}
	return ""
}

func gap(def *fact.Def, d float64, word string) string {
	return Amount(def.Unit, d) + " " + word
}

// Reason says in a sentence why a finding is what it is. It claims no more
// than the facts carry.
func Reason(fd *check.Finding, res *check.Result) string {
	switch fd.Outcome {
	case check.Pass:
		return passReason(fd)
	case check.Unknown:
		return unknownReason(fd)
	case check.NotApplicable:
		return notApplicable(fd, res)
	}
	var out []string
	for _, e := range fd.Evidence {
		if e.Truth == need.False && !e.Condition {
			if s := failReason(&e, res); s != "" {
				out = append(out, s)
			}
		}
	}
	return strings.Join(out, " ")
}

func passReason(fd *check.Finding) string {
	for _, e := range fd.Evidence {
		if e.Condition {
			continue
		}
		if e.Match != nil {
			return matchReason(e.Match, e.Leaf.(*need.Listed).List)
		}
		if !e.Reading.Value.Known() && e.Reading.Floor.Known() {
			return Sentence(fmt.Sprintf("%s is not known, and is at least %s, which is enough", e.Leaf.Fact().Def().Label, Value(e.Leaf.Fact().Def(), e.Reading.Floor)))
		}
	}
	if fd.Conflict {
		return "Two sources disagree, and it is met under each of them."
	}
	return ""
}

func notApplicable(fd *check.Finding, res *check.Result) string {
	if fd.Applies == need.False {
		return Sentence("It applies only where this holds: " + Need(fd.Requirement.When))
	}
	if res.Facts.Class() == fact.Mac {
		return "A Mac has no such thing."
	}
	return "A PC has no such thing."
}

func unknownReason(fd *check.Finding) string {
	var out []string
	for _, e := range fd.Evidence {
		if e.Truth != need.Unknown {
			continue
		}
		def := e.Leaf.Fact().Def()
		switch {
		case e.Match != nil:
			out = append(out, matchReason(e.Match, e.Leaf.(*need.Listed).List))
		case len(e.Reading.Others) > 0:
			out = append(out, Sentence("sources disagree on "+def.Label+": "+Reading(def, e.Reading)))
		case !e.Reading.Value.Known():
			s := Sentence(missing(def, e.Reading))
			if len(out) == 0 || out[len(out)-1] != s {
				out = append(out, s)
			}
		case def.ID == fact.DiskBytes:
			out = append(out, "Whether the drive is large enough depends on its kind, which is not known.")
		}
	}
	if fd.Applies == need.Unknown {
		out = append(out, "Whether the requirement applies is not known either.")
	}
	return strings.Join(out, " ")
}

// Closing lists what would make an unknown finding known.
func Closing(fd *check.Finding) []string {
	var out []string
	seen := map[string]bool{}
	for _, e := range fd.Evidence {
		if e.Truth != need.Unknown {
			continue
		}
		def := e.Leaf.Fact().Def()
		s := Close(def, e.Reading.Gap)
		if e.Reading.Value.Known() {
			if e.Match == nil {
				s = "Look up what kind of drive it is, and enter it by hand."
			} else {
				s = "Ask the publisher or the maker whether this processor is supported, and enter it in the list."
			}
		}
		if !seen[s] {
			seen[s] = true
			out = append(out, s)
		}
	}
	return out
}

func matchReason(m *list.Match, l *list.List) string {
	switch {
	case m.Row != nil:
		return fmt.Sprintf("The list %s has it: %s.", l.ID, m.Row.Name)
	case m.Result == list.On:
		return fmt.Sprintf("Its name says generation %d; the list %s takes generation %d and later (rule %s).", m.Generation, l.ID, m.Rule.From, m.Rule.ID)
	case m.Excepted:
		return fmt.Sprintf("The list %s names it as an exception that is not supported.", l.ID)
	case m.Result == list.Unread && m.Rule == nil && l.Of == list.Processors:
		return fmt.Sprintf("No naming rule of the list %s reads this name, and no row has it.", l.ID)
	case m.Result == list.Unread:
		return fmt.Sprintf("The list %s does not have it, and does not say that it is complete.", l.ID)
	case m.Rule != nil && m.Rule.From > 0 && m.Generation < m.Rule.From:
		return fmt.Sprintf("Its name says generation %d; the list %s begins with generation %d.", m.Generation, l.ID, m.Rule.From)
	case m.Nearest != nil:
		return fmt.Sprintf("The list %s is complete and does not have it. The nearest row is %s.", l.ID, m.Nearest.Name)
	}
	return fmt.Sprintf("The list %s is complete and does not have it.", l.ID)
}

func failReason(e *check.Evidence, res *check.Result) string {
	f, def := res.Facts, e.Leaf.Fact().Def()
	if e.Match != nil {
		s := matchReason(e.Match, e.Leaf.(*need.Listed).List)
		if e.Leaf.Fact() == fact.ProcessorName && fastEnough(res) {
			s += " It is fast enough and has cores enough; the list decides."
		}
		return s
	}
	switch def.ID {
	case fact.TPMState:
		return tpmReason(f)
	case fact.TPMVersion:
		return "The TPM is there and of an older version; the version does not change with a setting alone."
	case fact.BootMode:
		return "It starts in legacy mode; " + uefiWords(f)
	case fact.SecureBoot:
		return secureBootReason(f)
	case fact.SecureBootCapable:
		return "The firmware says that it cannot do secure boot."
	case fact.DiskStyle, fact.BootStyle:
		return "The disk has an " + Value(def, e.Reading.Value) + " partition table."
	case fact.OSArchitecture:
		if f.Value(fact.ProcessorArch).Text() == "x86-64" {
			return "The installed system is 32-bit; the processor can do 64-bit."
		}
	case fact.ProcessorArch:
		return "The processor is 32-bit, and that cannot be changed."
	case fact.ProcessorFeatures:
		if x, ok := e.Leaf.(*need.HasAll); ok {
			return featureReason(need.Missing(x.Items, e.Reading.Value), f)
		}
		if x, ok := e.Leaf.(*need.HasAny); ok {
			if s := featureReason(x.Items, f); strings.Contains(s, "switched off") {
				return s
			}
			return Sentence("the processor has none of " + And(x.Items) + ", of which one is needed")
		}
	case fact.FreeBytes:
		return Sentence(Distance(&check.Finding{Evidence: []check.Evidence{*e}}) + " free space is needed while the upgrade runs" + diskIsEnough(res))
	case fact.DiskBytes:
		return Sentence("the drive holds " + Value(def, e.Reading.Value) + soldRule(f, e))
	case fact.DiskKind:
		return Sentence("the system disk is a " + Value(def, e.Reading.Value))
	}
	if d := Distance(&check.Finding{Evidence: []check.Evidence{*e}}); d != "" && def.Unit == fact.NoUnit {
		return Sentence(fmt.Sprintf("it has %s %s; %s", Value(def, e.Reading.Value), def.Label, d) + " is needed")
	} else if d != "" {
		return Sentence(d + " is needed")
	}
	return Sentence(def.Label + " is " + Value(def, e.Reading.Value))
}

func soldRule(f *fact.Facts, e *check.Evidence) string {
	x, ok := e.Leaf.(*need.AtLeast)
	if !ok {
		return ""
	}
	least, _ := need.Sold(x.Limit.Float(), f.Value(fact.DiskKind).Text())
	return fmt.Sprintf("; one sold as %s holds at least %.1f GB", Value(fact.DiskBytes.Def(), x.Limit), least/1e9)
}

func featureReason(missing []string, f *fact.Facts) string {
	off := f.Value(fact.ProcessorFeaturesOff)
	var dark []string
	for _, m := range missing {
		if off.Has(m) {
			dark = append(dark, m)
		}
	}
	if len(dark) > 0 {
		return Sentence("the list says that this processor has " + And(dark) + ", and the system does not see it, so it is switched off in firmware")
	}
	return Sentence("the processor does not have " + And(missing))
}

func tpmReason(f *fact.Facts) string {
	switch f.Value(fact.TPMState).Text() {
	case "off":
		return "The TPM is there and switched off."
	case "not-ready":
		return "The TPM is there and not ready: it may be locked or have failed."
	}
	switch built := f.Value(fact.ProcessorTPM); {
	case f.Guest():
		return "The system sees no TPM. A virtual machine has one only where its host gives it one."
	case !built.Known():
		return "The system sees no TPM. Absent and switched off look the same from here; nothing says whether this machine has one."
	case built.Bool():
		return "The system sees no TPM. This processor has one built in, so it is most likely switched off in firmware."
	}
	return "The system sees no TPM, and the list says that this processor has none built in."
}

func uefiWords(f *fact.Facts) string {
	switch v := f.Value(fact.UEFICapable); {
	case !v.Known():
		return "whether the firmware can do UEFI is not known."
	case v.Bool():
		return "the firmware says that it can do UEFI."
	}
	return "the firmware cannot do UEFI."
}

func secureBootReason(f *fact.Facts) string {
	switch f.Value(fact.SecureBoot).Text() {
	case "inactive":
		return "Not active, since it starts in legacy mode."
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
