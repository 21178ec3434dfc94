package cli

import (
	"fmt"
	"io"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/doc"
	lists "rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/tables"
)

// importListOptions are those of a list that is made of a page.
type importListOptions struct {
	Table  []string `option:"table" split:"yes" usage:"numbers of the tables to join, from 1, separated by commas (default: the table with the most names)"`
	Column []string `option:"column" usage:"heading of a field, such as name=Model; + joins headings with a space, or with a quoted text: name=Brand+'-'+Model (repeatable)"`
	Prefix string   `option:"prefix" usage:"prefix for names that do not begin with it, such as a maker that the page omits"`
	Set    []string `option:"set" usage:"value that the page states for all rows, such as built_in_tpm=true (repeatable)"`
	Except []string `option:"except-marked" split:"yes" usage:"marks of footnotes, separated by commas: --set does not apply to rows with one of them"`
	Only   []string `option:"only-marked" usage:"condition of the document for rows with the mark of a footnote, such as 1=laptop (repeatable)"`
	Update string   `option:"update" value:"FILE" usage:"file of rows to update: shows what the page changes, and keeps corrections made by hand" complete:"files"`
	Former string   `option:"former" value:"FILE" usage:"with --update: the page that the rows came from, to tell corrections made by hand" complete:"files"`
	Fleet  bool     `option:"fleet" usage:"show what proposed naming rules include of the processors of the service"`
	output
	Verbose bool `option:"verbose,v" usage:"show every row and everything that was left out"`
	serviceOptions
}

func importCommand() *cobra.Command {
	return with(command("import-list FILE", "Make a list of processors or models from a saved page or a spreadsheet",
		importList), "import-list")
}

// chosen are the options as the import takes them.
func (o *importListOptions) chosen() (out lists.ImportOptions, numbers []int, err error) {
	out = lists.ImportOptions{
		Columns:      map[string]string{},
		Prefix:       o.Prefix,
		Set:          map[string]string{},
		ExceptMarked: o.Except,
	}
	for _, one := range o.Column {
		field, heading, ok := strings.Cut(one, "=")
		if !ok {
			return out, nil, wrongUsage("--column %q has no heading; write it as name=Model", one)
		}
		out.Columns[field] = heading
	}
	for _, one := range o.Set {
		field, value, ok := strings.Cut(one, "=")
		if !ok {
			return out, nil, wrongUsage("--set %q has no value; write it as built_in_tpm=true", one)
		}
		out.Set[field] = value
	}
	if out.OnlyMarked, err = pairs("only-marked", "1=laptop", o.Only); err != nil {
		return out, nil, err
	}
	for _, one := range o.Table {
		n, err := strconv.Atoi(one)
		if err != nil || n < 1 {
			return out, nil, wrongUsage("--table %q is not the number of a table; write it as 2, or 1,3", one)
		}
		numbers = append(numbers, n)
	}
	if o.Former != "" && o.Update == "" {
		return out, nil, wrongUsage("--former goes with --update; name the file of rows to update as well")
	}
	return out, numbers, nil
}

func importList(c *call[importListOptions]) error {
	o, numbers, err := c.o.chosen()
	if err != nil {
		return err
	}
	src, err := readLarge(c.cmd, c.args[0])
	if err != nil {
		return err
	}
	sheets, err := tables.Read(c.args[0], src)
	if err != nil {
		return err
	}
	if c.o.Fleet {
		if o.Names, err = fleetNames(c); err != nil {
			return err
		}
	}
	at, got, err := lists.ImportTables(sheets, numbers, o)
	if err != nil {
		if len(sheets) > 1 {
			printTables(newPaper(c.errOut()), sheets)
		}
		return err
	}
	change, err := c.o.update(c.cmd, got, numbers, o)
	if err != nil {
		return err
	}
	if c.o.Output == "-" {
		_, err := c.out().Write(lists.WriteRows(got.Rows))
		return err
	}
	p := newPaper(c.cmd.OutOrStdout())
	if len(sheets) > 1 {
		printTables(p, sheets)
		p.line("")
	}
	where := sheets[at[0]].Where
	if len(at) > 1 {
		where = say.Count(len(at), "table", "tables")
	}
	printImported(p, where, got, c.o.Verbose)
	printUpdate(p, change)
	p.line("")
	if c.o.Output == "" {
		p.line("Nothing was written; use --output FILE.csv to write the rows.")
		return nil
	}
	if _, err := c.out().Write(lists.WriteRows(got.Rows)); err != nil {
		return err
	}
	p.text("", fmt.Sprintf("In the release document, the list refers to it with file: %s.", c.o.Output))
	return nil
}

