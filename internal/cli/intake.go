package cli

import (
	"encoding/csv"
	"errors"
	"fmt"
	"os"
	"slices"
	"strconv"
	"strings"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/sheet"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
)

func sheetCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "import FILE",
		Short: "Import many inventories: one per line, or the rows of a spreadsheet",
		Args:  cobra.ExactArgs(1),
		RunE:  importFile,
		Long:  help("import"),
	}
	cmd.Flags().StringArray("column", nil, "meaning of a column: HEADING=FACT:UNIT; without a fact the column is "+
		"ignored (repeatable)")
	cmd.Flags().StringArray("every", nil, "fact that holds for every row, such as os.platform=windows (repeatable)")
	cmd.Flags().Bool("apply", false, "import the rows; without this option nothing is saved")
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	return cmd
}

func importFile(cmd *cobra.Command, args []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	keep, _ := cmd.Flags().GetBool("apply")
	f, err := os.Open(args[0])
	if err != nil {
		return fmt.Errorf("%s cannot be read: %w", args[0], bare(err))
	}
	defer f.Close()
	if strings.HasSuffix(strings.ToLower(args[0]), "json") {
		if !keep {
			return wrongUsage("give --apply to import the lines of %s; a line with a mistake does not affect the "+
				"others", args[0])
		}
		st, err := f.Stat()
		if err != nil {
			return err
		}
		bar := progressbar.NewOptions64(st.Size(), progressbar.OptionSetWriter(cmd.ErrOrStderr()),
			progressbar.OptionSetDescription("Importing"), progressbar.OptionShowBytes(true),
			progressbar.OptionClearOnFinish(), progressbar.OptionSetVisibility(isTerminal(cmd.ErrOrStderr())))
		reader := progressbar.NewReader(f, bar)
		return handIn(cmd, c, form, &reader)
	}
	src, err := readLarge(args[0])
	if err != nil {
		return err
	}
	in := api.ReadSheet{Name: args[0], Content: src, Columns: map[string]sheet.Choice{}, Fixed: map[string]string{}}
	given, _ := cmd.Flags().GetStringArray("column")
	for _, g := range given {
		i := strings.LastIndexByte(g, '=')
		if i < 0 {
			return wrongUsage("--column %q names no fact; write it as RAM=memory.installed_bytes:GiB, or RAM= to "+
				"ignore the column", g)
		}
		name, unit, _ := strings.Cut(g[i+1:], ":")
		in.Columns[g[:i]] = sheet.Choice{Fact: name, Unit: unit}
	}
	all, _ := cmd.Flags().GetStringArray("every")
	for _, a := range all {
		name, value, ok := strings.Cut(a, "=")
		if !ok {
			return wrongUsage("--every %q has no value; write it as os.platform=windows", a)
		}
		in.Fixed[name] = value
	}
	got, err := c.ReadSheet(contextOf(cmd), in)
	if err != nil {
		return asUsage(err)
	}
	if !keep || !got.Settled {
		if form == "json" {
			return printJSON(cmd.OutOrStdout(), got)
		}
		printSheet(newPaper(cmd.OutOrStdout()), &got)
		if !got.Settled {
			return status(ExitUsage)
		}
		return nil
	}
	return handIn(cmd, c, form, strings.NewReader(got.Lines))
}

func printSheet(p *paper, s *api.SheetRead) {
	rows := make([][]string, len(s.Columns))
	for i, c := range s.Columns {
		is, problem := first(c.Fact, "–"), c.Problem
		if c.Fact != "" && c.Unit != "" {
			is += ", in " + c.Unit
		}
		if len(c.Ask) > 0 {
			problem += fmt.Sprintf(": --column '%s=%s'", c.Heading, c.Ask[0])
		} else if problem != "" && len(c.Units) > 0 {
			problem += fmt.Sprintf(": --column '%s=%s:%s'", c.Heading, c.Fact, c.Units[min(7, len(c.Units)-1)])
		}
		rows[i] = []string{c.Heading, is, problem}
	}
	p.table([]string{"Column", "Is", "To choose"}, rows)
	p.line("")
	for _, problem := range s.Problems {
		p.text("", say.Sentence(problem))
	}
	if !s.Settled {
		p.line("%s. Answer the questions above; nothing is imported before --apply.", s.Total)
		return
	}
	for _, r := range s.Rows {
		for _, l := range r.Left {
			p.text("", fmt.Sprintf("row %d, %s: without %s", r.Row, r.Name, l))
		}
	}
	for _, r := range s.Refused {
		p.text("", fmt.Sprintf("row %d: %s", r.Row, first(r.Problem, strings.Join(r.Left, "; "))))
	}
	p.line("%d of %d rows are machines. --apply imports them.", s.Machines, s.Total)
}

