package inventory_test

import (
	"encoding/json"
	"reflect"
	"testing"

	"rolltop.example/rolltop/core/inventory"
)

// fillIn gives every field of a value something, and every list and map a row.
func fillIn(v reflect.Value) {
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				fillIn(v.Field(i))
			}
		}
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		fillIn(v.Index(0))
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		v.SetMapIndex(reflect.ValueOf("a").Convert(v.Type().Key()), reflect.Zero(v.Type().Elem()))
	case reflect.String:
		v.SetString("a")
	}
}

// spoil changes every list and map in place.
func spoil(v reflect.Value) {
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				spoil(v.Field(i))
			}
		}
	case reflect.Slice:
		for i := range v.Len() {
			spoil(v.Index(i))
			if v.Index(i).Kind() == reflect.String {
				v.Index(i).SetString("spoiled")
			} else {
				v.Index(i).SetZero()
			}
		}
	case reflect.Map:
		v.SetMapIndex(reflect.ValueOf("spoiled").Convert(v.Type().Key()), reflect.Zero(v.Type().Elem()))
	}
}

// A copy has everything, and shares nothing: whatever is changed in it stays out of the
// document, in lists that are added later, too.
func TestClone(t *testing.T) {
	d := new(inventory.Document)
	fillIn(reflect.ValueOf(d).Elem())
	before, err := json.Marshal(d)
	if err != nil {
		t.Fatal(err)
	}
	c := d.Clone()
	if !reflect.DeepEqual(c, d) {
		t.Error("the copy is another document")
	}
	spoil(reflect.ValueOf(c).Elem())
	after, err := json.Marshal(d)
	if err != nil || string(before) != string(after) {
		t.Errorf("a change of the copy changed the document: %v\n%s\n%s", err, before, after)
	}
}
