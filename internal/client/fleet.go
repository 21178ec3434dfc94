package client

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"rolltop.example/rolltop/internal/api"
)

// List asks for a page of machines.
type List struct {
	Where, Sort, Cursor string
	Page, Size          int
	Facts               []string
}

func (l *List) query() url.Values {
	q := url.Values{"where": {l.Where}, "sort": {l.Sort}, "cursor": {l.Cursor}, "facts": {strings.Join(l.Facts, ",")}}
	if l.Page > 0 {
		q.Set("page", strconv.Itoa(l.Page))
	}
	if l.Size > 0 {
		q.Set("size", strconv.Itoa(l.Size))
	}
	for k, v := range q {
		if v[0] == "" {
			delete(q, k)
		}
	}
	return q
}

// MachineList lists machines.
func (c *Client) MachineList(ctx context.Context, l List) (out api.MachineList, err error) {
	err = c.get(ctx, "machines", l.query(), &out)
	return out, err
}

// Matrix gets the requirement matrix of the target of a class.
func (c *Client) Matrix(ctx context.Context, l List, class string) (g api.Matrix, err error) {
	q := l.query()
	q.Set("class", class)
	err = c.get(ctx, "fleet/matrix", q, &g)
	return g, err
}

// Change sets tags, site or retirement of machines.
func (c *Client) Change(ctx context.Context, m api.MachineChanges) (out api.MachinesChanged, err error) {
	err = c.send(ctx, http.MethodPost, "machine-changes", m, &out)
	return out, err
}

// Tags lists the tags that machines bear.
func (c *Client) Tags(ctx context.Context) (l api.TagList, err error) {
	err = c.get(ctx, "tags", nil, &l)
	return l, err
}

// Filters lists saved filters.
func (c *Client) Filters(ctx context.Context) (l api.SavedFilterList, err error) {
	err = c.get(ctx, "filters", nil, &l)
	return l, err
}

// SetFilter keeps a filter under a name.
func (c *Client) SetFilter(ctx context.Context, name string, f api.SetFilter) (out api.SavedFilter, err error) {
	err = c.send(ctx, http.MethodPut, "filters/"+url.PathEscape(name), f, &out)
	return out, err
}

// RemoveFilter deletes a saved filter.
func (c *Client) RemoveFilter(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "filters/"+url.PathEscape(name), "", nil, nil)
}

// Duplicates lists machines that may be one, and inventories that may be of another.
func (c *Client) Duplicates(ctx context.Context) (l api.DuplicateList, err error) {
	err = c.get(ctx, "duplicates", nil, &l)
	return l, err
}

// ResolveDuplicate says whether it is one machine (same) or two (apart).
func (c *Client) ResolveDuplicate(ctx context.Context, id int64, verdict string) error {
	return c.send(ctx, http.MethodPost, "duplicates/"+strconv.FormatInt(id, 10),
		api.ResolveDuplicate{Verdict: verdict}, nil)
}

// Rekey lets a machine speak with another key, for a reason.
func (c *Client) Rekey(ctx context.Context, key, reason string) error {
	return c.send(ctx, http.MethodPost, "machines/"+url.PathEscape(key)+"/key", api.Rekey{Reason: reason}, nil)
}

// ModelFacts lists facts that hold for every machine of a model.
func (c *Client) ModelFacts(ctx context.Context) (l api.ModelFactList, err error) {
	err = c.get(ctx, "model-facts", nil, &l)
	return l, err
}

// AddModelFact enters a fact for all machines of a model.
func (c *Client) AddModelFact(ctx context.Context, f api.AddModelFact) (out api.ModelFactEntered, err error) {
	err = c.send(ctx, http.MethodPost, "model-facts", f, &out)
	return out, err
}

// RemoveModelFact removes a fact of a model.
func (c *Client) RemoveModelFact(ctx context.Context, id int64) (out api.ModelFactEntered, err error) {
	err = c.call(ctx, http.MethodDelete, "model-facts/"+strconv.FormatInt(id, 10), "", nil, &out)
	return out, err
}

// Expected lists the machines that should be here.
func (c *Client) Expected(ctx context.Context) (l api.ExpectedList, err error) {
	err = c.get(ctx, "expected", nil, &l)
	return l, err
}

// SetExpected replaces the list of them.
func (c *Client) SetExpected(ctx context.Context, list []api.Expected) (l api.ExpectedList, err error) {
	err = c.send(ctx, http.MethodPut, "expected", api.SetExpected{Machines: list}, &l)
	return l, err
}

// SetReason says why an expected machine does not report.
func (c *Client) SetReason(ctx context.Context, id int64, why api.SetReason) error {
	return c.send(ctx, http.MethodPut, "expected/"+strconv.FormatInt(id, 10)+"/reason", why, nil)
}

