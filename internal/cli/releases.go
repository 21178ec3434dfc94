package cli

import (
	"fmt"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/api"
)

func releasesCommand() *cobra.Command {
	list := func(cmd *cobra.Command, _ []string) error { return listReleases(cmd) }
	cmd := &cobra.Command{
		Use:   "releases",
		Short: "Release documents: list, new, validate, show, add, compare, target, what-if, changes",
		Args:  cobra.NoArgs,
		RunE:  list,
	}
	formatFlag(cmd, "text", "json")
	serviceFlags(cmd)
	listed := &cobra.Command{
		Use:   "list",
		Short: "List the release documents of the service",
		Args:  cobra.NoArgs,
		RunE:  list,
	}
	formatFlag(listed, "text", "json")
	serviceFlags(listed)
	fresh := &cobra.Command{
		Use:   "new ID",
		Short: "Print a commented release document to fill in",
		Args:  cobra.ExactArgs(1),
		RunE:  newRelease,
	}
	fresh.Flags().String("class", "pc", "class of hardware that the release installs on: pc or mac")
	fresh.Flags().String("name", "", "name of the release (default: the id)")
	fresh.Flags().StringP("output", "o", "", "`file` to write (default: standard output)")
	validate := &cobra.Command{
		Use:   "validate FILE…",
		Short: "Validate release documents and list all mistakes",
		Args:  cobra.MinimumNArgs(1),
		RunE:  validateReleases,
	}
	show := &cobra.Command{
		Use:   "show FILE|ID[@REVISION]",
		Short: "Show a release in sentences",
		Args:  cobra.ExactArgs(1),
		RunE:  showRelease,
	}
	serviceFlags(show)
	compare := &cobra.Command{
		Use:   "compare FILE|ID[@REVISION] FILE|ID[@REVISION]",
		Short: "Show how a release or a revision differs from another",
		Args:  cobra.ExactArgs(2),
		RunE:  compareReleases,
		Long:  help("releases-compare"),
	}
	formatFlag(compare, "text", "json")
	serviceFlags(compare)
	add := &cobra.Command{
		Use:   "add FILE",
		Short: "Add a release document with its files, or a revision, to the service",
		Args:  cobra.ExactArgs(1),
		RunE:  addRelease,
	}
	serviceFlags(add)
	target := &cobra.Command{
		Use:   "target",
		Short: "Choose the target releases of PCs and Macs; the fleet is judged again",
		Args:  cobra.NoArgs,
		RunE:  setTargets,
	}
	target.Flags().String("pc", "", "id of the target release of PCs")
	target.Flags().String("mac", "", "id of the target release of Macs")
	serviceFlags(target)
	cmd.AddCommand(listed, fresh, validate, show, compare, add, target, importCommand(), whatIfCommand(),
		changesCommand())
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
		var use []string
		if r.Target {
			use = append(use, "target")
		}
		if r.Draft {
			use = append(use, "draft")
		}
		if r.Test {
			use = append(use, "test release")
		}
		rows[i] = []string{
			r.ID, r.Name, map[string]string{
				"pc":  "PCs",
				"mac": "Macs",
			}[r.Class], strconv.Itoa(r.Revision), r.AddedAt.Format(time.DateOnly), strings.Join(use, ", "),
		}
	}
	if len(rows) == 0 {
		p.line("No release documents. rolltop releases new prints a document to fill in; rolltop releases add FILE " +
			"adds it.")
		return nil
	}
	p.table([]string{"Id", "Name", "For", "Revision", "Added", "Use"}, rows)
	return nil
}

func newRelease(cmd *cobra.Command, args []string) error {
	class, _ := cmd.Flags().GetString("class")
	name, _ := cmd.Flags().GetString("name")
	out, _ := cmd.Flags().GetString("output")
	if !release.ValidID(args[0]) {
		return wrongUsage("%q cannot be an id; use lower-case letters, digits and hyphens: skerry-12", args[0])
	}
	if class != "pc" && class != "mac" {
		return wrongUsage("unknown class of hardware %q; use pc or mac", class)
	}
	text := release.Skeleton(args[0], strconv.Quote(first(name, args[0])), class, time.Now())
	if out == "" {
		fmt.Fprint(cmd.OutOrStdout(), text)
		return nil
	}
	if err := writeNew(out, []byte(text)); err != nil {
		return err
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%s written. Fill it in, then run: rolltop releases validate %s\n", out, out)
	return nil
}

// writeNew writes a file that is not there yet: nothing is overwritten.
func writeNew(path string, b []byte) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if os.IsExist(err) {
		return fmt.Errorf("%s already exists and was not overwritten; choose another file", path)
	}
	if err != nil {
		return fmt.Errorf("%s cannot be written: %w", path, bare(err))
	}
	if _, err := f.Write(b); err != nil {
		_ = f.Close()
		return fmt.Errorf("%s cannot be written: %w", path, bare(err))
	}
	return f.Close()
}

func validateReleases(cmd *cobra.Command, args []string) error {
	failed := false
	for _, file := range args {
		rel, err := readRelease(file)
		if err != nil {
			failed = true
			fmt.Fprintln(cmd.ErrOrStderr(), err)
			continue
		}
		rows := 0
		for _, l := range rel.Lists {
			rows += len(l.Rows)
		}
		what := []string{say.Count(len(rel.Requirements), "requirement", "requirements")}
		if rows > 0 {
			what = append(what, say.Count(rows, "row", "rows")+" in "+say.Count(len(rel.Lists), "list", "lists"))
		}
		fmt.Fprintf(cmd.OutOrStdout(), "%s: valid; %s, revision %d, %s\n", file, rel.Name, rel.Revision,
			strings.Join(what, ", "))
		p := newPaper(cmd.OutOrStdout())
		for _, n := range assess.Notes(knowledge.Shipped(), rel) {
			p.headed("  ", "-", " "+n)
		}
	}
	if failed {
		return status(ExitFailed)
	}
	return nil
}

