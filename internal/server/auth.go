package server

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humachi"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/auth"
	"rolltop.example/rolltop/internal/service"
	"rolltop.example/rolltop/internal/store"
)

const (
	sessionCookie = "rolltop_session"
	secureCookie  = "__Host-rolltop_session" // over TLS: browsers take it from nobody else (RFC 6265bis, section 4.1.3)
	sessionLength = 12 * time.Hour
	tokenPrefix   = "rlt_"
)

// caller is who calls an operation.
type caller struct {
	service.Viewer
	Scope string
	token *store.Token // nil: a person's session
}

// who is the caller as the API says them.
func (c *caller) who() api.Who {
	return api.Who{Name: c.Name, Scope: c.Scope, Sites: c.Sites, Plain: c.Plain}
}

// id tells callers apart.
func (c *caller) id() string {
	if c.token != nil {
		return "token " + strconv.FormatInt(c.token.ID, 10)
	}
	return "user " + c.Name
}

// authorise lets a request through to its operation or answers 401, 403 or, for a machine of a
// site that the caller does not see, 404.
func (s *Server) authorise(a huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		meta := ctx.Operation().Metadata
		needs, _ := meta[metaScope].(string)
		if needs == open {
			next(ctx)
			return
		}
		refuse := func(status int, format string, args ...any) {
			_ = huma.WriteErr(a, ctx, status, fmt.Sprintf(format, args...))
		}
		who, err := s.identify(ctx.Context(), ctx.Header("Authorization"), s.cookieOf(ctx))
		switch {
		case errors.Is(err, store.ErrNotFound):
			refuse(http.StatusUnauthorized, "Not signed in. Run rolltop login, or pass a valid token (--token; "+
				"Authorization: Bearer %s…).",
				tokenPrefix)
		case err != nil:
			refuse(http.StatusInternalServerError, "%s", s.problem(err))
		case !allows(who.Scope, needs):
			refuse(http.StatusForbidden, "this needs the permission %s, but %s has %s", needs, who.Name, who.Scope)
		case who.Limited() && meta[metaEverywhere] != nil:
			refuse(http.StatusForbidden, "this affects all machines, but %s is limited to %s",
				who.Name, strings.Join(who.Sites, ", "))
		default:
			if err := s.reaches(ctx, &who); err != nil {
				s.refuseWith(a, ctx, err)
				return
			}
			s.run(a, ctx, &who, needs, next)
		}
	}
}

// run does an operation for a caller. Intake and open pages have bounds of their own.
func (s *Server) run(a huma.API, ctx huma.Context, who *caller, needs string, next func(huma.Context)) {
	if needs != ScopeSubmit && ctx.Operation().OperationID != "events" {
		done, ok := s.Flow.Call(who.id())
		if !ok {
			ctx.SetHeader("Retry-After", "2")
			_ = huma.WriteErr(a, ctx, http.StatusTooManyRequests,
				fmt.Sprintf("%s has %d requests in progress; wait until one is done", who.Name, service.MaxCalls))
			return
		}
		defer done()
	}
	next(huma.WithContext(ctx, s.acting(ctx, who)))
}

// reaches says whether a caller may see the machines that a request names. A name or a serial number in
// the path becomes the key of its machine. The error is a refusal.
func (s *Server) reaches(ctx huma.Context, who *caller) error {
	seen := service.As(ctx.Context(), &who.Viewer)
	names := []string{ctx.Query("a"), ctx.Query("b")} // of a comparison
	if strings.Contains(ctx.Operation().Path, "/machines/{key}") {
		key, err := s.Index.Key(seen, ctx.Param("key"))
		if err != nil {
			return err
		}
		r, _ := humachi.Unwrap(ctx)
		r.SetPathValue("key", url.PathEscape(key)) // as the router sets it for an address that is escaped
		if r.URL.RawPath == "" {
			r.SetPathValue("key", key)
		}
		names = append(names, key)
	}
	for _, name := range names {
		if name == "" || !who.Limited() {
			continue
		}
		if key, err := s.Index.Key(seen, name); err != nil || !s.Index.Sees(seen, key) {
			return cmp.Or(err, missing("%s", service.NoMachine(name)))
		}
	}
	return nil
}

type callerKey struct{}

// acting is the context of an operation: who does it and, where it may change something that
// people answer for, the act that the store keeps with the change.
func (s *Server) acting(ctx huma.Context, who *caller) context.Context {
	c := service.As(context.WithValue(ctx.Context(), callerKey{}, who), &who.Viewer)
	op := ctx.Operation()
	if needs := op.Metadata[metaScope]; op.Method == http.MethodGet || needs == ScopeSubmit || needs == anybody {
		return c
	}
	var subject []string
	for _, part := range strings.Split(op.Path, "/") {
		if strings.HasPrefix(part, "{") {
			subject = append(subject, ctx.Param(strings.Trim(part, "{}")))
		}
	}
	return store.Acting(c, &store.AuditEntry{
		Millis:  s.now().UnixMilli(),
		Who:     who.Name,
		What:    op.OperationID,
		Subject: strings.Join(subject, "/"),
	})
}

// callerOf is who does the operation of a context. Without anybody it is somebody who sees nothing
// and may do nothing, so that a route which forgets to ask lets nobody in.
func callerOf(ctx context.Context) *caller {
	if who, ok := ctx.Value(callerKey{}).(*caller); ok {
		return who
	}
	return &caller{Viewer: *service.ViewerOf(context.Background())}
}

func (s *Server) cookieName() string {
	if s.secure {
		return secureCookie
	}
	return sessionCookie
}

func (s *Server) cookieOf(ctx huma.Context) string {
	if c, err := huma.ReadCookie(ctx, s.cookieName()); err == nil {
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
		return s.caller(t.Name, t.Scope, t.Sites, t), nil
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
	return s.person(u), nil
}

func (s *Server) person(u *store.User) caller {
	return s.caller(u.Name, scopeOf(u.Role), u.Sites, nil)
}

func (s *Server) caller(name, scope, sites string, t *store.Token) caller {
	plain := scope == ScopeWork || scope == ScopeManage || scope == ScopeRead && s.Settings.Get().ViewersSeeAll
	return caller{
		Viewer: service.Viewer{Name: name, Sites: service.Lines(sites), Plain: plain},
		Scope:  scope,
		token:  t,
	}
}

// hash is how secrets of tokens and sessions are kept: they are random and long, so a plain hash
// is enough.
func hash(secret string) []byte {
	sum := sha256.Sum256([]byte(secret))
	return sum[:]
}

// NewSecret makes a secret of 160 random bits with a prefix.
func NewSecret(prefix string) string { return prefix + strings.ToLower(rand.Text()) }

// AddToken makes a token that does not expire, and returns its secret.
func (s *Server) AddToken(ctx context.Context, name, scope string) (id int64, secret string, err error) {
	return s.makeToken(ctx, &store.Token{Name: name, Scope: scope, UsesLeft: -1})
}

func (s *Server) makeToken(ctx context.Context, t *store.Token) (id int64, secret string, err error) {
	secret = NewSecret(tokenPrefix)
	t.CreatedAt = s.now().UnixMilli()
	id, err = s.store.AddToken(ctx, t, hash(secret))
	return id, secret, err
}

// SetUser adds a user, or gives one another password.
func (s *Server) SetUser(ctx context.Context, name, role, password string) error {
	return s.store.SetUser(ctx, &store.User{Name: name, Role: role, Password: auth.Hash(password)})
}
