package cli

import (
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	lists "rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/tables"
)

// importListOptions are those of a list that is made of a page.
type importListOptions struct {
	Table  int      `option:"table" default:"0" least:"1" most:"1000" usage:"number of the table, from 1 (default: the table with the most names)"`
	Column []string `option:"column" usage:"heading of a field, such as name=Model; + joins headings with a space, or with a quoted text: name=Brand+'-'+Model (repeatable)"`
	Prefix string   `option:"prefix" usage:"prefix for names that do not begin with it, such as a maker that the page omits"`
	output
	Verbose bool `option:"verbose,v" usage:"show every row and everything that was left out"`
}

func importCommand() *cobra.Command {
	return with(command("import-list FILE", "Make a list of processors or models from a saved page or a spreadsheet",
		importList), "import-list")
}

func importList(c *call[importListOptions]) error {
	src, err := readLarge(c.cmd, c.args[0])
	if err != nil {
		return err
	}
	sheets, err := tables.Read(c.args[0], src)
	if err != nil {
		return err
	}
	o := lists.ImportOptions{Columns: map[string]string{}, Prefix: c.o.Prefix}
	for _, one := range c.o.Column {
		field, heading, ok := strings.Cut(one, "=")
		if !ok {
			return wrongUsage("--column %q has no heading; write it as name=Model", one)
		}
		o.Columns[field] = heading
	}
	at, got, err := lists.ImportBest(sheets, c.o.Table, o)
	if err != nil {
		if len(sheets) > 1 {
			printTables(newPaper(c.errOut()), sheets)
		}
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
	printImported(p, sheets[at].Where, got, c.o.Verbose)
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
			r.Name, text(r.Cores), text(r.RatedMHz), r.Architecture, tpm, strings.Join(r.Features, " "), r.Note,
		}
	}
	p.table([]string{"name", "cores", "rated_mhz", "architecture", "built_in_tpm", "features", "note"}, rows)
	if n < len(got.Rows) {
		p.styled("", fmt.Sprintf("… and %d more; --verbose shows them.", len(got.Rows)-n), dim)
	}
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
