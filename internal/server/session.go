package server

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/auth"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/store"
)

// sessionAPI has the operations on sessions.
type sessionAPI struct{ *Server }

type whoOutput struct {
	SetCookie []string `header:"Set-Cookie"`
	Body      api.Who
}

// signedOut is the answer to signing out.
type signedOut struct {
	SetCookie []string `header:"Set-Cookie"`
}

// Cookies are the cookies that may carry a session. One of them counts: over TLS the
// one that only this host can have set, so that nobody shadows it.
type Cookies struct {
	Plain  string `cookie:"rolltop_session"`
	Secure string `cookie:"__Host-rolltop_session"`
}

func (s *Server) session(c *Cookies) string {
	if s.secure {
		return c.Secure
	}
	return c.Plain
}

func (s sessionAPI) version(context.Context, *struct{}) (api.Version, error) {
	return api.Version{Version: build.Version}, nil
}

type whoInput struct {
	Authorization string `header:"Authorization"`
	Cookies
}

func (s sessionAPI) who(ctx context.Context, in *whoInput) (api.Who, error) {
	who, err := s.identify(ctx, in.Authorization, s.session(&in.Cookies))
	if errors.Is(err, store.ErrNotFound) {
		return api.Who{Scope: "none"}, nil
	}
	return who.who(), err
}

func (s sessionAPI) signIn(ctx context.Context, in *struct{ Body api.Credentials }) (*whoOutput, error) {
	return s.startSession(ctx, in.Body)
}

func (s sessionAPI) signOut(ctx context.Context, in *struct{ Cookies }) (*signedOut, error) {
	sha := hash(s.session(&in.Cookies))
	s.unkept.end(sha)
	if err := s.store.EndSession(ctx, sha); err != nil {
		return nil, err
	}
	return &signedOut{s.cookie("", -1)}, nil
}

// invitationLength is how long the first link works.
const invitationLength = 24 * time.Hour

// Invite makes a one-time link with which the first administrator is made, and gives
// its address below the service's.
func (s *Server) Invite(ctx context.Context) (path string, err error) {
	secret := NewSecret("")
	return "/first#" + secret, s.store.AddInvitation(ctx, hash(secret), s.now().Add(invitationLength))
}

func (s sessionAPI) takeInvitation(ctx context.Context, in *struct{ Body api.TakeInvitation }) (*whoOutput, error) {
	noLink := &api.Problem{Status: http.StatusForbidden, Title: "Invalid link",
		Detail: "the link was used, has expired, is incomplete, or an administrator already exists; restart the " +
			"service for a new link, or run rolltop users set NAME --database FILE"}
	switch works, err := s.store.Invited(ctx, hash(in.Body.Secret), s.now()); {
	case err != nil:
		return nil, err
	case !works: // before anything that takes long
		return nil, noLink
	}
	if wrong := nameMistake(in.Body.Name); wrong != "" {
		return nil, refuse("Not added", "%s", wrong)
	}
	if wrong := auth.Weakness(in.Body.Password, in.Body.Name); wrong != "" {
		return nil, refuse("Not added", "%s", wrong)
	}
	u := &store.User{Name: in.Body.Name, Role: RoleAdministrator, Password: auth.Hash(in.Body.Password)}
	ctx = store.Acting(ctx, &store.AuditEntry{
		Millis:  s.now().UnixMilli(),
		Who:     u.Name,
		What:    "take-invitation",
		Subject: u.Name,
		Becomes: RoleAdministrator,
	})
	switch err := s.store.TakeInvitation(ctx, hash(in.Body.Secret), s.now(), u); {
	case errors.Is(err, store.ErrNotFound):
		return nil, noLink
	case errors.Is(err, store.ErrRevision):
		return nil, &api.Problem{Status: http.StatusConflict, Title: "The name is taken",
			Detail: fmt.Sprintf("the user %s already exists; choose another name", u.Name)}
	case err != nil:
		return nil, err
	}
	return s.startSession(ctx, api.Credentials{Name: u.Name, Password: in.Body.Password})
}

