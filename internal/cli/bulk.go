package cli

import (
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

// trial is the option of a command that changes many machines.
type trial struct {
	DryRun bool `option:"dry-run" usage:"show which machines would be changed, and change nothing"`
}

// printMany says what a change of many machines came to: which machines, and how it is undone.
func printMany(c *place, m *api.ManyChanged) {
	c.done("%s", m.Says)
	if len(m.Machines) > 1 || m.DryRun {
		c.done("%s", namesText(m.Machines, m.Changed))
	}
	if m.Change > 0 {
		c.done("To undo this: rolltop audit undo %d", m.Change)
	}
}

// namesText are the names of some machines of all that there are.
func namesText(machines []api.MachineRef, of int) string {
	var names []string
	for _, m := range machines {
		names = append(names, m.Name)
	}
	if more := of - len(names); more > 0 {
		names = append(names, fmt.Sprintf("and %d more", more))
	}
	return strings.Join(names, ", ")
}

// undoOptions are those of a change that is undone.
type undoOptions struct {
	trial
	serviceOptions
}

func undoChange(c *call[undoOptions]) error {
	id, err := c.id(0, "the number of a change", "rolltop audit")
	if err != nil {
		return err
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	got, err := s.Undo(c.ctx(), id, c.o.DryRun)
	if err != nil {
		return asUsage(err)
	}
	c.done("%s", got.Says)
	if len(got.KeptMachines) > 0 {
		c.done("Not undone: %s", namesText(got.KeptMachines, got.Kept))
	}
	return nil
}

// tickManyOptions are those of an item that is recorded on many machines.
type tickManyOptions struct {
	where
	Refuse string `option:"refuse" usage:"refuse the item, with this reason"`
	Note   string `option:"note" usage:"note"`
	trial
	serviceOptions
}

func tickMany(c *call[tickManyOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	t := api.TickMany{Where: c.o.Where, Keys: c.args[1:], Item: c.args[0], State: "done", Note: c.o.Note,
		DryRun: c.o.DryRun}
	if c.o.Refuse != "" {
		t.State, t.Note = "refused", c.o.Refuse
	}
	got, err := s.TickMany(c.ctx(), t)
	if err != nil {
		return asUsage(err)
	}
	printMany(c.place, &got)
	return nil
}

func techniciansCommand() *cobra.Command {
	return noun(
		"technicians",
		"Technicians: who visits machines, and their booked days",
		"technicians",
		listTechnicians,
		command("set NAME", "Add or change a technician", setTechnician),
		command("remove NAME", "Remove a technician; what is assigned to them stays", removeTechnician),
	)
}

func listTechnicians(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Technicians(c.ctx())
	if err != nil {
		return err
	}
	table := listing[api.Technician]{format: "rolltop-technicians/1",
		none: "No technicians: work can be assigned to any name.",
		columns: []column[api.Technician]{
			{name: "name", head: "Technician", value: func(t *api.Technician) string { return t.Name }},
			{
				name:  "minutes",
				head:  "Minutes a day",
				value: func(t *api.Technician) string { return strconv.Itoa(t.Minutes) },
			},
			{name: "left_on", head: "Left on", value: func(t *api.Technician) string { return t.LeftOn }},
			{name: "booked", head: "Booked", value: func(t *api.Technician) string {
				var out []string
				for _, b := range t.Booked {
					out = append(out, fmt.Sprintf("%s: %d", b.Day, b.Minutes))
				}
				return strings.Join(out, ", ")
			}},
		}}
	return table.print(c.place, form, l, l.Technicians)
}

// technicianOptions are those of a technician.
type technicianOptions struct {
	Minutes int    `option:"minutes" default:"0" least:"0" most:"1440" usage:"minutes for visits on a day (0: the working hours)"`
	LeftOn  string `option:"left-on" usage:"day on which they left, such as 2026-12-31"`
	serviceOptions
}

func setTechnician(c *call[technicianOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	t := api.SetTechnician{Minutes: c.o.Minutes, LeftOn: c.o.LeftOn}
	if _, err := s.SetTechnician(c.ctx(), c.args[0], t); err != nil {
		return asUsage(err)
	}
	c.done("%s can be assigned visits.", c.args[0])
	return nil
}

func removeTechnician(c *call[removeOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	if err := c.sure(c.o.Yes, "Remove the technician %s?", c.args[0]); err != nil {
		return err
	}
	if err := s.RemoveTechnician(c.ctx(), c.args[0]); err != nil {
		return err
	}
	c.done("%s is removed.", c.args[0])
	return nil
}

func addNote(c *call[serviceOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	text := strings.Join(c.args[1:], " ")
	if _, err := s.AddNote(c.ctx(), c.args[0], text); err != nil {
		return asUsage(err)
	}
	c.done("The note is on %s.", c.args[0])
	return nil
}

func removeNote(c *call[removeOptions]) error {
	id, err := c.id(1, "the number of a note", "rolltop machines show")
	if err != nil {
		return err
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	if err := c.sure(c.o.Yes, "Remove note %d of %s?", id, c.args[0]); err != nil {
		return err
	}
	if err := s.RemoveNote(c.ctx(), c.args[0], id); err != nil {
		return err
	}
	c.done("Note %d is removed.", id)
	return nil
}

// printStanding prints what was decided about a machine and what is under way, then its notes.
func printStanding(p *paper, d *api.Machine) {
	for i := range d.Standing {
		p.text("  ", d.Standing[i].Says)
	}
	for i := range d.Notes {
		if n := &d.Notes[i]; i > 0 { // the latest is among the rest
			p.styled("  ", fmt.Sprintf("Earlier note %d, %s: %s", n.ID, say.Day(n.At), n.Text), dim)
		}
	}
	if len(d.Standing) > 0 {
		p.line("")
	}
}

// calendarOptions are those of the visits as a calendar file.
type calendarOptions struct {
	where
	output
	serviceOptions
}

func writeCalendar(c *call[calendarOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	b, err := s.Calendar(c.ctx(), c.o.Where)
	if err != nil {
		return asUsage(err)
	}
	_, err = c.out().Write(b)
	return err
}

// changeDecisionOptions are those of a decision that gets another last day.
type changeDecisionOptions struct {
	Until string `option:"until" usage:"last day, such as 2027-01-31"`
	serviceOptions
}

func setDecision(c *call[changeDecisionOptions]) error {
	id, err := c.id(0, "the number of a decision", "rolltop decisions")
	if err != nil {
		return err
	}
	if c.o.Until == "" {
		return wrongUsage("the last day is missing; give --until 2027-01-31")
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	d, err := s.SetDecision(c.ctx(), id, api.ChangeDecision{Until: c.o.Until})
	if err != nil {
		return asUsage(err)
	}
	c.done("Decision %d. %s", d.ID, d.Says)
	return nil
}
