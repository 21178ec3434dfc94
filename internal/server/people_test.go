package server_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

// signIn gives the cookie of a user, or the status.
func signIn(t *testing.T, s *servertest.Service, name, password string) (*http.Cookie, int) {
	t.Helper()
	body, _ := json.Marshal(api.Credentials{Name: name, Password: password})
	res, err := http.Post(s.URL+"/api/v1/session", "application/json", strings.NewReader(string(body)))
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	if len(res.Cookies()) == 0 {
		return nil, res.StatusCode
	}
	return res.Cookies()[0], res.StatusCode
}

func as(t *testing.T, s *servertest.Service, c *http.Cookie, method, path, body string) int {
	t.Helper()
	req, err := http.NewRequest(method, s.URL+"/api/v1"+path, strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	req.AddCookie(c)
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		t.Fatal(err)
	}
	res.Body.Close()
	return res.StatusCode
}

func TestUsersAndRoles(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	u, err := s.Client.SetUser(ctx, "harbour-master", api.SetUser{Role: "technician"})
	if err != nil || len(u.Password) < 20 {
		t.Fatalf("%v %+v", err, u)
	}
	c, status := signIn(t, s, "harbour-master", u.Password)
	if status != 200 {
		t.Fatal(status)
	}
	for _, tt := range []struct {
		method, path, body string
		want               int
	}{
		{"GET", "/fleet", "", 200}, {"PUT", "/machines/gull-101/ticks/prepare/backup", `{"state":"done"}`, 200},
		{"POST", "/machines/gull-101/visit-link", "", 200},
		{"PUT", "/machines/gull-101/facts/tpm.header", `{"value":"true"}`, 200}, {"PUT", "/targets", `{}`, 403},
		{"GET", "/users", "", 403}, {"GET", "/audit", "", 403}, {"PUT", "/knowledge/prices", `{"text":"x"}`, 403},
	} {
		t.Run(tt.method, func(t *testing.T) {
			if got := as(t, s, c, tt.method, tt.path, tt.body); got != tt.want {
				t.Errorf("a technician: %s %s is %d, want %d", tt.method, tt.path, got, tt.want)
			}
		})
	}
	// A role that changes counts at once, and the password stays.
	if u, err = s.Client.SetUser(ctx, "harbour-master", api.SetUser{Role: "viewer"}); err != nil || u.Password != "" {
		t.Errorf("%v %+v", err, u)
	}
	if got := as(t, s, c, "PUT", "/machines/gull-101/ticks/prepare/backup", `{"state":"done"}`); got != 403 {
		t.Errorf("a viewer ticks: %d", got)
	}
	// One's own password: it takes the old one, and signs out.
	if got := as(t, s, c, "PUT", "/session/password", `{"old":"guess","new":"lantern-and-rope"}`); got != 422 {
		t.Errorf("a wrong old password: %d", got)
	}
	renewed, err := s.Client.SetUser(ctx, "harbour-master", api.SetUser{Role: "viewer", Renew: true})
	expect.NoError(t, err)
	expect.That(t, `renewed.Password != ""`, renewed.Password != "")
	expect.Same(t, `as(t, s, c, "GET", "/fleet", "")`, as(t, s, c, "GET", "/fleet", ""), 401)
	if c, status = signIn(t, s, "harbour-master", renewed.Password); status != 200 {
		t.Fatal(status)
	}
	if got := as(t, s, c, "PUT", "/session/password", `{"old":"`+renewed.Password+`","new":"short"}`); got != 422 {
		t.Errorf("a short password: %d", got)
	}
	if got := as(t, s, c, "PUT", "/session/password",
		`{"old":"`+renewed.Password+`","new":"lantern-and-rope"}`); got != 204 {
		t.Errorf("its own password: %d", got)
	}
	if _, status = signIn(t, s, "harbour-master", "lantern-and-rope"); status != 200 {
		t.Errorf("with the new one: %d", status)
	}
	// Somebody stays who may do everything.
	if _, err := s.Client.SetUser(ctx, "demo", api.SetUser{Role: "viewer"}); err == nil ||
		!strings.Contains(err.Error(), "the only administrator") {
		t.Errorf("the last administrator becomes a viewer: %v", err)
	}
	if err := s.Client.RemoveUser(ctx, "demo"); err == nil || !strings.Contains(err.Error(), "the only administrator") {
		t.Errorf("the last administrator is removed: %v", err)
	}
	if err := s.Client.RemoveUser(ctx, "nobody"); err == nil || !strings.Contains(err.Error(), `no user "nobody"`) {
		t.Errorf("%v", err)
	}
	if err := s.Client.RemoveUser(ctx, "harbour-master"); err != nil {
		t.Error(err)
	}
	l, err := s.Client.Users(ctx)
	expect.NoError(t, err)
	expect.Same(t, "len(l.Users)", len(l.Users), 1)
	expect.Same(t, "l.Users[0].Name", l.Users[0].Name, "demo")
	expect.Same(t, "l.Users[0].Role", l.Users[0].Role, "administrator")
}

