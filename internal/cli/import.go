package cli

import (
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/list"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/tables"
)

func importCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "import-list FILE",
		Short: "Make a list of processors or models from a saved page or a spreadsheet",
		Long:  help("import-list"),
		Args:  cobra.ExactArgs(1),
		RunE:  importList,
	}
	numberFlag(cmd, "table", 0, 1, 1000, "number of the table, from 1 (default: the table with the most names)")
	cmd.Flags().StringArray("column", nil,
		"heading of a field, such as name=Model; + joins headings with a space, or with a quoted text: "+
			"name=Brand+'-'+Model (repeatable)")
	cmd.Flags().String("prefix", "",
		"prefix for names that do not begin with it, such as a maker that the page omits")
	cmd.Flags().StringP("output", "o", "", "CSV `file` to write; if omitted, nothing is written")
	cmd.Flags().BoolP("verbose", "v", false, "show every row and everything that was left out")
	return cmd
}

func importList(cmd *cobra.Command, args []string) error {
	src, err := readLarge(args[0])
	if err != nil {
		return err
	}
	sheets, err := tables.Read(args[0], src)
	if err != nil {
		return err
	}
	o := list.ImportOptions{Columns: map[string]string{}}
	o.Prefix, _ = cmd.Flags().GetString("prefix")
	given, _ := cmd.Flags().GetStringArray("column")
	for _, c := range given {
		field, heading, ok := strings.Cut(c, "=")
		if !ok {
			return wrongUsage("--column %q has no heading; write it as name=Model", c)
		}
		o.Columns[field] = heading
	}
	table, _ := cmd.Flags().GetInt("table")
	at, got, err := list.ImportBest(sheets, table, o)
	if err != nil {
		if len(sheets) > 1 {
			printTables(newPaper(cmd.ErrOrStderr()), sheets)
		}
		return err
	}
	all, _ := cmd.Flags().GetBool("verbose")
	p := newPaper(cmd.OutOrStdout())
	if len(sheets) > 1 {
		printTables(p, sheets)
		p.line("")
	}
	printImported(p, sheets[at].Where, got, all)
	out, _ := cmd.Flags().GetString("output")
	p.line("")
	if out == "" {
		p.line("Nothing was written; use --output FILE.csv to write the rows.")
		return nil
	}
	if err := writeNew(out, list.WriteRows(got.Rows)); err != nil {
		return err
	}
	p.text("", fmt.Sprintf("%s written. In the release document, the list refers to it with file: %s.", out, out))
	return nil
}

// readLarge reads a saved page, which may be larger than a document.
func readLarge(path string) ([]byte, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", path, bare(err))
	}
	defer f.Close()
	b, err := io.ReadAll(io.LimitReader(f, tables.MaxBytes+1))
	if err != nil {
		return nil, fmt.Errorf("%s cannot be read: %w", path, bare(err))
	}
	return b, nil
}

func printTables(p *paper, sheets []list.Sheet) {
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

func printImported(p *paper, where string, got *list.Imported, all bool) {
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
