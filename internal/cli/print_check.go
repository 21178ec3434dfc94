package cli

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)

// Checks are several checks, as rolltop check prints them.
type Checks struct {
	Checks []*assess.Document `json:"checks" doc:"Each a document of the format rolltop-check/1"`
}

// printChecks prints the checks of machines, each against every release.
func printChecks(c *place, form string, groups [][]*assess.Document, all bool) error {
	out := c.out()
	var docs []*assess.Document
	for _, g := range groups {
		docs = append(docs, g...)
	}
	switch form {
	case "json":
		switch len(docs) {
		case 0:
			return nil
		case 1:
			return printJSON(out, docs[0])
		}
		return printDocument(out, "rolltop-checks/1", Checks{docs})
	case "ndjson":
		return printLines(out, docs)
	case "csv":
		rows := make([][]string, len(docs))
		for i, d := range docs {
			rows[i] = []string{d.Machine.Name, d.Machine.Manufacturer, d.Machine.Model, d.Release.ID,
				strconv.Itoa(d.Release.Revision), d.Disposition, d.Certainty,
				strconv.Itoa(d.Counts.Fail), strconv.Itoa(d.Counts.Unknown), d.Route.Way, d.Answer}
		}
		return printCSV(out, []string{
			"name", "manufacturer", "model", "release", "revision", "disposition", "certainty", "fails", "unknowns",
			"way", "answer",
		}, rows)
	}
	p := newPaper(out)
	for i, g := range groups {
		if i > 0 {
			p.line("")
		}
		if len(g) > 1 {
			printSideBySide(p, g)
			if !all {
				continue
			}
			p.line("")
		}
		for j, d := range g {
			if j > 0 {
				p.line("")
			}
			printCheck(p, d, all)
		}
	}
	if len(groups) > 1 {
		p.line("")
		rows := make([][]string, len(docs))
		for i, d := range docs {
			rows[i] = []string{
				d.Machine.Name, d.Release.Name, say.Marks[d.Disposition] + " " + d.Disposition,
				strconv.Itoa(d.Counts.Fail), strconv.Itoa(d.Counts.Unknown), say.Capital(d.Answer),
			}
		}
		p.table([]string{"Machine", "Release", "Disposition", "Not met", "Unknown", "What it takes"}, rows)
	}
	return nil
}

// printSideBySide prints one machine against several releases: what each takes,
// then the requirements that are not met or not known in one of them.
func printSideBySide(p *paper, docs []*assess.Document) {
	p.line("%s", headOf(docs[0]))
	p.line("")
	rows := make([][]string, len(docs))
	heads := []string{"Requirement"}
	for i, d := range docs {
		rows[i] = []string{
			d.Release.Name, say.Marks[d.Disposition] + " " + d.Disposition, strconv.Itoa(d.Counts.Fail),
			strconv.Itoa(d.Counts.Unknown), say.Capital(d.Answer),
		}
		heads = append(heads, d.Release.Name)
	}
	p.table([]string{"Release", "Disposition", "Not met", "Unknown", "What it takes"}, rows)
	var order []string
	cells := map[string][]string{}
	for i, d := range docs {
		for k := range d.Findings {
			f := &d.Findings[k]
			if f.Level != "must" {
				continue
			}
			if cells[f.Title] == nil {
				order = append(order, f.Title)
				cells[f.Title] = make([]string, len(docs))
			}
			cells[f.Title][i] = f.Outcome
			if f.Outcome == "fail" || f.Outcome == "unknown" {
				cells[f.Title][i] = map[string]string{
					"fail":    "not met: ",
					"unknown": "unknown: ",
				}[f.Outcome] + "needs " + f.Needs
			}
		}
	}
	rows = nil
	for _, title := range order {
		row, telling := []string{title}, false
		for _, c := range cells[title] {
			telling = telling || len(c) > len("not-applicable")
			row = append(row, map[string]string{"pass": "met", "not-applicable": "–", "": "not asked"}[c])
			if row[len(row)-1] == "" {
				row[len(row)-1] = c
			}
		}
		if telling {
			rows = append(rows, row)
		}
	}
	if rows != nil {
		p.line("")
		p.table(heads, rows)
	}
	for _, d := range docs {
		for _, w := range d.Warnings {
			p.styled("  ", w, dim)
		}
	}
}

