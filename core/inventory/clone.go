package inventory

import "reflect"

// Clone returns a copy of the document that shares nothing with it.
func (d *Document) Clone() *Document {
	out := *d
	part(reflect.ValueOf(&out).Elem())
	return &out
}

// part gives a copied value slices and maps of its own.
func part(v reflect.Value) {
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() { // what is not holds a single value
				part(v.Field(i))
			}
		}
	case reflect.Slice:
		if v.IsNil() {
			return
		}
		own := reflect.MakeSlice(v.Type(), v.Len(), v.Len())
		reflect.Copy(own, v)
		for i := range own.Len() {
			part(own.Index(i))
		}
		v.Set(own)
	case reflect.Map:
		if v.IsNil() {
			return
		}
		own := reflect.MakeMapWithSize(v.Type(), v.Len())
		for key, value := range v.Seq2() {
			own.SetMapIndex(key, value)
		}
		v.Set(own)
	}
}
