package client

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"strings"
	"sync"

	"rolltop.example/rolltop/internal/api"
)

// conn is the connection to one service.
type conn struct {
	base  *url.URL
	token string
	http  *http.Client

	cookies []*http.Cookie // of a session, instead of a token

	// Patience is for calls that the service is too busy for and asks to repeat: it saved nothing of them.
	Patience Backoff

	mu   sync.Mutex
	read map[string]string // entity tags of what was read, by its path: see [conn.remember]
}

// maxReply bounds what is read of an answer.
const maxReply = 256 << 20

// Unreachable is the error of a service that does not answer.
type Unreachable struct {
	Address string
	Err     error
}

func (e *Unreachable) Error() string {
	return fmt.Sprintf("the service at %s does not respond: %v; check that it runs and that the address is right",
		e.Address,
		e.Err)
}

func (e *Unreachable) Unwrap() error { return e.Err }

// open sends a request, and gives the answer once it begins; what is not a success
// is an error.
func (c *conn) open(
	ctx context.Context, method, path, contentType string, body io.Reader, patient *http.Client,
) (*http.Response, error) {
	return c.openWith(ctx, method, path, contentType, body, nil, patient)
}

func (c *conn) openWith(
	ctx context.Context, method, path, contentType string, body io.Reader, extra http.Header, patient *http.Client,
) (*http.Response, error) {
	rel, err := url.Parse(strings.TrimSuffix(c.base.Path, "/") + "/api/v1/" + path)
	if err != nil {
		return nil, err
	}
	req, err := http.NewRequestWithContext(ctx, method, c.base.ResolveReference(rel).String(), body)
	if err != nil {
		return nil, err
	}
	maps.Copy(req.Header, extra)
	if tag := c.remembered(path); method == http.MethodPut && tag != "" {
		req.Header.Set("If-Match", tag)
	}
	if c.token != "" {
		req.Header.Set("Authorization", "Bearer "+c.token)
	}
	for _, k := range c.cookies {
		req.AddCookie(k)
	}
	if contentType != "" {
		req.Header.Set("Content-Type", contentType)
	}
	req.Header.Set("Accept", "application/json")
	if patient == nil {
		patient = &http.Client{Transport: c.http.Transport} // it may take as long as it takes
	}
	res, err := patient.Do(req)
	if err != nil {
		var ue *url.Error
		if errors.As(err, &ue) {
			err = ue.Err
		}
		return nil, &Unreachable{c.base.String(), err}
	}
	if res.StatusCode < 400 {
		c.remember(method, path, res.Header)
		return res, nil
	}
	defer res.Body.Close()
	reply, _ := io.ReadAll(io.LimitReader(res.Body, 4<<20))
	p := new(api.Problem)
	if json.Unmarshal(reply, p) != nil || p.Status == 0 {
		p = &api.Problem{
			Status: res.StatusCode,
			Title:  http.StatusText(res.StatusCode),
			Detail: fmt.Sprintf("%s answered %s; check that it is a Rolltop service", c.base, res.Status),
		}
	}
	p.RetryAfter = res.Header.Get("Retry-After")
	return nil, p
}

func (c *conn) call(ctx context.Context, method, path, contentType string, body []byte, out any) error {
	return c.callWith(ctx, method, path, contentType, body, nil, out)
}

func (c *conn) callWith(
	ctx context.Context, method, path, contentType string, body []byte, extra http.Header, out any,
) error {
	if body == nil {
		contentType = ""
	}
	var res *http.Response
	err := c.Patience.whileBusy(ctx, func() (err error) {
		var from io.Reader
		if body != nil {
			from = bytes.NewReader(body)
		}
		res, err = c.openWith(ctx, method, path, contentType, from, extra, c.http)
		return err
	})
	if err != nil {
		return err
	}
	defer res.Body.Close()
	reply, err := io.ReadAll(io.LimitReader(res.Body, maxReply))
	if err != nil {
		return &Unreachable{c.base.String(), err}
	}
	switch to := out.(type) {
	case nil:
		return nil
	case *[]byte:
		*to = reply
		return nil
	}
	if err := json.Unmarshal(reply, out); err != nil {
		return fmt.Errorf("the answer of %s cannot be read; check that it is a Rolltop service: %w", c.base, err)
	}
	return nil
}

// get reads what a path has.
func get[T any](ctx context.Context, c *conn, path string, query url.Values) (out T, err error) {
	if len(query) > 0 {
		path += "?" + query.Encode()
	}
	var to any = &out
	return out, c.call(ctx, http.MethodGet, path, "", nil, to)
}

// send sends a value, or nothing where it is nil, and reads what the service answers.
func send[T any](ctx context.Context, c *conn, method, path string, in any) (out T, err error) {
	if in == nil {
		return out, c.call(ctx, method, path, "", nil, &out)
	}
	body, err := json.Marshal(in)
	if err != nil {
		return out, err
	}
	return out, c.call(ctx, method, path, "application/json", body, &out)
}

// send sends a value whose answer is empty, or does not matter.
func (c *conn) send(ctx context.Context, method, path string, in any) error {
	body, err := json.Marshal(in)
	if err != nil {
		return err
	}
	return c.call(ctx, method, path, "application/json", body, nil)
}

// remove deletes what a path has.
func (c *conn) remove(ctx context.Context, path string) error {
	return c.call(ctx, http.MethodDelete, path, "", nil, nil)
}

// remember keeps the entity tag of what was read at a path, so that replacing it later is refused if
// somebody else changed it meanwhile (RFC 9110, section 13.1.1). A change of this client itself ends that.
func (c *conn) remember(method, path string, h http.Header) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if method == http.MethodPut || method == http.MethodDelete {
		delete(c.read, path)
	}
	if tag := h.Get("ETag"); tag != "" && (method == http.MethodGet || method == http.MethodPut) {
		if c.read == nil {
			c.read = map[string]string{}
		}
		c.read[path] = tag
	}
}

// remembered is the entity tag of what this client last read at a path; "" if it read nothing there.
func (c *conn) remembered(path string) string {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.read[path]
}

// download copies an answer of any size. It may take as long as it takes.
func (c *conn) download(ctx context.Context, path string, w io.Writer) error {
	res, err := c.open(ctx, http.MethodGet, path, "", nil, nil)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if _, err := io.Copy(w, res.Body); err != nil {
		return fmt.Errorf("the connection to %s was interrupted: %w", c.base, err)
	}
	return nil
}
