package say

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// DecideWays are the ways there are where no known step settles some requirements.
func DecideWays(left []*release.Requirement) []string {
	var out []string
	if OwnStep(left) != "" {
		out = append(out, "Add a step of your own, if you know what settles it. The lines below are a start.")
	}
	var waivable, not []string
	for _, q := range left {
		if q.Waivable() {
			waivable = append(waivable, "“"+q.Title+"”")
		} else {
			not = append(not, "“"+q.Title+"”")
		}
	}
	if len(waivable) > 0 {
		out = append(out, "Waive "+And(waivable)+" for this machine until a date, with a reason.")
	}
	if len(not) > 0 {
		out = append(out, Sentence(And(not)+" cannot be waived: the installer refuses, or the system does not start"))
	}
	return append(out, "Let the machine stay on its present release until a date.", "Replace the machine.")
}

// NoStep says why no step settles a requirement, or nothing where one does.
func NoStep(none, proven bool) string {
	switch {
	case proven:
		return "Nothing on this machine can change it."
	case none:
		return "Rolltop knows no step that changes it."
	}
	return ""
}

// OwnStep is the text of a step that would settle some requirements, with the facts
// that they read and the values that they need filled in.
func OwnStep(left []*release.Requirement) string {
	if len(left) == 0 {
		return ""
	}
	lines := []string{"format: rolltop-steps/1", "steps:"}
	for _, q := range left {
		if Changeable(q) {
			lines = append(lines, ownStep(q)...)
		}
	}
	if len(lines) == 2 {
		return ""
	}
	return strings.Join(lines, "\n") + "\n"
}

// Changeable says whether a step could change something that a requirement reads.
func Changeable(q *release.Requirement) bool {
	return need.SomeLeaf(q.Need, func(l need.Leaf) bool {
		return ownEffect(l) != "" && (l.Fact().Change() != fact.ByNothing || remedy.Calls(l.Fact()) != nil)
	})
}

// ownStep is one step, with the hazards that a change of its facts brings: where there
// are several, the first stands and the others are named beside it.
func ownStep(q *release.Requirement) []string {
	var effects, disturbs, beside []string
	leaves := ""
	for l := range q.Need.Leaves() {
		s := ownEffect(l)
		if s == "" || l.Fact().Change() == fact.ByNothing && remedy.Calls(l.Fact()) == nil || len(effects) == 3 ||
			slices.Contains(effects, s) {
			continue
		}
		effects = append(effects, s)
		if id := l.Fact(); id == fact.DiskStyle || id == fact.BootStyle {
			leaves = "    leaves: {firmware.boot_mode: uefi}"
		}
		for i, h := range remedy.Calls(l.Fact()) {
			switch {
			case slices.Contains(disturbs, h):
			case i == 0:
				disturbs = append(disturbs, h)
			case !slices.Contains(beside, h):
				beside = append(beside, h)
			}
		}
	}
	phase := "remote"
	if slices.ContainsFunc(disturbs, func(h string) bool { return !slices.Contains([]string{"system", "files"}, h) }) {
		phase = "desk"
	}
	hazards := "    disturbs: [" + strings.Join(disturbs, ", ") + "]"
	if beside != nil {
		hazards += " # or " + strings.Join(beside, ", ")
	}
	lines := []string{
		"  - id: settle-" + q.ID,
		"    title: " + quoted("Settle: "+Lower(q.Title)),
		"    phase: " + phase,
		"    class: setting",
		"    noun: {one: a change of our own, many: changes of our own}",
		"    effect: {" + strings.Join(effects, ", ") + "}",
		hazards,
	}
	if leaves != "" {
		lines = append(lines, leaves)
	}
	return append(lines,
		"    do: Say here what to do.",
		"    tell: Say here what the machine's user notices.",
		"    confirm: Say here how to see that it worked.",
		"    minutes: {least: 5, most: 15}")
}

// quoted puts a text between quotation marks for YAML.
func quoted(s string) string { return `"` + strings.ReplaceAll(s, `"`, `'`) + `"` }

// ownEffect is the effect that would meet a comparison, as a step writes it.
func ownEffect(l need.Leaf) string {
	def := l.Fact().Def()
	if def.Kind == fact.Set {
		if _, empty := l.(*need.Empty); empty {
			return def.Name + `: ""`
		}
	}
	switch l.(type) {
	case *need.AtLeast, *need.OneOf, *need.HasAll, *need.HasAny:
		return def.Name + ": needed"
	case *need.AtMost, *need.NoneOf, *need.BeginsWith, *need.Empty:
		return fmt.Sprintf("%s: VALUE", def.Name)
	}
	return ""
}

// NoStepFor says that no step settles a requirement.
func NoStepFor(q *release.Requirement, changeable bool) string {
	switch {
	case !changeable && q.Waivable():
		return fmt.Sprintf("%s: nothing changes this on a machine. Where it fails, a person decides.", q.Title)
	case !changeable:
		return fmt.Sprintf("%s: nothing changes this on a machine. Where it fails, the machine is to be replaced.",
			q.Title)
	}
	return fmt.Sprintf(
		"%s: no step fixes this. If it fails, a person decides, unless you add a step of your own.", q.Title)
}

// Stranger says of a name of a document why it may match nothing.
func Stranger(x *release.Stranger) string {
	what := map[fact.ID]string{
		fact.OSEdition: "the edition", fact.OSName: "the release", fact.TitleName: "the title",
	}[x.Of]
	if x.Of == fact.OSLanguage {
		return fmt.Sprintf("%s: no machine has a system in the language %s.", x.At, x.Name)
	}
	if x.Fleet {
		return fmt.Sprintf("%s: no machine has %s %q; did you mean %q?", x.At, what, x.Name, x.Near)
	}
	return fmt.Sprintf("%s: %s %q is named only here; did you mean %q?", x.At, what, x.Name, x.Near)
}

// ListsDiffer says what two lists state differently of one name.
func ListsDiffer(x *release.Differ) string {
	def := x.Of.Def()
	return fmt.Sprintf("%s: the lists %s and %s contradict each other on %s: %s and %s. The first one counts.", x.Name,
		x.A.ID, x.B.ID, def.Label, Value(def, x.SaysA), Value(def, x.SaysB))
}

// MoreListsDiffer says how many more differences between lists there are.
func MoreListsDiffer(n int) string {
	return Capital(Count(n, "more name", "more names")) + " on which lists contradict each other."
}

// NoReason says that a must does not say why it exists.
func NoReason(q *release.Requirement) string {
	return fmt.Sprintf("%s: the requirement gives no reason. Say in its reason what fails without it.", q.Title)
}

// NeverApplies says that hardware of a class has nothing that a requirement reads.
func NeverApplies(q *release.Requirement, class string) string {
	kind := map[string]string{fact.PC: "PC", fact.Mac: "Mac"}[class]
	return fmt.Sprintf("%s: a %s does not have this part, so the requirement never applies.", q.Title, kind)
}

// NotRead says that no collector reads what a requirement needs.
func NotRead(q *release.Requirement, facts []string) string {
	return fmt.Sprintf("%s: no collector reads %s. It is unknown on every machine until somebody enters it by hand, "+
		"or a list or a firmware guide states it.", q.Title, And(facts))
}

// AstrayWays are the ways there are for a Mac that does not run a Mac system.
func AstrayWays(rel *release.Release) []string {
	return []string{
		"If it should run its present system: keep it as it is until a date.",
		"If it should get " + rel.Name + ": first install a Mac system, then take the inventory again.",
		"If nobody looks after it: retire it.",
	}
}
