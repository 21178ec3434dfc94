package server

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5/middleware"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/auth"
	"rolltop.example/rolltop/internal/store"
)

// Scopes, from the least to the most. Submitting does not let one read.
const (
	ScopeSubmit = "submit"
	ScopeRead   = "read"
	ScopeWork   = "work" // read, enter facts, tick, make links to visits
	ScopeManage = "manage"
)

// Roles of users.
const (
	RoleViewer        = "viewer"
	RoleTechnician    = "technician"
	RoleAdministrator = "administrator"
)

// Roles are all of them, from the least to the most.
func Roles() []string { return []string{RoleViewer, RoleTechnician, RoleAdministrator} }

const (
	sessionCookie = "rolltop_session"
	secureCookie  = "__Host-rolltop_session" // over TLS: browsers take it from nobody else (RFC 6265bis, section 4.1.3)
	sessionLength = 12 * time.Hour
	tokenPrefix   = "rlt_"
	// open marks an operation that anyone may call, anybody one for everybody who
	// has signed in.
	open    = "open"
	anybody = "anybody"
)

// allows says whether a scope is enough for an operation.
func allows(has, needs string) bool {
	switch needs {
	case open, anybody:
		return true
	case ScopeSubmit:
		return has == ScopeSubmit || has == ScopeManage
	case ScopeRead:
		return has == ScopeRead || has == ScopeWork || has == ScopeManage
	case ScopeWork:
		return has == ScopeWork || has == ScopeManage
	}
	return has == ScopeManage
}

// secured sets what an operation needs. An operation without it is refused to
// everybody.
func secured(op huma.Operation, scope string) huma.Operation {
	op.Metadata = map[string]any{"scope": scope}
	if scope != open {
		op.Security = []map[string][]string{{"token": {}}, {"session": {}}}
		op.Errors = append(op.Errors, http.StatusUnauthorized, http.StatusForbidden)
	}
	return op
}

// whole marks an operation that reaches beyond places: who is limited to some may
// not call it.
func whole(op huma.Operation) huma.Operation {
	op.Metadata["whole"] = true
	return op
}

// caller is who calls an operation.
type caller struct {
	api.Who
	token *store.Token // nil: a person's session
}

// limited says that it sees some places only.
func (c *caller) limited() bool { return len(c.Places) > 0 }

// sees says that it may see machines of a place.
func (c *caller) sees(place string) bool { return !c.limited() || slices.Contains(c.Places, place) }

// authorise lets a request through to its operation or answers 401, 403 or, for a
// machine of a place that the caller does not see, 404.
func (s *Server) authorise(a huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		needs, _ := ctx.Operation().Metadata["scope"].(string)
		if needs == open {
			next(ctx)
			return
		}
		who, err := s.identify(ctx.Context(), ctx.Header("Authorization"), s.cookieOf(ctx))
		switch {
		case errors.Is(err, store.ErrNotFound):
			_ = huma.WriteErr(a, ctx, http.StatusUnauthorized, "sign in first, or give a token that is valid: Authorization: Bearer "+tokenPrefix+"…")
		case err != nil:
			_ = huma.WriteErr(a, ctx, http.StatusInternalServerError, s.problem(err, "").Error())
		case !allows(who.Scope, needs):
			_ = huma.WriteErr(a, ctx, http.StatusForbidden, fmt.Sprintf("this takes the scope %s, and %s has %s", needs, who.Name, who.Scope))
		case who.limited() && ctx.Operation().Metadata["whole"] != nil:
			_ = huma.WriteErr(a, ctx, http.StatusForbidden, fmt.Sprintf("this reaches all machines, and %s is limited to %s", who.Name, strings.Join(who.Places, ", ")))
		case !s.reaches(ctx, &who):
			_ = huma.WriteErr(a, ctx, http.StatusNotFound, noDevice(ctx.Param("key")))
		default:
			s.run(a, ctx, who, needs, next)
		}
	}
}

