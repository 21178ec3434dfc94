package fact

import (
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
)

// one is a document with one row in each list.
func one() *inventory.Document {
	d := &inventory.Document{Graphics: make([]inventory.Adapter, 1), Displays: make([]inventory.Display, 1)}
	d.Storage.Disks, d.Memory.Modules = make([]inventory.Disk, 1), make([]inventory.Module, 1)
	d.Software, d.Drivers = make([]inventory.Software, 1), make([]inventory.Driver, 1)
	return d
}

// What is put into the slot of a fact is what the fact is read as: both ways lead to one place, and
// that is the one whose keys in the document are the fact's name.
func TestOneWayToEachFact(t *testing.T) {
	places := 0
	defs := slices.Concat(All(), OfRows())
	for i := range defs {
		def := &defs[i]
		t.Run(def.Name, func(t *testing.T) {
			d := one()
			slot := def.Slot(d, 0)
			if slot == nil {
				if def.of == nil && def.at.read == nil {
					t.Fatal("it is neither worked out nor has a place")
				}
				if !def.Derived && standsAt(reflect.ValueOf(d), def.Name, 0, nil) {
					t.Error("a document has a place for it, and the catalogue none")
				}
				return
			}
			places++
			want := fill(t, def, slot)
			if got := def.value(d, 0); !got.Equal(want) {
				t.Errorf("%v was put in, %v is read", want, got)
			}
			at := reflect.ValueOf(slot)
			if !standsAt(reflect.ValueOf(d), def.Name, at.Pointer(), at.Type()) {
				t.Error("the keys of its place in the document are others than its name")
			}
		})
	}
	if places < 100 {
		t.Errorf("only %d facts have a place", places)
	}
}

// fill puts a value into a slot.
func fill(t *testing.T, def *Def, slot any) Value {
	t.Helper()
	switch to := slot.(type) {
	case *inventory.Opt[string]:
		text := "27.4"
		if def.ID == DeviceUUID {
			text = "0b9c5c4e-4f2a-4c39-9c0e-6f1f3c2d7a11"
		}
		*to = inventory.Some(text)
		return Of(def.Kind, text)
	case *inventory.Opt[int64]:
		*to = inventory.Some[int64](3)
		return Num(3)
	case *inventory.Opt[float64]:
		*to = inventory.Some(3.5)
		return Num(3.5)
	case *inventory.Opt[bool]:
		*to = inventory.Some(true)
		return Truth(true)
	case *inventory.Opt[time.Time]:
		*to = inventory.Some(time.Date(2026, 11, 23, 22, 0, 0, 0, time.UTC))
		return Of(Text, "2026-11-23")
	case *string:
		*to = "a name"
		return Of(Text, "a name")
	case *[]string:
		*to = []string{"one"}
		return Items([]string{"one"})
	}
	t.Fatalf("a slot of the type %T", slot)
	return Value{}
}

// standsAt follows the keys of a name to a place, and compares it with another; without one, any place
// will do.
func standsAt(v reflect.Value, name string, at uintptr, is reflect.Type) bool {
	v = reflect.Indirect(v)
	if v.CanAddr() && name == "" {
		if is == nil {
			return v.Kind() != reflect.Slice || v.Type().Elem().Kind() != reflect.Struct // a list is not a fact
		}
		return v.Addr().Pointer() == at && v.Addr().Type() == is
	}
	if v.Kind() == reflect.Slice && v.Len() > 0 {
		v = v.Index(0)
	}
	if v.Kind() != reflect.Struct {
		return false
	}
	for i := range v.NumField() {
		tag, _, _ := strings.Cut(v.Type().Field(i).Tag.Get("json"), ",")
		key, rest, _ := strings.Cut(name, ".")
		if tag == key && tag != "" {
			if standsAt(v.Field(i), rest, at, is) {
				return true
			}
		}
	}
	return false
}

// A fact of another type is a mistake of the program, and told at once.
func TestInOfAnotherType(t *testing.T) {
	defer func() {
		if recover() == nil {
			t.Error("a number is taken for a text")
		}
	}()
	In[string](one(), ProcessorCores)
}
