package cli

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/tables"
)

// keepPageOptions are those of a page that is kept beside a release document.
type keepPageOptions struct {
	ID     string `option:"id" default:"requirements" usage:"id of the page in the document"`
	Source string `option:"source" value:"ADDRESS" usage:"address of the page (default: the source of the document)"`
	Saved  string `option:"saved" value:"DAY" usage:"day on which the page was saved, such as 2026-10-06 (default: that of the file)"`
}

// keepPage writes the text of a page beside a document, and names it in the document.
func keepPage(c *call[keepPageOptions]) error {
	document, page := c.args[0], c.args[1]
	if !release.ValidID(c.o.ID) {
		return wrongUsage("--id %q cannot be the id of a page; use lower-case letters, digits and hyphens", c.o.ID)
	}
	rel, err := readRelease(c.cmd, document)
	if err != nil {
		return err
	}
	if rel.PageOf(c.o.ID) != nil {
		return fmt.Errorf("%s already has a page %s; choose another --id, or compare the two with rolltop "+
			"releases compare-page", document, c.o.ID)
	}
	saved, err := savedOn(page, c.o.Saved)
	if err != nil {
		return err
	}
	text, err := pageText(c.place, page)
	if err != nil {
		return err
	}
	base := strings.TrimSuffix(filepath.Base(document), filepath.Ext(document))
	file := base + "-" + c.o.ID + ".txt"
	if !release.ValidPageFile(file) {
		return wrongUsage("the text would be in %q, which cannot be the name of a page; name the document with "+
			"letters, digits, dots and hyphens", file)
	}
	entry := fmt.Sprintf("  - id: %s\n    source: %q\n    saved: %s\n    file: %s\n    sha256: %s\n", c.o.ID,
		first(c.o.Source, rel.Source), saved.Format(time.DateOnly), file, release.Checksum([]byte(text)))
	src, err := readFile(c.cmd, document)
	if err != nil {
		return err
	}
	changed, ok := withPage(string(src), entry)
	if !ok {
		return fmt.Errorf("%s keeps its pages in a form that cannot be added to; write pages: on a line of its own, "+
			"with an entry on the lines below", document)
	}
	if err := writeNew(filepath.Join(filepath.Dir(document), file), []byte(text)); err != nil {
		return err
	}
	if _, err := release.Read(document, []byte(changed), beside(c.cmd, document)); err != nil {
		_ = os.Remove(filepath.Join(filepath.Dir(document), file))
		return err
	}
	if err := replaceFile(document, []byte(changed)); err != nil {
		return err
	}
	c.done("The text of %s is in %s: %s. %s names it as the page %s.", page, file,
		say.Count(len(release.Sentences(text)), "sentence", "sentences"), document, c.o.ID)
	c.note("Point requirements to it: quote: {page: %s, text: \"…\"}, with words copied from %s.", c.o.ID, file)
	return nil
}

// savedOn is the day on which a page was saved: as it is given, or as the file says.
func savedOn(page, given string) (time.Time, error) {
	if given != "" {
		day, err := time.Parse(time.DateOnly, given)
		if err != nil {
			return day, wrongUsage("--saved %q is not a day; write it as 2026-10-06", given)
		}
		return day, nil
	}
	st, err := os.Stat(page)
	if err != nil {
		return time.Time{}, fmt.Errorf("%s cannot be read: %w", page, bare(err))
	}
	return st.ModTime(), nil
}

func pageText(p *place, page string) (string, error) {
	src, err := readLarge(p.cmd, page)
	if err != nil {
		return "", err
	}
	return tables.PageText(page, src)
}

// withPage adds an entry to the pages of a document, below the line pages: or in front of the requirements.
func withPage(src, entry string) (string, bool) {
	lines := strings.SplitAfter(src, "\n")
	for i, line := range lines {
		key := strings.TrimRight(line, " \r\n")
		switch {
		case key == "pages:":
			return strings.Join(lines[:i+1], "") + entry + strings.Join(lines[i+1:], ""), true
		case strings.HasPrefix(key, "pages:"), strings.HasPrefix(key, "{"):
			return "", false
		}
	}
	for i, line := range lines {
		if strings.HasPrefix(line, "requirements:") {
			return strings.Join(lines[:i], "") + "pages:\n" + entry + "\n" + strings.Join(lines[i:], ""), true
		}
	}
	return "", false
}

// replaceFile writes a file whole, or leaves it as it was.
func replaceFile(path string, b []byte) error {
	st, err := os.Stat(path)
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w", path, bare(err))
	}
	f, err := os.CreateTemp(filepath.Dir(path), ".rolltop-*")
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w", path, bare(err))
	}
	defer func() { _ = os.Remove(f.Name()) }()
	_, err = f.Write(b)
	if closed := f.Close(); err == nil {
		err = closed
	}
	if err == nil {
		err = os.Chmod(f.Name(), st.Mode().Perm())
	}
	if err == nil {
		err = os.Rename(f.Name(), path)
	}
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w", path, bare(err))
	}
	return nil
}

// comparePageOptions are those of a comparison of a newer page with the one that is kept.
type comparePageOptions struct {
	ID string `option:"id" usage:"id of the kept page (default: the only one)"`
	shown
}

func comparePage(c *call[comparePageOptions]) error {
	form, err := format(c.cmd)
	if err != nil {
		return err
	}
	rel, err := findRelease(c.cmd, c.args[0])
	if err != nil {
		return err
	}
	page := rel.PageOf(c.o.ID)
	if page == nil {
		return wrongUsage("%s", say.NoPage(rel, c.o.ID))
	}
	text, err := pageText(c.place, c.args[1])
	if err != nil {
		return err
	}
	d := api.ComparedPage(rel.ComparePage(page, text))
	if form == "json" {
		return printDocument(c.out(), "rolltop-page/1", d)
	}
	p := c.paper()
	p.line("%s", p.style(bold, fmt.Sprintf("%s, kept since %s", page.Source, say.Day(page.Saved))))
	p.text("", d.Says)
	pointed := func(title string, gone bool) {
		some := false
		for _, q := range d.Requirements {
			if q.Gone != gone {
				continue
			}
			if !some {
				p.line("")
				p.line("%s", p.style(bold, title))
				some = true
			}
			p.headed("  ", q.Title, ": “"+q.Quote+"”")
			if q.Nearest != "" {
				p.text("    now: ", "“"+q.Nearest+"”")
			}
		}
	}
	pointed("Requirements that point to words that are gone", true)
	for _, part := range []struct {
		title string
		lines []string
	}{{"Gone", d.Removed}, {"New", d.Added}} {
		if len(part.lines) == 0 {
			continue
		}
		p.line("")
		p.line("%s", p.style(bold, part.title))
		for _, l := range part.lines {
			p.text("  – ", strings.ReplaceAll(l, "\t", " | "))
		}
	}
	pointed("Requirements whose words are still there", false)
	return nil
}
