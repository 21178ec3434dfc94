package say

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Answer is the sentence a machine's page opens with, after the disposition.
func Answer(v *remedy.Verdict, rel *release.Release) string {
	if n := len(v.Waived); n > 0 {
		return strings.TrimSuffix(answer(v, rel), ".") + "; " + Count(n, "requirement is",
			"requirements are") + " waived" + naming(v.Waived, rel) + "."
	}
	return answer(v, rel)
}

func answer(v *remedy.Verdict, rel *release.Release) string {
	switch v.Disposition {
	case remedy.Done:
		return doneAnswer(v, rel)
	case remedy.Ready:
		switch {
		case v.Planned:
			return fmt.Sprintf("as specified, it can take %s.", rel.Name)
		case v.NoEdition:
			return fmt.Sprintf("it meets the requirements, but the installed edition becomes none of the editions "+
				"of %s.", rel.Name)
		case v.Route == release.Reinstall:
			return fmt.Sprintf("it can take %s, as a clean installation.", rel.Name)
		case !v.RouteKnown:
			return fmt.Sprintf("it can take %s; in which way is unknown.", rel.Name)
		}
		return fmt.Sprintf("it can take %s now.", rel.Name)
	case remedy.Decide:
		return decideAnswer(v, rel)
	case remedy.Replace:
		if v.Planned {
			return Sentence("as specified, it does not meet " + Count(len(v.Proven), "requirement",
				"requirements") + " that nothing on it can change" + naming(v.Proven, rel))
		}
		return Sentence(Count(len(v.Proven), "requirement fails",
			"requirements fail") + " that nothing on this machine can change" + naming(v.Proven, rel))
	case remedy.Undetermined:
		return Sentence(hull(v) + "; " + whyUndetermined(v, rel))
	}
	return Sentence(strings.Join(append(takes(v), effort(v)...), ", "))
}

// hull says the range of what a machine can take.
func hull(v *remedy.Verdict) string {
	if v.Best == v.Worst {
		return v.Best.String() + ", whatever is found"
	}
	return fmt.Sprintf("at best %s, at worst %s", v.Best, v.Worst)
}

func whyUndetermined(v *remedy.Verdict, rel *release.Release) string {
	if n := len(v.Open); n > 0 {
		return Count(n, "requirement is", "requirements are") + " unknown" + naming(v.Open, rel)
	}
	return "it is unknown whether a step can be done"
}

func doneAnswer(v *remedy.Verdict, rel *release.Release) string {
	n := len(v.Unsupported)
	if n == 0 {
		return fmt.Sprintf("it already runs %s or a later release.", rel.Name)
	}
	return Sentence(fmt.Sprintf("it already runs %s, as an unsupported installation: it does not meet %s%s", rel.Name,
		Count(n, "requirement", "requirements"), naming(v.Unsupported, rel)))
}

// decideAnswer says why a person has to decide.
func decideAnswer(v *remedy.Verdict, rel *release.Release) string {
	if v.Astray {
		return "this Mac does not run a Mac system. First decide which system it should run; until then it has no plan."
	}
	s := Sentence("no known step fixes " + Count(len(v.NoRemedy), "requirement", "requirements") + naming(v.NoRemedy,
		rel))
	if after := whatFollows(v.NoRemedy, rel); after != "" {
		s += " " + after
	}
	return s
}

// whatFollows says what the release does on a machine that fails some requirements, by
// their severity: nothing where one of them stops it, or where it is not known.
func whatFollows(ids []string, rel *release.Release) string {
	unsupported, knowledge := false, true
	for _, id := range ids {
		q := rel.Requirement(id)
		if q == nil || !q.Waivable() {
			return ""
		}
		knowledge = knowledge && q.AskedBy == release.House
		unsupported = unsupported || q.AskedBy != release.House && q.Consequence == "unsupported"
	}
	switch {
	case len(ids) == 0:
		return ""
	case unsupported:
		return rel.Name + " installs on this machine, but its publisher does not support it."
	case knowledge:
		return rel.Name + " installs on this machine but does not meet your house standard."
	}
	return rel.Name + " installs on this machine but works less well."
}

