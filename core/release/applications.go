package release

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/list"
)

// ApplicationOptions say how a table becomes entries of known software.
type ApplicationOptions struct {
	Columns map[string]string // headings of fields that the headings do not name
	States  map[string]string // what a table calls a state: works with limits → problem
}

// ImportedApplications is what became of a table.
type ImportedApplications struct {
	Entries []KnownDoc
	Used    []list.Used
	Ignored []string       // headings that became nothing
	Dropped []list.Dropped // rows that were left out
	Guessed []string       // what was assumed, in sentences
}

// applicationFields are the fields of a table of applications, with the headings by which each is found.
var applicationFields = []struct {
	name     string
	headings []string
}{
	{
		"name",
		[]string{"application", "application name", "title", "product", "product name", "program", "software", "name"},
	},
	{"publisher", []string{"publisher", "vendor", "maker", "manufacturer", "company", "supplier"}},
	{"code", []string{"product code", "code", "identifier", "bundle identifier"}},
	{
		"at_least",
		[]string{"at least", "from version", "minimum version", "first version", "supported from", "since version"},
	},
	{"below", []string{"below", "before version", "first version not meant"}},
	{"versions", []string{"version", "versions", "affected versions", "version range", "release"}},
	{"is", []string{"is", "state", "status", "compatibility", "result", "verdict", "support"}},
	{"weight", []string{"weight", "priority"}},
	{"note", []string{"note", "notes", "remark", "remarks", "comment", "comments", "what to do", "action", "problem"}},
	{"cure", []string{"cure", "cured by", "solved in", "remedy", "workaround", "solution"}},
	{"cost", []string{"cost", "costs", "price"}},
	{"decides", []string{"decides", "who decides", "owner", "responsible", "contact"}},
}

// stateWords are what tables call each state.
var stateWords = map[string][]string{
	Fine:   {"fine", "supported", "compatible", "works", "ok", "yes", "certified", "ready"},
	Update: {"update", "update required", "update needed", "needs an update", "free update", "update first"},
	Buy:    {"buy", "paid update", "paid upgrade", "new licence", "new license", "buy a newer version"},
	Remove: {
		"remove",
		"not supported",
		"unsupported",
		"incompatible",
		"not compatible",
		"no",
		"blocked",
		"remove first",
	},
	Problem: {"problem", "known problem", "known problems", "known issue", "known issues", "limited", "partly"},
}

// ApplicationFields are the names of the fields, in their order.
func ApplicationFields() []string {
	out := make([]string, len(applicationFields))
	for i := range applicationFields {
		out[i] = applicationFields[i].name
	}
	return out
}

// States are the states of a title.
func States() []string { return []string{Fine, Update, Buy, Remove, Problem} }

// ImportApplications makes entries of known software from a table: rows with the same name and publisher are one
// entry with several ranges of versions. The error says which heading is missing; rows that cannot be used are
// reported and left out.
func ImportApplications(s list.Sheet, o ApplicationOptions) (*ImportedApplications, error) {
	im := &applicationImporter{
		sheet: s, o: o, at: map[string]int{}, entry: map[string]int{}, states: map[string]string{},
	}
	if err := im.match(); err != nil {
		return nil, err
	}
	for word, state := range o.States {
		if !slices.Contains(States(), state) {
			return nil, fmt.Errorf("%q is not a state of an application; %s", state, doc.Suggest(state, States()))
		}
		im.states[strings.ToLower(strings.TrimSpace(word))] = state
	}
	for i := range s.Rows {
		im.row(i)
	}
	if len(im.out.Entries) == 0 {
		why := "it has no rows"
		if len(im.out.Dropped) > 0 {
			why = im.out.Dropped[0].Why
		}
		return nil, fmt.Errorf("no row of %s can be used: %s", s.Where, why)
	}
	return &im.out, nil
}