// handIn sends lines, and says what became of them.
func handIn(cmd *cobra.Command, c *client.Client, form string, lines interface{ Read([]byte) (int, error) }) error {
	var all []api.SubmittedLine
	kept, created, refused := 0, 0, 0
	err := c.Lines(contextOf(cmd), lines, func(l *api.SubmittedLine) {
		if form == "json" {
			all = append(all, *l)
		}
		switch {
		case l.Submitted == nil:
			refused++
			fmt.Fprintf(cmd.ErrOrStderr(), "line %d: %s\n", l.Line, l.Problem)
		case l.Created:
			created++
			fallthrough
		default:
			kept++
			if l.Note != "" {
				fmt.Fprintf(cmd.ErrOrStderr(), "line %d, %s: %s\n", l.Line, l.Name, l.Note)
			}
		}
	})
	if form == "json" {
		err = errors.Join(err, printJSON(cmd.OutOrStdout(), all))
	} else {
		fmt.Fprintf(cmd.OutOrStdout(), "%s imported, %d of them new; %d refused.\n",
			say.Capital(say.Count(kept, "inventory is", "inventories are")), created, refused)
	}
	if err == nil && refused > 0 {
		return status(ExitFailed)
	}
	return err
}

func expectedCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "expected",
		Short: "Expected machines, and which of them never reported: list, set, import",
		Args:  cobra.NoArgs,
		RunE:  listExpected,
		Long:  help("expected"),
	}
	cmd.Flags().Bool("all", false, "include machines that have reported")
	formatFlag(cmd, "text", "json", "csv")
	serviceFlags(cmd)
	imported := &cobra.Command{
		Use:   "import FILE",
		Short: "Replace the list with a CSV file that has the columns name, serial, maker, model, site, reason, note",
		Args:  cobra.ExactArgs(1),
		RunE:  importExpected,
	}
	serviceFlags(imported)
	why := &cobra.Command{
		Use:   "set ID REASON",
		Short: "Record why an expected machine does not report",
		Long: "Records why an expected machine does not report. REASON is off, no-rights, refused,\n" +
			"no-network, in-repair or other; --note adds details.",
		Args: cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return wrongUsage("%q is not the id of an expected machine; rolltop expected lists them", args[0])
			}
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			note, _ := cmd.Flags().GetString("note")
			return asUsage(c.SetReason(contextOf(cmd), id, api.SetReason{Reason: args[1], Note: note}))
		},
	}
	why.Flags().String("note", "", "more details")
	serviceFlags(why)
	cmd.AddCommand(imported, why)
	return cmd
}

func listExpected(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	l, err := c.Expected(contextOf(cmd))
	if err != nil {
		return err
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), l)
	}
	all, _ := cmd.Flags().GetBool("all")
	var rows [][]string
	for _, e := range l.Machines {
		if e.Machine == "" || all {
			rows = append(rows, []string{
				strconv.FormatInt(e.ID, 10), e.Name, e.Site, e.Serial,
				first(e.Machine, first(strings.ReplaceAll(e.Reason, "-", " "), "reason unknown")), e.Note,
			})
		}
	}
	heads := []string{"Id", "Name", "Site", "Serial", "Reported as, or reason", "Note"}
	if form == "csv" {
		return printCSV(cmd.OutOrStdout(), heads, rows)
	}
	p := newPaper(cmd.OutOrStdout())
	if len(rows) > 0 {
		p.table(heads, rows)
		p.line("")
	}
	p.line("%d of %d expected machines never reported.", l.Missing, l.Missing+l.Reported)
	return nil
}

var expectedColumns = []string{"name", "serial", "maker", "model", "site", "reason", "note"}

func importExpected(cmd *cobra.Command, args []string) error {
	f, err := os.Open(args[0])
	if err != nil {
		return fmt.Errorf("%s cannot be read: %w", args[0], bare(err))
	}
	defer f.Close()
	r := csv.NewReader(f)
	r.FieldsPerRecord = -1
	rows, err := r.ReadAll()
	if err != nil || len(rows) == 0 {
		return fmt.Errorf("%s is not a CSV file with headings: %w", args[0], err)
	}
	at := map[string]int{}
	for i, h := range rows[0] {
		h = strings.ToLower(strings.TrimSpace(strings.TrimPrefix(h, "\ufeff")))
		if !slices.Contains(expectedColumns, h) {
			return fmt.Errorf("%s has a column %q; %s", args[0], h,
				first(doc.Suggest(h, expectedColumns), "the columns are "+strings.Join(expectedColumns, ", ")))
		}
		at[h] = i
	}
	if _, ok := at["name"]; !ok {
		return fmt.Errorf("%s has no column \"name\"", args[0])
	}
	var list []api.Expected
	for _, row := range rows[1:] {
		cell := func(h string) string {
			if i, ok := at[h]; ok && i < len(row) {
				return strings.TrimSpace(row[i])
			}
			return ""
		}
		list = append(list, api.Expected{
			Name:   cell("name"),
			Serial: cell("serial"),
			Maker:  cell("maker"),
			Model:  cell("model"),
			Site:   cell("site"),
			Reason: cell("reason"),
			Note:   cell("note"),
		})
	}
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	l, err := c.SetExpected(contextOf(cmd), list)
	if err != nil {
		return asUsage(err)
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%s expected; %d of them never reported.\n",
		say.Capital(say.Count(len(list), "machine is", "machines are")), l.Missing)
	return nil
}
