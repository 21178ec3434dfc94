package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"rolltop.example/rolltop/internal/expect"
)

// A page is kept beside a document, quoted, compared with a newer one; mistakes leave both files as they were.
func TestKeepAndCompareAPage(t *testing.T) {
	dir := t.TempDir()
	path := filepath.Join(dir, "tern-3.yaml")
	page, newer := filepath.Join(dir, "page.html"), filepath.Join(dir, "newer.html")
	const before = "<html><body><p>Tern 3 needs 4 GB of memory.</p><p>It needs a TPM.</p></body></html>"
	expect.NoError(t, os.WriteFile(page, []byte(before), 0o600))
	expect.NoError(t, os.WriteFile(newer, []byte(strings.Replace(before, "4 GB", "8 GB", 1)), 0o600))
	says(t, 0, "", "releases", "new", "tern-3", "--name", "Tern 3", "--output", path)

	was, err := os.ReadFile(path)
	expect.NoError(t, err)
	for _, tt := range []struct {
		code int
		want string
		args []string
	}{
		{2, "cannot be the id of a page", []string{path, page, "--id", "Tern 3"}},
		{2, "is not a day; write it as 2026-10-06", []string{path, page, "--saved", "6 October"}},
		{1, "cannot be read", []string{path, filepath.Join(dir, "nowhere.html")}},
		{1, "cannot be read", []string{filepath.Join(dir, "nowhere.yaml"), page}},
	} {
		t.Run(tt.want, func(t *testing.T) {
			says(t, tt.code, tt.want, append([]string{"releases", "keep-page"}, tt.args...)...)
		})
	}
	is, err := os.ReadFile(path)
	expect.NoError(t, err)
	expect.Same(t, "the document after mistakes", string(is), string(was))

	says(t, 0, "two sentences", "releases", "keep-page", path, page, "--saved", "2026-10-06")
	says(t, 1, "already has a page requirements", "releases", "keep-page", path, page)
	says(t, 0, "valid", "releases", "validate", path)
	text, err := os.ReadFile(filepath.Join(dir, "tern-3-requirements.txt"))
	expect.NoError(t, err)
	expect.Same(t, "the text that is kept", string(text), "Tern 3 needs 4 GB of memory.\nIt needs a TPM.\n")

	quoted := func(words string) {
		src, err := os.ReadFile(path)
		expect.NoError(t, err)
		changed := strings.Replace(
			string(src),
			"    reason:",
			"    quote: {page: requirements, text: \""+words+"\"}\n    reason:",
			1,
		)
		expect.That(t, "a requirement has a reason", changed != string(src))
		expect.NoError(t, os.WriteFile(path, []byte(changed), 0o600))
	}
	quoted("needs 4 GB of memory")
	says(t, 0, "The publisher's page of 6 October 2026: “needs 4 GB of memory”", "releases", "show", path)
	says(t, 0, "says the same as the one that is kept", "releases", "compare-page", path, page)
	out := says(t, 0, "One sentence is gone, and one is new.", "releases", "compare-page", path, newer)
	for _, want := range []string{
		"One requirement points to words that are gone.", "now: “Tern 3 needs 8 GB of memory.”",
	} {
		expect.Contains(t, strings.Join(strings.Fields(out), " "), want)
	}
	says(t, 0, `"gone": true`, "releases", "compare-page", path, newer, "--format", "json")
	says(t, 2, `keeps no page "processors"; it keeps requirements`, "releases", "compare-page", path, newer, "--id",
		"processors")
}
