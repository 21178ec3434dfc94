package gen_test

import (
	"bytes"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"go.yaml.in/yaml/v3"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/gen"
	"rolltop.example/rolltop/internal/standin"
)

const project = "../.."

func TestGeneratedFilesAreFresh(t *testing.T) {
	files, err := gen.Files()
	if err != nil {
		t.Fatal(err)
	}
	for name, want := range files {
		got, err := os.ReadFile(filepath.Join(project, name))
		if err != nil || !bytes.Equal(got, want) {
			t.Errorf("%s is not what go generate ./... writes (%v)", name, err)
		}
	}
}

func schema(t *testing.T, name string) *jsonschema.Schema {
	t.Helper()
	s, err := jsonschema.NewCompiler().Compile(filepath.Join(project, "docs/formats", name+".schema.json"))
	if err != nil {
		t.Fatal(err)
	}
	return s
}

// plain turns a document into what a validator of schemas reads.
func plain(t *testing.T, v any) any {
	t.Helper()
	b, err := json.Marshal(v)
	if err != nil {
		t.Fatal(err)
	}
	out, err := jsonschema.UnmarshalJSON(bytes.NewReader(b))
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func TestDemoDocumentsFitTheirSchemas(t *testing.T) {
	inv, chk, rels := schema(t, "inventory"), schema(t, "check"), schema(t, "release")
	targets := map[string]*release.Release{}
	for name, src := range standin.Releases() {
		rel, err := release.Read(name, src, nil)
		if err != nil {
			t.Fatal(err)
		}
		targets[rel.InstallsOn] = rel
		var tree any
		b, err := release.Unpack(name, src)
		if err != nil {
			t.Fatal(err)
		}
		if err := yaml.Unmarshal([]byte(b.Document), &tree); err != nil {
			t.Fatal(err)
		}
		if err := rels.Validate(plain(t, tree)); err != nil {
			t.Errorf("%s: %v", name, err)
		}
	}
	org, err := standin.Load()
	if err != nil {
		t.Fatal(err)
	}
	fleet, err := org.Fleet(time.Now())
	if err != nil {
		t.Fatal(err)
	}
	for _, d := range fleet {
		if err := inv.Validate(plain(t, d)); err != nil {
			t.Fatalf("%s: %v", d.Device.Name.Or(""), err)
		}
		class := "pc"
		if d.OS.Platform.Or("") == "macos" {
			class = "mac"
		}
		a, err := assess.Run(targets[class], d)
		if err != nil {
			t.Fatal(err)
		}
		if err := chk.Validate(plain(t, a.Document(time.Now(), "test"))); err != nil {
			t.Fatalf("the check of %s: %v", d.Device.Name.Or(""), err)
		}
	}
}

// What the strict reader refuses for its form, the schema refuses too.
func TestSchemasRefuse(t *testing.T) {
	inv := schema(t, "inventory")
	for _, bad := range []string{
		`{"taken_at":"2026-11-22T08:14:00Z"}`, `{"format":"rolltop-inventory/2","taken_at":"2026-11-22T08:14:00Z"}`,
		`{"format":"rolltop-inventory/1"}`,
		`{"format":"rolltop-inventory/1","taken_at":"2026-11-22T08:14:00Z","memory":{"installed_bytes":-1}}`,
		`{"format":"rolltop-inventory/1","taken_at":"2026-11-22T08:14:00Z","tpm":{"state":"redy"}}`,
		`{"format":"rolltop-inventory/1","taken_at":"2026-11-22T08:14:00Z","colour":1}`,
		`{"format":"rolltop-inventory/1","taken_at":"2026-11-22T08:14:00Z","memory":{"installed_bytes":null}}`,
	} {
		v, err := jsonschema.UnmarshalJSON(strings.NewReader(bad))
		if err != nil {
			t.Fatal(err)
		}
		if inv.Validate(v) == nil {
			t.Errorf("the schema takes %s", bad)
		}
	}
}
