package server_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"testing"
	"time"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
)

// operations is every operation of the API description.
func operations(t *testing.T, url string) map[string]map[string]any {
	t.Helper()
	status, _, body := call(t, "GET", url+"/api/v1/openapi.json", "", "", "")
	var d struct {
		OpenAPI string
		Paths   map[string]map[string]map[string]any
	}
	err := json.Unmarshal([]byte(body), &d)
	expect.NoError(t, err)
	expect.Same(t, "status", status, 200)
	expect.That(t, `strings.HasPrefix(d.OpenAPI, "3.1")`, strings.HasPrefix(d.OpenAPI, "3.1"))
	out := map[string]map[string]any{}
	for path, ops := range d.Paths {
		for method, op := range ops {
			out[strings.ToUpper(method)+" "+path] = op
		}
	}
	return out
}

// What each operation takes. An operation that is not listed fails the test, so
// that none can be added without deciding who may call it.
var scopes = map[string]string{
	"GET /filters/{name}": "read", "GET /users/{name}": "manage", "GET /webhooks/{name}": "manage",
	"GET /filter": "read", "GET /filter/completions": "read", "GET /blackout": "read",
	"GET /problems": "open", "GET /problems/{id}": "open",
	"GET /version": "open", "POST /session": "open", "GET /session": "open", "DELETE /session": "anybody",
	"POST /inventories": "submit", "GET /titles": "submit",
	"GET /machines": "read", "GET /machines/{key}": "read", "GET /machines/{key}/inventory": "read",
	"GET /fleet": "read", "GET /fleet/answers": "read",
	"GET /releases": "read", "GET /releases/{id}": "read", "GET /releases/{id}/document": "read",
	"GET /targets": "read", "GET /sites": "read",
	"GET /releases/{id}/text": "read", "GET /releases/{id}/difference": "read", "GET /machines/{key}/check": "read",
	"GET /machines/{key}/report": "read", "GET /compare": "read", "GET /skeleton": "read",
	"POST /releases/validate": "manage", "POST /lists/import": "manage",
	"POST /releases/{id}/compare-page": "manage", "POST /applications/import": "manage",
	"PUT /machines/{key}/facts/{fact}":    "work",
	"DELETE /machines/{key}/facts/{fact}": "work",
	"GET /backup":                         "manage", "DELETE /machines/{key}": "manage", "GET /collectors": "read",
	"GET /export": "read",
	"GET /users":  "manage", "PUT /users/{name}": "manage", "DELETE /users/{name}": "manage",
	"PUT /session/password": "read", "GET /audit": "manage",
	"GET /knowledge": "read", "GET /knowledge/{kind}": "read", "PUT /knowledge/{kind}": "manage",
	"GET /knowledge/{kind}/history": "read", "GET /knowledge/{kind}/history/{number}": "read",
	"POST /knowledge/{kind}/history/{number}/activate": "manage",
	"POST /knowledge/{kind}/validate":                  "manage", "DELETE /knowledge/{kind}": "manage",
	"GET /machines/{key}/results":             "read",
	"PUT /machines/{key}/ticks/{kind}/{item}": "work", "DELETE /machines/{key}/ticks/{kind}/{item}": "work",
	"POST /machines/{key}/visit-link": "work", "DELETE /machines/{key}/visit-link": "work",
	"POST /machines/{key}/key": "work", "POST /machine-changes": "work", "GET /tags": "read", "GET /filters": "read",
	"PUT /filters/{name}": "work", "DELETE /filters/{name}": "work", "GET /duplicates": "read",
	"POST /duplicates/{id}": "work",
	"GET /model-facts":      "read", "POST /model-facts": "work", "DELETE /model-facts/{id}": "work",
	"GET /expected": "read", "PUT /expected": "manage", "PUT /expected/{id}/reason": "work",
	"GET /fleet/matrix": "read", "GET /fleet/report": "read", "GET /events": "read", "GET /fleet/progress": "read",
	"GET /webhooks": "manage", "PUT /webhooks/{name}": "manage", "DELETE /webhooks/{name}": "manage",
	"GET /settings":      "read",
	"PUT /settings":      "manage",
	"POST /attestations": "submit", "POST /attestations/secret": "submit",
	"POST /inventories/lines": "submit", "POST /sheets": "manage", "POST /session/first": "open",
	"POST /session/token": "read", "DELETE /session/token": "anybody",
	"GET /decisions": "read", "POST /decisions": "work", "DELETE /decisions/{id}": "work",
	"GET /applications": "read", "GET /applications/machines": "read",
	"GET /work": "read", "GET /work/export": "read", "POST /waves/{id}/outcomes/file": "work",
	"POST /work/assign": "work", "PUT /work/stock": "work", "GET /work/messages": "read", "GET /work/sheet": "read",
	"GET /work/wins": "read", "POST /what-if": "read", "GET /judging": "read", "GET /rule-changes": "read",
	"GET /rule-changes/{id}": "read",
	"POST /work/ticks":       "work", "GET /work/calendar": "read", "GET /technicians": "read",
	"PUT /technicians/{name}": "work", "DELETE /technicians/{name}": "work", "PUT /decisions/{id}": "work",
	"POST /bulk-changes/{id}/undo": "work", "POST /machines/{key}/notes": "work",
	"DELETE /machines/{key}/notes/{id}": "work",
	"POST /releases/{id}/activate":      "manage", "GET /forecast": "read", "POST /waves/{id}/resume": "manage",
	"GET /orders": "read", "POST /orders": "work", "GET /orders/{number}": "read", "PUT /orders/{number}": "work",
	"DELETE /orders/{number}": "work", "GET /replacements": "read", "GET /machines/{key}/replacement": "read",
	"PUT /machines/{key}/replacement": "work", "DELETE /machines/{key}/replacement": "work",
	"PUT /questions/{id}": "work", "POST /questions/{id}/answer": "manage", "GET /questions/answers": "read",
	"GET /fleet/briefing": "read", "GET /fleet/briefing/page": "read", "GET /machines/{key}/case": "read",
	"GET /waves": "read", "POST /waves": "manage", "GET /waves/{id}": "read", "PUT /waves/{id}": "manage",
	"DELETE /waves/{id}": "manage", "POST /waves/{id}/machines": "manage",
	"DELETE /waves/{id}/machines/{key}": "manage",
	"GET /waves/{id}/hand-off":          "read", "POST /waves/{id}/hand-off": "manage",
	"POST /waves/{id}/outcomes": "work",
	"PUT /blackout":             "manage",
	"POST /releases":            "manage", "PUT /targets": "manage", "PUT /sites": "manage", "GET /tokens": "manage",
	"POST /tokens": "manage", "DELETE /tokens/{id}": "manage",
}

