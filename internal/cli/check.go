package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"strconv"
	"time"

	"github.com/spf13/cobra"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/check"
	"rolltop.example/rolltop/core/decode"
	"rolltop.example/rolltop/core/inventory"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
	"rolltop.example/rolltop/internal/build"
	"rolltop.example/rolltop/internal/collect"
)

func checkCommand() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "check --release FILE|ID [--inventory FILE…]",
		Short: "Check this machine, or inventory files, against a release",
		Long: "Checks this machine, or the inventories in files, against a release document\nand prints what it takes, what fails with its reason and steps, and what is not\nknown with how to close it.\n\n" +
			"Exit status: 0 ready, 10 not ready, 11 undetermined, 1 the check could not run,\n2 wrong usage or the wrong class of hardware.",
		Args: cobra.NoArgs,
		RunE: runCheck,
	}
	cmd.Flags().String("release", "", "release document (a file), or the id of one that the service has")
	cmd.Flags().StringArray("inventory", nil, "inventory or capture file to check in place of this machine; may be given several times, - is standard input")
	cmd.Flags().Bool("all", false, "print the whole plan and every finding with its evidence")
	formatFlag(cmd, "text", "json", "csv")
	serviceFlags(cmd)
	return cmd
}

func runCheck(cmd *cobra.Command, _ []string) error {
	form, err := format(cmd)
	if err != nil {
		return err
	}
	rel, err := findRelease(cmd)
	if err != nil {
		return err
	}
	files, _ := cmd.Flags().GetStringArray("inventory")
	var docs []*assess.Document
	result := ExitReady
	for _, one := range machines(files) {
		d, err := checkOne(rel, one)
		if err != nil {
			fmt.Fprintf(cmd.ErrOrStderr(), "rolltop: %v\n", err)
			code := ExitFailed
			if wrong := new(check.WrongClass); errors.As(err, &wrong) {
				code = ExitUsage
			}
			result = worse(result, code)
			continue
		}
		docs = append(docs, d)
		result = worse(result, exitOf(d.Disposition))
	}
	all, _ := cmd.Flags().GetBool("all")
	if err := printChecks(cmd, form, docs, all); err != nil {
		return err
	}
	if result != ExitReady {
		return status(result)
	}
	return nil
}

// machines is the inventory files, or "" for this machine.
func machines(files []string) []string {
	if len(files) == 0 {
		return []string{""}
	}
	return files
}

func checkOne(rel *release.Release, file string) (*assess.Document, error) {
	var inv *inventory.Document
	var err error
	if file == "" {
		inv, err = collect.Machine(collect.Options{})
	} else {
		var src []byte
		if src, err = readFile(file); err == nil {
			inv, err = decode.Read(file, src)
		}
	}
	if err != nil {
		return nil, err
	}
	a, err := assess.Run(rel, inv)
	if err != nil {
		return nil, err
	}
	return a.Document(time.Now(), build.Version), nil
}

// findRelease reads the release document that --release names.
func findRelease(cmd *cobra.Command) (*release.Release, error) {
	name, _ := cmd.Flags().GetString("release")
	if name == "" {
		return nil, wrongUsage("no release is named; give --release FILE, or the id of one with --server")
	}
	if _, err := os.Stat(name); err == nil || name == "-" || !release.ValidID(name) {
		src, err := readFile(name)
		if err != nil {
			return nil, err
		}
		return release.Read(name, src)
	}
	if server, _ := cmd.Flags().GetString("server"); server == "" {
		return nil, fmt.Errorf("there is no file %s; to take a release from a service by its id, give --server", name)
	}
	c, err := service(cmd)
	if err != nil {
		return nil, err
	}
	src, err := c.ReleaseDocument(contextOf(cmd), name)
	if err != nil {
		return nil, err
	}
	return release.Read(name, src)
}

func contextOf(cmd *cobra.Command) context.Context {
	if ctx := cmd.Context(); ctx != nil {
		return ctx
	}
	return context.Background()
}

func exitOf(disposition string) int {
	switch disposition {
	case "ready":
		return ExitReady
	case "undetermined":
		return ExitUndetermined
	}
	return ExitNotReady
}

// worse keeps the status that wins over several machines: 1 and 2, then 10,
// then 11, then 0.
func worse(a, b int) int {
	rank := map[int]int{ExitReady: 0, ExitUndetermined: 1, ExitNotReady: 2, ExitUsage: 3, ExitFailed: 4}
	if rank[b] > rank[a] {
		return b
	}
	return a
}

