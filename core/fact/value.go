package fact

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/inventory"
)

// Kind says how values of a fact compare.
type Kind int8

// The kinds of value.
const (
	Number  Kind = iota + 1 // compares as a number, in the fact's unit
	Text                    // compares as text, without regard to case
	Word                    // one of a few words
	Bool                    // true or false
	Version                 // compares part by part: 1.2 < 1.10 < 2
	Set                     // a set of texts
)

func (k Kind) String() string {
	return [...]string{"nothing", "number", "text", "word", "true or false", "version", "set of texts"}[k]
}

// Value is one value of one kind. The zero Value is not a value.
type Value struct {
	kind Kind
	num  float64 // exact for whole numbers up to 2^53
	text string
	set  *[]string // a pointer, since few facts are sets and every fact has room for one
}

// Num is a number.
func Num(x float64) Value { return Value{kind: Number, num: x} }

// Of is a value of a text-like kind: Text, Word or Version.
func Of(k Kind, s string) Value { return Value{kind: k, text: s} }

// Truth is a Bool.
func Truth(b bool) Value {
	if b {
		return Value{kind: Bool, num: 1}
	}
	return Value{kind: Bool}
}

// Items is a Set.
func Items(list []string) Value {
	if len(list) == 0 {
		return Value{kind: Set, set: &noItems}
	}
	return Value{kind: Set, set: &list}
}

var noItems = []string{}

// Parse reads the text of a value, as it stands in a disagreeing reading or a
// step's effect. It reports whether the text is a value of the kind.
func Parse(k Kind, s string) (Value, bool) {
	switch k {
	case Number:
		x, err := strconv.ParseFloat(s, 64)
		return Num(x), err == nil
	case Bool:
		return Truth(s == "true"), s == "true" || s == "false"
	case Set:
		return Items(strings.Fields(strings.ReplaceAll(s, ",", " "))), true
	}
	return Of(k, s), s != ""
}

// Nothing is the reading of a source that says that there is nothing: an empty text
// or set. Numbers and truths have no such value, and are not known.
func Nothing(k Kind) Value {
	switch k {
	case Number, Bool:
		return Value{}
	case Set:
		return Items(nil)
	}
	return Value{kind: k}
}

// Known says whether there is a value.
func (v Value) Known() bool { return v.kind != 0 }

// Kind of the value, or 0.
func (v Value) Kind() Kind { return v.kind }

// Float is the number.
func (v Value) Float() float64 { return v.num }

// Text is the text, word or version.
func (v Value) Text() string { return v.text }

// Bool is the truth of a Bool.
func (v Value) Bool() bool { return v.num != 0 }

// Set is the items of a Set.
func (v Value) Set() []string {
	if v.set == nil {
		return nil
	}
	return *v.set
}

// Equal compares two values of one kind; texts without regard to case.
func (v Value) Equal(w Value) bool {
	if v.kind != w.kind {
		return false
	}
	switch v.kind {
	case Number, Bool:
		return v.num == w.num
	case Version:
		return CompareVersions(v.text, w.text) == 0
	case Set:
		return sameItems(v.Set(), w.Set())
	case Word:
		return v.text == w.text
	}
	return v.text == w.text || strings.EqualFold(v.text, w.text)
}

// sameItems compares two sets: neither order nor case counts, nor how often an item
// stands.
func sameItems(a, b []string) bool {
	return !slices.ContainsFunc(a, func(s string) bool { return !containsFold(b, s) }) &&
		!slices.ContainsFunc(b, func(s string) bool { return !containsFold(a, s) })
}

func containsFold(list []string, item string) bool {
	return slices.ContainsFunc(list, func(s string) bool { return strings.EqualFold(s, item) })
}

// Has says whether a Set holds an item, without regard to case.
func (v Value) Has(item string) bool {
	return containsFold(v.Set(), item)
}

// Compare orders two Numbers or two Versions.
func (v Value) Compare(w Value) int {
	if v.kind == Version {
		return CompareVersions(v.text, w.text)
	}
	return cmp.Compare(v.num, w.num)
}

// CompareVersions compares dotted versions part by part as numbers, so that
// 1.10 is later than 1.9 and 2.0 equals 2. A part that is not a number compares
// as text, after numbers.
func CompareVersions(a, b string) int {
	if a == b {
		return 0
	}
	for a != "" || b != "" {
		i, j := partEnd(a), partEnd(b)
		if c := comparePart(a[:i], b[:j]); c != 0 {
			return c
		}
		a, b = a[min(i+1, len(a)):], b[min(j+1, len(b)):]
	}
	return 0
}

func partEnd(s string) int {
	if i := strings.IndexByte(s, '.'); i >= 0 {
		return i
	}
	return len(s)
}

func comparePart(a, b string) int {
	x, numA := wholeNumber(a)
	y, numB := wholeNumber(b)
	switch {
	case numA && numB:
		return cmp.Or(cmp.Compare(len(x), len(y)), strings.Compare(x, y))
	case numA:
		return -1
	case numB:
		return 1
	}
	return strings.Compare(a, b)
}

// wholeNumber is the digits of a number without leading zeros; nothing is zero.
func wholeNumber(s string) (digits string, ok bool) {
	for i := range len(s) {
		if s[i] < '0' || s[i] > '9' {
			return "", false
		}
	}
	return strings.TrimLeft(s, "0"), true
}

// Reading is what is known of one fact on one machine: a value, or the gap
// that says why there is none.
type Reading struct {
	Value  Value
	Gap    *inventory.Gap // set when Value is not known
	Source string         // which interface said so; empty where the document does not say

	partial *partial // few readings have one
}

// partial is what is known of a fact whose value is not: a bound, or what each source says.
type partial struct {
	floor  Value
	others []Alternative
}

// Floor is a bound: the fact is not less than this, where another fact or what
// was read of a list bounds it.
func (r *Reading) Floor() Value {
	if r.partial == nil {
		return Value{}
	}
	return r.partial.floor
}

// Others is what each source says, where they disagree.
func (r *Reading) Others() []Alternative {
	if r.partial == nil {
		return nil
	}
	return r.partial.others
}

// Alternative is one of several readings that disagree.
type Alternative struct {
	Value  Value
	Source string
}

// Plain is the value in that form, or a question mark and the gap's cause.
func (r *Reading) Plain() string {
	if !r.Value.Known() {
		return "? " + r.Gap.Cause
	}
	return r.Value.Plain()
}

// Plain is the value as documents write it; items of a set have a comma and a
// blank between them. A value that is not known is a question mark.
func (v Value) Plain() string {
	switch v.kind {
	case 0:
		return "?"
	case Number:
		return strconv.FormatFloat(v.num, 'f', -1, 64)
	case Bool:
		return strconv.FormatBool(v.Bool())
	case Set:
		return strings.Join(v.Set(), ", ")
	}
	return v.text
}