// addOwnToken makes a token that may do what its maker may.
func (s sessionAPI) addOwnToken(ctx context.Context, in *struct{ Body api.NewOwnToken }) (api.TokenMade, error) {
	who := callerOf(ctx)
	if who.token != nil {
		return api.TokenMade{}, &api.Problem{Status: http.StatusForbidden, Title: "For users only",
			Detail: "a token cannot create tokens; sign in with a password"}
	}
	t := store.Token{
		Name:      who.Name + ", " + in.Body.Name,
		Scope:     who.Scope,
		ExpiresAt: s.now().UTC().AddDate(0, 0, cmp.Or(in.Body.Days, 90)).UnixMilli(),
		UsesLeft:  -1,
		Sites:     strings.Join(who.Sites, "\n"),
		Owner:     who.Name,
	}
	for i := 2; ; i++ { // a name that was used before gets a number
		var secret string
		var err error
		if t.ID, secret, err = s.makeToken(ctx, &t); err == nil {
			return api.TokenMade{TokenRow: tokenRow(&t), Secret: secret}, nil
		}
		if !strings.Contains(err.Error(), "UNIQUE") || i > 1000 {
			return api.TokenMade{}, err
		}
		t.Name = fmt.Sprintf("%s, %s (%d)", who.Name, in.Body.Name, i)
	}
}

func (s sessionAPI) removeOwnToken(ctx context.Context, _ *struct{}) error {
	who := callerOf(ctx)
	if who.token == nil {
		return missing("this is a session, not a token")
	}
	return s.store.DeleteToken(ctx, who.token.ID)
}

// cookie sets the session's cookie, and takes the one of the other name away: it may be
// left from when the service was reached without TLS.
func (s *Server) cookie(value string, maxAge int) []string {
	mine := http.Cookie{
		Name:     sessionCookie,
		Value:    value,
		Path:     "/",
		MaxAge:   maxAge,
		HttpOnly: true,
		SameSite: http.SameSiteStrictMode,
	}
	if !s.secure {
		return []string{mine.String()}
	}
	other := mine
	other.Value, other.MaxAge = "", -1
	mine.Name, mine.Secure = secureCookie, true
	return []string{mine.String(), other.String()}
}

func tooManyTries() error {
	return again(&api.Problem{Status: http.StatusTooManyRequests, Title: "Too many tries",
		Detail: "too many sign-ins came from your address, or for this name; wait a minute and try again"}, "60")
}

// comparePassword compares a password when its turn comes. The error is an answer.
func (s *Server) comparePassword(ctx context.Context, name, password, kept string) (right bool, err error) {
	address := addressOf(ctx)
	done, err := s.gate.Enter(ctx, name, address)
	if errors.Is(err, auth.ErrTooMany) {
		s.refusedSignIn(ctx, name, address)
		return false, tooManyTries()
	}
	if err != nil {
		return false, err // the caller has gone
	}
	right = kept != "" && auth.Matches(password, kept)
	if kept == "" {
		auth.Matches(password, auth.Nobody())
	}
	done(right)
	return right, nil
}

func (s *Server) startSession(ctx context.Context, c api.Credentials) (*whoOutput, error) {
	u, err := s.store.UserByName(ctx, c.Name)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return nil, err
	}
	right, err := s.comparePassword(ctx, c.Name, c.Password, u.Password)
	if err != nil {
		return nil, err
	}
	if !right {
		s.noteSignIn(ctx, auditSignInFailed, c.Name)
		return nil, &api.Problem{Status: http.StatusUnauthorized, Title: "Not signed in",
			Detail: "wrong name or password"}
	}
	secret, now := NewSecret(""), s.now()
	switch err := s.store.StartSession(ctx, hash(secret), u.Name, now, now.Add(sessionLength)); {
	case errors.Is(err, store.ErrFull), errors.Is(err, store.ErrReadOnly):
		// Whoever is to look at the trouble must be able to sign in.
		s.unkept.start(hash(secret), u, now.Add(sessionLength))
		s.log.Warn("a session is held in memory, because the database cannot be written", "name", u.Name, "error", err)
	case err != nil:
		return nil, err
	}
	s.noteSignIn(ctx, auditSignIn, u.Name)
	who := s.person(u)
	return &whoOutput{SetCookie: s.cookie(secret, int(sessionLength.Seconds())), Body: who.who()}, nil
}
