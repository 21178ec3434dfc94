package release_test

import (
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"testing"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/internal/expect"
)

const pageText = "Skerry 12 needs 4 GB of memory. Some makers call it RAM!  It needs a 64-bit\tprocessor.\n" +
	"Memory\t4 GB\nv. 12 of the page\n"

// withPages is a document with a page, and a requirement that points to it.
func withPages(sum, quote string) string {
	return head + "pages:\n  - {id: needs, source: \"https://skerry.example/12\", saved: 2026-10-06, " +
		"file: needs.txt, sha256: " + sum + "}\n" +
		strings.Replace(one, "need: {", "quote: {"+quote+"}, need: {", 1)
}

func filesOf(text string) release.Files {
	return func(name string) ([]byte, error) {
		if name != "needs.txt" {
			return nil, fs.ErrNotExist
		}
		return []byte(text), nil
	}
}

func TestSentences(t *testing.T) {
	for text, want := range map[string]string{
		pageText: "Skerry 12 needs 4 GB of memory.|Some makers call it RAM!|It needs a 64-bit processor.|Memory 4 GB|" +
			"v. 12 of the page",
		"":                        "",
		"\n \n\t\n":               "",
		"No point at the end":     "No point at the end",
		"At 1.4 GHz. Or more.":    "At 1.4 GHz.|Or more.",
		"See e.g. Tern. Done?":    "See e.g. Tern.|Done?",
		"Really? Yes. no. No":     "Really?|Yes. no. No",
		strings.Repeat("a", 2001): strings.Repeat("a", 2000) + "|a",
	} {
		t.Run(text[:min(len(text), 20)], func(t *testing.T) {
			expect.Same(t, "the sentences", strings.Join(release.Sentences(text), "|"), want)
		})
	}
}

// A requirement points to words of the page, whatever ends of lines are between them.
func TestQuotes(t *testing.T) {
	sum := release.Checksum([]byte(pageText))
	for _, tt := range []struct{ name, sum, quote, text, wrong string }{
		{"a sentence", sum, `page: needs, text: "Skerry 12 needs 4 GB of memory."`, pageText, ""},
		{"across a row", sum, `page: needs, text: "Memory 4 GB v. 12"`, pageText, ""},
		{"sums in capitals", strings.ToUpper(sum), `page: needs, text: "RAM!"`, pageText, ""},
		{"other words", sum, `page: needs, text: "Skerry 12 needs 8 GB of memory."`, pageText,
			`does not contain these words; the nearest sentence is "Skerry 12 needs 4 GB of memory."`},
		{"nothing like it", sum, `page: needs, text: "Lampwright charts"`, pageText, "copy the words from needs.txt"},
		{"no words", sum, `page: needs, text: " "`, pageText, "does not contain these words"},
		{"another page", sum, `page: need, text: "RAM!"`, pageText, `there is no page "need" in this document; did you mean`},
		{"the page was changed", sum, `page: needs, text: "RAM!"`, pageText + "x", "needs.txt was changed after it was kept"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			rel, err := release.Read("f.yaml", []byte(withPages(tt.sum, tt.quote)), filesOf(tt.text))
			expect.Error(t, err, tt.wrong)
			if err != nil {
				return
			}
			expect.Same(t, "the page pointed to", rel.Requirements[0].Quote.Page, rel.PageOf("needs"))
		})
	}
	_, err := release.Read("f.yaml", []byte(withPages(sum, `page: needs, text: "RAM!"`)), nil)
	expect.Error(t, err, "refers to a page that is missing")
	for name, wrong := range map[string]string{
		"other.txt": "does not exist", "needs.csv": "ends in .txt", "../needs.txt": "without a directory",
	} {
		t.Run(name, func(t *testing.T) {
			src := strings.Replace(withPages(sum, `page: needs, text: "RAM!"`), "needs.txt", name, 1)
			_, err := release.Read("f.yaml", []byte(src), filesOf(pageText))
			expect.Error(t, err, wrong)
		})
	}
	_, err = release.Read("f.yaml", []byte(withPages(sum, `page: needs, text: "RAM!"`)),
		func(string) ([]byte, error) { return nil, errors.New("no rights") })
	expect.Error(t, err, "cannot be read: no rights")
}

// The page goes where its document goes.
func TestPagesAreInTheBundle(t *testing.T) {
	src := withPages(release.Checksum([]byte(pageText)), `page: needs, text: "RAM!"`)
	packed, err := release.Pack("f.yaml", []byte(src), filesOf(pageText))
	expect.NoError(t, err)
	rel, err := release.Read("f.json", packed, nil)
	expect.NoError(t, err)
	expect.Same(t, "the page", rel.PageOf("").Text, pageText)
	expect.That(t, "there is no other page", rel.PageOf("other") == nil)
}

// A newer page is compared sentence by sentence, and says which requirements point to what is gone.
func TestComparePage(t *testing.T) {
	rel, err := release.Read("f.yaml", []byte(withPages(release.Checksum([]byte(pageText)),
		`page: needs, text: "needs 4 GB of memory"`)), filesOf(pageText))
	expect.NoError(t, err)
	for _, tt := range []struct{ name, newer, want string }{
		{"the same in other lines", strings.ReplaceAll(pageText, "memory. ", "memory.\n\n"), "[] [] gone false"},
		{"a limit raised", strings.Replace(pageText, "4 GB of", "8 GB of", 1),
			"[Skerry 12 needs 4 GB of memory.] [Skerry 12 needs 8 GB of memory.] gone true " +
				"Skerry 12 needs 8 GB of memory."},
		{"a sentence twice", pageText + "Memory 4 GB\n", "[] [Memory 4 GB] gone false"},
		{"emptied", "",
			"[Skerry 12 needs 4 GB of memory. Some makers call it RAM! It needs a 64-bit processor. Memory 4 GB " +
				"v. 12 of the page] [] gone true"},
	} {
		t.Run(tt.name, func(t *testing.T) {
			c := rel.ComparePage(rel.PageOf("needs"), tt.newer)
			expect.Same(t, "requirements that point to it", len(c.Pointed), 1)
			got := fmt.Sprint(c.Removed, c.Added, " gone ", c.Pointed[0].Gone, " ", c.Pointed[0].Nearest)
			expect.Same(t, "what changed", strings.TrimSpace(got), tt.want)
		})
	}
}
