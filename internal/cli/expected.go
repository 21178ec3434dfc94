package cli

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/doc"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

// expectedOptions are those of the list of expected machines.
type expectedOptions struct {
	All bool `option:"all" usage:"include machines that have reported"`
	listed
}

// reasonOptions are those of why a machine does not report.
type reasonOptions struct {
	Note string `option:"note" usage:"more details"`
	serviceOptions
}

func expectedCommand() *cobra.Command {
	why := command("set EXPECTED REASON", "Record why an expected machine does not report", setReason)
	why.Long = "Records why an expected machine does not report. REASON is off, no-rights, refused,\n" +
		"no-network, in-repair or other; --note adds details."
	return noun(
		"expected",
		"Expected machines, and which of them never reported: list, set, import",
		"expected",
		listExpected,
		command("import FILE",
			"Merge a CSV file with the columns name, serial, maker, model, site, reason and note into the list",
			importExpected),
		why,
	)
}

func setReason(c *call[reasonOptions]) error {
	id, err := c.id(0, "the number of an expected machine", "rolltop expected")
	if err != nil {
		return err
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	if err := s.SetReason(c.ctx(), id, api.SetReason{Reason: c.args[1], Note: c.o.Note}); err != nil {
		return asUsage(err)
	}
	c.done("Recorded for the expected machine %d: %s.", id, first(strings.ReplaceAll(c.args[1], "-", " "),
		"reason unknown"))
	return nil
}

func listExpected(c *call[expectedOptions]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Expected(c.ctx())
	if err != nil {
		return err
	}
	missing, all := l.Missing, l.Missing+l.Reported
	if !c.o.All {
		l.Machines = slices.DeleteFunc(l.Machines, func(e api.ExpectedRow) bool { return e.Machine != "" })
	}
	table := listing[api.ExpectedRow]{format: "rolltop-expected/1", columns: []column[api.ExpectedRow]{
		{name: "id", head: "Id", value: func(e *api.ExpectedRow) string { return strconv.FormatInt(e.ID, 10) }},
		{name: "name", head: "Name", value: func(e *api.ExpectedRow) string { return e.Name }},
		{name: "site", head: "Site", value: func(e *api.ExpectedRow) string { return e.Site }},
		{name: "serial", head: "Serial", value: func(e *api.ExpectedRow) string { return e.Serial }},
		{name: "machine", only: true, value: func(e *api.ExpectedRow) string { return e.Machine }},
		{name: "reason", head: "Reported as, or reason", value: func(e *api.ExpectedRow) string { return e.Reason },
			text: func(e *api.ExpectedRow) string {
				return first(e.Machine, first(strings.ReplaceAll(e.Reason, "-", " "), "reason unknown"))
			}},
		{name: "note", head: "Note", value: func(e *api.ExpectedRow) string { return e.Note }},
	}, after: func(p *paper) {
		if len(l.Machines) > 0 {
			p.line("")
		}
		p.line("%d of %d expected machines never reported.", missing, all)
	}}
	return table.print(c.place, form, l, l.Machines)
}

var expectedColumns = []string{"name", "serial", "maker", "model", "site", "reason", "note"}

// columnNames are other headings of a list of machines.
var columnNames = map[string]string{
	"hostname": "name", "host name": "name", "computer name": "name", "serial number": "serial",
	"manufacturer": "maker",
	"location":     "site",
}

// importExpectedOptions are those of an import of expected machines.
type importExpectedOptions struct {
	Replace bool `option:"replace" usage:"remove machines that the file does not have"`
	DryRun  bool `option:"dry-run" usage:"show what would be added, changed and removed, and change nothing"`
	sure
	serviceOptions
}

func importExpected(c *call[importExpectedOptions]) error {
	rows, at, err := expectedTable(c.cmd, c.args[0])
	if err != nil {
		return err
	}
	var machines []api.Expected
	for _, row := range rows {
		cell := func(h string) string {
			if i, ok := at[h]; ok && i < len(row) {
				return strings.TrimSpace(row[i])
			}
			return ""
		}
		machines = append(machines, api.Expected{
			Name:   cell("name"),
			Serial: cell("serial"),
			Maker:  cell("maker"),
			Model:  cell("model"),
			Site:   cell("site"),
			Reason: cell("reason"),
			Note:   cell("note"),
		})
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	was, err := s.Expected(c.ctx())
	if err != nil {
		return err
	}
	m := mergeExpected(was.Machines, machines, c.o.Replace)
	c.done("%s", m.says())
	if c.o.DryRun {
		return nil
	}
	if len(m.removed) > 0 {
		if err := c.sure(c.o.Yes, "Remove %s from the list of expected machines?",
			say.Count(len(m.removed), "machine", "machines")); err != nil {
			return err
		}
	}
	l, err := s.SetExpected(c.ctx(), m.list)
	if err != nil {
		return asUsage(err)
	}
	c.done("%s expected; %d of them never reported.",
		say.Capital(say.Count(len(m.list), "machine is", "machines are")), l.Missing)
	return nil
}

// merged is a list of expected machines with what a file adds, changes and removes.
type merged struct {
	list                    []api.Expected
	added, changed, removed []string
}

func (m *merged) says() string {
	part := func(names []string, what string) string {
		if len(names) == 0 {
			return ""
		}
		text := strings.Join(names[:min(len(names), 5)], ", ")
		if more := len(names) - 5; more > 0 {
			text += fmt.Sprintf(" and %d more", more)
		}
		return fmt.Sprintf(" %s %s: %s.", say.Capital(say.Count(len(names), "machine is", "machines are")), what, text)
	}
	s := part(m.added, "new") + part(m.changed, "changed") + part(m.removed, "removed")
	return strings.TrimSpace(first(s, "The file changes nothing."))
}

// mergeExpected merges a file into a list. A machine is the same by its serial number, or by its name. What a row
// leaves empty stays.
func mergeExpected(was []api.ExpectedRow, file []api.Expected, replace bool) *merged {
	m := &merged{}
	same := func(a, b *api.Expected) bool {
		if a.Serial != "" && b.Serial != "" {
			return strings.EqualFold(a.Serial, b.Serial)
		}
		return strings.EqualFold(a.Name, b.Name)
	}
	taken := make([]bool, len(file))
	for i := range was {
		old := was[i].Expected
		at := slices.IndexFunc(file, func(e api.Expected) bool { return same(&old, &e) })
		switch {
		case at < 0 && replace:
			m.removed = append(m.removed, first(old.Name, old.Serial))
			continue
		case at >= 0:
			taken[at] = true
			row := file[at]
			row = api.Expected{Name: first(row.Name, old.Name), Serial: first(row.Serial, old.Serial),
				Maker: first(row.Maker, old.Maker), Model: first(row.Model, old.Model), Site: first(row.Site, old.Site),
				Reason: first(row.Reason, old.Reason), Note: first(row.Note, old.Note)}
			if row != old {
				m.changed = append(m.changed, first(row.Name, row.Serial))
			}
			old = row
		}
		m.list = append(m.list, old)
	}
	for i := range file {
		if !taken[i] {
			m.added = append(m.added, first(file[i].Name, file[i].Serial))
			m.list = append(m.list, file[i])
		}
	}
	return m
}

// expectedTable reads a list of machines, and the columns by their names.
func expectedTable(cmd *cobra.Command, file string) (rows [][]string, at map[string]int, err error) {
	src, err := readLarge(cmd, file)
	if err != nil {
		return nil, nil, err
	}
	src = bytes.TrimPrefix(src, []byte("\ufeff"))
	if bytes.ContainsRune(src[:min(len(src), 512)], 0) {
		return nil, nil, fmt.Errorf("%s is not a CSV file; save the list as CSV", file)
	}
	r := csv.NewReader(bytes.NewReader(src))
	r.FieldsPerRecord = -1
	if head, _, _ := bytes.Cut(src, []byte("\n")); bytes.Count(head, []byte(";")) > bytes.Count(head, []byte(",")) {
		r.Comma = ';'
	}
	rows, err = r.ReadAll()
	if err != nil || len(rows) == 0 {
		return nil, nil, fmt.Errorf("%s is not a CSV file with headings; its first line has the headings %s", file,
			say.And(expectedColumns))
	}
	at = map[string]int{}
	for i, h := range rows[0] {
		h = strings.ToLower(strings.TrimSpace(h))
		h = first(columnNames[h], h)
		if !slices.Contains(expectedColumns, h) {
			return nil, nil, fmt.Errorf("%s has a column %q; %s", file, h,
				first(doc.Suggest(h, expectedColumns), "the columns are "+strings.Join(expectedColumns, ", ")))
		}
		at[h] = i
	}
	if _, ok := at["name"]; !ok {
		return nil, nil, fmt.Errorf("%s has no column \"name\"", file)
	}
	return rows[1:], at, nil
}
