package assess

import (
	"fmt"
	"strings"

	"rolltop.example/rolltop/core/say"
)

// Compared is what the machine has beside what it needs, in one line.
func (f *Finding) Compared() string {
	s := fmt.Sprintf("%s → needs %s", f.Has, f.Needs)
	if f.Has != "unknown" {
		s = "has " + s
	}
	if f.Distance != "" {
		s += " (" + f.Distance + ")"
	}
	return s
}

// Named is the title, with who asks for it where that is not the publisher of
// the target.
func (f *Finding) Named() string {
	switch {
	case f.AskedBy == "house":
		return f.Title + " (house standard)"
	case f.Interim != "":
		return f.Title + " (on the way, for " + f.Interim + ")"
	}
	return f.Title
}

// Sentence says how long the installed release is still supported.
func (s *Support) Sentence() string {
	if s.Not {
		return fmt.Sprintf("%s is not supported on this machine.", s.Release)
	}
	name := strings.TrimSpace(s.Release + " " + s.Edition)
	switch {
	case s.Ends == nil:
		return fmt.Sprintf("The end of support of %s is not decided.", name)
	case s.Days < 0:
		return fmt.Sprintf("%s went out of support on %s.", name, say.Day(*s.Ends))
	}
	return fmt.Sprintf("%s is supported until %s, %s from the check.", name, say.Day(*s.Ends),
		say.Count(s.Days, "day", "days"))
}
