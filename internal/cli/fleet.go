package cli

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/collect"
)

func submitCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "submit [--inventory FILE…]",
		Short: "Send this machine's inventory, or inventory files, to the service",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			form, err := format(cmd)
			if err != nil {
				return err
			}
			c, err := service(cmd)
			if err != nil {
				return err
			}
			files, _ := cmd.Flags().GetStringArray("inventory")
			var all []api.Submitted
			failed := false
			for _, file := range machines(files) {
				body, err := inventoryBytes(file)
				var got api.Submitted
				if err == nil {
					got, err = c.Submit(contextOf(cmd), body)
				}
				if err != nil {
					failed = true
					fmt.Fprintf(cmd.ErrOrStderr(), "rolltop: %s%v\n", named(file), err)
					continue
				}
				all = append(all, got)
			}
			if form == "json" {
				err = printJSON(cmd.OutOrStdout(), all)
			} else {
				p := newPaper(cmd.OutOrStdout())
				for i := range all {
					printSubmitted(p, &all[i])
				}
			}
			if err == nil && failed {
				return status(ExitFailed)
			}
			return err
		},
	}
	cmd.Flags().StringArray("inventory", nil, "inventory file to send in place of this machine's; may be given several times")
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	return cmd
}

func named(file string) string {
	if file == "" {
		return ""
	}
	return file + ": "
}

// inventoryBytes is the checked document of a file, or this machine's. A file
// is read here already, so that its mistakes are said with their places.
func inventoryBytes(file string) ([]byte, error) {
	if file == "" {
		d, err := collect.Machine(collect.Options{})
		if err != nil {
			return nil, err
		}
		return json.Marshal(d)
	}
	src, err := readFile(file)
	if err != nil {
		return nil, err
	}
	d, err := inventory.Read(file, src)
	if err != nil {
		return nil, err
	}
	return json.Marshal(d)
}

func printSubmitted(p *paper, s *api.Submitted) {
	what := "the same readings as before"
	switch {
	case s.Created:
		what = "a new machine"
	case !s.Latest:
		what = "kept as history; a later inventory is there"
	case s.Changed:
		what = "new readings of a known machine"
	}
	p.line("%s: kept, %s.", s.Name, what)
	if s.Release != nil {
		p.text("  ", fmt.Sprintf("%s %s against %s: %s", marks[s.Disposition], say.Capital(s.Disposition), s.Release.Name, s.Answer))
	} else if s.Latest {
		p.text("  ", "Not checked: no target release is chosen for its class of hardware.")
	}
}

func devicesCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "devices",
		Short: "List the machines that the service knows, or show one",
		Long: "Lists the machines that the service knows. --where takes a filter: terms parted\nby blanks, every one of which must hold; a term is key=value[,value] or a word.\n\n" +
			"  rolltop devices --where 'disposition=refit,replace place=\"Gull Quay\"'\n  rolltop devices --where fails=tpm --sort place\n  rolltop devices show gull-014",
		Args: cobra.NoArgs,
		RunE: listDevices,
	}
	cmd.Flags().String("where", "", "filter")
	cmd.Flags().String("sort", "name", "order: name, place, disposition, model, installed, fails or taken; a leading minus turns it round")
	cmd.Flags().Int("page", 1, "page of the list")
	cmd.Flags().Int("size", 200, "machines a page, 1000 at most")
	formatFlag(cmd, "text", "json", "csv")
	serviceFlags(cmd)
	show := &cobra.Command{Use: "show KEY", Short: "Show one machine with its check", Args: cobra.ExactArgs(1), RunE: showDevice}
	show.Flags().Bool("all", false, "print the whole plan, every finding with its evidence, and the inventory")
	formatFlag(show, "text", "json")
	serviceFlags(show)
	inv := &cobra.Command{Use: "inventory KEY", Short: "Print the inventory document of one machine", Args: cobra.ExactArgs(1), RunE: func(cmd *cobra.Command, args []string) error {
		c, err := service(cmd)
		if err != nil {
			return err
		}
		b, err := c.Inventory(contextOf(cmd), args[0], 0)
		if err != nil {
			return err
		}
		_, err = cmd.OutOrStdout().Write(append(b, '\n'))
		return err
	}}
	serviceFlags(inv)
	cmd.AddCommand(show, inv)
	return cmd
}

