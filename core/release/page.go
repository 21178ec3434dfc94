package release

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"rolltop.example/rolltop/core/doc"
)

// Page is a page of the publisher that is kept beside the document as evidence.
type Page struct {
	*PageDoc
	Text  string   // as it was kept
	Lines []string // its sentences and cells of tables, in order
}

// Quote is the place of a page that a requirement points to.
type Quote struct {
	Page *Page
	Text string // the words of the page
}

// maxSentence bounds what counts as one sentence, in bytes: a page without points is cut there.
const maxSentence = 2000

// Sentences parts the text of a page into its sentences, without repeated blanks and empty lines.
func Sentences(text string) []string {
	var out []string
	for line := range strings.Lines(text) {
		rest := strings.Join(strings.Fields(line), " ")
		for rest != "" {
			at := sentenceEnd(rest)
			out = append(out, strings.TrimSpace(rest[:at]))
			rest = strings.TrimSpace(rest[at:])
		}
	}
	return out
}

// sentenceEnd is where the first sentence of a line ends: behind a mark that a blank and a capital letter
// follow, unless the word before it is short and in small letters, as an abbreviation is.
func sentenceEnd(line string) int {
	for i, c := range line {
		if i >= maxSentence {
			return i
		}
		if c != '.' && c != '!' && c != '?' {
			continue
		}
		rest := line[i+1:]
		next, _ := utf8.DecodeRuneInString(strings.TrimLeft(rest, " "))
		word := line[strings.LastIndexByte(line[:i], ' ')+1 : i]
		short := len(word) <= 3 && strings.ToLower(word) == word && c == '.'
		if strings.HasPrefix(rest, " ") && unicode.IsUpper(next) && !short {
			return i + 1
		}
	}
	return len(line)
}

// attachPages reads the pages that stand beside a document.
func (d *Document) attachPages(files Files, r *doc.Report) {
	seen := map[string]bool{}
	for i := range d.Pages {
		p := &d.Pages[i]
		if !ValidID(p.ID) || seen[p.ID] {
			r.Add(p.Node.Of("id"), fmt.Sprintf("%q cannot be the id of a page, or appears twice", p.ID),
				"use lower-case letters, digits and hyphens, and give each page its own")
		}
		seen[p.ID] = true
		at := p.Node.Of("file")
		if !ValidPageFile(p.File) {
			r.Add(at, "the name cannot be that of a page beside the document",
				"a name of letters, digits, dots and hyphens that ends in .txt, without a directory")
			continue
		}
		if files == nil {
			r.Add(at, "the document refers to a page that is missing", "add both; rolltop releases add does this")
			continue
		}
		src, err := files(p.File)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			r.Add(at, fmt.Sprintf("the file %s does not exist", p.File), "put it in the directory of the document")
			continue
		case err != nil:
			r.Add(at, "the file cannot be read: "+err.Error(), "check its name and who may read it")
			continue
		}
		if is := Checksum(src); !strings.EqualFold(is, p.SHA256) {
			r.Add(p.Node.Of("sha256"), fmt.Sprintf("%s was changed after it was kept: its checksum is %s", p.File, is),
				"keep the page again with rolltop releases keep-page, or restore the file")
			continue
		}
		p.text = string(src)
	}
}

// Checksum is the SHA-256 of a page's text, in 64 hexadecimal digits.
func Checksum(text []byte) string {
	sum := sha256.Sum256(text)
	return hex.EncodeToString(sum[:])
}

// pages compiles the pages that were read.
func (c *compiler) pages() {
	for i := range c.Document.Pages {
		p := &c.Document.Pages[i]
		c.Release.Pages = append(c.Release.Pages, &Page{p, p.text, Sentences(p.text)})
	}
}