// maxNamed is how many requirements an answer names.
const maxNamed = 3

// naming names requirements by their titles, where they are few.
func naming(ids []string, rel *release.Release) string {
	var titles []string
	for _, id := range ids {
		if q := rel.Requirement(id); q != nil && len(ids) <= maxNamed {
			titles = append(titles, Lower(q.Title))
		}
	}
	if titles == nil {
		return ""
	}
	return ": " + And(titles)
}

// takes counts the remedies of a plan: a disk conversion and three firmware
// settings.
func takes(v *remedy.Verdict) []string {
	var nouns []remedy.Noun
	counts := map[remedy.Noun]int{}
	for _, p := range v.Plan {
		if p.Noun.One == "" || p.Class == remedy.NoClass || !p.Counts() {
			continue
		}
		if counts[p.Noun] == 0 {
			nouns = append(nouns, p.Noun)
		}
		counts[p.Noun]++
	}
	var parts []string
	for _, n := range nouns {
		if counts[n] == 1 {
			parts = append(parts, n.One)
		} else {
			parts = append(parts, Count(counts[n], "", n.Many))
		}
	}
	if len(parts) == 0 {
		return nil
	}
	return []string{And(parts)}
}

// effort sums the time and restarts of what is done at the machine or the
// host before the installation.
func effort(v *remedy.Verdict) []string {
	least, most, restarts, where := 0, 0, 0, ""
	for _, p := range v.Plan {
		if p.Phase == remedy.Desk || p.Phase == remedy.Host {
			least, most, restarts = least+p.Minutes.Least, most+p.Minutes.Most, restarts+p.Restarts
			where = map[string]string{remedy.Desk: "at the desk", remedy.Host: "on the host"}[p.Phase]
		}
	}
	if where == "" {
		return unvisited(v)
	}
	out := []string{fmt.Sprintf("about %d minutes %s", round5((least+most)/2), where)}
	if restarts > 0 {
		out = append(out, Count(restarts, "restart", "restarts"))
	}
	return out
}

// unvisited is the effort of a plan without work at the machine: a fresh
// installation takes somebody's time all the same.
func unvisited(v *remedy.Verdict) []string {
	for _, p := range v.Plan {
		if p.Class == remedy.Afresh {
			return []string{fmt.Sprintf("about %d minutes", round5((p.Minutes.Least+p.Minutes.Most)/2))}
		}
	}
	return []string{"remotely"}
}

func round5(n int) int { return max(5, (n+2)/5*5) }

// Details are the sentences below the answer: what it does not take, what
// comes first, how the release gets there, what it rests on.
func Details(v *remedy.Verdict, rel *release.Release, f *fact.Facts) []string {
	var out []string
	if v.Disposition == remedy.Done {
		return skippedChecks(f)
	}
	if v.Disposition == remedy.Reconfigure &&
		!slices.ContainsFunc(v.Plan, func(p remedy.Planned) bool { return p.Part != "" }) {
		out = append(out, "The plan needs no part.")
	}
	planned := func(r remedy.Role) bool {
		for _, p := range v.Plan {
			if p.Plays(r) {
				return true
			}
		}
		return false
	}
	switch {
	case planned(remedy.PausingEncryption) && f.Is(fact.EncryptionState, "on"), planned(remedy.AskingPassphrase):
		out = append(out, "The system volume is encrypted: check its recovery key first.")
	case planned(remedy.PausingEncryption) && !f.Is(fact.EncryptionState, "paused"): // which is said below
		out = append(out, "Whether the system volume is encrypted is unknown; the plan treats it as encrypted.")
	}
	if f.Is(fact.EncryptionState, "paused") {
		since := ""
		if at, err := time.Parse(time.DateOnly, f.Value(fact.EncryptionPausedAt).Text()); err == nil {
			since = " since " + Day(at)
		}
		out = append(out, "The encryption of the system volume is paused"+since+": the disk is not protected now.")
	}
	// What an incomplete list holds is there all the same.
	beside := f.Get(fact.OtherSystems)
	if others := append(slices.Clone(beside.Value.Set()), beside.Floor().Set()...); len(others) > 0 &&
		v.Disposition != remedy.Replace {
		ask := ""
		if planned(remedy.AskingOtherSystem) {
			ask = ": ask first whether to keep it"
		}
		out = append(out, Sentence("another system is on the disk ("+And(others)+")"+ask))
	}
	if v.Disposition != remedy.Replace && v.Disposition != remedy.Decide &&
		(v.Disposition != remedy.Ready || v.Route != release.InPlace || !v.RouteKnown) {
		out = append(out, Way(v, rel.Name))
	}
	if why := WhyAfresh(v, rel, f); why != "" {
		out = append(out, why)
	}
	if rests := restsOn(v, f); rests != "" {
		out = append(out, rests)
	}
	return append(out, skippedChecks(f)...)
}

