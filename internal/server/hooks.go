package server

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/netip"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// Addresses that are told when machines' dispositions change.
func (s *Server) hooks(a huma.API) {
	tag := []string{"Settings"}
	huma.Register(a, secured(huma.Operation{OperationID: "hooks", Method: http.MethodGet, Path: "/hooks", Summary: "Addresses that are told of changes of disposition", Tags: tag}, ScopeManage), s.listHooks)
	huma.Register(a, secured(huma.Operation{OperationID: "put-hook", Method: http.MethodPut, Path: "/hooks/{name}", Summary: "Add an address, or change one", Tags: tag, Errors: []int{http.StatusUnprocessableEntity},
		Description: "It is sent what changes from now on, in the order in which it happened, again and again until it answers 2xx. Messages are signed (RFC 9421, hmac-sha256) over their method, address and digest (RFC 9530)."}, ScopeManage), s.putHook)
	huma.Register(a, secured(huma.Operation{OperationID: "remove-hook", Method: http.MethodDelete, Path: "/hooks/{name}", Summary: "Tell an address no more", Tags: tag, DefaultStatus: http.StatusNoContent, Errors: []int{http.StatusNotFound}}, ScopeManage),
		func(ctx context.Context, in *struct {
			Name string `path:"name" maxLength:"64"`
		}) (*struct{}, error) {
			if err := s.store.RemoveHook(ctx, in.Name); err != nil {
				return nil, s.problem(err, fmt.Sprintf("there is no address %q", in.Name))
			}
			return nil, nil
		})
}

func hookRow(h *store.Hook) api.Hook {
	out := api.Hook{Name: h.Name, URL: h.URL, Tries: h.Tries, Problem: h.Problem, Waiting: h.Waiting}
	if h.SentAt > 0 {
		at := time.UnixMilli(h.SentAt).UTC()
		out.SentAt = &at
	}
	if h.NextAt > 0 {
		at := time.UnixMilli(h.NextAt).UTC()
		out.NextAt = &at
	}
	return out
}

