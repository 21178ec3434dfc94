package say

import (
	"fmt"
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
)

// Section is a part of a release in sentences, as one would publish it.
type Section struct {
	Title string
	Lines []string
}

// Release says everything of a release beside its requirements.
func Release(rel *release.Release) []Section { return sections(rel, true) }

// sections leaves the requirements of intermediate releases out where they are
// compared by themselves.
func sections(rel *release.Release, requirements bool) []Section {
	var out []Section
	add := func(title string, lines []string) {
		if len(lines) > 0 {
			out = append(out, Section{title, lines})
		}
	}
	add("Ways to the release", ways(rel.Upgrade, rel.WayConditions(), rel))
	for _, x := range rel.Interims {
		lines := append(ways(x.Upgrade, x.WayConditions(), rel), delivery(x.Editions, x.Packages)...)
		if !requirements {
			add("Intermediate release: "+x.Name, lines)
			continue
		}
		for i := range rel.Requirements {
			if q := &rel.Requirements[i]; q.Interim == x {
				lines = append(lines, q.Title+": "+Requirement(q))
			}
		}
		add("Intermediate release: "+x.Name, lines)
	}
	add("Editions and packages", delivery(rel.Editions, rel.Packages))
	if d := rel.Conversion; d != nil {
		add("Conversion to GPT", []string{Sentence("Disks are converted " + d.Says + ": " + Need(rel.Convertible))})
	}
	add("End of support", supported(rel))
	add("Offer", offers(rel))
	add("Known applications", knownLines(rel.Known))
	add("Known drivers", knownLines(rel.KnownDrivers))
	add("Before the upgrade", preparations(rel))
	add("What ends with the upgrade", endings(rel))
	add("Lists", lists(rel))
	add("Kept pages", keptPages(rel))
	return out
}

// keptPages says which pages are kept as evidence, and how many requirements point to each.
func keptPages(rel *release.Release) []string {
	var out []string
	for _, p := range rel.Pages {
		n := 0
		for i := range rel.Requirements {
			if q := rel.Requirements[i].Quote; q != nil && q.Page == p {
				n++
			}
		}
		out = append(out, fmt.Sprintf("%s, saved on %s, %s. %s to it. SHA-256 %s.", p.Source, Day(p.Saved),
			Count(len(p.Lines), "sentence", "sentences"),
			Capital(Count(n, "requirement points", "requirements point")), p.SHA256))
	}
	return out
}

// Quoted says where the publisher says it: The publisher's page of 6 October 2026: “At least 8 GB.”; "" of a
// requirement that points to no page.
func Quoted(q *release.Requirement) string {
	if q.Quote == nil {
		return ""
	}
	return fmt.Sprintf("The publisher's page of %s: “%s”", Day(q.Quote.Page.Saved), q.Quote.Text)
}

// NoPage says that a release keeps no page of a name, and which ones it keeps.
func NoPage(rel *release.Release, id string) string {
	var ids []string
	for _, p := range rel.Pages {
		ids = append(ids, p.ID)
	}
	switch {
	case len(ids) == 0:
		return rel.Name + " keeps no page; rolltop releases keep-page keeps one"
	case id == "":
		return rel.Name + " keeps several pages; choose one: " + And(ids)
	}
	return fmt.Sprintf("%s keeps no page %q; it keeps %s", rel.Name, id, And(ids))
}

// PageChanged says how a newer page differs from the one that is kept, in a sentence or two.
func PageChanged(c *release.PageChange) string {
	if len(c.Removed) == 0 && len(c.Added) == 0 {
		return "The newer page says the same as the one that is kept."
	}
	gone := 0
	for i := range c.Pointed {
		if c.Pointed[i].Gone {
			gone++
		}
	}
	s := Capital(Count(len(c.Removed), "sentence is", "sentences are")) + " gone, and " +
		Count(len(c.Added), "is", "are") + " new."
	switch {
	case gone > 0:
		return s + " " + Capital(Count(gone, "requirement points", "requirements point")) + " to words that are gone."
	case len(c.Pointed) > 0:
		return s + " The words that requirements point to are still there."
	}
	return s + " No requirement points to the page."
}

var platformWords = map[string]string{"windows": "a PC system", "macos": "a Mac system", "linux": "Linux"}

func ways(docs []release.SourceDoc, whens []need.Need, rel *release.Release) []string {
	var out []string
	for i := range docs {
		out = append(out, source(&docs[i], whens[i], rel))
	}
	return out
}