// printCheck prints the answer first, then what fails, what is not known, and a
// line for the rest.
func printCheck(p *paper, d *assess.Document, all bool) {
	p.line("%s", headOf(d))
	p.line("")
	word := say.Marks[d.Disposition] + " " + say.Capital(d.Disposition)
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
	if d.Vouched != "" {
		p.text("  ", d.Vouched)
	}
	// The answer on a ready machine gives the day.
	if d.Age != nil && (d.Age.Future || d.Age.Stale && d.Disposition != "ready") {
		p.text("  ", d.Age.Says)
	}
	if pub := d.Publisher; pub != nil && pub.Disposition != d.Disposition {
		p.text("  ", fmt.Sprintf("By the publisher's requirements only: %s; %s", pub.Disposition, pub.Answer))
	}
	p.styled("  ", fmt.Sprintf("%s, revision %d of %s · inventory of %s · %d of %d needed facts read", d.Release.Name,
		d.Release.Revision, say.Day(d.Release.Published),
		say.Moment(d.Machine.TakenAt), d.Coverage.Read, d.Coverage.Needed), dim)
	if s := d.Support; s != nil {
		p.styled("  ", spaced(s.Sentence(), s.Says), dim)
	}
	for _, w := range d.Warnings {
		p.text("  ! ", w)
	}
	printBeside(p, d)
	printFindings(p, d, all)
	printKnown(p, d, all)
	printPlan(p, d, all)
}

