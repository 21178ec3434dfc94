package structure

import (
	"go/ast"
	"go/parser"
	"go/scanner"
	"go/token"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/expect"
)

// maxColumns is how wide a line may be; a tab counts for four columns.
const maxColumns = 120

// columns is how wide a line is.
func columns(line string) int {
	n := 0
	for _, r := range line {
		if r == '\t' {
			n += 4 - n%4
		} else {
			n++
		}
	}
	return n
}

// Lines are read by people. What cannot be broken may be longer: a struct tag or another raw string
// of Go, a row of a table in Markdown, an address.
func TestLinesThatAPersonCanRead(t *testing.T) {
	read := 0
	look := func(path string, src []byte) {
		exempt := map[int]bool{}
		if strings.HasSuffix(path, ".go") {
			exempt = rawLines(src)
		}
		for i, line := range strings.Split(string(src), "\n") {
			read++
			table := strings.HasSuffix(path, ".md") && strings.HasPrefix(strings.TrimSpace(line), "|")
			unbroken := !strings.Contains(strings.TrimSpace(line), " ")
			if n := columns(line); n > maxColumns && !exempt[i+1] {
				if !table && !unbroken {
					t.Errorf("%s:%d has %d columns", path, i+1, n)
				}
			}
		}
	}
	for dir, endings := range map[string][]string{
		"core":     {".go", ".md"},
		"internal": {".go", ".md"},
		"cmd":      {".go"},
		"lab":      {".go", ".md"},
		"docs":     {".md"},
		"web":      {".go", ".ts", ".vue"},
	} {
		t.Run(dir, func(t *testing.T) {
			for _, ending := range endings {
				each(t, dir, ending, look)
			}
		})
	}
	for _, name := range []string{"README.md", "CONTRIBUTING.md", "CHANGELOG.md"} {
		path := filepath.Join(project, name)
		src, err := os.ReadFile(path)
		if err != nil {
			t.Fatal(err)
		}
		look(path, src)
	}
	if read < 50_000 {
		t.Errorf("only %d lines were read", read)
	}
}

// rawLines are the lines of a Go file on which a raw string stands.
func rawLines(src []byte) map[int]bool {
	fset := token.NewFileSet()
	file := fset.AddFile("", fset.Base(), len(src))
	var s scanner.Scanner
	s.Init(file, src, nil, 0)
	out := map[int]bool{}
	for {
		pos, tok, lit := s.Scan()
		if tok == token.EOF {
			return out
		}
		if tok == token.STRING && strings.HasPrefix(lit, "`") {
			first := file.Line(pos)
			for i := range strings.Count(lit, "\n") + 1 {
				out[first+i] = true
			}
		}
	}
}

func TestColumns(t *testing.T) {
	for line, want := range map[string]int{"": 0, "abc": 3, "\tabc": 7, "a\tb": 5, "für “dich”": 10} {
		t.Run(line, func(t *testing.T) {
			if got := columns(line); got != want {
				t.Errorf("%q has %d columns, want %d", line, got, want)
			}
		})
	}
	raw := rawLines([]byte("package x\n\nvar a = `one\ntwo`\n\ntype b struct {\n\tc int `json:\"c\"`\n\td int\n}\n"))
	for n, want := range map[int]bool{1: false, 3: true, 4: true, 7: true, 8: false} {
		if raw[n] != want {
			t.Errorf("line %d is raw: %v", n, raw[n])
		}
	}
}

// maxParts are the comparisons that a condition of a test has: of more, nobody sees which one failed.
const maxParts = 2

// A condition of a test has few parts, or a name for some of them.
func TestConditionsOfTests(t *testing.T) {
	files := 0
	look := func(path string, src []byte) {
		fset := token.NewFileSet()
		f, err := parser.ParseFile(fset, path, src, parser.SkipObjectResolution)
		expect.NoError(t, err)
		files++
		ast.Inspect(f, func(n ast.Node) bool {
			if i, ok := n.(*ast.IfStmt); ok && parts(i.Cond) > maxParts {
				t.Errorf("%s has a condition of %d parts", fset.Position(i.Pos()), parts(i.Cond))
			}
			return true
		})
	}
	for _, dir := range []string{"cmd", "core", "internal", "lab", "web"} {
		each(t, dir, "_test.go", look)
	}
	expect.That(t, "all tests were read", files > 200)
	n, err := parser.ParseExpr("a && !(b || c == d)")
	expect.NoError(t, err)
	expect.Same(t, "the parts of an expression with three", parts(n), 3)
}

// parts are the comparisons that a condition consists of.
func parts(e ast.Expr) int {
	switch x := e.(type) {
	case *ast.BinaryExpr:
		if x.Op == token.LAND || x.Op == token.LOR {
			return parts(x.X) + parts(x.Y)
		}
	case *ast.ParenExpr:
		return parts(x.X)
	case *ast.UnaryExpr:
		if x.Op == token.NOT {
			return parts(x.X)
		}
	}
	return 1
}