// run does an operation for a caller. Intake and open pages have bounds of their own.
func (s *Server) run(a huma.API, ctx huma.Context, who caller, needs string, next func(huma.Context)) {
	if needs != ScopeSubmit && ctx.Operation().OperationID != "events" {
		done, ok := s.flow.call(callerName(&who))
		if !ok {
			ctx.SetHeader("Retry-After", "2")
			_ = huma.WriteErr(a, ctx, http.StatusTooManyRequests, fmt.Sprintf("%s has %d calls under way; wait for one of them", who.Name, mostCalls))
			return
		}
		defer done()
	}
	next(huma.WithContext(ctx, s.acting(ctx, who)))
}

// reaches says that a caller may see the machines that a request names.
func (s *Server) reaches(ctx huma.Context, who *caller) bool {
	if !who.limited() {
		return true
	}
	keys := []string{ctx.Query("a"), ctx.Query("b")} // of a comparison
	if strings.HasPrefix(ctx.Operation().Path, "/devices/{key}") {
		keys = append(keys, ctx.Param("key"))
	}
	for _, key := range keys {
		if key != "" && !s.sees(ctx.Context(), who, key) {
			return false
		}
	}
	return true
}

func (s *Server) sees(ctx context.Context, who *caller, key string) bool {
	d, err := s.store.DeviceByKey(ctx, key)
	if err != nil {
		return false
	}
	places, err := s.store.Places(ctx)
	return err == nil && who.sees(placeOfDevice(d, places))
}

type whoKey struct{}

// acting is the context of an operation: who does it and, where it may change
// something that people answer for, the act that the store keeps with the change.
func (s *Server) acting(ctx huma.Context, who caller) context.Context {
	c := context.WithValue(ctx.Context(), whoKey{}, &who)
	op := ctx.Operation()
	if needs := op.Metadata["scope"]; op.Method == http.MethodGet || needs == ScopeSubmit || needs == anybody {
		return c
	}
	var subject []string
	for _, part := range strings.Split(op.Path, "/") {
		if strings.HasPrefix(part, "{") {
			subject = append(subject, ctx.Param(strings.Trim(part, "{}")))
		}
	}
	return store.Acting(c, &store.Act{Millis: s.now().UnixMilli(), Who: who.Name, What: op.OperationID, Subject: strings.Join(subject, "/")})
}

// callerOf is who does the operation of a context. Without anybody it is somebody who sees
// nothing, so that a route which forgets to ask lets nobody in.
func callerOf(ctx context.Context) *caller {
	if who, ok := ctx.Value(whoKey{}).(*caller); ok {
		return who
	}
	return &caller{Who: api.Who{Places: []string{noPlace}}}
}

// noPlace is the name of no place: none has a line end in it.
const noPlace = "\n"

// ownWork is the context of what the program does itself, which sees everything.
func ownWork(ctx context.Context) context.Context {
	return context.WithValue(ctx, whoKey{}, &caller{Who: api.Who{Plain: true}})
}

// by is the name of who does the operation of a context.
func by(ctx context.Context) string { return callerOf(ctx).Name }

func (s *Server) cookieOf(ctx huma.Context) string {
	name := sessionCookie
	if s.secure {
		name = secureCookie
	}
	if c, err := huma.ReadCookie(ctx, name); err == nil {
		return c.Value
	}
	return ""
}

// identify finds who calls. The error may be [store.ErrNotFound].
func (s *Server) identify(ctx context.Context, authorization, cookie string) (caller, error) {
	if authorization != "" {
		secret, ok := strings.CutPrefix(authorization, "Bearer ")
		if !ok {
			return caller{}, store.ErrNotFound
		}
		t, err := s.store.TokenBySecret(ctx, hash(secret), s.now())
		if err != nil {
			return caller{}, err
		}
		s.uses.note(t.ID, s.now())
		return caller{Who: s.seeing(api.Who{Name: t.Name, Scope: t.Scope, Places: lines(t.Places)}), token: t}, nil
	}
	if cookie == "" {
		return caller{}, store.ErrNotFound
	}
	u, err := s.store.SessionUser(ctx, hash(cookie), s.now())
	if errors.Is(err, store.ErrNotFound) {
		u, err = s.unkeptUser(ctx, hash(cookie))
	}
	if err != nil {
		return caller{}, err
	}
	return caller{Who: s.seeing(whoIs(u))}, nil
}