func printChecks(cmd *cobra.Command, form string, docs []*assess.Document, all bool) error {
	out := cmd.OutOrStdout()
	switch form {
	case "json":
		switch len(docs) {
		case 0:
			return nil
		case 1:
			return printJSON(out, docs[0])
		}
		return printJSON(out, docs)
	case "csv":
		rows := make([][]string, len(docs))
		for i, d := range docs {
			rows[i] = []string{d.Machine.Name, d.Machine.Manufacturer, d.Machine.Model, d.Release.ID, strconv.Itoa(d.Release.Revision), d.Disposition, d.Certainty,
				strconv.Itoa(d.Counts.Fail), strconv.Itoa(d.Counts.Unknown), d.Answer}
		}
		return printCSV(out, []string{"name", "manufacturer", "model", "release", "revision", "disposition", "certainty", "fails", "unknowns", "answer"}, rows)
	}
	p := newPaper(out)
	for i, d := range docs {
		if i > 0 {
			p.line("")
		}
		printCheck(p, d, all)
	}
	if len(docs) > 1 {
		p.line("")
		rows := make([][]string, len(docs))
		for i, d := range docs {
			rows[i] = []string{d.Machine.Name, marks[d.Disposition] + " " + d.Disposition, strconv.Itoa(d.Counts.Fail), strconv.Itoa(d.Counts.Unknown), say.Capital(d.Answer)}
		}
		p.table([]string{"Machine", "Disposition", "Not met", "Unknown", "What it takes"}, rows)
	}
	return nil
}

// printCheck prints the answer first, then what fails, what is not known, and a
// line for the rest.
func printCheck(p *paper, d *assess.Document, all bool) {
	head := first(d.Machine.Name, "This machine")
	for _, s := range []string{spaced(d.Machine.Manufacturer, d.Machine.Model), d.Machine.Installed} {
		if s != "" {
			head += " · " + s
		}
	}
	p.line("%s", head)
	p.line("")
	word := marks[d.Disposition] + " " + say.Capital(d.Disposition)
	if d.Certainty == "expected" && d.Disposition != "undetermined" {
		word += ", expected"
	}
	lines := wrap(word+": "+d.Answer, p.width)
	lines[0] = p.style(dispositionStyles[d.Disposition], word) + lines[0][min(len(word), len(lines[0])):]
	for _, l := range lines {
		p.line("%s", l)
	}
	for _, s := range d.Details {
		p.text("  ", s)
	}
	if pub := d.Publisher; pub != nil && pub.Disposition != d.Disposition {
		p.text("  ", fmt.Sprintf("By the publisher's requirements alone: %s; %s", pub.Disposition, pub.Answer))
	}
	p.styled("  ", fmt.Sprintf("%s, revision %d of %s · inventory of %s · %d of %d needed facts read", d.Release.Name, d.Release.Revision, say.Day(d.Release.Published),
		say.Moment(d.Machine.TakenAt), d.Coverage.Read, d.Coverage.Needed), dim)
	if s := d.Support; s != nil {
		p.styled("  ", supportLine(s), dim)
	}
	printFindings(p, d, all)
	printPlan(p, d, all)
}

func first(a, b string) string {
	if a != "" {
		return a
	}
	return b
}

func spaced(a, b string) string {
	if a != "" && b != "" {
		return a + " " + b
	}
	return a + b
}

func supportLine(s *assess.Support) string {
	if s.Days < 0 {
		return fmt.Sprintf("%s went out of support on %s", s.Release, say.Day(s.Ends))
	}
	return fmt.Sprintf("%s is supported until %s, %s from the check", s.Release, say.Day(s.Ends), say.Count(s.Days, "day", "days"))
}

