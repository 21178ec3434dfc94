package server

import (
	"context"
	"net/http"
	"reflect"
	"time"

	"github.com/danielgtaylor/huma/v2"
)

// route is one operation of the API: one row, and the only place where its address, its scope and
// its description stand.
type route struct {
	id, method, path string
	scope            string
	summary          string
	handler          handler
	options          []option
}

// handler registers an operation with the function that does it.
type handler func(huma.API, huma.Operation)

// option changes the description of an operation, or what is done before it.
type option func(huma.API, *huma.Operation)

// on makes a handler of a function. Its errors become problems here, so that no function has to
// think of it.
func on[I, O any](s *Server, f func(context.Context, *I) (*O, error)) handler {
	return func(a huma.API, op huma.Operation) {
		huma.Register(a, op, func(ctx context.Context, in *I) (*O, error) {
			out, err := f(ctx, in)
			if err != nil {
				return nil, s.problem(err)
			}
			return out, nil
		})
	}
}

// body makes a handler of a function whose answer is a body and nothing else.
func body[I, O any](s *Server, f func(context.Context, *I) (O, error)) handler {
	return on(s, func(ctx context.Context, in *I) (*struct{ Body O }, error) {
		out, err := f(ctx, in)
		return &struct{ Body O }{out}, err
	})
}

// done makes a handler of a function that answers nothing.
func done[I any](s *Server, f func(context.Context, *I) error) handler {
	return on(s, func(ctx context.Context, in *I) (*struct{}, error) { return nil, f(ctx, in) })
}

const (
	get    = http.MethodGet
	put    = http.MethodPut
	post   = http.MethodPost
	remove = http.MethodDelete
)

// Statuses of problems that operations have beside those that all have.
const (
	forbidden   = http.StatusForbidden
	notFound    = http.StatusNotFound
	conflict    = http.StatusConflict
	mistaken    = http.StatusUnprocessableEntity
	tooMany     = http.StatusTooManyRequests
	unsupported = http.StatusUnsupportedMediaType
	tooLarge    = http.StatusRequestEntityTooLarge
	busy        = http.StatusServiceUnavailable
	diskFull    = http.StatusInsufficientStorage
)

// fails says which problems an operation answers.
func fails(statuses ...int) option {
	return func(_ huma.API, op *huma.Operation) { op.Errors = append(op.Errors, statuses...) }
}

// says describes an operation beyond its summary.
func says(text string) option {
	return func(_ huma.API, op *huma.Operation) { op.Description = text }
}

// empty says that an operation answers nothing.
func empty(_ huma.API, op *huma.Operation) { op.DefaultStatus = http.StatusNoContent }

// everywhere marks an operation that reaches beyond sites: who is limited to some may not call it.
func everywhere(_ huma.API, op *huma.Operation) { op.Metadata[metaEverywhere] = true }

// atMost bounds the body of a request, in bytes.
func atMost(bytes int64) option {
	return func(_ huma.API, op *huma.Operation) { op.MaxBodyBytes = bytes }
}

// within bounds how long the body of a request may take.
func within(d time.Duration) option {
	return func(_ huma.API, op *huma.Operation) { op.BodyReadTimeout = d }
}

// answers says what an operation answers that is no object of the API: of which media types.
func answers(what string, types ...string) option {
	return func(_ huma.API, op *huma.Operation) {
		content := map[string]*huma.MediaType{}
		for _, t := range types {
			content[t] = &huma.MediaType{}
		}
		op.Responses = map[string]*huma.Response{"200": {Description: what, Content: content}}
	}
}

// answersTable says that an operation answers a table: as CSV, as one JSON document of a type, or as lines of JSON.
func answersTable[T any](what string) option {
	return func(a huma.API, op *huma.Operation) {
		op.Responses = map[string]*huma.Response{"200": {Description: what, Content: map[string]*huma.MediaType{
			"text/csv":         {Schema: &huma.Schema{Type: huma.TypeString}},
			"application/json": {Schema: a.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[T](), true, "")},
			linesType:          {Schema: &huma.Schema{Type: huma.TypeString}},
		}}}
	}
}

// answersText says that an operation answers a text of a media type, and what that is.
func answersText(what string, types map[string]string) option {
	return func(_ huma.API, op *huma.Operation) {
		content := map[string]*huma.MediaType{}
		for t, is := range types {
			content[t] = &huma.MediaType{Schema: &huma.Schema{Type: huma.TypeString, Description: is}}
		}
		op.Responses = map[string]*huma.Response{"200": {Description: what, Content: content}}
	}
}

// answersDocument says that an operation answers a document of a type, as it is kept.
func answersDocument[T any](what, mediaType string) option {
	return func(a huma.API, op *huma.Operation) {
		schema := a.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[T](), true, "")
		content := map[string]*huma.MediaType{mediaType: {Schema: schema}}
		op.Responses = map[string]*huma.Response{"200": {Description: what, Content: content}}
	}
}

// takesLines says that an operation takes a document a line.
func takesLines(_ huma.API, op *huma.Operation) {
	op.RequestBody = &huma.RequestBody{
		Required: true,
		Content:  map[string]*huma.MediaType{"application/x-ndjson": {}},
	}
}

// takesDocument describes a body of a document type, which our own strict reader reads and the
// library would otherwise call a string of bytes.
func takesDocument[T any](maxBytes int64) option {
	return func(a huma.API, op *huma.Operation) {
		schema := a.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[T](), true, "")
		op.RequestBody = &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{
			"application/json": {Schema: schema},
			"application/yaml": {Schema: schema},
		}}
		op.MaxBodyBytes = maxBytes + 1
		op.BodyReadTimeout = 30 * time.Second
		op.SkipValidateBody = true
		op.Errors = append(op.Errors, tooLarge, unsupported, mistaken)
	}
}
