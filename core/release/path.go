package release

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
)

// Ways to get to a release from an installed one.
const (
	InPlace   = "in-place"
	ByInterim = "interim"
	Image     = "image"
	Reinstall = "reinstall"
)

// Ways lists them, the shortest first.
func Ways() []string { return []string{InPlace, ByInterim, Image, Reinstall} }

// What a way can keep.
var kept = []string{"programs", "files", "settings"}

// usuallyKept is what a way keeps where the document does not say. What an image keeps differs from
// publisher to publisher, so nothing is said of it.
var usuallyKept = map[string][]string{InPlace: kept, ByInterim: kept, Image: nil, Reinstall: {}}

// way is a compiled source.
type way struct {
	*SourceDoc
	when    need.Need // nil: on every machine
	through *Interim
	alone   []*Interim // through by itself
}

// Path is how one gets from a machine's installed system to the release.
// Truth is Unknown where a fact that decides it is missing; then the way is
// the shortest that is not ruled out.
type Path struct {
	Way     string
	Interim []*Interim // the intermediate releases, in their order
	Keeps   []string   // nil where nothing says it
	Back    int        // for how many days the release itself can go back; 0 where the document does not say
	Truth   need.Truth
}

// Through names the intermediate releases.
func (p *Path) Through() string {
	names := make([]string, len(p.Interim))
	for i, x := range p.Interim {
		names[i] = x.Name
	}
	return strings.Join(names, ", then ")
}

// By says whether the path goes through an intermediate release.
func (p *Path) By(x *Interim) bool { return slices.Contains(p.Interim, x) }

// PathFrom finds the shortest way that the machine's system may take; where
// none fits, the release is a clean installation.
func (rel *Release) PathFrom(f *fact.Facts) Path {
	if f.Planned() {
		return Path{Way: Reinstall, Truth: need.True} // there is no system to keep
	}
	if p, ok := shortest(rel.ways, f, 0); ok {
		return p
	}
	return Path{Way: Reinstall, Truth: need.True}
}

// PathsFrom are all paths that what is known leaves possible, the one of
// [Release.PathFrom] first. Where every fact that decides is known, it is the only one.
func (rel *Release) PathsFrom(f *fact.Facts) []Path {
	first := rel.PathFrom(f)
	if first.Truth == need.True {
		return []Path{first}
	}
	paths := possible(rel.ways, f, 0)
	for _, p := range paths {
		if p.Truth == need.True {
			return paths
		}
	}
	return append(paths, Path{Way: Reinstall, Truth: need.Unknown})
}

// possible are the ways that fit or may fit, the shortest first, up to the first one
// that surely does: no longer one is taken then.
func possible(ways []way, f *fact.Facts, depth int) []Path {
	var out []Path
	for i := range ways {
		if p, fits := ways[i].path(f, depth); fits {
			out = append(out, p)
		}
	}
	slices.SortStableFunc(out, func(a, b Path) int { return cmp.Compare(rank(&a), rank(&b)) })
	for i := range out {
		if out[i].Truth == need.True {
			return out[:i+1]
		}
	}
	return out
}

// RoutesBy says whether a fact decides which way a machine takes.
func (rel *Release) RoutesBy(id fact.ID) bool {
	return slices.ContainsFunc(rel.ways, func(w way) bool {
		if w.when != nil && slices.Contains(need.Facts(w.when), id) {
			return true
		}
		switch id {
		case fact.OSPlatform:
			return true
		case fact.OSVersion:
			return w.AtLeast != "" || w.AtMost != "" || w.Below != ""
		case fact.OSArchitecture:
			return len(w.Architecture) > 0
		case fact.OSEdition:
			return len(w.Edition) > 0
		case fact.OSLanguage:
			return len(w.Language) > 0
		}
		return false
	})
}

// Installed is how the system of a machine stands to the release.
type Installed uint8

// The machine does not run the release as far as is known, runs it, or runs a later
// one.
const (
	NotInstalled Installed = iota
	ThisOne
	LaterOne
)

// RunsOn says whether a machine runs the release already, or a later one. Where the
// document gives the version that the release reports, that decides; otherwise the
// name does: the same name, or the same words with a higher number behind them.
func (rel *Release) RunsOn(f *fact.Facts) Installed {
	if f.Planned() || !rel.from(f.Value(fact.OSPlatform)) {
		return NotInstalled
	}
	if rel.Version != "" {
		v := f.Value(fact.OSVersion)
		if !v.Known() {
			return rel.named(f.Value(fact.OSName).Text())
		}
		next := nextVersion(rel.Version)
		switch {
		case fact.CompareVersions(v.Text(), rel.Version) < 0:
			return NotInstalled
		case fact.CompareVersions(v.Text(), next) < 0:
			return ThisOne
		}
		return LaterOne
	}
	return rel.named(f.Value(fact.OSName).Text())
}

