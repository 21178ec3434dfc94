package client

import (
	"bytes"
	"context"
	"encoding/json"
	"net/http"
	"net/url"
	"strconv"

	"rolltop.example/rolltop/internal/api"
)

// people are the operations on users, tokens and sessions.
type people struct{ *conn }

// Version is the version of the service.
func (c people) Version(ctx context.Context) (string, error) {
	v, err := get[api.Version](ctx, c.conn, "version", nil)
	return v.Version, err
}

// Who tells what the token may do.
func (c people) Who(ctx context.Context) (api.Who, error) {
	return get[api.Who](ctx, c.conn, "session", nil)
}

// Tokens lists tokens.
func (c people) Tokens(ctx context.Context) (api.TokenList, error) {
	return get[api.TokenList](ctx, c.conn, "tokens", nil)
}

// AddToken makes a token; its secret is in the answer and nowhere else.
func (c people) AddToken(ctx context.Context, t api.NewToken) (api.TokenMade, error) {
	return send[api.TokenMade](ctx, c.conn, http.MethodPost, "tokens", t)
}

// DeleteToken ends a token.
func (c people) DeleteToken(ctx context.Context, id int64) error {
	return c.remove(ctx, "tokens/"+strconv.FormatInt(id, 10))
}

// Users lists the people who sign in.
func (c people) Users(ctx context.Context) (api.UserList, error) {
	return get[api.UserList](ctx, c.conn, "users", nil)
}

// User is one user.
func (c people) User(ctx context.Context, name string) (api.User, error) {
	return get[api.User](ctx, c.conn, "users/"+url.PathEscape(name), nil)
}

// SetUser adds a user, or changes one.
func (c people) SetUser(ctx context.Context, name string, u api.SetUser) (api.UserPut, error) {
	return send[api.UserPut](ctx, c.conn, http.MethodPut, "users/"+url.PathEscape(name), u)
}

// RemoveUser takes a user out.
func (c people) RemoveUser(ctx context.Context, name string) error {
	return c.remove(ctx, "users/"+url.PathEscape(name))
}

// Audit lists the audit log, the latest entry first; who and subject select entries, and the cursor a page,
// where they are not empty.
func (c people) Audit(ctx context.Context, who, subject, cursor string, size int) (api.AuditLog, error) {
	q := url.Values{
		"who":     {who},
		"subject": {subject},
		"cursor":  {cursor},
		"size":    {strconv.Itoa(size)},
	}
	return get[api.AuditLog](ctx, c.conn, "audit", q)
}

// TakeInvitation makes the first administrator with a one-time link.
func (c people) TakeInvitation(ctx context.Context, in api.TakeInvitation) (api.Who, error) {
	return send[api.Who](ctx, c.conn, http.MethodPost, "session/first", in)
}

// RemoveOwnToken ends the token of the client.
func (c people) RemoveOwnToken(ctx context.Context) error {
	return c.remove(ctx, "session/token")
}

// SignIn signs in with a password and makes a token that may do what its owner may.
func (c people) SignIn(ctx context.Context, name, password string, t api.NewOwnToken) (m api.TokenMade, err error) {
	session, err := c.session(ctx, name, password)
	if err != nil {
		return m, err
	}
	defer func() { _ = session.call(ctx, http.MethodDelete, "session", "", nil, nil) }() // it ends by itself, too
	return send[api.TokenMade](ctx, session.conn, http.MethodPost, "session/token", t)
}

// ChangePassword changes the password of who signs in with the old one, and signs them
// out everywhere.
func (c people) ChangePassword(ctx context.Context, name string, change api.ChangePassword) error {
	session, err := c.session(ctx, name, change.Old)
	if err != nil {
		return err
	}
	return session.ReplacePassword(ctx, change)
}

// ReplacePassword changes the password of whom the client is signed in as.
func (c people) ReplacePassword(ctx context.Context, change api.ChangePassword) error {
	return c.send(ctx, http.MethodPut, "session/password", change)
}

// session is a client with the session of who signs in.
func (c people) session(ctx context.Context, name, password string) (*Client, error) {
	body, err := json.Marshal(api.Credentials{Name: name, Password: password})
	if err != nil {
		return nil, err
	}
	res, err := c.open(ctx, http.MethodPost, "session", "application/json", bytes.NewReader(body), nil)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	return of(&conn{base: c.base, http: c.http, cookies: res.Cookies()}), nil
}
