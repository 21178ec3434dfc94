// Package webhook sends signed messages to the addresses that are told of changes, and to no
// address that an administrator has not allowed.
package webhook

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"time"

	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/store"
)

// takes is how long an address may take to answer.
const takes = 10 * time.Second

// Sender sends messages.
type Sender struct {
	client       *http.Client
	allowPrivate func() bool
	now          func() time.Time
}

// NewSender makes a sender. allowPrivate says whether addresses of this host and of private
// networks are allowed now; dial is for tests, nil for the network. It follows no redirects: who is
// told was decided by an administrator.
func NewSender(allowPrivate func() bool, now func() time.Time, dial Dial) *Sender {
	return &Sender{
		client: &http.Client{
			Timeout:       takes,
			Transport:     transport(allowPrivate, dial),
			CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
		},
		allowPrivate: allowPrivate,
		now:          now,
	}
}

// name is what a webhook may be called: the name goes into a header of each message.
var name = regexp.MustCompile(`^[A-Za-z0-9][A-Za-z0-9_.-]*$`)

// Mistake says why a webhook cannot have a name and an address, and "" where it can.
func (s *Sender) Mistake(called, address string) string {
	u, err := url.Parse(address)
	if err != nil || !web(u) {
		return fmt.Sprintf("%q is not a webhook address; write it as https://host/path, without a user name or "+
			"password",
			address)
	}
	if ip, err := netip.ParseAddr(u.Hostname()); err == nil {
		if wrong := addressMistake(ip, s.allowPrivate()); wrong != "" {
			return fmt.Sprintf("%s %s", ip, wrong)
		}
	}
	if !name.MatchString(called) {
		return fmt.Sprintf("%q cannot be the name of a webhook; a name has letters, digits, -, _ and .", called)
	}
	return ""
}

func web(u *url.URL) bool {
	return (u.Scheme == "http" || u.Scheme == "https") && u.Host != "" && u.User == nil
}

// Message is what an address is sent of changes.
func Message(changes []store.Flip) api.ChangeMessage {
	m := api.ChangeMessage{Format: "rolltop-changes/1"}
	for i := range changes {
		f := &changes[i]
		one := api.ChangedDisposition{
			ID:      f.ID,
			Machine: f.Key,
			Name:    f.Name,
			Release: f.Release,
			Was:     remedy.Disposition(f.Was).String(),
			Becomes: remedy.Disposition(f.Becomes).String(),
			Cause:   f.Cause,
			By:      strings.Fields(f.Why),
			At:      f.At(),
		}
		if f.Cause == store.ByHandOff {
			one.Wave = f.About
		}
		m.Changes = append(m.Changes, one)
	}
	return m
}

// Send sends changes to an address. Whatever is not an answer 2xx is an error.
func (s *Sender) Send(ctx context.Context, h *store.Webhook, changes []store.Flip) error {
	body, err := json.Marshal(Message(changes))
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, h.URL, bytes.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	sign(req, body, h.Name, h.Secret, s.now())
	res, err := s.client.Do(req)
	if err != nil {
		return fmt.Errorf("it does not respond: %w", err)
	}
	defer res.Body.Close()
	_, _ = io.Copy(io.Discard, io.LimitReader(res.Body, 64<<10))
	if res.StatusCode < 200 || res.StatusCode > 299 {
		return fmt.Errorf("it answered %s", res.Status)
	}
	return nil
}

// sign adds a digest of the body (RFC 9530, section 2) and a signature over it, the method and the
// address (RFC 9421, sections 2.3, 2.5 and 3.3.3).
func sign(req *http.Request, body []byte, keyID, secret string, now time.Time) {
	sum := sha256.Sum256(body)
	digest := "sha-256=:" + base64.StdEncoding.EncodeToString(sum[:]) + ":"
	params := `("@method" "@target-uri" "content-digest");created=` + strconv.FormatInt(now.Unix(), 10) +
		`;keyid="` + keyID + `";alg="hmac-sha256"`
	base := `"@method": ` + req.Method + "\n" +
		`"@target-uri": ` + req.URL.String() + "\n" +
		`"content-digest": ` + digest + "\n" +
		`"@signature-params": ` + params
	mac := hmac.New(sha256.New, []byte(secret))
	mac.Write([]byte(base))
	req.Header.Set("Content-Digest", digest)
	req.Header.Set("Signature-Input", "rolltop="+params)
	req.Header.Set("Signature", "rolltop=:"+base64.StdEncoding.EncodeToString(mac.Sum(nil))+":")
}