// from: the release can be told from the system of a platform: one that it upgrades
// from, or any where the document names none.
func (rel *Release) from(platform fact.Value) bool {
	return len(rel.Upgrade) == 0 ||
		slices.ContainsFunc(rel.Upgrade, func(s SourceDoc) bool { return s.Platform == platform.Text() })
}

func (rel *Release) named(name string) Installed {
	if strings.EqualFold(name, rel.Name) {
		return ThisOne
	}
	stem, number := numbered(rel.Name)
	other, higher := numbered(name)
	switch {
	case number == "" || higher == "" || !strings.EqualFold(stem, other):
		return NotInstalled
	case fact.CompareVersions(higher, number) > 0:
		return LaterOne
	}
	return NotInstalled
}

// numbered parts a name from the number behind it: Skerry, 12.
func numbered(name string) (stem, number string) {
	i := strings.LastIndexByte(name, ' ')
	if i < 0 || strings.Trim(name[i+1:], "0123456789.") != "" {
		return name, ""
	}
	return name[:i], name[i+1:]
}

// nextVersion is the version whose first part is one higher: 13 after 12.0.
func nextVersion(version string) string {
	first, _, _ := strings.Cut(version, ".")
	n, err := strconv.Atoi(first)
	if err != nil {
		return version + ".999999999"
	}
	return strconv.Itoa(n + 1)
}

// maxInterim bounds the intermediate releases; documents with a circle are refused.
const maxInterim = 8

func shortest(ways []way, f *fact.Facts, depth int) (best Path, ok bool) {
	for i := range ways {
		p, fits := ways[i].path(f, depth)
		if fits && (!ok || rank(&p) < rank(&best)) {
			best, ok = p, true
		}
	}
	return best, ok
}

// rank orders ways: in place, by ever more intermediate releases, by image, afresh.
func rank(p *Path) int {
	return slices.Index(Ways(), p.Way)*(maxInterim+1) + len(p.Interim)
}

func (w *way) path(f *fact.Facts, depth int) (Path, bool) {
	t := w.fits(f)
	if t == need.False || depth > maxInterim {
		return Path{}, false
	}
	p := Path{Way: w.Way, Keeps: w.Keeps, Back: w.BackDays, Truth: t}
	if p.Keeps == nil {
		p.Keeps = usuallyKept[w.Way]
	}
	if w.through == nil {
		return p, true
	}
	if p.Interim = w.alone; len(w.through.ways) > 0 { // how one gets to the intermediate release
		first, ok := shortest(w.through.ways, f, depth+1)
		if !ok || first.Way != InPlace && first.Way != ByInterim {
			return Path{}, false
		}
		p.Truth = min(p.Truth, first.Truth)
		p.Interim = append(slices.Clip(first.Interim), w.through)
	}
	return p, true
}

// fits says whether the installed system is the one that the source means.
func (w *way) fits(f *fact.Facts) need.Truth {
	t := need.Unknown
	if platform := f.Value(fact.OSPlatform); platform.Known() && platform.Text() != w.Platform {
		return need.False
	} else if platform.Known() {
		t = need.True
	}
	if w.when != nil {
		t = min(t, w.when.Test(f.View()))
	}
	return min(t, w.versions(f.Value(fact.OSVersion)), among(f.Value(fact.OSArchitecture), w.Architecture),
		among(f.Value(fact.OSEdition), w.Edition), inLanguages(f.Value(fact.OSLanguage), w.Language))
}

// versions says whether a version of the installed system is among those that the source means.
func (s *SourceDoc) versions(v fact.Value) need.Truth {
	switch {
	case s.AtLeast == "" && s.AtMost == "" && s.Below == "":
		return need.True
	case !v.Known():
		return need.Unknown
	case s.AtLeast != "" && fact.CompareVersions(v.Text(), s.AtLeast) < 0,
		s.AtMost != "" && fact.CompareVersions(v.Text(), s.AtMost) > 0,
		s.Below != "" && fact.CompareVersions(v.Text(), s.Below) >= 0:
		return need.False
	}
	return need.True
}

// Lack is a condition of an upgrade that the installed system does not meet.
type Lack struct {
	Fact                   fact.ID
	Allowed                []string  // values that the upgrade takes; nil for a version
	AtLeast, AtMost, Below string    // versions
	Need                   need.Need // the condition; nil for the rest
}

