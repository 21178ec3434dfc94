package structure

import (
	"go/ast"
	"go/parser"
	"go/token"
	"testing"

	"rolltop.example/rolltop/internal/expect"
)

// A table of a test that names its rows by a text has a subtest for each of them, so that one row
// can be run alone, and a row that ends early leaves the others to run.
func TestRowsAreSubtests(t *testing.T) {
	tables := 0
	look := func(path string, src []byte) {
		fset := token.NewFileSet()
		f, err := parser.ParseFile(fset, path, src, parser.SkipObjectResolution)
		expect.NoError(t, err)
		for _, d := range f.Decls {
			fn, ok := d.(*ast.FuncDecl)
			if !ok || !takesTest(fn.Type) {
				continue
			}
			ast.Inspect(fn.Body, func(n ast.Node) bool {
				loop, ok := n.(*ast.RangeStmt)
				if !ok || !namesRows(loop.X) {
					return true
				}
				if tables++; !runs(loop.Body) {
					t.Errorf("%s goes through a table without a subtest for each row", fset.Position(loop.Pos()))
				}
				return false
			})
		}
	}
	for _, dir := range []string{"cmd", "core", "internal", "lab", "web"} {
		each(t, dir, "_test.go", look)
	}
	expect.That(t, "the tables were found", tables > 200)
}

// takesTest says whether a function is a test: its first parameter is a *testing.T.
func takesTest(f *ast.FuncType) bool {
	if len(f.Params.List) == 0 {
		return false
	}
	pointer, ok := f.Params.List[0].Type.(*ast.StarExpr)
	if !ok {
		return false
	}
	to, ok := pointer.X.(*ast.SelectorExpr)
	return ok && to.Sel.Name == "T"
}

// namesRows says whether an expression is a table written in place whose rows have a text: the
// keys of a map, or a field of a struct.
func namesRows(e ast.Expr) bool {
	table, ok := e.(*ast.CompositeLit)
	if !ok {
		return false
	}
	text := func(e ast.Expr) bool { id, ok := e.(*ast.Ident); return ok && id.Name == "string" }
	switch of := table.Type.(type) {
	case *ast.MapType:
		return text(of.Key)
	case *ast.ArrayType:
		row, ok := of.Elt.(*ast.StructType)
		if !ok {
			return false
		}
		for _, field := range row.Fields.List {
			if text(field.Type) {
				return true
			}
		}
	}
	return false
}

// runs says whether a subtest or a benchmark of its own is started somewhere in a block.
func runs(b *ast.BlockStmt) bool {
	found := false
	ast.Inspect(b, func(n ast.Node) bool {
		if call, ok := n.(*ast.SelectorExpr); ok && call.Sel.Name == "Run" {
			of, ok := call.X.(*ast.Ident)
			found = found || ok && (of.Name == "t" || of.Name == "b")
		}
		return !found
	})
	return found
}
