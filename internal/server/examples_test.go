package server_test

import (
	"bytes"
	"encoding/json"
	"flag"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"
	"github.com/santhosh-tekuri/jsonschema/v6"

	"rolltop.example/rolltop/core/decode/tpm"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/server"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/signature"
	"rolltop.example/rolltop/internal/standin"
)

var recordExamples = flag.Bool("record", false, "write the values of answers as examples of properties")

// described is the description of the API with the operations by their ids.
type describedOp struct {
	*huma.Operation
	method, path string
}

func describedOps() (map[string]describedOp, *huma.OpenAPI) {
	described := server.Describe(chi.NewRouter(), nil).OpenAPI()
	out := map[string]describedOp{}
	for path, item := range described.Paths {
		for method, op := range map[string]*huma.Operation{
			"GET": item.Get, "PUT": item.Put, "POST": item.Post, "DELETE": item.Delete,
		} {
			if op != nil {
				out[op.OperationID] = describedOp{op, method, path}
			}
		}
	}
	return out, described
}

// Every operation, parameter and property has words and an example; the examples of properties are right.
func TestDescription(t *testing.T) {
	ops, described := describedOps()
	for id, op := range ops {
		if len(op.Description) < 20 {
			t.Errorf("%s has no description", id)
		}
		for _, p := range op.Parameters {
			expect.That(t, id+": p.Description != \"\"", p.Description != "")
			expect.That(t, id+": p.Example != nil", p.Example != nil)
			expect.That(t, id+": p.Example != \"\"", p.Example != "")
		}
	}
	compiler := jsonschema.NewCompiler()
	compiler.AssertFormat()
	at, err := filepath.Abs("../../docs/formats/openapi.json")
	expect.NoError(t, err)
	for name, s := range described.Components.Schemas.Map() {
		if s.Description == "" {
			t.Errorf("the schema %s has no description", name)
		}
		for key, p := range s.Properties {
			if p.Description == "" {
				t.Errorf("%s.%s has no description", name, key)
			}
			if len(p.Examples) == 0 && p.Ref == "" {
				if p.Type != huma.TypeObject && p.Type != huma.TypeArray {
					if p.Type != "" || len(p.OneOf)+len(p.AnyOf) > 0 {
						t.Errorf("%s.%s has no example", name, key)
					}
				}
			}
			for _, example := range p.Examples {
				place := "#/components/schemas/" + name + "/properties/" + url.PathEscape(key)
				schema, err := compiler.Compile(at + place)
				if err != nil {
					t.Fatalf("%s.%s: %v", name, key, err)
				}
				text, err := json.Marshal(example)
				expect.NoError(t, err)
				value, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
				expect.NoError(t, err)
				if err := schema.Validate(value); err != nil {
					t.Errorf("%s.%s: the example %s is not valid: %v", name, key, text, err)
				}
			}
		}
	}
}

// Every operation has an example that the service accepts on the demo's data, and whose answer is as described.
func TestExamples(t *testing.T) {
	s := servertest.Demo(t, nil)
	expect.NoError(t, standin.Furnish(t.Context(), s, s.Now()))
	s.AllowPrivateWebhooks(t)
	ops, _ := describedOps()
	recorded := map[string]any{}
	sent := map[string]bool{}
	compiler := jsonschema.NewCompiler()
	compiler.AssertFormat()
	at, err := filepath.Abs("../../docs/formats/openapi.json")
	expect.NoError(t, err)
	for _, e := range server.Examples() {
		sent[e.Op] = true
		op, ok := ops[e.Op]
		if !ok {
			t.Errorf("there is no operation %s", e.Op)
			continue
		}
		t.Run(e.Op, func(t *testing.T) {
			before(t, s, &e)
			on := s
			if e.Op == "add-first-administrator" {
				on = servertest.StartNew(t, servertest.Options{})
				secret, err := on.Invite(t.Context())
				expect.NoError(t, err)
				_, secret, _ = strings.Cut(secret, "#")
				e.Body = json.RawMessage(strings.Replace(string(e.Body), "from the printed link", secret, 1))
			}
			if op.RequestBody != nil && op.RequestBody.Content["application/json"] != nil {
				if e.Body != nil {
					taken := schemaOf(t, compiler, at, op, "/requestBody/content/application~1json/schema")
					value, err := jsonschema.UnmarshalJSON(bytes.NewReader(e.Body))
					expect.NoError(t, err)
					record(recorded, taken, value)
				}
			}
			status, kind, body := send(t, on, op, &e)
			if status >= 300 {
				t.Fatalf("it is answered %d: %.600s", status, body)
			}
			if kind != "application/json" {
				return
			}
			schema := schemaOf(t, compiler, at, op, "/responses/200/content/application~1json/schema")
			value, err := jsonschema.UnmarshalJSON(bytes.NewReader(body))
			expect.NoError(t, err)
			if err := schema.Validate(value); err != nil {
				t.Errorf("the answer is not as described: %.900s", err)
			}
			record(recorded, schema, value)
		})
	}
	for id := range ops {
		if !sent[id] {
			t.Errorf("%s has no example", id)
		}
	}
	if *recordExamples && !t.Failed() {
		text, err := json.MarshalIndent(recorded, "", " ")
		expect.NoError(t, err)
		expect.NoError(t, os.WriteFile("recorded.json", append(text, '\n'), 0o600))
	}
}

