package cli

import (
	"fmt"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/core/wave"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
	"rolltop.example/rolltop/internal/safefile"
)

func wavesCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "waves",
		Short: "Waves: which machines are upgraded when, with outcomes and a forecast",
		Args:  cobra.NoArgs,
		RunE:  listWaves,
		Long:  help("waves"),
	}
	formatFlag(cmd, "text", "json", "csv")
	serviceFlags(cmd)
	show := numbered("show NUMBER", "Show a wave: its machines, their packages, and why others cannot enter",
		cobra.ExactArgs(1), showWave)
	formatFlag(show, "text", "json", "csv")
	add := &cobra.Command{
		Use:   "add NAME",
		Short: "Add a wave",
		Args:  cobra.ExactArgs(1),
		RunE:  func(cmd *cobra.Command, args []string) error { return setWave(cmd, 0, args[0]) },
	}
	serviceFlags(add)
	change := numbered("set NUMBER", "Change a wave; options that are omitted keep their values", cobra.ExactArgs(1),
		func(cmd *cobra.Command, _ *client.Client, id int64, _ []string) error {
			return setWave(cmd, id, flagText(cmd, "name"))
		})
	change.Flags().String("name", "", "new name")
	for _, c := range []*cobra.Command{add, change} {
		c.Flags().String("rule", "", "filter of the machines that can enter")
		c.Flags().String("release", "", "release that the machines get (default: the target of PCs)")
		c.Flags().Bool("pilot", false, "make the wave a pilot: small, and before all others")
		numberFlag(c, "most", 0, 1, 1000000, "maximum number of machines")
		c.Flags().String("starts", "", "first day, such as 2026-12-01")
		c.Flags().String("ends", "", "last day")
		c.Flags().String("note", "", "note for whoever does the work")
	}
	fill := numbered("add NUMBER [KEY…]",
		"Add machines to a wave: these, or as many that match its rule as there is room for",
		cobra.MinimumNArgs(1), fillWave)
	fill.Flags().Bool("by-name", false, "admit these machines despite a waived requirement")
	drop := numbered("remove NUMBER KEY", "Remove a machine from a wave", cobra.ExactArgs(2),
		func(cmd *cobra.Command, c *client.Client, id int64, rest []string) error {
			if err := c.LeaveWave(contextOf(cmd), id, rest[0]); err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%s is removed from wave %d.\n", rest[0], id)
			return nil
		})
	end := numbered("end NUMBER", "End a wave; machines that were not handed off are free for others",
		cobra.ExactArgs(1), func(cmd *cobra.Command, c *client.Client, id int64, _ []string) error {
			if err := c.EndWave(contextOf(cmd), id); err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "Wave %d has ended.\n", id)
			return nil
		})
	handOff := numbered("hand-off NUMBER",
		"Write the machines of a wave for a deployment system, with package and checksum", cobra.ExactArgs(1), handOff)
	formatFlag(handOff, "json", "csv", "ndjson")
	handOff.Flags().StringP("output", "o", "", "`file` to write (default: standard output)")
	handedOff := numbered("handed-off NUMBER", "Record that the machines of a wave were handed off, and notify "+
		"webhooks",
		cobra.ExactArgs(1), func(cmd *cobra.Command, c *client.Client, id int64, _ []string) error {
			h, err := c.HandedOff(contextOf(cmd), id)
			if err != nil {
				return asUsage(err)
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%s handed off.\n",
				say.Capital(say.Count(len(h.Machines), "machine is", "machines are")))
			for _, m := range h.Refused {
				fmt.Fprintf(cmd.OutOrStdout(), "Not %s: %s.\n", m.Name, m.Reason)
			}
			return nil
		})
	outcomes := numbered("outcomes NUMBER FILE",
		"Import the outcomes of machines: CSV with machine, outcome and reason, or NDJSON",
		cobra.ExactArgs(2), tellOutcomes)
	machines := &cobra.Command{
		Use:   "machines",
		Short: "Machines of a wave: add, remove",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	machines.AddCommand(fill, drop)
	cmd.AddCommand(show, add, change, machines, handOff, handedOff, outcomes, end, blackoutCommand())
	return cmd
}

// numbered is a command about one wave.
func numbered(
	use, short string, args cobra.PositionalArgs, run func(*cobra.Command, *client.Client, int64, []string) error,
) *cobra.Command {
	cmd := &cobra.Command{Use: use, Short: short, Args: args, RunE: func(cmd *cobra.Command, args []string) error {
		id, err := strconv.ParseInt(args[0], 10, 64)
		if err != nil || id < 1 {
			return wrongUsage("%q is not a wave number; rolltop waves lists all", args[0])
		}
		c, err := clientOf(cmd)
		if err != nil {
			return err
		}
		return run(cmd, c, id, args[1:])
	}}
	serviceFlags(cmd)
	return cmd
}

