package server

import (
	_ "embed"
	"encoding/json"
	"errors"
	"slices"
	"strings"
	"sync"
	"unicode"

	"github.com/danielgtaylor/huma/v2"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/say"
)

// Schemas are described by the comments of their Go types, which go generate collects.
//
//go:embed schemas.json
var schemaComments []byte

// describeAll gives every operation, parameter, schema and property of a description words, where its own
// row or tag has none, and an example.
func describeAll(api *huma.OpenAPI) {
	DescribeSchemas(api.Components.Schemas.Map())
	for path, item := range api.Paths {
		for _, op := range []*huma.Operation{item.Get, item.Put, item.Post, item.Delete} {
			if op != nil {
				describeOperation(path, op)
			}
		}
	}
	exemplify(api)
}

// DescribeSchemas gives every schema and property of some, by their names, words and an example, where its tag
// has none.
func DescribeSchemas(schemas map[string]*huma.Schema) {
	comments, recorded := map[string]string{}, map[string]any{}
	err := errors.Join(json.Unmarshal(schemaComments, &comments), json.Unmarshal(recordedValues, &recorded))
	if err != nil {
		panic(err) // they are embedded and generated
	}
	describeFacts(schemas, schemas["InventoryDocument"], "")
	for name, s := range schemas {
		if s.Description == "" {
			s.Description = comments[name]
		}
		for key, p := range s.Properties {
			if p.Description == "" {
				p.Description = wordsOf(key, nounOf(name), p)
			}
			if value, ok := recorded[name+"."+key]; ok {
				p.Examples = []any{value}
			} else if value, ok := plainExample(key, p); ok && len(p.Examples) == 0 {
				p.Examples = []any{value}
			}
		}
	}
}

// describeFacts describes the properties of an inventory by the catalogue of facts.
func describeFacts(schemas map[string]*huma.Schema, s *huma.Schema, prefix string) {
	if s == nil {
		return
	}
	for key, p := range s.Properties {
		def := fact.ByName(prefix + key)
		switch {
		case def != nil && p.Description == "":
			p.Description = say.Capital(def.Label)
			if def.About != "" {
				p.Description += ". " + say.Sentence(def.About)
			}
		case p.Ref != "":
			describeFacts(schemas, schemas[strings.TrimPrefix(p.Ref, "#/components/schemas/")], prefix+key+".")
		}
	}
}

// permissions say what an operation takes, by its scope.
var permissions = map[string]string{
	open:           "Anyone may call it.",
	anybody:        "It takes a session or a token.",
	ScopeSubmit:    "It takes the permission submit.",
	ScopeRead:      "It takes the permission read; whoever is limited to sites sees only their machines.",
	ScopeWork:      "It takes the permission work; whoever is limited to sites changes only their machines.",
	ScopeManage:    "It takes the permission manage.",
	metaEverywhere: "It takes the permission work, without a limit to sites.",
}

func describeOperation(path string, op *huma.Operation) {
	scope, _ := op.Metadata[metaScope].(string)
	if scope == ScopeWork && op.Metadata[metaEverywhere] != nil {
		scope = metaEverywhere
	}
	says := say.Sentence(op.Summary)
	if op.Description != "" {
		says = say.Sentence(op.Description)
	}
	op.Description = says + " " + permissions[scope]
	if op.RequestBody != nil && len(op.RequestBody.Content) > 1 {
		delete(op.RequestBody.Content, "application/octet-stream") // the library adds it; it is refused
	}
	for _, p := range op.Parameters {
		if p.Description == "" {
			p.Description = parameterWords(path, p)
		}
	}
}

// parameterWords describe a parameter by its name and, of a name or a number in an address, what it is of.
func parameterWords(path string, p *huma.Param) string {
	if words := parameters[p.Name]; words != "" {
		return words
	}
	parts := strings.Split(strings.TrimPrefix(path, "/"), "/")
	at := slices.Index(parts, "{"+p.Name+"}")
	if at < 1 {
		return ""
	}
	noun := singular(strings.ReplaceAll(parts[at-1], "-", " "))
	if p.Name == "name" {
		return "Name of the " + noun
	}
	return "Number of the " + noun
}

// singular is one of several.
func singular(many string) string {
	switch {
	case strings.HasSuffix(many, "ies"):
		return strings.TrimSuffix(many, "ies") + "y"
	case many == "expected":
		return "expected machine"
	}
	return strings.TrimSuffix(many, "s")
}

var parameters = map[string]string{
	"where":         "A filter",
	"size":          "Rows per page",
	"page":          "Number of the page, from 1; for people who turn pages. Programs use cursor",
	"who":           "Only changes by this user or token",
	"days":          "Number of days",
	"format":        "Form of the answer",
	"list":          "Name of the list",
	"class":         "Class of hardware",
	"kind":          "Kind of document: steps, guides or prices; of a tick: prepare, step or leave",
	"key":           "Key, name or serial number of the machine, in any case",
	"inventory_b":   "Id in the history of the other machine (default: the latest)",
	"Content-Type":  "Media type of the body",
	"Authorization": "Bearer and the token; instead of a session",
	"Signature":     "Signature with the machine's key (RFC 9421)",

	"Content-Encoding":       "gzip, if the body is compressed",
	"rolltop_session":        "Session of a browser, over HTTP",
	"__Host-rolltop_session": "Session of a browser, over HTTPS",
}

// nounOf is what a schema is of, in words: SavedFilterList is saved filter.
func nounOf(schema string) string {
	for _, prefix := range []string{
		"Assess", "Compare", "Inventory", "Results", "Release", "List", "Sheet", "Doc", "Work",
	} {
		if rest := strings.TrimPrefix(schema, prefix); rest != "" && unicode.IsUpper(rune(rest[0])) {
			schema = rest
		}
	}
	for _, suffix := range []string{"Document", "Detail", "List", "Row", "Doc", "Made", "Put"} {
		if rest := strings.TrimSuffix(schema, suffix); rest != "" {
			schema = rest
		}
	}
	var b strings.Builder
	for i, c := range schema {
		if i > 0 && unicode.IsUpper(c) && !unicode.IsUpper(rune(schema[i-1])) {
			b.WriteByte(' ')
		}
		b.WriteRune(c)
	}
	noun := b.String()
	if strings.ToUpper(noun) == noun { // TPM, OS, ESP
		return noun
	}
	noun = strings.ToLower(noun)
	for _, verb := range []string{"set ", "make ", "new ", "add ", "say ", "read ", "take ", "ask "} {
		noun = strings.TrimPrefix(noun, verb)
	}
	return noun
}

// counted are keys whose integers are numbers of what their lists are.
var counted = map[string]string{
	"machines": "machines", "fails": "requirements that are not met", "unknown": "requirements that are unknown",
	"visits": "visits", "waived": "waived requirements", "restarts": "restarts", "rows": "rows", "facts": "facts",
}

// wordsOf describe a property by its key; % stands for what the schema is of.
func wordsOf(key, noun string, p *huma.Schema) string {
	if what := counted[key]; what != "" {
		if p.Type == huma.TypeInteger {
			return "Number of " + what
		}
		return say.Capital(what) + " of the " + noun
	}
	return strings.ReplaceAll(properties()[key], "%", noun)
}

//go:embed properties.json
var propertyWords []byte

// properties are the words of property keys that mean the same in every schema.
var properties = sync.OnceValue(func() map[string]string {
	out := map[string]string{}
	if err := json.Unmarshal(propertyWords, &out); err != nil {
		panic(err)
	}
	return out
})