func (s *Server) listHooks(ctx context.Context, _ *struct{}) (*struct{ Body api.HookList }, error) {
	list, err := s.store.Hooks(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	out := api.HookList{Hooks: []api.Hook{}}
	for i := range list {
		out.Hooks = append(out.Hooks, hookRow(&list[i]))
	}
	return &struct{ Body api.HookList }{out}, nil
}

func (s *Server) putHook(ctx context.Context, in *struct {
	Name string `path:"name" minLength:"1" maxLength:"64"`
	Body api.PutHook
}) (*struct{ Body api.HookPut }, error) {
	u, err := url.Parse(in.Body.URL)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.User != nil {
		return nil, refuse("The address was not taken", "%q is no address to send to; write it as https://host/path, without a name and a password", in.Body.URL)
	}
	if ip, err := netip.ParseAddr(u.Hostname()); err == nil {
		if wrong := hookMistake(ip, s.settings().WebhooksPrivate); wrong != "" {
			return nil, refuse("The address was not taken", "%s %s", ip, wrong)
		}
	}
	if !hookName.MatchString(in.Name) {
		return nil, refuse("The address was not taken", "%q cannot be the name of a webhook; a name has letters, digits, -, _ and .", in.Name)
	}
	list, err := s.store.Hooks(ctx)
	if err != nil {
		return nil, s.problem(err, "")
	}
	isNew := true
	for i := range list {
		isNew = isNew && list[i].Name != in.Name
	}
	h := store.Hook{Name: in.Name, URL: in.Body.URL}
	if isNew || in.Body.Renew {
		h.Secret = NewSecret("")
	}
	store.Note(ctx, "", u.Redacted())
	if err := s.store.PutHook(ctx, &h); err != nil {
		return nil, s.problem(err, "")
	}
	return &struct{ Body api.HookPut }{api.HookPut{Hook: hookRow(&h), Secret: h.Secret}}, nil
}

// How much a message holds, how long an address may take, and how long it is left
// alone after failures.
const (
	mostFlips   = 200
	hookTakes   = 10 * time.Second
	hookFirst   = 5 * time.Second
	hookLongest = 30 * time.Minute
)

// tellHooks sends what is due, to all addresses at once.
func (s *Server) tellHooks(ctx context.Context) {
	list, err := s.store.Hooks(ctx)
	if err != nil {
		if ctx.Err() == nil {
			s.log.Error("addresses to tell cannot be read", "error", err)
		}
		return
	}
	done := make(chan struct{})
	n := 0
	for i := range list {
		if h := &list[i]; h.Waiting > 0 && h.NextAt <= s.now().UnixMilli() {
			n++
			go func() {
				defer func() { done <- struct{}{} }()
				if err := s.tell(ctx, h); err != nil && ctx.Err() == nil {
					wait := min(hookFirst<<min(h.Tries, 12), hookLongest)
					wait += rand.N(wait / 4) // not all at once after an outage
					if err := s.store.Undelivered(ctx, h.Name, err.Error(), s.now().Add(wait)); err != nil {
						s.log.Error("a failed message was not noted", "error", err)
					}
				}
			}()
		}
	}
	for range n {
		<-done
	}
}

// tell sends an address what it was not told of yet, message by message.
func (s *Server) tell(ctx context.Context, h *store.Hook) error {
	for {
		flips, err := s.store.Flips(ctx, h.LastFlip, mostFlips)
		if err != nil || len(flips) == 0 {
			return err
		}
		m := api.Flips{Format: "rolltop-changes/1"}
		for i := range flips {
			f := &flips[i]
			one := api.Flip{ID: f.ID, Machine: f.Key, Name: f.Name, Release: f.Release, Was: dispositionName(f.Was), Becomes: dispositionName(f.Becomes), Cause: f.Cause, By: strings.Fields(f.Why), At: f.At()}
			if f.Cause == store.ByHandOff {
				one.Wave = f.About
			}
			m.Changes = append(m.Changes, one)
		}
		if err := s.post(ctx, h, &m); err != nil {
			return err
		}
		h.LastFlip = flips[len(flips)-1].ID
		if err := s.store.Delivered(ctx, h.Name, h.LastFlip, s.now()); err != nil {
			return err
		}
	}
}

// newHookClient makes a client that follows no redirects: who is told was decided by an
// administrator.
func (s *Server) newHookClient(dial Dial) *http.Client {
	return &http.Client{
		Timeout:       hookTakes,
		Transport:     hookTransport(func() bool { return s.settings().WebhooksPrivate }, dial),
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
}

// hookName is what a webhook may be called: the name goes into a header of each message.
var hookName = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9_.-]*$`)

func (s *Server) post(ctx context.Context, h *store.Hook, m *api.Flips) error {
	body, err := json.Marshal(m)
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, h.URL, bytes.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	sign(req, body, h.Name, h.Secret, s.now())
	res, err := s.hookClient.Do(req)
	if err != nil {
		return fmt.Errorf("it does not answer: %w", err)
	}
	defer res.Body.Close()
	_, _ = io.Copy(io.Discard, io.LimitReader(res.Body, 64<<10))
	if res.StatusCode < 200 || res.StatusCode > 299 {
		return fmt.Errorf("it answered %s", res.Status)
	}
	return nil
}

// sign adds a digest of the body (RFC 9530, section 2) and a signature over it, the
// method and the address (RFC 9421, sections 2.3, 2.5 and 3.3.3).
func sign(req *http.Request, body []byte, keyID, secret string, now time.Time) {
	sum := sha256.Sum256(body)
	digest := "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
	params := `("@method" "@target-uri" "content-digest");created=` + strconv.FormatInt(now.Unix(), 10) + `;keyid="` + keyID + `";alg="hmac-sha256"`
	base := "\"@method\": " + req.Method + "\n\"@target-uri\": " + req.URL.String() + "\n\"content-digest\": " + digest + "\n\"@signature-params\": " + params
	mac := hmac.New(sha256.New, []byte(secret))
	mac.Write([]byte(base))
	req.Header.Set("Content-Digest", digest)
	req.Header.Set("Signature-Input", "rolltop="+params)
	req.Header.Set("Signature", "rolltop=:"+base64.StdEncoding.EncodeToString(mac.Sum(nil))+":")
}
