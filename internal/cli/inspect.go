package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/collect"
)

func inspectCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "inspect",
		Short: "Inventory this machine",
		Long:  help("inspect"),
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			form, err := format(cmd)
			if err != nil {
				return err
			}
			d, err := inspected(cmd)
			if err != nil {
				return err
			}
			if form == "json" {
				return printJSON(cmd.OutOrStdout(), d)
			}
			all, _ := cmd.Flags().GetBool("verbose")
			printInventory(newPaper(cmd.OutOrStdout()), d, all)
			return nil
		},
	}
	formatFlag(cmd, "text", "json")
	cmd.Flags().BoolP("verbose", "v", false, "print every fact with its source")
	cmd.Flags().String("inventory", "",
		"show the inventory or capture in this file instead of this machine (-: standard input)")
	cmd.Flags().String("software", "", "installed applications to read, separated by commas, or all (default: none)")
	cmd.Flags().String("root", "", "`directory` with the file tree of another Linux machine")
	return cmd
}

// inspected is this machine's inventory, or a file's.
func inspected(cmd *cobra.Command) (*inventory.Document, error) {
	root, _ := cmd.Flags().GetString("root")
	file, _ := cmd.Flags().GetString("inventory")
	software, _ := cmd.Flags().GetString("software")
	switch {
	case file != "" && root != "":
		return nil, wrongUsage("--inventory and --root exclude each other: one shows a file, the other reads a " +
			"directory tree")
	case file == "":
		return collect.Machine(collect.Options{Root: root, Software: software})
	}
	src, err := readFile(file)
	if err != nil {
		return nil, err
	}
	return decode.Read(file, src)
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
			p.text(fmt.Sprintf("  %-37s", r.Label), value)
		}
		p.line("")
	}
}