// Lacks says what keeps the installed system from an upgrade: the conditions that it
// fails of the one that is nearest. It is empty where the platform has no upgrade, or
// where nothing is known to keep it.
func (rel *Release) Lacks(f *fact.Facts) []Lack {
	var best []Lack
	found := false
	for i := range rel.ways {
		w := &rel.ways[i]
		if w.Way == Reinstall || !f.Is(fact.OSPlatform, w.Platform) {
			continue
		}
		lacks := w.lacks(f)
		if !found || len(lacks) < len(best) {
			best, found = lacks, true
		}
	}
	return best
}

func (w *way) lacks(f *fact.Facts) []Lack {
	var out []Lack
	if w.versions(f.Value(fact.OSVersion)) == need.False {
		out = append(out, Lack{Fact: fact.OSVersion, AtLeast: w.AtLeast, AtMost: w.AtMost, Below: w.Below})
	}
	if among(f.Value(fact.OSArchitecture), w.Architecture) == need.False {
		out = append(out, Lack{Fact: fact.OSArchitecture, Allowed: w.Architecture})
	}
	if among(f.Value(fact.OSEdition), w.Edition) == need.False {
		out = append(out, Lack{Fact: fact.OSEdition, Allowed: w.Edition})
	}
	if inLanguages(f.Value(fact.OSLanguage), w.Language) == need.False {
		out = append(out, Lack{Fact: fact.OSLanguage, Allowed: w.Language})
	}
	if w.when != nil && w.when.Test(f.View()) == need.False {
		out = append(out, Lack{Need: w.when})
	}
	return out
}

// among: the value is one of some; no list admits all.
func among(v fact.Value, list []string) need.Truth {
	switch {
	case len(list) == 0:
		return need.True
	case !v.Known():
		return need.Unknown
	case slices.ContainsFunc(list, func(s string) bool { return strings.EqualFold(s, v.Text()) }):
		return need.True
	}
	return need.False
}

// Delivery is which edition a machine gets, and from which package.
type Delivery struct {
	Edition      string      // "" where the document names none
	EditionTruth need.Truth  // False: the installed edition becomes none
	Package      *PackageDoc // nil where none fits, or several might
	PackageTruth need.Truth  // Unknown where a fact that decides is missing
}

// EditionOf is the edition that the installed one becomes: False, where the document names
// editions and the installed one becomes none of them; Unknown, where a missing fact decides.
func (rel *Release) EditionOf(f *fact.Facts) (edition string, truth need.Truth) {
	return becomes(rel.Editions, f)
}

func becomes(editions []EditionDoc, f *fact.Facts) (edition string, truth need.Truth) {
	if len(editions) == 0 {
		return "", need.True
	}
	truth = need.False
	for i := range editions {
		switch e := &editions[i]; among(f.Value(fact.OSEdition), e.From) {
		case need.True:
			return e.To, need.True
		case need.Unknown:
			truth = need.Unknown
		}
	}
	return "", truth
}

// Deliver finds the edition and the package for a machine that goes a way.
func (rel *Release) Deliver(f *fact.Facts, way string) Delivery {
	edition := fact.Value{}
	name, truth := rel.EditionOf(f)
	if name != "" {
		edition = fact.Of(fact.Text, name)
	}
	return choose(rel.Packages, Delivery{Edition: name, EditionTruth: truth}, edition, f, way)
}

// Deliver finds the edition and the package of the intermediate release for a machine. Where the document says nothing
// of editions, the installed edition stays.
func (x *Interim) Deliver(f *fact.Facts) Delivery {
	name, truth := becomes(x.Editions, f)
	edition := fact.Value{}
	switch {
	case name != "":
		edition = fact.Of(fact.Text, name)
	case len(x.Editions) == 0:
		edition = f.Value(fact.OSEdition)
	}
	return choose(x.Packages, Delivery{Edition: name, EditionTruth: truth}, edition, f, InPlace)
}

// choose finds the package for an edition; the package of a region comes before that of its language.
func choose(packages []PackageDoc, d Delivery, edition fact.Value, f *fact.Facts, way string) Delivery {
	d.PackageTruth = need.False
	one := func(s string) []string {
		if s == "" {
			return nil
		}
		return []string{s}
	}
	for i := range packages {
		p := &packages[i]
		if p.Edition != "" && d.EditionTruth == need.False {
			continue
		}
		t := min(among(edition, one(p.Edition)), among(f.Value(fact.ProcessorArch), one(p.Architecture)),
			inLanguages(f.Value(fact.OSLanguage), one(p.Language)), among(fact.Of(fact.Word, way), one(p.Way)))
		switch {
		case t == need.True && (d.Package == nil || len(p.Language) > len(d.Package.Language)):
			d.Package, d.PackageTruth = p, need.True
		case t == need.Unknown && d.PackageTruth == need.False:
			d.PackageTruth = need.Unknown
		}
	}
	return d
}
