// Package gen makes the files that are generated from the Go structs of the
// documents, from the fact catalogue and from the imports: JSON Schemas, the OpenAPI description,
// the facts table, the picture of the packages. go generate writes them; a test compares.
package gen

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"path/filepath"
	"reflect"
	"runtime"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/go-chi/chi/v5"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/capture"
	"rolltop.example/rolltop/core/compare"
	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/guide"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/price"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/results"
	"rolltop.example/rolltop/core/spec"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/cli"
	"rolltop.example/rolltop/internal/server"
)

//go:generate go run rolltop.example/rolltop/internal/gen/write ../..

// Files returns every generated file by its path in the project.
func Files() (map[string][]byte, error) {
	out := map[string][]byte{"docs/facts.md": facts(), "docs/problems.md": problems()}
	for name, t := range map[string]reflect.Type{
		"inventory": reflect.TypeFor[inventory.Document](),
		"capture":   reflect.TypeFor[capture.Document](),
		"release":   reflect.TypeFor[release.Document](),
		"check":     reflect.TypeFor[assess.Document](),
		"results":   reflect.TypeFor[results.Document](),
		"compare":   reflect.TypeFor[compare.Document](),
		"spec":      reflect.TypeFor[spec.Document](),
		"bundle":    reflect.TypeFor[release.Bundle](),
		"guides":    reflect.TypeFor[guide.Document](),
		"prices":    reflect.TypeFor[price.Document](),
		"steps":     reflect.TypeFor[remedy.StepDocument](),
		"changes":   reflect.TypeFor[api.ChangeMessage](),
		"handoff":   reflect.TypeFor[api.HandOff](),
		"export":    reflect.TypeFor[api.Export](),
		"table":     reflect.TypeFor[api.WorkTable](),
	} {
		b, err := schema(name, t, false)
		if err != nil {
			return nil, err
		}
		out["docs/formats/"+name+".schema.json"] = b
	}
	for name, t := range cli.Formats() {
		b, err := schema(name, t, true)
		if err != nil {
			return nil, err
		}
		out["docs/formats/"+name+".schema.json"] = b
	}
	if err := commands(out); err != nil {
		return nil, err
	}
	var err error
	if out["internal/server/schemas.json"], err = comments(); err != nil {
		return nil, err
	}
	b, err := openAPI()
	if err != nil {
		return nil, err
	}
	out["docs/formats/openapi.json"] = b
	b, err = Packages()
	out["docs/packages.svg"] = b
	return out, err
}

// schema is a JSON Schema (2020-12) that stands alone. Where the type itself has no key format, one is added.
func schema(name string, t reflect.Type, addFormat bool) ([]byte, error) {
	r := server.Registry()
	r.Schema(t, true, "")
	server.DescribeSchemas(r.Map())
	if root := r.Map()[server.SchemaName(t)]; addFormat {
		root.Properties["format"] = &huma.Schema{Type: huma.TypeString, Enum: []any{"rolltop-" + name + "/1"},
			Description: "Format of the document"}
		root.Required = append(root.Required, "format")
	}
	all, err := json.Marshal(r.Map())
	if err != nil {
		return nil, err
	}
	all = bytes.ReplaceAll(all, []byte("#/components/schemas/"), []byte("#/$defs/"))
	root := server.SchemaName(t)
	return indent(map[string]any{
		"$schema": "https://json-schema.org/draft/2020-12/schema",
		"title":   "rolltop-" + name + "/1",
		"$ref":    "#/$defs/" + root,
		"$defs":   json.RawMessage(all),
	})
}

// comments are the comments of the Go types that schemas are made of, by the names of the schemas.
func comments() ([]byte, error) {
	var dirs []string // of packages whose types are in schemas; the API's last, whose words count
	names := server.Describe(chi.NewRouter(), nil).OpenAPI().Components.Schemas.Map()
	for _, root := range []string{"core", "internal/api"} {
		err := filepath.WalkDir(filepath.Join(project(), root), func(path string, e fs.DirEntry, err error) error {
			if err == nil && e.IsDir() {
				dirs = append(dirs, path)
			}
			return err
		})
		if err != nil {
			return nil, err
		}
	}
	out := map[string]string{}
	for _, dir := range dirs {
		files, err := filepath.Glob(filepath.Join(dir, "*.go"))
		if err != nil {
			return nil, err
		}
		for _, file := range files {
			if strings.HasSuffix(file, "_test.go") {
				continue
			}
			if err := commentsOf(file, names, out); err != nil {
				return nil, err
			}
		}
	}
	return indent(out)
}