// ImportApplicationTables imports the table with a number, from 1; with 0, the first one that gives entries.
func ImportApplicationTables(
	sheets []list.Sheet,
	number int,
	o ApplicationOptions,
) (int, *ImportedApplications, error) {
	if number < 0 || number > len(sheets) {
		return 0, nil, fmt.Errorf("table %d does not exist; the file has %d", number, len(sheets))
	}
	first := errors.New("the file has no table")
	for i := range sheets {
		if number > 0 && i != number-1 {
			continue
		}
		im, err := ImportApplications(sheets[i], o)
		if err == nil {
			return i, im, nil
		}
		first = err
		if number == 0 && i+1 < len(sheets) {
			continue
		}
		break
	}
	return 0, nil, first
}

type applicationImporter struct {
	sheet  list.Sheet
	o      ApplicationOptions
	out    ImportedApplications
	at     map[string]int    // column of a field
	entry  map[string]int    // by name and publisher
	states map[string]string // what the table's words stand for, as they were given or taken
	exact  int               // rows with a single version
}

// match finds the column of each field.
func (im *applicationImporter) match() error {
	heads := im.sheet.Heads
	taken := map[int]bool{}
	use := func(field string, i int) {
		im.at[field], taken[i] = i, true
		im.out.Used = append(im.out.Used, list.Used{Field: field, From: []string{heads[i]}})
	}
	for field := range im.o.Columns {
		if !slices.Contains(ApplicationFields(), field) {
			return fmt.Errorf("an application has no field %q; %s", field, doc.Suggest(field, ApplicationFields()))
		}
	}
	for _, f := range applicationFields {
		if given, ok := im.o.Columns[f.name]; ok {
			i := slices.IndexFunc(heads, func(h string) bool { return strings.EqualFold(h, given) })
			if i < 0 {
				return fmt.Errorf(
					"%s has no column %q; its columns are %s",
					im.sheet.Where,
					given,
					strings.Join(heads, ", "),
				)
			}
			use(f.name, i)
			continue
		}
		for _, want := range f.headings {
			i := slices.IndexFunc(heads, func(h string) bool { return list.PlainHeading(h) == want })
			if i >= 0 && !taken[i] {
				use(f.name, i)
				break
			}
		}
	}
	for _, field := range []string{"name", "is"} {
		if _, ok := im.at[field]; !ok {
			return fmt.Errorf(
				"no column of %s has a heading for %s; its columns are %s: choose one with %s=HEADING",
				im.sheet.Where,
				map[string]string{"name": "names", "is": "states"}[field],
				strings.Join(heads, ", "),
				field,
			)
		}
	}
	for i, h := range heads {
		if !taken[i] && h != "" {
			im.out.Ignored = append(im.out.Ignored, h)
		}
	}
	return nil
}

func (im *applicationImporter) cell(row int, field string) string {
	i, ok := im.at[field]
	if !ok || i >= len(im.sheet.Rows[row]) {
		return ""
	}
	return strings.Join(strings.Fields(im.sheet.Rows[row][i]), " ")
}

func (im *applicationImporter) drop(row int, text, why string) {
	im.out.Dropped = append(im.out.Dropped, list.Dropped{Row: row + 1, Text: text, Why: why})
}

