package say

import (
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// Need says a need as a phrase: “installed memory of at least 6 GiB”. It is
// made from the need itself, so that the two cannot differ.
func Need(n need.Need) string {
	switch x := n.(type) {
	case *need.AllOf:
		return strings.Join(phrases(x.Parts), ", and ")
	case *need.AnyOf:
		return strings.Join(phrases(x.Parts), ", or ")
	case *need.NotOf:
		return "not: " + Need(x.Part)
	case *need.Each:
		return eachPhrase(x)
	case need.Leaf:
		return leafPhrase(x)
	}
	return ""
}

// eachPhrase says a look at a list: at least one display with a diagonal of at
// least 9 in.
func eachPhrase(x *need.Each) string {
	part := Need(x.Part)
	switch x.How {
	case need.Every:
		return "every " + x.Group.One() + " with " + part
	case need.None:
		return "no " + x.Group.One() + " with " + part
	}
	return "at least one " + x.Group.One() + " with " + part
}

func phrases(parts []need.Need) []string {
	out := make([]string, len(parts))
	for i, p := range parts {
		out[i] = Need(p)
		switch p.(type) {
		case *need.AllOf, *need.AnyOf:
			out[i] = "(" + out[i] + ")"
		}
	}
	return out
}

func leafPhrase(l need.Leaf) string {
	def := l.Fact().Def()
	target := Target(l)
	switch x := l.(type) {
	case *need.AtLeast, *need.AtMost:
		switch {
		case def.Kind == fact.Version:
			return def.Label + " " + target
		case def.Unit == fact.NoUnit && def.ID.Group() == fact.NoGroup:
			return target + " " + def.Label
		}
		return def.Label + " of " + target
	case *need.Empty:
		return "no " + def.Label
	case *need.Listed:
		return def.Label + " on the list " + x.List.ID
	case *need.OneOf:
		if def.Kind == fact.Bool {
			if x.Values[0].Bool() {
				return def.Label
			}
			return def.Label + ": no"
		}
	}
	return def.Label + ": " + target
}

// Target says what a comparison needs, without the fact's name: at least 6 GiB.
func Target(l need.Leaf) string {
	def := l.Fact().Def()
	switch x := l.(type) {
	case *need.AtLeast:
		if def.Kind == fact.Version {
			return Value(def, x.Limit) + " or later"
		}
		return "at least " + Value(def, x.Limit)
	case *need.AtMost:
		return "at most " + Value(def, x.Limit)
	case *need.OneOf:
		return Or(values(def, x.Values))
	case *need.NoneOf:
		return "not " + Or(values(def, x.Values))
	case *need.HasAll:
		return And(x.Items)
	case *need.HasAny:
		return "at least one of " + Or(x.Items)
	case *need.Empty:
		return "none"
	case *need.BeginsWith:
		return Or(x.Texts)
	case *need.Each:
		return eachPhrase(x)
	case *need.Listed:
		return "a name on the list"
	}
	return ""
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
		"unsupported":       "it installs and is unsupported",
		"works-less-well":   "it works less well",
	}[q.Consequence]
}

// Requirement says a requirement as a sentence that could be published.
func Requirement(q *release.Requirement) string {
	s := Sentence(Need(q.Need))
	if q.When != nil {
		s = "Where this holds: " + Need(q.When) + ". " + s
	}
	if q.Level == release.Should {
		s = "Advised: " + s
	}
	if q.Advised != nil {
		s += " Better: " + Need(q.Advised) + "."
	}
	return s
}

// Route says how the release gets onto the machine, and what is kept.
func Route(way, through, target string, keeps []string) string {
	switch way {
	case release.ByInterim:
		return fmt.Sprintf("By way of %s, then %s; %s.", through, target, Keeps(keeps))
	case release.Image:
		return fmt.Sprintf("%s is installed from a full image; %s.", target, Keeps(keeps))
	case release.Reinstall:
		return fmt.Sprintf("%s is installed afresh; programs and files do not stay.", target)
	}
	return fmt.Sprintf("%s is installed over the present release; %s.", target, Keeps(keeps))
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
