package structure

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
)

// Words and phrases that must not come back, each with what is written instead.
var formerWords = []struct{ was, better string }{
	{
		`\brolltop (devices|waivers|hooks|acts|worklist|places|house)\b`,
		"machines, decisions, webhooks, audit, work, sites",
	},
	{`\bdevices (show|export|mark|enter|take-back|models|doubts|after)\b`, "machines …"},
	{`parted by`, "separated by"},
	{`(?:where (?:it is )?not given|where it is not given)`, "if omitted, or (default: …)"},
	{`\bin place of\b`, "instead of"},
	{`\bstands? twice\b`, "appears twice"},
	{`\bprinted this once|shown this once\b`, "shown only once"},
	{`\bis no (?:unit|amount|address|id|tag|site|number|value|name|architecture|time|day|date)\b`, "is not a …"},
	{`\b[Nn]o machine is meant\b`, "No machine matches"},
	{`\bmay be (?:another|others) than (?:it|they) seems?\b`, "possible duplicate"},
	{`\bWhat frees most\b`, "Biggest wins"},
	{`\bnobody knows\b`, "unknown"},
	{`\btelephone`, "phone"},
	{`\bturns it round\b`, "prefix with - for descending order"},
	{`\bfor want of rights\b`, "without administrator rights"},
	{`\breleases? between\b`, "intermediate release"},
	{`\bSomebody comes to your desk\b`, "A technician will come to your desk"},
	{`\bthere is no (?:setting|kind|format|command|column|role)\b`, "unknown …"},
	{`"[^"]*\baccepts \d+ arg`, "the argument by its name"},
}

// What people read has the words of the vocabulary: in the code, the help, the console, the
// steps, the description of the API and the documents.
func TestFormerWordsDoNotComeBack(t *testing.T) {
	read := 0
	for _, name := range tracked(t) {
		frozen := strings.HasPrefix(name, "internal/store/migrations/") ||
			strings.HasPrefix(name, "internal/standin/recorded/") || strings.Contains(name, "testdata/")
		others := name == "CHANGELOG.md" || name == "LICENSE" || strings.HasSuffix(name, "_test.go")
		if frozen || others {
			continue
		}
		switch filepath.Ext(name) {
		case ".go", ".vue", ".ts", ".yaml", ".md", ".txt", ".html", ".json":
		default:
			continue
		}
		src, err := os.ReadFile(filepath.Join(project, name))
		if err != nil {
			t.Fatal(err)
		}
		read++
		for _, w := range formerWords {
			if at := regexp.MustCompile(w.was).FindIndex(src); at != nil {
				t.Errorf("%s:%d has %q; write: %s", name, 1+strings.Count(string(src[:at[0]]), "\n"), src[at[0]:at[1]],
					w.better)
			}
		}
	}
	if read < 300 {
		t.Errorf("only %d files were read", read)
	}
}

// Every word of the glossary is a row of its own, and each of the things that had several words
// is called by one of them in the commands.
func TestGlossary(t *testing.T) {
	src, err := os.ReadFile(filepath.Join(project, "docs/glossary.md"))
	if err != nil {
		t.Fatal(err)
	}
	seen := map[string]bool{}
	for _, m := range regexp.MustCompile(`(?m)^\| ([a-z ]+) \|`).FindAllStringSubmatch(string(src), -1) {
		if seen[m[1]] && m[1] != "word" {
			t.Errorf("%s has two meanings", m[1])
		}
		seen[m[1]] = true
	}
	for _, word := range []string{
		"machine", "site", "conflict", "duplicate", "decision", "knowledge", "visit", "remote batch", "open question",
		"audit log", "target", "house standard",
	} {
		if !seen[word] {
			t.Errorf("the glossary lacks %q", word)
		}
	}
}

// tracked are the files of the project, by their names.
func tracked(t *testing.T) []string {
	t.Helper()
	list := exec.CommandContext(t.Context(), "git", "ls-files")
	list.Dir = project
	out, err := list.Output()
	if err != nil {
		t.Fatal(err)
	}
	return strings.Fields(string(out))
}
