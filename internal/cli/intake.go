package cli

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/sheet"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
)

// importOptions are those of an import.
type importOptions struct {
	Column []string `option:"column" usage:"meaning of a column: HEADING=FACT:UNIT; without a fact the column is ignored (repeatable)"`
	Every  []string `option:"every" usage:"fact that holds for every row, such as os.platform=windows (repeatable)"`
	Apply  bool     `option:"apply" usage:"import the rows; without this option nothing is saved"`
	shown
}

func sheetCommand() *cobra.Command {
	return with(
		command("import FILE", "Import many inventories: one per line, or the rows of a spreadsheet", importFile),
		"import",
	)
}

// Imported are the answers to an import, as rolltop import prints them.
type Imported struct {
	Lines []api.SubmittedLine `json:"lines" doc:"One for each inventory, in their order"`
}

func importFile(c *call[importOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	file := c.args[0]
	if strings.HasSuffix(strings.ToLower(file), "json") || file == "-" {
		return importLines(c, s, form)
	}
	src, err := readLarge(c.cmd, file)
	if err != nil {
		return err
	}
	in := api.ImportSheet{
		Name: filepath.Base(file), Content: src, Columns: map[string]sheet.Choice{}, Fixed: map[string]string{},
		Apply: c.o.Apply,
	}
	for _, g := range c.o.Column {
		i := strings.LastIndexByte(g, '=')
		if i < 0 {
			return wrongUsage("--column %q names no fact; write it as RAM=memory.installed_bytes:GiB, or RAM= to "+
				"ignore the column", g)
		}
		name, unit, _ := strings.Cut(g[i+1:], ":")
		in.Columns[g[:i]] = sheet.Choice{Fact: name, Unit: unit}
	}
	for _, a := range c.o.Every {
		name, value, ok := strings.Cut(a, "=")
		if !ok {
			return wrongUsage("--every %q has no value; write it as os.platform=windows", a)
		}
		in.Fixed[name] = value
	}
	got, err := s.ImportSheet(c.ctx(), in)
	if err != nil {
		return asUsage(err)
	}
	if form == "json" {
		err := printDocument(c.out(), "rolltop-sheet/1", got)
		if err == nil && !got.Settled {
			err = status(ExitUsage)
		}
		return err
	}
	printSheet(c.paper(), &got)
	if !got.Settled {
		return status(ExitUsage)
	}
	return nil
}

// importLines sends inventories that stand one a line, in a file or in standard input.
func importLines(c *call[importOptions], s *client.Client, form string) error {
	file := c.args[0]
	if !c.o.Apply {
		return wrongUsage("give --apply to import the lines of %s; a line with a mistake does not affect the others",
			file)
	}
	if file == "-" {
		return handIn(c.place, s, form, c.cmd.InOrStdin())
	}
	f, err := os.Open(file)
	if err != nil {
		return fmt.Errorf("%s cannot be read: %w", file, bare(err))
	}
	defer f.Close()
	st, err := f.Stat()
	if err != nil {
		return err
	}
	bar := progressbar.NewOptions64(st.Size(), progressbar.OptionSetWriter(c.errOut()),
		progressbar.OptionSetDescription("Importing"), progressbar.OptionShowBytes(true),
		progressbar.OptionClearOnFinish(), progressbar.OptionSetVisibility(!quiet(c.cmd) && isTerminal(c.errOut())))
	reader := progressbar.NewReader(f, bar)
	return handIn(c.place, s, form, &reader)
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
		p.text("", fmt.Sprintf("%s. Answer the questions above; nothing is imported before --apply.",
			say.Capital(say.Count(s.Total, "row", "rows"))))
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
	printImport(p, s)
}

// printImport says what becomes of the rows, those that somebody should look at first.
func printImport(p *paper, s *api.SheetRead) {
	p.line("")
	for _, state := range sheet.RowStates() {
		if n := s.Counts[state]; n > 0 {
			p.line("%6d  %s", n, rowStates[state])
		}
	}
	shown := 0
	for _, state := range []string{sheet.RowConflict, sheet.RowDuplicate, sheet.RowRefused, sheet.RowFills,
		sheet.RowReplaces} {
		for i := range s.Imported {
			if r := &s.Imported[i]; r.State == state && shown < fewImported {
				p.text(fmt.Sprintf("  row %d: ", r.Row), r.Says)
				shown++
			}
		}
	}
	p.line("")
	if !s.Applied {
		p.line("%d of %d rows are machines. Nothing was changed; --apply imports them.", s.Machines, s.Total)
		return
	}
	p.line("%d of %d rows are machines.", s.Machines, s.Total)
	if s.Change > 0 {
		p.line("To undo this: rolltop audit undo %d", s.Change)
	}
}

// fewImported is how many rows of an import are shown; the JSON has all.
const fewImported = 40

// rowStates are what becomes of rows, in words.
var rowStates = map[string]string{
	sheet.RowNew:       "new machines",
	sheet.RowDuplicate: "new machines that may be known ones",
	sheet.RowReplaces:  "replace what an earlier import said",
	sheet.RowFills:     "of known machines, which fill gaps",
	sheet.RowConflict:  "of known machines that differ: both values stay, for a person to decide",
	sheet.RowSame:      "of known machines, with nothing new",
	sheet.RowRefused:   "without effect: the machine speaks for itself",
}

// handIn sends lines, and says what became of them.
func handIn(c *place, s *client.Client, form string, lines io.Reader) error {
	all := Imported{Lines: []api.SubmittedLine{}}
	kept, created, refused := 0, 0, 0
	err := s.Lines(c.ctx(), lines, func(l *api.SubmittedLine) {
		if form == "json" {
			all.Lines = append(all.Lines, *l)
		}
		switch {
		case l.Submitted == nil:
			refused++
			fmt.Fprintf(c.errOut(), "line %d: %s\n", l.Line, l.Problem)
		case l.Created:
			created++
			fallthrough
		default:
			kept++
			if l.Note != "" {
				fmt.Fprintf(c.errOut(), "line %d, %s: %s\n", l.Line, l.Name, l.Note)
			}
		}
	})
	if form == "json" {
		err = errors.Join(err, printDocument(c.out(), "rolltop-imported/1", all))
	} else {
		c.done("%s imported, %d of them new; %d refused.",
			say.Capital(say.Count(kept, "inventory is", "inventories are")), created, refused)
	}
	if err == nil && refused > 0 {
		return status(ExitFailed)
	}
	return err
}
