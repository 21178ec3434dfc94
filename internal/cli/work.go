package cli

import (
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

// workCommands are the work on one machine that the service keeps.
func workCommands() []*cobra.Command {
	tick := &cobra.Command{
		Use:   "tick KEY prepare/ITEM|step/STEP|leave/ITEM",
		Short: "Record that an item of preparation or a step is done, or that it is refused",
		Args:  cobra.ExactArgs(2),
		RunE:  tickItem,
		Long:  help("tick"),
	}
	tick.Flags().Bool("refuse", false, "record a refusal, with the reason in --note")
	tick.Flags().Bool("remove", false, "remove what was recorded")
	tick.Flags().String("note", "", "what was done, or why not")
	serviceFlags(tick)
	link := &cobra.Command{
		Use:   "visit-link KEY",
		Short: "Create a link to the page of the visit, for a phone",
		Args:  cobra.ExactArgs(1),
		RunE:  visitLink,
		Long:  help("visit-link"),
	}
	numberFlag(link, "hours", 0, 1, 168, "hours until the link expires (default 10, max 168)")
	link.Flags().Bool("remove", false, "remove all links to the visit of this machine")
	serviceFlags(link)
	after := &cobra.Command{
		Use:   "results KEY",
		Short: "Show the results of the work since an earlier inventory",
		Args:  cobra.ExactArgs(1),
		RunE:  showResults,
	}
	after.Flags().Int64("inventory", 0,
		"number of the earlier inventory in the history (default: the inventory before the latest)")
	formatFlag(after, "text", "json")
	serviceFlags(after)
	return []*cobra.Command{tick, link, after}
}

func tickItem(cmd *cobra.Command, args []string) error {
	kind, item, ok := strings.Cut(args[1], "/")
	if !ok || !slices.Contains([]string{"prepare", "step", "leave"}, kind) {
		return wrongUsage("%q is not an item; write prepare/backup for an item of preparation, step/tpm-on for a "+
			"step, "+
			"leave/disk-wiped for a machine that leaves", args[1])
	}
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	refuse, _ := cmd.Flags().GetBool("refuse")
	back, _ := cmd.Flags().GetBool("remove")
	note, _ := cmd.Flags().GetString("note")
	if refuse && back {
		return wrongUsage("--refuse and --remove exclude each other")
	}
	var d api.Machine
	if back {
		d, err = c.RemoveTick(contextOf(cmd), args[0], kind, item)
	} else {
		said := api.SayTick{State: "done", Note: note}
		if refuse {
			said.State = "refused"
		}
		d, err = c.SetTick(contextOf(cmd), args[0], kind, item, said)
	}
	if err != nil {
		return err
	}
	said := d.Check.Ticked(args[1])
	for _, l := range d.Leaving {
		if args[1] == assess.TickLeaving+l.ID {
			said = l.Ticked
		}
	}
	if said != nil {
		fmt.Fprintf(cmd.OutOrStdout(), "%s, %s: %s\n", d.Name, args[1], said.Says())
		return nil
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%s, %s: no longer recorded.\n", d.Name, args[1])
	return nil
}

func visitLink(cmd *cobra.Command, args []string) error {
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	if end, _ := cmd.Flags().GetBool("remove"); end {
		if err := c.EndVisitLinks(contextOf(cmd), args[0]); err != nil {
			return err
		}
		fmt.Fprintln(cmd.OutOrStdout(), "All links to this visit are removed.")
		return nil
	}
	hours, _ := cmd.Flags().GetInt("hours")
	l, err := c.VisitLink(contextOf(cmd), args[0], hours)
	if err != nil {
		return err
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%s\nAnyone with the link can open it until %s.\n", l.Address,
		say.Moment(l.Expires))
	return nil
}

func showResults(cmd *cobra.Command, args []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	d, err := c.Machine(contextOf(cmd), args[0])
	if err != nil {
		return err
	}
	id, _ := cmd.Flags().GetInt64("inventory")
	if id == 0 {
		if len(d.History) < 2 {
			return fmt.Errorf("%s has only one inventory; submit another one after the work", d.Name)
		}
		id = d.History[1].ID
	}
	got, err := c.Results(contextOf(cmd), args[0], id)
	if err != nil {
		return err
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), got)
	}
	p := newPaper(cmd.OutOrStdout())
	if d.Check != nil {
		p.line("%s", headOf(d.Check))
		p.line("")
	}
	printAfter(p, &got, say.Marks[d.Disposition])
	return nil
}