func listDevices(cmd *cobra.Command, _ []string) error {
	form, err := format(cmd)
	if err != nil {
		return err
	}
	c, err := service(cmd)
	if err != nil {
		return err
	}
	where, _ := cmd.Flags().GetString("where")
	sort, _ := cmd.Flags().GetString("sort")
	page, _ := cmd.Flags().GetInt("page")
	size, _ := cmd.Flags().GetInt("size")
	l, err := c.Devices(contextOf(cmd), where, sort, page, size)
	if err != nil {
		return asUsage(err)
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), l)
	}
	if form == "csv" {
		rows := make([][]string, len(l.Devices))
		for i, d := range l.Devices {
			rows[i] = []string{d.Key, d.Name, d.Place, d.Class, d.Manufacturer, d.Model, d.Installed, d.Disposition, d.Certainty, strconv.Itoa(d.Fails), d.Answer, d.TakenAt.Format(time.RFC3339)}
		}
		return printCSV(cmd.OutOrStdout(), []string{"key", "name", "place", "class", "manufacturer", "model", "installed", "disposition", "certainty", "fails", "answer", "taken_at"}, rows)
	}
	p := newPaper(cmd.OutOrStdout())
	rows := make([][]string, len(l.Devices))
	for i, d := range l.Devices {
		rows[i] = []string{d.Name, d.Place, spaced(d.Manufacturer, d.Model), d.Installed, marks[d.Disposition] + " " + first(d.Disposition, "not checked"), say.Capital(d.Answer)}
	}
	if len(rows) > 0 {
		p.table([]string{"Machine", "Place", "Model", "Runs", "Disposition", "What it takes"}, rows)
		p.line("")
	}
	switch {
	case l.Total == 0:
		p.line("No machine matches.")
	case l.Total > len(rows):
		p.line("%d of %d machines; --page shows the others.", len(rows), l.Total)
	default:
		p.line("%s.", say.Capital(say.Count(l.Total, "machine", "machines")))
	}
	return nil
}

// asUsage makes a refused filter or order wrong usage.
func asUsage(err error) error {
	var p *api.Problem
	if errors.As(err, &p) && p.Status == http.StatusUnprocessableEntity {
		return usage{err}
	}
	return err
}

func showDevice(cmd *cobra.Command, args []string) error {
	form, err := format(cmd)
	if err != nil {
		return err
	}
	c, err := service(cmd)
	if err != nil {
		return err
	}
	d, err := c.Device(contextOf(cmd), args[0])
	if err != nil {
		return err
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), d)
	}
	p := newPaper(cmd.OutOrStdout())
	all, _ := cmd.Flags().GetBool("all")
	if d.Check == nil {
		p.line("%s · %s", d.Name, spaced(d.Manufacturer, d.Model))
		p.text("", d.NoCheck)
	} else {
		printCheck(p, d.Check, all)
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
				p.text(fmt.Sprintf("  %-34s", f.Label), value)
			}
		}
	}
	return nil
}

func releasesCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "releases", Short: "Release documents: list, show, validate, add, choose targets", Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error { return listReleases(cmd) }}
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	validate := &cobra.Command{Use: "validate FILE…", Short: "Read release documents and say every mistake", Args: cobra.MinimumNArgs(1), RunE: validateReleases}
	show := &cobra.Command{Use: "show FILE|ID", Short: "Show a release as sentences", Args: cobra.ExactArgs(1), RunE: showRelease}
	serviceFlags(show)
	add := &cobra.Command{Use: "add FILE", Short: "Add a release document, or a revision of one, to the service", Args: cobra.ExactArgs(1), RunE: addRelease}
	serviceFlags(add)
	target := &cobra.Command{Use: "target", Short: "Choose the target release of PCs and of Macs; the fleet is judged again", Args: cobra.NoArgs, RunE: setTargets}
	target.Flags().String("pc", "", "id of the target release of PCs")
	target.Flags().String("mac", "", "id of the target release of Macs")
	serviceFlags(target)
	cmd.AddCommand(validate, show, add, target)
	return cmd
}

func listReleases(cmd *cobra.Command) error {
	form, err := format(cmd)
	if err != nil {
		return err
	}
	c, err := service(cmd)
	if err != nil {
		return err
	}
	l, err := c.Releases(contextOf(cmd))
	if err != nil {
		return err
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), l)
	}
	p := newPaper(cmd.OutOrStdout())
	rows := make([][]string, len(l.Releases))
	for i, r := range l.Releases {
		use := ""
		switch {
		case r.Draft:
			use = "draft"
		case r.Target:
			use = "target"
		}
		rows[i] = []string{r.ID, r.Name, map[string]string{"pc": "PCs", "mac": "Macs"}[r.Class], strconv.Itoa(r.Revision), r.AddedAt.Format(time.DateOnly), use}
	}
	if len(rows) == 0 {
		p.line("No release document has been added; rolltop releases add FILE does.")
		return nil
	}
	p.table([]string{"Id", "Name", "For", "Revision", "Added", "Use"}, rows)
	return nil
}

