package inventory

import (
	"fmt"
	"reflect"
	"strings"

	"rolltop.example/rolltop/core/doc"
)

// What an inventory may hold. One of a machine with a thousand titles has some 200 kB;
// whoever keeps inventories of others must know what each can cost.
const (
	MaxBytes = 1 << 20 // of text
	MaxRows  = 4000    // of each list
)

// tooLarge refuses a document by its size. The error is [*doc.Mistakes].
func tooLarge(name string, src []byte) error {
	if len(src) <= MaxBytes {
		return nil
	}
	return doc.Refuse(name, fmt.Sprintf("the inventory is larger than %d MiB", MaxBytes>>20),
		"read fewer titles: give rolltop-collect --software the names that matter")
}

// longLists reports lists with too many rows, wherever they are.
func longLists(v reflect.Value, n *doc.Node, r *doc.Report) {
	for i := range v.NumField() {
		f := v.Type().Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if !f.IsExported() || name == "" || name == "-" {
			continue
		}
		switch field := v.Field(i); {
		case field.Kind() == reflect.Slice && field.Len() > MaxRows:
			r.Add(n.Of(name), fmt.Sprintf("the list has %d rows", field.Len()),
				fmt.Sprintf("at most %d; omit what no release requires", MaxRows))
		case field.Kind() == reflect.Struct:
			longLists(field, n.Of(name), r)
		}
	}
}

// cutLists takes lists out that an inventory cannot hold. Part of a list would say that
// the rest is not installed.
func (d *Document) cutLists() {
	cut := func(rows int, name, try string) bool {
		if rows <= MaxRows {
			return false
		}
		d.DropGap(name)
		d.AddGap(name, ReadFailed, fmt.Sprintf("%d rows were read; an inventory can contain %d", rows, MaxRows), try)
		return true
	}
	if cut(len(d.Software), "software", "name the titles that matter: rolltop-collect --software TITLE,…") {
		d.Software = nil
	}
	if cut(len(d.Drivers), "drivers", "enter what a release requires by hand") {
		d.Drivers = nil
	}
}