// quote finds the words that a requirement points to. They have to stand on the page.
func (c *compiler) quote(d *QuoteDoc) *Quote {
	if d == nil {
		return nil
	}
	at := slices.IndexFunc(c.Release.Pages, func(p *Page) bool { return p.ID == d.Page })
	if at < 0 {
		var ids []string
		for _, p := range c.Release.Pages {
			ids = append(ids, p.ID)
		}
		c.r.Add(d.Node.Of("page"), fmt.Sprintf("there is no page %q in this document", d.Page),
			doc.Suggest(d.Page, ids))
		return nil
	}
	page := c.Release.Pages[at]
	if page.Text == "" {
		return nil // that it cannot be read has been said
	}
	if strings.TrimSpace(d.Text) == "" || !page.Has(d.Text) {
		right := "copy the words from " + page.File
		if near := page.Nearest(d.Text); near != "" {
			right = fmt.Sprintf("the nearest sentence is %q", near)
		}
		c.r.Add(d.Node.Of("text"), fmt.Sprintf("the page %s does not contain these words", page.ID), right)
		return nil
	}
	return &Quote{page, d.Text}
}

// flat is a text without repeated blanks, for comparing.
func flat(text string) string { return strings.Join(strings.Fields(text), " ") }

// Has says whether words stand on the page, whatever blanks and ends of lines are between them.
func (p *Page) Has(words string) bool { return strings.Contains(flat(p.Text), flat(words)) }

// Nearest is the sentence of the page that shares most words with a text; "" where none shares half of them.
func (p *Page) Nearest(text string) string { return nearestSentence(p.Lines, text) }

func nearestSentence(lines []string, text string) string {
	words := wordsOf(text)
	best, most := "", 0
	for _, line := range lines {
		n := 0
		for w := range wordsOf(line) {
			if words[w] {
				n++
			}
		}
		if n > most {
			best, most = line, n
		}
	}
	if most*2 < len(words) {
		return ""
	}
	return best
}

func wordsOf(text string) map[string]bool {
	out := map[string]bool{}
	for _, w := range strings.FieldsFunc(strings.ToLower(text),
		func(c rune) bool { return !unicode.IsLetter(c) && !unicode.IsDigit(c) }) {
		out[w] = true
	}
	return out
}

// Pointed is a requirement that points to a place of a page.
type Pointed struct {
	Requirement *Requirement
	Gone        bool   // the newer page does not contain its words
	Nearest     string // the nearest sentence of the newer page; "" where none is near
}

// PageChange is how a newer page differs from the one that is kept.
type PageChange struct {
	Page    *Page
	Removed []string // sentences that are gone, in the order of the page
	Added   []string // sentences that are new
	Pointed []Pointed
}

// ComparePage compares the text of a newer page with the one that a document keeps.
func (rel *Release) ComparePage(page *Page, newer string) *PageChange {
	is := Sentences(newer)
	out := &PageChange{Page: page, Removed: without(page.Lines, is), Added: without(is, page.Lines)}
	after := &Page{PageDoc: page.PageDoc, Text: newer, Lines: is}
	for i := range rel.Requirements {
		q := &rel.Requirements[i]
		if q.Quote == nil || q.Quote.Page != page {
			continue
		}
		p := Pointed{Requirement: q, Gone: !after.Has(q.Quote.Text)}
		if p.Gone {
			p.Nearest = after.Nearest(q.Quote.Text)
		}
		out.Pointed = append(out.Pointed, p)
	}
	return out
}

// without are the lines of a that b does not have; one that stands several times counts as often.
func without(a, b []string) []string {
	has := map[string]int{}
	for _, line := range b {
		has[line]++
	}
	var out []string
	for _, line := range a {
		if has[line] > 0 {
			has[line]--
			continue
		}
		out = append(out, line)
	}
	return out
}

// PageOf finds a page by its id; with "", the only one. nil where there is none, or several and no id.
func (rel *Release) PageOf(id string) *Page {
	if id == "" && len(rel.Pages) == 1 {
		return rel.Pages[0]
	}
	for _, p := range rel.Pages {
		if p.ID == id {
			return p
		}
	}
	return nil
}
