package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func decisionsCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "decisions",
		Short: "Decisions about machines until a date: waivers, stays, holds, postponements",
		Args:  cobra.NoArgs,
		RunE:  listDecisions,
		Long:  help("decisions"),
	}
	cmd.Flags().Bool("all", false, "include decisions that ended long ago")
	formatFlag(cmd, "text", "json", "csv")
	serviceFlags(cmd)
	add := &cobra.Command{
		Use:       "add KIND",
		Short:     "Add a decision about machines: " + strings.Join(decision.Kinds(), ", "),
		Args:      cobra.ExactArgs(1),
		ValidArgs: decision.Kinds(),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			ahead, _ := cmd.Flags().GetBool("ahead")
			d, err := c.Decide(contextOf(cmd),
				api.MakeDecision{
					Kind:        args[0],
					Scope:       flagText(cmd, "where"),
					Release:     flagText(cmd, "release"),
					Requirement: flagText(cmd, "requirement"),
					Reason:      flagText(cmd, "reason"),
					Until:       flagText(cmd, "until"),
					Ahead:       ahead,
				})
			if err != nil {
				return asUsage(err)
			}
			fmt.Fprintf(cmd.OutOrStdout(), "Decision %d, for %s. %s\n", d.ID,
				say.Count(d.Machines, "machine", "machines"), d.Says)
			return nil
		},
	}
	add.Flags().String("where", "", "filter of the machines, such as key=gull-014 or site=\"Gull Quay\"")
	add.Flags().String("requirement", "", "for a waiver: the requirement that may fail")
	add.Flags().String("release", "",
		"for a waiver: the release (default: the target that has the requirement)")
	add.Flags().String("until", "", "last day, such as 2027-01-31")
	add.Flags().String("reason", "", "reason")
	add.Flags().Bool("ahead", false, "accept a filter that matches no machine yet")
	serviceFlags(add)
	end := &cobra.Command{
		Use:   "end NUMBER",
		Short: "End a decision before its date",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return wrongUsage("%q is not the number of a decision; rolltop decisions lists them", args[0])
			}
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			if err := c.EndDecision(contextOf(cmd), id); err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "Decision %d has ended.\n", id)
			return nil
		},
	}
	serviceFlags(end)
	cmd.AddCommand(add, end)
	return cmd
}

func listDecisions(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	all, _ := cmd.Flags().GetBool("all")
	l, err := c.Decisions(contextOf(cmd), all)
	if err != nil {
		return err
	}
	var rows [][]string
	for _, d := range l.Decisions {
		rows = append(rows, []string{
			strconv.FormatInt(d.ID, 10), say.DecisionKinds[d.Kind], strconv.Itoa(d.Machines), d.Scope, d.Says,
		})
	}
	switch form {
	case "json":
		return printJSON(cmd.OutOrStdout(), l)
	case "csv":
		return exportWork(cmd, c, "decisions")
	}
	p := newPaper(cmd.OutOrStdout())
	if len(rows) == 0 {
		p.line("No decisions. Add one with rolltop decisions add.")
		return nil
	}
	p.table([]string{"", "Kind", "Machines", "Filter", ""}, rows)
	return nil
}
