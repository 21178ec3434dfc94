package server

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"
)

// Example is a request that an operation accepts, on the demo's data. A test sends each.
type Example struct {
	Op    string            `json:"op"`
	Path  map[string]string `json:"path"`
	Query map[string]string `json:"query"`
	Body  json.RawMessage   `json:"body"`
}

//go:embed examples.json
var exampleRequests []byte

// recordedValues are the first values that properties had in answers on the demo's data, by schema and property.
//
//go:embed recorded.json
var recordedValues []byte

// Examples are the examples, in an order in which they can be sent one after another.
func Examples() []Example {
	var out []Example
	if err := json.Unmarshal(exampleRequests, &out); err != nil {
		panic(err) // it is embedded, and a test reads it
	}
	return out
}

// exemplify gives parameters and bodies their examples.
func exemplify(api *huma.OpenAPI) {
	of := map[string]Example{}
	for _, e := range Examples() {
		of[e.Op] = e
	}
	for _, item := range api.Paths {
		for _, op := range []*huma.Operation{item.Get, item.Put, item.Post, item.Delete} {
			if op != nil {
				exemplifyOperation(op, of[op.OperationID])
			}
		}
	}
}

func exemplifyOperation(op *huma.Operation, e Example) {
	for _, p := range op.Parameters {
		if p.Example != nil {
			continue
		}
		value, ok := e.Path[p.Name]
		if !ok {
			if value, ok = e.Query[p.Name]; !ok {
				value = parameterExamples[p.Name]
			}
		}
		p.Example = typedExample(p.Schema, value)
	}
	if op.RequestBody == nil || e.Body == nil {
		return
	}
	for kind, media := range op.RequestBody.Content {
		media.Example = e.Body
		if kind == linesType {
			media.Example = string(OneLine(e.Body)) + "\n"
		}
	}
}

// OneLine is JSON without line breaks, as one line of several documents.
func OneLine(document json.RawMessage) json.RawMessage {
	var b bytes.Buffer
	if err := json.Compact(&b, document); err != nil {
		panic(err) // an example that is no JSON
	}
	return b.Bytes()
}

// parameterExamples are of parameters that the example of an operation leaves out.
var parameterExamples = map[string]string{
	"where": "disposition=refit", "sort": "name", "page": "1", "size": "50", "facts": "tpm.state", "inventory": "2",
	"cursor": "eyJrIjoxNCwibiI6IkNPUkItMDA4IiwiaSI6MTgxfQ", "who": "demo", "subject": "gull-014",
	"format": "json", "days": "30", "revision": "5", "against": "skerry-12", "against_revision": "4", "redact": "true",
	"for": "visit", "origin": "https://rolltop.example", "hours": "8", "all": "true", "inventory_a": "2",
	"inventory_b": "3", "key": "site", "value": "Gull Quay", "words": "slipway", "replace": "values", "order": "time",
	"class": "pc", "id": "2", "to": "3", "release": "skerry-12",
	"Content-Type": "application/json", "Content-Encoding": "gzip",
	"Content-Digest":  "sha-256=:X48E9qOokqqrvdts8nOJRJN3OWDUoyWxBf7kbu9DBPE=:",
	"Signature-Input": `sig=("@method" "content-digest");created=1796000000;keyid="…";tag="rolltop-inventory"`,
	"Signature":       "sig=:wqcAqbmYJ2ji2glfAMaRy4gruYYnx2nEFN2HN6jrnDnQCK1u02Gb04v9EDgwUPiu4A0w6vuQv5lIp5WPpBKRCw==:",
	"Authorization":   "Bearer rlt_…", "rolltop_session": "…", "__Host-rolltop_session": "…",
}

// typedExample is a text as a value of a schema.
func typedExample(s *huma.Schema, text string) any {
	if s == nil {
		return text
	}
	switch s.Type {
	case huma.TypeInteger:
		if n, err := strconv.Atoi(text); err == nil {
			return n
		}
	case huma.TypeNumber:
		if n, err := strconv.ParseFloat(text, 64); err == nil {
			return n
		}
	case huma.TypeBoolean:
		return text == "true"
	case huma.TypeArray:
		return strings.Split(text, ",")
	}
	return text
}

// plainExample is an example of a property that no answer on the demo's data had: of its type alone.
func plainExample(key string, s *huma.Schema) (any, bool) {
	switch {
	case len(s.Enum) > 0:
		return s.Enum[0], true
	case s.Format == "date-time":
		return "2026-11-29T08:00:00Z", true
	case s.Type == huma.TypeString:
		return key, true
	case s.Type == huma.TypeBoolean:
		return true, true
	case s.Type == huma.TypeInteger || s.Type == huma.TypeNumber:
		if s.Minimum != nil {
			return *s.Minimum, true
		}
		return 1, true
	case s.Type == huma.TypeArray && s.Items != nil && s.Items.Type == huma.TypeString:
		if len(s.Items.Enum) > 0 {
			return s.Items.Enum[:1], true
		}
		return []string{key}, true
	}
	return nil, false // an object: its own properties have examples
}
