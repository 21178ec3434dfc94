package cli

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/report"
)

// fleetOptions are those of the counts of the fleet.
type fleetOptions struct {
	where
	Format string `option:"format" forms:"text,json,ndjson,csv,html"`
	output
	serviceOptions
}

func fleetCommand() *cobra.Command {
	return with(
		command("fleet", "Count the machines of the fleet: dispositions and failing requirements", showFleet),
		"fleet",
		with(
			command(
				"briefing",
				"Briefing for the head of the organisation: done, at risk, money, decisions, the last week",
				showBriefing,
			),
			"briefing",
		),
		command("answers", "Answer what is asked of a whole fleet again and again", showAnswers),
		command("matrix", "Requirement matrix: what each machine has, and what is missing", showMatrix),
		command("progress", "Number of machines by disposition, day by day", showProgress),
	)
}

func showFleet(c *call[fleetOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	f, err := s.Fleet(c.ctx(), c.o.Where)
	if err != nil {
		return asUsage(err)
	}
	switch form {
	case "text":
		printFleet(c.paper(), &f)
		return nil
	case "html":
		p, err := s.Progress(c.ctx(), 90)
		if err != nil {
			return err
		}
		return report.Fleet(c.out(), &f, &p, time.Now())
	}
	table := listing[api.Count]{format: "rolltop-fleet/1", columns: []column[api.Count]{
		{name: "disposition", value: func(n *api.Count) string { return n.Name }},
		{name: "machines", value: func(n *api.Count) string { return strconv.Itoa(n.Count) }},
		{name: "where", value: func(n *api.Count) string { return n.Where }},
	}}
	return table.print(c.place, form, f, f.Dispositions)
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
	if len(f.Urgency) > 0 {
		rows = rows[:0]
		for _, u := range f.Urgency {
			rows = append(rows, []string{u.Says, strconv.Itoa(u.Count), u.Where})
		}
		p.line("")
		p.table([]string{"Support of what they run", "Machines", "Filter"}, rows)
	}
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

// answersOptions are those of the answers about the fleet.
type answersOptions struct {
	where
	listed
}

func showAnswers(c *call[answersOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.FleetAnswers(c.ctx(), c.o.Where)
	if err != nil {
		return asUsage(err)
	}
	if form == "text" {
		p := c.paper()
		for i, a := range l.Answers {
			if i > 0 {
				p.line("")
			}
			p.line("%s", p.style(bold, a.Asks))
			p.text("  ", a.Says)
			p.styled("  ", a.Command, dim)
		}
		return nil
	}
	table := listing[api.FleetAnswer]{format: "rolltop-answers/1", columns: []column[api.FleetAnswer]{
		{name: "asks", value: func(a *api.FleetAnswer) string { return a.Asks }},
		{name: "says", value: func(a *api.FleetAnswer) string { return a.Says }},
		{name: "where", value: func(a *api.FleetAnswer) string { return a.Where }},
		{name: "command", value: func(a *api.FleetAnswer) string { return a.Command }},
	}}
	return table.print(c.place, form, l, l.Answers)
}

// matrixOptions are those of the requirement matrix.
type matrixOptions struct {
	where
	Class  string `option:"class" default:"pc" usage:"class of hardware: pc or mac" complete:"class"`
	Sort   string `option:"sort" default:"name" usage:"order, as for rolltop machines; needs.ID puts machines that fail the requirement first" complete:"order"`
	Cursor string `option:"cursor" usage:"cursor of the next page"`
	Size   int    `option:"size" default:"50" usage:"rows per page (max 1000)" least:"1" most:"1000"`
	listed
}

func showMatrix(c *call[matrixOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	o := c.o
	g, err := s.Matrix(c.ctx(), client.List{Where: o.Where, Sort: o.Sort, Cursor: o.Cursor, Size: o.Size}, o.Class)
	if err != nil {
		return asUsage(err)
	}
	switch form {
	case "json":
		return printDocument(c.out(), "rolltop-matrix/1", g)
	case "ndjson":
		return printLines(c.out(), g.Rows)
	case "text":
		printMatrix(c.paper(), &g)
		return nil
	}
	heads, rows := []string{"machine", "site", "disposition"}, make([][]string, len(g.Rows))
	for _, q := range g.Requirements {
		heads = append(heads, q.Requirement)
	}
	for i, r := range g.Rows {
		rows[i] = []string{r.Name, r.Site, r.Disposition}
		for _, cell := range r.Cells {
			rows[i] = append(rows[i], cellText(&cell, true))
		}
	}
	return printCSV(c.out(), heads, rows)
}

// printMatrix prints what each machine lacks: what it passes recedes.
func printMatrix(p *paper, g *api.Matrix) {
	if len(g.Rows) == 0 {
		p.line("No machine matches.")
		return
	}
	rows := make([][]string, len(g.Rows))
	for i, r := range g.Rows {
		var lacks []string
		for k := range r.Cells {
			if k >= len(g.Requirements) || g.Requirements[k].Level != "must" {
				continue
			}
			if text := cellText(&r.Cells[k], false); text != "" {
				lacks = append(lacks, g.Requirements[k].Requirement+": "+text)
			}
		}
		rows[i] = []string{r.Name, r.Site, say.Marks[r.Disposition] + " " + r.Disposition, strings.Join(lacks, "; ")}
	}
	p.table([]string{"Machine", "Site", "Disposition", "Requirements that are not met or unknown"}, rows)
	p.line("")
	these := say.Capital(say.Count(g.Total, "machine", "machines"))
	if g.Total > len(rows) {
		these = fmt.Sprintf("%d–%d of %d machines", g.From+1, g.From+len(rows), g.Total)
	}
	p.text("", fmt.Sprintf("%s, target %s. Recommendations are omitted; --format csv includes them.", these, g.Release))
	if g.Next != "" {
		p.line("Next page: --cursor %s", g.Next)
	}
}

// cellText is a cell in a word or two; what passes is "", unless the whole is asked for.
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
		return "has " + c.Has
	case c.Outcome == "unknown":
		return "unknown"
	}
	return ""
}

// progressOptions are those of the progress of the fleet.
type progressOptions struct {
	Days int `option:"days" default:"90" least:"1" most:"400" usage:"number of days (max 400)"`
	listed
}

func showProgress(c *call[progressOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	got, err := s.Progress(c.ctx(), c.o.Days)
	if err != nil {
		return asUsage(err)
	}
	table := listing[api.ProgressDay]{format: "rolltop-progress/1",
		none: "No day has been counted yet. The service counts once a day.",
		columns: []column[api.ProgressDay]{
			{name: "day", head: "Day", value: func(d *api.ProgressDay) string { return d.Day }},
			{
				name:  "machines",
				head:  "Machines",
				value: func(d *api.ProgressDay) string { return strconv.Itoa(d.Total) },
			},
		}}
	for _, name := range remedy.Dispositions() {
		table.columns = append(table.columns, column[api.ProgressDay]{name: name, head: say.Capital(name),
			value: func(d *api.ProgressDay) string { return strconv.Itoa(d.Dispositions[name]) }})
	}
	return table.print(c.place, form, got, got.Days)
}

func filtersCommand() *cobra.Command {
	return noun("filters", "Saved filters: list, set, remove", "", listFilters,
		command("set NAME FILTER", "Save a filter for everybody; machines --filter NAME uses it", saveFilter),
		command("remove SAVED", "Remove a saved filter", removeFilter))
}

func listFilters(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Filters(c.ctx())
	if err != nil {
		return err
	}
	table := listing[api.SavedFilter]{format: "rolltop-filters/1", none: "No saved filters.",
		columns: []column[api.SavedFilter]{
			{name: "name", head: "Name", value: func(f *api.SavedFilter) string { return f.Name }},
			{name: "filter", head: "Filter", value: func(f *api.SavedFilter) string { return f.Filter }},
			{name: "sort", head: "Order", value: func(f *api.SavedFilter) string { return f.Sort }},
			{
				name:  "facts",
				head:  "Columns",
				value: func(f *api.SavedFilter) string { return strings.Join(f.Facts, ",") },
			},
			{name: "by", head: "By", value: func(f *api.SavedFilter) string { return f.By }},
		}}
	return table.print(c.place, form, l, l.Filters)
}

// filterOptions are those of a filter to save.
type filterOptions struct {
	Sort  string   `option:"sort" usage:"order of the list" complete:"order"`
	Facts []string `option:"facts" usage:"facts to show as columns" complete:"facts" split:"yes"`
	serviceOptions
}

func saveFilter(c *call[filterOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	was, err := standing(c.place, c.args[0], s.Filter)
	if err != nil {
		return err
	}
	f, err := s.SetFilter(c.ctx(), c.args[0], api.SetFilter{Filter: c.args[1], Sort: c.o.Sort, Facts: c.o.Facts})
	if err != nil {
		return asUsage(err)
	}
	replaced := ""
	if was != nil && was.Filter != f.Filter {
		replaced = fmt.Sprintf(" It replaces %q, saved by %s.", was.Filter, was.By)
	}
	c.done("The filter %s is saved; rolltop machines --filter %q uses it.%s", f.Name, f.Name, replaced)
	return nil
}

func removeFilter(c *call[removeOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	if _, err := s.Filter(c.ctx(), c.args[0]); err != nil {
		return err
	}
	if err := c.sure(c.o.Yes, "Remove the saved filter %s for everybody?", c.args[0]); err != nil {
		return err
	}
	if err := s.RemoveFilter(c.ctx(), c.args[0]); err != nil {
		return err
	}
	c.done("The saved filter %s is removed.", c.args[0])
	return nil
}

// nearest says which name was probably meant, or which command lists all.
func nearest(name string, names []string, command string) string {
	return first(doc.Suggest(name, names), command+" lists all")
}