func whoIs(u *store.User) api.Who {
	return api.Who{Name: u.Name, Scope: scopeOf(u.Role), Places: lines(u.Places)}
}

// seeing adds whether somebody sees what names one machine, and what is installed
// on it.
func (s *Server) seeing(who api.Who) api.Who {
	who.Plain = who.Scope == ScopeWork || who.Scope == ScopeManage || who.Scope == ScopeRead && s.settings().ViewersSeeAll
	return who
}

// lines are the parts of a stored list.
func lines(text string) []string {
	if text == "" {
		return nil
	}
	return strings.Split(text, "\n")
}

func scopeOf(role string) string {
	switch role {
	case RoleAdministrator:
		return ScopeManage
	case RoleTechnician:
		return ScopeWork
	}
	return ScopeRead
}

// hash is how secrets of tokens and sessions are kept: they are random and
// long, so a plain hash is enough.
func hash(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// NewSecret makes a secret of 160 random bits with a prefix.
func NewSecret(prefix string) string { return prefix + strings.ToLower(rand.Text()) }

// AddToken makes a token that does not expire, and returns its secret.
func (s *Server) AddToken(ctx context.Context, name, scope string) (id int64, secret string, err error) {
	return s.addToken(ctx, &store.Token{Name: name, Scope: scope, UsesLeft: -1})
}

func (s *Server) addToken(ctx context.Context, t *store.Token) (id int64, secret string, err error) {
	secret = NewSecret(tokenPrefix)
	t.CreatedAt = s.now().UnixMilli()
	id, err = s.store.AddToken(ctx, t, hash(secret))
	return id, secret, err
}

// PutUser adds a user, or gives one another password.
func (s *Server) PutUser(ctx context.Context, name, role, password string) error {
	return s.store.PutUser(ctx, &store.User{Name: name, Role: role, Password: auth.Hash(password)})
}

// guarded sets the headers that every answer carries and refuses requests that
// another site makes a browser send.
func guarded(secure bool, next http.Handler) http.Handler {
	cross := http.NewCrossOriginProtection()
	cross.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		writeProblem(w, &api.Problem{Status: http.StatusForbidden, Title: "Another site sent this", Detail: "a browser sent this for another site; open the console itself"})
	}))
	return cross.Handler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data:; style-src 'self'; frame-ancestors 'none'; base-uri 'none'; form-action 'self'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "no-referrer")
		if secure { // RFC 6797
			h.Set("Strict-Transport-Security", "max-age=31536000")
		}
		if strings.HasPrefix(r.URL.Path, "/api/") {
			h.Set("Cache-Control", "no-store")
		}
		next.ServeHTTP(w, r)
	}))
}

// numberHeader tells a caller the number that the log has of its request.
const numberHeader = "X-Request-Id"

type numberKey struct{}

// numbered gives each request a number of its own, so that what a caller saw and
// what the log says can be brought together. What a caller sends is not taken.
func numbered(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		number := strings.ToLower(rand.Text()[:16])
		w.Header().Set(numberHeader, number)
		next.ServeHTTP(w, r.WithContext(context.WithValue(r.Context(), numberKey{}, number)))
	})
}

// logged notes each request, without its query and headers. A link to a visit is
// a secret, and is not noted.
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
		s.log.Log(r.Context(), level, "request", "id", r.Context().Value(numberKey{}), "method", r.Method, "path", path, "status", status, "ms", took.Milliseconds())
	})
}
