package cli

import (
	"errors"
	"fmt"
	"net/http"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/compare"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
	"rolltop.example/rolltop/internal/build"
)

// compareOptions are those of a comparison of machines.
type compareOptions struct {
	Release string `option:"release" usage:"release to check both against: a file, or the id of a release of the service" complete:"release"`
	Verbose bool   `option:"verbose,v" usage:"include facts that are known for only one of the two"`
	knowledgeFiles
	shown
}

func compareCommand() *cobra.Command {
	return with(command("compare FILE|MACHINE FILE|MACHINE", "Compare two inventories or two machines", runCompare),
		"compare")
}

func runCompare(c *call[compareOptions]) error {
	form, err := format(c.cmd)
	if err != nil {
		return err
	}
	var inv [2]*inventory.Document
	var checks [2]*assess.Document
	for i, name := range c.args {
		if inv[i], err = inventoryOf(c.place, name); err != nil {
			return err
		}
	}
	if name := c.o.Release; name != "" {
		rel, err := findRelease(c.cmd, name)
		if err != nil {
			return err
		}
		base, err := c.o.base(c.cmd, !isFile(name))
		if err != nil {
			return err
		}
		for i := range inv {
			if checks[i], err = checked(base, rel, inv[i]); err != nil {
				return usage{err}
			}
		}
	}
	d := compare.Run(inv[0], inv[1], checks[0], checks[1])
	if form == "json" {
		err = printJSON(c.out(), d)
	} else {
		printComparison(c.paper(), d, c.o.Verbose)
	}
	if err != nil || checks[1] == nil {
		return err
	}
	if code := exitOf(checks[1].Disposition); code != ExitReady {
		return status(code)
	}
	return nil
}

func checked(m *knowledge.Base, rel *release.Release, inv *inventory.Document) (*assess.Document, error) {
	a, err := assess.With(m, rel, inv)
	if err != nil {
		return nil, err
	}
	return a.Document(time.Now(), build.Version), nil
}

// inventoryOf reads a file, or asks the service for a machine's latest inventory.
func inventoryOf(c *place, name string) (*inventory.Document, error) {
	known := serviceKnown(c.cmd)
	if name == "-" || isThere(name) || !known {
		src, err := readFile(c.cmd, name)
		if err != nil && !known {
			return nil, fmt.Errorf("%w; to compare machines of a service, give --server", err)
		} else if err != nil {
			return nil, err
		}
		return decode.Read(name, src)
	}
	s, err := c.client()
	if err != nil {
		return nil, err
	}
	src, err := s.ProvenInventory(c.ctx(), name)
	var p *api.Problem
	switch {
	case errors.As(err, &p) && p.Status == http.StatusNotFound && filepath.Ext(name) != "":
		return nil, fmt.Errorf("there is no file %s, and no machine of that name", name)
	case err != nil:
		return nil, err
	}
	return inventory.Read(name, src)
}

func printComparison(p *paper, d *compare.Document, all bool) {
	p.line("%s", p.style(bold, spaced(d.A.Name, "→")+" "+d.B.Name))
	p.text("", d.Says)
	if d.Release != "" {
		p.line("")
		p.table([]string{"", "Disposition", "What it takes"}, [][]string{
			{d.A.Name, say.Marks[d.A.Disposition] + " " + d.A.Disposition, d.A.Answer},
			{d.B.Name, say.Marks[d.B.Disposition] + " " + d.B.Disposition, d.B.Answer}})
	}
	if len(d.Findings) > 0 {
		p.line("")
		p.line("%s", p.style(bold, "Findings that differ"))
		for _, f := range d.Findings {
			line := fmt.Sprintf(": %s (%s) → %s (%s); needs %s", f.A, f.HasA, f.B, f.HasB, f.Needs)
			if f.Invisible {
				line += "; it could not be checked this time"
			}
			p.headed("  ", f.Title, line)
		}
	}
	var rows [][]string
	left := 0
	for _, f := range d.Facts {
		if f.Kind != compare.Differs && !all {
			left++
			continue
		}
		rows = append(rows, []string{f.Label, f.A, f.B})
	}
	if rows != nil {
		p.line("")
		p.line("%s", p.style(bold, "Facts that differ"))
		p.table([]string{"  Fact", d.A.Name, d.B.Name}, indented(rows))
	}
	if left > 0 {
		p.styled("  ", fmt.Sprintf("%d facts are known for only one of the two; --verbose shows them.", left), dim)
	}
	if len(d.Rows) > 0 {
		p.line("")
		p.line("%s", p.style(bold, "In only one of the two"))
		for _, r := range d.Rows {
			p.text("  ", fmt.Sprintf("%s: %s (%s)", map[string]string{"a": d.A.Name, "b": d.B.Name}[r.In], r.Row,
				r.List))
		}
	}
	if len(d.Disagree) > 0 {
		p.line("")
		p.line("%s", p.style(bold, "Conflicts"))
		for _, g := range d.Disagree {
			p.text("  ", fmt.Sprintf("%s, %s: %s", map[string]string{"a": d.A.Name, "b": d.B.Name}[g.In], g.Label,
				g.Readings))
		}
	}
}

func indented(rows [][]string) [][]string {
	for _, r := range rows {
		r[0] = "  " + r[0]
	}
	return rows
}
