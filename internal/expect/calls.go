package expect

import (
	"fmt"
	"hash/fnv"
	"maps"
	"reflect"
	"slices"
	"strings"
	"time"
)

// most bounds how often one function is called by [Calls].
const most = 4000

// sampleDay is the day of all times that are drawn.
var sampleDay = time.Date(2026, time.October, 15, 9, 30, 0, 0, time.UTC)

// Calls calls each function with combinations of few values of every parameter, among them nothing, one, two, and many,
// and gives a line for each function: how often it was called, a sum over all that it returned, and the first text that
// it gave. Functions whose parameters hold anything but plain values, lists, maps and structures of these are called
// with nothing there. A call that panics counts as one that takes nothing of this kind. Texts are also each of the
// words: those that the functions know.
func Calls(functions map[string]any, words ...string) string {
	draw := drawer{words}
	var out strings.Builder
	for _, name := range slices.Sorted(maps.Keys(functions)) {
		f := reflect.ValueOf(functions[name])
		sets := make([][]reflect.Value, f.Type().NumIn())
		all := 1
		for i := range sets {
			sets[i] = draw.values(f.Type().In(i), 0)
			all *= len(sets[i])
		}
		sum, calls, first := fnv.New64a(), 0, ""
		step := max(1, all/most)
		if step > 1 {
			step |= 1 // so that no parameter stays the same
		}
		for n := 0; n < all; n += step {
			args, rest := make([]reflect.Value, len(sets)), n
			for i, s := range sets {
				args[i], rest = s[rest%len(s)], rest/len(s)
			}
			text := call(f, args)
			fmt.Fprintln(sum, text)
			if calls++; first == "" && text != "" {
				first = text
			}
		}
		fmt.Fprintf(&out, "%s %d %016x %s\n", name, calls, sum.Sum64(), cut(strings.Join(strings.Fields(first), " ")))
	}
	return out.String()
}

func cut(s string) string { return s[:min(len(s), 90)] }

// call is what a function returns, as text.
func call(f reflect.Value, args []reflect.Value) (text string) {
	defer func() {
		if recover() != nil {
			text = ""
		}
	}()
	var parts []string
	run := f.Call
	if f.Type().IsVariadic() {
		run = f.CallSlice
	}
	for _, r := range run(args) {
		parts = append(parts, fmt.Sprint(r.Interface()))
	}
	return strings.Join(parts, " | ")
}

// drawer draws values; words are texts that mean something to the functions.
type drawer struct{ words []string }

// values are few values of a type, the zero value first.
func (d drawer) values(t reflect.Type, depth int) []reflect.Value {
	out := []reflect.Value{reflect.Zero(t)}
	add := func(v any) { out = append(out, reflect.ValueOf(v).Convert(t)) }
	switch t.Kind() {
	case reflect.Bool:
		add(true)
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64, reflect.Uint8, reflect.Uint16,
		reflect.Uint32, reflect.Uint64, reflect.Uint:
		for _, n := range []int{1, 2, 21} {
			add(n)
		}
	case reflect.Float64, reflect.Float32:
		for _, n := range []float64{1, 2.5} {
			add(n)
		}
	case reflect.String:
		for _, s := range append([]string{"Gull Quay", "2026-12-03"}, d.words...) {
			add(s)
		}
	case reflect.Slice:
		out = append(out, d.lists(t, depth)...)
	case reflect.Map:
		out = append(out, d.mapped(t, depth)...)
	case reflect.Struct:
		out = append(out, d.structures(t, depth)...)
	case reflect.Pointer:
		for _, v := range d.values(t.Elem(), depth) {
			p := reflect.New(t.Elem())
			p.Elem().Set(v)
			out = append(out, p)
		}
	}
	return out
}

// deepest bounds how far structures within structures are filled in.
const deepest = 2

// lists are a list of one, of two, and of as many as there are values.
func (d drawer) lists(t reflect.Type, depth int) []reflect.Value {
	if depth > deepest {
		return nil
	}
	of := d.values(t.Elem(), depth+1)
	var out []reflect.Value
	for _, n := range []int{1, 2, len(of)} {
		list := reflect.MakeSlice(t, 0, n)
		for i := range n {
			list = reflect.Append(list, of[(i+1)%len(of)])
		}
		out = append(out, list)
	}
	return out
}

func (d drawer) mapped(t reflect.Type, depth int) []reflect.Value {
	if depth > deepest {
		return nil
	}
	keys, of := d.values(t.Key(), depth+1), d.values(t.Elem(), depth+1)
	m := reflect.MakeMap(t)
	for i, k := range keys {
		m.SetMapIndex(k, of[(i+1)%len(of)])
	}
	return []reflect.Value{m}
}

// structures are one with everything filled in, and those with one part of it as it may be otherwise.
func (d drawer) structures(t reflect.Type, depth int) []reflect.Value {
	if t == reflect.TypeFor[time.Time]() {
		return []reflect.Value{reflect.ValueOf(sampleDay), reflect.ValueOf(sampleDay.AddDate(0, 0, 40))}
	}
	if depth > deepest {
		return nil
	}
	full := reflect.New(t).Elem()
	var out []reflect.Value
	for i := range t.NumField() {
		if !full.Field(i).CanSet() {
			continue
		}
		if v := d.values(t.Field(i).Type, depth+1); len(v) > 1 {
			full.Field(i).Set(v[1])
		}
	}
	out = append(out, full)
	for i := range t.NumField() {
		if !full.Field(i).CanSet() {
			continue
		}
		for _, v := range d.values(t.Field(i).Type, depth+1) {
			other := reflect.New(t).Elem()
			other.Set(full)
			other.Field(i).Set(v)
			out = append(out, other)
		}
	}
	return out
}