func listWaves(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	l, err := c.Waves(contextOf(cmd))
	if err != nil {
		return err
	}
	switch form {
	case "json":
		return printJSON(cmd.OutOrStdout(), l)
	case "csv":
		return exportWork(cmd, c, "waves")
	}
	var rows [][]string
	for _, w := range l.Waves {
		name := w.Name
		if w.Pilot {
			name += " (pilot)"
		}
		rows = append(rows, []string{
			strconv.FormatInt(w.ID, 10), name, w.Release, w.Starts, w.Ends, fmt.Sprintf("%d of %d", w.Machines, w.Most),
			w.Says,
		})
	}
	p := newPaper(cmd.OutOrStdout())
	for _, f := range l.Forecasts {
		p.text("", p.style(bold, f.Says))
		for _, a := range f.Assumes {
			p.styled("  ", a, dim)
		}
	}
	p.line("")
	if len(rows) == 0 {
		p.line("No waves. Add one with rolltop waves add; start with a pilot.")
	} else {
		p.table([]string{"", "Wave", "Release", "From", "To", "Machines", ""}, rows)
	}
	if len(l.Blackout) > 0 {
		p.line("")
		for _, b := range l.Blackout {
			p.line("Nothing is upgraded from %s to %s%s.", b.From, b.To, because(b.Reason))
		}
	}
	return nil
}

func because(reason string) string {
	if reason == "" {
		return ""
	}
	return " (" + reason + ")"
}

func showWave(cmd *cobra.Command, c *client.Client, id int64, _ []string) error {
	form, err := format(cmd)
	if err != nil {
		return err
	}
	w, err := c.Wave(contextOf(cmd), id)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, m := range w.Members {
		if form == "csv" {
			rows = append(rows, []string{
				m.Name, m.Key, m.Site, m.Model, m.Day, m.Outcome, m.Reason, m.Way, m.Edition, m.Package, m.File,
				m.SHA256, m.ByName, strings.Join(m.Prepare, "; "),
			})
			continue
		}
		left := ""
		if len(m.Prepare) > 0 && m.Outcome == "waiting" {
			left = "left to prepare: " + strconv.Itoa(len(m.Prepare))
		}
		rows = append(rows, []string{m.Name, m.Site, m.Day, m.Outcome, m.Way, m.Package, first(m.Reason, left)})
	}
	switch form {
	case "json":
		return printJSON(cmd.OutOrStdout(), w)
	case "csv":
		return printCSV(cmd.OutOrStdout(),
			[]string{
				"machine", "key", "site", "model", "day", "outcome", "reason", "way", "edition", "package", "file",
				"sha256", "by_name", "left_to_prepare",
			}, rows)
	}
	p := newPaper(cmd.OutOrStdout())
	p.text("", p.style(bold, w.Name+": "+w.Says))
	p.text("", fmt.Sprintf("To %s from %s to %s; at most %d; %s", w.Release, w.Starts, w.Ends, w.Most, w.Rule))
	if w.Note != "" {
		p.text("", w.Note)
	}
	if len(rows) > 0 {
		p.line("")
		p.table([]string{"Machine", "Site", "Day", "Outcome", "Way", "Package", ""}, rows)
	}
	p.line("")
	p.text("", fmt.Sprintf("%s more can enter.", say.Capital(say.Count(w.Free, "machine", "machines"))))
	printRefusals(p, w.Refusals)
	return nil
}

func printRefusals(p *paper, list []wave.Refusal) {
	var rows [][]string
	for _, r := range list {
		var names []string
		for _, m := range r.Some[:min(len(r.Some), 5)] {
			names = append(names, m.Name)
		}
		if r.Machines > len(names) {
			names = append(names, "…")
		}
		rows = append(rows, []string{strconv.Itoa(r.Machines), r.Reason, strings.Join(names, ", ")})
	}
	if len(rows) > 0 {
		p.line("")
		p.table([]string{"Refused", "Because", "Machines"}, rows)
	}
}

func setWave(cmd *cobra.Command, id int64, name string) error {
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	var w api.MakeWave
	if id > 0 {
		old, err := c.Wave(contextOf(cmd), id)
		if err != nil {
			return err
		}
		w = api.MakeWave{
			Name:    old.Name,
			Release: old.Release,
			Pilot:   old.Pilot,
			Rule:    old.Rule,
			Most:    old.Most,
			Starts:  old.Starts,
			Ends:    old.Ends,
			Note:    old.Note,
		}
	}
	for flag, to := range map[string]*string{
		"rule":    &w.Rule,
		"release": &w.Release,
		"starts":  &w.Starts,
		"ends":    &w.Ends,
		"note":    &w.Note,
	} {
		if cmd.Flags().Changed(flag) {
			*to = flagText(cmd, flag)
		}
	}
	if name != "" {
		w.Name = name
	}
	if cmd.Flags().Changed("most") {
		w.Most, _ = cmd.Flags().GetInt("most")
	}
	if cmd.Flags().Changed("pilot") {
		w.Pilot, _ = cmd.Flags().GetBool("pilot")
	}
	got, err := c.SetWave(contextOf(cmd), id, w)
	if err != nil {
		return asUsage(err)
	}
	p := newPaper(cmd.OutOrStdout())
	p.text("", fmt.Sprintf("Wave %d, %s, from %s to %s. %s can enter.", got.ID, got.Name, got.Starts, got.Ends,
		say.Capital(say.Count(got.Free, "machine", "machines"))))
	printRefusals(p, got.Refusals)
	return nil
}

