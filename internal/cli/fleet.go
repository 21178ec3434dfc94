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
		Short: "Count machines: what they take, and what stands in the way",
		Args:  cobra.NoArgs,
		RunE:  showFleet,
		Long:  help("fleet"),
	}
	cmd.Flags().String("where", "", "filter")
	formatFlag(cmd, "text", "json", "html")
	serviceFlags(cmd)
	grid := &cobra.Command{
		Use:   "grid",
		Short: "Machines beside the requirements of their target: what each has, and what is missing",
		Args:  cobra.NoArgs,
		RunE:  showGrid,
	}
	grid.Flags().String("where", "", "filter")
	grid.Flags().String("class", "pc", "class of hardware whose target it is: pc or mac")
	grid.Flags().String("sort", "name",
		"order, as of rolltop devices; needs.ID begins with those that fail a requirement")
	grid.Flags().String("after", "", "the rows behind those of a page before")
	grid.Flags().Int("size", 50, "rows, 1000 at most")
	formatFlag(grid, "text", "json", "csv")
	serviceFlags(grid)
	progress := &cobra.Command{
		Use:   "progress",
		Short: "How many machines there were of each disposition, day by day",
		Args:  cobra.NoArgs,
		RunE:  showProgress,
	}
	progress.Flags().Int("days", 90, "days back, 400 at most")
	formatFlag(progress, "text", "json", "csv")
	serviceFlags(progress)
	cmd.AddCommand(grid, progress)
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
		p.table([]string{"What stands in the way", "Release", "Fail", "Nothing else", "Unknown"}, rows)
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
			p.text("", fmt.Sprintf("%s ready for %s and not for %s, which follows it (%s).",
				say.Capital(say.Count(n.Newly.Count, "machine is", "machines are")), n.Target, n.Release,
				n.Newly.Where))
		}
	}
	if n := f.Unsupported; n.Count > 0 {
		p.text("", say.Capital(say.Count(n.Count, "machine runs", "machines run"))+
			" the target as an unsupported installation ("+n.Where+").")
	}
	for _, c := range []struct {
		n    api.Count
		says [2]string
	}{
		{f.Stale, [2]string{"machine has", "machines have"}},
		{f.Doubted, [2]string{"machine may be", "machines may be"}},
	} {
		if c.n.Count > 0 {
			tail := " not reported for longer than they should"
			if c.n.Name == "doubted" {
				tail = " another than it seems; rolltop devices doubts"
			}
			p.text("", say.Capital(say.Count(c.n.Count, c.says[0], c.says[1]))+tail+" ("+c.n.Where+").")
		}
	}
}

func showGrid(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	l := client.List{}
	l.Where, _ = cmd.Flags().GetString("where")
	l.Sort, _ = cmd.Flags().GetString("sort")
	l.After, _ = cmd.Flags().GetString("after")
	l.Size, _ = cmd.Flags().GetInt("size")
	class, _ := cmd.Flags().GetString("class")
	g, err := c.Grid(contextOf(cmd), l, class)
	if err != nil {
		return asUsage(err)
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), g)
	}
	heads, rows := []string{"machine", "place", "disposition"}, make([][]string, len(g.Rows))
	for _, q := range g.Requirements {
		heads = append(heads, q.Requirement)
	}
	for i, r := range g.Rows {
		rows[i] = []string{r.Name, r.Place, r.Disposition}
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
	p.line("%d–%d of %d machines beside %s. What all of these meet, and advice, are left out; --format csv has them.",
		g.From+1, g.From+len(rows), g.Total, g.Release)
	if g.Next != "" {
		p.line("The rows behind these: --after %s", g.Next)
	}
	return nil
}

// cellText is a cell in a word or two: what passes recedes to a point.
func cellText(c *api.GridCell, whole bool) string {
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
		p.line("No day has been counted yet; the service counts while it runs.")
		return nil
	}
	p.table(heads, rows)
	return nil
}

func filtersCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "filters",
		Short: "Saved filters: list, save, remove",
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
		Use:   "save NAME FILTER",
		Short: "Save a filter for everybody; devices --filter NAME uses it",
		Args:  cobra.ExactArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			sort, _ := cmd.Flags().GetString("sort")
			facts, _ := cmd.Flags().GetStringSlice("facts")
			_, err = c.SaveFilter(contextOf(cmd), args[0], api.SaveFilter{Filter: args[1], Sort: sort, Facts: facts})
			return asUsage(err)
		},
	}
	save.Flags().String("sort", "", "order of its list")
	save.Flags().StringSlice("facts", nil, "facts that are its columns")
	serviceFlags(save)
	remove := &cobra.Command{
		Use:   "remove NAME",
		Short: "Forget a saved filter",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			return c.DropFilter(contextOf(cmd), args[0])
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
	return wrongUsage("there is no saved filter %q; rolltop filters lists them", name)
}
