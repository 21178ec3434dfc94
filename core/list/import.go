package list

import (
	"errors"
	"fmt"
	"slices"
	"strings"
)

// ImportOptions say how a sheet becomes a list.
type ImportOptions struct {
	// Columns names the heading of a field. Several headings with a plus between
	// them are joined with a blank; a text in quotes stands between them as it
	// is: Brand+'-'+Model. Fields that are not given are found by their heading.
	Columns map[string]string
	// Prefix stands before every name that does not begin with it: a maker whom
	// the page leaves out.
	Prefix string
	// Set gives fields a value in every row that the page gives none: what the page states in a
	// sentence. Keys are fields of a list, values are written as in a file of rows.
	Set map[string]string
	// ExceptMarked are marks of footnotes: Set leaves rows with one of them alone.
	ExceptMarked []string
	// OnlyMarked are conditions of the document by marks of footnotes: rows with the mark count only under the
	// condition.
	OnlyMarked map[string]string
	// Names are names that exist, such as those of a fleet's processors: what a proposed naming rule
	// includes of them is shown.
	Names []string
}

// Imported is what became of one sheet, or of several with the same fields.
type Imported struct {
	Rows    []RowDoc
	Used    []Used     // which headings became what
	Ignored []string   // headings that became nothing
	Dropped []Dropped  // rows that were left out, and values that could not be read
	Series  []Proposal // rows that describe a series of names, with the naming rules that they propose
	Marked  []Marked   // the footnotes of the rows
	Guessed []string   // what was assumed, in sentences

	at []int // of each row, the row of the sheet that it came from, from 1
}

// Marked is a footnote, and the rows that have its mark.
type Marked struct {
	Mark  string
	Text  string // empty where the page does not have it
	Names []string
}

// Used is a field with the headings it came from.
type Used struct {
	Field string
	From  []string
}

// Dropped is a row that was left out, or a value of one.
type Dropped struct {
	Row  int // 1 is the first below the heading
	Text string
	Why  string
	Kept bool // the row was kept, without the value
}

// Import makes the rows of a list from a sheet. The error says which heading is
// missing; rows that cannot be used are reported and left out.
func Import(s Sheet, o ImportOptions) (*Imported, error) {
	im := &importer{Sheet: s, o: o, out: &Imported{}, columns: map[string][]int{}, between: map[int]string{}}
	if err := im.match(o.Columns); err != nil {
		return nil, err
	}
	if err := im.settable(); err != nil {
		return nil, err
	}
	for i, cells := range s.Rows {
		im.row(i, cells)
	}
	im.guesses()
	im.out.unique()
	im.out.propose(o.Names)
	if len(im.out.Rows)+len(im.out.Series) == 0 {
		return nil, fmt.Errorf("no row of %s can be used: %s", s.Where, im.reasons())
	}
	return im.out, nil
}

// unique leaves out rows whose name an earlier one has.
func (im *Imported) unique() {
	seen := map[string]int{}
	rows, at := im.Rows[:0], im.at[:0]
	for i, row := range im.Rows {
		key := Normal(row.Name)
		if j := seen[key]; j > 0 {
			im.Dropped = append(im.Dropped,
				Dropped{Row: im.at[i], Text: clip(row.Name), Why: fmt.Sprintf("the same name as in row %d", j)})
			continue
		}
		seen[key] = im.at[i]
		rows, at = append(rows, row), append(at, im.at[i])
	}
	im.Rows, im.at = rows, at
	slices.SortStableFunc(im.Dropped, func(a, b Dropped) int { return a.Row - b.Row })
}

// ImportTables imports some of several sheets, counted from 1, and joins them; without any, the one
// that gives the most rows. It returns the indexes of those that were used.
func ImportTables(sheets []Sheet, tables []int, o ImportOptions) ([]int, *Imported, error) {
	if len(sheets) == 0 {
		return nil, nil, errors.New("the file has no table")
	}
	if len(tables) == 0 {
		at, im, err := importBest(sheets, o)
		return []int{at}, im, err
	}
	var used []int
	joined := &Imported{}
	for _, n := range tables {
		if n < 1 || n > len(sheets) {
			return nil, nil, fmt.Errorf("table %d does not exist; the file has %d", n, len(sheets))
		}
		if slices.Contains(used, n-1) {
			return nil, nil, fmt.Errorf("table %d is named twice; name each table once", n)
		}
		im, err := Import(sheets[n-1], o)
		if err != nil {
			return nil, nil, err
		}
		used = append(used, n-1)
		joined.add(im)
	}
	if len(used) > 1 {
		joined.unique()
		joined.Guessed = append(joined.Guessed,
			fmt.Sprintf("%d tables are joined; of a name in several, the first row counts.", len(used)))
	}
	return used, joined, nil
}

