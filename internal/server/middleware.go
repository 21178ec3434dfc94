package server

import (
	"context"
	"crypto/rand"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"
	"github.com/go-chi/chi/v5"
	"github.com/go-chi/chi/v5/middleware"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
)

// guarded sets the headers that every answer carries and refuses requests that another site makes
// a browser send.
func (s *Server) guarded(next http.Handler) http.Handler {
	const policy = "default-src 'self'; img-src 'self' data:; style-src 'self'; " +
		"frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
	cross := http.NewCrossOriginProtection()
	cross.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		writeProblem(w, &api.Problem{Status: http.StatusForbidden, Title: "Cross-site request refused",
			Type:   api.ProblemPath + api.ProblemCrossSite,
			Detail: "a page of another website sent this request; open the console itself"})
	}))
	return cross.Handler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", policy)
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		if s.secure { // RFC 6797
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		if strings.HasPrefix(r.URL.Path, "/api/v1/") {
			h.Set("Cache-Control", "no-store")
		}
		next.ServeHTTP(w, r)
	}))
}

// numberHeader tells a caller the number that the log has of its request.
const numberHeader = "X-Request-Id"

type numberKey struct{}

// numbered gives each request a number of its own, so that what a caller saw and what the log says
// can be brought together. What a caller sends is not taken.
func numbered(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		number := strings.ToLower(rand.Text()[:16])
		w.Header().Set(numberHeader, number)
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), numberKey{}, number)))
	})
}

// logged notes each request, without its query and headers. A link to a visit is a secret, and is
// not noted.
func (s *Server) logged(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		start := time.Now()
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		next.ServeHTTP(ww, r)
		took, status := time.Since(start), max(ww.Status(), http.StatusOK)
		s.metrics.request(r, status, took)
		level, path := slog.LevelDebug, r.URL.Path
		switch {
		case status == http.StatusServiceUnavailable || status == http.StatusInsufficientStorage:
			level = slog.LevelWarn // it refuses, and is well
		case status >= 500:
			level = slog.LevelError
		}
		if strings.HasPrefix(path, visitPath) {
			path = visitPath + "…"
		}
		s.log.Log(r.Context(), level, "request", "id", r.Context().Value(numberKey{}),
			"method", r.Method, "path", path, "status", status, "ms", took.Milliseconds())
	})
}

// taking is before an operation that takes inventories: before anything of its body is read, there
// is room for it in memory and on the disk.
func (s *Server) taking(weight int64, wholeBody bool) option {
	return func(a huma.API, op *huma.Operation) {
		op.Errors = append(op.Errors, busy, diskFull)
		op.Middlewares = append(op.Middlewares, func(ctx huma.Context, next func(huma.Context)) {
			if err := s.Intake.RoomOnDisk(); err != nil {
				s.refuseWith(a, ctx, err)
				return
			}
			c, done := s.Flow.Of(callerOf(ctx.Context()).id())
			defer done()
			end, err := c.Begin(ctx.Context(), weight)
			if err != nil {
				s.refuseWith(a, ctx, err)
				return
			}
			defer end()
			if wholeBody {
				size := int64(inventory.MaxBytes)
				if r, _ := humachi.Unwrap(ctx); r.ContentLength >= 0 {
					size = min(r.ContentLength, size)
				}
				leave, err := s.Flow.Enter(ctx.Context(), c, size)
				if err != nil {
					s.refuseWith(a, ctx, err)
					return
				}
				defer leave()
			}
			next(ctx)
		})
	}
}

// answering adds to each answer of the API the headers that its status asks for (RFC 9110, sections
// 10.2.3, 11.6.1 and 10.2.1), so that no operation has to think of it.
func answering(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		next.ServeHTTP(&answer{ResponseWriter: w}, r)
	})
}

// answer is an answer that knows its status before its headers are sent.
type answer struct{ http.ResponseWriter }

// Unwrap is for http.ResponseController.
func (a *answer) Unwrap() http.ResponseWriter { return a.ResponseWriter }

// Flush is for those who look for an http.Flusher.
func (a *answer) Flush() { _ = http.NewResponseController(a.ResponseWriter).Flush() }

// WriteHeader sends the status with the headers that belong to it.
func (a *answer) WriteHeader(status int) {
	h := a.Header()
	ask := func(name, value string) {
		if h.Get(name) == "" {
			h.Set(name, value)
		}
	}
	switch status {
	case http.StatusUnauthorized:
		ask("WWW-Authenticate", `Bearer realm="Rolltop"`)
	case http.StatusTooManyRequests, http.StatusServiceUnavailable:
		ask("Retry-After", "2")
	}
	a.ResponseWriter.WriteHeader(status)
}

// allowed are the methods that a router has for an address.
func allowed(r chi.Routes, path string) []string {
	var out []string
	for _, method := range []string{get, put, post, remove} {
		if r.Match(chi.NewRouteContext(), method, path) {
			out = append(out, method)
		}
	}
	return out
}
