package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/client"
)

func machinesCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "machines",
		Short: "Machines of the service: list, show, get, set, remove, export",
		Long:  help("machines"),
		Args:  cobra.NoArgs,
		RunE:  listMachines,
	}
	cmd.Flags().String("where", "", "filter")
	cmd.Flags().String("filter", "", "name of a saved filter; --where narrows it")
	cmd.Flags().StringSlice("facts", nil, "facts to add as columns")
	cmd.Flags().String("cursor", "", "cursor of the next page")
	cmd.Flags().String("sort", "name",
		"order: name, site, disposition, model, installed, fails, taken, a fact, or needs.ID; prefix with - for "+
			"descending order")
	numberFlag(cmd, "page", 1, 1, 10000000, "page number")
	numberFlag(cmd, "size", 200, 1, 1000, "machines per page (max 1000)")
	formatFlag(cmd, "text", "json", "ndjson", "csv")
	serviceFlags(cmd)
	show := &cobra.Command{
		Use:   "show KEY",
		Short: "Show a machine with its check",
		Args:  cobra.ExactArgs(1),
		RunE:  showMachine,
	}
	show.Flags().BoolP("verbose", "v", false, "print the whole plan, every finding with its evidence, and the "+
		"inventory")
	formatFlag(show, "text", "json")
	serviceFlags(show)
	inv := &cobra.Command{
		Use:   "get KEY",
		Short: "Print the inventory of a machine",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			b, err := c.Inventory(contextOf(cmd), args[0], 0)
			if err != nil {
				return err
			}
			_, err = cmd.OutOrStdout().Write(append(b, '\n'))
			return err
		},
	}
	serviceFlags(inv)
	enter := &cobra.Command{
		Use:   "set KEY FACT=VALUE",
		Short: "Enter a fact of a machine by hand",
		Args:  cobra.ExactArgs(2),
		RunE:  setFact,
		Long:  help("facts-set"),
	}
	enter.Flags().String("note", "", "where the value was read")
	numberFlag(enter, "days", 0, 1, 3650, "days until the fact expires; it expires with the board in any case")
	serviceFlags(enter)
	forget := &cobra.Command{
		Use:   "remove KEY FACT",
		Short: "Remove a fact that was entered by hand",
		Args:  cobra.ExactArgs(2),
		RunE:  removeFact,
	}
	serviceFlags(forget)
	facts := &cobra.Command{
		Use:   "facts",
		Short: "Facts of a machine that are entered by hand: set, remove",
		Args:  cobra.NoArgs,
		RunE:  func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	facts.AddCommand(enter, forget)
	cmd.AddCommand(show, inv, facts)
	remove := &cobra.Command{
		Use:   "remove KEY",
		Short: "Remove a machine with everything that is known of it",
		Args:  cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, err := clientOf(cmd)
			if err != nil {
				return err
			}
			d, err := c.Machine(contextOf(cmd), args[0])
			if err != nil {
				return err
			}
			if sure, _ := cmd.Flags().GetBool("yes"); !sure {
				return wrongUsage("%s has %s; give --yes to remove the machine and all its records", d.Name,
					say.Count(len(d.History), "inventory", "inventories"))
			}
			if err := c.RemoveMachine(contextOf(cmd), args[0]); err != nil {
				return err
			}
			fmt.Fprintf(cmd.OutOrStdout(), "%s removed.\n", d.Name)
			return nil
		},
	}
	remove.Flags().Bool("yes", false, "remove without asking")
	serviceFlags(remove)
	cmd.AddCommand(exportCommand(), remove)
	cmd.AddCommand(workCommands()...)
	cmd.AddCommand(machineCommands()...)
	return cmd
}

