package report

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"rolltop.example/rolltop/core/assess"
	"rolltop.example/rolltop/core/say"
)

// TicketLimit is how many characters a ticket takes.
const TicketLimit = 4000

// A ticket leaves out, when it would be too long, first how to see that a step
// worked and what to do in it, then items from the end of the lists.
type detail struct {
	steps bool // what to do in each step
	items int  // of each list
}

var details = []detail{{true, 1000}, {false, 1000}, {false, 20}, {false, 10}, {false, 5}, {false, 2}, {false, 0}}

// Markdown is the check as a text for a ticket, of at most TicketLimit
// characters. What is left out is said.
func Markdown(m *Machine) string {
	var text string
	for _, d := range details {
		if text = m.markdown(d); utf8.RuneCountInString(text) <= TicketLimit {
			return text
		}
	}
	// Names and answers alone are too long: nothing that a machine really says.
	return string([]rune(text)[:TicketLimit-2]) + "…\n"
}

func (m *Machine) markdown(d detail) string {
	var b strings.Builder
	line := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	line("# %s", plainMark(m.about()))
	line("")
	line("**%s**: %s %s", m.verdict(), plainMark(m.Check.Answer), plainMark(strings.Join(m.Check.Details, " ")))
	for _, s := range m.beside() {
		line("")
		line("%s", plainMark(s))
	}
	for _, g := range []struct {
		name string
		list []assess.Finding
	}{
		{"Not met", m.group("must", "fail")}, {"Unknown", m.group("must", "unknown")},
		{"Waived", m.group("must", "waived")},
	} {
		if len(g.list) == 0 {
			continue
		}
		line("")
		line("## %s: %d of %s", g.name, len(g.list), say.Count(m.Check.Counts.Musts, "requirement", "requirements"))
		line("")
		for i := range g.list[:min(d.items, len(g.list))] {
			f := &g.list[i]
			text := strings.TrimSpace(f.Compared() + ". " + f.Reason)
			for _, s := range []string{f.NoStep, f.Follows} {
				if s != "" && f.Outcome != "unknown" {
					text += " " + s
				}
			}
			if f.Waiver != nil {
				text += " " + f.Waiver.Says()
			}
			line("- **%s**: %s", plainMark(f.Named()), plainMark(text))
		}
		more(line, len(g.list)-d.items)
	}
	m.markdownAdvised(line, d)
	m.markdownPlan(line, d)
	m.markdownBeside(line, d)
	if w := m.Check.Decide; w != nil {
		line("")
		line("## To decide")
		line("")
		says := w.Says
		if w.Step != "" {
			says = says[1:] // a ticket has no room for the lines of an own step
		}
		for _, s := range says {
			line("- %s", plainMark(s))
		}
	}
	line("")
	line("%s.", plainMark(strings.Join(m.made(), "; ")))
	return b.String()
}

// markdownAdvised names requirements that are met, and of which more is advised.
func (m *Machine) markdownAdvised(line func(string, ...any), d detail) {
	var list []*assess.Finding
	for i := range m.Check.Findings {
		if f := &m.Check.Findings[i]; f.Advised != "" {
			list = append(list, f)
		}
	}
	if len(list) == 0 || d.items == 0 {
		return
	}
	line("")
	line("## Met, but more is recommended")
	line("")
	for _, f := range list[:min(d.items, len(list))] {
		line("- **%s**: has %s; advised: %s", plainMark(f.Named()), plainMark(f.Has), plainMark(f.Advised))
	}
}

func (m *Machine) markdownPlan(line func(string, ...any), d detail) {
	if len(m.Check.Plan) == 0 {
		return
	}
	line("")
	line("## The plan, in this order")
	left := 0
	for _, p := range m.parts() {
		line("")
		line("%s", strings.TrimSuffix(p.Name+": "+p.Takes, ": "))
		line("")
		for _, s := range p.Steps {
			if s.Number > d.items {
				left++
				continue
			}
			line("%d. %s", s.Number, plainMark(s.Title))
			if d.steps || d.items >= len(m.Check.Plan) {
				for _, c := range s.Cautions {
					line("   Caution: %s", plainMark(c))
				}
			}
			if d.steps {
				line("   %s Done when: %s", plainMark(s.Do), plainMark(s.Confirm))
			}
		}
	}
	more(line, left)
}

// markdownBeside says what stands apart from the plan.
func (m *Machine) markdownBeside(line func(string, ...any), d detail) {
	var further, ends []string
	for i := range m.Check.Further {
		s := &m.Check.Further[i]
		further = append(further, say.Capital(s.Weighs)+": "+s.Title)
	}
	for i := range m.Check.Ends {
		ends = append(ends, m.Check.Ends[i].Says)
	}
	for _, g := range []struct {
		name string
		list []string
	}{
		{"Further work before the upgrade: the disposition does not depend on it", further},
		{"What ends with the upgrade", ends},
	} {
		if len(g.list) == 0 || d.items == 0 {
			continue
		}
		line("")
		line("## %s", g.name)
		line("")
		for _, s := range g.list[:min(d.items, len(g.list))] {
			line("- %s", plainMark(s))
		}
	}
}

func more(line func(string, ...any), n int) {
	if n > 0 {
		line("")
		line("The report has %d more.", n)
	}
}

// plainMark keeps text from being read as marks, and on one line.
var plainMark = strings.NewReplacer("\\", `\\`, "`", "\\`", "*", `\*`, "_", `\_`, "[", `\[`, "]", `\]`, "<", `\<`, ">",
	`\>`, "#", `\#`, "|", `\|`, "\r", " ", "\n", " ").Replace