func printFindings(p *paper, d *assess.Document, all bool) {
	titles := map[string][]string{}
	section := ""
	for i := range d.Findings {
		f := &d.Findings[i]
		name := sectionOf(f, d)
		if name == "" && !all {
			key := f.Outcome
			if f.Level != "must" && f.Outcome != "not-applicable" {
				key = f.Level + " " + f.Outcome
			}
			titles[key] = append(titles[key], f.Title)
			continue
		}
		if name == "" {
			name = "Also checked"
		}
		if name != section {
			section = name
			p.line("")
			p.line("%s", p.style(bold, name))
		}
		printFinding(p, d, f, all)
	}
	p.line("")
	for _, g := range []struct{ key, one, many string }{
		{"pass", "requirement is met", "requirements are met"}, {"not-applicable", "does not apply", "do not apply"},
		{"should pass", "piece of advice is followed", "pieces of advice are followed"}, {"feature pass", "feature is available", "features are available"},
		{"should unknown", "piece of advice is not known", "pieces of advice are not known"}, {"feature unknown", "feature is not known", "features are not known"},
		{"feature fail", "feature is not available", "features are not available"},
	} {
		if list := titles[g.key]; len(list) > 0 {
			p.text("", say.Capital(say.Count(len(list), g.one, g.many))+": "+joined(list)+".")
		}
	}
}

func joined(list []string) string {
	s := ""
	for i, t := range list {
		if i > 0 {
			s += ", "
		}
		s += say.Lower(t)
	}
	return s
}

func sectionOf(f *assess.Finding, d *assess.Document) string {
	switch {
	case f.Level == "must" && f.Outcome == "fail":
		return fmt.Sprintf("Not met: %d of %d requirements", d.Counts.Fail, d.Counts.Musts)
	case f.Level == "must" && f.Outcome == "unknown":
		return fmt.Sprintf("Not known: %d of %d requirements", d.Counts.Unknown, d.Counts.Musts)
	case f.Level == "should" && f.Outcome == "fail":
		return "Advised, and not followed"
	}
	return ""
}

func printFinding(p *paper, d *assess.Document, f *assess.Finding, all bool) {
	title := f.Title
	if f.AskedBy == "house" {
		title += " (house standard)"
	}
	compare := fmt.Sprintf("%s → needs %s", f.Has, f.Needs)
	if f.Has != "not known" {
		compare = "has " + compare
	}
	if f.Distance != "" {
		compare += " (" + f.Distance + ")"
	}
	p.headed("  ", title, ": "+compare+settledBy(d, f))
	if f.Reason != "" {
		p.text("      ", f.Reason)
	}
	if f.NoRemedy {
		p.text("      ", "Nothing on this machine can change it.")
	}
	if all {
		p.styled("      ", "Why it is asked: "+f.Why, dim)
		if f.Consequence != "" && f.Outcome != "pass" {
			p.styled("      ", "Otherwise "+f.Consequence+".", dim)
		}
		for _, e := range f.Evidence {
			p.styled("      ", fmt.Sprintf("%s: %s [%s]", e.Fact, e.Has, first(e.Source, first(e.Gap, "source not said"))), dim)
		}
	}
	for _, c := range f.Close {
		p.text("      To close it: ", c)
	}
}

// settledBy names the steps of the plan that settle a finding, or that show
// what is not known.
func settledBy(d *assess.Document, f *assess.Finding) string {
	var numbers []string
	for _, n := range f.SettledBy {
		if d.Plan[n-1].Step != "read-again" { // what closes it is said below
			numbers = append(numbers, strconv.Itoa(n))
		}
	}
	switch {
	case len(numbers) == 0:
		return ""
	case f.Outcome == "unknown":
		return "; known after step " + say.And(numbers)
	}
	return "; step " + say.And(numbers)
}

var phases = map[string]string{"remote": "Without a visit", "desk": "At the desk", "host": "At the host of the virtual machine", "install": "The installation"}

func printPlan(p *paper, d *assess.Document, all bool) {
	if len(d.Plan) == 0 {
		return
	}
	p.line("")
	p.line("%s", p.style(bold, "The plan, in this order"))
	phase := ""
	for i := range d.Plan {
		s := &d.Plan[i]
		if s.Phase != phase {
			phase = s.Phase
			p.line("  %s", p.style(dim, phases[phase]))
		}
		title := s.Title
		if s.Minutes.Most > 0 {
			title += fmt.Sprintf(" (%d–%d min)", s.Minutes.Least, s.Minutes.Most)
		}
		p.text(fmt.Sprintf("  %2d. ", s.Number), title)
		if s.Caution != "" {
			p.text("      Caution: ", s.Caution)
		}
		if all || d.Disposition == "replace" {
			p.text("      ", s.Do)
			p.styled("      ", "Done when: "+s.Confirm, dim)
		}
	}
	if !all {
		p.styled("  ", "--all adds what to do in each step and how to see that it worked.", dim)
	}
}