func listMachines(cmd *cobra.Command, _ []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	var ask client.List
	ask.Where, _ = cmd.Flags().GetString("where")
	ask.Sort, _ = cmd.Flags().GetString("sort")
	ask.Page, _ = cmd.Flags().GetInt("page")
	ask.Cursor, _ = cmd.Flags().GetString("cursor")
	ask.Size, _ = cmd.Flags().GetInt("size")
	ask.Facts, _ = cmd.Flags().GetStringSlice("facts")
	if err := savedFilter(cmd, c, &ask); err != nil {
		return err
	}
	if form != "text" {
		return listForPrograms(cmd, c, ask, form)
	}
	l, err := c.MachineList(contextOf(cmd), ask)
	if err != nil {
		return asUsage(err)
	}
	p := newPaper(cmd.OutOrStdout())
	rows := make([][]string, len(l.Machines))
	for i, d := range l.Machines {
		rows[i] = []string{
			d.Name, d.Site, spaced(d.Manufacturer, d.Model), d.Installed,
			say.Marks[d.Disposition] + " " + first(d.Disposition, "not checked"),
		}
		for _, f := range ask.Facts {
			rows[i] = append(rows[i], first(d.Facts[f], "?"))
		}
		if len(ask.Facts) == 0 {
			rows[i] = append(rows[i], say.Capital(d.Answer))
		}
	}
	if len(rows) > 0 {
		heads := append([]string{"Machine", "Site", "Model", "Runs", "Disposition"}, ask.Facts...)
		if len(ask.Facts) == 0 {
			heads = append(heads, "What it takes")
		}
		p.table(heads, rows)
		p.line("")
	}
	switch {
	case l.Total == 0:
		p.line("No machine matches.")
	case l.Total > len(rows):
		p.line("%d of %d machines; --page shows the others.", len(rows), l.Total)
		if l.Next != "" {
			p.line("Next page: --cursor %s", l.Next)
		}
	default:
		p.line("%s.", say.Capital(say.Count(l.Total, "machine", "machines")))
	}
	if l.Loading {
		p.line("The service has just started and does not apply decisions yet. Try again in a few seconds.")
	}
	return nil
}

// everyPage is how many machines are asked for at a time, where all are.
const everyPage = 1000

// listForPrograms prints machines for a program: all that the filter picks, or the page
// that was asked for, and then how many there are beside it.
func listForPrograms(cmd *cobra.Command, c *client.Client, ask client.List, form string) error {
	onePage := cmd.Flags().Changed("page") || cmd.Flags().Changed("size")
	if !onePage {
		ask.Size = everyPage
	}
	out := newMachineWriter(cmd.OutOrStdout(), form, ask.Facts)
	written := 0
	for {
		l, err := c.MachineList(contextOf(cmd), ask)
		if err != nil {
			return asUsage(err)
		}
		if err := out.write(&l); err != nil {
			return err
		}
		written += len(l.Machines)
		if !onePage && l.Next != "" && len(l.Machines) > 0 {
			ask.Cursor = l.Next
			continue
		}
		if onePage && written < l.Total {
			fmt.Fprintf(cmd.ErrOrStderr(), "%d of %d machines; omit --page and --size to print all", written,
				l.Total)
			if l.Next != "" {
				fmt.Fprintf(cmd.ErrOrStderr(), "; next page: --cursor %s", l.Next)
			}
			fmt.Fprintln(cmd.ErrOrStderr(), ".")
		}
		return out.end(&l)
	}
}

// deviceWriter prints machines, page after page.
type machineWriter struct {
	to    io.Writer
	form  string
	facts []string
	begun bool
	all   []api.MachineRow
}

func newMachineWriter(to io.Writer, form string, facts []string) *machineWriter {
	return &machineWriter{to: to, form: form, facts: facts, all: []api.MachineRow{}}
}

func (w *machineWriter) write(l *api.MachineList) error {
	switch w.form {
	case "ndjson":
		enc := json.NewEncoder(w.to)
		for i := range l.Machines {
			if err := enc.Encode(&l.Machines[i]); err != nil {
				return err
			}
		}
		return nil
	case "csv":
		rows := make([][]string, len(l.Machines))
		for i := range l.Machines {
			rows[i] = w.cells(&l.Machines[i])
		}
		heads := append([]string{
			"key", "name", "site", "class", "manufacturer", "model", "installed", "disposition", "certainty", "fails",
			"answer", "taken_at", "tags",
		}, w.facts...)
		if w.begun {
			heads = nil
		}
		w.begun = true
		return printCSV(w.to, heads, rows)
	}
	w.all = append(w.all, l.Machines...)
	return nil
}

