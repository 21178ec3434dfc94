package servertest

import (
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"rolltop.example/rolltop/internal/server"
)

// declared fails a test when the service answers a status that its description does not name for the
// operation, or leaves out a header that the status asks for.
func declared(t testing.TB, next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(ww, r)
		if wrong := Undeclared(r.Method, r.URL.Path, max(ww.Status(), http.StatusOK), w.Header()); wrong != "" {
			t.Errorf("%s %s: %s", r.Method, r.URL.Path, wrong)
		}
	})
}

// needed are the headers that statuses ask for (RFC 9110, sections 10.2.1, 10.2.3 and 11.6.1).
var needed = map[int]string{
	http.StatusUnauthorized:       "WWW-Authenticate",
	http.StatusMethodNotAllowed:   "Allow",
	http.StatusTooManyRequests:    "Retry-After",
	http.StatusServiceUnavailable: "Retry-After",
}

// Undeclared says what is wrong with the status and the headers of an answer; "" if they are as described.
func Undeclared(method, path string, status int, h http.Header) string {
	if name := needed[status]; name != "" && h.Get(name) == "" {
		return "the answer " + strconv.Itoa(status) + " has no " + name
	}
	path, ours := strings.CutPrefix(path, "/api/v1")
	if !ours {
		return ""
	}
	statuses := described().of(method, path)
	if statuses == nil || slices.Contains(statuses, strconv.Itoa(status)) {
		return ""
	}
	return "the description does not name the answer " + strconv.Itoa(status) + ", but " + strings.Join(statuses, ", ")
}

// description is what the API says of its operations.
type description struct {
	router   chi.Router
	statuses map[string][]string // by method and pattern
}

var described = sync.OnceValue(func() *description {
	d := &description{router: chi.NewRouter(), statuses: map[string][]string{}}
	for pattern, item := range server.Describe(chi.NewRouter(), nil).OpenAPI().Paths {
		for method, op := range map[string]*huma.Operation{
			"GET": item.Get, "PUT": item.Put, "POST": item.Post, "DELETE": item.Delete,
		} {
			if op == nil {
				continue
			}
			d.router.MethodFunc(method, pattern, func(http.ResponseWriter, *http.Request) {})
			for status := range op.Responses {
				d.statuses[method+" "+pattern] = append(d.statuses[method+" "+pattern], status)
			}
		}
	}
	return d
})

// of are the statuses of an operation; nil if there is none.
func (d *description) of(method, path string) []string {
	found := chi.NewRouteContext()
	if !d.router.Match(found, method, path) {
		return nil
	}
	return d.statuses[method+" "+found.RoutePattern()]
}
