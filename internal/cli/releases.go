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

// none are no options.
type none struct{}

func releasesCommand() *cobra.Command {
	return noun(
		"releases",
		"Release documents: list, show, get, new, validate, add, compare, target, what-if, changes, pages, lists",
		"",
		listReleases,
		command("new ID", "Print a commented release document to fill in", newRelease),
		command("validate FILE…", "Validate release documents and list all mistakes", validateReleases),
		command("show FILE|ID[@REVISION]", "Show a release in sentences", showRelease),
		command("get ID[@REVISION]", "Print a release document of the service as it was added", getRelease),
		with(command("compare FILE|ID[@REVISION] FILE|ID[@REVISION]",
			"Show how a release or a revision differs from another", compareReleases), "releases-compare"),
		command(
			"add FILE",
			"Add a release document with its files, or a revision, to the service; it is not in force then",
			addRelease,
		),
		command("activate ID[@REVISION]", "Put a revision in force, or an earlier one again, after a preview",
			activateRelease),
		command("target", "Choose the target releases of PCs and Macs; the fleet is judged again", setTargets),
		importCommand(),
		with(command("import-applications FILE", "Make a list of applications from a saved page or a spreadsheet",
			importApplications), "import-applications"),
		with(command("keep-page DOCUMENT PAGE",
			"Keep the text of a publisher's page beside a release document as evidence", keepPage), "keep-page"),
		with(command("compare-page FILE|ID[@REVISION] PAGE",
			"Show what a newer page changed, and which requirements point to it", comparePage), "compare-page"),
		whatIfCommand(),
		changesCommand(),
	)
}

func listReleases(c *call[listed]) error {
	form, s, err := c.asked()
	if err != nil {
		return err
	}
	l, err := s.Releases(c.ctx())
	if err != nil {
		return err
	}
	table := listing[api.ReleaseRow]{format: "rolltop-releases/1",
		none: "No release documents. rolltop releases new prints a document to fill in; rolltop releases add FILE " +
			"adds it.",
		columns: []column[api.ReleaseRow]{
			{name: "id", head: "Id", value: func(r *api.ReleaseRow) string { return r.ID }},
			{name: "name", head: "Name", value: func(r *api.ReleaseRow) string { return r.Name }},
			{name: "class", head: "For", value: func(r *api.ReleaseRow) string { return r.Class },
				text: func(r *api.ReleaseRow) string { return map[string]string{"pc": "PCs", "mac": "Macs"}[r.Class] }},
			{
				name:  "revision",
				head:  "Revision",
				value: func(r *api.ReleaseRow) string { return strconv.Itoa(r.Revision) },
			},
			{name: "added_at", head: "Added", value: func(r *api.ReleaseRow) string { return instant(&r.AddedAt) },
				text: func(r *api.ReleaseRow) string { return r.AddedAt.Format(time.DateOnly) }},
			{name: "use", head: "Use", value: releaseUse},
		}}
	return table.print(c.place, form, l, l.Releases)
}

func releaseUse(r *api.ReleaseRow) string {
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
	return strings.Join(use, ", ")
}

