package list

import (
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"rolltop.example/rolltop/core/doc"
)

// Sheet is a table as it was found on a page or in a file: a heading, and rows
// of cells.
type Sheet struct {
	Where string // its caption, or its place: table 2
	Heads []string
	Rows  [][]string
}

// ImportOptions say how a sheet becomes a list.
type ImportOptions struct {
	// Columns names the heading of a field. Several headings with a plus between
	// them are joined with a blank; a text in quotes stands between them as it
	// is: Brand+'-'+Model. Fields that are not given are found by their heading.
	Columns map[string]string
	// Prefix stands before every name that does not begin with it: a maker whom
	// the page leaves out.
	Prefix string
}

// Imported is what became of a sheet.
type Imported struct {
	Rows    []RowDoc
	Used    []Used    // which headings became what
	Ignored []string  // headings that became nothing
	Dropped []Dropped // rows that were left out, and values that could not be read
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

// headings by which a field is found, in the order of preference; without
// units, punctuation and case.
var headings = map[string][]string{
	"name": {"processor name", "model name", "model identifier", "identifier", "processor model", "processor",
		"processor number", "model number", "model", "name", "cpu", "product", "part"},
	"cores": {"cores", "core count", "of cores", "number of cores", "no of cores", "processor cores"},
	"rated_mhz": {"base frequency", "processor base frequency", "base clock", "base speed", "rated speed",
		"rated mhz", "base clock speed", "frequency", "clock", "speed", "clock speed"},
	"architecture": {"architecture", "word size"},
	"built_in_tpm": {"built in tpm", "tpm built in", "tpm"},
	"features":     {"features", "instruction sets", "instruction set extensions"},
	"note":         {"note", "notes", "remark", "remarks", "comment", "year", "released"},
}

// nameParts are headings that stand before the model's in a name, in order.
var nameParts = [][]string{
	{"manufacturer", "maker", "vendor", "company"}, {"brand", "family", "line", "series", "product line"},
}

// Import makes the rows of a list from a sheet. The error says which heading is
// missing; rows that cannot be used are reported and left out.
func Import(s Sheet, o ImportOptions) (*Imported, error) {
	im := &importer{Sheet: s, out: &Imported{}, columns: map[string][]int{}, between: map[int]string{}}
	if err := im.match(o.Columns); err != nil {
		return nil, err
	}
	seen := map[string]int{}
	for i, cells := range s.Rows {
		row, ok := im.row(i+1, cells, o.Prefix)
		if !ok {
			continue
		}
		key := Normal(row.Name)
		if j := seen[key]; j > 0 {
			im.drop(i+1, row.Name, fmt.Sprintf("the same name as in row %d", j))
			continue
		}
		seen[key] = i + 1
		im.out.Rows = append(im.out.Rows, row)
	}
	if len(im.out.Rows) == 0 {
		return nil, fmt.Errorf("no row of %s can be used: %s", s.Where, im.reasons())
	}
	return im.out, nil
}

// ImportBest imports one of several sheets: the one asked for, counted from 1,
// or the one that gives the most rows. It returns its index.
func ImportBest(sheets []Sheet, table int, o ImportOptions) (int, *Imported, error) {
	if table > len(sheets) {
		return 0, nil, fmt.Errorf("table %d does not exist; the file has %d", table, len(sheets))
	}
	if table > 0 {
		im, err := Import(sheets[table-1], o)
		return table - 1, im, err
	}
	best, at, first := (*Imported)(nil), 0, error(nil)
	for i := range sheets {
		im, err := Import(sheets[i], o)
		if err != nil {
			if first == nil {
				first = err
			}
			continue
		}
		if best == nil || len(im.Rows) > len(best.Rows) {
			best, at = im, i
		}
	}
	switch {
	case len(sheets) == 0:
		return 0, nil, errors.New("the file has no table")
	case best == nil:
		return 0, nil, first
	}
	return at, best, nil
}

type importer struct {
	Sheet
	out     *Imported
	columns map[string][]int
	between map[int]string // in a name: what stands before a column, where it is no blank
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

// match finds the column of each field.
func (im *importer) match(given map[string]string) error {
	plain := make([]string, len(im.Heads))
	for i, h := range im.Heads {
		plain[i] = plainHeading(h)
	}
	taken := map[int]bool{}
	use := func(field string, at ...int) {
		u := Used{Field: field}
		for _, i := range at {
			taken[i] = true
			u.From = append(u.From, im.Heads[i])
		}
		im.columns[field], im.out.Used = at, append(im.out.Used, u)
	}
	for field := range given {
		if !slices.Contains(columns, field) {
			return fmt.Errorf("a list has no field %q; %s", field, doc.Suggest(field, columns))
		}
	}
	for _, field := range columns {
		if text, ok := given[field]; ok {
			var at []int
			literal, said := "", false
			for _, h := range strings.Split(text, "+") {
				h = strings.TrimSpace(h)
				if len(h) >= 2 && (h[0] == '\'' || h[0] == '"') && h[len(h)-1] == h[0] {
					literal, said = h[1:len(h)-1], true
					continue
				}
				i := im.heading(h)
				if i < 0 {
					return fmt.Errorf("%s has no column %q; its columns are %s", im.Where, h, join(im.Heads))
				}
				if said {
					im.between[i] = literal
				}
				said = false
				at = append(at, i)
			}
			if len(at) == 0 {
				return fmt.Errorf("%s does not name a column; its columns are %s", text, join(im.Heads))
			}
			use(field, at...)
			continue
		}
		for _, want := range headings[field] {
			i := slices.Index(plain, want)
			if i < 0 || taken[i] {
				continue
			}
			var at []int
			if field == "name" && !strings.Contains(want, "identifier") {
				for _, part := range nameParts {
					if j := slices.IndexFunc(plain, func(h string) bool { return slices.Contains(part, h) }); j >= 0 &&
						j != i {
						at = append(at, j)
					}
				}
			}
			use(field, append(at, i)...)
			break
		}
	}
	if im.columns["name"] == nil {
		return fmt.Errorf(
			"no column of %s has a heading for names; its columns are %s: choose one with name=HEADING", im.Where,
			join(im.Heads))
	}
	for i, h := range im.Heads {
		if !taken[i] && h != "" {
			im.out.Ignored = append(im.out.Ignored, h)
		}
	}
	return nil
}

// heading finds a column by what a person wrote: exactly, or without case.
func (im *importer) heading(h string) int {
	if i := slices.Index(im.Heads, h); i >= 0 {
		return i
	}
	return slices.IndexFunc(im.Heads, func(x string) bool { return strings.EqualFold(x, h) })
}

// plainHeading leaves letters and single blanks: “# of Cores” is “of cores”. A
// unit in brackets is left out.
func plainHeading(h string) string {
	if i := strings.IndexAny(h, "(["); i > 0 {
		h = h[:i]
	}
	words := strings.FieldsFunc(strings.ToLower(h),
		func(c rune) bool { return !unicode.IsLetter(c) && !unicode.IsDigit(c) })
	return strings.Join(words, " ")
}

func (im *importer) cell(cells []string, at int) string {
	if at >= len(cells) {
		return ""
	}
	return strings.Join(strings.Fields(cells[at]), " ")
}

func (im *importer) row(n int, cells []string, prefix string) (row RowDoc, ok bool) {
	filled := 0
	for i := range cells {
		if im.cell(cells, i) != "" {
			filled++
		}
	}
	row.Name = im.name(cells, prefix)
	switch {
	case filled == 0:
		return row, false // nothing is lost with an empty row
	case im.repeatsHeading(cells):
		im.drop(n, shown(cells), "it repeats the heading")
		return row, false
	case filled == 1 && len(im.Heads) > 1 || same(cells) && len(cells) > 1:
		im.drop(n, shown(cells), "a heading within the table: only one cell has text")
		return row, false
	case row.Name == "" || Normal(row.Name) == "":
		im.drop(n, shown(cells), "it has no name")
		return row, false
	}
	for _, field := range columns[1:] {
		at := im.columns[field]
		if at == nil {
			continue
		}
		if why := im.set(&row, field, im.cell(cells, at[0]), im.Heads[at[0]]); why != "" {
			im.out.Dropped = append(im.out.Dropped, Dropped{n, clip(row.Name), why, true})
		}
	}
	return row, true
}

// name joins the columns of a name; a part that the next one begins with is not
// said twice.
func (im *importer) name(cells []string, prefix string) string {
	name := ""
	at := im.columns["name"]
	for k := len(at) - 1; k >= 0; k-- {
		part := unmarked(im.cell(cells, at[k]))
		if k+1 < len(at) && name != "" {
			if text, said := im.between[at[k+1]]; said {
				name = part + text + name
				continue
			}
		}
		name = before(part, name)
	}
	if name == "" {
		return ""
	}
	return before(strings.TrimSpace(prefix), name)
}

func before(part, name string) string {
	if part == "" || name == "" {
		return part + name
	}
	if len(name) >= len(part) && strings.EqualFold(name[:len(part)], part) {
		return name
	}
	return part + " " + name
}

// unmarked takes the marks of footnotes off the end of a name.
func unmarked(s string) string {
	for {
		was := s
		s = strings.TrimRight(s, " *†‡")
		if strings.HasSuffix(s, "]") {
			if i := strings.LastIndexByte(s, '['); i > 0 && i > len(s)-6 {
				s = s[:i]
			}
		}
		if s == was {
			return s
		}
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

// set reads a cell as people write them; what cannot be read is said.
func (im *importer) set(row *RowDoc, field, text, head string) (why string) {
	if text == "" || text == "-" || text == "–" || strings.EqualFold(text, "n/a") {
		return ""
	}
	switch field {
	case "cores":
		n, rest := leadingNumber(text)
		if n < 1 || n > 65536 || n != math.Trunc(n) || strings.HasPrefix(strings.TrimSpace(rest), "+") {
			return fmt.Sprintf("cores %q is not a whole number; the value was ignored", clip(text))
		}
		row.Cores = int(n)
	case "rated_mhz":
		mhz, ok := megahertz(text, head)
		if !ok {
			return fmt.Sprintf("speed %q has no known unit; the value was ignored", clip(text))
		}
		row.RatedMHz = mhz
	case "built_in_tpm":
		yes, ok := truthOf(text)
		if !ok {
			return fmt.Sprintf("%q is neither yes nor no; the value was ignored", clip(text))
		}
		row.BuiltInTPM = &yes
	case "architecture":
		known := map[string]string{
			"x86":    "x86",
			"32-bit": "x86",
			"x86-64": "x86-64",
			"x64":    "x86-64",
			"64-bit": "x86-64",
			"arm64":  "arm64",
		}
		if row.Architecture = known[strings.ToLower(text)]; row.Architecture == "" {
			return fmt.Sprintf("%q is not an architecture; the value was ignored", clip(text))
		}
	case "features":
		row.Features = strings.Fields(strings.ToLower(strings.NewReplacer(",", " ", ";", " ").Replace(text)))
	case "note":
		row.Note = text
	}
	return ""
}

func truthOf(s string) (yes, ok bool) {
	switch strings.ToLower(s) {
	case "yes", "true", "y", "1", "✓", "✔":
		return true, true
	case "no", "false", "n", "0", "✗", "✘":
		return false, true
	}
	return false, false
}

// leadingNumber reads the number at the front of a text; a comma may stand for
// the point.
func leadingNumber(s string) (n float64, rest string) {
	end := 0
	for end < len(s) && (s[end] >= '0' && s[end] <= '9' || (s[end] == '.' || s[end] == ',') && end > 0) {
		end++
	}
	n, err := strconv.ParseFloat(strings.Replace(strings.TrimRight(s[:end], ".,"), ",", ".", 1), 64)
	if err != nil {
		return -1, s
	}
	return n, s[end:]
}

// megahertz reads a speed, with the unit behind it or in its heading.
func megahertz(text, head string) (int, bool) {
	n, rest := leadingNumber(text)
	unit := strings.ToLower(strings.TrimSpace(rest))
	if unit == "" {
		unit = strings.ToLower(head)
	}
	switch {
	case strings.Contains(unit, "ghz"):
		n *= 1000
	case !strings.Contains(unit, "mhz"):
		return 0, false
	default:
		n = grouped(strings.TrimSuffix(text, rest), n)
	}
	mhz := int(math.Round(n))
	return mhz, mhz >= 1 && mhz <= 100_000
}

// grouped reads 1,900 and 1.900 as nineteen hundred, which among megahertz is
// what they mean; anything else stays n.
func grouped(digits string, n float64) float64 {
	i := strings.IndexAny(digits, ".,")
	if i < 1 || i > 3 || len(digits) != i+4 {
		return n
	}
	whole, err := strconv.Atoi(digits[:i] + digits[i+1:])
	if err != nil {
		return n
	}
	return float64(whole)
}