// versionRange says versions: 11.0 to 11.9, 11.0 or later, 11.0 or later but before 12.0.
func versionRange(least, most, below string) string {
	switch {
	case least != "" && most != "":
		return least + " to " + most
	case least != "" && below != "":
		return least + " or later, but before " + below
	case least != "":
		return least + " or later"
	case most != "":
		return most + " or earlier"
	case below != "":
		return "before " + below
	}
	return ""
}

// Languages says language tags: one without a region includes all of them.
func Languages(tags []string) []string {
	out := make([]string, len(tags))
	for i, tag := range tags {
		if out[i] = tag; !strings.Contains(tag, "-") {
			out[i] += " (any region)"
		}
	}
	return out
}

// source says one way: from a PC system of version 11.0 or later, 64-bit.
func source(s *release.SourceDoc, when need.Need, rel *release.Release) string {
	from := "from " + platformWords[s.Platform]
	versions := versionRange(s.AtLeast, s.AtMost, s.Below)
	switch {
	case s.From != "" && versions != "":
		from = "from " + s.From + " (version " + versions + ")"
	case s.From != "":
		from = "from " + s.From
	case s.AtLeast == "" && s.Below != "":
		from += " of a version before " + s.Below
	case versions != "":
		from += " of version " + versions
	}
	if len(s.Edition) > 0 {
		from += ", edition " + Or(s.Edition)
	}
	if len(s.Architecture) > 0 {
		var words []string
		for _, a := range s.Architecture {
			words = append(words, fact.OSArchitecture.Def().Words[a])
		}
		from += ", " + Or(words)
	}
	if len(s.Language) > 0 {
		from += ", in " + Or(Languages(s.Language))
	}
	if when != nil {
		from += ", if this applies: " + Need(when)
	}
	how := map[string]string{
		release.InPlace:   "in-place upgrade",
		release.Image:     "installed from a full image",
		release.Reinstall: "a clean installation",
	}[s.Way]
	if s.Way == release.ByInterim {
		how = "through " + s.Through
		for _, x := range rel.Interims {
			if x.ID == s.Through {
				how = "through " + x.Name
			}
		}
	}
	if s.Keeps != nil {
		how += "; " + Keeps(s.Keeps)
	}
	if s.BackDays > 0 {
		how += "; for " + Count(s.BackDays, "day", "days") + " the system can go back"
	}
	return Sentence(from + ": " + how)
}

func delivery(editions []release.EditionDoc, packages []release.PackageDoc) []string {
	var out []string
	for i := range editions {
		e := &editions[i]
		out = append(out, Sentence(Or(e.From)+" becomes "+e.To))
	}
	for i := range packages {
		p := &packages[i]
		var whose []string
		architecture := fact.ProcessorArch.Def().Words[p.Architecture]
		for _, s := range []string{p.Edition, architecture, languageOf(p.Language), p.Way} {
			if s != "" {
				whose = append(whose, s)
			}
		}
		line := "for " + strings.Join(whose, ", ") + ": " + p.File
		if len(whose) == 0 {
			line = "for every machine: " + p.File
		}
		if p.Bytes > 0 {
			line += ", " + Amount(fact.Space, float64(p.Bytes))
		}
		if p.Before != "" {
			line += ", after " + p.Before
		}
		out = append(out, Sentence(line)+" SHA-256 "+p.SHA256)
	}
	return out
}

func supported(rel *release.Release) []string {
	var out []string
	for i := range rel.Support {
		s := &rel.Support[i]
		line := s.Release
		if s.Edition != "" {
			line += " " + s.Edition
		}
		if line += ": "; s.Ends.IsZero() {
			line += "the end of support is not decided"
		} else {
			line += Day(s.Ends)
		}
		if s.NotDecided == "extended" {
			line += "; whether support is extended is not decided"
		}
		if !s.Extended.IsZero() {
			line += "; extended until " + Day(s.Extended)
			if s.ExtendedNote != "" {
				line += " (" + s.ExtendedNote + ")"
			}
		}
		out = append(out, Sentence(line))
	}
	return out
}

func offers(rel *release.Release) []string {
	var out []string
	if !rel.MediaFrom.IsZero() {
		out = append(out, "Installation media can be used from "+Day(rel.MediaFrom)+", without waiting for the offer.")
	}
	for i := range rel.Stages {
		s := &rel.Stages[i]
		line := "from " + Day(s.From) + " to " + s.To
		if s.When != nil {
			line += ": if this applies: " + Need(s.When)
		}
		out = append(out, Sentence(line))
	}
	return out
}

