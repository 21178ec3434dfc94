package doc

import (
	"fmt"
	"math"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode"
)

// Optional is a value that may be absent; its pointer hands out the place to
// fill and is told when it has been.
type Optional interface {
	Slot() any
	Fill()
}

// Self is implemented by pointers to types that read themselves.
type Self interface {
	DecodeDoc(n *Node, r *Report)
}

var (
	optionalType = reflect.TypeFor[Optional]()
	selfType     = reflect.TypeFor[Self]()
	timeType     = reflect.TypeFor[time.Time]()
	nodeType     = reflect.TypeFor[*Node]()
)

// Decode parses src and fills into, a pointer to a struct. On error (always
// [*Mistakes]) into is not to be used.
func Decode(name string, src []byte, into any) error {
	n, err := Parse(name, src)
	if err != nil {
		return err
	}
	r := &Report{Name: name}
	Fill(n, into, r)
	return r.Err()
}

// Open parses a document that carries its format, refuses it where that is
// another, and fills into. The caller adds what it finds wrong to the report
// and returns the report's error; the error here is for a document whose keys
// could not be looked at.
func Open(name string, src []byte, format string, into any) (*Node, *Report, error) {
	n, err := Parse(name, src)
	if err != nil {
		return nil, nil, err
	}
	r := &Report{Name: name}
	if !CheckFormat(n, format, r) {
		return nil, nil, r.Err()
	}
	Fill(n, into, r)
	return n, r, nil
}

// Fill fills into from a node and reports what is wrong.
func Fill(n *Node, into any, r *Report) {
	fill(n, reflect.ValueOf(into).Elem(), nil, r)
}

type field struct {
	name     string
	index    int
	required bool
	rule     *rule
}

type rule struct {
	enum     []string
	min, max float64
}

type shape struct {
	fields []field
	names  []string
	node   int // index of the field that keeps the node, or -1
}

var shapes sync.Map // reflect.Type → *shape

func shapeOf(t reflect.Type) *shape {
	if s, ok := shapes.Load(t); ok {
		return s.(*shape)
	}
	s := &shape{node: -1}
	for i := range t.NumField() {
		f := t.Field(i)
		if f.Type == nodeType {
			s.node = i
			continue
		}
		name, opts, _ := strings.Cut(f.Tag.Get("json"), ",")
		if name == "" || name == "-" {
			continue
		}
		ru := &rule{min: math.Inf(-1), max: math.Inf(1)}
		if e := f.Tag.Get("enum"); e != "" {
			ru.enum = strings.Split(e, ",")
		}
		if v, err := strconv.ParseFloat(f.Tag.Get("minimum"), 64); err == nil {
			ru.min = v
		}
		if v, err := strconv.ParseFloat(f.Tag.Get("maximum"), 64); err == nil {
			ru.max = v
		}
		s.fields = append(s.fields, field{name, i, !strings.Contains(opts, "omit"), ru})
		s.names = append(s.names, name)
	}
	shapes.Store(t, s)
	return s
}

func fill(n *Node, v reflect.Value, ru *rule, r *Report) {
	if n.Kind == Null {
		r.Add(n, "the value is empty", "give a value, or omit the key")
		return
	}
	if v.CanAddr() {
		switch p := v.Addr(); {
		case p.Type().Implements(optionalType):
			o := p.Interface().(Optional)
			fill(n, reflect.ValueOf(o.Slot()).Elem(), ru, r)
			o.Fill()
			return
		case p.Type().Implements(selfType):
			p.Interface().(Self).DecodeDoc(n, r)
			return
		}
	}
	if v.Type() == timeType {
		fillTime(n, v, r)
		return
	}
	switch v.Kind() {
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		fill(n, v.Elem(), ru, r)
	case reflect.Struct:
		fillStruct(n, v, r)
	case reflect.Slice:
		if n.Kind != List {
			r.Add(n, "this is "+n.Kind.String(), "a list is needed here")
			return
		}
		v.Set(reflect.MakeSlice(v.Type(), len(n.Items), len(n.Items)))
		for i, item := range n.Items {
			fill(item, v.Index(i), ru, r)
		}
	case reflect.Map:
		fillMap(n, v, ru, r)
	case reflect.String:
		if s, ok := text(n, ru, r); ok {
			v.SetString(s)
		}
	case reflect.Bool:
		switch {
		case (n.Kind == Bool || n.Kind == Plain) && n.Text == "true":
			v.SetBool(true)
		case (n.Kind == Bool || n.Kind == Plain) && n.Text == "false":
		default:
			r.Add(n, fmt.Sprintf("%s is not true or false", quote(n)), "write true or false, without quotes")
		}
	case reflect.Int, reflect.Int64:
		if x, ok := number(n, ru, true, r); ok {
			v.SetInt(int64(x))
		}
	case reflect.Float64:
		if x, ok := number(n, ru, false, r); ok {
			v.SetFloat(x)
		}
	default:
		panic("doc: no rule for " + v.Type().String())
	}
}

