// Package client is the typed client of the service's API. The command line,
// the collector and the tests use it.
package client

import (
	"bytes"
	"context"
	"crypto/ed25519"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/netip"
	"net/url"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/compare"
	"rolltop.example/rolltop/core/results"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/signature"
)

// Client speaks to one service.
type Client struct {
	base  *url.URL
	token string
	http  *http.Client

	cookies []*http.Cookie // of a session, instead of a token

	// Patience is for calls that the service is too busy for and asks to repeat: it saved nothing of them.
	Patience Backoff
}

// maxReply bounds what is read of an answer.
const maxReply = 256 << 20

// New makes a client for the service at an address such as
// http://127.0.0.1:8470. The token may be empty for a service that asks none.
func New(address, token string) (*Client, error) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
		return nil, fmt.Errorf("%q is not the address of a service; write it as http://host:port", address)
	}
	if strings.ContainsAny(token, " \r\n\t") {
		return nil, errors.New("the token contains spaces; copy all of it, without quotes")
	}
	return &Client{
		base: u, token: token, http: &http.Client{Timeout: 60 * time.Second},
		Patience: Backoff{Tries: 3, First: time.Second},
	}, nil
}

// InTheOpen says, in a sentence, that what is sent to the service can be read on its way:
// it is reached without TLS, and not on this computer. It is "" otherwise.
func (c *Client) InTheOpen() string {
	host := c.base.Hostname()
	ip, err := netip.ParseAddr(host)
	if c.base.Scheme == "https" || host == "localhost" || err == nil && ip.IsLoopback() {
		return ""
	}
	return fmt.Sprintf("the connection to %s is not encrypted: others can read tokens and passwords; use https://",
		c.base.Host)
}

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
func (c *Client) open(
	ctx context.Context, method, path, contentType string, body io.Reader, patient *http.Client,
) (*http.Response, error) {
	return c.openWith(ctx, method, path, contentType, body, nil, patient)
}