func knownLines(known []release.Known) []string {
	var out []string
	for i := range known {
		k := &known[i]
		for j := range k.Versions {
			v := &k.Versions[j]
			line := Or(k.Name)
			if k.Publisher != "" {
				line += " by " + k.Publisher
			}
			line += versions(v) + ": " + Known(v.Is)
			if k.When[j] != nil {
				line += ", if this applies: " + Need(k.When[j])
			}
			if v.Weight != "" {
				line += ", " + weighs[v.Weight]
			}
			line += note(v.Note)
			if terms := Terms(v.Cure, v.Cost, v.Decides); terms != "" {
				line = Sentence(line) + " " + terms
			}
			out = append(out, line)
		}
	}
	return out
}

// VersionRange says the versions that a range means: from 5.0, before 6.0; all versions.
func VersionRange(v *release.RangeDoc) string {
	if s := strings.TrimSpace(versions(v)); s != "" {
		return s
	}
	return "all versions"
}

func versions(v *release.RangeDoc) string {
	switch {
	case v.AtLeast != "" && v.Below != "":
		return fmt.Sprintf(" from %s, before %s", v.AtLeast, v.Below)
	case v.AtLeast != "":
		return " from " + v.AtLeast
	case v.Below != "":
		return " before " + v.Below
	}
	return ""
}

func note(s string) string {
	if s == "" {
		return "."
	}
	return ". " + Sentence(s)
}

func endings(rel *release.Release) []string {
	var out []string
	for i := range rel.Endings {
		e := &rel.Endings[i]
		s := End(e, true)
		if e.When != nil {
			s += " " + Sentence("of machines with: "+Need(e.When))
		}
		out = append(out, s)
	}
	return out
}

func preparations(rel *release.Release) []string {
	var out []string
	for i := range rel.Prepare {
		p := &rel.Prepare[i]
		line := Sentence(p.Title) + " " + Sentence(p.Reason)
		if p.Need != nil {
			line += " Seen from: " + Need(p.Need) + "."
		}
		out = append(out, line)
	}
	return out
}

func lists(rel *release.Release) []string {
	var out []string
	for _, l := range rel.Lists {
		complete := "not complete"
		if l.Complete {
			complete = "complete"
		}
		out = append(out, fmt.Sprintf("%s: %s of %s, %s.", l.ID, Count(len(l.Rows), "row", "rows"), l.Of, complete))
		for i := range rel.Conditions {
			d, n := &rel.Conditions[i], 0
			for j := range l.Rows {
				if l.Rows[j].Only == d.ID {
					n++
				}
			}
			if n > 0 {
				out = append(out, fmt.Sprintf("%s “%s”.", Capital(Count(n, "row says", "rows say")), d.Says))
			}
		}
		for i := range l.Rules {
			out = append(out, "Rule "+l.Rules[i].ID+": "+NamingRule(&l.Rules[i]))
		}
	}
	return out
}

// NamingRule says how a rule reads a name and what it takes.
func NamingRule(r *list.Rule) string {
	s := Capital(strings.Join(r.Says(), ", then "))
	if r.From > 0 || r.UpTo > 0 {
		s += "; includes generation " + r.Generations()
	} else {
		s += "; only the rows are on the list"
	}
	if len(r.Ignored) > 0 {
		s += "; the endings " + And(r.Ignored) + " do not matter"
	}
	if len(r.Unclear) > 0 {
		s += "; of names that end in " + Or(r.Unclear) + " it is unknown: ask the maker"
	}
	if len(r.Except) > 0 {
		s += "; except " + And(r.Except)
	}
	if len(r.Also) > 0 {
		s += "; also " + And(r.Also)
	}
	return s + "."
}

// Kinds of difference.
const (
	Added     = "added"
	Removed   = "removed"
	Tightened = "tightened"
	Eased     = "eased"
	Changed   = "changed"
)

// DifferenceKinds lists them in the order in which they matter.
func DifferenceKinds() []string { return []string{Tightened, Added, Changed, Eased, Removed} }

// Differing is one difference between two revisions, or two releases, in a
// sentence.
type Differing struct {
	Kind    string
	Subject string // a requirement's title, a list, a section
	Says    string
}