func showRelease(cmd *cobra.Command, args []string) error {
	rel, err := findRelease(cmd, args[0])
	if err != nil {
		return err
	}
	p := newPaper(cmd.OutOrStdout())
	p.line("%s", p.style(bold, rel.Name))
	p.styled("", fmt.Sprintf("revision %d of %s, from %s", rel.Revision, say.Day(rel.Published), rel.Source), dim)
	if rel.Draft {
		p.text("! ", "A draft: the revision cannot judge the fleet.")
	}
	if rel.TestRelease {
		p.text("! ", "A release for testing: its requirements may still change.")
	}
	section := ""
	for i := range rel.Requirements {
		q := &rel.Requirements[i]
		name := map[string]string{"must": "Required", "should": "Advised", "feature": "For optional features"}[q.Level]
		if q.Interim != nil {
			continue // said with the way
		}
		if name != section {
			section = name
			p.line("")
			p.line("%s", p.style(bold, name))
		}
		head := q.Title
		if q.AskedBy == release.House {
			head += " (house standard)"
		}
		p.line("  %s", head)
		p.text("    ", say.Requirement(q))
		p.styled("    ", spaced(q.Reason, otherwise(q)), dim)
	}
	for _, s := range say.Release(rel) {
		p.line("")
		p.line("%s", p.style(bold, s.Title))
		for _, l := range s.Lines {
			p.text("  ", l)
		}
	}
	return nil
}

func otherwise(q *release.Requirement) string {
	if c := say.Consequence(q); c != "" {
		return "Otherwise " + c + "."
	}
	return ""
}

func compareReleases(cmd *cobra.Command, args []string) error {
	form, err := format(cmd)
	if err != nil {
		return err
	}
	was, err := findRelease(cmd, args[0])
	if err != nil {
		return err
	}
	is, err := findRelease(cmd, args[1])
	if err != nil {
		return err
	}
	if was.InstallsOn != is.InstallsOn {
		return wrongUsage("%s installs on %ss and %s on %ss; only releases of the same class of hardware can be "+
			"compared", was.Name,
			was.InstallsOn, is.Name, is.InstallsOn)
	}
	d := api.ReleaseDifference{From: was.Ref(), To: is.Ref(), Changes: []api.Difference{}}
	for _, c := range say.Difference(was, is) {
		d.Changes = append(d.Changes, api.Difference(c))
	}
	if form == "json" {
		return printJSON(cmd.OutOrStdout(), d)
	}
	printDifference(newPaper(cmd.OutOrStdout()), &d)
	return nil
}

var differenceWords = map[string]string{
	say.Added:     "Added",
	say.Tightened: "Tightened",
	say.Changed:   "Changed",
	say.Eased:     "Eased",
	say.Removed:   "Removed",
}

func printDifference(p *paper, d *api.ReleaseDifference) {
	p.line("%s", p.style(bold,
		fmt.Sprintf("From %s, revision %d, to %s, revision %d", d.From.Name, d.From.Revision, d.To.Name,
			d.To.Revision)))
	if len(d.Changes) == 0 {
		p.line("No differences.")
		return
	}
	kind := ""
	for _, c := range d.Changes {
		if c.Kind != kind {
			kind = c.Kind
			p.line("")
			p.line("%s", p.style(bold, differenceWords[kind]))
		}
		p.headed("  ", c.Subject, ": "+c.Says)
	}
}

func addRelease(cmd *cobra.Command, args []string) error {
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	src, err := readFile(args[0])
	if err != nil {
		return err
	}
	if _, err := release.Read(args[0], src, beside(args[0])); err != nil {
		return err
	}
	packed, err := release.Pack(args[0], src, beside(args[0]))
	if err != nil {
		return err
	}
	var got api.ReleaseAdded
	err = whileJudging(cmd, c, func() (err error) {
		got, err = c.AddRelease(contextOf(cmd), packed)
		return err
	})
	if err != nil {
		return err
	}
	what := "added"
	switch {
	case !got.Added:
		what = "already added, unchanged"
	case got.Draft:
		what = "added as a draft, which cannot judge the fleet"
	case got.Target:
		what = "added; the fleet is judged by it"
	}
	fmt.Fprintf(cmd.OutOrStdout(), "%s, revision %d: %s.\n", got.Name, got.Revision, what)
	if got.Change != nil {
		fmt.Fprintf(cmd.OutOrStdout(), "%s rolltop releases changes %d lists them.\n", got.Change.Says, got.Change.ID)
	}
	return nil
}

func setTargets(cmd *cobra.Command, _ []string) error {
	pc, _ := cmd.Flags().GetString("pc")
	mac, _ := cmd.Flags().GetString("mac")
	if pc == "" && mac == "" {
		return wrongUsage("the target is missing; give --pc ID, --mac ID, or both")
	}
	c, err := clientOf(cmd)
	if err != nil {
		return err
	}
	var got api.TargetSet
	err = whileJudging(cmd, c, func() (err error) {
		got, err = c.SetTargets(contextOf(cmd), api.TargetSet{PC: pc, Mac: mac})
		return err
	})
	if err != nil {
		return err
	}
	fmt.Fprintf(cmd.OutOrStdout(), "PCs are checked against %s, Macs against %s.\n", first(got.PC, "nothing yet"),
		first(got.Mac, "nothing yet"))
	return nil
}
