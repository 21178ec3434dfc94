package tables

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/net/html"
	"golang.org/x/net/html/charset"

	"rolltop.example/rolltop/core/list"
)

// maxPage bounds the text of a page, in bytes.
const maxPage = 4 << 20

// silent are the elements of a page that say nothing, or nothing of its own.
var silent = []string{
	"script", "style", "template", "noscript", "head", "iframe", "frame", "object", "svg", "select",
	"textarea", "button",
}

// blocks are the elements that begin and end a line.
var blocks = []string{
	"p", "li", "ul", "ol", "div", "table", "tr", "dl", "dt", "dd", "section", "article", "header", "footer",
	"aside", "main",
	"h1", "h2", "h3", "h4", "h5", "h6", "caption", "blockquote", "pre", "br", "hr", "form", "figure", "figcaption",
}

// PageText is the text of a page that was saved as HTML or as text: a line for each block and each row of a
// table, whose cells have tabs between them. What is struck out is left out, and the marks of footnotes stand in
// square brackets. The error says what is wrong with
// a page that has no text, or too much.
func PageText(name string, src []byte) (string, error) {
	text := string(src)
	switch {
	case len(src) > MaxBytes:
		return "", fmt.Errorf("%s is too large: at most %d MiB", name, MaxBytes>>20)
	case isHTML(src):
		in, err := charset.NewReader(bytes.NewReader(src), "text/html")
		if err != nil {
			return "", fmt.Errorf("the encoding of %s cannot be read: %w", name, err)
		}
		root, err := html.Parse(in)
		if err != nil {
			return "", fmt.Errorf("%s cannot be read as HTML: %w", name, err)
		}
		var w pageWriter
		w.walk(root)
		text = w.String()
	case !utf8.Valid(src):
		return "", fmt.Errorf("%s is neither HTML nor text in UTF-8; save the page as a web page", name)
	}
	var out strings.Builder
	for line := range strings.Lines(text) {
		cells := strings.Split(line, "\t")
		for i := range cells {
			cells[i] = strings.Join(strings.Fields(cells[i]), " ")
		}
		if line = strings.Trim(strings.Join(cells, "\t"), "\t"); line != "" {
			out.WriteString(line + "\n")
		}
	}
	switch {
	case out.Len() == 0:
		return "", fmt.Errorf("%s has no text; save the complete page after it is shown", name)
	case out.Len() > maxPage:
		return "", fmt.Errorf("%s has more than %d MB of text; keep the part that states the requirements", name,
			maxPage>>20)
	}
	return out.String(), nil
}

// pageWriter writes the text of a page.
type pageWriter struct{ strings.Builder }

func (w *pageWriter) walk(n *html.Node) {
	switch n.Type {
	case html.TextNode:
		w.WriteString(strings.NewReplacer("\n", " ", "\t", " ", "\r", " ").Replace(n.Data))
		return
	case html.ElementNode:
		if slices.Contains(silent, n.Data) || lineThrough(n) {
			return
		}
	}
	if n.Type == html.ElementNode && n.Data == "sup" && n.FirstChild != nil && n.FirstChild == n.LastChild {
		if mark := strings.TrimSpace(n.FirstChild.Data); list.IsMark(mark) {
			w.WriteString(" [" + list.MarkOf(mark) + "]")
			return
		}
	}
	block := n.Type == html.ElementNode && slices.Contains(blocks, n.Data)
	if block {
		w.WriteByte('\n')
	}
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		w.walk(c)
		if c.Type == html.ElementNode && (c.Data == "td" || c.Data == "th") {
			w.WriteByte('\t')
		}
	}
	if block {
		w.WriteByte('\n')
	}
}
