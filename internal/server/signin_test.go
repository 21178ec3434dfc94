package server_test

import (
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

// invite makes a link for a first administrator, and gives its secret.
func invite(t *testing.T, s *servertest.Service) string {
	t.Helper()
	path, err := s.Invite(ctx)
	if err != nil {
		t.Fatal(err)
	}
	_, secret, _ := strings.Cut(path, "#")
	return secret
}

// The first administrator is made with a link that works once.
func TestFirstLink(t *testing.T) {
	t.Parallel()
	s := servertest.StartNew(t, servertest.Options{})
	secret := invite(t, s)
	anon := s.As(t, "")
	_, err := anon.TakeInvitation(ctx,
		api.TakeInvitation{Secret: secret + "x", Name: "harbour master", Password: "long enough 12"})
	refused(t, "a wrong link", err, "is incomplete")
	earlier, secret := secret, invite(t, s)
	_, err = anon.TakeInvitation(ctx,
		api.TakeInvitation{Secret: earlier, Name: "harbour master", Password: "long enough 12"})
	refused(t, "the link of an earlier start", err, "restart the service")
	_, err = anon.TakeInvitation(ctx,
		api.TakeInvitation{Secret: secret, Name: "harbour master", Password: "aaaaaaaaaaaa"})
	refused(t, "a password that is easy to guess", err, "too easy to guess")
	w, err := anon.TakeInvitation(ctx,
		api.TakeInvitation{Secret: secret, Name: "harbour master", Password: "long enough 12"})
	if err != nil || w.Scope != "manage" {
		t.Fatalf("%+v %v", w, err)
	}
	_, err = anon.TakeInvitation(ctx, api.TakeInvitation{Secret: secret, Name: "second", Password: "long enough 12"})
	refused(t, "the link again", err, "the link was used")
	m, err := anon.SignIn(ctx, "harbour master", "long enough 12", api.NewOwnToken{Name: "desk"})
	expect.NoError(t, err)
	expect.Same(t, "m.Scope", m.Scope, "manage")
	expect.That(t, "m.ExpiresAt != nil", m.ExpiresAt != nil)
	s.Client = s.As(t, m.Secret)
	// It ends with any change of what its owner may, and with their password.
	for name, change := range map[string]func() error{
		"a lower role": func() error {
			_, err := s.Client.SetUser(ctx, "clerk", api.SetUser{Role: "viewer"})
			return err
		},
		"fewer sites": func() error {
			_, err := s.Client.SetUser(ctx, "clerk", api.SetUser{Role: "technician", Sites: []string{"Gull Quay"}})
			return err
		},
		"a new password": func() error {
			_, err := s.Client.SetUser(ctx, "clerk", api.SetUser{Role: "technician", Renew: true})
			return err
		},
		"leaving": func() error { return s.Client.RemoveUser(ctx, "clerk") },
	} {
		t.Run(name, func(t *testing.T) {
			if _, err := s.Client.SetUser(ctx, "clerk",
				api.SetUser{Role: "technician", Password: "long enough 34"}); err != nil {
				t.Fatal(err)
			}
			clerk, err := anon.SignIn(ctx, "clerk", "long enough 34", api.NewOwnToken{Name: name})
			if err != nil {
				t.Fatal(err)
			}
			if err := change(); err != nil {
				t.Fatal(name, err)
			}
			if _, err := s.As(t, clerk.Secret).Fleet(ctx, ""); err == nil {
				t.Errorf("a token survives %s of its owner", name)
			}
		})
	}
	own := s.Client
	if _, err := own.Users(ctx); err != nil {
		t.Error(err)
	}
	if err := own.RemoveOwnToken(ctx); err != nil {
		t.Error(err)
	}
	_, err = own.Users(ctx)
	refused(t, "an ended token", err, "Not signed in")
}

// A link is worth nothing once there is an administrator, wherever that one came from.
func TestFirstLinkBesideAnAdministrator(t *testing.T) {
	t.Parallel()
	s := servertest.StartNew(t, servertest.Options{})
	secret := invite(t, s)
	// as rolltop users set --database
	if err := s.SetUser(ctx, "boss", server.RoleAdministrator, "lantern-and-rope"); err != nil {
		t.Fatal(err)
	}
	take := api.TakeInvitation{Secret: secret, Name: "intruder", Password: "long enough 12"}
	_, err := s.As(t, "").TakeInvitation(ctx, take)
	refused(t, "a link from before", err, "an administrator already exists")
	if _, err := s.Invite(ctx); err == nil {
		t.Error("a link is made beside an administrator")
	}
	if list, err := s.As(t, s.NewToken(t, "desk", server.ScopeManage)).Users(ctx); err != nil || len(list.Users) != 1 {
		t.Errorf("%+v %v", list, err)
	}
}

// Of many who use the link at once, one becomes the administrator.
func TestFirstLinkRace(t *testing.T) {
	t.Parallel()
	s := servertest.StartNew(t, servertest.Options{})
	secret := invite(t, s)
	var wait sync.WaitGroup
	made := make(chan string, 20)
	for i := range 20 {
		wait.Go(func() {
			name := fmt.Sprint("captain ", i)
			if _, err := s.As(t, "").TakeInvitation(ctx,
				api.TakeInvitation{Secret: secret, Name: name, Password: "long enough 12"}); err == nil {
				made <- name
			}
		})
	}
	wait.Wait()
	if len(made) > 1 {
		t.Errorf("%d administrators with one link", len(made))
	}
	list, err := s.As(t, s.NewToken(t, "desk", server.ScopeManage)).Users(ctx)
	if err != nil || len(list.Users) != 1 {
		t.Errorf("%+v %v", list, err)
	}
}

// from is a client of HTTP whose connections come from an address of loopback.
func from(address string) *http.Client {
	d := net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(address)}}
	return &http.Client{Transport: &http.Transport{DialContext: d.DialContext, MaxIdleConnsPerHost: 300}}
}

