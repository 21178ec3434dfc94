package cli

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/report"
)

func fleetCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "fleet",
		Short: "Count the machines of the fleet: dispositions and failing requirements",
		Args:  cobra.NoArgs,
		RunE:  showFleet,
		Long:  help("fleet"),
	}
	cmd.Flags().String("where", "", "filter")
	formatFlag(cmd, "text", "json", "html")
	serviceFlags(cmd)
	matrix := &cobra.Command{
		Use:   "matrix",
		Short: "Requirement matrix: what each machine has, and what is missing",
		Args:  cobra.NoArgs,
		RunE:  showMatrix,
	}
	matrix.Flags().String("where", "", "filter")
	matrix.Flags().String("class", "pc", "class of hardware: pc or mac")
	matrix.Flags().String("sort", "name",
		"order, as for rolltop machines; needs.ID puts machines that fail the requirement first")
	matrix.Flags().String("cursor", "", "cursor of the next page")
	numberFlag(matrix, "size", 50, 1, 1000, "rows per page (max 1000)")
	formatFlag(matrix, "text", "json", "csv")
	serviceFlags(matrix)
	progress := &cobra.Command{
		Use:   "progress",
		Short: "Number of machines by disposition, day by day",
		Args:  cobra.NoArgs,
		RunE:  showProgress,
	}
	numberFlag(progress, "days", 90, 1, 400, "number of days (max 400)")
	formatFlag(progress, "text", "json", "csv")
	serviceFlags(progress)
	cmd.AddCommand(matrix, progress)
	return cmd
}

func showFleet(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	where, _ := cmd.Flags().GetString("where")
	f, err := c.Fleet(contextOf(cmd), where)
	if err != nil {
		return asUsage(err)
	}
	switch form {
	case "json":
		return printJSON(cmd.OutOrStdout(), f)
	case "html":
		p, err := c.Progress(contextOf(cmd), 90)
		if err != nil {
			return err
		}
		return report.Fleet(cmd.OutOrStdout(), &f, &p, time.Now())
	}
	printFleet(newPaper(cmd.OutOrStdout()), &f)
	return nil
}

func printFleet(p *paper, f *api.Fleet) {
	p.text("", p.style(bold, f.Headline))
	for i := range f.Support {
		if i < 2 {
			p.text("", f.Support[i].Says)
		}
	}
	p.line("")
	rows := [][]string{}
	for _, d := range f.Dispositions {
		rows = append(rows, []string{say.Marks[d.Name] + " " + say.Capital(d.Name), strconv.Itoa(d.Count), d.Where})
	}
	p.table([]string{"Disposition", "Machines", "Filter"}, rows)
	if len(f.Obstacles) > 0 {
		rows = rows[:0]
		for _, o := range f.Obstacles {
			rows = append(rows, []string{
				o.Title, o.Release, strconv.Itoa(o.Fails), strconv.Itoa(o.Alone), strconv.Itoa(o.Unknown),
			})
		}
		p.line("")
		p.table([]string{"Failing requirements", "Release", "Fail", "Nothing else", "Unknown"}, rows)
	}
	if len(f.Causes) > 0 {
		rows = rows[:0]
		for _, c := range f.Causes {
			rows = append(rows, []string{say.Cause(c.Name), strconv.Itoa(c.Count), c.Where})
		}
		p.line("")
		p.table([]string{"Why undetermined", "Machines", "Filter"}, rows)
	}
	for _, n := range f.Next {
		if n.Newly.Count > 0 {
			p.line("")
			p.text("", fmt.Sprintf("%s ready for %s but not for the next release, %s (%s).",
				say.Capital(say.Count(n.Newly.Count, "machine is", "machines are")), n.Target, n.Release,
				n.Newly.Where))
		}
	}
	if n := f.Unsupported; n.Count > 0 {
		p.text("", say.Capital(say.Count(n.Count, "machine runs", "machines run"))+
			" the target as an unsupported installation ("+n.Where+").")
	}
	for _, c := range []struct {
		n         api.Count
		one, many string
		more      string
	}{
		{f.Stale, "machine is overdue", "machines are overdue", ""},
		{f.Duplicate, "possible duplicate", "possible duplicates", "; see rolltop duplicates"},
	} {
		if c.n.Count > 0 {
			p.text("", say.Capital(say.Count(c.n.Count, c.one, c.many))+" ("+c.n.Where+")"+c.more+".")
		}
	}
}