// schemaOf is a schema of an operation in the description.
func schemaOf(
	t *testing.T, compiler *jsonschema.Compiler, at string, op describedOp, place string,
) *jsonschema.Schema {
	t.Helper()
	schema, err := compiler.Compile(at + "#/paths/" + url.PathEscape(strings.ReplaceAll(op.path, "/", "~1")) + "/" +
		strings.ToLower(op.method) + place)
	if err != nil {
		t.Fatal(err)
	}
	return schema
}

// before makes what an example needs and the demo does not have.
func before(t *testing.T, s *servertest.Service, e *server.Example) {
	t.Helper()
	submit := func(body string) {
		_, err := s.Client.Submit(ctx, []byte(body))
		expect.NoError(t, err)
	}
	switch e.Op {
	case "add-decision": // no later than three years from now
		until := s.Now().AddDate(0, 2, 0).Format(time.DateOnly)
		e.Body = json.RawMessage(strings.Replace(string(e.Body), "2027-01-31", until, 1))
	case "submit-lines":
		e.Body = server.OneLine(e.Body)
	case "results":
		submit(`{"format":"rolltop-inventory/1","taken_at":"2026-11-02T08:00:00Z","device":{"class":"pc",` +
			`"name":"DESK-1","serial":"D1"},"os":{"platform":"windows"},"memory":{"installed_bytes":8589934592}}`)
		m, err := s.Client.Machine(ctx, "desk-1")
		expect.NoError(t, err)
		e.Query = map[string]string{"inventory": number(m.History[len(m.History)-1].ID)}
	case "resolve-duplicate":
		submit(`{"format":"rolltop-inventory/1","taken_at":"2026-11-02T08:00:00Z","device":{"class":"pc",` +
			`"name":"DESK-9","serial":"D1"},"os":{"platform":"windows"}}`)
		l, err := s.Client.Duplicates(ctx)
		expect.NoError(t, err)
		expect.That(t, "there is a duplicate", len(l.Duplicates) > 0)
		e.Path = map[string]string{"id": number(l.Duplicates[0].ID)}
	case "attest", "open-secret":
		e.Body = provingBody(t, s, e.Op)
	case "set-expected-reason":
		l, err := s.Client.Expected(ctx)
		expect.NoError(t, err)
		e.Path = map[string]string{"id": number(l.Machines[0].ID)}
	case "remove-wave-machine", "set-outcomes", "import-outcomes":
		id := map[string]int64{"remove-wave-machine": 3, "set-outcomes": 1, "import-outcomes": 1}[e.Op]
		w, err := s.Client.Wave(ctx, id)
		expect.NoError(t, err)
		e.Path["id"] = number(id)
		if e.Op == "remove-wave-machine" {
			e.Path["key"] = w.Members[0].Key
		}
	case "remove-token":
		l, err := s.Client.Tokens(ctx)
		expect.NoError(t, err)
		at := slices.IndexFunc(l.Tokens, func(t api.TokenRow) bool { return t.Name == "ticket system" })
		e.Path = map[string]string{"id": number(l.Tokens[at].ID)}
	}
}

