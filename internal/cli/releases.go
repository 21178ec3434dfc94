package cli

import (
	"bytes"
	"fmt"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

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
	form, c, err := asked(cmd)
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