// commentsOf adds the comments of the types in a Go file that have a schema.
func commentsOf(file string, names map[string]*huma.Schema, out map[string]string) error {
	f, err := parser.ParseFile(token.NewFileSet(), file, nil, parser.ParseComments)
	if err != nil {
		return err
	}
	for _, d := range f.Decls {
		g, ok := d.(*ast.GenDecl)
		if !ok || g.Tok != token.TYPE {
			continue
		}
		for _, s := range g.Specs {
			t := s.(*ast.TypeSpec)
			text := cmp.Or(t.Doc.Text(), g.Doc.Text())
			first, _, _ := strings.Cut(text, "\n\n")
			name := server.SchemaNameOf(f.Name.Name, t.Name.Name)
			if names[name] != nil && first != "" {
				out[name] = strings.Join(strings.Fields(first), " ")
			}
		}
	}
	return nil
}

// project is the directory of the project, above that of this package.
func project() string {
	_, file, _, _ := runtime.Caller(0)
	return filepath.Join(filepath.Dir(file), "..", "..")
}

func openAPI() ([]byte, error) {
	var a huma.API = server.Describe(chi.NewRouter(), nil)
	a.OpenAPI().Info.Version = "1" // of the interface; the program's would change the file at every build
	b, err := json.Marshal(a.OpenAPI())
	if err != nil {
		return nil, err
	}
	return indent(json.RawMessage(b))
}

func indent(v any) ([]byte, error) {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	e.SetIndent("", "  ")
	err := e.Encode(v)
	return b.Bytes(), err
}

var unitNames = map[fact.Unit]string{
	fact.Binary:  "bytes (binary: GiB)",
	fact.Drive:   "bytes (decimal: GB)",
	fact.Space:   "bytes (decimal: GB)",
	fact.MHz:     "MHz",
	fact.Inches:  "inches",
	fact.Percent: "percent",
	fact.Bits:    "bits",
}

func facts() []byte {
	var b bytes.Buffer
	b.WriteString("# Facts\n\nGenerated from the catalogue in `core/fact`. A requirement can compare each of these.\n" +
		"Derived facts are worked out from others and have no key of their own in an inventory.\n\n")
	b.WriteString(factHead)
	for _, d := range fact.All() {
		factRow(&b, &d)
	}
	b.WriteString("\n## Facts of rows\n\nA requirement compares these in each row of a list: `in: displays` with " +
		"`some:`, `every:` or `none:`.\n\n")
	b.WriteString(factHead)
	for _, d := range fact.OfRows() {
		factRow(&b, &d)
	}
	return b.Bytes()
}

const factHead = "| fact | in sentences | kind | written as | aspect | on | about |\n|---|---|---|---|---|---|---|\n"

// written is how a value of a fact is written in a document; "" of words, which stand beside it, and texts.
func written(d *fact.Def) string {
	if d.ID == fact.DeviceModelYear {
		return "2019"
	}
	switch d.Kind {
	case fact.Number:
		return map[fact.Unit]string{
			fact.NoUnit: "2", fact.Binary: "8 GiB", fact.Drive: "256 GB", fact.Space: "20 GB", fact.MHz: "1.4 GHz",
			fact.Inches: "13.3 in", fact.Percent: "80 %", fact.Bits: "64 bit",
		}[d.Unit]
	case fact.Version:
		return `"2.0"`
	case fact.Bool:
		return "true"
	}
	return ""
}

func factRow(b *bytes.Buffer, d *fact.Def) {
	aspects := map[fact.Aspect]string{fact.Measure: "measure", fact.Capability: "capability", fact.State: "state"}
	on := map[fact.Platform]string{fact.OnlyPC: "PCs", fact.OnlyMac: "Macs"}
	kind, example := d.Kind.String(), written(d)
	if u := unitNames[d.Unit]; u != "" {
		kind += ", " + u
	}
	if d.Kind == fact.Word {
		var words []string
		for w := range d.Words {
			words = append(words, "`"+w+"`")
		}
		slices.Sort(words)
		kind, example = strings.Join(words, " "), ""
	}
	if example != "" {
		example = "`" + example + "`"
	}
	about := d.About
	if d.Derived {
		about = strings.TrimSpace("Derived. " + about)
	}
	fmt.Fprintf(b, "| `%s` | %s | %s | %s | %s | %s | %s |\n", d.Name, d.Label, kind, example, aspects[d.Aspect],
		on[d.On], about)
}

func problems() []byte {
	var b bytes.Buffer
	b.WriteString("# Problems\n\nGenerated from `internal/api/problem.go`. Every error answer of the API is a " +
		"problem (RFC 9457). Its `type`\nis stable: a program can rely on it. `detail` is for people and may " +
		"change. A running service explains its\nproblems at `GET /api/v1/problems`.\n\n" +
		"| type | status | what happened | what to do |\n" +
		"|---|---|---|---|\n")
	for _, t := range api.ProblemTypes {
		fmt.Fprintf(&b, "| `%s%s` | %d | %s | %s |\n", api.ProblemPath, t.ID, t.Status, t.Says, t.Try)
	}
	return b.Bytes()
}
