package release

import (
	"cmp"
	"slices"
	"strings"
	"unicode"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/need"
)

// Verdicts on titles and drivers.
const (
	Fine    = "fine"
	Update  = "update"
	Buy     = "buy"
	Remove  = "remove"
	Problem = "problem"
)

// Weights of the work that a state of a title asks for.
const (
	Required = "required"
	Advised  = "advised"
	AtWill   = "optional"
)

// weights are the weights, the heaviest last.
var weights = []string{"", AtWill, Advised, Required}

// Heavier is the heavier of two weights; "" is lighter than each.
func Heavier(a, b string) string {
	if slices.Index(weights, b) > slices.Index(weights, a) {
		return b
	}
	return a
}

// CompareWeights orders weights, the lightest first.
func CompareWeights(a, b string) int { return slices.Index(weights, a) - slices.Index(weights, b) }

// Work is the weight of what a state asks for; "" where it asks for nothing.
func (v *RangeDoc) Work() string {
	if v.Is == Fine {
		return ""
	}
	return cmp.Or(v.Weight, Advised)
}

// Known is what is known of a title or a driver, with the condition of each range of versions.
type Known struct {
	*KnownDoc
	When []need.Need // nil: on every machine
}

// Missing is what would have to be known to say what a release says of a title.
type Missing uint8

// Nothing is missing; the version, the publisher, or a fact of the machine is.
const (
	NothingMissing Missing = iota
	MissingVersion
	MissingPublisher
	MissingFact
)

// Judged is what a release says of one title, or of the driver of a device.
type Judged struct {
	Range   *RangeDoc   // what applies; nil where nothing does for certain
	Maybe   []*RangeDoc // what may apply
	Missing Missing     // why it only may
	Named   string      // who publishes what the release means, where the title has another publisher
}

// Title is an installed title, or the driver of a device, as it was read.
type Title struct{ Name, Publisher, Version, Code fact.Value }

// String is the title with its version.
func (t Title) String() string {
	if t.Version.Known() {
		return t.Name.Text() + " " + t.Version.Text()
	}
	return t.Name.Text()
}

// Judge finds what is known of a title, or of a device's driver, on a machine. Of several entries with
// the name, the one with the longest counts. An entry of another publisher only may be meant.
func Judge(known []Known, f *fact.Facts, t Title) Judged {
	entry, other := entryOf(known, t)
	if entry == nil {
		return Judged{}
	}
	out := Judged{}
	may := func(v *RangeDoc, why Missing) {
		out.Maybe = append(out.Maybe, v)
		if out.Missing == NothingMissing {
			out.Missing = why
		}
	}
	for i := range entry.Versions {
		v := &entry.Versions[i]
		applies := need.True
		if entry.When[i] != nil {
			applies = entry.When[i].Test(f.View())
		}
		within := v.includes(t.Version)
		switch {
		case applies == need.False || within == need.False:
		case other:
			may(v, MissingPublisher)
		case within == need.Unknown:
			may(v, MissingVersion)
		case applies == need.Unknown:
			may(v, MissingFact)
		case len(out.Maybe) > 0:
			out.Maybe = append(out.Maybe, v) // where none before it applies
		default:
			return Judged{Range: v}
		}
	}
	if other && len(out.Maybe) > 0 {
		out.Named = entry.Publisher
	}
	return out
}

// Named is the entry that means a title, or may mean it where the publisher is another one; nil where none
// does.
func Named(known []Known, t Title) *Known {
	entry, _ := entryOf(known, t)
	return entry
}

// includes says whether a version is in the range.
func (v *RangeDoc) includes(version fact.Value) need.Truth {
	switch {
	case v.AtLeast == "" && v.Below == "":
		return need.True
	case !version.Known():
		return need.Unknown
	case v.AtLeast != "" && fact.CompareVersions(version.Text(), v.AtLeast) < 0,
		v.Below != "" && fact.CompareVersions(version.Text(), v.Below) >= 0:
		return need.False
	}
	return need.True
}

// entryOf is the entry with the title's product code; otherwise the one with the longest name that the
// title is called, of another publisher only where no entry of its own has the name.
func entryOf(known []Known, t Title) (entry *Known, other bool) {
	if code := t.Code.Text(); code != "" {
		for i := range known {
			if slices.ContainsFunc(known[i].Code, func(c string) bool { return strings.EqualFold(c, code) }) {
				return &known[i], false
			}
		}
	}
	length, otherLength := 0, 0
	var foreign *Known
	for i := range known {
		k := &known[i]
		own := k.Publisher == "" || !t.Publisher.Known() || SamePublisher(k.Publisher, t.Publisher.Text())
		for _, n := range k.Name {
			switch {
			case !need.Called(t.Name.Text(), n):
			case own && len(n) > length:
				entry, length = k, len(n)
			case !own && len(n) > otherLength:
				foreign, otherLength = k, len(n)
			}
		}
	}
	if entry == nil {
		return foreign, foreign != nil
	}
	return entry, false
}

// legalForms are the words behind a publisher's name that say what kind of company it is.
var legalForms = []string{
	"&", "ab", "ag", "aps", "as", "bv", "co", "company", "corp", "corporation", "ev", "foundation", "gmbh", "inc",
	"incorporated", "kg", "kk", "limited", "llc", "llp", "ltd", "ltda", "nv", "oy", "oyj", "plc", "pty", "sa",
	"sarl", "sas", "se", "sl", "spa", "srl", "sro",
}

// SamePublisher says whether two spellings are of one publisher: without regard to case, trademark
// signs, punctuation, and the legal form behind the name.
func SamePublisher(a, b string) bool {
	return strings.EqualFold(a, b) || slices.Equal(publisherWords(a), publisherWords(b))
}

func publisherWords(s string) []string {
	s = strings.ToLower(need.Unmarked(s))
	// Letters with points between them are one word: S.A. is SA.
	s = strings.ReplaceAll(s, ".", "")
	words := strings.FieldsFunc(s, func(c rune) bool {
		return !unicode.IsLetter(c) && !unicode.IsDigit(c) && c != '&' && c != '+'
	})
	for len(words) > 1 && slices.Contains(legalForms, words[len(words)-1]) {
		words = words[:len(words)-1]
	}
	if len(words) > 1 && words[0] == "the" {
		words = words[1:]
	}
	return words
}

// Titles are the names and product codes of titles that the document knows or asks for, in their
// order: what a collector should look for.
func (rel *Release) Titles() []string {
	var out []string
	for i := range rel.Known {
		out = append(append(out, rel.Known[i].Name...), rel.Known[i].Code...)
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
