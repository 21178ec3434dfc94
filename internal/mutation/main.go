// Command mutation puts small random mistakes into the code, one at a time, and counts
// how many of them the tests notice. The mistakes are laid over the files by the go
// command's -overlay and never written into the tree.
//
// A directory of step definitions (YAML) is taken like a package.
//
// Some changes are no mistakes, and are not made: the length of an array's type, a number that is
// returned beside false or beside an error, the size of a number with a point, and a panic for a defect
// of the program left out.
//
//	go run ./internal/mutation -count 87 core/check core/need core/remedy
//	go run ./internal/mutation -count 60 core/remedy/steps
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"go/ast"
	"go/format"
	"go/parser"
	"go/token"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"
)

// mistake is one change of a file.
type mistake struct {
	file, what string
	line       int
	text       func() ([]byte, error) // the file with the mistake in it
}

func main() {
	count := flag.Int("count", 50, "how many mistakes")
	seed := flag.Uint64("seed", 1, "which of them")
	tests := flag.String("tests", "./core/...", "packages whose tests are run, separated by commas")
	whole := flag.String("whole", "", "packages whose tests are run without -short, where the others notice nothing")
	limit := flag.Duration("limit", 5*time.Minute, "for the tests of one mistake; beyond it, it counts as noticed")
	at := flag.String("at", "",
		"only these mistakes, as they were printed (file:line, or file:line: what), separated by commas")
	flag.Parse()
	packages := func(list string) []string { return strings.Fields(strings.ReplaceAll(list, ",", " ")) }
	by := runner{packages(*tests), packages(*whole), *limit}
	if err := run(flag.Args(), *count, *seed, *at, by); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

// runner runs tests over a tree with a mistake in it.
type runner struct {
	tests, whole []string // packages: with -short, without
	limit        time.Duration
}

// fine runs tests of packages; the error says that one fails.
func fine(ctx context.Context, packages []string, flags ...string) ([]byte, error) {
	if len(packages) == 0 {
		return nil, nil
	}
	return exec.CommandContext(ctx, "go", append(append([]string{"test"}, flags...), packages...)...).CombinedOutput()
}

func run(dirs []string, count int, seed uint64, at string, by runner) error {
	files := token.NewFileSet()
	var all []mistake
	for _, dir := range dirs {
		names, err := filepath.Glob(filepath.Join(dir, "*.go"))
		if err != nil {
			return err
		}
		for _, name := range names {
			if strings.HasSuffix(name, "_test.go") {
				continue
			}
			tree, err := parser.ParseFile(files, name, nil, parser.ParseComments)
			if err != nil {
				return err
			}
			all = append(all, mistakesOf(files, name, tree)...)
		}
		more, err := stepMistakes(dir)
		if err != nil {
			return err
		}
		all = append(all, more...)
	}
	if at != "" {
		all = slices.DeleteFunc(all, func(m mistake) bool {
			place := fmt.Sprintf("%s:%d", m.file, m.line)
			places := strings.Split(at, ",")
			return !slices.Contains(places, place) && !slices.Contains(places, place+": "+m.what)
		})
	}
	// Tests that fail by themselves would notice everything.
	out, err := fine(context.Background(), by.tests, "-short")
	if err == nil {
		out, err = fine(context.Background(), by.whole)
	}
	if err != nil {
		return fmt.Errorf("the tests fail without a mistake: %w\n%s", err, out)
	}
	order := rand.New(rand.NewPCG(seed, seed))
	order.Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	noticed, tried, late := 0, 0, 0
	for i := range all {
		if tried == count {
			break
		}
		m := &all[i]
		built, seen, beyond, err := by.try(m)
		if err != nil {
			return err
		}
		if !built {
			continue // it is no program any more
		}
		if beyond {
			late++
		}
		if tried++; seen {
			noticed++
		} else {
			fmt.Printf("not noticed: %s:%d: %s\n", m.file, m.line, m.what)
		}
	}
	fmt.Printf("%d of %d mistakes were noticed, %d of these by the time limit alone (%d were possible)\n",
		noticed, tried, late, len(all))
	return nil
}

// try lays a mistake over its file and runs the tests.
func (r runner) try(m *mistake) (built, noticed, late bool, err error) {
	src, err := m.text()
	if err != nil {
		return false, false, false, err
	}
	dir, err := os.MkdirTemp("", "mutation")
	if err != nil {
		return false, false, false, err
	}
	defer func() { _ = os.RemoveAll(dir) }()
	changed, overlay := filepath.Join(dir, "changed"+filepath.Ext(m.file)), filepath.Join(dir, "overlay.json")
	abs, err := filepath.Abs(m.file)
	if err != nil {
		return false, false, false, err
	}
	list, err := json.Marshal(map[string]map[string]string{"Replace": {abs: changed}})
	if err != nil {
		return false, false, false, err
	}
	if err := errors.Join(os.WriteFile(changed, src, 0o600), os.WriteFile(overlay, list, 0o600)); err != nil {
		return false, false, false, err
	}
	ctx, cancel := context.WithTimeout(context.Background(), r.limit)
	defer cancel()
	if exec.CommandContext(ctx, "go", "build", "-overlay", overlay, "./"+packageOf(m.file)).Run() != nil {
		return false, false, false, nil
	}
	// The tests of the package itself notice most, and are done soonest.
	own := []string{"./" + packageOf(m.file)}
	for _, some := range [][]string{own, r.tests} {
		if _, err := fine(ctx, some, "-short", "-failfast", "-overlay", overlay); err != nil {
			return true, true, ctx.Err() != nil, nil
		}
	}
	_, failed := fine(ctx, r.whole, "-failfast", "-overlay", overlay)
	return true, failed != nil, ctx.Err() != nil, nil
}

// turned are operators and what they are taken for by mistake.
var turned = map[token.Token]token.Token{
	token.LSS: token.LEQ, token.LEQ: token.LSS, token.GTR: token.GEQ, token.GEQ: token.GTR, token.EQL: token.NEQ,
	token.NEQ: token.EQL, token.LAND: token.LOR, token.LOR: token.LAND, token.ADD: token.SUB, token.SUB: token.ADD,
}

func isFalse(e ast.Expr) bool {
	x, ok := e.(*ast.Ident)
	return ok && x.Name == "false"
}

// isError says that an expression makes an error, or is one: what is returned beside it is not read.
func isError(e ast.Expr) bool {
	switch x := e.(type) {
	case *ast.Ident:
		return strings.HasPrefix(x.Name, "err") && x.Name != "err" // err alone may be none
	case *ast.CallExpr:
		s, ok := x.Fun.(*ast.SelectorExpr)
		if !ok {
			return false
		}
		of, ok := s.X.(*ast.Ident)
		return ok && (of.Name == "errors" && s.Sel.Name == "New" || of.Name == "fmt" && s.Sel.Name == "Errorf")
	}
	return false
}

func isPanic(s ast.Stmt) bool {
	x, ok := s.(*ast.ExprStmt)
	if !ok {
		return false
	}
	call, ok := x.X.(*ast.CallExpr)
	if !ok {
		return false
	}
	f, ok := call.Fun.(*ast.Ident)
	return ok && f.Name == "panic"
}

func mistakesOf(files *token.FileSet, name string, tree *ast.File) []mistake {
	var out []mistake
	unread := map[ast.Expr]bool{} // results that nobody reads
	add := func(n ast.Node, what string, change, undo func()) {
		text := func() ([]byte, error) {
			change()
			defer undo()
			var src bytes.Buffer
			err := format.Node(&src, files, tree)
			return src.Bytes(), err
		}
		out = append(out, mistake{name, what, files.Position(n.Pos()).Line, text})
	}
	ast.Inspect(tree, func(n ast.Node) bool {
		switch x := n.(type) {
		case *ast.ArrayType:
			return x.Len == nil
		case *ast.CallExpr:
			if f, ok := x.Fun.(*ast.SelectorExpr); ok && f.Sel.Name == "ParseFloat" && len(x.Args) == 2 {
				unread[x.Args[1]] = true // any size but 32 is 64
			}
		case *ast.ReturnStmt:
			if n := len(x.Results); n > 1 && (isFalse(x.Results[n-1]) || isError(x.Results[n-1])) {
				for _, r := range x.Results[:n-1] {
					unread[r] = true
				}
			}
		case *ast.GenDecl:
			return x.Tok != token.CONST && x.Tok != token.IMPORT
		case *ast.BinaryExpr:
			was := x.Op
			if is, ok := turned[was]; ok {
				add(x, fmt.Sprintf("%s for %s", is, was), func() { x.Op = is }, func() { x.Op = was })
			}
		case *ast.IfStmt:
			was := x.Cond
			add(x, "the condition turned round",
				func() { x.Cond = &ast.UnaryExpr{Op: token.NOT, X: &ast.ParenExpr{X: was}} }, func() { x.Cond = was })
		case *ast.BasicLit:
			if v, err := strconv.Atoi(x.Value); err == nil && x.Kind == token.INT && !unread[x] {
				was := x.Value
				add(x, fmt.Sprintf("%d for %s", v+1, was), func() { x.Value = strconv.Itoa(v + 1) },
					func() { x.Value = was })
			}
		case *ast.BlockStmt:
			for i, s := range x.List {
				if isPanic(s) {
					continue
				}
				if _, ok := s.(*ast.ExprStmt); !ok {
					if a, ok := s.(*ast.AssignStmt); !ok || a.Tok != token.ASSIGN {
						continue
					}
				}
				add(s, "a statement left out", func() { x.List[i] = &ast.EmptyStmt{Semicolon: s.Pos()} },
					func() { x.List[i] = s })
			}
		case *ast.Ident:
			if x.Name == "true" || x.Name == "false" {
				was, is := x.Name, map[string]string{"true": "false", "false": "true"}[x.Name]
				add(x, is+" for "+was, func() { x.Name = is }, func() { x.Name = was })
			}
		}
		return true
	})
	return out
}
