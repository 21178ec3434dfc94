package cli_test

import (
	"bufio"
	_ "embed"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/expect"
	"rolltop.example/rolltop/internal/servertest"
	"rolltop.example/rolltop/internal/standin"
)

// mistakes are typical mistakes on the command line and in files.
//
//go:embed testdata/mistakes.txt
var mistakes string

const answers = "testdata/mistakes-answers.txt"

// answersFile is the table from wherever the test runs.
var answersFile, _ = filepath.Abs(answers)

// ofLibraries are words of libraries, of Go and of its types, which no person has to read.
var ofLibraries = regexp.MustCompile(`strconv|invalid character|unmarshal|(^| )(json|yaml): |cannot parse|parsing |` +
	`unexpected (end|EOF|property)|accepts \d|requires at least|unknown (flag|shorthand)|int64|float64|` +
	`sqlite|sql:|goroutine|nil pointer|%!|no such file|[;,:] *$`)

const goodSpec = "format: rolltop-spec/1\nname: New desk\nclass: pc\nmemory: 8 GiB\ncores: 6\n"

// What a person gets wrong on the command line or in a file is answered in that person's words: the golden
// table holds each message, so that a change of one is read.
func TestMistakes(t *testing.T) {
	s := servertest.Demo(t, nil)
	t.Setenv("ROLLTOP_SERVER", s.URL)
	t.Setenv("ROLLTOP_TOKEN", s.Token)
	t.Chdir(files(t))
	var out strings.Builder
	for in := bufio.NewScanner(strings.NewReader(mistakes)); in.Scan(); {
		line := strings.TrimSpace(in.Text())
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		said := mistaken(t, line)
		if found := ofLibraries.FindString(said); found != "" {
			t.Errorf("%s\n  is answered in words of a library (%q): %s", line, found, said)
		}
		fmt.Fprintf(&out, "%s\n    %s\n", line, said)
	}
	compareAnswers(t, out.String())
}

// mistaken is what a person reads after a mistake: the status and all that is said.
func mistaken(t *testing.T, line string) string {
	t.Helper()
	args := words(line)
	if kind, change, ok := strings.Cut(line, ": "); ok && documents(kind) != "" {
		args = fileWithMistake(t, kind, change)
	} else if kind, ok := strings.CutSuffix(line, ": =>"); ok {
		args = fileWithMistake(t, kind, "=>")
	}
	code, out, errOut := rolltop(t, args...)
	if code == 0 {
		t.Errorf("%s is no mistake: %.200s", line, out)
	}
	errOut = strings.TrimSpace(errOut)
	return fmt.Sprintf("%d %s", code, strings.ReplaceAll(errOut, "\n", "\n      "))
}

// documents is the demo's document of a kind; “” where no kind has the name.
func documents(kind string) string {
	switch kind {
	case "release":
		return string(standin.SkerryWith())
	case "spec":
		return goodSpec
	}
	return standin.Knowledge()[kind]
}

// fileWithMistake writes a document of a kind after a change, and is the command that validates it.
func fileWithMistake(t *testing.T, kind, change string) []string {
	t.Helper()
	from, to, _ := strings.Cut(change, "=>")
	from, to = strings.TrimSpace(from), strings.TrimPrefix(strings.ReplaceAll(to, `\n`, "\n"), " ")
	text := to
	if from != "" {
		was := documents(kind)
		if text = strings.Replace(was, from, to, 1); text == was {
			t.Fatalf("the demo's %s have no %q", kind, from)
		}
	}
	file := kind + "-bad.yaml"
	expect.NoError(t, os.WriteFile(file, []byte(text), 0o600))
	switch kind {
	case "release":
		return []string{"releases", "validate", file}
	case "spec":
		return []string{"check", "--release", "skerry-12.yaml", "--spec", file}
	}
	return []string{kind, "validate", file}
}

// words splits a command line at its blanks, outside double quotes.
func words(line string) []string {
	var out []string
	for i, part := range strings.Split(line, `"`) {
		if i%2 == 1 {
			out = append(out, part)
		} else {
			out = append(out, strings.Fields(part)...)
		}
	}
	return out
}

// compareAnswers compares the table with the golden one, which -update writes anew.
func compareAnswers(t *testing.T, got string) {
	t.Helper()
	if *expect.Update {
		expect.NoError(t, os.WriteFile(answersFile, []byte(got), 0o644))
	}
	want, err := os.ReadFile(answersFile)
	expect.NoError(t, err)
	is := strings.Split(got, "\n")
	for i, w := range strings.Split(string(want), "\n") {
		if i >= len(is) || is[i] != w {
			t.Fatalf("%s:%d: got %s, want %s", answers, i+1, is[min(i, len(is)-1)], w)
		}
	}
	expect.Same(t, "length of the table", len(got), len(want))
}
