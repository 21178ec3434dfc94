package server

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"sync"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"

	"rolltop.example/rolltop/internal/api"
)

// What is replaced as a whole has an entity tag (RFC 9110, sections 8.8.3 and 13.1.1): whoever read it
// names the tag when replacing it, and is refused if somebody else replaced it meanwhile.

// metaVersion is the metadata of an operation that answers an entity tag: a func(any) (string, error).
const metaVersion = "version"

// versioned says that an operation answers what is replaced by a T, with its entity tag. The tag is that of
// the T alone: counts and sentences beside it change by themselves.
func versioned[T any](_ huma.API, op *huma.Operation) {
	op.Responses = map[string]*huma.Response{"200": {Description: "OK", Headers: map[string]*huma.Param{"ETag": {
		Description: "Entity tag, for If-Match", Schema: &huma.Schema{Type: huma.TypeString}}}}}
	op.Metadata[metaVersion] = func(answer any) (string, error) {
		whole, err := json.Marshal(answer)
		if err != nil {
			return "", err
		}
		var part T
		if err := json.Unmarshal(whole, &part); err != nil {
			return "", err
		}
		kept, err := json.Marshal(part)
		return fmt.Sprintf("%q", fmt.Sprintf("%x", sha256.Sum256(kept))[:20]), err
	}
}

// tagged is a transformer of the library: it sets the entity tag of an answer.
func tagged(ctx huma.Context, status string, answer any) (any, error) {
	version, _ := ctx.Operation().Metadata[metaVersion].(func(any) (string, error))
	if version == nil || status != "200" {
		return answer, nil
	}
	tag, err := version(answer)
	if err == nil {
		ctx.SetHeader("ETag", tag)
	}
	return answer, err
}

// versionsAPI compares what is replaced with what whoever replaces it read.
type versionsAPI struct{ *Server }

// replaces says that an operation replaces what the same address answers to GET.
func (s versionsAPI) replaces(a huma.API, op *huma.Operation) {
	op.Errors = append(op.Errors, http.StatusPreconditionFailed)
	op.Parameters = append(op.Parameters, &huma.Param{
		Name: "If-Match", In: "header", Schema: &huma.Schema{Type: huma.TypeString}, Example: `"5f0c1e6a9d3b7c2e4f10"`,
		Description: "ETag of what you read; if somebody else replaced it since, the answer is 412 and nothing " +
			"is saved. If omitted, it is replaced in any case",
	})
	one := new(sync.Mutex)
	op.Middlewares = append(op.Middlewares, func(ctx huma.Context, next func(huma.Context)) {
		one.Lock() // nobody replaces it between the comparison and the change
		defer one.Unlock()
		if tag := ctx.Header("If-Match"); tag != "" && tag != "*" {
			if now := s.tagOf(ctx); now != tag {
				s.refuseWith(a, ctx, changedMeanwhile())
				return
			}
		}
		next(ctx)
	})
}

func changedMeanwhile() error {
	return &api.Problem{Status: http.StatusPreconditionFailed, Title: "Changed meanwhile",
		Detail: "somebody else changed it after you read it; nothing was saved. Read it again, and repeat your change"}
}

// tagOf is the entity tag of what the address of a request answers now; "" if it has nothing.
func (s versionsAPI) tagOf(ctx huma.Context) string {
	r, _ := humachi.Unwrap(ctx)
	at := chi.NewRouteContext()
	at.RoutePath = strings.TrimPrefix(r.URL.EscapedPath(), "/api/v1")
	read := r.Clone(context.WithValue(r.Context(), chi.RouteCtxKey, at))
	read.Method, read.Body, read.ContentLength = http.MethodGet, http.NoBody, 0
	read.Header.Del("If-Match")
	got := &aside{header: http.Header{}}
	s.operations.ServeHTTP(got, read)
	return got.header.Get("ETag")
}

// aside is an answer that nobody reads but for its headers.
type aside struct {
	header http.Header
	bytes.Buffer
}

// Header are the headers of the answer.
func (a *aside) Header() http.Header { return a.header }

// WriteHeader does nothing.
func (a *aside) WriteHeader(int) {}