func (im *applicationImporter) row(i int) {
	name := im.cell(i, "name")
	whole := strings.Join(strings.Fields(strings.Join(im.sheet.Rows[i], " ")), " ")
	switch {
	case whole == "":
		return // nothing is lost with an empty row
	case name == "":
		im.drop(i, whole, "it has no name")
		return
	case strings.Join(im.sheet.Rows[i][min(len(im.sheet.Heads), len(im.sheet.Rows[i])):], "") != "":
		im.drop(i, whole, list.Shifted)
		return
	case im.sheet.Cells[list.At{Row: i, Column: im.at["name"]}].Struck:
		im.drop(i, name, "it is struck out on the page")
		return
	case strings.EqualFold(name, im.sheet.Heads[im.at["name"]]):
		im.drop(i, name, "it repeats the heading")
		return
	}
	v, why := im.rangeOf(i)
	if why != "" {
		im.drop(i, name, why)
		return
	}
	publisher := im.cell(i, "publisher")
	key := strings.ToLower(name) + "\n" + strings.Join(publisherWords(publisher), " ")
	at, ok := im.entry[key]
	if !ok {
		at = len(im.out.Entries)
		im.entry[key] = at
		im.out.Entries = append(im.out.Entries, KnownDoc{Name: []string{name}, Publisher: publisher})
	}
	e := &im.out.Entries[at]
	for j := range e.Versions {
		if w := &e.Versions[j]; overlap(&v, w) {
			im.drop(i, name, fmt.Sprintf("row %d says %s of the same versions; keep one of the two", w.row, w.Is))
			return
		}
	}
	v.row = i + 1
	e.Versions = append(e.Versions, v)
	if code := im.cell(i, "code"); code != "" && !slices.Contains(e.Code, code) {
		e.Code = append(e.Code, code)
	}
}

// rangeOf is the range of versions that a row speaks of, and what it says of it.
func (im *applicationImporter) rangeOf(i int) (v RangeDoc, why string) {
	word := strings.ToLower(im.cell(i, "is"))
	if v.Is = im.state(word); v.Is == "" {
		return v, fmt.Sprintf("the state %q is unknown; say which it is: %s=problem", word, word)
	}
	v.AtLeast, v.Below = im.cell(i, "at_least"), im.cell(i, "below")
	if v.AtLeast == "" && v.Below == "" {
		var single bool
		if v.AtLeast, v.Below, single, why = versionsIn(im.cell(i, "versions")); why != "" {
			return v, why
		}
		if single {
			if im.exact++; im.exact == 1 {
				im.out.Guessed = append(im.out.Guessed,
					"A single version stands for itself and its corrections: 5.2 is 5.2 or later, but before 5.3.")
			}
		}
	}
	for _, limit := range []string{v.AtLeast, v.Below} {
		if limit != "" && (limit[0] < '0' || limit[0] > '9') {
			return v, fmt.Sprintf("%q is not a version", limit)
		}
	}
	v.Note = im.cell(i, "note")
	for _, mark := range im.sheet.Cells[list.At{Row: i, Column: im.at["name"]}].Marks {
		for _, n := range im.sheet.Notes {
			if strings.EqualFold(n.Mark, mark) {
				v.Note = strings.TrimSpace(v.Note + " " + n.Text)
			}
		}
	}
	if v.Is == Fine {
		return v, ""
	}
	v.Cure, v.Cost, v.Decides = im.cell(i, "cure"), im.cell(i, "cost"), im.cell(i, "decides")
	if w := strings.ToLower(im.cell(i, "weight")); w != "" {
		if w == "recommended" {
			w = Advised
		}
		if v.Weight = w; !slices.Contains(weights, w) {
			return v, fmt.Sprintf("the weight %q is unknown; it is required, advised or optional", w)
		}
	}
	return v, ""
}

// state is the state that a table's word stands for; "" where none does. What is taken from the list of words is
// said: the publisher may mean something else by it.
func (im *applicationImporter) state(word string) string {
	if state := im.states[word]; state != "" {
		return state
	}
	for _, state := range States() {
		if !slices.Contains(stateWords[state], word) {
			continue
		}
		if im.states[word] = state; word != state {
			im.out.Guessed = append(im.out.Guessed, fmt.Sprintf("%q is taken as %s.", word, state))
		}
		return state
	}
	return ""
}

// versionForms are the forms in which tables write versions. They are made when the first table is read: the
// collector, which reads none, then does not carry them.
var versionForms struct {
	made                                         sync.Once
	later, earlier, under, single, span, between *regexp.Regexp
}

