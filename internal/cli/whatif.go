package cli

import (
	"strconv"
	"strings"
	"time"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
)

// whatIfOptions are those of a preview.
type whatIfOptions struct {
	Against string `option:"against" usage:"id of the release to compare with, such as skerry-12@4 (default: the target)" complete:"release"`
	Effort  bool   `option:"effort" usage:"also work out what both take: visits, time, parts; this takes longer"`
	where
	listed
}

func whatIfCommand() *cobra.Command {
	return with(command("what-if FILE|ID[@REVISION]",
		"Preview which machines would change under a draft, another revision or another release", whatIf), "what-if")
}

func whatIf(c *call[whatIfOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	in := api.AskWhatIf{Where: c.o.Where, Effort: c.o.Effort}
	if id, revision, ok := stored(c.args[0]); ok {
		in.Release, in.Revision = id, revision
	} else {
		src, err := readFile(c.cmd, c.args[0])
		if err != nil {
			return err
		}
		packed, err := release.Pack(c.args[0], src, beside(c.cmd, c.args[0]))
		if err != nil {
			return err
		}
		in.Document = string(packed)
	}
	if than := c.o.Against; than != "" {
		id, revision, ok := stored(than)
		if !ok {
			return wrongUsage("%q is not the id of a release; write --against skerry-12 or --against skerry-12@4", than)
		}
		in.Than, in.ThanRev = id, revision
	}
	w, err := s.WhatIf(c.ctx(), in)
	if err != nil {
		return asUsage(err)
	}
	if form == "text" {
		printWhatIf(c.paper(), &w)
		return nil
	}
	table := listing[api.ChangedMachine]{format: "rolltop-what-if/1", columns: changedColumns}
	return table.print(c.place, form, w, w.Changed)
}

// changedColumns are those of machines whose disposition changes.
var changedColumns = []column[api.ChangedMachine]{
	{name: "machine", head: "Machine", value: func(f *api.ChangedMachine) string { return f.Name }},
	{name: "key", only: true, value: func(f *api.ChangedMachine) string { return f.Key }},
	{name: "site", head: "Site", value: func(f *api.ChangedMachine) string { return f.Site }},
	{name: "model", only: true, value: func(f *api.ChangedMachine) string { return f.Model }},
	{name: "was", head: "Was", value: func(f *api.ChangedMachine) string { return f.Was }},
	{name: "becomes", head: "Became", value: func(f *api.ChangedMachine) string { return f.Becomes }},
	{name: "by", head: "By", value: func(f *api.ChangedMachine) string { return strings.Join(f.By, "; ") }},
}

// stored reads an id of a stored release: a name without a dot or a slash.
func stored(arg string) (id string, revision int, ok bool) {
	id, rev, has := strings.Cut(arg, "@")
	if has {
		n, err := strconv.Atoi(rev)
		if err != nil || n < 1 {
			return "", 0, false
		}
		revision = n
	}
	return id, revision, release.ValidID(id)
}

func printWhatIf(p *paper, w *api.WhatIf) {
	p.text("", p.style(bold, w.Says))
	for _, n := range w.Notes {
		p.text("  ", n)
	}
	p.line("%s, revision %d, instead of %s, revision %d.", w.Becomes.Name, w.Becomes.Revision, w.Was.Name,
		w.Was.Revision)
	if w.EffortBefore != nil && w.EffortAfter != nil {
		p.line("")
		p.text("", w.EffortBefore.Says)
		p.text("", w.EffortAfter.Says)
	}
	table := func(heads []string, rows [][]string) {
		if len(rows) > 0 {
			p.line("")
			p.table(heads, rows)
		}
	}
	var rows [][]string
	for _, s := range w.Shifts {
		rows = append(rows, []string{
			say.Marks[s.Was] + " " + s.Was, say.Marks[s.Becomes] + " " + s.Becomes, strconv.Itoa(s.Machines),
		})
	}
	table([]string{"Was", "Becomes", "Machines"}, rows)
	rows = nil
	for _, c := range w.Changes {
		rows = append(rows, []string{c.Needs, strconv.Itoa(c.Fails), strconv.Itoa(c.Passes), strconv.Itoa(c.Opens)})
	}
	table([]string{"By", "Newly fail", "No longer", "Newly unknown"}, rows)
	rows = nil
	for _, s := range w.Sites {
		rows = append(rows, []string{s.Site, strconv.Itoa(s.Moved)})
	}
	table([]string{"At", "Machines"}, rows)
	rows = nil
	for _, m := range w.Missing {
		rows = append(rows, []string{m.Label, strconv.Itoa(m.Machines), strconv.Itoa(m.NotAsked)})
	}
	table([]string{"Unknown", "Machines", "Never collected"}, rows)
	if len(w.Changed) > 0 {
		p.line("")
		p.line("--format csv lists the machines.")
	}
}

// whileJudging shows how far the judging of the fleet has come while something makes the
// service judge it.
func whileJudging(c *place, s *client.Client, do func() error) error {
	if quiet(c.cmd) || !isTerminal(c.errOut()) {
		return do()
	}
	done := make(chan error, 1)
	go func() { done <- do() }()
	bar := progressbar.NewOptions(1, progressbar.OptionSetWriter(c.errOut()),
		progressbar.OptionSetDescription("Judging the fleet"), progressbar.OptionShowCount(),
		progressbar.OptionClearOnFinish())
	defer func() { _ = bar.Finish() }()
	for {
		select {
		case err := <-done:
			return err
		case <-time.After(300 * time.Millisecond):
			if j, err := s.Judging(c.ctx()); err == nil && j.Running && j.Machines > 0 {
				bar.ChangeMax(j.Machines)
				_ = bar.Set(j.Done)
			}
		}
	}
}

func changesCommand() *cobra.Command {
	return command("changes [CHANGE]", "Changes of rules: which machines changed with them, and why", ruleChanges)
}

func ruleChanges(c *call[listed]) error {
	if len(c.args) == 1 {
		return ruleChange(c)
	}
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.RuleChanges(c.ctx())
	if err != nil {
		return err
	}
	table := listing[api.RuleChange]{format: "rolltop-rule-changes/1", none: "The rules have not changed yet.",
		columns: []column[api.RuleChange]{
			{name: "id", head: "Id", value: func(r *api.RuleChange) string { return strconv.FormatInt(r.ID, 10) }},
			{name: "at", head: "On", value: func(r *api.RuleChange) string { return instant(&r.At) },
				text: func(r *api.RuleChange) string { return r.At.Format(time.DateOnly) }},
			{
				name:  "machines",
				head:  "Machines",
				value: func(r *api.RuleChange) string { return strconv.Itoa(r.Moved) },
			},
			{name: "says", head: "Change", value: func(r *api.RuleChange) string { return r.Says }},
		}}
	return table.print(c.place, form, l, l.Changes)
}

func ruleChange(c *call[listed]) error {
	id, err := c.id(0, "the number of a change", "rolltop releases changes")
	if err != nil {
		return err
	}
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	one, err := s.RuleChange(c.ctx(), id)
	if err != nil {
		return err
	}
	if form == "text" {
		p := c.paper()
		p.text("", p.style(bold, one.Says))
		p.text("", say.Capital(say.Day(one.At))+", "+say.Count(one.Machines, "machine judged", "machines judged")+".")
		if len(one.Changed) > 0 {
			p.line("")
		}
	}
	table := listing[api.ChangedMachine]{format: "rolltop-rule-change/1", columns: changedColumns}
	return table.print(c.place, form, one, one.Changed)
}
