package cli

import (
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/say"
)

// withHas is the title of a requirement that is met, with what the machine has.
func withHas(f *assess.Finding) string {
	if f.Outcome != "pass" || f.Has == "" || f.Has == "yes" || len(f.Has) > 40 {
		return f.Title
	}
	return f.Title + " (" + f.Has + ")"
}

// passLines are what has to be said of a requirement although it is met: more is
// advised, or sources disagree.
func passLines(f *assess.Finding) []string {
	var out []string
	if f.Advised != "" {
		out = append(out, fmt.Sprintf("%s: %s is recommended. It has %s.", f.Title, f.Advised, f.Has))
	}
	if f.Conflict {
		out = append(out, f.Title+": "+f.Reason)
	}
	return out
}

// printWays prints what a person can choose from where no step is known.
func printWays(p *paper, w *assess.Ways) {
	p.line("")
	p.line("%s", p.style(bold, "To decide"))
	for _, s := range w.Says {
		p.headed("  ", "-", " "+s)
	}
	if w.Step == "" {
		return
	}
	p.line("")
	for line := range strings.Lines(w.Step) {
		p.line("      %s", strings.TrimRight(line, "\n"))
	}
}

// printApart prints what stands apart from the plan: further work, and what ends
// with the upgrade.
func printApart(p *paper, d *assess.Document, all bool) {
	if len(d.Further) > 0 {
		p.line("")
		p.line("%s", p.style(bold, "Further work before the upgrade: the disposition does not depend on it"))
		for i := range d.Further {
			s := &d.Further[i]
			p.text("  – ", say.Capital(s.Weighs)+": "+s.Title)
			if all {
				p.text("      ", s.Do)
			}
			for _, one := range s.Parts {
				p.text("      Part: ", one.Says+costed(one.Cost))
			}
		}
	}
	if len(d.Ends) > 0 {
		p.line("")
		p.line("%s", p.style(bold, "What ends with the upgrade"))
		for _, e := range d.Ends {
			p.text("  – ", e.Says)
		}
	}
}
