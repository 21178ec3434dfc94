package cli

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
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
	plainWidth = 80
	maxWidth   = 120
)

func newPaper(out io.Writer) *paper {
	p := &paper{out: out, width: plainWidth}
	if f, ok := out.(*os.File); ok && term.IsTerminal(int(f.Fd())) {
		if w, _, err := term.GetSize(int(f.Fd())); err == nil && w > 20 {
			p.width = min(w, maxWidth)
		}
		p.terminal = true
	} else if w, err := strconv.Atoi(os.Getenv("COLUMNS")); err == nil && w > 20 {
		p.width = w
	}
	if p.terminal {
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

// What a column keeps of its width where a table is too wide: short cells as a whole, or, where that is
// too much, its longest word, or at least a few letters.
const (
	shortCell = 16
	shortHead = 10 // a word of it
	minColumn = 6
)

// columnWidths are the widths of the columns of a table, in columns of a terminal: what their cells need,
// or, where that is too much, less for the widest ones. The first row is the heads.
func columnWidths(rows [][]string, width int) []int {
	n := len(rows[0])
	widths, cells, words := make([]int, n), make([]int, n), make([]int, n)
	for r, row := range rows {
		for i, c := range row {
			wide := uniseg.StringWidth(c)
			widths[i] = max(widths[i], wide)
			bound := shortCell
			if r == 0 {
				bound = shortHead
			} else {
				cells[i] = max(cells[i], min(wide, shortCell))
			}
			for _, word := range strings.Fields(c) {
				words[i] = max(words[i], min(uniseg.StringWidth(word), bound))
			}
			cells[i] = max(cells[i], words[i])
		}
	}
	room := width - 2*(n-1)
	for _, floors := range [][]int{cells, words, nil} {
		out := levelled(widths, floors, room)
		if sum(out) <= room || floors == nil {
			return out
		}
	}
	return widths
}

// levelled cuts the widest of some widths to one level, so that they fit in a room; none falls below its floor.
func levelled(widths, floors []int, room int) []int {
	at := func(level int) []int {
		out := make([]int, len(widths))
		for i, w := range widths {
			floor := minColumn
			if floors != nil {
				floor = max(floor, floors[i])
			}
			out[i] = min(w, max(level, floor))
		}
		return out
	}
	level := slices.Max(widths)
	for level > minColumn && sum(at(level)) > room {
		level--
	}
	out := at(level)
	spare := room - sum(out)
	for i, w := range widths { // what the level leaves over goes to the first that are short of it
		if more := min(w-out[i], spare); more > 0 {
			out[i], spare = out[i]+more, spare-more
		}
	}
	return out
}

func sum(numbers []int) (total int) {
	for _, n := range numbers {
		total += n
	}
	return total
}

// minLast is what the last column of a table has at least. Where it needs more and has less, it stands below
// its row.
const minLast = 30

// block prints a table after an empty line; one without rows is left out.
func (p *paper) block(heads []string, rows [][]string) {
	if len(rows) > 0 {
		p.line("")
		p.table(heads, rows)
	}
}

// table prints aligned columns without boxes, within the width. What does not fit in a column goes on in
// the next line; in a terminal the last column is cut, so that a row keeps to its line.
func (p *paper) table(heads []string, rows [][]string) {
	whole := append([][]string{heads}, rows...)
	widths := columnWidths(whole, p.width)
	last := len(widths) - 1
	widest := 0
	for _, r := range whole {
		widest = max(widest, uniseg.StringWidth(r[last]))
	}
	below := last > 2 && widest > minLast && widths[last] < minLast
	beside := whole
	if below {
		beside = make([][]string, len(whole))
		for i, r := range whole {
			beside[i] = r[:last]
		}
		widths = columnWidths(beside, p.width)
	}
	for i, cells := range beside {
		code := ""
		if i == 0 {
			code = dim
		}
		p.row(cells, widths, code, p.terminal && !below)
		if !below {
			continue
		}
		for _, line := range wrapHard(whole[i][last], p.width-4) {
			p.line("    %s", p.style(dim, line))
		}
	}
}

// row prints the cells of a row, each in the width of its column.
func (p *paper) row(row []string, widths []int, code string, cutLast bool) {
	cells, lines, last := make([][]string, len(row)), 1, len(row)-1
	for i, c := range row {
		switch {
		case i == last && cutLast:
			cells[i] = []string{cut(c, widths[i])}
		case uniseg.StringWidth(c) <= widths[i]:
			cells[i] = []string{c} // as it is, blanks included
		default:
			cells[i] = wrapHard(c, widths[i])
		}
		lines = max(lines, len(cells[i]))
	}
	for n := range lines {
		var b strings.Builder
		for i := range cells {
			c := ""
			if n < len(cells[i]) {
				c = cells[i][n]
			}
			b.WriteString(c + strings.Repeat(" ", widths[i]-uniseg.StringWidth(c)+2))
		}
		p.line("%s", p.style(code, strings.TrimRight(b.String(), " ")))
	}
}

// wrapHard cuts at blanks, and within words that are longer than a line.
func wrapHard(s string, width int) []string {
	var out []string
	for _, line := range wrap(s, width) {
		for uniseg.StringWidth(line) > width {
			head, rest, used, state := "", line, 0, -1
			for rest != "" {
				character, after, wide, next := uniseg.FirstGraphemeClusterInString(rest, state)
				if used+wide > width && head != "" {
					break
				}
				head, rest, used, state = head+character, after, used+wide, next
			}
			out, line = append(out, head), rest
		}
		out = append(out, line)
	}
	return out
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