func makeVersionForms() {
	f := &versionForms
	f.later = regexp.MustCompile(`^(?:>=|≥|from|at least|since) ?v?([0-9][\w.]*)$|` +
		`^v?([0-9][\w.]*) ?(?:\+|or later|or newer|and later|and newer|onwards)$`)
	f.earlier = regexp.MustCompile(`^(?:<|below|before|earlier than|older than) ?v?([0-9][\w.]*)$`)
	f.under = regexp.MustCompile(`^v?([0-9]+(?:\.[0-9]+)*)\.[x*]$`)
	f.single = regexp.MustCompile(`^v?([0-9]+(?:\.[0-9]+)*)$`)
	f.span = regexp.MustCompile(`^v?([0-9][\w.]*) ?(?:-|–|to|up to) ?v?([0-9][\w.]*)$`)
	f.between = regexp.MustCompile(
		`^(?:>=|≥|from)? ?v?([0-9][\w.]*),? ?(?:<|below|before|but before|to before) ?v?([0-9][\w.]*)$`)
}

// versionsIn reads the versions that a cell names. single says that it names one alone.
func versionsIn(text string) (least, below string, single bool, why string) {
	versionForms.made.Do(makeVersionForms)
	forms := &versionForms
	text = strings.ToLower(text)
	switch text {
	case "", "all", "any", "all versions", "*", "-", "–":
		return "", "", false, ""
	}
	if m := forms.later.FindStringSubmatch(text); m != nil {
		return m[1] + m[2], "", false, ""
	}
	if m := forms.earlier.FindStringSubmatch(text); m != nil {
		return "", m[1], false, ""
	}
	if m := forms.between.FindStringSubmatch(text); m != nil {
		return m[1], m[2], false, ""
	}
	if m := forms.under.FindStringSubmatch(text); m != nil {
		return m[1], after(m[1]), false, ""
	}
	if m := forms.single.FindStringSubmatch(text); m != nil {
		return m[1], after(m[1]), true, ""
	}
	if forms.span.MatchString(text) {
		return "", "", false, fmt.Sprintf(
			"whether %q includes corrections of its last version is not said; give the first "+
				"version that is not meant in a column below",
			text,
		)
	}
	return "", "", false, fmt.Sprintf(
		"%q is not a version or a range; write 5.0 or later, before 5.0, 5.x or all",
		text,
	)
}

// after is the first version behind those that begin with one: 5.3 after 5.2.
func after(version string) string {
	parts := strings.Split(version, ".")
	n, err := strconv.Atoi(parts[len(parts)-1])
	if err != nil {
		return version
	}
	parts[len(parts)-1] = strconv.Itoa(n + 1)
	return strings.Join(parts, ".")
}

// WriteApplications writes entries as the section software of a release document.
func WriteApplications(entries []KnownDoc) []byte {
	var b strings.Builder
	b.WriteString("software:\n")
	text := func(key, value string) string {
		if value == "" {
			return ""
		}
		return ", " + key + ": " + strconv.Quote(value)
	}
	for i := range entries {
		e := &entries[i]
		fmt.Fprintf(&b, "  - name: [%s]\n", strconv.Quote(e.Name[0]))
		if e.Publisher != "" {
			fmt.Fprintf(&b, "    publisher: %s\n", strconv.Quote(e.Publisher))
		}
		if len(e.Code) > 0 {
			codes := make([]string, len(e.Code))
			for j, c := range e.Code {
				codes[j] = strconv.Quote(c)
			}
			fmt.Fprintf(&b, "    code: [%s]\n", strings.Join(codes, ", "))
		}
		b.WriteString("    versions:\n")
		for j := range e.Versions {
			v := &e.Versions[j]
			line := text("at_least", v.AtLeast) + text("below", v.Below) + ", is: " + v.Is
			if v.Weight != "" {
				line += ", weight: " + v.Weight
			}
			line += text("note", v.Note) + text("cure", v.Cure) + text("cost", v.Cost) + text("decides", v.Decides)
			fmt.Fprintf(&b, "      - {%s}\n", strings.TrimPrefix(line, ", "))
		}
	}
	return []byte(b.String())
}
