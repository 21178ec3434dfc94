package say

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Answer is the sentence a machine's page opens with, after the disposition.
func Answer(v *remedy.Verdict, rel *release.Release) string {
	if n := len(v.Waived); n > 0 {
		return strings.TrimSuffix(answer(v, rel), ".") + "; " + Count(n, "requirement is", "requirements are") + " waived" + naming(v.Waived, rel) + "."
	}
	return answer(v, rel)
}

func answer(v *remedy.Verdict, rel *release.Release) string {
	switch v.Disposition {
	case remedy.Ready:
		switch {
		case v.Route == release.Reinstall:
			return fmt.Sprintf("it can take %s, installed afresh.", rel.Name)
		default:
			return fmt.Sprintf("it can take %s now.", rel.Name)
		}
	case remedy.Replace:
		return Sentence(Count(len(v.NoRemedy), "requirement fails", "requirements fail") + " that nothing on this machine can change" + naming(v.NoRemedy, rel))
	case remedy.Undetermined:
		s := fmt.Sprintf("at best %s, at worst %s", v.Best, v.Worst)
		if len(v.Open) > 0 {
			s += "; " + Count(len(v.Open), "requirement is", "requirements are") + " not known"
		} else {
			s += "; it is not known whether a step can be done"
		}
		return Sentence(s)
	}
	return Sentence(strings.Join(append(takes(v), effort(v)...), ", "))
}

// mostNamed is how many requirements an answer names.
const mostNamed = 3

// naming names requirements by their titles, where they are few.
func naming(ids []string, rel *release.Release) string {
	var titles []string
	for _, id := range ids {
		if q := rel.Requirement(id); q != nil && len(ids) <= mostNamed {
			titles = append(titles, Lower(q.Title))
		}
	}
	if titles == nil {
		return ""
	}
	return ": " + strings.Join(titles, "; ")
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
			where = map[string]string{remedy.Desk: "at the desk", remedy.Host: "at the host"}[p.Phase]
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
	return []string{"without a visit"}
}

func round5(n int) int { return max(5, (n+2)/5*5) }

// Details are the sentences below the answer: what it does not take, what
// comes first, how the release gets there, what it rests on.
func Details(v *remedy.Verdict, rel *release.Release, f *fact.Facts) []string {
	var out []string
	if v.Disposition == remedy.Reconfigure {
		out = append(out, "No part is needed.")
	}
	planned := func(id string) bool {
		for _, p := range v.Plan {
			if p.ID == id {
				return true
			}
		}
		return false
	}
	switch {
	case planned("pause-encryption") && f.Is(fact.EncryptionState, "on"), planned("passphrase"):
		out = append(out, "The system volume is encrypted: its recovery key comes first.")
	case planned("pause-encryption"):
		out = append(out, "Nothing says whether the system volume is encrypted; it is taken as encrypted.")
	}
	// What an incomplete list holds is there all the same.
	beside := f.Get(fact.OtherSystems)
	if others := append(slices.Clone(beside.Value.Set()), beside.Floor().Set()...); len(others) > 0 && v.Disposition != remedy.Replace {
		out = append(out, Sentence("another system is on the disk ("+And(others)+"): ask first whether to keep it"))
	}
	if v.Disposition != remedy.Replace && v.Disposition != remedy.Ready || v.Route != release.InPlace {
		if v.Disposition != remedy.Replace {
			out = append(out, Route(v.Route, v.Through, rel.Name, v.Keeps))
		}
	}
	if len(v.RestsOn) > 0 && !v.Confirmed {
		out = append(out, Sentence("this rests on "+And(v.RestsOn)))
	}
	return out
}

// Certainty is the word for how sure a verdict is.
func Certainty(v *remedy.Verdict) string {
	if v.Confirmed {
		return "confirmed"
	}
	return "expected"
}