// proving are the seeds of the machines that prove something in the examples.
var proving = map[string]string{"attest": "e", "open-secret": "f"}

// provingBody is what a machine sends to prove something, up to an operation.
func provingBody(t *testing.T, s *servertest.Service, op string) json.RawMessage {
	t.Helper()
	name := map[string]string{"attest": "GULL-980", "open-secret": "GULL-981"}[op]
	a := newAttester(t, s, name, proving[op], safeBoot)
	asked := a.submit()
	talk, e := a.evidence(asked)
	var value any = e
	if op == "open-secret" {
		answer, err := a.mine.Attest(ctx, e, a.key)
		expect.NoError(t, err)
		c := answer.Challenge
		secret, err := talk.Open(&tpm.Credential{Blob: c.Credential, Secret: c.Secret})
		expect.NoError(t, err)
		value = &api.OpenedSecret{Nonce: asked.Nonce, Secret: secret}
	}
	body, err := json.Marshal(value)
	expect.NoError(t, err)
	return body
}

func number(id int64) string { return strconv.FormatInt(id, 10) }

// send sends an example, and gives the status, the media type and the body of the answer.
func send(
	t *testing.T, s *servertest.Service, op describedOp, e *server.Example,
) (status int, kind string, body []byte) {
	t.Helper()
	path := op.path
	for name, value := range e.Path {
		path = strings.ReplaceAll(path, "{"+name+"}", url.PathEscape(value))
	}
	q := url.Values{}
	for name, value := range e.Query {
		q.Set(name, value)
	}
	req, err := http.NewRequestWithContext(t.Context(), op.method, s.URL+"/api/v1"+path+"?"+q.Encode(),
		bytes.NewReader(e.Body))
	expect.NoError(t, err)
	if e.Body != nil {
		req.Header.Set("Content-Type", "application/json")
		if op.RequestBody.Content["application/json"] == nil {
			req.Header.Set("Content-Type", "application/x-ndjson")
		}
	}
	if seed := proving[op.OperationID]; seed != "" {
		signature.Sign(http.MethodPost, e.Body, machineKey(seed), time.Now()).Set(req.Header)
	}
	switch op.OperationID {
	case "add-own-token", "set-password", "sign-out":
		session, status := signIn(t, s, "demo", servertest.Password)
		expect.Same(t, "signing in", status, 200)
		req.AddCookie(session)
	case "remove-own-token":
		req.Header.Set("Authorization", "Bearer "+s.NewToken(t, "to go", server.ScopeRead))
	case "add-first-administrator", "sign-in":
	default:
		req.Header.Set("Authorization", "Bearer "+s.Token)
	}
	res, err := http.DefaultClient.Do(req)
	expect.NoError(t, err)
	defer res.Body.Close()
	kind, _, _ = strings.Cut(res.Header.Get("Content-Type"), ";")
	if kind != "text/event-stream" {
		body, err = io.ReadAll(res.Body)
		expect.NoError(t, err)
	}
	return res.StatusCode, kind, body
}

// record keeps the first value of each property that has a schema, as far as it is short.
func record(out map[string]any, s *jsonschema.Schema, value any) {
	if s == nil {
		return
	}
	if s.Ref != nil {
		record(out, s.Ref, value)
		return
	}
	switch v := value.(type) {
	case []any:
		items, _ := s.Items2020, s.Items
		for _, one := range v {
			record(out, items, one)
		}
	case map[string]any:
		name := s.Location[strings.LastIndex(s.Location, "/")+1:]
		for key, one := range v {
			p := s.Properties[key]
			if p == nil {
				continue
			}
			record(out, p, one)
			if _, has := out[name+"."+key]; !has && worthShowing(key, one) {
				out[name+"."+key] = one
			}
		}
	}
}

// worthShowing says whether a value is an example: short, and no secret.
func worthShowing(key string, value any) bool {
	switch v := value.(type) {
	case string:
		return v != "" && len(v) <= 200 && key != "secret" && key != "password" && key != "cursor" && key != "next"
	case []any:
		if len(v) == 0 || len(v) > 5 {
			return false
		}
		_, text := v[0].(string)
		return text
	case map[string]any, nil:
		return false
	}
	return true
}