func TestTokensExpire(t *testing.T) {
	t.Parallel()
	var ahead atomic.Int64
	s := servertest.StartAt(t, nil, func() time.Time { return time.Now().Add(time.Duration(ahead.Load())) })
	m, err := s.Client.AddToken(ctx, api.NewToken{Name: "pier", Scope: "read", Days: 7})
	expect.NoError(t, err)
	expect.That(t, "m.ExpiresAt != nil", m.ExpiresAt != nil)
	expect.Same(t, "time.Until(*m.ExpiresAt).Round(time.Hour)",
		time.Until(*m.ExpiresAt).Round(time.Hour), 7*24*time.Hour)
	if status, _, _ := call(t, "GET", s.URL+"/api/v1/fleet", m.Secret, "", ""); status != 200 {
		t.Errorf("before: %d", status)
	}
	ahead.Store(int64(7*24*time.Hour + time.Minute))
	if status, _, _ := call(t, "GET", s.URL+"/api/v1/fleet", m.Secret, "", ""); status != 401 {
		t.Errorf("after: %d", status)
	}
	if status, _, _ := call(t, "GET", s.URL+"/api/v1/fleet", s.Token, "", ""); status != 200 {
		t.Errorf("one that does not expire: %d", status)
	}
}

// Every change is kept with who made it, and what was not changed is not.
func TestAudit(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	last := func() api.AuditEntry {
		l, err := s.Client.Audit(ctx, "", "", "", 1)
		if err != nil {
			t.Fatal(err)
		}
		if len(l.Entries) == 0 {
			return api.AuditEntry{}
		}
		return l.Entries[0]
	}
	if a := last(); a.ID != 0 {
		t.Errorf("filling the demo is no act of anybody's: %+v", a)
	}
	do := func(err error, what, subject, was, becomes string) {
		t.Helper()
		if err != nil {
			t.Fatal(err)
		}
		a := last()
		expect.Same(t, "a.Who", a.Who, "everything")
		expect.Same(t, "a.What", a.What, what)
		expect.Same(t, "a.Subject", a.Subject, subject)
		expect.Contains(t, a.Was, was)
		expect.Contains(t, a.Becomes, becomes)
		expect.That(t, "time.Since(a.At) <= time.Minute", time.Since(a.At) <= time.Minute)
	}
	_, err := s.Client.SetFact(ctx, "holm-011", "tpm.header", api.SetFact{Value: "true"})
	do(err, "set-fact", "holm-011/tpm.header", "not entered", "tpm.header: true")
	_, err = s.Client.SetFact(ctx, "holm-011", "tpm.header", api.SetFact{Value: "false"})
	do(err, "set-fact", "holm-011/tpm.header", "tpm.header: true", "tpm.header: false")
	_, err = s.Client.RemoveFact(ctx, "holm-011", "tpm.header")
	do(err, "remove-fact", "holm-011/tpm.header", "tpm.header: false", "not entered")
	_, err = s.Client.SetTick(ctx, "gull-101", "prepare", "backup", api.SayTick{State: "done"})
	do(err, "set-tick", "gull-101/prepare/backup", "nothing was said", "Done by everything")
	_, err = s.Client.SetTargets(ctx, api.TargetSet{PC: "skerry-13", Testing: true})
	do(err, "set-targets", "", "PCs: skerry-12@5; Macs: fathom-9@2", "PCs: skerry-13@1; Macs: fathom-9@2")
	_, err = s.Client.SetUser(ctx, "harbour-master", api.SetUser{Role: "viewer"})
	do(err, "set-user", "harbour-master", "", "viewer")
	_, err = s.Client.AddToken(ctx, api.NewToken{Name: "pier", Scope: "submit"})
	do(err, "add-token", "", "", "pier, may submit")
	_, err = s.Client.RemoveKnowledge(ctx, "prices")
	do(err, "remove-knowledge", "prices", "", "")
	// What is refused, read or handed in leaves no act.
	before := last()
	_, _ = s.Client.SetFact(ctx, "holm-011", "tpm.header", api.SetFact{Value: "perhaps"})
	_ = s.Client.RemoveUser(ctx, "demo")
	_, _ = s.Client.SetTick(ctx, "gull-101", "step", "nothing", api.SayTick{State: "done"})
	_, _ = s.Client.Machine(ctx, "gull-101")
	src, err := s.Client.Inventory(ctx, "gull-101", 0)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client.Submit(ctx, src); err != nil {
		t.Fatal(err)
	}
	if a := last(); a != before {
		t.Errorf("nothing was changed, and it says %+v", a)
	}
	// They can be picked and paged.
	l, err := s.Client.Audit(ctx, "", "holm-011", "", 2)
	expect.NoError(t, err)
	expect.Same(t, "len(l.Entries)", len(l.Entries), 2)
	expect.That(t, "there is a next page", l.Next != "")
	expect.Same(t, "l.Entries[0].What", l.Entries[0].What, "remove-fact")
	l, err = s.Client.Audit(ctx, "", "holm-011", l.Next, 2)
	expect.NoError(t, err)
	expect.Same(t, "len(l.Entries)", len(l.Entries), 1)
	expect.Same(t, "l.Next", l.Next, "")
	if l, err = s.Client.Audit(ctx, "somebody", "", "", 9); err != nil || len(l.Entries) != 0 {
		t.Errorf("%v %+v", err, l)
	}
}