// Progress is how many machines there were of each disposition, day by day.
func (c *Client) Progress(ctx context.Context, days int) (p api.Progress, err error) {
	err = c.get(ctx, "fleet/progress", url.Values{"days": {strconv.Itoa(days)}}, &p)
	return p, err
}

// Webhooks lists the webhooks.
func (c *Client) Webhooks(ctx context.Context) (l api.WebhookList, err error) {
	err = c.get(ctx, "webhooks", nil, &l)
	return l, err
}

// SetWebhook adds a webhook, or changes one.
func (c *Client) SetWebhook(ctx context.Context, name string, h api.SetWebhook) (out api.WebhookPut, err error) {
	err = c.send(ctx, http.MethodPut, "webhooks/"+url.PathEscape(name), h, &out)
	return out, err
}

// RemoveWebhook deletes a webhook.
func (c *Client) RemoveWebhook(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "webhooks/"+url.PathEscape(name), "", nil, nil)
}

// Settings are those of the service.
func (c *Client) Settings(ctx context.Context) (s api.Settings, err error) {
	err = c.get(ctx, "settings", nil, &s)
	return s, err
}

// SetSettings changes the settings.
func (c *Client) SetSettings(ctx context.Context, in api.Settings) (s api.Settings, err error) {
	err = c.send(ctx, http.MethodPut, "settings", in, &s)
	return s, err
}

// ReadSheet makes inventories of a spreadsheet, and keeps nothing.
func (c *Client) ReadSheet(ctx context.Context, in api.ReadSheet) (out api.SheetRead, err error) {
	err = c.send(ctx, http.MethodPost, "sheets/read", in, &out)
	return out, err
}

// TakeInvitation makes the first administrator with a one-time link.
func (c *Client) TakeInvitation(ctx context.Context, in api.TakeInvitation) (w api.Who, err error) {
	err = c.send(ctx, http.MethodPost, "session/first", in, &w)
	return w, err
}

// RemoveOwnToken ends the token of the client.
func (c *Client) RemoveOwnToken(ctx context.Context) error {
	return c.call(ctx, http.MethodDelete, "session/token", "", nil, nil)
}

// SignIn signs in with a password and makes a token that may do what its owner may.
func (c *Client) SignIn(ctx context.Context, name, password string, t api.NewOwnToken) (m api.TokenMade, err error) {
	session, err := c.session(ctx, name, password)
	if err != nil {
		return m, err
	}
	defer func() { _ = session.call(ctx, http.MethodDelete, "session", "", nil, nil) }() // it ends by itself, too
	err = session.send(ctx, http.MethodPost, "session/token", t, &m)
	return m, err
}

// ChangePassword changes the password of who signs in with the old one, and signs them
// out everywhere.
func (c *Client) ChangePassword(ctx context.Context, name string, change api.ChangePassword) error {
	session, err := c.session(ctx, name, change.Old)
	if err != nil {
		return err
	}
	return session.ReplacePassword(ctx, change)
}

// ReplacePassword changes the password of whom the client is signed in as.
func (c *Client) ReplacePassword(ctx context.Context, change api.ChangePassword) error {
	return c.send(ctx, http.MethodPut, "session/password", change, nil)
}

// session is a client with the session of who signs in.
func (c *Client) session(ctx context.Context, name, password string) (*Client, error) {
	body, err := json.Marshal(api.Credentials{Name: name, Password: password})
	if err != nil {
		return nil, err
	}
	res, err := c.open(ctx, http.MethodPost, "session", "application/json", bytes.NewReader(body), nil)
	if err != nil {
		return nil, err
	}
	defer res.Body.Close()
	return &Client{base: c.base, http: c.http, cookies: res.Cookies()}, nil
}

// Lines hands in several inventories, one a line, and calls each for every answer,
// in their order, while they are still being sent.
func (c *Client) Lines(ctx context.Context, lines io.Reader, each func(*api.SubmittedLine)) error {
	res, err := c.open(ctx, http.MethodPost, "inventories/lines", "application/x-ndjson", lines, nil)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	scan := bufio.NewScanner(res.Body)
	scan.Buffer(nil, 1<<20)
	for scan.Scan() {
		l := new(api.SubmittedLine)
		if err := json.Unmarshal(scan.Bytes(), l); err != nil {
			return fmt.Errorf("the answer of %s cannot be read; check that it is a Rolltop service: %w", c.base, err)
		}
		each(l)
	}
	if err := scan.Err(); err != nil {
		return fmt.Errorf("the connection to %s was interrupted; lines that were answered are saved: %w", c.base, err)
	}
	return nil
}