func fillWave(cmd *cobra.Command, c *client.Client, id int64, keys []string) error {
	byName, _ := cmd.Flags().GetBool("by-name")
	got, err := c.FillWave(contextOf(cmd), id, api.FillWave{Keys: keys, ByName: byName})
	if err != nil {
		return asUsage(err)
	}
	p := newPaper(cmd.OutOrStdout())
	p.line("%s added to wave %d.", say.Capital(say.Count(got.Added, "machine was", "machines were")), id)
	printRefusals(p, got.Refusals)
	if len(keys) > 0 && got.Added < len(keys) {
		return status(ExitFailed)
	}
	return nil
}

func handOff(cmd *cobra.Command, c *client.Client, id int64, _ []string) error {
	form, err := format(cmd)
	if err != nil {
		return err
	}
	body, err := c.HandOff(contextOf(cmd), id, form)
	if err != nil {
		return err
	}
	out := flagText(cmd, "output")
	if out == "" {
		_, err = cmd.OutOrStdout().Write(body)
		return err
	}
	if err := safefile.Write(out, body); err != nil {
		return err
	}
	fmt.Fprintf(cmd.ErrOrStderr(), "%s written. When the deployment system has it, run: rolltop waves handed-off "+
		"%d\n", out, id)
	return nil
}

func tellOutcomes(cmd *cobra.Command, c *client.Client, id int64, rest []string) error {
	src, err := readLarge(rest[0])
	if err != nil {
		return err
	}
	got, err := c.OutcomesFile(contextOf(cmd), id, api.OutcomesFile{Name: filepath.Base(rest[0]), Content: src})
	if err != nil {
		return asUsage(err)
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%s recorded.\n", say.Capital(say.Count(got.Taken, "outcome", "outcomes")))
	for _, p := range got.Problems {
		fmt.Fprintf(cmd.ErrOrStderr(), "not recorded: %s\n", p)
	}
	if len(got.Problems) > 0 {
		return status(ExitFailed)
	}
	return nil
}

func blackoutCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "blackout",
		Short: "Blackout days",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			form, c, err := asked(cmd)
			if err != nil {
				return err
			}
			l, err := c.Waves(contextOf(cmd))
			if err != nil {
				return err
			}
			if form == "json" {
				return printJSON(cmd.OutOrStdout(), l.Blackout)
			}
			if len(l.Blackout) == 0 {
				fmt.Fprintln(cmd.OutOrStdout(), "No blackout days.")
			}
			for _, b := range l.Blackout {
				fmt.Fprintf(cmd.OutOrStdout(), "%s to %s%s\n", b.From, b.To, because(b.Reason))
			}
			return nil
		},
	}
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	change := func(f func([]api.Blackout, []string, string) ([]api.Blackout, error)) func(*cobra.Command,
		[]string) error {
		return func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			l, err := c.Waves(contextOf(cmd))
			if err != nil {
				return err
			}
			days, err := f(l.Blackout, args, flagText(cmd, "reason"))
			if err != nil {
				return err
			}
			if err := c.SetBlackout(contextOf(cmd), api.Blackouts{Days: days}); err != nil {
				return asUsage(err)
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%s of blackout days.\n",
				say.Capital(say.Count(len(days), "range", "ranges")))
			return nil
		}
	}
	add := &cobra.Command{
		Use:   "add FROM [TO]",
		Short: "Add days: from the first to the last, inclusive",
		Args:  cobra.RangeArgs(1, 2),
		RunE: change(func(had []api.Blackout, args []string, reason string) ([]api.Blackout, error) {
			return append(had, api.Blackout{From: args[0], To: args[len(args)-1], Reason: reason}), nil
		}),
	}
	add.Flags().String("reason", "", "reason, such as the season or the end of the year")
	remove := &cobra.Command{
		Use:   "remove FROM",
		Short: "Remove the days that begin on this day",
		Args:  cobra.ExactArgs(1),
		RunE: change(func(had []api.Blackout, args []string, _ string) ([]api.Blackout, error) {
			left := slices.DeleteFunc(slices.Clone(had), func(b api.Blackout) bool { return b.From == args[0] })
			if len(left) == len(had) {
				return nil, wrongUsage("no blackout days begin on %s; rolltop waves blackout lists them", args[0])
			}
			return left, nil
		}),
	}
	remove.Flags().String("reason", "", "")
	_ = remove.Flags().MarkHidden("reason")
	for _, c := range []*cobra.Command{add, remove} {
		serviceFlags(c)
	}
	cmd.AddCommand(add, remove)
	return cmd
}
