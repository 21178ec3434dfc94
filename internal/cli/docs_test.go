package cli_test

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
)

var (
	blockOfPage  = regexp.MustCompile("(?s)```(\\w*)\n(.*?)```")
	inlineOfPage = regexp.MustCompile("`(rolltop [^`]+)`")
	commandWord  = regexp.MustCompile(`^[a-z][a-z-]*$`)
	optionWord   = regexp.MustCompile(`^--[a-z][a-z-]*`)
)

// pages are the pages of the documentation, by their names.
func pages(t *testing.T) map[string]string {
	t.Helper()
	names, err := filepath.Glob("../../docs/*.md")
	expect.NoError(t, err)
	out := map[string]string{}
	for _, name := range append(names, "../../README.md") {
		text, err := os.ReadFile(name)
		expect.NoError(t, err)
		out[filepath.Base(name)] = string(text)
	}
	return out
}

// Every command in the documentation exists, with its options.
func TestCommandsInTheDocs(t *testing.T) {
	seen := 0
	for page, text := range pages(t) {
		var lines []string
		for _, m := range inlineOfPage.FindAllStringSubmatch(text, -1) {
			lines = append(lines, m[1])
		}
		for _, line := range slices.Concat(lines, exampleLines(text)) {
			args := words(strings.NewReplacer("'", "", `"`, "", "…", "").Replace(line))[1:]
			path := []string{}
			for _, w := range args {
				if !commandWord.MatchString(w) {
					break
				}
				path = append(path, w)
			}
			help := helpOf(t, &path)
			for _, w := range args {
				if option := optionWord.FindString(w); option != "" && !strings.Contains(help, option) {
					t.Errorf("%s: %s\n  rolltop %s has no option %s", page, line, strings.Join(path, " "), option)
				}
			}
			if len(path) == 0 && len(args) > 0 {
				if commandWord.MatchString(args[0]) {
					t.Errorf("%s: %s\n  there is no such command", page, line)
				}
			}
			seen++
		}
	}
	if seen < 90 {
		t.Errorf("only %d commands were found", seen)
	}
}

// Every address of the API in the documentation exists.
func TestAddressesInTheDocs(t *testing.T) {
	described, err := os.ReadFile("../../docs/formats/openapi.json")
	expect.NoError(t, err)
	var api struct {
		Paths map[string]map[string]any `json:"paths"`
	}
	expect.NoError(t, json.Unmarshal(described, &api))
	named := regexp.MustCompile(`\{[^}]*\}`)
	known := map[string]bool{}
	for path, methods := range api.Paths {
		for method := range methods {
			known[strings.ToUpper(method)+" "+named.ReplaceAllString(path, "NAME")] = true
		}
	}
	seen := 0
	word := regexp.MustCompile(`\b[A-Z]+\b`)
	for page, text := range pages(t) {
		for _, m := range regexp.MustCompile("`(GET|POST|PUT|DELETE) (/[^` ?]*)").FindAllStringSubmatch(text, -1) {
			seen++
			path := word.ReplaceAllString(strings.TrimPrefix(m[2], "/api/v1"), "NAME")
			there := known[m[1]+" "+path] || known[m[1]+" /api/v1"+path]
			if !there || !strings.HasPrefix(m[2], "/api/v1/") {
				t.Errorf("%s: there is no %s %s", page, m[1], m[2])
			}
		}
	}
	expect.That(t, "addresses were found", seen >= 5)
}

// helpOf is the help of the longest command that the words begin with, which path then is.
func helpOf(t *testing.T, path *[]string) string {
	t.Helper()
	for ; len(*path) > 0; *path = (*path)[:len(*path)-1] {
		code, out, _ := rolltop(t, append(slices.Clone(*path), "--help")...)
		if code == 0 && strings.Contains(out, "\n  rolltop "+strings.Join(*path, " ")) {
			return out
		}
	}
	_, out, _ := rolltop(t, "--help")
	return out
}

