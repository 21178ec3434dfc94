package server

import (
	"reflect"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
)

// Registry makes the schemas of Go types, with our optional values as what they hold. Package
// names go into schema names, since several packages have a Document.
func Registry() huma.Registry {
	ours()
	r := huma.NewMapRegistry("#/components/schemas/", schemaName)
	r.RegisterTypeAlias(reflect.TypeFor[inventory.Opt[string]](), reflect.TypeFor[string]())
	r.RegisterTypeAlias(reflect.TypeFor[inventory.Opt[int64]](), reflect.TypeFor[int64]())
	r.RegisterTypeAlias(reflect.TypeFor[inventory.Opt[float64]](), reflect.TypeFor[float64]())
	r.RegisterTypeAlias(reflect.TypeFor[inventory.Opt[bool]](), reflect.TypeFor[bool]())
	r.RegisterTypeAlias(reflect.TypeFor[inventory.Opt[time.Time]](), reflect.TypeFor[time.Time]())
	r.RegisterTypeAlias(reflect.TypeFor[doc.Body](), reflect.TypeFor[string]())
	r.RegisterTypeAlias(reflect.TypeFor[doc.Scalar](), reflect.TypeFor[any]())
	return r
}

// SchemaName is the name of a type in the schemas.
func SchemaName(t reflect.Type) string { return schemaName(t, "") }

func schemaName(t reflect.Type, hint string) string {
	for t.Kind() == reflect.Pointer || t.Kind() == reflect.Slice {
		t = t.Elem()
	}
	name := t.Name()
	if name == "" {
		return huma.DefaultSchemaNamer(t, hint)
	}
	pkg := t.PkgPath()[strings.LastIndex(t.PkgPath(), "/")+1:]
	if pkg == "api" || pkg == "" { // ours, or a type of the language
		return huma.DefaultSchemaNamer(t, hint)
	}
	return SchemaNameOf(pkg, name)
}

// SchemaNameOf is the name of a type of a package in the schemas.
func SchemaNameOf(pkg, name string) string {
	if pkg == "api" || strings.EqualFold(pkg, name) { // question.Question
		return name
	}
	return strings.ToUpper(pkg[:1]) + pkg[1:] + name
}