// A machine that is removed is nowhere any more: not in lists, nor in what was
// done, nor behind a link.
func TestRemovedMachineIsGone(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	if _, err := s.Client.SetFact(ctx, "holm-011", "tpm.header",
		api.SetFact{Value: "true", Note: "by the harbour master"}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client.SetTick(ctx, "holm-011", "prepare", "backup", api.SayTick{State: "done"}); err != nil {
		t.Fatal(err)
	}
	link, err := s.Client.VisitLink(ctx, "holm-011", 1)
	if err != nil {
		t.Fatal(err)
	}
	before, err := s.Client.Fleet(ctx, "")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.Client.RemoveMachine(ctx, "holm-011"); err != nil {
		t.Fatal(err)
	}
	if f, err := s.Client.Fleet(ctx, ""); err != nil || f.Total != before.Total-1 {
		t.Errorf("%v: %d of %d machines", err, f.Total, before.Total)
	}
	if l, err := s.Client.Machines(ctx, "holm-011", "name", 1, 9); err != nil || l.Total != 0 {
		t.Errorf("%v: it is listed", err)
	}
	if _, err := s.Client.Machine(ctx, "holm-011"); err == nil {
		t.Error("it has a page")
	}
	if status, _, _ := call(t, "GET", link.Address, "", "", ""); status != 404 {
		t.Errorf("its visit: %d", status)
	}
	audit, err := s.Client.Audit(ctx, "", "", "", 9)
	expect.NoError(t, err)
	expect.Same(t, "len(audit.Entries)", len(audit.Entries), 4)
	expect.Same(t, "audit.Entries[0].What", audit.Entries[0].What, "remove-machine")
	for _, a := range audit.Entries {
		expect.That(t, "strings.HasPrefix(a.Subject, \"machine \")", strings.HasPrefix(a.Subject, "machine "))
		expect.Lacks(t, strings.ToLower(a.Subject+a.Was+a.Becomes), "holm")
		expect.Same(t, "a.Becomes", a.Becomes, "")
	}
	if err := s.Client.RemoveMachine(ctx, "holm-011"); err == nil {
		t.Error("it is removed twice")
	}
	// The same machine can come back, as a new one.
	if l, err := s.Client.Machines(ctx, "older=0", "name", 1, 1); err != nil || l.Total != before.Total-1 {
		t.Errorf("%v: %d have an inventory", err, l.Total)
	}
}