func showMatrix(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	l := client.List{}
	l.Where, _ = cmd.Flags().GetString("where")
	l.Sort, _ = cmd.Flags().GetString("sort")
	l.Cursor, _ = cmd.Flags().GetString("cursor")
	l.Size, _ = cmd.Flags().GetInt("size")
	class, _ := cmd.Flags().GetString("class")
	g, err := c.Matrix(contextOf(cmd), l, class)
	if err != nil {
		return asUsage(err)
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), g)
	}
	heads, rows := []string{"machine", "site", "disposition"}, make([][]string, len(g.Rows))
	for _, q := range g.Requirements {
		heads = append(heads, q.Requirement)
	}
	for i, r := range g.Rows {
		rows[i] = []string{r.Name, r.Site, r.Disposition}
		for _, cell := range r.Cells {
			rows[i] = append(rows[i], cellText(&cell, form == "csv"))
		}
	}
	if form == "csv" {
		return printCSV(cmd.OutOrStdout(), heads, rows)
	}
	p := newPaper(cmd.OutOrStdout())
	if len(rows) == 0 {
		p.line("No machine matches.")
		return nil
	}
	// What every machine of the page passes recedes; a terminal is narrow.
	keep := []int{0, 2}
	for i := range g.Requirements {
		if g.Requirements[i].Level != "must" {
			continue
		}
		for _, r := range g.Rows {
			if i < len(r.Cells) && (r.Cells[i].Outcome == "fail" || r.Cells[i].Outcome == "unknown") {
				keep = append(keep, i+3)
				break
			}
		}
	}
	narrow := func(all []string) []string {
		out := make([]string, len(keep))
		for i, n := range keep {
			if n < len(all) {
				out[i] = all[n]
			}
		}
		return out
	}
	for i := range rows {
		rows[i] = narrow(rows[i])
	}
	p.table(narrow(heads), rows)
	p.line("")
	p.line("%d–%d of %d machines, target %s. Requirements that all of them meet, and recommendations, are omitted; "+
		"--format csv includes them.",
		g.From+1, g.From+len(rows), g.Total, g.Release)
	if g.Next != "" {
		p.line("Next page: --cursor %s", g.Next)
	}
	return nil
}

// cellText is a cell in a word or two: what passes recedes to a point.
func cellText(c *api.MatrixCell, whole bool) string {
	switch {
	case whole && c.Short != "":
		return c.Outcome + ": " + c.Has + ", " + c.Short
	case whole && c.Has != "":
		return c.Outcome + ": " + c.Has
	case whole:
		return c.Outcome
	case c.Outcome == "fail" && c.Short != "":
		return c.Short
	case c.Outcome == "fail":
		return "✗ " + c.Has
	case c.Outcome == "unknown":
		return "?"
	case c.Outcome == "not-applicable":
		return ""
	}
	return "·"
}

func showProgress(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	days, _ := cmd.Flags().GetInt("days")
	got, err := c.Progress(contextOf(cmd), days)
	if err != nil {
		return asUsage(err)
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), got)
	}
	names := remedy.Dispositions()
	rows := make([][]string, len(got.Days))
	for i, d := range got.Days {
		rows[i] = []string{d.Day, strconv.Itoa(d.Total)}
		for _, n := range names {
			rows[i] = append(rows[i], strconv.Itoa(d.Dispositions[n]))
		}
	}
	heads := append([]string{"day", "machines"}, names...)
	if form == "csv" {
		return printCSV(cmd.OutOrStdout(), heads, rows)
	}
	p := newPaper(cmd.OutOrStdout())
	if len(rows) == 0 {
		p.line("No day has been counted yet. The service counts once a day.")
		return nil
	}
	p.table(heads, rows)
	return nil
}

func filtersCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "filters",
		Short: "Saved filters: list, set, remove",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			form, c, err := asked(cmd)
			if err != nil {
				return err
			}
			l, err := c.Filters(contextOf(cmd))
			if err != nil {
				return err
			}
			if form == "json" {
				return printJSON(cmd.OutOrStdout(), l)
			}
			rows := make([][]string, len(l.Filters))
			for i, f := range l.Filters {
				rows[i] = []string{f.Name, f.Filter, f.Sort, strings.Join(f.Facts, ","), f.By}
			}
			newPaper(cmd.OutOrStdout()).table([]string{"Name", "Filter", "Order", "Columns", "By"}, rows)
			return nil
		},
	}
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	save := &cobra.Command{
		Use:   "set NAME FILTER",
		Short: "Save a filter for everybody; machines --filter NAME uses it",
		Args:  cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			sort, _ := cmd.Flags().GetString("sort")
			facts, _ := cmd.Flags().GetStringSlice("facts")
			_, err = c.SetFilter(contextOf(cmd), args[0], api.SetFilter{Filter: args[1], Sort: sort, Facts: facts})
			return asUsage(err)
		},
	}
	save.Flags().String("sort", "", "order of the list")
	save.Flags().StringSlice("facts", nil, "facts to show as columns")
	serviceFlags(save)
	remove := &cobra.Command{
		Use:   "remove NAME",
		Short: "Remove a saved filter",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			return c.RemoveFilter(contextOf(cmd), args[0])
		},
	}
	serviceFlags(remove)
	cmd.AddCommand(save, remove)
	return cmd
}

// savedFilter gives a command's --filter its place in --where, --sort and the columns.
func savedFilter(cmd *cobra.Command, c *client.Client, l *client.List) error {
	name, _ := cmd.Flags().GetString("filter")
	if name == "" {
		return nil
	}
	all, err := c.Filters(contextOf(cmd))
	if err != nil {
		return err
	}
	for _, f := range all.Filters {
		if f.Name == name {
			l.Where = strings.TrimSpace(f.Filter + " " + l.Where)
			if f.Sort != "" && !cmd.Flags().Changed("sort") {
				l.Sort = f.Sort
			}
			if len(l.Facts) == 0 {
				l.Facts = f.Facts
			}
			return nil
		}
	}
	return wrongUsage("the saved filter %q does not exist; rolltop filters lists all", name)
}