func (c *Client) openWith(
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

func (c *Client) call(ctx context.Context, method, path, contentType string, body []byte, out any) error {
	return c.callWith(ctx, method, path, contentType, body, nil, out)
}

func (c *Client) callWith(
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

func (c *Client) get(ctx context.Context, path string, query url.Values, out any) error {
	if len(query) > 0 {
		path += "?" + query.Encode()
	}
	return c.call(ctx, http.MethodGet, path, "", nil, out)
}

func (c *Client) send(ctx context.Context, method, path string, in, out any) error {
	body, err := json.Marshal(in)
	if err != nil {
		return err
	}
	return c.call(ctx, method, path, "application/json", body, out)
}

// Who tells what the token may do.
func (c *Client) Who(ctx context.Context) (w api.Who, err error) {
	err = c.get(ctx, "session", nil, &w)
	return w, err
}

// Submit hands in an inventory document (JSON or YAML).
func (c *Client) Submit(ctx context.Context, document []byte) (s api.Submitted, err error) {
	err = c.call(ctx, http.MethodPost, "inventories", "application/json", document, &s)
	return s, err
}

// SubmitSigned hands in an inventory document that the machine signs with its key; nil
// signs nothing.
func (c *Client) SubmitSigned(
	ctx context.Context, document []byte, key ed25519.PrivateKey,
) (s api.Submitted, err error) {
	var extra http.Header
	if key != nil {
		extra = http.Header{}
		signature.Sign(http.MethodPost, document, key, time.Now()).Set(extra)
	}
	err = c.callWith(ctx, http.MethodPost, "inventories", "application/json", document, extra, &s)
	return s, err
}

// Machines lists machines.
func (c *Client) Machines(ctx context.Context, where, sort string, page, size int) (l api.MachineList, err error) {
	q := url.Values{"where": {where}, "sort": {sort}, "page": {strconv.Itoa(page)}, "size": {strconv.Itoa(size)}}
	err = c.get(ctx, "machines", q, &l)
	return l, err
}

// Machine shows one machine.
func (c *Client) Machine(ctx context.Context, key string) (d api.Machine, err error) {
	err = c.get(ctx, "machines/"+url.PathEscape(key), nil, &d)
	return d, err
}

// Inventory returns the inventory document of a machine; 0 is the latest.
func (c *Client) Inventory(ctx context.Context, key string, id int64) (b []byte, err error) {
	q := url.Values{}
	if id > 0 {
		q.Set("id", strconv.FormatInt(id, 10))
	}
	err = c.get(ctx, "machines/"+url.PathEscape(key)+"/inventory", q, &b)
	return b, err
}

// SetFact enters a fact of a machine by hand.
func (c *Client) SetFact(ctx context.Context, key, fact string, f api.SetFact) (d api.Machine, err error) {
	err = c.send(ctx, http.MethodPut, "machines/"+url.PathEscape(key)+"/facts/"+url.PathEscape(fact), f, &d)
	return d, err
}

// RemoveFact removes a fact that was entered by hand.
func (c *Client) RemoveFact(ctx context.Context, key, fact string) (d api.Machine, err error) {
	err = c.call(ctx, http.MethodDelete, "machines/"+url.PathEscape(key)+"/facts/"+url.PathEscape(fact), "", nil, &d)
	return d, err
}

// SetTick says that an item of preparation (prepare) or a step is done, or refuses
// it.
func (c *Client) SetTick(ctx context.Context, key, kind, item string, t api.SayTick) (d api.Machine, err error) {
	err = c.send(ctx, http.MethodPut, tickPath(key, kind, item), t, &d)
	return d, err
}

// RemoveTick removes the record of an item or a step.
func (c *Client) RemoveTick(ctx context.Context, key, kind, item string) (d api.Machine, err error) {
	err = c.call(ctx, http.MethodDelete, tickPath(key, kind, item), "", nil, &d)
	return d, err
}

func tickPath(key, kind, item string) string {
	return "machines/" + url.PathEscape(key) + "/ticks/" + url.PathEscape(kind) + "/" + url.PathEscape(item)
}

// VisitLink makes a link to the page of a machine's visit; 0 hours are the
// service's own choice.
func (c *Client) VisitLink(ctx context.Context, key string, hours int) (l api.VisitLink, err error) {
	q := url.Values{"hours": {strconv.Itoa(hours)}, "origin": {c.base.Scheme + "://" + c.base.Host}}
	err = c.call(ctx, http.MethodPost, "machines/"+url.PathEscape(key)+"/visit-link?"+q.Encode(), "", nil, &l)
	return l, err
}

// EndVisitLinks ends all links to the page of a machine's visit.
func (c *Client) EndVisitLinks(ctx context.Context, key string) error {
	return c.call(ctx, http.MethodDelete, "machines/"+url.PathEscape(key)+"/visit-link", "", nil, nil)
}

// Results gets the results of the work since an earlier inventory.
func (c *Client) Results(ctx context.Context, key string, inventory int64) (d results.Document, err error) {
	err = c.get(ctx, "machines/"+url.PathEscape(key)+"/results",
		url.Values{"inventory": {strconv.FormatInt(inventory, 10)}}, &d)
	return d, err
}

// AllKnowledge lists the steps, firmware guides and prices in force.
func (c *Client) AllKnowledge(ctx context.Context) (l api.KnowledgeList, err error) {
	err = c.get(ctx, "knowledge", nil, &l)
	return l, err
}

// Knowledge is the document of one kind: steps, guides or prices.
func (c *Client) Knowledge(ctx context.Context, kind string) (h api.Knowledge, err error) {
	err = c.get(ctx, "knowledge/"+url.PathEscape(kind), nil, &h)
	return h, err
}

// SetKnowledge puts a document in force.
func (c *Client) SetKnowledge(ctx context.Context, kind string, text []byte) (h api.Knowledge, err error) {
	err = c.send(ctx, http.MethodPut, "knowledge/"+url.PathEscape(kind), api.KnowledgeText{Text: string(text)}, &h)
	return h, err
}

// RemoveKnowledge returns to the documents that the program ships.
func (c *Client) RemoveKnowledge(ctx context.Context, kind string) (h api.Knowledge, err error) {
	err = c.call(ctx, http.MethodDelete, "knowledge/"+url.PathEscape(kind), "", nil, &h)
	return h, err
}

// Check checks a machine against any release that the service has.
func (c *Client) Check(ctx context.Context, key, release string) (d assess.Document, err error) {
	err = c.get(ctx, "machines/"+url.PathEscape(key)+"/check", url.Values{"release": {release}}, &d)
	return d, err
}

// Report is the check of a machine to hand over: the query is as the API has
// it, such as format=markdown.
func (c *Client) Report(ctx context.Context, key string, query url.Values) (b []byte, err error) {
	err = c.get(ctx, "machines/"+url.PathEscape(key)+"/report", query, &b)
	return b, err
}

// Compare puts two machines beside each other.
func (c *Client) Compare(ctx context.Context, a, b string) (d compare.Document, err error) {
	err = c.get(ctx, "compare", url.Values{"a": {a}, "b": {b}}, &d)
	return d, err
}

// Titles are what a collector should look for.
func (c *Client) Titles(ctx context.Context) (t api.Titles, err error) {
	err = c.get(ctx, "titles", nil, &t)
	return t, err
}

// ReleaseDifference says how a release differs from another, or from its
// revision before where against is empty.
func (c *Client) ReleaseDifference(ctx context.Context, id, against string) (d api.ReleaseDifference, err error) {
	err = c.get(ctx, "releases/"+url.PathEscape(id)+"/difference", url.Values{"against": {against}}, &d)
	return d, err
}

// ValidateRelease reads a release document without keeping it.
func (c *Client) ValidateRelease(ctx context.Context, document []byte) (v api.Validated, err error) {
	err = c.call(ctx, http.MethodPost, "releases/validate", "application/yaml", document, &v)
	return v, err
}

// ImportList makes a list from a file, without keeping it.
func (c *Client) ImportList(ctx context.Context, l api.ImportList) (i api.ImportedList, err error) {
	err = c.send(ctx, http.MethodPost, "lists/import", l, &i)
	return i, err
}

// Fleet counts machines.
func (c *Client) Fleet(ctx context.Context, where string) (f api.Fleet, err error) {
	err = c.get(ctx, "fleet", url.Values{"where": {where}}, &f)
	return f, err
}

// Releases lists release documents.
func (c *Client) Releases(ctx context.Context) (l api.ReleaseList, err error) {
	err = c.get(ctx, "releases", nil, &l)
	return l, err
}

// Release shows the latest revision in sentences.
func (c *Client) Release(ctx context.Context, id string) (r api.Release, err error) {
	err = c.get(ctx, "releases/"+url.PathEscape(id), nil, &r)
	return r, err
}

// ReleaseDocument returns a revision as it was given, with the files it names;
// 0 is the latest.
func (c *Client) ReleaseDocument(ctx context.Context, id string, revision int) (b []byte, err error) {
	err = c.get(ctx, "releases/"+url.PathEscape(id)+"/document", url.Values{"revision": {strconv.Itoa(revision)}}, &b)
	return b, err
}

// AddRelease hands in a release document (YAML or JSON).
func (c *Client) AddRelease(ctx context.Context, document []byte) (r api.ReleaseAdded, err error) {
	err = c.call(ctx, http.MethodPost, "releases", "application/yaml", document, &r)
	return r, err
}

// SetTargets chooses target releases; the fleet is judged again.
func (c *Client) SetTargets(ctx context.Context, t api.TargetSet) (f api.TargetSet, err error) {
	err = c.send(ctx, http.MethodPut, "targets", t, &f)
	return f, err
}

// Sites lists the sites.
func (c *Client) Sites(ctx context.Context) (l api.SiteList, err error) {
	err = c.get(ctx, "sites", nil, &l)
	return l, err
}

// SetSites replaces all sites.
func (c *Client) SetSites(ctx context.Context, l api.SiteList) error {
	return c.send(ctx, http.MethodPut, "sites", l, &l)
}

// Tokens lists tokens.
func (c *Client) Tokens(ctx context.Context) (l api.TokenList, err error) {
	err = c.get(ctx, "tokens", nil, &l)
	return l, err
}

// AddToken makes a token; its secret is in the answer and nowhere else.
func (c *Client) AddToken(ctx context.Context, t api.NewToken) (m api.TokenMade, err error) {
	err = c.send(ctx, http.MethodPost, "tokens", t, &m)
	return m, err
}

// DeleteToken ends a token.
func (c *Client) DeleteToken(ctx context.Context, id int64) error {
	return c.call(ctx, http.MethodDelete, "tokens/"+strconv.FormatInt(id, 10), "", nil, nil)
}

// Users lists the people who sign in.
func (c *Client) Users(ctx context.Context) (l api.UserList, err error) {
	err = c.get(ctx, "users", nil, &l)
	return l, err
}

// SetUser adds a user, or changes one.
func (c *Client) SetUser(ctx context.Context, name string, u api.SetUser) (p api.UserPut, err error) {
	err = c.send(ctx, http.MethodPut, "users/"+url.PathEscape(name), u, &p)
	return p, err
}

// RemoveUser takes a user out.
func (c *Client) RemoveUser(ctx context.Context, name string) error {
	return c.call(ctx, http.MethodDelete, "users/"+url.PathEscape(name), "", nil, nil)
}

// Audit lists the audit log, the latest entry first; who, subject and before select entries,
// where they are not empty.
func (c *Client) Audit(ctx context.Context, who, subject string, before int64, size int) (l api.AuditLog, err error) {
	q := url.Values{
		"who":     {who},
		"subject": {subject},
		"before":  {strconv.FormatInt(before, 10)},
		"size":    {strconv.Itoa(size)},
	}
	err = c.get(ctx, "audit", q, &l)
	return l, err
}

// Backup writes a copy of the service's database to w.
func (c *Client) Backup(ctx context.Context, w io.Writer) error { return c.download(ctx, "backup", w) }

// Export writes every machine that a filter picks to w: as csv or ndjson, with
// facts as columns.
func (c *Client) Export(ctx context.Context, where, format string, facts []string, w io.Writer) error {
	return c.download(ctx, "export?"+url.Values{
		"where":  {where},
		"format": {format},
		"facts":  {strings.Join(facts, ",")},
	}.Encode(), w)
}

// download copies an answer of any size. It may take as long as it takes.
func (c *Client) download(ctx context.Context, path string, w io.Writer) error {
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

// RemoveMachine removes a machine with everything that is known of it.
func (c *Client) RemoveMachine(ctx context.Context, key string) error {
	return c.call(ctx, http.MethodDelete, "machines/"+url.PathEscape(key), "", nil, nil)
}
