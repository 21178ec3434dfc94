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

func waiversCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "waivers",
		Short: "What is decided about machines until a date: waivers, stays, holds, machines to leave alone",
		Args:  cobra.NoArgs,
		RunE:  listDecisions,
		Long:  help("waivers"),
	}
	cmd.Flags().Bool("all", false, "those that ended long ago, too")
	formatFlag(cmd, "text", "json", "csv")
	serviceFlags(cmd)
	add := &cobra.Command{
		Use:       "add KIND",
		Short:     "Decide something about machines: " + strings.Join(decision.Kinds(), ", "),
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
	add.Flags().String("where", "", "filter of the machines: key=gull-014, place=\"Gull Quay\"")
	add.Flags().String("requirement", "", "of a waiver: the requirement that may fail")
	add.Flags().String("release", "",
		"of a waiver: the release; the target that has the requirement where it is not given")
	add.Flags().String("until", "", "the last day: 2027-01-31")
	add.Flags().String("reason", "", "why")
	add.Flags().Bool("ahead", false, "it may be for machines that are still to come")
	serviceFlags(add)
	end := &cobra.Command{
		Use:   "end NUMBER",
		Short: "End a decision before its date",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseInt(args[0], 10, 64)
			if err != nil {
				return wrongUsage("%q is no number of a decision; rolltop waivers lists them", args[0])
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
		p.line("Nothing is decided. rolltop waivers add decides.")
		return nil
	}
	p.table([]string{"", "Kind", "Machines", "Filter", ""}, rows)
	return nil
}