func (w *machineWriter) cells(d *api.MachineRow) []string {
	out := []string{d.Key, d.Name, d.Site, d.Class, d.Manufacturer, d.Model, d.Installed, d.Disposition, d.Certainty,
		strconv.Itoa(d.Fails), d.Answer, d.TakenAt.Format(time.RFC3339), strings.Join(d.Tags, " ")}
	for _, f := range w.facts {
		out = append(out, d.Facts[f])
	}
	return out
}

// end prints what has to be whole: one JSON document of everything.
func (w *machineWriter) end(last *api.MachineList) error {
	if w.form != "json" {
		return nil
	}
	whole := *last
	whole.Machines = w.all
	if len(w.all) == whole.Total {
		whole.Page, whole.Size, whole.Next = 1, max(1, len(w.all)), ""
	}
	return printJSON(w.to, &whole)
}

// asUsage makes a refused filter or order wrong usage.
func asUsage(err error) error {
	var p *api.Problem
	if errors.As(err, &p) && p.Status == http.StatusUnprocessableEntity {
		return usage{err}
	}
	return err
}

func showMachine(cmd *cobra.Command, args []string) error {
	form, c, err := asked(cmd)
	if err != nil {
		return err
	}
	d, err := c.Machine(contextOf(cmd), args[0])
	if err != nil {
		return err
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), d)
	}
	p := newPaper(cmd.OutOrStdout())
	all, _ := cmd.Flags().GetBool("verbose")
	if d.Check == nil {
		p.line("%s · %s", d.Name, spaced(d.Manufacturer, d.Model))
		p.text("", d.NoCheck)
	} else {
		printCheck(p, d.Check, all)
	}
	if all && len(d.Changes) > 0 {
		p.line("")
		p.line("%s", p.style(bold, "Disposition over time"))
		for _, c := range d.Changes {
			p.text("  ", fmt.Sprintf("%s: %s → %s against %s, by %s", say.Moment(c.At), c.Was, c.Becomes, c.Release,
				map[string]string{
					"inventory": "a new inventory",
					"facts":     "facts entered by hand",
					"rules":     "other rules",
				}[c.Cause]))
		}
	}
	if all {
		p.line("")
		for _, g := range d.Facts {
			p.line("%s", p.style(bold, g.Group))
			for _, f := range g.Facts {
				value := f.Value
				if !f.Known {
					value = f.Why
				}
				p.text(fmt.Sprintf("  %-37s", f.Label), value)
			}
		}
	}
	return nil
}

func factAndValue(text string) (name, value string, err error) {
	name, value, ok := strings.Cut(text, "=")
	if !ok {
		return "", "", wrongUsage("%q has no value; write it as processor.built_in_tpm=true", text)
	}
	return name, value, nil
}

func setFact(cmd *cobra.Command, args []string) error {
	name, value, err := factAndValue(args[1])
	if err != nil {
		return err
	}
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	note, _ := cmd.Flags().GetString("note")
	days, _ := cmd.Flags().GetInt("days")
	d, err := c.SetFact(contextOf(cmd), args[0], name, api.SetFact{Value: value, Note: note, Days: days})
	if err != nil {
		return asUsage(err)
	}
	printNow(cmd, &d)
	return nil
}

func removeFact(cmd *cobra.Command, args []string) error {
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	d, err := c.RemoveFact(contextOf(cmd), args[0], args[1])
	if err != nil {
		return err
	}
	printNow(cmd, &d)
	return nil
}

// printNow says what a machine takes after a change.
func printNow(cmd *cobra.Command, d *api.Machine) {
	p := newPaper(cmd.OutOrStdout())
	p.text("", fmt.Sprintf("%s: %s. %s", d.Name, say.Capital(first(d.Disposition, "not checked")),
		say.Capital(first(d.Answer, d.NoCheck))))
	for _, h := range d.Hand {
		s := fmt.Sprintf("%s = %s, %s", h.Fact.Fact, h.Value, h.Source())
		if h.Problem != "" {
			s += "; it does not fit the latest inventory: " + h.Problem
		}
		p.text("  ", s)
	}
}
