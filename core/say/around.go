package say

import (
	"fmt"
	"slices"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Filled puts the name of the release into a text.
func Filled(text string, rel *release.Release) string {
	return fill(text, map[string]string{"release": rel.Name})
}

// When says from when work on a machine is of use, and until when it has to be done.
func When(visit, held bool, from, latest *time.Time, rel, installed string) []string {
	what := "The installation"
	if visit {
		what = "The visit"
	}
	var out []string
	if held {
		out = append(out, what+" waits until the hold of this machine is lifted.")
	}
	if from != nil {
		out = append(out,
			fmt.Sprintf("%s is offered to this machine from %s: %s before that day is useless.", rel, Day(*from),
				Lower(what)))
	}
	if latest != nil && installed != "" {
		out = append(out, fmt.Sprintf("It must be done by %s, the last day of support of %s.", Day(*latest),
			installed))
	}
	return out
}

var hows = map[string]string{
	"gone":      "gone after the upgrade",
	"removed":   "removed by the installation",
	"different": "different after the upgrade",
}

// End says what becomes of something that ends with the upgrade.
func End(e *release.End, certain bool) string {
	s := e.Title + " is " + hows[e.How] + "."
	if !certain {
		s = "If this machine has it: " + s
	}
	return s + " " + Sentence(e.Says)
}

// WhyAfresh says why a release is installed on the emptied disk; "" where it is not.
func WhyAfresh(v *remedy.Verdict, rel *release.Release, f *fact.Facts) string {
	if v.Route != release.Reinstall || v.Astray || v.Planned || v.Disposition == remedy.Done ||
		v.Disposition == remedy.Replace {
		return ""
	}
	if v.Foreign {
		return Sentence("a clean installation is needed because " + rel.Name + " does not upgrade the installed system")
	}
	if lacks := rel.Lacks(f); len(lacks) > 0 {
		var parts []string
		for _, l := range lacks {
			parts = append(parts, lack(&l, f))
		}
		return Sentence("a clean installation is needed because " + And(parts))
	}
	at := slices.IndexFunc(v.Plan, func(p remedy.Planned) bool { return p.Class == remedy.Afresh })
	if at < 0 {
		return ""
	}
	if state, says := Conversion(rel, f); state == "impossible" && v.Plan[at].Phase == remedy.Desk {
		return "A clean installation in UEFI mode is needed. " + says
	}
	if v.Plan[at].Phase == remedy.Host {
		return "The kind of firmware of a virtual machine cannot be changed, so a new one is made."
	}
	var titles []string
	for _, id := range v.Plan[at].Settles {
		if q := rel.Requirement(id); q != nil {
			titles = append(titles, Lower(q.Title))
		}
	}
	if titles == nil {
		return ""
	}
	return Sentence("a clean installation is the smallest known step that settles " + And(titles))
}

// lack says a condition of the upgrade beside what the machine has.
func lack(l *release.Lack, f *fact.Facts) string {
	if l.Need != nil {
		return "the machine does not meet what the upgrade asks for: " + Need(l.Need)
	}
	def := l.Fact.Def()
	has := Value(def, f.Value(l.Fact))
	if taken := versionRange(l.AtLeast, l.AtMost, l.Below); taken != "" {
		return fmt.Sprintf("the %s is %s (the upgrade takes %s)", def.Label, has, taken)
	}
	if l.Fact == fact.OSLanguage {
		return fmt.Sprintf("the %s is %s (the upgrade takes only %s)", def.Label, has, Or(Languages(l.Allowed)))
	}
	words := make([]string, len(l.Allowed))
	for i, w := range l.Allowed {
		words[i] = Value(def, fact.Of(def.Kind, w))
	}
	return fmt.Sprintf("the %s is %s (the upgrade takes only %s)", def.Label, has, Or(words))
}

// Superseded says that a check is by a revision that a later one takes the place of.
func Superseded(name string, revision, newest int) string {
	return fmt.Sprintf("This check uses revision %d of the requirements of %s. Revision %d is newer; use it instead.",
		revision, name, newest)
}

// SlotsTwice says that an inventory states two different things of memory slots.
func SlotsTwice(slots []string) string {
	return "The inventory contains two different values for the memory in " + And(slots) +
		"; neither is used. Take the inventory again, or check the modules."
}

// OtherTPM says that a TPM stands beside the one that is in use.
func OtherTPM(version, kind string) string {
	s := "There is another TPM"
	if version != "" {
		s += ", of version " + version
	}
	if word := fact.TPMKind.Def().Words[kind]; word != "" {
		s += ", " + word
	}
	return s + ". Check which of them the firmware uses before you buy or change anything."
}
