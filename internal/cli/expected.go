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
			"Replace the list with a CSV file that has the columns name, serial, maker, model, site, reason, note",
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

func importExpected(c *call[serviceOptions]) error {
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
	l, err := s.SetExpected(c.ctx(), machines)
	if err != nil {
		return asUsage(err)
	}
	replaced := ""
	if n := len(was.Machines); n > 0 {
		replaced = " It replaces a list of " + say.Count(n, "machine", "machines") + "."
	}
	c.done("%s expected; %d of them never reported.%s",
		say.Capital(say.Count(len(machines), "machine is", "machines are")), l.Missing, replaced)
	return nil
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