// add puts what became of another sheet behind.
func (im *Imported) add(other *Imported) {
	im.Rows, im.at = append(im.Rows, other.Rows...), append(im.at, other.at...)
	im.Dropped = append(im.Dropped, other.Dropped...)
	im.Series = append(im.Series, other.Series...)
	for _, u := range other.Used {
		at := slices.IndexFunc(im.Used, func(x Used) bool { return x.Field == u.Field })
		if at < 0 {
			im.Used = append(im.Used, u)
			continue
		}
		for _, from := range u.From {
			if !slices.Contains(im.Used[at].From, from) {
				im.Used[at].From = append(slices.Clip(im.Used[at].From), from)
			}
		}
	}
	for _, h := range other.Ignored {
		if !slices.Contains(im.Ignored, h) {
			im.Ignored = append(im.Ignored, h)
		}
	}
	for _, g := range other.Guessed {
		if !slices.Contains(im.Guessed, g) {
			im.Guessed = append(im.Guessed, g)
		}
	}
	for _, m := range other.Marked {
		at := slices.IndexFunc(im.Marked, func(x Marked) bool { return x.Mark == m.Mark && x.Text == m.Text })
		if at < 0 {
			im.Marked = append(im.Marked, m)
			continue
		}
		im.Marked[at].Names = append(im.Marked[at].Names, m.Names...)
	}
}

func importBest(sheets []Sheet, o ImportOptions) (int, *Imported, error) {
	best, at, first := (*Imported)(nil), 0, error(nil)
	for i := range sheets {
		im, err := Import(sheets[i], o)
		if err != nil {
			if first == nil {
				first = err
			}
			continue
		}
		if best == nil || len(im.Rows)+len(im.Series) > len(best.Rows)+len(best.Series) {
			best, at = im, i
		}
	}
	if best == nil {
		return 0, nil, first
	}
	return at, best, nil
}

// Shifted is why a row with more cells than the heading is left out.
const Shifted = "it has more cells than the heading: its columns have shifted"

type importer struct {
	Sheet
	o       ImportOptions
	out     *Imported
	columns map[string][]int
	between map[int]string // in a name: what stands before a column, where it is no blank
	several int            // rows whose cell has several names
}

func (im *importer) drop(row int, text, why string) {
	im.out.Dropped = append(im.out.Dropped, Dropped{Row: row, Text: clip(text), Why: why})
}

func (im *importer) reasons() string {
	if len(im.out.Dropped) == 0 {
		return "it has no rows"
	}
	return im.out.Dropped[0].Why
}

func (im *importer) cell(cells []string, at int) string {
	if at >= len(cells) {
		return ""
	}
	return strings.Join(strings.Fields(cells[at]), " ")
}

// row makes rows of one of the sheet: one of each name in it.
func (im *importer) row(i int, cells []string) {
	n := i + 1
	names := im.names(i, cells)
	full := filled(cells)
	switch {
	case full == 0:
		return // nothing is lost with an empty row
	case im.repeatsHeading(cells):
		im.drop(n, shown(cells), "it repeats the heading")
		return
	case full == 1 && len(im.Heads) > 1 || same(cells) && len(cells) > 1:
		im.drop(n, shown(cells), "a heading within the table: only one cell has text")
		return
	case len(names) == 0:
		im.drop(n, shown(cells), "it has no name")
		return
	case im.struck(i, cells):
		im.drop(n, shown(cells), "it is struck out on the page")
		return
	case len(cells) > len(im.Heads) && filled(cells[len(im.Heads):]) > 0:
		im.drop(n, shown(cells), Shifted)
		return
	}
	if len(names) > 1 {
		im.several++
	}
	rest := im.marks(i, cells, len(names) > 1)
	for _, one := range names {
		name, marks := one.name, rest
		for _, m := range one.marks {
			marks = append(slices.Clip(marks), im.each(m)...)
		}
		slices.Sort(marks)
		marks = slices.Compact(marks)
		if p, ok := readSeries(name); ok {
			p.Row, p.Says = n, shown(cells)
			im.out.Series = append(im.out.Series, p)
			continue
		}
		row := RowDoc{Name: name}
		for _, field := range columns[1:] {
			at := im.columns[field]
			if at == nil {
				continue
			}
			if why := im.set(&row, field, im.cell(cells, at[0]), im.Heads[at[0]]); why != "" {
				im.out.Dropped = append(im.out.Dropped, Dropped{n, clip(row.Name), why, true})
			}
		}
		im.state(&row, marks)
		im.only(n, &row, marks)
		im.note(&row, marks)
		im.out.Rows, im.out.at = append(im.out.Rows, row), append(im.out.at, n)
	}
}

