package cli

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/rivo/uniseg"
	"golang.org/x/term"

	"rolltop.example/rolltop/core/say"
)

// paper prints text to the width of the terminal, with colour only where it is
// wanted.
type paper struct {
	out    io.Writer
	width  int
	colour bool
	// terminal: lines longer than the width are cut; elsewhere they are whole.
	terminal bool
}

// Widths of text that is not on a terminal, and the most that is read well.
const (
	plainWidth = 100
	maxWidth   = 120
)

func newPaper(out io.Writer) *paper {
	p := &paper{out: out, width: plainWidth}
	if f, ok := out.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		if w, _, err := term.GetSize(int(f.Fd())); err == nil && w > 20 {
			p.width = min(w, maxWidth)
		}
		p.terminal = true
		p.colour = os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb"
	}
	return p
}

// Styles, as terminal codes.
const (
	bold = "1"
	dim  = "2"
)

var dispositionStyles = map[string]string{
	"done": "1;36", "ready": "1;32", "reconfigure": "1;34", "refit": "1;33", "decide": "1;95", "replace": "1;31",
	"undetermined": "1;35",
}

func (p *paper) style(code, s string) string {
	if !p.colour || code == "" || s == "" {
		return s
	}
	return "\x1b[" + code + "m" + s + "\x1b[0m"
}

func (p *paper) line(format string, args ...any) { fmt.Fprintf(p.out, format+"\n", args...) }

// text prints wrapped text; first stands before the first line and the rest is
// indented to the same column.
func (p *paper) text(first, s string) { p.styled(first, s, "") }

func (p *paper) styled(first, s, code string) {
	indent := uniseg.StringWidth(first)
	for i, l := range wrap(s, max(p.width-indent, 20)) {
		if i == 0 {
			p.line("%s%s", first, p.style(code, l))
		} else {
			p.line("%s%s", strings.Repeat(" ", indent), p.style(code, l))
		}
	}
}

// headed prints wrapped text that begins with a bold head; what does not fit
// stands further in.
func (p *paper) headed(first, head, rest string) {
	lines := wrap(head+rest, max(p.width-uniseg.StringWidth(first)-4, 20))
	for i, l := range lines {
		switch {
		case i == 0 && strings.HasPrefix(l, head):
			p.line("%s%s%s", first, p.style(bold, head), l[len(head):])
		case i == 0:
			p.line("%s%s", first, l)
		default:
			p.line("%s    %s", first, l)
		}
	}
}

// wrap cuts at blanks into lines of at most width columns of a terminal.
func wrap(s string, width int) []string {
	var out []string
	line, n := "", 0
	for _, w := range strings.Fields(s) {
		l := uniseg.StringWidth(w)
		if n > 0 && n+1+l > width {
			out = append(out, line)
			line, n = "", 0
		}
		if n > 0 {
			line, n = line+" ", n+1
		}
		line, n = line+w, n+l
	}
	if n > 0 {
		out = append(out, line)
	}
	return out
}

// cut shortens a text to at most width columns of a terminal, between what a person sees as characters.
func cut(s string, width int) string {
	if uniseg.StringWidth(s) <= width {
		return s
	}
	out, used, state := "", 1, -1 // one column is for the sign that something is missing
	for s != "" {
		var character string
		var wide int
		character, s, wide, state = uniseg.FirstGraphemeClusterInString(s, state)
		if used += wide; used > width {
			break
		}
		out += character
	}
	return out + "…"
}

// table prints aligned columns without boxes. The last column takes what is
// left of the width and is cut there.
func (p *paper) table(heads []string, rows [][]string) {
	widths := make([]int, len(heads))
	for _, r := range append([][]string{heads}, rows...) {
		for i, c := range r {
			widths[i] = max(widths[i], uniseg.StringWidth(c))
		}
	}
	used := 0
	for _, w := range widths[:len(widths)-1] {
		used += w + 2
	}
	widths[len(widths)-1] = max(p.width-used, 12)
	print := func(r []string, code string) {
		var b strings.Builder
		for i, c := range r {
			if i == len(r)-1 {
				if p.terminal {
					c = cut(c, widths[i])
				}
				b.WriteString(c)
				continue
			}
			b.WriteString(c + strings.Repeat(" ", widths[i]-uniseg.StringWidth(c)+2))
		}
		p.line("%s", p.style(code, strings.TrimRight(b.String(), " ")))
	}
	print(heads, dim)
	for _, r := range rows {
		print(r, "")
	}
}

func printJSON(out io.Writer, v any) error {
	e := json.NewEncoder(out)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(v)
}

// printCSV writes rows for spreadsheets, below their headings unless these are nil.
func printCSV(out io.Writer, heads []string, rows [][]string) error {
	w := csv.NewWriter(out)
	if heads != nil {
		if err := w.Write(heads); err != nil {
			return err
		}
	}
	for _, r := range rows {
		safe := make([]string, len(r))
		for i, c := range r {
			safe[i] = say.Cell(c)
		}
		if err := w.Write(safe); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// isTerminal says whether somebody watches.
func isTerminal(w io.Writer) bool {
	f, ok := w.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}
