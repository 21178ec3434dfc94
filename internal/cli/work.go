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
	return []*cobra.Command{
		with(command("tick MACHINE prepare/ITEM|step/STEP|leave/ITEM|after/ITEM",
			"Record that an item of preparation or a step is done, or that it is refused", tickItem), "tick"),
		with(command("visit-link MACHINE", "Create a link to the page of the visit, for a phone", visitLink),
			"visit-link"),
		command("results MACHINE", "Show the results of the work since an earlier inventory", showResults),
	}
}

// tickOptions are what is recorded of an item.
type tickOptions struct {
	Refuse bool   `option:"refuse" usage:"record a refusal, with the reason in --note"`
	Remove bool   `option:"remove" usage:"remove what was recorded"`
	Note   string `option:"note" usage:"what was done, or why not"`
	sure
	serviceOptions
}

func tickItem(c *call[tickOptions]) error {
	machine, said := c.args[0], c.args[1]
	kind, item, ok := strings.Cut(said, "/")
	if !ok || !slices.Contains([]string{"prepare", "step", "leave", "after"}, kind) {
		return wrongUsage("%q is not an item; write prepare/backup for an item of preparation, step/tpm-on for a "+
			"step, leave/disk-wiped for a machine that leaves, after/files-there for its user after the upgrade", said)
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	if c.o.Refuse && c.o.Remove {
		return wrongUsage("--refuse and --remove exclude each other")
	}
	var d api.Machine
	if c.o.Remove {
		if err := c.place.sure(c.o.Yes, "Remove what was recorded for %s of %s?", said, machine); err != nil {
			return err
		}
		d, err = s.RemoveTick(c.ctx(), machine, kind, item)
	} else {
		tick := api.SayTick{State: "done", Note: c.o.Note}
		if c.o.Refuse {
			tick.State = "refused"
		}
		d, err = s.SetTick(c.ctx(), machine, kind, item, tick)
	}
	if err != nil {
		return err
	}
	ticked := d.Check.Ticked(said)
	for _, l := range d.Leaving {
		if said == assess.TickLeaving+l.ID {
			ticked = l.Ticked
		}
	}
	for _, q := range d.After {
		if said == assess.TickAfter+q.ID {
			ticked = q.Ticked
		}
	}
	if ticked != nil {
		c.done("%s, %s: %s", d.Name, said, ticked.Says())
		return nil
	}
	c.done("%s, %s: no longer recorded.", d.Name, said)
	return nil
}

// visitLinkOptions are those of a link to a visit.
type visitLinkOptions struct {
	Hours  int  `option:"hours" default:"0" least:"1" most:"168" usage:"hours until the link expires (default 10, max 168)"`
	Remove bool `option:"remove" usage:"remove all links to the visit of this machine"`
	sure
	serviceOptions
}

func visitLink(c *call[visitLinkOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	if c.o.Remove {
		if err := c.place.sure(c.o.Yes, "Remove all links to the visit of %s?", c.args[0]); err != nil {
			return err
		}
		if err := s.EndVisitLinks(c.ctx(), c.args[0]); err != nil {
			return err
		}
		c.done("All links to this visit are removed.")
		return nil
	}
	l, err := s.VisitLink(c.ctx(), c.args[0], c.o.Hours)
	if err != nil {
		return err
	}
	fmt.Fprintln(c.cmd.OutOrStdout(), l.Address)
	c.note("Anyone with the link can open it until %s.", say.Moment(l.Expires))
	return nil
}

// resultsOptions are those of the results of work.
type resultsOptions struct {
	Inventory int64 `option:"inventory" usage:"number of the earlier inventory in the history (default: the inventory before the latest)"`
	shown
}

func showResults(c *call[resultsOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	d, err := s.Machine(c.ctx(), c.args[0])
	if err != nil {
		return err
	}
	id := c.o.Inventory
	if id == 0 {
		if len(d.History) < 2 {
			return fmt.Errorf("%s has only one inventory; submit another one after the work", d.Name)
		}
		id = d.History[1].ID
	}
	got, err := s.Results(c.ctx(), d.Key, id)
	if err != nil {
		return err
	}
	if form == "json" {
		return printJSON(c.out(), got)
	}
	p := c.paper()
	if d.Check != nil {
		p.line("%s", headOf(d.Check))
		p.line("")
	}
	printAfter(p, &got, say.Marks[d.Disposition])
	return nil
}
