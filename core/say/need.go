package say

import (
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
)

// Need says a need as a phrase: “installed memory of at least 6 GiB”. It is
// made from the need itself, so that the two cannot differ: the page of a release,
// findings, reports and the console all show it.
func Need(n need.Need) string { return phrase(n, false, false) }

// phrase says a need, or with not the opposite of it: a “not” is said of each
// comparison, and turns “and” into “or”. bare leaves out the name of the fact, where a
// whole need is about one.
func phrase(n need.Need, not, bare bool) string {
	switch x := n.(type) {
	case *need.AllOf:
		return combined(x.Parts, not, not, bare)
	case *need.AnyOf:
		if asks, then := x.Conditional(); asks != nil && !not {
			return fmt.Sprintf("where its row says “%s”: %s", asks.Only.Says, phrase(then, false, false))
		}
		return combined(x.Parts, !not, not, bare)
	case *need.NotOf:
		return phrase(x.Part, !not, bare)
	case *need.Each:
		return eachPhrase(x, not)
	case need.Leaf:
		if bare {
			return target(x, not)
		}
		return leafPhrase(x, not)
	}
	return ""
}

// combined joins the parts of a combination. One within another stands in brackets.
func combined(parts []need.Need, or, not, bare bool) string {
	out := make([]string, len(parts))
	for i, p := range parts {
		out[i] = phrase(p, not, bare)
		if _, leaf := p.(need.Leaf); leaf && !bare {
			out[i] = strings.Replace(out[i], ": ", " is ", 1)
		}
		if composed(p) && len(parts) > 1 {
			out[i] = "(" + out[i] + ")"
		}
	}
	switch {
	case or && len(out) == 2:
		return "either " + out[0] + " or " + out[1]
	case or && len(out) > 2:
		return "one of these: " + strings.Join(out, "; ")
	case len(out) == 2:
		return out[0] + " and " + out[1]
	}
	return strings.Join(out, "; ")
}

// composed says whether a need is a combination, under any “not”.
func composed(n need.Need) bool {
	switch x := n.(type) {
	case *need.AllOf:
		return len(x.Parts) > 1
	case *need.AnyOf:
		asks, _ := x.Conditional()
		return len(x.Parts) > 1 && asks == nil
	case *need.NotOf:
		return composed(x.Part)
	}
	return false
}

// eachPhrase says a look at a list: at least one display with a diagonal of at
// least 9 in.
func eachPhrase(x *need.Each, not bool) string {
	part, less := phrase(x.Part, false, false), phrase(x.Part, true, false)
	one := x.Group.One()
	switch {
	case x.How == need.Every && not:
		return "at least one " + one + " with " + less
	case x.How == need.Every:
		return "every " + one + " with " + part
	case (x.How == need.None) != not:
		return "no " + one + " with " + part
	}
	return "at least one " + one + " with " + part
}

func leafPhrase(l need.Leaf, not bool) string {
	def := l.Fact().Def()
	text := target(l, not)
	switch x := l.(type) {
	case *need.HasAll:
		if def.ID == fact.AttestedFacts && !not {
			return "its TPM attests " + text
		}
	case *need.AtLeast, *need.AtMost:
		switch {
		case def.Kind == fact.Version:
			return def.Label + " " + text
		case def.Unit == fact.NoUnit && def.ID.Group() == fact.NoGroup:
			return text + " " + def.Label
		}
		return def.Label + " of " + text
	case *need.Empty:
		if not {
			return "at least one of " + def.Label
		}
		return "no " + def.Label
	case *need.Listed:
		return def.Label + strings.TrimPrefix(text, "a name")
	case *need.OneOf:
		if def.Kind == fact.Bool && len(x.Values) == 1 {
			if x.Values[0].Bool() != not {
				return def.Label
			}
			return def.Label + ": no"
		}
	}
	return def.Label + ": " + text
}

// Target says what a comparison needs, without the fact's name: at least 6 GiB.
func Target(l need.Leaf) string { return target(l, false) }

