package fleet

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/remedy"
	"rolltop.example/rolltop/core/say"
)

// Headline are the sentences that a fleet opens with: “41 of 251 PCs run Skerry 12; 104 more can take it now. Two of
// 33 Macs run Fathom 9; 16 more can take it now. 80 more machines need only settings or software.”
func (t *Tally) Headline(targets map[string]*release.Release) string {
	if t.Total == 0 {
		return "No machine has been inventoried yet."
	}
	var parts []string
	for _, class := range []string{fact.PC, fact.Mac} {
		rel := targets[class]
		for _, g := range t.Classes {
			if g.Name == class && rel != nil {
				parts = append(parts, g.headline(say.Classes(class), rel.Name))
			}
		}
	}
	if len(parts) == 0 {
		return fmt.Sprintf("%s machines, and no target release for them yet.", say.Number(t.Total))
	}
	s := strings.Join(parts, " ")
	if n := t.By[remedy.Reconfigure]; n == 1 {
		s += " One more machine needs only settings or software."
	} else if n > 1 {
		s += fmt.Sprintf(" %s more machines need only settings or software.", say.Number(n))
	}
	return s
}

// headline says how many of a class run their target, and how many more can take it. A machine that runs a later
// release counts as one that runs the target.
func (g *Group) headline(class, target string) string {
	done, ready := g.By[remedy.Done], g.By[remedy.Ready]
	runs := "run"
	if done == 1 {
		runs = "runs"
	}
	all := fmt.Sprintf("%s of %s %s %s %s", say.Number(done), say.Number(g.Total), class, runs, target)
	switch {
	case done == g.Total:
		return all + "."
	case ready == 0:
		return all + "; none of the others can take it now."
	}
	return fmt.Sprintf("%s; %s more can take it now.", all, say.Number(ready))
}

// Support is how long installed releases are still supported.
type Support struct {
	Release  string
	Edition  string   // where the publisher's day is for one edition; "" for all others
	Apart    []string // for all others: the editions that have days of their own
	Ends     time.Time
	Days     int // negative when it is over
	Machines int
}

// Supported counts machines by the end of support of what they run, the soonest
// first, for releases whose end the targets know. Machines that already run
// their target are left out.
func (s Selection) Supported(now time.Time) []Support {
	type key struct {
		rel                *release.Release
		installed, edition uint32
	}
	at := map[key]int{} // the place in out, or -1
	var out []Support
	for _, i := range s.at {
		r := &s.x.rows[i]
		if r.Release == nil || r.Installed == r.Release.Name || r.Judged && r.Disposition == remedy.Done {
			continue
		}
		edition, name := s.x.editionAt(i)
		k := key{r.Release, s.x.texts[textInstalled].codes[i], edition}
		j, seen := at[k]
		if !seen {
			j = supportAt(&out, r, r.Release.SupportEnds(r.Installed, name), now)
			at[k] = j
		}
		if j >= 0 {
			out[j].Machines++
		}
	}
	slices.SortStableFunc(out, func(a, b Support) int { return a.Ends.Compare(b.Ends) })
	return out
}

// supportAt finds or adds the row of an end of support; -1 where the publisher gives no day.
func supportAt(out *[]Support, r *Row, end *release.SupportDoc, now time.Time) int {
	if end == nil || end.Ends.IsZero() {
		return -1
	}
	j := slices.IndexFunc(*out, func(s Support) bool {
		return s.Release == r.Installed && s.Edition == end.Edition && s.Ends.Equal(end.Ends)
	})
	if j >= 0 {
		return j
	}
	s := Support{
		Release: r.Installed,
		Edition: end.Edition,
		Ends:    end.Ends,
		Days:    int(end.Ends.Sub(now.UTC().Truncate(24*time.Hour)).Hours() / 24),
	}
	if s.Edition == "" {
		s.Apart = r.Release.EditionsApart(r.Installed)
	}
	*out = append(*out, s)
	return len(*out) - 1
}

// Where is the filter of the machines that are counted.
func (s *Support) Where() string {
	where := Term("installed", s.Release)
	if s.Edition != "" {
		return And(where, Term(fact.OSEdition.Def().Name, s.Edition))
	}
	for _, e := range s.Apart {
		where = And(where, "not "+Term(fact.OSEdition.Def().Name, e))
	}
	return where
}

// Says tells one of them as a sentence.
func (s Support) Says() string {
	name := strings.TrimSpace(s.Release + " " + s.Edition)
	machines := say.Count(s.Machines, "machine runs", "machines run")
	switch {
	case s.Days < 0:
		return fmt.Sprintf("%s went out of support on %s; %s it.", name, say.Day(s.Ends), machines)
	case s.Days == 0:
		return fmt.Sprintf("%s goes out of support today; %s it.", name, machines)
	}
	return fmt.Sprintf("%s is supported until %s, %s from now; %s it.", name, say.Day(s.Ends),
		say.Count(s.Days, "day", "days"), machines)
}