func fillStruct(n *Node, v reflect.Value, r *Report) {
	s := shapeOf(v.Type())
	if n.Kind != Map {
		r.Add(n, "this is "+n.Kind.String(), "a group of keys is needed here: "+strings.Join(s.names, ", "))
		return
	}
	if s.node >= 0 {
		v.Field(s.node).Set(reflect.ValueOf(n))
	}
	lines := make([]int, len(s.fields)) // in which a key stands; 0: in none
	meant := map[string]bool{}          // keys that are written with a mistake, which has been said
	for _, f := range n.Fields {
		i := slices.Index(s.names, f.Name)
		if i < 0 {
			r.addAt(f.Line, f.Col, n.Path(), fmt.Sprintf("unknown key %q", clip(f.Name)),
				Suggest(f.Name, s.names))
			meant[Nearest(f.Name, s.names)] = true
			continue
		}
		if lines[i] > 0 {
			r.addAt(f.Line, f.Col, f.Value.Path(), fmt.Sprintf("the key %q appears twice", f.Name),
				fmt.Sprintf("it appears first in line %d", lines[i]))
			continue
		}
		lines[i] = f.Line
		fill(f.Value, v.Field(s.fields[i].index), s.fields[i].rule, r)
	}
	for i, f := range s.fields {
		if f.required && lines[i] == 0 && !meant[f.name] {
			r.Add(n, fmt.Sprintf("the key %q is missing", f.name), "")
		}
	}
}

func fillMap(n *Node, v reflect.Value, ru *rule, r *Report) {
	if n.Kind != Map {
		r.Add(n, "this is "+n.Kind.String(), "a group of keys is needed here")
		return
	}
	v.Set(reflect.MakeMapWithSize(v.Type(), len(n.Fields)))
	for _, f := range n.Fields {
		key := reflect.ValueOf(f.Name)
		if v.MapIndex(key).IsValid() {
			r.addAt(f.Line, f.Col, f.Value.Path(), fmt.Sprintf("the key %q appears twice", clip(f.Name)), "")
			continue
		}
		item := reflect.New(v.Type().Elem()).Elem()
		fill(f.Value, item, ru, r)
		v.SetMapIndex(key, item)
	}
}

// TimeFits says whether a document can hold a time: one of the years 1970 to 2200, UTC. Others come from clocks that
// were never set and from bytes that are no time.
func TimeFits(t time.Time) bool {
	year := t.UTC().Year()
	return year >= 1970 && year <= 2200
}

func fillTime(n *Node, v reflect.Value, r *Report) {
	for _, form := range []string{time.RFC3339Nano, time.DateOnly} {
		if t, err := time.Parse(form, n.Text); err == nil && (n.Kind == Text || n.Kind == Plain) {
			if !TimeFits(t) {
				break
			}
			v.Set(reflect.ValueOf(t.UTC()))
			return
		}
	}
	r.Add(n, quote(n)+" is not a time", "write it as 2026-11-22T08:14:00Z, or a day as 2026-11-22")
}

func text(n *Node, ru *rule, r *Report) (string, bool) {
	if n.Kind != Text && n.Kind != Plain {
		r.Add(n, "this is "+n.Kind.String(), "text is needed here, in quotes")
		return "", false
	}
	if len(n.Text) > MaxText {
		r.Add(n, "the text is too long", fmt.Sprintf("at most %d bytes", MaxText))
		return "", false
	}
	for _, c := range n.Text {
		if unicode.IsControl(c) && c != '\n' && c != '\t' {
			r.Add(n, "the text contains a control character", "leave it out")
			return "", false
		}
	}
	if ru != nil && ru.enum != nil && !slices.Contains(ru.enum, n.Text) {
		r.Add(n, quote(n)+" is not a valid value", Suggest(n.Text, ru.enum))
		return "", false
	}
	return n.Text, true
}

func number(n *Node, ru *rule, whole bool, r *Report) (float64, bool) {
	x, err := strconv.ParseFloat(n.Text, 64)
	kind := "number"
	if whole {
		kind = "whole number"
	}
	bad := err != nil || math.IsInf(x, 0) || math.IsNaN(x) || n.Kind != Number && n.Kind != Plain
	if bad || whole && x != math.Trunc(x) {
		r.Add(n, fmt.Sprintf("%s is not a %s", quote(n), kind), "write digits without a unit and without quotes")
		return 0, false
	}
	lo, hi := math.Inf(-1), math.Inf(1)
	if ru != nil {
		lo, hi = ru.min, ru.max
	}
	if whole { // beyond this a float64 is no longer exact
		lo, hi = max(lo, -1<<53), min(hi, 1<<53)
	}
	if x < lo || x > hi {
		r.Add(n, n.Text+" is out of range", fmt.Sprintf("from %s to %s", short(lo), short(hi)))
		return 0, false
	}
	return x, true
}