// target says what a comparison needs, or with not what it must not be.
func target(l need.Leaf, not bool) string {
	def := l.Fact().Def()
	switch x := l.(type) {
	case *need.AtLeast:
		return limit(def, x.Limit, !not, not)
	case *need.AtMost:
		return limit(def, x.Limit, not, not)
	case *need.OneOf:
		if def.Kind == fact.Bool && len(x.Values) == 1 {
			return Value(def, fact.Truth(x.Values[0].Bool() != not))
		}
		return among(Or(values(def, x.Values)), not)
	case *need.NoneOf:
		return among(Or(values(def, x.Values)), !not)
	case *need.HasAll:
		if not {
			return "not all of " + And(itemsOf(def, x.Items))
		}
		return And(itemsOf(def, x.Items))
	case *need.HasAny:
		if not {
			return "none of " + Or(x.Items)
		}
		return "at least one of " + Or(x.Items)
	case *need.Empty:
		if not {
			return "at least one"
		}
		return "none"
	case *need.BeginsWith:
		return among(Or(x.Texts), not)
	case *need.Each:
		return eachPhrase(x, not)
	case *need.RowAsks:
		if not {
			return fmt.Sprintf("a name whose row does not say “%s”", x.Only.Says)
		}
		return fmt.Sprintf("a name whose row says “%s”", x.Only.Says)
	case *need.Listed:
		if not {
			return "a name that is not on the list " + x.List.ID
		}
		return "a name on the list " + x.List.ID
	}
	return ""
}

func among(text string, not bool) string {
	if not {
		return "not " + text
	}
	return text
}

// limit says a limit, which is inclusive where it is asked for and exclusive where it
// is ruled out.
func limit(def *fact.Def, v fact.Value, up, open bool) string {
	text := Value(def, v)
	if def.Kind == fact.Number {
		text = limitText(def.Unit, v.Float())
	}
	switch {
	case def.Kind == fact.Version && up && !open:
		return text + " or later"
	case def.Kind == fact.Version && !up && open:
		return "earlier than " + text
	case def.Kind == fact.Version && up:
		return "later than " + text
	case def.Kind == fact.Version:
		return text + " or earlier"
	case up && !open:
		return "at least " + text
	case up:
		return "more than " + text
	case open:
		return "less than " + text
	}
	return "at most " + text
}

func values(def *fact.Def, list []fact.Value) []string {
	out := make([]string, len(list))
	for i, v := range list {
		out[i] = Value(def, v)
	}
	return out
}

// Consequence says what follows if a requirement is not met.
func Consequence(q *release.Requirement) string {
	return map[string]string{
		"will-not-start":    "the system will not start",
		"installer-refuses": "the installer refuses",
		"unsupported":       "it installs but is unsupported",
		"works-less-well":   "it works less well",
	}[q.Consequence]
}

// Follows says in a sentence what follows while a requirement is not met.
func Follows(q *release.Requirement) string {
	return map[string]string{
		"will-not-start":    "Until it is met, the release does not start on this machine.",
		"installer-refuses": "Until it is met, the installer refuses this machine.",
		"unsupported":       "The release installs, but its publisher does not support it on this machine.",
		"works-less-well":   "The release installs, but works less well on this machine.",
	}[q.Consequence]
}

// Requirement says a requirement as a sentence that could be published.
func Requirement(q *release.Requirement) string {
	s := Sentence(Need(q.Need))
	if q.When != nil {
		s = "If this applies: " + Need(q.When) + ". " + s
	}
	if q.Level == release.Should {
		s = "Recommended: " + s
	}
	if q.Advised != nil {
		s += " Better: " + Need(q.Advised) + "."
	}
	return s
}

// Way says how the release gets onto the machine of a verdict, and what is kept.
// Where the way is not known, nothing is promised.
func Way(v *remedy.Verdict, target string) string {
	if v.Disposition == remedy.Done {
		return Sentence("nothing is installed: it already runs " + target + " or a later release")
	}
	if v.Planned {
		return fmt.Sprintf("%s is installed on the new machine.", target)
	}
	if v.RouteKnown {
		return Route(v.Route, v.Through, target, v.Keeps)
	}
	return fmt.Sprintf("How %s is installed here is unknown, because the installed system is not fully known. "+
		"Which programs and files are kept is unknown as well.", target)
}

// Route says how the release gets onto the machine, and what is kept.
func Route(way, through, target string, keeps []string) string {
	switch way {
	case release.ByInterim:
		return fmt.Sprintf("First %s, then %s; %s.", through, target, Keeps(keeps))
	case release.Image:
		return fmt.Sprintf("%s is installed from a full image; %s.", target, Keeps(keeps))
	case release.Reinstall:
		if len(keeps) > 0 {
			return fmt.Sprintf("%s is installed as a clean installation; %s.", target, Keeps(keeps))
		}
		return fmt.Sprintf("%s is installed as a clean installation; programs and files are not kept.", target)
	}
	return fmt.Sprintf("%s is installed as an in-place upgrade; %s.", target, Keeps(keeps))
}

// fill puts values into a step's words.
func fill(text string, values map[string]string) string {
	if !strings.Contains(text, "{") {
		return text
	}
	pairs := make([]string, 0, 2*len(values))
	for k, v := range values {
		pairs = append(pairs, "{"+k+"}", v)
	}
	return strings.NewReplacer(pairs...).Replace(text)
}
