// Package structure holds tests of how the project is built: who imports what,
// how long files are, what the collector carries.
package structure

import (
	"bytes"
	"encoding/json"
	"errors"
	"go/ast"
	"go/parser"
	"go/token"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/expect"
)

const (
	project = "../.."
	module  = "rolltop.example/rolltop/"
)

type pkg struct {
	ImportPath string
	Imports    []string
	Deps       []string
	Standard   bool
}

func list(t *testing.T, env []string, args ...string) []pkg {
	t.Helper()
	cmd := exec.Command("go", append([]string{"list", "-json=ImportPath,Imports,Deps,Standard"}, args...)...)
	cmd.Dir = project
	cmd.Env = append(os.Environ(), env...)
	out, err := cmd.Output()
	if err != nil {
		t.Fatal(err)
	}
	var all []pkg
	for dec := json.NewDecoder(bytes.NewReader(out)); ; {
		var p pkg
		if err := dec.Decode(&p); errors.Is(err, io.EOF) {
			return all
		} else if err != nil {
			t.Fatal(err)
		}
		all = append(all, p)
	}
}

// The core computes: nothing of internal, no files, no network, no clock of its
// own, no printing, and nothing outside the standard library but the YAML parser.
func TestCoreImports(t *testing.T) {
	forbidden := []string{"os", "os/exec", "net", "net/http", "log", "log/slog", "database/sql", "syscall", "io/ioutil"}
	const ofTests = module + "core/internal/coretest" // reads files; no package but tests has it
	for _, p := range list(t, nil, "./core/...") {
		for _, i := range p.Imports {
			switch {
			case i == ofTests:
				t.Errorf("%s imports what is for tests alone", p.ImportPath)
			case p.ImportPath == ofTests, strings.HasPrefix(i, module+"core/"):
			case i == "go.yaml.in/yaml/v3" && p.ImportPath == module+"core/doc":
			case slices.Contains(forbidden, i), strings.Contains(strings.Split(i, "/")[0], "."):
				t.Errorf("%s imports %s", p.ImportPath, i)
			}
		}
	}
}

func TestCoreHasNoClock(t *testing.T) {
	each(t, "core", ".go", func(path string, src []byte) {
		if !strings.HasSuffix(path, "_test.go") && bytes.Contains(src, []byte("time.Now(")) {
			t.Errorf("%s asks the clock; a date is passed in", path)
		}
	})
}

// Layers: each package of internal with what it may import of internal.
func TestInternalImports(t *testing.T) {
	may := map[string][]string{
		"api":                       {},
		"auth":                      {},
		"browser":                   {},
		"build":                     {},
		"expect":                    {},
		"machinekey":                {},
		"mutation":                  {},
		"safefile":                  {},
		"signature":                 {},
		"standin/recorded":          {},
		"standin/recorded/machines": {},
		"structure":                 {},
		"tables":                    {},
		"texts":                     {},
		"wholebench":                {},
		"collect":                   {"build"},
		"standin/recorded/write":    {"standin/recorded/machines"},
		"standin":                   {"standin/recorded"},
		"client":                    {"api", "signature"},
		"store":                     {"signature"},
		"report":                    {"api", "build"},
		"service":                   {"build", "store"},
		"webhook":                   {"api", "store"},
		"server": {"api", "auth", "build", "report", "service", "signature", "store", "tables",
			"webhook"},
		"servertest": {"client", "server", "service", "standin", "store"},
		"cli": {
			"api", "auth", "build", "client", "collect", "report", "safefile", "server", "service", "standin", "store",
			"tables",
		},
		"gen":       {"api", "cli", "server"},
		"gen/write": {"gen"},
		"shots":     {"browser"},
	}
	for _, p := range list(t, nil, "./internal/...") {
		name := strings.TrimPrefix(p.ImportPath, module+"internal/")
		allowed, known := may[name]
		if !known {
			t.Errorf("%s has no place in the layers", name)
			continue
		}
		for _, i := range p.Imports {
			if rest, ok := strings.CutPrefix(i, module+"internal/"); ok && !slices.Contains(allowed, rest) {
				t.Errorf("internal/%s imports internal/%s", name, rest)
			}
		}
	}
}

// What the service does knows nothing of HTTP.
func TestServiceKnowsNoHTTP(t *testing.T) {
	forbidden := []string{
		"net/http", "net/http/httptest", "github.com/danielgtaylor/huma/v2", "github.com/go-chi/chi/v5",
	}
	for _, p := range list(t, nil, "./internal/service") {
		for _, i := range p.Imports {
			if slices.Contains(forbidden, i) {
				t.Errorf("%s imports %s", p.ImportPath, i)
			}
		}
	}
}

// maxMethods is how many methods a type may have on one system: beyond that it is a room in which
// nothing is found.
const maxMethods = 45

