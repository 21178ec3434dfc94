package cli

import (
	"fmt"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func duplicatesCommand() *cobra.Command {
	return noun("duplicates", "Possible duplicates: list, resolve", "", listDuplicates,
		command(
			"resolve DUPLICATE same|apart",
			"Resolve a possible duplicate: same machine, or apart",
			resolveDuplicate,
		),
	)
}

func listDuplicates(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Duplicates(c.ctx())
	if err != nil {
		return err
	}
	if form == "text" {
		p := c.paper()
		for _, d := range l.Duplicates {
			says := d.Says
			if !d.TakenAt.IsZero() {
				says = "its inventory of " + say.Moment(d.TakenAt) + ". " + says
			}
			p.text(fmt.Sprintf("%4d  ", d.ID), fmt.Sprintf("%s (%s): %s", d.Name, d.Key, says))
		}
		if len(l.Duplicates) == 0 {
			p.line("No duplicates to resolve.")
		} else {
			p.line("\nResolve one with: rolltop duplicates resolve DUPLICATE same|apart")
		}
		return nil
	}
	table := listing[api.Duplicate]{format: "rolltop-duplicates/1", columns: []column[api.Duplicate]{
		{name: "id", value: func(d *api.Duplicate) string { return strconv.FormatInt(d.ID, 10) }},
		{name: "kind", value: func(d *api.Duplicate) string { return d.Kind }},
		{name: "key", value: func(d *api.Duplicate) string { return d.Key }},
		{name: "name", value: func(d *api.Duplicate) string { return d.Name }},
		{name: "other", value: func(d *api.Duplicate) string { return d.Other }},
		{name: "at", value: func(d *api.Duplicate) string { return d.At.UTC().Format(time.RFC3339) }},
		{name: "says", value: func(d *api.Duplicate) string { return d.Says }},
	}}
	return table.print(c.place, form, l, l.Duplicates)
}

func resolveDuplicate(c *call[serviceOptions]) error {
	id, err := c.id(0, "the number of a duplicate", "rolltop duplicates")
	if err != nil {
		return err
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	if err := s.ResolveDuplicate(c.ctx(), id, c.args[1]); err != nil {
		return asUsage(err)
	}
	c.done("Duplicate %d is resolved: %s.", id, c.args[1])
	return nil
}