// skippedChecks reports the signs that an earlier installation was told to leave out
// checks of its release.
func skippedChecks(f *fact.Facts) []string {
	signs := f.Value(fact.ChecksSkipped).Set()
	if len(signs) == 0 {
		return nil
	}
	return []string{Sentence("the system holds a sign that an earlier installation was told to skip checks ("+
		And(signs)+")") +
		" A machine on which the checks were skipped may not get updates or a later release."}
}

// RestsOn says what an expected verdict rests on: each reading that is really there,
// with its source, and each step that is only a try.
func RestsOn(v *remedy.Verdict, f *fact.Facts) []string {
	var out []string
	for i := range v.Bases {
		b := &v.Bases[i]
		if b.Fact == nil {
			out = append(out, onlyTried(b))
			continue
		}
		out = append(out, basis(b.Fact, b.Reading, f))
	}
	return out
}

// onlyTried says of a step that nothing but doing it shows whether it helps.
func onlyTried(b *remedy.Basis) string {
	return fmt.Sprintf("the step “%s”: only doing it shows whether it helps", AnyTitle(b.Step))
}

// restsOn says in sentences what [RestsOn] lists: what was read, what is unknown, and
// steps whose effect nobody can foresee.
func restsOn(v *remedy.Verdict, f *fact.Facts) string {
	var read, unknown, tried, out []string
	for i := range v.Bases {
		switch b := &v.Bases[i]; {
		case b.Fact == nil:
			tried = append(tried, "“"+AnyTitle(b.Step)+"”")
		case !b.Reading.Value.Known():
			unknown = append(unknown, question(b.Fact))
		default:
			read = append(read, basis(b.Fact, b.Reading, f))
		}
	}
	if read != nil {
		out = append(out, Sentence("this rests on what was read: "+strings.Join(read, "; ")))
	}
	if unknown != nil {
		out = append(out, Sentence("the result can change when this is known: "+And(unknown)))
	}
	switch len(tried) {
	case 0:
	case 1:
		out = append(out, Sentence("only doing the step "+tried[0]+" shows whether it helps"))
	default:
		out = append(out, Sentence("only doing the steps "+And(tried)+" shows whether they help"))
	}
	return strings.Join(out, " ")
}

// question names a fact that is unknown: a label that is a clause of its own with “whether”.
func question(def *fact.Def) string {
	if strings.Contains(def.Label, " is ") || strings.Contains(def.Label, " supports ") {
		return "whether " + def.Label
	}
	return def.Label
}

// basis says a reading with its source, or that there is none.
func basis(def *fact.Def, r *fact.Reading, f *fact.Facts) string {
	if !r.Value.Known() {
		return def.Label + ": unknown"
	}
	s := def.Label + ": " + Value(def, r.Value)
	switch {
	case r.Source != "":
		s += " (" + r.Source + ")"
	case !f.FirstHand(def.ID):
		s += " (reported by the firmware, which is often wrong about it)"
	}
	return s
}

// Certainty is the word for how sure a verdict is.
func Certainty(v *remedy.Verdict) string {
	if v.Confirmed {
		return "confirmed"
	}
	return "expected"
}
