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

func whatIfCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "what-if FILE|ID[@REVISION]",
		Short: "Preview which machines would change under a draft, another revision or another release",
		Args:  cobra.ExactArgs(1),
		RunE:  whatIf,
		Long:  help("what-if"),
	}
	cmd.Flags().String("against", "",
		"id of the release to compare with, such as skerry-12@4 (default: the target)")
	cmd.Flags().String("where", "", "filter")
	formatFlag(cmd, "text", "json", "csv")
	serviceFlags(cmd)
	return cmd
}

func whatIf(cmd *cobra.Command, args []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	in := api.AskWhatIf{Where: flagText(cmd, "where")}
	if id, revision, ok := stored(args[0]); ok {
		in.Release, in.Revision = id, revision
	} else {
		src, err := readFile(args[0])
		if err != nil {
			return err
		}
		packed, err := release.Pack(args[0], src, beside(args[0]))
		if err != nil {
			return err
		}
		in.Document = string(packed)
	}
	if than := flagText(cmd, "against"); than != "" {
		id, revision, ok := stored(than)
		if !ok {
			return wrongUsage("%q is not the id of a release; write --against skerry-12 or --against skerry-12@4", than)
		}
		in.Than, in.ThanRev = id, revision
	}
	w, err := c.WhatIf(contextOf(cmd), in)
	if err != nil {
		return asUsage(err)
	}
	switch form {
	case "json":
		return printJSON(cmd.OutOrStdout(), w)
	case "csv":
		var rows [][]string
		for _, f := range w.Flips {
			rows = append(rows, []string{f.Name, f.Key, f.Site, f.Model, f.Was, f.Becomes, strings.Join(f.By, "; ")})
		}
		return printCSV(cmd.OutOrStdout(), []string{"machine", "key", "site", "model", "was", "becomes", "by"}, rows)
	}
	printWhatIf(newPaper(cmd.OutOrStdout()), &w)
	return nil
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
	p.line("%s, revision %d, instead of %s, revision %d.", w.Becomes.Name, w.Becomes.Revision, w.Was.Name,
		w.Was.Revision)
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
	if len(w.Flips) > 0 {
		p.line("")
		p.line("--format csv lists the machines.")
	}
}

// whileJudging shows how far the judging of the fleet has come while something makes the
// service judge it.
func whileJudging(cmd *cobra.Command, c *client.Client, do func() error) error {
	if !isTerminal(cmd.ErrOrStderr()) {
		return do()
	}
	done := make(chan error, 1)
	go func() { done <- do() }()
	bar := progressbar.NewOptions(1, progressbar.OptionSetWriter(cmd.ErrOrStderr()),
		progressbar.OptionSetDescription("Judging the fleet"), progressbar.OptionShowCount(),
		progressbar.OptionClearOnFinish())
	defer func() { _ = bar.Finish() }()
	for {
		select {
		case err := <-done:
			return err
		case <-time.After(300 * time.Millisecond):
			if j, err := c.Judging(contextOf(cmd)); err == nil && j.Running && j.Machines > 0 {
				bar.ChangeMax(j.Machines)
				_ = bar.Set(j.Done)
			}
		}
	}
}

func changesCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "changes [NUMBER]",
		Short: "Changes of rules: which machines changed with them, and why",
		Args:  cobra.MaximumNArgs(1),
		RunE:  ruleChanges,
	}
	formatFlag(cmd, "text", "json", "csv")
	serviceFlags(cmd)
	return cmd
}

func ruleChanges(cmd *cobra.Command, args []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	if len(args) == 1 {
		id, err := strconv.ParseInt(args[0], 10, 64)
		if err != nil || id < 1 {
			return wrongUsage("%q is not the number of a change; rolltop releases changes lists all", args[0])
		}
		one, err := c.RuleChange(contextOf(cmd), id)
		if err != nil {
			return err
		}
		return printRuleChange(cmd, form, &one)
	}
	l, err := c.RuleChanges(contextOf(cmd))
	if err != nil {
		return err
	}
	var rows [][]string
	for _, one := range l.Changes {
		rows = append(rows, []string{
			strconv.FormatInt(one.ID, 10), one.At.Format(time.DateOnly), strconv.Itoa(one.Moved), one.Says,
		})
	}
	switch form {
	case "json":
		return printJSON(cmd.OutOrStdout(), l)
	case "csv":
		return printCSV(cmd.OutOrStdout(), []string{"number", "at", "machines", "says"}, rows)
	}
	p := newPaper(cmd.OutOrStdout())
	if len(rows) == 0 {
		p.line("The rules have not changed yet.")
		return nil
	}
	p.table([]string{"", "On", "Machines", ""}, rows)
	return nil
}

func printRuleChange(cmd *cobra.Command, form string, one *api.RuleChange) error {
	var rows [][]string
	for _, f := range one.Flips {
		rows = append(rows, []string{f.Name, f.Site, f.Was, f.Becomes, strings.Join(f.By, "; ")})
	}
	heads := []string{"Machine", "Site", "Was", "Became", "By"}
	switch form {
	case "json":
		return printJSON(cmd.OutOrStdout(), one)
	case "csv":
		return printCSV(cmd.OutOrStdout(), []string{"machine", "site", "was", "became", "by"}, rows)
	}
	p := newPaper(cmd.OutOrStdout())
	p.text("", p.style(bold, one.Says))
	p.text("", say.Capital(say.Day(one.At))+", "+say.Count(one.Machines, "machine judged", "machines judged")+".")
	if len(rows) > 0 {
		p.line("")
		p.table(heads, rows)
	}
	return nil
}
