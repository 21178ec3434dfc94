package server

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/httprate"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/store"
)

// signInsPerMinute bounds guessing of one user's password, mostSignIns the memory
// that checking passwords takes at once.
const (
	signInsPerMinute = 20
	mostSignIns      = 4
)

type whoOutput struct {
	SetCookie string `header:"Set-Cookie"`
	Body      api.Who
}

func (s *Server) sessions(a huma.API) {
	if s != nil {
		s.tries = httprate.NewRateLimiter(signInsPerMinute, time.Minute)
	}
	tag := []string{"Session"}
	huma.Register(a, secured(huma.Operation{OperationID: "version", Method: http.MethodGet, Path: "/version", Summary: "Which program answers", Tags: tag}, open),
		func(context.Context, *struct{}) (*struct{ Body api.Version }, error) {
			return &struct{ Body api.Version }{api.Version{Version: build.Version}}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "sign-in", Method: http.MethodPost, Path: "/session", Summary: "Sign in", Tags: tag,
		Errors: []int{http.StatusUnauthorized, http.StatusTooManyRequests}}, open),
		func(ctx context.Context, in *struct{ Body api.Credentials }) (*whoOutput, error) {
			if s.tries.OnLimit(discard{}, &http.Request{}, in.Body.Name) {
				return nil, tooManyTries()
			}
			return s.signIn(ctx, in.Body)
		})
	huma.Register(a, secured(huma.Operation{OperationID: "who", Method: http.MethodGet, Path: "/session", Summary: "Who is signed in", Tags: tag}, open),
		func(ctx context.Context, in *struct {
			Authorization string `header:"Authorization"`
			Session       string `cookie:"rolltop_session"`
		}) (*struct{ Body api.Who }, error) {
			who, err := s.identify(ctx, in.Authorization, in.Session)
			if errors.Is(err, store.ErrNotFound) {
				who, err = api.Who{Scope: "none"}, nil
			}
			if err != nil {
				return nil, s.problem(err, "")
			}
			return &struct{ Body api.Who }{who}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "sign-out", Method: http.MethodDelete, Path: "/session", Summary: "Sign out", Tags: tag, DefaultStatus: http.StatusNoContent}, anybody),
		func(ctx context.Context, in *struct {
			Session string `cookie:"rolltop_session"`
		}) (*struct {
			SetCookie string `header:"Set-Cookie"`
		}, error) {
			if err := s.store.EndSession(ctx, hash(in.Session)); err != nil {
				return nil, s.problem(err, "")
			}
			return &struct {
				SetCookie string `header:"Set-Cookie"`
			}{cookie("", -1)}, nil
		})
}

func tooManyTries() error {
	return &api.Problem{Status: http.StatusTooManyRequests, Title: "Too many tries", Detail: "wait a minute before the next try"}
}

// discard takes the headers that the rate limiter would set.
type discard struct{}

func (discard) Header() http.Header         { return http.Header{} }
func (discard) Write(b []byte) (int, error) { return len(b), nil }
func (discard) WriteHeader(int)             {}

func cookie(value string, maxAge int) string {
	c := http.Cookie{Name: sessionCookie, Value: value, Path: "/", MaxAge: maxAge, HttpOnly: true, SameSite: http.SameSiteStrictMode}
	return c.String()
}

func (s *Server) signIn(ctx context.Context, c api.Credentials) (*whoOutput, error) {
	u, err := s.store.UserByName(ctx, c.Name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, s.problem(err, "")
	}
	kept := u.Password
	if err != nil {
		kept = nobody()
	}
	select {
	case s.signing <- struct{}{}:
		defer func() { <-s.signing }()
	case <-ctx.Done():
		return nil, ctx.Err()
	}
	if !passwordMatches(c.Password, kept) || err != nil {
		return nil, &api.Problem{Status: http.StatusUnauthorized, Title: "Not signed in", Detail: "the name or the password is not right"}
	}
	secret, now := NewSecret(""), s.now()
	if err := s.store.StartSession(ctx, hash(secret), u.Name, now, now.Add(sessionLength)); err != nil {
		return nil, s.problem(err, "")
	}
	return &whoOutput{SetCookie: cookie(secret, int(sessionLength.Seconds())), Body: api.Who{Name: u.Name, Scope: scopeOf(u.Role)}}, nil
}
