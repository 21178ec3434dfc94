package server

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
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
			Secure        string `cookie:"__Host-rolltop_session"`
		}) (*struct{ Body api.Who }, error) {
			who, err := s.identify(ctx, in.Authorization, cmp.Or(in.Session, in.Secure))
			if errors.Is(err, store.ErrNotFound) {
				who, err = caller{Who: api.Who{Scope: "none"}}, nil
			}
			if err != nil {
				return nil, s.problem(err, "")
			}
			return &struct{ Body api.Who }{who.Who}, nil
		})
	huma.Register(a, secured(huma.Operation{OperationID: "take-invitation", Method: http.MethodPost, Path: "/session/first", Summary: "Make the first administrator with the link that the first start printed", Tags: tag,
		Errors: []int{http.StatusForbidden, http.StatusConflict, http.StatusTooManyRequests}}, open), s.takeInvitation)
	huma.Register(a, secured(huma.Operation{OperationID: "add-own-token", Method: http.MethodPost, Path: "/session/token", Summary: "Make a token that may do what you may", Tags: tag}, ScopeRead), s.ownToken)
	huma.Register(a, secured(huma.Operation{OperationID: "end-own-token", Method: http.MethodDelete, Path: "/session/token", Summary: "End the token that this is sent with", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusNotFound}}, anybody), s.endOwnToken)
	huma.Register(a, secured(huma.Operation{OperationID: "sign-out", Method: http.MethodDelete, Path: "/session", Summary: "Sign out", Tags: tag, DefaultStatus: http.StatusNoContent}, anybody),
		func(ctx context.Context, in *struct {
			Session string `cookie:"rolltop_session"`
			Secure  string `cookie:"__Host-rolltop_session"`
		}) (*struct {
			SetCookie string `header:"Set-Cookie"`
		}, error) {
			if err := s.store.EndSession(ctx, hash(cmp.Or(in.Session, in.Secure))); err != nil {
				return nil, s.problem(err, "")
			}
			return &struct {
				SetCookie string `header:"Set-Cookie"`
			}{s.cookie("", -1)}, nil
		})
}

// invitationLength is how long the first link works.
const invitationLength = 24 * time.Hour

// Invite makes a one-time link with which the first administrator is made, and gives
// its address below the service's.
func (s *Server) Invite(ctx context.Context) (path string, err error) {
	secret := NewSecret("")
	return "/first#" + secret, s.store.AddInvitation(ctx, hash(secret), s.now().Add(invitationLength))
}

func (s *Server) takeInvitation(ctx context.Context, in *struct{ Body api.TakeInvitation }) (*whoOutput, error) {
	if s.tries.OnLimit(discard{}, &http.Request{}, "\ninvitation") {
		return nil, tooManyTries()
	}
	u := &store.User{Name: strings.TrimSpace(in.Body.Name), Role: RoleAdministrator, Password: hashPassword(in.Body.Password)}
	if u.Name == "" {
		return nil, refuse("Not added", "a name is not blank")
	}
	ctx = store.Acting(ctx, &store.Act{Millis: s.now().UnixMilli(), Who: u.Name, What: "take-invitation", Subject: u.Name, Becomes: RoleAdministrator})
	switch err := s.store.TakeInvitation(ctx, hash(in.Body.Secret), s.now(), u); {
	case errors.Is(err, store.ErrNotFound):
		return nil, &api.Problem{Status: http.StatusForbidden, Title: "The link does not work", Detail: "it was used, has expired, or was copied in part; start the service again for another, or run rolltop users set NAME --database FILE"}
	case errors.Is(err, store.ErrRevision):
		return nil, &api.Problem{Status: http.StatusConflict, Title: "The name is taken", Detail: fmt.Sprintf("there is a user %s; choose another name", u.Name)}
	case err != nil:
		return nil, s.problem(err, "")
	}
	return s.signIn(ctx, api.Credentials{Name: u.Name, Password: in.Body.Password})
}

// ownToken makes a token that may do what its maker may.
func (s *Server) ownToken(ctx context.Context, in *struct{ Body api.NewOwnToken }) (*struct{ Body api.TokenMade }, error) {
	who := callerOf(ctx)
	if who.token != nil {
		return nil, &api.Problem{Status: http.StatusForbidden, Title: "Only for people", Detail: "a token cannot make others of itself; sign in with a password"}
	}
	t := store.Token{Name: who.Name + ", " + in.Body.Name, Scope: who.Scope, ExpiresAt: s.now().UTC().AddDate(0, 0, cmp.Or(in.Body.Days, 90)).UnixMilli(), UsesLeft: -1, Places: strings.Join(who.Places, "\n"), Owner: who.Name}
	for i := 2; ; i++ { // a name that was used before gets a number
		var secret string
		var err error
		if t.ID, secret, err = s.addToken(ctx, &t); err == nil {
			return &struct{ Body api.TokenMade }{api.TokenMade{TokenRow: tokenRow(&t), Secret: secret}}, nil
		}
		if !strings.Contains(err.Error(), "UNIQUE") || i > 1000 {
			return nil, s.problem(err, "")
		}
		t.Name = fmt.Sprintf("%s, %s (%d)", who.Name, in.Body.Name, i)
	}
}

func (s *Server) endOwnToken(ctx context.Context, _ *struct{}) (*struct{}, error) {
	who := callerOf(ctx)
	if who.token == nil {
		return nil, &api.Problem{Status: http.StatusNotFound, Title: "Not found", Detail: "this is a person's session, and no token"}
	}
	if err := s.store.DeleteToken(ctx, who.token.ID); err != nil {
		return nil, s.problem(err, "")
	}
	return nil, nil
}

func tooManyTries() error {
	return &api.Problem{Status: http.StatusTooManyRequests, Title: "Too many tries", Detail: "wait a minute before the next try"}
}

// discard takes the headers that the rate limiter would set.
type discard struct{}

func (discard) Header() http.Header         { return http.Header{} }
func (discard) Write(b []byte) (int, error) { return len(b), nil }
func (discard) WriteHeader(int)             {}

func (s *Server) cookie(value string, maxAge int) string {
	c := http.Cookie{Name: sessionCookie, Value: value, Path: "/", MaxAge: maxAge, HttpOnly: true, SameSite: http.SameSiteStrictMode}
	if s.secure {
		c.Name, c.Secure = secureCookie, true
	}
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
	return &whoOutput{SetCookie: s.cookie(secret, int(sessionLength.Seconds())), Body: s.seeing(whoIs(u))}, nil
}