// update brings a file of rows up to what was imported; nil without one.
func (o *importListOptions) update(
	cmd *cobra.Command, got *lists.Imported, numbers []int, how lists.ImportOptions,
) (*lists.Update, error) {
	if o.Update == "" {
		return nil, nil
	}
	rows, err := readLarge(cmd, o.Update)
	if err != nil {
		return nil, err
	}
	r := &doc.Report{Name: o.Update}
	current := lists.ReadRows(o.Update, rows, r)
	if err := r.Err(); err != nil {
		return nil, err
	}
	var former []lists.RowDoc
	if o.Former != "" {
		src, err := readLarge(cmd, o.Former)
		if err != nil {
			return nil, err
		}
		sheets, err := tables.Read(o.Former, src)
		if err != nil {
			return nil, err
		}
		_, was, err := lists.ImportTables(sheets, numbers, how)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", o.Former, err)
		}
		former = was.Rows
	}
	u := lists.Merge(current, former, got.Rows)
	got.Rows = u.Rows
	return &u, nil
}

// fleetNames are the names of processors that the machines of the service have.
func fleetNames(c *call[importListOptions]) ([]string, error) {
	service, err := c.client()
	if err != nil {
		return nil, err
	}
	var out []string
	for cursor := ""; ; {
		l, err := service.MachineList(
			c.ctx(),
			client.List{Cursor: cursor, Size: 500, Facts: []string{"processor.name"}},
		)
		if err != nil {
			return nil, err
		}
		for i := range l.Machines {
			if cell := l.Machines[i].Facts["processor.name"]; cell != "" {
				out = append(out, cell)
			}
		}
		if cursor = l.Next; cursor == "" {
			slices.Sort(out)
			return slices.Compact(out), nil
		}
	}
}

// printUpdate says what a page changes in a file of rows.
func printUpdate(p *paper, u *lists.Update) {
	if u == nil {
		return
	}
	for _, part := range []struct {
		title string
		lines []string
	}{
		{"Added by the page", u.Added}, {"No longer on the page", u.Removed}, {"Changed by the page", u.Changed},
		{"Kept: corrected by hand", u.Kept},
	} {
		if len(part.lines) == 0 {
			continue
		}
		p.line("")
		p.line("%s", p.style(bold, fmt.Sprintf("%s (%d)", part.title, len(part.lines))))
		for _, line := range part.lines {
			p.text("  ", line)
		}
	}
	if len(u.Added)+len(u.Removed)+len(u.Changed) == 0 {
		p.line("")
		p.line("The page changes nothing in the rows.")
	}
}

// readLarge reads a saved page or a table, which may be larger than a document; - is standard input.
func readLarge(cmd *cobra.Command, path string) ([]byte, error) {
	from := cmd.InOrStdin()
	if path != "-" {
		f, err := os.Open(path)
		if err != nil {
			return nil, fmt.Errorf("%s cannot be read: %w", path, bare(err))
		}
		defer f.Close()
		from = f
	}
	b, err := io.ReadAll(io.LimitReader(from, tables.MaxBytes+1))
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", path, bare(err))
	}
	return b, nil
}

func printTables(p *paper, sheets []lists.Sheet) {
	rows := make([][]string, len(sheets))
	for i, s := range sheets {
		rows[i] = []string{strconv.Itoa(i + 1), strconv.Itoa(len(s.Rows)), s.Where, strings.Join(s.Heads, " | ")}
	}
	p.table([]string{"Table", "Rows", "Where", "Columns"}, rows)
}

// Rows and left-out rows that a preview shows.
const (
	fewRows    = 8
	fewDropped = 12
)