// headOf names the machine.
func headOf(d *assess.Document) string {
	head := first(d.Machine.Name, "This machine")
	for _, s := range []string{spaced(d.Machine.Manufacturer, d.Machine.Model), d.Machine.Installed} {
		if s != "" {
			head += " · " + s
		}
	}
	return head
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

// printBeside prints what stands beside the disposition: the package, a hold,
// the offer, another route, the releases that follow.
func printBeside(p *paper, d *assess.Document) {
	for _, says := range d.Delivered() {
		p.text("  ", says)
	}
	if o := d.Other; o != nil {
		p.text("  Or: ", fmt.Sprintf("%s %s: %s", o.Says, say.Capital(o.Disposition), o.Answer))
	}
	if d.Hold != "" {
		p.text("  ", d.Hold)
	}
	if d.Offer != nil && !d.Offer.Now {
		p.text("  ", d.Offer.Says)
	}
	for _, n := range d.Next {
		what := ""
		if n.Release.Test {
			what = ", a release for testing"
		}
		s := fmt.Sprintf("%s%s: %s. %s", n.Release.Name, what, n.Disposition, say.Capital(n.Answer))
		if len(n.Fails) > 0 {
			s += " Not met there: " + joined(n.Fails) + "."
		}
		p.text("  Next: ", s)
	}
}

// printKnown prints what the release knows of applications and drivers, and
// where the preparation stands.
func printKnown(p *paper, d *assess.Document, all bool) {
	for _, g := range []struct {
		name string
		list []assess.Known
	}{{"Applications", d.Software}, {"Drivers", d.Drivers}} {
		var rows []assess.Known
		for _, k := range g.list {
			if k.Is != "fine" || all {
				rows = append(rows, k)
			}
		}
		if len(rows) == 0 {
			continue
		}
		p.line("")
		p.line("%s", p.style(bold, g.name))
		for _, k := range rows {
			p.headed("  ", spaced(k.Name, k.Version), ": "+spaced(spaced(k.Says+".", k.Note), k.Terms))
		}
	}
	if all && len(d.Strangers) > 0 {
		p.text("  ", "Nothing is known of: "+say.And(d.Strangers)+".")
	}
	if said := slices.ContainsFunc(d.Preparation,
		func(i assess.Prepared) bool { return i.Ticked != nil }); (all || said) && len(d.Preparation) > 0 {
		p.line("")
		p.line("%s", p.style(bold, "Before the upgrade"))
		for _, i := range d.Preparation {
			says := i.Says
			if i.Ticked != nil {
				says = i.Ticked.Says()
			}
			p.headed("  ", i.Title, ": "+say.Preparations[i.State]+". "+says)
		}
	}
}

func printFindings(p *paper, d *assess.Document, all bool) {
	titles := map[string][]string{}
	section := ""
	var besides []string // what is said of requirements that are met
	for i := range d.Findings {
		f := &d.Findings[i]
		if f.Interim != "" && f.Outcome == "not-applicable" {
			continue // it is not on the way
		}
		name := sectionOf(f, d)
		if name == "" && !all {
			key := f.Outcome
			if f.Level != "must" && f.Outcome != "not-applicable" {
				key = f.Level + " " + f.Outcome
			}
			titles[key] = append(titles[key], withHas(f))
			if f.Outcome == "pass" {
				besides = append(besides, passLines(f)...)
			}
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
		{"should pass", "recommendation is met", "recommendations are met"},
		{"feature pass", "feature is available", "features are available"},
		{"should unknown", "recommendation is unknown", "recommendations are unknown"},
		{"feature unknown", "feature is unknown", "features are unknown"},
		{"feature fail", "feature is not available", "features are not available"},
	} {
		if list := titles[g.key]; len(list) > 0 {
			p.text("", say.Capital(say.Count(len(list), g.one, g.many))+": "+joined(list)+".")
		}
	}
	for _, b := range besides {
		p.text("  ", b)
	}
}

// joined names titles within a sentence.
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
		return fmt.Sprintf("Unknown: %d of %d requirements", d.Counts.Unknown, d.Counts.Musts)
	case f.Outcome == "waived":
		return "Not met, waived"
	case f.Level == "should" && f.Outcome == "fail":
		return "Recommendations not met"
	}
	return ""
}

func printFinding(p *paper, d *assess.Document, f *assess.Finding, all bool) {
	p.headed("  ", f.Named(), ": "+f.Compared()+settledBy(d, f))
	if f.Reason != "" {
		p.text("      ", f.Reason)
	}
	if f.Rule != "" && all {
		p.styled("      ", f.Rule, dim)
	}
	if f.Waiver != nil {
		p.text("      ", f.Waiver.Says())
	}
	if f.NoStep != "" {
		p.text("      ", f.NoStep)
	}
	if f.Outcome == "fail" && f.Follows != "" {
		p.text("      ", f.Follows)
	}
	if all {
		p.styled("      ", "Reason: "+f.Why, dim)
		if f.Quoted != "" {
			p.styled("      ", f.Quoted, dim)
		}
		if f.Outcome == "unknown" && f.Follows != "" {
			p.styled("      ", f.Follows, dim)
		}
		for _, e := range f.Evidence {
			of := e.Fact
			if e.Row != "" {
				of += " of " + e.Row
			}
			p.styled("      ", fmt.Sprintf("%s: %s [%s]", of, e.Has, first(e.Source, first(e.Gap, "source unknown"))),
				dim)
		}
	}
	for _, c := range f.Close {
		p.text("      To find it out: ", c)
	}
}

