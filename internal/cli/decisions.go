package cli

import (
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/decision"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

// decisionsOptions are those of the list of decisions.
type decisionsOptions struct {
	All bool `option:"all" usage:"include decisions that ended long ago"`
	listed
}

// decisionOptions are what is decided.
type decisionOptions struct {
	Where       string `option:"where" usage:"filter of the machines, such as key=gull-014 or site=\"Gull Quay\"" complete:"filter"`
	Requirement string `option:"requirement" usage:"for a waiver: the requirement that may fail" complete:"requirement"`
	Release     string `option:"release" usage:"for a waiver: the release (default: the target that has the requirement)" complete:"release"`
	Until       string `option:"until" usage:"last day, such as 2027-01-31"`
	Reason      string `option:"reason" usage:"reason"`
	Ahead       bool   `option:"ahead" usage:"accept a filter that matches no machine yet"`
	DryRun      bool   `option:"dry-run" usage:"show for which machines it would be, and decide nothing"`
	serviceOptions
}

func decisionsCommand() *cobra.Command {
	return noun(
		"decisions",
		"Decisions about machines until a date: waivers, stays, holds, postponements",
		"decisions",
		listDecisions,
		command("add KIND", "Add a decision about machines: "+strings.Join(decision.Kinds(), ", "), addDecision),
		command("set DECISION", "Move the last day of a decision", setDecision),
		command("end DECISION", "End a decision before its date", endDecision),
	)
}

func listDecisions(c *call[decisionsOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	if form == "csv" {
		return exported(c.place, s, "decisions", "", "", form)
	}
	l, err := s.Decisions(c.ctx(), c.o.All)
	if err != nil {
		return err
	}
	table := listing[api.Decision]{format: "rolltop-decisions/1",
		none: "No decisions. Add one with rolltop decisions add.",
		columns: []column[api.Decision]{
			{head: "Id", value: func(d *api.Decision) string { return strconv.FormatInt(d.ID, 10) }},
			{head: "Kind", value: func(d *api.Decision) string { return say.DecisionKinds[d.Kind] }},
			{head: "Machines", value: func(d *api.Decision) string { return strconv.Itoa(d.Machines) }},
			{head: "Filter", value: func(d *api.Decision) string { return d.Scope }},
			{head: "Decision", value: func(d *api.Decision) string { return d.Says }},
		}}
	return table.print(c.place, form, l, l.Decisions)
}

func addDecision(c *call[decisionOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	o := c.o
	d, err := s.Decide(c.ctx(), api.MakeDecision{
		Kind: c.args[0], Scope: o.Where, Release: o.Release, Requirement: o.Requirement, Reason: o.Reason,
		Until: o.Until,
		Ahead: o.Ahead, DryRun: o.DryRun,
	})
	if err != nil {
		return asUsage(err)
	}
	if d.DryRun {
		c.done("It would be for %s: %s. Nothing was decided.", say.Count(d.Machines, "machine", "machines"),
			namesText(d.Some, d.Machines))
		return nil
	}
	c.done("Decision %d, for %s. %s", d.ID, say.Count(d.Machines, "machine", "machines"), d.Says)
	return nil
}

func endDecision(c *call[serviceOptions]) error {
	id, err := c.id(0, "the number of a decision", "rolltop decisions")
	if err != nil {
		return err
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	if err := s.EndDecision(c.ctx(), id); err != nil {
		return err
	}
	c.done("Decision %d has ended.", id)
	return nil
}
