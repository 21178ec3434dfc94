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