// settledBy names the steps of the plan that settle a finding, or that show
// what is not known.
func settledBy(d *assess.Document, f *assess.Finding) string {
	var numbers []string
	for _, n := range f.SettledBy {
		if !d.Plan[n-1].Closes { // what closes it is said below
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

func printPlan(p *paper, d *assess.Document, all bool) {
	if len(d.Plan) == 0 {
		return
	}
	p.line("")
	p.line("%s", p.style(bold, "The plan, in this order"))
	if d.When != nil {
		for _, s := range d.When.Says {
			p.text("  ", s)
		}
	}
	phase := ""
	for i := range d.Plan {
		s := &d.Plan[i]
		if s.Phase != phase && s.Class != remedy.Replacement.String() {
			phase = s.Phase
			p.line("  %s", p.style(dim, say.Phases[phase]))
		}
		title := s.Title
		if s.Minutes.Most > 0 {
			title += fmt.Sprintf(" (%d–%d min", s.Minutes.Least, s.Minutes.Most)
			if s.Restarts > 0 {
				title += ", " + say.Count(s.Restarts, "restart", "restarts")
			}
			if all {
				title += ", " + s.By
			}
			title += ")"
		}
		p.text(fmt.Sprintf("  %2d. ", s.Number), title)
		printStep(p, s, all || d.Disposition == "replace")
	}
	printAround(p, d)
	if !all {
		p.styled("  ", "--verbose adds what to do in each step and how to see that it worked.", dim)
	}
	printApart(p, d, all)
}

// printStep prints what stands below the title of a step.
func printStep(p *paper, s *assess.Step, all bool) {
	for _, c := range s.Cautions {
		p.text("      Caution: ", c)
	}
	for _, one := range s.Parts {
		p.text("      Part: ", one.Says+costed(one.Cost))
	}
	if t := s.Ticked; t != nil {
		p.text("      ", t.Says())
	}
	if !all {
		return
	}
	if s.Worst != "" {
		p.text("      Risk: ", say.Sentence(s.Worst))
	}
	p.text("      ", s.Do)
	if w := s.Where; w != nil {
		p.text("      Where: ", strings.TrimSpace(w.Says+" "+w.Parent+" "+w.Note))
	}
	p.styled("      ", "Done when: "+s.Confirm, dim)
	if s.Back != "" {
		p.styled("      ", "To undo: "+s.Back, dim)
	}
	for _, a := range s.Instead {
		p.styled("      ", fmt.Sprintf("Alternative: %s. %s", a.Title, a.Says), dim)
	}
}

func costed(cost string) string {
	if cost == "" {
		return ""
	}
	return " (" + cost + ")"
}

// printAround prints what stands around the plan: its totals, what is left out,
// and staying as the option that it is.
func printAround(p *paper, d *assess.Document) {
	e := &d.Effort
	if len(d.Plan) > 1 {
		s := fmt.Sprintf("Total: %d–%d minutes", e.Minutes.Least, e.Minutes.Most)
		if e.Restarts > 0 {
			s += ", " + say.Count(e.Restarts, "restart", "restarts")
		}
		if e.Parts > 0 {
			s += ", " + say.Count(e.Parts, "part", "parts")
		}
		if e.Cost != nil {
			s += ", " + e.Cost.Says
		}
		p.text("  ", s+".")
	}
	if len(d.Bring) > 0 {
		p.text("  ", "To bring: "+strings.Join(d.Bring, "; ")+".")
	}
	if d.Decide != nil {
		printWays(p, d.Decide)
	}
	if w := d.Withheld; w != nil {
		p.text("  ", "Left out: "+joined(w.Titles)+". "+w.Says)
	}
	if d.Conversion != nil {
		p.text("  ", d.Conversion.Says)
	}
	if d.Stay != "" {
		p.text("  ", d.Stay)
	}
}

// printPlans prints the answer and the whole plan of each machine.
func printPlans(p *paper, groups [][]*assess.Document) {
	for i, g := range groups {
		for j, d := range g {
			if i+j > 0 {
				p.line("")
			}
			p.line("%s", headOf(d))
			p.line("")
			p.text("", say.Marks[d.Disposition]+" "+say.Capital(d.Disposition)+": "+d.Answer)
			if w := d.Firmware; w != nil {
				p.text("  ", w.Title+". "+w.Says)
			}
			printPlan(p, d, true)
		}
	}
}
