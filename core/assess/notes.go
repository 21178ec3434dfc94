package assess

import (
	"slices"
	"strings"

	"rolltop.example/rolltop/core/fact"
	"rolltop.example/rolltop/core/knowledge"
	"rolltop.example/rolltop/core/need"
	"rolltop.example/rolltop/core/release"
	"rolltop.example/rolltop/core/say"
)

// Notes are what the author of a release document should know of it, although it has no
// mistakes: requirements that no step settles, that no machine of the class has anything
// of, and that read what no collector reads; names of editions, releases, titles and languages that
// match nothing, and lists that contradict each other. fleet are the editions, the names of systems and
// the languages that machines have, by fact; nil where no fleet is at hand.
func Notes(m *knowledge.Base, rel *release.Release, fleet map[fact.ID][]string) []string {
	var out []string
	for _, x := range rel.Strangers(fleet) {
		out = append(out, say.Stranger(&x))
	}
	differ := rel.ListsDiffer()
	for i := range differ[:min(len(differ), maxDiffer)] {
		out = append(out, say.ListsDiffer(&differ[i]))
	}
	if n := len(differ) - maxDiffer; n > 0 {
		out = append(out, say.MoreListsDiffer(n))
	}
	for i := range rel.Requirements {
		q := &rel.Requirements[i]
		if q.Level == release.Must && strings.TrimSpace(q.Reason) == "" {
			out = append(out, say.NoReason(q))
		}
		if !q.On(rel.InstallsOn) {
			out = append(out, say.NeverApplies(q, rel.InstallsOn))
			continue
		}
		var unread []string
		for _, id := range need.Facts(q.Need) {
			if name := id.String(); id.Unread(rel.InstallsOn) && !slices.Contains(unread, name) {
				unread = append(unread, name)
			}
		}
		if unread != nil {
			out = append(out, say.NotRead(q, unread))
		}
		if q.Level == release.Must && !m.Steps.Settles(q.Need) {
			out = append(out, say.NoStepFor(q, changeable(q.Need)))
		}
	}
	return out
}

// maxDiffer bounds how many differences between lists are noted one by one.
const maxDiffer = 10

// changeable says whether anything that a need reads can change on a machine.
func changeable(n need.Need) bool {
	return slices.ContainsFunc(need.Facts(n), func(id fact.ID) bool { return id.Change() != fact.ByNothing })
}