func TestNobodyIsLetIn(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	tokens := map[string]string{
		"nobody": "",
		"submit": s.NewToken(t, "s", server.ScopeSubmit),
		"read":   s.NewToken(t, "r", server.ScopeRead),
		"work":   s.NewToken(t, "w", server.ScopeWork),
		"manage": s.Token,
	}
	may := map[string][]string{
		"open":    {"nobody", "submit", "read", "work", "manage"},
		"anybody": {"submit", "read", "work", "manage"},
		"submit":  {"submit", "manage"},
		"read":    {"read", "work", "manage"},
		"work":    {"work", "manage"},
		"manage":  {"manage"},
	}
	for op := range operations(t, s.URL) {
		scope, listed := scopes[op]
		if !listed {
			t.Errorf("%s is not in the list of who may call what", op)
			continue
		}
		method, path, _ := strings.Cut(op, " ")
		path = strings.NewReplacer("{key}", "x", "{id}", "999", "{fact}", "tpm.state", "{kind}", "steps",
			"{number}", "999", "{item}", "backup", "{name}", "x").Replace(path)
		for who, token := range tokens {
			if op == "DELETE /session/token" && who != "nobody" {
				token = s.NewToken(t, "to end "+who,
					map[string]string{"submit": "submit", "read": "read", "work": "work", "manage": "manage"}[who])
			}
			allowed := false
			for _, m := range may[scope] {
				allowed = allowed || m == who
			}
			status, _, _ := call(t, method, s.URL+"/api/v1"+path, token, "application/json", "{}")
			refused := status == 401 || status == 403
			switch op {
			case "POST /session", "POST /session/first":
				refused = false // this 401 is about the password, the 403 about the link
			case "POST /session/token":
				refused = refused &&
					(who == "nobody" || who == "submit") // another 403 is about a token that makes tokens
			}
			if refused == allowed {
				t.Errorf("%s by %s: %d, and it takes %s", op, who, status, scope)
			}
		}
	}
}

func TestSignIn(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	post := func(body string, change func(*http.Request)) *http.Response {
		req, _ := http.NewRequest("POST", s.URL+"/api/v1/session", strings.NewReader(body))
		req.Header.Set("Content-Type", "application/json")
		change(req)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res
	}
	nothing := func(*http.Request) {}
	if res := post(`{"name":"demo","password":"wrong"}`, nothing); res.StatusCode != 401 || len(res.Cookies()) != 0 {
		t.Errorf("a wrong password: %d", res.StatusCode)
	}
	if res := post(`{"name":"nobody","password":"wrong"}`, nothing); res.StatusCode != 401 {
		t.Errorf("an unknown name: %d", res.StatusCode)
	}
	right := fmt.Sprintf(`{"name":"demo","password":%q}`, servertest.Password)
	if res := post(right, func(r *http.Request) {
		r.Header.Set("Origin",
			"https://elsewhere.example")
	}); res.StatusCode != 403 {
		t.Errorf("from another site: %d", res.StatusCode)
	}
	res := post(right, nothing)
	if res.StatusCode != 200 || len(res.Cookies()) != 1 {
		t.Fatalf("%d, %d cookies", res.StatusCode, len(res.Cookies()))
	}
	c := res.Cookies()[0]
	expect.That(t, "c.HttpOnly", c.HttpOnly)
	expect.Same(t, "c.SameSite", c.SameSite, http.SameSiteStrictMode)
	expect.Same(t, "c.Path", c.Path, "/")
	with := func(method, path string) int {
		req, _ := http.NewRequest(method, s.URL+path, nil)
		req.AddCookie(c)
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Fatal(err)
		}
		res.Body.Close()
		return res.StatusCode
	}
	if got := with("GET", "/api/v1/fleet"); got != 200 {
		t.Errorf("signed in: %d", got)
	}
	if got := with("DELETE", "/api/v1/session"); got != 204 {
		t.Errorf("signing out: %d", got)
	}
	if got := with("GET", "/api/v1/fleet"); got != 401 {
		t.Errorf("after signing out: %d", got)
	}
	for range 25 {
		res = post(`{"name":"demo","password":"guess"}`, nothing)
	}
	if res.StatusCode != 429 {
		t.Errorf("the 25th guess in a row: %d", res.StatusCode)
	}
}