func printImported(p *paper, where string, got *lists.Imported, all bool) {
	p.line("%s", p.style(bold, fmt.Sprintf("%s: %s", say.Capital(where), say.Count(len(got.Rows), "row", "rows"))))
	for _, u := range got.Used {
		p.line("  %-13s from %s", u.Field, strings.Join(u.From, " + "))
	}
	if len(got.Ignored) > 0 {
		p.text("  not used      ", strings.Join(got.Ignored, ", "))
	}
	for _, g := range got.Guessed {
		p.text("  assumed       ", g)
	}
	p.line("")
	n := min(len(got.Rows), fewRows)
	if all {
		n = len(got.Rows)
	}
	text := func(x int) string {
		if x == 0 {
			return ""
		}
		return strconv.Itoa(x)
	}
	rows := make([][]string, n)
	for i, r := range got.Rows[:n] {
		tpm := ""
		if r.BuiltInTPM != nil {
			tpm = strconv.FormatBool(*r.BuiltInTPM)
		}
		rows[i] = []string{
			r.Name, text(r.Cores), text(r.RatedMHz), r.Architecture, tpm, strings.Join(r.Features, " "),
			text(r.ModelYear), r.Only, r.Note,
		}
	}
	heads, rows := withoutEmpty([]string{
		"name", "cores", "rated_mhz", "architecture", "built_in_tpm", "features", "model_year", "only", "note",
	}, rows)
	p.table(heads, rows)
	if n < len(got.Rows) {
		p.styled("", fmt.Sprintf("… and %d more; --verbose shows them.", len(got.Rows)-n), dim)
	}
	printMarked(p, got.Marked, all)
	printSeries(p, got.Series)
	if len(got.Dropped) == 0 {
		p.line("Nothing was left out.")
		return
	}
	p.line("")
	p.line("%s", p.style(bold, "Left out"))
	n = min(len(got.Dropped), fewDropped)
	if all {
		n = len(got.Dropped)
	}
	for _, d := range got.Dropped[:n] {
		p.text(fmt.Sprintf("  row %d: ", d.Row), fmt.Sprintf("%s: %s", d.Text, d.Why))
	}
	if n < len(got.Dropped) {
		p.styled("", fmt.Sprintf("… and %d more; --verbose shows them.", len(got.Dropped)-n), dim)
	}
}

// withoutEmpty leaves out columns in which no row has anything.
func withoutEmpty(heads []string, rows [][]string) ([]string, [][]string) {
	used := func(i int) bool { return slices.ContainsFunc(rows, func(r []string) bool { return r[i] != "" }) }
	pick := func(cells []string) []string {
		var out []string
		for i, c := range cells {
			if used(i) {
				out = append(out, c)
			}
		}
		return out
	}
	out := make([][]string, len(rows))
	for i, r := range rows {
		out[i] = pick(r)
	}
	return pick(heads), out
}

// printMarked says which footnotes mark which rows.
func printMarked(p *paper, marked []lists.Marked, all bool) {
	if len(marked) == 0 {
		return
	}
	p.line("")
	p.line("%s", p.style(bold, "Footnotes"))
	for _, m := range marked {
		text := m.Text
		if text == "" {
			text = "The page does not have its text."
		}
		p.text(fmt.Sprintf("  %s ", m.Mark), text)
		p.styled("    ", namesShown(m.Names, all), dim)
	}
}

// namesShown are some names in a line.
func namesShown(names []string, all bool) string {
	if n := len(names) - fewRows; n > 0 && !all {
		return fmt.Sprintf("%s and %d more", strings.Join(names[:fewRows], ", "), n)
	}
	return strings.Join(names, ", ")
}

// printSeries shows rows that describe a series, with the naming rules that say the same.
func printSeries(p *paper, series []lists.Proposal) {
	for i := range series {
		s := &series[i]
		p.line("")
		p.line("%s", p.style(bold, fmt.Sprintf("Row %d describes a series: %s", s.Row, s.Says)))
		if s.Why != "" {
			p.text("  ", say.Sentence(s.Why))
			continue
		}
		p.line("  Proposed naming rules, for the key naming of the list:")
		for _, line := range strings.Split(strings.TrimSpace(s.YAML()), "\n") {
			p.line("    %s", line)
		}
		if len(s.Left) > 0 {
			p.text("  ! not in the rules: ", strings.Join(s.Left, ", ")+". Add these exceptions by hand.")
		}
		if len(s.Included) > 0 {
			p.text("  includes of the fleet: ", namesShown(s.Included, false))
		}
		if len(s.Excluded) > 0 {
			p.text("  excludes of the fleet: ", namesShown(s.Excluded, false))
		}
	}
}
