package cli

import (
	"fmt"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/tables"
)

// importApplicationsOptions are those of a list of applications that is made of a page.
type importApplicationsOptions struct {
	Table  int      `option:"table" least:"0" most:"500" usage:"number of the table, from 1 (default: the first one with applications)"`
	Column []string `option:"column" usage:"heading of a field, such as is=Verdict (repeatable)"`
	State  []string `option:"state" usage:"what the page calls a state: 'works with limits=problem' (repeatable)"`
	output
}

// pairs parts options of the form key=value.
func pairs(option, example string, given []string) (map[string]string, error) {
	out := map[string]string{}
	for _, one := range given {
		key, value, ok := strings.Cut(one, "=")
		if !ok || key == "" || value == "" {
			return nil, wrongUsage("--%s %q is incomplete; write it as %s", option, one, example)
		}
		out[key] = value
	}
	return out, nil
}

func importApplications(c *call[importApplicationsOptions]) error {
	columns, err := pairs("column", "is=Verdict", c.o.Column)
	if err != nil {
		return err
	}
	states, err := pairs("state", "'works with limits=problem'", c.o.State)
	if err != nil {
		return err
	}
	src, err := readLarge(c.cmd, c.args[0])
	if err != nil {
		return err
	}
	sheets, err := tables.Read(c.args[0], src)
	if err != nil {
		return err
	}
	at, got, err := release.ImportApplicationTables(sheets, c.o.Table, release.ApplicationOptions{
		Columns: columns, States: states,
	})
	if err != nil {
		if len(sheets) > 1 {
			printTables(newPaper(c.errOut()), sheets)
		}
		return err
	}
	text := release.WriteApplications(got.Entries)
	if c.o.Output == "-" {
		_, err := c.out().Write(text)
		return err
	}
	p := newPaper(c.cmd.OutOrStdout())
	p.line("%s", p.style(bold, say.Capital(sheets[at].Where)+": "+
		say.Count(len(got.Entries), "application", "applications")))
	for _, u := range got.Used {
		p.line("  %-9s from %s", u.Field, strings.Join(u.From, " + "))
	}
	if len(got.Ignored) > 0 {
		p.text("  not used  ", strings.Join(got.Ignored, ", "))
	}
	for _, g := range got.Guessed {
		p.text("  assumed   ", g)
	}
	p.line("")
	var rows [][]string
	for i := range got.Entries {
		e := &got.Entries[i]
		for j := range e.Versions {
			v := &e.Versions[j]
			rows = append(rows, []string{e.Name[0], say.VersionRange(v), say.Known(v.Is), say.Weight(v.Work())})
		}
	}
	p.table([]string{"Application", "Versions", "What it takes", "Weight"}, rows)
	for i, d := range got.Dropped {
		if i == 0 {
			p.line("")
			p.line("%s", p.style(bold, "Left out"))
		}
		p.text("  row "+strconv.Itoa(d.Row)+": ", d.Text+": "+d.Why)
	}
	p.line("")
	if c.o.Output == "" {
		p.line("Nothing was written; use --output FILE.yaml to write the section software:.")
		return nil
	}
	if _, err := c.out().Write(text); err != nil {
		return err
	}
	p.text("", fmt.Sprintf("Copy the section software: from %s to the release document.", c.o.Output))
	return nil
}
