package cli

import (
	"errors"
	"fmt"
	"net/http"
	"os"
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

func compareCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "compare A B",
		Short: "Compare two inventories or two machines",
		Long:  help("compare"),
		Args:  cobra.ExactArgs(2),
		RunE:  runCompare,
	}
	cmd.Flags().String("release", "", "release to check both against: a file, or the id of a release of the service")
	cmd.Flags().BoolP("verbose", "v", false, "include facts that are known for only one of the two")
	knowledgeFlag(cmd)
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	return cmd
}

func runCompare(cmd *cobra.Command, args []string) error {
	form, err := format(cmd)
	if err != nil {
		return err
	}
	var inv [2]*inventory.Document
	var checks [2]*assess.Document
	for i, name := range args {
		if inv[i], err = inventoryOf(cmd, name); err != nil {
			return err
		}
	}
	if name, _ := cmd.Flags().GetString("release"); name != "" {
		rel, err := findRelease(cmd, name)
		if err != nil {
			return err
		}
		m, err := knowledgeOf(cmd, !isFile(name))
		if err != nil {
			return err
		}
		for i := range inv {
			if checks[i], err = checked(m, rel, inv[i]); err != nil {
				return usage{err}
			}
		}
	}
	d := compare.Run(inv[0], inv[1], checks[0], checks[1])
	if form == "json" {
		err = printJSON(cmd.OutOrStdout(), d)
	} else {
		all, _ := cmd.Flags().GetBool("verbose")
		printComparison(newPaper(cmd.OutOrStdout()), d, all)
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

// inventoryOf reads a file, or asks the service for a machine's latest
// inventory.
func inventoryOf(cmd *cobra.Command, name string) (*inventory.Document, error) {
	server, _ := cmd.Flags().GetString("server")
	if _, err := os.Stat(name); err == nil || server == "" {
		src, err := readFile(name)
		if err != nil && server == "" {
			return nil, fmt.Errorf("%w; to compare machines of a service, give --server", err)
		} else if err != nil {
			return nil, err
		}
		return decode.Read(name, src)
	}
	c, err := clientOf(cmd)
	if err != nil {
		return nil, err
	}
	src, err := c.Inventory(contextOf(cmd), name, 0)
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