func signInFrom(t *testing.T, c *http.Client, url, name, password string) *http.Response {
	t.Helper()
	body := fmt.Sprintf(`{"name":%q,"password":%q}`, name, password)
	res, err := c.Post(url+"/api/v1/session", "application/json", strings.NewReader(body))
	if err != nil {
		t.Error(err)
		return &http.Response{}
	}
	_, _ = io.Copy(io.Discard, res.Body)
	_ = res.Body.Close()
	return res
}

// Whoever hammers from one address keeps nobody at another from signing in, and is told
// at once; the log and the audit log have both.
func TestSignInUnderHammering(t *testing.T) {
	t.Parallel()
	log := &locked{}
	s := servertest.StartWith(t, servertest.Options{Log: slog.New(slog.NewTextHandler(log, nil))})
	const hammers = 200
	hammer := from("127.0.0.66")
	var wait sync.WaitGroup
	statuses := make(chan int, 10*hammers)
	for i := range hammers {
		wait.Go(func() {
			for k := range 10 {
				res := signInFrom(t, hammer, s.URL, fmt.Sprintf("nobody %d %d", i, k), "whatever it may be")
				statuses <- res.StatusCode
				if res.StatusCode == http.StatusTooManyRequests && res.Header.Get("Retry-After") == "" {
					t.Error("a refusal does not say when to try again")
				}
			}
		})
	}
	var longest time.Duration
	for i := range 5 {
		begin := time.Now()
		if res := signInFrom(t, from("127.0.0.67"), s.URL, "demo", servertest.Password); res.StatusCode != 200 {
			t.Errorf("a right sign-in, number %d: %d", i, res.StatusCode)
		}
		longest = max(longest, time.Since(begin))
	}
	t.Logf("beside %d connections that hammer, a right sign-in took %v at most", hammers,
		longest.Round(time.Millisecond))
	for range 300 { // in somebody's name
		if res := signInFrom(t, hammer, s.URL, "demo",
			"not the password"); res.StatusCode != http.StatusTooManyRequests &&
			res.StatusCode != http.StatusUnauthorized {
			t.Error(res.StatusCode)
		}
	}
	if res := signInFrom(t, from("127.0.0.68"), s.URL, "demo", servertest.Password); res.StatusCode != 200 {
		t.Errorf("failures elsewhere lock a user out: %d", res.StatusCode)
	}
	wait.Wait()
	close(statuses)
	count := map[int]int{}
	for status := range statuses {
		count[status]++
	}
	// a minute may have ended meanwhile
	if count[http.StatusUnauthorized] > 60 ||
		count[http.StatusUnauthorized]+count[http.StatusTooManyRequests] != 10*hammers {
		t.Errorf("answers to the hammer: %v", count)
	}
	audit, err := s.Client.Audit(ctx, "", "", "", 1000)
	if err != nil {
		t.Fatal(err)
	}
	seen := map[string]bool{}
	for _, a := range audit.Entries {
		seen[a.What+" "+a.Becomes] = true
	}
	for _, want := range []string{
		"sign-in from 127.0.0.67", "sign-in-failed from 127.0.0.66", "sign-in-refused from 127.0.0.66",
	} {
		if !seen[want] {
			t.Errorf("the audit log lacks %q: %v", want, seen)
		}
	}
	if len(audit.Entries) > 200 {
		t.Errorf("a flood fills the audit log with %d acts", len(audit.Entries))
	}
	for _, want := range []string{
		"level=INFO msg=sign-in name=demo address=127.0.0.67", "msg=sign-in-failed name=", "msg=sign-in-refused",
	} {
		if !strings.Contains(log.String(), want) {
			t.Errorf("the log lacks %q", want)
		}
	}
	if strings.Contains(log.String(), "not the password") {
		t.Error("the log has a password")
	}
}

