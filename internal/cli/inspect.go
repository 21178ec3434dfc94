package cli

import (
	"fmt"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/collect"
)

// inspectOptions are what is inspected.
type inspectOptions struct {
	Verbose   bool   `option:"verbose,v" usage:"print every fact with its source"`
	Inventory string `option:"inventory" usage:"show the inventory or capture in this file instead of this machine (-: standard input)" complete:"file"`
	Software  string `option:"software" usage:"installed applications to read, separated by commas, or all (default: none)"`
	Root      string `option:"root" usage:"directory with the file tree of another Linux machine" complete:"directory" value:"directory"`
	Format    string `option:"format" forms:"text,json"`
	output
}

func inspectCommand() *cobra.Command {
	return with(command("inspect", "Inventory this machine", inspect), "inspect")
}

func inspect(c *call[inspectOptions]) error {
	form, err := format(c.cmd)
	if err != nil {
		return err
	}
	d, err := inspected(c)
	if err != nil {
		return err
	}
	if form == "json" {
		return printJSON(c.out(), d)
	}
	printInventory(c.paper(), d, c.o.Verbose)
	return nil
}

// inspected is this machine's inventory, or a file's.
func inspected(c *call[inspectOptions]) (*inventory.Document, error) {
	o := c.o
	switch {
	case o.Inventory != "" && o.Root != "":
		return nil, wrongUsage("--inventory and --root exclude each other: one shows a file, the other reads a " +
			"directory tree")
	case o.Inventory == "":
		return collect.Machine(collect.Options{Root: o.Root, Software: o.Software})
	}
	src, err := readFile(c.cmd, o.Inventory)
	if err != nil {
		return nil, err
	}
	return decode.Read(o.Inventory, src)
}

const labelWidth = 14

func printInventory(p *paper, d *inventory.Document, all bool) {
	p.line("%s", p.style(bold, d.Device.Name.Or("This machine")))
	rights := "with administrator rights"
	if !d.Collector.Elevated.Or(false) {
		rights = "without administrator rights"
	}
	p.line("%s", p.style(dim, "inventory of "+say.Moment(d.TakenAt)+", "+rights))
	p.line("")
	if all {
		printFacts(p, d)
		return
	}
	lines := say.Overview(d)
	for _, l := range lines {
		value := l.Value
		if value == "" {
			value = "unknown"
		}
		p.text(fmt.Sprintf("%-*s", labelWidth, l.Label), value)
	}
	printMissing(p, lines)
}

// printMissing groups what is not known by its reason, so that one cause is
// said once.
func printMissing(p *paper, lines []say.Line) {
	type reason struct{ why, try string }
	var order []reason
	facts := map[reason][]string{}
	for _, l := range lines {
		for _, m := range l.Unknown {
			r := reason{m.Why, ""}
			if facts[r] == nil {
				order = append(order, r)
			}
			facts[r] = append(facts[r], m.Label)
		}
	}
	if len(order) == 0 {
		return
	}
	p.line("")
	p.line("%s", p.style(bold, "Unknown"))
	for _, r := range order {
		p.text("  ", say.Capital(say.And(facts[r]))+":")
		p.styled("    ", r.why, dim)
	}
}

func printFacts(p *paper, d *inventory.Document) {
	const widthOfLabels = 37
	for _, g := range say.Facts(d) {
		p.line("%s", p.style(bold, g.Name))
		for _, r := range g.Rows {
			value := r.Value
			if r.Source != "" {
				value += p.style(dim, "  ["+r.Source+"]")
			}
			if !r.Known {
				value = r.Why
			}
			label := r.Label
			if utf8.RuneCountInString(label) >= widthOfLabels {
				p.line("  %s", label)
				label = ""
			}
			p.text(fmt.Sprintf("  %-*s", widthOfLabels, label), value)
		}
		p.line("")
	}
}
