package cli

import (
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/manual"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/results"
	"rolltop.example/rolltop/core/say"
)

// earlier is the check of the inventory that --since names.
type earlier struct {
	results.Check
}

// earlierOf reads the inventory of --since, or gives nil where there is none. It
// is checked by the same release as the machine is now, with the same facts by
// hand, so that only the machine differs.
func earlierOf(
	c *place, file, form string, m *knowledge.Base, rels []*release.Release, list []subject, hand []manual.Fact,
) (*earlier, error) {
	if file == "" {
		return nil, nil
	}
	if len(rels) != 1 || len(list) != 1 || list[0].spec {
		return nil, wrongUsage("--since works with one machine and one release; give one --release, and at most " +
			"one --inventory")
	}
	if form != "text" && form != "json" {
		return nil, wrongUsage("--since prints text or json; --format %s works only without --since", form)
	}
	inv, err := subject{file: file}.read(c.cmd, rels)
	if err != nil {
		return nil, err
	}
	inv, _ = manual.Enter(inv, hand) // what does not go in is said of the machine as it is now
	d, err := checked(m, rels[0], inv)
	if err != nil {
		return nil, usage{err}
	}
	return &earlier{results.Check{Inventory: inv, Check: d}}, nil
}

// print says what the work has come to.
func (e *earlier) print(c *place, form string, inv *inventory.Document, d *assess.Document) error {
	got, err := results.Confirm(e.Check, results.Check{Inventory: inv, Check: d})
	if err != nil {
		return err
	}
	if form == "json" {
		return printJSON(c.out(), got)
	}
	p := c.paper()
	p.line("%s", headOf(d))
	p.line("")
	printAfter(p, got, say.Marks[d.Disposition])
	return nil
}

// printAfter prints what the work has come to, behind the head of the machine.
func printAfter(p *paper, got *results.Document, mark string) {
	p.text("", mark+" "+got.Says)
	for _, n := range got.Notes {
		p.text("  ! ", n)
	}
	p.styled("  ", fmt.Sprintf("%s, revision %d · inventories of %s and of %s", got.Release.Name, got.Release.Revision,
		say.Moment(got.Before.TakenAt), say.Moment(got.After.TakenAt)), dim)
	printSteps(p, got.Steps)
	printPrepared(p, got.Prepared)
	printChanges(p, got.Changes)
}

func printSteps(p *paper, steps []results.Step) {
	var quiet []string
	for _, s := range steps {
		if s.State == results.NotSeen {
			quiet = append(quiet, say.Lower(s.Title))
		}
	}
	if len(steps) > len(quiet) {
		p.line("")
		p.line("%s", p.style(bold, "The steps of the plan"))
	}
	for _, s := range steps {
		if s.State == results.NotSeen {
			continue
		}
		p.text(fmt.Sprintf("  %2d. ", s.Number), s.Title+": "+s.Word+". "+s.Says)
		for i, try := range s.Try {
			p.text("      ", fmt.Sprintf("%s %s", [...]string{"Check first:", "Then:"}[min(i, 1)], try))
		}
	}
	if quiet != nil {
		p.styled("  ", "No program can see whether these were done: "+strings.Join(quiet, "; ")+".", dim)
	}
}

func printPrepared(p *paper, items []results.Item) {
	for i, it := range items {
		if i == 0 {
			p.line("")
			p.line("%s", p.style(bold, "Before the upgrade"))
		}
		p.headed("  ", it.Title, ": "+it.Word+". "+it.Says)
	}
}

func printChanges(p *paper, changes []results.Change) {
	if len(changes) == 0 {
		return
	}
	p.line("")
	p.line("%s", p.style(bold, "Requirements that were open, or are open now"))
	for _, c := range changes {
		p.headed("  ", c.Title, fmt.Sprintf(": %s; had %s, has %s, needs %s", c.Word, c.Was, c.Is, c.Needs))
	}
}
