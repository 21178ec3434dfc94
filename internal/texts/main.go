// Command texts prints every text that a person can meet, each with its place: the strings of the
// Go code, the help of commands, the steps and guides, the pages of reports, the console, the
// description of the API and the documents. Each is one line: place, tab, text.
//
//	go run ./internal/texts            # all of them
//	go run ./internal/texts core web   # those below some directories
package main

import (
	"bufio"
	"flag"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

func main() {
	flag.Parse()
	if err := run(flag.Args()); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(below []string) error {
	listed, err := exec.Command("git", "ls-files").Output()
	if err != nil {
		return err
	}
	out := bufio.NewWriter(os.Stdout)
	defer out.Flush()
	for _, name := range strings.Fields(string(listed)) {
		if len(below) > 0 && !slices.ContainsFunc(below, func(dir string) bool {
			return strings.HasPrefix(name,
				dir)
		}) {
			continue
		}
		texts, err := textsOf(name)
		if err != nil {
			return err
		}
		for _, t := range texts {
			fmt.Fprintf(out, "%s:%d\t%s\n", name, t.line, strings.Join(strings.Fields(t.text), " "))
		}
	}
	return nil
}

// text is one text with its line.
type text struct {
	line int
	text string
}

// textsOf reads the texts of a file. Files that nobody reads have none.
func textsOf(name string) ([]text, error) {
	if strings.Contains(name, "testdata/") || strings.HasSuffix(name, "_test.go") ||
		strings.HasPrefix(name, "internal/standin/recorded/") || name == "LICENSE" || name == "web/src/api.d.ts" {
		return nil, nil
	}
	switch filepath.Ext(name) {
	case ".go":
		return goTexts(name)
	case ".vue", ".html":
		return pageTexts(name)
	case ".ts":
		return lines(name, regexp.MustCompile(`'([^'\\]*\s[^'\\]*)'|`+"`([^`]*\\s[^`]*)`"))
	case ".yaml":
		if strings.HasPrefix(name, "core/") || strings.HasPrefix(name, "docs/") {
			return lines(name, regexp.MustCompile(`^\s*(?:- )?(?:\w+: )?(.*\s.*)$`))
		}
	case ".md", ".txt":
		return lines(name, regexp.MustCompile(`^(.*\S.*)$`))
	}
	return nil, nil
}

// goTexts are the strings of a Go file with a blank in them, put together where + joins them.
func goTexts(name string) ([]text, error) {
	files := token.NewFileSet()
	tree, err := parser.ParseFile(files, name, nil, 0)
	if err != nil {
		return nil, err
	}
	var out []text
	add := func(pos token.Pos, s string) {
		if strings.ContainsAny(strings.TrimSpace(s), " ") && !strings.HasPrefix(s, "SELECT ") {
			out = append(out, text{files.Position(pos).Line, s})
		}
	}
	ast.Inspect(tree, func(n ast.Node) bool {
		switch x := n.(type) {
		case *ast.ImportSpec:
			return false
		case *ast.Field:
			if x.Tag != nil {
				if s, err := strconv.Unquote(x.Tag.Value); err == nil {
					if _, doc, ok := strings.Cut(s, `doc:"`); ok {
						doc, _, _ = strings.Cut(doc, `"`)
						add(x.Tag.Pos(), doc)
					}
				}
				ast.Inspect(x.Type, func(ast.Node) bool { return true })
				return false
			}
		case *ast.BinaryExpr:
			if s, ok := joined(x); ok {
				add(x.Pos(), s)
				return false
			}
		case *ast.BasicLit:
			if s, ok := joined(x); ok {
				add(x.Pos(), s)
			}
		}
		return true
	})
	return out, nil
}

// joined puts a text together that is written in several pieces.
func joined(e ast.Expr) (string, bool) {
	switch x := e.(type) {
	case *ast.BasicLit:
		if x.Kind == token.STRING {
			s, err := strconv.Unquote(x.Value)
			return s, err == nil
		}
	case *ast.BinaryExpr:
		if x.Op != token.ADD {
			return "", false
		}
		a, one := joined(x.X)
		b, two := joined(x.Y)
		switch {
		case one && two:
			return a + b, true
		case one:
			return a + "…", strings.Contains(a, " ")
		case two:
			return "…" + b, strings.Contains(b, " ")
		}
	}
	return "", false
}

var (
	betweenTags = regexp.MustCompile(`>([^<>]*[A-Za-z][^<>]*)<`)
	attributes  = regexp.MustCompile(`\s(?:label|title|placeholder|aria-label|alt)="([^"]+)"`)
	quoted      = regexp.MustCompile("'([^'\\n]*[A-Za-z] [^'\\n]*)'|`([^`]*[A-Za-z] [^`]*)`")
)

// pageTexts are what stands between the tags of a page, in its attributes and in its quotes.
func pageTexts(name string) ([]text, error) {
	src, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	var out []text
	for _, find := range []*regexp.Regexp{betweenTags, attributes, quoted} {
		for _, m := range find.FindAllSubmatchIndex(src, -1) {
			for g := 2; g < len(m); g += 2 {
				if m[g] < 0 {
					continue
				}
				if s := strings.TrimSpace(string(src[m[g]:m[g+1]])); s != "" && !strings.HasPrefix(s, "@/") {
					out = append(out, text{1 + strings.Count(string(src[:m[g]]), "\n"), s})
				}
			}
		}
	}
	slices.SortStableFunc(out, func(a, b text) int { return a.line - b.line })
	return out, nil
}

// lines are what an expression finds in each line of a file.
func lines(name string, find *regexp.Regexp) ([]text, error) {
	src, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	var out []text
	for i, l := range strings.Split(string(src), "\n") {
		for _, m := range find.FindAllStringSubmatch(l, -1) {
			if s := strings.TrimSpace(strings.Join(m[1:], "")); s != "" {
				out = append(out, text{i + 1, s})
			}
		}
	}
	return out, nil
}
