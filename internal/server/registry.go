package server

import (
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"regexp"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
)

func init() {
	huma.ValidateStrictCasing = true
	huma.NewError = newProblem
	huma.DefaultArrayNullable = false // we never answer null for an empty list
}

// Registry makes the schemas of Go types, with our optional values as what
// they hold. Package names go into schema names, since several packages have a
// Document.
func Registry() huma.Registry {
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
	path := t.PkgPath()
	for i := len(path) - 1; i >= 0; i-- {
		if path[i] == '/' {
			path = path[i+1:]
			break
		}
	}
	if path == "api" || path == "" { // ours, or a type of the language
		return huma.DefaultSchemaNamer(t, hint)
	}
	return string(path[0]-'a'+'A') + path[1:] + name
}

// mostEcho is how much of a wrong value an answer repeats, in bytes.
const mostEcho = 64

// secretField are the places of what no answer repeats.
var secretField = regexp.MustCompile(`(?i)password|secret|token|body\.(old|new)$|authorization|cookie`)

// newProblem makes the library's errors ours: no echo of what was sent beyond
// a few bytes.
func newProblem(status int, message string, errs ...error) huma.StatusError {
	p := &api.Problem{Status: status, Title: http.StatusText(status), Detail: message}
	for _, err := range errs {
		var d *huma.ErrorDetail
		if e, ok := err.(*huma.ErrorDetail); ok {
			d = e
		}
		if d == nil {
			p.Errors = append(p.Errors, doc.Mistake{Wrong: plainly(err.Error())})
			continue
		}
		m := doc.Mistake{Path: fieldOf(d.Location), Wrong: plainly(d.Message)}
		switch v := d.Value.(type) { // never a group: it may hold a password
		case string:
			if len(v) <= mostEcho && !secretField.MatchString(d.Location) {
				m.Wrong += fmt.Sprintf("; it is %q", v)
			}
		case float64, bool:
			m.Wrong += fmt.Sprintf("; it is %v", v)
		}
		p.Errors = append(p.Errors, m)
	}
	if len(p.Errors) > 0 && message == "validation failed" { // the detail is what people see
		first := &p.Errors[0]
		if p.Detail = first.Wrong; first.Path != "" {
			p.Detail = first.Path + ": " + first.Wrong
		}
	}
	return p
}

func writeProblem(w http.ResponseWriter, p *api.Problem) {
	w.Header().Set("Content-Type", p.ContentType(""))
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p)
}
