package release

import (
	"cmp"
	"slices"
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

// usuallyKept is what a way keeps where the document does not say.
var usuallyKept = map[string][]string{InPlace: kept, ByInterim: kept, Image: {"files"}, Reinstall: {}}

// way is a compiled source.
type way struct {
	*SourceDoc
	through *Interim
	alone   []*Interim // through by itself
}

// Path is how one gets from a machine's installed system to the release.
// Truth is Unknown where a fact that decides it is missing; then the way is
// the shortest that is not ruled out.
type Path struct {
	Way     string
	Interim []*Interim // the releases between, in their order
	Keeps   []string
	Truth   need.Truth
}

// Through names the releases between.
func (p *Path) Through() string {
	names := make([]string, len(p.Interim))
	for i, x := range p.Interim {
		names[i] = x.Name
	}
	return strings.Join(names, ", then ")
}

// By says whether the path goes through a release between.
func (p *Path) By(x *Interim) bool { return slices.Contains(p.Interim, x) }

// PathFrom finds the shortest way that the machine's system may take; where
// none fits, the release is installed afresh.
func (rel *Release) PathFrom(f *fact.Facts) Path {
	if f.Planned() {
		return Path{Way: Reinstall, Truth: need.True} // there is no system to keep
	}
	if p, ok := shortest(rel.ways, f, 0); ok {
		return p
	}
	return Path{Way: Reinstall, Truth: need.True}
}

// mostInterim bounds the releases between; documents with a circle are refused.
const mostInterim = 8

func shortest(ways []way, f *fact.Facts, depth int) (best Path, ok bool) {
	for i := range ways {
		p, fits := ways[i].path(f, depth)
		if fits && (!ok || rank(&p) < rank(&best)) {
			best, ok = p, true
		}
	}
	return best, ok
}

// rank orders ways: in place, by ever more releases between, by image, afresh.
func rank(p *Path) int {
	return slices.Index(Ways(), p.Way)*(mostInterim+1) + len(p.Interim)
}

func (w *way) path(f *fact.Facts, depth int) (Path, bool) {
	t := w.fits(f)
	if t == need.False || depth > mostInterim {
		return Path{}, false
	}
	p := Path{Way: w.Way, Keeps: w.Keeps, Truth: t}
	if p.Keeps == nil {
		p.Keeps = usuallyKept[w.Way]
	}
	if w.through == nil {
		return p, true
	}
	if p.Interim = w.alone; len(w.through.ways) > 0 { // how one gets to the release between
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
func (s *SourceDoc) fits(f *fact.Facts) need.Truth {
	t := need.Unknown
	if platform := f.Value(fact.OSPlatform); platform.Known() && platform.Text() != s.Platform {
		return need.False
	} else if platform.Known() {
		t = need.True
	}
	if version := f.Value(fact.OSVersion); s.AtLeast != "" || s.AtMost != "" {
		switch {
		case !version.Known():
			t = min(t, need.Unknown)
		case s.AtLeast != "" && fact.CompareVersions(version.Text(), s.AtLeast) < 0,
			s.AtMost != "" && fact.CompareVersions(version.Text(), s.AtMost) > 0:
			return need.False
		}
	}
	return min(t, among(f.Value(fact.OSArchitecture), s.Architecture), among(f.Value(fact.OSEdition), s.Edition), among(f.Value(fact.OSLanguage), s.Language))
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

// Deliver finds the edition and the package for a machine that goes a way.
func (rel *Release) Deliver(f *fact.Facts, way string) Delivery {
	d := Delivery{EditionTruth: need.True, PackageTruth: need.True}
	installed := f.Value(fact.OSEdition)
	if len(rel.Editions) > 0 {
		d.EditionTruth = need.False
		for i := range rel.Editions {
			switch e := &rel.Editions[i]; among(installed, e.From) {
			case need.True:
				d.Edition, d.EditionTruth = e.To, need.True
			case need.Unknown:
				d.EditionTruth = need.Unknown
			}
		}
	}
	if len(rel.Packages) == 0 {
		d.PackageTruth = need.False
		return d
	}
	edition := fact.Value{}
	if d.Edition != "" {
		edition = fact.Of(fact.Text, d.Edition)
	}
	one := func(s string) []string {
		if s == "" {
			return nil
		}
		return []string{s}
	}
	d.PackageTruth = need.False
	for i := range rel.Packages {
		p := &rel.Packages[i]
		t := min(among(edition, one(p.Edition)), among(f.Value(fact.ProcessorArch), one(p.Architecture)),
			among(f.Value(fact.OSLanguage), one(p.Language)), among(fact.Of(fact.Word, way), one(p.Way)))
		switch {
		case t == need.True && d.PackageTruth != need.True:
			d.Package, d.PackageTruth = p, need.True
		case t == need.Unknown && d.PackageTruth == need.False:
			d.PackageTruth = need.Unknown
		}
	}
	return d
}

// Known is what is known of a title or a driver.
type Known struct {
	*KnownDoc
}

// Verdicts on titles and drivers.
const (
	Fine    = "fine"
	Update  = "update"
	Buy     = "buy"
	Remove  = "remove"
	Problem = "problem"
)

// Judge finds what is known of a title, or of a device's driver. Where several
// entries have the name, the longest counts. It returns nil where nothing is
// known of it, or of its version.
func Judge(known []Known, name, publisher, version fact.Value) *RangeDoc {
	best, length := (*Known)(nil), 0
	for i := range known {
		k := &known[i]
		if k.Publisher != "" && publisher.Known() && !strings.EqualFold(k.Publisher, publisher.Text()) {
			continue
		}
		for _, n := range k.Name {
			if len(n) > length && need.Begins(name.Text(), n) {
				best, length = k, len(n)
			}
		}
	}
	if best == nil {
		return nil
	}
	for i := range best.Versions {
		v := &best.Versions[i]
		if v.AtLeast == "" && v.Below == "" {
			return v
		}
		if version.Known() && (v.AtLeast == "" || fact.CompareVersions(version.Text(), v.AtLeast) >= 0) &&
			(v.Below == "" || fact.CompareVersions(version.Text(), v.Below) < 0) {
			return v
		}
	}
	return nil
}

// Titles are the names of titles that the document knows or asks for, in their
// order: what a collector should look for.
func (rel *Release) Titles() []string {
	var out []string
	for i := range rel.Known {
		out = append(out, rel.Known[i].Name...)
	}
	for i := range rel.Requirements {
		for l := range rel.Requirements[i].Need.Leaves() {
			if l.Fact() != fact.TitleName {
				continue
			}
			switch x := l.(type) {
			case *need.BeginsWith:
				out = append(out, x.Texts...)
			case *need.OneOf:
				for _, v := range x.Values {
					out = append(out, v.Text())
				}
			}
		}
	}
	slices.SortFunc(out, func(a, b string) int { return cmp.Compare(strings.ToLower(a), strings.ToLower(b)) })
	return slices.CompactFunc(out, strings.EqualFold)
}