// Over TLS a cookie that anybody may have set neither counts nor shadows the right one.
func TestCookieOverTLS(t *testing.T) {
	t.Parallel()
	s := servertest.StartWith(t, servertest.Options{Secure: true})
	res := signInFrom(t, http.DefaultClient, s.URL, "demo", servertest.Password)
	var good string
	for _, c := range res.Cookies() {
		switch {
		case c.Name == "__Host-rolltop_session" && c.Secure && c.HttpOnly && c.Path == "/" && c.Domain == "":
			good = c.Value
		case c.Name == "rolltop_session" && c.MaxAge < 0:
		default:
			t.Errorf("%+v", c)
		}
	}
	if res.Header.Get("Strict-Transport-Security") == "" {
		t.Error("a browser is not told to stay with TLS")
	}
	for _, c := range []struct {
		cookies string
		want    int
	}{
		{"__Host-rolltop_session=" + good, 200},
		{"rolltop_session=stale; __Host-rolltop_session=" + good, 200},
		{"rolltop_session=" + good, 401},
	} {
		t.Run(c.cookies, func(t *testing.T) {
			req, err := http.NewRequest(http.MethodGet, s.URL+"/api/v1/fleet", nil)
			if err != nil {
				t.Fatal(err)
			}
			req.Header.Set("Cookie", c.cookies)
			res, err := http.DefaultClient.Do(req)
			if err != nil {
				t.Fatal(err)
			}
			_ = res.Body.Close()
			if res.StatusCode != c.want {
				t.Errorf("%.40s: %d, want %d", c.cookies, res.StatusCode, c.want)
			}
		})
	}
}

// Passwords are refused without being repeated, and names cannot be mistaken.
func TestNamesAndPasswords(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	for password, why := range map[string]string{
		"secret-7":          "at least 12",
		"            ":      "too easy to guess",
		"aaaaaaaaaaaa":      "too easy to guess",
		"password12345":     "too easy to guess",
		"harbour-master-12": "", // the name of the user alone
	} {
		t.Run(password, func(t *testing.T) {
			_, err := s.Client.SetUser(ctx, "clerk", api.SetUser{Role: "viewer", Password: password})
			if why == "" {
				if err != nil {
					t.Errorf("%q: %v", password, err)
				}
				return
			}
			refused(t, password, err, why)
			if err != nil && strings.Contains(err.Error(), strings.TrimSpace(password)) {
				if strings.TrimSpace(password) != "" {
					t.Errorf("the refusal repeats %q: %v", password, err)
				}
			}
		})
	}
	for _, name := range []string{" ", " clerk", "clerk ", "cl\nerk", "cl\u202eerk", "everything", "EVERYTHING"} {
		if _, err := s.Client.SetUser(ctx, name,
			api.SetUser{Role: "viewer", Password: "lantern-and-rope"}); err == nil {
			t.Errorf("a user can be called %q", name)
		}
	}
	for _, name := range []string{"demo", "Demo", "x\u200b", " "} {
		if _, err := s.Client.AddToken(ctx, api.NewToken{Name: name, Scope: "read"}); err == nil {
			t.Errorf("a token can be called %q", name)
		}
	}
	// A token that has a user's name, from before, cannot change that user's password.
	impostor := s.As(t, s.NewToken(t, "clerk", server.ScopeRead))
	err := putPassword(impostor, "harbour-master-12", "lantern-and-rope")
	refused(t, "a token named as a user", err, "a token has no password")
}

func putPassword(c *client.Client, old, is string) error {
	return c.ReplacePassword(ctx, api.ChangePassword{Old: old, New: is})
}