// Difference says how a release differs from another: what was added, removed,
// tightened and eased.
func Difference(was, is *release.Release) []Differing {
	var out []Differing
	for _, p := range release.Compare(was, is) {
		out = append(out, pair(&p))
	}
	for _, p := range release.CompareLists(was, is) {
		out = append(out, listPair(&p)...)
	}
	before, after := sections(was, false), sections(is, false)
	for _, s := range after {
		if s.Title == "Lists" {
			rules := func(r *release.Release) (out []string) {
				for _, line := range lists(r) {
					if strings.HasPrefix(line, "Rule ") {
						out = append(out, line)
					}
				}
				return out
			}
			out = append(out, lines("Lists", rules(was), rules(is))...)
			continue
		}
		out = append(out, lines(s.Title, of(before, s.Title), s.Lines)...)
	}
	for _, s := range before {
		if of(after, s.Title) == nil && s.Title != "Lists" {
			out = append(out, lines(s.Title, s.Lines, nil)...)
		}
	}
	slices.SortStableFunc(out, func(a, b Differing) int {
		return slices.Index(DifferenceKinds(), a.Kind) - slices.Index(DifferenceKinds(), b.Kind)
	})
	return out
}

func of(sections []Section, title string) []string {
	for _, s := range sections {
		if s.Title == title {
			return s.Lines
		}
	}
	return nil
}

// lines compares sentences: those that came and those that went.
func lines(subject string, was, is []string) []Differing {
	var out []Differing
	for _, l := range is {
		if !slices.Contains(was, l) {
			out = append(out, Differing{Added, subject, l})
		}
	}
	for _, l := range was {
		if !slices.Contains(is, l) {
			out = append(out, Differing{Removed, subject, l})
		}
	}
	return out
}

func pair(p *release.Pair) Differing {
	switch {
	case p.Was == nil:
		return Differing{Added, p.Is.Title, levelWords(p.Is) + Requirement(p.Is)}
	case p.Is == nil:
		return Differing{Removed, p.Was.Title, levelWords(p.Was) + Requirement(p.Was)}
	}
	kind := map[need.Change]string{
		need.Same:    Changed,
		need.Tighter: Tightened,
		need.Looser:  Eased,
		need.Other:   Changed,
	}[p.Change()]
	var out []string
	become := func(what, was, is string) {
		if was != is {
			out = append(out, fmt.Sprintf("%s: %s → %s", what, orNone(was), orNone(is)))
		}
	}
	if p.Need != need.Same {
		become("needed", Need(p.Was.Need), Need(p.Is.Need))
	}
	become("condition", orNothing(p.Was.When), orNothing(p.Is.When))
	become("advised", orNothing(p.Was.Advised), orNothing(p.Is.Advised))
	become("level", p.Was.Level, p.Is.Level)
	become("otherwise", Consequence(p.Was), Consequence(p.Is))
	become("asked by", p.Was.AskedBy, p.Is.AskedBy)
	return Differing{kind, p.Is.Title, Sentence(strings.Join(out, "; "))}
}

func orNothing(n need.Need) string {
	if n == nil {
		return ""
	}
	return Need(n)
}

func orNone(s string) string {
	if s == "" {
		return "none"
	}
	return s
}

func levelWords(q *release.Requirement) string {
	if q.Level == release.Feature {
		return "For " + q.Feature + ": "
	}
	return ""
}

// maxNames is how many names of a list's rows a sentence holds.
const maxNames = 8

func listPair(p *release.ListPair) []Differing {
	switch {
	case p.Was == nil:
		return []Differing{{Added, "The list " + p.Is.ID,
			Sentence(Count(len(p.Is.Rows), "row", "rows") + " of " + p.Is.Of)}}
	case p.Is == nil:
		return []Differing{{Removed, "The list " + p.Was.ID,
			Sentence(Count(len(p.Was.Rows), "row", "rows") + " of " + p.Was.Of)}}
	}
	var out []Differing
	if len(p.Came) > 0 {
		out = append(out, Differing{
			Eased, "The list " + p.Is.ID, Sentence(Count(len(p.Came), "name", "names") + " more: " + fewNames(p.Came)),
		})
	}
	if len(p.Went) > 0 {
		out = append(out, Differing{
			Tightened, "The list " + p.Is.ID,
			Sentence(Count(len(p.Went), "name", "names") + " less: " + fewNames(p.Went)),
		})
	}
	return out
}

func fewNames(names []string) string {
	if len(names) > maxNames {
		return fmt.Sprintf("%s and %d others", strings.Join(names[:maxNames], ", "), len(names)-maxNames)
	}
	return And(names)
}

func languageOf(tag string) string {
	if tag == "" {
		return ""
	}
	return Languages([]string{tag})[0]
}
