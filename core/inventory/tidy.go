package inventory

import (
	"reflect"
	"slices"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Tidy takes out of a document what [Read] would refuse because a machine said
// it: characters that are no text, and numbers out of the range that their
// facts have, alone or beside each other, and lists with too many rows, for which it leaves a
// gap. It returns the names of the facts
// that are no longer known for that.
func (d *Document) Tidy() []string {
	d.cutLists()
	dropped := tidy(reflect.ValueOf(d).Elem(), "")
	atMost := func(small, large *Opt[int64], name string) {
		s, ok := small.Get()
		if l, both := large.Get(); ok && both && s > l {
			*small = Opt[int64]{}
			dropped = append(dropped, name)
		}
	}
	sys, mem, cpu := &d.Storage.System, &d.Memory, &d.Processor
	atMost(&sys.FreeBytes, &sys.VolumeBytes, "storage.system.free_bytes")
	atMost(&mem.SlotsUsed, &mem.Slots, "memory.slots_used")
	atMost(&cpu.Cores, &cpu.Threads, "processor.cores")
	for _, name := range dropped {
		delete(d.Sources, name)
	}
	return dropped
}

// tidy gives the names of what it dropped, below the value; "" is the value itself.
func tidy(v reflect.Value, tag reflect.StructTag) (dropped []string) {
	switch v.Kind() {
	case reflect.String:
		v.SetString(Clean(v.String()))
	case reflect.Slice:
		for i := range v.Len() {
			for _, below := range tidy(v.Index(i), tag) {
				dropped = append(dropped, placed("["+strconv.Itoa(i)+"]", below))
			}
		}
	case reflect.Struct:
		if o, ok := v.Addr().Interface().(interface {
			tidy(reflect.StructTag) bool
		}); ok {
			if !o.tidy(tag) {
				dropped = []string{""}
			}
			return dropped
		}
		for i := range v.NumField() {
			if !v.Field(i).CanInterface() || nothing(v.Field(i)) {
				continue // most are: it saves the collector looking at their types
			}
			f := v.Type().Field(i)
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			if name == "" || name == "-" {
				continue
			}
			for _, below := range tidy(v.Field(i), f.Tag) {
				dropped = append(dropped, placed(name, below))
			}
		}
	}
	return dropped
}

// nothing: a list without rows, or a value that is not known.
func nothing(v reflect.Value) bool {
	if v.Kind() == reflect.Slice {
		return v.Len() == 0
	}
	o, ok := v.Addr().Interface().(interface{ IsZero() bool })
	return ok && o.IsZero()
}

// placed is the name of what is below a place: "" is the place itself.
func placed(at, below string) string {
	if below != "" && below[0] != '[' {
		at += "."
	}
	return at + below
}

// tidy cleans a value and says whether it can stand; one that cannot is no
// longer known.
func (o *Opt[T]) tidy(tag reflect.StructTag) bool {
	if !o.known {
		return true
	}
	good := true
	switch v := any(&o.value).(type) {
	case *string:
		*v = Clean(*v)
		words := tag.Get("enum")
		good = *v != "" && (words == "" || slices.Contains(strings.Split(words, ","), *v))
	case *int64:
		good = within(float64(*v), tag)
	case *float64:
		good = within(*v, tag)
	}
	if !good {
		*o = Opt[T]{}
	}
	return good
}

func within(v float64, tag reflect.StructTag) bool {
	low, err := strconv.ParseFloat(tag.Get("minimum"), 64)
	if err == nil && v < low {
		return false
	}
	high, err := strconv.ParseFloat(tag.Get("maximum"), 64)
	return err != nil || v <= high
}

// maxText bounds a text of a machine, in bytes.
const maxText = 1024

// Clean takes out of a text of a machine what is no text: control characters,
// broken encoding, blanks in a row.
func Clean(s string) string {
	s = strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || turns(r) || r == utf8.RuneError {
			return ' '
		}
		return r
	}, s[:min(len(s), maxText)])
	return strings.Join(strings.Fields(s), " ")
}

// turns says that a character turns the direction of a text (UAX 9, section 2), so that a
// name can look like another one.
func turns(r rune) bool { return r >= 0x202A && r <= 0x202E || r >= 0x2066 && r <= 0x2069 }