func validateReleases(cmd *cobra.Command, args []string) error {
	failed := false
	for _, file := range args {
		src, err := readFile(file)
		if err == nil {
			var rel *release.Release
			if rel, err = release.Read(file, src); err == nil {
				fmt.Fprintf(cmd.OutOrStdout(), "%s: no mistakes; %s, revision %d, %s\n", file, rel.Name, rel.Revision, say.Count(len(rel.Requirements), "requirement", "requirements"))
				continue
			}
		}
		failed = true
		fmt.Fprintln(cmd.ErrOrStderr(), err)
	}
	if failed {
		return status(ExitFailed)
	}
	return nil
}

func showRelease(cmd *cobra.Command, args []string) error {
	cmd.Flags().String("release", args[0], "")
	rel, err := findRelease(cmd)
	if err != nil {
		return err
	}
	p := newPaper(cmd.OutOrStdout())
	p.line("%s", p.style(bold, rel.Name))
	p.styled("", fmt.Sprintf("revision %d of %s, from %s", rel.Revision, say.Day(rel.Published), rel.Source), dim)
	level := ""
	for i := range rel.Requirements {
		q := &rel.Requirements[i]
		if q.Level != level {
			level = q.Level
			p.line("")
			p.line("%s", p.style(bold, map[string]string{"must": "Required", "should": "Advised", "feature": "For optional features"}[level]))
		}
		head := q.Title
		if q.AskedBy == release.House {
			head += " (house standard)"
		}
		p.line("  %s", head)
		p.text("    ", say.Requirement(q))
		p.styled("    ", q.Reason, dim)
	}
	return nil
}

func addRelease(cmd *cobra.Command, args []string) error {
	c, err := service(cmd)
	if err != nil {
		return err
	}
	src, err := readFile(args[0])
	if err != nil {
		return err
	}
	if _, err := release.Read(args[0], src); err != nil {
		return err
	}
	got, err := c.AddRelease(contextOf(cmd), bytes.TrimPrefix(src, []byte("\xef\xbb\xbf")))
	if err != nil {
		return err
	}
	what := "added"
	if !got.Added {
		what = "there already, unchanged"
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%s, revision %d: %s.\n", got.Name, got.Revision, what)
	return nil
}

func setTargets(cmd *cobra.Command, _ []string) error {
	pc, _ := cmd.Flags().GetString("pc")
	mac, _ := cmd.Flags().GetString("mac")
	if pc == "" && mac == "" {
		return wrongUsage("no target is named; give --pc ID, --mac ID, or both")
	}
	c, err := service(cmd)
	if err != nil {
		return err
	}
	got, err := c.SetTargets(contextOf(cmd), api.TargetSet{PC: pc, Mac: mac})
	if err != nil {
		return err
	}
	fmt.Fprintf(cmd.OutOrStdout(), "PCs are checked against %s, Macs against %s.\n", first(got.PC, "nothing yet"), first(got.Mac, "nothing yet"))
	return nil
}

func tokensCommand() *cobra.Command {
	cmd := &cobra.Command{Use: "tokens", Short: "Tokens that let programs in: list, add, end", Args: cobra.NoArgs, RunE: func(cmd *cobra.Command, _ []string) error {
		c, err := service(cmd)
		if err != nil {
			return err
		}
		l, err := c.Tokens(contextOf(cmd))
		if err != nil {
			return err
		}
		rows := make([][]string, len(l.Tokens))
		for i, t := range l.Tokens {
			used := "never used"
			if t.UsedAt != nil {
				used = "used " + say.Moment(*t.UsedAt)
			}
			rows[i] = []string{strconv.FormatInt(t.ID, 10), t.Name, t.Scope, used}
		}
		newPaper(cmd.OutOrStdout()).table([]string{"Id", "Name", "May", "Use"}, rows)
		return nil
	}}
	serviceFlags(cmd)
	add := &cobra.Command{Use: "add NAME", Short: "Make a token; its secret is printed this once", Args: cobra.ExactArgs(1), RunE: func(cmd *cobra.Command, args []string) error {
		c, err := service(cmd)
		if err != nil {
			return err
		}
		scope, _ := cmd.Flags().GetString("scope")
		m, err := c.AddToken(contextOf(cmd), api.NewToken{Name: args[0], Scope: scope})
		if err != nil {
			return asUsage(err)
		}
		fmt.Fprintln(cmd.OutOrStdout(), m.Secret)
		return nil
	}}
	add.Flags().String("scope", "submit", "what it may do: submit inventories, read, or manage (everything)")
	serviceFlags(add)
	end := &cobra.Command{Use: "end ID", Short: "End a token", Args: cobra.ExactArgs(1), RunE: func(cmd *cobra.Command, args []string) error {
		id, err := strconv.ParseInt(args[0], 10, 64)
		if err != nil {
			return wrongUsage("%q is not the id of a token; rolltop tokens lists them", args[0])
		}
		c, err := service(cmd)
		if err != nil {
			return err
		}
		return c.DeleteToken(contextOf(cmd), id)
	}}
	serviceFlags(end)
	cmd.AddCommand(add, end)
	return cmd
}