func TestNoGetChangesAnything(t *testing.T) {
	t.Parallel()
	s := servertest.Demo(t, nil)
	state := func() string {
		all := ""
		for _, path := range []string{
			"/machines?size=1000", "/machines/gull-001", "/releases", "/targets", "/sites", "/knowledge",
		} {
			_, _, body := call(t, "GET", s.URL+"/api/v1"+path, s.Token, "", "")
			all += checkedAt.ReplaceAllString(body, "")
		}
		return all
	}
	dev, err := s.Client.Machine(ctx, "gull-001")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client.SetWave(ctx, 0,
		api.MakeWave{
			Name:   "Pilot",
			Pilot:  true,
			Rule:   "class=pc",
			Most:   5,
			Starts: time.Now().UTC().Format(time.DateOnly),
			Ends:   time.Now().AddDate(0, 0, 9).UTC().Format(time.DateOnly),
		}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client.AddOrder(ctx, api.MakeOrder{Number: "T-101", Part: "new laptop"}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client.SetReplacement(ctx, "gull-002", api.SetReplacement{NewName: "GULL-041"}); err != nil {
		t.Fatal(err)
	}
	s.AllowPrivateWebhooks(t)
	if _, err := s.Client.SetWebhook(ctx, "desk", api.SetWebhook{URL: "https://127.0.0.1:1/"}); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Client.SetFilter(ctx, "desk", api.SetFilter{Filter: "class=pc"}); err != nil {
		t.Fatal(err)
	}
	before := state()
	for op := range operations(t, s.URL) {
		if path, isGet := strings.CutPrefix(op, "GET "); isGet {
			path = strings.NewReplacer(
				"{key}/check",
				"gull-001/check?release=skerry-13",
				"{key}/results",
				fmt.Sprintf("gull-001/results?inventory=%d", dev.History[0].ID),
				"{kind}/history/{number}",
				"prices/history/1",
				"{key}/replacement",
				"gull-002/replacement",
				"orders/{number}",
				"orders/T-101",
				"{kind}",
				"steps",
				"{key}",
				"gull-001",
				"problems/{id}",
				"problems/not-found",
				"users/{name}",
				"users/demo",
				"{name}",
				"desk",
				"releases/{id}",
				"releases/skerry-12",
				"{id}",
				"1",
				"work/export",
				"work/export?list=visits",
				"compare",
				"compare?a=gull-001&b=gull-002",
				"applications/machines",
				"applications/machines?name=Counterfoil",
			).Replace(path)
			if status, _, body := call(t, "GET", s.URL+"/api/v1"+path, s.Token, "", ""); status != 200 {
				t.Errorf("%s: %d %.200s", path, status, body)
			}
		}
	}
	if state() != before {
		t.Error("a GET changed what the service keeps")
	}
}

// checkedAt is the time of a check, which is made anew for each reader.
var checkedAt = regexp.MustCompile(`"checked_at":"[^"]*"`)

func TestTokens(t *testing.T) {
	t.Parallel()
	s := servertest.Start(t, nil)
	m, err := s.Client.AddToken(ctx, api.NewToken{Name: "counter 2", Scope: "submit"})
	if err != nil || !strings.HasPrefix(m.Secret, "rlt_") {
		t.Fatalf("%+v %v", m, err)
	}
	if _, err := s.Client.AddToken(ctx, api.NewToken{Name: "counter 2", Scope: "read"}); err == nil ||
		!strings.Contains(err.Error(), "choose another name") {
		t.Errorf("a name twice: %v", err)
	}
	body := machine(t, func(*inventory.Document) {})
	if _, err := s.As(t, m.Secret).Submit(ctx, body); err != nil {
		t.Error(err)
	}
	l, err := s.Client.Tokens(ctx)
	if err != nil {
		t.Fatal(err)
	}
	for _, tk := range l.Tokens {
		if tk.Name == "counter 2" && tk.UsedAt == nil {
			t.Error("its use was not noted")
		}
	}
	if err := s.Client.DeleteToken(ctx, m.ID); err != nil {
		t.Fatal(err)
	}
	if _, err := s.As(t, m.Secret).Submit(ctx, body); err == nil {
		t.Error("an ended token still lets in")
	}
}