// exampleLines are the commands in the blocks of a page.
func exampleLines(text string) []string {
	var out []string
	for _, m := range blockOfPage.FindAllStringSubmatch(text, -1) {
		for _, line := range strings.Split(m[2], "\n") {
			line = strings.TrimPrefix(strings.TrimSpace(line), "bin/")
			line, _, _ = strings.Cut(line, "  #")
			if strings.HasPrefix(line, "rolltop ") {
				out = append(out, strings.TrimSpace(line))
			}
		}
	}
	return out
}

// The examples of each page work on the demo's data, and the documents in it are right.
func TestExamplesInTheDocs(t *testing.T) {
	s := servertest.Demo(t, nil)
	dir := files(t)
	page := "<table><tr><th>Go to</th></tr><tr><td>Home</td></tr></table>"
	for _, names := range []string{"<tr><td>Corvane K5-10400</td></tr>", "<tr><td>Tessaly Onyx 5 3600</td></tr>"} {
		page += "<table><tr><th>Processor</th></tr>" + names + "</table>"
	}
	for _, name := range []string{"page.html", "newer.html"} {
		expect.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(page), 0o600))
	}
	applications := "Application,Version,Status\nHawser VPN,2.8 or later,works with limits\n"
	expect.NoError(t, os.WriteFile(filepath.Join(dir, "applications.csv"), []byte(applications), 0o600))
	docs := pages(t)
	t.Chdir(dir)
	t.Setenv("ROLLTOP_SERVER", s.URL)
	t.Setenv("ROLLTOP_TOKEN", s.Token)
	for name, text := range docs {
		if name == "README.md" || name == "commands.md" {
			continue // their commands start and fill services of their own: see TestServe
		}
		examples := 0
		t.Run(name, func(t *testing.T) {
			for _, line := range exampleLines(text) {
				examples++
				if code, out, errOut := rolltop(t, shellWords(line)[1:]...); code == 2 || code == 1 {
					t.Errorf("%s\n  ends with %d: %.300s%s", line, code, out, errOut)
				}
			}
			blocks := blockOfPage.FindAllStringSubmatch(text, -1)
			for i, m := range blocks {
				if m[1] != "yaml" || !strings.HasPrefix(m[2], "format: rolltop-") {
					continue
				}
				document := m[2]
				isRelease := strings.HasPrefix(document, "format: "+release.Format)
				if isRelease && !strings.Contains(document, "requirements:") {
					document += blocks[i+1][2] // the page shows the head and the requirements apart
				}
				examples++
				validDocument(t, fmt.Sprintf("%s-%d.yaml", name, i), document)
			}
		})
		if examples == 0 && !slices.Contains([]string{"facts.md", "glossary.md", "problems.md"}, name) {
			t.Errorf("%s has no example", name)
		}
	}
}

// validDocument expects that a document of a page is right.
func validDocument(t *testing.T, file, text string) {
	t.Helper()
	expect.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	args := []string{"releases", "validate", file}
	switch kind, _, _ := strings.Cut(strings.TrimPrefix(text, "format: rolltop-"), "/"); kind {
	case "steps", "guides", "prices":
		args[0] = kind
	case "spec":
		args = []string{"check", "--release", "skerry-12.yaml", "--spec", file}
	}
	if code, out, errOut := rolltop(t, args...); code == 1 || code == 2 {
		t.Errorf("%s is refused: %s%s", file, out, errOut)
	}
}

// shellWords splits a line as a shell does, at blanks outside quotes of either kind.
func shellWords(line string) []string {
	var out []string
	var b strings.Builder
	quote, any := rune(0), false
	for _, c := range line {
		switch {
		case quote == 0 && (c == '\'' || c == '"'):
			quote, any = c, true
		case c == quote:
			quote = 0
		case quote == 0 && c == ' ':
			if any {
				out = append(out, b.String())
			}
			b.Reset()
			any = false
		default:
			b.WriteRune(c)
			any = true
		}
	}
	if any {
		out = append(out, b.String())
	}
	return out
}