func getRelease(c *call[documentOptions]) error {
	id, revision, ok := stored(c.args[0])
	if !ok {
		return wrongUsage("%q is not the id of a release; write it as skerry-12 or skerry-12@4", c.args[0])
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	text, err := s.ReleaseDocument(c.ctx(), id, revision)
	if err != nil {
		return err
	}
	_, err = c.out().Write(text)
	return err
}

// newReleaseOptions are those of a release document to fill in.
type newReleaseOptions struct {
	Class string `option:"class" default:"pc" usage:"class of hardware that the release installs on: pc or mac" complete:"class"`
	Name  string `option:"name" usage:"name of the release (default: the id)"`
	output
}

func newRelease(c *call[newReleaseOptions]) error {
	id := c.args[0]
	if !release.ValidID(id) {
		return wrongUsage("%q cannot be an id; use lower-case letters, digits and hyphens: skerry-12", id)
	}
	if c.o.Class != "pc" && c.o.Class != "mac" {
		return wrongUsage("unknown class of hardware %q; use pc or mac", c.o.Class)
	}
	fmt.Fprint(c.out(), release.Skeleton(id, strconv.Quote(first(c.o.Name, id)), c.o.Class, time.Now()))
	if c.file != nil {
		c.note("Fill it in, then run: rolltop releases validate %s", c.o.Output)
	}
	return nil
}

// exists is the error of a file that is there already: nothing is overwritten.
func exists(path string) error {
	return fmt.Errorf("%s already exists and was not overwritten; choose another file", path)
}

// writeNew writes a file that is not there yet: nothing is overwritten.
func writeNew(path string, b []byte) error {
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if os.IsExist(err) {
		return exists(path)
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

func validateReleases(c *call[none]) error {
	cmd := c.cmd
	failed := false
	for _, file := range c.args {
		rel, err := readRelease(cmd, file)
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
		for _, n := range assess.Notes(knowledge.Shipped(), rel, nil) {
			p.headed("  ", "-", " "+n)
		}
	}
	if failed {
		return status(ExitFailed)
	}
	return nil
}

func showRelease(c *call[serviceOptions]) error {
	rel, err := findRelease(c.cmd, c.args[0])
	if err != nil {
		return err
	}
	p := c.paper()
	p.line("%s", p.style(bold, rel.Name))
	p.styled("", fmt.Sprintf("revision %d of %s, from %s", rel.Revision, say.Day(rel.Published), rel.Source), dim)
	if rel.Draft {
		p.text("! ", "A draft: the revision cannot judge the fleet.")
	}
	if rel.TestRelease {
		p.text("! ", "A release for testing: its requirements may still change.")
	}
	for _, level := range []struct{ name, title string }{
		{release.Must, "Required"}, {release.Should, "Advised"}, {release.Feature, "For optional features"},
	} {
		some := false
		for i := range rel.Requirements {
			q := &rel.Requirements[i]
			if q.Interim != nil || q.Level != level.name {
				continue // an intermediate release's is said with the way
			}
			if !some {
				some = true
				p.line("")
				p.line("%s", p.style(bold, level.title))
			}
			printRequirement(p, q)
		}
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

// printRequirement prints a requirement in sentences, with its reason and where the publisher says it.
func printRequirement(p *paper, q *release.Requirement) {
	head := q.Title
	if q.AskedBy == release.House {
		head += " (house standard)"
	}
	p.line("  %s", head)
	p.text("    ", say.Requirement(q))
	p.styled("    ", spaced(q.Reason, otherwise(q)), dim)
	if quoted := say.Quoted(q); quoted != "" {
		p.styled("    ", quoted, dim)
	}
}

func otherwise(q *release.Requirement) string {
	if c := say.Consequence(q); c != "" {
		return "Otherwise " + c + "."
	}
	return ""
}

// differenceOptions are those of a comparison of releases.
type differenceOptions struct{ shown }

func compareReleases(c *call[differenceOptions]) error {
	form, err := format(c.cmd)
	if err != nil {
		return err
	}
	was, err := findRelease(c.cmd, c.args[0])
	if err != nil {
		return err
	}
	is, err := findRelease(c.cmd, c.args[1])
	if err != nil {
		return err
	}
	if was.InstallsOn != is.InstallsOn {
		return wrongUsage("%s installs on %ss and %s on %ss; only releases of the same class of hardware can be "+
			"compared", was.Name, was.InstallsOn, is.Name, is.InstallsOn)
	}
	d := api.ReleaseDifference{From: was.Ref(), To: is.Ref(), Changes: []api.Difference{}}
	for _, one := range say.Difference(was, is) {
		d.Changes = append(d.Changes, api.Difference(one))
	}
	if form == "json" {
		return printDocument(c.out(), "rolltop-difference/1", d)
	}
	printDifference(c.paper(), &d)
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

func addRelease(c *call[serviceOptions]) error {
	s, err := c.client()
	if err != nil {
		return err
	}
	file := c.args[0]
	src, err := readFile(c.cmd, file)
	if err != nil {
		return err
	}
	if _, err := release.Read(file, src, beside(c.cmd, file)); err != nil {
		return err
	}
	packed, err := release.Pack(file, src, beside(c.cmd, file))
	if err != nil {
		return err
	}
	var got api.ReleaseAdded
	err = whileJudging(c.place, s, func() (err error) {
		got, err = s.AddRelease(c.ctx(), packed)
		return err
	})
	if err != nil {
		return err
	}
	what := "added; it is not in force"
	switch {
	case !got.Added:
		what = "already added, unchanged"
	case got.Draft:
		what = "added as a draft, which cannot judge the fleet"
	}
	c.done("%s, revision %d: %s.", got.Name, got.Revision, what)
	if got.Added && !got.Draft {
		c.done("To put it in force: rolltop releases activate %s@%d", got.ID, got.Revision)
	}
	return nil
}

// activateOptions are those of a revision that is put in force.
type activateOptions struct {
	Testing bool `option:"testing" usage:"accept a release for testing"`
	DryRun  bool `option:"dry-run" usage:"show what would change, and change nothing"`
	sure
	serviceOptions
}

func activateRelease(c *call[activateOptions]) error {
	id, revision, ok := stored(c.args[0])
	if !ok {
		return wrongUsage("%q is not the id of a release; write skerry-12, or skerry-12@5", c.args[0])
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	w, err := s.WhatIf(c.ctx(), api.AskWhatIf{Release: id, Revision: revision})
	if err != nil {
		return asUsage(err)
	}
	if !quiet(c.cmd) {
		printWhatIf(c.paper(), &w)
		c.paper().line("")
	}
	if c.o.DryRun {
		c.done("Nothing was changed.")
		return nil
	}
	if err := c.sure(c.o.Yes, "Put %s in force?", c.args[0]); err != nil {
		return err
	}
	var got api.Activated
	err = whileJudging(c.place, s, func() (err error) {
		got, err = s.Activate(c.ctx(), id, api.Activate{Revision: revision, Testing: c.o.Testing})
		return err
	})
	if err != nil {
		return asUsage(err)
	}
	c.done("%s, revision %d, is in force for %s.", got.Name, got.Revision, say.Classes(got.Class))
	if got.Change != nil {
		c.done("%s rolltop releases changes %d lists them.", got.Change.Says, got.Change.ID)
	}
	return nil
}

// targetOptions are the targets to choose.
type targetOptions struct {
	PC  string `option:"pc" usage:"id of the target release of PCs, such as skerry-12 or skerry-12@5" complete:"release"`
	Mac string `option:"mac" usage:"id of the target release of Macs" complete:"release"`

	Testing bool `option:"testing" usage:"accept a release for testing"`
	serviceOptions
}

func setTargets(c *call[targetOptions]) error {
	if c.o.PC == "" && c.o.Mac == "" {
		return wrongUsage("the target is missing; give --pc ID, --mac ID, or both")
	}
	s, err := c.client()
	if err != nil {
		return err
	}
	was, err := s.Targets(c.ctx())
	if err != nil {
		return err
	}
	var got api.TargetSet
	err = whileJudging(c.place, s, func() (err error) {
		got, err = s.SetTargets(c.ctx(), api.TargetSet{PC: c.o.PC, Mac: c.o.Mac, Testing: c.o.Testing})
		return err
	})
	if err != nil {
		return err
	}
	against := func(was, is string) string {
		if was != "" && was != is {
			return is + " instead of " + was
		}
		return first(is, "nothing yet")
	}
	c.done("PCs are checked against %s, Macs against %s.", against(was.PC, got.PC), against(was.Mac, got.Mac))
	return nil
}