// A type has as many methods as a reader can keep in mind.
func TestNoTypeIsASack(t *testing.T) {
	methods := map[string]int{}
	look := func(path string, src []byte) {
		others := strings.HasSuffix(path, "_windows.go") || strings.HasSuffix(path, "_darwin.go")
		if others || strings.HasSuffix(path, "_test.go") {
			return
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, src, parser.SkipObjectResolution)
		expect.NoError(t, err)
		for _, d := range f.Decls {
			if fn, ok := d.(*ast.FuncDecl); ok && fn.Recv != nil {
				methods[filepath.Dir(path)+"."+receiver(fn.Recv.List[0].Type)]++
			}
		}
	}
	each(t, "core", ".go", look)
	each(t, "internal", ".go", look)
	for name, n := range methods {
		if n > maxMethods {
			t.Errorf("%s has %d methods", name, n)
		}
	}
	expect.That(t, "types with methods were found", len(methods) > 100)
}

// receiver is the name of a receiver's type.
func receiver(e ast.Expr) string {
	switch x := e.(type) {
	case *ast.StarExpr:
		return receiver(x.X)
	case *ast.IndexExpr:
		return receiver(x.X)
	case *ast.IndexListExpr:
		return receiver(x.X)
	case *ast.Ident:
		return x.Name
	}
	return "?"
}

// The collector is small: no server, no database, no other libraries than
// these.
func TestCollectorDependencies(t *testing.T) {
	allowed := []string{
		"go.yaml.in/yaml/v3", "golang.org/x/sys/unix", "golang.org/x/sys/windows", "golang.org/x/sys/windows/registry",
		"github.com/go-ole/go-ole", "github.com/go-ole/go-ole/oleutil",
	}
	for _, target := range []string{"linux", "windows", "darwin"} {
		for _, p := range list(t, []string{"GOOS=" + target, "CGO_ENABLED=0"}, "./cmd/rolltop-collect") {
			for _, d := range p.Deps {
				outside := strings.Contains(strings.Split(d, "/")[0], ".") && !strings.HasPrefix(d, module) &&
					!strings.HasPrefix(d, "vendor/")
				served := d == module+"internal/server" || d == module+"internal/store"
				foreign := outside && !slices.Contains(allowed, d)
				if served || foreign {
					t.Errorf("on %s the collector carries %s", target, d)
				}
			}
		}
	}
}

// megabytes that the stripped collector may have.
const maxMegabytes = 9

func TestCollectorSize(t *testing.T) {
	out := filepath.Join(t.TempDir(), "collect")
	cmd := exec.Command("go", "build", "-trimpath", "-tags", "nethttpomithttp2", "-gcflags=all=-l", "-ldflags", "-s -w",
		"-o", out, "./cmd/rolltop-collect") // as the Makefile builds it
	cmd.Dir = project
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0")
	if b, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%v\n%s", err, b)
	}
	st, err := os.Stat(out)
	if err != nil {
		t.Fatal(err)
	}
	if st.Size() > maxMegabytes*1_000_000 {
		t.Errorf("the collector has %d bytes, %d MB are allowed", st.Size(), maxMegabytes)
	}
}

func each(t *testing.T, dir, ending string, f func(path string, src []byte)) {
	t.Helper()
	err := filepath.WalkDir(filepath.Join(project, dir), func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.IsDir() && slices.Contains([]string{"node_modules", "dist", ".git"}, d.Name()) {
			return fs.SkipDir
		}
		if !d.IsDir() && strings.HasSuffix(path, ending) {
			if !strings.HasSuffix(path, "api.d.ts") {
				src, err := os.ReadFile(path)
				if err != nil {
					return err
				}
				f(path, src)
			}
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
}

// lines that a file may have before somebody looks twice.
const maxLines = 600

func TestNoFileAReaderDreads(t *testing.T) {
	for _, ending := range []string{".go", ".vue", ".ts"} {
		each(t, ".", ending, func(path string, src []byte) {
			if n := bytes.Count(src, []byte("\n")); n > maxLines {
				t.Errorf("%s has %d lines", path, n)
			}
		})
	}
}

// The console asks nobody but its own service.
func TestConsoleNamesNoOtherHost(t *testing.T) {
	for _, ending := range []string{".vue", ".ts", ".css", ".html"} {
		each(t, "web", ending, func(path string, src []byte) {
			for line := range strings.Lines(string(src)) {
				if strings.Contains(line, "http://") || strings.Contains(line, "https://") {
					if !strings.Contains(line, "127.0.0.1") && !strings.Contains(line, "www.w3.org") {
						t.Errorf("%s: %s", path, strings.TrimSpace(line))
					}
				}
			}
		})
	}
}