func short(x float64) string { return strconv.FormatFloat(x, 'f', -1, 64) }

func quote(n *Node) string {
	if n.Kind == List || n.Kind == Map {
		return n.Kind.String()
	}
	return strconv.Quote(clip(n.Text))
}

func clip(s string) string {
	if len(s) <= 64 {
		return s
	}
	return strings.ToValidUTF8(s[:61], "") + "…"
}

// Suggest names the word that was probably meant, or those that continue it, or all of
// them when they are few.
func Suggest(word string, words []string) string {
	if w := Nearest(word, words); w != "" {
		return fmt.Sprintf("did you mean %q?", w)
	}
	longer := continuing(word, words)
	switch {
	case len(longer) > maxOffered:
		return "use " + strings.Join(longer[:maxOffered], ", ") + ", …"
	case len(longer) > 0:
		return "use " + strings.Join(longer, ", ")
	case len(words) > 0 && len(words) <= 16:
		return "use " + strings.Join(words, ", ")
	}
	return ""
}

// maxOffered is how many words are offered that continue one.
const maxOffered = 5

// Nearest is the word that was probably meant, or "" where none is near: one that differs by
// few letters, or the only one that continues it.
func Nearest(word string, words []string) string {
	letters := len(strings.TrimLeft(word, "-"))
	best, at := max(1, letters/3), ""
	for _, w := range words {
		if d := distance(strings.ToLower(word), strings.ToLower(w)); d <= best {
			best, at = d-1, w
		}
	}
	if longer := continuing(word, words); at == "" && len(longer) == 1 {
		return longer[0]
	}
	return at
}

// continuing are the words that begin with one, whatever joins their parts: secure-boot-on
// continues secureboot.
func continuing(word string, words []string) []string {
	unmarked := func(w string) string {
		return strings.NewReplacer("-", "", "_", "", ".", "").Replace(strings.ToLower(w))
	}
	begin := unmarked(word)
	if len(begin) < 3 {
		return nil
	}
	return slices.DeleteFunc(slices.Clone(words), func(w string) bool { return !strings.HasPrefix(unmarked(w), begin) })
}

// With joins what is wrong with what would be right, where that is known.
func With(wrong, right string) string {
	if right == "" {
		return wrong
	}
	return wrong + "; " + right
}

// distance counts the single-character edits, and swaps of neighbours, that
// turn a into b.
func distance(a, b string) int {
	if len(a) > 64 || len(b) > 64 {
		return 64
	}
	var before, last, row [65]int
	for j := range len(b) + 1 {
		last[j] = j
	}
	for i := 1; i <= len(a); i++ {
		row[0] = i
		for j := 1; j <= len(b); j++ {
			cost := 1
			if a[i-1] == b[j-1] {
				cost = 0
			}
			row[j] = min(last[j]+1, row[j-1]+1, last[j-1]+cost)
			if i > 1 && j > 1 && a[i-1] == b[j-2] && a[i-2] == b[j-1] {
				row[j] = min(row[j], before[j-2]+1)
			}
		}
		before, last = last, row
	}
	return last[len(b)]
}

// CheckFormat refuses a document of another kind or of a version that is not
// known, before its keys are looked at.
func CheckFormat(n *Node, want string, r *Report) bool {
	if n.Kind != Map {
		r.Add(n, "this is "+n.Kind.String(), "a document begins with the key format: "+want)
		return false
	}
	f := n.Of("format")
	kind, version, _ := strings.Cut(f.Text, "/")
	wantKind, wantVersion, _ := strings.Cut(want, "/")
	switch {
	case f == n:
		r.Add(n, "the key \"format\" is missing", "this should be format: "+want)
	case f.Text == want:
		return true
	case kind == wantKind && version != wantVersion:
		r.Add(f, fmt.Sprintf("unknown version %q of this format", clip(version)), "this program reads "+want)
	default:
		r.Add(f, fmt.Sprintf("%s is another kind of document", quote(f)), "this should be "+want)
	}
	return false
}

// Scalar is the text of a number, a word or a truth as it was written: 2.0
// stays 2.0.
type Scalar string

// DecodeDoc takes any single value.
func (s *Scalar) DecodeDoc(n *Node, r *Report) {
	switch n.Kind {
	case List, Map:
		r.Add(n, "this is "+n.Kind.String(), "a single value is needed here")
	default:
		*s = Scalar(n.Text)
	}
}

// Body is a text that may be as long as a document: another document, or a
// file, within one.
type Body string

// DecodeDoc takes any text.
func (b *Body) DecodeDoc(n *Node, r *Report) {
	if n.Kind != Text && n.Kind != Plain {
		r.Add(n, "this is "+n.Kind.String(), "text is needed here, in quotes")
		return
	}
	*b = Body(n.Text)
}