// struck says whether the page strikes a row out: its name, or all of it.
func (im *importer) struck(i int, cells []string) bool {
	at := im.columns["name"]
	if im.Cells[At{i, at[len(at)-1]}].Struck {
		return true
	}
	for j, text := range cells {
		if strings.TrimSpace(text) != "" && !im.Cells[At{i, j}].Struck {
			return false
		}
	}
	return true
}

// marks are the marks of footnotes in a row, each once: without those of a cell with several names,
// each of which has its own.
func (im *importer) marks(i int, cells []string, several bool) []string {
	var out []string
	at := im.columns["name"]
	for j := range cells {
		if several && j == at[len(at)-1] {
			continue
		}
		for _, m := range im.Cells[At{i, j}].Marks {
			for _, one := range im.each(m) {
				if !slices.Contains(out, one) {
					out = append(out, one)
				}
			}
		}
	}
	return out
}

// each parts a mark of several digits that no footnote has: ¹² is 1 and 2 where both exist and 12 does not.
func (im *importer) each(mark string) []string {
	if im.text(mark) != "" || strings.Trim(mark, "0123456789") != "" {
		return []string{mark}
	}
	parts := strings.Split(mark, "")
	if slices.ContainsFunc(parts, func(p string) bool { return im.text(p) == "" }) {
		return []string{mark}
	}
	return parts
}

// text is the footnote with a mark, or "".
func (im *importer) text(mark string) string {
	for _, n := range im.Notes {
		if strings.EqualFold(n.Mark, mark) {
			return n.Text
		}
	}
	return ""
}

// note puts the footnotes of a row beside it.
func (im *importer) note(row *RowDoc, marks []string) {
	for _, m := range marks {
		text := im.text(m)
		at := slices.IndexFunc(im.out.Marked, func(x Marked) bool { return x.Mark == m })
		if at < 0 {
			at = len(im.out.Marked)
			im.out.Marked = append(im.out.Marked, Marked{Mark: m, Text: text})
		}
		im.out.Marked[at].Names = append(im.out.Marked[at].Names, row.Name)
		if text == "" {
			text = "footnote " + m
		}
		if row.Note != "" {
			row.Note += "; "
		}
		row.Note += text
	}
}

// guesses says what was assumed of the sheet.
func (im *importer) guesses() {
	say := func(format string, args ...any) {
		im.out.Guessed = append(im.out.Guessed, fmt.Sprintf(format, args...))
	}
	if len(im.Above) > 0 {
		say("The heading of %s is row %d; what stands above it is its title: %s.", im.Where, im.First-1,
			clip(strings.Join(im.Above, " · ")))
	}
	if at := im.columns["name"]; len(at) > 1 && im.o.Columns["name"] == "" {
		var heads []string
		for _, i := range at {
			heads = append(heads, im.Heads[i])
		}
		say("A name is made of the columns %s.", strings.Join(heads, ", "))
	}
	switch {
	case im.several == 1:
		say("One row has several names in a cell; each name is a row.")
	case im.several > 1:
		say("%d rows have several names in a cell; each name is a row.", im.several)
	}
}

// shown is a row in a line; a cell that spans others is said once.
func shown(cells []string) string {
	return strings.TrimSpace(strings.Join(slices.Compact(slices.Clone(cells)), " "))
}

func same(cells []string) bool {
	for _, c := range cells {
		if c != cells[0] {
			return false
		}
	}
	return true
}

func (im *importer) repeatsHeading(cells []string) bool {
	equal := 0
	for i, h := range im.Heads {
		if i < len(cells) && h != "" && strings.EqualFold(strings.TrimSpace(cells[i]), h) {
			equal++
		}
	}
	return equal > 0 && equal >= (len(im.Heads)+1)/2
}
